//! `incola import`

mod apart;
mod item;
mod opened;
mod rows;
mod sheet;
mod together;

use crate::docket::{self, DocketFile, Shelf, shape};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Import;
use crate::io::disk;
use crate::io::folder;
use crate::io::source::{Source, is_address};
use crate::io::target;
use crate::links;
use crate::output::{print_receipt, report};
use crate::placeholders;
use crate::questions::{self, Asker};
use crate::receipt::Receipt;
use crate::render;
use crate::state;
use crate::wording;
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::{self, ColumnReading};
use incola_core::settings::{self, LineRange};
use incola_engine::feed::Feed;
use incola_engine::stop::Stop;
use incola_engine::text::{Surveyed, survey};
use incola_engine::totals;
use item::{Book, SMALL, check_limits, names_of};
pub(crate) use item::{Item, Options};
use opened::check_place;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
pub(crate) use together::source_column;

/// Imports sources into workbooks.
pub(crate) fn run(options: &Import) -> Result<ExitCode> {
    // Mistakes in what was typed are told before anything is read.
    options.read.choices(None)?;
    options.place()?;
    options.read.renames()?;
    if let Some(path) = &options.save_docket {
        docket::save::check(path)?;
    }
    check_ending(&options.into)?;
    let folder = target::folder_of(&options.into);
    if !placeholders::any(&options.into.to_string_lossy()) {
        check_place(&options.into, options.even_signed)?;
    } else if !placeholders::any(&folder.to_string_lossy()) {
        target::check_folder(folder, &options.into)?;
    }
    let spool_folder = if disk::is_folder(folder) { folder.to_owned() } else { std::env::temp_dir() };
    let names = folder::expand(&options.sources)?;
    let mut work = Work {
        options,
        shared: Arc::new(Options::new(&Arc::new(options.clone()), None)?),
        spool_folder,
        shelf: Shelf::default(),
        code: ExitCode::Done,
        receipts: Vec::new(),
        answers: Vec::new(),
        first: None,
    };
    // One bad source of a table ends everything before something is written.
    let are_apart = !options.together && is_one_each(&options.into, &names);
    let count = if are_apart { BATCH } else { names.len() };
    for some in names.chunks(count.max(1)) {
        let books = work.look(some)?;
        let is_only = books.len() == 1 && some.len() == names.len();
        work.write(books, is_only)?;
    }
    let Work { shared, code, receipts, answers, first, .. } = work;
    if let Some(path) = options.save_docket.as_ref().filter(|_| !receipts.is_empty() && !options.dry_run)
        && let Some(item) = &first
    {
        docket::save::save(path, item)?;
    }
    let own = first.as_ref().map_or(&shared, |item| &item.options);
    if !receipts.is_empty() && !options.dry_run {
        remember(own, &receipts, &answers);
    }
    if options.json {
        let receipts: Vec<_> = receipts.iter().map(render::receipt_json::receipt).collect();
        print_receipt(&render::json_text(&receipts))?;
    } else if receipts.iter().any(|r| !options.quiet || r.status() != ExitCode::Done) {
        let next = wording::next_time::next_time(own, &receipts, &answers);
        print_receipt(&format!("{}\n{next}", render::receipt::pages(&receipts)))?;
    }
    Ok(code)
}

/// An import on its way.
struct Work<'o> {
    options: &'o Import,
    /// What was typed, for all sources without a docket.
    shared: Arc<Options>,
    spool_folder: PathBuf,
    shelf: Shelf,
    code: ExitCode,
    receipts: Vec<Receipt>,
    answers: Vec<String>,
    /// The first source.
    first: Option<Item>,
}

/// Workbooks of one source each that are worked on side by side.
const BATCH: usize = MOST_OPEN;

/// Whether each source goes into a workbook of its own, whatever it holds: names that are called by `{stem}` alone differ.
fn is_one_each(into: &Path, names: &[String]) -> bool {
    let template = into.to_string_lossy().to_lowercase();
    if template.matches("{stem}").count() != 1 || placeholders::any(&template.replace("{stem}", "")) {
        return false;
    }
    let mut begins = HashSet::new();
    names.iter().all(|name| {
        let file =
            Path::new(name).file_name().map_or_else(String::new, |n| n.to_string_lossy().to_lowercase());
        let begin = file.split('.').next().unwrap_or_default().to_owned();
        let is_plain = |c: char| c.is_alphanumeric() || "-_ ".contains(c);
        begin.starts_with(char::is_alphanumeric) && begin.chars().all(is_plain) && begins.insert(begin)
    })
}

