//! Days of the calendar.

/// A day of the Gregorian calendar.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Day {
    /// 1 to 9999.
    pub year: u16,
    /// 1 to 12.
    pub month: u8,
    /// 1 to 31.
    pub day: u8,
}

impl Day {
    /// The day, if there is such a one.
    ///
    /// ```
    /// use incola_core::kind::Day;
    /// assert!(Day::new(2031, 2, 29).is_none());
    /// ```
    pub fn new(year: u16, month: u8, day: u8) -> Option<Self> {
        let leap = year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400));
        let days = match month {
            1 | 3 | 5 | 7 | 8 | 10 | 12 => 31,
            4 | 6 | 9 | 11 => 30,
            2 => 28 + u8::from(leap),
            _ => return None,
        };
        ((1..=days).contains(&day) && (1..=9999).contains(&year)).then_some(Self { year, month, day })
    }

    /// Days since 1970-01-01.
    pub fn since_1970(self) -> i32 {
        let (year, month) = (i32::from(self.year), i32::from(self.month));
        // March is the first month, so that the leap day comes last.
        let year = year - i32::from(month <= 2);
        let era = year.div_euclid(400);
        let year_of_era = year.rem_euclid(400);
        let day_of_year = (153 * ((month + 9) % 12) + 2) / 5 + i32::from(self.day) - 1;
        era * 146_097 + year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year - 719_468
    }

    /// The day that is so many days after 1970-01-01; `None`: none between the years 1 and 9999.
    ///
    /// ```
    /// use incola_core::kind::Day;
    /// assert_eq!(Day::on(59), Day::new(1970, 3, 1));
    /// ```
    pub fn on(days: i64) -> Option<Self> {
        // March is the first month here as well.
        let days = days.checked_add(719_468)?;
        let (era, day_of_era) = (days.div_euclid(146_097), days.rem_euclid(146_097));
        let year_of_era = (day_of_era - day_of_era / 1460 + day_of_era / 36_524 - day_of_era / 146_096) / 365;
        let day_of_year = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
        let shifted = (5 * day_of_year + 2) / 153;
        let day = day_of_year - (153 * shifted + 2) / 5 + 1;
        let month = if shifted < 10 { shifted + 3 } else { shifted - 9 };
        let year = year_of_era + era * 400 + i64::from(month <= 2);
        Self::new(u16::try_from(year).ok()?, u8::try_from(month).ok()?, u8::try_from(day).ok()?)
    }

    /// Whether a worksheet shows the same day for its serial number in both date systems' common range: not before
    /// 1900-03-01, because the 1900 system has a 29 February that never was.
    pub fn is_holdable(self) -> bool {
        (self.year, self.month) >= (1900, 3)
    }
}
