//! Rows of a sheet revised where they stand: some of their cells are written anew, whole rows are taken out, and those below move up
//! with everything that belongs to them.

use super::rows::RowEncoder;
use crate::error::{Error, Result};
use crate::formula::Formula;
use crate::markup::{Tag, TagKind, tags};
use crate::reference::{CellRef, Range, column_letters};
use crate::serial_date::write_whole;
use crate::sheet::raw::{Cells, RawCell, RawRow, push_attributes};
use crate::sheet::source::RowBytes;
use crate::xml;
use std::collections::{HashMap, VecDeque};

/// Most bytes that wait for the rows above them to go.
const MOST_WAITING: usize = 64 << 20;

/// What becomes of a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RowFate {
    /// It stays as it is, byte for byte if no row above it goes.
    Stays,
    /// Cells of it are written anew.
    Changes,
    /// It is taken out.
    Goes,
}

/// What becomes of the rows of a sheet that are there.
pub trait Revision: Sync {
    /// What becomes of row `row`, from 1.
    fn fate(&self, row: u32) -> RowFate;

    /// Writes the cells of a row that changes, in all columns and in their order; [`RowEncoder::keep`] leaves one as it is.
    fn write(&self, row: u32, cells: &mut RowEncoder);
}

/// Which rows are revised, and what moves with them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Revised {
    /// The first row of data.
    pub first: u32,
    /// The last one.
    pub last: u32,
    /// Rows that go, in rising order.
    pub gone: Vec<u32>,
    /// The columns that move up when a row above them goes, from 1 and in rising order.
    pub columns: Vec<u32>,
    /// Whether rows move as a whole, height and all: nothing stands beside the columns.
    pub moves_rows: bool,
    /// Whether formulas stand among the cells that move.
    pub has_formulas: bool,
}

impl Revised {
    /// How far a row moves up.
    fn shift(&self, row: u32) -> u32 {
        self.gone.partition_point(|gone| *gone <= row) as u32
    }

    /// Whether cells of a column move.
    pub(super) fn moves(&self, column: u32) -> bool {
        self.moves_rows || self.columns.binary_search(&column).is_ok()
    }

    /// Where a cell stands when all rows are revised. One that goes is where the next one comes to stand.
    pub(super) fn moved(&self, row: u32, column: u32) -> u32 {
        let is_inside = (self.first..=self.last).contains(&row) && (column == 0 || self.moves(column));
        if is_inside {
            (row - self.gone.partition_point(|gone| *gone < row) as u32).max(self.first)
        } else {
            row
        }
    }
}

/// Revises the rows of a block, without moving anything: gives each row's number and its bytes.
pub(crate) fn revised(
    block: &RowBytes,
    revision: &dyn Revision,
    encoder: &mut RowEncoder,
) -> Vec<(u32, Vec<u8>)> {
    let mut rows = Vec::new();
    for (number, row) in block.rows() {
        let bytes = &block.bytes[row.span.0..row.span.1];
        match revision.fate(number) {
            RowFate::Stays | RowFate::Goes => rows.push((number, bytes.to_vec())),
            RowFate::Changes => rows.push((number, changed(number, bytes, revision, encoder))),
        }
    }
    rows
}

fn changed(number: u32, row: &[u8], revision: &dyn Revision, encoder: &mut RowEncoder) -> Vec<u8> {
    encoder.clear();
    encoder.lay_under(row.to_vec());
    encoder.begin_row(number);
    revision.write(number, encoder);
    encoder.end_row();
    encoder.xml().to_vec()
}

