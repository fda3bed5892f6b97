//! How the numbers of a column are spread, and which of them are far out.

/// Numbers that are kept at each end.
const KEPT: usize = 6;

/// Numbers that quartiles are taken from. Of more, that many are chosen by their lines, evenly over the whole file.
const SAMPLE: usize = 1024;

/// Numbers below which nothing is said to be far out.
const FEWEST: usize = 12;

/// How many times the width of the middle half a number must be away from it to be far out.
const WIDTHS: i128 = 3;

/// A number of a column, and where it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NumberAt {
    /// In units of 10^-15.
    pub units: i128,
    /// Its line, from 1.
    pub line: u64,
}

/// The smallest and the largest numbers, and a sample of all. Two spreads that are put together say the same as one over all numbers.
#[derive(Clone, Debug, Default)]
pub struct Spread {
    /// The smallest first.
    lowest: Vec<NumberAt>,
    /// The largest first.
    highest: Vec<NumberAt>,
    /// The numbers with the least hashes of their lines, in no order, and others that were not thrown out yet.
    sample: Vec<(u64, i128)>,
    /// Hashes above this one are no longer in the sample; 0: all are.
    limit: u64,
}

/// Numbers far outside of where the middle half of a column lies.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FarOut {
    /// The lower and the upper quartile, in units of 10^-15.
    pub middle: (i128, i128),
    /// What is below the first or above the second is far out.
    pub bounds: (i128, i128),
    /// Those at the lower end, the smallest first, then those at the upper end, the largest first; of more only the first few.
    pub places: Vec<NumberAt>,
    /// Whether there may be more than these.
    pub may_be_more: bool,
}

/// Which of all lines are in the sample: the same lines, however the file is cut into blocks.
fn hash(line: u64) -> u64 {
    let mixed = (line ^ (line >> 31)).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    (mixed ^ (mixed >> 29)).wrapping_mul(0xBF58_476D_1CE4_E5B9) | 1
}

/// Puts a place where it belongs among those that are kept; of equal ones, the one that came first stays.
fn put(list: &mut Vec<NumberAt>, place: NumberAt, is_before: fn(i128, i128) -> bool) {
    let at = list.partition_point(|own| {
        !is_before(place.units, own.units) && (place.units != own.units || own.line <= place.line)
    });
    if at < KEPT {
        list.insert(at, place);
        list.truncate(KEPT);
    }
}

impl Spread {
    /// Adds a number, in units of 10^-15, by its line.
    pub(super) fn add(&mut self, units: i128, line: u64) {
        let place = NumberAt { units, line };
        if self.lowest.len() < KEPT || self.lowest.last().is_some_and(|last| units < last.units) {
            put(&mut self.lowest, place, |a, b| a < b);
        }
        if self.highest.len() < KEPT || self.highest.last().is_some_and(|last| units > last.units) {
            put(&mut self.highest, place, |a, b| a > b);
        }
        let hash = hash(line);
        if self.limit == 0 || hash < self.limit {
            self.sample.push((hash, units));
            if self.sample.len() >= 4 * SAMPLE {
                self.settle();
            }
        }
    }

    /// Leaves in the sample what belongs to it.
    fn settle(&mut self) {
        if self.sample.len() > SAMPLE {
            self.limit = self.sample.select_nth_unstable_by_key(SAMPLE, |(hash, _)| *hash).1.0;
            self.sample.truncate(SAMPLE);
        }
    }

    pub(super) fn merge(&mut self, more: Self) {
        more.lowest.into_iter().for_each(|place| put(&mut self.lowest, place, |a, b| a < b));
        more.highest.into_iter().for_each(|place| put(&mut self.highest, place, |a, b| a > b));
        let limit = self.limit;
        self.sample.extend(more.sample.into_iter().filter(|(hash, _)| limit == 0 || *hash < limit));
        if self.sample.len() >= 4 * SAMPLE {
            self.settle();
        }
    }

    /// The smallest number; of equal ones the first.
    pub fn smallest(&self) -> Option<NumberAt> {
        self.lowest.first().copied()
    }

    /// The largest number; of equal ones the first.
    pub fn largest(&self) -> Option<NumberAt> {
        self.highest.first().copied()
    }

