//! A reading as JSON: keys are added, never renamed.

use incola_core::kind::number;
use incola_core::kind::statistics::Count;
use incola_core::layout::dialect_word;
use incola_core::layout::fixed::from_one;
use incola_core::notice::Notice;
use incola_core::reading::ColumnReading;
use incola_core::record::{Dialect, Division, Fixed, LineParts, Multiline};
use incola_engine::text::Surveyed;
use incola_engine::totals::{CountDifference, Difference, PrintedTotals};
use serde::Serialize;

/// One source.
#[derive(Serialize)]
pub(crate) struct ReadingJson {
    source: String,
    bytes: u64,
    /// The docket that was obeyed.
    docket: Option<String>,
    encoding: EncodingJson,
    line_end: &'static str,
    layout: LayoutJson,
    preamble_lines: u64,
    header_line: Option<u64>,
    header_lines: u64,
    units_line: Option<u64>,
    footer_lines: u64,
    values: Vec<ValueJson>,
    records: u64,
    columns: Vec<ColumnJson>,
    set_aside: Vec<SetAsideJson>,
    /// What each line is to the table, in runs.
    line_classes: Vec<RunJson>,
    /// What was said of lines.
    line_rules: Vec<RuleJson>,
    /// The labels of headings whose values are in columns of their own.
    headings: Vec<String>,
    /// The columns whose empty cells took the value above them.
    carried: Vec<CarriedJson>,
    /// What became of records that are shaped.
    #[serde(skip_serializing_if = "Option::is_none")]
    shaped: Option<ShapedJson>,
    printed_totals: Option<PrintedTotalsJson>,
    notices: Vec<NoticeJson>,
}

/// Lines in a row that are the same to the table.
#[derive(Serialize)]
struct RunJson {
    first: u64,
    last: u64,
    role: &'static str,
}

/// What was said of lines, and how many are so.
#[derive(Serialize)]
struct RuleJson {
    role: &'static str,
    example: Option<String>,
    matches: Option<String>,
    lines: u64,
    first_line: Option<u64>,
}

/// A column whose empty cells took the value above them.
#[derive(Serialize)]
pub(crate) struct CarriedJson {
    column: String,
    cells: u64,
    first_line: Option<u64>,
}

impl CarriedJson {
    pub(crate) fn new(column: &str, cells: Count) -> Self {
        let first_line = (cells.count > 0).then_some(cells.line);
        Self { column: column.to_owned(), cells: cells.count, first_line }
    }
}

/// Records in and rows out, where they are shaped.
#[derive(Serialize)]
pub(crate) struct ShapedJson {
    records: u64,
    rows: u64,
    not_met: u64,
    unknown: u64,
    repeated: u64,
    /// Columns that are made of others.
    columns: Vec<MadeJson>,
}

#[derive(Serialize)]
struct MadeJson {
    name: String,
    from: String,
    /// Values that could not be made.
    unmade: u64,
    first_line: Option<u64>,
}

impl ShapedJson {
    /// What became of the records of a source; `None`: they are not shaped.
    pub(crate) fn new(surveyed: &Surveyed) -> Option<Self> {
        let shaping = surveyed.reading.layout.shaping.as_ref()?;
        let shaped = &surveyed.survey.facts.shaped;
        let made = shaping.columns().iter().zip(&shaped.unmade).map(|(column, (count, _))| MadeJson {
            name: column.name.clone(),
            from: column.why.clone(),
            unmade: count.count,
            first_line: (count.count > 0).then_some(count.line),
        });
        Some(Self {
            records: surveyed.records_in(),
            rows: surveyed.reading.records,
            not_met: shaped.not_met.count,
            unknown: shaped.unknown.count,
            repeated: shaped.repeated.count,
            columns: made.collect(),
        })
    }
}

/// Totals among the records, compared with them.
#[derive(Serialize)]
pub(crate) struct PrintedTotalsJson {
    agree: u64,
    differ: u64,
    unproved: u64,
    /// Records after the last total.
    uncovered: u64,
    /// The first figures that differ.
    differences: Vec<DifferenceJson>,
    counts: CountsJson,
}

/// Lines that say how many records there are.
#[derive(Serialize)]
struct CountsJson {
    agree: u64,
    differ: u64,
    /// The first lines that differ.
    differences: Vec<CountDifferenceJson>,
}

