//! Headings of groups in a printed report: lines with a label whose value holds for the records below them.

use super::super::stated_lines::Pattern;
use super::counts::count_in;
use super::total::names_total;

/// Longest label, in characters.
const LONGEST_LABEL: usize = 40;

/// Bytes of a label that are compared before a line is looked at closely.
const BEGINNING: usize = 4;

/// Most levels of headings.
const LEVELS: usize = 8;

/// The headings of a report, the outermost first. Each gives its records a column.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Headings {
    labels: Vec<Label>,
    /// Regular expressions whose named groups are labels as well.
    patterns: Vec<Pattern>,
}

/// What a heading begins with.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Label {
    text: String,
    form: LabelForm,
}

/// What sets a label apart from its value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum LabelForm {
    /// A colon.
    Colon,
    /// Nothing: it is the first words of a line without a colon.
    Words,
    /// The one or the other.
    Any,
    /// Nothing: it names a group of a pattern.
    Group,
}

/// A line that may be a heading.
#[derive(Clone, Copy, Debug)]
pub(super) struct Line<'t> {
    pub(super) text: &'t str,
    pub(super) place: Place,
    /// Records before it.
    pub(super) records: usize,
}

/// Where such a line is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Place {
    /// Above the names of the columns, where heads of pages are.
    AboveNames,
    /// Between the names and the first record.
    BelowNames,
    /// Before the first record, where there are no names.
    BeforeRecords,
    /// Among the records.
    Among,
}

impl Line<'_> {
    /// Whether it is before the first record.
    fn leads(&self) -> bool {
        self.place != Place::Among
    }
}

impl Headings {
    /// Headings with these labels, which someone stated; a colon after them, or none, is all the same.
    ///
    /// # Example
    /// ```
    /// use incola_core::layout::Headings;
    /// let headings = Headings::stated(&["Pilot".to_owned(), "Quay".to_owned()]);
    /// assert_eq!(headings.values("  Pilot: P-07   Quay: 003"), [(0, "P-07"), (1, "003")]);
    /// assert_eq!(headings.values("Quay 003"), [(1, "003")]);
    /// assert!(headings.values("Quays are full").is_empty());
    /// ```
    pub fn stated(labels: &[String]) -> Self {
        let label = |text: &String| {
            let text = text.trim();
            Label { text: text.trim_end_matches(':').trim_end().to_owned(), form: LabelForm::Any }
        };
        Self {
            labels: labels.iter().map(label).filter(|l| !l.text.is_empty()).collect(),
            patterns: Vec::new(),
        }
    }

    /// The same, with lines in which a pattern finds something: its named groups are labels too.
    #[must_use]
    pub fn with_pattern(mut self, pattern: &Pattern) -> Self {
        let names = pattern.names();
        let labels = names.map(|name| Label { text: name.to_owned(), form: LabelForm::Group });
        let is_new = |label: &Label| self.labels.iter().all(|own| own.text != label.text);
        self.labels.extend(labels.filter(is_new).collect::<Vec<Label>>());
        self.patterns.push(pattern.clone());
        self
    }

    /// The labels of a line that is a heading: what comes before colons, or its first word.
    pub(in crate::layout) fn labels_of(line: &str) -> Vec<String> {
        let parts = labelled(line);
        if parts.is_empty() {
            return line.split_whitespace().take(1).map(str::to_owned).collect();
        }
        parts.into_iter().map(|(label, _)| label.to_owned()).collect()
    }

