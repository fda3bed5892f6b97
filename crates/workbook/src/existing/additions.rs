//! What becomes of the parts that name others once sheets, tables and data were added.

use super::edit::{Edit, append, attribute_edit, edited};
use super::ties::{self, ties_added, ties_name, ties_of, types_added};
use super::{ExistingBook, PART_BYTES, Part, hidden_names};
use crate::custom_xml::{self, CUSTOM, NewCustomPart, PROPERTIES};
use crate::error::{Error, Result};
use crate::family::Family;
use crate::markup::{Tag, TagKind, tags};
use crate::package::zip_reader::{Input, ZipReader};
use crate::parts;
use crate::reference::Range;
use crate::sheet::Extension;
use crate::style_map::StyleMap;
use crate::xml;
use std::collections::HashMap;
use std::fmt::Write as _;

/// What is added to a workbook.
#[derive(Clone, Debug, Default)]
pub(crate) struct Additions {
    /// Sheets: name, and the name of the part.
    pub(crate) sheets: Vec<(String, String)>,
    /// Names of the parts of tables.
    pub(crate) tables: Vec<String>,
    /// Names of parts that hold ties of sheets that were there.
    pub(crate) ties: Vec<String>,
    /// Whether rows were placed in sheets that were there.
    pub(crate) has_rows: bool,
    /// Whether cells with formulas went.
    pub(crate) lost_formulas: bool,
    /// Defined names that went with rows, and their cells.
    pub(crate) names: Vec<(String, Range)>,
    /// Sheets (from 0) whose filters took in rows.
    pub(crate) filters: Vec<(usize, Extension)>,
    /// Custom XML parts.
    pub(crate) custom: CustomChanges,
    /// Hidden names and what they stand for; `None`: the name goes.
    pub(crate) hidden_names: Vec<(String, Option<String>)>,
}

/// What becomes of custom XML parts.
#[derive(Clone, Debug, Default)]
pub(crate) struct CustomChanges {
    pub(crate) new: Vec<NewCustomPart>,
    /// New content by place.
    pub(crate) changed: Vec<(usize, Vec<u8>)>,
    /// Places of those that go.
    pub(crate) gone: Vec<usize>,
}

