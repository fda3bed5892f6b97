//! What a column holds.

use super::days::Days;
use super::spread::Spread;
use incola_core::kind::statistics::{moment_key, trim};
use incola_core::kind::{Sum, Value, number};
use rustc_hash::FxHashSet;

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
#[derive(Clone, Debug, Default)]
pub struct Figures {
    /// How many.
    pub count: u64,
    /// Their sum.
    pub sum: Sum,
    /// Most decimals of one.
    pub decimals: u8,
    /// Zeros.
    pub zeros: u64,
    /// Numbers below zero.
    pub negatives: u64,
    /// How they are spread, with the smallest and the largest.
    pub spread: Spread,
}

impl Figures {
    /// Their mean, in units of 10^-15, rounded half away from zero to two decimals more than they have. `None`: their sum is not
    /// exact.
    ///
    /// ```
    /// use incola_engine::tally::Figures;
    /// assert_eq!(Figures::default().mean(), None);
    /// ```
    pub fn mean(&self) -> Option<i128> {
        let count = i128::from(self.count);
        if count == 0 || !self.sum.is_exact() {
            return None;
        }
        let unit = 10_i128.pow(15 - u32::from(self.decimals + 2).min(15)) * count;
        let (whole, rest) = (self.sum.units() / unit, self.sum.units() % unit);
        let up = i128::from(rest.abs() * 2 >= unit) * rest.signum();
        Some((whole + up) * (unit / count))
    }
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
    /// The days that they are on.
    pub days: Days,
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
    /// Values with a character that nobody sees, or that stands for a lost one.
    pub unusual: u64,
    /// The first of them, and that character.
    pub first_unusual: Option<Place<char>>,
    /// Digests of its different values.
    different: FxHashSet<u64>,
    /// Whether there are more of them than are counted.
    pub(super) has_more: bool,
}

fn text_of(value: &[u8]) -> String {
    String::from_utf8_lossy(&value[..value.len().min(80)]).into_owned()
}

/// The first character of a text that nobody sees, or that stands for a lost one: control characters but for tabs and line ends,
/// blanks that are none, marks of direction and of zero width, characters for private use, U+FFFD.
fn unusual_in(value: &[u8]) -> Option<char> {
    if value.iter().all(|b| matches!(b, b' '..=b'~' | b'\t' | b'\n' | b'\r')) {
        return None;
    }
    let is_unusual = |c: char| {
        (c.is_control() && !matches!(c, '\t' | '\n' | '\r'))
            || matches!(c, '\u{a0}' | '\u{ad}' | '\u{2000}'..='\u{200f}' | '\u{2028}'..='\u{202f}')
            || matches!(c, '\u{205f}'..='\u{206f}' | '\u{e000}'..='\u{f8ff}' | '\u{feff}' | '\u{fff9}'..='\u{ffff}')
    };
    String::from_utf8_lossy(value).chars().find(|c| is_unusual(*c))
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
                    figures.spread.add(units, line);
                }
            }
            Value::Moment(day, millis, _) => {
                let moments = self.moments.get_or_insert_default();
                moments.count += 1;
                let key = day.map_or(u64::from(*millis), |day| moment_key(day, *millis));
                if let Some(day) = day {
                    moments.days.add(*day);
                }
                take(&mut moments.first, key, line, own, |a, b| a < b);
                take(&mut moments.last, key, line, own, |a, b| a > b);
            }
            Value::Misfit(_) => self.misfits += 1,
            _ => {
                let is_ascii = own.is_ascii();
                let characters =
                    if is_ascii { own.len() } else { String::from_utf8_lossy(own).chars().count() };
                if let Some(odd) = unusual_in(own) {
                    self.unusual += 1;
                    take(&mut self.first_unusual, odd, line, own, |_, _| false);
                }
                take(&mut self.shortest, characters, line, own, |a, b| a < b);
                take(&mut self.longest, characters, line, own, |a, b| a > b);
                self.leading_zeros +=
                    u64::from(own.first() == Some(&b'0') && own.get(1).is_some_and(u8::is_ascii_digit));
            }
        }
    }

    fn settle(&mut self) {
        if self.different.len() > MOST_DISTINCT {
            (self.different, self.has_more) = (FxHashSet::default(), true);
        }
    }

    pub(super) fn merge(&mut self, later: Self) {
        self.filled += later.filled;
        self.empty += later.empty;
        self.misfits += later.misfits;
        self.leading_zeros += later.leading_zeros;
        self.unusual += later.unusual;
        keep(&mut self.first_unusual, later.first_unusual, |_, _| false);
        keep(&mut self.shortest, later.shortest, |a, b| a < b);
        keep(&mut self.longest, later.longest, |a, b| a > b);
        if let Some(more) = later.figures {
            let figures = self.figures.get_or_insert_default();
            figures.count += more.count;
            figures.sum.merge(&more.sum);
            figures.decimals = figures.decimals.max(more.decimals);
            figures.zeros += more.zeros;
            figures.negatives += more.negatives;
            figures.spread.merge(more.spread);
        }
        if let Some(more) = later.moments {
            let moments = self.moments.get_or_insert_default();
            moments.count += more.count;
            moments.days.merge(more.days);
            keep(&mut moments.first, more.first, |a, b| a < b);
            keep(&mut moments.last, more.last, |a, b| a > b);
        }
        self.has_more |= later.has_more;
        if self.has_more {
            self.different = FxHashSet::default();
        } else {
            self.different.extend(later.different);
            self.settle();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_that_nobody_sees_are_found() {
        for (text, found) in [
            ("Saltwind", None),
            ("Möwe, 北埠頭", None),
            ("two\nlines\tof it", None),
            ("7\u{a0}000", Some('\u{a0}')),
            ("M\u{fffd}we", Some('\u{fffd}')),
            ("Tern\u{200b}", Some('\u{200b}')),
            ("\u{feff}Tern", Some('\u{feff}')),
            ("a\u{1}b", Some('\u{1}')),
        ] {
            assert_eq!(unusual_in(text.as_bytes()), found, "{text:?}");
        }
    }

    #[test]
    fn means_are_rounded_to_two_decimals_more() {
        let mean = |numbers: &[&str]| {
            let mut figures = Figures::default();
            for text in numbers {
                let number = number::parse_padded(text.as_bytes(), number::Decimal::Point).unwrap();
                figures.count += 1;
                figures.sum.add(&number);
                figures.decimals = figures.decimals.max(number.spelling.decimals());
            }
            figures.mean().map(|units| number::units_text(units, 0))
        };
        for (numbers, expected) in [
            (&["1", "2"][..], Some("1.5")),
            (&["1", "1", "2"], Some("1.33")),
            (&["-1", "-1", "-2"], Some("-1.33")),
            (&["0.5", "0.5", "0.7"], Some("0.567")),
            (&["7"], Some("7")),
            (&[], None),
        ] {
            assert_eq!(mean(numbers).as_deref(), expected, "{numbers:?}");
        }
    }
}
