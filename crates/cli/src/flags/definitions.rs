//! Every command and option, once: parsing, help, man page and completions come from here.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

/// Imports text files into worksheet tables: every value kept exactly, every decision explained.
#[derive(Debug, Parser)]
#[command(name = "incola", version, about, max_term_width = 100, disable_help_subcommand = true)]
#[command(
    after_help = "Exit status: 0 done, 1 something needs a look, 2 wrong command line, 3 missing or unreadable, \
                        4 stopped to protect data, 130 interrupted."
)]
pub(crate) struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// The commands.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show how a source is read, and why, with a preview; ends with the import command that would obey it
    Inspect(Inspect),
    /// Read sources, place them in a workbook as tables, and print the receipt
    Import(Import),
    /// Write down how a source is read, as a docket that is found again for the next file of its sort
    Draft(Draft),
    /// Show what changed in the sources of linked tables, and bring the tables up to date around what was changed by hand
    Refresh(Refresh),
    /// List the links of a workbook; point one to another source, end one, or trust one
    Link(Link),
    /// Refresh again and again: when a file changes, every so often, or both
    Watch(Watch),
    /// Take back the last change that Incola made to a workbook
    Undo(Undo),
    /// Lay out made-up files of the harbour office of Tolgarth Quay and run the whole job on them
    Demo(Demo),
    /// Print the completions for a shell
    Completions(Completions),
    /// Print the manual page
    Manual,
}

/// Options of `inspect`.
#[derive(Debug, Args)]
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

/// Options of `draft`.
#[derive(Debug, Args)]
pub(crate) struct Draft {
    /// The file to read
    #[arg(required_unless_present_any = ["list", "schema"], value_name = "SOURCE")]
    pub(crate) source: Option<String>,
    /// The docket to write, which ends in .docket.toml; standard output if this is left out
    #[arg(short, long, value_name = "F")]
    pub(crate) output: Option<PathBuf>,
    /// Replace the docket if it is there already
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// List the dockets that are known here: what they are for, and when they were last used
    #[arg(long, conflicts_with_all = ["output", "overwrite"])]
    pub(crate) list: bool,
    /// Write the W3C's metadata for tabular data (JSON) instead; what it cannot say is told
    #[arg(long, conflicts_with = "list")]
    pub(crate) csvw: bool,
    /// Print the JSON Schema of dockets, for editors
    #[arg(long, conflicts_with_all = ["output", "overwrite", "list"])]
    pub(crate) schema: bool,
    /// How the source is read.
    #[command(flatten)]
    pub(crate) read: Read,
}

/// Options of `undo`.
#[derive(Debug, Args)]
pub(crate) struct Undo {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// Even if the workbook was changed since: those changes are lost
    #[arg(long)]
    pub(crate) even_changed: bool,
}

