//! A table written as text: a linked one the way its source was written, any one in a form that is chosen.

mod form;
mod plain;
mod totals;

pub use form::{SourceForm, observe};
pub use plain::{Fields, PlainForm, export_plain, plain_form};
pub use totals::TotalChange;

use crate::cells::{CellForm, ColumnWriter, NotSpelled, Strings, result_of, units};
use crate::link::Link;
use crate::refresh::{Located, columns_of};
use crate::stop::{LinkStop, Result, Stop};
use incola_core::encoding::Encoding;
use incola_core::kind::Kind;
use incola_core::kind::statistics::Wrap;
use incola_core::record::{RecordWriter, Unwritable};
use incola_workbook::number_format::NumberFormat;
use incola_workbook::{CellContent, CellRef, ExistingBook, Scan, Scanner};
use std::io::Write;

/// Cells that are listed.
const LISTED: usize = 100;

/// Why what a cell holds is not in the text as it is in the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lost {
    /// It holds a formula.
    Formula,
    /// It holds an error value.
    Error,
    /// The encoding lacks a character.
    Lacks(char),
    /// It holds what divides fields or lines, and the layout has no quotes.
    Divides,
    /// It leaves a line of a record empty, and an empty line ends the record.
    EndsRecord,
    /// It is longer than the room of its field.
    TooLong {
        /// Its length.
        length: usize,
        /// The room.
        room: usize,
    },
}

/// A cell that cannot be written as it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LostCell {
    /// Where it is.
    pub at: CellRef,
    /// Its heading.
    pub heading: String,
    /// Why.
    pub why: Lost,
}

/// What was written.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Exported {
    /// Records.
    pub records: u64,
    /// Rows of the table without any value: they are no records.
    pub empty_rows: u64,
    /// Bytes.
    pub bytes: u64,
    /// Lines among the records of the source that are not written again.
    pub lines_gone: u64,
    /// Cells that cannot be written as they are.
    pub lost: u64,
    /// The first of them.
    pub cells: Vec<LostCell>,
    /// Columns of the source that are not in the sheet: their fields are empty.
    pub left_out: Vec<String>,
    /// Totals below the records that were computed again.
    pub totals: Vec<TotalChange>,
}

/// What is written: the form of a link, and where its table is.
struct Plan<'p> {
    form: &'p SourceForm,
    encoding: Encoding,
    /// For each field its writer, its kind and its place in the scan; `None`: the sheet has no such column.
    fields: Vec<Option<(ColumnWriter, Kind, usize)>>,
    headings: Vec<String>,
    columns: Vec<u32>,
    formats: Vec<NumberFormat>,
    strings: Strings,
    /// Whether texts of digits are wrapped, so that programs keep them as text.
    wraps_digits: bool,
    /// Whether the longest value of each field is wanted.
    measures: bool,
    /// By field: what its numbers added up to when they were read, where that is known and something stands below the records.
    sums: Vec<Option<i128>>,
}

/// Writes the table of a link as its source was written. Rows come in the order of the sheet, hidden ones too.
///
/// # Errors
/// [`LinkStop::NoForm`] if the link does not know how; whatever the workbook or `out` fail with.
pub fn export(
    book: &mut ExistingBook,
    link: &Link,
    located: &Located,
    out: &mut impl Write,
) -> Result<Exported> {
    let Some(form) = &link.form else { return Err(Stop::link(&link.name, LinkStop::NoForm)) };
    let places = columns_of(link, located)?;
    let column_of = |name: &str| {
        let place = link.columns.iter().position(|column| column.name.as_deref() == Some(name))?;
        Some(located.headings[places[place]].clone())
    };
    let found = form.cells.iter().map(|cell| column_of(&cell.name)).collect();
    let mut plan = Plan::new(book, form, found)
        .map_err(|stop| if let Stop::NoEncoding { name } = &stop { no_encoding(link, name) } else { stop })?;
    if !form.text.after.is_empty() {
        let sum_of = |cell: &CellForm| {
            let column = link.columns.iter().find(|column| column.name.as_ref() == Some(&cell.name))?;
            totals::adds_up(cell).then(|| units(column.sum.as_ref()?.as_bytes())).flatten()
        };
        plan.sums = form.cells.iter().map(sum_of).collect();
    }
    let tables = book.tables(located.sheet).map_err(Stop::Book)?;
    let has_totals = tables.iter().any(|t| Some(&t.name) == located.table.as_ref() && t.has_totals);
    let (first, last) = (located.range.from.row + 1, located.range.to.row - u32::from(has_totals));
    // Where rows were added or taken out, nobody knows where the lines among them belong.
    let is_as_long = last == located.range.from.row + form.text.records as u32;
    let lines = if is_as_long { &form.text.lines[..] } else { &[] };
    let mut exported = write(book, (located.sheet, first, last), &plan, lines, out)?;
    exported.left_out = (form.cells.iter().zip(&plan.fields))
        .filter(|(cell, field)| field.is_none() && !cell.is_empty)
        .map(|(cell, _)| cell.name.clone())
        .collect();
    Ok(exported)
}

