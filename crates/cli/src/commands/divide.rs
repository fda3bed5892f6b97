//! `incola divide`: a column of a sheet that is there, divided into several at its right.

use crate::commands::import;
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Cli, Command, Divide, Import};
use crate::flags::settings::list;
use crate::io::book_file::open_book;
use crate::io::source::Source;
use crate::output::print_receipt;
use crate::receipt::Receipt;
use crate::render;
use crate::render::command::quoted;
use crate::render::sanitize::line;
use crate::render::style;
use crate::render::text::{cut, grouped, left, width};
use clap::Parser;
use incola_core::encoding::Encoding;
use incola_core::kind::statistics::trim;
use incola_core::layout::{HeaderChoice, LayoutChoices, LineChoice, LinesMeant, Pattern};
use incola_core::reading::Choices;
use incola_core::rows::Role;
use incola_core::settings::nearest;
use incola_core::settings::selector::AsChoice;
use incola_core::shape::DivideChoice;
use incola_core::words::counted;
use incola_engine::stop::Stop;
use incola_workbook::{CellRef, ExistingBook, ExistingCell, column_letters};

/// Most cells of a sheet that are looked through.
const MOST_CELLS: usize = 4_000_000;

/// Rows in which headings are looked for.
const HEADING_ROWS: u32 = 50;

/// Values that decide how many parts there are.
const LOOKED_AT: usize = 1000;

/// Characters of a value that are shown.
const VALUE_CHARS: usize = 40;

/// A column of a sheet.
struct Found {
    sheet: String,
    heading: CellRef,
    name: String,
    /// By row from the first one below the heading on.
    values: Vec<String>,
    /// All cells of the sheet.
    cells: Vec<ExistingCell>,
}

/// What values are divided into.
struct Divided {
    names: Vec<String>,
    rows: Vec<Vec<String>>,
    /// Rows of the sheet with other parts than the rest.
    odd: Vec<u32>,
}

/// Divides a column of a sheet.
pub(crate) fn run(options: &Divide) -> Result<ExitCode> {
    let choice = DivideChoice::read(&format!("{}={}", options.column, options.how)).map_err(|bad| {
        let how = quoted(&options.how);
        let failure = Failure::usage(format!("{how}: {}", bad.why)).leaving("nothing was written");
        bad.hint.map_or(failure.help("a delimiter, starts:1,3,7, or pattern:REGEX"), Failure::usage)
    })?;
    let found = find(options)?;
    let divided = divide(&choice, &found, list("names", options.names.as_deref())?.as_deref())?;
    let there = occupied(options, &found, &divided)?;
    if let Some(first) = there.first().filter(|_| !options.overwrite) {
        let more = if there.len() > 1 { format!(", and {} more", there.len() - 1) } else { String::new() };
        let text = cut(&line(&first.text), VALUE_CHARS);
        let what =
            format!("the cells for the parts are not empty: {} holds \u{201c}{text}\u{201d}{more}", first.at);
        return Err(Failure::protected(what)
            .leaving("the workbook was not changed")
            .help("to write over what is there, below its headings: --overwrite")
            .help("or put the parts elsewhere: --to with the letters of a column"));
    }
    let receipt = put(options, &found, &divided, !there.is_empty())?;
    if options.json {
        print_receipt(&render::json_text(&[render::receipt_json::receipt(&receipt)]))?;
        return Ok(receipt.status().max(status(&divided)));
    }
    let mut out = preview(&found, &divided, options.rows);
    let cells = receipt.sheets.first().and_then(|sheet| sheet.placed.clone()).unwrap_or_default();
    let book = line(&options.book.display().to_string());
    let (columns, rows) = (divided.names.len() as u64, found.values.len() as u64);
    let done = if options.dry_run { "would get" } else { "has" };
    out.push_str(&format!(
        "\n{book}   {done} {} of {} in {}, {cells}\n",
        counted(columns, "new column", "new columns"),
        counted(rows, "row", "rows"),
        line(&found.sheet)
    ));
    for sheet in &receipt.sheets {
        for column in &sheet.columns {
            out.push_str(&format!("  {}  {}\n", line(&column.name), column.kind.word()));
        }
    }
    if let Some(first) = divided.odd.first() {
        let count = counted(divided.odd.len() as u64, "value has", "values have");
        out.push_str(&format!(
            "\n  look  row {first}: {count} other parts than the rest; what is left over is in the last part\n"
        ));
    }
    if !options.dry_run {
        out.push_str(&format!(
            "\nTo take it back:\n  incola undo {}\n",
            quoted(&options.book.display().to_string())
        ));
    }
    print_receipt(&out)?;
    Ok(receipt.status().max(status(&divided)))
}

