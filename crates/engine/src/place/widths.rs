//! Columns of a sheet that are too narrow for the rows that come.

use super::Place;
use crate::import::Slot;
use incola_core::kind::Kind;
use incola_core::reading::ColumnReading;

/// A column that is too narrow.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NarrowColumn {
    /// The column, from 1.
    pub column: u32,
    /// Digits that it has to have room for.
    pub digits: u32,
    /// Whether it is shown as `####`: numbers and dates are, texts are cut off where the next cell is filled.
    pub is_hashed: bool,
}

/// Digits that a column is made wide for at most: longer text is better wrapped.
const MOST: u32 = 60;

/// Digits' width that the longest value of a column takes.
fn needed(column: &ColumnReading) -> u32 {
    let longest = column.stats.longest;
    match column.rule.kind() {
        // The marks between the parts are half as wide as digits.
        Kind::Date | Kind::DateTime | Kind::Time => longest - longest / 8,
        // Letters are narrower than digits, as a rule.
        Kind::Text => longest.saturating_sub(1) * 5 / 6,
        _ => longest,
    }
}

impl Place {
    /// The columns that are too narrow for what goes into them.
    pub fn narrow(&self, columns: &[ColumnReading]) -> Vec<NarrowColumn> {
        let of = |(at, slot): &(u32, Slot)| {
            let Slot::Field(n) = slot else { return None };
            let column = columns.get(*n).filter(|column| column.stats.filled > 0)?;
            let digits = needed(column);
            let is_hashed = !matches!(column.rule.kind(), Kind::Text | Kind::Boolean);
            let digits = if is_hashed { digits } else { digits.min(MOST) };
            (digits > self.facts.widths.room(*at)).then_some(NarrowColumn { column: *at, digits, is_hashed })
        };
        self.pairs.slots.iter().filter_map(of).collect()
    }
}
