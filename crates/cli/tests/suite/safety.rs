//! What keeps workbooks safe: locks, versions that can be had back whatever happened in between, and nothing that others may read.

use crate::support::Folder;
use std::fs::{self, File};
use std::path::PathBuf;

const CALLS: &str = "Call,Berth,Dues\nA-1,007,12.50\nA-2,012,3.00\n";

/// A folder with a workbook into which a second sheet was imported, and the workbook before that.
fn changed() -> (Folder, Vec<u8>) {
    let folder = Folder::new().with("calls.csv", CALLS).with("more.csv", CALLS);
    folder.run("import calls.csv --into book.xlsx").expect(0);
    let before = book(&folder);
    folder.run("import more.csv --into book.xlsx").expect(0);
    (folder, before)
}

fn book(folder: &Folder) -> Vec<u8> {
    fs::read(folder.path("book.xlsx")).unwrap()
}

/// The files in which versions are kept, in their order.
fn versions(folder: &Folder) -> Vec<PathBuf> {
    let books = fs::read_dir(folder.state("incola/versions")).unwrap();
    let files = books.flat_map(|book| fs::read_dir(book.unwrap().path()).unwrap());
    let mut paths: Vec<PathBuf> = files.map(|file| file.unwrap().path()).collect();
    paths.sort();
    paths
}

#[test]
fn any_version_can_be_had_back_and_that_be_undone() {
    let folder = Folder::new();
    let mut states = Vec::new();
    for n in 0..4 {
        fs::write(folder.path("calls.csv"), format!("Call,Dues\nA-{n},1\n")).unwrap();
        folder.run(&format!("import calls.csv --into book.xlsx --sheet S{n}")).expect(0);
        states.push(fs::read(folder.path("book.xlsx")).unwrap());
    }
    let now = || fs::read(folder.path("book.xlsx")).unwrap();
    let listed = || folder.run("undo book.xlsx --list").expect(0).out;
    assert!(listed().contains("3 versions are kept"), "{}", listed());
    folder.run("undo book.xlsx --to 3").expect(0);
    assert!(now() == states[0] && listed().contains("4 versions are kept"));
    // What was undone is the newest version.
    folder.run("undo book.xlsx --to 1").expect(0);
    assert!(now() == states[3]);
    folder.run("undo book.xlsx").expect(0);
    assert!(now() == states[0]);
    for number in ["0", "9"] {
        let run = folder.run(&format!("undo book.xlsx --to {number}")).expect(2);
        assert!(run.err.contains("there is no version") && now() == states[0], "{}", run.err);
    }
    assert!(folder.run("undo none.xlsx --list").out.contains("0 versions are kept"));
}

#[test]
fn a_file_is_not_appended_twice_unnoticed() {
    let folder = Folder::new()
        .with("march.csv", "Call,Dues\nA-1,12.5\n")
        .with("april.csv", "Call,Dues\nB-1,3.25\nB-2,4\n")
        .with("copy.csv", "Call,Dues\nB-1,3.25\nB-2,4\n");
    folder.run("import march.csv --into calls.xlsx --sheet Calls").expect(0);
    let old = std::fs::read(folder.path("calls.xlsx")).unwrap();
    let append =
        |file: &str| folder.run(&format!("import {file} --into calls.xlsx --sheet Calls --mode append"));
    append("april.csv").expect(0);
    let before = std::fs::read(folder.path("calls.xlsx")).unwrap();
    // The bytes count, not the name.
    for file in ["april.csv", "copy.csv"] {
        let run = append(file).expect(4);
        assert!(
            run.err.contains("appended to \u{201c}march\u{201d} before") && run.err.contains("--again"),
            "{}",
            run.err
        );
        assert_eq!(std::fs::read(folder.path("calls.xlsx")).unwrap(), before);
    }
    assert!(folder.run("link list calls.xlsx").expect(0).out.contains("appended: april.csv"));
    append("april.csv --dry-run --again").expect(0);
    append("copy.csv --again").expect(0);
    assert_eq!(folder.cells("calls.xlsx", "Calls").len(), 6);
    // What is undone may be appended again.
    folder.run("undo calls.xlsx").expect(0);
    folder.run("undo calls.xlsx").expect(0);
    append("april.csv").expect(0);
    // So may what is no longer there, though nobody told us.
    std::fs::write(folder.path("calls.xlsx"), &old).unwrap();
    append("april.csv").expect(0);
    // And what was appended to rows that were replaced.
    folder.run("import march.csv --into calls.xlsx --sheet Calls --mode replace").expect(0);
    append("april.csv").expect(0);
    assert_eq!(folder.cells("calls.xlsx", "Calls").len(), 4);
}

