//! Dockets as the W3C's metadata for tabular data (Metadata Vocabulary for Tabular Data, 2015): what the two have in common, and
//! what one of them cannot say.

use crate::failure::{Failure, Result};
use incola_core::layout::LayoutKind;
use incola_core::settings::docket::{Docket, VERSION};
use incola_core::settings::model::Column;
use incola_core::settings::{LineOrWord, Place};
use serde_json::{Map, Value, json};
use std::path::Path;

/// The standard's own context (section 5.2).
const CONTEXT: &str = "http://www.w3.org/ns/csvw";

/// A docket in the standard's terms, and what it has no terms for. `source`: the file that it was drafted from.
pub(crate) fn write(docket: &Docket, source: &str, header_line: Option<u64>) -> (Value, Vec<String>) {
    let mut unsaid = Vec::new();
    let read = &docket.read;
    let mut dialect = Map::new();
    if let Some(encoding) = &read.encoding {
        dialect.insert("encoding".into(), encoding.as_str().into());
    }
    match read.layout {
        None | Some(LayoutKind::Delimited) => {
            let delimiter = read.delimiter.as_deref().unwrap_or(",");
            dialect.insert("delimiter".into(), delimiter.into());
        }
        Some(other) => {
            unsaid.push(format!("layout = \"{}\": the standard knows delimited lines alone", other.word()));
        }
    }
    if read.runs_as_one == Some(true) {
        unsaid.push("runs_as_one = true".into());
    }
    let quote = read.quote.as_deref().filter(|q| *q != "none");
    dialect.insert("quoteChar".into(), quote.map_or(Value::Null, Value::from));
    if let Some(doubled) = read.double_quote {
        dialect.insert("doubleQuote".into(), doubled.into());
    }
    let comment = read.comment.as_deref().filter(|c| *c != "none");
    if let Some(comment) = comment {
        dialect.insert("commentPrefix".into(), comment.into());
    }
    match header_line {
        Some(line) => {
            dialect.insert("header".into(), true.into());
            dialect.insert("skipRows".into(), (line - 1).into());
        }
        None => {
            dialect.insert("header".into(), false.into());
        }
    }
    let said = [
        ("lines", read.lines.is_some()),
        ("starts", read.starts.is_some()),
        ("survey", read.survey.is_some()),
        ("decimal_char", read.decimal_char.is_some()),
        ("[place]", docket.place != Place::default()),
    ];
    unsaid.extend(said.iter().filter(|(_, is_said)| *is_said).map(|(key, _)| (*key).to_owned()));
    let columns: Vec<Value> =
        docket.columns.iter().map(|column| column_out(column, read.blank.as_ref(), &mut unsaid)).collect();
    let value = json!({
        "@context": CONTEXT,
        "url": source,
        "dialect": dialect,
        "tableSchema": { "columns": columns }
    });
    (value, unsaid)
}

fn column_out(column: &Column, blank: Option<&Vec<String>>, unsaid: &mut Vec<String>) -> Value {
    let mut out = Map::new();
    let called = column.called.as_deref().unwrap_or(&column.name);
    out.insert("name".into(), variable(called).into());
    out.insert("titles".into(), column.name.as_str().into());
    if let Some(text) = &column.description {
        out.insert("dc:description".into(), text.as_str().into());
    }
    if let Some(blank) = blank {
        out.insert("null".into(), blank.clone().into());
    }
    let format = column.format.as_deref();
    let base = match column.kind.as_deref() {
        Some("skip") => {
            out.insert("suppressOutput".into(), true.into());
            None
        }
        Some("text") => Some(json!("string")),
        Some("number") => match format.map(marks) {
            Some(Some(format)) => Some(json!({ "base": "decimal", "format": format })),
            Some(None) => {
                unsaid.push(format!("the format of \u{201c}{}\u{201d}", column.name));
                Some(json!("decimal"))
            }
            None => Some(json!("decimal")),
        },
        Some("boolean") => Some(match format {
            Some(words) => json!({ "base": "boolean", "format": words.replacen('/', "|", 1) }),
            None => json!("boolean"),
        }),
        Some(moment) => {
            let base = if moment == "datetime" { "dateTime" } else { moment };
            Some(format.map_or(json!(base), |format| json!({ "base": base, "format": format })))
        }
        None => None,
    };
    if let Some(base) = base {
        out.insert("datatype".into(), base);
    }
    Value::Object(out)
}

/// A name as the standard wants it (section 5.6, URI template variables).
fn variable(name: &str) -> String {
    let name: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if name.starts_with(|c: char| c.is_ascii_digit() || c == '_') { format!("c{name}") } else { name }
}

