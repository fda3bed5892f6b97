//! Why work ends early: facts, from which whoever stands above makes sentences and advice.

use incola_core::encoding::NotText;
use incola_core::settings::BadSetting;
use incola_workbook::{CellRef, Range};
use std::error::Error;
use std::fmt;

/// A result of the engine.
pub type Result<T> = std::result::Result<T, Stop>;

/// Why work ended early. Nothing was written that stays.
#[derive(Debug)]
#[non_exhaustive]
pub enum Stop {
    /// Whoever watches wanted it to end.
    Interrupted,
    /// What reads or keeps bytes failed: its own error.
    Outside(Box<dyn Error + Send + Sync>),
    /// The source has no bytes.
    Empty {
        /// What it is called.
        source: String,
    },
    /// The source is no text.
    NotText {
        /// What it is called.
        source: String,
        /// What it is instead.
        why: NotText,
    },
    /// Its bytes were others the second time.
    SourceChanged {
        /// What it is called.
        source: String,
    },
    /// A setting does not fit the source.
    BadSetting(BadSetting),
    /// A start of a column was to be moved or dropped, and no column starts there.
    NoSuchStart {
        /// What the source is called.
        source: String,
        /// The start that was meant, from 1.
        start: usize,
        /// Those that there are, from 1.
        starts: Vec<usize>,
    },
    /// Lines were asked for that the source does not have.
    FewLines {
        /// What it is called.
        source: String,
        /// The first line that was asked for, from 1.
        from: u64,
        /// Lines that it has.
        lines: u64,
    },
    /// There is no such encoding.
    NoEncoding {
        /// What was asked for.
        name: String,
    },
    /// More columns than a worksheet has.
    TooManyColumns {
        /// What the source is called.
        source: String,
        /// Columns of its widest record.
        columns: usize,
    },
    /// More groups than a tally has.
    TooManyGroups {
        /// The column that divides them.
        column: String,
        /// Most of them.
        most: usize,
    },
    /// A record of more bytes than any has.
    RecordTooLong {
        /// Its line, from 1, where that is known.
        line: Option<u64>,
    },
    /// The workbook cannot be read.
    Book(incola_workbook::Error),
    /// The workbook cannot be written.
    NotWritten(incola_workbook::Error),
    /// What has no room in memory cannot be put aside, in an unnamed file among the temporary ones, or had back.
    NotPutAside(std::io::Error),
    /// The finished workbook does not hold what was written.
    NotAsWritten {
        /// The sheet.
        sheet: String,
        /// What does not agree.
        why: NotAsWritten,
    },
    /// Rows do not fit into the sheet.
    Place {
        /// The sheet.
        sheet: String,
        /// What stands against it.
        why: Box<PlaceStop>,
    },
    /// A place was named that is none.
    Spot(SpotStop),
    /// Records that were put aside cannot be read back.
    RowsLost,
    /// A link cannot be brought up to date.
    Link {
        /// What it is called.
        link: String,
        /// What stands against it.
        why: Box<LinkStop>,
    },
}

/// What a finished workbook does not hold as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NotAsWritten {
    /// So many rows with something in them, instead of so many.
    Rows(u64, u64),
    /// So many rows that say what their records say, instead of so many.
    Records(u64, u64),
    /// So many cells with something in them, instead of so many.
    Cells(u64, u64),
    /// The sum of a column of the sheet, from 1: what the cells add up to, and what the source's values do.
    Sum(u32, String, String),
    /// As many cells, but other values.
    Values,
    /// The bytes are damaged.
    Damaged(String),
}

/// Why a name is no place.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum SpotStop {
    /// It is a cell, and what one heading is called.
    CellOrHeading {
        /// The cell of that name.
        cell: CellRef,
        /// Where the heading is.
        heading: CellRef,
    },
    /// The name stands for something else than one range.
    NoRange {
        /// The name.
        at: String,
        /// What it stands for.
        refers_to: String,
    },
    /// It is a heading that stands in two cells.
    Twice {
        /// The heading.
        at: String,
        /// The first cell.
        first: CellRef,
        /// The second one.
        second: CellRef,
    },
    /// Nothing is called so.
    Nowhere {
        /// What was named.
        at: String,
        /// Whether headings of a sheet were looked at.
        knows_sheet: bool,
    },
}

