//! Cases of what stands beside, below and among rows: it goes along, stays, or stops what would lose it.

use crate::grid::{BOXES, COMMENTS, Grid, SHEET, Typed, hang};
use crate::support::Folder;

const CALLS: &str = "Call,Berth,Dues\nA-1,007,12.5\nA-2,012,3.25\nA-3,003,8.75\n";

/// Cells as they are typed, a line for each row: `=` makes a formula, `{=` one for a list of values, digits a number, `'` a text.
fn grid(rows: &str) -> Grid {
    let mut grid = Grid::default();
    for (row, line) in (1..).zip(rows.trim().lines()) {
        for (column, cell) in (1..).zip(line.trim().split('|')) {
            let cell = cell.trim();
            let typed = match cell {
                "" => continue,
                _ if cell.starts_with("{=") => Typed::Array(cell[2..].trim_end_matches('}').to_owned()),
                _ if cell.starts_with('=') => Typed::Formula(cell[1..].to_owned()),
                _ if cell.parse::<f64>().is_ok() => Typed::Number(cell.to_owned()),
                _ => Typed::Text(cell.trim_start_matches('\'').to_owned()),
            };
            grid.set(row, column, typed);
        }
    }
    grid
}

/// A workbook with these cells; `link`: whether its rows are linked to `calls.csv`.
fn book(rows: &str, options: &str) -> Folder {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run(&format!("import calls.csv --into book.xlsx --header 1 --as Berth=text {options}")).expect(0);
    folder.change_part("book.xlsx", SHEET, |part| grid(rows).put_into(&part, None));
    folder
}

#[track_caller]
fn holds(folder: &Folder, rows: &str) {
    assert_eq!(Grid::of(&folder.part("book.xlsx", SHEET)).cells, grid(rows).cells);
}

fn import(folder: &Folder, calls: &str, options: &str) -> crate::support::Run {
    std::fs::write(folder.path("more.csv"), calls).unwrap();
    folder.run(&format!(
        "import more.csv --into book.xlsx --sheet calls --header 1 --as Berth=text --no-link {options}"
    ))
}

const ONE: &str = "Call,Berth,Dues\nA-4,009,1.5\n";

#[test]
fn totals_of_every_sort_go_with_the_rows() {
    for (before, after) in [
        // Under computed columns alone, in two rows, and with a formula outside of the headings.
        (
            "Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\nA-2|'012|3.25|=C3*2\n|||=SUM(D2:D3)",
            "Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\nA-2|'012|3.25|=C3*2\nA-4|'009|1.5|=C4*2\n|||=SUM(D2:D4)",
        ),
        (
            "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nTotal||=SUM(C2:C3)|=C4/2\nLevy||=C4*0.2",
            "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-4|'009|1.5\nTotal||=SUM(C2:C4)|=C5/2\nLevy||=C5*0.2",
        ),
        // A formula in a record, one for a list of values, and a sum that was typed.
        (
            "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|=C2*2\nTotal||15.75",
            "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|=C2*2\nA-4|'009|1.5\nTotal||15.75",
        ),
        (
            "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nTotal||{=SUM(C2:C3)}",
            "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-4|'009|1.5\nTotal||{=SUM(C2:C4)}",
        ),
    ] {
        let folder = book(before, "--plain");
        import(&folder, ONE, "--mode append").expect(0);
        holds(&folder, after);
        // In place of the others they stay below.
        import(&folder, ONE, "--mode replace").expect(0);
        let last = Grid::of(&folder.part("book.xlsx", SHEET)).cells.keys().map(|(row, _)| *row).max();
        assert_eq!(last, Some(3 + u32::from(after.contains("Levy"))), "{after}");
    }
}