/// The marks of a number's sample; `None`: it is a picture.
fn marks(sample: &str) -> Option<Value> {
    if sample.contains('9') {
        return None;
    }
    let rest = sample.strip_prefix('1')?;
    let at = rest.find("234")?;
    let (group, decimal) = (&rest[..at], rest[at + 3..].chars().next());
    let mut format = Map::new();
    if let Some(decimal) = decimal {
        format.insert("decimalChar".into(), decimal.to_string().into());
    }
    if !group.is_empty() {
        format.insert("groupChar".into(), group.into());
    }
    Some(Value::Object(format))
}

/// Reads the standard's metadata of one table as a docket; also gives what it says that a docket does not.
///
/// # Errors
/// Status 2 if it is no JSON, or describes no table.
pub(crate) fn read(path: &Path, text: &str) -> Result<(Docket, Vec<String>)> {
    let shown = path.display();
    let wrong = |why: String| Failure::usage(format!("{shown}{why}")).leaving("nothing was written");
    let value: Value = serde_json::from_str(text)
        .map_err(|e| wrong(format!(":{}:{}: this is not JSON: {e}", e.line(), e.column())))?;
    let table = match value.get("tables").and_then(Value::as_array).map(Vec::as_slice) {
        Some([only]) => only,
        Some(_) => {
            return Err(wrong(": it describes several tables; a docket is for one sort of file".into()));
        }
        None => &value,
    };
    let columns = table.pointer("/tableSchema/columns").and_then(Value::as_array);
    let columns = columns.ok_or_else(|| wrong(": it describes no columns of a table".into()))?;
    let dialect = table.get("dialect").or_else(|| value.get("dialect")).cloned().unwrap_or_default();
    let text_of = |key: &str| dialect.get(key).and_then(Value::as_str).map(str::to_owned);
    let mut docket = Docket { docket: VERSION, ..Docket::default() };
    docket.read.encoding = text_of("encoding");
    docket.read.delimiter = text_of("delimiter");
    docket.read.comment = text_of("commentPrefix");
    docket.read.quote = match dialect.get("quoteChar") {
        Some(Value::Null) => Some("none".into()),
        Some(Value::String(quote)) => Some(quote.clone()),
        _ => None,
    };
    docket.read.double_quote = dialect.get("doubleQuote").and_then(Value::as_bool);
    let skipped = dialect.get("skipRows").and_then(Value::as_u64).unwrap_or(0);
    docket.read.header = match (dialect.get("header"), dialect.get("headerRowCount")) {
        (Some(Value::Bool(false)), _) | (_, Some(Value::Number(_))) if no_header(&dialect) => {
            Some(LineOrWord::Word("none".into()))
        }
        _ if skipped > 0 => Some(LineOrWord::Number(skipped + 1)),
        _ => None,
    };
    let known = [
        "encoding",
        "delimiter",
        "commentPrefix",
        "quoteChar",
        "doubleQuote",
        "skipRows",
        "header",
        "headerRowCount",
        "@type",
    ];
    let mut unread: Vec<String> = dialect
        .as_object()
        .map(|d| d.keys().filter(|k| !known.contains(&k.as_str())).map(|k| format!("dialect.{k}")).collect())
        .unwrap_or_default();
    for column in columns {
        docket.columns.push(column_in(column, &mut unread));
    }
    if docket.read.header == Some(LineOrWord::Word("none".into())) {
        docket.read.names = Some(docket.columns.iter().map(|c| c.name.clone()).collect());
    }
    let blanks = columns.iter().filter_map(|c| c.get("null"));
    let blanks: Vec<String> = blanks
        .flat_map(|null| match null {
            Value::String(one) => vec![one.clone()],
            Value::Array(list) => list.iter().filter_map(|v| v.as_str().map(str::to_owned)).collect(),
            _ => Vec::new(),
        })
        .filter(|text| !text.is_empty())
        .collect();
    if !blanks.is_empty() {
        let mut unique = blanks;
        unique.sort();
        unique.dedup();
        docket.read.blank = Some(unique);
    }
    Ok((docket, unread))
}

fn no_header(dialect: &Value) -> bool {
    dialect.get("header") == Some(&Value::Bool(false)) || dialect.get("headerRowCount") == Some(&json!(0))
}

