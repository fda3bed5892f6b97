//! A new workbook, written as a stream.
//!
//! ```text
//! [Content_Types].xml      which part is what
//! _rels/.rels              the package's ties
//! xl/workbook.xml          sheets by name
//! xl/styles.xml            number formats, cell formats
//! xl/worksheets/sheetN.xml cells           ← streamed, block by block
//! xl/tables/tableN.xml     tables over them
//! docProps/core.xml        title and time
//! ```
//! Sheets come first, because only they are large; what refers to them is known when they are done.

use crate::error::{Error, Result};
use crate::existing::{Additions, ExistingBook, ExistingTable, Family, attribute_edit, edited};
use crate::markup::{Tag, TagKind, tags};
use crate::package::deflate::{Block, Compressor};
use crate::package::zip_writer::ZipWriter;
use crate::parts;
use crate::reference::Range;
use crate::sheet::scan::Pieces;
use crate::sheet::{RowEncoder, SheetLayout};
use crate::styles::Styles;
use std::collections::HashMap;
use std::io::{Seek, Write};

/// Most bytes behind the rows of a sheet that are held in memory.
const REST_BYTES: usize = 8 << 20;

/// The sheet that rows are being added to.
#[derive(Debug)]
struct RowsOf {
    place: usize,
    last_row: u32,
    /// What stands behind the rows; `None`: too much to be held, and read once more.
    rest: Option<Vec<u8>>,
}

/// What stands before the rows that are added, taken piece by piece.
struct Head {
    name: String,
    used: Range,
    is_first: bool,
    is_prefixed: bool,
    /// What was read of what stands behind.
    rest: Vec<u8>,
}

impl Head {
    /// What is written of a piece, and whether the rows come behind it.
    fn take(&mut self, piece: Vec<u8>) -> Result<(Vec<u8>, bool)> {
        let is_first = std::mem::take(&mut self.is_first);
        if !is_first && !self.may_end(&piece) {
            return Ok((piece, false));
        }
        let all = tags(&self.name, &piece)?;
        if is_first {
            self.is_prefixed = all.first().is_some_and(|root| !root.prefix().is_empty());
        }
        let mut edits = Vec::new();
        if let Some(tag) = all.iter().find(|t| t.opens("dimension"))
            && let Some(range) = tag.attribute("ref").and_then(|r| Range::parse(&r))
        {
            let grown = range.with(self.used.from).with(self.used.to);
            edits.extend(attribute_edit(&piece, tag, "ref", &grown.to_string()));
        }
        let Some(tag) = all.iter().find(|t| behind_rows(t, self.used.to.row)) else {
            return Ok((edited(&piece, edits), false));
        };
        let mut before = edited(&piece[..tag.start], edits);
        if tag.kind == TagKind::Empty && tag.opens("sheetData") {
            before.extend_from_slice(&[b"<", element(&piece, tag), b">"].concat());
        }
        self.rest = behind(&piece, tag);
        Ok((before, true))
    }

    /// Whether rows may come behind some tag of the piece: only such a piece is looked at in full.
    fn may_end(&self, piece: &[u8]) -> bool {
        if memchr::memmem::find(piece, b"sheetData").is_some() || memchr::memmem::find(piece, b"<!").is_some()
        {
            return true;
        }
        // Rows ascend: the last one tells.
        let last = memchr::memmem::rfind(piece, b"row ").filter(|at| *at > 0);
        let last = last.and_then(|at| memchr::memrchr(b'<', &piece[..at]));
        let number = last.and_then(|at| {
            let tag = &piece[at..];
            let from = memchr::memmem::find(tag, b" r=\"")? + 4;
            let length = memchr::memchr(b'"', &tag[from..])?;
            std::str::from_utf8(&tag[from..from + length]).ok()?.parse::<u32>().ok()
        });
        last.is_some() && number.is_none_or(|row| row > self.used.to.row)
    }
}

/// The name of an element with its prefix.
fn element<'p>(piece: &'p [u8], tag: &Tag<'_>) -> &'p [u8] {
    let inside = &piece[tag.start + 1..tag.end - 2];
    inside.split(u8::is_ascii_whitespace).next().unwrap_or(inside)
}

