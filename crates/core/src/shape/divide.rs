//! One column divided into several.

use crate::kind::statistics::trim;
use crate::settings::BadSetting;
use crate::settings::selector::Selector;
use regex::bytes::Regex;

/// Most columns that one is divided into.
const MOST_PARTS: usize = 256;

/// A column to be divided, and how.
#[derive(Clone, Debug)]
pub struct DivideChoice {
    /// Which column.
    pub column: Selector,
    /// How.
    pub how: How,
    /// As it was typed.
    pub text: String,
}

/// How values are divided.
#[derive(Clone, Debug)]
pub enum How {
    /// At each of these marks.
    Delimiter(String),
    /// Where characters (from 0) are.
    Starts(Vec<usize>),
    /// Into the groups of a regular expression.
    Pattern(Regex),
}

impl PartialEq for DivideChoice {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl DivideChoice {
    /// Reads `COLUMN=HOW`: a delimiter, `starts:1,3,7`, or `pattern:` and a regular expression with groups.
    ///
    /// # Errors
    /// [`BadSetting`] says what is wrong with it.
    ///
    /// ```
    /// use incola_core::shape::{DivideChoice, How};
    /// let choice = DivideChoice::read("Master=starts:1,3").unwrap();
    /// assert!(matches!(choice.how, How::Starts(starts) if starts == [0, 2]));
    /// assert!(DivideChoice::read("Master").is_err());
    /// ```
    pub fn read(text: &str) -> Result<Self, BadSetting> {
        let wrong = |why: String| BadSetting::new("divide", text, why);
        let (column, how) = text
            .split_once('=')
            .filter(|(column, how)| !column.trim().is_empty() && !how.is_empty())
            .ok_or_else(|| wrong("it is COLUMN=HOW, such as 'Master=, ' or Code=starts:1,3".into()))?;
        let how = if let Some(starts) = how.strip_prefix("starts:") {
            How::Starts(read_starts(starts).ok_or_else(|| {
                wrong(
                    "starts are positions of characters in rising order, from 1, such as starts:1,3,7".into(),
                )
            })?)
        } else if let Some(pattern) = how.strip_prefix("pattern:") {
            let regex = Regex::new(pattern).map_err(|error| {
                let why = error.to_string();
                wrong(why.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned())
            })?;
            if regex.captures_len() < 2 {
                return Err(wrong(
                    "the pattern has no group: what is in round brackets becomes a column".into(),
                ));
            }
            How::Pattern(regex)
        } else {
            How::Delimiter(match how {
                "tab" | "\\t" => "\t".into(),
                "space" => " ".into(),
                how => how.to_owned(),
            })
        };
        Ok(Self { column: Selector::new(column), how, text: text.to_owned() })
    }
}

fn read_starts(text: &str) -> Option<Vec<usize>> {
    let starts: Option<Vec<usize>> =
        text.split(',').map(|n| n.trim().parse::<usize>().ok()?.checked_sub(1)).collect();
    let mut starts = starts?;
    if starts.first() != Some(&0) {
        starts.insert(0, 0);
    }
    (starts.len() > 1 && starts.windows(2).all(|pair| pair[0] < pair[1]) && starts.len() <= MOST_PARTS)
        .then_some(starts)
}

impl How {
    /// The columns that it makes of values, the first ones of which are known: their names, where it gives any.
    pub fn names<'v>(&self, values: impl Iterator<Item = &'v [u8]>) -> Vec<Option<String>> {
        match self {
            Self::Delimiter(mark) => {
                let parts = values.map(|value| memchr::memmem::find_iter(value, mark.as_bytes()).count() + 1);
                vec![None; parts.max().unwrap_or(1).clamp(2, MOST_PARTS)]
            }
            Self::Starts(starts) => vec![None; starts.len()],
            Self::Pattern(regex) => {
                regex.capture_names().skip(1).map(|name| name.map(str::to_owned)).collect()
            }
        }
    }

