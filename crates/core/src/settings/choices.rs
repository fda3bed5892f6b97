//! Settings become choices: words are read, and mistakes are told with their key.

use super::model::{BlankRows, Carried, Line as DocketLine, LineOrWord, Reading, StartsIn, Stays};
use super::selector::{AsChoice, Selector};
use super::{BadSetting, Settings};
use crate::encoding::Encoding;
use crate::evidence::DecidedBy;
use crate::kind::{Decimal, Kind};
use crate::layout::fixed::StartEdit;
use crate::layout::{HeaderChoice, LayoutChoices, LineChoice, LinesMeant, Pattern, delimiter_from_word};
use crate::reading::{Choices, Scan};
use crate::record::Unit;
use crate::settings::docket::Docket;
use crate::shape::{DivideChoice, GroupChoice, ShapingChoices, read_compute};
use crate::survey::MOST_COLUMNS;

/// Lines that the clerk wants, from 1, both included.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LineRange {
    /// The first line.
    pub from: u64,
    /// The last line.
    pub to: u64,
}

/// The choices that settings make, and the lines that are wanted. `kinds` and `edits`: kinds of columns and changes of starts that were
/// typed; `docket`: what says more about columns.
///
/// # Errors
/// [`BadSetting`] for a value that means nothing.
pub fn choices(
    settings: &Settings,
    kinds: &[AsChoice],
    edits: &[StartEdit],
    docket: Option<&Docket>,
) -> Result<(Choices, Option<LineRange>), BadSetting> {
    let read = &settings.read;
    let encoding = read.encoding.as_deref().map(encoding).transpose()?;
    let mut all_kinds: Vec<AsChoice> = docket.into_iter().flat_map(kinds_of).collect();
    all_kinds.extend_from_slice(kinds);
    let columns = docket.map_or(&[][..], |d| &d.columns);
    let header = read.header.as_ref().map(header).transpose()?.unwrap_or_default();
    let edits_by = (!edits.is_empty()).then_some(DecidedBy::Given);
    let choices = Choices {
        encoding,
        encoding_by: settings.by("read", "encoding"),
        layout: LayoutChoices {
            delimiter: read.delimiter.as_deref().map(delimiter),
            runs_as_one: read.runs_as_one,
            quote: read.quote.as_deref().map(quote).transpose()?,
            doubles_quotes: read.double_quote,
            comment: read.comment.as_deref().map(|c| (c != "none").then(|| c.to_owned())),
            kind: read.layout,
            starts: read.starts.as_deref().map(starts).transpose()?,
            lines_per_record: read.lines_per_record,
            start_edits: edits.to_vec(),
            unit: match (read.starts_in, encoding) {
                (Some(StartsIn::Bytes), Some(encoding)) if encoding.has_double_bytes() => Unit::DoubleBytes,
                (Some(StartsIn::Bytes), _) => Unit::Bytes,
                _ => Unit::Characters,
            },
            headings: match read.carried {
                Some(Carried::None) => Some(Vec::new()),
                _ => read.headings.clone(),
            },
            lines: docket.map(lines_meant).transpose()?.unwrap_or_default(),
            carry: read.carry.as_ref().map(|carry| carry.iter().map(|text| Selector::new(text)).collect()),
            header,
            header_by: settings.by("read", "header"),
            decided_by: edits_by.or(settings.divided_by()),
        },
        decimal: decimal(read.decimal_char.as_deref(), read.group_char.as_deref())?,
        blank: read.blank.clone().unwrap_or_default(),
        blank_in: columns.iter().filter_map(|c| Some((c.name.clone(), c.blank.clone()?))).collect(),
        rolled_up: Vec::new(),
        keeps_blank_rows: read.blank_rows == Some(BlankRows::Keep),
        kinds: all_kinds,
        only: read.only.iter().flatten().map(|text| Selector::new(text)).collect(),
        names: read.names.clone(),
        scan: read.survey.as_ref().map(survey).transpose()?.unwrap_or_default(),
        shaping: shaping(read)?,
    };
    Ok((choices, read.lines.as_deref().map(lines).transpose()?))
}