#[test]
fn a_row_that_may_be_a_record_or_totals_is_asked_about() {
    let rows = "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-3|'003|=SUM(C2:C3)";
    let folder = book(rows, "--plain");
    let run = import(&folder, ONE, "--mode append").expect(4);
    assert!(run.err.contains("row 4 may be a record or a row of totals"), "{}", run.err);
    assert!(run.err.contains("C4 holds =SUM(C2:C3)"), "{}", run.err);
    assert!(run.err.contains("--rows A2:C4") && run.err.contains("--rows A2:C3"), "{}", run.err);
    holds(&folder, rows);
    import(&folder, ONE, "--mode append --rows A2:C4").expect(0);
    holds(&folder, &format!("{rows}\nA-4|'009|1.5"));
    let folder = book(rows, "--plain");
    import(&folder, ONE, "--mode append --rows A2:C3").expect(0);
    holds(&folder, "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-4|'009|1.5\nA-3|'003|=SUM(C2:C4)");
    for (said, expected) in [("A3:C4", "begin in row 2"), ("C", "this is not a range of cells")] {
        let run = import(&folder, ONE, &format!("--mode append --rows {said}")).expect(2);
        assert!(run.err.contains(expected), "{}", run.err);
    }
}

#[test]
fn formulas_beside_go_on_with_the_rows_of_tables_too() {
    for options in ["", "--plain"] {
        let folder = book(
            "Call|Berth|Dues\nA-1|'007|12.5|=C2*2|{=C2+1}|asked\nA-2|'012|3.25|'typed|{=C3+1}\nA-3|'003|8.75|=C4*2|{=C4+1}",
            options,
        );
        import(&folder, ONE, "--mode append").expect(0);
        let with_four = "Call|Berth|Dues\nA-1|'007|12.5|=C2*2|{=C2+1}|asked\nA-2|'012|3.25|'typed|{=C3+1}\nA-3|'003|8.75|=C4*2|{=C4+1}\nA-4|'009|1.5|=C5*2|{=C5+1}";
        holds(&folder, with_four);
        // With fewer rows what was typed stays where it is.
        import(&folder, "Call,Berth,Dues\nA-5,009,1.5\n", "--mode replace").expect(0);
        holds(&folder, "Call|Berth|Dues\nA-5|'009|1.5|=C2*2|{=C2+1}|asked\n|||'typed");
    }
}

#[test]
fn one_formula_for_all_rows_is_not_torn() {
    let folder = book("Call|Berth|Dues\nA-1|'007|12.5|1\nA-2|'012|3.25|2\nA-3|'003|8.75|3", "--plain");
    folder.change_part("book.xlsx", SHEET, |part| {
        part.replace("<c r=\"D2\"><v>1</v>", "<c r=\"D2\"><f t=\"array\" ref=\"D2:D4\">C2:C4*2</f><v>1</v>")
    });
    let before = folder.part("book.xlsx", SHEET);
    for mode in ["append", "replace"] {
        let run = import(&folder, ONE, &format!("--mode {mode}")).expect(4);
        assert!(run.err.contains("one formula fills D2:D4"), "{}", run.err);
        assert_eq!(folder.part("book.xlsx", SHEET), before);
    }
    // As many rows as before leave it alone.
    import(&folder, CALLS, "--mode replace").expect(0);
}

#[test]
fn formulas_that_were_filled_down_beforehand_are_not_in_the_way() {
    // Of a table with blank rows, and of a plain range.
    for (last, options) in [(6, ""), (0, "--plain")] {
        let folder =
            book("Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\n|||=C3*2\n|||=C4*2\n|||=C5*2\n|||=C6*2", options);
        if last > 0 {
            folder.change_part("book.xlsx", "xl/tables/table1.xml", |table| {
                let more = "<tableColumn id=\"9\" name=\"Tax\"/></tableColumns>";
                table
                    .replace("A1:C4", "A1:D6")
                    .replace("</tableColumns>", more)
                    .replace("count=\"3\"", "count=\"4\"")
            });
        }
        import(&folder, ONE, "--mode append").expect(0);
        // The table ends with its rows then.
        let left = if last > 0 { "" } else { "\n|||=C4*2\n|||=C5*2\n|||=C6*2" };
        holds(&folder, &format!("Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\nA-4|'009|1.5|=C3*2{left}"));
    }
    // A sum further down is.
    let rows = "Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\nA-2|'012|3.25|=C3*2\n|||\n|||=SUM(D2:D3)";
    let folder = book(rows, "--plain");
    let run = import(&folder, CALLS, "--mode append").expect(4);
    assert!(
        run.err.contains("the cells for the rows are not empty") && run.err.contains("D5"),
        "{}",
        run.err
    );
    holds(&folder, rows);
}

