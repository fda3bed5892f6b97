//! `incola divide`: a column of a sheet that is there, divided into several at its right.

use crate::commands::import;
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Cli, Command, Divide, Import};
use crate::flags::settings::list;
use crate::io::book_file::{open_book, sheet_meant};
use crate::io::disk;
use crate::io::source::Source;
use crate::output::print_receipt;
use crate::receipt::Receipt;
use crate::render;
use crate::render::command::quoted;
use crate::render::divide::Divided;
use crate::render::text::grouped;
use clap::Parser;
use incola_core::settings::selector::AsChoice;
use incola_core::shape::DivideChoice;
use incola_engine::divide::{Column, NoColumn, Parts};
use incola_engine::stop::Stop;
use incola_workbook::{CellRef, ExistingCell, column_letters};

/// Most cells of a sheet that are looked through.
const MOST_CELLS: usize = 4_000_000;

/// A sheet, and the column of it that is meant.
struct Found {
    sheet: String,
    cells: Vec<ExistingCell>,
    column: Column,
}

/// Divides a column of a sheet.
pub(crate) fn run(options: &Divide) -> Result<ExitCode> {
    let choice = DivideChoice::read(&format!("{}={}", options.column, options.how)).map_err(|bad| {
        Failure::usage(format!("{}: {}", quoted(&options.how), bad.why))
            .leaving("nothing was written")
            .help("a delimiter, starts:1,3,7, or pattern:REGEX")
    })?;
    let Found { sheet, cells, column } = find(options)?;
    let mut parts = Parts::of(&column, &choice.how);
    if let Some(names) = list("names", options.names.as_deref())? {
        if names.len() != parts.names.len() {
            let (given, due) = (names.len(), parts.names.len());
            return Err(Failure::usage(format!("--names: {given} are given for {due} columns"))
                .leaving("nothing was written"));
        }
        parts.names = names;
    }
    let first = first_column(options, &column)?;
    let there = parts.in_the_way(&column, first, &cells);
    if let Some(cell) = there.first().filter(|_| !options.overwrite) {
        return Err(in_the_way(cell, there.len()));
    }
    let receipt = put(options, (&sheet, &column), (first, &parts), !there.is_empty())?;
    let divided = Divided {
        sheet: &sheet,
        column: &column,
        parts: &parts,
        receipt: &receipt,
        is_dry_run: options.dry_run,
    };
    print_receipt(&if options.json {
        render::json_text(&render::divide::json(&divided))
    } else {
        render::divide::page(&divided, options.rows)
    })?;
    // Values with other parts than the rest deserve a look.
    let own = if parts.odd.is_empty() { ExitCode::Done } else { ExitCode::NeedsALook };
    Ok(receipt.status().max(own))
}

/// The column that is meant, with the sheet that it is in.
fn find(options: &Divide) -> Result<Found> {
    let (mut book, _) = open_book(&options.book)?;
    let shown = options.book.display();
    let names = book.sheet_names();
    let unwritten = |failure: Failure| failure.leaving("nothing was written");
    let sheet = sheet_meant(&options.book, &names, options.sheet.as_deref()).map_err(unwritten)?;
    let cells = book.cells(sheet, 1, u32::MAX, MOST_CELLS).map_err(Stop::Book)?;
    if cells.len() >= MOST_CELLS {
        let most = grouped(MOST_CELLS as u64);
        return Err(Failure::protected(format!("{shown}: the sheet has more than {most} cells"))
            .leaving("nothing was written"));
    }
    let tables = book.tables(sheet).map_err(Stop::Book)?;
    let option = format!("--column {}", quoted(&options.column));
    let column = Column::find(&options.column, &cells, &tables).map_err(|why| match why {
        NoColumn::Nowhere(near) => {
            let near = near.map(|near| format!("--column {}", quoted(&near)));
            unwritten(Failure::usage(format!("{option}: no cell near the top of the sheet says so")))
                .help(near.unwrap_or_else(|| "its heading, or its letters in capitals, such as C".into()))
        }
        NoColumn::Twice(first, second) => {
            unwritten(Failure::usage(format!("{option}: {first} and {second} say so")))
                .help(format!("say it by letters: --column {}", column_letters(first.column)))
        }
        NoColumn::Empty => unwritten(Failure::usage(format!("{option}: the column holds no values"))),
    })?;
    Ok(Found { sheet: names[sheet].clone(), cells, column })
}

/// The column that the first part goes into, from 1.
fn first_column(options: &Divide, column: &Column) -> Result<u32> {
    let Some(letters) = &options.to else { return Ok(column.heading.column + 1) };
    CellRef::parse(&format!("{}1", letters.trim())).map(|cell| cell.column).ok_or_else(|| {
        Failure::usage(format!("--to {letters}: a column is meant by its letters, such as F"))
            .leaving("nothing was written")
    })
}

/// What stands where the parts would go.
fn in_the_way(first: &ExistingCell, count: usize) -> Failure {
    let more = if count > 1 { format!(", and {} more", count - 1) } else { String::new() };
    let text = render::divide::value(&first.text);
    Failure::protected(format!(
        "the cells for the parts are not empty: {} holds \u{201c}{text}\u{201d}{more}",
        first.at
    ))
    .leaving("the workbook was not changed")
    .help("to write over what is there, below its headings: --overwrite")
    .help("or put the parts elsewhere: --to with the letters of a column")
}

/// Writes the parts, the first one into a column (from 1): a source of their own goes where they belong.
fn put(
    options: &Divide,
    (sheet, column): (&str, &Column),
    (first, parts): (u32, &Parts),
    is_over: bool,
) -> Result<Receipt> {
    let kinds: std::result::Result<Vec<AsChoice>, String> =
        options.kinds.iter().map(|text| AsChoice::parse(text)).collect();
    let kinds = kinds.map_err(|why| Failure::usage(format!("--as: {why}")).leaving("nothing was written"))?;
    let choices = Parts::choices(kinds).map_err(Failure::usage)?;
    let folder =
        tempfile::tempdir().map_err(|e| Failure::io(&std::env::temp_dir(), "make a file there", &e))?;
    let path = folder.path().join("parts.csv");
    disk::write(&path, parts.text()).map_err(|e| Failure::io(&path, "write it", &e))?;
    let (source, book) = (path.display().to_string(), options.book.display().to_string());
    let at = format!("{}{}", column_letters(first), column.heading.row);
    let last = column_letters(first + parts.names.len() as u32 - 1);
    let rows = format!("{}{}:{last}{}", column_letters(first), column.heading.row + 1, column.last_row());
    let mut words = vec!["incola", "import", &source, "--into", &book, "--sheet", sheet, "--at", &at];
    words.extend(["--plain", "--no-link", "--no-docket", "--no-questions"]);
    if is_over {
        words.extend(["--mode", "replace", "--match", "position", "--rows", &rows]);
    }
    let flags = [(options.dry_run, "--dry-run"), (options.even_signed, "--even-signed")];
    words.extend(flags.iter().filter(|(is_set, _)| *is_set).map(|(_, word)| *word));
    let typed: Import = match Cli::try_parse_from(words).map_err(|e| Failure::usage(e.to_string()))?.command {
        Command::Import(import) => *import,
        _ => return Err(Failure::usage("it cannot be divided")),
    };
    import::put(typed, Source::open(&source, folder.path())?, choices, parts.rows.len() as u64)
}
