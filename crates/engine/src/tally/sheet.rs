//! Control totals of the rows of a sheet, by what its cells hold.

use super::{Column, Ends, Tally, Wanted};
use crate::cells::{Strings, result_of};
use crate::stop::{Result, Stop};
use incola_core::kind::number::{self, Decimal, Number};
use incola_core::kind::{Day, Kind, Marks, Value};
use incola_workbook::number_format::NumberFormat;
use incola_workbook::{CellContent, ExistingBook, ExistingCell, Scan, Scanner, serial_date};

/// Rows in which headings are looked for.
const HEADING_ROWS: u32 = 50;

/// Most columns of a sheet.
const MOST_COLUMNS: usize = 16_384;

/// The rows of a sheet that belong together.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SheetRows {
    /// The sheet, from 0.
    pub sheet: usize,
    /// The table; `None`: a plain range.
    pub table: Option<String>,
    /// Columns, from 1, and their headings.
    pub columns: Vec<(u32, String)>,
    /// The first row below the headings.
    pub first: u32,
    /// The last row; totals of a table are left out.
    pub last: u32,
}

impl SheetRows {
    /// The rows of each table of sheet `n` (from 0); of a sheet without tables those below its headings, which are the first row with
    /// texts alone over most of the columns.
    ///
    /// # Errors
    /// [`Stop::Book`] if the sheet cannot be read.
    pub fn of(book: &mut ExistingBook, n: usize) -> Result<Vec<Self>> {
        let tables = book.tables(n).map_err(Stop::Book)?;
        if !tables.is_empty() {
            let rows = tables.into_iter().map(|table| {
                let range = table.range;
                Self {
                    sheet: n,
                    table: Some(table.name),
                    columns: (range.from.column..).zip(table.columns).collect(),
                    first: range.from.row + u32::from(table.has_header),
                    last: range.to.row - u32::from(table.has_totals),
                }
            });
            return Ok(rows.collect());
        }
        let cells =
            book.cells(n, 1, HEADING_ROWS, HEADING_ROWS as usize * MOST_COLUMNS).map_err(Stop::Book)?;
        Ok(Self::below_headings(n, &cells).into_iter().collect())
    }

    fn below_headings(n: usize, cells: &[ExistingCell]) -> Option<Self> {
        let filled: Vec<&ExistingCell> = cells.iter().filter(|cell| !cell.text.trim().is_empty()).collect();
        let row = |number: u32| filled.iter().filter(move |cell| cell.at.row == number);
        let widest = (1..=HEADING_ROWS).map(|number| row(number).count()).max().filter(|most| *most > 0)?;
        let is_heading = |number: &u32| {
            row(*number).count() * 5 >= widest * 3
                && row(*number).all(|cell| cell.is_text && !cell.has_formula)
        };
        let heading = (1..HEADING_ROWS).find(is_heading);
        let name = |column: u32| {
            let cell = heading.and_then(|number| row(number).find(|cell| cell.at.column == column));
            let letters = || format!("Column {}", incola_workbook::column_letters(column));
            cell.map_or_else(letters, |cell| cell.text.trim().to_owned())
        };
        let first = heading.map_or_else(|| filled[0].at.row, |number| number + 1);
        let mut columns: Vec<u32> =
            filled.iter().filter(|cell| cell.at.row + 1 >= first).map(|cell| cell.at.column).collect();
        columns.sort_unstable();
        columns.dedup();
        Some(Self {
            sheet: n,
            table: None,
            columns: columns.into_iter().map(|column| (column, name(column))).collect(),
            first,
            last: u32::MAX,
        })
    }
}