/// The cells that stand where the parts go.
fn occupied<'f>(options: &Divide, found: &'f Found, divided: &Divided) -> Result<Vec<&'f ExistingCell>> {
    let first = first_column(options, found)?;
    let (last, rows) = (first + divided.names.len() as u32 - 1, found.values.len() as u32);
    let is_there = |cell: &&ExistingCell| {
        (first..=last).contains(&cell.at.column)
            && (found.heading.row..=found.heading.row + rows).contains(&cell.at.row)
            && !cell.text.is_empty()
    };
    Ok(found.cells.iter().filter(is_there).collect())
}

/// The column that the first part goes into, from 1.
fn first_column(options: &Divide, found: &Found) -> Result<u32> {
    let Some(letters) = &options.to else { return Ok(found.heading.column + 1) };
    CellRef::parse(&format!("{}1", letters.trim())).map(|cell| cell.column).ok_or_else(|| {
        Failure::usage(format!("--to {letters}: a column is meant by its letters, such as F"))
            .leaving("nothing was written")
    })
}

/// Values with other parts than the rest deserve a look.
fn status(divided: &Divided) -> ExitCode {
    if divided.odd.is_empty() { ExitCode::Done } else { ExitCode::NeedsALook }
}

/// The column that is meant, with its values.
fn find(options: &Divide) -> Result<Found> {
    let (mut book, _) = open_book(&options.book)?;
    let shown = options.book.display();
    let names = book.sheet_names();
    let sheet = match (&options.sheet, names.as_slice()) {
        (None, [_]) => 0,
        (None, _) => {
            return Err(Failure::usage(format!("{shown}: it has several sheets"))
                .leaving("nothing was written")
                .help(format!("say which one: --sheet; there are {}", names.join(", "))));
        }
        (Some(wanted), _) => {
            names.iter().position(|name| name.to_lowercase() == wanted.to_lowercase()).ok_or_else(|| {
                Failure::usage(format!("--sheet {}: {shown} has no such sheet", quoted(wanted)))
                    .leaving("nothing was written")
                    .help(format!("there are {}", names.join(", ")))
            })?
        }
    };
    let cells = book.cells(sheet, 1, u32::MAX, MOST_CELLS).map_err(Stop::Book)?;
    if cells.len() >= MOST_CELLS {
        return Err(Failure::protected(format!(
            "{shown}: the sheet has more than {} cells",
            grouped(MOST_CELLS as u64)
        ))
        .leaving("nothing was written"));
    }
    let heading = heading(options, &cells)?;
    // A table ends where it says; else the last value does.
    let last = table_end(&mut book, sheet, heading)?;
    let own = cells.iter().filter(|c| {
        c.at.column == heading.column && c.at.row > heading.row && last.is_none_or(|last| c.at.row <= last)
    });
    let mut values: Vec<String> = Vec::new();
    for cell in own.filter(|cell| !cell.text.is_empty()) {
        values.resize((cell.at.row - heading.row - 1) as usize, String::new());
        values.push(cell.text.clone());
    }
    if values.is_empty() {
        return Err(Failure::usage(format!("{shown}: column {} holds no values", options.column))
            .leaving("nothing was written"));
    }
    let name = cells
        .iter()
        .find(|cell| cell.at == heading)
        .map_or_else(String::new, |cell| cell.text.trim().to_owned());
    Ok(Found { sheet: names[sheet].clone(), heading, name, values, cells })
}

