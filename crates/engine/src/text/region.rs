//! Which bytes of a source hold its records, and the samples that tell.

use super::survey::Surveyed;
use crate::feed::{Feed, RawSamples};
use crate::stop::{Result, Stop};
use incola_core::encoding::{Detected, Encoding, Undecodable};
use incola_core::layout::{self, Layout, Samples};
use incola_core::settings::LineRange;

/// Decoded samples, cut at line ends.
pub(super) struct DecodedSamples {
    pub(super) head: Vec<u8>,
    pub(super) middle: Vec<u8>,
    pub(super) tail: Vec<u8>,
    /// Bytes of the raw tail before its first whole line.
    tail_skipped: usize,
}

impl DecodedSamples {
    /// Decodes raw samples.
    pub(super) fn of(raw: &RawSamples, encoding: Encoding, bom_bytes: usize) -> Self {
        let decode = |bytes: &[u8]| {
            let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
            encoding.decode(bytes, &mut scratch, &mut bad).to_vec()
        };
        // Carriage returns alone count as line ends only where there is nothing else; samples are cut at either.
        let only_cr = encoding.after_line_end(&raw.head, 0, false).is_none();
        let whole = (raw.head.len() as u64) == raw.bytes;
        let last_line_end = |bytes: &[u8]| {
            let mut end = 0;
            while let Some(next) = encoding.after_line_end(bytes, end, only_cr) {
                end = next;
            }
            end
        };
        let head_end = match last_line_end(&raw.head) {
            end if !whole && end > bom_bytes => end,
            _ => raw.head.len(),
        };
        let lines_inside = |bytes: &[u8], last: bool| {
            // Code units of two bytes begin at even offsets of the source.
            let from = encoding.after_line_end(bytes, 0, only_cr).unwrap_or(bytes.len());
            let to = if last { bytes.len() } else { last_line_end(bytes).max(from) };
            (from, to)
        };
        let (middle_from, middle_to) = lines_inside(&raw.middle, false);
        let (tail_from, tail_to) = lines_inside(&raw.tail, true);
        Self {
            head: decode(&raw.head[bom_bytes.min(head_end)..head_end]),
            middle: decode(&raw.middle[middle_from..middle_to]),
            tail: decode(&raw.tail[tail_from..tail_to]),
            tail_skipped: tail_from,
        }
    }

    pub(super) fn borrowed(&self) -> Samples<'_> {
        Samples { head: &self.head, middle: &self.middle, tail: &self.tail }
    }
}

/// The bytes of the source that hold records.
#[derive(Clone, Copy, Debug)]
pub(super) struct Region {
    pub(super) from: u64,
    pub(super) to: u64,
    /// Lines before it.
    pub(super) lines_before: u64,
}

impl Region {
    pub(super) fn find(
        raw: &RawSamples,
        samples: &DecodedSamples,
        found: &Detected,
        layout: &Layout,
    ) -> Self {
        let encoding = found.encoding.value;
        let lone_cr = layout.dialect.value.lone_cr_ends_line;
        let skip = |bytes: &[u8], from: usize, lines: u64| {
            let mut at = from;
            for _ in 0..lines {
                at = encoding.after_line_end(bytes, at, lone_cr).unwrap_or(bytes.len());
            }
            at as u64
        };
        let from = skip(&raw.head, found.bom_bytes, layout.lines_before_data);
        let to = if layout.footer.set_aside.is_empty() {
            raw.bytes
        } else if samples.tail.is_empty() {
            skip(&raw.head, found.bom_bytes, layout.footer.lines_before)
        } else {
            raw.bytes - raw.tail.len() as u64
                + skip(&raw.tail, samples.tail_skipped, layout.footer.lines_before)
        };
        Self { from, to: to.max(from), lines_before: layout.lines_before_data }
    }

    /// Narrows the region to the lines that are wanted; a header before them is still read.
    pub(super) fn narrow(
        &mut self,
        source: &dyn Feed,
        encoding: Encoding,
        lone_cr: bool,
        bom_bytes: usize,
        wanted: LineRange,
        layout: &mut Layout,
    ) -> Result<()> {
        let mut bytes = source.bytes_from(0)?;
        let mut buffer = Vec::new();
        let (mut base, mut at, mut line) = (0_u64, bom_bytes, 1_u64);
        let first = wanted.from.max(self.lines_before + 1);
        loop {
            if line == first {
                self.from = base + at as u64;
                self.lines_before = line - 1;
            }
            if line == wanted.to.saturating_add(1) {
                self.to = self.to.min(base + at as u64);
                layout.footer = layout::Footer { lines_before: line - 1, ..layout::Footer::default() };
                break;
            }
            if let Some(next) = encoding.after_line_end(&buffer, at, lone_cr) {
                at = next;
                line += 1;
            } else {
                let done = at.min(buffer.len());
                buffer.drain(..done);
                base += done as u64;
                at -= done;
                if bytes.fill(&mut buffer, 256 * 1024)? == 0 {
                    break;
                }
            }
        }
        if self.lines_before + 1 < first {
            return Err(Stop::FewLines { source: source.shown(), from: wanted.from, lines: line });
        }
        self.to = self.to.max(self.from);
        Ok(())
    }
}

/// Lines of a source, decoded: from the first one that is wanted to the last, at most `most` of them.
///
/// # Errors
/// If the source cannot be read, or ends before the first line.
pub fn lines_of(source: &dyn Feed, surveyed: &Surveyed, wanted: LineRange, most: usize) -> Result<Vec<u8>> {
    let reading = &surveyed.reading;
    let (encoding, lone_cr) = (reading.encoding.value, surveyed.plan.dialect.lone_cr_ends_line);
    let mut bytes = source.bytes_from(0)?;
    let (mut buffer, mut at, mut line) = (Vec::new(), reading.bom_bytes, 1_u64);
    let mut raw: Vec<u8> = Vec::new();
    let mut taken = 0;
    let mut is_over = false;
    while line <= wanted.to && taken < most {
        let Some(next) = encoding.after_line_end(&buffer, at, lone_cr) else {
            let done = at.min(buffer.len());
            if is_over {
                if line >= wanted.from {
                    raw.extend_from_slice(&buffer[done..]);
                    taken += usize::from(done < buffer.len());
                }
                break;
            }
            buffer.drain(..done);
            at -= done;
            is_over = bytes.fill(&mut buffer, 256 * 1024)? == 0;
            continue;
        };
        if line >= wanted.from {
            raw.extend_from_slice(&buffer[at..next]);
            taken += 1;
        }
        (at, line) = (next, line + 1);
    }
    if taken == 0 {
        return Err(Stop::FewLines {
            source: source.shown(),
            from: wanted.from,
            lines: line.saturating_sub(1),
        });
    }
    let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    Ok(encoding.decode(&raw, &mut scratch, &mut bad).to_vec())
}
