//! New cells over rows that the sheet has already: what stands beside is copied as it is, what stands in the way goes, and its looks
//! stay.

use super::rows::RowEncoder;
use crate::markup::{TagKind, tags};
use crate::reference::CellRef;
use crate::sheet::raw::{Cells, NextRow, RawCell, RawRow, next_row, push_attributes};

/// Rows that the sheet has already, under the new ones.
#[derive(Clone, Debug, Default)]
pub(crate) struct Under {
    rows: Vec<u8>,
    /// Where the next row begins.
    at: usize,
    /// The cells of the row that is open, where they begin and end, and those that were passed.
    cells: Vec<UnderCell>,
    next: usize,
    /// The fill that comes next.
    next_fill: usize,
    row_style: Option<u32>,
    /// The closing tag of the row that is open; empty: the row is a new one.
    close: Vec<u8>,
    /// Rows whose cells give no formats: they held totals.
    totals_rows: Option<(u32, u32)>,
}

impl Under {
    fn held_totals(&self, row: u32) -> bool {
        self.totals_rows.is_some_and(|(from, to)| (from..=to).contains(&row))
    }
}

#[derive(Clone, Debug)]
struct UnderCell {
    column: u32,
    span: (usize, usize),
    style: u32,
}

impl RowEncoder {
    /// Rows that the sheet has already, in the bytes in which it has them: the rows that are written next go over them.
    pub fn lay_under(&mut self, rows: Vec<u8>) {
        let totals_rows = self.under.as_ref().and_then(|u| u.totals_rows);
        self.under = Some(Box::new(Under { rows, totals_rows, ..Under::default() }));
    }

    /// The same encoder, under whose rows none stays hidden: other records stand in them.
    #[must_use]
    pub(crate) fn showing(mut self) -> Self {
        self.shows_rows = true;
        self
    }

    /// The same encoder, which knows which rows held totals, the first and the last one.
    #[must_use]
    pub(crate) fn with_totals_at(mut self, rows: Option<(u32, u32)>) -> Self {
        if rows.is_some() {
            self.lay_under(Vec::new());
        }
        if let Some(under) = &mut self.under {
            under.totals_rows = rows;
        }
        self
    }

    /// Opens a row over the one that is there; `false`: there is none.
    pub(super) fn begin_row_over(&mut self, number: u32) -> bool {
        let Some(under) = &mut self.under else { return false };
        under.cells.clear();
        (under.next, under.next_fill, under.row_style) = (0, 0, None);
        under.close.clear();
        let NextRow::Row(row) = next_row(&under.rows, under.at) else { return false };
        if row.number.is_some_and(|n| n != number) {
            return false;
        }
        under.at = row.span.1;
        under.row_style = row.style;
        under.close = [b"</", row.name, b">"].concat();
        let inside = row.span.0 + row.open.len();
        let base = row.cells.as_ptr() as usize;
        for cell in Cells::of(&row) {
            let start = inside + (cell.whole.as_ptr() as usize - base);
            under.cells.push(UnderCell {
                column: cell.column,
                span: (start, start + cell.whole.len()),
                style: cell.style,
            });
        }
        push_open(&mut self.xml, &row, number, self.shows_rows);
        true
    }

    /// Closes a row that was opened over another; `false`: it was not.
    pub(super) fn end_row_over(&mut self) -> bool {
        self.pass_to(u32::MAX);
        let Some(under) = &self.under else { return false };
        self.xml.extend_from_slice(&under.close);
        !under.close.is_empty()
    }

