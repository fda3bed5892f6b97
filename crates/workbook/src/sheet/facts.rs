//! What stands where rows are to go: looked at in one pass over the sheet, on all processors, before anything is written.

use crate::error::{Error, Result};
use crate::formula::Formula;
use crate::markup::{TagKind, tags};
use crate::package::zip_reader::Input;
use crate::package::zip_reader::{Seam, ZipReader};
use crate::reference::{CellRef, Range};
use crate::sheet::raw::{CellKind, Cells, RawCell};
use crate::sheet::runs::{KeptRow, Lately, RUNS, Run, add_run};
use crate::sheet::scan::{Gathered, Scan, Scanner};
use crate::sheet::source::{RowBytes, SheetSource};
use crate::sheet::told::{FormulaText, existing, formula_of, metadata_of};
use crate::sheet::widths::ColumnWidths;
use crate::xml;
use std::collections::HashMap;

/// Bytes of rows looked at by one worker at a time.
pub(super) const BLOCK: usize = 1 << 20;

/// Most bytes behind the rows that are kept.
const KEPT_TAIL: usize = 8 << 20;

/// Cells that are told of each row that begins a run.
const TOLD: usize = 8;

/// Most columns beside that are told.
const MOST_OTHERS: usize = 512;

/// Most formulas outside of the rows that are remembered.
const MOST_LOOKUPS: usize = 1_000;

/// Most formulas that are remembered.
const MOST_FORMULAS: usize = 10_000;

/// What is asked of a sheet.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Question {
    /// Columns that rows go into, from 1, in rising order.
    pub columns: Vec<u32>,
    /// Columns of the same table that the source does not fill: formulas in them go with the rows.
    pub beside: Vec<u32>,
    /// The first row of data, from 1.
    pub first_row: u32,
    /// Rows of totals that are known, the first and the last one: they are no data.
    pub totals_rows: Option<(u32, u32)>,
    /// The last row of data, if it is known: what stands further down says nothing about the columns.
    pub last_row: Option<u32>,
}

/// A cell of an existing sheet, as it stands there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExistingCell {
    /// Where it stands.
    pub at: CellRef,
    /// Its text, its number or its formula's result; text in the table of strings is resolved.
    pub text: String,
    /// The place of its format.
    pub(crate) format: u32,
    /// Its place in the table of strings, until it is resolved.
    pub(crate) shared: Option<usize>,
    /// Whether it is text.
    pub is_text: bool,
    /// Whether it holds a formula.
    pub has_formula: bool,
}

/// A cell format that cells of a column have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FormatCount {
    /// Its place in the styles part.
    pub format: u32,
    /// Cells that have it.
    pub cells: u64,
    /// Numbers among them.
    pub numbers: u64,
}

/// What stands in a column, from the first row asked for on.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ColumnFacts {
    /// The cell formats, in the order in which they were met.
    pub formats: Vec<FormatCount>,
    /// Cells with text.
    pub texts: u64,
    /// Cells with numbers, dates included.
    pub numbers: u64,
    /// Cells with formulas.
    pub formulas: u64,
    /// Cells with something that was typed.
    pub constants: u64,
    /// The first of those.
    pub first_constant: Option<CellRef>,
    /// The last row with a formula whose text is known, and the formula.
    pub last_formula: Option<(u32, Formula)>,
    /// Where that formula gives a list of values, of which its cell shows one: the place of the cell's metadata, from 1; 0: none.
    pub last_is_array: Option<u32>,
}

/// A column that nobody asked for, in which cells are filled from the first row asked for on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OtherColumn {
    /// The column, from 1.
    pub column: u32,
    /// The first filled row.
    pub first: u32,
    /// The last one.
    pub last: u32,
}

impl ColumnFacts {
    /// The format that most cells have; of several the one met first.
    pub fn usual_format(&self) -> Option<u32> {
        let most = self.formats.iter().map(|f| f.cells).max()?;
        self.formats.iter().find(|f| f.cells == most).map(|f| f.format)
    }
}

