//! Printed reports: pages of headings, rule lines, small tables and totals, which no single layout divides.

use super::fixed::is_rule;
use super::lines::lines;

/// What speaks for a report.
pub(super) const WHY: &str = "rule lines and lined-up parts, but no columns that hold throughout: a printed report, whose lines are kept whole";

/// Lines that are looked at.
const LINES: usize = 2000;

/// Whether lines that nothing divides are those of a report: rule lines again and again, and lines whose parts are set apart
/// by two blanks or more. Prose may be underlined, but its words are not set apart.
pub(super) fn looks_like_one(head: &[u8]) -> bool {
    let (mut filled, mut rules, mut set_apart) = (0, 0, 0);
    for line in lines(head).take(LINES) {
        let line: Vec<char> = String::from_utf8_lossy(line).trim().chars().take(1000).collect();
        if line.is_empty() {
            continue;
        }
        filled += 1;
        if is_rule(&line) {
            rules += 1;
        } else if line.windows(2).any(|w| w == [' ', ' ']) {
            set_apart += 1;
        }
    }
    rules >= 3 && set_apart * 2 >= filled - rules
}

#[cfg(test)]
mod tests {
    use super::looks_like_one;

    #[test]
    fn reports_are_told_from_prose() {
        let page = "BERTH DUES          PAGE  1\n--------------------\n007   Saltwind      12.50\nTotal               12.50\n====================\n";
        assert!(looks_like_one(page.repeat(3).as_bytes()));
        let prose = "Tides\n=====\n\nThe gate opens at half tide.\nIt closes after it.\n\n-----\n";
        assert!(!looks_like_one(prose.repeat(3).as_bytes()));
    }
}
