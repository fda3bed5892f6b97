//! A sheet and a source side by side: which rows are which records, and which of their cells differ. Nothing is asked of links: both
//! are read as they are.

use super::SheetRows;
use crate::cells::ColumnWriter;
use crate::feed::{Doing, Feed};
use crate::fingerprints::{Columns, RecordFingerprints, prints};
use crate::import::Slot;
use crate::stop::{Result, Stop};
use crate::text::{Surveyed, each_block};
use incola_core::kind::Kind;
use incola_core::kind::statistics::trim;
use incola_core::refresh::{Fate, Prints, align, fingerprint};
use incola_core::rows::{Each, Flow, Record};
use incola_workbook::{CellContent, CellRef, ExistingBook, Scan, Scanner, Styles};
use std::collections::HashMap;

/// Rows and records that are looked at cell by cell; of more, only their number is known.
pub const MOST_LOOKED_AT: usize = 10_000;

/// A cell that differs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CellDifference {
    /// The cell.
    pub at: CellRef,
    /// What its column is called in the sheet.
    pub heading: String,
    /// The line of its record.
    pub line: u64,
    /// What the sheet holds, as the source would spell it.
    pub sheet: String,
    /// What the source has.
    pub source: String,
}

/// How a sheet compares with a source.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Comparison {
    /// Columns of the sheet, from 1, and of the source, from 0, that have the same name.
    pub pairs: Vec<(u32, usize)>,
    /// Columns that the sheet alone has.
    pub only_sheet: Vec<String>,
    /// Columns that the source alone has.
    pub only_source: Vec<String>,
    /// Rows that are a record in every cell.
    pub same: u64,
    /// Rows that are a record, but for some cells.
    pub differing: u64,
    /// Those cells, in the order of the rows: of the first [`MOST_LOOKED_AT`] rows.
    pub cells: Vec<CellDifference>,
    /// Rows of the sheet that are no record.
    pub rows_alone: Vec<u32>,
    /// Lines of records that are no row: of the first [`MOST_LOOKED_AT`]; and how many there are.
    pub lines_alone: Vec<u64>,
    /// Records that are no row.
    pub records_alone: u64,
}

impl Comparison {
    /// Whether every row is a record, every record a row, and all their cells are the same.
    pub fn agrees(&self) -> bool {
        self.differing == 0 && self.rows_alone.is_empty() && self.records_alone == 0
    }
}

