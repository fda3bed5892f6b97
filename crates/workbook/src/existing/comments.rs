//! Comments on cells, and what becomes of them where rows move. A comment stands in up to three parts: its text, its thread, and the
//! box that shows it.

use super::edit::{Edit, attribute_edit, edited};
use super::{ExistingBook, part};
use crate::error::{Error, Result};
use crate::markup::{Tag, TagKind, tags};
use crate::reference::CellRef;
use std::ops::Range as Bytes;

/// Where a cell is once rows moved; `None`: it went.
pub(crate) type Now<'n> = &'n dyn Fn(CellRef) -> Option<CellRef>;

impl ExistingBook {
    /// The cells of sheet `n` (from 0) that have comments.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if they cannot be read.
    pub fn comments(&mut self, n: usize) -> Result<Vec<CellRef>> {
        let mut cells = Vec::new();
        // Threads of comments have a twin there.
        for name in self.tied(n, "/comments")? {
            let comments = part(&mut self.zip, &name)?;
            let all = tags(&comments.name, &comments.content)?;
            let own = all.iter().filter(|t| t.opens("comment"));
            cells.extend(own.filter_map(|t| t.attribute("ref").and_then(|r| CellRef::parse(&r))));
        }
        Ok(cells)
    }

    /// Whether the comments of sheet `n` (from 0) can go with their cells: each part that tells of them can be read.
    pub fn can_move_comments(&mut self, n: usize) -> bool {
        self.comments_moved(n, &Some).is_ok()
    }

    /// The parts that tell of the comments of sheet `n` (from 0), by their entries, as they are once cells moved.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if they cannot be read.
    pub(crate) fn comments_moved(&mut self, n: usize, now: Now<'_>) -> Result<Vec<(usize, Vec<u8>)>> {
        let mut parts = Vec::new();
        for (kind, element) in [("/comments", "comment"), ("/threadedComment", "threadedComment")] {
            for name in self.tied(n, kind)? {
                let comments = part(&mut self.zip, &name)?;
                let edits = elements_moved(&comments.name, &comments.content, element, now)?;
                parts.push((comments, edits));
            }
        }
        for name in self.tied(n, "/vmlDrawing")? {
            let drawing = part(&mut self.zip, &name)?;
            let notes = notes(&drawing.name, &drawing.content)?;
            let edits = notes.iter().flat_map(|note| note.moved(&drawing.content, now)).collect();
            parts.push((drawing, edits));
        }
        parts.retain(|(_, edits)| !edits.is_empty());
        Ok(parts.into_iter().map(|(part, edits)| (part.place, edited(&part.content, edits))).collect())
    }
}

/// What becomes of elements that name their cell in `ref`: the ones whose cell went go.
fn elements_moved(part: &str, xml: &[u8], element: &str, now: Now<'_>) -> Result<Vec<Edit>> {
    let all = tags(part, xml)?;
    let mut edits = Vec::new();
    // None of them stands in another one.
    let mut behind = 0;
    for (n, tag) in all.iter().enumerate().filter(|(_, t)| t.opens(element)) {
        if tag.start < behind {
            continue;
        }
        behind = end_of(part, &all, n)?;
        let Some(cell) = tag.attribute("ref").and_then(|r| CellRef::parse(&r)) else { continue };
        match now(cell) {
            Some(there) if there == cell => {}
            Some(there) => edits.extend(attribute_edit(xml, tag, "ref", &there.to_string())),
            None => edits.push((tag.start..behind, String::new())),
        }
    }
    Ok(edits)
}

