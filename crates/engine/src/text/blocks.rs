//! Blocks: a source cut where records begin.
//!
//! Where a cut is right cannot always be seen from its surroundings: a line end may stand inside quotes. So a cut is
//! guessed where the lines behind it divide as records do, and the survey of the block before it proves the guess. What
//! is guessed depends on the bytes alone.

use crate::feed::Bytes;
use crate::stop::{Result, Stop};
use incola_core::encoding::{Encoding, Undecodable};
use incola_core::record::{Dialect, Machine, Oddities, Step};
use incola_core::survey::MOST_RECORD_BYTES;

/// How large blocks are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct BlockSize {
    /// Bytes of a block, more or less.
    pub bytes: usize,
    /// Bytes after a block's nominal end in which its cut is looked for.
    pub window: usize,
}

impl Default for BlockSize {
    fn default() -> Self {
        Self { bytes: 256 * 1024, window: 32 * 1024 }
    }
}

/// Records behind a cut that must divide as the others do.
const PROOF_RECORDS: usize = 3;

/// Where a block begins, and what is known of it: obeyed by the second pass.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Cut {
    /// First byte in the source.
    pub offset: u64,
    /// Bytes.
    pub bytes: u64,
    /// Records before it.
    pub records: u64,
    /// Lines before it.
    pub lines: u64,
    /// Checksum of its bytes.
    pub checksum: u64,
}

/// Cuts a source into blocks.
pub struct BlockCutter<'s> {
    bytes: Box<dyn Bytes + 's>,
    encoding: Encoding,
    dialect: Dialect,
    width: usize,
    size: BlockSize,
    /// Bytes that are read but belong to the next block.
    rest: Vec<u8>,
    /// Bytes still to come.
    left: u64,
}

impl<'s> BlockCutter<'s> {
    /// Cuts the next `length` bytes of `bytes`.
    pub fn new(
        bytes: Box<dyn Bytes + 's>,
        length: u64,
        encoding: Encoding,
        (dialect, width): (&Dialect, usize),
        size: BlockSize,
    ) -> Self {
        Self { bytes, encoding, dialect: dialect.clone(), width, size, rest: Vec::new(), left: length }
    }

    /// The next block and whether it is the last one.
    pub fn next_block(&mut self) -> Result<Option<(Vec<u8>, bool)>> {
        let mut block = std::mem::take(&mut self.rest);
        let mut wanted = self.size.bytes + self.size.window;
        loop {
            if block.len() < wanted {
                let most = (wanted - block.len()).min(usize::try_from(self.left).unwrap_or(usize::MAX));
                let read = self.bytes.fill(&mut block, most)?;
                self.left = if read < most { 0 } else { self.left - read as u64 };
            }
            if block.is_empty() {
                return Ok(None);
            }
            if self.left == 0 && block.len() <= self.size.bytes + self.size.window {
                return Ok(Some((block, true)));
            }
            if let Some(cut) = self.cut(&block) {
                self.rest = block.split_off(cut);
                let last = self.rest.is_empty() && self.left == 0;
                return Ok(Some((block, last)));
            }
            if self.left == 0 {
                return Ok(Some((block, true)));
            }
            if block.len() > MOST_RECORD_BYTES {
                return Err(Stop::RecordTooLong { line: None });
            }
            wanted = block.len() * 2;
        }
    }

    /// Where to cut `block`, at or behind its nominal end.
    fn cut(&self, block: &[u8]) -> Option<usize> {
        let lone_cr = self.dialect.lone_cr_ends_line;
        let first = self.encoding.after_line_end(block, self.size.bytes.min(block.len()), lone_cr)?;
        if self.dialect.division.multiline().is_some() {
            return self.cut_at_record(block);
        }
        let Some(quote) = self.dialect.quote else { return Some(first) };
        let window = &block[first..block.len().min(first + self.size.window)];
        if memchr::memchr(quote, window).is_none() {
            return Some(first);
        }
        let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
        let text = self.encoding.decode(window, &mut scratch, &mut bad).to_vec();
        let mut machine = Machine::new(&self.dialect);
        let (mut raw_at, mut text_at) = (0, 0);
        while raw_at < window.len() {
            if self.records_begin(&mut machine, &text, text_at) {
                return Some(first + raw_at);
            }
            let next = self.encoding.after_line_end(window, raw_at, lone_cr);
            let next_text = Encoding::Utf8.after_line_end(&text, text_at, lone_cr);
            match (next, next_text) {
                (Some(raw), Some(text)) => (raw_at, text_at) = (raw, text),
                _ => break,
            }
        }
        Some(first)
    }

    /// Where records have several lines no cut can be guessed: the records are counted off from the block's start.
    fn cut_at_record(&self, block: &[u8]) -> Option<usize> {
        let lone_cr = self.dialect.lone_cr_ends_line;
        let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
        let text = self.encoding.decode(block, &mut scratch, &mut bad);
        let mut machine = Machine::new(&self.dialect);
        let (mut at, mut lines) = (0, 0_u64);
        let mut raw_at = 0;
        while raw_at < self.size.bytes {
            if matches!(machine.step(text, at, false), Step::NeedMore | Step::End) {
                break;
            }
            at = machine.next_start();
            lines += u64::from(machine.lines());
            while lines > 0 {
                raw_at = self.encoding.after_line_end(block, raw_at, lone_cr)?;
                lines -= 1;
            }
        }
        (raw_at > 0).then_some(raw_at)
    }

    /// Whether the lines at byte `at` divide as records do.
    fn records_begin(&self, machine: &mut Machine, text: &[u8], mut at: usize) -> bool {
        let mut proofs = 0;
        while proofs < PROOF_RECORDS {
            match machine.step(text, at, false) {
                Step::Record
                    if machine.field_count() == self.width && machine.oddities() == Oddities::default() =>
                {
                    proofs += 1;
                }
                Step::Blank | Step::Comment | Step::Rule => {}
                Step::NeedMore => break,
                _ => return false,
            }
            at = machine.next_start();
        }
        proofs > 0
    }
}
