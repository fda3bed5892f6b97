//! Each source becomes a sheet, or goes into a sheet that is there.

use super::item::{Book, Item, names_of};
use super::opened::Opened;
use super::rows::{self, Together};
use super::sheet::{check_new_sheet, check_strict, dry_written, finish, layout_of, totals_told};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Import;
use crate::links::{self, make::Made};
use crate::output::report;
use crate::placeholders;
use crate::receipt::{Receipt, SheetReceipt};
use incola_engine::feed::Feed;
use incola_engine::import::Written;
use incola_engine::stop::Stop;
use incola_workbook::{Styles, sheet_name};

/// Imports each source of a workbook. One that fails spoils none of the others: it leaves nothing behind, and the status that it
/// deserves comes with the receipt.
pub(super) fn import(typed: &Import, to: &Book) -> Result<(Receipt, ExitCode)> {
    let mut styles = Styles::new();
    let mut opened = Opened::at(&to.path, typed.dry_run, typed.even_signed)?;
    let mut sheets: Vec<SheetReceipt> = Vec::with_capacity(to.items.len());
    let mut code = ExitCode::Done;
    for item in &to.items {
        let done: Vec<String> = sheets.iter().map(|s| s.sheet.clone()).collect();
        match one(to, (&mut opened, &mut styles), item, &done) {
            Ok(sheet) => sheets.push(sheet),
            // What is wrong with one source is told, and the others go on; what is wrong with the workbook ends everything.
            Err(failure) if to.items.len() > 1 && failure.status == ExitCode::Protected => {
                if let Some(writer) = &mut opened.writer {
                    writer.abandon_sheet().map_err(Stop::NotWritten)?;
                }
                report(&failure);
                code = code.max(failure.status);
            }
            Err(failure) => return Err(failure),
        }
    }
    if sheets.is_empty() {
        return Err(Failure::protected(format!("{}: nothing is left to be written", to.path.display()))
            .leaving("it was not changed"));
    }
    Ok((finish(typed, &to.path, opened, &styles, sheets)?, code))
}

/// Imports one source. `done`: the sheets of those before it.
fn one(
    to: &Book,
    (opened, styles): (&mut Opened, &mut Styles),
    item: &Item,
    done: &[String],
) -> Result<SheetReceipt> {
    let Item { source, surveyed, options, choices, shape, docket, .. } = item;
    let wanted = options.place.sheet.as_deref().unwrap_or("{stem}");
    let wanted = placeholders::fill(wanted, "--sheet", names_of(source, surveyed), false)?;
    let there = opened.sheet(&wanted);
    let spot = rows::spot(options, opened, there)?;
    if let Some(sheet) = spot.sheet.filter(|_| options.states_place()) {
        if done.contains(&opened.sheet_names[sheet]) {
            return Err(Failure::usage(format!(
                "several sources go into sheet \u{201c}{}\u{201d}",
                opened.sheet_names[sheet]
            ))
            .leaving("nothing was written")
            .help("put them together: --together"));
        }
        let reading = surveyed.reading.clone();
        let (sources, shape) = (vec![(source, surveyed)], shape.clone());
        let together = Together { sources, reading, shape, docket: docket.as_deref() };
        return rows::import(options, &to.path, opened, styles, choices, (spot, together));
    }
    new_sheet(to, (opened, styles), item, &sheet_name::legal(&wanted, done))
}

/// A source becomes a new sheet.
fn new_sheet(
    to: &Book,
    (opened, styles): (&mut Opened, &mut Styles),
    Item { source, surveyed, options, shape, docket, .. }: &Item,
    name: &str,
) -> Result<SheetReceipt> {
    let columns = &surveyed.reading.columns;
    check_new_sheet(options, &to.path, name)?;
    opened.check_free(&to.path, name)?;
    let table = (!options.is_plain()).then(|| sheet_name::legal_table(&source.stem, &opened.taken_names));
    let sources = [(source, surveyed)];
    let names_given = options.read.names.is_some();
    // Labels are names too.
    let layout = &surveyed.reading.layout;
    let is_named = layout.header_line.is_some() || !layout.names.is_empty();
    let header = is_named || !options.is_plain() || names_given;
    let is_linked = links::make::is_wanted(options, &sources) && header;
    let mut sheet = layout_of((name, table.clone()), options, shape, is_linked);
    sheet.has_heading = header;
    if is_linked {
        sheet.candidates = links::make::key_candidates(options, columns, &sheet.slots);
    }
    let written = match &mut opened.writer {
        None => dry_written(columns, surveyed.reading.records),
        Some(book) => {
            let feeds = [(source as &dyn Feed, surveyed)];
            let check = |source: &dyn Feed, part: &Written| check_strict(options, source, columns, part);
            let mut written = sheet.write(&feeds, columns, (book, styles, opened.from_1904), check)?;
            if is_linked {
                opened.links.push(links::make::link(&mut Made {
                    book: &to.path,
                    options,
                    docket: docket.as_deref(),
                    sources: &sources,
                    columns,
                    shape,
                    slots: &sheet.slots,
                    sheet: name,
                    table: table.as_deref(),
                    range: links::make::range_of(sheet.slots.len(), sheet.first_row(), written.rows),
                    written: &mut written,
                })?);
            } else {
                source.check_still()?;
            }
            written
        }
    };
    opened.taken_names.extend(table.clone());
    let mut receipt = SheetReceipt::new(&sources, columns, name.to_owned(), table, written);
    receipt.docket.clone_from(&shape.docket);
    receipt.along.extend(totals_told(&sheet, columns));
    receipt.link = opened.key_of_last(name);
    receipt.comes_back = opened.comes_back(name);
    Ok(receipt)
}
