//! What was said and found in an import, placing included, saved as a docket for the next file of the same sort.

use super::draft::pattern;
use super::{DocketFile, ENDING};
use crate::commands::import::Item;
use crate::failure::{Failure, Result};
use crate::io::disk::{self, Temporary};
use crate::io::target::folder_of;
use crate::links::make::resolved_alone;
use crate::render::command::quoted;
use incola_core::settings::docket::{Docket, Match};
use incola_engine::feed::Feed;
use std::io::Write;
use std::path::Path;

/// Fails if a docket cannot be saved there: asked before anything is read.
///
/// # Errors
/// Status 2 for a name that no docket has, 4 if a file exists.
pub(crate) fn check(path: &Path) -> Result<()> {
    let shown = path.display().to_string();
    if !shown.ends_with(ENDING) {
        let stem = shown.strip_suffix(".toml").unwrap_or(&shown);
        return Err(Failure::usage(format!("--save-docket {shown}: a docket's name ends in {ENDING}"))
            .leaving("nothing was written")
            .help(format!("--save-docket {}", quoted(&format!("{stem}{ENDING}")))));
    }
    if disk::exists(path) {
        return Err(Failure::protected(format!("{shown}: the docket exists already"))
            .leaving("nothing was written")
            .help("choose another name, or move the old docket away"));
    }
    Ok(())
}

/// Saves what was said and found in the import of a source.
///
/// # Errors
/// Status 3 if it cannot be written.
pub(crate) fn save(path: &Path, item: &Item) -> Result<()> {
    let Item { source, surveyed, options, shape, docket, .. } = item;
    let broken = |why: String| Failure::unreadable(format!("the docket cannot be written: {why}"));
    let text = resolved_alone(source, surveyed, &options.read, docket.as_deref(), shape)?;
    let mut saved = Docket::read(&text).map_err(|bad| broken(bad.why))?;
    let files = docket.as_deref().map(|file: &DocketFile| file.docket.matches.files.clone());
    let files = files.filter(|files| !files.is_empty()).unwrap_or_else(|| vec![pattern(&source.label())]);
    saved.matches = Match { files };
    saved.place = options.place.clone();
    let body = toml::to_string(&saved).map_err(|error| broken(error.to_string()))?;
    let text = format!(
        "# How files like {} are read and placed, as in an import that worked. Lines may be changed or left out.\n{body}",
        source.label().replace(|c: char| c.is_control(), " ")
    );
    let failed = |error: &std::io::Error| Failure::io(path, "write it", error);
    let mut file = Temporary::new_in(folder_of(path)).map_err(|e| failed(&e))?;
    file.write_all(text.as_bytes()).map_err(|e| failed(&e))?;
    super::open_to_others(&file).map_err(|e| failed(&e))?;
    file.persist_if_free(path).map_err(|e| failed(&e))?;
    Ok(())
}
