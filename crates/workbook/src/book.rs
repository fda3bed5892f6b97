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

use crate::custom_xml::{self, CustomPart, NewCustomPart};
use crate::error::Result;
use crate::existing::{Additions, CustomChanges, ExistingBook, ExistingTable, ties_name};
use crate::family::Family;
use crate::package::deflate::{Block, Compressor};
use crate::package::zip_writer::ZipWriter;
use crate::parts;
use crate::reference::Range;
use crate::sheet::behind::{self, NameSpaces};
use crate::sheet::formats::CellFormats;
use crate::sheet::merge::{self, Leftovers};
use crate::sheet::over::{add_table, added_headings, copy_rows, plan_end, revise_rows, with_dimension};
use crate::sheet::source::{RowBytes, SheetSource};
use crate::sheet::splice::Splice;
use crate::sheet::widths::widened;
use crate::sheet::{
    Extension, Fill, PlaceFormats, Revised, Revision, RowEncoder, SheetFacts, SheetLayout, Totals,
};
use crate::style_map::StyleMap;
use crate::styles::Styles;
use std::collections::HashMap;
use std::io::{Seek, Write};
use std::sync::Arc;

/// Bytes of rows that are copied at once.
pub(crate) const BLOCK: usize = 1 << 20;

/// How rows are put into a sheet that is there.
#[derive(Clone, Debug)]
pub struct RowsPlan {
    /// The cells that are written, a heading of our own included.
    pub range: Range,
    /// The columns, from 1, in rising order.
    pub columns: Vec<u32>,
    /// The formats of each.
    pub formats: Vec<PlaceFormats>,
    /// Columns of the same table that are not filled.
    pub beside: Vec<u32>,
    /// Columns beside whose formulas go on with the rows.
    pub fills: Vec<Fill>,
    /// The last row of data that stood there and goes; one before the first row: there is none.
    pub old_last: u32,
    /// The row of totals that goes with the rows.
    pub totals: Option<Totals>,
    /// Headings that are put into the row of those that are there, and that row.
    pub added_headings: Option<(u32, Vec<(u32, String)>)>,
    /// Areas that take in rows that came.
    pub extension: Option<Extension>,
    /// What becomes of the table.
    pub table: Option<TableChange>,
    /// A defined name that stands for the rows, and the cells that it stands for then.
    pub named: Option<(String, Range)>,
    /// Rows before the new ones that are revised.
    pub revised: Option<Revised>,
    /// Columns, from 1 and in rising order, that are made wide enough for so many digits.
    pub widths: Vec<(u32, u32)>,
}

/// What becomes of a table over rows in a sheet that is there.
#[derive(Clone, Debug)]
pub enum TableChange {
    /// It ends in another row, with columns of these names behind its own.
    Resized(ExistingTable, u32, Vec<String>),
    /// There is a new one: its name, its cells, its columns.
    New(String, Range, Vec<String>),
}

/// The sheet that rows are being put into.
#[derive(Debug)]
pub(crate) struct OpenRows {
    pub(crate) sheet: usize,
    pub(crate) place: usize,
    pub(crate) name: String,
    pub(crate) source: SheetSource,
    pub(crate) plan: RowsPlan,
    pub(crate) formats: Arc<CellFormats>,
    pub(crate) spaces: NameSpaces,
    /// What stands behind the rows, if all rows that are left go.
    pub(crate) tail: Option<Vec<u8>>,
    /// Whether formulas stand where rows go.
    pub(crate) loses_formulas: bool,
}

/// The workbook that something is added to.
#[derive(Debug)]
pub(crate) struct Over {
    pub(crate) book: ExistingBook,
    pub(crate) styles: StyleMap,
    /// Entries of it that are written already.
    pub(crate) written: Vec<usize>,
    /// New content of entries.
    pub(crate) parts: HashMap<usize, Vec<u8>>,
    pub(crate) additions: Additions,
    pub(crate) rows: Option<OpenRows>,
}

