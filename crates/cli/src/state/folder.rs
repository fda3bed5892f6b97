//! The user's state folder: what is remembered between runs. Only the user may look into it.

use crate::io::disk;
use std::path::{Path, PathBuf};

/// The user's folder for what programs remember (XDG base directories: `XDG_STATE_HOME`).
pub(crate) fn state_folder() -> Option<PathBuf> {
    #[cfg(test)]
    if let Some(home) = crate::trial::home() {
        return Some(home.join("state"));
    }
    let stated = std::env::var_os("XDG_STATE_HOME").map(PathBuf::from).filter(|p| p.is_absolute());
    let home = || std::env::var_os("HOME").map(|home| PathBuf::from(home).join(".local/state"));
    stated.or_else(home).map(|folder| folder.join("incola"))
}

/// The user's folder for settings and dockets (XDG base directories: `XDG_CONFIG_HOME`).
pub(crate) fn config_folder() -> Option<PathBuf> {
    #[cfg(test)]
    if let Some(home) = crate::trial::home() {
        return Some(home.join("config"));
    }
    let stated = std::env::var_os("XDG_CONFIG_HOME").map(PathBuf::from).filter(|p| p.is_absolute());
    let home = || std::env::var_os("HOME").map(|home| PathBuf::from(home).join(".config"));
    stated.or_else(home).map(|folder| folder.join("incola"))
}

/// A name for a workbook that no other one has: made of its place.
pub(crate) fn name_of(book: &Path) -> String {
    // One that is not there yet has the same name as when it is.
    let folder = disk::canonicalize(crate::io::target::folder_of(book)).ok();
    let new = || folder.zip(book.file_name()).map(|(folder, name)| folder.join(name));
    let place = disk::canonicalize(book).ok().or_else(new).unwrap_or_else(|| book.to_owned());
    format!("{:016x}", xxhash_rust::xxh3::xxh3_64(place.as_os_str().as_encoded_bytes()))
}

/// Removes temporary files that a run which was killed left in a folder. Only for whoever holds the lock of what the folder is of.
pub(crate) fn clear_temporary(folder: &Path) {
    for name in disk::names_in(folder).unwrap_or_default() {
        let is_temporary = name.as_encoded_bytes().starts_with(b".tmp")
            || Path::new(&name).extension().is_some_and(|e| e == "part");
        if is_temporary {
            // What cannot be removed does no harm.
            let _ = disk::remove_file(folder.join(&name));
        }
    }
}

/// Remembers that a docket was used, by the time of a file.
pub(crate) fn note_use(docket: &Path) {
    let Some(folder) = state_folder().map(|f| f.join("dockets")) else { return };
    // Only a list tells it: nothing is lost if it cannot be kept.
    let path = folder.join(name_of(docket));
    let _ = disk::make_private_folder(&folder)
        .and_then(|()| disk::open_private(&path))
        .and_then(|file| file.set_modified(std::time::SystemTime::now()));
}

/// When a docket was last used.
pub(crate) fn last_use(docket: &Path) -> Option<std::time::SystemTime> {
    disk::metadata(state_folder()?.join("dockets").join(name_of(docket))).ok()?.modified().ok()
}
