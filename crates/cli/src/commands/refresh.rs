//! `incola refresh`

use crate::book_file::{check_changeable, not_changed, open_book, read_book};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Accept, Edits, Refresh};
use crate::links::{self, Kept};
use crate::output::{print_receipt, report as tell};
use crate::refresh::report::Report;
use crate::refresh::{self, Compared, Located, Standing, Winner, Wishes};
use crate::render;
use crate::render::command::quoted;
use crate::safety;
use crate::target::Target;
use incola_workbook::{BookWriter, Obstacle};
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// What became of a workbook.
#[derive(Default)]
pub(crate) struct BookOutcome {
    pub(crate) book: String,
    /// Its size in bytes, if it was written.
    pub(crate) bytes: Option<u64>,
    pub(crate) dry_run: bool,
    pub(crate) reports: Vec<Report>,
    /// Links that failed, and why.
    pub(crate) failures: Vec<(String, Failure)>,
    /// Links of which only the name is left.
    pub(crate) lost: usize,
}

impl BookOutcome {
    /// The status that the outcome deserves.
    pub(crate) fn status(&self) -> ExitCode {
        let of_report = |report: &Report| match report.outcome {
            "conflicts" => ExitCode::Protected,
            "to-do" => ExitCode::NeedsALook,
            _ if !report.damage.is_empty() => ExitCode::NeedsALook,
            _ => ExitCode::Done,
        };
        let reports = self.reports.iter().map(of_report);
        let failures = self.failures.iter().map(|(_, failure)| failure.status);
        reports.chain(failures).max().unwrap_or_default()
    }
}

