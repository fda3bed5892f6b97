//! The zip container, read: the central directory, parts inflated within bounds, and entries handed on as they are.

use crate::error::{Error, Result};
use flate2::read::DeflateDecoder;
use flate2::{Decompress, FlushDecompress, Status};
use std::collections::HashMap;
use std::io::{Read, Seek, SeekFrom};

/// Something to read a package from.
pub trait Input: Read + Seek + std::fmt::Debug + Send {}
impl<T: Read + Seek + std::fmt::Debug + Send> Input for T {}

/// Most entries of a package.
const MOST_ENTRIES: u64 = 100_000;

/// An entry of an archive.
#[derive(Clone, Debug)]
pub struct ZipEntry {
    /// Its name as it stands there.
    pub name: String,
    /// 0 stored, 8 deflated.
    method: u16,
    flags: u16,
    compressed: u64,
    raw: u64,
    offset: u64,
    /// Its record in the central directory.
    record: Vec<u8>,
    /// Where the next entry or the directory begins.
    end: u64,
}

impl ZipEntry {
    /// Bytes when it is inflated, as the archive says.
    pub fn raw_bytes(&self) -> u64 {
        self.raw
    }

    /// The checksum of its content, as the archive says.
    pub(crate) fn checksum(&self) -> u32 {
        u32_at(&self.record, 16)
    }

    /// Its record in a directory, for a copy that begins at byte `offset`.
    pub(crate) fn record_at(&self, offset: u64) -> Result<Vec<u8>> {
        let mut record = self.record.clone();
        let short = u32::try_from(offset).ok().filter(|o| *o != u32::MAX);
        let field = u32::from_le_bytes([record[42], record[43], record[44], record[45]]);
        match short {
            Some(short) if field != u32::MAX => record[42..46].copy_from_slice(&short.to_le_bytes()),
            _ => {
                let place = self.zip64_offset_place().ok_or_else(|| {
                    Error::Damaged(format!("{}: it does not fit behind four gibibytes", self.name))
                })?;
                record[place..place + 8].copy_from_slice(&offset.to_le_bytes());
            }
        }
        Ok(record)
    }

    /// Where the 64-bit offset stands in the record.
    fn zip64_offset_place(&self) -> Option<usize> {
        let name = usize::from(u16_at(&self.record, 28));
        let extra = usize::from(u16_at(&self.record, 30));
        let mut at = 46 + name;
        while at + 4 <= 46 + name + extra {
            let (id, length) = (u16_at(&self.record, at), usize::from(u16_at(&self.record, at + 2)));
            if id == 1 {
                let full = |place: usize| u32_at(&self.record, place) == u32::MAX;
                let before = 8 * (usize::from(full(24)) + usize::from(full(20)));
                // What it says of its length may be more than there is.
                let is_there = before + 8 <= length && at + 4 + before + 8 <= 46 + name + extra;
                return (is_there && full(42)).then_some(at + 4 + before);
            }
            at += 4 + length;
        }
        None
    }
}

fn u16_at(bytes: &[u8], at: usize) -> u16 {
    bytes.get(at..at + 2).map_or(0, |b| u16::from_le_bytes([b[0], b[1]]))
}

fn u32_at(bytes: &[u8], at: usize) -> u32 {
    bytes.get(at..at + 4).map_or(0, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))
}

fn u64_at(bytes: &[u8], at: usize) -> u64 {
    u64::from(u32_at(bytes, at)) | u64::from(u32_at(bytes, at + 4)) << 32
}

/// An archive that can be read from.
#[derive(Debug)]
pub struct ZipReader<R> {
    input: R,
    entries: Vec<ZipEntry>,
    /// The first entry of each name.
    places: HashMap<String, usize>,
}

/// A name without the differences that do not count: case, and the direction of slashes.
fn plain(name: &str) -> String {
    name.trim_start_matches('/').replace('\\', "/").to_lowercase()
}

