//! Bytes put aside, to be read again: in memory as long as they are few, then in an unnamed file.

use crate::feed::{Bytes, Feed, HEAD_BYTES, RawSamples, SAMPLE_BYTES};
use crate::stop::{Result, Stop};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::sync::Mutex;

/// A file without a name: the only one that the engine makes.
#[allow(clippy::disallowed_types, reason = "nobody else can see it, and it goes with the process")]
type Unnamed = std::fs::File;

/// Bytes that were put aside one behind the other.
#[derive(Debug)]
pub struct Spool {
    /// Most bytes that are held in memory.
    room: usize,
    /// What is not in the file.
    bytes: Vec<u8>,
    /// What no longer has room in memory.
    file: Option<Mutex<Unnamed>>,
    in_file: u64,
}

impl Spool {
    /// Nothing put aside. `room`: most bytes that are held in memory; more go into an unnamed file.
    pub fn new(room: usize) -> Self {
        Self { room, bytes: Vec::new(), file: None, in_file: 0 }
    }

    /// How many bytes there are.
    pub fn len(&self) -> u64 {
        self.in_file + self.bytes.len() as u64
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Puts bytes behind those that are there.
    ///
    /// # Errors
    /// [`Stop::NotPutAside`] if the file cannot be written.
    pub fn push(&mut self, bytes: &[u8]) -> Result<()> {
        if self.bytes.len() + bytes.len() > self.room {
            self.spill().map_err(Stop::NotPutAside)?;
        }
        self.bytes.extend_from_slice(bytes);
        Ok(())
    }

    fn spill(&mut self) -> io::Result<()> {
        if self.file.is_none() {
            self.file = Some(Mutex::new(tempfile::tempfile()?));
        }
        if let Some(Ok(mut file)) = self.file.as_ref().map(Mutex::lock) {
            file.seek(SeekFrom::End(0)).and_then(|_| file.write_all(&self.bytes))?;
        }
        self.in_file += self.bytes.len() as u64;
        self.bytes.clear();
        Ok(())
    }

    /// Appends up to `most` bytes from byte `at` (from 0) on to `out`, and says how many; none only at the end.
    ///
    /// # Errors
    /// If the file cannot be read.
    pub fn read(&self, at: u64, most: usize, out: &mut Vec<u8>) -> io::Result<usize> {
        if at >= self.in_file {
            let own = self.bytes.get((at - self.in_file) as usize..).unwrap_or_default();
            let own = &own[..own.len().min(most)];
            out.extend_from_slice(own);
            return Ok(own.len());
        }
        let most = (most as u64).min(self.in_file - at);
        let Some(Ok(mut file)) = self.file.as_ref().map(Mutex::lock) else { return Ok(0) };
        file.seek(SeekFrom::Start(at))?;
        (&mut *file).take(most).read_to_end(out)
    }

    /// What stands from byte `from` (from 0) up to byte `to`.
    pub fn part(&self, from: u64, to: u64) -> Part<'_> {
        Part { spool: self, at: from, end: to.min(self.len()), piece: Vec::new() }
    }
}

/// A part of what was put aside, read from its beginning on.
#[derive(Debug)]
pub struct Part<'s> {
    spool: &'s Spool,
    at: u64,
    end: u64,
    piece: Vec<u8>,
}

impl Read for Part<'_> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let most = usize::try_from(self.end - self.at).unwrap_or(usize::MAX).min(out.len());
        self.piece.clear();
        let count = self.spool.read(self.at, most, &mut self.piece)?;
        out[..count].copy_from_slice(&self.piece);
        self.at += count as u64;
        Ok(count)
    }
}

impl Bytes for Part<'_> {
    fn fill(&mut self, buffer: &mut Vec<u8>, most: usize) -> Result<usize> {
        let start = buffer.len();
        loop {
            let wanted = most - (buffer.len() - start);
            let wanted = usize::try_from(self.end - self.at).unwrap_or(usize::MAX).min(wanted);
            let read = self.spool.read(self.at, wanted, buffer).map_err(Stop::NotPutAside)?;
            self.at += read as u64;
            if read == 0 {
                return Ok(buffer.len() - start);
            }
        }
    }
}

/// What was put aside is a source of text like any other.
impl Feed for Spool {
    fn shown(&self) -> String {
        String::new()
    }

    fn label(&self) -> String {
        String::new()
    }

    fn samples(&self) -> Result<RawSamples> {
        let length = self.len();
        let some = |from: u64, most: usize| -> Result<Vec<u8>> {
            let mut bytes = Vec::new();
            self.part(from, length).fill(&mut bytes, most)?;
            Ok(bytes)
        };
        let mut head = some(0, HEAD_BYTES)?;
        while memchr::memchr(b'\n', &head).is_none() && (head.len() as u64) < length {
            head.extend(some(head.len() as u64, HEAD_BYTES)?);
        }
        let left = length - head.len() as u64;
        let tail = left.min(SAMPLE_BYTES as u64);
        let middle = (head.len() as u64 + left / 2).min(length - tail) & !1;
        let middle = middle.max(head.len() as u64);
        let before_tail = usize::try_from(length - tail - middle).unwrap_or(usize::MAX);
        Ok(RawSamples {
            middle: some(middle, SAMPLE_BYTES.min(before_tail))?,
            tail: some(length - tail, tail as usize)?,
            head,
            bytes: length,
        })
    }

    fn bytes_from(&self, offset: u64) -> Result<Box<dyn Bytes + '_>> {
        Ok(Box::new(self.part(offset.min(self.len()), self.len())))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_was_put_aside_comes_back(
            pieces in prop::collection::vec(prop::collection::vec(any::<u8>(), 0..40), 0..20),
            room in 0_usize..200,
            from in 0_u64..400,
            length in 0_u64..400,
            most in 1_usize..50,
        ) {
            let whole = pieces.concat();
            let mut spool = Spool::new(room);
            for piece in &pieces {
                spool.push(piece).unwrap();
            }
            prop_assert_eq!(spool.len(), whole.len() as u64);
            let from = from.min(spool.len());
            let to = (from + length).min(spool.len());
            let wanted = &whole[from as usize..to as usize];
            let mut read = Vec::new();
            spool.part(from, to).read_to_end(&mut read).unwrap();
            prop_assert_eq!(&read[..], wanted);
            let (mut filled, mut part) = (Vec::new(), spool.part(from, to));
            while part.fill(&mut filled, most).unwrap() > 0 {}
            prop_assert_eq!(&filled[..], wanted);
        }
    }

    #[test]
    fn samples_are_those_of_a_text_in_memory() {
        let line = |n: usize| format!("A-{n},{:03}\n", n % 40);
        for count in [0, 3, 20_000, 60_000] {
            let text: String = (0..count).map(line).collect();
            let mut spool = Spool::new(1000);
            text.as_bytes().chunks(777).for_each(|piece| spool.push(piece).unwrap());
            let own = spool.samples().unwrap();
            assert!(text.as_bytes().starts_with(&own.head) && text.as_bytes().ends_with(&own.tail));
            let memory = crate::feed::InMemory::new("", text.as_bytes()).samples().unwrap();
            assert_eq!(
                (own.bytes, &own.head, &own.tail),
                (memory.bytes, &memory.head, &memory.tail),
                "{count}"
            );
            assert!(memory.middle.starts_with(&own.middle), "{count}");
        }
    }
}
