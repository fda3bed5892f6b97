//! Dockets: a reading written down, so that the next file of its sort needs nothing said. TOML (version 1.0), made to be edited.
//!
//! A docket says three things: which files it is [for](Match), how they are [read](Reading) and [placed](Place), and what becomes of
//! their [columns](Column). What it leaves out is detected, as ever.

use super::keys::RENAMED;
use super::model::{Column, Line, LineRole, Place, Reading};
use super::near::nearest;
use super::pattern::fits;
use crate::layout::{LayoutKind, Pattern};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The version of the format that this program writes, and the newest one that it reads.
pub const VERSION: u32 = 1;

/// Most bytes of a docket.
pub const MOST_BYTES: u64 = 1 << 20;

/// A docket.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Docket {
    /// The version of the format.
    pub docket: u32,
    /// Which files it is for.
    #[serde(default, rename = "match")]
    pub matches: Match,
    /// How they are asked for.
    #[serde(default, skip_serializing_if = "Request::is_empty")]
    pub request: Request,
    /// How they are read.
    #[serde(default)]
    pub read: Reading,
    /// Where their rows go.
    #[serde(default)]
    pub place: Place,
    /// What their lines are.
    #[serde(default, rename = "line", skip_serializing_if = "Vec::is_empty")]
    pub lines: Vec<Line>,
    /// Their columns, in the order that the sheet has them in.
    #[serde(default, rename = "column")]
    pub columns: Vec<Column>,
}

/// Which files a docket is for.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Match {
    /// Patterns of their names, without folders: `*` stands for any characters, `?` for one.
    #[serde(default)]
    pub files: Vec<String>,
}

/// How a web address is asked for (RFC 9110). `${NAME}` in a value stands for the environment variable of that name.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Request {
    /// Header fields.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub headers: BTreeMap<String, String>,
    /// Values behind the `?` of the address.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub query: BTreeMap<String, String>,
}

impl Request {
    /// Whether it says nothing.
    pub fn is_empty(&self) -> bool {
        self.headers.is_empty() && self.query.is_empty()
    }

    /// The first name that speaks of a secret and has a value that is none's but the docket's.
    fn open_secret(&self) -> Option<&str> {
        let speaks = |name: &str| {
            let name = name.to_lowercase().replace(['-', '_'], "");
            ["auth", "cookie", "token", "secret", "password", "apikey", "signature", "session"]
                .iter()
                .any(|word| name.contains(word))
                || name == "key"
        };
        let all = self.headers.iter().chain(&self.query);
        all.filter(|(name, value)| speaks(name) && !value.contains("${"))
            .map(|(name, _)| name.as_str())
            .next()
    }
}

/// What is wrong with a docket, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BadDocket {
    /// The line, from 1.
    pub line: Option<usize>,
    /// The character in the line, from 1.
    pub position: Option<usize>,
    /// What is wrong, in words.
    pub why: String,
    /// What it could be instead.
    pub instead: Option<String>,
}

impl Docket {
    /// Reads a docket.
    ///
    /// # Errors
    /// [`BadDocket`] if it is no TOML, or says something that a docket does not say, or contradicts itself.
    ///
    /// ```
    /// use incola_core::settings::docket::Docket;
    /// let docket = Docket::read("docket = 1\n[match]\nfiles = [\"dues*.txt\"]\n[[column]]\nname = \"Berth\"\nas = \"text\"\n").unwrap();
    /// assert_eq!(docket.columns[0].kind.as_deref(), Some("text"));
    /// let bad = Docket::read("docket = 1\n[read]\ndelimeter = \",\"\n").unwrap_err();
    /// assert_eq!((bad.line, bad.instead.as_deref()), (Some(3), Some("delimiter")));
    /// ```
    pub fn read(text: &str) -> Result<Self, BadDocket> {
        let docket: Self = toml::from_str(text).map_err(|error| bad(text, &error))?;
        docket.check(text)?;
        Ok(docket)
    }

