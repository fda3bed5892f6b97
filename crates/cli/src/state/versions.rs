//! The versions of a workbook before Incola's changes, to be had back.
//!
//! A version is a file called `NUMBER-AFTER-OWN.xlsx`: the digest of what replaced it, and its own. It is written as `….pending` before the
//! workbook is replaced and gets its name afterwards; one that is found pending took effect if the workbook is what replaced it. So
//! neither a failure nor a kill at any moment leaves a version that is not one.

use super::folder::{clear_temporary, name_of, state_folder};
use super::lock_and_clear;
use crate::failure::{Failure, Result};
use crate::io::disk::{self, File};
use crate::render::command::quoted;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// Versions of a workbook that are kept.
const VERSIONS: usize = 5;

/// Bytes of versions that are kept for one workbook; the newest is kept whatever its size.
const VERSION_BYTES: u64 = 1 << 30;

/// A version kept: the file, the digest of what replaced it, and its own.
struct Version {
    number: u64,
    after: u64,
    own: u64,
    path: PathBuf,
    bytes: u64,
    is_pending: bool,
}

/// All versions in a folder, those that are pending too, in their order.
fn all(folder: &Path) -> io::Result<Vec<Version>> {
    let names = match disk::names_in(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        names => names?,
    };
    let mut versions = Vec::new();
    for name in names {
        let path = folder.join(name);
        let stem = path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        let ending = path.extension().map(|e| e.to_string_lossy().into_owned()).unwrap_or_default();
        let mut parts = stem.split('-');
        let number = parts.next().and_then(|n| n.parse().ok());
        let mut digest = || parts.next().and_then(|d| u64::from_str_radix(d, 16).ok());
        let (Some(number), Some(after), Some(own)) = (number, digest(), digest()) else { continue };
        if ending == "xlsx" || ending == "pending" {
            let bytes = disk::metadata(&path)?.len();
            versions.push(Version { number, after, own, bytes, is_pending: ending == "pending", path });
        }
    }
    versions.sort_by_key(|v| v.number);
    Ok(versions)
}

/// The versions in a folder that took effect, in their order: what became of those that are pending is found out.
fn settled(folder: &Path, book: &Path) -> io::Result<Vec<Version>> {
    let mut versions = all(folder)?;
    for version in versions.iter_mut().filter(|v| v.is_pending) {
        if digest(book)? == version.after {
            (version.path, version.is_pending) = (name_it(&version.path)?, false);
        } else {
            disk::remove_file(&version.path)?;
        }
    }
    versions.retain(|v| !v.is_pending);
    Ok(versions)
}

/// Gives a version that took effect its name. Only the user may read it now.
fn name_it(pending: &Path) -> io::Result<PathBuf> {
    let path = pending.with_extension("xlsx");
    disk::rename(pending, &path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        // What belongs to someone else cannot be kept from them; the folder is the user's alone.
        let _ = disk::set_permissions(&path, std::fs::Permissions::from_mode(0o600));
    }
    Ok(path)
}

