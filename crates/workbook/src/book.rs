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

use crate::error::Result;
use crate::package::deflate::{Block, Compressor};
use crate::package::zip_writer::ZipWriter;
use crate::parts;
use crate::sheet::SheetLayout;
use crate::styles::Styles;
use std::io::{Seek, Write};

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
}

impl<W: Write + Seek> BookWriter<W> {
    /// A writer of a workbook that begins where `out` stands.
    pub fn new(out: W) -> Self {
        Self { zip: ZipWriter::new(out), sheets: Vec::new(), open: None }
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
        let number = self.sheets.len() + 1;
        self.zip.begin(&format!("xl/worksheets/sheet{number}.xml"))?;
        self.zip.block(&Compressor::new().block(&layout.head(number == 1)))?;
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

    /// Takes back the sheet that was begun, as if it had never been.
    pub fn abandon_sheet(&mut self) -> Result<()> {
        self.open = None;
        self.zip.abandon()
    }

    /// Writes everything else and hands back the output, which ends with the workbook. `created` is a W3CDTF time.
    pub fn finish(mut self, styles: &Styles, title: &str, created: &str) -> Result<W> {
        let mut tables = 0;
        for (n, sheet) in self.sheets.iter().enumerate() {
            let Some(table) = &sheet.table else { continue };
            tables += 1;
            let names: Vec<String> = sheet.columns.iter().map(|c| c.name.clone()).collect();
            let part = parts::table(tables, table, sheet.table_range(), &names);
            self.zip.entry(&format!("xl/tables/table{tables}.xml"), part.as_bytes())?;
            let ties = parts::relationships(&[("table", format!("../tables/table{tables}.xml"))]);
            self.zip.entry(&format!("xl/worksheets/_rels/sheet{}.xml.rels", n + 1), ties.as_bytes())?;
        }
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
}
