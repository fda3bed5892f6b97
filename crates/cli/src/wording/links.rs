//! What stands against a link, for people.

use super::places;
use crate::failure::Failure;
use crate::render::command::quoted;
use incola_core::words::counted;
use incola_engine::link::VERSION;
use incola_engine::refresh::report::RefreshNote;
use incola_engine::stop::{KindDiffers, LinkStop};
use incola_workbook::column_letters;
use std::path::Path;

/// What stands against a link. `book`: its workbook, for commands.
pub(crate) fn link(name: &str, why: &LinkStop, book: Option<&Path>) -> Failure {
    let shown = book.map_or_else(|| "WORKBOOK".to_owned(), |book| book.display().to_string());
    let refresh = format!("incola refresh {} {}", quoted(&shown), quoted(name));
    let table = "the table was not changed";
    let workbook = "the workbook was not changed";
    match why {
        LinkStop::Broken { why } => {
            Failure::unreadable(format!("link \u{201c}{name}\u{201d}: its docket is broken: {why}"))
        }
        LinkStop::NoForm => Failure::protected(format!(
            "link \u{201c}{name}\u{201d}: it does not hold how its source was written"
        ))
        .leaving("nothing was written")
        .help("reports, shaped rows, records whose lines are continued below, columns divided by runs of blanks and tables of several sources cannot be written back")
        .help("to write the rows in a form of their own: --to delimited, or --to fixed")
        .help("a link of an earlier version knows it from its next import on"),
        LinkStop::TableGone => Failure::protected(format!(
            "{shown}: the table of link \u{201c}{name}\u{201d} is gone from the workbook"
        ))
        .leaving(workbook)
        .help(format!("to end the link: incola link cut {} {}", quoted(&shown), quoted(name))),
        LinkStop::ColumnsLost { sheet, missing, unknown } => {
            columns_lost(name, (sheet, missing), unknown).leaving(workbook)
        }
        LinkStop::Reshaped { source, gone, added } => reshaped(source, gone, added)
            .leaving(table)
            .help(format!("to go on with the columns that there are: {refresh} --accept columns"))
            .help("a column that is gone keeps its values in the sheet, and belongs to you from then on; new columns are added after the others"),
        LinkStop::SourcesDiffer { first, other } => {
            Failure::protected(format!("{other} has other columns than {first}"))
                .leaving(table)
                .help("mend or move that file, then refresh again")
        }
        LinkStop::Shrunk { source, records, before } => {
            let what = match records {
                0 => format!("{source}: it has no records; the table has {before} from it"),
                _ => format!("{source}: it has {records} records, less than half of the {before} before"),
            };
            Failure::protected(what)
                .leaving(table)
                .help("check whether the other system has finished writing it")
                .help(format!("if it is right: {refresh} --accept shorter"))
        }
        LinkStop::KindsDiffer { source, columns } => kinds_differ(source, columns)
            .leaving(table)
            .help(format!("to take such values in as text: {refresh} --accept columns")),
        LinkStop::Damaged { source, news } => Failure::protected(format!(
            "{source}: it is damaged where it was not before\n  {}",
            news.join("\n  ")
        ))
        .leaving(table)
        .help("check whether the other system has finished writing it")
        .help(format!("to import it anyway: {refresh} --accept damage")),
        LinkStop::UnknownHand { sheet, rows } => Failure::protected(format!(
            "sheet \u{201c}{sheet}\u{201d}: {} changed or taken out by hand, and with columns gone it cannot be told which: the copy of \
             what was imported is missing",
            counted(*rows, "row was", "rows were")
        ))
        .leaving(workbook)
        .help("end the link with incola link cut, import into a new sheet, then move what was typed by hand"),
        LinkStop::NoRoom { range, sheet, why } => {
            let help = vec![format!("make room below {range}, then refresh again")];
            Failure { help, ..places::place(sheet, why) }
        }
        LinkStop::Refused { sheet, why } => {
            Failure::protected(format!("sheet \u{201c}{sheet}\u{201d}: {why}")).leaving(workbook)
        }
        LinkStop::NotKept { why } => Failure::unreadable(format!("the link cannot be kept: {why}")),
        LinkStop::Newer { version } => Failure::usage(format!(
            "{shown}: link \u{201c}{name}\u{201d} is of version {version}; this program reads up to {VERSION}"
        ))
        .leaving(workbook)
        .help("update the program"),
        why => Failure::unreadable(format!("link \u{201c}{name}\u{201d}: {why:?}")).leaving(workbook),
    }
}

fn columns_lost(name: &str, (sheet, missing): (&str, &[String]), unknown: &[(String, u32)]) -> Failure {
    let unknown: Vec<String> =
        unknown.iter().map(|(name, column)| format!("{name} ({})", column_letters(*column))).collect();
    let maybe = match unknown.as_slice() {
        [] => String::new(),
        all => format!("; they may have other names now: the link does not know {}", all.join(", ")),
    };
    Failure::protected(format!(
        "sheet \u{201c}{sheet}\u{201d}: columns of link \u{201c}{name}\u{201d} are not found: {}{maybe}",
        missing.join(", ")
    ))
    .help("restore their headings, or make a new link: incola link cut, then import with --mode replace")
}

fn reshaped(source: &str, gone: &[(String, String, Option<String>)], added: &[(String, String)]) -> Failure {
    let mut what = format!("{source}: its columns are not those of the table any more");
    for (name, kind, new) in gone {
        what.push_str(&match new {
            Some(new) => format!("\n  gone     {name} ({kind}); {new}, which is new, may be the same"),
            None => format!("\n  gone     {name} ({kind})"),
        });
    }
    for (name, kind) in added {
        what.push_str(&format!("\n  new      {name} ({kind})"));
    }
    Failure::protected(what)
}

fn kinds_differ(source: &str, columns: &[KindDiffers]) -> Failure {
    let mut what = format!("{source}: columns are of another kind than in the table");
    for KindDiffers { name, kind, misfits, filled, line } in columns {
        what.push_str(&format!(
            "\n  {name} is {kind}, and {misfits} of its {filled} values are none; the first in line {line}"
        ));
    }
    Failure::protected(what)
}

/// What else there is to know of a refresh.
pub(crate) fn note(note: &RefreshNote) -> String {
    match note {
        RefreshNote::KeyRepeats { columns, is_given: true } => {
            format!("{} is not the same for each record any more", columns.join(", "))
        }
        RefreshNote::KeyRepeats { columns, is_given: false } => format!(
            "{} repeats now: records are compared by all they hold; --key names a better one",
            columns.join(", ")
        ),
        RefreshNote::RangesEnd(places) => {
            format!(
                "ended with the rows, and do not reach the new ones (--follow takes them along): {}",
                places.join(", ")
            )
        }
        RefreshNote::RangesFollow(places) => {
            format!("ended with the rows, and reach the new ones now: {}", places.join(", "))
        }
    }
}
