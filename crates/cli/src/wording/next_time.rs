//! The command for next time, after an import.

use crate::commands::import::{Options, source_column};
use crate::flags::definitions::Import;
use crate::io::disk;
use crate::io::folder;
use crate::placeholders;
use crate::receipt::Receipt;
use crate::render::command::{again, quoted};
use crate::render::style;
use incola_core::settings::model::Mode;
use std::path::Path;

/// What a link keeps, and where.
const KEPT: &str = "Kept for it in the workbook: each source's path, its settings and 8 bytes a row;\n\
                    in your state folder: a copy of each source.\n";

/// Workbooks whose commands are printed one by one.
const FEW: usize = 3;

/// The command that does the same for the next file: the append to the same table, or the import into another workbook.
pub(crate) fn next_file(options: &Options, answers: &[String]) -> String {
    let typed = &options.typed;
    let is_one = typed.sources.len() == 1
        && !folder::is_pattern(&typed.sources[0])
        && !disk::is_folder(Path::new(&typed.sources[0]));
    let sources = if is_one { vec!["NEXT-FILE".to_owned()] } else { folder::in_short(&typed.sources) };
    let is_named = placeholders::any(&typed.into.to_string_lossy());
    let into = match options.mode() {
        Mode::Fresh if is_one && !is_named => "NEXT-BOOK.xlsx".into(),
        _ => typed.into.clone(),
    };
    again(&Import { sources, into, save_docket: None, ..(**typed).clone() }, answers)
}

/// What is done next time, and the command for it. `answers`: options that answer what was asked.
pub(crate) fn next_time(options: &Options, receipts: &[Receipt], answers: &[String]) -> String {
    let typed = &options.typed;
    if typed.dry_run {
        let same = Import { sources: folder::in_short(&typed.sources), ..(**typed).clone() };
        return format!("To write it:\n  {}\n", again(&same, answers));
    }
    let is_linked = receipts.iter().all(|r| r.sheets.iter().all(|sheet| sheet.link.is_some()));
    match options.mode() {
        Mode::Append => {
            let next =
                Import { sources: vec!["NEXT-FILE".to_owned()], save_docket: None, ..(**typed).clone() };
            format!("Next time, with the next file:\n  {}\n", again(&next, answers))
        }
        _ if is_linked => {
            let refresh = |r: &Receipt| format!("  incola refresh {}\n", quoted(&r.book));
            let mut commands: String = receipts.iter().take(FEW).map(refresh).collect();
            if receipts.len() > FEW {
                commands.push_str("  and so on for each workbook\n");
            }
            format!("Next time, when the source has changed:\n{commands}{}", style::faint(KEPT))
        }
        _ => {
            let sources = folder::in_short(&typed.sources);
            // A new table of several sources has a column for them, whether anyone asked for it or not.
            let new = receipts.iter().flat_map(|r| &r.sheets).find(|sheet| sheet.placed.is_none());
            let source_column = new.filter(|_| options.is_together()).map_or_else(
                || typed.source_column.clone(),
                |new| {
                    let others: Vec<&str> = new.columns.iter().map(|column| column.name.as_str()).collect();
                    Some(source_column(typed.source_column.as_deref(), &others))
                },
            );
            let mode = Some(Mode::Replace.word().to_owned());
            let next = Import { sources, mode, source_column, ..(**typed).clone() };
            format!("Next time, to replace these rows:\n  {}\n", again(&next, answers))
        }
    }
}
