//! Somebody else saves the workbook, at any moment of a run: what they saved is never lost.

use super::{Ground, Plan, calls};
use incola_workbook::ExistingBook;
use std::io::Cursor;

/// How somebody saves a workbook: most programs put another file in its place, some write into the one that is there.
#[derive(Clone, Copy, Debug)]
enum Saves {
    Anew,
    Inside,
}

/// Runs a command while, before one call after another, somebody saves a workbook that has another sheet.
fn save_everywhere(ground: &Ground, command: &str, saves: Saves) {
    let start = ground.files();
    ground.expect("import @theirs.csv --into @book.xlsx --sheet theirs --no-link");
    let theirs = ground.get("book.xlsx").unwrap();
    ground.set_back(&start);
    let count = ground.run(command).calls.len();
    assert!(count > 20, "{command}");
    let (mut refused, mut done) = (0, 0);
    // Every fifth call, beginning with another one each time: all of them lie close together.
    for at in (saves as usize..count).step_by(5) {
        done += 1;
        ground.set_back(&start);
        let (book, beside, bytes) = (ground.at("book.xlsx"), ground.at("saved.tmp"), theirs.clone());
        let happening = Box::new(move |_| match saves {
            Saves::Anew => std::fs::write(&beside, &bytes).and_then(|()| std::fs::rename(&beside, &book)),
            Saves::Inside => std::fs::write(&book, &bytes),
        });
        let outcome = ground.run_with(command, Some(Plan { at, happening }));
        let what = format!("{command}: {saves:?} before call {at}\n{}", outcome.heard);
        assert!(outcome.status.is_some(), "panicked: {what}");
        let now = ground.get("book.xlsx").unwrap();
        let names = ExistingBook::open(Box::new(Cursor::new(now.clone()))).unwrap().sheet_names();
        assert!(names.contains(&"theirs".to_owned()), "{names:?} {what}");
        if !matches!(outcome.status, Some(0 | 1)) {
            assert!(now == theirs, "refused, and not as they saved it: {what}");
            refused += 1;
        }
    }
    // Before it was opened, and after it was done, nothing is wrong with it.
    assert!(refused > 2 && refused < done, "{command}: {refused} of {done}");
}

#[test]
fn what_somebody_saves_meanwhile_is_never_lost() {
    let ground = Ground::new();
    ground.put("march.csv", calls(117, 12));
    ground.put("april.csv", calls(165, 8));
    ground.put("theirs.csv", calls(300, 3));
    ground.expect("import @march.csv --into @book.xlsx --key Call");
    let start = ground.files();
    for saves in [Saves::Anew, Saves::Inside] {
        ground.set_back(&start);
        save_everywhere(
            &ground,
            "import @april.csv --into @book.xlsx --sheet march --mode append --again",
            saves,
        );
        ground.set_back(&start);
        ground.put("march.csv", calls(118, 14));
        save_everywhere(&ground, "refresh @book.xlsx", saves);
        ground.set_back(&start);
        save_everywhere(&ground, "link cut @book.xlsx march", saves);
    }
}

/// Runs an import while, before one call after another, its source grows: it is read whole as it was, or as it is, or not at all.
fn grow_everywhere(command: &str, first: usize) {
    let ground = Ground::new();
    ground.put("march.csv", calls(117, 12));
    ground.expect("import @march.csv --into @book.xlsx --sheet Old --no-link --plain");
    let start = ground.files();
    let count = ground.run(command).calls.len();
    let mut refused = 0;
    // Some of the calls, beginning with another one each time.
    for at in (first..count).step_by(4) {
        ground.set_back(&start);
        let source = ground.at("march.csv");
        let happening = Box::new(move |_| {
            let mut file = std::fs::OpenOptions::new().append(true).open(&source)?;
            std::io::Write::write_all(&mut file, b"A-900,007,1.00\n")
        });
        let outcome = ground.run_with(command, Some(Plan { at, happening }));
        let what = format!("{command}: grown before call {at}\n{}", outcome.heard);
        let same = start.iter().any(|(path, bytes)| {
            path.ends_with("book.xlsx") && Some(bytes) == ground.get("book.xlsx").as_ref()
        });
        match outcome.status {
            Some(0 | 1) => assert!(!same, "{what}"),
            Some(4) => {
                assert!(same && outcome.heard.contains("changed while it was read"), "{what}");
                refused += 1;
            }
            _ => panic!("{what}"),
        }
    }
    assert!(refused > 0, "{command}: never refused");
}

#[test]
fn a_source_that_grows_is_read_whole_or_not_at_all() {
    grow_everywhere("import @march.csv --into @book.xlsx --sheet March --no-link", 0);
    grow_everywhere("import @march.csv --into @book.xlsx --sheet Old --mode append --again", 1);
    grow_everywhere("import @march.csv @march.csv --together --into @book.xlsx --sheet Both --no-link", 2);
}
