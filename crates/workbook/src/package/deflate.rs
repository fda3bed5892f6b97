//! Blocks compressed apart from each other, which together are one deflate stream (RFC 1951).
//!
//! Each block starts with an empty window and ends with a sync flush, so that blocks can be compressed by different
//! workers and written one behind the other. [`STREAM_END`] closes the stream.

use flate2::{Compress, Compression, FlushCompress};

/// An empty last block: what ends a stream of sync-flushed blocks.
pub const STREAM_END: [u8; 2] = [0x03, 0x00];

/// A block of a stream, compressed.
#[derive(Debug, Default)]
pub struct Block {
    /// Compressed bytes.
    pub bytes: Vec<u8>,
    /// Checksum of the bytes before compression.
    pub crc: crc32fast::Hasher,
    /// Length before compression, in bytes.
    pub raw_bytes: u64,
}

/// Compresses blocks; each worker has one of its own.
#[derive(Debug)]
pub struct Compressor {
    stream: Compress,
}

impl Compressor {
    /// The level that is used: the fastest one that searches for repetitions everywhere.
    pub const LEVEL: u32 = 2;

    /// A compressor.
    pub fn new() -> Self {
        Self { stream: Compress::new(Compression::new(Self::LEVEL), false) }
    }

    /// Compresses one block.
    ///
    /// ```
    /// use incola_workbook::package::deflate::{Compressor, STREAM_END};
    /// let mut block = Compressor::new().block(b"berth berth berth");
    /// block.bytes.extend_from_slice(&STREAM_END);
    /// assert_eq!(block.raw_bytes, 17);
    /// ```
    pub fn block(&mut self, raw: &[u8]) -> Block {
        let mut crc = crc32fast::Hasher::new();
        crc.update(raw);
        self.stream.reset();
        let mut bytes = Vec::with_capacity(raw.len() / 5 + 1024);
        loop {
            let at = self.stream.total_in() as usize;
            // The compressor fails only on misuse of its stream; it is reset above and always given room.
            let done = self.stream.compress_vec(&raw[at..], &mut bytes, FlushCompress::Sync);
            let all_read = self.stream.total_in() as usize == raw.len();
            if done.is_err() || (all_read && bytes.len() < bytes.capacity()) {
                break;
            }
            bytes.reserve(bytes.capacity() / 2 + 1024);
        }
        Block { bytes, crc, raw_bytes: raw.len() as u64 }
    }
}

impl Default for Compressor {
    fn default() -> Self {
        Self::new()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Read;

    #[test]
    fn blocks_make_one_stream() {
        let rows: Vec<Vec<u8>> =
            (0..5).map(|i| format!("<row r=\"{i}\">").repeat(20_000).into_bytes()).collect();
        let mut compressor = Compressor::new();
        let (mut stream, mut crc) = (Vec::new(), crc32fast::Hasher::new());
        for row in rows.iter().chain([&Vec::new()]) {
            let block = compressor.block(row);
            stream.extend_from_slice(&block.bytes);
            crc.combine(&block.crc);
        }
        stream.extend_from_slice(&STREAM_END);
        let mut back = Vec::new();
        flate2::read::DeflateDecoder::new(&stream[..]).read_to_end(&mut back).unwrap();
        assert!(back == rows.concat());
        assert_eq!(crc.finalize(), crc32fast::hash(&back));
    }
}
