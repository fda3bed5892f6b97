//! Printed reports, as a clerk meets them.

use crate::support::Folder;

const REPORT: &str = include_str!("../../demo/pilotage.rpt");

#[test]
fn a_report_is_read_with_its_headings_and_proved_by_its_totals() {
    let folder = Folder::new().with("pilotage.rpt", REPORT);
    let run = folder.run("import pilotage.rpt --into book.xlsx").expect(0);
    assert!(
        run.out.contains("totals        8 of 8: printed among the records, agree with them"),
        "{}",
        run.out
    );
    let rows = folder.cells("book.xlsx", "pilotage");
    assert_eq!(rows.len(), 34);
    assert_eq!(rows[0][6..], ["\"Station\"", "\"Pilot\""]);
    assert_eq!(rows[1][6..], ["\"North Pier\"", "\"Ada Rowe\""]);
    assert_eq!(rows[14][6..], ["\"South Basin\"", "\"Mara Finch\""], "the heading is on the page before");
    assert_eq!(rows[33][6..], ["\"South Basin\"", "\"Ida Stern\""]);
    // The next report has one group only, and another pilot: the link holds the labels.
    let lines: Vec<&str> = REPORT.lines().take(12).collect();
    folder.write_old("pilotage.rpt", lines.join("\n").replace("Ada Rowe", "Ada Quill") + "\n");
    let run = folder.run("refresh book.xlsx --accept shorter --all").expect(0);
    assert!(run.out.contains("Pilot: Ada Rowe \u{2192} Ada Quill"), "{}", run.out);
    assert_eq!(folder.cells("book.xlsx", "pilotage")[4][6..], ["\"North Pier\"", "\"Ada Quill\""]);
}

#[test]
fn a_changed_total_is_found_wherever_it_is() {
    for (from, to, line, apart) in [
        ("3,003.56", "3,003.65", 12, "0.09"),
        ("7,894.34", "7,894.33", 26, "0.01"),
        ("9,298.35", "9,298.45", 68, "0.10"),
    ] {
        let changed = REPORT.replacen(from, to, 1);
        assert_ne!(changed, REPORT, "{from}");
        let folder = Folder::new().with("pilotage.rpt", changed);
        let run = folder.run("inspect pilotage.rpt").expect(1);
        let words = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(
            words.contains(&format!("line {line}: \u{201c}DUES\u{201d}: the printed total is")),
            "{words}"
        );
        assert!(words.contains(&format!("{apart} apart")), "{words}");
    }
    // A record that is lost is found too: three totals lack it.
    let lost: String = REPORT.lines().filter(|l| !l.starts_with("P7016")).map(|l| format!("{l}\n")).collect();
    let folder = Folder::new().with("pilotage.rpt", lost);
    let run = folder.run("inspect pilotage.rpt").expect(1);
    assert!(run.out.contains("totals     5 of 8"), "{}", run.out);
}

#[test]
fn headings_are_stated_and_placed() {
    let folder = Folder::new().with("pilotage.rpt", REPORT);
    for (options, first, columns) in [
        ("--carried first", "Station", 8),
        ("--carried none", "ORDER", 6),
        ("--headings Pilot", "ORDER", 7),
        ("--heading-line 6", "ORDER", 7),
        ("--heading-line 6 --heading-line 7 --carried first", "Station", 8),
    ] {
        let folder = Folder::new().with("pilotage.rpt", REPORT);
        folder.run(&format!("import pilotage.rpt --into book.xlsx {options}"));
        let names = &folder.cells("book.xlsx", "pilotage")[0];
        assert_eq!((names[0].as_str(), names.len()), (format!("{first:?}").as_str(), columns), "{options}");
    }
    let run = folder.run("docket draft pilotage.rpt").expect(0);
    assert!(run.out.contains("headings = [\"Station\", \"Pilot\"]"), "{}", run.out);
}