/// A cell and what it holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Held {
    /// The cell.
    pub at: CellRef,
    /// What it shows, or its formula with `=` in front.
    pub text: String,
}

/// What stands against rows in a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum PlaceStop {
    /// The sheet is protected against typing.
    Protected,
    /// More rows than a sheet has.
    TooManyRows {
        /// Records that were to go in.
        records: u64,
        /// The row of the first one.
        first_row: u32,
    },
    /// Further to the right than a sheet reaches.
    TooFarRight {
        /// The column that would be reached, from 1.
        column: u32,
    },
    /// Cells where rows go hold something.
    Occupied(Occupied),
    /// New headings have no room.
    ColumnTaken {
        /// The cell in their way.
        at: CellRef,
        /// What it holds, where it stands in the row of headings.
        held: Option<String>,
    },
    /// Columns that are not the source's hold something, and their rows would go.
    OwnValues {
        /// The heading of the first such column.
        heading: String,
        /// Cells of it that hold something.
        cells: u64,
        /// The first of them.
        from: Option<CellRef>,
    },
    /// One formula fills several cells beside rows whose number changes.
    OnePieceBeside {
        /// Its cells.
        range: Range,
        /// Whether the rows become more.
        grows: bool,
    },
    /// Cells that belong together would be torn.
    Torn {
        /// What holds them together.
        what: Whole,
        /// The first few of them.
        ranges: Vec<Range>,
        /// Whether there are more.
        has_more: bool,
    },
    /// The rows would run into another table.
    OtherTable {
        /// Where they would be.
        rows: Range,
        /// The table.
        name: String,
        /// Its cells.
        range: Range,
    },
    /// Another program fills the table from outside.
    TableFed {
        /// The table.
        name: String,
    },
    /// There are no headings to match columns with.
    NoHeadings {
        /// Where they were looked for.
        at: CellRef,
    },
    /// The table has no headings.
    TableWithoutHeadings {
        /// The table.
        name: String,
    },
    /// Several tables might be meant.
    SeveralTables {
        /// Their names.
        names: Vec<String>,
    },
    /// Headings and columns do not fit.
    Mismatch(Mismatch),
    /// A row may be a record, or totals.
    UnclearTotals {
        /// The row.
        row: u32,
        /// What it holds.
        cells: Vec<Held>,
        /// The first and the last column of the rows.
        columns: (u32, u32),
        /// The first row of data.
        first_row: u32,
    },
    /// Cells that belong together stand among rows that move.
    OnePieceMoves {
        /// The cells.
        range: Range,
    },
    /// A comment stands over a row that moves, and would not move with it.
    CommentMoves {
        /// Its cell.
        at: CellRef,
    },
}

/// What holds cells together.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Whole {
    /// They are merged.
    Merged,
    /// One formula fills them.
    Array,
    /// Formulas share one text.
    SharedText,
}

/// Cells in the way of rows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Occupied {
    /// The cells that rows need.
    pub needs: Range,
    /// Whether what stands there is only too near: a blank row is needed below.
    pub needs_blank_row: bool,
    /// The rows that are filled, the first and the last one.
    pub filled: (u32, u32),
    /// The first few cells that are.
    pub cells: Vec<Held>,
    /// Whether other rows may go in the place of those that stand there.
    pub can_replace: bool,
    /// Whether rows may go under those that stand there.
    pub can_append: bool,
    /// The first free cell below everything.
    pub free: Option<CellRef>,
}

/// Headings of a sheet and columns of a source that do not fit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mismatch {
    /// Headings, each with whether it has no column.
    pub headings: Vec<(String, bool)>,
    /// Columns of the source, each with whether it has no heading.
    pub columns: Vec<(String, bool)>,
    /// A line of the source, from 1, that holds the names which are missing.
    pub names_line: Option<u64>,
    /// Whether columns were matched by name.
    pub is_by_name: bool,
    /// Whether headings without a column are what stops.
    pub lacks_columns: bool,
    /// The first column without a heading, if such ones are what stops.
    pub surplus: Option<String>,
}

