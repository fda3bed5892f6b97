//! What stands against rows in a sheet, for people.

use crate::failure::Failure;
use crate::render::command::quoted;
use crate::render::{sanitize, text};
use incola_engine::stop::{Held, Mismatch, Occupied, PlaceStop, SpotStop, Whole};
use incola_workbook::{Range, column_letters, limits};

/// What stands against rows in a sheet.
pub(crate) fn place(sheet: &str, why: &PlaceStop) -> Failure {
    place_words(sheet, why).leaving("the workbook was not changed")
}

fn place_words(sheet: &str, why: &PlaceStop) -> Failure {
    let of_sheet = |what: &str| Failure::protected(format!("sheet \u{201c}{sheet}\u{201d}{what}"));
    match why {
        PlaceStop::Protected => of_sheet(" is protected against typing")
            .help("take the protection off, or write the rows anyway: --even-protected"),
        PlaceStop::TooManyRows { records, first_row } => Failure::protected(format!(
            "{records} records do not fit below row {first_row} of \u{201c}{sheet}\u{201d}: a sheet ends with row {}",
            limits::ROWS
        )),
        PlaceStop::TooFarRight { column } => Failure::protected(format!(
            "the rows would reach column {column} of \u{201c}{sheet}\u{201d}: a sheet ends with column {}",
            limits::COLUMNS
        )),
        PlaceStop::Occupied(occupied) => self::occupied(sheet, occupied),
        PlaceStop::ColumnTaken { at, held } => {
            let letters = column_letters(at.column);
            let what = match held {
                Some(text) => format!("{at} holds \u{201c}{}\u{201d}", sanitize::line(text)),
                None => format!("{at} is filled"),
            };
            of_sheet(&format!(": a new column would be in {letters}, and {what}"))
                .help(format!("insert an empty column before {letters} in the sheet"))
                .help("or leave new columns out: --extra-columns skip")
        }
        PlaceStop::OwnValues { heading, cells, from } => {
            let from = from.map_or_else(String::new, |at| format!(", from {at} on"));
            of_sheet(&format!(
                ": \u{201c}{heading}\u{201d} is not the source\u{2019}s, and {cells} of its cells hold something{from}: with other \
                 records in the rows they would be lost"
            ))
            .help("keep them with their records: link the table to its source, and use incola refresh instead of --mode replace")
            .help("or empty those cells first")
        }
        PlaceStop::OnePieceBeside { range, grows } => {
            let how = if *grows { "more" } else { "fewer" };
            of_sheet(&format!(": one formula fills {range} beside the rows, and the rows become {how}"))
                .help("give each row its own formula, or remove that one, then do this again")
        }
        PlaceStop::Torn { what, ranges, has_more } => {
            let list: Vec<String> = ranges.iter().map(Range::to_string).collect();
            let more = if *has_more { " and others" } else { "" };
            let (words, way) = match what {
                Whole::Merged => {
                    ("cells are merged", "unmerge them, or choose another place with --at")
                }
                Whole::Array => ("one formula fills several cells", "choose another place with --at"),
                Whole::SharedText => (
                    "formulas share their text with others",
                    "type that formula again in one of the cells beside, or choose another place with --at",
                ),
            };
            of_sheet(&format!(": {words} where rows go: {}{more}", list.join(", "))).help(way)
        }
        PlaceStop::OtherTable { rows, name, range } => {
            of_sheet(&format!(": rows in {rows} would overlap table {name} ({range})"))
                .help(format!("to add them to that table: --at {name} --mode append"))
                .help("or use a new sheet: --sheet with another name")
        }
        PlaceStop::TableFed { name } => Failure::protected(format!(
            "table \u{201c}{name}\u{201d} is filled from outside by the program that shows it: rows written there would be lost"
        ))
        .help("choose another place with --at"),
        PlaceStop::NoHeadings { at } => of_sheet(&format!(" has no headings at {at} to match the columns with"))
            .help("tell Incola where its headings are: --at CELL"),
        PlaceStop::TableWithoutHeadings { name } => {
            Failure::protected(format!("table \u{201c}{name}\u{201d} has no headings to match"))
        }
        PlaceStop::SeveralTables { names } => Failure::usage(format!(
            "sheet \u{201c}{sheet}\u{201d} has several tables: {}",
            names.join(", ")
        ))
        .help(format!("choose one: --at {}", names.first().map_or("", String::as_str))),
        PlaceStop::Mismatch(mismatch) => headings(sheet, mismatch),
        PlaceStop::UnclearTotals { row, cells, columns, first_row } => {
            let range = |last: u32| {
                format!("{}{first_row}:{}{last}", column_letters(columns.0), column_letters(columns.1))
            };
            of_sheet(&format!(": row {row} may be a record or a row of totals{}", held(cells)))
                .help(format!("it is a record: --rows {}", range(*row)))
                .help(format!("it holds totals: --rows {}", range(row - 1)))
        }
        PlaceStop::OnePieceMoves { range } => of_sheet(&format!(": {range} cannot be split (merged cells or one formula), and rows above it are removed"))
            .help("unmerge them, or remove the formula for several cells, then refresh again"),
        PlaceStop::CommentMoves { at } => {
            of_sheet(&format!(": {at} has a comment whose part is damaged, and rows move up there: it would stay over another record"))
                .help("take the comment out, or put its text into a column beside the table, then refresh again")
        }
        why => of_sheet(&format!(": {why:?}")),
    }
}