#[test]
fn values_of_headings_may_mean_empty_too() {
    let folder = Folder::new()
        .with("pilotage.rpt", REPORT.replace("Ada Rowe", "n/a"))
        .with("a.docket.toml", "docket = 1\n[[column]]\nname = \"Pilot\"\nblank = [\"n/a\"]\n");
    for options in ["--blank n/a", "--docket a.docket.toml"] {
        let run = folder.run(&format!("inspect pilotage.rpt --json {options}"));
        let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
        let pilot = &json[0]["columns"][7];
        assert_eq!((pilot["name"].as_str(), pilot["blank"].as_u64()), (Some("Pilot"), Some(4)), "{options}");
    }
}

/// The report with one thing wrong.
fn with(change: impl Fn(usize, &str) -> Vec<String>) -> String {
    REPORT.lines().enumerate().flat_map(|(at, line)| change(at + 1, line)).map(|line| line + "\n").collect()
}

#[test]
fn broken_reports_are_read_as_far_as_they_can_be_and_say_what_is_wrong() {
    let same = |line: &str| vec![line.to_owned()];
    let moved = |line: &str| format!("{}{}{}{}", &line[..9], &line[21..39], &line[9..21], &line[39..]);
    let cases: [(&str, String, i32, u64, &[&str]); 9] = [
        (
            "a heading without details",
            with(|n, line| if n == 14 { vec!["  Pilot: Nobody".into(), line.into()] } else { same(line) }),
            0,
            33,
            &[],
        ),
        (
            "details before the first heading",
            with(|n, line| match n {
                6 => vec![
                    "P6999    2031-03-01  Saltwind               4.9      1       10.00".into(),
                    line.into(),
                ],
                _ => same(line),
            }),
            1,
            0,
            &["report", "total-differs"],
        ),
        (
            "cut in the middle of a page",
            with(|n, line| if n < 46 { same(line) } else { vec![] }),
            1,
            21,
            &["report", "totals-unproved"],
        ),
        (
            "no heads of pages but the first",
            with(|n, line| if n > 5 && (28..=34).contains(&n) { vec![] } else { same(line) }),
            0,
            33,
            &[],
        ),
        (
            "the heading of the group again on the next page",
            with(|_, line| match line {
                _ if line.starts_with("P7014") => {
                    vec!["Station: South Basin".into(), "  Pilot: Mara Finch".into(), line.into()]
                }
                _ => same(line),
            }),
            0,
            33,
            &[],
        ),
        (
            "another shape of details half-way",
            with(|_, line| match line.get(1..5).and_then(|order| order.parse::<u32>().ok()) {
                Some(order) if line.starts_with('P') && order > 7018 => vec![moved(line)],
                _ => same(line),
            }),
            1,
            33,
            &["misfits", "report"],
        ),
        (
            "a text that goes on in the next line",
            with(|_, line| match line {
                _ if line.starts_with("P7010") => {
                    vec![line.into(), format!("{:21}waits for the tide, then moves", "")]
                }
                _ => same(line),
            }),
            1,
            33,
            &["report"],
        ),
        (
            "two reports joined",
            format!("{REPORT}{}", REPORT.replace("North Pier", "West Mole").replace("P70", "P80")),
            0,
            66,
            &[],
        ),
        (
            "no details at all",
            with(|_, line| if line.starts_with("P7") { vec![] } else { same(line) }),
            1,
            0,
            &["report"],
        ),
    ];
    for (what, text, status, records, notices) in cases {
        let folder = Folder::new().with("r.rpt", text);
        let run = folder.run("inspect r.rpt --json");
        assert_eq!(run.status, status, "{what}: {}", run.out);
        let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
        let codes: Vec<&str> =
            json[0]["notices"].as_array().unwrap().iter().map(|n| n["code"].as_str().unwrap()).collect();
        for notice in notices {
            assert!(codes.contains(notice), "{what}: {codes:?}");
        }
        if status == 0 {
            let headings: Vec<&str> =
                json[0]["headings"].as_array().unwrap().iter().map(|h| h.as_str().unwrap()).collect();
            assert_eq!(headings, ["Station", "Pilot"], "{what}");
        }
        if records > 0 {
            assert_eq!(json[0]["records"].as_u64(), Some(records), "{what}");
        }
    }
}

