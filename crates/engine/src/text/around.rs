//! What is around and among the records of a surveyed source: what lines are, what was said of them, what is carried, what comes after.

use super::region::DecodedSamples;
use super::survey::Surveyed;
use crate::stop::{Result, Stop};
use incola_core::kind::statistics::Count;
use incola_core::layout::{Layout, LayoutChoices, LineRule, LinesMeant, Repeats, SetAside, after_lines};
use incola_core::notice::NoticeCode;
use incola_core::rows::{Aside, Role, Run, runs};
use incola_core::settings::BadSetting;
use incola_core::settings::selector::Selector;
use incola_core::survey::{Survey, SurveyPlan};

/// A column whose empty cells took the value above them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CarriedDown {
    /// The column, from 0.
    pub column: usize,
    /// How many cells, and the line of the first one.
    pub cells: Count,
}

/// What is after the last record.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct After {
    /// The text, decoded.
    pub text: Vec<u8>,
    /// Blank lines at its beginning that the survey counted as lines among the records.
    pub blank: u64,
    /// Whether the first lines of the source are all there are, this text included.
    pub is_in_head: bool,
    /// For each thing that someone says of lines: those that are so.
    stated: Vec<Count>,
}

impl After {
    /// What is after the records of a source. `is_in_head`: its first lines are all there are.
    pub(super) fn of(
        (samples, is_in_head): (&DecodedSamples, bool),
        plan: &SurveyPlan,
        layout: &Layout,
        survey: &Survey,
    ) -> Self {
        let last = if samples.tail.is_empty() { &samples.head } else { &samples.tail };
        let is_last =
            |aside: &&SetAside| aside.why == Aside::BlankLine && aside.line + aside.lines == survey.lines + 1;
        let blank = survey.facts.set_aside.last().filter(is_last).map_or(0, |aside| aside.lines);
        let lines_before = layout.footer.lines_before;
        let start = start_below(last, (lines_before, blank), plan.dialect.lone_cr_ends_line);
        Self {
            text: last[start..].to_vec(),
            blank,
            is_in_head,
            stated: stated_below(&plan.repeats, last, lines_before, survey.lines),
        }
    }
}

impl Surveyed {
    /// The columns whose empty cells took the value above them.
    #[must_use]
    pub fn carried_down(&self) -> Vec<CarriedDown> {
        let of = |(place, count): (&usize, &Count)| CarriedDown { column: *place, cells: *count };
        self.reading.layout.carried_down.iter().zip(&self.survey.facts.carried_down).map(of).collect()
    }

    /// What someone says of lines, and the lines that are so.
    #[must_use]
    pub fn stated_lines(&self) -> Vec<(&LineRule, Count)> {
        let layout = &self.reading.layout;
        let mut counts = vec![Count::default(); layout.line_rules.len()];
        let before = if counts.is_empty() { 0 } else { layout.lines_before_data as usize };
        for (number, line) in (1..).zip(self.head.split(|b| *b == b'\n').take(before)) {
            if let Some(rule) = self.plan.repeats.rule_about(line.trim_ascii_end()) {
                counts[rule].add(number);
            }
        }
        for more in [&self.survey.facts.stated, &self.after.stated] {
            for (count, more) in counts.iter_mut().zip(more) {
                count.line = if count.count == 0 { more.line } else { count.line };
                count.count += more.count;
            }
        }
        layout.line_rules.iter().zip(counts).collect()
    }

    /// What each line is to the table, in runs; up to the last line that is listed, where not all are that are set aside.
    #[must_use]
    pub fn line_classes(&self) -> Vec<Run> {
        let reading = &self.reading;
        let is_cut = reading.notices.iter().any(|notice| notice.code == NoticeCode::MoreSetAside);
        let last =
            reading.set_aside.iter().map(|aside| aside.line + aside.lines - 1).max().unwrap_or_default();
        let lines = if is_cut { last } else { self.survey.lines.max(last) };
        runs(&reading.layout, &reading.set_aside, lines)
    }
}

/// The columns (from 0) of a source whose empty cells take the value above them, as someone states.
pub(super) fn carried_down(carry: &[Selector], names: &[String], width: usize) -> Result<Vec<usize>> {
    let mut places = Vec::new();
    for selector in carry {
        let found = selector.places(&names[..width.min(names.len())]);
        if found.is_empty() {
            return Err(Stop::BadSetting(BadSetting::no_such_column("carry", "", selector, names)));
        }
        places.extend(found);
    }
    places.sort_unstable();
    places.dedup();
    Ok(places)
}

/// Where a text begins that comes after so many lines of another, with up to so many blank ones right before it.
fn start_below(text: &[u8], (lines_before, blank): (u64, u64), lone_cr: bool) -> usize {
    let mut at = after_lines(text, lines_before, lone_cr).unwrap_or(text.len());
    for _ in 0..blank {
        let is_end = |b: &u8| *b == b'\n' || (lone_cr && *b == b'\r');
        let before = text[..at].strip_suffix(b"\n").unwrap_or(&text[..at]);
        let before = before.strip_suffix(b"\r").unwrap_or(before);
        let start = before.iter().rposition(is_end).map_or(0, |end| end + 1);
        if start == at
            || !text[start..at].iter().all(|b| matches!(b, b' ' | b'\t' | b'\r' | b'\n' | 0x0C | 0x1A))
        {
            break;
        }
        at = start;
    }
    at
}

/// For each thing that someone says of lines: those that are so in a text after so many lines of it. `line`: the line before them.
fn stated_below(repeats: &Repeats, text: &[u8], lines_before: u64, line: u64) -> Vec<Count> {
    let mut counts = vec![Count::default(); repeats.rules().len()];
    if counts.is_empty() {
        return counts;
    }
    let below = text.split(|b| *b == b'\n').skip(lines_before as usize);
    for (number, text) in (line + 1..).zip(below) {
        if let Some(rule) = repeats.rule_about(text.trim_ascii_end()) {
            counts[rule].add(number);
        }
    }
    counts
}

/// A line that someone named as an example, and that is blank or not among those that are looked at.
pub(super) fn no_such_line(choices: &LayoutChoices, layout: &Layout) -> Stop {
    let found: Vec<u64> = layout.line_rules.iter().filter_map(|rule| rule.line).collect();
    let named = choices.lines.iter().filter_map(|choice| match choice.lines {
        LinesMeant::LikeLine(line) if !found.contains(&line) => Some((choice.role, line)),
        _ => None,
    });
    let (role, line) = named.into_iter().next().unwrap_or((Role::Aside, 0));
    let key = match role {
        Role::Detail => "detail_line",
        Role::Total => "total_line",
        _ => "heading_line",
    };
    let why = "there is no such line among the first ones of the source, or it is empty";
    Stop::BadSetting(BadSetting::new(key, &line.to_string(), why))
}
