//! Sequences of imports into workbooks of many shapes: what is outside of the rows stays, what is inside is what the source says.

use crate::support::{Folder, part};
use incola_workbook::package::zip_writer::ZipWriter;
use incola_workbook::{CellRef, Range};
use proptest::prelude::*;
use quick_xml::events::Event;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::Cursor;
use std::path::Path;

/// What a workbook looks like.
#[derive(Clone, Debug)]
struct Shape {
    /// Elements have a prefix.
    prefix: bool,
    /// Rows have no numbers.
    implied: bool,
    spans: bool,
    /// Empty columns at the left, and rows above the headings.
    left: u32,
    top: u32,
    /// Rows of data.
    rows: u32,
    /// Something stands beside, right of an empty column.
    side: bool,
    /// A column of formulas.
    tax: bool,
    totals: bool,
    table: bool,
    /// Blank rows between the data and a note below; none: no note.
    note: Option<u32>,
    /// Cells of the data have looks of their own.
    looks: bool,
    strict: bool,
}

const SHEET: &str = "xl/worksheets/sheet1.xml";
const TABLE: &str = "xl/tables/table1.xml";

impl Shape {
    fn heading_row(&self) -> u32 {
        self.top + 1
    }

    fn column(&self, n: u32) -> u32 {
        self.left + 1 + n
    }

