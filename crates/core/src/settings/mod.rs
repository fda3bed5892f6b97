//! Settings: everything that can be said about reading a source and placing its rows. What is typed and what a docket says are one
//! [`model`]; together they are [`Settings`], which know who said what, and become [`Choices`](crate::reading::Choices).

mod choices;
pub mod docket;
pub mod keys;
mod list;
pub mod model;
mod near;
mod pattern;
pub mod selector;
mod writer;

pub(crate) use choices::line_starts;
pub use choices::{LineRange, choices, delimiter};
pub use keys::{KEYS, Key, KeyKind};
pub use list::{list_text, read_list};
pub use model::{LineOrWord, Place, Reading};
pub use near::nearest;
pub use pattern::fits;
pub use writer::{DocketWriter, format_of};

use crate::evidence::DecidedBy;
use docket::Docket;
use selector::Selector;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::collections::BTreeMap;

/// What is wrong with a setting.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BadSetting {
    /// Its key, as dockets call it; `as` for a kind that was stated.
    pub key: &'static str,
    /// Its value, as far as it tells something.
    pub value: String,
    /// What is wrong, in words.
    pub why: String,
    /// What it could be instead.
    pub hint: Option<String>,
}

impl BadSetting {
    /// A setting that is wrong.
    pub fn new(key: &'static str, value: &str, why: impl Into<String>) -> Self {
        Self { key, value: value.to_owned(), why: why.into(), hint: None }
    }

    /// A selector that means none of the columns with these names.
    pub fn no_such_column(key: &'static str, value: &str, selector: &Selector, names: &[String]) -> Self {
        let mut why = format!("no column is \u{201c}{}\u{201d}", selector.text());
        let near = nearest(selector.text(), names.iter().map(String::as_str));
        if let Some(near) = near {
            why.push_str(&format!("; is \u{201c}{near}\u{201d} meant?"));
        }
        why.push_str(&format!("; the columns are: {}", listed(names)));
        Self::new(key, value, why)
    }

    /// The same with what it could be instead.
    #[must_use]
    pub fn hint(mut self, hint: &str) -> Self {
        self.hint = Some(hint.to_owned());
        self
    }
}

/// The first columns with their numbers, and how many there are besides.
fn listed(names: &[String]) -> String {
    let shown: Vec<String> =
        names.iter().take(30).enumerate().map(|(i, n)| format!("{} {n}", i + 1)).collect();
    let more = if names.len() > 30 { format!(" and {} more", names.len() - 30) } else { String::new() };
    format!("{}{more}", shown.join(", "))
}

/// Settings, and who said each of them: what was typed wins over the docket.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Settings {
    /// How sources are read.
    pub read: Reading,
    /// Where their rows go.
    pub place: Place,
    by: BTreeMap<(&'static str, String), DecidedBy>,
}

/// Keys that say together what divides lines: one that is typed leaves no room for the docket's.
const DIVIDES: [&str; 5] = ["delimiter", "starts", "layout", "lines_per_record", "starts_in"];

impl Settings {
    /// What was typed, over what a docket says.
    ///
    /// ```
    /// use incola_core::evidence::DecidedBy;
    /// use incola_core::settings::{Reading, Place, Settings, docket::Docket};
    /// let docket = Docket::read("docket = 1\n[read]\nquote = \"none\"\ndelimiter = \";\"\n").unwrap();
    /// let typed = Reading { delimiter: Some(",".into()), ..Reading::default() };
    /// let settings = Settings::new(&typed, &Place::default(), Some(&docket));
    /// assert_eq!(settings.read.delimiter.as_deref(), Some(","));
    /// assert_eq!(settings.by("read", "quote"), Some(DecidedBy::Docket));
    /// ```
    pub fn new(read: &Reading, place: &Place, docket: Option<&Docket>) -> Self {
        let Some(docket) = docket else {
            let mut by = BTreeMap::new();
            note(&mut by, "read", &table_of(read), DecidedBy::Given);
            note(&mut by, "place", &table_of(place), DecidedBy::Given);
            return Self { read: read.clone(), place: place.clone(), by };
        };
        let mut by = BTreeMap::new();
        let mut said = table_of(&docket.read);
        if read.delimiter.is_some() || read.starts.is_some() || read.layout.is_some() {
            said.retain(|key, _| !DIVIDES.contains(&key));
        }
        let read = merged(&mut by, "read", said, read);
        let place = merged(&mut by, "place", table_of(&docket.place), place);
        Self { read, place, by }
    }

