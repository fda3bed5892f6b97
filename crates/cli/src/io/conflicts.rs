//! Conflicts of a refresh as a table of text, to be decided in any program and read again.
//!
//! A row is a conflict; `sheet` or `source` goes into its column `take`. What a conflict is known by stands in the column `mark`, so that
//! rows may be sorted, left out, and saved with other delimiters.

use crate::failure::{Failure, Result};
use crate::io::disk::{self, Temporary};
use crate::io::target::folder_of;
use incola_core::record::{Dialect, Machine, Step};
use incola_core::settings::list_text;
use incola_engine::refresh::report::{Change, Report, What};
use incola_engine::refresh::{ConflictMark, Decisions, Winner};
use std::io::Write;
use std::path::Path;

const HEADINGS: [&str; 9] =
    ["link", "row", "record", "column", "imported", "sheet", "source", "mark", "take"];

/// Bytes of a table that is read.
const MOST: u64 = 64 << 20;

/// Fails if a table of conflicts cannot be written there: asked before anything is read.
///
/// # Errors
/// Status 4 if a file exists.
pub(crate) fn check(path: &Path) -> Result<()> {
    if disk::exists(path) {
        return Err(Failure::protected(format!("{}: the file exists already", path.display()))
            .leaving("nothing was written")
            .help("choose another name, or move the old file away"));
    }
    Ok(())
}

/// Writes the conflicts that nobody decided; gives how many there are.
///
/// # Errors
/// Status 3 if it cannot be written.
pub(crate) fn write<'r>(path: &Path, reports: impl Iterator<Item = &'r Report>) -> Result<usize> {
    let mut rows: Vec<String> = Vec::new();
    for report in reports {
        for change in report.changes.iter().filter(|change| change.what == What::Conflict) {
            rows.extend(open(change).map(|(cells, mark)| {
                let [column, imported, sheet, source] = cells;
                let (link, row) = (report.link.clone(), change.row.to_string());
                let record = change.label.clone();
                let mark = mark.to_string();
                list_text(&[link, row, record, column, imported, sheet, source, mark, String::new()])
            }));
        }
    }
    if rows.is_empty() {
        return Ok(0);
    }
    let text = format!("{}\r\n{}\r\n", HEADINGS.join(","), rows.join("\r\n"));
    let failed = |error: &std::io::Error| Failure::io(path, "write it", error);
    let mut file = Temporary::new_in(folder_of(path)).map_err(|e| failed(&e))?;
    // With a mark, so that every program reads it as UTF-8.
    file.write_all("\u{feff}".as_bytes())
        .and_then(|()| file.write_all(text.as_bytes()))
        .map_err(|e| failed(&e))?;
    file.persist_if_free(path).map_err(|e| failed(&e))?;
    Ok(rows.len())
}

/// The conflicts of a change that nobody decided: column, imported, sheet and source, and what it is known by.
fn open(change: &Change) -> impl Iterator<Item = ([String; 4], ConflictMark)> + '_ {
    let row = change.conflict.iter().map(|conflict| {
        let why = change.why.clone().unwrap_or_default();
        ([String::new(), String::new(), why, "(gone)".to_owned()], *conflict)
    });
    let cells = change.cells.iter().filter_map(|cell| {
        let texts = [
            cell.column.clone(),
            cell.imported.clone().unwrap_or_default(),
            cell.sheet.clone(),
            cell.source.clone().unwrap_or_default(),
        ];
        Some((texts, cell.conflict?))
    });
    row.chain(cells).filter(|(_, conflict)| conflict.winner.is_none()).map(|(texts, c)| (texts, c.mark))
}

/// Reads what was decided; gives how many conflicts were.
///
/// # Errors
/// Status 3 if it cannot be read, 2 if it is no table of conflicts or says something else than sheet or source.
pub(crate) fn read(path: &Path) -> Result<(Decisions, usize)> {
    let failed = |error: &std::io::Error| Failure::io(path, "read it", error).leaving("nothing was written");
    let about = disk::metadata(path).map_err(|e| failed(&e))?;
    if about.len() > MOST {
        return Err(none(path, "is too large for one"));
    }
    let bytes = disk::read(path).map_err(|e| failed(&e))?;
    if bytes.starts_with(b"PK\x03\x04") {
        return Err(none(path, "is a workbook: save it as text, with commas or semicolons"));
    }
    decisions(path, &text_of(&bytes))
}

/// The text: its marks and decisions are plain ASCII, so that only UTF-16 has to be told from all others.
fn text_of(bytes: &[u8]) -> Vec<u8> {
    match bytes {
        [0xff, 0xfe, rest @ ..] => {
            let units: Vec<u16> =
                rest.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
            String::from_utf16_lossy(&units).into_bytes()
        }
        [0xef, 0xbb, 0xbf, rest @ ..] => rest.to_vec(),
        _ => bytes.to_vec(),
    }
}

fn none(path: &Path, why: &str) -> Failure {
    Failure::usage(format!("{}: this is no table of conflicts: it {why}", path.display()))
        .leaving("nothing was written")
        .help("one is written by incola refresh BOOK --conflicts-to F.csv")
}

