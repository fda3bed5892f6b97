//! `incola recent`

use crate::exit_code::ExitCode;
use crate::failure::Result;
use crate::flags::definitions::Recent;
use crate::output::print;
use crate::render;
use crate::render::command::quoted;
use crate::render::sanitize::line;
use crate::render::style;
use crate::render::text::counted;
use crate::state;
use std::path::Path;

/// Shows the last imports, with the command that does the same for the next file.
pub(crate) fn run(options: &Recent) -> Result<ExitCode> {
    let mut all = state::recent::list();
    if !options.all {
        all.truncate(options.count);
    }
    if options.json {
        print(&render::json_text(&all))?;
        return Ok(ExitCode::Done);
    }
    let here = std::env::current_dir().map(|folder| folder.display().to_string()).unwrap_or_default();
    let mut out = String::new();
    for import in &all {
        let few = |names: &[String], count: u64| {
            let own = names.iter().map(|name| line(&short(name, &here))).collect::<Vec<_>>().join(", ");
            let more = count.saturating_sub(names.len() as u64);
            if more > 0 { format!("{own} and {more} more") } else { own }
        };
        let books = few(&import.books, import.books.len() as u64);
        out.push_str(&format!(
            "{}  {} \u{2192} {books}, {}\n",
            style::faint(&render::links::local(&import.at)),
            few(&import.sources, import.source_count),
            counted(import.rows, "row", "rows")
        ));
        let command = line(&import.command);
        if import.folder == here {
            out.push_str(&format!("  {command}\n"));
        } else {
            out.push_str(&format!("  cd {} && {command}\n", quoted(&import.folder)));
        }
    }
    if all.is_empty() {
        out.push_str("no imports are remembered\n");
    }
    print(&out)?;
    Ok(ExitCode::Done)
}

/// A path as it is called in a folder.
fn short(path: &str, folder: &str) -> String {
    Path::new(path).strip_prefix(folder).map_or_else(|_| path.to_owned(), |own| own.display().to_string())
}
