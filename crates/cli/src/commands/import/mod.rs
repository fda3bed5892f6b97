//! `incola import`

mod apart;
mod item;
mod opened;
mod rows;
mod sheet;
mod together;

use crate::docket::{self, shape};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Import;
use crate::flags::options;
use crate::folder;
use crate::links;
use crate::output::{print, report};
use crate::passes::survey::{LineRange, Surveyed, survey};
use crate::placeholders;
use crate::questions::{self, Asker};
use crate::render;
use crate::safety;
use crate::source::{Source, is_address};
use crate::target;
use crate::web::Version;
use incola_core::reading;
use item::{Book, Item, check_limits, names_of};
use opened::check_place;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};

/// Imports sources into workbooks.
pub(crate) fn run(options: &Import) -> Result<ExitCode> {
    // Mistakes in what was typed are told before anything is read.
    options::choices(&options.read)?;
    check_ending(&options.into)?;
    if !placeholders::any(&options.into.to_string_lossy()) {
        check_place(&options.into, options.even_signed)?;
    }
    let folder = target::folder_of(&options.into);
    let spool_folder = if folder.is_dir() { folder.to_owned() } else { std::env::temp_dir() };
    let mut code = ExitCode::Done;
    let mut books: Vec<Book> = Vec::new();
    for name in &folder::expand(&options.sources)? {
        match prepare(options, name, &spool_folder) {
            Ok((book, item)) => match books.iter_mut().find(|b: &&mut Book| b.path == book) {
                Some(known) => known.items.push(item),
                None => books.push(Book { path: book, items: vec![item] }),
            },
            Err(failure) if options.together || failure.status == ExitCode::Interrupted => {
                return Err(failure);
            }
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    let mut receipts = Vec::new();
    for book in &books {
        let done = if options.together {
            together::import(book).map(|receipt| (receipt, ExitCode::Done))
        } else {
            apart::import(options, book)
        };
        match done {
            Ok((receipt, failed)) => {
                code = code.max(receipt.status()).max(failed);
                receipts.push(receipt);
            }
            Err(failure) if books.len() == 1 || failure.status == ExitCode::Interrupted => {
                return Err(failure);
            }
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if options.json {
        let receipts: Vec<_> = receipts.iter().map(render::receipt_json::receipt).collect();
        print(&render::json_text(&receipts))?;
    } else if !receipts.is_empty() {
        let again = render::command::again(options);
        print(&format!("{}\nThe same again:\n  {again}\n", render::receipt::pages(&receipts)))?;
    }
    Ok(code)
}

/// Reads a source as far as it is needed before something is written: also gives the workbook that it goes into.
fn prepare(options: &Import, name: &str, spool_folder: &Path) -> Result<(PathBuf, Item)> {
    let docket = docket::find(&options.read, name, Some(&options.into))?;
    let source = match docket.as_ref().filter(|_| is_address(name)) {
        Some(file) => {
            let answer = Source::fetch(name, &file.docket.request, &Version::default(), spool_folder)?;
            answer.ok_or_else(|| Failure::unreadable(format!("{name}: nothing came")))?
        }
        None => Source::open(name, spool_folder)?,
    };
    let (choices, lines) = docket::apply::choices(&options.read, docket.as_ref())?;
    let options = docket::apply::placing(options, docket.as_ref());
    let surveyed = survey(&source, &choices, lines)?;
    let mut surveyed = settle(&options, &source, surveyed, &choices, lines)?;
    let changes = docket.as_ref().map(|file| -> Result<_> {
        let (typed, _) = options::choices(&options.read)?;
        Ok(shape::changes(&surveyed, &typed, file))
    });
    let changes = changes.transpose()?.flatten();
    let shape = shape::shape(&mut surveyed.reading, docket.as_ref(), name)?;
    surveyed.reading.notices.extend(changes);
    check_limits(&source, &surveyed.reading.columns, surveyed.reading.records)?;
    let book = book_for(&options, &source, &surveyed)?;
    if let Some(docket) = &docket {
        safety::note_use(&docket.path);
    }
    if let Some(key) = &options.key {
        links::make::key_columns(key, &shape, &surveyed.reading.columns)?;
    }
    Ok((book, Item { source, surveyed, options, choices, shape, docket }))
}

/// Asks what cannot be told, where someone sits at a terminal.
fn settle(
    options: &Import,
    source: &Source,
    surveyed: Surveyed,
    choices: &reading::Choices,
    lines: Option<LineRange>,
) -> Result<Surveyed> {
    let doubts =
        surveyed.reading.layout.doubt.is_some() || surveyed.reading.columns.iter().any(|c| c.doubt.is_some());
    let terminal = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
    if !doubts
        || !terminal
        || options.no_questions
        || options.json
        || options.together
        || source.path().is_none()
    {
        return Ok(surveyed);
    }
    let (mut input, mut output) = (std::io::stdin().lock(), anstream::stderr().lock());
    let mut asker = Asker { input: &mut input, output: &mut output };
    let mut choices = choices.clone();
    let mut surveyed = surveyed;
    let layout = questions::ask_layout(&surveyed, &mut choices, &mut asker)?;
    if layout.other_layout {
        surveyed = survey(source, &choices, lines)?;
    }
    let columns = questions::ask_columns(&surveyed, &mut choices, &mut asker)?;
    if !columns.options.is_empty() {
        let reading = &surveyed.reading;
        surveyed.reading = reading::conclude(
            reading.encoding.clone(),
            reading.bom_bytes,
            reading.line_end,
            reading.layout.clone(),
            &surveyed.survey,
            &choices,
            &surveyed.head,
        )
        .map_err(|bad| Failure::usage(format!("{}: {}", bad.option, bad.why)))?;
    }
    let said: Vec<String> = layout.options.into_iter().chain(columns.options).collect();
    if !said.is_empty() {
        let note = format!("\nTo be asked nothing next time: {}\n\n", said.join(" "));
        output.write_all(note.as_bytes()).map_err(|e| Failure::unreadable(format!("cannot write: {e}")))?;
    }
    Ok(surveyed)
}

/// The workbook that a source goes into.
fn book_for(options: &Import, source: &Source, surveyed: &Surveyed) -> Result<PathBuf> {
    let template = options.into.to_string_lossy();
    if !placeholders::any(&template) {
        return Ok(options.into.clone());
    }
    let path = PathBuf::from(placeholders::fill(&template, "--into", names_of(source, surveyed), true)?);
    check_ending(&path)?;
    check_place(&path, options.even_signed)?;
    Ok(path)
}

fn check_ending(path: &Path) -> Result<()> {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    if ending == "xlsx" || (ending == "xlsm" && path.exists()) {
        return Ok(());
    }
    Err(Failure::usage(format!("--into {}: a workbook's name ends in .xlsx", path.display())).help(format!(
        "--into {}",
        render::command::quoted(&path.with_extension("xlsx").display().to_string())
    )))
}
