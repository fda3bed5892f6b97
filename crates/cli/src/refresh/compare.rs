//! Source, sheet and last import, compared.

use super::base;
use super::changes::{column_changes, file_changes};
use super::decide::{Base, RowWork, decide};
use super::report::{Report, Told};
use super::reread::Reread;
use super::sheet_side::{self, Located, Seen, see};
use super::sides::{Sides, close_gaps};
use super::{Winner, Wishes};
use crate::failure::{Failure, Result};
use crate::links::{Kept, LinkedColumn, read_rows};
use crate::passes::prints::{Columns, Picked, Prints as Read, pick};
use crate::passes::write::Slot;
use crate::placing::Place;
use incola_core::refresh::{Alignment, Fate, Prints, Unpaired, align};
use incola_core::words::counted;
use incola_workbook::ExistingBook;

/// A link, compared, with everything that is needed to bring its table up to date.
pub(crate) struct Compared {
    pub(super) kept: Kept,
    pub(super) reread: Reread,
    pub(super) located: Located,
    pub(super) place: Place,
    /// Rows whose cells change, in order.
    pub(super) work: Vec<RowWork>,
    /// Rows that go, in order.
    pub(super) gone: Vec<u32>,
    /// Records that come, in order.
    pub(super) added: Vec<u32>,
    pub(super) picked: Picked,
    /// The fingerprints that the link will have.
    pub(super) imported: Vec<u64>,
    /// The columns that it will have.
    pub(super) columns: Vec<LinkedColumn>,
    pub(crate) report: Report,
}

impl Compared {
    /// The sheet that is written to, from 0.
    pub(crate) fn sheet(&self) -> usize {
        self.located.sheet
    }

    /// Whether someone must say who wins before anything is written.
    pub(crate) fn is_undecided(&self) -> bool {
        self.report.conflicts > 0 && self.report.outcome == "conflicts"
    }
}

/// Compares; a report alone: the table holds what the source holds, but for what was changed by hand.
///
/// # Errors
/// If the sheet cannot be read, its table is not found, or something stands in the way of new rows.
pub(crate) fn compare(
    book: &mut ExistingBook,
    (kept, located): (&Kept, Located),
    reread: Reread,
    wishes: Wishes,
) -> Result<std::result::Result<Compared, Report>> {
    let link = &kept.link;
    let common = reread.common();
    let mut key = key_places(kept, &reread, &common);
    let slots: Vec<Slot> = common.iter().map(|(_, slot)| *slot).collect();
    let mut source = reread.prints_by(&slots, &key)?;
    let mut notes = Vec::new();
    if !key.is_empty() && has_repeats(&source.keys) {
        if link.table.key_is_given {
            notes.push(format!("{} is not the same for each record any more", link.table.key.join(", ")));
        } else {
            notes.push(format!(
                "{} repeats now: records are compared by all they hold; --key names a better one",
                link.table.key.join(", ")
            ));
            key.clear();
            source.keys.clear();
        }
    }
    let mut sorted = source.rows.clone();
    sorted.sort_unstable();
    let seen = see(book, (kept, &located), &reread, &sorted, &key)?;
    drop(sorted);
    let is_whole = common.len() == link.columns.len();
    // Where columns went, what was imported is told by those that stayed.
    let by_common =
        (!is_whole).then(|| base::prints_by(kept, common.iter().map(|(place, _)| *place))).flatten();
    let is_by_common = by_common.is_some();
    let imported = match by_common {
        Some(prints) => prints,
        None => read_rows(book, kept)?.unwrap_or_default(),
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
        return Err(unknown_hand(&located, alignment.unaccounted.len()));
    }
    let picked = pick_records(&reread, &common, &alignment)?;
    let mut sides = Sides::new(kept, &reread, &common, &seen, &picked, book)?;
    close_gaps(&mut alignment, &mut sides);
    let mut told = Told::new(wishes.tells_all);
    let mut report = Report {
        link: link.name.clone(),
        sheet: located.sheet_name.clone(),
        table: located.table.clone(),
        sources: reread.sources.iter().map(|(source, _)| source.name.clone()).collect(),
        before: link.refreshed.clone(),
        key: key.iter().filter_map(|place| link.columns[common[*place].0].name.clone()).collect(),
        rows_before: seen.rows.len() as u64,
        moved: u64::from(alignment.moved),
        winner: wishes.edits.map(|winner| match winner {
            Winner::Source => "source",
            Winner::Sheet => "sheet",
        }),
        damage: reread.accepted.clone(),
        notes,
        ..Report::default()
    };
    let columns = column_changes(kept, &reread, &source.tallies, &mut report);
    file_changes(kept, &reread, &mut report);
    let base = Base::of(kept, &key, &alignment);
    // With fewer columns than were imported, what was imported cannot be told from the rest.
    if !key.is_empty() && is_whole {
        alignment.mark_lone(&sides.seen.keys, |key| base.print_of(key));
    }
    keep_remarks(&mut alignment, sides.seen);
    let known = (&base, is_by_common);
    let decided = decide(&alignment, &mut sides, known, wishes, &key, (&mut report, &mut told));
    report.changes = told.changes;
    // In the order in which they matter.
    report.changes.sort_by_key(|change| change.what);
    if !report.has_changes() {
        report.outcome = "same";
        report.rows_after = report.rows_before;
        if !wishes.is_trial {
            reread.note_same(kept)?;
        }
        return Ok(Err(report));
    }
    report.rows_after = report.rows_before + report.added - report.gone;
    let Seen { place, wish, .. } = seen;
    let gone = decided.gone.len() as u32;
    let place = place
        .with_rows(decided.added.len() as u64, gone, &wish, &located.sheet_name)
        .map_err(|failure| no_room(failure, &located))?;
    let behind = place.left_behind(book, &located.sheet_name);
    if !behind.is_empty() && decided.added.len() > decided.gone.len() {
        report
            .notes
            .push(format!("ended with the rows, and do not reach the new ones: {}", behind.join(", ")));
    }
    check_moves(book, &place, &decided.gone, &located)?;
    let now = imported_now(&reread, &common, &source)?;
    if report.conflicts > 0 && wishes.edits.is_none() {
        report.outcome = "conflicts";
    }
    Ok(Ok(Compared {
        kept: kept.clone(),
        located,
        place,
        work: decided.work,
        gone: decided.gone,
        added: decided.added,
        picked,
        imported: now,
        columns,
        report,
        reread,
    }))
}