/// What stands in a piece behind the rows that are added, which come before `tag`.
fn behind(piece: &[u8], tag: &Tag<'_>) -> Vec<u8> {
    if tag.kind == TagKind::Empty && tag.opens("sheetData") {
        [b"</", element(piece, tag), b">", &piece[tag.end..]].concat()
    } else {
        piece[tag.start..].to_vec()
    }
}

/// Whether a tag stands behind row `last` and those before it: a later row, or the end of all rows.
fn behind_rows(tag: &Tag<'_>, last: u32) -> bool {
    let later = || tag.attribute("r").and_then(|r| r.parse::<u32>().ok()).is_some_and(|row| row > last);
    tag.closes("sheetData")
        || (tag.kind == TagKind::Empty && tag.opens("sheetData"))
        || (tag.opens("row") && later())
}

/// Writes a new workbook.
///
/// ```
/// use incola_workbook::{BookWriter, Compressor, RowEncoder, SheetColumn, SheetLayout, Styles};
/// # fn main() -> Result<(), incola_workbook::Error> {
/// let mut book = BookWriter::new(std::io::Cursor::new(Vec::new()));
/// let berth = SheetColumn { name: "Berth".into(), longest: 3, style: Styles::TEXT, is_text: true };
/// book.begin_sheet(SheetLayout {
///     name: "calls".into(), columns: vec![berth], rows: 1, header: true, table: Some("calls".into()),
/// })?;
/// let mut rows = RowEncoder::new(1, 1);
/// rows.begin_row(2);
/// rows.text(0, Styles::TEXT, b"007");
/// rows.end_row();
/// book.block(&Compressor::new().block(rows.xml()))?;
/// book.end_sheet()?;
/// let package = book.finish(&Styles::new(), "calls", "2031-08-17T09:30:00Z")?.into_inner();
/// assert!(package.starts_with(b"PK"));
/// # Ok(())
/// # }
/// ```
#[derive(Debug)]
pub struct BookWriter<W> {
    zip: ZipWriter<W>,
    sheets: Vec<SheetLayout>,
    open: Option<SheetLayout>,
    /// The workbook that sheets are added to.
    existing: Option<ExistingBook>,
    /// Entries of it that are written already, or changed.
    written: Vec<usize>,
    tables: HashMap<usize, Vec<u8>>,
    /// The sheet that rows are being added to: its part.
    rows_of: Option<RowsOf>,
    /// Whether the sheet that rows are being added to has prefixed elements.
    is_prefixed: bool,
}

impl<W: Write + Seek> BookWriter<W> {
    /// A writer of a workbook that begins where `out` stands.
    pub fn new(out: W) -> Self {
        Self {
            zip: ZipWriter::new(out),
            sheets: Vec::new(),
            open: None,
            existing: None,
            written: Vec::new(),
            tables: HashMap::new(),
            rows_of: None,
            is_prefixed: false,
        }
    }

    /// A writer of a workbook that has everything that `existing` has, byte for byte, and new sheets behind.
    pub fn over(existing: ExistingBook, out: W) -> Self {
        Self { existing: Some(existing), ..Self::new(out) }
    }

    /// What is added to the place of a format to get its place in the workbook.
    pub fn style_offset(&self) -> u32 {
        self.existing.as_ref().map_or(0, ExistingBook::style_offset)
    }

    /// An encoder for the rows of the sheet that is open, in these columns (from 1, in rising order).
    pub fn rows(&self, columns: &[u32]) -> RowEncoder {
        let rows = RowEncoder::at(columns).with_style_offset(self.style_offset());
        if self.is_prefixed { rows.with_namespace(self.family()) } else { rows }
    }

    fn family(&self) -> Family {
        self.existing.as_ref().map_or_else(Family::default, ExistingBook::family)
    }

    /// The part of new sheet `n`, from 0.
    fn sheet_part(&self, n: usize) -> String {
        let first = self.existing.as_ref().map_or(1, |b| b.free_number("worksheets", "sheet"));
        format!("xl/worksheets/sheet{}.xml", first as usize + n)
    }

    /// Names of the sheets that are done.
    pub fn sheet_names(&self) -> Vec<String> {
        self.sheets.iter().map(|s| s.name.clone()).collect()
    }

