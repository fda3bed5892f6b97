//! Control totals.

use super::sanitize::line;
use super::style;
use super::text::{cut, left, right, terminal_columns, width};
use crate::commands::tally::{Against, Check, Tallied};
use incola_core::kind::number::units_text;
use incola_core::kind::{Kind, Marks};
use incola_core::words::{counted, grouped};
use incola_engine::tally::{Column, ColumnTally, Ends, Group, Place, Ranked};
use incola_workbook::column_letters;
use serde::Serialize;

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
    let heads = ["column", "smallest, first", at, "largest, last", at];
    let mut rows: Vec<Vec<String>> = vec![heads.map(str::to_owned).to_vec()];
    let is_sheet = tallied.sheet.is_some();
    rows.extend(wanted().filter_map(|(column, own)| ends(column, own, is_sheet)));
    if rows.len() > 1 {
        out.push('\n');
        out.push_str(&table(&rows, &[1, 2, 3, 4]));
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
fn cell(column: &Column, row: u64) -> String {
    format!("{}{row}", column_letters(column.number as u32))
}

/// The smallest and the largest number, or the first and the last moment, with their lines.
fn ends(column: &Column, own: &ColumnTally, is_sheet: bool) -> Option<Vec<String>> {
    let at = |number: u64| if is_sheet { cell(column, number) } else { grouped(number) };
    let decimals = own.figures.as_deref().map_or(0, |f| f.decimals);
    let marks = column.marks;
    let number = |place: &Place<i128>| [marks.spell(&units_text(place.key, decimals)), at(place.line)];
    let moment = |place: &Place<u64>| [line(&place.text), at(place.line)];
    let [first, last] = match (own.figures.as_deref(), own.moments.as_deref()) {
        (Some(f), _) => [f.smallest.as_ref().map(number)?, f.largest.as_ref().map(number)?],
        (None, Some(m)) => [m.first.as_ref().map(moment)?, m.last.as_ref().map(moment)?],
        _ => return None,
    };
    Some(std::iter::once(line(&column.name)).chain(first).chain(last).collect())
}

/// What else there is to know of a column.
fn notes(column: &Column, own: &ColumnTally, is_sheet: bool) -> Vec<String> {
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
        let at = |number: u64| if is_sheet { cell(column, number) } else { format!("line {number}") };
        parts.push(format!(
            "{} ({}) to {} characters ({})",
            short.key,
            at(short.line),
            long.key,
            at(long.line)
        ));
    }
    if parts.is_empty() { Vec::new() } else { vec![format!("{}: {}", line(&column.name), parts.join(", "))] }
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

/// The same for programs.
#[derive(Serialize)]
pub(crate) struct TallyJson<'t> {
    source: &'t str,
    /// Of a workbook: the sheet.
    #[serde(skip_serializing_if = "Option::is_none")]
    sheet: Option<&'t str>,
    /// Of a sheet: the table.
    #[serde(skip_serializing_if = "Option::is_none")]
    table: Option<&'t str>,
    records: u64,
    /// What became of records that are no rows, where they are shaped.
    left_out: &'t [String],
    columns: Vec<ColumnJson<'t>>,
    by: Option<&'t str>,
    groups: Vec<GroupJson<'t>>,
    checks: Vec<CheckJson<'t>>,
    /// If an order was wanted: the first and the last records.
    #[serde(skip_serializing_if = "Option::is_none")]
    in_order: Option<OrderJson<'t>>,
    /// Of a sheet: the source that it was compared with.
    #[serde(skip_serializing_if = "Option::is_none")]
    against: Option<AgainstJson<'t>>,
}

#[derive(Serialize)]
struct OrderJson<'t> {
    first: Vec<RankedJson<'t>>,
    last: Vec<RankedJson<'t>>,
    /// Records without a value in that column.
    without: u64,
}

#[derive(Serialize)]
struct RankedJson<'t> {
    /// The line of a source, the row of a sheet.
    line: u64,
    fields: &'t [String],
}

impl<'t> OrderJson<'t> {
    fn new(ends: &'t Ends) -> Self {
        let all = |list: &'t [Ranked]| {
            list.iter().map(|ranked| RankedJson { line: ranked.line, fields: &ranked.fields }).collect()
        };
        Self { first: all(&ends.first), last: all(&ends.last), without: ends.without }
    }
}

#[derive(Serialize)]
struct AgainstJson<'t> {
    source: &'t str,
    records: u64,
    agrees: bool,
    /// Rows that are a record in every cell.
    same: u64,
    /// Rows that are a record, but for some cells.
    differing: u64,
    cells: Vec<CellJson<'t>>,
    /// Rows of the sheet that are no record.
    rows_alone: &'t [u32],
    /// Lines of records that are no row; of many only the first.
    lines_alone: &'t [u64],
    records_alone: u64,
    only_sheet: &'t [String],
    only_source: &'t [String],
}

#[derive(Serialize)]
struct CellJson<'t> {
    cell: String,
    column: &'t str,
    line: u64,
    sheet: &'t str,
    source: &'t str,
}

