//! Rows as XML, cell by cell, with nothing allocated per cell.
//!
//! Where a sheet has those rows already, they are [laid under](RowEncoder::lay_under) the new cells: cells beside are copied, those
//! in the way give their format.

use crate::formula::Formula;
use crate::package::deflate::{Block, Compressor};
use crate::reference::{CellRef, column_letters};
use crate::serial_date::write_whole;
use crate::sheet::digest::{CellDigest, Held};
use crate::sheet::formats::CellFormats;
use crate::sheet::merge::Under;
use crate::sheet::trail::Trail;
use crate::styles::StyleId;
use crate::xml;
use std::sync::Arc;

/// Writes the rows of a sheet into a buffer.
///
/// ```
/// use incola_workbook::{RowEncoder, Styles};
/// let mut rows = RowEncoder::new(1, 2);
/// rows.begin_row(2);
/// rows.text(0, Styles::TEXT, b"007");
/// rows.end_row();
/// assert_eq!(rows.xml(), br#"<row r="2"><c r="A2" s="1" t="inlineStr"><is><t>007</t></is></c></row>"#);
/// ```
#[derive(Clone, Debug)]
pub struct RowEncoder {
    pub(super) xml: Vec<u8>,
    /// The columns of the sheet, from 1.
    pub(super) columns: Arc<[u32]>,
    /// `<c r="A` and so on, by column.
    openings: Vec<Vec<u8>>,
    /// The row's number, and how it is spelled.
    pub(super) number: u32,
    row: Vec<u8>,
    /// By format of the sheet's own, then by style: what stands between the row's number and a value, by what it is.
    middles: Vec<Vec<Option<[Vec<u8>; 3]>>>,
    pub(super) formats: Arc<CellFormats>,
    marks: Marks,
    /// What the sheet has already.
    pub(super) under: Option<Box<Under>>,
    pub(super) fills: Arc<[Fill]>,
    /// Whether rows that are hidden are shown when new ones are laid over them.
    pub(super) shows_rows: bool,
    /// Where mark-up and values stand in `xml`.
    trail: Trail,
    /// What the cells hold that were told, since it was asked for last.
    digest: CellDigest,
}

/// A column beside the data whose formulas go on with the rows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fill {
    /// The column, from 1.
    pub column: u32,
    /// The formula.
    pub formula: Formula,
    /// The format of its cells.
    pub format: u32,
    /// Up to this row the cells that are there stay.
    pub kept_to: u32,
    /// Where it gives a list of values, of which each cell shows one: the place of the cells' metadata, from 1; 0: none.
    pub array: Option<u32>,
}

/// Mark-up with the sheet's prefix.
#[derive(Clone, Debug)]
struct Marks {
    row: Vec<u8>,
    row_end: Vec<u8>,
    cell: Vec<u8>,
    text: Vec<u8>,
    value: Vec<u8>,
    text_end: Vec<u8>,
    value_end: Vec<u8>,
    formula: Vec<u8>,
    formula_end: Vec<u8>,
}

impl Marks {
    fn new(p: &str) -> Self {
        Self {
            row: format!("<{p}row r=\"").into_bytes(),
            row_end: format!("</{p}row>").into_bytes(),
            cell: format!("<{p}c r=\"").into_bytes(),
            text: format!("><{p}is><{p}t>").into_bytes(),
            value: format!("><{p}v>").into_bytes(),
            text_end: format!("</{p}t></{p}is></{p}c>").into_bytes(),
            value_end: format!("</{p}v></{p}c>").into_bytes(),
            formula: format!("><{p}f>").into_bytes(),
            formula_end: format!("</{p}f></{p}c>").into_bytes(),
        }
    }
}

/// What stands in a cell: the index into what comes before it.
const TEXT: usize = 0;
const NUMBER: usize = 1;
const BOOLEAN: usize = 2;

impl RowEncoder {
    /// An encoder for cells in `columns` columns, the leftmost of which is `first_column` (from 1).
    pub fn new(first_column: u32, columns: usize) -> Self {
        let columns: Vec<u32> = (first_column..).take(columns).collect();
        Self::at(&columns, Arc::new(CellFormats::own(columns.len())), "")
    }