/// Writes a new workbook.
///
/// ```
/// use incola_workbook::{BookWriter, Compressor, RowEncoder, SheetColumn, SheetLayout, Styles};
/// # fn main() -> Result<(), incola_workbook::Error> {
/// let mut book = BookWriter::new(std::io::Cursor::new(Vec::new()));
/// let berth = SheetColumn { name: "Berth".into(), longest: 3, style: Styles::TEXT, is_text: true, description: None };
/// book.begin_sheet(SheetLayout {
///     name: "calls".into(), columns: vec![berth], rows: 1, header: true, table: Some("calls".into()), totals: Vec::new(),
/// }, &Styles::new())?;
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
    open: Option<(SheetLayout, Arc<CellFormats>)>,
    over: Option<Over>,
    custom: CustomChanges,
    /// Hidden names and what they stand for; `None`: the name goes.
    hidden_names: Vec<(String, Option<String>)>,
}

impl<W: Write + Seek> BookWriter<W> {
    /// A writer of a workbook that begins where `out` stands.
    pub fn new(out: W) -> Self {
        Self {
            zip: ZipWriter::new(out),
            sheets: Vec::new(),
            open: None,
            over: None,
            custom: CustomChanges::default(),
            hidden_names: Vec::new(),
        }
    }

    /// A writer of a workbook that has everything that `existing` has, byte for byte, and more.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if its styles part is none.
    pub fn over(existing: ExistingBook, out: W) -> Result<Self> {
        let over = Over {
            styles: existing.style_map()?,
            book: existing,
            written: Vec::new(),
            parts: HashMap::new(),
            additions: Additions::default(),
            rows: None,
        };
        Ok(Self { over: Some(over), ..Self::new(out) })
    }

    /// The workbook that something is added to.
    pub fn existing(&mut self) -> Option<&mut ExistingBook> {
        self.over.as_mut().map(|over| &mut over.book)
    }

    /// The code of the number format that a cell format of the existing workbook has.
    pub fn number_format_of(&self, cell_format: u32) -> String {
        self.over.as_ref().map_or_else(|| "General".into(), |over| over.styles.code(cell_format))
    }

    /// An encoder for the rows of the sheet that is open, in these columns (from 1, in rising order).
    pub fn rows(&self, columns: &[u32]) -> RowEncoder {
        if let Some((_, formats)) = &self.open {
            return RowEncoder::at(columns, Arc::clone(formats), "");
        }
        match self.over.as_ref().and_then(|over| over.rows.as_ref()) {
            Some(OpenRows { formats, spaces, plan, .. }) => {
                RowEncoder::at(columns, Arc::clone(formats), &spaces.prefix)
                    .with_fills(plan.fills.clone())
                    .with_totals_at(plan.totals.as_ref().map(Totals::stood))
                    .showing()
            }
            None => RowEncoder::at(columns, Arc::new(CellFormats::own(columns.len())), ""),
        }
    }

    fn family(&self) -> Family {
        self.over.as_ref().map_or_else(Family::default, |over| over.book.family())
    }

    /// The part of new sheet `n`, from 0.
    fn sheet_part(&self, n: usize) -> String {
        let first = self.over.as_ref().map_or(1, |over| over.book.free_number("worksheets", "sheet"));
        format!("xl/worksheets/sheet{}.xml", first as usize + n)
    }

    /// Begins a sheet whose cells have these formats; its rows follow as [blocks](Self::block).
    ///
    /// # Errors
    /// If the layout does not fit the format's limits, or the output cannot be written.
    pub fn begin_sheet(&mut self, layout: SheetLayout, styles: &Styles) -> Result<()> {
        layout.check()?;
        let number = self.sheets.len();
        let columns = layout.columns.len();
        let formats = Arc::new(match &mut self.over {
            Some(over) => CellFormats::new_sheet(columns, styles, &mut over.styles)?,
            None => CellFormats::own(columns),
        });
        self.zip.begin(&self.sheet_part(number))?;
        let selected = number == 0 && self.over.is_none();
        let head = layout.head(selected, &formats, self.family());
        self.zip.block(&Compressor::new().block(&head))?;
        self.open = Some((layout, formats));
        Ok(())
    }

