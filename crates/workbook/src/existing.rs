//! An existing workbook: what a new sheet has to know of it, and the few parts that name sheets, ties and formats, which are
//! added to by inserting bytes. Everything else is copied as it is.

use crate::error::{Error, Result};
use crate::markup::{Tag, TagKind, ascii, tags};
use crate::package::zip_reader::ZipReader;
use crate::reference::Range;
use crate::sheet::{SheetFacts, scan};
use crate::styles::Styles;
use crate::xml;
use std::borrow::Cow;
use std::collections::HashMap;
use std::fmt::Write as _;
use std::io::{Read, Seek};

/// Most bytes of a part that is read as a whole. Sheets are not.
const PART_BYTES: u64 = 64 << 20;

/// Something to read a package from.
pub trait Input: Read + Seek + std::fmt::Debug + Send {}
impl<T: Read + Seek + std::fmt::Debug + Send> Input for T {}

/// The two families of namespaces (ECMA-376 parts 1 and 4): a workbook keeps to its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Family {
    /// What nearly all programs write.
    #[default]
    Transitional,
    /// Strict, as in ISO/IEC 29500.
    Strict,
}

impl Family {
    /// The namespace of worksheets.
    pub(crate) fn main(self) -> &'static str {
        match self {
            Self::Transitional => "http://schemas.openxmlformats.org/spreadsheetml/2006/main",
            Self::Strict => "http://purl.oclc.org/ooxml/spreadsheetml/main",
        }
    }

    /// What the types of ties begin with, and the namespace of their ids.
    pub(crate) fn relationships(self) -> &'static str {
        match self {
            Self::Transitional => "http://schemas.openxmlformats.org/officeDocument/2006/relationships",
            Self::Strict => "http://purl.oclc.org/ooxml/officeDocument/relationships",
        }
    }
}

/// A part that is changed: its entry and its content.
#[derive(Debug)]
struct Part {
    /// Its entry in the archive.
    place: usize,
    name: String,
    content: Vec<u8>,
}

/// A workbook that is there already.
#[derive(Debug)]
pub struct ExistingBook {
    zip: ZipReader<Box<dyn Input>>,
    family: Family,
    types: Part,
    workbook: Part,
    ties: Part,
    styles: Option<Part>,
    sheets: Vec<ExistingSheet>,
    /// The part of the table of strings.
    strings: Option<String>,
    /// Names of tables and defined names, which share one room.
    names: Vec<String>,
    highest_table_id: u32,
    highest_sheet_id: u32,
    highest_tie: u32,
    cell_formats: u32,
    is_1904: bool,
}

/// A sheet that is there.
#[derive(Clone, Debug)]
struct ExistingSheet {
    name: String,
    /// Its part; `None` if it is missing.
    place: Option<usize>,
}

/// A table that is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExistingTable {
    /// The name by which formulas know it.
    pub name: String,
    /// Its cells, headings and totals included.
    pub range: Range,
    /// Whether its first row holds headings.
    pub has_header: bool,
    /// Whether its last row holds totals.
    pub has_totals: bool,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// Its part.
    place: usize,
}

/// What is added to a workbook.
#[derive(Clone, Debug, Default)]
pub(crate) struct Additions {
    /// Sheets: name, and the name of the part.
    pub(crate) sheets: Vec<(String, String)>,
    /// Names of the parts of tables.
    pub(crate) tables: Vec<String>,
}

