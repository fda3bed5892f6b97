use crate::support::Folder;

const DUES: &str = "Hafengebühren\nReederei: Möwe\n\nReise-Nr;Liegeplatz;Anlauf;Gebühr\n04711;003;17.03.2031;1.234,50\n\
                    04712;017;18.03.2031;12,00\nSumme;;;1.246,50\n";

fn latin(text: &str) -> Vec<u8> {
    text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect()
}

#[test]
fn a_reading_is_a_page_with_preview_reasons_and_the_command_to_type() {
    let run = Folder::new().with("dues.txt", latin(DUES)).run("inspect dues.txt").expect(0);
    insta::assert_snapshot!(run.out, @r"
    dues.txt   2 records, 4 columns, 138 bytes

      1 text    2 text          3 date  4 number
      Reise-Nr  Liegeplatz      Anlauf    Gebühr
      04711     003         17.03.2031  1.234,50
      04712     017         18.03.2031     12,00

      encoding   windows-1252, line ends lf  not UTF-8 (3 places, the first in line 1); reads
                                             “Hafengebühren”
                                             not cp850: would read “Hafengeb³hren”
      layout     delimited by semicolon      all 4 records looked at have 4 fields
                                             not comma: it divides 3 of 6 records into 2 fields, the
                                             others differently
      header     line 4                      4 of 4 fields are unlike the values below them
      value      Reederei: Möwe              line 2; {Reederei} means it in --sheet and --into
      set aside  lines 1-3                   before the header
      set aside  line 7                      total line

      1  Reise-Nr    text             2 values begin with 0, the first in line 5
      2  Liegeplatz  text             2 values begin with 0, the first in line 5
      3  Anlauf      date dd.MM.yyyy  all 2 values are dates; day first, as 2 values prove (line 5)
      4  Gebühr      number 1.234,50  all 2 values are numbers; decimal character “,” (line 5); the
                                      total line agrees with their sum

      note  “Gebühr”: the sheet shows numbers with the decimal character of the viewer's country; the
            file has “,”

    To import it like this:
      incola import dues.txt --into dues.xlsx
    ");
}

#[test]
fn json_has_the_keys_that_programs_rely_on() {
    let run = Folder::new().with("dues.txt", latin(DUES)).run("inspect --json dues.txt").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    let reading = &json[0];
    for (pointer, value) in [
        ("/source", "\"dues.txt\""),
        ("/encoding/name", "\"windows-1252\""),
        ("/encoding/bom", "false"),
        ("/encoding/decided_by", "\"detected\""),
        ("/line_end", "\"lf\""),
        ("/layout/kind", "\"delimited\""),
        ("/layout/delimiter", "\";\""),
        ("/layout/quote", "\"\\\"\""),
        ("/layout/starts", "null"),
        ("/preamble_lines", "3"),
        ("/header_line", "4"),
        ("/header_lines", "1"),
        ("/units_line", "null"),
        ("/footer_lines", "1"),
        ("/records", "2"),
        ("/columns/0/name", "\"Reise-Nr\""),
        ("/columns/0/kind", "\"text\""),
        ("/columns/2/format", "\"dd.MM.yyyy\""),
        ("/columns/3/decimal_char", "\",\""),
        ("/columns/3/group_char", "\".\""),
        ("/columns/3/filled", "2"),
        ("/columns/3/longest", "8"),
        ("/set_aside/1/line", "7"),
        ("/set_aside/1/why", "\"total line\""),
    ] {
        assert_eq!(reading.pointer(pointer).map(ToString::to_string).as_deref(), Some(value), "{pointer}");
    }
}

#[test]
fn raw_lines_show_tabs_blanks_and_line_ends_under_a_ruler() {
    let run = Folder::new()
        .with("log.tsv", "Berth\tNote\r\n007\ta b\u{7}\r\n")
        .run("inspect --raw log.tsv")
        .expect(0);
    insta::assert_snapshot!(run.out, @"
    log.tsv   22 bytes, utf-8, line ends crlf

         ....+...10....+...20....+...30....+...40....+...50....+...60....+...70....+...80....+...90...
      1= Berth⇥Note⇤↵
      2  007⇥a·b‹07›⇤↵
    ");
}

#[test]
fn columns_that_do_not_fit_follow_in_a_second_block() {
    let names: Vec<String> = (1..=14).map(|n| format!("Quantity {n}")).collect();
    let values: Vec<String> = (1..=14).map(|n| format!("{n}.5")).collect();
    let text = format!("{}\n{}\n{}\n", names.join(","), values.join(","), values.join(","));
    let run = Folder::new().with("wide.csv", text).run("inspect wide.csv").expect(0);
    assert_eq!(run.out.lines().filter(|l| l.contains("1.5") || l.contains("14.5")).count(), 4);
    assert!(run.out.lines().all(|l| l.chars().count() <= 100), "{}", run.out);
}

#[test]
fn what_cannot_be_told_is_said_with_the_words_to_type() {
    let run = Folder::new()
        .with("calls.csv", "Berth,Arrived\n007,03/04/2031\n012,05/06/2031\n")
        .run("inspect --json calls.csv")
        .expect(1);
    assert!(
        run.out.contains("--as 'Arrived=date:dd/MM/yyyy' or --as 'Arrived=date:MM/dd/yyyy'"),
        "{}",
        run.out
    );
    let run = Folder::new()
        .with("calls.csv", "Berth,Gross\n007,\"1,234\"\n012,\"5,678\"\n")
        .run("inspect --json calls.csv")
        .expect(1);
    assert!(run.out.contains("--decimal-char"), "{}", run.out);
}

#[test]
fn stated_choices_win_and_are_marked() {
    let folder = Folder::new().with("calls.csv", "Berth,Gross\n007,12\n012,13\n");
    let run = folder.run("inspect --json --as Berth=number --as Gross=text calls.csv").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["columns"][0]["kind"], "number");
    assert_eq!(json[0]["columns"][0]["decided_by"], "given");
    assert_eq!(json[0]["columns"][1]["kind"], "text");
    let page = folder.run("inspect --as '*=text' calls.csv").expect(0).out;
    assert!(page.contains("1 text!") && page.contains("incola import calls.csv --as '*=text'"), "{page}");
}

#[test]
fn several_sources_are_read_each_for_itself() {
    let run = Folder::new()
        .with("a.csv", "Berth,Dues\n007,12.5\n")
        .with("b.csv", "Berth;Dues\n007;12,5\n")
        .run("inspect --json a.csv missing.csv b.csv")
        .expect(3);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json.as_array().unwrap().len(), 2);
    assert!(run.err.contains("missing.csv: no such file"), "{}", run.err);
}

