//! What a refresh found and did.

use super::links::local;
use super::sanitize::line;
use super::style;
use super::text::{counted, cut, grouped, left, terminal_columns, width, wrap};
use crate::commands::refresh::BookOutcome;
use crate::wording;
use incola_engine::refresh::Winner;
use incola_engine::refresh::report::{CellChange, Change, Outcome, Report, What};
use serde::Serialize;

/// A workbook's refresh.
#[derive(Serialize)]
pub(crate) struct OutcomeJson<'o> {
    book: &'o str,
    bytes: Option<u64>,
    dry_run: bool,
    status: u8,
    links: Vec<ReportJson<'o>>,
    failures: Vec<FailureJson<'o>>,
}

#[derive(Serialize)]
struct FailureJson<'o> {
    link: &'o str,
    status: u8,
    what: &'o str,
}

/// A report, with its notes in words.
#[derive(Serialize)]
struct ReportJson<'o> {
    #[serde(flatten)]
    report: &'o Report,
    notes: Vec<String>,
}

impl<'o> ReportJson<'o> {
    fn of(report: &'o Report) -> Self {
        Self { report, notes: report.notes.iter().map(wording::links::note).collect() }
    }
}

pub(crate) fn json(outcome: &BookOutcome) -> OutcomeJson<'_> {
    OutcomeJson {
        book: &outcome.book,
        bytes: outcome.bytes,
        dry_run: outcome.dry_run,
        status: outcome.status() as u8,
        links: outcome.reports.iter().map(ReportJson::of).collect(),
        failures: outcome
            .failures
            .iter()
            .map(|(link, failure)| FailureJson { link, status: failure.status as u8, what: &failure.what })
            .collect(),
    }
}

/// The page of a workbook.
pub(crate) fn page(outcome: &BookOutcome, tells_all: bool) -> String {
    let what = match outcome.bytes {
        Some(bytes) => format!("updated, {}", counted(bytes, "byte", "bytes")),
        None if outcome.reports.iter().any(|r| r.outcome == Outcome::ToDo) => {
            "would be changed (dry run)".to_owned()
        }
        None => "not changed".to_owned(),
    };
    let mut out = format!("{}   {what}\n", style::strong(&line(&outcome.book)));
    if outcome.reports.is_empty() && outcome.failures.is_empty() {
        out.push_str("  it has no links; import makes them\n");
    }
    let (quiet, loud): (Vec<&Report>, Vec<&Report>) =
        outcome.reports.iter().partition(|r| matches!(r.outcome, Outcome::Unchanged | Outcome::Same));
    for report in loud {
        out.push('\n');
        out.push_str(&link_page(report, tells_all));
    }
    if !quiet.is_empty() {
        out.push('\n');
    }
    let name = quiet.iter().map(|r| width(&line(&r.link))).max().unwrap_or(0);
    for report in quiet {
        let why = match report.outcome {
            Outcome::Same => "file rewritten, same records",
            _ => "unchanged",
        };
        let edits = if report.kept_edits > 0 {
            format!("; {} with what was typed in", counted(report.kept_edits, "row", "rows"))
        } else {
            String::new()
        };
        out.push_str(&format!(
            "  {}  {why} since {}, {}{edits}\n",
            left(&line(&report.link), name),
            local(&report.before),
            counted(report.rows_before, "row", "rows")
        ));
        for note in &report.notes {
            out.push_str(&format!("  {} {}\n", style::faint("note "), line(&wording::links::note(note))));
        }
    }
    if outcome.lost > 0 {
        out.push_str(&format!(
            "\n  {} {}: see incola link list\n",
            style::alert("look "),
            counted(
                outcome.lost as u64,
                "link has lost all but its name",
                "links have lost all but their names"
            )
        ));
    }
    out
}

