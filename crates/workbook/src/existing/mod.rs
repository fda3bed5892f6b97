//! An existing workbook: what there is to know of it before something is added. The few parts that name sheets, ties and types are added
//! to by inserting bytes ([`additions`]). Everything else is copied as it is.

mod additions;
mod comments;
pub(crate) mod edit;
mod follow;
mod hidden_names;
mod strings;
mod tables;
mod ties;

use crate::error::{Error, Result};
use crate::family::Family;
use crate::markup::tags;
use crate::number_format::NumberFormat;
use crate::package::zip_reader::{Input, ZipReader};
use crate::reference::Range;
use crate::sheet::source::SheetSource;
use crate::sheet::{CellValue, ExistingCell, Question, Scan, Scanner, SheetFacts, facts, told, value};
use crate::style_map::StyleMap;
use crate::styles::Styles;
use crate::xml;
pub(crate) use additions::{Additions, CustomChanges};
pub use follow::{Referrer, follow};
use std::borrow::Cow;
use std::collections::HashMap;
use std::io::Read;
pub use tables::ExistingTable;
use ties::{highest_number, ties_of};
pub(crate) use ties::{ties_added, ties_name};

/// Most bytes of a part that is read as a whole. Sheets are not.
const PART_BYTES: u64 = 24 << 20;

/// A part that is changed: its entry and its content.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    /// Its entry in the archive.
    pub(crate) place: usize,
    pub(crate) name: String,
    pub(crate) content: Vec<u8>,
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
    is_1904: bool,
    /// Names of cells and ranges.
    defined: Vec<DefinedName>,
    /// The list of cells with formulas: its part, and the id of its tie.
    calc_chain: Option<(usize, String)>,
    /// Custom XML parts, and the ids of their ties.
    custom: Vec<(usize, String)>,
    obstacle: Option<Obstacle>,
}

/// Why a workbook is not to be changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Obstacle {
    /// A signature would break.
    Signed,
    /// Its changes are tracked, and ours would not be.
    Tracked,
    /// Its owner wants no sheet added.
    Protected,
}

/// A name that stands for cells.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DefinedName {
    /// The name.
    pub name: String,
    /// What it stands for, as a formula.
    pub refers_to: String,
    /// The sheet that alone knows it, from 0.
    pub sheet: Option<usize>,
    /// Whether it is not shown.
    pub is_hidden: bool,
}

impl DefinedName {
    /// The sheet's name and the cells, if it stands for one range.
    ///
    /// ```
    /// # use incola_workbook::DefinedName;
    /// let name = DefinedName { name: "Calls".into(), refers_to: "'Port calls'!$A$2:$D$9".into(), sheet: None, is_hidden: false };
    /// let (sheet, range) = name.range().unwrap();
    /// assert_eq!((sheet.as_str(), range.to_string().as_str()), ("Port calls", "A2:D9"));
    /// ```
    pub fn range(&self) -> Option<(String, Range)> {
        let (sheet, range) = self.refers_to.rsplit_once('!')?;
        let sheet = match sheet.strip_prefix('\'').and_then(|s| s.strip_suffix('\'')) {
            Some(quoted) => quoted.replace("''", "'"),
            None => sheet.to_owned(),
        };
        Some((sheet, Range::parse(range)?))
    }
}

/// A sheet that is there.
#[derive(Clone, Debug)]
struct ExistingSheet {
    name: String,
    /// Its part; `None` if it is missing.
    place: Option<usize>,
}

