//! What is known of a column after looking at values: counts, extremes, spellings, and what does not fit.
//!
//! Each block of records gets statistics of its own; [`ColumnStats::merge`] puts them together in the order of the
//! blocks, so the result does not depend on who was faster. Lines are counted from 1, within the block until merged.

mod class;
mod dates;
mod numbers;
mod words;
mod wrap;

pub use dates::{Dates, ORDERS, moment_key};
pub use numbers::{Numbers, Spellings};
pub use words::Words;
pub use wrap::{Wrap, trim, unwrap};

use super::date;
use super::number::{self, Decimal, NoNumber, Number, SpellingCode};

/// How often something was seen, and in which line first.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Count {
    /// How often.
    pub count: u64,
    /// The line in which it was first seen; 0: never.
    pub line: u64,
}

impl Count {
    /// Counts a line.
    ///
    /// ```
    /// let mut count = incola_core::kind::statistics::Count::default();
    /// count.add(7);
    /// count.add(9);
    /// assert_eq!((count.count, count.line), (2, 7));
    /// ```
    #[inline]
    pub fn add(&mut self, line: u64) {
        if self.count == 0 {
            self.line = line;
        }
        self.count += 1;
    }

    fn merge(&mut self, later: Self, lines_before: u64) {
        if self.count == 0 && later.count > 0 {
            self.line = later.line + lines_before;
        }
        self.count += later.count;
    }
}

/// An extreme value and its line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Extreme {
    /// In units of 10^-15, as [`Sum::units`](crate::kind::Sum::units).
    pub units: i128,
    /// The line in which it was first seen.
    pub line: u64,
}

/// Whole numbers without sign or mark, by their number of digits.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Digits {
    /// How many values are nothing but digits (zeros in front included).
    pub count: u64,
    /// Fewest digits.
    pub fewest: u32,
    /// Most digits.
    pub most: u32,
}

/// Blanks around values, to be able to write them back.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Padding {
    /// Fewest and most blanks in front.
    pub front: (u32, u32),
    /// Fewest and most blanks behind.
    pub behind: (u32, u32),
    /// Fewest and most characters of the whole field.
    pub width: (u32, u32),
}

impl Padding {
    fn join(self, other: Self) -> Self {
        let wide = |a: (u32, u32), b: (u32, u32)| (a.0.min(b.0), a.1.max(b.1));
        Self {
            front: wide(self.front, other.front),
            behind: wide(self.behind, other.behind),
            width: wide(self.width, other.width),
        }
    }
}

/// All that is known of a column.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ColumnStats {
    /// Values that are not blank.
    pub filled: u64,
    /// Values past the records that were looked at; nothing more is known of them.
    pub beyond: u64,
    /// Empty fields, fields of blanks, and fields that a short record lacks.
    pub blank: u64,
    /// Of those, fields of one or more blanks.
    pub only_blanks: Count,
    /// Length of the longest value, in UTF-16 units, and its line.
    pub longest: u32,
    /// The line of the longest value.
    pub longest_line: u64,
    longest_bytes: usize,
    /// Numbers that begin with zeros.
    pub leading_zero: Count,
    /// Numbers of more than 15 significant digits.
    pub too_long: Count,
    /// Numbers whose spelling no number format shows.
    pub unspellable: Count,
    /// Values without a digit.
    pub words: Words,
    /// Values with digits that are neither number, date nor time.
    pub mixed: Count,
    /// The first of them.
    pub mixed_example: Option<Box<[u8]>>,
    /// Values that begin with `=`, `+`, `-` or `@` and are no numbers.
    pub formula_like: Count,
    /// Values of digits only.
    pub digits: Option<Digits>,
    /// Numbers that are the same under both decimal characters.
    pub neutral: Numbers,
    /// Numbers with marks, the decimal character being a point.
    pub point: Option<Box<Numbers>>,
    /// Numbers with marks, the decimal character being a comma.
    pub comma: Option<Box<Numbers>>,
    /// Whole numbers of 1000 and above without a mark, which speak against grouping.
    pub ungrouped_thousands: u64,
    /// Dates and times by shape; values of further shapes are counted as `mixed`.
    pub dates: Vec<Dates>,
    /// Blanks around filled values.
    pub padding: Option<Padding>,
    /// Values written as `="…"`.
    pub formulas: Count,
    /// Values of digits with an apostrophe in front.
    pub apostrophes: Count,
}

/// Shapes of dates kept per column.
const MOST_SHAPES: usize = 4;

