//! The table of strings of a workbook.

use super::{ExistingBook, PART_BYTES};
use crate::error::Result;
use crate::markup::{Next, TagKind, next_tag};
use crate::sheet::ExistingCell;
use crate::xml;
use std::collections::{HashMap, HashSet};

impl ExistingBook {
    /// Puts texts in place of places in the table of strings.
    pub(crate) fn resolve<'c>(&mut self, cells: impl Iterator<Item = &'c mut ExistingCell>) -> Result<()> {
        let cells: Vec<&mut ExistingCell> = cells.collect();
        let wanted: Vec<usize> = cells.iter().filter_map(|c| c.shared).collect();
        if wanted.is_empty() {
            return Ok(());
        }
        let strings = self.strings_at(&wanted)?;
        for cell in cells {
            if let Some(text) = cell.shared.and_then(|at| strings.get(&at)) {
                cell.text.clone_from(text);
            }
        }
        Ok(())
    }

    /// Gives every text of the table of strings, in order.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if it cannot be read.
    pub fn shared_strings(&mut self, mut take: impl FnMut(&str)) -> Result<()> {
        self.each_string(|_, text| {
            take(text);
            true
        })
    }

    /// Texts of the table of strings.
    fn strings_at(&mut self, wanted: &[usize]) -> Result<HashMap<usize, String>> {
        let mut found = HashMap::new();
        let last = wanted.iter().max().copied().unwrap_or(0);
        let wanted: HashSet<usize> = wanted.iter().copied().collect();
        self.each_string(|n, text| {
            if wanted.contains(&n) {
                found.insert(n, text.to_owned());
            }
            n < last
        })?;
        Ok(found)
    }

    /// The texts at these places (from 0) of the table of strings.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if it cannot be read.
    pub fn shared_strings_at(&mut self, places: &[usize]) -> Result<HashMap<usize, String>> {
        if places.is_empty() { Ok(HashMap::new()) } else { self.strings_at(places) }
    }

    /// Gives the texts of the table of strings and their places, from 0, until `take` gives `false`.
    pub(crate) fn each_string(&mut self, mut take: impl FnMut(usize, &str) -> bool) -> Result<()> {
        let Some(place) = self.strings.as_ref().and_then(|name| self.zip.find(name)) else { return Ok(()) };
        let mut stream = self.zip.entry_stream(place)?;
        let (mut buffer, mut at) = (Vec::new(), 0);
        let (mut next, mut text, mut is_phonetic) = (0_usize, String::new(), false);
        let mut text_from: Option<usize> = None;
        loop {
            match next_tag(&buffer, at) {
                Next::Tag(tag) => {
                    if let Some(start) = text_from.take() {
                        text.push_str(&xml::text(&buffer[start..tag.start]));
                    }
                    match (tag.local(), tag.kind) {
                        (b"si", TagKind::Open) => text.clear(),
                        (b"si", kind) => {
                            if kind == TagKind::Empty {
                                text.clear();
                            }
                            if !take(next, &text) {
                                return Ok(());
                            }
                            text.clear();
                            next += 1;
                        }
                        (b"rPh", kind) => is_phonetic = kind == TagKind::Open,
                        (b"t", TagKind::Open) if !is_phonetic => text_from = Some(tag.end),
                        _ => {}
                    }
                    at = tag.end;
                }
                Next::End | Next::Open => {
                    // A text that has begun is kept with what follows.
                    let kept = text_from.unwrap_or(at);
                    buffer.drain(..kept);
                    at -= kept;
                    text_from = text_from.map(|_| 0);
                    if buffer.len() as u64 > PART_BYTES
                        || !stream.read(&mut self.zip, &mut buffer, 256 * 1024)?
                    {
                        return Ok(());
                    }
                }
                Next::DocumentType => return Ok(()),
            }
        }
    }
}