impl ExistingBook {
    /// Reads what there is to know before something is added.
    ///
    /// # Errors
    /// [`Error::Damaged`] if this is no workbook that can be read, [`Error::Refused`] if it could hurt those who read it.
    pub fn open(input: Box<dyn Input>) -> Result<Self> {
        let mut zip = ZipReader::open(input)?;
        let has = |folder: &str| {
            zip.entries().iter().any(|e| e.name.to_lowercase().replace('\\', "/").starts_with(folder))
        };
        let obstacle = if has("_xmlsignatures/") {
            Some(Obstacle::Signed)
        } else {
            has("xl/revisions/").then_some(Obstacle::Tracked)
        };
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
            is_1904: false,
            defined: Vec::new(),
            calc_chain: all_ties
                .iter()
                .find(|t| t.kind.ends_with("/calcChain"))
                .and_then(|t| Some((zip.find(&t.target_from(folder))?, t.id.clone()))),
            custom: all_ties
                .iter()
                .filter(|t| t.kind.ends_with("/customXml"))
                .filter_map(|t| Some((zip.find(&t.target_from(folder))?, t.id.clone())))
                .collect(),
            obstacle,
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
        let (mut names, mut defined) = (Vec::new(), Vec::new());
        let all = tags(&self.workbook.name, &self.workbook.content)?;
        for (n, tag) in all.iter().enumerate() {
            let yes = |name: &str| tag.attribute(name).is_some_and(|v| v == "1" || v == "true");
            if tag.opens("sheet") {
                let place = tag.attribute("id").and_then(|id| parts.get(&*id).copied()).flatten();
                let name = tag.attribute("name").map(Cow::into_owned).unwrap_or_default();
                self.sheets.push(ExistingSheet { name, place });
                let id = tag.attribute("sheetId").and_then(|v| v.parse().ok()).unwrap_or(0);
                self.highest_sheet_id = self.highest_sheet_id.max(id);
            } else if tag.opens("definedName") {
                let name = tag.attribute("name").map(Cow::into_owned).unwrap_or_default();
                let end = all.get(n + 1).map_or(tag.end, |t| t.start);
                defined.push(DefinedName {
                    name: name.clone(),
                    refers_to: xml::text(&self.workbook.content[tag.end..end.max(tag.end)]),
                    sheet: tag.attribute("localSheetId").and_then(|v| v.parse().ok()),
                    is_hidden: yes("hidden"),
                });
                names.push(name);
            } else if tag.opens("workbookPr") {
                self.is_1904 = yes("date1904");
            } else if tag.opens("workbookProtection") && yes("lockStructure") {
                self.obstacle = self.obstacle.or(Some(Obstacle::Protected));
            }
        }
        self.names = names;
        self.defined = defined;
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
        let sheet = self.sheets.get(n).ok_or_else(|| Error::Damaged("no such sheet".into()))?;
        sheet.place.ok_or_else(|| {
            Error::Damaged(format!("the part of sheet \u{201c}{}\u{201d} is missing", sheet.name))
        })
    }

    /// Whether sheet `n` (from 0) is one of cells, and not of a chart.
    pub fn has_cells(&self, n: usize) -> bool {
        let name = |place: usize| self.zip.entries()[place].name.to_lowercase();
        self.sheets
            .get(n)
            .and_then(|sheet| sheet.place)
            .is_some_and(|place| !name(place).contains("chartsheets/"))
    }

    /// Why it is not to be changed; `None`: nothing speaks against it.
    pub fn obstacle(&self) -> Option<Obstacle> {
        self.obstacle
    }

    /// The names of cells and ranges.
    pub fn defined_names(&self) -> &[DefinedName] {
        &self.defined
    }

    /// The cells of sheet `n` (from 0) that hold something in rows `from` to `to`, `most` at most.
    ///
    /// # Errors
    /// [`Error::Damaged`] if its part cannot be read.
    pub fn cells(&mut self, n: usize, from: u32, to: u32, most: usize) -> Result<Vec<ExistingCell>> {
        let place = self.sheet_place(n)?;
        let mut cells = told::cells(&mut self.zip, place, (from, to), most)?;
        self.resolve(cells.iter_mut())?;
        Ok(cells)
    }

    /// What stands in sheet `n` (from 0) where rows are to go.
    ///
    /// # Errors
    /// [`Error::Damaged`] if its part cannot be read.
    pub fn facts(&mut self, n: usize, question: &Question) -> Result<SheetFacts> {
        let nothing = Scan { columns: &[], from: 1, to: 0 };
        self.facts_and(n, question, &nothing, || (), |()| ())
    }

    /// The same, and whatever else is to be seen of the rows in the same pass: blocks of them are told to scanners that `start` makes,
    /// on several threads; `take` gets those, in order.
    ///
    /// # Errors
    /// [`Error::Damaged`] if its part cannot be read.
    pub fn facts_and<S: Scanner>(
        &mut self,
        n: usize,
        question: &Question,
        scan: &Scan<'_>,
        start: impl Fn() -> S + Sync,
        take: impl FnMut(S),
    ) -> Result<SheetFacts> {
        let place = self.sheet_place(n)?;
        let mut facts = facts::facts(&mut self.zip, place, question, scan, start, take)?;
        self.resolve(facts.told_cells())?;
        // What stands there is told as it is shown.
        let styles = self.style_map()?;
        for cell in facts.told_cells().filter(|c| !c.is_text) {
            let format = NumberFormat::new(&styles.code(cell.format));
            let digits = CellValue::Number(std::mem::take(&mut cell.text));
            cell.text = value::shown(&digits, &format, self.is_1904);
        }
        Ok(facts)
    }

    /// A sheet as a stream.
    pub(crate) fn sheet_source(&mut self, place: usize) -> Result<SheetSource> {
        SheetSource::open(&mut self.zip, place)
    }

