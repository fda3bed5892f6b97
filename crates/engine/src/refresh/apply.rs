//! What was compared, brought into the sheet.

use super::compare::{Compared, range_after};
use super::decide::RowWork;
use super::sheet_side::columns_of;
use crate::cells::{ColumnWriter, Outcome, Scratch};
use crate::feed::Doing;
use crate::fingerprints::{RowStore, texts};
use crate::import::Slot;
use crate::link::{self, Link, Part};
use crate::place::OwnNames;
use crate::stop::{LinkStop, Result, Stop};
use crate::text::Surveyed;
use incola_core::kind::Kind;
use incola_core::reading::ColumnReading;
use incola_core::settings::{format_of, model::Column};
use incola_workbook::{
    Block, BookWriter, Compressor, Revised, Revision, RowEncoder, RowFate, StyleId, Styles, serial_date,
};
use std::cell::RefCell;
use std::io::{Seek, Write};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Records that are encoded at once.
const BATCH: usize = 1000;

/// A refresh that stands in the workbook once it is in its place.
pub struct Applied {
    /// The link as it is from now on.
    pub link: Link,
    /// The fingerprints of its rows.
    pub imported: Vec<u64>,
    /// Cells that were written, and those of them that give back their field.
    pub cells: (u64, u64),
    /// The formats that the workbook gets.
    pub styles: Styles,
}

/// Brings a sheet up to date. `parts`: what the link will know of its sources, asked for when all of them were read. `now`: the time,
/// in UTC.
///
/// # Errors
/// If the source was changed in the meantime, or the workbook cannot be written.
pub fn apply<W: Write + Seek>(
    book: &mut BookWriter<W>,
    compared: &Compared,
    parts: impl FnOnce() -> Result<Vec<Part>>,
    now: &str,
) -> Result<Applied> {
    let failed = |e: incola_workbook::Error| refused(compared, e);
    let Compared { source_now, place, picked, .. } = compared;
    let columns = &source_now.reading.columns;
    let mut styles = source_now.styles.clone();
    let counts_records = place.slots().contains(&Slot::RecordNumber);
    let number_style = if counts_records { styles.number_format("0") } else { StyleId::default() };
    let names = OwnNames { number_rows: None, source_column: None };
    let mut plan = place.plan(columns, &source_now.writers, (&names, number_style));
    let (first, last) = place.data_rows();
    let cells = Cells::new(compared);
    let work = Work {
        fates: fates(compared, first, last),
        first,
        work: &compared.work,
        picked,
        cells: &cells,
        count: AtomicU64::new(0),
        exact: AtomicU64::new(0),
        is_lost: AtomicBool::new(false),
        is_damaged: compared.source_now.damage().undecodable > 0,
    };
    let facts = &place.facts;
    let has_formulas = facts.columns.iter().chain(&facts.beside).any(|c| c.formulas > 0);
    plan.revised = (!compared.work.is_empty() || !compared.gone.is_empty()).then(|| Revised {
        first,
        last,
        gone: compared.gone.clone(),
        columns: place.all_columns(),
        moves_rows: !facts.has_cells_beside,
        has_formulas,
    });
    book.begin_rows(compared.located.sheet, plan, facts, &styles, Some(&work)).map_err(failed)?;
    let new_first = last + 1 - compared.gone.len() as u32;
    add_rows(book, compared, new_first, (&work, number_style))?;
    book.end_rows().map_err(failed)?;
    if work.is_lost.load(Ordering::Relaxed) {
        return Err(Stop::RowsLost);
    }
    let parts = parts()?;
    let range = range_after(compared);
    let link = link_now(compared, parts, range, now)?;
    link::write(book, &link, &compared.imported, range, Some(&compared.stored))?;
    let cells = (work.count.load(Ordering::Relaxed), work.exact.load(Ordering::Relaxed));
    Ok(Applied { link, imported: compared.imported.clone(), cells, styles })
}

/// Why a sheet was not revised.
fn refused(compared: &Compared, error: incola_workbook::Error) -> Stop {
    match error {
        incola_workbook::Error::Refused(why) => {
            let sheet = compared.located.sheet_name.clone();
            Stop::link(&compared.stored.link.name, LinkStop::Refused { sheet, why })
        }
        error => Stop::NotWritten(error),
    }
}

