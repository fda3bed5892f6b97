//! Fixed layouts: where columns start, found from the blanks that lines have in common.
//!
//! A position that is blank in all lines divides; so does a rule line (`-----  ----`), which states the columns outright, and a
//! place at which a number always meets a word. Whether a column starts where its values start, or right behind the column
//! before it, is told by how it is aligned. Lines that do not take part (titles, remarks) are left out first: they are
//! those with characters where nearly all others have blanks.

use super::lines::lines;
use super::{LayoutChoices, Samples};
use crate::record::{Dialect, Division, Fixed};

/// Lines that are looked at.
const LINES: usize = 1000;

/// Positions that are looked at.
const WIDEST: usize = 4000;

/// Fewest lines that show a common blank of one character by more than chance.
const FEW: usize = 8;

/// Dialects with fixed starts that are worth a trial.
pub(super) fn dialects(samples: Samples<'_>, choices: &LayoutChoices, base: &Dialect) -> Vec<Dialect> {
    let fixed = |starts: Vec<usize>| Dialect {
        division: Division::Fixed(Fixed { starts, unit: choices.unit }),
        delimiter: Vec::new(),
        quote: None,
        runs_as_one: false,
        ..base.clone()
    };
    if let Some(starts) = choices.starts.as_ref().and_then(|lines| lines.first()) {
        return vec![fixed(starts.clone())];
    }
    let mut all: Vec<Vec<char>> = Vec::new();
    for sample in [samples.head, samples.middle] {
        for line in lines(sample) {
            let comment = base.comment_prefix.as_ref().is_some_and(|p| line.starts_with(p));
            let text = String::from_utf8_lossy(line);
            let line: Vec<char> = text.trim_end().trim_start_matches('\u{c}').chars().take(WIDEST).collect();
            if !comment && !line.is_empty() && all.len() < LINES {
                all.push(line);
            }
        }
    }
    let tabs = all.iter().filter(|l| l.contains(&'\t')).count();
    if all.len() < 2 || tabs * 20 > all.len() {
        return Vec::new();
    }
    let ruled = ruled_starts(&all);
    let found = shared_starts(&all);
    ruled.or(found).into_iter().map(edit(choices)).map(fixed).collect()
}

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

/// Applies the single changes that the clerk stated.
fn edit(choices: &LayoutChoices) -> impl Fn(Vec<usize>) -> Vec<usize> + '_ {
    move |mut starts| {
        for edit in &choices.start_edits {
            edit.apply(&mut starts);
        }
        starts
    }
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
    let marks = |c: &char| matches!(c, '-' | '=' | '_' | '~' | '*' | '#' | '+' | '|' | '─' | '═' | '━');
    line.iter().all(|c| marks(c) || *c == ' ')
        && line.windows(3).any(|w| marks(&w[0]) && w[0] == w[1] && w[1] == w[2])
}

/// The starts that a rule line states, if the lines below it keep to them.
fn ruled_starts(all: &[Vec<char>]) -> Option<Vec<usize>> {
    let at = all.iter().take(80).position(|l| is_rule(l) && segments(l).len() > 1)?;
    let starts: Vec<usize> = segments(&all[at]).into_iter().map(|(from, _)| from).collect();
    let below: Vec<&Vec<char>> = all[at + 1..].iter().filter(|l| !is_rule(l)).collect();
    let kept = below.iter().filter(|l| cuts(l, &starts) == 0).count();
    (!below.is_empty() && kept * 10 >= below.len() * 8).then_some(starts)
}

/// Runs of characters that are not blank: where they begin, and the place behind them.
fn segments(line: &[char]) -> Vec<(usize, usize)> {
    let mut segments = Vec::new();
    let mut from = None;
    for (at, c) in line.iter().chain([&' ']).enumerate() {
        match (*c == ' ', from) {
            (false, None) => from = Some(at),
            (true, Some(start)) => {
                segments.push((start, at));
                from = None;
            }
            _ => {}
        }
    }
    segments
}

/// How many starts have a character on both sides: values that would be cut.
pub(super) fn cuts(line: &[char], starts: &[usize]) -> usize {
    let filled = |at: usize| line.get(at).is_some_and(|c| *c != ' ');
    starts.iter().filter(|s| **s > 0 && filled(**s) && filled(**s - 1)).count()
}