/// What becomes of rows on the way in.
fn shaping(read: &Reading) -> Result<ShapingChoices, BadSetting> {
    let divide = read.divide.iter().flatten().map(|text| DivideChoice::read(text));
    let compute = read.compute.iter().flatten().map(|text| read_compute(text));
    let is_all = |list: &Vec<String>| matches!(list.as_slice(), [one] if one == "all");
    let selectors = |list: &Vec<String>| list.iter().map(|text| Selector::new(text)).collect();
    Ok(ShapingChoices {
        divide: divide.collect::<Result<_, _>>()?,
        condition: read.condition.clone(),
        compute: compute.collect::<Result<_, _>>()?,
        distinct: read.distinct.as_ref().map(|list| if is_all(list) { Vec::new() } else { selectors(list) }),
        last_stays: read.distinct_stays == Some(Stays::Last),
        by: read.by.iter().flatten().map(|text| GroupChoice::read(text)).collect(),
        take: read.take.clone(),
    })
}

/// What a docket says of lines.
fn lines_meant(docket: &Docket) -> Result<Vec<LineChoice>, BadSetting> {
    let of = |line: &DocketLine| {
        let lines = match (&line.example, &line.matches) {
            (Some(example), _) => LinesMeant::Like(example.clone()),
            (None, Some(pattern)) => {
                let bad = |why| BadSetting::new("matches", pattern, why);
                LinesMeant::Match(Pattern::read(pattern).map_err(bad)?)
            }
            (None, None) => return Err(BadSetting::new("line", "", "it has neither example nor matches")),
        };
        Ok(LineChoice { role: line.role.role(), lines })
    };
    docket.lines.iter().map(of).collect()
}

/// The kinds that a docket gives its columns.
fn kinds_of(docket: &Docket) -> impl Iterator<Item = AsChoice> {
    docket.columns.iter().filter_map(|column| {
        Some(AsChoice {
            selector: Selector::new(&column.name),
            kind: Kind::from_word(column.kind.as_deref()?)?,
            format: column.format.clone(),
            by: DecidedBy::Docket,
        })
    })
}

fn encoding(name: &str) -> Result<Encoding, BadSetting> {
    Encoding::for_label(name).ok_or_else(|| {
        BadSetting::new("encoding", name, "there is no encoding of that name").hint(
            "some names: utf-8, utf-16le, windows-1252, iso-8859-15, shift_jis, gb18030, cp437, cp850, macintosh",
        )
    })
}

/// What stands between fields, by its word or as it is; `none`: nothing does.
///
/// ```
/// assert_eq!(incola_core::settings::delimiter("semicolon"), ";");
/// ```
pub fn delimiter(word: &str) -> String {
    match word {
        "none" => String::new(),
        "\\t" => "\t".into(),
        word => delimiter_from_word(word),
    }
}

/// Reads starts from 1, in rising order; gives them from 0.
fn starts(text: &str) -> Result<Vec<Vec<usize>>, BadSetting> {
    text.split('/').map(line_starts).collect()
}

/// Reads the starts of one line, from 1, in rising order; gives them from 0.
pub(crate) fn line_starts(text: &str) -> Result<Vec<usize>, BadSetting> {
    let wrong = |why: &str| {
        BadSetting::new("starts", text, why).hint("the positions where columns start, from 1, such as 1,9,20")
    };
    let mut list: Vec<usize> = Vec::new();
    for part in text.split(',') {
        let start: usize = part.trim().parse().map_err(|_| wrong("a start is a whole number"))?;
        if start == 0 {
            return Err(wrong("the first position of a line is 1"));
        }
        match list.last() {
            Some(before) if *before > start - 1 => return Err(wrong("the starts are out of order")),
            Some(before) if *before == start - 1 => {
                return Err(wrong("two columns cannot start at one place"));
            }
            _ => list.push(start - 1),
        }
    }
    if list.len() > MOST_COLUMNS {
        return Err(wrong("a worksheet has 16384 columns"));
    }
    Ok(list)
}

fn quote(text: &str) -> Result<Option<u8>, BadSetting> {
    match text.as_bytes() {
        b"none" => Ok(None),
        [c] if c.is_ascii_graphic() => Ok(Some(*c)),
        _ => Err(BadSetting::new("quote", text, "a quote is one character of ASCII, or none")),
    }
}

fn header(value: &LineOrWord) -> Result<HeaderChoice, BadSetting> {
    let text = value.text();
    match text.as_str() {
        "auto" => Ok(HeaderChoice::Auto),
        "none" => Ok(HeaderChoice::None),
        line => line.parse().ok().filter(|n| *n > 0).map(HeaderChoice::Line).ok_or_else(|| {
            BadSetting::new("header", line, "it is the number of a line (from 1), none or auto")
        }),
    }
}

