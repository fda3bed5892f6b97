//! Rows into a sheet that is there.

use super::item::Options;
use super::opened::Opened;
use super::sheet::{check_strict, dry_written, number_style_for};
use crate::docket::DocketFile;
use crate::docket::shape::Shape;
use crate::failure::{Failure, Result};
use crate::io::source::Source;
use crate::links::{self, make::Made};
use crate::receipt::SheetReceipt;
use crate::render;
use crate::state;
use crate::state::appended::{self, Appended};
use incola_core::evidence::DecidedBy;
use incola_core::kind::{DateOrder, Kind};
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::{self, ColumnReading, Reading};
use incola_core::record::Machine;
use incola_core::settings::model::MatchBy;
use incola_core::settings::selector::{AsChoice, Selector};
use incola_core::words::counted;
use incola_engine::cells::ColumnWriter;
use incola_engine::feed::Feed;
use incola_engine::import::{Placing, Slot, Written, write};
use incola_engine::place::headings::{Offer, Rules};
use incola_engine::place::spot::{self, Spot};
use incola_engine::place::{self, Mode, NarrowColumn, OwnNames, Place, Wish};
use incola_engine::stop::Stop;
use incola_engine::text::{self, Surveyed};
use incola_workbook::number_format::NumberFormat;
use incola_workbook::{
    CellRef, ColumnFacts, Compressor, ExistingBook, Range, RowsPlan, Styles, column_letters, sheet_name,
};
use std::path::Path;

/// Sources whose rows go under each other, and how their columns are read.
pub(super) struct Together<'s> {
    pub(super) sources: Vec<(&'s Source, &'s Surveyed)>,
    pub(super) reading: Reading,
    pub(super) shape: Shape,
    pub(super) docket: Option<&'s DocketFile>,
}

/// Where `--at` says that rows go; the sheet of that name, if it is there, otherwise.
pub(super) fn spot(options: &Options, opened: &mut Opened, sheet: Option<usize>) -> Result<Spot> {
    match (&options.place.at, opened.existing()) {
        (Some(at), Some(existing)) => {
            let found = spot::find(existing, at, sheet)?;
            if let (Some(named), Some(of_name)) =
                (sheet.filter(|_| options.place.sheet.is_some()), found.sheet)
                && named != of_name
            {
                return Err(Failure::usage(format!(
                    "--at {at} is in sheet \u{201c}{}\u{201d}, not in \u{201c}{}\u{201d}",
                    opened.sheet_names[of_name], opened.sheet_names[named]
                ))
                .leaving("nothing was written")
                .help("leave --sheet out"));
            }
            Ok(Spot { sheet: found.sheet.or(sheet), ..found })
        }
        _ => Ok(Spot { sheet, ..Spot::default() }),
    }
}

