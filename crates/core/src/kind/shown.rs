//! How the sheet shows values that are made of others. A value of the source is shown as it is spelled there; what was computed has no
//! spelling of its own, so that a format says how it looks.

use super::force::force;
use super::number::{Decimal, Group};
use super::pattern::parse_number;
use super::rule::{DateRule, Kind, Rule};
use super::{ColumnStats, decide::Surroundings};

/// How values look.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Look {
    /// Numbers.
    Number {
        /// What stands before the digits: a currency.
        before: String,
        /// Whether thousands are grouped.
        is_grouped: bool,
        /// Decimals.
        decimals: u8,
        /// What stands behind the digits: a unit, a currency, or a percent sign, which shows a hundred times the number.
        after: String,
    },
    /// Dates and times: the first of its spellings.
    Moment(DateRule),
}

/// How values look, and the format that says so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shown {
    /// The format as it was stated.
    pub format: String,
    /// What it says.
    pub look: Look,
}

/// Longest currency or unit, in characters.
const SIGN: usize = 12;

impl Shown {
    /// Reads a format: a number as it is to look (`1.234,50 €`, `12.5 %`, `0.0 kg`), or a date pattern. `decimal` tells `1,234` apart.
    ///
    /// # Errors
    /// Why it is none, in words.
    ///
    /// ```
    /// use incola_core::kind::{Kind, shown::{Look, Shown}};
    /// let shown = Shown::read(Kind::Number, "1.234,50 kg", None).unwrap();
    /// let look = Look::Number { before: "".into(), is_grouped: true, decimals: 2, after: " kg".into() };
    /// assert_eq!(shown.look, look);
    /// ```
    pub fn read(kind: Kind, format: &str, decimal: Option<Decimal>) -> Result<Self, String> {
        let look = match kind {
            Kind::Number => number(format, decimal)?,
            Kind::Date | Kind::Time | Kind::DateTime => {
                match force(&ColumnStats::default(), kind, Some(format), &Surroundings::default(), None)?.rule
                {
                    Rule::Date(rule) => Look::Moment(rule),
                    _ => return Err("a format is a date pattern such as dd.MM.yyyy".into()),
                }
            }
            Kind::Boolean => return Err("worksheets show yes and no in words of their own".into()),
            Kind::Text | Kind::Skip => return Err("text is shown as it is".into()),
        };
        Ok(Self { format: format.to_owned(), look })
    }
}

fn number(format: &str, decimal: Option<Decimal>) -> Result<Look, String> {
    let sample = || "a format is a number as it is to look, such as 1.234,50 kg".to_owned();
    let first = format.find(|c: char| c.is_ascii_digit()).ok_or_else(sample)?;
    let last = format.rfind(|c: char| c.is_ascii_digit()).ok_or_else(sample)?;
    let (before, digits, after) = (&format[..first], &format[first..=last], &format[last + 1..]);
    let is_sign = |text: &str| text.chars().count() <= SIGN && !text.chars().any(char::is_control);
    // A sign or a bracket would stand before every number.
    let is_signed = format.contains(['-', '+', '\u{2212}', '(', ')']);
    if is_signed || !is_sign(before) || !is_sign(after) || digits.contains(['v', 'V']) {
        return Err(sample());
    }
    let read = parse_number(digits, decimal)?;
    let mark = read.decimal.map(Decimal::char).filter(|mark| !read.group.text().contains(*mark));
    let decimals = mark.and_then(|mark| digits.rsplit_once(mark)).map_or(0, |(_, behind)| behind.len());
    let decimals = u8::try_from(decimals).ok().filter(|n| *n <= 15).ok_or("at most 15 decimals")?;
    let is_grouped = read.group != Group::None;
    Ok(Look::Number { before: before.to_owned(), is_grouped, decimals, after: after.to_owned() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_as_they_are_to_look() {
        for (format, decimal, before, is_grouped, decimals, after) in [
            ("0", None, "", false, 0, ""),
            ("1234.5", None, "", false, 1, ""),
            ("1.234,50 \u{20ac}", None, "", true, 2, " \u{20ac}"),
            ("CHF 1'234.50", None, "CHF ", true, 2, ""),
            ("1 234", None, "", true, 0, ""),
            ("12.5 %", None, "", false, 1, " %"),
            ("0,000 t", Some(Decimal::Comma), "", false, 3, " t"),
            ("1,234 t", Some(Decimal::Point), "", true, 0, " t"),
            ("12 m3", None, "", false, 0, ""),
        ] {
            // A digit in the unit is taken for one of the number, and refused.
            let read = Shown::read(Kind::Number, format, decimal);
            if format.ends_with('3') {
                assert!(read.is_err(), "{format}: {read:?}");
                continue;
            }
            let look = Look::Number { before: before.into(), is_grouped, decimals, after: after.into() };
            assert_eq!(read.map(|s| s.look), Ok(look), "{format}");
        }
        for bad in
            ["", "kg", "9v99", "1,234", "-1.5", "(1.50)", "1.5 pounds and shillings", "1.1234567890123456"]
        {
            assert!(Shown::read(Kind::Number, bad, None).is_err(), "{bad}");
        }
    }

    #[test]
    fn dates_take_patterns_and_the_rest_takes_none() {
        assert!(matches!(Shown::read(Kind::Date, "dd.MM.yyyy", None).unwrap().look, Look::Moment(_)));
        for (kind, format) in [(Kind::Date, "today"), (Kind::Boolean, "yes/no"), (Kind::Text, "x")] {
            assert!(Shown::read(kind, format, None).is_err(), "{format}");
        }
    }
}
