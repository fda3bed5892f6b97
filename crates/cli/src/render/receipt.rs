//! A receipt as a page.

use super::sanitize::line;
use super::style;
use super::text::{counted, cut, grouped, left, right, terminal_columns, width, wrap};
use crate::receipt::{ColumnReceipt, Receipt, SheetReceipt, SourceReceipt};
use crate::wording;
use incola_core::kind::Kind;
use incola_core::notice::Notice;
use incola_engine::import::CellNote;

/// Cells that are told one by one on the page.
const TOLD: usize = 5;

/// Columns from which on only those are shown that have sums, empty cells or misfits, and not more than so many.
const MANY_COLUMNS: usize = 24;

/// Sources from which on a line for each stands at the end.
const MANY: usize = 3;

/// Sources from which on only those that need a look have a page.
const TOO_MANY: usize = 8;

/// The pages of receipts, and a line for each source at the end if there are many.
pub(crate) fn pages(receipts: &[Receipt]) -> String {
    let count: usize = receipts.iter().map(|r| r.sheets.len()).sum();
    let is_told = |sheet: &SheetReceipt| count < TOO_MANY || sheet.needs_a_look();
    let pages: Vec<String> = receipts.iter().map(|receipt| page(receipt, &is_told)).collect();
    let mut out = pages.join("\n");
    let sheets: Vec<(&Receipt, &SheetReceipt)> =
        receipts.iter().flat_map(|r| r.sheets.iter().map(move |s| (r, s))).collect();
    if sheets.len() < MANY {
        return out;
    }
    let rows: Vec<[String; 5]> = sheets
        .iter()
        .map(|(receipt, sheet)| {
            // The folder stands in the command.
            let file = |name: &str| name.rsplit(['/', '\\']).next().unwrap_or(name).to_owned();
            let names: Vec<String> = sheet.sources.iter().map(|s| line(&file(&s.name))).collect();
            let look = if sheet.needs_a_look() { style::alert("look") } else { String::new() };
            let place = if receipts.len() > 1 {
                format!("{} {}", line(&receipt.book), line(&sheet.sheet))
            } else {
                line(&sheet.sheet)
            };
            let docket = sheet.docket.as_deref().map_or_else(String::new, |d| line(&file(d)));
            [names.join(", "), place, grouped(sheet.written.rows), docket, look]
        })
        .collect();
    let heads = ["source", "went into", "rows", "docket", ""];
    let mut widths = heads.map(width);
    for row in &rows {
        for (w, text) in widths.iter_mut().zip(row) {
            *w = (*w).max(width(text)).min(44);
        }
    }
    if sheets.iter().all(|(_, sheet)| sheet.docket.is_none()) {
        widths[3] = 0;
    }
    let draw = |row: &[String; 5]| {
        let [source, place, count, docket, look] = row;
        let text = [
            left(&cut(source, widths[0]), widths[0]),
            left(&cut(place, widths[1]), widths[1]),
            right(count, widths[2]),
            if widths[3] > 0 { left(&cut(docket, widths[3]), widths[3]) } else { String::new() },
            look.clone(),
        ];
        format!("  {}\n", text.join("  ").trim_end())
    };
    out.push_str(&format!("\n{}", style::faint(&draw(&heads.map(str::to_owned)))));
    for row in &rows {
        out.push_str(&draw(row));
    }
    if count >= TOO_MANY {
        let (cells, exact) = sheets
            .iter()
            .fold((0, 0), |(cells, exact), (_, s)| (cells + s.written.cells, exact + s.written.exact));
        let kept = match receipts.iter().any(|r| r.dry_run) {
            true => "not yet proved".to_owned(),
            false if cells == exact => format!("all {} cells are kept exactly", grouped(cells)),
            false => format!("{} of {} cells are kept exactly", grouped(exact), grouped(cells)),
        };
        let looks = sheets.iter().filter(|(_, s)| s.needs_a_look()).count();
        let looks = match looks {
            0 => "nothing needs a look".to_owned(),
            n => {
                format!(
                    "{} above",
                    counted(n as u64, "sheet needs a look, shown", "sheets need a look, shown")
                )
            }
        };
        out.push_str(&format!("\n  {kept}; {looks}; everything else with --json\n"));
    }
    // Files of one sort are more useful under each other.
    let names = |s: &SheetReceipt| s.columns.iter().map(|c| c.name.to_lowercase()).collect::<Vec<_>>();
    if sheets.windows(2).all(|pair| names(pair[0].1) == names(pair[1].1)) {
        out.push_str("\n  All have the same columns: --together puts them into one table, with a column for the source.\n");
    }
    out
}

