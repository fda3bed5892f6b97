//! A file that is open.

use super::{Call, before};
use std::fs::{self, Metadata, Permissions, TryLockError};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::Path;
#[cfg(test)]
use std::path::PathBuf;
use std::time::SystemTime;

/// A file that is open, to be read or written.
#[derive(Debug)]
pub(crate) struct File {
    file: fs::File,
    /// Where it was opened: tests choose by it which calls fail.
    #[cfg(test)]
    path: PathBuf,
}

impl File {
    /// A file that was opened at `path`.
    pub(super) fn of(file: fs::File, path: &Path) -> Self {
        let _ = path;
        Self {
            file,
            #[cfg(test)]
            path: path.to_owned(),
        }
    }

    /// Opens a file to read it.
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        before(Call::Open, path)?;
        fs::File::open(path).map(|file| Self::of(file, path))
    }

    /// A file without a name, in a folder: it goes with the process.
    pub(crate) fn unnamed(folder: &Path) -> io::Result<Self> {
        before(Call::Open, folder)?;
        tempfile::tempfile_in(folder).map(|file| Self::of(file, folder))
    }

    #[cfg(test)]
    fn before(&self, call: Call) -> io::Result<()> {
        before(call, &self.path)
    }

    #[cfg(not(test))]
    #[inline]
    #[allow(clippy::unused_self, reason = "in tests its path is looked at")]
    fn before(&self, call: Call) -> io::Result<()> {
        before(call, Path::new(""))
    }

    /// What the disk knows of it.
    pub(crate) fn metadata(&self) -> io::Result<Metadata> {
        self.before(Call::Look)?;
        self.file.metadata()
    }

    /// The same file once more, with the same position.
    pub(crate) fn try_clone(&self) -> io::Result<Self> {
        self.before(Call::Open)?;
        let file = self.file.try_clone()?;
        Ok(Self {
            file,
            #[cfg(test)]
            path: self.path.clone(),
        })
    }

    /// Locks it, unless someone else has.
    pub(crate) fn try_lock(&self) -> Result<(), TryLockError> {
        self.before(Call::Lock).map_err(TryLockError::Error)?;
        self.file.try_lock()
    }

    /// Asks that what was written is on the disk.
    pub(crate) fn sync(&self) -> io::Result<()> {
        self.before(Call::Sync)?;
        // Tests do it thousands of times, and look at nothing that needs it.
        if cfg!(test) { Ok(()) } else { self.file.sync_all() }
    }

    /// Cuts it off, or fills it up.
    pub(crate) fn set_len(&self, bytes: u64) -> io::Result<()> {
        self.before(Call::Set)?;
        self.file.set_len(bytes)
    }

    /// Says when it was changed last.
    pub(crate) fn set_modified(&self, time: SystemTime) -> io::Result<()> {
        self.before(Call::Set)?;
        self.file.set_modified(time)
    }

    /// Gives it permissions.
    pub(crate) fn set_permissions(&self, permissions: Permissions) -> io::Result<()> {
        self.before(Call::Set)?;
        self.file.set_permissions(permissions)
    }

    /// Copies what comes from its position on to the end of another; the system may share it.
    pub(crate) fn copy_to(&self, out: &Self) -> io::Result<u64> {
        again(|| {
            self.before(Call::Read)?;
            out.before(Call::Write)
        })?;
        io::copy(&mut &self.file, &mut &out.file)
    }

    /// The system's own, for what only the system has words for.
    #[cfg(unix)]
    pub(crate) fn own(&self) -> &fs::File {
        &self.file
    }
}

/// Asks once more where a signal came in between: that is no failure of the disk.
fn again<T>(mut ask: impl FnMut() -> io::Result<T>) -> io::Result<T> {
    loop {
        match ask() {
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            done => return done,
        }
    }
}

impl Read for &File {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        again(|| {
            self.before(Call::Read)?;
            (&self.file).read(buffer)
        })
    }
}

impl Read for File {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        (&*self).read(buffer)
    }
}

impl Write for &File {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        again(|| {
            self.before(Call::Write)?;
            (&self.file).write(bytes)
        })
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Write for File {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        (&*self).write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Seek for &File {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.before(Call::Seek)?;
        (&self.file).seek(to)
    }
}

impl Seek for File {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        (&*self).seek(to)
    }
}
