//! Rows shaped on the way in: divided, left out, computed, and refreshed by the same steps.

use crate::support::Folder;

const CALLS: &str = concat!(
    "Call,Berth,Master,Arrived,Dues,Kelvin\n",
    "C001,007,\"Quill, Ada\",2031-08-17,120.50,290.15\n",
    "C002,012,\"Marsh, Jon\",2031-08-18,80.00,291.65\n",
    "C003,007,\"Heron, Eve\",2031-08-20,,288.15\n",
    "C001,007,\"Quill, Ada\",2031-08-17,120.50,290.15\n",
    "C004,007,Tern,2031-09-01,310.25,\n",
);

const STEPS: &str = "[read]\ndivide = [\"Master=, \"]\nwhere = \"Berth = '007' AND Dues > 100\"\ncompute = [\"Celsius=Kelvin - 273.15\", \"Code=Berth || '-' || Call\"]\ndistinct = [\"Call\"]\n";

fn folder() -> Folder {
    Folder::new()
        .with("calls.csv", CALLS)
        .with("steps.docket.toml", format!("docket = 1\n[match]\nfiles = [\"calls*.csv\"]\n{STEPS}"))
}

#[test]
fn a_docket_shapes_rows_and_every_record_is_accounted_for() {
    let folder = folder();
    let run = folder.run("import calls.csv --docket steps.docket.toml --into book.xlsx").expect(1);
    for said in [
        "rows          2\n",
        "kept exactly  all 11 cells: read back",
        "computed      6 cells more, made of others as stated",
        "of 5 records 2 are rows; left out: 1 record not meeting the condition, 1 record of which it",
        "set aside     line 4: unknown whether it meets the condition",
        "set aside     line 5: repeats another record",
    ] {
        assert!(run.out.contains(said), "{said}\n{}", run.out);
    }
    let rows = folder.cells("book.xlsx", "calls");
    let plain = |row: &[String]| row.join("|").replace('"', "");
    assert_eq!(plain(&rows[0]), "Call|Berth|Master|Master 1|Master 2|Arrived|Dues|Kelvin|Celsius|Code");
    assert_eq!(plain(&rows[1]), "C001|007|Quill, Ada|Quill|Ada|48077|120.5|290.15|17|007-C001");
    // A docket that is drafted over it holds all steps.
    let draft = folder.run("docket draft calls.csv --docket steps.docket.toml").expect(0).out;
    for step in STEPS.lines().skip(1) {
        assert!(draft.contains(step.split(" = ").next().unwrap()), "{step}\n{draft}");
    }
    let json = folder.run("inspect calls.csv --json --docket steps.docket.toml").out;
    let found: serde_json::Value = serde_json::from_str(&json).unwrap();
    let shaped = &found[0]["shaped"];
    assert_eq!((&shaped["records"], &shaped["rows"], &shaped["unknown"]), (&5.into(), &2.into(), &1.into()));
    assert_eq!(shaped["columns"][2]["from"], "Kelvin - 273.15");
}

#[test]
fn an_inspection_shows_the_rows_beside_the_records_they_are_made_of() {
    let folder = folder();
    let run = folder.run("inspect calls.csv --docket steps.docket.toml").expect(1);
    let lines: Vec<&str> = run.out.lines().collect();
    let at = lines.iter().position(|line| *line == "  made of these records:").expect("they are shown");
    assert_eq!(
        lines[at + 2..at + 9],
        [
            "  line  1 text  2 text  3 text          4 date  5 number  6 number  becomes",
            "        Call    Berth   Master         Arrived      Dues    Kelvin",
            "     2  C001    007     Quill, Ada  2031-08-17    120.50    290.15  row 1",
            "     3  C002    012     Marsh, Jon  2031-08-18     80.00    291.65  does not meet the condition",
            "     4  C003    007     Heron, Eve  2031-08-20              288.15  unknown whether it meets th…",
            "     5  C001    007     Quill, Ada  2031-08-17    120.50    290.15  repeats another record",
            "     6  C004    007     Tern        2031-09-01    310.25            row 2",
        ],
        "{}",
        run.out
    );
    // Where most records are left out, those of the last rows stand too far down.
    let many: String = (10..60).map(|n| format!("{n},{}\n", n % 10)).collect();
    let folder = Folder::new().with("many.csv", format!("Call,Berth\n{many}"));
    let run = folder.run("inspect many.csv --where 'Berth = 9'").expect(0);
    assert!(run.out.contains("  … and others further down\n"), "{}", run.out);
    // Cells that a value is carried into are empty there; rolled-up rows are made of many records.
    let folder = Folder::new().with("a.csv", "Quay,Call,Dues\n007,C1,1.5\n,C2,2.5\n012,C3,3.5\n,C4,4.5\n");
    let run = folder.run("inspect a.csv --carry Quay --as Quay=text");
    assert!(run.out.contains("  007      C2           2.5\n"), "{}", run.out);
    let run = folder.run("inspect a.csv --carry Quay --where 'Dues > 2' --as Quay=text");
    assert!(run.out.contains("     3           C2           2.5  row 1\n"), "{}", run.out);
    let run = folder.run("inspect a.csv --by Quay --as Quay=text");
    assert!(!run.out.contains("made of these records"), "{}", run.out);
}