/// Options of `refresh`.
#[derive(Debug, Args)]
pub(crate) struct Refresh {
    /// The workbook, or several; then the names of links, if not all are meant
    #[arg(required = true, value_name = "BOOK|LINK")]
    pub(crate) names: Vec<String>,
    /// Show what changed and write nothing; status 1 if there is something to do
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Who wins where a cell was changed by hand and by the source
    #[arg(long, value_name = "source|sheet")]
    pub(crate) edits: Option<Edits>,
    /// Go on although columns went, came or changed their kind (columns), far fewer records came than before (shorter), or the source is
    /// broken where it was not (damage)
    #[arg(long, value_name = "columns|shorter|damage")]
    pub(crate) accept: Vec<Accept>,
    /// Tell every change, not only the first few of each sort
    #[arg(long)]
    pub(crate) all: bool,
    /// Print what changed as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
    /// Change the workbook even if it is signed: the signature breaks
    #[arg(long)]
    pub(crate) even_signed: bool,
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

/// Who wins.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Edits {
    /// The source: what was typed by hand is lost
    Source,
    /// The sheet: what was typed by hand stays
    Sheet,
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

/// Options of `link`.
#[derive(Debug, Args)]
pub(crate) struct Link {
    /// What to do.
    #[command(subcommand)]
    pub(crate) action: LinkAction,
}

/// What is done with links.
#[derive(Debug, Subcommand)]
pub(crate) enum LinkAction {
    /// List the links: table, source, whether it changed, how old the rows are, and which columns come from it
    List(LinkList),
    /// Point a link to another file, folder or address, whose columns must be those of the table
    Repoint(LinkRepoint),
    /// End links; the values stay
    Cut(LinkNames),
    /// Say that a link which was made elsewhere may be followed; shows what it reads
    Trust(LinkNames),
}

/// Options of `link list`.
#[derive(Debug, Args)]
pub(crate) struct LinkList {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// Print the links as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
}

/// Options of `link repoint`.
#[derive(Debug, Args)]
pub(crate) struct LinkRepoint {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// The link, by its name
    #[arg(value_name = "LINK")]
    pub(crate) link: String,
    /// The file, folder, pattern of names, or web address that it reads from now on
    #[arg(value_name = "SOURCE")]
    pub(crate) source: String,
}

/// Options of `link cut` and `link trust`.
#[derive(Debug, Args)]
pub(crate) struct LinkNames {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// The links, by their names
    #[arg(value_name = "LINK", required_unless_present = "all")]
    pub(crate) links: Vec<String>,
    /// All links of the workbook
    #[arg(long)]
    pub(crate) all: bool,
}

/// Options of `import`.
#[derive(Clone, Debug, Args)]
pub(crate) struct Import {
    /// Files to read, folders of them, patterns of their names in quotes, or web addresses; `-` for standard input; .gz files are
    /// read as they are
    #[arg(required = true, value_name = "SOURCE")]
    pub(crate) sources: Vec<String>,
    /// The workbook to write; if it is there already, sheets are added and everything else stays as it is
    #[arg(long, value_name = "BOOK")]
    pub(crate) into: PathBuf,
    /// Name of the sheet; {stem} stands for the source's name without its ending
    #[arg(long, value_name = "NAME")]
    pub(crate) sheet: Option<String>,
    /// Where rows go in a sheet that is there already: below headings that stand there, or below new ones. A cell (A2), or the
    /// name of a table, of a range, or of a heading
    #[arg(long, value_name = "CELL|NAME")]
    pub(crate) at: Option<String>,
    /// fresh (the default): nothing may stand where rows go; replace: the rows that stand there go; append: rows go under the last one
    #[arg(long, value_name = "MODE")]
    pub(crate) mode: Option<PlacingMode>,
    /// Which cells of a plain range hold records, where what follows below them are totals: A2:D51
    #[arg(long, value_name = "RANGE")]
    pub(crate) rows: Option<String>,
    /// How columns find their headings in the sheet [default: name]
    #[arg(long = "match", value_name = "BY")]
    pub(crate) matching: Option<MatchBy>,
    /// What becomes of a heading that the source has no column for [default: stop]
    #[arg(long, value_name = "blank")]
    pub(crate) missing: Option<Missing>,
    /// What becomes of a column that the sheet has no heading for [default: stop]
    #[arg(long, value_name = "add|skip")]
    pub(crate) extra: Option<Extra>,
    /// A column that says which source each row came from
    #[arg(long, value_name = "NAME")]
    pub(crate) source_column: Option<String>,
    /// A column that counts the records, so that their order can be had back
    #[arg(long, value_name = "NAME")]
    pub(crate) number_rows: Option<String>,
    /// What makes a record the same record when the table is refreshed: columns, as one record [default: a column without
    /// repeats, if there is one]
    #[arg(long, value_name = "COLUMNS")]
    pub(crate) key: Option<String>,
    /// Keep no link to the source: the table is not to be refreshed
    #[arg(long)]
    pub(crate) no_link: bool,
    /// Change the workbook even if it is signed: the signature breaks
    #[arg(long)]
    pub(crate) even_signed: bool,
    /// Put all sources into one table, with a column saying which; their columns must be the same
    #[arg(long)]
    pub(crate) together: bool,
    /// Write a plain range instead of a table
    #[arg(long)]
    pub(crate) plain: bool,
    /// Do everything but write
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Stop if a value does not fit the kind of its column, instead of keeping it as text
    #[arg(long)]
    pub(crate) strict: bool,
    /// Print the receipt as JSON, for programs
    #[arg(long)]
    pub(crate) json: bool,
    /// Ask nothing, even on a terminal: what cannot be told stays text
    #[arg(long)]
    pub(crate) no_questions: bool,
    /// How the sources are read.
    #[command(flatten)]
    pub(crate) read: Read,
}

/// Options of every command that reads text.
#[derive(Clone, Debug, Default, Args)]
#[command(next_help_heading = "How sources are read")]
pub(crate) struct Read {
    /// Encoding: utf-8, windows-1252, shift_jis, cp850 and so on [default: detected]
    #[arg(long, value_name = "NAME")]
    pub(crate) encoding: Option<String>,
    /// Layout of the lines [default: detected]
    #[arg(long, value_name = "KIND")]
    pub(crate) layout: Option<LayoutKind>,
    /// What stands between fields: one or more characters, or tab, space, comma, semicolon, pipe, caret, colon; none:
    /// each line is one value
    #[arg(long, value_name = "X", allow_hyphen_values = true)]
    pub(crate) delimiter: Option<String>,
    /// Whether several delimiters in a row count as one
    #[arg(long, value_name = "yes|no")]
    pub(crate) runs_as_one: Option<YesNo>,
    /// The quote character, or none
    #[arg(long, value_name = "C|none")]
    pub(crate) quote: Option<String>,
    /// The line of the names, or none, or auto
    #[arg(long, value_name = "LINE|none|auto")]
    pub(crate) header: Option<String>,
    /// Lines to read, both included; a header before them is still read
    #[arg(long, value_name = "FROM..TO")]
    pub(crate) lines: Option<String>,
    /// Where the columns of a fixed layout start, from 1: 1,9,20; for records of several lines one list per line: 1,9/1,20
    #[arg(long, value_name = "1,9,20")]
    pub(crate) starts: Option<String>,
    /// A column starts here too
    #[arg(long, value_name = "N")]
    pub(crate) add_start: Vec<usize>,
    /// No column starts here
    #[arg(long, value_name = "N")]
    pub(crate) drop_start: Vec<usize>,
    /// The column that starts at the first place starts at the second one
    #[arg(long, value_name = "N:M")]
    pub(crate) move_start: Vec<String>,
    /// Lines of a record
    #[arg(long, value_name = "N")]
    pub(crate) lines_per_record: Option<usize>,
    /// What starts count [default: characters]
    #[arg(long, value_name = "characters|bytes")]
    pub(crate) widths_in: Option<WidthUnit>,
    /// What comment lines begin with, or none
    #[arg(long, value_name = "PREFIX|none", allow_hyphen_values = true)]
    pub(crate) comment: Option<String>,
    /// The character before decimals: . or ,
    #[arg(long, value_name = "C")]
    pub(crate) decimal_char: Option<String>,
    /// Spellings that mean empty, as one record: n/a,-
    #[arg(long, value_name = "TOKENS", allow_hyphen_values = true)]
    pub(crate) blank: Option<String>,
    /// Force columns to a kind: Berth=text, '*=text', 2..5=text, Arrived=date:dd/MM/yyyy, Dues=number:1.234,50,
    /// Remarks=skip. May be given several times; later ones win
    #[arg(long = "as", value_name = "COLUMN=KIND[:FORMAT]", allow_hyphen_values = true)]
    pub(crate) kinds: Vec<String>,
    /// The columns that are wanted, as one record of names, numbers, ranges or patterns
    #[arg(long, value_name = "COLUMNS")]
    pub(crate) only: Option<String>,
    /// Names for all columns, as one record
    #[arg(long, value_name = "A,B,C")]
    pub(crate) names: Option<String>,
    /// Records to survey: all, none (every column is text), or a number
    #[arg(long, value_name = "all|none|N")]
    pub(crate) scan: Option<String>,
    /// The docket to obey, by its name or file [default: the one that is for files of that name]
    #[arg(long, value_name = "NAME|FILE", conflicts_with = "no_docket")]
    pub(crate) docket: Option<String>,
    /// Obey no docket, even if one is for files of that name
    #[arg(long)]
    pub(crate) no_docket: bool,
}

impl Import {
    /// What is done with what stands in the sheet.
    pub(crate) fn placing_mode(&self) -> PlacingMode {
        self.mode.unwrap_or(PlacingMode::Fresh)
    }

