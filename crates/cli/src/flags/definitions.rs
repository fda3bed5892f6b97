//! Every command and option, once: parsing, help, man page and completions come from here.

use super::kept::{Docket, Link};
use super::read::{COLUMNS, DOCKET, Read};
use clap::builder::PossibleValuesParser;
use clap::{Args, Parser, Subcommand, ValueEnum};
use incola_core::settings::{KEYS, KeyKind};
use std::path::PathBuf;

/// Imports text files into worksheet tables: every value kept exactly, every decision explained.
#[derive(Debug, Parser)]
#[command(
    name = "incola",
    version,
    about,
    max_term_width = 100,
    subcommand_required = true,
    arg_required_else_help = true
)]
#[command(
    after_help = "Exit status: 0 done, 1 something needs a look, 2 wrong command line, 3 missing or unreadable, \
                        4 stopped to protect data, 130 interrupted."
)]
pub(crate) struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub(crate) command: Command,
    /// Colours: as the terminal is, always, or never
    #[arg(long, global = true, value_name = "auto|always|never", value_parser = ["auto", "always", "never"], hide_possible_values = true, hide_short_help = true)]
    pub(crate) color: Option<String>,
}

/// The commands.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show how a source is read, and why, with a preview; ends with the import command that would obey it
    Inspect(Box<Inspect>),
    /// Read sources, place them in a workbook as tables, and print the receipt
    Import(Box<Import>),
    /// Show control totals of text: records, sums, extremes and where they are; in groups, and against figures from elsewhere
    Tally(Box<Tally>),
    /// Write, list and check dockets: readings written down for the next file of the same sort
    Docket(Docket),
    /// Divide a column of a sheet into several, into empty cells at its right
    Divide(Divide),
    /// Write a linked table as text again, the way its source was written
    Export(Export),
    /// Show what changed in the sources of linked tables, and bring the tables up to date around what was changed by hand
    Refresh(Refresh),
    /// List the links of a workbook; point one to another source, end one, or trust one
    Link(Link),
    /// Refresh again and again: when a file changes, every so often, or both
    Watch(Watch),
    /// Take back the last change that Incola made to a workbook
    Undo(Undo),
    /// Show the last imports, each with the command that does the same for the next file
    Recent(Recent),
    /// Show what is remembered outside of workbooks, in the user's state folder, and remove it
    State(State),
    /// Lay out made-up files of the harbour office of Tolgarth Quay and run the whole job on them
    Demo(Demo),
    /// Print the completions for a shell
    Completions(Completions),
    /// Print the manual page
    Manual,
}

/// Options of `inspect`.
#[derive(Debug, Args)]
#[command(after_help = examples(&[
    ("incola inspect calls.csv", "how it is read, and why"),
    ("incola inspect calls.txt --raw", "the lines, with tabs and a ruler"),
    ("incola inspect calls.xlsx", "the sheets and tables of a workbook"),
]))]
pub(crate) struct Inspect {
    /// Files to read, or folders of them; `-` for standard input; .gz files are read as they are. Of a workbook its sheets,
    /// tables and names are listed
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<String>,
    /// Show the first rows of this sheet of a workbook
    #[arg(long, value_name = "NAME")]
    pub(crate) sheet: Option<String>,
    /// Show the lines themselves, with a ruler and visible tabs
    #[arg(long)]
    pub(crate) raw: bool,
    /// Print the readings as JSON, for programs
    #[arg(long, conflicts_with = "raw")]
    pub(crate) json: bool,
    /// Records (with --raw: lines) to show
    #[arg(long, value_name = "N", default_value_t = 8)]
    pub(crate) rows: usize,
    /// How the sources are read.
    #[command(flatten)]
    pub(crate) read: Read,
}