/// What an existing sheet holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SheetFacts {
    /// The last row that the sheet describes, empty or not; 0: none.
    pub last_row: u32,
    /// The last row with a cell that holds something in any column; 0: none.
    pub last_filled_row: u32,
    /// Runs of filled rows in the columns asked for, from the first row on; the first few and the last.
    pub runs: Vec<Run>,
    /// Formats of whole rows.
    pub row_formats: Vec<u32>,
    /// By column asked for.
    pub columns: Vec<ColumnFacts>,
    /// By column beside.
    pub beside: Vec<ColumnFacts>,
    /// Runs of rows that are filled in the columns beside, as [`runs`](Self::runs) are for the columns asked for.
    pub beside_runs: Vec<Run>,
    /// The same, of what was typed there; below the last row of data also formulas that look up over a range. Formulas that go on are
    /// none of it.
    pub typed_runs: Vec<Run>,
    /// Columns that were not asked for and hold something, in rising order; the first few hundred that were met.
    pub others: Vec<OtherColumn>,
    /// The first hidden row from the first row asked for on, and how many there are up to the last row of data.
    pub hidden: Option<(u32, u64)>,
    /// Whether rows from the first one on hold cells in other columns, or have formats of their own.
    pub has_others: bool,
    /// Whether rows from the first one on hold cells in other columns.
    pub has_cells_beside: bool,
    /// The last row with formulas in the columns asked for; 0: none.
    pub last_formula_row: u32,
    /// The rows of totals that are known.
    pub totals: Vec<KeptRow>,
    /// Formulas that fill a range in one piece, in the columns asked for or beside.
    pub arrays: Vec<Range>,
    /// Formulas that others share, in the columns asked for or beside: where they stand, and for which cells.
    pub shared: Vec<(CellRef, Range)>,
    /// Formulas outside of the rows, and where ranges in them end: the first of them.
    pub lookups: Vec<(CellRef, Vec<CellRef>)>,
    /// Where the compressed bytes of the sheet can be cut.
    pub(crate) seams: Vec<Seam>,
    /// What stands behind the rows, if it is small.
    pub(crate) tail: Option<Vec<u8>>,
    /// Merged cells.
    pub merges: Vec<Range>,
    /// Whether the sheet is protected.
    pub is_protected: bool,
    /// Formats of whole columns: first column, last column, format.
    pub column_formats: Vec<(u32, u32, u32)>,
    /// How wide its columns are.
    pub widths: ColumnWidths,
}

impl SheetFacts {
    /// The last filled row (from 1) of the runs that begin at a row or above it; 0: there is none. `None`: it is not known, for
    /// there were more runs than are kept.
    ///
    /// ```
    /// use incola_workbook::{Run, SheetFacts};
    /// let run = |from, to| Run { from, to, ..Run::default() };
    /// let mut facts = SheetFacts::default();
    /// facts.runs = vec![run(2, 4), run(6, 9), run(20, 20)];
    /// assert_eq!((facts.filled_down_to(8), facts.filled_down_to(12)), (Some(9), Some(9)));
    /// ```
    pub fn filled_down_to(&self, row: u32) -> Option<u32> {
        let above: Vec<&Run> = self.runs.iter().filter(|run| run.from <= row).collect();
        // Between the last two that are kept others may have been.
        let is_cut = self.runs.len() >= RUNS && above.len() + 1 == self.runs.len();
        (!is_cut).then(|| above.last().map_or(0, |run| run.to))
    }

    /// The cells that are told.
    pub(crate) fn told_cells(&mut self) -> impl Iterator<Item = &mut ExistingCell> {
        let runs = self.runs.iter_mut().chain(&mut self.beside_runs).chain(&mut self.typed_runs);
        runs.flat_map(|run| {
            run.cells.iter_mut().chain(run.tail.iter_mut().flat_map(|row| row.shown.iter_mut()))
        })
    }

    /// The format of a whole column; 0: none.
    pub fn column_format(&self, column: u32) -> u32 {
        let found = self.column_formats.iter().find(|(from, to, _)| (*from..=*to).contains(&column));
        found.map_or(0, |(.., format)| *format)
    }

    /// The rows behind the first run that hold something, up to `last`.
    pub fn below(&self, last: u32) -> Option<&Run> {
        self.runs.get(1).filter(|run| run.from <= last)
    }

