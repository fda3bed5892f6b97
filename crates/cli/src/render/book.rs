//! What a workbook holds: its sheets, tables and names, and the first rows of a sheet.

use super::sanitize::line;
use super::style;
use super::text::{counted, cut, grouped, left, right, terminal_columns, width};
use incola_workbook::{CellValue, ExistingBook, Range, Result, SheetCell, column_letters};
use serde::Serialize;

/// What a workbook holds.
#[derive(Serialize)]
pub(crate) struct Overview {
    book: String,
    bytes: u64,
    sheets: Vec<Sheet>,
    names: Vec<Name>,
}

#[derive(Serialize)]
struct Sheet {
    sheet: String,
    /// The smallest range that holds all cells which hold something.
    used: Option<String>,
    cells: u64,
    formulas: u64,
    tables: Vec<Table>,
    /// Whether it is one of cells, and not of a chart.
    #[serde(skip)]
    has_cells: bool,
    /// Why it cannot be read.
    unreadable: Option<String>,
}

#[derive(Serialize)]
struct Table {
    table: String,
    range: String,
    rows: u32,
    totals: bool,
    columns: Vec<String>,
}

#[derive(Serialize)]
struct Name {
    name: String,
    refers_to: String,
    sheet: Option<String>,
}

impl Overview {
    /// Reads a workbook through.
    pub(crate) fn of(book: &mut ExistingBook, name: &str, bytes: u64) -> Self {
        let mut sheets = Vec::new();
        let names = book.sheet_names();
        for (n, sheet) in names.iter().enumerate() {
            let has_cells = book.has_cells(n);
            let (extent, unreadable) = match book.extent(n) {
                Err(_) if !has_cells => (incola_workbook::SheetExtent::default(), None),
                Ok(extent) => (extent, None),
                Err(error) => (incola_workbook::SheetExtent::default(), Some(error.to_string())),
            };
            let tables = book.tables(n).unwrap_or_default();
            sheets.push(Sheet {
                sheet: sheet.clone(),
                used: extent.used.map(|range| range.to_string()),
                cells: extent.cells,
                formulas: extent.formulas,
                tables: tables
                    .into_iter()
                    .map(|t| Table {
                        rows: rows_of(t.range) - u32::from(t.has_header) - u32::from(t.has_totals),
                        table: t.name,
                        range: t.range.to_string(),
                        totals: t.has_totals,
                        columns: t.columns,
                    })
                    .collect(),
                has_cells,
                unreadable,
            });
        }
        let shown = book.defined_names().iter().filter(|n| !n.is_hidden);
        let list = shown.map(|n| Name {
            name: n.name.clone(),
            refers_to: n.refers_to.clone(),
            sheet: n.sheet.and_then(|place| names.get(place).cloned()),
        });
        Self { book: name.to_owned(), bytes, names: list.collect(), sheets }
    }

    /// The sheets that cannot be read, and why.
    pub(crate) fn unreadable(&self) -> impl Iterator<Item = (&str, &str)> {
        self.sheets.iter().filter_map(|s| Some((s.sheet.as_str(), s.unreadable.as_deref()?)))
    }

    /// As a page.
    pub(crate) fn page(&self) -> String {
        let tables: usize = self.sheets.iter().map(|s| s.tables.len()).sum();
        let mut out = format!(
            "{}   {}, {}, {}, {}\n\n",
            style::strong(&line(&self.book)),
            counted(self.sheets.len() as u64, "sheet", "sheets"),
            counted(tables as u64, "table", "tables"),
            counted(self.names.len() as u64, "name", "names"),
            counted(self.bytes, "byte", "bytes")
        );
        let heads = ["sheet", "used range", "cells", "formulas"];
        let sheets = self.sheets.iter().map(|s| {
            let used = match (&s.unreadable, &s.used) {
                (Some(_), _) => "cannot be read".to_owned(),
                (None, _) if !s.has_cells => "no cells".to_owned(),
                (None, used) => used.clone().unwrap_or_else(|| "empty".into()),
            };
            [line(&s.sheet), used, grouped(s.cells), grouped(s.formulas)]
        });
        out.push_str(&listing(&heads, &sheets.collect::<Vec<_>>(), 2));
        for (sheet, why) in self.unreadable() {
            out.push_str(&format!("\n{}\n", style::alert(&line(&format!("{sheet} cannot be read: {why}")))));
        }
        let tables: Vec<[String; 4]> = self
            .sheets
            .iter()
            .flat_map(|s| s.tables.iter().map(move |t| (s, t)))
            .map(|(s, t)| {
                let rows =
                    format!("{}{}", grouped(u64::from(t.rows)), if t.totals { " and totals" } else { "" });
                let columns: Vec<String> = t.columns.iter().map(|c| line(c)).collect();
                [line(&t.table), format!("{} {}", line(&s.sheet), t.range), rows, columns.join(", ")]
            })
            .collect();
        if !tables.is_empty() {
            out.push('\n');
            out.push_str(&listing(&["table", "where", "rows", "columns"], &tables, 4));
        }
        let names: Vec<[String; 2]> =
            self.names.iter().map(|n| [line(&n.name), line(&n.refers_to)]).collect();
        if !names.is_empty() {
            out.push('\n');
            out.push_str(&listing(&["name", "stands for"], &names, 2));
        }
        out
    }
}

fn rows_of(range: Range) -> u32 {
    range.to.row - range.from.row + 1
}