impl ExistingBook {
    /// What becomes of the small parts that name others.
    pub(crate) fn changed(&mut self, additions: &Additions, styles: &StyleMap) -> Result<Changed> {
        let mut parts: HashMap<usize, Vec<u8>> = HashMap::new();
        let mut new = Vec::new();
        let mut overrides: Vec<(String, &str)> = Vec::new();
        for (_, name) in &additions.sheets {
            overrides.push((name.clone(), "worksheet"));
            overrides.push((ties_name(name), ties::TIES));
        }
        for name in &additions.ties {
            overrides.push((name.clone(), ties::TIES));
        }
        for name in &additions.tables {
            overrides.push((name.clone(), "table"));
        }
        let (folder, _) = self.workbook.name.rsplit_once('/').unwrap_or(("", ""));
        let mut ties: Vec<(u32, &str, String)> = Vec::new();
        let mut next = self.highest_tie + 1;
        for (_, name) in &additions.sheets {
            ties.push((next, "worksheet", format!("/{name}")));
            next += 1;
        }
        if let Some(part) = &self.styles {
            parts.insert(part.place, styles.content()?);
        } else {
            let name =
                if folder.is_empty() { "styles.xml".to_owned() } else { format!("{folder}/styles.xml") };
            ties.push((next, "styles", format!("/{name}")));
            next += 1;
            overrides.push((name.clone(), "styles"));
            new.push((name, styles.content()?));
        }
        let sheets: Vec<(&str, u32, u32)> = additions
            .sheets
            .iter()
            .zip(&ties)
            .zip(self.highest_sheet_id + 1..)
            .map(|(((name, _), (tie, ..)), id)| (name.as_str(), id, *tie))
            .collect();
        let mut ties_gone: Vec<&str> = Vec::new();
        let mut gone: Vec<usize> = Vec::new();
        if let Some((place, tie)) = self.calc_chain.as_ref().filter(|_| additions.lost_formulas) {
            // It may be missing: whoever computes makes it anew.
            gone.push(*place);
            ties_gone.push(tie);
        }
        for (place, tie) in self.custom.iter().filter(|(place, _)| additions.custom.gone.contains(place)) {
            gone.push(*place);
            ties_gone.push(tie);
            gone.extend(custom_companions(&mut self.zip, *place)?);
        }
        parts.extend(additions.custom.changed.iter().cloned());
        let first = self.free_number_of("customXml/item");
        for (part, n) in additions.custom.new.iter().zip(first..) {
            let (item, beside) = (format!("customXml/item{n}.xml"), format!("customXml/itemProps{n}.xml"));
            ties.push((next, "customXml", format!("/{item}")));
            next += 1;
            overrides.push((item.clone(), CUSTOM));
            overrides.push((beside.clone(), PROPERTIES));
            overrides.push((ties_name(&item), ties::TIES));
            let tie =
                parts::relationships_of(self.family, &[("customXmlProps", format!("itemProps{n}.xml"))]);
            new.push((ties_name(&item), tie.into_bytes()));
            new.push((beside, custom_xml::properties(part, self.family).into_bytes()));
            new.push((item, part.content.clone()));
        }
        let (mut types, mut all_ties) = (self.types.clone(), self.ties.clone());
        let names: Vec<&str> = gone.iter().map(|place| self.zip.entries()[*place].name.as_str()).collect();
        if !gone.is_empty() {
            types.content = ties::without(&types, "Override", |tag| {
                tag.attribute("PartName").is_some_and(|n| names.iter().any(|name| same_part(&n, name)))
            })?;
            all_ties.content = ties::without(&all_ties, "Relationship", |tag| {
                tag.attribute("Id").is_some_and(|id| ties_gone.contains(&&*id))
            })?;
        }
        parts.insert(self.types.place, types_added(&types, &overrides)?);
        parts.insert(self.ties.place, ties_added(&all_ties, &ties, self.family)?);
        let mut workbook = self.workbook.clone();
        workbook.content = sheets_added(&workbook, &sheets, self.family)?;
        workbook.content = names_moved(&workbook, additions)?;
        workbook.content = hidden_names::put(&workbook, &additions.hidden_names)?;
        if additions.has_rows {
            workbook.content = recomputed(&workbook, self.calc_chain.is_some())?;
        }
        parts.insert(self.workbook.place, workbook.content);
        Ok(Changed { parts, new, gone })
    }
}

/// What becomes of an existing workbook's entries.
pub(crate) struct Changed {
    /// New content by the place of the entry.
    pub(crate) parts: HashMap<usize, Vec<u8>>,
    /// Parts that were not there.
    pub(crate) new: Vec<(String, Vec<u8>)>,
    /// Entries that go.
    pub(crate) gone: Vec<usize>,
}

/// The workbook part with the names that went with rows: those of filters, which are hidden, and those that rows were placed by.
fn names_moved(workbook: &Part, additions: &Additions) -> Result<Vec<u8>> {
    let content = &workbook.content;
    let all = tags(&workbook.name, content)?;
    let mut edits = Vec::new();
    for (n, tag) in all.iter().enumerate().filter(|(_, t)| t.opens("definedName")) {
        let own_sheet = tag.attribute("localSheetId").and_then(|v| v.parse::<usize>().ok());
        let name = tag.attribute("name").unwrap_or_default();
        let end = all.get(n + 1).map_or(tag.end, |t| t.start);
        let Some((sheet, range)) =
            std::str::from_utf8(&content[tag.end..end]).ok().and_then(|text| text.rsplit_once('!'))
        else {
            continue;
        };
        let filter = additions.filters.iter().find(|(s, _)| Some(*s) == own_sheet);
        let filter = filter.filter(|_| name == "_xlnm._FilterDatabase");
        let placed = additions.names.iter().find(|(n, _)| *n == name).map(|(_, range)| *range);
        let grown = filter.and_then(|(_, extension)| extension.areas(&range.replace('$', "")));
        if let Some(moved) = placed.or_else(|| grown.and_then(|areas| Range::parse(&areas))) {
            edits.push((tag.end..end, format!("{sheet}!{}", moved.fixed())));
        }
    }
    Ok(edited(content, edits))
}