#[derive(Serialize)]
struct CountDifferenceJson {
    line: u64,
    printed: u64,
    records: u64,
}

#[derive(Serialize)]
struct DifferenceJson {
    line: u64,
    /// From 1.
    column: usize,
    printed: String,
    computed: String,
}

impl PrintedTotalsJson {
    pub(crate) fn new(printed: &PrintedTotals) -> Self {
        let text = |units: i128| number::units_text(units, 0);
        let difference = |d: &Difference| DifferenceJson {
            line: d.line,
            column: d.column + 1,
            printed: text(d.printed),
            computed: text(d.computed),
        };
        let of_count = |d: &CountDifference| CountDifferenceJson {
            line: d.line,
            printed: d.printed,
            records: d.records,
        };
        Self {
            agree: printed.agree,
            differ: printed.differ,
            unproved: printed.unproved,
            uncovered: printed.uncovered,
            differences: printed.differences.iter().map(difference).collect(),
            counts: CountsJson {
                agree: printed.counts.agree,
                differ: printed.counts.differ,
                differences: printed.counts.differences.iter().map(of_count).collect(),
            },
        }
    }
}

#[derive(Serialize)]
struct EncodingJson {
    name: String,
    bom: bool,
    decided_by: &'static str,
    why: String,
    runner_up: Option<RunnerUpJson>,
}

#[derive(Serialize)]
struct LayoutJson {
    kind: &'static str,
    delimiter: Option<String>,
    runs_as_one: bool,
    quote: Option<char>,
    /// Whether a quote inside quotes is doubled; otherwise a backslash is in front of it.
    double_quote: bool,
    comment_prefix: Option<String>,
    starts: Option<Vec<usize>>,
    /// For records of several lines at fixed places: the starts of each line; null for lines that a delimiter divides.
    line_starts: Option<Vec<Vec<usize>>>,
    lines_per_record: u64,
    decided_by: &'static str,
    why: String,
    runner_up: Option<RunnerUpJson>,
}

#[derive(Serialize)]
struct RunnerUpJson {
    value: String,
    why: String,
}

#[derive(Serialize)]
struct ColumnJson {
    number: usize,
    name: String,
    kind: &'static str,
    format: Option<String>,
    decimal_char: Option<char>,
    group_char: Option<&'static str>,
    start: Option<usize>,
    width: Option<usize>,
    unit: Option<String>,
    filled: u64,
    blank: u64,
    longest: u32,
    decided_by: &'static str,
    why: String,
}

/// A value named above the header.
#[derive(Serialize)]
struct ValueJson {
    name: String,
    value: String,
    line: u64,
}

/// Lines that are no records.
#[derive(Serialize)]
pub(crate) struct SetAsideJson {
    line: u64,
    lines: u64,
    why: &'static str,
}

/// A notice.
#[derive(Serialize)]
pub(crate) struct NoticeJson {
    code: &'static str,
    message: String,
    line: Option<u64>,
    column: Option<usize>,
    position: Option<usize>,
}

impl NoticeJson {
    pub(crate) fn new(notice: &Notice) -> Self {
        Self {
            code: notice.code.word(),
            message: notice.message.clone(),
            line: notice.line,
            column: notice.column,
            position: notice.position,
        }
    }
}

impl SetAsideJson {
    pub(crate) fn new(aside: &incola_core::layout::SetAside) -> Self {
        Self { line: aside.line, lines: aside.lines, why: aside.why.words() }
    }
}

