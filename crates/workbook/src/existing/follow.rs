//! What refers to rows that became more, from elsewhere: formulas of cells, of conditional formats and of checks, names, charts, and
//! the sources of pivot tables. It is found, or taken along; everything else is copied as it is.

use super::ExistingBook;
use super::ties::ties_of;
use crate::book::BLOCK;
use crate::error::{Error, Result};
use crate::formula::{Formula, Grown};
use crate::markup::{Next, Tag, TagKind, next_tag};
use crate::package::deflate::Compressor;
use crate::package::zip_writer::ZipWriter;
use crate::reference::{CellRef, Range};
use crate::xml;
use std::collections::HashMap;
use std::io::{Read, Seek, Write};

/// Something that refers to rows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Referrer {
    /// The formula of a cell.
    Cell(String, CellRef),
    /// A conditional format or a check of a sheet.
    Rule(String),
    /// A chart, on that sheet if it is known.
    Chart(Option<String>),
    /// A defined name, and what it stands for.
    Name(String, String),
    /// What a pivot table adds up.
    Pivot,
}

/// Elements whose text is a formula.
const FORMULAS: [&[u8]; 5] = [b"f", b"formula", b"formula1", b"formula2", b"definedName"];

/// Most bytes of an element that is looked at as a whole: no formula is longer, whatever it is escaped with.
const ELEMENT: usize = 256 * 1024;

/// What a part is, as far as its formulas go.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Holder {
    Sheet(String),
    Chart(Option<String>),
    Names,
    Pivot,
}

impl ExistingBook {
    /// What refers to rows that became more, in other sheets than theirs, and in charts and pivot tables: `most` at most. Parts are
    /// read until they come to `bytes`; those that are larger than what is left are not.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if a part cannot be read.
    pub fn referrers(&mut self, grown: &Grown, most: usize, bytes: u64) -> Result<Vec<Referrer>> {
        let (mut found, mut left) = (Vec::new(), bytes);
        let is_other = |holder: &Holder| match holder {
            Holder::Sheet(name) => name.to_lowercase() != grown.sheet.to_lowercase(),
            Holder::Names => false,
            Holder::Chart(_) | Holder::Pivot => true,
        };
        let mut holders: Vec<(usize, Holder)> =
            self.holders()?.into_iter().filter(|(_, h)| is_other(h)).collect();
        holders.sort_by_key(|(place, _)| (self.zip.entries()[*place].raw_bytes(), *place));
        let grown = std::slice::from_ref(grown);
        for (place, holder) in holders {
            let size = self.zip.entries()[place].raw_bytes();
            if size > left || found.len() >= most {
                break;
            }
            left -= size;
            self.followed(place, &holder, grown, &mut found, |_| Ok(()))?;
        }
        found.truncate(most);
        Ok(found)
    }

    /// The parts that hold formulas.
    fn holders(&mut self) -> Result<Vec<(usize, Holder)>> {
        let mut charts: HashMap<String, String> = HashMap::new();
        let names = self.sheet_names();
        let mut holders = Vec::new();
        for (n, name) in names.iter().enumerate() {
            let Ok(place) = self.sheet_place(n) else { continue };
            for drawing in self.tied(n, "/drawing")? {
                let Some(ties) = self.ties_part(&drawing)? else { continue };
                let folder = drawing.rsplit_once('/').map_or("", |(folder, _)| folder);
                for tie in ties_of(&ties)?.iter().filter(|tie| tie.kind.to_lowercase().contains("chart")) {
                    charts.insert(tie.target_from(folder).to_lowercase(), name.clone());
                }
            }
            holders.push((place, Holder::Sheet(name.clone())));
        }
        let workbook = self.workbook.place;
        for place in 0..self.zip.entries().len() {
            let name = self.zip.entries()[place].name.replace('\\', "/").to_lowercase();
            // What they are tied to has no formulas.
            if name.contains("/_rels/") {
                continue;
            }
            if place == workbook {
                holders.push((place, Holder::Names));
            } else if name.contains("/charts/chart") {
                let sheet = charts.get(name.trim_start_matches('/')).cloned();
                holders.push((place, Holder::Chart(sheet)));
            } else if name.contains("/pivotcache/pivotcachedefinition") {
                holders.push((place, Holder::Pivot));
            }
        }
        Ok(holders)
    }