/// The last row of data of the table that a heading belongs to.
fn table_end(book: &mut ExistingBook, sheet: usize, heading: CellRef) -> Result<Option<u32>> {
    let tables = book.tables(sheet).map_err(Stop::Book)?;
    let own = tables.iter().find(|table| {
        let (from, to) = (table.range.from, table.range.to);
        (from.row..=to.row).contains(&heading.row) && (from.column..=to.column).contains(&heading.column)
    });
    Ok(own.map(|table| table.range.to.row - u32::from(table.has_totals)))
}

/// The cell of the heading that is meant: by its text, or by letters in capitals the first cell of the column.
fn heading(options: &Divide, cells: &[ExistingCell]) -> Result<CellRef> {
    let typed = options.column.trim();
    if typed.len() <= 3
        && typed.bytes().all(|b| b.is_ascii_uppercase())
        && let Some(column) = CellRef::parse(&format!("{typed}1")).map(|cell| cell.column)
        && let Some(first) = cells.iter().find(|cell| cell.at.column == column)
    {
        return Ok(first.at);
    }
    let wanted = typed.to_lowercase();
    let headings: Vec<&ExistingCell> =
        cells.iter().filter(|cell| cell.at.row <= HEADING_ROWS && cell.is_text).collect();
    let named: Vec<CellRef> = headings
        .iter()
        .filter(|cell| cell.text.trim().to_lowercase() == wanted)
        .map(|cell| cell.at)
        .collect();
    if let [cell] = named[..] {
        return Ok(cell);
    }
    if let [first, second, ..] = named[..] {
        return Err(Failure::usage(format!(
            "--column {}: {first} and {second} say so",
            quoted(&options.column)
        ))
        .leaving("nothing was written")
        .help(format!("say it by letters: --column {}", column_letters(first.column))));
    }
    let near = nearest(&options.column, headings.iter().map(|cell| cell.text.as_str()));
    let what = format!("--column {}: no cell near the top of the sheet says so", quoted(&options.column));
    let failure = Failure::usage(what).leaving("nothing was written");
    Err(match near {
        Some(near) => failure.help(format!("--column {}", quoted(near))),
        None => failure.help("its heading, or its letters in capitals, such as C"),
    })
}

fn divide(choice: &DivideChoice, found: &Found, names: Option<&[String]>) -> Result<Divided> {
    let bytes = || found.values.iter().map(|value| trim(value.as_bytes()).0);
    let parts = choice.how.names(bytes().filter(|value| !value.is_empty()).take(LOOKED_AT));
    if let Some(names) = names.filter(|names| names.len() != parts.len()) {
        return Err(Failure::usage(format!(
            "--names: {} are given for {} columns",
            names.len(),
            parts.len()
        ))
        .leaving("nothing was written"));
    }
    let own = if found.name.is_empty() { "Part" } else { &found.name };
    let all = parts.iter().enumerate().map(|(n, name)| match names {
        Some(names) => names[n].clone(),
        None => name.clone().unwrap_or_else(|| format!("{own} {}", n + 1)),
    });
    let mut divided = Divided { names: all.collect(), rows: Vec::new(), odd: Vec::new() };
    let mut fields = Vec::new();
    for (row, value) in (found.heading.row + 1..).zip(bytes()) {
        if !choice.how.parts(value, parts.len(), &mut fields) {
            divided.odd.push(row);
        }
        divided.rows.push(fields.iter().map(|field| String::from_utf8_lossy(field).into_owned()).collect());
    }
    Ok(divided)
}

