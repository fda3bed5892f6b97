//! The content of an entry that was compressed in blocks which know nothing of each other, as this crate writes its sheets: they can be
//! inflated apart.
//!
//! That an entry was written so is not said anywhere. Empty stored blocks (RFC 1951, 3.2.4) end on a byte, so the bytes that they end
//! with are looked for, and what lies between two of them is inflated as if nothing stood before. If that fails anywhere, or what comes
//! out has another checksum than the entry, it was not written so, and is to be read from its begin as any other.

use super::zip_reader::{SEAM, ZipReader};
use crate::error::Result;
use flate2::{Decompress, FlushDecompress, Status};
use std::io::{Read, Seek};

/// Compressed bytes read at a time.
const INPUT: usize = 256 * 1024;

/// Most compressed bytes between two seams, and most bytes that they stand for.
const MOST_PACKED: usize = 4 << 20;
const MOST_RAW: usize = 8 << 20;

/// The compressed bytes of an entry, cut at what may be seams.
pub(crate) struct PackedBlocks {
    /// Bytes of the entry that were not read yet.
    left: u64,
    at: u64,
    waiting: Vec<u8>,
    /// Whether a block was longer than any is.
    is_too_long: bool,
}

impl PackedBlocks {
    /// Those of an entry; `None`: it is not deflated.
    pub(crate) fn of<R: Read + Seek>(zip: &mut ZipReader<R>, place: usize) -> Result<Option<Self>> {
        let Some((at, left)) = zip.deflated(place)? else { return Ok(None) };
        Ok(Some(Self { left, at, waiting: Vec::new(), is_too_long: false }))
    }

    /// Whether a block was longer than any is: the entry was not written in blocks.
    pub(crate) fn is_too_long(&self) -> bool {
        self.is_too_long
    }

    /// The next block with the seam at its end; the last one has none. `None`: there are no more.
    pub(crate) fn next<R: Read + Seek>(&mut self, zip: &mut ZipReader<R>) -> Result<Option<Vec<u8>>> {
        let mut looked = 0;
        loop {
            let from = looked.max(SEAM.len()) - SEAM.len();
            if let Some(found) = memchr::memmem::find(&self.waiting[from..], SEAM) {
                let rest = self.waiting.split_off(from + found + SEAM.len());
                return Ok(Some(std::mem::replace(&mut self.waiting, rest)));
            }
            looked = self.waiting.len();
            if self.left == 0 || looked > MOST_PACKED {
                self.is_too_long |= looked > MOST_PACKED;
                let last = std::mem::take(&mut self.waiting);
                return Ok((!last.is_empty() && !self.is_too_long).then_some(last));
            }
            let more = self.left.min(INPUT as u64);
            zip.read_at(self.at, more as usize, &mut self.waiting)?;
            (self.at, self.left) = (self.at + more, self.left - more);
        }
    }
}

/// Inflates blocks, each by itself.
pub(crate) struct Unpacker {
    inflater: Decompress,
    raw: Vec<u8>,
}

impl Default for Unpacker {
    fn default() -> Self {
        Self { inflater: Decompress::new(false), raw: Vec::new() }
    }
}

/// A last block that stands for nothing (RFC 1951, 3.2.6).
const NOTHING: &[u8] = &[3, 0];

impl Unpacker {
    /// What a block stands for, and whether nothing can follow it; `None`: it is none that stands for itself.
    pub(crate) fn unpacked(&mut self, block: &[u8]) -> Option<(&[u8], bool)> {
        self.inflater.reset(false);
        self.raw.clear();
        let mut at = 0;
        loop {
            let before = (at, self.raw.len());
            self.raw.reserve(block.len().max(4096) * 8);
            let status =
                self.inflater.decompress_vec(&block[at..], &mut self.raw, FlushDecompress::None).ok()?;
            at = self.inflater.total_in() as usize;
            let is_end = status == Status::StreamEnd;
            let is_stuck = !is_end && before == (at, self.raw.len());
            if self.raw.len() > MOST_RAW || is_stuck || (is_end && at < block.len()) {
                return None;
            }
            // With room left, everything that these bytes stand for has come out.
            if at == block.len() && (is_end || self.raw.len() < self.raw.capacity()) {
                return (is_end || self.may_go_on()).then_some((&self.raw, is_end));
            }
        }
    }

    /// Whether another block can begin here: if the seam is not what it looks like, the next one is read as something else.
    fn may_go_on(&mut self) -> bool {
        let mut more = [0];
        let (before, raw) = (self.inflater.total_in(), self.inflater.total_out());
        let status = self.inflater.decompress(NOTHING, &mut more, FlushDecompress::None);
        let taken = self.inflater.total_in() - before;
        matches!(status, Ok(Status::StreamEnd))
            && taken == NOTHING.len() as u64
            && self.inflater.total_out() == raw
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::deflate::Compressor;
    use crate::sheet::RowEncoder;
    use crate::{StyleId, serial_date};

    #[test]
    fn a_block_whose_seam_is_another_one_is_none() {
        let mut rows = RowEncoder::new(1, 2);
        for row in 2..40 {
            rows.begin_row(row);
            rows.text(0, StyleId::default(), b"Saltwind");
            rows.number(1, StyleId::default(), |out| serial_date::write_whole(out, row * 37));
            rows.end_row();
        }
        let block = rows.compress(&mut Compressor::new());
        let packed = block.bytes.clone();
        assert!(packed.ends_with(SEAM));
        let mut unpacker = Unpacker::default();
        assert_eq!(unpacker.unpacked(&packed), Some((rows.xml(), false)));
        assert_eq!(unpacker.unpacked(&[&packed[..], NOTHING].concat()), Some((rows.xml(), true)));
        // Whatever bit is another one: what comes out is another text, or it is no block, or the bit only fills up a byte.
        let (mut same, mut whole) = (0, Vec::new());
        for at in 0..packed.len() * 8 {
            let mut other = packed.clone();
            other[at / 8] ^= 1 << (at % 8);
            if unpacker.unpacked(&other) == Some((rows.xml(), false)) {
                same += 1;
                // Then it is the same for those who read on.
                let all = [&other[..], NOTHING].concat();
                whole.clear();
                std::io::Read::read_to_end(&mut flate2::read::DeflateDecoder::new(&all[..]), &mut whole)
                    .unwrap();
                assert_eq!(whole, rows.xml(), "bit {at}");
            }
        }
        assert!(same < 8, "{same}");
    }
}
