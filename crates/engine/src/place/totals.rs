//! Which rows under a plain range are its totals: those whose formulas look up over the rows above, or whose label says so.

use crate::stop::{Held, PlaceStop, Result, Stop};
use incola_core::layout::names_total;
use incola_workbook::{ExistingCell, KeptRow, SheetFacts};

/// What a row below the headings is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum RowSort {
    /// It holds values, as records do.
    Record,
    /// It sums up the rows above.
    Totals,
    /// It computes something, and holds nothing that was typed but a label: totals of totals.
    Computed,
    /// It holds a label and something else.
    Labelled,
    /// It sums up the rows above, and holds values besides.
    Unclear,
}

/// The rows of totals under a plain range, the first and the last one; `None`: it has none. `columns`: those that the source fills,
/// in rising order; `known_last`: the last row of data, where something knows.
///
/// # Errors
/// [`PlaceStop::UnclearTotals`] if a row may be either.
pub(super) fn of_range(
    facts: &SheetFacts,
    (columns, data_first): (&[u32], u32),
    known_last: Option<u32>,
    sheet: &str,
) -> Result<Option<(u32, u32)>> {
    let rows = last_rows(facts, data_first);
    let sort = |row: &KeptRow| sort_of(row, columns, data_first);
    let is_known = |row: &KeptRow| known_last.is_some_and(|known| row.row <= known);
    let mut first = None;
    for row in rows.iter().rev() {
        // A record that someone called so stands among others; totals leave cells blank.
        match sort(row) {
            _ if is_known(row) || row.row == data_first => break,
            RowSort::Totals => first = Some(row.row),
            RowSort::Computed | RowSort::Labelled => {}
            RowSort::Record => break,
            RowSort::Unclear => return Err(unclear(row, (columns, data_first), sheet)),
        }
    }
    let Some(last) = rows.last().map(|row| row.row) else { return Ok(None) };
    if let Some(first) = first {
        return Ok(Some((first, last)));
    }
    // Without any formula that tells, the label does.
    let labelled =
        rows.last().filter(|row| sort(row) == RowSort::Labelled && !is_known(row) && row.row > data_first);
    Ok(labelled.map(|row| (row.row, row.row)))
}

/// The last rows of those that follow each other from the first row of data on, in all columns of the range.
fn last_rows(facts: &SheetFacts, data_first: u32) -> Vec<&KeptRow> {
    let of = |runs: &'_ [incola_workbook::Run]| runs.iter().position(|run| run.from == data_first);
    let mut rows: Vec<&KeptRow> = Vec::new();
    let Some(own) = of(&facts.runs).map(|at| &facts.runs[at]) else { return rows };
    rows.extend(&own.tail);
    // Totals may stand under computed columns alone.
    let beside = facts.beside_runs.iter().find(|run| (run.from..=run.to).contains(&own.to));
    if let Some(beside) = beside.filter(|run| run.to > own.to) {
        rows.extend(beside.tail.iter().filter(|row| row.row > own.to));
    }
    rows
}

fn sort_of(row: &KeptRow, columns: &[u32], data_first: u32) -> RowSort {
    let own = || row.shown.iter().filter(|cell| columns.binary_search(&cell.at.column).is_ok());
    let texts: Vec<&ExistingCell> =
        own().filter(|c| c.is_text && !c.has_formula && !c.text.trim().is_empty()).collect();
    let numbers = own().filter(|c| !c.is_text && !c.has_formula).count();
    let formulas = row.shown.iter().filter(|c| c.has_formula).count();
    let own_formulas = own().filter(|c| c.has_formula).count();
    let typed = texts.len() + numbers;
    // A record fills its cells.
    let is_sparse = typed <= 1 || typed * 2 <= columns.len();
    let says_so = texts.first().is_some_and(|cell| names_total(cell.text.trim()))
        && typed + own_formulas < columns.len().max(2);
    if row.looks_up(data_first) {
        return match () {
            () if says_so || (numbers == 0 && is_sparse) => RowSort::Totals,
            // Running sums beside records.
            () if own_formulas == 0 => RowSort::Record,
            () => RowSort::Unclear,
        };
    }
    match () {
        () if says_so => RowSort::Labelled,
        () if formulas > 0 && numbers == 0 && is_sparse => RowSort::Computed,
        () => RowSort::Record,
    }
}