/// The rows of a block, revised, where cells need not be told apart: no row goes, or whole rows move that hold no formulas.
pub(crate) fn revise_whole(
    block: &RowBytes,
    revised: &Revised,
    revision: &dyn Revision,
    encoder: &mut RowEncoder,
) -> Vec<u8> {
    let mut out = Vec::with_capacity(block.bytes.len() + 1024);
    let mut copied = 0;
    for (number, row) in block.rows() {
        let bytes = &block.bytes[row.span.0..row.span.1];
        let shift = revised.shift(number);
        let fate = revision.fate(number);
        if fate == RowFate::Stays && shift == 0 {
            continue;
        }
        out.extend_from_slice(&block.bytes[copied..row.span.0]);
        copied = row.span.1;
        if fate == RowFate::Goes {
            continue;
        }
        let own = (fate == RowFate::Changes).then(|| changed(number, bytes, revision, encoder));
        let bytes = own.as_deref().unwrap_or(bytes);
        if shift == 0 {
            out.extend_from_slice(bytes);
        } else {
            push_moved(&mut out, bytes, number - shift);
        }
    }
    out.extend_from_slice(&block.bytes[copied..]);
    out
}

/// A row with another number.
fn push_moved(out: &mut Vec<u8>, bytes: &[u8], number: u32) {
    let super::raw::NextRow::Row(row) = super::raw::next_row(bytes, 0) else { return };
    push_row(out, row.open, row.name, number);
    let mut digits = Vec::new();
    write_whole(&mut digits, number);
    for cell in Cells::of(&row) {
        match usual_reference(cell.whole) {
            Some((from, to)) => {
                out.extend_from_slice(&cell.whole[..from]);
                out.extend_from_slice(&digits);
                out.extend_from_slice(&cell.whole[to..]);
            }
            None => push_at(out, cell.whole, cell.column, number),
        }
    }
    out.extend_from_slice(&[b"</", row.name, b">"].concat());
}

/// Where the row stands in the reference of a cell that is spelled as nearly all are.
fn usual_reference(cell: &[u8]) -> Option<(usize, usize)> {
    let text = cell.strip_prefix(b"<c r=\"")?;
    let from = text.iter().position(u8::is_ascii_digit).filter(|at| (1..=3).contains(at))?;
    let to = from + text[from..].iter().position(|b| !b.is_ascii_digit())?;
    (text[to] == b'"').then_some((from + 6, to + 6))
}

/// Moves rows up into the places of those that went.
pub(crate) struct Mover<'r> {
    revised: &'r Revised,
    /// Formulas that others share, by their number: where they stand, and their text.
    shared: HashMap<Vec<u8>, (u32, u32, String)>,
    /// Rows as they stand, with what does not move: number, opening tag, cells beside.
    places: VecDeque<Place>,
    /// Cells that move, and the rows that they come from.
    contents: VecDeque<Content>,
    waiting: usize,
    next_place: u32,
    /// The prefix of the sheet's elements.
    prefix: String,
}

struct Place {
    number: u32,
    open: Vec<u8>,
    name: Vec<u8>,
    cells: Vec<(u32, Vec<u8>)>,
}

struct Content {
    open: Vec<u8>,
    name: Vec<u8>,
    from: u32,
    cells: Vec<(u32, Vec<u8>)>,
}

impl<'r> Mover<'r> {
    pub(crate) fn new(revised: &'r Revised, prefix: &str) -> Self {
        Self {
            revised,
            shared: HashMap::new(),
            places: VecDeque::new(),
            contents: VecDeque::new(),
            waiting: 0,
            next_place: revised.first,
            prefix: prefix.to_owned(),
        }
    }

    /// Takes the rows of a block, as [`revised`] gives them, and appends those that have come to their place.
    pub(crate) fn take(&mut self, rows: &[(u32, Vec<u8>)], out: &mut Vec<u8>) -> Result<()> {
        for (number, bytes) in rows {
            // Rows that the part leaves out are rows all the same.
            while self.next_place < *number {
                self.blank_row(self.next_place);
                self.next_place += 1;
            }
            self.next_place = number + 1;
            self.row(*number, bytes)?;
            self.emit(out);
            if self.waiting > MOST_WAITING {
                return Err(Error::Refused(
                    "there is too much beside rows that are removed; move it to another sheet first".into(),
                ));
            }
        }
        Ok(())
    }

    /// The opening tag of a row that the part leaves out.
    fn blank_open(&self) -> Vec<u8> {
        format!("<{}row>", self.prefix).into_bytes()
    }

