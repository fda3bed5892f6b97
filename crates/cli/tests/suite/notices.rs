//! Each notice about a source is raised by a source that deserves it, and by no clean one.

use crate::support::Folder;
use std::collections::BTreeSet;

/// So many records of a clean file: call, berth, day, dues.
fn clean(records: usize) -> String {
    let record = |n: usize| {
        format!(
            "A-{n:03},{:03},2031-{:02}-{:02},{}.5{}\n",
            n * 7 % 40,
            n % 9 + 1,
            n % 28 + 1,
            100 + n * 13,
            n % 10
        )
    };
    let records: String = (1..=records).map(record).collect();
    format!("Call,Berth,Arrived,Dues\n{records}")
}

/// A fixed file with names above.
fn fixed(record: impl Fn(usize) -> String) -> String {
    let records: String = (1..=40).map(record).collect();
    format!("CALL    BERTH  DUES\n{records}")
}

fn row(n: usize) -> String {
    format!("A-{n:03}   {:03}    {:>4}\n", n * 7 % 40, 100 + n * 13)
}

/// What is written in a code page of eight bits.
fn bytes(text: &str) -> Vec<u8> {
    text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect()
}

/// A printed report of five pages.
fn report() -> String {
    let detail = |page: usize, n: usize| {
        format!("  A-{page}{n:02}   2031-03-{:02}   {:>6}.50\n", n + 1, 100 * page + n * 7)
    };
    let total = |page: usize| (0..8).map(|n| 100 * page + n * 7).sum::<usize>() + 4;
    let page = |page: usize| {
        let details: String = (0..8).map(|n| detail(page, n)).collect();
        let head = format!("\u{c}PILOTAGE REPORT            PAGE {page}\n\nPilot: P-{page:02}\n");
        format!("{head}{details}  Subtotal              {:>6}.00\n\n", total(page))
    };
    (1..6).map(page).collect()
}

