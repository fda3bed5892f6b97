//! A pass over a surveyed source that writes nothing: fingerprints of its records, and single records picked out.

use super::blocks::Cut;
use super::survey::Surveyed;
use super::write::{ColumnTally, Slot, changed};
use crate::bridge::ColumnWriter;
use crate::failure::{Failure, Result};
use crate::interrupt;
use crate::progress::Progress;
use crate::source::Source;
use incola_core::encoding::Undecodable;
use incola_core::kind::Value;
use incola_core::reading::ColumnReading;
use incola_core::record::Machine;
use incola_core::refresh::fingerprint;
use incola_core::survey::{Item, next_item};
use incola_workbook::pipeline;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::sync::Mutex;

/// Bytes of picked records that are held in memory; more go into an unnamed file.
const IN_MEMORY: usize = 24 << 20;

/// What is read of each record.
#[derive(Clone, Copy)]
pub(crate) struct Columns<'c> {
    pub(crate) columns: &'c [ColumnReading],
    pub(crate) writers: &'c [ColumnWriter],
    /// What makes up a row, in the order of the link.
    pub(crate) slots: &'c [Slot],
    /// Places in the slots that make up the key.
    pub(crate) key: &'c [usize],
    /// What the source is called beside its rows.
    pub(crate) label: &'c str,
}

impl Columns<'_> {
    /// The fingerprint of a cell, from its field.
    #[inline]
    pub(crate) fn fingerprint(&self, slot: Slot, means_empty: bool, field: &[u8]) -> u64 {
        match slot {
            Slot::Field(n) => {
                let value = if means_empty { Value::Blank } else { self.columns[n].read(field) };
                self.writers[n].fingerprint(field, &value)
            }
            _ => fingerprint::text(self.label.as_bytes()),
        }
    }
}

/// Fingerprints of records, and what was counted on the way.
#[derive(Default)]
pub(crate) struct Prints {
    pub(crate) rows: Vec<u64>,
    /// Of their keys; empty: there are none.
    pub(crate) keys: Vec<u64>,
    pub(crate) tallies: Vec<ColumnTally>,
}

/// The key of a row, from the fingerprints of its cells; 0 if all of it is blank.
#[inline]
pub(crate) fn key_of(cells: &[u64], key: &[usize]) -> u64 {
    if key.iter().all(|place| cells[*place] == fingerprint::BLANK) {
        return 0;
    }
    key.iter().fold(0, |before, place| fingerprint::row(&[before, cells[*place]])).max(1)
}

/// Reads every record.
pub(crate) fn prints(source: &Source, surveyed: &Surveyed, of: Columns<'_>, into: &mut Prints) -> Result<()> {
    into.tallies.resize(of.columns.len(), ColumnTally::default());
    let blank = &surveyed.plan.blank;
    over_records(
        source,
        surveyed,
        |_| true,
        |_, machine, text, found: &mut (Prints, Vec<u64>)| {
            let (prints, cells) = found;
            prints.tallies.resize(of.columns.len(), ColumnTally::default());
            cells.clear();
            for slot in of.slots {
                let Slot::Field(n) = *slot else {
                    cells.push(of.fingerprint(*slot, false, b""));
                    continue;
                };
                let field = machine.field(text, n);
                let value =
                    if blank.means_empty(n, field) { Value::Blank } else { of.columns[n].read(field) };
                prints.tallies[n].count(&value);
                cells.push(of.writers[n].fingerprint(field, &value));
            }
            prints.rows.push(fingerprint::row(cells));
            if !of.key.is_empty() {
                prints.keys.push(key_of(cells, of.key));
            }
        },
        |(prints, _)| {
            into.rows.extend(prints.rows);
            into.keys.extend(prints.keys);
            for (mine, more) in into.tallies.iter_mut().zip(&prints.tallies) {
                mine.merge(more);
            }
            Ok(())
        },
    )
}

/// Records that were picked out of sources: the fields of each, found by its number.
#[derive(Default)]
pub(crate) struct Picked {
    bytes: Vec<u8>,
    /// The record, where its bytes begin, and how many there are; in the order of records.
    places: Vec<(u32, u32, u64)>,
    /// What no longer has room in memory.
    file: Option<Mutex<File>>,
    in_file: u64,
}

impl Picked {
    /// Keeps the bytes of a record; records come in rising order.
    pub(crate) fn add(&mut self, record: u32, bytes: &[u8]) -> Result<()> {
        if self.bytes.len() + bytes.len() > IN_MEMORY {
            self.spill()?;
        }
        debug_assert!(self.places.last().is_none_or(|(last, ..)| *last < record), "records come in order");
        self.places.push((record, bytes.len() as u32, self.in_file + self.bytes.len() as u64));
        self.bytes.extend_from_slice(bytes);
        Ok(())
    }

