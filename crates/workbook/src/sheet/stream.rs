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

/// What a table's row of totals says of a column.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum TotalOf {
    /// Nothing.
    #[default]
    Nothing,
    /// A word.
    Label(String),
    /// The sum of the rows that a filter shows.
    Sum,
    /// Their mean.
    Average,
}

impl TotalOf {
    /// The word of the table part (ECMA-376 part 1, 18.18.86) and the number of the function in a formula.
    fn function(&self) -> Option<(&'static str, u32)> {
        match self {
            Self::Sum => Some(("sum", 109)),
            Self::Average => Some(("average", 101)),
            Self::Nothing | Self::Label(_) => None,
        }
    }

    /// Attributes of the table's column.
    pub(crate) fn attributes(&self) -> String {
        match (self, self.function()) {
            (Self::Label(label), _) => format!(" totalsRowLabel=\"{}\"", crate::xml::escaped(label)),
            (_, Some((word, _))) => format!(" totalsRowFunction=\"{word}\""),
            _ => String::new(),
        }
    }
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
    /// By column: what the table's row of totals says; empty: it has none.
    pub totals: Vec<TotalOf>,
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
        let rows = self.rows + u64::from(self.header) + u64::from(self.has_totals());
        if rows > u64::from(limits::ROWS) { Err(Error::TooManyRows { rows }) } else { Ok(()) }
    }

    fn last_row(&self) -> u32 {
        (self.first_row() - 1 + self.rows as u32).max(1)
    }

    /// Whether the table has a row of totals.
    pub(crate) fn has_totals(&self) -> bool {
        self.table.is_some() && !self.totals.is_empty()
    }

    /// The cells of the table but for its totals: at least one row below the headings, for a table has no fewer.
    pub(crate) fn table_range(&self) -> Range {
        let to = CellRef { row: self.last_row().max(2), column: self.columns.len() as u32 };
        Range { from: CellRef { row: 1, column: 1 }, to }
    }

    /// The row of totals. `values`: by column, what its formula comes to now.
    pub(crate) fn totals_row(&self, values: &[String], formats: &Arc<CellFormats>) -> Vec<u8> {
        let row = self.table_range().to.row + 1;
        let mut out = format!("<row r=\"{row}\">");
        for (n, (column, total)) in self.columns.iter().zip(&self.totals).enumerate() {
            let at = CellRef { row, column: n as u32 + 1 };
            let table = self.table.as_deref().unwrap_or_default();
            if let TotalOf::Label(label) = total {
                let style = formats.place(0, Styles::TEXT.0 as usize);
                let label = crate::xml::escaped(label);
                let _ =
                    write!(out, "<c r=\"{at}\" s=\"{style}\" t=\"inlineStr\"><is><t>{label}</t></is></c>");
            } else if let Some((_, number)) = total.function() {
                let style = formats.place(0, column.style.0 as usize);
                let name = crate::xml::escaped(&in_brackets(&column.name));
                let value = values.get(n).map(String::as_str).unwrap_or_default();
                let _ = write!(
                    out,
                    "<c r=\"{at}\" s=\"{style}\"><f>SUBTOTAL({number},{table}[{name}])</f><v>{value}</v></c>"
                );
            }
        }
        out.push_str("</row>");
        out.into_bytes()
    }

    /// Everything before the first data row, headings included.
    pub(crate) fn head(&self, selected: bool, formats: &Arc<CellFormats>, family: Family) -> Vec<u8> {
        let mut out = String::from(crate::parts::DECLARATION);
        let _ = write!(out, "<worksheet xmlns=\"{}\" xmlns:r=\"{}\">", family.main(), family.relationships());
        let last_row = if self.has_totals() { self.table_range().to.row + 1 } else { self.last_row() };
        let last = CellRef { row: last_row, column: self.columns.len().max(1) as u32 };
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

/// A column's name between the brackets of a reference: what means something there has an apostrophe before it.
fn in_brackets(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
    for c in name.chars() {
        if matches!(c, '[' | ']' | '#' | '\'' | '@') {
            out.push('\'');
        }
        out.push(c);
    }
    out
}
