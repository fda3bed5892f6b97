//! What is remembered between runs: the last imports, what is kept of workbooks, and links that are read otherwise.

use crate::refresh::{CALLS, linked};
use crate::support::Folder;

#[test]
fn the_last_imports_are_listed_with_the_command_for_the_next_file() {
    let folder = Folder::new().with("calls.csv", CALLS).with("april.csv", CALLS.replace("A-", "B-"));
    assert_eq!(folder.run("recent").expect(0).out, "no imports are remembered\n");
    folder.run("import calls.csv --into book.xlsx --as Berth=text").expect(0);
    folder.run("import april.csv --into book.xlsx --sheet calls --mode append").expect(0);
    // What was not done is not listed.
    folder.run("import april.csv --into other.xlsx --dry-run").expect(0);
    folder.run("import missing.csv --into book.xlsx").expect(3);
    let run = folder.run("recent").expect(0);
    let lines: Vec<&str> = run.out.lines().collect();
    assert_eq!(lines.len(), 4, "{}", run.out);
    assert!(lines[0].ends_with("april.csv \u{2192} book.xlsx, 4 rows"), "{}", run.out);
    assert_eq!(lines[1], "  incola import NEXT-FILE --into book.xlsx --sheet calls --mode append");
    assert!(lines[2].ends_with("calls.csv \u{2192} book.xlsx, 4 rows"), "{}", run.out);
    assert_eq!(lines[3], "  incola import NEXT-FILE --as Berth=text --into NEXT-BOOK.xlsx");
    // The command does the same for the next file.
    let command = lines[3].trim().trim_start_matches("incola ").replace("NEXT-FILE", "april.csv");
    folder.run(&command).expect(0);
    assert_eq!(folder.run("recent --count 1").expect(0).out.lines().count(), 2);
    assert_eq!(folder.run("recent --all").expect(0).out.lines().count(), 6);
    let json: serde_json::Value = serde_json::from_str(&folder.run("recent --json").expect(0).out).unwrap();
    assert_eq!(json[0]["rows"], 4);
    // From elsewhere it begins with the folder.
    let command = folder.command("recent --count 1").current_dir("/").output().unwrap();
    let out = String::from_utf8(command.stdout).unwrap();
    assert!(out.contains("cd ") && out.contains(" && incola import NEXT-FILE"), "{out}");
}

#[test]
fn what_is_kept_of_workbooks_is_listed_and_removed() {
    let folder = linked("");
    assert_eq!(folder.run("state other.xlsx").expect(2).out, "");
    folder.run("import calls.csv --into book.xlsx --sheet more").expect(0);
    folder.run("import calls.csv --into gone.xlsx").expect(0);
    std::fs::remove_file(folder.path("gone.xlsx")).unwrap();
    let run = folder.run("state").expect(0);
    assert!(run.out.contains("2 workbooks"), "{}", run.out);
    assert!(
        run.out.contains("book.xlsx ") && run.out.contains("gone.xlsx (not there any more)"),
        "{}",
        run.out
    );
    let json: serde_json::Value = serde_json::from_str(&folder.run("state --json").expect(0).out).unwrap();
    let book = json["books"].as_array().unwrap().iter().find(|b| b["exists"] == true).unwrap();
    assert_eq!((&book["versions"], &book["links"]), (&1.into(), &2.into()));
    // One of them alone, then all.
    let before = folder.book();
    let run = folder.run("state --clear book.xlsx").expect(0);
    assert!(run.out.contains("of 1 workbook; the workbooks are as they were"), "{}", run.out);
    assert!(folder.book() == before);
    folder.run("undo book.xlsx").expect(3);
    folder.run("state --clear").expect(0);
    assert_eq!(folder.run("recent").expect(0).out, "no imports are remembered\n");
    // The links are as they were, and still the user's own.
    folder.write_old("calls.csv", CALLS.replace("1.75", "1.80"));
    folder.refresh("").expect(0);
    assert_eq!(folder.rows("calls")[3], "\"A-4\"|\"009\"|47927|1.8");
}

#[test]
fn the_settings_file_says_what_holds_for_all_imports() {
    let folder = Folder::new().with("calls.csv", CALLS);
    let settings = folder.state("incola/settings.toml");
    std::fs::create_dir_all(settings.parent().unwrap()).unwrap();
    std::fs::write(&settings, "[defaults]\nlink = false\n").unwrap();
    let is_linked = |options: &str| {
        let run = folder.run(&format!("import calls.csv --into book.xlsx {options}")).expect(0);
        std::fs::remove_file(folder.path("book.xlsx")).unwrap();
        run.out.contains("  linked")
    };
    assert!(!is_linked("") && is_linked("--link") && !is_linked("--no-link"));
    std::fs::write(folder.path("own.docket.toml"), "docket = 1\n[place]\nlink = true\n").unwrap();
    assert!(is_linked("--docket own.docket.toml") && !is_linked("--docket own.docket.toml --no-link"));
    for (text, said) in [
        ("[defaults]\nlink = 7\n", "settings.toml:2: invalid type"),
        ("\n[defaults]\n\nlinks = true\n", "settings.toml:4: unknown field"),
        ("[default]\n", "settings.toml:1: unknown field"),
    ] {
        std::fs::write(&settings, text).unwrap();
        let run = folder.run("import calls.csv --into book.xlsx").expect(2);
        assert!(run.err.contains(said), "{}", run.err);
        assert!(!folder.path("book.xlsx").exists());
    }
}

#[test]
fn a_link_is_read_as_another_docket_says() {
    let folder = linked("").with(
        "own.docket.toml",
        "docket = 1\n[read]\nblank = [\"-\"]\n[[column]]\nname = \"Berth\"\nas = \"text\"\n",
    );
    folder.write_old("calls.csv", CALLS.replace("3.00", "-"));
    let run = folder.run("link docket book.xlsx calls own.docket.toml").expect(0);
    assert!(run.out.contains("calls   is read as own.docket.toml says now: 4 records"), "{}", run.out);
    assert!(run.out.contains("incola refresh book.xlsx calls --dry-run"), "{}", run.out);
    assert_eq!(folder.rows("calls")[1], "\"A-2\"|\"012\"|47925|3", "nothing was brought in yet");
    let run = folder.refresh("").expect(0);
    assert!(run.out.contains("Dues: 3.00 \u{2192} (empty)"), "{}", run.out);
    assert_eq!(folder.rows("calls")[1], "\"A-2\"|\"012\"|47925|");
    for (words, status, why) in [
        ("link docket book.xlsx other own.docket.toml", 2, "it has no link other"),
        ("link docket book.xlsx calls missing.docket.toml", 3, "no such file"),
        ("link docket book.xlsx calls calls.csv", 2, "calls.csv:1"),
    ] {
        let before = folder.book();
        let run = folder.run(words).expect(status);
        assert!(run.err.contains(why), "{words}: {}", run.err);
        assert!(folder.book() == before, "{words}");
    }
}
