//! Where rows go in a sheet that is there already: below headings that stand there, below a heading of their own, under the last row,
//! or in place of the rows that stand there. Whatever stands in the way stops the import before anything is written.

mod beside;
pub mod headings;
mod obstacles;
pub mod spot;
mod totals;
mod widths;

use crate::cells::ColumnWriter;
use crate::import::Slot;
use crate::stop::{PlaceStop, Result, Stop};
use headings::{Heading, Offer, Pairs, Rules, pair};
use incola_core::reading::ColumnReading;
pub use incola_core::settings::model::Mode;
use incola_workbook::{
    CellRef, ExistingBook, ExistingCell, ExistingTable, Extension, Fill, Formula, Grown, PlaceFormats,
    Question, Range, Referrer, RowsPlan, SheetFacts, StyleId, Styles, TableChange, Totals,
};
use spot::Spot;
pub use widths::NarrowColumn;

/// Most cells of the headings that are read.
const MOST_CELLS: usize = 40_000;

/// Rows below the headings that tell which columns are computed, before all of them are looked at.
const LOOKED_AT: u32 = 8;

/// What the clerk says about the place.
#[derive(Clone, Debug)]
pub struct Wish {
    /// Where rows are to go.
    pub spot: Spot,
    /// What becomes of what stands there.
    pub mode: Mode,
    /// How columns find their headings.
    pub rules: Rules,
    /// The name of a table over rows with a heading of their own; `None`: a plain range.
    pub new_table: Option<String>,
    /// Whether rows that were typed right below a table belong to it.
    pub takes_rows_below: bool,
    /// Whether rows go into a sheet although it is protected against typing.
    pub even_protected: bool,
    /// The last row of a plain range, if something knows how far its rows reach.
    pub known_last: Option<u32>,
    /// Whether the clerk said so: what follows right below it are totals.
    pub last_is_said: bool,
}

/// The headings of columns that are not the source's.
#[derive(Clone, Copy, Debug, Default)]
pub struct OwnNames<'n> {
    /// Of the one that counts records.
    pub number_rows: Option<&'n str>,
    /// Of the one that says the source.
    pub source_column: Option<&'n str>,
}

/// Where the rows of a source go.
#[derive(Clone, Debug)]
pub struct Place {
    /// The row of a heading that is written; `None`: headings stand there.
    pub heading_row: Option<u32>,
    /// The row of the first record.
    pub first_row: u32,
    /// Columns of the sheet, and what goes into each.
    pub pairs: Pairs,
    /// The headings that stand there.
    headings: Vec<Heading>,
    /// Their row.
    headings_row: u32,
    /// The first row of data in the sheet.
    data_first: u32,
    /// The last one; one before the first: there is none.
    data_last: u32,
    /// The last row whose cells go.
    old_last: u32,
    /// The table that takes the rows in.
    pub table: Option<ExistingTable>,
    new_table: Option<String>,
    totals: Option<Totals>,
    /// A name that stands for the rows, and its cells.
    named: Option<(String, Range)>,
    /// What was seen of the sheet.
    pub facts: SheetFacts,
    question: Question,
    records: u64,
    /// Rows before the new ones that go.
    removed: u32,
    /// The tables of the sheet.
    tables: Vec<ExistingTable>,
    /// Columns that get a heading whose place is taken, and what stands there.
    taken: Vec<ExistingCell>,
}

/// Things that refer to rows that are told one by one.
const TOLD: usize = 8;

/// Bytes of other sheets, charts and pivot tables that are looked at for what refers to rows.
const BYTES_LOOKED_AT: u64 = 64 << 20;

/// What refers to rows of a sheet, each once, some of it.
pub fn in_words(found: &[Referrer], sheet: &str) -> Vec<String> {
    let mut told: Vec<String> = Vec::new();
    for referrer in found {
        let words = match referrer {
            Referrer::Cell(of, at) if of.to_lowercase() == sheet.to_lowercase() => at.to_string(),
            Referrer::Cell(of, at) if of.chars().all(char::is_alphanumeric) => format!("{of}!{at}"),
            Referrer::Cell(of, at) => format!("'{}'!{at}", of.replace('\'', "''")),
            Referrer::Rule(of) => format!("a conditional format or a check on \u{201c}{of}\u{201d}"),
            Referrer::Chart(Some(of)) => format!("a chart on \u{201c}{of}\u{201d}"),
            Referrer::Chart(None) => "a chart".to_owned(),
            Referrer::Name(name, to) if name == "_xlnm.Print_Area" => {
                format!("the print area {}", cells_of(to))
            }
            Referrer::Name(name, to) => format!("the name {name} ({})", cells_of(to)),
            Referrer::Pivot => "the source of a pivot table".to_owned(),
        };
        if !told.contains(&words) {
            told.push(words);
        }
    }
    if told.len() > TOLD {
        told.truncate(TOLD);
        told.push("\u{2026}".to_owned());
    }
    told
}

