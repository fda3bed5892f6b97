//! What stands in the way of rows, told before anything is written.

use super::{Mode, Place, Wish};
use crate::import::Slot;
use crate::stop::{Held, Occupied, PlaceStop, Result, Stop, Whole};
use incola_workbook::{CellRef, ExistingTable, KeptRow, Range, Run, limits};

/// Things that are told one by one.
const TOLD: usize = 5;

/// Fails if something stands in the way.
pub(super) fn check(place: &Place, wish: &Wish, name: &str) -> Result<()> {
    standing(place, wish).map_or(Ok(()), |why| Err(Stop::place(name, why)))
}

/// What stands in the way first.
fn standing(place: &Place, wish: &Wish) -> Option<PlaceStop> {
    if place.facts.is_protected && !wish.even_protected {
        return Some(PlaceStop::Protected);
    }
    let records = place.records;
    let last = u64::from(place.first_row) - 1 + records + u64::from(place.totals_rows());
    if last > u64::from(limits::ROWS) {
        return Some(PlaceStop::TooManyRows { records, first_row: place.first_row });
    }
    if let Some(column) = place.columns().last().copied().filter(|c| *c > limits::COLUMNS) {
        return Some(PlaceStop::TooFarRight { column });
    }
    // Where no row comes, none stands in the way.
    let comes = records > u64::from(place.removed) || wish.mode != Mode::Append;
    comes
        .then(|| in_the_way(place, wish))
        .flatten()
        .or_else(|| taken_headings(place))
        .or_else(|| own_values(place, wish))
        .or_else(|| formulas_beside(place))
        .or_else(|| whole_things(place))
        .or_else(|| other_tables(place))
}

/// The rows that something happens to.
fn touched(place: &Place) -> Range {
    let mut range = place.range();
    let last = place.last_row().max(place.first_row) + place.totals_rows();
    range.to.row = last.max(place.old_last);
    range
}

/// Cells that hold something where rows go.
fn in_the_way(place: &Place, wish: &Wish) -> Option<PlaceStop> {
    let first = place.heading_row.unwrap_or(place.first_row);
    let last = place.last_row().max(first) + place.totals_rows();
    // Without a blank row below, what stands there would be taken for rows the next time; a table knows where it ends, unless what is
    // typed right below joins it.
    let needs_blank = place.table.is_none() || wish.takes_rows_below;
    let last = last + u32::from(needs_blank);
    // Rows that are there go, or the new ones come behind them.
    let goes = match wish.mode {
        Mode::Replace if place.heading_row.is_none() => place.old_last,
        Mode::Append => place.data_last,
        _ => first - 1,
    };
    let is_there = |run: &&Run| run.from.max(goes + 1) <= run.to.min(last);
    // Formulas beside go on with the rows.
    let beside = place.facts.typed_runs.iter().filter(|_| place.facts.beside.iter().any(|c| c.formulas > 0));
    let run = place.facts.runs.iter().chain(beside).find(is_there)?;
    let needs = place.range();
    let cells = run.cells.iter().filter(|c| c.at.row > goes).take(TOLD);
    let is_fresh = place.heading_row.is_none() && wish.mode == Mode::Fresh;
    Some(PlaceStop::Occupied(Occupied {
        needs,
        needs_blank_row: needs_blank && run.from == last,
        filled: (run.from.max(goes + 1), run.to),
        cells: cells.map(|c| Held { at: c.at, text: c.text.clone() }).collect(),
        can_replace: is_fresh && (run.from == place.data_first || place.table.is_some()),
        can_append: is_fresh,
        free: CellRef::new(place.facts.last_row.saturating_add(2), needs.from.column),
    }))
}

/// New headings and their columns: nothing may stand there.
fn taken_headings(place: &Place) -> Option<PlaceStop> {
    let (first, _) = place.data_rows();
    let below = place.pairs.added.iter().find_map(|(column, _)| {
        let at = place.question.columns.iter().position(|c| c == column)?;
        let facts = place.facts.columns.get(at)?;
        let is_filled = facts.constants + facts.formulas > 0 && first <= place.data_last;
        is_filled.then_some((facts.first_constant, *column))
    });
    match (place.taken.first(), below) {
        (Some(cell), _) => Some(PlaceStop::ColumnTaken { at: cell.at, held: Some(cell.text.clone()) }),
        (None, Some((cell, column))) => {
            let at = cell.unwrap_or(CellRef { row: first, column });
            Some(PlaceStop::ColumnTaken { at, held: None })
        }
        (None, None) => None,
    }
}

