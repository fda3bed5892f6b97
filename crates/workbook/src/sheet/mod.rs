//! Worksheets: new ones as a stream, and rows that are put into those that are there.

mod alike;
pub(crate) mod behind;
mod digest;
pub(crate) mod facts;
pub(crate) mod formats;
pub(crate) mod merge;
pub(crate) mod over;
pub(crate) mod raw;
pub(crate) mod reader;
pub(crate) mod revise;
mod rows;
mod runs;
pub(crate) mod source;
pub(crate) mod splice;
mod stream;
pub(crate) mod told;
mod trail;
pub(crate) mod value;
pub(crate) mod widths;

mod scan;
pub use behind::Extension;
pub use digest::CellDigest;
pub use facts::{ColumnFacts, ExistingCell, FormatCount, OtherColumn, Question, SheetFacts};
pub use formats::PlaceFormats;
pub use merge::Totals;
pub use reader::{SheetCell, SheetExtent};
pub use revise::{Revised, Revision, RowFate};
pub use rows::{Fill, RowEncoder};
pub use runs::{KeptRow, Run};
pub use scan::{CellContent, Scan, Scanner};
pub use stream::{SheetColumn, SheetLayout, TotalOf};
pub use value::CellValue;
pub use widths::ColumnWidths;
