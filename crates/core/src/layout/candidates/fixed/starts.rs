//! Starts worth a price: from blanks that lines have in common, rule lines, changes from digits to letters, dates.

use super::naming::stands_apart;
use super::placed::{Class, Placed};
use rustc_hash::FxHashMap;

/// Places that are looked at.
const WIDEST: usize = 1000;

/// The left edges of the gaps that at most `tolerance` of the lines fill, and 0.
pub(super) fn gaps(lines: &[&Placed], tolerance: f64) -> Vec<usize> {
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    let mut filled = vec![0_usize; width + 1];
    for line in lines {
        for (place, filled) in filled.iter_mut().enumerate().take(width) {
            *filled += usize::from(line.is_filled(place));
        }
    }
    let limit = tolerance * lines.len() as f64;
    let mut starts = vec![0];
    let mut place = 0;
    while place < width {
        if filled[place] as f64 > limit {
            place += 1;
            continue;
        }
        let from = place;
        while place < width && filled[place] as f64 <= limit {
            place += 1;
        }
        // What only a few lines hold is no column.
        let end = (place..width).find(|p| filled[*p] as f64 <= limit).unwrap_or(width);
        let behind = lines.iter().filter(|l| (place..end).any(|p| l.is_filled(p))).count();
        if place < width && from > 0 && behind >= 3.min(lines.len() / 8).max(1) {
            // Where a few lines fill the gap, between their values rather than inside one.
            let is_empty = filled[from..place].iter().all(|f| *f == 0);
            let best = (from..=place).min_by_key(|p| cuts(lines, *p));
            starts.push(if is_empty { from } else { best.unwrap_or(from) });
        }
    }
    starts
}

/// How badly a start cuts the lines: most inside words and numbers, least between a word and a number that touch.
pub(super) fn cuts(lines: &[&Placed], start: usize) -> usize {
    lines
        .iter()
        .filter(|l| l.is_crossed(start))
        .map(|l| match (l.class(start - 1), l.class(start)) {
            _ if l.begins_word(start) => 1,
            (left, right) if left == right => 3,
            (Class::Mark, _) | (_, Class::Mark) => 2,
            _ => 1,
        })
        .sum()
}

/// Lines that share edges with many others. Reports have other lines as well.
pub(super) fn core<'l>(lines: &[&'l Placed]) -> Vec<&'l Placed> {
    let (mut begins, mut ends) = (FxHashMap::<usize, usize>::default(), FxHashMap::<usize, usize>::default());
    let runs: Vec<Vec<(usize, usize)>> = lines.iter().map(|l| l.runs(true)).collect();
    for (begin, end) in runs.iter().flatten() {
        *begins.entry(*begin).or_default() += 1;
        *ends.entry(*end).or_default() += 1;
    }
    let scores: Vec<usize> =
        runs.iter().map(|runs| runs.iter().map(|(b, e)| begins[b].max(ends[e])).sum()).collect();
    let mut sorted = scores.clone();
    sorted.sort_unstable();
    let high = sorted.get(sorted.len() * 3 / 4).copied().unwrap_or(0);
    let core: Vec<&Placed> = lines
        .iter()
        .zip(&scores)
        .filter(|(line, score)| **score * 100 >= high * 55 && !line.is_rule())
        .map(|(line, _)| *line)
        .collect();
    let core = without_sums(core);
    if core.len() >= 3 { core } else { lines.to_vec() }
}

/// Lines without those that have half as many values as usual, or fewer, if they are the smaller part: sums of groups share their edges
/// with the records, and run across the others.
fn without_sums(lines: Vec<&Placed>) -> Vec<&Placed> {
    let mut phrases: Vec<usize> = lines.iter().map(|l| l.phrases()).collect();
    phrases.sort_unstable();
    let usual = phrases.get(phrases.len() / 2).copied().unwrap_or(0);
    let full = |l: &&Placed| l.phrases() * 2 > usual;
    if lines.iter().filter(|l| full(l)).count() * 5 >= lines.len() * 3 {
        lines.into_iter().filter(full).collect()
    } else {
        lines
    }
}

