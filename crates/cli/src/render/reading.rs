//! A reading as a page: the preview first, then the reasons, then what to know, then what to type.

use super::grid::{GridColumn, draw};
use super::sanitize::line;
use super::style;
use super::text::{counted, cut, grouped, left, terminal_columns, width, wrap};
use crate::flags::definitions::Inspect;
use crate::wording;
use incola_core::evidence::DecidedBy;
use incola_core::kind::statistics::{trim, unwrap};
use incola_core::kind::{Kind, Value};
use incola_core::layout::fixed::from_one;
use incola_core::layout::{delimiter_word, dialect_word};
use incola_core::notice::NoticeCode;
use incola_core::reading::{ColumnReading, Reading};
use incola_core::record::{Dialect, Division, Fixed, LineParts, Multiline};
use incola_core::rows::{Each, Flow, Record};
use incola_engine::text::Surveyed;

/// Values of a preview are cut to so many characters.
pub(super) const VALUE_CHARS: usize = 60;

/// Stands where a start cuts a value.
const CUT: char = '\u{2702}';

/// Whether the start of a column stands inside values.
pub(super) fn starts_inside_values(reading: &Reading, number: usize) -> bool {
    reading.notices.iter().any(|n| n.code == NoticeCode::ValuesCut && n.column == Some(number))
}

/// The page of a source.
pub(crate) fn page(name: &str, surveyed: &Surveyed, options: &Inspect, docket: Option<&str>) -> String {
    let columns = terminal_columns();
    let reading = &surveyed.reading;
    let mut out = format!("{}   {}\n\n", style::strong(&line(name)), summary(surveyed));
    let grid = preview(surveyed, options.rows);
    if !grid.is_empty() {
        out.push_str(&draw(&grid, columns));
        let shown = grid.iter().map(|c| c.values.len()).max().unwrap_or(0) as u64;
        if shown < reading.records {
            let word = if reading.layout.shaping.is_some() { ("row", "rows") } else { ("record", "records") };
            let more = format!("… {} more", counted(reading.records - shown, word.0, word.1));
            out.push_str(&format!("  {}\n", style::faint(&more)));
        }
        if let Some((records, is_cut)) = super::shaped::records(surveyed, shown) {
            out.push_str(&format!("\n  {}\n\n", style::faint("made of these records:")));
            out.push_str(&draw(&records, columns));
            if is_cut {
                out.push_str(&format!("  {}\n", style::faint("… and others further down")));
            }
        }
        out.push('\n');
    }
    if let Some(docket) = docket {
        out.push_str(&format!("  {}     {}\n", style::faint("docket"), line(docket)));
    }
    out.push_str(&reasons(surveyed, columns));
    out.push('\n');
    out.push_str(&column_reasons(&reading.columns, columns));
    if !reading.notices.is_empty() {
        out.push('\n');
        out.push_str(&notices(reading, columns));
    }
    out.push_str("\nTo import it like this:\n  ");
    out.push_str(&super::command::import(name, &options.read));
    out.push('\n');
    out
}

fn summary(surveyed: &Surveyed) -> String {
    let reading = &surveyed.reading;
    let columns = reading.columns.len() as u64;
    let records = surveyed.records_in();
    let rows = match reading.layout.shaping {
        Some(_) if records != reading.records => format!(", {}", counted(reading.records, "row", "rows")),
        _ => String::new(),
    };
    format!(
        "{}{rows}, {}, {}",
        counted(records, "record", "records"),
        counted(columns, "column", "columns"),
        counted(surveyed.bytes, "byte", "bytes")
    )
}

/// The first records, divided.
fn preview(surveyed: &Surveyed, rows: usize) -> Vec<GridColumn> {
    let reading = &surveyed.reading;
    let mut grid: Vec<GridColumn> = reading
        .columns
        .iter()
        .map(|column| GridColumn {
            number: Some(column.number),
            kind: kind_word(column),
            name: line(&column.name),
            at_right: stands_right(column),
            values: Vec::new(),
        })
        .collect();
    let cut_before: Vec<bool> =
        reading.columns.iter().map(|c| starts_inside_values(reading, c.number)).collect();
    let mut left = rows.min(usize::try_from(reading.records).unwrap_or(usize::MAX));
    if left == 0 {
        return grid;
    }
    surveyed.each_in_head(&mut Each(|record: &Record<'_>| {
        for (i, (cell, column)) in grid.iter_mut().zip(&reading.columns).enumerate() {
            let field = record.field(i);
            let field = unwrap(trim(field).0).map_or(field, |(inner, _)| inner);
            let mut value = text_of(field);
            if column.pad.is_some() || column.rule.kind() != Kind::Text {
                value = value.trim().to_owned();
            }
            // A value that a start cuts in two is open on that side.
            if cut_before[i] && record.crossing(i).is_some() {
                value.insert(0, CUT);
            }
            if cut_before.get(i + 1) == Some(&true) && record.crossing(i + 1).is_some() {
                value.push(CUT);
            }
            if matches!(column.read(field), Value::Misfit(_)) {
                value.push_str(" ‹text›");
            }
            cell.values.push(cut(&value, VALUE_CHARS));
        }
        left -= 1;
        if left > 0 { Flow::Continue(()) } else { Flow::Break(()) }
    }));
    grid
}

