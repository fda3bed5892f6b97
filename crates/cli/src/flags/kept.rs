//! The commands about what is kept: dockets, and the links of a workbook.

use super::definitions::examples;
use super::read::Read;
use clap::{Args, Subcommand};
use std::path::PathBuf;

/// Options of `docket`.
#[derive(Debug, Args)]
pub(crate) struct Docket {
    /// What to do.
    #[command(subcommand)]
    pub(crate) action: DocketAction,
}

/// What is done with dockets.
#[derive(Debug, Subcommand)]
pub(crate) enum DocketAction {
    /// Write how a source is read as a docket, with the reasons as comments
    Draft(Box<Draft>),
    /// List the dockets that are used here: what they are for, and when they were last used
    List(DocketList),
    /// Read a docket without a source, and report what is wrong with it
    Check(DocketCheck),
    /// Print the JSON Schema of dockets, for editors
    Schema,
}

/// Options of `docket draft`.
#[derive(Debug, Args)]
#[command(after_help = examples(&[
    ("incola docket draft dues-03.txt -o dues.docket.toml", "for all files like this one"),
    ("incola docket draft dues-03.txt --as Berth=text", "shown, not written"),
    ("incola docket draft dues-03.txt --csvw", "as the W3C's metadata for tabular data"),
]))]
pub(crate) struct Draft {
    /// The file to read
    #[arg(value_name = "SOURCE")]
    pub(crate) source: String,
    /// The docket to write; its name ends in .docket.toml [default: standard output]
    #[arg(short, long, value_name = "F")]
    pub(crate) output: Option<PathBuf>,
    /// Replace the docket if it exists
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Write the W3C's metadata for tabular data (JSON) instead; what it cannot express is listed
    #[arg(long)]
    pub(crate) csvw: bool,
    /// How the source is read.
    #[command(flatten)]
    pub(crate) read: Read,
}

/// Options of `docket list`.
#[derive(Debug, Args)]
pub(crate) struct DocketList {
    /// List those for files in the folder of this file [default: the current folder]
    #[arg(value_name = "SOURCE")]
    pub(crate) source: Option<String>,
}

/// Options of `docket check`.
#[derive(Debug, Args)]
pub(crate) struct DocketCheck {
    /// The dockets
    #[arg(required = true, value_name = "F")]
    pub(crate) files: Vec<PathBuf>,
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
    /// Have a link read as another docket says; the rows are brought in by the next refresh
    Docket(LinkDocket),
    /// End links; the values stay. Before a workbook is sent away: --all, so that it says nothing about where its rows came from
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

/// Options of `link docket`.
#[derive(Debug, Args)]
pub(crate) struct LinkDocket {
    /// The workbook
    #[arg(value_name = "BOOK")]
    pub(crate) book: PathBuf,
    /// The link, by its name
    #[arg(value_name = "LINK")]
    pub(crate) link: String,
    /// The docket that says how it is read from now on
    #[arg(value_name = "F")]
    pub(crate) docket: PathBuf,
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
