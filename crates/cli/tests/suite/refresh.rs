//! Links and refreshing: what the source changes comes in, what was typed by hand stays, and a broken source changes nothing.

use crate::support::{Folder, Run};
use std::fs::File;

pub(crate) const CALLS: &str = "Call,Berth,Arrived,Dues\n\
    A-1,007,17.03.2031,12.50\nA-2,012,18.03.2031,3.00\nA-3,003,19.03.2031,8.25\nA-4,009,20.03.2031,1.75\n";

/// A folder with a workbook that is linked to `calls.csv`.
pub(crate) fn linked(options: &str) -> Folder {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run(&format!("import calls.csv --into book.xlsx {options}")).expect(0);
    folder
}

impl Folder {
    pub(crate) fn book(&self) -> Vec<u8> {
        std::fs::read(self.path("book.xlsx")).unwrap()
    }

    /// Types into a cell of the first sheet, as a spreadsheet program would keep it; nothing: the cell is cleared.
    pub(crate) fn type_in(&self, cell: &str, text: &str) {
        self.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |sheet| {
            let start = sheet.find(&format!("<c r=\"{cell}\"")).unwrap();
            let end = start + sheet[start..].find("</c>").unwrap() + 4;
            let inside = match text.parse::<f64>() {
                _ if text.is_empty() => "/>".to_owned(),
                Ok(_) => format!("><v>{text}</v></c>"),
                Err(_) => format!(" t=\"str\"><v>{text}</v></c>"),
            };
            format!("{}<c r=\"{cell}\"{inside}{}", &sheet[..start], &sheet[end..])
        });
    }

    /// Puts the four rows of the first sheet into another order; nothing: a row that was typed by hand.
    fn put_rows(&self, order: &[Option<usize>; 4]) {
        self.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |sheet| {
            let from = sheet.find("<row r=\"2\"").unwrap();
            let to = sheet.find("</sheetData>").unwrap();
            let rows: Vec<&str> = sheet[from..to].split_inclusive("</row>").collect();
            let place = |row: &str, to: usize| {
                let from = &row[8..row[8..].find('"').unwrap() + 8];
                let mut row = row.replacen(&format!("r=\"{from}\""), &format!("r=\"{to}\""), 1);
                for letter in ["A", "B", "C", "D"] {
                    row = row.replace(&format!("\"{letter}{from}\""), &format!("\"{letter}{to}\""));
                }
                row
            };
            let new: String = (2..)
                .zip(order)
                .map(|(row, own)| match own {
                    Some(n) => place(rows[*n], row),
                    None => format!("<row r=\"{row}\"><c r=\"A{row}\" t=\"str\"><v>by hand</v></c></row>"),
                })
                .collect();
            format!("{}{new}{}", &sheet[..from], &sheet[to..])
        });
    }

    /// The rows of a sheet below its headings, as a general reader sees them.
    pub(crate) fn rows(&self, sheet: &str) -> Vec<String> {
        self.cells("book.xlsx", sheet)[1..].iter().map(|row| row.join("|")).collect()
    }

    pub(crate) fn refresh(&self, options: &str) -> Run {
        self.run(&format!("refresh book.xlsx {options}"))
    }
}

/// The lines of a page without times, which change.
fn said(run: &Run) -> Vec<String> {
    run.out.lines().map(|line| line.split(" since 20").next().unwrap().trim_end().to_owned()).collect()
}

