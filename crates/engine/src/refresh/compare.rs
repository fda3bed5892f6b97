//! Source, sheet and last import, compared.

use super::Wishes;
use super::base::{self, Before};
use super::changes::{column_changes, file_changes};
use super::decide::{Base, RowWork, decide};
use super::report::{Outcome, RefreshNote, Report, Told};
use super::sheet_side::{self, Located, SheetSnapshot, comments_on_rows, see};
use super::sides::{Sides, close_gaps};
use super::source_now::SourceNow;
use crate::fingerprints::{Columns, RecordFingerprints, RowStore, pick};
use crate::import::Slot;
use crate::link::{Link, LinkedColumn, StoredLink};
use crate::place::Place;
use crate::stop::{LinkStop, PlaceStop, Result, Stop};
use incola_core::refresh::{Alignment, Fate, Prints, Unpaired, align};
use incola_workbook::{ExistingBook, Grown};

/// A link, compared, with everything that is needed to bring its table up to date.
pub struct Compared {
    pub(super) stored: StoredLink,
    pub(super) source_now: SourceNow,
    pub(super) located: Located,
    pub(super) place: Place,
    /// Rows whose cells change, in order.
    pub(super) work: Vec<RowWork>,
    /// Rows that go, in order.
    pub(super) gone: Vec<u32>,
    /// Records that come, in order.
    pub(super) added: Vec<u32>,
    /// Rows that say what their records say, in every cell.
    pub(super) alike: u64,
    pub(super) picked: RowStore,
    /// The fingerprints that the link will have.
    pub(super) imported: Vec<u64>,
    /// The columns that it will have.
    pub(super) columns: Vec<LinkedColumn>,
    /// What was found.
    pub report: Report,
}

impl Compared {
    /// The rows that became more.
    pub fn grown(&self) -> Vec<Grown> {
        self.place.grown(&self.located.sheet_name)
    }

    /// The sheet that is written to, from 0.
    pub fn sheet(&self) -> usize {
        self.located.sheet
    }

    /// Whether someone must say who wins before anything is written.
    pub fn is_undecided(&self) -> bool {
        self.report.outcome == Outcome::Conflicts
    }
}

/// What comparing comes to.
pub enum Comparison {
    /// The table holds what the source holds, but for what was changed by hand.
    Same(Box<Report>),
    /// There is something to bring in, or to decide.
    ToDo(Box<Compared>),
}