    fn main(&self) -> &'static str {
        if self.strict {
            "http://purl.oclc.org/ooxml/spreadsheetml/main"
        } else {
            "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
        }
    }

    fn ties(&self) -> &'static str {
        if self.strict {
            "http://purl.oclc.org/ooxml/officeDocument/relationships"
        } else {
            "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
        }
    }

    /// The headings and the rows of data, which have a name.
    fn rows_range(&self) -> Range {
        Range {
            from: CellRef { row: self.heading_row(), column: self.column(0) },
            to: CellRef { row: self.heading_row() + self.rows.max(1), column: self.column(2) },
        }
    }

    /// The cells, by row and column.
    fn cells(&self) -> BTreeMap<u32, BTreeMap<u32, String>> {
        let p = if self.prefix { "x:" } else { "" };
        let mut cells: BTreeMap<u32, BTreeMap<u32, String>> = BTreeMap::new();
        let mut put = |row: u32, column: u32, style: u32, inside: String, kind: &str| {
            let at = CellRef { row, column };
            let cell = format!("<{p}c r=\"{at}\" s=\"{style}\"{kind}>{inside}</{p}c>");
            cells.entry(row).or_default().insert(column, cell);
        };
        let text = |t: &str| (format!("<{p}is><{p}t>{t}</{p}t></{p}is>"), " t=\"inlineStr\"");
        let head = self.heading_row();
        if self.top > 0 {
            let (inside, kind) = text("Tolgarth Quay");
            put(1, 1, 0, inside, kind);
        }
        let names: &[&str] =
            if self.tax { &["Call", "Berth", "Dues", "Tax"] } else { &["Call", "Berth", "Dues"] };
        for (n, name) in (0..).zip(names) {
            let (inside, kind) = text(name);
            put(head, self.column(n), 1, inside, kind);
        }
        for row in head + 1..=head + self.rows {
            let looks = u32::from(self.looks) * (2 + row % 2);
            let (inside, kind) = text(&format!("old {row}"));
            put(row, self.column(0), looks, inside, kind);
            let (inside, kind) = text("007");
            put(row, self.column(1), looks, inside, kind);
            put(row, self.column(2), looks, format!("<{p}v>{row}.5</{p}v>"), "");
            if self.tax {
                let dues = CellRef { row, column: self.column(2) };
                put(row, self.column(3), 0, format!("<{p}f>{dues}*2</{p}f><{p}v>1</{p}v>"), "");
            }
        }
        if self.totals {
            let row = head + self.rows + 1;
            let (inside, kind) = text("Total");
            put(row, self.column(0), 1, inside, kind);
            let dues = |row| CellRef { row, column: self.column(2) };
            let sum = format!("<{p}f>SUM({}:{})</{p}f><{p}v>1</{p}v>", dues(head + 1), dues(row - 1));
            put(row, self.column(2), 1, sum, "");
        }
        if self.side {
            for row in head..=head + 5 {
                let (inside, kind) = text(&format!("beside {row}"));
                put(row, self.column(6), 3, inside, kind);
            }
        }
        if let Some(blank) = self.note {
            let (inside, kind) = text("a note");
            put(head + self.rows + u32::from(self.totals) + 1 + blank, self.column(1), 2, inside, kind);
        }
        cells
    }

    fn sheet(&self) -> String {
        let p = if self.prefix { "x:" } else { "" };
        let space = if self.prefix { ":x" } else { "" };
        let mut out = format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<{p}worksheet xmlns{space}=\"{}\" xmlns:r=\"{}\">\
             <{p}dimension ref=\"A1\"/><{p}cols><{p}col min=\"1\" max=\"2\" width=\"17.5\" customWidth=\"1\"/></{p}cols><{p}sheetData>",
            self.main(),
            self.ties()
        );
        let cells = self.cells();
        let last = cells.keys().last().copied().unwrap_or(0);
        for row in 1..=last {
            let Some(own) = cells.get(&row) else {
                if self.implied {
                    let _ = write!(out, "<{p}row/>");
                }
                continue;
            };
            let number = if self.implied { String::new() } else { format!(" r=\"{row}\"") };
            let spans = if self.spans { " spans=\"1:9\"" } else { "" };
            let height = if row % 4 == 0 { " ht=\"21\" customHeight=\"1\"" } else { "" };
            let inside: String = own.values().cloned().collect();
            let _ = write!(out, "<{p}row{number}{spans}{height}>{inside}</{p}row>");
        }
        let head = self.heading_row();
        let area = Range {
            from: CellRef { row: head + 1, column: self.column(1) },
            to: CellRef { row: head + self.rows.max(1), column: self.column(1) },
        };
        let _ = write!(
            out,
            "</{p}sheetData><{p}mergeCells count=\"1\"><{p}mergeCell ref=\"M1:N1\"/></{p}mergeCells>\
             <{p}dataValidations count=\"1\"><{p}dataValidation type=\"textLength\" sqref=\"{area}\"><{p}formula1>3</{p}formula1>\
             </{p}dataValidation></{p}dataValidations><{p}pageMargins left=\"1\" right=\"1\" top=\"1\" bottom=\"1\" header=\"0\" footer=\"0\"/>"
        );
        if self.table {
            let _ = write!(out, "<{p}tableParts count=\"1\"><{p}tablePart r:id=\"rId1\"/></{p}tableParts>");
        }
        let _ = write!(out, "</{p}worksheet>");
        out
    }

    fn package(&self) -> Vec<u8> {
        let package = "http://schemas.openxmlformats.org/package/2006";
        let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml";
        let (main, ties) = (self.main(), self.ties());
        let tie = |id: u32, what: &str, target: &str| {
            format!("<Relationship Id=\"rId{id}\" Type=\"{ties}/{what}\" Target=\"{target}\"/>")
        };
        let list = |inside: String| {
            format!("<Relationships xmlns=\"{package}/relationships\">{inside}</Relationships>")
        };
        let mut types = format!(
            "<Types xmlns=\"{package}/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>\
             <Override PartName=\"/xl/workbook.xml\" ContentType=\"{kind}.sheet.main+xml\"/>\
             <Override PartName=\"/xl/styles.xml\" ContentType=\"{kind}.styles+xml\"/>"
        );
        for n in 1..=2 {
            let _ = write!(
                types,
                "<Override PartName=\"/xl/worksheets/sheet{n}.xml\" ContentType=\"{kind}.worksheet+xml\"/>"
            );
        }
        if self.table {
            let _ = write!(types, "<Override PartName=\"/{TABLE}\" ContentType=\"{kind}.table+xml\"/>");
        }
        types.push_str("</Types>");
        let workbook = format!(
            "<workbook xmlns=\"{main}\" xmlns:r=\"{ties}\"><sheets><sheet name=\"Data\" sheetId=\"4\" r:id=\"rId1\"/>\
             <sheet name=\"Other\" sheetId=\"9\" r:id=\"rId2\"/></sheets><definedNames><definedName name=\"Rows\">Data!{}</definedName>\
             <definedName name=\"Rate\">Other!$A$1</definedName></definedNames><calcPr calcId=\"1\"/></workbook>",
            self.rows_range().fixed()
        );
        let xf = |font: u32, fill: u32| {
            format!("<xf numFmtId=\"0\" fontId=\"{font}\" fillId=\"{fill}\" borderId=\"0\" xfId=\"0\"/>")
        };
        let styles = format!(
            "<styleSheet xmlns=\"{main}\"><fonts count=\"2\"><font><sz val=\"11\"/><name val=\"Arial\"/></font><font><b/><sz val=\"11\"/><name val=\"Arial\"/></font></fonts>\
             <fills count=\"3\"><fill><patternFill patternType=\"none\"/></fill><fill><patternFill patternType=\"gray125\"/></fill>\
             <fill><patternFill patternType=\"solid\"><fgColor rgb=\"FFEEEECC\"/></patternFill></fill></fills>\
             <borders count=\"1\"><border><left/><right/><top/><bottom/><diagonal/></border></borders>\
             <cellStyleXfs count=\"1\"><xf numFmtId=\"0\" fontId=\"0\" fillId=\"0\" borderId=\"0\"/></cellStyleXfs>\
             <cellXfs count=\"4\">{}{}{}{}</cellXfs></styleSheet>",
            xf(0, 0),
            xf(1, 0),
            xf(0, 2),
            xf(1, 2)
        );
        let other = format!(
            "<worksheet xmlns=\"{main}\"><sheetData><row r=\"1\"><c r=\"A1\"><f>SUM(Data!D:D)</f><v>0</v></c></row></sheetData></worksheet>"
        );
        let mut parts = vec![
            ("[Content_Types].xml", types),
            ("_rels/.rels", list(tie(1, "officeDocument", "xl/workbook.xml"))),
            ("xl/workbook.xml", workbook),
            (
                "xl/_rels/workbook.xml.rels",
                list(
                    tie(1, "worksheet", "worksheets/sheet1.xml")
                        + &tie(2, "worksheet", "/xl/worksheets/sheet2.xml")
                        + &tie(3, "styles", "styles.xml"),
                ),
            ),
            ("xl/styles.xml", styles),
            (SHEET, self.sheet()),
            ("xl/worksheets/sheet2.xml", other),
        ];
        if self.table {
            let head = self.heading_row();
            let names: &[&str] =
                if self.tax { &["Call", "Berth", "Dues", "Tax"] } else { &["Call", "Berth", "Dues"] };
            let range = Range {
                from: CellRef { row: head, column: self.column(0) },
                to: CellRef {
                    row: head + self.rows.max(1) + u32::from(self.totals),
                    column: self.column(names.len() as u32 - 1),
                },
            };
            let totals = if self.totals { " totalsRowCount=\"1\"" } else { "" };
            let columns: String = (1..)
                .zip(names)
                .map(|(n, name)| format!("<tableColumn id=\"{n}\" name=\"{name}\"/>"))
                .collect();
            parts
                .push(("xl/worksheets/_rels/sheet1.xml.rels", list(tie(1, "table", "../tables/table1.xml"))));
            parts.push((
                TABLE,
                format!(
                    "<table xmlns=\"{main}\" id=\"7\" name=\"Calls\" displayName=\"Calls\" ref=\"{range}\"{totals}>\
                     <tableColumns count=\"{}\">{columns}</tableColumns></table>",
                    names.len()
                ),
            ));
        }
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        for (name, content) in parts {
            zip.entry(name, content.as_bytes()).unwrap();
        }
        zip.finish().unwrap().into_inner()
    }
}

