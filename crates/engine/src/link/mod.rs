//! Links: what ties a table to its source. A link lives in two custom XML parts of the workbook, a small head and the fingerprints
//! of the rows. docs/links.md describes the format.

mod damage;
mod parts;

pub use damage::Damage;
pub use parts::{StoredLink, bytes_of, find, prints, read_rows, remove, write};

use crate::export::SourceForm;
use crate::import::ColumnTally;
use incola_core::kind::Kind;
use incola_workbook::serial_date;
use serde::{Deserialize, Serialize};

/// The version of the format that this program writes, and the newest one that it reads.
pub const VERSION: u32 = 1;

/// A link.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Link {
    /// The version of the format.
    pub link: u32,
    /// 16 hexadecimal digits.
    pub id: String,
    /// What commands call it: the table, or the sheet.
    pub name: String,
    /// When rows were last brought in, in UTC.
    pub refreshed: String,
    /// How the source is read: a docket, as resolved by the import.
    pub docket: String,
    /// Where its rows come from.
    pub source: LinkedSource,
    /// Where they go.
    pub table: LinkedTable,
    /// What was broken in the source then; nothing: the link is older than that.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub damage: Option<Damage>,
    /// How its source was written; nothing: it cannot be written like that again, or the link is older than that.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub form: Option<SourceForm>,
    /// The columns that come from the source, in the order in which their fingerprints go into that of a row.
    #[serde(default, rename = "column")]
    pub columns: Vec<LinkedColumn>,
    /// What was read the last time.
    #[serde(default, rename = "part")]
    pub parts: Vec<Part>,
}

/// Where rows come from.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkedSource {
    /// What it is.
    pub kind: SourceKind,
    /// Files, folders and patterns from the workbook's folder on where they can be, or an address.
    pub at: Vec<String>,
}

/// What a source is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum SourceKind {
    /// One file, or several by their names.
    File,
    /// The files of a folder, or those whose names fit a pattern.
    Folder,
    /// A web address.
    Address,
}

/// The table that is fed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkedTable {
    /// The sheet when it was last written.
    pub sheet: String,
    /// The table; nothing: a plain range.
    pub table: Option<String>,
    /// Its cells then, headings included.
    pub range: String,
    /// What makes a record the same record: columns of the source; nothing: what they hold.
    #[serde(default)]
    pub key: Vec<String>,
    /// Whether someone said so.
    #[serde(default)]
    pub key_is_given: bool,
    /// Rows that came from the source.
    pub rows: u64,
}

/// A column that comes from the source.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkedColumn {
    /// Its name in the source; nothing: it says which source a row came from.
    pub name: Option<String>,
    /// Its heading in the sheet when it was last written.
    pub heading: String,
    /// Its kind, in the docket's word.
    pub kind: String,
    /// The sum of its numbers.
    pub sum: Option<String>,
    /// Its first day, as ISO 8601 has it.
    pub from: Option<String>,
    /// Its last day, as ISO 8601 has it.
    pub to: Option<String>,
}

/// A file or an address that was read.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Part {
    /// As in [`LinkedSource::at`], or a file in that folder.
    pub at: String,
    /// Bytes as they came, compressed or not.
    pub bytes: u64,
    /// Their XXH3 in 16 hexadecimal digits.
    pub digest: String,
    /// Its records.
    pub records: u64,
    /// What the server said of its version (RFC 9110, section 8.8).
    pub etag: Option<String>,
    /// When the server says that it was changed.
    pub last_modified: Option<String>,
}

impl Link {
    /// The hidden name that stands for the cells of the table.
    pub fn anchor(&self) -> String {
        format!("{ANCHOR}{}", self.id)
    }

    /// Whether commands mean it by that name.
    pub fn is_called(&self, name: &str) -> bool {
        self.name.to_lowercase() == name.to_lowercase() || self.id == name
    }
}

/// What hidden names of links begin with.
pub const ANCHOR: &str = "_incola_";

impl LinkedColumn {
    /// A column of a source, with what was counted of it.
    pub fn of(name: &str, heading: &str, kind: Kind, tally: &ColumnTally) -> Self {
        Self {
            name: Some(name.to_owned()),
            heading: heading.to_owned(),
            kind: kind.word().to_owned(),
            sum: (kind == Kind::Number).then(|| tally.sum_text()).flatten(),
            from: tally.days.map(|(from, _)| day_text(from)),
            to: tally.days.map(|(_, to)| day_text(to)),
        }
    }
}

/// A day, counted from 1970-01-01, as ISO 8601 has it.
fn day_text(days_since_1970: i32) -> String {
    let (year, month, day) = serial_date::civil(days_since_1970);
    format!("{year:04}-{month:02}-{day:02}")
}

/// Whether a source is called by a web address.
///
/// ```
/// assert!(incola_engine::link::is_address("https://quay.example/calls.csv"));
/// ```
pub fn is_address(name: &str) -> bool {
    let lower = name.get(..8).unwrap_or(name).to_lowercase();
    lower.starts_with("http://") || lower.starts_with("https://")
}
