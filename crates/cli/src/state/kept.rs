//! What the state folder holds, by workbook.

use super::folder::{name_of, state_folder};
use crate::io::disk;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// What is kept of a workbook.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub(crate) struct Kept {
    /// Where it is; nothing: that was not noted.
    pub(crate) book: Option<String>,
    /// Whether it is still there.
    pub(crate) exists: bool,
    /// Versions for undo.
    pub(crate) versions: u64,
    /// Links that are mirrored, with copies of their sources.
    pub(crate) links: u64,
    /// Bytes of all that.
    pub(crate) bytes: u64,
    #[serde(skip)]
    name: String,
}

/// The parts of the state folder that have a file or a folder for each workbook.
const PARTS: [&str; 4] = ["versions", "links", "appended", "locks"];

/// What is kept, by workbook, the largest first.
pub(crate) fn list() -> Vec<Kept> {
    let Some(folder) = state_folder() else { return Vec::new() };
    let mut books: BTreeMap<String, Kept> = BTreeMap::new();
    for part in PARTS {
        for path in in_folder(&folder.join(part)) {
            let name = path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
            let kept = books.entry(name.clone()).or_insert_with(|| Kept { name, ..Kept::default() });
            let files = if disk::is_folder(&path) { in_folder(&path) } else { vec![path.clone()] };
            for file in &files {
                kept.bytes += disk::metadata(file).map_or(0, |about| about.len());
            }
            let count =
                |ending: &str| files.iter().filter(|f| f.extension().is_some_and(|e| e == ending)).count();
            match part {
                "versions" => kept.versions = count("xlsx") as u64,
                "links" => kept.links = count("link") as u64,
                "locks" => {
                    let text = disk::read_to_string(&path).unwrap_or_default();
                    kept.book = Some(text).filter(|text| !text.is_empty());
                }
                _ => {}
            }
        }
    }
    let mut list: Vec<Kept> = books.into_values().collect();
    for kept in &mut list {
        kept.exists = kept.book.as_ref().is_some_and(|book| disk::exists(Path::new(book)));
    }
    list.sort_by(|a, b| b.bytes.cmp(&a.bytes).then_with(|| a.book.cmp(&b.book)));
    list
}

fn in_folder(folder: &Path) -> Vec<PathBuf> {
    let names = disk::names_in(folder).unwrap_or_default();
    names.into_iter().map(|name| folder.join(name)).collect()
}

/// Whether that is what is kept of the workbook at `book`.
pub(crate) fn is_of(kept: &Kept, book: &Path) -> bool {
    kept.name == name_of(book)
}

/// Removes what is kept of a workbook. Whom its links may make read what stays known, as long as it is there.
pub(crate) fn clear(kept: &Kept) {
    let Some(folder) = state_folder() else { return };
    for part in PARTS {
        let own = folder.join(part).join(&kept.name);
        let files = if disk::is_folder(&own) {
            in_folder(&own)
        } else {
            vec![own.clone(), own.with_extension("toml")]
        };
        for file in files {
            let is_trust = part == "links" && file.extension().is_some_and(|ending| ending == "trust");
            // The file of a lock stays: another run may hold it.
            if !(kept.exists && (is_trust || part == "locks")) {
                // What cannot be removed is listed the next time.
                let _ = disk::remove_file(file);
            }
        }
        let _ = disk::remove_folder(own);
    }
}
