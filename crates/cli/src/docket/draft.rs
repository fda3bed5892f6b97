//! A reading, written down as a docket.

use incola_core::encoding::Encoding;
use incola_core::evidence::DecidedBy;
use incola_core::kind::Kind;
use incola_core::layout::fixed::from_one;
use incola_core::reading::Reading;
use incola_core::record::{Division, Fixed, Unit};
use incola_core::rows::Role;
use incola_core::settings::{self, DocketWriter, LineOrWord, format_of};
use toml::Value;

/// The docket of a reading. `name`: the source's name without folders; `read`: what was typed.
pub(crate) fn draft(name: &str, reading: &Reading, read: &settings::Reading) -> String {
    let mut out = DocketWriter::new(&format!(
        "How files like {name} are read. Lines may be changed or left out; what is left out is detected."
    ));
    out.part("[match]");
    out.comment("Files that this is for: * means any characters, ? means one.");
    let patterns = [Value::String(pattern(name))];
    out.key("files", &Value::Array(patterns.to_vec()), "");
    out.part("[read]");
    let encoding = &reading.encoding;
    if encoding.value == Encoding::Utf8 && encoding.decided_by == DecidedBy::Detected {
        out.comment(&format!("encoding = \"utf-8\"  ({}; found again in each file)", encoding.why));
    } else {
        out.text("encoding", &encoding.value.name(), &encoding.why);
    }
    layout(&mut out, reading, read);
    let labels: Vec<Value> = reading.layout.headings.labels().map(Value::from).collect();
    if !labels.is_empty() {
        out.key("headings", &Value::Array(labels), "their values are in columns of their own");
    }
    let is_rolled_up = reading.layout.shaping.as_ref().is_some_and(|shaping| shaping.grouping().is_some());
    // A column without a name in the source is meant by its number.
    let column = |place: &usize| {
        let own = reading.layout.names.get(*place).filter(|name| !name.trim().is_empty());
        own.map_or_else(
            || Value::from((place + 1).to_string()),
            |own| match reading.columns.get(*place).filter(|_| !is_rolled_up) {
                Some(column) => Value::from(column.name.as_str()),
                None => Value::from(own.as_str()),
            },
        )
    };
    let carried: Vec<Value> = reading.layout.carried_down.iter().map(column).collect();
    if !carried.is_empty() || read.carry.is_some() {
        out.key("carry", &Value::Array(carried), "their empty cells take the value above them");
    }
    match (&read.header, reading.layout.header_line) {
        (Some(LineOrWord::Number(line)), _) => out.key("header", &Value::Integer(*line as i64), ""),
        (Some(LineOrWord::Word(word)), _) => out.text("header", word, ""),
        (None, None) => out.comment("header = \"auto\"  (no line holds names here; looked for in each file)"),
        (None, Some(line)) => {
            out.comment(&format!(
                "header = \"auto\"  (line {line} holds the names here; looked for in each file)"
            ));
        }
    }
    // What was said besides.
    let said = settings::table_of(read);
    for key in [
        "carried",
        "divide",
        "where",
        "compute",
        "distinct",
        "distinct_stays",
        "by",
        "take",
        "lines",
        "decimal_char",
        "group_char",
        "survey",
        "blank",
        "blank_rows",
        "names",
    ] {
        if let Some(value) = said.get(key) {
            out.key(key, value, "");
        }
    }
    out.part("[place]");
    out.comment("sheet = \"{stem}\"   mode = \"append\"   at = \"A2\"   source_column = \"File\"   number_column = \"No\"");
    for rule in &reading.layout.line_rules {
        // Headings are written down by their labels.
        if rule.role == Role::Heading && rule.example().is_some() {
            continue;
        }
        out.part("[[line]]");
        out.text("role", rule.role.word(), "");
        if let Some(example) = rule.example() {
            out.text("example", example, "");
        }
        if let Some(pattern) = rule.pattern() {
            out.text("matches", pattern, "");
        }
    }
    out.part("# Columns in the order that the sheet has them in. as = \"skip\" leaves one out; called = \"…\" is the sheet's name for it;");
    out.comment("description = \"…\" is shown when its heading is selected.");
    for column in &reading.columns {
        // What stands behind a last delimiter is no column.
        if column.rule.kind() == Kind::Skip && column.decided_by == DecidedBy::Detected {
            continue;
        }
        out.part("[[column]]");
        out.text("name", &column.name, "");
        let why = if column.decided_by == DecidedBy::Detected { column.why.as_str() } else { "" };
        out.text("as", column.rule.kind().word(), why);
        if let Some(format) = format_of(column) {
            out.text("format", &format, "");
        }
        if let Some(unit) = &column.unit {
            // A message on the heading is for the clerk to switch on.
            let unit = Value::String(unit.clone());
            out.comment(&format!("unit = {unit}"));
        }
    }
    out.finish()
}

pub(crate) fn starts_text(fixed: &Fixed) -> String {
    let starts: Vec<String> = from_one(&fixed.starts).iter().map(usize::to_string).collect();
    starts.join(",")
}

fn layout(out: &mut DocketWriter, reading: &Reading, read: &settings::Reading) {
    let layout = &reading.layout;
    let dialect = &layout.dialect.value;
    let why = &layout.dialect.why;
    if layout.is_report {
        out.text("layout", "report", why);
        if let Division::Fixed(fixed) = &dialect.division {
            out.text("starts", &starts_text(fixed), "");
        }
        return;
    }
    match &dialect.division {
        Division::Delimited => {
            if dialect.delimiter.is_empty() {
                out.text("delimiter", "none", why);
            } else {
                out.text("layout", "delimited", "");
                out.text("delimiter", &String::from_utf8_lossy(&dialect.delimiter), why);
                out.key("runs_as_one", &Value::Boolean(dialect.runs_as_one), "");
                let quote = dialect.quote.map_or("none".to_owned(), |q| char::from(q).to_string());
                out.text("quote", &quote, "");
                if !dialect.doubles_quotes {
                    out.key("double_quote", &Value::Boolean(false), "");
                }
            }
        }
        Division::Fixed(fixed) => {
            out.text("layout", "fixed", why);
            out.text("starts", &starts_text(fixed), "");
            if fixed.unit != Unit::Characters {
                out.text("starts_in", "bytes", "");
            }
        }
        Division::Multiline(_) if read.starts.is_none() && read.lines_per_record.is_none() => {
            out.comment(&format!("layout = \"multiline\"  ({why}; found again in each file)"));
        }
        Division::Multiline(_) => {
            out.text("layout", "multiline", why);
            if let Some(starts) = &read.starts {
                out.text("starts", starts, "");
            }
            if let Some(lines) = read.lines_per_record {
                out.key("lines_per_record", &Value::Integer(lines as i64), "");
            }
        }
    }
    if let Some(comment) = &read.comment {
        out.text("comment", comment, "");
    }
}

/// A pattern for files of that sort: runs of digits, which say the month or the number of the file, may be others.
pub(crate) fn pattern(name: &str) -> String {
    let mut pattern = String::new();
    for c in name.chars() {
        let c = if c.is_ascii_digit() { '*' } else { c };
        if !(c == '*' && pattern.ends_with('*')) {
            pattern.push(c);
        }
    }
    if pattern.contains('*') {
        return pattern;
    }
    // Nothing says which part of the name changes: its end, most likely.
    match pattern.split_once('.') {
        Some((stem, ending)) => format!("{stem}*.{ending}"),
        None => pattern + "*",
    }
}
