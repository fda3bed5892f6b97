//! An existing sheet as a stream: what stands before its rows, whole rows, and what stands behind them.

use crate::error::{Error, Result};
use crate::limits;
use crate::markup::{MOST_TAGS, Next, TagKind, next_tag};
use crate::package::zip_reader::Input;
use crate::package::zip_reader::{EntryStream, Seam, ZipReader};
use crate::sheet::raw::{NextRow, RawRow, next_row, row_at};

/// Bytes inflated at a time.
const CHUNK: usize = 256 * 1024;

/// Most bytes of what stands before the rows, behind them, or of one row.
const MOST: usize = 24 << 20;

/// Rows one behind the other, as they stand in the sheet.
#[derive(Clone, Debug, Default)]
pub(crate) struct RowBytes {
    pub(crate) bytes: Vec<u8>,
    /// The number of the row before them.
    pub(crate) after: u32,
    /// Whether it is known that neither comments nor character data are among them.
    pub(crate) is_plain: bool,
}

impl RowBytes {
    /// The rows with their numbers: one that does not say its own stands below the one before.
    pub(crate) fn rows(&self) -> impl Iterator<Item = (u32, RawRow<'_>)> {
        let (mut number, mut at) = (self.after, 0);
        std::iter::from_fn(move || {
            let NextRow::Row(row) = row_at(&self.bytes, at, self.is_plain) else { return None };
            at = row.span.1;
            number = row.number.unwrap_or(number + 1);
            Some((number, row))
        })
    }
}

/// A sheet, passing by.
#[derive(Debug)]
pub(crate) struct SheetSource {
    stream: EntryStream,
    name: String,
    buffer: Vec<u8>,
    /// Where what was not yet handed out begins.
    at: usize,
    /// The number of the last row handed out.
    row: u32,
    is_at_end: bool,
}

impl SheetSource {
    pub(crate) fn open(zip: &mut ZipReader<Box<dyn Input>>, place: usize) -> Result<Self> {
        let name = zip.entries()[place].name.clone();
        let stream = zip.entry_stream(place)?;
        Ok(Self { stream, name, buffer: Vec::new(), at: 0, row: 0, is_at_end: false })
    }

    fn more(&mut self, zip: &mut ZipReader<Box<dyn Input>>) -> Result<bool> {
        if self.at > 0 {
            self.buffer.drain(..self.at);
            self.at = 0;
        }
        if self.buffer.len() > MOST {
            return Err(self.damaged("a row, or what is around the rows, is larger than 24 MiB"));
        }
        self.stream.read(zip, &mut self.buffer, CHUNK)
    }

    fn damaged(&self, what: &str) -> Error {
        Error::Damaged(format!("{}: {what}", self.name))
    }

    /// Where its compressed bytes can be cut, as far as they were read.
    pub(crate) fn seams(&self) -> &[Seam] {
        self.stream.seams()
    }

    /// What stands before the rows, the tag that opens them included.
    ///
    /// # Errors
    /// [`Error::Damaged`] if there are no rows, [`Error::Refused`] if it is in UTF-16.
    pub(crate) fn head(&mut self, zip: &mut ZipReader<Box<dyn Input>>) -> Result<Vec<u8>> {
        let (mut at, mut tags) = (0, 0);
        loop {
            match next_tag(&self.buffer, at) {
                Next::Tag(tag) if tag.opens("sheetData") => {
                    let (kind, end) = (tag.kind, tag.end);
                    let mut head = self.buffer[..end].to_vec();
                    self.at = end;
                    if kind == TagKind::Empty {
                        // The element is opened, and its end put before what follows.
                        let name = String::from_utf8_lossy(tag.name()).into_owned();
                        head.truncate(end - 2);
                        head.push(b'>');
                        self.buffer.splice(..end, format!("</{name}>").into_bytes());
                        self.at = 0;
                    }
                    return Ok(head);
                }
                Next::Tag(_) if tags == MOST_TAGS => {
                    return Err(self.damaged(&format!("it has more than {MOST_TAGS} tags before its rows")));
                }
                Next::Tag(tag) => (at, tags) = (tag.end, tags + 1),
                Next::Open | Next::End => {
                    if !self.more(zip)? {
                        return Err(self.damaged("it has no rows"));
                    }
                    if self.buffer.starts_with(b"\xFF\xFE") || self.buffer.starts_with(b"\xFE\xFF") {
                        return Err(Error::Refused(format!(
                            "{} is in UTF-16, which is not added to",
                            self.name
                        )));
                    }
                }
                Next::DocumentType => return Err(self.damaged("it has a document type")),
            }
        }
    }