/// Options of `tally`.
#[derive(Debug, Args)]
#[command(after_help = examples(&[
    ("incola tally dues.csv", "sums, extremes and where they are"),
    ("incola tally calls.csv --by Arrived/month", "a line for each month"),
    ("incola tally dues.csv --expect Dues=231648.43 --expect-records 48", "status 1 if one disagrees"),
    ("incola tally harbour.xlsx --sheet dues", "the same of a sheet"),
    ("incola tally harbour.xlsx --sheet dues --against dues.csv", "every cell that is not the source's"),
]))]
pub(crate) struct Tally {
    /// Files, folders of files, patterns in quotes, web addresses, or workbooks; `-` for standard input
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<String>,
    /// The sheet of a workbook [default: all sheets]
    #[arg(long, value_name = "S")]
    pub(crate) sheet: Option<String>,
    /// Also show the first and the last records in the order of this column
    #[arg(long, value_name = "COLUMN")]
    pub(crate) sort: Option<String>,
    /// A source that the sheet is compared with, cell by cell; it is read as the options say
    #[arg(long, value_name = "SOURCE")]
    pub(crate) against: Option<String>,
    /// The sum that a column must have, with a decimal point; repeatable
    #[arg(long, value_name = "COLUMN=SUM")]
    pub(crate) expect: Vec<String>,
    /// The number of records that there must be
    #[arg(long, value_name = "N")]
    pub(crate) expect_records: Option<u64>,
    /// Print the tallies as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
    /// How the sources are read.
    #[command(flatten)]
    pub(crate) read: Read,
}

/// The form of an export.
const FORM: &str = "A form of its own";

/// Options of `export`.
#[derive(Debug, Args)]
#[command(after_help = examples(&[
    ("incola export harbour.xlsx -o calls.csv", "written as its source was: encoding, delimiter, quotes, spellings"),
    ("incola export harbour.xlsx --check", "would the source come back, byte for byte?"),
    ("incola export ledger.xlsx --sheet dues -o dues.csv", "a sheet without a link: commas, UTF-8, all digits"),
    ("incola export harbour.xlsx --to fixed -o dues.txt", "another form than the source's"),
]))]
pub(crate) struct Export {
    /// The workbook
    #[arg(value_name = "WORKBOOK")]
    pub(crate) book: PathBuf,
    /// The link, where the workbook has several
    #[arg(value_name = "LINK")]
    pub(crate) link: Option<String>,
    /// The sheet, instead of the link
    #[arg(long, value_name = "S")]
    pub(crate) sheet: Option<String>,
    /// The file to write; `-` for standard output
    #[arg(short, long, value_name = "F", conflicts_with = "check")]
    pub(crate) output: Option<PathBuf>,
    /// Write over a file that is there
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Write nothing: compare what would be written with the source
    #[arg(long)]
    pub(crate) check: bool,
    /// Write it although cells cannot be written as they are in the sheet
    #[arg(long)]
    pub(crate) even_lossy: bool,
    /// A form of its own instead of the source's; a table without a link is delimited unless this says otherwise
    #[arg(long, value_name = "delimited|fixed", value_parser = ["delimited", "fixed"], hide_possible_values = true, conflicts_with = "check", help_heading = FORM)]
    pub(crate) to: Option<String>,
    /// What stands between fields: one or more characters, or tab, comma, semicolon, pipe and so on [default: comma]
    #[arg(long, value_name = "X", allow_hyphen_values = true, help_heading = FORM)]
    pub(crate) delimiter: Option<String>,
    /// The encoding [default: utf-8]
    #[arg(long, value_name = "NAME", help_heading = FORM)]
    pub(crate) encoding: Option<String>,
    /// The decimal character [default: .]
    #[arg(long, value_name = "C", value_parser = [".", ","], hide_possible_values = true, help_heading = FORM)]
    pub(crate) decimal_char: Option<String>,
    /// What ends a line [default: lf]
    #[arg(long, value_name = "lf|crlf", value_parser = ["lf", "crlf"], hide_possible_values = true, help_heading = FORM)]
    pub(crate) line_end: Option<String>,
    /// Leave the headings out
    #[arg(long, value_name = "none", value_parser = ["none"], hide_possible_values = true, help_heading = FORM)]
    pub(crate) header: Option<String>,
    /// Write texts of digits as ="007", so that programs keep them as text
    #[arg(long, help_heading = FORM)]
    pub(crate) wrapped: bool,
    /// Print what was written as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
}