    /// Puts what stands in later rows behind.
    fn merge(&mut self, later: Self, question: &Question) {
        if self.columns.is_empty() {
            self.columns = vec![ColumnFacts::default(); question.columns.len()];
            self.beside = vec![ColumnFacts::default(); question.beside.len()];
        }
        self.last_row = self.last_row.max(later.last_row);
        self.last_filled_row = self.last_filled_row.max(later.last_filled_row);
        for (mine, more) in [
            (&mut self.runs, later.runs),
            (&mut self.beside_runs, later.beside_runs),
            (&mut self.typed_runs, later.typed_runs),
        ] {
            for run in more {
                add_run(mine, run);
            }
        }
        for other in later.others {
            add_other(&mut self.others, other);
        }
        self.hidden = match (self.hidden, later.hidden) {
            (Some((first, mine)), Some((_, more))) => Some((first, mine + more)),
            (mine, more) => mine.or(more),
        };
        let columns = self.columns.iter_mut().chain(&mut self.beside);
        for (mine, more) in columns.zip(later.columns.into_iter().chain(later.beside)) {
            for format in more.formats {
                add_format(&mut mine.formats, format);
            }
            mine.texts += more.texts;
            mine.numbers += more.numbers;
            mine.formulas += more.formulas;
            mine.constants += more.constants;
            mine.first_constant = mine.first_constant.or(more.first_constant);
            if more.last_formula.is_some() {
                (mine.last_formula, mine.last_is_array) = (more.last_formula, more.last_is_array);
            }
        }
        for format in later.row_formats {
            if !self.row_formats.contains(&format) {
                self.row_formats.push(format);
            }
        }
        self.has_others |= later.has_others;
        self.has_cells_beside |= later.has_cells_beside;
        self.last_formula_row = self.last_formula_row.max(later.last_formula_row);
        self.totals.extend(later.totals);
        let room = MOST_FORMULAS.saturating_sub(self.arrays.len());
        self.arrays.extend(later.arrays.into_iter().take(room));
        let room = MOST_LOOKUPS.saturating_sub(self.lookups.len());
        self.lookups.extend(later.lookups.into_iter().take(room));
        let room = MOST_FORMULAS.saturating_sub(self.shared.len());
        self.shared.extend(later.shared.into_iter().take(room));
    }
}

fn add_other(others: &mut Vec<OtherColumn>, more: OtherColumn) {
    match others.binary_search_by_key(&more.column, |o| o.column) {
        Ok(at) => others[at].last = more.last,
        Err(at) if others.len() < MOST_OTHERS => others.insert(at, more),
        Err(_) => {}
    }
}

fn add_format(formats: &mut Vec<FormatCount>, more: FormatCount) {
    match formats.iter_mut().find(|f| f.format == more.format) {
        Some(format) => {
            format.cells += more.cells;
            format.numbers += more.numbers;
        }
        None => formats.push(more),
    }
}

/// Reads a sheet through. Scanners that `start` makes are told what the rows hold, in the same threads; `take` gets them, in order.
pub(crate) fn facts<S: Scanner>(
    zip: &mut ZipReader<Box<dyn Input>>,
    place: usize,
    question: &Question,
    scan: &Scan<'_>,
    start: impl Fn() -> S + Sync,
    mut take: impl FnMut(S),
) -> Result<SheetFacts> {
    let mut source = SheetSource::open(zip, place)?;
    let head = source.head(zip)?;
    let part = zip.entries()[place].name.clone();
    let mut facts = SheetFacts::default();
    facts.merge(SheetFacts::default(), question);
    let before = tags(&part, &head)?;
    facts.widths = ColumnWidths::of(&before);
    for tag in before.iter().filter(|t| t.opens("col")) {
        let value = |name: &str| tag.attribute(name).and_then(|v| v.parse::<u32>().ok());
        if let (Some(from), Some(to), Some(format)) = (value("min"), value("max"), value("style")) {
            facts.column_formats.push((from, to, format));
        }
    }
    let columns = Columns::new(question);
    let mut masters: HashMap<u32, (CellRef, String)> = HashMap::new();
    incola_parallel::ordered(
        || source.rows(zip, u32::MAX, BLOCK),
        || (),
        |(), rows| {
            let mut scanner = start();
            (look(&rows, &columns, scan, &mut scanner), scanner)
        },
        |(found, scanner): (Found, S)| {
            take(scanner);
            if found.has_row_beyond {
                return Err(Error::Damaged(format!(
                    "{part}: a row has a number beyond the last one, or none"
                )));
            }
            masters.extend(found.masters);
            let mut later = found.facts;
            // Formulas that others share stand before those.
            for (column, row, id) in found.children {
                if let Some((at, text)) = masters.get(&id) {
                    let known = if column < question.columns.len() {
                        &mut later.columns[column]
                    } else {
                        &mut later.beside[column - question.columns.len()]
                    };
                    let mut moved = Vec::new();
                    Formula::parse(text, at.row).write(&mut moved, row);
                    let mut plain = Vec::new();
                    xml::unescape(&mut plain, &moved);
                    known.last_formula = Some((row, Formula::parse(&String::from_utf8_lossy(&plain), row)));
                    known.last_is_array = None;
                }
            }
            facts.merge(later, question);
            Ok::<(), Error>(())
        },
    )?;
    let tail = source.tail(zip)?;
    let end = [&b"<x>"[..], &tail].concat();
    for tag in tags(&part, &end)?.iter().filter(|t| t.kind != TagKind::Close) {
        match tag.local() {
            b"mergeCell" => facts.merges.extend(tag.attribute("ref").and_then(|r| Range::parse(&r))),
            b"sheetProtection" => {
                facts.is_protected = tag.attribute("sheet").is_some_and(|v| v == "1" || v == "true");
            }
            _ => {}
        }
    }
    let runs = facts.runs.iter_mut().chain(&mut facts.beside_runs);
    for row in runs.flat_map(|run| run.tail.iter_mut()).chain(&mut facts.totals) {
        row.unshare(&masters);
    }
    facts.seams = source.seams().to_vec();
    facts.tail = (tail.len() <= KEPT_TAIL).then_some(tail);
    Ok(facts)
}