#[test]
fn a_run_that_was_killed_does_not_spoil_undo() {
    // Killed after the workbook was replaced, and before it could say so.
    let (folder, before) = changed();
    let version = versions(&folder).pop().unwrap();
    fs::rename(&version, version.with_extension("pending")).unwrap();
    folder.run("undo book.xlsx").expect(0);
    assert!(book(&folder) == before, "the version before is back");
    // Killed before the workbook was replaced: what was kept for that is no version.
    let (folder, before) = changed();
    let version = versions(&folder).pop().unwrap();
    let name = version.file_name().unwrap().to_string_lossy().into_owned();
    let (_, own) = name.rsplit_once('-').unwrap();
    let pending = format!("000009-00000000000000aa-{}", own.replace("xlsx", "pending"));
    fs::write(version.with_file_name(&pending), "half of a workbook").unwrap();
    fs::write(version.with_file_name("000010-aa-bb.part"), "a piece").unwrap();
    folder.run("undo book.xlsx").expect(0);
    assert!(book(&folder) == before, "the version before is back");
    // Killed after an undo put the version back, and before it was taken from the list.
    let (folder, before) = changed();
    let version = versions(&folder).pop().unwrap();
    let kept = fs::read(&version).unwrap();
    folder.run("undo book.xlsx").expect(0);
    fs::write(&version, kept).unwrap();
    folder.run("undo book.xlsx").expect(3);
    assert!(book(&folder) == before && versions(&folder).is_empty(), "there is nothing more to have back");
}

#[test]
fn a_version_that_was_changed_is_not_given_back() {
    let (folder, _) = changed();
    let now = book(&folder);
    let version = versions(&folder).pop().unwrap();
    let mut bytes = fs::read(&version).unwrap();
    bytes[100] ^= 1;
    fs::write(&version, bytes).unwrap();
    let run = folder.run("undo book.xlsx").expect(3);
    assert!(run.err.contains("the version before was changed where it is kept"), "{}", run.err);
    assert!(book(&folder) == now, "nothing was changed");
}

#[test]
fn another_name_of_the_workbook_does_not_reach_its_versions() {
    let folder = Folder::new().with("calls.csv", CALLS).with("more.csv", CALLS);
    folder.run("import calls.csv --into book.xlsx").expect(0);
    let before = book(&folder);
    fs::hard_link(folder.path("book.xlsx"), folder.path("other.xlsx")).unwrap();
    folder.run("import more.csv --into book.xlsx").expect(0);
    // Someone writes into the file of the other name.
    fs::write(folder.path("other.xlsx"), "something else").unwrap();
    folder.run("undo book.xlsx").expect(0);
    assert!(book(&folder) == before, "the version before is back");
}

#[test]
fn a_workbook_that_another_run_changes_is_left_alone() {
    let (folder, _) = changed();
    let now = book(&folder);
    // Of another user, who has another state folder: only the workbook itself can tell.
    let held = File::open(folder.path("book.xlsx")).unwrap();
    held.lock().unwrap();
    for words in ["import calls.csv --into book.xlsx --sheet third", "undo book.xlsx", "refresh book.xlsx"] {
        if words.starts_with("refresh") {
            folder.write_old("calls.csv", format!("{CALLS}A-3,001,1.00\n"));
        }
        let run = folder.run(words).expect(4);
        assert!(run.err.contains("another Incola is changing it"), "{words}: {}", run.err);
    }
    assert!(book(&folder) == now, "nothing was changed");
    drop(held);
    folder.run("undo book.xlsx").expect(0);
}

