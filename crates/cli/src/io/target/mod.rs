//! Targets: workbooks are written beside the place where they will stand, synced, and then put there in one step.

mod attributes;

use crate::failure::{Failure, Result};
use crate::io::disk::{self, Temporary};
use crate::io::identity::Identity;
use crate::wording;
use incola_workbook::ExistingBook;
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// A file that will stand at a path once it is complete; until then, and if anything fails, nothing is there.
pub(crate) struct Target {
    path: PathBuf,
    file: BufWriter<Temporary>,
    after: After,
    /// Which file stood at the path when it was opened.
    stood: Option<Identity>,
    /// What of the file that stood there could not be given to the new one.
    not_kept: Vec<String>,
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

    /// Begins what is to replace the workbook at `path`, which was `stood` when it was opened; a link is followed. Owner, group,
    /// permissions and attributes stay, where they may be given.
    pub(crate) fn over(path: &Path, stood: Identity) -> Result<Self> {
        Self::in_place_of(path, After::Kept, stood)
    }

    /// As [`Self::over`], but what stood there is not kept.
    pub(crate) fn back(path: &Path, stood: Identity) -> Result<Self> {
        Self::in_place_of(path, After::Gone, stood)
    }

    fn in_place_of(path: &Path, after: After, stood: Identity) -> Result<Self> {
        let failed = |e: io::Error| Failure::io(path, "replace it", &e).leaving("it was not changed");
        let path = disk::canonicalize(path).map_err(failed)?;
        let about = disk::metadata(&path).map_err(failed)?;
        if about.permissions().readonly() {
            return Err(Failure::unreadable(format!("{}: it may not be written to", path.display()))
                .leaving("it was not changed"));
        }
        let mut target = Self::begin(&path, after)?;
        target.stood = Some(stood);
        let file = target.file.get_ref().file();
        target.not_kept = attributes::give(&path, &about, file).map_err(failed)?;
        Ok(target)
    }

    fn begin(path: &Path, after: After) -> Result<Self> {
        let folder = folder_of(path);
        let prefix = crate::state::unfinished_prefix(path);
        // One that stands nowhere yet is not private, as temporary files are.
        let file = Temporary::named(folder, &prefix, ".tmp", after == After::Absent)
            .map_err(|error| Failure::io(folder, "write into the folder", &error).leaving(untouched(path)))?;
        // While it is locked nobody removes it.
        let _ = file.file().try_lock();
        let file = BufWriter::with_capacity(256 * 1024, file);
        Ok(Self { path: path.to_owned(), file, after, stood: None, not_kept: Vec::new() })
    }

    /// The same place, begun anew: for what is made of the file that was written here.
    pub(crate) fn anew(&self) -> Result<Self> {
        match self.stood {
            Some(stood) => Self::in_place_of(&self.path, self.after, stood),
            None => Self::begin(&self.path, self.after),
        }
    }

    /// The complete workbook, read again before it is put in its place.
    pub(crate) fn read_again(&mut self) -> Result<ExistingBook> {
        let path = self.path.clone();
        let failed = |error: &io::Error| Failure::io(&path, "read it again", error).leaving(untouched(&path));
        self.file.flush().map_err(|error| failed(&error))?;
        let file = self.file.get_ref().file().try_clone().map_err(|error| failed(&error))?;
        ExistingBook::open(Box::new(file)).map_err(|error| {
            let what = format!("{}, read again when it was finished: {error}", path.display());
            wording::stop::faulty(Failure::protected(what))
        })
    }

    /// Puts the complete file in its place.
    pub(crate) fn commit(self) -> Result<()> {
        let path = self.path;
        let failed = |error: &io::Error| Failure::io(&path, "write it", error).leaving(untouched(&path));
        let file = self.file.into_inner().map_err(|error| failed(error.error()))?;
        file.file().sync().map_err(|error| failed(&error))?;
        let folder = folder_of(&path).to_owned();
        if let Some(stood) = self.stood {
            let pending = match self.after {
                After::Kept => Some(crate::state::prepare(&path, file.path())?),
                _ => None,
            };
            replace(file, &path, stood)?;
            if let Some(pending) = pending {
                pending.took_effect();
            }
            for what in &self.not_kept {
                crate::output::note(&format!("{}: {what}", path.display()));
            }
        } else {
            file.persist_if_free(&path).map_err(|error| match error.kind() {
                io::ErrorKind::AlreadyExists => exists(&path),
                _ => failed(&error),
            })?;
        }
        // The workbook stands in its place; that it still does after the power fails is asked of the folder.
        let _ = disk::sync_folder(&folder);
        Ok(())
    }
}

