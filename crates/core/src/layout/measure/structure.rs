//! The price of a whole table: its columns, its breaches, its padding, and the lines it sets aside.

use super::adapt::Adapt;
use super::column::{Column, Words, code_all};
use super::grid::{Grid, Row};
use super::lexicon::{BLANK, Lexicon, ValueId};
use super::{ASIDE, ASIDE_NEXT, COLUMN, RAGGED};

/// A table, priced.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Priced {
    /// Everything together.
    pub(in crate::layout) bits: f64,
    /// The rows (indexes) that are records, and those that are set aside.
    pub(in crate::layout) kept: Vec<usize>,
    pub(in crate::layout) aside: Vec<usize>,
    /// What the columns have learnt.
    pub(in crate::layout) columns: Vec<Column>,
}

/// Prices rows of `width` fields, of which more or fewer are breaches. `outer`: how far out the delimiter stands where marks
/// are nested; `None`: fields are not divided further.
pub(in crate::layout) fn price(
    lexicon: &mut Lexicon,
    grid: &Grid,
    width: usize,
    outer: Option<u8>,
) -> Priced {
    let mut priced = Priced::default();
    sort_out(lexicon, grid, width, &mut priced);
    let kept = priced.kept.len().max(1) as f64;
    let short = priced.kept.iter().filter(|i| (grid.rows[**i].fields as usize) < width).count();
    // How rare a short record is, and then how short it is.
    let (rare, mut lengths) = (short_bits(short, kept), Adapt::default());
    let mut bits = width as f64 * COLUMN;
    if short > 0 {
        bits -= (kept - short as f64) * (1.0 - short as f64 / kept).max(0.02).log2();
    }
    let mut columns: Vec<Vec<ValueId>> = vec![Vec::with_capacity(priced.kept.len()); width];
    let mut padding: Vec<[(Adapt, f64); 3]> = vec![Default::default(); width];
    let mut is_padded = vec![false; width];
    for index in &priced.kept {
        let row = &grid.rows[*index];
        let fields = row.fields as usize;
        if fields > width {
            bits += RAGGED + 2.0;
        } else if fields < width {
            bits += if outer.is_some() {
                (lengths.bits(fields as i32, 0) + rare).min(RAGGED + 2.0)
            } else {
                RAGGED + 2.0
            };
            lengths.add(fields as i32);
        }
        for (at, cell) in grid.cells(row).iter().enumerate() {
            if at >= width {
                bits += lexicon.get(cell.value).free + 3.0;
                continue;
            }
            columns[at].push(cell.value);
            if cell.value != BLANK {
                is_padded[at] |= cell.lead > 0;
                let places = [i32::from(cell.lead), cell.from as i32, cell.to as i32];
                for ((code, bits), place) in padding[at].iter_mut().zip(places) {
                    *bits += code.code(place);
                }
            }
        }
    }
    bits += repeats(grid);
    let mut words = Words::default();
    for (at, values) in columns.iter().enumerate() {
        // A nested reading must not profit from words just learnt.
        let before = outer.filter(|_| may_nest(values)).map(|outer| (outer, words.clone()));
        let (plain, column) = code_all(lexicon, &mut words, values);
        bits += match before {
            Some((outer, before)) => nested(lexicon, values, plain, Some(&before), outer),
            None => plain,
        };
        if column.count() > 0 && column.different() == 0 && at > 0 && at + 1 < width {
            bits += 12.0;
        }
        if is_padded[at] {
            bits += padding[at].iter().map(|p| p.1).fold(f64::INFINITY, f64::min);
        }
        priced.columns.push(column);
    }
    bits += set_aside(lexicon, priced.aside.iter().map(|i| (*i, grid.rows[*i].text)));
    priced.bits = bits;
    priced
}

/// Bits of rows that are the very same as one before: they say which one, and nothing new. Every layout may say so; otherwise whole
/// lines, for which a repeat is cheap, would win over columns in a file that holds its lines twice.
fn repeats(grid: &Grid) -> f64 {
    repeat_bits(grid.rows.iter().filter(|r| !r.is_rule).map(|r| r.text))
}

