//! Linked tables written as text again.

use crate::support::Folder;

const SHEET: &str = "xl/worksheets/sheet1.xml";

/// The demo's files, and what is worth a look in texts, byte for byte.
fn sources() -> Vec<(&'static str, Vec<u8>)> {
    let latin = |text: &str| text.chars().map(|c| c as u8).collect::<Vec<u8>>();
    let utf16 = |text: &str| {
        [&[0xFF, 0xFE][..], &text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<_>>()].concat()
    };
    let rows = |line: &dyn Fn(usize) -> String| (1..30).map(line).collect::<String>();
    vec![
        ("demo", include_bytes!("../../demo/port-calls.csv").to_vec()),
        ("comments and a preamble", include_bytes!("../../demo/moorings.csv").to_vec()),
        ("a code page, semicolons", include_bytes!("../../demo/agents-852.txt").to_vec()),
        ("a footer, decimal commas", include_bytes!("../../demo/harbour-dues.txt").to_vec()),
        ("tabs", include_bytes!("../../demo/radio-log.tsv").to_vec()),
        ("implied decimals", include_bytes!("../../demo/dues-extract.fix").to_vec()),
        ("fixed places, units", include_bytes!("../../demo/tide-gauge.log").to_vec()),
        ("always quoted", rows(&|n| format!("\"{n:03}\",\"{}.50\",\"\"\r\n", n * 3)).into_bytes()),
        (
            "text quoted",
            format!("Berth,Vessel,Dues\n{}", rows(&|n| format!("{n:03},\"Grey \"\"{n}\"\"\",{n}.5\n")))
                .into_bytes(),
        ),
        ("no last line end", rows(&|n| format!("{n:03};Saltwind;{n},50\n")).trim_end().as_bytes().to_vec()),
        ("empty lines behind", (rows(&|n| format!("{n:03};Saltwind;{n},50\n")) + "\n\n").into_bytes()),
        ("latin letters", latin(&rows(&|n| format!("{n:03};F\u{e4}hre {n};{n},50\n")))),
        ("two bytes a character", utf16(&rows(&|n| format!("{n:03}\tF\u{e4}hre {n}\t{n},50\r\n")))),
        (
            "a byte order mark",
            ("\u{feff}Call,Day\n".to_owned() + &rows(&|n| format!("C{n},2031-03-{:02}\n", n % 28 + 1)))
                .into_bytes(),
        ),
        (
            "empty ends left out",
            rows(&|n| {
                if n % 3 == 0 { format!("{n:03};Saltwind\n") } else { format!("{n:03};Saltwind;{n},50\n") }
            })
            .into_bytes(),
        ),
        ("blanks around values", rows(&|n| format!("{n:03} | Saltwind | {n:>6}.50 |\n")).into_bytes()),
        (
            "lines among the records",
            rows(&|n| {
                if n % 7 == 0 {
                    format!("# watch {n}\n\n{n:03},{n}.50\n")
                } else {
                    format!("{n:03},{n}.50\n")
                }
            })
            .into_bytes(),
        ),
        (
            "many spellings of a number",
            rows(&|n| format!("{n:03};{}\n", ["1.234,50", "-7,5", "0", "12"][n % 4])).into_bytes(),
        ),
        (
            "dates with names",
            rows(&|n| format!("{n:03},{} Mar 2031,{}\n", n % 28 + 1, if n % 2 == 0 { "yes" } else { "no" }))
                .into_bytes(),
        ),
        ("exponents", rows(&|n| format!("{n:03};{}.3271E-{}\n", n % 9 + 1, n + 10)).into_bytes()),
        (
            "line feeds inside values",
            format!("Call,Remark\r\n{}", rows(&|n| format!("{n:03},\"first\nsecond\"\r\n"))).into_bytes(),
        ),
        ("quotes inside values", rows(&|n| format!("{n:03};Saltwind \"{n}\" a\n")).into_bytes()),
        ("currencies", rows(&|n| format!("{n:03};EUR {n}{n},50;{n} EUR\n")).into_bytes()),
        (
            "misfits with blanks",
            rows(&|n| if n == 9 { "009; -; x\n".into() } else { format!("{n:03}; {n}.5; y\n") }).into_bytes(),
        ),
        ("lines at fixed places", include_bytes!("../../demo/manifest.txt").to_vec()),
        ("labels without a line between", include_bytes!("../../demo/pilot-orders.txt").to_vec()),
        (
            "labels, some without a value, values that go on below",
            rows(&|n| {
                let remark =
                    if n % 4 == 0 { "Remark : late\r\n         see gate\r\n" } else { "Remark : \r\n" };
                format!("Order  : P{n:04}\r\nVessel : Saltwind {n}\r\n{remark}Dues   : {n}.50\r\n====\r\n")
            })
            .into_bytes(),
        ),
        (
            "labels that some records lack",
            rows(&|n| {
                let flag = if n % 3 == 0 { "" } else { "Flag: red\n" };
                format!("Order: P{n:04}\n{flag}Berth: {:03}\nDay: 2031-03-{:02}\n\n", n * 3, n % 28 + 1)
            })
            .into_bytes(),
        ),
        (
            "lines with delimiters",
            rows(&|n| format!("C{n:03};2031-03-{:02}\n{n}.50;open;{}\n", n % 28 + 1, n * 7)).into_bytes(),
        ),
        ("one column", rows(&|n| format!("V{n:04}\n")).into_bytes()),
    ]
}

