//! What a refresh found and did, for pages and for programs.

use serde::Serialize;

/// What became of a link.
#[derive(Clone, Debug, Default, Serialize)]
pub(crate) struct Report {
    pub(crate) link: String,
    pub(crate) sheet: String,
    pub(crate) table: Option<String>,
    pub(crate) sources: Vec<String>,
    /// unchanged, same (other bytes, the same records), refreshed, to-do (a dry run), or conflicts.
    pub(crate) outcome: &'static str,
    /// When rows were brought in before.
    pub(crate) before: String,
    pub(crate) key: Vec<String>,
    pub(crate) rows_before: u64,
    pub(crate) rows_after: u64,
    pub(crate) same: u64,
    pub(crate) revised: u64,
    pub(crate) added: u64,
    pub(crate) gone: u64,
    /// Records that stand elsewhere in the source than before; the sheet's order stays.
    pub(crate) moved: u64,
    /// Rows with cells that were changed by hand and stay.
    pub(crate) kept_edits: u64,
    /// Rows that were added by hand and stay.
    pub(crate) own: u64,
    /// Records whose rows were taken out by hand and stay out.
    pub(crate) removed_by_hand: u64,
    /// Cells and rows that both sides changed.
    pub(crate) conflicts: u64,
    /// Who won them: source or sheet.
    pub(crate) winner: Option<&'static str>,
    pub(crate) columns_added: Vec<String>,
    pub(crate) columns_gone: Vec<String>,
    pub(crate) columns_renamed: Vec<Renamed>,
    /// Columns that the source has and the table has not.
    pub(crate) columns_left_out: Vec<String>,
    pub(crate) sums: Vec<Sum>,
    pub(crate) days: Vec<Days>,
    pub(crate) files_added: Vec<String>,
    pub(crate) files_gone: Vec<String>,
    /// Cells that were written, and those of them that give back their field.
    pub(crate) cells_written: u64,
    pub(crate) cells_exact: u64,
    /// The first few of what changed, or all of it.
    pub(crate) changes: Vec<Change>,
    /// What is broken in the source where it was not before, and was accepted: someone should look.
    pub(crate) damage: Vec<String>,
    /// What else there is to know.
    pub(crate) notes: Vec<String>,
}

/// A column that is called otherwise.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct Renamed {
    pub(crate) from: String,
    pub(crate) to: String,
}

/// The sum of a column in the source.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct Sum {
    pub(crate) column: String,
    pub(crate) before: Option<String>,
    pub(crate) after: Option<String>,
}

/// The days of a column in the source, from the first to the last.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct Days {
    pub(crate) column: String,
    pub(crate) before: Option<(String, String)>,
    pub(crate) after: Option<(String, String)>,
}

/// What a change is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum What {
    Conflict,
    Revised,
    Added,
    Gone,
    Kept,
}

/// A row that changed.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct Change {
    pub(crate) what: What,
    /// What the record is called by its key, or what it begins with.
    pub(crate) label: String,
    /// The row of the sheet, from 1, as it was; of those that are added, as it is.
    pub(crate) row: u32,
    /// The cells that matter.
    pub(crate) cells: Vec<CellChange>,
    /// What else speaks against the change.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) why: Option<String>,
}

/// A cell that changed.
#[derive(Clone, Debug, Serialize)]
pub(crate) struct CellChange {
    pub(crate) column: String,
    /// What the sheet holds.
    pub(crate) sheet: String,
    /// What the source holds now; nothing: it has the record no more.
    pub(crate) source: Option<String>,
    /// What was imported, where that is known.
    pub(crate) imported: Option<String>,
}

/// How many changes of a sort are told, if not all.
const FEW: usize = 6;

/// Changes that are told, counted by their sort.
pub(super) struct Told {
    pub(super) changes: Vec<Change>,
    counts: [usize; 5],
    tells_all: bool,
}

impl Told {
    pub(super) fn new(tells_all: bool) -> Self {
        Self { changes: Vec::new(), counts: [0; 5], tells_all }
    }

    /// Tells a change, if there is room for it.
    pub(super) fn tell(&mut self, what: What, change: impl FnOnce() -> Change) {
        let count = &mut self.counts[what as usize];
        *count += 1;
        if self.tells_all || *count <= FEW {
            self.changes.push(change());
        }
    }
}

impl Report {
    /// Whether there is anything to bring in.
    pub(crate) fn has_changes(&self) -> bool {
        self.revised + self.added + self.gone + self.conflicts > 0
            || !self.columns_added.is_empty()
            || !self.columns_gone.is_empty()
            || !self.columns_renamed.is_empty()
    }
}
