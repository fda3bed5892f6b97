//! Readings written down, found again for the next file, and corrected.

use crate::support::{Folder, part};
use proptest::prelude::*;
use std::fmt::Write as _;

const DUES: &str =
    "Voyage;Berth;Arrived;Dues;Agent\n017;003;17.03.2031;1.234,50;Quill\n018;012;18.03.2031;96,00;Brandt\n";

/// A folder with a source and its docket.
fn with_docket() -> Folder {
    let folder = Folder::new().with("dues-03.txt", DUES).with("dues-04.txt", DUES.replace("17.03", "01.04"));
    folder.run("docket draft dues-03.txt -o dues.docket.toml").expect(0);
    folder
}

fn docket(folder: &Folder) -> String {
    std::fs::read_to_string(folder.path("dues.docket.toml")).unwrap()
}

fn rewrite(folder: &Folder, from: &str, to: &str) {
    let text = docket(folder);
    assert!(text.contains(from), "{from} is not in {text}");
    std::fs::write(folder.path("dues.docket.toml"), text.replacen(from, to, 1)).unwrap();
}

#[test]
fn a_draft_says_how_a_source_is_read_and_why() {
    let folder = Folder::new().with("dues-03.txt", DUES);
    let run = folder.run("docket draft dues-03.txt").expect(0);
    insta::assert_snapshot!(run.out, @r#"
    # How files like dues-03.txt are read. Lines may be changed or left out; what is left out is detected.
    docket = 1

    [match]
    # Files that this is for: * means any characters, ? means one.
    files = ["dues-*.txt"]

    [read]
    # encoding = "utf-8"  (only ASCII characters; found again in each file)
    layout = "delimited"
    delimiter = ";"                   # all 3 records looked at have 5 fields
    runs_as_one = false
    quote = '"'
    # header = "auto"  (line 1 holds the names here; looked for in each file)

    [place]
    # sheet = "{stem}"   mode = "append"   at = "A2"   source_column = "File"   number_column = "No"

    # Columns in the order that the sheet has them in. as = "skip" leaves one out; called = "…" is the sheet's name for it;
    # description = "…" is shown when its heading is selected.

    [[column]]
    name = "Voyage"
    as = "text"                       # 2 values begin with 0, the first in line 2

    [[column]]
    name = "Berth"
    as = "text"                       # 2 values begin with 0, the first in line 2

    [[column]]
    name = "Arrived"
    as = "date"                       # all 2 values are dates; day first, as 2 values prove (line 2)
    format = "dd.MM.yyyy"

    [[column]]
    name = "Dues"
    as = "number"                     # all 2 values are numbers; decimal character “,” (line 2)
    format = "1.234,50"

    [[column]]
    name = "Agent"
    as = "text"                       # no value holds a digit
    "#);
    folder.run("docket draft dues-03.txt -o dues.toml").expect(2);
    folder.run("docket draft dues-03.txt -o dues.docket.toml").expect(0);
    let run = folder.run("docket draft dues-03.txt -o dues.docket.toml").expect(4);
    assert!(run.err.contains("--overwrite"), "{}", run.err);
    folder.run("docket draft dues-03.txt -o dues.docket.toml --overwrite").expect(0);
    let run = folder.run("docket list").expect(0);
    assert!(run.out.contains("dues    dues-*.txt  5        never      dues.docket.toml"), "{}", run.out);
}

#[test]
fn a_corrected_docket_is_obeyed_for_the_next_file() {
    let folder = with_docket();
    rewrite(
        &folder,
        "name = \"Voyage\"\nas = \"text\" ",
        "name = \"Voyage\"\ncalled = \"Trip\"\ndescription = \"As the carrier counts\"\nas = \"number\" ",
    );
    rewrite(&folder, "name = \"Agent\"\nas = \"text\" ", "name = \"Agent\"\nas = \"skip\" ");
    // The order of the columns is the docket's.
    let text = docket(&folder);
    let berth = "[[column]]\nname = \"Berth\"\nas = \"text\"                       # 2 values begin with 0, the first in line 2\n";
    std::fs::write(folder.path("dues.docket.toml"), text.replace(berth, "") + "\n" + berth).unwrap();
    let run = folder.run("import dues-04.txt --into book.xlsx").expect(0);
    assert!(run.out.contains("docket        dues.docket.toml"), "{}", run.out);
    let said = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("\u{201c}Voyage\u{201d} is number 1234 instead of text"), "{said}");
    assert!(said.contains("\u{201c}Voyage\u{201d} is called \u{201c}Trip\u{201d}"), "{said}");
    let rows: Vec<String> = folder.cells("book.xlsx", "dues-04").iter().map(|r| r.join("|")).collect();
    assert_eq!(
        rows,
        ["\"Trip\"|\"Arrived\"|\"Dues\"|\"Berth\"", "17|47939|1234.5|\"003\"", "18|47925|96|\"012\""]
    );
    let sheet = folder.part("book.xlsx", "xl/worksheets/sheet1.xml");
    assert!(sheet.contains("promptTitle=\"Trip\" prompt=\"As the carrier counts\" sqref=\"A1\""), "{sheet}");
    // What is typed wins over the docket, and the docket over what is found.
    let run = folder.run("inspect dues-04.txt --as Berth=number --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(json[0]["docket"], "dues.docket.toml");
    assert_eq!(json[0]["layout"]["decided_by"], "docket");
    assert_eq!(json[0]["encoding"]["decided_by"], "detected");
    let by: Vec<_> =
        (0..3).map(|n| json[0]["columns"][n]["decided_by"].as_str().unwrap().to_owned()).collect();
    assert_eq!(by, ["docket", "given", "docket"]);
    let run = folder.run("inspect dues-04.txt --no-docket --json").expect(0);
    let json: serde_json::Value = serde_json::from_str(&run.out).unwrap();
    assert_eq!(
        (&json[0]["docket"], &json[0]["columns"][0]["kind"]),
        (&serde_json::Value::Null, &"text".into())
    );
    let run = folder.run("docket list").expect(0);
    assert!(!run.out.contains("never"), "{}", run.out);
}

#[test]
fn dockets_say_where_rows_go() {
    let folder = with_docket();
    rewrite(
        &folder,
        "[place]",
        "[place]\nsheet = \"Dues\"\nsource_column = \"File\"\nnumber_column = \"No\"\nextra_columns = \"add\"",
    );
    folder.run("import dues-03.txt --into book.xlsx").expect(0);
    rewrite(&folder, "extra_columns = \"add\"", "extra_columns = \"add\"\nmode = \"append\"");
    folder.run("import dues-04.txt --into book.xlsx").expect(0);
    let rows: Vec<String> = folder.cells("book.xlsx", "Dues").iter().map(|r| r[..3].join("|")).collect();
    assert_eq!(
        rows,
        [
            "\"No\"|\"File\"|\"Voyage\"",
            "1|\"dues-03.txt\"|\"017\"",
            "2|\"dues-03.txt\"|\"018\"",
            "1|\"dues-04.txt\"|\"017\"",
            "2|\"dues-04.txt\"|\"018\""
        ]
    );
    // All of them together are counted through.
    folder.run("import dues-03.txt dues-04.txt --together --into all.xlsx --mode fresh").expect(0);
    let rows: Vec<String> = folder.cells("all.xlsx", "Dues").iter().map(|r| r[..2].join("|")).collect();
    assert_eq!(rows[4], "4|\"dues-04.txt\"");
}

#[test]
fn dockets_say_what_blank_means_and_how_names_are_spelled() {
    let text = "VOYAGE;BERTH;DUES\n017;-;12,50\n018;none;none\n019;003;\n";
    let folder = Folder::new().with("dues-03.txt", text).with(
        "dues.docket.toml",
        "docket = 1\n[match]\nfiles = [\"dues-*\"]\n[read]\nblank = [\"-\"]\n[place]\nname_case = \"first\"\n\
         [[column]]\nname = \"VOYAGE\"\nas = \"text\"\n[[column]]\nname = \"BERTH\"\n\
         [[column]]\nname = \"DUES\"\nas = \"number\"\nblank = [\"none\"]\nzero_if_blank = true\n",
    );
    let run = folder.run("import dues-03.txt --into book.xlsx").expect(0);
    assert!(run.out.contains("\u{201c}Dues\u{201d}: 2 blank values written as 0"), "{}", run.out);
    let rows: Vec<String> = folder.cells("book.xlsx", "dues-03").iter().map(|r| r.join("|")).collect();
    assert_eq!(
        rows,
        ["\"Voyage\"|\"Berth\"|\"Dues\"", "\"017\"||12.5", "\"018\"|\"none\"|0", "\"019\"|\"003\"|0"]
    );
}

#[test]
fn blank_rows_are_kept_if_the_docket_says_so() {
    let docket = |keep: &str| {
        format!(
            "docket = 1\n[match]\nfiles = [\"dues-*\"]\n[read]\nblank_rows = \"{keep}\"\n[[column]]\nname = \"Dues\"\nunit = \"crowns\"\n"
        )
    };
    let folder = Folder::new().with("dues-03.txt", "Berth;Dues\n003;12,50\n\n012;1,00\n");
    for (keep, expected) in [
        ("drop", &["\"Dues\"|\"Berth\"", "12.5|\"003\"", "1|\"012\""][..]),
        ("keep", &["\"Dues\"|\"Berth\"", "12.5|\"003\"", "|", "1|\"012\""][..]),
    ] {
        std::fs::write(folder.path("dues.docket.toml"), docket(keep)).unwrap();
        let book = format!("{keep}.xlsx");
        let run = folder.run(&format!("import dues-03.txt --into {book}")).expect(0);
        assert_eq!(run.out.contains("line 3: empty line"), keep == "drop", "{}", run.out);
        let rows: Vec<String> = folder.cells(&book, "dues-03").iter().map(|r| r.join("|")).collect();
        assert_eq!(rows, expected);
    }
    assert!(folder.part("keep.xlsx", "xl/worksheets/sheet1.xml").contains("prompt=\"In crowns.\""));
}

#[test]
fn a_docket_that_does_not_fit_stops_the_import() {
    let folder = with_docket().with("dues-05.txt", DUES.replace("Berth", "Quay")).with(
        "dues-06.txt",
        "Voyage;Berth;Arrived;Dues;Agent;Remarks\n017;003;17.03.2031;n/a;;late\n018;012;18.03.2031;none;;\n",
    );
    let files = folder.files();
    let run = folder.run("import dues-05.txt --into book.xlsx").expect(4);
    insta::assert_snapshot!(run.err, @r"
    incola: dues-05.txt: it does not have the columns that dues.docket.toml describes
      missing: Berth
      not described: Quay
      nothing was written
      → correct the docket, or draft it again: incola docket draft dues-05.txt --no-docket
      → or read the file without it: --no-docket
    ");
    assert_eq!(folder.files(), files);
    folder.run("import dues-05.txt --into book.xlsx --no-docket").expect(0);
    // New columns, blank ones and kinds that fit no more are told.
    let run = folder.run("import dues-06.txt --into book.xlsx").expect(1);
    let said = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    for expected in [
        "\u{201c}Remarks\u{201d} not described in dues.docket.toml: added after the others",
        "\u{201c}Agent\u{201d} is described in dues.docket.toml, and empty in all records",
        "\u{201c}Dues\u{201d} is number in dues.docket.toml, which 2 of its 2 values do not fit",
    ] {
        assert!(said.contains(expected), "{said}");
    }
    // Two that are for the same file.
    std::fs::copy(folder.path("dues.docket.toml"), folder.path("other.docket.toml")).unwrap();
    let run = folder.run("import dues-03.txt --into book.xlsx").expect(4);
    assert!(
        run.err.contains("several dockets are for it") && run.err.contains("other.docket.toml"),
        "{}",
        run.err
    );
    folder.run("import dues-03.txt --into book.xlsx --docket other").expect(0);
    let run = folder.run("import dues-03.txt --into book.xlsx --docket wharf").expect(2);
    assert!(run.err.contains("there are: dues, other"), "{}", run.err);
}

#[test]
fn mistakes_in_a_docket_are_told_with_file_and_line() {
    let folder = with_docket();
    let good = docket(&folder);
    let big = format!("docket = 1\n{}", "# wide\n".repeat(200_000));
    for (text, expected) in [
        (
            good.replace("delimiter =", "delimeter ="),
            "dues.docket.toml:11:1: there is no key \u{201c}delimeter\u{201d} here",
        ),
        (good.replace("docket = 1", "docket = 9"), "dues.docket.toml:2: it is of version 9"),
        (
            good.replace("as = \"date\"", "as = \"day\""),
            "column \u{201c}Arrived\u{201d}: \u{201c}day\u{201d} is not a kind",
        ),
        (
            good.replace("layout = \"delimited\"", "layout = \"delimited\"\nstarts = \"1,9\""),
            "a delimited layout has no starts",
        ),
        (good.replace("format = \"dd.MM.yyyy\"", "format = \"dd.QQ\""), "Arrived"),
        (good.replace("[read]", "[read]\nencoding = \"runes\""), "dues.docket.toml: encoding = runes"),
        (big, "bytes; one has at most 1048576"),
    ] {
        std::fs::write(folder.path("dues.docket.toml"), text).unwrap();
        let run = folder.run("import dues-03.txt --into book.xlsx").expect(2);
        assert!(run.err.contains(expected), "{expected}: {}", run.err);
    }
    std::fs::write(folder.path("dues.docket.toml"), b"docket = 1\n# \xE4\n").unwrap();
    let run = folder.run("import dues-03.txt --into book.xlsx").expect(2);
    assert!(run.err.contains("dues.docket.toml:2: it is not UTF-8"), "{}", run.err);
    assert!(!folder.path("book.xlsx").exists());
    // One that is for other files, and one that is for none, are left aside.
    std::fs::write(folder.path("dues.docket.toml"), good.replace("dues-*.txt", "fees-*.txt")).unwrap();
    let run = folder.run("import dues-03.txt --into book.xlsx").expect(0);
    assert!(!run.out.contains("docket"), "{}", run.out);
}

/// Values of a column of some sort.
fn column() -> impl Strategy<Value = Vec<String>> {
    let of = |pattern: &'static str| proptest::collection::vec(pattern, 6);
    prop_oneof![
        of("[A-Z][a-z]{1,6}"),
        of("0[0-9]{2}"),
        of("[1-9][0-9]{0,3}"),
        of("-?[1-9][0-9]{0,2},[0-9]{2}"),
        of("[1-9]\\.[0-9]{3},[0-9]{2}"),
        of("(0[1-9]|1[0-9]|2[0-8])\\.(0[1-9]|1[0-2])\\.20[23][0-9]"),
        of("20[23][0-9]-(0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])"),
        of("([01][0-9]):[0-5][0-9]"),
        of("[0-9]{18}"),
        of("(yes|no|n/a)?"),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, max_shrink_iters: 30, ..ProptestConfig::default() })]
    #[test]
    fn a_drafted_docket_changes_nothing(
        columns in proptest::collection::vec(column(), 2..6),
        delimiter in prop_oneof![Just(';'), Just('\t'), Just('|')],
        has_header in any::<bool>(),
    ) {
        let mut text = String::new();
        if has_header {
            let names: Vec<String> = (1..=columns.len()).map(|n| format!("Field {}", (b'A' + n as u8) as char)).collect();
            text = names.join(&delimiter.to_string()) + "\n";
        }
        for row in 0..6 {
            let values: Vec<&str> = columns.iter().map(|c| c[row].as_str()).collect();
            let _ = writeln!(text, "{}", values.join(&delimiter.to_string()));
        }
        let folder = Folder::new().with("calls-01.txt", &text);
        let plain = folder.run("import calls-01.txt --into plain.xlsx");
        prop_assume!(plain.status <= 1);
        folder.run("docket draft calls-01.txt -o calls.docket.toml").expect(0);
        let again = folder.run("import calls-01.txt --into again.xlsx");
        // What the docket says leaves no doubt.
        prop_assert!(again.status <= plain.status, "{}", again.err);
        for name in ["xl/worksheets/sheet1.xml", "xl/styles.xml"] {
            prop_assert_eq!(part(&folder.path("plain.xlsx"), name), part(&folder.path("again.xlsx"), name));
        }
    }
}
