//! The page of messages, made of what the program says and of the tests that say so.

use crate::failure::Failure;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

const CRATES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/..");

/// All files of the sources, with what they hold.
fn sources() -> Vec<(PathBuf, String)> {
    fn walk(folder: &Path, all: &mut Vec<(PathBuf, String)>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                walk(&path, all);
            } else if path.extension().is_some_and(|ending| ending == "rs") && !path.ends_with("messages.rs")
            {
                let text = std::fs::read_to_string(&path).unwrap();
                all.push((path, text));
            }
        }
    }
    let mut all = Vec::new();
    walk(Path::new(CRATES), &mut all);
    all.sort();
    all
}

/// A file's code, and its tests.
fn divided<'t>(path: &Path, text: &'t str) -> (&'t str, &'t str) {
    if path.components().any(|part| part.as_os_str() == "tests" || part.as_os_str() == "tests.rs") {
        return ("", text);
    }
    text.split_once("#[cfg(test)]").unwrap_or((text, ""))
}

/// The tests as one text for each function: its name, and its words with single blanks.
fn tests(sources: &[(PathBuf, String)]) -> Vec<(String, String)> {
    let mut all = Vec::new();
    for (path, text) in sources {
        for own in
            divided(path, text).1.split("\n#[test]\n").chain(divided(path, text).1.split("    #[test]\n"))
        {
            let name = own.split("fn ").nth(1).and_then(|rest| rest.split('(').next());
            if let Some(name) = name {
                all.push((name.to_owned(), words(own)));
            }
        }
    }
    all
}

fn words(text: &str) -> String {
    text.replace("\\u{201c}", "\u{201c}")
        .replace("\\u{201d}", "\u{201d}")
        .replace("\\\n", "")
        .split_whitespace()
        .collect::<Vec<_>>()
        .join(" ")
}

/// The test in which a message stands, by its longest piece without values.
fn test_of(message: &str, tests: &[(String, String)]) -> Option<String> {
    let piece = message.split(['{', '}']).step_by(2).max_by_key(|piece| piece.len())?.trim();
    let piece = piece.trim_matches([':', ',', '\u{201c}', '\u{201d}', ' ']);
    if piece.len() < 6 {
        return None;
    }
    // A test that tells more than one message apart may hold less of it.
    let half: String = piece.chars().take(28).collect();
    let found = tests.iter().filter(|(_, text)| text.contains(&half)).min_by_key(|(_, text)| text.len());
    found.map(|(name, _)| name.clone())
}

/// Whether a message is more than values put together.
fn has_words(message: &str) -> bool {
    message.split(['{', '}']).step_by(2).any(|piece| piece.chars().filter(|c| c.is_alphabetic()).count() > 5)
}

/// The messages that the code makes of literals: by status.
fn literals(code: &str) -> Vec<(u8, String)> {
    let mut all = Vec::new();
    for (word, status) in [("Failure::usage(", 2), ("Failure::unreadable(", 3), ("Failure::protected(", 4)] {
        for rest in code.split(word).skip(1) {
            let start = rest.trim_start().trim_start_matches("format!(").trim_start();
            let Some(text) = start.strip_prefix('"') else { continue };
            let mut message = String::new();
            let mut characters = text.chars().peekable();
            while let Some(c) = characters.next() {
                match c {
                    '"' => break,
                    '\\' => match characters.next() {
                        Some('\n') => while characters.next_if(|c| c.is_whitespace()).is_some() {},
                        Some('u') => {
                            let code: String =
                                characters.by_ref().skip(1).take_while(|c| *c != '}').collect();
                            message.extend(u32::from_str_radix(&code, 16).ok().and_then(char::from_u32));
                        }
                        Some('n') => message.push(' '),
                        Some(c) => message.push(c),
                        None => break,
                    },
                    c => message.push(c),
                }
            }
            all.push((status, message));
        }
    }
    all
}

