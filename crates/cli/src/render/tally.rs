//! Control totals.

use super::sanitize::line;
use super::style;
use super::text::{cut, left, right, terminal_columns, width};
use crate::commands::tally::{Against, Check, Tallied};
use incola_core::kind::number::units_text;
use incola_core::kind::{Day, Kind, Marks};
use incola_core::words::{counted, grouped};
use incola_engine::tally::{Column, ColumnTally, Ends, Figures, Group, Moments, NumberAt, Place};
use incola_workbook::column_letters;

/// Groups that are shown; more are counted.
const GROUPS: usize = 60;

/// Differences that are shown; more are counted.
const DIFFERENCES: usize = 20;

/// Characters of the longest bar.
const BAR: u64 = 20;

/// The page of a source.
pub(crate) fn page(tallied: &Tallied) -> String {
    let tally = &tallied.tally;
    let wanted = || tallied.columns.iter().zip(&tally.columns).filter(|(column, _)| column.is_wanted);
    let place = tallied.sheet.as_ref().map_or_else(String::new, |(sheet, table)| {
        let table = table.as_ref().map_or_else(String::new, |table| format!(", table {}", line(table)));
        format!("sheet {}{table}, ", line(sheet))
    });
    let (one, many) = if tallied.sheet.is_some() { ("row", "rows") } else { ("record", "records") };
    let mut out = format!(
        "{}   {place}{}, {}\n\n",
        style::strong(&line(&tallied.source)),
        counted(tally.records, one, many),
        counted(wanted().count() as u64, "column", "columns")
    );
    let heads = ["column", "kind", "values", "empty", "different", "sum"];
    let mut rows: Vec<Vec<String>> = vec![heads.map(str::to_owned).to_vec()];
    rows.extend(wanted().map(|(column, own)| row(column, own)));
    out.push_str(&table(&rows, &[2, 3, 4, 5]));
    let at = if tallied.sheet.is_some() { "cell" } else { "line" };
    let heads = ["column", "smallest, first", at, "largest, last", at, "mean"];
    let mut rows: Vec<Vec<String>> = vec![heads.map(str::to_owned).to_vec()];
    let is_sheet = tallied.sheet.is_some();
    rows.extend(wanted().filter_map(|(column, own)| ends(column, own, is_sheet)));
    if rows.len() > 1 {
        out.push('\n');
        out.push_str(&table(&rows, &[1, 2, 3, 4, 5]));
    }
    let own = wanted().flat_map(|(column, own)| notes(column, own, is_sheet));
    let notes: Vec<String> = tallied.left_out.iter().cloned().chain(own).collect();
    if !notes.is_empty() {
        out.push('\n');
    }
    for note in notes {
        out.push_str(&format!("  {}  {note}\n", style::faint("note")));
    }
    if let Some((_, name)) = &tallied.by {
        out.push('\n');
        out.push_str(&groups(tallied, name));
    }
    if let Some(ends) = &tally.ends {
        out.push('\n');
        out.push_str(&in_order(tallied, ends));
    }
    if let Some(against) = &tallied.against {
        out.push('\n');
        out.push_str(&other_side(tallied, against));
    }
    if !tallied.checks.is_empty() {
        out.push('\n');
    }
    for check in &tallied.checks {
        out.push_str(&check_line(check));
    }
    out
}

/// The first and the last records in the order of a column.
fn in_order(tallied: &Tallied, ends: &Ends) -> String {
    // The column in question stands in front, for the page may be too narrow for all of them.
    let others =
        (0..tallied.columns.len()).filter(|n| tallied.columns[*n].is_wanted && Some(*n) != tallied.sort);
    let wanted: Vec<usize> = tallied.sort.into_iter().chain(others).collect();
    let at = if tallied.sheet.is_some() { "row" } else { "line" };
    let heads = [String::new(), at.to_owned()].into_iter();
    let mut rows: Vec<Vec<String>> =
        vec![heads.chain(wanted.iter().map(|n| line(&cut(&tallied.columns[*n].name, 24)))).collect()];
    for (name, list) in [("first", &ends.first), ("last", &ends.last)] {
        for (n, ranked) in list.iter().enumerate() {
            let own =
                [if n == 0 { name.to_owned() } else { String::new() }, grouped(ranked.line)].into_iter();
            let field = |n: &usize| line(&cut(ranked.fields.get(*n).map_or("", String::as_str), 24));
            rows.push(own.chain(wanted.iter().map(field)).collect());
        }
    }
    let mut out = table(&rows, &[1]);
    if ends.without > 0 {
        out.push_str(&format!("  {} without a value there\n", counted(ends.without, "record", "records")));
    }
    out
}

