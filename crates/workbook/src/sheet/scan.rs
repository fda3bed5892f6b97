//! The rows of a sheet, read for what their cells hold: on all processors, with nothing allocated per cell.

use crate::error::{Error, Result};
use crate::existing::ExistingBook;
use crate::markup::TagKind;
use crate::markup::tags;
use crate::sheet::facts::existing;
use crate::sheet::raw::{CellKind, Cells, RawCell};
use crate::{CellRef, xml};
use std::borrow::Cow;

/// Bytes of rows read at a time.
const BLOCK: usize = 1 << 20;

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
    /// A formula: the element; and what stands behind it, the result.
    Formula(&'x [u8], &'x [u8]),
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

/// Who is told what rows hold.
pub trait Scanner: Send {
    /// Takes a row's number (from 1) and its cells in the columns that are wanted. A row without any of them is given too; one that
    /// is not in the sheet is not.
    fn row(&mut self, number: u32, cells: &[CellContent<'_>]);

    /// Takes the places of the cell formats of the same cells, before [`Self::row`] is told of them.
    #[inline]
    fn formats(&mut self, _formats: &[u32]) {}
}

impl Scanner for () {
    fn row(&mut self, _: u32, _: &[CellContent<'_>]) {}
}

/// The cells of a row that are wanted, gathered while the row is gone over.
pub(crate) struct Gathered<'x, 's> {
    scan: &'s Scan<'s>,
    cells: Vec<CellContent<'x>>,
    formats: Vec<u32>,
    place: usize,
    is_wanted: bool,
}

impl<'x, 's> Gathered<'x, 's> {
    pub(crate) fn new(scan: &'s Scan<'s>) -> Self {
        Self {
            scan,
            cells: vec![CellContent::Blank; scan.columns.len()],
            formats: vec![0; scan.columns.len()],
            place: 0,
            is_wanted: false,
        }
    }

    /// Begins a row.
    #[inline]
    pub(crate) fn begin(&mut self, number: u32) {
        self.is_wanted = (self.scan.from..=self.scan.to).contains(&number);
        self.place = 0;
        if self.is_wanted {
            self.cells.fill(CellContent::Blank);
            self.formats.fill(0);
        }
    }

    /// Takes a cell of the row; cells come from left to right.
    #[inline]
    pub(crate) fn cell(&mut self, cell: &RawCell<'x>) {
        if !self.is_wanted {
            return;
        }
        while self.scan.columns.get(self.place).is_some_and(|c| *c < cell.column) {
            self.place += 1;
        }
        if self.scan.columns.get(self.place) == Some(&cell.column) {
            self.cells[self.place] = content(cell);
            self.formats[self.place] = cell.style;
        }
    }

    /// Ends the row.
    #[inline]
    pub(crate) fn end(&self, number: u32, scanner: &mut impl Scanner) {
        if self.is_wanted {
            scanner.formats(&self.formats);
            scanner.row(number, &self.cells);
        }
    }
}

/// What a cell holds.
#[inline]
pub(crate) fn content<'x>(cell: &RawCell<'x>) -> CellContent<'x> {
    let inside = cell.inside;
    if inside.is_empty() {
        return CellContent::Blank;
    }
    match cell.kind {
        CellKind::Inline => {
            let open: &[u8] =
                if inside.starts_with(b"<is><t>") { b"<is><t>" } else { b"<is><t xml:space=\"preserve\">" };
            if let Some(text) = inside.strip_prefix(open).and_then(|t| t.strip_suffix(b"</t></is>")) {
                match memchr::memchr3(b'<', b'&', b'_', text) {
                    None => return CellContent::Text(Cow::Borrowed(text)),
                    Some(_) if memchr::memchr(b'<', text).is_none() => {
                        let mut out = Vec::with_capacity(text.len());
                        xml::unescape(&mut out, text);
                        return CellContent::Text(Cow::Owned(out));
                    }
                    Some(_) => {}
                }
            }
        }
        CellKind::Number | CellKind::Shared => {
            if let Some(text) = inside.strip_prefix(b"<v>").and_then(|t| t.strip_suffix(b"</v>"))
                && text.iter().all(|b| matches!(b, b'0'..=b'9' | b'.' | b'-' | b'+' | b'E' | b'e'))
            {
                if cell.kind == CellKind::Number {
                    return CellContent::Number(text);
                }
                if let Some(place) = std::str::from_utf8(text).ok().and_then(|t| t.parse().ok()) {
                    return CellContent::Shared(place);
                }
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
            (Some(open), Some(end)) => {
                CellContent::Formula(&cell.inside[open.start..end], &cell.inside[end..])
            }
            _ => CellContent::Formula(cell.inside, b""),
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

impl ExistingBook {
    /// Tells scanners what the rows of sheet `n` (from 0) hold, and reads what is behind them as well, so that damage anywhere in the
    /// sheet is found. Blocks of rows go to scanners that `start` makes, on several threads; `take` gets those, in order.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if the sheet cannot be read, or its checksum is wrong.
    pub fn scan<S: Scanner>(
        &mut self,
        n: usize,
        scan: &Scan<'_>,
        start: impl Fn() -> S + Sync,
        mut take: impl FnMut(S),
    ) -> Result<()> {
        let place = self.sheet_place(n)?;
        let mut source = self.sheet_source(place)?;
        source.head(self.zip())?;
        incola_parallel::ordered(
            || source.rows(self.zip(), u32::MAX, BLOCK),
            || (),
            |(), rows| {
                let (mut scanner, mut gathered) = (start(), Gathered::new(scan));
                for (number, row) in rows.rows() {
                    gathered.begin(number);
                    Cells::of(&row).for_each(|cell| gathered.cell(&cell));
                    gathered.end(number, &mut scanner);
                }
                scanner
            },
            |scanner| {
                take(scanner);
                Ok::<(), Error>(())
            },
        )?;
        source.tail(self.zip())?;
        Ok(())
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