    /// Adds a block of whole rows.
    pub fn block(&mut self, block: &Block) -> Result<()> {
        self.zip.block(block)
    }

    /// Adds the row of totals that the sheet's layout asks for, below the rows. `values`: by column, what its formula comes to now.
    pub fn totals_row(&mut self, values: &[String]) -> Result<()> {
        let Some((layout, formats)) = self.open.as_ref().filter(|(layout, _)| layout.has_totals()) else {
            return Ok(());
        };
        let row = layout.totals_row(values, formats);
        self.zip.block(&Compressor::new().block(&row))
    }

    /// Ends the sheet.
    pub fn end_sheet(&mut self) -> Result<()> {
        let Some((layout, _)) = self.open.take() else { return Ok(()) };
        let table = layout.table.as_ref().map(|_| "rId1");
        self.zip.block(&Compressor::new().block(&layout.tail(table)))?;
        self.zip.end()?;
        self.sheets.push(layout);
        Ok(())
    }

    /// Begins to put rows into sheet `n` (from 0) of the existing workbook; they follow as [blocks](Self::block), over what is
    /// [there](Self::rows_under). `facts`: what is known of the sheet; `revision`: what becomes of the rows before them.
    ///
    /// # Errors
    /// [`Error::Refused`](crate::Error::Refused) if the sheet is written in a way that is not added to.
    pub fn begin_rows(
        &mut self,
        n: usize,
        plan: RowsPlan,
        facts: &SheetFacts,
        styles: &Styles,
        revision: Option<&dyn Revision>,
    ) -> Result<()> {
        let Some(over) = &mut self.over else { return Ok(()) };
        let mut plan = plan;
        for fill in plan.fills.iter_mut().filter(|fill| !over.styles.has(fill.format)) {
            fill.format = 0;
        }
        let formats = Arc::new(CellFormats::over(&plan.formats, styles, &mut over.styles)?);
        let place = over.book.sheet_place(n)?;
        let name = over.book.zip().entries()[place].name.clone();
        let mut source = over.book.sheet_source(place)?;
        let head = source.head(over.book.zip())?;
        let head_bytes = head.len();
        let spaces = NameSpaces::of(&name, &head, over.book.family())?;
        let mut head = with_dimension(&name, &head, &plan)?;
        if !plan.widths.is_empty() {
            head = widened(&name, &head, &plan.widths)?;
        }
        self.zip.begin(&name)?;
        self.zip.block(&Compressor::new().block(&head))?;
        if let Some((row, headings)) = &plan.added_headings {
            copy_rows(&mut self.zip, &mut over.book, &mut source, *row - 1)?;
            let under = source.all_rows(over.book.zip(), *row)?;
            let block = added_headings(over, (*row, headings), &plan, styles, (&spaces, under.bytes))?;
            self.zip.block(&block)?;
        }
        let splice = if plan.added_headings.is_none()
            && plan.revised.is_none()
            && facts.last_row < plan.range.from.row
        {
            Splice::find(over.book.zip(), place, facts, head_bytes)?
        } else {
            None
        };
        if let Some(splice) = splice {
            // All rows stay: most of them as they are compressed.
            let mut compressor = Compressor::new();
            self.zip.block(&compressor.block(&splice.before[head_bytes..]))?;
            let (crc, raw) = splice.middle();
            self.zip.packed(over.book.zip().packed(place, &splice.from, &splice.to)?, &crc, raw)?;
            let tail = facts.tail.clone().unwrap_or_default();
            self.zip.block(&compressor.block(&splice.behind[..splice.behind.len() - tail.len()]))?;
            let rows = OpenRows {
                sheet: n,
                place,
                name,
                source,
                plan,
                formats,
                spaces,
                tail: Some(tail),
                loses_formulas: false,
            };
            over.rows = Some(rows);
            return Ok(());
        }
        if let (Some(revised), Some(revision)) = (&plan.revised, revision) {
            copy_rows(&mut self.zip, &mut over.book, &mut source, revised.first - 1)?;
            // Rows are revised where they stand, before those above them go: cells beside stay.
            let fills = plan.fills.iter().map(|fill| Fill { kept_to: revised.last, ..fill.clone() });
            let encoder = RowEncoder::at(&plan.columns, Arc::clone(&formats), &spaces.prefix)
                .with_fills(fills.collect());
            let up_to = if facts.last_row <= revised.last { u32::MAX } else { revised.last };
            let read = (&mut source, up_to);
            revise_rows(&mut self.zip, &mut over.book, read, (revised, revision), &encoder, &spaces.prefix)?;
        } else {
            copy_rows(&mut self.zip, &mut over.book, &mut source, plan.range.from.row - 1)?;
        }
        // Where nothing stands beside and all cells look alike, what was there need not be looked at again.
        let alike = |column: &PlaceFormats| {
            let looks = over.styles.looks(column.usual);
            column.all.iter().all(|format| over.styles.looks(*format) == looks)
        };
        let is_whole = !facts.has_others && plan.fills.is_empty() && plan.formats.iter().all(alike);
        let tail =
            facts.tail.clone().filter(|_| is_whole && facts.last_row <= plan.old_last.max(plan_end(&plan)));
        let moves_formulas = plan.revised.as_ref().is_some_and(|r| r.has_formulas && !r.gone.is_empty());
        let loses_formulas = moves_formulas || facts.columns.iter().any(|c| c.formulas > 0);
        over.rows =
            Some(OpenRows { sheet: n, place, name, source, plan, formats, spaces, tail, loses_formulas });
        Ok(())
    }

