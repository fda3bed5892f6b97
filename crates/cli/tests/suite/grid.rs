//! The cells of a sheet as a clerk sees and types them, read from its part and put back into it.

use crate::support::Folder;
use incola_workbook::{CellRef, Formula, Range};
use std::collections::BTreeMap;
use std::fmt::Write as _;

/// The parts of a sheet, of its comments, and of the boxes that show them.
pub(crate) const SHEET: &str = "xl/worksheets/sheet1.xml";
pub(crate) const COMMENTS: &str = "xl/comments1.xml";
pub(crate) const BOXES: &str = "xl/drawings/vmlDrawing1.vml";

/// What stands in a cell.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Typed {
    Text(String),
    Number(String),
    Formula(String),
    /// A formula that gives a list of values, of which its cell shows one.
    Array(String),
}

/// How a row looks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Looks {
    pub(crate) hidden: bool,
    pub(crate) high: bool,
}

/// The cells and rows of a sheet.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Grid {
    pub(crate) cells: BTreeMap<(u32, u32), Typed>,
    pub(crate) looks: BTreeMap<u32, Looks>,
    /// Comments on cells.
    pub(crate) comments: BTreeMap<(u32, u32), String>,
    /// Where cells lead to.
    pub(crate) links: BTreeMap<(u32, u32), String>,
    /// The cells that a filter of the sheet is over.
    pub(crate) filter: Option<String>,
}

/// The value of an attribute in an opening tag.
fn attribute<'t>(tag: &'t str, name: &str) -> Option<&'t str> {
    let start = tag.find(&format!(" {name}=\""))? + name.len() + 3;
    Some(&tag[start..start + tag[start..].find('"')?])
}

/// What stands between the tags of an element.
fn inside<'t>(text: &'t str, name: &str) -> Option<(&'t str, &'t str)> {
    let start = text.find(&format!("<{name}"))?;
    let end = start + text[start..].find('>')?;
    let tag = &text[start..end];
    if tag.ends_with('/') {
        return Some((tag, ""));
    }
    let close = end + text[end..].find(&format!("</{name}>"))?;
    Some((tag, &text[end + 1..close]))
}

impl Grid {
    pub(crate) fn set(&mut self, row: u32, column: u32, typed: Typed) {
        self.cells.insert((row, column), typed);
    }

    pub(crate) fn text(&mut self, row: u32, column: u32, text: &str) {
        self.set(row, column, Typed::Text(text.to_owned()));
    }

    /// Reads a part as the program writes it: no prefixes, every row and cell with its place.
    pub(crate) fn of(part: &str) -> Self {
        let mut grid = Self::default();
        let mut shared: BTreeMap<String, ((u32, u32), String)> = BTreeMap::new();
        let body = &part[part.find("<sheetData>").unwrap()..part.find("</sheetData>").unwrap()];
        for row in body.split("<row ").skip(1) {
            let open = format!(" {}", &row[..row.find('>').unwrap()]);
            let number: u32 = attribute(&open, "r").unwrap().parse().unwrap();
            let looks = Looks {
                hidden: attribute(&open, "hidden") == Some("1"),
                high: attribute(&open, "ht").is_some(),
            };
            if looks != Looks::default() {
                grid.looks.insert(number, looks);
            }
            for cell in row.split("<c ").skip(1) {
                let open = format!(" {}", &cell[..cell.find('>').unwrap()]);
                let at = CellRef::parse(attribute(&open, "r").unwrap()).unwrap();
                assert_eq!(at.row, number, "cells stand in their row: {part}");
                let place = (number, at.column);
                assert!(grid.cells.range(place..(number + 1, 0)).next().is_none(), "cells ascend: {part}");
                let plain = |t: &str| t.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
                let typed = if let Some((tag, text)) = inside(cell, "f") {
                    let mut own = plain(text);
                    match (attribute(tag, "t"), attribute(tag, "si")) {
                        (Some("array"), _) => {
                            assert_eq!(attribute(tag, "ref"), Some(at.to_string().as_str()), "{part}");
                            Typed::Array(own)
                        }
                        (Some("shared"), Some(id)) => {
                            if own.is_empty() {
                                let ((row, column), text) =
                                    shared.get(id).expect("a formula that is shared stands first");
                                let mut moved = Vec::new();
                                let aside = i64::from(at.column) - i64::from(*column);
                                Formula::parse(text, *row).aside(aside).write(&mut moved, number);
                                own = plain(&String::from_utf8(moved).unwrap());
                            } else {
                                shared.insert(id.to_owned(), (place, own.clone()));
                            }
                            Typed::Formula(own)
                        }
                        _ => Typed::Formula(own),
                    }
                } else if let Some((_, text)) = inside(cell, "t") {
                    Typed::Text(plain(text))
                } else if let Some((_, value)) = inside(cell, "v") {
                    match attribute(&open, "t") {
                        Some("str") => Typed::Text(plain(value)),
                        _ => Typed::Number(value.to_owned()),
                    }
                } else {
                    continue;
                };
                grid.cells.insert(place, typed);
            }
        }
        grid
    }

