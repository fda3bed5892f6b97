//! The numbers of a column, and how things are spelled.

use super::super::number::{self, Number, SpellingCode, Sum};
use super::{Count, Extreme};

/// A set of spellings that a column uses, kept small.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Spellings<T> {
    pub(super) seen: Vec<T>,
    /// More than [`Spellings::MOST`] were seen: those past it are not in the set.
    pub overflowed: bool,
}

impl<T> Default for Spellings<T> {
    fn default() -> Self {
        Self { seen: Vec::new(), overflowed: false }
    }
}

impl<T: Copy + Ord> Spellings<T> {
    /// Spellings kept. A workbook has room for some two hundred number formats in all.
    pub const MOST: usize = 64;

    #[inline]
    pub(super) fn add(&mut self, spelling: T) {
        // The last one seen is at the end.
        if self.seen.last() != Some(&spelling) {
            self.add_other(spelling);
        }
    }

    pub(super) fn add_other(&mut self, spelling: T) {
        if let Some(at) = self.seen.iter().position(|s| *s == spelling) {
            let last = self.seen.len() - 1;
            self.seen.swap(at, last);
        } else if self.seen.len() < Self::MOST {
            self.seen.push(spelling);
        } else {
            self.overflowed = true;
        }
    }

    pub(super) fn merge(&mut self, later: &Self) {
        for spelling in &later.seen {
            self.add(*spelling);
        }
        self.overflowed |= later.overflowed;
    }

    /// The spellings in a fixed order.
    pub fn sorted(&self) -> Vec<T> {
        let mut sorted = self.seen.clone();
        sorted.sort_unstable();
        sorted
    }
}

/// Numbers seen under one decimal character, or under either.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Numbers {
    /// How many.
    pub count: u64,
    /// Those that are numbers under this decimal character alone.
    pub decisive: Count,
    /// Their sum.
    pub sum: Sum,
    /// Smallest value.
    pub smallest: Option<Extreme>,
    /// Largest value.
    pub largest: Option<Extreme>,
    /// How many are zero.
    pub zeros: u64,
    /// How many are below zero.
    pub negatives: u64,
    /// Most decimals in any of them.
    pub most_decimals: u8,
    /// How they are spelled.
    pub spellings: Spellings<SpellingCode>,
}

impl Numbers {
    #[inline]
    pub(super) fn add(&mut self, number: &Number, line: u64) {
        self.count += 1;
        self.sum.add(number);
        if let Some(units) = number::in_units(number) {
            if self.smallest.is_none_or(|s| units < s.units) {
                self.smallest = Some(Extreme { units, line });
            }
            if self.largest.is_none_or(|l| units > l.units) {
                self.largest = Some(Extreme { units, line });
            }
        }
        self.zeros += u64::from(number.digits == 0);
        self.negatives += u64::from(number.negative);
        self.most_decimals = self.most_decimals.max(number.spelling.decimals());
        self.spellings.add(number.spelling);
    }

    /// Adds what was seen later; `lines_before` is added to its lines.
    pub fn merge(&mut self, later: &Self, lines_before: u64) {
        self.count += later.count;
        self.decisive.merge(later.decisive, lines_before);
        self.sum.merge(&later.sum);
        let moved = |e: Extreme| Extreme { line: e.line + lines_before, ..e };
        if let Some(extreme) = later.smallest.map(moved)
            && self.smallest.is_none_or(|s| extreme.units < s.units)
        {
            self.smallest = Some(extreme);
        }
        if let Some(extreme) = later.largest.map(moved)
            && self.largest.is_none_or(|l| extreme.units > l.units)
        {
            self.largest = Some(extreme);
        }
        self.zeros += later.zeros;
        self.negatives += later.negatives;
        self.most_decimals = self.most_decimals.max(later.most_decimals);
        self.spellings.merge(&later.spellings);
    }
}
