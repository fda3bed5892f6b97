//! Dockets: a reading written down, so that the next file of its sort needs nothing said. TOML (version 1.0), made to be edited.
//!
//! A docket says three things: which files it is [for](Match), how they are [read](Reading) and [placed](Place), and what becomes of
//! their [columns](Column). What it leaves out is detected, as ever.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt::Write as _;

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

/// How files are read; each key means what the option of that name means.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// The encoding.
    pub encoding: Option<String>,
    /// `delimited`, `fixed`, `multiline` or `report`.
    pub layout: Option<String>,
    /// What stands between fields.
    pub delimiter: Option<String>,
    /// Whether a run of delimiters counts as one.
    pub runs_as_one: Option<bool>,
    /// The quote character, or `none`.
    pub quote: Option<String>,
    /// The line of the names, or `none`, or `auto`.
    pub header: Option<LineOrWord>,
    /// Lines that are read, such as `5..120`.
    pub lines: Option<String>,
    /// Where columns of a fixed layout start.
    pub starts: Option<String>,
    /// What starts count: `characters` or `bytes`.
    pub widths_in: Option<String>,
    /// Lines of a record.
    pub lines_per_record: Option<usize>,
    /// What comment lines begin with, or `none`.
    pub comment: Option<String>,
    /// The character before decimals.
    pub decimal_char: Option<String>,
    /// Spellings that mean empty.
    pub blank: Option<Vec<String>>,
    /// What becomes of blank rows: `drop` or `keep`.
    pub blank_rows: Option<String>,
    /// Names for all columns, instead of those in the file.
    pub names: Option<Vec<String>>,
    /// Records that are surveyed: `all`, `none`, or a number.
    pub scan: Option<LineOrWord>,
}

/// A number or a word.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum LineOrWord {
    /// A number.
    Number(u64),
    /// A word.
    Word(String),
}

impl LineOrWord {
    /// As the option has it.
    pub fn text(&self) -> String {
        match self {
            Self::Number(number) => number.to_string(),
            Self::Word(word) => word.clone(),
        }
    }
}

/// Where rows go; each key means what the option of that name means.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Place {
    /// The sheet.
    pub sheet: Option<String>,
    /// A cell, or the name of a table, range or heading.
    pub at: Option<String>,
    /// `fresh`, `replace` or `append`.
    pub mode: Option<String>,
    /// `name` or `position`.
    #[serde(rename = "match")]
    pub matching: Option<String>,
    /// `blank`.
    pub missing: Option<String>,
    /// `add` or `skip`.
    pub extra: Option<String>,
    /// Whether rows are a plain range instead of a table.
    pub plain: Option<bool>,
    /// A column that says which source a row came from.
    pub source_column: Option<String>,
    /// A column that counts the records.
    pub number_rows: Option<String>,
    /// How the sheet spells names of columns: `lower`, `upper` or `first`, a capital at the beginning.
    pub name_case: Option<String>,
}

/// What becomes of a column.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Column {
    /// Its name in the source.
    pub name: String,
    /// Its kind: text, number, date, time, datetime, boolean, or skip, which leaves it out.
    #[serde(rename = "as")]
    pub kind: Option<String>,
    /// How the kind is spelled.
    pub format: Option<String>,
    /// What the sheet calls it.
    pub called: Option<String>,
    /// What is shown when its heading is selected.
    pub description: Option<String>,
    /// Its unit, shown with the description.
    pub unit: Option<String>,
    /// Spellings that mean empty in this column, besides those of all columns.
    pub blank: Option<Vec<String>>,
    /// Whether a number that is missing is written as 0.
    pub zero_if_blank: Option<bool>,
}

/// What a key's value is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KeyKind {
    /// Text.
    Text,
    /// A whole number.
    Number,
    /// A whole number or a word.
    NumberOrWord,
    /// `true` or `false`.
    YesNo,
    /// A list of texts.
    Texts,
    /// Texts by name.
    Pairs,
    /// One of these words.
    OneOf(&'static [&'static str]),
}

