//! The days on which a column has dates, and those in between on which it has none.

use incola_core::kind::Day;
use std::collections::BTreeMap;

/// Days below which nothing is said of those in between.
const FEWEST: u32 = 7;

/// Weeks from which on a day of the week without any date is not expected to have one.
const WEEKS: i32 = 3;

/// Days of a week, and days of a word.
const WEEK: i32 = 7;
const WORD: i32 = 64;

/// Runs of days that are told; of more, only how many days they are.
const MOST_GAPS: usize = 20;

/// Days, one bit each.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Days {
    /// By the number of the word, which counts from 1970-01-01.
    words: BTreeMap<i32, u64>,
    /// The word that was met last: dates that rise stay in it.
    last: Option<(i32, u64)>,
}

/// Days without a date among days that nearly all have one.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Gaps {
    /// How many days.
    pub days: u32,
    /// Their runs, the first and the last day of each; of many only the first.
    pub runs: Vec<(Day, Day)>,
    /// Days of the week on which there is no date at all, Monday being 0: they are in no gap.
    pub free: Vec<u8>,
}

/// The day of the week, Monday being 0: 1970-01-01 was a Thursday.
fn weekday(day: i32) -> u8 {
    (day + 3).rem_euclid(WEEK) as u8
}

impl Days {
    pub(super) fn add(&mut self, day: Day) {
        let day = day.since_1970();
        let (word, bit) = (day.div_euclid(WORD), 1_u64 << day.rem_euclid(WORD));
        match &mut self.last {
            Some((own, bits)) if *own == word => *bits |= bit,
            last => {
                if let Some((own, bits)) = last.replace((word, bit)) {
                    *self.words.entry(own).or_default() |= bits;
                }
            }
        }
    }

    pub(super) fn merge(&mut self, more: Self) {
        for (word, bits) in more.words.into_iter().chain(more.last) {
            *self.words.entry(word).or_default() |= bits;
        }
    }