/// The first rule line with several parts, if nearly all core lines below it keep to them.
pub(super) fn rule<'l>(lines: &[&'l Placed], core: &[&Placed]) -> Option<&'l Placed> {
    let at = lines.iter().position(|l| l.is_rule() && l.runs(false).len() > 1)?;
    if adds_up(lines, core, at) {
        return None;
    }
    let starts: Vec<usize> = lines[at].runs(false).iter().map(|r| r.0).collect();
    let above = |l: &&&Placed| lines[..at].iter().any(|a| std::ptr::eq(*a, **l));
    let below: Vec<&&Placed> = core.iter().filter(|l| !l.is_rule() && !above(l)).collect();
    let kept = below.iter().filter(|l| starts.iter().all(|s| !l.is_crossed(*s))).count();
    // The more parts, the less are they there by chance; lines between the details may run across.
    let enough = if starts.len() > 2 { 6 } else { 8 };
    (!below.is_empty() && kept * 10 >= below.len() * enough).then_some(lines[at])
}

/// Names above a rule, at most.
const NAMES_ABOVE: usize = 3;

/// Whether a rule stands below records, and only below their amounts, as above a sum: it leaves out what the records begin with.
fn adds_up(lines: &[&Placed], core: &[&Placed], at: usize) -> bool {
    let above = lines[..at].iter().filter(|line| core.iter().any(|own| std::ptr::eq(**line, *own)));
    let firsts: Vec<usize> = above.filter_map(|line| Some(line.extent(0, line.len())?.0)).collect();
    let Some((begin, _)) = lines[at].extent(0, lines[at].len()) else { return false };
    firsts.len() > NAMES_ABOVE && firsts.iter().filter(|first| **first < begin).count() * 2 > firsts.len()
}

/// The starts that a rule of three parts or more states for the names right above it, of which each part has some; and the names.
pub(super) fn stated_by_rule<'l>(all: &[&'l Placed], rule: &Placed) -> Option<(Vec<usize>, &'l Placed)> {
    let at = all.iter().position(|line| std::ptr::eq(*line, rule))?;
    let names = *all[..at].last().filter(|line| !line.is_rule())?;
    let parts = rule.runs(false);
    let words = names.runs(false);
    let over = |part: &(usize, usize)| words.iter().any(|word| word.0 < part.1 && part.0 < word.1);
    let in_one = |word: &(usize, usize)| parts.iter().filter(|p| word.0 < p.1 && p.0 < word.1).count() == 1;
    let starts = parts.iter().enumerate().map(|(at, part)| if at == 0 { 0 } else { part.0 }).collect();
    (parts.len() > 2 && parts.iter().all(over) && words.iter().all(in_one)).then_some((starts, names))
}

/// `starts` and those of names that stand, two blanks or more behind the name before, where no start divides the two: over places that
/// no line fills, or only a few, where hardly a line runs across. `None`: there are no such names.
pub(super) fn with_named_columns(starts: &[usize], lines: &[&Placed], names: &Placed) -> Option<Vec<usize>> {
    let body: Vec<&Placed> = lines.iter().copied().filter(|l| !std::ptr::eq(*l, names)).collect();
    let longest = body.iter().map(|l| l.len()).max().unwrap_or(0);
    if body.len() < 2 || names.len() > longest + 60 || names.phrases() > starts.len() + 3 {
        return None;
    }
    let words = names.runs(false);
    let few = body.len() / 30;
    let mut more = starts.to_vec();
    for at in 1..words.len() {
        let ((_, end), (begin, _)) = (words[at - 1], words[at]);
        if starts.iter().any(|s| (end..=begin).contains(s))
            || (begin - end < 2 && !stands_apart(names, &words, at, &body))
        {
            continue;
        }
        let crossed = |place: usize| body.iter().filter(|l| l.is_crossed(place)).count();
        let best = (end + 1..=begin).rev().min_by_key(|place| crossed(*place));
        more.extend(best.filter(|place| crossed(*place) <= few));
    }
    more.sort_unstable();
    more.dedup();
    (more.len() > starts.len()).then_some(more)
}

/// Whether a start stands inside words or numbers of more than a few lines.
pub(super) fn cuts_values(lines: &[&Placed], start: usize) -> bool {
    let cut = |l: &&&Placed| {
        l.is_crossed(start) && l.class(start) == l.class(start - 1) && l.class(start) != Class::Mark
    };
    lines.iter().filter(cut).count() * 100 > lines.len() * 15
}

