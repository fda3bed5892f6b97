//! `incola state`

use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::State;
use crate::output::print;
use crate::render;
use crate::render::sanitize::line;
use crate::render::style;
use crate::render::text::{counted, grouped, left, right, width};
use crate::state::{self, kept};
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct StateJson {
    folder: Option<String>,
    books: Vec<kept::Kept>,
}

/// Shows what the state folder holds, or removes it.
pub(crate) fn run(options: &State) -> Result<ExitCode> {
    let mut all = kept::list();
    if !options.books.is_empty() {
        for book in &options.books {
            if !all.iter().any(|kept| kept::is_of(kept, book)) {
                return Err(Failure::usage(format!("{}: nothing is kept of it", book.display()))
                    .help("what is kept of which workbook: incola state"));
            }
        }
        all.retain(|kept| options.books.iter().any(|book| kept::is_of(kept, book)));
    }
    if options.clear {
        return clear(options, &all);
    }
    if options.json {
        let folder = state::state_folder().map(|folder| folder.display().to_string());
        print(&render::json_text(&StateJson { folder, books: all }))?;
    } else {
        print(&page(&all))?;
    }
    Ok(ExitCode::Done)
}

fn clear(options: &State, all: &[kept::Kept]) -> Result<ExitCode> {
    let mut bytes = 0;
    for kept in all {
        // Nobody changes the workbook meanwhile.
        let book = kept.book.as_deref().map(Path::new).filter(|_| kept.exists);
        let _lock = book.map(state::lock_and_clear).transpose()?;
        bytes += kept.bytes;
        kept::clear(kept);
    }
    if options.books.is_empty() {
        bytes += state::recent::forget();
    }
    let books = counted(all.len() as u64, "workbook", "workbooks");
    print(&format!(
        "cleared, {} of {books}; the workbooks are as they were\n",
        counted(bytes, "byte", "bytes")
    ))?;
    Ok(ExitCode::Done)
}

fn page(all: &[kept::Kept]) -> String {
    let folder = state::state_folder().map(|folder| folder.display().to_string());
    let bytes = all.iter().map(|kept| kept.bytes).sum();
    let mut out = format!(
        "{}   {}, {}\n",
        style::strong(&folder.map_or_else(|| "there is no state folder".to_owned(), |f| line(&f))),
        counted(all.len() as u64, "workbook", "workbooks"),
        counted(bytes, "byte", "bytes")
    );
    if all.is_empty() {
        return out;
    }
    let name = |kept: &kept::Kept| match &kept.book {
        None => "(an older one, whose place was not noted)".to_owned(),
        Some(book) if kept.exists => line(book),
        Some(book) => format!("{} (not there any more)", line(book)),
    };
    let column = all.iter().map(|kept| width(&name(kept))).max().unwrap_or(0).max(8);
    let heads = format!("\n  {}  versions  links        bytes\n", left("workbook", column));
    out.push_str(&style::faint(&heads));
    for kept in all {
        out.push_str(&format!(
            "  {}  {}  {}  {}\n",
            left(&name(kept), column),
            right(&grouped(kept.versions), 8),
            right(&grouped(kept.links), 5),
            right(&grouped(kept.bytes), 11)
        ));
    }
    out.push_str(
        "\n  versions: for incola undo; links: what was imported, with a copy of each source up to 16 MiB\n\
           \n  To remove it, or that of one workbook (nothing can be undone then):\n    incola state --clear\n    incola state --clear BOOK\n",
    );
    out
}