fn digest(path: &Path) -> io::Result<u64> {
    let mut hasher = xxhash_rust::xxh3::Xxh3::new();
    let mut file = File::open(path)?;
    let mut buffer = vec![0; 256 * 1024];
    loop {
        match file.read(&mut buffer) {
            Ok(0) => return Ok(hasher.digest()),
            Ok(read) => hasher.update(&buffer[..read]),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
}

/// A version that is kept in case that the workbook is replaced. Dropped before that, it was nothing.
#[derive(Debug)]
pub(crate) struct Pending {
    path: Option<PathBuf>,
}

impl Pending {
    /// Says that the workbook was replaced.
    pub(crate) fn took_effect(mut self) {
        let Some(path) = self.path.take() else { return };
        // If it cannot be done now, whoever looks next finds out that it was.
        let _ = name_it(&path);
        let Some(known) = path.parent().and_then(|folder| all(folder).ok()) else { return };
        let mut bytes = 0;
        for (n, version) in known.iter().rev().enumerate() {
            bytes += version.bytes;
            if n > 0 && (n >= VERSIONS || bytes > VERSION_BYTES) {
                // A version too many does no harm.
                let _ = disk::remove_file(&version.path);
            }
        }
    }
}

impl Drop for Pending {
    fn drop(&mut self) {
        if let Some(path) = &self.path {
            // It is found out later that it never took effect.
            let _ = disk::remove_file(path);
        }
    }
}

/// Keeps the workbook as it is, to be had back once `new` stands in its place.
pub(crate) fn prepare(book: &Path, new: &Path) -> Result<Pending> {
    let Some(folder) = folder_of(book) else {
        return Ok(Pending { path: None });
    };
    let failed = |e: io::Error| {
        Failure::io(&folder, "keep the version before", &e).leaving("the workbook was not changed")
    };
    disk::make_private_folder(&folder).map_err(failed)?;
    clear_temporary(&folder);
    let known = settled(&folder, book).map_err(failed)?;
    let number = known.last().map_or(1, |v| v.number + 1);
    let (after, own) = (digest(new).map_err(failed)?, digest(book).map_err(failed)?);
    let path = folder.join(format!("{number:06}-{after:016x}-{own:016x}.pending"));
    // What stands there now is replaced as a whole, never written into: it can stay where it is under a second name, unless it has
    // others already, through which it may be written.
    if has_other_names(book) || disk::hard_link(book, &path).is_err() {
        let part = path.with_extension("part");
        disk::copy(book, &part).and_then(|_| disk::rename(&part, &path)).map_err(failed)?;
    }
    Ok(Pending { path: Some(path) })
}

#[cfg(unix)]
fn has_other_names(book: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    disk::metadata(book).is_ok_and(|about| about.nlink() > 1)
}

#[cfg(not(unix))]
fn has_other_names(_: &Path) -> bool {
    true
}

/// A version that is kept, as it is listed: the newest one is number 1.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Listed {
    pub(crate) number: usize,
    /// When it was written.
    pub(crate) written: Option<std::time::SystemTime>,
    pub(crate) bytes: u64,
}

/// The folder of a workbook's versions.
fn folder_of(book: &Path) -> Option<PathBuf> {
    state_folder().map(|folder| folder.join("versions").join(name_of(book)))
}

fn unreadable(folder: &Path, error: &io::Error) -> Failure {
    Failure::io(folder, "read the versions that are kept", error).leaving("the workbook was not changed")
}

/// The versions of a workbook that are kept, the newest first.
///
/// # Errors
/// If the folder cannot be read.
pub(crate) fn list(book: &Path) -> Result<Vec<Listed>> {
    let Some(folder) = folder_of(book) else { return Ok(Vec::new()) };
    let _lock = lock_and_clear(book)?;
    let versions = settled(&folder, book).map_err(|e| unreadable(&folder, &e))?;
    let listed = (1..).zip(versions.iter().rev()).map(|(number, version)| Listed {
        number,
        written: disk::metadata(&version.path).and_then(|about| about.modified()).ok(),
        bytes: version.bytes,
    });
    Ok(listed.collect())
}

/// Goes back to a version, counted from 1, the newest. What the workbook is now becomes the newest version.
///
/// # Errors
/// Status 2 if there is no such version; 3 if it cannot be put back.
pub(crate) fn go_back(book: &Path, number: usize) -> Result<()> {
    let none = || {
        Failure::usage(format!("{}: there is no version {number}", book.display()))
            .leaving("it was not changed")
            .help(format!("those that are kept: incola undo {} --list", quoted(&book.display().to_string())))
    };
    let folder = folder_of(book).ok_or_else(none)?;
    let failed = |e: io::Error| Failure::io(book, "put a version back", &e).leaving("it was not changed");
    let _lock = lock_and_clear(book)?;
    let versions = settled(&folder, book).map_err(|e| unreadable(&folder, &e))?;
    let wanted = number.checked_sub(1).and_then(|n| versions.iter().rev().nth(n)).ok_or_else(none)?;
    let identity = crate::io::identity::Identity::at(book).map_err(failed)?;
    check_sound(book, wanted)?;
    let mut target = crate::io::target::Target::over(book, identity)?;
    io::copy(&mut File::open(&wanted.path).map_err(failed)?, &mut target).map_err(failed)?;
    target.commit()
}

/// Fails if a version is not what was kept.
fn check_sound(book: &Path, version: &Version) -> Result<()> {
    let failed = |e: io::Error| Failure::io(book, "put a version back", &e).leaving("it was not changed");
    if digest(&version.path).map_err(failed)? == version.own {
        return Ok(());
    }
    Err(Failure::unreadable(format!(
        "{}: the version before was changed where it is kept, in {}",
        book.display(),
        version.path.display()
    ))
    .leaving("it was not changed"))
}

/// Puts the version before the last change back. `even_changed`: also if the workbook was changed since.
pub(crate) fn undo(book: &Path, even_changed: bool) -> Result<()> {
    let none = || {
        Failure::unreadable(format!("{}: no change of Incola's is known", book.display()))
            .leaving("it was not changed")
            .help("a workbook that an import has made is taken back by deleting it")
    };
    let folder = folder_of(book).ok_or_else(none)?;
    let failed =
        |e: io::Error| Failure::io(book, "put the version before back", &e).leaving("it was not changed");
    let _lock = lock_and_clear(book)?;
    let mut versions = settled(&folder, book).map_err(|e| unreadable(&folder, &e))?;
    let identity = crate::io::identity::Identity::at(book).map_err(failed)?;
    let now = digest(book).map_err(failed)?;
    let last = loop {
        let last = versions.pop().ok_or_else(none)?;
        // It was had back, by a run that was killed before it could say so.
        if last.own != now || last.after == now {
            break last;
        }
        disk::remove_file(&last.path).map_err(failed)?;
    };
    if !even_changed && now != last.after {
        return Err(Failure::protected(format!(
            "{}: it was changed since Incola changed it",
            book.display()
        ))
        .leaving("it was not changed")
        .help(format!(
            "to lose those changes: incola undo {} --even-changed",
            quoted(&book.display().to_string())
        )));
    }
    check_sound(book, &last)?;
    let mut target = crate::io::target::Target::back(book, identity)?;
    io::copy(&mut File::open(&last.path).map_err(failed)?, &mut target).map_err(failed)?;
    target.commit()?;
    // It has been had back: the change before it is the next one.
    let _ = disk::remove_file(&last.path);
    Ok(())
}