/// A sheet as a plain reader sees it.
#[derive(Debug, Default, PartialEq)]
struct Seen {
    /// Value, formula and style.
    cells: BTreeMap<(u32, u32), (String, String, String)>,
    rows: BTreeMap<u32, String>,
    /// Everything but rows and dimension, the areas that may grow left out.
    around: String,
    areas: Vec<String>,
}

fn seen(xml: &str) -> Seen {
    let mut reader = quick_xml::Reader::from_str(xml);
    let mut seen = Seen::default();
    let (mut row, mut at, mut inside, mut element) = (0, (0, 0), false, String::new());
    let mut style = String::new();
    loop {
        let event = reader.read_event().unwrap();
        match &event {
            Event::Eof => return seen,
            Event::Start(tag) | Event::Empty(tag) => {
                let local = tag.local_name().as_ref().to_owned();
                let is_empty = matches!(event, Event::Empty(_));
                let attributes: Vec<(String, String)> = tag
                    .attributes()
                    .map(|a| a.unwrap())
                    .map(|a| (a.key.as_ref().to_owned(), a.value.to_string()))
                    .collect();
                let get = |name: &str| attributes.iter().find(|(n, _)| n == name).map(|(_, v)| v.clone());
                match local.as_str() {
                    "sheetData" => inside = !is_empty,
                    "row" => {
                        row = get("r").map_or(row + 1, |r| r.parse().unwrap());
                        at = (row, 0);
                        let own: Vec<String> = attributes
                            .iter()
                            .filter(|(n, _)| !matches!(n.as_str(), "r" | "spans"))
                            .map(|(n, v)| format!("{n}={v}"))
                            .collect();
                        if !own.is_empty() {
                            seen.rows.insert(row, own.join(" "));
                        }
                    }
                    "c" => {
                        let cell = get("r").and_then(|r| CellRef::parse(&r)).unwrap();
                        assert_eq!(cell.row, row, "cells stand in their row");
                        assert!(cell.column > at.1, "cells ascend");
                        at = (cell.row, cell.column);
                        style = get("s").unwrap_or_else(|| "0".into());
                        seen.cells.insert(at, (String::new(), String::new(), style.clone()));
                    }
                    "dimension" => {}
                    _ if !inside => {
                        let plain = attributes.iter().filter(|(n, _)| n != "sqref");
                        let list: Vec<String> = plain.map(|(n, v)| format!("{n}={v}")).collect();
                        seen.areas.extend(get("sqref"));
                        seen.around += &format!("<{} {}>", local, list.join(" "));
                    }
                    _ => {}
                }
                element = local;
            }
            Event::End(tag) => {
                if tag.local_name().as_ref() == "sheetData" {
                    inside = false;
                }
                element.clear();
            }
            Event::Text(text) => {
                let text = text.to_string();
                match element.as_str() {
                    "v" | "t" if inside => seen.cells.get_mut(&at).unwrap().0 += &text,
                    "f" if inside => seen.cells.get_mut(&at).unwrap().1 += &text,
                    _ => seen.around += text.trim(),
                }
            }
            _ => {}
        }
        let _ = &style;
    }
}

