//! A month's story: a table is linked to its source, the source is revised, a cell is corrected by hand, and both come together.

use super::stand_in::StandIn;
use super::{obey, say, step};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::io::disk::{self, File};
use crate::io::identity::Identity;
use crate::io::target::Target;
use incola_workbook::package::rewrite::with_part_changed;
use incola_workbook::{CellRef, Range, xml};
use std::path::{Path, PathBuf};

/// The calls as they were first sent.
const CALLS: &str = include_str!("../../../demo/port-calls.csv");

/// The calls of April.
const APRIL: &str = include_str!("../../../demo/port-calls-april.csv");

/// What the weather office sends.
const WARNINGS: &str = "Issued,Area,Force,Until\n2031-03-01T06:00,Tolgarth Sound,7,2031-03-01T18:00\n\
    2031-03-02T06:00,Outer Roads,9,2031-03-03T06:00\n2031-03-04T18:00,Tolgarth Sound,6,2031-03-05T06:00\n";

/// What the lighter's scales say.
const WEIGHTS: &str = "Load,Goods,Weight kg\n1,sacks,1980\n2,crates,1415\n3,sacks,2065\n";

/// The part of the first sheet.
const FIRST: &str = "xl/worksheets/sheet1.xml";

/// Tells the story in a folder of its own.
pub(super) fn tell(quay: &Path) -> Result<ExitCode> {
    let folder = quay.join("march");
    disk::make_folder(&folder).map_err(|e| Failure::io(&folder, "make the folder", &e))?;
    let place = |name: &str| folder.join(name).display().to_string();
    let (calls, book) = (place("calls.csv"), place("march.xlsx"));
    for old in ["march.xlsx"] {
        if disk::exists(folder.join(old)) {
            disk::remove_file(folder.join(old))
                .map_err(|e| Failure::io(&folder.join(old), "replace it", &e))?;
        }
    }
    write(&calls, CALLS)?;
    let mut code = ExitCode::Done;
    step("A month's story. The calls of March are imported; the table remembers where they are from.")?;
    code = code.max(obey(&["import", &calls, "--into", &book])?);
    step("As long as the source is as it was, nothing is touched.")?;
    code = code.max(obey(&["refresh", &book])?);
    step(
        "The clerk knows better than the source what the Marsh Lantern carried, and types it into the sheet.",
    )?;
    type_in(&book, FIRST, "I3", &Typed::Text("ro-ro units, two declared late"))?;
    step("The planner sends the file again: one amount corrected, two calls added, one withdrawn.")?;
    let mut lines: Vec<String> = CALLS.lines().map(str::to_owned).collect();
    lines[3] = lines[3].replace("2305.49", "2503.49");
    lines.remove(20);
    lines.push("000165,40281190073516628841,Pale Gannet,0031175402,011,2031-03-29T04:15:00,2031-03-30T11:00:00,10019900,grain,512004.4,3120.75".into());
    lines.push("000166,40281190073516628858,Copper Finch,0037575656,024,2031-03-30T22:40:00,2031-03-31T19:20:00,25232900,bagged cement,402118.0,2240.66".into());
    write(&calls, &(lines.join("\n") + "\n"))?;
    code = code.max(obey(&["refresh", &book, "--dry-run"])?);
    step("Nothing of what was typed is lost; the sheet's order stays, and new calls are added at the end.")?;
    code = code.max(obey(&["refresh", &book])?);
    step(
        "Now clerk and planner correct the same amount, each in another way. Nothing is written until someone says who wins.",
    )?;
    type_in(&book, FIRST, "K11", &Typed::Number("8200.00"))?;
    lines[10] = lines[10].replace("8126.84", "8162.84");
    write(&calls, &(lines.join("\n") + "\n"))?;
    let conflict = obey(&["refresh", &book])?;
    say("\n")?;
    code = code.max(obey(&["refresh", &book, "--conflicts", "sheet"])?);
    beside(&book, &calls, &mut lines, &mut code)?;
    totals(&folder, &book, &mut code)?;
    step("One day a column is missing. The table is not changed, and Incola says how to continue.")?;
    let without: Vec<String> = lines.iter().map(|line| without_last(line)).collect();
    write(&calls, &(without.join("\n") + "\n"))?;
    let reshaped = obey(&["refresh", &book])?;
    write(&calls, &(lines.join("\n") + "\n"))?;
    step("The weather office has a web server. (Here it is one on this machine.)")?;
    let warnings = place("warnings.csv");
    write(&warnings, WARNINGS)?;
    let server = StandIn::start(&folder)?;
    let address = server.address_of("warnings.csv");
    code = code.max(obey(&["import", &address, "--into", &book])?);
    say("\n")?;
    write(&warnings, &(WARNINGS.to_owned() + "2031-03-07T06:00,Outer Roads,8,2031-03-08T06:00\n"))?;
    code = code.max(obey(&["refresh", &book, "warnings"])?);
    step("What is linked to what, and how old it is:")?;
    code = code.max(obey(&["link", "list", &book])?);
    drop(server);
    say("\n")?;
    // Both are meant to be refused.
    let is_as_meant = conflict == ExitCode::Protected && reshaped == ExitCode::Protected;
    Ok(if is_as_meant { code } else { ExitCode::Protected })
}

