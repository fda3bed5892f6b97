//! Values of expressions: exact, and of one type each.

use crate::kind::{Day, Kind};
use rust_decimal::Decimal;
use std::borrow::Cow;
use std::cmp::Ordering;

/// Milliseconds of a day.
pub(super) const DAY: i64 = 86_400_000;

/// The type of a value, known before any record is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Type {
    /// An exact decimal number of at most 28 digits.
    Number,
    /// Text.
    Text,
    /// True, false, or unknown.
    Boolean,
    /// A day.
    Date,
    /// A time of day.
    Time,
    /// A day and a time.
    DateTime,
    /// So many days.
    Days,
    /// `NULL` alone: it goes with all types.
    Null,
}

impl Type {
    /// The type as messages call it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Number => "a number",
            Self::Text => "text",
            Self::Boolean => "true or false",
            Self::Date => "a date",
            Self::Time => "a time",
            Self::DateTime => "a date with time",
            Self::Days => "an interval in days",
            Self::Null => "NULL",
        }
    }

    /// The type of the values of a kind.
    pub(in crate::shape) const fn of_kind(kind: Kind) -> Self {
        match kind {
            Kind::Number => Self::Number,
            Kind::Date => Self::Date,
            Kind::Time => Self::Time,
            Kind::DateTime => Self::DateTime,
            Kind::Boolean => Self::Boolean,
            Kind::Text | Kind::Skip => Self::Text,
        }
    }

    /// The kind of a column with values of this type.
    pub(in crate::shape) const fn kind(self) -> Kind {
        match self {
            Self::Number | Self::Days => Kind::Number,
            Self::Text | Self::Null => Kind::Text,
            Self::Boolean => Kind::Boolean,
            Self::Date => Kind::Date,
            Self::Time => Kind::Time,
            Self::DateTime => Kind::DateTime,
        }
    }
}

/// A value.
#[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub(in crate::shape) enum Val<'v> {
    Null,
    Number(Decimal),
    Text(Cow<'v, str>),
    Boolean(bool),
    /// Days since 1970-01-01.
    Date(i64),
    /// Milliseconds since midnight.
    Time(i64),
    /// Milliseconds since the beginning of 1970-01-01.
    DateTime(i64),
    Days(i64),
}

/// Why a value cannot be computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// A division by zero.
    DivisionByZero,
    /// A quotient that does not come out even, and is not rounded.
    Uneven,
    /// More than 28 digits.
    TooManyDigits,
    /// Text that is spelled as no number or moment.
    BadCast,
    /// A value that does not fit the kind of its column.
    Misfit,
    /// A day before year 1 or after year 9999.
    NoSuchDay,
    /// Text that is longer than a cell holds.
    TooLong,
}

impl Fault {
    /// What it is, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::DivisionByZero => "division by zero",
            Self::Uneven => "the quotient does not come out even: ROUND(…, 2) rounds it",
            Self::TooManyDigits => "more than 28 digits",
            Self::BadCast => "CAST of text that is spelled otherwise",
            Self::Misfit => "a value does not fit the kind of its column",
            Self::NoSuchDay => "there is no such day",
            Self::TooLong => "more than 32,767 characters",
        }
    }
}