/// Puts a file in place of the one that stood at `path`, unless someone saved that in the meantime.
fn replace(file: Temporary, path: &Path, stood: Identity) -> Result<()> {
    let is_as_it_was = |at: &Path| Identity::at(at).is_ok_and(|now| now == stood);
    if !is_as_it_was(path) {
        return Err(saved_since(path));
    }
    // Where the system can do so, both change places in one step: what stood there last is looked at once more.
    #[cfg(target_os = "linux")]
    {
        let exchange = || disk::exchange(file.path(), path);
        if exchange().is_ok() {
            if is_as_it_was(file.path()) {
                // What stood there goes with the temporary name.
                return Ok(());
            }
            exchange().map_err(|error| {
                let was = file.path().display().to_string();
                Failure::io(path, &format!("put back what someone else saved, which is {was}"), &error)
            })?;
            return Err(saved_since(path));
        }
    }
    file.persist(path).map_err(|error| Failure::io(path, "write it", &error).leaving(untouched(path)))
}

fn saved_since(path: &Path) -> Failure {
    Failure::protected(format!("{}: someone else saved it in the meantime", path.display()))
        .leaving("it is as they saved it")
        .help("do this again: their changes are read then")
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
    Failure::protected(format!("{}: the workbook exists already", path.display()))
        .leaving("it was not changed")
        .help("choose another name with --into, or move the old workbook away")
}

/// Fails if something stands at `path`, or its folder is missing: asked before long work begins.
pub(crate) fn check_absent(path: &Path) -> Result<()> {
    if !disk::is_free(path) {
        return Err(exists(path));
    }
    check_folder(folder_of(path), path)
}

/// Fails if the folder that `path` is to stand in is missing.
pub(crate) fn check_folder(folder: &Path, path: &Path) -> Result<()> {
    match disk::metadata(folder) {
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

#[cfg(test)]
#[allow(clippy::disallowed_methods, reason = "a test makes its own files")]
mod tests {
    use super::*;
    use std::fs;

    fn target(path: &Path) -> Target {
        let mut target = Target::back(path, Identity::at(path).unwrap()).unwrap();
        target.write_all(b"ours").unwrap();
        target
    }

    #[test]
    fn what_someone_else_saved_is_not_overwritten() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("book.xlsx");
        let saves: [&dyn Fn(); 3] = [
            // As most programs save: another file is put in its place; or the file itself is written into.
            &|| {
                fs::write(folder.path().join("new"), "theirs").unwrap();
                fs::rename(folder.path().join("new"), &path).unwrap();
            },
            &|| fs::write(&path, "theirs").unwrap(),
            &|| fs::remove_file(&path).unwrap(),
        ];
        for save in saves {
            fs::write(&path, "old one").unwrap();
            let target = target(&path);
            save();
            let failure = target.commit().unwrap_err();
            assert!(failure.to_string().contains("someone else saved it in the meantime"), "{failure}");
            assert!(fs::read(&path).map_or(true, |bytes| bytes == b"theirs"), "theirs stays");
            assert_eq!(fs::read_dir(folder.path()).unwrap().count(), usize::from(path.exists()));
        }
        fs::write(&path, "old one").unwrap();
        target(&path).commit().unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"ours");
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1, "nothing is left over");
    }

    #[test]
    fn files_that_are_being_written_are_not_removed() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("book.xlsx");
        fs::write(&path, "old one").unwrap();
        let target = target(&path);
        let left = folder.path().join(format!("{}left.tmp", crate::state::unfinished_prefix(&path)));
        fs::write(&left, "of a run that was killed").unwrap();
        crate::state::remove_unfinished(&path);
        assert!(!left.exists());
        target.commit().unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"ours");
    }
}