fn codes(folder: &Folder, words: &str) -> BTreeSet<String> {
    let run = folder.run(words);
    assert!(run.status <= 1, "{words}: {}", run.err);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    let sheet = &json[0]["sheets"][0]["notices"];
    let notices = sheet.as_array().or_else(|| json[0]["notices"].as_array()).unwrap();
    notices.iter().map(|notice| notice["code"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn each_notice_is_raised_by_what_deserves_it() {
    let text = clean(40);
    let line = |n: usize| text.lines().nth(n).unwrap();
    let changed = |n: usize, by: &str| text.replacen(line(n), by, 1).into_bytes();
    let column = |name: &str, value: &dyn Fn(usize) -> String| {
        let rows: String = (1..=40).map(|n| format!("A-{n:03},{}\n", value(n))).collect();
        format!("Call,{name}\n{rows}").into_bytes()
    };
    let cases: Vec<(&str, Vec<u8>, &str)> = vec![
        ("undecodable-bytes", bytes(&text.replace("A-009", "A-\u{ff}09")), "--encoding utf-8"),
        ("unclosed-quote", changed(30, "A-030,\"007,2031-03-02,5.5"), ""),
        ("stray-quote", changed(30, "A-030,\"00\"7,2031-03-02,5.5"), ""),
        ("short-records", changed(30, "A-030,007"), ""),
        ("long-records", changed(30, "A-030,007,2031-03-02,5.5,late"), ""),
        ("values-cut", fixed(row).into_bytes(), "--starts 1,11,16"),
        ("long-lines", fixed(|n| row(n).replacen('\n', if n == 30 { "xyzuvw\n" } else { "\n" }, 1)).into_bytes(), "--starts 1,9,16"),
        ("short-lines", fixed(|n| if n == 30 { "A-030\n".into() } else { row(n) }).into_bytes(), "--starts 1,9,16"),
        ("tabs-in-fixed", format!("{}040  Heron       1\t  1.00\n", (0..40).map(|n| format!("{n:03}  Saltwind    {:>6}.00\n", n * 7)).collect::<String>()).into_bytes(), ""),
        ("few-records", b"a;b,c\n1;2,3\n".to_vec(), ""),
        ("no-table", b"fn berth(n: u32) -> u32 {\n    let quay = n / 10;\n    if quay > 3 {\n        return quay * 2;\n    }\n    quay\n}\n\n".repeat(8), ""),
        ("mixed-encodings", [bytes("Vessel,Port\nM\u{f6}we,Oslo\n"), "Möwe,Århus\n".repeat(20).into_bytes()].concat(), ""),
        ("values-unwrapped", column("Berth", &|n| format!("\"=\"\"{n:03}\"\"\"")), ""),
        ("encoding-unsure", b"Berth;Size\n007;\x8E\n".to_vec(), ""),
        ("first-rows", fixed(|n| if n % 9 == 1 { row(n) } else { format!("        {}", &row(n)[8..]) }).into_bytes(), ""),
        ("lines-set-aside", fixed(|n| if n == 30 { "look into it again\n".into() } else { row(n) }).into_bytes(), "--starts 1,9,16"),
        ("before-first-start", fixed(row).into_bytes(), "--starts 3,9,16"),
        ("names-mended", text.replace("Berth,Arrived", "Call,").into_bytes(), ""),
        ("date-order-unknown", column("Arrived", &|n| format!("{:02}/{:02}/2031", n % 12 + 1, n % 11 + 1)), ""),
        ("decimal-char-unknown", column("Dues", &|n| format!("\"{},{:03}\"", n % 9 + 1, n * 7)), ""),
        ("misfits", changed(30, "A-030,007,2031-03-02,none"), ""),
        ("count-differs", format!("{text}41 rows\n").into_bytes(), ""),
        ("total-differs", format!("{text}Total,,,99.5\n").into_bytes(), ""),
        ("rows-left-out", text.clone().into_bytes(), "--where 'Dues > 200'"),
        ("no-rows", text.clone().into_bytes(), "--where 'Dues > 2000'"),
        ("rolled-up", text.clone().into_bytes(), "--by Berth"),
        ("not-computed", text.clone().into_bytes(), "--compute 'Share=Dues / 7'"),
        ("no-records", b"Call,Berth,Arrived,Dues\n".to_vec(), ""),
        ("formula-like", changed(30, "=A1+1,007,2031-03-02,5.5"), ""),
        ("marks-by-locale", column("Dues", &|n| format!("\"{n},5{}\"", n % 10)), ""),
        ("mixed-symbols", column("Dues", &|n| format!("{}{n}.50", if n % 2 == 0 { "€" } else { "$" })), ""),
        ("layout-changes", [text.clone(), "A-050;007;2031-03-02;5.5\n".repeat(4000)].concat().into_bytes(), ""),
        ("docket-columns", text.clone().into_bytes(), "--docket other.docket.toml"),
        ("docket-kind", text.clone().into_bytes(), "--docket kind.docket.toml"),
        ("docket-changes", text.clone().into_bytes(), "--docket kind.docket.toml"),
        ("columns-touch", include_bytes!("../../demo/dues-extract.fix").to_vec(), ""),
        ("more-set-aside", (0..3000).map(|n| format!("# note {n}\nA-{n},{}\n", n % 9)).collect::<String>().into_bytes(), "--comment '#'"),
        ("record-types", (0..60).map(|n| if n * 7 % 5 == 0 { format!("R;remark {n}\n") } else { format!("D;A-{n:03};{:03};{}.50\n", n * 7 % 40, n * 13) }).collect::<String>().into_bytes(), ""),
        ("report", report().replacen(".00\n\n", ".01\n\n", 1).into_bytes(), ""),
        ("totals-unproved", include_str!("../../demo/pilotage.rpt").replace("17,192.69", "17,000.00").into_bytes(), ""),
    ];
    let folder = Folder::new()
        .with("other.docket.toml", "docket = 1\n[[column]]\nname = \"Call\"\nas = \"text\"\n")
        .with("kind.docket.toml", "docket = 1\n[[column]]\nname = \"Call\"\nas = \"number\"\n");
    let mut wrong = Vec::new();
    for (code, content, options) in &cases {
        let own = Folder::new();
        for docket in ["other.docket.toml", "kind.docket.toml"] {
            std::fs::copy(folder.path(docket), own.path(docket)).unwrap();
        }
        std::fs::write(own.path("f.txt"), content).unwrap();
        let found = codes(&own, &format!("inspect f.txt --json {options}"));
        if !found.contains(*code) {
            wrong.push(format!("{code}: {found:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// A change of a part of a workbook: its name, what is looked for, and what is there instead.
type Change = (&'static str, &'static str, &'static str);

#[test]
fn each_notice_about_a_sheet_is_raised_by_one_that_deserves_it() {
    const SHEET: &str = "xl/worksheets/sheet1.xml";
    let protection = "</sheetData><sheetProtection sheet=\"1\"/>";
    let sum = "<c r=\"H2\"><f>SUM(D2:D9)</f><v>0</v></c></row><row r=\"3\"";
    let cases: [(&str, &str, &[Change], &str); 7] = [
        ("values-among-formulas", "A-900,031,2031-05-01,1.5", &[], "append"),
        (
            "sheet-protected",
            "A-900,031,2031-05-01,1.5",
            &[(SHEET, "</sheetData>", protection)],
            "append --even-protected",
        ),
        (
            "rows-shown",
            "A-900,031,2031-05-01,1.5",
            &[(SHEET, "<row r=\"3\"", "<row r=\"3\" hidden=\"1\"")],
            "replace",
        ),
        ("comments-stay", "A-900,031,2031-05-01,1.5", &[], "replace"),
        ("ranges-end", "A-900,031,2031-05-01,1.5", &[(SHEET, "</row><row r=\"3\"", sum)], "append"),
        ("narrow-columns", "A-900000000000000000000000000,031,2031-05-01,1.5", &[], "append"),
        ("sheet-kinds", "A-900,31,2031-05-01,1.5", &[], "append"),
    ];
    let mut wrong = Vec::new();
    for (code, record, changes, mode) in cases {
        let more = format!("Call,Berth,Arrived,Dues\n{record}\n");
        let folder = Folder::new().with("f.csv", clean(8)).with("more.csv", more);
        folder.run("import f.csv --into book.xlsx --plain --no-link").expect(0);
        for (part, from, to) in changes {
            folder.change_part("book.xlsx", part, |text| {
                assert!(text.contains(from), "{code}: {text}");
                text.replacen(from, to, 1)
            });
        }
        if code == "values-among-formulas" {
            folder.change_part("book.xlsx", SHEET, |text| {
                let (head, cells) = text.split_once("<c r=\"D2\"").unwrap();
                let cells: Vec<String> =
                    cells.split("<c r=\"D").map(|cell| cell.replacen("<v>", "<f>7*13.5</f><v>", 1)).collect();
                format!("{head}<c r=\"D2\"{}", cells.join("<c r=\"D"))
            });
        }
        if code == "comments-stay" {
            let ties = "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"rId1\" \
                        Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/comments\" \
                        Target=\"../comments1.xml\"/></Relationships>";
            folder.add_part("book.xlsx", "xl/worksheets/_rels/sheet1.xml.rels", ties);
            let comment =
                "<comments><commentList><comment ref=\"B3\" authorId=\"0\"/></commentList></comments>";
            folder.add_part("book.xlsx", "xl/comments1.xml", comment);
        }
        let found =
            codes(&folder, &format!("import more.csv --into book.xlsx --sheet f --json --mode {mode}"));
        if !found.contains(code) {
            wrong.push(format!("{code}: {found:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn clean_sources_raise_no_notice() {
    for (name, text) in [
        ("a.csv", clean(40)),
        ("b.csv", clean(40).replace(',', ";")),
        ("c.tsv", clean(40).replace(',', "\t")),
        ("d.txt", fixed(row)),
        ("e.csv", clean(40).replace("A-0", "Möwe A-0")),
        ("f.csv", clean(40).replace('\n', "\r\n")),
        ("g.csv", format!("{}Total,,,{}\n", clean(3), "379.56")),
    ] {
        let folder = Folder::new().with(name, text);
        assert_eq!(codes(&folder, &format!("inspect {name} --json")), BTreeSet::new(), "{name}");
    }
}