/// A list is corrected in the sheet and goes back to the system that it came from.
pub(super) fn send_back(quay: &Path) -> Result<ExitCode> {
    let folder = quay.join("back");
    disk::make_folder(&folder).map_err(|e| Failure::io(&folder, "make the folder", &e))?;
    let place = |name: &str| folder.join(name).display().to_string();
    let (list, book, back) = (place("april.csv"), place("back.xlsx"), place("corrected.csv"));
    for old in [&book, &back].map(PathBuf::from).iter().filter(|old| disk::exists(old)) {
        disk::remove_file(old).map_err(|e| Failure::io(old, "replace it", &e))?;
    }
    write(&list, APRIL)?;
    step("The planner's system takes lists back. This one is imported, and would come back byte for byte.")?;
    let mut code = obey(&["import", &list, "--into", &book, "--totals"])?;
    say("\n")?;
    code = code.max(obey(&["export", &book, "--check"])?);
    step(
        "Two amounts are corrected in the sheet. The text is written as the source was, and differs in those.",
    )?;
    type_in(&book, FIRST, "J3", &Typed::Number("863.34"))?;
    type_in(&book, FIRST, "J6", &Typed::Number("1250"))?;
    say("\n")?;
    code = code.max(obey(&["export", &book, "-o", &back])?);
    say("\n")?;
    let path = PathBuf::from(&back);
    let corrected = disk::read_to_string(&path).map_err(|e| Failure::io(&path, "read it", &e))?;
    for (number, (was, is)) in (1..).zip(APRIL.lines().zip(corrected.lines())) {
        if was != is {
            say(&format!("  line {number}  was  {was}\n          is   {is}\n"))?;
        }
    }
    step(
        "Both sides are added up, each by itself, and compared cell by cell: two cells are not the source's.",
    )?;
    code = code.max(obey(&["tally", &book, "--against", &list])?);
    Ok(code)
}

/// Remarks and formulas that the clerk keeps beside the table go with their records.
fn beside(book: &str, calls: &str, lines: &mut Vec<String>, code: &mut ExitCode) -> Result<()> {
    step("Beside the table the clerk keeps remarks of his own, and a formula for some of the rows.")?;
    for row in 20..=24 {
        type_in(book, FIRST, &format!("L{row}"), &Typed::Array(&format!("ROUND(K{row}*0.19,2)")))?;
    }
    type_in(book, FIRST, "M21", &Typed::Text("asked the agent twice"))?;
    type_in(book, FIRST, "M23", &Typed::Text("paid in cash"))?;
    step("Then two of those calls are withdrawn. One has a remark: it does not go before someone says so.")?;
    lines.retain(|line| !line.starts_with("000137,") && !line.starts_with("000138,"));
    write(calls, &(lines.join("\n") + "\n"))?;
    obey(&["refresh", book])?;
    say("\n")?;
    *code = (*code).max(obey(&["refresh", book, "--conflicts", "source"])?);
    Ok(())
}

/// Rows of totals under a plain range go down with it.
fn totals(folder: &Path, book: &str, code: &mut ExitCode) -> Result<()> {
    let weights = folder.join("weights.csv").display().to_string();
    write(&weights, WEIGHTS)?;
    step("The weights of a lighter are in a plain range, and the clerk puts two rows of totals under it.")?;
    *code = (*code).max(obey(&["import", &weights, "--plain", "--into", book])?);
    for (cell, typed) in [
        ("A5", Typed::Text("Total")),
        ("C5", Typed::Formula("SUM(C2:C4)")),
        ("A6", Typed::Text("Levy")),
        ("C6", Typed::Formula("C5*0.02")),
    ] {
        type_in(book, "xl/worksheets/sheet2.xml", cell, &typed)?;
    }
    write(&weights, &(WEIGHTS.to_owned() + "4,sacks,2210\n5,drums,940\n"))?;
    say("\n")?;
    *code = (*code).max(obey(&["refresh", book, "weights"])?);
    Ok(())
}

