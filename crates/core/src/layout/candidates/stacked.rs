//! Records of several lines: labelled ones, cycles of lines, blocks between blank lines. Each line of a record is laid out by
//! the cheapest simple layout of all lines at its place.

use super::super::grouped::{is_account, is_telephone};
use super::super::lines::is_blank;
use super::super::measure::START;
use super::super::measure::grid::Grid;
use super::super::measure::lexicon::Lexicon;
use super::super::measure::sort::{Sort, sort_of};
use super::super::measure::structure::price;
use super::super::sample::Sample;
use super::super::tally::Tally;
use super::super::{LayoutChoices, LayoutKind, Samples};
use super::{Bench, Candidate, Form, Wanted, labels};
use crate::record::{Dialect, Division, Fixed, LineParts, LineShape, Multiline, is_drawn};

/// Most lines of a record that are looked for; blocks may be longer.
const CYCLE: usize = 12;
const BLOCK: usize = 60;

/// Lines whose beginnings are looked at.
const LINES: usize = 400;

/// Prices records of several lines. `stated`: the clerk says that there are some.
pub(in crate::layout) fn propose(bench: &mut Bench<'_, '_>, choices: &LayoutChoices) -> Vec<Candidate> {
    let stated = choices.kind == Some(LayoutKind::Multiline) || stated_lines(choices).is_some();
    let prefix = bench.plain.comment_prefix.clone();
    let text: Vec<&[u8]> = bench
        .sample
        .lines
        .iter()
        .map(|l| l.text)
        .filter(|l| prefix.as_ref().is_none_or(|p| !l.starts_with(p)))
        .collect();
    // Only lines that stand together come in turns.
    let head: Vec<&[u8]> = bench.sample.lines[..bench.sample.parts.first().map_or(0, |part| part.lines)]
        .iter()
        .map(|l| l.text)
        .filter(|l| prefix.as_ref().is_none_or(|p| !l.starts_with(p)))
        .collect();
    let separators = separators(&text);
    let divides =
        |line: &[u8]| is_blank(line) || is_drawn(line) || separators.iter().any(|s| s == line.trim_ascii());
    let mut found: Vec<Multiline> = Vec::new();
    if let Some(count) = stated_lines(choices) {
        let first = first_shape(&head, &divides, count);
        found.push(cycle(bench, &head, &divides, (count, first), choices));
    } else {
        found.extend(labels::find(&text, &divides, choices));
        let blocks = blocks(bench, &text, &divides);
        // Blocks of one size say more than what their lines begin with.
        if !matches!(&blocks, Some((_, true))) {
            for count in counts(&head, &divides) {
                let first = first_shape(&head, &divides, count);
                // What comes back inside records may mark them as well; then they begin with the source.
                let leads = head.iter().find(|l| !divides(l)).zip(first.as_ref()).map(|(l, f)| f.fits(l));
                found.push(cycle(bench, &head, &divides, (count, first), choices));
                if leads == Some(false) {
                    found.push(cycle(bench, &head, &divides, (count, None), choices));
                }
            }
        }
        found.extend(blocks.map(|b| b.0));
        found.extend(indented(bench, &text, &divides));
    }
    if found.is_empty() && stated {
        found.push(Multiline::Cycle { lines: vec![whole_line(); 2], first: None });
    }
    let found = found.into_iter().filter(|m| stated || !is_one_table(m)).collect::<Vec<_>>();
    found
        .into_iter()
        .map(|multiline| {
            let dialect = Dialect {
                division: Division::Multiline(multiline),
                quote: None,
                separators: separators.clone(),
                ..bench.plain.clone()
            };
            priced(bench, dialect)
        })
        .collect()
}

/// How many lines the clerk says that a record has.
fn stated_lines(choices: &LayoutChoices) -> Option<usize> {
    let by_starts = choices.starts.as_ref().map(Vec::len).filter(|lines| *lines > 1);
    choices.lines_per_record.filter(|lines| *lines > 1).or(by_starts)
}

/// Lines that are all laid out alike are rows of one table.
fn is_one_table(multiline: &Multiline) -> bool {
    let Multiline::Cycle { lines, .. } = multiline else { return false };
    lines.len() > 1 && lines[0].count() > 1 && lines.iter().all(|l| *l == lines[0])
}

