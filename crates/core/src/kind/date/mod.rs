//! Dates and times: what a spelling says, and how it is spelled.
//!
//! A value is first taken apart without deciding which part is the day ([`scan`]); [`DateOrder`] then gives it a
//! meaning. A whole column is needed to tell whether `03/04/2031` is in March or in April. Accepted spellings, in the symbols of
//! UAX #35:
//!
//! | shape | examples |
//! |---|---|
//! | year first | `yyyy-MM-dd`, `yyyy/M/d`, `yyyy.MM.dd`, `yyyy MM dd` |
//! | year last | `dd.MM.yyyy`, `M/d/yyyy`, `dd-MM-yyyy`, `dd MM yyyy` |
//! | two-digit year | `dd.MM.yy`, `M/d/yy`, `yy-MM-dd` |
//! | run together | `yyyyMMdd`, `yyyyMMddHHmm`, `yyyyMMddHHmmss` |
//! | month by name | `d MMM yyyy`, `dd-MMM-yy`, `MMM d, yyyy`, `d. MMMM yyyy` |
//! | time | `H:mm`, `HH:mm:ss`, `HH:mm:ss.SSS`, `h:mm a`; after a date behind `T` or a blank; then `Z` or an offset |

mod scan;

pub use scan::scan;

use super::day::Day;
use super::month::Languages;

/// Which part of a numeric date is which.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[expect(clippy::enum_variant_names, reason = "what comes first is what tells them apart")]
pub enum DateOrder {
    /// Day, month, year.
    DayFirst,
    /// Month, day, year.
    MonthFirst,
    /// Year, month, day.
    YearFirst,
}

/// What kind of spelling a date has; values of one column are compared by it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DateShape {
    /// The date part; `None` for a time alone.
    pub date: Option<DatePart>,
    /// How the half of the day is written; `None`: 24 hours, or no time.
    pub meridiem: Option<Meridiem>,
    /// Whether `Z` or an offset follows.
    pub zoned: bool,
}

/// How the date part of a value is built.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum DatePart {
    /// Digits only: `yyyyMMdd`, perhaps with the time behind.
    Compact,
    /// Four digits of the year, then two parts, divided by this character.
    YearFirst(u8),
    /// Two parts, then four digits of the year.
    YearLast(u8),
    /// Three parts of at most two digits.
    ShortYear(u8),
    /// The month by name.
    Named(Named),
}

/// How a date with a month name is built.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Named {
    /// Order of the parts.
    pub order: DateOrder,
    /// What stands before the month's name or behind it: a blank, `-`, `/` or `.`.
    pub divider: u8,
    /// A full stop behind the day (`4. Mai`).
    pub day_stop: bool,
    /// A full stop behind the month (`Jan.`).
    pub month_stop: bool,
    /// A comma before the year.
    pub comma: bool,
    /// How the letters of the month's name are written.
    pub case: Case,
}

/// How a word's letters are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Case {
    /// `jan`
    Lower,
    /// `JAN`
    Upper,
    /// `Jan`
    Title,
}

impl Case {
    fn of(word: &str) -> Option<Self> {
        let mut chars = word.chars();
        let first = chars.next()?;
        let rest = chars.as_str();
        if first.is_lowercase() && !rest.chars().any(char::is_uppercase) {
            Some(Self::Lower)
        } else if first.is_uppercase() && !rest.chars().any(char::is_uppercase) {
            Some(Self::Title)
        } else if !word.chars().any(char::is_lowercase) {
            Some(Self::Upper)
        } else {
            None
        }
    }

    /// `word`, which is in lower case, written this way.
    pub fn apply(self, word: &str) -> String {
        let mut chars = word.chars();
        match self {
            Self::Lower => word.to_owned(),
            Self::Upper => word.to_uppercase(),
            Self::Title => {
                chars.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default()
                    + chars.as_str()
            }
        }
    }
}

/// How the half of the day is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Meridiem {
    /// `PM` instead of `pm`.
    pub upper: bool,
    /// `p.m.` instead of `pm`.
    pub stops: bool,
    /// A blank before it.
    pub blank: bool,
}

