//! A digest of cells, by which what was written is compared with what a finished workbook holds.

use crate::sheet::scan::CellContent;
use xxhash_rust::xxh3::xxh3_64_with_seed;

/// What a cell holds, as far as the digest tells it apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Held {
    Text = 1,
    Number = 2,
    Boolean = 3,
    Other = 4,
}

/// How many rows and cells hold something, and what: the same for the same cells, in whatever order rows are added. The cells of a
/// row follow each other.
///
/// ```
/// use incola_workbook::{CellContent, CellDigest};
/// let (mut one, mut other) = (CellDigest::default(), CellDigest::default());
/// one.add(2, 1, &CellContent::Text(b"007"[..].into()));
/// other.add(2, 1, &CellContent::Number(b"007"));
/// assert_eq!((one.cells(), other.cells()), (1, 1));
/// assert_ne!(one, other);
/// ```
#[derive(Clone, Copy, Debug, Default)]
pub struct CellDigest {
    rows: u64,
    cells: u64,
    sum: u64,
    /// The row of the last cell.
    row: u32,
}

impl PartialEq for CellDigest {
    fn eq(&self, other: &Self) -> bool {
        (self.rows, self.cells, self.sum) == (other.rows, other.cells, other.sum)
    }
}

impl Eq for CellDigest {}

impl CellDigest {
    /// Rows with cells that hold something.
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// Cells that hold something.
    pub fn cells(&self) -> u64 {
        self.cells
    }

    /// Adds the cell in a row and column, both from 1. One that holds nothing, or an empty text, adds nothing.
    pub fn add(&mut self, row: u32, column: u32, content: &CellContent<'_>) {
        match content {
            CellContent::Blank => {}
            CellContent::Text(text) => self.note(row, column, Held::Text, text),
            CellContent::Number(number) => self.note(row, column, Held::Number, number),
            CellContent::Boolean(is_true) => {
                self.note(row, column, Held::Boolean, if *is_true { b"1" } else { b"0" });
            }
            CellContent::Error(text) => self.note(row, column, Held::Other, text),
            CellContent::Formula(text, _) => self.note(row, column, Held::Other, text),
            CellContent::Shared(_) => self.note(row, column, Held::Other, b"shared"),
        }
    }

    /// Adds what others held.
    pub fn merge(&mut self, more: &Self) {
        self.rows += more.rows;
        self.cells += more.cells;
        self.sum = self.sum.wrapping_add(more.sum);
    }

    #[inline]
    pub(crate) fn note(&mut self, row: u32, column: u32, held: Held, value: &[u8]) {
        if value.is_empty() {
            return;
        }
        let place = u64::from(row) << 14 | u64::from(column);
        let own = xxh3_64_with_seed(value, held as u64) ^ place.wrapping_mul(0x9E37_79B9_7F4A_7C15);
        self.rows += u64::from(self.row != row);
        self.row = row;
        self.cells += 1;
        // Mixed once more, so that two cells that change places do not cancel out.
        self.sum = self.sum.wrapping_add((own ^ (own >> 32)).wrapping_mul(0xBF58_476D_1CE4_E5B9));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::StyleId;
    use crate::sheet::RowEncoder;
    use crate::sheet::raw::{Cells, NextRow, next_row};
    use crate::sheet::scan::content;
    use proptest::prelude::*;

    /// What the rows in `xml` hold.
    fn digest_of(xml: &[u8]) -> CellDigest {
        let (mut digest, mut at) = (CellDigest::default(), 0);
        while let NextRow::Row(row) = next_row(xml, at) {
            let number = row.number.unwrap();
            Cells::of(&row).for_each(|cell| digest.add(number, cell.column, &content(&cell)));
            at = row.span.1;
        }
        digest
    }

    proptest! {
        /// Whatever characters texts are made of, the encoder's digest is that of the cells which are read.
        #[test]
        fn what_is_read_is_what_was_written(
            texts in prop::collection::vec(("[\\PC\\x00-\\x20_x0-9D&<>\"\u{fffe}\u{ffff}]{0,12}", 0_u32..1_000_000), 1..30),
            changed in any::<prop::sample::Index>(),
        ) {
            let mut rows = RowEncoder::new(1, 3);
            for (n, (text, number)) in texts.iter().enumerate() {
                rows.begin_row(n as u32 + 2);
                rows.text(0, StyleId::default(), text.as_bytes());
                rows.number(1, StyleId::default(), |out| crate::serial_date::write_whole(out, *number));
                rows.boolean(2, StyleId::default(), number % 2 == 0);
                rows.end_row();
            }
            let digest = rows.take_digest();
            prop_assert_eq!(digest, digest_of(rows.xml()));
            prop_assert_eq!(rows.take_digest(), CellDigest::default());
            // One digit that is another one is another digest.
            let mut xml = rows.xml().to_vec();
            let digits: Vec<usize> = memchr::memmem::find_iter(&xml, b"<v>").map(|at| at + 3).collect();
            let at = digits[changed.index(digits.len())];
            xml[at] = if xml[at] == b'1' { b'7' } else { b'1' };
            prop_assert_ne!(digest, digest_of(&xml));
        }
    }

    #[test]
    fn cells_that_change_places_or_kinds_are_told_apart() {
        let digest = |cells: &[(u32, u32, CellContent<'_>)]| {
            let mut digest = CellDigest::default();
            for (row, column, content) in cells {
                digest.add(*row, *column, content);
            }
            digest
        };
        let (a, b) = (CellContent::Number(b"7"), CellContent::Number(b"12"));
        let all = [
            digest(&[(2, 1, a.clone()), (2, 2, b.clone())]),
            digest(&[(2, 1, b.clone()), (2, 2, a.clone())]),
            digest(&[(3, 1, a.clone()), (2, 2, b.clone())]),
            digest(&[(2, 1, CellContent::Text(b"7"[..].into())), (2, 2, b.clone())]),
            digest(&[(2, 1, CellContent::Error(b"7"[..].into())), (2, 2, b.clone())]),
            digest(&[(2, 1, CellContent::Boolean(true)), (2, 2, b.clone())]),
            digest(&[(2, 1, CellContent::Shared(7)), (2, 2, b.clone())]),
            digest(&[(2, 2, b.clone())]),
        ];
        for (n, one) in all.iter().enumerate() {
            assert!(all[n + 1..].iter().all(|other| other != one), "{n}");
        }
        assert_eq!(all[0], digest(&[(2, 2, b), (2, 1, a), (9, 9, CellContent::Blank)]));
    }
}