/// How the sheet compares with the source: column by column, then cell by cell.
fn other_side(tallied: &Tallied, against: &Against) -> String {
    let Against { source, columns, tally, comparison } = against;
    let mut out = format!(
        "  {}   {}, {} compared\n\n",
        style::strong(&line(source)),
        counted(tally.records, "record", "records"),
        counted(comparison.pairs.len() as u64, "column", "columns")
    );
    let heads = ["column", "cells", "values there", "sum", "sum there", ""];
    let mut rows: Vec<Vec<String>> = vec![heads.map(str::to_owned).to_vec()];
    for (column, place) in &comparison.pairs {
        let Some(n) = tallied.columns.iter().position(|own| own.number == *column as usize) else { continue };
        let (own, other) = (&tallied.tally.columns[n], &tally.columns[*place]);
        let sum = |of: &Column, tally: &ColumnTally| {
            let figures = tally.figures.as_deref().filter(|_| of.kind == Kind::Number);
            figures.map_or_else(String::new, |f| Marks::default().spell(&f.sum.text(f.decimals)))
        };
        let units = |tally: &ColumnTally| tally.figures.as_deref().map(|f| f.sum.units());
        let both = tallied.columns[n].kind == Kind::Number && columns[*place].kind == Kind::Number;
        let is_same = own.filled == other.filled && (!both || units(own) == units(other));
        // What says nothing that the cells do not say is left out.
        if is_same && !both {
            continue;
        }
        rows.push(vec![
            line(&tallied.columns[n].name),
            grouped(own.filled),
            grouped(other.filled),
            sum(&tallied.columns[n], own),
            sum(&columns[*place], other),
            if is_same { String::new() } else { "differs".into() },
        ]);
    }
    if rows.len() > 1 {
        out.push_str(&table(&rows, &[1, 2, 3, 4]));
        out.push('\n');
    }
    for (names, where_) in [(&comparison.only_sheet, "sheet"), (&comparison.only_source, "source")] {
        if !names.is_empty() {
            let names: Vec<String> = names.iter().map(|name| line(name)).collect();
            let what = format!("only the {where_} has, not compared: {}", names.join(", "));
            out.push_str(&format!("  {}  {what}\n", style::faint("note   ")));
        }
    }
    for cell in comparison.cells.iter().take(DIFFERENCES) {
        let text = |text: &str| if text.is_empty() { "nothing".into() } else { line(&cut(text, 40)) };
        out.push_str(&format!(
            "  {}  {} {}: {} in the sheet, {} in line {}\n",
            style::alert("differs"),
            cell.at,
            line(&cell.heading),
            text(&cell.sheet),
            text(&cell.source),
            grouped(cell.line)
        ));
    }
    let more = comparison.cells.len().saturating_sub(DIFFERENCES);
    if more > 0 {
        out.push_str(&format!(
            "           {} more, listed with --json\n",
            counted(more as u64, "cell", "cells")
        ));
    }
    let mut alone = |numbers: &[u64], count: u64, (one, many): (&str, &str), what: &str| {
        if count > 0 {
            let list: Vec<String> = numbers.iter().take(8).map(|n| grouped(*n)).collect();
            let dots = if count > 8 { ", \u{2026}" } else { "" };
            let name = if count == 1 { one } else { many };
            let verb = if count == 1 { "is" } else { "are" };
            let so_many = if count > 8 { format!("{} ", grouped(count)) } else { String::new() };
            out.push_str(&format!(
                "  {}  {so_many}{name} {}{dots} {verb} {what}\n",
                style::alert("differs"),
                list.join(", ")
            ));
        }
    };
    let rows: Vec<u64> = comparison.rows_alone.iter().map(|row| u64::from(*row)).collect();
    alone(&rows, rows.len() as u64, ("row", "rows"), "no record of the source");
    alone(&comparison.lines_alone, comparison.records_alone, ("line", "lines"), "no row of the sheet");
    let same = counted(comparison.same, "row is", "rows are");
    if comparison.agrees() {
        out.push_str(&format!("  {}  all {same} the source's in every cell\n", style::faint("agrees ")));
    } else {
        let in_some = match comparison.differing {
            0 => String::new(),
            rows => format!(", {} in some", grouped(rows)),
        };
        out.push_str(&format!("  {}  {same} the source's in every cell{in_some}\n", style::faint("agrees ")));
    }
    out
}