/// Compares the source of a link, its table, and what was imported.
///
/// # Errors
/// If the sheet cannot be read, its table is not found, or something stands in the way of new rows.
pub fn compare(
    book: &mut ExistingBook,
    (stored, located): (&StoredLink, Located),
    source_now: SourceNow,
    wishes: Wishes<'_>,
    mut before: Before<'_>,
) -> Result<Comparison> {
    let link = &stored.link;
    let common = source_now.common();
    let mut key = key_places(link, &source_now, &common);
    let slots: Vec<Slot> = common.iter().map(|(_, slot)| *slot).collect();
    let mut source = source_now.prints_by(&slots, &key)?;
    let mut notes = Vec::new();
    if !key.is_empty() && has_repeats(&source.keys) {
        let is_given = link.table.key_is_given;
        notes.push(RefreshNote::KeyRepeats { columns: link.table.key.clone(), is_given });
        if !is_given {
            key.clear();
            source.keys.clear();
        }
    }
    let mut sorted = source.rows.clone();
    sorted.sort_unstable();
    let seen = see(book, (link, &located), &source_now, &sorted, (&key, wishes))?;
    drop(sorted);
    let is_whole = common.len() == link.columns.len();
    // Where columns went, what was imported is told by those that stayed.
    let by_common =
        (!is_whole).then(|| base::prints_by(&before, link, common.iter().map(|(place, _)| *place))).flatten();
    let is_by_common = by_common.is_some();
    let imported = match by_common {
        Some(prints) => prints,
        None => std::mem::take(&mut before.rows),
    };
    let is_known = is_whole || is_by_common;
    let wholes = if is_by_common { &seen.commons } else { &seen.wholes };
    let mut alignment = align(
        &imported,
        Prints { rows: &seen.commons, keys: &seen.keys, wholes },
        Prints { rows: &source.rows, keys: &source.keys, wholes: if is_known { &source.rows } else { &[] } },
    );
    drop(imported);
    if !is_known && !alignment.unaccounted.is_empty() {
        let why =
            LinkStop::UnknownHand { sheet: located.sheet_name, rows: alignment.unaccounted.len() as u64 };
        return Err(Stop::link(&link.name, why));
    }
    let picked = pick_records(&source_now, &common, &alignment)?;
    let mut sides = Sides::new(link, &source_now, &common, &seen, &picked, book)?;
    close_gaps(&mut alignment, &mut sides);
    let mut told = Told::new(wishes.tells_all, wishes.tells_conflicts);
    let mut report = Report {
        link: link.name.clone(),
        sheet: located.sheet_name.clone(),
        table: located.table.clone(),
        sources: source_now.sources.iter().map(|source| source.name.clone()).collect(),
        before: link.refreshed.clone(),
        key: key.iter().filter_map(|place| link.columns[common[*place].0].name.clone()).collect(),
        rows_before: seen.rows.len() as u64,
        moved: u64::from(alignment.moved),
        winner: wishes.edits,
        damage: source_now.accepted.clone(),
        notes,
        ..Report::default()
    };
    let columns = column_changes(link, &source_now, &source.tallies, &mut report);
    file_changes(link, &source_now, &mut report);
    let base = Base::of(&before, link, &key, &alignment);
    // With fewer columns than were imported, what was imported cannot be told from the rest.
    if !key.is_empty() && is_whole {
        alignment.mark_lone(&sides.seen.keys, |key| base.print_of(key));
    }
    keep_remarks(&mut alignment, sides.seen);
    let alike = alignment.fates.iter().filter(|fate| matches!(fate, Fate::Same(_))).count() as u64;
    let known = (&base, is_by_common);
    let decided = decide(&alignment, &mut sides, known, wishes, &key, (&mut report, &mut told));
    report.changes = told.changes;
    // In the order in which they matter.
    report.changes.sort_by_key(|change| change.what);
    if !report.has_changes() {
        report.outcome = Outcome::Same;
        report.rows_after = report.rows_before;
        return Ok(Comparison::Same(Box::new(report)));
    }
    report.rows_after = report.rows_before + report.added - report.gone;
    let SheetSnapshot { place, wish, .. } = seen;
    let gone = decided.gone.len() as u32;
    let place = place
        .with_rows(decided.added.len() as u64, gone, &wish, &located.sheet_name)
        .map_err(|stop| no_room(stop, link, &located))?;
    let behind = place.left_behind(book, &located.sheet_name)?;
    if !behind.is_empty() {
        report.notes.push(if wishes.follows {
            RefreshNote::RangesFollow(behind)
        } else {
            RefreshNote::RangesEnd(behind)
        });
    }
    check_moves(book, &place, &decided.gone, &located)?;
    let now = imported_now(&source_now, &common, &source)?;
    if report.undecided > 0 {
        report.outcome = Outcome::Conflicts;
    }
    Ok(Comparison::ToDo(Box::new(Compared {
        stored: stored.clone(),
        located,
        place,
        work: decided.work,
        gone: decided.gone,
        added: decided.added,
        alike,
        picked,
        imported: now,
        columns,
        report,
        source_now,
    })))
}

/// Rows whose record went and that hold remarks do not go by themselves.
fn keep_remarks(alignment: &mut incola_core::refresh::Alignment, seen: &SheetSnapshot) {
    for (n, fate) in alignment.fates.iter_mut().enumerate().filter(|(_, fate)| **fate == Fate::RecordGone) {
        if seen.remarks.binary_search_by_key(&seen.rows[n], |remark| remark.at.row).is_ok() {
            *fate = Fate::EditedButRecordGone;
        }
    }
}

/// Something that stands in the way of new rows is the link's business.
fn no_room(stop: Stop, link: &Link, located: &Located) -> Stop {
    match stop {
        Stop::Place { why, .. } if *why == PlaceStop::Protected => {
            let sheet = located.sheet_name.clone();
            Stop::Place { sheet, why: Box::new(PlaceStop::Protected) }
        }
        Stop::Place { sheet, why } => {
            Stop::link(&link.name, LinkStop::NoRoom { range: located.range, sheet, why: *why })
        }
        stop => stop,
    }
}

fn has_repeats(keys: &[u64]) -> bool {
    let mut sorted: Vec<u64> = keys.iter().copied().filter(|key| *key != 0).collect();
    sorted.sort_unstable();
    sorted.windows(2).any(|pair| pair[0] == pair[1])
}

