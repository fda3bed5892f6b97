//! How a source was written, as a link keeps it.

use crate::cells::{CellForm, ColumnWriter};
use crate::text::Surveyed;
use incola_core::encoding::Encoding;
use incola_core::reading::{ColumnReading, LineEnd};
use incola_core::record::TextForm;
use incola_core::survey::MOST_COLUMNS;
use incola_workbook::Styles;
use serde::{Deserialize, Serialize};

/// Longest text before or after the records that a link keeps, in bytes.
const LONGEST: usize = 64 * 1024;

/// How a source was written: its text, and its values.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct SourceForm {
    /// What is around its values.
    pub text: TextForm,
    /// How each column spells its values, in the order of the source.
    #[serde(default, rename = "cell")]
    pub cells: Vec<CellForm>,
}

/// How a source was written; `None`: nothing says how to write it again (reports, records of several lines, columns divided by runs of
/// blanks). `names`: the names of its columns in it.
pub fn observe(surveyed: &Surveyed, columns: &[ColumnReading], names: &[String]) -> Option<SourceForm> {
    let reading = &surveyed.reading;
    let layout = &reading.layout;
    let is_plain = layout.headings.is_empty() && layout.carried_down.is_empty() && !layout.is_report;
    if !is_plain || columns.len() > MOST_COLUMNS || matches!(reading.encoding.value, Encoding::Utf8Or(_)) {
        return None;
    }
    let first = surveyed.data_in_head()?;
    let plan = &surveyed.plan;
    let mut text =
        TextForm::of_records(&plan.dialect, &plan.repeats, &surveyed.head[first..], columns.len())?;
    let before = &surveyed.head[..first];
    if before.len() > LONGEST || surveyed.below.len() > LONGEST {
        return None;
    }
    text.encoding = reading.encoding.value.name();
    text.byte_order_mark = reading.bom_bytes > 0;
    text.line_end = match reading.line_end {
        LineEnd::Crlf => "\r\n",
        LineEnd::Cr => "\r",
        _ => "\n",
    }
    .to_owned();
    text.ends_last_line = surveyed.is_ended;
    text.before = String::from_utf8_lossy(before).into_owned();
    text.after = String::from_utf8_lossy(&surveyed.below).into_owned();
    text.among = surveyed.survey.facts.set_aside_lines;
    let cell = |(column, name): (&ColumnReading, &String)| {
        ColumnWriter::new(column, &mut Styles::new(), false).form(name, column.rule.kind())
    };
    Some(SourceForm { text, cells: columns.iter().zip(names).map(cell).collect() })
}
