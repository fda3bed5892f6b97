//! Refreshing a table: its source is read once more, as the link says; the sheet is looked at; both are compared with what was
//! imported the last time; and what the source changed is put into the sheet, around what was changed there by hand.
//!
//! ```text
//! source ──survey──▶ prints ─┐
//! sheet  ──one look─▶ prints ─┼─▶ alignment ─▶ cells that differ ─▶ report ─▶ rows revised, taken out, added
//! link   ───────────▶ prints ─┘
//! ```

mod apply;
mod base;
mod changes;
mod check;
mod compare;
mod decide;
mod decisions;
pub mod report;
mod sheet_side;
mod sides;
mod source_now;

pub use apply::{Applied, apply};
pub use base::Before;
pub use check::check;
pub use compare::{Compared, Comparison, compare};
pub use decisions::{ConflictMark, Decisions};
pub(crate) use sheet_side::columns_of;
pub use sheet_side::{Located, locate};
pub use source_now::{Chooser, OpenSource, SourceNow};

use serde::Serialize;

/// Who wins where both source and sheet changed a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Winner {
    /// What the source says.
    Source,
    /// What the sheet holds.
    Sheet,
}

/// What the clerk allows.
#[derive(Clone, Copy, Debug, Default)]
pub struct Wishes<'w> {
    /// Who wins wherever both changed a cell; `None`: someone must say so first.
    pub edits: Option<Winner>,
    /// Who wins in single conflicts.
    pub decisions: Option<&'w Decisions>,
    /// Columns may come, go and change their kind.
    pub accepts_columns: bool,
    /// There may be far fewer records than before, or none.
    pub accepts_shorter: bool,
    /// The source may be broken where it was not before.
    pub accepts_damage: bool,
    /// Rows may go into a sheet that is protected against typing.
    pub even_protected: bool,
    /// Whether what ended with the rows elsewhere goes on with them.
    pub follows: bool,
    /// Whether everything that changed is told one by one.
    pub tells_all: bool,
    /// Whether all conflicts are told one by one.
    pub tells_conflicts: bool,
    /// Whether it is only looked at: nothing is remembered.
    pub is_trial: bool,
}

impl Wishes<'_> {
    /// Who wins in a conflict, as far as it was said.
    fn winner(&self, mark: ConflictMark) -> Option<Winner> {
        self.edits.or_else(|| self.decisions?.of(mark))
    }
}
