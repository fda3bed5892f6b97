//! What the options mean: choices for the reading, with mistakes told in the option's own words.

use super::definitions::{self, Read, WidthUnit, YesNo};
use crate::failure::{Failure, Result};
use incola_core::encoding::Encoding;
use incola_core::kind::Decimal;
use incola_core::layout::fixed::StartEdit;
use incola_core::layout::{HeaderChoice, LayoutChoices, delimiter_from_word};
use incola_core::reading::{Choices, Scan};
use incola_core::record::{Dialect, Machine, Step, Unit};
use incola_core::selector::{AsChoice, Selector};
use incola_core::survey::MOST_COLUMNS;
use incola_engine::text::LineRange;

/// The choices that the options make, and the lines that are wanted.
pub(crate) fn choices(read: &Read) -> Result<(Choices, Option<LineRange>)> {
    let encoding = match &read.encoding {
        None => None,
        Some(name) => Some(Encoding::for_label(name).ok_or_else(|| {
            Failure::usage(format!("--encoding {name}: there is no encoding of that name"))
                .help("some names: utf-8, utf-16le, windows-1252, iso-8859-15, shift_jis, gb18030, cp437, cp850, macintosh")
        })?),
    };
    let mut kinds = Vec::new();
    for text in &read.kinds {
        kinds.push(AsChoice::parse(text).map_err(|why| Failure::usage(format!("--as {text}: {why}")))?);
    }
    let only = match &read.only {
        None => Vec::new(),
        Some(text) => list("--only", text)?.iter().map(|t| Selector::new(t)).collect(),
    };
    let choices = Choices {
        encoding,
        encoding_by: None,
        layout: LayoutChoices {
            delimiter: read.delimiter.as_deref().map(delimiter),
            runs_as_one: read.runs_as_one.map(|y| y == YesNo::Yes),
            quote: read.quote.as_deref().map(quote).transpose()?,
            comment: read.comment.as_deref().map(|c| (c != "none").then(|| c.to_owned())),
            kind: read.layout.map(definitions::LayoutKind::meaning),
            starts: read.starts.as_deref().map(starts).transpose()?,
            lines_per_record: read.lines_per_record,
            start_edits: start_edits(read)?,
            unit: match (read.widths_in, encoding) {
                (Some(WidthUnit::Bytes), Some(encoding)) if encoding.has_double_bytes() => Unit::DoubleBytes,
                (Some(WidthUnit::Bytes), _) => Unit::Bytes,
                _ => Unit::Characters,
            },
            header: header(read.header.as_deref())?,
            decided_by: None,
        },
        decimal: read.decimal_char.as_deref().map(decimal).transpose()?,
        blank: read.blank.as_deref().map(|t| list("--blank", t)).transpose()?.unwrap_or_default(),
        blank_in: Vec::new(),
        keeps_blank_rows: false,
        kinds,
        only,
        names: read.names.as_deref().map(|t| list("--names", t)).transpose()?,
        scan: scan(read.scan.as_deref())?,
    };
    Ok((choices, read.lines.as_deref().map(lines).transpose()?))
}

fn delimiter(word: &str) -> String {
    match word {
        "none" => String::new(),
        "\\t" => "\t".into(),
        word => delimiter_from_word(word),
    }
}

/// Reads starts from 1, in rising order; gives them from 0.
fn starts(text: &str) -> Result<Vec<Vec<usize>>> {
    text.split('/').map(line_starts).collect()
}

fn line_starts(text: &str) -> Result<Vec<usize>> {
    let wrong = |why: &str| {
        Failure::usage(format!("--starts {text}: {why}"))
            .help("say where each column starts, from 1, such as --starts 1,9,20")
    };
    let mut list = Vec::new();
    for part in text.split(',') {
        let start: usize = part.trim().parse().map_err(|_| wrong("a start is a whole number"))?;
        if start == 0 {
            return Err(wrong("the first position of a line is 1"));
        }
        if list.last().is_some_and(|before| *before > start - 1) {
            return Err(wrong("the starts are out of order"));
        }
        if list.last() == Some(&(start - 1)) {
            return Err(wrong("two columns cannot start at one place"));
        }
        list.push(start - 1);
    }
    if list.len() > MOST_COLUMNS {
        return Err(wrong("a worksheet has 16384 columns"));
    }
    Ok(list)
}

/// The single changes to starts, from 0.
fn start_edits(read: &Read) -> Result<Vec<StartEdit>> {
    let place = |option: &str, n: usize| {
        n.checked_sub(1)
            .ok_or_else(|| Failure::usage(format!("{option} {n}: the first position of a line is 1")))
    };
    let mut edits = Vec::new();
    for n in &read.add_start {
        edits.push(StartEdit::Add(place("--add-start", *n)?));
    }
    for n in &read.drop_start {
        edits.push(StartEdit::Drop(place("--drop-start", *n)?));
    }
    for text in &read.move_start {
        let wrong = || Failure::usage(format!("--move-start {text}: say from where to where, such as 41:40"));
        let (from, to) = text.split_once(':').ok_or_else(wrong)?;
        let number = |t: &str| t.trim().parse().map_err(|_| wrong());
        edits.push(StartEdit::Move(
            place("--move-start", number(from)?)?,
            place("--move-start", number(to)?)?,
        ));
    }
    Ok(edits)
}

