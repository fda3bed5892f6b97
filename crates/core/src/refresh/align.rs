//! Which row of the sheet is which record of the source.
//!
//! | row and record | the row was imported so | the record was imported so | fate |
//! |---|---|---|---|
//! | paired, the same | | | same |
//! | paired, not the same | yes | | revised |
//! | paired, not the same | no | yes | edited |
//! | paired, not the same | no | no | both |
//! | row alone | yes | | gone |
//! | row alone | no | | own; lone if its key was imported, and that record is not accounted for |
//! | record alone | | yes | removed by hand |
//! | record alone | | no | added |
//!
//! Rows are paired by the key, else by what they hold; order counts only where nothing else does. Nearly all rows of nearly all
//! refreshes follow each other as before, so that they are paired without looking anything up.

use std::collections::HashMap;

/// Rows or records: their fingerprints, and those of their keys.
#[derive(Clone, Copy, Debug)]
pub struct Prints<'p> {
    /// Of whole rows.
    pub rows: &'p [u64],
    /// Of keys, 0 where a key is blank; empty: there are no keys.
    pub keys: &'p [u64],
    /// Of whole rows, by the columns that they had when they were imported; empty: not known.
    pub wholes: &'p [u64],
}

/// What becomes of a row of the sheet. Records are counted from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fate {
    /// It says what the record says.
    Same(u32),
    /// The source revised it.
    Revised(u32),
    /// Someone changed it by hand, and the source did not revise it.
    Edited(u32),
    /// Neither the row nor the record is as it was imported: [`settle`](super::settle) tells their cells apart.
    ChangedOnBothSides(u32),
    /// The source has its record no more.
    RecordGone,
    /// Someone added it by hand.
    AddedByHand,
    /// Someone changed it by hand, and its record is gone: only who knows what was imported can tell ([`Alignment::mark_lone`]).
    EditedButRecordGone,
}

/// A record that no row of the sheet stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unpaired {
    /// It is new.
    Added(u32),
    /// It was imported, and its row was taken out by hand.
    Removed(u32),
}

/// Rows and records between two pairs that may belong to each other: only their cells can tell.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Gap {
    /// Rows of the sheet, from 0.
    pub rows: Vec<u32>,
    /// Records, from 0.
    pub records: Vec<u32>,
}

/// What belongs to what.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Alignment {
    /// By row of the sheet.
    pub fates: Vec<Fate>,
    /// Records without a row, in their order.
    pub unpaired: Vec<Unpaired>,
    /// Where there is no key: rows and records that may be the same.
    pub gaps: Vec<Gap>,
    /// Rows whose record stands elsewhere among the others than before.
    pub moved: u32,
    /// Fingerprints of rows that were imported and are not accounted for.
    pub unaccounted: Vec<u64>,
}

/// How far ahead a counterpart is looked for before everything is.
const AHEAD: usize = 8;

const NONE: u32 = u32::MAX;

/// Aligns the sheet with the source. `imported`: fingerprints of the rows as they were imported, in the order of the sheet then.
///
/// ```
/// use incola_core::refresh::{Fate, Prints, Unpaired, align};
/// let alignment = align(
///     &[11, 12, 13],
///     Prints { rows: &[11, 12, 13, 99], keys: &[1, 2, 3, 9], wholes: &[11, 12, 13, 99] },
///     Prints { rows: &[11, 22, 14], keys: &[1, 2, 4], wholes: &[11, 22, 14] },
/// );
/// assert_eq!(alignment.fates, [Fate::Same(0), Fate::Revised(1), Fate::RecordGone, Fate::AddedByHand]);
/// assert_eq!(alignment.unpaired, [Unpaired::Added(2)]);
/// ```
pub fn align(imported: &[u64], sheet: Prints<'_>, source: Prints<'_>) -> Alignment {
    let mut pairs = pair(sheet.rows, source.rows);
    let has_keys = !source.keys.is_empty();
    if has_keys {
        pair_by(&mut pairs, sheet.keys, source.keys);
    }
    let base = pair(sheet.wholes, imported);
    // What was imported and stands in the sheet no more: edited, or taken out.
    let mut left: HashMap<u64, u32> = HashMap::new();
    for (n, print) in imported.iter().enumerate() {
        if base.of_second[n] == NONE {
            *left.entry(*print).or_default() += 1;
        }
    }
    let mut take = |record: usize| match source.wholes.get(record).and_then(|print| left.get_mut(print)) {
        Some(count) if *count > 0 => {
            *count -= 1;
            true
        }
        _ => false,
    };
    let mut fates = Vec::with_capacity(sheet.rows.len());
    for (n, record) in pairs.of_first.iter().enumerate() {
        let was_imported = base.of_first[n] != NONE;
        fates.push(match *record {
            NONE if was_imported => Fate::RecordGone,
            NONE => Fate::AddedByHand,
            record if sheet.rows[n] == source.rows[record as usize] => Fate::Same(record),
            record if was_imported => Fate::Revised(record),
            record if take(record as usize) => Fate::Edited(record),
            record => Fate::ChangedOnBothSides(record),
        });
    }
    let mut unpaired = Vec::new();
    for (record, row) in pairs.of_second.iter().enumerate() {
        if *row == NONE {
            let known = take(record);
            unpaired.push(if known {
                Unpaired::Removed(record as u32)
            } else {
                Unpaired::Added(record as u32)
            });
        }
    }
    let gaps = if has_keys { Vec::new() } else { gaps(&fates, &unpaired, &pairs) };
    let moved = moved(&pairs, &base);
    let mut unaccounted: Vec<u64> =
        left.into_iter().filter(|(_, count)| *count > 0).map(|(p, _)| p).collect();
    unaccounted.sort_unstable();
    Alignment { fates, unpaired, gaps, moved, unaccounted }
}

