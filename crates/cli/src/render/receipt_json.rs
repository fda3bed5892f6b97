//! A receipt as JSON: keys are added, never renamed.

use super::reading_json::{CarriedJson, NoticeJson, PrintedTotalsJson, SetAsideJson};
use crate::receipt::{Receipt, SheetReceipt};
use crate::wording;
use incola_engine::import::CellNote;
use serde::Serialize;

/// What was done.
#[derive(Serialize)]
pub(crate) struct ReceiptJson {
    book: String,
    bytes: Option<u64>,
    dry_run: bool,
    status: u8,
    sheets: Vec<SheetJson>,
}

#[derive(Serialize)]
struct SheetJson {
    sheet: String,
    table: Option<String>,
    /// The cells that were filled, in a sheet that was there already.
    placed: Option<String>,
    /// Rows that stood there and went.
    replaced: Option<u64>,
    /// What went with the rows: formulas beside, totals.
    along: Vec<String>,
    /// Headings and columns whose names are alike, not the same.
    matched: Vec<MatchedJson>,
    /// The docket that was obeyed.
    docket: Option<String>,
    /// If the table is linked to its source: the columns of the key.
    link: Option<Vec<String>>,
    /// If it is linked: whether `export` can write the text again as it was.
    comes_back: Option<bool>,
    sources: Vec<SourceJson>,
    rows: u64,
    cells: u64,
    kept_exactly: u64,
    /// Cells of columns that are made of others, besides.
    computed: u64,
    /// What was read again from the finished workbook, and agrees; `null`: nothing was written.
    checked: Option<CheckedJson>,
    not_kept: u64,
    not_kept_cells: Vec<CellJson>,
    misfits: u64,
    misfit_cells: Vec<CellJson>,
    columns: Vec<ColumnJson>,
    notices: Vec<NoticeJson>,
}

#[derive(Serialize)]
struct CheckedJson {
    /// Rows that hold something.
    rows: u64,
    /// Cells that hold something.
    cells: u64,
    /// Columns whose sums were compared.
    sums: usize,
}

#[derive(Serialize)]
struct MatchedJson {
    heading: String,
    column: String,
}

#[derive(Serialize)]
struct SourceJson {
    source: String,
    bytes: u64,
    records: u64,
    set_aside: Vec<SetAsideJson>,
    carried: Vec<CarriedJson>,
    printed_totals: Option<PrintedTotalsJson>,
}

#[derive(Serialize)]
struct CellJson {
    line: u64,
    row: u32,
    column: usize,
    text: String,
    why: &'static str,
}

#[derive(Serialize)]
struct ColumnJson {
    number: usize,
    name: String,
    kind: &'static str,
    format: Option<String>,
    cells: u64,
    blank: u64,
    /// Those of them with a spelling that was said to mean empty.
    spelled_empty: u64,
    misfits: u64,
    sum: Option<String>,
}

/// A receipt in JSON's form.
pub(crate) fn receipt(receipt: &Receipt) -> ReceiptJson {
    ReceiptJson {
        book: receipt.book.clone(),
        bytes: receipt.bytes,
        dry_run: receipt.dry_run,
        status: receipt.status() as u8,
        sheets: receipt.sheets.iter().map(sheet).collect(),
    }
}

fn sheet(sheet: &SheetReceipt) -> SheetJson {
    SheetJson {
        sheet: sheet.sheet.clone(),
        table: sheet.table.clone(),
        placed: sheet.placed.clone(),
        replaced: sheet.replaced,
        along: sheet.along.clone(),
        matched: sheet
            .matched
            .iter()
            .map(|(heading, column)| MatchedJson { heading: heading.clone(), column: column.clone() })
            .collect(),
        docket: sheet.docket.clone(),
        link: sheet.link.clone(),
        comes_back: sheet.comes_back,
        sources: sheet
            .sources
            .iter()
            .map(|s| SourceJson {
                source: s.name.clone(),
                bytes: s.bytes,
                records: s.records,
                set_aside: s.set_aside.iter().map(SetAsideJson::new).collect(),
                carried: s.carried.iter().map(|(name, cells)| CarriedJson::new(name, *cells)).collect(),
                printed_totals: s.printed.as_ref().map(PrintedTotalsJson::new),
            })
            .collect(),
        rows: sheet.written.rows,
        cells: sheet.written.cells,
        kept_exactly: sheet.written.exact,
        computed: sheet.written.made,
        checked: sheet.checked.map(|c| CheckedJson { rows: c.rows, cells: c.cells, sums: c.sums }),
        not_kept: sheet.written.lost,
        not_kept_cells: sheet.written.lost_cells.iter().map(cell).collect(),
        misfits: sheet.written.misfits,
        misfit_cells: sheet.written.misfit_cells.iter().map(cell).collect(),
        columns: sheet
            .columns
            .iter()
            .map(|c| ColumnJson {
                number: c.number,
                name: c.name.clone(),
                kind: c.kind.word(),
                format: c.format.clone(),
                cells: c.cells,
                blank: c.blank,
                spelled_empty: c.spelled_empty,
                misfits: c.misfits,
                sum: c.sum.clone(),
            })
            .collect(),
        notices: sheet.notices.iter().map(NoticeJson::new).collect(),
    }
}

fn cell(cell: &CellNote) -> CellJson {
    CellJson {
        line: cell.line,
        row: cell.row,
        column: cell.column,
        text: cell.text.clone(),
        why: wording::cells::note(cell.why),
    }
}