fn decisions(path: &Path, text: &[u8]) -> Result<(Decisions, usize)> {
    let places = |delimiter: &str| {
        let mut machine = Machine::new(&Dialect::new(delimiter));
        if machine.step(text, 0, true) != Step::Record {
            return None;
        }
        let headings: Vec<&[u8]> = machine.fields(text).collect();
        let find =
            |name: &str| headings.iter().position(|h| h.trim_ascii().eq_ignore_ascii_case(name.as_bytes()));
        Some((find("mark")?, find("take")?, machine.next_start()))
    };
    let found = [",", ";", "\t"].into_iter().find_map(|delimiter| Some((delimiter, places(delimiter)?)));
    let Some((delimiter, (mark_place, take_place, mut at))) = found else {
        return Err(none(path, "has no columns \u{201c}mark\u{201d} and \u{201c}take\u{201d}"));
    };
    let mut machine = Machine::new(&Dialect::new(delimiter));
    let (mut decisions, mut count, mut line) = (Decisions::default(), 0, 1 + breaks(&text[..at]));
    while at < text.len() {
        if machine.step(text, at, true) != Step::Record {
            // A line of nothing.
            line += breaks(&text[at..machine.next_start().max(at + 1)]);
            at = machine.next_start().max(at + 1);
            continue;
        }
        let field = |place: usize| {
            let field = machine.fields(text).nth(place).unwrap_or_default();
            String::from_utf8_lossy(field).trim().to_owned()
        };
        let (mark, take) = (field(mark_place), field(take_place));
        let wrong = |what: String| {
            Failure::usage(format!("{}: line {line}: {what}", path.display())).leaving("nothing was written")
        };
        let winner = match take.to_lowercase().as_str() {
            "" => None,
            "sheet" => Some(Winner::Sheet),
            "source" => Some(Winner::Source),
            _ => {
                return Err(wrong(format!("\u{201c}{take}\u{201d} in the column \u{201c}take\u{201d}"))
                    .help("write sheet or source; leave it empty to decide later"));
            }
        };
        if let Some(winner) = winner {
            let Some(mark) = ConflictMark::parse(&mark) else {
                return Err(wrong(format!("\u{201c}{mark}\u{201d} is no mark of a conflict"))
                    .help("leave the column \u{201c}mark\u{201d} as it was written"));
            };
            if !decisions.decide(mark, winner) {
                return Err(wrong("another line decides this conflict otherwise".into())
                    .help("keep one of both lines"));
            }
            count += 1;
        }
        line += breaks(&text[at..machine.next_start()]);
        at = machine.next_start();
    }
    Ok((decisions, count))
}

/// Line ends in a piece of text.
fn breaks(text: &[u8]) -> usize {
    memchr::memchr_iter(b'\n', text).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> std::result::Result<usize, String> {
        let read = decisions(Path::new("c.csv"), &text_of(text.as_bytes()));
        read.map(|(_, count)| count).map_err(|failure| failure.what)
    }

    #[test]
    fn tables_are_read_as_programs_save_them() {
        let (a, b) = ("m00000000000000aa", "m00000000000000bb");
        for (text, expected) in [
            (format!("link,mark,take\ncalls,{a},sheet\ncalls,{b},\n"), Ok(1)),
            (format!("\u{feff}Take;Mark\r\n SOURCE ;{a}\r\nsheet;{b}"), Ok(2)),
            (format!("mark\ttake\n{a}\tSheet\n\n{a}\tsheet\n"), Ok(2)),
            (format!("sheet,mark,take\n\"two\nlines\",{a},source\n"), Ok(1)),
            ("mark,take\n".to_owned(), Ok(0)),
            ("mark,take\n1,\n".to_owned(), Ok(0)),
            (
                format!("mark,take\n{a},me\n"),
                Err("c.csv: line 2: \u{201c}me\u{201d} in the column \u{201c}take\u{201d}"),
            ),
            (
                format!("mark,take\n\"{a}\",\n1E+15,sheet\n"),
                Err("c.csv: line 3: \u{201c}1E+15\u{201d} is no mark of a conflict"),
            ),
            (
                format!("mark,take\n{a},sheet\n{a},source\n"),
                Err("c.csv: line 3: another line decides this conflict otherwise"),
            ),
            (
                "Call,Dues\n1,2\n".to_owned(),
                Err(
                    "c.csv: this is no table of conflicts: it has no columns \u{201c}mark\u{201d} and \u{201c}take\u{201d}",
                ),
            ),
            (
                String::new(),
                Err(
                    "c.csv: this is no table of conflicts: it has no columns \u{201c}mark\u{201d} and \u{201c}take\u{201d}",
                ),
            ),
        ] {
            assert_eq!(read(&text), expected.map_err(str::to_owned), "{text:?}");
        }
        let wide: Vec<u8> =
            "mark\ttake\r\nm00000000000000aa\tsheet\r\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
        let text = text_of(&[&[0xff, 0xfe], &wide[..]].concat());
        assert_eq!(decisions(Path::new("c.csv"), &text).unwrap().1, 1);
    }
}