/// The notices: word, what it is about, whether it needs a look, and a test that has it.
fn notices(sources: &[(PathBuf, String)], tests: &[(String, String)]) -> Vec<[String; 4]> {
    let (_, page) = sources.iter().find(|(path, _)| path.ends_with("core/src/notice.rs")).unwrap();
    let looks = page.split("fn needs_a_look").nth(1).unwrap().split("fn ").next().unwrap();
    let mut about: BTreeMap<&str, String> = BTreeMap::new();
    let mut said = String::new();
    for line in page.split("pub enum NoticeCode {").nth(1).unwrap().split("\n}").next().unwrap().lines() {
        match line.trim().strip_prefix("/// ") {
            Some(text) => said = format!("{said} {text}"),
            None => {
                about.insert(line.trim().trim_end_matches(','), std::mem::take(&mut said).trim().to_owned());
            }
        }
    }
    let mut all = Vec::new();
    for line in page.split("pub fn word(self)").nth(1).unwrap().lines().filter(|line| line.contains("=> \""))
    {
        let (variant, word) = line.trim().trim_start_matches("Self::").split_once(" => ").unwrap();
        let word = word.trim_matches(['"', ',']).to_owned();
        let status = if looks.contains(&format!("Self::{variant}\n")) { "1" } else { "0" };
        let uses = |text: &str| {
            text.contains(&format!("\"{word}\"")) || text.contains(&format!("NoticeCode::{variant}"))
        };
        let shown = |text: &str| text.contains(&format!("\\\"{word}\\\""));
        let found =
            tests.iter().filter(|(_, text)| uses(text) || shown(text)).min_by_key(|(_, text)| text.len());
        let test = found.map_or_else(String::new, |(name, _)| name.clone());
        all.push([word, about[variant].clone(), status.to_owned(), test]);
    }
    all
}

fn page() -> String {
    let sources = sources();
    let tests = tests(&sources);
    let mut out = String::from(
        "# Messages\n\nEvery message with the exit status that it gives, and a test that raises it. The page is written by a test.\n\n\
         ## Notices\n\nWhat is said of a source or a sheet that was read all the same: in `--json` by its word.\n\n\
         | status | word | about | test |\n|---|---|---|---|\n",
    );
    for [word, about, status, test] in notices(&sources, &tests) {
        let _ = writeln!(out, "| {status} | `{word}` | {about} | {test} |");
    }
    out.push_str(
        "\n## Stops\n\nWhat ends the work on a source or a table, with made-up values; all of them are raised by \
         `every_stop_is_a_sentence_with_its_status`.\n\n| status | message | left as it was | what to do |\n|---|---|---|---|\n",
    );
    let cell = |text: &str| text.replace('|', "\\|").replace('\n', " ");
    for (_, stop) in super::stop::tests::all() {
        let Failure { status, what, untouched, help } = Failure::from(stop);
        let help: Vec<String> = help.iter().map(|line| cell(line)).collect();
        let _ = writeln!(
            out,
            "| {} | {} | {} | {} |",
            status as u8,
            cell(&what),
            cell(&untouched.unwrap_or_default()),
            help.join("<br>")
        );
    }
    out.push_str("\n## Failures of commands\n\n`{}` stands for a value.\n\n| status | message | test |\n|---|---|---|\n");
    let mut all: Vec<(u8, String)> = Vec::new();
    for (path, text) in sources.iter().filter(|(path, _)| path.to_string_lossy().contains("cli/src")) {
        all.extend(literals(divided(path, text).0));
    }
    all.sort();
    all.dedup();
    for (status, message) in all.iter().filter(|(_, message)| has_words(message)) {
        let mut shown = String::new();
        for (n, piece) in message.split(['{', '}']).enumerate() {
            shown.push_str(if n % 2 == 0 { piece } else { "{}" });
        }
        let test = test_of(message, &tests).unwrap_or_default();
        let _ = writeln!(out, "| {status} | {} | {test} |", cell(&shown));
    }
    out
}

#[test]
fn the_page_of_messages_is_what_the_program_says() {
    let place = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/messages.md");
    let page = page();
    if std::env::var_os("INCOLA_WRITE_DOCS").is_some() {
        std::fs::write(place, &page).unwrap();
    }
    assert!(std::fs::read_to_string(place).unwrap() == page, "write it again: INCOLA_WRITE_DOCS=1");
    // Each notice is raised by a test.
    let sources = sources();
    for [word, _, _, test] in notices(&sources, &tests(&sources)) {
        assert!(!test.is_empty(), "{word}: no test raises it");
    }
}