/// Options of `divide`.
#[derive(Debug, Args)]
pub(crate) struct Divide {
    /// The workbook
    #[arg(value_name = "WORKBOOK")]
    pub(crate) book: PathBuf,
    /// How values are divided: a delimiter (', ', tab, space), starts:1,3,7, or pattern: and a regular expression with groups
    #[arg(value_name = "HOW", allow_hyphen_values = true)]
    pub(crate) how: String,
    /// The column: its heading, or its letters in capitals
    #[arg(long, value_name = "C")]
    pub(crate) column: String,
    /// The sheet, where the workbook has several
    #[arg(long, value_name = "S")]
    pub(crate) sheet: Option<String>,
    /// Where the first part goes, instead of the column at the right: letters
    #[arg(long, value_name = "C")]
    pub(crate) to: Option<String>,
    /// Names of the new columns, as one record
    #[arg(long, value_name = "LIST")]
    pub(crate) names: Option<String>,
    /// Give the new columns a kind: '*=text', 'Code 1=text'; repeatable
    #[arg(long = "as", value_name = "COLUMN=KIND[:FORMAT]", allow_hyphen_values = true)]
    pub(crate) kinds: Vec<String>,
    /// Write over what is at the right
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Show what would be written, and write nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Change the workbook although it is signed; the signature is void then
    #[arg(long)]
    pub(crate) even_signed: bool,
    /// Rows that are shown
    #[arg(long, value_name = "N", default_value_t = 8)]
    pub(crate) rows: usize,
    /// Print the receipt as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
}

/// Options of `undo`.
#[derive(Debug, Args)]
pub(crate) struct Undo {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// List the versions that are kept, the newest first
    #[arg(long, conflicts_with_all = ["to", "even_changed"])]
    pub(crate) list: bool,
    /// Go back to this version of the list; what the workbook is now is kept as the newest version
    #[arg(long, value_name = "N", conflicts_with = "even_changed")]
    pub(crate) to: Option<usize>,
    /// Even if the workbook was changed since: those changes are lost
    #[arg(long)]
    pub(crate) even_changed: bool,
}

/// Options of `recent`.
#[derive(Debug, Args)]
pub(crate) struct Recent {
    /// Imports to show
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub(crate) count: usize,
    /// Show all that are remembered
    #[arg(long)]
    pub(crate) all: bool,
    /// Print them as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
}

/// Options of `state`.
#[derive(Debug, Args)]
pub(crate) struct State {
    /// The workbooks that are meant [default: all]
    #[arg(value_name = "BOOK")]
    pub(crate) books: Vec<PathBuf>,
    /// Remove the versions, and what is known of links and appended files; workbooks stay as they are
    #[arg(long, conflicts_with = "json")]
    pub(crate) clear: bool,
    /// Print it as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
}

