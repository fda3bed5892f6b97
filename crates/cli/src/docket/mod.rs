//! Dockets on disk: found by themselves or named, obeyed, and drafted.

pub(crate) mod draft;
pub(crate) mod reference;
pub(crate) mod save;
pub(crate) mod shape;
pub(crate) mod tabular;

use crate::failure::{Failure, Result};
use crate::flags::read::Read;
use crate::io::disk::{self, Temporary};
use crate::io::target::folder_of;
use crate::io::web::file_name;
use crate::render::command::quoted;
use crate::state::config_folder;
use incola_core::settings::docket::{BadDocket, Docket, MOST_BYTES};
use incola_engine::link::is_address;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// What the names of dockets end with.
pub(crate) const ENDING: &str = ".docket.toml";

/// Lets everyone read a new docket, as any file of the user.
///
/// # Errors
/// If the system refuses.
pub(crate) fn open_to_others(file: &Temporary) -> std::io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        file.file().set_permissions(std::fs::Permissions::from_mode(0o644))?;
    }
    #[cfg(not(unix))]
    let _ = file;
    Ok(())
}

/// A docket and its file.
#[derive(Clone, Debug)]
pub(crate) struct DocketFile {
    pub(crate) path: PathBuf,
    pub(crate) docket: Docket,
    /// What a file of the W3C's metadata says besides, which is not obeyed.
    pub(crate) unread: Vec<String>,
}

impl DocketFile {
    /// Reads the docket at `path`.
    ///
    /// # Errors
    /// Status 3 if it cannot be read, 2 if it is wrong, with line and character.
    pub(crate) fn read(path: &Path) -> Result<Self> {
        let failed = |e: std::io::Error| Failure::io(path, "read it", &e).leaving("nothing was written");
        let about = disk::metadata(path).map_err(failed)?;
        let shown = path.display();
        if about.len() > MOST_BYTES {
            return Err(Failure::usage(format!(
                "{shown}: a docket of {} bytes; one has at most {MOST_BYTES}",
                about.len()
            ))
            .leaving("nothing was written"));
        }
        let bytes = disk::read(path).map_err(failed)?;
        let text = match String::from_utf8(bytes) {
            Ok(text) => text,
            Err(error) => {
                let good = &error.as_bytes()[..error.utf8_error().valid_up_to()];
                let line = memchr::memchr_iter(b'\n', good).count() + 1;
                return Err(Failure::usage(format!("{shown}:{line}: it is not UTF-8, which dockets are in"))
                    .leaving("nothing was written")
                    .help("save it as UTF-8 in the editor"));
            }
        };
        let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
        if path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json")) {
            let (docket, unread) = tabular::read(path, text)?;
            return Ok(Self { path: path.to_owned(), docket, unread });
        }
        match Docket::read(text) {
            Ok(docket) => Ok(Self { path: path.to_owned(), docket, unread: Vec::new() }),
            Err(BadDocket { line, position, why, instead }) => {
                let line = line.map_or_else(String::new, |n| format!(":{n}"));
                let position = position.map_or_else(String::new, |n| format!(":{n}"));
                let mut failure =
                    Failure::usage(format!("{shown}{line}{position}: {why}")).leaving("nothing was written");
                if let Some(instead) = instead {
                    failure = failure.help(format!("perhaps: {instead}"));
                }
                Err(failure)
            }
        }
    }

    /// Its name without the ending.
    pub(crate) fn name(&self) -> String {
        let name = self.path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        name.strip_suffix(ENDING).unwrap_or(&name).to_owned()
    }
}

/// The folders in which dockets are looked for: that of the source, that of the workbook, the user's own.
pub(crate) fn folders(source: Option<&Path>, book: Option<&Path>) -> Vec<PathBuf> {
    let near = [source, book].into_iter().flatten().map(|p| folder_of(p).to_owned());
    let mut folders: Vec<PathBuf> = Vec::new();
    for folder in near.chain(config_folder().map(|folder| folder.join("dockets"))) {
        let real = disk::canonicalize(&folder).unwrap_or_else(|_| folder.clone());
        let is_known = |known: &PathBuf| disk::canonicalize(known).is_ok_and(|k| k == real);
        if !folders.iter().any(is_known) {
            folders.push(folder);
        }
    }
    folders
}