impl ExistingBook {
    /// Reads what there is to know before a sheet is added.
    ///
    /// # Errors
    /// [`Error::Damaged`] if this is no workbook that can be read, [`Error::Refused`] if it must not be changed: signed, its
    /// structure protected, or its changes tracked.
    pub fn open(input: Box<dyn Input>) -> Result<Self> {
        let mut zip = ZipReader::open(input)?;
        for (folder, why) in [
            ("_xmlsignatures/", "it is signed, and any change would break the signature"),
            ("xl/revisions/", "its changes are tracked, and this one would not be"),
        ] {
            if zip.entries().iter().any(|e| e.name.to_lowercase().replace('\\', "/").starts_with(folder)) {
                return Err(Error::Refused(why.into()));
            }
        }
        refuse_entities(&mut zip)?;
        let types = part(&mut zip, "[Content_Types].xml")?;
        let root_ties = part(&mut zip, "_rels/.rels")?;
        let workbook_name = ties_of(&root_ties)?
            .into_iter()
            .find(|t| t.kind.ends_with("/officeDocument"))
            .map(|t| t.target_from(""))
            .ok_or_else(|| Error::Damaged("no part of it is a workbook".into()))?;
        let workbook = part(&mut zip, &workbook_name)?;
        let ties = part(&mut zip, &ties_name(&workbook_name))?;
        let folder = workbook_name.rsplit_once('/').map_or("", |(folder, _)| folder);
        let all_ties = ties_of(&ties)?;
        let styles = all_ties.iter().find(|t| t.kind.ends_with("/styles")).map(|t| t.target_from(folder));
        let styles = styles.map(|name| part(&mut zip, &name)).transpose()?;
        let mut book = Self {
            family: family_of(&workbook)?,
            sheets: Vec::new(),
            strings: all_ties
                .iter()
                .find(|t| t.kind.ends_with("/sharedStrings"))
                .map(|t| t.target_from(folder)),
            names: Vec::new(),
            highest_table_id: 0,
            highest_sheet_id: 0,
            highest_tie: highest_number(all_ties.iter().map(|t| t.id.as_str())),
            cell_formats: styles.as_ref().map(count_cell_formats).transpose()?.unwrap_or(0),
            is_1904: false,
            zip,
            types,
            workbook,
            ties,
            styles,
        };
        let parts: HashMap<String, Option<usize>> =
            all_ties.iter().map(|t| (t.id.clone(), book.zip.find(&t.target_from(folder)))).collect();
        book.read_workbook(&parts)?;
        book.read_tables()?;
        Ok(book)
    }

    fn read_workbook(&mut self, parts: &HashMap<String, Option<usize>>) -> Result<()> {
        let mut names = Vec::new();
        for tag in tags(&self.workbook.name, &self.workbook.content)? {
            let yes = |name: &str| tag.attribute(name).is_some_and(|v| v == "1" || v == "true");
            if tag.opens("sheet") {
                let place = tag.attribute("id").and_then(|id| parts.get(&*id).copied()).flatten();
                let name = tag.attribute("name").map(Cow::into_owned).unwrap_or_default();
                self.sheets.push(ExistingSheet { name, place });
                let id = tag.attribute("sheetId").and_then(|v| v.parse().ok()).unwrap_or(0);
                self.highest_sheet_id = self.highest_sheet_id.max(id);
            } else if tag.opens("definedName") {
                names.extend(tag.attribute("name").map(Cow::into_owned));
            } else if tag.opens("workbookPr") {
                self.is_1904 = yes("date1904");
            } else if tag.opens("workbookProtection") && yes("lockStructure") {
                return Err(Error::Refused(
                    "its structure is protected: its owner wants no sheet added; unprotect it first".into(),
                ));
            }
        }
        self.names = names;
        Ok(())
    }

    fn read_tables(&mut self) -> Result<()> {
        let places: Vec<usize> = (0..self.zip.entries().len())
            .filter(|i| self.zip.entries()[*i].name.to_lowercase().replace('\\', "/").contains("tables/"))
            .collect();
        for place in places {
            let name = self.zip.entries()[place].name.clone();
            if !name.to_lowercase().ends_with(".xml") {
                continue;
            }
            let content = self.zip.read(place, PART_BYTES)?;
            if let Some(table) = tags(&name, &content)?.first().filter(|t| t.opens("table")) {
                let id = table.attribute("id").and_then(|v| v.parse().ok()).unwrap_or(0);
                self.highest_table_id = self.highest_table_id.max(id);
                for attribute in ["name", "displayName"] {
                    self.names.extend(table.attribute(attribute).map(Cow::into_owned));
                }
            }
        }
        Ok(())
    }

    /// Names of its sheets, in their order.
    pub fn sheet_names(&self) -> Vec<String> {
        self.sheets.iter().map(|s| s.name.clone()).collect()
    }

    /// The part of sheet `n` (from 0).
    pub(crate) fn sheet_place(&self, n: usize) -> Result<usize> {
        let sheet = self.sheets.get(n).ok_or_else(|| Error::Damaged("there is no such sheet".into()))?;
        sheet.place.ok_or_else(|| {
            Error::Damaged(format!("the part of sheet \u{201c}{}\u{201d} is missing", sheet.name))
        })
    }

