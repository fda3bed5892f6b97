//! `incola undo`

use crate::exit_code::ExitCode;
use crate::failure::Result;
use crate::flags::definitions::Undo;
use crate::output::print;
use crate::state;

/// Seconds between a change and the time of its file, at most.
const SLACK: i64 = 5;

/// Takes back the last change that Incola made to a workbook.
pub(crate) fn run(options: &Undo) -> Result<ExitCode> {
    // What was appended by the change that is undone may be appended again.
    let changed = std::fs::metadata(&options.book).and_then(|about| about.modified()).ok();
    state::undo(&options.book, options.even_changed)?;
    if let Some(time) = changed.and_then(|time| jiff::Timestamp::try_from(time).ok()) {
        let since = time.checked_sub(jiff::Span::new().seconds(SLACK)).unwrap_or(time);
        state::appended::forget_since(&options.book, &since.strftime("%Y-%m-%dT%H:%M:%SZ").to_string());
    }
    print(&format!("{}   restored to the version before the last change\n", options.book.display()))?;
    Ok(ExitCode::Done)
}