/// A key of a docket, described: the reference page and the schema come from here.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Key {
    /// The part that it stands in; empty: at the top.
    pub part: &'static str,
    /// The key.
    pub name: &'static str,
    /// What its value is.
    pub kind: KeyKind,
    /// What it says.
    pub about: &'static str,
    /// A value, as TOML spells it.
    pub example: &'static str,
}

const fn key(
    part: &'static str,
    name: &'static str,
    kind: KeyKind,
    example: &'static str,
    about: &'static str,
) -> Key {
    Key { part, name, kind, about, example }
}

/// The kinds of columns.
const KINDS: &[&str] = &["text", "number", "date", "time", "datetime", "boolean", "skip"];

/// All keys, in the order of the page.
pub const KEYS: &[Key] = &[
    key("", "docket", KeyKind::Number, "1", "The version of the format. Required."),
    key(
        "match",
        "files",
        KeyKind::Texts,
        "[\"dues-*.txt\"]",
        "Names of files, without folders, that the docket is for: `*` stands for any characters, `?` for one; case does not matter.",
    ),
    key(
        "request",
        "headers",
        KeyKind::Pairs,
        "{ Accept = \"text/csv\" }",
        "Header fields of a request to a web address. `${NAME}` stands for the environment variable of that name; secrets are given in no other way.",
    ),
    key(
        "request",
        "query",
        KeyKind::Pairs,
        "{ port = \"TGQ\", key = \"${QUAY_KEY}\" }",
        "Values behind the `?` of the address.",
    ),
    key("read", "encoding", KeyKind::Text, "\"windows-1252\"", "The encoding, by any of its usual names."),
    key(
        "read",
        "layout",
        KeyKind::OneOf(&["delimited", "fixed", "multiline", "report"]),
        "\"delimited\"",
        "How lines are laid out.",
    ),
    key(
        "read",
        "delimiter",
        KeyKind::Text,
        "\";\"",
        "What stands between fields: characters, or tab, space, comma, semicolon, pipe, caret, colon, none.",
    ),
    key("read", "runs_as_one", KeyKind::YesNo, "false", "Whether a run of delimiters counts as one."),
    key("read", "quote", KeyKind::Text, "'\"'", "The quote character, or none."),
    key("read", "header", KeyKind::NumberOrWord, "4", "The line of the names, from 1, or none, or auto."),
    key("read", "lines", KeyKind::Text, "\"5..120\"", "Physical lines that are read, both included."),
    key(
        "read",
        "starts",
        KeyKind::Text,
        "\"1,9,20\"",
        "Where columns of a fixed layout start, from 1; for records of several lines one list per line, divided by `/`.",
    ),
    key(
        "read",
        "widths_in",
        KeyKind::OneOf(&["characters", "bytes"]),
        "\"characters\"",
        "What starts count.",
    ),
    key("read", "lines_per_record", KeyKind::Number, "3", "Lines of a record."),
    key("read", "comment", KeyKind::Text, "\"#\"", "What comment lines begin with, or none."),
    key(
        "read",
        "decimal_char",
        KeyKind::OneOf(&[".", ","]),
        "\",\"",
        "The character before decimals, of all columns.",
    ),
    key("read", "blank", KeyKind::Texts, "[\"n/a\", \"-\"]", "Spellings that mean empty."),
    key(
        "read",
        "blank_rows",
        KeyKind::OneOf(&["drop", "keep"]),
        "\"drop\"",
        "What becomes of blank rows among the records: dropped and listed, or kept as rows without values.",
    ),
    key(
        "read",
        "names",
        KeyKind::Texts,
        "[\"Voyage\", \"Berth\"]",
        "Names for all columns, where the file has none.",
    ),
    key(
        "read",
        "scan",
        KeyKind::NumberOrWord,
        "\"all\"",
        "Records that are surveyed before kinds are decided: all, none, or a number.",
    ),
    key(
        "place",
        "sheet",
        KeyKind::Text,
        "\"{stem}\"",
        "The sheet; `{stem}` is the file's name without ending, `{Name}` a value found in its headings.",
    ),
    key(
        "place",
        "at",
        KeyKind::Text,
        "\"A2\"",
        "A cell, or the name of a table, a range or a heading, in a workbook that is there.",
    ),
    key(
        "place",
        "mode",
        KeyKind::OneOf(&["fresh", "replace", "append"]),
        "\"append\"",
        "What is done with rows that stand there.",
    ),
    key(
        "place",
        "match",
        KeyKind::OneOf(&["name", "position"]),
        "\"name\"",
        "How columns find their headings.",
    ),
    key(
        "place",
        "missing",
        KeyKind::OneOf(&["blank"]),
        "\"blank\"",
        "What becomes of a heading without a column.",
    ),
    key(
        "place",
        "extra",
        KeyKind::OneOf(&["add", "skip"]),
        "\"skip\"",
        "What becomes of a column without a heading.",
    ),
    key("place", "plain", KeyKind::YesNo, "true", "Whether rows are a plain range instead of a table."),
    key(
        "place",
        "source_column",
        KeyKind::Text,
        "\"File\"",
        "A column that says which file a row came from.",
    ),
    key("place", "number_rows", KeyKind::Text, "\"No\"", "A column that counts the records."),
    key(
        "place",
        "name_case",
        KeyKind::OneOf(&["lower", "upper", "first"]),
        "\"first\"",
        "How the sheet spells names of columns that are not called otherwise: in lower or upper case, or with a capital at the beginning.",
    ),
    key(
        "column",
        "name",
        KeyKind::Text,
        "\"Berth\"",
        "The column's name in the file. Required; a file without it stops the import.",
    ),
    key(
        "column",
        "as",
        KeyKind::OneOf(KINDS),
        "\"text\"",
        "Its kind; skip leaves it out. Left out: detected.",
    ),
    key(
        "column",
        "format",
        KeyKind::Text,
        "\"dd.MM.yyyy\"",
        "How the kind is spelled: a date pattern (UAX #35), a number with its marks, a picture such as 9(5)v99, or yes/no.",
    ),
    key("column", "called", KeyKind::Text, "\"Quay\"", "What the sheet calls it."),
    key(
        "column",
        "description",
        KeyKind::Text,
        "\"As the carrier counts.\"",
        "What is shown when its heading is selected, in a new sheet.",
    ),
    key("column", "unit", KeyKind::Text, "\"kg\"", "The unit of its values, shown with the description."),
    key(
        "column",
        "blank",
        KeyKind::Texts,
        "[\"n/a\"]",
        "Spellings that mean empty in this column, besides those of all columns.",
    ),
    key(
        "column",
        "zero_if_blank",
        KeyKind::YesNo,
        "true",
        "Whether a number that is missing is written as 0. Left out: its cell stays empty.",
    ),
];

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
    /// use incola_core::docket::Docket;
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
            return Err(wrong("docket", why, Some("bring the program up to date")));
        }
        if self.docket == 0 {
            return Err(wrong("docket", "there is no version 0".into(), Some("docket = 1")));
        }
        let read = &self.read;
        let words: [(&str, Option<&String>, &[&str]); 8] = [
            ("layout", read.layout.as_ref(), &["delimited", "fixed", "multiline", "report"]),
            ("widths_in", read.widths_in.as_ref(), &["characters", "bytes"]),
            ("mode", self.place.mode.as_ref(), &["fresh", "replace", "append"]),
            ("match", self.place.matching.as_ref(), &["name", "position"]),
            ("missing", self.place.missing.as_ref(), &["blank"]),
            ("extra", self.place.extra.as_ref(), &["add", "skip"]),
            ("blank_rows", read.blank_rows.as_ref(), &["drop", "keep"]),
            ("name_case", self.place.name_case.as_ref(), &["lower", "upper", "first"]),
        ];
        for (key, value, known) in words {
            if let Some(value) = value.filter(|v| !known.contains(&v.as_str())) {
                let why = format!("{key} = \u{201c}{value}\u{201d}: it is one of {}", known.join(", "));
                return Err(wrong(key, why, nearest(value, known.iter().copied())));
            }
        }
        if let Some(name) = self.request.open_secret() {
            let why = format!("{name}: secrets are not written into dockets, which travel with workbooks");
            return Err(wrong(name, why, Some(&format!("{name} = \"${{NAME_OF_A_VARIABLE}}\""))));
        }
        let layout = read.layout.as_deref();
        if read.starts.is_some() && layout == Some("delimited") {
            return Err(wrong(
                "starts",
                "a delimited layout has no starts".into(),
                Some("layout = \"fixed\""),
            ));
        }
        if read.delimiter.is_some() && matches!(layout, Some("fixed")) {
            return Err(wrong("delimiter", "a fixed layout has no delimiter".into(), None));
        }
        if let (Some(starts), false, None) = (&read.starts, self.columns.is_empty(), &read.names) {
            let count: usize = starts.split('/').map(|line| line.split(',').count()).sum();
            if count != self.columns.len() {
                let why = format!("{count} starts, but {} columns are described", self.columns.len());
                return Err(wrong("starts", why, None));
            }
        }
        let kinds = ["text", "number", "date", "time", "datetime", "boolean", "skip"];
        let mut described = std::collections::HashSet::new();
        for column in &self.columns {
            if let Some(kind) = column.kind.as_ref().filter(|k| !kinds.contains(&k.as_str())) {
                let why =
                    format!("column \u{201c}{}\u{201d}: \u{201c}{kind}\u{201d} is no kind", column.name);
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
    /// # use incola_core::docket::{Docket, Match};
    /// let docket = Docket { matches: Match { files: vec!["dues-??.txt".into()] }, ..Docket::default() };
    /// assert!(docket.is_for("Dues-03.txt") && !docket.is_for("dues-3.txt"));
    /// ```
    pub fn is_for(&self, file: &str) -> bool {
        self.matches.files.iter().any(|pattern| fits(&pattern.to_lowercase(), &file.to_lowercase()))
    }
}

/// Whether a name fits a pattern of `*`, which stands for any characters, and `?`, which stands for one.
pub fn fits(pattern: &str, name: &str) -> bool {
    let (pattern, name): (Vec<char>, Vec<char>) = (pattern.chars().collect(), name.chars().collect());
    // Where the last star stands, and how much of the name it takes so far.
    let (mut p, mut n, mut star) = (0, 0, None);
    while n < name.len() {
        match pattern.get(p) {
            Some('*') => {
                star = Some((p, n));
                p += 1;
            }
            Some(c) if *c == '?' || *c == name[n] => {
                p += 1;
                n += 1;
            }
            _ => match star {
                Some((at, taken)) => {
                    star = Some((at, taken + 1));
                    (p, n) = (at + 1, taken + 1);
                }
                None => return false,
            },
        }
    }
    pattern[p..].iter().all(|c| *c == '*')
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
        instead = nearest(key, known.iter().copied()).map(str::to_owned);
        why = format!("there is no key \u{201c}{key}\u{201d} here; there are {}", known.join(", "));
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

/// The word that is most alike, if one is alike at all.
fn nearest<'w>(word: &str, known: impl IntoIterator<Item = &'w str>) -> Option<&'w str> {
    let best = known.into_iter().min_by_key(|k| distance(word, k))?;
    (distance(word, best) <= 1 + word.chars().count() / 3).then_some(best)
}