    /// The rows up to `last` that the sheet has where rows are being put, for [`RowEncoder::lay_under`]; `None`: nothing is to be
    /// laid under any row.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if the sheet cannot be read.
    pub fn rows_under(&mut self, last: u32) -> Result<Option<Vec<u8>>> {
        let Some(over) = &mut self.over else { return Ok(None) };
        let Some(rows) = over.rows.as_mut().filter(|r| r.tail.is_none()) else { return Ok(None) };
        Ok(Some(rows.source.all_rows(over.book.zip(), last)?.bytes))
    }

    /// Ends the rows: what is left of those before goes, what goes with them follows, and everything behind.
    pub fn end_rows(&mut self) -> Result<()> {
        let Some(over) = &mut self.over else { return Ok(()) };
        let Some(mut rows) = over.rows.take() else { return Ok(()) };
        let plan = &rows.plan;
        let last_data = plan.range.to.row;
        let totals = plan.totals.as_ref().map(|t| (t.last(), t.moved((plan.old_last, t.to - 1))));
        over.additions.lost_formulas |= plan.totals.is_some()
            || (!plan.fills.is_empty() && plan.old_last > last_data)
            || rows.loses_formulas;
        over.additions.has_rows = true;
        let styles = &over.styles;
        let keeps = |column: u32, format: u32| {
            let place = plan.columns.binary_search(&column).ok().and_then(|at| plan.formats.get(at));
            place.is_some_and(|p| p.goes_on_below) && !styles.is_plain(format)
        };
        let leftovers = Leftovers {
            columns: &plan.columns,
            beside: plan.fills.iter().map(|f| f.column).chain(plan.beside.iter().copied()).collect(),
            to: plan.old_last,
            totals_from: plan.totals.as_ref().map(Totals::stood),
            totals: Vec::new(),
            keeps: &keeps,
            prefix: &rows.spaces.prefix,
        };
        let mut compressor = Compressor::new();
        if let Some((to, moved)) = totals {
            let under = match rows.tail {
                Some(_) => RowBytes { after: to - 1, ..RowBytes::default() },
                None => rows.source.all_rows(over.book.zip(), to)?,
            };
            let with_totals = Leftovers { totals: moved, beside: leftovers.beside.clone(), ..leftovers };
            self.zip.block(&compressor.block(&with_totals.cleared(&under)))?;
        }
        let tail = if let Some(tail) = rows.tail.take() {
            tail
        } else {
            let cleared_to = plan_end(plan);
            let (source, book, zip) = (&mut rows.source, &mut over.book, &mut self.zip);
            incola_parallel::ordered(
                || source.rows(book.zip(), cleared_to, BLOCK),
                Compressor::new,
                |compressor, rows| compressor.block(&leftovers.cleared(&rows)),
                |block| zip.block(&block),
            )?;
            if let Some(next) = source.rows(book.zip(), u32::MAX, 1)? {
                zip.block(&compressor.block(&merge::numbered(next)))?;
            }
            copy_rows(zip, book, source, u32::MAX)?;
            source.tail(book.zip())?
        };
        let table = match &plan.table {
            Some(TableChange::New(name, range, columns)) => {
                Some(add_table(over, &rows.name, name, *range, columns, &mut self.zip)?)
            }
            Some(TableChange::Resized(table, last, added)) => {
                let (place, content) = over.book.table_resized(table, *last, added)?;
                over.parts.insert(place, content);
                None
            }
            None => None,
        };
        let fates = behind::Fates {
            revised: plan.revised.as_ref(),
            replaced: ((plan.range.from.row, plan.old_last), &plan.columns),
            totals: plan.totals.as_ref(),
        };
        let behind = (plan.extension.as_ref(), Some(&fates));
        let tail = behind::changed(&rows.name, &tail, behind, table.map(|t| (t, &rows.spaces)))?;
        // Comments in replaced rows are the clerk's, and stay.
        let fates = behind::Fates { replaced: ((1, 0), &[]), ..fates };
        if fates.move_cells() {
            over.parts.extend(over.book.comments_moved(rows.sheet, &|cell| fates.of(cell))?);
        }
        over.additions.names.extend(plan.named.clone());
        if let Some(extension) = &plan.extension {
            over.additions.filters.push((rows.sheet, extension.clone()));
        }
        for part in tail.chunks(BLOCK) {
            self.zip.block(&compressor.block(part))?;
        }
        over.written.push(rows.place);
        self.zip.end()
    }