/// What is said where columns went, rows were changed or taken out by hand, and nobody knows any more which.
fn unknown_hand(located: &Located, rows: usize) -> Failure {
    Failure::protected(format!(
        "sheet \u{201c}{}\u{201d}: {} changed or taken out by hand, and with columns gone it cannot be told which: the copy of what \
         was imported is missing",
        located.sheet_name,
        counted(rows as u64, "row was", "rows were")
    ))
    .leaving("the workbook was left as it is")
    .help("cut the link and import anew into a sheet of its own, then move what was typed by hand: incola link cut")
}

/// Rows whose record went and that hold remarks do not go by themselves.
fn keep_remarks(alignment: &mut incola_core::refresh::Alignment, seen: &Seen) {
    for (n, fate) in alignment.fates.iter_mut().enumerate().filter(|(_, fate)| **fate == Fate::Gone) {
        if seen.remarks.binary_search_by_key(&seen.rows[n], |(row, _)| *row).is_ok() {
            *fate = Fate::Lone;
        }
    }
}

/// What is said where something stands in the way of new rows.
fn no_room(failure: Failure, located: &Located) -> Failure {
    let help = format!("make room below {}, then refresh again", located.range);
    Failure { help: vec![help], ..failure }
}

fn has_repeats(keys: &[u64]) -> bool {
    let mut sorted: Vec<u64> = keys.iter().copied().filter(|key| *key != 0).collect();
    sorted.sort_unstable();
    sorted.windows(2).any(|pair| pair[0] == pair[1])
}

/// Where the key's columns are among those in common; with a column that says the source, that belongs to it.
fn key_places(kept: &Kept, reread: &Reread, common: &[(usize, Slot)]) -> Vec<usize> {
    let link = &kept.link;
    let mut key = Vec::new();
    for name in &link.table.key {
        let place = link.columns.iter().position(|c| c.name.as_ref() == Some(name));
        match place.and_then(|place| common.iter().position(|(own, _)| *own == place)) {
            Some(place) => key.push(place),
            None => return Vec::new(),
        }
    }
    let source_name = common.iter().position(|(_, slot)| *slot == Slot::SourceName);
    if !key.is_empty() && reread.sources.len() > 1 {
        key.extend(source_name);
    }
    key
}

/// Picks out the records whose values are needed.
fn pick_records(reread: &Reread, common: &[(usize, Slot)], alignment: &Alignment) -> Result<Picked> {
    let all = !reread.added.is_empty();
    let records: u64 = reread.sources.iter().map(|(_, surveyed)| surveyed.reading.records).sum();
    let mut wanted = vec![false; records as usize];
    for fate in &alignment.fates {
        match *fate {
            Fate::Revised(record) | Fate::Edited(record) | Fate::Both(record) => {
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
    let slots = reread.slots_now(common);
    let mut picked = Picked::default();
    let mut first = 0;
    if !wanted.contains(&true) {
        return Ok(picked);
    }
    for (source, surveyed) in &reread.sources {
        let label = source.label();
        let columns = &reread.reading.columns;
        let of = Columns { columns, writers: &reread.writers, slots: &slots, key: &[], label: &label };
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
        return Err(Failure::protected(format!(
            "sheet \u{201c}{}\u{201d}: {range} is one piece, and rows above it go",
            located.sheet_name
        ))
        .leaving("the workbook was left as it is")
        .help("take the merging or the formula for several cells back, then refresh again"));
    }
    let comments = book.comments(located.sheet).map_err(|e| crate::placing::failed(&e))?;
    let moves = |at: &&incola_workbook::CellRef| {
        (*from..=last).contains(&at.row) && (!place.facts.has_cells_beside || columns.contains(&at.column))
    };
    if let Some(at) = comments.iter().find(moves) {
        return Err(Failure::protected(format!(
            "sheet \u{201c}{}\u{201d}: {at} has a comment, and rows move up there: it would stay over another record",
            located.sheet_name
        ))
        .leaving("the workbook was left as it is")
        .help("take the comment out, or put its text into a column beside the table, then refresh again"));
    }
    Ok(())
}

/// The fingerprints that the link will have: of rows in their order, of records that were taken out by hand, of new ones.
fn imported_now(reread: &Reread, common: &[(usize, Slot)], source: &Read) -> Result<Vec<u64>> {
    let is_same_shape = reread.added.is_empty() && common.len() == reread.slots.len();
    let own;
    let prints = if is_same_shape {
        &source.rows
    } else {
        own = reread.prints_by(&reread.slots_now(common), &[])?.rows;
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