#[test]
fn an_unchanged_source_touches_nothing() {
    let folder = linked("");
    let before = folder.book();
    let time = std::fs::metadata(folder.path("book.xlsx")).unwrap().modified().unwrap();
    for _ in 0..2 {
        let run = folder.refresh("").expect(0);
        assert_eq!(said(&run), ["book.xlsx   not changed", "", "  calls  unchanged"]);
        // The same bytes at another time.
        folder.write_old("calls.csv", CALLS);
    }
    folder.refresh("--dry-run").expect(0);
    // Other bytes, the same records.
    folder.write_old("calls.csv", CALLS.replace('\n', "\r\n"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("file rewritten, same records"), "{}", run.out);
    assert!(folder.refresh("").expect(0).out.contains("unchanged"), "it is remembered");
    assert!(folder.book() == before, "the workbook was not written");
    assert_eq!(std::fs::metadata(folder.path("book.xlsx")).unwrap().modified().unwrap(), time);
}

#[test]
fn what_the_source_changed_comes_in_and_is_told() {
    let folder = linked("");
    let before = folder.book();
    let revised = CALLS.replace("3.00", "3.40").replace("A-3,003,19.03.2031,8.25\n", "")
        + "A-5,031,02.04.2031,7.00\nA-6,014,03.04.2031,2.00\n";
    folder.write_old("calls.csv", &revised);
    let run = folder.refresh("--dry-run").expect(1);
    assert!(folder.book() == before, "a dry run writes nothing");
    insta::assert_snapshot!(run.out.lines().filter(|l| !l.contains("before:")).collect::<Vec<_>>().join("\n"), @r"
    book.xlsx   would be changed (dry run)

      link        calls, table calls in sheet calls
      rows        4 → 5: 2 added, 1 gone, 1 revised, 2 the same
      matched by  Call
      sum         Dues in the source: 25.50 → 26.65
      days        Arrived: 2031-03-17 to 2031-03-20 → 2031-03-17 to 2031-04-03

      revised   row 3  Call A-2  Dues: 3.00 → 3.40
      added     row 5  Call A-5
      added     row 6  Call A-6
      gone      row 4  Call A-3
    ");
    folder.refresh("").expect(0);
    assert_eq!(
        folder.rows("calls"),
        [
            "\"A-1\"|\"007\"|47924|12.5",
            "\"A-2\"|\"012\"|47925|3.4",
            "\"A-4\"|\"009\"|47927|1.75",
            "\"A-5\"|\"031\"|47940|7",
            "\"A-6\"|\"014\"|47941|2"
        ]
    );
    assert!(folder.part("book.xlsx", "xl/tables/table1.xml").contains("ref=\"A1:D6\""));
    assert!(folder.refresh("").expect(0).out.contains("unchanged"));
    // As if it had been imported so.
    std::fs::rename(folder.path("book.xlsx"), folder.path("refreshed.xlsx")).unwrap();
    folder.run("import calls.csv --into book.xlsx").expect(0);
    assert_eq!(folder.cells("refreshed.xlsx", "calls"), folder.cells("book.xlsx", "calls"));
    // The formats that one refresh needed are enough for the next one.
    let styles = || folder.part("book.xlsx", "xl/styles.xml");
    std::fs::rename(folder.path("refreshed.xlsx"), folder.path("book.xlsx")).unwrap();
    let before = styles();
    folder.write_old("calls.csv", revised.replace("7.00", "7.50"));
    folder.refresh("").expect(0);
    assert_eq!(styles(), before);
}

#[test]
fn what_was_typed_by_hand_stays_unless_the_source_revised_it() {
    let folder = linked("");
    folder.type_in("B3", "0-12");
    folder.type_in("D4", "9");
    folder.write_old("calls.csv", CALLS.replace("1.75", "1.80").replace("003", "033"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("2 rows keep what was typed into them"), "{}", run.out);
    assert!(run.out.contains("Berth: 0-12 stays; the source has 012"), "{}", run.out);
    assert_eq!(
        folder.rows("calls")[1..],
        ["\"A-2\"|\"0-12\"|47925|3", "\"A-3\"|\"033\"|47926|9", "\"A-4\"|\"009\"|47927|1.8"]
            .map(String::from)
    );
    // What stays is no news, and no conflict, the next time.
    folder.write_old("calls.csv", CALLS.replace("1.75", "1.90").replace("003", "033"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 revised"), "{}", run.out);
    assert_eq!(folder.rows("calls")[2], "\"A-3\"|\"033\"|47926|9");
}

#[test]
fn a_conflict_stops_until_someone_says_who_wins() {
    for (winner, expected) in [("sheet", "9"), ("source", "8.3")] {
        let folder = linked("");
        folder.type_in("D4", "9");
        let before = folder.book();
        folder.write_old("calls.csv", CALLS.replace("8.25", "8.30").replace("12.50", "12.60"));
        let run = folder.refresh("").expect(4);
        assert!(run.out.contains("Dues: sheet 9.00, source 8.30, imported 8.25"), "{}", run.out);
        assert!(run.err.contains("incola refresh book.xlsx calls --conflicts sheet"), "{}", run.err);
        assert!(folder.book() == before, "nothing was written");
        folder.refresh(&format!("--conflicts {winner}")).expect(0);
        let rows = folder.rows("calls");
        assert_eq!(rows[2], format!("\"A-3\"|\"003\"|47926|{expected}"));
        assert_eq!(rows[0], "\"A-1\"|\"007\"|47924|12.6");
        // It is settled.
        folder.refresh("").expect(0);
        folder.write_old("calls.csv", CALLS.replace("8.25", "8.30").replace("12.50", "12.70"));
        let run = folder.refresh("").expect(0);
        assert!(!run.out.contains("conflict"), "{}", run.out);
        assert_eq!(folder.rows("calls")[2], rows[2]);
    }
}

#[test]
fn a_conflict_is_told_without_the_mirror_too() {
    let folder = linked("");
    folder.type_in("D4", "9");
    folder.type_in("B4", "x");
    folder.write_old("calls.csv", CALLS.replace("8.25", "8.30"));
    folder.forget(&["source"]);
    let run = folder.refresh("").expect(4);
    assert!(run.out.contains("Dues: sheet 9.00, source 8.30\n"), "{}", run.out);
    assert!(run.out.contains("Berth: sheet x, source 003\n"), "nobody knows which: {}", run.out);
}

#[test]
fn rows_by_hand_stay_and_rows_taken_out_stay_out() {
    let folder = linked("");
    // A row typed below, a row taken out, and the others sorted.
    folder.put_rows(&[Some(3), Some(1), Some(0), None]);
    folder.write_old("calls.csv", CALLS.replace("12.50", "12.60") + "A-5,031,02.04.2031,7.00\n");
    let run = folder.refresh("").expect(0);
    assert!(
        run.out.contains("1 row added by hand stays, 1 record taken out by hand stays out"),
        "{}",
        run.out
    );
    let expected = [
        "\"A-4\"|\"009\"|47927|1.75",
        "\"A-2\"|\"012\"|47925|3",
        "\"A-1\"|\"007\"|47924|12.6",
        "\"by hand\"|||",
        "\"A-5\"|\"031\"|47940|7",
    ];
    assert_eq!(folder.rows("calls"), expected);
    // Also the next time.
    folder.write_old("calls.csv", CALLS.replace("12.50", "12.70") + "A-5,031,02.04.2031,7.00\n");
    folder.refresh("").expect(0);
    assert_eq!(folder.rows("calls").len(), 5);
}

#[test]
fn a_row_that_was_edited_and_whose_record_went_is_a_conflict() {
    let folder = linked("");
    folder.type_in("D3", "4");
    folder.write_old("calls.csv", CALLS.replace("A-2,012,18.03.2031,3.00\n", ""));
    let run = folder.refresh("").expect(4);
    assert!(run.out.contains("changed by hand, and the source has it no more"), "{}", run.out);
    folder.refresh("--conflicts sheet").expect(0);
    assert_eq!(folder.rows("calls").len(), 4);
    let other = linked("");
    other.type_in("D3", "4");
    other.write_old("calls.csv", CALLS.replace("A-2,012,18.03.2031,3.00\n", ""));
    other.refresh("--conflicts source").expect(0);
    assert_eq!(other.rows("calls").len(), 3);
}

#[test]
fn a_row_by_hand_is_not_taken_for_one_that_was_edited() {
    for (order, edited, rows) in [
        // Put in above the edited row, below it, and where a row was taken out whose record went as well.
        ([Some(0), None, Some(1), Some(2)], Some("D4"), ["A-1", "by hand", "A-3"]),
        ([Some(0), Some(1), None, Some(2)], Some("D3"), ["A-1", "by hand", "A-3"]),
        ([Some(0), None, Some(2), Some(3)], None, ["A-1", "by hand", "A-3"]),
    ] {
        let folder = linked("");
        folder.put_rows(&order);
        if let Some(cell) = edited {
            folder.type_in(cell, "4");
        }
        folder.write_old("calls.csv", CALLS.replace("A-2,012,18.03.2031,3.00\n", ""));
        let run = folder.refresh("");
        assert_eq!(run.status, if edited.is_some() { 4 } else { 0 }, "{}{}", run.out, run.err);
        if edited.is_some() {
            assert!(run.out.contains("changed by hand, and the source has it no more"), "{}", run.out);
            folder.refresh("--conflicts source").expect(0);
        }
        let left = folder.rows("calls");
        assert!(rows.iter().zip(&left).all(|(own, row)| row.contains(own)), "{left:?}");
        assert_eq!(left.len(), if edited.is_some() { 3 } else { 4 }, "{left:?}");
    }
}

#[test]
fn records_that_moved_are_told_once() {
    let folder = linked("");
    let text = "Call,Berth,Arrived,Dues\nA-4,009,20.03.2031,1.75\nA-1,007,17.03.2031,12.60\n\
        A-2,012,18.03.2031,3.00\nA-3,003,19.03.2031,8.25\n";
    folder.write_old("calls.csv", text);
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 elsewhere in the source"), "{}", run.out);
    let told = |out: &str| out.contains("elsewhere");
    // The order is the same from then on, also where a record comes between others.
    folder.write_old(
        "calls.csv",
        text.replace("12.60", "12.70").replace("A-2,", "A-9,001,01.04.2031,2.00\nA-2,"),
    );
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 added, 1 revised") && !told(&run.out), "{}", run.out);
    folder.write_old(
        "calls.csv",
        text.replace("12.60", "12.80").replace("A-2,", "A-9,001,01.04.2031,2.00\nA-2,"),
    );
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 revised") && !told(&run.out), "{}", run.out);
}

#[test]
fn an_empty_text_is_no_heading() {
    let folder = linked("--plain");
    folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |sheet| {
        sheet.replacen("</row>", "<c r=\"E1\" t=\"str\"><v></v></c></row>", 1)
    });
    folder.write_old("calls.csv", CALLS.to_owned() + "A-5,031,02.04.2031,7.00\n");
    folder.refresh("").expect(0);
    folder.write_old("more.csv", "Call,Berth,Arrived,Dues\nA-6,001,03.04.2031,2.00\n");
    folder
        .run("import more.csv --into book.xlsx --sheet calls --mode append --delimiter comma --no-link")
        .expect(0);
    assert_eq!(folder.rows("calls").len(), 6);
}

#[test]
fn a_formula_in_the_last_row_makes_no_totals_of_it() {
    // A formula that someone typed into a data cell, and a sum below the data.
    for formula in ["B2*0.25", "SUM(D2:D4)"] {
        let folder = linked("--plain");
        folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |sheet| {
            let start = sheet.find("<c r=\"D5\"").unwrap();
            let end = start + sheet[start..].find("</c>").unwrap() + 4;
            format!("{}<c r=\"D5\"><f>{formula}</f><v>1.75</v></c>{}", &sheet[..start], &sheet[end..])
        });
        folder.write_old("calls.csv", CALLS.to_owned() + "A-5,031,02.04.2031,7.00\n");
        folder.refresh("").expect(0);
        let sheet = folder.part("book.xlsx", "xl/worksheets/sheet1.xml");
        let left = folder.rows("calls");
        // The link knows that the row holds a record.
        let calls = ["A-1", "A-2", "A-3", "A-4", "A-5"];
        assert_eq!(left.len(), 5, "{formula}: {left:?}");
        assert!(left.iter().zip(calls).all(|(row, own)| row.contains(own)), "{left:?}");
        assert!(sheet.contains(&format!("<c r=\"D5\"><f>{formula}</f>")), "{sheet}");
    }
}

#[test]
fn a_blank_row_does_not_cut_a_plain_range() {
    let folder = linked("--plain");
    // As a program does that inserts a row: what is below moves down, and names go along.
    folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |sheet| {
        let mut sheet = sheet;
        for row in [5, 4] {
            let to = row + 1;
            sheet = sheet.replace(&format!("<row r=\"{row}\""), &format!("<row r=\"{to}\""));
            for letter in ["A", "B", "C", "D"] {
                sheet = sheet.replace(&format!("\"{letter}{row}\""), &format!("\"{letter}{to}\""));
            }
        }
        sheet
    });
    folder.change_part("book.xlsx", "xl/workbook.xml", |book| book.replace("$D$5", "$D$6"));
    assert!(folder.part("book.xlsx", "xl/workbook.xml").contains("$D$6"), "the hidden name reaches as far");
    let text =
        CALLS.replace("A-3,003,19.03.2031,8.25\n", "").replace("1.75", "1.80") + "A-5,031,02.04.2031,7.00\n";
    folder.write_old("calls.csv", text);
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 added, 1 gone, 1 revised"), "{}", run.out);
    let rows = folder.rows("calls");
    let expected = ["A-1", "A-2", "", "A-4", "A-5"];
    assert_eq!(rows.len(), expected.len(), "{rows:?}");
    assert!(rows.iter().zip(expected).all(|(row, own)| row.contains(own)), "{rows:?}");
    assert!(rows[3].ends_with("1.8") && rows[2].trim_matches('|').is_empty(), "{rows:?}");
    assert!(folder.refresh("").expect(0).out.contains("unchanged"));
}

#[test]
fn without_a_key_rows_are_known_by_what_they_hold() {
    let text = "Berth,Cargo,Tons\n007,grain,5\n012,timber,7\n007,grain,5\n003,fuel,9\n";
    let folder = Folder::new().with("moves.csv", text);
    folder.run("import moves.csv --into book.xlsx").expect(0);
    folder.write_old("moves.csv", "Berth,Cargo,Tons\n007,grain,5\n012,timber,8\n003,fuel,9\n");
    let run = folder.refresh("").expect(0);
    assert!(
        run.out.contains("known by  what they hold") || run.out.contains("matched by    what they hold"),
        "{}",
        run.out
    );
    assert!(run.out.contains("1 gone, 1 revised"), "{}", run.out);
    assert_eq!(folder.rows("moves"), ["\"007\"|\"grain\"|5", "\"012\"|\"timber\"|8", "\"003\"|\"fuel\"|9"]);
}

#[test]
fn a_key_that_is_named_is_used() {
    let folder = linked("--key Berth,Arrived");
    folder.write_old("calls.csv", CALLS.replace("A-2", "B-2"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("Call: A-2 \u{2192} B-2"), "{}", run.out);
    let run =
        Folder::new().with("calls.csv", CALLS).run("import calls.csv --into b.xlsx --key Quay").expect(2);
    assert!(run.err.contains("there is no column \u{201c}Quay\u{201d}"), "{}", run.err);
}

#[test]
fn broken_sources_leave_the_table_as_it_is() {
    let folder = linked("");
    let before = folder.book();
    let gone =
        CALLS.replace(",Dues", ",Fee EUR,Note").replace(".50\n", ".50,a\n").replace(".00\n", ".00,b\n");
    let gone = gone.replace(".25\n", ".25,c\n").replace(".75\n", ".75,d\n");
    for (text, status, expected) in [
        ("", 4, "calls.csv: the file is empty"),
        ("Call,Berth,Arrived,Dues\n", 4, "it has no records; the table has 4 from it"),
        (
            "Call,Berth,Arrived,Dues\nA-1,007,17.03.2031,12.50\n",
            4,
            "1 records, less than half of the 4 before",
        ),
        (&gone, 4, "gone     Dues (number)"),
        (&CALLS.replace("Dues", "Fees"), 4, "Fees, which is new, may be the same"),
        (&CALLS.replace(".03.2031", ". March"), 4, "Arrived is date, and 4 of its 4 values are none"),
    ] {
        folder.write_old("calls.csv", text);
        let run = folder.refresh("").expect(status);
        assert!(run.err.contains(expected), "{expected}: {}", run.err);
        assert!(folder.book() == before, "{expected}: the workbook was changed");
    }
    std::fs::remove_file(folder.path("calls.csv")).unwrap();
    let run = folder.refresh("").expect(3);
    assert!(run.err.contains("table calls keeps its 4 rows, which are of 2031-02-27"), "{}", run.err);
    let run = folder.run("link list book.xlsx").expect(1);
    assert!(run.out.contains("missing"), "{}", run.out);
    assert!(folder.book() == before);
}

#[test]
fn damage_that_was_not_there_before_stops_a_refresh() {
    let ships = ["Möwe", "Tern", "Anselm", "Möwe II", "Saltwind", "Heron"];
    let calls: String = "Call,Ship,Arrived,Dues\n".to_owned()
        + &(0..24)
            .map(|i| format!("A-{i},{},{:02}.03.2031,{i}.50\n", ships[i % 6], i + 1))
            .collect::<String>();
    let folder = Folder::new().with("calls.csv", &calls);
    folder.run("import calls.csv --into book.xlsx").expect(0);
    let before = folder.book();
    let latin: Vec<u8> = calls.chars().map(|c| c as u8).collect();
    let one_byte = {
        let at = calls.find('ö').unwrap();
        [&calls.as_bytes()[..at], b"\xF6", &calls.as_bytes()[at + 2..]].concat()
    };
    let swallowed = calls.replace("\nA-4,", "\nA-4,\"").replace("Anselm,09", "Anselm\",09");
    let cases = [
        (one_byte.clone(), "1 place holds no character in utf-8, the first in line 2"),
        (latin, "8 places hold no character in utf-8"),
        (
            calls.as_bytes()[..calls.len() - 9].to_vec(),
            "1 record has fewer fields than the others, the first in line 25",
        ),
        (calls.as_bytes()[..calls.len() - 2].to_vec(), "the last line has no line end"),
        (swallowed.into_bytes(), "1 record goes over several lines between two quotes, the first in line 6"),
        (calls.replace(",7.50", ",n/a").into_bytes(), "Dues: 1 value is no number; there were none before"),
    ];
    for (bytes, expected) in cases {
        folder.write_old("calls.csv", bytes);
        for options in ["", "--dry-run", "--conflicts source"] {
            let run = folder.refresh(options).expect(4);
            assert!(run.err.contains(expected), "{expected}: {}", run.err);
            assert!(run.err.contains("--accept damage"), "{}", run.err);
        }
        assert!(folder.book() == before, "{expected}: the workbook was changed");
    }
    // Accepted, it goes in, is told, and is known from then on; what stands for no character is not kept exactly.
    folder.write_old("calls.csv", &one_byte);
    let run = folder.refresh("--accept damage").expect(1);
    assert!(run.out.contains("look") && run.out.contains("0 of 1 cells"), "{}", run.out);
    folder.write_old("calls.csv", [&one_byte[..], b"A-99,Tern,31.03.2031,1.00\n"].concat());
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 added"), "{}", run.out);
}

#[test]
fn damage_that_is_a_habit_stops_nothing() {
    // Records that leave out what is blank, and a file that never has a last line end.
    let calls = "Call,Ship,Dues,Note\nA-1,Tern,12.50,ice\nA-2,Heron,3.00\nA-3,Anselm,8.25\nA-4,Tern,1.75,tar";
    let folder = Folder::new().with("calls.csv", calls);
    folder.run("import calls.csv --into book.xlsx --delimiter comma").expect(0);
    folder.write_old("calls.csv", format!("{calls}\nA-5,Heron,2.00\nA-6,Tern,4.00"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("2 added"), "{}", run.out);
    // A value of several lines that comes with a record of its own is no damage either.
    folder.write_old(
        "calls.csv",
        format!("{calls}\nA-5,Heron,2.00\nA-6,Tern,4.00\nA-7,Tern,5.00,\"tar\nand rope\""),
    );
    assert!(folder.refresh("").expect(0).out.contains("1 added"));
}

#[test]
fn a_record_of_several_lines_that_breaks_the_cycle_stops_a_refresh() {
    let records = |odd: &str| -> String {
        (1..=12)
            .map(|i| {
                let first = if i == 5 { odd.to_owned() } else { format!("{i:04} Tern {i}") };
                format!("{first}\n  ice, {i}.50\n")
            })
            .collect()
    };
    let folder = Folder::new().with("calls.txt", records("0005 Tern 5"));
    folder
        .run("import calls.txt --into book.xlsx --layout multiline --lines-per-record 2 --header none")
        .expect(0);
    let before = folder.book();
    folder.write_old("calls.txt", records("0005 Tern 5\n0005 again"));
    let run = folder.refresh("").expect(4);
    assert!(run.err.contains("it is damaged") || run.err.contains("columns"), "{}", run.err);
    assert!(folder.book() == before);
}

#[test]
fn the_starts_of_each_line_of_a_record_stay_as_they_were() {
    // Each call has a second line; in the next file its column at the right is blank throughout.
    let records = |notes: [&str; 4]| -> String {
        let calls = [
            ("0001", "Heron", "12"),
            ("0002", "Petrel", "7"),
            ("0003", "Wigeon", "31"),
            ("0004", "Tern", "5"),
        ];
        let line = |((call, vessel, tons), note): ((&str, &str, &str), &str)| {
            format!("{call} {vessel:<10}{tons:>4}\n     {note}\n")
        };
        calls.into_iter().zip(notes).map(line).collect()
    };
    let full = ["quay 2    north", "quay 3    south", "roads     west", "quay 9    north"];
    let folder = Folder::new();
    folder.write_old("calls.txt", records(full));
    folder
        .run("import calls.txt --into book.xlsx --layout multiline --starts 1,6,16/6,16 --header none --key 1 --no-questions")
        .expect(0);
    let before = folder.rows("calls");
    assert!(before[0].contains("quay 2") && before[0].contains("north"), "{before:?}");
    folder.write_old("calls.txt", records(["quay 2", "quay 3", "roads", "quay 11"]));
    folder.refresh("").expect(0);
    let after = folder.rows("calls");
    assert_eq!(after.len(), 4);
    assert!(after[3].contains("quay 11") && after[0].contains("\"quay 2\""), "{after:?}");
    // Found by itself and then linked, the same starts are written down.
    let folder = Folder::new();
    folder.write_old("calls.txt", records(full));
    folder.run("import calls.txt --into book.xlsx --lines-per-record 2 --header none --no-questions");
    let link = folder.part("book.xlsx", "customXml/item1.xml");
    assert!(link.contains("lines_per_record = 2") && link.contains("starts = "), "{link}");
}

#[test]
fn a_file_that_grows_is_not_read_half() {
    let folder = linked("");
    let before = folder.book();
    let path = folder.path("calls.csv");
    let writer = std::thread::spawn(move || {
        use std::io::Write;
        let mut file = File::options().append(true).open(path).unwrap();
        for n in 0..80 {
            writeln!(file, "B-{n},001,21.03.2031,1.00").unwrap();
            std::thread::sleep(std::time::Duration::from_millis(25));
        }
    });
    std::thread::sleep(std::time::Duration::from_millis(100));
    let run = folder.refresh("").expect(4);
    assert!(run.err.contains("calls.csv: it is being written"), "{}", run.err);
    assert!(folder.book() == before);
    writer.join().unwrap();
}

#[test]
fn what_is_accepted_goes_in() {
    let folder = linked("");
    folder.write_old("calls.csv", "Call,Berth,Arrived,Dues\nA-1,007,17.03.2031,12.50\n");
    folder.refresh("--accept shorter").expect(0);
    assert_eq!(folder.rows("calls"), ["\"A-1\"|\"007\"|47924|12.5"]);

    let folder = linked("");
    folder.write_old("calls.csv", CALLS.replace("Dues", "Fees").replace("3.00", "3.10"));
    let run = folder.refresh("--accept columns").expect(0);
    assert!(run.out.contains("Dues is called Fees in the source now"), "{}", run.out);
    assert_eq!(folder.rows("calls")[1], "\"A-2\"|\"012\"|47925|3.1");
    assert!(folder.refresh("").expect(0).out.contains("unchanged"));

    let folder = linked("");
    let more =
        CALLS.replace("Berth,", "").replace("Dues", "Dues,Agent,Tons").replace(".50\n", ".50,Quill,3\n");
    let more = more
        .replace(".00\n", ".00,Skerry,4\n")
        .replace(".25\n", ".25,Quill,5\n")
        .replace(".75\n", ".75,Tern,6\n");
    let more = more
        .replace("007,", "")
        .replace("012,", "")
        .replace("003,", "")
        .replace("009,", "")
        .replace("1.75", "1.80");
    folder.write_old("calls.csv", &more);
    folder.refresh("").expect(4);
    let run = folder.refresh("--accept columns").expect(0);
    assert!(run.out.contains("Berth: gone from the source; its values stay"), "{}", run.out);
    assert_eq!(
        folder.cells("book.xlsx", "calls")[0].join("|"),
        "\"Call\"|\"Berth\"|\"Arrived\"|\"Dues\"|\"Agent\"|\"Tons\""
    );
    assert_eq!(
        folder.rows("calls")[2..],
        ["\"A-3\"|\"003\"|47926|8.25|\"Quill\"|5", "\"A-4\"|\"009\"|47927|1.8|\"Tern\"|6"].map(String::from)
    );
    assert!(folder.refresh("").expect(0).out.contains("unchanged"));
    folder.write_old("calls.csv", more.replace("8.25", "8.50"));
    assert!(folder.refresh("").expect(0).out.contains("1 revised"));
}

#[test]
fn new_columns_are_told_and_left_out() {
    let folder = linked("");
    let more =
        CALLS.replace("Dues\n", "Dues,Agent\n").replace(".50\n", ".60,Quill\n").replace(".00\n", ".00,b\n");
    folder.write_old("calls.csv", more.replace(".25\n", ".25,c\n").replace(".75\n", ".75,d\n"));
    let run = folder.refresh("").expect(0);
    assert!(
        run.out.contains("Agent: new in the source; left out, --accept columns takes it in"),
        "{}",
        run.out
    );
    assert_eq!(folder.rows("calls")[0], "\"A-1\"|\"007\"|47924|12.6");
}

#[test]
fn the_table_is_found_wherever_it_went() {
    let folder = linked("");
    // The sheet is renamed, a column of the clerk's is put in front, a heading is called otherwise, the table too.
    folder.change_part("book.xlsx", "xl/workbook.xml", |book| {
        book.replace("name=\"calls\"", "name=\"Port calls\"")
            .replace("'calls'!$A$1:$D$5", "'Port calls'!$B$3:$E$7")
    });
    folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |sheet| {
        let mut sheet = sheet;
        for row in (1..=5).rev() {
            sheet = sheet.replace(&format!("<row r=\"{row}\""), &format!("<row r=\"{}\"", row + 2));
            for (from, to) in [("D", "E"), ("C", "D"), ("B", "C"), ("A", "B")] {
                sheet = sheet.replace(&format!("r=\"{from}{row}\""), &format!("r=\"{to}{}\"", row + 2));
            }
        }
        sheet.replace("<t>Berth</t>", "<t>Quay</t>")
    });
    folder.change_part("book.xlsx", "xl/tables/table1.xml", |table| {
        table
            .replace("A1:D5", "B3:E7")
            .replace("name=\"Berth\"", "name=\"Quay\"")
            .replace("\"calls\"", "\"harbour\"")
    });
    folder.write_old("calls.csv", CALLS.replace("012", "013") + "A-5,031,02.04.2031,7.00\n");
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("table harbour in sheet Port calls"), "{}", run.out);
    let cells = folder.cells("book.xlsx", "Port calls");
    assert_eq!(cells[0].join("|"), "\"Call\"|\"Quay\"|\"Arrived\"|\"Dues\"");
    assert_eq!(cells[2].join("|"), "\"A-2\"|\"013\"|47925|3");
    assert_eq!(cells[5].join("|"), "\"A-5\"|\"031\"|47940|7");
    assert!(folder.part("book.xlsx", "xl/workbook.xml").contains("'Port calls'!$B$3:$E$8"));
    let run = folder.run("link list book.xlsx --json").expect(0);
    assert!(run.out.contains("\"Quay\"") && run.out.contains("\"state\": \"current\""), "{}", run.out);
}

#[test]
fn a_link_survives_a_program_that_drops_its_parts() {
    let folder = linked("");
    folder.drop_links();
    folder.type_in("D4", "9");
    folder.write_old("calls.csv", CALLS.replace("3.00", "3.10"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("1 row keeps what was typed into it"), "{}", run.out);
    assert!(folder.part("book.xlsx", "customXml/item1.xml").contains("urn:incola:link:1"), "it is put back");
    // Both gone: only the name is left.
    folder.drop_links();
    folder.forget(&["link", "rows"]);
    let run = folder.run("link list book.xlsx").expect(1);
    assert!(run.out.contains("only its name is left"), "{}", run.out);
    let id = run.out.split("link repoint book.xlsx ").nth(1).unwrap().split(' ').next().unwrap().to_owned();
    folder.run(&format!("link repoint book.xlsx {id} calls.csv")).expect(0);
    let run = folder.refresh("").expect(4);
    assert!(run.out.contains("Dues: sheet 9.00, source 8.25"), "{}", run.out);
    folder.refresh("--conflicts sheet").expect(0);
    assert_eq!(folder.rows("calls")[2], "\"A-3\"|\"003\"|47926|9");
    folder.refresh("").expect(0);
}

#[test]
fn links_from_elsewhere_are_not_followed_until_they_are_trusted() {
    let folder = linked("");
    std::fs::copy(folder.path("book.xlsx"), folder.path("other.xlsx")).unwrap();
    folder.write_old("calls.csv", CALLS.replace("3.00", "3.10"));
    let run = folder.run("refresh other.xlsx").expect(4);
    assert!(
        run.err.contains("was not made by you at this place") && run.err.contains("/calls.csv"),
        "{}",
        run.err
    );
    let run = folder.run("link trust other.xlsx calls").expect(0);
    assert!(run.out.contains("/calls.csv"), "{}", run.out);
    folder.run("refresh other.xlsx").expect(0);
    // Someone lets the link read another file.
    folder.change_part("book.xlsx", "customXml/item1.xml", |link| {
        link.replace("[\"calls.csv\"]", "[\"../secret.csv\"]")
    });
    let run = folder.refresh("").expect(4);
    assert!(run.err.contains("secret.csv, which is not in the workbook's folder"), "{}", run.err);
}

#[test]
fn links_are_cut_and_pointed_elsewhere() {
    let folder = linked("").with("april.csv", CALLS.replace("A-", "B-")).with("other.csv", "X,Y\n1,2\n");
    let run = folder.run("link repoint book.xlsx calls other.csv").expect(4);
    assert!(run.err.contains("gone     Call (text)"), "{}", run.err);
    folder.run("link repoint book.xlsx calls april.csv").expect(0);
    folder.refresh("").expect(0);
    assert_eq!(folder.rows("calls").len(), 4);
    assert!(folder.rows("calls")[0].starts_with("\"B-1\""), "{:?}", folder.rows("calls"));
    let sheet = "xl/worksheets/sheet1.xml";
    let before = folder.part("book.xlsx", sheet);
    let run = folder.run("link cut book.xlsx calls").expect(0);
    assert!(run.out.contains("its 4 rows stay"), "{}", run.out);
    assert_eq!(folder.part("book.xlsx", sheet), before);
    for part in ["[Content_Types].xml", "xl/_rels/workbook.xml.rels", "xl/workbook.xml"] {
        let text = folder.part("book.xlsx", part);
        assert!(!text.contains("customXml") && !text.contains("_incola_"), "{part}: {text}");
    }
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("it has no links"), "{}", run.out);
    let run = folder.run("link cut book.xlsx calls").expect(2);
    assert!(run.err.contains("it has no link calls"), "{}", run.err);
}

#[test]
fn a_folder_is_linked_as_a_whole() {
    let folder = Folder::new();
    std::fs::create_dir(folder.path("in")).unwrap();
    folder.write_old("in/1.csv", CALLS);
    folder.write_old("in/2.csv", CALLS.replace("A-", "B-"));
    folder.run("import in --into book.xlsx --together --sheet calls").expect(0);
    folder.write_old("in/10.csv", CALLS.replace("A-", "C-"));
    folder.write_old("in/1.csv", CALLS.replace("3.00", "3.30"));
    std::fs::remove_file(folder.path("in/2.csv")).unwrap();
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("in/10.csv") && run.out.contains("in/2.csv"), "{}", run.out);
    let rows = folder.rows("calls");
    assert_eq!(rows.len(), 8, "{rows:?}");
    assert_eq!(rows[1], "\"1.csv\"|\"A-2\"|\"012\"|47925|3.3");
    assert!(rows[7].starts_with("\"10.csv\"|\"C-4\""), "{rows:?}");
}

#[cfg(unix)]
#[test]
fn a_link_on_the_disk_is_followed_anew_each_time() {
    let folder = Folder::new().with("march.csv", CALLS).with("april.csv", CALLS.replace("3.00", "3.10"));
    let latest = folder.path("latest.csv");
    std::os::unix::fs::symlink("march.csv", &latest).unwrap();
    folder.run("import latest.csv --into book.xlsx").expect(0);
    std::fs::remove_file(&latest).unwrap();
    std::os::unix::fs::symlink("april.csv", &latest).unwrap();
    assert!(folder.refresh("").expect(0).out.contains("1 revised"));
}

#[test]
fn a_pattern_in_quotes_is_linked_too() {
    let folder =
        Folder::new().with("w1.csv", CALLS).with("w2.csv", CALLS.replace("A-", "B-")).with("x.csv", "Q\n1\n");
    folder.run("import 'w*.csv' --into book.xlsx --together --sheet calls").expect(0);
    assert_eq!(folder.rows("calls").len(), 8);
    folder.write_old("w3.csv", CALLS.replace("A-", "C-"));
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("4 added"), "{}", run.out);
}

