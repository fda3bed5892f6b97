//! Worksheets.

mod rows;
mod stream;

pub use rows::RowEncoder;
pub use stream::{SheetColumn, SheetLayout};
