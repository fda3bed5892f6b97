//! Commands as they are typed.

use crate::flags::definitions::{Import, Read, WidthUnit, YesNo};
use crate::render::sanitize::is_hidden;
use clap::ValueEnum;
use std::path::Path;

/// `text` as one word for a shell: in apostrophes where it holds anything that a shell would treat specially.
pub(crate) fn quoted(text: &str) -> String {
    let plain = |c: char| {
        c.is_ascii_alphanumeric() || "-_./:,=+@%{}".contains(c) || (!c.is_ascii() && c.is_alphanumeric())
    };
    if !text.is_empty() && text.chars().all(plain) && !text.contains('{') {
        text.to_owned()
    } else if text.chars().any(is_hidden) {
        // Seen and typed as it is, in shells that know the quotes of POSIX 2024.
        let mut out = String::from("$'");
        for c in text.chars() {
            match c {
                '\'' | '\\' => out.extend(['\\', c]),
                c if c.is_ascii_control() => out.push_str(&format!("\\x{:02x}", c as u32)),
                c if is_hidden(c) => out.push_str(&format!("\\u{:04x}", c as u32)),
                c => out.push(c),
            }
        }
        out + "'"
    } else {
        format!("'{}'", text.replace('\'', "'\\''"))
    }
}

/// A path as it is typed: one that begins with a hyphen is no option.
fn path(name: &str) -> String {
    if name.len() > 1 && name.starts_with('-') { quoted(&format!("./{name}")) } else { quoted(name) }
}

/// The import command that obeys a reading: the options that were typed, and a workbook named after the source.
pub(crate) fn import(name: &str, read: &Read) -> String {
    let mut stem = Path::new(name).file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    if name == "-" {
        stem = "input".into();
    } else if Path::new(name).extension().is_some_and(|e| e.eq_ignore_ascii_case("gz")) {
        stem = Path::new(&stem).file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    }
    let mut words = vec!["incola import".to_owned(), path(name)];
    words.extend(options(read));
    words.push(format!("--into {}", path(&format!("{stem}.xlsx"))));
    words.join(" ")
}

/// The import that was typed, once more.
pub(crate) fn again(typed: &Import) -> String {
    let mut words = vec!["incola import".to_owned()];
    words.extend(typed.sources.iter().map(|s| quoted(s)));
    words.extend(options(&typed.read));
    words.push(format!("--into {}", quoted(&typed.into.display().to_string())));
    let mut add = |name: &str, value: Option<&str>| {
        if let Some(value) = value {
            words.push(format!("--{name} {}", quoted(value)));
        }
    };
    add("sheet", typed.sheet.as_deref());
    add("at", typed.at.as_deref());
    add("mode", typed.mode.map(|mode| word(&mode)).as_deref());
    add("match", typed.matching.map(|by| word(&by)).as_deref());
    add("missing", typed.missing.map(|missing| word(&missing)).as_deref());
    add("extra", typed.extra.map(|extra| word(&extra)).as_deref());
    add("source-column", typed.source_column.as_deref());
    add("number-rows", typed.number_rows.as_deref());
    // Not `--rows`: now there are more.
    let flags = [
        ("--together", typed.together),
        ("--plain", typed.plain),
        ("--strict", typed.strict),
        ("--even-signed", typed.even_signed),
    ];
    words.extend(flags.iter().filter(|(_, is_set)| *is_set).map(|(flag, _)| (*flag).to_owned()));
    words.join(" ")
}

/// The word for a value of an option.
fn word(value: &impl ValueEnum) -> String {
    value.to_possible_value().map(|v| v.get_name().to_owned()).unwrap_or_default()
}

/// The options that were typed.
fn options(read: &Read) -> Vec<String> {
    let mut words = Vec::new();
    let mut add = |name: &str, value: Option<&String>| {
        if let Some(value) = value {
            words.push(format!("--{name} {}", quoted(value)));
        }
    };
    add("encoding", read.encoding.as_ref());
    add("delimiter", read.delimiter.as_ref());
    let runs = read.runs_as_one.map(|y| if y == YesNo::Yes { "yes".to_owned() } else { "no".to_owned() });
    add("runs-as-one", runs.as_ref());
    add("quote", read.quote.as_ref());
    add("header", read.header.as_ref());
    add("lines", read.lines.as_ref());
    let layout = read.layout.map(|l| l.meaning().word().to_owned());
    add("layout", layout.as_ref());
    add("starts", read.starts.as_ref());
    for n in &read.add_start {
        add("add-start", Some(&n.to_string()));
    }
    for n in &read.drop_start {
        add("drop-start", Some(&n.to_string()));
    }
    for text in &read.move_start {
        add("move-start", Some(text));
    }
    add("lines-per-record", read.lines_per_record.map(|n| n.to_string()).as_ref());
    let unit = read.widths_in.filter(|u| *u == WidthUnit::Bytes).map(|_| "bytes".to_owned());
    add("widths-in", unit.as_ref());
    add("comment", read.comment.as_ref());
    add("decimal-char", read.decimal_char.as_ref());
    add("blank", read.blank.as_ref());
    for kind in &read.kinds {
        add("as", Some(kind));
    }
    add("only", read.only.as_ref());
    add("names", read.names.as_ref());
    add("scan", read.scan.as_ref());
    add("docket", read.docket.as_ref());
    if read.no_docket {
        words.push("--no-docket".to_owned());
    }
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_quoted_where_a_shell_needs_it() {
        for (text, word) in [
            ("calls.csv", "calls.csv"),
            ("Arrived=date:dd/MM/yyyy", "Arrived=date:dd/MM/yyyy"),
            ("port calls.csv", "'port calls.csv'"),
            ("*=text", "'*=text'"),
            ("quay's", "'quay'\\''s'"),
            ("", "''"),
            ("a\u{1b}[2J's\n", "$'a\\x1b[2J\\'s\\x0a'"),
            ("a\u{202e}b", "$'a\\u202eb'"),
        ] {
            assert_eq!(quoted(text), word);
        }
    }

    #[test]
    fn the_import_command_repeats_what_was_typed() {
        let read = Read { kinds: vec!["*=text".into()], header: Some("none".into()), ..Read::default() };
        assert_eq!(
            import("in/calls.csv.gz", &read),
            "incola import in/calls.csv.gz --header none --as '*=text' --into calls.xlsx"
        );
        assert_eq!(import("-rf.csv", &Read::default()), "incola import ./-rf.csv --into ./-rf.xlsx");
    }
}
