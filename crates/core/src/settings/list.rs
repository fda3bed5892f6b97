//! Lists on a command line: one record as RFC 4180 has it.

use crate::record::{Dialect, Machine, Step};

/// The parts of a list; `None`: it is no single record.
///
/// ```
/// use incola_core::settings::{list_text, read_list};
/// let list = read_list("Call,\"Dues, paid\"").unwrap();
/// assert_eq!(list, ["Call", "Dues, paid"]);
/// assert_eq!(list_text(&list), "Call,\"Dues, paid\"");
/// ```
pub fn read_list(text: &str) -> Option<Vec<String>> {
    let mut machine = Machine::new(&Dialect::new(","));
    let bytes = text.as_bytes();
    if machine.step(bytes, 0, true) != Step::Record || machine.next_start() < bytes.len() {
        return None;
    }
    let part = |(n, field): (usize, &[u8])| {
        let text = String::from_utf8_lossy(field);
        // Blanks in quotes are meant.
        if machine.is_quoted(n) { text.into_owned() } else { text.trim().to_owned() }
    };
    Some(machine.fields(bytes).enumerate().map(part).collect())
}

/// A list as one record, with quotes where it would be read as another one without.
pub fn list_text(list: &[String]) -> String {
    let quoted = |text: &String| format!("\"{}\"", text.replace('"', "\"\""));
    let field = |text: &String| {
        let needs_quotes = text.contains(['"', ',', '\n', '\r']) || text.trim() != text;
        if needs_quotes { quoted(text) } else { text.clone() }
    };
    let text = list.iter().map(field).collect::<Vec<_>>().join(",");
    // A line of marks alone is a rule, an empty one no record.
    if read_list(&text).is_some_and(|read| read == list) {
        return text;
    }
    list.iter().map(quoted).collect::<Vec<_>>().join(",")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_come_back_as_they_were() {
        for list in [
            &["Call", "Berth"][..],
            &[" Call", "Dues "],
            &[""],
            &["", ""],
            &["\n"],
            &["a\"b,c"],
            &["\u{a0}"],
            &["***"],
            &["-", "", "a"],
        ] {
            let list: Vec<String> = list.iter().map(|part| (*part).to_owned()).collect();
            assert_eq!(read_list(&list_text(&list)).as_ref(), Some(&list), "{:?}", list_text(&list));
        }
        assert_eq!(read_list(" Call , \" Berth \" "), Some(vec!["Call".into(), " Berth ".into()]));
    }
}
