//! The first and the last records in the order of a column.

use incola_core::kind::Value;
use incola_core::kind::number;
use incola_core::kind::statistics::{moment_key, trim};

/// Records that are kept at each end.
const KEPT: usize = 5;

/// What a record is ordered by: numbers before dates and times, those before text.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Key {
    /// In units of 10^-15.
    Number(i128),
    Moment(u64),
    Text(String),
}

impl Key {
    /// `None`: there is nothing to order it by.
    fn of(field: &[u8], value: &Value<'_>) -> Option<Self> {
        match value {
            Value::Blank => None,
            Value::Number(number, _) => number::in_units(number).map(Self::Number),
            Value::Moment(Some(day), millis, _) => Some(Self::Moment(moment_key(*day, *millis))),
            Value::Moment(None, millis, _) => Some(Self::Moment(u64::from(*millis))),
            _ => Some(Self::Text(String::from_utf8_lossy(trim(field).0).into_owned())),
        }
    }
}

/// A record at one of the ends.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ranked {
    key: Key,
    /// Its line in the source, or its row in the sheet.
    pub line: u64,
    /// What its fields spell, by column.
    pub fields: Vec<String>,
}

/// The first and the last records in the order of a column; of equal ones, those that come first.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Ends {
    /// The smallest first.
    pub first: Vec<Ranked>,
    /// The largest first.
    pub last: Vec<Ranked>,
    /// Records without a value in the column.
    pub without: u64,
}

impl Ends {
    /// Adds a record by its value in the column; `fields` gives what all of its fields spell, if it is kept.
    pub(super) fn offer(
        &mut self,
        (field, value): (&[u8], &Value<'_>),
        line: u64,
        fields: impl Fn() -> Vec<String>,
    ) {
        let Some(key) = Key::of(field, value) else {
            self.without += 1;
            return;
        };
        let is_among = |list: &[Ranked], is_before: &dyn Fn(&Key) -> bool| {
            list.len() < KEPT || list.last().is_some_and(|last| is_before(&last.key))
        };
        let is_first = is_among(&self.first, &|other| key < *other);
        let is_last = is_among(&self.last, &|other| key > *other);
        if is_first || is_last {
            let ranked = Ranked { key, line, fields: fields() };
            if is_first {
                put(&mut self.first, ranked.clone(), |own, other| own < other);
            }
            if is_last {
                put(&mut self.last, ranked, |own, other| own > other);
            }
        }
    }

    /// Adds records that come later.
    pub(super) fn merge(&mut self, later: Self) {
        self.without += later.without;
        for ranked in later.first {
            put(&mut self.first, ranked, |own, other| own < other);
        }
        for ranked in later.last {
            put(&mut self.last, ranked, |own, other| own > other);
        }
    }
}

/// Puts a record in its place: behind those that are equal.
fn put(list: &mut Vec<Ranked>, ranked: Ranked, is_before: fn(&Key, &Key) -> bool) {
    let place = list.iter().position(|other| is_before(&ranked.key, &other.key)).unwrap_or(list.len());
    if place < KEPT {
        list.insert(place, ranked);
        list.truncate(KEPT);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// The same as sorting everything, however the records are divided into blocks.
        #[test]
        fn the_ends_are_those_of_the_sorted_list(values in prop::collection::vec(0_u8..20, 0..60), cut in 0_usize..60) {
            let texts: Vec<String> = values.iter().map(|v| format!("v{v:02}")).collect();
            let of = |from: usize, to: usize| {
                let mut ends = Ends::default();
                for (n, text) in texts.iter().enumerate().take(to).skip(from) {
                    ends.offer((text.as_bytes(), &Value::Text(text.as_bytes())), n as u64, || vec![text.clone()]);
                }
                ends
            };
            let cut = cut.min(texts.len());
            let mut ends = of(0, cut);
            ends.merge(of(cut, texts.len()));
            prop_assert_eq!(&ends, &of(0, texts.len()));
            let mut sorted: Vec<(u8, u64)> = values.iter().copied().zip(0..).collect();
            sorted.sort_unstable();
            let lines = |list: &[Ranked]| list.iter().map(|ranked| ranked.line).collect::<Vec<_>>();
            prop_assert_eq!(lines(&ends.first), sorted.iter().take(KEPT).map(|s| s.1).collect::<Vec<_>>());
            sorted.sort_unstable_by_key(|(value, line)| (std::cmp::Reverse(*value), *line));
            prop_assert_eq!(lines(&ends.last), sorted.iter().take(KEPT).map(|s| s.1).collect::<Vec<_>>());
        }
    }
}
