//! Columns of a printed report that only the first record of each group fills: the value holds for the records below it.

use super::super::measure::lexicon::{BLANK, ValueId};
use super::Judged;
use super::judge::amount;
use super::rows::Row;
use super::total::names_total;

/// Groups that must show it.
const GROUPS: usize = 3;

/// A record: its values, and whether a line of totals is right before it, or something else that is no record.
struct Detail<'r> {
    values: &'r [ValueId],
    follows_total: bool,
    follows_break: bool,
}

impl Detail<'_> {
    fn fills(&self, column: usize) -> bool {
        self.values[column] != BLANK
    }
}

/// Columns (from 0), from the left one on, that only some records fill, as if their value held for the records below.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FirstRows {
    /// The columns, the outermost first.
    pub columns: Vec<usize>,
    /// Whether totals prove it: the record after each of them has the value.
    pub is_proved: bool,
}

/// Finds them. In a list without totals nothing says that an empty cell is not simply empty.
pub(super) fn find(judged: &Judged<'_>, inside: &[usize]) -> FirstRows {
    let rows: Vec<(usize, &Row)> = inside
        .iter()
        .map(|at| (*at, judged.row(*at)))
        .filter(|(_, r)| r.values.len() == judged.width)
        .collect();
    let amounts = amounts(judged, &rows);
    let (mut follows_total, mut follows_break) = (false, false);
    let mut details: Vec<Detail<'_>> = Vec::new();
    for (at, row) in rows {
        let says_so = || row.values.iter().any(|id| names_total(judged.lexicon.text(*id)));
        let is_total = is_total(judged, &amounts, row) && (!judged.is_record[at] || says_so());
        if judged.is_record[at] && !is_total {
            details.push(Detail { values: &row.values, follows_total, follows_break });
            (follows_total, follows_break) = (false, false);
        } else {
            follows_total |= is_total && !judged.is_heading[at];
            follows_break = true;
        }
    }
    let mut columns = Vec::new();
    for column in 0..judged.width.saturating_sub(1) {
        if !is_of_groups(&details, column, columns.last().copied()) {
            break;
        }
        columns.push(column);
    }
    let after: Vec<&Detail<'_>> = details.iter().filter(|d| d.follows_total).collect();
    let inner = columns.last().copied();
    let is_proved =
        after.len() + 1 >= GROUPS && inner.is_some_and(|inner| after.iter().all(|d| d.fills(inner)));
    FirstRows { columns, is_proved }
}

fn is_amount(judged: &Judged<'_>, id: ValueId) -> bool {
    id != BLANK && amount(judged.lexicon.text(id)).is_some()
}

/// The columns that hold amounts in nearly all records.
fn amounts(judged: &Judged<'_>, rows: &[(usize, &Row)]) -> Vec<bool> {
    let records: Vec<&Row> =
        rows.iter().filter(|(at, _)| judged.is_record[*at]).map(|(_, row)| *row).collect();
    let of = |column: usize| {
        let filled = records.iter().filter(|row| row.values[column] != BLANK).count();
        let amounts = records.iter().filter(|row| is_amount(judged, row.values[column])).count();
        amounts > 0 && amounts * 10 >= filled * 8
    };
    (0..judged.width).map(of).collect()
}

/// Whether a line that is no record holds totals: it has figures in columns of amounts, and little else.
fn is_total(judged: &Judged<'_>, amounts: &[bool], row: &Row) -> bool {
    let figures = row.values.iter().zip(amounts).filter(|(id, own)| **own && is_amount(judged, **id)).count();
    figures > 0 && row.filled() <= figures + 2
}

/// Whether a column has a value in the first record and wherever `outer` has one, each time another one than before; and none in many
/// of the others.
fn is_of_groups(details: &[Detail<'_>], column: usize, outer: Option<usize>) -> bool {
    let filled: Vec<&Detail<'_>> = details.iter().filter(|d| d.fills(column)).collect();
    let blank = details.len() - filled.len();
    let begins = details.first().is_some_and(|first| first.fills(column));
    let below_outer = outer.is_none_or(|outer| details.iter().all(|d| !d.fills(outer) || d.fills(column)));
    // Printed again on the next page, a value is the one before.
    let repeats = filled.windows(2).any(|pair| {
        let same_outer = outer.is_none_or(|outer| !pair[1].fills(outer));
        !pair[1].follows_break && same_outer && pair[0].values[column] == pair[1].values[column]
    });
    begins && below_outer && !repeats && blank * 5 >= details.len()
}