fn row(column: &Column, own: &ColumnTally) -> Vec<String> {
    let sum = own.figures.as_deref().map_or_else(String::new, |figures| {
        if figures.sum.is_exact() {
            column.marks.spell(&figures.sum.text(figures.decimals))
        } else {
            "not exact".to_owned()
        }
    });
    let different = own.different().map_or_else(|| "many".to_owned(), grouped);
    let kind = column.kind.word().to_owned();
    vec![line(&column.name), kind, grouped(own.filled), grouped(own.empty), different, sum]
}

/// The name of a cell of a column.
pub(super) fn cell(column: &Column, row: u64) -> String {
    format!("{}{row}", column_letters(column.number as u32))
}

/// The smallest and the largest number, or the first and the last moment, with their lines.
fn ends(column: &Column, own: &ColumnTally, is_sheet: bool) -> Option<Vec<String>> {
    let at = |number: u64| if is_sheet { cell(column, number) } else { grouped(number) };
    let decimals = own.figures.as_deref().map_or(0, |f| f.decimals);
    let marks = column.marks;
    let number = |found: NumberAt| [marks.spell(&units_text(found.units, decimals)), at(found.line)];
    let moment = |place: &Place<u64>| [line(&place.text), at(place.line)];
    let [first, last] = match (own.figures.as_deref(), own.moments.as_deref()) {
        (Some(f), _) => [f.spread.smallest().map(number)?, f.spread.largest().map(number)?],
        (None, Some(m)) => [m.first.as_ref().map(moment)?, m.last.as_ref().map(moment)?],
        _ => return None,
    };
    let mean = own.figures.as_deref().and_then(Figures::mean);
    let mean = mean.map_or_else(String::new, |units| marks.spell(&units_text(units, (decimals + 2).min(15))));
    Some(std::iter::once(line(&column.name)).chain(first).chain(last).chain([mean]).collect())
}

/// What else there is to know of a column.
fn notes(column: &Column, own: &ColumnTally, is_sheet: bool) -> Vec<String> {
    let at = |number: u64| if is_sheet { cell(column, number) } else { format!("line {number}") };
    let mut parts = Vec::new();
    let mut say = |count: u64, one: &str, many: &str| {
        if count > 0 {
            parts.push(counted(count, one, many));
        }
    };
    say(own.misfits, "misfit", "misfits");
    if let Some(figures) = own.figures.as_deref() {
        say(figures.negatives, "value below zero", "values below zero");
        say(figures.zeros, "zero", "zeros");
    }
    say(own.leading_zeros, "value begins with 0", "values begin with 0");
    if let (Some(short), Some(long)) = (&own.shortest, &own.longest)
        && short.key != long.key
    {
        parts.push(format!(
            "{} ({}) to {} characters ({})",
            short.key,
            at(short.line),
            long.key,
            at(long.line)
        ));
    }
    let own_notes = (!parts.is_empty()).then(|| parts.join(", "));
    let more = [
        own_notes,
        own.figures.as_deref().and_then(|figures| far_out(column, figures, &at)),
        own.moments.as_deref().and_then(without_dates),
        own.first_unusual.as_ref().map(|first| unusual(own.unusual, first, &at)),
    ];
    more.into_iter().flatten().map(|note| format!("{}: {note}", line(&column.name))).collect()
}

/// The numbers of a column that are far out, and where half of all lie.
fn far_out(column: &Column, figures: &Figures, at: &dyn Fn(u64) -> String) -> Option<String> {
    let far = figures.spread.far_out().filter(|far| !far.places.is_empty())?;
    let spell = |units: i128| column.marks.spell(&units_text(units, figures.decimals));
    let list: Vec<String> =
        far.places.iter().map(|place| format!("{} ({})", spell(place.units), at(place.line))).collect();
    let many = if far.may_be_more { " or more values lie" } else { " values lie" };
    let count = match far.places.len() {
        1 => "1 value lies".to_owned(),
        count => format!("{count}{many}"),
    };
    let (low, high) = far.middle;
    Some(format!(
        "{count} far out: {}; half of all lie between {} and {}",
        list.join(", "),
        spell(low),
        spell(high)
    ))
}

/// Runs of days that are shown.
const GAPS: usize = 6;

/// The days on which a column has no date, if nearly all others have one.
fn without_dates(moments: &Moments) -> Option<String> {
    let gaps = moments.days.gaps().filter(|gaps| gaps.days > 0)?;
    let run = |(from, to): &(Day, Day)| {
        if from == to { iso(*from) } else { format!("{} to {}", iso(*from), iso(*to)) }
    };
    let list: Vec<String> = gaps.runs.iter().take(GAPS).map(run).collect();
    let dots = if gaps.runs.len() > GAPS { ", \u{2026}" } else { "" };
    let names = ["Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays"];
    let free: Vec<&str> = gaps.free.iter().map(|day| names[usize::from(*day)]).collect();
    let free = if free.is_empty() { String::new() } else { format!(" (never on {})", free.join(" and ")) };
    let days = counted(gaps.days.into(), "day has", "days have");
    Some(format!("{days} no date{free}: {}{dots}", list.join(", ")))
}