    /// The part with these cells in place of its own. `shares`: a column of formulas that share one text.
    pub(crate) fn put_into(&self, part: &str, shares: Option<u32>) -> String {
        let (from, to) = (part.find("<sheetData>").unwrap() + 11, part.find("</sheetData>").unwrap());
        let mut rows = String::new();
        let last =
            self.cells.keys().map(|(row, _)| *row).chain(self.looks.keys().copied()).max().unwrap_or(0);
        let of_column = |c: u32| self.cells.iter().filter(move |((_, column), _)| *column == c);
        let sharing: Vec<u32> = shares
            .iter()
            .flat_map(|c| of_column(*c))
            .filter(|(_, typed)| matches!(typed, Typed::Formula(_)))
            .map(|((row, _), _)| *row)
            .collect();
        for row in 1..=last {
            let looks = self.looks.get(&row).copied().unwrap_or_default();
            let hidden = if looks.hidden { " hidden=\"1\"" } else { "" };
            let high = if looks.high { " ht=\"30\" customHeight=\"1\"" } else { "" };
            let _ = write!(rows, "<row r=\"{row}\"{hidden}{high}>");
            for ((_, column), typed) in self.cells.range((row, 0)..(row + 1, 0)) {
                let at = CellRef { row, column: *column };
                let escaped = |t: &str| t.replace('&', "&amp;").replace('<', "&lt;");
                let _ = match typed {
                    Typed::Text(text) => write!(rows, "<c r=\"{at}\" t=\"str\"><v>{}</v></c>", escaped(text)),
                    Typed::Number(number) => write!(rows, "<c r=\"{at}\"><v>{number}</v></c>"),
                    Typed::Formula(_) if shares == Some(*column) && sharing.first() != Some(&row) => {
                        write!(rows, "<c r=\"{at}\"><f t=\"shared\" si=\"0\"/><v>1</v></c>")
                    }
                    Typed::Formula(text) if shares == Some(*column) => {
                        let to = CellRef { row: *sharing.last().unwrap(), column: *column };
                        let range = Range { from: at, to };
                        write!(
                            rows,
                            "<c r=\"{at}\"><f t=\"shared\" ref=\"{range}\" si=\"0\">{}</f><v>1</v></c>",
                            escaped(text)
                        )
                    }
                    Typed::Formula(text) => {
                        write!(rows, "<c r=\"{at}\"><f>{}</f><v>1</v></c>", escaped(text))
                    }
                    Typed::Array(text) => {
                        write!(
                            rows,
                            "<c r=\"{at}\"><f t=\"array\" ref=\"{at}\">{}</f><v>1</v></c>",
                            escaped(text)
                        )
                    }
                };
            }
            rows.push_str("</row>");
        }
        format!("{}{rows}{}", &part[..from], &part[to..])
    }

    /// The part with the filter and the links in place of its own.
    pub(crate) fn hung_on(&self, part: &str) -> String {
        let mut part = part.to_owned();
        for (from, to) in [("<autoFilter ref", "/>"), ("<hyperlinks>", "</hyperlinks>")] {
            if let Some(start) = part.find(from) {
                let end = start + part[start..].find(to).unwrap() + to.len();
                part.replace_range(start..end, "");
            }
        }
        let mut more =
            self.filter.as_ref().map_or_else(String::new, |cells| format!("<autoFilter ref=\"{cells}\"/>"));
        if !self.links.is_empty() {
            let link = |((row, column), to): (&(u32, u32), &String)| {
                let at = CellRef { row: *row, column: *column };
                format!("<hyperlink ref=\"{at}\" location=\"{to}\"/>")
            };
            let links: String = self.links.iter().map(link).collect();
            let _ = write!(more, "<hyperlinks>{links}</hyperlinks>");
        }
        part.replace("</sheetData>", &format!("</sheetData>{more}"))
    }

