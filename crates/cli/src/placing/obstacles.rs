//! What stands in the way of rows, told before anything is written.

use super::{Mode, Place, Wish};
use crate::failure::{Failure, Result};
use crate::passes::write::Slot;
use crate::render::sanitize;
use incola_workbook::{CellRef, ExistingCell, ExistingTable, KeptRow, Range, Run, limits};

/// Things that are told one by one.
const TOLD: usize = 5;

/// Fails if something stands in the way.
pub(super) fn check(place: &Place, wish: &Wish, name: &str) -> Result<()> {
    let records = place.records;
    let last = u64::from(place.first_row) - 1 + records + u64::from(place.totals_rows());
    if last > u64::from(limits::ROWS) {
        return Err(Failure::protected(format!(
            "{records} records do not fit below row {} of \u{201c}{name}\u{201d}: a sheet ends with row {}",
            place.first_row,
            limits::ROWS
        ))
        .leaving("the workbook was left as it is"));
    }
    if let Some(column) = place.columns().last().filter(|c| **c > limits::COLUMNS) {
        return Err(Failure::protected(format!(
            "the rows would reach column {column} of \u{201c}{name}\u{201d}: a sheet ends with column {}",
            limits::COLUMNS
        ))
        .leaving("the workbook was left as it is"));
    }
    // Where no row comes, none stands in the way.
    if records > u64::from(place.removed) || wish.mode != Mode::Append {
        in_the_way(place, wish, name)?;
    }
    taken_headings(place, name)?;
    own_values(place, wish, name)?;
    formulas_beside(place, name)?;
    whole_things(place, name)?;
    other_tables(place, &place.tables, name)
}

/// The rows that something happens to.
fn touched(place: &Place) -> Range {
    let mut range = place.range();
    let last = place.last_row().max(place.first_row) + place.totals_rows();
    range.to.row = last.max(place.old_last);
    range
}

/// Cells that hold something where rows go.
fn in_the_way(place: &Place, wish: &Wish, name: &str) -> Result<()> {
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
    let Some(run) = place.facts.runs.iter().chain(beside).find(is_there) else { return Ok(()) };
    let where_to = place.range();
    let mut text = format!(
        "sheet \u{201c}{name}\u{201d}: something stands where rows go: they need {where_to}{}, and rows {} to {} are filled",
        if needs_blank && run.from == last { " and a blank row below" } else { "" },
        run.from.max(goes + 1),
        run.to
    );
    let cells: Vec<&ExistingCell> = run.cells.iter().filter(|c| c.at.row > goes).collect();
    for cell in cells.iter().take(TOLD) {
        text.push_str(&format!("\n  {} holds \u{201c}{}\u{201d}", cell.at, sanitize::line(&cell.text)));
    }
    let mut failure = Failure::protected(text).leaving("the workbook was left as it is");
    if place.heading_row.is_none() && wish.mode == Mode::Fresh {
        if run.from == place.data_first || place.table.is_some() {
            failure = failure.help("put the rows in their place: --mode replace");
        }
        failure = failure.help("put the rows under the last one: --mode append");
    }
    let below = place.facts.last_row.saturating_add(2);
    if let Some(free) = CellRef::new(below, where_to.from.column) {
        failure = failure.help(format!("or below everything: --at {free}"));
    }
    Err(failure.help("or give them a sheet of their own: --sheet with another name"))
}

/// New headings and their columns: nothing may stand there.
fn taken_headings(place: &Place, name: &str) -> Result<()> {
    let (first, _) = place.data_rows();
    let below = place.pairs.added.iter().find_map(|(column, heading)| {
        let at = place.question.columns.iter().position(|c| c == column)?;
        let facts = place.facts.columns.get(at)?;
        let is_filled = facts.constants + facts.formulas > 0 && first <= place.data_last;
        is_filled.then(|| (facts.first_constant, *column, heading.clone()))
    });
    let (at, what) = match (place.taken.first(), below) {
        (Some(cell), _) => {
            (cell.at, format!("{} holds \u{201c}{}\u{201d}", cell.at, sanitize::line(&cell.text)))
        }
        (None, Some((cell, column, _))) => {
            let at = cell.unwrap_or(CellRef { row: first, column });
            (at, format!("{at} is filled"))
        }
        (None, None) => return Ok(()),
    };
    let letters = incola_workbook::column_letters(at.column);
    Err(Failure::protected(format!(
        "sheet \u{201c}{name}\u{201d}: a new column would come to stand in {letters}, and {what}"
    ))
    .leaving("the workbook was left as it is")
    .help(format!("insert an empty column before {letters} in the sheet"))
    .help("or leave new columns out: --extra skip"))
}