#[test]
fn a_source_comes_back_byte_for_byte() {
    for (name, source) in sources() {
        let folder = Folder::new().with("in.txt", &source);
        let run = folder.run("import in.txt --into book.xlsx --no-questions");
        assert!(run.status < 2, "{name}: {}", run.err);
        let run = folder.run("export book.xlsx --check").expect(0);
        assert!(run.out.contains("source     the same, byte for byte"), "{name}: {}", run.out);
        folder.run("export book.xlsx -o out.txt").expect(0);
        let out = std::fs::read(folder.path("out.txt")).unwrap();
        assert_eq!(String::from_utf8_lossy(&out), String::from_utf8_lossy(&source), "{name}");
        assert_eq!(out, source, "{name}");
    }
}

/// A workbook with one linked table.
fn linked() -> Folder {
    let text = "Call;Berth;Dues;Day\nC1;007;1.234,50;01.03.2031\nC2;012;3,00;02.03.2031\nC3;031;8,25;03.03.2031\nC4;007;9,75;04.03.2031\n";
    let folder = Folder::new().with("in.txt", text);
    folder.run("import in.txt --into book.xlsx").expect(0);
    folder
}

/// What is exported after a part of the sheet was changed.
fn exported(folder: &Folder, from: &str, to: &str, options: &str) -> (i32, String, String) {
    folder.change_part("book.xlsx", SHEET, |sheet| {
        assert!(sheet.contains(from), "{from} is not in {sheet}");
        sheet.replacen(from, to, 1)
    });
    let run = folder.run(&format!("export book.xlsx -o - {options}"));
    (run.status, run.out, run.err)
}

#[test]
fn what_was_changed_by_hand_is_spelled_as_the_column_is() {
    for (from, to, line) in [
        // A number retyped, with the format and without; one with more decimals; a text; a row emptied.
        ("<v>3</v>", "<v>150.5</v>", "C2;012;150,50;02.03.2031\n"),
        ("<v>1234.5</v>", "<v>4321.5</v>", "C1;007;4.321,50;01.03.2031\n"),
        ("<v>8.25</v>", "<v>8.125</v>", "C3;031;8,125;03.03.2031\n"),
        ("<v>9.75</v>", "<v>-9.75</v>", "C4;007;-9,75;04.03.2031\n"),
        ("<t>012</t>", "<t>012;5</t>", "C2;\"012;5\";3,00;02.03.2031\n"),
        ("<t>C4</t>", "<t>C4 \"new\"</t>", "\"C4 \"\"new\"\"\";007;9,75;04.03.2031\n"),
        ("<v>47909</v>", "<v>47920</v>", "C2;012;3,00;13.03.2031\n"),
    ] {
        let (status, out, err) = exported(&linked(), from, to, "");
        assert_eq!(status, 0, "{to}: {err}");
        assert!(out.contains(line), "{to}: {out}");
        assert!(out.starts_with("Call;Berth;Dues;Day\n") && out.lines().count() == 5, "{out}");
    }
}

