//! What a row costs as a record, and what as a line set aside. The cheaper of both is what it is.

use super::super::measure::column::{Column, Words};
use super::super::measure::lexicon::{BLANK, Lexicon, ValueId};
use super::super::measure::sort::Sort;
use super::super::measure::{ASIDE, RAGGED};
use super::rows::{Row, Rows};

/// A sort of value that a column does not have costs at most this, besides its characters.
const STRANGE: f64 = 10.0;

/// Columns that have learnt what records look like.
#[derive(Clone, Debug)]
pub(in crate::layout) struct Judge {
    pub(super) width: usize,
    pub(super) columns: Vec<Column>,
    /// No words: a remark must not look like a record because a column far off knows its words.
    words: Words,
    /// How many values of each sort each column of the core rows has.
    sorts: Vec<[u32; 6]>,
    filled: Vec<u32>,
    /// The sorts that belong to each column.
    fits: Vec<[bool; 6]>,
    /// The commonest picture of a column, if nine in ten values have it.
    even: Vec<Option<u32>>,
    /// Whether nine in ten values are numbers, moments or codes; whether eight in ten are numbers.
    pub(super) typed: Vec<bool>,
    pub(super) numeric: Vec<bool>,
    /// Share of the records whose numbers rise from left to right.
    pub(super) rising: f64,
    core: Vec<bool>,
}

impl Judge {
    /// Learns from the rows of `width` fields that agree with the commonest one; then from those that fit what was learnt.
    pub(in crate::layout) fn new(lexicon: &Lexicon, rows: &Rows, width: usize) -> Self {
        let usable = |r: &Row| r.aside.is_none() && r.values.len() == width;
        let mut core = core(lexicon, rows, width);
        let mut judge = Self {
            width,
            columns: Vec::new(),
            words: Words::default(),
            sorts: vec![[0; 6]; width],
            filled: vec![0; width],
            fits: vec![[false; 6]; width],
            even: vec![None; width],
            typed: vec![false; width],
            numeric: vec![false; width],
            rising: 0.0,
            core: Vec::new(),
        };
        judge.see_sorts(lexicon, rows, &core);
        judge.learn(lexicon, rows, &core);
        let fitting: Vec<bool> = rows
            .rows
            .iter()
            .zip(&core)
            .map(|(row, core)| *core && judge.record(lexicon, row, 1) <= judge.aside(lexicon, row, 1))
            .collect();
        if fitting.iter().any(|f| *f) {
            core = fitting;
        }
        for (row, core) in rows.rows.iter().zip(&mut core) {
            if !*core && usable(row) && judge.record(lexicon, row, 0) <= judge.aside(lexicon, row, 0) - 4.0 {
                *core = true;
            }
        }
        judge.learn(lexicon, rows, &core);
        judge.look_back(lexicon, rows, &core);
        judge.core = core;
        judge
    }

    fn see_sorts(&mut self, lexicon: &Lexicon, rows: &Rows, core: &[bool]) {
        let mut pictures: Vec<rustc_hash::FxHashMap<u32, u32>> =
            vec![rustc_hash::FxHashMap::default(); self.width];
        for row in rows.rows.iter().zip(core).filter(|r| *r.1).map(|r| r.0) {
            for (at, id) in row.values.iter().enumerate() {
                let value = lexicon.get(*id);
                self.sorts[at][value.sort as usize] += 1;
                if *id != BLANK {
                    self.filled[at] += 1;
                    *pictures[at].entry(value.picture_number()).or_default() += 1;
                }
            }
        }
        for (at, pictures) in pictures.iter().enumerate() {
            let filled = f64::from(self.filled[at]);
            for sort in 1..6 {
                let own = self.sorts[at][sort];
                self.fits[at][sort] = own > 1 && f64::from(own) >= 0.06 * filled;
            }
            // Words and texts are one sort here.
            let words = Sort::Word as usize;
            let either = self.fits[at][words] || self.fits[at][Sort::Text as usize];
            let both = self.sorts[at][words] + self.sorts[at][Sort::Text as usize];
            let fits = either || (both > 1 && f64::from(both) >= 0.06 * filled);
            self.fits[at][words] = fits;
            self.fits[at][Sort::Text as usize] = fits;
            let top = pictures.iter().max_by_key(|p| (*p.1, std::cmp::Reverse(*p.0)));
            self.even[at] = top.filter(|p| f64::from(*p.1) >= 0.9 * filled).map(|p| *p.0);
        }
    }

