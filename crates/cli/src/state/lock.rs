//! One Incola at a time changes a workbook, and none while another program has it open.

use super::folder::{name_of, state_folder};
use crate::failure::{Failure, Result};
use crate::io::disk::{self, File};
use crate::render::command::quoted;
use disk::names_in;
use std::cell::RefCell;
use std::collections::HashMap;
use std::ffi::OsString;
use std::fs::TryLockError;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Held while a workbook is changed.
#[derive(Debug)]
pub(crate) struct Lock {
    /// The user's own, for workbooks that are yet to be made; `None`: nothing can be remembered.
    _by_name: Option<File>,
    /// The workbook itself, for other users and other names of it; `None`: it is yet to be made.
    _itself: Option<File>,
}

/// Makes sure that nobody else changes a workbook: no other Incola, and no program that leaves an owner file beside the
/// workbooks that it has open.
fn lock(book: &Path) -> Result<Lock> {
    let name = book.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    for owner in [format!("~${name}"), format!(".~lock.{name}#")] {
        let owner = book.with_file_name(&owner);
        if disk::exists(&owner) {
            return Err(Failure::protected(format!("{}: it is open in another program", book.display()))
                .leaving("it was not changed")
                .help("close it there, then do this again")
                .help(format!(
                    "if it is open nowhere, remove what that program left: rm {}",
                    quoted(&owner.display().to_string())
                )));
        }
    }
    let busy = || {
        Failure::protected(format!("{}: another Incola is changing it", book.display()))
            .leaving("it was not changed")
            .help("wait until that one is done")
    };
    let itself = File::open(book).ok();
    // Where files cannot be locked, it is seen before the end that someone else saved the workbook.
    if let Some(Err(TryLockError::WouldBlock)) = itself.as_ref().map(File::try_lock) {
        return Err(busy());
    }
    let Some(folder) = state_folder().map(|f| f.join("locks")) else {
        return Ok(Lock { _by_name: None, _itself: itself });
    };
    let path = folder.join(name_of(book));
    let opened = disk::make_private_folder(&folder).and_then(|()| disk::open_private(&path));
    // Where nothing can be remembered, a new workbook can be made all the same.
    if opened.is_err() && !disk::exists(book) {
        return Ok(Lock { _by_name: None, _itself: itself });
    }
    let file = opened.map_err(|e| Failure::io(&path, "make the lock", &e).leaving("nothing was written"))?;
    match file.try_lock() {
        Ok(()) => {
            note_place(&file, book);
            Ok(Lock { _by_name: Some(file), _itself: itself })
        }
        Err(TryLockError::WouldBlock) => Err(busy()),
        Err(TryLockError::Error(error)) => {
            Err(Failure::io(&path, "take the lock", &error).leaving("nothing was written"))
        }
    }
}

/// Notes in the file of a lock which workbook it is of: its name does not say so.
fn note_place(mut file: &File, book: &Path) {
    let place = disk::canonicalize(book).or_else(|_| std::path::absolute(book));
    // Only a list tells it.
    if let Ok(place) = place
        && file.set_len(0).is_ok()
    {
        let _ = file.write_all(place.to_string_lossy().as_bytes());
    }
}

/// What the names of files begin with that will become a workbook.
pub(crate) fn unfinished_prefix(book: &Path) -> String {
    format!(".incola-{}-", name_of(book))
}

/// Removes what an import that was killed left beside a workbook. A file that is being written is locked, and stays.
pub(crate) fn remove_unfinished(book: &Path) {
    let prefix = unfinished_prefix(book);
    let real = disk::canonicalize(book).unwrap_or_else(|_| book.to_owned());
    for path in unfinished_in(crate::io::target::folder_of(&real)) {
        let is_own = path.file_name().is_some_and(|n| n.as_encoded_bytes().starts_with(prefix.as_bytes()));
        if is_own && File::open(&path).is_ok_and(|file| file.try_lock().is_ok()) {
            // What cannot be removed does no harm.
            let _ = disk::remove_file(path);
        }
    }
}

/// What stands in a folder under names of unfinished workbooks, looked up once in a run: it may write thousands of workbooks there.
fn unfinished_in(folder: &Path) -> Vec<PathBuf> {
    thread_local! {
        static KNOWN: RefCell<HashMap<PathBuf, Vec<PathBuf>>> = RefCell::default();
    }
    let look = || -> Vec<PathBuf> {
        let names = names_in(folder).unwrap_or_default().into_iter();
        let is_unfinished = |name: &OsString| {
            let name = name.as_encoded_bytes();
            name.starts_with(b".incola-") && name.ends_with(b".tmp")
        };
        names.filter(is_unfinished).map(|name| folder.join(name)).collect()
    };
    KNOWN.with_borrow_mut(|known| known.entry(folder.to_owned()).or_insert_with(look).clone())
}

/// Locks a workbook, and clears what an earlier run left beside it.
pub(crate) fn lock_and_clear(book: &Path) -> Result<Lock> {
    let lock = lock(book)?;
    remove_unfinished(book);
    Ok(lock)
}