#[test]
fn what_cannot_be_written_is_listed_and_stops() {
    for (from, to, said, stand_in) in [
        ("<v>3</v>", "<f>1+2</f><v>3</v>", "C3 \u{201c}Dues\u{201d}: a formula", "C2;012;3,00"),
        ("<v>8.25</v>", "<f>1/0</f><v>0</v>", "C4 \u{201c}Dues\u{201d}: a formula", "C3;031;"),
    ] {
        let (status, out, err) = exported(&linked(), from, to, "");
        assert_eq!((status, out.as_str()), (4, ""), "{to}");
        assert!(err.contains(said) && err.contains("--even-lossy"), "{err}");
        let (status, out, _) = exported(&linked(), from, to, "--even-lossy");
        assert_eq!(status, 1);
        assert!(out.contains(stand_in), "{out}");
    }
    // What the encoding lacks, and what is too long for its field.
    let latin: Vec<u8> = (1..20)
        .flat_map(|n| format!("{n:03};F\u{e4}hre\n").chars().map(|c| c as u8).collect::<Vec<_>>())
        .collect();
    let fixed: String = (1..20).map(|n| format!("{n:03} Saltwind {n:>5}\n")).collect();
    for (source, from, to, said) in [
        (
            latin,
            "<t>F\u{e4}hre</t>",
            "<t>F\u{e4}hre \u{2192}</t>",
            "the encoding lacks \u{201c}\u{2192}\u{201d} (U+2192)",
        ),
        (
            fixed.into_bytes(),
            "<t>Saltwind</t>",
            "<t>Saltwind of the North</t>",
            "21 characters, and its field has room for 9",
        ),
    ] {
        let folder = Folder::new().with("in.txt", source);
        let starts = if said.contains("room") { " --starts 1,5,14" } else { "" };
        folder.run(&format!("import in.txt --into book.xlsx --no-questions{starts}"));
        let (status, _, err) = exported(&folder, from, to, "");
        assert_eq!(status, 4, "{err}");
        assert!(err.contains(said), "{err}");
    }
}

#[test]
fn a_line_of_a_record_that_is_emptied_would_end_it() {
    let records: String =
        (1..20).map(|n| format!("C{n:03} 2031-03-{:02}\nSaltwind {n}\nopen\n", n % 28 + 1)).collect();
    let folder = Folder::new().with("in.txt", records);
    folder.run("import in.txt --into book.xlsx --lines-per-record 3 --starts 1,6/1/1 --no-questions");
    let run = folder.run("export book.xlsx --check").expect(0);
    assert!(run.out.contains("source     the same, byte for byte"), "{}", run.out);
    folder.change_part("book.xlsx", SHEET, |xml| xml.replacen("<t>Saltwind 2</t>", "<t></t>", 1));
    let run = folder.run("export book.xlsx -o out.txt").expect(4);
    assert!(run.err.contains("C3") && run.err.contains("would end the record"), "{}", run.err);
}