fn priced(bench: &mut Bench<'_, '_>, dialect: Dialect) -> Candidate {
    let grid = Grid::read(bench.sample, &dialect, &mut bench.lexicon);
    let multiline = dialect.division.multiline();
    let width = multiline.map_or(1, Multiline::width);
    let structure = match multiline {
        Some(Multiline::Labelled { labels, .. }) => {
            let names = labels.iter().map(|l| bench.lexicon.value_of_bytes(l)).collect::<Vec<_>>();
            names.iter().map(|id| bench.lexicon.get(*id).free).sum::<f64>()
        }
        Some(Multiline::Cycle { lines, first }) => {
            let starts: usize = lines.iter().map(LineParts::count).sum();
            2.0 * lines.len() as f64
                + START * (starts - lines.len()) as f64
                + if first.is_some() { 4.0 } else { 0.0 }
        }
        _ => 0.0,
    };
    let read = price(&mut bench.lexicon, &grid, width, Some(5));
    // Lines that the division leaves out pay as lines set aside.
    let strays = left_out(bench.sample, &dialect, &mut bench.lexicon);
    Candidate {
        dialect,
        form: Form::Multiline,
        width,
        bits: read.bits + 12.0 + structure + strays,
        records: grid.rows.iter().filter(|r| !r.is_rule).count(),
        even: grid.rows.iter().filter(|r| r.fields as usize == width).count(),
        aside: read.aside.len(),
        quoted: 0,
        bad_quotes: 0,
        names: None,
        columns: read.columns,
    }
}

/// Bits of lines that no record starts with.
fn left_out(sample: &Sample<'_>, dialect: &Dialect, lexicon: &mut Lexicon) -> f64 {
    let mut machine = crate::record::Machine::new(dialect);
    let mut lines = Vec::new();
    let mut number = 0;
    for part in &sample.parts {
        let mut at = 0;
        loop {
            match machine.step(part.text, at, true) {
                crate::record::Step::End | crate::record::Step::NeedMore => break,
                crate::record::Step::Stray => {
                    lines.push((number, lexicon.value_of_bytes(&part.text[machine.start()..machine.end()])));
                }
                _ => {}
            }
            number += machine.lines() as usize;
            at = machine.next_start();
        }
    }
    super::super::measure::structure::set_aside(lexicon, lines.into_iter())
}

fn whole_line() -> LineParts {
    LineParts::Fixed(Fixed { starts: vec![0], ..Fixed::default() })
}

/// Short lines of marks, or single words such as `BEGIN` and `END`, that come again and again and divide records.
fn separators(text: &[&[u8]]) -> Vec<Vec<u8>> {
    let mut counts: Tally<&[u8]> = Tally::default();
    for line in text.iter().filter(|l| !is_blank(l) && !is_drawn(l)) {
        let line = line.trim_ascii();
        let marks =
            !line.iter().any(|b| b.is_ascii_alphanumeric() || *b >= 0x80) && (2..=8).contains(&line.len());
        let framed = line.len() <= 24
            && [&b"BEGIN"[..], b"END", b"begin", b"end", b"Begin", b"End", b"START", b"RECORD", b"***"]
                .iter()
                .any(|w| line.starts_with(w))
            && !line
                .iter()
                .any(|b| b.is_ascii_digit() || matches!(b, b':' | b'=' | b';' | b',' | b'|' | b'\t'));
        if (marks || framed) && counts.different() < 40 {
            counts.add(line);
        }
    }
    counts.iter().filter(|c| c.1 >= 3 && c.1 * 3 <= text.len()).map(|c| c.0.to_vec()).collect()
}

/// How a line begins: how far it is set in, the sort of its first character, its first letters if a label follows.
type Look = (usize, u8, Vec<u8>);

fn look(line: &[u8]) -> Look {
    let indent = line.iter().take_while(|b| **b == b' ').count();
    let sort = line.get(indent).map_or(b' ', |b| LineShape::sort(*b));
    let label =
        memchr::memchr2(b':', b'=', line).filter(|at| *at < 30).map_or(Vec::new(), |at| line[..at].to_vec());
    (indent.min(12), sort, label)
}