/// Starts where what stands at one place changes its class from the place before, in most lines. No blanks are needed.
pub(super) fn class_changes(lines: &[&Placed]) -> Option<Vec<usize>> {
    let count = lines.len();
    if count < 6 {
        return None;
    }
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(400);
    let shares: Vec<[usize; 4]> = (0..width)
        .map(|place| {
            let mut share = [0; 4];
            for line in lines {
                share[line.class(place) as usize] += 1;
            }
            share
        })
        .collect();
    let mut starts = vec![0];
    for place in 1..width {
        let changes = lines
            .iter()
            .filter(|l| {
                place < l.len() && l.class(place) != l.class(place - 1) && l.class(place) != Class::Blank
            })
            .count();
        let moved: usize = shares[place].iter().zip(&shares[place - 1]).map(|(a, b)| a.abs_diff(*b)).sum();
        if changes * 10 > count * 6 && moved * 10 > count * 12 {
            starts.push(place);
        }
    }
    Some(starts)
}

/// Edges of eight-digit dates that stand at the same place in all lines, run together with other digits; with `any`, also those
/// that touch letters.
pub(super) fn date_edges(lines: &[&Placed], any: bool) -> Vec<usize> {
    let count = lines.len();
    let digits = |p: usize| {
        let touches = |l: &&&Placed| l.class(p) == Class::Digit || (any && l.class(p) == Class::Letter);
        lines.iter().filter(touches).count() * 10 > count * 9
    };
    // A sign in front of a date ends the number before it.
    let signs = |p: usize| {
        let sign = |l: &&&Placed, of: &[&str]| of.contains(&l.slice(p, p + 1));
        any && lines.iter().any(|l| sign(&l, &["+"]))
            && lines.iter().filter(|l| sign(l, &["+", "-"])).count() * 10 > count * 9
    };
    let mut edges = Vec::new();
    for place in dates(lines, |p| (p > 0 && (digits(p - 1) || signs(p - 1))) || digits(p + COMPACT)) {
        if place > 0 && (digits(place - 1) || signs(place - 1)) {
            edges.push(place);
        }
        if digits(place + COMPACT) {
            edges.push(place + COMPACT);
        }
    }
    edges
}

/// Digits of a date without marks.
pub(super) const COMPACT: usize = 8;

/// Where eight-digit dates begin in nearly all lines; those that overlap with one before are left out, unless `counts` says that it
/// does not count.
pub(super) fn dates(lines: &[&Placed], counts: impl Fn(usize) -> bool) -> Vec<usize> {
    let count = lines.len();
    // A line in front and one behind may be shorter.
    let mut lengths: Vec<usize> = lines.iter().map(|l| l.len()).collect();
    lengths.sort_unstable();
    let width = lengths.get(count / 16).copied().unwrap_or(0);
    let mut begins = Vec::new();
    if count < 8 {
        return begins;
    }
    let mut place = 0;
    while place + COMPACT <= width {
        let texts: Vec<&str> = lines.iter().map(|l| l.slice(place, place + COMPACT)).collect();
        let are_dates = |order: fn(&str) -> bool| {
            texts.iter().take(count / 16 + 3).any(|t| order(t))
                && texts.iter().filter(|t| order(t)).count() * 16 >= count * 15
                && texts.iter().any(|t| *t != texts[0])
        };
        if (are_dates(is_year_first) || are_dates(is_year_last)) && counts(place) {
            begins.push(place);
            place += COMPACT - 1;
        }
        place += 1;
    }
    begins
}

/// Whether eight digits are a date, in either order.
pub(super) fn is_compact_date(text: &str) -> bool {
    is_year_first(text) || is_year_last(text)
}

fn parts(text: &str, at: [usize; 3]) -> Option<[u32; 3]> {
    if text.len() != 8 || !text.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    let part = |from: usize, digits: usize| text.get(from..from + digits).and_then(|p| p.parse().ok());
    let digits = |from: usize| if from == at[0] { 4 } else { 2 };
    Some([part(at[0], 4)?, part(at[1], digits(at[1]))?, part(at[2], digits(at[2]))?])
}

fn is_day([year, month, day]: [u32; 3]) -> bool {
    (1900..2100).contains(&year) && (1..=12).contains(&month) && (1..=31).contains(&day)
}

fn is_year_first(text: &str) -> bool {
    parts(text, [0, 4, 6]).is_some_and(is_day)
}

fn is_year_last(text: &str) -> bool {
    parts(text, [4, 2, 0]).is_some_and(is_day)
}
