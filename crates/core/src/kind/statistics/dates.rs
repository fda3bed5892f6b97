//! The dates and times of a column.

use super::super::date::{DateOrder, DateScan, DateShape, DateSpelling, Zone};
use super::super::day::Day;
use super::super::month::Languages;
use super::{Count, Spellings};

/// Dates or times of one shape.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Dates {
    /// The shape.
    pub shape: DateShape,
    /// How many.
    pub count: u64,
    /// How many have a time.
    pub timed: u64,
    /// For each order (day, month, year first): values that are days under it; the line is the first of those that are
    /// days under it alone.
    pub orders: [Count; 3],
    /// Those that are days under one order alone.
    pub decisive: [Count; 3],
    /// Dates that a worksheet can't hold: before 1900-03-01.
    pub too_early: Count,
    /// Times finer than a millisecond.
    pub too_fine: Count,
    /// The first `Z` or offset.
    pub zone: Zone,
    /// Values with another one.
    pub other_zone: Count,
    /// Languages that all month names fit.
    pub languages: Languages,
    /// Earliest day and time under the first order that holds, with its line; see [`moment_key`].
    pub earliest: Option<(u64, u64)>,
    /// See `earliest`.
    pub latest: Option<(u64, u64)>,
    /// How they are spelled.
    pub spellings: Spellings<DateSpelling>,
}

/// A day and time as one number that orders as they do.
pub fn moment_key(day: Day, millis: u32) -> u64 {
    let days = (u64::from(day.year) * 16 + u64::from(day.month)) * 32 + u64::from(day.day);
    (days << 27) | u64::from(millis)
}

/// The orders in the place they have in [`Dates::orders`].
pub const ORDERS: [DateOrder; 3] = [DateOrder::DayFirst, DateOrder::MonthFirst, DateOrder::YearFirst];

impl Dates {
    pub(super) fn new(scan: &DateScan) -> Self {
        Self {
            shape: scan.shape,
            count: 0,
            timed: 0,
            orders: [Count::default(); 3],
            decisive: [Count::default(); 3],
            too_early: Count::default(),
            too_fine: Count::default(),
            zone: scan.zone,
            other_zone: Count::default(),
            languages: Languages::ALL,
            earliest: None,
            latest: None,
            spellings: Spellings::default(),
        }
    }

    pub(super) fn add(&mut self, scan: &DateScan, days: [Option<Day>; 3], line: u64) {
        self.count += 1;
        self.timed += u64::from(scan.has_time());
        let possible = days.iter().flatten().count();
        for (i, day) in days.iter().enumerate() {
            if let Some(day) = day {
                self.orders[i].add(line);
                if possible == 1 {
                    self.decisive[i].add(line);
                    if !day.is_holdable() {
                        self.too_early.add(line);
                    }
                }
            }
        }
        if let Some(day) = days.iter().flatten().next() {
            let at = moment_key(*day, scan.millis);
            if self.earliest.is_none_or(|(e, _)| at < e) {
                self.earliest = Some((at, line));
            }
            if self.latest.is_none_or(|(l, _)| at > l) {
                self.latest = Some((at, line));
            }
        }
        if scan.too_fine {
            self.too_fine.add(line);
        }
        if scan.zone != self.zone {
            self.other_zone.add(line);
        }
        self.languages = self.languages.and(scan.languages);
        self.spellings.add(scan.spelling);
    }

    pub(super) fn merge(&mut self, later: &Self, lines_before: u64) {
        self.count += later.count;
        self.timed += later.timed;
        for i in 0..3 {
            self.orders[i].merge(later.orders[i], lines_before);
            self.decisive[i].merge(later.decisive[i], lines_before);
        }
        self.too_early.merge(later.too_early, lines_before);
        self.too_fine.merge(later.too_fine, lines_before);
        self.other_zone.merge(later.other_zone, lines_before);
        if later.zone != self.zone {
            // The later block began with another zone than this one: all that it took for its own differ here.
            let same = later.count - later.other_zone.count;
            self.other_zone.merge(Count { count: same, line: 1 }, lines_before);
        }
        let moved = |e: (u64, u64)| (e.0, e.1 + lines_before);
        if let Some(extreme) = later.earliest.map(moved)
            && self.earliest.is_none_or(|e| extreme.0 < e.0)
        {
            self.earliest = Some(extreme);
        }
        if let Some(extreme) = later.latest.map(moved)
            && self.latest.is_none_or(|l| extreme.0 > l.0)
        {
            self.latest = Some(extreme);
        }
        self.languages = self.languages.and(later.languages);
        self.spellings.merge(&later.spellings);
    }
}

impl Dates {
    pub(super) fn shift(&mut self, lines: u64) {
        for count in self.orders.iter_mut().chain(&mut self.decisive).chain([
            &mut self.too_early,
            &mut self.too_fine,
            &mut self.other_zone,
        ]) {
            if count.count > 0 {
                count.line += lines;
            }
        }
        for (_, line) in self.earliest.iter_mut().chain(&mut self.latest) {
            *line += lines;
        }
    }
}
