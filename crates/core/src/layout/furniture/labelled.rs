//! What stands around records whose values have labels: a line belongs to one if its label is known.

use super::super::{Footer, SetAside, lines::lines};
use super::Judged;
use super::rows::Place;
use crate::record::split_label;
use crate::rows::Aside;

fn is_known(line: &[u8], labels: &[Vec<u8>]) -> bool {
    let (label, _) = split_label(line);
    line.starts_with(b" ") || line.starts_with(b"\t") || labels.iter().any(|l| l.eq_ignore_ascii_case(label))
}

/// The first row whose lines all have known labels, where that is before `first`: a record that leaves most of its values blank is one
/// all the same.
pub(super) fn first_record(sample: &[u8], judged: &Judged<'_>, labels: &[Vec<u8>], first: usize) -> usize {
    let is_whole = |at: &usize| {
        let row = judged.row(*at);
        let text = sample.get(row.start..row.end).unwrap_or_default();
        let mut own = lines(text).filter(|line| !line.trim_ascii().is_empty()).peekable();
        !judged.is_apart(*at)
            && row.place == Place::Head
            && own.peek().is_some()
            && own.all(|line| is_known(line, labels))
    };
    (0..first).find(is_whole).unwrap_or(first)
}

/// Lines behind the last label of the last record that have none themselves are remarks.
pub(super) fn remarks(sample: &[u8], judged: &Judged<'_>, labels: &[Vec<u8>], footer: &mut Footer) {
    let last = if judged.rows.is_whole { Place::Head } else { Place::Tail };
    let Some(row) = judged.rows.rows.last().filter(|r| r.place == last && r.aside.is_none()) else { return };
    let lines: Vec<&[u8]> = lines(&sample[row.start..row.end]).collect();
    let remarks = lines.iter().rev().take_while(|line| !is_known(line, labels)).count() as u64;
    if remarks == 0 || remarks >= row.lines {
        return;
    }
    let line = row.line + row.lines - remarks;
    footer.lines_before = line - 1;
    footer.filled_lines = remarks;
    footer.set_aside.push(SetAside { line, lines: remarks, why: Aside::AfterLastRecord });
}
