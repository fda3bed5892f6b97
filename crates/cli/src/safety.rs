//! What keeps an existing workbook safe: one Incola at a time, nobody else's open workbook, and the version before kept so that
//! it can be had back.

use crate::failure::{Failure, Result};
use crate::render::command::quoted;
use std::fs::{self, File, TryLockError};
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// Versions of a workbook that are kept.
const VERSIONS: usize = 5;

/// Bytes of versions that are kept for one workbook; the newest is kept whatever its size.
const VERSION_BYTES: u64 = 1 << 30;

/// The user's folder for what programs remember (XDG base directories: `XDG_STATE_HOME`).
pub(crate) fn state_folder() -> Option<PathBuf> {
    let stated = std::env::var_os("XDG_STATE_HOME").map(PathBuf::from).filter(|p| p.is_absolute());
    let home = || std::env::var_os("HOME").map(|home| PathBuf::from(home).join(".local/state"));
    stated.or_else(home).map(|folder| folder.join("incola"))
}

/// A name for a workbook that no other one has: made of its place.
pub(crate) fn name_of(book: &Path) -> String {
    // One that is not there yet has the same name as when it is.
    let folder = fs::canonicalize(crate::target::folder_of(book)).ok();
    let new = || folder.zip(book.file_name()).map(|(folder, name)| folder.join(name));
    let place = fs::canonicalize(book).ok().or_else(new).unwrap_or_else(|| book.to_owned());
    format!("{:016x}", xxhash_rust::xxh3::xxh3_64(place.as_os_str().as_encoded_bytes()))
}

/// Held while a workbook is changed.
#[derive(Debug)]
pub(crate) struct Lock {
    file: Option<File>,
}

/// Makes sure that nobody else changes a workbook: no other Incola, and no program that leaves an owner file beside the
/// workbooks that it has open.
pub(crate) fn lock(book: &Path) -> Result<Lock> {
    let name = book.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    for owner in [format!("~${name}"), format!(".~lock.{name}#")] {
        let owner = book.with_file_name(&owner);
        if owner.exists() {
            return Err(Failure::protected(format!("{}: it is open in another program", book.display()))
                .leaving("it was left as it is")
                .help("close it there, then do this again")
                .help(format!(
                    "if it is open nowhere, remove what that program left: rm {}",
                    quoted(&owner.display().to_string())
                )));
        }
    }
    let Some(folder) = state_folder().map(|f| f.join("locks")) else { return Ok(Lock { file: None }) };
    let path = folder.join(name_of(book));
    let opened = fs::create_dir_all(&folder)
        .and_then(|()| File::options().create(true).truncate(false).write(true).open(&path));
    // Where nothing can be remembered, a new workbook can be made all the same.
    if opened.is_err() && !book.exists() {
        return Ok(Lock { file: None });
    }
    let file = opened.map_err(|e| Failure::io(&path, "make the lock", &e).leaving("nothing was written"))?;
    match file.try_lock() {
        Ok(()) => Ok(Lock { file: Some(file) }),
        Err(TryLockError::WouldBlock) => {
            Err(Failure::protected(format!("{}: another Incola is changing it", book.display()))
                .leaving("it was left as it is")
                .help("wait until that one is done"))
        }
        Err(TryLockError::Error(error)) => Err(Failure::io(&path, "take the lock", &error)),
    }
}

/// What the names of files begin with that will become a workbook.
pub(crate) fn unfinished_prefix(book: &Path) -> String {
    format!(".incola-{}-", name_of(book))
}

/// Removes what an import that was killed left beside a workbook. Only for whoever holds the lock: nobody else writes there.
fn remove_unfinished(book: &Path, lock: &Lock) {
    if lock.file.is_none() {
        return;
    }
    let prefix = unfinished_prefix(book);
    let real = fs::canonicalize(book).unwrap_or_else(|_| book.to_owned());
    let Ok(entries) = fs::read_dir(crate::target::folder_of(&real)) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        if name.as_encoded_bytes().starts_with(prefix.as_bytes())
            && Path::new(&name).extension().is_some_and(|ending| ending == "tmp")
        {
            // What cannot be removed does no harm.
            let _ = fs::remove_file(entry.path());
        }
    }
}

/// [Locks](lock) a workbook, and clears what an earlier run left beside it.
pub(crate) fn lock_and_clear(book: &Path) -> Result<Lock> {
    let lock = lock(book)?;
    remove_unfinished(book, &lock);
    Ok(lock)
}

/// A version kept: the file, and the digest of what replaced it.
struct Version {
    number: u64,
    after: u64,
    path: PathBuf,
    bytes: u64,
}