    /// Goes over a part: what refers to rows is noted, and the part is given on, block by block, with that taken along.
    fn followed(
        &mut self,
        place: usize,
        holder: &Holder,
        grown: &[Grown],
        found: &mut Vec<Referrer>,
        mut give: impl FnMut(&[u8]) -> Result<()>,
    ) -> Result<()> {
        let entry = &self.zip.entries()[place];
        let (name, checksum) = (entry.name.clone(), entry.checksum());
        let mut stream = self.zip.stream(place)?;
        let (mut block, mut out, mut crc) = (Vec::new(), Vec::new(), crc32fast::Hasher::new());
        loop {
            let room = (BLOCK + ELEMENT).saturating_sub(block.len()).max(1);
            let before = block.len();
            let read = stream.by_ref().take(room as u64).read_to_end(&mut block);
            let read = read.map_err(|error| Error::of_part(&name, error))?;
            crc.update(&block[before..]);
            let is_last = read == 0;
            // What is written again gets a right checksum, whatever it was.
            if is_last && crc.clone().finalize() != checksum {
                return Err(Error::Damaged(format!("{name}: its checksum is wrong")));
            }
            let walk = Walk { text: &block, holder, grown, is_last };
            let done = walk.over(&mut out, found);
            give(&out)?;
            out.clear();
            block.drain(..done);
            if is_last {
                return Ok(());
            }
        }
    }
}

/// Writes a workbook again, with everything taken along that ended with rows that became more; gives back what that was, each once.
///
/// # Errors
/// [`Error::Damaged`](crate::Error::Damaged) if a part cannot be read; an input or output error if it cannot be written.
pub fn follow<W: Write + Seek>(
    mut book: ExistingBook,
    out: W,
    grown: &[Grown],
) -> Result<(W, Vec<Referrer>)> {
    let mut zip = ZipWriter::new(out);
    let mut found = Vec::new();
    let holders: HashMap<usize, Holder> = book.holders()?.into_iter().collect();
    for place in 0..book.zip().entries().len() {
        let before = found.len();
        // Most parts hold nothing of the kind: those are copied as they are compressed.
        let holder = holders.get(&place);
        if let Some(holder) = holder {
            book.followed(place, holder, grown, &mut found, |_| Ok(()))?;
        }
        match holder {
            Some(holder) if found.len() > before => {
                let name = book.zip().entries()[place].name.clone();
                zip.begin(&name)?;
                let mut compressor = Compressor::new();
                book.followed(place, holder, grown, &mut Vec::new(), |bytes| {
                    if bytes.is_empty() { Ok(()) } else { zip.block(&compressor.block(bytes)) }
                })?;
                zip.end()?;
            }
            _ => zip.copy(book.zip(), place)?,
        }
    }
    let mut told: Vec<Referrer> = Vec::new();
    for referrer in found {
        if !told.contains(&referrer) {
            told.push(referrer);
        }
    }
    Ok((zip.finish()?, told))
}

/// Bytes of a block, and what is put in their place.
type Change = (std::ops::Range<usize>, Vec<u8>);

/// One block of a part.
struct Walk<'t> {
    text: &'t [u8],
    holder: &'t Holder,
    grown: &'t [Grown],
    is_last: bool,
}

