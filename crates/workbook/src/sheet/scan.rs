//! The rows of a sheet, read for what their cells hold: on all processors, with nothing allocated per cell.

use crate::error::{Error, Result};
use crate::existing::ExistingBook;
use crate::markup::TagKind;
use crate::markup::tags;
use crate::package::blocks::{PackedBlocks, Unpacker};
use crate::sheet::alike::Alike;
use crate::sheet::raw::{CellKind, Cells, NextRow, RawCell, row_at};
use crate::sheet::told::existing;
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

    /// Takes what a cell holds and its format, by the place of its column among those that are wanted.
    #[inline]
    pub(crate) fn put(&mut self, place: usize, format: u32, content: CellContent<'x>) {
        if self.is_wanted {
            self.cells[place] = content;
            self.formats[place] = format;
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

/// A part of a sheet.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Part {
    /// What stands before its rows.
    #[default]
    Before,
    Rows,
    /// What stands behind them.
    Behind,
}

/// What a block of a sheet holds of its rows.
struct BlockRows {
    /// The parts in which it begins, if its first bytes say so, and ends.
    from: Option<Part>,
    to: Option<Part>,
    /// The first row and the last one; 0: there are none.
    rows: (u32, u32),
}

impl BlockRows {
    /// Tells a scanner of the rows in a block that is cut where rows begin and end. `None`: it is no such block, or rows do not say
    /// their numbers.
    fn told(raw: &[u8], scan: &Scan<'_>, scanner: &mut impl Scanner) -> Option<Self> {
        const OPEN: &[u8] = b"<sheetData>";
        const CLOSE: &[u8] = b"</sheetData>";
        let (from, mut at) = if raw.starts_with(b"<row ") {
            (Some(Part::Rows), 0)
        } else if let Some(open) = memchr::memmem::find(raw, OPEN) {
            (Some(Part::Before), open + OPEN.len())
        } else {
            let to = raw.starts_with(CLOSE).then_some(Part::Behind);
            return Some(Self { from: to.map(|_| Part::Rows), to, rows: (0, 0) });
        };
        let mut known = None;
        let mut is_plain = || *known.get_or_insert_with(|| memchr::memmem::find(raw, b"<!").is_none());
        let (mut gathered, mut alike) = (Gathered::new(scan), Alike::new(scan));
        let (mut first, mut last) = (0, 0);
        loop {
            let compared = alike.row(raw, at, last, &mut gathered, &mut is_plain);
            let (number, end) = if let Some(read) = compared {
                (read.number, read.end)
            } else {
                let NextRow::Row(row) = row_at(raw, at, is_plain()) else { break };
                let number = row.number.filter(|number| *number > last)?;
                gathered.begin(number);
                Cells::of(&row).for_each(|cell| gathered.cell(&cell));
                (number, row.span.1)
            };
            gathered.end(number, scanner);
            (at, last) = (end, number);
            first = if first == 0 { number } else { first };
        }
        let to = match &raw[at..] {
            [] => Part::Rows,
            rest if rest.starts_with(CLOSE) => Part::Behind,
            _ => return None,
        };
        Some(Self { from, to: Some(to), rows: (first, last) })
    }
}

/// Where the blocks of a sheet have come to.
#[derive(Clone, Copy, Debug, Default)]
struct BlockOrder {
    part: Part,
    /// The last row.
    row: u32,
}

impl BlockOrder {
    /// The same after one more block; `None`: it does not go on there.
    fn with(self, block: &BlockRows) -> Option<Self> {
        // A block without rows may stand before or behind them, not among them.
        let from = block.from.unwrap_or(if self.part == Part::Rows { Part::Behind } else { self.part });
        let (first, last) = block.rows;
        let goes_on = from == self.part && (last == 0 || first > self.row);
        goes_on.then_some(Self { part: block.to.unwrap_or(self.part), row: self.row.max(last) })
    }
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

    /// Scanners that were told of all rows of sheet `n` (from 0), in order. A sheet in blocks that know nothing of each other, as this
    /// crate writes them, is inflated by all threads.
    ///
    /// # Errors
    /// As [`scan`](Self::scan).
    pub fn scanned<S: Scanner>(
        &mut self,
        n: usize,
        scan: &Scan<'_>,
        start: impl Fn() -> S + Sync,
    ) -> Result<Vec<S>> {
        if let Some(all) = self.scanned_in_blocks(n, scan, &start)? {
            return Ok(all);
        }
        let mut all = Vec::new();
        self.scan(n, scan, start, |scanner| all.push(scanner))?;
        Ok(all)
    }

    /// The same of a sheet in blocks; `None`: it is not so, or is damaged.
    fn scanned_in_blocks<S: Scanner>(
        &mut self,
        n: usize,
        scan: &Scan<'_>,
        start: impl Fn() -> S + Sync,
    ) -> Result<Option<Vec<S>>> {
        let place = self.sheet_place(n)?;
        let Some(mut blocks) = PackedBlocks::of(self.zip(), place)? else { return Ok(None) };
        let (mut crc, mut raw_bytes, mut all) = (crc32fast::Hasher::new(), 0, Vec::new());
        let (mut order, mut has_ended) = (Some(BlockOrder::default()), false);
        incola_parallel::ordered(
            || blocks.next(self.zip()),
            Unpacker::default,
            |unpacker, block| {
                let (raw, is_end) = unpacker.unpacked(&block)?;
                let mut crc = crc32fast::Hasher::new();
                crc.update(raw);
                let mut scanner = start();
                let rows = BlockRows::told(raw, scan, &mut scanner)?;
                Some((scanner, crc, raw.len() as u64, rows, is_end))
            },
            |block| {
                order = order.take().zip(block).and_then(|(order, (scanner, own, bytes, rows, is_end))| {
                    // Nothing follows what says that it is the last.
                    let goes_on = !has_ended;
                    has_ended = is_end;
                    crc.combine(&own);
                    raw_bytes += bytes;
                    all.push(scanner);
                    order.with(&rows).filter(|_| goes_on)
                });
                Ok::<(), Error>(())
            },
        )?;
        let entry = &self.zip().entries()[place];
        let is_whole = (entry.checksum(), entry.raw_bytes()) == (crc.finalize(), raw_bytes);
        let is_so = is_whole
            && has_ended
            && !blocks.is_too_long()
            && order.is_some_and(|order| order.part == Part::Behind);
        Ok(is_so.then_some(all))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::deflate::Compressor;
    use crate::package::rewrite::with_part_changed;
    use crate::sheet::{RowEncoder, SheetColumn, SheetLayout};
    use crate::{BookWriter, StyleId, Styles};
    use std::io::Cursor;

    /// What another program does to a part.
    type Change = fn(String) -> String;

    /// Keeps what it is told.
    #[derive(Default)]
    struct Kept(Vec<String>);

    impl Scanner for Kept {
        fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
            self.0.push(format!("{number} {cells:?}"));
        }
    }

    /// A sheet of several blocks.
    fn book() -> Vec<u8> {
        let name = |n: u32| format!("c{n}");
        let column = |n| SheetColumn {
            name: name(n),
            longest: 5,
            style: StyleId::default(),
            is_text: false,
            description: None,
        };
        let layout = SheetLayout {
            name: "calls".into(),
            columns: (0..2).map(column).collect(),
            rows: 900,
            header: true,
            table: None,
            totals: Vec::new(),
        };
        let mut book = BookWriter::new(Cursor::new(Vec::new()));
        book.begin_sheet(layout, &Styles::new()).unwrap();
        let mut compressor = Compressor::new();
        for block in 0..3 {
            let mut rows = RowEncoder::new(1, 2);
            for row in 0..300 {
                rows.begin_row(2 + block * 300 + row);
                rows.text(0, StyleId::default(), format!("call {block} {row}").as_bytes());
                rows.number(1, StyleId::default(), |out| out.extend_from_slice(row.to_string().as_bytes()));
                rows.end_row();
            }
            book.block(&rows.compress(&mut compressor)).unwrap();
        }
        book.end_sheet().unwrap();
        book.finish(&Styles::new(), "calls", "2031-03-04T05:06:07Z").unwrap().into_inner()
    }

    fn opened(bytes: &[u8]) -> ExistingBook {
        ExistingBook::open(Box::new(Cursor::new(bytes.to_vec()))).unwrap()
    }

    #[test]
    fn blocks_are_scanned_as_the_whole_sheet_is() {
        let scan = Scan { columns: &[1, 2], from: 5, to: 850 };
        let told = |all: Vec<Kept>| all.into_iter().flat_map(|kept| kept.0).collect::<Vec<_>>();
        let whole = |bytes: &[u8]| {
            let mut all = Vec::new();
            opened(bytes).scan(0, &scan, Kept::default, |kept| all.push(kept)).unwrap();
            told(all)
        };
        let bytes = book();
        let blocks = opened(&bytes).scanned_in_blocks(0, &scan, Kept::default).unwrap().map(told);
        assert_eq!((whole(&bytes).len(), blocks), (846, Some(whole(&bytes))));
        // What is not cut where rows are, or says no numbers, is read from its begin.
        let changes: [Change; 4] = [
            |xml| xml.replace("<row r=\"300\">", "<row>"),
            |xml| xml.replace("<row r=\"302\">", "\n<row r=\"302\">"),
            |xml| xml.replace("<sheetData>", "<sheetData >"),
            |xml| xml.replace("</sheetData>", "\n</sheetData>"),
        ];
        for change in changes {
            let input = Box::new(Cursor::new(bytes.clone()));
            let changed = |xml: Vec<u8>| change(String::from_utf8(xml).unwrap()).into_bytes();
            let part = "xl/worksheets/sheet1.xml";
            let other =
                with_part_changed(input, part, Cursor::new(Vec::new()), changed).unwrap().into_inner();
            assert_eq!(told(opened(&other).scanned(0, &scan, Kept::default).unwrap()), whole(&bytes));
        }
    }

    #[test]
    fn blocks_stand_in_one_order_only() {
        let block = |text: &str| {
            let scan = Scan { columns: &[1], from: 1, to: 99 };
            BlockRows::told(text.as_bytes(), &scan, &mut ())
        };
        let goes = |texts: &[&str]| {
            let order = texts.iter().try_fold(BlockOrder::default(), |order, text| order.with(&block(text)?));
            order.is_some_and(|order| order.part == Part::Behind)
        };
        let (head, one, two, tail) =
            ("<x><sheetData><row r=\"1\"/>", "<row r=\"2\"/>", "<row r=\"3\"/>", "</sheetData></x>");
        for texts in [
            &[head, one, two, tail][..],
            &["<x>", "<sheetData>", one, tail, "more"],
            &["<x><sheetData></sheetData></x>"],
            &[head, "<row r=\"2\"/></sheetData>", "</x>"],
        ] {
            assert!(goes(texts), "{texts:?}");
        }
        for texts in [
            &[head, two, one, tail][..],
            &[head, one, two],
            &[one, two, tail],
            &[head, "<c r=\"A2\"/></row>", tail],
            &[head, "<row r=\"2\"><c r=", tail],
            &[head, tail, one],
            &[head, "<row/>", tail],
            &[head, tail, head],
        ] {
            assert!(!goes(texts), "{texts:?}");
        }
    }
}