    /// What sheet `n` (from 0) holds, and its cells in rows `from` to `to`.
    ///
    /// # Errors
    /// [`Error::Damaged`] if its part cannot be read.
    pub fn facts(&mut self, n: usize, from: u32, to: u32) -> Result<SheetFacts> {
        let place = self.sheet_place(n)?;
        let name = self.zip.entries()[place].name.clone();
        let mut facts = scan::facts(&name, self.zip.stream(place)?, from, to)?;
        let wanted: Vec<usize> = facts.cells.iter().filter_map(|c| c.shared).collect();
        if !wanted.is_empty() {
            let strings = self.strings_at(&wanted)?;
            for cell in &mut facts.cells {
                if let Some(text) = cell.shared.and_then(|at| strings.get(&at)) {
                    cell.text.clone_from(text);
                }
            }
        }
        Ok(facts)
    }

    /// Texts of the table of strings.
    fn strings_at(&mut self, wanted: &[usize]) -> Result<HashMap<usize, String>> {
        let mut found = HashMap::new();
        let Some(place) = self.strings.as_ref().and_then(|name| self.zip.find(name)) else {
            return Ok(found);
        };
        let name = self.zip.entries()[place].name.clone();
        let mut pieces = scan::Pieces::new(self.zip.stream(place)?, &name);
        let (mut next, mut text, mut is_phonetic) = (0_usize, String::new(), false);
        let mut text_from: Option<usize> = None;
        while let Some(piece) = pieces.next()? {
            for tag in tags(&name, &piece)? {
                if let Some(start) = text_from.take() {
                    let mut out = Vec::new();
                    xml::unescape(&mut out, &piece[start..tag.start]);
                    text.push_str(&String::from_utf8_lossy(&out));
                }
                match (tag.local(), tag.kind) {
                    (b"si", TagKind::Open) => text.clear(),
                    (b"si", kind) => {
                        let own = std::mem::take(&mut text);
                        if wanted.contains(&next) {
                            found.insert(next, if kind == TagKind::Empty { String::new() } else { own });
                        }
                        next += 1;
                    }
                    (b"rPh", kind) => is_phonetic = kind == TagKind::Open,
                    (b"t", TagKind::Open) if !is_phonetic => text_from = Some(tag.end),
                    _ => {}
                }
            }
            if text_from.is_some() {
                text_from = Some(0);
            }
        }
        Ok(found)
    }

