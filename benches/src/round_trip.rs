//! Does what was imported come back? `round_trip INCOLA FOLDER` imports and exports every file of a folder, and says for each whether
//! its bytes are the same, its records are, or what differs.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::process::Command;

/// What became of a file.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Fate {
    Bytes,
    Records,
    Differs,
    NoForm,
    NotImported,
}

const FATES: [(Fate, &str); 5] = [
    (Fate::Bytes, "bytes identical"),
    (Fate::Records, "records identical"),
    (Fate::Differs, "differs"),
    (Fate::NoForm, "not written back"),
    (Fate::NotImported, "not imported"),
];

fn main() -> std::io::Result<()> {
    let args: Vec<PathBuf> = std::env::args_os().skip(1).map(PathBuf::from).collect();
    let [incola, from] = &args[..] else {
        eprintln!("round_trip INCOLA FOLDER");
        std::process::exit(2);
    };
    let folder = std::env::temp_dir().join(format!("incola-round-trip-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let mut files: Vec<PathBuf> = std::fs::read_dir(from)?
        .filter_map(|entry| Some(entry.ok()?.path()))
        .filter(|p| p.is_file())
        .collect();
    files.sort();
    let mut counts = [0_usize; FATES.len()];
    for file in &files {
        let (fate, why) = trip(incola, file, &folder)?;
        let place = FATES.iter().position(|own| own.0 == fate).unwrap_or(0);
        counts[place] += 1;
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        println!("{:<18} {name}  {why}", FATES[place].1);
    }
    println!();
    for ((_, words), count) in FATES.iter().zip(counts) {
        println!("{count:>6}  {words}");
    }
    std::fs::remove_dir_all(&folder)
}

/// Imports and exports a file; gives what became of it, and the first thing that differs.
fn trip(incola: &Path, file: &Path, folder: &Path) -> std::io::Result<(Fate, String)> {
    let (book, text) = (folder.join("book.xlsx"), folder.join("text"));
    for old in [&book, &text] {
        let _ = std::fs::remove_file(old);
    }
    let run = |args: &[&OsStr]| -> std::io::Result<(i32, String)> {
        // What is remembered is thrown away with the folder.
        let run = Command::new(incola).args(args).env("XDG_STATE_HOME", folder).output()?;
        let said = [run.stdout, run.stderr].concat();
        Ok((run.status.code().unwrap_or(-1), String::from_utf8_lossy(&said).into_owned()))
    };
    let first = |said: &str| said.lines().find(|line| !line.trim().is_empty()).unwrap_or("").to_owned();
    let (file, book, text) = (file.as_os_str(), book.as_os_str(), text.as_os_str());
    let options = ["--no-questions", "--no-docket"].map(OsStr::new);
    let (status, said) = run(&["import".as_ref(), file, "--into".as_ref(), book, options[0], options[1]])?;
    if !matches!(status, 0 | 1) {
        return Ok((Fate::NotImported, first(&said)));
    }
    let (status, said) = run(&["export".as_ref(), book, "--check".as_ref()])?;
    match status {
        0 => return Ok((Fate::Bytes, String::new())),
        1 => {}
        _ => return Ok((Fate::NoForm, first(&said))),
    }
    let differs: Vec<&str> = said
        .lines()
        .map(str::trim)
        .filter(|line| line.contains("differs, first") || line.starts_with("export"))
        .collect();
    let (status, _) = run(&["export".as_ref(), book, "-o".as_ref(), text, "--even-lossy".as_ref()])?;
    let is_out = matches!(status, 0 | 1);
    let against = ["tally".as_ref(), book, "--against".as_ref(), text, "--no-docket".as_ref()];
    let fate = if is_out && run(&against)?.0 == 0 { Fate::Records } else { Fate::Differs };
    Ok((fate, differs.join("; ")))
}
