//! Where a start goes, once it is known between which values it stands: where left-aligned values begin, or right behind the
//! column before right-aligned ones.

use super::naming::phrases;
use super::placed::{Class, Placed};
use super::starts::{cuts, is_compact_date};

/// The final places of `starts`, by all lines that are records, and the line of names.
pub(super) fn settle(starts: &[usize], lines: &[&Placed], names: Option<&Placed>) -> Vec<usize> {
    let count = lines.len() as f64;
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0);
    let mut filled = vec![0_usize; width + 2];
    for line in lines {
        for (place, filled) in filled.iter_mut().enumerate().take(line.len()) {
            *filled += usize::from(line.is_filled(place));
        }
    }
    let filled_at = |place: usize| filled.get(place).copied().unwrap_or(0) as f64;
    let phrases = names.map(|names| phrases(names, lines)).unwrap_or_default();
    let mut settled = vec![starts[0]];
    for (at, &start) in starts.iter().enumerate().skip(1) {
        let high = starts.get(at + 1).copied().unwrap_or(width);
        let words = names.map(|n| n.runs(false)).unwrap_or_default();
        // A column without a value keeps its name.
        let before = settled[at - 1];
        let is_empty = at > 1 && (before..start).all(|p| filled_at(p) == 0.0);
        let named = words.iter().rfind(|w| is_empty && (before..start).contains(&w.0));
        let low = named.map_or(before, |w| w.1.min(start.saturating_sub(1))) + 1;
        // A column without a value begins where its name does.
        if (start..high).all(|p| filled_at(p) == 0.0) {
            settled.push(words.iter().map(|w| w.0).find(|w| (start..high).contains(w)).unwrap_or(start));
            continue;
        }
        // The zone around the start that few lines fill; in it the emptiest run.
        let near = (low.max(start.saturating_sub(1))..=(start + 1).min(width))
            .map(filled_at)
            .fold(f64::INFINITY, f64::min);
        let limit = (0.05 * count).max(near);
        if limit > 0.3 * count || start >= width {
            settled.push(start);
            continue;
        }
        // The zone must leave something to the column behind it.
        let behind = |limit: f64| (start..high).any(|p| filled_at(p) > limit);
        let limit = if behind(limit) { limit } else { near };
        let zone = [start, start.saturating_sub(1), start + 1]
            .into_iter()
            .find(|p| filled_at(*p) <= limit)
            .unwrap_or(start);
        let (mut from, mut to) = (zone, zone);
        while from > low && filled_at(from - 1) <= limit {
            from -= 1;
        }
        while to < high && filled_at(to) <= limit {
            to += 1;
        }
        let left_edge = from;
        let least = (from..to).map(filled_at).fold(f64::INFINITY, f64::min);
        let mut longest: Option<(usize, usize)> = None;
        let mut place = from;
        while place < to {
            if filled_at(place) > least {
                place += 1;
                continue;
            }
            let begin = place;
            while place < to && filled_at(place) <= least {
                place += 1;
            }
            if longest.is_none_or(|(a, b)| place - begin >= b - a) {
                longest = Some((begin, place));
            }
        }
        let Some((from, to)) = longest else {
            settled.push(start);
            continue;
        };
        if least > 0.0
            && let Some(better) = fewest_cuts(lines, (left_edge.max(low), high.min(to + 1)), (from, to))
        {
            settled.push(better);
            continue;
        }
        settled.push(align(lines, (from, to), high, &phrases));
    }
    // No two columns start at one place.
    for at in 1..settled.len() {
        settled[at] = settled[at].max(settled[at - 1] + 1);
    }
    settled
}

/// Where lines that fill the gap change from one value to the next: the place with the fewest cuts, if it has fewer than the
/// gap's left edge.
fn fewest_cuts(lines: &[&Placed], (low, high): (usize, usize), gap: (usize, usize)) -> Option<usize> {
    let crossing: Vec<&Placed> = lines
        .iter()
        .copied()
        .filter(|l| (gap.0..gap.1).any(|p| l.is_filled(p)) || l.is_crossed(gap.0))
        .collect();
    let cuts = |place: usize| cuts(&crossing, place);
    let best = (low..high).min_by_key(|p| (cuts(*p), p.abs_diff(gap.0)))?;
    (cuts(best) < cuts(gap.0)).then_some(best)
}

/// The start of a column behind a gap that is blank from `from` to `to`, and whose values end before `high`. `names`: where each name
/// begins and ends.
fn align(lines: &[&Placed], (from, to): (usize, usize), high: usize, names: &[(usize, usize)]) -> usize {
    let (mut firsts, mut lasts, mut all, mut digits) = (Vec::new(), Vec::new(), 0_usize, 0_usize);
    let mut dates = 0_usize;
    let count =
        |counts: &mut Vec<(usize, usize)>, place: usize| match counts.iter_mut().find(|c| c.0 == place) {
            Some(known) => known.1 += 1,
            None => counts.push((place, 1)),
        };
    for line in lines {
        let Some((first, last)) = line.extent(to, high) else { continue };
        all += 1;
        digits += usize::from((first..last).all(|p| line.class(p) == Class::Digit));
        dates += usize::from(is_compact_date(line.slice(first, last)));
        count(&mut firsts, first - to);
        count(&mut lasts, last);
    }
    if all == 0 {
        return to;
    }
    let top = |counts: &[(usize, usize)]| {
        counts.iter().copied().max_by_key(|c| (c.1, std::cmp::Reverse(c.0))).unwrap_or((0, 0))
    };
    let ((indent, indented), (_, ended)) = (top(&firsts), top(&lasts));
    if indent > 0 && indented * 10 >= all * 8 && indented > ended {
        return to + indent;
    }
    // Where all numbers are equally long, a longer one would grow to the left; dates are never longer.
    let may_grow = dates < all && indent == 0 && indented == all && ended == all && digits == all && all > 1;
    let begun = firsts.iter().find(|f| f.0 == 0).map_or(0, |f| f.1);
    let mut place = if may_grow {
        from
    } else if begun > ended || (begun * 10 >= all * 6 && ended * 10 < all * 9) {
        to
    } else if ended > begun {
        from
    } else {
        to
    };
    // No start cuts a name.
    for (begin, end) in names.iter().copied() {
        if begin < place && place < end {
            if begin >= from {
                place = begin;
            } else if end <= to {
                place = end;
            }
        } else if !may_grow && begun == ended && (from..to).contains(&begin) {
            place = begin;
        }
    }
    place
}