/// Cells and what they hold, a line each.
fn held(cells: &[Held]) -> String {
    let line = |cell: &Held| match cell.text.strip_prefix('=') {
        Some(formula) => format!("\n  {} holds ={}", cell.at, sanitize::line(formula)),
        None => format!("\n  {} holds \u{201c}{}\u{201d}", cell.at, sanitize::line(&cell.text)),
    };
    cells.iter().map(line).collect()
}

fn occupied(sheet: &str, of: &Occupied) -> Failure {
    let blank = if of.needs_blank_row { " and an empty row below" } else { "" };
    let (from, to) = of.filled;
    let mut failure = Failure::protected(format!(
        "sheet \u{201c}{sheet}\u{201d}: the cells for the rows are not empty: they need {}{blank}, and rows {from} to {to} are filled{}",
        of.needs,
        held(&of.cells)
    ));
    if of.can_replace {
        failure = failure.help("to replace them: --mode replace");
    }
    if of.can_append {
        failure = failure.help("to add the rows under the last one: --mode append");
    }
    if let Some(free) = of.free {
        failure = failure.help(format!("or below everything: --at {free}"));
    }
    failure.help("or use a new sheet: --sheet with another name")
}

/// Headings and columns, side by side, with what has no counterpart marked.
fn headings(sheet: &str, mismatch: &Mismatch) -> Failure {
    let lone = |(name, is_lone): &(String, bool)| {
        let mark = if *is_lone { "  \u{2260} " } else { "    " };
        format!("{mark}{}", sanitize::line(name))
    };
    let lefts: Vec<String> = mismatch.headings.iter().map(lone).collect();
    let rights: Vec<String> = mismatch.columns.iter().map(lone).collect();
    let width = lefts.iter().map(|t| text::width(t)).max().unwrap_or(0).max(24);
    let mut list = format!("\n    {}  source", text::left("sheet", width - 2));
    let cell = |texts: &[String], n: usize| texts.get(n).cloned().unwrap_or_default();
    for n in 0..lefts.len().max(rights.len()) {
        let line = format!("{}{}", text::left(&cell(&lefts, n), width), cell(&rights, n));
        list.push_str(&format!("\n{}", line.trim_end()));
    }
    let mut failure = Failure::protected(format!(
        "sheet \u{201c}{sheet}\u{201d}: its headings are not the columns of the source{list}"
    ));
    match mismatch.names_line {
        Some(line) => failure = failure.help(format!("line {line} holds these names: --header {line}")),
        None if mismatch.is_by_name => failure = failure.help("columns in the same order: --match position"),
        None => {}
    }
    if mismatch.lacks_columns {
        failure = failure.help("to leave headings without a column empty: --missing-columns blank");
    }
    if let Some(first) = &mismatch.surplus {
        failure = failure
            .help("columns without a heading get one, or are left out: --extra-columns add, --extra-columns skip")
            .help(format!("leave one of them out: --as {}", quoted(&format!("{first}=skip"))));
    }
    failure.help("give columns the sheet's names: --names")
}

/// Why what `--at` says is no place.
pub(crate) fn spot(why: &SpotStop) -> Failure {
    match why {
        SpotStop::NoRange { at, refers_to } => {
            Failure::usage(format!("--at {at}: that name means \u{201c}{refers_to}\u{201d}, not one range"))
        }
        SpotStop::CellOrHeading { cell, heading } => Failure::usage(format!(
            "--at {cell}: that is a cell, and also what the heading in {heading} says"
        ))
        .leaving("nothing was written")
        .help(format!("below that heading: --at {heading}"))
        .help(format!("at the cell: --at '${}${}'", column_letters(cell.column), cell.row)),
        SpotStop::Twice { at, first, second } => {
            Failure::usage(format!("--at {}: that is in {first} and in {second}", quoted(at)))
                .leaving("nothing was written")
                .help(format!("choose one: --at {first}"))
        }
        SpotStop::Nowhere { at, knows_sheet } => {
            let failure = Failure::usage(format!(
                "--at {}: no table, range or heading has that name, and it is not a cell",
                quoted(at)
            ))
            .leaving("nothing was written")
            .help("name a cell, such as --at A2");
            if *knows_sheet {
                failure
            } else {
                failure.help("or a heading of a sheet: --sheet NAME --at HEADING")
            }
        }
        why => Failure::usage(format!("--at: {why:?}")),
    }
}
