//! The receipt: what an import did.

use crate::exit_code::ExitCode;
use crate::io::source::Source;
use incola_core::kind::statistics::Count;
use incola_core::kind::{Kind, Marks};
use incola_core::layout::SetAside;
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::ColumnReading;
use incola_engine::import::{Checked, Written};
use incola_engine::text::Surveyed;
use incola_engine::totals::PrintedTotals;

/// What was done with a workbook.
#[derive(Debug)]
pub(crate) struct Receipt {
    /// The workbook.
    pub(crate) book: String,
    /// Whether it was there already.
    pub(crate) existed: bool,
    /// Its size in bytes; `None`: nothing was written.
    pub(crate) bytes: Option<u64>,
    /// Whether nothing was to be written.
    pub(crate) dry_run: bool,
    /// Its sheets.
    pub(crate) sheets: Vec<SheetReceipt>,
}

/// What one source gave.
#[derive(Debug)]
pub(crate) struct SourceReceipt {
    pub(crate) name: String,
    pub(crate) bytes: u64,
    pub(crate) records: u64,
    pub(crate) set_aside: Vec<SetAside>,
    /// What became of the totals among its records.
    pub(crate) printed: Option<PrintedTotals>,
    /// Columns whose empty cells took the value above them, and those cells.
    pub(crate) carried: Vec<(String, Count)>,
}

/// What was written of a column.
#[derive(Debug)]
pub(crate) struct ColumnReceipt {
    pub(crate) number: usize,
    pub(crate) name: String,
    pub(crate) kind: Kind,
    pub(crate) format: Option<String>,
    pub(crate) cells: u64,
    pub(crate) blank: u64,
    /// Fields with a spelling that was said to mean empty.
    pub(crate) spelled_empty: u64,
    pub(crate) misfits: u64,
    /// The sum of a number column, with no rounding; `None` if it could not be kept exactly.
    pub(crate) sum: Option<String>,
    /// How the column spells numbers.
    pub(crate) marks: Marks,
}

/// What was done with a sheet.
#[derive(Debug)]
pub(crate) struct SheetReceipt {
    pub(crate) sheet: String,
    pub(crate) table: Option<String>,
    /// The cells that were filled, in a sheet that was there already.
    pub(crate) placed: Option<String>,
    /// Rows that stood there and went.
    pub(crate) replaced: Option<u64>,
    /// What went with the rows: formulas beside, totals.
    pub(crate) along: Vec<String>,
    /// Headings and columns whose names are alike, not the same.
    pub(crate) matched: Vec<(String, String)>,
    /// The docket that was obeyed.
    pub(crate) docket: Option<String>,
    /// What makes a record the same record, if the table is linked; nothing in it: all that records hold.
    pub(crate) link: Option<Vec<String>>,
    /// Whether `export` can write the text again as it was; `None`: there is no link.
    pub(crate) comes_back: Option<bool>,
    pub(crate) sources: Vec<SourceReceipt>,
    pub(crate) columns: Vec<ColumnReceipt>,
    pub(crate) notices: Vec<Notice>,
    pub(crate) written: Written,
    /// What was read again from the finished workbook, and agrees; `None`: nothing was written.
    pub(crate) checked: Option<Checked>,
}

impl SheetReceipt {
    pub(crate) fn new(
        sources: &[(&Source, &Surveyed)],
        columns: &[ColumnReading],
        sheet: String,
        table: Option<String>,
        written: Written,
    ) -> Self {
        let mut notices: Vec<Notice> = Vec::new();
        for (_, surveyed) in sources {
            // The number of misfits is known better now, and so is what became of blanks.
            notices
                .extend(surveyed.reading.notices.iter().filter(|n| n.code != NoticeCode::Misfits).cloned());
        }
        let columns = columns
            .iter()
            .zip(&written.columns)
            .map(|(column, tally)| ColumnReceipt {
                number: column.number,
                name: column.name.clone(),
                kind: column.rule.kind(),
                format: column.format(),
                cells: tally.cells,
                blank: tally.blank,
                spelled_empty: tally.spelled_empty,
                misfits: tally.misfits,
                sum: (column.rule.kind() == Kind::Number).then(|| tally.sum_text()).flatten(),
                marks: column.rule.marks(),
            })
            .collect();
        let sources = sources
            .iter()
            .map(|(source, surveyed)| SourceReceipt {
                name: source.name.clone(),
                bytes: surveyed.bytes,
                records: surveyed.records_in(),
                set_aside: surveyed.reading.set_aside.clone(),
                printed: surveyed.printed.clone(),
                carried: surveyed
                    .carried_down()
                    .iter()
                    .map(|c| (surveyed.reading.columns[c.column].name.clone(), c.cells))
                    .collect(),
            })
            .collect();
        Self {
            sheet,
            table,
            docket: None,
            link: None,
            comes_back: None,
            placed: None,
            replaced: None,
            along: Vec::new(),
            matched: Vec::new(),
            sources,
            columns,
            notices,
            written,
            checked: None,
        }
    }

    /// Whether someone should look.
    pub(crate) fn needs_a_look(&self) -> bool {
        self.written.misfits > 0
            || self.written.lost > 0
            || self.notices.iter().any(|n| n.code.needs_a_look())
    }
}

impl Receipt {
    /// The status that the outcome deserves.
    pub(crate) fn status(&self) -> ExitCode {
        if self.sheets.iter().any(SheetReceipt::needs_a_look) { ExitCode::NeedsALook } else { ExitCode::Done }
    }
}
