//! What `--at` says: a cell, or the name of a table, of a range, or of a heading.

use crate::failure::{Failure, Result};
use crate::render::command::quoted;
use incola_workbook::{CellRef, ExistingBook, Range};

/// Rows in which a heading is looked for.
const HEADING_ROWS: u32 = 50;

/// A place in a workbook.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Spot {
    /// The sheet, from 0, if the name says so.
    pub(crate) sheet: Option<usize>,
    /// The cell.
    pub(crate) cell: Option<CellRef>,
    /// The table.
    pub(crate) table: Option<String>,
    /// The name of a range, and its cells.
    pub(crate) range: Option<(String, Range)>,
}

/// Finds what `--at` says, in a sheet (from 0) if one was named.
pub(crate) fn find(book: &mut ExistingBook, at: &str, sheet: Option<usize>) -> Result<Spot> {
    if let Some(cell) = CellRef::parse(at) {
        return Ok(Spot { cell: Some(cell), ..Spot::default() });
    }
    let failed =
        |e: incola_workbook::Error| Failure::unreadable(e.to_string()).leaving("nothing was written");
    let same = |name: &str| name.to_lowercase() == at.to_lowercase();
    let sheets = book.sheet_names();
    for n in 0..sheets.len() {
        // A sheet that has no cells has no tables either.
        let Ok(tables) = book.tables(n) else { continue };
        if let Some(table) = tables.iter().find(|t| same(&t.name)) {
            return Ok(Spot { sheet: Some(n), table: Some(table.name.clone()), ..Spot::default() });
        }
    }
    if let Some(name) = book.defined_names().iter().find(|n| same(&n.name) && !n.is_hidden) {
        let (place, range) = name.range().ok_or_else(|| {
            Failure::usage(format!(
                "--at {at}: that name stands for \u{201c}{}\u{201d}, not for one range",
                name.refers_to
            ))
        })?;
        let place = sheets.iter().position(|s| s.to_lowercase() == place.to_lowercase());
        let named = Some((name.name.clone(), range));
        return Ok(Spot { sheet: place, cell: Some(range.from), range: named, ..Spot::default() });
    }
    if let Some(n) = sheet {
        let cells = book.cells(n, 1, HEADING_ROWS, 20_000).map_err(failed)?;
        let found: Vec<_> = cells.iter().filter(|c| c.is_text && same(c.text.trim())).collect();
        match found.as_slice() {
            [] => {}
            [cell] => return Ok(Spot { cell: Some(cell.at), ..Spot::default() }),
            [first, second, ..] => {
                return Err(Failure::usage(format!(
                    "--at {}: that stands in {} and in {}",
                    quoted(at),
                    first.at,
                    second.at
                ))
                .leaving("nothing was written")
                .help(format!("say which cell: --at {}", first.at)));
            }
        }
    }
    let mut failure = Failure::usage(format!(
        "--at {}: there is no table, range or heading of that name, and it is no cell",
        quoted(at)
    ))
    .leaving("nothing was written")
    .help("name a cell, such as --at A2");
    if sheet.is_none() {
        failure = failure.help("or a heading of a sheet: --sheet NAME --at HEADING");
    }
    Err(failure)
}