    /// Days without a date from the first to the last, if four of five have one. Where a day of the week never has one, in three weeks
    /// and more, it is not expected to. `None`: there are too few days, or too few of them have one.
    ///
    /// ```
    /// use incola_core::reading::Choices;
    /// use incola_engine::feed::InMemory;
    /// use incola_engine::{tally, text::survey};
    /// let mut text = String::from("Day,Height\n");
    /// (1..29).filter(|n| *n != 17).for_each(|n| text += &format!("2031-08-{n:02},3.5\n"));
    /// let tides = InMemory::new("tides.csv", text.as_bytes());
    /// let surveyed = survey(&tides, &Choices::default(), None).unwrap();
    /// let tally = tally::tally(&tides, &surveyed, tally::Wanted::default()).unwrap();
    /// let gaps = tally.columns[0].moments.as_ref().unwrap().days.gaps().unwrap();
    /// assert_eq!((gaps.days, gaps.runs[0].0.day), (1, 17));
    /// ```
    pub fn gaps(&self) -> Option<Gaps> {
        let mut words = self.words.clone();
        if let Some((word, bits)) = self.last {
            *words.entry(word).or_default() |= bits;
        }
        let has =
            |day: i32| words.get(&day.div_euclid(WORD)).is_some_and(|w| w >> day.rem_euclid(WORD) & 1 == 1);
        let present = words.values().map(|bits| bits.count_ones()).sum::<u32>();
        let (first, last) = (words.first_key_value()?, words.last_key_value()?);
        let first = first.0 * WORD + first.1.trailing_zeros() as i32;
        let last = last.0 * WORD + WORD - 1 - last.1.leading_zeros() as i32;
        // Weekdays are looked at only where days are close together.
        if present < FEWEST || i64::from(last) - i64::from(first) >= i64::from(present) * i64::from(WEEK) {
            return None;
        }
        let mut is_used = [last - first < WEEKS * WEEK; WEEK as usize];
        (first..=last).filter(|day| has(*day)).for_each(|day| is_used[usize::from(weekday(day))] = true);
        let expected = |day: &i32| is_used[usize::from(weekday(*day))];
        let wanted = (first..=last).filter(expected).count() as u32;
        if present * 5 < wanted * 4 {
            return None;
        }
        let free = (0..WEEK as u8).filter(|day| !is_used[usize::from(*day)]).collect();
        let mut gaps = Gaps { days: wanted - present, runs: Vec::new(), free };
        let mut run: Option<(i32, i32)> = None;
        let mut end = |run: &mut Option<(i32, i32)>| {
            let days = run.take().and_then(|(a, b)| Day::on(a.into()).zip(Day::on(b.into())));
            gaps.runs.extend(days.filter(|_| gaps.runs.len() < MOST_GAPS));
        };
        for day in (first..=last).filter(expected) {
            match (has(day), &mut run) {
                (true, _) => end(&mut run),
                (false, Some((_, to))) => *to = day,
                (false, None) => run = Some((day, day)),
            }
        }
        Some(gaps)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    fn days(numbers: &[i32]) -> Days {
        let mut days = Days::default();
        for n in numbers {
            days.add(Day::on((*n).into()).unwrap());
        }
        days
    }

    proptest! {
        /// What is missing is what a set of all days lacks, in whatever order and blocks they come.
        #[test]
        fn missing_days_are_those_of_a_plain_model(
            numbers in prop::collection::vec(-200_i32..200, 0..300),
            step in 1_i32..3,
            cut in any::<prop::sample::Index>(),
        ) {
            let numbers: Vec<i32> = numbers.iter().map(|n| n * step).collect();
            let at = cut.index(numbers.len() + 1);
            let mut merged = days(&numbers[..at]);
            merged.merge(days(&numbers[at..]));
            let gaps = days(&numbers).gaps();
            prop_assert_eq!(merged.gaps(), gaps.clone());
            let set: BTreeSet<i32> = numbers.iter().copied().collect();
            if let (Some(gaps), Some(first), Some(last)) = (gaps, set.first(), set.last()) {
                let used: BTreeSet<u8> = if last - first < WEEKS * WEEK {
                    (0..7).collect()
                } else {
                    set.iter().map(|day| weekday(*day)).collect()
                };
                let missing: Vec<i32> =
                    (*first..=*last).filter(|day| used.contains(&weekday(*day)) && !set.contains(day)).collect();
                prop_assert_eq!(gaps.days as usize, missing.len());
                prop_assert!(gaps.free.iter().all(|day| !used.contains(day)));
                let first_gap = gaps.runs.first().map(|(from, _)| from.since_1970());
                prop_assert_eq!(first_gap, missing.first().copied());
            }
        }
    }

    #[test]
    fn weekends_are_no_gaps_where_nobody_works() {
        // 1970-01-05 was a Monday.
        let working: Vec<i32> = (0..40).map(|n| 4 + n / 5 * 7 + n % 5).filter(|day| *day != 13).collect();
        let gaps = days(&working).gaps().unwrap();
        assert_eq!((gaps.days, &gaps.free[..]), (1, &[5, 6][..]));
        assert_eq!(gaps.runs, [(Day::new(1970, 1, 14).unwrap(), Day::new(1970, 1, 14).unwrap())]);
        // Once on a Saturday, and all the others are missing.
        let mut once = working;
        once.push(9);
        assert_eq!(days(&once).gaps().unwrap().days, 1 + 6);
    }

    #[test]
    fn scattered_days_have_no_gaps() {
        assert_eq!(days(&[1, 2, 3]).gaps(), None);
        assert_eq!(days(&(0..30).map(|n| n * n * 40).collect::<Vec<i32>>()).gaps(), None);
        assert_eq!(days(&[-719_000, 2_900_000, 5, 6, 7, 8, 9, 10]).gaps(), None);
    }
}
