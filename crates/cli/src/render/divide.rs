//! A column that was divided, for people and for programs.

use super::command::quoted;
use super::sanitize::line;
use super::style;
use super::text::{cut, left, width};
use crate::receipt::Receipt;
use incola_core::words::counted;
use incola_engine::divide::{Column, Parts};
use serde_json::json;

/// Characters of a value that are shown.
const VALUE_CHARS: usize = 40;

/// What was done.
pub(crate) struct Divided<'d> {
    /// The sheet.
    pub(crate) sheet: &'d str,
    /// The column, and what became of it.
    pub(crate) column: &'d Column,
    pub(crate) parts: &'d Parts,
    /// What was written.
    pub(crate) receipt: &'d Receipt,
    /// Whether nothing was.
    pub(crate) is_dry_run: bool,
}

impl Divided<'_> {
    /// The cells of the new columns.
    fn cells(&self) -> String {
        self.receipt.sheets.first().and_then(|sheet| sheet.placed.clone()).unwrap_or_default()
    }
}

/// A value as it is shown.
pub(crate) fn value(text: &str) -> String {
    cut(&line(text), VALUE_CHARS)
}

/// The page, with so many rows.
pub(crate) fn page(divided: &Divided<'_>, rows: usize) -> String {
    let Divided { sheet, column, parts, receipt, is_dry_run } = divided;
    let mut out = preview(column, parts, rows);
    out.push_str(&format!(
        "\n{}   {} {} of {} in {}, {}\n",
        line(&receipt.book),
        if *is_dry_run { "would get" } else { "has" },
        counted(parts.names.len() as u64, "new column", "new columns"),
        counted(parts.rows.len() as u64, "row", "rows"),
        line(sheet),
        divided.cells()
    ));
    for own in receipt.sheets.iter().flat_map(|sheet| &sheet.columns) {
        out.push_str(&format!("  {}  {}\n", line(&own.name), own.kind.word()));
    }
    if let Some(first) = parts.odd.first() {
        let count = counted(parts.odd.len() as u64, "value has", "values have");
        out.push_str(&format!(
            "\n  look  row {first}: {count} other parts than the rest; what is left over is in the last part\n"
        ));
    }
    if !is_dry_run {
        out.push_str(&format!("\nTo take it back:\n  incola undo {}\n", quoted(&receipt.book)));
    }
    out
}

/// The first rows: values, and what becomes of them.
fn preview(column: &Column, parts: &Parts, rows: usize) -> String {
    let row = |first: &String, others: &[String]| -> Vec<String> {
        std::iter::once(first).chain(others).map(|text| value(text)).collect()
    };
    let mut grid = vec![row(&column.name, &parts.names)];
    grid.extend(column.values.iter().zip(&parts.rows).take(rows).map(|(value, parts)| row(value, parts)));
    let widest = |n: usize| grid.iter().map(|row| width(&row[n])).max().unwrap_or(0);
    let widths: Vec<usize> = (0..=parts.names.len()).map(widest).collect();
    let mut out = String::new();
    for (n, row) in grid.iter().enumerate() {
        let cells: Vec<String> = row.iter().zip(&widths).map(|(cell, width)| left(cell, *width)).collect();
        let text = format!("  {}  \u{2192}  {}", cells[0], cells[1..].join("  "));
        let text = text.trim_end();
        out.push_str(&if n == 0 { style::strong(text) } else { text.to_owned() });
        out.push('\n');
    }
    if parts.rows.len() > rows {
        let more = counted((parts.rows.len() - rows) as u64, "row", "rows");
        out.push_str(&format!("  \u{2026} {more} more\n"));
    }
    out
}

/// The same for programs.
pub(crate) fn json(divided: &Divided<'_>) -> serde_json::Value {
    let Divided { sheet, column, parts, receipt, is_dry_run } = divided;
    let columns = receipt.sheets.iter().flat_map(|sheet| &sheet.columns);
    json!({
        "book": receipt.book,
        "sheet": sheet,
        "column": column.name,
        "cells": divided.cells(),
        "rows": parts.rows.len(),
        "columns": columns.map(|own| json!({ "name": own.name, "kind": own.kind.word() })).collect::<Vec<_>>(),
        "other_parts_in_rows": parts.odd,
        "dry_run": is_dry_run,
    })
}