/// Where columns stand in the question.
pub(super) struct Columns {
    first_row: u32,
    totals_rows: Option<(u32, u32)>,
    last_row: u32,
    columns: usize,
    beside: usize,
    /// By column of the sheet: 0: not asked for; else one more than its place, those beside behind the others.
    places: Vec<u16>,
}

impl Columns {
    /// Whether a column is asked for, or beside.
    pub(super) fn has(&self, column: u32) -> bool {
        self.places.get(column as usize).is_some_and(|place| *place > 0)
    }

    fn new(question: &Question) -> Self {
        let all = || question.columns.iter().chain(&question.beside);
        let mut places = vec![0; all().max().map_or(0, |c| *c as usize + 1)];
        for (n, column) in all().enumerate() {
            places[*column as usize] = n as u16 + 1;
        }
        let Question { first_row, totals_rows, last_row, .. } = *question;
        Self {
            first_row,
            totals_rows,
            last_row: last_row.unwrap_or(u32::MAX),
            columns: question.columns.len(),
            beside: question.beside.len(),
            places,
        }
    }
}

/// What one worker found.
#[derive(Default)]
struct Found {
    facts: SheetFacts,
    masters: Vec<(u32, (CellRef, String))>,
    /// Whether a row says a number that no row has.
    has_row_beyond: bool,
    /// The last formula of a column, where another cell has its text: place of the column, row, number of the formula.
    children: Vec<(usize, u32, u32)>,
}