/// Writes the rows of a sheet (from 0) from the first one to the last.
fn write(
    book: &mut ExistingBook,
    rows: (usize, u32, u32),
    plan: &Plan<'_>,
    lines: &[(u64, String)],
    out: &mut impl Write,
) -> Result<Exported> {
    let form = plan.form;
    let mut writer = Ends { out, form, encoding: plan.encoding, lines, is_open: false, bytes: 0 };
    let mut sums: Vec<Option<i128>> = plan.sums.iter().map(|sum| sum.map(|_| 0)).collect();
    writer.begin().map_err(outside)?;
    let mut exported = rows_of(book, rows, plan, |rows, before| {
        for (all, more) in sums.iter_mut().zip(&rows.sums) {
            *all = all.zip(*more).and_then(|(all, more)| all.checked_add(more));
        }
        writer.records(rows, before).map_err(outside)
    })?;
    exported.lines_gone = form.text.among.saturating_sub(lines.len() as u64);
    let both: Vec<Option<(i128, i128)>> =
        plan.sums.iter().zip(sums).map(|(then, now)| then.zip(now)).collect();
    let (after, totals) = totals::again(form, &both);
    exported.totals = totals;
    exported.bytes = writer.end(&after).map_err(outside)?;
    Ok(exported)
}

/// Spells the rows of a sheet, block by block; `take` gets each block and the number of records before it.
fn rows_of(
    book: &mut ExistingBook,
    (sheet, from, to): (usize, u32, u32),
    plan: &Plan<'_>,
    mut take: impl FnMut(&Rows<'_>, u64) -> Result<()>,
) -> Result<Exported> {
    let mut exported = Exported::default();
    let mut failed = None;
    let scan = Scan { columns: &plan.columns, from, to };
    book.scan(
        sheet,
        &scan,
        || Rows::new(plan),
        |rows: Rows<'_>| {
            let before = exported.records;
            exported.records += rows.records;
            exported.empty_rows += rows.empty;
            exported.lost += rows.lost;
            let room = LISTED.saturating_sub(exported.cells.len());
            exported.cells.extend(rows.cells.iter().take(room).cloned());
            if failed.is_none() {
                failed = take(&rows, before).err();
            }
        },
    )
    .map_err(Stop::Book)?;
    match failed {
        Some(stop) => Err(stop),
        None => Ok(exported),
    }
}

fn outside(error: std::io::Error) -> Stop {
    Stop::Outside(Box::new(error))
}

fn no_encoding(link: &Link, name: &str) -> Stop {
    Stop::link(&link.name, LinkStop::Broken { why: format!("there is no encoding {name}") })
}

impl<'p> Plan<'p> {
    /// What is written of the columns that were `found`: for each field of the form the column of the sheet, from 1, and its heading.
    ///
    /// # Errors
    /// [`Stop::Book`] if the workbook cannot be read; [`Stop::NoEncoding`].
    fn new(book: &mut ExistingBook, form: &'p SourceForm, found: Vec<Option<(u32, String)>>) -> Result<Self> {
        let name = &form.text.encoding;
        let encoding = Encoding::for_label(name).ok_or_else(|| Stop::NoEncoding { name: name.clone() })?;
        let mut columns: Vec<u32> = found.iter().flatten().map(|(column, _)| *column).collect();
        columns.sort_unstable();
        columns.dedup();
        let from_1904 = book.is_1904();
        let fields = form.cells.iter().zip(&found).map(|(cell, found)| {
            let (column, _) = found.as_ref()?;
            let kind = Kind::from_word(&cell.kind).unwrap_or(Kind::Text);
            Some((ColumnWriter::of_form(cell, from_1904), kind, columns.binary_search(column).ok()?))
        });
        let fields: Vec<_> = fields.collect();
        let headings = found.into_iter().map(|found| found.map(|(_, heading)| heading).unwrap_or_default());
        let headings: Vec<String> = headings.collect();
        let formats = book.number_formats().map_err(Stop::Book)?;
        let strings = Strings::of(book)?;
        let formats = formats.iter().map(|code| NumberFormat::new(code)).collect();
        Ok(Self {
            form,
            encoding,
            fields,
            headings,
            columns,
            formats,
            strings,
            wraps_digits: false,
            measures: false,
            sums: Vec::new(),
        })
    }
}