/// Whether values of a column stand at its right.
pub(super) fn stands_right(column: &ColumnReading) -> bool {
    matches!(column.rule.kind(), Kind::Number | Kind::Date | Kind::Time | Kind::DateTime)
}

/// The beginning of a field, as a line.
pub(super) fn text_of(field: &[u8]) -> String {
    line(&String::from_utf8_lossy(&field[..field.len().min(4 * VALUE_CHARS)]))
}

/// The kind, with `!` where it was stated and not found.
pub(super) fn kind_word(column: &ColumnReading) -> String {
    let mark = if column.decided_by == DecidedBy::Detected { "" } else { "!" };
    format!("{}{mark}", column.rule.kind().word())
}

/// A delimiter and a quote in words.
fn dialect_words(dialect: &Dialect) -> String {
    let comments = dialect
        .comment_prefix
        .as_ref()
        .map_or_else(String::new, |prefix| format!(", comments after {}", String::from_utf8_lossy(prefix)));
    match &dialect.division {
        Division::Delimited => {}
        Division::Fixed(fixed) => return format!("fixed, starts {}{comments}", starts_text(fixed)),
        Division::Multiline(Multiline::Continued(fixed)) => {
            return format!("fixed, starts {}, continued on further lines{comments}", starts_text(fixed));
        }
        Division::Multiline(Multiline::Labelled { labels, begins }) => {
            let first = labels.first().map_or_else(String::new, |l| line(&String::from_utf8_lossy(l)));
            let how = if *begins {
                format!("\u{201c}{first}\u{201d} begins a record")
            } else {
                "empty lines between records".into()
            };
            return format!("a label before each value, {how}{comments}");
        }
        Division::Multiline(Multiline::Cycle { lines, .. }) => {
            let parts: Vec<String> = lines.iter().map(line_parts).collect();
            return format!("{} lines a record: {}{comments}", lines.len(), parts.join(" / "));
        }
    }
    if dialect.delimiter.is_empty() {
        return format!("one value a line{comments}");
    }
    let mut words = format!("delimited by {}", delimiter_word(&dialect.delimiter));
    if dialect.runs_as_one {
        words.push_str(", runs counting as one");
    }
    if dialect.most_fields.is_some() {
        words.push_str(", the last column taking the rest");
    }
    match dialect.quote {
        Some(b'"') => {}
        Some(quote) => words.push_str(&format!(", quoted with {}", char::from(quote))),
        None => words.push_str(", quotes being characters"),
    }
    if !dialect.doubles_quotes {
        words.push_str(", a backslash before quotes inside quotes");
    }
    words + &comments
}

fn starts_text(fixed: &Fixed) -> String {
    let starts: Vec<String> = from_one(&fixed.starts).iter().map(usize::to_string).collect();
    starts.join(",")
}

/// How one line of a record is divided.
fn line_parts(parts: &LineParts) -> String {
    match parts {
        LineParts::Fixed(fixed) if fixed.starts.len() == 1 => "whole".into(),
        LineParts::Fixed(fixed) => format!("starts {}", starts_text(fixed)),
        LineParts::Delimited { delimiter, .. } => delimiter_word(delimiter),
    }
}

