//! A new sheet: what stands before its rows and behind them.

use crate::error::{Error, Result};
use crate::family::Family;
use crate::limits;
use crate::reference::{CellRef, Range, column_letters};
use crate::sheet::RowEncoder;
use crate::sheet::formats::CellFormats;
use crate::styles::{StyleId, Styles};
use std::fmt::Write as _;
use std::sync::Arc;

/// A column of a new sheet.
#[derive(Clone, Debug, PartialEq)]
pub struct SheetColumn {
    /// Its heading; unique and not empty where there is a table.
    pub name: String,
    /// Length of the longest value, in characters.
    pub longest: u32,
    /// The format of cells that are still empty.
    pub style: StyleId,
    /// Whether digits kept as text are meant that way: their warning marks are switched off.
    pub is_text: bool,
    /// What is shown when the heading is selected.
    pub description: Option<String>,
}

/// What a new sheet looks like.
#[derive(Clone, Debug, PartialEq)]
pub struct SheetLayout {
    /// Legal and unique; see [`crate::sheet_name`].
    pub name: String,
    /// The columns.
    pub columns: Vec<SheetColumn>,
    /// Rows of data.
    pub rows: u64,
    /// Whether headings stand in the first row, which is then frozen.
    pub header: bool,
    /// The name of the table over headings and rows; `None`: a plain range.
    pub table: Option<String>,
}

impl SheetLayout {
    /// The row (from 1) of the first data.
    pub fn first_row(&self) -> u32 {
        1 + u32::from(self.header)
    }

    /// Checks the layout against the format's limits.
    ///
    /// # Errors
    /// [`Error::TooManyRows`].
    pub fn check(&self) -> Result<()> {
        let rows = self.rows + u64::from(self.header);
        if rows > u64::from(limits::ROWS) { Err(Error::TooManyRows { rows }) } else { Ok(()) }
    }

    fn last_row(&self) -> u32 {
        (self.first_row() - 1 + self.rows as u32).max(1)
    }

    /// The cells of the table: at least one row below the headings, for a table has no fewer.
    pub(crate) fn table_range(&self) -> Range {
        let to = CellRef { row: self.last_row().max(2), column: self.columns.len() as u32 };
        Range { from: CellRef { row: 1, column: 1 }, to }
    }

    /// Everything before the first data row, headings included.
    pub(crate) fn head(&self, selected: bool, formats: &Arc<CellFormats>, family: Family) -> Vec<u8> {
        let mut out = String::from(crate::parts::DECLARATION);
        let _ = write!(out, "<worksheet xmlns=\"{}\" xmlns:r=\"{}\">", family.main(), family.relationships());
        let last = CellRef { row: self.last_row(), column: self.columns.len().max(1) as u32 };
        let used = Range { from: CellRef { row: 1, column: 1 }, to: last };
        let _ = write!(out, "<dimension ref=\"{used}\"/><sheetViews><sheetView");
        if selected {
            out.push_str(" tabSelected=\"1\"");
        }
        out.push_str(" workbookViewId=\"0\">");
        if self.header {
            out.push_str(
                "<pane ySplit=\"1\" topLeftCell=\"A2\" activePane=\"bottomLeft\" state=\"frozen\"/>\
                 <selection pane=\"bottomLeft\" activeCell=\"A2\" sqref=\"A2\"/>",
            );
        }
        out.push_str("</sheetView></sheetViews><sheetFormatPr defaultRowHeight=\"15\"/>");
        if !self.columns.is_empty() {
            out.push_str("<cols>");
            for (n, column) in self.columns.iter().enumerate() {
                let n = n + 1;
                let width = self.width(column);
                let _ = write!(out, "<col min=\"{n}\" max=\"{n}\" width=\"{width}\"");
                if column.style != StyleId::default() {
                    let _ = write!(out, " style=\"{}\"", formats.place(0, column.style.0 as usize));
                }
                out.push_str(" customWidth=\"1\"/>");
            }
            out.push_str("</cols>");
        }
        out.push_str("<sheetData>");
        let columns: Vec<u32> = (1..).take(self.columns.len()).collect();
        let mut rows = RowEncoder::at(&columns, Arc::clone(formats), "");
        if self.header {
            rows.begin_row(1);
            for (n, column) in self.columns.iter().enumerate() {
                rows.text(n, Styles::HEADING, column.name.as_bytes());
            }
            rows.end_row();
        }
        let mut head = out.into_bytes();
        head.extend_from_slice(rows.xml());
        head
    }

    /// Width in characters: the longest value or heading, with room for the filter's button, within bounds.
    fn width(&self, column: &SheetColumn) -> f64 {
        let heading = if self.header {
            let longest_line = column.name.lines().map(|l| l.chars().count()).max().unwrap_or(0);
            longest_line as u32 + if self.table.is_some() { 3 } else { 1 }
        } else {
            0
        };
        // Tenths of a character, so that the number has a short spelling.
        f64::from(column.longest.max(heading.min(30)).clamp(4, 60) * 14 + 15) / 10.0
    }

    /// Everything behind the last row. `table_part`: the relationship that leads to the table.
    pub(crate) fn tail(&self, table_part: Option<&str>) -> Vec<u8> {
        let mut out = String::from("</sheetData>");
        out.push_str(&self.descriptions());
        let silenced = self.silenced();
        if !silenced.is_empty() {
            let _ = write!(
                out,
                "<ignoredErrors><ignoredError sqref=\"{silenced}\" twoDigitTextYear=\"1\" \
                 numberStoredAsText=\"1\"/></ignoredErrors>"
            );
        }
        if let Some(id) = table_part {
            let _ = write!(out, "<tableParts count=\"1\"><tablePart r:id=\"{id}\"/></tableParts>");
        }
        out.push_str("</worksheet>");
        out.into_bytes()
    }

    /// Messages that are shown when a heading is selected; they allow whatever is typed (ECMA-376 part 1, 18.3.1.32).
    fn descriptions(&self) -> String {
        let described = || self.columns.iter().zip(1..).filter(|_| self.header);
        let messages: Vec<String> = described()
            .filter_map(|(column, n)| {
                let text: String = column.description.as_ref()?.chars().take(255).collect();
                let title: String = column.name.chars().take(32).collect();
                Some(format!(
                    "<dataValidation allowBlank=\"1\" showInputMessage=\"1\" promptTitle=\"{}\" prompt=\"{}\" sqref=\"{}1\"/>",
                    crate::xml::escaped(&title),
                    crate::xml::escaped(&text),
                    column_letters(n)
                ))
            })
            .collect();
        if messages.is_empty() {
            return String::new();
        }
        let count = messages.len();
        format!("<dataValidations count=\"{count}\">{}</dataValidations>", messages.concat())
    }

    /// The data cells of neighbouring text columns, as areas.
    fn silenced(&self) -> String {
        let mut areas: Vec<String> = Vec::new();
        let mut from = None;
        for n in 1..=self.columns.len() + 1 {
            let is_text = self.columns.get(n - 1).is_some_and(|c| c.is_text);
            match (is_text, from) {
                (true, None) => from = Some(n),
                (false, Some(start)) => {
                    let (left, right) = (column_letters(start as u32), column_letters(n as u32 - 1));
                    let (top, bottom) = (self.first_row(), self.last_row().max(self.first_row()));
                    areas.push(format!("{left}{top}:{right}{bottom}"));
                    from = None;
                }
                _ => {}
            }
        }
        areas.join(" ")
    }
}
