//! Writes worksheets into .xlsx packages (ECMA-376) as a stream, in bounded memory.
//!
//! The crate opens no path and knows nothing of text tables: it writes cells to anything that can be written to and
//! sought in.

mod book;
mod custom_xml;
pub mod error;
mod existing;
mod family;
mod formula;
pub mod limits;
mod markup;
pub mod number_format;
pub mod package;
mod parts;
mod reference;
pub mod serial_date;
mod sheet;
pub mod sheet_name;
mod style_map;
mod styles;
pub mod xml;

pub use book::{BookWriter, RowsPlan, TableChange};
pub use custom_xml::CustomPart;
pub use error::{Error, Result};
pub use existing::{DefinedName, ExistingBook, ExistingTable, Obstacle, Referrer, follow};
pub use family::Family;
pub use formula::{Formula, Grown};
pub use package::deflate::{Block, Compressor};
pub use package::zip_reader::Input;
pub use reference::{CellRef, Range, column_letters};
pub use sheet::{
    CellContent, CellDigest, CellValue, ColumnFacts, ColumnWidths, ExistingCell, Extension, Fill,
    FormatCount, KeptRow, OtherColumn, PlaceFormats, Question, Revised, Revision, RowEncoder, RowFate, Run,
    Scan, Scanner, SheetCell, SheetColumn, SheetExtent, SheetFacts, SheetLayout, TotalOf, Totals,
};
pub use styles::{StyleId, Styles};