/// Numbers of lines after which the looks of lines come again.
fn counts(text: &[&[u8]], divides: &dyn Fn(&[u8]) -> bool) -> Vec<usize> {
    let exact: Vec<Look> = text.iter().filter(|l| !divides(l)).take(LINES).map(|l| look(l)).collect();
    // How far a line is set in means nothing where its first value is aligned at the right.
    let coarse: Vec<Look> = exact.iter().map(|l| (usize::from(l.0 > 0), l.1, Vec::new())).collect();
    let mut counts: Vec<usize> = Vec::new();
    for looks in [&exact, &coarse] {
        for count in repeating(looks) {
            if !counts.contains(&count) {
                counts.push(count);
            }
        }
    }
    counts.extend(by_first_character(text, divides).filter(|n| !counts.contains(n)));
    counts.truncate(3);
    counts
}

/// The distances after which looks come again, at most two.
fn repeating(looks: &[Look]) -> Vec<usize> {
    let all = looks.len();
    let share = |step: usize| -> f64 {
        let mut hits = 0;
        for phase in 0..step {
            let counts: Tally<&Look> = looks.iter().skip(phase).step_by(step).collect();
            hits += counts.top().map_or(0, |top| top.1);
        }
        hits as f64 / all.max(1) as f64
    };
    let base = share(1);
    let mut hits: Vec<(f64, usize)> = (2..=CYCLE)
        .filter(|n| all >= 3 * n)
        .map(|n| (share(n), n))
        .filter(|(hit, _)| {
            (*hit > base + 0.2 && *hit > 0.75) || (*hit > 0.95 && (1.0 - hit) * 4.0 < 1.0 - base)
        })
        .collect();
    hits.sort_by(|a, b| (b.0 - 0.01 * b.1 as f64).total_cmp(&(a.0 - 0.01 * a.1 as f64)));
    hits.into_iter().take(2).map(|h| h.1).collect()
}

/// The distance after which the first characters come again, as record types do.
fn by_first_character(text: &[&[u8]], divides: &dyn Fn(&[u8]) -> bool) -> Option<usize> {
    let filled: Vec<&[u8]> = text.iter().filter(|l| !divides(l)).take(LINES).copied().collect();
    [1, 3].into_iter().find_map(|length| {
        let marks: Vec<&[u8]> = filled.iter().map(|l| &l[..l.len().min(length)]).collect();
        let agree = |n: usize| {
            let same = marks.iter().zip(&marks[n..]).filter(|(a, b)| a == b).count();
            same * 100 / (marks.len() - n).max(1)
        };
        if filled.len() < 8 || agree(1) >= 70 {
            return None;
        }
        (2..=(filled.len() / 4).min(CYCLE)).find(|n| agree(*n) >= 75 && agree(*n) >= agree(1) + 30)
    })
}

/// Blocks between lines that divide, and whether nearly all are of one size.
fn blocks(
    bench: &mut Bench<'_, '_>,
    text: &[&[u8]],
    divides: &dyn Fn(&[u8]) -> bool,
) -> Option<(Multiline, bool)> {
    let blocks: Vec<Vec<&[u8]>> =
        text.split(|l| divides(l)).filter(|b| !b.is_empty()).map(<[&[u8]]>::to_vec).collect();
    if blocks.len() < 3 {
        return None;
    }
    let mut sizes: Vec<usize> = blocks.iter().map(Vec::len).collect();
    sizes.sort_unstable();
    let usual = sizes[sizes.len() / 2];
    let alike = sizes.iter().filter(|s| **s == usual).count();
    let several = sizes.iter().filter(|s| **s > 1).count();
    let near = sizes.iter().filter(|s| s.abs_diff(usual) <= 2).count();
    let steady = alike * 10 >= sizes.len() * 5 && near * 10 >= sizes.len() * 8;
    if usual < 2 || several * 10 < sizes.len() * 7 || !steady || usual > BLOCK {
        return None;
    }
    let even = alike * 10 >= sizes.len() * 8;
    // Titles and remarks are blocks as well: those of one line are no records.
    let most = sizes.iter().rev().copied().find(|s| *s <= usual + 2).unwrap_or(usual);
    let most = if even { usual } else { most };
    let of_usual: Vec<&Vec<&[u8]>> = blocks.iter().filter(|b| b.len() == usual).collect();
    let lines = (0..most)
        .map(|at| {
            let lines: Vec<&[u8]> = of_usual.iter().filter_map(|b| b.get(at).copied()).collect();
            if lines.len() >= 2 && most == usual { parts(bench, &lines) } else { whole_line() }
        })
        .collect();
    Some((Multiline::Cycle { lines, first: None }, even))
}