#[test]
fn formulas_totals_and_notes_beside_go_along() {
    let ledger = concat!(env!("CARGO_MANIFEST_DIR"), "/demo/ledger.xlsx");
    let calls = include_str!("../../demo/port-calls.csv");
    let folder = Folder::new().with("calls.csv", calls);
    std::fs::copy(ledger, folder.path("book.xlsx")).unwrap();
    let only = "--only 'Call no,Berth,Arrived,Dues'";
    folder.run(&format!("import calls.csv --into book.xlsx --at ledger --mode replace {only}")).expect(1);
    let mut lines: Vec<&str> = calls.lines().collect();
    lines.remove(5);
    lines.remove(2);
    let revised = lines.join("\n").replace("2305.49", "2505.49") + "\n";
    folder.write_old("calls.csv", revised);
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("2 gone, 1 revised"), "{}", run.out);
    let sheet = folder.part("book.xlsx", "xl/worksheets/sheet1.xml");
    // 46 rows, and the totals below them.
    assert!(
        folder.part("book.xlsx", "xl/tables/table1.xml").contains("ref=\"A1:E48\""),
        "{run}",
        run = run.out
    );
    assert!(sheet.contains("<f>D3*") || sheet.contains("D3"), "formulas moved with their rows");
    assert!(!sheet.contains("r=\"A50\""), "nothing is left below");
    let undone = folder.run("undo book.xlsx").expect(0);
    assert!(undone.err.is_empty());
}

