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
    fn numbers_in_names_count_as_numbers() {
        let mut names = ["b", "a10.csv", "a2.csv", "a02.csv", "a", "a2b", "ä1", "a1"];
        names.sort_by(|a, b| natural(a, b));
        assert_eq!(names, ["a", "a1", "a2.csv", "a2b", "a02.csv", "a10.csv", "b", "ä1"]);
    }
}