#[test]
fn what_the_source_does_not_own_is_not_written_over() {
    // A new column beside the clerk's own.
    for rows in ["Call|Berth|Dues\nA-1|'007|12.5|asked", "Call|Berth|Dues|\nA-1|'007|12.5\n|||\n|||"] {
        let folder = book(rows, "");
        let with_draft = "Call,Berth,Dues,Draft\nA-9,031,7.25,5.5\n";
        let run = import(&folder, with_draft, "--mode append --extra-columns add");
        if rows.contains("asked") {
            assert_eq!(run.status, 4, "{}", run.out);
            assert!(run.err.contains("a new column would be in D, and D2 is filled"), "{}", run.err);
            assert!(run.err.contains("insert an empty column before D"), "{}", run.err);
            holds(&folder, rows);
        } else {
            assert_eq!(run.status, 0, "{}", run.err);
        }
    }
    // Something below a column of formulas.
    let folder = book("Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\n||||\n|||a note", "--plain");
    let run = import(&folder, CALLS, "--mode append").expect(4);
    assert!(run.err.contains("D4 holds \u{201c}a note\u{201d}"), "{}", run.err);
    // Remarks in a column of the table.
    let rows = "Call|Berth|Dues|Remark\nA-1|'007|12.5|asked\nA-2|'012|3.25";
    let folder = book(rows, "--plain");
    let run = import(&folder, CALLS, "--mode replace --missing-columns blank").expect(4);
    assert!(run.err.contains("\u{201c}Remark\u{201d} is not the source\u{2019}s"), "{}", run.err);
    assert!(run.err.contains("from D2 on"), "{}", run.err);
    holds(&folder, rows);
}

#[test]
fn ranges_that_end_with_the_rows_are_told() {
    let rows = "Call|Berth|Dues\nA-1|'007|12.5|||=SUM(C2:C3)\nA-2|'012|3.25|||=SUM(C2:C9)";
    let folder = book(rows, "--plain");
    folder.change_part("book.xlsx", "xl/workbook.xml", |text| {
        let area = "<definedNames><definedName name=\"_xlnm.Print_Area\" localSheetId=\"0\">calls!$A$1:$C$3</definedName>";
        text.replace("<definedNames>", area)
    });
    let run = import(&folder, ONE, "--mode append").expect(1);
    let told = "ended with the rows that were there, and end there still; incola undo and --follow take them along: F2, the print area A1:C3";
    assert!(in_one_line(&run.out).contains(told), "{}", run.out);
}

fn in_one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A linked plain range, with sums, a name, a check and a chart on another sheet that end with its rows.
fn referred_to() -> Folder {
    let rows = "Call|Berth|Dues|||=SUM(C2:C4)\nA-1|'007|12.5\nA-2|'012|3.25\nA-3|'003|8.75|||=SUM(C2:C3)";
    let folder = book(rows, "--plain");
    folder.run("import calls.csv --into book.xlsx --sheet Sums --plain --no-link --as Berth=text").expect(0);
    let sums = "Sum|Part\n=SUM(calls!C2:C4)|=SUM(calls!C3:C4)\n=SUM(calls!$A$1:$C$4)|=calls!C4";
    folder.change_part("book.xlsx", "xl/worksheets/sheet2.xml", |part| {
        let part = grid(sums).put_into(&part, None);
        let check = "</sheetData><dataValidations count=\"1\"><dataValidation type=\"list\" sqref=\"A9\"><formula1>calls!$A$2:$A$4</formula1></dataValidation></dataValidations>";
        part.replace("</sheetData>", check)
    });
    folder.change_part("book.xlsx", "xl/workbook.xml", |text| {
        let names = "<definedNames><definedName name=\"AllDues\">calls!$C$2:$C$4</definedName><definedName name=\"Others\">Sums!$A$2:$A$4</definedName>";
        text.replace("<definedNames>", names)
    });
    let tie = |kind: &str, target: &str| {
        format!(
            "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"rId1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/{kind}\" Target=\"{target}\"/></Relationships>"
        )
    };
    folder.add_part(
        "book.xlsx",
        "xl/worksheets/_rels/sheet2.xml.rels",
        &tie("drawing", "../drawings/drawing1.xml"),
    );
    folder.add_part("book.xlsx", "xl/drawings/drawing1.xml", "<wsDr/>");
    folder.add_part(
        "book.xlsx",
        "xl/drawings/_rels/drawing1.xml.rels",
        &tie("chart", "../charts/chart1.xml"),
    );
    folder.add_part("book.xlsx", "xl/charts/chart1.xml", "<chart><f>calls!$C$2:$C$4</f></chart>");
    folder
}