    fn learn(&mut self, lexicon: &Lexicon, rows: &Rows, core: &[bool]) {
        self.columns = vec![Column::default(); self.width];
        let mut apart = Words::default();
        for row in rows.rows.iter().zip(core).filter(|r| *r.1).map(|r| r.0) {
            for (column, id) in self.columns.iter_mut().zip(&row.values) {
                column.add(lexicon, &mut apart, *id);
            }
        }
    }

    fn look_back(&mut self, lexicon: &Lexicon, rows: &Rows, core: &[bool]) {
        for (at, column) in self.columns.iter().enumerate() {
            let (mut filled, mut typed, mut numbers) = (0, 0, 0);
            for (id, count) in column.values() {
                let sort = lexicon.get(id).sort;
                filled += count;
                typed += if sort.is_typed() { count } else { 0 };
                numbers += if sort == Sort::Number { count } else { 0 };
            }
            self.typed[at] = filled > 0 && typed * 10 >= filled * 9;
            self.numeric[at] = filled > 0 && numbers * 10 >= filled * 8;
        }
        let looked_at: Vec<&Row> =
            rows.rows.iter().zip(core).filter(|r| *r.1).map(|r| r.0).take(60).collect();
        let rising =
            looked_at.iter().filter(|r| is_rising(lexicon, &r.values[1.min(r.values.len())..])).count();
        self.rising = rising as f64 / looked_at.len().max(1) as f64;
    }

    /// Whether a row (by its index) trained the columns.
    pub(super) fn trained_on(&self, index: usize) -> bool {
        self.core.get(index).copied().unwrap_or(false)
    }

    /// Whether nearly all values of a column of texts hold a digit.
    pub(super) fn has_digits(&self, lexicon: &Lexicon, column: usize) -> bool {
        let column = &self.columns[column];
        let holding = column.those(|id| super::likeness::holds_digit(lexicon.text(id)));
        column.filled() >= 8 && holding * 20 >= column.filled() * 18
    }

    /// Whether no value of a column holds a digit, but for `without` of them.
    pub(super) fn has_no_digits(&self, lexicon: &Lexicon, column: usize, without: u32) -> bool {
        let column = &self.columns[column];
        let holding = column.those(|id| super::likeness::holds_digit(lexicon.text(id)));
        column.filled() >= 20 && holding <= without
    }

    /// Whether values of this sort belong to a column.
    pub(super) fn fits(&self, column: usize, sort: Sort) -> bool {
        self.fits.get(column).is_some_and(|f| f[sort as usize])
    }

    /// Bits of one cell of a record.
    pub(super) fn cell(&self, lexicon: &Lexicon, at: usize, id: ValueId, without: u32) -> f64 {
        let bits = self.columns[at].bits(lexicon, &self.words, id, without);
        if id == BLANK {
            return bits.min(9.0);
        }
        let value = lexicon.get(id);
        if self.fits[at][value.sort as usize] {
            let odd = self.even[at].is_some_and(|picture| picture != value.picture_number());
            return bits.min(value.free + if odd { 8.0 } else { 1.0 });
        }
        let own = f64::from(self.sorts[at][value.sort as usize].saturating_sub(without));
        let all = f64::from(self.filled[at].saturating_sub(without));
        bits.min(value.free) + ((all + 1.0) / (own + 0.5)).log2().min(STRANGE)
    }

    /// Bits of a row as a record.
    pub(super) fn record(&self, lexicon: &Lexicon, row: &Row, without: u32) -> f64 {
        let mut bits = 0.0;
        for (at, id) in row.values.iter().enumerate() {
            bits +=
                if at < self.width { self.cell(lexicon, at, *id, without) } else { lexicon.get(*id).free };
        }
        if row.values.len() < self.width {
            bits += RAGGED;
            for column in &self.columns[row.values.len()..] {
                bits += column.bits(lexicon, &self.words, BLANK, 0).min(3.0);
            }
        } else if row.values.len() > self.width {
            bits += RAGGED;
        }
        bits
    }

