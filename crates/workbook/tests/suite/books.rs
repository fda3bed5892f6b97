//! Cells written, and read by ourselves and by a reader that is not ours.

use calamine::{Data, Reader, Xlsx};
use incola_workbook::{BookWriter, Compressor, ExistingBook, SheetColumn, SheetLayout, StyleId, Styles};
use proptest::prelude::*;
use std::io::Cursor;

#[derive(Clone, Debug)]
enum Cell {
    Text(String),
    Number(i32, u8),
    Boolean(bool),
    Blank,
}

fn cell() -> impl Strategy<Value = Cell> {
    prop_oneof![
        3 => "[ -~\u{e4}\u{20ac}\u{1f6a2}\n\t]{0,12}".prop_map(Cell::Text),
        1 => Just(Cell::Text("_x0041_ & <b> ]]> \u{fffd}".into())),
        3 => (any::<i32>(), 0_u8..6).prop_map(|(digits, scale)| Cell::Number(digits, scale)),
        1 => any::<bool>().prop_map(Cell::Boolean),
        1 => Just(Cell::Blank),
    ]
}

/// A number as it is written.
fn digits(number: i32, scale: u8) -> String {
    let sign = if number < 0 { "-" } else { "" };
    let text = format!("{:0width$}", number.unsigned_abs(), width = usize::from(scale) + 1);
    let (whole, fraction) = text.split_at(text.len() - usize::from(scale));
    if scale == 0 { format!("{sign}{whole}") } else { format!("{sign}{whole}.{fraction}") }
}

fn written(rows: &[Vec<Cell>], width: usize) -> Vec<u8> {
    let column = |n: usize| SheetColumn {
        name: format!("Column {n}"),
        longest: 12,
        style: StyleId::default(),
        is_text: false,
        description: None,
    };
    let layout = SheetLayout {
        name: "calls".into(),
        columns: (1..=width).map(column).collect(),
        rows: rows.len() as u64,
        header: false,
        table: None,
        totals: Vec::new(),
    };
    let (mut book, styles) = (BookWriter::new(Cursor::new(Vec::new())), Styles::new());
    book.begin_sheet(layout, &styles).unwrap();
    let columns: Vec<u32> = (1..=width as u32).collect();
    let mut encoder = book.rows(&columns);
    let mut compressor = Compressor::new();
    for (row, cells) in (1..).zip(rows) {
        encoder.begin_row(row);
        for (place, cell) in cells.iter().enumerate() {
            match cell {
                Cell::Text(text) => {
                    encoder.text(place, Styles::TEXT, text.as_bytes());
                }
                Cell::Number(number, scale) => {
                    let text = digits(*number, *scale);
                    encoder.number(place, StyleId::default(), |out| out.extend_from_slice(text.as_bytes()));
                }
                Cell::Boolean(value) => encoder.boolean(place, StyleId::default(), *value),
                Cell::Blank => encoder.blank(place),
            }
        }
        encoder.end_row();
        // Blocks end anywhere between rows.
        if row % 3 == 0 {
            let block = encoder.compress(&mut compressor);
            encoder.clear();
            book.block(&block).unwrap();
        }
    }
    if !encoder.xml().is_empty() {
        let block = encoder.compress(&mut compressor);
        book.block(&block).unwrap();
    }
    book.end_sheet().unwrap();
    book.finish(&styles, "calls", "2031-03-04T05:06:07Z").unwrap().into_inner()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(300) })]
    #[test]
    fn every_reader_finds_what_was_written(rows in prop::collection::vec(prop::collection::vec(cell(), 4), 1..20)) {
        let bytes = written(&rows, 4);
        let mut own = ExistingBook::open(Box::new(Cursor::new(bytes.clone()))).unwrap();
        let found = own.cells(0, 1, u32::MAX, usize::MAX).unwrap();
        let mut other: Xlsx<_> = Xlsx::new(Cursor::new(bytes)).unwrap();
        let range = other.worksheet_range("calls").unwrap();
        for (n, row) in rows.iter().enumerate() {
            for (place, cell) in row.iter().enumerate() {
                let at = (n as u32 + 1, place as u32 + 1);
                let own = found.iter().find(|c| (c.at.row, c.at.column) == at);
                let theirs = range.get_value((n as u32, place as u32)).cloned().unwrap_or(Data::Empty);
                match cell {
                    Cell::Text(text) => {
                        prop_assert_eq!(own.map(|c| c.text.as_str()).unwrap_or_default(), text.as_str());
                        prop_assert!(own.is_none_or(|c| c.is_text));
                        // The other reader leaves escaped characters as they are.
                        if !text.contains("_x") {
                            let shown = if let Data::String(own) = &theirs { own.as_str() } else { "" };
                            prop_assert_eq!(shown.replace("\r\n", "\n"), text.as_str());
                        }
                    }
                    Cell::Number(number, scale) => {
                        let text = digits(*number, *scale);
                        prop_assert_eq!(own.map(|c| c.text.as_str()), Some(text.as_str()));
                        let value: f64 = text.parse().unwrap();
                        let shown = match theirs {
                            Data::Float(own) => own,
                            Data::Int(own) => own as f64,
                            other => return Err(TestCaseError::fail(format!("{other:?} for {text}"))),
                        };
                        prop_assert_eq!(shown.to_bits(), value.to_bits(), "{}", text);
                    }
                    Cell::Boolean(value) => prop_assert_eq!(theirs, Data::Bool(*value)),
                    Cell::Blank => {
                        prop_assert!(own.is_none_or(|c| c.text.is_empty()));
                        prop_assert_eq!(theirs, Data::Empty);
                    }
                }
            }
        }
    }
}