#[test]
fn what_ended_with_the_rows_goes_on_with_them_where_it_is_asked_for() {
    let told = "F1, the name AllDues (C2:C4), a chart on “Sums”, Sums!A2, Sums!A3, a conditional format or a check on “Sums”";
    let parts = ["xl/worksheets/sheet2.xml", "xl/charts/chart1.xml", "xl/workbook.xml"];
    let all = |folder: &Folder| parts.map(|part| folder.part("book.xlsx", part));
    for command in ["refresh", "append"] {
        let folder = referred_to();
        let run = |follow: &str| {
            if command == "append" {
                return import(&folder, ONE, &format!("--mode append {follow}"));
            }
            folder.write_old("calls.csv", format!("{CALLS}A-4,009,1.5\n"));
            folder.run(&format!("refresh book.xlsx {follow}"))
        };
        let before = all(&folder);
        let bytes = std::fs::read(folder.path("book.xlsx")).unwrap();
        // Nothing is changed that nobody asked for, and nothing is unsaid.
        let without = run("");
        assert!(in_one_line(&without.out).contains(told), "{}", without.out);
        assert_eq!(all(&folder)[..2], before[..2]);
        folder.run("undo book.xlsx").expect(0);
        assert_eq!(std::fs::read(folder.path("book.xlsx")).unwrap(), bytes, "{command}");
        let trial = run("--follow --dry-run");
        assert!(in_one_line(&trial.out).contains(told), "{}", trial.out);
        assert_eq!(std::fs::read(folder.path("book.xlsx")).unwrap(), bytes);
        let with = run("--follow").expect(0);
        assert!(with.out.contains("ended with the rows"), "{}", with.out);
        let [sums, chart, names] = all(&folder);
        for formula in [
            "SUM(calls!C2:C5)",
            "SUM(calls!$A$1:$C$5)",
            "calls!$A$2:$A$5",
            "SUM(calls!C3:C4)",
            "<f>calls!C4</f>",
        ] {
            assert!(sums.contains(formula), "{formula}: {sums}");
        }
        assert!(chart.contains("calls!$C$2:$C$5") && names.contains("calls!$C$2:$C$5"), "{chart} {names}");
        assert!(names.contains("Sums!$A$2:$A$4"), "{names}");
        assert!(folder.part("book.xlsx", SHEET).contains("SUM(C2:C5)"));
        assert!(folder.part("book.xlsx", SHEET).contains("SUM(C2:C3)"));
        folder.run("undo book.xlsx").expect(0);
        assert_eq!(std::fs::read(folder.path("book.xlsx")).unwrap(), bytes, "{command}");
    }
}

#[test]
fn a_damaged_part_elsewhere_is_not_written_anew() {
    let folder = referred_to();
    let mut bytes = std::fs::read(folder.path("book.xlsx")).unwrap();
    let name = b"xl/charts/chart1.xml";
    let at = bytes.windows(name.len()).position(|window| window == name).unwrap();
    // Before the name stands how long the field behind it is; the content follows.
    let extra = usize::from(u16::from_le_bytes([bytes[at - 2], bytes[at - 1]]));
    bytes[at + name.len() + extra + 12] ^= 0x55;
    std::fs::write(folder.path("book.xlsx"), &bytes).unwrap();
    let run = import(&folder, ONE, "--mode append --follow");
    assert!(run.status > 2 && run.err.contains("chart1.xml"), "{}{}", run.out, run.err);
    assert_eq!(std::fs::read(folder.path("book.xlsx")).unwrap(), bytes);
    // Nobody has to read it otherwise.
    let run = import(&folder, ONE, "--mode append").expect(1);
    assert!(run.out.contains("F1, the name AllDues"), "{}", run.out);
}