    /// Reads a docket that a program wrote and kept, maybe an earlier version of it.
    ///
    /// # Errors
    /// Those of [`Self::read`].
    pub fn read_kept(text: &str) -> Result<Self, BadDocket> {
        let mut table: toml::Table = toml::from_str(text).map_err(|error| bad(text, &error))?;
        for (part, old, new) in RENAMED {
            let Some(part) = table.get_mut(*part).and_then(toml::Value::as_table_mut) else { continue };
            if let Some(value) = part.remove(*old) {
                part.entry(*new).or_insert(value);
            }
        }
        // Where nothing was surveyed, every column is described as text.
        if let Some(read) = table.get_mut("read").and_then(toml::Value::as_table_mut)
            && read.get("survey").and_then(toml::Value::as_str) == Some("none")
        {
            read.remove("survey");
        }
        Self::read(&table.to_string())
    }

    /// What contradicts itself.
    fn check(&self, text: &str) -> Result<(), BadDocket> {
        let wrong = |key: &str, why: String, instead: Option<&str>| BadDocket {
            line: line_of(text, key),
            position: None,
            why,
            instead: instead.map(str::to_owned),
        };
        if self.docket > VERSION {
            let why = format!("it is of version {}; this program reads up to {VERSION}", self.docket);
            return Err(wrong("docket", why, Some("update the program")));
        }
        if self.docket == 0 {
            return Err(wrong("docket", "there is no version 0".into(), Some("docket = 1")));
        }
        let read = &self.read;
        if let Some(name) = self.request.open_secret() {
            let why = format!("{name}: secrets are not written into dockets, which travel with workbooks");
            return Err(wrong(name, why, Some(&format!("{name} = \"${{NAME_OF_A_VARIABLE}}\""))));
        }
        if read.starts.is_some() && read.layout == Some(LayoutKind::Delimited) {
            return Err(wrong(
                "starts",
                "a delimited layout has no starts".into(),
                Some("layout = \"fixed\""),
            ));
        }
        if read.delimiter.is_some() && read.layout == Some(LayoutKind::Fixed) {
            return Err(wrong("delimiter", "a fixed layout has no delimiter".into(), None));
        }
        if let (Some(starts), false, None) = (&read.starts, self.columns.is_empty(), &read.names) {
            let count: usize = starts.split('/').map(|line| line.split(',').count()).sum();
            // Each heading has a column, which need not be described.
            let patterns = self.lines.iter().filter(|line| line.role == LineRole::Heading);
            let patterns = patterns.filter_map(|line| Pattern::read(line.matches.as_ref()?).ok());
            let named: usize = patterns.map(|pattern| pattern.names().count()).sum();
            let headings = read.headings.as_ref().map_or(0, Vec::len) + named;
            let is_shaped = read.divide.is_some() || read.compute.is_some();
            if !is_shaped && !(count..=count + headings).contains(&self.columns.len()) {
                let why = format!("{count} starts, but {} columns are described", self.columns.len());
                return Err(wrong("starts", why, None));
            }
        }
        for line in &self.lines {
            let line_of = |key, value: &str| {
                line_of_value(text, key, &value.replace('\\', "\\\\")).or(line_of(text, key))
            };
            match (&line.example, &line.matches) {
                (Some(_), None) => {}
                (None, Some(pattern)) => {
                    if let Err(why) = Pattern::read(pattern) {
                        let at = line_of("matches", pattern);
                        return Err(BadDocket {
                            line: at,
                            position: None,
                            why: format!("matches: {why}"),
                            instead: None,
                        });
                    }
                }
                _ => {
                    let why =
                        format!("a line of the role {} has either an example or matches", line.role.word());
                    let at = line_of_value(text, "role", line.role.word());
                    return Err(BadDocket { line: at, position: None, why, instead: None });
                }
            }
        }
        let kinds = ["text", "number", "date", "time", "datetime", "boolean", "skip"];
        let mut described = std::collections::HashSet::new();
        for column in &self.columns {
            if let Some(kind) = column.kind.as_ref().filter(|k| !kinds.contains(&k.as_str())) {
                let why =
                    format!("column \u{201c}{}\u{201d}: \u{201c}{kind}\u{201d} is not a kind", column.name);
                let line = line_of_value(text, "as", kind);
                let instead = nearest(kind, kinds).map(str::to_owned);
                return Err(BadDocket { line, position: None, why, instead });
            }
            if !described.insert(column.name.to_lowercase()) {
                let why = format!("column \u{201c}{}\u{201d} is described twice", column.name);
                let line = line_of_value(text, "name", &column.name);
                return Err(BadDocket { line, position: None, why, instead: None });
            }
        }
        Ok(())
    }