#[test]
fn several_workbooks_and_single_links_are_refreshed() {
    let folder = linked("").with("dues.csv", CALLS.replace("Call", "Due"));
    folder.run("import dues.csv --into book.xlsx").expect(0);
    folder.run("import calls.csv --into second.xlsx").expect(0);
    folder.write_old("calls.csv", CALLS.replace("3.00", "3.10"));
    folder.write_old("dues.csv", CALLS.replace("Call", "Due").replace("3.00", "3.20"));
    let run = folder.run("refresh book.xlsx dues").expect(0);
    assert!(!run.out.contains("table calls"), "{}", run.out);
    assert_eq!(folder.rows("calls")[1], "\"A-2\"|\"012\"|47925|3");
    assert_eq!(folder.rows("dues")[1], "\"A-2\"|\"012\"|47925|3.2");
    let run = folder.run("refresh book.xlsx second.xlsx --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["links"].as_array().unwrap().len(), 2);
    assert_eq!(json[1]["links"][0]["changes"][0]["cells"][0]["source"], "3.10");
    folder.run("refresh book.xlsx nothing").expect(2);
}

#[test]
fn two_tables_on_one_sheet_have_links_of_their_own() {
    let dues = CALLS.replace("Call", "Due");
    let folder = linked("").with("dues.csv", &dues);
    folder.run("import dues.csv --into book.xlsx --sheet calls --at H1").expect(0);
    folder.write_old("calls.csv", CALLS.replace("3.00", "3.10") + "A-5,031,02.04.2031,7.00\n");
    folder.write_old("dues.csv", dues.replace("3.00", "3.20").replace("A-1,007,17.03.2031,12.50\n", ""));
    let run = folder.refresh("").expect(0);
    assert_eq!(run.out.matches("1 revised").count(), 2, "{}", run.out);
    let rows = folder.rows("calls");
    assert_eq!(rows[0], "\"A-1\"|\"007\"|47924|12.5||||\"A-2\"|\"012\"|47925|3.2");
    assert_eq!(rows[1], "\"A-2\"|\"012\"|47925|3.1||||\"A-3\"|\"003\"|47926|8.25");
    assert_eq!(rows[4], "\"A-5\"|\"031\"|47940|7|||||||");
    // Both links are whole: nothing more is to be done, and each finds its own.
    assert_eq!(folder.refresh("").expect(0).out.matches("unchanged").count(), 2);
    folder.write_old("dues.csv", dues);
    assert!(folder.refresh("").expect(0).out.contains("table dues"));
}

#[test]
fn a_signed_workbook_keeps_its_links_as_they_are() {
    let folder = linked("");
    let mut bytes = folder.book();
    // An entry is called otherwise, in both of its places.
    for at in memchr::memmem::find_iter(&folder.book(), b"docProps/app.xml") {
        bytes[at..at + 16].copy_from_slice(b"_xmlsignatures/o");
    }
    std::fs::write(folder.path("book.xlsx"), &bytes).unwrap();
    folder.write_old("calls.csv", CALLS.replace("3.00", "3.10"));
    for words in ["refresh book.xlsx", "link cut book.xlsx --all", "link repoint book.xlsx calls calls.csv"] {
        let run = folder.run(words).expect(4);
        assert!(run.err.contains("it is signed, and any change would break the signature"), "{}", run.err);
        assert!(folder.book() == bytes, "{words}");
    }
    folder.run("refresh book.xlsx --even-signed").expect(0);
}

#[test]
fn standard_input_and_no_link_keep_none() {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run_with("import - --into book.xlsx", CALLS.as_bytes()).expect(0);
    folder.run("import calls.csv --into book.xlsx --no-link").expect(0);
    assert!(folder.run("link list book.xlsx").expect(0).out.contains("0 links"));
}

#[test]
fn a_second_import_into_the_same_table_replaces_its_link() {
    let folder = linked("").with("april.csv", CALLS.replace("A-", "B-"));
    folder.run("import april.csv --into book.xlsx --at calls --mode replace").expect(0);
    let run = folder.run("link list book.xlsx").expect(0);
    assert!(run.out.contains("1 link\n") && run.out.contains("april.csv"), "{}", run.out);
}

impl Folder {
    /// Takes the custom parts out of the workbook, as some programs do when they save; hidden names stay.
    fn drop_links(&self) {
        self.change_part("book.xlsx", "xl/_rels/workbook.xml.rels", |ties| {
            let mut out = String::new();
            for piece in ties.split_inclusive("/>") {
                if !piece.contains("customXml") {
                    out.push_str(piece);
                }
            }
            out
        });
    }
}

/// What happens to a row: by the source, and by hand.
#[derive(Clone, Debug)]
struct Story {
    /// 0 stays, 1 the cargo is revised, 2 the tons are, 3 both are, 4 gone.
    source: u8,
    /// 0 nothing, 1 the cargo is typed over, 2 the tons are, 3 both are.
    hand: u8,
}

fn story() -> impl proptest::strategy::Strategy<Value = Story> {
    use proptest::prelude::*;
    (0_u8..5, 0_u8..4).prop_map(|(source, hand)| Story { source, hand })
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig { cases: 24, ..Default::default() })]

    #[test]
    fn source_and_hand_come_together_as_a_plain_model_says(
        stories in proptest::collection::vec(story(), 1..9),
        new in 1_usize..4,
        turned_round: bool,
        sheet_wins: bool,
    ) {
        let head = "Key,Cargo,Tons\n";
        let base: String = (0..stories.len()).map(|n| format!("K{n},cargo {n},{n}.5\n")).collect();
        let folder = Folder::new().with("moves.csv", head.to_owned() + &base);
        folder.run("import moves.csv --into book.xlsx --key Key").expect(0);
        let (mut lines, mut expected) = (Vec::new(), Vec::new());
        for (n, Story { source, hand }) in stories.iter().enumerate() {
            if hand & 1 == 1 {
                folder.type_in(&format!("B{}", n + 2), &format!("typed {n}"));
            }
            if hand & 2 == 2 {
                folder.type_in(&format!("C{}", n + 2), &format!("{n}.25"));
            }
            let cargo = if source & 1 == 1 { format!("revised {n}") } else { format!("cargo {n}") };
            let tons = if source & 2 == 2 { format!("{n}.75") } else { format!("{n}.5") };
            if *source < 4 {
                lines.push(format!("K{n},{cargo},{tons}\n"));
            } else if *hand == 0 || !sheet_wins {
                continue;
            }
            // By hand wins over what was imported; over a revision only if the sheet is to win.
            let by_hand = |bit: u8| hand & bit == bit && (source & bit == 0 || sheet_wins || *source == 4);
            let cargo = if by_hand(1) { format!("typed {n}") } else { cargo };
            let tons = if by_hand(2) { format!("{n}.25") } else { tons };
            expected.push(format!("\"K{n}\"|\"{cargo}\"|{tons}"));
        }
        if turned_round {
            lines.reverse();
        }
        for n in 0..new {
            lines.push(format!("N{n},new {n},{n}.5\n"));
            expected.push(format!("\"N{n}\"|\"new {n}\"|{n}.5"));
        }
        folder.write_old("moves.csv", head.to_owned() + &lines.concat());
        let winner = if sheet_wins { "sheet" } else { "source" };
        folder.refresh(&format!("--accept shorter --conflicts {winner}")).expect(0);
        proptest::prop_assert_eq!(folder.rows("moves"), expected.clone());
        // Once it is settled, nothing is left to do; and what comes next finds everything in its place.
        folder.refresh("--dry-run").expect(0);
        lines.push("Z,last,1.5\n".to_owned());
        expected.push("\"Z\"|\"last\"|1.5".to_owned());
        folder.write_old("moves.csv", head.to_owned() + &lines.concat());
        folder.refresh("").expect(0);
        proptest::prop_assert_eq!(folder.rows("moves"), expected);
    }
}

