//! Source, sheet and last import, compared.

use super::report::{CellChange, Change, Days, Renamed, Report, Sum, Told, What};
use super::reread::Reread;
use super::sheet_side::{self, Located, Seen, locate, see, unpacked};
use super::{Winner, Wishes};
use crate::failure::{Failure, Result};
use crate::links::{Kept, LinkedColumn, make::day_text, read_rows};
use crate::passes::prints::{Columns, Picked, Prints as Read, pick, texts};
use crate::passes::write::{ColumnTally, Slot};
use crate::placing::Place;
use incola_core::kind::Kind;
use incola_core::refresh::{
    Alignment, Cell, Fate, Prints, Unpaired, align, fingerprint, settle, settle_with,
};
use incola_workbook::ExistingBook;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::Path;

/// What is done to a row that stays.
pub(super) struct RowWork {
    pub(super) row: u32,
    pub(super) record: u32,
    /// By column in common: whether the source's value goes in; `None`: all do.
    pub(super) cells: Option<Vec<bool>>,
}

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

/// Compares. `None`: the table holds what the source holds, but for what was changed by hand.
///
/// # Errors
/// If the sheet cannot be read, its table is not found, or something stands in the way of new rows.
pub(crate) fn compare(
    book: &mut ExistingBook,
    path: &Path,
    kept: &Kept,
    reread: Reread,
    wishes: Wishes,
) -> Result<std::result::Result<Compared, Report>> {
    let link = &kept.link;
    let located = locate(book, kept, path)?;
    let common = reread.common();
    let mut key = key_places(kept, &reread, &common);
    let mut source = reread.prints(&key)?;
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
    let imported = read_rows(book, kept)?.unwrap_or_default();
    let is_whole = common.len() == link.columns.len();
    let mut alignment = align(
        &imported,
        Prints { rows: &seen.commons, keys: &seen.keys, wholes: &seen.wholes },
        Prints { rows: &source.rows, keys: &source.keys, wholes: if is_whole { &source.rows } else { &[] } },
    );
    drop(imported);
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
        notes,
        ..Report::default()
    };
    let columns = column_changes(kept, &reread, &source.tallies, &mut report);
    file_changes(kept, &reread, &mut report);
    let base = Base::of(kept, &key, &alignment);
    let decided = decide(&alignment, &mut sides, &base, wishes, &key, (&mut report, &mut told));
    report.changes = told.changes;
    // In the order in which they matter.
    report.changes.sort_by_key(|change| change.what);
    if !report.has_changes() {
        report.outcome = "same";
        report.rows_after = report.rows_before;
        reread.note_same(kept)?;
        return Ok(Err(report));
    }
    report.rows_after = report.rows_before + report.added - report.gone;
    let Seen { place, wish, .. } = seen;
    let gone = decided.gone.len() as u32;
    let place = place
        .with_rows(decided.added.len() as u64, gone, &wish, &located.sheet_name)
        .map_err(|failure| no_room(failure, &located))?;
    check_moves(&place, &decided.gone, &located)?;
    let now = imported_now(&reread, &common, &alignment, &source)?;
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
    let mut wanted: HashSet<u32> = HashSet::new();
    for fate in &alignment.fates {
        match *fate {
            Fate::Revised(record) | Fate::Edited(record) | Fate::Both(record) => {
                wanted.insert(record);
            }
            Fate::Same(record) if all => {
                wanted.insert(record);
            }
            _ => {}
        }
    }
    for one in &alignment.unpaired {
        if let Unpaired::Added(record) = one {
            wanted.insert(*record);
        }
    }
    let mut slots: Vec<Slot> = common.iter().map(|(_, slot)| *slot).collect();
    slots.extend(reread.added.iter().map(|n| Slot::Field(*n)));
    let mut picked = Picked::default();
    let mut first = 0;
    if wanted.is_empty() {
        return Ok(picked);
    }
    for (source, surveyed) in &reread.sources {
        let label = source.label();
        let columns = &reread.reading.columns;
        let of = Columns { columns, writers: &reread.writers, slots: &slots, key: &[], label: &label };
        pick(source, surveyed, of, first, |record| wanted.contains(&record), &mut picked)?;
        first += surveyed.reading.records as u32;
    }
    Ok(picked)
}

