//! What someone says of lines, by an example or by a pattern: these are details, those are totals.

use super::lines;
use super::measure::sort::{Sort, sort_of};
use crate::rows::Role;
use regex::bytes::Regex;
use std::ops::Range;

/// Longest pattern, in bytes.
const LONGEST_PATTERN: usize = 10_000;

/// What is said of lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LineChoice {
    /// What they are.
    pub role: Role,
    /// Which lines are meant.
    pub lines: LinesMeant,
}

/// Which lines are meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LinesMeant {
    /// Those like the line with this number, from 1.
    LikeLine(u64),
    /// Those like this text.
    Like(String),
    /// Those in which a regular expression finds something.
    Match(Pattern),
}

/// A regular expression that was understood.
#[derive(Clone, Debug)]
pub struct Pattern(Regex);

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.0.as_str() == other.0.as_str()
    }
}

impl Eq for Pattern {}

impl Pattern {
    /// Reads a regular expression. It is searched for in time that grows with the line alone.
    ///
    /// # Errors
    /// What is wrong with it, in words.
    ///
    /// ```
    /// use incola_core::layout::Pattern;
    /// assert!(Pattern::read("^ *Subtotal").is_ok());
    /// assert!(Pattern::read("(").unwrap_err().contains("unclosed group"));
    /// ```
    pub fn read(text: &str) -> Result<Self, String> {
        if text.len() > LONGEST_PATTERN {
            return Err(format!("it has {} characters; {LONGEST_PATTERN} are the most", text.len()));
        }
        Regex::new(text).map(Self).map_err(|error| {
            // The last line says what is wrong, those before it where.
            let words = error.to_string();
            words.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned()
        })
    }

    pub(super) fn regex(&self) -> &Regex {
        &self.0
    }

    /// The names of its groups.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.0.capture_names().flatten()
    }

    /// What a named group finds in a line, without blanks around.
    pub(super) fn group<'t>(&self, name: &str, line: &'t str) -> Option<&'t str> {
        let found = self.0.captures(line.as_bytes())?.name(name)?.range();
        line.get(found).map(str::trim)
    }

    /// The expression.
    pub fn text(&self) -> &str {
        self.0.as_str()
    }
}

/// A rule for lines, made of what someone said.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LineRule {
    /// What such lines are.
    pub role: Role,
    /// What was said: a line of the source (from 1), if it was one.
    pub line: Option<u64>,
    test: Test,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Test {
    Like(String, Shape),
    Match(Pattern),
}

impl LineRule {
    /// The example, if it was made of one.
    pub fn example(&self) -> Option<&str> {
        match &self.test {
            Test::Like(example, _) => Some(example),
            Test::Match(_) => None,
        }
    }

    /// The regular expression, if it is one.
    pub fn pattern(&self) -> Option<&str> {
        match &self.test {
            Test::Like(..) => None,
            Test::Match(pattern) => Some(pattern.text()),
        }
    }

    /// The same, to look into lines with.
    pub(super) fn as_pattern(&self) -> Option<&Pattern> {
        match &self.test {
            Test::Like(..) => None,
            Test::Match(pattern) => Some(pattern),
        }
    }

    /// What was said, in words.
    pub fn said(&self) -> String {
        match (&self.test, self.line) {
            (Test::Like(..), Some(line)) => format!("line {line}"),
            (Test::Like(example, _), None) => format!("\u{201c}{}\u{201d}", example.trim()),
            (Test::Match(pattern), _) => pattern.text().to_owned(),
        }
    }

    /// Whether it is about a line, its end left out.
    pub fn is_about(&self, line: &[u8]) -> bool {
        match &self.test {
            Test::Like(_, shape) => shape.fits(self.role, &Shape::of(&String::from_utf8_lossy(line))),
            Test::Match(pattern) => pattern.0.is_match(line),
        }
    }
}

/// The rules that are made of what someone says. `head`: the first lines. A line that is not among them makes none.
pub(super) fn rules(choices: &[LineChoice], head: &[u8]) -> Vec<LineRule> {
    let like = |text: &str| Test::Like(text.to_owned(), Shape::of(text));
    let rule = |choice: &LineChoice| {
        let (line, test) = match &choice.lines {
            LinesMeant::LikeLine(line) => {
                let place = usize::try_from(line.checked_sub(1)?).ok()?;
                let text = lines::lines(head).nth(place).filter(|text| !text.trim_ascii().is_empty())?;
                (Some(*line), like(&String::from_utf8_lossy(text)))
            }
            LinesMeant::Like(text) => (None, like(text)),
            LinesMeant::Match(pattern) => (None, Test::Match(pattern.clone())),
        };
        Some(LineRule { role: choice.role, line, test })
    };
    choices.iter().filter_map(rule).collect()
}

/// What a line looks like: its words with their places and sorts.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Shape {
    words: Vec<Word>,
    /// The first word, in lower case, its digits as zeros.
    first: String,
    /// Groups of words with two blanks or more between.
    phrases: usize,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Word {
    /// Characters that it takes, from 0.
    place: Range<usize>,
    sort: Sort,
}

impl Word {
    fn overlaps(&self, other: &Self) -> bool {
        self.place.start < other.place.end && other.place.start < self.place.end
    }
}