/// What a source of so many records says.
fn source(records: u32, mark: u32) -> String {
    let mut text = String::from("Call,Berth,Dues\n");
    for n in 1..=records {
        let _ = writeln!(text, "run {mark} no {n},{:03},{}.25", n % 40, n);
    }
    text
}

fn shapes() -> impl Strategy<Value = Shape> {
    let flags = proptest::collection::vec(any::<bool>(), 9);
    (flags, 0..2_u32, 0..3_u32, 0..7_u32, proptest::option::of(1..9_u32)).prop_map(
        |(flags, left, top, rows, note)| Shape {
            prefix: flags[0],
            implied: flags[1],
            spans: flags[2],
            side: flags[3],
            tax: flags[4] && rows > 0,
            totals: flags[5] && rows > 0,
            table: flags[6],
            looks: flags[7],
            strict: flags[8],
            left,
            top,
            rows,
            note,
        },
    )
}

/// Checks one import that was done: what it may have changed, and what it must have.
fn check(shape: &Shape, before: &Path, after: &Path, (first, records, mark): (u32, u32, u32), old_last: u32) {
    let (old, new) = (seen(&part(before, SHEET)), seen(&part(after, SHEET)));
    let columns = shape.column(0)..=shape.column(if shape.tax { 3 } else { 2 });
    let last = first + records - 1;
    let end = old_last.max(last) + u32::from(shape.totals);
    let is_inside = |at: &(u32, u32)| (first..=end).contains(&at.0) && columns.contains(&at.1);
    for at in old.cells.keys().chain(new.cells.keys()).filter(|at| !is_inside(at)) {
        assert_eq!(old.cells.get(at), new.cells.get(at), "cell {at:?} is outside the rows");
    }
    for (row, own) in &old.rows {
        assert_eq!(new.rows.get(row), Some(own), "row {row} has its height");
    }
    assert_eq!(old.around, new.around);
    let empty = (String::new(), String::new(), String::new());
    for (n, row) in (1..).zip(first..=last) {
        let cell = |n: u32| new.cells.get(&(row, shape.column(n))).unwrap_or(&empty);
        assert_eq!(cell(0).0, format!("run {mark} no {n}"));
        assert_eq!(cell(1).0, format!("{:03}", n % 40));
        assert_eq!(cell(2).0, format!("{n}.25"));
        if shape.tax {
            let dues = CellRef { row, column: shape.column(2) };
            assert_eq!(cell(3).1, format!("{dues}*2"), "the formula goes on in row {row}");
        }
    }
    if shape.totals {
        let sum = &new.cells[&(last + 1, shape.column(2))].1;
        let dues = |row| CellRef { row, column: shape.column(2) };
        assert_eq!(*sum, format!("SUM({}:{})", dues(shape.heading_row() + 1), dues(last)));
    }
    // Nothing is left of what stood there.
    let below = last + 1 + u32::from(shape.totals)..=end;
    for (at, cell) in new.cells.range((last + 1 + u32::from(shape.totals), 0)..) {
        if below.contains(&at.0) && columns.contains(&at.1) {
            assert_eq!((cell.0.as_str(), cell.1.as_str()), ("", ""), "{at:?} is left over");
        }
    }
    if shape.table {
        let range = Range {
            from: CellRef { row: shape.heading_row(), column: *columns.start() },
            to: CellRef { row: last + u32::from(shape.totals), column: *columns.end() },
        };
        assert!(part(after, TABLE).contains(&format!("ref=\"{range}\"")), "{}", part(after, TABLE));
    }
    assert_eq!(part(before, "xl/worksheets/sheet2.xml"), part(after, "xl/worksheets/sheet2.xml"));
    let formats = |path: &Path| {
        let styles = part(path, "xl/styles.xml");
        let from = styles.find("<cellXfs").unwrap();
        let own = &styles[from..];
        own[own.find('>').unwrap() + 1..own.find("</cellXfs>").unwrap()].to_owned()
    };
    assert!(formats(after).starts_with(&formats(before)), "formats are added at the end");
}