/// How one date or time of a shape is spelled: what may differ from cell to cell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DateSpelling {
    /// Digits of the three numeric parts as they stand; a month's name counts as 3 if cut short, else 4.
    pub widths: [u8; 3],
    /// What stands between date and time.
    pub gap: TimeGap,
    /// Digits of the hour; 0: no time.
    pub hour_digits: u8,
    /// Whether seconds are written.
    pub seconds: bool,
    /// Digits of the fraction of a second, 0 to 3.
    pub fraction_digits: u8,
    /// A comma before the fraction, instead of a full stop.
    pub fraction_comma: bool,
}

/// What stands between a date and its time.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum TimeGap {
    /// Nothing, or no time.
    #[default]
    None,
    /// `T` (ISO 8601)
    T,
    /// A blank.
    Blank,
    /// Two blanks.
    TwoBlanks,
    /// A comma and a blank.
    CommaBlank,
}

impl TimeGap {
    /// The characters themselves.
    pub fn text(self) -> &'static str {
        match self {
            Self::None => "",
            Self::T => "T",
            Self::Blank => " ",
            Self::TwoBlanks => "  ",
            Self::CommaBlank => ", ",
        }
    }
}

/// `Z` or an offset behind a time, as it is written; at most six bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Zone {
    bytes: [u8; 7],
    length: u8,
}

impl Zone {
    /// The characters themselves.
    pub fn text(&self) -> &str {
        std::str::from_utf8(&self.bytes[..usize::from(self.length)]).unwrap_or_default()
    }
}

/// A date or time taken apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DateScan {
    /// What kind of spelling it is.
    pub shape: DateShape,
    /// How it is spelled.
    pub spelling: DateSpelling,
    /// The three parts as they stand; a month's name as its number.
    parts: [u16; 3],
    /// Milliseconds since midnight.
    pub millis: u32,
    /// Languages of the month's name.
    pub languages: Languages,
    /// Whether the month's name is both long and short.
    pub name_is_both: bool,
    /// `Z` or the offset.
    pub zone: Zone,
    /// Whether it says more than milliseconds.
    pub too_fine: bool,
}

/// The century of two-digit years: they lie in 1950 to 2049.
const PIVOT: u16 = 50;

impl DateScan {
    /// The day under an order; `None`: there is no such day, or the shape has no such order.
    pub fn day(&self, order: DateOrder) -> Option<Day> {
        let [a, b, c] = self.parts;
        let (year, month, day) = match (self.shape.date?, order) {
            (DatePart::Compact | DatePart::YearFirst(_), DateOrder::YearFirst) => (a, b, c),
            (DatePart::YearLast(_), DateOrder::DayFirst) => (c, b, a),
            (DatePart::YearLast(_), DateOrder::MonthFirst) => (c, a, b),
            (DatePart::ShortYear(_), DateOrder::DayFirst) if self.spelling.widths[2] == 2 => (full(c), b, a),
            (DatePart::ShortYear(_), DateOrder::MonthFirst) if self.spelling.widths[2] == 2 => {
                (full(c), a, b)
            }
            (DatePart::ShortYear(_), DateOrder::YearFirst) if self.spelling.widths[0] == 2 => (full(a), b, c),
            (DatePart::Named(named), order) if named.order == order => {
                let (year, month, day, width) = match order {
                    DateOrder::DayFirst => (c, b, a, self.spelling.widths[2]),
                    DateOrder::MonthFirst => (c, a, b, self.spelling.widths[2]),
                    DateOrder::YearFirst => (a, b, c, self.spelling.widths[0]),
                };
                (if width == 2 { full(year) } else { year }, month, day)
            }
            _ => return None,
        };
        Day::new(year, u8::try_from(month).ok()?, u8::try_from(day).ok()?)
    }

    /// Whether it has a time.
    pub fn has_time(&self) -> bool {
        self.spelling.hour_digits > 0
    }
}

/// The year that two digits stand for.
fn full(year: u16) -> u16 {
    if year < PIVOT { 2000 + year } else { 1900 + year }
}