/// How many characters must be put in, left out or changed.
fn distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, c) in a.chars().enumerate() {
        let mut corner = row[0];
        row[0] = i + 1;
        for (j, d) in b.iter().enumerate() {
            let change = corner + usize::from(c != *d);
            corner = row[j + 1];
            row[j + 1] = change.min(row[j] + 1).min(row[j + 1] + 1);
        }
    }
    row[b.len()]
}

/// Writes a docket line by line: keys, values, and what speaks for them.
#[derive(Debug, Default)]
pub struct DocketWriter {
    text: String,
}

impl DocketWriter {
    /// A docket that begins with a comment.
    pub fn new(about: &str) -> Self {
        let mut writer = Self::default();
        writer.comment(about);
        let _ = writeln!(writer.text, "docket = {VERSION}");
        writer
    }

    /// Begins a part, such as `[read]` or `[[column]]`.
    pub fn part(&mut self, name: &str) {
        let _ = writeln!(self.text, "\n{name}");
    }

    /// A comment on lines of its own.
    pub fn comment(&mut self, text: &str) {
        for line in text.lines() {
            let _ = writeln!(self.text, "# {}", plain(line));
        }
    }

    /// A key, its value as TOML spells it, and what speaks for it.
    pub fn key(&mut self, key: &str, value: &toml::Value, why: &str) {
        let pair = format!("{key} = {value}");
        if why.is_empty() {
            let _ = writeln!(self.text, "{pair}");
        } else {
            let _ = writeln!(self.text, "{pair:<32}  # {}", plain(why));
        }
    }