    /// The numbers that are far out: further below the lower quartile, or above the upper one, than three times what lies between
    /// both. `None`: there are too few numbers, or half of them are the same.
    ///
    /// ```
    /// use incola_core::reading::Choices;
    /// use incola_engine::feed::InMemory;
    /// use incola_engine::{tally, text::survey};
    /// let mut text = String::from("Berth,Dues\n");
    /// (0..40).for_each(|n| text += &format!("B{n},{}\n", 100 + n));
    /// text += "B99,90000\n";
    /// let dues = InMemory::new("dues.csv", text.as_bytes());
    /// let surveyed = survey(&dues, &Choices::default(), None).unwrap();
    /// let tally = tally::tally(&dues, &surveyed, tally::Wanted::default()).unwrap();
    /// let far = tally.columns[1].figures.as_ref().unwrap().spread.far_out().unwrap();
    /// let units = 90_000 * 10_i128.pow(15);
    /// assert_eq!((far.places[0], far.may_be_more), (tally::NumberAt { units, line: 42 }, false));
    /// ```
    pub fn far_out(&self) -> Option<FarOut> {
        let mut own = self.clone();
        own.settle();
        let mut numbers: Vec<i128> = own.sample.iter().map(|(_, units)| *units).collect();
        numbers.sort_unstable();
        let last = numbers.len().checked_sub(1).filter(|last| *last + 1 >= FEWEST)?;
        let middle = (numbers[last / 4], numbers[last - last / 4]);
        let width = middle.1.checked_sub(middle.0).filter(|width| *width > 0)?;
        let reach = width.checked_mul(WIDTHS)?;
        let bounds = (middle.0.checked_sub(reach)?, middle.1.checked_add(reach)?);
        let low = self.lowest.iter().filter(|place| place.units < bounds.0);
        let high = self.highest.iter().filter(|place| place.units > bounds.1);
        let counts = (low.clone().count(), high.clone().count());
        let places = low.chain(high).copied().collect();
        Some(FarOut { middle, bounds, places, may_be_more: counts.0 == KEPT || counts.1 == KEPT })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn spread(numbers: &[(u64, i64)]) -> Spread {
        let mut spread = Spread::default();
        for (line, n) in numbers {
            spread.add(i128::from(*n), *line);
        }
        spread
    }

    proptest! {
        /// However numbers are cut into blocks, what is far out is the same; and with few numbers it is what a plain model finds.
        #[test]
        fn blocks_make_no_difference(
            numbers in prop::collection::vec(prop_oneof![4 => -50_i64..50, 1 => -5_000_i64..5_000], 0..60),
            copies in 1_usize..60,
            cuts in prop::collection::vec(any::<prop::sample::Index>(), 0..4),
        ) {
            let all: Vec<(u64, i64)> =
                (2..).zip(numbers.iter().copied().cycle().take(numbers.len() * copies)).collect();
            let mut places: Vec<usize> = cuts.iter().map(|cut| cut.index(all.len() + 1)).collect();
            places.push(0);
            places.push(all.len());
            places.sort_unstable();
            let mut merged = Spread::default();
            places.windows(2).for_each(|pair| merged.merge(spread(&all[pair[0]..pair[1]])));
            let far = spread(&all).far_out();
            prop_assert_eq!(&merged.far_out(), &far);
            // The plain model: all numbers, sorted.
            let mut sorted: Vec<i64> = all.iter().map(|(_, n)| *n).collect();
            sorted.sort_unstable();
            if sorted.len() >= FEWEST && sorted.len() <= SAMPLE {
                let last = sorted.len() - 1;
                let (q1, q3) = (sorted[last / 4], sorted[last - last / 4]);
                let outside = |n: &&i64| **n < q1 - 3 * (q3 - q1) || **n > q3 + 3 * (q3 - q1);
                let expected = if q3 > q1 { Some(sorted.iter().filter(outside).count()) } else { None };
                let found = far.as_ref().map(|far| far.places.len());
                let is_whole = far.as_ref().is_none_or(|far| !far.may_be_more);
                prop_assert!(found == expected || (!is_whole && found < expected), "{found:?} {expected:?}");
            }
        }
    }

    #[test]
    fn few_numbers_and_equal_ones_have_no_middle() {
        assert_eq!(spread(&[(2, 1), (3, 2), (4, 9_999)]).far_out(), None);
        let same: Vec<(u64, i64)> = (2..60).map(|line| (line, if line == 9 { 7_000 } else { 5 })).collect();
        assert_eq!(spread(&same).far_out(), None);
        let rising: Vec<(u64, i64)> = (2..60).map(|line| (line, line as i64)).collect();
        assert_eq!(spread(&rising).far_out().map(|far| far.places.len()), Some(0));
    }

    #[test]
    fn a_sample_lies_all_over_the_file() {
        let all: Vec<(u64, i64)> = (1..100_000).map(|line| (line, line as i64)).collect();
        let far = spread(&all).far_out().unwrap();
        assert!(
            (22_000..28_000).contains(&far.middle.0) && (72_000..78_000).contains(&far.middle.1),
            "{far:?}"
        );
    }
}
