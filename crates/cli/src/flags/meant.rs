//! What a command line that means nothing probably meant: names that changed, a file without a command, an import without a workbook.

use crate::failure::Failure;
use crate::io::disk;
use crate::render::command::quoted;
use std::ffi::OsString;
use std::path::Path;

/// Options that were called otherwise.
const OLD_OPTIONS: [(&str, &str); 6] = [
    ("--scan", "--survey"),
    ("--widths-in", "--starts-in"),
    ("--number-rows", "--number-column"),
    ("--missing", "--missing-columns"),
    ("--extra", "--extra-columns"),
    ("--edits", "--conflicts"),
];

/// The failure of a command line that no command takes, with the one to type instead; `None`: it may be right.
pub(crate) fn instead(args: &[OsString]) -> Option<Failure> {
    let words: Vec<String> = args.iter().skip(1).map(|w| w.to_string_lossy().into_owned()).collect();
    let first = words.first()?;
    let whole = |words: &[String]| words.iter().map(|w| quoted(w)).collect::<Vec<_>>().join(" ");
    if first == "draft" {
        let rest = &words[1..];
        let is = |switch: &str| rest.iter().any(|w| w == switch);
        let command = match () {
            () if is("--list") => "list".to_owned(),
            () if is("--schema") => "schema".to_owned(),
            () => format!("draft {}", whole(rest)),
        };
        return Some(renamed(
            "incola draft",
            "incola docket draft",
            &format!("incola docket {}", command.trim_end()),
        ));
    }
    let options = words.iter().take_while(|word| *word != "--");
    for word in options {
        let name = word.split('=').next().unwrap_or(word);
        let Some((old, new)) = OLD_OPTIONS.iter().find(|(old, _)| *old == name) else { continue };
        let now: Vec<String> =
            words.iter().map(|w| if w == word { w.replacen(old, new, 1) } else { w.clone() }).collect();
        return Some(renamed(old, new, &format!("incola {}", whole(&now))));
    }
    if !first.starts_with('-') && disk::is_file(Path::new(first)) {
        let ending = Path::new(first).extension().map(|e| e.to_string_lossy().to_lowercase());
        let failure = Failure::usage(format!("{first}: say what to do with it"))
            .help(format!("to see how it is read: incola inspect {}", quoted(first)));
        if matches!(ending.as_deref(), Some("xlsx" | "xlsm")) {
            return Some(
                failure.help(format!("to bring its tables up to date: incola refresh {}", quoted(first))),
            );
        }
        let book = Path::new(first).with_extension("xlsx").display().to_string();
        return Some(failure.help(format!(
            "to make a workbook of it: incola import {} --into {}",
            quoted(first),
            quoted(&book)
        )));
    }
    let is_help = |word: &String| matches!(word.as_str(), "-h" | "--help");
    if first == "import" && !words.iter().any(|w| is_help(w) || w == "--into" || w.starts_with("--into=")) {
        let source = words.get(1).filter(|word| !word.starts_with('-'))?;
        let book = Path::new(source).with_extension("xlsx").display().to_string();
        return Some(Failure::usage("import: say which workbook, with --into").help(format!(
            "incola {} --into {}",
            whole(&words),
            quoted(&book)
        )));
    }
    None
}

fn renamed(old: &str, new: &str, command: &str) -> Failure {
    Failure::usage(format!("{old} is called {new} now")).help(command)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_meant_is_a_command_to_type() {
        for (typed, expected) in [
            ("incola draft a.csv -o a.docket.toml", Some("incola docket draft a.csv -o a.docket.toml")),
            ("incola draft --list", Some("incola docket list")),
            ("incola draft --schema", Some("incola docket schema")),
            ("incola inspect a.csv --scan 5", Some("incola inspect a.csv --survey 5")),
            ("incola refresh a.xlsx --edits=sheet", Some("incola refresh a.xlsx --conflicts=sheet")),
            ("incola import a.csv --sheet x", Some("incola import a.csv --sheet x --into a.xlsx")),
            ("incola import a.csv --into b.xlsx --missing-columns blank", None),
            ("incola import --help", None),
            ("incola inspect -- --scan", None),
            ("incola", None),
        ] {
            let args: Vec<OsString> = typed.split(' ').map(OsString::from).collect();
            let found = instead(&args).map(|failure| failure.help.concat());
            assert_eq!(found.as_deref(), expected, "{typed}");
        }
    }
}