fn decimal(decimal: Option<&str>, group: Option<&str>) -> Result<Option<Decimal>, BadSetting> {
    let stated = match decimal {
        None => None,
        Some(".") => Some(Decimal::Point),
        Some(",") => Some(Decimal::Comma),
        Some(other) => return Err(BadSetting::new("decimal_char", other, "it is . or ,")),
    };
    let by_group = match group {
        None | Some("'" | "space") => None,
        Some(".") => Some(Decimal::Comma),
        Some(",") => Some(Decimal::Point),
        Some(other) => return Err(BadSetting::new("group_char", other, "it is . or , or ' or space")),
    };
    match (stated, by_group) {
        (Some(a), Some(b)) if a != b => {
            let both = "one character cannot both group digits and begin the decimals";
            Err(BadSetting::new("group_char", group.unwrap_or_default(), both))
        }
        (stated, by_group) => Ok(stated.or(by_group)),
    }
}

fn survey(value: &LineOrWord) -> Result<Scan, BadSetting> {
    let text = value.text();
    match text.as_str() {
        "all" => Ok(Scan::All),
        "none" => Err(BadSetting::new(
            "survey",
            "none",
            "the kinds are decided by all records, or by a number of them",
        )
        .hint("to keep every column as text: --as '*=text'")),
        number => number
            .parse()
            .ok()
            .filter(|n| *n > 0)
            .map(Scan::First)
            .ok_or_else(|| BadSetting::new("survey", number, "it is all, or a number of records")),
    }
}

fn lines(text: &str) -> Result<LineRange, BadSetting> {
    let wrong =
        || BadSetting::new("lines", text, "it is the first and the last line, such as 5..120, 5.. or ..120");
    let (from, to) = text.split_once("..").ok_or_else(wrong)?;
    let from = if from.is_empty() { 1 } else { from.parse().map_err(|_| wrong())? };
    let to = if to.is_empty() { u64::MAX } else { to.parse().map_err(|_| wrong())? };
    if from == 0 || to < from {
        return Err(wrong());
    }
    Ok(LineRange { from, to })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::settings::Place;

    fn read(text: &str) -> Result<(Choices, Option<LineRange>), BadSetting> {
        let read: Reading = toml::from_str(text).unwrap();
        choices(&Settings::new(&read, &Place::default(), None), &[], &[], None)
    }

    #[test]
    fn settings_become_choices() {
        let (choices, lines) = read(
            "delimiter = \"semicolon\"\nquote = \"none\"\nheader = 4\nnames = [\"Call\", \"Dues, paid\"]\nlines = \"5..\"\ndecimal_char = \",\"\n",
        )
        .unwrap();
        assert_eq!(choices.layout.delimiter.as_deref(), Some(";"));
        assert_eq!(choices.layout.quote, Some(None));
        assert_eq!(choices.layout.header, HeaderChoice::Line(4));
        assert_eq!(choices.names.unwrap(), ["Call", "Dues, paid"]);
        assert_eq!(choices.decimal, Some(Decimal::Comma));
        assert_eq!(lines, Some(LineRange { from: 5, to: u64::MAX }));
        assert_eq!(read("group_char = \".\"\n").unwrap().0.decimal, Some(Decimal::Comma));
    }

    #[test]
    fn mistakes_are_told_with_their_key() {
        for (text, key, value) in [
            ("encoding = \"runes\"\n", "encoding", "runes"),
            ("quote = \"ab\"\n", "quote", "ab"),
            ("header = 0\n", "header", "0"),
            ("lines = \"9..3\"\n", "lines", "9..3"),
            ("survey = \"few\"\n", "survey", "few"),
            ("survey = \"none\"\n", "survey", "none"),
            ("starts = \"1,9,9\"\n", "starts", "1,9,9"),
            ("starts = \"9,1\"\n", "starts", "9,1"),
            ("starts = \"0,1\"\n", "starts", "0,1"),
            ("decimal_char = \";\"\n", "decimal_char", ";"),
            ("decimal_char = \",\"\ngroup_char = \",\"\n", "group_char", ","),
        ] {
            let bad = read(text).unwrap_err();
            assert_eq!((bad.key, bad.value.as_str()), (key, value), "{bad:?}");
        }
    }
}