impl ColumnStats {
    /// How all values are wrapped, if they are.
    pub fn wrap(&self) -> Option<Wrap> {
        if self.filled == 0 {
            None
        } else if self.formulas.count == self.filled {
            Some(Wrap::Formula)
        } else {
            (self.apostrophes.count == self.filled).then_some(Wrap::Apostrophe)
        }
    }

    /// Looks at one field, in `line` (from 1).
    #[inline]
    pub fn observe(&mut self, field: &[u8], line: u64) {
        let mut seen = 0_u8;
        for &byte in field {
            seen |= class::TABLE[usize::from(byte)];
        }
        let seen = u16::from(seen);
        if seen & !class::BLANK == 0 {
            self.blank += 1;
            if !field.is_empty() {
                self.only_blanks.add(line);
            }
            return;
        }
        self.filled += 1;
        if field.len() > self.longest_bytes || seen & class::HIGH != 0 {
            self.measure(field, line);
        }
        let mut value = field;
        let mut front = 0;
        if seen & class::BLANK != 0 {
            (value, front) = trim(field);
        }
        self.pad(field, value, front, seen & class::HIGH != 0);
        if seen & class::OTHER != 0
            && let Some((_, wrap)) = unwrap(value)
        {
            let count = if wrap == Wrap::Formula { &mut self.formulas } else { &mut self.apostrophes };
            count.add(line);
            return;
        }
        if seen & class::DIGIT == 0 {
            if matches!(value[0], b'=' | b'+' | b'-' | b'@') && value.len() > 1 {
                self.formula_like.add(line);
            }
            self.words.add(value, line);
        } else if seen & !(class::DIGIT | class::BLANK) == 0 && value.len() == field.len() {
            self.observe_digits(value, line);
        } else {
            self.observe_other(value, seen, line);
        }
    }

    /// Counts a field that a short record lacks.
    pub fn observe_missing(&mut self, count: u64) {
        self.blank += count;
    }

    /// Looks at a field's length alone: for records past a limited survey.
    pub fn observe_length(&mut self, field: &[u8], line: u64) {
        if trim(field).0.is_empty() {
            self.blank += 1;
            return;
        }
        self.beyond += 1;
        if field.len() > self.longest_bytes {
            self.measure(field, line);
        }
    }

    #[cold]
    fn measure(&mut self, field: &[u8], line: u64) {
        let longest = if field.is_ascii() {
            field.len()
        } else if field.len() <= self.longest as usize {
            return; // UTF-16 has never more units than UTF-8 has bytes
        } else {
            String::from_utf8_lossy(field).encode_utf16().count()
        };
        if longest > self.longest as usize {
            self.longest = u32::try_from(longest).unwrap_or(u32::MAX);
            self.longest_line = line;
            self.longest_bytes = longest;
        }
    }

    #[inline]
    fn pad(&mut self, field: &[u8], value: &[u8], front: usize, high: bool) {
        let behind = (field.len() - value.len() - front) as u32;
        let width = if high { String::from_utf8_lossy(field).chars().count() } else { field.len() };
        let (front, width) = (front as u32, width as u32);
        match &mut self.padding {
            Some(p) if p.front.1 + p.behind.1 + front + behind == 0 => {
                p.width = (p.width.0.min(width), p.width.1.max(width));
            }
            padding => {
                let one = Padding { front: (front, front), behind: (behind, behind), width: (width, width) };
                *padding = Some(padding.map_or(one, |p| p.join(one)));
            }
        }
    }

    #[inline]
    fn observe_digits(&mut self, value: &[u8], line: u64) {
        let length = value.len() as u32;
        match &mut self.digits {
            Some(d) => {
                d.count += 1;
                d.fewest = d.fewest.min(length);
                d.most = d.most.max(length);
            }
            None => self.digits = Some(Digits { count: 1, fewest: length, most: length }),
        }
        if value[0] == b'0' && length > 1 {
            self.leading_zero.add(line);
        } else if value.iter().any(|b| !b.is_ascii_digit()) {
            self.observe_other(value, class::DIGIT | class::BLANK, line);
            return;
        } else if length > number::SIGNIFICANT_DIGITS {
            self.too_long.add(line);
        } else {
            let digits = value.iter().fold(0_u64, |n, b| n * 10 + u64::from(b - b'0'));
            self.ungrouped_thousands += u64::from(length > 3);
            let number = Number { digits, scale: 0, negative: false, spelling: SpellingCode::PLAIN };
            self.neutral.add(&number, line);
        }
        // Compact dates begin with a century.
        if matches!(length, 8 | 12 | 14) && matches!(value[..2], [b'1', b'9'] | [b'2', b'0' | b'1']) {
            self.observe_date(value, line);
        }
    }