impl Walk<'_> {
    /// Gives the block on as it is to be, and says how far it went: an element that the block cuts is left for the next one.
    fn over(&self, out: &mut Vec<u8>, found: &mut Vec<Referrer>) -> usize {
        let text = self.text;
        // Where the last cell begins: its formula says nothing about where it stands.
        let (mut at, mut copied, mut cell) = (0, 0, None);
        while let Some(open) = memchr::memchr(b'<', &text[at..]).map(|open| at + open) {
            // Comments hold no elements.
            if text[open..].starts_with(b"<!--") {
                match memchr::memmem::find(&text[open..], b"-->") {
                    Some(end) => at = open + end,
                    None if self.is_last || text.len() - open >= ELEMENT => at = open + 1,
                    None => {
                        out.extend_from_slice(&text[copied..open]);
                        return open;
                    }
                }
                continue;
            }
            let name = local_name(&text[open + 1..]);
            let is_formula = FORMULAS.contains(&name);
            if name == b"c" {
                cell = Some(open);
            }
            if !is_formula && name != b"worksheetSource" {
                at = open + 1;
                continue;
            }
            let end = match next_tag(text, open) {
                Next::Tag(tag) => self.element(&tag, is_formula),
                _ => None,
            };
            let Some(end) = end else {
                if self.is_last || text.len() - open >= ELEMENT {
                    at = open + 1;
                    continue;
                }
                let cut = cell.filter(|cell| open - cell < ELEMENT / 2).unwrap_or(open).max(copied);
                out.extend_from_slice(&text[copied..cut]);
                return cut;
            };
            if let Some((range, new)) = end.1 {
                out.extend_from_slice(&text[copied..range.start]);
                out.extend_from_slice(&new);
                copied = range.end;
                found.push(self.referrer(open, cell));
            }
            at = end.0;
        }
        // A tag may be cut behind its first characters.
        let cut =
            if self.is_last { text.len() } else { cell.unwrap_or(text.len().saturating_sub(64)).max(copied) };
        let cut = if text.len() - cut >= ELEMENT { text.len().saturating_sub(64).max(copied) } else { cut };
        out.extend_from_slice(&text[copied..cut]);
        cut
    }

    /// The end of an element, and what is put in place of which of its bytes; `None`: it goes on behind the block.
    fn element(&self, tag: &Tag<'_>, is_formula: bool) -> Option<(usize, Option<Change>)> {
        if !is_formula {
            return Some((tag.end, self.source(tag)));
        }
        if tag.kind != TagKind::Open {
            return Some((tag.end, None));
        }
        let end = tag.end + memchr::memchr(b'<', &self.text[tag.end..])?;
        let whole = &self.text[tag.start..tag.end];
        let is_shared = memchr::memmem::find(whole, b"\"shared\"").is_some();
        // The filter has a name of its own, which goes along anyway.
        if memchr::memmem::find(whole, b"_FilterDatabase").is_some() {
            return Some((end, None));
        }
        // Most formulas do not hold the number of a last row.
        let has_number = |grown: &Grown| {
            memchr::memmem::find(&self.text[tag.end..end], grown.last.0.to_string().as_bytes()).is_some()
        };
        if !self.grown.iter().any(has_number) {
            return Some((end, None));
        }
        let formula = Formula::parse(&xml::text(&self.text[tag.end..end]), 1);
        let own = if let Holder::Sheet(name) = self.holder { name.as_str() } else { "" };
        let mut new: Option<Vec<u8>> = None;
        for grown in self.grown {
            let before = new.as_ref().map(|text| Formula::parse(&xml::text(text), 1));
            if let Some(text) = before.as_ref().unwrap_or(&formula).grown(own, grown, is_shared) {
                new = Some(text);
            }
        }
        Some((end, new.map(|new| (tag.end..end, new))))
    }

    /// The cells that a pivot table adds up, if they end with rows that became more.
    fn source(&self, tag: &Tag<'_>) -> Option<Change> {
        let (cells, sheet) = (tag.attribute("ref")?, tag.attribute("sheet")?);
        let range = Range::parse(&cells)?;
        let grown = self.grown.iter().find(|grown| grown.ended_with(&sheet, range))?;
        let to = CellRef { row: grown.last.1, ..range.to };
        let (range, new) =
            super::edit::attribute_edit(self.text, tag, "ref", &Range { to, ..range }.to_string())?;
        Some((range, new.into_bytes()))
    }

    fn referrer(&self, open: usize, cell: Option<usize>) -> Referrer {
        let attribute = |at: usize, name: &str| match next_tag(self.text, at) {
            Next::Tag(tag) => tag.attribute(name).map(std::borrow::Cow::into_owned),
            _ => None,
        };
        match self.holder {
            Holder::Sheet(sheet) => {
                let is_of_cell = local_name(&self.text[open + 1..]) == b"f";
                let at = cell.filter(|_| is_of_cell).and_then(|cell| CellRef::parse(&attribute(cell, "r")?));
                at.map_or_else(|| Referrer::Rule(sheet.clone()), |at| Referrer::Cell(sheet.clone(), at))
            }
            Holder::Chart(sheet) => Referrer::Chart(sheet.clone()),
            Holder::Names => {
                let inside = memchr::memchr(b'>', &self.text[open..])
                    .map_or(&[][..], |end| &self.text[open + end + 1..]);
                let inside = &inside[..memchr::memchr(b'<', inside).unwrap_or(0)];
                Referrer::Name(attribute(open, "name").unwrap_or_default(), xml::text(inside))
            }
            Holder::Pivot => Referrer::Pivot,
        }
    }
}

