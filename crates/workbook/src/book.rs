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
    rows_of: Option<(usize, u32)>,
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
        let mut compressor = Compressor::new();
        let mut pieces = Pieces::new(existing.zip().stream(place)?, &name);
        let mut is_first = true;
        while let Some(piece) = pieces.next()? {
            let all = tags(&name, &piece)?;
            if std::mem::take(&mut is_first) {
                self.is_prefixed = all.first().is_some_and(|root| !root.prefix().is_empty());
            }
            let mut edits = Vec::new();
            if let Some(tag) = all.iter().find(|t| t.opens("dimension"))
                && let Some(range) = tag.attribute("ref").and_then(|r| Range::parse(&r))
            {
                let grown = range.with(used.from).with(used.to);
                edits.extend(attribute_edit(&piece, tag, "ref", &grown.to_string()));
            }
            let Some(tag) = all.iter().find(|t| behind_rows(t, used.to.row)) else {
                self.zip.block(&compressor.block(&edited(&piece, edits)))?;
                continue;
            };
            let before = edited(&piece[..tag.start], edits);
            self.zip.block(&compressor.block(&before))?;
            if tag.kind == TagKind::Empty && tag.opens("sheetData") {
                let name = &piece[tag.start + 1..tag.end - 2];
                let open = [b"<", name.trim_ascii_end(), b">"].concat();
                self.zip.block(&compressor.block(&open))?;
            }
            self.rows_of = Some((place, used.to.row));
            return Ok(());
        }
        Err(Error::Damaged(format!("{name}: it has no rows")))
    }

    /// Ends the rows that are added: what stood behind them in the sheet follows.
    pub fn end_rows(&mut self) -> Result<()> {
        let (Some(existing), Some((place, last_row))) = (&mut self.existing, self.rows_of.take()) else {
            return Ok(());
        };
        let name = existing.zip().entries()[place].name.clone();
        let mut compressor = Compressor::new();
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
            if tag.kind == TagKind::Empty && tag.opens("sheetData") {
                let inside = &piece[tag.start + 1..tag.end - 2];
                let element = inside.split(u8::is_ascii_whitespace).next().unwrap_or(inside);
                let close = [b"</", element, b">"].concat();
                self.zip.block(&compressor.block(&close))?;
                self.zip.block(&compressor.block(&piece[tag.end..]))?;
            } else {
                self.zip.block(&compressor.block(&piece[tag.start..]))?;
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