/// Bits of which rows repeat one before, and which one.
pub(in crate::layout) fn repeat_bits<T: std::hash::Hash + Eq>(rows: impl Iterator<Item = T>) -> f64 {
    let mut counts: rustc_hash::FxHashMap<T, u32> = rustc_hash::FxHashMap::default();
    let (mut bits, mut all, mut repeated) = (0.0, 0.0_f64, false);
    for row in rows {
        let different = counts.len() as f64;
        let new = if all > 0.0 { ((different - 0.3) / (all + 0.4)).max(0.3 / (all + 0.4)) } else { 1.0 };
        let count = counts.entry(row).or_default();
        if *count > 0 {
            repeated = true;
            bits -= ((1.0 - new) * f64::from(*count) / all).max(1e-9).log2();
        } else {
            bits -= new.log2();
        }
        *count += 1;
        all += 1.0;
    }
    if repeated { bits } else { 0.0 }
}

/// Bits that tell a short record: next to nothing where they are the rule.
fn short_bits(short: usize, kept: f64) -> f64 {
    let share = short as f64 / kept;
    if share > 0.8 {
        0.3
    } else if share > 0.5 {
        1.0
    } else {
        2.5 - (short.max(1) as f64 / kept).log2()
    }
}

/// Which rows are records: those that cost less as one than as a line set aside. Rows of the usual width train.
fn sort_out(lexicon: &Lexicon, grid: &Grid, width: usize, priced: &mut Priced) {
    let usual = |row: &Row| !row.is_rule && !row.is_repeat && row.fields as usize == width;
    let mut columns = vec![Column::default(); width];
    let mut words = Words::default();
    for row in grid.rows.iter().filter(|r| usual(r)) {
        for (column, cell) in columns.iter_mut().zip(grid.cells(row)) {
            column.add(lexicon, &mut words, cell.value);
        }
    }
    for (index, row) in grid.rows.iter().enumerate().filter(|r| !r.1.is_repeat) {
        if row.is_rule {
            priced.aside.push(index);
            continue;
        }
        let aside = ASIDE + lexicon.get(row.text).free;
        let without = u32::from(usual(row));
        let mut record = if without == 1 { 0.0 } else { RAGGED };
        for (at, cell) in grid.cells(row).iter().enumerate() {
            record += match columns.get(at) {
                Some(column) => column.bits(lexicon, &words, cell.value, without),
                None => lexicon.get(cell.value).free + 3.0,
            };
            if record > aside + 60.0 {
                break;
            }
        }
        if record < aside {
            for column in columns.iter().skip(row.fields as usize) {
                record += column.bits(lexicon, &words, BLANK, 0).min(4.0);
            }
        }
        if record <= aside { priced.kept.push(index) } else { priced.aside.push(index) }
    }
}

/// Bits of lines set aside: one text that learns; each run of neighbours pays once for the breach. Static prices would let
/// a long preamble drag down every table that leaves it out.
pub(in crate::layout) fn set_aside(lexicon: &Lexicon, lines: impl Iterator<Item = (usize, ValueId)>) -> f64 {
    let (mut column, mut words) = (Column::default(), Words::default());
    let mut bits = 0.0;
    let mut last = None;
    for (at, text) in lines {
        bits += if last.is_some_and(|last| last + 1 == at) { ASIDE_NEXT } else { ASIDE };
        if text != BLANK {
            bits += column.code(lexicon, &mut words, text);
        }
        last = Some(at);
    }
    bits
}

/// Values that are looked at for marks of their own.
const NESTED_FROM: usize = 4;

fn may_nest(values: &[ValueId]) -> bool {
    values.len() >= NESTED_FROM
}

