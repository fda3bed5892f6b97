//! `incola tally`

use crate::docket::{self, shape};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Tally;
use crate::flags::read::Read;
use crate::io::book_file::{read_book, rows_meant, several_tables};
use crate::io::folder;
use crate::io::source::Source;
use crate::output::{print, report};
use crate::render;
use crate::render::command::quoted;
use incola_core::kind::number::{in_units, parse, units_text};
use incola_core::kind::{Decimal, Kind, Marks};
use incola_core::notice::{Notice, NoticeCode};
use incola_core::settings::selector::Selector;
use incola_engine::tally::{self, By, Column, Comparison, Period, SheetRows, Wanted};
use incola_engine::text::{Surveyed, survey};
use incola_workbook::ExistingBook;
use std::path::Path;

/// The control totals of a source or of rows of a sheet, and what was expected of them.
pub(crate) struct Tallied {
    pub(crate) source: String,
    /// The sheet, and its table; `None`: it is a source.
    pub(crate) sheet: Option<(String, Option<String>)>,
    pub(crate) columns: Vec<Column>,
    pub(crate) tally: tally::Tally,
    /// What the records are divided by.
    pub(crate) by: Option<(By, String)>,
    /// The column whose order is wanted.
    pub(crate) sort: Option<usize>,
    pub(crate) checks: Vec<Check>,
    /// What became of records that are no rows.
    pub(crate) left_out: Vec<String>,
    /// The other side of a sheet.
    pub(crate) against: Option<Against>,
}

/// The source that a sheet is compared with.
pub(crate) struct Against {
    pub(crate) source: String,
    pub(crate) columns: Vec<Column>,
    pub(crate) tally: tally::Tally,
    pub(crate) comparison: Comparison,
}

impl Tallied {
    /// Whether something is not as it was expected, or not as it is on the other side.
    fn differs(&self) -> bool {
        self.checks.iter().any(|check| check.difference.is_some())
            || self.against.as_ref().is_some_and(|against| !against.comparison.agrees())
    }
}

/// A figure that was expected.
pub(crate) struct Check {
    /// What it is of: a column, or the records.
    pub(crate) what: String,
    pub(crate) expected: String,
    pub(crate) found: String,
    /// What is too much, or too little; nothing: they agree.
    pub(crate) difference: Option<String>,
    /// How the column spells numbers.
    pub(crate) marks: Marks,
}

