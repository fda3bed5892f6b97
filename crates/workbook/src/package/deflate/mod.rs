//! Blocks compressed apart from each other, which together are one deflate stream (RFC 1951).
//!
//! Each block starts with an empty window and ends on a byte, so that blocks can be compressed by different workers and
//! written one behind the other. [`STREAM_END`] closes the stream.
//!
//! The compressor is our own because rows of cells repeat themselves in one way: the same mark-up around ever new
//! values. Looking up one earlier place for each position, and none inside what was found, is enough for that; it takes
//! a quarter of the time of a general compressor's fastest level that searches, for the same size. Any inflater is its
//! test oracle.

mod bits;
mod huffman;
mod matches;

use bits::BitWriter;
pub use matches::{Hint, Span};
use matches::{MatchFinder, Sequence};

/// An empty last block: what ends a stream of blocks.
pub const STREAM_END: [u8; 2] = [0x03, 0x00];

/// Sequences that share one set of codes.
const SEGMENT_SEQUENCES: usize = 8 * 1024;

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
#[derive(Debug, Default)]
pub struct Compressor {
    finder: MatchFinder,
    sequences: Vec<Sequence>,
}

impl Compressor {
    /// A compressor.
    pub fn new() -> Self {
        Self::default()
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
        self.block_with_spans(raw, &[], &[])
    }

    /// Compresses one block of which it is known where ever new values stand: in `spans`, in order and apart from each
    /// other, nothing but their beginnings is looked up; and of which it is known where mark-up stood before: `hints`, in order, are
    /// compared once. Whatever they say, the same bytes come back; it takes less time, and good hints make it smaller.
    pub fn block_with_spans(&mut self, raw: &[u8], spans: &[Span], hints: &[Hint]) -> Block {
        let mut crc = crc32fast::Hasher::new();
        crc.update(raw);
        let mut out = BitWriter::with_capacity(raw.len() / 6 + 64);
        self.finder.begin();
        let mut at = 0;
        while at < raw.len() {
            self.sequences.clear();
            let end = self.finder.sequences(raw, at, SEGMENT_SEQUENCES, (spans, hints), &mut self.sequences);
            huffman::write_segment(&mut out, raw, at, &self.sequences);
            at = end;
        }
        // An empty stored block fills up the last byte.
        out.write(0, 3);
        out.align();
        let mut bytes = out.into_bytes();
        bytes.extend_from_slice(&[0, 0, 0xFF, 0xFF]);
        Block { bytes, crc, raw_bytes: raw.len() as u64 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Read;

    fn inflated(stream: &[u8]) -> Vec<u8> {
        let mut back = Vec::new();
        flate2::read::DeflateDecoder::new(stream).read_to_end(&mut back).unwrap();
        back
    }

    fn round(raw: &[u8]) -> usize {
        let mut bytes = Compressor::new().block(raw).bytes;
        bytes.extend_from_slice(&STREAM_END);
        assert!(inflated(&bytes) == raw);
        bytes.len()
    }

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
        let back = inflated(&stream);
        assert!(back == rows.concat());
        assert_eq!(crc.finalize(), crc32fast::hash(&back));
    }

    #[test]
    fn skewed_and_even_bytes_come_back() {
        // Frequencies like Fibonacci numbers make the longest codes.
        let mut skewed = Vec::new();
        let (mut a, mut b) = (1_usize, 1);
        for byte in 0..24_u8 {
            skewed.extend(std::iter::repeat_n(byte, a));
            (a, b) = (b, a + b);
        }
        let mut state = 1_u32;
        let mut shuffled = skewed.clone();
        for i in (1..shuffled.len()).rev() {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            shuffled.swap(i, state as usize % (i + 1));
        }
        for raw in [
            Vec::new(),
            vec![7],
            vec![0; 100_000],
            skewed,
            shuffled,
            (0..=255).cycle().take(70_000).collect(),
        ] {
            round(&raw);
        }
    }

    #[test]
    fn rows_of_cells_shrink_as_much_as_a_general_compressor_shrinks_them() {
        use std::io::Write;
        let mut raw = Vec::new();
        let mut state = 1_u64;
        for row in 2..4000_u64 {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            write!(
                raw,
                "<row r=\"{row}\"><c r=\"A{row}\" s=\"1\" t=\"inlineStr\"><is><t>{:08}</t></is></c>\
                 <c r=\"B{row}\" s=\"2\"><v>{}.5</v></c></row>",
                (state >> 33) % 100_000_000,
                (state >> 20) % 10_000
            )
            .unwrap();
        }
        let mut general = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::new(2));
        general.write_all(&raw).unwrap();
        let general = general.finish().unwrap().len();
        assert!(round(&raw) < general * 21 / 20);
    }

    proptest! {
        #[test]
        fn spans_change_no_byte_of_what_comes_out(
            pieces in prop::collection::vec(("[0-9a-c]{0,30}", prop::sample::select(vec!["</v></c>", "<c>", ""])), 0..60)
        ) {
            let (mut raw, mut spans) = (Vec::new(), Vec::new());
            for (value, markup) in pieces {
                let start = raw.len() as u32;
                raw.extend_from_slice(value.as_bytes());
                spans.push(Span { start, end: raw.len() as u32 });
                raw.extend_from_slice(markup.as_bytes());
            }
            let mut bytes = Compressor::new().block_with_spans(&raw, &spans, &[]).bytes;
            bytes.extend_from_slice(&STREAM_END);
            prop_assert!(inflated(&bytes) == raw);
        }

        /// Right hints, wrong ones, and such as make no sense at all.
        #[test]
        fn hints_change_no_byte_of_what_comes_out(
            pieces in prop::collection::vec(("[0-9a-c]{0,12}", prop::sample::select(vec!["</v></c><c r=\"B", "<c>", ""])), 0..80),
            lies in prop::collection::vec((0_u32..900, 0_u32..900, 0_u32..400), 0..20),
        ) {
            let (mut raw, mut hints) = (Vec::new(), Vec::new());
            let mut last = std::collections::HashMap::new();
            for (value, markup) in pieces {
                raw.extend_from_slice(value.as_bytes());
                let at = raw.len() as u32;
                if let Some(earlier) = last.insert(markup, at) {
                    hints.push(super::Hint { at, earlier, most: markup.len() as u32 });
                }
                raw.extend_from_slice(markup.as_bytes());
            }
            hints.extend(lies.into_iter().map(|(at, earlier, most)| super::Hint { at, earlier, most }));
            hints.sort_by_key(|hint| hint.at);
            let mut bytes = Compressor::new().block_with_spans(&raw, &[], &hints).bytes;
            bytes.extend_from_slice(&STREAM_END);
            prop_assert!(inflated(&bytes) == raw);
        }

        #[test]
        fn whatever_goes_in_comes_out(
            pieces in prop::collection::vec(prop_oneof![
                prop::collection::vec(any::<u8>(), 0..40),
                Just(b"</t></is></c><c r=\"".to_vec()),
                prop::collection::vec(0_u8..2, 0..600),
            ], 0..60)
        ) {
            round(&pieces.concat());
        }
    }
}
