//! Rows of a source written into a sheet: cell by cell, each spelled again from the written bytes and compared with its field. Once
//! the workbook is finished, the rows are read again from its bytes.

pub mod candidate;
mod check;
mod new_sheet;
mod tally;
mod write;

pub use check::{Checked, Laid, check};
pub use new_sheet::NewSheet;
pub use tally::{CellNote, ColumnTally, Note, Written};
pub use write::{Placing, Slot, write};
