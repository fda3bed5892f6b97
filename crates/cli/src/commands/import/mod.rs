//! `incola import`

mod apart;
mod opened;
mod rows;
mod together;

use crate::bridge::ColumnWriter;
use crate::docket::{
    self,
    shape::{self, Shape},
};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Import, PlacingMode};
use crate::flags::options;
use crate::folder;
use crate::passes::survey::{LineRange, Surveyed, survey};
use crate::passes::write::{Slot, Written, not_written};
use crate::placeholders::{self, Names};
use crate::questions::{self, Asker};
use crate::receipt::{Receipt, SheetReceipt};
use crate::render;
use crate::run::{print, report};
use crate::safety;
use crate::source::Source;
use crate::target;
use incola_core::kind::Kind;
use incola_core::reading::{self, ColumnReading};
use incola_core::words::counted;
use incola_workbook::{CellRef, SheetColumn, StyleId, Styles, limits};
use opened::{Opened, check_place};
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
    let source = Source::open(name, spool_folder)?;
    let docket = docket::find(&options.read, name, Some(&options.into))?;
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
    Ok((book, Item { source, surveyed, options, choices, shape }))
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
        surveyed.reading.layout.is_close || surveyed.reading.columns.iter().any(|c| c.doubt.is_some());
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

/// A workbook to be written, and what goes into it.
struct Book {
    path: PathBuf,
    items: Vec<Item>,
}

