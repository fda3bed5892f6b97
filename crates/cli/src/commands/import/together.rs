//! All sources become one table; kinds are decided over all of them.

use super::item::Options;
use super::item::{Book, Item, check_limits, names_of};
use super::opened::Opened;
use super::rows::{self, Together};
use super::sheet::{
    check_new_sheet, check_strict, dry_written, finish, number_style_for, sheet_columns, slots_of,
};
use crate::failure::{Failure, Result};
use crate::io::source::Source;
use crate::links::{self, make::Made};
use crate::placeholders::{self, Names};
use crate::receipt::{Receipt, SheetReceipt};
use incola_core::settings::Place;
use incola_engine::cells::ColumnWriter;
use incola_engine::feed::Feed;
use incola_engine::import::{Placing, Written, write};
use incola_engine::stop::Stop;
use incola_engine::text::{Surveyed, conclude};
use incola_workbook::{SheetLayout, Styles, sheet_name};
use std::sync::Arc;

/// Imports all sources of a workbook into one table, as what was typed and the docket of the first one say.
pub(super) fn import(to: &Book) -> Result<Receipt> {
    let Some(Item { options, choices, shape, source: first_source, surveyed: first, docket, .. }) =
        to.items.first()
    else {
        return Err(Failure::usage("no sources"));
    };
    let sources: Vec<(&Source, &Surveyed)> = to.items.iter().map(|i| (&i.source, &i.surveyed)).collect();
    let name_list =
        |s: &Surveyed| s.reading.columns.iter().map(|c| c.name.to_lowercase()).collect::<Vec<_>>();
    for (source, surveyed) in &sources[1..] {
        if name_list(surveyed) != name_list(first) {
            return Err(different_columns(first_source, first, source, surveyed));
        }
    }
    let mut combined = conclude(&to.items.iter().map(|i| &i.surveyed).collect::<Vec<_>>(), choices)?;
    for (column, own) in combined.columns.iter_mut().zip(&first.reading.columns) {
        column.name.clone_from(&own.name);
    }
    check_limits(first_source, &combined.columns, combined.records)?;
    let mut styles = Styles::new();
    let mut opened = Opened::at(&to.path, options.typed.dry_run, options.typed.even_signed)?;
    let stem = to.path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let wanted = options.place.sheet.as_deref().unwrap_or(&stem);
    let names = Names { stem: &stem, ..names_of(first_source, first) };
    let wanted = placeholders::fill(wanted, "--sheet", names, false)?;
    let there = opened.sheet(&wanted);
    let spot = rows::spot(options, &mut opened, there)?;
    if spot.sheet.is_some() && options.states_place() {
        let together = Together { sources, reading: combined, shape: shape.clone(), docket: docket.as_ref() };
        let sheet = rows::import(options, &to.path, &mut opened, &mut styles, choices, (spot, together))?;
        return finish(&options.typed, &to.path, opened, &styles, vec![sheet]);
    }
    let columns = &combined.columns;
    let writers = ColumnWriter::for_book(columns, &mut styles, opened.from_1904);
    let name = sheet_name::legal(&wanted, &[]);
    check_new_sheet(options, &to.path, &name)?;
    opened.check_free(&to.path, &name)?;
    let table = (!options.is_plain()).then(|| sheet_name::legal_table(&stem, &opened.taken_names));
    let mut source_column = options.place.source_column.clone().unwrap_or_else(|| "Source".to_owned());
    while columns.iter().any(|c| c.name.eq_ignore_ascii_case(&source_column)) {
        source_column.push('_');
    }
    let place = Place { source_column: Some(source_column), ..options.place.clone() };
    let options = Options { typed: Arc::clone(&options.typed), read: options.read.clone(), place };
    let longest = sources.iter().map(|(s, _)| s.label().encode_utf16().count()).max().unwrap_or(0) as u32;
    let slots = slots_of(&options, shape);
    let number_style = number_style_for(&options, &mut styles);
    let layout = SheetLayout {
        name: name.clone(),
        columns: sheet_columns(&slots, columns, &writers, (&options, shape), (longest, number_style)),
        rows: combined.records,
        header: true,
        table: table.clone(),
    };
    let first_row = layout.first_row();
    let is_linked = links::make::is_wanted(&options, &sources);
    let mut row = first_row;
    let mut written = Written::default();
    if let Some(writer) = &mut opened.writer {
        writer.begin_sheet(layout, &styles).map_err(Stop::NotWritten)?;
        for (source, surveyed) in &sources {
            let label = source.label();
            let placing = Placing {
                first_record: row - first_row + 1,
                ..Placing::new((columns, &writers), slots.clone(), row, &label, number_style)
                    .linked(is_linked, Vec::new())
            };
            let part = write(*source, surveyed, &placing, writer)?;
            check_strict(&options, source, columns, &part)?;
            row += part.rows as u32;
            written.merge(part);
        }
        writer.end_sheet().map_err(Stop::NotWritten)?;
        if is_linked {
            opened.links.push(links::make::link(&mut Made {
                book: &to.path,
                options: &options,
                docket: docket.as_ref(),
                sources: &sources,
                columns,
                shape,
                slots: &slots,
                sheet: &name,
                table: table.as_deref(),
                range: links::make::range_of(slots.len(), first_row, written.rows),
                written: &mut written,
            })?);
        }
    } else {
        written = dry_written(columns, combined.records);
    }
    let link = opened.key_of_last(&name);
    let mut sheet = SheetReceipt::new(&sources, columns, name, table, written);
    sheet.link = link;
    sheet.docket.clone_from(&shape.docket);
    finish(&options.typed, &to.path, opened, &styles, vec![sheet])
}

fn different_columns(
    first_source: &Source,
    first: &Surveyed,
    source: &Source,
    surveyed: &Surveyed,
) -> Failure {
    let names = |s: &Surveyed| {
        let names: Vec<&str> = s.reading.columns.iter().map(|c| c.name.as_str()).collect();
        names.join(", ")
    };
    Failure::protected(format!(
        "{} and {} have different columns\n  {}: {}\n  {}: {}",
        first_source.shown(),
        source.shown(),
        first_source.shown(),
        names(first),
        source.shown(),
        names(surveyed)
    ))
    .leaving("nothing was written")
    .help("import them without --together: each gets a sheet of its own")
}
