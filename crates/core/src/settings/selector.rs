//! Selectors: how the clerk names columns.

use super::pattern::fits;
use crate::evidence::DecidedBy;
use crate::kind::Kind;

/// Columns by name, number, range or pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Selector {
    text: String,
}

/// What `--as` says: which columns are read as what.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AsChoice {
    /// Which columns.
    pub selector: Selector,
    /// The kind they must have.
    pub kind: Kind,
    /// How the kind is spelled, if stated.
    pub format: Option<String>,
    /// Who says so.
    pub by: DecidedBy,
}

impl Selector {
    /// A selector as it is typed: a name, a number from 1, `2..5`, `*code*` or `*`.
    pub fn new(text: &str) -> Self {
        Self { text: text.trim().to_owned() }
    }

    /// The selector as it was typed.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The places (from 0) of the columns it means. A name that is spelled like a number or a pattern comes first.
    ///
    /// ```
    /// use incola_core::settings::selector::Selector;
    /// let names = ["Call no", "Berth code", "Cargo code"].map(String::from);
    /// assert_eq!(Selector::new("*code").places(&names), [1, 2]);
    /// assert_eq!(Selector::new("2..9").places(&names), [1, 2]);
    /// assert_eq!(Selector::new("berth CODE").places(&names), [1]);
    /// ```
    pub fn places(&self, names: &[String]) -> Vec<usize> {
        let wanted = self.text.to_lowercase();
        let named: Vec<usize> =
            (0..names.len()).filter(|i| names[*i].trim().to_lowercase() == wanted).collect();
        if !named.is_empty() {
            return named;
        }
        let within = |from: usize, to: usize| (from.max(1)..=to.min(names.len())).map(|n| n - 1).collect();
        if let Ok(number) = wanted.parse::<usize>() {
            return within(number, number);
        }
        if let Some((from, to)) = wanted.split_once("..")
            && let (Ok(from), Ok(to)) = (
                if from.is_empty() { Ok(1) } else { from.parse() },
                if to.is_empty() { Ok(usize::MAX) } else { to.parse() },
            )
        {
            return within(from, to);
        }
        if wanted.contains('*') {
            return (0..names.len()).filter(|i| fits(&wanted, &names[*i].to_lowercase())).collect();
        }
        Vec::new()
    }
}

impl AsChoice {
    /// Reads `SELECTOR=KIND[:FORMAT]`: the selector ends at the first `=`, the kind at the first `:` after it.
    ///
    /// # Errors
    /// What is wrong with it, in words.
    ///
    /// ```
    /// use incola_core::{kind::Kind, settings::selector::AsChoice};
    /// let choice = AsChoice::parse("Arrived=date:dd/MM/yyyy").unwrap();
    /// assert_eq!((choice.kind, choice.format.as_deref()), (Kind::Date, Some("dd/MM/yyyy")));
    /// assert!(AsChoice::parse("Berth").is_err());
    /// ```
    pub fn parse(text: &str) -> Result<Self, String> {
        let (selector, kind) = text.split_once('=').ok_or_else(|| {
            format!("\u{201c}{text}\u{201d} is not of the form COLUMN=KIND, such as Berth=text")
        })?;
        let (kind, format) = match kind.split_once(':') {
            Some((kind, format)) => (kind, Some(format.to_owned())),
            None => (kind, None),
        };
        if selector.trim().is_empty() {
            return Err(format!("\u{201c}{text}\u{201d} names no column before its ="));
        }
        let words: Vec<&str> = Kind::WORDS.iter().map(|(_, w)| *w).collect();
        let found = Kind::from_word(kind.trim()).ok_or_else(|| {
            format!("\u{201c}{kind}\u{201d} is not a kind; the kinds are {}", words.join(", "))
        })?;
        if format.is_some() && matches!(found, Kind::Text | Kind::Skip) {
            return Err(format!("{} takes no format", found.word()));
        }
        Ok(Self { selector: Selector::new(selector), kind: found, format, by: DecidedBy::Given })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn selectors_mean_columns() {
        let names = ["Call no", "Berth", "4", "Gross kg", "Net kg"].map(String::from);
        for (selector, places) in [
            ("berth", &[1][..]),
            ("4", &[2]),
            ("5", &[4]),
            ("2..3", &[1, 2]),
            ("4..", &[3, 4]),
            ("*", &[0, 1, 2, 3, 4]),
            ("*kg", &[3, 4]),
            ("c*n*", &[0]),
            ("*ER*", &[1]),
            ("0", &[]),
            ("quay", &[]),
        ] {
            assert_eq!(Selector::new(selector).places(&names), places, "{selector}");
        }
    }

    #[test]
    fn choices_say_what_is_wrong() {
        for (text, word) in [
            ("Berth", "form"),
            ("=text", "names no column"),
            ("Berth=money", "not a kind"),
            ("a=text:x", "format"),
        ] {
            assert!(AsChoice::parse(text).unwrap_err().contains(word), "{text}");
        }
    }
}