/// Which of two lists belong to each other; [`NONE`]: nothing does.
struct Pairs {
    of_first: Vec<u32>,
    of_second: Vec<u32>,
}

/// Pairs what is equal: side by side where it goes on so, else wherever it stands.
fn pair(first: &[u64], second: &[u64]) -> Pairs {
    let mut pairs = Pairs { of_first: vec![NONE; first.len()], of_second: vec![NONE; second.len()] };
    let (mut i, mut j) = (0, 0);
    while i < first.len() && j < second.len() {
        if first[i] == second[j] {
            pairs.of_first[i] = j as u32;
            pairs.of_second[j] = i as u32;
            (i, j) = (i + 1, j + 1);
            continue;
        }
        // The nearest place from which on it goes on.
        let step = (1..=AHEAD).find_map(|n| {
            let at = |list: &[u64], from: usize| list.get(from).copied();
            match () {
                () if at(first, i + n).is_some() && at(first, i + n) == at(second, j + n) => Some((n, n)),
                () if at(second, j + n) == at(first, i) => Some((0, n)),
                () if at(first, i + n) == at(second, j) => Some((n, 0)),
                () => None,
            }
        });
        let (more_first, more_second) = step.unwrap_or((1, 1));
        (i, j) = (i + more_first, j + more_second);
    }
    pair_by(&mut pairs, first, second);
    pairs
}

/// Pairs what is left and is equal in these lists, the first with the first; 0 is equal to nothing.
fn pair_by(pairs: &mut Pairs, first: &[u64], second: &[u64]) {
    let left = (0..second.len()).filter(|n| pairs.of_second[*n] == NONE && second[*n] != 0);
    let mut sorted: Vec<(u64, u32)> = left.map(|n| (second[n], n as u32)).collect();
    sorted.sort_unstable();
    // How many of those that are equal are taken, at the place of the first of them.
    let mut taken = vec![0_u32; sorted.len()];
    for (i, print) in first.iter().enumerate().filter(|(_, print)| **print != 0) {
        if pairs.of_first[i] != NONE || sorted.is_empty() {
            continue;
        }
        let start = sorted.partition_point(|(other, _)| other < print);
        let Some(count) = taken.get_mut(start) else { continue };
        let Some((_, j)) = sorted.get(start + *count as usize).filter(|(other, _)| other == print) else {
            continue;
        };
        *count += 1;
        pairs.of_first[i] = *j;
        pairs.of_second[*j as usize] = i as u32;
    }
}

/// Rows and records without a counterpart, between the same pairs.
fn gaps(fates: &[Fate], unpaired: &[Unpaired], pairs: &Pairs) -> Vec<Gap> {
    // A record stands behind the row of the record before it.
    let mut behind: HashMap<u32, Vec<u32>> = HashMap::new();
    let mut unpaired = unpaired.iter();
    let mut place = 0;
    for (record, row) in (0_u32..).zip(&pairs.of_second) {
        if *row != NONE {
            place = row + 1;
        } else if let Some(Unpaired::Added(_)) = unpaired.next() {
            behind.entry(place).or_default().push(record);
        }
    }
    let mut gaps = Vec::new();
    let mut rows = Vec::new();
    let mut from = 0;
    for (n, fate) in fates.iter().chain([&Fate::Same(0)]).enumerate() {
        match fate {
            Fate::RecordGone | Fate::AddedByHand => rows.push(n as u32),
            _ => {
                if let Some(records) = behind.remove(&from).filter(|_| !rows.is_empty()) {
                    gaps.push(Gap { rows: std::mem::take(&mut rows), records });
                }
                rows.clear();
                from = n as u32 + 1;
            }
        }
    }
    gaps
}

