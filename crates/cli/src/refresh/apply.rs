//! What was compared, brought into the sheet.

use super::compare::{Compared, range_after};
use super::decide::RowWork;
use super::sheet_side::columns_of;
use crate::bridge::{ColumnWriter, Outcome, Scratch};
use crate::docket::draft::format_of;
use crate::failure::{Failure, Result};
use crate::links::mirror::{Seen, SeenPart};
use crate::links::origin::Stamp;
use crate::links::{self, Kept, Link, Part};
use crate::passes::prints::{Picked, texts};
use crate::passes::write::{Slot, not_written};
use crate::placing::OwnNames;
use crate::source::Source;
use crate::target::Target;
use incola_core::docket::Column;
use incola_core::kind::Kind;
use incola_core::reading::ColumnReading;
use incola_workbook::{
    Block, BookWriter, Compressor, Revised, Revision, RowEncoder, RowFate, StyleId, Styles, pipeline,
    serial_date,
};
use std::cell::RefCell;
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Records that are encoded at once.
const BATCH: usize = 1000;

/// A refresh that stands in the workbook once it is in its place.
pub(crate) struct Applied {
    kept: Kept,
    link: Link,
    imported: Vec<u64>,
    parts: Vec<(Part, Stamp)>,
    source: Option<Source>,
    /// Cells that were written, and those of them that give back their field.
    pub(crate) cells: (u64, u64),
}

/// Brings a sheet up to date.
///
/// # Errors
/// If the source was changed in the meantime, or the workbook cannot be written.
pub(crate) fn apply(book: &mut BookWriter<Target>, compared: Compared) -> Result<(Applied, Styles)> {
    compared.reread.check_still()?;
    let failed = |e: incola_workbook::Error| refused(&compared.located.sheet_name, &e);
    let Compared { reread, place, picked, .. } = &compared;
    let columns = &reread.reading.columns;
    let mut styles = reread.styles.clone();
    let counts_records = place.slots().contains(&Slot::RecordNumber);
    let number_style = if counts_records { styles.number_format("0") } else { StyleId::default() };
    let names = OwnNames { number_rows: None, source_column: None };
    let mut plan = place.plan(columns, &reread.writers, (&names, number_style));
    let (first, last) = place.data_rows();
    let cells = Cells::new(&compared);
    let work = Work {
        fates: fates(&compared, first, last),
        first,
        work: &compared.work,
        picked,
        cells: &cells,
        count: AtomicU64::new(0),
        exact: AtomicU64::new(0),
        is_lost: AtomicBool::new(false),
        is_damaged: compared.reread.damage().undecodable > 0,
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
    add_rows(book, &compared, new_first, (&work, number_style))?;
    book.end_rows().map_err(failed)?;
    if work.is_lost.load(Ordering::Relaxed) {
        return Err(Failure::unreadable("records that were put aside cannot be read back")
            .leaving("the workbook was left as it is"));
    }
    let parts = reread.parts_now()?;
    let range = range_after(&compared);
    let link = link_now(&compared, &parts, range)?;
    links::write(book, &link, &compared.imported, range, Some(&compared.kept))?;
    let counts = (work.count.load(Ordering::Relaxed), work.exact.load(Ordering::Relaxed));
    let is_one_file = reread.only_file(&link).is_some();
    let Compared { kept, imported, reread, .. } = compared;
    let source = reread.sources.into_iter().next().map(|(source, _)| source).filter(|_| is_one_file);
    Ok((Applied { kept, link, imported, parts, source, cells: counts }, styles))
}

/// Why a sheet was not revised.
fn refused(sheet: &str, error: &incola_workbook::Error) -> Failure {
    match error {
        incola_workbook::Error::Refused(what) => {
            Failure::protected(format!("sheet \u{201c}{sheet}\u{201d}: {what}"))
                .leaving("the workbook was left as it is")
        }
        error => not_written(error),
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
}

impl<'c> Cells<'c> {
    fn new(compared: &'c Compared) -> Self {
        let reread = &compared.reread;
        let common = reread.common();
        let fields = reread.slots_now(&common);
        let common = common.len();
        let places = compared.place.slots();
        let places = places.into_iter().map(|slot| (slot, fields.iter().position(|field| *field == slot)));
        Self { columns: &reread.reading.columns, writers: &reread.writers, places: places.collect(), common }
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
    picked: &'w Picked,
    cells: &'w Cells<'w>,
    count: AtomicU64,
    exact: AtomicU64,
    /// Whether a record could not be read back.
    is_lost: AtomicBool,
    /// Whether some bytes of the source are no characters.
    is_damaged: bool,
}

impl Work<'_> {
    /// Counts a cell. What stands for bytes that are no character is not what the file holds.
    fn note(&self, is_exact: bool, text: &[u8]) {
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
                Some(text) if goes_in => self.note(self.cells.write(place, text, cells, &mut scratch), text),
                _ => cells.keep(place),
            }
        }
    }
}

