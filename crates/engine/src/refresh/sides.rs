//! Both sides of rows that differ: what the sheet holds and what the source says, cell by cell.

use super::sheet_side::{CellText, SheetSnapshot, unpacked};
use super::source_now::SourceNow;
use crate::fingerprints::{Columns, RowStore, texts};
use crate::import::Slot;
use crate::link::Link;
use crate::stop::{Result, Stop};
use incola_core::refresh::{Alignment, Fate, Unpaired, fingerprint};
use incola_workbook::ExistingBook;
use std::collections::{HashMap, HashSet};

/// Both sides of rows that differ.
pub(super) struct Sides<'s> {
    pub(super) link: &'s Link,
    pub(super) source_now: &'s SourceNow,
    pub(super) common: &'s [(usize, Slot)],
    pub(super) seen: &'s SheetSnapshot,
    picked: &'s RowStore,
    strings: HashMap<usize, String>,
    buffer: Vec<u8>,
}

/// A row of the sheet: by column of the link, fingerprints and what is shown.
pub(super) type SheetRow = (Vec<u64>, Vec<String>);

/// A record: by column in common, fingerprints and fields.
pub(super) type RecordRow = (Vec<u64>, Vec<String>);

impl<'s> Sides<'s> {
    pub(super) fn new(
        link: &'s Link,
        source_now: &'s SourceNow,
        common: &'s [(usize, Slot)],
        seen: &'s SheetSnapshot,
        picked: &'s RowStore,
        book: &mut ExistingBook,
    ) -> Result<Self> {
        let mut buffer = Vec::new();
        let mut places = Vec::new();
        for row in seen.cells.records() {
            if seen.cells.read(row, &mut buffer) {
                places.extend(unpacked(&buffer).1.into_iter().filter_map(|text| match text {
                    CellText::Own(_) => None,
                    CellText::Shared(place) => Some(place),
                }));
            }
        }
        let strings = book.shared_strings_at(&places).map_err(Stop::Book)?;
        Ok(Self { link, source_now, common, seen, picked, strings, buffer })
    }

    /// The row of the sheet with that number, if its cells were kept.
    pub(super) fn sheet_row(&mut self, row: u32) -> Option<SheetRow> {
        if !self.seen.cells.read(row, &mut self.buffer) {
            return None;
        }
        let (prints, shown) = unpacked(&self.buffer);
        let text = |text: CellText| match text {
            CellText::Own(text) => text,
            CellText::Shared(place) => self.strings.get(&place).cloned().unwrap_or_default(),
        };
        Some((prints, shown.into_iter().map(text).collect()))
    }

    /// A record, if it was picked.
    pub(super) fn record(&mut self, record: u32) -> Option<RecordRow> {
        if !self.picked.read(record, &mut self.buffer) {
            return None;
        }
        let label = String::new();
        let of = Columns {
            columns: &self.source_now.reading.columns,
            writers: &self.source_now.writers,
            slots: &[],
            key: &[],
            label: &label,
        };
        let (mut prints, mut shown) = (Vec::new(), Vec::new());
        for ((_, slot), field) in self.common.iter().zip(texts(&self.buffer)) {
            prints.push(match slot {
                Slot::Field(_) => of.fingerprint(*slot, false, field),
                _ => fingerprint::text(field),
            });
            shown.push(String::from_utf8_lossy(field).trim().to_owned());
        }
        Some((prints, shown))
    }

    /// What a row is called: its key, or what it begins with.
    pub(super) fn label(&self, key: &[usize], shown: &[String]) -> String {
        let name = |place: usize| self.link.columns[self.common[place].0].heading.clone();
        let first = self.common.iter().position(|(_, slot)| *slot != Slot::SourceName).unwrap_or(0);
        let places: Vec<usize> = if key.is_empty() { vec![first] } else { key.to_vec() };
        let parts = places.iter().filter_map(|place| {
            let text = shown.get(*place).filter(|t| !t.is_empty())?;
            Some(format!("{} {text}", name(*place)))
        });
        parts.collect::<Vec<_>>().join(", ")
    }

    /// What a row of the sheet is called, as far as its cells were kept.
    pub(super) fn label_of_row(&mut self, key: &[usize], row: u32) -> String {
        let shown = self.sheet_row(row).map(|(_, shown)| self.in_common(&shown)).unwrap_or_default();
        self.label(key, &shown)
    }

    /// Texts by column in common, from texts by column of the link.
    pub(super) fn in_common(&self, shown: &[String]) -> Vec<String> {
        self.common.iter().map(|(place, _)| shown[*place].clone()).collect()
    }
}

/// Where there is no key: rows and records between the same neighbours belong together if most of their cells are the same.
pub(super) fn close_gaps(alignment: &mut Alignment, sides: &mut Sides<'_>) {
    /// Rows and records of a gap that are compared each with each.
    const MOST: usize = 300;
    let mut paired: HashSet<u32> = HashSet::new();
    for gap in std::mem::take(&mut alignment.gaps) {
        let mut from = 0;
        for row in gap.rows {
            let Some((sheet, _)) = sides.sheet_row(sides.seen.rows[row as usize]) else { continue };
            let own: Vec<u64> = sides.common.iter().map(|(place, _)| sheet[*place]).collect();
            let found = (from..gap.records.len().min(from + MOST)).find(|n| {
                sides.record(gap.records[*n]).is_some_and(|(record, _)| {
                    let same = own.iter().zip(&record).filter(|(a, b)| a == b).count();
                    same * 2 > own.len()
                })
            });
            let Some(n) = found else { continue };
            let record = gap.records[n];
            let fate = &mut alignment.fates[row as usize];
            *fate = if *fate == Fate::RecordGone {
                Fate::Revised(record)
            } else {
                Fate::ChangedOnBothSides(record)
            };
            paired.insert(record);
            from = n + 1;
        }
    }
    alignment.unpaired.retain(|one| match one {
        Unpaired::Added(record) | Unpaired::Removed(record) => !paired.contains(record),
    });
}
