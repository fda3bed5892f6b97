//! Targets: workbooks are written beside the place where they will stand, synced, and then put there in one step.

use crate::failure::{Failure, Result};
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// A file that will stand at a path once it is complete; until then, and if anything fails, nothing is there.
pub(crate) struct Target {
    path: PathBuf,
    file: BufWriter<NamedTempFile>,
    after: After,
}

/// What becomes of what stands at the path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum After {
    /// Nothing may stand there.
    Absent,
    /// It is kept, to be had back.
    Kept,
    /// It is lost.
    Gone,
}

impl Target {
    /// Begins a new file at `path`, which must not exist.
    pub(crate) fn create(path: &Path) -> Result<Self> {
        check_absent(path)?;
        Self::begin(path, After::Absent)
    }

    /// Begins what is to replace the workbook at `path`; a link is followed, permissions are kept.
    pub(crate) fn over(path: &Path) -> Result<Self> {
        Self::in_place_of(path, After::Kept)
    }

    /// As [`Self::over`], but what stood there is not kept.
    pub(crate) fn back(path: &Path) -> Result<Self> {
        Self::in_place_of(path, After::Gone)
    }

    fn in_place_of(path: &Path, after: After) -> Result<Self> {
        let failed = |e: io::Error| Failure::io(path, "replace it", &e).leaving("it was left as it is");
        let path = std::fs::canonicalize(path).map_err(failed)?;
        let about = std::fs::metadata(&path).map_err(failed)?;
        if about.permissions().readonly() {
            return Err(Failure::unreadable(format!("{}: it may not be written to", path.display()))
                .leaving("it was left as it is"));
        }
        let target = Self::begin(&path, after)?;
        let file = target.file.get_ref().as_file();
        file.set_permissions(about.permissions()).map_err(failed)?;
        Ok(target)
    }

    fn begin(path: &Path, after: After) -> Result<Self> {
        let folder = folder_of(path);
        let mut builder = tempfile::Builder::new();
        let prefix = crate::safety::unfinished_prefix(path);
        builder.prefix(&prefix).suffix(".tmp");
        #[cfg(unix)]
        {
            // Not private as temporary files are: the process's mask decides, as for any new file.
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let file = builder
            .tempfile_in(folder)
            .map_err(|error| Failure::io(folder, "write into the folder", &error).leaving(untouched(path)))?;
        Ok(Self { path: path.to_owned(), file: BufWriter::with_capacity(256 * 1024, file), after })
    }

    /// Puts the complete file in its place.
    pub(crate) fn commit(self) -> Result<()> {
        let path = self.path;
        let failed = |error: &io::Error| Failure::io(&path, "write it", error).leaving(untouched(&path));
        let file = self.file.into_inner().map_err(|error| failed(error.error()))?;
        file.as_file().sync_all().map_err(|error| failed(&error))?;
        if self.after != After::Absent {
            if self.after == After::Kept {
                crate::safety::keep(&path, file.path())?;
            }
            file.persist(&path).map_err(|error| failed(&error.error))?;
            return Ok(());
        }
        file.persist_noclobber(&path).map_err(|error| match error.error.kind() {
            io::ErrorKind::AlreadyExists => exists(&path),
            _ => failed(&error.error),
        })?;
        Ok(())
    }
}

impl Write for Target {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

impl Seek for Target {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.file.seek(to)
    }
}

/// The folder that holds `path`.
pub(crate) fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

fn untouched(path: &Path) -> String {
    format!("nothing was written at {}", path.display())
}

fn exists(path: &Path) -> Failure {
    Failure::protected(format!("{}: the workbook is there already", path.display()))
        .leaving("it was left as it is")
        .help("choose another name with --into, or move the old workbook away")
}

/// Fails if something stands at `path`, or its folder is missing: asked before long work begins.
pub(crate) fn check_absent(path: &Path) -> Result<()> {
    let folder = folder_of(path);
    if path.symlink_metadata().is_ok() {
        return Err(exists(path));
    }
    match std::fs::metadata(folder) {
        Ok(found) if found.is_dir() => Ok(()),
        Ok(_) => {
            Err(Failure::unreadable(format!("{}: it is not a folder", folder.display()))
                .leaving(untouched(path)))
        }
        Err(error) => {
            Err(Failure::io(folder, "open the folder", &error).leaving(untouched(path)).help(format!(
                "make the folder first: mkdir -p {}",
                crate::render::command::quoted(&folder.display().to_string())
            )))
        }
    }
}
