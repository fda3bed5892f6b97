//! The options of every command that reads text.

use super::definitions::word;
use clap::Args;

/// Encoding and lines.
const LINES: &str = "Encoding and lines";

/// Delimited layouts.
const DELIMITED: &str = "Delimited";

/// Fixed layouts.
const FIXED: &str = "Fixed positions";

/// Columns.
pub(super) const COLUMNS: &str = "Columns";

/// Rows shaped on the way in.
const SHAPING: &str = "Shaping rows";

/// Dockets.
pub(super) const DOCKET: &str = "Docket";

/// Options of every command that reads text.
#[derive(Clone, Debug, Default, PartialEq, Eq, Args)]
pub(crate) struct Read {
    /// Encoding: utf-8, windows-1252, shift_jis, cp850 and so on [default: detected]
    #[arg(long, value_name = "NAME", help_heading = LINES)]
    pub(crate) encoding: Option<String>,
    /// Layout: delimited, fixed, multiline (several lines make a record) or report [default: detected]
    #[arg(long, value_name = "KIND", value_parser = word("read", "layout"), hide_possible_values = true, help_heading = LINES)]
    pub(crate) layout: Option<String>,
    /// The line of the names, or none, or auto
    #[arg(long, value_name = "LINE|none|auto", help_heading = LINES)]
    pub(crate) header: Option<String>,
    /// Lines to read, both included; a header before them is still read
    #[arg(long, value_name = "FROM..TO", help_heading = LINES)]
    pub(crate) lines: Option<String>,
    /// What comment lines begin with, or none
    #[arg(long, value_name = "PREFIX|none", allow_hyphen_values = true, help_heading = LINES, hide_short_help = true)]
    pub(crate) comment: Option<String>,
    /// Empty rows among the records: drop them, or keep them as rows without values [default: drop]
    #[arg(long, value_name = "drop|keep", value_parser = word("read", "blank_rows"), hide_possible_values = true, help_heading = LINES, hide_short_help = true)]
    pub(crate) blank_rows: Option<String>,
    /// What is between fields: one or more characters, or tab, space, comma, semicolon, pipe, caret, colon; none: each
    /// line is one value
    #[arg(long, value_name = "X", allow_hyphen_values = true, help_heading = DELIMITED)]
    pub(crate) delimiter: Option<String>,
    /// Whether several delimiters in a row count as one
    #[arg(long, value_name = "yes|no", value_parser = ["yes", "no"], hide_possible_values = true, help_heading = DELIMITED, hide_short_help = true)]
    pub(crate) runs_as_one: Option<String>,
    /// The quote character, or none
    #[arg(long, value_name = "C|none", help_heading = DELIMITED)]
    pub(crate) quote: Option<String>,
    /// Whether a quote inside quotes is doubled; no: a backslash is in front of it
    #[arg(long, value_name = "yes|no", value_parser = ["yes", "no"], hide_possible_values = true, help_heading = DELIMITED, hide_short_help = true)]
    pub(crate) double_quote: Option<String>,
    /// Where columns start, from 1: 1,9,20; for records of several lines one list per line: 1,9/1,20
    #[arg(long, value_name = "1,9,20", help_heading = FIXED)]
    pub(crate) starts: Option<String>,
    /// A column starts here too
    #[arg(long, value_name = "N", help_heading = FIXED, hide_short_help = true)]
    pub(crate) add_start: Vec<usize>,
    /// No column starts here
    #[arg(long, value_name = "N", help_heading = FIXED, hide_short_help = true)]
    pub(crate) drop_start: Vec<usize>,
    /// Move a start from the first position to the second
    #[arg(long, value_name = "N:M", help_heading = FIXED, hide_short_help = true)]
    pub(crate) move_start: Vec<String>,
    /// What starts count [default: characters]
    #[arg(long, value_name = "characters|bytes", value_parser = word("read", "starts_in"), hide_possible_values = true, help_heading = FIXED, hide_short_help = true)]
    pub(crate) starts_in: Option<String>,
    /// This line, from 1, is the heading of a group in a report: lines like it give their value to the records below; repeatable
    #[arg(long, value_name = "N", help_heading = FIXED, hide_short_help = true)]
    pub(crate) heading_line: Vec<u64>,
    /// This line, from 1, is a record of a report: lines like it are, and no others; repeatable
    #[arg(long, value_name = "N", help_heading = FIXED, hide_short_help = true)]
    pub(crate) detail_line: Vec<u64>,
    /// This line, from 1, holds totals: lines like it do; repeatable
    #[arg(long, value_name = "N", help_heading = FIXED, hide_short_help = true)]
    pub(crate) total_line: Vec<u64>,
    /// The labels of such headings, as one record, the outermost first
    #[arg(long, value_name = "LABELS", help_heading = FIXED, hide_short_help = true)]
    pub(crate) headings: Option<String>,
    /// Where their columns are [default: last]
    #[arg(long, value_name = "first|last|none", value_parser = word("read", "carried"), hide_possible_values = true, help_heading = FIXED, hide_short_help = true)]
    pub(crate) carried: Option<String>,
    /// Empty cells of these columns take the value above them: names, numbers, ranges or patterns, as one record; none: of no column
    #[arg(long, value_name = "COLUMNS", help_heading = FIXED, hide_short_help = true)]
    pub(crate) carry: Option<String>,
    /// Divide a column into several: 'Master=, ' (a delimiter), Code=starts:1,3,7, or 'Ship=pattern:REGEX' with groups; repeatable
    #[arg(long, value_name = "COLUMN=HOW", allow_hyphen_values = true, help_heading = SHAPING)]
    pub(crate) divide: Vec<String>,
    /// Records that meet a condition become rows: "Berth = '007' AND Dues > 100"
    #[arg(long = "where", value_name = "CONDITION", help_heading = SHAPING)]
    pub(crate) condition: Option<String>,
    /// Add a column: 'Gross=ROUND(Dues * 1.19, 2)'; repeatable
    #[arg(long, value_name = "NAME=EXPRESSION", help_heading = SHAPING)]
    pub(crate) compute: Vec<String>,
    /// Of records with the same values in these columns one becomes a row: all, or columns as one record
    #[arg(long, value_name = "all|COLUMNS", help_heading = SHAPING)]
    pub(crate) distinct: Option<String>,
    /// Which of them it is
    #[arg(long, value_name = "first|last", value_parser = word("read", "distinct_stays"), hide_possible_values = true, requires = "distinct", help_heading = SHAPING, hide_short_help = true)]
    pub(crate) distinct_stays: Option<String>,
    /// Groups: one row for each value of these columns, as one record; of dates Arrived/day, /week, /month, /quarter, /year. A tally
    /// is grouped by one column
    #[arg(long, value_name = "COLUMNS", help_heading = SHAPING)]
    pub(crate) by: Option<String>,
    /// What the row of a group holds: 'COUNT(*) AS Calls, SUM(Dues), AVG(Gross), MAX(Arrived)'
    #[arg(long, value_name = "LIST", help_heading = SHAPING)]
    pub(crate) take: Option<String>,
    /// Lines of a record
    #[arg(long, value_name = "N", help_heading = FIXED, hide_short_help = true)]
    pub(crate) lines_per_record: Option<usize>,
    /// Give columns a kind: Berth=text, '*=text', 2..5=text, Arrived=date:dd/MM/yyyy, Dues=number:1.234,50, Remarks=skip;
    /// repeatable, later ones win
    #[arg(long = "as", value_name = "COLUMN=KIND[:FORMAT]", allow_hyphen_values = true, help_heading = COLUMNS)]
    pub(crate) kinds: Vec<String>,
    /// The columns that are wanted, as one record of names, numbers, ranges or patterns
    #[arg(long, value_name = "COLUMNS", help_heading = COLUMNS)]
    pub(crate) only: Option<String>,
    /// Another name for a column in the sheet; repeatable
    #[arg(long, value_name = "OLD=NEW", help_heading = COLUMNS)]
    pub(crate) rename: Vec<String>,
    /// Names for all columns, as one record
    #[arg(long, value_name = "A,B,C", help_heading = COLUMNS, hide_short_help = true)]
    pub(crate) names: Option<String>,
    /// The character before decimals: . or ,
    #[arg(long, value_name = "C", value_parser = word("read", "decimal_char"), hide_possible_values = true, help_heading = COLUMNS)]
    pub(crate) decimal_char: Option<String>,
    /// The character between groups of digits: . or , or ' or space
    #[arg(long, value_name = "C", value_parser = word("read", "group_char"), hide_possible_values = true, help_heading = COLUMNS, hide_short_help = true)]
    pub(crate) group_char: Option<String>,
    /// Spellings that mean empty, as one record: n/a,-
    #[arg(long, value_name = "TOKENS", allow_hyphen_values = true, help_heading = COLUMNS)]
    pub(crate) blank: Option<String>,
    /// Records that decide the kinds: all, or so many from the beginning [default: all]
    #[arg(long, value_name = "all|N", help_heading = COLUMNS, hide_short_help = true)]
    pub(crate) survey: Option<String>,
    /// The docket to use, by its name or file [default: the one for files of that name]
    #[arg(long, value_name = "NAME|FILE", conflicts_with = "no_docket", help_heading = DOCKET)]
    pub(crate) docket: Option<String>,
    /// Use no docket, even if there is one for files of that name
    #[arg(long, help_heading = DOCKET)]
    pub(crate) no_docket: bool,
}
