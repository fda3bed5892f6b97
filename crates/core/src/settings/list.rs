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
    Some(machine.fields(bytes).map(|f| String::from_utf8_lossy(f).trim().to_owned()).collect())
}

/// A list as one record.
pub fn list_text(list: &[String]) -> String {
    let field = |text: &String| {
        let needs_quotes = text.contains(['"', ',', '\n', '\r']);
        if needs_quotes { format!("\"{}\"", text.replace('"', "\"\"")) } else { text.clone() }
    };
    list.iter().map(field).collect::<Vec<_>>().join(",")
}
