//! Cell references: `A1`, `B2:D10`.

use crate::limits;
use std::fmt;

/// A cell by row and column, both from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct CellRef {
    /// From 1 to [`limits::ROWS`].
    pub row: u32,
    /// From 1 to [`limits::COLUMNS`].
    pub column: u32,
}

impl CellRef {
    /// The cell at `row` and `column`, if a worksheet has it.
    ///
    /// ```
    /// use incola_workbook::CellRef;
    /// assert_eq!(CellRef::new(12, 28).unwrap().to_string(), "AB12");
    /// assert!(CellRef::new(0, 1).is_none());
    /// ```
    pub fn new(row: u32, column: u32) -> Option<Self> {
        ((1..=limits::ROWS).contains(&row) && (1..=limits::COLUMNS).contains(&column))
            .then_some(Self { row, column })
    }

    /// Reads `A1` or `$A$1`, in any case.
    ///
    /// ```
    /// use incola_workbook::CellRef;
    /// assert_eq!(CellRef::parse("$ab$12"), CellRef::new(12, 28));
    /// assert_eq!(CellRef::parse("A0"), None);
    /// ```
    pub fn parse(text: &str) -> Option<Self> {
        let text = text.strip_prefix('$').unwrap_or(text);
        let letters = text.bytes().take_while(u8::is_ascii_alphabetic).count();
        if letters == 0 || letters > 3 {
            return None;
        }
        let column =
            text[..letters].bytes().fold(0, |n, b| n * 26 + u32::from(b.to_ascii_uppercase() - b'A') + 1);
        let digits = &text[letters..];
        let digits = digits.strip_prefix('$').unwrap_or(digits);
        if digits.is_empty() || !digits.bytes().all(|b| b.is_ascii_digit()) {
            return None;
        }
        Self::new(digits.parse().ok()?, column)
    }
}

impl fmt::Display for CellRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{}", column_letters(self.column), self.row)
    }
}

/// The letters of a column counted from 1: `A`, `Z`, `AA`.
pub fn column_letters(mut column: u32) -> String {
    let mut letters = Vec::new();
    while column > 0 {
        column -= 1;
        letters.push(char::from(b'A' + (column % 26) as u8));
        column /= 26;
    }
    letters.iter().rev().collect()
}

/// A rectangle of cells, both corners included.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Range {
    /// Top left.
    pub from: CellRef,
    /// Bottom right.
    pub to: CellRef,
}

impl Range {
    /// Reads `A1` or `A1:D4`.
    ///
    /// ```
    /// use incola_workbook::Range;
    /// assert_eq!(Range::parse("B2:D10").unwrap().to_string(), "B2:D10");
    /// ```
    pub fn parse(text: &str) -> Option<Self> {
        let (from, to) = text.split_once(':').unwrap_or((text, text));
        Some(Self { from: CellRef::parse(from)?, to: CellRef::parse(to)? })
    }

    /// Whether both have a cell in common.
    pub fn meets(self, other: Self) -> bool {
        self.from.row <= other.to.row
            && other.from.row <= self.to.row
            && self.from.column <= other.to.column
            && other.from.column <= self.to.column
    }

    /// The range as it is spelled where it must not move: `$A$1:$D$4`.
    pub fn fixed(self) -> String {
        let cell = |c: CellRef| format!("${}${}", column_letters(c.column), c.row);
        format!("{}:{}", cell(self.from), cell(self.to))
    }

    /// The smallest rectangle that holds both.
    #[must_use]
    pub fn with(self, cell: CellRef) -> Self {
        let CellRef { row, column } = cell;
        Self {
            from: CellRef { row: self.from.row.min(row), column: self.from.column.min(column) },
            to: CellRef { row: self.to.row.max(row), column: self.to.column.max(column) },
        }
    }
}

impl fmt::Display for Range {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.from == self.to { write!(f, "{}", self.from) } else { write!(f, "{}:{}", self.from, self.to) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn references_are_read_as_they_are_written() {
        for (row, column, text) in
            [(1, 1, "A1"), (9, 26, "Z9"), (1, 27, "AA1"), (1_048_576, 16_384, "XFD1048576"), (5, 703, "AAA5")]
        {
            let cell = CellRef::new(row, column).unwrap();
            assert_eq!(cell.to_string(), text);
            assert_eq!(CellRef::parse(text), Some(cell));
        }
        for text in ["", "A", "1", "A0", "XFE1", "A1048577", "A1B", "A-1"] {
            assert_eq!(CellRef::parse(text), None, "{text}");
        }
    }
}
