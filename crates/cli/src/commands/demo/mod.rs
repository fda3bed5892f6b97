//! `incola demo`: the whole job on made-up files of the harbour office of Tolgarth Quay.

mod month;
mod stand_in;

use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Cli, Command, Demo, Import, Refresh};
use crate::io::disk;
use crate::output::print;
use crate::render::command::quoted;
use crate::render::style;
use clap::Parser;
use std::path::Path;

/// The files: name, content, and what is worth seeing in them.
const FILES: [(&str, &[u8], &str); 15] = [
    (
        "port-calls.csv",
        include_bytes!("../../../demo/port-calls.csv"),
        "Port calls, from the berth planner: codes that begin with zeros, 20-digit declarations, quotes around commas.",
    ),
    (
        "port-calls-april.csv",
        include_bytes!("../../../demo/port-calls-april.csv"),
        "The next month's calls, their columns in another order.",
    ),
    (
        "harbour-dues.txt",
        include_bytes!("../../../demo/harbour-dues.txt"),
        "Harbour dues, from a carrier's agent: Windows-1252, decimal commas, three lines before the header and a total line at the end.",
    ),
    (
        "radio-log.tsv",
        include_bytes!("../../../demo/radio-log.tsv"),
        "The radio room's log: tabs, no header, station numbers that begin with zeros.",
    ),
    (
        "pallets.dat",
        include_bytes!("../../../demo/pallets.dat"),
        "Pallets, from the customs broker: divided by ^; everything is to stay text.",
    ),
    (
        "tide-gauge.log",
        include_bytes!("../../../demo/tide-gauge.log"),
        "The tide gauge's log: fixed widths, values in the headings, units and a rule line below the names.",
    ),
    (
        "manifest.txt",
        include_bytes!("../../../demo/manifest.txt"),
        "A cargo manifest: three lines make one record.",
    ),
    (
        "weighbridge.lst",
        include_bytes!("../../../demo/weighbridge.lst"),
        "The weighbridge's listing: columns aligned with spaces, a total at the end.",
    ),
    (
        "moorings.csv",
        include_bytes!("../../../demo/moorings.csv"),
        "Two months of moorings that someone joined: the header is in the middle again.",
    ),
    (
        "agents-852.txt",
        include_bytes!("../../../demo/agents-852.txt"),
        "Agents' calls, from a system that still writes code page 852.",
    ),
    (
        "pilot-orders.txt",
        include_bytes!("../../../demo/pilot-orders.txt"),
        "Pilot orders: four lines with labels make one, with nothing between them.",
    ),
    (
        "pilotage.rpt",
        include_bytes!("../../../demo/pilotage.rpt"),
        "The pilots' report, printed: pages, headings of two levels, subtotals, a grand total.",
    ),
    (
        "dues-extract.fix",
        include_bytes!("../../../demo/dues-extract.fix"),
        "An extract of dues in which columns touch; the first and the last line are of other types.",
    ),
    (
        "pallet-form.xlsx",
        include_bytes!("../../../demo/pallet-form.xlsx"),
        "The broker's form: headings, formatted cells, a check on the codes, a chart on the second sheet.",
    ),
    (
        "ledger.xlsx",
        include_bytes!("../../../demo/ledger.xlsx"),
        "The office's ledger: a table with a formula column and totals, and a chart.",
    ),
];

/// Four weeks of three carriers, and a docket for each carrier.
const CARRIERS: [(&str, &[u8]); 15] = [
    ("skerry-line.docket.toml", include_bytes!("../../../demo/carriers/skerry-line.docket.toml")),
    ("skerry-line-01.txt", include_bytes!("../../../demo/carriers/skerry-line-01.txt")),
    ("skerry-line-02.txt", include_bytes!("../../../demo/carriers/skerry-line-02.txt")),
    ("skerry-line-03.txt", include_bytes!("../../../demo/carriers/skerry-line-03.txt")),
    ("skerry-line-04.txt", include_bytes!("../../../demo/carriers/skerry-line-04.txt")),
    ("tern-shipping.docket.toml", include_bytes!("../../../demo/carriers/tern-shipping.docket.toml")),
    ("tern-shipping-01.dat", include_bytes!("../../../demo/carriers/tern-shipping-01.dat")),
    ("tern-shipping-02.dat", include_bytes!("../../../demo/carriers/tern-shipping-02.dat")),
    ("tern-shipping-03.dat", include_bytes!("../../../demo/carriers/tern-shipping-03.dat")),
    ("tern-shipping-04.dat", include_bytes!("../../../demo/carriers/tern-shipping-04.dat")),
    ("halcyon.docket.toml", include_bytes!("../../../demo/carriers/halcyon.docket.toml")),
    ("halcyon-01.tsv", include_bytes!("../../../demo/carriers/halcyon-01.tsv")),
    ("halcyon-02.tsv", include_bytes!("../../../demo/carriers/halcyon-02.tsv")),
    ("halcyon-03.tsv", include_bytes!("../../../demo/carriers/halcyon-03.tsv")),
    ("halcyon-04.tsv", include_bytes!("../../../demo/carriers/halcyon-04.tsv")),
];

