//! Why work ended early, for people.

use super::{links, places};
use crate::failure::Failure;
use incola_core::encoding::NotText;
use incola_core::survey::{MOST_COLUMNS, MOST_RECORD_BYTES};
use incola_core::words::{counted, grouped};
use incola_engine::stop::{NotAsWritten, Stop};
use incola_workbook::column_letters;
use std::path::Path;

impl From<Stop> for Failure {
    fn from(stop: Stop) -> Self {
        match stop {
            Stop::Interrupted => Self::interrupted(),
            // What reads for the engine fails with a failure of its own.
            Stop::Outside(error) => match error.downcast::<Self>() {
                Ok(failure) => *failure,
                Err(error) => Self::unreadable(error.to_string()),
            },
            Stop::Empty { source } => Self::protected(format!("{source}: the file is empty"))
                .help("nothing to import; check whether the other system has finished writing it"),
            Stop::NotText { source, why } => not_text(&source, why),
            Stop::SourceChanged { source } => {
                Self::protected(format!("{source}: the file changed while it was read"))
                    .help("wait until the other system has finished writing it, then import it again")
            }
            Stop::BadSetting(wrong) => super::settings::bad(&wrong, None),
            Stop::NoSuchStart { source, start, starts } => {
                let starts: Vec<String> = starts.iter().map(usize::to_string).collect();
                let starts = starts.join(",");
                Self::usage(format!("{source}: no column starts at {start}; the starts are {starts}"))
                    .help("see the lines under a ruler: incola inspect --raw")
            }
            Stop::FewLines { source, from, lines } => {
                Self::usage(format!("--lines {from}..: {source} has only {lines} lines"))
            }
            Stop::NoEncoding { name } => Self::usage(format!("--encoding {name}: there is no such encoding"))
                .help("for example utf-8, windows-1252, cp850, shift_jis"),
            Stop::TooManyColumns { source, columns } => {
                Self::protected(format!("{source}: {columns} columns; a worksheet has {MOST_COLUMNS}"))
                    .leaving("nothing was written")
                    .help("check the delimiter: incola inspect --raw shows the lines")
            }
            Stop::TooManyGroups { column, most } => {
                Self::usage(format!("--by: \u{201c}{column}\u{201d} makes more than {most} groups"))
                    .help("choose a column with fewer different values, or a longer period")
            }
            Stop::RecordTooLong { line } => too_long(line),
            Stop::Book(error) => Self::unreadable(error.to_string()).leaving("the workbook was not changed"),
            Stop::NotWritten(error) => not_written(&error),
            Stop::NotPutAside(error) => {
                Self::unreadable(format!("what has no room in memory cannot be put aside: {error}"))
                    .leaving("nothing was written")
                    .help("make room in the folder for temporary files, or name another one with TMPDIR, then do this again")
            }
            Stop::NotAsWritten { sheet, why } => not_as_written(&sheet, &why),
            Stop::Place { sheet, why } => places::place(&sheet, &why),
            Stop::Spot(why) => places::spot(&why),
            Stop::RowsLost => Self::unreadable("records that were put aside cannot be read back")
                .leaving("the workbook was not changed"),
            Stop::Link { link, why } => links::link(&link, &why, None),
            stop => Self::unreadable(stop.to_string()).leaving("nothing was written"),
        }
    }
}

/// What stopped work on the links of a workbook: commands name it.
pub(crate) fn in_book(stop: Stop, book: &Path) -> Failure {
    match stop {
        Stop::Link { link, why } => links::link(&link, &why, Some(book)),
        Stop::Book(error) => Failure::unreadable(format!("{}: {error}", book.display())),
        stop => stop.into(),
    }
}

/// What stopped work on the table of a link.
pub(crate) fn in_table(stop: Stop, book: &Path) -> Failure {
    match stop {
        Stop::Link { .. } => in_book(stop, book),
        Stop::Place { .. } | Stop::Spot(_) | Stop::Outside(_) | Stop::Book(_) | Stop::NotWritten(_) => {
            stop.into()
        }
        stop => Failure::from(stop).leaving("the table was not changed"),
    }
}