/// Keeps a pair of workbooks for readers outside of this project, where they are asked for.
fn keep(before: &Path, after: &Path, range: &str) {
    let Some(folder) = std::env::var_os("INCOLA_KEEP_BOOKS").map(std::path::PathBuf::from) else { return };
    let n = std::fs::read_dir(&folder).unwrap().count();
    std::fs::copy(before, folder.join(format!("{n:04}-before.xlsx"))).unwrap();
    std::fs::copy(after, folder.join(format!("{n:04}-after.xlsx"))).unwrap();
    std::fs::write(folder.join(format!("{n:04}-range")), range).unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, max_shrink_iters: 40, ..ProptestConfig::default() })]
    #[test]
    fn imports_leave_everything_else_as_it_is(
        shape in shapes(),
        imports in proptest::collection::vec((0..3_u8, 1..14_u32), 1..4),
    ) {
        let folder = Folder::new().with("book.xlsx", shape.package());
        let (book, before) = (folder.path("book.xlsx"), folder.path("before.xlsx"));
        let first = shape.heading_row() + 1;
        let at = CellRef { row: first, column: shape.column(0) };
        let mut rows = shape.rows;
        for (mark, (mode, records)) in (1..).zip(imports) {
            let mode = ["fresh", "append", "replace"][usize::from(mode)];
            let folder = folder.path("calls.csv");
            std::fs::write(&folder, source(records, mark)).unwrap();
            std::fs::copy(&book, &before).unwrap();
            let run = crate::support::run_in(folder.parent().unwrap(), &format!(
                "import calls.csv --into book.xlsx --sheet Data --at {at} --mode {mode} --no-link --as Berth=text"
            ));
            match run.status {
                // A name that ended with the rows is told.
                0 | 1 => {
                    let from = if mode == "append" { first + rows } else { first };
                    let old_last = first + rows.max(u32::from(shape.table)) - 1;
                    check(&shape, &before, &book, (from, records, mark), old_last);
                    rows = if mode == "append" { rows + records } else { records };
                    let range = Range {
                        from: CellRef { row: first, column: shape.column(0) },
                        to: CellRef { row: old_last.max(first + rows) + 1, column: shape.column(3) },
                    };
                    keep(&before, &book, &range.to_string());
                }
                4 => {
                    prop_assert!(std::fs::read(&before).unwrap() == std::fs::read(&book).unwrap());
                    let has_way = (mode == "fresh" && rows > 0) || shape.note.is_some();
                    prop_assert!(has_way, "stopped: {}", run.err);
                }
                status => prop_assert!(false, "status {status}: {}", run.err),
            }
        }
        // The same rows once more change nothing in the sheet.
        let again = format!("import calls.csv --into book.xlsx --sheet Data --at {at} --mode replace --no-link --as Berth=text");
        let once = crate::support::run_in(book.parent().unwrap(), &again);
        if once.status < 2 {
            let sheet = part(&book, SHEET);
            prop_assert!(crate::support::run_in(book.parent().unwrap(), &again).status < 2);
            prop_assert_eq!(part(&book, SHEET), sheet);
        }
    }
}