/// What becomes of each row of data.
fn fates(compared: &Compared, first: u32, last: u32) -> Vec<RowFate> {
    let mut fates = vec![RowFate::Stays; (last + 1).saturating_sub(first) as usize];
    for work in &compared.work {
        fates[(work.row - first) as usize] = RowFate::Changes;
    }
    for row in &compared.gone {
        fates[(row - first) as usize] = RowFate::Goes;
    }
    fates
}

/// How the cells of rows are written.
struct Cells<'c> {
    columns: &'c [ColumnReading],
    writers: &'c [ColumnWriter],
    /// By place in the row: what it is made of, and where the field is among those of a picked record.
    places: Vec<(Slot, Option<usize>)>,
    /// Fields that link and source had in common before; those behind them are of new columns.
    common: usize,
    /// Columns of the source from here on are made of others: what they hold is no field of it.
    made_from: usize,
}

impl<'c> Cells<'c> {
    fn new(compared: &'c Compared) -> Self {
        let source_now = &compared.source_now;
        let common = source_now.common();
        let fields = source_now.slots_now(&common);
        let common = common.len();
        let places = compared.place.slots();
        let places = places.into_iter().map(|slot| (slot, fields.iter().position(|field| *field == slot)));
        Self {
            columns: &source_now.reading.columns,
            writers: &source_now.writers,
            places: places.collect(),
            common,
            made_from: source_now.surveyed.first().map_or(usize::MAX, Surveyed::made_from),
        }
    }

    /// Writes a cell from a field; says whether it gives that back.
    fn write(&self, place: usize, field: &[u8], rows: &mut RowEncoder, scratch: &mut Scratch) -> bool {
        let Slot::Field(n) = self.places[place].0 else {
            rows.text(place, Styles::TEXT, field);
            return true;
        };
        let value = self.columns[n].read(field);
        !matches!(self.writers[n].write(place, field, value, rows, scratch), Outcome::Lost(_))
    }
}

/// Rows that are there, revised.
struct Work<'w> {
    fates: Vec<RowFate>,
    first: u32,
    work: &'w [RowWork],
    picked: &'w RowStore,
    cells: &'w Cells<'w>,
    count: AtomicU64,
    exact: AtomicU64,
    /// Whether a record could not be read back.
    is_lost: AtomicBool,
    /// Whether some bytes of the source are no characters.
    is_damaged: bool,
}

impl Work<'_> {
    /// Counts a cell, unless it is made of others. What stands for bytes that are no character is not what the file holds.
    fn note(&self, place: usize, is_exact: bool, text: &[u8]) {
        if matches!(self.cells.places[place].0, Slot::Field(n) if n >= self.cells.made_from) {
            return;
        }
        let is_lost = self.is_damaged && memchr::memmem::find(text, "\u{fffd}".as_bytes()).is_some();
        self.count.fetch_add(1, Ordering::Relaxed);
        self.exact.fetch_add(u64::from(is_exact && !is_lost), Ordering::Relaxed);
    }
}

impl Revision for Work<'_> {
    fn fate(&self, row: u32) -> RowFate {
        let place = row.checked_sub(self.first).and_then(|n| self.fates.get(n as usize));
        place.copied().unwrap_or(RowFate::Stays)
    }

    fn write(&self, row: u32, cells: &mut RowEncoder) {
        let mut buffer = Vec::new();
        let Ok(at) = self.work.binary_search_by_key(&row, |work| work.row) else { return };
        let work = &self.work[at];
        if !self.picked.read(work.record, &mut buffer) {
            self.is_lost.store(true, Ordering::Relaxed);
            return;
        }
        let fields: Vec<&[u8]> = texts(&buffer).collect();
        let mut scratch = Scratch::default();
        for (place, (_, field)) in self.cells.places.iter().enumerate() {
            let goes_in = field.is_some_and(|n| n >= self.cells.common || work.cells.get(n) == Some(&true));
            match field.and_then(|n| fields.get(n)) {
                Some(text) if goes_in => {
                    self.note(place, self.cells.write(place, text, cells, &mut scratch), text);
                }
                _ => cells.keep(place),
            }
        }
    }
}