/// How far out a mark stands where marks are nested: doubled marks, then tab, bar and the like, then `;` and `,`, then the rest.
pub(in crate::layout) fn rank(delimiter: &str) -> u8 {
    match delimiter.trim_matches(' ') {
        "" => 1,
        "\t" | "|" | "~" | "^" | "\u{1}" | "\u{1f}" | "¦" | "¬" | "│" | "║" | "┃" => 5,
        ";" | "," => 4,
        ":" | "#" => 2,
        text if text.chars().count() > 1 => {
            let mut chars = text.chars();
            let first = chars.next();
            let same = text.chars().all(|c| Some(c) == first);
            if same || !text.contains([',', ';', ':', '=', '/', ' ']) { 6 } else { 1 }
        }
        _ => 1,
    }
}

/// Bits that one mark costs each time it divides, because values hold it as well.
pub(in crate::layout) fn weakness(mark: char) -> f64 {
    match mark {
        '/' => 4.0,
        ':' => 1.0,
        '=' => 0.7,
        '#' => 3.0,
        '&' => 1.5,
        _ => 0.0,
    }
}

/// Values that are divided themselves (dates with times, attributes, a code and a remark) may say so: the outer mark must
/// not lose against an inner one for what only the inner one explains. Bits of the cheaper of both readings.
pub(in crate::layout) fn nested(
    lexicon: &mut Lexicon,
    values: &[ValueId],
    plain: f64,
    words: Option<&Words>,
    outer: u8,
) -> f64 {
    let filled: Vec<ValueId> = values.iter().copied().filter(|v| *v != BLANK).collect();
    let count = filled.len();
    if count < NESTED_FROM || plain < 5.0 * count as f64 {
        return plain;
    }
    let mut best = plain;
    for mark in [' ', ';', ',', '#', ':', '/', '|', '-'] {
        let own = rank(mark.encode_utf8(&mut [0; 4]));
        let with = filled.iter().filter(|v| lexicon.text(**v).contains(mark)).count();
        if own >= outer || with * 10 < count * 6 {
            continue;
        }
        let lengths: Vec<usize> = filled.iter().map(|v| lexicon.text(*v).matches(mark).count() + 1).collect();
        let mut by_length: Vec<(usize, usize)> = Vec::new();
        for length in &lengths {
            match by_length.iter_mut().find(|l| l.0 == *length) {
                Some(known) => known.1 += 1,
                None => by_length.push((*length, 1)),
            }
        }
        by_length.sort_by_key(|l| std::cmp::Reverse(l.1));
        let (usual, often) = by_length[0];
        let weak = matches!(mark, ' ' | ',' | '-' | '/');
        if lengths.iter().sum::<usize>() > 30 * count || (weak && often * 10 < count * 7) {
            continue;
        }
        let mut bits = 12.0 + 0.2 * count as f64;
        let mut code = Adapt::default();
        let each =
            if weakness(mark) > 0.0 { weakness(mark) } else { 0.3 } + if mark == ' ' { 0.8 } else { 0.0 };
        let each = each * if often * 100 >= count * 95 { 0.2 } else { 1.0 };
        for length in &lengths {
            bits += code.code(*length as i32) + each * (*length as f64 - 1.0);
        }
        let steady = by_length.len() < 3;
        let parts = if by_length.len() > 3 && often * 2 < count { usual.min(6) } else { usual };
        let mut words = words.cloned().unwrap_or_default();
        for at in 0..by_length.iter().map(|l| l.0).max().unwrap_or(0) {
            let takes_rest = at + 1 >= parts && !steady;
            let part: Vec<ValueId> = (0..count)
                .filter(|i| lengths[*i] > at)
                .map(|i| {
                    let text = lexicon.text(filled[i]);
                    let from = text.match_indices(mark).nth(at.wrapping_sub(1)).filter(|_| at > 0);
                    let rest = &text[from.map_or(0, |(place, found)| place + found.len())..];
                    let end = if takes_rest { None } else { rest.find(mark) };
                    let part = rest[..end.unwrap_or(rest.len())].to_owned();
                    lexicon.value(&part)
                })
                .collect();
            if !part.is_empty() {
                bits += code_all(lexicon, &mut words, &part).0 + COLUMN;
            }
            if bits > best || takes_rest {
                break;
            }
        }
        best = best.min(bits);
    }
    best
}