/// The page of a receipt.
fn page(receipt: &Receipt, is_told: &dyn Fn(&SheetReceipt) -> bool) -> String {
    let mut out = String::new();
    let columns = terminal_columns();
    let what = match (receipt.dry_run, receipt.existed) {
        (true, false) => "would be written (dry run)",
        (true, true) => "would be changed (dry run)",
        (false, false) => "written",
        (false, true) => "changed",
    };
    let size = receipt.bytes.map_or_else(String::new, |b| format!(", {}", counted(b, "byte", "bytes")));
    out.push_str(&format!("{}   {what}{size}\n", style::strong(&line(&receipt.book))));
    for sheet in receipt.sheets.iter().filter(|sheet| is_told(sheet)) {
        out.push('\n');
        out.push_str(&sheet_page(sheet, columns, receipt.dry_run));
    }
    out
}

/// Characters of a line of a list.
const LIST: usize = 72;

/// A list in lines that a page has room for, cut behind its commas.
fn in_lines(list: &str) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for item in list.split_inclusive(", ") {
        match lines.last_mut().filter(|last| last.chars().count() + item.chars().count() <= LIST) {
            Some(last) => last.push_str(item),
            None => lines.push(item.to_owned()),
        }
    }
    lines
}

/// Sources of one sheet that are told one by one.
const SOURCES: usize = 24;

fn of_source(name: &str, bytes: u64, records: u64) -> String {
    format!("{name}, {}, {}", counted(bytes, "byte", "bytes"), counted(records, "record", "records"))
}

/// Many sources in one line.
fn all_sources(sources: &[SourceReceipt]) -> String {
    let names = match sources {
        [first, .., last] => {
            format!("{}, from {} to {}", grouped(sources.len() as u64), line(&first.name), line(&last.name))
        }
        _ => String::new(),
    };
    of_source(&names, sources.iter().map(|s| s.bytes).sum(), sources.iter().map(|s| s.records).sum())
}