#[cfg(test)]
mod tests {
    use super::scan::{scan_any, scan_usual};
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig { cases: 4000, ..ProptestConfig::default() })]
        #[test]
        fn the_usual_spellings_are_read_as_any_other(
            text in "[0-9]{2}([0-9]{2})?[-/. :][0-9]{2}[-/. ][0-9]{2}([0-9]{2})?([T ][0-9]{2}[:.][0-6][0-9][:.][0-6][0-9])?|[0-9T:./ -]{10}|[0-9T:./ -]{19}",
        ) {
            if let Some(usual) = scan_usual(text.as_bytes()) {
                prop_assert_eq!(scan_any(text.as_bytes()), Some(usual), "{}", text);
            }
        }
    }

    #[test]
    fn the_usual_spellings_are_found() {
        for text in ["17.08.2031", "2031-08-17", "2031/08/17 06:05:59", "2031-08-17T23:59:59", "08/17/2031"] {
            assert_eq!(scan_usual(text.as_bytes()), scan_any(text.as_bytes()), "{text}");
            assert!(scan_usual(text.as_bytes()).is_some(), "{text}");
        }
    }

    #[test]
    fn days_are_found_in_each_shape() {
        use DateOrder::{DayFirst, MonthFirst, YearFirst};
        for (text, order, year, month, day) in [
            ("2031-08-17", YearFirst, 2031, 8, 17),
            ("2031/8/7", YearFirst, 2031, 8, 7),
            ("20310817", YearFirst, 2031, 8, 17),
            ("17.08.2031", DayFirst, 2031, 8, 17),
            ("8/17/2031", MonthFirst, 2031, 8, 17),
            ("17-08-31", DayFirst, 2031, 8, 17),
            ("93-08-17", YearFirst, 1993, 8, 17),
            ("17 08 2031", DayFirst, 2031, 8, 17),
            ("17 Aug 2031", DayFirst, 2031, 8, 17),
            ("17-AUG-31", DayFirst, 2031, 8, 17),
            ("4. März 2031", DayFirst, 2031, 3, 4),
            ("Aug 17, 2031", MonthFirst, 2031, 8, 17),
            ("2031-Aug-17", YearFirst, 2031, 8, 17),
            ("29.02.2028", DayFirst, 2028, 2, 29),
        ] {
            let found = scan(text.as_bytes()).unwrap_or_else(|| panic!("{text}"));
            assert_eq!(found.day(order), Day::new(year, month, day), "{text}");
            assert!(found.day(order).is_some());
        }
    }

    #[test]
    fn impossible_days_and_orders_are_none() {
        use DateOrder::{DayFirst, MonthFirst};
        for (text, order) in [
            ("31.02.2031", DayFirst),
            ("29.02.2031", DayFirst),
            ("13/31/2031", MonthFirst),
            ("17/08/2031", MonthFirst),
            ("00.00.0000", DayFirst),
        ] {
            assert_eq!(scan(text.as_bytes()).unwrap().day(order), None, "{text}");
        }
    }

    #[test]
    fn times_are_read_to_the_millisecond() {
        for (text, millis) in [
            ("0:00", 0),
            ("9:05", 32_700_000),
            ("23:59:59.999", 86_399_999),
            ("12:00 am", 0),
            ("12:30PM", 45_000_000),
            ("1:00 p.m.", 46_800_000),
            ("2031-08-17T09:30:00Z", 34_200_000),
            ("2031-08-17 09:30:00 +02:00", 34_200_000),
            ("20310817093000", 34_200_000),
            ("17.08.2031, 09:30", 34_200_000),
        ] {
            assert_eq!(scan(text.as_bytes()).map(|s| s.millis), Some(millis), "{text}");
        }
        assert!(scan(b"10:00:00.123456").unwrap().too_fine);
    }

    #[test]
    fn other_texts_are_none() {
        for text in [
            "",
            "2031",
            "1.2",
            "24:00",
            "10:60",
            "10:5",
            "2031-08",
            "1.2.3",
            "2031-08/17",
            "17.08.2031x",
            "12345678",
            "192.168.1.10",
            "17 quay 2031",
            "12-34",
            "Jan",
            "2031-08-17T",
            "99999999",
            "1-2-3",
            "2031-08-17 9",
        ] {
            assert_eq!(scan(text.as_bytes()), None, "{text}");
        }
    }

    #[test]
    fn days_are_counted_from_1970() {
        for (year, month, day, days) in [
            (1970, 1, 1, 0),
            (1970, 3, 1, 59),
            (2000, 2, 29, 11_016),
            (1900, 3, 1, -25_508),
            (9999, 12, 31, 2_932_896),
        ] {
            assert_eq!(Day::new(year, month, day).unwrap().since_1970(), days);
        }
    }
}
