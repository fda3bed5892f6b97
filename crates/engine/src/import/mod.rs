//! Rows of a source written into a sheet: cell by cell, each spelled again from the written bytes and compared with its field.

pub mod candidate;
mod tally;
mod write;

pub use tally::{CellNote, ColumnTally, Note, Written};
pub use write::{Placing, Slot, write};
