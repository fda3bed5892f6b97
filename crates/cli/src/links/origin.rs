//! Where a link's source is: written down from the workbook's folder on, found again from there, and looked at without being read
//! where size and time say enough.

use crate::failure::{Failure, Result};
use crate::io::disk;
use crate::io::folder;
use crate::io::source::{Source, is_address};
use crate::io::target::folder_of;
use incola_engine::feed::Feed;
use incola_engine::link::{Link, LinkedSource, Part, SourceKind};
use std::path::{Component, Path, PathBuf};

/// The source of an import, from what was typed.
pub(super) fn of_import(typed: &[String], book: &Path, is_together: bool, source: &Source) -> LinkedSource {
    if is_address(&source.name) {
        return LinkedSource { kind: SourceKind::Address, at: vec![source.name.clone()] };
    }
    if is_together {
        let kind = match typed {
            [one] if disk::is_folder(Path::new(one)) || folder::is_pattern(one) => SourceKind::Folder,
            _ => SourceKind::File,
        };
        return LinkedSource {
            kind,
            at: typed.iter().map(|name| from_book(Path::new(name), book)).collect(),
        };
    }
    LinkedSource { kind: SourceKind::File, at: vec![from_book(Path::new(&source.name), book)] }
}

/// A path from the folder of the workbook on, if they have more than the root in common; else from the root on.
pub(crate) fn from_book(path: &Path, book: &Path) -> String {
    let real = |p: &Path| disk::canonicalize(p).ok();
    let folder = real(folder_of(book));
    // A pattern is no path: its folder is. And a link on the disk may lead to another file tomorrow: it is kept as it is.
    let own = match path.file_name() {
        Some(name) => real(folder_of(path)).map(|folder| folder.join(name)),
        None => real(path),
    };
    let (Some(folder), Some(own)) = (folder, own) else { return path.display().to_string() };
    let (from, to): (Vec<Component<'_>>, Vec<Component<'_>>) =
        (folder.components().collect(), own.components().collect());
    let shared = from.iter().zip(&to).take_while(|(a, b)| a == b).count();
    if shared < 2 && from.len() > 1 {
        return own.display().to_string();
    }
    let mut steps: Vec<String> = vec!["..".to_owned(); from.len() - shared];
    steps.extend(to[shared..].iter().map(|c| c.as_os_str().to_string_lossy().into_owned()));
    if steps.is_empty() { ".".to_owned() } else { steps.join("/") }
}

/// What a name in a link means, seen from here.
pub(crate) fn here(at: &str, book: &Path) -> String {
    if is_address(at) || Path::new(at).is_absolute() {
        return at.to_owned();
    }
    match folder_of(book) {
        folder if folder == Path::new(".") => at.to_owned(),
        folder => folder.join(at).display().to_string(),
    }
}

/// The same in full.
fn in_full(at: &str, book: &Path) -> String {
    let name = here(at, book);
    if is_address(&name) {
        return name;
    }
    let path = std::path::absolute(&name).unwrap_or_else(|_| PathBuf::from(&name));
    // Not by asking the disk: what is missing has a place all the same.
    let mut plain = PathBuf::new();
    for step in path.components() {
        match step {
            Component::ParentDir => {
                plain.pop();
            }
            Component::CurDir => {}
            step => plain.push(step),
        }
    }
    plain.display().to_string()
}

/// What a link would read, one line each, in full: what trust is bound to.
pub(crate) fn reads(link: &Link, book: &Path) -> String {
    let mut lines: Vec<String> = link.source.at.iter().map(|at| in_full(at, book)).collect();
    if let Ok(docket) = incola_core::settings::docket::Docket::read_kept(&link.docket) {
        for (what, values) in [("header", &docket.request.headers), ("query", &docket.request.query)] {
            lines.extend(values.iter().map(|(name, value)| format!("  with {what} {name}: {value}")));
        }
    }
    lines.join("\n") + "\n"
}

/// Whether a link reads something that is not in the workbook's folder or below it.
pub(crate) fn is_elsewhere(link: &Link, book: &Path) -> bool {
    let folder = in_full(".", book);
    link.source.at.iter().any(|at| is_address(at) || !Path::new(&in_full(at, book)).starts_with(&folder))
}

/// The files or the address that a link reads now: as the link calls them, and as they are found from here.
///
/// # Errors
/// If a folder cannot be read.
pub(crate) fn parts(source: &LinkedSource, book: &Path) -> Result<Vec<(String, String)>> {
    if source.kind != SourceKind::Folder {
        return Ok(source.at.iter().map(|at| (at.clone(), here(at, book))).collect());
    }
    let names: Vec<String> = source.at.iter().map(|at| here(at, book)).collect();
    let files = folder::expand(&names)?;
    Ok(files.into_iter().map(|file| (from_book(Path::new(&file), book), file)).collect())
}

/// What a file is known by without being read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Stamp {
    pub(crate) bytes: u64,
    /// Nanoseconds since 1970.
    pub(crate) modified: i64,
    /// Which file it is on its disk, where that can be told: two may be of one size and time.
    pub(crate) inode: u64,
}

/// Looks at a file.
pub(crate) fn stamp(path: &Path) -> std::io::Result<Stamp> {
    Ok(stamp_of(&disk::metadata(path)?))
}

fn stamp_of(about: &std::fs::Metadata) -> Stamp {
    let modified = about.modified().ok().and_then(|t| jiff::Timestamp::try_from(t).ok());
    let modified = modified.map_or(0, |t| i64::try_from(t.as_nanosecond()).unwrap_or(0));
    #[cfg(unix)]
    let inode = std::os::unix::fs::MetadataExt::ino(about);
    #[cfg(not(unix))]
    let inode = 0;
    Stamp { bytes: about.len(), modified, inode }
}

/// What a source that was read becomes in a link, and when it was changed.
///
/// # Errors
/// If it cannot be read once more.
pub(crate) fn part_of(source: &Source, at: &str, records: u64) -> Result<(Part, Stamp)> {
    // Of the file that was read, and before its digest: what is put in its place now, or written behind, will be seen.
    let stamp =
        source.path().and_then(|_| source.about().ok()).map(|about| stamp_of(&about)).unwrap_or_default();
    let (bytes, digest) = source.digest()?;
    let version = source.version();
    let part = Part {
        at: at.to_owned(),
        bytes,
        digest: format!("{digest:016x}"),
        records,
        etag: version.etag.clone(),
        last_modified: version.last_modified.clone(),
    };
    Ok((part, stamp))
}

/// Fails if a file grows while it is looked at twice.
pub(crate) fn check_still(source: &Source, before: Option<Stamp>) -> Result<()> {
    let Some(path) = source.path().filter(|_| !is_address(&source.name)) else { return Ok(()) };
    let Some(before) = before else { return Ok(()) };
    let now = stamp(path).map_err(|error| {
        Failure::io(path, "look at it once more", &error).leaving("the table was not changed")
    })?;
    if now != before {
        return Err(Failure::protected(format!("{}: it is being written", source.shown()))
            .leaving("the table was not changed")
            .help("wait until the other system has finished writing it, then do this again"));
    }
    Ok(())
}
