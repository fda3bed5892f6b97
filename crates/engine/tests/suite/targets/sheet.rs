//! Workbooks of which one part is anything: rows are put into them, or they are refused.

use incola_core::reading::Choices;
use incola_core::settings::model::{MatchBy, Mode};
use incola_engine::cells::ColumnWriter;
use incola_engine::feed::{Feed, InMemory};
use incola_engine::import::Slot;
use incola_engine::import::{NewSheet, Placing, check, write};
use incola_engine::link;
use incola_engine::place::headings::{Offer, Rules};
use incola_engine::place::spot::Spot;
use incola_engine::place::{OwnNames, Wish, find};
use incola_engine::text::{Surveyed, survey};
use incola_workbook::package::rewrite::with_part_changed;
use incola_workbook::{BookWriter, ExistingBook, Grown, Question, Styles, follow};
use std::io::Cursor;
use std::sync::LazyLock;

const CALLS: &[u8] = b"Call,Berth,Dues\nA-1,007,12.50\nA-2,012,3.25\n";
const MORE: &[u8] = b"Call,Berth,Dues\nA-3,018,1.75\nA-4,002,0.25\nA-5,011,9.00\n";

fn surveyed(text: &[u8]) -> Surveyed {
    survey(&InMemory::new("calls.csv", text), &Choices::default(), None).expect("it is a plain table")
}

/// A sound workbook with a table of two rows.
static BOOK: LazyLock<Vec<u8>> = LazyLock::new(|| {
    let (feed, surveyed) = (InMemory::new("calls.csv", CALLS), surveyed(CALLS));
    let columns = &surveyed.reading.columns;
    let (mut book, mut styles) = (BookWriter::new(Cursor::new(Vec::new())), Styles::new());
    let sources = [(&feed as &dyn Feed, &surveyed)];
    let sheet = NewSheet::of("calls", columns);
    sheet.write(&sources, columns, (&mut book, &mut styles, false), |_, _| Ok(())).expect("it is written");
    book.put_custom(None, "urn:quay", b"<quay xmlns=\"urn:quay\"/>".to_vec());
    book.finish(&styles, "calls", "2031-03-04T05:06:07Z").expect("it is written").into_inner()
});

/// The workbook with another part; `None`: it is no longer opened.
fn with_part(name: &str, data: &[u8]) -> Option<(Vec<u8>, ExistingBook)> {
    let input = Box::new(Cursor::new(BOOK.clone()));
    let changed = with_part_changed(input, name, Cursor::new(Vec::new()), |_| data.to_vec());
    let bytes = changed.expect("the part is there").into_inner();
    let book = ExistingBook::open(Box::new(Cursor::new(bytes.clone()))).ok()?;
    Some((bytes, book))
}

/// What only looks never fails otherwise than by saying so.
fn look(book: &mut ExistingBook) {
    for sheet in 0..book.sheet_names().len().min(3) {
        let question = Question { columns: vec![1, 2, 3], ..Question::default() };
        let _ = (book.facts(sheet, &question), book.tables(sheet), book.comments(sheet));
        let _ = (book.cells(sheet, 1, 1_048_576, 1000), book.has_cells(sheet));
    }
    for format in [0, 1, 14, 200, u32::MAX] {
        let _ = book.number_format_of(format);
    }
    let grown = Grown { sheet: "calls".into(), columns: vec![1, 2, 3], first: 2, last: (3, 6) };
    let _ = (book.referrers(&grown, 10, 1 << 20), book.number_formats(), book.defined_names().len());
    let _ = (link::find(book), book.custom_parts("urn:quay"), book.shared_strings(|_| {}));
}

/// Puts rows into the first sheet; what comes out can be opened, and holds them.
fn put_rows(bytes: &[u8], mode: Mode) {
    let open = || ExistingBook::open(Box::new(Cursor::new(bytes.to_vec()))).ok();
    let Some(mut book) = open() else { return };
    let wish = Wish {
        spot: Spot { sheet: Some(0), ..Spot::default() },
        mode,
        rules: Rules { matching: MatchBy::Name, missing_is_blank: true, surplus: None },
        new_table: None,
        takes_rows_below: false,
        even_protected: true,
        known_last: None,
        last_is_said: false,
    };
    let offers: Vec<Offer> = ["Call", "Berth", "Dues"]
        .into_iter()
        .enumerate()
        .map(|(n, name)| Offer::new(Slot::Field(n), name.into()))
        .collect();
    let (feed, surveyed) = (InMemory::new("calls.csv", MORE), surveyed(MORE));
    let columns = &surveyed.reading.columns;
    let Ok(place) = find(&mut book, (0, "calls"), &wish, &offers, 3) else { return };
    let grown = place.grown("calls");
    let from_1904 = book.is_1904();
    let Ok(mut writer) = BookWriter::over(book, Cursor::new(Vec::new())) else { return };
    let mut styles = Styles::new();
    let writers = ColumnWriter::for_book(columns, &mut styles, from_1904);
    let number_style = Styles::TEXT;
    let names = OwnNames { number_rows: None, source_column: None };
    let plan = place.plan(columns, &writers, (&names, number_style));
    if writer.begin_rows(0, plan, &place.facts, &styles, None).is_err() {
        return;
    }
    let placing = Placing {
        sheet_columns: place.columns(),
        ..Placing::new((columns, &writers), place.slots(), place.first_row, "calls.csv", number_style)
    };
    let Ok(written) = write(&feed, &surveyed, &placing, &mut writer) else { return };
    if writer.end_rows().is_err() {
        return;
    }
    let Ok(out) = writer.finish(&styles, "calls", "2031-03-04T05:06:07Z") else { return };
    let out = out.into_inner();
    let reopened =
        || ExistingBook::open(Box::new(Cursor::new(out.clone()))).expect("what was written can be opened");
    // The program compares before it puts the workbook in its place; what it finds is an answer, a panic is none.
    let _ = check(&mut reopened(), 0, &written);
    let _ = follow(reopened(), Cursor::new(Vec::new()), &grown);
}

fn changed(name: &str, data: &[u8]) {
    let data = &data[..data.len().min(1 << 16)];
    let Some((bytes, mut book)) = with_part(name, data) else { return };
    look(&mut book);
    for mode in [Mode::Append, Mode::Replace] {
        put_rows(&bytes, mode);
    }
}

/// The sheet itself.
pub fn worksheet(data: &[u8]) {
    changed("xl/worksheets/sheet1.xml", data);
}

/// The formats of cells.
pub fn styles(data: &[u8]) {
    changed("xl/styles.xml", data);
}

/// The list of sheets and names, or what says where the parts are.
pub fn workbook(data: &[u8]) {
    let part = match data.first() {
        Some(first) if first % 4 == 1 => "xl/_rels/workbook.xml.rels",
        Some(first) if first % 4 == 2 => "[Content_Types].xml",
        Some(first) if first % 4 == 3 => "xl/tables/table1.xml",
        _ => "xl/workbook.xml",
    };
    changed(part, data.get(1..).unwrap_or_default());
}

/// A custom part, as links are kept in.
pub fn custom_part(data: &[u8]) {
    changed("customXml/item1.xml", data);
}