fn column_in(column: &Value, unread: &mut Vec<String>) -> Column {
    let first = |value: &Value| match value {
        Value::String(text) => Some(text.clone()),
        Value::Array(list) => list.first().and_then(Value::as_str).map(str::to_owned),
        Value::Object(languages) => languages.values().next().and_then(Value::as_str).map(str::to_owned),
        _ => None,
    };
    let titles = column.get("titles").and_then(first);
    let name = titles.or_else(|| column.get("name").and_then(first)).unwrap_or_default();
    let datatype = column.get("datatype");
    let base = match datatype {
        Some(Value::String(base)) => Some(base.as_str()),
        Some(Value::Object(own)) => Some(own.get("base").and_then(Value::as_str).unwrap_or("string")),
        _ => None,
    };
    let mut kind = base.and_then(|base| {
        Some(match base {
            "string" | "normalizedString" | "token" | "anyURI" | "language" | "Name" | "any" | "xml"
            | "html" | "json" => "text",
            "decimal" | "integer" | "number" | "double" | "float" | "long" | "int" | "short" | "byte"
            | "nonNegativeInteger" | "positiveInteger" | "unsignedLong" | "unsignedInt" | "unsignedShort"
            | "unsignedByte" | "nonPositiveInteger" | "negativeInteger" => "number",
            "date" => "date",
            "time" => "time",
            "dateTime" | "datetime" | "dateTimeStamp" => "datetime",
            "boolean" => "boolean",
            other => {
                unread.push(format!("the datatype {other} of \u{201c}{name}\u{201d}"));
                return None;
            }
        })
    });
    let format = match datatype.and_then(|d| d.get("format")) {
        Some(Value::String(text)) if kind == Some("boolean") => Some(text.replacen('|', "/", 1)),
        Some(Value::String(text)) if matches!(kind, Some("date" | "time" | "datetime")) => Some(text.clone()),
        Some(Value::Object(marks)) => {
            let mark =
                |key: &str, other: &str| marks.get(key).and_then(Value::as_str).unwrap_or(other).to_owned();
            Some(format!("1{}234{}50", mark("groupChar", ""), mark("decimalChar", ".")))
        }
        Some(_) => {
            unread.push(format!("the format of \u{201c}{name}\u{201d}"));
            None
        }
        None => None,
    };
    if column.get("suppressOutput") == Some(&Value::Bool(true)) {
        kind = Some("skip");
    }
    let description =
        ["dc:description", "dcterms:description"].iter().find_map(|key| column.get(key).and_then(first));
    Column {
        name,
        format: format.filter(|_| kind.is_some_and(|k| k != "skip" && k != "text")),
        kind: kind.map(str::to_owned),
        called: None,
        description,
        unit: None,
        blank: None,
        zero_if_blank: None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_both_can_say_comes_back() {
        let text = "docket = 1\n[read]\nencoding = \"windows-1252\"\ndelimiter = \";\"\nquote = \"none\"\nblank = [\"n/a\"]\n\
            [[column]]\nname = \"Reise-Nr\"\nas = \"text\"\ndescription = \"Carrier's own\"\n\
            [[column]]\nname = \"Anlauf\"\nas = \"date\"\nformat = \"dd.MM.yyyy\"\n\
            [[column]]\nname = \"Gebühr\"\nas = \"number\"\nformat = \"1.234,50\"\n\
            [[column]]\nname = \"Paid\"\nas = \"boolean\"\nformat = \"ja/nein\"\n\
            [[column]]\nname = \"Rest\"\nas = \"skip\"\n";
        let docket = Docket::read(text).unwrap();
        let (json, unsaid) = write(&docket, "dues.txt", Some(4));
        assert!(unsaid.is_empty(), "{unsaid:?}");
        assert_eq!(json["tableSchema"]["columns"][0]["name"], "Reise_Nr");
        assert_eq!(json["tableSchema"]["columns"][2]["datatype"]["format"]["groupChar"], ".");
        let (back, unread) = read(Path::new("dues.json"), &json.to_string()).unwrap();
        assert!(unread.is_empty(), "{unread:?}");
        assert_eq!(back.columns, docket.columns);
        assert_eq!(back.read.header, Some(LineOrWord::Number(4)));
        assert_eq!(
            (back.read.quote, back.read.blank, back.read.delimiter),
            (docket.read.quote, docket.read.blank, docket.read.delimiter)
        );
    }

    #[test]
    fn what_one_of_them_cannot_say_is_told() {
        let docket = Docket::read(
            "docket = 1\n[read]\nlayout = \"fixed\"\nstarts = \"1,9\"\n[place]\nmode = \"append\"\n",
        )
        .unwrap();
        let (_, unsaid) = write(&docket, "a.lst", None);
        assert_eq!(unsaid.len(), 3, "{unsaid:?}");
        let text = r#"{"tableSchema":{"columns":[{"titles":["A","B"],"datatype":"gYear"}]},"dialect":{"trim":true,"header":false}}"#;
        let (docket, unread) = read(Path::new("a.json"), text).unwrap();
        assert_eq!(unread, ["dialect.trim", "the datatype gYear of \u{201c}A\u{201d}"]);
        assert_eq!(docket.read.names, Some(vec!["A".into()]));
        for (text, expected) in [
            ("{", "a.json:1:1"),
            ("{}", "it describes no columns"),
            (r#"{"tables":[{},{}]}"#, "several tables"),
        ] {
            let failure = read(Path::new("a.json"), text).unwrap_err();
            assert!(failure.what.contains(expected), "{}", failure.what);
            assert_eq!(failure.status as u8, 2);
        }
    }
}
