//! `incola import`

use crate::bridge::ColumnWriter;
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Import, MatchBy, PlacingMode};
use crate::flags::options;
use crate::folder;
use crate::passes::survey::{LineRange, Surveyed, survey};
use crate::passes::write::{Placing, Written, not_written, write};
use crate::placeholders::{self, Names};
use crate::placing::{self, Matching, Mode, Wish};
use crate::questions::{self, Asker};
use crate::receipt::{Receipt, SheetReceipt};
use crate::render;
use crate::run::{print, report};
use crate::safety::{self, Lock};
use crate::source::Source;
use crate::target::{self, Target};
use incola_core::kind::Kind;
use incola_core::reading::{self, ColumnReading};
use incola_core::words::counted;
use incola_workbook::{
    BookWriter, CellRef, Compressor, ExistingBook, SheetColumn, SheetLayout, Styles, limits, sheet_name,
};
use std::fs::File;
use std::io::{IsTerminal, Read, Write};
use std::path::{Path, PathBuf};

/// Imports sources into a new workbook.
pub(crate) fn run(options: &Import) -> Result<ExitCode> {
    let (choices, lines) = options::choices(&options.read)?;
    check_ending(&options.into)?;
    if !placeholders::any(&options.into.to_string_lossy()) {
        check_place(&options.into)?;
    }
    let folder = target::folder_of(&options.into);
    let spool_folder = if folder.is_dir() { folder.to_owned() } else { std::env::temp_dir() };
    let mut code = ExitCode::Done;
    let mut books: Vec<Book> = Vec::new();
    for name in &folder::expand(&options.sources)? {
        let one = || -> Result<(PathBuf, Source, Surveyed)> {
            let source = Source::open(name, &spool_folder)?;
            let surveyed = survey(&source, &choices, lines)?;
            let surveyed = settle(options, &source, surveyed, &choices, lines)?;
            check_limits(&source, &surveyed.reading.columns, surveyed.reading.records)?;
            let book = book_for(options, &source, &surveyed)?;
            Ok((book, source, surveyed))
        };
        match one() {
            Ok((book, source, surveyed)) => match books.iter_mut().find(|b: &&mut Book| b.path == book) {
                Some(known) => known.sources.push((source, surveyed)),
                None => books.push(Book { path: book, sources: vec![(source, surveyed)] }),
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
            import_together(options, book, &choices)
        } else {
            import_apart(options, book)
        };
        match done {
            Ok(receipt) => {
                code = code.max(receipt.status());
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
    } else {
        let pages: Vec<String> = receipts.iter().map(render::receipt::page).collect();
        print(&pages.join("\n"))?;
    }
    Ok(code)
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
    sources: Vec<(Source, Surveyed)>,
}

/// The workbook that a source goes into.
fn book_for(options: &Import, source: &Source, surveyed: &Surveyed) -> Result<PathBuf> {
    let template = options.into.to_string_lossy();
    if !placeholders::any(&template) {
        return Ok(options.into.clone());
    }
    let path = PathBuf::from(placeholders::fill(&template, "--into", names_of(source, surveyed), true)?);
    check_ending(&path)?;
    check_place(&path)?;
    Ok(path)
}

fn names_of<'s>(source: &'s Source, surveyed: &'s Surveyed) -> Names<'s> {
    Names { stem: &source.stem, values: &surveyed.reading.values }
}

/// Fails if nothing can be written at `path`: before long work begins.
fn check_place(path: &Path) -> Result<()> {
    if path.exists() { open_existing(path).map(|_| ()) } else { target::check_absent(path) }
}

/// The workbook at `path`, to add to.
fn open_existing(path: &Path) -> Result<ExistingBook> {
    let failed = |e: &std::io::Error| Failure::io(path, "read it", e);
    let mut file = File::open(path).map_err(|e| failed(&e))?;
    let mut start = [0; 8];
    let read = file.read(&mut start).map_err(|e| failed(&e))?;
    if start[..read].starts_with(b"\xD0\xCF\x11\xE0") {
        return Err(Failure::unreadable(format!(
            "{}: it is encrypted, or an old binary workbook",
            path.display()
        ))
        .leaving("it was left as it is")
        .help("open it in the program it comes from and save it as .xlsx, without a password"));
    }
    ExistingBook::open(Box::new(file)).map_err(|error| not_changed(path, &error))
}

/// The failure of a workbook that is not to be changed.
fn not_changed(path: &Path, error: &incola_workbook::Error) -> Failure {
    let what = format!("{}: {error}", path.display());
    match error {
        incola_workbook::Error::Refused(_) => Failure::protected(what),
        _ => Failure::unreadable(what),
    }
    .leaving("it was left as it is")
    .help("choose another workbook with --into")
}

/// A workbook that sheets go into: a new one, or one that is there.
struct Opened {
    writer: Option<BookWriter<Target>>,
    sheet_names: Vec<String>,
    taken_names: Vec<String>,
    from_1904: bool,
    /// The workbook that is there, to be asked what stands in its sheets.
    existing: Option<ExistingBook>,
    _lock: Option<Lock>,
}

impl Opened {
    fn at(path: &Path, dry_run: bool) -> Result<Self> {
        if !path.exists() {
            let writer = if dry_run { None } else { Some(BookWriter::new(Target::create(path)?)) };
            return Ok(Self {
                writer,
                sheet_names: Vec::new(),
                taken_names: Vec::new(),
                from_1904: false,
                existing: None,
                _lock: None,
            });
        }
        let lock = safety::lock(path)?;
        let existing = open_existing(path)?;
        let (sheet_names, taken_names) = (existing.sheet_names(), existing.taken_names().to_vec());
        let from_1904 = existing.is_1904();
        let writer = if dry_run { None } else { Some(BookWriter::over(existing, Target::over(path)?)) };
        let existing = Some(open_existing(path)?);
        Ok(Self { writer, sheet_names, taken_names, from_1904, existing, _lock: Some(lock) })
    }

    /// Fails if the workbook has a sheet of that name.
    fn check_free(&self, path: &Path, name: &str) -> Result<()> {
        if !self.sheet_names.iter().any(|n| n.to_lowercase() == name.to_lowercase()) {
            return Ok(());
        }
        let free = sheet_name::legal(name, &self.sheet_names);
        Err(Failure::protected(format!("{}: it has a sheet \u{201c}{name}\u{201d} already", path.display()))
            .leaving("it was left as it is")
            .help(format!("choose another name: --sheet {}", render::command::quoted(&free))))
    }
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

/// Each source becomes a sheet.
fn import_apart(options: &Import, to: &Book) -> Result<Receipt> {
    let mut styles = Styles::new();
    let mut sheets: Vec<SheetReceipt> = Vec::new();
    let mut opened = Opened::at(&to.path, options.dry_run)?;
    let mut book = opened.writer.take();
    let mut names: Vec<String> = Vec::new();
    let mut tables: Vec<String> = opened.taken_names.clone();
    for (source, surveyed) in &to.sources {
        let columns = &surveyed.reading.columns;
        let wanted = options.sheet.as_deref().unwrap_or("{stem}");
        let wanted = placeholders::fill(wanted, "--sheet", names_of(source, surveyed), false)?;
        let name = sheet_name::legal(&wanted, &names);
        let there = opened.sheet_names.iter().position(|n| n.to_lowercase() == wanted.to_lowercase());
        let stated = options.at.is_some() || options.mode == PlacingMode::Append;
        if let Some(sheet) = there.filter(|_| options.sheet.is_some() || stated) {
            let into = (sheet, opened.sheet_names[sheet].clone());
            let receipt =
                import_rows(options, &mut opened, &mut book, &mut styles, into, (source, surveyed))?;
            if names.contains(&receipt.sheet) {
                return Err(Failure::usage(format!(
                    "several sources go into sheet \u{201c}{}\u{201d}",
                    receipt.sheet
                ))
                .leaving("nothing was written")
                .help("put them together: --together"));
            }
            names.push(receipt.sheet.clone());
            sheets.push(receipt);
            continue;
        }
        check_new_sheet(options, &to.path, &name)?;
        opened.check_free(&to.path, &name)?;
        let table = (!options.plain).then(|| sheet_name::legal_table(&source.stem, &tables));
        let writers: Vec<ColumnWriter> = columns
            .iter()
            .map(|c| ColumnWriter::new(c, &mut styles).counting_from_1904(opened.from_1904))
            .collect();
        let header =
            surveyed.reading.layout.header_line.is_some() || !options.plain || options.read.names.is_some();
        let layout = SheetLayout {
            name: name.clone(),
            columns: sheet_columns(columns, &writers),
            rows: surveyed.reading.records,
            header,
            table: table.clone(),
        };
        let placing = Placing::new(columns, &writers, layout.first_row(), None);
        let written = match &mut book {
            None => dry_written(surveyed),
            Some(book) => {
                book.begin_sheet(layout).map_err(|e| not_written(&e))?;
                let written = write(source, surveyed, &placing, book)?;
                check_strict(options, source, columns, &written)?;
                book.end_sheet().map_err(|e| not_written(&e))?;
                written
            }
        };
        names.push(name.clone());
        tables.extend(table.clone());
        sheets.push(SheetReceipt::new(&[(source, surveyed)], columns, name, table, written));
    }
    finish(options, &to.path, book, &styles, sheets)
}

/// Fails if a place was stated for a sheet that is yet to be made: a new one begins at A1.
fn check_new_sheet(options: &Import, path: &Path, name: &str) -> Result<()> {
    let stated = match &options.at {
        Some(at) if cell(at)? != (CellRef { row: 1, column: 1 }) => format!("--at {at}"),
        _ if options.mode == PlacingMode::Append => "--mode append".to_owned(),
        _ => return Ok(()),
    };
    let why = if options.together {
        "rows of several sources together go into a new sheet".to_owned()
    } else {
        format!("{} has no sheet \u{201c}{name}\u{201d}, and a new one begins at A1", path.display())
    };
    Err(Failure::usage(format!("{stated}: {why}"))
        .leaving("nothing was written")
        .help("name the sheet that is there: --sheet NAME")
        .help(format!("or leave {stated} out: the rows get a sheet of their own")))
}

/// The rows of a source go into a sheet that is there.
fn import_rows(
    options: &Import,
    opened: &mut Opened,
    book: &mut Option<BookWriter<Target>>,
    styles: &mut Styles,
    (sheet, name): (usize, String),
    (source, surveyed): (&Source, &Surveyed),
) -> Result<SheetReceipt> {
    let columns = &surveyed.reading.columns;
    let records = surveyed.reading.records;
    let wish = Wish {
        at: options.at.as_deref().map(cell).transpose()?,
        mode: if options.mode == PlacingMode::Append { Mode::Append } else { Mode::Fresh },
        matching: if options.matching == MatchBy::Position { Matching::Position } else { Matching::Name },
    };
    let Some(existing) = &mut opened.existing else { return Err(Failure::usage("there is no workbook")) };
    let place = placing::find(existing, (sheet, &name), wish, columns, records)?;
    let writers: Vec<ColumnWriter> =
        columns.iter().map(|c| ColumnWriter::new(c, styles).counting_from_1904(opened.from_1904)).collect();
    let written = match book {
        None => dry_written(surveyed),
        Some(book) => {
            let failed = |e: incola_workbook::Error| not_written(&e);
            book.begin_rows(sheet, place.range(records)).map_err(failed)?;
            if let Some(row) = place.heading_row {
                let mut rows = book.rows(&place.columns);
                rows.begin_row(row);
                for (at, index) in place.order.iter().enumerate() {
                    rows.text(at, Styles::HEADING, columns[*index].name.as_bytes());
                }
                rows.end_row();
                book.block(&Compressor::new().block(rows.xml())).map_err(failed)?;
            }
            let placing = Placing {
                columns,
                writers: &writers,
                first_row: place.first_row,
                sheet_columns: place.columns.clone(),
                order: place.order.clone(),
                source_column: None,
            };
            let written = write(source, surveyed, &placing, book)?;
            check_strict(options, source, columns, &written)?;
            book.end_rows().map_err(failed)?;
            if let Some(table) = place.table.as_ref().filter(|_| records > 0) {
                book.grow_table(table, place.last_row(records)).map_err(failed)?;
            }
            written
        }
    };
    let table = place.table.as_ref().map(|t| t.name.clone());
    let mut receipt = SheetReceipt::new(&[(source, surveyed)], columns, name, table, written);
    receipt.placed = Some(place.range(records).to_string());
    Ok(receipt)
}

/// A cell as it is typed.
fn cell(text: &str) -> Result<CellRef> {
    CellRef::parse(text)
        .ok_or_else(|| Failure::usage(format!("--at {text}: that is no cell")).help("say it like --at A2"))
}

/// What a dry run knows of what would be written.
fn dry_written(surveyed: &Surveyed) -> Written {
    let mut written = Written { rows: surveyed.reading.records, ..Written::default() };
    for column in &surveyed.reading.columns {
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

fn sheet_columns(columns: &[ColumnReading], writers: &[ColumnWriter]) -> Vec<SheetColumn> {
    columns
        .iter()
        .zip(writers)
        .filter(|(c, _)| c.is_wanted())
        .map(|(column, writer)| SheetColumn {
            name: column.name.clone(),
            longest: column.stats.longest,
            style: writer.empty_style(column),
            is_text: column.rule.kind() == Kind::Text,
        })
        .collect()
}

/// All sources become one table; kinds are decided over all of them.
fn import_together(options: &Import, to: &Book, choices: &reading::Choices) -> Result<Receipt> {
    let sources = &to.sources;
    let Some((first_source, first)) = sources.first() else { return Err(Failure::usage("no sources")) };
    let name_list =
        |s: &Surveyed| s.reading.columns.iter().map(|c| c.name.to_lowercase()).collect::<Vec<_>>();
    for (source, surveyed) in &sources[1..] {
        if name_list(surveyed) != name_list(first) {
            return Err(different_columns(first_source, first, source, surveyed));
        }
    }
    let mut survey = first.survey.clone();
    for (_, more) in &sources[1..] {
        survey.absorb(&more.survey);
    }
    let combined = reading::conclude(
        first.reading.encoding.clone(),
        first.reading.bom_bytes,
        first.reading.line_end,
        first.reading.layout.clone(),
        &survey,
        choices,
        &first.head,
    )
    .map_err(|bad| Failure::usage(format!("{}: {}", bad.option, bad.why)))?;
    let columns = &combined.columns;
    check_limits(first_source, columns, combined.records)?;
    let mut styles = Styles::new();
    let mut opened = Opened::at(&to.path, options.dry_run)?;
    let writers: Vec<ColumnWriter> = columns
        .iter()
        .map(|c| ColumnWriter::new(c, &mut styles).counting_from_1904(opened.from_1904))
        .collect();
    let stem = to.path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let wanted = options.sheet.as_deref().unwrap_or(&stem);
    let names = Names { stem: &stem, ..names_of(first_source, first) };
    let wanted = placeholders::fill(wanted, "--sheet", names, false)?;
    let name = sheet_name::legal(&wanted, &[]);
    check_new_sheet(options, &to.path, &name)?;
    opened.check_free(&to.path, &name)?;
    let table = (!options.plain).then(|| sheet_name::legal_table(&stem, &opened.taken_names));
    let mut source_name = "Source".to_owned();
    while columns.iter().any(|c| c.name.eq_ignore_ascii_case(&source_name)) {
        source_name.push('_');
    }
    let longest = sources.iter().map(|(s, _)| s.name.encode_utf16().count()).max().unwrap_or(0) as u32;
    let mut sheet_columns = sheet_columns(columns, &writers);
    sheet_columns.insert(0, SheetColumn { name: source_name, longest, style: Styles::TEXT, is_text: true });
    let layout = SheetLayout {
        name: name.clone(),
        columns: sheet_columns,
        rows: combined.records,
        header: true,
        table: table.clone(),
    };
    let mut row = layout.first_row();
    let mut book = None;
    let mut written = Written::default();
    let writer = opened.writer.take();
    if writer.is_none() {
        for (_, surveyed) in sources {
            written.merge(dry_written(surveyed));
        }
    } else if let Some(mut writer) = writer {
        writer.begin_sheet(layout).map_err(|e| not_written(&e))?;
        for (source, surveyed) in sources {
            let file = source.path().and_then(Path::file_name).map(|n| n.to_string_lossy().into_owned());
            let label = file.unwrap_or_else(|| source.name.clone());
            let placing = Placing::new(columns, &writers, row, Some(label.as_str()));
            let part = write(source, surveyed, &placing, &mut writer)?;
            check_strict(options, source, columns, &part)?;
            row += part.rows as u32;
            written.merge(part);
        }
        writer.end_sheet().map_err(|e| not_written(&e))?;
        book = Some(writer);
    }
    let all: Vec<(&Source, &Surveyed)> = sources.iter().map(|(s, r)| (s, r)).collect();
    let sheet = SheetReceipt::new(&all, columns, name, table, written);
    finish(options, &to.path, book, &styles, vec![sheet])
}

fn different_columns(
    first_source: &Source,
    first: &Surveyed,
    source: &Source,
    surveyed: &Surveyed,
) -> Failure {
    let names = |s: &Surveyed| {
        let names: Vec<&str> = s.reading.columns.iter().map(|c| c.name.as_str()).collect();
        names.join(", ")
    };
    Failure::protected(format!(
        "{} and {} have different columns\n  {}: {}\n  {}: {}",
        first_source.shown(),
        source.shown(),
        first_source.shown(),
        names(first),
        source.shown(),
        names(surveyed)
    ))
    .leaving("nothing was written")
    .help("import them without --together: each gets a sheet of its own")
}

fn finish(
    options: &Import,
    path: &Path,
    book: Option<BookWriter<Target>>,
    styles: &Styles,
    sheets: Vec<SheetReceipt>,
) -> Result<Receipt> {
    let mut bytes = None;
    let existed = path.exists();
    if let Some(book) = book {
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