/// Options of `refresh`.
#[derive(Debug, Args)]
#[command(after_help = examples(&[
    ("incola refresh calls.xlsx --dry-run", "what would change"),
    ("incola refresh calls.xlsx", "all its linked tables"),
    ("incola refresh calls.xlsx calls --conflicts sheet", "one table; what was typed by hand stays"),
]))]
pub(crate) struct Refresh {
    /// The workbook, or several; then the names of links, if not all are meant
    #[arg(required = true, value_name = "BOOK|LINK")]
    pub(crate) names: Vec<String>,
    /// Show what changed and write nothing; status 1 if there is something to do
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Who wins where a cell was changed by hand and in the source: one of both, or as a table says that --conflicts-to wrote
    #[arg(long, value_name = "sheet|source|F.csv")]
    pub(crate) conflicts: Option<String>,
    /// Write the conflicts as a table with a column "take", to be filled with sheet or source
    #[arg(long, value_name = "F.csv", conflicts_with = "conflicts")]
    pub(crate) conflicts_to: Option<PathBuf>,
    /// Ask nothing, even on a terminal: conflicts stay as they are
    #[arg(long)]
    pub(crate) no_questions: bool,
    /// The columns that make a record the same record from now on, as one record
    #[arg(long, value_name = "COLUMNS")]
    pub(crate) key: Option<String>,
    /// Continue although columns changed (columns), there are far fewer records than before (shorter), or the source is damaged where it
    /// was not (damage)
    #[arg(long, value_name = "columns|shorter|damage")]
    pub(crate) accept: Vec<Accept>,
    /// Formulas, names, print areas and charts elsewhere that ended with the rows go on with those that come
    #[arg(long)]
    pub(crate) follow: bool,
    /// Show every change, not only the first few of each sort
    #[arg(long)]
    pub(crate) all: bool,
    /// Print nothing unless something needs a look
    #[arg(long, conflicts_with = "json")]
    pub(crate) quiet: bool,
    /// Print what changed as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
    /// Change the workbook even if it is signed: the signature breaks
    #[arg(long)]
    pub(crate) even_signed: bool,
    /// Write rows even into a sheet that is protected against typing
    #[arg(long)]
    pub(crate) even_protected: bool,
}

/// Options of `watch`.
#[derive(Debug, Args)]
pub(crate) struct Watch {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// The links, by their names [default: all]
    #[arg(value_name = "LINK")]
    pub(crate) links: Vec<String>,
    /// How often sources are looked at, besides when a file changes: 90s, 15m, 2h
    #[arg(long, value_name = "TIME")]
    pub(crate) every: Option<String>,
    /// Stop after so many looks, for scripts
    #[arg(long, value_name = "N")]
    pub(crate) times: Option<u64>,
}

/// What is taken although it differs from before.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Accept {
    /// Other columns, or other kinds
    Columns,
    /// Fewer than half of the records, or none
    Shorter,
    /// Broken bytes, quotes and records that there were none of before
    Damage,
}

