//! A sheet and a source side by side: which rows are which records, and which of their cells differ. Nothing is asked of links: both
//! are read as they are.

use super::SheetRows;
use crate::cells::{ColumnWriter, Strings, string_prints};
use crate::feed::{Doing, Feed};
use crate::fingerprints::{Columns, RecordFingerprints, SheetColumn, prints, row_prints};
use crate::import::Slot;
use crate::place::headings::by_name;
use crate::stop::{Result, Stop};
use crate::text::{Surveyed, each_block};
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
    let kind = |place: usize| reading.columns[place].rule.kind();
    let column = |(n, (column, place)): (usize, &(u32, usize))| SheetColumn {
        column: *column,
        place: n,
        writer: &writers[*place],
        kind: kind(*place),
    };
    let columns: Vec<SheetColumn<'_>> = found.pairs.iter().enumerate().map(column).collect();
    let mut sheet = row_prints(book, (rows.sheet, rows.first, rows.last), &columns)?;
    // Rows without anything in them are no records.
    let blank = fingerprint::row(&vec![fingerprint::BLANK; columns.len()]);
    let is_filled: Vec<bool> = sheet.prints.iter().map(|print| *print != blank).collect();
    let mut keep = is_filled.iter();
    sheet.numbers.retain(|_| keep.next().copied().unwrap_or_default());
    sheet.prints.retain(|print| *print != blank);
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
    let (strings, prints) = (Strings::of(book)?, string_prints(book)?);
    let numbers: Vec<u32> = columns.iter().map(|column| column.column).collect();
    let scan = Scan { columns: &numbers, from: rows.first, to: rows.last };
    let mut shown: HashMap<u32, Vec<(u64, String)>> = HashMap::new();
    let texts = (&strings, &prints[..]);
    let start = || Look { columns: &columns, texts, wanted: &rows_wanted, shown: Vec::new() };
    book.scan(rows.sheet, &scan, start, |own: Look<'_>| shown.extend(own.shown)).map_err(Stop::Book)?;
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
    let all = surveyed.reading.columns.iter().enumerate();
    let columns: Vec<_> = all.filter(|(_, column)| column.is_wanted()).collect();
    let headings: Vec<&str> = rows.columns.iter().map(|(_, heading)| heading.as_str()).collect();
    let names: Vec<&str> = columns.iter().map(|(_, column)| column.name.as_str()).collect();
    let of_sheet = by_name(&headings, &names);
    let own = || rows.columns.iter().zip(&of_sheet);
    let pairs = own().filter_map(|((column, _), found)| Some((*column, columns[(*found)?].0)));
    let only_sheet = own().filter(|(_, found)| found.is_none()).map(|((_, name), _)| name.clone());
    let left = names.iter().enumerate().filter(|(n, _)| !of_sheet.contains(&Some(*n)));
    (pairs.collect(), only_sheet.collect(), left.map(|(_, name)| (*name).to_owned()).collect())
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

/// Looks at the rows of one block that are wanted.
struct Look<'l> {
    columns: &'l [SheetColumn<'l>],
    /// The table of strings, and its fingerprints.
    texts: (&'l Strings, &'l [u64]),
    wanted: &'l HashMap<u32, u32>,
    /// By row: the fingerprints of its cells and what they show.
    shown: Vec<(u32, Vec<(u64, String)>)>,
}

impl Scanner for Look<'_> {
    fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
        if !self.wanted.contains_key(&number) {
            return;
        }
        let (strings, prints) = self.texts;
        let print = |n: usize| prints.get(n).copied().unwrap_or(fingerprint::BLANK);
        let cell = |(own, content): (&SheetColumn<'_>, &CellContent<'_>)| {
            let shown = match content {
                CellContent::Shared(at) => String::from_utf8_lossy(strings.get(*at)).into_owned(),
                content => own.writer.shown(content, own.kind),
            };
            (own.writer.fingerprint_of_cell(content, own.kind, &print), shown)
        };
        self.shown.push((number, self.columns.iter().zip(cells).map(cell).collect()));
    }
}
