//! The last imports, so that one can be done again with the next file.

use super::folder::state_folder;
use crate::io::disk;
use serde::{Deserialize, Serialize};
use std::io::{self, Write};
use std::path::PathBuf;

/// Imports that are remembered; the oldest are forgotten.
const MOST: usize = 100;

/// An import that was done.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Recent {
    /// When, in UTC.
    pub(crate) at: String,
    /// The folder in which the command was typed.
    pub(crate) folder: String,
    /// What the sources are called, the first few of many.
    pub(crate) sources: Vec<String>,
    /// How many there were.
    pub(crate) source_count: u64,
    /// The workbooks, the first few of many.
    pub(crate) books: Vec<String>,
    /// Rows that were written.
    pub(crate) rows: u64,
    /// The command that does the same for the next file.
    pub(crate) command: String,
}

#[derive(Debug, Default, Serialize, Deserialize)]
struct All {
    #[serde(default, rename = "import")]
    imports: Vec<Recent>,
}

fn file() -> Option<PathBuf> {
    state_folder().map(|folder| folder.join("recent.toml"))
}

/// The imports that are remembered, the newest first.
pub(crate) fn list() -> Vec<Recent> {
    let text = file().and_then(|path| disk::read_to_string(path).ok());
    let all: All = text.and_then(|text| toml::from_str(&text).ok()).unwrap_or_default();
    all.imports.into_iter().rev().collect()
}

/// Remembers an import. That it cannot be remembered is no reason to fail.
pub(crate) fn note(import: Recent) {
    let Some(path) = file() else { return };
    let mut imports: Vec<Recent> = list().into_iter().rev().collect();
    imports.push(import);
    let surplus = imports.len().saturating_sub(MOST);
    imports.drain(..surplus);
    let write = || -> io::Result<()> {
        let folder = path.parent().unwrap_or(&path);
        disk::make_private_folder(folder)?;
        // A name of its own: two imports may end at the same time.
        let pending = path.with_extension(format!("{}.part", std::process::id()));
        let mut file = disk::open_private(&pending)?;
        file.set_len(0)?;
        file.write_all(toml::to_string(&All { imports }).unwrap_or_default().as_bytes())?;
        disk::rename(&pending, &path)
    };
    let _ = write();
}

/// Forgets all of them; gives how many bytes that frees.
pub(crate) fn forget() -> u64 {
    let Some(path) = file() else { return 0 };
    let bytes = disk::metadata(&path).map_or(0, |about| about.len());
    if disk::remove_file(&path).is_ok() { bytes } else { 0 }
}
