//! How wide the columns of a sheet are, and columns made wider (ECMA-376 part 1, 18.3.1.13).
//!
//! A width counts digits of the standard font, with a margin of 5 pixels where a digit has 7. It is kept in 256ths of a digit, as
//! worksheet programs round it.

use crate::error::Result;
use crate::markup::{Tag, TagKind, tags};
use std::fmt::Write as _;

/// A digit, in the unit of widths.
const DIGIT: u32 = 256;

/// The margin at both sides of a cell together.
const MARGIN: u32 = 5 * DIGIT / 7;

/// The width of columns of which nothing says theirs: eight digits, rounded up to a multiple of eight pixels.
const USUAL: u32 = 64 * DIGIT / 7;

/// The widest column.
const WIDEST: u32 = 255 * DIGIT;

/// How wide columns are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ColumnWidths {
    usual: u32,
    /// First and last column, from 1, and the width.
    spans: Vec<(u32, u32, u32)>,
}

impl Default for ColumnWidths {
    fn default() -> Self {
        Self { usual: USUAL, spans: Vec::new() }
    }
}

fn width_of(text: &str) -> Option<u32> {
    let width = text.parse::<f64>().ok().filter(|width| (0.0..=255.0).contains(width))?;
    Some((width * f64::from(DIGIT)).round() as u32)
}

fn number(tag: &Tag<'_>, name: &str) -> Option<u32> {
    tag.attribute(name)?.parse().ok()
}