/// Compares rows of a sheet with the records of a surveyed source, by the columns that have the same name. Rows and records belong to
/// each other where they are the same in all those columns, wherever they stand; what is left between two such pairs belongs to each
/// other in its order.
///
/// # Errors
/// Whatever the workbook or the source fail with.
pub fn against(
    book: &mut ExistingBook,
    rows: &SheetRows,
    source: &dyn Feed,
    surveyed: &Surveyed,
) -> Result<Comparison> {
    let reading = &surveyed.reading;
    let (pairs, only_sheet, only_source) = paired(rows, surveyed);
    let mut found = Comparison { pairs, only_sheet, only_source, ..Comparison::default() };
    let mut styles = Styles::new();
    let writers = ColumnWriter::for_book(&reading.columns, &mut styles, book.is_1904());
    let slots: Vec<Slot> = found.pairs.iter().map(|(_, place)| Slot::Field(*place)).collect();
    let label = source.label();
    let of = Columns { columns: &reading.columns, writers: &writers, slots: &slots, key: &[], label: &label };
    let mut records = RecordFingerprints::default();
    prints(source, surveyed, of, &mut records)?;
    let mut strings = Vec::new();
    book.shared_strings(|text| strings.push(text.to_owned().into_boxed_str())).map_err(Stop::Book)?;
    let columns: Vec<u32> = found.pairs.iter().map(|(column, _)| *column).collect();
    let scan = Scan { columns: &columns, from: rows.first, to: rows.last };
    let cells = Cells { of, pairs: &found.pairs, strings: &strings };
    let mut sheet = Sheet::default();
    let start = || Look { cells, wanted: None, sheet: Sheet::default() };
    book.scan(rows.sheet, &scan, start, |own: Look<'_>| {
        sheet.numbers.extend(own.sheet.numbers);
        sheet.prints.extend(own.sheet.prints);
    })
    .map_err(Stop::Book)?;
    let side = |rows| Prints { rows, keys: &[], wholes: rows };
    let alignment = align(&[], side(&sheet.prints), side(&records.rows));
    let mut is_alone = vec![true; records.rows.len()];
    // By record: the row that belongs to it, and is another one.
    let mut differing: Vec<(u32, u32)> = Vec::new();
    for fate in &alignment.fates {
        if let Fate::Same(record) = fate {
            is_alone[*record as usize] = false;
            found.same += 1;
        }
    }
    let mut has_partner = vec![false; sheet.prints.len()];
    for gap in &alignment.gaps {
        for (row, record) in gap.rows.iter().zip(&gap.records) {
            is_alone[*record as usize] = false;
            has_partner[*row as usize] = true;
            differing.push((*row, *record));
        }
    }
    found.differing = differing.len() as u64;
    let rows_alone = alignment.fates.iter().zip(&has_partner).zip(&sheet.numbers);
    found.rows_alone = rows_alone
        .filter(|((fate, has_partner), _)| !matches!(fate, Fate::Same(_)) && !**has_partner)
        .map(|(_, number)| *number)
        .collect();
    let alone: Vec<u32> = (0..).zip(&is_alone).filter(|(_, alone)| **alone).map(|(n, _)| n).collect();
    found.records_alone = alone.len() as u64;
    differing.truncate(MOST_LOOKED_AT);
    if found.agrees() {
        return Ok(found);
    }
    // Only those are looked at cell by cell.
    let rows_wanted: HashMap<u32, u32> =
        differing.iter().map(|(row, record)| (sheet.numbers[*row as usize], *record)).collect();
    let mut shown: HashMap<u32, Vec<(u64, String)>> = HashMap::new();
    let start = || Look { cells, wanted: Some(&rows_wanted), sheet: Sheet::default() };
    book.scan(rows.sheet, &scan, start, |own: Look<'_>| shown.extend(own.sheet.shown)).map_err(Stop::Book)?;
    let mut wanted: Vec<u32> = rows_wanted.values().copied().collect();
    wanted.extend(alone.iter().take(MOST_LOOKED_AT));
    wanted.sort_unstable();
    let picked = pick(source, surveyed, of, &wanted)?;
    found.lines_alone = alone.iter().filter_map(|record| picked.get(record)).map(|own| own.0).collect();
    let mut in_order: Vec<(u32, u32)> = rows_wanted.into_iter().collect();
    in_order.sort_unstable();
    for (row, record) in in_order {
        let (Some(own), Some((line, fields))) = (shown.get(&row), picked.get(&record)) else { continue };
        for (place, (cell, field)) in own.iter().zip(fields).enumerate().filter(|(_, (c, f))| c.0 != f.0) {
            let column = found.pairs[place].0;
            let heading = rows.columns.iter().find(|own| own.0 == column);
            found.cells.push(CellDifference {
                at: CellRef { row, column },
                heading: heading.map(|own| own.1.clone()).unwrap_or_default(),
                line: *line,
                sheet: cell.1.clone(),
                source: field.1.clone(),
            });
        }
    }
    Ok(found)
}

/// Columns of both that have the same name, and those that one of them has alone.
fn paired(rows: &SheetRows, surveyed: &Surveyed) -> (Vec<(u32, usize)>, Vec<String>, Vec<String>) {
    let columns = &surveyed.reading.columns;
    let mut taken = vec![false; columns.len()];
    let mut of_sheet: Vec<Option<usize>> = vec![None; rows.columns.len()];
    let same: fn(&str, &str) -> bool = |a, b| a == b;
    let alike: fn(&str, &str) -> bool = |a, b| a.trim().to_lowercase() == b.trim().to_lowercase();
    for fits in [same, alike] {
        for (place, (_, heading)) in rows.columns.iter().enumerate() {
            let free = |n: &usize| !taken[*n] && columns[*n].is_wanted() && fits(&columns[*n].name, heading);
            if of_sheet[place].is_none()
                && let Some(n) = (0..columns.len()).find(free)
            {
                (of_sheet[place], taken[n]) = (Some(n), true);
            }
        }
    }
    let own = || rows.columns.iter().zip(&of_sheet);
    let pairs = own().filter_map(|((column, _), found)| Some((*column, (*found)?)));
    let only_sheet = own().filter(|(_, found)| found.is_none()).map(|((_, name), _)| name.clone());
    let left = columns.iter().zip(&taken).filter(|(column, taken)| column.is_wanted() && !**taken);
    (pairs.collect(), only_sheet.collect(), left.map(|(column, _)| column.name.clone()).collect())
}

