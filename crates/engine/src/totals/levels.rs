//! Which records a printed total is about: those since the last total of its level, whatever that is.

use super::counts::PrintedCounts;
use std::collections::HashMap;

/// Levels of totals that are told apart.
const LEVELS: usize = 5;

/// Differences that are listed.
const LISTED: usize = 1000;

/// What became of the totals that a report prints among its records.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PrintedTotals {
    /// Lines whose figures all agree with the records.
    pub agree: u64,
    /// Lines of a sort that was proved elsewhere, with a figure that does not agree.
    pub differ: u64,
    /// The first such figures.
    pub differences: Vec<Difference>,
    /// Lines with figures of which nothing says what they add up, and the first of them.
    pub unproved: u64,
    /// The first of those lines.
    pub first_unproved: Option<u64>,
    /// Records after the last total, where all others are before one.
    pub uncovered: u64,
    /// Lines that say how many records there are.
    pub counts: PrintedCounts,
}

/// A printed figure that the records do not add up to. Figures are in units of 10^-15.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// Line of the source, from 1.
    pub line: u64,
    /// Column, from 0.
    pub column: usize,
    /// What is printed.
    pub printed: i128,
    /// What the records add up to.
    pub computed: i128,
}

/// What was added up since some total.
#[derive(Clone, Debug)]
struct Since {
    sums: Vec<i128>,
    records: u64,
}

/// A line that does not agree, until its sort is known.
struct Pending {
    sort: String,
    line: u64,
    differences: Vec<Difference>,
}

/// Totals as they come, level by level: a total of one level ends what those below it add up.
pub(super) struct Levels {
    /// Since the last line of totals of any sort, and since the last ones of each level.
    since: Vec<Since>,
    /// The level of lines that begin with a word, where it was proved.
    level_of: HashMap<String, usize>,
    pending: Vec<Pending>,
    result: PrintedTotals,
}

impl Levels {
    /// For so many columns of numbers.
    pub(super) fn new(columns: usize) -> Self {
        Self {
            since: vec![Since { sums: vec![0; columns], records: 0 }; LEVELS + 1],
            level_of: HashMap::new(),
            pending: Vec::new(),
            result: PrintedTotals::default(),
        }
    }

    /// Adds records.
    pub(super) fn records(&mut self, sums: &[i128], records: u64) {
        for since in &mut self.since {
            for (mine, more) in since.sums.iter_mut().zip(sums) {
                *mine = mine.wrapping_add(*more);
            }
            since.records += records;
        }
    }

    /// Another group begins.
    pub(super) fn group(&mut self) {
        self.end(1);
    }

    /// A line of totals: its number, the word that it begins with, its figures. `is_one`: it is one for sure; else it counts only if it
    /// agrees.
    pub(super) fn total(&mut self, line: u64, sort: &str, figures: &[Option<i128>], is_one: bool) {
        let printed: Vec<(usize, i128)> =
            figures.iter().enumerate().filter_map(|(column, figure)| Some((column, (*figure)?))).collect();
        if printed.is_empty() {
            return;
        }
        let hits = |since: &Since| {
            let same = printed.iter().filter(|(column, figure)| since.sums[*column] == *figure).count();
            if since.records > 0 { same } else { 0 }
        };
        let best = (0..self.since.len()).rev().max_by_key(|place| hits(&self.since[*place])).unwrap_or(0);
        let found = hits(&self.since[best]);
        // The line since the last line of any sort is one of the lowest level.
        let level = best.max(1);
        if found == printed.len() {
            self.result.agree += 1;
            self.level_of.insert(sort.to_owned(), level);
            self.end(level);
            return;
        }
        if !is_one {
            return;
        }
        let known = self.level_of.get(sort).copied();
        let place = if found > 0 { best } else { known.unwrap_or(0) };
        let since = &self.since[place];
        let differ = printed.iter().filter(|(column, figure)| since.sums[*column] != *figure);
        let differences = differ.map(|&(column, printed)| Difference {
            line,
            column,
            printed,
            computed: since.sums[column],
        });
        let differences: Vec<Difference> = differences.collect();
        if differences.is_empty() {
            // Nothing adds up to nothing.
            self.result.agree += 1;
            return;
        }
        let pending = Pending { sort: sort.to_owned(), line, differences };
        if self.pending.len() < LISTED {
            self.pending.push(pending);
        } else {
            self.result.unproved += 1;
        }
        self.end(if found > 0 { level } else { known.unwrap_or(0) });
    }