impl Work<'_> {
    /// Reads sources, and says what goes into which workbook.
    fn look(&mut self, names: &[String]) -> Result<Vec<Book>> {
        let are_many = names.len() > MOST_OPEN;
        let Self { options, shared, spool_folder, shelf, code, answers, .. } = self;
        let (options, shared, spool_folder) = (*options, &*shared, &**spool_folder);
        let mut books: Vec<Book> = Vec::new();
        let mut places: HashMap<PathBuf, usize> = HashMap::new();
        let mut left = names.iter();
        // Small sources are looked at side by side, large ones one after the other, each on all processors.
        incola_parallel::ordered(
            || {
                let Some(name) = left.next() else { return Ok(None) };
                let docket = docket::find_on(shelf, &options.read, name, Some(&options.into));
                Ok(Some((name, docket)))
            },
            || (),
            |(), (name, docket)| match docket {
                Ok(docket) if is_small(name) => {
                    Found::Read(Box::new(read(shared, name, docket, spool_folder)))
                }
                docket => Found::Named(name, Box::new(docket)),
            },
            |found| {
                let prepared = match found {
                    Found::Read(found) => *found,
                    Found::Named(name, docket) => {
                        (*docket).and_then(|docket| read(shared, name, docket, spool_folder))
                    }
                };
                let added = prepared.and_then(|read| prepare(read, are_many)).and_then(|(path, item)| {
                    answers.extend(item.answers.iter().cloned());
                    let place = *places.entry(path.clone()).or_insert(books.len());
                    if place == books.len() {
                        books.push(Book { path, items: Vec::new() });
                    }
                    books[place].add(item, are_many)
                });
                match added {
                    Err(failure) if options.together || failure.status == ExitCode::Interrupted => {
                        Err(failure)
                    }
                    Err(failure) => {
                        report(&failure);
                        *code = (*code).max(failure.status);
                        Ok(())
                    }
                    Ok(()) => Ok(()),
                }
            },
        )?;
        Ok(books)
    }

    /// Writes workbooks. `is_only`: there is one, and its failure ends the work.
    fn write(&mut self, mut books: Vec<Book>, is_only: bool) -> Result<()> {
        let Self { options, code, receipts, .. } = self;
        let options = *options;
        let write = |book: &Book| {
            if book.items.iter().any(|item| item.options.is_together()) {
                together::import(book).map(|receipt| (receipt, ExitCode::Done))
            } else {
                apart::import(options, book)
            }
        };
        let mut left = books.iter();
        incola_parallel::ordered(
            || Ok(left.next()),
            || (),
            |(), book| (book, book.is_small().then(|| write(book))),
            |(book, done)| {
                match done.unwrap_or_else(|| write(book)) {
                    Ok((receipt, failed)) => {
                        *code = (*code).max(receipt.status()).max(failed);
                        receipts.push(receipt);
                    }
                    Err(failure) if is_only || failure.status == ExitCode::Interrupted => {
                        return Err(failure);
                    }
                    Err(failure) => {
                        report(&failure);
                        *code = (*code).max(failure.status);
                    }
                }
                Ok(())
            },
        )?;
        if self.first.is_none() {
            self.first = books.iter_mut().find_map(|book| book.items.drain(..).next());
        }
        Ok(())
    }
}

/// Sources and workbooks of an import that are remembered by their names.
const NAMED: usize = 3;

