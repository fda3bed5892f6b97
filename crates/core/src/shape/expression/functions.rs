//! Functions and casts.

use super::value::{DAY, Fault, Type, Val, iso_week};
use crate::kind::{DateOrder, Day, date};
use rust_decimal::{Decimal, RoundingStrategy};

/// The functions that are called by their name.
pub(super) const NAMES: [&str; 18] = [
    "ABS",
    "CAST",
    "CEILING",
    "CHAR_LENGTH",
    "COALESCE",
    "EXTRACT",
    "FLOOR",
    "LOWER",
    "MOD",
    "NULLIF",
    "POSITION",
    "ROUND",
    "SUBSTRING",
    "TRIM",
    "UPPER",
    "DATE",
    "TIME",
    "TIMESTAMP",
];

/// A part of a moment.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::shape) enum Part {
    Year,
    Quarter,
    Month,
    Week,
    Day,
    Hour,
    Minute,
    Second,
}

impl Part {
    pub(super) fn named(word: &str) -> Option<Self> {
        Some(match word {
            "YEAR" => Self::Year,
            "QUARTER" => Self::Quarter,
            "MONTH" => Self::Month,
            "WEEK" => Self::Week,
            "DAY" => Self::Day,
            "HOUR" => Self::Hour,
            "MINUTE" => Self::Minute,
            "SECOND" => Self::Second,
            _ => return None,
        })
    }

    /// Whether values of a type have it.
    pub(super) fn is_in(self, own: Type) -> bool {
        let is_of_day = !matches!(self, Self::Hour | Self::Minute | Self::Second);
        match own {
            Type::DateTime | Type::Null => true,
            Type::Date => is_of_day,
            Type::Time => !is_of_day,
            _ => false,
        }
    }

    /// The part of a value.
    pub(super) fn of(self, value: &Val<'_>) -> Result<Val<'static>, Fault> {
        let (days, millis) = match value {
            Val::Date(days) => (*days, 0),
            Val::Time(millis) => (0, *millis),
            Val::DateTime(millis) => (millis.div_euclid(DAY), millis.rem_euclid(DAY)),
            _ => return Ok(Val::Null),
        };
        let day = || Day::on(days).ok_or(Fault::NoSuchDay);
        let whole = match self {
            Self::Year => i64::from(day()?.year),
            Self::Quarter => i64::from((day()?.month - 1) / 3 + 1),
            Self::Month => i64::from(day()?.month),
            Self::Day => i64::from(day()?.day),
            Self::Week => iso_week(days).ok_or(Fault::NoSuchDay)?.1,
            Self::Hour => millis / 3_600_000,
            Self::Minute => millis / 60_000 % 60,
            Self::Second => {
                return Ok(Val::Number(Decimal::new(millis % 60_000, 3).normalize()));
            }
        };
        Ok(Val::Number(Decimal::from(whole)))
    }
}

/// Rounds half away from zero.
pub(in crate::shape) fn round(number: Decimal, digits: u32) -> Decimal {
    let mut rounded = number.round_dp_with_strategy(digits, RoundingStrategy::MidpointAwayFromZero);
    if rounded.scale() < digits {
        rounded.rescale(digits);
    }
    rounded
}

/// Whether values of one type can become another.
pub(super) fn can_cast(own: Type, wanted: Type) -> bool {
    own == wanted
        || matches!(own, Type::Null | Type::Text)
        || wanted == Type::Text
        || matches!((own, wanted), (Type::DateTime, Type::Date | Type::Time) | (Type::Date, Type::DateTime))
        || matches!((own, wanted), (Type::Days, Type::Number))
}

/// Makes another type of a value; a number is rounded to `scale` decimals.
pub(super) fn cast(value: &Val<'_>, wanted: Type, scale: Option<u32>) -> Result<Val<'static>, Fault> {
    let number = |number: Decimal| Val::Number(scale.map_or(number, |scale| round(number, scale)));
    Ok(match (value, wanted) {
        (Val::Null, _) => Val::Null,
        (Val::Number(own), Type::Number) => number(*own),
        (Val::Days(days), Type::Number) => number(Decimal::from(*days)),
        (Val::Text(text), Type::Number) => {
            number(Decimal::from_str_exact(text.trim()).map_err(|_| Fault::BadCast)?)
        }
        (Val::Text(text), Type::Text) => Val::Text(text.clone().into_owned().into()),
        (value, Type::Text) => {
            let mut out = Vec::new();
            value.spell(&mut out)?;
            Val::Text(String::from_utf8(out).map_err(|_| Fault::BadCast)?.into())
        }
        (Val::Text(text), Type::Date | Type::Time | Type::DateTime) => moment(text.trim(), wanted)?,
        (Val::Date(days), Type::Date) => Val::Date(*days),
        (Val::Date(days), Type::DateTime) => Val::DateTime(days * DAY),
        (Val::DateTime(millis), Type::DateTime) => Val::DateTime(*millis),
        (Val::DateTime(millis), Type::Date) => Val::Date(millis.div_euclid(DAY)),
        (Val::DateTime(millis), Type::Time) => Val::Time(millis.rem_euclid(DAY)),
        (Val::Time(millis), Type::Time) => Val::Time(*millis),
        (Val::Boolean(is), Type::Boolean) => Val::Boolean(*is),
        _ => return Err(Fault::BadCast),
    })
}

/// A moment spelled as in ISO 8601: `2031-08-17`, `09:30:00`, `2031-08-17 09:30:00`.
fn moment(text: &str, wanted: Type) -> Result<Val<'static>, Fault> {
    let scan = date::scan(text.as_bytes()).ok_or(Fault::BadCast)?;
    let day = || -> Result<i64, Fault> {
        let is_iso = text.as_bytes().get(4) == Some(&b'-') && text.as_bytes().get(7) == Some(&b'-');
        let day: Option<Day> = scan.day(DateOrder::YearFirst).filter(|_| is_iso);
        day.map(|day| i64::from(day.since_1970())).ok_or(Fault::BadCast)
    };
    let millis = i64::from(scan.millis);
    match wanted {
        Type::Date if !scan.has_time() => Ok(Val::Date(day()?)),
        Type::DateTime => Ok(Val::DateTime(day()? * DAY + millis)),
        Type::Time if scan.has_time() && scan.shape.date.is_none() => Ok(Val::Time(millis)),
        _ => Err(Fault::BadCast),
    }
}
