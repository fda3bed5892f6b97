//! Rows written as text that is read again: RFC 4180, every field in quotes, the names first.

use crate::layout::{HeaderChoice, LayoutChoices};

/// Rows as text.
///
/// ```
/// use incola_core::shape::RowsText;
/// let mut rows = RowsText::default();
/// rows.push(["Berth", "Ship's \"call\""]);
/// rows.push(["007", ""]);
/// assert_eq!(rows.text(), b"\"Berth\",\"Ship's \"\"call\"\"\"\n\"007\",\"\"\n");
/// ```
#[derive(Clone, Debug, Default)]
pub struct RowsText {
    text: Vec<u8>,
}

impl RowsText {
    /// Adds a row.
    pub fn push<T: AsRef<[u8]>>(&mut self, fields: impl IntoIterator<Item = T>) {
        for (n, field) in fields.into_iter().enumerate() {
            if n > 0 {
                self.text.push(b',');
            }
            self.text.push(b'"');
            for byte in field.as_ref() {
                if *byte == b'"' {
                    self.text.push(b'"');
                }
                self.text.push(*byte);
            }
            self.text.push(b'"');
        }
        self.text.push(b'\n');
    }

    /// The text.
    pub fn text(&self) -> &[u8] {
        &self.text
    }

    /// Forgets the rows, whose text was put elsewhere.
    pub fn clear(&mut self) {
        self.text.clear();
    }

    /// The text itself.
    pub fn into_text(self) -> Vec<u8> {
        self.text
    }

    /// How it is read.
    pub fn layout() -> LayoutChoices {
        LayoutChoices {
            delimiter: Some(",".into()),
            quote: Some(Some(b'"')),
            header: HeaderChoice::Line(1),
            comment: Some(None),
            ..LayoutChoices::default()
        }
    }
}