    /// The tables of sheet `n` (from 0).
    ///
    /// # Errors
    /// [`Error::Damaged`] if a part cannot be read.
    pub fn tables(&mut self, n: usize) -> Result<Vec<ExistingTable>> {
        let name = self.zip.entries()[self.sheet_place(n)?].name.replace('\\', "/");
        let Some(place) = self.zip.find(&ties_name(&name)) else { return Ok(Vec::new()) };
        let ties = Part { place, content: self.zip.read(place, PART_BYTES)?, name: ties_name(&name) };
        let folder = name.rsplit_once('/').map_or("", |(folder, _)| folder).to_owned();
        let mut tables = Vec::new();
        for tie in ties_of(&ties)?.iter().filter(|t| t.kind.ends_with("/table")) {
            let table = part(&mut self.zip, &tie.target_from(&folder))?;
            let all = tags(&table.name, &table.content)?;
            let broken = || Error::Damaged(format!("{}: it is no table part", table.name));
            let root = all.first().filter(|t| t.opens("table")).ok_or_else(broken)?;
            let number = |name: &str, other: u32| {
                root.attribute(name).and_then(|v| v.parse::<u32>().ok()).unwrap_or(other)
            };
            let text = |tag: &Tag<'_>| {
                let mut out = Vec::new();
                xml::unescape(&mut out, tag.attribute("name").unwrap_or_default().as_bytes());
                String::from_utf8_lossy(&out).into_owned()
            };
            tables.push(ExistingTable {
                name: root.attribute("displayName").map(Cow::into_owned).unwrap_or_default(),
                range: root.attribute("ref").and_then(|r| Range::parse(&r)).ok_or_else(broken)?,
                has_header: number("headerRowCount", 1) > 0,
                has_totals: number("totalsRowCount", 0) > 0,
                columns: all.iter().filter(|t| t.opens("tableColumn")).map(text).collect(),
                place: table.place,
            });
        }
        Ok(tables)
    }

    /// The part of a table with its last row moved down to `last_row`.
    pub(crate) fn table_grown(&mut self, table: &ExistingTable, last_row: u32) -> Result<(usize, Vec<u8>)> {
        let content = self.zip.read(table.place, PART_BYTES)?;
        let all = tags("table", &content)?;
        let mut edits: Vec<Edit> = Vec::new();
        for tag in all.iter().filter(|t| t.opens("table") || t.opens("autoFilter")).take(2) {
            let Some(mut range) = tag.attribute("ref").and_then(|r| Range::parse(&r)) else { continue };
            range.to.row = last_row;
            edits.extend(attribute_edit(&content, tag, "ref", &range.to_string()));
        }
        Ok((table.place, edited(&content, edits)))
    }

    /// Names that a new table must not have: those of tables and defined ones.
    pub fn taken_names(&self) -> &[String] {
        &self.names
    }

    /// What is added to the place of a format to get its place in this workbook.
    pub fn style_offset(&self) -> u32 {
        // The general format is the workbook's own; the next one comes behind those that are there.
        self.cell_formats.max(1) - 1
    }

    /// Whether its days count from 1904.
    pub fn is_1904(&self) -> bool {
        self.is_1904
    }

    /// The namespaces that it uses.
    pub fn family(&self) -> Family {
        self.family
    }

    /// The first number from which on no part of that kind is there.
    pub(crate) fn free_number(&self, folder: &str, kind: &str) -> u32 {
        let wanted = format!("xl/{folder}/{kind}");
        let numbers = self.zip.entries().iter().filter_map(|e| {
            let name = e.name.to_lowercase().replace('\\', "/");
            let rest = name.trim_start_matches('/').strip_prefix(&wanted)?;
            rest.strip_suffix(".xml")?.parse::<u32>().ok()
        });
        numbers.max().unwrap_or(0) + 1
    }

    /// The first id that no table has.
    pub(crate) fn free_table_id(&self) -> u32 {
        self.highest_table_id + 1
    }

    /// All entries as they are to be: those that are copied by their place, those that changed with their new content, and
    /// parts that were not there.
    pub(crate) fn changed(&mut self, additions: &Additions, styles: &Styles) -> Result<Changed> {
        let mut parts: HashMap<usize, Vec<u8>> = HashMap::new();
        let mut new = Vec::new();
        let mut overrides: Vec<(String, &str)> = Vec::new();
        for (_, name) in &additions.sheets {
            overrides.push((name.clone(), "worksheet"));
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
            parts.insert(part.place, styles_added(part, styles)?);
        } else {
            let name =
                if folder.is_empty() { "styles.xml".to_owned() } else { format!("{folder}/styles.xml") };
            ties.push((next, "styles", format!("/{name}")));
            overrides.push((name.clone(), "styles"));
            let content = styles.to_xml().replace(Family::Transitional.main(), self.family.main());
            new.push((name, content.into_bytes()));
        }
        parts.insert(self.types.place, types_added(&self.types, &overrides)?);
        parts.insert(self.ties.place, ties_added(&self.ties, &ties, self.family)?);
        let sheets: Vec<(&str, u32, u32)> = additions
            .sheets
            .iter()
            .zip(&ties)
            .zip(self.highest_sheet_id + 1..)
            .map(|(((name, _), (tie, ..)), id)| (name.as_str(), id, *tie))
            .collect();
        parts.insert(self.workbook.place, sheets_added(&self.workbook, &sheets, self.family)?);
        Ok(Changed { parts, new })
    }

    pub(crate) fn zip(&mut self) -> &mut ZipReader<Box<dyn Input>> {
        &mut self.zip
    }
}

/// What becomes of an existing workbook's entries.
pub(crate) struct Changed {
    /// New content by the place of the entry.
    pub(crate) parts: HashMap<usize, Vec<u8>>,
    /// Parts that were not there.
    pub(crate) new: Vec<(String, Vec<u8>)>,
}

fn part(zip: &mut ZipReader<Box<dyn Input>>, name: &str) -> Result<Part> {
    let place = zip
        .find(name)
        .ok_or_else(|| Error::Damaged(format!("{name} is missing: it is no workbook of this format")))?;
    let content = zip.read(place, PART_BYTES)?;
    if content.starts_with(b"\xFF\xFE") || content.starts_with(b"\xFE\xFF") {
        return Err(Error::Refused(format!("{name} is in UTF-16, which is not added to")));
    }
    Ok(Part { place, name: name.trim_start_matches('/').to_owned(), content })
}

