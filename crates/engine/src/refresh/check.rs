//! The check of a finished workbook: the table is read again from its bytes, and rows that should say what their records say do.

use super::{Applied, Compared, columns_of, locate};
use crate::cells::ColumnWriter;
use crate::fingerprints::{SheetColumn, row_prints};
use crate::stop::{NotAsWritten, Result, Stop};
use incola_core::kind::Kind;
use incola_workbook::ExistingBook;
use std::collections::HashMap;

/// Reads the table of a refreshed link again, from the finished workbook; gives how many of its rows say what a record of the source says.
/// Rows that were changed by hand do not, and need not.
///
/// # Errors
/// [`Stop::NotAsWritten`] if there are fewer than those that did before and those that came, or the sheet cannot be read; whatever
/// looking for the table fails with.
pub fn check(book: &mut ExistingBook, applied: &Applied, compared: &Compared) -> Result<u64> {
    let link = &applied.link;
    let located = locate(book, link)?;
    let places = columns_of(link, &located)?;
    let writer = ColumnWriter::plain(book.is_1904());
    let column = |(place, at): (usize, &usize)| SheetColumn {
        column: located.headings[*at].0,
        place,
        writer: &writer,
        kind: Kind::from_word(&link.columns[place].kind).unwrap_or(Kind::Text),
    };
    let mut columns: Vec<SheetColumn<'_>> = places.iter().enumerate().map(column).collect();
    columns.sort_unstable_by_key(|column| column.column);
    let tables = book.tables(located.sheet).map_err(Stop::Book)?;
    let has_totals = tables.iter().any(|t| Some(&t.name) == located.table.as_ref() && t.has_totals);
    let (first, last) = (located.range.from.row + 1, located.range.to.row - u32::from(has_totals));
    let rows = row_prints(book, (located.sheet, first, last), &columns).map_err(|stop| match stop {
        Stop::Book(error) => {
            let (sheet, why) = (located.sheet_name.clone(), NotAsWritten::Damaged(error.to_string()));
            Stop::NotAsWritten { sheet, why }
        }
        stop => stop,
    })?;
    let mut left: HashMap<u64, u32> = HashMap::new();
    for print in &applied.imported {
        *left.entry(*print).or_default() += 1;
    }
    let mut found = 0;
    for print in &rows.prints {
        if let Some(count) = left.get_mut(print).filter(|count| **count > 0) {
            *count -= 1;
            found += 1;
        }
    }
    let wanted = compared.alike + compared.added.len() as u64;
    if found < wanted {
        let why = NotAsWritten::Records(found, wanted);
        return Err(Stop::NotAsWritten { sheet: located.sheet_name, why });
    }
    Ok(found)
}
