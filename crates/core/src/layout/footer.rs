//! What stands behind the last record: totals, counts of records, closing remarks.

use super::trial::{Class, Row, Trial, rows};
use super::{Footer, SetAside, Total};
use crate::kind::statistics::trim;
use crate::record::{Division, Machine};

/// Words that a total line begins with, in lower case.
const TOTAL_WORDS: [&str; 28] = [
    "page total",
    "subtotals",
    "zwischensumme",
    "seitensumme",
    "sous-total",
    "subtotaal",
    "total",
    "totals",
    "grand total",
    "sum",
    "sums",
    "subtotal",
    "summe",
    "summen",
    "gesamt",
    "gesamtsumme",
    "endsumme",
    "insgesamt",
    "somme",
    "totaux",
    "totale",
    "totali",
    "suma",
    "total general",
    "soma",
    "totaal",
    "totalen",
    "sub-total",
];

/// Records of the last sample that are looked at, from its end.
const LOOKED_AT: usize = 60;

/// Finds the footer in the last sample. `lines_before`: lines at its start that are known to be no data.
pub(super) fn find(sample: &[u8], trial: &Trial, lines_before: u64) -> Footer {
    let (rows, _) = rows(sample, &trial.dialect, usize::MAX);
    let data: Vec<&Row> = rows.iter().filter(|r| r.line > lines_before).collect();
    let end = last_line(sample, &rows);
    let mut footer = Footer { lines_before: end, ..Footer::default() };
    if data.len() < 2 {
        return footer;
    }
    let ragged = data.iter().filter(|r| r.fields != trial.width).count() * 50 > data.len().max(60);
    let filled = {
        let mut filled: Vec<usize> = data.iter().map(|r| r.filled).collect();
        filled.sort_unstable();
        filled[filled.len() / 2]
    };
    let mut machine = Machine::new(&trial.dialect);
    let mut first = data.len();
    let mut kinds = Vec::new();
    for (i, row) in data.iter().enumerate().rev().take(LOOKED_AT) {
        machine.step(sample, row.start, true);
        let Some(why) = strangeness(&machine, sample, row, trial.width, filled, ragged) else { break };
        kinds.push(why);
        first = i;
    }
    // A gap of blank lines sets off remarks even where a record more or less would not be strange.
    if first == 0 {
        return footer;
    }
    for (row, why) in data[first..].iter().zip(kinds.into_iter().rev()) {
        machine.step(sample, row.start, true);
        if why == TOTAL && footer.total.is_none() {
            let fields = machine.fields(sample).map(<[u8]>::to_vec).collect();
            footer.total = Some(Total { line: row.line, fields });
        }
        footer.filled_lines += if row.filled > 0 { row.lines } else { 0 };
        match footer.set_aside.last_mut() {
            Some(last) if last.why == why && last.line + last.lines == row.line => last.lines += row.lines,
            _ => footer.set_aside.push(SetAside { line: row.line, lines: row.lines, why }),
        }
    }
    if let Some(row) = data.get(first) {
        footer.lines_before = row.line - 1;
    }
    footer
}

/// Columns that most records fill, if at least two records further up say that they are totals and fill fewer; else 0.
pub(super) fn filled_among_totals(head: &[u8], trial: &Trial, lines_before: u64) -> usize {
    if trial.width < 3 {
        return 0;
    }
    let data: Vec<&Row> = trial.rows.iter().filter(|r| r.line > lines_before).collect();
    let mut filled: Vec<usize> = data.iter().map(|r| r.filled).collect();
    filled.sort_unstable();
    let typical = filled.get(filled.len() / 2).copied().unwrap_or(0);
    let mut machine = Machine::new(&trial.dialect);
    let mut is_total = |row: &Row| {
        machine.step(head, row.start, true);
        row.filled < typical && says_total(&machine, head)
    };
    if data.iter().filter(|row| is_total(row)).count() >= 2 { typical } else { 0 }
}

const TOTAL: &str = "total line";

fn last_line(sample: &[u8], rows: &[Row]) -> u64 {
    let (line, from) = rows.last().map_or((1, 0), |r| (r.line + r.lines, r.next));
    line - 1 + memchr::memchr_iter(b'\n', &sample[from..]).count() as u64
}

/// What is strange about a record at the end; `None`: it is one like the others.
fn strangeness(
    machine: &Machine,
    sample: &[u8],
    row: &Row,
    width: usize,
    filled: usize,
    ragged: bool,
) -> Option<&'static str> {
    if row.filled == 0 {
        return Some("empty record at the end");
    }
    let first = machine.fields(sample).map(|f| trim(f).0).find(|f| !f.is_empty())?;
    let says_total = machine.fields(sample).any(|f| is_total_word(trim(f).0));
    if says_total && row.filled < filled.max(2) + usize::from(filled < 3) {
        return Some(TOTAL);
    }
    // A record of several lines that is cut off is a record all the same, and is told as a broken one.
    if width < 2 || machine.dialect().division.multiline().is_some() {
        return None;
    }
    let short = row.fields < width && (row.fields == 1 || row.filled * 3 <= filled);
    let fixed = machine.dialect().division != Division::Delimited;
    let most = if fixed { 3 } else { 4 };
    let lonely = row.fields == width
        && width >= most
        && row.filled == 1
        && filled >= most
        && Class::of(first) != Class::Number;
    if fixed && row.is_cut {
        return Some("after the last record");
    }
    if (short && !ragged) || (row.fields == 1 && row.gap > 0) || lonely {
        return Some("after the last record");
    }
    None
}

/// Whether the record in the machine begins with a word for totals. In a fixed layout such words may run across starts: they
/// end at two blanks.
pub(super) fn says_total(machine: &Machine, text: &[u8]) -> bool {
    if machine.dialect().division.fixed().is_some() {
        let line = text[machine.start()..machine.end()].trim_ascii();
        let end = memchr::memmem::find(line, b"  ").unwrap_or(line.len());
        return is_total_word(&line[..end]);
    }
    machine.fields(text).map(|f| trim(f).0).find(|f| !f.is_empty()).is_some_and(is_total_word)
}

fn is_total_word(value: &[u8]) -> bool {
    let text = String::from_utf8_lossy(value).to_lowercase();
    let text = text.trim_matches(|c: char| !c.is_alphanumeric());
    TOTAL_WORDS.iter().any(|word| {
        text == *word
            || text
                .strip_prefix(word)
                .is_some_and(|rest| rest.starts_with([':', '=', ' ', '(']) && rest.len() < 40)
    })
}
