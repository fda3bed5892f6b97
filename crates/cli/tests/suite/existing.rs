//! Into a workbook that is there already.

use crate::support::{Folder, part};

const CALLS: &str = "Call,Berth,Arrived,Dues\n1,007,17.03.2031,12.50\n2,012,18.03.2031,3.00\n";

/// A folder with a workbook that holds one sheet, `calls`, and its table.
fn with_book() -> Folder {
    let folder = Folder::new().with("calls.csv", CALLS).with("more.csv", CALLS);
    folder.run("import calls.csv --into book.xlsx").expect(0);
    folder
}

#[test]
fn sheets_are_added_and_everything_else_stays() {
    let folder = with_book();
    let before = std::fs::read(folder.path("book.xlsx")).unwrap();
    std::fs::write(folder.path("before.xlsx"), &before).unwrap();
    folder.run("import more.csv --into book.xlsx").expect(0);
    let sheet = "xl/worksheets/sheet1.xml";
    assert_eq!(part(&folder.path("before.xlsx"), sheet), part(&folder.path("book.xlsx"), sheet));
    assert_eq!(folder.cells("book.xlsx", "calls"), folder.cells("book.xlsx", "more"));
    assert!(folder.part("book.xlsx", "xl/tables/table2.xml").contains("displayName=\"more\""));
    // The same formats are used again: none is added.
    let styles = "xl/styles.xml";
    assert_eq!(part(&folder.path("before.xlsx"), styles), part(&folder.path("book.xlsx"), styles));
}

#[test]
fn a_sheet_of_that_name_stops_the_import() {
    let folder = with_book();
    let before = std::fs::read(folder.path("book.xlsx")).unwrap();
    let run = folder.run("import calls.csv --into book.xlsx").expect(4);
    assert!(run.err.contains("--sheet 'calls (2)'"), "{}", run.err);
    assert!(std::fs::read(folder.path("book.xlsx")).unwrap() == before, "nothing was changed");
    folder.run("import calls.csv --into book.xlsx --sheet 'calls (2)'").expect(0);
    assert!(folder.part("book.xlsx", "xl/tables/table2.xml").contains("displayName=\"calls_2\""));
}

#[test]
fn undo_takes_changes_back_one_by_one_and_refuses_after_others() {
    let folder = with_book();
    let read = || std::fs::read(folder.path("book.xlsx")).unwrap();
    let first = read();
    folder.run("import more.csv --into book.xlsx").expect(0);
    let second = read();
    folder.run("import more.csv --into book.xlsx --sheet again").expect(0);
    folder.run("undo book.xlsx").expect(0);
    assert!(read() == second, "the version before is back");
    let mut changed = second.clone();
    changed.push(0);
    std::fs::write(folder.path("book.xlsx"), &changed).unwrap();
    let run = folder.run("undo book.xlsx").expect(4);
    assert!(run.err.contains("it was changed since Incola changed it"), "{}", run.err);
    assert!(read() == changed, "nothing was changed");
    folder.run("undo book.xlsx --even-changed").expect(0);
    assert!(read() == first, "the first version is back");
    folder.run("undo book.xlsx").expect(3);
}