fn link_page(report: &Report, tells_all: bool) -> String {
    let columns = terminal_columns();
    let mut rows: Vec<(String, String)> = Vec::new();
    let mut say = |label: &str, text: String| rows.push((label.to_owned(), text));
    let table = report.table.as_ref().map_or_else(|| "a plain range".to_owned(), |t| format!("table {t}"));
    say("link", format!("{}, {table} in sheet {}", line(&report.link), line(&report.sheet)));
    say("source", format!("{}; before: {}", line(&report.sources.join(", ")), local(&report.before)));
    for (label, list) in [("new file", &report.files_added), ("file gone", &report.files_gone)] {
        for file in list {
            say(label, line(file));
        }
    }
    let count = |n: u64, what: &str| (n > 0).then(|| format!("{} {what}", grouped(n)));
    let parts: Vec<String> = [
        count(report.added, "added"),
        count(report.gone, "gone"),
        count(report.revised, "revised"),
        count(report.conflicts, if report.conflicts == 1 { "conflict" } else { "conflicts" }),
        count(report.same, "the same"),
        count(report.moved, "elsewhere in the source"),
    ]
    .into_iter()
    .flatten()
    .collect();
    let totals = if report.rows_before == report.rows_after {
        grouped(report.rows_before)
    } else {
        format!("{} \u{2192} {}", grouped(report.rows_before), grouped(report.rows_after))
    };
    say("rows", format!("{totals}: {}", parts.join(", ")));
    if let Some(winner) = report.winner.filter(|_| report.conflicts > 0) {
        say("conflicts", format!("the {} wins", side(winner)));
    } else if report.sheet_wins + report.source_wins > 0 {
        let open = match report.undecided {
            0 => String::new(),
            open => format!("; {} undecided", grouped(open)),
        };
        let (sheet, source) = (grouped(report.sheet_wins), grouped(report.source_wins));
        say("conflicts", format!("decided one by one: the sheet wins {sheet}, the source {source}{open}"));
    }
    let by = if report.key.is_empty() { "what they hold".to_owned() } else { line(&report.key.join(", ")) };
    say("matched by", by);
    let hand: Vec<String> = [
        (report.kept_edits, "row keeps what was typed into it", "rows keep what was typed into them"),
        (report.own, "row added by hand stays", "rows added by hand stay"),
        (report.removed_by_hand, "record taken out by hand stays out", "records taken out by hand stay out"),
    ]
    .into_iter()
    .filter(|(n, ..)| *n > 0)
    .map(|(n, one, many)| counted(n, one, many))
    .collect();
    if !hand.is_empty() {
        say("by hand", hand.join(", "));
    }
    for renamed in &report.columns_renamed {
        say("column", format!("{} is called {} in the source now", line(&renamed.from), line(&renamed.to)));
    }
    for (list, what) in [
        (&report.columns_added, "new, added after the others"),
        (&report.columns_gone, "gone from the source; its values stay"),
        (&report.columns_left_out, "new in the source; left out, --accept columns takes it in"),
    ] {
        for name in list {
            say("column", format!("{}: {what}", line(name)));
        }
    }
    for sum in &report.sums {
        let amount =
            |text: &Option<String>| text.as_ref().map_or_else(|| "none".to_owned(), |t| sum.marks.spell(t));
        let sums = format!("{} \u{2192} {}", amount(&sum.before), amount(&sum.after));
        say("sum", format!("{} in the source: {sums}", line(&sum.column)));
    }
    let span = |days: &Option<(String, String)>| match days {
        Some((from, to)) => format!("{from} to {to}"),
        None => "none".to_owned(),
    };
    for days in &report.days {
        say("days", format!("{}: {} \u{2192} {}", line(&days.column), span(&days.before), span(&days.after)));
    }
    if report.outcome == Outcome::Refreshed && report.cells_written > 0 {
        let (cells, exact) = (grouped(report.cells_written), grouped(report.cells_exact));
        let kept = if cells == exact && report.cells_written == 1 {
            "the cell that was written".to_owned()
        } else if cells == exact {
            format!("all {cells} cells that were written")
        } else {
            format!("{exact} of {cells} cells")
        };
        say("kept exactly", kept);
    }
    if report.rows_checked > 0 {
        let rows = counted(
            report.rows_checked,
            "row that says what its record says",
            "rows that say what their records say",
        );
        say("checked", format!("{rows}, read again from the finished workbook"));
    }
    let label = rows.iter().map(|(l, _)| width(l)).max().unwrap_or(0);
    let mut out = String::new();
    for (name, value) in rows {
        let parts = wrap(&value, columns.saturating_sub(label + 4).max(24));
        for (n, part) in parts.iter().enumerate() {
            let name = if n == 0 { name.as_str() } else { "" };
            out.push_str(&format!("  {}  {part}\n", style::faint(&left(name, label))));
        }
    }
    for damage in &report.damage {
        out.push_str(&format!("  {} {}\n", style::alert("look "), line(damage)));
    }
    for note in &report.notes {
        out.push_str(&format!("  {} {}\n", style::faint("note "), line(&wording::links::note(note))));
    }
    out.push_str(&changes(report, columns, tells_all));
    out
}

fn side(winner: Winner) -> &'static str {
    match winner {
        Winner::Source => "source",
        Winner::Sheet => "sheet",
    }
}

