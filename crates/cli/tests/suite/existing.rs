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
        ("text.xlsx", 3, "text.xlsx: it is no zip archive, or its end is missing"),
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
    folder.run("import april.csv --into book.xlsx --sheet calls --mode append").expect(0);
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
      the workbook was left as it is
      → columns in the same order: --match position
      → headings without a column stay empty: --missing blank
      → columns without a heading get one, or are left out: --extra add, --extra skip
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
    assert!(run.err.contains("something stands where rows go: they need A2:D3, and rows 2 to 3 are filled"), "{}", run.err);
    assert!(run.err.contains("A2 holds \u{201c}1\u{201d}"), "{}", run.err);
    assert!(run.err.contains("--mode append") && run.err.contains("--at A12"), "{}", run.err);
    let run = folder.run("import calls.csv --into book.xlsx --sheet form --at 7").expect(2);
    assert!(run.err.contains("--at 7: there is no table, range or heading of that name, and it is no cell"), "{}", run.err);
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