/// Both sides of rows that differ.
struct Sides<'s> {
    kept: &'s Kept,
    reread: &'s Reread,
    common: &'s [(usize, Slot)],
    seen: &'s Seen,
    picked: &'s Picked,
    strings: HashMap<usize, String>,
    buffer: Vec<u8>,
}

/// A row of the sheet: by column of the link, fingerprints and what is shown.
type SheetRow = (Vec<u64>, Vec<String>);

/// A record: by column in common, fingerprints and fields.
pub(super) type RecordRow = (Vec<u64>, Vec<String>);

impl<'s> Sides<'s> {
    fn new(
        kept: &'s Kept,
        reread: &'s Reread,
        common: &'s [(usize, Slot)],
        seen: &'s Seen,
        picked: &'s Picked,
        book: &mut ExistingBook,
    ) -> Result<Self> {
        let mut buffer = Vec::new();
        let mut places = Vec::new();
        for row in seen.cells.records() {
            if seen.cells.read(row, &mut buffer) {
                places.extend(unpacked(&buffer).1.into_iter().filter_map(std::result::Result::err));
            }
        }
        let strings = book.shared_strings_at(&places).map_err(|e| crate::placing::failed(&e))?;
        Ok(Self { kept, reread, common, seen, picked, strings, buffer })
    }

    /// The row of the sheet with that number, if its cells were kept.
    fn sheet_row(&mut self, row: u32) -> Option<SheetRow> {
        if !self.seen.cells.read(row, &mut self.buffer) {
            return None;
        }
        let (prints, shown) = unpacked(&self.buffer);
        let text = |place: usize| self.strings.get(&place).cloned().unwrap_or_default();
        Some((prints, shown.into_iter().map(|s| s.unwrap_or_else(text)).collect()))
    }

    /// A record, if it was picked.
    fn record(&mut self, record: u32) -> Option<RecordRow> {
        if !self.picked.read(record, &mut self.buffer) {
            return None;
        }
        let label = String::new();
        let of = Columns {
            columns: &self.reread.reading.columns,
            writers: &self.reread.writers,
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
    fn label(&self, key: &[usize], shown: &[String]) -> String {
        let name = |place: usize| self.kept.link.columns[self.common[place].0].heading.clone();
        let places: Vec<usize> = if key.is_empty() { vec![0] } else { key.to_vec() };
        let parts = places.iter().filter_map(|place| {
            let text = shown.get(*place).filter(|t| !t.is_empty())?;
            Some(format!("{} {text}", name(*place)))
        });
        parts.collect::<Vec<_>>().join(", ")
    }

    /// Texts by column in common, from texts by column of the link.
    fn in_common(&self, shown: &[String]) -> Vec<String> {
        self.common.iter().map(|(place, _)| shown[*place].clone()).collect()
    }
}

/// Where there is no key: rows and records between the same neighbours belong together if most of their cells are the same.
fn close_gaps(alignment: &mut Alignment, sides: &mut Sides<'_>) {
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
            *fate = if *fate == Fate::Gone { Fate::Revised(record) } else { Fate::Both(record) };
            paired.insert(record);
            from = n + 1;
        }
    }
    alignment.unpaired.retain(|one| match one {
        Unpaired::Added(record) | Unpaired::Removed(record) => !paired.contains(record),
    });
}

/// What was imported, where the mirror still has it: by key, the record's fingerprints and fields.
struct Base {
    rows: HashMap<u64, RecordRow>,
}

impl Base {
    /// Reads the copy of the source as it was imported, if a row is in doubt and there is a key to find it by.
    fn of(kept: &Kept, key: &[usize], alignment: &Alignment) -> Self {
        let none = Self { rows: HashMap::new() };
        let in_doubt = alignment.fates.iter().any(|fate| matches!(fate, Fate::Both(_) | Fate::Lone));
        if !in_doubt || key.is_empty() {
            return none;
        }
        super::base::read(kept, key).map_or(none, |rows| Self { rows })
    }
}