impl<R: Read + Seek> ZipReader<R> {
    /// Reads the directory.
    ///
    /// # Errors
    /// [`Error::Damaged`] if this is no zip archive, or its directory makes no sense.
    pub fn open(mut input: R) -> Result<Self> {
        let damaged = |what: &str| Error::Damaged(what.to_owned());
        let length = input.seek(SeekFrom::End(0)).map_err(Error::Read)?;
        let tail_bytes = length.min(66_000);
        let mut tail = vec![0; tail_bytes as usize];
        input.seek(SeekFrom::Start(length - tail_bytes)).map_err(Error::Read)?;
        input.read_exact(&mut tail).map_err(Error::Read)?;
        let end = memchr::memmem::rfind(&tail, b"PK\x05\x06")
            .filter(|at| at + 22 <= tail.len())
            .ok_or_else(|| damaged("this is not a zip archive, or its end is missing"))?;
        let mut count = u64::from(u16_at(&tail, end + 10));
        let mut size = u64::from(u32_at(&tail, end + 12));
        let mut start = u64::from(u32_at(&tail, end + 16));
        if let Some(locator) = end.checked_sub(20).filter(|at| tail[*at..].starts_with(b"PK\x06\x07")) {
            let mut big = [0; 56];
            input.seek(SeekFrom::Start(u64_at(&tail, locator + 8))).map_err(Error::Read)?;
            input.read_exact(&mut big).map_err(|_| damaged("its zip64 directory is missing"))?;
            (count, size, start) = (u64_at(&big, 32), u64_at(&big, 40), u64_at(&big, 48));
        }
        if count > MOST_ENTRIES || size > length || start > length - size {
            return Err(damaged("its directory makes no sense"));
        }
        let mut directory = vec![0; size as usize];
        input.seek(SeekFrom::Start(start)).map_err(Error::Read)?;
        input.read_exact(&mut directory).map_err(Error::Read)?;
        let mut entries = Vec::new();
        let mut at = 0;
        while at + 46 <= directory.len() && directory[at..].starts_with(b"PK\x01\x02") {
            let lengths = [28, 30, 32].map(|place| usize::from(u16_at(&directory, at + place)));
            let next = at + 46 + lengths.iter().sum::<usize>();
            let record = directory.get(at..next).ok_or_else(|| damaged("its directory is cut off"))?.to_vec();
            entries.push(entry(record, start)?);
            at = next;
        }
        if entries.len() as u64 != count {
            return Err(damaged("its directory makes no sense"));
        }
        let mut offsets: Vec<u64> = entries.iter().map(|e| e.offset).collect();
        offsets.sort_unstable();
        for entry in &mut entries {
            let behind = offsets.partition_point(|offset| *offset <= entry.offset);
            entry.end = offsets.get(behind).copied().unwrap_or(start);
        }
        let mut places = HashMap::with_capacity(entries.len());
        for (place, entry) in entries.iter().enumerate() {
            places.entry(plain(&entry.name)).or_insert(place);
        }
        Ok(Self { input, entries, places })
    }

    /// The entries in the order of the directory.
    pub fn entries(&self) -> &[ZipEntry] {
        &self.entries
    }

    /// The place of the entry of that name, whatever its case and the direction of its slashes.
    pub fn find(&self, name: &str) -> Option<usize> {
        self.places.get(&plain(name)).copied()
    }

    /// A part, inflated.
    ///
    /// # Errors
    /// [`Error::Damaged`] if it is larger than `most` bytes, cannot be inflated, or its checksum is wrong; [`Error::Read`] if the system
    /// does not give it.
    pub fn read(&mut self, place: usize, most: u64) -> Result<Vec<u8>> {
        let name = self.entries[place].name.clone();
        let mut content = Vec::new();
        let read = self.stream(place)?.take(most + 1).read_to_end(&mut content);
        match read {
            Ok(_) if content.len() as u64 > most => {
                Err(Error::Damaged(format!("{name}: it is larger than {} MiB", most >> 20)))
            }
            Ok(_) if crc32fast::hash(&content) != self.entries[place].checksum() => {
                Err(Error::Damaged(format!("{name}: its checksum is wrong")))
            }
            Ok(_) => Ok(content),
            Err(error) => Err(Error::of_part(&name, error)),
        }
    }