impl<'t> AgainstJson<'t> {
    fn new(against: &'t Against) -> Self {
        let comparison = &against.comparison;
        Self {
            source: &against.source,
            records: against.tally.records,
            agrees: comparison.agrees(),
            same: comparison.same,
            differing: comparison.differing,
            cells: (comparison.cells.iter())
                .map(|cell| CellJson {
                    cell: cell.at.to_string(),
                    column: &cell.heading,
                    line: cell.line,
                    sheet: &cell.sheet,
                    source: &cell.source,
                })
                .collect(),
            rows_alone: &comparison.rows_alone,
            lines_alone: &comparison.lines_alone,
            records_alone: comparison.records_alone,
            only_sheet: &comparison.only_sheet,
            only_source: &comparison.only_source,
        }
    }
}

#[derive(Serialize)]
struct ColumnJson<'t> {
    number: usize,
    name: &'t str,
    kind: &'static str,
    filled: u64,
    empty: u64,
    misfits: u64,
    different: Option<u64>,
    sum: Option<String>,
    smallest: Option<ValueJson>,
    largest: Option<ValueJson>,
    zeros: Option<u64>,
    negatives: Option<u64>,
    leading_zeros: u64,
}

#[derive(Serialize)]
struct ValueJson {
    value: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    line: Option<u64>,
    /// In a sheet.
    #[serde(skip_serializing_if = "Option::is_none")]
    cell: Option<String>,
}

#[derive(Serialize)]
struct GroupJson<'t> {
    name: &'t str,
    records: u64,
    sums: Vec<SumJson<'t>>,
}

#[derive(Serialize)]
struct SumJson<'t> {
    column: &'t str,
    sum: Option<String>,
}

#[derive(Serialize)]
struct CheckJson<'t> {
    what: &'t str,
    expected: &'t str,
    found: &'t str,
    difference: Option<&'t str>,
}

pub(crate) fn json(tallied: &Tallied) -> TallyJson<'_> {
    let Tallied { source, sheet, columns, tally, by, checks, left_out, against, .. } = tallied;
    let exact = |sum: &incola_core::kind::Sum, decimals: u8| sum.is_exact().then(|| sum.text(decimals));
    let column = |(column, own): (&'_ Column, &ColumnTally)| {
        let figures = own.figures.as_deref();
        let at = |value: String, number: u64| match sheet {
            Some(_) => ValueJson { value, line: None, cell: Some(cell(column, number)) },
            None => ValueJson { value, line: Some(number), cell: None },
        };
        let number = |place: &Option<Place<i128>>| place.as_ref().map(|p| at(units_text(p.key, 0), p.line));
        let moment = |place: &Option<Place<u64>>| place.as_ref().map(|p| at(p.text.clone(), p.line));
        let moments = own.moments.as_deref();
        (
            figures.and_then(|f| number(&f.smallest)).or_else(|| moments.and_then(|m| moment(&m.first))),
            figures.and_then(|f| number(&f.largest)).or_else(|| moments.and_then(|m| moment(&m.last))),
            figures.and_then(|f| exact(&f.sum, f.decimals)),
            column.number,
        )
    };
    TallyJson {
        source,
        sheet: sheet.as_ref().map(|(sheet, _)| sheet.as_str()),
        table: sheet.as_ref().and_then(|(_, table)| table.as_deref()),
        records: tally.records,
        left_out,
        columns: columns
            .iter()
            .zip(&tally.columns)
            .filter(|(c, _)| c.is_wanted)
            .map(|(c, own)| {
                let (smallest, largest, sum, number) = column((c, own));
                ColumnJson {
                    number,
                    name: &c.name,
                    kind: c.kind.word(),
                    filled: own.filled,
                    empty: own.empty,
                    misfits: own.misfits,
                    different: own.different(),
                    sum,
                    smallest,
                    largest,
                    zeros: own.figures.as_deref().map(|f| f.zeros),
                    negatives: own.figures.as_deref().map(|f| f.negatives),
                    leading_zeros: own.leading_zeros,
                }
            })
            .collect(),
        by: by.as_ref().map(|(_, name)| name.as_str()),
        groups: tally
            .groups
            .iter()
            .map(|(name, group)| GroupJson {
                name,
                records: group.records,
                sums: (0..columns.len())
                    .filter(|n| columns[*n].adds_up())
                    .map(|n| SumJson {
                        column: &columns[n].name,
                        sum: group.sums.get(n).and_then(|s| {
                            exact(s, tally.columns[n].figures.as_deref().map_or(0, |f| f.decimals))
                        }),
                    })
                    .collect(),
            })
            .collect(),
        checks: checks
            .iter()
            .map(|c| CheckJson {
                what: &c.what,
                expected: &c.expected,
                found: &c.found,
                difference: c.difference.as_deref(),
            })
            .collect(),
        in_order: tally.ends.as_ref().map(OrderJson::new),
        against: against.as_ref().map(AgainstJson::new),
    }
}