/// What is to be done.
#[derive(Default)]
struct Decided {
    work: Vec<RowWork>,
    gone: Vec<u32>,
    added: Vec<u32>,
}

/// Says of each row what is done with it, and tells it.
fn decide(
    alignment: &Alignment,
    sides: &mut Sides<'_>,
    base: &Base,
    wishes: Wishes,
    key: &[usize],
    (report, told): (&mut Report, &mut Told),
) -> Decided {
    let mut decided = Decided::default();
    let has_new_columns = !sides.reread.added.is_empty();
    let headings: Vec<String> =
        sides.common.iter().map(|(place, _)| sides.kept.link.columns[*place].heading.clone()).collect();
    let nothing = vec![false; sides.common.len()];
    for (n, fate) in alignment.fates.iter().enumerate() {
        let row = sides.seen.rows[n];
        match *fate {
            Fate::Same(record) => {
                report.same += 1;
                if has_new_columns {
                    decided.work.push(RowWork { row, record, cells: Some(nothing.clone()) });
                }
            }
            Fate::Own => report.own += u64::from(sides.seen.commons[n] != blank_row(sides.common.len())),
            Fate::Gone => {
                report.gone += 1;
                decided.gone.push(row);
                let shown =
                    sides.sheet_row(row).map(|(_, shown)| sides.in_common(&shown)).unwrap_or_default();
                let label = sides.label(key, &shown);
                told.tell(What::Gone, || Change { what: What::Gone, label, row, cells: Vec::new() });
            }
            Fate::Lone => {
                report.conflicts += 1;
                let (_, shown) = sides.sheet_row(row).unwrap_or_default();
                let shown = sides.in_common(&shown);
                let label = sides.label(key, &shown);
                told.tell(What::Conflict, || Change { what: What::Conflict, label, row, cells: Vec::new() });
                match wishes.edits {
                    Some(Winner::Source) => decided.gone.push(row),
                    _ => report.own += 1,
                }
            }
            Fate::Revised(record) | Fate::Edited(record) | Fate::Both(record) => {
                let verdict = verdict(*fate, row, record, sides, base, alignment, key);
                settle_row(
                    verdict,
                    (row, record),
                    (sides, &headings, key),
                    wishes,
                    &mut decided,
                    (report, told),
                );
                if has_new_columns && decided.work.last().is_none_or(|work| work.row != row) {
                    decided.work.push(RowWork { row, record, cells: Some(nothing.clone()) });
                }
            }
        }
    }
    if wishes.edits == Some(Winner::Source) {
        // Rows that went with their conflict are gone too.
        report.gone = decided.gone.len() as u64;
    }
    let first_new = sides.seen.place.data_rows().1 + 1 - decided.gone.len() as u32;
    for one in &alignment.unpaired {
        match *one {
            Unpaired::Removed(_) => report.removed_by_hand += 1,
            Unpaired::Added(record) => {
                let row = first_new + decided.added.len() as u32;
                decided.added.push(record);
                report.added += 1;
                let shown = sides.record(record).map(|(_, shown)| shown).unwrap_or_default();
                let label = sides.label(key, &shown);
                told.tell(What::Added, || Change { what: What::Added, label, row, cells: Vec::new() });
            }
        }
    }
    decided
}

fn blank_row(columns: usize) -> u64 {
    fingerprint::row(&vec![fingerprint::BLANK; columns])
}

/// What is known of a row that differs from its record.
struct Verdict {
    /// By column in common.
    cells: Vec<Cell>,
    sheet: Vec<String>,
    source: Vec<String>,
    imported: Option<Vec<String>>,
}