fn quote(text: &str) -> Result<Option<u8>> {
    match text.as_bytes() {
        b"none" => Ok(None),
        [c] if c.is_ascii_graphic() => Ok(Some(*c)),
        _ => Err(Failure::usage(format!("--quote {text}: a quote is one character of ASCII, or none"))),
    }
}

fn header(text: Option<&str>) -> Result<HeaderChoice> {
    match text {
        None | Some("auto") => Ok(HeaderChoice::Auto),
        Some("none") => Ok(HeaderChoice::None),
        Some(line) => line.parse().ok().filter(|n| *n > 0).map(HeaderChoice::Line).ok_or_else(|| {
            Failure::usage(format!("--header {line}: say the number of a line (from 1), none or auto"))
        }),
    }
}

fn decimal(text: &str) -> Result<Decimal> {
    match text {
        "." => Ok(Decimal::Point),
        "," => Ok(Decimal::Comma),
        _ => Err(Failure::usage(format!("--decimal-char {text}: it is . or ,"))),
    }
}

fn scan(text: Option<&str>) -> Result<Scan> {
    match text {
        None | Some("all") => Ok(Scan::All),
        Some("none") => Ok(Scan::None),
        Some(number) => {
            number.parse().ok().filter(|n| *n > 0).map(Scan::First).ok_or_else(|| {
                Failure::usage(format!("--scan {number}: say all, none, or a number of records"))
            })
        }
    }
}

fn lines(text: &str) -> Result<LineRange> {
    let wrong = || {
        Failure::usage(format!(
            "--lines {text}: say the first and the last line, such as 5..120, 5.. or ..120"
        ))
    };
    let (from, to) = text.split_once("..").ok_or_else(wrong)?;
    let from = if from.is_empty() { 1 } else { from.parse().map_err(|_| wrong())? };
    let to = if to.is_empty() { u64::MAX } else { to.parse().map_err(|_| wrong())? };
    if from == 0 || to < from {
        return Err(wrong());
    }
    Ok(LineRange { from, to })
}

/// Reads a list written as one RFC 4180 record.
pub(crate) fn list(option: &str, text: &str) -> Result<Vec<String>> {
    let mut machine = Machine::new(&Dialect::new(","));
    let bytes = text.as_bytes();
    if machine.step(bytes, 0, true) != Step::Record || machine.next_start() < bytes.len() {
        return Err(Failure::usage(format!(
            "{option} {text}: write a list as one record, such as A,B,\"C, D\""
        )));
    }
    Ok(machine.fields(bytes).map(|f| String::from_utf8_lossy(f).trim().to_owned()).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(change: impl FnOnce(&mut Read)) -> Result<(Choices, Option<LineRange>)> {
        let mut read = Read::default();
        change(&mut read);
        choices(&read)
    }

    #[test]
    fn options_become_choices() {
        let (choices, lines) = read(|r| {
            r.delimiter = Some("semicolon".into());
            r.quote = Some("none".into());
            r.header = Some("4".into());
            r.names = Some("Call,\"Dues, paid\"".into());
            r.lines = Some("5..".into());
            r.decimal_char = Some(",".into());
        })
        .unwrap();
        assert_eq!(choices.layout.delimiter.as_deref(), Some(";"));
        assert_eq!(choices.layout.quote, Some(None));
        assert_eq!(choices.layout.header, HeaderChoice::Line(4));
        assert_eq!(choices.names.unwrap(), ["Call", "Dues, paid"]);
        assert_eq!(lines, Some(LineRange { from: 5, to: u64::MAX }));
    }

    #[test]
    fn mistakes_are_told_with_the_option() {
        for (change, word) in [
            (
                Box::new(|r: &mut Read| r.encoding = Some("runes".into())) as Box<dyn Fn(&mut Read)>,
                "--encoding runes",
            ),
            (Box::new(|r| r.quote = Some("ab".into())), "--quote ab"),
            (Box::new(|r| r.header = Some("0".into())), "--header 0"),
            (Box::new(|r| r.lines = Some("9..3".into())), "--lines 9..3"),
            (Box::new(|r| r.kinds = vec!["Berth=money".into()]), "--as Berth=money"),
            (Box::new(|r| r.scan = Some("few".into())), "--scan few"),
        ] {
            let failure = read(change).unwrap_err();
            assert!(failure.what.starts_with(word), "{}", failure.what);
            assert_eq!(failure.status as u8, 2);
        }
    }
}