    /// Learns them from the lines that are no records. A heading comes before the first record, and again with another value
    /// after records.
    pub(super) fn learn(lines: &[Line<'_>]) -> Self {
        let mut labels: Vec<Label> = Vec::new();
        for line in lines.iter().filter(|line| line.leads()) {
            let parts = labelled(line.text);
            let is_plain = parts.is_empty() && line.place != Place::AboveNames;
            let found =
                parts.into_iter().map(|(text, _)| Label { text: text.to_owned(), form: LabelForm::Colon });
            let plain = is_plain.then(|| common_words(line.text, lines)).flatten();
            let plain = plain.map(|text| Label { text, form: LabelForm::Words });
            for label in found.chain(plain) {
                if !labels.contains(&label) && labels.len() < LEVELS && label.is_of_groups(lines) {
                    labels.push(label);
                }
            }
        }
        Self { labels, patterns: Vec::new() }.with_neighbours(lines)
    }

    /// The same, with lines between the names and the first record that stand beside one of them: groups of which there is only one.
    fn with_neighbours(self, lines: &[Line<'_>]) -> Self {
        let below: Vec<&Line<'_>> = lines.iter().filter(|line| line.place == Place::BelowNames).collect();
        if !below.iter().any(|line| self.is_one(line.text)) {
            return self;
        }
        let mut labels: Vec<Label> = Vec::new();
        for line in below {
            let own = self.labels.iter().filter(|label| Self::alone(label).is_one(line.text));
            let before = labels.len();
            labels.extend(own.cloned());
            let word = first_word(line.text).filter(|_| labels.len() == before);
            labels.extend(word.map(|word| Label { text: word.to_owned(), form: LabelForm::Words }));
        }
        let rest = self.labels.into_iter().filter(|label| !labels.contains(label)).collect::<Vec<Label>>();
        Self { labels: rest.into_iter().chain(labels).take(LEVELS).collect(), patterns: Vec::new() }
    }

    fn alone(label: &Label) -> Self {
        Self { labels: vec![label.clone()], patterns: Vec::new() }
    }

    /// Whether a line begins as one of them does.
    pub(in crate::layout) fn may_begin(&self, line: &[u8]) -> bool {
        let Some(from) = line.iter().position(|b| !matches!(b, b' ' | b'\t' | 0x0C)) else { return false };
        let begins = |label: &Label| {
            let mut both = label.text.bytes().zip(line[from..].iter().copied()).take(BEGINNING);
            // Letters beyond ASCII may have other bytes in the other case.
            let differs = both.find(|(own, other)| !own.eq_ignore_ascii_case(other));
            differs.is_none_or(|(own, other)| !(own.is_ascii() && other.is_ascii()))
        };
        !self.patterns.is_empty() || self.labels.iter().any(begins)
    }

    /// Whether a line is nothing but headings.
    pub fn is_one(&self, line: &str) -> bool {
        if self.patterns.iter().any(|pattern| pattern.regex().is_match(line.as_bytes())) {
            return true;
        }
        let parts = labelled(line);
        let known = |text: &str| self.labels.iter().any(|label| same(text, &label.text));
        match parts[..] {
            [] => !self.values(line).is_empty(),
            _ => {
                parts.iter().all(|(text, value)| known(text) && !value.contains("  "))
                    && !self.values(line).is_empty()
            }
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.labels.is_empty()
    }

    /// How many columns they make.
    pub fn len(&self) -> usize {
        self.labels.len()
    }

    /// The names of their columns.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.labels.iter().map(|label| label.text.as_str())
    }

    /// Their labels, but for those that patterns name.
    pub fn labels(&self) -> impl Iterator<Item = &str> {
        self.labels.iter().filter(|label| label.form != LabelForm::Group).map(|label| label.text.as_str())
    }

    /// The values that a line gives: level (from 0) and text.
    pub fn values<'t>(&self, line: &'t str) -> Vec<(usize, &'t str)> {
        let parts = labelled(line);
        let mut values = Vec::new();
        for (level, label) in self.labels.iter().enumerate() {
            let own = parts.iter().find(|(text, _)| same(text, &label.text)).map(|(_, value)| *value);
            let value = match label.form {
                LabelForm::Colon => own,
                LabelForm::Words if parts.is_empty() => label.value(line),
                LabelForm::Words => None,
                LabelForm::Any => own.or_else(|| label.value(line)),
                LabelForm::Group => self.patterns.iter().find_map(|pattern| pattern.group(&label.text, line)),
            };
            values.extend(value.map(|value| (level, value)));
        }
        values
    }
}

impl Label {
    /// What follows the words of a label without a colon.
    fn value<'t>(&self, line: &'t str) -> Option<&'t str> {
        let line = line.trim();
        let rest = line
            .get(..self.text.len())
            .filter(|start| same(start, &self.text))
            .map(|_| &line[self.text.len()..])?;
        let value = rest.trim_start();
        (rest.len() > value.len() && !value.is_empty() && !value.contains("  ")).then_some(value)
    }

    /// Whether the lines with the label are headings: records between them, other values, and no numbers of pages or records.
    fn is_of_groups(&self, lines: &[Line<'_>]) -> bool {
        if names_total(&self.text) {
            return false;
        }
        let found: Vec<(&Line<'_>, &str)> = lines
            .iter()
            .filter_map(|line| {
                let value = if self.form == LabelForm::Colon {
                    labelled(line.text)
                        .into_iter()
                        .find(|(text, _)| *text == self.text)
                        .map(|(_, value)| value)
                } else if labelled(line.text).is_empty() {
                    self.value(line.text)
                } else {
                    None
                };
                value.map(|value| (line, value))
            })
            .collect();
        let Some((first, value)) = found.first() else { return false };
        if found.iter().all(|(line, _)| line.leads()) {
            // There may be one group only: its heading is between the names and the first record.
            return self.form == LabelForm::Colon && first.place == Place::BelowNames && !value.is_empty();
        }
        // What is at the head of every page has other digits at most.
        let is_above = first.place == Place::AboveNames;
        let alike = |value: &str| -> String {
            value.chars().map(|c| if c.is_ascii_digit() && is_above { '0' } else { c }).collect()
        };
        let differ = found.iter().any(|(_, value)| alike(value) != alike(found[0].1));
        // Printed again on the next page, a heading says nothing new.
        let pairs = || found.windows(2).filter(|pair| pair[0].1 != pair[1].1);
        let parted = pairs().filter(|pair| pair[0].0.records < pair[1].0.records).count();
        let numbers: Vec<Option<usize>> = found.iter().map(|(_, value)| value.parse().ok()).collect();
        let counts_up = numbers.iter().enumerate().all(|(at, number)| *number == Some(at + 1));
        differ && !counts_up && parted * 5 >= pairs().count() * 4
    }
}

/// The words that a line without a label has in common with all lines that begin with its first word; `None`: no other does, or
/// nothing but those words is in one of them.
fn common_words(line: &str, lines: &[Line<'_>]) -> Option<String> {
    let words = |text: &str| -> Vec<String> { text.split_whitespace().map(str::to_owned).collect() };
    let is_phrase =
        |text: &str| !text.trim().contains("  ") && text.trim().chars().count() <= 2 * LONGEST_LABEL;
    let own = words(line);
    let first = own.first()?;
    if !is_phrase(line) || !first.chars().all(char::is_alphabetic) || own.len() < 2 {
        return None;
    }
    let alike: Vec<Vec<String>> = lines
        .iter()
        .filter(|other| is_phrase(other.text) && labelled(other.text).is_empty())
        .map(|other| words(other.text))
        .filter(|other| other.first() == Some(first))
        .collect();
    let common = (1..own.len())
        .take_while(|n| alike.iter().all(|other| other.len() > *n && other[..*n] == own[..*n]))
        .last()?;
    (alike.len() > 1).then(|| own[..common].join(" "))
}

/// The label of a line that holds nothing but one, and its value.
pub(super) fn only_label(line: &str) -> Option<&str> {
    match labelled(line)[..] {
        [(label, value)] if !value.contains("  ") && !value.is_empty() && !names_total(label) => {
            count_in(line).is_none_or(|count| !count.names_records).then_some(label)
        }
        _ => None,
    }
}

/// The first word of a line that holds one phrase of several words, and no label with a colon.
pub(super) fn first_word(line: &str) -> Option<&str> {
    let line = line.trim_matches(|c: char| c.is_whitespace() || c == '\u{c}');
    let word = line.split_whitespace().next()?;
    let fits = word.chars().all(char::is_alphabetic)
        && line.len() > word.len()
        && !line.contains("  ")
        && line.chars().count() <= 2 * LONGEST_LABEL
        && !names_total(line)
        && labelled(line).is_empty();
    fits.then_some(word)
}

/// The parts `Label: value` of a line, divided by two blanks or more.
fn labelled(line: &str) -> Vec<(&str, &str)> {
    let line = line.trim_matches(|c: char| c.is_whitespace() || c == '\u{c}');
    let mut parts: Vec<(&str, &str)> = Vec::new();
    let mut at = 0;
    while let Some(colon) = line[at..].find(':').map(|n| n + at) {
        let Some(label) = label_before(&line[at..colon]) else { return parts };
        let rest = &line[colon + 1..];
        if rest.starts_with("//") || rest.starts_with(':') {
            return parts;
        }
        let value = rest.trim_start();
        let from = line.len() - value.len();
        // The value ends where two blanks and another label follow.
        let end = next_label(line, from);
        parts.push((label, line[from..end].trim_end()));
        at = end;
    }
    parts
}

/// A label at the end of the text before a colon: letters, and no digits.
fn label_before(text: &str) -> Option<&str> {
    let label = text.trim();
    let fits = label.chars().count() <= LONGEST_LABEL
        && label.chars().next().is_some_and(char::is_alphabetic)
        && !label.chars().any(|c| c.is_ascii_digit() || matches!(c, '"' | ',' | ';' | '\t'))
        && !label.contains("  ");
    fits.then_some(label)
}

/// Where the label begins that follows a value, two blanks before it; the end of the line if none does.
fn next_label(line: &str, from: usize) -> usize {
    let mut at = from;
    while let Some(gap) = line[at..].find("  ").map(|n| n + at) {
        let rest = line[gap..].trim_start();
        let start = line.len() - rest.len();
        if rest.find(':').is_some_and(|colon| label_before(&rest[..colon]).is_some()) {
            return start;
        }
        at = start;
    }
    line.len()
}

fn same(a: &str, b: &str) -> bool {
    a == b || a.to_lowercase() == b.to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Learns from lines of which those that begin with `.` are records, and `=` are the names.
    fn learnt(text: &str) -> Vec<String> {
        let (mut lines, mut records, mut named) = (Vec::new(), 0, false);
        let has_names = text.lines().any(|line| line.starts_with('='));
        for text in text.lines() {
            match text.chars().next() {
                Some('.') => records += 1,
                Some('=') => named = true,
                Some(_) => {
                    let place = match (records, has_names, named) {
                        (0, true, false) => Place::AboveNames,
                        (0, true, true) => Place::BelowNames,
                        (0, false, _) => Place::BeforeRecords,
                        _ => Place::Among,
                    };
                    lines.push(Line { text, place, records });
                }
                None => {}
            }
        }
        Headings::learn(&lines).names().map(str::to_owned).collect()
    }

    #[test]
    fn headings_are_learnt_from_what_comes_before_records_and_again() {
        for (text, expected) in [
            ("Pilot: P-01\n.\n.\nPilot: P-02\n.\n", &["Pilot"][..]),
            (
                "Quay: North\n  Pilot: P-01\n.\n  Pilot: P-02\n.\nQuay: South\n  Pilot: P-01\n.\n",
                &["Quay", "Pilot"],
            ),
            (
                "Quay: North   Pilot: P-01\n.\nQuay: North   Pilot: P-02\n.\nQuay: South   Pilot: P-02\n.",
                &["Quay", "Pilot"],
            ),
            ("=\nStation North Pier\n.\nStation South Pier\n.\n", &["Station"]),
            ("=\nStation North\n.\nStation No 2\n.\n", &["Station"]),
            // The head of a page, the same on each, with other digits at most.
            (
                "Port: Tolgarth Quay\nPrinted: 04.03.2031\n=\n.\nPort: Tolgarth Quay\nPrinted: 05.03.2031\n.\n",
                &[],
            ),
            ("Page: 1\n.\nPage: 2\n.\nPage: 3\n.\n", &[]),
            // Below the names digits may be all that differs.
            ("=\nAccount: 1001\n.\nAccount: 1002\n.\n", &["Account"]),
            // Printed again at the head of a page.
            ("=\nQuay: North\n.\nQuay: South\nQuay: South\n.\n", &["Quay"]),
            // Counts and totals follow records.
            (".\nRecords: 4\n.\nRecords: 5\n", &[]),
            ("Total: 4\n.\nTotal: 5\n.\n", &[]),
            // A group of which there is one, beside one of which there are several.
            ("=\nRegion North\n  Pilot Ada Rowe\n.\n  Pilot Ida Stern\n.\n", &["Region", "Pilot"]),
            ("=\n  Pilot: P-01\nRegion North\n.\n  Pilot: P-02\n.\n", &["Pilot", "Region"]),
            // Once is a group only below the names.
            ("=\nPilot: P-01\n.\n.\n", &["Pilot"]),
            ("Pilot: P-01\n.\n.\n", &[]),
            // Two in a row, with nothing between.
            ("Note: a\nNote: b\nNote: c\n.\nNote: d\n", &[]),
        ] {
            assert_eq!(learnt(text), expected, "{text}");
        }
    }

    #[test]
    fn labels_are_taken_apart() {
        for (line, expected) in [
            ("Pilot: P-01", &[("Pilot", "P-01")][..]),
            ("  Pilot :  P-01  ", &[("Pilot", "P-01")]),
            ("Quay: North Pier   Pilot: P-01", &[("Quay", "North Pier"), ("Pilot", "P-01")]),
            ("Quay: North  Pier", &[("Quay", "North  Pier")]),
            ("Quay:", &[("Quay", "")]),
            ("at 12:30", &[]),
            ("see http://quay.example", &[]),
            ("no label", &[]),
        ] {
            assert_eq!(labelled(line), expected, "{line}");
        }
    }

    proptest::proptest! {
        /// Whatever a line holds: values are parts of it, and a line that is nothing but headings gives some.
        #[test]
        fn values_are_parts_of_the_line(pieces in proptest::collection::vec(
            proptest::sample::select(vec![
                "Pilot", "pilot", "Quay", ":", " ", "  ", "\t", "007", "é", "ﬁ", "İ", "//", ";", "North Pier", "Total", "\u{c}", "‒",
            ]),
            0..14,
        )) {
            let line = pieces.concat();
            for headings in [
                Headings::stated(&["Pilot".into(), "Quay".into()]),
                Headings::alone(&Label { text: "Pilot".into(), form: LabelForm::Words }),
                Headings::alone(&Label { text: "Quay".into(), form: LabelForm::Colon }),
            ] {
                let values = headings.values(&line);
                for (level, value) in &values {
                    proptest::prop_assert!(*level < headings.len() && line.contains(value));
                    proptest::prop_assert_eq!(*value, value.trim_end());
                }
                proptest::prop_assert!(!headings.is_one(&line) || !values.is_empty());
                proptest::prop_assert!(values.is_empty() || headings.may_begin(line.as_bytes()) || line.contains("  "));
            }
            let lines: Vec<Line<'_>> = [Place::AboveNames, Place::BelowNames, Place::Among]
                .into_iter()
                .zip(0..)
                .map(|(place, records)| Line { text: &line, place, records })
                .collect();
            proptest::prop_assert!(Headings::learn(&lines).len() <= LEVELS);
        }
    }
}
