//! Layouts that are worth a price. Each page proposes one sort of them and has it priced; none decides.

mod aligned;
mod delimited;
pub(super) mod fixed;
mod labels;
mod marks;
mod other_text;
mod stacked;
mod whole;

use super::LineRule;
use super::measure::column::Column;
use super::measure::lexicon::Lexicon;
use super::sample::Sample;
use crate::record::{Dialect, Division, Multiline};

pub(super) use aligned::propose as aligned;
pub(super) use delimited::{Wanted, propose as delimited};
pub(super) use fixed::propose as fixed;
pub(super) use other_text::{is_log, not_a_table};
pub(super) use stacked::propose as stacked;
pub(super) use whole::propose as whole;

/// What sort of layout a candidate is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Form {
    /// Each line is one value.
    Whole,
    /// A mark divides. `rank`: how far out it stands where marks are nested.
    Delimited { rank: u8 },
    /// Runs of blanks divide; of two and more if `two`. `rest`: the last column takes the rest of the line.
    Aligned { two: bool, rest: bool },
    /// Positions divide. `named`: a line of names stands above them. `matched`: each column has one name, or one part of a rule,
    /// of its own. `touching`: starts that most lines run across without a blank. `ruled`: they are those of the parts of a rule below the
    /// names.
    Fixed { named: bool, matched: bool, touching: usize, ruled: bool },
    /// Several lines make a record.
    Multiline,
}

/// A layout with its price.
#[derive(Clone, Debug)]
pub(super) struct Candidate {
    pub(super) dialect: Dialect,
    pub(super) form: Form,
    /// Fields of a record.
    pub(super) width: usize,
    /// Bits of the whole sample.
    pub(super) bits: f64,
    /// Records looked at, those of the usual width, lines set aside.
    pub(super) records: usize,
    pub(super) even: usize,
    pub(super) aside: usize,
    /// Fields in quotes, and quotes out of place.
    pub(super) quoted: usize,
    pub(super) bad_quotes: usize,
    pub(super) columns: Vec<Column>,
    /// The line whose words name the columns one by one, if starts were chosen by it.
    pub(super) names: Option<String>,
}

impl Candidate {
    /// Whole lines of which nothing is known.
    pub(super) fn unknown(dialect: Dialect) -> Self {
        Self {
            dialect,
            form: Form::Whole,
            width: 1,
            bits: f64::INFINITY,
            records: 0,
            even: 0,
            aside: 0,
            quoted: 0,
            bad_quotes: 0,
            names: None,
            columns: Vec::new(),
        }
    }

    /// Share of the records that have the usual number of fields.
    pub(super) fn evenness(&self) -> f64 {
        self.even as f64 / self.records.max(1) as f64
    }

    /// Records that were not set aside.
    pub(super) fn kept(&self) -> usize {
        self.records.saturating_sub(self.aside).max(self.even)
    }

    /// Whether `other` would give other columns, and not only say the same in other words: runs of blanks and starts between the
    /// same values do.
    pub(super) fn differs_from(&self, other: &Self) -> bool {
        let lined_up = |c: &Self| matches!(c.form, Form::Aligned { .. } | Form::Fixed { .. });
        if self.width != other.width || lined_up(self) != lined_up(other) {
            return true;
        }
        if lined_up(self) {
            // One line is that of names, where one column has none.
            let is_uneven = |c: &Self| c.records - c.even.min(c.records) > 1 && c.even * 20 < c.records * 19;
            return is_uneven(self) || is_uneven(other);
        }
        // What the first line of a record looks like changes nothing where the records are the same.
        if let (
            Division::Multiline(Multiline::Cycle { lines: own, .. }),
            Division::Multiline(Multiline::Cycle { lines: others, .. }),
        ) = (&self.dialect.division, &other.dialect.division)
        {
            return own != others || (self.records, self.even) != (other.records, other.even);
        }
        (&self.dialect.delimiter, &self.dialect.division, self.dialect.runs_as_one)
            != (&other.dialect.delimiter, &other.dialect.division, other.dialect.runs_as_one)
    }

    /// Whether `other` divides by the same mark, only into another number of fields.
    pub(super) fn has_other_width(&self, other: &Self) -> bool {
        let delimited = |c: &Self| matches!(c.form, Form::Delimited { .. });
        let mark = |c: &Self| (c.dialect.delimiter.clone(), c.dialect.runs_as_one);
        delimited(self) && delimited(other) && self.width != other.width && mark(self) == mark(other)
    }

    /// Whether a column between others is always blank.
    pub(super) fn has_blank_columns(&self) -> bool {
        let inner = self.columns.len().saturating_sub(1);
        self.columns.iter().take(inner).skip(1).any(|c| c.count() > 0 && c.different() == 0)
    }

    /// Whether all columns from `width` on are blank, and none before.
    pub(super) fn ends_blank(&self, width: usize) -> bool {
        self.columns.iter().enumerate().all(|(at, c)| (at >= width) == (c.different() == 0))
    }

    /// Whether runs of blanks divide.
    pub(super) fn is_aligned(&self) -> bool {
        matches!(self.form, Form::Aligned { .. })
    }
}

/// What all proposals start from.
pub(super) struct Bench<'s, 't> {
    pub(super) sample: &'s Sample<'t>,
    pub(super) lexicon: Lexicon,
    /// Line ends and comments, without a division.
    pub(super) plain: Dialect,
    /// What someone says of lines.
    pub(super) rules: Vec<LineRule>,
}