fn verdict(
    fate: Fate,
    row: u32,
    record: u32,
    sides: &mut Sides<'_>,
    base: &Base,
    alignment: &Alignment,
    key: &[usize],
) -> Verdict {
    let count = sides.common.len();
    let (new, source) = sides.record(record).unwrap_or_else(|| (vec![0; count], vec![String::new(); count]));
    let Some((whole, shown)) = sides.sheet_row(row) else {
        // Its cells were not kept, for another record says the same: it is that record's double.
        let cell = if matches!(fate, Fate::Revised(_)) { Cell::Revised } else { Cell::Conflict };
        return Verdict {
            cells: vec![cell; count],
            sheet: vec![String::new(); count],
            source,
            imported: None,
        };
    };
    let sheet: Vec<u64> = sides.common.iter().map(|(place, _)| whole[*place]).collect();
    let mut imported = None;
    let cells = match fate {
        Fate::Revised(_) => plainly(&sheet, &new, Cell::Revised),
        Fate::Edited(_) => plainly(&sheet, &new, Cell::Edited),
        _ => {
            let own = base.rows.get(&super::reread::Reread::key_of(&sheet, key));
            if let Some((prints, texts)) = own.filter(|(prints, _)| prints.len() == count) {
                imported = Some(texts.clone());
                settle_with(&sheet, &new, prints)
            } else {
                // What the source has no more is taken as the sheet has it.
                let mut other = whole.clone();
                for ((place, _), print) in sides.common.iter().zip(&new) {
                    other[*place] = *print;
                }
                let all = settle(&whole, &other, |print| alignment.unaccounted.binary_search(&print).is_ok());
                sides.common.iter().map(|(place, _)| all[*place]).collect()
            }
        }
    };
    Verdict { cells, sheet: sides.in_common(&shown), source, imported }
}

fn plainly(sheet: &[u64], source: &[u64], what: Cell) -> Vec<Cell> {
    sheet.iter().zip(source).map(|(a, b)| if a == b { Cell::Same } else { what }).collect()
}