/// The line of a record; by pair of columns its fingerprint and what it spells.
type Picked = (u64, Vec<(u64, String)>);

/// Picks records out, by their numbers from 0 and in rising order.
fn pick(
    source: &dyn Feed,
    surveyed: &Surveyed,
    of: Columns<'_>,
    wanted: &[u32],
) -> Result<HashMap<u32, Picked>> {
    let mut all = HashMap::new();
    let blank = &surveyed.plan.blank;
    each_block(
        source,
        surveyed,
        Doing::Reading,
        |mut block| {
            let mut number = block.cut.records as u32;
            let mut found: Vec<(u32, Picked)> = Vec::new();
            block.each(&mut Each(|record: &Record<'_>| {
                if wanted.binary_search(&number).is_ok() {
                    let cell = |slot: &Slot| {
                        let Slot::Field(n) = *slot else { return (0, String::new()) };
                        let field = record.field(n);
                        let print = of.fingerprint(*slot, blank.means_empty(n, field), field);
                        (print, String::from_utf8_lossy(trim(field).0).into_owned())
                    };
                    found.push((number, (record.line(), of.slots.iter().map(cell).collect())));
                }
                number += 1;
                Flow::Continue(())
            }));
            found
        },
        |found| {
            all.extend(found);
            Ok(())
        },
    )?;
    Ok(all)
}

/// How cells of the sheet are read.
#[derive(Clone, Copy)]
struct Cells<'c> {
    of: Columns<'c>,
    pairs: &'c [(u32, usize)],
    strings: &'c [Box<str>],
}

impl Cells<'_> {
    fn kind(&self, place: usize) -> Kind {
        self.of.columns[self.pairs[place].1].rule.kind()
    }

    fn writer(&self, place: usize) -> &ColumnWriter {
        &self.of.writers[self.pairs[place].1]
    }

    fn print(&self, place: usize, content: &CellContent<'_>) -> u64 {
        let string = |at: usize| fingerprint::text(self.strings.get(at).map_or(b"", |text| text.as_bytes()));
        self.writer(place).fingerprint_of_cell(content, self.kind(place), &string)
    }

    fn shown(&self, place: usize, content: &CellContent<'_>) -> String {
        match content {
            CellContent::Shared(at) => self.strings.get(*at).map(ToString::to_string).unwrap_or_default(),
            content => self.writer(place).shown(content, self.kind(place)),
        }
    }
}

/// What rows of the sheet hold.
#[derive(Default)]
struct Sheet {
    numbers: Vec<u32>,
    prints: Vec<u64>,
    /// By row that is wanted: the fingerprints of its cells and what they show.
    shown: Vec<(u32, Vec<(u64, String)>)>,
}

/// Looks at the rows of one block.
struct Look<'l> {
    cells: Cells<'l>,
    /// Rows whose cells are wanted; `None`: their fingerprints are.
    wanted: Option<&'l HashMap<u32, u32>>,
    sheet: Sheet,
}

impl Scanner for Look<'_> {
    fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
        let of = self.cells;
        if let Some(wanted) = self.wanted {
            if wanted.contains_key(&number) {
                let cell =
                    |(n, content): (usize, &CellContent<'_>)| (of.print(n, content), of.shown(n, content));
                self.sheet.shown.push((number, cells.iter().enumerate().map(cell).collect()));
            }
            return;
        }
        if cells.iter().all(|cell| *cell == CellContent::Blank) {
            return;
        }
        let prints: Vec<u64> = cells.iter().enumerate().map(|(n, content)| of.print(n, content)).collect();
        self.sheet.numbers.push(number);
        self.sheet.prints.push(fingerprint::row(&prints));
    }
}
