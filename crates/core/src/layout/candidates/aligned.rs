//! Layouts in which runs of blanks divide: columns that are lined up, but whose places do not hold.

use super::super::measure::adapt::Adapt;
use super::super::measure::grid::Grid;
use super::super::measure::structure::price;
use super::delimited::{unexplained_quotes, widths};
use super::{Bench, Candidate, Form};
use crate::record::Dialect;

/// Bits of a tab that counts as blanks.
pub(super) const TAB: f64 = 6.0;

/// Bits of a field set off by exactly one blank: text has such blanks anyway. Between digits it hardly ever has.
const ONE_BLANK: f64 = 1.8;
/// See [`ONE_BLANK`].
pub(super) const ONE_BLANK_DIGITS: f64 = 0.3;

/// Prices runs of one blank and more, and of two and more. `stated`: which of the two is stated.
pub(in crate::layout) fn propose(bench: &mut Bench<'_, '_>, quote: Option<u8>) -> Vec<Candidate> {
    let mut found = Vec::new();
    let tabs: usize = bench.sample.filled().map(|l| memchr::memchr_iter(b'\t', l).count()).sum();
    for two in [false, true] {
        let delimiter = if two { "  " } else { " " };
        let dialect = Dialect {
            delimiter: delimiter.as_bytes().to_vec(),
            runs_as_one: true,
            quote,
            ..bench.plain.clone()
        };
        let grid = Grid::read(bench.sample, &dialect, &mut bench.lexicon);
        let rows = grid.rows.iter().filter(|r| !r.is_rule).count();
        if rows == 0 {
            continue;
        }
        let count =
            |width: usize| grid.rows.iter().filter(|r| !r.is_rule && r.fields as usize == width).count();
        let mut options: Vec<(usize, bool)> = widths(&grid, false)
            .into_iter()
            .filter(|w| *w > 1 && *w <= 256 && (count(*w) * 4 > rows || count(*w) >= 3))
            .map(|w| (w, false))
            .collect();
        // The most fields that nearly all lines have: the last column may take the rest.
        let mut fields: Vec<usize> =
            grid.rows.iter().filter(|r| !r.is_rule && r.fields > 1).map(|r| r.fields as usize).collect();
        fields.sort_unstable();
        if !two && fields.len() * 10 >= rows * 9 {
            let rest = fields[fields.len() - (rows * 9).div_ceil(10).min(fields.len())];
            if rest > 1 && fields.first() != fields.last() {
                // What stands in front of it must look like columns: the first word of a text does not.
                options.extend((rest.saturating_sub(WORDS).max(2)..=rest).rev().map(|width| (width, true)));
            }
        }
        let mut holds = false;
        for (width, rest) in options {
            if rest && holds {
                break;
            }
            let dialect = Dialect { most_fields: rest.then_some(width), ..dialect.clone() };
            let grid =
                if rest { Grid::read(bench.sample, &dialect, &mut bench.lexicon) } else { grid.clone() };
            if rest && !first_columns_hold(bench, &grid, width) {
                continue;
            }
            holds = rest;
            let even = grid.rows.iter().filter(|r| !r.is_rule && r.fields as usize == width).count();
            if even * 10 < rows * 3 && even < 3 {
                continue;
            }
            let priced = price(&mut bench.lexicon, &grid, width, None);
            let (places, single) = gaps(bench, &grid, width);
            let naming = if two { 6.0 } else { 5.0 } + if rest { 3.0 } else { 0.0 };
            found.push(Candidate {
                dialect,
                form: Form::Aligned { two, rest },
                width,
                bits: priced.bits
                    + names_lacking(bench, &grid, width)
                    + places
                    + single
                    + naming
                    + TAB * tabs as f64
                    + unexplained_quotes(bench, &grid),
                records: rows,
                even,
                aside: priced.aside.len(),
                quoted: grid.quoted,
                bad_quotes: grid.bad_quotes,
                names: None,
                columns: priced.columns,
            });
        }
    }
    found
}