/// Records as they are written, with what is before and after them. The end of a line waits for what follows.
struct Ends<'o, W> {
    out: &'o mut W,
    form: &'o SourceForm,
    encoding: Encoding,
    /// Lines among the records, with the number of records before each.
    lines: &'o [(u64, String)],
    is_open: bool,
    bytes: u64,
}

impl<W: Write> Ends<'_, W> {
    fn put(&mut self, bytes: &[u8]) -> std::io::Result<()> {
        self.bytes += bytes.len() as u64;
        self.out.write_all(bytes)
    }

    fn encoded(&mut self, text: &str) -> std::io::Result<()> {
        let mut bytes = Vec::new();
        self.encoding.encode(text, &mut bytes, |_| {});
        self.put(&bytes)
    }

    fn begin(&mut self) -> std::io::Result<()> {
        if self.form.text.byte_order_mark {
            self.put(self.encoding.byte_order_mark())?;
        }
        self.encoded(&self.form.text.before)
    }

    /// Writes the records of a block, each of which has a line end, after so many others.
    fn records(&mut self, rows: &Rows<'_>, before: u64) -> std::io::Result<()> {
        if rows.text.is_empty() {
            return Ok(());
        }
        let mut end = Vec::new();
        self.encoding.encode(&self.form.text.line_end, &mut end, |_| {});
        if self.is_open {
            self.put(&end)?;
        }
        self.is_open = true;
        // Nothing is between the first record and those before it.
        let mut between = Vec::new();
        self.encoding.encode(&self.form.text.between, &mut between, |_| {});
        let mut from = if before == 0 { between.len() } else { 0 };
        for (record, line) in self.lines {
            let Some(place) = record.checked_sub(before).filter(|place| *place < rows.records) else {
                continue;
            };
            let to = rows.starts.get(place as usize).copied().unwrap_or(from);
            self.put(&rows.text[from..to])?;
            from = to;
            self.encoded(line)?;
            self.put(&end)?;
        }
        self.put(&rows.text[from..rows.text.len() - end.len()])
    }

    /// Writes what is below the records.
    fn end(mut self, after: &str) -> std::io::Result<u64> {
        let text = &self.form.text;
        for (_, line) in self.lines.iter().filter(|(record, _)| *record >= text.records) {
            self.encoded(&text.line_end)?;
            self.encoded(line)?;
        }
        if self.is_open && (text.ends_last_line || !after.is_empty()) {
            self.encoded(&text.line_end)?;
        }
        self.encoded(after)?;
        self.out.flush()?;
        Ok(self.bytes)
    }
}

/// The rows of one block, written.
struct Rows<'p> {
    plan: &'p Plan<'p>,
    text: Vec<u8>,
    /// Where each record begins, if something is to be put before one.
    starts: Vec<usize>,
    records: u64,
    empty: u64,
    lost: u64,
    cells: Vec<LostCell>,
    formats: Vec<u32>,
    fields: Vec<String>,
    spelled: Vec<u8>,
    line: Vec<u8>,
    /// Characters of the longest value of each field, if they are wanted.
    longest: Vec<usize>,
    /// By field: what its numbers add up to, if that is wanted, in units of 10^-15.
    sums: Vec<Option<i128>>,
}

impl<'p> Rows<'p> {
    fn new(plan: &'p Plan<'p>) -> Self {
        Self {
            plan,
            text: Vec::new(),
            starts: Vec::new(),
            records: 0,
            empty: 0,
            lost: 0,
            cells: Vec::new(),
            formats: vec![0; plan.columns.len()],
            fields: vec![String::new(); plan.fields.len()],
            spelled: Vec::new(),
            line: Vec::new(),
            longest: vec![0; if plan.measures { plan.fields.len() } else { 0 }],
            sums: plan.sums.iter().map(|sum| sum.map(|_| 0)).collect(),
        }
    }