fn sheet_page(sheet: &SheetReceipt, columns: usize, dry_run: bool) -> String {
    let mut rows: Vec<(&str, String)> = Vec::new();
    let table = sheet.table.as_ref().map_or_else(|| ", a plain range".to_owned(), |t| format!(", table {t}"));
    rows.push(("sheet", format!("{}{table}", line(&sheet.sheet))));
    let are_many = sheet.sources.len() > SOURCES;
    if are_many {
        rows.push(("sources", all_sources(&sheet.sources)));
    }
    let has_news =
        |s: &&SourceReceipt| !s.set_aside.is_empty() || !s.carried.is_empty() || s.printed.is_some();
    let told = sheet.sources.iter().filter(|source| !are_many || has_news(source));
    for source in told.clone().take(SOURCES) {
        rows.push(("source", of_source(&line(&source.name), source.bytes, source.records)));
        for (lines, why) in wording::aside::lines(&source.set_aside) {
            rows.push(("set aside", format!("{lines}: {why}")));
        }
        for (name, cells) in &source.carried {
            rows.push(("carried", wording::aside::carried(&line(name), *cells)));
        }
        if let Some(printed) = &source.printed {
            let proofs = wording::aside::proofs(printed);
            rows.extend(proofs.map(|(label, count, what)| (label, format!("{count}: {what}"))));
        }
    }
    let untold = told.skip(SOURCES).count() as u64;
    if untold > 0 {
        let what = counted(untold, "source more has", "sources more have");
        rows.push((
            "",
            format!("{what} lines set aside, values carried down or totals: --json tells of each"),
        ));
    }
    if let Some(docket) = &sheet.docket {
        rows.push(("docket", line(docket)));
    }
    let written = &sheet.written;
    let placed = sheet.placed.as_ref().map_or_else(String::new, |range| format!(", in {range}"));
    let instead = sheet.replaced.filter(|n| *n > 0);
    let instead = instead.map_or_else(String::new, |n| format!(", in place of {}", grouped(n)));
    rows.push(("rows", format!("{}{placed}{instead}", grouped(written.rows))));
    for what in &sheet.along {
        let lines = in_lines(what).into_iter().zip(std::iter::once("with them").chain(std::iter::repeat("")));
        rows.extend(lines.map(|(text, label)| (label, line(&text))));
    }
    for (heading, column) in sheet.matched.iter().take(6) {
        rows.push(("matched", format!("{} \u{2190} {}", line(heading), line(column))));
    }
    if dry_run {
        rows.push(("cells", format!("{}, not yet proved", grouped(written.cells))));
    } else if written.cells == 0 && written.made > 0 {
        // Nothing stands in the sheet as the file has it.
    } else if written.exact == written.cells && written.lost == 0 {
        rows.push((
            "kept exactly",
            format!(
                "all {} cells: read back from the sheet and identical to the file",
                grouped(written.cells)
            ),
        ));
    } else {
        rows.push((
            "kept exactly",
            format!("{} of {} cells", grouped(written.exact), grouped(written.cells)),
        ));
    }
    if written.made > 0 {
        let what = format!("{} cells more, made of others as stated", grouped(written.made));
        rows.push(("computed", what));
    }
    if let Some(checked) = sheet.checked.filter(|checked| checked.cells > 0) {
        let mut what = vec![
            counted(checked.rows, "row", "rows"),
            counted(checked.cells, "cell", "cells"),
            counted(checked.sums as u64, "sum", "sums"),
        ];
        what.truncate(if checked.sums > 0 { 3 } else { 2 });
        let last = what.pop().unwrap_or_default();
        let list = format!("{} and {last}", what.join(", "));
        rows.push(("checked", format!("{list}, read again from the finished workbook")));
    }
    let spelled: Vec<&ColumnReceipt> = sheet.columns.iter().filter(|c| c.spelled_empty > 0).collect();
    if !spelled.is_empty() {
        let list: Vec<String> =
            spelled.iter().map(|c| format!("{} {}", line(&c.name), grouped(c.spelled_empty))).collect();
        rows.push(("left empty", format!("values that mean empty, as stated: {}", list.join(", "))));
    }
    if let Some(key) = &sheet.link {
        let key = if key.is_empty() { "what they hold".to_owned() } else { line(&key.join(", ")) };
        rows.push(("linked", format!("rows are matched by {key}; update with incola refresh")));
    }
    if sheet.comes_back == Some(false) {
        rows.push((
            "way back",
            "export cannot write this text as it was, only its rows: --to delimited".to_owned(),
        ));
    }
    let label = rows.iter().map(|(l, _)| width(l)).max().unwrap_or(0);
    let mut out = String::new();
    for (name, value) in rows {
        out.push_str(&format!(
            "  {}  {}\n",
            style::faint(&left(name, label)),
            cut(&value, columns.saturating_sub(label + 4))
        ));
    }
    cells(&mut out, "not kept", &written.lost_cells, written.lost, sheet);
    let mut told: Vec<usize> = Vec::new();
    for (n, column) in sheet.columns.iter().enumerate().filter(|(_, c)| c.misfits > 0) {
        let own = written.misfit_cells.iter().filter(|cell| cell.column == n + 1);
        let own: Vec<&CellNote> = own.collect();
        let misfits = wording::misfits::of_column((&column.name, column.kind), &own, column.misfits);
        out.push_str(&format!("  {}  {}\n", style::alert("misfits"), misfits.text));
        if misfits.is_few_spellings {
            told.push(n + 1);
        }
    }
    let left: Vec<CellNote> =
        written.misfit_cells.iter().filter(|cell| !told.contains(&cell.column)).cloned().collect();
    let count = |column: &usize| sheet.columns.get(column - 1).map_or(0, |c| c.misfits);
    let total = written.misfits - told.iter().map(count).sum::<u64>().min(written.misfits);
    cells(&mut out, "misfit ", &left, total, sheet);
    out.push('\n');
    out.push_str(&column_table(sheet, columns));
    if !sheet.notices.is_empty() {
        out.push('\n');
        for notice in &sheet.notices {
            out.push_str(&notice_lines(notice, columns));
        }
    }
    out
}

