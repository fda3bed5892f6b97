//! What a docket says, put under what was typed: options win over the docket, the docket over detection.

use super::DocketFile;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{
    Extra, Import, LayoutKind, MatchBy, Missing, PlacingMode, Read, WidthUnit, YesNo,
};
use crate::flags::options;
use incola_core::evidence::DecidedBy;
use incola_core::kind::Kind;
use incola_core::reading::Choices;
use incola_core::selector::{AsChoice, Selector};
use incola_engine::text::LineRange;

/// The choices for reading a source: typed ones, and those of its docket.
pub(crate) fn choices(typed: &Read, docket: Option<&DocketFile>) -> Result<(Choices, Option<LineRange>)> {
    let Some(file) = docket else { return options::choices(typed) };
    let said = &file.docket.read;
    let (read, divides) = reading(typed, docket);
    let (mut choices, lines) = options::choices(&read).map_err(|failure| in_docket(failure, file, typed))?;
    let from = |is_typed: bool| if is_typed { DecidedBy::Given } else { DecidedBy::Docket };
    choices.encoding_by = Some(from(typed.encoding.is_some()));
    choices.layout.decided_by = Some(from(divides || typed.quote.is_some() || typed.runs_as_one.is_some()));
    let blank = file.docket.columns.iter().filter_map(|c| Some((c.name.clone(), c.blank.clone()?)));
    choices.blank_in = blank.collect();
    choices.keeps_blank_rows = said.blank_rows.as_deref() == Some("keep");
    let mut kinds = Vec::new();
    for column in &file.docket.columns {
        let Some(kind) = column.kind.as_deref().and_then(Kind::from_word) else { continue };
        kinds.push(AsChoice {
            selector: Selector::new(&column.name),
            kind,
            format: column.format.clone(),
            by: DecidedBy::Docket,
        });
    }
    kinds.append(&mut choices.kinds);
    choices.kinds = kinds;
    Ok((choices, lines))
}

/// What was typed, with what a docket says put under it, as if that had been typed too; and whether what divides lines was typed.
pub(crate) fn reading(typed: &Read, docket: Option<&DocketFile>) -> (Read, bool) {
    let mut read = typed.clone();
    let divides = typed.delimiter.is_some() || typed.starts.is_some() || typed.layout.is_some();
    let Some(said) = docket.map(|file| &file.docket.read) else { return (read, divides) };
    let list = |items: &Vec<String>| items.iter().map(|i| field(i)).collect::<Vec<_>>().join(",");
    or(&mut read.encoding, said.encoding.clone());
    or(&mut read.quote, said.quote.clone());
    or(&mut read.header, said.header.as_ref().map(incola_core::docket::LineOrWord::text));
    or(&mut read.lines, said.lines.clone());
    or(&mut read.comment, said.comment.clone());
    or(&mut read.decimal_char, said.decimal_char.clone());
    or(&mut read.blank, said.blank.as_ref().map(list));
    or(&mut read.names, said.names.as_ref().map(list));
    or(&mut read.scan, said.scan.as_ref().map(incola_core::docket::LineOrWord::text));
    or(&mut read.runs_as_one, said.runs_as_one.map(|yes| if yes { YesNo::Yes } else { YesNo::No }));
    // What divides lines belongs together: a delimiter that is typed leaves no room for starts.
    if !divides {
        or(&mut read.delimiter, said.delimiter.clone());
        or(&mut read.starts, said.starts.clone());
        or(&mut read.lines_per_record, said.lines_per_record);
        or(&mut read.layout, said.layout.as_deref().and_then(layout));
        let bytes = said.widths_in.as_deref() == Some("bytes");
        or(&mut read.widths_in, bytes.then_some(WidthUnit::Bytes));
    }
    (read, divides)
}

/// The options of an import with what its docket says of the place.
pub(crate) fn placing(typed: &Import, docket: Option<&DocketFile>) -> Import {
    let mut options = typed.clone();
    let Some(said) = docket.map(|d| &d.docket.place) else { return options };
    or(&mut options.sheet, said.sheet.clone());
    or(&mut options.at, said.at.clone());
    or(&mut options.source_column, said.source_column.clone());
    or(&mut options.number_rows, said.number_rows.clone());
    options.plain |= said.plain == Some(true);
    let mode = match said.mode.as_deref() {
        Some("replace") => Some(PlacingMode::Replace),
        Some("append") => Some(PlacingMode::Append),
        Some("fresh") => Some(PlacingMode::Fresh),
        _ => None,
    };
    or(&mut options.mode, mode);
    let position = said.matching.as_deref() == Some("position");
    or(&mut options.matching, position.then_some(MatchBy::Position));
    or(&mut options.missing, said.missing.as_ref().map(|_| Missing::Blank));
    let extra = said.extra.as_deref().map(|e| if e == "add" { Extra::Add } else { Extra::Skip });
    or(&mut options.extra, extra);
    options
}

fn or<T>(mine: &mut Option<T>, other: Option<T>) {
    if mine.is_none() {
        *mine = other;
    }
}

fn layout(word: &str) -> Option<LayoutKind> {
    Some(match word {
        "delimited" => LayoutKind::Delimited,
        "fixed" => LayoutKind::Fixed,
        "multiline" => LayoutKind::Multiline,
        "report" => LayoutKind::Report,
        _ => return None,
    })
}

/// A field of a record, quoted where it must be (RFC 4180).
fn field(text: &str) -> String {
    if text.contains(['"', ',', '\n', '\r']) {
        format!("\"{}\"", text.replace('"', "\"\""))
    } else {
        text.into()
    }
}

/// A mistake in an option that the docket gave is told as the docket's.
fn in_docket(failure: Failure, file: &DocketFile, typed: &Read) -> Failure {
    match options::choices(typed) {
        Err(own) => own,
        Ok(_) => Failure { what: format!("{}: {}", file.path.display(), failure.what), ..failure },
    }
}
