//! How results look: pages for people, JSON for programs.

pub(crate) mod book;
pub(crate) mod command;
pub(crate) mod divide;
pub(crate) mod export;
pub(crate) mod grid;
pub(crate) mod links;
pub(crate) mod raw;
pub(crate) mod reading;
pub(crate) mod reading_json;
pub(crate) mod receipt;
pub(crate) mod receipt_json;
pub(crate) mod refresh;
pub(crate) mod sanitize;
mod shaped;
pub(crate) mod style;
pub(crate) mod tally;
pub(crate) mod tally_json;
pub(crate) mod text;

/// A value as JSON with a line end.
pub(crate) fn json_text<T: serde::Serialize>(value: &T) -> String {
    // Strings, numbers and lists of them have a form in JSON.
    serde_json::to_string_pretty(value).unwrap_or_default() + "\n"
}