/// Puts the rows of sources into a sheet that is there.
pub(super) fn import(
    options: &Options,
    path: &Path,
    opened: &mut Opened,
    styles: &mut Styles,
    choices: &reading::Choices,
    (spot, mut together): (Spot, Together<'_>),
) -> Result<SheetReceipt> {
    if options.typed.totals {
        return Err(Failure::usage(
            "--totals: rows go into a sheet that is there, which keeps its own totals",
        )
        .leaving("nothing was written")
        .help("leave it out, or give the rows a sheet of their own: --sheet NAME"));
    }
    let sheet = spot.sheet.unwrap_or(0);
    let name = opened.sheet_names.get(sheet).cloned().unwrap_or_default();
    let stem = together.sources.first().map(|(s, _)| s.stem.clone()).unwrap_or_default();
    let said = rows_said(options)?;
    let spot = match said {
        // Headings stand right above.
        Some(range) if spot.cell.is_none() && spot.table.is_none() => {
            Spot { cell: CellRef::new(range.from.row.saturating_sub(1).max(1), range.from.column), ..spot }
        }
        _ => spot,
    };
    let wish = Wish {
        spot,
        mode: options.mode(),
        rules: Rules {
            matching: options.place.matching.unwrap_or(MatchBy::Name),
            missing_is_blank: options.place.missing_columns.is_some(),
            surplus: options.place.extra_columns,
        },
        takes_rows_below: false,
        even_protected: options.typed.even_protected,
        known_last: said.map(|range| range.to.row),
        last_is_said: said.is_some(),
        new_table: (!options.is_plain()).then(|| sheet_name::legal_table(&stem, &opened.taken_names)),
    };
    let records = together.sources.iter().map(|(_, s)| s.reading.records).sum();
    let offers = offers(options, &together);
    let Some(existing) = opened.existing() else { return Err(Failure::usage("there is no workbook")) };
    let place = place::find(existing, (sheet, &name), &wish, &offers, records)?;
    check_said(&place, said, &name)?;
    let table = place.table.as_ref().map(|t| t.name.clone());
    let table = table.or_else(|| wish.new_table.clone().filter(|_| place.heading_row.is_some()));
    let mut appended = Vec::new();
    if wish.mode == Mode::Append {
        appended = new_files(options, path, &together.sources, (&name, table.as_deref()), &place)?;
    }
    let mut notices = Vec::new();
    if place.facts.is_protected {
        notices.push(Notice::new(
            NoticeCode::SheetProtected,
            "the sheet is protected against typing; the rows were written anyway",
        ));
    }
    let behind = place.left_behind(existing, &name)?;
    if !options.typed.follow && !behind.is_empty() {
        notices.push(Notice::new(
            NoticeCode::RangesEnd,
            format!(
                "ended with the rows that were there, and end there still; incola undo and --follow take them along: {}",
                behind.join(", ")
            ),
        ));
    }
    notices.extend(over_other_records(existing, sheet, &place)?);
    if options.typed.follow {
        opened.grown.extend(place.grown(&name));
    }
    if wish.mode == Mode::Append {
        obey_kinds(opened, &place, &mut together, choices, &mut notices)?;
    }
    let columns = &together.reading.columns;
    notices.extend(among_formulas(&place, columns, wish.mode));
    let from_1904 = opened.from_1904;
    let writers: Vec<ColumnWriter> = ColumnWriter::for_book(columns, styles, from_1904);
    let narrow = place.narrow(columns);
    if !options.typed.fit_widths {
        notices.extend(too_narrow(&narrow));
    }
    let number_style = number_style_for(options, styles);
    let mut along = Vec::new();
    let is_linked = wish.mode != Mode::Append && links::make::is_wanted(options, &together.sources);
    let candidates = links::make::key_candidates(options, columns, &place.slots());
    let mut written = match &mut opened.writer {
        None => dry_written(columns, records),
        // Nothing to put under what is there.
        Some(_) if records == 0 && wish.mode == Mode::Append => dry_written(columns, 0),
        Some(book) => {
            let names = OwnNames {
                number_rows: options.place.number_column.as_deref(),
                source_column: options.place.source_column.as_deref(),
            };
            let mut plan = place.plan(columns, &writers, (&names, number_style));
            along = went_along(&plan);
            if options.typed.fit_widths && !narrow.is_empty() {
                plan.widths = narrow.iter().map(|c| (c.column, c.digits)).collect();
                along.push(format!("wider columns: {}", letters(&narrow, |_| true)));
            }
            book.begin_rows(sheet, plan, &place.facts, styles, None).map_err(Stop::NotWritten)?;
            if let Some(row) = place.heading_row {
                let mut rows = book.rows(&place.columns());
                if let Some(under) = book.rows_under(row).map_err(Stop::NotWritten)? {
                    rows.lay_under(under);
                }
                rows.begin_row(row);
                for (at, slot) in place.slots().iter().enumerate() {
                    let name = match slot {
                        Slot::Field(index) => &columns[*index].name,
                        Slot::RecordNumber => options.place.number_column.as_ref().unwrap_or(&stem),
                        _ => options.place.source_column.as_ref().unwrap_or(&stem),
                    };
                    rows.text(at, Styles::HEADING, name.as_bytes());
                }
                rows.end_row();
                book.block(&Compressor::new().block(rows.xml())).map_err(Stop::NotWritten)?;
            }
            let mut written = Written::default();
            let mut row = place.first_row;
            for (source, surveyed) in &together.sources {
                let label = source.label();
                let placing = Placing {
                    columns,
                    writers: &writers,
                    first_row: row,
                    sheet_columns: place.columns(),
                    slots: place.slots(),
                    source_name: &label,
                    number_style,
                    first_record: row - place.first_row + 1,
                    is_linked,
                    candidates: if is_linked { candidates.clone() } else { Vec::new() },
                };
                let part = write(*source, surveyed, &placing, book)?;
                check_strict(options, *source, columns, &part)?;
                source.check_still()?;
                row += part.rows as u32;
                written.merge(part);
            }
            book.end_rows().map_err(Stop::NotWritten)?;
            written
        }
    };
    opened.appended.extend(appended);
    if wish.mode == Mode::Replace {
        opened.replaced.push((name.clone(), table.clone()));
    }
    if is_linked && opened.writer.is_some() {
        let mut new = links::make::link(&mut Made {
            book: path,
            options,
            docket: together.docket,
            sources: &together.sources,
            columns,
            shape: &together.shape,
            slots: &place.slots(),
            sheet: &name,
            table: table.as_deref(),
            range: place.linked_range(),
            written: &mut written,
        })?;
        for (column, heading) in new.link.columns.iter_mut().zip(place.headings_of_slots()) {
            column.heading = heading.unwrap_or_else(|| column.heading.clone());
        }
        opened.links.push(new);
    }
    opened.taken_names.extend(table.clone());
    let link = opened.key_of_last(&name);
    let mut receipt = SheetReceipt::new(&together.sources, columns, name, table, written);
    receipt.link = link;
    receipt.placed = (records > 0).then(|| place.range().to_string());
    receipt.replaced = (wish.mode == Mode::Replace).then(|| place.rows_before());
    receipt.docket.clone_from(&together.shape.docket);
    // What is written is told when it is.
    if options.typed.follow && opened.writer.is_none() && !behind.is_empty() {
        along.push(reached(&behind));
    }
    receipt.along = along;
    receipt.matched.clone_from(&place.pairs.alike);
    receipt.notices.extend(notices);
    Ok(receipt)
}

/// The files that are to be appended to a table, none of which was before.
///
/// # Errors
/// Status 4 if one was.
fn new_files(
    options: &Options,
    book: &Path,
    sources: &[(&Source, &Surveyed)],
    (sheet, table): (&str, Option<&str>),
    place: &Place,
) -> Result<Vec<Appended>> {
    let mut files = Vec::new();
    for (source, surveyed) in sources.iter().filter(|(_, surveyed)| surveyed.reading.records > 0) {
        let digest = format!("{:016x}", source.digest()?.1);
        let before = appended::find(book, (sheet, table), &digest, place.data_rows().1)
            .filter(|_| !options.typed.again);
        if let Some(before) = before {
            let rows = counted(before.rows, "row", "rows");
            return Err(Failure::protected(format!(
                "{}: the same file was appended to \u{201c}{}\u{201d} before, on {} ({rows})",
                source.shown(),
                table.unwrap_or(sheet),
                render::links::local(&before.at)
            ))
            .leaving("the workbook was not changed")
            .help("to append it once more: --again")
            .help("if those rows are no longer there, --again is right too"));
        }
        files.push(Appended {
            sheet: sheet.to_owned(),
            table: table.map(str::to_owned),
            source: source.name.clone(),
            digest,
            rows: surveyed.reading.records,
            last_row: place.range().to.row,
            at: state::now(),
        });
    }
    Ok(files)
}

/// What is to be known where rows become others: rows that were hidden, comments.
fn over_other_records(book: &mut ExistingBook, sheet: usize, place: &Place) -> Result<Vec<Notice>> {
    let mut notices = Vec::new();
    let Some((first, last)) = place.replaced_rows() else { return Ok(notices) };
    if let Some((row, rows)) = place.facts.hidden {
        let rows = counted(rows, "row was", "rows were");
        notices.push(Notice::new(
            NoticeCode::RowsShown,
            format!("{rows} hidden by a filter or by hand, from row {row} on: they hold other records now and are shown; filter again"),
        ));
    }
    let columns = place.all_columns();
    let comments = book.comments(sheet).map_err(Stop::Book)?;
    let is_over = |at: &&CellRef| (first..=last).contains(&at.row) && columns.contains(&at.column);
    let stay: Vec<String> = comments.iter().filter(is_over).take(5).map(ToString::to_string).collect();
    if !stay.is_empty() {
        notices.push(Notice::new(
            NoticeCode::CommentsStay,
            format!("comments stay where they are, and are over other records now: {}", stay.join(", ")),
        ));
    }
    Ok(notices)
}

/// The rows of data that the clerk names.
fn rows_said(options: &Options) -> Result<Option<Range>> {
    let Some(text) = &options.typed.rows else { return Ok(None) };
    let range = Range::parse(text).filter(|range| range.from != range.to);
    range.map(Some).ok_or_else(|| {
        Failure::usage(format!("--rows {text}: this is not a range of cells"))
            .leaving("nothing was written")
            .help("name the first and the last cell of the records: --rows A2:D51")
    })
}

/// Fails if the rows that the clerk names are not those below the headings.
fn check_said(place: &Place, said: Option<Range>, sheet: &str) -> Result<()> {
    let Some(said) = said else { return Ok(()) };
    let (first, _) = place.data_rows();
    let failure = match &place.table {
        Some(table) => format!("--rows {said}: table {} knows its rows", table.name),
        None if place.heading_row.is_some() => {
            format!("--rows {said}: sheet \u{201c}{sheet}\u{201d} has no headings above them")
        }
        None if said.from.row != first => {
            format!(
                "--rows {said}: the rows below the headings of \u{201c}{sheet}\u{201d} begin in row {first}"
            )
        }
        None => return Ok(()),
    };
    Err(Failure::usage(failure).leaving("the workbook was not changed"))
}

/// The letters of columns.
fn letters(columns: &[NarrowColumn], is_meant: impl Fn(&NarrowColumn) -> bool) -> String {
    let letters: Vec<String> =
        columns.iter().filter(|column| is_meant(column)).map(|c| column_letters(c.column)).collect();
    letters.join(", ")
}

/// What is said of columns that are too narrow.
fn too_narrow(columns: &[NarrowColumn]) -> Option<Notice> {
    let (hashed, cut) = (letters(columns, |c| c.is_hashed), letters(columns, |c| !c.is_hashed));
    let parts: Vec<String> = [(hashed, "numbers or dates are shown as ####"), (cut, "text may be cut off")]
        .into_iter()
        .filter(|(columns, _)| !columns.is_empty())
        .map(|(columns, what)| format!("in {columns} {what}"))
        .collect();
    let words = format!("columns are too narrow: {}; --fit-widths widens them", parts.join(", "));
    (!columns.is_empty()).then(|| Notice::new(NoticeCode::NarrowColumns, words))
}

/// Columns that hold formulas in most rows that stood there, where the source has values.
fn among_formulas(place: &Place, columns: &[ColumnReading], mode: Mode) -> Option<Notice> {
    let computed = |index: &usize| {
        place
            .facts_of(*index)
            .is_some_and(|facts| facts.formulas > 1 && facts.formulas * 2 > place.rows_before())
    };
    let names: Vec<&str> =
        (0..columns.len()).filter(computed).map(|index| columns[index].name.as_str()).collect();
    let what = match mode {
        Mode::Append => "formulas are in the rows above, and values of the source in those that came",
        _ => "formulas were there, and values of the source are now",
    };
    let words = format!(
        "{what}: in {}; --only with the other columns, and --missing-columns blank, let the formulas go on",
        names.join(", ")
    );
    (!names.is_empty()).then(|| Notice::new(NoticeCode::ValuesAmongFormulas, words))
}

/// What is told of things elsewhere that reach new rows.
pub(super) fn reached(places: &[String]) -> String {
    format!("what ended with the rows elsewhere: {}", places.join(", "))
}

/// What goes with the rows, in words.
fn went_along(plan: &RowsPlan) -> Vec<String> {
    let (from, to) = (plan.range.from.row, plan.range.to.row);
    let mut along = Vec::new();
    for fill in plan.fills.iter().filter(|fill| to > fill.kept_to) {
        let from = CellRef { row: from.max(fill.kept_to + 1), column: fill.column };
        let range = Range { from, to: CellRef { row: to, column: fill.column } };
        along.push(format!("the formula beside, in {range}"));
    }
    for fill in plan.fills.iter().filter(|fill| plan.old_last > to && fill.kept_to >= plan.old_last) {
        let column = column_letters(fill.column);
        along.push(format!("the formula beside, which ends in {column}{to} now"));
    }
    if let Some(totals) = plan.totals.as_ref().filter(|t| t.stood().0 != t.to) {
        let rows = |from: u32, to: u32| {
            if from == to { format!("row {from}") } else { format!("rows {from} to {to}") }
        };
        let (from, to) = totals.stood();
        along.push(format!("the totals, from {} to {}", rows(from, to), rows(totals.to, totals.last())));
    }
    along
}

/// What the sources offer to the sheet: their columns, and what says which source it is.
fn offers(options: &Options, together: &Together<'_>) -> Vec<Offer> {
    let columns = &together.reading.columns;
    let fields = together.shape.order.iter();
    let (line, first) = first_record(together);
    let fields = fields.map(|n| Offer {
        first: first.get(*n).map(|value| (line, value.clone())),
        ..Offer::new(Slot::Field(*n), columns[*n].name.clone())
    });
    let number = options.place.number_column.iter().map(|n| Offer::new(Slot::RecordNumber, n.clone()));
    let source = options.place.source_column.iter().map(|n| Offer::new(Slot::SourceName, n.clone()));
    fields.chain(number).chain(source).collect()
}

/// The fields of the first record and its line, from 1, where no line was taken for the names: it may be one.
fn first_record(together: &Together<'_>) -> (u64, Vec<String>) {
    let Some((_, surveyed)) = together.sources.first() else { return (0, Vec::new()) };
    let layout = &surveyed.reading.layout;
    let Some(at) = surveyed.data_in_head().filter(|_| layout.header_line.is_none()) else {
        return (0, Vec::new());
    };
    let mut machine = Machine::new(&surveyed.plan.dialect);
    machine.step(&surveyed.head, at, true);
    let fields = machine.fields(&surveyed.head).map(|f| String::from_utf8_lossy(f).trim().to_owned());
    (layout.lines_before_data + 1, fields.collect())
}

/// Reads columns as the sheet has them: rows under others are of their kind.
fn obey_kinds(
    opened: &Opened,
    place: &Place,
    together: &mut Together<'_>,
    choices: &reading::Choices,
    notices: &mut Vec<Notice>,
) -> Result<()> {
    let mut choices = choices.clone();
    let stated = choices.kinds.len();
    let mut told = Vec::new();
    let columns = &together.reading.columns;
    for (n, column) in columns.iter().enumerate().filter(|(_, c)| c.decided_by == DecidedBy::Detected) {
        let Some((kind, code)) = place.facts_of(n).and_then(|facts| kind_of(opened, facts)) else { continue };
        let own = column.rule.kind();
        let is_moment = |k: Kind| matches!(k, Kind::Date | Kind::Time | Kind::DateTime);
        if own == kind || (is_moment(own) && is_moment(kind)) || !column.is_wanted() {
            continue;
        }
        // A column without any value may become anything.
        if column.stats.filled == 0 {
            continue;
        }
        let format = is_moment(kind).then(|| pattern_for(column, &code)).flatten();
        let choice =
            AsChoice { selector: Selector::new(&(n + 1).to_string()), kind, format, by: DecidedBy::Given };
        choices.kinds.push(choice);
        let tried = conclude(together, &choices)?;
        let misfits = tried.columns[n].misfits.count;
        if kind != Kind::Text && misfits * 2 > column.stats.filled {
            // What the sheet has does not fit: better text than a column of misfits.
            choices.kinds.pop();
            notices.push(
                Notice::new(
                    NoticeCode::SheetKinds,
                    format!(
                        "\u{201c}{}\u{201d} is {} in the sheet, and {} in the source: it was put in as {}",
                        column.name,
                        kind.word(),
                        own.word(),
                        own.word()
                    ),
                )
                .in_column(n + 1),
            );
            continue;
        }
        told.push(format!("\u{201c}{}\u{201d} is {}", column.name, tried.columns[n].rule.kind().word()));
    }
    if choices.kinds.len() > stated {
        together.reading = conclude(together, &choices)?;
        notices.push(Notice::new(
            NoticeCode::SheetKinds,
            format!("read as the sheet has them, not as the source alone would be: {}", told.join(", ")),
        ));
    }
    Ok(())
}

fn conclude(together: &Together<'_>, choices: &reading::Choices) -> Result<Reading> {
    let surveyed: Vec<&Surveyed> = together.sources.iter().map(|(_, surveyed)| *surveyed).collect();
    Ok(text::conclude(&surveyed, choices)?)
}

/// The kind that a column of the sheet has, and the code of the format that most of its cells have.
fn kind_of(opened: &Opened, facts: &ColumnFacts) -> Option<(Kind, String)> {
    if facts.texts > facts.numbers {
        return Some((Kind::Text, String::new()));
    }
    let most = facts.formats.iter().filter(|f| f.numbers > 0).max_by_key(|f| f.numbers)?;
    let code = opened.number_format_of(most.format);
    let shape = code.to_lowercase();
    let kind = if !NumberFormat::new(&code).is_date() {
        Kind::Number
    } else if shape.contains('y') || shape.contains('d') {
        if shape.contains('h') { Kind::DateTime } else { Kind::Date }
    } else {
        Kind::Time
    };
    Some((kind, code))
}

/// Where the source's order of day and month cannot be told, the sheet's.
fn pattern_for(column: &ColumnReading, code: &str) -> Option<String> {
    let at = |letter: char| code.to_lowercase().find(letter);
    let wanted = match (at('d'), at('m'), at('y')) {
        (_, Some(m), Some(y)) if y < m => DateOrder::YearFirst,
        (Some(d), Some(m), _) if m < d => DateOrder::MonthFirst,
        _ => DateOrder::DayFirst,
    };
    column.date_patterns().into_iter().find(|(order, _)| *order == wanted).map(|(_, pattern)| pattern)
}
