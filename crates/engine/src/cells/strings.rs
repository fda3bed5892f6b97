//! The table of strings of a workbook, read once.

use crate::stop::{Result, Stop};
use incola_core::refresh::fingerprint;
use incola_workbook::ExistingBook;

/// Its texts, one behind the other.
#[derive(Default)]
pub(crate) struct Strings {
    text: Vec<u8>,
    ends: Vec<usize>,
}

impl Strings {
    /// All texts of a workbook.
    pub(crate) fn of(book: &mut ExistingBook) -> Result<Self> {
        let mut strings = Self::default();
        book.shared_strings(|text| {
            strings.text.extend_from_slice(text.as_bytes());
            strings.ends.push(strings.text.len());
        })
        .map_err(Stop::Book)?;
        Ok(strings)
    }

    /// The text at a place, from 0; nothing where there is none.
    pub(crate) fn get(&self, place: usize) -> &[u8] {
        let Some(end) = self.ends.get(place) else { return b"" };
        &self.text[place.checked_sub(1).map_or(0, |before| self.ends[before])..*end]
    }
}

/// The fingerprints of its texts.
pub(crate) fn string_prints(book: &mut ExistingBook) -> Result<Vec<u64>> {
    let mut prints = Vec::new();
    book.shared_strings(|text| prints.push(fingerprint::text(text.as_bytes()))).map_err(Stop::Book)?;
    Ok(prints)
}