/// A record begins at the left edge; its further lines are set in.
fn indented(bench: &mut Bench<'_, '_>, text: &[&[u8]], divides: &dyn Fn(&[u8]) -> bool) -> Option<Multiline> {
    let filled: Vec<&[u8]> = text.iter().filter(|l| !divides(l)).copied().collect();
    let inner: Vec<bool> = filled.iter().map(|l| matches!(l.first(), Some(b' ' | b'\t'))).collect();
    let begins: Vec<usize> = (0..filled.len()).filter(|i| !inner[*i]).collect();
    if begins.len() < 3 || inner.iter().all(|i| !i) || inner[0] {
        return None;
    }
    let mut lengths: Vec<usize> = begins.windows(2).map(|w| w[1] - w[0]).collect();
    lengths.push(filled.len() - begins[begins.len() - 1]);
    let usual = {
        let mut sorted = lengths.clone();
        sorted.sort_unstable();
        sorted[sorted.len() / 2]
    };
    let alike = lengths.iter().filter(|l| **l == usual).count();
    if !(2..=CYCLE).contains(&usual) || alike * 10 < lengths.len() * 8 {
        return None;
    }
    let lines = (0..usual)
        .map(|at| {
            let own: Vec<&[u8]> = begins
                .iter()
                .zip(&lengths)
                .filter(|(_, length)| **length == usual)
                .map(|(begin, _)| filled[begin + at])
                .collect();
            parts(bench, &own)
        })
        .collect();
    let first = begins.iter().map(|i| LineShape::sort(filled[*i][0])).collect::<Vec<u8>>();
    let same = first.iter().all(|s| *s == first[0]);
    let first = same.then(|| LineShape { start: vec![first[0]], is_literal: false });
    Some(Multiline::Cycle { lines, first })
}

/// A cycle of `count` lines, the first one of which looks like `first`: how each line is divided.
fn cycle(
    bench: &mut Bench<'_, '_>,
    text: &[&[u8]],
    divides: &dyn Fn(&[u8]) -> bool,
    (count, first): (usize, Option<LineShape>),
    choices: &LayoutChoices,
) -> Multiline {
    let mut by_place: Vec<Vec<&[u8]>> = vec![Vec::new(); count];
    let mut place = 0;
    for line in text.iter().filter(|l| !divides(l)) {
        if let Some(shape) = &first {
            if shape.fits(line) {
                place = 0;
            } else if place == 0 {
                continue;
            }
        }
        by_place[place].push(line);
        place = (place + 1) % count;
    }
    let lines = (0..count)
        .map(|at| match choices.starts.as_ref().and_then(|s| s.get(at)) {
            Some(starts) => LineParts::Fixed(Fixed { starts: starts.clone(), unit: choices.unit }),
            None => parts(bench, &by_place[at]),
        })
        .collect();
    Multiline::Cycle { lines, first }
}