/// The starts that most lines share.
pub(super) fn shared_starts(all: &[Vec<char>]) -> Option<Vec<usize>> {
    let body: Vec<&Vec<char>> = all.iter().filter(|l| !is_rule(l)).collect();
    if body.len() < 3 {
        return None;
    }
    let rough = gaps(&body, 160);
    // Lines with characters in many of the rough gaps are titles or remarks.
    let conform = |line: &&&Vec<char>| {
        let crossed = rough.iter().filter(|(from, to)| {
            line.get(*from..(*to).min(line.len())).is_some_and(|part| part.iter().any(|c| *c != ' '))
        });
        crossed.count() * 4 <= rough.len().max(2)
    };
    // Most lines fill no gap from end to end; those that do, titles among them, are left out if they are few.
    let fills = |line: &&&Vec<char>| {
        rough.iter().any(|(from, to)| line.get(*from..*to).is_some_and(|part| part.iter().all(|c| *c != ' ')))
    };
    let mut core: Vec<&Vec<char>> = body.iter().filter(|l| !fills(l)).copied().collect();
    if core.len() * 10 < body.len() * 8 {
        core = body.iter().filter(conform).copied().collect();
    }
    if core.len() < 3 || core.len() * 10 < body.len() * 6 {
        return None;
    }
    let sure = gaps(&core, 10);
    let kept: Vec<(usize, usize)> = sure.iter().copied().filter(|gap| is_divider(&core, *gap)).collect();
    let mut columns = columns_between(&core, &kept);
    columns = split_touching(&core, columns);
    if columns.len() < 2 {
        return None;
    }
    // A title keeps to no gap; names leave a place in each that is wider than a blank inside a value.
    let names = names_line(all, &body, &core).filter(|names| {
        let mut gaps = columns.windows(2).map(|pair| pair[0].1..=pair[1].0);
        gaps.all(|mut gap| gap.end() - gap.start() < 2 || gap.any(|at| cuts(names, &[at]) == 0))
    });
    let mut starts: Vec<usize> = vec![0];
    for (n, &(from, to)) in columns.iter().enumerate().skip(1) {
        let before = columns[n - 1].1;
        let start = if starts_together(&core, from, to) { from } else { before };
        let Some(names) = names else {
            starts.push(start);
            continue;
        };
        // One blank before a column that shares its name with the one in front is a blank inside their values.
        let blank = |range: std::ops::Range<usize>| {
            names
                .get(range.start..range.end.min(names.len()))
                .is_none_or(|part| part.iter().all(|c| *c == ' '))
        };
        let start_before = *starts.last().unwrap_or(&0);
        if from - before == 1 && n > 1 && (blank(start_before..from) != blank(before..to)) {
            // The one without a name joins the other one, if its values always go on behind the blank.
            if goes_on(&core, before, from) {
                continue;
            }
        }
        // Nor does a blank divide that a name runs across.
        let runs_across = names.get(before - 1..=from).is_some_and(|part| part.iter().all(|c| *c != ' '));
        if from - before == 1 && runs_across {
            continue;
        }
        // No start cuts a name: one that sticks out in front of its values is aligned at the right, as they are.
        let mut uncut = (before..=from).filter(|at| cuts(names, &[*at]) == 0);
        starts.push(if cuts(names, &[start]) > 0 { uncut.next().unwrap_or(start) } else { start });
    }
    Some(starts)
}

/// The line of the names: one without digits right above lines that keep to the columns, most of which have digits.
fn names_line<'l>(all: &'l [Vec<char>], body: &[&Vec<char>], core: &[&Vec<char>]) -> Option<&'l [char]> {
    let digits = |line: &[char]| line.iter().any(char::is_ascii_digit);
    let with_digits = core.iter().filter(|l| digits(l)).count();
    if with_digits * 10 < core.len() * 9 {
        return None;
    }
    let first = *core.iter().find(|l| digits(l))?;
    let at = body.iter().position(|l| std::ptr::eq(*l, first))?;
    // Units may stand between the names and the records.
    let above = body[..at].iter().rev().take_while(|l| !digits(l)).take(3);
    let names = *above.max_by_key(|l| segments(l).len())?;
    let names = all.iter().find(|l| std::ptr::eq(*l, names))?;
    (segments(names).len() > 1).then_some(names)
}