    /// A part as a stream.
    ///
    /// # Errors
    /// [`Error::Damaged`] if it is encrypted or packed in a way that packages do not use.
    pub fn stream(&mut self, place: usize) -> Result<Box<dyn Read + '_>> {
        let start = self.content_start(place)?;
        self.input.seek(SeekFrom::Start(start)).map_err(Error::Read)?;
        let entry = &self.entries[place];
        let packed = (&mut self.input).take(entry.compressed);
        Ok(if entry.method == 8 { Box::new(DeflateDecoder::new(packed)) } else { Box::new(packed) })
    }

    /// Where the content of an entry begins.
    fn content_start(&mut self, place: usize) -> Result<u64> {
        let entry = &self.entries[place];
        let mut header = [0; 30];
        self.input.seek(SeekFrom::Start(entry.offset)).map_err(Error::Read)?;
        self.input.read_exact(&mut header).map_err(Error::Read)?;
        if !header.starts_with(b"PK\x03\x04") || entry.flags & 1 != 0 {
            return Err(Error::Damaged(format!("{}: it is encrypted or damaged", entry.name)));
        }
        if !matches!(entry.method, 0 | 8) {
            return Err(Error::Damaged(format!("{}: packed by method {}", entry.name, entry.method)));
        }
        Ok(entry.offset + 30 + u64::from(u16_at(&header, 26)) + u64::from(u16_at(&header, 28)))
    }

    /// A part as a stream that holds on to nothing: see [`EntryStream::read`].
    ///
    /// # Errors
    /// As [`Self::stream`].
    pub(crate) fn entry_stream(&mut self, place: usize) -> Result<EntryStream> {
        let start = self.content_start(place)?;
        let entry = &self.entries[place];
        Ok(EntryStream {
            name: entry.name.clone(),
            at: start,
            left: entry.compressed,
            inflater: (entry.method == 8).then(|| Decompress::new(false)),
            input: Vec::new(),
            input_at: 0,
            crc: crc32fast::Hasher::new(),
            expected: Some(u32_at(&entry.record, 16)),
            is_done: false,
            raw: 0,
            seams: Vec::new(),
        })
    }

    /// Where the compressed bytes of an entry begin, and how many there are; `None`: it is not deflated.
    pub(super) fn deflated(&mut self, place: usize) -> Result<Option<(u64, u64)>> {
        let start = self.content_start(place)?;
        let entry = &self.entries[place];
        Ok((entry.method == 8).then_some((start, entry.compressed)))
    }

    /// Appends so many bytes of the archive, from byte `at` on.
    pub(super) fn read_at(&mut self, at: u64, count: usize, out: &mut Vec<u8>) -> Result<()> {
        let from = out.len();
        out.resize(from + count, 0);
        self.input.seek(SeekFrom::Start(at)).map_err(Error::Read)?;
        self.input.read_exact(&mut out[from..]).map_err(Error::Read)
    }

    /// The same from a seam on, as if nothing stood before it. What comes out is not compared with the checksum.
    pub(crate) fn entry_stream_from(&mut self, place: usize, seam: &Seam) -> Result<EntryStream> {
        let stream = self.entry_stream(place)?;
        let (at, left) = (stream.at + seam.packed, stream.left.saturating_sub(seam.packed));
        Ok(EntryStream { at, left, expected: None, ..stream })
    }

    /// The compressed bytes of an entry from one seam to another.
    pub(crate) fn packed(&mut self, place: usize, from: &Seam, to: &Seam) -> Result<impl Read + '_> {
        let start = self.content_start(place)?;
        self.input.seek(SeekFrom::Start(start + from.packed)).map_err(Error::Read)?;
        Ok((&mut self.input).take(to.packed.saturating_sub(from.packed)))
    }

    /// The bytes of an entry as they stand in the archive: local header, content, descriptor.
    pub(crate) fn whole(&mut self, place: usize) -> Result<impl Read + '_> {
        let (from, to) = (self.entries[place].offset, self.entries[place].end);
        self.input.seek(SeekFrom::Start(from)).map_err(Error::Read)?;
        Ok((&mut self.input).take(to - from))
    }
}

/// How many times its size a part may inflate to, once it is large: rows that are nearly the same give less than a hundred.
const MOST_RATIO: u64 = 128;

/// Bytes from which on it is asked.
const LARGE: u64 = 64 << 20;

fn is_bomb(compressed: u64, raw: u64) -> bool {
    raw > LARGE && raw > compressed.saturating_mul(MOST_RATIO)
}

/// Compressed bytes read at a time.
const INPUT: usize = 64 * 1024;

/// The content of an entry, inflated piece by piece. The archive is lent for each piece, so that other things can be done with it
/// in between.
#[derive(Debug)]
pub(crate) struct EntryStream {
    name: String,
    /// Where the next compressed byte stands.
    at: u64,
    left: u64,
    /// `None`: stored as it is.
    inflater: Option<Decompress>,
    input: Vec<u8>,
    input_at: usize,
    crc: crc32fast::Hasher,
    expected: Option<u32>,
    is_done: bool,
    /// Bytes that came out.
    raw: u64,
    seams: Vec<Seam>,
}

