//! The second pass: the plan is obeyed, cells are written, spelled again and compared.

use super::blocks::Cut;
use super::candidate::Candidate;
use super::survey::Surveyed;
use crate::bridge::{ColumnWriter, Loss, Outcome, Scratch};
use crate::failure::{Failure, Result};
use crate::interrupt;
use crate::progress::Progress;
use crate::source::Source;
use crate::target::Target;
use incola_core::encoding::{Encoding, Undecodable};
use incola_core::kind::{Kind, Sum, Value};
use incola_core::reading::ColumnReading;
use incola_core::record::Machine;
use incola_core::refresh::fingerprint;
use incola_core::survey::{Item, SurveyPlan, next_item};
use incola_workbook::{Block, BookWriter, Compressor, RowEncoder, StyleId, Styles, pipeline};
use std::cell::RefCell;

/// XML of rows that is compressed at once at most.
const ROWS_BYTES: usize = 384 * 1024;

/// Cells that are told one by one; more are counted.
const TOLD: usize = 10_000;

/// A cell that does not give back what the source had, or does not fit its column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct CellNote {
    /// Line of the source.
    pub(crate) line: u64,
    /// Row of the sheet.
    pub(crate) row: u32,
    /// Column of the source, from 1.
    pub(crate) column: usize,
    /// The field's first characters.
    pub(crate) text: String,
    /// Why it is told.
    pub(crate) why: &'static str,
}

/// What was written of a column.
#[derive(Clone, Debug, Default)]
pub(crate) struct ColumnTally {
    /// Cells that hold something.
    pub(crate) cells: u64,
    /// Fields that are blank.
    pub(crate) blank: u64,
    /// Fields that do not fit the kind.
    pub(crate) misfits: u64,
    /// The sum of its numbers.
    pub(crate) sum: Sum,
    /// Most decimals of its numbers.
    pub(crate) decimals: u8,
    /// Its earliest and latest day, since 1970-01-01.
    pub(crate) days: Option<(i32, i32)>,
}

impl ColumnTally {
    /// Counts what a value is, besides a cell.
    #[inline]
    pub(crate) fn count(&mut self, value: &Value<'_>) {
        match value {
            Value::Number(number, _) => {
                self.sum.add(number);
                self.decimals = self.decimals.max(number.spelling.decimals());
            }
            Value::Moment(Some(day), ..) => {
                let day = day.since_1970();
                self.days = Some(self.days.map_or((day, day), |(from, to)| (from.min(day), to.max(day))));
            }
            _ => {}
        }
    }

    /// Adds what was counted later.
    pub(crate) fn merge(&mut self, more: &Self) {
        self.cells += more.cells;
        self.blank += more.blank;
        self.misfits += more.misfits;
        self.sum.merge(&more.sum);
        self.decimals = self.decimals.max(more.decimals);
        self.days = match (self.days, more.days) {
            (Some((from, to)), Some((f, t))) => Some((from.min(f), to.max(t))),
            (mine, more) => mine.or(more),
        };
    }

    /// The sum, with no rounding; `None`: it could not be kept exactly.
    pub(crate) fn sum_text(&self) -> Option<String> {
        self.sum.is_exact().then(|| self.sum.text(self.decimals))
    }
}

/// What was written.
#[derive(Clone, Debug, Default)]
pub(crate) struct Written {
    /// Rows.
    pub(crate) rows: u64,
    /// Cells that hold something.
    pub(crate) cells: u64,
    /// Cells that give back their field character for character.
    pub(crate) exact: u64,
    /// By column of the source.
    pub(crate) columns: Vec<ColumnTally>,
    /// Fields that are not given back.
    pub(crate) lost: u64,
    /// The first of those.
    pub(crate) lost_cells: Vec<CellNote>,
    /// Fields that do not fit their column.
    pub(crate) misfits: u64,
    /// The first of those.
    pub(crate) misfit_cells: Vec<CellNote>,
    /// By row, if they were wanted: fingerprints of the cells that come from the source.
    pub(crate) prints: Vec<u64>,
    /// Columns whose values may be a key.
    pub(crate) candidates: Vec<Candidate>,
}