/// Files whose rows are shaped on the way in, and the docket of one of them.
const SHAPING: [(&str, &[u8]); 3] = [
    ("kestrel-reefers.docket.toml", include_bytes!("../../../demo/shaping/kestrel-reefers.docket.toml")),
    ("kestrel-reefers.csv", include_bytes!("../../../demo/shaping/kestrel-reefers.csv")),
    ("tide-days.csv", include_bytes!("../../../demo/shaping/tide-days.csv")),
];

/// The workbooks that it makes.
const BOOKS: [&str; 8] = [
    "harbour.xlsx",
    "pallets.xlsx",
    "printed.xlsx",
    "pilotage.xlsx",
    "extract.xlsx",
    "carriers.xlsx",
    "april.xlsx",
    "shaped.xlsx",
];

/// The columns of the port calls that the ledger has.
const LEDGER_COLUMNS: &str = "Call no,Berth,Arrived,Dues";

/// Turns two digits of a subtotal in the report around.
fn tamper(report: &Path) -> Result<()> {
    let changed = include_str!("../../../demo/pilotage.rpt").replacen("3,003.56", "3,003.65", 1);
    disk::write(report, changed).map_err(|e| Failure::io(report, "write it", &e))
}

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
    step("What was imported is checked: the dues by week, and the figures that the office wrote down.")?;
    code = code.max(obey(&[
        "tally",
        &place("port-calls.csv"),
        "--by",
        "Arrived/week",
        "--expect-records",
        "48",
        "--expect",
        "Dues=231648.43",
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
        "The ledger holds February. March is added under it: the formula beside continues, the totals move down, the chart takes it in.",
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
        "--follow",
    ])?);
    step("In April the ledger starts again: twelve rows replace 51, and nothing is left of the others.")?;
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
    step("A report: headings become columns, and the printed totals prove that no line is missing.")?;
    code = code.max(obey(&["inspect", &place("pilotage.rpt"), "--rows", "3"])?);
    code = code.max(obey(&["import", &place("pilotage.rpt"), "--into", &place("pilotage.xlsx")])?);
    step("Somebody changed a subtotal.")?;
    tamper(&folder.join("pilotage.rpt"))?;
    code = code.max(obey(&[
        "import",
        &place("pilotage.rpt"),
        "--into",
        &place("pilotage.xlsx"),
        "--dry-run",
        "--sheet",
        "changed",
    ])?);
    step(
        "Old code pages and labels without an empty line between need no option; columns that touch do, and Incola says so.",
    )?;
    for name in ["agents-852.txt", "pilot-orders.txt", "dues-extract.fix"] {
        code = code.max(obey(&["inspect", &place(name), "--rows", "2"])?);
        say("\n")?;
    }
    code = code.max(obey(&[
        "import",
        &place("dues-extract.fix"),
        "--starts",
        "1,2,8,11,27,35,44",
        "--lines",
        "2..41",
        "--names",
        "Type,Call,Berth,Vessel,Day,Dues,Class",
        "--as",
        "Day=date:yyyyMMdd",
        "--as",
        "Dues=number:9(7)v99",
        "--into",
        &place("extract.xlsx"),
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
    step(
        "Three carriers send a file each week, every one in its own way. Each has a docket; no options are needed.",
    )?;
    code = code.max(obey(&["import", &place("carriers"), "--into", &place("carriers.xlsx")])?);
    code = code.max(correct_a_docket(&folder)?);
    code = code.max(shape_rows(&folder)?);
    code = code.max(month::tell(&folder)?);
    code = code.max(month::send_back(&folder)?);
    let books = BOOKS.iter().chain(&["pallet-form.xlsx", "ledger.xlsx"]);
    let books: Vec<String> = books
        .chain(&["march/march.xlsx", "back/back.xlsx"])
        .map(|name| format!("  {}\n", place(name)))
        .collect();
    say(&format!("\nThe workbooks:\n{}", books.concat()))?;
    // The dues hold an order of day and month that cannot be told; the demo itself went as it should.
    Ok(if code <= ExitCode::NeedsALook { ExitCode::Done } else { code })
}

/// Imports rows that are shaped on the way in.
fn shape_rows(folder: &Path) -> Result<ExitCode> {
    let place = |name: &str| folder.join("shaping").join(name).display().to_string();
    let book = folder.join("shaped.xlsx").display().to_string();
    step(
        "A list of reefer containers: its docket carries the vessel down, leaves out what is switched off or sent twice, and computes.",
    )?;
    let mut code = obey(&["inspect", &place("kestrel-reefers.csv"), "--rows", "4"])?;
    code = code.max(obey(&["import", &place("kestrel-reefers.csv"), "--into", &book])?);
    step("Four months of tides, two gauges a day, become one row for each gauge and month.")?;
    code = code.max(obey(&[
        "import",
        &place("tide-days.csv"),
        "--by",
        "Gauge,Day/month",
        "--take",
        "COUNT(*) AS Days, MAX(\"High m\") AS Highest, AVG(\"High m\") AS \"Mean high\", MIN(\"Low m\") AS Lowest",
        "--into",
        &book,
    ])?);
    step("A column of a sheet that is there is divided beside its rows.")?;
    code = code.max(obey(&[
        "divide",
        &book,
        "space",
        "--sheet",
        "kestrel-reefers",
        "--column",
        "Container",
        "--to",
        "J",
        "--names",
        "Owner,Serial",
        "--rows",
        "3",
    ])?);
    step("What makes no sense is said before anything is written.")?;
    // The refusal is what is shown.
    obey(&["inspect", &place("kestrel-reefers.csv"), "--where", "Quay = 7"])?;
    Ok(code)
}

/// Drafts a docket, corrects it as a clerk would in an editor, and reads the next month's file with it.
fn correct_a_docket(folder: &Path) -> Result<ExitCode> {
    let months = folder.join("months");
    let place = |name: &str| months.join(name).display().to_string();
    let docket = months.join("port-calls.docket.toml");
    step("For the port calls one is drafted from March.")?;
    let mut code = obey(&["docket", "draft", &place("port-calls.csv"), "-o", &docket.display().to_string()])?;
    step("In an editor Berth is called Quay, Station is left out, and the weight is forced to text.")?;
    let failed = |e: std::io::Error| Failure::io(&docket, "change it", &e);
    let mut text = disk::read_to_string(&docket).map_err(failed)?;
    for (name, from, to) in [
        ("Berth", "as = \"text\"", "called = \"Quay\"\nas = \"text\""),
        ("Station", "as = \"text\"", "as = \"skip\""),
        ("Gross kg", "as = \"number\"", "as = \"text\""),
    ] {
        let column = format!("name = \"{name}\"\n");
        let at = text.find(&column).map_or(0, |at| at + column.len());
        let end = text[at..].find("\n[[").map_or(text.len(), |end| at + end);
        let mut own = text[at..end].replacen(from, to, 1);
        if name == "Gross kg" {
            // Text has no format.
            own = own.lines().filter(|l| !l.starts_with("format")).map(|l| format!("{l}\n")).collect();
        }
        text.replace_range(at..end, &own);
        let lines: Vec<&str> = own.lines().filter(|l| !l.is_empty()).collect();
        say(&format!("  name = \"{name}\"\n  {}\n\n", lines.join("\n  ")))?;
    }
    disk::write(&docket, text).map_err(failed)?;
    step("April is read the same way, though its columns are in another order.")?;
    let april = folder.join("april.xlsx").display().to_string();
    code = code.max(obey(&["import", &place("port-calls-april.csv"), "--into", &april])?);
    Ok(code)
}

/// Writes the demo's files; workbooks of an earlier run go.
fn lay_out(folder: &Path) -> Result<()> {
    disk::make_folder(folder).map_err(|e| Failure::io(folder, "make the folder", &e))?;
    for (name, content, _) in FILES {
        let path = folder.join(name);
        disk::write(&path, content).map_err(|e| Failure::io(&path, "write it", &e))?;
    }
    for (part, names) in [
        ("carriers", CARRIERS.to_vec()),
        ("shaping", SHAPING.to_vec()),
        ("months", FILES.iter().filter(|f| f.0.starts_with("port-calls")).map(|f| (f.0, f.1)).collect()),
    ] {
        let inside = folder.join(part);
        disk::make_folder(&inside).map_err(|e| Failure::io(&inside, "make the folder", &e))?;
        for (name, content) in names {
            let path = inside.join(name);
            disk::write(&path, content).map_err(|e| Failure::io(&path, "write it", &e))?;
        }
    }
    // A docket of an earlier run has done its work.
    let old = folder.join("months/port-calls.docket.toml");
    if disk::exists(&old) {
        disk::remove_file(&old).map_err(|e| Failure::io(&old, "replace it", &e))?;
    }
    for name in BOOKS {
        let path = folder.join(name);
        if disk::exists(&path) {
            disk::remove_file(&path).map_err(|e| Failure::io(&path, "replace it", &e))?;
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
        Command::Inspect(options) => crate::commands::inspect::run(&options),
        // The demo goes on by itself, on a terminal too.
        Command::Import(options) => crate::commands::import::run(&Import { no_questions: true, ..*options }),
        Command::Refresh(options) => {
            crate::commands::refresh::run(&Refresh { no_questions: true, ..options })
        }
        Command::Link(options) => crate::commands::link::run(&options.action),
        Command::Tally(options) => crate::commands::tally::run(&options),
        Command::Divide(options) => crate::commands::divide::run(&options),
        Command::Export(options) => crate::commands::export::run(&options),
        Command::Docket(options) => crate::commands::docket::run(&options.action),
        _ => Ok(ExitCode::Done),
    }
}
