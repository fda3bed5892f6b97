//! What is done with each row, and told of it.

use super::base::Before;
use super::report::{CellChange, Change, Conflict, Report, Told, What};
use super::sides::{RecordRow, Sides};
use super::{ConflictMark, Winner, Wishes};
use crate::fingerprints::key_of;
use crate::link::Link;
use incola_core::refresh::{Alignment, Cell, Fate, Unpaired, fingerprint, settle, settle_with};
use std::collections::HashMap;

/// What is done to a row that stays.
pub(super) struct RowWork {
    pub(super) row: u32,
    pub(super) record: u32,
    /// By column in common: whether the source's value goes in.
    pub(super) cells: Vec<bool>,
}

/// What was imported, where the mirror still has it: by key, the record's fingerprints and fields.
pub(super) struct Base {
    rows: HashMap<u64, RecordRow>,
}

impl Base {
    /// Reads the copy of the source as it was imported, if a row is in doubt and there is a key to find it by.
    pub(super) fn of(before: &Before<'_>, link: &Link, key: &[usize], alignment: &Alignment) -> Self {
        let none = Self { rows: HashMap::new() };
        let is_missing = !alignment.unaccounted.is_empty();
        let in_doubt = |fate: &Fate| {
            matches!(fate, Fate::ChangedOnBothSides(_)) || (*fate == Fate::AddedByHand && is_missing)
        };
        let in_doubt = alignment.fates.iter().any(in_doubt);
        if !in_doubt || key.is_empty() {
            return none;
        }
        super::base::read(before, link, key).map_or(none, |rows| Self { rows })
    }

    /// The fingerprint of the row that was imported under a key.
    pub(super) fn print_of(&self, key: u64) -> Option<u64> {
        self.rows.get(&key).map(|(prints, _)| fingerprint::row(prints))
    }
}

/// What is to be done.
#[derive(Default)]
pub(super) struct Decided {
    pub(super) work: Vec<RowWork>,
    pub(super) gone: Vec<u32>,
    pub(super) added: Vec<u32>,
}

/// Says of each row what is done with it, and tells it. `known`: what was imported, and whether its fingerprints are of the columns in
/// common.
pub(super) fn decide(
    alignment: &Alignment,
    sides: &mut Sides<'_>,
    known: (&Base, bool),
    wishes: Wishes<'_>,
    key: &[usize],
    (report, told): (&mut Report, &mut Told),
) -> Decided {
    let mut decided = Decided::default();
    let has_new_columns = !sides.source_now.added.is_empty();
    let headings: Vec<String> =
        sides.common.iter().map(|(place, _)| sides.link.columns[*place].heading.clone()).collect();
    let nothing = vec![false; sides.common.len()];
    for (n, fate) in alignment.fates.iter().enumerate() {
        let row = sides.seen.rows[n];
        match *fate {
            Fate::Same(record) => {
                report.same += 1;
                if has_new_columns {
                    decided.work.push(RowWork { row, record, cells: nothing.clone() });
                }
            }
            Fate::AddedByHand => {
                report.own += u64::from(sides.seen.commons[n] != blank_row(sides.common.len()));
            }
            Fate::RecordGone => {
                report.gone += 1;
                decided.gone.push(row);
                told.tell(What::Gone, || Change {
                    what: What::Gone,
                    label: sides.label_of_row(key, row),
                    row,
                    cells: Vec::new(),
                    why: None,
                    conflict: None,
                });
            }
            Fate::EditedButRecordGone => {
                let label = sides.label_of_row(key, row);
                let shown = sides.sheet_row(row).map(|(_, shown)| shown).unwrap_or_default();
                let mark = ConflictMark::new(&sides.link.name, &label, None, &shown.join("\u{1f}"), None);
                let winner = wishes.winner(mark);
                report.count(winner);
                let what = match winner {
                    Some(Winner::Source) => {
                        decided.gone.push(row);
                        report.gone += 1;
                        What::Gone
                    }
                    _ => What::Conflict,
                };
                told.tell(what, || Change {
                    what,
                    label,
                    row,
                    cells: Vec::new(),
                    why: Some(why_lone(sides, row)),
                    conflict: Some(Conflict { mark, winner }),
                });
            }
            Fate::Revised(record) | Fate::Edited(record) | Fate::ChangedOnBothSides(record) => {
                let verdict = verdict((*fate, row, record), sides, known, alignment, key);
                settle_row(
                    verdict,
                    (row, record),
                    (sides, &headings, key),
                    wishes,
                    &mut decided,
                    (report, told),
                );
                if has_new_columns && decided.work.last().is_none_or(|work| work.row != row) {
                    decided.work.push(RowWork { row, record, cells: nothing.clone() });
                }
            }
        }
    }
    let first_new = sides.seen.place.data_rows().1 + 1 - decided.gone.len() as u32;
    for one in &alignment.unpaired {
        match *one {
            Unpaired::Removed(_) => report.removed_by_hand += 1,
            Unpaired::Added(record) => {
                let row = first_new + decided.added.len() as u32;
                decided.added.push(record);
                report.added += 1;
                told.tell(What::Added, || {
                    let shown = sides.record(record).map(|(_, shown)| shown).unwrap_or_default();
                    Change {
                        what: What::Added,
                        label: sides.label(key, &shown),
                        row,
                        cells: Vec::new(),
                        why: None,
                        conflict: None,
                    }
                });
            }
        }
    }
    decided
}

