//! The table of strings of a workbook.

use super::{ExistingBook, PART_BYTES};
use crate::error::Result;
use crate::markup::{Next, TagKind, next_tag};
use crate::sheet::ExistingCell;
use crate::xml;
use std::collections::HashMap;

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
        self.each_string(Wanted::All, |_, text| take(text))
    }

    /// Texts of the table of strings.
    fn strings_at(&mut self, wanted: &[usize]) -> Result<HashMap<usize, String>> {
        let mut found = HashMap::with_capacity(wanted.len());
        let mut places = wanted.to_vec();
        places.sort_unstable();
        places.dedup();
        self.each_string(Wanted::At(&places), |n, text| {
            found.insert(n, text.to_owned());
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

    /// Gives the wanted texts of the table of strings and their places, from 0, in order.
    fn each_string(&mut self, mut wanted: Wanted<'_>, mut take: impl FnMut(usize, &str)) -> Result<()> {
        let Some(place) = self.strings.as_ref().and_then(|name| self.zip.find(name)) else { return Ok(()) };
        let mut stream = self.zip.entry_stream(place)?;
        let (mut buffer, mut at) = (Vec::new(), 0);
        let (mut next, mut text, mut is_phonetic) = (0_usize, String::new(), false);
        let (mut text_from, mut is_inside): (Option<usize>, _) = (None, false);
        while let Some(skipped) = wanted.next_after(next) {
            if !is_inside && skipped > 0 {
                let (count, end) = items(&buffer, at, skipped);
                (next, at) = (next + count, end);
            }
            let is_wanted = wanted.next_after(next) == Some(0);
            match next_tag(&buffer, at) {
                Next::Tag(tag) => {
                    if let Some(start) = text_from.take() {
                        text.push_str(&xml::text(&buffer[start..tag.start]));
                    }
                    match (tag.local(), tag.kind) {
                        (b"si", TagKind::Open) => is_inside = true,
                        (b"si", _) => {
                            if is_wanted {
                                take(next, &text);
                            }
                            text.clear();
                            (next, is_inside) = (next + 1, false);
                        }
                        (b"rPh", kind) => is_phonetic = kind == TagKind::Open,
                        (b"t", TagKind::Open) if is_wanted && !is_phonetic => text_from = Some(tag.end),
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
        Ok(())
    }
}

/// Which texts are asked for.
enum Wanted<'p> {
    All,
    /// Those at these places, which rise.
    At(&'p [usize]),
}

impl Wanted<'_> {
    /// How many texts come before the next one that is wanted, where text `n` comes next; `None`: none is wanted any more.
    fn next_after(&mut self, n: usize) -> Option<usize> {
        match self {
            Self::All => Some(0),
            Self::At(places) => {
                while places.first().is_some_and(|place| *place < n) {
                    *places = &places[1..];
                }
                places.first().map(|place| place - n)
            }
        }
    }
}

/// How many whole items, spelled as nearly all programs do, stand one behind the other from byte `at` on, at most `most`; and the byte
/// behind them.
fn items(xml: &[u8], mut at: usize, most: usize) -> (usize, usize) {
    let mut count = 0;
    while count < most && xml[at..].starts_with(b"<si>") {
        let mut tag = at + 4;
        loop {
            let Some(found) = memchr::memchr(b'<', &xml[tag..]) else { return (count, at) };
            tag += found + 1;
            match xml.get(tag..tag + 4) {
                Some(b"/si>") => break,
                Some([b's', b'i', ..] | [b'!', ..]) | None => return (count, at),
                Some(_) => {}
            }
        }
        (count, at) = (count + 1, tag + 4);
    }
    (count, at)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn items_are_stepped_over_as_long_as_they_are_spelled_plainly() {
        let plain = "<si><t>a &lt; b</t></si><si><r><t>c</t></r><r><t>d</t></r></si>";
        for (xml, most, wanted) in [
            (plain.to_owned(), 9, (2, plain.len())),
            (plain.to_owned(), 1, (1, 24)),
            (format!("{plain}<si><t>cut of"), 9, (2, plain.len())),
            (format!("{plain}<si><t>cut</t></s"), 9, (2, plain.len())),
            (format!("{plain}<si/>{plain}"), 9, (2, plain.len())),
            (format!("{plain}<x:si/>"), 9, (2, plain.len())),
            (format!("{plain}<si><!-- </si> --></si>"), 9, (2, plain.len())),
            (format!(" {plain}"), 9, (0, 0)),
        ] {
            assert_eq!(items(xml.as_bytes(), 0, most), wanted, "{xml}");
        }
    }

    #[test]
    fn places_that_are_wanted_are_counted_down() {
        let mut some = Wanted::At(&[2, 5]);
        let asked = [(0, Some(2)), (2, Some(0)), (3, Some(2)), (5, Some(0)), (6, None)];
        assert!(asked.iter().all(|(n, wanted)| some.next_after(*n) == *wanted));
        assert_eq!(Wanted::All.next_after(7), Some(0));
    }
}