/// What a name stands for, without its sheet where it is one range.
fn cells_of(refers_to: &str) -> String {
    let range = refers_to.rsplit_once('!').map_or(refers_to, |(_, range)| range).replace('$', "");
    Range::parse(&range).map_or_else(|| refers_to.to_owned(), |range| range.to_string())
}

impl Place {
    /// Columns of the sheet, from 1.
    pub fn columns(&self) -> Vec<u32> {
        self.pairs.slots.iter().map(|(column, _)| *column).collect()
    }

    /// What goes into each.
    pub fn slots(&self) -> Vec<Slot> {
        self.pairs.slots.iter().map(|(_, slot)| *slot).collect()
    }

    /// The last row that is filled; one before the first: there is none.
    fn last_row(&self) -> u32 {
        (self.first_row - 1).saturating_add(u32::try_from(self.records).unwrap_or(u32::MAX))
    }

    /// The rows of data that stood there.
    pub fn rows_before(&self) -> u64 {
        u64::from((self.data_last + 1).saturating_sub(self.data_first))
    }

    /// The same place for so many new rows, where `removed` of those before them go.
    ///
    /// # Errors
    /// [`Stop::Place`] if something stands in the way.
    pub fn with_rows(mut self, records: u64, removed: u32, wish: &Wish, name: &str) -> Result<Self> {
        self.records = records;
        self.removed = removed;
        self.first_row -= removed;
        obstacles::check(&self, wish, name)?;
        Ok(self)
    }

    /// The first and the last row of data that stands there.
    pub fn data_rows(&self) -> (u32, u32) {
        (self.data_first, self.data_last)
    }

    /// Rows of totals below the data.
    fn totals_rows(&self) -> u32 {
        self.totals.as_ref().map_or(0, |totals| totals.rows.len() as u32)
    }

