//! `incola demo`: the whole job on made-up files of the harbour office of Tolgarth Quay.

use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Cli, Command, Demo};
use crate::render::command::quoted;
use crate::render::style;
use crate::run::print;
use clap::Parser;
use std::path::Path;

/// The files: name, content, and what is worth seeing in them.
const FILES: [(&str, &[u8], &str); 11] = [
    (
        "port-calls.csv",
        include_bytes!("../../demo/port-calls.csv"),
        "Port calls, from the berth planner: codes that begin with zeros, 20-digit declarations, quotes around commas.",
    ),
    (
        "port-calls-april.csv",
        include_bytes!("../../demo/port-calls-april.csv"),
        "The next month's calls, their columns in another order.",
    ),
    (
        "harbour-dues.txt",
        include_bytes!("../../demo/harbour-dues.txt"),
        "Harbour dues, from a carrier's agent: Windows-1252, decimal commas, three lines in front and a total line behind.",
    ),
    (
        "radio-log.tsv",
        include_bytes!("../../demo/radio-log.tsv"),
        "The radio room's log: tabs, no header, station numbers that begin with zeros.",
    ),
    (
        "pallets.dat",
        include_bytes!("../../demo/pallets.dat"),
        "Pallets, from the customs broker: divided by ^; everything is to stay text.",
    ),
    (
        "tide-gauge.log",
        include_bytes!("../../demo/tide-gauge.log"),
        "The tide gauge's log: fixed widths, values in the headings, units and a rule line below the names.",
    ),
    (
        "manifest.txt",
        include_bytes!("../../demo/manifest.txt"),
        "A cargo manifest: three lines make one record.",
    ),
    (
        "weighbridge.lst",
        include_bytes!("../../demo/weighbridge.lst"),
        "The weighbridge's listing: columns lined up by blanks, a total at the end.",
    ),
    (
        "moorings.csv",
        include_bytes!("../../demo/moorings.csv"),
        "Two months of moorings that someone joined: the header stands in the middle again.",
    ),
    (
        "pallet-form.xlsx",
        include_bytes!("../../demo/pallet-form.xlsx"),
        "The broker's form: headings, formatted cells, a check on the codes, a chart on the second sheet.",
    ),
    (
        "ledger.xlsx",
        include_bytes!("../../demo/ledger.xlsx"),
        "The office's ledger: a table with a formula column and totals, and a chart.",
    ),
];

/// The workbooks that it makes.
const BOOKS: [&str; 3] = ["harbour.xlsx", "pallets.xlsx", "printed.xlsx"];

/// The columns of the port calls that the ledger has.
const LEDGER_COLUMNS: &str = "Call no,Berth,Arrived,Dues";