fn look(rows: &RowBytes, asked: &Columns, scan: &Scan<'_>, scanner: &mut impl Scanner) -> Found {
    let mut found = Found::default();
    let facts = &mut found.facts;
    facts.columns = vec![ColumnFacts::default(); asked.columns];
    facts.beside = vec![ColumnFacts::default(); asked.beside];
    let mut gathered = Gathered::new(scan);
    let (mut lately, mut lately_beside) = (Lately::default(), Lately::default());
    for (row_number, row) in rows.rows() {
        facts.last_row = row_number;
        found.has_row_beyond |= row.is_beyond;
        gathered.begin(row_number);
        if row_number < asked.first_row {
            for cell in Cells::of(&row).filter(RawCell::is_filled) {
                facts.last_filled_row = row_number;
                note_lookup(&mut facts.lookups, &cell, row_number);
            }
            continue;
        }
        facts.has_others |= !row.is_bare;
        if row.is_hidden && row_number <= asked.last_row {
            facts.hidden = Some(facts.hidden.map_or((row_number, 1), |(first, rows)| (first, rows + 1)));
        }
        if let Some(format) = row.style.filter(|f| !facts.row_formats.contains(f)) {
            facts.row_formats.push(format);
        }
        let is_totals = asked.totals_rows.is_some_and(|(from, to)| (from..=to).contains(&row_number));
        let is_data = row_number <= asked.last_row;
        let (mut is_filled, mut is_filled_beside, mut has_formulas) = (false, false, false);
        for cell in Cells::of(&row) {
            let column = cell.column;
            gathered.cell(&cell);
            let here = CellRef { row: row_number, column };
            if cell.is_filled() {
                facts.last_filled_row = row_number;
            }
            let place = match asked.places.get(column as usize) {
                Some(place) if *place > 0 => usize::from(*place) - 1,
                _ => {
                    facts.has_others = true;
                    facts.has_cells_beside = true;
                    if cell.is_filled() {
                        note_lookup(&mut facts.lookups, &cell, row_number);
                        add_other(
                            &mut facts.others,
                            OtherColumn { column, first: row_number, last: row_number },
                        );
                    }
                    continue;
                }
            };
            if is_totals {
                if let FormulaText::Master(id, _, text) = formula_of(&cell, here) {
                    found.masters.push((id, (here, text)));
                }
                continue;
            }
            let is_asked = place < asked.columns;
            let known =
                if is_asked { &mut facts.columns[place] } else { &mut facts.beside[place - asked.columns] };
            let is_number = matches!(cell.kind, CellKind::Number | CellKind::Date) && cell.is_filled();
            // Blank cells below the rows have their looks for rows to come; filled ones are of something else.
            if is_data || !cell.is_filled() {
                add_format(
                    &mut known.formats,
                    FormatCount { format: cell.style, cells: 1, numbers: u64::from(is_number) },
                );
            }
            if !cell.is_filled() {
                continue;
            }
            if is_data {
                known.numbers += u64::from(is_number);
                known.texts +=
                    u64::from(matches!(cell.kind, CellKind::Shared | CellKind::Inline | CellKind::Text));
            }
            let mut is_typed = !cell.has_formula();
            if cell.has_formula() {
                known.formulas += u64::from(is_data);
                let formula = formula_of(&cell, here);
                is_typed = !is_data
                    && matches!(&formula, FormulaText::Own(f) | FormulaText::Lone(f) if !f.range_ends().is_empty());
                if is_data && !matches!(formula, FormulaText::Array(_)) {
                    // The last one counts.
                    found.children.retain(|(c, ..)| *c != place);
                }
                match formula {
                    FormulaText::Own(formula) if is_data => {
                        (known.last_formula, known.last_is_array) = (Some((row_number, formula)), None);
                    }
                    FormulaText::Lone(formula) if is_data => {
                        known.last_formula = Some((row_number, formula));
                        known.last_is_array = Some(metadata_of(&cell));
                    }
                    FormulaText::Master(id, range, text) => {
                        if is_data {
                            known.last_formula = Some((row_number, Formula::parse(&text, row_number)));
                            known.last_is_array = None;
                        }
                        facts.shared.push((here, range));
                        found.masters.push((id, (here, text)));
                    }
                    FormulaText::Child(id) if is_data => found.children.push((place, row_number, id)),
                    // A formula further down is of something else.
                    FormulaText::Own(_) | FormulaText::Lone(_) | FormulaText::Child(_) => {
                        note_lookup(&mut facts.lookups, &cell, row_number);
                    }
                    FormulaText::Array(range) => facts.arrays.push(range),
                }
                has_formulas |= is_asked;
            } else if is_data {
                known.constants += 1;
                known.first_constant = known.first_constant.or(Some(here));
            }
            if is_typed && !is_asked {
                add_run(&mut facts.typed_runs, Run { from: row_number, to: row_number, ..Run::default() });
                let run =
                    facts.typed_runs.last_mut().filter(|r| r.from == row_number && r.cells.len() < TOLD);
                if let Some(run) = run {
                    run.cells.push(existing(&cell, here));
                }
            }
            let (runs, lately, was_filled) = if is_asked {
                (&mut facts.runs, &mut lately, &mut is_filled)
            } else {
                (&mut facts.beside_runs, &mut lately_beside, &mut is_filled_beside)
            };
            if !*was_filled {
                lately.take(runs, row_number, &row, asked);
                *was_filled = true;
            }
            if let Some(run) = runs.last_mut().filter(|r| r.from == row_number && r.cells.len() < TOLD) {
                run.cells.push(existing(&cell, here));
            }
        }
        gathered.end(row_number, scanner);
        if has_formulas {
            facts.last_formula_row = row_number;
        }
        if is_totals {
            facts.totals.push(KeptRow::of(row_number, &row, asked));
        }
    }
    lately.settle(&mut facts.runs, asked);
    lately_beside.settle(&mut facts.beside_runs, asked);
    found
}

/// Remembers where ranges end in a formula outside of the rows.
fn note_lookup(lookups: &mut Vec<(CellRef, Vec<CellRef>)>, cell: &RawCell<'_>, row: u32) {
    if lookups.len() >= MOST_LOOKUPS || !cell.has_formula() {
        return;
    }
    let at = CellRef { row, column: cell.column };
    if let FormulaText::Own(formula) | FormulaText::Lone(formula) = formula_of(cell, at) {
        let ends = formula.range_ends();
        if !ends.is_empty() {
            lookups.push((at, ends));
        }
    }
}
