//! One column divided into several.

use crate::kind::statistics::trim;
use crate::record::{Fixed, LineParts};
use crate::settings::selector::Selector;
use crate::settings::{BadSetting, line_starts};
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

/// What divides values into so many parts.
#[derive(Clone, Debug)]
pub struct Divider {
    parts: Parts,
    names: Vec<Option<String>>,
}

#[derive(Clone, Debug)]
enum Parts {
    Line(LineParts),
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

/// Starts as fixed layouts have them, the first character among them.
fn read_starts(text: &str) -> Option<Vec<usize>> {
    let mut starts = line_starts(text).ok()?;
    if starts.first() != Some(&0) {
        starts.insert(0, 0);
    }
    (2..=MOST_PARTS).contains(&starts.len()).then_some(starts)
}

impl How {
    /// What divides values, the first ones of which are known: they say how many parts a delimiter makes.
    pub fn divider<'v>(&self, values: impl Iterator<Item = &'v [u8]>) -> Divider {
        match self {
            Self::Delimiter(mark) => {
                let counts =
                    values.map(|value| memchr::memmem::find_iter(value, mark.as_bytes()).count() + 1);
                let fields = counts.max().unwrap_or(1).clamp(2, MOST_PARTS);
                let parts = LineParts::Delimited { delimiter: mark.as_bytes().to_vec(), fields };
                Divider { parts: Parts::Line(parts), names: vec![None; fields] }
            }
            Self::Starts(starts) => {
                let names = vec![None; starts.len()];
                let fixed = Fixed { starts: starts.clone(), ..Fixed::default() };
                Divider { parts: Parts::Line(LineParts::Fixed(fixed)), names }
            }
            Self::Pattern(regex) => {
                let names = regex.capture_names().skip(1).map(|name| name.map(str::to_owned)).collect();
                Divider { parts: Parts::Pattern(regex.clone()), names }
            }
        }
    }
}

impl Divider {
    /// The parts, with the names of those that have one.
    pub fn names(&self) -> &[Option<String>] {
        &self.names
    }

    /// Hands the parts of a value to `each`, blanks around them left out; whether they are as many as there are names, and nothing is
    /// left over. What is left over stays with the last one; where a pattern fits nowhere, all are empty.
    ///
    /// ```
    /// use incola_core::shape::DivideChoice;
    /// let divider = DivideChoice::read("Master=, ").unwrap().how.divider([&b"Quill, Ada"[..]].into_iter());
    /// let mut parts = Vec::new();
    /// assert!(divider.divide(b"Heron, Eve", |part| parts.push(part)));
    /// assert_eq!(parts, [&b"Heron"[..], b"Eve"]);
    /// ```
    pub fn divide<'v>(&self, value: &'v [u8], mut each: impl FnMut(&'v [u8])) -> bool {
        let mut count = 0;
        let mut one = |part: &'v [u8]| {
            count += 1;
            each(trim(part).0);
        };
        let fits = match &self.parts {
            Parts::Line(parts) => {
                let mut last = 0..0;
                parts.fields(value, |range| {
                    last = range.clone();
                    one(&value[range]);
                });
                match parts {
                    // Short values have empty parts behind.
                    LineParts::Fixed(_) => true,
                    LineParts::Delimited { delimiter, .. } => {
                        count == self.names.len() && memchr::memmem::find(&value[last], delimiter).is_none()
                    }
                }
            }
            Parts::Pattern(regex) => {
                let groups = regex.captures(value);
                for n in 1..=self.names.len() {
                    let group = groups.as_ref().and_then(|groups| groups.get(n));
                    one(group.map_or(&b""[..], |group| group.as_bytes()));
                }
                groups.is_some()
            }
        };
        for _ in count..self.names.len() {
            each(b"");
        }
        fits || value.is_empty()
    }
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
            // As many parts as others have.
            let usual = ["Quill, Ada", "a - b - c"][usize::from(count == 3)];
            let divider = choice.how.divider([usual.as_bytes()].into_iter());
            let mut parts = Vec::new();
            let own = divider.divide(value.as_bytes(), |part| parts.push(std::str::from_utf8(part).unwrap()));
            assert_eq!((parts.len(), divider.names().len()), (count, count));
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