impl Shape {
    fn of(line: &str) -> Self {
        let line = line.trim_end_matches(['\r', '\n']).trim_start_matches('\u{c}');
        let (mut words, mut phrases, mut text) = (Vec::new(), 0, String::new());
        let mut first = String::new();
        let mut end = 0;
        for (at, c) in line.chars().chain([' ']).enumerate() {
            if c != ' ' && c != '\t' {
                text.push(c);
                continue;
            }
            if text.is_empty() {
                continue;
            }
            let place = at - text.chars().count()..at;
            phrases += usize::from(words.is_empty() || place.start >= end + 2);
            end = at;
            if words.is_empty() {
                first = text.chars().map(|c| if c.is_ascii_digit() { '0' } else { c }).collect();
                first = first.to_lowercase();
            }
            words.push(Word { place, sort: sort_of(&text) });
            text.clear();
        }
        Self { words, first, phrases }
    }

    fn typed(&self) -> impl Iterator<Item = &Word> {
        self.words.iter().filter(|word| word.sort.is_typed())
    }

    fn has_words(&self) -> bool {
        self.words.iter().any(|word| word.sort.is_words())
    }

    /// Whether a line with the shape `other` is what this example is.
    fn fits(&self, role: Role, other: &Self) -> bool {
        if other.words.is_empty() {
            return false;
        }
        let same_place = |word: &Word| other.words.iter().any(|o| o.sort == word.sort && o.overlaps(word));
        match role {
            // Numbers, dates and codes where the example has them; one in four may be missing. Lines of words start where it does.
            Role::Detail => {
                let typed: Vec<&Word> = self.typed().collect();
                if typed.is_empty() {
                    let starts = |shape: &Self| shape.words.first().map(|word| word.place.start);
                    return other.phrases == self.phrases && starts(other) == starts(self);
                }
                let found = typed.iter().filter(|word| same_place(word)).count();
                (typed.len() - found) * 4 <= typed.len() && found > 0
            }
            // The same first word, and a figure where the example has one; without words: figures only.
            Role::Total => {
                let mut figures = self.typed();
                let has_figure = figures.any(same_place) || self.typed().next().is_none();
                let same_words = if self.has_words() {
                    other.first == self.first
                } else {
                    other
                        .words
                        .iter()
                        .all(|word| self.words.iter().any(|w| w.sort == word.sort && w.overlaps(word)))
                };
                same_words && has_figure
            }
            _ => other.first == self.first && other.phrases == self.phrases,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rule(role: Role, example: &str) -> LineRule {
        let choice = LineChoice { role, lines: LinesMeant::Like(example.into()) };
        rules(&[choice], b"").remove(0)
    }

    #[test]
    fn lines_are_like_an_example() {
        let detail = "P7001    2031-03-25  Copper Finch           4.9      1      695.48";
        for (role, example, line, expected) in [
            (
                Role::Detail,
                detail,
                "P7002    2031-03-05  Grey Heron             9.9      1      976.35",
                true,
            ),
            (
                Role::Detail,
                detail,
                "P7003    2031-03-05  Saltwind                        2      383.82",
                true,
            ),
            (
                Role::Detail,
                detail,
                "  Subtotal                                           5    3,003.56",
                false,
            ),
            (Role::Detail, detail, "Station: North Pier", false),
            (Role::Detail, detail, "", false),
            (Role::Detail, "Ada Rowe    North Pier", "Ida Stern   South Basin", true),
            (Role::Detail, "Ada Rowe    North Pier", "  Ida Stern   South Basin", false),
            (Role::Total, "  Subtotal        5    3,003.56", "  Subtotal       17    4,890.78", true),
            (Role::Total, "  Subtotal        5    3,003.56", "Subtotal   of the quay", false),
            (Role::Total, "  Subtotal        5    3,003.56", "Grand total      17    4,890.78", false),
            (Role::Total, "                  5    3,003.56", "                 17    4,890.78", true),
            (Role::Total, "                  5    3,003.56", "P7001             5    3,003.56", false),
            (Role::Total, "                  5    3,003.56", "Berth             5    3,003.56", false),
            (Role::Page, "PILOTAGE REPORT    PAGE 1", "\u{c}PILOTAGE REPORT    PAGE 12", true),
            (Role::Page, "PILOTAGE REPORT    PAGE 1", "PILOTAGE", false),
            (Role::Aside, "12 calls", "07 calls", true),
        ] {
            assert_eq!(rule(role, example).is_about(line.as_bytes()), expected, "{example} / {line}");
        }
    }

    #[test]
    fn lines_are_named_by_number_or_pattern() {
        let head = b"PILOTAGE\n\nP7001  12.50\n";
        let of = |lines: LinesMeant| rules(&[LineChoice { role: Role::Detail, lines }], head);
        assert_eq!(of(LinesMeant::LikeLine(3))[0].example(), Some("P7001  12.50"));
        assert!(of(LinesMeant::LikeLine(2)).is_empty() && of(LinesMeant::LikeLine(9)).is_empty());
        let found = of(LinesMeant::Match(Pattern::read("^P[0-9]+").unwrap()));
        assert!(found[0].is_about(b"P7001  12.50") && !found[0].is_about(b"PILOTAGE"));
        assert_eq!(found[0].pattern(), Some("^P[0-9]+"));
        for bad in ["(", "a{2,1}", &"a".repeat(20_000), "(?P<x"] {
            assert!(Pattern::read(bad).is_err(), "{bad}");
        }
    }
}
