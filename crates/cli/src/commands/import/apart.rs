//! Each source becomes a sheet, or goes into a sheet that is there.

use super::opened::Opened;
use super::rows::{self, Together};
use super::{Book, check_new_sheet, check_strict, dry_written, finish, names_of, sheet_columns};
use crate::bridge::ColumnWriter;
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Import, PlacingMode};
use crate::passes::survey::Surveyed;
use crate::passes::write::{Placing, not_written, write};
use crate::placeholders;
use crate::receipt::{Receipt, SheetReceipt};
use crate::run::report;
use crate::source::Source;
use incola_core::reading;
use incola_workbook::{SheetColumn, SheetLayout, Styles, sheet_name};

/// Imports each source of a workbook. One that fails spoils none of the others: it leaves nothing behind, and the status that it
/// deserves comes with the receipt.
pub(super) fn import(options: &Import, to: &Book, choices: &reading::Choices) -> Result<(Receipt, ExitCode)> {
    let mut styles = Styles::new();
    let mut opened = Opened::at(&to.path, options.dry_run, options.even_signed)?;
    let mut sheets: Vec<SheetReceipt> = Vec::new();
    let mut code = ExitCode::Done;
    for (source, surveyed) in &to.sources {
        let done: Vec<String> = sheets.iter().map(|s| s.sheet.clone()).collect();
        match one(options, to, (&mut opened, &mut styles), (source, surveyed, choices), &done) {
            Ok(sheet) => sheets.push(sheet),
            // What is wrong with one source is told, and the others go on; what is wrong with the workbook ends everything.
            Err(failure) if to.sources.len() > 1 && failure.status == ExitCode::Protected => {
                if let Some(writer) = &mut opened.writer {
                    writer.abandon_sheet().map_err(|e| not_written(&e))?;
                }
                report(&failure);
                code = code.max(failure.status);
            }
            Err(failure) => return Err(failure),
        }
    }
    if sheets.is_empty() {
        return Err(Failure::protected(format!("{}: nothing is left to be written", to.path.display()))
            .leaving("it was left as it is"));
    }
    Ok((finish(options, &to.path, opened, &styles, sheets)?, code))
}

/// Imports one source. `done`: the sheets of those before it.
fn one(
    options: &Import,
    to: &Book,
    (opened, styles): (&mut Opened, &mut Styles),
    (source, surveyed, choices): (&Source, &Surveyed, &reading::Choices),
    done: &[String],
) -> Result<SheetReceipt> {
    let wanted = options.sheet.as_deref().unwrap_or("{stem}");
    let wanted = placeholders::fill(wanted, "--sheet", names_of(source, surveyed), false)?;
    let there = opened.sheet(&wanted);
    let stated = options.at.is_some() || options.mode != PlacingMode::Fresh || options.sheet.is_some();
    let spot = rows::spot(options, opened, there)?;
    if let Some(sheet) = spot.sheet.filter(|_| stated) {
        if done.contains(&opened.sheet_names[sheet]) {
            return Err(Failure::usage(format!(
                "several sources go into sheet \u{201c}{}\u{201d}",
                opened.sheet_names[sheet]
            ))
            .leaving("nothing was written")
            .help("put them together: --together"));
        }
        let together = Together { sources: vec![(source, surveyed)], reading: surveyed.reading.clone() };
        return rows::import(options, opened, styles, choices, (spot, together));
    }
    new_sheet(options, to, (opened, styles), (source, surveyed), &sheet_name::legal(&wanted, done))
}

/// A source becomes a new sheet.
fn new_sheet(
    options: &Import,
    to: &Book,
    (opened, styles): (&mut Opened, &mut Styles),
    (source, surveyed): (&Source, &Surveyed),
    name: &str,
) -> Result<SheetReceipt> {
    let columns = &surveyed.reading.columns;
    check_new_sheet(options, &to.path, name)?;
    opened.check_free(&to.path, name)?;
    let table = (!options.plain).then(|| sheet_name::legal_table(&source.stem, &opened.taken_names));
    let writers: Vec<ColumnWriter> =
        columns.iter().map(|c| ColumnWriter::new(c, styles).counting_from_1904(opened.from_1904)).collect();
    let header =
        surveyed.reading.layout.header_line.is_some() || !options.plain || options.read.names.is_some();
    let label = source.label();
    let mut sheet_columns = sheet_columns(columns, &writers);
    if let Some(name) = &options.source_column {
        let longest = label.encode_utf16().count() as u32;
        let column = SheetColumn { name: name.clone(), longest, style: Styles::TEXT, is_text: true };
        sheet_columns.insert(0, column);
    }
    let layout = SheetLayout {
        name: name.to_owned(),
        columns: sheet_columns,
        rows: surveyed.reading.records,
        header,
        table: table.clone(),
    };
    let from = options.source_column.as_ref().map(|_| label.as_str());
    let placing = Placing::new(columns, &writers, layout.first_row(), from);
    let written = match &mut opened.writer {
        None => dry_written(columns, surveyed.reading.records),
        Some(book) => {
            book.begin_sheet(layout, styles).map_err(|e| not_written(&e))?;
            let written = write(source, surveyed, &placing, book)?;
            check_strict(options, source, columns, &written)?;
            book.end_sheet().map_err(|e| not_written(&e))?;
            written
        }
    };
    opened.taken_names.extend(table.clone());
    Ok(SheetReceipt::new(&[(source, surveyed)], columns, name.to_owned(), table, written))
}