/// A day by ISO 8601.
pub(super) fn iso(day: Day) -> String {
    format!("{:04}-{:02}-{:02}", day.year, day.month, day.day)
}

/// Values with characters that nobody sees.
fn unusual(count: u64, first: &Place<char>, at: &dyn Fn(u64) -> String) -> String {
    format!(
        "{} a character that is not seen: U+{:04X} ({})",
        counted(count, "value holds", "values hold"),
        u32::from(first.key),
        at(first.line)
    )
}

fn groups(tallied: &Tallied, name: &str) -> String {
    let tally = &tallied.tally;
    let sums: Vec<usize> = (0..tallied.columns.len()).filter(|n| tallied.columns[*n].adds_up()).collect();
    let decimals = |n: usize| tally.columns[n].figures.as_deref().map_or(0, |f| f.decimals);
    let marks = |n: usize| tallied.columns[n].marks;
    let most = tally.groups.values().map(|group| group.records).max().unwrap_or(1).max(1);
    let mut rows = vec![
        [line(name), if tallied.sheet.is_some() { "rows".into() } else { "records".into() }]
            .into_iter()
            .chain(sums.iter().map(|n| line(&tallied.columns[*n].name)))
            .chain([String::new()])
            .collect::<Vec<String>>(),
    ];
    let drawn = |name: &str, group: &Group, bar: u64| -> Vec<String> {
        let sum = |n: &usize| {
            let sum = group.sums.get(*n).copied().unwrap_or_default();
            if sum.is_exact() { marks(*n).spell(&sum.text(decimals(*n))) } else { "not exact".into() }
        };
        let shown = if name.is_empty() { "(empty)".to_owned() } else { line(name) };
        [shown, grouped(group.records)]
            .into_iter()
            .chain(sums.iter().map(sum))
            .chain(["\u{2501}".repeat(bar as usize)])
            .collect()
    };
    for (name, group) in tally.groups.iter().take(GROUPS) {
        rows.push(drawn(name, group, (group.records * BAR).div_ceil(most)));
    }
    let all = Group {
        records: tally.records,
        sums: tally.columns.iter().map(|c| c.figures.as_deref().map(|f| f.sum).unwrap_or_default()).collect(),
    };
    rows.push(drawn("all", &all, 0));
    let numbers: Vec<usize> = (1..=sums.len() + 1).collect();
    let mut out = table(&rows, &numbers);
    if tally.groups.len() > GROUPS {
        let more = counted((tally.groups.len() - GROUPS) as u64, "group", "groups");
        out.push_str(&format!("  {more} more, listed with --json\n"));
    }
    out
}

fn check_line(check: &Check) -> String {
    match &check.difference {
        None => format!(
            "  {}  {}: {}, as expected\n",
            style::faint("agrees "),
            line(&check.what),
            check.marks.spell(&check.found)
        ),
        Some(difference) => {
            let sign = if difference.starts_with('-') { "" } else { "+" };
            format!(
                "  {}  {}: {} expected, {} found: {sign}{}\n",
                style::alert("differs"),
                line(&check.what),
                check.marks.spell(&check.expected),
                check.marks.spell(&check.found),
                check.marks.spell(difference)
            )
        }
    }
}

/// Rows under a heading; `numbers`: columns that are aligned at the right.
fn table(rows: &[Vec<String>], numbers: &[usize]) -> String {
    let count = rows.first().map_or(0, Vec::len);
    let mut widths = vec![0; count];
    for row in rows {
        for (w, text) in widths.iter_mut().zip(row) {
            *w = (*w).max(width(text));
        }
    }
    if let Some(first) = widths.first_mut() {
        *first = (*first).min(30);
    }
    let mut out = String::new();
    for (n, row) in rows.iter().enumerate() {
        let cells: Vec<String> = row
            .iter()
            .zip(&widths)
            .enumerate()
            .map(
                |(column, (text, w))| {
                    if numbers.contains(&column) { right(text, *w) } else { left(&cut(text, *w), *w) }
                },
            )
            .collect();
        let drawn = cut(cells.join("  ").trim_end(), terminal_columns().saturating_sub(2).max(40));
        let drawn = if n == 0 { style::faint(&drawn) } else { drawn };
        out.push_str(&format!("  {drawn}\n"));
    }
    out
}