/// Says what is done with a row that differs from its record.
fn settle_row(
    verdict: Verdict,
    (row, record): (u32, u32),
    (sides, headings, key): (&Sides<'_>, &[String], &[usize]),
    wishes: Wishes,
    decided: &mut Decided,
    (report, told): (&mut Report, &mut Told),
) {
    let Verdict { cells, sheet, source, imported } = verdict;
    let goes_in: Vec<bool> = cells
        .iter()
        .map(|cell| match cell {
            Cell::Same | Cell::Edited => false,
            Cell::Revised => true,
            Cell::Conflict => wishes.edits == Some(Winner::Source),
        })
        .collect();
    let of = |what: Cell| -> Vec<CellChange> {
        let places = (0..cells.len()).filter(|n| cells[*n] == what);
        let change = |n: usize| CellChange {
            column: headings[n].clone(),
            sheet: sheet[n].clone(),
            source: Some(source[n].clone()),
            imported: imported.as_ref().map(|texts| texts[n].clone()),
        };
        places.map(change).collect()
    };
    let has = |what: Cell| cells.contains(&what);
    let label = || sides.label(key, &source);
    let tell = |what: What, cell: Cell, told: &mut Told| {
        told.tell(what, || Change { what, label: label(), row, cells: of(cell) });
    };
    if has(Cell::Revised) {
        report.revised += 1;
        tell(What::Revised, Cell::Revised, told);
    }
    if has(Cell::Edited) {
        report.kept_edits += 1;
        tell(What::Kept, Cell::Edited, told);
    }
    if has(Cell::Conflict) {
        report.conflicts += cells.iter().filter(|c| **c == Cell::Conflict).count() as u64;
        tell(What::Conflict, Cell::Conflict, told);
    }
    if !has(Cell::Revised) && !has(Cell::Conflict) {
        report.same += 1;
    }
    if goes_in.contains(&true) {
        decided.work.push(RowWork { row, record, cells: Some(goes_in) });
    }
}

/// The columns that the link will have, and what became of those that it had.
fn column_changes(
    kept: &Kept,
    reread: &Reread,
    tallies: &[ColumnTally],
    report: &mut Report,
) -> Vec<LinkedColumn> {
    let mut columns = Vec::new();
    let filled = |n: usize, name: Option<String>, heading: String| {
        let kind = reread.reading.columns[n].rule.kind();
        let days = tallies[n].days;
        LinkedColumn {
            name,
            heading,
            kind: kind.word().to_owned(),
            sum: (kind == Kind::Number).then(|| tallies[n].sum_text()).flatten(),
            from: days.map(|(from, _)| day_text(from)),
            to: days.map(|(_, to)| day_text(to)),
        }
    };
    for (place, old) in kept.link.columns.iter().enumerate() {
        match reread.slots[place] {
            None => report.columns_gone.push(old.heading.clone()),
            Some(Slot::Field(n)) => {
                let name = reread.reading.columns[n].name.clone();
                let now = filled(n, Some(name.clone()), old.heading.clone());
                if reread.renamed.iter().any(|(own, _)| *own == place) {
                    report
                        .columns_renamed
                        .push(Renamed { from: old.name.clone().unwrap_or_default(), to: name });
                }
                if old.sum != now.sum {
                    let (before, after) = (old.sum.clone(), now.sum.clone());
                    report.sums.push(Sum { column: old.heading.clone(), before, after });
                }
                if (&old.from, &old.to) != (&now.from, &now.to) {
                    report.days.push(Days {
                        column: old.heading.clone(),
                        before: old.from.clone().zip(old.to.clone()),
                        after: now.from.clone().zip(now.to.clone()),
                    });
                }
                columns.push(now);
            }
            Some(_) => columns.push(old.clone()),
        }
    }
    for n in &reread.added {
        let name = reread.reading.columns[*n].name.clone();
        report.columns_added.push(name.clone());
        columns.push(filled(*n, Some(name.clone()), name));
    }
    report.columns_left_out.clone_from(&reread.left_out);
    columns
}

fn file_changes(kept: &Kept, reread: &Reread, report: &mut Report) {
    let before: Vec<&String> = kept.link.parts.iter().map(|part| &part.at).collect();
    report.files_added = reread.parts.iter().filter(|at| !before.contains(at)).cloned().collect();
    report.files_gone = before.into_iter().filter(|at| !reread.parts.contains(at)).cloned().collect();
}

/// Fails if something stands among rows that move which would not move with them.
fn check_moves(place: &Place, gone: &[u32], located: &Located) -> Result<()> {
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
    Ok(())
}

/// The fingerprints that the link will have: of rows in their order, of records that were taken out by hand, of new ones.
fn imported_now(
    reread: &Reread,
    common: &[(usize, Slot)],
    alignment: &Alignment,
    source: &Read,
) -> Result<Vec<u64>> {
    let is_same_shape = reread.added.is_empty() && common.len() == reread.slots.len();
    let own;
    let prints = if is_same_shape {
        &source.rows
    } else {
        own = reread.prints_of_new_shape()?;
        &own
    };
    let mut records: Vec<u32> = Vec::new();
    for fate in &alignment.fates {
        if let Fate::Same(n) | Fate::Revised(n) | Fate::Edited(n) | Fate::Both(n) = fate {
            records.push(*n);
        }
    }
    records.extend(alignment.unpaired.iter().filter_map(|one| match one {
        Unpaired::Removed(record) => Some(*record),
        Unpaired::Added(_) => None,
    }));
    records.extend(alignment.unpaired.iter().filter_map(|one| match one {
        Unpaired::Added(record) => Some(*record),
        Unpaired::Removed(_) => None,
    }));
    Ok(records.into_iter().filter_map(|record| prints.get(record as usize).copied()).collect())
}

/// The cells of the table when it is written.
pub(super) fn range_after(compared: &Compared) -> incola_workbook::Range {
    let (_, last) = compared.place.data_rows();
    let last = last - compared.gone.len() as u32 + compared.added.len() as u32;
    sheet_side::range_of(&compared.place, last)
}

/// Records by key, for tests and for what was imported.
pub(super) fn by_key(rows: Vec<(u64, RecordRow)>) -> HashMap<u64, RecordRow> {
    let mut all: BTreeMap<u64, Option<RecordRow>> = BTreeMap::new();
    for (key, row) in rows {
        // A key that is there twice tells nothing.
        all.entry(key).and_modify(|own| *own = None).or_insert(Some(row));
    }
    all.into_iter().filter_map(|(key, row)| Some((key, row?))).collect()
}