impl Written {
    fn for_placing(placing: &Placing<'_>) -> Self {
        Self {
            columns: vec![ColumnTally::default(); placing.columns.len()],
            candidates: placing.candidates.iter().map(|place| Candidate::at(*place)).collect(),
            ..Self::default()
        }
    }

    /// Adds what was written later.
    pub(crate) fn merge(&mut self, later: Self) {
        self.rows += later.rows;
        self.cells += later.cells;
        self.exact += later.exact;
        self.lost += later.lost;
        self.misfits += later.misfits;
        self.columns.resize(self.columns.len().max(later.columns.len()), ColumnTally::default());
        for (mine, more) in self.columns.iter_mut().zip(&later.columns) {
            mine.merge(more);
        }
        self.prints.extend(later.prints);
        if self.candidates.is_empty() {
            self.candidates = later.candidates;
        } else {
            for (mine, more) in self.candidates.iter_mut().zip(later.candidates) {
                mine.merge(more);
            }
        }
        for (mine, more) in
            [(&mut self.lost_cells, later.lost_cells), (&mut self.misfit_cells, later.misfit_cells)]
        {
            let room = TOLD.saturating_sub(mine.len());
            mine.extend(more.into_iter().take(room));
        }
    }
}

/// Where the rows of a source go.
pub(crate) struct Placing<'p> {
    /// How the columns are read, in the order of the source.
    pub(crate) columns: &'p [ColumnReading],
    /// Their writers.
    pub(crate) writers: &'p [ColumnWriter],
    /// The row of the first record, from 1.
    pub(crate) first_row: u32,
    /// Columns of the sheet (from 1) in rising order.
    pub(crate) sheet_columns: Vec<u32>,
    /// What goes into each of them.
    pub(crate) slots: Vec<Slot>,
    /// What the source is called, where a column says so.
    pub(crate) source_name: &'p str,
    /// The format of the numbers of records.
    pub(crate) number_style: StyleId,
    /// The number of the first record.
    pub(crate) first_record: u32,
    /// Whether fingerprints of rows are wanted, for the table's link.
    pub(crate) is_linked: bool,
    /// Places in the slots whose columns may be a key.
    pub(crate) candidates: Vec<usize>,
}

/// What goes into a column of the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Slot {
    /// A column of the source, from 0.
    Field(usize),
    /// What the source is called.
    SourceName,
    /// The number of the record, from 1.
    RecordNumber,
    /// Nothing.
    Nothing,
}

impl<'p> Placing<'p> {
    /// The rows of a new sheet, side by side from its first column on.
    pub(crate) fn new(
        (columns, writers): (&'p [ColumnReading], &'p [ColumnWriter]),
        slots: Vec<Slot>,
        first_row: u32,
        source_name: &'p str,
        number_style: StyleId,
    ) -> Self {
        let sheet_columns = (1..).take(slots.len()).collect();
        Self {
            columns,
            writers,
            first_row,
            sheet_columns,
            slots,
            source_name,
            number_style,
            first_record: 1,
            is_linked: false,
            candidates: Vec::new(),
        }
    }

    /// The same, with what the link of the table needs.
    pub(crate) fn linked(mut self, is_linked: bool, candidates: Vec<usize>) -> Self {
        self.is_linked = is_linked;
        self.candidates = if is_linked { candidates } else { Vec::new() };
        self
    }
}

/// A worker's own buffers.
struct Worker {
    machine: Machine,
    rows: RowEncoder,
    compressor: Compressor,
    scratch: Scratch,
    text: Vec<u8>,
    /// Fingerprints of the cells of a row.
    prints: Vec<u64>,
}

