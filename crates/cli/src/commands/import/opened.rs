//! The workbook that is written: a new one, or one that is there.

use crate::failure::{Failure, Result};
use crate::io::book_file::{check_changeable, not_changed, open_book};
use crate::io::identity::Identity;
use crate::io::target::{self, Target};
use crate::links::make::NewLink;
use crate::render::command::quoted;
use crate::state::appended::Appended;
use crate::state::{self, Lock};
use incola_workbook::{BookWriter, ExistingBook, Grown, sheet_name};
use std::path::Path;

/// A workbook that something goes into.
pub(super) struct Opened {
    /// `None`: nothing is written.
    pub(super) writer: Option<BookWriter<Target>>,
    /// The sheets that are there.
    pub(super) sheet_names: Vec<String>,
    /// Names that a new table must not have.
    pub(super) taken_names: Vec<String>,
    /// Whether it counts its days from 1904.
    pub(super) from_1904: bool,
    /// Whether it was there.
    pub(super) existed: bool,
    /// Links that stand in it once it is written.
    pub(super) links: Vec<NewLink>,
    /// Files that are appended to its tables.
    pub(super) appended: Vec<Appended>,
    /// Rows that became more, and what elsewhere ended with them is to go on.
    pub(super) grown: Vec<Grown>,
    /// Tables whose rows are replaced, by sheet.
    pub(super) replaced: Vec<(String, Option<String>)>,
    /// The workbook that is there, if nothing is written.
    unwritten: Option<ExistingBook>,
    _lock: Lock,
}

impl Opened {
    /// Opens the workbook at `path`, or begins a new one.
    pub(super) fn at(path: &Path, dry_run: bool, even_signed: bool) -> Result<Self> {
        let lock = state::lock_and_clear(path)?;
        if !is_there(path)? {
            let writer = if dry_run { None } else { Some(BookWriter::new(Target::create(path)?)) };
            return Ok(Self {
                writer,
                sheet_names: Vec::new(),
                taken_names: Vec::new(),
                from_1904: false,
                existed: false,
                links: Vec::new(),
                appended: Vec::new(),
                grown: Vec::new(),
                replaced: Vec::new(),
                unwritten: None,
                _lock: lock,
            });
        }
        let (existing, stood) = open_existing(path, even_signed)?;
        let mut opened = Self {
            writer: None,
            sheet_names: existing.sheet_names(),
            taken_names: existing.taken_names().to_vec(),
            from_1904: existing.is_1904(),
            existed: true,
            links: Vec::new(),
            appended: Vec::new(),
            grown: Vec::new(),
            replaced: Vec::new(),
            unwritten: None,
            _lock: lock,
        };
        if dry_run {
            opened.unwritten = Some(existing);
        } else {
            let writer = BookWriter::over(existing, Target::over(path, stood)?);
            opened.writer = Some(writer.map_err(|e| elsewhere(not_changed(path, &e)))?);
        }
        Ok(opened)
    }

    /// The key of the link that was made last, if it is one of that sheet.
    pub(super) fn key_of_last(&self, sheet: &str) -> Option<Vec<String>> {
        let last = self.links.last().filter(|new| new.link.table.sheet == sheet)?;
        Some(last.link.table.key.clone())
    }

    /// Whether the text of the link that was made last, if it is one of that sheet, can be written again.
    pub(super) fn comes_back(&self, sheet: &str) -> Option<bool> {
        let last = self.links.last().filter(|new| new.link.table.sheet == sheet)?;
        Some(last.link.form.is_some())
    }

    /// The workbook that is there.
    pub(super) fn existing(&mut self) -> Option<&mut ExistingBook> {
        match &mut self.writer {
            Some(writer) => writer.existing(),
            None => self.unwritten.as_mut(),
        }
    }

    /// The code of the number format of one of its cell formats.
    pub(super) fn number_format_of(&self, cell_format: u32) -> String {
        match (&self.writer, &self.unwritten) {
            (Some(writer), _) => writer.number_format_of(cell_format),
            (None, Some(existing)) => existing.number_format_of(cell_format),
            _ => "General".into(),
        }
    }

    /// The sheet of that name, from 0.
    pub(super) fn sheet(&self, name: &str) -> Option<usize> {
        self.sheet_names.iter().position(|n| n.to_lowercase() == name.to_lowercase())
    }

    /// Fails if the workbook has a sheet of that name.
    pub(super) fn check_free(&self, path: &Path, name: &str) -> Result<()> {
        if self.sheet(name).is_none() {
            return Ok(());
        }
        let free = sheet_name::legal(name, &self.sheet_names);
        Err(Failure::protected(format!("{}: it has a sheet \u{201c}{name}\u{201d} already", path.display()))
            .leaving("it was not changed")
            .help(format!("choose another name: --sheet {}", quoted(&free)))
            .help(format!(
                "or put the rows into that sheet: --sheet {} --mode append, or --mode replace",
                quoted(name)
            )))
    }
}

/// Whether something stands at `path`; where that cannot be found out, nothing is taken for granted.
fn is_there(path: &Path) -> Result<bool> {
    path.try_exists().map_err(|e| Failure::io(path, "look for it", &e).leaving("nothing was written"))
}

/// Fails if nothing can be written at `path`: before long work begins.
pub(super) fn check_place(path: &Path, even_signed: bool) -> Result<()> {
    if is_there(path)? { open_existing(path, even_signed).map(|_| ()) } else { target::check_absent(path) }
}

/// Where rows can go instead.
fn elsewhere(failure: Failure) -> Failure {
    failure.help("choose another workbook with --into")
}

/// The workbook at `path`, to add to.
fn open_existing(path: &Path, even_signed: bool) -> Result<(ExistingBook, Identity)> {
    let (existing, stood) = open_book(path).map_err(elsewhere)?;
    check_changeable(path, existing.obstacle(), even_signed).map_err(elsewhere)?;
    Ok((existing, stood))
}
