//! The archive around a workbook.

use incola_workbook::ExistingBook;
use incola_workbook::package::zip_reader::ZipReader;
use std::io::Cursor;

/// Bytes that one entry may give at most.
const MOST: u64 = 1 << 20;

/// An archive is refused or read, and no entry gives more than was asked for.
pub fn directory(data: &[u8]) {
    if let Ok(mut zip) = ZipReader::open(Cursor::new(data)) {
        for place in 0..zip.entries().len().min(100) {
            if let Ok(content) = zip.read(place, MOST) {
                assert!(content.len() as u64 <= MOST);
            }
        }
    }
    if let Ok(mut book) = ExistingBook::open(Box::new(Cursor::new(data.to_vec()))) {
        for sheet in 0..book.sheet_names().len().min(4) {
            let _ = (book.cells(sheet, 1, 100, 1000), book.tables(sheet), book.comments(sheet));
        }
    }
}