    /// The names of the parts of one kind that sheet `n` (from 0) is tied to, by what the name of the kind ends with.
    fn tied(&mut self, n: usize, kind: &str) -> Result<Vec<String>> {
        let name = self.zip.entries()[self.sheet_place(n)?].name.replace('\\', "/");
        let Some(place) = self.zip.find(&ties_name(&name)) else { return Ok(Vec::new()) };
        let ties = Part { place, content: self.zip.read(place, PART_BYTES)?, name: ties_name(&name) };
        let folder = name.rsplit_once('/').map_or("", |(folder, _)| folder);
        let all = ties_of(&ties)?;
        let own = all.iter().filter(|tie| tie.kind.ends_with(kind));
        Ok(own.map(|tie| tie.target_from(folder)).collect())
    }

    /// The ties of a part: the entry and content of their own part, if there is one.
    pub(crate) fn ties_part(&mut self, name: &str) -> Result<Option<Part>> {
        match self.zip.find(&ties_name(name)) {
            Some(_) => part(&mut self.zip, &ties_name(name)).map(Some),
            None => Ok(None),
        }
    }

    /// The cell formats.
    ///
    /// # Errors
    /// [`Error::Damaged`] if the styles part is none.
    pub(crate) fn style_map(&self) -> Result<StyleMap> {
        if let Some(part) = &self.styles {
            return StyleMap::read(&part.name, &part.content);
        }
        let content = Styles::new().to_xml();
        let content = content.replace(Family::Transitional.main(), self.family.main());
        StyleMap::read("styles.xml", content.as_bytes())
    }

    /// The places of its custom XML parts.
    pub(crate) fn custom_places(&self) -> Vec<usize> {
        self.custom.iter().map(|(place, _)| *place).collect()
    }

    /// Names that a new table must not have: those of tables and defined ones.
    pub fn taken_names(&self) -> &[String] {
        &self.names
    }

    /// The codes of the number formats of all cell formats, in their order.
    ///
    /// # Errors
    /// [`Error::Damaged`] if the styles part is none.
    pub fn number_formats(&self) -> Result<Vec<String>> {
        let styles = self.style_map()?;
        Ok((0..styles.count()).map(|format| styles.code(format)).collect())
    }

    /// The code of the number format that a cell format has.
    pub fn number_format_of(&self, cell_format: u32) -> String {
        self.style_map().map_or_else(|_| "General".into(), |styles| styles.code(cell_format))
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
        self.free_number_of(&format!("xl/{folder}/{kind}"))
    }

    /// The first number from which on no part has a name that begins so.
    fn free_number_of(&self, beginning: &str) -> u32 {
        let beginning = beginning.to_lowercase();
        let numbers = self.zip.entries().iter().filter_map(|e| {
            let name = e.name.to_lowercase().replace('\\', "/");
            let rest = name.trim_start_matches('/').strip_prefix(&beginning)?;
            rest.strip_suffix(".xml")?.parse::<u32>().ok()
        });
        numbers.max().unwrap_or(0) + 1
    }

    /// The first id that no table has.
    pub(crate) fn free_table_id(&self) -> u32 {
        self.highest_table_id + 1
    }

    pub(crate) fn zip(&mut self) -> &mut ZipReader<Box<dyn Input>> {
        &mut self.zip
    }
}

fn part(zip: &mut ZipReader<Box<dyn Input>>, name: &str) -> Result<Part> {
    let place = zip
        .find(name)
        .ok_or_else(|| Error::Damaged(format!("{name} is missing: this is not a workbook of this format")))?;
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

fn family_of(workbook: &Part) -> Result<Family> {
    let tags = tags(&workbook.name, &workbook.content)?;
    let root = tags
        .first()
        .filter(|t| t.opens("workbook"))
        .ok_or_else(|| Error::Damaged(format!("{}: it is not a workbook part", workbook.name)))?;
    let own = format!("xmlns:{}", root.prefix().trim_end_matches(':'));
    let own = if root.prefix().is_empty() { "xmlns" } else { own.as_str() };
    let space = root.attributes().find(|(name, _)| *name == own).map(|(_, value)| value).unwrap_or_default();
    [Family::Transitional, Family::Strict].into_iter().find(|f| f.main() == space).ok_or_else(|| {
        Error::Refused(format!("its workbook part is of an unknown sort (\u{201c}{space}\u{201d})"))
    })
}

/// The first number that no tie of a part has.
pub(crate) fn next_tie(part: &Part) -> Result<u32> {
    Ok(highest_number(ties_of(part)?.iter().map(|t| t.id.as_str())) + 1)
}
