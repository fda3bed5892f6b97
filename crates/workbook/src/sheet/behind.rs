//! What stands behind the rows of an existing sheet: areas that covered the rows go on with them, and a table's part is named.

use crate::error::Result;
use crate::existing::edit::{Edit, append, attribute_edit, edited};
use crate::family::Family;
use crate::markup::{Tag, TagKind, tags};
use crate::reference::{CellRef, Range};
use crate::sheet::merge::Totals;
use crate::sheet::revise::Revised;

/// Rows that became more.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Extension {
    /// The columns, from 1, in rising order.
    pub columns: Vec<u32>,
    /// The first row of data.
    pub first_row: u32,
    /// The last row of data as it was; the first one, if there was none.
    pub old_last: u32,
    /// The last row of data as it is.
    pub new_last: u32,
    /// Whether areas that ended with the rows end with them when they become fewer.
    pub shrinks: bool,
}

impl Extension {
    /// The area with the rows that came, if it covered those that were there.
    fn area(&self, text: &str) -> Option<String> {
        let mut range = Range::parse(text)?;
        let covers = range.from.row <= self.first_row
            && range.to.row >= self.old_last.max(self.first_row)
            && self.columns.iter().any(|c| (range.from.column..=range.to.column).contains(c));
        // What reached further than the rows was meant to.
        let shrinks = self.shrinks && range.to.row == self.old_last && range.to.row > self.new_last;
        (covers && (range.to.row < self.new_last || shrinks)).then(|| {
            range.to.row = self.new_last;
            range.to_string()
        })
    }

    /// The same for a list of areas.
    pub(crate) fn areas(&self, text: &str) -> Option<String> {
        let list: Vec<&str> = text.split_ascii_whitespace().collect();
        if !list.iter().any(|area| self.area(area).is_some()) {
            return None;
        }
        let list: Vec<String> =
            list.iter().map(|a| self.area(a).unwrap_or_else(|| (*a).to_owned())).collect();
        Some(list.join(" "))
    }
}

/// What becomes of cells that things behind the rows hang on.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Fates<'f> {
    /// Rows that moved.
    pub(crate) revised: Option<&'f Revised>,
    /// Rows in which other records stand now, the first and the last one, and their columns.
    pub(crate) replaced: ((u32, u32), &'f [u32]),
    /// Rows of totals below the rows.
    pub(crate) totals: Option<&'f Totals>,
}

impl Fates<'_> {
    /// Whether some cells stand elsewhere, or went with their rows.
    pub(crate) fn move_cells(&self) -> bool {
        self.revised.is_some_and(|r| !r.gone.is_empty()) || self.totals.is_some_and(|t| t.stood().0 != t.to)
    }

    /// Where a cell is; `None`: it went.
    pub(crate) fn of(&self, cell: CellRef) -> Option<CellRef> {
        let CellRef { row, column } = cell;
        if let Some(totals) = self.totals.filter(|t| t.holds(cell)) {
            return Some(CellRef { row: row - totals.stood().0 + totals.to, column });
        }
        if let Some(revised) = self.revised.filter(|r| (r.first..=r.last).contains(&row) && r.moves(column)) {
            let goes = revised.gone.binary_search(&row).is_ok();
            return (!goes).then(|| CellRef { row: revised.moved(row, column), column });
        }
        let ((from, to), columns) = self.replaced;
        let goes = (from..=to).contains(&row) && columns.binary_search(&column).is_ok();
        (!goes).then_some(cell)
    }
}

