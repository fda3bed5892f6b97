//! References against a plain way of spelling them.

use incola_workbook::{CellRef, Range, column_letters, limits};
use proptest::prelude::*;

/// Letters of a column, counted up one by one.
fn next(letters: &str) -> String {
    let mut out: Vec<u8> = letters.bytes().collect();
    for byte in out.iter_mut().rev() {
        if *byte < b'Z' {
            *byte += 1;
            return String::from_utf8(out).unwrap();
        }
        *byte = b'A';
    }
    format!("A{}", String::from_utf8(out).unwrap())
}

#[test]
fn all_columns_have_their_letters() {
    let mut letters = "A".to_owned();
    for column in 1..=limits::COLUMNS {
        assert_eq!(column_letters(column), letters);
        let cell = CellRef { row: 7, column };
        assert_eq!(CellRef::parse(&cell.to_string()), Some(cell));
        assert_eq!(CellRef::parse(&cell.to_string().to_lowercase()), Some(cell));
        letters = next(&letters);
    }
    assert_eq!(column_letters(limits::COLUMNS), "XFD");
}

#[test]
fn what_is_no_cell_is_none() {
    for text in
        ["", "A", "1", "A0", "A1048577", "XFE1", "ZZZZ1", "A1:B2", "A 1", "$", "1A", "A-1", "\u{c4}1", "A1x"]
    {
        assert_eq!(CellRef::parse(text), None, "{text}");
    }
    assert_eq!(CellRef::parse("XFD1048576"), CellRef::new(limits::ROWS, limits::COLUMNS));
    assert_eq!(CellRef::new(0, 1), None);
    assert_eq!(CellRef::new(1, limits::COLUMNS + 1), None);
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(2000) })]
    #[test]
    fn ranges_meet_where_they_share_a_cell(
        a in (1_u32..12, 1_u32..12, 0_u32..6, 0_u32..6),
        b in (1_u32..12, 1_u32..12, 0_u32..6, 0_u32..6),
    ) {
        let range = |(row, column, rows, columns): (u32, u32, u32, u32)| Range {
            from: CellRef { row, column },
            to: CellRef { row: row + rows, column: column + columns },
        };
        let cells = |r: Range| {
            (r.from.row..=r.to.row).flat_map(move |row| (r.from.column..=r.to.column).map(move |column| (row, column)))
        };
        let (a, b) = (range(a), range(b));
        let shared = cells(a).any(|cell| cells(b).any(|other| other == cell));
        prop_assert_eq!(a.meets(b), shared);
        prop_assert_eq!(b.meets(a), shared);
        prop_assert_eq!(Range::parse(&a.to_string()), Some(a));
        prop_assert_eq!(Range::parse(&a.fixed()), Some(a));
        let with = a.with(b.from);
        let holds = |(row, column): (u32, u32)| {
            let cell = CellRef { row, column };
            with.meets(Range { from: cell, to: cell })
        };
        prop_assert!(cells(a).all(holds), "{} with {}", a, b.from);
    }

    #[test]
    fn nothing_that_is_parsed_panics(text in "[A-Za-z$:0-9 \u{e4}-]{0,14}") {
        if let Some(cell) = CellRef::parse(&text) {
            prop_assert!(cell.row <= limits::ROWS && cell.column <= limits::COLUMNS);
        }
        let _ = Range::parse(&text);
    }
}