/// What was typed into columns of the table that the source does not have: it must not go, and not stand beside other records.
fn own_values(place: &Place, wish: &Wish) -> Option<PlaceStop> {
    if wish.mode != Mode::Replace {
        return None;
    }
    let slots = place.pairs.slots.iter().zip(&place.facts.columns);
    let mut own =
        slots.filter(|((_, slot), facts)| *slot == Slot::Nothing && facts.constants + facts.formulas > 0);
    let ((column, _), facts) = own.next()?;
    let heading = place.headings.iter().find(|h| h.column == *column).map(|h| h.name.clone());
    Some(PlaceStop::OwnValues {
        heading: heading.unwrap_or_default(),
        cells: facts.constants + facts.formulas,
        from: facts.first_constant,
    })
}

/// Formulas beside that fill several cells in one piece: they cannot go on with the rows, and must not be torn.
fn formulas_beside(place: &Place) -> Option<PlaceStop> {
    let (first, last) = place.data_rows();
    let end = place.last_row().max(first - 1);
    let beside = &place.question.beside;
    if end == last {
        return None;
    }
    let is_torn = |range: &&Range| {
        let is_beside = beside.iter().any(|c| (range.from.column..=range.to.column).contains(c));
        let rows = range.to.row - range.from.row + 1;
        let grows = end > last && range.to.row == last && rows * 2 > last + 1 - first;
        is_beside && range.from.row <= last && (grows || (end < last && range.to.row > end))
    };
    let found = place.facts.arrays.iter().find(is_torn);
    let totals = place.totals.iter().flat_map(|t| &t.rows).find_map(KeptRow::one_piece);
    let range = found.copied().or(totals)?;
    Some(PlaceStop::OnePieceBeside { range, grows: end > last })
}

/// Merged cells, and formulas that fill several cells: none of them may be torn.
fn whole_things(place: &Place) -> Option<PlaceStop> {
    let touched = touched(place);
    let columns = place.columns();
    let meets = |range: &&Range| {
        touched.meets(**range) && columns.iter().any(|c| (range.from.column..=range.to.column).contains(c))
    };
    let torn = |what: Whole, ranges: Vec<Range>| {
        let has_more = ranges.len() > TOLD;
        let ranges: Vec<Range> = ranges.into_iter().take(TOLD).collect();
        (!ranges.is_empty()).then_some(PlaceStop::Torn { what, ranges, has_more })
    };
    let merges = place.facts.merges.iter().filter(meets).copied().collect();
    let arrays = place.facts.arrays.iter().filter(meets).copied().collect();
    // A formula that goes must not be the one whose text others use.
    let torn_apart = |at: &CellRef, range: &Range| {
        let is_ours = columns.contains(&at.column);
        // Rows that move take their formulas with them.
        let from = place.removed + if is_ours { place.first_row } else { place.last_row() + 1 };
        let goes = |row: u32, column: u32| {
            (from..=place.old_last).contains(&row) && columns.contains(&column) == is_ours
        };
        let all_go = (range.from.column..=range.to.column)
            .all(|column| goes(range.from.row, column) && goes(range.to.row, column));
        goes(at.row, at.column) && !all_go
    };
    let shared = place.facts.shared.iter().filter(|(at, range)| torn_apart(at, range));
    let shared = shared.map(|(_, range)| *range).collect();
    torn(Whole::Merged, merges)
        .or_else(|| torn(Whole::Array, arrays))
        .or_else(|| torn(Whole::SharedText, shared))
}

/// Tables that the rows would run into, and one that another program fills.
fn other_tables(place: &Place) -> Option<PlaceStop> {
    let touched = touched(place);
    let own = place.table.as_ref();
    let is_other = |t: &&ExistingTable| own.is_none_or(|own| own.name != t.name);
    if let Some(other) = place.tables.iter().filter(is_other).find(|t| t.range.meets(touched)) {
        let (name, range) = (other.name.clone(), other.range);
        return Some(PlaceStop::OtherTable { rows: touched, name, range });
    }
    own.filter(|t| t.is_fed).map(|t| PlaceStop::TableFed { name: t.name.clone() })
}
