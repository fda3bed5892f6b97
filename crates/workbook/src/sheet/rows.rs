//! Rows as XML, cell by cell, with nothing allocated per cell.

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
#[derive(Debug)]
pub struct RowEncoder {
    xml: Vec<u8>,
    /// `<c r="A` and so on, by column.
    openings: Vec<Vec<u8>>,
    /// `2" s="`: the row's number and what follows it in each of its cells.
    row: Vec<u8>,
}

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
        }
    }

    /// What was written since the last [`clear`](Self::clear).
    pub fn xml(&self) -> &[u8] {
        &self.xml
    }

    /// Forgets what was written; the memory is kept.
    pub fn clear(&mut self) {
        self.xml.clear();
    }

    /// Opens a row, by its number from 1.
    pub fn begin_row(&mut self, row: u32) {
        self.row.clear();
        write_whole(&mut self.row, row);
        self.xml.extend_from_slice(b"<row r=\"");
        self.xml.extend_from_slice(&self.row);
        self.xml.extend_from_slice(b"\">");
        self.row.extend_from_slice(b"\" s=\"");
    }

    /// Closes the row.
    pub fn end_row(&mut self) {
        self.xml.extend_from_slice(b"</row>");
    }

    #[inline]
    fn open(&mut self, column: usize, style: StyleId) {
        self.xml.extend_from_slice(&self.openings[column]);
        self.xml.extend_from_slice(&self.row);
        write_whole(&mut self.xml, style.0);
    }

    /// Writes a text cell in a column (from 0 within the encoder) and says where its escaped text stands in
    /// [`xml`](Self::xml). The text is kept as it is; cut at nothing, for limits are checked before.
    #[inline]
    pub fn text(&mut self, column: usize, style: StyleId, text: &[u8]) -> std::ops::Range<usize> {
        self.open(column, style);
        if xml::needs_space_preserved(text) {
            self.xml.extend_from_slice(b"\" t=\"inlineStr\"><is><t xml:space=\"preserve\">");
        } else {
            self.xml.extend_from_slice(b"\" t=\"inlineStr\"><is><t>");
        }
        let start = self.xml.len();
        xml::escape(&mut self.xml, text);
        let end = self.xml.len();
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
        self.open(column, style);
        self.xml.extend_from_slice(b"\"><v>");
        let start = self.xml.len();
        write(&mut self.xml);
        let end = self.xml.len();
        self.xml.extend_from_slice(b"</v></c>");
        start..end
    }

    /// Writes a cell that is true or false.
    pub fn boolean(&mut self, column: usize, style: StyleId, value: bool) {
        self.open(column, style);
        self.xml.extend_from_slice(if value {
            b"\" t=\"b\"><v>1</v></c>"
        } else {
            b"\" t=\"b\"><v>0</v></c>"
        });
    }
}
