//! `incola tally`

use crate::docket::{self, shape};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Tally;
use crate::flags::read::Read;
use crate::io::folder;
use crate::io::source::Source;
use crate::output::{print, report};
use crate::render;
use crate::render::command::quoted;
use incola_core::kind::number::{in_units, parse, units_text};
use incola_core::kind::{Decimal, Kind, Marks};
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::ColumnReading;
use incola_core::settings::selector::Selector;
use incola_engine::tally::{self, By, Period};
use incola_engine::text::{Surveyed, survey};
use std::path::Path;

/// The control totals of a source, and what was expected of them.
pub(crate) struct Tallied {
    pub(crate) source: String,
    pub(crate) columns: Vec<ColumnReading>,
    pub(crate) tally: tally::Tally,
    /// What the records are divided by.
    pub(crate) by: Option<(By, String)>,
    pub(crate) checks: Vec<Check>,
    /// What became of records that are no rows.
    pub(crate) left_out: Vec<String>,
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
        match one(options, &read, &name) {
            Ok(tallied) => {
                if tallied.checks.iter().any(|check| check.difference.is_some()) {
                    code = code.max(ExitCode::NeedsALook);
                }
                all.push(tallied);
            }
            Err(failure) if failure.status == ExitCode::Interrupted => return Err(failure),
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if options.json {
        let json: Vec<_> = all.iter().map(render::tally::json).collect();
        print(&render::json_text(&json))?;
    } else {
        print(&all.iter().map(render::tally::page).collect::<Vec<_>>().join("\n"))?;
    }
    Ok(code)
}

fn one(options: &Tally, read: &Read, name: &str) -> Result<Tallied> {
    let ending = Path::new(name).extension().map(|e| e.to_string_lossy().to_lowercase());
    if matches!(ending.as_deref(), Some("xlsx" | "xlsm")) {
        return Err(Failure::usage(format!("{name}: a tally is taken of text, not of a workbook"))
            .help(format!("the sheets and their rows: incola inspect {}", quoted(name))));
    }
    let source = Source::open(name, &std::env::temp_dir())?;
    let docket = docket::find(read, name, None)?;
    let (choices, lines) = read.choices(docket.as_ref())?;
    let mut surveyed = survey(&source, &choices, lines)?;
    let wishes = shape::Wishes { renames: &read.renames()?, ..shape::Wishes::default() };
    let names: Vec<String> = surveyed.reading.columns.iter().map(|c| c.name.clone()).collect();
    shape::shape(&mut surveyed.reading, docket.as_ref(), wishes, name)?;
    let by = options.read.by.as_deref().map(|text| by(text, &surveyed, &names)).transpose()?;
    let tally = tally::tally(&source, &surveyed, by)?;
    let checks = checks(options, &surveyed, &names, &tally)?;
    let by = by.zip(options.read.by.clone());
    let is_left_out = |notice: &&Notice| matches!(notice.code, NoticeCode::RowsLeftOut | NoticeCode::NoRows);
    let left_out = surveyed.reading.notices.iter().filter(is_left_out).map(|notice| notice.message.clone());
    let left_out = left_out.collect();
    let columns = surveyed.reading.columns;
    Ok(Tallied { source: name.to_owned(), columns, tally, by, checks, left_out })
}

/// The place of a column, by what the source or the sheet calls it.
fn place(option: &str, text: &str, surveyed: &Surveyed, names: &[String]) -> Result<usize> {
    let now: Vec<String> = surveyed.reading.columns.iter().map(|c| c.name.clone()).collect();
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

/// Reads `COLUMN` or `COLUMN/PERIOD`.
fn by(text: &str, surveyed: &Surveyed, names: &[String]) -> Result<By> {
    let option = format!("--by {}", quoted(text));
    let words: Vec<&str> = Period::WORDS.iter().map(|(word, _)| *word).collect();
    if let Some((column, word)) = text.rsplit_once('/')
        && let Some(period) = Period::from_word(word)
    {
        let column = place(&option, column, surveyed, names)?;
        let own = &surveyed.reading.columns[column];
        if !matches!(own.rule.kind(), Kind::Date | Kind::DateTime) {
            let what =
                format!("{option}: \u{201c}{}\u{201d} is {}, not a date", own.name, own.rule.kind().word());
            return Err(
                Failure::usage(what).help(format!("to group by its values: --by {}", quoted(&own.name)))
            );
        }
        return Ok(By { column, period: Some(period) });
    }
    let column = place(&option, text, surveyed, names)
        .map_err(|failure| failure.help(format!("for dates also COLUMN/{}", words.join(", COLUMN/"))))?;
    Ok(By { column, period: None })
}

/// Compares what was expected with what is there.
fn checks(
    options: &Tally,
    surveyed: &Surveyed,
    names: &[String],
    tally: &tally::Tally,
) -> Result<Vec<Check>> {
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
        let place = place(&format!("--expect {}", quoted(text)), name, surveyed, names)?;
        let column = &surveyed.reading.columns[place];
        if !tally::adds_up(column) {
            return Err(wrong(&format!(
                "\u{201c}{}\u{201d} is {}, not a number",
                column.name,
                column.rule.kind().word()
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
            marks: column.rule.marks(),
        });
    }
    Ok(checks)
}