/// The beginning that the first line of each record has and no other one: found where it comes back every `count` lines. Of
/// several, the one that blank lines stand before, that is not indented as others are, that the file begins with, or that it
/// ends with a whole record of.
fn first_shape(text: &[&[u8]], divides: &dyn Fn(&[u8]) -> bool, count: usize) -> Option<LineShape> {
    let filled: Vec<(&[u8], bool)> = text
        .iter()
        .enumerate()
        .filter(|(_, l)| !divides(l))
        .map(|(at, l)| (*l, at > 0 && divides(text[at - 1])))
        .collect();
    let mut best: Option<(usize, LineShape)> = None;
    for (candidate, _) in filled.iter().take(BLOCK) {
        for (literal, length) in
            [(false, 1), (false, 2), (false, 3), (false, 6), (true, 1), (true, 3), (true, 2)]
        {
            let start = candidate.iter().take(length);
            let start: Vec<u8> =
                if literal { start.copied().collect() } else { start.map(|b| LineShape::sort(*b)).collect() };
            let shape = LineShape { start, is_literal: literal };
            let places: Vec<usize> = (0..filled.len()).filter(|i| shape.fits(filled[*i].0)).collect();
            let Some(last) = places.last().filter(|_| places.len() > 2) else { continue };
            let steady = places.windows(2).filter(|w| w[1] - w[0] == count).count();
            if steady * 4 < (places.len() - 1) * 3 || places.len() * count * 10 < filled.len() * 8 {
                continue;
            }
            let set_off = places.iter().filter(|at| filled[**at].1).count() * 10 >= places.len() * 8;
            let whole_end = filled.len() - last == count;
            let digit = shape.start.iter().any(u8::is_ascii_digit);
            // Further lines of a record are indented, its first one is not.
            let indented = filled.iter().any(|(line, _)| line.starts_with(b" "));
            let flush = indented && shape.start.first() != Some(&b' ');
            let leads = places[0] == 0;
            let points = 4 * usize::from(set_off)
                + 3 * usize::from(flush)
                + 2 * usize::from(whole_end)
                + 2 * usize::from(leads)
                + usize::from(digit);
            if best.as_ref().is_none_or(|(most, _)| points > *most) {
                best = Some((points, shape));
            }
        }
    }
    best.map(|(_, shape)| shape)
}

/// How the lines at one place of their records are divided: by the cheapest of a mark, starts, and nothing.
fn parts(bench: &mut Bench<'_, '_>, lines: &[&[u8]]) -> LineParts {
    if lines.len() < 2 || are_grouped(lines) {
        return whole_line();
    }
    let text = lines.join(&b'\n');
    let sample = Sample::of(Samples { head: &text, ..Samples::default() }, false);
    let plain = Dialect { quote: None, comment_prefix: None, ..bench.plain.clone() };
    let mut inner =
        Bench { sample: &sample, lexicon: std::mem::take(&mut bench.lexicon), plain, rules: Vec::new() };
    let whole = super::whole(&mut inner, None);
    let (words, values) = words_of(lines);
    let numeric = words * 5 < values;
    let mut best = whole;
    let wanted = Wanted { quote: Some(None), runs_as_one: Some(false), ..Wanted::default() };
    let mut others = super::delimited(&mut inner, &wanted);
    others.retain(|c| {
        let mark = c.dialect.delimiter.as_slice();
        c.evenness() >= 0.98
            && (mark != b" " || (numeric && c.width > 1))
            && (mark != b"," || c.width > 2)
            && !matches!(mark, b":" | b"-" | b"/" | b".")
    });
    let lined_up = lines.iter().filter(|l| memchr::memmem::find(l.trim_ascii(), b"  ").is_some()).count();
    let unbroken = lines.iter().all(|l| !l.trim_ascii().contains(&b' '));
    if lines.len() >= 3 && (lined_up * 10 > lines.len() * 3 || unbroken || numeric) {
        others.extend(super::fixed(&mut inner, None, None));
    }
    for candidate in others {
        if candidate.bits < best.bits {
            best = candidate;
        }
    }
    bench.lexicon = inner.lexicon;
    match best.dialect.division {
        Division::Fixed(fixed) => LineParts::Fixed(fixed),
        Division::Delimited if !best.dialect.delimiter.is_empty() => {
            LineParts::Delimited { delimiter: best.dialect.delimiter, fields: best.width }
        }
        _ => whole_line(),
    }
}

/// Whether nearly all lines are telephone or account numbers, which hold blanks.
fn are_grouped(lines: &[&[u8]]) -> bool {
    let filled = lines.iter().map(|line| line.trim_ascii()).filter(|line| line.len() > 1);
    let all = filled.clone().count();
    let most = |is_one: fn(&[u8]) -> bool| filled.clone().filter(|line| is_one(line)).count() * 10 >= all * 9;
    all > 1 && (most(is_telephone) || most(is_account))
}

/// How many of the words in lines are no numbers or moments, and how many words there are.
fn words_of(lines: &[&[u8]]) -> (usize, usize) {
    let (mut words, mut all) = (0, 0);
    for line in lines {
        let text = String::from_utf8_lossy(line);
        for word in text.split_whitespace() {
            all += 1;
            words += usize::from(!matches!(sort_of(word), Sort::Number | Sort::Moment));
        }
    }
    (words, all)
}
