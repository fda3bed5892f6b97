//! Control totals.

use super::sanitize::line;
use super::style;
use super::text::{cut, left, right, terminal_columns, width};
use crate::commands::tally::{Check, Tallied};
use incola_core::kind::number::units_text;
use incola_core::reading::ColumnReading;
use incola_core::words::{counted, grouped};
use incola_engine::tally::{ColumnTally, Group, Place, adds_up};
use serde::Serialize;

/// Groups that are shown; more are counted.
const GROUPS: usize = 60;

/// Characters of the longest bar.
const BAR: u64 = 20;

/// The page of a source.
pub(crate) fn page(tallied: &Tallied) -> String {
    let tally = &tallied.tally;
    let wanted = || tallied.columns.iter().zip(&tally.columns).filter(|(column, _)| column.is_wanted());
    let mut out = format!(
        "{}   {}, {}\n\n",
        style::strong(&line(&tallied.source)),
        counted(tally.records, "record", "records"),
        counted(wanted().count() as u64, "column", "columns")
    );
    let heads = ["column", "kind", "values", "empty", "different", "sum"];
    let mut rows: Vec<Vec<String>> = vec![heads.map(str::to_owned).to_vec()];
    rows.extend(wanted().map(|(column, own)| row(column, own)));
    out.push_str(&table(&rows, &[2, 3, 4, 5]));
    let heads = ["column", "smallest, first", "line", "largest, last", "line"];
    let mut rows: Vec<Vec<String>> = vec![heads.map(str::to_owned).to_vec()];
    rows.extend(wanted().filter_map(|(column, own)| ends(column, own)));
    if rows.len() > 1 {
        out.push('\n');
        out.push_str(&table(&rows, &[1, 2, 3, 4]));
    }
    let own = wanted().flat_map(|(column, own)| notes(column, own));
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
    if !tallied.checks.is_empty() {
        out.push('\n');
    }
    for check in &tallied.checks {
        out.push_str(&check_line(check));
    }
    out
}

fn row(column: &ColumnReading, own: &ColumnTally) -> Vec<String> {
    let sum = own.figures.as_deref().map_or_else(String::new, |figures| {
        if figures.sum.is_exact() {
            column.rule.marks().spell(&figures.sum.text(figures.decimals))
        } else {
            "not exact".to_owned()
        }
    });
    let different = own.different().map_or_else(|| "many".to_owned(), grouped);
    let kind = column.rule.kind().word().to_owned();
    vec![line(&column.name), kind, grouped(own.filled), grouped(own.empty), different, sum]
}

/// The smallest and the largest number, or the first and the last moment, with their lines.
fn ends(column: &ColumnReading, own: &ColumnTally) -> Option<Vec<String>> {
    let decimals = own.figures.as_deref().map_or(0, |f| f.decimals);
    let marks = column.rule.marks();
    let number = |place: &Place<i128>| [marks.spell(&units_text(place.key, decimals)), grouped(place.line)];
    let moment = |place: &Place<u64>| [line(&place.text), grouped(place.line)];
    let [first, last] = match (own.figures.as_deref(), own.moments.as_deref()) {
        (Some(f), _) => [f.smallest.as_ref().map(number)?, f.largest.as_ref().map(number)?],
        (None, Some(m)) => [m.first.as_ref().map(moment)?, m.last.as_ref().map(moment)?],
        _ => return None,
    };
    Some(std::iter::once(line(&column.name)).chain(first).chain(last).collect())
}

/// What else there is to know of a column.
fn notes(column: &ColumnReading, own: &ColumnTally) -> Vec<String> {
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
            "{} (line {}) to {} characters (line {})",
            short.key, short.line, long.key, long.line
        ));
    }
    if parts.is_empty() { Vec::new() } else { vec![format!("{}: {}", line(&column.name), parts.join(", "))] }
}

fn groups(tallied: &Tallied, name: &str) -> String {
    let tally = &tallied.tally;
    let sums: Vec<usize> = (0..tallied.columns.len()).filter(|n| adds_up(&tallied.columns[*n])).collect();
    let decimals = |n: usize| tally.columns[n].figures.as_deref().map_or(0, |f| f.decimals);
    let marks = |n: usize| tallied.columns[n].rule.marks();
    let most = tally.groups.values().map(|group| group.records).max().unwrap_or(1).max(1);
    let mut rows = vec![
        [line(name), "records".into()]
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
    records: u64,
    /// What became of records that are no rows, where they are shaped.
    left_out: &'t [String],
    columns: Vec<ColumnJson<'t>>,
    by: Option<&'t str>,
    groups: Vec<GroupJson<'t>>,
    checks: Vec<CheckJson<'t>>,
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
    line: u64,
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
    let Tallied { source, columns, tally, by, checks, left_out } = tallied;
    let exact = |sum: &incola_core::kind::Sum, decimals: u8| sum.is_exact().then(|| sum.text(decimals));
    let column = |(column, own): (&'_ ColumnReading, &ColumnTally)| {
        let figures = own.figures.as_deref();
        let number = |place: &Option<Place<i128>>| {
            place.as_ref().map(|p| ValueJson { value: units_text(p.key, 0), line: p.line })
        };
        let moment = |place: &Option<Place<u64>>| {
            place.as_ref().map(|p| ValueJson { value: p.text.clone(), line: p.line })
        };
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
        records: tally.records,
        left_out,
        columns: columns
            .iter()
            .zip(&tally.columns)
            .filter(|(c, _)| c.is_wanted())
            .map(|(c, own)| {
                let (smallest, largest, sum, number) = column((c, own));
                ColumnJson {
                    number,
                    name: &c.name,
                    kind: c.rule.kind().word(),
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
                    .filter(|n| adds_up(&columns[*n]))
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
    }
}