/// Writes the records of a surveyed source as rows of the sheet that is open.
pub(crate) fn write(
    source: &Source,
    surveyed: &Surveyed,
    placing: &Placing<'_>,
    book: &mut BookWriter<Target>,
) -> Result<Written> {
    let encoding = surveyed.reading.encoding.value;
    let plan = &surveyed.plan;
    let mut bytes = source.blocks_from(surveyed.cuts.first().map_or(0, |c| c.offset))?;
    let mut cuts = surveyed.cuts.iter();
    let mut written = Written::for_placing(placing);
    let total = surveyed.cuts.iter().map(|c| c.bytes).sum();
    let rows = book.rows(&placing.sheet_columns);
    // Work is handed out and taken in by turns on this thread.
    let book = RefCell::new(book);
    let mut progress = Progress::new(&format!("writing {}", source.shown()), total);
    pipeline::ordered(
        || {
            let Some(cut) = cuts.next() else { return Ok(None) };
            let mut raw = Vec::new();
            bytes.fill(&mut raw, cut.bytes as usize)?;
            // The rows that stand where those of the block go.
            let behind = cuts.clone().next().map_or(surveyed.reading.records, |next| next.records);
            let last = (placing.first_row + behind as u32).saturating_sub(1);
            let under = book.borrow_mut().rows_under(last).map_err(|e| not_written(&e))?;
            Ok(Some((*cut, raw, under)))
        },
        || Worker {
            machine: Machine::new(&plan.dialect),
            rows: rows.clone(),
            compressor: Compressor::new(),
            scratch: Scratch::default(),
            text: Vec::new(),
            prints: Vec::new(),
        },
        |worker, (cut, raw, under)| {
            if let Some(under) = under {
                worker.rows.lay_under(under);
            }
            work(worker, encoding, plan, placing, cut, &raw)
        },
        |done| {
            interrupt::check()?;
            let (blocks, block_written, bytes) = done.ok_or_else(|| changed(source))?;
            for block in &blocks {
                book.borrow_mut().block(block).map_err(|error| not_written(&error))?;
            }
            written.merge(block_written);
            progress.add(bytes);
            Ok(())
        },
    )?;
    Ok(written)
}

pub(super) fn changed(source: &Source) -> Failure {
    Failure::protected(format!("{}: the file changed while it was read", source.shown()))
        .help("wait until the other system has finished writing it, then import it again")
}

/// The failure of a workbook that cannot be written.
pub(crate) fn not_written(error: &incola_workbook::Error) -> Failure {
    match error {
        incola_workbook::Error::Write { source, .. } if source.kind() == std::io::ErrorKind::StorageFull => {
            Failure::unreadable("the disk is full")
                .leaving("nothing was written")
                .help("make room, then import again")
        }
        error => Failure::unreadable(format!("the workbook cannot be written: {error}"))
            .leaving("nothing was written"),
    }
}

type Done = Option<(Vec<Block>, Written, u64)>;

/// Writes one block; `None`: its bytes are not those of the survey.
fn work(
    worker: &mut Worker,
    encoding: Encoding,
    plan: &SurveyPlan,
    placing: &Placing<'_>,
    cut: Cut,
    raw: &[u8],
) -> Done {
    if xxhash_rust::xxh3::xxh3_64(raw) != cut.checksum {
        return None;
    }
    let mut bad = Undecodable::default();
    let mut buffer = std::mem::take(&mut worker.text);
    let text = encoding.decode(raw, &mut buffer, &mut bad);
    let mut written = Written::for_placing(placing);
    let mut blocks = Vec::new();
    let mut row = placing.first_row + cut.records as u32;
    let (mut at, mut line) = (0, cut.lines + 1);
    loop {
        let item = next_item(&mut worker.machine, text, at, true, &plan.repeats);
        match item {
            Item::End | Item::NeedMore => break,
            Item::SetAside(_) => {}
            Item::Record => {
                write_row(worker, text, plan, placing, (row, line), bad.count > 0, &mut written);
                row += 1;
                if worker.rows.xml().len() > ROWS_BYTES {
                    blocks.push(worker.rows.compress(&mut worker.compressor));
                    worker.rows.clear();
                }
            }
        }
        line += u64::from(worker.machine.lines());
        at = worker.machine.next_start();
    }
    if !worker.rows.xml().is_empty() {
        blocks.push(worker.rows.compress(&mut worker.compressor));
        worker.rows.clear();
    }
    worker.text = buffer;
    Some((blocks, written, raw.len() as u64))
}