    /// The next rows, as many as are there, none behind row `last` and not many more than `most` bytes; `None`: there are none.
    ///
    /// # Errors
    /// [`Error::Damaged`] where the rows break off.
    pub(crate) fn rows(
        &mut self,
        zip: &mut ZipReader<Box<dyn Input>>,
        last: u32,
        most: usize,
    ) -> Result<Option<RowBytes>> {
        let after = self.row;
        if last == u32::MAX {
            // Where all rows are wanted, they need not be told apart here.
            let has_more = self.buffer.len() - self.at >= CHUNK || self.more(zip)?;
            if let Some((end, row)) = has_more.then(|| self.plain_rows()).flatten() {
                // What is left over is little: the rows go as they are.
                let rest = self.buffer[end..].to_vec();
                let mut bytes = std::mem::replace(&mut self.buffer, rest);
                bytes.truncate(end);
                bytes.drain(..self.at);
                (self.at, self.row) = (0, row);
                return Ok(Some(RowBytes { bytes, after, is_plain: true }));
            }
        }
        let mut end = self.at;
        loop {
            match next_row(&self.buffer, end) {
                NextRow::Row(row) => {
                    let number = row.number.unwrap_or(self.row + 1);
                    if number > last {
                        break;
                    }
                    if number > limits::ROWS {
                        return Err(self.damaged(&format!("it has more than {} rows", limits::ROWS)));
                    }
                    if number <= self.row && self.row > 0 {
                        return Err(self.damaged(&format!("row {number} is after row {}", self.row)));
                    }
                    self.row = number;
                    end = row.span.1;
                    if end - self.at >= most {
                        break;
                    }
                }
                NextRow::End => {
                    self.is_at_end = true;
                    break;
                }
                NextRow::Open if end > self.at => break,
                NextRow::Open => {
                    if !self.more(zip)? {
                        return Err(self.damaged("its rows break off"));
                    }
                    end = self.at;
                }
            }
        }
        let bytes = self.buffer[self.at..end].to_vec();
        self.at = end;
        Ok((!bytes.is_empty()).then_some(RowBytes { bytes, after, is_plain: false }))
    }

    /// Where the last whole row ends, and its number, if all rows are spelled as nearly all programs do.
    fn plain_rows(&self) -> Option<(usize, u32)> {
        let rows = &self.buffer[self.at..];
        if memchr::memmem::find(rows, b"<!").is_some() || memchr::memmem::find(rows, b"</sheetData").is_some()
        {
            return None;
        }
        let end = memchr::memmem::rfind(rows, b"</row>")? + b"</row>".len();
        let start = memchr::memmem::rfind(&rows[..end], b"<row ")?;
        match next_row(&rows[..end], start) {
            NextRow::Row(row) if row.span.1 == end => {
                let number = row.number.filter(|number| *number > self.row)?;
                Some((self.at + end, number))
            }
            _ => None,
        }
    }

    /// Puts rows back: they come next. `after`: the number of the row before them.
    pub(crate) fn put_back(&mut self, rows: &[u8], after: u32) {
        self.buffer.splice(..self.at, rows.iter().copied());
        (self.at, self.row, self.is_at_end) = (0, after, false);
    }

    /// All rows up to row `last`, however many bytes they have.
    pub(crate) fn all_rows(&mut self, zip: &mut ZipReader<Box<dyn Input>>, last: u32) -> Result<RowBytes> {
        let mut all = RowBytes { bytes: Vec::new(), after: self.row, is_plain: false };
        while let Some(rows) = self.rows(zip, last, usize::MAX)? {
            all.bytes.extend_from_slice(&rows.bytes);
        }
        Ok(all)
    }

    /// What stands behind the rows, the tag that closes them included. Rows that are left are passed over.
    ///
    /// # Errors
    /// [`Error::Damaged`] if it is too large or breaks off.
    pub(crate) fn tail(&mut self, zip: &mut ZipReader<Box<dyn Input>>) -> Result<Vec<u8>> {
        while !self.is_at_end {
            self.rows(zip, u32::MAX, usize::MAX)?;
        }
        while self.more(zip)? {}
        Ok(self.buffer[self.at..].to_vec())
    }
}
