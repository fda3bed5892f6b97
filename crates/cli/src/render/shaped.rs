//! The records that shaped rows are made of, as the source has them, and what becomes of each.

use super::grid::GridColumn;
use super::reading::{VALUE_CHARS, kind_word, stands_right, text_of};
use super::sanitize::line;
use super::text::cut;
use incola_core::kind::statistics::trim;
use incola_core::rows::{Each, Flow, Record};
use incola_engine::text::Surveyed;
use std::collections::HashMap;

/// Records that are shown besides those that become rows.
const MORE: u64 = 4;

/// The records that the first `rows` rows are made of, as columns of a preview: the line of each, its fields, and what becomes of it;
/// and whether some of them stand further down. `None`: rows are not shaped, or rolled up, so that no row is one record.
pub(super) fn records(surveyed: &Surveyed, rows: u64) -> Option<(Vec<GridColumn>, bool)> {
    let reading = &surveyed.reading;
    let base = reading.layout.shaping.as_ref()?.base();
    if surveyed.rolled_up.is_some() || rows == 0 {
        return None;
    }
    let mut becomes: HashMap<u64, u64> = HashMap::new();
    surveyed.each_in_head(&mut Each(|record: &Record<'_>| {
        becomes.insert(record.line(), becomes.len() as u64 + 1);
        if (becomes.len() as u64) < rows { Flow::Continue(()) } else { Flow::Break(()) }
    }));
    let last = becomes.keys().max().copied()?;
    let named = |kind: &str, name: &str| GridColumn {
        number: None,
        kind: kind.to_owned(),
        name: name.to_owned(),
        at_right: kind == "line",
        values: Vec::new(),
    };
    let mut grid = vec![named("line", "")];
    grid.extend(reading.columns[..base.min(reading.columns.len())].iter().map(|column| GridColumn {
        number: Some(column.number),
        at_right: stands_right(column),
        ..named(&kind_word(column), &line(&column.name))
    }));
    grid.push(named("becomes", ""));
    let fate = |at: u64| {
        if let Some(row) = becomes.get(&at) {
            return format!("row {row}");
        }
        let aside = reading.set_aside.iter().find(|a| (a.line..a.line + a.lines).contains(&at));
        aside.map_or("left out", |aside| aside.why.words()).to_owned()
    };
    let (mut left, mut is_cut) = (rows + MORE, false);
    surveyed.each_unshaped_in_head(&mut Each(|record: &Record<'_>| {
        let at = record.line();
        is_cut = at <= last && left == 0;
        if at > last || is_cut {
            return Flow::Break(());
        }
        left -= 1;
        let fields = (0..base).map(|n| cut(&text_of(trim(record.field(n)).0), VALUE_CHARS));
        let values = std::iter::once(at.to_string()).chain(fields).chain([fate(at)]);
        grid.iter_mut().zip(values).for_each(|(column, value)| column.values.push(value));
        Flow::Continue(())
    }));
    Some((grid, is_cut))
}
