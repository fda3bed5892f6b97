//! `incola inspect`

use crate::docket::{self, shape};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Inspect;
use crate::io::book_file::{is_book, read_book};
use crate::io::disk;
use crate::io::folder;
use crate::io::source::Source;
use crate::output::{print, report};
use crate::render::command::quoted;
use crate::render::raw::Lines;
use crate::render::{self, book::Overview};
use incola_core::settings::LineRange;
use incola_engine::text::{Surveyed, lines_of, survey};
use incola_engine::totals;
use serde::Serialize;
use std::path::Path;

/// Shows how each source is read, and what each workbook holds. One that cannot be read spoils none of the others.
pub(crate) fn run(options: &Inspect) -> Result<ExitCode> {
    // Mistakes in what was typed are told before anything is read.
    options.read.choices(None)?;
    let mut code = ExitCode::Done;
    let mut found = Vec::new();
    for (n, name) in folder::expand(&options.sources)?.iter().enumerate() {
        let one = if is_book(Path::new(name)) { book(options, name) } else { source(options, name) };
        match one {
            Ok(Shown { page, json, status }) => {
                if !options.json {
                    print(&if n > 0 { format!("\n{page}") } else { page })?;
                }
                found.push(json);
                code = code.max(status);
            }
            Err(failure) if failure.status == ExitCode::Interrupted => return Err(failure),
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if options.json {
        print(&render::json_text(&found))?;
    }
    Ok(code)
}

/// What is shown of one file.
struct Shown {
    page: String,
    json: ShownJson,
    status: ExitCode,
}

/// The same for programs.
#[derive(Serialize)]
#[serde(untagged)]
enum ShownJson {
    Reading(Box<render::reading_json::ReadingJson>),
    Book(Overview),
    Rows(render::book::RowsJson),
}

fn source(options: &Inspect, name: &str) -> Result<Shown> {
    let source = Source::open(name, &std::env::temp_dir())?;
    let docket = docket::find(&options.read, name, None)?;
    let (choices, lines) = options.read.choices(docket.as_ref())?;
    let mut surveyed = survey(&source, &choices, lines)?;
    totals::settle(&source, &mut surveyed)?;
    let mut obeyed = None;
    if let Some(file) = &docket {
        let (typed, _) = options.read.choices(None)?;
        let changes = shape::changes(&surveyed, &typed, file);
        // The preview shows the source, under its own names; what the docket lacks is told.
        let mut named = surveyed.reading.clone();
        let before = named.notices.len();
        let wishes = shape::Wishes { renames: &options.read.renames()?, ..shape::Wishes::default() };
        shape::shape(&mut named, docket.as_ref(), wishes, name)?;
        surveyed.reading.notices.extend(named.notices.drain(before..));
        surveyed.reading.notices.extend(changes);
        obeyed = Some(file.path.display().to_string());
    }
    let looks = surveyed.reading.notices.iter().any(|n| n.code.needs_a_look());
    let page = match (options.json, options.raw) {
        (true, _) => String::new(),
        (_, true) => render::raw::lines(&source, &surveyed, &raw_lines(options, &source, &surveyed, lines)?),
        _ => render::reading::page(name, &surveyed, options, obeyed.as_deref()),
    };
    let json = ShownJson::Reading(Box::new(render::reading_json::reading(name, &surveyed, obeyed)));
    Ok(Shown { page, json, status: if looks { ExitCode::NeedsALook } else { ExitCode::Done } })
}

/// Lines that are shown at most, where a range of them is wanted.
const MOST_LINES: usize = 10_000;

/// The lines that are wanted, or the first ones.
fn raw_lines(
    options: &Inspect,
    source: &Source,
    surveyed: &Surveyed,
    wanted: Option<LineRange>,
) -> Result<Lines> {
    let Some(wanted) = wanted else {
        return Ok(Lines { first: 1, count: options.rows, text: surveyed.head.clone() });
    };
    let count = usize::try_from(wanted.to.saturating_sub(wanted.from)).unwrap_or(usize::MAX);
    let count = count.saturating_add(1).min(MOST_LINES);
    let text = lines_of(source, surveyed, wanted, count)?;
    Ok(Lines { first: wanted.from, count, text })
}

fn book(options: &Inspect, name: &str) -> Result<Shown> {
    let path = Path::new(name);
    let failed = |e: incola_workbook::Error| Failure::unreadable(format!("{name}: {e}"));
    let mut book = read_book(path)?;
    let bytes = disk::metadata(path).map_or(0, |about| about.len());
    if let Some(wanted) = &options.sheet {
        let names = book.sheet_names();
        let Some(n) = names.iter().position(|s| s.to_lowercase() == wanted.to_lowercase()) else {
            let list: Vec<String> = names.iter().map(|s| quoted(s)).collect();
            return Err(Failure::usage(format!("{name}: it has no sheet \u{201c}{wanted}\u{201d}"))
                .help(format!("its sheets: {}", list.join(", "))));
        };
        let rows = render::book::first_rows(&mut book, n, options.rows).map_err(failed)?;
        let page = render::book::rows_page(name, &names[n], &rows);
        return Ok(Shown {
            page,
            json: ShownJson::Rows(render::book::rows_json(name, &names[n], &rows)),
            status: ExitCode::Done,
        });
    }
    let overview = Overview::of(&mut book, name, bytes);
    let is_whole = overview.unreadable().next().is_none();
    let status = if is_whole { ExitCode::Done } else { ExitCode::Unreadable };
    Ok(Shown { page: overview.page(), json: ShownJson::Book(overview), status })
}