/// Lays out the files and runs the job on them.
pub(crate) fn run(options: &Demo) -> Result<ExitCode> {
    let folder = options.folder.clone().unwrap_or_else(|| std::env::temp_dir().join("tolgarth-quay"));
    lay_out(&folder)?;
    let place = |name: &str| folder.join(name).display().to_string();
    say(&format!(
        "The harbour office of Tolgarth Quay has files from other systems. They are in {}.\n",
        folder.display()
    ))?;
    for (name, _, what) in FILES {
        say(&format!("  {name:<21} {what}\n"))?;
    }
    let mut code = ExitCode::Done;
    step("First, a look at one of them.")?;
    code = code.max(obey(&["inspect", &place("harbour-dues.txt"), "--rows", "4"])?);
    step("The radio room's log has tabs, and no names: the lines themselves.")?;
    code = code.max(obey(&["inspect", "--raw", "--rows", "4", &place("radio-log.tsv")])?);
    step("Now each becomes a sheet of one workbook.")?;
    code = code.max(obey(&[
        "import",
        &place("port-calls.csv"),
        &place("harbour-dues.txt"),
        &place("radio-log.tsv"),
        "--into",
        &place("harbour.xlsx"),
    ])?);
    step("In the broker's file nothing is to be added up: every column is forced to text.")?;
    code = code.max(obey(&[
        "import",
        &place("pallets.dat"),
        "--as",
        "*=text",
        "--into",
        &place("pallets.xlsx"),
    ])?);
    step(
        "A month later the next calls go under those that are there; everything else in the workbook stays as it is.",
    )?;
    code = code.max(obey(&[
        "import",
        &place("port-calls-april.csv"),
        "--into",
        &place("harbour.xlsx"),
        "--sheet",
        "port-calls",
        "--mode",
        "append",
    ])?);
    step("The broker has a form of his own: the rows go below its headings, and look as its cells do.")?;
    code = code.max(obey(&[
        "import",
        &place("pallets.dat"),
        "--as",
        "*=text",
        "--into",
        &place("pallet-form.xlsx"),
        "--sheet",
        "Pallets",
        "--at",
        "A2",
    ])?);
    step(
        "The ledger holds February. March goes under it: the formula beside goes on, the totals move down.",
    )?;
    code = code.max(obey(&[
        "import",
        &place("port-calls.csv"),
        "--only",
        LEDGER_COLUMNS,
        "--into",
        &place("ledger.xlsx"),
        "--at",
        "ledger",
        "--mode",
        "append",
    ])?);
    step("In April the ledger begins anew: 51 rows go, twelve come, and nothing is left of the others.")?;
    code = code.max(obey(&[
        "import",
        &place("port-calls-april.csv"),
        "--only",
        LEDGER_COLUMNS,
        "--into",
        &place("ledger.xlsx"),
        "--at",
        "ledger",
        "--mode",
        "replace",
    ])?);
    say("\n")?;
    code = code.max(obey(&["inspect", &place("ledger.xlsx"), "--sheet", "Calls", "--rows", "4"])?);
    step(
        "Other systems print rather than export: no delimiter, several lines a record, headings in the middle.",
    )?;
    for name in ["tide-gauge.log", "manifest.txt", "weighbridge.lst", "moorings.csv"] {
        code = code.max(obey(&["inspect", &place(name), "--rows", "2"])?);
        say("\n")?;
    }
    step("They need no option either.")?;
    code = code.max(obey(&[
        "import",
        &place("tide-gauge.log"),
        &place("manifest.txt"),
        &place("weighbridge.lst"),
        &place("moorings.csv"),
        "--into",
        &place("printed.xlsx"),
    ])?);
    step("A start that is given wrong cuts values in two: that is counted over the whole file, and shown.")?;
    code = code.max(obey(&[
        "inspect",
        &place("weighbridge.lst"),
        "--raw",
        "--rows",
        "5",
        "--move-start",
        "65:70",
    ])?);
    let books = BOOKS.iter().chain(&["pallet-form.xlsx", "ledger.xlsx"]);
    let books: Vec<String> = books.map(|name| format!("  {}\n", place(name))).collect();
    say(&format!("\nThe workbooks:\n{}", books.concat()))?;
    // The dues hold an order of day and month that cannot be told; the demo itself went as it should.
    Ok(if code <= ExitCode::NeedsALook { ExitCode::Done } else { code })
}

/// Writes the demo's files; workbooks of an earlier run go.
fn lay_out(folder: &Path) -> Result<()> {
    std::fs::create_dir_all(folder).map_err(|e| Failure::io(folder, "make the folder", &e))?;
    for (name, content, _) in FILES {
        let path = folder.join(name);
        std::fs::write(&path, content).map_err(|e| Failure::io(&path, "write it", &e))?;
    }
    for name in BOOKS {
        let path = folder.join(name);
        if path.exists() {
            std::fs::remove_file(&path).map_err(|e| Failure::io(&path, "replace it", &e))?;
        }
    }
    Ok(())
}

fn say(text: &str) -> Result<()> {
    print(text)
}

fn step(text: &str) -> Result<()> {
    say(&format!("\n{}\n", style::strong(text)))
}

/// Shows a command and runs it as if it had been typed.
fn obey(words: &[&str]) -> Result<ExitCode> {
    let typed: Vec<String> = words.iter().map(|w| quoted(w)).collect();
    say(&format!("{}\n\n", style::faint(&format!("$ incola {}", typed.join(" ")))))?;
    let cli = Cli::try_parse_from(std::iter::once("incola").chain(words.iter().copied()))
        .map_err(|e| Failure::usage(e.to_string()))?;
    match cli.command {
        Command::Inspect(options) => super::inspect::run(&options),
        Command::Import(options) => super::import::run(&options),
        _ => Ok(ExitCode::Done),
    }
}