    /// Whether it is for a file of that name (without folders).
    ///
    /// ```
    /// # use incola_core::settings::docket::{Docket, Match};
    /// let docket = Docket { matches: Match { files: vec!["dues-??.txt".into()] }, ..Docket::default() };
    /// assert!(docket.is_for("Dues-03.txt") && !docket.is_for("dues-3.txt"));
    /// ```
    pub fn is_for(&self, file: &str) -> bool {
        self.matches.files.iter().any(|pattern| fits(&pattern.to_lowercase(), &file.to_lowercase()))
    }
}

fn bad(text: &str, error: &toml::de::Error) -> BadDocket {
    let at = error.span().map(|span| span.start.min(text.len()));
    let line = at.map(|at| text[..at].matches('\n').count() + 1);
    let position = at.map(|at| text[..at].rsplit('\n').next().map_or(0, |before| before.chars().count()) + 1);
    let message = error.message().trim();
    let parts: Vec<&str> = message.split('`').collect();
    let mut why = parts.chunks(2).map(|pair| pair.join("\u{201c}")).collect::<Vec<_>>().join("\u{201d}");
    let mut instead = None;
    // Unknown keys come with those that are known.
    if let Some(rest) = message.strip_prefix("unknown field `")
        && let Some((key, known)) = rest.split_once('`')
    {
        let known: Vec<&str> = known.split('`').skip(1).step_by(2).collect();
        let renamed = RENAMED.iter().find(|(_, old, new)| *old == key && known.contains(new));
        instead = match renamed {
            Some((_, _, new)) => Some((*new).to_owned()),
            None => nearest(key, known.iter().copied()).map(str::to_owned),
        };
        why = format!("there is no key \u{201c}{key}\u{201d} here; there are {}", known.join(", "));
    }
    if let Some(rest) = message.strip_prefix("unknown variant `")
        && let Some((word, known)) = rest.split_once('`')
    {
        let known: Vec<&str> = known.split('`').skip(1).step_by(2).collect();
        let line = line.and_then(|line| text.lines().nth(line - 1)).unwrap_or("");
        let key = line.split('=').next().unwrap_or("").trim();
        instead = nearest(word, known.iter().copied()).map(str::to_owned);
        why = format!("{key} = \u{201c}{word}\u{201d}: it is one of {}", known.join(", "));
    }
    BadDocket { line, position, why, instead }
}

/// The line on which a key is given.
fn line_of(text: &str, key: &str) -> Option<usize> {
    let is_key =
        |line: &str| line.trim_start().strip_prefix(key).is_some_and(|r| r.trim_start().starts_with('='));
    text.lines().position(is_key).map(|n| n + 1)
}

