//! Where bytes come from: anything that can be read twice, and whoever watches it being read.

use crate::stop::{Result, Stop};

/// Bytes of the sample from the beginning, where nothing asks for more.
pub const HEAD_BYTES: usize = 128 * 1024;

/// Bytes of the samples from the middle and the end.
pub const SAMPLE_BYTES: usize = 32 * 1024;

/// Raw samples of a source.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RawSamples {
    /// The beginning: at least the first line, as far as a record may reach.
    pub head: Vec<u8>,
    /// Something from the middle, from an even offset on; empty if the head is everything.
    pub middle: Vec<u8>,
    /// The end; empty if the head is everything.
    pub tail: Vec<u8>,
    /// Bytes of the source, after decompression.
    pub bytes: u64,
}

/// Bytes that can be gone over more than once and are the same each time.
pub trait Feed: Sync {
    /// What messages call it.
    fn shown(&self) -> String;

    /// What it is called beside its rows: a file's name without folders.
    fn label(&self) -> String;

    /// Its beginning, something from its middle, and its end.
    ///
    /// # Errors
    /// [`Stop::Outside`] if it cannot be read.
    fn samples(&self) -> Result<RawSamples>;

    /// Its bytes from `offset` on, in their order.
    ///
    /// # Errors
    /// [`Stop::Outside`] if it cannot be read.
    fn bytes_from(&self, offset: u64) -> Result<Box<dyn Bytes + '_>>;

    /// Whoever watches so many bytes being worked on.
    fn watch(&self, _doing: Doing, _bytes: u64) -> Box<dyn Watch + '_> {
        Box::new(Nobody)
    }
}

/// Bytes of a source in their order.
pub trait Bytes {
    /// Appends up to `most` bytes to `buffer`, and says how many; fewer only at the end of the source.
    ///
    /// # Errors
    /// [`Stop::Outside`] if they cannot be read.
    fn fill(&mut self, buffer: &mut Vec<u8>, most: usize) -> Result<usize>;
}

/// What is done with a source.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Doing {
    /// Looked at, record by record.
    Reading,
    /// Written into a sheet.
    Writing,
    /// Compared with a sheet.
    Comparing,
}

/// Sees how work goes on, and may end it.
pub trait Watch {
    /// So many bytes more are done.
    ///
    /// # Errors
    /// [`Stop::Interrupted`] if the work is to end here.
    fn done(&mut self, bytes: u64) -> Result<()>;
}

/// Nobody watches.
#[derive(Clone, Copy, Debug, Default)]
pub struct Nobody;

impl Watch for Nobody {
    fn done(&mut self, _bytes: u64) -> Result<()> {
        Ok(())
    }
}

/// A source that stands in memory.
///
/// ```
/// use incola_engine::feed::{Feed, InMemory};
/// let feed = InMemory::new("calls.csv", b"Call,Berth\n1,007\n");
/// assert_eq!(feed.samples().unwrap().head.len(), 17);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct InMemory<'b> {
    name: &'b str,
    bytes: &'b [u8],
}

impl<'b> InMemory<'b> {
    /// A source of that name.
    pub fn new(name: &'b str, bytes: &'b [u8]) -> Self {
        Self { name, bytes }
    }
}

impl Feed for InMemory<'_> {
    fn shown(&self) -> String {
        self.name.to_owned()
    }

    fn label(&self) -> String {
        self.name.to_owned()
    }

    fn samples(&self) -> Result<RawSamples> {
        let bytes = self.bytes;
        let first_line = memchr::memchr2(b'\n', b'\r', bytes).map_or(bytes.len(), |at| at + 1);
        let head = HEAD_BYTES.max(first_line).min(bytes.len());
        let tail = SAMPLE_BYTES.min(bytes.len() - head);
        let middle = (head + (bytes.len() - head) / 2).min(bytes.len() - tail) & !1;
        let middle = middle.max(head)..bytes.len().min(middle + SAMPLE_BYTES).max(middle.max(head));
        Ok(RawSamples {
            head: bytes[..head].to_vec(),
            middle: if tail == 0 { Vec::new() } else { bytes[middle].to_vec() },
            tail: bytes[bytes.len() - tail..].to_vec(),
            bytes: bytes.len() as u64,
        })
    }

    fn bytes_from(&self, offset: u64) -> Result<Box<dyn Bytes + '_>> {
        let from = usize::try_from(offset).unwrap_or(usize::MAX).min(self.bytes.len());
        Ok(Box::new(&self.bytes[from..]))
    }
}

impl Bytes for &[u8] {
    fn fill(&mut self, buffer: &mut Vec<u8>, most: usize) -> Result<usize> {
        let (own, rest) = self.split_at(most.min(self.len()));
        buffer.extend_from_slice(own);
        *self = rest;
        Ok(own.len())
    }
}

/// The failure of a feed, as [`Stop::Outside`].
pub fn outside(error: impl std::error::Error + Send + Sync + 'static) -> Stop {
    Stop::Outside(Box::new(error))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn samples_of_memory_do_not_overlap() {
        for length in
            [0, 1, 17, HEAD_BYTES - 1, HEAD_BYTES, HEAD_BYTES + 5, HEAD_BYTES + 3 * SAMPLE_BYTES, 1 << 20]
        {
            let bytes: Vec<u8> =
                (0..length).map(|n| if n % 50 == 0 { b'\n' } else { b'a' + (n % 26) as u8 }).collect();
            let samples = InMemory::new("x", &bytes).samples().unwrap();
            assert_eq!(samples.bytes, length as u64);
            assert!(bytes.starts_with(&samples.head) && bytes.ends_with(&samples.tail));
            assert!(samples.head.len() + samples.tail.len() <= length);
            if length > HEAD_BYTES {
                assert!(!samples.tail.is_empty());
            }
        }
    }
}