/// Puts new records under the rows that are there.
fn add_rows(
    book: &mut BookWriter<Target>,
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
                (_, Some(field)) => work.note(work.cells.write(place, field, rows, scratch), field),
                (Slot::RecordNumber, _) => {
                    rows.number(place, number_style, |out| serial_date::write_whole(out, record + 1));
                }
                _ => rows.blank(place),
            }
        }
        rows.end_row();
    };
    pipeline::ordered(
        || {
            let Some(batch) = batches.next() else { return Ok(None) };
            let from = next;
            next += batch.len() as u32;
            let under = book.borrow_mut().rows_under(next - 1).map_err(|e| not_written(&e))?;
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
            crate::interrupt::check()?;
            book.borrow_mut().block(&block).map_err(|e| not_written(&e))
        },
    )
}

/// The link as it is from now on.
fn link_now(compared: &Compared, parts: &[(Part, Stamp)], range: incola_workbook::Range) -> Result<Link> {
    let Compared { kept, located, reread, .. } = compared;
    let places = columns_of(kept, located)?;
    let mut columns = compared.columns.clone();
    for ((place, _), column) in reread.common().iter().zip(&mut columns) {
        // Someone may call it otherwise now.
        column.heading.clone_from(&located.headings[places[*place]].1);
    }
    let mut docket = reread.docket.clone();
    let is_there = |name: &str| {
        let name = name.to_lowercase();
        reread.reading.columns.iter().any(|c| c.name.to_lowercase() == name)
    };
    docket.columns.retain(|column| is_there(&column.name));
    for n in &reread.added {
        let column = &reread.reading.columns[*n];
        docket.columns.push(Column {
            name: column.name.clone(),
            kind: Some(column.rule.kind().word().to_owned()),
            format: format_of(&column.rule, column.format()),
            ..Column::default()
        });
    }
    debug_assert!(columns.iter().all(|c| Kind::from_word(&c.kind).is_some()), "kinds have words");
    let failed = |e: toml::ser::Error| Failure::unreadable(format!("the link cannot be kept: {e}"));
    let mut link = kept.link.clone();
    let renamed = |name: &String| {
        let place = kept.link.columns.iter().position(|c| c.name.as_ref() == Some(name));
        let now = reread.renamed.iter().find(|(own, _)| Some(*own) == place).map(|(_, now)| now.clone());
        now.unwrap_or_else(|| name.clone())
    };
    link.table.key = link.table.key.iter().map(renamed).filter(|name| is_there(name)).collect();
    link.docket = toml::to_string(&docket).map_err(failed)?;
    link.refreshed = crate::safety::now();
    link.table.sheet.clone_from(&located.sheet_name);
    link.table.table.clone_from(&located.table);
    link.table.range = range.to_string();
    link.table.rows = reread.reading.records;
    link.name = located.table.clone().unwrap_or_else(|| located.sheet_name.clone());
    link.columns = columns;
    link.damage = Some(reread.damage());
    link.parts = parts.iter().map(|(part, _)| part.clone()).collect();
    Ok(link)
}

impl Applied {
    /// Remembers the refresh: the workbook stands in its place now.
    pub(crate) fn remember(&self, book: &Path) {
        let mirror = &self.kept.mirror;
        mirror.keep_link(&self.link, &self.imported);
        let parts = self.parts.iter().map(|(part, stamp)| SeenPart::now(part, *stamp)).collect();
        mirror.keep_seen(&Seen { parts });
        mirror.trust(&links::origin::reads(&self.link, book));
        if let Some(source) = &self.source {
            mirror.keep_source(source);
        }
    }
}