#[test]
fn standard_input_and_gzip_are_sources() {
    use std::io::Write;
    let text = b"Berth,Dues\n007,12.5\n012,3.0\n";
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    gzip.write_all(text).unwrap();
    let folder = Folder::new().with("calls.csv.gz", gzip.finish().unwrap());
    for run in [folder.run("inspect --json calls.csv.gz"), folder.run_with("inspect --json -", text)] {
        let json: serde_json::Value = serde_json::from_str(&run.expect(0).out).unwrap();
        assert_eq!((json[0]["records"].as_u64(), json[0]["bytes"].as_u64()), (Some(2), Some(28)));
    }
}

#[test]
fn a_byte_above_ascii_far_from_the_start_still_decides_the_encoding() {
    let mut text = b"Berth;Vessel;Dues\n".to_vec();
    for i in 0..20_000 {
        text.extend_from_slice(format!("{:03};Saltwind;{}.5\n", i % 40, i).as_bytes());
    }
    let middle = text.len() / 3;
    let at = middle + memchr::memchr(b'\n', &text[middle..]).unwrap() + 1;
    let line: Vec<u8> = b"007;M\xF6we;1.5\n".to_vec();
    text.splice(at..at, line);
    let run = Folder::new().with("calls.csv", text).run("inspect --json calls.csv").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["encoding"]["name"], "windows-1252");
    assert_eq!(json[0]["records"], 20_001);
}

#[test]
fn colours_are_for_terminals_only() {
    let run = Folder::new().with("a.csv", "Berth,Dues\n007,12.5\n").run("inspect a.csv").expect(0);
    assert!(!run.out.contains('\u{1b}'));
}

#[test]
fn a_workbook_shows_its_sheets_tables_and_names() {
    let folder = Folder::new().with("ledger.xlsx", include_bytes!("../../demo/ledger.xlsx"));
    let run = folder.run("inspect ledger.xlsx").expect(0);
    insta::assert_snapshot!(run.out, @r"
    ledger.xlsx   2 sheets, 1 table, 0 names, 7,140 bytes

      sheet  used range  cells  formulas
      Calls  A1:G5          25         5
      Chart  empty           0         0

      table   where        rows          columns
      ledger  Calls A1:E5  3 and totals  Call no, Berth, Arrived, Dues, Harbour tax
    ");
    let run = folder.run("inspect ledger.xlsx --sheet calls --rows 2").expect(0);
    insta::assert_snapshot!(run.out, @r"
    ledger.xlsx   sheet Calls

         A        B      C                    D       E            F  G
      1  Call no  Berth  Arrived              Dues    Harbour tax     Checked by
      2  000114   007    2031-02-24T06:15:00  812.50    ‹formula›     W. Quill
    ");
    let run = folder.run("inspect ledger.xlsx --sheet calls --rows 2 --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["cells"][8]["cell"], "C2");
    assert_eq!(json[0]["cells"][8]["kind"], "number");
    assert_eq!(json[0]["cells"][8]["shown"], "2031-02-24T06:15:00");
    let run = folder.run("inspect ledger.xlsx --sheet April").expect(2);
    assert!(run.err.contains("its sheets: Calls, Chart"), "{}", run.err);
}

#[test]
fn lines_anywhere_are_shown_as_they_are() {
    let mut text = "Call,Dues\n".to_owned();
    for n in 2..=30_000 {
        text += &format!("A-{n},{n}\n");
    }
    text += "the\tlast";
    let folder = Folder::new()
        .with("calls.csv", text)
        .with("old.txt", [b"Gr\xf6\xdfe;Schiff\n".repeat(3), b"x;M\xf6we".to_vec()].concat());
    let run = folder.run("inspect calls.csv --raw --lines 29999..30001");
    assert!(
        run.out.contains("29999") && run.out.contains("A-29999,29999") && run.out.contains("the\u{21e5}last"),
        "{}",
        run.out
    );
    assert!(!run.out.contains("A-29998"), "{}", run.out);
    let run = folder.run("inspect old.txt --raw --lines 3..9 --encoding windows-1252");
    assert!(run.out.contains("Gr\u{f6}\u{df}e;Schiff") && run.out.contains("x;M\u{f6}we"), "{}", run.out);
    let run = folder.run("inspect calls.csv --raw --lines 40000..").expect(2);
    assert!(run.err.contains("has only"), "{}", run.err);
}
