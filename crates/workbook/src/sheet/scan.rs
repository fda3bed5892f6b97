//! The rows of a sheet, read for what their cells hold: on all processors, with nothing allocated per cell.

use crate::error::Result;
use crate::existing::ExistingBook;
use crate::markup::TagKind;
use crate::markup::tags;
use crate::pipeline;
use crate::sheet::facts::existing;
use crate::sheet::raw::{CellKind, Cells, RawCell};
use crate::sheet::source::RowBytes;
use crate::{CellRef, xml};
use std::borrow::Cow;

/// Bytes of rows read at a time.
const BLOCK: usize = 512 * 1024;

/// What a cell holds, as far as the sheet's part says.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum CellContent<'x> {
    /// Nothing.
    #[default]
    Blank,
    /// A number as it is spelled; dates are numbers too.
    Number(&'x [u8]),
    /// Text.
    Text(Cow<'x, [u8]>),
    /// Text: its place in the table of strings, from 0.
    Shared(usize),
    /// True or false.
    Boolean(bool),
    /// An error, such as `#N/A`.
    Error(Cow<'x, [u8]>),
    /// A formula: the element, and all that stands in the cell besides.
    Formula(&'x [u8]),
}

/// Which cells are looked at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scan<'c> {
    /// Columns, from 1 and in rising order.
    pub columns: &'c [u32],
    /// The first row.
    pub from: u32,
    /// The last one.
    pub to: u32,
}

/// Rows one behind the other.
#[derive(Debug)]
pub struct ScannedRows<'c> {
    rows: RowBytes,
    scan: Scan<'c>,
}

impl<'c> ScannedRows<'c> {
    pub(crate) fn of(rows: RowBytes, scan: &Scan<'c>) -> Self {
        Self { rows, scan: scan.clone() }
    }
}

impl ScannedRows<'_> {
    /// Gives each row's number (from 1) and its cells in the columns that are wanted. A row without any of them is given too; one
    /// that is not in the sheet is not.
    pub fn each(&self, mut take: impl FnMut(u32, &[CellContent<'_>])) {
        let mut cells: Vec<CellContent<'_>> = Vec::with_capacity(self.scan.columns.len());
        for (number, row) in self.rows.rows() {
            if !(self.scan.from..=self.scan.to).contains(&number) {
                continue;
            }
            cells.clear();
            cells.resize(self.scan.columns.len(), CellContent::Blank);
            let mut place = 0;
            for cell in Cells::of(&row) {
                while self.scan.columns.get(place).is_some_and(|c| *c < cell.column) {
                    place += 1;
                }
                if self.scan.columns.get(place) == Some(&cell.column) {
                    cells[place] = content(&cell);
                }
            }
            take(number, &cells);
        }
    }
}

/// What a cell holds.
#[inline]
fn content<'x>(cell: &RawCell<'x>) -> CellContent<'x> {
    let inside = cell.inside;
    if inside.is_empty() {
        return CellContent::Blank;
    }
    let between = |open: &[u8], close: &[u8]| {
        let text = inside.strip_prefix(open)?.strip_suffix(close)?;
        (memchr::memchr(b'<', text).is_none()).then_some(text)
    };
    match cell.kind {
        CellKind::Inline => {
            let plain = between(b"<is><t>", b"</t></is>");
            if let Some(text) = plain.or_else(|| between(b"<is><t xml:space=\"preserve\">", b"</t></is>")) {
                return CellContent::Text(unescaped(text));
            }
        }
        CellKind::Number => {
            if let Some(text) = between(b"<v>", b"</v>") {
                return CellContent::Number(text.trim_ascii());
            }
        }
        CellKind::Shared => {
            if let Some(n) =
                between(b"<v>", b"</v>").and_then(|t| std::str::from_utf8(t.trim_ascii()).ok()?.parse().ok())
            {
                return CellContent::Shared(n);
            }
        }
        _ => {}
    }
    content_otherwise(cell)
}

/// The same for what is spelled otherwise.
#[cold]
fn content_otherwise<'x>(cell: &RawCell<'x>) -> CellContent<'x> {
    if cell.has_formula() {
        // Without the result, which is no one's entry.
        let all = tags("", cell.inside).unwrap_or_default();
        let open = all.iter().find(|t| t.opens("f"));
        let end = open.and_then(|open| match open.kind {
            TagKind::Empty => Some(open.end),
            _ => all.iter().find(|t| t.start > open.start && t.closes("f")).map(|t| t.end),
        });
        return match (open, end) {
            (Some(open), Some(end)) => CellContent::Formula(&cell.inside[open.start..end]),
            _ => CellContent::Formula(cell.inside),
        };
    }
    let read = existing(cell, CellRef { row: 1, column: 1 });
    if read.text.is_empty() {
        return CellContent::Blank;
    }
    match cell.kind {
        CellKind::Shared => read.shared.map_or(CellContent::Blank, CellContent::Shared),
        CellKind::Boolean => CellContent::Boolean(matches!(read.text.trim(), "1" | "true")),
        CellKind::Error => CellContent::Error(Cow::Owned(read.text.into_bytes())),
        CellKind::Number => value_of(cell).map_or(CellContent::Blank, CellContent::Number),
        _ => CellContent::Text(Cow::Owned(read.text.into_bytes())),
    }
}

/// The bytes of a cell's value.
fn value_of<'x>(cell: &RawCell<'x>) -> Option<&'x [u8]> {
    let all = tags("", cell.inside).ok()?;
    let at = all.iter().position(|t| t.opens("v"))?;
    Some(cell.inside[all[at].end..all.get(at + 1)?.start].trim_ascii())
}

fn unescaped(text: &[u8]) -> Cow<'_, [u8]> {
    if memchr::memchr2(b'&', b'_', text).is_none() {
        return Cow::Borrowed(text);
    }
    let mut out = Vec::with_capacity(text.len());
    xml::unescape(&mut out, text);
    Cow::Owned(out)
}

impl ExistingBook {
    /// Goes over rows of sheet `n` (from 0): `work` on blocks of them on several threads, `take` on what it made, in order.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if the part cannot be read, and what `take` gives.
    pub fn scan_rows<T: Send, E: From<crate::Error>>(
        &mut self,
        n: usize,
        scan: &Scan<'_>,
        work: impl Fn(&ScannedRows<'_>) -> T + Sync,
        take: impl FnMut(T) -> std::result::Result<(), E>,
    ) -> std::result::Result<(), E> {
        let place = self.sheet_place(n)?;
        let mut source = self.sheet_source(place)?;
        source.head(self.zip())?;
        let zip = self.zip();
        pipeline::ordered(
            || {
                let rows = source.rows(zip, u32::MAX, BLOCK)?;
                Ok(rows.filter(|rows| rows.after < scan.to))
            },
            || (),
            |(), rows| work(&ScannedRows::of(rows, scan)),
            take,
        )
    }

    /// Gives every text of the table of strings, in order.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if it cannot be read.
    pub fn shared_strings(&mut self, mut take: impl FnMut(&str)) -> Result<()> {
        self.each_string(|_, text| {
            take(text);
            true
        })
    }
}
