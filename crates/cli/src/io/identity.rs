//! Which file a workbook was when it was opened: whoever saved it in the meantime is not overwritten.

use crate::io::disk::{self, File};
use std::fs::Metadata;
use std::io;
use std::path::Path;

/// What tells a file from every other one, and from itself after it was saved.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Identity {
    /// Device and inode, where there are such.
    place: (u64, u64),
    bytes: u64,
    /// When it was changed last, in seconds and nanoseconds since 1970.
    modified: (i64, u32),
}

impl Identity {
    fn of(about: &Metadata) -> Self {
        let since = about.modified().ok().and_then(|t| t.duration_since(std::time::UNIX_EPOCH).ok());
        let modified = since.map_or((-1, 0), |since| (since.as_secs() as i64, since.subsec_nanos()));
        #[cfg(unix)]
        let place = {
            use std::os::unix::fs::MetadataExt;
            (about.dev(), about.ino())
        };
        #[cfg(not(unix))]
        let place = (0, 0);
        Self { place, bytes: about.len(), modified }
    }

    /// That of a file that is open.
    pub(crate) fn of_open(file: &File) -> io::Result<Self> {
        file.metadata().map(|about| Self::of(&about))
    }

    /// That of the file at a path, whatever its links lead to.
    pub(crate) fn at(path: &Path) -> io::Result<Self> {
        disk::metadata(path).map(|about| Self::of(&about))
    }
}
