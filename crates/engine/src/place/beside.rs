//! Columns that the source does not fill and that belong to the rows all the same: the clerk's own ones in the table, and what
//! stands right beside it.

use super::headings::{Heading, Pairs};
use crate::import::Slot;
use incola_workbook::{CellRef, ExistingCell, ExistingTable, Question, Range, SheetFacts, limits};

/// The tables of the sheet, and the one that takes the rows in.
type Tables<'t> = (&'t [ExistingTable], Option<&'t ExistingTable>);

/// Columns under headings that the source does not fill, and columns of formulas right beside, as far as the first rows tell.
pub(super) fn usual(
    (pairs, headings): (&Pairs, &[Heading]),
    tables: Tables<'_>,
    cells: &[ExistingCell],
    data_first: u32,
) -> Vec<u32> {
    let is_filled = |column: u32| pairs.slots.iter().any(|(c, _)| *c == column);
    let mut all: Vec<u32> = headings.iter().map(|h| h.column).filter(|c| !is_filled(*c)).collect();
    let is_computed = |column: u32| {
        let at = CellRef { row: data_first, column };
        super::is_computed(cells, at)
            && !is_filled(column)
            && !is_of_another(tables, Range { from: at, to: at })
    };
    if let (Some(first), Some(last)) = (headings.first(), headings.last()) {
        all.extend((last.column + 1..=limits::COLUMNS).take_while(|c| is_computed(*c)));
        all.extend((1..first.column).rev().take_while(|c| is_computed(*c)));
    }
    all.sort_unstable();
    all
}

/// Columns that nothing goes into and that are formulas in most rows are the clerk's computed ones. `false`: there are none.
pub(super) fn compute(facts: &SheetFacts, pairs: &mut Pairs, question: &mut Question) -> bool {
    let run = facts.runs.iter().find(|run| run.from == question.first_row);
    let rows = run.map_or(0, |run| u64::from(run.to + 1 - run.from));
    let own = pairs.slots.iter().zip(&facts.columns);
    let computed: Vec<u32> = own
        .filter(|((_, slot), facts)| *slot == Slot::Nothing && facts.formulas * 2 > rows)
        .map(|((column, _), _)| *column)
        .collect();
    pairs.slots.retain(|(column, _)| !computed.contains(column));
    question.columns.retain(|column| !computed.contains(column));
    question.beside.extend(&computed);
    question.beside.sort_unstable();
    pairs.computed.extend(&computed);
    !computed.is_empty()
}

/// Columns right beside those asked for that hold something beside the rows and nothing further down: remarks, and formulas whose
/// first cell is none. They go with the rows.
pub(super) fn touching(
    facts: &SheetFacts,
    (question, headings): (&Question, &[Heading]),
    tables: Tables<'_>,
    known_last: Option<u32>,
) -> Vec<u32> {
    let first_row = question.first_row;
    let run_end = facts.runs.iter().find(|run| run.from == first_row).map_or(first_row - 1, |run| run.to);
    let end = match tables.1 {
        Some(table) => table.range.to.row,
        None => run_end.max(known_last.unwrap_or(0)),
    };
    // A row of totals below computed columns alone.
    let end = end.saturating_add(u32::from(tables.1.is_none()));
    let is_theirs = |column: &u32| {
        let other = facts.others.binary_search_by_key(column, |o| o.column).map(|at| facts.others[at]);
        other.is_ok_and(|other| {
            let from = CellRef { row: first_row, column: *column };
            other.last <= end
                && !is_of_another(tables, Range { from, to: CellRef { row: end, column: *column } })
        })
    };
    let known =
        || question.columns.iter().chain(&question.beside).copied().chain(headings.iter().map(|h| h.column));
    let (Some(first), Some(last)) = (known().min(), known().max()) else { return Vec::new() };
    let mut all: Vec<u32> = (last + 1..=limits::COLUMNS).take_while(is_theirs).collect();
    all.extend((1..first).rev().take_while(is_theirs));
    all
}

/// Whether cells are those of another table.
fn is_of_another((all, own): Tables<'_>, cells: Range) -> bool {
    let is_own = |table: &ExistingTable| own.is_some_and(|own| own.name == table.name);
    all.iter().any(|table| !is_own(table) && table.range.meets(cells))
}

/// The rows that follow right below `last`, the first and the last one.
pub(super) fn below(facts: &SheetFacts, (first, last): (u32, u32)) -> Option<(u32, u32)> {
    let run = facts.runs.iter().find(|run| (run.from..=run.to).contains(&last.max(first)))?;
    (run.to > last).then_some((last + 1, run.to))
}
