//! What `--at` says: a cell, or the name of a table, of a range, or of a heading.

use crate::stop::{Result, SpotStop, Stop};
use incola_workbook::{CellRef, ExistingBook, Range};

/// Rows in which a heading is looked for.
const HEADING_ROWS: u32 = 50;

/// A place in a workbook.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Spot {
    /// The sheet, from 0, if the name says so.
    pub sheet: Option<usize>,
    /// The cell.
    pub cell: Option<CellRef>,
    /// The table.
    pub table: Option<String>,
    /// The name of a range, and its cells.
    pub range: Option<(String, Range)>,
}

/// Finds what `--at` says, in a sheet (from 0) if one was named.
pub fn find(book: &mut ExistingBook, at: &str, sheet: Option<usize>) -> Result<Spot> {
    if let Some(cell) = CellRef::parse(at) {
        // Written with marks of absolute references it is nothing but a cell.
        if let Some(n) = sheet.filter(|_| !at.contains('$'))
            && let [heading] = called(book, at, n)?[..]
            && heading != cell
        {
            return Err(Stop::Spot(SpotStop::CellOrHeading { cell, heading }));
        }
        return Ok(Spot { cell: Some(cell), ..Spot::default() });
    }
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
        let Some((place, range)) = name.range() else {
            return Err(Stop::Spot(SpotStop::NoRange {
                at: at.to_owned(),
                refers_to: name.refers_to.clone(),
            }));
        };
        let place = sheets.iter().position(|s| s.to_lowercase() == place.to_lowercase());
        let named = Some((name.name.clone(), range));
        return Ok(Spot { sheet: place, cell: Some(range.from), range: named, ..Spot::default() });
    }
    if let Some(n) = sheet {
        match called(book, at, n)?[..] {
            [] => {}
            [cell] => return Ok(Spot { cell: Some(cell), ..Spot::default() }),
            [first, second, ..] => {
                return Err(Stop::Spot(SpotStop::Twice { at: at.to_owned(), first, second }));
            }
        }
    }
    Err(Stop::Spot(SpotStop::Nowhere { at: at.to_owned(), knows_sheet: sheet.is_some() }))
}

/// The cells near the top of a sheet (from 0) that hold this text.
fn called(book: &mut ExistingBook, text: &str, sheet: usize) -> Result<Vec<CellRef>> {
    let cells = book.cells(sheet, 1, HEADING_ROWS, 20_000).map_err(Stop::Book)?;
    let is_called = |cell: &str| cell.trim().to_lowercase() == text.to_lowercase();
    Ok(cells.iter().filter(|c| c.is_text && is_called(&c.text)).map(|c| c.at).collect())
}