/// Where the compressed bytes of an entry can be cut, as far as one can see: an empty stored block (RFC 1951, 3.2.4) seems to end
/// here, on a byte.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Seam {
    /// Compressed bytes before it.
    pub(crate) packed: u64,
    /// Bytes that these stand for.
    pub(crate) raw: u64,
    /// The checksum of those.
    pub(crate) crc: u32,
}

/// What an empty stored block ends with.
pub(super) const SEAM: &[u8] = b"\0\0\xFF\xFF";

/// Bytes that seams are apart at least.
const SEAM_BYTES: u64 = 32 * 1024;

impl EntryStream {
    /// Appends about `most` more bytes; gives whether there were any.
    ///
    /// # Errors
    /// [`Error::Damaged`] if it cannot be inflated, or its checksum is wrong at the end.
    pub(crate) fn read<R: Read + Seek>(
        &mut self,
        zip: &mut ZipReader<R>,
        out: &mut Vec<u8>,
        most: usize,
    ) -> Result<bool> {
        let start = out.len();
        let mut hashed = start;
        out.reserve(most);
        while !self.is_done && out.len() < start + most {
            if self.input_at == self.input.len() && self.left > 0 {
                let wanted = self.left.min(INPUT as u64);
                self.input.resize(wanted as usize, 0);
                zip.input.seek(SeekFrom::Start(self.at)).map_err(Error::Read)?;
                zip.input.read_exact(&mut self.input).map_err(Error::Read)?;
                (self.at, self.left, self.input_at) = (self.at + wanted, self.left - wanted, 0);
            }
            let before = out.len();
            let input = &self.input[self.input_at..];
            let damaged = |what: &str| Error::Damaged(format!("{}: {what}", self.name));
            if let Some(inflater) = &mut self.inflater {
                let taken = inflater.total_in();
                let seam = memchr::memmem::find(input, SEAM).map(|at| at + SEAM.len());
                let input = &input[..seam.unwrap_or(input.len())];
                let status = inflater
                    .decompress_vec(input, out, FlushDecompress::None)
                    .map_err(|e| damaged(&format!("it cannot be inflated: {e}")))?;
                let all_in = inflater.total_in();
                if is_bomb(all_in, inflater.total_out()) {
                    return Err(Error::Refused(format!(
                        "{}: it inflates to more than {MOST_RATIO} times its size",
                        self.name
                    )));
                }
                let taken = (all_in - taken) as usize;
                self.input_at += taken;
                self.is_done = status == Status::StreamEnd;
                if !self.is_done && taken == 0 && out.len() == before && self.left == 0 {
                    return Err(damaged("it is cut off"));
                }
                // With room left, everything that these bytes stand for has come out.
                if seam == Some(taken) && out.len() < out.capacity() {
                    let raw = self.raw + (out.len() - start) as u64;
                    if self.seams.last().is_none_or(|last| last.raw + SEAM_BYTES <= raw) {
                        self.crc.update(&out[hashed..]);
                        hashed = out.len();
                        let crc = self.crc.clone().finalize();
                        self.seams.push(Seam { packed: all_in, raw, crc });
                    }
                }
            } else {
                out.extend_from_slice(input);
                self.input_at = self.input.len();
                self.is_done = self.left == 0;
            }
        }
        self.crc.update(&out[hashed..]);
        self.raw += (out.len() - start) as u64;
        if self.is_done
            && let Some(expected) = self.expected.take()
            && expected != std::mem::take(&mut self.crc).finalize()
        {
            return Err(Error::Damaged(format!("{}: its checksum is wrong", self.name)));
        }
        Ok(out.len() > start)
    }

    /// The seams that were passed.
    pub(crate) fn seams(&self) -> &[Seam] {
        &self.seams
    }
}

