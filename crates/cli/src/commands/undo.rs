//! `incola undo`

use crate::exit_code::ExitCode;
use crate::failure::Result;
use crate::flags::definitions::Undo;
use crate::io::disk;
use crate::output::print;
use crate::render::sanitize::line;
use crate::render::style;
use crate::render::text::{grouped, right};
use crate::state;
use incola_core::words::counted;

/// Seconds between a change and the time of its file, at most.
const SLACK: i64 = 5;

/// Takes back the last change that Incola made to a workbook, or goes back to a version, or lists them.
pub(crate) fn run(options: &Undo) -> Result<ExitCode> {
    let shown = line(&options.book.display().to_string());
    if options.list {
        return list(options, &shown);
    }
    // What was appended by the change that is undone may be appended again.
    let changed = disk::metadata(&options.book).and_then(|about| about.modified()).ok();
    let what = if let Some(number) = options.to {
        state::go_back(&options.book, number)?;
        format!("restored to version {number}; what it was is kept as the newest version")
    } else {
        state::undo(&options.book, options.even_changed)?;
        "restored to the version before the last change".to_owned()
    };
    if let Some(time) = changed.and_then(|time| jiff::Timestamp::try_from(time).ok()) {
        let since = time.checked_sub(jiff::Span::new().seconds(SLACK)).unwrap_or(time);
        state::appended::forget_since(&options.book, &since.strftime("%Y-%m-%dT%H:%M:%SZ").to_string());
    }
    print(&format!("{shown}   {what}\n"))?;
    Ok(ExitCode::Done)
}

fn list(options: &Undo, shown: &str) -> Result<ExitCode> {
    let versions = state::list(&options.book)?;
    let count = counted(versions.len() as u64, "version is kept", "versions are kept");
    let mut out = format!("{}   {count}\n", style::strong(shown));
    if !versions.is_empty() {
        out.push_str(&style::faint("\n  version  written               bytes\n"));
    }
    for version in versions {
        let written = version.written.and_then(|time| jiff::Timestamp::try_from(time).ok());
        let written = written.map_or_else(String::new, |time| {
            time.to_zoned(jiff::tz::TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
        });
        let (number, bytes) = (version.number.to_string(), grouped(version.bytes));
        out.push_str(&format!("  {}  {written:16}  {}\n", right(&number, 7), right(&bytes, 9)));
    }
    print(&out)?;
    Ok(ExitCode::Done)
}