/// A source, and what was typed and what its docket says of it.
struct Item {
    source: Source,
    surveyed: Surveyed,
    options: Import,
    choices: reading::Choices,
    shape: Shape,
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

fn names_of<'s>(source: &'s Source, surveyed: &'s Surveyed) -> Names<'s> {
    Names { stem: &source.stem, values: &surveyed.reading.values }
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

/// Fails if the rows do not fit into a sheet: before anything is written.
fn check_limits(source: &Source, columns: &[ColumnReading], records: u64) -> Result<()> {
    let most = u64::from(limits::ROWS) - 1;
    let name = render::command::quoted(&source.name);
    if records > most {
        return Err(Failure::protected(format!(
            "{}: {records} records; a worksheet holds {most} below its headings",
            source.shown()
        ))
        .leaving("nothing was written")
        .help(format!("import it in parts: incola import {name} --lines 1..{most} --into part1.xlsx")));
    }
    for column in columns.iter().filter(|c| c.is_wanted()) {
        if column.stats.longest > limits::CELL_UNITS {
            return Err(Failure::protected(format!(
                "{}: line {}: \u{201c}{}\u{201d} has a value of {} characters; a cell holds {}",
                source.shown(),
                column.stats.longest_line,
                column.name,
                column.stats.longest,
                limits::CELL_UNITS
            ))
            .leaving("nothing was written")
            .help(format!("leave the column out: --as '{}=skip'", column.name))
            .help(
                "or look at the line: a quote may never be closed, and --quote none reads it differently",
            ));
        }
    }
    Ok(())
}

/// Fails if a place was stated for a sheet that is yet to be made: a new one begins at A1.
fn check_new_sheet(options: &Import, path: &Path, name: &str) -> Result<()> {
    let is_first = |at: &str| CellRef::parse(at) == Some(CellRef { row: 1, column: 1 });
    let stated = match (&options.at, options.placing_mode()) {
        (Some(at), _) if !is_first(at) => format!("--at {at}"),
        (_, PlacingMode::Append) => "--mode append".to_owned(),
        (_, PlacingMode::Replace) => "--mode replace".to_owned(),
        _ => return Ok(()),
    };
    let why = format!("{} has no sheet \u{201c}{name}\u{201d}, and a new one begins at A1", path.display());
    Err(Failure::usage(format!("{stated}: {why}"))
        .leaving("nothing was written")
        .help("name the sheet that is there: --sheet NAME")
        .help(format!("or leave {stated} out: the rows get a sheet of their own")))
}

/// What a dry run knows of what would be written.
fn dry_written(columns: &[ColumnReading], records: u64) -> Written {
    let mut written = Written { rows: records, ..Written::default() };
    for column in columns {
        let mut tally = crate::passes::write::ColumnTally { blank: column.stats.blank, ..Default::default() };
        if column.is_wanted() {
            tally.cells = column.stats.filled + column.stats.beyond;
            tally.misfits = column.misfits.count;
            if let incola_core::kind::Rule::Number(rule) = &column.rule {
                let numbers = column.stats.numbers(rule.decimal);
                tally.sum = numbers.sum;
                tally.decimals = numbers.most_decimals;
            }
            written.cells += tally.cells;
            written.misfits += tally.misfits;
        }
        written.columns.push(tally);
    }
    written
}

fn check_strict(
    options: &Import,
    source: &Source,
    columns: &[ColumnReading],
    written: &Written,
) -> Result<()> {
    let Some(first) = written.misfit_cells.first().filter(|_| options.strict) else { return Ok(()) };
    let name = columns.get(first.column - 1).map_or("", |c| c.name.as_str());
    Err(Failure::protected(format!(
        "{}: line {}: \u{201c}{}\u{201d} in \u{201c}{name}\u{201d} {} ({} in all)",
        source.shown(),
        first.line,
        first.text,
        first.why,
        counted(written.misfits, "misfit", "misfits")
    ))
    .leaving("nothing was written, for --strict was given")
    .help(format!("keep such values as text: leave --strict out, or say --as '{name}=text'")))
}

/// The format of the numbers of records, where they are wanted.
fn number_style_for(options: &Import, styles: &mut Styles) -> StyleId {
    if options.number_rows.is_some() { styles.number_format("0") } else { StyleId::default() }
}

/// The columns of a new sheet: what counts the records and what says the source, then those of the source.
fn sheet_columns(
    slots: &[Slot],
    columns: &[ColumnReading],
    writers: &[ColumnWriter],
    (options, shape): (&Import, &Shape),
    (longest_source, number_style): (u32, StyleId),
) -> Vec<SheetColumn> {
    let column = |slot: &Slot| match slot {
        Slot::Field(n) => SheetColumn {
            name: columns[*n].name.clone(),
            longest: columns[*n].stats.longest,
            style: writers[*n].empty_style(&columns[*n]),
            is_text: columns[*n].rule.kind() == Kind::Text,
            description: shape.descriptions.get(*n).cloned().flatten(),
        },
        Slot::RecordNumber => SheetColumn {
            name: options.number_rows.clone().unwrap_or_default(),
            longest: 6,
            style: number_style,
            is_text: false,
            description: None,
        },
        Slot::SourceName | Slot::Nothing => SheetColumn {
            name: options.source_column.clone().unwrap_or_default(),
            longest: longest_source,
            style: Styles::TEXT,
            is_text: true,
            description: None,
        },
    };
    slots.iter().map(column).collect()
}

/// Puts the workbook in its place.
fn finish(
    options: &Import,
    path: &Path,
    opened: Opened,
    styles: &Styles,
    sheets: Vec<SheetReceipt>,
) -> Result<Receipt> {
    let mut bytes = None;
    let existed = opened.existed;
    if let Some(book) = opened.writer {
        let title = sheets.iter().map(|s| s.sheet.clone()).collect::<Vec<_>>().join(", ");
        let target = book.finish(styles, &title, &now()).map_err(|e| not_written(&e))?;
        crate::interrupt::check()?;
        target.commit()?;
        bytes = std::fs::metadata(path).map(|m| m.len()).ok();
    }
    Ok(Receipt { book: path.display().to_string(), existed, bytes, dry_run: options.dry_run, sheets })
}

/// The time to write into the workbook: now, or what `SOURCE_DATE_EPOCH` says, for builds that must repeat themselves.
fn now() -> String {
    let stated = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|s| s.parse().ok());
    let now = stated
        .and_then(|seconds| jiff::Timestamp::from_second(seconds).ok())
        .unwrap_or_else(jiff::Timestamp::now);
    now.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}
