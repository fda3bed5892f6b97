//! Rows and cells of an existing sheet as they stand there: where they begin and end, and what their attributes say. Nothing is
//! built, nothing copied.

use crate::limits;
use crate::markup::{Next, TagKind, next_tag};
use crate::reference::CellRef;
use memchr::memmem::Finder;
use std::sync::LazyLock;

/// What nearly all rows and cells end with.
static ROW_END: LazyLock<Finder<'static>> = LazyLock::new(|| Finder::new(b"</row>"));
/// What comments and character data begin with.
static OTHER: LazyLock<Finder<'static>> = LazyLock::new(|| Finder::new(b"<!"));
static CELL_END: LazyLock<Finder<'static>> = LazyLock::new(|| Finder::new(b"</c>"));

/// A row.
#[derive(Clone, Copy, Debug)]
pub(crate) struct RawRow<'x> {
    /// Its number, from 1; `None`: one more than that of the row before.
    pub(crate) number: Option<u32>,
    /// Whether it says a number that no row has.
    pub(crate) is_beyond: bool,
    /// The format of cells that it does not describe.
    pub(crate) style: Option<u32>,
    /// Whether it has no attribute but number and spans.
    pub(crate) is_bare: bool,
    /// Whether it is hidden, by hand or by a filter.
    pub(crate) is_hidden: bool,
    /// The opening tag.
    pub(crate) open: &'x [u8],
    /// What stands inside.
    pub(crate) cells: &'x [u8],
    /// The name with its prefix.
    pub(crate) name: &'x [u8],
    /// The first byte, and the one behind.
    pub(crate) span: (usize, usize),
    /// Whether comments or character data may stand inside.
    has_other: bool,
}

/// What stands next among rows.
pub(crate) enum NextRow<'x> {
    Row(RawRow<'x>),
    /// The end of all rows.
    End,
    /// A row whose end is not there, or nothing at all.
    Open,
}

/// The row at or behind byte `at`.
pub(crate) fn next_row(xml: &[u8], at: usize) -> NextRow<'_> {
    row_at(xml, at, false)
}

/// The same. `is_plain`: neither comments nor character data are anywhere in `xml`.
pub(crate) fn row_at(xml: &[u8], at: usize, is_plain: bool) -> NextRow<'_> {
    let tag = match next_tag(xml, at) {
        Next::Tag(tag) => tag,
        Next::Open | Next::End | Next::DocumentType => return NextRow::Open,
    };
    if tag.kind == TagKind::Close || tag.local() != b"row" {
        return NextRow::End;
    }
    let (cells, end, has_other) = if tag.kind == TagKind::Empty {
        (&xml[tag.end..tag.end], tag.end, false)
    } else {
        match long_element_end(xml, tag.end, tag.name(), is_plain) {
            Some((inside, end, has_other)) => (&xml[tag.end..inside], end, has_other),
            None => return NextRow::Open,
        }
    };
    let mut row = RawRow {
        number: None,
        is_beyond: false,
        style: None,
        is_bare: true,
        is_hidden: false,
        open: &xml[tag.start..tag.end],
        cells,
        name: tag.name(),
        span: (tag.start, end),
        has_other,
    };
    let mut has_format = false;
    for (name, value) in Attributes::of(row.open) {
        match name {
            b"r" => {
                row.number = number(value).filter(|n| (1..=limits::ROWS).contains(n));
                row.is_beyond = row.number.is_none();
            }
            b"s" => row.style = number(value),
            b"hidden" => row.is_hidden = matches!(value, b"1" | b"true"),
            b"customFormat" => has_format = matches!(value, b"1" | b"true"),
            _ => {}
        }
        row.is_bare &= matches!(name, b"r" | b"spans" | b"xmlns");
    }
    row.style = row.style.filter(|_| has_format);
    NextRow::Row(row)
}

/// Where the content of an element ends, and the byte behind its closing tag. `has_other`: whether comments or character data may
/// stand inside.
fn element_end(xml: &[u8], from: usize, name: &[u8], has_other: bool) -> Option<(usize, usize)> {
    let mut at = from;
    loop {
        // Elements inside are never called as the one around them.
        let found = at + memchr::memchr(b'<', &xml[at..])?;
        let behind = found + 2 + name.len();
        if xml.get(found + 1) == Some(&b'/')
            && xml.get(found + 2..behind) == Some(name)
            && let Some(b'>' | b' ' | b'\n' | b'\r' | b'\t') = xml.get(behind)
            && !(has_other && is_inside_other(&xml[from..found]))
        {
            return Some((found, behind + memchr::memchr(b'>', &xml[behind..])? + 1));
        }
        at = found + 1;
    }
}

