//! What sheets are made of, and the end of every import.

use super::item::Options;
use super::opened::Opened;
use super::rows::reached;
use crate::docket::shape::Shape;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Import;
use crate::io::book_file::taking_along;
use crate::io::disk;
use crate::io::target::Target;
use crate::links::{self, make::NewLink};
use crate::receipt::{Receipt, SheetReceipt};
use crate::state;
use crate::wording;
use incola_core::reading::ColumnReading;
use incola_core::settings::model::Mode;
use incola_core::words::counted;
use incola_engine::feed::{Feed, outside};
use incola_engine::import::NewSheet;
use incola_engine::import::{Slot, Written, check};
use incola_engine::link;
use incola_engine::place::{OwnNames, in_words};
use incola_engine::stop::Stop;
use incola_workbook::{BookWriter, CellRef, Range, StyleId, Styles, TotalOf};
use std::path::Path;

/// Fails if a place was stated for a sheet that is yet to be made: a new one begins at A1.
pub(super) fn check_new_sheet(options: &Options, path: &Path, name: &str) -> Result<()> {
    let is_first = |at: &str| CellRef::parse(at) == Some(CellRef { row: 1, column: 1 });
    let stated = match (&options.place.at, options.mode()) {
        (Some(at), _) if !is_first(at) => format!("--at {at}"),
        (_, Mode::Append) => "--mode append".to_owned(),
        (_, Mode::Replace) => "--mode replace".to_owned(),
        _ => return Ok(()),
    };
    let why = format!("{} has no sheet \u{201c}{name}\u{201d}, and a new one begins at A1", path.display());
    Err(Failure::usage(format!("{stated}: {why}"))
        .leaving("nothing was written")
        .help("name the sheet that is there: --sheet NAME")
        .help(format!("or leave {stated} out: the rows get a sheet of their own")))
}

/// What a dry run knows of what would be written.
pub(super) fn dry_written(columns: &[ColumnReading], records: u64) -> Written {
    let mut written = Written { rows: records, ..Written::default() };
    for column in columns {
        let mut tally =
            incola_engine::import::ColumnTally { blank: column.stats.blank, ..Default::default() };
        if column.is_wanted() {
            tally.cells = column.stats.filled + column.stats.beyond;
            tally.misfits = column.misfits.count;
            if let incola_core::kind::Rule::Number(rule) = &column.rule {
                let numbers = column.stats.numbers(rule.decimal);
                tally.sum = numbers.sum;
                tally.decimals = numbers.most_decimals;
            }
            written.cells += tally.cells;
            written.misfits += tally.misfits;
        }
        written.columns.push(tally);
    }
    written
}

/// Fails if values must not be misfits and one is.
///
/// # Errors
/// [`Stop::Outside`] with status 4.
pub(super) fn check_strict(
    options: &Options,
    source: &dyn Feed,
    columns: &[ColumnReading],
    written: &Written,
) -> incola_engine::stop::Result<()> {
    let is_strict = options.place.strict == Some(true);
    let Some(first) = written.misfit_cells.first().filter(|_| is_strict) else { return Ok(()) };
    let name = columns.get(first.column - 1).map_or("", |c| c.name.as_str());
    let failure = Failure::protected(format!(
        "{}: line {}: \u{201c}{}\u{201d} in \u{201c}{name}\u{201d} {} ({} in all)",
        source.shown(),
        first.line,
        first.text,
        wording::cells::note(first.why),
        counted(written.misfits, "misfit", "misfits")
    ));
    Err(outside(
        failure
            .leaving("nothing was written, because of --strict")
            .help(format!("to keep such values as text: leave --strict out, or use --as '{name}=text'")),
    ))
}

/// The format of the numbers of records, where they are wanted.
pub(super) fn number_style_for(options: &Options, styles: &mut Styles) -> StyleId {
    if options.place.number_column.is_some() { styles.number_format("0") } else { StyleId::default() }
}

/// A new sheet with these columns. `table`: the name of its table.
pub(super) fn layout_of<'o>(
    (name, table): (&str, Option<String>),
    options: &'o Options,
    shape: &'o Shape,
    is_linked: bool,
) -> NewSheet<'o> {
    NewSheet {
        name: name.to_owned(),
        table,
        has_heading: true,
        slots: slots_of(options, shape),
        descriptions: &shape.descriptions,
        names: OwnNames {
            number_rows: options.place.number_column.as_deref(),
            source_column: options.place.source_column.as_deref(),
        },
        is_linked,
        candidates: Vec::new(),
        has_totals: options.place.totals == Some(true),
    }
}

