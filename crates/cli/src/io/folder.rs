//! A folder as a source means its files, in natural order: 2 before 10.

use crate::failure::{Failure, Result};
use crate::io::disk;
use crate::io::target::folder_of;
use incola_core::settings::fits;
use std::cmp::Ordering;
use std::ffi::OsString;
use std::path::Path;

/// Whether a name stands for files whose names fit it: `*` for any characters, `?` for one. A file of that very name is itself.
pub(crate) fn is_pattern(name: &str) -> bool {
    let file = Path::new(name).file_name().map(|n| n.to_string_lossy()).unwrap_or_default();
    file.contains(['*', '?']) && !incola_engine::link::is_address(name) && !disk::exists(Path::new(name))
}

/// The sources that were typed, with folders and patterns replaced by their files. Of a folder, hidden files, dockets, workbooks
/// and folders inside are left out.
///
/// # Errors
/// If a folder cannot be read, or holds no file.
pub(crate) fn expand(names: &[String]) -> Result<Vec<String>> {
    let mut sources = Vec::new();
    for name in names {
        let path = Path::new(name);
        let pattern = is_pattern(name).then(|| path.file_name().map(|n| n.to_string_lossy().to_lowercase()));
        if !disk::is_folder(path) && pattern.is_none() {
            sources.push(name.clone());
            continue;
        }
        let folder = if pattern.is_some() { folder_of(path) } else { path };
        let names = disk::names_in(folder).map_err(|e| Failure::io(folder, "read the folder", &e))?;
        let is_wanted = |file: &str| match &pattern {
            Some(pattern) => fits(pattern.as_deref().unwrap_or_default(), &file.to_lowercase()),
            None => true,
        };
        let shown = |name: &OsString| match path.parent() {
            // As it was typed, without a folder in front.
            Some(parent) if pattern.is_some() && parent.as_os_str().is_empty() => {
                name.to_string_lossy().into_owned()
            }
            _ => folder.join(name).display().to_string(),
        };
        let mut files: Vec<String> = names
            .iter()
            .filter(|name| {
                let file = name.to_string_lossy();
                disk::is_file(folder.join(name)) && is_source(&file) && is_wanted(&file)
            })
            .map(shown)
            .collect();
        if files.is_empty() {
            let what = if pattern.is_some() { "no file is called so" } else { "the folder holds no files" };
            return Err(Failure::unreadable(format!("{name}: {what}")));
        }
        files.sort_by(|a, b| natural(a, b));
        sources.extend(files);
    }
    Ok(sources)
}

/// Names that a command spells one by one, at most.
const SPELLED: usize = 24;

/// The same sources in fewer words, if there are many: the pattern that stands for exactly these files of a folder, otherwise the first
/// ones and an ellipsis.
pub(crate) fn in_short(names: &[String]) -> Vec<String> {
    if names.len() <= SPELLED {
        return names.to_vec();
    }
    let pattern = || {
        let (first, last) = (Path::new(names.first()?), Path::new(names.last()?));
        let pattern = format!("*.{}", first.extension()?.to_str()?);
        let parent = first.parent()?;
        let pattern =
            if parent.as_os_str().is_empty() { pattern } else { parent.join(pattern).to_str()?.to_owned() };
        let mut found =
            expand(std::slice::from_ref(&pattern)).ok().filter(|_| Some(parent) == last.parent())?;
        let mut own = names.to_vec();
        found.sort_unstable();
        own.sort_unstable();
        (found == own).then_some(pattern)
    };
    pattern().map_or_else(
        || names.iter().take(2).cloned().chain(["\u{2026}".to_owned()]).collect(),
        |pattern| vec![pattern],
    )
}

/// Whether a file in a folder is a source: not hidden, no docket, no workbook.
fn is_source(name: &str) -> bool {
    let lower = name.to_lowercase();
    let others = [crate::docket::ENDING, ".xlsx", ".xlsm"];
    !name.starts_with(['.', '~']) && !others.iter().any(|ending| lower.ends_with(ending))
}

/// Compares names with runs of digits as numbers.
fn natural(left: &str, right: &str) -> Ordering {
    let (mut left, mut right) = (left, right);
    loop {
        let digits = |s: &str| s.len() - s.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let (own, other) = (digits(left), digits(right));
        if own == 0 || other == 0 {
            match (left.chars().next(), right.chars().next()) {
                (Some(c), Some(d)) if c == d => {
                    (left, right) = (&left[c.len_utf8()..], &right[d.len_utf8()..]);
                }
                (c, d) => return c.cmp(&d),
            }
            continue;
        }
        let number = left[..own].trim_start_matches('0');
        let second = right[..other].trim_start_matches('0');
        let order = number.len().cmp(&second.len()).then_with(|| number.cmp(second)).then(own.cmp(&other));
        if order != Ordering::Equal {
            return order;
        }
        (left, right) = (&left[own..], &right[other..]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[allow(clippy::disallowed_methods, reason = "a test makes its own files")]
    fn many_names_are_told_by_the_pattern_that_stands_for_exactly_them() {
        let folder = tempfile::tempdir().unwrap();
        let name = |n: usize| folder.path().join(format!("slip{n}.csv")).display().to_string();
        let names: Vec<String> = (1..=SPELLED + 1).map(name).collect();
        for name in &names {
            std::fs::write(name, "A\n1\n").unwrap();
        }
        assert_eq!(in_short(&names), [folder.path().join("*.csv").display().to_string()]);
        assert_eq!(in_short(&names[1..]), names[1..]);
        std::fs::write(name(99), "A\n1\n").unwrap();
        assert_eq!(in_short(&names), [&names[0], &names[1], "\u{2026}"], "one more would be imported");
    }

    #[test]
    fn numbers_in_names_count_as_numbers() {
        let mut names = ["b", "a10.csv", "a2.csv", "a02.csv", "a", "a2b", "ä1", "a1"];
        names.sort_by(|a, b| natural(a, b));
        assert_eq!(names, ["a", "a1", "a2.csv", "a2b", "a02.csv", "a10.csv", "b", "ä1"]);
    }
}
