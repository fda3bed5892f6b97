//! What tells the records of a printed report from its other lines.

use super::super::measure::lexicon::{BLANK, Lexicon};
use super::super::measure::sort::{Sort, sort_of};
use super::Judged;
use super::total;
use crate::encoding::text_of;
use crate::kind::date;
use crate::kind::statistics::trim;
use crate::record::{Division, Machine};
use crate::rows::Aside;
use std::borrow::Cow;

/// A test that each line of a report is put to: detail lines keep to the columns, fill those that all of them fill, and have
/// the sort of value that each column has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Details {
    /// What each column holds.
    columns: Vec<Expected>,
    /// How many anchors a detail line may lack, how many typed columns may hold something else.
    lacking: usize,
    strange: usize,
    /// Starts that a detail line may have a character on both sides of.
    cuts: usize,
    /// Fields of a record.
    width: usize,
    /// Values of the first column that records begin with, where lines begin with a record type.
    types: Vec<String>,
}

/// What a column of detail lines holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Expected {
    /// Whether detail lines fill it.
    is_anchor: bool,
    /// The sorts of its values, numbers or moments; none: it may hold anything.
    sorts: Vec<Sort>,
}

impl Expected {
    /// Whether a value is of another sort.
    fn is_strange(&self, value: &[u8]) -> bool {
        let is_plain = |sort: &Sort| match sort {
            Sort::Number => is_plain_number(value),
            Sort::Moment => is_plain_date(value),
            _ => false,
        };
        if self.sorts.is_empty() || value.is_empty() || self.sorts.iter().any(is_plain) {
            return false;
        }
        let text = text_of(value);
        !self.sorts.contains(&sort_of(&text)) && !is_missing(&text)
    }
}

/// Whether a value is digits with at most one point or comma among them: the usual number, told fast.
fn is_plain_number(value: &[u8]) -> bool {
    let mark = value.iter().position(|b| !b.is_ascii_digit()).unwrap_or(value.len());
    let decimals = match value.get(mark) {
        None => return mark > 0 && mark < 12,
        Some(b'.' | b',') => &value[mark + 1..],
        Some(_) => return false,
    };
    (1..12).contains(&mark) && (1..4).contains(&decimals.len()) && decimals.iter().all(u8::is_ascii_digit)
}

/// Whether a value is a date whose parts stand where they nearly always do: a moment, told fast.
fn is_plain_date(value: &[u8]) -> bool {
    let is_mark = |b: u8| matches!(b, b'-' | b'/' | b'.');
    value.len() == 10
        && ((value[4] == value[7] && is_mark(value[4])) || (value[2] == value[5] && is_mark(value[2])))
        && date::scan(value).is_some()
}

/// Words that stand for a missing value.
fn is_missing(text: &str) -> bool {
    matches!(
        text.to_ascii_lowercase().as_str(),
        "na" | "n/a"
            | "nan"
            | "null"
            | "none"
            | "-"
            | "--"
            | "---"
            | "."
            | "?"
            | "nil"
            | "*"
            | "n.a."
            | "k.a."
            | "-.-"
    )
}

/// Learns the test from the rows between the first record and the last one; `None`: nothing stands among the records.
pub(super) fn learn(judged: &Judged<'_>, inside: &[usize]) -> Option<Details> {
    // Headings of groups are known by their labels.
    let inside = inside.iter().filter(|i| !judged.is_heading[**i]);
    let (records, others): (Vec<usize>, Vec<usize>) = inside.partition(|i| judged.is_record[**i]);
    let lined_up = judged.is_fixed() || judged.is_aligned();
    if !lined_up || judged.width < 2 || records.len() < 2 || others.is_empty() {
        return None;
    }
    let lexicon = judged.lexicon;
    let rows: Vec<&super::Row> =
        records.iter().map(|i| judged.row(*i)).filter(|r| r.values.len() == judged.width).collect();
    let filled = |column: usize| rows.iter().filter(|r| r.values[column] != BLANK).count();
    let sorts = |column: usize| -> Vec<Sort> {
        let mut counts = [0_usize; 6];
        for row in &rows {
            let sort = lexicon.get(row.values[column]).sort;
            counts[sort as usize] += usize::from(!is_missing(lexicon.text(row.values[column])));
        }
        let all: usize = counts[1..].iter().sum();
        let sorts: Vec<Sort> =
            [Sort::Number, Sort::Moment].into_iter().filter(|s| counts[*s as usize] * 50 >= all).collect();
        let own: usize = sorts.iter().map(|s| counts[*s as usize]).sum();
        if all > 1 && own * 100 >= all * 95 { sorts } else { Vec::new() }
    };
    let columns = (0..judged.width)
        .map(|column| Expected { is_anchor: filled(column) * 100 >= rows.len() * 95, sorts: sorts(column) })
        .collect();
    let mut details =
        Details { columns, lacking: 0, strange: 0, cuts: 0, width: judged.width, types: Vec::new() };
    // As lenient as all records need, or nearly all, whichever makes fewer mistakes.
    let needs: Vec<[usize; 3]> =
        rows.iter().map(|r| details.needs(|c| of_row(lexicon, r, c), r.cuts)).collect();
    let foreign: Vec<[usize; 3]> = others
        .iter()
        .map(|i| judged.row(*i))
        .filter(|r| r.values.len() == judged.width)
        .map(|r| details.needs(|c| of_row(lexicon, r, c), r.cuts))
        .collect();
    let limits = |share: usize| -> [usize; 3] {
        [0, 1, 2].map(|which| {
            let mut needs: Vec<usize> = needs.iter().map(|n| n[which]).collect();
            needs.sort_unstable();
            needs[(needs.len() - 1) * share / 100]
        })
    };
    let passes =
        |needs: &[usize; 3], limits: &[usize; 3]| needs.iter().zip(limits).all(|(need, limit)| need <= limit);
    let mistakes = |limits: &[usize; 3]| {
        let lost = needs.iter().filter(|n| !passes(n, limits)).count();
        lost + foreign.iter().filter(|n| passes(n, limits)).count()
    };
    let [lacking, strange, cuts] =
        [100, 99, 97, 94, 90].map(limits).into_iter().min_by_key(mistakes).unwrap_or([0; 3]);
    details.lacking = lacking;
    details.strange = strange;
    details.cuts = cuts;
    Some(details)
}