#[test]
fn slips_are_told_and_nothing_is_written() {
    let folder = linked().with("plain.csv", "Call,Berth\nC1,007\nC2,012\n");
    folder.run("import plain.csv --into plain.xlsx --no-link").expect(0);
    folder.run("import plain.csv --into book.xlsx").expect(0);
    folder.write_old("there.txt", "kept");
    for (words, status, said) in [
        ("export plain.xlsx --check", 2, "the table has no link, so there is no source to compare with"),
        (
            "export book.xlsx --sheet in --encoding cp850 -o out.txt",
            2,
            "--encoding: a linked table is written as its source was",
        ),
        (
            "export book.xlsx --to delimited -o out.txt",
            2,
            "there are several tables: sheet in, table in; sheet plain, table plain",
        ),
        ("export plain.xlsx --delimiter none -o out.txt", 2, "it would not divide fields"),
        (
            "export plain.xlsx --to fixed --delimiter , -o out.txt",
            2,
            "nothing stands between fields at fixed places",
        ),
        ("export plain.xlsx --encoding runes -o out.txt", 2, "there is no such encoding"),
        ("export book.xlsx -o out.txt", 2, "it has several linked tables"),
        ("export book.xlsx nowhere -o out.txt", 2, "it has no link nowhere"),
        ("export book.xlsx --sheet nowhere -o out.txt", 2, "book.xlsx has no such sheet"),
        ("export book.xlsx --sheet in", 2, "export needs a file to write: -o FILE"),
        ("export book.xlsx --sheet in -o there.txt", 4, "the file is there already"),
        ("export book.xlsx --sheet in -o book.xlsx --overwrite", 2, "book.xlsx: this is the workbook"),
        ("export book.xlsx --sheet in -o no/such/folder.txt", 3, "no/such/folder.txt"),
        ("export nowhere.xlsx -o out.txt", 3, "nowhere.xlsx"),
    ] {
        let run = folder.run(words).expect(status);
        assert!(run.err.contains(said), "{words}: {}", run.err);
    }
    assert_eq!(std::fs::read(folder.path("there.txt")).unwrap(), b"kept");
    folder.run("inspect book.xlsx --sheet in").expect(0);
    assert!(!folder.path("out.txt").exists());
    folder.run("export book.xlsx --sheet in -o there.txt --overwrite").expect(0);
    assert!(std::fs::read(folder.path("there.txt")).unwrap().starts_with(b"Call;Berth"));
    // A column that is not in the sheet.
    let folder = linked();
    folder.run("import in.txt --into two.xlsx --as Berth=skip").expect(0);
    let run = folder.run("export two.xlsx -o out.txt").expect(4);
    assert!(
        run.err.contains("columns of the source that are not in the sheet, their fields are empty: Berth"),
        "{}",
        run.err
    );
    // The source changed: the check says where.
    folder.write_old("in.txt", "Call;Berth;Dues;Day\nC1;007;1.234,50;01.03.2031\nC2;013;3,00;02.03.2031\n");
    let run = folder.run("export book.xlsx --check").expect(1);
    assert!(run.out.contains("source     differs, first in line 3 (byte 53)"), "{}", run.out);
    let words = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        words.contains("the source has C2;013;3,00;02.03.2031 export writes C2;012;3,00;02.03.2031"),
        "{words}"
    );
    let json = folder.run("export book.xlsx --check --json").expect(1);
    let json: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!((json["records"].as_u64(), json["source"]["line"].as_u64()), (Some(4), Some(3)));
}