/// Remembers an import, for `recent`.
fn remember(options: &Options, receipts: &[Receipt], answers: &[String]) {
    let absolute = |name: &str| match std::path::absolute(name) {
        Ok(path) if name != "-" && !is_address(name) => path.display().to_string(),
        _ => name.to_owned(),
    };
    let sources = || receipts.iter().flat_map(|r| r.sheets.iter().flat_map(|sheet| &sheet.sources));
    state::recent::note(state::recent::Recent {
        at: state::now(),
        folder: std::env::current_dir().map(|folder| folder.display().to_string()).unwrap_or_default(),
        sources: sources().take(NAMED).map(|source| absolute(&source.name)).collect(),
        source_count: sources().count() as u64,
        books: receipts.iter().take(NAMED).map(|r| absolute(&r.book)).collect(),
        rows: receipts.iter().flat_map(|r| &r.sheets).map(|sheet| sheet.written.rows).sum(),
        command: wording::next_time::next_file(options, answers),
    });
}

/// Sources that are kept open from the first look to the last; of more, each is opened when it is read.
const MOST_OPEN: usize = 64;

/// A source on its way.
enum Found<'n> {
    /// It was read.
    Read(Box<Result<ReadSource>>),
    /// It is yet to be read: its name and docket.
    Named(&'n str, Box<Result<Option<DocketFile>>>),
}

/// A source that was read once.
struct ReadSource {
    name: String,
    source: Source,
    surveyed: Surveyed,
    options: Arc<Options>,
    choices: reading::Choices,
    lines: Option<LineRange>,
    docket: Option<DocketFile>,
}

/// Whether a source is a file that is looked at beside others.
fn is_small(name: &str) -> bool {
    disk::metadata(name).is_ok_and(|about| about.is_file() && about.len() <= SMALL)
}

/// Reads a source once.
fn read(
    options: &Arc<Options>,
    name: &str,
    docket: Option<DocketFile>,
    spool_folder: &Path,
) -> Result<ReadSource> {
    let source = Source::open_with(name, docket.as_ref().map(|file| &file.docket), spool_folder)?;
    let (choices, lines) = options.typed.read.choices(docket.as_ref())?;
    // What was typed holds the names of all sources: it is there once.
    let options = match &docket {
        None => Arc::clone(options),
        docket => Arc::new(Options::new(&options.typed, docket.as_ref())?),
    };
    let surveyed = survey(&source, &choices, lines)?;
    Ok(ReadSource { name: name.to_owned(), source, surveyed, options, choices, lines, docket })
}

/// What is done with a source before something is written: also gives the workbook that it goes into. `are_many`: whether it is not to be
/// kept open.
fn prepare(read: ReadSource, are_many: bool) -> Result<(PathBuf, Item)> {
    let ReadSource { name, mut source, surveyed, mut options, mut choices, lines, docket } = read;
    let (mut surveyed, answers) = settle(&options.typed, &source, surveyed, &mut choices, lines)?;
    if options.read.blank.clone().unwrap_or_default() != choices.blank {
        let read = settings::Reading { blank: Some(choices.blank.clone()), ..options.read.clone() };
        options = Arc::new(Options { read, typed: Arc::clone(&options.typed), place: options.place.clone() });
    }
    if surveyed.rolled_up.is_some() && options.place.key.is_none() {
        // Each group is there once.
        let place = settings::Place { key: group_names(&surveyed), ..options.place.clone() };
        options = Arc::new(Options { read: options.read.clone(), typed: Arc::clone(&options.typed), place });
    }
    totals::settle(&source, &mut surveyed)?;
    let changes = docket.as_ref().map(|file| -> Result<_> {
        let (typed, _) = options.typed.read.choices(None)?;
        Ok(shape::changes(&surveyed, &typed, file))
    });
    let changes = changes.transpose()?.flatten();
    let wishes = shape::Wishes {
        renames: &options.typed.read.renames()?,
        case: options.place.name_case,
        carried: options.read.carried,
    };
    let shape = shape::shape(&mut surveyed.reading, docket.as_ref(), wishes, &name)?;
    surveyed.reading.notices.extend(changes);
    check_limits(&source, &surveyed.reading.columns, surveyed.reading.records, surveyed.rolled_up.is_some())?;
    check_computed(&source, &surveyed, options.place.strict == Some(true))?;
    let book = book_for(&options.typed, &source, &surveyed)?;
    if let Some(docket) = &docket {
        state::note_use(&docket.path);
    }
    if let Some(key) = &options.place.key {
        links::make::key_columns(key, &shape, &surveyed.reading.columns)?;
    }
    if are_many {
        source.close();
        surveyed.shrink();
    }
    let (choices, docket) = (Arc::new(choices), docket.map(Box::new));
    Ok((book, Item { source, surveyed, options, choices, shape, docket, answers }))
}

