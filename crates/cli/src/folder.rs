//! A folder as a source means its files, in natural order: 2 before 10.

use crate::failure::{Failure, Result};
use std::cmp::Ordering;
use std::path::Path;

/// The sources that were typed, with folders replaced by the files in them. Hidden files, dockets, workbooks
/// and folders inside are left out.
///
/// # Errors
/// If a folder cannot be read, or holds no file.
pub(crate) fn expand(names: &[String]) -> Result<Vec<String>> {
    let mut sources = Vec::new();
    for name in names {
        let path = Path::new(name);
        if !path.is_dir() {
            sources.push(name.clone());
            continue;
        }
        let entries = std::fs::read_dir(path).map_err(|e| Failure::io(path, "read the folder", &e))?;
        let mut files: Vec<String> = entries
            .filter_map(std::result::Result::ok)
            .filter(|e| e.path().is_file() && is_source(&e.file_name().to_string_lossy()))
            .map(|e| e.path().display().to_string())
            .collect();
        if files.is_empty() {
            return Err(Failure::unreadable(format!("{name}: the folder holds no files")));
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
