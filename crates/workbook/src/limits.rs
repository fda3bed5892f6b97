//! The format's limits (as every worksheet program keeps them).

/// Rows of a worksheet.
pub const ROWS: u32 = 1_048_576;

/// Columns of a worksheet.
pub const COLUMNS: u32 = 16_384;

/// UTF-16 units of text in a cell.
pub const CELL_UNITS: u32 = 32_767;

/// Characters of a sheet's name.
pub const SHEET_NAME_CHARS: usize = 31;

/// UTF-16 units of a table column's name.
pub const COLUMN_NAME_UNITS: usize = 255;

/// First identifier of number formats that are not built in (ECMA-376 part 1, 18.8.30).
pub const FIRST_NUMBER_FORMAT: u32 = 164;

/// Cell formats of a workbook: programs keep to a little less.
pub const CELL_FORMATS: usize = 65_000;
