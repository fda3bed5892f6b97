//! Rows that follow each other and hold something, and the last of them as they stand: they may be totals.

use super::facts::{Columns, ExistingCell};
use super::told::existing;
use crate::formula::Formula;
use crate::markup::{TagKind, tags};
use crate::reference::{CellRef, Range};
use crate::sheet::raw::{Cells, RawCell, RawRow};
use crate::xml;
use std::collections::HashMap;

/// Runs of rows that are told apart.
pub(super) const RUNS: usize = 6;

/// Last rows of a run that are kept.
const TAIL: usize = 8;

/// Rows that follow each other and hold something in the columns asked for.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Run {
    /// The first row.
    pub from: u32,
    /// The last row.
    pub to: u32,
    /// Cells of its first row.
    pub cells: Vec<ExistingCell>,
    /// Its last rows, a few at most: those among them may be totals.
    pub tail: Vec<KeptRow>,
}

/// A row whose cells in the columns asked for and beside are kept as they stand.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct KeptRow {
    /// Its number.
    pub row: u32,
    /// Its cells: column and bytes.
    pub(crate) cells: Vec<(u32, Vec<u8>)>,
    /// Those that hold something.
    pub shown: Vec<ExistingCell>,
}

impl KeptRow {
    /// The row as it is when this was typed into its cells: what begins with `=` is a formula, digits are a number.
    ///
    /// ```
    /// use incola_workbook::{CellRef, KeptRow};
    /// let at = |column| CellRef { row: 9, column };
    /// let row = KeptRow::told(9, [(at(1), "Total"), (at(3), "=SUM(C2:C8)")]);
    /// assert!(row.looks_up(2) && row.shown[0].is_text);
    /// ```
    pub fn told<'t>(number: u32, cells: impl IntoIterator<Item = (CellRef, &'t str)>) -> Self {
        let mut kept = Self { row: number, ..Self::default() };
        for (at, typed) in cells {
            let mut text = Vec::new();
            xml::escape_content(&mut text, typed.trim_start_matches('=').as_bytes());
            let text = String::from_utf8_lossy(&text).into_owned();
            let (has_formula, is_number) = (typed.starts_with('='), typed.parse::<f64>().is_ok());
            let cell = match (has_formula, is_number) {
                (true, _) => format!("<c r=\"{at}\"><f>{text}</f><v>0</v></c>"),
                (_, true) => format!("<c r=\"{at}\"><v>{text}</v></c>"),
                _ => format!("<c r=\"{at}\" t=\"inlineStr\"><is><t>{text}</t></is></c>"),
            };
            kept.cells.push((at.column, cell.into_bytes()));
            kept.shown.push(ExistingCell {
                at,
                text: typed.to_owned(),
                format: 0,
                shared: None,
                is_text: !has_formula && !is_number,
                has_formula,
            });
        }
        kept
    }

    pub(super) fn of(number: u32, row: &RawRow<'_>, asked: &Columns) -> Self {
        let is_asked = |c: &RawCell<'_>| asked.has(c.column);
        let mut kept = Self { row: number, ..Self::default() };
        for cell in Cells::of(row).filter(is_asked) {
            kept.cells.push((cell.column, cell.whole.to_vec()));
            if cell.is_filled() {
                kept.shown.push(existing(&cell, CellRef { row: number, column: cell.column }));
            }
        }
        kept
    }

    /// A range that one of its formulas fills in one piece, or, where a formula shares its text with a cell that is not known, that
    /// cell.
    pub fn one_piece(&self) -> Option<Range> {
        self.cells.iter().find_map(|(column, cell)| {
            let here = CellRef { row: self.row, column: *column };
            let all = tags("", cell).ok()?;
            let formula = all.iter().find(|t| t.opens("f"))?;
            let own = Range { from: here, to: here };
            match formula.attribute("t").as_deref() {
                Some("shared") => Some(own),
                Some("array" | "dataTable") => {
                    formula.attribute("ref").and_then(|r| Range::parse(&r)).filter(|range| *range != own)
                }
                _ => None,
            }
        })
    }

    /// Gives formulas that share their text one of their own.
    pub(super) fn unshare(&mut self, masters: &HashMap<u32, (CellRef, String)>) {
        for (column, cell) in &mut self.cells {
            let Ok(all) = tags("", cell) else { continue };
            let Some(n) = all.iter().position(|t| t.opens("f")) else { continue };
            let open = &all[n];
            let number = open.attribute("si").and_then(|v| v.parse().ok());
            if open.attribute("t").as_deref() != Some("shared") {
                continue;
            }
            let Some((at, text)) = number.and_then(|n: u32| masters.get(&n)) else { continue };
            let mut formula = Vec::new();
            let aside = i64::from(*column) - i64::from(at.column);
            Formula::parse(text, at.row).aside(aside).write(&mut formula, self.row);
            let close = all.iter().find(|t| t.start >= open.end && t.closes("f"));
            let end = close.filter(|_| open.kind == TagKind::Open).map_or(open.end, |t| t.end);
            let name = open.name();
            let own = [b"<", name, b">", &formula[..], b"</", name, b">"].concat();
            *cell = [&cell[..open.start], &own, &cell[end..]].concat();
        }
    }

    /// Whether one of its formulas looks up over rows from `first` on, as totals do.
    pub fn looks_up(&self, first: u32) -> bool {
        let formulas = self.cells.iter().filter_map(|(column, _)| self.formula(*column));
        formulas.into_iter().any(|text| Formula::parse(&text, self.row).looks_up(first))
    }

    /// The text of the formula in a column (from 1), without `=`; `None`: it has none of its own.
    pub fn formula(&self, column: u32) -> Option<String> {
        let (_, cell) = self.cells.iter().find(|(own, _)| *own == column)?;
        let all = tags("", cell).ok()?;
        let n = all.iter().position(|t| t.opens("f") && t.kind == TagKind::Open)?;
        let close = all.get(n + 1).map_or(all[n].end, |t| t.start);
        Some(xml::text(&cell[all[n].end..close]))
    }
}