    fn blank_row(&mut self, number: u32) {
        let name = format!("{}row", self.prefix).into_bytes();
        let open = self.blank_open();
        self.places.push_back(Place { number, open: open.clone(), name: name.clone(), cells: Vec::new() });
        if self.revised.gone.binary_search(&number).is_err() {
            self.contents.push_back(Content { open, name, from: number, cells: Vec::new() });
        }
    }

    fn row(&mut self, number: u32, bytes: &[u8]) -> Result<()> {
        let super::raw::NextRow::Row(row) = super::raw::next_row(bytes, 0) else {
            self.blank_row(number);
            return Ok(());
        };
        let goes = self.revised.gone.binary_search(&number).is_ok();
        let (mut beside, mut moving) = (Vec::new(), Vec::new());
        for cell in Cells::of(&row) {
            if !self.revised.moves(cell.column) {
                beside.push((cell.column, cell.whole.to_vec()));
                self.waiting += cell.whole.len();
            } else if !goes {
                let own = self.cell(&cell, number)?;
                self.waiting += own.len();
                moving.push((cell.column, own));
            } else {
                // Others may share its formula.
                self.cell(&cell, number)?;
            }
        }
        let open = |row: &RawRow<'_>| row.open.to_vec();
        self.places.push_back(Place { number, open: open(&row), name: row.name.to_vec(), cells: beside });
        if !goes {
            let own = Content { open: open(&row), name: row.name.to_vec(), from: number, cells: moving };
            self.contents.push_back(own);
        }
        Ok(())
    }

    /// A cell as it is where it comes to stand, but for its reference.
    fn cell(&mut self, cell: &RawCell<'_>, row: u32) -> Result<Vec<u8>> {
        if !cell.has_formula() {
            return Ok(cell.whole.to_vec());
        }
        let refused = |what: &str| Error::Refused(format!("rows cannot move: {what} is among them"));
        let all = tags("", cell.whole)?;
        let Some(at) = all.iter().position(|t| t.opens("f")) else { return Ok(cell.whole.to_vec()) };
        let open = &all[at];
        let closed = match open.kind {
            TagKind::Empty => open.end,
            _ => all.get(at + 1).map_or(open.end, |t| t.end),
        };
        let own = match open.kind {
            TagKind::Empty => String::new(),
            _ => xml::text(&cell.whole[open.end..all.get(at + 1).map_or(open.end, |t| t.start)]),
        };
        let text = match open.attribute("t").as_deref() {
            None | Some("normal") => own,
            Some("shared") => {
                let number = open.attribute("si").unwrap_or_default().into_owned().into_bytes();
                if own.is_empty() {
                    match self.shared.get(&number) {
                        Some((master, column, text)) => {
                            let mut moved = Vec::new();
                            let aside = i64::from(cell.column) - i64::from(*column);
                            Formula::parse(text, *master).aside(aside).write(&mut moved, row);
                            xml::text(&moved)
                        }
                        None => return Err(refused("a formula that shares its text with one elsewhere")),
                    }
                } else {
                    self.shared.insert(number, (row, cell.column, own.clone()));
                    own
                }
            }
            // A list of values, of which only this cell shows one.
            Some("array") if is_alone(open, cell.column, row) => own,
            _ => return Err(refused("a formula for several cells")),
        };
        let mut formula = Vec::new();
        Formula::parse(&text, row).write_moved(&mut formula, |row, column| self.revised.moved(row, column));
        let p = all.first().map_or("", Tag::prefix);
        let kind = match open.attribute("t").as_deref() {
            Some("array") => {
                let at = CellRef { row: self.revised.moved(row, cell.column), column: cell.column };
                format!(" t=\"array\" ref=\"{at}\"")
            }
            _ => String::new(),
        };
        let formula = [format!("<{p}f{kind}>").as_bytes(), &formula, format!("</{p}f>").as_bytes()].concat();
        Ok([&cell.whole[..open.start], &formula, &cell.whole[closed..]].concat())
    }

