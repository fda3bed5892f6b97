//! One column of whole lines.

use super::super::measure::column::{Words, code_all};
use super::super::measure::grid::Grid;
use super::super::measure::lexicon::ValueId;
use super::super::measure::sort::Sort;
use super::super::measure::structure::nested;
use super::{Bench, Candidate, Form};
use crate::record::Dialect;

/// Bits of saying that lines are not divided.
const DIALECT: f64 = 8.0;

/// Each line is one value: always possible. A value may be in quotes.
pub(in crate::layout) fn propose(bench: &mut Bench<'_, '_>, quote: Option<u8>) -> Candidate {
    let dialect = Dialect { quote, ..bench.plain.clone() };
    let grid = Grid::read(bench.sample, &dialect, &mut bench.lexicon);
    let values: Vec<ValueId> = grid
        .rows
        .iter()
        .filter(|r| !r.is_rule)
        .map(|r| grid.cells(r).first().map_or(r.text, |cell| cell.value))
        .collect();
    let (plain, column) = code_all(&bench.lexicon, &mut Words::default(), &values);
    let sorts = |sort: fn(Sort) -> bool| {
        column
            .values()
            .filter(|(id, _)| sort(bench.lexicon.get(*id).sort))
            .map(|v| v.1 as usize)
            .sum::<usize>()
    };
    let (atoms, moments) = (sorts(|s| s != Sort::Text), sorts(|s| s == Sort::Moment));
    let mut bits = if atoms * 10 > values.len() * 9 {
        nested(&mut bench.lexicon, &values, plain, None, 5)
    } else {
        plain
    };
    bits += super::delimited::unexplained_quotes(bench, &grid);
    // A date with its time, or its parts, is one value.
    if moments * 100 > values.len() * 95 {
        bits -= values.len() as f64;
    }
    Candidate {
        dialect,
        form: Form::Whole,
        width: 1,
        bits: bits + DIALECT + if grid.quoted > 0 { 4.0 + 6.0 * grid.bad_quotes as f64 } else { 0.0 },
        records: grid.rows.len(),
        even: grid.rows.len(),
        aside: 0,
        quoted: grid.quoted,
        bad_quotes: grid.bad_quotes,
        names: None,
        columns: vec![column],
    }
}