/// Rows that follow each other, of which the last few are kept.
#[derive(Default)]
pub(super) struct Lately<'x> {
    rows: Vec<(u32, RawRow<'x>)>,
}

impl<'x> Lately<'x> {
    /// Takes a filled row, and gives its cells to the run that it begins or goes on with.
    pub(super) fn take(&mut self, runs: &mut Vec<Run>, number: u32, row: &RawRow<'x>, asked: &Columns) {
        if self.rows.last().is_some_and(|(last, _)| last + 1 != number) {
            self.settle(runs, asked);
        }
        add_run(runs, Run { from: number, to: number, ..Run::default() });
        if self.rows.len() == TAIL {
            self.rows.remove(0);
        }
        self.rows.push((number, *row));
    }

    /// Keeps the last rows of the run that ended.
    pub(super) fn settle(&mut self, runs: &mut [Run], asked: &Columns) {
        let own: Vec<KeptRow> = self.rows.drain(..).map(|(n, row)| KeptRow::of(n, &row, asked)).collect();
        if let (Some(run), Some(last)) = (runs.last_mut(), own.last())
            && run.to == last.row
        {
            run.tail = own;
        }
    }
}

/// Puts a run behind others.
pub(super) fn add_run(runs: &mut Vec<Run>, run: Run) {
    match runs.last_mut() {
        Some(last) if last.to + 1 >= run.from => {
            last.to = run.to;
            last.tail.extend(run.tail);
            let more = last.tail.len().saturating_sub(TAIL);
            last.tail.drain(..more);
        }
        _ => runs.push(run),
    }
    if runs.len() > RUNS {
        runs.remove(RUNS - 1);
    }
}
