//! Tables whose quoted values hold line ends: the quotes say where records end, and single lines say nothing.

use super::tally::Tally;
use super::{LayoutChoices, LayoutKind, Samples};
use crate::record::{Dialect, Machine, Step};

/// Marks that divide the fields of such tables.
const MARKS: [&str; 4] = [",", ";", "\t", "|"];

/// Records of the head that are looked at, and how many are enough.
const RECORDS: usize = 200;
const FEWEST: usize = 4;

/// Line ends inside quotes that are no accident.
const INSIDE: usize = 2;

/// Lines at which a record may begin, in a text that begins anywhere.
const BEGINNINGS: usize = 64;

/// How the records of such a table are cut.
#[derive(Clone, Debug)]
pub(super) struct Quoted {
    pub(super) dialect: Dialect,
    /// Fields of nearly all records.
    width: usize,
}

impl Quoted {
    /// Finds such a table: records of one width, quotes that all open and close where a field does, and line ends inside some of them.
    pub(super) fn find(samples: Samples<'_>, choices: &LayoutChoices, plain: &Dialect) -> Option<Self> {
        let is_other =
            choices.kind.is_some_and(|kind| kind != LayoutKind::Delimited) || choices.starts.is_some();
        if is_other || choices.quote == Some(None) || memchr::memchr(b'"', samples.head).is_none() {
            return None;
        }
        let marks = choices.delimiter.as_deref().map_or(MARKS.to_vec(), |stated| vec![stated]);
        let escapes = memchr::memmem::find(samples.head, b"\\\"").is_some();
        let mut best: Option<(usize, Self)> = None;
        for mark in marks.into_iter().filter(|mark| !mark.is_empty()) {
            for doubles_quotes in if escapes { &[true, false][..] } else { &[true] } {
                let dialect = Dialect {
                    delimiter: mark.as_bytes().to_vec(),
                    quote: Some(b'"'),
                    doubles_quotes: *doubles_quotes,
                    ..plain.clone()
                };
                let Some((even, width)) = evenness(samples, &dialect) else { continue };
                if best.as_ref().is_none_or(|(most, known)| (even, width) > (*most, known.width)) {
                    best = Some((even, Self { dialect, width }));
                }
            }
        }
        best.map(|(_, found)| found)
    }

    /// Where the records of a text begin; the last one is where it ends. `is_whole`: the text begins with a record.
    pub(super) fn begins(&self, text: &[u8], is_whole: bool) -> Vec<usize> {
        let mut machine = Machine::new(&self.dialect);
        let from = if is_whole { 0 } else { self.first(text, &mut machine) };
        let mut begins = Vec::new();
        let mut at = from;
        while at < text.len() {
            begins.push(at);
            if matches!(machine.step(text, at, true), Step::End | Step::NeedMore) {
                break;
            }
            at = machine.next_start();
        }
        begins.push(text.len());
        begins
    }

    /// Where the first record of a text begins that may begin inside quotes; its end if there is none.
    fn first(&self, text: &[u8], machine: &mut Machine) -> usize {
        let (mut start, mut tried, mut is_behind_quote) = (0, 0, true);
        while tried < BEGINNINGS && start < text.len() {
            if is_behind_quote {
                tried += 1;
                if self.is_record(text, start, machine) {
                    return start;
                }
            }
            let Some(end) = memchr::memchr2(b'\n', b'\r', &text[start..]) else { break };
            is_behind_quote = text[start..start + end].contains(&b'"');
            start += end + if text[start + end..].starts_with(b"\r\n") { 2 } else { 1 };
        }
        text.len()
    }

    /// Whether all records from a place on are as they should be, but for the last one, which may be cut off.
    fn is_record(&self, text: &[u8], mut at: usize, machine: &mut Machine) -> bool {
        let mut records = 0;
        loop {
            let step = machine.step(text, at, true);
            let is_last = machine.next_start() >= text.len();
            match step {
                Step::End | Step::NeedMore => return records > 0,
                Step::Record if is_last => return records > 0,
                Step::Record => {
                    let odd = machine.oddities();
                    if machine.field_count() != self.width || odd.stray_quotes + odd.unclosed_quotes > 0 {
                        return false;
                    }
                    records += 1;
                }
                _ => {}
            }
            at = machine.next_start();
        }
    }
}

