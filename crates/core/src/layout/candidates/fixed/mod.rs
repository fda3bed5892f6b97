//! Fixed layouts: starts are proposed from what lines have in common, taken out while that saves bits, and put to their places.

mod between;
mod coder;
mod known;
mod naming;
mod packed;
pub(in crate::layout) mod placed;
mod settle;
mod starts;

use super::super::lines;
use super::super::measure::column::{Column, Words};
use super::super::measure::lexicon::Lexicon;
use super::super::measure::structure::{repeat_bits, set_aside};
use super::super::measure::{ASIDE, lexicon::ValueId};
use super::{Bench, Candidate, Form};
use crate::record::{Dialect, Division, Fixed, Unit};
use crate::rows::Role;
use coder::{CUT, Coder, Frame, OPEN};
pub(in crate::layout) use packed::{glued, touching_date};
use placed::Placed;

/// Most starts that are priced.
const MOST: usize = 80;

/// Most starts that are taken out one by one.
const IMPROVED: usize = 48;

/// Lines in which names above packed columns are looked for.
const ABOVE: usize = 24;

/// Lines that starts are improved on.
const LINES: usize = 64;

/// Bits of counting something else than characters.
const OTHER_UNIT: f64 = 12.0;

/// How much dearer columns that touch are.
const PACKED_HANDICAP: f64 = 1.03;

/// Bits of saying that starts divide.
const DIALECT: f64 = 2.0;

/// Prices the starts that the lines propose. `stated`: starts that the clerk said, and nothing else is priced.
pub(in crate::layout) fn propose(
    bench: &mut Bench<'_, '_>,
    unit: Option<Unit>,
    stated: Option<&[usize]>,
) -> Vec<Candidate> {
    let prefix = bench.plain.comment_prefix.clone();
    // Neither comments nor totals behind a mark say where columns are.
    let is_apart = |l: &[u8]| prefix.as_ref().is_some_and(|p| l.starts_with(p)) || lines::is_marked_total(l);
    // Where someone says what records are, only those do, and what is above them.
    let has_example = bench.rules.iter().any(|rule| rule.role == Role::Detail);
    let mut is_below = false;
    let mut says = |l: &[u8]| match bench.rules.iter().find(|rule| rule.is_about(l)) {
        Some(rule) => {
            is_below |= rule.role == Role::Detail;
            rule.role == Role::Detail
        }
        None => !(has_example && is_below),
    };
    let texts: Vec<&[u8]> = bench.sample.filled().filter(|l| !is_apart(l) && says(l)).collect();
    let tabs = texts.iter().filter(|l| l.contains(&b'\t')).count();
    if stated.is_none() && (texts.len() < 2 || tabs * 20 > texts.len()) {
        return Vec::new();
    }
    let mut found = Vec::new();
    for unit in units(&texts, unit) {
        // Lines that repeat one before say nothing new about places.
        let mut seen = rustc_hash::FxHashSet::default();
        let lines: Vec<Placed> =
            texts.iter().filter(|l| seen.insert(**l)).map(|l| Placed::new(l, unit)).collect();
        let repeated = repeat_bits(texts.iter());
        let all: Vec<&Placed> = lines.iter().collect();
        if let Some(starts) = stated {
            found.push(price(bench, &all, starts, &Frame::default(), unit, false));
        } else {
            let mut proposed = proposals(bench, &all, unit);
            for candidate in &mut proposed {
                candidate.bits += repeated + if unit == Unit::Characters { 0.0 } else { OTHER_UNIT };
            }
            found.extend(proposed);
        }
    }
    found
}

/// The units that starts may count: characters, and bytes where characters have several.
fn units(lines: &[&[u8]], stated: Option<Unit>) -> Vec<Unit> {
    if let Some(unit) = stated {
        return vec![unit];
    }
    let odd = lines.iter().filter(|l| !l.is_ascii()).count();
    if odd < 3 {
        return vec![Unit::Characters];
    }
    let wide = lines
        .iter()
        .any(|l| String::from_utf8_lossy(l).chars().any(|c| super::super::measure::grid::width(c) == 2));
    if wide {
        vec![Unit::Characters, Unit::DoubleBytes, Unit::Bytes]
    } else {
        vec![Unit::Characters, Unit::Bytes]
    }
}

