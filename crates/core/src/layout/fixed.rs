//! Fixed layouts: single changes to starts, and what is asked of lines that keep to them.

use super::lines::lines;
use super::{LayoutChoices, Samples};

/// Lines that are looked at.
const LINES: usize = 1000;

/// Positions that are looked at.
const WIDEST: usize = 4000;

/// A start that is to be dropped or moved, but is none of those found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NoSuchStart {
    /// The start, from 0.
    pub start: usize,
    /// Those there are, from 0.
    pub starts: Vec<usize>,
}

/// Whether the changes that the choices state fit the starts that are found without them.
///
/// # Errors
/// [`NoSuchStart`] for the first change that does not.
pub fn check_edits(samples: Samples<'_>, choices: &LayoutChoices) -> Result<(), NoSuchStart> {
    if choices.start_edits.is_empty() {
        return Ok(());
    }
    let kind = Some(super::LayoutKind::Fixed);
    let unchanged = LayoutChoices { start_edits: Vec::new(), kind, ..choices.clone() };
    let layout = super::detect(samples, &unchanged);
    let found = layout.dialect.value.division.fixed();
    let mut starts = found.map_or_else(|| vec![0], |fixed| fixed.starts.clone());
    for edit in &choices.start_edits {
        if let Some(start) = edit.needs().filter(|needed| !starts.contains(needed)) {
            return Err(NoSuchStart { start, starts });
        }
        edit.apply(&mut starts);
    }
    Ok(())
}

/// The characters of nearly every line between the header and the footer of a fixed layout that fills its lines up; `None`:
/// they end where their values do.
pub fn line_length(samples: Samples<'_>, layout: &super::Layout) -> Option<usize> {
    layout.dialect.value.division.fixed()?;
    let data = lines(samples.head).skip(layout.lines_before_data as usize).chain(lines(samples.middle));
    let mut lengths: Vec<usize> = data
        .take(LINES)
        .map(|line| String::from_utf8_lossy(line).chars().count())
        .filter(|length| *length > 0)
        .collect();
    lengths.sort_unstable();
    let usual = *lengths.get(lengths.len() / 2)?;
    let same = lengths.iter().filter(|l| **l == usual).count();
    (lengths.len() >= 5 && same * 10 >= lengths.len() * 9).then_some(usual)
}

/// Where else the column at `place` (from 0) could start, so that fewer lines looked at have a character on both sides: the
/// nearest such position (from 0), and how many would have one there. `None`: no place between its neighbours is better.
pub fn better_start(
    head: &[u8],
    lines_before_data: u64,
    starts: &[usize],
    place: usize,
) -> Option<(usize, usize)> {
    let own = *starts.get(place)?;
    let from = starts.get(place.checked_sub(1)?)? + 1;
    let to = starts.get(place + 1).map_or(own + 40, |next| next - 1);
    let text: Vec<Vec<char>> = lines(head)
        .skip(lines_before_data as usize)
        .take(LINES)
        .map(|line| String::from_utf8_lossy(line).chars().take(WIDEST).collect())
        .collect();
    let cut = |at: usize| text.iter().filter(|line| cuts(line, &[at]) > 0).count();
    let now = cut(own);
    let best = (from.max(own.saturating_sub(40))..=to.min(own + 40))
        .filter(|at| *at != own && text.iter().filter(|line| line.len() > *at).count() * 2 >= text.len())
        .map(|at| (cut(at), at.abs_diff(own), at))
        .min()?;
    (best.0 < now).then_some((best.2, best.0))
}

/// A change of one start; positions from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StartEdit {
    /// A column starts here too.
    Add(usize),
    /// No column starts here.
    Drop(usize),
    /// The column that starts at the first place starts at the second one.
    Move(usize, usize),
}

impl StartEdit {
    /// Changes `starts`, which stay in order.
    pub fn apply(self, starts: &mut Vec<usize>) {
        match self {
            Self::Add(at) => starts.push(at),
            Self::Drop(at) => starts.retain(|s| *s != at),
            Self::Move(from, to) => {
                for start in starts.iter_mut().filter(|s| **s == from) {
                    *start = to;
                }
            }
        }
        starts.sort_unstable();
        starts.dedup();
    }

    /// The start that must be there for the change to make sense.
    pub fn needs(self) -> Option<usize> {
        match self {
            Self::Add(_) => None,
            Self::Drop(at) | Self::Move(at, _) => Some(at),
        }
    }
}

/// Whether a line is a rule: marks that underline, and blanks.
pub(crate) fn is_rule(line: &[char]) -> bool {
    let marks =
        |c: &char| matches!(c, '-' | '=' | '_' | '~' | '*' | '#' | '+' | '|' | '\u{2500}'..='\u{257f}');
    line.iter().all(|c| marks(c) || *c == ' ')
        && line.windows(3).any(|w| marks(&w[0]) && w[0] == w[1] && w[1] == w[2])
}

/// How many starts have a character on both sides: values that would be cut.
pub(super) fn cuts(line: &[char], starts: &[usize]) -> usize {
    let filled = |at: usize| line.get(at).is_some_and(|c| *c != ' ');
    starts.iter().filter(|s| **s > 0 && filled(**s) && filled(**s - 1)).count()
}

/// Fixed starts as a person reads them: from 1.
pub fn from_one(starts: &[usize]) -> Vec<usize> {
    starts.iter().map(|s| s + 1).collect()
}

/// Lines of the records in which something is before the first start: how many, the first one (from 1), and what is there.
pub(crate) fn before_first_start(
    head: &[u8],
    lines_before: u64,
    starts: &[usize],
) -> Option<(u64, u64, String)> {
    let first = starts.first().filter(|first| **first > 0)?;
    let skipped = usize::try_from(lines_before).unwrap_or(usize::MAX);
    let before = |line: &[u8]| -> String { String::from_utf8_lossy(line).chars().take(*first).collect() };
    let mut found = None;
    for (line, text) in (1_u64..).zip(lines(head)).skip(skipped) {
        let text = before(text);
        if !text.trim().is_empty() {
            let (count, ..) = found.get_or_insert((0, line, text));
            *count += 1;
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn single_starts_can_be_changed() {
        let mut starts = vec![0, 4, 9];
        for edit in [StartEdit::Add(6), StartEdit::Drop(4), StartEdit::Move(9, 10)] {
            edit.apply(&mut starts);
        }
        assert_eq!(starts, [0, 6, 10]);
    }
}