fn cells(out: &mut String, label: &str, list: &[CellNote], total: u64, sheet: &SheetReceipt) {
    for cell in list.iter().take(TOLD) {
        let name = sheet.columns.get(cell.column - 1).map_or("", |c| c.name.as_str());
        out.push_str(&format!(
            "  {}  line {}, row {}, {}: \u{201c}{}\u{201d} {}\n",
            style::alert(label),
            cell.line,
            cell.row,
            line(name),
            line(&cell.text),
            wording::cells::note(cell.why)
        ));
    }
    if total > TOLD as u64 {
        let more = counted(total - TOLD.min(list.len()) as u64, "cell", "cells");
        out.push_str(&format!("  {}  {more} more, listed with --json\n", style::alert(label)));
    }
}

/// Filled and blank cells and the sum of each column that was written.
fn column_table(sheet: &SheetReceipt, columns: usize) -> String {
    let mut list: Vec<_> = sheet.columns.iter().filter(|c| c.kind != Kind::Skip).collect();
    let count = list.len();
    if count > MANY_COLUMNS {
        list.retain(|c| c.sum.is_some() || c.blank > 0 || c.misfits > 0);
        list.truncate(MANY_COLUMNS);
    }
    let heads = ["column", "kind", "cells", "empty", "sum"];
    let rows: Vec<[String; 5]> = list
        .iter()
        .map(|c| {
            [
                line(&c.name),
                c.format
                    .as_ref()
                    .map_or_else(|| c.kind.word().to_owned(), |f| format!("{} {f}", c.kind.word())),
                grouped(c.cells),
                grouped(c.blank),
                c.sum.as_ref().map(|s| c.marks.spell(s)).unwrap_or_default(),
            ]
        })
        .collect();
    let mut widths = [0; 5];
    for row in rows.iter().chain([&heads.map(str::to_owned)]) {
        for (w, text) in widths.iter_mut().zip(row) {
            *w = (*w).max(width(text));
        }
    }
    widths[0] = widths[0].min(columns.saturating_sub(50).max(12));
    let draw = |row: &[String; 5]| {
        let cells: Vec<String> = row
            .iter()
            .zip(widths)
            .enumerate()
            .map(|(i, (text, w))| if i < 2 { left(&cut(text, w), w) } else { right(text, w) })
            .collect();
        cells.join("  ").trim_end().to_owned()
    };
    let mut out = format!("  {}\n", style::faint(&draw(&heads.map(str::to_owned))));
    for row in &rows {
        out.push_str(&format!("  {}\n", draw(row)));
    }
    if count > rows.len() {
        let more = counted((count - rows.len()) as u64, "column more", "columns more");
        out.push_str(&format!("  {}\n", style::faint(&format!("{more}, listed with --json"))));
    }
    out
}

/// A notice: a mark that says whether it needs a look, its place, and its words.
pub(crate) fn notice_lines(notice: &Notice, columns: usize) -> String {
    let mark = if notice.code.needs_a_look() { style::alert("look ") } else { style::faint("note ") };
    let place = notice.line.map_or_else(String::new, |l| format!("line {l}: "));
    let text = line(&format!("{place}{}", notice.message.replace('\n', " ")));
    let mut out = String::new();
    for (i, part) in wrap(&text, columns.saturating_sub(8).max(24)).iter().enumerate() {
        if i == 0 {
            out.push_str(&format!("  {mark} {part}\n"));
        } else {
            out.push_str(&format!("        {part}\n"));
        }
    }
    out
}