    /// An encoder for cells in these columns (from 1), in rising order, whose formats are those of a workbook, and whose
    /// elements have a prefix.
    pub(crate) fn at(columns: &[u32], formats: Arc<CellFormats>, prefix: &str) -> Self {
        let marks = Marks::new(prefix);
        let opening = |c: &u32| [&marks.cell[..], column_letters(*c).as_bytes()].concat();
        Self {
            xml: Vec::new(),
            openings: columns.iter().map(opening).collect(),
            columns: columns.into(),
            number: 0,
            row: Vec::new(),
            middles: Vec::new(),
            formats,
            marks,
            under: None,
            fills: Arc::from([]),
            shows_rows: false,
            trail: Trail::new(columns.len()),
            digest: CellDigest::default(),
        }
    }

    /// The same encoder, with formulas beside that go on with the rows.
    #[must_use]
    pub(crate) fn with_fills(mut self, fills: Vec<Fill>) -> Self {
        if !fills.is_empty() {
            self.fills = fills.into();
            self.lay_under(Vec::new());
        }
        self
    }

    /// What was written since the last [`clear`](Self::clear).
    pub fn xml(&self) -> &[u8] {
        &self.xml
    }

    /// Forgets what was written; the memory is kept.
    pub fn clear(&mut self) {
        self.xml.clear();
        self.trail.clear();
    }

    /// What the cells hold that were written since this was asked for last.
    pub fn take_digest(&mut self) -> CellDigest {
        std::mem::take(&mut self.digest)
    }

    /// Compresses what was written.
    pub fn compress(&self, compressor: &mut Compressor) -> Block {
        compressor.block_with_spans(&self.xml, &self.trail.spans, &self.trail.hints)
    }

    /// Opens a row, by its number from 1.
    pub fn begin_row(&mut self, row: u32) {
        self.number = row;
        self.row.clear();
        write_whole(&mut self.row, row);
        if self.under.is_some() && self.begin_row_over(row) {
            self.trail.begin_over();
            return;
        }
        self.xml.extend_from_slice(&self.marks.row);
        let from = self.xml.len();
        self.xml.extend_from_slice(&self.row);
        self.trail.begin_row(&self.xml, from);
        self.xml.extend_from_slice(b"\">");
    }

    /// Closes the row.
    pub fn end_row(&mut self) {
        if self.under.is_some() && self.end_row_over() {
            return;
        }
        self.xml.extend_from_slice(&self.marks.row_end);
    }

    /// Opens a cell: `<c r="A2" s="1"` and what else stands before its value.
    #[inline]
    fn open(&mut self, place: usize, style: StyleId, what: usize) {
        let format =
            if self.under.is_some() { self.cell_over(place) } else { usize::from(self.formats.usual[place]) };
        let style = style.0 as usize;
        if self.middles.get(format).and_then(|m| m.get(style)).is_none_or(Option::is_none) {
            self.add_middles(format, style);
        }
        let (opening, number) = (self.openings[place].len(), self.row.len());
        let mark_up = (format, what, style);
        let digits = self.xml.len() + opening;
        if let Some((start, value)) = self.trail.above(place, mark_up, (opening, number)) {
            // The same as in the row before, but for the number.
            self.xml.extend_from_within(start..value);
            self.xml[digits..digits + number].copy_from_slice(&self.row);
        } else {
            self.xml.extend_from_slice(&self.openings[place]);
            self.xml.extend_from_slice(&self.row);
            if let Some(middles) = &self.middles[format][style] {
                self.xml.extend_from_slice(&middles[what]);
            }
        }
        self.trail.cell(place, mark_up, (digits, digits + number), self.xml.len());
    }

    #[cold]
    fn add_middles(&mut self, format: usize, style: usize) {
        if self.middles.len() <= format {
            self.middles.resize(format + 1, Vec::new());
        }
        if self.middles[format].len() <= style {
            self.middles[format].resize(style + 1, None);
        }
        let place = self.formats.place(format, style);
        let text = String::from_utf8_lossy(&self.marks.text);
        let value = String::from_utf8_lossy(&self.marks.value);
        self.middles[format][style] = Some([
            format!("\" s=\"{place}\" t=\"inlineStr\"{text}").into_bytes(),
            format!("\" s=\"{place}\"{value}").into_bytes(),
            format!("\" s=\"{place}\" t=\"b\"{value}").into_bytes(),
        ]);
    }