#[test]
fn totals_below_the_records_are_computed_again() {
    let text: String = (1..20).map(|n| format!("C{n};{n},50\n")).collect();
    let folder = Folder::new().with("in.txt", format!("Call;Dues\n{text}Total;199,50\n"));
    folder.run("import in.txt --into book.xlsx --no-questions");
    let run = folder.run("export book.xlsx --check").expect(0);
    assert!(run.out.contains("total      the one below the records is written as it was"), "{}", run.out);
    let (status, out, _) = exported(&folder, "<v>1.5</v>", "<v>1001.5</v>", "");
    assert_eq!((status, out.lines().last()), (0, Some("Total;1199,50")));
    let run = folder.run("export book.xlsx -o out.txt").expect(0);
    let said = "total      Dues below the records, computed again: 199,50 \u{2192} 1199,50";
    assert!(run.out.contains(said), "{}", run.out);
    let json = folder.run("export book.xlsx -o out.txt --overwrite --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!(json["totals_computed_again"][0]["to"], "1199,50");
    // What a formula came to counts; where it came to nothing, the total stays.
    let formula = "<f>1+1</f><v>2.25</v>";
    let (_, out, _) = exported(&folder, "<v>2.5</v>", formula, "--even-lossy");
    assert!(out.contains("C2;2,25\n") && out.ends_with("Total;1199,25\n"), "{out}");
    let (_, out, _) = exported(&folder, formula, "<f>1/0</f>", "--even-lossy");
    assert!(out.ends_with("Total;199,50\n"), "{out}");
    // A total that was wrong before stays as it is: nobody knows what it is of.
    let folder = Folder::new().with("in.txt", format!("Call;Dues\n{text}Total;199,40\n"));
    folder.run("import in.txt --into book.xlsx --no-questions");
    let (_, out, _) = exported(&folder, "<v>1.5</v>", "<v>1001.5</v>", "");
    assert_eq!(out.lines().last(), Some("Total;199,40"));
}

#[test]
fn a_sheet_is_written_in_a_form_of_its_own() {
    let text = "Call,Berth,Dues,Day,Cargo\nC1,007,1234.50,2031-03-01,\"fish, chilled\"\nC2,012,3.00,2031-03-02,\"\"\"x\"\"\"\nC33,031,-8.25,2031-03-03,\n";
    let folder = Folder::new().with("in.csv", text);
    folder.run("import in.csv --into book.xlsx --no-link --totals").expect(0);
    for (options, expected) in [
        (
            "",
            "Call,Berth,Dues,Day,Cargo\nC1,007,1234.5,2031-03-01,\"fish, chilled\"\nC2,012,3,2031-03-02,\"\"\"x\"\"\"\nC33,031,-8.25,2031-03-03,\n",
        ),
        (
            "--delimiter semicolon --decimal-char , --header none --line-end crlf",
            "C1;007;1234,5;2031-03-01;fish, chilled\r\nC2;012;3;2031-03-02;\"\"\"x\"\"\"\r\nC33;031;-8,25;2031-03-03;\r\n",
        ),
        (
            "--wrapped --delimiter tab --header none",
            "C1\t\"=\"\"007\"\"\"\t1234.5\t2031-03-01\tfish, chilled\nC2\t\"=\"\"012\"\"\"\t3\t2031-03-02\t\"\"\"x\"\"\"\nC33\t\"=\"\"031\"\"\"\t-8.25\t2031-03-03\t\n",
        ),
        (
            "--to fixed",
            "Call Berth   Dues Day        Cargo\nC1   007   1234.5 2031-03-01 fish, chilled\nC2   012        3 2031-03-02 \"x\"\nC33  031    -8.25 2031-03-03\n",
        ),
    ] {
        let run = folder.run(&format!("export book.xlsx {options} -o -")).expect(0);
        assert_eq!(run.out, expected, "{options}");
    }
    // Packed where the name says so; what an encoding lacks stops as ever.
    folder.run("export book.xlsx -o out.csv.gz").expect(0);
    let packed = std::fs::File::open(folder.path("out.csv.gz")).unwrap();
    let mut text = String::new();
    std::io::Read::read_to_string(&mut flate2::read::GzDecoder::new(packed), &mut text).unwrap();
    assert!(text.starts_with("Call,Berth") && text.ends_with("2031-03-03,\n"), "{text}");
    folder.change_part("book.xlsx", SHEET, |xml| xml.replace("<t>C1</t>", "<t>C\u{2192}</t>"));
    let run = folder.run("export book.xlsx --encoding windows-1252 -o out.csv").expect(4);
    assert!(run.err.contains("A2 \u{201c}Call\u{201d}: the encoding lacks"), "{}", run.err);
    // A linked table that has no way back has this one, and the import says so.
    let folder = Folder::new().with("calls.txt", "Call  Berth\nC1  007\nC2   012\nC3    031\n");
    let run =
        folder.run("import calls.txt --into book.xlsx --delimiter space --runs-as-one yes --no-questions");
    assert!(run.out.contains("way back      export cannot write this text as it was"), "{}", run.out);
    let run = folder.run("export book.xlsx -o out.csv").expect(4);
    assert!(run.err.contains("--to delimited"), "{}", run.err);
    let run = folder.run("export book.xlsx --to delimited -o -").expect(0);
    assert_eq!(run.out, "Call,Berth\nC1,007\nC2,012\nC3,031\n");
}

#[test]
fn rows_that_were_added_and_a_refresh_are_written_too() {
    let folder = Folder::new().with("in.txt", "# list\nCall,Dues\n# first\nC1,1.50\nC2,2.50\n");
    folder.run("import in.txt --into book.xlsx");
    folder.run("export book.xlsx -o out.txt").expect(0);
    assert_eq!(
        std::fs::read_to_string(folder.path("out.txt")).unwrap(),
        "# list\nCall,Dues\n# first\nC1,1.50\nC2,2.50\n"
    );
    folder.write_old("in.txt", "# list 2\nCall,Dues\n# first\nC1,1.50\nC2,2.75\nC3,9.50\n");
    folder.run("refresh book.xlsx --all").expect(0);
    let run = folder.run("export book.xlsx --check").expect(0);
    assert!(run.out.contains("the same, byte for byte"), "{}", run.out);
}
