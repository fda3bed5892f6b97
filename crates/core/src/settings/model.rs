//! What can be said about reading a source and placing its rows: the same in a docket, by options and in a link.

use crate::layout::LayoutKind;
use crate::rows::Role;
use serde::{Deserialize, Serialize};

/// How files are read; each key means what the option of that name means.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// The encoding.
    pub encoding: Option<String>,
    /// How lines are laid out.
    pub layout: Option<LayoutKind>,
    /// What stands between fields.
    pub delimiter: Option<String>,
    /// Whether a run of delimiters counts as one.
    pub runs_as_one: Option<bool>,
    /// The quote character, or `none`.
    pub quote: Option<String>,
    /// Whether a quote inside quotes is doubled; otherwise a backslash is in front of it.
    pub double_quote: Option<bool>,
    /// The line of the names, or `none`, or `auto`.
    pub header: Option<LineOrWord>,
    /// Lines that are read, such as `5..120`.
    pub lines: Option<String>,
    /// Where columns of a fixed layout start.
    pub starts: Option<String>,
    /// What starts count.
    pub starts_in: Option<StartsIn>,
    /// Lines of a record.
    pub lines_per_record: Option<usize>,
    /// Labels of the headings of a report, the outermost first.
    pub headings: Option<Vec<String>>,
    /// Where their columns are.
    pub carried: Option<Carried>,
    /// The columns whose empty cells take the value above them.
    pub carry: Option<Vec<String>>,
    /// Columns that are divided, and how: `COLUMN=HOW`.
    pub divide: Option<Vec<String>>,
    /// What records must meet to be rows.
    #[serde(rename = "where")]
    pub condition: Option<String>,
    /// Columns that are computed: `NAME=EXPRESSION`.
    pub compute: Option<Vec<String>>,
    /// Columns whose values no two rows may share; `all`: all of them.
    pub distinct: Option<Vec<String>>,
    /// Which of records that repeat stays.
    pub distinct_stays: Option<Stays>,
    /// What makes a group of records that become one row: `COLUMN` or `COLUMN/PERIOD`.
    pub by: Option<Vec<String>>,
    /// What is taken of each group.
    pub take: Option<String>,
    /// What comment lines begin with, or `none`.
    pub comment: Option<String>,
    /// The character before decimals.
    pub decimal_char: Option<String>,
    /// The character between groups of digits.
    pub group_char: Option<String>,
    /// The columns that are wanted.
    pub only: Option<Vec<String>>,
    /// Spellings that mean empty.
    pub blank: Option<Vec<String>>,
    /// What becomes of blank rows.
    pub blank_rows: Option<BlankRows>,
    /// Names for all columns, instead of those in the file.
    pub names: Option<Vec<String>>,
    /// Records that decide the kinds: `all`, or a number.
    pub survey: Option<LineOrWord>,
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
    /// What becomes of what stands there.
    pub mode: Option<Mode>,
    /// How columns find their headings.
    #[serde(rename = "match")]
    pub matching: Option<MatchBy>,
    /// What becomes of headings without a column.
    pub missing_columns: Option<MissingColumns>,
    /// What becomes of columns without a heading.
    pub extra_columns: Option<ExtraColumns>,
    /// Whether rows are a plain range instead of a table.
    pub plain: Option<bool>,
    /// Whether a new table gets a row of totals.
    pub totals: Option<bool>,
    /// A column that says which source a row came from.
    pub source_column: Option<String>,
    /// A column that counts the records.
    pub number_column: Option<String>,
    /// The columns that make a record the same record.
    pub key: Option<Vec<String>>,
    /// Whether all sources go into one table.
    pub together: Option<bool>,
    /// Whether a misfit stops the import.
    pub strict: Option<bool>,
    /// Whether the table keeps a link to its source.
    pub link: Option<bool>,
    /// How the sheet spells names of columns.
    pub name_case: Option<NameCase>,
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

macro_rules! words {
    ($(#[$about:meta])* $name:ident { $($(#[$of:meta])* $word:ident = $text:literal,)+ }) => {
        $(#[$about])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
        pub enum $name {
            $($(#[$of])* #[serde(rename = $text)] $word,)+
        }

        impl $name {
            /// The word for it, in dockets and on the command line.
            pub const fn word(self) -> &'static str {
                match self { $(Self::$word => $text,)+ }
            }

            /// What a word means.
            pub fn from_word(word: &str) -> Option<Self> {
                match word { $($text => Some(Self::$word),)+ _ => None }
            }
        }
    };
}

words! {
    /// What starts of a fixed layout count.
    StartsIn {
        /// Characters.
        Characters = "characters",
        /// Bytes of the file.
        Bytes = "bytes",
    }
}

words! {
    /// Where the columns are that headings of a report give to their records.
    Carried {
        /// Before the fields of the record.
        First = "first",
        /// After them.
        Last = "last",
        /// Nowhere.
        None = "none",
    }
}

words! {
    /// Which of records that repeat stays.
    Stays {
        /// The first one.
        First = "first",
        /// The last one.
        Last = "last",
    }
}

words! {
    /// What lines are to the table.
    LineRole {
        /// Records.
        Detail = "detail",
        /// Headings of groups.
        Heading = "heading",
        /// Totals.
        Total = "total",
        /// What comes back at the head of each page.
        Page = "page",
        /// Nothing of it.
        Aside = "aside",
    }
}

impl LineRole {
    /// The same among all that a line can be.
    pub const fn role(self) -> Role {
        match self {
            Self::Detail => Role::Detail,
            Self::Heading => Role::Heading,
            Self::Total => Role::Total,
            Self::Page => Role::Page,
            Self::Aside => Role::Aside,
        }
    }
}

/// What lines are, by an example or by a pattern.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Line {
    /// What they are.
    pub role: LineRole,
    /// One of them.
    pub example: Option<String>,
    /// A regular expression that finds something in them.
    pub matches: Option<String>,
}

words! {
    /// What becomes of blank rows among the records.
    BlankRows {
        /// They are dropped and listed.
        Drop = "drop",
        /// They are rows without values.
        Keep = "keep",
    }
}

words! {
    /// What becomes of what stands where rows go.
    Mode {
        /// Nothing may stand there.
        Fresh = "fresh",
        /// The rows that stand there go.
        Replace = "replace",
        /// Rows go under the last one.
        Append = "append",
    }
}

words! {
    /// How columns find their headings.
    MatchBy {
        /// By name, whatever the order.
        Name = "name",
        /// In their order.
        Position = "position",
    }
}

words! {
    /// What becomes of headings without a column.
    MissingColumns {
        /// Their cells stay empty.
        Blank = "blank",
    }
}

words! {
    /// What becomes of columns without a heading.
    ExtraColumns {
        /// They get a heading after the others.
        Add = "add",
        /// They are left out.
        Skip = "skip",
    }
}

words! {
    /// How the sheet spells names of columns.
    NameCase {
        /// In lower case.
        Lower = "lower",
        /// In upper case.
        Upper = "upper",
        /// With a capital at the beginning.
        First = "first",
    }
}
