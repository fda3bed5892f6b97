//! Where rows go in a sheet that is there already: below headings that stand there, below a heading of their own, or under the
//! last row. Whatever stands in the way stops the import before anything is written.

use crate::failure::{Failure, Result};
use crate::render::command::quoted;
use crate::render::sanitize;
use incola_core::reading::ColumnReading;
use incola_workbook::{CellRef, ExistingBook, ExistingCell, ExistingTable, Range, SheetFacts, limits};

/// Rows from the place on whose cells are told if they stand in the way.
const SHOWN_ROWS: u32 = 4;

/// What is to be done with what stands in the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mode {
    /// Nothing may stand where rows go.
    Fresh,
    /// Rows go under the last one.
    Append,
}

/// How columns of the source find their columns of the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Matching {
    /// By name.
    Name,
    /// In their order.
    Position,
}

/// What the clerk says about the place.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Wish {
    pub(crate) at: Option<CellRef>,
    pub(crate) mode: Mode,
    pub(crate) matching: Matching,
}

/// Where the rows of a source go.
#[derive(Clone, Debug)]
pub(crate) struct Place {
    /// The row of a heading that is written; `None`: headings stand there.
    pub(crate) heading_row: Option<u32>,
    /// The row of the first record.
    pub(crate) first_row: u32,
    /// Columns of the sheet (from 1), in rising order.
    pub(crate) columns: Vec<u32>,
    /// For each of them the column of the source (from 0).
    pub(crate) order: Vec<usize>,
    /// The table that takes the rows in.
    pub(crate) table: Option<ExistingTable>,
}

impl Place {
    /// The cells that so many records fill, with their heading.
    pub(crate) fn range(&self, records: u64) -> Range {
        let from = self.heading_row.unwrap_or(self.first_row);
        let last = self.last_row(records).max(from);
        let column = |at: Option<&u32>| at.copied().unwrap_or(1);
        Range {
            from: CellRef { row: from, column: column(self.columns.first()) },
            to: CellRef { row: last, column: column(self.columns.last()) },
        }
    }

    /// The last row of so many records.
    pub(crate) fn last_row(&self, records: u64) -> u32 {
        self.first_row.saturating_add(u32::try_from(records).unwrap_or(u32::MAX)).saturating_sub(1)
    }
}

/// Finds the place for `columns` in sheet `sheet` of a workbook, called `name`.
pub(crate) fn find(
    book: &mut ExistingBook,
    (sheet, name): (usize, &str),
    wish: Wish,
    columns: &[ColumnReading],
    records: u64,
) -> Result<Place> {
    let failed = |e: incola_workbook::Error| {
        Failure::unreadable(e.to_string()).leaving("the workbook was left as it is")
    };
    let at = wish.at.unwrap_or(CellRef { row: 1, column: 1 });
    let tables = book.tables(sheet).map_err(failed)?;
    let table = tables.into_iter().find(|t| {
        t.has_header && (wish.at.is_none() || (t.range.from.row <= at.row && at.row <= t.range.to.row + 1))
    });
    let table = table.filter(|_| wish.mode == Mode::Append);
    let top = table.as_ref().map_or(at.row, |t| t.range.from.row);
    let facts = book.facts(sheet, top.saturating_sub(1).max(1), top + SHOWN_ROWS).map_err(failed)?;
    let wanted: Vec<usize> = (0..columns.len()).filter(|i| columns[*i].is_wanted()).collect();
    let place = match &table {
        Some(table) => {
            if table.has_totals {
                return Err(Failure::protected(format!(
                    "table \u{201c}{}\u{201d} has a totals row; rows go above it, which this version cannot do",
                    table.name
                ))
                .leaving("the workbook was left as it is")
                .help("switch the totals row off in the program that shows the sheet, append, and switch it on again"));
            }
            let left = table.range.from.column;
            let headings: Vec<(u32, String)> = (left..).zip(table.columns.iter().cloned()).collect();
            let (columns_at, order) = matched(&headings, columns, &wanted, wish.matching, name)?;
            let first_row = table.range.to.row + 1;
            Place { heading_row: None, first_row, columns: columns_at, order, table: Some(table.clone()) }
        }
        None => below_headings(name, at, &facts, wish, columns, &wanted)?,
    };
    let first = place.heading_row.unwrap_or(place.first_row);
    let last = place.range(records).to.row;
    if facts.has_rows(first, last) {
        let filled = facts.last_filled_row >= first;
        let what =
            if filled { "cells stand in the way or beside" } else { "formatted rows stand in the way" };
        let mut text = format!(
            "sheet \u{201c}{name}\u{201d}: {what}: rows go to {}, and the sheet has rows up to {}",
            place.range(records),
            facts.last_row
        );
        for cell in facts.cells.iter().filter(|c| c.at.row >= first).take(5) {
            text.push_str(&format!("\n  {} holds \u{201c}{}\u{201d}", cell.at, sanitize::line(&cell.text)));
        }
        let mut failure = Failure::protected(text).leaving("the workbook was left as it is");
        failure = failure.help("put the rows under the last one: --mode append");
        if let Some(free) = CellRef::new(facts.last_row + 2, at.column) {
            failure = failure.help(format!("or below everything: --at {free}"));
        }
        return Err(failure.help("or give them a sheet of their own: --sheet with another name"));
    }
    if place.range(records).to.row > limits::ROWS || u64::from(first) + records > u64::from(limits::ROWS) {
        return Err(Failure::protected(format!(
            "{records} records do not fit below row {first} of \u{201c}{name}\u{201d}"
        ))
        .leaving("the workbook was left as it is"));
    }
    Ok(place)
}

