//! Times that make a group of days.

use super::expression::iso_week;
use crate::kind::Day;

/// A time that makes a group.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Period {
    /// Each day.
    Day,
    /// Each week of ISO 8601, which begins on Monday.
    Week,
    /// Each month.
    Month,
    /// Each quarter of a year.
    Quarter,
    /// Each year.
    Year,
}

impl Period {
    /// All of them, with their words.
    pub const WORDS: [(&'static str, Self); 5] = [
        ("day", Self::Day),
        ("week", Self::Week),
        ("month", Self::Month),
        ("quarter", Self::Quarter),
        ("year", Self::Year),
    ];

    /// What a word means.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(own, _)| *own == word).map(|(_, period)| *period)
    }

    /// The time that a day is in, so that later ones sort after it.
    ///
    /// ```
    /// use incola_core::kind::Day;
    /// use incola_core::shape::Period;
    /// let day = Day::new(2031, 3, 4).unwrap();
    /// assert_eq!(Period::Week.of(day), "2031-W10");
    /// assert_eq!(Period::Quarter.of(day), "2031-Q1");
    /// ```
    pub fn of(self, day: Day) -> String {
        let Day { year, month, day: number } = day;
        match self {
            Self::Day => format!("{year:04}-{month:02}-{number:02}"),
            Self::Week => {
                let (year, week) = iso_week(i64::from(day.since_1970())).unwrap_or_default();
                format!("{year:04}-W{week:02}")
            }
            Self::Month => format!("{year:04}-{month:02}"),
            Self::Quarter => format!("{year:04}-Q{}", (month - 1) / 3 + 1),
            Self::Year => format!("{year:04}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weeks_are_those_of_iso_8601() {
        for (day, week) in [
            ((2026, 1, 1), "2026-W01"),
            ((2027, 1, 1), "2026-W53"),
            ((2027, 1, 4), "2027-W01"),
            ((2024, 12, 30), "2025-W01"),
            ((2021, 1, 3), "2020-W53"),
            ((2031, 12, 31), "2032-W01"),
            ((1969, 12, 29), "1970-W01"),
        ] {
            let (year, month, day) = day;
            assert_eq!(Period::Week.of(Day::new(year, month, day).unwrap()), week);
        }
    }
}