#[cfg(unix)]
#[test]
fn nobody_else_may_read_what_is_remembered() {
    use std::os::unix::fs::PermissionsExt;
    let (folder, _) = changed();
    folder.run("refresh book.xlsx").expect(0);
    let mut folders = vec![folder.state("incola")];
    let mut seen = 0;
    while let Some(place) = folders.pop() {
        assert_eq!(fs::metadata(&place).unwrap().permissions().mode() & 0o777, 0o700, "{}", place.display());
        for entry in fs::read_dir(&place).unwrap() {
            let (path, about) = entry.map(|e| (e.path(), e.metadata().unwrap())).unwrap();
            if about.is_dir() {
                folders.push(path);
            } else {
                assert_eq!(about.permissions().mode() & 0o077, 0, "{}", path.display());
                seen += 1;
            }
        }
    }
    assert!(seen > 5, "{seen} files");
}

#[cfg(target_os = "linux")]
#[test]
fn attributes_of_the_workbook_stay() {
    use rustix::fs::{XattrFlags, getxattr, setxattr};
    let (folder, _) = changed();
    let path = folder.path("book.xlsx");
    if setxattr(&path, "user.quay", b"north", XattrFlags::empty()).is_err() {
        // A file system without attributes has none to lose.
        return;
    }
    folder.run("import calls.csv --into book.xlsx --sheet third").expect(0);
    let mut value = [0; 16];
    let length = getxattr(&path, "user.quay", &mut value[..]).unwrap();
    assert_eq!(&value[..length], b"north");
}

#[test]
#[cfg(unix)]
fn a_workbook_larger_than_the_user_may_make_is_an_error_and_no_end_of_the_program() {
    let rows: String =
        (0..4000_u32).map(|n| format!("A-{n},{},{n}.50\n", n.wrapping_mul(2_654_435_761))).collect();
    let folder = Folder::new().with("calls.csv", format!("Call,Berth,Dues\n{rows}"));
    let told = folder.command("import calls.csv --into book.xlsx");
    let words = told.get_args().map(|word| word.to_str().unwrap()).collect::<Vec<_>>().join(" ");
    let mut limited = std::process::Command::new("sh");
    limited.arg("-c").arg(format!("ulimit -f 16; exec {} {words}", told.get_program().to_str().unwrap()));
    limited
        .current_dir(folder.path(""))
        .envs(told.get_envs().filter_map(|(name, value)| Some((name, value?))));
    let done = limited.output().unwrap();
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert_eq!(done.status.code(), Some(3), "{said}");
    assert!(
        said.contains("larger than a file may be here") && folder.files() == ["calls.csv"],
        "{said} {:?}",
        folder.files()
    );
}

#[test]
fn a_sheet_that_cannot_be_read_is_said_beside_those_that_can() {
    let (folder, _) = changed();
    folder.change_part("book.xlsx", "xl/worksheets/sheet1.xml", |xml| {
        xml.replacen("<row r=\"2\"", "<row r=\"1\"", 1)
    });
    let run = folder.run("inspect book.xlsx").expect(3);
    assert!(
        run.out.contains("calls cannot be read: xl/worksheets/sheet1.xml: row 1 is after row 1"),
        "{}",
        run.out
    );
    let line =
        |name: &str| run.out.lines().find(|line| line.trim_start().starts_with(name)).unwrap().to_owned();
    assert!(line("calls  ").contains("cannot be read"), "{}", run.out);
    assert!(line("more").contains("A1:C3"), "{}", run.out);
}