/// Encoding, layout, header and what was set aside: each with its reason, and why the next best lost.
fn reasons(surveyed: &Surveyed, columns: usize) -> String {
    let reading = &surveyed.reading;
    let mut rows: Vec<(String, String, Vec<String>)> = Vec::new();
    let encoding = &reading.encoding;
    let mut why = vec![encoding.why.clone()];
    if let Some(rival) = &encoding.runner_up {
        why.push(format!("not {}: {}", rival.value.name(), rival.why));
    }
    let bom = if reading.bom_bytes > 0 { " with a byte order mark" } else { "" };
    rows.push((
        "encoding".into(),
        format!("{}{bom}, line ends {}", encoding.value.name(), reading.line_end.word()),
        why,
    ));
    let layout = &reading.layout;
    let mut why = vec![format!("{}{}", given(layout.dialect.decided_by), layout.dialect.why)];
    if let Some(rival) = &layout.dialect.runner_up {
        why.push(format!("not {}: {}", dialect_word(&rival.value), rival.why));
    }
    rows.push(("layout".into(), dialect_words(&layout.dialect.value), why));
    let header = match layout.header_line {
        Some(header_line) => match layout.units_line {
            Some(units) => format!("line {header_line}, units in line {units}"),
            None => format!("line {header_line}"),
        },
        None => "none".into(),
    };
    rows.push(("header".into(), header, vec![layout.header_why.clone()]));
    for value in reading.values.iter().take(8) {
        let mut place = format!("line {}", value.line);
        if value == &reading.values[0] {
            place.push_str(&format!("; {{{}}} means it in --sheet and --into", value.name));
        }
        rows.push(("value".into(), cut(&line(&format!("{}: {}", value.name, value.value)), 44), vec![place]));
    }
    if reading.values.len() > 8 {
        rows.push((String::new(), format!("{} values more", reading.values.len() - 8), vec![]));
    }
    for (lines, why) in wording::aside::lines(&reading.set_aside) {
        rows.push(("set aside".into(), lines, vec![why.into()]));
    }
    for (rule, count) in surveyed.stated_lines() {
        let said = cut(&line(&format!("{}: {}", rule.role.word(), rule.said())), 44);
        rows.push(("stated".into(), said, vec![wording::aside::alike(count)]));
    }
    for carried in surveyed.carried_down() {
        let name = &reading.columns[carried.column].name;
        let what = wording::aside::carried(&cut(&line(name), 24), carried.cells);
        let (name, what) = what.split_once(": ").unwrap_or_default();
        rows.push(("carried".into(), name.to_owned(), vec![what.to_owned()]));
    }
    if let Some(printed) = &surveyed.printed {
        let proofs = wording::aside::proofs(printed);
        rows.extend(proofs.map(|(label, count, what)| (label.to_owned(), count, vec![what])));
    }
    let label = rows.iter().map(|(l, ..)| width(l)).max().unwrap_or(0);
    let answer = rows.iter().map(|(_, a, _)| width(a)).max().unwrap_or(0).min(44);
    let mut out = String::new();
    for (name, value, why) in rows {
        let indent = 2 + label + 2 + answer + 2;
        let room = columns.saturating_sub(indent).max(24);
        let mut lines = why.iter().flat_map(|w| wrap(&line(w), room));
        let first = lines.next().unwrap_or_default();
        let gap = if width(&value) > answer {
            "\n".to_owned() + &" ".repeat(indent)
        } else {
            " ".repeat(answer - width(&value) + 2)
        };
        out.push_str(&format!(
            "  {}  {}{gap}{}\n",
            style::faint(&left(&name, label)),
            value,
            style::faint(&first)
        ));
        for more in lines {
            out.push_str(&format!("{}{}\n", " ".repeat(indent), style::faint(&more)));
        }
    }
    out
}

fn given(by: DecidedBy) -> &'static str {
    match by {
        DecidedBy::Detected => "",
        DecidedBy::Given => "stated; ",
        DecidedBy::Docket => "from the docket; ",
    }
}

/// Each column with its kind, format, filled values and reason.
fn column_reasons(list: &[ColumnReading], columns: usize) -> String {
    let mut out = String::new();
    let number = list.len().to_string().len();
    let name = list.iter().map(|c| width(&line(&c.name))).max().unwrap_or(0).clamp(4, 24);
    let kind = list.iter().map(|c| width(&kind_format(c))).max().unwrap_or(0).clamp(4, 30);
    for column in list {
        let unit = column.unit.as_ref().map_or_else(String::new, |unit| format!("in {unit}; "));
        let blank = if column.stats.blank > 0 {
            format!("; {} empty", grouped(column.stats.blank))
        } else {
            String::new()
        };
        let indent = 2 + number + 2 + name + 2 + kind + 2;
        let room = columns.saturating_sub(indent).max(24);
        let why = line(&format!("{unit}{}{blank}", column.why));
        let mut lines = wrap(&why, room).into_iter();
        let kind_text = kind_format(column);
        out.push_str(&format!(
            "  {}  {}  {}{}  {}\n",
            style::faint(&super::text::right(&column.number.to_string(), number)),
            left(&cut(&line(&column.name), name), name),
            style::kind(&cut(&kind_text, kind)),
            " ".repeat(kind.saturating_sub(width(&kind_text))),
            style::faint(&lines.next().unwrap_or_default())
        ));
        for more in lines {
            out.push_str(&format!("{}{}\n", " ".repeat(indent), style::faint(&more)));
        }
    }
    out
}

fn kind_format(column: &ColumnReading) -> String {
    match column.format() {
        Some(format) => format!("{} {format}", kind_word(column)),
        None => kind_word(column),
    }
}

/// What the clerk should know.
fn notices(reading: &Reading, columns: usize) -> String {
    let mut out = String::new();
    for notice in &reading.notices {
        out.push_str(&super::receipt::notice_lines(notice, columns));
    }
    out
}