fn proposals(bench: &mut Bench<'_, '_>, all: &[&Placed], unit: Unit) -> Vec<Candidate> {
    let core = starts::core(all);
    let mut sets: Vec<(bool, Vec<usize>)> = Vec::new();
    for is_core in [true, false] {
        if !is_core && core.len() == all.len() {
            continue;
        }
        let base = if is_core { &core[..] } else { all };
        for tolerance in [0.0, 0.03, 0.1] {
            sets.push((is_core, starts::gaps(base, tolerance)));
        }
    }
    let rule = starts::rule(all, &core);
    sets.extend(rule.map(|rule| (true, rule.runs(false).iter().map(|r| r.0).collect())));
    // Names may stand where no line has a value.
    let named: Vec<Vec<usize>> = sets
        .iter()
        .filter_map(|(is_core, starts)| {
            let base = if *is_core { &core[..] } else { all };
            let names = names_line(&mut bench.lexicon, all, &core, starts)?;
            starts::with_named_columns(starts, base, names)
        })
        .collect();
    sets.extend(named.into_iter().map(|starts| (true, starts)));
    sets.extend(starts::class_changes(&core).map(|starts| (true, starts)));
    let dates = starts::date_edges(&core, false);
    if !dates.is_empty() {
        for (is_core, starts) in sets.clone() {
            let mut more = starts;
            more.extend(&dates);
            more.sort_unstable();
            more.dedup();
            sets.push((is_core, more));
        }
    }
    let mut tried: Vec<Vec<usize>> = Vec::new();
    let mut priced: Vec<Vec<usize>> = Vec::new();
    let mut found = Vec::new();
    // Sets of starts over the same lines share what their columns cost.
    let mut coders: Vec<((bool, Option<*const Placed>), Coder<'_>)> = Vec::new();
    for (is_core, mut starts) in sets {
        if starts.first().is_some_and(|s| *s > 0) {
            if starts[0] < 12 {
                starts[0] = 0;
            } else {
                starts.insert(0, 0);
            }
        }
        if starts.len() < 2 || starts.len() > MOST || tried.contains(&starts) {
            continue;
        }
        tried.push(starts.clone());
        let base = if is_core { &core[..] } else { all };
        let names = names_line(&mut bench.lexicon, all, &core, &starts);
        let frame = Frame { names, rule, dates: &dates, is_packed: false };
        let key = (is_core, names.map(std::ptr::from_ref));
        let at = if let Some(at) = coders.iter().position(|c| c.0 == key) {
            at
        } else {
            let body = base.iter().filter(|l| names.is_none_or(|n| !std::ptr::eq(**l, n)));
            let body: Vec<&Placed> = body.copied().take(LINES).collect();
            if body.len() < 2 {
                continue;
            }
            coders.push((key, Coder::new(&mut bench.lexicon, body, &frame)));
            coders.len() - 1
        };
        let coder = &mut coders[at].1;
        let best =
            if starts.len() < IMPROVED { coder.best(&mut bench.lexicon, &starts) } else { starts.clone() };
        // Columns that are hardly ever filled save nothing, but may have their names.
        let is_cut = || starts[1..].iter().any(|start| starts::cuts_values(base, *start));
        if best.len() < starts.len()
            && !priced.contains(&starts)
            && naming::is_matched(&frame, base, &starts)
            && !is_cut()
        {
            found.push(under_names(bench, all, &starts, &frame, unit));
            priced.push(starts);
        }
        let cut = best[1..].iter().any(|s| !dates.contains(s) && starts::cuts_values(base, *s));
        if best.len() < 2 || cut || priced.contains(&best) {
            continue;
        }
        priced.push(best.clone());
        found.push(under_names(bench, all, &best, &frame, unit));
    }
    if let Some((starts, names)) = rule.and_then(|rule| starts::stated_by_rule(all, rule)) {
        let frame = Frame { names: Some(names), rule, dates: &dates, is_packed: false };
        let of_rule = price(bench, all, &starts, &frame, unit, false);
        let division = of_rule.dialect.division.clone();
        found.push(of_rule);
        // The same starts are no less stated where the lines themselves show them.
        for same in found.iter_mut().filter(|c| c.dialect.division == division) {
            if let Form::Fixed { ruled, .. } = &mut same.form {
                *ruled = true;
            }
        }
    }
    // Names over each of several columns leave nothing to look for, unless they touch one another.
    let named =
        found.iter().any(|c| matches!(c.form, Form::Fixed { matched: true, .. }) && c.evenness() >= 0.98);
    let glued = named && {
        let starts = starts::gaps(&core, 0.0);
        names_line(&mut bench.lexicon, all, &core, &starts).is_some_and(naming::is_glued)
    };
    if rule.is_none() && (!named || glued) {
        let packed = packed(bench, all, &core, unit);
        found.extend(packed.map(|(packed, is_named)| under_all_names(packed, is_named, &found)));
    }
    found
}

/// Prices starts of columns that touch; and whether their names say where all of them begin.
fn packed(
    bench: &mut Bench<'_, '_>,
    all: &[&Placed],
    core: &[&Placed],
    unit: Unit,
) -> Option<(Candidate, bool)> {
    // Names above the values are as closely packed as they are.
    let digits = |l: &Placed| l.text().bytes().filter(u8::is_ascii_digit).count();
    let usual = core.iter().map(|l| digits(l)).sum::<usize>() / core.len().max(1);
    let width = core.iter().map(|l| l.len()).max().unwrap_or(0);
    let is_full = |l: &Placed| digits(l) * 2 >= usual && l.len() * 10 >= width * 6 && !l.is_rule();
    let first = all.iter().take(ABOVE).position(|l| is_full(l));
    let names = all[..first.unwrap_or(0)].iter().rev().copied().find(|l| !l.is_rule());
    let names = names
        .filter(|l| usual >= 4 && digits(l) * 8 < usual && l.runs(false).len() > 1 && l.len() * 2 >= width);
    let above = |l: &&Placed| all.iter().take(first.unwrap_or(0)).any(|a| std::ptr::eq(*a, *l));
    // Blanks by chance say little of lines that hardly have any.
    let full: Vec<&Placed> = all.iter().copied().filter(|l| is_full(l)).collect();
    let base = if core.len() * 2 < full.len() { &full[..] } else { core };
    let body: Vec<&Placed> = base.iter().copied().filter(|l| !above(l)).collect();
    let body: Vec<&Placed> = body.into_iter().filter(|l| !l.is_rule()).take(LINES).collect();
    if !packed::may_touch(&body, names) {
        return None;
    }
    let (mut starts, dates) = packed::propose(&body, all, names);
    let frame = Frame { names, rule: None, dates: &dates, is_packed: true };
    let mut coder = Coder::new(&mut bench.lexicon, body, &frame);
    starts.retain(|place| coder.names().is_none_or(|names| names.allow(*place)));
    let best = coder.best(&mut bench.lexicon, &starts);
    if best.len() < 2 {
        return None;
    }
    // What no blank shows must save more than a little, unless names, dates or codes in front of all lines show it.
    let is_shown = best.iter().any(|start| dates.contains(start));
    let is_named = coder.names().is_some_and(|names| names.are_at_starts);
    let mut candidate = price(bench, all, &best, &frame, unit, !is_named);
    if !is_shown && !matches!(candidate.form, Form::Fixed { matched: true, .. }) {
        candidate.bits = candidate.bits * PACKED_HANDICAP + 20.0;
    }
    Some((candidate, is_named))
}

/// `packed`, no dearer than the starts in `found` of which several names are above one column, if each of its columns has one.
fn under_all_names(mut packed: Candidate, is_named: bool, found: &[Candidate]) -> Candidate {
    if is_named && matches!(packed.form, Form::Fixed { matched: true, .. }) {
        let others = found.iter().filter(|other| {
            matches!(other.form, Form::Fixed { matched: false, .. }) && other.width < packed.width
        });
        packed.bits = others.fold(packed.bits, |bits, other| bits.min(other.bits - 1.0));
    }
    packed
}

/// Prices all lines cut at `starts`, or at those that the names line up with.
fn under_names(
    bench: &mut Bench<'_, '_>,
    all: &[&Placed],
    starts: &[usize],
    frame: &Frame<'_>,
    unit: Unit,
) -> Candidate {
    let usual = price(bench, all, starts, frame, unit, true);
    let Division::Fixed(Fixed { starts: own, .. }) = &usual.dialect.division else { return usual };
    let names = frame.names.filter(|_| frame.rule.is_none());
    let body = all.iter().copied().filter(|l| !l.is_rule() && names.is_none_or(|n| !std::ptr::eq(*l, n)));
    let body: Vec<&Placed> = body.take(LINES).collect();
    let Some(starts) = names.and_then(|names| naming::lined_up(own, &body, names)) else { return usual };
    let mut other = price(bench, all, &starts, frame, unit, false);
    if other.records < usual.records || other.even < usual.even {
        return usual;
    }
    // Names that line up with all columns say more than what a value looks like.
    other.bits = other.bits.min(usual.bits);
    other
}

/// Prices all lines cut at `starts`: those that fit as records, the others set aside.
fn price(
    bench: &mut Bench<'_, '_>,
    all: &[&Placed],
    starts: &[usize],
    frame: &Frame<'_>,
    unit: Unit,
    settles: bool,
) -> Candidate {
    let names = frame.names;
    let lexicon = &mut bench.lexicon;
    let rows: Vec<Vec<ValueId>> = all.iter().map(|l| slices(lexicon, l, starts)).collect();
    let count = all.len();
    let touching =
        starts[1..].iter().filter(|s| all.iter().filter(|l| l.is_crossed(**s)).count() * 2 > count).count();
    let cuts: Vec<usize> =
        all.iter().map(|l| starts[1..].iter().filter(|s| l.is_crossed(**s)).count()).collect();
    let mut columns = vec![Column::default(); starts.len()];
    let mut words = Words::default();
    for (row, cut) in rows.iter().zip(&cuts) {
        if *cut <= touching {
            for (column, value) in columns.iter_mut().zip(row) {
                column.add(lexicon, &mut words, *value);
            }
        }
    }
    let (mut kept, mut aside) = (Vec::new(), Vec::new());
    for (at, row) in rows.iter().enumerate() {
        let text = lexicon.value(all[at].text());
        let limit = ASIDE + lexicon.get(text).free;
        let mut bits = (CUT + 3.0) * cuts[at].saturating_sub(touching) as f64;
        let without = u32::from(cuts[at] <= touching);
        for (column, value) in columns.iter().zip(row) {
            bits += column.bits(lexicon, &words, *value, without);
            if bits > limit + 50.0 {
                break;
            }
        }
        let is_names = names.is_some_and(|n| std::ptr::eq(n, all[at]));
        if bits <= limit && !all[at].is_rule() && !is_names {
            kept.push(at);
        } else {
            aside.push((at, text));
        }
    }
    let records: Vec<&Placed> = kept.iter().map(|at| all[*at]).collect();
    let bits = if records.len() < 2 {
        f64::INFINITY
    } else {
        let mut coder = Coder::new(lexicon, records.clone(), frame);
        coder.total(lexicon, starts) + set_aside(lexicon, aside.iter().copied()) + DIALECT
    };
    let quotes: usize = records.iter().map(|l| l.text().matches('"').count()).sum();
    let tabs: usize = all.iter().map(|l| l.text().matches('\t').count()).sum();
    let settled = if settles && !records.is_empty() {
        settle::settle(starts, &records, names)
    } else {
        starts.to_vec()
    };
    let mut columns = vec![Column::default(); starts.len()];
    let mut words = Words::default();
    for at in &kept {
        for (column, value) in columns.iter_mut().zip(&rows[*at]) {
            column.add(lexicon, &mut words, *value);
        }
    }
    // A rule with a part for each column states where they start.
    let settled = match frame.rule.map(|r| r.runs(false)) {
        Some(parts)
            if settles && naming::is_matched(&Frame { names: None, ..*frame }, &records, &settled) =>
        {
            parts.iter().enumerate().map(|(at, part)| if at == 0 { 0 } else { part.0 }).collect()
        }
        _ => settled,
    };
    let matched = naming::is_matched(frame, &records, &settled);
    let whole = records.iter().filter(|l| settled[1..].iter().all(|s| !l.is_crossed(*s))).count();
    Candidate {
        dialect: Dialect {
            division: Division::Fixed(Fixed { starts: settled, unit }),
            quote: None,
            ..bench.plain.clone()
        },
        form: Form::Fixed { named: names.is_some(), matched, touching, ruled: false },
        width: starts.len(),
        bits: bits + super::aligned::TAB * tabs as f64 + super::delimited::QUOTE_INSIDE * quotes as f64,
        records: kept.len(),
        even: whole,
        aside: aside.len(),
        quoted: 0,
        bad_quotes: 0,
        names: names.filter(|_| matched).map(|n| n.text().to_owned()),
        columns,
    }
}

fn slices(lexicon: &mut Lexicon, line: &Placed, starts: &[usize]) -> Vec<ValueId> {
    (0..starts.len())
        .map(|at| lexicon.value(line.slice(starts[at], starts.get(at + 1).copied().unwrap_or(OPEN))))
        .collect()
}

/// The line above the first core line that looks like names, if any; or the first core line itself.
fn names_line<'l>(
    lexicon: &mut Lexicon,
    all: &[&'l Placed],
    core: &[&'l Placed],
    starts: &[usize],
) -> Option<&'l Placed> {
    let first = all.iter().position(|l| core.first().is_some_and(|c| std::ptr::eq(*l, *c)))?;
    let longest = core.iter().map(|l| l.len()).max().unwrap_or(0);
    // Codes and dates are no names.
    let coded =
        |line: &Placed| line.text().split(' ').any(|w| w.bytes().filter(u8::is_ascii_digit).count() > 4);
    let line = all[first];
    if !coded(line) && is_names(lexicon, line, starts) {
        let body: Vec<&&Placed> = core.iter().filter(|l| !std::ptr::eq(**l, line)).take(60).collect();
        let mut has_typed = |l: &Placed| {
            l.runs(false).iter().any(|(from, to)| {
                let text = l.slice(*from, *to);
                let id = lexicon.value(text);
                lexicon.get(id).sort.is_typed() && text.bytes().any(|b| b.is_ascii_digit())
            })
        };
        let with = body.iter().filter(|l| has_typed(l)).count();
        let with = if has_typed(line) { 0 } else { with };
        if !body.is_empty() && with * 5 > body.len() * 4 {
            return Some(line);
        }
    }
    let mut above =
        all[..first].iter().rev().take(6).filter(|l| !l.is_rule() && !coded(l) && l.len() <= longest + 60);
    above.find(|l| is_names(lexicon, l, starts)).copied()
}

/// Whether a line has several phrases, over half of the columns, and hardly one that is more than words.
fn is_names(lexicon: &mut Lexicon, line: &Placed, starts: &[usize]) -> bool {
    let cells = (0..starts.len())
        .filter(|at| line.extent(starts[*at], starts.get(at + 1).copied().unwrap_or(OPEN)).is_some())
        .count();
    let phrases = line.runs(true);
    // Words that are cut short end with a point, and look like codes.
    let typed = phrases
        .iter()
        .filter(|(from, to)| {
            let text = line.slice(*from, *to);
            let id = lexicon.value(text);
            lexicon.get(id).sort.is_typed() && text.bytes().any(|b| b.is_ascii_digit())
        })
        .count();
    phrases.len() >= 2 && cells >= 2.max(starts.len() / 2) && typed * 5 <= phrases.len()
}