/// Below headings at or right above `at`, or with a heading there; in append mode under the last row.
fn below_headings(
    name: &str,
    at: CellRef,
    facts: &SheetFacts,
    wish: Wish,
    columns: &[ColumnReading],
    wanted: &[usize],
) -> Result<Place> {
    let headings_in = |row: u32| -> Vec<(u32, String)> {
        let cells: Vec<&ExistingCell> =
            facts.cells.iter().filter(|c| c.at.row == row && c.at.column >= at.column).collect();
        let run =
            (at.column..).zip(&cells).take_while(|(column, cell)| cell.at.column == *column && cell.is_text);
        run.map(|(column, cell)| (column, cell.text.clone())).collect()
    };
    let found = [at.row, at.row.saturating_sub(1)]
        .into_iter()
        .filter(|row| *row > 0)
        .map(|row| (row, headings_in(row)))
        .find(|(_, headings)| !headings.is_empty());
    match found {
        Some((row, headings)) => {
            let (columns_at, order) = matched(&headings, columns, wanted, wish.matching, name)?;
            let first_row = if wish.mode == Mode::Append { facts.last_row.max(row) + 1 } else { row + 1 };
            Ok(Place { heading_row: None, first_row, columns: columns_at, order, table: None })
        }
        None if wish.mode == Mode::Append && facts.last_filled_row > 0 => Err(Failure::protected(format!(
            "sheet \u{201c}{name}\u{201d} has no headings at {at} to match the columns with"
        ))
        .leaving("the workbook was left as it is")
        .help("say where its headings are: --at CELL")),
        None => Ok(Place {
            heading_row: Some(at.row),
            first_row: at.row + 1,
            columns: (at.column..).take(wanted.len()).collect(),
            order: wanted.to_vec(),
            table: None,
        }),
    }
}

/// A name as it is compared: without case, blanks and punctuation.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Pairs headings of the sheet with columns of the source.
fn matched(
    headings: &[(u32, String)],
    columns: &[ColumnReading],
    wanted: &[usize],
    matching: Matching,
    sheet: &str,
) -> Result<(Vec<u32>, Vec<usize>)> {
    if matching == Matching::Position && headings.len() == wanted.len() {
        return Ok((headings.iter().map(|h| h.0).collect(), wanted.to_vec()));
    }
    let mut left: Vec<usize> = wanted.to_vec();
    let mut pairs: Vec<(u32, usize)> = Vec::new();
    for alike in [|a: &str, b: &str| a == b, |a: &str, b: &str| plain(a) == plain(b)] {
        for (column, heading) in headings.iter().filter(|h| !h.1.is_empty()) {
            if pairs.iter().any(|p| p.0 == *column) {
                continue;
            }
            if let Some(at) = left.iter().position(|i| alike(&columns[*i].name, heading)) {
                pairs.push((*column, left.remove(at)));
            }
        }
    }
    if pairs.len() == headings.len() && left.is_empty() {
        pairs.sort_unstable();
        return Ok(pairs.into_iter().unzip());
    }
    let rows = headings.len().max(wanted.len());
    let mut table = String::from("\n  sheet                     source");
    for n in 0..rows {
        let heading = headings.get(n).map_or("", |h| h.1.as_str());
        let column = wanted.get(n).map_or("", |i| columns[*i].name.as_str());
        table.push_str(&format!("\n  {:<24}  {}", sanitize::line(heading), sanitize::line(column)));
    }
    let example = left.first().map(|i| columns[*i].name.clone()).unwrap_or_default();
    Err(Failure::protected(format!(
        "sheet \u{201c}{sheet}\u{201d}: its headings are not the columns of the source{table}"
    ))
    .leaving("the workbook was left as it is")
    .help("columns in the same order: --match position")
    .help(format!("leave a column out: --as {}", quoted(&format!("{example}=skip"))))
    .help("give columns the sheet's names: --names"))
}
