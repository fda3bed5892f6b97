//! What a refresh found and did, for pages and for programs.

use super::{ConflictMark, Winner};
use incola_core::kind::Marks;
use serde::Serialize;

/// What became of a link.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Report {
    /// What the link is called.
    pub link: String,
    /// The sheet of its table.
    pub sheet: String,
    /// The table; `None`: a plain range.
    pub table: Option<String>,
    /// What people call its sources.
    pub sources: Vec<String>,
    /// What became of it.
    pub outcome: Outcome,
    /// When rows were brought in before.
    pub before: String,
    /// The columns that make a record the same record; none: all that it holds.
    pub key: Vec<String>,
    /// Rows of the table before.
    pub rows_before: u64,
    /// Rows of the table after.
    pub rows_after: u64,
    /// Rows that say what their records say.
    pub same: u64,
    /// Rows that the source revised.
    pub revised: u64,
    /// Records that are new.
    pub added: u64,
    /// Rows whose records are gone.
    pub gone: u64,
    /// Records that stand elsewhere in the source than before; the sheet's order stays.
    pub moved: u64,
    /// Rows with cells that were changed by hand and stay.
    pub kept_edits: u64,
    /// Rows that were added by hand and stay.
    pub own: u64,
    /// Records whose rows were taken out by hand and stay out.
    pub removed_by_hand: u64,
    /// Cells and rows that both sides changed.
    pub conflicts: u64,
    /// Who won all of them.
    pub winner: Option<Winner>,
    /// Those that nobody decided.
    pub undecided: u64,
    /// Those in which the sheet won.
    pub sheet_wins: u64,
    /// Those in which the source won.
    pub source_wins: u64,
    /// Columns that are new and got a heading.
    pub columns_added: Vec<String>,
    /// Columns that the source has no more.
    pub columns_gone: Vec<String>,
    /// Columns that are called otherwise.
    pub columns_renamed: Vec<Renamed>,
    /// Columns that the source has and the table has not.
    pub columns_left_out: Vec<String>,
    /// Sums that changed.
    pub sums: Vec<Sum>,
    /// Days that changed.
    pub days: Vec<Days>,
    /// Files that are new.
    pub files_added: Vec<String>,
    /// Files that are gone.
    pub files_gone: Vec<String>,
    /// Cells that were written, and those of them that give back their field.
    pub cells_written: u64,
    /// Those that give back their field.
    pub cells_exact: u64,
    /// Rows that say what their records say, read again from the finished workbook.
    pub rows_checked: u64,
    /// The first few of what changed, or all of it.
    pub changes: Vec<Change>,
    /// What is broken in the source where it was not before, and was accepted: someone should look.
    pub damage: Vec<String>,
    /// What else there is to know.
    #[serde(skip)]
    pub notes: Vec<RefreshNote>,
}

/// What became of a link.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// There is something to bring in.
    #[default]
    ToDo,
    /// The source is as it was.
    Unchanged,
    /// Its bytes are others, its records are the same.
    Same,
    /// The table was brought up to date.
    Refreshed,
    /// Someone must say who wins.
    Conflicts,
}

/// What else there is to know of a refresh.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RefreshNote {
    /// The values of the key are there more than once now.
    KeyRepeats {
        /// Its columns.
        columns: Vec<String>,
        /// Whether someone named them: records are known by them all the same.
        is_given: bool,
    },
    /// Formulas, names, charts and the like that ended with the rows and do not reach the new ones.
    RangesEnd(Vec<String>),
    /// The same, which are taken along.
    RangesFollow(Vec<String>),
}

/// A column that is called otherwise.
#[derive(Clone, Debug, Serialize)]
pub struct Renamed {
    /// The name before.
    pub from: String,
    /// The name now.
    pub to: String,
}

/// The sum of a column in the source.
#[derive(Clone, Debug, Serialize)]
pub struct Sum {
    /// The column.
    pub column: String,
    /// The sum before.
    pub before: Option<String>,
    /// The sum now.
    pub after: Option<String>,
    /// How the column spells numbers.
    #[serde(skip)]
    pub marks: Marks,
}

/// The days of a column in the source, from the first to the last.
#[derive(Clone, Debug, Serialize)]
pub struct Days {
    /// The column.
    pub column: String,
    /// The first and the last day before.
    pub before: Option<(String, String)>,
    /// The first and the last day now.
    pub after: Option<(String, String)>,
}

/// What a change is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum What {
    /// Both sides changed it.
    Conflict,
    /// The source revised it.
    Revised,
    /// The source has it now.
    Added,
    /// The source has it no more.
    Gone,
    /// Someone changed it by hand, and it stays.
    Kept,
}

/// A row that changed.
#[derive(Clone, Debug, Serialize)]
pub struct Change {
    /// What happened to it.
    pub what: What,
    /// What the record is called by its key, or what it begins with.
    pub label: String,
    /// The row of the sheet, from 1, as it was; of those that are added, as it is.
    pub row: u32,
    /// The cells that matter.
    pub cells: Vec<CellChange>,
    /// What else speaks against the change.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
    /// The conflict about the whole row, if there is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub conflict: Option<Conflict>,
}

/// A conflict, and who wins it.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct Conflict {
    /// What it is known by.
    pub mark: ConflictMark,
    /// Who wins; `None`: nobody said.
    pub winner: Option<Winner>,
}

/// A cell that changed.
#[derive(Clone, Debug, Serialize)]
pub struct CellChange {
    /// Its heading.
    pub column: String,
    /// What the sheet holds.
    pub sheet: String,
    /// What the source holds now; nothing: it has the record no more.
    pub source: Option<String>,
    /// What was imported, where that is known.
    pub imported: Option<String>,
    /// The conflict about it, if there is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub conflict: Option<Conflict>,
}

/// How many changes of a sort are told, if not all.
const FEW: usize = 6;

/// Changes that are told, counted by their sort.
pub(super) struct Told {
    pub(super) changes: Vec<Change>,
    counts: [usize; 5],
    tells_all: bool,
    tells_conflicts: bool,
}

impl Told {
    pub(super) fn new(tells_all: bool, tells_conflicts: bool) -> Self {
        Self { changes: Vec::new(), counts: [0; 5], tells_all, tells_conflicts }
    }

    /// Tells a change, if there is room for it.
    pub(super) fn tell(&mut self, what: What, change: impl FnOnce() -> Change) {
        let count = &mut self.counts[what as usize];
        *count += 1;
        if self.tells_all || *count <= FEW || (self.tells_conflicts && what == What::Conflict) {
            self.changes.push(change());
        }
    }
}

impl Report {
    /// Counts a conflict, by who wins it.
    pub(super) fn count(&mut self, winner: Option<Winner>) {
        self.conflicts += 1;
        *match winner {
            None => &mut self.undecided,
            Some(Winner::Sheet) => &mut self.sheet_wins,
            Some(Winner::Source) => &mut self.source_wins,
        } += 1;
    }

    /// Whether there is anything to bring in.
    pub fn has_changes(&self) -> bool {
        self.revised + self.added + self.gone + self.conflicts > 0
            || !self.columns_added.is_empty()
            || !self.columns_gone.is_empty()
            || !self.columns_renamed.is_empty()
    }
}