/// Whether nearly all lines have a character on both sides of a gap.
fn goes_on(lines: &[&Vec<char>], from: usize, to: usize) -> bool {
    let filled = |line: &[char], at: usize| line.get(at).is_some_and(|c| *c != ' ');
    let both = lines.iter().filter(|l| from > 0 && filled(l, from - 1) && filled(l, to)).count();
    both * 10 >= lines.len() * 9
}

/// Runs of positions at which at most `per_mille` of the lines that reach so far have a character, between positions at which
/// more do. Behind each of them stands something in three lines or more, and in one of ten: what only the longest lines hold
/// is no column.
fn gaps(lines: &[&Vec<char>], per_mille: usize) -> Vec<(usize, usize)> {
    let widest = lines.iter().map(|l| l.len()).max().unwrap_or(0);
    let mut filled = vec![0_usize; widest];
    let mut reaching = vec![0_usize; widest];
    for line in lines {
        for (at, c) in line.iter().enumerate() {
            filled[at] += usize::from(*c != ' ');
            reaching[at] += 1;
        }
    }
    let reach = {
        let mut lengths: Vec<usize> = lines.iter().map(|l| l.len()).collect();
        lengths.sort_unstable();
        lengths[lengths.len() - (lengths.len() / 10).max(3).min(lengths.len())]
    };
    let mut gaps = Vec::new();
    let mut from = None;
    let mut seen = false;
    for (at, (count, reaching)) in filled.iter().zip(&reaching).enumerate() {
        let is_filled = count * 1000 > per_mille * reaching;
        match (is_filled, from) {
            (false, None) if seen => from = Some(at),
            (true, Some(start)) if at < reach => {
                gaps.push((start, at));
                from = None;
            }
            (true, Some(_)) => from = None,
            _ => {}
        }
        seen |= is_filled;
    }
    gaps
}

/// What stands on one side of a gap, in one line.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Side {
    Blank,
    Number,
    Word,
}

fn side(word: &[char]) -> Side {
    if word.iter().all(|c| *c == ' ') {
        Side::Blank
    } else if word.iter().all(|c| c.is_ascii_digit() || " .,:-+/%".contains(*c)) {
        Side::Number
    } else {
        Side::Word
    }
}

/// Whether a gap divides columns, and is no accident of words: a wide one does, or one between unlike neighbours; a
/// single blank between words needs enough lines to be no chance.
fn is_divider(lines: &[&Vec<char>], (from, to): (usize, usize)) -> bool {
    if to - from >= 2 && lines.len() >= 3 {
        return true;
    }
    // The words that touch the gap on both sides.
    let mut unlike = 0;
    let mut both = 0;
    for line in lines {
        let left_from = line[..from.min(line.len())].iter().rposition(|c| *c == ' ').map_or(0, |p| p + 1);
        let left = side(&line[left_from.min(from.min(line.len()))..from.min(line.len())]);
        let right = line.get(to..).map_or(Side::Blank, |rest| {
            let end = rest.iter().position(|c| *c == ' ').unwrap_or(rest.len());
            side(&rest[..end])
        });
        if left != Side::Blank && right != Side::Blank {
            both += 1;
            unlike += usize::from(left != right);
        }
    }
    lines.len() >= FEW || (both > 0 && unlike * 10 >= both * 9 && lines.len() >= 3)
}

/// The columns between gaps: first position with a character, and the place behind the last one.
fn columns_between(lines: &[&Vec<char>], gaps: &[(usize, usize)]) -> Vec<(usize, usize)> {
    let widest = lines.iter().map(|l| l.len()).max().unwrap_or(0);
    let first = lines.iter().filter_map(|l| l.iter().position(|c| *c != ' ')).min().unwrap_or(0);
    let mut columns = Vec::new();
    let mut from = first;
    for &(gap_from, gap_to) in gaps {
        columns.push((from, gap_from));
        from = gap_to;
    }
    columns.push((from, widest));
    columns
}