/// What stands against a refresh.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum LinkStop {
    /// What the link says cannot be obeyed.
    Broken {
        /// Why.
        why: String,
    },
    /// It does not know how its source was written.
    NoForm,
    /// Its table is nowhere in the workbook.
    TableGone,
    /// Columns of its table are not found.
    ColumnsLost {
        /// The sheet.
        sheet: String,
        /// Their headings.
        missing: Vec<String>,
        /// Headings that the link does not know, with their columns.
        unknown: Vec<(String, u32)>,
    },
    /// The source has other columns than the table.
    Reshaped {
        /// What the source is called.
        source: String,
        /// Columns that went: name, kind, and the new name that may be the same column.
        gone: Vec<(String, String, Option<String>)>,
        /// Columns that are new: name and kind.
        added: Vec<(String, String)>,
    },
    /// Sources of one link differ in their columns.
    SourcesDiffer {
        /// The first one.
        first: String,
        /// The one that differs.
        other: String,
    },
    /// The source has far fewer records than before.
    Shrunk {
        /// What it is called.
        source: String,
        /// Records now.
        records: u64,
        /// Records before.
        before: u64,
    },
    /// Columns hold other kinds of values than in the table.
    KindsDiffer {
        /// What the source is called.
        source: String,
        /// Those columns.
        columns: Vec<KindDiffers>,
    },
    /// The source is broken where it was not before.
    Damaged {
        /// What it is called.
        source: String,
        /// How, in sentences.
        news: Vec<String>,
    },
    /// Rows were changed by hand, and with columns gone nobody knows which.
    UnknownHand {
        /// The sheet.
        sheet: String,
        /// Such rows.
        rows: u64,
    },
    /// New rows have no room.
    NoRoom {
        /// Where the table is.
        range: Range,
        /// The sheet.
        sheet: String,
        /// What stands in the way.
        why: PlaceStop,
    },
    /// The sheet cannot be revised.
    Refused {
        /// The sheet.
        sheet: String,
        /// Why.
        why: String,
    },
    /// The link itself cannot be kept.
    NotKept {
        /// Why.
        why: String,
    },
    /// The link is of a version that is not known yet.
    Newer {
        /// Its version.
        version: u32,
    },
}

/// A column whose values do not fit its kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KindDiffers {
    /// Its name.
    pub name: String,
    /// The word for its kind.
    pub kind: &'static str,
    /// Values that do not fit.
    pub misfits: u64,
    /// All values.
    pub filled: u64,
    /// The line of the first misfit, from 1.
    pub line: u64,
}

/// What a stop ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scope {
    /// Work on that source; others may go on.
    Source,
    /// Work on the workbook.
    Book,
    /// Everything.
    Everything,
}

impl Stop {
    /// What the stop ends.
    ///
    /// ```
    /// use incola_engine::stop::{Scope, Stop};
    /// assert_eq!(Stop::Empty { source: "calls.csv".into() }.scope(), Scope::Source);
    /// ```
    pub fn scope(&self) -> Scope {
        match self {
            Self::Interrupted => Scope::Everything,
            Self::Book(_) | Self::NotWritten(_) | Self::RowsLost => Scope::Book,
            _ => Scope::Source,
        }
    }

    /// A stop of a sheet.
    pub fn place(sheet: &str, why: PlaceStop) -> Self {
        Self::Place { sheet: sheet.to_owned(), why: Box::new(why) }
    }

    /// A stop of a link.
    pub fn link(link: &str, why: LinkStop) -> Self {
        Self::Link { link: link.to_owned(), why: Box::new(why) }
    }
}

/// The facts as they are, for those who write programs; what people read is made elsewhere.
impl fmt::Display for Stop {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Outside(error) => write!(f, "{error}"),
            Self::Book(error) | Self::NotWritten(error) => write!(f, "{error}"),
            Self::NotPutAside(error) => write!(f, "{error}"),
            stop => write!(f, "{stop:?}"),
        }
    }
}

impl Error for Stop {
    fn source(&self) -> Option<&(dyn Error + 'static)> {
        match self {
            Self::Outside(error) => Some(error.as_ref()),
            Self::Book(error) | Self::NotWritten(error) => Some(error),
            Self::NotPutAside(error) => Some(error),
            _ => None,
        }
    }
}
