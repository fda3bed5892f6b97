//! Rows put aside, to be had back by their number.

use crate::spool::Spool;
use crate::stop::Result;

/// Bytes of rows that are held in memory; more go into an unnamed file.
const IN_MEMORY: usize = 24 << 20;

/// Rows and records put aside by their number.
pub struct RowStore {
    bytes: Spool,
    /// The record, how many bytes it has, and where they begin; in the order of records.
    places: Vec<(u32, u32, u64)>,
}

impl Default for RowStore {
    fn default() -> Self {
        Self { bytes: Spool::new(IN_MEMORY), places: Vec::new() }
    }
}

impl RowStore {
    /// Keeps the bytes of a record; records come in rising order.
    pub fn add(&mut self, record: u32, bytes: &[u8]) -> Result<()> {
        debug_assert!(self.places.last().is_none_or(|(last, ..)| *last < record), "records come in order");
        self.places.push((record, bytes.len() as u32, self.bytes.len()));
        self.bytes.push(bytes)
    }

    /// Puts the bytes of a record into `buffer`; `false`: it was not picked, or cannot be read back.
    pub fn read(&self, record: u32, buffer: &mut Vec<u8>) -> bool {
        buffer.clear();
        let Ok(place) = self.places.binary_search_by_key(&record, |(own, ..)| *own) else { return false };
        let (_, length, at) = self.places[place];
        self.bytes.read(at, length as usize, buffer).is_ok_and(|read| read == length as usize)
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
