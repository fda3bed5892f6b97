//! What was imported, read from the copy that the mirror keeps: it tells who changed a cell that both sides changed.

use super::reread::survey_one;
use super::sides::RecordRow;
use crate::bridge::ColumnWriter;
use crate::links::Kept;
use crate::passes::prints::{Columns, Picked, Prints, key_of, pick, prints, texts};
use crate::passes::survey::Surveyed;
use crate::passes::write::Slot;
use crate::source::Source;
use incola_core::docket::Docket;
use incola_workbook::Styles;
use std::collections::{BTreeMap, HashMap};

/// Most records that are read into memory.
const MOST_RECORDS: u64 = 200_000;

/// The copy of the source as it was imported, read as it was read then.
struct Copy {
    source: Source,
    surveyed: Surveyed,
    writers: Vec<ColumnWriter>,
    /// By column of the link.
    slots: Vec<Slot>,
}

impl Copy {
    /// `None`: it cannot be had, or is of another import: it would tell lies.
    fn open(kept: &Kept) -> Option<Self> {
        let link = &kept.link;
        let path = kept.mirror.source()?;
        let known = kept.mirror.link()?;
        if known.refreshed != link.refreshed || known.parts != link.parts {
            return None;
        }
        let source = Source::open(&path.display().to_string(), &std::env::temp_dir()).ok()?;
        let docket = Docket::read(&link.docket).ok()?;
        let surveyed = survey_one(&source, &docket, link).ok()?;
        let columns = &surveyed.reading.columns;
        let mut styles = Styles::new();
        let writers: Vec<ColumnWriter> = columns.iter().map(|c| ColumnWriter::new(c, &mut styles)).collect();
        let slots: Vec<Slot> = link
            .columns
            .iter()
            .map(|own| {
                let name = own.name.as_ref()?.to_lowercase();
                columns.iter().position(|c| c.name.to_lowercase() == name).map(Slot::Field)
            })
            .collect::<Option<_>>()?;
        Some(Self { source, surveyed, writers, slots })
    }
}

/// Fingerprints of the records of the last import by some of the columns of the link, named by their places; `None`: they cannot be
/// had.
pub(super) fn prints_by(kept: &Kept, places: impl Iterator<Item = usize>) -> Option<Vec<u64>> {
    let copy = Copy::open(kept)?;
    let slots: Vec<Slot> = places.map(|place| copy.slots.get(place).copied()).collect::<Option<_>>()?;
    let columns = &copy.surveyed.reading.columns;
    let of = Columns { columns, writers: &copy.writers, slots: &slots, key: &[], label: "" };
    let mut all = Prints::default();
    prints(&copy.source, &copy.surveyed, of, &mut all).ok()?;
    Some(all.rows)
}

/// The records of the last import by their key: fingerprints and fields by column of the link; `None`: they cannot be had.
pub(super) fn read(kept: &Kept, key: &[usize]) -> Option<HashMap<u64, RecordRow>> {
    if kept.link.table.rows > MOST_RECORDS {
        return None;
    }
    let copy = Copy::open(kept)?;
    let (slots, columns) = (&copy.slots, &copy.surveyed.reading.columns);
    let of = Columns { columns, writers: &copy.writers, slots, key, label: "" };
    let mut picked = Picked::default();
    pick(&copy.source, &copy.surveyed, of, 0, |_| true, &mut picked).ok()?;
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