/// How many of a thousand records of the head have the usual number of fields, and which that is; none if it is no such table.
fn evenness(samples: Samples<'_>, dialect: &Dialect) -> Option<(usize, usize)> {
    let is_cut = !samples.tail.is_empty();
    let mut machine = Machine::new(dialect);
    let mut widths: Vec<usize> = Vec::new();
    let (mut at, mut inside) = (0, 0);
    while widths.len() < RECORDS {
        let step = machine.step(samples.head, at, true);
        // The head may end inside a record.
        if matches!(step, Step::End | Step::NeedMore)
            || (is_cut && machine.next_start() >= samples.head.len())
        {
            break;
        }
        if step == Step::Record {
            let odd = machine.oddities();
            if odd.stray_quotes + odd.unclosed_quotes > 0 {
                return None;
            }
            widths.push(machine.field_count());
            let has_line_end = |index: &usize| {
                machine.is_quoted(*index)
                    && memchr::memchr2(b'\n', b'\r', machine.field(samples.head, *index)).is_some()
            };
            inside += (0..machine.field_count()).filter(has_line_end).count();
        }
        at = machine.next_start();
    }
    let (width, even) =
        widths.iter().copied().collect::<Tally<usize>>().top().map(|(width, count)| (*width, count))?;
    // Titles in front and remarks behind are no records.
    let is_usual = |own: &usize| *own == width;
    let (first, last) = (widths.iter().position(is_usual)?, widths.iter().rposition(is_usual)?);
    let records = last + 1 - first;
    (even >= FEWEST && width >= 2 && even * 10 >= records * 9 && inside >= INSIDE)
        .then_some((even * 1000 / records, width))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Option<Quoted> {
        let samples = Samples { head: text.as_bytes(), ..Samples::default() };
        Quoted::find(samples, &LayoutChoices::default(), &Dialect::new(""))
    }

    #[test]
    fn quotes_around_line_ends_make_a_table() {
        let row = |at: usize| format!("{at};\"Saltwind, at\nberth {at}\";{}\n", at * 7);
        let text: String = (1..9).map(row).collect();
        let table = found(&text).unwrap();
        assert_eq!((table.dialect.delimiter.as_slice(), table.width), (&b";"[..], 3));
        // Quotes inside values that are not doubled, lines of all widths, one line, no line end inside.
        for other in [
            (1..9).map(|at| format!("{at};\"Salt\"wind\nat\";{at}\n")).collect::<String>(),
            (1..9).map(|at| format!("{at}{}\n\"said,\nand went\"\n", ";x".repeat(at))).collect(),
            row(1),
            (1..9).map(|at| format!("{at};\"Saltwind, at berth\";{at}\n")).collect(),
        ] {
            assert!(found(&other).is_none(), "{other}");
        }
        let around = format!("List of calls\n\n{text}Records: 8\n");
        assert_eq!(found(&around).map(|table| table.width), Some(3), "lines around it");
        let escaped: String = (1..9).map(|at| format!("{at},\"the \\\"Tern\\\",\nat berth\"\n")).collect();
        assert!(!found(&escaped).unwrap().dialect.doubles_quotes);
    }

    #[test]
    fn records_are_found_wherever_a_text_begins() {
        let row = |at: usize| format!("{at},\"Saltwind\nat, or near,\nberth \"\"{at}\"\"\",{}\n", at * 7);
        let text: String = (1..30).map(row).collect();
        let table = found(&text).unwrap();
        let all = table.begins(text.as_bytes(), true);
        assert_eq!((all.len(), all[29]), (30, text.len()));
        // Chunks of a source begin where lines do.
        let lines = text.match_indices('\n').map(|(at, _)| at + 1).take(40);
        for from in lines {
            let own = table.begins(&text.as_bytes()[from..], false);
            let expected: Vec<usize> = all.iter().filter(|at| **at >= from).map(|at| at - from).collect();
            assert_eq!(own[0], expected[0], "{from}: {}", &text[from..from + 60]);
        }
    }
}