/// The parts that go with a custom XML part: its ties, and what they lead to.
fn custom_companions(zip: &mut ZipReader<Box<dyn Input>>, place: usize) -> Result<Vec<usize>> {
    let name = zip.entries()[place].name.replace('\\', "/");
    let name = name.trim_start_matches('/');
    let Some(ties) = zip.find(&ties_name(name)) else { return Ok(Vec::new()) };
    let own = Part { place: ties, name: ties_name(name), content: zip.read(ties, PART_BYTES)? };
    let folder = name.rsplit_once('/').map_or("", |(folder, _)| folder);
    let beside = ties_of(&own)?.iter().filter_map(|t| zip.find(&t.target_from(folder))).collect::<Vec<_>>();
    Ok(std::iter::once(ties).chain(beside).collect())
}

/// Whether both name one part.
fn same_part(a: &str, b: &str) -> bool {
    let plain = |n: &str| n.trim_start_matches('/').replace('\\', "/").to_lowercase();
    plain(a) == plain(b)
}

/// The workbook part, which says that everything is to be computed once more.
fn recomputed(workbook: &Part, has_formulas: bool) -> Result<Vec<u8>> {
    let content = &workbook.content;
    let all = tags(&workbook.name, content)?;
    let mut edits: Vec<Edit> = Vec::new();
    if let Some(tag) = all.iter().find(|t| t.opens("calcPr")) {
        let end = tag.end - if tag.kind == TagKind::Empty { 2 } else { 1 };
        let edit = attribute_edit(content, tag, "fullCalcOnLoad", "1");
        edits.push(edit.unwrap_or((end..end, " fullCalcOnLoad=\"1\"".into())));
    } else if has_formulas {
        let before = ["externalReferences", "definedNames", "functionGroups", "sheets"];
        let behind = before.iter().filter_map(|name| {
            let open = all.iter().find(|t| t.opens(name))?;
            let closing = || all.iter().find(|t| t.start > open.start && t.closes(name)).map(|t| t.end);
            if open.kind == TagKind::Empty { Some(open.end) } else { closing() }
        });
        if let Some(at) = behind.max() {
            let p = all.first().map_or("", Tag::prefix);
            edits.push((at..at, format!("<{p}calcPr fullCalcOnLoad=\"1\"/>")));
        }
    }
    Ok(edited(content, edits))
}

fn sheets_added(part: &Part, sheets: &[(&str, u32, u32)], family: Family) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let prefix = all.first().map_or("", Tag::prefix);
    let bound = all.first().and_then(|root| {
        root.attributes()
            .find(|(name, value)| name.starts_with("xmlns:") && value == family.relationships())
            .map(|(name, _)| name["xmlns:".len()..].to_owned())
    });
    let mut text = String::new();
    for (name, id, tie) in sheets {
        let (space, r) = match &bound {
            Some(bound) => (String::new(), bound.as_str()),
            None => (format!(" xmlns:r=\"{}\"", family.relationships()), "r"),
        };
        let _ = write!(
            text,
            "<{prefix}sheet name=\"{}\" sheetId=\"{id}\"{space} {r}:id=\"rId{tie}\"/>",
            xml::escaped(name)
        );
    }
    let edits = append(&part.content, &all, "sheets", &text);
    edits
        .map(|e| edited(&part.content, e))
        .ok_or_else(|| Error::Damaged(format!("{}: it lists no sheets", part.name)))
}