    /// Writes a text cell in a column (from 0 within the encoder) and says where its escaped text stands in
    /// [`xml`](Self::xml). The text is kept as it is; cut at nothing, for limits are checked before.
    #[inline]
    pub fn text(&mut self, place: usize, style: StyleId, text: &[u8]) -> std::ops::Range<usize> {
        self.digest.note(self.number, self.columns[place], Held::Text, text);
        self.open(place, style, TEXT);
        let seen = xml::look(text);
        if seen & (xml::BLANK | xml::BREAK) != 0 && xml::needs_space_preserved(text) {
            self.xml.truncate(self.xml.len() - 1);
            self.xml.extend_from_slice(b" xml:space=\"preserve\">");
            self.trail.forget(place);
        }
        let start = self.xml.len();
        if seen & xml::CARE == 0 {
            self.xml.extend_from_slice(text);
        } else {
            xml::escape_content(&mut self.xml, text);
        }
        let end = self.xml.len();
        self.trail.value(start, end);
        self.xml.extend_from_slice(&self.marks.text_end);
        start..end
    }

    /// Writes a number cell, whose digits `write` appends, and says where they stand in [`xml`](Self::xml).
    #[inline]
    pub fn number(
        &mut self,
        place: usize,
        style: StyleId,
        write: impl FnOnce(&mut Vec<u8>),
    ) -> std::ops::Range<usize> {
        self.open(place, style, NUMBER);
        let start = self.xml.len();
        write(&mut self.xml);
        let end = self.xml.len();
        self.digest.note(self.number, self.columns[place], Held::Number, &self.xml[start..end]);
        self.trail.value(start, end);
        self.xml.extend_from_slice(&self.marks.value_end);
        start..end
    }

    /// Writes a cell that is true or false.
    pub fn boolean(&mut self, place: usize, style: StyleId, value: bool) {
        self.open(place, style, BOOLEAN);
        let start = self.xml.len();
        self.xml.push(if value { b'1' } else { b'0' });
        self.digest.note(self.number, self.columns[place], Held::Boolean, &self.xml[start..]);
        self.trail.value(start, self.xml.len());
        self.xml.extend_from_slice(&self.marks.value_end);
    }

    /// Leaves a cell empty: what stood there goes, its looks stay.
    #[inline]
    pub fn blank(&mut self, place: usize) {
        if self.under.is_some() {
            self.blank_over(place);
        } else if self.formats.fills_blanks[place] {
            self.empty_cell(place, usize::from(self.formats.usual[place]));
        }
    }

    /// Leaves the cell as it stands in the row that was [laid under](Self::lay_under).
    pub fn keep(&mut self, place: usize) {
        let column = self.columns[place];
        self.keep_over(column);
    }

    /// Writes a cell that has nothing but a format.
    pub(super) fn empty_cell(&mut self, place: usize, format: usize) {
        self.xml.extend_from_slice(&self.openings[place]);
        self.xml.extend_from_slice(&self.row);
        let format = self.formats.sheet[format];
        self.xml.extend_from_slice(format!("\" s=\"{format}\"/>").as_bytes());
    }

    /// Writes a formula's cell in a column of its own.
    pub(super) fn formula_cell(&mut self, fill: usize, format: u32) {
        let (fills, number) = (Arc::clone(&self.fills), self.number);
        let fill = &fills[fill];
        self.xml.extend_from_slice(&self.marks.cell);
        self.xml.extend_from_slice(column_letters(fill.column).as_bytes());
        self.xml.extend_from_slice(&self.row);
        self.xml.extend_from_slice(format!("\" s=\"{format}\"").as_bytes());
        match fill.array {
            None => self.xml.extend_from_slice(&self.marks.formula),
            Some(metadata) => {
                if metadata > 0 {
                    self.xml.extend_from_slice(format!(" cm=\"{metadata}\"").as_bytes());
                }
                let at = CellRef { row: number, column: fill.column };
                self.xml.extend_from_slice(&self.marks.formula[..self.marks.formula.len() - 1]);
                self.xml.extend_from_slice(format!(" t=\"array\" ref=\"{at}\">").as_bytes());
            }
        }
        fill.formula.write(&mut self.xml, number);
        self.xml.extend_from_slice(&self.marks.formula_end);
    }
}
