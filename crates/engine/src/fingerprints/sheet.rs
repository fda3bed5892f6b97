//! Fingerprints of the rows of a sheet.

use crate::cells::{ColumnWriter, string_prints};
use crate::stop::{Result, Stop};
use incola_core::kind::Kind;
use incola_core::refresh::fingerprint;
use incola_workbook::{CellContent, ExistingBook, Scan, Scanner};

/// A column of a sheet that fingerprints of rows are made of.
#[derive(Clone, Copy)]
pub(crate) struct SheetColumn<'w> {
    /// Its number, from 1.
    pub(crate) column: u32,
    /// Its place in a row's fingerprint.
    pub(crate) place: usize,
    /// How its cells are read.
    pub(crate) writer: &'w ColumnWriter,
    /// What its numbers are.
    pub(crate) kind: Kind,
}

/// Rows of a sheet, in order.
#[derive(Default)]
pub(crate) struct RowPrints {
    /// Their numbers.
    pub(crate) numbers: Vec<u32>,
    /// Their fingerprints.
    pub(crate) prints: Vec<u64>,
}

/// Rows `from` to `to` of a sheet, from 0, by these columns, in rising order.
///
/// # Errors
/// [`Stop::Book`] if the workbook cannot be read.
pub(crate) fn row_prints(
    book: &mut ExistingBook,
    (sheet, from, to): (usize, u32, u32),
    columns: &[SheetColumn<'_>],
) -> Result<RowPrints> {
    let strings = string_prints(book)?;
    let numbers: Vec<u32> = columns.iter().map(|column| column.column).collect();
    let scan = Scan { columns: &numbers, from, to };
    let start = || Block {
        columns,
        strings: &strings,
        cells: vec![fingerprint::BLANK; columns.len()],
        rows: RowPrints::default(),
    };
    let mut all = RowPrints::default();
    for block in book.scanned(sheet, &scan, start).map_err(Stop::Book)? {
        all.numbers.extend(block.rows.numbers);
        all.prints.extend(block.rows.prints);
    }
    Ok(all)
}

/// The rows of one block.
struct Block<'b> {
    columns: &'b [SheetColumn<'b>],
    strings: &'b [u64],
    cells: Vec<u64>,
    rows: RowPrints,
}

impl Scanner for Block<'_> {
    fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
        let string = |n: usize| self.strings.get(n).copied().unwrap_or(fingerprint::BLANK);
        for (own, content) in self.columns.iter().zip(cells) {
            self.cells[own.place] = own.writer.fingerprint_of_cell(content, own.kind, &string);
        }
        self.rows.numbers.push(number);
        self.rows.prints.push(fingerprint::row(&self.cells));
    }
}
