//! Writes worksheets into .xlsx packages (ECMA-376) as a stream, in bounded memory.
//!
//! The crate opens no path and knows nothing of text tables: it writes cells to anything that can be written to and
//! sought in.

mod book;
pub mod error;
mod existing;
pub mod limits;
mod markup;
pub mod number_format;
pub mod package;
mod parts;
mod reference;
pub mod serial_date;
mod sheet;
pub mod sheet_name;
mod styles;
pub mod xml;

pub use book::BookWriter;
pub use error::{Error, Result};
pub use existing::{ExistingBook, ExistingTable, Family, Input};
pub use package::deflate::{Block, Compressor};
pub use reference::{CellRef, Range, column_letters};
pub use sheet::{ExistingCell, RowEncoder, SheetColumn, SheetFacts, SheetLayout};
pub use styles::{StyleId, Styles};
