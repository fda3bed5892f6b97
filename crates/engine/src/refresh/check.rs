//! The check of a finished workbook: the table is read again from its bytes, and rows that should say what their records say do.

use super::{Applied, Compared, columns_of, locate};
use crate::cells::ColumnWriter;
use crate::stop::{NotAsWritten, Result, Stop};
use incola_core::kind::Kind;
use incola_core::refresh::fingerprint;
use incola_workbook::{CellContent, ExistingBook, Scan, Scanner};
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
    let kinds: Vec<Kind> =
        link.columns.iter().map(|c| Kind::from_word(&c.kind).unwrap_or(Kind::Text)).collect();
    // In the order of the sheet, for the scan; each with its place in the link.
    let mut by_column: Vec<(u32, usize)> =
        places.iter().enumerate().map(|(place, at)| (located.headings[*at].0, place)).collect();
    by_column.sort_unstable();
    let columns: Vec<u32> = by_column.iter().map(|(column, _)| *column).collect();
    let tables = book.tables(located.sheet).map_err(Stop::Book)?;
    let has_totals = tables.iter().any(|t| Some(&t.name) == located.table.as_ref() && t.has_totals);
    let (first, last) = (located.range.from.row + 1, located.range.to.row - u32::from(has_totals));
    let mut strings = Vec::new();
    book.shared_strings(|text| strings.push(fingerprint::text(text.as_bytes()))).map_err(Stop::Book)?;
    let writer = ColumnWriter::plain(book.is_1904());
    let scan = Scan { columns: &columns, from: first, to: last };
    let reading = Reading { by_column: &by_column, kinds: &kinds, strings: &strings, writer: &writer };
    let mut left: HashMap<u64, u32> = HashMap::new();
    for print in &applied.imported {
        *left.entry(*print).or_default() += 1;
    }
    let mut found = 0;
    let start = || Block { reading, cells: vec![fingerprint::BLANK; kinds.len()], rows: Vec::new() };
    let failed = |error: incola_workbook::Error| Stop::NotAsWritten {
        sheet: located.sheet_name.clone(),
        why: NotAsWritten::Damaged(error.to_string()),
    };
    book.scan(located.sheet, &scan, start, |block: Block<'_>| {
        for print in block.rows {
            if let Some(count) = left.get_mut(&print).filter(|count| **count > 0) {
                *count -= 1;
                found += 1;
            }
        }
    })
    .map_err(failed)?;
    let wanted = compared.alike + compared.added.len() as u64;
    if found < wanted {
        let why = NotAsWritten::Records(found, wanted);
        return Err(Stop::NotAsWritten { sheet: located.sheet_name, why });
    }
    Ok(found)
}

/// How cells are read.
#[derive(Clone, Copy)]
struct Reading<'r> {
    /// Columns of the sheet, from 1, and their places in the link.
    by_column: &'r [(u32, usize)],
    kinds: &'r [Kind],
    strings: &'r [u64],
    writer: &'r ColumnWriter,
}

/// The rows of one block.
struct Block<'r> {
    reading: Reading<'r>,
    cells: Vec<u64>,
    /// Their fingerprints.
    rows: Vec<u64>,
}

impl Scanner for Block<'_> {
    fn row(&mut self, _: u32, cells: &[CellContent<'_>]) {
        let Reading { by_column, kinds, strings, writer } = self.reading;
        let string = |n: usize| strings.get(n).copied().unwrap_or(fingerprint::BLANK);
        for ((_, place), content) in by_column.iter().zip(cells) {
            self.cells[*place] = writer.fingerprint_of_cell(content, kinds[*place], &string);
        }
        self.rows.push(fingerprint::row(&self.cells));
    }
}