    /// Who said something; `None`: nobody.
    pub fn by(&self, part: &'static str, key: &str) -> Option<DecidedBy> {
        self.by.get(&(part, key.to_owned())).copied()
    }

    /// Who said what divides lines.
    fn divided_by(&self) -> Option<DecidedBy> {
        let keys = DIVIDES.into_iter().chain(["quote", "double_quote", "runs_as_one"]);
        let all: Vec<DecidedBy> = keys.filter_map(|key| self.by("read", key)).collect();
        if all.contains(&DecidedBy::Given) { Some(DecidedBy::Given) } else { all.first().copied() }
    }
}

/// A part as a table of what it says.
pub fn table_of(part: &impl Serialize) -> toml::Table {
    toml::Table::try_from(part).unwrap_or_default()
}

fn note(
    by: &mut BTreeMap<(&'static str, String), DecidedBy>,
    part: &'static str,
    table: &toml::Table,
    who: DecidedBy,
) {
    by.extend(table.keys().map(|key| ((part, key.clone()), who)));
}

fn merged<T: Serialize + DeserializeOwned + Clone>(
    by: &mut BTreeMap<(&'static str, String), DecidedBy>,
    part: &'static str,
    mut said: toml::Table,
    typed: &T,
) -> T {
    note(by, part, &said, DecidedBy::Docket);
    let own = table_of(typed);
    note(by, part, &own, DecidedBy::Given);
    said.extend(own);
    // Both tables were made from such parts.
    said.try_into().unwrap_or_else(|_| typed.clone())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// For each key of `[read]` and `[place]`: typed, in a docket, both, neither.
    #[test]
    fn every_setting_knows_who_said_it() {
        for key in KEYS.iter().filter(|k| matches!(k.part, "read" | "place")) {
            let text = format!("docket = 1\n[{}]\n{} = {}\n", key.part, key.name, key.example);
            let said: toml::Table = toml::from_str(&text).unwrap();
            let docket = Docket { docket: 1, ..said.try_into().unwrap() };
            let typed = |is_typed: bool| if is_typed { docket.clone() } else { Docket::default() };
            for (is_typed, in_docket, expected) in [
                (true, false, Some(DecidedBy::Given)),
                (false, true, Some(DecidedBy::Docket)),
                (true, true, Some(DecidedBy::Given)),
                (false, false, None),
            ] {
                let own = typed(is_typed);
                let settings = Settings::new(&own.read, &own.place, in_docket.then_some(&docket));
                assert_eq!(settings.by(key.part, key.name), expected, "{}", key.name);
                let value = match key.part {
                    "read" => table_of(&settings.read).get(key.name).cloned(),
                    _ => table_of(&settings.place).get(key.name).cloned(),
                };
                assert_eq!(value.is_some(), expected.is_some(), "{}", key.name);
            }
        }
    }

    #[test]
    fn what_is_typed_about_dividing_lines_leaves_no_room_for_the_docket() {
        let docket = Docket::read("docket = 1\n[read]\nstarts = \"1,9\"\nlayout = \"fixed\"\nheader = 3\n");
        let typed = Reading { delimiter: Some(";".into()), ..Reading::default() };
        let settings = Settings::new(&typed, &Place::default(), Some(&docket.unwrap()));
        assert_eq!((settings.read.starts, settings.read.layout), (None, None));
        assert_eq!(settings.read.header, Some(LineOrWord::Number(3)));
    }
}