/// The same for long elements, and whether comments or character data may stand inside.
fn long_element_end(xml: &[u8], from: usize, name: &[u8], is_plain: bool) -> Option<(usize, usize, bool)> {
    if name == b"row"
        && let Some(found) = ROW_END.find(&xml[from..])
        && (is_plain || OTHER.find(&xml[from..from + found]).is_none())
    {
        return Some((from + found, from + found + b"</row>".len(), false));
    }
    let needle = [b"</", name].concat();
    let mut at = from;
    loop {
        let found = at + memchr::memmem::find(&xml[at..], &needle)?;
        match element_end(xml, found, name, false) {
            Some((inside, end)) if inside == found && !is_inside_other(&xml[from..found]) => {
                return Some((inside, end, true));
            }
            _ => at = found + 2,
        }
    }
}

/// Whether a comment or character data begins in `text` and does not end there.
fn is_inside_other(text: &[u8]) -> bool {
    let Some(found) = OTHER.find(text) else { return false };
    let rest = &text[found..];
    let (from, end): (usize, &[u8]) = if rest.starts_with(b"<!--") { (4, b"-->") } else { (9, b"]]>") };
    match rest.get(from..).and_then(|r| memchr::memmem::find(r, end)) {
        Some(at) => is_inside_other(&rest[from + at + end.len()..]),
        None => true,
    }
}

/// What a cell holds, by its `t` attribute.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum CellKind {
    Number,
    Shared,
    Inline,
    /// The text of a formula's result.
    Text,
    Boolean,
    Error,
    /// A date as ISO 8601 spells it.
    Date,
}

/// A cell.
#[derive(Clone, Copy, Debug)]
pub(crate) struct RawCell<'x> {
    /// Its column, from 1; one that does not say it stands right of the cell before.
    pub(crate) column: u32,
    pub(crate) style: u32,
    pub(crate) kind: CellKind,
    /// Everything, tags included.
    pub(crate) whole: &'x [u8],
    /// What stands between the tags.
    pub(crate) inside: &'x [u8],
}

impl RawCell<'_> {
    /// Whether it holds a value or formula.
    #[inline]
    pub(crate) fn is_filled(&self) -> bool {
        self.inside.first() == Some(&b'<') || self.inside.contains(&b'<')
    }

    /// Whether it holds a formula.
    #[inline]
    pub(crate) fn has_formula(&self) -> bool {
        if self.inside.starts_with(b"<v>") || self.inside.starts_with(b"<is>") {
            return false;
        }
        let mut at = 0;
        while let Some(found) = memchr::memchr(b'<', &self.inside[at..]) {
            let name = &self.inside[at + found + 1..];
            let end = name.iter().position(|b| matches!(b, b'>' | b'/' | b' ')).unwrap_or(name.len());
            let local = name[..end].rsplit(|b| *b == b':').next().unwrap_or_default();
            match local {
                b"f" => return true,
                b"v" | b"is" => return false,
                _ => at += found + 1,
            }
        }
        false
    }
}