    /// A value with digits and something else.
    fn observe_other(&mut self, value: &[u8], seen: u16, line: u64) {
        if seen & class::DATE == 0 {
            match self.observe_number(value, seen, line) {
                Ok(()) => return,
                Err(NoNumber::LeadingZero) => {
                    // `01.02.2031` begins with a zero as well; dates are looked at first.
                    if !self.observe_date(value, line) {
                        self.leading_zero.add(line);
                    }
                    return;
                }
                Err(NoNumber::TooLong) => return self.too_long.add(line),
                Err(NoNumber::Unspellable) => return self.unspellable.add(line),
                Err(NoNumber::Other) => {}
            }
        }
        let datelike = seen & (class::DATE | class::SIGN | class::MARK | class::BLANK) != 0;
        if datelike && self.observe_date(value, line) {
            return;
        }
        if matches!(value[0], b'=' | b'+' | b'-' | b'@') {
            self.formula_like.add(line);
        }
        self.mixed.add(line);
        if self.mixed_example.is_none() {
            self.mixed_example = Some(value[..value.len().min(40)].into());
        }
    }

    fn observe_number(&mut self, value: &[u8], seen: u16, line: u64) -> Result<(), NoNumber> {
        if let Some((decimal, number)) = number::parse_simple(value) {
            // `12.5`: one mark, and not before three digits that it could group.
            let numbers = match decimal {
                Decimal::Point => &mut self.point,
                Decimal::Comma => &mut self.comma,
            };
            let numbers = numbers.get_or_insert_default();
            numbers.add(&number, line);
            numbers.decisive.add(line);
            return Ok(());
        }
        let point = number::parse(value, Decimal::Point);
        if seen & class::MARK == 0 {
            let number = point?;
            self.ungrouped_thousands +=
                u64::from(number.digits > 999 && number.spelling.spelling().group == number::Group::None);
            self.neutral.add(&number, line);
            return Ok(());
        }
        let comma = number::parse(value, Decimal::Comma);
        if point.is_err() && comma.is_err() {
            let worst = |w: NoNumber| matches!(point, Err(p) if p == w) || matches!(comma, Err(c) if c == w);
            return Err([NoNumber::LeadingZero, NoNumber::TooLong, NoNumber::Unspellable]
                .into_iter()
                .find(|w| worst(*w))
                .unwrap_or(NoNumber::Other));
        }
        let only = point.is_ok() != comma.is_ok();
        for (numbers, number) in [(&mut self.point, point), (&mut self.comma, comma)] {
            if let Ok(number) = number {
                let numbers = numbers.get_or_insert_default();
                numbers.add(&number, line);
                if only {
                    numbers.decisive.add(line);
                }
            }
        }
        Ok(())
    }

    /// Notes `value` if it is a date or time.
    fn observe_date(&mut self, value: &[u8], line: u64) -> bool {
        let Some(scan) = date::scan(value) else { return false };
        let days = ORDERS.map(|order| scan.day(order));
        if scan.shape.date.is_some() && days.iter().all(Option::is_none) {
            return false;
        }
        let at = match self.dates.iter().position(|d| d.shape == scan.shape) {
            Some(at) => at,
            None if self.dates.len() < MOST_SHAPES => {
                self.dates.push(Dates::new(&scan));
                self.dates.len() - 1
            }
            None => return false,
        };
        self.dates[at].add(&scan, days, line);
        true
    }

