//! Dockets written down, with what speaks for each key as a comment.

use super::docket::VERSION;
use crate::kind::Rule;
use crate::reading::ColumnReading;
use std::fmt::Write as _;

/// Writes a docket line by line: keys, values, and what speaks for them.
#[derive(Debug, Default)]
pub struct DocketWriter {
    text: String,
}

impl DocketWriter {
    /// A docket that begins with a comment.
    pub fn new(about: &str) -> Self {
        let mut writer = Self::default();
        writer.comment(about);
        let _ = writeln!(writer.text, "docket = {VERSION}");
        writer
    }

    /// Begins a part, such as `[read]` or `[[column]]`.
    pub fn part(&mut self, name: &str) {
        let _ = writeln!(self.text, "\n{name}");
    }

    /// A comment on lines of its own.
    pub fn comment(&mut self, text: &str) {
        for line in text.lines() {
            let _ = writeln!(self.text, "# {}", plain(line));
        }
    }

    /// A key, its value as TOML spells it, and what speaks for it.
    pub fn key(&mut self, key: &str, value: &toml::Value, why: &str) {
        let pair = format!("{key} = {value}");
        if why.is_empty() {
            let _ = writeln!(self.text, "{pair}");
        } else {
            let _ = writeln!(self.text, "{pair:<32}  # {}", plain(why));
        }
    }

    /// The same for text.
    pub fn text(&mut self, key: &str, value: &str, why: &str) {
        self.key(key, &toml::Value::String(value.to_owned()), why);
    }

    /// The docket.
    pub fn finish(self) -> String {
        self.text
    }
}

/// Text that may stand in a comment.
fn plain(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect::<String>().trim_end().to_owned()
}

/// The format that says how a kind is spelled, where the next file needs to know.
pub fn format_of(column: &ColumnReading) -> Option<String> {
    if column.is_made {
        return column.shown.as_ref().map(|shown| shown.format.clone());
    }
    match &column.rule {
        // A picture says how many digits there are; otherwise the marks alone are said, and with two decimals no mark can be
        // taken for the other.
        Rule::Number(rule) if rule.implied_decimals.is_none() => {
            let has_marks = !rule.group.text().is_empty() || rule.spellings.iter().any(|s| s.has_mark());
            has_marks.then(|| format!("1{}234{}50", rule.group.text(), rule.decimal.char()))
        }
        Rule::Number(_) | Rule::Date(_) | Rule::Boolean(_) => column.format(),
        Rule::Text | Rule::Skip => None,
    }
}