/// A cell as nearly all programs spell it: `<c r="A1" s="1" t="s">…</c>`, in the same bytes as the general way reads it.
#[inline]
pub(super) fn usual_cell(xml: &[u8]) -> Option<RawCell<'_>> {
    let mut at = xml.strip_prefix(b"<c r=\"").map(|_| b"<c r=\"".len())?;
    let mut column = 0;
    while let Some(letter @ b'A'..=b'Z') = xml.get(at) {
        column = column * 26 + u32::from(letter - b'A') + 1;
        at += 1;
    }
    if !(1..=crate::limits::COLUMNS).contains(&column) {
        return None;
    }
    while let Some(b'0'..=b'9') = xml.get(at) {
        at += 1;
    }
    let mut rest = xml.get(at..)?.strip_prefix(b"\"")?;
    let mut style = 0;
    if let Some(value) = rest.strip_prefix(b" s=\"") {
        let mut digits = 0;
        while let Some(digit @ b'0'..=b'9') = value.get(digits) {
            style = style * 10 + u32::from(digit - b'0');
            digits += 1;
            if digits > 8 {
                return None;
            }
        }
        rest = value[digits..].strip_prefix(b"\"")?;
    }
    let mut kind = CellKind::Number;
    if let Some(value) = rest.strip_prefix(b" t=\"") {
        let (found, length) = match value {
            [b's', b'"', ..] => (CellKind::Shared, 2),
            [b'i', b'n', b'l', b'i', b'n', b'e', b'S', b't', b'r', b'"', ..] => (CellKind::Inline, 10),
            [b's', b't', b'r', b'"', ..] => (CellKind::Text, 4),
            [b'b', b'"', ..] => (CellKind::Boolean, 2),
            [b'n', b'"', ..] => (CellKind::Number, 2),
            _ => return None,
        };
        kind = found;
        rest = &value[length..];
    }
    if rest.starts_with(b"/>") {
        let whole = &xml[..xml.len() - rest.len() + 2];
        return Some(RawCell { column, style, kind, whole, inside: &[] });
    }
    let inside = rest.strip_prefix(b">")?;
    let end = usual_end(inside).or_else(|| CELL_END.find(inside))?;
    let whole = &xml[..xml.len() - inside.len() + end + b"</c>".len()];
    Some(RawCell { column, style, kind, whole, inside: &inside[..end] })
}

/// Where what stands in a cell ends, if it is one value or one text, as nearly always.
#[inline]
fn usual_end(inside: &[u8]) -> Option<usize> {
    let (open, close): (usize, &[u8]) = match inside {
        [b'<', b'v', b'>', ..] => (b"<v>".len(), b"</v></c>"),
        [b'<', b'i', b's', b'>', b'<', b't', b'>', ..] => (b"<is><t>".len(), b"</t></is></c>"),
        _ => return None,
    };
    // Values are short.
    let value = &inside[open..];
    let near = value.iter().take(8).position(|b| *b == b'<');
    let length = near.or_else(|| memchr::memchr(b'<', value))?;
    let end = open + length;
    inside[end..].starts_with(close).then(|| end + close.len() - b"</c>".len())
}

/// The cells of a row.
pub(crate) struct Cells<'x> {
    xml: &'x [u8],
    at: usize,
    has_other: bool,
    /// The column of the cell before.
    column: u32,
}

impl<'x> Cells<'x> {
    pub(crate) fn of(row: &RawRow<'x>) -> Self {
        Self { xml: row.cells, at: 0, has_other: row.has_other, column: 0 }
    }
}

impl<'x> Iterator for Cells<'x> {
    type Item = RawCell<'x>;

    #[inline]
    fn next(&mut self) -> Option<RawCell<'x>> {
        if !self.has_other
            && let Some(cell) = usual_cell(&self.xml[self.at..])
        {
            self.at += cell.whole.len();
            self.column = cell.column;
            return Some(cell);
        }
        loop {
            let Next::Tag(tag) = next_tag(self.xml, self.at) else { return None };
            let (inside, end) = if tag.kind == TagKind::Open {
                element_end(self.xml, tag.end, tag.name(), self.has_other)?
            } else {
                (tag.end, tag.end)
            };
            self.at = end;
            if tag.local() != b"c" {
                continue;
            }
            let mut cell = RawCell {
                column: self.column + 1,
                style: 0,
                kind: CellKind::Number,
                whole: &self.xml[tag.start..end],
                inside: &self.xml[tag.end..inside.max(tag.end)],
            };
            for (name, value) in Attributes::of(&self.xml[tag.start..tag.end]) {
                match name {
                    b"r" => cell.column = column(value).unwrap_or(cell.column),
                    b"s" => cell.style = number(value).unwrap_or(0),
                    b"t" => {
                        cell.kind = match value {
                            b"s" => CellKind::Shared,
                            b"inlineStr" => CellKind::Inline,
                            b"str" => CellKind::Text,
                            b"b" => CellKind::Boolean,
                            b"e" => CellKind::Error,
                            b"d" => CellKind::Date,
                            _ => CellKind::Number,
                        }
                    }
                    _ => {}
                }
            }
            self.column = cell.column;
            return Some(cell);
        }
    }
}

/// The format of the cell in a column of the first of these rows.
pub(crate) fn format_at(rows: &[u8], wanted: u32) -> Option<u32> {
    let NextRow::Row(row) = next_row(rows, 0) else { return None };
    Cells::of(&row).find(|cell| cell.column == wanted).map(|cell| cell.style)
}