/// The last line on which a key is given a value.
fn line_of_value(text: &str, key: &str, value: &str) -> Option<usize> {
    let has = |line: &&str| line.trim_start().starts_with(key) && line.contains(value);
    text.lines().enumerate().filter(|(_, line)| has(line)).map(|(n, _)| n + 1).last()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::settings::{DocketWriter, KEYS};
    use std::fmt::Write as _;

    #[test]
    fn mistakes_are_told_with_their_line_and_what_was_meant() {
        for (text, line, word, instead) in [
            (
                "docket = 1\n[read]\ndelimeter = \",\"\n",
                Some(3),
                "no key \u{201c}delimeter\u{201d}",
                Some("delimiter"),
            ),
            (
                "docket = 1\n\n[[column]]\nname = \"Berth\"\nkind = \"text\"\n",
                Some(5),
                "no key \u{201c}kind\u{201d}",
                None,
            ),
            (
                "docket = 1\n[[column]]\nname = \"Berth\"\nas = \"txt\"\n",
                Some(4),
                "\u{201c}txt\u{201d} is not a kind",
                Some("text"),
            ),
            ("docket = 2\n", Some(1), "version 2", Some("update the program")),
            ("docket = \"one\"\n", Some(1), "invalid type", None),
            ("[read]\nquote = \"'\"\n", None, "missing field", None),
            ("docket = 1\n[read]\nheader = [1]\n", Some(3), "", None),
            ("docket = 1\n[read]\nlayout = \"fixt\"\n", Some(3), "one of delimited, fixed", Some("fixed")),
            (
                "docket = 1\n[read]\nlayout = \"fixed\"\nstarts = \"1,9\"\n[[column]]\nname = \"A\"\n",
                Some(4),
                "2 starts, but 1 column",
                None,
            ),
            (
                "docket = 1\n[read]\nstarts = \"1,9\"\nlayout = \"delimited\"\n",
                Some(3),
                "has no starts",
                Some("layout = \"fixed\""),
            ),
            (
                "docket = 1\n[[column]]\nname = \"A\"\n[[column]]\nname = \"a\"\n",
                Some(5),
                "described twice",
                None,
            ),
            ("docket = 1\nthis is no TOML\n", Some(2), "", None),
        ] {
            let bad = Docket::read(text).unwrap_err();
            assert!(bad.why.contains(word), "{text}: {bad:?}");
            if line.is_some() {
                assert_eq!(bad.line, line, "{text}: {bad:?}");
            }
            assert_eq!(bad.instead.as_deref(), instead, "{text}: {bad:?}");
        }
    }

    #[test]
    fn every_key_that_is_described_is_read() {
        let mut text = String::new();
        let mut part = "";
        for key in KEYS
            .iter()
            .filter(|k| !matches!(k.name, "starts" | "starts_in" | "names" | "lines_per_record" | "matches"))
        {
            if key.part != part {
                part = key.part;
                let _ = writeln!(
                    text,
                    "{}",
                    if matches!(part, "line" | "column") {
                        format!("[[{part}]]")
                    } else {
                        format!("[{part}]")
                    }
                );
            }
            let _ = writeln!(text, "{} = {}", key.name, key.example);
        }
        Docket::read(&text).unwrap();
        // And there is none besides: what is told of an unknown key lists them all.
        for part in ["match", "read", "place", "line", "column"] {
            let list = |why: &str| why.rsplit("there are ").next().unwrap_or("").to_owned();
            let head =
                if matches!(part, "line" | "column") { format!("[[{part}]]") } else { format!("[{part}]") };
            let bad = Docket::read(&format!("docket = 1\n{head}\nzzz = 1\n")).unwrap_err();
            let known = list(&bad.why);
            let described: Vec<&str> = KEYS.iter().filter(|k| k.part == part).map(|k| k.name).collect();
            for name in known.split(", ").filter(|_| known != bad.why) {
                assert!(described.contains(&name), "{name} is not described");
            }
        }
    }

    #[test]
    fn what_is_written_is_read() {
        let mut writer = DocketWriter::new("made of dues.txt\nfor tests");
        writer.part("[match]");
        writer.key("files", &toml::Value::Array(vec!["dues*.txt".into()]), "");
        writer.part("[read]");
        writer.text("delimiter", "\t", "a tab\nin all lines");
        writer.part("[[column]]");
        writer.text("name", "Dues \"paid\"", "");
        writer.text("called", "Gebühr", "");
        let docket = Docket::read(&writer.finish()).unwrap();
        assert_eq!(docket.read.delimiter.as_deref(), Some("\t"));
        assert_eq!(docket.columns[0].name, "Dues \"paid\"");
        assert_eq!(docket.matches.files, ["dues*.txt"]);
    }
}
