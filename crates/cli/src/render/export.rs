//! What an export wrote, for people and for programs.

use super::sanitize::line;
use super::style;
use super::text::{counted, grouped};
use crate::commands::export::{Compared, Receipt};
use incola_core::layout::{delimiter_word, names_total};
use incola_core::record::Quotes;
use incola_engine::export::{Lost, LostCell, TotalChange};
use serde_json::json;

/// Cells that are listed.
const LISTED: usize = 12;

/// The page.
pub(crate) fn page(receipt: &Receipt<'_>) -> String {
    let Receipt { exported, form, .. } = receipt;
    let mut out = match (receipt.to, &receipt.compared) {
        (Some(to), _) => {
            let to = line(&to.display().to_string());
            format!("{}   written, {}\n\n", style::strong(&to), counted(exported.bytes, "byte", "bytes"))
        }
        _ => format!(
            "{}   compared with its source, nothing was written\n\n",
            style::strong(&line(receipt.link))
        ),
    };
    let mut row = |name: &str, text: String| out.push_str(&format!("  {name:<9}  {text}\n"));
    row(
        "from",
        format!(
            "{}, sheet {}{}",
            line(&receipt.book.display().to_string()),
            line(receipt.sheet),
            if receipt.link.is_empty() { String::new() } else { format!(", link {}", line(receipt.link)) }
        ),
    );
    row("form", words_of(form));
    let empty = match exported.empty_rows {
        0 => String::new(),
        n => format!("; {} left out", counted(n, "empty row is", "empty rows are")),
    };
    row("records", format!("{}{empty}", grouped(exported.records)));
    for total in &exported.totals {
        let TotalChange { column, from, to } = total;
        row(
            "total",
            format!(
                "{} below the records, computed again: {} \u{2192} {}",
                line(column),
                line(from),
                line(to)
            ),
        );
    }
    if exported.totals.is_empty() && form.text.after.lines().any(|line| names_total(&first_words(line))) {
        row("total", "the one below the records is written as it was".into());
    }
    if exported.lines_gone > 0 {
        row(
            "gone",
            format!(
                "{} among the records of the source: not written again",
                counted(exported.lines_gone, "line that was", "lines that were")
            ),
        );
    }
    match &receipt.compared {
        Some(Compared::Same) => row("source", "the same, byte for byte".into()),
        Some(Compared::Differs { line: at, byte, source, export }) => {
            row("source", format!("differs, first in line {} (byte {})", grouped(*at), grouped(*byte)));
            row("", format!("the source has   {}", line(source)));
            row("", format!("export writes    {}", line(export)));
        }
        None => {}
    }
    if exported.lost > 0 || !exported.left_out.is_empty() {
        out.push('\n');
        out.push_str(&format!(
            "  {}  {}\n",
            style::alert("look"),
            losses(receipt).replace('\n', "\n        ")
        ));
    }
    out
}

/// The words that a line begins with.
fn first_words(line: &str) -> String {
    let line = line.trim_start_matches(|c: char| !c.is_alphanumeric());
    let words: String = line.chars().take_while(|c| c.is_alphabetic() || matches!(c, ' ' | '-')).collect();
    words.trim_end().to_owned()
}

/// How a source is written, in words.
fn words_of(form: &incola_engine::export::SourceForm) -> String {
    let text = &form.text;
    let end = match text.line_end.as_str() {
        "\r\n" => "crlf",
        "\r" => "cr",
        _ => "lf",
    };
    let mark = if text.byte_order_mark { " with a byte order mark" } else { "" };
    let layout = match &text.delimiter {
        Some(delimiter) if delimiter.is_empty() => "one field a line".to_owned(),
        Some(delimiter) => {
            let always = text.fields.iter().filter(|field| field.quotes != Quotes::Needed).count();
            let quotes = match (text.quote, always) {
                (None, _) => "no quotes",
                (_, 0) => "quotes where they are needed",
                (_, n) if n == text.fields.len() => "quotes around all values",
                _ => "quotes around the values of some columns",
            };
            format!("{}, {quotes}", delimiter_word(delimiter.as_bytes()))
        }
        None if text.parts.iter().any(|part| part.label.is_some()) => "a label before each value".to_owned(),
        None if !text.parts.is_empty() => format!("records of {} lines", text.parts.len()),
        None => "fields at fixed places".to_owned(),
    };
    format!("{}{mark}, line ends {end}, {layout}", text.encoding)
}

/// What the text does not hold as the sheet does.
pub(crate) fn losses(receipt: &Receipt<'_>) -> String {
    let exported = receipt.exported;
    let mut out = Vec::new();
    if !exported.left_out.is_empty() {
        let names: Vec<String> = exported.left_out.iter().take(LISTED).map(|name| line(name)).collect();
        out.push(format!(
            "columns of the source that are not in the sheet, their fields are empty: {}",
            names.join(", ")
        ));
    }
    if exported.lost > 0 {
        let cells = counted(exported.lost, "cell cannot", "cells cannot");
        out.push(format!(
            "{cells} be written as {} in the sheet:",
            if exported.lost == 1 { "it is" } else { "they are" }
        ));
        out.extend(
            exported
                .cells
                .iter()
                .take(LISTED)
                .map(|cell| format!("  {} \u{201c}{}\u{201d}: {}", cell.at, line(&cell.heading), why(cell))),
        );
        if exported.lost > LISTED as u64 {
            out.push(format!("  and {} more", grouped(exported.lost - LISTED as u64)));
        }
    }
    let of = if receipt.link.is_empty() { receipt.sheet } else { receipt.link };
    format!("{}: {}", line(of), out.join("\n"))
}

fn why(cell: &LostCell) -> String {
    match cell.why {
        Lost::Formula => "a formula: only what it computed last can be written".into(),
        Lost::Error => "an error value".into(),
        Lost::Lacks(c) => format!("the encoding lacks \u{201c}{c}\u{201d} (U+{:04X})", c as u32),
        Lost::EndsRecord => "it leaves a line empty, which would end the record there".into(),
        Lost::Divides => "it holds what divides fields or lines, and the layout has no quotes".into(),
        Lost::TooLong { length, room } => format!("{length} characters, and its field has room for {room}"),
    }
}

/// The same for programs.
pub(crate) fn json(receipt: &Receipt<'_>) -> String {
    let exported = receipt.exported;
    let cells: Vec<_> = exported
        .cells
        .iter()
        .map(|cell| json!({ "cell": cell.at.to_string(), "column": cell.heading, "why": why(cell) }))
        .collect();
    let totals: Vec<_> = (exported.totals.iter())
        .map(|total| json!({ "column": total.column, "from": total.from, "to": total.to }))
        .collect();
    let compared = receipt.compared.as_ref().map(|compared| match compared {
        Compared::Same => json!({ "same": true }),
        Compared::Differs { line, byte, source, export } => {
            json!({ "same": false, "line": line, "byte": byte, "source": source, "export": export })
        }
    });
    let value = json!({
        "book": receipt.book.display().to_string(),
        "sheet": receipt.sheet,
        "link": (!receipt.link.is_empty()).then_some(receipt.link),
        "to": receipt.to.map(|to| to.display().to_string()),
        "records": exported.records,
        "empty_rows": exported.empty_rows,
        "bytes": exported.bytes,
        "lines_not_written_again": exported.lines_gone,
        "lost": exported.lost,
        "lost_cells": cells,
        "columns_left_out": exported.left_out,
        "totals_computed_again": totals,
        "source": compared,
    });
    format!("{value:#}\n")
}