#[test]
fn a_name_goes_with_the_rows_that_it_stands_for() {
    let shape = Shape {
        prefix: false,
        implied: false,
        spans: true,
        left: 1,
        top: 1,
        rows: 3,
        side: true,
        tax: false,
        totals: false,
        table: false,
        note: None,
        looks: true,
        strict: false,
    };
    let folder = Folder::new().with("book.xlsx", shape.package()).with("calls.csv", source(5, 1));
    let names = || {
        let workbook = folder.part("book.xlsx", "xl/workbook.xml");
        workbook.split("<definedNames>").nth(1).unwrap().split("</definedNames>").next().unwrap().to_owned()
    };
    assert!(names().contains(">Data!$B$2:$D$5<"), "{}", names());
    folder.run("import calls.csv --into book.xlsx --at rows --mode append --as Berth=text").expect(0);
    assert!(names().contains(">Data!$B$2:$D$10<") && names().contains(">Other!$A$1<"), "{}", names());
    folder.run("import calls.csv --into book.xlsx --at rows --mode replace --as Berth=text").expect(0);
    assert!(names().contains(">Data!$B$2:$D$7<"), "{}", names());
    // Rows that are placed by a cell leave the name alone.
    folder
        .run("import calls.csv --into book.xlsx --sheet Data --at B2 --mode append --as Berth=text")
        .expect(1);
    assert!(names().contains(">Data!$B$2:$D$7<"), "{}", names());
}
