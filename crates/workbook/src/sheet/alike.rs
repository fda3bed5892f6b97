//! Rows that are spelled as those above them, but for their number and what their cells hold: they are read by comparing.
//!
//! A cell as this crate and many others write it is mark-up that comes back in every row, the row's number in it, and a value. What the
//! mark-up was in the rows before is remembered by column; where the same bytes stand again, nothing of it has to be understood anew.
//! Whatever else stands there is read as any other cell or row is.

use crate::limits;
use crate::reference::column_letters;
use crate::sheet::raw::{CellKind, RawCell, usual_cell};
use crate::sheet::scan::{CellContent, Gathered, Scan, content};

/// What a row begins with, up to its number and behind it, and ends with.
const ROW: &[u8] = b"<row r=\"";
const ROW_OPEN: &[u8] = b"\">";
const ROW_END: &[u8] = b"</row>";
/// What stands around a value and around a text.
const VALUE: &[u8] = b"><v>";
const VALUE_END: &[u8] = b"</v></c>";
const TEXT: &[u8] = b"><is><t>";
const TEXT_END: &[u8] = b"</t></is></c>";
/// How many cells that a row does not have are passed over before a cell is read otherwise.
const FEW: usize = 8;

/// The mark-up before a cell's value.
#[derive(Clone, Copy, Debug)]
struct MarkUp {
    /// From where to where it stands, and where the row's number is in it.
    from: usize,
    number: usize,
    to: usize,
    column: u32,
    style: u32,
    kind: CellKind,
    /// The place of the column among those that are wanted.
    place: Option<usize>,
}

/// What rows looked like, by column.
#[derive(Debug)]
pub(crate) struct Alike<'s> {
    scan: &'s Scan<'s>,
    /// The mark-up of all cells, one behind the other, with the number of the row.
    bytes: Vec<u8>,
    cells: Vec<MarkUp>,
    /// How the number of the row is spelled.
    number: Vec<u8>,
}

/// A row that was read by comparing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Read {
    /// Its number, from 1.
    pub(crate) number: u32,
    /// The byte behind it.
    pub(crate) end: usize,
}

impl<'s> Alike<'s> {
    pub(crate) fn new(scan: &'s Scan<'s>) -> Self {
        Self { scan, bytes: Vec::new(), cells: Vec::new(), number: Vec::new() }
    }

