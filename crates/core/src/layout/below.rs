//! Where the lines begin that say how records are divided: below the names that someone stated, or below the last line of names, where
//! a long text stands above a short table.

use super::furniture::HeaderChoice;
use super::measure::sort::{Sort, sort_of};
use super::tally::Tally;
use super::{LayoutChoices, Samples, lines};
use std::borrow::Cow;

/// Records of a short table, and its columns, at least.
const RECORDS: usize = 3;
const COLUMNS: usize = 4;

/// The line of the names (from 1) at which the lines to look at begin, and the number of columns below it, if it is known; none if all
/// lines are to be looked at.
pub(super) fn names_line(samples: Samples<'_>, choices: &LayoutChoices) -> Option<(u64, Option<usize>)> {
    match choices.header {
        HeaderChoice::Line(line) => Some((line, None)),
        HeaderChoice::None => None,
        HeaderChoice::Auto if choices.is_stated() => None,
        HeaderChoice::Auto => short_table(samples).map(|(line, width)| (line, Some(width))),
    }
}

/// The samples from a line (from 1) of the head on; the same ones if the head ends before it.
pub(super) fn from_line(samples: Samples<'_>, line: u64) -> Samples<'_> {
    let at = usize::try_from(line).ok().and_then(|line| line.checked_sub(1));
    let found = at.and_then(|at| lines::lines(samples.head).nth(at)).map(|text| {
        let offset = text.as_ptr().addr() - samples.head.as_ptr().addr();
        &samples.head[offset..]
    });
    Samples { head: found.filter(|head| !head.trim_ascii().is_empty()).unwrap_or(samples.head), ..samples }
}

/// The line of names right above a few records of numbers that end a text, and how many numbers those have, where more lines of
/// another sort stand in front of them: parameters of a measurement, for example. The measure would explain those.
fn short_table(samples: Samples<'_>) -> Option<(u64, usize)> {
    if !samples.middle.is_empty() || !samples.tail.is_empty() {
        return None;
    }
    let texts: Vec<(u64, Cow<'_, str>)> = lines::lines(samples.head)
        .zip(1..)
        .filter(|(line, _)| !line.trim_ascii().is_empty())
        .map(|(line, number)| (number, String::from_utf8_lossy(line)))
        .collect();
    [None, Some('\t'), Some(';'), Some(','), Some('|')].into_iter().find_map(|mark| {
        let count = |text: &str| fields(text, mark).len();
        let width = texts.last().map(|(_, text)| count(text)).filter(|width| *width >= COLUMNS)?;
        let is_record = |text: &str| count(text) == width && are_numbers(text, mark);
        let records = texts.iter().rev().take_while(|(_, text)| is_record(text)).count();
        let ((line, names), before) = texts[..texts.len() - records].split_last()?;
        if records < RECORDS || before.len() < records * 2 {
            return None;
        }
        let names = fields(names, mark);
        // A word in front of the names may mark the line.
        let marks = names.len().checked_sub(width).filter(|marks| *marks <= 1)?;
        // What is a table itself is no text in front of one.
        let counts: Tally<usize> = before.iter().map(|(_, text)| count(text)).collect();
        let is_table =
            counts.top().is_some_and(|(count, often)| *count >= COLUMNS && often * 2 > before.len());
        (are_names(&names[marks..]) && !is_table).then_some((*line, width))
    })
}

/// The parts of a line between marks, or between blanks.
fn fields(text: &str, mark: Option<char>) -> Vec<&str> {
    match mark {
        None => text.split_whitespace().collect(),
        Some(mark) => text.split(mark).map(str::trim).collect(),
    }
}

fn are_numbers(text: &str, mark: Option<char>) -> bool {
    fields(text, mark).iter().all(|field| matches!(sort_of(field), Sort::Number | Sort::Moment))
}

/// Whether all parts of a line are different words.
fn are_names(parts: &[&str]) -> bool {
    let is_name = |name: &&str| {
        name.contains(char::is_alphabetic)
            && !name.ends_with(':')
            && !matches!(sort_of(name), Sort::Number | Sort::Moment)
    };
    let different: rustc_hash::FxHashSet<&str> = parts.iter().copied().collect();
    parts.iter().all(is_name) && different.len() == parts.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Option<(u64, usize)> {
        short_table(Samples { head: text.as_bytes(), ..Samples::default() })
    }

    #[test]
    fn a_few_numbers_under_their_names_are_found_below_a_longer_text() {
        let text =
            "Gauge at the lock\nBuilt 2019\nSensor: pressure, 2 m\nKeeper: Ada Rowe\n\n* Remarks\n  none\n";
        let names = "~ Hour Level Flow Wind\n";
        let rows = "1 2.41 0.3 4\n2 2.40 0.2 5\n3 2.38 0.2 4\n";
        assert_eq!(found(&format!("{text}{names}{rows}")), Some((8, 4)));
        let marked = format!("{text}{names}{rows}").replace("Hour Level", "Hour;Level").replace(' ', ";");
        assert_eq!(found(&marked), Some((8, 4)));
        for (what, text) in [
            ("two records only", format!("{text}{names}1 2.41 0.3 4\n2 2.40 0.2 5\n")),
            ("no names", format!("{text}{rows}")),
            ("a word among the numbers", format!("{text}{names}{rows}").replace("0.2", "low")),
            ("nothing in front", format!("{names}{rows}")),
            ("a label in front", format!("{text}Hour: Level Flow Wind\n{rows}")),
            ("another table", format!("Call Ship Net Tax\n{}{names}{rows}", "A1 Tern 2 3\n".repeat(9))),
            ("three columns", format!("{text}Hour Level Flow\n1 2.4 0.3\n2 2.4 0.2\n3 2.3 0.2\n")),
        ] {
            assert_eq!(found(&text), None, "{what}");
        }
    }

    #[test]
    fn samples_begin_at_a_line_of_the_head() {
        let samples = Samples { head: b"one\r\ntwo\n\nfour", ..Samples::default() };
        let head = |line: u64| from_line(samples, line).head;
        assert_eq!(
            (head(1), head(2), head(4)),
            (&b"one\r\ntwo\n\nfour"[..], &b"two\n\nfour"[..], &b"four"[..])
        );
        assert_eq!((head(0), head(9)), (samples.head, samples.head), "there is no such line");
    }
}