#[test]
fn a_heading_that_may_be_one_of_two_is_named() {
    let folder = book("Call|Quay|Remark|Dues\nA-1|'007||12.5\nA-2|'012||3.25\nA-3|'003||8.75", "--plain");
    folder.write_old("calls.csv", format!("{CALLS}A-4,009,1.5\n"));
    let run = folder.run("refresh book.xlsx");
    assert_eq!(run.status, 4, "{}", run.out);
    assert!(run.err.contains("are not found: Berth; they may have other names now"), "{}", run.err);
    assert!(run.err.contains("Quay (B), Remark (C)"), "{}", run.err);
}

#[test]
fn rows_that_were_hidden_are_shown_with_other_records() {
    let folder = book("Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-3|'003|8.75", "");
    folder.change_part("book.xlsx", SHEET, |part| part.replace("<row r=\"3\"", "<row r=\"3\" hidden=\"1\""));
    let run = import(&folder, CALLS, "--mode replace").expect(0);
    assert!(run.out.contains("1 row was hidden by a filter or by hand, from row 3 on"), "{}", run.out);
    assert!(!folder.part("book.xlsx", SHEET).contains("hidden"), "{}", folder.part("book.xlsx", SHEET));
}

#[test]
fn a_remark_keeps_its_row_until_someone_says_otherwise() {
    let rows = "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25|asked\nA-3|'003|8.75|=C4*2";
    for (edits, after) in [("source", "Call|Berth|Dues\nA-1|'007|12.5\nA-3|'003|8.75|=C3*2"), ("sheet", rows)]
    {
        let folder = book(rows, "--key Call");
        folder.write_old("calls.csv", CALLS.replace("A-2,012,3.25\n", ""));
        let run = folder.run("refresh book.xlsx").expect(4);
        assert!(
            run.out.contains("D3 holds something of your own, and the source has the record no more"),
            "{}",
            run.out
        );
        holds(&folder, rows);
        let run = folder.run(&format!("refresh book.xlsx --conflicts {edits}")).expect(0);
        assert!(!run.out.contains("more gone"), "{}", run.out);
        holds(&folder, after);
    }
}

/// A comment on each of these cells, as their boxes say too.
fn comment(folder: &Folder, cells: &[(u32, u32)], is_table: bool) {
    let comments = cells.iter().map(|(row, column)| ((*row, *column), format!("on {row}"))).collect();
    let grid = Grid { comments, ..Grid::default() };
    hang(folder, is_table);
    folder.change_part("book.xlsx", COMMENTS, |_| grid.comment_texts());
    folder.change_part("book.xlsx", BOXES, |_| grid.comment_boxes());
}

fn commented(folder: &Folder) -> Vec<String> {
    let comments = Grid::read(folder).comments;
    comments.iter().map(|((row, column), text)| format!("{row}.{column} {text}")).collect()
}

#[test]
fn comments_go_with_their_records_and_hold_them() {
    let rows = "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-3|'003|8.75";
    for is_table in [true, false] {
        let folder = book(rows, if is_table { "--key Call" } else { "--key Call --plain" });
        comment(&folder, &[(1, 1), (3, 2), (4, 3), (9, 1)], is_table);
        folder.write_old("calls.csv", CALLS.replace("A-1,007,12.5\n", ""));
        folder.run("refresh book.xlsx").expect(0);
        assert_eq!(commented(&folder), ["1.1 on 1", "2.2 on 3", "3.3 on 4", "9.1 on 9"]);
        // The record of one went.
        folder.write_old("calls.csv", "Call,Berth,Dues\nA-3,003,8.75\n");
        let run = folder.run("refresh book.xlsx").expect(4);
        let why = "B2 has a comment, and the source has the record no more";
        assert!(run.out.contains(why), "{}", run.out);
        folder.run("refresh book.xlsx --conflicts source").expect(0);
        assert_eq!(commented(&folder), ["1.1 on 1", "2.3 on 4", "9.1 on 9"]);
        holds(&folder, "Call|Berth|Dues\nA-3|'003|8.75");
    }
}

