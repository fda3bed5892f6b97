//! A column of a sheet divided in place.

use crate::support::Folder;

const NAMES: &str = concat!(
    "Call,Berth,Master\n",
    "C001,007,\"Quill, Ada\"\n",
    "C002,012,\"Marsh, Jon\"\n",
    "C003,007,\n",
    "C004,031,Tern\n",
    "C005,031,\"Total, 12\"\n",
    "C006,031,\"Heron, 007\"\n",
);

fn folder() -> Folder {
    let folder = Folder::new().with("names.csv", NAMES);
    folder.run("import names.csv --into book.xlsx --no-link").expect(0);
    folder
}

fn rows(folder: &Folder) -> Vec<String> {
    folder.cells("book.xlsx", "names").iter().map(|row| row.join("|").replace('"', "")).collect()
}

#[test]
fn a_column_is_divided_beside_its_rows_and_undone() {
    let folder = folder();
    let before = rows(&folder);
    let run = folder.run("divide book.xlsx ', ' --column master --dry-run").expect(1);
    assert!(run.out.contains("would get 2 new columns of 6 rows in names, D1:E7"), "{}", run.out);
    assert_eq!(rows(&folder), before);
    let run = folder.run("divide book.xlsx ', ' --column Master").expect(1);
    assert!(run.out.contains("Heron, 007  \u{2192}  Heron     007\n"), "{}", run.out);
    assert!(run.out.contains("look  row 5: 1 value has other parts"), "{}", run.out);
    // Empty values, and what looks like a total, stay beside their rows.
    assert_eq!(
        rows(&folder),
        [
            "Call|Berth|Master|Master 1|Master 2",
            "C001|007|Quill, Ada|Quill|Ada",
            "C002|012|Marsh, Jon|Marsh|Jon",
            "C003|007|||",
            "C004|031|Tern|Tern|",
            "C005|031|Total, 12|Total|12",
            "C006|031|Heron, 007|Heron|007",
        ]
    );
    folder.run("undo book.xlsx").expect(0);
    assert_eq!(rows(&folder), before);
    let json = folder.run("divide book.xlsx ', ' --column Master --json --dry-run").expect(1).out;
    let found: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!((&found["cells"], &found["rows"]), (&"D1:E7".into(), &6.into()));
    assert_eq!(
        (&found["columns"][1]["name"], &found["other_parts_in_rows"][0]),
        (&"Master 2".into(), &5.into())
    );
}

#[test]
fn what_stands_there_is_written_over_only_if_that_is_said() {
    let folder = folder();
    folder.run("divide book.xlsx starts:1,2 --column Call --to D").expect(0);
    let before = rows(&folder);
    let run = folder.run("divide book.xlsx ', ' --column C").expect(4);
    assert!(
        run.err.contains("D1 holds \u{201c}Call 1\u{201d}, and 13 more") && run.err.contains("--overwrite"),
        "{}",
        run.err
    );
    assert_eq!(rows(&folder), before);
    folder.run("divide book.xlsx ', ' --column C --overwrite --as *=text").expect(1);
    assert_eq!(rows(&folder)[1], "C001|007|Quill, Ada|Quill|Ada");
    assert_eq!(rows(&folder)[3], "C003|007|||");
    folder.run("divide book.xlsx pattern:^(?<Letter>[A-Z])(?<Number>.*)$ --column Call --to G").expect(0);
    assert_eq!(rows(&folder)[0], "Call|Berth|Master|Call 1|Call 2||Letter|Number");
}

#[test]
fn slips_are_named() {
    let folder = folder();
    for (words, status, why) in [
        ("book.xlsx , --column Mester", 2, "--column Master"),
        ("book.xlsx pattern:( --column Master", 2, "unclosed group"),
        ("book.xlsx starts:2,1 --column Master", 2, "rising order"),
        ("book.xlsx , --column Master --sheet calls", 2, "there are names"),
        ("book.xlsx , --column Z", 2, "no cell near the top"),
        ("book.xlsx , --column Master --names A", 2, "1 are given for 2 columns"),
        ("book.xlsx , --column Master --as Master=money", 2, "--as"),
        ("none.xlsx , --column Master", 3, "none.xlsx"),
    ] {
        let run = folder.run(&format!("divide {words}")).expect(status);
        assert!(run.err.contains(why), "{words}: {}", run.err);
    }
}