/// Fails if a part begins with a document type, whose entities may blow up whoever reads it.
fn refuse_entities(zip: &mut ZipReader<Box<dyn Input>>) -> Result<()> {
    for place in 0..zip.entries().len() {
        let name = zip.entries()[place].name.clone();
        if !name.to_lowercase().ends_with(".xml") {
            continue;
        }
        let mut start = Vec::new();
        let read = zip.stream(place)?.take(4096).read_to_end(&mut start);
        if read.is_ok() && memchr::memmem::find(&start, b"<!DOCTYPE").is_some() {
            return Err(Error::Refused(format!(
                "{name} has a document type, which no workbook may have and which can hurt programs that open it"
            )));
        }
    }
    Ok(())
}

/// A tie between parts.
struct Tie {
    id: String,
    kind: String,
    target: String,
}

impl Tie {
    /// The name of the part, for a tie of a part in `folder`.
    fn target_from(&self, folder: &str) -> String {
        let target = self.target.replace('\\', "/");
        let mut steps: Vec<&str> =
            if target.starts_with('/') { Vec::new() } else { folder.split('/').collect() };
        for step in target.split('/') {
            match step {
                "" | "." => {}
                ".." => {
                    steps.pop();
                }
                step => steps.push(step),
            }
        }
        steps.retain(|s| !s.is_empty());
        steps.join("/")
    }
}

fn ties_name(part: &str) -> String {
    match part.rsplit_once('/') {
        Some((folder, file)) => format!("{folder}/_rels/{file}.rels"),
        None => format!("_rels/{part}.rels"),
    }
}

fn ties_of(part: &Part) -> Result<Vec<Tie>> {
    let text = |tag: &Tag<'_>, name: &str| tag.attribute(name).map(Cow::into_owned).unwrap_or_default();
    Ok(tags(&part.name, &part.content)?
        .iter()
        .filter(|t| t.opens("Relationship"))
        .map(|t| Tie { id: text(t, "Id"), kind: text(t, "Type"), target: text(t, "Target") })
        .collect())
}

/// The highest number behind letters: 7 in `rId7`.
fn highest_number<'i>(ids: impl Iterator<Item = &'i str>) -> u32 {
    ids.filter_map(|id| id.trim_start_matches(|c: char| !c.is_ascii_digit()).parse::<u32>().ok())
        .filter(|n| *n < 1_000_000)
        .max()
        .unwrap_or(0)
}

fn family_of(workbook: &Part) -> Result<Family> {
    let tags = tags(&workbook.name, &workbook.content)?;
    let root = tags
        .first()
        .filter(|t| t.opens("workbook"))
        .ok_or_else(|| Error::Damaged(format!("{}: it is no workbook part", workbook.name)))?;
    let own = format!("xmlns:{}", root.prefix().trim_end_matches(':'));
    let own = if root.prefix().is_empty() { "xmlns" } else { own.as_str() };
    let space = root.attributes().find(|(name, _)| *name == own).map(|(_, value)| value).unwrap_or_default();
    [Family::Transitional, Family::Strict].into_iter().find(|f| f.main() == space).ok_or_else(|| {
        Error::Refused(format!("its workbook part is of an unknown sort (\u{201c}{space}\u{201d})"))
    })
}

/// The edit that gives an attribute of a tag another value.
pub(crate) fn attribute_edit(content: &[u8], tag: &Tag<'_>, name: &str, value: &str) -> Option<Edit> {
    let text = &content[tag.start..tag.end];
    let at = [b' ', b'\n', b'\r', b'\t'].iter().find_map(|blank| {
        let mut wanted = vec![*blank];
        wanted.extend_from_slice(name.as_bytes());
        memchr::memmem::find_iter(text, &wanted)
            .map(|at| at + wanted.len())
            .find(|at| text[*at..].trim_ascii_start().first() == Some(&b'='))
    })?;
    let open = at + text[at..].iter().position(|b| matches!(b, b'"' | b'\''))?;
    let close = open + 1 + memchr::memchr(text[open], &text[open + 1..])?;
    Some((tag.start + open + 1..tag.start + close, value.to_owned()))
}

/// Bytes to be put in place of a range; an empty range inserts.
pub(crate) type Edit = (std::ops::Range<usize>, String);

