//! The check of a finished workbook: the rows that were written are read again from its bytes, and their number, their cells and
//! the sums of their numbers are compared with what the source gave.

use super::tally::Written;
use super::write::{Placing, Slot};
use crate::cells::units;
use crate::stop::{NotAsWritten, Result, Stop};
use incola_core::kind::Rule;
use incola_core::kind::number;
use incola_core::reading::ColumnReading;
use incola_workbook::{CellContent, CellDigest, ExistingBook, Scan, Scanner};

/// Rows that were written one below the other, as far as a check needs to know them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Laid {
    /// Their columns, from 1 and in rising order.
    pub columns: Vec<u32>,
    /// The first row, from 1.
    pub first: u32,
    /// How many there are.
    pub rows: u64,
    /// What their cells hold.
    pub digest: CellDigest,
    /// Columns of the sheet whose numbers are added up, and the columns of the source that they come from, from 0.
    sums: Vec<(u32, usize)>,
}

impl Laid {
    pub(super) fn for_placing(placing: &Placing<'_>) -> Self {
        let sum = |(column, slot): (&u32, &Slot)| match slot {
            Slot::Field(index) if adds_up(&placing.columns[*index]) => Some((*column, *index)),
            _ => None,
        };
        Self {
            columns: placing.sheet_columns.clone(),
            first: placing.first_row,
            sums: placing.sheet_columns.iter().zip(&placing.slots).filter_map(sum).collect(),
            ..Self::default()
        }
    }

    /// Adds rows that were laid below these.
    pub(super) fn merge(&mut self, more: Self) {
        if self.columns.is_empty() {
            *self = more;
            return;
        }
        self.rows += more.rows;
        self.digest.merge(&more.digest);
    }
}

/// Whether the numbers of a column stand in the sheet as the source has them. Percentages are a hundredth of what is written.
fn adds_up(column: &ColumnReading) -> bool {
    let Rule::Number(rule) = &column.rule else { return false };
    rule.spellings.iter().all(|s| s.spelling().affix.is_none_or(|affix| !affix.symbol.is_percent()))
}

/// What was read again, and agrees.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Checked {
    /// Rows that hold something.
    pub rows: u64,
    /// Cells that hold something.
    pub cells: u64,
    /// Columns whose sums were compared.
    pub sums: usize,
}

/// Reads what was written into sheet `n` (from 0) of a finished workbook, and compares it.
///
/// # Errors
/// [`Stop::NotAsWritten`] if it is not the same, or cannot be read.
pub fn check(book: &mut ExistingBook, n: usize, written: &Written) -> Result<Checked> {
    let laid = &written.laid;
    let sheet = book.sheet_names().get(n).cloned().unwrap_or_default();
    let not_so = |why: NotAsWritten| Stop::NotAsWritten { sheet: sheet.clone(), why };
    if laid.rows == 0 {
        return Ok(Checked::default());
    }
    // Where a value is not given back exactly, it may not be in the sum either.
    let sums = if written.lost == 0 { &laid.sums[..] } else { &[] };
    let places: Vec<usize> =
        sums.iter().filter_map(|(column, _)| laid.columns.iter().position(|c| c == column)).collect();
    let last = laid.first.saturating_add(u32::try_from(laid.rows - 1).unwrap_or(u32::MAX));
    let scan = Scan { columns: &laid.columns, from: laid.first, to: last };
    let start = || Reading { columns: &laid.columns, places: &places, ..Reading::new(places.len()) };
    let mut digest = CellDigest::default();
    let mut found = vec![Some(0_i128); places.len()];
    let blocks = book.scanned(n, &scan, start);
    for block in blocks.map_err(|error| not_so(NotAsWritten::Damaged(error.to_string())))? {
        digest.merge(&block.digest);
        for (all, more) in found.iter_mut().zip(block.sums) {
            *all = all.zip(more).and_then(|(all, more)| all.checked_add(more));
        }
    }
    if digest.rows() != laid.digest.rows() {
        return Err(not_so(NotAsWritten::Rows(digest.rows(), laid.digest.rows())));
    }
    if digest.cells() != laid.digest.cells() {
        return Err(not_so(NotAsWritten::Cells(digest.cells(), laid.digest.cells())));
    }
    let mut compared = 0;
    for ((column, index), found) in sums.iter().zip(&found) {
        let tally = &written.columns[*index];
        let (Some(found), true) = (found, tally.sum.is_exact()) else { continue };
        compared += 1;
        if *found != tally.sum.units() {
            let text = |units: i128| number::units_text(units, tally.decimals);
            return Err(not_so(NotAsWritten::Sum(*column, text(*found), text(tally.sum.units()))));
        }
    }
    if digest != laid.digest {
        return Err(not_so(NotAsWritten::Values));
    }
    Ok(Checked { rows: digest.rows(), cells: digest.cells(), sums: compared })
}

/// What one thread reads.
struct Reading<'c> {
    columns: &'c [u32],
    /// Places in the columns whose numbers are added up.
    places: &'c [usize],
    digest: CellDigest,
    /// In units of 10^-15; `None`: they cannot be added up exactly.
    sums: Vec<Option<i128>>,
}

impl Reading<'_> {
    fn new(sums: usize) -> Self {
        Self { columns: &[], places: &[], digest: CellDigest::default(), sums: vec![Some(0); sums] }
    }
}

impl Scanner for Reading<'_> {
    fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
        for (column, content) in self.columns.iter().zip(cells) {
            self.digest.add(number, *column, content);
        }
        for (sum, place) in self.sums.iter_mut().zip(self.places) {
            if let CellContent::Number(digits) = &cells[*place] {
                *sum = sum.zip(units(digits)).and_then(|(sum, units)| sum.checked_add(units));
            }
        }
    }
}