#[inline]
fn write_row(
    worker: &mut Worker,
    text: &[u8],
    plan: &SurveyPlan,
    placing: &Placing<'_>,
    (row, line): (u32, u64),
    has_undecodable: bool,
    written: &mut Written,
) {
    let Worker { machine, rows, scratch, prints, .. } = worker;
    prints.clear();
    written.rows += 1;
    rows.begin_row(row);
    for (place, slot) in placing.slots.iter().enumerate() {
        let index = match slot {
            Slot::Field(index) => *index,
            Slot::SourceName => {
                rows.text(place, Styles::TEXT, placing.source_name.as_bytes());
                prints.push(fingerprint::text(placing.source_name.as_bytes()));
                continue;
            }
            Slot::RecordNumber => {
                let number = placing.first_record + (row - placing.first_row);
                let style = placing.number_style;
                rows.number(place, style, |out| incola_workbook::serial_date::write_whole(out, number));
                continue;
            }
            Slot::Nothing => {
                rows.blank(place);
                continue;
            }
        };
        let (column, writer) = (&placing.columns[index], &placing.writers[index]);
        let field = machine.field(text, index);
        let tally = &mut written.columns[index];
        let means_empty = plan.blank.means_empty(index, field);
        let value = if means_empty { Value::Blank } else { column.read(field) };
        tally.count(&value);
        if let Value::Misfit(text) = &value {
            tally.misfits += 1;
            written.misfits += 1;
            note(&mut written.misfit_cells, line, row, index, text, misfit_words(column.rule.kind()));
        }
        if placing.is_linked {
            prints.push(writer.fingerprint(field, &value));
            if let Some(candidate) = written.candidates.iter_mut().find(|c| c.place == place) {
                candidate.add(field, prints.last().copied().unwrap_or_default());
            }
        }
        let is_blank = value == Value::Blank;
        let mut outcome = writer.write(place, field, value, rows, scratch);
        if has_undecodable && outcome == Outcome::Exact && holds_replacement(field) {
            outcome = Outcome::Lost(Loss::Undecodable);
        }
        if is_blank {
            tally.blank += 1;
        } else {
            tally.cells += 1;
            written.cells += 1;
            written.exact += u64::from(outcome == Outcome::Exact);
        }
        if let Outcome::Lost(loss) = outcome {
            written.lost += 1;
            note(&mut written.lost_cells, line, row, index, field, loss.words());
        }
    }
    rows.end_row();
    if placing.is_linked {
        written.prints.push(fingerprint::row(prints));
    }
}

fn holds_replacement(field: &[u8]) -> bool {
    memchr::memmem::find(field, "\u{fffd}".as_bytes()).is_some()
}

fn misfit_words(kind: Kind) -> &'static str {
    match kind {
        Kind::Number => "is not a number",
        Kind::Date => "is not a date",
        Kind::Time => "is not a time",
        Kind::DateTime => "is not a date with time",
        _ => "is neither yes nor no",
    }
}

#[cold]
fn note(cells: &mut Vec<CellNote>, line: u64, row: u32, index: usize, field: &[u8], why: &'static str) {
    if cells.len() < TOLD {
        let text = String::from_utf8_lossy(&field[..field.len().min(60)]).into_owned();
        cells.push(CellNote { line, row, column: index + 1, text, why });
    }
}