/// Fails if values must all be computed, and one cannot be.
fn check_computed(source: &Source, surveyed: &Surveyed, is_strict: bool) -> Result<()> {
    let unmade = |notice: &&Notice| is_strict && notice.code == NoticeCode::NotComputed;
    let Some(notice) = surveyed.reading.notices.iter().find(unmade) else { return Ok(()) };
    let line = notice.line.map_or_else(String::new, |line| format!("line {line}: "));
    Err(Failure::protected(format!("{}: {line}{}", source.shown(), notice.message))
        .leaving("nothing was written, because of --strict")
        .help("to leave such cells empty: leave --strict out"))
}

/// The columns that make a group, where records were rolled up and all of those are wanted.
fn group_names(surveyed: &Surveyed) -> Option<Vec<String>> {
    let groups = surveyed.reading.layout.shaping.as_ref()?.grouping()?.keys();
    let columns = surveyed.reading.columns.get(..groups)?;
    columns.iter().all(ColumnReading::is_wanted).then(|| columns.iter().map(|c| c.name.clone()).collect())
}

/// Puts one source of so many records into a workbook, read by these choices: what was typed says where.
///
/// # Errors
/// Those of an import.
pub(crate) fn put(typed: Import, source: Source, choices: reading::Choices, records: u64) -> Result<Receipt> {
    let options = Arc::new(Options::new(&Arc::new(typed), None)?);
    let mut surveyed = survey(&source, &choices, None)?;
    if surveyed.reading.records != records {
        // Rows would stand beside those that they do not belong to.
        return Err(Failure::protected("its values cannot be told from lines that are no records")
            .leaving("the workbook was not changed"));
    }
    let wishes = shape::Wishes { renames: &[], case: None, carried: None };
    let shape = shape::shape(&mut surveyed.reading, None, wishes, &source.stem)?;
    check_limits(&source, &surveyed.reading.columns, surveyed.reading.records, surveyed.rolled_up.is_some())?;
    let typed = Arc::clone(&options.typed);
    let choices = Arc::new(choices);
    let item = Item { source, surveyed, options, choices, shape, docket: None, answers: Vec::new() };
    let book = Book { path: typed.into.clone(), items: vec![item] };
    apart::import(&typed, &book).map(|(receipt, _)| receipt)
}

/// Asks what cannot be told, where someone sits at a terminal; the choices hold the answers then. Also gives the options that say them.
fn settle(
    options: &Import,
    source: &Source,
    surveyed: Surveyed,
    choices: &mut reading::Choices,
    lines: Option<LineRange>,
) -> Result<(Surveyed, Vec<String>)> {
    let columns = &surveyed.reading.columns;
    let doubts = surveyed.reading.layout.doubt.is_some()
        || columns.iter().any(|column| column.doubt.is_some() || column.misfits.count > 0);
    if !doubts
        || !questions::can_be_asked()
        || options.no_questions
        || options.json
        || options.together
        || source.path().is_none()
    {
        return Ok((surveyed, Vec::new()));
    }
    let (mut input, mut output) = (std::io::stdin().lock(), anstream::stderr().lock());
    let mut asker = Asker { input: &mut input, output: &mut output };
    let mut surveyed = surveyed;
    let mut said = Vec::new();
    for ask in [questions::ask_layout, questions::ask_misfits, questions::ask_columns] {
        let answers = ask(&surveyed, choices, &mut asker)?;
        if answers.needs_survey {
            surveyed = survey(source, choices, lines)?;
        } else if !answers.options.is_empty() {
            surveyed.reading = surveyed.conclude(choices).map_err(Stop::BadSetting)?;
        }
        said.extend(answers.options);
    }
    Ok((surveyed, said))
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
    if ending == "xlsx" || (ending == "xlsm" && disk::exists(path)) {
        return Ok(());
    }
    Err(Failure::usage(format!("--into {}: a workbook's name ends in .xlsx", path.display())).help(format!(
        "--into {}",
        render::command::quoted(&path.with_extension("xlsx").display().to_string())
    )))
}