/// A reading in JSON's form.
pub(crate) fn reading(name: &str, surveyed: &Surveyed, docket: Option<String>) -> ReadingJson {
    let reading = &surveyed.reading;
    let layout = &reading.layout;
    let dialect = &layout.dialect.value;
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    let delimiter = |bytes: &[u8]| (!bytes.is_empty()).then(|| text(bytes));
    ReadingJson {
        source: name.to_owned(),
        bytes: surveyed.bytes,
        docket,
        encoding: EncodingJson {
            name: reading.encoding.value.name(),
            bom: reading.bom_bytes > 0,
            decided_by: reading.encoding.decided_by.word(),
            why: reading.encoding.why.clone(),
            runner_up: reading
                .encoding
                .runner_up
                .as_ref()
                .map(|r| RunnerUpJson { value: r.value.name(), why: r.why.clone() }),
        },
        line_end: reading.line_end.word(),
        layout: LayoutJson {
            kind: layout.kind().word(),
            delimiter: delimiter(&dialect.delimiter),
            runs_as_one: dialect.runs_as_one,
            quote: dialect.quote.map(char::from),
            double_quote: dialect.doubles_quotes,
            comment_prefix: dialect.comment_prefix.as_deref().map(text),
            starts: starts(dialect).map(|f| from_one(&f.starts)),
            line_starts: line_starts(dialect),
            lines_per_record: dialect.division.lines_per_record(),
            decided_by: layout.dialect.decided_by.word(),
            why: layout.dialect.why.clone(),
            runner_up: layout
                .dialect
                .runner_up
                .as_ref()
                .map(|r| RunnerUpJson { value: runner_up(&r.value), why: r.why.clone() }),
        },
        preamble_lines: layout.preamble_lines,
        header_line: layout.header_line,
        header_lines: layout.header_lines,
        units_line: layout.units_line,
        footer_lines: layout.footer.filled_lines,
        values: reading
            .values
            .iter()
            .map(|v| ValueJson { name: v.name.clone(), value: v.value.clone(), line: v.line })
            .collect(),
        records: reading.records,
        columns: reading.columns.iter().map(|c| column(c, dialect)).collect(),
        set_aside: reading.set_aside.iter().map(SetAsideJson::new).collect(),
        line_classes: surveyed
            .line_classes()
            .iter()
            .map(|run| RunJson { first: run.first, last: run.last, role: run.role.word() })
            .collect(),
        line_rules: surveyed
            .stated_lines()
            .iter()
            .map(|(rule, count)| RuleJson {
                role: rule.role.word(),
                example: rule.example().map(str::to_owned),
                matches: rule.pattern().map(str::to_owned),
                lines: count.count,
                first_line: (count.count > 0).then_some(count.line),
            })
            .collect(),
        headings: layout.headings.names().map(str::to_owned).collect(),
        shaped: ShapedJson::new(surveyed),
        carried: surveyed
            .carried_down()
            .iter()
            .map(|c| CarriedJson::new(&reading.columns[c.column].name, c.cells))
            .collect(),
        printed_totals: surveyed.printed.as_ref().map(PrintedTotalsJson::new),
        notices: reading.notices.iter().map(NoticeJson::new).collect(),
    }
}

/// The starts of a layout whose columns stand at fixed places.
fn starts(dialect: &Dialect) -> Option<&Fixed> {
    match &dialect.division {
        Division::Fixed(fixed) | Division::Multiline(Multiline::Continued(fixed)) => Some(fixed),
        _ => None,
    }
}

/// The starts of each line of a record; `None` where a mark divides one of the lines.
fn line_starts(dialect: &Dialect) -> Option<Vec<Vec<usize>>> {
    let Division::Multiline(Multiline::Cycle { lines, .. }) = &dialect.division else { return None };
    let starts = |parts: &LineParts| match parts {
        LineParts::Fixed(fixed) => Some(from_one(&fixed.starts)),
        LineParts::Delimited { .. } => None,
    };
    lines.iter().map(starts).collect()
}

/// The rival of a layout: its delimiter, or its starts.
fn runner_up(dialect: &Dialect) -> String {
    if dialect.delimiter.is_empty() {
        return dialect_word(dialect);
    }
    String::from_utf8_lossy(&dialect.delimiter).into_owned()
}

fn column(column: &ColumnReading, dialect: &Dialect) -> ColumnJson {
    let (decimal_char, group_char) = column.marks();
    let starts = starts(dialect).map(|f| from_one(&f.starts)).unwrap_or_default();
    let start = starts.get(column.number - 1).copied();
    let width = start.and_then(|s| starts.get(column.number).map(|next| next - s));
    ColumnJson {
        number: column.number,
        name: column.name.clone(),
        kind: column.rule.kind().word(),
        format: column.format(),
        decimal_char,
        group_char,
        start,
        width,
        unit: column.unit.clone(),
        filled: column.stats.filled + column.stats.beyond,
        blank: column.stats.blank,
        longest: column.stats.longest,
        decided_by: column.decided_by.word(),
        why: column.why.clone(),
    }
}