fn versions(folder: &Path) -> Vec<Version> {
    let Ok(entries) = fs::read_dir(folder) else { return Vec::new() };
    let mut versions: Vec<Version> = entries
        .filter_map(|entry| {
            let path = entry.ok()?.path();
            let stem = path.file_stem()?.to_string_lossy().into_owned();
            let (number, after) = stem.split_once('-')?;
            Some(Version {
                number: number.parse().ok()?,
                after: u64::from_str_radix(after, 16).ok()?,
                bytes: fs::metadata(&path).ok()?.len(),
                path,
            })
        })
        .collect();
    versions.sort_by_key(|v| v.number);
    versions
}

fn digest(path: &Path) -> io::Result<u64> {
    let mut hasher = xxhash_rust::xxh3::Xxh3::new();
    let mut file = File::open(path)?;
    let mut buffer = vec![0; 256 * 1024];
    loop {
        match file.read(&mut buffer)? {
            0 => return Ok(hasher.digest()),
            read => hasher.update(&buffer[..read]),
        }
    }
}

/// Keeps the workbook as it is, to be had back once `new` stands in its place.
pub(crate) fn keep(book: &Path, new: &Path) -> Result<()> {
    let Some(folder) = state_folder().map(|f| f.join("versions").join(name_of(book))) else { return Ok(()) };
    let failed = |e: io::Error| {
        Failure::io(&folder, "keep the version before", &e).leaving("the workbook was left as it is")
    };
    fs::create_dir_all(&folder).map_err(failed)?;
    let known = versions(&folder);
    let number = known.last().map_or(1, |v| v.number + 1);
    let path = folder.join(format!("{number:06}-{:016x}.xlsx", digest(new).map_err(failed)?));
    // What stands there now is replaced as a whole, never written into: it can stay where it is under a second name.
    if fs::hard_link(book, &path).is_err() {
        fs::copy(book, &path).map_err(failed)?;
    }
    let mut bytes = 0;
    for (n, version) in versions(&folder).iter().rev().enumerate() {
        bytes += version.bytes;
        if n > 0 && (n >= VERSIONS || bytes > VERSION_BYTES) {
            // A version too many does no harm.
            let _ = fs::remove_file(&version.path);
        }
    }
    Ok(())
}

/// Puts the version before the last change back. `even_changed`: also if the workbook was changed since.
pub(crate) fn undo(book: &Path, even_changed: bool) -> Result<()> {
    let none = || {
        Failure::unreadable(format!("{}: no change of Incola's is known", book.display()))
            .leaving("it was left as it is")
    };
    let folder = state_folder().map(|f| f.join("versions").join(name_of(book))).ok_or_else(none)?;
    let last = versions(&folder).pop().ok_or_else(none)?;
    let failed =
        |e: io::Error| Failure::io(book, "put the version before back", &e).leaving("it was left as it is");
    let _lock = lock(book)?;
    if !even_changed && digest(book).map_err(failed)? != last.after {
        return Err(Failure::protected(format!(
            "{}: it was changed since Incola changed it",
            book.display()
        ))
        .leaving("it was left as it is")
        .help(format!(
            "to lose those changes: incola undo {} --even-changed",
            quoted(&book.display().to_string())
        )));
    }
    let mut target = crate::target::Target::back(book)?;
    io::copy(&mut File::open(&last.path).map_err(failed)?, &mut target).map_err(failed)?;
    target.commit()?;
    // It has been had back: the change before it is the next one.
    let _ = fs::remove_file(&last.path);
    Ok(())
}

/// The time to write into workbooks: now, or what `SOURCE_DATE_EPOCH` says, for builds that must repeat themselves.
pub(crate) fn now() -> String {
    let stated = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|s| s.parse().ok());
    let now = stated
        .and_then(|seconds| jiff::Timestamp::from_second(seconds).ok())
        .unwrap_or_else(jiff::Timestamp::now);
    now.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

/// Remembers that a docket was used, by the time of a file.
pub(crate) fn note_use(docket: &Path) {
    let Some(folder) = state_folder().map(|f| f.join("dockets")) else { return };
    // Only a list tells it: nothing is lost if it cannot be kept.
    let _ = fs::create_dir_all(&folder).and_then(|()| fs::write(folder.join(name_of(docket)), b""));
}

/// When a docket was last used.
pub(crate) fn last_use(docket: &Path) -> Option<std::time::SystemTime> {
    fs::metadata(state_folder()?.join("dockets").join(name_of(docket))).ok()?.modified().ok()
}