    /// Appends rows whose cells are known.
    fn emit(&mut self, out: &mut Vec<u8>) {
        while !self.places.is_empty() && !self.contents.is_empty() {
            let (Some(place), Some(content)) = (self.places.pop_front(), self.contents.pop_front()) else {
                return;
            };
            let bytes = |cells: &[(u32, Vec<u8>)]| cells.iter().map(|(_, c)| c.len()).sum::<usize>();
            self.waiting = self.waiting.saturating_sub(bytes(&place.cells) + bytes(&content.cells));
            debug_assert!(self.revised.shift(content.from) == content.from - place.number, "rows move up");
            let mut cells: Vec<(u32, Vec<u8>, bool)> = Vec::new();
            cells.extend(place.cells.into_iter().map(|(column, cell)| (column, cell, false)));
            cells.extend(content.cells.into_iter().map(|(column, cell)| (column, cell, true)));
            cells.sort_by_key(|(column, ..)| *column);
            // Height and hiding go with the record.
            let (open, name) = (content.open, content.name);
            // A row that was not there need not be there.
            if cells.is_empty() && open == self.blank_open() {
                continue;
            }
            push_row(out, &open, &name, place.number);
            for (column, cell, moves) in &cells {
                if *moves { push_at(out, cell, *column, place.number) } else { out.extend_from_slice(cell) }
            }
            out.extend_from_slice(&[b"</", &name[..], b">"].concat());
        }
    }

    /// What is left when all rows were taken: the places of as many rows as went, with what stands beside them.
    pub(crate) fn left(mut self, out: &mut Vec<u8>) {
        while self.next_place <= self.revised.last {
            self.blank_row(self.next_place);
            self.next_place += 1;
        }
        self.emit(out);
        if self.revised.moves_rows {
            return;
        }
        let blank = self.blank_open();
        for place in self.places.iter().filter(|p| !p.cells.is_empty() || p.open != blank) {
            push_row_but(out, &place.open, &place.name, place.number, &[b"hidden", b"ht", b"customHeight"]);
            for (_, cell) in &place.cells {
                out.extend_from_slice(cell);
            }
            out.extend_from_slice(&[b"</", &place.name[..], b">"].concat());
        }
    }
}

/// Whether a formula for several cells is for its own cell alone.
fn is_alone(formula: &Tag<'_>, column: u32, row: u32) -> bool {
    let alone = CellRef { row, column };
    formula.attribute("ref").and_then(|r| Range::parse(&r)).is_none_or(|r| r.from == alone && r.to == alone)
}

/// The opening tag of a row with another number, without the spans, which may be wrong now.
fn push_row(out: &mut Vec<u8>, open: &[u8], name: &[u8], number: u32) {
    push_row_but(out, open, name, number, &[]);
}

/// The same without some of its attributes.
fn push_row_but(out: &mut Vec<u8>, open: &[u8], name: &[u8], number: u32, but: &[&[u8]]) {
    out.push(b'<');
    out.extend_from_slice(name);
    out.extend_from_slice(format!(" r=\"{number}\"").as_bytes());
    push_attributes(out, open, &[&[&b"r"[..], &b"spans"[..]], but].concat());
    out.push(b'>');
}