    /// Bits of a row set aside. It may keep numbers in columns of numbers, as totals do: those cost what they cost there.
    pub(super) fn aside(&self, lexicon: &Lexicon, row: &Row, without: u32) -> f64 {
        let free = |id: &ValueId| lexicon.get(*id).free;
        let mut bits = ASIDE + free(&row.text);
        if row.values.len() != self.width {
            if row.values.len() > 1 {
                bits = bits.min(ASIDE + 2.0 + row.values.iter().map(free).sum::<f64>());
            }
            return bits;
        }
        let mut total = ASIDE + 2.0;
        for (at, id) in row.values.iter().enumerate() {
            let value = lexicon.get(*id);
            total += if *id == BLANK {
                0.3
            } else if value.sort == Sort::Number && !lexicon.text(*id).contains(char::is_alphabetic) {
                self.cell(lexicon, at, *id, without)
            } else {
                free(id)
            };
        }
        bits.min(total)
    }

    /// Whether a row (by its index) is a record whatever it costs: it fills half of its fields, a third of those with what stands in its
    /// column elsewhere or is of the column's own sort of number, moment or code, and none with another sort than the column's.
    pub(super) fn knows(&self, lexicon: &Lexicon, row: &Row, index: usize) -> bool {
        let filled = row.filled();
        if row.values.len() != self.width || filled < 2 || filled * 2 < self.width {
            return false;
        }
        let without = u32::from(self.trained_on(index));
        let mut known = 0;
        for (at, id) in row.values.iter().enumerate().filter(|(_, id)| **id != BLANK) {
            let sort = lexicon.get(*id).sort;
            let is_of_sort = self.fits(at, sort);
            if self.columns[at].times(*id) > without || (self.typed[at] && sort.is_typed() && is_of_sort) {
                known += 1;
            } else if self.typed[at] || !(is_of_sort || sort.is_words()) {
                return false;
            }
        }
        known >= 2 && known * 3 >= filled
    }

    /// Bits that a row (by its index) saves as a record.
    pub(super) fn gain(&self, lexicon: &Lexicon, row: &Row, index: usize) -> f64 {
        let without = u32::from(self.trained_on(index));
        self.aside(lexicon, row, without) - self.record(lexicon, row, without)
    }
}

/// One row in so many is no model for the others.
const RARE: usize = 10;

/// Of so few rows none is a model unless another is like it.
const FEW: usize = 3;

/// The commonest sort of each column, by which rows are judged where no two rows are alike: many columns of which each is often blank.
fn usual_sorts<'s>(rows: impl Iterator<Item = &'s Vec<Sort>>, width: usize) -> Vec<Sort> {
    let mut counts = vec![[0_usize; 6]; width];
    for row in rows {
        for (counts, sort) in counts.iter_mut().zip(row) {
            counts[*sort as usize] += 1;
        }
    }
    let sorts = [Sort::Blank, Sort::Number, Sort::Moment, Sort::Code, Sort::Text];
    let commonest = |counts: &[usize; 6]| sorts.into_iter().max_by_key(|sort| counts[*sort as usize]);
    counts.iter().map(|counts| commonest(counts).unwrap_or(Sort::Blank)).collect()
}