fn unclear(row: &KeptRow, (columns, first_row): (&[u32], u32), sheet: &str) -> Stop {
    let own = row.shown.iter().filter(|cell| columns.contains(&cell.at.column)).take(5);
    let cells = own.map(|cell| {
        let formula = row.formula(cell.at.column).map(|formula| format!("={formula}"));
        Held { at: cell.at, text: formula.unwrap_or_else(|| cell.text.clone()) }
    });
    let column = |c: Option<&u32>| c.copied().unwrap_or(1);
    let why = PlaceStop::UnclearTotals {
        row: row.row,
        cells: cells.collect(),
        columns: (column(columns.first()), column(columns.last())),
        first_row,
    };
    Stop::place(sheet, why)
}

#[cfg(test)]
mod tests {
    use super::*;
    use incola_workbook::{CellRef, Run};

    /// A row of cells: `=` in front makes a formula, digits a number.
    fn row(number: u32, cells: &str) -> KeptRow {
        let shown = cells.split(',').zip(1..).filter(|(text, _)| !text.is_empty());
        KeptRow::told(number, shown.map(|(text, column)| (CellRef { row: number, column }, text)))
    }

    #[test]
    fn totals_are_told_from_records() {
        for (rows, known, expected) in [
            // Records alone.
            (&["a,b,1", "c,d,2"][..], None, Ok(None)),
            (&["a,b,1", "Total,,=SUM(C2:C2)"], None, Ok(Some((3, 3)))),
            // Two rows of totals, the second of which looks at the first.
            (&["a,b,1", "Sum,,=SUM(C2:C2)", "Tax,,=C3*0.2"], None, Ok(Some((3, 4)))),
            (&["a,b,1", "Total,,=SUM(C2:C2)", "Mean,,=AVERAGE(C2:C2)"], None, Ok(Some((3, 4)))),
            // A formula typed into a record.
            (&["a,b,1", "c,d,=C2*2"], None, Ok(None)),
            (&["a,b,1", "c,d,=SUM(C2:C2)"], None, Err(())),
            (&["a,b,1", "c,d,=SUM(C2:C2)"], Some(3), Ok(None)),
            // Only a computed column has a total.
            (&["a,b,1,=C2*2", ",,,=SUM(D2:D2)"], None, Ok(Some((3, 3)))),
            // Running sums are no totals.
            (&["a,b,1,=SUM(C2:C2)", "c,d,2,=SUM(C2:C2)"], None, Ok(None)),
            // The label says so, though the sum was typed.
            (&["a,b,1", "Total,,1"], None, Ok(Some((3, 3)))),
            (&["a,b,1", "Total Quay,b,1"], None, Ok(None)),
            // The first row is data.
            (&["Total,,1"], None, Ok(None)),
        ] {
            let tail: Vec<KeptRow> = rows.iter().zip(2..).map(|(cells, n)| row(n, cells)).collect();
            let run =
                |tail: Vec<KeptRow>| Run { from: 2, to: tail.last().unwrap().row, cells: Vec::new(), tail };
            let is_own = |row: &KeptRow| row.shown.iter().any(|c| c.at.column <= 3);
            let own = tail.iter().filter(|row| is_own(row)).cloned().collect();
            let mut facts = SheetFacts::default();
            (facts.runs, facts.beside_runs) = (vec![run(own)], vec![run(tail)]);
            let found = of_range(&facts, (&[1, 2, 3], 2), known, "calls").map_err(|_| ());
            assert_eq!(found, expected, "{rows:?}");
        }
    }
}