fn write(path: &str, text: &str) -> Result<()> {
    disk::write(path, text).map_err(|e| Failure::io(Path::new(path), "write it", &e))
}

/// A record without its last field, which has no quotes.
fn without_last(line: &str) -> String {
    line.rsplit_once(',').map_or(line, |(rest, _)| rest).to_owned()
}

/// What is typed into a cell.
enum Typed<'t> {
    Text(&'t str),
    Number(&'t str),
    Formula(&'t str),
    /// A formula that gives a list of values.
    Array(&'t str),
}

/// Changes a cell as a clerk would in a spreadsheet program: nothing else changes.
fn type_in(book: &str, part: &str, cell: &str, typed: &Typed<'_>) -> Result<()> {
    let path = PathBuf::from(book);
    let failed = |e: incola_workbook::Error| Failure::unreadable(format!("{book}: {e}"));
    let file = File::open(&path).map_err(|e| Failure::io(&path, "read it", &e))?;
    let escaped = xml::escaped;
    let (shown, xml) = match typed {
        Typed::Text(text) => {
            ((*text).to_owned(), format!(" t=\"inlineStr\"><is><t>{}</t></is></c>", escaped(text)))
        }
        Typed::Number(digits) => ((*digits).to_owned(), format!("><v>{digits}</v></c>")),
        Typed::Formula(text) => (format!("={text}"), format!("><f>{}</f></c>", escaped(text))),
        Typed::Array(text) => {
            (format!("{{={text}}}"), format!("><f t=\"array\" ref=\"{cell}\">{}</f></c>", escaped(text)))
        }
    };
    say(&format!("  {cell}: {shown}\n"))?;
    let change = |content: Vec<u8>| {
        let sheet = String::from_utf8_lossy(&content).into_owned();
        with_cell(&reaching(&sheet, cell), cell, &xml).into_bytes()
    };
    let stood = Identity::at(&path).map_err(|e| Failure::io(&path, "read it", &e))?;
    let target = Target::back(&path, stood)?;
    with_part_changed(Box::new(file), part, target, change).map_err(failed)?.commit()
}

/// A sheet that says that it reaches as far as a cell.
fn reaching(sheet: &str, cell: &str) -> String {
    let open = "<dimension ref=\"";
    let Some(start) = sheet.find(open).map(|at| at + open.len()) else { return sheet.to_owned() };
    let end = start + sheet[start..].find('"').unwrap_or(0);
    match (Range::parse(&sheet[start..end]), CellRef::parse(cell)) {
        (Some(range), Some(cell)) => format!("{}{}{}", &sheet[..start], range.with(cell), &sheet[end..]),
        _ => sheet.to_owned(),
    }
}

/// A sheet with a cell in place of the one that is there, or at the end of its row, or in a row of its own. `xml`: what follows its
/// reference.
fn with_cell(sheet: &str, cell: &str, xml: &str) -> String {
    let put = |from: usize, to: usize, text: &str| format!("{}{text}{}", &sheet[..from], &sheet[to..]);
    if let Some(start) = sheet.find(&format!("<c r=\"{cell}\"")) {
        let end = sheet[start..].find("</c>").map_or(start, |at| start + at + 4);
        // The format stays.
        let format = sheet[start..end].find(" s=\"").map_or("", |at| {
            let rest = &sheet[start + at..end];
            rest.get(4..).and_then(|r| r.find('"')).map_or("", |quote| &rest[..quote + 5])
        });
        return put(start, end, &format!("<c r=\"{cell}\"{format}{xml}"));
    }
    let row = cell.trim_start_matches(|c: char| c.is_ascii_alphabetic());
    let own = format!("<c r=\"{cell}\"{xml}");
    let found = sheet.find(&format!("<row r=\"{row}\""));
    if let Some(end) = found.and_then(|start| Some(start + sheet[start..].find("</row>")?)) {
        return put(end, end, &own);
    }
    let end = sheet.find("</sheetData>").unwrap_or(sheet.len());
    put(end, end, &format!("<row r=\"{row}\">{own}</row>"))
}