#[test]
fn a_refresh_obeys_the_same_steps() {
    let folder = folder();
    folder.run("import calls.csv --docket steps.docket.toml --into book.xlsx").expect(1);
    // One record meets the condition now, one does so no more, one is revised.
    let revised = CALLS
        .replace("C002,012", "C002,007")
        .replace("80.00", "180.00")
        .replace("Tern,2031-09-01,310.25", "Tern,2031-09-01,31.25")
        .replace("290.15", "291.15");
    folder.write_old("calls.csv", revised);
    let run = folder.run("refresh book.xlsx").expect(0);
    assert!(run.out.contains("1 added") && run.out.contains("1 gone"), "{}", run.out);
    let calls = |column: usize| -> Vec<String> {
        folder.cells("book.xlsx", "calls").into_iter().skip(1).map(|row| row[column].clone()).collect()
    };
    assert_eq!(
        (calls(0), calls(8)),
        (vec!["\"C001\"".into(), "\"C002\"".into()], vec!["18".into(), "18.5".to_owned()])
    );
    let run = folder.run("refresh book.xlsx").expect(0);
    assert!(run.out.contains("unchanged"), "{}", run.out);
    let run = folder.run("export book.xlsx -o out.csv").expect(4);
    assert!(run.err.contains("shaped rows"), "{}", run.err);
}

#[test]
fn what_cannot_be_made_is_said() {
    let folder = folder();
    let status = |option: &str, value: &str| {
        let output = folder.command("inspect calls.csv --json --no-docket").arg(option).arg(value).output();
        let output = output.unwrap();
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        (output.status.code().unwrap(), text + &String::from_utf8_lossy(&output.stderr))
    };
    for (option, value, code) in [
        ("--where", "Dues > 100", "rows-left-out"),
        ("--where", "Dues > 1000", "no-rows"),
        ("--compute", "Share=Dues / 7", "not-computed"),
        ("--divide", "Master=, ", "not-computed"),
    ] {
        let (found, text) = status(option, value);
        assert!(text.contains(&format!("\"{code}\"")), "{value}: {text}");
        assert_eq!(found, i32::from(code != "rows-left-out"), "{value}");
    }
    // A column that stays out may be spoken of; what cannot be computed stops a strict import; a tally says what it leaves out.
    let run = folder.run("inspect calls.csv --no-docket --as Dues=skip --where 'Dues > 100'").expect(0);
    assert!(run.out.contains("5 records, 3 rows"), "{}", run.out);
    let strict = "import calls.csv --no-docket --into strict.xlsx --strict --compute";
    let run = folder.run(&format!("{strict} 'Share=Dues / 7'")).expect(4);
    assert!(run.err.contains("line 2") && run.err.contains("because of --strict"), "{}", run.err);
    assert!(!folder.path("strict.xlsx").exists());
    folder.run(&format!("{strict} 'Share=ROUND(Dues / 7, 2)'")).expect(0);
    let run = folder.run("tally calls.csv --docket steps.docket.toml").expect(0);
    assert!(run.out.contains("note  of 5 records 2 are rows"), "{}", run.out);
    for (option, value, why) in [
        ("--where", "Berth = 7", "Berth = '7'"),
        ("--where", "Berht = '007'", "is Berth meant?"),
        ("--compute", "Gross", "it is NAME=EXPRESSION"),
        ("--compute", "Dues=Kelvin", "there is a column"),
        ("--divide", "Master=pattern:(", "unclosed group"),
        ("--distinct", "Berht", "is \u{201c}Berth\u{201d} meant?"),
    ] {
        let (found, text) = status(option, value);
        assert_eq!(found, 2, "{value}: {text}");
        assert!(text.contains(why), "{value}: {text}");
        assert!(text.contains(option), "{value}: {text}");
    }
}

