//! Worksheets.

mod rows;
pub(crate) mod scan;
mod stream;

pub use rows::RowEncoder;
pub use scan::{ExistingCell, SheetFacts};
pub use stream::{SheetColumn, SheetLayout};