/// Why a row whose record went does not go with it.
fn why_lone(sides: &Sides<'_>, row: u32) -> String {
    let remarks = &sides.seen.remarks;
    match remarks.binary_search_by_key(&row, |remark| remark.at.row).map(|at| remarks[at]) {
        Ok(remark) => {
            let what = if remark.is_comment { "has a comment" } else { "holds something of your own" };
            format!("{} {what}, and the source has the record no more", remark.at)
        }
        Err(_) => "changed by hand, and the source has it no more".to_owned(),
    }
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
    (fate, row, record): (Fate, u32, u32),
    sides: &mut Sides<'_>,
    (base, is_by_common): (&Base, bool),
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
            let own = base.rows.get(&key_of(&sheet, key));
            if let Some((prints, texts)) = own.filter(|(prints, _)| prints.len() == count) {
                imported = Some(texts.clone());
                settle_with(&sheet, &new, prints)
            } else if is_by_common {
                settle(&sheet, &new, |print| alignment.unaccounted.binary_search(&print).is_ok())
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
    wishes: Wishes<'_>,
    decided: &mut Decided,
    (report, told): (&mut Report, &mut Told),
) {
    let Verdict { cells, sheet, source, imported } = verdict;
    let label = sides.label(key, &source);
    let conflict = |n: usize| {
        let mark =
            ConflictMark::new(&sides.link.name, &label, Some(&headings[n]), &sheet[n], Some(&source[n]));
        Conflict { mark, winner: wishes.winner(mark) }
    };
    let conflicts: Vec<Option<Conflict>> =
        cells.iter().enumerate().map(|(n, cell)| (*cell == Cell::Conflict).then(|| conflict(n))).collect();
    let goes_in: Vec<bool> = cells
        .iter()
        .zip(&conflicts)
        .map(|(cell, conflict)| match cell {
            Cell::Same | Cell::Edited => false,
            Cell::Revised => true,
            Cell::Conflict => conflict.is_some_and(|conflict| conflict.winner == Some(Winner::Source)),
        })
        .collect();
    let of = |what: Cell| -> Vec<CellChange> {
        let places = (0..cells.len()).filter(|n| cells[*n] == what);
        let change = |n: usize| CellChange {
            column: headings[n].clone(),
            sheet: sheet[n].clone(),
            source: Some(source[n].clone()),
            imported: imported.as_ref().map(|texts| texts[n].clone()),
            conflict: conflicts[n],
        };
        places.map(change).collect()
    };
    let has = |what: Cell| cells.contains(&what);
    let tell = |what: What, cell: Cell, told: &mut Told| {
        told.tell(what, || Change {
            what,
            label: label.clone(),
            row,
            cells: of(cell),
            why: None,
            conflict: None,
        });
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
        conflicts.iter().flatten().for_each(|conflict| report.count(conflict.winner));
        tell(What::Conflict, Cell::Conflict, told);
    }
    if !has(Cell::Revised) && !has(Cell::Conflict) {
        report.same += 1;
    }
    if goes_in.contains(&true) {
        decided.work.push(RowWork { row, record, cells: goes_in });
    }
}