    /// Copies cells beside and writes formulas that stand before a column.
    fn pass_to(&mut self, to: u32) {
        let Some(mut under) = self.under.take() else { return };
        loop {
            let cell = under.cells.get(under.next).filter(|c| c.column < to);
            let fill = self.fills.get(under.next_fill).filter(|f| f.column < to);
            match (cell, fill) {
                (Some(cell), fill) if fill.is_none_or(|f| cell.column < f.column) => {
                    if self.columns.binary_search(&cell.column).is_err() {
                        self.xml.extend_from_slice(&under.rows[cell.span.0..cell.span.1]);
                    }
                    under.next += 1;
                }
                (cell, Some(fill)) => {
                    let own = cell.filter(|c| c.column == fill.column).cloned();
                    if own.is_some() {
                        under.next += 1;
                    }
                    if self.number <= fill.kept_to {
                        if let Some(own) = own {
                            let bytes = &under.rows[own.span.0..own.span.1];
                            if holds_formula(bytes) {
                                push_without_result(&mut self.xml, bytes);
                            } else {
                                self.xml.extend_from_slice(bytes);
                            }
                        }
                    } else {
                        let own = own.filter(|_| !under.held_totals(self.number)).map(|c| c.style);
                        let format = own.unwrap_or(fill.format);
                        self.formula_cell(under.next_fill, format);
                    }
                    under.next_fill += 1;
                }
                _ => break,
            }
        }
        self.under = Some(under);
    }

    /// The sheet's own format for a cell, once what stands before it was passed.
    pub(super) fn cell_over(&mut self, place: usize) -> usize {
        self.format_over(place).0
    }

    /// Copies the cell of a column as it stands, once what stands before it was passed.
    pub(super) fn keep_over(&mut self, column: u32) {
        self.pass_to(column);
        let Some(under) = &mut self.under else { return };
        if let Some(cell) = under.cells.get(under.next).filter(|c| c.column == column) {
            under.next += 1;
            let (start, end) = cell.span;
            self.xml.extend_from_slice(&under.rows[start..end]);
        }
    }

    /// The sheet's own format for a cell, and whether a cell stood there.
    fn format_over(&mut self, place: usize) -> (usize, bool) {
        let column = self.columns[place];
        self.pass_to(column);
        let Some(under) = &mut self.under else { return (0, false) };
        let usual = usize::from(self.formats.usual[place]);
        if under.held_totals(self.number) {
            return (usual, false);
        }
        if let Some(cell) = under.cells.get(under.next).filter(|c| c.column == column) {
            under.next += 1;
            return (self.formats.find(cell.style), true);
        }
        (under.row_style.map_or(usual, |style| self.formats.find(style)), false)
    }

    /// Leaves a cell empty where the sheet may have one.
    pub(super) fn blank_over(&mut self, place: usize) {
        let (format, was_there) = self.format_over(place);
        let number = self.number;
        let is_new = |u: &Under| u.close.is_empty() || u.held_totals(number);
        let is_new = self.under.as_deref().is_none_or(is_new);
        let wanted = if was_there {
            self.formats.has_looks[format]
        } else {
            is_new && self.formats.fills_blanks[place]
        };
        if wanted {
            self.empty_cell(place, format);
        }
    }
}

fn holds_formula(cell: &[u8]) -> bool {
    tags("", cell).is_ok_and(|all| all.iter().any(|t| t.opens("f")))
}

/// The opening tag of a row, without the spans, which may be wrong now.
fn push_open(out: &mut Vec<u8>, row: &RawRow<'_>, number: u32, shows: bool) {
    out.push(b'<');
    out.extend_from_slice(row.name);
    if row.number.is_none() {
        out.extend_from_slice(format!(" r=\"{number}\"").as_bytes());
    }
    let but: &[&[u8]] = match (shows, row.number.is_none()) {
        (false, false) => &[b"spans"],
        (true, false) => &[b"spans", b"hidden"],
        (false, true) => &[b"spans", b"r"],
        (true, true) => &[b"spans", b"hidden", b"r"],
    };
    push_attributes(out, row.open, but);
    out.push(b'>');
}

/// Rows as they stand, the first of which says its number: rows before it may have come or gone.
pub(crate) fn numbered(rows: super::source::RowBytes) -> Vec<u8> {
    let NextRow::Row(row) = next_row(&rows.bytes, 0) else { return rows.bytes };
    if row.number.is_some() {
        return rows.bytes;
    }
    let at = row.span.0 + 1 + row.name.len();
    let number = format!(" r=\"{}\"", rows.after + 1);
    [&rows.bytes[..at], number.as_bytes(), &rows.bytes[at..]].concat()
}

