//! The zip container, written as a stream: entries whose sizes are known only at their end, zip64 where needed.
//!
//! An entry's local header is written with room for a zip64 field. When the entry ends, the writer seeks back and fills
//! in checksum and sizes; the room becomes a zip64 field or stays a padding field (0xA220, as office packages use it).

use super::deflate::{Block, Compressor, STREAM_END};
use super::zip_reader::ZipReader;
use crate::error::{Error, Result};
use std::io::{self, Read, Seek, SeekFrom, Write};

/// Bytes of the extra field that every local header has: four of header, sixteen for two sizes.
const EXTRA_BYTES: u16 = 20;

/// MS-DOS date of 1980-01-01, the earliest one: packages say nothing of when they were made here, so that the same
/// content gives the same bytes.
const DATE_1980: u16 = 0x0021;

/// What the central directory says of an entry.
#[derive(Debug)]
struct Entry {
    name: String,
    offset: u64,
    crc: u32,
    compressed: u64,
    raw: u64,
}

/// The entry being written.
#[derive(Debug)]
struct Open {
    name: String,
    offset: u64,
    crc: crc32fast::Hasher,
    compressed: u64,
    raw: u64,
}

/// Writes a zip archive.
#[derive(Debug)]
pub struct ZipWriter<W> {
    out: W,
    at: u64,
    /// Records of the central directory.
    directory: Vec<u8>,
    entries: u64,
    open: Option<Open>,
    /// Entries that follow when the one that is open is done.
    waiting: Vec<(String, Vec<u8>)>,
}

/// Bytes that are compressed at once.
const CHUNK: usize = 512 * 1024;

impl<W: Write + Seek> ZipWriter<W> {
    /// A writer of an archive that begins where `out` stands.
    pub fn new(out: W) -> Self {
        Self { out, at: 0, directory: Vec::new(), entries: 0, open: None, waiting: Vec::new() }
    }

    /// Begins an entry, to be filled with [`Self::block`] and ended with [`Self::end`].
    pub fn begin(&mut self, name: &str) -> Result<()> {
        debug_assert!(self.open.is_none(), "entries follow each other");
        let offset = self.at;
        self.open = Some(Open {
            name: name.to_owned(),
            offset,
            crc: crc32fast::Hasher::new(),
            compressed: 0,
            raw: 0,
        });
        let mut header = Vec::with_capacity(64 + name.len());
        let placeholder = Entry { name: name.to_owned(), offset, crc: 0, compressed: 0, raw: 0 };
        local_header(&mut header, &placeholder);
        self.write(&header)
    }

    /// Adds a compressed block to the entry.
    pub fn block(&mut self, block: &Block) -> Result<()> {
        if let Some(open) = &mut self.open {
            open.crc.combine(&block.crc);
            open.compressed += block.bytes.len() as u64;
            open.raw += block.raw_bytes;
        }
        self.write(&block.bytes)
    }

    /// Adds bytes that are compressed already, as whole blocks: what they stand for has this checksum and length.
    pub(crate) fn packed(&mut self, mut from: impl Read, crc: &crc32fast::Hasher, raw: u64) -> Result<()> {
        let part = self.open.as_ref().map(|o| o.name.clone()).unwrap_or_default();
        let copied = io::copy(&mut from, &mut self.out).map_err(|source| Error::Write { part, source })?;
        self.at += copied;
        if let Some(open) = &mut self.open {
            open.crc.combine(crc);
            open.compressed += copied;
            open.raw += raw;
        }
        Ok(())
    }

    /// Ends the entry.
    pub fn end(&mut self) -> Result<()> {
        self.write(&STREAM_END)?;
        let Some(open) = self.open.take() else { return Ok(()) };
        let entry = Entry {
            name: open.name,
            offset: open.offset,
            crc: open.crc.finalize(),
            compressed: open.compressed + STREAM_END.len() as u64,
            raw: open.raw,
        };
        let mut header = Vec::with_capacity(64 + entry.name.len());
        local_header(&mut header, &entry);
        let failed = |source| Error::Write { part: entry.name.clone(), source };
        self.out.seek(SeekFrom::Start(entry.offset)).map_err(failed)?;
        self.out.write_all(&header).map_err(failed)?;
        self.out.seek(SeekFrom::Start(self.at)).map_err(failed)?;
        central_header(&mut self.directory, &entry);
        self.entries += 1;
        for (name, content) in std::mem::take(&mut self.waiting) {
            self.entry(&name, &content)?;
        }
        Ok(())
    }

