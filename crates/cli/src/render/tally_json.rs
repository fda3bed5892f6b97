//! Control totals, for programs.

use super::tally::{cell, iso};
use crate::commands::tally::{Against, Tallied};
use incola_core::kind::Sum;
use incola_core::kind::number::units_text;
use incola_engine::tally::{Column, ColumnTally, Ends, Figures, Moments, NumberAt, Place, Ranked};
use serde::Serialize;

/// A tally.
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
    mean: Option<String>,
    /// Numbers far outside of where the middle half lies.
    far_out: Option<FarOutJson>,
    /// Days without a date, where nearly all others have one.
    gaps: Option<GapsJson>,
    leading_zeros: u64,
    /// Values with a character that is not seen.
    unusual: u64,
    #[serde(skip_serializing_if = "Option::is_none")]
    first_unusual: Option<ValueJson>,
}

#[derive(Serialize)]
struct FarOutJson {
    /// Where the middle half lies.
    middle: [String; 2],
    /// What is outside of these is far out.
    bounds: [String; 2],
    values: Vec<ValueJson>,
    may_be_more: bool,
}

#[derive(Serialize)]
struct GapsJson {
    days: u32,
    /// The first and the last day of each run; of many only the first.
    runs: Vec<[String; 2]>,
    /// Days of the week without any date, Monday being 0.
    free_weekdays: Vec<u8>,
}

impl GapsJson {
    fn of(moments: &Moments) -> Option<Self> {
        let gaps = moments.days.gaps()?;
        let runs = gaps.runs.iter().map(|(from, to)| [iso(*from), iso(*to)]).collect();
        Some(Self { days: gaps.days, runs, free_weekdays: gaps.free })
    }
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
    let exact = |sum: &Sum, decimals: u8| sum.is_exact().then(|| sum.text(decimals));
    let at = |column: &Column, value: String, number: u64| match sheet {
        Some(_) => ValueJson { value, line: None, cell: Some(cell(column, number)) },
        None => ValueJson { value, line: Some(number), cell: None },
    };
    let far_out = |column: &Column, figures: &Figures| {
        let far = figures.spread.far_out()?;
        let both = |(low, high): (i128, i128)| [units_text(low, 0), units_text(high, 0)];
        let values =
            far.places.iter().map(|place| at(column, units_text(place.units, 0), place.line)).collect();
        Some(FarOutJson {
            middle: both(far.middle),
            bounds: both(far.bounds),
            values,
            may_be_more: far.may_be_more,
        })
    };
    let column = |(column, own): (&'_ Column, &ColumnTally)| {
        let figures = own.figures.as_deref();
        let at = |value: String, number: u64| at(column, value, number);
        let number = |found: Option<NumberAt>| found.map(|found| at(units_text(found.units, 0), found.line));
        let moment = |place: &Option<Place<u64>>| place.as_ref().map(|p| at(p.text.clone(), p.line));
        let moments = own.moments.as_deref();
        (
            figures
                .and_then(|f| number(f.spread.smallest()))
                .or_else(|| moments.and_then(|m| moment(&m.first))),
            figures
                .and_then(|f| number(f.spread.largest()))
                .or_else(|| moments.and_then(|m| moment(&m.last))),
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
                    mean: own.figures.as_deref().and_then(Figures::mean).map(|units| units_text(units, 0)),
                    far_out: own.figures.as_deref().and_then(|figures| far_out(c, figures)),
                    gaps: own.moments.as_deref().and_then(GapsJson::of),
                    leading_zeros: own.leading_zeros,
                    unusual: own.unusual,
                    first_unusual: (own.first_unusual.as_ref())
                        .map(|first| at(c, format!("U+{:04X}", u32::from(first.key)), first.line)),
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