    /// All columns of the rows, those beside included.
    pub fn all_columns(&self) -> Vec<u32> {
        let mut all = self.columns();
        all.extend(&self.question.beside);
        if let Some(table) = &self.table {
            all.extend(table.range.from.column..=table.range.to.column);
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// The rows in which other records stand now, the first and the last one; `None`: there are none.
    pub fn replaced_rows(&self) -> Option<(u32, u32)> {
        (self.heading_row.is_none() && self.first_row <= self.data_last)
            .then_some((self.first_row, self.data_last))
    }

    /// The rows that became more, those of totals below them first; none: they did not.
    pub fn grown(&self, sheet: &str) -> Vec<Grown> {
        let (old, new) = (self.data_last, self.last_row());
        // With fewer rows what ended with them covers blank cells, which sum up to nothing.
        if new <= old || old < self.data_first || self.heading_row.is_some() {
            return Vec::new();
        }
        let of =
            |last| Grown { sheet: sheet.to_owned(), columns: self.columns(), first: self.data_first, last };
        let totals = self.totals.as_ref().map(|totals| of((totals.stood().1, totals.last())));
        totals.into_iter().chain([of((old, new))]).collect()
    }

    /// Formulas outside of the rows, names, charts and the like whose ranges ended exactly with the rows and do not end with them now:
    /// in words. A part of another sheet that is broken says nothing: it is copied as it is.
    ///
    /// # Errors
    /// If the workbook cannot be read.
    pub fn left_behind(&self, book: &mut ExistingBook, sheet: &str) -> Result<Vec<String>> {
        let grown = self.grown(sheet);
        let Some(rows) = grown.last() else { return Ok(Vec::new()) };
        let is_ours = |end: &CellRef| end.row == rows.last.0 && rows.columns.contains(&end.column);
        let formulas = self.facts.lookups.iter().filter(|(_, ends)| ends.iter().any(is_ours));
        let mut found: Vec<Referrer> =
            formulas.map(|(at, _)| Referrer::Cell(sheet.to_owned(), *at)).collect();
        let is_own = |name: &str| self.named.as_ref().is_some_and(|(own, _)| own == name);
        let goes_along = |name: &str| is_own(name) || name == "_xlnm._FilterDatabase";
        for name in book.defined_names().iter().filter(|n| !n.is_hidden && !goes_along(&n.name)) {
            let ended = |grown: &Grown| Formula::parse(&name.refers_to, 1).grown("", grown, false).is_some();
            if grown.iter().any(ended) {
                found.push(Referrer::Name(name.name.clone(), name.refers_to.clone()));
            }
        }
        for grown in &grown {
            match book.referrers(grown, TOLD, BYTES_LOOKED_AT) {
                Ok(more) => found.extend(more),
                Err(error @ incola_workbook::Error::Read(_)) => return Err(Stop::Book(error)),
                Err(_) => {}
            }
        }
        Ok(in_words(&found, sheet))
    }

    /// The cells that are filled, with their heading.
    pub fn range(&self) -> Range {
        let from = self.heading_row.unwrap_or(self.first_row);
        let columns = self.columns();
        let column = |at: Option<&u32>| at.copied().unwrap_or(1);
        Range {
            from: CellRef { row: from, column: column(columns.first()) },
            to: CellRef { row: self.last_row(), column: column(columns.last()) },
        }
    }

    /// The cells that rows are in, with the headings above them.
    pub fn linked_range(&self) -> Range {
        let mut range = self.range();
        range.from.row = self.heading_row.unwrap_or(self.headings_row);
        range.to.row = range.to.row.max(self.first_row);
        range
    }

    /// By column that comes from the source: the heading that stands above it; `None`: one that is written.
    pub fn headings_of_slots(&self) -> Vec<Option<String>> {
        let slots =
            self.pairs.slots.iter().filter(|(_, slot)| matches!(slot, Slot::Field(_) | Slot::SourceName));
        let heading = |column: u32| self.headings.iter().find(|h| h.column == column).map(|h| h.name.clone());
        slots.map(|(column, _)| heading(*column)).collect()
    }

    /// What the sheet has in the column that a column of the source goes into.
    pub fn facts_of(&self, field: usize) -> Option<&incola_workbook::ColumnFacts> {
        let place = self.pairs.slots.iter().position(|(_, slot)| *slot == Slot::Field(field))?;
        self.facts.columns.get(place)
    }

    /// What is done to the sheet.
    pub fn plan(
        &self,
        columns: &[ColumnReading],
        writers: &[ColumnWriter],
        (names, number_style): (&OwnNames<'_>, StyleId),
    ) -> RowsPlan {
        let last = self.last_row();
        let formats = self.pairs.slots.iter().zip(&self.facts.columns).map(|((column, slot), facts)| {
            let of_column = self.facts.column_format(*column);
            let of_cells = facts.usual_format();
            let all = facts.formats.iter().map(|f| f.format);
            PlaceFormats {
                usual: of_cells.unwrap_or(of_column),
                is_of_cells: of_cells.is_some(),
                goes_on_below: facts.formats.iter().map(|f| f.cells).sum::<u64>() > self.rows_before(),
                all: all.chain(self.facts.row_formats.iter().copied()).chain([of_column]).collect(),
                styles: match slot {
                    Slot::Field(n) => writers[*n].formats(),
                    Slot::RecordNumber => vec![number_style],
                    _ => vec![Styles::TEXT],
                },
            }
        });
        let rows = self.rows_before();
        let fills = self.question.beside.iter().zip(&self.facts.beside).filter_map(|(column, facts)| {
            let (_, formula) = facts.last_formula.clone()?;
            // Formulas here and there are the clerk's own; down the whole column they belong to the rows.
            let usual = facts.usual_format().unwrap_or(self.facts.column_format(*column));
            (facts.formulas * 2 > rows).then(|| Fill {
                column: *column,
                formula,
                format: usual,
                kept_to: self.data_last - self.removed,
                array: facts.last_is_array,
            })
        });
        let fills: Vec<Fill> = fills.collect();
        // A table has one row at least.
        let end = last.max(self.data_first);
        let totals = self.totals.clone().map(|t| Totals { to: end + 1, ..t });
        let table = match (&self.table, &self.new_table) {
            (Some(table), _) => {
                let names = self.pairs.added.iter().map(|(_, name)| name.clone()).collect();
                let totals = self.table.as_ref().is_some_and(|t| t.has_totals);
                Some(TableChange::Resized(table.clone(), end + u32::from(totals), names))
            }
            (None, Some(name)) if self.heading_row.is_some() => {
                let mut range = self.range();
                range.to.row = last.max(self.first_row);
                let names = self.pairs.slots.iter().map(|(_, slot)| match slot {
                    Slot::Field(n) => columns[*n].name.clone(),
                    Slot::RecordNumber => names.number_rows.unwrap_or_default().to_owned(),
                    _ => names.source_column.unwrap_or_default().to_owned(),
                });
                Some(TableChange::New(name.clone(), range, names.collect()))
            }
            _ => None,
        };
        RowsPlan {
            revised: None,
            range: self.range(),
            columns: self.columns(),
            formats: formats.collect(),
            beside: self.question.beside.clone(),
            extension: self.heading_row.is_none().then(|| Extension {
                columns: self.columns().into_iter().chain(fills.iter().map(|f| f.column)).collect(),
                first_row: self.data_first,
                old_last: self.data_last.max(self.data_first),
                new_last: end,
                shrinks: self.removed > 0,
            }),
            fills,
            old_last: self.old_last,
            totals,
            added_headings: (!self.pairs.added.is_empty())
                .then(|| (self.headings_row, self.pairs.added.clone())),
            table,
            named: self.named.clone().and_then(|(name, mut range)| {
                // It goes with the rows if it stood for all of them; a single cell says where they begin.
                let stood = range.from != range.to && range.to.row == self.data_last.max(self.data_first);
                range.to.row = end;
                (stood && self.heading_row.is_none()).then_some((name, range))
            }),
            widths: Vec::new(),
        }
    }
}

/// Finds the place for what a source offers in sheet `sheet` of a workbook, called `name`, and makes sure that nothing stands in
/// the way.
pub fn find(
    book: &mut ExistingBook,
    (sheet, name): (usize, &str),
    wish: &Wish,
    offers: &[Offer],
    records: u64,
) -> Result<Place> {
    let place = look(book, (sheet, name), wish, offers, &mut |book, question| book.facts(sheet, question))?;
    place.with_rows(records, 0, wish, name)
}

/// What is asked of a sheet.
pub type Asking<'a> = dyn FnMut(&mut ExistingBook, &Question) -> incola_workbook::Result<SheetFacts> + 'a;

/// Finds the place, for rows that are yet to be [counted](Place::with_rows). `ask`: how the sheet is looked at.
pub fn look(
    book: &mut ExistingBook,
    (sheet, name): (usize, &str),
    wish: &Wish,
    offers: &[Offer],
    ask: &mut Asking<'_>,
) -> Result<Place> {
    let tables = book.tables(sheet).map_err(Stop::Book)?;
    let table = table_for(&tables, wish, name)?;
    let at = wish.spot.cell.unwrap_or(CellRef { row: 1, column: 1 });
    let top = table.as_ref().map_or(at.row.saturating_sub(1).max(1), |t| t.range.from.row);
    let cells = book.cells(sheet, top, top + 1 + LOOKED_AT, MOST_CELLS).map_err(Stop::Book)?;
    let (headings_row, headings) = match &table {
        Some(table) => (Some(table.range.from.row), table_headings(table, &cells)),
        None => match sheet_headings(at, &cells, offers, wish.rules, name) {
            Some((row, headings)) => (Some(row), headings),
            None => (None, Vec::new()),
        },
    };
    let mut pairs = match headings_row {
        Some(_) => pair(&headings, offers, wish.rules, name)?,
        None => {
            Pairs { slots: (at.column..).zip(offers.iter().map(|o| o.slot)).collect(), ..Pairs::default() }
        }
    };
    let heading_row = headings_row.is_none().then_some(at.row);
    let data_first = headings_row.map_or(at.row, |row| row + 1);
    let mut question = Question {
        columns: pairs.slots.iter().map(|(column, _)| *column).collect(),
        beside: beside::usual((&pairs, &headings), (&tables, table.as_ref()), &cells, data_first),
        first_row: data_first,
        totals_rows: table.as_ref().filter(|t| t.has_totals).map(|t| (t.range.to.row, t.range.to.row)),
        last_row: table.as_ref().map(|t| t.range.to.row),
    };
    let mut facts = ask(book, &question).map_err(Stop::Book)?;
    if heading_row.is_none() && beside::compute(&facts, &mut pairs, &mut question) {
        facts = ask(book, &question).map_err(Stop::Book)?;
    }
    if heading_row.is_none() && wish.mode != Mode::Fresh {
        let more =
            beside::touching(&facts, (&question, &headings), (&tables, table.as_ref()), wish.known_last);
        if !more.is_empty() {
            // What stands right beside the rows belongs to them.
            question.beside.extend(more);
            question.beside.sort_unstable();
            facts = ask(book, &question).map_err(Stop::Book)?;
        }
        if table.is_none() {
            let found = match wish.known_last.filter(|_| wish.last_is_said) {
                Some(last) => beside::below(&facts, (data_first, last)),
                None => totals::of_range(&facts, (&question.columns, data_first), wish.known_last, name)?,
            };
            if found.is_some() {
                // Known now: they are no data, and their formats and formulas are not those of the rows.
                question.totals_rows = found;
                facts = ask(book, &question).map_err(Stop::Book)?;
            }
        }
    }
    if heading_row.is_some() && wish.mode == Mode::Append && facts.last_filled_row > 0 {
        return Err(Stop::place(name, PlaceStop::NoHeadings { at }));
    }
    let data_last = if let Some(table) = &table {
        let end = filled_end(table, &facts, wish.mode);
        if wish.takes_rows_below { rows_below(table, &facts, end) } else { end }
    } else {
        // What follows each other right below the headings; a note further down is none of it. Where it is known how far the rows
        // reach, blank rows between them divide nothing.
        let first = facts.runs.first().filter(|run| run.from == data_first);
        let end = first.map_or(data_first - 1, |run| run.to);
        wish.known_last.map_or(end, |known| facts.filled_down_to(known).unwrap_or(known).max(end))
    };
    // What stands below a plain range is of something else: its columns say nothing about those of the range.
    let known_rows = data_last.max(question.totals_rows.map_or(0, |(_, last)| last));
    if table.is_none()
        && heading_row.is_none()
        && data_last >= data_first
        && facts.last_filled_row > known_rows
    {
        question.last_row = Some(data_last);
        facts = ask(book, &question).map_err(Stop::Book)?;
    }
    let table_last = table.as_ref().map(|t| t.range.to.row - u32::from(t.has_totals));
    let (first_row, old_last) = match wish.mode {
        Mode::Append => (data_last + 1, table_last.unwrap_or(data_last).max(data_last)),
        // Own headings: nothing may stand there, and nothing goes.
        _ if heading_row.is_some() => (at.row + 1, at.row),
        Mode::Replace => (data_first, table_last.unwrap_or(data_last)),
        Mode::Fresh => (data_first, table_last.unwrap_or(data_first - 1)),
    };
    let rows = facts.totals.clone();
    let totals = rows.first().map(|first| first.row).map(|to| Totals { to, rows });
    let is_taken = |cell: &&ExistingCell| {
        headings_row == Some(cell.at.row) && pairs.added.iter().any(|(column, _)| *column == cell.at.column)
    };
    let taken = cells.iter().filter(is_taken).cloned().collect();
    let place = Place {
        heading_row,
        first_row,
        pairs,
        headings_row: headings_row.unwrap_or(at.row),
        headings,
        data_first,
        data_last,
        old_last,
        named: wish.spot.range.clone(),
        new_table: wish.new_table.clone().filter(|_| heading_row.is_some()),
        table,
        totals,
        facts,
        question,
        records: 0,
        removed: 0,
        tables,
        taken,
    };
    Ok(place)
}

/// The table that is meant.
fn table_for(tables: &[ExistingTable], wish: &Wish, sheet: &str) -> Result<Option<ExistingTable>> {
    let usable = || tables.iter().filter(|t| t.has_header);
    if let Some(name) = &wish.spot.table {
        return match tables.iter().find(|t| t.name == *name) {
            Some(table) if table.has_header => Ok(Some(table.clone())),
            _ => Err(Stop::place(sheet, PlaceStop::TableWithoutHeadings { name: name.clone() })),
        };
    }
    if let Some(at) = wish.spot.cell {
        let mut below = usable().filter(|t| {
            let row = t.range.from.row..=t.range.to.row + u32::from(wish.mode == Mode::Append);
            row.contains(&at.row) && (t.range.from.column..=t.range.to.column).contains(&at.column)
        });
        return Ok(below.next().cloned());
    }
    let all: Vec<&ExistingTable> = usable().collect();
    match (all.as_slice(), wish.mode) {
        ([only], mode) if mode != Mode::Fresh || only.range.from == (CellRef { row: 1, column: 1 }) => {
            Ok(Some((*only).clone()))
        }
        ([_, _, ..], mode) if mode != Mode::Fresh => {
            let names = all.iter().map(|t| t.name.clone()).collect();
            Err(Stop::place(sheet, PlaceStop::SeveralTables { names }))
        }
        _ => Ok(None),
    }
}

fn table_headings(table: &ExistingTable, cells: &[ExistingCell]) -> Vec<Heading> {
    let from = table.range.from;
    let computes = |n: usize, column: u32| {
        table.computed.contains(&n) || is_computed(cells, CellRef { row: from.row + 1, column })
    };
    let columns = table.columns.iter().enumerate().zip(from.column..);
    columns
        .map(|((n, name), column)| Heading { column, name: name.clone(), is_computed: computes(n, column) })
        .collect()
}

/// Whether half of the first cells from `from` down are formulas: one may have been typed over.
fn is_computed(cells: &[ExistingCell], from: CellRef) -> bool {
    let rows = from.row..from.row + LOOKED_AT;
    let own = cells.iter().filter(|c| c.at.column == from.column && rows.contains(&c.at.row));
    let (formulas, others): (Vec<_>, Vec<_>) = own.partition(|c| c.has_formula);
    !formulas.is_empty() && formulas.len() >= others.len()
}

/// Headings at a cell or right above it: a run of text, and their row. Where both rows hold text, the one that the source's columns
/// fit, for text stands among data too.
fn sheet_headings(
    at: CellRef,
    cells: &[ExistingCell],
    offers: &[Offer],
    rules: Rules,
    sheet: &str,
) -> Option<(u32, Vec<Heading>)> {
    let headings_in = |row: u32| -> Vec<Heading> {
        let own = cells.iter().filter(|c| c.at.row == row && c.at.column >= at.column);
        // An empty text is no heading.
        let is_named = |cell: &ExistingCell| cell.is_text && !cell.text.trim().is_empty();
        let run =
            (at.column..).zip(own).take_while(|(column, cell)| cell.at.column == *column && is_named(cell));
        run.map(|(column, cell)| Heading {
            column,
            name: cell.text.clone(),
            is_computed: is_computed(cells, CellRef { row: row + 1, column }),
        })
        .collect()
    };
    let rows = [at.row, at.row.saturating_sub(1)].into_iter().filter(|row| *row > 0);
    let mut found: Vec<_> =
        rows.map(|row| (row, headings_in(row))).filter(|(_, headings)| !headings.is_empty()).collect();
    let fitting = found.iter().position(|(_, headings)| pair(headings, offers, rules, sheet).is_ok());
    // If neither does, the one that shares more names is told.
    let shared = |headings: &[Heading]| {
        headings.iter().filter(|h| offers.iter().any(|o| o.name.eq_ignore_ascii_case(&h.name))).count()
    };
    let nearest = || (0..found.len()).max_by_key(|n| (shared(&found[*n].1), *n));
    let best = fitting.or_else(nearest)?;
    Some(found.swap_remove(best))
}

/// The last row of those that follow right below a table, if they look like its rows: totals have formulas.
fn rows_below(table: &ExistingTable, facts: &SheetFacts, end: u32) -> u32 {
    let run = facts.runs.iter().find(|run| (run.from..=run.to).contains(&end));
    let is_theirs = |to: u32| !(end + 1..=to).contains(&facts.last_formula_row);
    match run {
        Some(run) if !table.has_totals && end == table.range.to.row && is_theirs(run.to) => run.to,
        _ => end,
    }
}

/// The last row of a table that holds something.
fn filled_end(table: &ExistingTable, facts: &SheetFacts, mode: Mode) -> u32 {
    let end = table.range.to.row - u32::from(table.has_totals);
    let filled = facts.runs.iter().filter(|run| run.from <= end).map(|run| run.to.min(end)).max();
    match mode {
        // Rows go under the last one that is filled: a new table has a blank one.
        Mode::Append | Mode::Fresh => filled.unwrap_or(table.range.from.row),
        Mode::Replace => end,
    }
}