/// A formula's cell without the result that it had.
fn push_without_result(out: &mut Vec<u8>, cell: &[u8]) {
    let Ok(all) = tags("", cell) else { return out.extend_from_slice(cell) };
    let Some(value) = all.iter().position(|t| t.opens("v")) else { return out.extend_from_slice(cell) };
    let end = match all[value].kind {
        TagKind::Empty => all[value].end,
        _ => all.get(value + 1).map_or(all[value].end, |t| t.end),
    };
    let open = &cell[..all[0].end];
    out.extend_from_slice(b"<");
    out.extend_from_slice(all[0].name());
    push_attributes(out, open, &[b"t"]);
    out.push(b'>');
    out.extend_from_slice(&cell[all[0].end..all[value].start]);
    out.extend_from_slice(&cell[end..]);
}

/// Totals that go with the rows above them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Totals {
    /// The first row where they will stand.
    pub to: u32,
    /// Their rows as they stand, which follow each other; one at least.
    pub rows: Vec<super::KeptRow>,
}

impl Totals {
    /// The first and the last row where they stand.
    pub fn stood(&self) -> (u32, u32) {
        let row = |kept: Option<&super::KeptRow>| kept.map_or(self.to, |kept| kept.row);
        (row(self.rows.first()), row(self.rows.last()))
    }

    /// Whether a cell is among those that go with them.
    pub(crate) fn holds(&self, cell: CellRef) -> bool {
        let row = self.rows.iter().find(|kept| kept.row == cell.row);
        row.is_some_and(|kept| kept.cells.iter().any(|(column, _)| *column == cell.column))
    }

    /// The last row where they will stand.
    pub fn last(&self) -> u32 {
        let (from, to) = self.stood();
        self.to + (to - from)
    }

    /// Their rows as they will stand: number, and cells by column. `data`: the last row of data as it was and as it will be.
    pub(crate) fn moved(&self, data: (u32, u32)) -> Vec<(u32, CellsByColumn)> {
        let (from, _) = self.stood();
        let row = |kept: &super::KeptRow| {
            let to = kept.row - from + self.to;
            let cells = kept.cells.iter();
            let cell = |(column, bytes): &(u32, Vec<u8>)| {
                let at = CellRef { row: to, column: *column };
                (*column, self.moved_cell(kept.row, at, bytes, data))
            };
            (to, cells.map(cell).collect())
        };
        self.rows.iter().map(row).collect()
    }

    fn moved_cell(&self, row: u32, place: CellRef, cell: &[u8], data: (u32, u32)) -> Vec<u8> {
        let Ok(all) = tags("", cell) else { return cell.to_vec() };
        let Some(first) = all.first() else { return cell.to_vec() };
        let has_formula = all.iter().any(|t| t.opens("f"));
        let mut out = Vec::new();
        out.extend_from_slice(b"<");
        out.extend_from_slice(first.name());
        out.extend_from_slice(format!(" r=\"{place}\"").as_bytes());
        // What a formula gives is computed anew.
        let dropped: &[&[u8]] = if has_formula { &[b"r", b"t"] } else { &[b"r"] };
        push_attributes(&mut out, &cell[..first.end], dropped);
        if first.kind == TagKind::Empty {
            out.extend_from_slice(b"/>");
            return out;
        }
        out.push(b'>');
        match all.iter().position(|t| t.opens("f")) {
            Some(n) if all[n].kind == TagKind::Open => {
                let close = all.get(n + 1).map_or(all[n].end, |t| t.start);
                let text = crate::xml::text(&cell[all[n].end..close]);
                let formula = crate::Formula::parse(&text, row).stretched(data, (self.stood(), self.to));
                // What others share stands alone now.
                out.extend_from_slice(&[b"<", all[n].name()].concat());
                if all[n].attribute("t").is_some_and(|t| t == "array") {
                    out.extend_from_slice(format!(" t=\"array\" ref=\"{place}\"").as_bytes());
                }
                out.push(b'>');
                formula.write(&mut out, place.row);
                out.extend_from_slice(&[b"</", all[n].name(), b">"].concat());
                out.extend_from_slice(&[b"</", first.name(), b">"].concat());
            }
            _ => out.extend_from_slice(&cell[first.end..]),
        }
        out
    }
}

