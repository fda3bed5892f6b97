//! Which files were appended to the tables of a workbook, so that none is appended twice unnoticed. The workbook itself is not told:
//! nothing but its rows changes.

use super::folder::{name_of, state_folder};
use crate::io::disk;
use serde::{Deserialize, Serialize};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Files that are remembered of one workbook; the oldest are forgotten.
const MOST: usize = 2000;

/// A file that was appended.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Appended {
    /// The sheet.
    pub(crate) sheet: String,
    /// The table; nothing: a plain range.
    pub(crate) table: Option<String>,
    /// What the source was called.
    pub(crate) source: String,
    /// The XXH3 of its bytes, in 16 hexadecimal digits.
    pub(crate) digest: String,
    /// Rows that came from it.
    pub(crate) rows: u64,
    /// The last row that was filled then: a table that ends before it has lost those rows.
    #[serde(default)]
    pub(crate) last_row: u32,
    /// When, in UTC.
    pub(crate) at: String,
}

/// All of a workbook's.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
struct All {
    #[serde(default, rename = "file")]
    files: Vec<Appended>,
}

impl Appended {
    /// Whether it went into that place.
    fn is_in(&self, sheet: &str, table: Option<&str>) -> bool {
        self.sheet.to_lowercase() == sheet.to_lowercase() && self.table.as_deref() == table
    }
}

fn file_of(book: &Path) -> Option<PathBuf> {
    state_folder().map(|folder| folder.join("appended").join(name_of(book)).with_extension("toml"))
}

fn read(book: &Path) -> All {
    let text = file_of(book).and_then(|path| disk::read_to_string(path).ok());
    text.and_then(|text| toml::from_str(&text).ok()).unwrap_or_default()
}

/// Keeps the list whole or not at all. What cannot be kept is asked about no more: rows are never refused for it.
fn keep(book: &Path, all: &All) {
    let Some(path) = file_of(book) else { return };
    let write = || -> io::Result<()> {
        let folder = path.parent().unwrap_or(Path::new("."));
        disk::make_private_folder(folder)?;
        let pending = path.with_extension("part");
        let mut file = disk::open_private(&pending)?;
        file.set_len(0)?;
        file.write_all(toml::to_string(all).unwrap_or_default().as_bytes())?;
        disk::rename(&pending, &path)
    };
    let _ = write();
}

/// When a file with these bytes was appended to that table, whose rows end in row `last_row` now.
pub(crate) fn find(
    book: &Path,
    (sheet, table): (&str, Option<&str>),
    digest: &str,
    last_row: u32,
) -> Option<Appended> {
    let is_there = |file: &Appended| file.is_in(sheet, table) && file.last_row <= last_row;
    read(book).files.into_iter().rev().find(|file| file.digest == digest && is_there(file))
}

/// The files that were appended to a table, in their order.
pub(crate) fn of_table(book: &Path, sheet: &str, table: Option<&str>) -> Vec<Appended> {
    read(book).files.into_iter().filter(|file| file.is_in(sheet, table)).collect()
}

/// Remembers files that were appended.
pub(crate) fn note(book: &Path, files: &[Appended]) {
    if files.is_empty() {
        return;
    }
    let mut all = read(book);
    all.files.extend_from_slice(files);
    let surplus = all.files.len().saturating_sub(MOST);
    all.files.drain(..surplus);
    keep(book, &all);
}

/// Forgets the files of a table whose rows were replaced.
pub(crate) fn forget(book: &Path, sheet: &str, table: Option<&str>) {
    let mut all = read(book);
    let before = all.files.len();
    all.files.retain(|file| !file.is_in(sheet, table));
    if all.files.len() < before {
        keep(book, &all);
    }
}

/// Forgets what was appended at that time or later, for it was undone.
pub(crate) fn forget_since(book: &Path, time: &str) {
    let mut all = read(book);
    let before = all.files.len();
    all.files.retain(|file| file.at.as_str() < time);
    if all.files.len() < before {
        keep(book, &all);
    }
}