/// Puts new records under the rows that are there.
fn add_rows<W: Write + Seek>(
    book: &mut BookWriter<W>,
    compared: &Compared,
    first: u32,
    (work, number_style): (&Work<'_>, StyleId),
) -> Result<()> {
    let rows = book.rows(&compared.place.columns());
    let book = RefCell::new(book);
    let mut batches = compared.added.chunks(BATCH);
    let mut next = first;
    let write = |rows: &mut RowEncoder, scratch: &mut Scratch, row: u32, record: u32| {
        let mut buffer = Vec::new();
        if !work.picked.read(record, &mut buffer) {
            work.is_lost.store(true, Ordering::Relaxed);
        }
        let fields: Vec<&[u8]> = texts(&buffer).collect();
        rows.begin_row(row);
        for (place, (slot, field)) in work.cells.places.iter().enumerate() {
            match (slot, field.and_then(|n| fields.get(n))) {
                (_, Some(field)) => {
                    work.note(place, work.cells.write(place, field, rows, scratch), field);
                }
                (Slot::RecordNumber, _) => {
                    rows.number(place, number_style, |out| serial_date::write_whole(out, record + 1));
                }
                _ => rows.blank(place),
            }
        }
        rows.end_row();
    };
    let mut watch = compared.source_now.watch(Doing::Writing);
    incola_parallel::ordered(
        || {
            let Some(batch) = batches.next() else { return Ok(None) };
            let from = next;
            next += batch.len() as u32;
            let under = book.borrow_mut().rows_under(next - 1).map_err(Stop::NotWritten)?;
            Ok(Some((from, batch, under)))
        },
        || (rows.clone(), Compressor::new(), Scratch::default()),
        |(rows, compressor, scratch), (from, batch, under)| {
            if let Some(under) = under {
                rows.lay_under(under);
            }
            for (row, record) in (from..).zip(batch) {
                write(rows, scratch, row, *record);
            }
            let block = rows.compress(compressor);
            rows.clear();
            block
        },
        |block: Block| {
            book.borrow_mut().block(&block).map_err(Stop::NotWritten)?;
            watch.done(0)
        },
    )
}

/// The link as it is from now on.
fn link_now(compared: &Compared, parts: Vec<Part>, range: incola_workbook::Range, now: &str) -> Result<Link> {
    let Compared { stored, located, source_now, .. } = compared;
    let places = columns_of(&stored.link, located)?;
    let mut columns = compared.columns.clone();
    for ((place, _), column) in source_now.common().iter().zip(&mut columns) {
        // Someone may call it otherwise now.
        column.heading.clone_from(&located.headings[places[*place]].1);
    }
    let mut docket = source_now.docket.clone();
    let is_there = |name: &str| {
        let name = name.to_lowercase();
        source_now.reading.columns.iter().any(|c| c.name.to_lowercase() == name)
    };
    docket.columns.retain(|column| is_there(&column.name));
    for n in &source_now.added {
        let column = &source_now.reading.columns[*n];
        docket.columns.push(Column {
            name: column.name.clone(),
            kind: Some(column.rule.kind().word().to_owned()),
            format: format_of(column),
            ..Column::default()
        });
    }
    debug_assert!(columns.iter().all(|c| Kind::from_word(&c.kind).is_some()), "kinds have words");
    let mut link = stored.link.clone();
    let failed =
        |e: toml::ser::Error| Stop::link(&stored.link.name, LinkStop::NotKept { why: e.to_string() });
    let renamed = |name: &String| {
        let place = stored.link.columns.iter().position(|c| c.name.as_ref() == Some(name));
        let now = source_now.renamed.iter().find(|(own, _)| Some(*own) == place).map(|(_, now)| now.clone());
        now.unwrap_or_else(|| name.clone())
    };
    link.table.key = link.table.key.iter().map(renamed).filter(|name| is_there(name)).collect();
    link.docket = toml::to_string(&docket).map_err(failed)?;
    now.clone_into(&mut link.refreshed);
    link.table.sheet.clone_from(&located.sheet_name);
    link.table.table.clone_from(&located.table);
    link.table.range = range.to_string();
    link.table.rows = source_now.reading.records;
    link.name = located.table.clone().unwrap_or_else(|| located.sheet_name.clone());
    link.columns = columns;
    link.damage = Some(source_now.damage());
    link.form = source_now.form();
    link.parts = parts;
    Ok(link)
}