    /// Takes back the entry being written: what follows is written over it.
    pub fn abandon(&mut self) -> Result<()> {
        self.waiting.clear();
        if let Some(open) = self.open.take() {
            self.at = open.offset;
            self.out
                .seek(SeekFrom::Start(open.offset))
                .map_err(|source| Error::Write { part: open.name, source })?;
        }
        Ok(())
    }

    /// Adds a whole entry; a large one is compressed on all processors.
    pub fn entry(&mut self, name: &str, content: &[u8]) -> Result<()> {
        self.begin(name)?;
        let mut chunks = content.chunks(CHUNK);
        if chunks.len() == 0 {
            self.block(&Compressor::new().block(content))?;
        }
        incola_parallel::ordered(
            || Ok(chunks.next()),
            Compressor::new,
            Compressor::block,
            |block| self.block(&block),
        )?;
        self.end()
    }

    /// Adds a whole entry behind the one that is open; it goes if that one is [abandoned](Self::abandon).
    pub fn entry_apart(&mut self, name: &str, content: &[u8]) {
        self.waiting.push((name.to_owned(), content.to_vec()));
    }

    /// Copies an entry of another archive as it is: compressed bytes, time, flags and descriptor.
    pub fn copy<R: Read + Seek>(&mut self, from: &mut ZipReader<R>, place: usize) -> Result<()> {
        let record = from.entries()[place].record_at(self.at)?;
        let name = from.entries()[place].name.clone();
        let mut bytes = from.whole(place)?;
        let copied =
            io::copy(&mut bytes, &mut self.out).map_err(|source| Error::Write { part: name, source })?;
        self.at += copied;
        self.directory.extend_from_slice(&record);
        self.entries += 1;
        Ok(())
    }

    /// Writes the central directory and hands back the output, which ends there.
    pub fn finish(mut self) -> Result<W> {
        let start = self.at;
        let mut directory = std::mem::take(&mut self.directory);
        end_of_directory(&mut directory, self.entries, start);
        self.write(&directory)?;
        Ok(self.out)
    }

    fn write(&mut self, bytes: &[u8]) -> Result<()> {
        self.out.write_all(bytes).map_err(|source| Error::Write {
            part: self.open.as_ref().map_or_else(|| "zip directory".into(), |o| o.name.clone()),
            source,
        })?;
        self.at += bytes.len() as u64;
        Ok(())
    }
}

const MAX_32: u64 = 0xFFFF_FFFF;

fn short(out: &mut Vec<u8>, value: u16) {
    out.extend_from_slice(&value.to_le_bytes());
}

fn long(out: &mut Vec<u8>, value: u32) {
    out.extend_from_slice(&value.to_le_bytes());
}

/// A 32-bit field, all ones if the value is in the zip64 field.
fn long_or_full(out: &mut Vec<u8>, value: u64) {
    long(out, u32::try_from(value).unwrap_or(u32::MAX));
}

/// From "version needed" to the sizes: what local and central header share.
fn shared_header(out: &mut Vec<u8>, entry: &Entry, zip64: bool) {
    short(out, if zip64 { 45 } else { 20 });
    short(out, 0x0800); // names are UTF-8
    short(out, 8); // deflate
    short(out, 0);
    short(out, DATE_1980);
    long(out, entry.crc);
    if zip64 {
        long(out, u32::MAX);
        long(out, u32::MAX);
    } else {
        long_or_full(out, entry.compressed);
        long_or_full(out, entry.raw);
    }
    short(out, entry.name.len() as u16);
}