    fn lose(&mut self, row: u32, field: usize, why: Lost) {
        self.lost += 1;
        if self.cells.len() < LISTED {
            let place = self.plan.fields[field].as_ref().map_or(0, |field| field.2);
            let at = CellRef { row, column: self.plan.columns.get(place).copied().unwrap_or(1) };
            self.cells.push(LostCell { at, heading: self.plan.headings[field].clone(), why });
        }
    }
}

impl Scanner for Rows<'_> {
    fn formats(&mut self, formats: &[u32]) {
        self.formats.copy_from_slice(formats);
    }

    fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
        let plan = self.plan;
        if cells.iter().all(|cell| *cell == CellContent::Blank) {
            self.empty += 1;
            return;
        }
        self.records += 1;
        if !plan.form.text.lines.is_empty() {
            self.starts.push(self.text.len());
        }
        let mut fields = std::mem::take(&mut self.fields);
        for (n, field) in plan.fields.iter().enumerate() {
            let text = &mut fields[n];
            text.clear();
            let Some((writer, kind, place)) = field else { continue };
            let format = plan.formats.get(self.formats[*place] as usize);
            self.spelled.clear();
            let spelled =
                writer.spell(&cells[*place], *kind, format, |n| plan.strings.get(n), &mut self.spelled);
            let is_text = matches!(cells[*place], CellContent::Text(_) | CellContent::Shared(_));
            if plan.wraps_digits && is_text && are_digits(&self.spelled) {
                let digits = std::mem::take(&mut self.spelled);
                Wrap::Formula.restore(&digits, &mut self.spelled);
            }
            text.push_str(&String::from_utf8_lossy(&self.spelled));
            if let Some(sum) = self.sums.get_mut(n) {
                let digits = match &cells[*place] {
                    CellContent::Number(digits) => Some(*digits),
                    CellContent::Formula(_, behind) => Some(result_of(behind).unwrap_or_default()),
                    _ => None,
                };
                if let Some(digits) = digits {
                    *sum = sum.zip(units(digits)).and_then(|(sum, units)| sum.checked_add(units));
                }
            }
            if let Some(longest) = self.longest.get_mut(n) {
                *longest = (*longest).max(text.chars().count());
            }
            match spelled {
                Ok(()) => {}
                Err(NotSpelled::Formula) => self.lose(number, n, Lost::Formula),
                Err(NotSpelled::Error) => self.lose(number, n, Lost::Error),
            }
        }
        let mut unwritable = Vec::new();
        self.line.clear();
        RecordWriter::new(&plan.form.text)
            .write(&fields, &mut self.line, |field, why| unwritable.push((field, why)));
        for (field, why) in unwritable {
            let why = match why {
                Unwritable::Divides => Lost::Divides,
                Unwritable::EndsRecord => Lost::EndsRecord,
                Unwritable::TooLong { length, room } => Lost::TooLong { length, room },
            };
            self.lose(number, field, why);
        }
        match std::str::from_utf8(&self.line) {
            Ok(line) => {
                let mut is_lacking = false;
                plan.encoding.encode(line, &mut self.text, |_| is_lacking = true);
                if is_lacking {
                    self.find_lacking(number, &fields);
                }
            }
            Err(_) => self.text.extend_from_slice(&self.line),
        }
        self.fields = fields;
    }
}

/// Whether a text would be taken for a number.
fn are_digits(text: &[u8]) -> bool {
    text.iter().any(u8::is_ascii_digit)
        && text.iter().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b',' | b'-' | b'+' | b'E' | b'e'))
}

impl Rows<'_> {
    /// Notes the values that hold what the encoding lacks.
    #[cold]
    fn find_lacking(&mut self, row: u32, fields: &[String]) {
        for (n, field) in fields.iter().enumerate() {
            let (mut first, mut scratch) = (None, Vec::new());
            self.plan.encoding.encode(field, &mut scratch, |c| first = first.or(Some(c)));
            if let Some(c) = first {
                self.lose(row, n, Lost::Lacks(c));
            }
        }
    }
}
