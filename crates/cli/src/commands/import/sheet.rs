//! What sheets are made of, and the end of every import.

use super::item::Options;
use super::opened::Opened;
use crate::docket::shape::Shape;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Import;
use crate::io::source::Source;
use crate::io::target::Target;
use crate::links::{self, make::NewLink};
use crate::receipt::{Receipt, SheetReceipt};
use crate::state;
use crate::wording;
use incola_core::kind::Kind;
use incola_core::reading::ColumnReading;
use incola_core::settings::model::Mode;
use incola_core::words::counted;
use incola_engine::cells::ColumnWriter;
use incola_engine::feed::Feed;
use incola_engine::import::{Slot, Written};
use incola_engine::link;
use incola_engine::stop::Stop;
use incola_workbook::{BookWriter, CellRef, Range, SheetColumn, StyleId, Styles};
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

pub(super) fn check_strict(
    options: &Options,
    source: &Source,
    columns: &[ColumnReading],
    written: &Written,
) -> Result<()> {
    let Some(first) = written.misfit_cells.first().filter(|_| options.place.strict == Some(true)) else {
        return Ok(());
    };
    let name = columns.get(first.column - 1).map_or("", |c| c.name.as_str());
    Err(Failure::protected(format!(
        "{}: line {}: \u{201c}{}\u{201d} in \u{201c}{name}\u{201d} {} ({} in all)",
        source.shown(),
        first.line,
        first.text,
        wording::cells::note(first.why),
        counted(written.misfits, "misfit", "misfits")
    ))
    .leaving("nothing was written, for --strict was given")
    .help(format!("keep such values as text: leave --strict out, or say --as '{name}=text'")))
}

/// The format of the numbers of records, where they are wanted.
pub(super) fn number_style_for(options: &Options, styles: &mut Styles) -> StyleId {
    if options.place.number_column.is_some() { styles.number_format("0") } else { StyleId::default() }
}

/// The columns of a new sheet: what counts the records and what says the source, then those of the source.
pub(super) fn sheet_columns(
    slots: &[Slot],
    columns: &[ColumnReading],
    writers: &[ColumnWriter],
    (options, shape): (&Options, &Shape),
    (longest_source, number_style): (u32, StyleId),
) -> Vec<SheetColumn> {
    let column = |slot: &Slot| match slot {
        Slot::Field(n) => SheetColumn {
            name: columns[*n].name.clone(),
            longest: columns[*n].stats.longest,
            style: writers[*n].empty_style(&columns[*n]),
            is_text: columns[*n].rule.kind() == Kind::Text,
            description: shape.descriptions.get(*n).cloned().flatten(),
        },
        Slot::RecordNumber => SheetColumn {
            name: options.place.number_column.clone().unwrap_or_default(),
            longest: 6,
            style: number_style,
            is_text: false,
            description: None,
        },
        Slot::SourceName | Slot::Nothing => SheetColumn {
            name: options.place.source_column.clone().unwrap_or_default(),
            longest: longest_source,
            style: Styles::TEXT,
            is_text: true,
            description: None,
        },
    };
    slots.iter().map(column).collect()
}

/// What goes into the columns of a new sheet.
pub(super) fn slots_of(options: &Options, shape: &Shape) -> Vec<Slot> {
    let number = options.place.number_column.iter().map(|_| Slot::RecordNumber);
    let source = options.place.source_column.iter().map(|_| Slot::SourceName);
    number.chain(source).chain(shape.order.iter().map(|n| Slot::Field(*n))).collect()
}

/// Puts the workbook in its place.
pub(super) fn finish(
    typed: &Import,
    path: &Path,
    opened: Opened,
    styles: &Styles,
    sheets: Vec<SheetReceipt>,
) -> Result<Receipt> {
    let mut bytes = None;
    let existed = opened.existed;
    if let Some(mut book) = opened.writer {
        for new in &opened.links {
            replace_links(path, &mut book, new)?;
            link::write(&mut book, &new.link, &new.prints, new.range, None)?;
        }
        let title = sheets.iter().map(|s| s.sheet.clone()).collect::<Vec<_>>().join(", ");
        let target = book.finish(styles, &title, &state::now()).map_err(Stop::NotWritten)?;
        crate::interrupt::check()?;
        target.commit()?;
        for new in &opened.links {
            links::make::remember(new, path);
        }
        bytes = std::fs::metadata(path).map(|m| m.len()).ok();
    }
    Ok(Receipt { book: path.display().to_string(), existed, bytes, dry_run: typed.dry_run, sheets })
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
