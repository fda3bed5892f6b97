//! What was imported, read from the copy that the mirror keeps: it tells who changed a cell that both sides changed.

use super::sides::RecordRow;
use super::source_now::Chooser;
use crate::cells::ColumnWriter;
use crate::feed::Feed;
use crate::fingerprints::{Columns, RecordFingerprints, RowStore, key_of, pick, prints, texts};
use crate::import::Slot;
use crate::link::Link;
use crate::text::{Surveyed, survey};
use incola_core::settings::docket::Docket;
use incola_workbook::Styles;
use std::collections::{BTreeMap, HashMap};

/// Most records that are read into memory.
const MOST_RECORDS: u64 = 200_000;

/// What is known of the last import besides the link.
pub struct Before<'b> {
    /// The fingerprints of its rows.
    pub rows: Vec<u64>,
    /// Opens the copy of the source as it was imported; `None`: there is none, or it is of another import.
    pub copy: &'b dyn Fn() -> Option<Box<dyn Feed>>,
    /// How a docket is obeyed.
    pub choose: &'b Chooser<'b>,
}

/// The copy of the source as it was imported, read as it was read then.
struct Copy<'b> {
    source: Box<dyn Feed + 'b>,
    surveyed: Surveyed,
    writers: Vec<ColumnWriter>,
    /// By column of the link.
    slots: Vec<Slot>,
}

impl Copy<'_> {
    /// `None`: it cannot be had.
    fn open<'b>(before: &Before<'b>, link: &Link) -> Option<Copy<'b>> {
        let source = (before.copy)()?;
        let docket = Docket::read_kept(&link.docket).ok()?;
        let (choices, lines) = (before.choose)(&docket).ok()?;
        let surveyed = survey(source.as_ref(), &choices, lines).ok()?;
        let columns = &surveyed.reading.columns;
        let mut styles = Styles::new();
        let writers = ColumnWriter::for_book(columns, &mut styles, false);
        let slots: Vec<Slot> = link
            .columns
            .iter()
            .map(|own| {
                let name = own.name.as_ref()?.to_lowercase();
                columns.iter().position(|c| c.name.to_lowercase() == name).map(Slot::Field)
            })
            .collect::<Option<_>>()?;
        Some(Copy { source, surveyed, writers, slots })
    }
}

/// Fingerprints of the records of the last import by some of the columns of the link, named by their places; `None`: they cannot be
/// had.
pub(super) fn prints_by(
    before: &Before<'_>,
    link: &Link,
    places: impl Iterator<Item = usize>,
) -> Option<Vec<u64>> {
    let copy = Copy::open(before, link)?;
    let slots: Vec<Slot> = places.map(|place| copy.slots.get(place).copied()).collect::<Option<_>>()?;
    let columns = &copy.surveyed.reading.columns;
    let of = Columns { columns, writers: &copy.writers, slots: &slots, key: &[], label: "" };
    let mut all = RecordFingerprints::default();
    prints(copy.source.as_ref(), &copy.surveyed, of, &mut all).ok()?;
    Some(all.rows)
}

/// The records of the last import by their key: fingerprints and fields by column of the link; `None`: they cannot be had.
pub(super) fn read(before: &Before<'_>, link: &Link, key: &[usize]) -> Option<HashMap<u64, RecordRow>> {
    if link.table.rows > MOST_RECORDS {
        return None;
    }
    let copy = Copy::open(before, link)?;
    let (slots, columns) = (&copy.slots, &copy.surveyed.reading.columns);
    let of = Columns { columns, writers: &copy.writers, slots, key, label: "" };
    let mut picked = RowStore::default();
    pick(copy.source.as_ref(), &copy.surveyed, of, 0, |_| true, &mut picked).ok()?;
    let mut buffer = Vec::new();
    let mut rows = Vec::new();
    for record in picked.records() {
        if !picked.read(record, &mut buffer) {
            return None;
        }
        let fields: Vec<&[u8]> = texts(&buffer).collect();
        let prints: Vec<u64> =
            slots.iter().zip(&fields).map(|(slot, field)| of.fingerprint(*slot, false, field)).collect();
        let shown = fields.iter().map(|f| String::from_utf8_lossy(f).trim().to_owned()).collect();
        rows.push((key_of(&prints, key), (prints, shown)));
    }
    Some(by_key(rows))
}

/// Records by their key.
fn by_key(rows: Vec<(u64, RecordRow)>) -> HashMap<u64, RecordRow> {
    let mut all: BTreeMap<u64, Option<RecordRow>> = BTreeMap::new();
    for (key, row) in rows {
        // A key that is there twice tells nothing.
        all.entry(key).and_modify(|own| *own = None).or_insert(Some(row));
    }
    all.into_iter().filter_map(|(key, row)| Some((key, row?))).collect()
}
