//! All sources become one table; kinds are decided over all of them.

use super::item::Options;
use super::item::{Book, Item, check_limits, check_same_columns, names_of};
use super::opened::Opened;
use super::rows::{self, Together};
use super::sheet::{check_new_sheet, check_strict, dry_written, finish, layout_of, totals_told};
use crate::failure::{Failure, Result};
use crate::io::source::Source;
use crate::links::{self, make::Made};
use crate::placeholders::{self, Names};
use crate::receipt::{Receipt, SheetReceipt};
use incola_core::settings::Place;
use incola_engine::feed::Feed;
use incola_engine::import::Written;
use incola_engine::text::{Surveyed, conclude};
use incola_workbook::{Styles, sheet_name};
use std::sync::Arc;

/// Imports all sources of a workbook into one table, as what was typed and the docket of the first one say.
pub(super) fn import(to: &Book) -> Result<Receipt> {
    let Some((head, more)) = to.items.split_first() else { return Err(Failure::usage("no sources")) };
    let Item { options, choices, shape, source: first_source, surveyed: first, docket, .. } = head;
    more.iter().try_for_each(|item| check_same_columns(head, item))?;
    let sources: Vec<(&Source, &Surveyed)> = to.items.iter().map(|i| (&i.source, &i.surveyed)).collect();
    let mut combined = conclude(&to.items.iter().map(|i| &i.surveyed).collect::<Vec<_>>(), choices)?;
    for (column, own) in combined.columns.iter_mut().zip(&first.reading.columns) {
        column.name.clone_from(&own.name);
    }
    check_limits(first_source, &combined.columns, combined.records, false)?;
    let mut styles = Styles::new();
    let mut opened = Opened::at(&to.path, options.typed.dry_run, options.typed.even_signed)?;
    let stem = to.path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let wanted = options.place.sheet.as_deref().unwrap_or(&stem);
    let names = Names { stem: &stem, ..names_of(first_source, first) };
    let wanted = placeholders::fill(wanted, "--sheet", names, false)?;
    let there = opened.sheet(&wanted);
    let spot = rows::spot(options, &mut opened, there)?;
    if spot.sheet.is_some() && options.states_place() {
        let together =
            Together { sources, reading: combined, shape: shape.clone(), docket: docket.as_deref() };
        let sheet = rows::import(options, &to.path, &mut opened, &mut styles, choices, (spot, together))?;
        return finish(&options.typed, &to.path, opened, &styles, vec![sheet]);
    }
    let columns = &combined.columns;
    let name = sheet_name::legal(&wanted, &[]);
    check_new_sheet(options, &to.path, &name)?;
    opened.check_free(&to.path, &name)?;
    let table = (!options.is_plain()).then(|| sheet_name::legal_table(&stem, &opened.taken_names));
    let stated = options.place.source_column.as_deref();
    let others: Vec<&str> = columns.iter().map(|c| c.name.as_str()).collect();
    let source_column = source_column(stated, &others);
    let place = Place { source_column: Some(source_column), ..options.place.clone() };
    let options = Options { typed: Arc::clone(&options.typed), read: options.read.clone(), place };
    let is_linked = links::make::is_wanted(&options, &sources);
    let sheet = layout_of((&name, table.clone()), &options, shape, is_linked);
    let written = match &mut opened.writer {
        None => dry_written(columns, combined.records),
        Some(book) => {
            let feeds: Vec<(&dyn Feed, &Surveyed)> =
                sources.iter().map(|(s, of)| (*s as &dyn Feed, *of)).collect();
            let check = |source: &dyn Feed, part: &Written| check_strict(&options, source, columns, part);
            let mut written = sheet.write(&feeds, columns, (book, &mut styles, opened.from_1904), check)?;
            if is_linked {
                opened.links.push(links::make::link(&mut Made {
                    book: &to.path,
                    options: &options,
                    docket: docket.as_deref(),
                    sources: &sources,
                    columns,
                    shape,
                    slots: &sheet.slots,
                    sheet: &name,
                    table: table.as_deref(),
                    range: links::make::range_of(sheet.slots.len(), sheet.first_row(), written.rows),
                    written: &mut written,
                })?);
            } else {
                sources.iter().try_for_each(|(source, _)| source.check_still())?;
            }
            written
        }
    };
    let (link, comes_back) = (opened.key_of_last(&name), opened.comes_back(&name));
    let totals = totals_told(&sheet, columns);
    let mut sheet = SheetReceipt::new(&sources, columns, name, table, written);
    sheet.along.extend(totals);
    sheet.link = link;
    sheet.comes_back = comes_back;
    sheet.docket.clone_from(&shape.docket);
    finish(&options.typed, &to.path, opened, &styles, vec![sheet])
}

/// The name of the column for the sources of a new table: the stated one, or a usual one, that is none of the others' names.
pub(crate) fn source_column(stated: Option<&str>, others: &[&str]) -> String {
    let mut name = stated.unwrap_or("Source").to_owned();
    while others.iter().any(|other| other.eq_ignore_ascii_case(&name)) {
        name.push('_');
    }
    name
}
