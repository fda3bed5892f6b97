//! The cells of a sheet as a stream: what each holds, how it is formatted, and what is shown.

use crate::error::{Error, Result};
use crate::existing::ExistingBook;
use crate::number_format::NumberFormat;
use crate::reference::{CellRef, Range};
use crate::sheet::raw::Cells;
use crate::sheet::source::{RowBytes, SheetSource};
use crate::sheet::told::existing;
use crate::sheet::value::{CellValue, shown, value};
use std::collections::HashMap;

/// Bytes of rows read at a time.
const BLOCK: usize = 1 << 20;

/// A cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SheetCell {
    /// Where it stands.
    pub at: CellRef,
    /// What it holds; of a formula the result that was computed last.
    pub value: CellValue,
    /// The code of its number format.
    pub format: String,
    /// What is shown, with the marks of no country.
    pub shown: String,
    /// Whether it holds a formula.
    pub has_formula: bool,
}

/// What there is of a sheet.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SheetExtent {
    /// The smallest range that holds all cells which hold something; `None`: there are none.
    pub used: Option<Range>,
    /// Cells that hold something.
    pub cells: u64,
    /// Those with formulas.
    pub formulas: u64,
}

impl ExistingBook {
    /// Reads the cells of sheet `n` (from 0) in rows `from` to `to` that hold something, row by row from left to right, until
    /// `take` gives `false`. Memory does not grow with the sheet.
    ///
    /// # Errors
    /// [`Error::Damaged`] if a part cannot be read.
    pub fn read_cells(
        &mut self,
        n: usize,
        (from, to): (u32, u32),
        mut take: impl FnMut(SheetCell) -> bool,
    ) -> Result<()> {
        let place = self.sheet_place(n)?;
        let styles = self.style_map()?;
        let mut source = self.sheet_source(place)?;
        source.head(self.zip())?;
        let mut formats: HashMap<u32, NumberFormat> = HashMap::new();
        let is_1904 = self.is_1904();
        while let Some(rows) = source.rows(self.zip(), to, BLOCK)? {
            let mut cells = Vec::new();
            for (number, row) in rows.rows() {
                for cell in Cells::of(&row) {
                    if cell.is_filled() && number >= from {
                        let here = CellRef { row: number, column: cell.column };
                        cells.push((existing(&cell, here), cell.kind, cell.style));
                    }
                }
            }
            self.resolve(cells.iter_mut().map(|(cell, ..)| cell))?;
            for (cell, kind, style) in cells {
                let format = formats.entry(style).or_insert_with(|| NumberFormat::new(&styles.code(style)));
                let value = value(kind, cell.text);
                let shown = shown(&value, format, is_1904);
                let code = format.code().to_owned();
                let cell =
                    SheetCell { at: cell.at, value, format: code, shown, has_formula: cell.has_formula };
                if !take(cell) {
                    return Ok(());
                }
            }
        }
        Ok(())
    }

    /// How far the cells of sheet `n` (from 0) reach.
    ///
    /// # Errors
    /// [`Error::Damaged`] if its part cannot be read.
    pub fn extent(&mut self, n: usize) -> Result<SheetExtent> {
        let place = self.sheet_place(n)?;
        let mut source = SheetSource::open(self.zip(), place)?;
        source.head(self.zip())?;
        let mut extent = SheetExtent::default();
        let zip = self.zip();
        incola_parallel::ordered(
            || source.rows(zip, u32::MAX, BLOCK),
            || (),
            |(), rows| extent_of(&rows),
            |part| {
                extent.cells += part.cells;
                extent.formulas += part.formulas;
                extent.used = match (extent.used, part.used) {
                    (Some(mine), Some(more)) => Some(mine.with(more.from).with(more.to)),
                    (mine, more) => mine.or(more),
                };
                Ok::<(), Error>(())
            },
        )?;
        Ok(extent)
    }
}

fn extent_of(rows: &RowBytes) -> SheetExtent {
    let mut extent = SheetExtent::default();
    for (number, row) in rows.rows() {
        for cell in Cells::of(&row) {
            if cell.is_filled() {
                let here = CellRef { row: number, column: cell.column };
                extent.cells += 1;
                extent.formulas += u64::from(cell.has_formula());
                extent.used = Some(extent.used.unwrap_or(Range { from: here, to: here }).with(here));
            }
        }
    }
    extent
}
