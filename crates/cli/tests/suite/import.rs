use crate::support::{Folder, Run};

const CALLS: &str = "Call no,Declaration,Vessel,Berth,Arrived,Cargo,Gross kg\n\
    000117,85460336068819949348,Saltwind,007,2031-03-01T09:30:00,\"fish, chilled\",1250.50\n\
    000118,44282692064464443198,Grey Heron,012,2031-03-02T23:05:00,\"say \"\"spares\"\"\",3.25\n\
    000119,10890727360438182992,Ada Quill,031,,timber,\n";

#[test]
fn values_are_kept_and_numbers_and_dates_are_real() {
    let folder = Folder::new().with("calls.csv", CALLS);
    let run = folder.run("import calls.csv --into calls.xlsx").expect(0);
    let size = std::fs::metadata(folder.path("calls.xlsx")).unwrap().len();
    let out = run.out.replace(&format!("{},{:03} bytes", size / 1000, size % 1000), "so many bytes");
    insta::assert_snapshot!(out, @r"
    calls.xlsx   written, so many bytes

      sheet         calls, table calls
      source        calls.csv, 277 bytes, 3 records
      rows          3
      kept exactly  all 19 cells: read back from the sheet and identical to the file
      checked       3 rows, 19 cells and 1 sum, read again from the finished workbook
      linked        rows are matched by Call no; update with incola refresh

      column       kind                            cells  empty      sum
      Call no      text                                3      0
      Declaration  text                                3      0
      Vessel       text                                3      0
      Berth        text                                3      0
      Arrived      datetime yyyy-MM-dd'T'HH:mm:ss      2      1
      Cargo        text                                3      0
      Gross kg     number 1234.50                      2      1  1253.75

    Next time, when the source has changed:
      incola refresh calls.xlsx
    Kept for it in the workbook: each source's path, its settings and 8 bytes a row;
    in your state folder: a copy of each source.
    ");
    assert_eq!(
        folder.cells("calls.xlsx", "calls"),
        [
            [
                "\"Call no\"",
                "\"Declaration\"",
                "\"Vessel\"",
                "\"Berth\"",
                "\"Arrived\"",
                "\"Cargo\"",
                "\"Gross kg\""
            ],
            [
                "\"000117\"",
                "\"85460336068819949348\"",
                "\"Saltwind\"",
                "\"007\"",
                "47908.395833333336",
                "\"fish, chilled\"",
                "1250.5"
            ],
            [
                "\"000118\"",
                "\"44282692064464443198\"",
                "\"Grey Heron\"",
                "\"012\"",
                "47909.961805555555",
                "\"say \\\"spares\\\"\"",
                "3.25"
            ],
            ["\"000119\"", "\"10890727360438182992\"", "\"Ada Quill\"", "\"031\"", "", "\"timber\"", ""],
        ]
    );
}

#[test]
fn the_same_input_gives_the_same_bytes() {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run("import calls.csv --into a.xlsx").expect(0);
    folder.run("import calls.csv --into b.xlsx").expect(0);
    assert!(std::fs::read(folder.path("a.xlsx")).unwrap() == std::fs::read(folder.path("b.xlsx")).unwrap());
    assert_eq!(folder.files(), ["a.xlsx", "b.xlsx", "calls.csv"]);
}

#[test]
fn the_sheet_is_a_table_with_a_frozen_header_and_quiet_text_columns() {
    let folder = Folder::new().with("calls.csv", CALLS);
    folder.run("import calls.csv --into calls.xlsx").expect(0);
    let sheet = folder.part("calls.xlsx", "xl/worksheets/sheet1.xml");
    assert!(sheet.contains("<pane ySplit=\"1\" topLeftCell=\"A2\""));
    assert!(
        sheet.contains("sqref=\"A2:D4 F2:F4\" twoDigitTextYear=\"1\" numberStoredAsText=\"1\""),
        "{sheet}"
    );
    assert!(folder.part("calls.xlsx", "xl/tables/table1.xml").contains("ref=\"A1:G4\""));
    assert!(folder.part("calls.xlsx", "xl/styles.xml").contains("yyyy\\-mm\\-dd\\Thh\\:mm\\:ss"));
    folder.run("import calls.csv --plain --into plain.xlsx").expect(0);
    assert!(!folder.part("plain.xlsx", "xl/worksheets/sheet1.xml").contains("tablePart"));
}

#[test]
fn misfits_stay_as_text_are_located_and_stop_under_strict() {
    let mut text = "Berth,Dues\n".to_owned();
    for i in 0..2000 {
        text += &format!("007,{i}.5\n");
    }
    text += "007,12 kg\n008,n/a\n";
    let folder = Folder::new().with("dues.csv", text);
    let run = folder.run("import dues.csv --into dues.xlsx").expect(1);
    assert!(run.out.contains("misfit   line 2002, row 2002, Dues: “12 kg” is not a number"), "{}", run.out);
    let cells = folder.cells("dues.xlsx", "dues");
    assert_eq!(
        (cells[2001][1].as_str(), cells[2002][1].as_str(), cells[1][1].as_str()),
        ("\"12 kg\"", "\"n/a\"", "0.5")
    );
    let run = folder.run("import dues.csv --strict --into strict.xlsx").expect(4);
    assert!(run.err.contains("line 2002: “12 kg” in “Dues” is not a number"), "{}", run.err);
    assert_eq!(folder.files(), ["dues.csv", "dues.xlsx"]);
}

#[test]
fn the_command_for_next_time_works() {
    let folder = Folder::new().with("calls.csv", "Call,Dues\nA-1,12.5\nA-2,-\nA-3,-\n");
    let next = |run: &Run| {
        let line = run.out.lines().skip_while(|l| !l.starts_with("Next time")).nth(1).unwrap();
        line.trim().strip_prefix("incola ").unwrap().to_owned()
    };
    let run = folder.run("import calls.csv --into calls.xlsx").expect(1);
    // What repeats is said once, with the option.
    assert!(run.out.contains("\u{201c}-\u{201d} 2 times; to treat it as empty: --blank -"), "{}", run.out);
    assert!(!run.out.contains("misfit   line"), "{}", run.out);
    folder.run(&next(&run)).expect(0);
    let run = folder.run("import calls.csv --into plain.xlsx --no-link --blank - --as Call=text").expect(0);
    assert!(run.out.contains("left empty    values that mean empty, as stated: Dues 2"), "{}", run.out);
    assert_eq!(
        next(&run),
        "import calls.csv --blank - --as Call=text --into plain.xlsx --mode replace --no-link"
    );
    let run = folder.run(&next(&run)).expect(0);
    folder.run(&next(&run)).expect(0);
    let run =
        folder.run("import calls.csv --into plain.xlsx --blank - --sheet calls --mode append").expect(0);
    std::fs::write(folder.path("NEXT-FILE"), "Call,Dues\nA-4,1.5\nA-5,-\nA-6,-\n").unwrap();
    let run = folder.run(&next(&run)).expect(0);
    assert!(run.out.contains("rows          3, in A8:B10"), "{}", run.out);
    let run = folder.run("import calls.csv --into new.xlsx --dry-run").expect(1);
    assert!(run.out.contains("To write it:\n  incola import calls.csv --into new.xlsx"), "{}", run.out);
}

#[test]
fn what_worked_is_saved_and_columns_are_renamed() {
    let folder = Folder::new().with("calls-03.csv", "Call,Berth\n0,007\n1,012\n");
    folder
        .run("import calls-03.csv --into march.xlsx --rename Berth=Quay --as Call=text --sheet Calls --save-docket calls.docket.toml")
        .expect(0);
    folder.run("docket check calls.docket.toml").expect(0);
    let again = folder.with("calls-04.csv", "Call,Berth\n2,009\n");
    again.run("import calls-04.csv --into april.xlsx").expect(0);
    assert_eq!(again.cells("april.xlsx", "Calls"), [["\"Call\"", "\"Quay\""], ["\"2\"", "\"009\""]]);
    let run = again.run("import calls-04.csv --into may.xlsx --save-docket calls.docket.toml").expect(4);
    assert!(run.err.contains("the docket exists already") && !again.path("may.xlsx").exists());
    for (words, expected) in [
        ("--rename Wharf=Quay", "no column is called so"),
        ("--rename *=A", "several columns are called so"),
        ("--rename Quay", "it is OLD=NEW"),
        ("--save-docket x.toml", "--save-docket x.docket.toml"),
        ("--rename Berth=Call", "two columns are called"),
    ] {
        let run = again.run(&format!("import calls-04.csv --into may.xlsx --no-docket {words}")).expect(2);
        assert!(run.err.contains(expected), "{}", run.err);
    }
    std::fs::write(again.path("bad.docket.toml"), "docket = 1\n[read]\nscan = 5\n").unwrap();
    let run = again.run("docket check bad.docket.toml").expect(2);
    assert!(run.err.contains("bad.docket.toml:3") && run.err.contains("survey"), "{}", run.err);
}

#[test]
fn quiet_is_silent_unless_something_needs_a_look() {
    let folder = Folder::new()
        .with("calls.csv", "Call,Dues\nA-1,1\n")
        .with("odd.csv", "Call,Dues\nA-1,1\nA-2,2\nA-3,x\nA-4,3\n");
    assert_eq!(folder.run("import calls.csv --into calls.xlsx --quiet").expect(0).out, "");
    assert_eq!(folder.run("refresh calls.xlsx --quiet").expect(0).out, "");
    assert!(folder.run("import odd.csv --into odd.xlsx --quiet").expect(1).out.contains("misfits"));
    assert!(folder.run("--color always inspect calls.csv").expect(0).out.contains("\u{1b}["));
    assert!(!folder.run("inspect calls.csv --color never").expect(0).out.contains("\u{1b}["));
}

#[test]
fn a_limited_survey_makes_misfits_and_cuts_nothing() {
    let mut text = "Berth,Dues\n".to_owned();
    for i in 0..100 {
        text += &format!("{},{i}\n", i % 9);
    }
    text += "12 south,much more than was seen\n";
    let folder = Folder::new().with("dues.csv", text);
    let run = folder.run("import dues.csv --survey 50 --into dues.xlsx").expect(1);
    assert!(run.out.contains("line 102, row 102, Dues: “much more than was seen”"), "{}", run.out);
    assert_eq!(folder.cells("dues.xlsx", "dues")[101], ["\"12 south\"", "\"much more than was seen\""]);
    let run = folder.run("import dues.csv --survey none --into text.xlsx").expect(2);
    assert!(run.err.contains("--as '*=text'"), "{}", run.err);
    folder.run("import dues.csv --as *=text --into text.xlsx").expect(0);
    assert_eq!(folder.cells("text.xlsx", "dues")[1], ["\"0\"", "\"0\""]);
}

#[test]
fn stated_kinds_are_obeyed() {
    let folder = Folder::new().with(
        "calls.csv",
        "Berth,Arrived,Paid,Weight,Remarks\n007,03/04/2031,yes,0012345,x\n012,05/06/2031,no,0000100,y\n",
    );
    folder
        .run(
            "import calls.csv --as Arrived=date:dd/MM/yyyy --as Paid=boolean --as Weight=number:9v99 --as Remarks=skip \
             --as 1=number --into calls.xlsx",
        )
        .expect(0);
    assert_eq!(
        folder.cells("calls.xlsx", "calls"),
        [
            ["\"Berth\"", "\"Arrived\"", "\"Paid\"", "\"Weight\""],
            ["7", "47941", "true", "123.45"],
            ["12", "48004", "false", "1"],
        ]
    );
    let styles = folder.part("calls.xlsx", "xl/styles.xml");
    assert!(styles.contains("formatCode=\"000\"") && styles.contains("dd\\/mm\\/yyyy"), "{styles}");
}

#[test]
fn several_sources_make_several_sheets_and_one_bad_one_spoils_none() {
    let folder = Folder::new()
        .with("a.csv", "Berth,Dues\n007,12.5\n")
        .with("empty.csv", "")
        .with("b.csv", "Berth;Dues\n008;1,5\n");
    let run = folder.run("import a.csv empty.csv b.csv --into all.xlsx").expect(4);
    assert!(run.err.contains("empty.csv: the file is empty"), "{}", run.err);
    assert_eq!(folder.cells("all.xlsx", "a")[1], ["\"007\"", "12.5"]);
    assert_eq!(folder.cells("all.xlsx", "b")[1], ["\"008\"", "1.5"]);
}

#[test]
fn sources_with_equal_columns_come_together_with_kinds_decided_over_all() {
    let folder = Folder::new()
        .with("march.csv", "Berth,Dues\n7,12.5\n8,1\n")
        .with("april.csv", "berth,dues\n007,3\n")
        .with("other.csv", "Berth,Vessel\n7,Saltwind\n");
    folder.run("import march.csv april.csv --together --into year.xlsx").expect(0);
    assert_eq!(
        folder.cells("year.xlsx", "year"),
        [
            ["\"Source\"", "\"Berth\"", "\"Dues\""],
            ["\"march.csv\"", "\"7\"", "12.5"],
            ["\"march.csv\"", "\"8\"", "1"],
            ["\"april.csv\"", "\"007\"", "3"],
        ]
    );
    // What is printed for the next time works, and makes the same.
    let run = folder.run("import march.csv april.csv --together --no-link --into next.xlsx").expect(0);
    let next = run.out.lines().last().and_then(|line| line.trim().strip_prefix("incola ")).unwrap();
    folder.run(next).expect(0);
    assert_eq!(folder.cells("next.xlsx", "next"), folder.cells("year.xlsx", "year"));
    let run = folder.run("import march.csv other.csv --together --into no.xlsx").expect(4);
    assert!(run.err.contains("different columns"), "{}", run.err);
    assert!(!folder.path("no.xlsx").exists());
}

/// More sources than are kept open at a time.
fn slips(count: u32, change: impl Fn(u32) -> Option<&'static str>) -> Folder {
    (1..=count).fold(Folder::new(), |folder, n| {
        let text =
            change(n).map_or_else(|| format!("Berth,Vessel,Dues\n{n:03},Tern {n},{n}.5\n"), str::to_owned);
        folder.with(&format!("slip{n:02}.csv"), &text)
    })
}

#[test]
fn many_sources_come_together_as_few_do() {
    let folder = slips(70, |n| (n == 69).then_some("Berth,Vessel,Dues\nE7,Quill,1\n\nE8,Tern\n"));
    let run = folder.run("import slip*.csv --together --into all.xlsx").expect(1);
    for told in [
        "sources       70, from slip01.csv to slip70.csv, 2,",
        "71 records",
        "source        slip69.csv",
        "set aside",
    ] {
        assert!(run.out.contains(told), "{told}: {}", run.out);
    }
    assert!(!run.out.contains("slip02.csv"), "{}", run.out);
    let cells = folder.cells("all.xlsx", "all");
    assert_eq!(cells.len(), 72);
    assert_eq!(cells[1], ["\"slip01.csv\"", "\"001\"", "\"Tern 1\"", "1.5"]);
    assert_eq!(cells[71], ["\"slip70.csv\"", "\"070\"", "\"Tern 70\"", "70.5"]);
    let run = folder.run("refresh all.xlsx").expect(0);
    assert!(run.out.contains("unchanged"), "{}", run.out);

    // Each makes the same as the few that are kept open do.
    let few = slips(40, |_| None);
    let again = slips(40, |_| None);
    few.run("import slip*.csv --together --into all.xlsx --no-link").expect(0);
    for n in 41..=70 {
        std::fs::write(again.path(&format!("slip{n}.csv")), "Berth,Vessel,Dues\n").unwrap();
    }
    again.run("import slip*.csv --together --into all.xlsx --no-link").expect(0);
    assert_eq!(few.cells("all.xlsx", "all"), again.cells("all.xlsx", "all"));
}

#[test]
fn the_first_of_many_sources_with_other_columns_ends_the_import() {
    let folder = slips(70, |n| (n == 66).then_some("Berth,Tug\n007,Halcyon\n"));
    let run = folder.run("import slip*.csv --together --into all.xlsx").expect(4);
    for told in
        ["slip01.csv and slip66.csv have different columns", "slip66.csv: Berth, Tug", "nothing was written"]
    {
        assert!(run.err.contains(told), "{told}: {}", run.err);
    }
    assert!(!folder.path("all.xlsx").exists());
}

#[test]
fn a_workbook_for_each_of_many_sources_is_written_before_all_are_read() {
    let folder = slips(150, |n| match n {
        3 => Some(""),
        149 => Some("Berth\n"),
        _ => None,
    });
    std::fs::create_dir(folder.path("out")).unwrap();
    let run = folder.run("import slip*.csv --into out/{stem}.xlsx").expect(4);
    assert!(run.err.contains("slip03.csv: the file is empty"), "{}", run.err);
    assert_eq!(folder.cells("out/slip150.xlsx", "slip150")[1], ["150", "\"Tern 150\"", "150.5"]);
    let written = std::fs::read_dir(folder.path("out")).unwrap().count();
    assert!(written >= 148, "{written} workbooks");
    // Where they belong together, one bad source ends everything, however many there are before it.
    std::fs::create_dir(folder.path("none")).unwrap();
    std::fs::write(folder.path("slip03.csv"), "Berth,Vessel,Dues\n003,Tern,1\n").unwrap();
    std::fs::write(folder.path("slip149.csv"), "").unwrap();
    folder.run("import slip*.csv --together --into none/{stem}.xlsx").expect(4);
    assert_eq!(std::fs::read_dir(folder.path("none")).unwrap().count(), 0);
    // What is not there is missed before anything is read.
    let run = folder.run("import slip*.csv --into away/{stem}.xlsx").expect(3);
    assert!(run.err.contains("mkdir -p away") && !run.err.contains("slip149"), "{}", run.err);
}

#[test]
fn a_dry_run_says_what_would_be_done_and_writes_nothing() {
    let folder = Folder::new().with("calls.csv", CALLS);
    let run = folder.run("import calls.csv --dry-run --into calls.xlsx").expect(0);
    assert!(run.out.starts_with("calls.xlsx   would be written (dry run)"), "{}", run.out);
    assert!(run.out.contains("1253.75"));
    assert_eq!(folder.files(), ["calls.csv"]);
}

#[test]
fn the_receipt_is_json_too() {
    let folder = Folder::new().with("calls.csv", CALLS);
    let run = folder.run("import calls.csv --json --into calls.xlsx").expect(0);
    let json = serde_json::from_str::<serde_json::Value>(&run.out).unwrap()[0].take();
    let sheet = &json["sheets"][0];
    assert_eq!(
        (sheet["rows"].as_u64(), sheet["cells"].as_u64(), sheet["kept_exactly"].as_u64()),
        (Some(3), Some(19), Some(19))
    );
    assert_eq!(sheet["columns"][6]["sum"], "1253.75");
    assert_eq!(json["status"], 0);
}

#[test]
fn many_blocks_with_line_ends_in_quotes_come_out_in_order() {
    let mut text = "No,Note,Dues\n".to_owned();
    for i in 0..30_000 {
        text += &format!("{i},\"line one of {i}\nline two, with \"\"quotes\"\"\n\",{}.25\n", i % 100);
    }
    let folder = Folder::new().with("notes.csv", text);
    let run = folder.run("import notes.csv --into notes.xlsx").expect(0);
    assert!(run.out.contains("30,000 records") && run.out.contains("all 90,000 cells"), "{}", run.out);
    let cells = folder.cells("notes.xlsx", "notes");
    for (i, row) in cells.iter().skip(1).enumerate() {
        assert_eq!(row[0], format!("\"{i}\""));
        assert_eq!(row[1], format!("{:?}", format!("line one of {i}\nline two, with \"quotes\"\n")));
    }
}

#[test]
fn blanks_that_are_the_same_everywhere_are_given_back_and_others_are_told() {
    let folder = Folder::new().with("a.csv", "Berth; Dues; Note\n007; 12.5;a\n008; 3.0; b\n009; 11.0;c\n");
    let run = folder.run("import a.csv --into a.xlsx").expect(0);
    assert!(run.out.contains("all 9 cells"), "{}", run.out);
    assert_eq!(folder.cells("a.xlsx", "a")[2], ["\"008\"", "3", "\" b\""]);
    // A sign behind leaves numbers at different places: a matter of the fixed layout.
    let list = "BERTH     DUES\n007     12.50\n008      3.00-\n009   1100.25\n010     17.00-\n";
    let folder = Folder::new().with("a.txt", list);
    let run = folder.run("import a.txt --into a.xlsx --starts 1,7").expect(0);
    assert!(run.out.contains("all 8 cells"), "{}", run.out);
    assert_eq!(folder.cells("a.xlsx", "a")[2], ["\"008\"", "-3"]);
    let folder = Folder::new().with("a.csv", "Berth;Dues\n007; 12.5\n008;3.0  \n009;11.0\n");
    let run = folder.run("import a.csv --into a.xlsx").expect(1);
    assert!(
        run.out.contains("not kept  line 2, row 2, Dues: “ 12.5” the spaces around it are not kept"),
        "{}",
        run.out
    );
}

#[test]
fn names_are_made_unique_and_formulas_are_text() {
    let folder = Folder::new().with("a.csv", "Berth,Note,note,\n007,=1+1,+x,1\n008,@sum,-y,2\n");
    let run = folder.run("import a.csv --json --into a.xlsx").expect(0);
    assert!(run.out.contains("column 3 is called “note (2)”, column 4 is called “Column 4”"), "{}", run.out);
    assert_eq!(folder.cells("a.xlsx", "a")[1], ["\"007\"", "\"=1+1\"", "\"+x\"", "1"]);
    assert!(!folder.part("a.xlsx", "xl/worksheets/sheet1.xml").contains("<f>"));
}

#[test]
fn a_folder_means_its_files_in_natural_order() {
    let folder = Folder::new();
    std::fs::create_dir_all(folder.path("in/inner")).unwrap();
    for (name, call) in [("calls10.csv", 10), ("calls2.csv", 2), (".hidden.csv", 9)] {
        std::fs::write(folder.path("in").join(name), format!("Call,Berth\n{call},007\n")).unwrap();
    }
    folder.run("import in --together --into year.xlsx").expect(0);
    let cells = folder.cells("year.xlsx", "year");
    assert_eq!(cells[1..], [["\"calls2.csv\"", "2", "\"007\""], ["\"calls10.csv\"", "10", "\"007\""]]);
}

#[test]
fn a_row_of_totals_is_put_below_a_new_table_and_goes_along_with_its_rows() {
    let text = "Ship,Gross,Load,Call's [no]\nTern,12.50,50%,1.5\nHeron,-2.25,25%,2\n";
    let folder = Folder::new().with("dues.csv", text);
    let run = folder.run("import dues.csv --into book.xlsx --totals --key Ship").expect(0);
    assert!(run.out.contains("a row of totals: Gross, Load (the mean), Call's [no]"), "{}", run.out);
    let formulas = |folder: &Folder| {
        let xml = folder.part("book.xlsx", "xl/worksheets/sheet1.xml");
        let cells = xml.split("<f>").skip(1).map(|cell| cell.split("</v>").next().unwrap().to_owned());
        cells.collect::<Vec<_>>()
    };
    assert_eq!(
        formulas(&folder),
        [
            "SUBTOTAL(109,dues[Gross])</f><v>10.25",
            "SUBTOTAL(101,dues[Load])</f><v>0.375",
            "SUBTOTAL(109,dues[Call''s '[no']])</f><v>3.5",
        ]
    );
    let table = folder.part("book.xlsx", "xl/tables/table1.xml");
    assert!(table.contains("ref=\"A1:D4\" totalsRowCount=\"1\"><autoFilter ref=\"A1:D3\"/>"), "{table}");
    assert!(table.contains("name=\"Ship\" totalsRowLabel=\"Total\""), "{table}");
    // Rows that come push the totals down, and a tally does not count them.
    folder.write_old("dues.csv", text.to_owned() + "Gannet,1,5%,7\n");
    folder.run("refresh book.xlsx").expect(0);
    assert_eq!(folder.cells("book.xlsx", "dues")[4][0], "\"Total\"");
    let run = folder.run("tally book.xlsx --expect Gross=11.25 --expect-records 3").expect(0);
    assert!(run.out.contains("table dues, 3 rows"), "{}", run.out);
    for (words, expected) in [
        ("import dues.csv --into other.xlsx --totals --plain", "cannot be used with"),
        (
            "import dues.csv --into book.xlsx --sheet dues --mode append --again --totals",
            "keeps its own totals",
        ),
    ] {
        let run = folder.run(words).expect(2);
        assert!(run.err.contains(expected), "{words}: {}", run.err);
    }
}