/// The finished workbook was read again, and is not what was written.
fn not_as_written(sheet: &str, why: &NotAsWritten) -> Failure {
    let what = match why {
        NotAsWritten::Rows(found, wanted) => {
            format!("it has {} instead of {}", counted(*found, "row", "rows"), grouped(*wanted))
        }
        NotAsWritten::Records(found, wanted) => {
            let rows = counted(*found, "row says what its record says", "rows say what their records say");
            format!("{rows} instead of {}", grouped(*wanted))
        }
        NotAsWritten::Cells(found, wanted) => {
            format!(
                "it has {} instead of {}",
                counted(*found, "filled cell", "filled cells"),
                grouped(*wanted)
            )
        }
        NotAsWritten::Sum(column, found, wanted) => {
            format!("column {} adds up to {found}, but its source to {wanted}", column_letters(*column))
        }
        NotAsWritten::Values => "it has as many cells, but not the same values".to_owned(),
        NotAsWritten::Damaged(error) => format!("it cannot be read: {error}"),
    };
    faulty(Failure::protected(format!(
        "sheet \u{201c}{sheet}\u{201d}, read again from the finished workbook: {what}"
    )))
}

/// What is left, and what to do, where a finished workbook is not what was written.
pub(crate) fn faulty(failure: Failure) -> Failure {
    failure
        .leaving("the workbook was not put in its place")
        .help("disk or memory may be faulty: try again, and on another disk")
}

fn not_text(source: &str, why: NotText) -> Failure {
    let what = match why {
        NotText::Signature(what) => what.to_owned(),
        NotText::Controls(per_mille) => format!(
            "binary data ({}.{} % of its bytes are control characters)",
            per_mille / 10,
            per_mille % 10
        ),
    };
    Failure::unreadable(format!("{source}: this is {what}, not a text file"))
        .help("export it as text from the program it comes from, or use --encoding NAME if it is text")
}

fn too_long(line: Option<u64>) -> Failure {
    let place = line.map_or_else(String::new, |line| format!(" in line {line}"));
    Failure::protected(format!(
        "a record of more than {} MiB{place}: either this is not a table, or a quote is never closed",
        MOST_RECORD_BYTES / 1024 / 1024
    ))
    .help("look at the lines: incola inspect --raw")
    .help("use --quote none if quotes are ordinary characters")
}

