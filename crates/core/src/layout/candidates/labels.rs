//! Records whose values have labels: `Name: value`, one a line.

use super::super::tally::Tally;
use super::super::{LayoutChoices, LayoutKind};
use crate::record::{Multiline, split_label};

/// Longest label, in bytes, and most blanks in one.
const LABEL_BYTES: usize = 40;
const LABEL_BLANKS: usize = 4;

/// Most columns that labels make.
const MOST: usize = 500;

/// The label of a line; `None`: it has none.
fn label(line: &[u8]) -> Option<&[u8]> {
    if matches!(line.first(), Some(b' ' | b'\t')) {
        return None;
    }
    let (label, _) = split_label(line);
    let worded = label.first().is_some_and(|b| b.is_ascii_alphabetic() || *b >= 0x80);
    let short = label.len() <= LABEL_BYTES && memchr::memchr_iter(b' ', label).count() <= LABEL_BLANKS;
    let plain = !label.iter().any(|b| matches!(b, b';' | b'|' | b'\t' | b',' | b'"'));
    (label.len() < line.len() && worded && short && plain).then_some(label)
}

fn same(a: &[u8], b: &[u8]) -> bool {
    a.eq_ignore_ascii_case(b)
}

/// Labels in the order in which they come first, small letters and capitals alike.
fn count<'t>(lines: &[&'t [u8]]) -> Vec<(&'t [u8], usize)> {
    let mut firsts: Vec<&[u8]> = Vec::new();
    let mut tally: Tally<Vec<u8>> = Tally::default();
    for label in lines.iter().filter_map(|l| label(l)) {
        let plain = label.to_ascii_lowercase();
        if tally.count(&plain) == 0 {
            if tally.different() >= MOST {
                continue;
            }
            firsts.push(label);
        }
        tally.add(plain);
    }
    firsts.into_iter().zip(tally.iter().map(|t| t.1)).collect()
}

/// Labelled records in `text` (lines, blank ones included; `divides` says which stand between records): most lines have labels,
/// which come again.
pub(super) fn find(
    text: &[&[u8]],
    divides: &dyn Fn(&[u8]) -> bool,
    choices: &LayoutChoices,
) -> Option<Multiline> {
    let blocks: Vec<&[&[u8]]> = text.split(|l| divides(l)).filter(|b| !b.is_empty()).collect();
    let filled: Vec<&[u8]> = blocks.iter().flat_map(|b| b.iter().copied()).collect();
    let counts = count(&filled);
    let with: usize = counts.iter().map(|c| c.1).sum();
    let indented = filled.iter().filter(|l| matches!(l.first(), Some(b' ' | b'\t'))).count();
    let again: usize = counts.iter().filter(|c| c.1 > 1).map(|c| c.1).sum();
    if choices.delimiter.is_some() || with * 10 < (filled.len() - indented) * 7 {
        return None;
    }
    if again * 10 < with * 6 {
        // Where records of several lines are stated, one of them may be all there is.
        let is_one = choices.kind == Some(LayoutKind::Multiline) && blocks.len() == 1 && again == 0;
        let labels: Vec<Vec<u8>> = counts.iter().map(|(label, _)| label.to_vec()).collect();
        let is_all = is_one && labels.len() > 1 && with == filled.len() - indented;
        return is_all.then_some(Multiline::Labelled { labels, begins: true });
    }
    // The label that begins most blocks; without blocks the first one that comes again as often as most.
    let most = counts.iter().map(|c| c.1).max()?;
    let beginning =
        |wanted: &[u8]| blocks.iter().filter(|b| label(b[0]).is_some_and(|l| same(l, wanted))).count();
    let by_block = counts.iter().map(|c| (beginning(c.0), c)).max_by_key(|(n, _)| *n)?;
    let in_blocks = by_block.0 >= 2 && by_block.0 * 10 >= blocks.len() * 7;
    let first =
        if in_blocks { by_block.1 } else { counts.iter().find(|c| c.1 >= 2 && c.1 * 10 >= most * 8)? };
    // Where it stands once in each block or more often than there are blocks, it begins a record by itself.
    let begins = !in_blocks || first.1 >= blocks.len().max(2) || by_block.0 * 100 >= first.1 * 95;
    let from = filled.iter().position(|l| label(l).is_some_and(|l| same(l, first.0)))?;
    let mut labels: Vec<Vec<u8>> = vec![first.0.to_vec()];
    for (label, _) in count(&filled[from..]) {
        if !same(label, first.0) {
            labels.push(label.to_vec());
        }
    }
    (labels.len() > 1).then_some(Multiline::Labelled { labels, begins })
}