#[test]
fn a_refresh_that_is_killed_leaves_the_old_workbook_or_the_new_one() {
    let mut text = String::from("Key,Cargo,Tons\n");
    for n in 0..20_000 {
        text += &format!("K{n:05},cargo of call {n},{n}.5\n");
    }
    let folder = Folder::new();
    folder.write_old("moves.csv", &text);
    folder.run("import moves.csv --into book.xlsx").expect(0);
    let old = folder.book();
    folder.write_old("moves.csv", text.replace("cargo of call 77", "revised"));
    for wait in [5, 20, 40, 80, 120, 200] {
        let mut child = folder.command("refresh book.xlsx").spawn().unwrap();
        std::thread::sleep(std::time::Duration::from_millis(wait));
        child.kill().unwrap();
        child.wait().unwrap();
        let now = folder.book();
        if now != old {
            break;
        }
    }
    folder.refresh("").expect(0);
    assert_eq!(folder.rows("moves")[77], "\"K00077\"|\"revised\"|77.5");
    assert_eq!(folder.files(), ["book.xlsx", "moves.csv"], "nothing is left beside it");
}

#[test]
fn another_key_is_kept_though_there_is_nothing_to_bring_in() {
    let folder = Folder::new();
    folder.write_old("calls.csv", "Berth,Call,Dues\n007,A-1,1\n007,A-2,2\n");
    folder.run("import calls.csv --into book.xlsx --key Berth").expect(0);
    let run = folder.run("refresh book.xlsx --key Wharf").expect(2);
    assert!(run.err.contains("its columns are: Berth, Call, Dues"), "{}", run.err);
    folder.run("refresh book.xlsx --key Call --dry-run").expect(0);
    assert!(folder.run("link list book.xlsx").expect(0).out.contains("matched by Berth"));
    folder.run("refresh book.xlsx --key Call").expect(0);
    assert!(folder.run("link list book.xlsx").expect(0).out.contains("matched by Call"));
    // Known by it from now on.
    folder.write_old("calls.csv", "Berth,Call,Dues\n009,A-1,1\n007,A-2,2\n");
    let run = folder.run("refresh book.xlsx").expect(0);
    assert!(run.out.contains("1 revised") && run.out.contains("matched by    Call"), "{}", run.out);
}