    /// The part that holds the comments.
    pub(crate) fn comment_texts(&self) -> String {
        let comment = |((row, column), text): (&(u32, u32), &String)| {
            let at = CellRef { row: *row, column: *column };
            format!("<comment ref=\"{at}\" authorId=\"0\"><text><t>{text}</t></text></comment>")
        };
        let list: String = self.comments.iter().map(comment).collect();
        format!(
            "<comments><authors><author>Ada Rowe</author></authors><commentList>{list}</commentList></comments>"
        )
    }

    /// The drawing with a box for each comment.
    pub(crate) fn comment_boxes(&self) -> String {
        let shape = |(row, column): &(u32, u32)| {
            let (row, column) = (row - 1, column - 1);
            format!(
                "<v:shape id=\"s{row}\"><x:ClientData ObjectType=\"Note\"><x:Anchor>{column}, 5, {row}, 5, {}, 5, {}, 5</x:Anchor>\
                 <x:Row>{row}</x:Row><x:Column>{column}</x:Column></x:ClientData></v:shape>",
                column + 2,
                row + 3
            )
        };
        let shapes: String = self.comments.keys().map(shape).collect();
        format!("<xml xmlns:v=\"v\" xmlns:x=\"x\">{shapes}</xml>")
    }

    /// The cells of a sheet, and what hangs on them in other parts. Each comment must have its box at its cell.
    pub(crate) fn read(folder: &Folder) -> Self {
        let part = folder.part("book.xlsx", SHEET);
        let mut grid = Self::of(&part);
        grid.filter =
            inside(&part, "autoFilter").and_then(|(tag, _)| attribute(tag, "ref")).map(str::to_owned);
        let place = |tag: &str| {
            let at = CellRef::parse(attribute(tag, "ref").unwrap()).unwrap();
            (at.row, at.column)
        };
        for link in part.split("<hyperlink ").skip(1) {
            let tag = format!(" {}", &link[..link.find('>').unwrap()]);
            grid.links.insert(place(&tag), attribute(&tag, "location").unwrap().to_owned());
        }
        let texts = folder.part("book.xlsx", COMMENTS);
        for comment in texts.split("<comment ").skip(1) {
            let tag = format!(" {}", &comment[..comment.find('>').unwrap()]);
            let text = comment.split("<t>").nth(1).and_then(|text| text.split("</t>").next());
            grid.comments.insert(place(&tag), text.unwrap().to_owned());
        }
        let number =
            |text: &str, name: &str| inside(text, name).unwrap().1.trim().parse::<u32>().unwrap() + 1;
        let boxes = folder.part("book.xlsx", BOXES);
        let boxes = boxes.split("<v:shape ").skip(1).map(|shape| {
            let (row, column) = (number(shape, "x:Row"), number(shape, "x:Column"));
            let anchor = inside(shape, "x:Anchor").unwrap().1;
            assert_eq!(
                anchor.split(", ").nth(2),
                Some((row - 1).to_string().as_str()),
                "a box is beside its cell"
            );
            (row, column)
        });
        let boxes: std::collections::BTreeSet<_> = boxes.collect();
        assert!(
            boxes.iter().eq(grid.comments.keys()),
            "each comment has its box: {boxes:?} {:?}",
            grid.comments
        );
        grid
    }
}

/// Ties parts for comments to the sheet.
pub(crate) fn hang(folder: &Folder, is_table: bool) {
    let tie = |id: &str, kind: &str, target: &str| {
        format!(
            "<Relationship Id=\"{id}\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/{kind}\" Target=\"{target}\"/>"
        )
    };
    let more = tie("rId8", "vmlDrawing", "../drawings/vmlDrawing1.vml")
        + &tie("rId9", "comments", "../comments1.xml");
    let ties = "xl/worksheets/_rels/sheet1.xml.rels";
    if is_table {
        folder.change_part("book.xlsx", ties, |text| {
            text.replace("</Relationships>", &format!("{more}</Relationships>"))
        });
    } else {
        let space = "http://schemas.openxmlformats.org/package/2006/relationships";
        let text = format!("<Relationships xmlns=\"{space}\">{more}</Relationships>");
        folder.add_part("book.xlsx", ties, &text);
    }
    folder.add_part("book.xlsx", COMMENTS, &Grid::default().comment_texts());
    folder.add_part("book.xlsx", BOXES, &Grid::default().comment_boxes());
}
