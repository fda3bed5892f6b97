//! How a source was written, as a link keeps it.

use crate::cells::{CellForm, ColumnWriter};
use crate::text::Surveyed;
use incola_core::encoding::Encoding;
use incola_core::layout::whole_lines;
use incola_core::reading::ColumnReading;
use incola_core::record::{Machine, TextForm};
use incola_core::rows::{Aside, Carry, Flow, Record, RecordSink, each_record};
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

/// Gathers the lines among records that are none, with the number of records before each.
struct Among<'t> {
    lines: Vec<&'t [u8]>,
    records: u64,
    found: Vec<(u64, String)>,
}

impl Among<'_> {
    fn of(surveyed: &Surveyed, text: &[u8]) -> Vec<(u64, String)> {
        let dialect = &surveyed.plan.dialect;
        let lines = whole_lines(text, dialect.lone_cr_ends_line).collect();
        let mut among = Among { lines, records: 0, found: Vec::new() };
        let mut machine = Machine::new(dialect);
        each_record(&mut machine, text, true, &surveyed.plan.repeats, (1, &mut Carry::default()), &mut among);
        among.found
    }
}

impl RecordSink for Among<'_> {
    fn record(&mut self, _: &Record<'_>) -> Flow {
        self.records += 1;
        Flow::Continue(())
    }

    fn aside(&mut self, _: Aside, line: u64, lines: u64) {
        let own = self.lines.iter().skip(line as usize - 1).take(lines as usize);
        let own = own.map(|line| String::from_utf8_lossy(line).trim_end_matches(['\r', '\n']).to_owned());
        self.found.extend(own.map(|line| (self.records, line)));
    }
}

/// How a source was written; `None`: nothing says how to write it again (reports, shaped rows, records whose lines are continued below, columns
/// divided by runs of blanks). `names`: the names of its columns in it.
pub fn observe(surveyed: &Surveyed, columns: &[ColumnReading], names: &[String]) -> Option<SourceForm> {
    let reading = &surveyed.reading;
    let layout = &reading.layout;
    let is_plain = layout.headings.is_empty()
        && layout.carried_down.is_empty()
        && layout.shaping.is_none()
        && !layout.is_report;
    if !is_plain || columns.len() > MOST_COLUMNS || matches!(reading.encoding.value, Encoding::Utf8Or(_)) {
        return None;
    }
    let first = surveyed.data_in_head()?;
    let plan = &surveyed.plan;
    let is_all = surveyed.after.is_in_head;
    let end = if is_all { surveyed.head.len() - surveyed.after.text.len() } else { surveyed.head.len() };
    let mut text =
        TextForm::of_records(&plan.dialect, &plan.repeats, surveyed.head.get(first..end)?, columns.len())?;
    let before = &surveyed.head[..first];
    if before.len() > LONGEST || surveyed.after.text.len() > LONGEST {
        return None;
    }
    text.encoding = reading.encoding.value.name();
    text.byte_order_mark = reading.bom_bytes > 0;
    text.ends_last_line = surveyed.is_ended;
    text.before = String::from_utf8_lossy(before).into_owned();
    if !is_all {
        text.after.clear();
    }
    text.after.push_str(&String::from_utf8_lossy(&surveyed.after.text));
    text.among = surveyed.survey.facts.set_aside_lines.saturating_sub(surveyed.after.blank);
    text.records = reading.records;
    if !text.parts.is_empty() {
        // What is between two records is written with them.
        text.among = text.others_between;
    } else if is_all && text.among > 0 && end - first <= LONGEST * 4 {
        text.lines = Among::of(surveyed, &surveyed.head[first..end]);
        let kept: usize = text.lines.iter().map(|(_, line)| line.len()).sum();
        if kept > LONGEST {
            text.lines.clear();
        }
    }
    let is_delimited = text.delimiter.is_some();
    let cell = |(column, name): (&ColumnReading, &String)| {
        let form = ColumnWriter::new(column, &mut Styles::new(), false).form(name, column.rule.kind());
        // At fixed places the layout puts blanks around values.
        CellForm { pad: form.pad.filter(|_| is_delimited), is_empty: column.stats.filled == 0, ..form }
    };
    Some(SourceForm { text, cells: columns.iter().zip(names).map(cell).collect() })
}
