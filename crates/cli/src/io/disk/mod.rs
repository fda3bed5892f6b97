//! The one place where the program asks the system for files: whatever it reads, writes, renames or locks goes through here.
//!
//! Each call passes [`before`] first. In the program that is nothing at all; in tests (`trial`) any call can be made to fail, or
//! something else to happen right before it.

#![allow(clippy::disallowed_methods, clippy::disallowed_types, reason = "this is the place for them")]

mod file;
mod temporary;

pub(crate) use file::File;
pub(crate) use temporary::Temporary;

use std::ffi::OsString;
use std::fs::{self, Metadata, OpenOptions, Permissions};
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// What the system is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Call {
    /// What stands at a path, and where a link leads.
    Look,
    /// To open a file, or to make it.
    Open,
    Read,
    Write,
    Seek,
    /// To have what was written on the disk.
    Sync,
    Lock,
    /// To give permissions, a time or a length.
    Set,
    /// To put a file at another path, or two in each other's place.
    Rename,
    /// To give a file a second name.
    Link,
    Remove,
    /// To make a folder.
    MakeFolder,
    /// The names in a folder.
    List,
}

/// Called before each call: fails where a test wants it to.
#[cfg(not(test))]
#[inline]
#[allow(clippy::unnecessary_wraps, reason = "in tests it fails")]
fn before(_: Call, _: &Path) -> io::Result<()> {
    Ok(())
}

#[cfg(test)]
fn before(call: Call, path: &Path) -> io::Result<()> {
    crate::trial::before(call, path)
}

/// The path without links, absolute.
pub(crate) fn canonicalize(path: impl AsRef<Path>) -> io::Result<PathBuf> {
    let path = path.as_ref();
    before(Call::Look, path)?;
    fs::canonicalize(path)
}

/// What the disk knows of what stands at a path; links are followed.
pub(crate) fn metadata(path: impl AsRef<Path>) -> io::Result<Metadata> {
    let path = path.as_ref();
    before(Call::Look, path)?;
    fs::metadata(path)
}

/// Whether something stands at a path, to which links lead.
pub(crate) fn exists(path: impl AsRef<Path>) -> bool {
    metadata(path).is_ok()
}

/// Whether a file stands at a path.
pub(crate) fn is_file(path: impl AsRef<Path>) -> bool {
    metadata(path).is_ok_and(|about| about.is_file())
}

/// Whether a folder stands at a path.
pub(crate) fn is_folder(path: impl AsRef<Path>) -> bool {
    metadata(path).is_ok_and(|about| about.is_dir())
}

/// Whether nothing stands at a path, not even a link that leads nowhere.
pub(crate) fn is_free(path: impl AsRef<Path>) -> bool {
    let path = path.as_ref();
    before(Call::Look, path).and_then(|()| path.symlink_metadata()).is_err()
}

/// A file whole.
pub(crate) fn read(path: impl AsRef<Path>) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    File::open(path.as_ref())?.read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// A file of text whole.
pub(crate) fn read_to_string(path: impl AsRef<Path>) -> io::Result<String> {
    let mut text = String::new();
    File::open(path.as_ref())?.read_to_string(&mut text)?;
    Ok(text)
}

/// Makes a file, or writes over it.
pub(crate) fn write(path: impl AsRef<Path>, bytes: impl AsRef<[u8]>) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::Open, path)?;
    before(Call::Write, path)?;
    fs::write(path, bytes)
}

/// Gives a file another path; what stood there is replaced.
pub(crate) fn rename(from: impl AsRef<Path>, to: impl AsRef<Path>) -> io::Result<()> {
    let (from, to) = (from.as_ref(), to.as_ref());
    before(Call::Rename, to)?;
    fs::rename(from, to)
}

/// Puts each of two files where the other one is, in one step.
#[cfg(target_os = "linux")]
pub(crate) fn exchange(one: &Path, other: &Path) -> io::Result<()> {
    use rustix::fs::{CWD, RenameFlags, renameat_with};
    before(Call::Rename, other)?;
    renameat_with(CWD, one, CWD, other, RenameFlags::EXCHANGE).map_err(io::Error::from)
}

/// Gives a file a second name.
pub(crate) fn hard_link(of: impl AsRef<Path>, name: impl AsRef<Path>) -> io::Result<()> {
    let (of, name) = (of.as_ref(), name.as_ref());
    before(Call::Link, name)?;
    fs::hard_link(of, name)
}

/// Copies a file; the system may share what both hold.
pub(crate) fn copy(from: impl AsRef<Path>, to: impl AsRef<Path>) -> io::Result<u64> {
    let (from, to) = (from.as_ref(), to.as_ref());
    before(Call::Open, from)?;
    before(Call::Open, to)?;
    before(Call::Write, to)?;
    fs::copy(from, to)
}

/// Removes a file.
pub(crate) fn remove_file(path: impl AsRef<Path>) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::Remove, path)?;
    fs::remove_file(path)
}

/// Removes a folder that is empty.
pub(crate) fn remove_folder(path: impl AsRef<Path>) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::Remove, path)?;
    fs::remove_dir(path)
}

/// Gives a file permissions.
pub(crate) fn set_permissions(path: impl AsRef<Path>, permissions: Permissions) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::Set, path)?;
    fs::set_permissions(path, permissions)
}

/// Makes a folder, and those above it that are missing.
pub(crate) fn make_folder(path: impl AsRef<Path>) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::MakeFolder, path)?;
    fs::create_dir_all(path)
}

/// Makes a folder, and those above it that are missing, into which only the user may look.
pub(crate) fn make_private_folder(path: impl AsRef<Path>) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::MakeFolder, path)?;
    let mut builder = fs::DirBuilder::new();
    builder.recursive(true);
    #[cfg(unix)]
    std::os::unix::fs::DirBuilderExt::mode(&mut builder, 0o700);
    builder.create(path)
}

/// Opens a file to write to, which only the user may read; what it holds stays.
pub(crate) fn open_private(path: impl AsRef<Path>) -> io::Result<File> {
    let path = path.as_ref();
    before(Call::Open, path)?;
    let mut options = OpenOptions::new();
    options.create(true).truncate(false).write(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    options.open(path).map(|file| File::of(file, path))
}

/// Asks that the names in a folder are on the disk.
pub(crate) fn sync_folder(path: impl AsRef<Path>) -> io::Result<()> {
    let path = path.as_ref();
    before(Call::Sync, path)?;
    if cfg!(test) { Ok(()) } else { fs::File::open(path)?.sync_all() }
}

/// The names of everything in a folder.
///
/// # Errors
/// If it cannot be read.
#[cfg(target_os = "linux")]
pub(crate) fn names_in(folder: &Path) -> io::Result<Vec<OsString>> {
    use rustix::fs::{Dir, Mode, OFlags, open};
    use std::os::unix::ffi::OsStringExt;
    before(Call::List, folder)?;
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let mut names = Vec::new();
    // Unlike the standard library's, it bears that closing fails.
    let folder = rustix::io::retry_on_intr(|| open(folder, flags, Mode::empty()))?;
    for entry in Dir::new(folder)? {
        let name = entry?.file_name().to_bytes().to_vec();
        if name != b"." && name != b".." {
            names.push(OsString::from_vec(name));
        }
    }
    Ok(names)
}

/// The names of everything in a folder.
///
/// # Errors
/// If it cannot be read.
#[cfg(not(target_os = "linux"))]
pub(crate) fn names_in(folder: &Path) -> io::Result<Vec<OsString>> {
    before(Call::List, folder)?;
    fs::read_dir(folder)?.map(|entry| entry.map(|entry| entry.file_name())).collect()
}
