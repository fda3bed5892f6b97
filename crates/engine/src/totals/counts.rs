//! Lines that say how many records there are, compared with how many there are: since the last such line of their level, or in all.

/// Levels that are told apart, the last one being all records.
const LEVELS: usize = 5;

/// Differences that are listed.
const LISTED: usize = 1000;

/// What became of the lines that count records.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PrintedCounts {
    /// Lines that agree.
    pub agree: u64,
    /// Lines that do not.
    pub differ: u64,
    /// The first of those.
    pub differences: Vec<CountDifference>,
    /// Whether a line behind the last record counts all of them, and agrees.
    pub is_whole: bool,
}

impl PrintedCounts {
    /// Lines that count records.
    pub fn all(&self) -> u64 {
        self.agree + self.differ
    }
}

/// A printed count that is not that of the records.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CountDifference {
    /// Line of the source, from 1.
    pub line: u64,
    /// What is printed.
    pub printed: u64,
    /// How many there are: of its group, or in all.
    pub records: u64,
    /// Whether it is about all records, and not those of a group.
    pub is_of_all: bool,
}

/// Counts as they come.
#[derive(Debug, Default)]
pub(super) struct Counts {
    /// Records since the last line of any level, since the last one of each level, and all of them.
    since: [u64; LEVELS + 1],
    result: PrintedCounts,
}

impl Counts {
    /// More records.
    pub(super) fn records(&mut self, records: u64) {
        self.since.iter_mut().for_each(|since| *since += records);
    }

    /// Another group begins.
    pub(super) fn group(&mut self) {
        self.since[..2].fill(0);
    }

    /// A line that counts records. `is_last`: no record is behind it.
    pub(super) fn line(&mut self, line: u64, printed: u64, is_last: bool) {
        let all = self.since[LEVELS];
        if let Some(level) = self.since.iter().position(|since| *since == printed) {
            self.result.agree += 1;
            self.result.is_whole |= is_last && printed == all;
            self.since[..=level.clamp(1, LEVELS - 1)].fill(0);
            return;
        }
        let records = if is_last { all } else { self.since[0] };
        self.result.differ += 1;
        if self.result.differences.len() < LISTED {
            self.result.differences.push(CountDifference { line, printed, records, is_of_all: is_last });
        }
        self.since[0] = 0;
    }

    pub(super) fn finish(self) -> PrintedCounts {
        self.result
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What becomes of records (`.`), groups (`|`) and counts; the last one is behind all records.
    fn counted(report: &str) -> (u64, Vec<(u64, u64, u64)>) {
        let mut counts = Counts::default();
        let words: Vec<&str> = report.split(' ').collect();
        for (line, word) in (1..).zip(&words) {
            match word.parse() {
                Ok(printed) => counts.line(line, printed, line as usize == words.len()),
                Err(_) if *word == "|" => counts.group(),
                Err(_) => counts.records(word.len() as u64),
            }
        }
        let result = counts.finish();
        assert_eq!(result.all(), result.agree + result.differences.len() as u64);
        (result.agree, result.differences.iter().map(|d| (d.line, d.printed, d.records)).collect())
    }

    #[test]
    fn counts_of_each_level_are_compared() {
        for (report, agree, differ) in [
            ("... 3", 1, &[][..]),
            ("... 4", 0, &[(2, 4, 3)]),
            ("... 3 .. 2 5", 3, &[]),
            ("... 3 .. 3 5", 2, &[(4, 3, 2)]),
            // Two levels, and all of them; a group of one group.
            (".. 2 ... 3 5 . 1 .. 2 3 8", 7, &[]),
            ("| .. 2 | ... 3 5", 3, &[]),
            // Groups that are not counted themselves.
            ("| .. | ... 5", 1, &[]),
            (".. 2 ... 3 6", 2, &[(5, 6, 5)]),
            // Nothing was read.
            ("0", 1, &[]),
        ] {
            assert_eq!(counted(report), (agree, differ.to_vec()), "{report}");
        }
    }
}
