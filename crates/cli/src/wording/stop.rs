//! Why work ended early, for people.

use super::{links, places};
use crate::failure::Failure;
use incola_core::encoding::NotText;
use incola_core::survey::{MOST_COLUMNS, MOST_RECORD_BYTES};
use incola_engine::stop::Stop;
use std::path::Path;

impl From<Stop> for Failure {
    fn from(stop: Stop) -> Self {
        match stop {
            Stop::Interrupted => Self::interrupted(),
            // What reads for the engine fails with a failure of its own.
            Stop::Outside(error) => match error.downcast::<Self>() {
                Ok(failure) => *failure,
                Err(error) => Self::unreadable(error.to_string()),
            },
            Stop::Empty { source } => Self::protected(format!("{source}: the file is empty"))
                .help("nothing to import; check whether the other system has finished writing it"),
            Stop::NotText { source, why } => not_text(&source, why),
            Stop::SourceChanged { source } => {
                Self::protected(format!("{source}: the file changed while it was read"))
                    .help("wait until the other system has finished writing it, then import it again")
            }
            Stop::BadSetting(wrong) => super::settings::bad(&wrong, None),
            Stop::NoSuchStart { source, start, starts } => {
                let starts: Vec<String> = starts.iter().map(usize::to_string).collect();
                let starts = starts.join(",");
                Self::usage(format!("{source}: no column starts at {start}; the starts are {starts}"))
                    .help("see the lines under a ruler: incola inspect --raw")
            }
            Stop::FewLines { source, from, lines } => {
                Self::usage(format!("--lines {from}..: {source} has only {lines} lines"))
            }
            Stop::TooManyColumns { source, columns } => {
                Self::protected(format!("{source}: {columns} columns; a worksheet has {MOST_COLUMNS}"))
                    .leaving("nothing was written")
                    .help("check the delimiter: incola inspect --raw shows the lines")
            }
            Stop::TooManyGroups { column, most } => {
                Self::usage(format!("--by: \u{201c}{column}\u{201d} makes more than {most} groups"))
                    .help("choose a column with fewer different values, or a longer period")
            }
            Stop::RecordTooLong { line } => too_long(line),
            Stop::Book(error) => Self::unreadable(error.to_string()).leaving("the workbook was not changed"),
            Stop::NotWritten(error) => not_written(&error),
            Stop::Place { sheet, why } => places::place(&sheet, &why),
            Stop::Spot(why) => places::spot(&why),
            Stop::RowsLost => Self::unreadable("records that were put aside cannot be read back")
                .leaving("the workbook was not changed"),
            Stop::Link { link, why } => links::link(&link, &why, None),
            stop => Self::unreadable(stop.to_string()).leaving("nothing was written"),
        }
    }
}

/// What stopped work on the links of a workbook: commands name it.
pub(crate) fn in_book(stop: Stop, book: &Path) -> Failure {
    match stop {
        Stop::Link { link, why } => links::link(&link, &why, Some(book)),
        Stop::Book(error) => Failure::unreadable(format!("{}: {error}", book.display())),
        stop => stop.into(),
    }
}

/// What stopped work on the table of a link.
pub(crate) fn in_table(stop: Stop, book: &Path) -> Failure {
    match stop {
        Stop::Link { .. } => in_book(stop, book),
        Stop::Place { .. } | Stop::Spot(_) | Stop::Outside(_) | Stop::Book(_) | Stop::NotWritten(_) => {
            stop.into()
        }
        stop => Failure::from(stop).leaving("the table was not changed"),
    }
}

fn not_text(source: &str, why: NotText) -> Failure {
    let what = match why {
        NotText::Signature(what) => what.to_owned(),
        NotText::Controls(per_mille) => format!(
            "binary data ({}.{} % of its bytes are control characters)",
            per_mille / 10,
            per_mille % 10
        ),
    };
    Failure::unreadable(format!("{source}: this is {what}, not a text file"))
        .help("export it as text from the program it comes from, or use --encoding NAME if it is text")
}

fn too_long(line: Option<u64>) -> Failure {
    let place = line.map_or_else(String::new, |line| format!(" in line {line}"));
    Failure::protected(format!(
        "a record of more than {} MiB{place}: either this is not a table, or a quote is never closed",
        MOST_RECORD_BYTES / 1024 / 1024
    ))
    .help("look at the lines: incola inspect --raw")
    .help("use --quote none if quotes are ordinary characters")
}

/// A workbook that cannot be written.
pub(crate) fn not_written(error: &incola_workbook::Error) -> Failure {
    match error {
        incola_workbook::Error::Write { source, .. } if source.kind() == std::io::ErrorKind::StorageFull => {
            Failure::unreadable("the disk is full")
                .leaving("nothing was written")
                .help("make room, then import again")
        }
        error => Failure::unreadable(format!("the workbook cannot be written: {error}"))
            .leaving("nothing was written"),
    }
}