/// Brings the linked tables of workbooks up to date.
pub(crate) fn run(options: &Refresh) -> Result<ExitCode> {
    let (books, names) = divided(&options.names)?;
    let wishes = Wishes {
        edits: options.edits.map(|edits| match edits {
            Edits::Source => Winner::Source,
            Edits::Sheet => Winner::Sheet,
        }),
        accepts_columns: options.accept.contains(&Accept::Columns),
        accepts_shorter: options.accept.contains(&Accept::Shorter),
        accepts_damage: options.accept.contains(&Accept::Damage),
        tells_all: options.all || options.json,
        is_trial: options.dry_run,
    };
    let mut outcomes = Vec::new();
    let mut code = ExitCode::Done;
    for book in &books {
        match refresh_book(book, &names, wishes, (options.dry_run, options.even_signed)) {
            Ok(outcome) => {
                code = code.max(outcome.status());
                outcomes.push(outcome);
            }
            Err(failure) if books.len() == 1 || failure.status == ExitCode::Interrupted => {
                return Err(failure);
            }
            Err(failure) => {
                tell(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if options.json {
        let all: Vec<_> = outcomes.iter().map(render::refresh::json).collect();
        print_receipt(&render::json_text(&all))?;
    } else {
        let pages: Vec<String> = outcomes.iter().map(|o| render::refresh::page(o, options.all)).collect();
        print_receipt(&pages.join("\n"))?;
    }
    for outcome in &outcomes {
        for (_, failure) in &outcome.failures {
            tell(failure);
        }
        if let Some(failure) = undecided(outcome) {
            tell(&failure);
        }
    }
    Ok(code)
}

/// Workbooks and names of links among what was typed.
fn divided(words: &[String]) -> Result<(Vec<PathBuf>, Vec<String>)> {
    let is_book = |word: &String| {
        let ending = Path::new(word).extension().map(|e| e.to_string_lossy().to_lowercase());
        matches!(ending.as_deref(), Some("xlsx" | "xlsm"))
    };
    let (books, names): (Vec<String>, Vec<String>) = words.iter().cloned().partition(is_book);
    if books.is_empty() {
        return Err(Failure::usage(format!(
            "{}: say which workbook: its name ends in .xlsx",
            words.join(" ")
        )));
    }
    Ok((books.into_iter().map(PathBuf::from).collect(), names))
}

/// What is said where someone must say who wins.
fn undecided(outcome: &BookOutcome) -> Option<Failure> {
    let open: Vec<&Report> = outcome.reports.iter().filter(|r| r.outcome == "conflicts").collect();
    let count: u64 = open.iter().map(|r| r.conflicts).sum();
    if count == 0 {
        return None;
    }
    let names: Vec<&str> = open.iter().map(|r| r.link.as_str()).collect();
    let refresh = format!("incola refresh {} {}", quoted(&outcome.book), names.join(" "));
    let counted = incola_core::words::counted(count, "conflict", "conflicts");
    Some(
        Failure::protected(format!(
            "{}: {counted} in {}: changed by hand and by the source",
            outcome.book,
            names.join(", ")
        ))
        .leaving(if open.len() == 1 {
            "that table was left as it is"
        } else {
            "those tables were left as they are"
        })
        .help(format!("to let the sheet win: {refresh} --edits sheet"))
        .help(format!("to let the source win: {refresh} --edits source")),
    )
}

/// The links of a workbook that are meant.
pub(super) fn chosen(path: &Path, links: Vec<Kept>, names: &[String]) -> Result<Vec<Kept>> {
    for name in names {
        if !links.iter().any(|kept| kept.link.is_called(name)) {
            let known: Vec<&str> = links.iter().map(|kept| kept.link.name.as_str()).collect();
            let failure = Failure::usage(format!("{}: it has no link {}", path.display(), quoted(name)))
                .leaving("nothing was written");
            return Err(if known.is_empty() {
                failure.help("import makes links; this workbook has none")
            } else {
                failure.help(format!("there are: {}", known.join(", ")))
            });
        }
    }
    let is_meant = |kept: &Kept| names.is_empty() || names.iter().any(|name| kept.link.is_called(name));
    Ok(links.into_iter().filter(is_meant).collect())
}

/// Brings the tables of a workbook up to date, those of these links, or all of them.
pub(crate) fn refresh_book(
    path: &Path,
    names: &[String],
    wishes: Wishes,
    (dry_run, even_signed): (bool, bool),
) -> Result<BookOutcome> {
    let mut book = read_book(path)?;
    let (all, lost) = links::find(path, &mut book)?;
    drop(book);
    let mut outcome =
        BookOutcome { book: path.display().to_string(), dry_run, lost: lost.len(), ..BookOutcome::default() };
    let mut left = Vec::new();
    for kept in chosen(path, all, names)? {
        match look(&kept, path) {
            Ok(None) => left.push(kept),
            Ok(Some(report)) => outcome.reports.push(report),
            Err(failure) => outcome.failures.push((kept.link.name.clone(), failure)),
        }
    }
    if left.is_empty() {
        return Ok(outcome);
    }
    // Nobody else changes it from here on.
    let _lock = if dry_run { None } else { Some(safety::lock_and_clear(path)?) };
    while !left.is_empty() {
        left = round(path, left, wishes, (dry_run, even_signed), &mut outcome)?;
    }
    Ok(outcome)
}

/// What is known of a link without reading its source; `None`: it is to be read.
fn look(kept: &Kept, path: &Path) -> Result<Option<Report>> {
    let link = &kept.link;
    match refresh::standing(kept, path, true)? {
        Standing::Current => Ok(Some(unchanged(kept))),
        Standing::Changed | Standing::Unasked => Ok(None),
        Standing::Missing(name) => {
            Err(Failure::unreadable(format!("{name}: there is no such file or folder"))
                .leaving(format!(
                    "table {} keeps its {} rows, which are of {}",
                    link.name,
                    link.table.rows,
                    render::links::local(&link.refreshed)
                ))
                .help(format!(
                    "if it is somewhere else now: incola link repoint {} {} FILE",
                    quoted(&path.display().to_string()),
                    quoted(&link.name)
                )))
        }
        Standing::Untrusted => Err(super::link::untrusted(kept, path)),
    }
}

/// The report on a link whose source is as it was.
fn unchanged(kept: &Kept) -> Report {
    let link = &kept.link;
    Report {
        link: link.name.clone(),
        sheet: link.table.sheet.clone(),
        table: link.table.table.clone(),
        sources: link.source.at.clone(),
        outcome: "unchanged",
        before: link.refreshed.clone(),
        rows_before: link.table.rows,
        rows_after: link.table.rows,
        same: link.table.rows,
        ..Report::default()
    }
}

/// Compares links and brings in what changed, one link for each sheet; gives those that are left.
fn round(
    path: &Path,
    links: Vec<Kept>,
    wishes: Wishes,
    (dry_run, even_signed): (bool, bool),
    outcome: &mut BookOutcome,
) -> Result<Vec<Kept>> {
    let (mut book, stood) = open_book(path)?;
    if !dry_run {
        check_changeable(path, book.obstacle().filter(|o| *o != Obstacle::Protected), even_signed)?;
    }
    // As they stand now: the round before has written the workbook, and someone else may have.
    let ids: Vec<String> = links.into_iter().map(|kept| kept.link.id).collect();
    let (links, _) = links::find(path, &mut book)?;
    let links = links.into_iter().filter(|kept| ids.contains(&kept.link.id));
    let mut taken: HashSet<usize> = HashSet::new();
    let mut later = Vec::new();
    let mut ready: Vec<Compared> = Vec::new();
    for kept in links {
        let name = kept.link.name.clone();
        let found = refresh::locate(&mut book, &kept, path);
        let located = match found {
            Ok(located) => located,
            Err(failure) => {
                outcome.failures.push((name, failure));
                continue;
            }
        };
        if taken.contains(&located.sheet) {
            later.push(kept);
            continue;
        }
        match compared(&mut book, path, (&kept, located), wishes) {
            Ok(Ok(compared)) if dry_run || compared.is_undecided() => {
                let mut report = compared.report;
                if report.outcome.is_empty() {
                    report.outcome = "to-do";
                }
                outcome.reports.push(report);
            }
            Ok(Ok(compared)) => {
                taken.insert(compared.sheet());
                ready.push(compared);
            }
            Ok(Err(report)) => outcome.reports.push(report),
            Err(failure) if failure.status == ExitCode::Interrupted => return Err(failure),
            Err(failure) => outcome.failures.push((name, failure)),
        }
    }
    if ready.is_empty() {
        return Ok(later);
    }
    let mut writer = BookWriter::over(book, Target::over(path, stood)?).map_err(|e| not_changed(path, &e))?;
    let mut done = Vec::new();
    let mut styles = incola_workbook::Styles::new();
    for compared in ready {
        let mut report = compared.report.clone();
        let (applied, own) = refresh::apply(&mut writer, compared)?;
        styles = own;
        report.outcome = "refreshed";
        report.cells_written = applied.cells.0;
        report.cells_exact = applied.cells.1;
        outcome.reports.push(report);
        done.push(applied);
    }
    let target =
        writer.finish(&styles, "", &safety::now()).map_err(|e| crate::passes::write::not_written(&e))?;
    crate::interrupt::check()?;
    target.commit()?;
    for applied in &done {
        applied.remember(path);
    }
    outcome.bytes = std::fs::metadata(path).map(|about| about.len()).ok();
    Ok(later)
}

/// Reads the source of a link and compares; a source that says nothing new gives a report alone.
fn compared(
    book: &mut incola_workbook::ExistingBook,
    path: &Path,
    (kept, located): (&Kept, Located),
    wishes: Wishes,
) -> Result<std::result::Result<Compared, Report>> {
    let Some(reread) = refresh::reread(kept, path, book.is_1904(), wishes)? else {
        return Ok(Err(unchanged(kept)));
    };
    refresh::compare(book, (kept, located), reread, wishes)
}