/// Conflicts that are shown, if not all.
const FEW_CONFLICTS: usize = 12;

/// The changes, one by one.
fn changes(report: &Report, columns: usize, tells_all: bool) -> String {
    if report.changes.is_empty() {
        return String::new();
    }
    let mut out = String::from("\n");
    let word = |what: What| match what {
        What::Conflict => "conflict",
        What::Revised => "revised",
        What::Added => "added",
        What::Gone => "gone",
        What::Kept => "by hand",
    };
    let places: Vec<String> = report.changes.iter().map(|c| format!("row {}", c.row)).collect();
    let place = places.iter().map(|p| width(p)).max().unwrap_or(0);
    let label = report.changes.iter().map(|c| width(&line(&c.label))).max().unwrap_or(0).min(columns / 3);
    let mut conflicts = 0;
    for (change, at) in report.changes.iter().zip(&places) {
        conflicts += usize::from(change.what == What::Conflict);
        if change.what == What::Conflict && conflicts > FEW_CONFLICTS && !tells_all {
            continue;
        }
        let mut head = left(word(change.what), 8);
        if change.what == What::Conflict {
            head = head.replacen("conflict", &style::alert("conflict"), 1);
        }
        let own = cut(&line(&change.label), label);
        let start = format!("  {head}  {}  {}", style::faint(&left(at, place)), left(&own, label));
        let details = details(change, report.winner.is_none());
        if details.is_empty() {
            out.push_str(&format!("{}\n", start.trim_end()));
        }
        let indent = 2 + 8 + 2 + place + 2 + label + 2;
        let room = columns.saturating_sub(indent).max(32);
        for (n, text) in details.iter().flat_map(|detail| wrapped(detail, room)).enumerate() {
            if n == 0 {
                out.push_str(&format!("{start}  {text}\n"));
            } else {
                out.push_str(&format!("{}{text}\n", " ".repeat(indent)));
            }
        }
    }
    let told = |what: What| {
        let all = report.changes.iter().filter(|c| c.what == what);
        match what {
            What::Conflict => all.take(FEW_CONFLICTS).map(|change| change.cells.len().max(1) as u64).sum(),
            _ => all.count() as u64,
        }
    };
    let more: Vec<String> = [
        (What::Conflict, report.conflicts, "in conflict"),
        (What::Revised, report.revised, "revised"),
        (What::Added, report.added, "added"),
        (What::Gone, report.gone, "gone"),
        (What::Kept, report.kept_edits, "by hand"),
    ]
    .into_iter()
    .filter_map(|(what, all, word)| {
        let left = all.saturating_sub(told(what));
        (left > 0).then(|| format!("{} more {word}", grouped(left)))
    })
    .collect();
    if !more.is_empty() && !tells_all {
        out.push_str(&format!(
            "  {}\n",
            style::faint(&format!("{}; all of them with --all", more.join(", ")))
        ));
    }
    out
}

/// A detail in lines, those behind the first one moved in.
fn wrapped(detail: &str, columns: usize) -> Vec<String> {
    let lines = wrap(detail, columns.saturating_sub(2)).into_iter().enumerate();
    lines.map(|(n, line)| if n == 0 { line } else { format!("  {line}") }).collect()
}

/// The cells of a change, a line each. `tells_winner`: whether it is said of each conflict who wins.
fn details(change: &Change, tells_winner: bool) -> Vec<String> {
    let text = |t: &str| if t.is_empty() { "(empty)".to_owned() } else { line(t) };
    let source = |cell: &CellChange| cell.source.as_deref().map_or_else(|| "(gone)".to_owned(), text);
    if let Some(why) = &change.why {
        return vec![line(why)];
    }
    change
        .cells
        .iter()
        .map(|cell| {
            let name = line(&cell.column);
            match change.what {
                What::Conflict => {
                    let imported = cell
                        .imported
                        .as_ref()
                        .map_or_else(String::new, |t| format!(", imported {}", text(t)));
                    let winner = cell.conflict.and_then(|conflict| conflict.winner).filter(|_| tells_winner);
                    let wins =
                        winner.map_or_else(String::new, |winner| format!("; the {} wins", side(winner)));
                    format!("{name}: sheet {}, source {}{imported}{wins}", text(&cell.sheet), source(cell))
                }
                What::Kept => format!("{name}: {} stays; the source has {}", text(&cell.sheet), source(cell)),
                _ => format!("{name}: {} \u{2192} {}", text(&cell.sheet), source(cell)),
            }
        })
        .collect()
}