/// The first rows: values, and what becomes of them.
fn preview(found: &Found, divided: &Divided, rows: usize) -> String {
    let shown = |text: &str| cut(&line(text), VALUE_CHARS);
    let mut grid: Vec<Vec<String>> =
        vec![std::iter::once(&found.name).chain(&divided.names).map(|n| shown(n)).collect()];
    for (value, parts) in found.values.iter().zip(&divided.rows).take(rows) {
        grid.push(std::iter::once(value).chain(parts).map(|text| shown(text)).collect());
    }
    let widths: Vec<usize> =
        (0..=divided.names.len()).map(|n| grid.iter().map(|row| width(&row[n])).max().unwrap_or(0)).collect();
    let mut out = String::new();
    for (n, row) in grid.iter().enumerate() {
        let cells: Vec<String> = row.iter().zip(&widths).map(|(cell, width)| left(cell, *width)).collect();
        let text = format!("  {}  \u{2192}  {}", cells[0], cells[1..].join("  "));
        let text = text.trim_end();
        out.push_str(&if n == 0 { style::strong(text) } else { text.to_owned() });
        out.push('\n');
    }
    if found.values.len() > rows {
        out.push_str(&format!(
            "  \u{2026} {} more\n",
            counted((found.values.len() - rows) as u64, "row", "rows")
        ));
    }
    out
}

/// Writes the parts: a source of their own goes where they belong.
fn put(options: &Divide, found: &Found, divided: &Divided, is_over: bool) -> Result<Receipt> {
    let folder =
        tempfile::tempdir().map_err(|e| Failure::io(&std::env::temp_dir(), "make a file there", &e))?;
    let path = folder.path().join("parts.csv");
    let mut text = String::new();
    for row in std::iter::once(&divided.names).chain(&divided.rows) {
        let fields: Vec<String> =
            row.iter().map(|field| format!("\"{}\"", field.replace('"', "\"\""))).collect();
        text.push_str(&fields.join(","));
        text.push('\n');
    }
    std::fs::write(&path, text).map_err(|e| Failure::io(&path, "write it", &e))?;
    let column = first_column(options, found)?;
    let at = format!("{}{}", column_letters(column), found.heading.row);
    let source = path.display().to_string();
    let book = options.book.display().to_string();
    let mut words = vec!["incola", "import", &source, "--into", &book, "--sheet", &found.sheet, "--at", &at];
    words.extend(["--plain", "--no-link", "--no-docket", "--no-questions"]);
    let rows = format!(
        "{}{}:{}{}",
        column_letters(column),
        found.heading.row + 1,
        column_letters(column + divided.names.len() as u32 - 1),
        found.heading.row as usize + found.values.len()
    );
    if is_over {
        words.extend(["--mode", "replace", "--match", "position", "--rows", &rows]);
    }
    words.extend(
        [(options.dry_run, "--dry-run"), (options.even_signed, "--even-signed")]
            .iter()
            .filter(|(is, _)| *is)
            .map(|(_, word)| *word),
    );
    let typed: Import = match Cli::try_parse_from(words).map_err(|e| Failure::usage(e.to_string()))?.command {
        Command::Import(import) => *import,
        _ => return Err(Failure::usage("it cannot be divided")),
    };
    let every = Pattern::read("").map_err(Failure::usage)?;
    let kinds: std::result::Result<Vec<AsChoice>, String> =
        options.kinds.iter().map(|text| AsChoice::parse(text)).collect();
    let choices = Choices {
        encoding: Some(Encoding::Utf8),
        layout: LayoutChoices {
            delimiter: Some(",".into()),
            quote: Some(Some(b'"')),
            header: HeaderChoice::Line(1),
            comment: Some(None),
            // Every line is a record, whatever it says: rows must stay beside those that they are of.
            lines: vec![LineChoice { role: Role::Detail, lines: LinesMeant::Match(every) }],
            ..LayoutChoices::default()
        },
        keeps_blank_rows: true,
        kinds: kinds.map_err(|why| Failure::usage(format!("--as: {why}")).leaving("nothing was written"))?,
        ..Choices::default()
    };
    import::put(typed, Source::open(&source, folder.path())?, choices, divided.rows.len() as u64)
}
