//! `incola undo`

use crate::exit_code::ExitCode;
use crate::failure::Result;
use crate::flags::definitions::Undo;
use crate::output::print;
use crate::state;

/// Takes back the last change that Incola made to a workbook.
pub(crate) fn run(options: &Undo) -> Result<ExitCode> {
    state::undo(&options.book, options.even_changed)?;
    print(&format!("{}   is as it was before the last change\n", options.book.display()))?;
    Ok(ExitCode::Done)
}