/// What goes into the columns of a new sheet.
fn slots_of(options: &Options, shape: &Shape) -> Vec<Slot> {
    let number = options.place.number_column.iter().map(|_| Slot::RecordNumber);
    let source = options.place.source_column.iter().map(|_| Slot::SourceName);
    number.chain(source).chain(shape.order.iter().map(|n| Slot::Field(*n))).collect()
}

/// What is told of the row of totals of a new sheet.
pub(super) fn totals_told(sheet: &NewSheet<'_>, columns: &[ColumnReading]) -> Option<String> {
    if !sheet.has_totals || sheet.table.is_none() {
        return None;
    }
    let totals = sheet.totals(columns);
    let named = sheet.slots.iter().zip(&totals).filter_map(|(slot, total)| match (slot, total) {
        (Slot::Field(n), TotalOf::Sum) => Some(columns[*n].name.clone()),
        (Slot::Field(n), TotalOf::Average) => Some(format!("{} (the mean)", columns[*n].name)),
        _ => None,
    });
    let named: Vec<String> = named.collect();
    let what = if named.is_empty() { "no column has numbers".to_owned() } else { named.join(", ") };
    Some(format!("a row of totals: {what}"))
}

/// Puts the workbook in its place.
pub(super) fn finish(
    typed: &Import,
    path: &Path,
    opened: Opened,
    styles: &Styles,
    mut sheets: Vec<SheetReceipt>,
) -> Result<Receipt> {
    let mut bytes = None;
    let existed = opened.existed;
    if let Some(mut book) = opened.writer {
        for new in &opened.links {
            replace_links(path, &mut book, new)?;
            link::write(&mut book, &new.link, &new.prints, new.range, None)?;
        }
        let title = sheets.iter().map(|s| s.sheet.clone()).collect::<Vec<_>>().join(", ");
        let mut target = book.finish(styles, &title, &state::now()).map_err(Stop::NotWritten)?;
        if !opened.grown.is_empty() {
            let found;
            (target, found) = taking_along(target, &opened.grown)?;
            for sheet in &mut sheets {
                let found = in_words(&found, &sheet.sheet);
                if !found.is_empty() && opened.grown.iter().any(|grown| grown.sheet == sheet.sheet) {
                    sheet.along.push(reached(&found));
                }
            }
        }
        read_again(&mut target, &mut sheets)?;
        crate::interrupt::check()?;
        target.commit()?;
        for new in &opened.links {
            links::make::remember(new, path);
        }
        for (sheet, table) in &opened.replaced {
            state::appended::forget(path, sheet, table.as_deref());
        }
        state::appended::note(path, &opened.appended);
        bytes = disk::metadata(path).map(|m| m.len()).ok();
    }
    Ok(Receipt { book: path.display().to_string(), existed, bytes, dry_run: typed.dry_run, sheets })
}

/// Reads the rows of the finished workbook again, before it is put in its place.
fn read_again(target: &mut Target, sheets: &mut [SheetReceipt]) -> Result<()> {
    crate::interrupt::check()?;
    let mut book = target.read_again()?;
    let names = book.sheet_names();
    for receipt in sheets {
        if let Some(n) = names.iter().position(|name| *name == receipt.sheet) {
            receipt.checked = Some(check(&mut book, n, &receipt.written)?);
        }
    }
    Ok(())
}

/// Takes out the links of a table that has another source now.
fn replace_links(path: &Path, book: &mut BookWriter<Target>, new: &NewLink) -> Result<()> {
    let Some(existing) = book.existing() else { return Ok(()) };
    let (known, _) = links::find(path, existing)?;
    for kept in known {
        let table = &kept.link().table;
        let same = table.sheet == new.link.table.sheet
            && (table.table.is_some() && table.table == new.link.table.table
                || Range::parse(&table.range).is_some_and(|range| range.meets(new.range)));
        if same {
            link::remove(book, &kept.link().id, Some(&kept.stored))?;
            kept.mirror.forget();
        }
    }
    Ok(())
}