/// Where the key's columns are among those in common; with a column that says the source, that belongs to it.
fn key_places(link: &Link, source_now: &SourceNow, common: &[(usize, Slot)]) -> Vec<usize> {
    let mut key = Vec::new();
    for name in &link.table.key {
        let place = link.columns.iter().position(|c| c.name.as_ref() == Some(name));
        match place.and_then(|place| common.iter().position(|(own, _)| *own == place)) {
            Some(place) => key.push(place),
            None => return Vec::new(),
        }
    }
    let source_name = common.iter().position(|(_, slot)| *slot == Slot::SourceName);
    if !key.is_empty() && source_now.sources.len() > 1 {
        key.extend(source_name);
    }
    key
}

/// Picks out the records whose values are needed.
fn pick_records(source_now: &SourceNow, common: &[(usize, Slot)], alignment: &Alignment) -> Result<RowStore> {
    let all = !source_now.added.is_empty();
    let records: u64 = source_now.surveyed.iter().map(|s| s.reading.records).sum();
    let mut wanted = vec![false; records as usize];
    for fate in &alignment.fates {
        match *fate {
            Fate::Revised(record) | Fate::Edited(record) | Fate::ChangedOnBothSides(record) => {
                wanted[record as usize] = true;
            }
            Fate::Same(record) if all => wanted[record as usize] = true,
            _ => {}
        }
    }
    for one in &alignment.unpaired {
        if let Unpaired::Added(record) = one {
            wanted[*record as usize] = true;
        }
    }
    let slots = source_now.slots_now(common);
    let mut picked = RowStore::default();
    let mut first = 0;
    if !wanted.contains(&true) {
        return Ok(picked);
    }
    for (source, surveyed) in source_now.sources.iter().zip(&source_now.surveyed) {
        let source = source.feed.as_ref();
        let label = source.label();
        let columns = &source_now.reading.columns;
        let of = Columns { columns, writers: &source_now.writers, slots: &slots, key: &[], label: &label };
        pick(source, surveyed, of, first, |record| wanted[record as usize], &mut picked)?;
        first += surveyed.reading.records as u32;
    }
    Ok(picked)
}

/// Fails if something stands among rows that move which would not move with them.
fn check_moves(book: &mut ExistingBook, place: &Place, gone: &[u32], located: &Located) -> Result<()> {
    let (Some(from), (_, last)) = (gone.first(), place.data_rows()) else { return Ok(()) };
    let columns = place.all_columns();
    let meets = |range: &&incola_workbook::Range| {
        range.to.row >= *from
            && range.from.row <= last
            && columns.iter().any(|c| (range.from.column..=range.to.column).contains(c))
    };
    if let Some(range) = place.facts.merges.iter().chain(&place.facts.arrays).find(meets) {
        return Err(Stop::place(&located.sheet_name, PlaceStop::OnePieceMoves { range: *range }));
    }
    let moved = comments_on_rows(book, place, located.sheet)?.into_iter().find(|at| at.row >= *from);
    match moved {
        // Its parts are broken: they are copied as they are, and it would stay over another record.
        Some(at) if !book.can_move_comments(located.sheet) => {
            Err(Stop::place(&located.sheet_name, PlaceStop::CommentMoves { at }))
        }
        _ => Ok(()),
    }
}

/// The fingerprints that the link will have: of rows in their order, of records that were taken out by hand, of new ones.
fn imported_now(
    source_now: &SourceNow,
    common: &[(usize, Slot)],
    source: &RecordFingerprints,
) -> Result<Vec<u64>> {
    let is_same_shape = source_now.added.is_empty() && common.len() == source_now.slots.len();
    let own;
    let prints = if is_same_shape {
        &source.rows
    } else {
        own = source_now.prints_by(&source_now.slots_now(common), &[])?.rows;
        &own
    };
    // Each record once, in the order of the source: the next refresh tells by it which of them moved.
    Ok(prints.clone())
}

/// The cells of the table when it is written.
pub(super) fn range_after(compared: &Compared) -> incola_workbook::Range {
    let (_, last) = compared.place.data_rows();
    let last = last - compared.gone.len() as u32 + compared.added.len() as u32;
    sheet_side::range_of(&compared.located, &compared.place, last)
}