/// The byte behind the element that tag `n` opens.
fn end_of(part: &str, all: &[Tag<'_>], n: usize) -> Result<usize> {
    if all[n].kind == TagKind::Empty {
        return Ok(all[n].end);
    }
    let close = all[n..].iter().find(|t| t.kind == TagKind::Close && t.name() == all[n].name());
    close.map(|t| t.end).ok_or_else(|| Error::Damaged(format!("{part}: its mark-up is broken")))
}

/// The box of a comment.
struct Note {
    cell: CellRef,
    /// All of it.
    shape: Bytes<usize>,
    /// The text that says its row, from 0.
    row: Bytes<usize>,
    /// The text that says where it stands on the sheet: eight numbers, of which the third and the seventh are rows, from 0.
    anchor: Option<Bytes<usize>>,
}

/// The boxes of comments in a drawing.
fn notes(part: &str, xml: &[u8]) -> Result<Vec<Note>> {
    let all = tags(part, xml)?;
    let mut found = Vec::new();
    let mut end = 0;
    for (n, tag) in all.iter().enumerate().filter(|(_, t)| t.opens("shape") && t.kind == TagKind::Open) {
        if tag.start < end {
            continue;
        }
        end = end_of(part, &all, n)?;
        let inside = &all[n..n + all[n..].partition_point(|t| t.end <= end)];
        let is_note =
            |t: &Tag<'_>| t.opens("ClientData") && t.attribute("ObjectType").is_some_and(|o| o == "Note");
        if !inside.iter().any(is_note) {
            continue;
        }
        let text_of = |name: &str| {
            let at = inside.iter().position(|t| t.opens(name) && t.kind == TagKind::Open)?;
            inside.get(at + 1).map(|close| inside[at].end..close.start)
        };
        let number = |bytes: &Bytes<usize>| {
            std::str::from_utf8(&xml[bytes.clone()]).ok().and_then(|text| text.trim().parse::<u32>().ok())
        };
        let (Some(row), Some(column)) = (text_of("Row"), text_of("Column")) else { continue };
        let (Some(r), Some(c)) = (number(&row), number(&column)) else { continue };
        let cell = CellRef { row: r.saturating_add(1), column: c.saturating_add(1) };
        found.push(Note { cell, shape: tag.start..end, row, anchor: text_of("Anchor") });
    }
    Ok(found)
}

impl Note {
    /// What becomes of it.
    fn moved(&self, xml: &[u8], now: Now<'_>) -> Vec<Edit> {
        let Some(there) = now(self.cell) else { return vec![(self.shape.clone(), String::new())] };
        if there == self.cell {
            return Vec::new();
        }
        let mut edits = vec![(self.row.clone(), (there.row - 1).to_string())];
        // The box stays beside its cell.
        let by = i64::from(there.row) - i64::from(self.cell.row);
        edits.extend(
            self.anchor.clone().and_then(|bytes| Some((bytes.clone(), anchored(xml.get(bytes)?, by)?))),
        );
        edits
    }
}

/// The place of a box so many rows further down.
fn anchored(text: &[u8], by: i64) -> Option<String> {
    let text = std::str::from_utf8(text).ok()?;
    let numbers: Option<Vec<i64>> = text.split(',').map(|n| n.trim().parse().ok()).collect();
    let mut numbers = numbers.filter(|numbers| numbers.len() == 8)?;
    // One that would stand above the sheet keeps its height.
    let by = by.max(-numbers[2]);
    numbers[2] = numbers[2].checked_add(by)?;
    numbers[6] = numbers[6].checked_add(by)?;
    let texts: Vec<String> = numbers.iter().map(ToString::to_string).collect();
    Some(texts.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Row 3 went, and those below it moved up.
    fn without_third(cell: CellRef) -> Option<CellRef> {
        match cell.row {
            3 => None,
            row => Some(CellRef { row: row - u32::from(row > 3), ..cell }),
        }
    }

    #[test]
    fn texts_and_threads_go_with_their_cells() {
        for (element, before, after) in [
            ("comment", "<a><comment ref=\"B2\"><t>x</t></comment></a>", None),
            (
                "comment",
                "<a><comment ref=\"B3\"><t>x</t></comment><comment authorId=\"0\" ref=\"B4\"/></a>",
                Some("<a><comment authorId=\"0\" ref=\"B3\"/></a>"),
            ),
            (
                "comment",
                "<x:a><x:comment ref='B5'/><x:comment ref='?'/></x:a>",
                Some("<x:a><x:comment ref='B4'/><x:comment ref='?'/></x:a>"),
            ),
            (
                "threadedComment",
                "<a><threadedComment ref=\"B3\"><text>x</text></threadedComment><threadedComment ref=\"C9\"><text/></threadedComment></a>",
                Some("<a><threadedComment ref=\"C8\"><text/></threadedComment></a>"),
            ),
        ] {
            let edits = elements_moved("a.xml", before.as_bytes(), element, &without_third).unwrap();
            let is = String::from_utf8(edited(before.as_bytes(), edits)).unwrap();
            assert_eq!(is, after.unwrap_or(before));
        }
        assert!(elements_moved("a.xml", b"<a><comment ref=\"B3\">", "comment", &without_third).is_err());
        // Elements in one another, which no program writes, are one, and cost no more for it.
        let nested =
            format!("<a>{}{}</a>", "<comment ref=\"B9\">".repeat(100_000), "</comment>".repeat(100_000));
        let edits = elements_moved("a.xml", nested.as_bytes(), "comment", &without_third).unwrap();
        assert_eq!(edits.len(), 1);
    }

    fn shape(row: u32, anchor: &str) -> String {
        format!(
            "<v:shape id=\"s{row}\" style='margin-top:1.5pt'><v:textbox><div>a<br></div></v:textbox><x:ClientData ObjectType=\"Note\">\
             <x:Anchor>{anchor}</x:Anchor><x:Row>{row}</x:Row><x:Column>1</x:Column></x:ClientData></v:shape>"
        )
    }

    #[test]
    fn boxes_go_with_their_cells() {
        let drawing = |shapes: &[String]| {
            format!("<xml xmlns:v=\"v\"><v:shapetype id=\"t\"/>{}</xml>", shapes.concat())
        };
        let button = "<v:shape id=\"b\"><x:ClientData ObjectType=\"Button\"><x:Row>8</x:Row><x:Column>1</x:Column></x:ClientData></v:shape>";
        let before = drawing(&[
            shape(1, "1, 2, 0, 4, 5, 6, 7, 8"),
            shape(2, "1, 2, 3, 4, 5, 6, 7, 8"),
            shape(3, "1, 2,\n 3, 4, 5, 6, 7, 8"),
            shape(4, "1, 2, 0, 4, 5, 6, 7, 8"),
            shape(5, "somewhere"),
            button.to_owned(),
        ]);
        let after = drawing(&[
            shape(1, "1, 2, 0, 4, 5, 6, 7, 8"),
            shape(3, "1, 2, 2, 4, 5, 6, 6, 8").replace("<x:Row>3", "<x:Row>2"),
            shape(4, "1, 2, 0, 4, 5, 6, 7, 8").replace("<x:Row>4", "<x:Row>3"),
            shape(5, "somewhere").replace("<x:Row>5", "<x:Row>4"),
            button.to_owned(),
        ]);
        let found = notes("v.vml", before.as_bytes()).unwrap();
        assert_eq!(
            found.iter().map(|note| note.cell.to_string()).collect::<Vec<_>>(),
            ["B2", "B3", "B4", "B5", "B6"]
        );
        let edits = found.iter().flat_map(|note| note.moved(before.as_bytes(), &without_third)).collect();
        assert_eq!(String::from_utf8(edited(before.as_bytes(), edits)).unwrap(), after);
    }
}
