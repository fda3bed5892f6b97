//! A row that differs from its record: which cells the source revised, and which someone changed by hand.

use super::fingerprint;

/// Most cells that differ for which all mixtures are tried.
const MOST_CELLS: usize = 12;

/// What became of a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cell {
    /// Sheet and source agree.
    Same,
    /// The source revised it; nobody changed it by hand.
    Revised,
    /// It was changed by hand; the source did not revise it.
    Edited,
    /// Both, or nobody knows: someone must say who wins.
    Conflict,
}

/// Tells revisions from edits by the fingerprints of the cells, where only the fingerprint of the row that was imported is known:
/// `was_imported` says whether a row was. A mixture of both sides that was imported tells them apart.
///
/// ```
/// use incola_core::refresh::{Cell, fingerprint, settle};
/// let (sheet, source, imported) = ([1, 20, 3], [1, 2, 30], [1, 2, 3]);
/// let cells = settle(&sheet, &source, |row| row == fingerprint::row(&imported));
/// assert_eq!(cells, [Cell::Same, Cell::Edited, Cell::Revised]);
/// ```
pub fn settle(sheet: &[u64], source: &[u64], was_imported: impl Fn(u64) -> bool) -> Vec<Cell> {
    let differing: Vec<usize> = (0..sheet.len()).filter(|n| sheet[*n] != source[*n]).collect();
    let mut cells = vec![Cell::Same; sheet.len()];
    for n in &differing {
        cells[*n] = Cell::Conflict;
    }
    if differing.len() > MOST_CELLS {
        return cells;
    }
    let mut mixture = sheet.to_vec();
    for which in 0..1_u32 << differing.len() {
        for (bit, n) in differing.iter().enumerate() {
            mixture[*n] = if which >> bit & 1 == 1 { source[*n] } else { sheet[*n] };
        }
        if was_imported(fingerprint::row(&mixture)) {
            for (bit, n) in differing.iter().enumerate() {
                cells[*n] = if which >> bit & 1 == 1 { Cell::Edited } else { Cell::Revised };
            }
            break;
        }
    }
    cells
}

/// The same where the cells that were imported are known.
pub fn settle_with(sheet: &[u64], source: &[u64], imported: &[u64]) -> Vec<Cell> {
    let cells = sheet.iter().zip(source).zip(imported);
    cells
        .map(|((sheet, source), imported)| match () {
            () if sheet == source => Cell::Same,
            () if sheet == imported => Cell::Revised,
            () if source == imported => Cell::Edited,
            () => Cell::Conflict,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_cell_that_both_changed_is_a_conflict() {
        let imported = [1, 2, 3];
        let was = |row| row == fingerprint::row(&imported);
        // Nobody can say which of them was changed on both sides.
        assert_eq!(settle(&[1, 20, 3], &[1, 21, 3], was), [Cell::Same, Cell::Conflict, Cell::Same]);
        assert_eq!(settle(&[9, 20, 3], &[1, 21, 3], was), [Cell::Conflict, Cell::Conflict, Cell::Same]);
        assert_eq!(
            settle_with(&[9, 20, 3], &[1, 21, 3], &imported),
            [Cell::Edited, Cell::Conflict, Cell::Same]
        );
    }

    proptest! {
        #[test]
        fn both_ways_agree_where_no_cell_was_changed_twice(
            imported in proptest::collection::vec(1_u64..1000, 1..9),
            who in proptest::collection::vec(0..3, 9),
        ) {
            let (mut sheet, mut source) = (imported.clone(), imported.clone());
            for n in 0..imported.len() {
                match who[n] {
                    1 => sheet[n] += 1000,
                    2 => source[n] += 2000,
                    _ => {}
                }
            }
            let base = fingerprint::row(&imported);
            prop_assert_eq!(
                settle(&sheet, &source, |row| row == base),
                settle_with(&sheet, &source, &imported)
            );
        }
    }
}