    /// Names of the tables that are done.
    pub fn table_names(&self) -> Vec<String> {
        self.sheets.iter().filter_map(|s| s.table.clone()).collect()
    }

    /// Begins a sheet; its rows follow as [blocks](Self::block).
    ///
    /// # Errors
    /// If the layout does not fit the format's limits, or the output cannot be written.
    pub fn begin_sheet(&mut self, layout: SheetLayout) -> Result<()> {
        layout.check()?;
        let number = self.sheets.len();
        self.zip.begin(&self.sheet_part(number))?;
        let selected = number == 0 && self.existing.is_none();
        let head = layout.head(selected, self.style_offset(), self.family());
        self.zip.block(&Compressor::new().block(&head))?;
        self.open = Some(layout);
        Ok(())
    }

    /// Adds a block of whole rows.
    pub fn block(&mut self, block: &Block) -> Result<()> {
        self.zip.block(block)
    }

    /// Ends the sheet.
    pub fn end_sheet(&mut self) -> Result<()> {
        let Some(layout) = self.open.take() else { return Ok(()) };
        let table = layout.table.as_ref().map(|_| "rId1");
        self.zip.block(&Compressor::new().block(&layout.tail(table)))?;
        self.zip.end()?;
        self.sheets.push(layout);
        Ok(())
    }

    /// Begins to add rows to sheet `n` (from 0) of the existing workbook, where it describes none; they follow as
    /// [blocks](Self::block). `used`: the cells that are added.
    ///
    /// # Errors
    /// [`Error::Refused`] if the sheet is written in a way that is not added to.
    pub fn begin_rows(&mut self, n: usize, used: Range) -> Result<()> {
        let Some(existing) = &mut self.existing else { return Ok(()) };
        let place = existing.sheet_place(n)?;
        let name = existing.zip().entries()[place].name.clone();
        self.zip.begin(&name)?;
        let mut head =
            Head { name: name.clone(), used, is_first: true, is_prefixed: false, rest: Vec::new() };
        let zip = &mut self.zip;
        let mut pieces = Pieces::new(existing.zip().stream(place)?, &name);
        // One thread inflates and looks, the other compresses.
        let found = std::thread::scope(|scope| -> Result<bool> {
            let (send, receive) = std::sync::mpsc::sync_channel::<Vec<u8>>(4);
            let (give, blocks) = std::sync::mpsc::channel::<Block>();
            scope.spawn(move || {
                let mut compressor = Compressor::new();
                for piece in receive {
                    if give.send(compressor.block(&piece)).is_err() {
                        break;
                    }
                }
            });
            let mut found = false;
            while let Some(piece) = pieces.next()? {
                let (before, is_end) = head.take(piece)?;
                if send.send(before).is_err() {
                    break;
                }
                for block in blocks.try_iter() {
                    zip.block(&block)?;
                }
                if is_end {
                    found = true;
                    break;
                }
            }
            drop(send);
            for block in blocks {
                zip.block(&block)?;
            }
            Ok(found)
        })?;
        if !found {
            return Err(Error::Damaged(format!("{name}: it has no rows")));
        }
        self.is_prefixed = head.is_prefixed;
        // What stands behind the rows is small as a rule.
        let mut rest = Some(head.rest);
        while let Some(piece) = pieces.next()? {
            if let Some(kept) = &mut rest {
                kept.extend_from_slice(&piece);
            }
            if rest.as_ref().is_some_and(|r| r.len() > REST_BYTES) {
                rest = None;
                break;
            }
        }
        self.rows_of = Some(RowsOf { place, last_row: used.to.row, rest });
        Ok(())
    }

