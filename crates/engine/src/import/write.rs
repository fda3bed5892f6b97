//! The second pass: the plan is obeyed, cells are written, spelled again and compared.

use super::tally::{CellNote, Note, TOLD, Written};
use crate::cells::{ColumnWriter, Loss, Outcome, Scratch};
use crate::feed::{Doing, Feed};
use crate::stop::{Result, Stop};
use crate::text::{Surveyed, over_blocks};
use incola_core::kind::Value;
use incola_core::reading::ColumnReading;
use incola_core::refresh::fingerprint;
use incola_core::rows::{Flow, Record, RecordSink};
use incola_core::survey::Blanks;
use incola_workbook::{Block, BookWriter, Compressor, RowEncoder, StyleId, Styles, serial_date};
use std::cell::RefCell;
use std::io::{Seek, Write};

/// XML of rows that is compressed at once at most.
const ROWS_BYTES: usize = 384 * 1024;

/// Where the rows of a source go.
pub struct Placing<'p> {
    /// How the columns are read, in the order of the source.
    pub columns: &'p [ColumnReading],
    /// Their writers.
    pub writers: &'p [ColumnWriter],
    /// The row of the first record, from 1.
    pub first_row: u32,
    /// Columns of the sheet (from 1) in rising order.
    pub sheet_columns: Vec<u32>,
    /// What goes into each of them.
    pub slots: Vec<Slot>,
    /// What the source is called, where a column says so.
    pub source_name: &'p str,
    /// The format of the numbers of records.
    pub number_style: StyleId,
    /// The number of the first record.
    pub first_record: u32,
    /// Whether fingerprints of rows are wanted, for the table's link.
    pub is_linked: bool,
    /// Places in the slots whose columns may be a key.
    pub candidates: Vec<usize>,
}

/// What goes into a column of the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Slot {
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
    pub fn new(
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
    #[must_use]
    pub fn linked(mut self, is_linked: bool, candidates: Vec<usize>) -> Self {
        self.is_linked = is_linked;
        self.candidates = if is_linked { candidates } else { Vec::new() };
        self
    }
}

/// A worker's own buffers.
struct Worker {
    rows: RowEncoder,
    compressor: Compressor,
    scratch: Scratch,
    /// Fingerprints of the cells of a row.
    prints: Vec<u64>,
}

/// Writes the records of a surveyed source as rows of the sheet that is open.
///
/// # Errors
/// If the source cannot be read, was changed, or the workbook cannot be written.
pub fn write<W: Write + Seek>(
    source: &dyn Feed,
    surveyed: &Surveyed,
    placing: &Placing<'_>,
    book: &mut BookWriter<W>,
) -> Result<Written> {
    let mut written = Written::for_placing(placing);
    let rows = book.rows(&placing.sheet_columns);
    let made_from = surveyed.made_from();
    // Work is handed out and taken in by turns on this thread.
    let book = RefCell::new(book);
    over_blocks(
        source,
        surveyed,
        Doing::Writing,
        |_, behind| {
            // The rows that stand where those of the block go.
            let last = (placing.first_row + behind as u32).saturating_sub(1);
            book.borrow_mut().rows_under(last).map_err(Stop::NotWritten)
        },
        || Worker {
            rows: rows.clone(),
            compressor: Compressor::new(),
            scratch: Scratch::default(),
            prints: Vec::new(),
        },
        |worker, mut block, under| {
            if let Some(under) = under {
                worker.rows.lay_under(under);
            }
            let mut writing = Writing {
                placing,
                blank: &surveyed.plan.blank,
                made_from,
                row: placing.first_row + block.cut.records as u32,
                has_undecodable: block.has_undecodable,
                written: Written::for_placing(placing),
                blocks: Vec::new(),
                worker,
            };
            block.each(&mut writing);
            writing.end()
        },
        |(blocks, of_block)| {
            for block in &blocks {
                book.borrow_mut().block(block).map_err(Stop::NotWritten)?;
            }
            written.merge(of_block);
            Ok(())
        },
    )?;
    Ok(written)
}