    /// Adds the statistics of a later block; `lines_before` is added to its lines.
    pub fn merge(&mut self, later: &Self, lines_before: u64) {
        self.filled += later.filled;
        self.beyond += later.beyond;
        self.blank += later.blank;
        self.only_blanks.merge(later.only_blanks, lines_before);
        if later.longest > self.longest {
            self.longest = later.longest;
            self.longest_line = later.longest_line + lines_before;
            self.longest_bytes = later.longest_bytes;
        }
        for (count, more) in [
            (&mut self.leading_zero, later.leading_zero),
            (&mut self.too_long, later.too_long),
            (&mut self.unspellable, later.unspellable),
            (&mut self.mixed, later.mixed),
            (&mut self.formula_like, later.formula_like),
            (&mut self.formulas, later.formulas),
            (&mut self.apostrophes, later.apostrophes),
        ] {
            count.merge(more, lines_before);
        }
        self.words.merge(&later.words, lines_before);
        if self.mixed_example.is_none() {
            self.mixed_example.clone_from(&later.mixed_example);
        }
        self.digits = match (self.digits, later.digits) {
            (Some(a), Some(b)) => Some(Digits {
                count: a.count + b.count,
                fewest: a.fewest.min(b.fewest),
                most: a.most.max(b.most),
            }),
            (a, b) => a.or(b),
        };
        self.neutral.merge(&later.neutral, lines_before);
        for (numbers, more) in [(&mut self.point, &later.point), (&mut self.comma, &later.comma)] {
            if let Some(more) = more {
                numbers.get_or_insert_default().merge(more, lines_before);
            }
        }
        self.ungrouped_thousands += later.ungrouped_thousands;
        for dates in &later.dates {
            match self.dates.iter().position(|d| d.shape == dates.shape) {
                Some(at) => self.dates[at].merge(dates, lines_before),
                None if self.dates.len() < MOST_SHAPES => {
                    let mut first = dates.clone();
                    first.shift(lines_before);
                    self.dates.push(first);
                }
                None => self.mixed.merge(Count { count: dates.count, line: 1 }, lines_before),
            }
        }
        self.padding = match (self.padding, later.padding) {
            (Some(a), Some(b)) => Some(a.join(b)),
            (a, b) => a.or(b),
        };
    }

    /// Numbers under a decimal character: those with marks and those without.
    pub fn numbers(&self, decimal: Decimal) -> Numbers {
        let mut numbers = self.neutral.clone();
        let marked = match decimal {
            Decimal::Point => &self.point,
            Decimal::Comma => &self.comma,
        };
        if let Some(marked) = marked {
            numbers.merge(marked, 0);
        }
        numbers
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn stats(values: &[&str]) -> ColumnStats {
        let mut stats = ColumnStats::default();
        for (i, value) in values.iter().enumerate() {
            stats.observe(value.as_bytes(), i as u64 + 1);
        }
        stats
    }

    #[test]
    fn each_value_is_counted_once_for_what_it_is() {
        let s = stats(&[
            "12",
            "007",
            "",
            "  ",
            "n/a",
            "K0C4",
            "1.234",
            "1,5",
            "2031-08-17",
            "12345678901234567",
            "-",
        ]);
        assert_eq!((s.filled, s.blank, s.only_blanks.count), (9, 2, 1));
        assert_eq!((s.leading_zero.count, s.leading_zero.line), (1, 2));
        assert_eq!(s.words.seen.count, 2);
        assert_eq!((s.mixed.count, s.mixed.line), (1, 6));
        assert_eq!(s.too_long.count, 1);
        assert_eq!(s.point.as_ref().unwrap().count, 1);
        assert_eq!(s.comma.as_ref().unwrap().decisive, Count { count: 1, line: 8 });
        assert_eq!(s.dates[0].count, 1);
    }

    #[test]
    fn dates_that_begin_with_a_zero_are_dates() {
        let s = stats(&["01.02.2031", "28.02.2031"]);
        assert_eq!((s.leading_zero.count, s.dates[0].count), (0, 2));
        assert_eq!(s.dates[0].decisive[0], Count { count: 1, line: 2 });
    }

    #[test]
    fn lengths_count_utf16_units() {
        assert_eq!(stats(&["Möwe", "🚢🚢🚢"]).longest, 6);
    }

    proptest! {
        #[test]
        fn merging_blocks_gives_what_one_block_gives(
            values in prop::collection::vec(
                "(|[0-9]{1,4}|0[0-9]{2}|[0-9]\\.[0-9]{3}|[0-9],[0-9]{2}|n/a|- |[a-c]{2}[0-9]|(0[1-9]|1[0-9])/0[1-9]/2031|[0-9]:30)", 0..40),
            cut in 0_usize..40,
        ) {
            let cut = cut.min(values.len());
            let borrowed: Vec<&str> = values.iter().map(String::as_str).collect();
            let mut merged = stats(&borrowed[..cut]);
            merged.merge(&stats(&borrowed[cut..]), cut as u64);
            let mut whole = stats(&borrowed);
            // The order of spellings is no part of the result.
            for s in [&mut merged, &mut whole] {
                s.neutral.spellings.seen.sort_unstable();
                for n in s.point.iter_mut().chain(&mut s.comma) { n.spellings.seen.sort_unstable(); }
                for d in &mut s.dates { d.spellings.seen.sort_unstable(); }
            }
            prop_assert_eq!(merged, whole);
        }
    }
}