/// The end of a sheet, as it is to be.
pub(crate) fn changed(
    part: &str,
    tail: &[u8],
    (extension, fates): (Option<&Extension>, Option<&Fates<'_>>),
    table: Option<(u32, &NameSpaces)>,
) -> Result<Vec<u8>> {
    // The element that the part begins with is still open here.
    let opened = [&b"<x>"[..], tail].concat();
    let all = tags(part, &opened)?;
    let mut edits: Vec<Edit> = Vec::new();
    if let Some(extension) = extension {
        extend(&opened, &all, extension, &mut edits);
    }
    if let Some(fates) = fates {
        hyperlinks(&opened, &all, fates, &mut edits);
    }
    if let Some((tie, spaces)) = table {
        name_table(&opened, &all, tie, spaces, &mut edits);
    }
    Ok(edited(&opened, edits)[3..].to_vec())
}

/// Links of cells go with them, or go.
fn hyperlinks(xml: &[u8], all: &[Tag<'_>], fates: &Fates<'_>, edits: &mut Vec<Edit>) {
    let Some(list) = all.iter().position(|t| t.opens("hyperlinks") && t.kind == TagKind::Open) else {
        return;
    };
    let Some(end) = all[list..].iter().position(|t| t.closes("hyperlinks")) else { return };
    let mut own: Vec<Edit> = Vec::new();
    let mut is_left = false;
    for (n, tag) in all[list..list + end].iter().enumerate().filter(|(_, t)| t.opens("hyperlink")) {
        let Some(range) = tag.attribute("ref").and_then(|r| Range::parse(&r)) else { continue };
        let now = match (fates.of(range.from), fates.of(range.to)) {
            (None, None) => None,
            (from, to) => Some(Range { from: from.unwrap_or(range.from), to: to.unwrap_or(range.to) }),
        };
        is_left |= now.is_some();
        match now {
            None => {
                let close = all[list + n..].iter().find(|t| t.closes("hyperlink"));
                let to = close.filter(|_| tag.kind == TagKind::Open).map_or(tag.end, |t| t.end);
                own.push((tag.start..to, String::new()));
            }
            Some(now) if now != range => own.extend(attribute_edit(xml, tag, "ref", &now.to_string())),
            Some(_) => {}
        }
    }
    if is_left || own.is_empty() {
        edits.extend(own);
    } else {
        edits.push((all[list].start..all[list + end].end, String::new()));
    }
}

fn extend(xml: &[u8], all: &[Tag<'_>], extension: &Extension, edits: &mut Vec<Edit>) {
    // Of the extensions of later years only those that say the same once more.
    let mut is_twin = false;
    for (n, tag) in all.iter().enumerate() {
        match tag.local() {
            b"conditionalFormatting" | b"dataValidation" if tag.kind != TagKind::Close => {
                let areas = tag.attribute("sqref").and_then(|a| extension.areas(&a));
                edits.extend(areas.and_then(|a| attribute_edit(xml, tag, "sqref", &a)));
                is_twin = tag.kind == TagKind::Open;
            }
            b"conditionalFormatting" | b"dataValidation" => is_twin = false,
            b"autoFilter" if tag.kind != TagKind::Close => {
                let area = tag.attribute("ref").and_then(|a| extension.areas(&a));
                edits.extend(area.and_then(|a| attribute_edit(xml, tag, "ref", &a)));
            }
            b"sqref" if tag.kind == TagKind::Open && is_twin => {
                let end = all.get(n + 1).map_or(tag.end, |t| t.start);
                let areas = std::str::from_utf8(&xml[tag.end..end]).ok().and_then(|a| extension.areas(a));
                edits.extend(areas.map(|a| (tag.end..end, a)));
            }
            _ => {}
        }
    }
}

/// What elements of a sheet are called there.
#[derive(Clone, Debug, Default)]
pub(crate) struct NameSpaces {
    /// The prefix of elements, with its colon.
    pub(crate) prefix: String,
    /// The prefix that ties have, without colon; `None`: none is bound.
    pub(crate) ties: Option<String>,
    pub(crate) family: Family,
}

impl NameSpaces {
    /// Those of a sheet whose beginning this is.
    pub(crate) fn of(part: &str, head: &[u8], family: Family) -> Result<Self> {
        let all = tags(part, head)?;
        let Some(root) = all.first() else { return Ok(Self { family, ..Self::default() }) };
        let bound = root.attributes().find(|(n, v)| n.starts_with("xmlns:") && v == family.relationships());
        Ok(Self {
            prefix: root.prefix().to_owned(),
            ties: bound.map(|(n, _)| n["xmlns:".len()..].to_owned()),
            family,
        })
    }
}

fn name_table(xml: &[u8], all: &[Tag<'_>], tie: u32, spaces: &NameSpaces, edits: &mut Vec<Edit>) {
    let p = &spaces.prefix;
    let (space, r) = match &spaces.ties {
        Some(bound) => (String::new(), bound.as_str()),
        None => (format!(" xmlns:r=\"{}\"", spaces.family.relationships()), "r"),
    };
    let entry = format!("<{p}tablePart{space} {r}:id=\"rId{tie}\"/>");
    if let Some(list) = all.iter().find(|t| t.opens("tableParts")) {
        let count = all.iter().filter(|t| t.opens("tablePart")).count() + 1;
        edits.extend(attribute_edit(xml, list, "count", &count.to_string()));
        edits.extend(append(xml, all, "tableParts", &entry).unwrap_or_default());
        return;
    }
    // Nothing but extensions comes behind it. They are the last child; others may hold some too.
    let close = all.last().map_or(xml.len(), |t| t.start);
    let mut depth = 0_i32;
    let mut before = close;
    for tag in &all[1..] {
        // The rows are closed first, and the root last.
        match tag.kind {
            TagKind::Open => {
                if depth == 0 && tag.opens("extLst") {
                    before = tag.start;
                }
                depth += 1;
            }
            TagKind::Close => depth = (depth - 1).max(0),
            TagKind::Empty => {}
        }
    }
    let text = format!("<{p}tableParts count=\"1\">{entry}</{p}tableParts>");
    edits.push((before..before, text));
}

#[cfg(test)]
mod tests {
    use super::*;

    const TAIL: &str = "</sheetData><autoFilter ref=\"A1:C9\"/><conditionalFormatting sqref=\"C2:C9 E1:E4\"><cfRule/></conditionalFormatting>\
        <dataValidations count=\"2\"><dataValidation sqref=\"B2:B9\"/><dataValidation sqref=\"H2:H9\"/></dataValidations>\
        <drawing r:id=\"rId1\"/><extLst><ext><x14:dataValidation><xm:f>A1</xm:f><xm:sqref>A2:A9</xm:sqref></x14:dataValidation>\
        <x14:sparkline><xm:sqref>A2:A9</xm:sqref></x14:sparkline></ext></extLst></worksheet>";

    fn shown(extension: Option<&Extension>, table: bool) -> String {
        let spaces = NameSpaces { ties: Some("r".into()), ..NameSpaces::default() };
        let table = table.then_some((7, &spaces));
        String::from_utf8(changed("s", TAIL.as_bytes(), (extension, None), table).unwrap()).unwrap()
    }

    #[test]
    fn areas_that_covered_the_rows_take_in_those_that_came() {
        let extension =
            Extension { columns: vec![1, 2, 3], first_row: 2, old_last: 9, new_last: 20, shrinks: false };
        let expected = TAIL
            .replace("A1:C9", "A1:C20")
            .replace("C2:C9", "C2:C20")
            .replace("\"B2:B9", "\"B2:B20")
            .replacen("<xm:sqref>A2:A9", "<xm:sqref>A2:A20", 1);
        assert_eq!(shown(Some(&extension), false), expected);
        // Fewer rows than before, or another place: nothing changes.
        for (old_last, new_last) in [(9, 5), (9, 9), (12, 30)] {
            let extension = Extension { old_last, new_last, ..extension.clone() };
            assert_eq!(shown(Some(&extension), false), TAIL);
        }
        // Unless rows in between went: then it is the same rows that are covered.
        let shorter = Extension { new_last: 6, shrinks: true, ..extension };
        assert_eq!(shown(Some(&shorter), false), expected.replace("20", "6"));
    }

    #[test]
    fn links_of_cells_go_with_them_or_go() {
        let link = |cell: &str| format!("<hyperlink ref=\"{cell}\" r:id=\"rId1\"/>");
        let tail = |cells: &[&str]| {
            let links: String = cells.iter().map(|c| link(c)).collect();
            let list = if links.is_empty() { links } else { format!("<hyperlinks>{links}</hyperlinks>") };
            format!("</sheetData>{list}<pageMargins/></worksheet>")
        };
        let revised = Revised {
            first: 2,
            last: 9,
            gone: vec![3, 5],
            columns: vec![1, 2],
            moves_rows: false,
            has_formulas: false,
        };
        let replaced = ((2, 9), &[1, 2][..]);
        for (revised, before, after) in [
            (
                Some(&revised),
                &["A1", "A2", "B3", "A4", "A6", "C6", "A12"][..],
                &["A1", "A2", "A3", "A4", "C6", "A12"][..],
            ),
            (Some(&revised), &["B3", "A5"], &[]),
            (None, &["A1", "A2", "B9", "C2", "A10"], &["A1", "C2", "A10"]),
            (None, &["C1"], &["C1"]),
        ] {
            let fates = Fates {
                revised,
                replaced: if revised.is_some() { ((8, 9), &[1, 2]) } else { replaced },
                totals: None,
            };
            let now = changed("s", tail(before).as_bytes(), (None, Some(&fates)), None).unwrap();
            assert_eq!(String::from_utf8(now).unwrap(), tail(after), "{before:?}");
        }
    }

    #[test]
    fn a_table_is_named_before_the_extensions() {
        assert_eq!(
            shown(None, true),
            TAIL.replacen(
                "<extLst>",
                "<tableParts count=\"1\"><tablePart r:id=\"rId7\"/></tableParts><extLst>",
                1
            )
        );
        let spaces = NameSpaces::default();
        let with_list =
            b"</sheetData><tableParts count=\"1\"><tablePart r:id=\"rId1\"/></tableParts></worksheet>";
        let text =
            String::from_utf8(changed("s", with_list, (None, None), Some((2, &spaces))).unwrap()).unwrap();
        assert!(
            text.contains("<tableParts count=\"2\"><tablePart r:id=\"rId1\"/><tablePart xmlns:r="),
            "{text}"
        );
    }
}
