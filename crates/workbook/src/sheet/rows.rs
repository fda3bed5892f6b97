//! Rows as XML, cell by cell, with nothing allocated per cell.

use crate::existing::Family;
use crate::package::deflate::{Block, Compressor, Span};
use crate::reference::column_letters;
use crate::serial_date::write_whole;
use crate::styles::StyleId;
use crate::xml;

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
    xml: Vec<u8>,
    /// `<c r="A` and so on, by column.
    openings: Vec<Vec<u8>>,
    /// The row's number.
    row: Vec<u8>,
    /// By style: what stands between the row's number and a text, and a number.
    middles: Vec<[Vec<u8>; 2]>,
    /// Added to the place of every format but the general one.
    style_offset: u32,
    /// `<row r="`
    row_open: Vec<u8>,
    /// Where short values stand in `xml`.
    values: Vec<Span>,
}

/// Longer values are worth a search for what repeats inside them.
const SHORT_VALUE_BYTES: usize = 24;

impl RowEncoder {
    /// An encoder for cells in `columns` columns, the leftmost of which is `first_column` (from 1).
    pub fn new(first_column: u32, columns: usize) -> Self {
        Self {
            xml: Vec::new(),
            openings: (first_column..)
                .take(columns)
                .map(|c| format!("<c r=\"{}", column_letters(c)).into_bytes())
                .collect(),
            row: Vec::new(),
            middles: Vec::new(),
            style_offset: 0,
            row_open: b"<row r=\"".to_vec(),
            values: Vec::new(),
        }
    }

    /// An encoder for cells in these columns (from 1), in rising order.
    pub fn at(columns: &[u32]) -> Self {
        let openings =
            columns.iter().map(|c| format!("<c r=\"{}", column_letters(*c)).into_bytes()).collect();
        Self { openings, ..Self::new(1, 0) }
    }

    /// The same encoder for a workbook whose own formats come first: see
    /// [`ExistingBook::style_offset`](crate::ExistingBook::style_offset).
    #[must_use]
    pub fn with_style_offset(mut self, offset: u32) -> Self {
        self.style_offset = offset;
        self
    }

    /// The same encoder for a sheet whose elements have a prefix: each row names its namespace itself.
    #[must_use]
    pub fn with_namespace(mut self, family: Family) -> Self {
        self.row_open = format!("<row xmlns=\"{}\" r=\"", family.main()).into_bytes();
        self
    }

    /// What was written since the last [`clear`](Self::clear).
    pub fn xml(&self) -> &[u8] {
        &self.xml
    }

    /// Forgets what was written; the memory is kept.
    pub fn clear(&mut self) {
        self.xml.clear();
        self.values.clear();
    }

    /// Compresses what was written.
    pub fn compress(&self, compressor: &mut Compressor) -> Block {
        compressor.block_with_spans(&self.xml, &self.values)
    }

    #[inline]
    fn note_value(&mut self, start: usize, end: usize) {
        if end - start <= SHORT_VALUE_BYTES {
            self.values.push(Span { start: start as u32, end: end as u32 });
        }
    }

    /// Opens a row, by its number from 1.
    pub fn begin_row(&mut self, row: u32) {
        self.row.clear();
        write_whole(&mut self.row, row);
        self.xml.extend_from_slice(&self.row_open);
        self.xml.extend_from_slice(&self.row);
        self.xml.extend_from_slice(b"\">");
    }

    /// Closes the row.
    pub fn end_row(&mut self) {
        self.xml.extend_from_slice(b"</row>");
    }

    /// Opens a cell: `<c r="A2" s="1"` and what else stands before a text (0) or a number (1).
    #[inline]
    fn open(&mut self, column: usize, style: StyleId, what: usize) {
        let style = style.0 as usize;
        if style >= self.middles.len() {
            self.add_middles(style);
        }
        self.xml.extend_from_slice(&self.openings[column]);
        self.xml.extend_from_slice(&self.row);
        self.xml.extend_from_slice(&self.middles[style][what]);
    }

    #[cold]
    fn add_middles(&mut self, style: usize) {
        for style in self.middles.len()..=style {
            let style = if style == 0 { 0 } else { style + self.style_offset as usize };
            let text = format!("\" s=\"{style}\" t=\"inlineStr\"><is><t>");
            let number = format!("\" s=\"{style}\"><v>");
            self.middles.push([text.into_bytes(), number.into_bytes()]);
        }
    }

    /// Writes a text cell in a column (from 0 within the encoder) and says where its escaped text stands in
    /// [`xml`](Self::xml). The text is kept as it is; cut at nothing, for limits are checked before.
    #[inline]
    pub fn text(&mut self, column: usize, style: StyleId, text: &[u8]) -> std::ops::Range<usize> {
        self.open(column, style, 0);
        if xml::needs_space_preserved(text) {
            self.xml.truncate(self.xml.len() - 1);
            self.xml.extend_from_slice(b" xml:space=\"preserve\">");
        }
        let start = self.xml.len();
        xml::escape_content(&mut self.xml, text);
        let end = self.xml.len();
        self.note_value(start, end);
        self.xml.extend_from_slice(b"</t></is></c>");
        start..end
    }

    /// Writes a number cell, whose digits `write` appends, and says where they stand in [`xml`](Self::xml).
    #[inline]
    pub fn number(
        &mut self,
        column: usize,
        style: StyleId,
        write: impl FnOnce(&mut Vec<u8>),
    ) -> std::ops::Range<usize> {
        self.open(column, style, 1);
        let start = self.xml.len();
        write(&mut self.xml);
        let end = self.xml.len();
        self.note_value(start, end);
        self.xml.extend_from_slice(b"</v></c>");
        start..end
    }

    /// Writes a cell that is true or false.
    pub fn boolean(&mut self, column: usize, style: StyleId, value: bool) {
        self.open(column, style, 1);
        self.xml.truncate(self.xml.len() - b"><v>".len());
        self.xml.extend_from_slice(if value { b" t=\"b\"><v>1</v></c>" } else { b" t=\"b\"><v>0</v></c>" });
    }
}
