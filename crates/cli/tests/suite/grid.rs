//! The cells of a sheet as a clerk sees and types them, read from its part and put back into it.

use incola_workbook::{CellRef, Formula, Range};
use std::collections::BTreeMap;
use std::fmt::Write as _;

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
}
