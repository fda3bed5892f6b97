//! The form of a table that came from no source, or is wanted in another one than its source had: delimited, or at fixed places, with
//! values as they are: all digits of numbers, dates as ISO 8601 spells them.

use super::{Exported, Plan, Rows, SourceForm, rows_of};
use crate::cells::CellForm;
use crate::stop::Result;
use crate::tally::{SheetRows, Wanted, tally_sheet};
use incola_core::encoding::Encoding;
use incola_core::kind::Kind;
use incola_core::record::{FieldForm, RecordWriter, TextForm, Unit};
use incola_workbook::ExistingBook;
use std::io::Write;

/// What separates fields.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Fields {
    /// This stands between them; values that hold it are in double quotes.
    Delimited(String),
    /// They begin at fixed places: each column is as wide as its longest value, with a blank behind it.
    Fixed,
}

/// How text is wanted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlainForm {
    /// What separates fields.
    pub fields: Fields,
    /// The encoding.
    pub encoding: Encoding,
    /// The decimal character.
    pub decimal: char,
    /// What ends a line.
    pub line_end: String,
    /// Whether the first line holds the headings.
    pub has_heading: bool,
    /// Whether texts of digits are written as `="007"`, so that programs keep them as text.
    pub wraps_digits: bool,
}

impl Default for PlainForm {
    /// UTF-8, comma, line feeds, headings.
    fn default() -> Self {
        Self {
            fields: Fields::Delimited(",".into()),
            encoding: Encoding::Utf8,
            decimal: '.',
            line_end: "\n".into(),
            has_heading: true,
            wraps_digits: false,
        }
    }
}

/// The form of rows of a sheet as it is wanted: which room fields need at fixed places is seen in a pass over them.
///
/// # Errors
/// If the workbook cannot be read.
pub fn plain_form(book: &mut ExistingBook, rows: &SheetRows, wanted: &PlainForm) -> Result<SourceForm> {
    let mut form = form_of(book, rows, wanted)?;
    if wanted.fields == Fields::Fixed {
        let mut plan = Plan::new(book, &form, found(rows))?;
        plan.measures = true;
        let mut longest = vec![0; form.cells.len()];
        rows_of(book, (rows.sheet, rows.first, rows.last), &plan, |own: &Rows<'_>, _| {
            for (all, more) in longest.iter_mut().zip(&own.longest) {
                *all = (*all).max(*more);
            }
            Ok(())
        })?;
        place(&mut form, rows, wanted, &longest);
    }
    if wanted.has_heading {
        let names: Vec<&str> = rows.columns.iter().map(|(_, name)| name.as_str()).collect();
        let mut line = Vec::new();
        RecordWriter::new(&form.text).write(&names, &mut line, |_, _| {});
        form.text.before = String::from_utf8_lossy(&line).into_owned();
    }
    Ok(form)
}

/// Writes rows of a sheet in the [form](plain_form) that is wanted.
///
/// # Errors
/// Whatever the workbook or `out` fail with.
pub fn export_plain(
    book: &mut ExistingBook,
    rows: &SheetRows,
    (form, wanted): (&SourceForm, &PlainForm),
    out: &mut impl Write,
) -> Result<Exported> {
    let mut plan = Plan::new(book, form, found(rows))?;
    plan.wraps_digits = wanted.wraps_digits;
    super::write(book, (rows.sheet, rows.first, rows.last), &plan, &[], out)
}

fn found(rows: &SheetRows) -> Vec<Option<(u32, String)>> {
    rows.columns.iter().cloned().map(Some).collect()
}

/// The form, but for the places of fields.
fn form_of(book: &mut ExistingBook, rows: &SheetRows, wanted: &PlainForm) -> Result<SourceForm> {
    let (columns, _) = tally_sheet(book, rows, Wanted::default())?;
    let code = |kind: Kind| match kind {
        Kind::Date => vec!["yyyy-mm-dd".to_owned()],
        Kind::DateTime => vec!["yyyy-mm-dd hh:mm:ss".to_owned()],
        Kind::Time => vec!["hh:mm:ss".to_owned()],
        _ => Vec::new(),
    };
    let cells = columns.iter().map(|column| CellForm {
        name: column.name.clone(),
        kind: column.kind.word().to_owned(),
        codes: code(column.kind),
        marks: vec![wanted.decimal.to_string(), String::new()],
        ..CellForm::default()
    });
    let delimiter = match &wanted.fields {
        Fields::Delimited(delimiter) => Some(delimiter.clone()),
        Fields::Fixed => None,
    };
    let text = TextForm {
        encoding: wanted.encoding.name(),
        line_end: wanted.line_end.clone(),
        ends_last_line: true,
        quote: delimiter.is_some().then_some('"'),
        delimiter,
        fields: vec![FieldForm::default(); columns.len()],
        ..TextForm::default()
    };
    Ok(SourceForm { text, cells: cells.collect() })
}

/// Gives each field as much room as its longest value needs, numbers at the right of it, and a blank behind.
fn place(form: &mut SourceForm, rows: &SheetRows, wanted: &PlainForm, longest: &[usize]) {
    let mut start = 0;
    let unit = Unit::Characters;
    for (n, (cell, (_, name))) in form.cells.iter().zip(&rows.columns).enumerate() {
        let heading = if wanted.has_heading { unit.length(name.as_bytes()) } else { 0 };
        let width = longest[n].max(heading).max(1);
        form.text.starts.push(start);
        form.text.fields[n].right = (Kind::from_word(&cell.kind) == Some(Kind::Number)).then_some(width);
        start += width + 1;
    }
    form.text.unit = unit;
}
