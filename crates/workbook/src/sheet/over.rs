//! Rows that go over those of a sheet: what is copied, what is revised, and what around them is changed.

use crate::book::{BLOCK, Over, RowsPlan};
use crate::error::Result;
use crate::existing::edit::{attribute_edit, edited};
use crate::existing::{ExistingBook, ties_added, ties_name};
use crate::markup::tags;
use crate::package::deflate::{Block, Compressor};
use crate::package::zip_writer::ZipWriter;
use crate::parts;
use crate::reference::Range;
use crate::sheet::behind::NameSpaces;
use crate::sheet::formats::CellFormats;
use crate::sheet::revise::{self, Mover};
use crate::sheet::source::SheetSource;
use crate::sheet::{PlaceFormats, Revised, Revision, RowEncoder};
use crate::styles::Styles;
use std::io::{Seek, Write};
use std::sync::Arc;
/// The last row that something happens to.
pub(crate) fn plan_end(plan: &RowsPlan) -> u32 {
    let totals = plan.totals.as_ref().map_or(0, |t| t.stood().1.max(t.last()));
    plan.range.to.row.max(plan.old_last).max(totals)
}

/// Copies rows up to `last` as they are.
pub(crate) fn copy_rows<W: Write + Seek>(
    zip: &mut ZipWriter<W>,
    book: &mut ExistingBook,
    source: &mut SheetSource,
    last: u32,
) -> Result<()> {
    incola_parallel::ordered(
        || source.rows(book.zip(), last, BLOCK),
        Compressor::new,
        |compressor, rows| compressor.block(&rows.bytes),
        |block| zip.block(&block),
    )
}

/// Writes rows up to `up_to` as they are revised.
pub(crate) fn revise_rows<W: Write + Seek>(
    zip: &mut ZipWriter<W>,
    book: &mut ExistingBook,
    (source, up_to): (&mut SheetSource, u32),
    (revised, revision): (&Revised, &dyn Revision),
    encoder: &RowEncoder,
    prefix: &str,
) -> Result<()> {
    let start = || (Compressor::new(), encoder.clone());
    if revised.gone.is_empty() || (revised.moves_rows && !revised.has_formulas) {
        incola_parallel::ordered(
            || source.rows(book.zip(), up_to, BLOCK),
            start,
            |(compressor, encoder), rows| {
                compressor.block(&revise::revise_whole(&rows, revised, revision, encoder))
            },
            |block| zip.block(&block),
        )?;
    } else {
        let mut mover = Mover::new(revised, prefix);
        let mut compressor = Compressor::new();
        incola_parallel::ordered(
            || source.rows(book.zip(), up_to, BLOCK),
            start,
            |(_, encoder), rows| revise::revised(&rows, revision, encoder),
            |rows| {
                let mut out = Vec::new();
                mover.take(&rows, &mut out)?;
                zip.block(&compressor.block(&out))
            },
        )?;
        let mut left = Vec::new();
        mover.left(&mut left);
        // What came to its place is told from what stays behind by its row.
        source.put_back(&left, revised.last - revised.gone.len() as u32);
    }
    Ok(())
}

/// What stands before the rows, which reach as far as the plan says.
pub(crate) fn with_dimension(part: &str, head: &[u8], plan: &RowsPlan) -> Result<Vec<u8>> {
    let all = tags(part, head)?;
    let Some(tag) = all.iter().find(|t| t.opens("dimension")) else { return Ok(head.to_vec()) };
    let Some(range) = tag.attribute("ref").and_then(|r| Range::parse(&r)) else { return Ok(head.to_vec()) };
    let mut grown = range.with(plan.range.from).with(plan.range.to);
    if let Some(totals) = &plan.totals {
        grown = grown.with(crate::CellRef { row: totals.last(), column: plan.range.from.column });
    }
    for column in plan.fills.iter().map(|fill| fill.column) {
        grown = grown.with(crate::CellRef { row: plan.range.to.row.max(plan.range.from.row), column });
    }
    let edit = attribute_edit(head, tag, "ref", &grown.to_string()).filter(|_| grown != range);
    Ok(edited(head, edit.into_iter().collect()))
}

/// The row of headings with more of them behind its own, which look as the last one does.
pub(crate) fn added_headings(
    over: &mut Over,
    (row, headings): (u32, &[(u32, String)]),
    plan: &RowsPlan,
    styles: &Styles,
    (spaces, under): (&NameSpaces, Vec<u8>),
) -> Result<Block> {
    let columns: Vec<u32> = headings.iter().map(|h| h.0).collect();
    let neighbour = columns.first().map_or(1, |c| c - 1);
    let format = crate::sheet::raw::format_at(&under, neighbour).unwrap_or(0);
    let style = if format == 0 { Styles::HEADING } else { Styles::TEXT };
    let place = PlaceFormats {
        usual: format,
        is_of_cells: true,
        goes_on_below: false,
        all: vec![format],
        styles: vec![style],
    };
    let formats = CellFormats::over(&vec![place; columns.len()], styles, &mut over.styles)?;
    let mut rows = RowEncoder::at(&columns, Arc::new(formats), &spaces.prefix);
    rows.lay_under(under);
    rows.begin_row(row);
    for (n, (_, name)) in headings.iter().enumerate() {
        rows.text(n, style, name.as_bytes());
    }
    rows.end_row();
    debug_assert!(plan.range.from.row > row, "there are headings above the rows");
    Ok(Compressor::new().block(rows.xml()))
}

/// Adds the part of a new table over rows of a sheet; gives the number of its tie.
pub(crate) fn add_table<W: Write + Seek>(
    over: &mut Over,
    sheet: &str,
    name: &str,
    range: Range,
    columns: &[String],
    zip: &mut ZipWriter<W>,
) -> Result<u32> {
    let family = over.book.family();
    let place = over.additions.tables.len() as u32;
    let file = format!("xl/tables/table{}.xml", over.book.free_number("tables", "table") + place);
    let content = parts::table(over.book.free_table_id() + place, name, (range, &[]), columns, family);
    zip.entry_apart(&file, content.as_bytes());
    let target = format!("/{file}");
    let tie = if let Some(part) = over.book.ties_part(sheet)? {
        let tie = crate::existing::next_tie(&part)?;
        let content = ties_added(&part, &[(tie, "table", target)], family)?;
        over.parts.insert(part.place, content);
        tie
    } else {
        let content = parts::relationships_of(family, &[("table", target)]);
        let name = ties_name(&sheet.replace('\\', "/"));
        zip.entry_apart(&name, content.as_bytes());
        over.additions.ties.push(name);
        1
    };
    over.additions.tables.push(file);
    Ok(tie)
}