/// Options of `import`.
#[derive(Clone, Debug, Args)]
#[command(after_help = examples(&[
    ("incola import calls.csv --into calls.xlsx", "a new workbook"),
    ("incola import april.csv --into calls.xlsx --sheet calls --mode append", "rows under those of March"),
    ("incola import 'dues-*.txt' --into dues.xlsx --together", "all files in one table"),
]))]
pub(crate) struct Import {
    /// Files, folders of files, patterns in quotes, or web addresses; `-` for standard input; .gz files are read as they are
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<String>,
    /// The workbook; if it exists, sheets are added and everything else stays as it is
    #[arg(long, value_name = "BOOK")]
    pub(crate) into: PathBuf,
    /// Name of the sheet; {stem} is the source's name without its ending
    #[arg(long, value_name = "NAME", help_heading = PLACE)]
    pub(crate) sheet: Option<String>,
    /// Where rows go in an existing sheet: a cell (A2), or the name of a table, a range or a heading
    #[arg(long, value_name = "CELL|NAME", help_heading = PLACE)]
    pub(crate) at: Option<String>,
    /// fresh (the default): the cells must be empty; replace: existing rows are replaced; append: rows go under the last one
    #[arg(long, value_name = "MODE", value_parser = word("place", "mode"), hide_possible_values = true, help_heading = PLACE)]
    pub(crate) mode: Option<String>,
    /// Append a file although the same bytes were appended to that table before
    #[arg(long, help_heading = PLACE, hide_short_help = true)]
    pub(crate) again: bool,
    /// The cells that hold the records of a plain range, where totals follow below them: A2:D51
    #[arg(long, value_name = "RANGE", help_heading = PLACE, hide_short_help = true)]
    pub(crate) rows: Option<String>,
    /// Formulas, names, print areas and charts elsewhere that ended with the rows go on with those that come
    #[arg(long, help_heading = PLACE, hide_short_help = true)]
    pub(crate) follow: bool,
    /// Write a plain range instead of a table
    #[arg(long, help_heading = PLACE)]
    pub(crate) plain: bool,
    /// A row of totals below a new table: sums of what a filter shows, the mean of percentages
    #[arg(long, conflicts_with = "plain", help_heading = PLACE)]
    pub(crate) totals: bool,
    /// Put all sources into one table, with a column that says which; their columns must be the same
    #[arg(long, help_heading = PLACE)]
    pub(crate) together: bool,
    /// Add a column that says which source each row is from
    #[arg(long, value_name = "NAME", help_heading = PLACE, hide_short_help = true)]
    pub(crate) source_column: Option<String>,
    /// Add a column that numbers the records
    #[arg(long, value_name = "NAME", help_heading = PLACE, hide_short_help = true)]
    pub(crate) number_column: Option<String>,
    /// How columns find their headings [default: name]
    #[arg(long = "match", value_name = "BY", value_parser = word("place", "match"), hide_possible_values = true, help_heading = DIFFER, hide_short_help = true)]
    pub(crate) matching: Option<String>,
    /// Headings without a column: their cells stay empty [default: stop]
    #[arg(long, value_name = "blank", value_parser = word("place", "missing_columns"), hide_possible_values = true, help_heading = DIFFER)]
    pub(crate) missing_columns: Option<String>,
    /// Columns without a heading: add one, or skip the column [default: stop]
    #[arg(long, value_name = "add|skip", value_parser = word("place", "extra_columns"), hide_possible_values = true, help_heading = DIFFER)]
    pub(crate) extra_columns: Option<String>,
    /// How the sheet spells column names: lower, upper, or first (a capital at the beginning)
    #[arg(long, value_name = "CASE", value_parser = word("place", "name_case"), hide_possible_values = true, help_heading = COLUMNS, hide_short_help = true)]
    pub(crate) name_case: Option<String>,
    /// The columns that make a record the same record at a refresh, as one record [default: a column without repeats]
    #[arg(long, value_name = "COLUMNS", help_heading = LINK)]
    pub(crate) key: Option<String>,
    /// Keep no link: the table cannot be refreshed
    #[arg(long, help_heading = LINK)]
    pub(crate) no_link: bool,
    /// Keep a link although a docket or the settings file says otherwise
    #[arg(long, help_heading = LINK, hide_short_help = true, conflicts_with = "no_link")]
    pub(crate) link: bool,
    /// Do everything except write
    #[arg(long, help_heading = SAFETY)]
    pub(crate) dry_run: bool,
    /// Stop if a value does not fit the kind of its column, instead of keeping it as text
    #[arg(long, help_heading = SAFETY)]
    pub(crate) strict: bool,
    /// Change the workbook even if it is signed: the signature breaks
    #[arg(long, help_heading = SAFETY, hide_short_help = true)]
    pub(crate) even_signed: bool,
    /// Write rows even into a sheet that is protected against typing
    #[arg(long, help_heading = SAFETY, hide_short_help = true)]
    pub(crate) even_protected: bool,
    /// Print nothing unless something needs a look
    #[arg(long, help_heading = SAFETY, conflicts_with = "json")]
    pub(crate) quiet: bool,
    /// Widen columns of the sheet that are too narrow for the rows; those of new sheets fit
    #[arg(long, help_heading = PLACE, hide_short_help = true)]
    pub(crate) fit_widths: bool,
    /// Ask nothing, even on a terminal: what cannot be decided stays text
    #[arg(long, help_heading = SAFETY, hide_short_help = true)]
    pub(crate) no_questions: bool,
    /// Print the receipt as JSON, for programs
    #[arg(long, help_heading = SAFETY)]
    pub(crate) json: bool,
    /// Write down everything that was said and found as a docket
    #[arg(long, value_name = "F", help_heading = DOCKET)]
    pub(crate) save_docket: Option<PathBuf>,
    /// How the sources are read.
    #[command(flatten)]
    pub(crate) read: Read,
}