/// A value of a row.
fn of_row<'l>(lexicon: &'l Lexicon, row: &super::Row, column: usize) -> &'l [u8] {
    row.values.get(column).map_or(b"", |value| lexicon.text(*value).as_bytes())
}

impl Details {
    /// Anchors that are lacking, typed columns with something else, starts that are crossed.
    fn needs<'t>(&self, value: impl Fn(usize) -> &'t [u8], cuts: usize) -> [usize; 3] {
        let (mut lacking, mut strange) = (0, 0);
        for (column, expected) in self.columns.iter().enumerate() {
            let value = value(column);
            lacking += usize::from(expected.is_anchor && value.is_empty());
            strange += usize::from(expected.is_strange(value));
        }
        [lacking, strange, cuts]
    }

    /// Why the record in the machine is none; `None`: it is a detail line.
    pub(crate) fn why(&self, machine: &Machine, text: &[u8]) -> Option<Aside> {
        let count = machine.field_count();
        let is_fixed = matches!(machine.dialect().division, Division::Fixed(_));
        let value = |column: usize| trim(machine.field(text, column)).0;
        let class = || {
            let values: Vec<Cow<'_, str>> = (0..count).map(|column| text_of(value(column))).collect();
            self.class(&values.iter().map(AsRef::as_ref).collect::<Vec<&str>>())
        };
        if !is_fixed && count != self.width {
            return Some(class());
        }
        let cuts = if is_fixed {
            (1..count).filter(|place| machine.crossing(text, *place).is_some()).count()
        } else {
            0
        };
        let [lacking, strange, cuts] = self.needs(value, cuts);
        if lacking > self.lacking || strange > self.strange || cuts > self.cuts {
            return Some(class());
        }
        // A total keeps to the columns, but its words say what it is.
        let blank = count < self.width || (0..count).any(|column| value(column).is_empty());
        let is_total = blank && (0..count).any(|column| total::names_total(&text_of(value(column))));
        is_total.then_some(Aside::PartTotal)
    }

    /// What a line is that is no detail.
    fn class(&self, texts: &[&str]) -> Aside {
        if texts.iter().any(|t| total::names_total(t)) {
            return Aside::PartTotal;
        }
        let numbers = self.columns.iter().zip(texts).filter(|(expected, text)| {
            expected.sorts.contains(&Sort::Number) && sort_of(text) == Sort::Number
        });
        let filled = texts.iter().filter(|t| !t.is_empty()).count();
        if numbers.count() > 0 && filled <= self.width / 2 + 1 { Aside::PartTotal } else { Aside::Heading }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    proptest::proptest! {
        /// What is told fast is told right.
        #[test]
        fn what_is_told_fast_to_be_a_date_is_a_moment(value in "[0-9]{2,4}[-./: ][0-9]{2}[-./: ][0-9]{2,4}") {
            proptest::prop_assert!(!is_plain_date(value.as_bytes()) || sort_of(&value) == Sort::Moment);
        }
    }

    #[test]
    fn dates_at_fixed_places_are_told_fast() {
        for (value, is_told) in [
            ("2031-08-04", true),
            ("04.08.2031", true),
            ("04/08/2031", true),
            ("04.08.31", false),
            ("2031 08 04", false),
            ("12.345.678", false),
        ] {
            assert_eq!(is_plain_date(value.as_bytes()), is_told, "{value}");
        }
    }

    #[test]
    fn what_is_told_fast_to_be_a_number_is_one() {
        let values = [
            "0",
            "7",
            "007",
            "12.5",
            "12,50",
            "1234567.25",
            "1.234",
            "99999999999",
            "",
            ".5",
            "5.",
            "1.2.3",
            "-5",
            "12a",
            "1,2345",
        ];
        for value in values {
            let fast = is_plain_number(value.as_bytes());
            assert!(!fast || sort_of(value) == Sort::Number, "{value}");
        }
        assert!(values[..8].iter().filter(|value| is_plain_number(value.as_bytes())).count() == 8);
        for value in &values[8..] {
            assert!(!is_plain_number(value.as_bytes()), "{value}");
        }
    }
}
