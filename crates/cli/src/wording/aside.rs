//! Lines that are no records, and the totals among them.

use crate::render::text::{counted, grouped, line_range};
use incola_core::kind::statistics::Count;
use incola_core::layout::SetAside;
use incola_core::rows::Aside;
use incola_engine::totals::{PrintedCounts, PrintedTotals};

/// Runs of lines that are listed one by one.
const FEW: usize = 6;

/// Which lines are set aside, and why: each run of lines, or where there are many one entry for each reason.
pub(crate) fn lines(set_aside: &[SetAside]) -> Vec<(String, &'static str)> {
    if set_aside.len() <= FEW {
        return set_aside.iter().map(|a| (line_range(a.line, a.lines), a.why.words())).collect();
    }
    let mut reasons: Vec<(Aside, u64, u64, u64)> = Vec::new();
    for aside in set_aside {
        match reasons.iter_mut().find(|(why, ..)| *why == aside.why) {
            Some((_, lines, runs, _)) => {
                *lines += aside.lines;
                *runs += 1;
            }
            None => reasons.push((aside.why, aside.lines, 1, aside.line)),
        }
    }
    let entry = |(why, lines, runs, first): (Aside, u64, u64, u64)| match runs {
        1 => (line_range(first, lines), why.words()),
        _ => (format!("{} from line {} on", counted(lines, "line", "lines"), grouped(first)), why.words()),
    };
    reasons.into_iter().map(entry).collect()
}

/// How many empty cells of a column took the value above them, and where that began.
pub(crate) fn carried(name: &str, cells: Count) -> String {
    if cells.count == 0 {
        return format!("{name}: no cell is empty");
    }
    let (count, verb) =
        (counted(cells.count, "empty cell", "empty cells"), if cells.count == 1 { "takes" } else { "take" });
    format!("{name}: {count} {verb} the value above, from line {} on", grouped(cells.line))
}

/// How many lines are like one that was stated, and the first of them.
pub(crate) fn alike(lines: Count) -> String {
    match lines.count {
        0 => "no line is like it".into(),
        1 => format!("only line {} is so", grouped(lines.line)),
        count => format!("{} lines are so, the first is line {}", grouped(count), grouped(lines.line)),
    }
}

/// What the totals and counts that a source prints prove, as rows of a page: a label, how many of them agree, and what that says.
pub(crate) fn proofs(printed: &PrintedTotals) -> impl Iterator<Item = (&'static str, String, String)> {
    let totals = self::printed(printed).map(|(count, what)| ("totals", count, what));
    let counts = counts(&printed.counts).map(|(count, what)| ("counts", count, what));
    totals.into_iter().chain(counts)
}

/// How many of the lines that count records agree, and what that says; `None`: there are none.
fn counts(counts: &PrintedCounts) -> Option<(String, String)> {
    if counts.all() == 0 {
        return None;
    }
    let count = format!("{} of {}", grouped(counts.agree), grouped(counts.all()));
    let what = "printed in the file, agree with the number of records";
    let others = if counts.differ > 0 {
        format!("; {} not", counted(counts.differ, "does", "do"))
    } else {
        String::new()
    };
    Some((count, format!("{what}{others}")))
}

/// How many of the printed totals agree, and what that says; `None`: there are none.
fn printed(printed: &PrintedTotals) -> Option<(String, String)> {
    let all = printed.agree + printed.differ + printed.unproved;
    if all == 0 {
        return None;
    }
    let count = format!("{} of {}", grouped(printed.agree), grouped(all));
    let mut what = String::from("printed among the records, agree with them");
    if printed.differ > 0 {
        what.push_str(&format!("; {} not", counted(printed.differ, "does", "do")));
    }
    if printed.unproved > 0 {
        what.push_str(&format!("; {} cannot be proved", grouped(printed.unproved)));
    }
    Some((count, what))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_counted_and_many_lines_are_put_together_by_reason() {
        let aside = |line, lines, why| SetAside { line, lines, why };
        let few = [aside(1, 2, Aside::BeforeHeader), aside(9, 1, Aside::Rule)];
        assert_eq!(
            [0, 1, 1200].map(|count| carried("Quay", Count { count, line: 1207 })),
            [
                "Quay: no cell is empty",
                "Quay: 1 empty cell takes the value above, from line 1,207 on",
                "Quay: 1,200 empty cells take the value above, from line 1,207 on",
            ]
        );
        assert_eq!(
            lines(&few),
            [("lines 1-2".to_owned(), "before the header"), ("line 9".to_owned(), "rule line")]
        );
        let many: Vec<SetAside> = std::iter::once(aside(1, 3, Aside::BeforeHeader))
            .chain(
                (2..2000)
                    .map(|n| aside(n * 5, 2, if n % 2 == 0 { Aside::PartTotal } else { Aside::BlankLine })),
            )
            .collect();
        assert_eq!(
            lines(&many),
            [
                ("lines 1-3".to_owned(), "before the header"),
                ("1,998 lines from line 10 on".to_owned(), "total among the records"),
                ("1,998 lines from line 15 on".to_owned(), "empty line"),
            ]
        );
    }

    #[test]
    fn printed_totals_are_counted() {
        for (agree, differ, unproved, count, what) in [
            (7, 0, 0, "7 of 7", "printed among the records, agree with them"),
            (6, 1, 0, "6 of 7", "printed among the records, agree with them; 1 does not"),
            (5, 2, 3, "5 of 10", "printed among the records, agree with them; 2 do not; 3 cannot be proved"),
        ] {
            let own = PrintedTotals { agree, differ, unproved, ..PrintedTotals::default() };
            assert_eq!(printed(&own), Some((count.to_owned(), what.to_owned())));
        }
        assert_eq!(printed(&PrintedTotals::default()), None);
    }

    #[test]
    fn printed_counts_are_counted() {
        for (agree, differ, expected) in [
            (0, 0, None),
            (2, 0, Some(("2 of 2", "printed in the file, agree with the number of records"))),
            (1, 1, Some(("1 of 2", "printed in the file, agree with the number of records; 1 does not"))),
        ] {
            let own = PrintedCounts { agree, differ, ..PrintedCounts::default() };
            assert_eq!(counts(&own), expected.map(|(count, what)| (count.to_owned(), what.to_owned())));
        }
    }
}
