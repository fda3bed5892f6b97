//! What was written of a source: counted by column, with the cells that someone should look at.

use super::candidate::Candidate;
use super::check::Laid;
use super::write::Placing;
use crate::cells::Loss;
use incola_core::kind::{Kind, Sum, Value};

/// Cells that are listed one by one; more are counted.
pub(super) const TOLD: usize = 10_000;

/// A cell that does not give back what the source had, or does not fit its column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CellNote {
    /// Line of the source.
    pub line: u64,
    /// Row of the sheet.
    pub row: u32,
    /// Column of the source, from 1.
    pub column: usize,
    /// The field's first characters.
    pub text: String,
    /// Why it is listed.
    pub why: Note,
}

/// Why a cell is listed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Note {
    /// It does not fit the kind of its column.
    Misfit(Kind),
    /// It does not give back what the source had.
    Lost(Loss),
}

/// What was written of a column.
#[derive(Clone, Debug, Default)]
pub struct ColumnTally {
    /// Cells that hold something.
    pub cells: u64,
    /// Fields that are blank.
    pub blank: u64,
    /// Those of them that hold a spelling which was said to mean empty.
    pub spelled_empty: u64,
    /// Fields that do not fit the kind.
    pub misfits: u64,
    /// The sum of its numbers.
    pub sum: Sum,
    /// Most decimals of its numbers.
    pub decimals: u8,
    /// Its earliest and latest day, since 1970-01-01.
    pub days: Option<(i32, i32)>,
}

impl ColumnTally {
    /// Counts what a value is, besides a cell.
    #[inline]
    pub fn count(&mut self, value: &Value<'_>) {
        match value {
            Value::Number(number, _) => {
                self.sum.add(number);
                self.decimals = self.decimals.max(number.spelling.decimals());
            }
            Value::Moment(Some(day), ..) => {
                let day = day.since_1970();
                self.days = Some(self.days.map_or((day, day), |(from, to)| (from.min(day), to.max(day))));
            }
            _ => {}
        }
    }

    /// Adds what was counted later.
    pub fn merge(&mut self, more: &Self) {
        self.cells += more.cells;
        self.blank += more.blank;
        self.spelled_empty += more.spelled_empty;
        self.misfits += more.misfits;
        self.sum.merge(&more.sum);
        self.decimals = self.decimals.max(more.decimals);
        self.days = match (self.days, more.days) {
            (Some((from, to)), Some((f, t))) => Some((from.min(f), to.max(t))),
            (mine, more) => mine.or(more),
        };
    }

    /// The sum, with no rounding; `None`: it could not be kept exactly.
    pub fn sum_text(&self) -> Option<String> {
        self.sum.is_exact().then(|| self.sum.text(self.decimals))
    }
}

/// What was written.
#[derive(Clone, Debug, Default)]
pub struct Written {
    /// Rows.
    pub rows: u64,
    /// Cells that hold something.
    pub cells: u64,
    /// Cells that give back their field character for character.
    pub exact: u64,
    /// Cells of columns that are made of others, besides those.
    pub made: u64,
    /// By column of the source.
    pub columns: Vec<ColumnTally>,
    /// Fields that are not given back.
    pub lost: u64,
    /// The first of those.
    pub lost_cells: Vec<CellNote>,
    /// Fields that do not fit their column.
    pub misfits: u64,
    /// The first of those.
    pub misfit_cells: Vec<CellNote>,
    /// By row, if they were wanted: fingerprints of the cells that come from the source.
    pub prints: Vec<u64>,
    /// Columns whose values may be a key.
    pub candidates: Vec<Candidate>,
    /// The rows, for the check of the finished workbook.
    pub laid: Laid,
}

impl Written {
    pub(super) fn for_placing(placing: &Placing<'_>) -> Self {
        Self {
            columns: vec![ColumnTally::default(); placing.columns.len()],
            candidates: placing.candidates.iter().map(|place| Candidate::at(*place)).collect(),
            laid: Laid::for_placing(placing),
            ..Self::default()
        }
    }

    /// Adds what was written later.
    pub fn merge(&mut self, later: Self) {
        self.rows += later.rows;
        self.laid.merge(later.laid);
        self.cells += later.cells;
        self.exact += later.exact;
        self.made += later.made;
        self.lost += later.lost;
        self.misfits += later.misfits;
        self.columns.resize(self.columns.len().max(later.columns.len()), ColumnTally::default());
        for (mine, more) in self.columns.iter_mut().zip(&later.columns) {
            mine.merge(more);
        }
        if self.prints.is_empty() {
            // Those of a whole source are not copied.
            self.prints = later.prints;
        } else {
            self.prints.extend(later.prints);
        }
        if self.candidates.is_empty() {
            self.candidates = later.candidates;
        } else {
            for (mine, more) in self.candidates.iter_mut().zip(later.candidates) {
                mine.merge(more);
            }
        }
        for (mine, more) in
            [(&mut self.lost_cells, later.lost_cells), (&mut self.misfit_cells, later.misfit_cells)]
        {
            let room = TOLD.saturating_sub(mine.len());
            mine.extend(more.into_iter().take(room));
        }
    }
}
