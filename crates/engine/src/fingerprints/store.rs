//! Rows put aside, to be had back by their number.

use crate::stop::{Result, Stop};
use std::io::{Read, Seek, SeekFrom, Write};
use std::sync::Mutex;

/// Bytes of rows that are held in memory; more go into an unnamed file.
const IN_MEMORY: usize = 24 << 20;

/// A file without a name: the only one that the engine makes.
#[allow(clippy::disallowed_types, reason = "nobody else can see it, and it goes with the process")]
type Unnamed = std::fs::File;

/// Rows and records put aside by their number: in memory as long as they are few, then in an unnamed file.
#[derive(Default)]
pub struct RowStore {
    bytes: Vec<u8>,
    /// The record, where its bytes begin, and how many there are; in the order of records.
    places: Vec<(u32, u32, u64)>,
    /// What no longer has room in memory.
    file: Option<Mutex<Unnamed>>,
    in_file: u64,
}

impl RowStore {
    /// Keeps the bytes of a record; records come in rising order.
    pub fn add(&mut self, record: u32, bytes: &[u8]) -> Result<()> {
        if self.bytes.len() + bytes.len() > IN_MEMORY {
            self.spill()?;
        }
        debug_assert!(self.places.last().is_none_or(|(last, ..)| *last < record), "records come in order");
        self.places.push((record, bytes.len() as u32, self.in_file + self.bytes.len() as u64));
        self.bytes.extend_from_slice(bytes);
        Ok(())
    }

    fn spill(&mut self) -> Result<()> {
        let failed = |error: std::io::Error| Stop::Outside(Box::new(error));
        if self.file.is_none() {
            self.file = Some(Mutex::new(tempfile::tempfile().map_err(failed)?));
        }
        if let Some(Ok(mut file)) = self.file.as_ref().map(Mutex::lock) {
            file.seek(SeekFrom::End(0)).and_then(|_| file.write_all(&self.bytes)).map_err(failed)?;
        }
        self.in_file += self.bytes.len() as u64;
        self.bytes.clear();
        Ok(())
    }

    /// Puts the bytes of a record into `buffer`; `false`: it was not picked, or cannot be read back.
    pub fn read(&self, record: u32, buffer: &mut Vec<u8>) -> bool {
        buffer.clear();
        let Ok(place) = self.places.binary_search_by_key(&record, |(own, ..)| *own) else { return false };
        let (_, length, at) = self.places[place];
        if at >= self.in_file {
            let from = (at - self.in_file) as usize;
            buffer.extend_from_slice(&self.bytes[from..from + length as usize]);
            return true;
        }
        let Some(Ok(mut file)) = self.file.as_ref().map(Mutex::lock) else { return false };
        buffer.resize(length as usize, 0);
        file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(buffer)).is_ok()
    }

    /// The records, in order.
    pub fn records(&self) -> impl Iterator<Item = u32> {
        self.places.iter().map(|(record, ..)| *record)
    }
}

/// Appends a text with its length in front.
pub fn push_text(out: &mut Vec<u8>, text: &[u8]) {
    out.extend_from_slice(&(text.len() as u32).to_le_bytes());
    out.extend_from_slice(text);
}

/// Texts that were [pushed](push_text) one behind the other.
pub fn texts(mut bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    std::iter::from_fn(move || {
        let (length, rest) = bytes.split_first_chunk::<4>()?;
        let (text, rest) = rest.split_at_checked(u32::from_le_bytes(*length) as usize)?;
        bytes = rest;
        Some(text)
    })
}