/// Characters of a short code.
const CODE: usize = 5;

/// Words that all texts of a last column may have.
const WORDS: usize = 3;

/// Bits of columns beyond the names: where a line of words stands right above the records, each column has one.
fn names_lacking(bench: &Bench<'_, '_>, grid: &Grid, width: usize) -> f64 {
    let rows: Vec<&super::super::measure::grid::Row> = grid.rows.iter().filter(|r| !r.is_rule).collect();
    let even = |r: &&&super::super::measure::grid::Row| r.fields as usize == width;
    let Some(first) =
        (0..rows.len()).find(|at| rows[*at..rows.len().min(at + 3)].iter().filter(even).count() >= 2)
    else {
        return 0.0;
    };
    let is_names = |at: usize| {
        let cells = grid.cells(rows[at]);
        let words = cells.iter().filter(|c| bench.lexicon.get(c.value).sort.is_words()).count();
        let labelled = cells.iter().any(|c| bench.lexicon.text(c.value).ends_with(':'));
        cells.len() > 2 && words * 10 >= cells.len() * 8 && !labelled
    };
    let names = (first.saturating_sub(3)..=first).rev().find(|at| is_names(*at));
    let lacking = names.map_or(0, |at| width.saturating_sub(rows[at].fields as usize));
    lacking as f64 * (10.0 + 1.5 * rows.iter().filter(|r| even(r)).count() as f64)
}

/// Whether the columns before the one that takes the rest look like columns: numbers, dates, codes, a few capitals, or values that
/// come again.
fn first_columns_hold(bench: &Bench<'_, '_>, grid: &Grid, width: usize) -> bool {
    (0..width - 1).all(|at| {
        let values: Vec<u32> = grid
            .rows
            .iter()
            .filter(|r| !r.is_rule && r.fields as usize == width)
            .map(|r| grid.cells(r)[at].value)
            .collect();
        let typed = values.iter().filter(|v| bench.lexicon.get(**v).sort.is_typed()).count();
        let mut different = values.clone();
        different.sort_unstable();
        different.dedup();
        // Codes of a few capitals are no words of a text.
        let is_short = |v: &&u32| {
            let text = bench.lexicon.text(**v);
            text.len() <= CODE && text.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit())
        };
        typed * 10 >= values.len() * 6
            || different.len() * 10 <= values.len() * 3
            || values.iter().filter(is_short).count() * 10 >= values.len() * 9
    })
}

/// Bits of where the values stand (by the length of the gap, by their start or their end, whichever is cheapest), and of gaps
/// of one blank.
fn gaps(bench: &Bench<'_, '_>, grid: &Grid, width: usize) -> (f64, f64) {
    let mut codes: Vec<[(Adapt, f64); 3]> = vec![Default::default(); width];
    let mut single = 0.0;
    for row in grid.rows.iter().filter(|r| !r.is_rule && r.fields as usize == width) {
        let mut end = 0;
        let mut before: Option<u32> = None;
        for (cell, codes) in grid.cells(row).iter().zip(&mut codes) {
            let places = [cell.from as i32 - end as i32, cell.from as i32, cell.to as i32];
            for ((code, bits), place) in codes.iter_mut().zip(places) {
                *bits += code.code(place);
            }
            if before.is_some() && cell.from == end + 1 {
                let digits = |text: &str, last: bool| {
                    let c = if last { text.chars().next_back() } else { text.chars().next() };
                    c.is_some_and(|c| c.is_ascii_digit())
                };
                let both = digits(bench.lexicon.text(before.unwrap_or(0)), true)
                    && digits(bench.lexicon.text(cell.value), false);
                single += if both { ONE_BLANK_DIGITS } else { ONE_BLANK };
            }
            before = Some(cell.value);
            end = cell.to;
        }
    }
    (codes.iter().map(|c| c.iter().map(|c| c.1).fold(f64::INFINITY, f64::min)).sum(), single)
}