    /// Reads the row at byte `at`, if it is the one behind row `above`. `None`: it is to be read otherwise; what was gathered of it is
    /// to be forgotten. `is_plain` says whether there are neither comments nor character data.
    pub(crate) fn row<'x>(
        &mut self,
        xml: &'x [u8],
        at: usize,
        above: u32,
        gathered: &mut Gathered<'x, '_>,
        is_plain: &mut impl FnMut() -> bool,
    ) -> Option<Read> {
        let number = above + 1;
        if number > limits::ROWS {
            return None;
        }
        self.turn_to(number);
        let mut at = behind(xml, at, ROW)?;
        at = behind(xml, at, &self.number)?;
        at = behind(xml, at, ROW_OPEN)?;
        gathered.begin(number);
        let mut next = 0;
        loop {
            let expected = self.cells[next.min(self.cells.len())..].iter().take(FEW);
            let is_next = |cell: &MarkUp| starts_at(xml, at, &self.bytes[cell.from..cell.to]);
            if let Some((passed, cell)) = expected.enumerate().find(|(_, cell)| is_next(cell)) {
                let start = at + cell.to - cell.from;
                if let Some((value, end, is_usual)) = value(xml, start, cell.kind) {
                    let raw = RawCell {
                        column: cell.column,
                        style: cell.style,
                        kind: cell.kind,
                        whole: &xml[at..end],
                        inside: &xml[start - inner(cell.kind)..end - b"</c>".len()],
                    };
                    if let Some(place) = cell.place {
                        gathered.put(
                            place,
                            cell.style,
                            if is_usual { plain(cell.kind, value) } else { content(&raw) },
                        );
                    }
                    (at, next) = (end, next + passed + 1);
                    continue;
                }
            }
            if let Some(end) = behind(xml, at, ROW_END) {
                return Some(Read { number, end });
            }
            if !is_plain() {
                return None;
            }
            let inside = memchr::memmem::find(&xml[at..], ROW_END)?;
            let cell = usual_cell(&xml[at..at + inside])?;
            next = self.learn(&cell, next)?;
            gathered.cell(&cell);
            at += cell.whole.len();
        }
    }

    /// Puts the number of a row into the mark-up.
    fn turn_to(&mut self, number: u32) {
        let before = std::mem::take(&mut self.number);
        crate::serial_date::write_whole(&mut self.number, number);
        if before.len() != self.number.len() {
            // The mark-up has another length now.
            (self.cells, self.bytes) = (Vec::new(), Vec::new());
            return;
        }
        let same = before.iter().zip(&self.number).take_while(|(a, b)| a == b).count();
        for cell in &self.cells {
            for (place, digit) in self.number.iter().enumerate().skip(same) {
                self.bytes[cell.number + place] = *digit;
            }
        }
    }

    /// Remembers the mark-up of a cell of the row, and says which one is expected next. `None`: the cell is not in this row, or not
    /// behind those before `next`, that were read.
    fn learn(&mut self, cell: &RawCell<'_>, next: usize) -> Option<usize> {
        let letters = column_letters(cell.column);
        let opening = b"<c r=\"".len() + letters.len();
        let place = self.cells.partition_point(|known| known.column < cell.column);
        let known = self.cells.get(place).is_some_and(|known| known.column == cell.column);
        let is_here = starts_at(cell.whole, opening, &self.number)
            && cell.whole.get(opening + self.number.len()) == Some(&b'"');
        if !is_here || place < next {
            return None;
        }
        let length = match cell.kind {
            CellKind::Number | CellKind::Shared if cell.inside.starts_with(&VALUE[1..]) => VALUE.len(),
            CellKind::Inline if cell.inside.starts_with(&TEXT[1..]) => TEXT.len(),
            // Not of the sort that is read by comparing.
            _ => return Some(place),
        };
        let inside = cell.whole.len() - cell.inside.len() - b"</c>".len();
        let mark_up = &cell.whole[..inside + length - 1];
        if known {
            self.cells.remove(place);
        }
        let from = self.bytes.len();
        self.bytes.extend_from_slice(mark_up);
        let known = MarkUp {
            from,
            number: from + opening,
            to: self.bytes.len(),
            column: cell.column,
            style: cell.style,
            kind: cell.kind,
            place: self.scan.columns.binary_search(&cell.column).ok(),
        };
        self.cells.insert(place, known);
        self.tidy();
        Some(place + 1)
    }

    /// Lays the mark-up close together when much of it is no longer used.
    fn tidy(&mut self) {
        let used: usize = self.cells.iter().map(|cell| cell.to - cell.from).sum();
        if self.bytes.len() < 1024 + 2 * used {
            return;
        }
        let mut bytes = Vec::with_capacity(used);
        for cell in &mut self.cells {
            let from = bytes.len();
            bytes.extend_from_slice(&self.bytes[cell.from..cell.to]);
            (cell.number, cell.to) = (from + cell.number - cell.from, bytes.len());
            cell.from = from;
        }
        self.bytes = bytes;
    }
}

/// Bytes of the mark-up before a value that stand inside of the cell.
fn inner(kind: CellKind) -> usize {
    if kind == CellKind::Inline { TEXT.len() - 1 } else { VALUE.len() - 1 }
}

/// What a cell holds whose value needs no care.
#[inline]
fn plain(kind: CellKind, value: &[u8]) -> CellContent<'_> {
    match kind {
        CellKind::Inline => CellContent::Text(value.into()),
        _ => CellContent::Number(value),
    }
}

#[inline]
fn starts_at(xml: &[u8], at: usize, text: &[u8]) -> bool {
    xml.get(at..at + text.len()) == Some(text)
}

/// The byte behind `text`, if it stands at byte `at`.
#[inline]
fn behind(xml: &[u8], at: usize, text: &[u8]) -> Option<usize> {
    starts_at(xml, at, text).then_some(at + text.len())
}