/// Divides a column in which digits always end, and a word begins, at one place, although no blank stands there.
fn split_touching(lines: &[&Vec<char>], columns: Vec<(usize, usize)>) -> Vec<(usize, usize)> {
    let mut divided = Vec::new();
    for (mut from, to) in columns {
        for at in from + 3..to.saturating_sub(2) {
            let (mut both, mut meets, mut ends) = (0, 0, std::collections::BTreeSet::new());
            for line in lines.iter().filter(|l| l.len() > at + 1) {
                let (left, right) = (line[at - 1], line[at]);
                if left == ' ' || right == ' ' {
                    continue;
                }
                both += 1;
                let digits = line[at.saturating_sub(3)..at].iter().all(char::is_ascii_digit);
                meets += usize::from(digits && right.is_alphabetic() && line[at + 1].is_alphabetic());
                let word = &line[at..to.min(line.len())];
                ends.insert(word.iter().position(|c| *c == ' ').unwrap_or(word.len()));
            }
            // Codes are of equal length; names are not.
            if both >= FEW && both * 10 >= lines.len() * 9 && meets * 100 >= both * 97 && ends.len() > 3 {
                divided.push((from, at));
                from = at;
            }
        }
        divided.push((from, to));
    }
    divided
}

/// Whether most values of a column begin at its first position: it is aligned at the left. Where all numbers are equally
/// long, a longer one would grow to the left.
fn starts_together(lines: &[&Vec<char>], from: usize, to: usize) -> bool {
    let (mut at_start, mut at_end, mut filled, mut numbers) = (0, 0, 0, 0);
    for line in lines {
        let part = line.get(from.min(line.len())..to.min(line.len())).unwrap_or(&[]);
        let Some(first) = part.iter().position(|c| *c != ' ') else { continue };
        filled += 1;
        numbers += usize::from(part.iter().all(|c| c.is_ascii_digit() || *c == ' '));
        at_start += usize::from(first == 0);
        at_end += usize::from(part.len() == to - from && part.last().is_some_and(|c| *c != ' '));
    }
    let equally_long = numbers == filled && at_start == filled && at_end == filled;
    !equally_long && (at_start * 10 >= filled * 9 || at_start > at_end)
}

/// Fixed starts as a person reads them: from 1.
pub fn from_one(starts: &[usize]) -> Vec<usize> {
    starts.iter().map(|s| s + 1).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Vec<usize> {
        let base = Dialect::new("");
        let samples = Samples { head: text.as_bytes(), ..Samples::default() };
        let dialects = dialects(samples, &LayoutChoices::default(), &base);
        dialects.first().and_then(|d| d.division.fixed().map(|f| from_one(&f.starts))).unwrap_or_default()
    }

    #[test]
    fn starts_are_found_from_common_blanks_rules_and_alignment() {
        for (text, starts) in [
            // Left-aligned columns start where their values do.
            ("007  Saltwind     NL\n012  Grey Heron   DK\n031  Ada Quill    NO\n", vec![1, 6, 19]),
            // Right-aligned ones start right behind the column before them.
            ("007     12.50\n012  1234.00\n031      3.25\n009    120.00\n", vec![1, 4]),
            // A rule line states them.
            ("Berth Vessel\n----- ----------\n007   Saltwind\n012   Grey Heron\n", vec![1, 7]),
            // Words that happen to have blanks in common do not divide.
            ("the tide is high\nthe wind is west\nthe mate is here\n", vec![]),
            // A number that always meets a word.
            (
                "10591Berlin\n10559Tolgarth Quay\n60311Frankfurt am Main\n12059Ulm\n10179Rye\n10666Hull\n10117Amble\n99999Looe\n",
                vec![1, 6],
            ),
        ] {
            assert_eq!(found(text), starts, "{text}");
        }
    }

    #[test]
    fn titles_and_remarks_do_not_hide_the_columns() {
        let mut text = String::from("Tide gauge of Tolgarth Quay, north pier, readings in metres\n\n");
        for i in 0..30 {
            text += &format!("2031-03-{:02}  {:02}:10  {:6.2}\n", 1 + i % 28, i % 24, f64::from(i) / 1.7);
        }
        assert_eq!(found(&text), [1, 13, 18]);
    }

    #[test]
    fn single_starts_can_be_changed() {
        let mut starts = vec![0, 4, 9];
        for edit in [StartEdit::Add(6), StartEdit::Drop(4), StartEdit::Move(9, 10)] {
            edit.apply(&mut starts);
        }
        assert_eq!(starts, [0, 6, 10]);
    }
}