#[test]
fn daily_readings_become_monthly_ones_at_every_refresh() {
    let daily = |rows: &str| {
        format!("Day,Gauge,Level\n2031-01-01,G1,2.50\n2031-01-31,G1,2.70\n2031-02-01,G2,2.10\n{rows}")
    };
    let folder = Folder::new().with("tide.csv", daily(""));
    let run = folder.run(
        "import tide.csv --by Day/month,Gauge --take 'COUNT(*) AS Readings, AVG(Level)' --into tide.xlsx",
    );
    let run = run.expect(0);
    assert!(run.out.contains("3 records are rolled up into 2 rows"), "{}", run.out);
    assert!(run.out.contains("computed  8 cells more") && !run.out.contains("kept exactly"), "{}", run.out);
    folder.write_old("tide.csv", daily("2031-02-28,G2,2.30\n2031-03-01,G1,4.00\n"));
    let run = folder.run("refresh tide.xlsx").expect(0);
    assert!(run.out.contains("2 \u{2192} 3: 1 added, 1 revised, 1 the same"), "{}", run.out);
    assert!(!run.out.contains("kept exactly"), "{}", run.out);
    let rows = folder.cells("tide.xlsx", "tide");
    assert_eq!(rows[0].join("|"), r#""Day month"|"Gauge"|"Readings"|"Level mean""#);
    assert_eq!(rows[2].join("|"), r#""2031-02"|"G2"|2|2.2"#);
    for (options, why) in [
        ("--by Gauge/month", "has no days"),
        ("--by Gage", "is \u{201c}Gauge\u{201d} meant?"),
        ("--take COUNT(*)", "what makes them"),
        ("--by Gauge --take Level", "each part is COUNT"),
        ("--by Gauge --take SUM(Gauge)", "SUM takes a number"),
        ("--by Gauge --take MAX(Day),MAX(Day)", "two columns are called"),
    ] {
        let run = folder.run(&format!("inspect tide.csv {options}")).expect(2);
        assert!(run.err.contains(why), "{options}: {}", run.err);
    }
}

/// The number format of a cell of the sheet.
fn format_of(folder: &Folder, cell: &str) -> String {
    let sheet = folder.part("book.xlsx", "xl/worksheets/sheet1.xml");
    let cell =
        sheet.split(&format!("<c r=\"{cell}\" s=\"")).nth(1).unwrap_or_else(|| panic!("{cell}: {sheet}"));
    let style: usize = cell.split('"').next().unwrap().parse().unwrap();
    let styles = folder.part("book.xlsx", "xl/styles.xml");
    let formats = styles.split("<cellXfs").nth(1).unwrap();
    let id = formats.split("numFmtId=\"").nth(style + 1).unwrap().split('"').next().unwrap();
    let own = styles.split(&format!("<numFmt numFmtId=\"{id}\" formatCode=\"")).nth(1);
    own.map_or_else(
        || format!("built in {id}"),
        |own| own.split("\"/>").next().unwrap().replace("&quot;", "'"),
    )
}

#[test]
fn what_is_computed_looks_as_is_stated() {
    let compute = "--compute 'Net=ROUND(Dues / 1.19, 2)' --compute 'Share=ROUND(Dues / 630, 4)' --compute 'Leaves=COALESCE(Arrived, Arrived)'";
    for (stated, cell, format) in [
        ("--as 'Net=number:1.234,50 \u{20ac}'", "G2", "#,##0.00' \u{20ac}'"),
        ("--as 'Net=number:CHF 1.0'", "G2", "'CHF '0.0"),
        ("--as 'Share=number:12.5 %'", "H2", "0.0\\ %"),
        ("--as 'Leaves=date:dd.MM.yyyy'", "I2", "dd\\.mm\\.yyyy"),
    ] {
        let folder = Folder::new().with("calls.csv", CALLS);
        folder
            .run(&format!("import calls.csv --into book.xlsx --as Berth=text {compute} {stated}"))
            .expect(0);
        assert_eq!(format_of(&folder, cell), format, "{stated}");
        // The link keeps it, for the rows that come later.
        folder.write_old("calls.csv", CALLS.to_owned() + "C005,007,Tern,2031-09-02,19.04,\n");
        folder.run("refresh book.xlsx").expect(0);
        assert_eq!(format_of(&folder, &cell.replace('2', "7")), format, "{stated}");
        let values = folder.cells("book.xlsx", "calls");
        assert_eq!(&values[6][6..8], ["16", "0.0302"], "{values:?}");
    }
    // A column of the source is spelled so there, and shown as it is spelled.
    let folder = Folder::new().with("calls.csv", CALLS);
    let run =
        folder.run("import calls.csv --into book.xlsx --as Berth=text --as 'Dues=number:1.0 kg'").expect(2);
    assert!(run.err.contains("is not a"), "{}", run.err);
    for (bad, why) in
        [("number:many", "a number as it is to look"), ("number:1,234", "can be read in two ways")]
    {
        let run =
            folder.run(&format!("import calls.csv --into book.xlsx {compute} --as Net={bad}")).expect(2);
        assert!(run.err.contains(why), "{}", run.err);
    }
}

#[test]
fn what_is_rolled_up_looks_as_is_stated() {
    let folder = Folder::new().with("calls.csv", CALLS);
    let steps = "--by Berth --take 'SUM(Dues) AS Paid' --as 'Paid=number:1,234.50 EUR'";
    folder.run(&format!("import calls.csv --into book.xlsx --as Berth=text {steps}")).expect(0);
    assert_eq!(format_of(&folder, "B2"), "#,##0.00' EUR'");
    assert_eq!(folder.cells("book.xlsx", "calls")[1], ["\"007\"", "551.25"]);
}