fn local_header(out: &mut Vec<u8>, entry: &Entry) {
    let zip64 = entry.compressed >= MAX_32 || entry.raw >= MAX_32;
    long(out, 0x0403_4B50);
    shared_header(out, entry, zip64);
    short(out, EXTRA_BYTES);
    out.extend_from_slice(entry.name.as_bytes());
    if zip64 {
        short(out, 0x0001);
        short(out, 16);
        out.extend_from_slice(&entry.raw.to_le_bytes());
        out.extend_from_slice(&entry.compressed.to_le_bytes());
    } else {
        short(out, 0xA220);
        short(out, 16);
        short(out, 0xA028); // the padding field's own mark
        out.extend_from_slice(&[0; 14]);
    }
}

fn central_header(out: &mut Vec<u8>, entry: &Entry) {
    let sizes = entry.compressed >= MAX_32 || entry.raw >= MAX_32;
    let far = entry.offset >= MAX_32;
    let mut extra = Vec::new();
    if sizes {
        extra.extend_from_slice(&entry.raw.to_le_bytes());
        extra.extend_from_slice(&entry.compressed.to_le_bytes());
    }
    if far {
        extra.extend_from_slice(&entry.offset.to_le_bytes());
    }
    long(out, 0x0201_4B50);
    short(out, 45);
    shared_header(out, entry, sizes);
    short(out, if extra.is_empty() { 0 } else { 4 + extra.len() as u16 });
    short(out, 0); // comment
    short(out, 0); // disk
    short(out, 0);
    long(out, 0);
    long_or_full(out, entry.offset);
    out.extend_from_slice(entry.name.as_bytes());
    if !extra.is_empty() {
        short(out, 0x0001);
        short(out, extra.len() as u16);
        out.extend_from_slice(&extra);
    }
}

/// The end of the directory, whose headers are in `out` already and begin at byte `start` of the archive.
fn end_of_directory(out: &mut Vec<u8>, entries: u64, start: u64) {
    let size = out.len() as u64;
    if start >= MAX_32 || size >= MAX_32 || entries >= 0xFFFF {
        let at = start + size;
        long(out, 0x0606_4B50);
        out.extend_from_slice(&44_u64.to_le_bytes());
        short(out, 45);
        short(out, 45);
        long(out, 0);
        long(out, 0);
        out.extend_from_slice(&entries.to_le_bytes());
        out.extend_from_slice(&entries.to_le_bytes());
        out.extend_from_slice(&size.to_le_bytes());
        out.extend_from_slice(&start.to_le_bytes());
        long(out, 0x0706_4B50);
        long(out, 0);
        out.extend_from_slice(&at.to_le_bytes());
        long(out, 1);
    }
    long(out, 0x0605_4B50);
    short(out, 0);
    short(out, 0);
    let count = u16::try_from(entries).unwrap_or(u16::MAX);
    short(out, count);
    short(out, count);
    long_or_full(out, size);
    long_or_full(out, start);
    short(out, 0);
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Cursor;

    #[test]
    fn an_abandoned_entry_leaves_no_trace() {
        let build = |abandon: bool| {
            let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
            zip.entry("a.xml", b"<a/>").unwrap();
            if abandon {
                zip.begin("lost.xml").unwrap();
                zip.block(&Compressor::new().block(b"half")).unwrap();
                zip.abandon().unwrap();
            }
            zip.entry("b.xml", &b"<b/>".repeat(100)).unwrap();
            zip.finish().unwrap().into_inner()
        };
        assert_eq!(build(true), build(false));
    }

    #[test]
    fn sizes_of_four_gibibytes_move_to_the_zip64_field() {
        let entry = Entry { name: "big.xml".into(), offset: 5 << 32, crc: 1, compressed: 7, raw: 5 << 32 };
        let mut header = Vec::new();
        local_header(&mut header, &entry);
        assert_eq!(header[4..6], [45, 0]);
        assert_eq!(header[18..26], [0xFF; 8]);
        assert_eq!(header[37..41], [1, 0, 16, 0]);
        let mut central = Vec::new();
        central_header(&mut central, &entry);
        assert_eq!(u16::from_le_bytes([central[30], central[31]]), 4 + 24);
    }
}