pub(crate) fn edited(content: &[u8], mut edits: Vec<Edit>) -> Vec<u8> {
    edits.sort_by_key(|(range, _)| range.start);
    let mut out = Vec::with_capacity(content.len() + 4096);
    let mut at = 0;
    for (range, text) in edits {
        out.extend_from_slice(&content[at..range.start]);
        out.extend_from_slice(ascii(&text).as_bytes());
        at = range.end;
    }
    out.extend_from_slice(&content[at..]);
    out
}

/// The edits that put `children` at the end of an element, whether it is open or empty; `None`: there is no such element.
fn append(content: &[u8], all: &[Tag<'_>], element: &str, children: &str) -> Option<Vec<Edit>> {
    let first = all.iter().find(|t| t.opens(element))?;
    if first.kind == TagKind::Empty {
        let slash = first.end - 2;
        let name = String::from_utf8_lossy(&content[first.start + 1..slash]);
        let name = name.split_ascii_whitespace().next().unwrap_or(element).to_owned();
        return Some(vec![(slash..first.end, format!(">{children}</{name}>"))]);
    }
    let close = all.iter().find(|t| t.start > first.start && t.closes(element))?;
    Some(vec![(close.start..close.start, children.to_owned())])
}

fn types_added(part: &Part, overrides: &[(String, &str)]) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let prefix = all.first().map_or("", Tag::prefix);
    let mut text = String::new();
    // Most packages say once what all relationship parts are; the others say it of each.
    let says_once = all.iter().any(|t| {
        t.opens("Default") && t.attribute("Extension").is_some_and(|e| e.eq_ignore_ascii_case("rels"))
    });
    for (name, kind) in overrides {
        if *kind == "worksheet" && !says_once {
            let _ = write!(
                text,
                "<{prefix}Override PartName=\"/{}\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>",
                ties_name(name)
            );
        }
        let _ = write!(
            text,
            "<{prefix}Override PartName=\"/{name}\" ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.{kind}+xml\"/>"
        );
    }
    let edits = append(&part.content, &all, "Types", &text);
    edits
        .map(|e| edited(&part.content, e))
        .ok_or_else(|| Error::Damaged(format!("{}: it names no types", part.name)))
}

fn ties_added(part: &Part, ties: &[(u32, &str, String)], family: Family) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let prefix = all.first().map_or("", Tag::prefix);
    let mut text = String::new();
    for (id, kind, target) in ties {
        let _ = write!(
            text,
            "<{prefix}Relationship Id=\"rId{id}\" Type=\"{}/{kind}\" Target=\"{}\"/>",
            family.relationships(),
            xml::escaped(target)
        );
    }
    let edits = append(&part.content, &all, "Relationships", &text);
    edits
        .map(|e| edited(&part.content, e))
        .ok_or_else(|| Error::Damaged(format!("{}: it holds no ties", part.name)))
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

/// The elements right inside an element: their tags, and the byte behind each.
fn children<'x>(all: &[Tag<'x>], element: &str) -> Vec<(Tag<'x>, usize)> {
    let Some(from) = all.iter().position(|t| t.opens(element)) else { return Vec::new() };
    let mut list = Vec::new();
    if all[from].kind == TagKind::Empty {
        return list;
    }
    let (mut depth, mut open) = (0, None);
    for tag in &all[from + 1..] {
        match tag.kind {
            TagKind::Empty if depth == 0 => list.push((*tag, tag.end)),
            TagKind::Empty => {}
            TagKind::Open => {
                if depth == 0 {
                    open = Some(*tag);
                }
                depth += 1;
            }
            TagKind::Close => {
                depth -= 1;
                if depth < 0 {
                    break;
                }
                if depth == 0
                    && let Some(open) = open.take()
                {
                    list.push((open, tag.end));
                }
            }
        }
    }
    list
}

/// A font's content without a colour that is spelled wrong: what is faulty is left alone, but not multiplied.
fn without_odd_color(part: &str, font: &str) -> Result<String> {
    let odd = |t: &&Tag<'_>| {
        t.opens("color") && t.kind == TagKind::Empty && t.attribute("rgb").is_some_and(|rgb| rgb.len() != 8)
    };
    Ok(match tags(part, font.as_bytes())?.iter().find(odd) {
        Some(tag) => format!("{}{}", &font[..tag.start], &font[tag.end..]),
        None => font.to_owned(),
    })
}

fn count_cell_formats(part: &Part) -> Result<u32> {
    let all = tags(&part.name, &part.content)?;
    Ok(children(&all, "cellXfs").len() as u32)
}