/// The rows that agree with the commonest row of sorts but for a third of the cells. Headings and totals must not train.
fn core(lexicon: &Lexicon, rows: &Rows, width: usize) -> Vec<bool> {
    let coarse = |id: &ValueId| match lexicon.get(*id).sort {
        Sort::Word => Sort::Text,
        sort => sort,
    };
    let sorts: Vec<Option<Vec<Sort>>> = rows
        .rows
        .iter()
        .map(|r| {
            (r.aside.is_none() && r.values.len() == width).then(|| r.values.iter().map(coarse).collect())
        })
        .collect();
    // Where most rows keep to the starts, those that one of them cuts are no model: titles, however often they come.
    let keeping =
        rows.rows.iter().zip(&sorts).filter(|(row, sorts)| sorts.is_some() && row.cuts == 0).count();
    let keep = keeping * 2 >= sorts.iter().flatten().count();
    let models = || {
        let all = rows.rows.iter().zip(&sorts).filter(|(row, _)| row.cuts == 0 || !keep);
        all.filter_map(|(_, sorts)| sorts.as_ref())
    };
    let mut counts: rustc_hash::FxHashMap<&[Sort], usize> = rustc_hash::FxHashMap::default();
    for sorts in models() {
        if sorts.iter().filter(|s| **s != Sort::Blank).count() * 2 >= width.clamp(1, 3) {
            *counts.entry(sorts).or_default() += 1;
        }
    }
    let weight = |(sorts, count): (&&[Sort], &usize)| {
        let typed = sorts.iter().filter(|s| s.is_typed()).count();
        *count as f64 * (1.0 + 0.2 * typed as f64)
    };
    let best = counts
        .iter()
        .max_by(|a, b| weight((a.0, a.1)).total_cmp(&weight((b.0, b.1))).then_with(|| b.0.cmp(a.0)))
        .map(|(best, count)| {
            let rows = models().count();
            let is_rare = *count * RARE < rows || (*count == 1 && rows > FEW);
            if is_rare { usual_sorts(models(), width) } else { best.to_vec() }
        });
    let Some(best) = best else { return sorts.iter().map(Option::is_some).collect() };
    let most = 0.75 * (width / 3).max(1) as f64;
    sorts
        .iter()
        .map(|sorts| {
            let Some(sorts) = sorts else { return false };
            let differ: f64 = sorts
                .iter()
                .zip(&best)
                .map(|(a, b)| match (*a.min(b), *a.max(b)) {
                    (a, b) if a == b => 0.0,
                    (Sort::Blank, _) => 0.5,
                    (Sort::Number, Sort::Code) | (Sort::Code, Sort::Text) => 0.4,
                    _ => 1.0,
                })
                .sum();
            differ <= most && (sorts[0] != Sort::Blank || best[0] == Sort::Blank)
        })
        .collect()
}

/// A value as a number, under whichever decimal character fits.
pub(super) fn number(lexicon: &Lexicon, id: ValueId) -> Option<f64> {
    if lexicon.get(id).sort != Sort::Number {
        return None;
    }
    amount(lexicon.text(id))
}

/// A text as a number with a currency before or after it, or without.
pub(super) fn amount(text: &str) -> Option<f64> {
    let is_mark = |c: char| {
        c.is_ascii_digit() || matches!(c, '.' | ',' | '-' | '+' | '(' | ')' | '\'' | ' ' | '\u{a0}')
    };
    let own = text.trim_matches(|c: char| !is_mark(c));
    if own.is_empty() || !own.chars().all(is_mark) || text.chars().count() > own.chars().count() + 4 {
        return None;
    }
    let negative = text.starts_with(['-', '(']) || text.ends_with('-');
    let digits: String = text.chars().filter(|c| c.is_ascii_digit() || matches!(c, '.' | ',')).collect();
    let last = digits.rfind(['.', ',']);
    let marks = digits.matches(['.', ',']).count();
    let plain = |t: &str| t.chars().filter(char::is_ascii_digit).collect::<String>();
    let value: f64 = match last {
        Some(at) => {
            let mark = &digits[at..=at];
            let behind = digits.len() - at - 1;
            let only_one = digits.matches(mark).count() == 1;
            let decimal = behind != 3 || (only_one && marks > 1);
            if decimal {
                format!("{}.{}", plain(&digits[..at]), plain(&digits[at..])).parse().ok()?
            } else {
                plain(&digits).parse().ok()?
            }
        }
        None => digits.parse().ok()?,
    };
    Some(if negative { -value } else { value })
}

/// Whether at least four numbers rise.
pub(super) fn is_rising(lexicon: &Lexicon, values: &[ValueId]) -> bool {
    let numbers: Vec<Option<f64>> = values.iter().map(|v| number(lexicon, *v)).collect();
    numbers.len() >= 4 && numbers.iter().all(Option::is_some) && numbers.windows(2).all(|w| w[0] < w[1])
}