/// Writes the records of one block.
struct Writing<'w> {
    placing: &'w Placing<'w>,
    blank: &'w Blanks,
    /// Columns from here on (from 0) are made of others.
    made_from: usize,
    /// The row of the next record.
    row: u32,
    has_undecodable: bool,
    written: Written,
    blocks: Vec<Block>,
    worker: &'w mut Worker,
}

impl Writing<'_> {
    /// Compresses the rows that are encoded.
    fn compress(&mut self) {
        self.blocks.push(self.worker.rows.compress(&mut self.worker.compressor));
        self.worker.rows.clear();
    }

    fn end(mut self) -> (Vec<Block>, Written) {
        if !self.worker.rows.xml().is_empty() {
            self.compress();
        }
        self.written.laid.rows = self.written.rows;
        self.written.laid.digest = self.worker.rows.take_digest();
        (self.blocks, self.written)
    }
}

impl RecordSink for Writing<'_> {
    #[inline]
    fn record(&mut self, record: &Record<'_>) -> Flow {
        let Self { placing, blank, made_from, row, has_undecodable, written, .. } = self;
        let Worker { rows, scratch, prints, .. } = &mut *self.worker;
        let (row, line) = (*row, record.line());
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
                    rows.number(place, style, |out| serial_date::write_whole(out, number));
                    continue;
                }
                Slot::Nothing => {
                    rows.blank(place);
                    continue;
                }
            };
            let (column, writer) = (&placing.columns[index], &placing.writers[index]);
            let field = record.field(index);
            let tally = &mut written.columns[index];
            let means_empty = blank.means_empty(index, field);
            let value = if means_empty { Value::Blank } else { column.read(field) };
            tally.count(&value);
            if let Value::Misfit(text) = &value {
                tally.misfits += 1;
                written.misfits += 1;
                let why = Note::Misfit(column.rule.kind());
                note(&mut written.misfit_cells, line, row, index, text, why);
            }
            if placing.is_linked {
                prints.push(writer.fingerprint(field, &value));
                if let Some(candidate) = written.candidates.iter_mut().find(|c| c.place == place) {
                    candidate.add(field, prints.last().copied().unwrap_or_default());
                }
            }
            let is_blank = value == Value::Blank;
            let mut outcome = writer.write(place, field, value, rows, scratch);
            if *has_undecodable && outcome == Outcome::Exact && holds_replacement(field) {
                outcome = Outcome::Lost(Loss::Undecodable);
            }
            if is_blank {
                tally.blank += 1;
            } else if index >= *made_from {
                tally.cells += 1;
                written.made += 1;
                continue;
            } else {
                tally.cells += 1;
                written.cells += 1;
                written.exact += u64::from(outcome == Outcome::Exact);
            }
            if outcome == Outcome::Lost(Loss::MeansEmpty) {
                tally.spelled_empty += 1;
            } else if let Outcome::Lost(loss) = outcome {
                written.lost += 1;
                note(&mut written.lost_cells, line, row, index, field, Note::Lost(loss));
            }
        }
        rows.end_row();
        if placing.is_linked {
            written.prints.push(fingerprint::row(prints));
        }
        self.row += 1;
        if self.worker.rows.xml().len() > ROWS_BYTES {
            self.compress();
        }
        Flow::Continue(())
    }
}

fn holds_replacement(field: &[u8]) -> bool {
    memchr::memmem::find(field, "\u{fffd}".as_bytes()).is_some()
}

#[cold]
fn note(cells: &mut Vec<CellNote>, line: u64, row: u32, index: usize, field: &[u8], why: Note) {
    if cells.len() < TOLD {
        let text = String::from_utf8_lossy(&field[..field.len().min(60)]).into_owned();
        cells.push(CellNote { line, row, column: index + 1, text, why });
    }
}