/// The name of a tag without its prefix, from behind its bracket.
fn local_name(tag: &[u8]) -> &[u8] {
    let end = tag.iter().take(64).position(|b| matches!(b, b' ' | b'>' | b'/' | b'\t' | b'\n' | b'\r'));
    let name = &tag[..end.unwrap_or(tag.len().min(64))];
    memchr::memchr(b':', name).map_or(name, |colon| &name[colon + 1..])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn grown() -> Grown {
        Grown { sheet: "Port calls".into(), columns: vec![2, 3], first: 2, last: (9, 12) }
    }

    /// The text in blocks of so many bytes at least, and what was found.
    fn walked(text: &str, holder: &Holder, size: usize) -> (String, Vec<Referrer>) {
        let (mut out, mut found, mut block, mut rest) = (Vec::new(), Vec::new(), Vec::new(), text.as_bytes());
        loop {
            let take = size.min(rest.len());
            block.extend_from_slice(&rest[..take]);
            rest = &rest[take..];
            let is_last = rest.is_empty();
            let walk = Walk { text: &block, holder, grown: &[grown()], is_last };
            let done = walk.over(&mut out, &mut found);
            block.drain(..done);
            if is_last {
                return (String::from_utf8(out).unwrap(), found);
            }
        }
    }

    #[test]
    fn what_ended_with_the_rows_ends_with_them_again() {
        let sheet = Holder::Sheet("Sums".into());
        let cell = |at: &str| vec![Referrer::Cell("Sums".into(), CellRef::parse(at).unwrap())];
        let chart = Holder::Chart(Some("Sums".into()));
        for (holder, text, new, found) in [
            (
                &sheet,
                "<row r=\"1\"><c r=\"B3\"><f>SUM('Port calls'!C2:C9)&amp;\"x\"</f><v>7</v></c></row>",
                "<row r=\"1\"><c r=\"B3\"><f>SUM('Port calls'!C2:C12)&amp;\"x\"</f><v>7</v></c></row>",
                cell("B3"),
            ),
            (
                &sheet,
                "<x:c r=\"B3\"><x:f>SUM('port calls'!$A$1:$C$9)</x:f></x:c>",
                "<x:c r=\"B3\"><x:f>SUM('port calls'!$A$1:$C$12)</x:f></x:c>",
                cell("B3"),
            ),
            // Another sheet, its own, another workbook, several sheets, some of the rows, other columns, one cell.
            (&sheet, "<c r=\"B3\"><f>SUM(Calls!C2:C9)</f></c>", "", vec![]),
            (&sheet, "<c r=\"B3\"><f>SUM(C2:C9)</f></c>", "", vec![]),
            (&sheet, "<c r=\"B3\"><f>SUM('[1]Port calls'!C2:C9)</f></c>", "", vec![]),
            (&sheet, "<c r=\"B3\"><f>SUM('A:Port calls'!C2:C9)</f></c>", "", vec![]),
            (
                &sheet,
                "<c r=\"B3\"><f>SUM('Port calls'!C5:C9,'Port calls'!D2:E9)+'Port calls'!C9</f></c>",
                "",
                vec![],
            ),
            // What others derive from, and comments.
            (
                &sheet,
                "<c r=\"B3\"><f t=\"shared\" ref=\"B3:B5\" si=\"0\">SUM('Port calls'!C2:C9)</f></c>",
                "",
                vec![],
            ),
            (
                &sheet,
                "<c r=\"B3\"><f t=\"shared\" ref=\"B3:B5\" si=\"0\">SUM('Port calls'!C$2:C$9)</f></c>",
                "<c r=\"B3\"><f t=\"shared\" ref=\"B3:B5\" si=\"0\">SUM('Port calls'!C$2:C$12)</f></c>",
                cell("B3"),
            ),
            (&sheet, "<!-- <f>SUM('Port calls'!C2:C9)</f> --><f/>", "", vec![]),
            (
                &sheet,
                "<dataValidation sqref=\"A1\"><formula1>'Port calls'!$B$2:$B$9</formula1></dataValidation>",
                "<dataValidation sqref=\"A1\"><formula1>'Port calls'!$B$2:$B$12</formula1></dataValidation>",
                vec![Referrer::Rule("Sums".into())],
            ),
            (
                &chart,
                "<c:val><c:numRef><c:f>'Port calls'!$C$2:$C$9</c:f></c:numRef></c:val>",
                "<c:val><c:numRef><c:f>'Port calls'!$C$2:$C$12</c:f></c:numRef></c:val>",
                vec![Referrer::Chart(Some("Sums".into()))],
            ),
            (
                &Holder::Names,
                "<definedName name=\"Dues\">'Port calls'!$C$2:$C$9</definedName>",
                "<definedName name=\"Dues\">'Port calls'!$C$2:$C$12</definedName>",
                vec![Referrer::Name("Dues".into(), "'Port calls'!$C$2:$C$9".into())],
            ),
            (
                &Holder::Names,
                "<definedName name=\"_xlnm._FilterDatabase\">'Port calls'!$A$1:$C$9</definedName>",
                "",
                vec![],
            ),
            (
                &Holder::Pivot,
                "<worksheetSource ref=\"A1:C9\" sheet=\"Port calls\"/>",
                "<worksheetSource ref=\"A1:C12\" sheet=\"Port calls\"/>",
                vec![Referrer::Pivot],
            ),
        ] {
            let new = if new.is_empty() { text } else { new };
            for size in [1, 7, 64, 10_000] {
                assert_eq!(walked(text, holder, size), (new.to_owned(), found.clone()), "{text} in {size}");
            }
        }
    }

    proptest! {
        #[test]
        fn parts_that_refer_to_nothing_stay_byte_for_byte(
            text in "(<f>|</f>|<c r=\"A1\">|</c>|<!--|-->|<|>|SUM\\(C2:C9\\)|&amp;|x){0,60}",
            size in 1_usize..20,
        ) {
            let (same, found) = walked(&text, &Holder::Sheet("Sums".into()), size);
            prop_assert_eq!(same, text);
            prop_assert_eq!(found, vec![]);
        }
    }
}