/// Where rows go.
const PLACE: &str = "Where rows go";
/// What happens where headings and columns differ.
const DIFFER: &str = "When headings and columns differ";
/// Links.
const LINK: &str = "Link";
/// Safety and output.
const SAFETY: &str = "Safety and output";

/// The words that an option takes: those of the docket's key.
pub(super) fn word(part: &str, name: &str) -> PossibleValuesParser {
    let key = KEYS.iter().find(|key| key.part == part && key.name == name);
    match key.map(|key| key.kind) {
        Some(KeyKind::OneOf(words)) => PossibleValuesParser::new(words),
        _ => PossibleValuesParser::new([""; 0]),
    }
}

/// Commands to copy, each with what it does.
pub(super) fn examples(list: &[(&str, &str)]) -> String {
    let width = list.iter().map(|(command, _)| command.len()).max().unwrap_or(0);
    let line = |(command, what): &(&str, &str)| format!("  {command:width$}  {what}");
    format!("Examples:\n{}", list.iter().map(line).collect::<Vec<_>>().join("\n"))
}

/// Options of `demo`.
#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Folder to lay the files out in [default: tolgarth-quay, in the folder for temporary files]
    #[arg(value_name = "DIR")]
    pub(crate) folder: Option<PathBuf>,
}

/// Options of `completions`.
#[derive(Debug, Args)]
pub(crate) struct Completions {
    /// The shell
    #[arg(value_name = "SHELL")]
    pub(crate) shell: clap_complete::Shell,
}

#[cfg(test)]
#[allow(clippy::disallowed_methods, reason = "a test makes its own files")]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn every_option_has_help_and_options_with_values_name_them() {
        let cli = Cli::command();
        cli.clone().debug_assert();
        for command in cli.get_subcommands() {
            assert!(command.get_about().is_some(), "{}", command.get_name());
            for option in command.get_arguments() {
                assert!(option.get_help().is_some(), "{} {}", command.get_name(), option.get_id());
                if option.get_action().takes_values() {
                    assert!(option.get_value_names().is_some_and(|n| !n.is_empty()), "{}", option.get_id());
                }
            }
        }
    }

    /// The help of all commands, as a page.
    fn page() -> String {
        let mut out = String::from("# Commands\n\nWhat `--help` prints for each command; `-h` is shorter.\n");
        let mut cli = Cli::command().term_width(100);
        cli.build();
        let mut add = |name: &str, command: &clap::Command| {
            let help = command.clone().term_width(100).render_long_help().to_string();
            let lines: Vec<&str> = help.lines().map(str::trim_end).collect();
            out.push_str(&format!("\n## {name}\n\n```text\n{}\n```\n", lines.join("\n").trim_end()));
        };
        for command in cli.get_subcommands().filter(|c| c.get_name() != "help") {
            let inner: Vec<_> = command.get_subcommands().filter(|c| c.get_name() != "help").collect();
            if inner.is_empty() {
                add(&format!("incola {}", command.get_name()), command);
            }
            for own in inner {
                add(&format!("incola {} {}", command.get_name(), own.get_name()), own);
            }
        }
        out
    }

    #[test]
    fn the_page_of_commands_is_what_help_prints() {
        let place = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/commands.md");
        if std::env::var_os("INCOLA_WRITE_DOCS").is_some() {
            std::fs::write(place, page()).unwrap();
        }
        assert!(std::fs::read_to_string(place).unwrap() == page(), "write it again: INCOLA_WRITE_DOCS=1");
    }
}