/// A workbook that cannot be written.
pub(crate) fn not_written(error: &incola_workbook::Error) -> Failure {
    match error {
        incola_workbook::Error::Write { source, .. } if source.kind() == std::io::ErrorKind::StorageFull => {
            Failure::unreadable("the disk is full")
                .leaving("nothing was written")
                .help("make room, then do this again")
        }
        incola_workbook::Error::Write { source, .. } if source.kind() == std::io::ErrorKind::FileTooLarge => {
            Failure::unreadable("the workbook would be larger than a file may be here")
                .leaving("nothing was written")
                .help("allow larger files, or use another disk, then do this again")
        }
        error => Failure::unreadable(format!("the workbook cannot be written: {error}"))
            .leaving("nothing was written"),
    }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use incola_core::settings::BadSetting;
    use incola_engine::stop::{Held, KindDiffers, LinkStop, Mismatch, Occupied, PlaceStop, SpotStop, Whole};
    use incola_workbook::{CellRef, Range};

    fn places() -> Vec<(u8, PlaceStop)> {
        let at = CellRef { row: 4, column: 2 };
        let range = Range { from: at, to: CellRef { row: 9, column: 3 } };
        let occupied = Occupied {
            needs: range,
            needs_blank_row: true,
            filled: (4, 6),
            cells: vec![Held { at, text: "a note".into() }],
            can_replace: true,
            can_append: true,
            free: Some(CellRef { row: 12, column: 2 }),
        };
        let mismatch = Mismatch {
            headings: vec![("Call".into(), false), ("Berth".into(), true)],
            columns: vec![("Call".into(), false), ("Quay".into(), true)],
            names_line: None,
            is_by_name: true,
            lacks_columns: true,
            surplus: Some("Quay".into()),
        };
        let torn = |what| PlaceStop::Torn { what, ranges: vec![range], has_more: true };
        vec![
            (4, PlaceStop::Protected),
            (4, PlaceStop::TooManyRows { records: 2_000_000, first_row: 4 }),
            (4, PlaceStop::TooFarRight { column: 16_385 }),
            (4, PlaceStop::Occupied(occupied)),
            (4, PlaceStop::ColumnTaken { at, held: Some("Remark".into()) }),
            (4, PlaceStop::ColumnTaken { at, held: None }),
            (4, PlaceStop::OwnValues { heading: "Remark".into(), cells: 2, from: Some(at) }),
            (4, PlaceStop::OnePieceBeside { range, grows: true }),
            (4, torn(Whole::Merged)),
            (4, torn(Whole::Array)),
            (4, torn(Whole::SharedText)),
            (4, PlaceStop::OtherTable { rows: range, name: "dues".into(), range }),
            (4, PlaceStop::TableFed { name: "dues".into() }),
            (4, PlaceStop::NoHeadings { at }),
            (4, PlaceStop::TableWithoutHeadings { name: "dues".into() }),
            (2, PlaceStop::SeveralTables { names: vec!["dues".into(), "calls".into()] }),
            (4, PlaceStop::Mismatch(mismatch)),
            (
                4,
                PlaceStop::UnclearTotals {
                    row: 9,
                    cells: vec![Held { at, text: "=SUM(B2:B8)".into() }],
                    columns: (1, 3),
                    first_row: 2,
                },
            ),
            (4, PlaceStop::OnePieceMoves { range }),
            (4, PlaceStop::CommentMoves { at }),
        ]
    }

    fn links() -> Vec<(u8, LinkStop)> {
        let range = Range { from: CellRef { row: 1, column: 1 }, to: CellRef { row: 9, column: 3 } };
        let source = "calls.csv".to_owned();
        let text = |text: &str| text.to_owned();
        let kind = KindDiffers { name: text("Dues"), kind: "number", misfits: 3, filled: 4, line: 2 };
        vec![
            (3, LinkStop::Broken { why: text("no key") }),
            (4, LinkStop::TableGone),
            (
                4,
                LinkStop::ColumnsLost {
                    sheet: text("calls"),
                    missing: vec![text("Berth")],
                    unknown: vec![(text("Quay"), 2)],
                },
            ),
            (
                4,
                LinkStop::Reshaped {
                    source: source.clone(),
                    gone: vec![
                        (text("Berth"), text("text"), Some(text("Quay"))),
                        (text("Dues"), text("number"), None),
                    ],
                    added: vec![(text("Cargo"), text("text"))],
                },
            ),
            (4, LinkStop::SourcesDiffer { first: text("a.csv"), other: text("b.csv") }),
            (4, LinkStop::Shrunk { source: source.clone(), records: 0, before: 9 }),
            (4, LinkStop::Shrunk { source: source.clone(), records: 2, before: 9 }),
            (4, LinkStop::KindsDiffer { source: source.clone(), columns: vec![kind] }),
            (4, LinkStop::Damaged { source, news: vec![text("1 quote is out of place")] }),
            (4, LinkStop::UnknownHand { sheet: text("calls"), rows: 2 }),
            (
                4,
                LinkStop::NoRoom {
                    range,
                    sheet: text("calls"),
                    why: PlaceStop::TooFarRight { column: 16_385 },
                },
            ),
            (4, LinkStop::Refused { sheet: text("calls"), why: text("rows cannot move") }),
            (3, LinkStop::NotKept { why: text("too large") }),
            (2, LinkStop::Newer { version: 9 }),
        ]
    }

    /// Each reason to stop, with the status that it gives.
    pub(in crate::wording) fn all() -> Vec<(u8, Stop)> {
        let source = || "calls.csv".to_owned();
        let mut all = vec![
            (130, Stop::Interrupted),
            (4, Stop::Empty { source: source() }),
            (3, Stop::NotText { source: source(), why: NotText::Controls(123) }),
            (4, Stop::SourceChanged { source: source() }),
            (2, Stop::BadSetting(BadSetting::new("header", "0", "it is the number of a line"))),
            (2, Stop::NoSuchStart { source: source(), start: 5, starts: vec![1, 9] }),
            (2, Stop::FewLines { source: source(), from: 9, lines: 3 }),
            (4, Stop::TooManyColumns { source: source(), columns: 20_000 }),
            (2, Stop::NoEncoding { name: "runes".into() }),
            (4, Stop::RecordTooLong { line: Some(3) }),
            (2, Stop::TooManyGroups { column: "Call".into(), most: 100_000 }),
            (3, Stop::RowsLost),
            (3, Stop::NotPutAside(std::io::ErrorKind::StorageFull.into())),
            (2, Stop::Spot(SpotStop::Nowhere { at: "wharf".into(), knows_sheet: false })),
            (
                2,
                Stop::Spot(SpotStop::CellOrHeading {
                    cell: CellRef { row: 1, column: 17 },
                    heading: CellRef { row: 1, column: 2 },
                }),
            ),
            (2, Stop::Spot(SpotStop::NoRange { at: "rate".into(), refers_to: "0.19".into() })),
            (3, Stop::Book(incola_workbook::Error::Damaged("it is broken".into()))),
        ];
        let not_so = |why| Stop::NotAsWritten { sheet: "calls".into(), why };
        all.extend([
            (4, not_so(NotAsWritten::Rows(47, 48))),
            (4, not_so(NotAsWritten::Records(5, 6))),
            (4, not_so(NotAsWritten::Cells(1, 2))),
            (4, not_so(NotAsWritten::Sum(11, "231648.43".into(), "231648.34".into()))),
            (4, not_so(NotAsWritten::Values)),
            (4, not_so(NotAsWritten::Damaged("its checksum is wrong".into()))),
        ]);
        all.extend(places().into_iter().map(|(status, why)| (status, Stop::place("calls", why))));
        all.extend(links().into_iter().map(|(status, why)| (status, Stop::link("calls", why))));
        all
    }

    /// Each stop is a sentence with a status: no fact is shown as the program writes it down.
    #[test]
    fn every_stop_is_a_sentence_with_its_status() {
        for (status, stop) in all() {
            let facts = format!("{stop:?}");
            let failure = Failure::from(stop);
            assert_eq!(failure.status as u8, status, "{facts}");
            let said = failure.to_string();
            assert!(!said.contains(['{', '}']) && !said.contains("Some("), "{said}");
            assert!(status == 130 || said.len() > 20, "{said}");
            // Whoever protects says what was left as it was, or what to do.
            assert!(status != 4 || failure.untouched.is_some() || !failure.help.is_empty(), "{said}");
        }
    }

    #[test]
    fn a_workbook_that_is_not_as_written_says_what_differs() {
        let why = NotAsWritten::Sum(11, "231648.43".into(), "231648.34".into());
        let failure = Failure::from(Stop::NotAsWritten { sheet: "calls".into(), why });
        assert_eq!(
            failure.what,
            "sheet \u{201c}calls\u{201d}, read again from the finished workbook: column K adds up to 231648.43, but its source to 231648.34"
        );
        assert_eq!(failure.untouched.as_deref(), Some("the workbook was not put in its place"));
    }

    #[test]
    fn a_feed_that_fails_speaks_for_itself() {
        let own = Failure::protected("the disk is gone").help("plug it in");
        let stop = incola_engine::feed::outside(own);
        let failure = Failure::from(stop);
        assert_eq!(
            (failure.status as u8, failure.what.as_str(), failure.help.len()),
            (4, "the disk is gone", 1)
        );
        let other = incola_engine::feed::outside(std::io::Error::other("odd"));
        assert_eq!(Failure::from(other).status as u8, 3);
    }
}
