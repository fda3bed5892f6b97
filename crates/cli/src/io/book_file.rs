//! A workbook that is there: opened, or refused with a reason.

use crate::failure::{Failure, Result};
use crate::io::disk::File;
use crate::io::identity::Identity;
use crate::io::target::Target;
use crate::render::command::quoted;
use crate::wording;
use incola_engine::tally::SheetRows;
use incola_workbook::{ExistingBook, Grown, Obstacle, Referrer, follow};
use std::io::Read;
use std::path::Path;

/// Whether the file at `path` is a package, by what it begins with, and has the ending of a workbook.
pub(crate) fn is_book(path: &Path) -> bool {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    let begins_as_one = || -> std::io::Result<bool> {
        let mut start = [0; 4];
        File::open(path)?.read_exact(&mut start)?;
        Ok(start == *b"PK\x03\x04" || start == *b"\xD0\xCF\x11\xE0")
    };
    matches!(ending.as_str(), "xlsx" | "xlsm") && begins_as_one().unwrap_or(false)
}

/// The workbook at `path`, to look at.
pub(crate) fn read_book(path: &Path) -> Result<ExistingBook> {
    open_book(path).map(|(book, _)| book)
}

/// The workbook at `path`, to change it, and which file it was.
pub(crate) fn open_book(path: &Path) -> Result<(ExistingBook, Identity)> {
    let failed = |e: &std::io::Error| Failure::io(path, "read it", e);
    let mut file = File::open(path).map_err(|e| failed(&e))?;
    let identity = Identity::of_open(&file).map_err(|e| failed(&e))?;
    let mut start = [0; 8];
    let read = file.read(&mut start).map_err(|e| failed(&e))?;
    if start[..read].starts_with(b"\xD0\xCF\x11\xE0") {
        return Err(Failure::unreadable(format!(
            "{}: it is encrypted, or an old binary workbook",
            path.display()
        ))
        .leaving("it was not changed")
        .help("open it in the program it comes from and save it as .xlsx, without a password"));
    }
    let book = ExistingBook::open(Box::new(file)).map_err(|error| not_changed(path, &error))?;
    Ok((book, identity))
}

/// The sheet of a workbook that is meant, from 0; of a workbook with one sheet, that one.
pub(crate) fn sheet_meant(path: &Path, names: &[String], wanted: Option<&str>) -> Result<usize> {
    let shown = path.display();
    let failure = match wanted {
        None if names.len() == 1 => return Ok(0),
        None => Failure::usage(format!("{shown}: it has several sheets"))
            .help(format!("say which one: --sheet; there are {}", names.join(", "))),
        Some(wanted) => {
            if let Some(at) = names.iter().position(|name| name.to_lowercase() == wanted.to_lowercase()) {
                return Ok(at);
            }
            Failure::usage(format!("--sheet {}: {shown} has no such sheet", quoted(wanted)))
                .help(format!("there are {}", names.join(", ")))
        }
    };
    Err(failure)
}

/// The tables of a workbook, and the rows of sheets that have none: of the sheet that is wanted, or of all of them.
pub(crate) fn rows_meant(
    path: &Path,
    book: &mut ExistingBook,
    wanted: Option<&str>,
) -> Result<Vec<SheetRows>> {
    let names = book.sheet_names();
    let sheets = match wanted {
        Some(_) => vec![sheet_meant(path, &names, wanted)?],
        None => (0..names.len()).filter(|n| book.has_cells(*n)).collect(),
    };
    let mut found = Vec::new();
    for n in sheets {
        found.extend(SheetRows::of(book, n)?);
    }
    Ok(found)
}

/// Why one of several tables must be named.
pub(crate) fn several_tables(path: &Path, book: &ExistingBook, found: &[SheetRows]) -> Failure {
    let names = book.sheet_names();
    let table = |rows: &SheetRows| match &rows.table {
        Some(table) => format!("sheet {}, table {table}", names[rows.sheet]),
        None => format!("sheet {}", names[rows.sheet]),
    };
    let tables: Vec<String> = found.iter().map(table).collect();
    Failure::usage(format!("{}: there are several tables: {}", path.display(), tables.join("; ")))
}

/// The failure of a workbook that is not to be changed.
pub(crate) fn not_changed(path: &Path, error: &incola_workbook::Error) -> Failure {
    let what = format!("{}: {error}", path.display());
    match error {
        incola_workbook::Error::Refused(_) => Failure::protected(what),
        _ => Failure::unreadable(what),
    }
    .leaving("it was not changed")
}

/// Fails if a workbook is not to be changed, by what stands against it.
pub(crate) fn check_changeable(path: &Path, obstacle: Option<Obstacle>, even_signed: bool) -> Result<()> {
    let why = match obstacle {
        None => return Ok(()),
        Some(Obstacle::Signed) if even_signed => return Ok(()),
        Some(Obstacle::Signed) => "it is signed, and any change would break the signature",
        Some(Obstacle::Tracked) => "its changes are tracked, and this one would not be",
        Some(Obstacle::Protected) => {
            "its structure is protected: its owner wants no sheet added; unprotect it first"
        }
    };
    let failure = Failure::protected(format!("{}: {why}", path.display())).leaving("it was not changed");
    Err(if obstacle == Some(Obstacle::Signed) {
        failure.help("to change it anyway: --even-signed with import or refresh")
    } else {
        failure
    })
}

/// A finished workbook with everything taken along that ended with rows which became more, and what that was.
pub(crate) fn taking_along(mut target: Target, grown: &[Grown]) -> Result<(Target, Vec<Referrer>)> {
    let book = target.read_again()?;
    let anew = target.anew()?;
    follow(book, anew, grown).map_err(|error| wording::stop::not_written(&error))
}
