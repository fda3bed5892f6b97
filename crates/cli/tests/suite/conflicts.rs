//! Conflicts of a refresh that are decided one by one, in a table.

use crate::refresh::{CALLS, linked};
use crate::support::Folder;

/// A workbook in which both sides changed three amounts, and the sheet a record that went.
fn at_odds() -> Folder {
    let folder = linked("");
    for (cell, amount) in [("D2", "11"), ("D3", "9"), ("D4", "=1"), ("D5", "2")] {
        folder.type_in(cell, amount);
    }
    let revised = CALLS.replace("12.50", "12.60").replace("3.00", "3.10").replace("8.25", "8.30");
    folder.write_old("calls.csv", revised.replace("A-4,009,20.03.2031,1.75\n", ""));
    folder
}

impl Folder {
    /// Writes what is said into the column `take` of the table of conflicts.
    fn decide(&self, takes: [&str; 4]) {
        let table = std::fs::read_to_string(self.path("c.csv")).unwrap();
        let mut lines: Vec<String> = table.lines().map(str::to_owned).collect();
        for (line, take) in lines[1..].iter_mut().zip(takes) {
            line.push_str(take);
        }
        std::fs::write(self.path("c.csv"), lines.join("\n")).unwrap();
    }
}

#[test]
fn each_conflict_is_decided_in_a_table() {
    let folder = at_odds();
    let before = folder.book();
    let run = folder.refresh("--conflicts-to c.csv").expect(4);
    assert!(run.err.contains("c.csv lists them"), "{}", run.err);
    assert!(run.err.contains("incola refresh book.xlsx calls --conflicts c.csv"), "{}", run.err);
    let table = std::fs::read_to_string(folder.path("c.csv")).unwrap();
    let shown: Vec<String> = table.lines().map(|line| line.split(",m").next().unwrap().to_owned()).collect();
    assert_eq!(
        shown,
        [
            "\u{feff}link,row,record,column,imported,sheet,source",
            "calls,2,Call A-1,Dues,12.50,11.00,12.60",
            "calls,3,Call A-2,Dues,3.00,9.00,3.10",
            "calls,4,Call A-3,Dues,8.25,=1,8.30",
            "calls,5,Call A-4,,,\"changed by hand, and the source has it no more\",(gone)",
        ]
    );
    // It is not written over.
    let run = folder.refresh("--conflicts-to c.csv").expect(4);
    assert!(run.err.contains("the file exists already"), "{}", run.err);
    // Nothing is decided, then three of four: nothing is written.
    folder.refresh("--conflicts c.csv").expect(4);
    folder.decide(["source", "sheet", "SOURCE", ""]);
    let run = folder.refresh("--conflicts c.csv").expect(4);
    assert!(run.out.contains("the sheet wins 1, the source 2; 1 undecided"), "{}", run.out);
    assert!(run.out.contains("Dues: sheet 9.00, source 3.10, imported 3.00; the sheet wins"), "{}", run.out);
    assert!(run.err.contains("1 conflict in calls"), "{}", run.err);
    assert!(folder.book() == before, "nothing was written");
    folder.decide(["", "", "", "source"]);
    let run = folder.refresh("--conflicts c.csv").expect(0);
    assert!(run.out.contains("decided one by one: the sheet wins 1, the source 3"), "{}", run.out);
    assert_eq!(
        folder.rows("calls"),
        ["\"A-1\"|\"007\"|47924|12.6", "\"A-2\"|\"012\"|47925|9", "\"A-3\"|\"003\"|47926|8.3"]
    );
    // It is settled, and the table is of no more use.
    let run = folder.refresh("--conflicts c.csv").expect(0);
    assert!(run.err.contains("4 decisions are about conflicts that there is not"), "{}", run.err);
    assert!(run.out.contains("unchanged"), "{}", run.out);
}

#[test]
fn a_decision_holds_only_for_the_values_it_was_made_of() {
    let folder = at_odds();
    folder.refresh("--conflicts-to c.csv").expect(4);
    folder.decide(["source", "source", "source", "sheet"]);
    // The clerk types once more after having decided.
    folder.type_in("D3", "9.5");
    let run = folder.refresh("--conflicts c.csv").expect(4);
    assert!(run.err.contains("1 conflict in calls"), "{}", run.err);
    assert!(run.err.contains("1 decision is about a conflict"), "{}", run.err);
    assert_eq!(folder.rows("calls")[1], "\"A-2\"|\"012\"|47925|9.5");
}

#[test]
fn tables_of_conflicts_that_are_none_are_refused() {
    let folder = at_odds().with("none.csv", "Call,Dues\nA-1,2\n");
    let before = folder.book();
    for (options, status, why) in [
        ("--conflicts none.csv", 2, "it has no columns \u{201c}mark\u{201d} and \u{201c}take\u{201d}"),
        ("--conflicts missing.csv", 3, "missing.csv: no such file"),
        ("--conflicts book.xlsx", 2, "is a workbook: save it as text"),
        ("--conflicts-to no/c.csv", 3, "no/c.csv"),
        ("--conflicts sheet --conflicts-to c.csv", 2, "cannot be used with"),
    ] {
        let run = folder.refresh(options).expect(status);
        assert!(run.err.contains(why), "{options}: {}", run.err);
        assert!(folder.book() == before, "{options}");
    }
}
