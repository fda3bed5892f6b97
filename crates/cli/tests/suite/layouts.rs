//! Files that are printed rather than exported: fixed widths, several lines a record, headings and totals.

use crate::support::Folder;
use serde_json::{Value, json};

const GAUGE: &[u8] = include_bytes!("../../demo/tide-gauge.log");
const MANIFEST: &[u8] = include_bytes!("../../demo/manifest.txt");
const WEIGHBRIDGE: &[u8] = include_bytes!("../../demo/weighbridge.lst");
const MOORINGS: &[u8] = include_bytes!("../../demo/moorings.csv");

/// The reading of a file, as JSON.
fn reading(name: &str, content: &[u8], options: &str, status: i32) -> Value {
    let run =
        Folder::new().with(name, content).run(&format!("inspect --json {name} {options}")).expect(status);
    serde_json::from_str::<Value>(&run.out).unwrap()[0].take()
}

#[test]
fn the_demos_printed_files_are_read_right_with_no_option() {
    let cases = [
        ("tide-gauge.log", GAUGE, json!(["fixed", 1, 6, 7, 72, 7, 0])),
        ("manifest.txt", MANIFEST, json!(["multiline", 3, null, null, 18, 11, 0])),
        ("weighbridge.lst", WEIGHBRIDGE, json!(["fixed", 1, 3, null, 28, 8, 1])),
        ("moorings.csv", MOORINGS, json!(["delimited", 1, 1, null, 32, 6, 0])),
    ];
    for (name, content, expected) in cases {
        let found = reading(name, content, "", 0);
        let columns = found["columns"].as_array().unwrap().len();
        let facts = json!([
            found["layout"]["kind"],
            found["layout"]["lines_per_record"],
            found["header_line"],
            found["units_line"],
            found["records"],
            columns,
            found["footer_lines"]
        ]);
        assert_eq!(facts, expected, "{name}");
    }
}

#[test]
fn units_values_and_repeated_headers_are_told_apart_from_records() {
    let gauge = reading("gauge.log", GAUGE, "", 0);
    assert_eq!(gauge["layout"]["starts"], json!([1, 13, 20, 28, 35, 40, 46]));
    assert_eq!(gauge["columns"][2]["unit"], "m");
    assert_eq!(gauge["values"][1], json!({"name": "Station No", "value": "0041", "line": 2}));
    let moorings = reading("moorings.csv", MOORINGS, "", 0);
    assert_eq!(moorings["set_aside"], json!([{"line": 18, "lines": 1, "why": "repeats the header"}]));
    let bridge = reading("bridge.lst", WEIGHBRIDGE, "", 0);
    assert!(bridge["columns"][7]["why"].as_str().unwrap().ends_with("the total line agrees with their sum"));
}

#[test]
fn values_from_the_headings_name_books_and_sheets() {
    let folder = Folder::new().with("march.log", GAUGE);
    folder.run("import march.log --into '{Station No}.xlsx' --sheet '{gauge} {period}'").expect(0);
    assert_eq!(folder.files(), ["0041.xlsx", "march.log"]);
    let cells = folder.cells("0041.xlsx", "North Pier 2031-03");
    assert_eq!(cells[1][..4], ["47908", "0", "2.36", "0.2"].map(String::from));
    let run = folder.run("import march.log --into '{Agent}.xlsx'").expect(2);
    assert!(run.err.contains("there is {stem}, {Gauge}, {Station No}, {Period}"), "{}", run.err);
}

