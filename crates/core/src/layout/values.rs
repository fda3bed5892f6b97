//! Named values: `Name: value` in the lines above the header.

use super::Layout;
use super::lines::lines;
use crate::record::Division;

/// A value found above the header.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamedValue {
    /// What stands before the colon.
    pub name: String,
    /// What stands behind it.
    pub value: String,
    /// The line, from 1.
    pub line: u64,
}

/// Longest name, in characters.
const NAME_CHARS: usize = 40;

/// Most values that are kept.
const MOST: usize = 100;

/// The values named in the lines above the header or the first record: `Name: value`, several in a line if at least two blanks
/// or a delimiter stand between them, or two fields in a line of their own. The first of a name counts.
///
/// ```
/// use incola_core::layout::{LayoutChoices, Samples, detect, named_values};
/// let head = b"Carrier: Skerry Line   Port: Tolgarth Quay\n\nBerth;Dues\n007;12,50\n012;3,00\n";
/// let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
/// let values = named_values(head, &layout);
/// assert_eq!((values[1].name.as_str(), values[1].value.as_str()), ("Port", "Tolgarth Quay"));
/// ```
pub fn named_values(head: &[u8], layout: &Layout) -> Vec<NamedValue> {
    let dialect = &layout.dialect.value;
    let delimiter = match (&dialect.division, std::str::from_utf8(&dialect.delimiter)) {
        (Division::Delimited, Ok(delimiter)) if !delimiter.trim().is_empty() || delimiter == "\t" => {
            delimiter
        }
        _ => "\t",
    };
    let prefix = dialect.comment_prefix.as_deref().map(String::from_utf8_lossy).unwrap_or_default();
    let mut values: Vec<NamedValue> = Vec::new();
    for (at, line) in lines(head).take(layout.preamble_lines as usize).enumerate() {
        let line = String::from_utf8_lossy(line);
        let line = line.strip_prefix(&*prefix).unwrap_or(&line).trim_start_matches(['#', '%', '!', '*', ' ']);
        let unquoted = |part: &str| part.trim().trim_matches('"').trim().to_owned();
        let fields: Vec<String> = line.split(delimiter).map(unquoted).filter(|f| !f.is_empty()).collect();
        let mut found: Vec<(String, String)> = Vec::new();
        if let [name, value] = fields.as_slice()
            && is_name(name.trim_end_matches([':', '=']).trim_end())
            && !value.ends_with(':')
            && !name.trim_end_matches(':').contains(": ")
        {
            found.push((name.trim_end_matches([':', '=']).trim_end().to_owned(), value.clone()));
        } else {
            // A blank or two may stand before the colon; two and more elsewhere divide.
            for part in fields.iter().flat_map(|f| f.split("  ")).map(str::trim).filter(|p| !p.is_empty()) {
                match part.split_once(':') {
                    Some((name, value)) if is_name(name.trim()) && !is_clock(name, value) => {
                        found.push((name.trim().to_owned(), value.trim().to_owned()));
                    }
                    // `Name:    value`
                    _ => {
                        if let Some((_, value)) = found.last_mut().filter(|(_, value)| value.is_empty()) {
                            part.clone_into(value);
                        }
                    }
                }
            }
        }
        for (name, value) in found {
            let known = values.iter().any(|v| v.name.eq_ignore_ascii_case(&name));
            if !value.is_empty() && !known && values.len() < MOST {
                values.push(NamedValue { name, value, line: at as u64 + 1 });
            }
        }
    }
    values
}

/// Whether the colon stands inside a time of day.
fn is_clock(before: &str, after: &str) -> bool {
    let digit = |c: Option<char>| c.is_some_and(|c| c.is_ascii_digit());
    digit(before.chars().next_back()) && digit(after.chars().next())
}

/// Whether words may be a name: they begin with a letter and are few.
fn is_name(text: &str) -> bool {
    let begins = text.chars().next().is_some_and(char::is_alphabetic);
    let clean = !text.contains(['{', '}', '\u{fffd}', '"']) && !text.chars().any(char::is_control);
    begins && clean && text.chars().count() <= NAME_CHARS && text.split_whitespace().count() <= 5
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::{LayoutChoices, Samples, detect};

    #[test]
    fn values_are_found_in_the_ways_programs_print_them() {
        let table = "\nBerth;Vessel;Dues\n007;Saltwind;12,50\n012;Heron;3,00\n015;Quill;4,00\n";
        for (above, expected) in [
            ("Carrier: Skerry Line\n", vec![("Carrier", "Skerry Line")]),
            (
                "Station No: 0041\nPrinted: 14.03.2031 10:20\n",
                vec![("Station No", "0041"), ("Printed", "14.03.2031 10:20")],
            ),
            ("Carrier;Skerry Line;\n", vec![("Carrier", "Skerry Line")]),
            ("\"Carrier:\";\"Skerry Line\"\n", vec![("Carrier", "Skerry Line")]),
            ("# Gauge:      North Pier\n", vec![("Gauge", "North Pier")]),
            ("From: 1.3.2031   To: 31.3.2031\n", vec![("From", "1.3.2031"), ("To", "31.3.2031")]),
            ("Dues of Tolgarth Quay, printed at 10:20\n", vec![]),
        ] {
            let head = format!("{above}{table}");
            let layout =
                detect(Samples { head: head.as_bytes(), ..Samples::default() }, &LayoutChoices::default());
            let values = named_values(head.as_bytes(), &layout);
            let found: Vec<(&str, &str)> =
                values.iter().map(|v| (v.name.as_str(), v.value.as_str())).collect();
            assert_eq!(found, expected, "{above}");
        }
    }
}
