//! Links: what ties a table to its source. A link lives in two custom XML parts of the workbook, a small head and the fingerprints
//! of the rows, and is mirrored in the user's state folder, for programs that drop such parts when they save. docs/links.md
//! describes the format.

pub(crate) mod damage;
pub(crate) mod make;
pub(crate) mod mirror;
pub(crate) mod origin;
mod store;

pub(crate) use damage::Damage;
pub(crate) use mirror::Mirror;
pub(crate) use store::{Kept, find, read_rows, remove, write};

use serde::{Deserialize, Serialize};

/// The version of the format that this program writes, and the newest one that it reads.
pub(crate) const VERSION: u32 = 1;

/// A link.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct Link {
    /// The version of the format.
    pub(crate) link: u32,
    /// 16 hexadecimal digits.
    pub(crate) id: String,
    /// What commands call it: the table, or the sheet.
    pub(crate) name: String,
    /// When rows were last brought in, in UTC.
    pub(crate) refreshed: String,
    /// How the source is read: a docket, as resolved by the import.
    pub(crate) docket: String,
    pub(crate) source: LinkedSource,
    pub(crate) table: LinkedTable,
    /// What was broken in the source then; nothing: the link is older than that.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) damage: Option<Damage>,
    /// The columns that come from the source, in the order in which their fingerprints go into that of a row.
    #[serde(default, rename = "column")]
    pub(crate) columns: Vec<LinkedColumn>,
    /// What was read the last time.
    #[serde(default, rename = "part")]
    pub(crate) parts: Vec<Part>,
}

/// Where rows come from.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct LinkedSource {
    pub(crate) kind: SourceKind,
    /// Files, folders and patterns from the workbook's folder on where they can be, or an address.
    pub(crate) at: Vec<String>,
}

/// What a source is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum SourceKind {
    /// One file, or several by their names.
    File,
    /// The files of a folder, or those whose names fit a pattern.
    Folder,
    /// A web address.
    Address,
}

/// The table that is fed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct LinkedTable {
    /// The sheet when it was last written.
    pub(crate) sheet: String,
    /// The table; nothing: a plain range.
    pub(crate) table: Option<String>,
    /// Its cells then, headings included.
    pub(crate) range: String,
    /// What makes a record the same record: columns of the source; nothing: what they hold.
    #[serde(default)]
    pub(crate) key: Vec<String>,
    /// Whether someone said so.
    #[serde(default)]
    pub(crate) key_is_given: bool,
    /// Rows that came from the source.
    pub(crate) rows: u64,
}

/// A column that comes from the source.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct LinkedColumn {
    /// Its name in the source; nothing: it says which source a row came from.
    pub(crate) name: Option<String>,
    /// Its heading in the sheet when it was last written.
    pub(crate) heading: String,
    /// Its kind, in the docket's word.
    pub(crate) kind: String,
    /// The sum of its numbers.
    pub(crate) sum: Option<String>,
    /// Its first and last day.
    pub(crate) from: Option<String>,
    pub(crate) to: Option<String>,
}

/// A file or an address that was read.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Part {
    /// As in [`LinkedSource::at`], or a file in that folder.
    pub(crate) at: String,
    /// Bytes as they came, compressed or not.
    pub(crate) bytes: u64,
    /// Their XXH3 in 16 hexadecimal digits.
    pub(crate) digest: String,
    pub(crate) records: u64,
    /// What the server said of its version (RFC 9110, section 8.8).
    pub(crate) etag: Option<String>,
    pub(crate) last_modified: Option<String>,
}

impl Link {
    /// The hidden name that stands for the cells of the table.
    pub(crate) fn anchor(&self) -> String {
        format!("{ANCHOR}{}", self.id)
    }

    /// Whether commands mean it by that name.
    pub(crate) fn is_called(&self, name: &str) -> bool {
        self.name.to_lowercase() == name.to_lowercase() || self.id == name
    }
}

/// What hidden names of links begin with.
pub(crate) const ANCHOR: &str = "_incola_";
