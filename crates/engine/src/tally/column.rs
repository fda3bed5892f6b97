//! What a column holds.

use incola_core::kind::statistics::{moment_key, trim};
use incola_core::kind::{Sum, Value, number};
use std::collections::HashSet;

/// Different values of a column that are counted; of more, only that there are more.
const MOST_DISTINCT: usize = 1 << 17;

/// Where a value is, and the value as it is spelled.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Place<K> {
    /// What it is compared by.
    pub key: K,
    /// Its line, from 1.
    pub line: u64,
    /// As the source spells it.
    pub text: String,
}

/// The numbers of a column.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Figures {
    /// How many.
    pub count: u64,
    /// Their sum.
    pub sum: Sum,
    /// Most decimals of one.
    pub decimals: u8,
    /// The smallest, in units of 10^-15.
    pub smallest: Option<Place<i128>>,
    /// The largest.
    pub largest: Option<Place<i128>>,
    /// Zeros.
    pub zeros: u64,
    /// Numbers below zero.
    pub negatives: u64,
}

/// The dates and times of a column.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Moments {
    /// How many.
    pub count: u64,
    /// The first one.
    pub first: Option<Place<u64>>,
    /// The last one.
    pub last: Option<Place<u64>>,
}

/// What a column holds.
#[derive(Clone, Debug, Default)]
pub struct ColumnTally {
    /// Values.
    pub filled: u64,
    /// Fields without one.
    pub empty: u64,
    /// Values that do not fit the kind of the column.
    pub misfits: u64,
    /// Its numbers, if it has any.
    pub figures: Option<Box<Figures>>,
    /// Its dates and times, if it has any.
    pub moments: Option<Box<Moments>>,
    /// The shortest value, by its characters.
    pub shortest: Option<Place<usize>>,
    /// The longest value.
    pub longest: Option<Place<usize>>,
    /// Values that begin with a zero and another digit.
    pub leading_zeros: u64,
    /// Digests of its different values.
    different: HashSet<u64>,
    /// Whether there are more of them than are counted.
    has_more: bool,
}

fn text_of(value: &[u8]) -> String {
    String::from_utf8_lossy(&value[..value.len().min(80)]).into_owned()
}

/// Puts a value in place of another that it comes before.
fn take<K: PartialOrd>(
    mine: &mut Option<Place<K>>,
    key: K,
    line: u64,
    value: &[u8],
    is_before: fn(&K, &K) -> bool,
) {
    if mine.as_ref().is_none_or(|own| is_before(&key, &own.key)) {
        *mine = Some(Place { key, line, text: text_of(value) });
    }
}

/// Keeps what is first of both; the earlier place if both are the same.
fn keep<K: PartialOrd>(mine: &mut Option<Place<K>>, more: Option<Place<K>>, is_before: fn(&K, &K) -> bool) {
    if let Some(more) = more
        && mine.as_ref().is_none_or(|own| is_before(&more.key, &own.key))
    {
        *mine = Some(more);
    }
}

impl ColumnTally {
    /// How many different values there are; `None`: too many to be counted.
    pub fn different(&self) -> Option<u64> {
        (!self.has_more).then_some(self.different.len() as u64)
    }

    pub(super) fn add(&mut self, field: &[u8], value: &Value<'_>, line: u64) {
        if *value == Value::Blank {
            self.empty += 1;
            return;
        }
        self.filled += 1;
        let own = trim(field).0;
        if !self.has_more {
            self.different.insert(xxhash_rust::xxh3::xxh3_64(own));
            self.settle();
        }
        match value {
            Value::Number(number, _) => {
                let figures = self.figures.get_or_insert_default();
                figures.count += 1;
                figures.sum.add(number);
                figures.decimals = figures.decimals.max(number.spelling.decimals());
                figures.zeros += u64::from(number.digits == 0);
                figures.negatives += u64::from(number.negative && number.digits != 0);
                if let Some(units) = number::in_units(number) {
                    take(&mut figures.smallest, units, line, own, |a, b| a < b);
                    take(&mut figures.largest, units, line, own, |a, b| a > b);
                }
            }
            Value::Moment(day, millis, _) => {
                let moments = self.moments.get_or_insert_default();
                moments.count += 1;
                let key = day.map_or(u64::from(*millis), |day| moment_key(day, *millis));
                take(&mut moments.first, key, line, own, |a, b| a < b);
                take(&mut moments.last, key, line, own, |a, b| a > b);
            }
            Value::Misfit(_) => self.misfits += 1,
            _ => {
                let characters = String::from_utf8_lossy(own).chars().count();
                take(&mut self.shortest, characters, line, own, |a, b| a < b);
                take(&mut self.longest, characters, line, own, |a, b| a > b);
                self.leading_zeros +=
                    u64::from(own.first() == Some(&b'0') && own.get(1).is_some_and(u8::is_ascii_digit));
            }
        }
    }

    fn settle(&mut self) {
        if self.different.len() > MOST_DISTINCT {
            (self.different, self.has_more) = (HashSet::new(), true);
        }
    }

    pub(super) fn merge(&mut self, later: Self) {
        self.filled += later.filled;
        self.empty += later.empty;
        self.misfits += later.misfits;
        self.leading_zeros += later.leading_zeros;
        keep(&mut self.shortest, later.shortest, |a, b| a < b);
        keep(&mut self.longest, later.longest, |a, b| a > b);
        if let Some(more) = later.figures {
            let figures = self.figures.get_or_insert_default();
            figures.count += more.count;
            figures.sum.merge(&more.sum);
            figures.decimals = figures.decimals.max(more.decimals);
            figures.zeros += more.zeros;
            figures.negatives += more.negatives;
            keep(&mut figures.smallest, more.smallest, |a, b| a < b);
            keep(&mut figures.largest, more.largest, |a, b| a > b);
        }
        if let Some(more) = later.moments {
            let moments = self.moments.get_or_insert_default();
            moments.count += more.count;
            keep(&mut moments.first, more.first, |a, b| a < b);
            keep(&mut moments.last, more.last, |a, b| a > b);
        }
        self.has_more |= later.has_more;
        if self.has_more {
            self.different = HashSet::new();
        } else {
            self.different.extend(later.different);
            self.settle();
        }
    }
}