#[test]
fn a_file_that_lost_records_which_it_counts_does_not_get_in_at_a_refresh() {
    let calls = |count: usize| (0..count).map(|n| format!("A-{n},{n:03},{n}.50\n")).collect::<String>();
    let folder = Folder::new();
    folder.write_old("calls.csv", format!("Call,Berth,Dues\n{}12 records\n", calls(12)));
    let run = folder.run("import calls.csv --into book.xlsx").expect(0);
    assert!(
        run.out.contains("counts        1 of 1: printed in the file, agree with the number of records"),
        "{}",
        run.out
    );
    let before = std::fs::read(folder.path("book.xlsx")).unwrap();
    for (records, last, says) in [
        (
            11,
            "12 records\n",
            "1 line says that there are more or fewer records than were read, the first in line 13",
        ),
        (11, "", "no line at the end says any more how many records there are: the file may be cut short"),
    ] {
        folder.write_old("calls.csv", format!("Call,Berth,Dues\n{}{last}", calls(records)));
        let run = folder.run("refresh book.xlsx").expect(4);
        assert!(run.err.contains(says), "{}", run.err);
        assert!(std::fs::read(folder.path("book.xlsx")).unwrap() == before);
    }
    folder.write_old("calls.csv", format!("Call,Berth,Dues\n{}13 records\n", calls(13)));
    folder.run("refresh book.xlsx").expect(0);
    let run = folder.run("inspect calls.csv --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["printed_totals"]["counts"]["agree"], 1);
}

#[test]
fn a_report_that_lost_a_line_does_not_get_in_at_a_refresh() {
    let folder = Folder::new();
    folder.write_old("pilotage.rpt", REPORT);
    folder.run("import pilotage.rpt --into book.xlsx").expect(0);
    folder.write_old(
        "pilotage.rpt",
        with(|_, line| if line.starts_with("P7016") { vec![] } else { vec![line.into()] }),
    );
    let before = std::fs::read(folder.path("book.xlsx")).unwrap();
    let run = folder.run("refresh book.xlsx").expect(4);
    assert!(
        run.err.contains(
            "3 printed totals are not what the records add up to, the first in line 41: lines may be missing"
        ),
        "{}",
        run.err
    );
    assert!(std::fs::read(folder.path("book.xlsx")).unwrap() == before);
    folder.run("refresh book.xlsx --accept damage").expect(1);
    // Known from then on.
    folder.run("refresh book.xlsx").expect(0);
}

/// A report whose pilots are printed in the first line of their group only.
fn first_rows(totals: bool) -> String {
    let mut text =
        String::from("PILOT        ORDER   DAY           DUES\n-----------  ------  ----------  ------\n");
    for (pilot, orders) in [("Ada Rowe", 4), ("Jonas Quill", 3), ("Mara Finch", 1), ("Ida Stern", 5)] {
        for n in 0..orders {
            let name = if n == 0 { pilot } else { "" };
            text.push_str(&format!(
                "{name:<11}  P70{n}{orders}   2031-03-{:02}  {:>6}\n",
                n * 5 + orders,
                n * 10 + orders
            ));
        }
        if totals {
            let sum: usize = (0..orders).map(|n| n * 10 + orders).sum();
            text.push_str(&format!("Subtotal {sum:>30}\n"));
        }
    }
    text
}

#[test]
fn a_value_of_the_first_row_is_carried_down_where_totals_prove_it() {
    let folder = Folder::new().with("pilots.rpt", first_rows(true)).with("plain.txt", first_rows(false));
    let run = folder.run("import pilots.rpt --into book.xlsx").expect(0);
    assert!(
        run.out.contains("carried       PILOT: 9 empty cells take the value above, from line 4 on"),
        "{}",
        run.out
    );
    let rows = folder.cells("book.xlsx", "pilots");
    let pilots: Vec<&str> = rows[1..].iter().map(|row| row[0].as_str()).collect();
    assert_eq!(
        pilots[..5],
        ["\"Ada Rowe\"", "\"Ada Rowe\"", "\"Ada Rowe\"", "\"Ada Rowe\"", "\"Jonas Quill\""]
    );
    // The link keeps it, also where the next report has too few totals to prove it.
    let first: String = first_rows(true).lines().take(7).map(|line| line.to_owned() + "\n").collect();
    folder.write_old("pilots.rpt", first.replace("Ada Rowe  ", "Nils Brand"));
    folder.run("refresh book.xlsx --accept shorter --all").expect(0);
    let rows = folder.cells("book.xlsx", "pilots");
    assert_eq!((rows.len(), rows[4][0].as_str()), (5, "\"Nils Brand\""));
    // Without totals it is asked for, and said.
    let run = folder.run("inspect plain.txt");
    assert!(run.out.contains("--carry 'PILOT'"), "{}", run.out);
    for (options, last) in
        [("--carry PILOT", "\"Ida Stern\""), ("--carry 1", "\"Ida Stern\""), ("--carry none", "")]
    {
        let folder = Folder::new().with("plain.txt", first_rows(false));
        let run = folder.run(&format!("import plain.txt --into book.xlsx {options}"));
        assert!(!run.out.contains("--carry 'PILOT'"), "{}", run.out);
        assert_eq!(folder.cells("book.xlsx", "plain")[13][0], last, "{options}");
    }
    let run = folder.run("inspect plain.txt --carry PILOTS").expect(2);
    assert!(run.err.contains("is \u{201c}PILOT\u{201d} meant?"), "{}", run.err);
    let run = folder.run("docket draft pilots.rpt --carry PILOT");
    assert!(run.out.contains("carry = [\"PILOT\"]"), "{}", run.out);
}

/// A list of calls with a remark below some of them, and an end of each watch that no word tells.
const WATCHES: &str = "\
HARBOUR WATCH                          PAGE 1
CALL    BERTH   VESSEL           TONS
C1001   007     Grey Heron      412.5
        left with the tide
C1002   012     Saltwind         96.0
Ende    2                       508.5
C1003   031     Ada Quill      1012.0
C1004   007     Copper Finch     77.5
        crew of 12, two sick
Ende    2                      1089.5
C1005   012     Grey Heron       18.0
Ende    1                        18.0
";

#[test]
fn lines_are_stated_by_examples_and_by_patterns() {
    let docket = "docket = 1\n[[line]]\nrole = \"detail\"\nmatches = '^C\\d{4} '\n[[line]]\nrole = \"total\"\nmatches = \"^Ende\"\n\
                  [[line]]\nrole = \"aside\"\nexample = \"        left with the tide\"\n";
    for options in ["--detail-line 3 --total-line 6", "--docket w.docket.toml"] {
        let folder = Folder::new().with("watch.rpt", WATCHES).with("w.docket.toml", docket);
        let run = folder.run(&format!("import watch.rpt --into book.xlsx {options}"));
        let rows = folder.cells("book.xlsx", "watch");
        let calls: Vec<&str> = rows.iter().map(|row| row[0].as_str()).collect();
        assert_eq!(
            calls,
            ["\"CALL\"", "\"C1001\"", "\"C1002\"", "\"C1003\"", "\"C1004\"", "\"C1005\""],
            "{options}"
        );
        assert_eq!((rows[1][1].as_str(), rows[5][3].as_str()), ("\"007\"", "18"), "{options}");
        assert!(run.out.contains("totals        3 of 3"), "{options}: {}", run.out);
        // The link reads the next report by what was said, though it has one watch only.
        let next: String = WATCHES.lines().take(6).map(|line| line.to_owned() + "\n").collect();
        folder.write_old("watch.rpt", next.replace("C1001", "C2001"));
        folder.run("refresh book.xlsx --accept shorter --all").expect(0);
        let rows = folder.cells("book.xlsx", "watch");
        assert_eq!((rows.len(), rows[2][0].as_str()), (3, "\"C2001\""), "{options}");
    }
    let folder = Folder::new().with("watch.rpt", WATCHES);
    let run = folder.run("inspect watch.rpt --detail-line 3 --total-line 6");
    let words = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    for said in
        ["stated detail: line 3 5 lines are so, the first is line 3", "stated total: line 6 3 lines are so"]
    {
        assert!(words.contains(said), "{words}");
    }
    let run = folder.run("docket draft watch.rpt --detail-line 3");
    assert!(
        run.out.contains("[[line]]\nrole = \"detail\"\nexample = \"C1001   007     Grey Heron"),
        "{}",
        run.out
    );
}

#[test]
fn headings_are_stated_by_a_pattern_with_names() {
    let docket =
        "docket = 1\n[[line]]\nrole = \"heading\"\nmatches = '^\\s*Pilot: (?<Pilot>\\w+) (?<Name>.*)'\n";
    let folder = Folder::new().with("pilotage.rpt", REPORT).with("p.docket.toml", docket);
    folder.run("import pilotage.rpt --into book.xlsx --docket p.docket.toml");
    let rows = folder.cells("book.xlsx", "pilotage");
    assert_eq!(rows[0][6..], ["\"Pilot\"", "\"Name\""]);
    assert_eq!(rows[1][6..], ["\"Ada\"", "\"Rowe\""]);
    // The same after a refresh.
    folder.write_old("pilotage.rpt", REPORT.replace("Ada Rowe", "Ida Rowe"));
    folder.run("refresh book.xlsx --all");
    assert_eq!(folder.cells("book.xlsx", "pilotage")[1][6..], ["\"Ida\"", "\"Rowe\""]);
}

#[test]
fn what_is_wrongly_said_of_lines_is_told() {
    let folder = Folder::new().with("watch.rpt", WATCHES);
    for (options, said) in [
        ("--detail-line 99", "--detail-line 99: there is no such line"),
        ("--total-line 0", "--total-line 0: there is no such line"),
        ("--heading-line 4000000000", "--heading-line 4000000000: there is no such line"),
    ] {
        let run = folder.run(&format!("inspect watch.rpt {options}")).expect(2);
        assert!(run.err.contains(said), "{}", run.err);
    }
    for (line, said) in [
        ("role = \"detail\"\nmatches = \"(\"", "w.docket.toml:4: matches: unclosed group"),
        ("role = \"detail\"", "w.docket.toml:3: a line of the role detail has either an example or matches"),
        ("role = \"totals\"\nexample = \"x\"", "is one of detail, heading, total, page, aside"),
        ("role = \"total\"\nexamples = \"x\"", "there is no key \u{201c}examples\u{201d} here"),
    ] {
        folder.write_old("w.docket.toml", format!("docket = 1\n[[line]]\n{line}\n"));
        let run = folder.run("inspect watch.rpt --docket w.docket.toml").expect(2);
        assert!(run.err.contains(said), "{line}: {}", run.err);
    }
    folder.write_old("w.docket.toml", "docket = 1\n[[line]]\nrole = \"total\"\nmatches = \"^Summe\"\n");
    let run = folder.run("inspect watch.rpt --docket w.docket.toml").expect(1);
    assert!(run.out.contains("no line is like the total that was stated: ^Summe"), "{}", run.out);
    let run = folder.run("inspect watch.rpt --docket w.docket.toml --json").expect(1);
    assert!(run.out.contains("\"nothing-like\""), "{}", run.out);
}

#[test]
fn a_report_without_totals_is_no_doubt_where_all_columns_have_names_and_all_lines_a_role() {
    let page = |number: usize, first: usize| {
        let rows: String = (first..first + 8)
            .map(|i| {
                format!(
                    "{:<8}  {:<14}  2031-08-{:02}  {:>10}.50\n",
                    4000 + i,
                    ["Saltwind", "Grey Heron", "Tern"][i % 3],
                    i + 1,
                    i * 137
                )
            })
            .collect();
        format!(
            "Tolgarth Quay        Calls        Page {number}\n\nCall no   Ship name       Arrived     Harbour dues\n\n{rows}\n"
        )
    };
    let folder = Folder::new().with("calls.prn", page(1, 0) + &page(2, 8) + &page(3, 16));
    let run = folder.run("inspect calls.prn --json").expect(0);
    assert!(run.out.contains("\"records\": 24"), "{}", run.out);
    // One line that has no role, and it is a doubt.
    let text = page(1, 0) + "held up by fog, see the log\n" + &page(2, 8) + &page(3, 16);
    folder.with("calls.prn", text).run("inspect calls.prn").expect(1);
}