/// Cells as they stand in a part, each with its column.
pub(crate) type CellsByColumn = Vec<(u32, Vec<u8>)>;

/// What becomes of rows behind the new ones.
pub(crate) struct Leftovers<'p> {
    /// The columns whose cells go.
    pub(crate) columns: &'p [u32],
    /// The columns whose formulas go.
    pub(crate) beside: Vec<u32>,
    /// The last row that is cleared.
    pub(crate) to: u32,
    /// Rows that are cleared, wherever they stand: totals were there, from the first to the last one.
    pub(crate) totals_from: Option<(u32, u32)>,
    /// Cells that come to stand here: rows, and by column.
    pub(crate) totals: Vec<(u32, CellsByColumn)>,
    /// Whether a cell that is cleared keeps its format: by column and format.
    pub(crate) keeps: &'p (dyn Fn(u32, u32) -> bool + Sync),
    pub(crate) prefix: &'p str,
}

impl Leftovers<'_> {
    /// The rows as they are to be.
    pub(crate) fn cleared(&self, rows: &super::source::RowBytes) -> Vec<u8> {
        let mut out = Vec::new();
        let mut totals = self.totals.iter().peekable();
        for (number, row) in rows.rows() {
            while let Some((to, cells)) = totals.next_if(|(to, _)| *to < number) {
                self.push_row(&mut out, *to, cells);
            }
            let come = totals.next_if(|(to, _)| *to == number).map(|(_, cells)| cells.as_slice());
            self.push_cleared(&mut out, &row, number, come.unwrap_or_default());
        }
        for (to, cells) in totals {
            self.push_row(&mut out, *to, cells);
        }
        out
    }

    fn push_row(&self, out: &mut Vec<u8>, row: u32, cells: &[(u32, Vec<u8>)]) {
        let p = self.prefix;
        out.extend_from_slice(format!("<{p}row r=\"{row}\">").as_bytes());
        for (_, cell) in cells {
            out.extend_from_slice(cell);
        }
        out.extend_from_slice(format!("</{p}row>").as_bytes());
    }

    fn push_cleared(&self, out: &mut Vec<u8>, row: &RawRow<'_>, number: u32, come: &[(u32, Vec<u8>)]) {
        let start = out.len();
        push_open(out, row, number, number <= self.to);
        let inside = out.len();
        let mut come = come.iter().peekable();
        for cell in Cells::of(row) {
            let column = cell.column;
            while let Some((_, bytes)) = come.next_if(|(c, _)| *c < column) {
                out.extend_from_slice(bytes);
            }
            if let Some((_, bytes)) = come.next_if(|(c, _)| *c == column) {
                out.extend_from_slice(bytes);
                continue;
            }
            let held_totals = self.totals_from.is_some_and(|(from, to)| (from..=to).contains(&number));
            let is_cleared = number <= self.to || held_totals;
            let goes = is_cleared
                && (self.columns.contains(&column)
                    || (self.beside.contains(&column) && (cell.has_formula() || held_totals)));
            if !goes {
                out.extend_from_slice(cell.whole);
            } else if (self.keeps)(column, cell.style) && !held_totals {
                push_empty(out, &cell, CellRef { row: number, column });
            }
        }
        for (_, bytes) in come {
            out.extend_from_slice(bytes);
        }
        if out.len() == inside && row.is_bare {
            out.truncate(start);
            return;
        }
        out.extend_from_slice(&[b"</", row.name, b">"].concat());
    }
}

fn push_empty(out: &mut Vec<u8>, cell: &RawCell<'_>, at: CellRef) {
    let name = cell.whole[1..].split(|b| b.is_ascii_whitespace() || *b == b'>' || *b == b'/').next();
    out.push(b'<');
    out.extend_from_slice(name.unwrap_or(b"c"));
    out.extend_from_slice(format!(" r=\"{at}\" s=\"{}\"/>", cell.style).as_bytes());
}