    /// The same for text.
    pub fn text(&mut self, key: &str, value: &str, why: &str) {
        self.key(key, &toml::Value::String(value.to_owned()), why);
    }

    /// The docket.
    pub fn finish(self) -> String {
        self.text
    }
}

/// Text that may stand in a comment.
fn plain(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect::<String>().trim_end().to_owned()
}

/// The format that says how a kind is spelled, where the next file needs to know.
pub fn format_of(rule: &crate::kind::Rule, format: Option<String>) -> Option<String> {
    match rule {
        // A picture says how many digits there are; otherwise the marks alone are said, and with two decimals no mark can be
        // taken for the other.
        crate::kind::Rule::Number(rule) if rule.implied_decimals.is_none() => {
            let has_marks = !rule.group.text().is_empty() || rule.spellings.iter().any(|s| s.has_mark());
            has_marks.then(|| format!("1{}234{}50", rule.group.text(), rule.decimal.char()))
        }
        crate::kind::Rule::Number(_) | crate::kind::Rule::Date(_) | crate::kind::Rule::Boolean(_) => format,
        crate::kind::Rule::Text | crate::kind::Rule::Skip => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
                "\u{201c}txt\u{201d} is no kind",
                Some("text"),
            ),
            ("docket = 2\n", Some(1), "version 2", Some("bring the program up to date")),
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
        for key in
            KEYS.iter().filter(|k| !matches!(k.name, "starts" | "widths_in" | "names" | "lines_per_record"))
        {
            if key.part != part {
                part = key.part;
                let _ = writeln!(
                    text,
                    "{}",
                    if part == "column" { "[[column]]".into() } else { format!("[{part}]") }
                );
            }
            let _ = writeln!(text, "{} = {}", key.name, key.example);
        }
        Docket::read(&text).unwrap();
        // And there is none besides: what is told of an unknown key lists them all.
        for part in ["match", "read", "place", "column"] {
            let list = |why: &str| why.rsplit("there are ").next().unwrap_or("").to_owned();
            let head = if part == "column" { "[[column]]".to_owned() } else { format!("[{part}]") };
            let bad = Docket::read(&format!("docket = 1\n{head}\nzzz = 1\n")).unwrap_err();
            let known = list(&bad.why);
            let described: Vec<&str> = KEYS.iter().filter(|k| k.part == part).map(|k| k.name).collect();
            for name in known.split(", ").filter(|_| known != bad.why) {
                assert!(described.contains(&name), "{name} is not described");
            }
        }
    }

    #[test]
    fn names_fit_patterns() {
        for (pattern, name, expected) in [
            ("*.csv", "calls.csv", true),
            ("calls-20??-*.csv", "calls-2031-april.csv", true),
            ("calls-20??-*.csv", "calls-31-april.csv", false),
            ("*a*b", "xaxxb", true),
            ("*a*b", "xaxxbc", false),
            ("", "", true),
            ("**", "anything", true),
            ("dues.txt", "dues.txt.gz", false),
        ] {
            assert_eq!(fits(pattern, name), expected, "{pattern} {name}");
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