impl Val<'_> {
    pub(in crate::shape) fn is_null(&self) -> bool {
        matches!(self, Self::Null)
    }

    /// How two values of one type compare; `None`: one of them is `NULL`.
    pub(in crate::shape) fn compare(&self, other: &Self) -> Option<Ordering> {
        match (self, other) {
            (Self::Number(a), Self::Number(b)) => Some(a.cmp(b)),
            (Self::Text(a), Self::Text(b)) => Some(a.as_ref().cmp(b.as_ref())),
            (Self::Boolean(a), Self::Boolean(b)) => Some(a.cmp(b)),
            (Self::Date(a), Self::DateTime(b)) => Some((a * DAY).cmp(b)),
            (Self::DateTime(a), Self::Date(b)) => Some(a.cmp(&(b * DAY))),
            (Self::Date(a), Self::Date(b))
            | (Self::Time(a), Self::Time(b))
            | (Self::DateTime(a), Self::DateTime(b))
            | (Self::Days(a), Self::Days(b)) => Some(a.cmp(b)),
            _ => None,
        }
    }

    /// Spells it as a column of its kind reads it: dates as in ISO 8601, numbers with a point. Nothing for `NULL`.
    pub(in crate::shape) fn spell(&self, out: &mut Vec<u8>) -> Result<(), Fault> {
        use std::io::Write as _;
        let written = match self {
            Self::Null => Ok(()),
            Self::Number(number) => {
                spell_number(*number, out);
                Ok(())
            }
            Self::Days(days) => write!(out, "{days}"),
            Self::Text(text) => {
                out.extend_from_slice(text.as_bytes());
                Ok(())
            }
            Self::Boolean(is) => write!(out, "{}", if *is { "true" } else { "false" }),
            Self::Date(days) => {
                let day = Day::on(*days).ok_or(Fault::NoSuchDay)?;
                write!(out, "{:04}-{:02}-{:02}", day.year, day.month, day.day)
            }
            Self::Time(millis) => spell_time(*millis, out),
            Self::DateTime(millis) => {
                let day = Day::on(millis.div_euclid(DAY)).ok_or(Fault::NoSuchDay)?;
                write!(out, "{:04}-{:02}-{:02} ", day.year, day.month, day.day)
                    .and_then(|()| spell_time(millis.rem_euclid(DAY), out))
            }
        };
        // Writing into memory does not fail.
        written.map_err(|_| Fault::TooLong)
    }
}

/// Spells a number with a point, as many decimals as it has.
fn spell_number(number: Decimal, out: &mut Vec<u8>) {
    let scale = number.scale() as usize;
    let mut digits = [b'0'; 64];
    let mut from = digits.len();
    let mut rest = number.mantissa().unsigned_abs();
    while rest > 0 || digits.len() - from <= scale {
        // Most coefficients are short, and short ones are divided faster.
        let digit = if let Ok(short) = u64::try_from(rest) {
            rest = u128::from(short / 10);
            (short % 10) as u8
        } else {
            let digit = (rest % 10) as u8;
            rest /= 10;
            digit
        };
        from -= 1;
        digits[from] = b'0' + digit;
    }
    if number.is_sign_negative() && !number.is_zero() {
        out.push(b'-');
    }
    let point = digits.len() - scale;
    out.extend_from_slice(&digits[from..point]);
    if scale > 0 {
        out.push(b'.');
        out.extend_from_slice(&digits[point..]);
    }
}