    /// Ends the rows that are added: what stood behind them in the sheet follows.
    pub fn end_rows(&mut self) -> Result<()> {
        let (Some(existing), Some(RowsOf { place, last_row, rest })) =
            (&mut self.existing, self.rows_of.take())
        else {
            return Ok(());
        };
        let name = existing.zip().entries()[place].name.clone();
        let mut compressor = Compressor::new();
        if let Some(rest) = &rest {
            for part in rest.chunks(256 * 1024) {
                self.zip.block(&compressor.block(part))?;
            }
        } else {
            let mut pieces = Pieces::new(existing.zip().stream(place)?, &name);
            let mut is_behind = false;
            while let Some(piece) = pieces.next()? {
                if is_behind {
                    self.zip.block(&compressor.block(&piece))?;
                    continue;
                }
                let all = tags(&name, &piece)?;
                let Some(tag) = all.iter().find(|t| behind_rows(t, last_row)) else { continue };
                is_behind = true;
                self.zip.block(&compressor.block(&behind(&piece, tag)))?;
            }
        }
        self.written.push(place);
        self.is_prefixed = false;
        self.zip.end()
    }

    /// Moves the last row of a table down to `last_row`.
    pub fn grow_table(&mut self, table: &ExistingTable, last_row: u32) -> Result<()> {
        if let Some(existing) = &mut self.existing {
            let (place, content) = existing.table_grown(table, last_row)?;
            self.tables.insert(place, content);
        }
        Ok(())
    }

    /// Takes back the sheet that was begun, as if it had never been.
    pub fn abandon_sheet(&mut self) -> Result<()> {
        self.open = None;
        self.zip.abandon()
    }

    /// Writes everything else and hands back the output, which ends with the workbook. `created` is a W3CDTF time.
    pub fn finish(mut self, styles: &Styles, title: &str, created: &str) -> Result<W> {
        let mut additions = Additions::default();
        let first_table = self.existing.as_ref().map_or(1, |b| b.free_number("tables", "table"));
        let first_id = self.existing.as_ref().map_or(1, ExistingBook::free_table_id);
        for (n, sheet) in self.sheets.iter().enumerate() {
            let part = self.sheet_part(n);
            additions.sheets.push((sheet.name.clone(), part.clone()));
            let Some(table) = &sheet.table else { continue };
            let place = additions.tables.len() as u32;
            let file = format!("table{}.xml", first_table + place);
            let names: Vec<String> = sheet.columns.iter().map(|c| c.name.clone()).collect();
            let content = parts::table(first_id + place, table, sheet.table_range(), &names, self.family());
            self.zip.entry(&format!("xl/tables/{file}"), content.as_bytes())?;
            let ties = parts::relationships_of(self.family(), &[("table", format!("../tables/{file}"))]);
            let name = part.replace("worksheets/", "worksheets/_rels/") + ".rels";
            self.zip.entry(&name, ties.as_bytes())?;
            additions.tables.push(format!("xl/tables/{file}"));
        }
        if let Some(existing) = self.existing.take() {
            return self.finish_over(existing, &additions, styles);
        }
        let tables = additions.tables.len();
        let names = self.sheet_names();
        let mut ties: Vec<(&str, String)> =
            (1..=names.len()).map(|n| ("worksheet", format!("worksheets/sheet{n}.xml"))).collect();
        ties.push(("styles", "styles.xml".into()));
        for (name, content) in [
            ("xl/styles.xml", styles.to_xml()),
            ("xl/workbook.xml", parts::workbook(&names)),
            ("xl/_rels/workbook.xml.rels", parts::relationships(&ties)),
            ("docProps/core.xml", parts::core_properties(title, created)),
            ("docProps/app.xml", parts::app_properties()),
            ("_rels/.rels", parts::package_relationships()),
            ("[Content_Types].xml", parts::content_types(names.len(), tables)),
        ] {
            self.zip.entry(name, content.as_bytes())?;
        }
        self.zip.finish()
    }

    /// Copies what is there already, and writes the parts that name what was added.
    fn finish_over(
        mut self,
        mut existing: ExistingBook,
        additions: &Additions,
        styles: &Styles,
    ) -> Result<W> {
        let mut changed = existing.changed(additions, styles)?;
        changed.parts.extend(std::mem::take(&mut self.tables));
        for (name, content) in &changed.new {
            self.zip.entry(name, content)?;
        }
        for place in 0..existing.zip().entries().len() {
            match changed.parts.get(&place) {
                _ if self.written.contains(&place) => {}
                Some(content) => {
                    let name = existing.zip().entries()[place].name.clone();
                    self.zip.entry(&name, content)?;
                }
                None => self.zip.copy(existing.zip(), place)?,
            }
        }
        self.zip.finish()
    }
}