/// Adds up each source.
pub(crate) fn run(options: &Tally) -> Result<ExitCode> {
    // Groups are those of the tally: nothing is rolled up before.
    let read = Read { by: None, ..options.read.clone() };
    read.choices(None)?;
    let mut code = ExitCode::Done;
    let mut all = Vec::new();
    for name in folder::expand(&options.sources)? {
        let ending = Path::new(&name).extension().map(|e| e.to_string_lossy().to_lowercase());
        let own = if matches!(ending.as_deref(), Some("xlsx" | "xlsm")) {
            of_book(options, &read, &name)
        } else {
            one(options, &read, &name).map(|tallied| vec![tallied])
        };
        match own {
            Ok(own) => {
                if own.iter().any(Tallied::differs) {
                    code = code.max(ExitCode::NeedsALook);
                }
                all.extend(own);
            }
            Err(failure) if failure.status == ExitCode::Interrupted => return Err(failure),
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if options.json {
        let json: Vec<_> = all.iter().map(render::tally_json::json).collect();
        print(&render::json_text(&json))?;
    } else {
        print(&all.iter().map(render::tally::page).collect::<Vec<_>>().join("\n"))?;
    }
    Ok(code)
}

fn one(options: &Tally, read: &Read, name: &str) -> Result<Tallied> {
    for (option, value) in [("--sheet", &options.sheet), ("--against", &options.against)] {
        if let Some(value) = value {
            let what = format!("{option} {}: {name} is no workbook", quoted(value));
            return Err(Failure::usage(what));
        }
    }
    let Opened { source, surveyed, names } = Opened::at(read, name)?;
    let columns = Column::of(&surveyed.reading.columns);
    let by = options.read.by.as_deref().map(|text| by(text, &columns, &names)).transpose()?;
    let sort = sort(options, &columns, &names)?;
    let tally = tally::tally(&source, &surveyed, Wanted { by, sort })?;
    let checks = checks(options, &columns, &names, &tally)?;
    let by = by.zip(options.read.by.clone());
    let is_left_out = |notice: &&Notice| matches!(notice.code, NoticeCode::RowsLeftOut | NoticeCode::NoRows);
    let left_out = surveyed.reading.notices.iter().filter(is_left_out).map(|notice| notice.message.clone());
    let left_out = left_out.collect();
    Ok(Tallied {
        source: name.to_owned(),
        sheet: None,
        columns,
        tally,
        by,
        sort,
        checks,
        left_out,
        against: None,
    })
}

/// A source that was surveyed.
struct Opened {
    source: Source,
    surveyed: Surveyed,
    /// What it calls its columns, before anyone calls them otherwise.
    names: Vec<String>,
}

impl Opened {
    fn at(read: &Read, name: &str) -> Result<Self> {
        let source = Source::open(name, &std::env::temp_dir())?;
        let docket = docket::find(read, name, None)?;
        let (choices, lines) = read.choices(docket.as_ref())?;
        let mut surveyed = survey(&source, &choices, lines)?;
        let wishes = shape::Wishes { renames: &read.renames()?, ..shape::Wishes::default() };
        let names: Vec<String> = surveyed.reading.columns.iter().map(|c| c.name.clone()).collect();
        shape::shape(&mut surveyed.reading, docket.as_ref(), wishes, name)?;
        Ok(Self { source, surveyed, names })
    }
}

/// Compares rows of a sheet with a source.
fn compare(book: &mut ExistingBook, rows: &SheetRows, read: &Read, name: &str) -> Result<Against> {
    let Opened { source, surveyed, .. } = Opened::at(read, name)?;
    let comparison = tally::against(book, rows, &source, &surveyed)?;
    if comparison.pairs.is_empty() {
        let list = |names: &[String]| names.join(", ");
        let what = format!("--against {}: no column of the sheet has the name of one of its", quoted(name));
        return Err(Failure::usage(what)
            .help(format!("the sheet has: {}", list(&comparison.only_sheet)))
            .help(format!("the source has: {}", list(&comparison.only_source))));
    }
    let tally = tally::tally(&source, &surveyed, Wanted::default())?;
    let columns = Column::of(&surveyed.reading.columns);
    Ok(Against { source: name.to_owned(), columns, tally, comparison })
}

/// Adds up the tables of a workbook, and the rows of sheets that have none.
fn of_book(options: &Tally, read: &Read, name: &str) -> Result<Vec<Tallied>> {
    if *read != Read::default() && options.against.is_none() {
        return Err(Failure::usage(format!("{name}: how text is read says nothing about a workbook"))
            .help(format!("leave those options out: incola tally {}", quoted(name))));
    }
    let path = Path::new(name);
    let mut book = read_book(path)?;
    let names = book.sheet_names();
    let found = rows_meant(path, &mut book, options.sheet.as_deref())?;
    let asks = options.read.by.is_some()
        || options.sort.is_some()
        || options.against.is_some()
        || !options.expect.is_empty()
        || options.expect_records.is_some();
    if asks && found.len() > 1 {
        return Err(several_tables(path, &book, &found).help("say which sheet is meant: --sheet"));
    }
    let mut all = Vec::new();
    for rows in found {
        let of_sheet: Vec<Column> = rows.columns.iter().map(|(number, name)| unread(*number, name)).collect();
        let headings: Vec<String> = rows.columns.iter().map(|(_, name)| name.clone()).collect();
        let by = options.read.by.as_deref().map(|text| by(text, &of_sheet, &headings)).transpose()?;
        let sort = sort(options, &of_sheet, &headings)?;
        let (columns, tally) = tally::tally_sheet(&mut book, &rows, Wanted { by, sort })?;
        if let (Some(by), Some(text)) = (by, &options.read.by)
            && by.period.is_some()
            && !matches!(columns[by.column].kind, Kind::Date | Kind::DateTime)
        {
            return Err(no_date(&format!("--by {}", quoted(text)), &columns[by.column]));
        }
        let checks = checks(options, &columns, &headings, &tally)?;
        let other = options.against.as_deref();
        let against = other.map(|other| compare(&mut book, &rows, read, other)).transpose()?;
        all.push(Tallied {
            source: name.to_owned(),
            sheet: Some((names[rows.sheet].clone(), rows.table)),
            columns,
            tally,
            by: by.zip(options.read.by.clone()),
            sort,
            checks,
            left_out: Vec::new(),
            against,
        });
    }
    Ok(all)
}

/// A column of a sheet before anything is known of its values.
fn unread(number: u32, name: &str) -> Column {
    let (number, name) = (number as usize, name.to_owned());
    Column { number, name, kind: Kind::Date, marks: Marks::default(), is_wanted: true }
}

/// The place of a column, by what the source or the sheet calls it.
fn place(option: &str, text: &str, columns: &[Column], names: &[String]) -> Result<usize> {
    let now: Vec<String> = columns.iter().map(|c| c.name.clone()).collect();
    let selector = Selector::new(text);
    let mut places = selector.places(names);
    if places.is_empty() {
        places = selector.places(&now);
    }
    if let [place] = places[..] {
        return Ok(place);
    }
    let count = if places.is_empty() { "no column is" } else { "several columns are" };
    Err(Failure::usage(format!("{option}: {count} \u{201c}{text}\u{201d}"))
        .help(format!("the columns are: {}", now.join(", "))))
}

/// The column whose order is wanted.
fn sort(options: &Tally, columns: &[Column], names: &[String]) -> Result<Option<usize>> {
    let Some(text) = &options.sort else { return Ok(None) };
    place(&format!("--sort {}", quoted(text)), text, columns, names).map(Some)
}

/// Reads `COLUMN` or `COLUMN/PERIOD`.
fn by(text: &str, columns: &[Column], names: &[String]) -> Result<By> {
    let option = format!("--by {}", quoted(text));
    let words: Vec<&str> = Period::WORDS.iter().map(|(word, _)| *word).collect();
    if let Some((column, word)) = text.rsplit_once('/')
        && let Some(period) = Period::from_word(word)
    {
        let column = place(&option, column, columns, names)?;
        let own = &columns[column];
        if !matches!(own.kind, Kind::Date | Kind::DateTime) {
            return Err(no_date(&option, own));
        }
        return Ok(By { column, period: Some(period) });
    }
    let column = place(&option, text, columns, names)
        .map_err(|failure| failure.help(format!("for dates also COLUMN/{}", words.join(", COLUMN/"))))?;
    Ok(By { column, period: None })
}

fn no_date(option: &str, column: &Column) -> Failure {
    let what = format!("{option}: \u{201c}{}\u{201d} is {}, not a date", column.name, column.kind.word());
    Failure::usage(what).help(format!("to group by its values: --by {}", quoted(&column.name)))
}

/// Compares what was expected with what is there.
fn checks(options: &Tally, columns: &[Column], names: &[String], tally: &tally::Tally) -> Result<Vec<Check>> {
    let mut checks = Vec::new();
    if let Some(expected) = options.expect_records {
        let found = tally.records;
        checks.push(Check {
            what: "records".into(),
            expected: expected.to_string(),
            found: found.to_string(),
            difference: (found != expected).then(|| (i128::from(found) - i128::from(expected)).to_string()),
            marks: Marks::default(),
        });
    }
    for text in &options.expect {
        let wrong = |why: &str| Failure::usage(format!("--expect {}: {why}", quoted(text)));
        let (name, sum) =
            text.rsplit_once('=').ok_or_else(|| wrong("it is COLUMN=SUM, such as Dues=12345.60"))?;
        let place = place(&format!("--expect {}", quoted(text)), name, columns, names)?;
        let column = &columns[place];
        if !column.adds_up() {
            return Err(wrong(&format!(
                "\u{201c}{}\u{201d} is {}, not a number",
                column.name,
                column.kind.word()
            )));
        }
        let sum = sum.trim();
        let expected = parse(sum.as_bytes(), Decimal::Point)
            .ok()
            .and_then(|number| in_units(&number).zip(Some(number.spelling.decimals())))
            .ok_or_else(|| wrong("the sum is a number with a decimal point"))?;
        let (units, decimals) = expected;
        let figures = tally.columns[place].figures.as_deref();
        let found = figures.map(|f| f.sum).unwrap_or_default();
        let decimals = decimals.max(figures.map_or(0, |f| f.decimals));
        let is_same = found.is_exact() && found.units() == units;
        checks.push(Check {
            what: column.name.clone(),
            expected: units_text(units, decimals),
            found: if found.is_exact() { found.text(decimals) } else { "too large to add up exactly".into() },
            difference: (!is_same).then(|| units_text(found.units().saturating_sub(units), decimals)),
            marks: column.marks,
        });
    }
    Ok(checks)
}