/// The attributes of an opening tag: names as they stand, values not resolved.
pub(crate) struct Attributes<'x>(&'x [u8]);

impl<'x> Attributes<'x> {
    pub(crate) fn of(tag: &'x [u8]) -> Self {
        let name = tag.iter().position(u8::is_ascii_whitespace).unwrap_or(tag.len());
        Self(&tag[name..])
    }
}

impl<'x> Iterator for Attributes<'x> {
    type Item = (&'x [u8], &'x [u8]);

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        let start = self.0.iter().position(|b| !b.is_ascii_whitespace())?;
        let rest = &self.0[start..];
        let equals = rest.iter().position(|b| *b == b'=')?;
        let name = rest[..equals].trim_ascii_end();
        let value = rest[equals + 1..].trim_ascii_start();
        let quote = *value.first()?;
        let length = value[1..].iter().position(|b| *b == quote)?;
        self.0 = &value[length + 2..];
        Some((name, &value[1..=length]))
    }
}

/// Appends the attributes of an opening tag, but for those of these names.
pub(crate) fn push_attributes(out: &mut Vec<u8>, open: &[u8], but: &[&[u8]]) {
    for (name, value) in Attributes::of(open).filter(|(name, _)| !but.contains(name)) {
        let quote = if value.contains(&b'"') { b'\'' } else { b'"' };
        out.push(b' ');
        out.extend_from_slice(name);
        out.extend_from_slice(&[b'=', quote]);
        out.extend_from_slice(value);
        out.push(quote);
    }
}

/// A whole number in decimal digits.
pub(crate) fn number(text: &[u8]) -> Option<u32> {
    if text.is_empty() || text.len() > 9 {
        return None;
    }
    text.iter().try_fold(0, |n, b| b.is_ascii_digit().then(|| n * 10 + u32::from(b - b'0')))
}

/// The column of a reference.
fn column(reference: &[u8]) -> Option<u32> {
    let mut column = 0;
    for byte in reference {
        match byte {
            b'A'..=b'Z' => column = column * 26 + u32::from(byte - b'A') + 1,
            b'0'..=b'9' if column > 0 => return (column <= crate::limits::COLUMNS).then_some(column),
            _ => break,
        }
        if column > crate::limits::COLUMNS {
            return None;
        }
    }
    CellRef::parse(std::str::from_utf8(reference).ok()?).map(|cell| cell.column)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_and_cells_are_found_as_they_stand() {
        let xml = b"<row r=\"2\" spans=\"1:3\"><c r=\"A2\" s=\"4\" t=\"s\"><v>7</v></c><c r=\"C2\"/></row>\
            <x:row ht='20' s=\"3\" customFormat=\"1\"><x:c><x:f>A1</x:f><x:v>1</x:v></x:c></x:row >\
            <row r=\"9\"/><!-- <row/> --><row r=\"10\"><c r=\"B10\"><v><![CDATA[</row></c>]]></v></c></row></sheetData>";
        let mut seen = Vec::new();
        let mut at = 0;
        loop {
            match next_row(xml, at) {
                NextRow::Row(row) => {
                    let cells: Vec<String> = Cells::of(&row)
                        .map(|c| {
                            format!(
                                "{} {} {:?} {}{}",
                                c.column,
                                c.style,
                                c.kind,
                                c.is_filled(),
                                c.has_formula()
                            )
                        })
                        .collect();
                    seen.push(format!(
                        "{:?} {:?} {} [{}]",
                        row.number,
                        row.style,
                        row.is_bare,
                        cells.join(", ")
                    ));
                    at = row.span.1;
                }
                NextRow::End => break,
                NextRow::Open => panic!("the rows have an end"),
            }
        }
        assert_eq!(&xml[at..], b"</sheetData>");
        assert_eq!(
            seen,
            [
                "Some(2) None true [1 4 Shared truefalse, 3 0 Number falsefalse]",
                "None Some(3) false [1 0 Number truetrue]",
                "Some(9) None true []",
                "Some(10) None true [2 0 Number truefalse]",
            ]
        );
    }

    #[test]
    fn what_is_cut_off_is_open() {
        for xml in [&b"<row r=\"1\"><c r=\"A1\">"[..], b"<row r=\"1\"><c r=\"A1\"/></ro", b"<ro", b""] {
            assert!(matches!(next_row(xml, 0), NextRow::Open), "{}", String::from_utf8_lossy(xml));
        }
    }
}