impl ColumnWidths {
    /// What the mark-up before the rows says.
    pub(crate) fn of(tags: &[Tag<'_>]) -> Self {
        let mut widths = Self::default();
        for tag in tags {
            if tag.opens("sheetFormatPr") {
                let own = tag.attribute("defaultColWidth").and_then(|text| width_of(&text));
                let digits = number(tag, "baseColWidth").filter(|n| *n <= 255);
                let rounded = digits.map(|n| (n * 7 + 5).div_ceil(8) * 8 * DIGIT / 7);
                widths.usual = own.or(rounded).unwrap_or(USUAL);
            } else if tag.opens("col")
                && let (Some(from), Some(to)) = (number(tag, "min"), number(tag, "max"))
                && let Some(width) = tag.attribute("width").and_then(|text| width_of(&text))
            {
                widths.spans.push((from, to, width));
            }
        }
        widths
    }

    /// Digits for which a column (from 1) has room.
    ///
    /// ```
    /// assert_eq!(incola_workbook::ColumnWidths::default().room(3), 8);
    /// ```
    pub fn room(&self, column: u32) -> u32 {
        let span = self.spans.iter().find(|(from, to, _)| (*from..=*to).contains(&column));
        let width = span.map_or(self.usual, |(.., width)| *width);
        // Programs round the margin in either direction: the last digit is given to the cell.
        (width + DIGIT / 4).saturating_sub(MARGIN) / DIGIT
    }
}

/// What stands before the rows, with columns (from 1, in rising order) made as wide as so many digits need.
///
/// # Errors
/// [`Error::Damaged`](crate::Error::Damaged) where the mark-up breaks off.
pub(crate) fn widened(part: &str, head: &[u8], wanted: &[(u32, u32)]) -> Result<Vec<u8>> {
    let all = tags(part, head)?;
    let Some(rows) = all.iter().rev().find(|tag| tag.opens("sheetData")) else { return Ok(head.to_vec()) };
    let prefix = rows.prefix();
    let own: Vec<&Tag<'_>> = all.iter().filter(|tag| tag.opens("col")).collect();
    let mut spans = String::new();
    let mut left = wanted.iter().copied().peekable();
    let new = |column: u32, digits: u32| {
        format!(
            "<{prefix}col min=\"{column}\" max=\"{column}\" width=\"{}\" customWidth=\"1\"/>",
            spelled(digits)
        )
    };
    for tag in own {
        let (Some(from), Some(to)) = (number(tag, "min"), number(tag, "max")) else {
            spans.push_str(&String::from_utf8_lossy(&head[tag.start..tag.end]));
            continue;
        };
        while let Some((column, digits)) = left.next_if(|(column, _)| *column < from) {
            spans.push_str(&new(column, digits));
        }
        let mut at = from;
        while let Some((column, digits)) = left.next_if(|(column, _)| *column <= to) {
            if column > at {
                spans.push_str(&over(tag, prefix, (at, column - 1), None));
            }
            spans.push_str(&over(tag, prefix, (column, column), Some(digits)));
            at = column + 1;
        }
        if at == from {
            spans.push_str(&String::from_utf8_lossy(&head[tag.start..tag.end]));
        } else if at <= to {
            spans.push_str(&over(tag, prefix, (at, to), None));
        }
    }
    for (column, digits) in left {
        spans.push_str(&new(column, digits));
    }
    let opened = all.iter().find(|tag| tag.opens("cols"));
    let closed = all.iter().find(|tag| tag.closes("cols"));
    let (from, to, spans) = match (opened, closed) {
        (Some(open), _) if open.kind == TagKind::Empty => (open.start, open.end, wrapped(prefix, &spans)),
        (Some(open), Some(close)) => (open.end, close.start, spans),
        _ => (rows.start, rows.start, wrapped(prefix, &spans)),
    };
    Ok([&head[..from], spans.as_bytes(), &head[to..]].concat())
}

fn wrapped(prefix: &str, spans: &str) -> String {
    format!("<{prefix}cols>{spans}</{prefix}cols>")
}

/// The width of so many digits, as it is written.
fn spelled(digits: u32) -> f64 {
    f64::from((digits * DIGIT + MARGIN + DIGIT / 4).min(WIDEST)) / f64::from(DIGIT)
}

/// The description of columns for some of them, and with another width.
fn over(tag: &Tag<'_>, prefix: &str, (from, to): (u32, u32), digits: Option<u32>) -> String {
    let mut out = format!("<{prefix}col min=\"{from}\" max=\"{to}\"");
    for (name, value) in tag.attributes() {
        let is_ours = digits.is_some() && matches!(name, "width" | "customWidth" | "bestFit");
        if !is_ours && !matches!(name, "min" | "max") {
            let _ = write!(out, " {name}=\"{}\"", crate::xml::escaped(&value));
        }
    }
    if let Some(digits) = digits {
        let _ = write!(out, " width=\"{}\" customWidth=\"1\"", spelled(digits));
    }
    out + "/>"
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn room(head: &str, column: u32) -> u32 {
        ColumnWidths::of(&tags("s.xml", head.as_bytes()).unwrap()).room(column)
    }

    #[test]
    fn widths_are_read_as_programs_write_them() {
        for (head, column, digits) in [
            ("<sheetData>", 1, 8),
            ("<sheetFormatPr baseColWidth=\"10\" defaultRowHeight=\"15\"/>", 1, 10),
            ("<sheetFormatPr defaultColWidth=\"11.43\"/>", 1, 10),
            ("<cols><col min=\"2\" max=\"4\" width=\"12.7109375\" customWidth=\"1\"/></cols>", 3, 12),
            ("<cols><col min=\"2\" max=\"4\" width=\"12.7109375\"/></cols>", 5, 8),
            ("<cols><col min=\"2\" max=\"2\" style=\"3\"/></cols>", 2, 8),
            ("<x:cols><x:col min='1' max='1' width='0'/></x:cols>", 1, 0),
            ("<cols><col min=\"1\" max=\"1\" width=\"wide\"/></cols>", 1, 8),
        ] {
            assert_eq!(room(head, column), digits, "{head}");
        }
    }

    #[test]
    fn only_what_is_widened_changes() {
        let widened = |head: &str, wanted: &[(u32, u32)]| {
            String::from_utf8(widened("s.xml", head.as_bytes(), wanted).unwrap()).unwrap()
        };
        assert_eq!(
            widened("<w><sheetData>", &[(2, 20)]),
            "<w><cols><col min=\"2\" max=\"2\" width=\"20.9609375\" customWidth=\"1\"/></cols><sheetData>"
        );
        assert_eq!(
            widened("<x:w><x:cols/><x:sheetData>", &[(1, 8)]),
            "<x:w><x:cols><x:col min=\"1\" max=\"1\" width=\"8.9609375\" customWidth=\"1\"/></x:cols><x:sheetData>"
        );
        assert_eq!(
            widened(
                "<w><cols><col  min='1' max='1' width='3'/><col min=\"2\" max=\"9\" style=\"7\" width=\"4\" hidden=\"1\"/></cols><sheetData/>",
                &[(4, 10), (12, 11)]
            ),
            "<w><cols><col  min='1' max='1' width='3'/><col min=\"2\" max=\"3\" style=\"7\" width=\"4\" hidden=\"1\"/>\
             <col min=\"4\" max=\"4\" style=\"7\" hidden=\"1\" width=\"10.9609375\" customWidth=\"1\"/>\
             <col min=\"5\" max=\"9\" style=\"7\" width=\"4\" hidden=\"1\"/>\
             <col min=\"12\" max=\"12\" width=\"11.9609375\" customWidth=\"1\"/></cols><sheetData/>"
        );
    }

    proptest! {
        /// Whatever spans there are: columns that were asked for are as wide as they were to be, others as they were, and no
        /// column is described twice.
        #[test]
        fn each_column_is_as_wide_as_it_is_to_be(
            lengths in prop::collection::vec((1u32..4, 0u32..5, 0u32..40), 0..6),
            wanted in prop::collection::btree_map(1u32..30, 1u32..60, 0..6),
        ) {
            let mut head = String::from("<w><cols>");
            let mut from = 1;
            for (gap, length, width) in lengths {
                let to = from + gap - 1 + length;
                let _ = write!(head, "<col min=\"{}\" max=\"{to}\" width=\"{width}\"/>", from + gap - 1);
                from = to + 1;
            }
            head.push_str("</cols><sheetData>");
            let list: Vec<(u32, u32)> = wanted.iter().map(|(column, digits)| (*column, *digits)).collect();
            let after = String::from_utf8(widened("s.xml", head.as_bytes(), &list).unwrap()).unwrap();
            let spans = tags("s.xml", after.as_bytes()).unwrap();
            let mut last = 0;
            for tag in spans.iter().filter(|tag| tag.opens("col")) {
                prop_assert!(number(tag, "min").unwrap() > last, "{after}");
                last = number(tag, "max").unwrap();
            }
            for column in 1..32 {
                let digits = wanted.get(&column).copied().unwrap_or_else(|| room(&head, column));
                prop_assert_eq!(room(&after, column), digits, "{} {}", column, after);
            }
        }
    }
}