    /// Divides a value into `count` parts, blanks around them left out; whether they are as many, and nothing is left over. What is
    /// left over stays with the last one; where a pattern fits nowhere, all are empty.
    ///
    /// ```
    /// use incola_core::shape::DivideChoice;
    /// let (choice, mut parts) = (DivideChoice::read("Master=, ").unwrap(), Vec::new());
    /// assert!(choice.how.parts(b"Quill, Ada", 2, &mut parts));
    /// assert_eq!(parts, [&b"Quill"[..], b"Ada"]);
    /// ```
    pub fn parts<'v>(&self, value: &'v [u8], count: usize, parts: &mut Vec<&'v [u8]>) -> bool {
        parts.clear();
        let fits = match self {
            Self::Delimiter(mark) => {
                let mut rest = value;
                while parts.len() + 1 < count
                    && let Some(at) = memchr::memmem::find(rest, mark.as_bytes())
                {
                    parts.push(&rest[..at]);
                    rest = &rest[at + mark.len()..];
                }
                parts.push(rest);
                memchr::memmem::find(rest, mark.as_bytes()).is_none()
            }
            Self::Starts(starts) => {
                let mut places = starts.iter().skip(1).map(|start| after_characters(value, *start));
                let mut from = 0;
                for to in places.by_ref() {
                    parts.push(&value[from..to]);
                    from = to;
                }
                parts.push(&value[from..]);
                true
            }
            Self::Pattern(regex) => match regex.captures(value) {
                Some(groups) => {
                    parts.extend((1..groups.len()).map(|n| groups.get(n).map_or(&b""[..], |g| g.as_bytes())));
                    true
                }
                None => value.is_empty(),
            },
        };
        let full = parts.len() == count || value.is_empty();
        parts.resize(count, b"");
        for part in parts.iter_mut() {
            *part = trim(part).0;
        }
        fits && full
    }
}

/// The byte after so many characters, or the end.
fn after_characters(value: &[u8], characters: usize) -> usize {
    if value.is_ascii() {
        return characters.min(value.len());
    }
    let begins = |byte: &u8| byte & 0xC0 != 0x80;
    let mut places = value.iter().enumerate().filter(|(_, byte)| begins(byte)).map(|(at, _)| at);
    places.nth(characters).unwrap_or(value.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_divided_and_what_is_left_over_is_told() {
        for (how, count, value, expected, fits) in [
            ("a=,", 2, "Quill, Ada", vec!["Quill", "Ada"], true),
            ("a=,", 2, "Quill, Ada, Dr", vec!["Quill", "Ada, Dr"], false),
            ("a=,", 2, "Quill", vec!["Quill", ""], false),
            ("a=,", 2, "", vec!["", ""], true),
            ("a= - ", 3, "a - b - c", vec!["a", "b", "c"], true),
            ("a=starts:1,3,6", 3, "Q1-Möwe-7", vec!["Q1", "-Mö", "we-7"], true),
            ("a=starts:3", 2, "Q", vec!["Q", ""], true),
            (r"a=pattern:^(\w+) (\d+)", 2, "berth 007 west", vec!["berth", "007"], true),
            (r"a=pattern:^(\w+) (\d+)", 2, "none", vec!["", ""], false),
        ] {
            let choice = DivideChoice::read(how).unwrap();
            let mut parts = Vec::new();
            let own = choice.how.parts(value.as_bytes(), count, &mut parts);
            let parts: Vec<&str> = parts.iter().map(|p| std::str::from_utf8(p).unwrap()).collect();
            assert_eq!((parts, own), (expected, fits), "{how} of {value}");
        }
    }

    #[test]
    fn mistakes_are_told() {
        for (text, word) in [
            ("Master", "COLUMN=HOW"),
            ("=,", "COLUMN=HOW"),
            ("Master=starts:3,2", "rising order"),
            ("Master=starts:0", "rising order"),
            ("Master=pattern:abc", "no group"),
            ("Master=pattern:(a", "unclosed group"),
        ] {
            let bad = DivideChoice::read(text).unwrap_err();
            assert!(bad.why.contains(word), "{text}: {bad:?}");
        }
    }
}