/// The value at byte `at`, the byte behind the cell, and whether it is what it looks like.
#[inline]
fn value(xml: &[u8], at: usize, kind: CellKind) -> Option<(&[u8], usize, bool)> {
    let rest = &xml[at..];
    let (length, seen) = to_mark_up(rest);
    let value = &rest[..length];
    let (end, is_usual) = match kind {
        CellKind::Inline => (TEXT_END, !seen),
        CellKind::Number => (VALUE_END, !value.is_empty() && is_number(value)),
        _ => (VALUE_END, false),
    };
    behind(rest, length, end).map(|end| (value, at + end, is_usual))
}

/// Whether all bytes are such as numbers are spelled with.
#[inline]
fn is_number(value: &[u8]) -> bool {
    value
        .iter()
        .fold(true, |all, b| all & (b.is_ascii_digit() | matches!(b, b'.' | b'-' | b'+' | b'E' | b'e')))
}

/// How many bytes stand before the next `<`, or at all; and whether `&` or `_`, by which characters are escaped, are among them.
#[inline]
fn to_mark_up(bytes: &[u8]) -> (usize, bool) {
    const LOW: u64 = 0x0101_0101_0101_0101;
    /// The highest bit of the first byte that is `byte`; bits above it mean nothing.
    fn is(word: u64, byte: u8) -> u64 {
        let other = word ^ (LOW * u64::from(byte));
        other.wrapping_sub(LOW) & !other & (LOW << 7)
    }
    let (mut at, mut seen) = (0, false);
    while let Some(word) = bytes.get(at..).and_then(|b| b.first_chunk::<8>()) {
        let word = u64::from_le_bytes(*word);
        let (open, care) = (is(word, b'<'), is(word, b'&') | is(word, b'_'));
        if open != 0 {
            let before = (open & open.wrapping_neg()).wrapping_sub(1);
            return (at + open.trailing_zeros() as usize / 8, seen || care & before != 0);
        }
        seen |= care != 0;
        at += 8;
    }
    let rest = &bytes[at..];
    let length = memchr::memchr(b'<', rest).unwrap_or(rest.len());
    (at + length, seen | memchr::memchr2(b'&', b'_', &rest[..length]).is_some())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sheet::raw::{Cells, NextRow, row_at};
    use crate::sheet::{RowEncoder, Scanner};
    use crate::{StyleId, serial_date};
    use proptest::prelude::*;

    /// Keeps what it is told.
    #[derive(Default)]
    struct Kept(Vec<String>, Vec<u32>);

    impl Scanner for Kept {
        fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
            self.0.push(format!("{number} {cells:?}"));
        }

        fn formats(&mut self, formats: &[u32]) {
            self.1.extend_from_slice(formats);
        }
    }

    /// What rows hold, and how many of them were read by comparing; `compares`: whether that is tried.
    fn read(xml: &[u8], scan: &Scan<'_>, compares: bool) -> (Vec<String>, Vec<u32>, usize) {
        let is_plain = memchr::memmem::find(xml, b"<!").is_none();
        let (mut kept, mut gathered, mut alike) = (Kept::default(), Gathered::new(scan), Alike::new(scan));
        let (mut at, mut last, mut compared) = (0, 0, 0);
        loop {
            let read =
                if compares { alike.row(xml, at, last, &mut gathered, &mut || is_plain) } else { None };
            let (number, end) = if let Some(read) = read {
                compared += 1;
                (read.number, read.end)
            } else {
                let NextRow::Row(row) = row_at(xml, at, is_plain) else { break };
                let Some(number) = row.number else { break };
                gathered.begin(number);
                Cells::of(&row).for_each(|cell| gathered.cell(&cell));
                (number, row.span.1)
            };
            gathered.end(number, &mut kept);
            (at, last) = (end, number);
        }
        (kept.0, kept.1, compared)
    }

    /// Rows of three columns, some without some cells, and with other kinds and formats.
    fn rows(cells: &[(u8, String)], first: u32) -> Vec<u8> {
        let mut rows = RowEncoder::new(1, 3);
        for (n, three) in cells.chunks(3).enumerate() {
            rows.begin_row(first + n as u32);
            for (place, (what, text)) in three.iter().enumerate() {
                let style = StyleId(u32::from(*what) / 4 % 2);
                match what % 4 {
                    0 => rows.blank(place),
                    1 => rows.boolean(place, style, *what > 99),
                    2 => {
                        rows.text(place, style, text.as_bytes());
                    }
                    _ => {
                        rows.number(place, style, |out| serial_date::write_whole(out, u32::from(*what)));
                    }
                }
            }
            rows.end_row();
        }
        rows.xml().to_vec()
    }

    proptest! {
        /// Whatever rows hold, and whichever of their bytes are others, comparing finds what is found without.
        #[test]
        fn comparing_finds_the_same(
            cells in prop::collection::vec((any::<u8>(), "[a-c&<>_x0-9\" ]{0,20}"), 3..60),
            first in prop_oneof![Just(1_u32), Just(2), Just(8), Just(95), Just(1_048_570)],
            other in prop::option::of((any::<prop::sample::Index>(), prop::sample::select(&b"<>/\"vcrA9&!_ "[..]))),
        ) {
            let mut xml = rows(&cells, first);
            if let Some((at, byte)) = other {
                let at = at.index(xml.len());
                xml[at] = byte;
            }
            let scan = Scan { columns: &[1, 3], from: first + 1, to: first + 15 };
            let (told, formats, _) = read(&xml, &scan, true);
            let (expected, expected_formats, _) = read(&xml, &scan, false);
            prop_assert_eq!(told, expected);
            prop_assert_eq!(formats, expected_formats);
        }
    }

    #[test]
    fn what_looks_the_same_is_compared_and_nothing_else() {
        let cells: Vec<(u8, String)> =
            (0..360_u16).map(|n| (2 + (n % 2) as u8, format!("call {n}"))).collect();
        let xml = String::from_utf8(rows(&cells, 1)).unwrap();
        let scan = Scan { columns: &[1, 2, 3], from: 1, to: 999 };
        let (told, _, compared) = read(xml.as_bytes(), &scan, true);
        assert_eq!((told.len(), compared), (120, 120));
        for (from, to, expected) in [
            // A row that is not the next one; one that says more of itself; a cell of another row; a comment and character data, where
            // nothing is learnt; a formula.
            ("<row r=\"50\">", "<row r=\"49\">", 118),
            ("<row r=\"50\">", "<row r=\"50\" ht=\"9\">", 119),
            ("<c r=\"B50\"", "<c r=\"B51\"", 119),
            ("<c r=\"B50\"", "<!-- --><c r=\"B50\"", 0),
            ("<c r=\"B51\" s=\"0\"><v>", "<c r=\"B51\" s=\"0\"><f>A1</f><v>", 120),
            ("<c r=\"B51\" s=\"0\"><v>3", "<c r=\"B51\" s=\"0\"><v><![CDATA[3]]>", 0),
            ("<c r=\"B50\"", "<c  r=\"B50\"", 119),
            ("<c r=\"B50\"", "<c r=\"A50\"", 119),
            ("<c r=\"B50\" s=\"0\"", "<c r=\"B50\" s=\"1\"", 120),
        ] {
            assert!(xml.contains(from), "{from}");
            let changed = xml.replace(from, to);
            let (told, formats, compared) = read(changed.as_bytes(), &scan, true);
            let (expected_told, expected_formats, _) = read(changed.as_bytes(), &scan, false);
            assert_eq!((told, formats), (expected_told, expected_formats), "{to}");
            assert_eq!(compared, expected, "{to}");
        }
    }

    #[test]
    fn values_end_where_mark_up_begins() {
        for (text, length, seen) in [
            ("", 0, false),
            ("<", 0, false),
            ("abc</v>", 3, false),
            ("1234567<&_", 7, false),
            ("12345678<", 8, false),
            ("a_b</v></c>", 3, true),
            ("a</v>&", 1, false),
            ("0123456789&amp;</v></c>", 15, true),
            ("no end", 6, false),
            ("no end & more of it", 19, true),
        ] {
            assert_eq!(to_mark_up(text.as_bytes()), (length, seen), "{text}");
        }
    }
}