/// Rows under their heads; columns from `numbers` on stand at the right.
fn listing<const N: usize>(heads: &[&str; N], rows: &[[String; N]], numbers: usize) -> String {
    let mut widths = heads.map(width);
    for row in rows {
        for (w, text) in widths.iter_mut().zip(row) {
            *w = (*w).max(width(text)).min(48);
        }
    }
    let room = terminal_columns().saturating_sub(2);
    let draw = |row: &[String]| {
        let mut text = String::new();
        for (n, (cell, w)) in row.iter().zip(widths).enumerate() {
            let gap = if n > 0 { "  " } else { "" };
            let is_last = n + 1 == N;
            let cell = if is_last && n < numbers { line(cell) } else { cut(cell, w) };
            text.push_str(gap);
            text.push_str(&if n < numbers { left(&cell, w) } else { right(&cell, w) });
        }
        cut(text.trim_end(), room)
    };
    let mut out = format!("  {}\n", style::faint(&draw(&heads.map(str::to_owned))));
    for row in rows {
        out.push_str(&format!("  {}\n", draw(row)));
    }
    out
}

/// The cells of the first rows of a sheet that hold something.
pub(crate) fn first_rows(book: &mut ExistingBook, sheet: usize, rows: usize) -> Result<Vec<SheetCell>> {
    let mut cells: Vec<SheetCell> = Vec::new();
    let mut seen = 0;
    book.read_cells(sheet, (1, u32::MAX), |cell| {
        if cells.last().is_none_or(|last| last.at.row != cell.at.row) {
            seen += 1;
        }
        let wanted = seen <= rows;
        if wanted {
            cells.push(cell);
        }
        wanted
    })?;
    Ok(cells)
}

/// A cell of a page.
struct Shown {
    row: u32,
    text: String,
    is_number: bool,
}

/// The first rows of a sheet, as they are shown there.
pub(crate) fn rows_page(book: &str, sheet: &str, cells: &[SheetCell]) -> String {
    let mut out = format!("{}   sheet {}\n\n", style::strong(&line(book)), line(sheet));
    let (Some(first), Some(last)) =
        (cells.iter().map(|c| c.at.column).min(), cells.iter().map(|c| c.at.column).max())
    else {
        out.push_str("  empty\n");
        return out;
    };
    let mut numbers: Vec<u32> = cells.iter().map(|c| c.at.row).collect();
    numbers.dedup();
    let label = numbers.last().map_or(1, |n| n.to_string().len());
    let room = terminal_columns().saturating_sub(label + 2);
    let text_of = |c: &SheetCell| match c.shown.as_str() {
        "" if c.has_formula => "\u{2039}formula\u{203a}".to_owned(),
        shown => line(shown),
    };
    let column_of = |column: u32| -> Vec<Shown> {
        let own = cells.iter().filter(|c| c.at.column == column);
        own.map(|c| Shown {
            row: c.at.row,
            text: text_of(c),
            is_number: matches!(c.value, CellValue::Number(_)),
        })
        .collect()
    };
    let columns: Vec<(u32, Vec<Shown>)> = (first..=last).map(|c| (c, column_of(c))).collect();
    let widths: Vec<usize> = columns
        .iter()
        .map(|(c, own)| {
            let longest = own.iter().map(|shown| width(&shown.text)).max().unwrap_or(0);
            longest.clamp(column_letters(*c).len(), 28)
        })
        .collect();
    let mut from = 0;
    while from < columns.len() {
        let mut to = from;
        let mut used = 0;
        while to < columns.len() && (to == from || used + widths[to] + 2 <= room) {
            used += widths[to] + 2;
            to += 1;
        }
        if from > 0 {
            out.push('\n');
        }
        let head: Vec<String> = (from..to).map(|n| left(&column_letters(columns[n].0), widths[n])).collect();
        let head = format!("  {}  {}", " ".repeat(label), head.join("  "));
        out.push_str(&format!("{}\n", style::faint(head.trim_end())));
        for number in &numbers {
            let row = (from..to).map(|n| {
                let Some(own) = columns[n].1.iter().find(|shown| shown.row == *number) else {
                    return " ".repeat(widths[n]);
                };
                let text = cut(&own.text, widths[n]);
                if own.is_number { right(&text, widths[n]) } else { left(&text, widths[n]) }
            });
            let row = row.collect::<Vec<_>>().join("  ");
            out.push_str(&format!(
                "  {}  {}\n",
                style::faint(&right(&number.to_string(), label)),
                row.trim_end()
            ));
        }
        from = to;
    }
    out
}

/// The same for programs.
#[derive(Serialize)]
pub(crate) struct RowsJson {
    book: String,
    sheet: String,
    cells: Vec<CellJson>,
}

#[derive(Serialize)]
struct CellJson {
    cell: String,
    kind: &'static str,
    value: String,
    format: String,
    shown: String,
    formula: bool,
}

/// The first rows of a sheet for programs.
pub(crate) fn rows_json(book: &str, sheet: &str, cells: &[SheetCell]) -> RowsJson {
    let cells = cells.iter().map(|c| {
        let (kind, value) = match &c.value {
            CellValue::Number(digits) => ("number", digits.clone()),
            CellValue::Text(text) => ("text", text.clone()),
            CellValue::Boolean(value) => ("boolean", value.to_string()),
            CellValue::Error(text) => ("error", text.clone()),
        };
        CellJson {
            cell: c.at.to_string(),
            kind,
            value,
            format: c.format.clone(),
            shown: c.shown.clone(),
            formula: c.has_formula,
        }
    });
    RowsJson { book: book.to_owned(), sheet: sheet.to_owned(), cells: cells.collect() }
}
