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
mod compare;
mod decide;
pub(crate) mod report;
mod reread;
mod sheet_side;
mod sides;
mod standing;

pub(crate) use apply::apply;
pub(crate) use compare::{Compared, compare};
pub(crate) use reread::reread;
pub(crate) use sheet_side::{Located, locate};
pub(crate) use standing::{Standing, standing};

/// Who wins where both source and sheet changed a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Winner {
    Source,
    Sheet,
}

/// What the clerk allows.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Wishes {
    pub(crate) edits: Option<Winner>,
    /// Columns may come, go and change their kind.
    pub(crate) accepts_columns: bool,
    /// There may be far fewer records than before, or none.
    pub(crate) accepts_shorter: bool,
    /// The source may be broken where it was not before.
    pub(crate) accepts_damage: bool,
    /// Whether everything that changed is told one by one.
    pub(crate) tells_all: bool,
    /// Whether it is only looked at: nothing is remembered.
    pub(crate) is_trial: bool,
}
