//! The engine over bytes in memory: no file is touched.
#![allow(clippy::unwrap_used, reason = "a test ends where something is not as it must be")]

mod carry;
mod check;
mod doubts;
mod fuzzed;
mod places;
mod refresh;
mod reports;
mod round_trip;
mod shape;
mod stops;
mod tally;
#[allow(unreachable_pub, reason = "in the fuzzer's own crate they are reached")]
mod targets;

use incola_core::reading::Choices;
use incola_engine::feed::{Feed, InMemory};
use incola_engine::import::{NewSheet, Written};
use incola_engine::text::{BlockSize, Surveyed, survey::survey_in_blocks};
use incola_workbook::{BookWriter, ExistingBook, Styles};
use std::io::Cursor;

/// Blocks so small that every file has several.
const SMALL: BlockSize = BlockSize { bytes: 64, window: 64 };

/// Surveys text in small blocks.
fn surveyed(text: &[u8], choices: &Choices) -> incola_engine::stop::Result<Surveyed> {
    survey_in_blocks(&InMemory::new("calls.csv", text), choices, None, SMALL)
}

/// Imports text into a new workbook.
fn imported(text: &[u8], surveyed: &Surveyed, is_linked: bool) -> (Vec<u8>, Written) {
    let (feed, columns) = (InMemory::new("calls.csv", text), &surveyed.reading.columns);
    let (mut book, mut styles) = (BookWriter::new(Cursor::new(Vec::new())), Styles::new());
    let sheet = NewSheet { is_linked, ..NewSheet::of("calls", columns) };
    let sources = [(&feed as &dyn Feed, surveyed)];
    let written = sheet.write(&sources, columns, (&mut book, &mut styles, false), |_, _| Ok(())).unwrap();
    (book.finish(&styles, "calls", "2031-03-04T05:06:07Z").unwrap().into_inner(), written)
}

fn opened(bytes: &[u8]) -> ExistingBook {
    ExistingBook::open(Box::new(Cursor::new(bytes.to_vec()))).unwrap()
}

/// The rows of the first sheet, as text.
fn rows(bytes: &[u8]) -> Vec<Vec<String>> {
    let mut rows: Vec<Vec<String>> = Vec::new();
    for cell in opened(bytes).cells(0, 1, u32::MAX, usize::MAX).unwrap() {
        let (row, column) = (cell.at.row as usize, cell.at.column as usize);
        rows.resize(rows.len().max(row), Vec::new());
        let own = &mut rows[row - 1];
        own.resize(own.len().max(column), String::new());
        own[column - 1] = cell.text;
    }
    rows
}
