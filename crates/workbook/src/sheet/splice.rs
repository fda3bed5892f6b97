//! Rows that stay are copied without being inflated and compressed again, where the compressed bytes of a sheet can be cut.
//!
//! What compresses in blocks that know nothing of each other, as this crate does, leaves an empty stored block between them. At such
//! a place the stream can be cut. That it is such a place, and not four bytes by chance, is proved before it is trusted: from it on,
//! the stream must inflate as if nothing stood before, to the same bytes.

use crate::error::Result;
use crate::package::zip_reader::Input;
use crate::package::zip_reader::{Seam, ZipReader};
use crate::sheet::SheetFacts;

/// As far back as compressed bytes may refer (RFC 1951, section 2).
const WINDOW: usize = 32 * 1024;

/// A sheet's compressed bytes, of which the middle is copied.
#[derive(Debug)]
pub(crate) struct Splice {
    pub(crate) from: Seam,
    pub(crate) to: Seam,
    /// The bytes before the first cut.
    pub(crate) before: Vec<u8>,
    /// The bytes behind the second one.
    pub(crate) behind: Vec<u8>,
}

impl Splice {
    /// Looks for two cuts in sheet part `place` with rows alone between them: the first one behind byte `head`.
    /// `None`: there are none, or too few bytes between them.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if the sheet cannot be inflated.
    pub(crate) fn find(
        zip: &mut ZipReader<Box<dyn Input>>,
        place: usize,
        facts: &SheetFacts,
        head: usize,
    ) -> Result<Option<Self>> {
        let Some(from) = facts.seams.iter().find(|s| s.raw >= head as u64).copied() else { return Ok(None) };
        let Some(tail) = &facts.tail else { return Ok(None) };
        let end = zip.entries()[place].raw_bytes();
        let Some(rows_end) = end.checked_sub(tail.len() as u64) else { return Ok(None) };
        let last = facts.seams.iter().rev().find(|s| s.raw <= rows_end).copied();
        let Some(to) = last.filter(|to| to.raw >= from.raw + 4 * WINDOW as u64) else { return Ok(None) };
        // What was inflated from the beginning, and what is inflated from the cut, must be the same until nothing before the
        // cut can be referred to.
        let known = from.raw as usize + 2 * WINDOW;
        let mut before = Vec::new();
        let mut stream = zip.entry_stream(place)?;
        loop {
            let wanted = known.saturating_sub(before.len());
            if wanted == 0 || !stream.read(zip, &mut before, wanted)? {
                break;
            }
        }
        let mut alone = Vec::new();
        let mut stream = zip.entry_stream_from(place, &from)?;
        while alone.len() < 2 * WINDOW {
            let wanted = 2 * WINDOW - alone.len();
            if !matches!(stream.read(zip, &mut alone, wanted), Ok(true)) {
                return Ok(None);
            }
        }
        let known = &before[from.raw as usize..];
        let length = known.len().min(alone.len());
        if length < WINDOW || known[..length] != alone[..length] {
            return Ok(None);
        }
        before.truncate(from.raw as usize);
        // The end is inflated whole: its length and checksum must be those of what is missing.
        let mut behind = Vec::new();
        let mut stream = zip.entry_stream_from(place, &to)?;
        loop {
            match stream.read(zip, &mut behind, 256 * 1024) {
                Ok(true) if behind.len() as u64 <= end - to.raw => {}
                Ok(false) => break,
                _ => return Ok(None),
            }
        }
        let mut crc = crc32fast::Hasher::new_with_initial_len(to.crc, to.raw);
        crc.update(&behind);
        let is_proved = behind.len() as u64 == end - to.raw
            && crc.finalize() == zip.entries()[place].checksum()
            && behind.ends_with(tail);
        Ok(is_proved.then_some(Self { from, to, before, behind }))
    }

    /// The checksum of what is copied, and its length.
    pub(crate) fn middle(&self) -> (crc32fast::Hasher, u64) {
        let length = self.to.raw - self.from.raw;
        // The checksum of both parts is that of the first one, moved on by the length of the second, with that of the second put
        // over it; over nothing, it is the first one moved on.
        let mut moved = crc32fast::Hasher::new_with_initial_len(self.from.crc, self.from.raw);
        moved.combine(&crc32fast::Hasher::new_with_initial_len(0, length));
        let crc = moved.finalize() ^ self.to.crc;
        (crc32fast::Hasher::new_with_initial_len(crc, length), length)
    }
}