/// The styles part with our number formats, a bold font and our cell formats behind those that are there.
fn styles_added(part: &Part, styles: &Styles) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let damaged = || Error::Damaged(format!("{}: it is no styles part", part.name));
    let root = all.first().filter(|t| t.opens("styleSheet")).ok_or_else(damaged)?;
    let p = root.prefix();
    let content = &part.content;
    let mut edits: Vec<Edit> = Vec::new();
    let count = |element: &str, to: usize, edits: &mut Vec<Edit>| {
        let Some(tag) = all.iter().find(|t| t.opens(element)) else { return };
        let text = String::from_utf8_lossy(&content[tag.start..tag.end]);
        for quote in ['"', '\''] {
            let Some(at) = text.find(&format!(" count={quote}")) else { continue };
            let from = at + " count=\"".len();
            let length = text[from..].find(quote).unwrap_or(0);
            edits.push((tag.start + from..tag.start + from + length, to.to_string()));
        }
    };
    // Number formats have numbers of their own.
    let own = children(&all, "numFmts");
    let first_id = own
        .iter()
        .filter_map(|(t, _)| t.attribute("numFmtId").and_then(|v| v.parse::<u32>().ok()))
        .max()
        .unwrap_or(0)
        .max(crate::limits::FIRST_NUMBER_FORMAT - 1)
        + 1;
    let custom = styles.custom_codes();
    if !custom.is_empty() {
        let mut text = String::new();
        for (code, id) in custom.iter().zip(first_id..) {
            let _ = write!(text, "<{p}numFmt numFmtId=\"{id}\" formatCode=\"{}\"/>", xml::escaped(code));
        }
        if let Some(more) = append(content, &all, "numFmts", &text) {
            edits.extend(more);
            count("numFmts", own.len() + custom.len(), &mut edits);
        } else {
            let whole = format!("<{p}numFmts count=\"{}\">{text}</{p}numFmts>", custom.len());
            edits.push((root.end..root.end, whole));
        }
    }
    // The workbook's own font, bold.
    let fonts = children(&all, "fonts");
    let bold = match fonts.first() {
        Some((font, end)) => {
            let text = String::from_utf8_lossy(&content[font.start..*end]).into_owned();
            let inside = if font.kind == TagKind::Empty {
                String::new()
            } else {
                text[font.end - font.start..]
                    .rsplit_once("</")
                    .map_or(String::new(), |(inside, _)| inside.to_owned())
            };
            let inside = without_odd_color(&part.name, &inside)?;
            let has_bold = tags(&part.name, inside.as_bytes())?.iter().any(|t| t.opens("b"));
            let mark = if has_bold { String::new() } else { format!("<{p}b/>") };
            let more = append(content, &all, "fonts", &format!("<{p}font>{mark}{inside}</{p}font>"));
            edits.extend(more.unwrap_or_default());
            count("fonts", fonts.len() + 1, &mut edits);
            fonts.len()
        }
        None => 0,
    };
    let formats = children(&all, "cellXfs");
    let first = formats.first().map(|(t, _)| *t);
    let inherited =
        |name: &str| first.and_then(|t| t.attribute(name)).map_or_else(|| "0".into(), Cow::into_owned);
    let plain = ["fontId", "fillId", "borderId", "xfId"].map(inherited);
    let (general, text) = styles.cell_formats(p, first_id, bold, &plain);
    if let Some(more) = append(content, &all, "cellXfs", &text) {
        let general = if formats.is_empty() { general } else { String::new() };
        edits.extend(more.into_iter().map(|(range, text)| {
            (
                range,
                if general.is_empty() {
                    text
                } else {
                    text.replacen(&format!("<{p}xf"), &format!("{general}<{p}xf"), 1)
                },
            )
        }));
        count("cellXfs", formats.len().max(1) + styles.added(), &mut edits);
    } else {
        let later = ["cellStyles", "dxfs", "tableStyles", "colors", "extLst"];
        let before = all
            .iter()
            .find(|t| later.iter().any(|l| t.opens(l)) || t.closes("styleSheet"))
            .ok_or_else(damaged)?;
        let whole = format!("<{p}cellXfs count=\"{}\">{general}{text}</{p}cellXfs>", 1 + styles.added());
        edits.push((before.start..before.start, whole));
    }
    Ok(edited(content, edits))
}