#[test]
fn workbooks_that_must_not_be_changed_are_left_alone() {
    let folder = with_book()
        .with("old.xlsx", b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1....")
        .with("text.xlsx", "Call,Berth\n");
    std::fs::write(folder.path("~$book.xlsx"), b"owner").unwrap();
    for (book, status, expected) in [
        ("book.xlsx", 4, "book.xlsx: it is open in another program"),
        ("old.xlsx", 3, "old.xlsx: it is encrypted, or an old binary workbook"),
        ("text.xlsx", 3, "text.xlsx: this is not a zip archive, or its end is missing"),
    ] {
        let before = std::fs::read(folder.path(book)).unwrap();
        let run = folder.run(&format!("import more.csv --into {book}")).expect(status);
        assert!(run.err.contains(expected), "{}", run.err);
        assert!(std::fs::read(folder.path(book)).unwrap() == before, "{book} was changed");
    }
    assert_eq!(
        folder.files(),
        ["book.xlsx", "calls.csv", "more.csv", "old.xlsx", "text.xlsx", "~$book.xlsx"]
    );
}

#[cfg(unix)]
#[test]
fn a_link_is_followed_and_permissions_stay() {
    use std::os::unix::fs::PermissionsExt;
    let folder = with_book();
    std::fs::set_permissions(folder.path("book.xlsx"), std::fs::Permissions::from_mode(0o640)).unwrap();
    std::os::unix::fs::symlink("book.xlsx", folder.path("link.xlsx")).unwrap();
    folder.run("import more.csv --into link.xlsx").expect(0);
    assert!(folder.path("link.xlsx").symlink_metadata().unwrap().is_symlink());
    assert_eq!(std::fs::metadata(folder.path("book.xlsx")).unwrap().permissions().mode() & 0o777, 0o640);
    assert_eq!(folder.cells("book.xlsx", "more").len(), 3);
}

/// The rows of a sheet, as a general reader sees them.
fn rows(folder: &Folder, sheet: &str) -> Vec<String> {
    folder.cells("book.xlsx", sheet).iter().map(|row| row.join("|")).collect()
}

#[test]
fn rows_go_under_those_of_a_table_whatever_the_order_of_columns() {
    let folder = with_book()
        .with("april.csv", "dues,Call,berth,ARRIVED\n7.25,3,031,01.04.2031\n8.00,4,007,02.04.2031\n");
    let run = folder.run("import april.csv --into book.xlsx --sheet calls --mode append").expect(0);
    assert!(run.out.contains("sheet         calls, table calls"), "{}", run.out);
    assert!(run.out.contains("rows          2, in A4:D5"), "{}", run.out);
    assert_eq!(
        rows(&folder, "calls")[2..],
        ["2|\"012\"|47925|3", "3|\"031\"|47939|7.25", "4|\"007\"|47940|8"].map(String::from)
    );
    assert!(
        folder
            .part("book.xlsx", "xl/tables/table1.xml")
            .contains("ref=\"A1:D5\" totalsRowShown=\"0\"><autoFilter ref=\"A1:D5\"/>")
    );
    assert!(folder.part("book.xlsx", "xl/worksheets/sheet1.xml").contains("<dimension ref=\"A1:D5\"/>"));
    // A second time, under those.
    folder.run("import april.csv --into book.xlsx --sheet calls --mode append --again").expect(0);
    assert_eq!(rows(&folder, "calls").len(), 7);
}

#[test]
fn columns_that_do_not_match_stop_with_both_lists() {
    let folder = with_book().with("april.csv", "Call,Quay,Arrived,Dues\n3,031,01.04.2031,7.25\n");
    let before = std::fs::read(folder.path("book.xlsx")).unwrap();
    let run = folder.run("import april.csv --into book.xlsx --sheet calls --mode append").expect(4);
    insta::assert_snapshot!(run.err, @r"
    incola: sheet “calls”: its headings are not the columns of the source
        sheet                   source
        Call                    Call
      ≠ Berth                 ≠ Quay
        Arrived                 Arrived
        Dues                    Dues
      the workbook was not changed
      → columns in the same order: --match position
      → to leave headings without a column empty: --missing-columns blank
      → columns without a heading get one, or are left out: --extra-columns add, --extra-columns skip
      → leave one of them out: --as Quay=skip
      → give columns the sheet's names: --names
    ");
    assert!(std::fs::read(folder.path("book.xlsx")).unwrap() == before, "the workbook was changed");
    folder.run("import april.csv --into book.xlsx --sheet calls --mode append --match position").expect(0);
    assert_eq!(rows(&folder, "calls")[3], "3|\"031\"|47939|7.25");
}

#[test]
fn rows_go_below_headings_that_stand_there_or_below_their_own() {
    let folder = Folder::new().with("calls.csv", CALLS).with("template.csv", "Call,Berth,Arrived,Dues\n");
    folder.run("import template.csv --plain --header 1 --into book.xlsx --sheet form").expect(0);
    folder.run("import calls.csv --into book.xlsx --sheet form --at A2").expect(0);
    assert_eq!(rows(&folder, "form")[1], "1|\"007\"|47924|12.5");
    folder.run("import calls.csv --into book.xlsx --sheet form --at C8").expect(0);
    let cells = rows(&folder, "form");
    assert_eq!(
        cells[7..9],
        ["||\"Call\"|\"Berth\"|\"Arrived\"|\"Dues\"", "||1|\"007\"|47924|12.5"].map(String::from)
    );
    // Below its headings rows stand now.
    let run = folder.run("import calls.csv --into book.xlsx --sheet form --at A2").expect(4);
    assert!(
        run.err.contains("the cells for the rows are not empty: they need A2:D3, and rows 2 to 3 are filled"),
        "{}",
        run.err
    );
    assert!(run.err.contains("A2 holds \u{201c}1\u{201d}"), "{}", run.err);
    assert!(run.err.contains("--mode append") && run.err.contains("--at A12"), "{}", run.err);
    let run = folder.run("import calls.csv --into book.xlsx --sheet form --at 7").expect(2);
    assert!(
        run.err.contains("--at 7: no table, range or heading has that name, and it is not a cell"),
        "{}",
        run.err
    );
}

#[test]
fn a_place_in_a_sheet_that_is_not_there_is_refused() {
    let folder = with_book();
    let files = folder.files();
    for (words, expected) in [
        ("--into new.xlsx --at B5", "--at B5: new.xlsx has no sheet \u{201c}more\u{201d}"),
        (
            "--into book.xlsx --sheet april --mode append",
            "--mode append: book.xlsx has no sheet \u{201c}april\u{201d}",
        ),
        ("--into new.xlsx --at 5", "--at 5: new.xlsx has no sheet"),
        ("calls.csv --together --into new.xlsx --at B5", "--at B5: new.xlsx has no sheet"),
    ] {
        let run = folder.run(&format!("import more.csv {words}")).expect(2);
        assert!(run.err.contains(expected), "{}", run.err);
    }
    assert_eq!(folder.files(), files);
    folder.run("import more.csv --into new.xlsx --at A1").expect(0);
}

/// A folder with the demo's workbooks, and a source of few rows for the ledger.
fn with_ledger() -> Folder {
    Folder::new()
        .with("ledger.xlsx", include_bytes!("../../demo/ledger.xlsx"))
        .with("form.xlsx", include_bytes!("../../demo/pallet-form.xlsx"))
        .with(
            "calls.csv",
            "Call no,Berth,Arrived,Dues\n000201,007,2031-03-01T06:10:00,10.50\n000202,012,2031-03-02T07:20:00,2100.00\n",
        )
}

#[test]
fn rows_under_a_table_take_formulas_totals_and_areas_along() {
    let folder = with_ledger();
    let run = folder.run("import calls.csv --into ledger.xlsx --at LEDGER --mode append").expect(1);
    insta::assert_snapshot!(run.out.lines().take(8).collect::<Vec<_>>().join("\n"), @r"
    ledger.xlsx   changed, 7,570 bytes

      sheet         Calls, table ledger
      source        calls.csv, 103 bytes, 2 records
      rows          2, in A5:D6
      with them     the formula beside, in E5:E6
      with them     the totals, from row 5 to row 7
      kept exactly  all 8 cells: read back from the sheet and identical to the file
    ");
    let sheet = folder.part("ledger.xlsx", "xl/worksheets/sheet1.xml");
    for expected in [
        "<c r=\"E6\" s=\"5\"><f>ROUND(D6*0.19,2)</f></c>",
        "<f>SUBTOTAL(109,D2:D6)</f>",
        "<conditionalFormatting sqref=\"D2:D6\">",
    ] {
        assert!(sheet.contains(expected), "{expected} is not in {sheet}");
    }
    let table = folder.part("ledger.xlsx", "xl/tables/table1.xml");
    assert!(table.contains("ref=\"A1:E7\"") && table.contains("<autoFilter ref=\"A1:E6\"/>"), "{table}");
    assert!(folder.part("ledger.xlsx", "xl/workbook.xml").contains("fullCalcOnLoad=\"1\""));
    // Fewer rows in their place: nothing is left over, and the totals come up again.
    let run = folder.run("import calls.csv --into ledger.xlsx --sheet Calls --mode replace").expect(0);
    assert!(run.out.contains("rows          2, in A2:D3, in place of 5"), "{}", run.out);
    let sheet = folder.part("ledger.xlsx", "xl/worksheets/sheet1.xml");
    assert!(sheet.contains("<c r=\"A4\" s=\"6\" t=\"inlineStr\"><is><t>Total</t></is></c>"), "{sheet}");
    assert!(!sheet.contains("<row r=\"5\""), "{sheet}");
    assert!(sheet.contains("W. Quill"), "what stands beside stays");
}

#[test]
fn rows_look_as_the_cells_of_the_form_do() {
    let folder = with_ledger().with("pallets.dat", include_bytes!("../../demo/pallets.dat"));
    folder.run("import pallets.dat --as '*=text' --into form.xlsx --sheet Pallets --at A2").expect(0);
    let sheet = folder.part("form.xlsx", "xl/worksheets/sheet1.xml");
    let style = |cell: &str| {
        let from = sheet.find(&format!("r=\"{cell}\"")).unwrap();
        sheet[from..].split("s=\"").nth(1).unwrap().split('"').next().unwrap().to_owned()
    };
    // Rows that the form has and those that it has not.
    assert_eq!((style("A2"), style("F2")), (style("A31"), style("F31")));
    assert_ne!(style("A2"), style("F2"), "the first columns have a font of their own");
    assert!(sheet.contains("sqref=\"A2:A31\""), "the check on codes goes on");
    let run = folder.run("import pallets.dat --into form.xlsx --sheet Pallets --at A2").expect(4);
    assert!(run.err.contains("--mode replace"), "{}", run.err);
}

#[test]
fn columns_that_are_too_narrow_are_said_and_widened() {
    let folder = Folder::new()
        .with("short.csv", "Call,Weight,Arrived,Remarks\nA,5,2031-03-01,none\n")
        .with("long.csv", "Call,Weight,Arrived,Remarks\nA-000000000000001,51234567890.25,2031-03-02,\"held by customs, papers incomplete, agent told\"\n");
    let cols = |book: &str| {
        let sheet = folder.part(book, "xl/worksheets/sheet1.xml");
        sheet[sheet.find("<cols>").unwrap()..sheet.find("</cols>").unwrap()].to_owned()
    };
    for (options, said) in [
        (
            "",
            "columns are too narrow: in B numbers or dates are shown as ####, in A, D text may be cut off; --fit-widths widens them",
        ),
        ("--fit-widths", "wider columns: A, B, D"),
    ] {
        folder.run("import short.csv --into book.xlsx").expect(0);
        let before = cols("book.xlsx");
        let run = folder
            .run(&format!("import long.csv --into book.xlsx --sheet short --mode append {options}"))
            .expect(0);
        let words = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(words.contains(said), "{}", run.out);
        if options.is_empty() {
            assert_eq!(cols("book.xlsx"), before);
        } else {
            let after = cols("book.xlsx");
            assert!(
                after.contains(
                    "<col min=\"2\" max=\"2\" style=\"3\" width=\"14.9609375\" customWidth=\"1\"/>"
                ),
                "{after}"
            );
            let column = |of: &str| of.split("/>").nth(2).unwrap().to_owned();
            assert_eq!(column(&after), column(&before), "dates have room");
            // They have room now.
            let more =
                folder.run("import long.csv --into book.xlsx --sheet short --mode append --again").expect(0);
            assert!(!more.out.contains("narrow"), "{}", more.out);
        }
        std::fs::remove_file(folder.path("book.xlsx")).unwrap();
    }
}

#[test]
fn a_heading_that_is_called_as_a_cell_is_asked_about() {
    let folder =
        Folder::new().with("quarters.csv", "Berth,Q1,Q2\n007,12,14\n").with("q.csv", "Q1,Q2\n15,16\n");
    folder.run("import quarters.csv --into book.xlsx").expect(0);
    let at = |at: &str| {
        folder.run(&format!("import q.csv --into book.xlsx --sheet quarters --plain --dry-run --at {at}"))
    };
    let run = at("q1").expect(2);
    assert!(run.err.contains("--at Q1: that is a cell, and also what the heading in B1 says"), "{}", run.err);
    assert!(run.err.contains("--at B1") && run.err.contains("--at '$Q$1'"), "{}", run.err);
    assert!(at("'$Q$1'").expect(0).out.contains("in Q1:R2"));
    assert!(at("B1 --mode append --missing-columns blank").expect(0).out.contains("in A3:C3"));
    assert!(at("B9").expect(0).out.contains("in B9:C10"));
}

#[test]
fn places_are_cells_tables_ranges_and_headings() {
    let folder = with_ledger();
    let before = std::fs::read(folder.path("ledger.xlsx")).unwrap();
    for (words, status, expected) in [
        ("--at ledger --mode append --dry-run", 1, "2, in A5:D6"),
        ("--sheet Calls --mode append --follow --dry-run", 0, "2, in A5:D6"),
        ("--sheet Calls --at B1 --mode append --dry-run", 1, "2, in A5:D6"),
        ("--sheet Calls --at 'call NO' --mode append --dry-run", 1, "2, in A5:D6"),
        ("--sheet Calls --at A20 --dry-run", 0, "2, in A20:D22"),
        ("--sheet Calls --at wharf", 2, "no table, range or heading has that name"),
        ("--sheet Chart --at ledger", 2, "--at ledger is in sheet \u{201c}Calls\u{201d}"),
        ("--sheet Calls --at C4 --mode fresh", 4, "the cells for the rows are not empty"),
        ("--sheet Calls --at XFC9", 4, "a sheet ends with column 16384"),
        ("--sheet Calls --at A1048575", 4, "a sheet ends with row 1048576"),
        ("--at A5 --sheet Calls", 4, "they need A2:D3, and rows 2 to 4 are filled"),
    ] {
        let run = folder.run(&format!("import calls.csv --into ledger.xlsx {words}"));
        assert_eq!(run.status, status, "{words}: {}{}", run.out, run.err);
        assert!(run.out.contains(expected) || run.err.contains(expected), "{words}: {}{}", run.out, run.err);
        assert!(std::fs::read(folder.path("ledger.xlsx")).unwrap() == before, "{words}: it was changed");
    }
}

#[test]
fn missing_and_extra_columns_are_what_the_clerk_says() {
    let folder = with_book().with("more.csv", "Call,Cargo,Berth,Dues\n3,fish,031,7.25\n");
    let append = "import more.csv --into book.xlsx --sheet calls --mode append";
    folder.run(append).expect(4);
    folder.run(&format!("{append} --missing-columns blank")).expect(4);
    folder.run(&format!("{append} --extra-columns skip")).expect(4);
    folder.run(&format!("{append} --missing-columns blank --extra-columns skip")).expect(0);
    assert_eq!(rows(&folder, "calls")[3], "3|\"031\"||7.25");
    folder
        .run(&format!("{append} --missing-columns blank --extra-columns add --source-column File --again"))
        .expect(0);
    let all = rows(&folder, "calls");
    assert_eq!(all[0], "\"Call\"|\"Berth\"|\"Arrived\"|\"Dues\"|\"Cargo\"|\"File\"");
    assert_eq!(all[4], "3|\"031\"||7.25|\"fish\"|\"more.csv\"");
    let table = folder.part("book.xlsx", "xl/tables/table1.xml");
    assert!(table.contains("ref=\"A1:F5\""), "{table}");
    assert!(table.contains("<tableColumns count=\"6\">"), "{table}");
    assert!(table.contains("<tableColumn id=\"6\" name=\"File\"/></tableColumns>"), "{table}");
}

#[test]
fn several_sources_go_under_each_other() {
    let folder = with_book().with("a.csv", "Call,Berth,Arrived,Dues\n3,031,01.04.2031,7.25\n");
    folder
        .run("import a.csv more.csv --together --into book.xlsx --sheet calls --mode append --source-column File")
        .expect(0);
    let all = rows(&folder, "calls");
    assert_eq!(all.len(), 6);
    assert_eq!(
        all[3..5],
        ["3|\"031\"|47939|7.25|\"a.csv\"", "1|\"007\"|47924|12.5|\"more.csv\""].map(String::from)
    );
}

#[test]
fn rows_under_others_are_of_their_kind() {
    // On its own, the berth would be a number, and the order of day and month could not be told.
    let folder = with_book()
        .with("april.csv", "Call,Berth,Arrived,Dues\nX7,31,01.04.2031,7.25\n8,12,02.04.2031,8.00\n");
    let run = folder.run("import april.csv --into book.xlsx --sheet calls --mode append").expect(1);
    let said = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("\u{201c}Call\u{201d} is number, \u{201c}Berth\u{201d} is text"), "{said}");
    let all = rows(&folder, "calls");
    assert_eq!(all[3..], ["\"X7\"|\"31\"|47939|7.25", "8|\"12\"|47940|8"].map(String::from));
    // What the clerk says comes first.
    folder
        .run("import april.csv --into book.xlsx --sheet calls --mode append --as Berth=number --as Call=text --again")
        .expect(0);
    assert_eq!(rows(&folder, "calls")[5], "\"X7\"|31|47939|7.25");
}

#[test]
fn a_heading_of_their_own_makes_a_table() {
    let folder = with_book();
    folder.run("import more.csv --into book.xlsx --sheet calls --at G3").expect(0);
    let table = folder.part("book.xlsx", "xl/tables/table2.xml");
    assert!(table.contains("displayName=\"more\" ref=\"G3:J5\""), "{table}");
    let sheet = folder.part("book.xlsx", "xl/worksheets/sheet1.xml");
    assert!(
        sheet.contains("<tableParts count=\"2\"><tablePart r:id=\"rId1\"/><tablePart r:id=\"rId2\"/>"),
        "{sheet}"
    );
    // The two stand side by side, and rows for one leave the other alone.
    folder.run("import more.csv --into book.xlsx --at more --mode append").expect(0);
    assert_eq!(rows(&folder, "calls")[6], "||||||2|\"012\"|47925|3");
    let run = folder.run("import more.csv --into book.xlsx --sheet calls --mode append").expect(2);
    assert!(run.err.contains("has several tables: calls, more"), "{}", run.err);
    folder.run("import more.csv --into book.xlsx --sheet calls --at G12 --plain").expect(0);
    let run = folder
        .run("import more.csv more.csv more.csv --together --into book.xlsx --at more --mode append")
        .expect(4);
    assert!(run.err.contains("the cells for the rows are not empty"), "{}", run.err);
}

#[test]
fn a_bad_source_among_several_spoils_none_of_the_others() {
    let folder = with_book().with("bad.csv", "").with("odd.csv", "Call,Dues\n1,2.5\n2,3.5\n3,n/a\n");
    let run = folder.run("import calls.csv bad.csv odd.csv more.csv --strict --into year.xlsx").expect(4);
    assert!(run.err.contains("bad.csv: the file is empty"), "{}", run.err);
    assert!(run.err.contains("odd.csv: line 4"), "{}", run.err);
    assert_eq!(folder.cells("year.xlsx", "calls"), folder.cells("year.xlsx", "more"));
    assert!(!folder.part("year.xlsx", "xl/workbook.xml").contains("odd"));
}

#[test]
fn a_signed_workbook_is_changed_only_if_told() {
    let folder = with_ledger();
    std::fs::copy(folder.path("ledger.xlsx"), folder.path("signed.xlsx")).unwrap();
    folder.add_part("signed.xlsx", "_xmlsignatures/sig1.xml", "<Signature/>");
    let run = folder.run("import calls.csv --into signed.xlsx").expect(4);
    assert!(run.err.contains("any change would break the signature"), "{}", run.err);
    folder.run("import calls.csv --into signed.xlsx --even-signed --sheet new").expect(0);
}

#[test]
fn what_a_killed_import_left_is_cleared_by_the_next() {
    let folder = with_book();
    // The name that an unfinished workbook has is seen while one is written.
    let big: String = (0..200_000).map(|n| format!("{n},{n:03},17.03.2031,1.50\n")).collect();
    std::fs::write(folder.path("big.csv"), format!("Call,Berth,Arrived,Dues\n{big}")).unwrap();
    let mut child = folder.command("import big.csv --into book.xlsx").spawn().unwrap();
    let is_unfinished = |name: &String| name.starts_with(".incola-");
    let seen = std::iter::from_fn(|| {
        std::thread::sleep(std::time::Duration::from_millis(1));
        (child.try_wait().unwrap().is_none()).then(|| folder.files().iter().any(is_unfinished))
    });
    let was_seen = seen.take(20_000).any(|found| found);
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(!was_seen || folder.files().iter().any(is_unfinished), "{:?}", folder.files());
    folder.run("import more.csv --into book.xlsx").expect(0);
    assert!(!folder.files().iter().any(is_unfinished), "{:?}", folder.files());
}

/// A source of so many records; `mark` makes them differ from those of another.
fn many(records: u32, mark: u32) -> String {
    let rows = (0..records).map(|n| format!("{n},{:03},{:02}.03.2031,{n}.{mark}5\n", n % 40, 1 + n % 28));
    String::from("Call,Berth,Arrived,Dues\n") + &rows.collect::<String>()
}

#[test]
fn long_sheets_are_added_to_and_replaced_block_by_block() {
    let folder = with_book().with("long.csv", many(30_000, 1)).with("other.csv", many(22_000, 2));
    folder.run("import long.csv --into long.xlsx").expect(0);
    let sheet = "xl/worksheets/sheet1.xml";
    let before = folder.part("long.xlsx", sheet);
    // Most rows are copied as they are compressed; what is read again is checked by its checksum.
    folder.run("import calls.csv --into long.xlsx --at long --mode append").expect(0);
    let rows = folder.cells("long.xlsx", "long");
    assert_eq!((rows.len(), rows[30_001].join("|").as_str()), (30_003, "1|\"007\"|47924|12.5"));
    let after = folder.part("long.xlsx", sheet);
    let data =
        |text: &str| text[text.find("<sheetData>").unwrap()..text.find("</sheetData>").unwrap()].to_owned();
    assert!(data(&after).starts_with(&data(&before)), "the rows that were there are the same bytes");
    // Beside the table stands another: each row is put over the one that is there.
    folder.run("import calls.csv --into long.xlsx --sheet long --at G20000").expect(0);
    folder.run("import other.csv --into long.xlsx --at long --mode replace").expect(0);
    let rows = folder.cells("long.xlsx", "long");
    assert_eq!(rows.len(), 22_001);
    for n in [0, 1, 9_999, 19_998, 19_999, 20_000, 21_999] {
        let expected = format!("{n}|\"{:03}\"|", n % 40);
        assert!(rows[n + 1].join("|").starts_with(&expected), "{:?}", rows[n + 1]);
    }
    assert_eq!(rows[20_000].join("|"), "19999|\"039\"|47915|19999.25|||1|\"007\"|47924|12.5");
    // Nothing beside: the rows before are not looked at again, and the same import twice gives the same sheet.
    folder.run("import other.csv --into book.xlsx --sheet calls --mode replace").expect(0);
    let once = folder.part("book.xlsx", sheet);
    folder.run("import other.csv --into book.xlsx --sheet calls --mode replace").expect(0);
    assert!(folder.part("book.xlsx", sheet) == once, "the same rows twice give the same bytes");
    assert_eq!(folder.cells("book.xlsx", "calls").len(), 22_001);
}

#[test]
fn what_stands_below_says_nothing_about_the_columns() {
    let tons: String = (1..=12).map(|i| format!("{i},{}.5\n", i * 3)).collect();
    let folder = Folder::new()
        .with("berths.csv", "Berth,Depth\n007,4.5\n012,5.0\n")
        .with("more.csv", "Berth,Depth\n003,6.25\n")
        .with("tons.csv", format!("Week,Tons\n{tons}"));
    for (sheet, options) in [("quay", ""), ("mole", "--plain")] {
        let into = format!("--into book.xlsx --sheet {sheet} --delimiter comma");
        folder.run(&format!("import berths.csv {into} {options}")).expect(0);
        folder.run(&format!("import tons.csv {into} --at A20 {options}")).expect(0);
        folder.run(&format!("import more.csv {into} --at A1 --mode append")).expect(0);
        let cells = folder.cells("book.xlsx", sheet);
        // Identifiers stay text, although most of what stands in their column is numbers.
        assert_eq!(cells[3].join("|"), "\"003\"|6.25", "{options}");
        assert_eq!(cells[1].join("|"), "\"007\"|4.5", "{options}");
    }
}

#[test]
fn names_that_were_taken_for_a_record_are_told_apart_from_another_order() {
    // Headings that are numbers, and a single column of words: nothing tells the first line from the others.
    for (first, more, names) in [
        ("12,34\n1,2\n3,4\n5,6\n", "12,34\n7,8\n9,10\n11,12\n", 2),
        ("Ship\nTern\nHeron\nAnselm\n", "Ship\nSaltwind\nOld Skerry\nTern\n", 1),
    ] {
        let folder = Folder::new().with("first.csv", first).with("more.csv", more);
        folder.run("import first.csv --into book.xlsx --sheet quay --header 1 --delimiter comma");
        let before = std::fs::read(folder.path("book.xlsx")).unwrap();
        let run = folder.run(
            "import more.csv --into book.xlsx --sheet quay --mode append --header none --delimiter comma",
        );
        assert_eq!(run.status, 4, "{}{}", run.out, run.err);
        assert!(run.err.contains("line 1 holds these names: --header 1"), "{}", run.err);
        assert!(!run.err.contains("--match position"), "{}", run.err);
        assert!(std::fs::read(folder.path("book.xlsx")).unwrap() == before);
        folder
            .run("import more.csv --into book.xlsx --sheet quay --mode append --header 1 --delimiter comma");
        let cells = folder.cells("book.xlsx", "quay");
        assert_eq!((cells.len(), cells[0].len()), (7, names), "{cells:?}");
    }
}

#[test]
fn a_protected_sheet_is_left_alone_unless_someone_says_so() {
    let folder = Folder::new().with("more.csv", "Call,Dues\nA-3,3\n");
    folder.write_old("calls.csv", "Call,Dues\nA-1,1\nA-2,2\n");
    folder.run("import calls.csv --into book.xlsx").expect(0);
    folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |xml| {
        xml.replace("</sheetData>", "</sheetData><sheetProtection sheet=\"1\"/>")
    });
    let before = std::fs::read(folder.path("book.xlsx")).unwrap();
    let append = "import more.csv --into book.xlsx --sheet calls --mode append";
    folder.write_old("calls.csv", "Call,Dues\nA-1,1\nA-2,9\n");
    for words in [append, "refresh book.xlsx"] {
        let run = folder.run(words).expect(4);
        assert!(
            run.err.contains("is protected against typing") && run.err.contains("--even-protected"),
            "{}",
            run.err
        );
        assert!(std::fs::read(folder.path("book.xlsx")).unwrap() == before);
    }
    folder.run("refresh book.xlsx --even-protected").expect(0);
    let run = folder.run(&format!("{append} --even-protected")).expect(0);
    assert!(run.out.contains("protected against typing"), "{}", run.out);
    assert_eq!(folder.cells("book.xlsx", "calls")[2..], [["\"A-2\"", "9"], ["\"A-3\"", "3"]]);
}