    /// Takes back the sheet that was begun, as if it had never been.
    pub fn abandon_sheet(&mut self) -> Result<()> {
        self.open = None;
        if let Some(over) = &mut self.over {
            over.rows = None;
        }
        self.zip.abandon()
    }

    /// Keeps a custom XML part, whose root element is in `namespace`: in place of one that is there, or as a new one.
    pub fn put_custom(&mut self, over: Option<&CustomPart>, namespace: &str, content: Vec<u8>) {
        match over {
            Some(part) => self.custom.changed.push((part.place, content)),
            None => self.custom.new.push(NewCustomPart { namespace: namespace.to_owned(), content }),
        }
    }

    /// Takes a custom XML part out.
    pub fn remove_custom(&mut self, part: &CustomPart) {
        self.custom.gone.push(part.place);
    }

    /// Lets a name that programs do not list stand for cells of the sheet called `sheet`; `None`: the name goes.
    pub fn put_hidden_name(&mut self, name: &str, cells: Option<(&str, Range)>) {
        let refers_to =
            cells.map(|(sheet, range)| format!("'{}'!{}", sheet.replace('\'', "''"), range.fixed()));
        self.hidden_names.push((name.to_owned(), refers_to));
    }

    /// Writes everything else and hands back the output, which ends with the workbook. `created` is a W3CDTF time.
    pub fn finish(mut self, styles: &Styles, title: &str, created: &str) -> Result<W> {
        let family = self.family();
        let mut additions = self.over.as_mut().map(|o| std::mem::take(&mut o.additions)).unwrap_or_default();
        let (first_table, first_id) = match &self.over {
            Some(over) => (over.book.free_number("tables", "table"), over.book.free_table_id()),
            None => (1, 1),
        };
        for (n, sheet) in self.sheets.iter().enumerate() {
            let part = self.sheet_part(n);
            additions.sheets.push((sheet.name.clone(), part.clone()));
            let Some(table) = &sheet.table else { continue };
            let place = additions.tables.len() as u32;
            let file = format!("table{}.xml", first_table + place);
            let names: Vec<String> = sheet.columns.iter().map(|c| c.name.clone()).collect();
            let range = (sheet.table_range(), &sheet.totals[..]);
            let content = parts::table(first_id + place, table, range, &names, family);
            self.zip.entry(&format!("xl/tables/{file}"), content.as_bytes())?;
            let ties = parts::relationships_of(family, &[("table", format!("../tables/{file}"))]);
            self.zip.entry(&ties_name(&part), ties.as_bytes())?;
            additions.tables.push(format!("xl/tables/{file}"));
        }
        additions.custom = std::mem::take(&mut self.custom);
        additions.hidden_names = std::mem::take(&mut self.hidden_names);
        if let Some(over) = self.over.take() {
            return self.finish_over(over, &additions);
        }
        let tables = additions.tables.len();
        let names: Vec<String> = self.sheets.iter().map(|s| s.name.clone()).collect();
        let mut ties: Vec<(&str, String)> =
            (1..=names.len()).map(|n| ("worksheet", format!("worksheets/sheet{n}.xml"))).collect();
        ties.push(("styles", "styles.xml".into()));
        let custom = &additions.custom.new;
        ties.extend((1..=custom.len()).map(|n| ("customXml", format!("../customXml/item{n}.xml"))));
        for (n, part) in (1..).zip(custom) {
            let tie = parts::relationships(&[("customXmlProps", format!("itemProps{n}.xml"))]);
            let item = format!("customXml/item{n}.xml");
            self.zip.entry(&ties_name(&item), tie.as_bytes())?;
            let beside = custom_xml::properties(part, family);
            self.zip.entry(&format!("customXml/itemProps{n}.xml"), beside.as_bytes())?;
            self.zip.entry(&item, &part.content)?;
        }
        let hidden: Vec<(String, String)> = additions
            .hidden_names
            .iter()
            .filter_map(|(name, to)| Some((name.clone(), to.clone()?)))
            .collect();
        for (name, content) in [
            ("xl/styles.xml", styles.to_xml()),
            ("xl/workbook.xml", parts::workbook(&names, &hidden)),
            ("xl/_rels/workbook.xml.rels", parts::relationships(&ties)),
            ("docProps/core.xml", parts::core_properties(title, created)),
            ("docProps/app.xml", parts::app_properties()),
            ("_rels/.rels", parts::package_relationships()),
            ("[Content_Types].xml", parts::content_types(names.len(), tables, custom.len())),
        ] {
            self.zip.entry(name, content.as_bytes())?;
        }
        self.zip.finish()
    }

    /// Copies what is there already, and writes the parts that name what was added.
    fn finish_over(mut self, mut over: Over, additions: &Additions) -> Result<W> {
        let mut changed = over.book.changed(additions, &over.styles)?;
        changed.parts.extend(std::mem::take(&mut over.parts));
        for (name, content) in &changed.new {
            self.zip.entry(name, content)?;
        }
        for place in 0..over.book.zip().entries().len() {
            match changed.parts.get(&place) {
                _ if over.written.contains(&place) || changed.gone.contains(&place) => {}
                Some(content) => {
                    let name = over.book.zip().entries()[place].name.clone();
                    self.zip.entry(&name, content)?;
                }
                None => self.zip.copy(over.book.zip(), place)?,
            }
        }
        self.zip.finish()
    }
}