fn spell_time(millis: i64, out: &mut Vec<u8>) -> std::io::Result<()> {
    use std::io::Write as _;
    let seconds = millis / 1000;
    write!(out, "{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60)?;
    if millis % 1000 > 0 { write!(out, ".{:03}", millis % 1000) } else { Ok(()) }
}

/// The year and the number of the week of a day by ISO 8601 (section 3.1.1.23): it belongs to the year that its Thursday is in.
pub(in crate::shape) fn iso_week(days: i64) -> Option<(i64, i64)> {
    let thursday = days + 3 - (days + 3).rem_euclid(7);
    let year = Day::on(thursday)?.year;
    let first = Day::new(year, 1, 1)?.since_1970();
    Some((i64::from(year), (thursday - i64::from(first)) / 7 + 1))
}

/// The largest coefficient of a decimal.
const MOST: i128 = (1 << 96) - 1;

/// A decimal of a coefficient and its digits behind the point, if it has at most 28.
fn exact(mut coefficient: i128, mut scale: u32) -> Result<Decimal, Fault> {
    while (scale > 28 || coefficient.abs() > MOST) && scale > 0 && coefficient % 10 == 0 {
        (coefficient, scale) = (coefficient / 10, scale - 1);
    }
    if scale > 28 || coefficient.abs() > MOST {
        return Err(Fault::TooManyDigits);
    }
    Decimal::try_from_i128_with_scale(coefficient, scale).map_err(|_| Fault::TooManyDigits)
}

/// The exact sum.
pub(in crate::shape) fn add(a: Decimal, b: Decimal) -> Result<Decimal, Fault> {
    let scale = a.scale().max(b.scale());
    let aligned = |n: Decimal| {
        let factor = 10_i128.checked_pow(scale - n.scale())?;
        n.mantissa().checked_mul(factor)
    };
    let sum = aligned(a).zip(aligned(b)).and_then(|(a, b)| a.checked_add(b));
    sum.map_or(Err(Fault::TooManyDigits), |sum| exact(sum, scale))
}

/// The exact product.
pub(super) fn multiply(a: Decimal, b: Decimal) -> Result<Decimal, Fault> {
    let product = a.mantissa().checked_mul(b.mantissa()).map(|product| (product, a.scale() + b.scale()));
    let product = product.or_else(|| {
        let (a, b) = (a.normalize(), b.normalize());
        Some((a.mantissa().checked_mul(b.mantissa())?, a.scale() + b.scale()))
    });
    product.map_or(Err(Fault::TooManyDigits), |(product, scale)| exact(product, scale))
}

/// The quotient, exact unless it is `rounded` afterwards.
pub(in crate::shape) fn divide(a: Decimal, b: Decimal, rounded: bool) -> Result<Decimal, Fault> {
    if b.is_zero() {
        return Err(Fault::DivisionByZero);
    }
    let quotient = a.checked_div(b).ok_or(Fault::TooManyDigits)?;
    if rounded {
        return Ok(quotient);
    }
    match multiply(quotient, b) {
        Ok(product) if product == a => Ok(quotient.normalize()),
        _ => Err(Fault::Uneven),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn days_and_weeks_are_those_of_the_calendar() {
        let mut at = i64::from(Day::new(1, 1, 1).unwrap().since_1970());
        let mut step = 1;
        while let Some(day) = Day::on(at) {
            assert_eq!(i64::from(day.since_1970()), at, "{day:?}");
            step = step * 7 % 997 + 1;
            at += step;
        }
        assert!(at > i64::from(Day::new(9999, 12, 31).unwrap().since_1970()));
        for ((year, month, day), week) in
            [((2027, 1, 3), 53), ((2027, 1, 4), 1), ((2024, 12, 30), 1), ((2031, 8, 17), 33)]
        {
            let days = i64::from(Day::new(year, month, day).unwrap().since_1970());
            assert_eq!(iso_week(days).map(|week| week.1), Some(week), "{year}-{month}-{day}");
        }
    }

    #[test]
    fn numbers_are_spelled_with_all_their_decimals() {
        for text in [
            "0",
            "0.00",
            "-0.05",
            "7",
            "-120.50",
            "1234567890123456789012345678",
            "0.0000000000000000000000000001",
        ] {
            let mut out = Vec::new();
            spell_number(text.parse().unwrap(), &mut out);
            assert_eq!(String::from_utf8(out).unwrap(), text);
        }
    }

    #[test]
    fn arithmetic_is_exact_or_says_that_it_is_not() {
        let n = |text: &str| text.parse::<Decimal>().unwrap();
        assert_eq!(add(n("0.1"), n("0.2")), Ok(n("0.3")));
        assert_eq!(add(n("99999999999999999999"), n("0.0000000000001")), Err(Fault::TooManyDigits));
        assert_eq!(multiply(n("1.5"), n("-2.25")), Ok(n("-3.375")));
        assert_eq!(multiply(n("12345678.1234"), n("87654321.4321")), Ok(n("1082152038525748.72852114")));
        assert_eq!(multiply(n("0.00000000000001"), n("0.000000000000001")), Err(Fault::TooManyDigits));
        assert_eq!(divide(n("1"), n("8"), false), Ok(n("0.125")));
        assert_eq!(divide(n("1"), n("3"), false), Err(Fault::Uneven));
        assert_eq!(divide(n("1"), n("0"), true), Err(Fault::DivisionByZero));
    }
}