/// Adds up rows of a sheet. Rows without anything in them do not count; formulas count by the result that was computed last. A number
/// is a date where its format shows one. Places are rows of the sheet.
///
/// # Errors
/// [`Stop::Book`] if the workbook cannot be read, [`Stop::TooManyGroups`].
pub fn tally_sheet(
    book: &mut ExistingBook,
    rows: &SheetRows,
    wanted: Wanted,
) -> Result<(Vec<Column>, Tally)> {
    let columns: Vec<u32> = rows.columns.iter().map(|(column, _)| *column).collect();
    let formats = book.number_formats().map_err(Stop::Book)?;
    let shows: Vec<Shows> = formats.iter().map(|code| Shows::of(&NumberFormat::new(code))).collect();
    let strings = Strings::of(book)?;
    let from_1904 = book.is_1904();
    let reading = Reading { wanted, shows: &shows, strings: &strings, from_1904 };
    let scan = Scan { columns: &columns, from: rows.first, to: rows.last };
    let (mut all, mut kinds) = (Tally::of(columns.len()), vec![Seen::default(); columns.len()]);
    let mut too_many = false;
    let start = || Block {
        reading,
        tally: Tally::of(columns.len()),
        formats: vec![0; columns.len()],
        seen: vec![Seen::default(); columns.len()],
    };
    book.scan(rows.sheet, &scan, start, |own: Block<'_>| {
        if !too_many {
            all.merge(own.tally);
            too_many = all.groups.len() > super::MOST_GROUPS;
        }
        kinds.iter_mut().zip(own.seen).for_each(|(mine, more)| mine.merge(more));
    })
    .map_err(Stop::Book)?;
    if too_many {
        let column = wanted.by.map(|by| rows.columns[by.column].1.clone()).unwrap_or_default();
        return Err(Stop::TooManyGroups { column, most: super::MOST_GROUPS });
    }
    let columns =
        rows.columns.iter().zip(&kinds).zip(&mut all.columns).map(|(((number, name), seen), own)| {
            let kind = seen.kind();
            own.misfits = own.filled - seen.count(kind);
            Column {
                number: *number as usize,
                name: name.clone(),
                kind,
                marks: Marks::default(),
                is_wanted: true,
            }
        });
    Ok((columns.collect(), all))
}

/// What the cells of a column are, by the number of them.
#[derive(Clone, Copy, Debug, Default)]
struct Seen {
    numbers: u64,
    dates: u64,
    moments: u64,
    times: u64,
    booleans: u64,
    texts: u64,
}

impl Seen {
    fn all(&self) -> [(Kind, u64); 6] {
        [
            (Kind::Number, self.numbers),
            (Kind::Date, self.dates),
            (Kind::DateTime, self.moments),
            (Kind::Time, self.times),
            (Kind::Boolean, self.booleans),
            (Kind::Text, self.texts),
        ]
    }

    /// What most of them are; text if there are as many of those.
    fn kind(&self) -> Kind {
        self.all().into_iter().max_by_key(|(_, count)| *count).map_or(Kind::Text, |(kind, _)| kind)
    }

    fn count(&self, kind: Kind) -> u64 {
        self.all().into_iter().find(|own| own.0 == kind).map_or(0, |own| own.1)
    }

    fn merge(&mut self, more: Self) {
        self.numbers += more.numbers;
        self.dates += more.dates;
        self.moments += more.moments;
        self.times += more.times;
        self.booleans += more.booleans;
        self.texts += more.texts;
    }
}

/// What a number format makes of a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Shows {
    Number,
    Day,
    Moment,
    Time,
}

impl Shows {
    fn of(format: &NumberFormat) -> Self {
        if !format.is_date() {
            return Self::Number;
        }
        let code = format.code().to_lowercase();
        match (code.contains(['d', 'y']), code.contains('h')) {
            (true, false) => Self::Day,
            (true, true) => Self::Moment,
            // Without a day or year it is the time of a day.
            _ => Self::Time,
        }
    }
}

/// What all threads know.
#[derive(Clone, Copy)]
struct Reading<'r> {
    wanted: Wanted,
    /// By cell format.
    shows: &'r [Shows],
    strings: &'r Strings,
    from_1904: bool,
}

/// What one thread adds up.
struct Block<'r> {
    reading: Reading<'r>,
    tally: Tally,
    formats: Vec<u32>,
    seen: Vec<Seen>,
}

