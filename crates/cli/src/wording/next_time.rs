//! The command for next time, after an import.

use crate::commands::import::Options;
use crate::flags::definitions::Import;
use crate::receipt::Receipt;
use crate::render::command::{again, quoted};
use incola_core::settings::model::Mode;

/// Workbooks whose commands are printed one by one.
const FEW: usize = 3;

/// What is done next time, and the command for it. `answers`: options that answer what was asked.
pub(crate) fn next_time(options: &Options, receipts: &[Receipt], answers: &[String]) -> String {
    let typed = &options.typed;
    if typed.dry_run {
        return format!("To write it:\n  {}\n", again(typed, answers));
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
            format!("Next time, when the source has changed:\n{commands}")
        }
        _ => {
            let next = Import { mode: Some(Mode::Replace.word().to_owned()), ..(**typed).clone() };
            format!("Next time, to replace these rows:\n  {}\n", again(&next, answers))
        }
    }
}