    /// Whether the place is stated.
    pub(crate) fn states_place(&self) -> bool {
        self.at.is_some() || self.placing_mode() != PlacingMode::Fresh || self.sheet.is_some()
    }
}

/// What is done with what stands in a sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum PlacingMode {
    /// Nothing may stand where rows go
    Fresh,
    /// The rows that stand there go, and whatever is left of them
    Replace,
    /// Rows go under the last one
    Append,
}

/// What becomes of headings without a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Missing {
    /// Its cells stay empty
    Blank,
}

/// What becomes of columns without a heading.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Extra {
    /// A heading is put behind the others
    Add,
    /// The column is left out
    Skip,
}

/// How columns find their headings.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum MatchBy {
    /// By name, whatever the order
    Name,
    /// In their order
    Position,
}

/// Layouts that can be stated.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum LayoutKind {
    /// Fields divided by a delimiter
    Delimited,
    /// Fields at fixed positions
    Fixed,
    /// Several lines make one record
    Multiline,
    /// A printed report, whose lines are kept whole
    Report,
}

impl LayoutKind {
    /// What it means to the reading.
    pub(crate) fn meaning(self) -> incola_core::layout::LayoutKind {
        use incola_core::layout::LayoutKind as Meaning;
        match self {
            Self::Delimited => Meaning::Delimited,
            Self::Fixed => Meaning::Fixed,
            Self::Multiline => Meaning::Multiline,
            Self::Report => Meaning::Report,
        }
    }
}

/// What positions of a fixed layout count.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum WidthUnit {
    /// Characters
    Characters,
    /// Bytes of the file
    Bytes,
}

/// Yes or no.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum YesNo {
    /// Yes
    Yes,
    /// No
    No,
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
}