impl Scanner for Block<'_> {
    fn formats(&mut self, formats: &[u32]) {
        self.formats.copy_from_slice(formats);
    }

    fn row(&mut self, number: u32, cells: &[CellContent<'_>]) {
        if cells.iter().all(|cell| *cell == CellContent::Blank) {
            return;
        }
        let Reading { wanted, shows, strings, from_1904 } = self.reading;
        let mut adding = self.tally.record(wanted);
        // What the cells show, and the key among them, if an order is wanted.
        let mut shown: Vec<String> = Vec::new();
        let mut ends = wanted.sort.map(|_| Ends::default());
        for (place, content) in cells.iter().enumerate() {
            let shows = shows.get(self.formats[place] as usize).copied().unwrap_or(Shows::Number);
            let own = &mut self.seen[place];
            let mut cell = |field: &[u8], value: &Value<'_>| {
                adding.field(place, field, value, u64::from(number));
                if wanted.sort.is_some() {
                    shown.push(String::from_utf8_lossy(field).into_owned());
                }
                if wanted.sort == Some(place)
                    && let Some(ends) = &mut ends
                {
                    ends.offer((field, value), u64::from(number), Vec::new);
                }
            };
            match content {
                CellContent::Blank => cell(b"", &Value::Blank),
                CellContent::Number(digits) => number_cell(digits, (shows, from_1904), own, &mut cell),
                CellContent::Formula(_, result) => match result_of(result) {
                    Some(digits) if number_of(digits).is_some() => {
                        number_cell(digits, (shows, from_1904), own, &mut cell);
                    }
                    text => {
                        let text = text.unwrap_or_default();
                        own.texts += u64::from(!text.is_empty());
                        cell(text, &text_value(text));
                    }
                },
                CellContent::Boolean(is_true) => {
                    own.booleans += 1;
                    cell(if *is_true { b"TRUE" } else { b"FALSE" }, &Value::Boolean(*is_true));
                }
                CellContent::Text(text) | CellContent::Error(text) => {
                    own.texts += u64::from(!text.is_empty());
                    cell(text, &text_value(text));
                }
                CellContent::Shared(at) => {
                    let text = strings.get(*at);
                    own.texts += u64::from(!text.is_empty());
                    cell(text, &text_value(text));
                }
            }
        }
        adding.end();
        if let Some(mut own) = ends {
            for ranked in own.first.iter_mut().chain(&mut own.last) {
                ranked.fields.clone_from(&shown);
            }
            self.tally.ends.get_or_insert_default().merge(own);
        }
    }
}

fn text_value(text: &[u8]) -> Value<'_> {
    if text.is_empty() { Value::Blank } else { Value::Text(text) }
}

/// A number of the sheet: one, or what a format shows of it.
fn number_cell(
    digits: &[u8],
    (shows, from_1904): (Shows, bool),
    seen: &mut Seen,
    cell: &mut impl FnMut(&[u8], &Value<'_>),
) {
    let moment = || {
        let (days, millis) = serial_date::read_digits(digits)?;
        let days = if from_1904 { days + serial_date::DAYS_TO_1904 } else { days };
        Some((Day::on(i64::from(days))?, millis))
    };
    match shows {
        Shows::Day | Shows::Moment => {
            if let Some((day, millis)) = moment() {
                let has_time = shows == Shows::Moment;
                *if has_time { &mut seen.moments } else { &mut seen.dates } += 1;
                let mut text = format!("{:04}-{:02}-{:02}", day.year, day.month, day.day);
                if has_time || millis > 0 {
                    text.push_str(&format!(" {}", time(millis)));
                }
                return cell(text.as_bytes(), &Value::Moment(Some(day), millis, 0));
            }
        }
        Shows::Time => {
            if let Some((_, millis)) = serial_date::read_digits(digits).filter(|_| !digits.contains(&b'-')) {
                seen.times += 1;
                return cell(time(millis).as_bytes(), &Value::Moment(None, millis, 0));
            }
        }
        Shows::Number => {}
    }
    match number_of(digits) {
        Some(number) => {
            seen.numbers += 1;
            cell(digits, &Value::Number(number, 0));
        }
        None => cell(digits, &Value::Misfit(digits)),
    }
}

fn time(millis: u32) -> String {
    let seconds = millis / 1000;
    format!("{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60)
}

/// The number that a cell shows: of more than fifteen digits, which only other programs write, the first fifteen.
fn number_of(digits: &[u8]) -> Option<Number> {
    if let Ok(number) = number::parse_padded(digits, Decimal::Point) {
        return Some(number);
    }
    let value: f64 =
        std::str::from_utf8(digits).ok()?.parse().ok().filter(|value: &f64| value.is_finite())?;
    let exponent = format!("{value:.14e}").rsplit_once('e').and_then(|(_, e)| e.parse::<i32>().ok())?;
    let plain = format!("{value:.*}", (14 - exponent).clamp(0, 15) as usize);
    let short = if plain.contains('.') { plain.trim_end_matches('0').trim_end_matches('.') } else { &plain };
    number::parse_padded(short.as_bytes(), Decimal::Point).ok()
}
