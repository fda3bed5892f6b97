//! Damaged archives: never a panic, never more than what was asked for, and what is read is what was written or an error.

use incola_workbook::package::{zip_reader::ZipReader, zip_writer::ZipWriter};
use incola_workbook::{BookWriter, ExistingBook, SheetColumn, SheetLayout, StyleId, Styles};
use proptest::prelude::*;
use std::io::Cursor;

const PARTS: [(&str, &[u8]); 3] =
    [("xl/a.xml", b"<a/>"), ("xl/b.xml", b"<b>text</b>"), ("c.xml", b"<c x=\"1\"/>")];

fn archive() -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, content) in PARTS {
        zip.entry(name, content).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn book() -> Vec<u8> {
    let column = |name: &str| SheetColumn {
        name: name.into(),
        longest: 5,
        style: StyleId::default(),
        is_text: false,
        description: None,
    };
    let layout = SheetLayout {
        name: "calls".into(),
        columns: vec![column("Call"), column("Dues")],
        rows: 2,
        header: true,
        table: Some("calls".into()),
        totals: Vec::new(),
    };
    let (mut book, styles) = (BookWriter::new(Cursor::new(Vec::new())), Styles::new());
    book.begin_sheet(layout, &styles).unwrap();
    book.end_sheet().unwrap();
    book.finish(&styles, "calls", "2031-03-04T05:06:07Z").unwrap().into_inner()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(3000) })]
    #[test]
    fn a_damaged_archive_says_so_or_gives_what_was_written(
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..4),
        cut in prop::option::weighted(0.2, any::<prop::sample::Index>()),
    ) {
        let mut bytes = archive();
        for (at, byte) in changes {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        if let Some(cut) = cut {
            bytes.truncate(cut.index(bytes.len()));
        }
        let Ok(mut zip) = ZipReader::open(Cursor::new(bytes)) else { return Ok(()) };
        for place in 0..zip.entries().len() {
            let Ok(content) = zip.read(place, 1 << 16) else { continue };
            prop_assert!(PARTS.iter().any(|(_, own)| *own == content), "{content:?}");
        }
    }

    #[test]
    fn a_damaged_workbook_is_refused_or_read(
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6),
    ) {
        let mut bytes = book();
        for (at, byte) in changes {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        let Ok(mut book) = ExistingBook::open(Box::new(Cursor::new(bytes))) else { return Ok(()) };
        for sheet in 0..book.sheet_names().len() {
            let _ = book.cells(sheet, 1, 100, 1000);
            let _ = book.tables(sheet);
        }
    }
}

#[test]
fn an_archive_that_is_cut_anywhere_is_refused() {
    let whole = archive();
    for length in 0..whole.len() {
        assert!(ZipReader::open(Cursor::new(whole[..length].to_vec())).is_err(), "cut at {length}");
    }
    assert!(ZipReader::open(Cursor::new(whole)).is_ok());
}