fn entry(record: Vec<u8>, directory: u64) -> Result<ZipEntry> {
    let name_bytes = usize::from(u16_at(&record, 28));
    let name = String::from_utf8_lossy(&record[46..46 + name_bytes]).into_owned();
    let mut entry = ZipEntry {
        method: u16_at(&record, 10),
        flags: u16_at(&record, 8),
        compressed: u64::from(u32_at(&record, 20)),
        raw: u64::from(u32_at(&record, 24)),
        offset: u64::from(u32_at(&record, 42)),
        end: 0,
        name,
        record,
    };
    // Sizes that do not fit stand in the zip64 field, in this order.
    let extra_end = 46 + name_bytes + usize::from(u16_at(&entry.record, 30));
    let mut at = 46 + name_bytes;
    while at + 4 <= extra_end {
        let (id, length) = (u16_at(&entry.record, at), usize::from(u16_at(&entry.record, at + 2)));
        if id == 1 {
            let mut value_at = at + 4;
            for field in [&mut entry.raw, &mut entry.compressed, &mut entry.offset] {
                if *field == u64::from(u32::MAX) && value_at + 8 <= at + 4 + length {
                    *field = u64_at(&entry.record, value_at);
                    value_at += 8;
                }
            }
        }
        at += 4 + length;
    }
    if entry.offset >= directory {
        return Err(Error::Damaged(format!("{}: it lies behind the directory", entry.name)));
    }
    Ok(entry)
}

#[cfg(test)]
mod tests {
    use super::super::zip_writer::ZipWriter;
    use super::*;
    use std::io::Cursor;

    #[test]
    fn what_was_written_is_read_and_copied_byte_for_byte() {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        zip.entry("xl/a.xml", b"<a/>").unwrap();
        zip.entry("xl/b.xml", &b"<b/>".repeat(1000)).unwrap();
        let archive = zip.finish().unwrap().into_inner();
        let mut reader = ZipReader::open(Cursor::new(archive.clone())).unwrap();
        assert_eq!(reader.find("/XL\\A.xml"), Some(0));
        assert_eq!(reader.read(1, 1 << 20).unwrap(), b"<b/>".repeat(1000));
        assert!(matches!(reader.read(1, 100), Err(Error::Damaged(_))));
        let mut copy = ZipWriter::new(Cursor::new(Vec::new()));
        copy.copy(&mut reader, 0).unwrap();
        copy.copy(&mut reader, 1).unwrap();
        assert_eq!(copy.finish().unwrap().into_inner(), archive);
    }

    #[test]
    fn a_field_that_is_shorter_than_it_says_is_an_error() {
        let mut record = vec![0; 46];
        record[..4].copy_from_slice(b"PK\x01\x02");
        record[20..28].fill(0xFF);
        record[42..46].fill(0xFF);
        // A name of one byte; a field of 24 bytes, of which 8 are there.
        (record[28], record[30]) = (1, 12);
        record.extend(b"a\x01\0\x18\0\x05\0\0\0\0\0\0\0");
        let entry = entry(record, 100).unwrap();
        assert!(matches!(entry.record_at(5 << 32), Err(Error::Damaged(_))));
        assert!(matches!(entry.record_at(5), Err(Error::Damaged(_))));
    }

    #[test]
    fn what_inflates_beyond_measure_is_refused() {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        zip.entry("xl/a.xml", &vec![b' '; 70 << 20]).unwrap();
        zip.entry("xl/b.xml", &vec![b' '; 1 << 20]).unwrap();
        let mut reader = ZipReader::open(Cursor::new(zip.finish().unwrap().into_inner())).unwrap();
        let mut all = |place| {
            let mut stream = reader.entry_stream(place).unwrap();
            let mut out = Vec::new();
            while stream.read(&mut reader, &mut out, 1 << 20)? {
                out.clear();
            }
            Ok::<_, Error>(())
        };
        assert!(matches!(all(0), Err(Error::Refused(_))));
        all(1).unwrap();
    }

    #[test]
    fn a_wrong_checksum_is_told() {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        zip.entry("xl/a.xml", b"<a/>").unwrap();
        let mut archive = zip.finish().unwrap().into_inner();
        let directory = memchr::memmem::find(&archive, b"PK\x01\x02").unwrap();
        archive[directory + 16] ^= 1;
        let mut reader = ZipReader::open(Cursor::new(archive)).unwrap();
        let error = reader.read(0, 1 << 10).unwrap_err().to_string();
        assert!(error.contains("checksum is wrong"), "{error}");
    }

    #[test]
    fn what_is_no_archive_is_an_error_and_never_a_panic() {
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        zip.entry("xl/a.xml", b"<a/>").unwrap();
        let archive = zip.finish().unwrap().into_inner();
        for cut in 0..archive.len() {
            let _ = ZipReader::open(Cursor::new(archive[..cut].to_vec()));
            let mut changed = archive.clone();
            changed[cut] ^= 0xFF;
            if let Ok(mut reader) = ZipReader::open(Cursor::new(changed)) {
                let _ = (0..reader.entries().len()).map(|i| reader.read(i, 1 << 16).is_ok()).count();
            }
        }
    }
}
