//! Commands as they are typed.

use crate::flags::definitions::Import;
use crate::flags::read::Read;
use crate::render::sanitize::is_hidden;
use crate::wording::settings::option;
use incola_core::settings::{KEYS, list_text, table_of};
use std::path::Path;
use toml::Value;

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
    words.extend(reading(read));
    words.push(format!("--into {}", path(&format!("{stem}.xlsx"))));
    words.join(" ")
}

/// The import that was typed, once more. `answers`: options that answer the questions which were asked. Not `--rows`: now there are
/// more of them.
pub(crate) fn again(typed: &Import, answers: &[String]) -> String {
    let mut words = vec!["incola import".to_owned()];
    words.extend(typed.sources.iter().map(|s| path(s)));
    // An answer about spellings that are empty holds those that were typed.
    let is_said = answers.iter().any(|answer| answer.starts_with("--blank "));
    let blank = typed.read.blank.clone().filter(|_| !is_said);
    words.extend(reading(&Read { blank, ..typed.read.clone() }));
    words.extend(answers.iter().cloned());
    words.push(format!("--into {}", path(&typed.into.display().to_string())));
    // Whatever is no list was refused before.
    words.extend(settings("place", &typed.place().map(|place| table_of(&place)).unwrap_or_default()));
    for (flag, is_set) in [
        ("--follow", typed.follow),
        ("--fit-widths", typed.fit_widths),
        ("--even-signed", typed.even_signed),
        ("--even-protected", typed.even_protected),
    ] {
        if is_set {
            words.push(flag.to_owned());
        }
    }
    words.join(" ")
}

/// The options about reading that were typed.
fn reading(read: &Read) -> Vec<String> {
    let mut words = settings("read", &read.reading().map(|read| table_of(&read)).unwrap_or_default());
    let mut add = |name: &str, value: &str| words.push(format!("--{name} {}", quoted(value)));
    read.add_start.iter().for_each(|n| add("add-start", &n.to_string()));
    read.drop_start.iter().for_each(|n| add("drop-start", &n.to_string()));
    read.move_start.iter().for_each(|text| add("move-start", text));
    read.detail_line.iter().for_each(|n| add("detail-line", &n.to_string()));
    read.total_line.iter().for_each(|n| add("total-line", &n.to_string()));
    read.heading_line.iter().for_each(|n| add("heading-line", &n.to_string()));
    read.kinds.iter().for_each(|kind| add("as", kind));
    read.rename.iter().for_each(|pair| add("rename", pair));
    if let Some(docket) = &read.docket {
        add("docket", docket);
    }
    if read.no_docket {
        words.push("--no-docket".to_owned());
    }
    words
}

/// What a part of the settings says, as options in the order of the catalogue.
fn settings(part: &str, said: &toml::Table) -> Vec<String> {
    let own = KEYS.iter().filter(|key| key.part == part);
    own.filter_map(|key| Some((key.name, said.get(key.name)?)))
        .map(|(key, value)| spelled(key, value))
        .collect()
}

/// A setting as an option.
fn spelled(key: &str, value: &Value) -> String {
    let option = option(key);
    let text = match value {
        // The one that is on unless someone says so.
        Value::Boolean(is_kept) if key == "link" => {
            return if *is_kept { "--link" } else { "--no-link" }.to_owned();
        }
        Value::Boolean(yes) if matches!(key, "runs_as_one" | "double_quote") => {
            if *yes { "yes" } else { "no" }.to_owned()
        }
        Value::Boolean(_) => return option,
        // Those that are typed once for each value.
        Value::Array(list) if matches!(key, "divide" | "compute") => {
            let words = list.iter().filter_map(Value::as_str);
            return words.map(|text| format!("{option} {}", quoted(text))).collect::<Vec<_>>().join(" ");
        }
        Value::Array(list) => {
            let list: Vec<String> = list.iter().filter_map(|v| v.as_str().map(str::to_owned)).collect();
            list_text(&list)
        }
        Value::String(text) => text.clone(),
        value => value.to_string(),
    };
    format!("{option} {}", quoted(&text))
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