/// A cell with another reference.
fn push_at(out: &mut Vec<u8>, cell: &[u8], column: u32, row: u32) {
    let end = crate::markup::tag_end(cell).unwrap_or(0);
    let open = &cell[..end];
    let name = open.iter().position(|b| b.is_ascii_whitespace() || *b == b'/').unwrap_or(open.len());
    out.extend_from_slice(&open[..name]);
    out.extend_from_slice(format!(" r=\"{}{row}\"", column_letters(column)).as_bytes());
    push_attributes(out, open, &[b"r"]);
    if open.ends_with(b"/") {
        out.push(b'/');
    }
    out.extend_from_slice(&cell[end..]);
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Gone(Vec<u32>);

    impl Revision for Gone {
        fn fate(&self, row: u32) -> RowFate {
            if self.0.contains(&row) { RowFate::Goes } else { RowFate::Stays }
        }

        fn write(&self, _: u32, _: &mut RowEncoder) {}
    }

    const ROWS: &str = "<row r=\"2\" ht=\"20\"><c r=\"A2\"><v>1</v></c><c r=\"B2\" s=\"3\"><f>A2*2</f><v>2</v></c></row>\
        <row r=\"3\"><c r=\"A3\"><v>7</v></c><c r=\"B3\"><f>A3*2+$A$2</f></c><c r=\"H3\"><v>9</v></c></row>\
        <row r=\"4\" ht=\"30\" spans=\"1:2\"><c r=\"A4\"/><c r=\"B4\"><f>A4-A3+$H$3</f><v>5</v></c></row>\
        <row r=\"6\"><c r=\"B6\"><f>SUM(A2:A6)</f></c></row>";

    fn moved(rows: &str, gone: &[u32], moves_rows: bool) -> (String, String) {
        let revised = Revised {
            first: 2,
            last: 6,
            gone: gone.to_vec(),
            columns: vec![1, 2],
            moves_rows,
            has_formulas: true,
        };
        let block = RowBytes { bytes: rows.as_bytes().to_vec(), after: 1, is_plain: false };
        let mut encoder = RowEncoder::new(1, 2);
        let mut mover = Mover::new(&revised, "");
        let (mut out, mut left) = (Vec::new(), Vec::new());
        mover.take(&super::revised(&block, &Gone(gone.to_vec()), &mut encoder), &mut out).unwrap();
        mover.left(&mut left);
        (String::from_utf8(out).unwrap(), String::from_utf8(left).unwrap())
    }

    #[test]
    fn cells_move_up_with_their_formulas_and_what_stands_beside_stays() {
        let (out, left) = moved(ROWS, &[3], false);
        assert_eq!(
            out,
            "<row r=\"2\" ht=\"20\"><c r=\"A2\"><v>1</v></c><c r=\"B2\" s=\"3\"><f>A2*2</f><v>2</v></c></row>\
             <row r=\"3\" ht=\"30\"><c r=\"A3\"/><c r=\"B3\"><f>A3-A3+$H$3</f><v>5</v></c><c r=\"H3\"><v>9</v></c></row>\
             <row r=\"5\"><c r=\"B5\"><f>SUM(A2:A5)</f></c></row>"
        );
        // The height went with its record.
        assert_eq!(left, "<row r=\"6\"></row>");
        // As whole rows.
        let (out, left) = moved(ROWS, &[2], true);
        assert!(
            out.starts_with(
                "<row r=\"2\"><c r=\"A2\"><v>7</v></c><c r=\"B2\"><f>A2*2+$A$2</f></c><c r=\"H2\">"
            ),
            "{out}"
        );
        assert!(out.contains("<row r=\"3\" ht=\"30\"><c r=\"A3\"/>"), "{out}");
        assert_eq!(left, "");
    }

    #[test]
    fn a_formula_that_went_is_still_shared_by_those_that_stay() {
        let rows = "<row r=\"2\"><c r=\"B2\"><f t=\"shared\" ref=\"B2:B4\" si=\"0\">A2*2</f></c></row>\
            <row r=\"3\"><c r=\"B3\"><f t=\"shared\" si=\"0\"/><v>4</v></c></row>";
        assert_eq!(moved(rows, &[2], true).0, "<row r=\"2\"><c r=\"B2\"><f>A2*2</f><v>4</v></c></row>");
    }

    #[test]
    fn whole_rows_without_formulas_move_as_bytes() {
        let rows = "<row r=\"2\"><c r=\"A2\" t=\"inlineStr\"><is><t>A2</t></is></c></row><row r=\"3\" ht=\"9\"/>\
            <row r=\"4\"><c r='A4'><v>4</v></c><c><v>5</v></c></row>";
        let revised = Revised {
            first: 2,
            last: 4,
            gone: vec![2],
            columns: vec![1, 2],
            moves_rows: true,
            has_formulas: false,
        };
        let block = RowBytes { bytes: rows.as_bytes().to_vec(), after: 1, is_plain: false };
        let out = revise_whole(&block, &revised, &Gone(vec![2]), &mut RowEncoder::new(1, 2));
        assert_eq!(
            String::from_utf8(out).unwrap(),
            "<row r=\"2\" ht=\"9\"></row><row r=\"3\"><c r=\"A3\"><v>4</v></c><c r=\"B3\"><v>5</v></c></row>"
        );
    }
}