    /// Ends what the levels up to this one add up.
    fn end(&mut self, level: usize) {
        for since in &mut self.since[..=level.min(LEVELS)] {
            since.sums.fill(0);
            since.records = 0;
        }
    }

    /// What became of all of them.
    pub(super) fn finish(mut self) -> PrintedTotals {
        if self.result.agree > 0 {
            self.result.uncovered = self.since[0].records;
        }
        for pending in std::mem::take(&mut self.pending) {
            if self.level_of.contains_key(&pending.sort) {
                self.result.differ += 1;
                self.result.differences.extend(pending.differences);
            } else {
                self.result.unproved += 1;
                self.result.first_unproved.get_or_insert(pending.line);
            }
        }
        self.result
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Records as numbers, totals as `word=figure`, `|` where another group begins.
    fn tell(levels: &mut Levels, report: &str) {
        for (line, word) in (1..).zip(report.split(' ')) {
            match word.split_once('=') {
                Some((sort, figure)) => levels.total(line, sort, &[figure.parse().ok()], sort != "note"),
                None if word == "|" => levels.group(),
                None => levels.records(&[word.parse().unwrap()], 1),
            }
        }
    }

    fn checked(report: &str) -> (u64, Vec<(u64, i128, i128)>, u64) {
        let mut levels = Levels::new(1);
        tell(&mut levels, report);
        let result = levels.finish();
        let differences = result.differences.iter().map(|d| (d.line, d.printed, d.computed)).collect();
        (result.agree, differences, result.unproved)
    }

    #[test]
    fn totals_of_each_level_are_proved() {
        for (report, agree, differences, unproved) in [
            ("1 2 sub=3 4 sub=4", 2, &[][..], 0),
            ("1 2 sub=3 4 5 sub=9 total=12", 3, &[], 0),
            // Two levels; a group of one group.
            ("1 2 sub=3 4 sub=4 total=7 5 6 sub=11 total=11 grand=18", 6, &[], 0),
            // One is wrong, the first or a later one: only that one is reported.
            ("1 2 sub=4 4 5 sub=9 6 sub=6", 2, &[(3, 4, 3)], 0),
            ("1 2 sub=3 4 5 sub=8 6 sub=6", 2, &[(6, 8, 9)], 0),
            // A wrong one of a higher level spoils the next one of its level: nothing says which of them it is.
            ("1 2 sub=3 4 5 sub=9 total=13 6 7 sub=13 total=13", 3, &[], 2),
            ("1 2 sub=3 total=3 4 5 sub=9 total=10 6 7 sub=13 total=13", 5, &[(8, 10, 9)], 0),
            // Groups without a total of their own.
            ("| 1 2 | 3 4 | 5 total=15", 1, &[], 0),
            ("| 1 2 sub=4 | 3 4 sub=7 total=10", 2, &[(4, 4, 3)], 0),
            // A mean is none, and nothing says what it is.
            ("1 3 sub=4 mean=2 5 7 sub=12 mean=6", 2, &[], 2),
            ("1 2 sub=3 note=7 4 sub=4 note=7", 3, &[], 0),
            ("sub=0 1 sub=1", 2, &[], 0),
        ] {
            assert_eq!(checked(report), (agree, differences.to_vec(), unproved), "{report}");
        }
    }

    #[test]
    fn records_after_the_last_total_are_counted() {
        for (report, uncovered) in
            [("1 2 sub=3 4 sub=4", 0), ("1 2 sub=3 4 5", 2), ("1 2 sub=4 3", 0), ("1 2 | 3", 0)]
        {
            let mut levels = Levels::new(1);
            tell(&mut levels, report);
            assert_eq!(levels.finish().uncovered, uncovered, "{report}");
        }
    }

    #[test]
    fn lines_without_figures_and_columns_apart() {
        let mut levels = Levels::new(2);
        levels.records(&[1, 10], 1);
        levels.records(&[2, 20], 1);
        levels.total(3, "sub", &[None, None], true);
        levels.total(4, "sub", &[Some(3), Some(31)], true);
        levels.records(&[5, 50], 1);
        levels.total(6, "sub", &[None, Some(50)], true);
        let result = levels.finish();
        assert_eq!((result.agree, result.differ, result.unproved), (1, 1, 0));
        assert_eq!(result.differences, [Difference { line: 4, column: 1, printed: 31, computed: 30 }]);
    }
}
