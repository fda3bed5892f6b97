//! A pass over a surveyed source that writes nothing: fingerprints of its records, and single records picked out.

mod sheet;
mod store;

pub(crate) use sheet::{SheetColumn, row_prints};
pub use store::{RowStore, push_text, texts};

use crate::cells::ColumnWriter;
use crate::feed::{Doing, Feed};
use crate::import::{ColumnTally, Slot};
use crate::stop::Result;
use crate::text::{Surveyed, each_block};
use incola_core::kind::Value;
use incola_core::reading::ColumnReading;
use incola_core::refresh::fingerprint;
use incola_core::rows::{Each, Flow, Record};

/// What is read of each record.
#[derive(Clone, Copy)]
pub struct Columns<'c> {
    /// How the columns of the source are read.
    pub columns: &'c [ColumnReading],
    /// How they are written.
    pub writers: &'c [ColumnWriter],
    /// What makes up a row, in the order of the link.
    pub slots: &'c [Slot],
    /// Places in the slots that make up the key.
    pub key: &'c [usize],
    /// What the source is called beside its rows.
    pub label: &'c str,
}

impl Columns<'_> {
    /// The fingerprint of a cell, from its field.
    #[inline]
    pub fn fingerprint(&self, slot: Slot, means_empty: bool, field: &[u8]) -> u64 {
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
pub struct RecordFingerprints {
    /// Of the records, in their order.
    pub rows: Vec<u64>,
    /// Of their keys; empty: there are none.
    pub keys: Vec<u64>,
    /// What was counted, by column of the source.
    pub tallies: Vec<ColumnTally>,
}

/// The key of a row, from the fingerprints of its cells; 0 if all of it is blank.
#[inline]
pub fn key_of(cells: &[u64], key: &[usize]) -> u64 {
    if key.iter().all(|place| cells[*place] == fingerprint::BLANK) {
        return 0;
    }
    key.iter().fold(0, |before, place| fingerprint::row(&[before, cells[*place]])).max(1)
}

/// Reads every record.
pub fn prints(
    source: &dyn Feed,
    surveyed: &Surveyed,
    of: Columns<'_>,
    into: &mut RecordFingerprints,
) -> Result<()> {
    into.tallies.resize(of.columns.len(), ColumnTally::default());
    let blank = &surveyed.plan.blank;
    over_records(
        source,
        surveyed,
        |_| true,
        |_, record, found: &mut (RecordFingerprints, Vec<u64>)| {
            let (prints, cells) = found;
            prints.tallies.resize(of.columns.len(), ColumnTally::default());
            cells.clear();
            for slot in of.slots {
                let Slot::Field(n) = *slot else {
                    cells.push(of.fingerprint(*slot, false, b""));
                    continue;
                };
                let field = record.field(n);
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

/// Picks records out: `wanted` says which, counted from 0 in this source. `first`: the number of its first record among all.
pub fn pick(
    source: &dyn Feed,
    surveyed: &Surveyed,
    of: Columns<'_>,
    first: u32,
    wanted: impl Fn(u32) -> bool + Sync,
    into: &mut RowStore,
) -> Result<()> {
    let blank = &surveyed.plan.blank;
    over_records(
        source,
        surveyed,
        |number| wanted(first + number),
        |number, record, found: &mut Vec<(u32, Vec<u8>)>| {
            let mut bytes = Vec::new();
            for slot in of.slots {
                match slot {
                    Slot::Field(n) => {
                        let field = record.field(*n);
                        // What means empty is empty for good.
                        push_text(&mut bytes, if blank.means_empty(*n, field) { b"" } else { field });
                    }
                    _ => push_text(&mut bytes, of.label.as_bytes()),
                }
            }
            found.push((first + number, bytes));
        },
        |found| found.into_iter().try_for_each(|(record, bytes)| into.add(record, &bytes)),
    )
}

/// Goes over the records that are wanted, on several threads: `look` at each, `take` what was found in each block, in order.
fn over_records<T: Default + Send>(
    source: &dyn Feed,
    surveyed: &Surveyed,
    wanted: impl Fn(u32) -> bool + Sync,
    look: impl Fn(u32, &Record<'_>, &mut T) + Sync,
    take: impl FnMut(T) -> Result<()>,
) -> Result<()> {
    each_block(
        source,
        surveyed,
        Doing::Comparing,
        |mut block| {
            let (mut found, mut number) = (T::default(), block.cut.records as u32);
            block.each(&mut Each(|record: &Record<'_>| {
                if wanted(number) {
                    look(number, record, &mut found);
                }
                number += 1;
                Flow::Continue(())
            }));
            found
        },
        take,
    )
}
