//! The check of a finished workbook: whatever the file holds otherwise is found.

use crate::{imported, opened, rows, surveyed};
use incola_core::reading::Choices;
use incola_engine::import::{Checked, check};
use incola_engine::stop::{NotAsWritten, Stop};
use incola_workbook::package::rewrite::with_part_changed;
use proptest::prelude::*;
use std::io::Cursor;

const DUES: &str = "Berth,Ship,Dues,Share\n007,Saltwind,12.50,7%\n012,Grey Heron,-3.25,\n031,,9.00,3%\n";

#[test]
fn a_file_that_is_not_what_was_written_is_told_by_what_differs() {
    let (book, written) =
        imported(DUES.as_bytes(), &surveyed(DUES.as_bytes(), &Choices::default()).unwrap(), false);
    // A percentage is a hundredth in the sheet: its sum is not compared.
    assert_eq!(check(&mut opened(&book), 0, &written).unwrap(), Checked { rows: 3, cells: 10, sums: 1 });
    let row = "<row r=\"4\">";
    for (from, to, expected) in [
        ("<v>12.5</v>", "<v>12.6</v>", NotAsWritten::Sum(3, "18.35".into(), "18.25".into())),
        ("<v>-3.25</v>", "<v>3.25</v>", NotAsWritten::Sum(3, "24.75".into(), "18.25".into())),
        ("<t>Grey Heron</t>", "<t>Grey heron</t>", NotAsWritten::Values),
        ("<t>Saltwind</t>", "<t></t>", NotAsWritten::Cells(9, 10)),
        (row, "<row r=\"9\">", NotAsWritten::Rows(2, 3)),
        ("<v>0.07</v>", "<v>0.08</v>", NotAsWritten::Values),
    ] {
        let change = |xml: Vec<u8>| {
            let xml = String::from_utf8(xml).unwrap();
            assert!(xml.contains(from), "{from}: {xml}");
            xml.replacen(from, to, 1).into_bytes()
        };
        let input = Box::new(Cursor::new(book.clone()));
        let part = "xl/worksheets/sheet1.xml";
        let changed = with_part_changed(input, part, Cursor::new(Vec::new()), change).unwrap().into_inner();
        match check(&mut opened(&changed), 0, &written) {
            Err(Stop::NotAsWritten { sheet, why }) => assert_eq!((sheet.as_str(), why), ("calls", expected)),
            other => panic!("{from}: {other:?}"),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(64) })]

    /// Whatever texts and numbers there are, what was written is found again; a sheet with a bit that is another one passes only if
    /// its cells are the same.
    #[test]
    fn every_import_is_found_again_and_no_damaged_one(
        records in prop::collection::vec(("[a-z<&\"\\x01é ]{0,9}", -99_999_i64..99_999), 2..60),
        place in any::<prop::sample::Index>(),
    ) {
        let quoted = |text: &str| text.replace('"', "\"\"");
        let mut text = String::from("Ship,Dues\n");
        for (ship, cents) in &records {
            text.push_str(&format!("\"x{}\",{}.{:02}\n", quoted(ship), cents / 100, (cents % 100).abs()));
        }
        let (book, written) = imported(text.as_bytes(), &surveyed(text.as_bytes(), &Choices::default()).unwrap(), true);
        let checked = check(&mut opened(&book), 0, &written).unwrap();
        prop_assert_eq!((checked.rows, checked.cells), (records.len() as u64, 2 * records.len() as u64));
        // The sheet's part is the first one of the package.
        let end = memchr::memmem::find(&book, b"xl/tables/table1.xml").unwrap() - 30;
        let from = 80;
        let mut damaged = book.clone();
        damaged[from + place.index(end - from)] ^= 0x20;
        // Bits that fill up a byte mean nothing: what passes holds the same cells.
        if let Ok(mut other) = incola_workbook::ExistingBook::open(Box::new(Cursor::new(damaged.clone())))
            && check(&mut other, 0, &written).is_ok()
        {
            prop_assert_eq!(rows(&damaged), rows(&book));
        }
    }
}