    fn spill(&mut self) -> Result<()> {
        let failed = |e: std::io::Error| Failure::io(&std::env::temp_dir(), "keep records in it", &e);
        if self.file.is_none() {
            self.file = Some(Mutex::new(tempfile::tempfile().map_err(failed)?));
        }
        if let Some(Ok(mut file)) = self.file.as_ref().map(Mutex::lock) {
            file.seek(SeekFrom::End(0)).and_then(|_| file.write_all(&self.bytes)).map_err(failed)?;
        }
        self.in_file += self.bytes.len() as u64;
        self.bytes.clear();
        Ok(())
    }

    /// Puts the bytes of a record into `buffer`; `false`: it was not picked, or cannot be read back.
    pub(crate) fn read(&self, record: u32, buffer: &mut Vec<u8>) -> bool {
        buffer.clear();
        let Ok(place) = self.places.binary_search_by_key(&record, |(own, ..)| *own) else { return false };
        let (_, length, at) = self.places[place];
        if at >= self.in_file {
            let from = (at - self.in_file) as usize;
            buffer.extend_from_slice(&self.bytes[from..from + length as usize]);
            return true;
        }
        let Some(Ok(mut file)) = self.file.as_ref().map(Mutex::lock) else { return false };
        buffer.resize(length as usize, 0);
        file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(buffer)).is_ok()
    }

    /// The records, in order.
    pub(crate) fn records(&self) -> impl Iterator<Item = u32> {
        self.places.iter().map(|(record, ..)| *record)
    }
}

/// Appends a text with its length in front.
pub(crate) fn push_text(out: &mut Vec<u8>, text: &[u8]) {
    out.extend_from_slice(&(text.len() as u32).to_le_bytes());
    out.extend_from_slice(text);
}

/// Texts that were [pushed](push_text) one behind the other.
pub(crate) fn texts(mut bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    std::iter::from_fn(move || {
        let (length, rest) = bytes.split_first_chunk::<4>()?;
        let (text, rest) = rest.split_at_checked(u32::from_le_bytes(*length) as usize)?;
        bytes = rest;
        Some(text)
    })
}

/// Picks records out: `wanted` says which, counted from 0 in this source. `first`: the number of its first record among all.
pub(crate) fn pick(
    source: &Source,
    surveyed: &Surveyed,
    of: Columns<'_>,
    first: u32,
    wanted: impl Fn(u32) -> bool + Sync,
    into: &mut Picked,
) -> Result<()> {
    let blank = &surveyed.plan.blank;
    over_records(
        source,
        surveyed,
        |record| wanted(first + record),
        |record, machine, text, found: &mut Vec<(u32, Vec<u8>)>| {
            let mut bytes = Vec::new();
            for slot in of.slots {
                match slot {
                    Slot::Field(n) => {
                        let field = machine.field(text, *n);
                        // What means empty is empty for good.
                        push_text(&mut bytes, if blank.means_empty(*n, field) { b"" } else { field });
                    }
                    _ => push_text(&mut bytes, of.label.as_bytes()),
                }
            }
            found.push((first + record, bytes));
        },
        |found| found.into_iter().try_for_each(|(record, bytes)| into.add(record, &bytes)),
    )
}

/// Goes over the records that are wanted, on several threads: `look` at each, `take` what was found in each block, in order.
fn over_records<T: Default + Send>(
    source: &Source,
    surveyed: &Surveyed,
    wanted: impl Fn(u32) -> bool + Sync,
    look: impl Fn(u32, &Machine, &[u8], &mut T) + Sync,
    mut take: impl FnMut(T) -> Result<()>,
) -> Result<()> {
    let plan = &surveyed.plan;
    let encoding = surveyed.reading.encoding.value;
    let mut bytes = source.blocks_from(surveyed.cuts.first().map_or(0, |c| c.offset))?;
    let mut cuts = surveyed.cuts.iter();
    let total = surveyed.cuts.iter().map(|c| c.bytes).sum();
    let mut progress = Progress::new(&format!("comparing {}", source.shown()), total);
    pipeline::ordered(
        || {
            let Some(cut) = cuts.next() else { return Ok(None) };
            let mut raw = Vec::new();
            bytes.fill(&mut raw, cut.bytes as usize)?;
            Ok(Some((*cut, raw)))
        },
        || Machine::new(&plan.dialect),
        |machine, (cut, raw): (Cut, Vec<u8>)| {
            if xxhash_rust::xxh3::xxh3_64(&raw) != cut.checksum {
                return None;
            }
            let (mut buffer, mut bad, mut found) = (Vec::new(), Undecodable::default(), T::default());
            let text = encoding.decode(&raw, &mut buffer, &mut bad);
            let (mut at, mut record) = (0, cut.records as u32);
            loop {
                match next_item(machine, text, at, true, &plan.repeats) {
                    Item::End | Item::NeedMore => break,
                    Item::SetAside(_) => {}
                    Item::Record => {
                        if wanted(record) {
                            look(record, machine, text, &mut found);
                        }
                        record += 1;
                    }
                }
                at = machine.next_start();
            }
            Some((found, raw.len() as u64))
        },
        |done| {
            interrupt::check()?;
            let (found, bytes) = done.ok_or_else(|| changed(source))?;
            take(found)?;
            progress.add(bytes);
            Ok(())
        },
    )
}
