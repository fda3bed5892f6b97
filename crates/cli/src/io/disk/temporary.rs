//! A file that is written under a name that nobody asks for, and put in its place when it is complete.

use super::{Call, File, before};
use std::io::{self, Seek, SeekFrom, Write};
use std::path::Path;
use tempfile::TempPath;

/// A file under a temporary name; it is removed when it is dropped.
#[derive(Debug)]
pub(crate) struct Temporary {
    file: File,
    path: TempPath,
}

impl Temporary {
    /// One that only the user may read.
    pub(crate) fn new_in(folder: &Path) -> io::Result<Self> {
        Self::made(folder, &tempfile::Builder::new())
    }

    /// One whose name begins and ends so. `open`: the process's mask decides who may read it, as for any new file.
    pub(crate) fn named(folder: &Path, prefix: &str, suffix: &str, open: bool) -> io::Result<Self> {
        let mut builder = tempfile::Builder::new();
        builder.prefix(prefix).suffix(suffix);
        #[cfg(unix)]
        if open {
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let _ = open;
        Self::made(folder, &builder)
    }

    fn made(folder: &Path, builder: &tempfile::Builder<'_, '_>) -> io::Result<Self> {
        before(Call::Open, folder)?;
        let (file, path) = builder.tempfile_in(folder)?.into_parts();
        Ok(Self { file: File::of(file, &path), path })
    }

    /// Where it is now.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// The file.
    pub(crate) fn file(&self) -> &File {
        &self.file
    }

    /// Puts it at a path; what stood there is replaced.
    pub(crate) fn persist(self, path: &Path) -> io::Result<()> {
        before(Call::Rename, path)?;
        self.path.persist(path).map_err(|failed| failed.error)
    }

    /// Puts it at a path where nothing may stand.
    pub(crate) fn persist_if_free(self, path: &Path) -> io::Result<()> {
        before(Call::Rename, path)?;
        self.path.persist_noclobber(path).map_err(|failed| failed.error)
    }
}

impl Write for Temporary {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Seek for Temporary {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.file.seek(to)
    }
}