#[test]
fn comments_on_totals_go_with_them() {
    let rows = "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nTotal||=SUM(C2:C3)";
    let folder = book(rows, "--plain --no-link");
    comment(&folder, &[(2, 3), (4, 3), (4, 9)], false);
    import(&folder, ONE, "--mode append").expect(0);
    assert_eq!(commented(&folder), ["2.3 on 2", "4.9 on 4", "5.3 on 4"]);
}

#[test]
fn comments_whose_box_cannot_be_read_stop_what_would_tear_them_off() {
    let rows = "Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25\nA-3|'003|8.75";
    let folder = book(rows, "--key Call");
    comment(&folder, &[(4, 1)], true);
    folder.change_part("book.xlsx", BOXES, |text| {
        text.replace("</x:ClientData></v:shape></xml>", "</x:Client")
    });
    folder.write_old("calls.csv", CALLS.replace("A-1,007,12.5\n", ""));
    let run = folder.run("refresh book.xlsx").expect(4);
    assert!(
        run.err.contains("A4 has a comment whose part is damaged, and rows move up there"),
        "{}",
        run.err
    );
    holds(&folder, rows);
}

#[test]
fn where_columns_went_what_was_done_by_hand_is_known_still() {
    // A row taken out, one changed, one added; with a key and without.
    let rows = "Call|Berth|Dues\nA-1|'007|12.5\nA-3|'by hand|8.75\nown|'own|1.5";
    for key in ["--key Call", ""] {
        let folder = book(rows, key);
        folder.write_old("calls.csv", "Call,Berth\nA-1,007\nA-2,012\nA-3,003\nA-4,031\n");
        folder.run("refresh book.xlsx").expect(4);
        let run = folder.run("refresh book.xlsx --accept columns").expect(0);
        assert!(run.out.contains("1 record taken out by"), "{key}: {}", run.out);
        holds(&folder, "Call|Berth|Dues\nA-1|'007|12.5\nA-3|'by hand|8.75\nown|'own|1.5\nA-4|'031");
    }
    // Nobody knows what was imported: nothing is guessed.
    let folder = book(rows, "--key Call");
    folder.forget(&["source"]);
    folder.write_old("calls.csv", "Call,Berth\nA-1,007\nA-2,012\nA-3,003\n");
    let run = folder.run("refresh book.xlsx --accept columns").expect(4);
    assert!(run.err.contains("2 rows were changed or taken out by hand"), "{}", run.err);
    holds(&folder, rows);
}

#[test]
fn crafted_sheets_are_refused_or_mended_and_never_made_worse() {
    // A row beyond the last one, or before the first.
    for number in ["4294967295", "1048577", "0", "-1"] {
        let folder = book("Call|Berth|Dues\nA-1|'007|12.5\nA-2|'012|3.25", "");
        folder.change_part("book.xlsx", SHEET, |part| {
            part.replace("<row r=\"3\"", &format!("<row r=\"{number}\""))
        });
        let run = import(&folder, ONE, "--mode replace").expect(3);
        assert!(run.err.contains("a row has a number beyond the last one, or none"), "{}", run.err);
    }
    // A format beyond the table of formats, so far that a list up to it would fill the memory.
    let folder = book("Call|Berth|Dues|Tax\nA-1|'007|12.5|=C2*2\nA-2|'012|3.25|=C3*2", "--plain");
    folder.change_part("book.xlsx", SHEET, |part| {
        ["A2", "A3", "D2", "D3"].iter().fold(part, |part, cell| {
            part.replace(&format!("<c r=\"{cell}\""), &format!("<c r=\"{cell}\" s=\"999999999\""))
        })
    });
    import(&folder, ONE, "--mode append").expect(0);
    let sheet = folder.part("book.xlsx", SHEET);
    let row = &sheet[sheet.find("<row r=\"4\"").unwrap()..];
    assert!(!row.contains("999999999") && row.contains("<f>C4*2</f>"), "{row}");
}
