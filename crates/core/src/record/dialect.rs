//! How records are divided.

use super::fixed::Fixed;
use super::multiline::Multiline;

/// How text is divided into records and fields.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Dialect {
    /// What divides a line; the delimiter and the quote mean something for [`Division::Delimited`] alone.
    pub division: Division,
    /// What stands between two fields, in UTF-8; empty: each line is one field.
    pub delimiter: Vec<u8>,
    /// Whether several delimiters in a row count as one. Runs of blanks at both ends of a line then count as nothing, and
    /// where the delimiter is a space, a tab is one too.
    pub runs_as_one: bool,
    /// Most fields of a record, where runs of blanks divide: the last one takes the rest of the line.
    pub most_fields: Option<usize>,
    /// The ASCII character around fields that hold delimiters or line ends; `None`: quotes are characters.
    pub quote: Option<u8>,
    /// Whether a quote inside quotes is doubled, as in RFC 4180; otherwise a backslash is in front of it, as of each backslash.
    pub doubles_quotes: bool,
    /// What a line that is not a record begins with.
    pub comment_prefix: Option<Vec<u8>>,
    /// Whether a carriage return without a line feed ends a line.
    pub lone_cr_ends_line: bool,
    /// Lines, blanks around them left out, that stand between records of several lines, as blank ones do.
    pub separators: Vec<Vec<u8>>,
}

impl Dialect {
    /// Fields between `delimiter`, quoted with `"`, and lines ended by LF or CRLF.
    ///
    /// ```
    /// let dialect = incola_core::record::Dialect::new(";");
    /// assert_eq!(dialect.quote, Some(b'"'));
    /// ```
    pub fn new(delimiter: &str) -> Self {
        Self {
            division: Division::Delimited,
            delimiter: delimiter.as_bytes().to_vec(),
            runs_as_one: false,
            most_fields: None,
            quote: Some(b'"'),
            doubles_quotes: true,
            comment_prefix: None,
            lone_cr_ends_line: false,
            separators: Vec::new(),
        }
    }

    /// Whether the delimiter is made of blanks (spaces or tabs) alone.
    pub fn is_blank_delimited(&self) -> bool {
        !self.delimiter.is_empty() && self.delimiter.iter().all(|&b| b == b' ' || b == b'\t')
    }
}

/// What divides a record into fields.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Division {
    /// A delimiter.
    #[default]
    Delimited,
    /// Positions in the line.
    Fixed(Fixed),
    /// Several lines make one record.
    Multiline(Multiline),
}
