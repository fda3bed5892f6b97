//! Names of sheets and tables: legal, and unique whatever their case.

use crate::limits;

/// Makes `wanted` a legal sheet name that is none of `taken`: without the characters that sheet names may not hold,
/// without apostrophes at its ends, at most 31 UTF-16 units long, and numbered if need be.
///
/// ```
/// use incola_workbook::sheet_name::legal;
/// assert_eq!(legal("calls 03/04", &[]), "calls 03-04");
/// assert_eq!(legal("Calls", &["calls".into()]), "Calls (2)");
/// ```
pub fn legal(wanted: &str, taken: &[String]) -> String {
    let clean: String = wanted
        .chars()
        .map(
            |c| if matches!(c, ':' | '\\' | '/' | '?' | '*' | '[' | ']') || c.is_control() { '-' } else { c },
        )
        .collect();
    let clean = clean.trim().trim_matches('\'').trim();
    // `History` is a name that worksheet programs keep for themselves.
    let base = if clean.is_empty() || clean.eq_ignore_ascii_case("history") {
        format!("Sheet {clean}").trim().to_owned()
    } else {
        clean.to_owned()
    };
    unique(
        |suffix| {
            let room = limits::SHEET_NAME_CHARS - suffix.len();
            let cut = cut_units(&base, room).trim_end_matches([' ', '\'']);
            format!("{cut}{suffix}")
        },
        |n| format!(" ({n})"),
        taken,
    )
}

/// Makes `wanted` a legal table name that is none of `taken`: letters, digits, `_` and `.`, beginning with a letter or
/// `_`, and not to be mistaken for a cell.
///
/// ```
/// use incola_workbook::sheet_name::legal_table;
/// assert_eq!(legal_table("port calls 2031", &[]), "port_calls_2031");
/// assert_eq!(legal_table("AB12", &[]), "AB12_");
/// ```
pub fn legal_table(wanted: &str, taken: &[String]) -> String {
    let mut name: String =
        wanted.chars().map(|c| if c.is_alphanumeric() || c == '_' || c == '.' { c } else { '_' }).collect();
    if !name.chars().next().is_some_and(|c| c.is_alphabetic() || c == '_') {
        name.insert(0, '_');
    }
    let letters = name.chars().take_while(char::is_ascii_alphabetic).count();
    let cell_like = (1..=3).contains(&letters)
        && name.len() > letters
        && name[letters..].bytes().all(|b| b.is_ascii_digit());
    let upper = name.to_ascii_uppercase();
    let row_column =
        upper.starts_with(['R', 'C']) && upper[1..].bytes().all(|b| b.is_ascii_digit() || b == b'C');
    if cell_like || row_column {
        name.push('_');
    }
    unique(|suffix| format!("{}{suffix}", cut_units(&name, 200)), |n| format!("_{n}"), taken)
}

fn unique(build: impl Fn(&str) -> String, suffix: impl Fn(u32) -> String, taken: &[String]) -> String {
    let mut name = build("");
    let mut number = 2;
    while taken.iter().any(|t| t.to_lowercase() == name.to_lowercase()) {
        name = build(&suffix(number));
        number += 1;
    }
    name
}

/// The beginning of `text` that has at most `units` UTF-16 units.
pub fn cut_units(text: &str, units: usize) -> &str {
    let mut used = 0;
    for (at, c) in text.char_indices() {
        used += c.len_utf16();
        if used > units {
            return &text[..at];
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sheet_names_are_made_legal_and_unique() {
        for (wanted, name) in [
            ("", "Sheet"),
            ("'quay'", "quay"),
            ("History", "Sheet History"),
            ("a:b[c]", "a-b-c-"),
            ("a very long name of a source file", "a very long name of a source fi"),
        ] {
            assert_eq!(legal(wanted, &[]), name);
        }
        let long = "x".repeat(40);
        let first = legal(&long, &[]);
        let second = legal(&long, std::slice::from_ref(&first));
        assert_eq!((first.len(), second.len()), (31, 31));
        assert!(second.ends_with(" (2)"));
    }

    #[test]
    fn table_names_are_no_cells() {
        for (wanted, name) in
            [("R1C1", "R1C1_"), ("12 calls", "_12_calls"), ("", "_"), ("c", "c_"), ("Reise-Nr", "Reise_Nr")]
        {
            assert_eq!(legal_table(wanted, &[]), name);
        }
    }
}