#[test]
fn a_start_inside_values_is_counted_and_the_way_out_is_given() {
    let folder = Folder::new().with("bridge.lst", WEIGHBRIDGE);
    let run = folder.run("inspect bridge.lst --rows 1 --move-start 65:70").expect(1);
    assert!(run.out.contains("28 lines have a character on both sides of start 70"), "{}", run.out);
    assert!(run.out.contains("--move-start 70:69 cuts none of the lines looked at"), "{}", run.out);
    assert!(run.out.contains("2✂  ✂7062"), "{}", run.out);
    let raw = folder.run("inspect bridge.lst --raw --rows 4 --move-start 65:70").expect(1);
    insta::assert_snapshot!(raw.out, @r"
    bridge.lst   2,520 bytes, utf-8, line ends lf

         ....+...10....+...20....+...30....+...40....+...50....+...60....+...70....+...80....+...90...
         ▾       ▾           ▾                     ▾      ▾    ▾              ✂   ▾
      1- Weighbridge·2,·Tolgarth·Quay↵
      2- ↵
      3= Ticket··Lorry·······Carrier···············In·····Out········Tare····Gross······Net↵
      4✂ 007031··LN·203·A····Harbour·Mills·········06:43··07:00·····14290····27062····12772↵

      look  line 4: 28 lines have a character on both sides of start 70, between “Tare” and “Gross”: a
            value may be cut in two; --move-start 70:69 cuts none of the lines looked at
    ");
    let run = folder.run("import bridge.lst --move-start 65:70 --into out.xlsx").expect(1);
    assert!(run.out.contains("on both sides of start 70"), "{}", run.out);
    let run = folder.run("inspect bridge.lst --drop-start 64").expect(2);
    assert_eq!(
        run.err.lines().next(),
        Some("incola: bridge.lst: no column starts at 64; the starts are 1,9,21,43,50,55,65,74")
    );
}

#[test]
fn stated_starts_are_obeyed_in_characters_and_in_bytes() {
    let text = "007Möwe      12\n008Grey Heron3\n";
    let columns = |options: &str| {
        let found = reading("list.txt", text.as_bytes(), options, 0);
        (found["layout"]["decided_by"].clone(), found["columns"][1]["longest"].clone())
    };
    assert_eq!(columns("--starts 1,4,14 --header none"), (json!("given"), json!(10)));
    assert_eq!(columns("--starts 1,4,14 --header none --starts-in characters"), (json!("given"), json!(10)));
    let folder = Folder::new().with("list.txt", text);
    folder
        .run("import list.txt --starts 1,4,9 --starts-in bytes --header none --plain --into out.xlsx")
        .expect(0);
    assert_eq!(folder.cells("out.xlsx", "list")[0][1], "\"Möwe\"");
}

#[test]
fn a_broken_cycle_is_found_and_shifts_nothing() {
    let mut text = String::from_utf8(MANIFEST.to_vec()).unwrap();
    // The second record loses its last line, the fourth gets one too many.
    let lines: Vec<&str> = text.lines().collect();
    let mut changed: Vec<&str> = lines.clone();
    changed.remove(7);
    changed.insert(13, "  an extra line");
    text = changed.join("\r\n") + "\r\n";
    let whole = reading("whole.txt", MANIFEST, "", 0);
    let broken = reading("broken.txt", text.as_bytes(), "", 1);
    assert_eq!((&broken["records"], &broken["columns"][3]["filled"]), (&whole["records"], &json!(18)));
    let notice = &broken["notices"][0];
    assert_eq!(
        (notice["code"].as_str(), notice["line"].as_u64()),
        (Some("broken-cycle"), Some(6)),
        "{notice}"
    );
    assert_eq!(
        notice["message"],
        "1 record lacks lines, the first in line 6; 1 line is one too many and set aside, the first in line 14"
    );
}

#[test]
fn a_record_that_is_cut_off_at_the_end_is_a_broken_one() {
    let lines: Vec<&str> = std::str::from_utf8(MANIFEST).unwrap().lines().collect();
    let text = lines[..lines.len() - 1].join("\r\n");
    let found = reading("cut.txt", text.as_bytes(), "", 1);
    assert_eq!((&found["records"], &found["footer_lines"]), (&json!(18), &json!(0)));
    assert_eq!(found["notices"][0]["message"], "1 record lacks lines, the first in line 54");
}

#[test]
fn records_of_several_lines_can_be_stated() {
    let text = "Saltwind   NL\nfish      12\nGrey Heron DK\noil        3\n";
    let found =
        reading("list.txt", text.as_bytes(), "--lines-per-record 2 --starts 1,12/1,11 --header none", 0);
    assert_eq!((&found["records"], &found["layout"]["line_starts"]), (&json!(2), &json!([[1, 12], [1, 11]])));
    let labels = "Vessel: Saltwind\nBerth: 007\n\nVessel: Heron\nBerth: 012\nNote: waits\n for the tide\n";
    let found = reading("labels.txt", labels.as_bytes(), "", 0);
    let names: Vec<&str> =
        found["columns"].as_array().unwrap().iter().filter_map(|c| c["name"].as_str()).collect();
    assert_eq!((names.as_slice(), &found["records"]), (&["Vessel", "Berth", "Note"][..], &json!(2)));
}

#[test]
fn wrapped_values_are_unwrapped_and_can_be_had_back() {
    let folder = Folder::new().with("w.csv", "Berth,Code\n=\"007\",'0012\n=\"012\",'0013\n");
    let run = folder.run("import w.csv --into out.xlsx").expect(0);
    assert!(run.out.contains("kept exactly  all 4 cells"), "{}", run.out);
    assert!(run.out.contains("2 values were written as =\"…\" to stay text, and unwrapped"), "{}", run.out);
    assert_eq!(folder.cells("out.xlsx", "w")[1], ["\"007\"", "\"0012\""]);
    // Where only some are wrapped, the receipt says which cells lose that.
    let folder = Folder::new().with("w.csv", "Berth,Dues\n=\"007\",1\n012,2\n");
    let run = folder.run("import w.csv --into out.xlsx").expect(1);
    assert!(run.out.contains("it is wrapped to stay text, and others in the column are not"), "{}", run.out);
}

#[test]
fn odd_lines_of_fixed_files_are_counted_and_located() {
    let mut text = String::new();
    for i in 0..40 {
        text += &format!("{i:03}  Saltwind    {:>6}.00\n", i * 7);
    }
    text += "040  Heron       1\t  1.00\n041  Heron           9.00  and more\n042  Heron\n";
    let found = reading("list.txt", text.as_bytes(), "", 0);
    let mut notices: Vec<(String, u64)> = found["notices"]
        .as_array()
        .unwrap()
        .iter()
        .map(|n| (n["code"].as_str().unwrap().to_owned(), n["line"].as_u64().unwrap_or(0)))
        .collect();
    notices.sort();
    let expected = [("long-lines", 42), ("short-lines", 41), ("tabs-in-fixed", 41)];
    assert_eq!(notices, expected.map(|(code, line)| (code.to_owned(), line)));
}

#[test]
fn a_layout_that_changes_half_way_is_located() {
    let mut text = String::from("Call;Berth;Dues\n");
    for i in 0..100 {
        text += &format!("{i};007;{i},50\n");
    }
    for i in 0..80 {
        text += &format!("{i};007;{i},50;extra\n");
    }
    let found = reading("calls.csv", text.as_bytes(), "", 1);
    let notices = found["notices"].as_array().unwrap();
    let change = notices.iter().find(|n| n["code"] == "layout-changes").unwrap();
    assert_eq!(change["line"], 102);
}

#[test]
fn page_headings_and_page_totals_are_no_records() {
    let mut text = String::new();
    for page in 1..=3 {
        let feed = if page > 1 { "\u{c}" } else { "" };
        text += &format!(
            "{feed}BERTH DUES                       PAGE {page}\nTolgarth Quay    Printed 14.03.2031 10:2{page}\n\n"
        );
        text += "Berth  Vessel      Moored            Dues\n-----  ----------  ----------  ----------\n";
        for i in 0..9 {
            text += &format!("{i:03}    Grey Heron  {:02}.03.2031  {:>10}.50\n", i + 10, i * 11);
        }
        text += "                               ----------\nPage total                         396.00\n\n";
    }
    let found = reading("pages.txt", text.as_bytes(), "", 1);
    assert_eq!((&found["header_line"], &found["records"]), (&json!(4), &json!(27)));
    let kinds: Vec<&str> =
        found["columns"].as_array().unwrap().iter().filter_map(|c| c["kind"].as_str()).collect();
    assert_eq!(kinds, ["text", "text", "date", "number"]);
    let aside = found["set_aside"].as_array().unwrap();
    let at = |line: u64| {
        let of = |a: &&Value| {
            (a["line"].as_u64().unwrap()..).take(a["lines"].as_u64().unwrap() as usize).any(|l| l == line)
        };
        aside.iter().find(of).map(|a| a["why"].as_str().unwrap())
    };
    assert_eq!(
        [at(16), at(18), at(21), at(22)],
        [
            Some("total among the records"),
            Some("repeats a line from above the header"),
            Some("repeats the header"),
            Some("rule line")
        ]
    );
}

#[test]
fn records_of_several_lines_have_no_end_of_sixteen_megabytes() {
    let note = "of a length that makes the file large enough ".repeat(60);
    for (n, record) in
        [format!("Vessel: Grey Heron\nBerth: 007\nNote: {note}\n\n"), format!("Grey Heron   007\n  {note}\n")]
            .iter()
            .enumerate()
    {
        let records = (17 << 20) / record.len() + 1;
        let folder = Folder::new().with("calls.txt", record.repeat(records));
        let lines = if n == 0 { "" } else { "--lines-per-record 2 --starts 1,14/3" };
        let run = folder.run(&format!("import calls.txt --into book.xlsx --no-questions --no-link {lines}"));
        assert!(run.status < 2, "{}", run.err);
        assert!(run.out.replace(',', "").contains(&format!("{records} records")), "{}", run.out);
    }
}