/// What was typed into columns of the table that the source does not have: it must not go, and not stand beside other records.
fn own_values(place: &Place, wish: &Wish, name: &str) -> Result<()> {
    if wish.mode != Mode::Replace {
        return Ok(());
    }
    let slots = place.pairs.slots.iter().zip(&place.facts.columns);
    let own =
        slots.filter(|((_, slot), facts)| *slot == Slot::Nothing && facts.constants + facts.formulas > 0);
    let own: Vec<_> = own.collect();
    let Some(((column, _), facts)) = own.first() else { return Ok(()) };
    let heading =
        |column: u32| place.headings.iter().find(|h| h.column == column).map_or("", |h| h.name.as_str());
    let at = facts.first_constant.map_or_else(String::new, |at| format!(", from {at} on"));
    Err(Failure::protected(format!(
        "sheet \u{201c}{name}\u{201d}: \u{201c}{}\u{201d} is not the source\u{2019}s, and {} of its cells hold something{at}: with other \
         records in the rows they would be lost",
        heading(*column),
        facts.constants + facts.formulas
    ))
    .leaving("the workbook was left as it is")
    .help("keep them with their records: link the table to its source, and use incola refresh instead of --mode replace")
    .help("or empty those cells first"))
}

/// Formulas beside that fill several cells in one piece: they cannot go on with the rows, and must not be torn.
fn formulas_beside(place: &Place, name: &str) -> Result<()> {
    let (first, last) = place.data_rows();
    let end = place.last_row().max(first - 1);
    let beside = &place.question.beside;
    if end == last {
        return Ok(());
    }
    let is_torn = |range: &&Range| {
        let is_beside = beside.iter().any(|c| (range.from.column..=range.to.column).contains(c));
        let rows = range.to.row - range.from.row + 1;
        let grows = end > last && range.to.row == last && rows * 2 > last + 1 - first;
        is_beside && range.from.row <= last && (grows || (end < last && range.to.row > end))
    };
    let found = place.facts.arrays.iter().find(is_torn);
    let totals = place.totals.iter().flat_map(|t| &t.rows).find_map(KeptRow::one_piece);
    let Some(range) = found.copied().or(totals) else { return Ok(()) };
    Err(Failure::protected(format!(
        "sheet \u{201c}{name}\u{201d}: one formula fills {range} beside the rows, which are {} now",
        if end > last { "more" } else { "fewer" }
    ))
    .leaving("the workbook was left as it is")
    .help("give each row a formula of its own, or take that one out, then do this again"))
}

/// Merged cells, and formulas that fill several cells: none of them may be torn.
fn whole_things(place: &Place, name: &str) -> Result<()> {
    let touched = touched(place);
    let columns = place.columns();
    let meets = |range: &&Range| {
        touched.meets(**range) && columns.iter().any(|c| (range.from.column..=range.to.column).contains(c))
    };
    let torn = |what: &str, ranges: &[&Range], way: &str| {
        let list: Vec<String> = ranges.iter().take(TOLD).map(ToString::to_string).collect();
        let more = if ranges.len() > TOLD { " and others" } else { "" };
        Failure::protected(format!(
            "sheet \u{201c}{name}\u{201d}: {what} where rows go: {}{more}",
            list.join(", ")
        ))
        .leaving("the workbook was left as it is")
        .help(way.to_owned())
    };
    let merges: Vec<&Range> = place.facts.merges.iter().filter(meets).collect();
    if !merges.is_empty() {
        return Err(torn(
            "cells are merged",
            &merges,
            "take the merging back, or choose another place with --at",
        ));
    }
    let arrays: Vec<&Range> = place.facts.arrays.iter().filter(meets).collect();
    if !arrays.is_empty() {
        return Err(torn("one formula fills several cells", &arrays, "choose another place with --at"));
    }
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
    let shared: Vec<&Range> =
        place.facts.shared.iter().filter(|(at, range)| torn_apart(at, range)).map(|(_, r)| r).collect();
    if !shared.is_empty() {
        return Err(torn(
            "formulas share their text with others",
            &shared,
            "type that formula anew in one of the cells beside, or choose another place with --at",
        ));
    }
    Ok(())
}

/// Tables that the rows would run into.
fn other_tables(place: &Place, tables: &[ExistingTable], name: &str) -> Result<()> {
    let touched = touched(place);
    let own = place.table.as_ref().map(|t| t.name.as_str());
    let other = tables.iter().find(|t| Some(t.name.as_str()) != own && t.range.meets(touched));
    if let Some(other) = other {
        return Err(Failure::protected(format!(
            "sheet \u{201c}{name}\u{201d}: rows in {touched} would run into table {} ({})",
            other.name, other.range
        ))
        .leaving("the workbook was left as it is")
        .help(format!("put them into that table: --at {} --mode append", other.name))
        .help("or give them a sheet of their own: --sheet with another name"));
    }
    if let Some(table) = place.table.as_ref().filter(|t| t.is_fed) {
        return Err(Failure::protected(format!(
            "table \u{201c}{}\u{201d} is filled from outside by the program that shows it: what is put there would be lost",
            table.name
        ))
        .leaving("the workbook was left as it is")
        .help("choose another place with --at"));
    }
    Ok(())
}