/// The files in folders that are dockets, in the order of their names.
pub(crate) fn files_in(folders: &[PathBuf]) -> Vec<PathBuf> {
    folders.iter().flat_map(|folder| files_of(folder)).collect()
}

fn files_of(folder: &Path) -> Vec<PathBuf> {
    let names = disk::names_in(folder).unwrap_or_default();
    let mut own: Vec<PathBuf> = names
        .iter()
        .filter(|name| name.as_encoded_bytes().ends_with(ENDING.as_bytes()))
        .map(|name| folder.join(name))
        .filter(|p| disk::is_file(p))
        .collect();
    own.sort();
    own.into_iter().map(|p| p.strip_prefix(".").map(Path::to_owned).unwrap_or(p)).collect()
}

/// Dockets that were looked for once: of many sources in a folder each asks for the same.
#[derive(Debug, Default)]
pub(crate) struct Shelf {
    folders: HashMap<PathBuf, Vec<PathBuf>>,
    files: HashMap<PathBuf, DocketFile>,
}

impl Shelf {
    fn files_in(&mut self, folder: &Path) -> Vec<PathBuf> {
        if let Some(known) = self.folders.get(folder) {
            return known.clone();
        }
        self.folders.entry(folder.to_owned()).or_insert_with(|| files_of(folder)).clone()
    }

    fn read(&mut self, path: &Path) -> Result<&DocketFile> {
        if !self.files.contains_key(path) {
            self.files.insert(path.to_owned(), DocketFile::read(path)?);
        }
        Ok(&self.files[path])
    }
}

/// The docket for a source: the one that is named, or the one that is for files of that name.
///
/// # Errors
/// Status 4 if several are.
pub(crate) fn find(read: &Read, source: &str, book: Option<&Path>) -> Result<Option<DocketFile>> {
    find_on(&mut Shelf::default(), read, source, book)
}

/// The same, where many sources are looked for.
pub(crate) fn find_on(
    shelf: &mut Shelf,
    read: &Read,
    source: &str,
    book: Option<&Path>,
) -> Result<Option<DocketFile>> {
    if read.no_docket {
        return Ok(None);
    }
    let path = (source != "-" && !is_address(source)).then(|| Path::new(source));
    let folders = folders(path, book);
    if let Some(named) = &read.docket {
        if disk::is_file(Path::new(named)) {
            return DocketFile::read(Path::new(named)).map(Some);
        }
        let mut places = folders.iter().map(|folder| folder.join(format!("{named}{ENDING}")));
        if let Some(place) = places.find(|place| disk::is_file(place)) {
            return DocketFile::read(&place).map(Some);
        }
        let known = files_in(&folders);
        let names: Vec<String> = known.iter().filter_map(|p| Some(name_of(p)?.to_owned())).collect();
        let failure = Failure::usage(format!("--docket {}: there is no docket of that name", quoted(named)))
            .leaving("nothing was written");
        return Err(if names.is_empty() {
            failure.help(format!("make one: incola docket draft {} -o NAME{ENDING}", quoted(source)))
        } else {
            failure.help(format!("there are: {}", names.join(", ")))
        });
    }
    let file = path.and_then(Path::file_name).map(|n| n.to_string_lossy().into_owned());
    let file = if is_address(source) { Some(file_name(source).to_owned()) } else { file };
    let Some(file) = file else {
        return Ok(None);
    };
    let mut fitting: Vec<DocketFile> = Vec::new();
    for place in folders.iter().flat_map(|folder| shelf.files_in(folder)).collect::<Vec<_>>() {
        let found = shelf
            .read(&place)
            .map_err(|failure| failure.help("correct it, or ignore dockets with --no-docket"))?;
        if found.docket.is_for(&file) {
            fitting.push(found.clone());
        }
    }
    match fitting.len() {
        0 | 1 => Ok(fitting.pop()),
        _ => {
            let list: Vec<String> = fitting
                .iter()
                .map(|d| format!("\n  {} is for {}", d.path.display(), d.docket.matches.files.join(", ")))
                .collect();
            let first = fitting[0].path.display().to_string();
            Err(Failure::protected(format!("{source}: several dockets are for it{}", list.concat()))
                .leaving("nothing was written")
                .help(format!("choose one: --docket {}", quoted(&first)))
                .help("or read it without: --no-docket"))
        }
    }
}

fn name_of(path: &Path) -> Option<&str> {
    path.file_name()?.to_str()?.strip_suffix(ENDING)
}