/// How many records stand elsewhere among those that were imported than before: all but the longest run that keeps its order.
fn moved(pairs: &Pairs, base: &Pairs) -> u32 {
    // In the order of the last import.
    let records: Vec<u32> = base
        .of_second
        .iter()
        .filter(|row| **row != NONE)
        .map(|row| pairs.of_first[*row as usize])
        .filter(|record| *record != NONE)
        .collect();
    if records.is_sorted() {
        return 0;
    }
    let mut ends: Vec<u32> = Vec::new();
    for record in &records {
        let at = ends.partition_point(|end| end < record);
        match ends.get_mut(at) {
            Some(end) => *end = *record,
            None => ends.push(*record),
        }
    }
    (records.len() - ends.len()) as u32
}

impl Alignment {
    /// Marks rows that look like someone's own and were imported: whose key stands in no other row, and whose record, as it was
    /// imported under that key, is not accounted for. `keys`: of the rows of the sheet; `imported`: the fingerprint of what was
    /// imported under a key.
    ///
    /// Where a row stands says nothing: a row may have been put in right where one was changed.
    pub fn mark_lone(&mut self, keys: &[u64], imported: impl Fn(u64) -> Option<u64>) {
        let mut counts: HashMap<u64, u32> = HashMap::new();
        for key in keys {
            *counts.entry(*key).or_default() += 1;
        }
        for (fate, key) in self.fates.iter_mut().zip(keys) {
            let is_missing = |print: u64| self.unaccounted.binary_search(&print).is_ok();
            if *fate == Fate::AddedByHand && counts[key] == 1 && imported(*key).is_some_and(is_missing) {
                *fate = Fate::EditedButRecordGone;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Rows as `key value`: the fingerprint is that of both.
    fn prints(rows: &str) -> (Vec<u64>, Vec<u64>) {
        let print = |text: &str| super::super::fingerprint::text(text.as_bytes());
        let rows: Vec<&str> = rows.split(',').filter(|r| !r.is_empty()).collect();
        (
            rows.iter().map(|r| print(r)).collect(),
            rows.iter().map(|r| print(r.split(' ').next().unwrap_or(""))).collect(),
        )
    }

    fn shown(imported: &str, sheet: &str, source: &str, keyed: bool) -> String {
        let (base, sheet, source) = (prints(imported), prints(sheet), prints(source));
        let keys = |k| if keyed { k } else { &[][..] };
        let mut alignment = align(
            &base.0,
            Prints { rows: &sheet.0, keys: keys(&sheet.1), wholes: &sheet.0 },
            Prints { rows: &source.0, keys: keys(&source.1), wholes: &source.0 },
        );
        if keyed {
            alignment.mark_lone(&sheet.1, |key| base.1.iter().position(|k| *k == key).map(|n| base.0[n]));
        }
        let fates: Vec<String> = alignment
            .fates
            .iter()
            .map(|fate| match fate {
                Fate::Same(n) => format!("={n}"),
                Fate::Revised(n) => format!("revised {n}"),
                Fate::Edited(n) => format!("edited {n}"),
                Fate::ChangedOnBothSides(n) => format!("both {n}"),
                Fate::RecordGone => "gone".into(),
                Fate::AddedByHand => "own".into(),
                Fate::EditedButRecordGone => "lone".into(),
            })
            .collect();
        let mut text = fates.join(" ");
        for one in &alignment.unpaired {
            text += &match one {
                Unpaired::Added(n) => format!(" +{n}"),
                Unpaired::Removed(n) => format!(" -{n}"),
            };
        }
        for gap in &alignment.gaps {
            text += &format!(" {:?}~{:?}", gap.rows, gap.records);
        }
        if alignment.moved > 0 {
            text += &format!(" moved {}", alignment.moved);
        }
        text
    }

    #[test]
    fn rows_find_their_records_by_key() {
        let base = "a 1,b 2,c 3";
        for (sheet, source, expected) in [
            (base, base, "=0 =1 =2"),
            (base, "a 1,b 9,c 3", "=0 revised 1 =2"),
            (base, "a 1,c 3", "=0 gone =1"),
            (base, "a 1,b 2,c 3,d 4", "=0 =1 =2 +3"),
            (base, "x 0,a 1,b 2,c 3", "=1 =2 =3 +0"),
            (base, "c 3,a 1,b 2", "=1 =2 =0 moved 1"),
            ("a 1,b 7,c 3", base, "=0 edited 1 =2"),
            ("a 1,b 7,c 3", "a 1,b 9,c 3", "=0 both 1 =2"),
            ("a 1,b 9,c 3", "a 1,b 9,c 3", "=0 =1 =2"),
            ("a 1,b 2,c 3,z 9", base, "=0 =1 =2 own"),
            ("a 1,z 9,b 2,c 3", base, "=0 own =1 =2"),
            ("a 1,c 3", base, "=0 =2 -1"),
            ("c 3,b 2,a 1", base, "=2 =1 =0"),
            ("c 3,b 7,a 1", "a 1,b 2,c 4", "revised 2 edited 1 =0"),
            // Changed by hand, and its record went.
            ("a 1,b 7,c 3", "a 1,c 3", "=0 lone =1"),
            ("a 1,b 7,c 3,z 9", "a 1,c 3", "=0 lone =1 own"),
            // A row that was put in above it, or below, or instead of it, is someone's own.
            ("a 1,z 9,b 7,c 3", "a 1,c 3", "=0 own lone =1"),
            ("a 1,b 7,z 9,c 3", "a 1,c 3", "=0 lone own =1"),
            ("a 1,z 9,c 3", "a 1,c 3", "=0 own =1"),
            // Two rows with its key: nobody can tell which of them it was.
            ("a 1,b 7,b 8,c 3", "a 1,c 3", "=0 own own =1"),
            // Its key was changed by hand: the record is not put in a second time.
            ("a 1,k 2,c 3", base, "=0 own =2 -1"),
            ("", base, " -0 -1 -2"),
            (base, "", "gone gone gone"),
        ] {
            assert_eq!(shown(base, sheet, source, true), expected, "{sheet} / {source}");
        }
    }

    #[test]
    fn without_a_key_rows_are_aligned_by_what_they_hold() {
        let base = "a 1,b 2,c 3";
        for (sheet, source, expected) in [
            (base, base, "=0 =1 =2"),
            (base, "a 1,b 9,c 3", "=0 gone =2 +1 [1]~[1]"),
            (base, "a 1,c 3", "=0 gone =1"),
            (base, "c 3,a 1,b 2", "=1 =2 =0 moved 1"),
            ("a 1,b 7,c 3", base, "=0 own =2 -1"),
            (base, "a 1,b 9,b 8,c 3,d 4", "=0 gone =3 +1 +2 +4 [1]~[1, 2]"),
        ] {
            assert_eq!(shown(base, sheet, source, false), expected, "{sheet} / {source}");
        }
        // Rows that say the same are counted.
        assert_eq!(shown("a,a,a", "a,a,a", "a,a", false), "=0 =1 gone");
        assert_eq!(shown("a,a", "a,a", "a,a,a", false), "=0 =1 +2");
    }

    proptest! {
        #[test]
        fn every_row_and_record_is_accounted_for_once(
            base in proptest::collection::vec(0_u64..12, 0..30),
            sheet in proptest::collection::vec(0_u64..12, 0..30),
            source in proptest::collection::vec(0_u64..12, 0..30),
            keyed: bool,
        ) {
            let keys = |rows: &[u64]| if keyed { rows.iter().map(|r| r % 4 + 1).collect() } else { Vec::new() };
            let (sheet_keys, source_keys) = (keys(&sheet), keys(&source));
            let alignment = align(
                &base,
                Prints { rows: &sheet, keys: &sheet_keys, wholes: &sheet },
                Prints { rows: &source, keys: &source_keys, wholes: &source },
            );
            prop_assert_eq!(alignment.fates.len(), sheet.len());
            let paired = alignment.fates.iter().filter_map(|f| match f {
                Fate::Same(n) | Fate::Revised(n) | Fate::Edited(n) | Fate::ChangedOnBothSides(n) => Some(*n),
                _ => None,
            });
            let alone = alignment.unpaired.iter().map(|u| match u { Unpaired::Added(n) | Unpaired::Removed(n) => *n });
            let mut all: Vec<u32> = paired.chain(alone).collect();
            all.sort_unstable();
            prop_assert_eq!(all, (0..source.len() as u32).collect::<Vec<_>>());
            for (n, fate) in alignment.fates.iter().enumerate() {
                if let Fate::Same(record) = fate {
                    prop_assert_eq!(sheet[n], source[*record as usize]);
                }
            }
        }
    }
}
