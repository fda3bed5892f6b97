//! Control totals, and figures that were expected.

use crate::support::Folder;

const DUES: &str =
    "Berth,Arrived,Dues\n007,2031-03-04,12.50\n012,2031-03-31,-3.25\n007,2031-04-01,\n009,2031-04-02,0\n";

#[test]
fn a_tally_is_taken_in_at_a_glance() {
    let folder = Folder::new().with("dues.csv", DUES);
    let run = folder.run("tally dues.csv --by Arrived/month --expect Dues=9.25 --expect-records 4").expect(0);
    insta::assert_snapshot!(run.out, @r"
    dues.csv   4 records, 3 columns

      column   kind    values  empty  different   sum
      Berth    text         4      0          3
      Arrived  date         4      0          4
      Dues     number       3      1          3  9.25

      column   smallest, first  line  largest, last  line    mean
      Arrived       2031-03-04     2     2031-04-02     5
      Dues               -3.25     3          12.50     2  3.0833

      note  Berth: 4 values begin with 0
      note  Dues: 1 value below zero, 1 zero

      Arrived/month  records  Dues
      2031-03              2  9.25  ━━━━━━━━━━━━━━━━━━━━
      2031-04              2  0.00  ━━━━━━━━━━━━━━━━━━━━
      all                  4  9.25

      agrees   records: 4, as expected
      agrees   Dues: 9.25, as expected
    ");
}

#[test]
fn values_worth_a_look_are_shown_with_their_places() {
    // Working days of August, one of them missing; one amount a hundred times too large; a no-break space nobody sees.
    let working = (1..30).filter(|day| (day + 3) % 7 < 5 && *day != 14);
    let lines: Vec<String> = working
        .map(|day| {
            let (dues, ship) = match day {
                20 => (4350.0, "Tern".to_owned()),
                21 => (40.75, "Grey\u{a0}Heron".to_owned()),
                _ => (39.5 + f64::from(day), "Saltwind".to_owned()),
            };
            format!("2031-08-{day:02},{ship},{dues:.2}\n")
        })
        .collect();
    let folder = Folder::new().with("dues.csv", format!("Arrived,Ship,Dues\n{}", lines.concat()));
    let run = folder.run("tally dues.csv").expect(0);
    insta::assert_snapshot!(run.out, @r"
    dues.csv   20 records, 3 columns

      column   kind    values  empty  different      sum
      Arrived  date        20      0         20
      Ship     text        20      0          3
      Dues     number      20      0         20  5377.75

      column   smallest, first  line  largest, last  line      mean
      Arrived       2031-08-01     2     2031-08-29    21
      Dues               40.50     2        4350.00    14  268.8875

      note  Arrived: 1 day has no date (never on Saturdays and Sundays): 2031-08-14
      note  Ship: 4 (line 14) to 10 characters (line 15)
      note  Ship: 1 value holds a character that is not seen: U+00A0 (line 15)
      note  Dues: 1 value lies far out: 4350.00 (line 14); half of all lie between 45.50 and 65.50
    ");
    let json = folder.run("tally dues.csv --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    let columns = &json[0]["columns"];
    assert_eq!(columns[0]["gaps"]["runs"][0], serde_json::json!(["2031-08-14", "2031-08-14"]));
    assert_eq!(columns[0]["gaps"]["free_weekdays"], serde_json::json!([5, 6]));
    assert_eq!(columns[1]["first_unusual"]["value"], "U+00A0");
    assert_eq!(columns[2]["far_out"]["values"][0]["value"], "4350");
    assert_eq!(columns[2]["far_out"]["may_be_more"], false);
    // In a sheet the places are cells.
    folder.run("import dues.csv --into book.xlsx").expect(0);
    let run = folder.run("tally book.xlsx").expect(0);
    for note in
        ["4350.00 (C14)", "1 day has no date (never on Saturdays and Sundays): 2031-08-14", "U+00A0 (B15)"]
    {
        assert!(run.out.contains(note), "{note}: {}", run.out);
    }
}

#[test]
fn what_was_expected_is_compared() {
    let folder = Folder::new().with("dues.csv", DUES);
    for (words, status, expected) in [
        ("--expect Dues=9.25", 0, "agrees   Dues: 9.25, as expected"),
        ("--expect Dues=9.24", 1, "differs  Dues: 9.24 expected, 9.25 found: +0.01"),
        ("--expect Dues=10", 1, "differs  Dues: 10.00 expected, 9.25 found: -0.75"),
        ("--expect-records 5", 1, "differs  records: 5 expected, 4 found: -1"),
        ("--expect Berth=4", 2, "is text, not a number"),
        ("--expect Dues", 2, "it is COLUMN=SUM"),
        ("--expect Dues=x", 2, "the sum is a number"),
        ("--expect Fees=1", 2, "the columns are: Berth, Arrived, Dues"),
        ("--by Berth/month", 2, "is text, not a date"),
        ("--by Wharf", 2, "no column is"),
        ("--by Berth", 0, "007          2  12.50"),
    ] {
        let run = folder.run(&format!("tally dues.csv {words}"));
        assert_eq!(run.status, status, "{words}: {}{}", run.out, run.err);
        assert!(run.out.contains(expected) || run.err.contains(expected), "{words}: {}{}", run.out, run.err);
    }
    let run = folder.run("tally dues.csv --by Berth --json --expect-records 4").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["columns"][2]["sum"], "9.25");
    assert_eq!(json[0]["columns"][2]["smallest"]["line"], 3);
    assert_eq!(json[0]["groups"][0]["name"], "007");
    assert_eq!(json[0]["groups"][0]["sums"][0]["sum"], "12.50");
    assert!(json[0]["checks"][0]["difference"].is_null());
}

#[test]
fn a_sheet_is_tallied_as_its_source_is() {
    let folder = Folder::new().with("dues.csv", DUES);
    folder.run("import dues.csv --into book.xlsx").expect(0);
    let run =
        folder.run("tally book.xlsx --by Arrived/month --expect Dues=9.25 --expect-records 4").expect(0);
    insta::assert_snapshot!(run.out, @r"
    book.xlsx   sheet dues, table dues, 4 rows, 3 columns

      column   kind    values  empty  different   sum
      Berth    text         4      0          3
      Arrived  date         4      0          4
      Dues     number       3      1          3  9.25

      column   smallest, first  cell  largest, last  cell    mean
      Arrived       2031-03-04    B2     2031-04-02    B5
      Dues               -3.25    C3          12.50    C2  3.0833

      note  Berth: 4 values begin with 0
      note  Dues: 1 value below zero, 1 zero

      Arrived/month  rows  Dues
      2031-03           2  9.25  ━━━━━━━━━━━━━━━━━━━━
      2031-04           2  0.00  ━━━━━━━━━━━━━━━━━━━━
      all               4  9.25

      agrees   records: 4, as expected
      agrees   Dues: 9.25, as expected
    ");
    for (words, status, expected) in [
        ("--sheet Dues --expect Dues=9.24", 1, "differs  Dues: 9.24 expected, 9.25 found: +0.01"),
        ("--sheet fees", 2, "there are dues"),
        ("--by Berth/month", 2, "is text, not a date"),
        ("--by Wharf", 2, "the columns are: Berth, Arrived, Dues"),
        ("--delimiter ;", 2, "says nothing about a workbook"),
    ] {
        let run = folder.run(&format!("tally book.xlsx {words}"));
        assert_eq!(run.status, status, "{words}: {}{}", run.out, run.err);
        assert!(run.out.contains(expected) || run.err.contains(expected), "{words}: {}{}", run.out, run.err);
    }
    let run = folder.run("tally book.xlsx --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!((&json[0]["sheet"], &json[0]["table"]), (&"dues".into(), &"dues".into()));
    assert_eq!(json[0]["columns"][2]["smallest"]["cell"], "C3");
    assert!(json[0]["columns"][2]["smallest"]["line"].is_null());
}

#[test]
fn a_range_without_a_table_begins_below_its_headings() {
    let folder = Folder::new().with("dues.csv", DUES).with("calls.csv", "Call,Ship\n1,Tern\n2,Heron\n");
    folder.run("import dues.csv --into book.xlsx --plain --sheet dues").expect(0);
    folder.run("import calls.csv --into book.xlsx --sheet calls").expect(0);
    // What other programs write: a title, formulas with results, numbers of more digits than are shown, dates from 1904 not.
    folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |xml| {
        xml.replace("<v>-3.25</v>", "<f>SUM(1,2)</f><v>0.30000000000000004</v>")
    });
    let run = folder.run("tally book.xlsx --sheet dues").expect(0);
    assert!(run.out.contains("sheet dues, 4 rows, 3 columns"), "{}", run.out);
    assert!(run.out.contains("Dues     number       3      1          3  12.8"), "{}", run.out);
    // All sheets, unless something is asked that is of one.
    let run = folder.run("tally book.xlsx").expect(0);
    assert!(run.out.contains("sheet dues") && run.out.contains("sheet calls, table calls"), "{}", run.out);
    let run = folder.run("tally book.xlsx --by Ship").expect(2);
    assert!(
        run.err.contains("there are several tables: sheet dues; sheet calls, table calls"),
        "{}",
        run.err
    );
}

#[test]
fn both_sides_are_compared_cell_by_cell() {
    let folder = Folder::new().with("dues.csv", DUES);
    folder.run("import dues.csv --into book.xlsx").expect(0);
    let run = folder.run("tally book.xlsx --against dues.csv").expect(0);
    let from = run.out.find("  dues.csv").unwrap();
    insta::assert_snapshot!(run.out[from..], @r"
    dues.csv   4 records, 3 columns compared

    column  cells  values there   sum  sum there
    Dues        3             3  9.25       9.25

    agrees   all 4 rows are the source's in every cell
    ");
    // The source by other columns and in another order is the same; a column that one side lacks is said.
    let turned = "Dues;Berth;Pilot\n0,00;009;x\n12,50;007;y\n;007;z\n-3,25;012;q\n";
    folder.write_old("turned.csv", turned);
    let run = folder.run("tally book.xlsx --against turned.csv").expect(0);
    assert!(run.out.contains("only the sheet has, not compared: Arrived"), "{}", run.out);
    assert!(run.out.contains("only the source has, not compared: Pilot"), "{}", run.out);
    // A value, a record and a row that are not on the other side.
    folder.write_old("other.csv", DUES.replace("-3.25", "-3.52") + "044,2031-04-09,7\n");
    folder
        .change_part("book.xlsx", "xl/worksheets/sheet1.xml", |xml| xml.replace("<t>009</t>", "<t>090</t>"));
    let run = folder.run("tally book.xlsx --against other.csv").expect(1);
    let from = run.out.find("  other.csv").unwrap();
    insta::assert_snapshot!(run.out[from..], @r"
    other.csv   5 records, 3 columns compared

    column   cells  values there   sum  sum there
    Berth        4             5                   differs
    Arrived      4             5                   differs
    Dues         3             4  9.25      15.98  differs

    differs  C3 Dues: -3.25 in the sheet, -3.52 in line 3
    differs  A5 Berth: 090 in the sheet, 009 in line 5
    differs  line 6 is no row of the sheet
    agrees   2 rows are the source's in every cell, 2 in some
    ");
    let run = folder.run("tally book.xlsx --against other.csv --json").expect(1);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    let against = &json[0]["against"];
    assert_eq!(
        (&against["agrees"], &against["same"], &against["records_alone"]),
        (&false.into(), &2.into(), &1.into())
    );
    assert_eq!(against["cells"][0]["cell"], "C3");
    assert_eq!(
        (&against["cells"][0]["sheet"], &against["cells"][0]["source"]),
        (&"-3.25".into(), &"-3.52".into())
    );
    folder.write_old("fees.csv", "Wharf,Fee\n1,2\n");
    folder.run("tally book.xlsx --against fees.csv").expect(2);
    let run = folder.run("tally dues.csv --against dues.csv").expect(2);
    assert!(run.err.contains("dues.csv is no workbook"), "{}", run.err);
}

#[test]
fn the_first_and_the_last_records_of_an_order_are_shown() {
    let records: String =
        (1..30).map(|n| format!("{:03},2031-03-{:02},{}.5\n", n, 30 - n, n * 7 % 30)).collect();
    let folder = Folder::new().with("dues.csv", format!("Berth,Arrived,Dues\n{records}030,,\n"));
    folder.run("import dues.csv --into book.xlsx").expect(0);
    for (words, first, last) in [
        (
            "tally dues.csv --sort Dues",
            "first    14  1.5   013    2031-03-17",
            "last     18  29.5  017    2031-03-13",
        ),
        (
            "tally dues.csv --sort Arrived",
            "first    30  2031-03-01  029    23.5",
            "last      2  2031-03-29  001    7.5",
        ),
        ("tally dues.csv --sort Berth", "first     2  001", "last     31  030"),
        (
            "tally book.xlsx --sort Dues",
            "first   14  1.5   013    2031-03-17",
            "last    18  29.5  017    2031-03-13",
        ),
    ] {
        let run = folder.run(words).expect(0);
        assert!(run.out.contains(first) && run.out.contains(last), "{words}: {}", run.out);
        assert_eq!(
            run.out.contains("1 record without a value there"),
            !words.contains("Berth"),
            "{}",
            run.out
        );
    }
    let run = folder.run("tally dues.csv --sort Dues --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    let order = &json[0]["in_order"];
    assert_eq!((order["first"].as_array().map(Vec::len), &order["without"]), (Some(5), &1.into()));
    assert_eq!(order["last"][0]["fields"][2], "29.5");
    let run = folder.run("tally dues.csv --sort Wharf").expect(2);
    assert!(run.err.contains("--sort Wharf: no column is"), "{}", run.err);
}
