//! `incola refresh`

use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::{Accept, Refresh};
use crate::flags::settings::list;
use crate::io::book_file::{check_changeable, not_changed, open_book, read_book, taking_along};
use crate::io::conflicts;
use crate::io::disk;
use crate::io::identity::Identity;
use crate::io::target::Target;
use crate::links::Standing;
use crate::links::reopen::{Reopened, chooser, copy_of};
use crate::links::{self, Kept};
use crate::output::{note, print_receipt, report as tell};
use crate::questions::{Asker, ask_conflicts, can_be_asked};
use crate::render;
use crate::render::command::quoted;
use crate::state;
use crate::wording;
use incola_core::words::counted;
use incola_engine::feed::{Feed, outside};
use incola_engine::link;
use incola_engine::place::in_words;
use incola_engine::refresh::report::{Outcome, RefreshNote, Report};
use incola_engine::refresh::{self, Before, Compared, Comparison, Located, Winner, Wishes};
use incola_workbook::{BookWriter, ExistingBook, Grown, Obstacle};
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
            Outcome::Conflicts => ExitCode::Protected,
            Outcome::ToDo => ExitCode::NeedsALook,
            _ if !report.damage.is_empty() => ExitCode::NeedsALook,
            _ => ExitCode::Done,
        };
        let reports = self.reports.iter().map(of_report);
        let failures = self.failures.iter().map(|(_, failure)| failure.status);
        reports.chain(failures).max().unwrap_or_default()
    }
}

/// How workbooks are refreshed, besides what is allowed.
#[derive(Clone, Copy, Default)]
pub(crate) struct How<'k> {
    /// Nothing is written.
    pub(crate) dry_run: bool,
    /// A signed workbook is changed all the same.
    pub(crate) even_signed: bool,
    /// The columns that make a record the same record from now on.
    pub(crate) key: Option<&'k [String]>,
    /// What ended with the rows elsewhere goes on with them.
    pub(crate) follow: bool,
}

/// Brings the linked tables of workbooks up to date.
pub(crate) fn run(options: &Refresh) -> Result<ExitCode> {
    let (books, names) = divided(&options.names)?;
    let (edits, decided) = match options.conflicts.as_deref() {
        None => (None, None),
        Some("sheet") => (Some(Winner::Sheet), None),
        Some("source") => (Some(Winner::Source), None),
        Some(file) => (None, Some(conflicts::read(Path::new(file))?)),
    };
    if let Some(path) = &options.conflicts_to {
        conflicts::check(path)?;
    }
    let is_asked = can_be_asked()
        && !(options.no_questions || options.dry_run || options.json || options.quiet)
        && options.conflicts.is_none()
        && options.conflicts_to.is_none();
    let wishes = Wishes {
        edits,
        decisions: decided.as_ref().map(|(decisions, _)| decisions),
        accepts_columns: options.accept.contains(&Accept::Columns),
        accepts_shorter: options.accept.contains(&Accept::Shorter),
        accepts_damage: options.accept.contains(&Accept::Damage),
        even_protected: options.even_protected,
        follows: options.follow,
        tells_all: options.all || options.json,
        tells_conflicts: options.conflicts_to.is_some() || decided.is_some() || is_asked,
        is_trial: options.dry_run,
    };
    let key = list("key", options.key.as_deref())?;
    let how = How {
        dry_run: options.dry_run,
        even_signed: options.even_signed,
        key: key.as_deref(),
        follow: options.follow,
    };
    let mut outcomes = Vec::new();
    let mut code = ExitCode::Done;
    for book in &books {
        let mut refreshed = refresh_book(book, &names, wishes, how);
        if let Ok(outcome) = &mut refreshed
            && is_asked
        {
            decide_on_terminal(book, outcome, wishes, how)?;
        }
        match refreshed {
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
    let reports = || outcomes.iter().flat_map(|outcome| &outcome.reports);
    if let Some((_, count)) = &decided {
        let used: u64 = reports().map(|report| report.sheet_wins + report.source_wins).sum();
        let left = (*count as u64).saturating_sub(used);
        if left > 0 {
            let left = counted(left, "decision is about a conflict", "decisions are about conflicts");
            note(&format!(
                "{left} that there is not: the sheet or the source changed since, or it was obeyed before"
            ));
        }
    }
    let written = match &options.conflicts_to {
        Some(path) => conflicts::write(path, reports())?,
        None => 0,
    };
    if options.json {
        let all: Vec<_> = outcomes.iter().map(render::refresh::json).collect();
        print_receipt(&render::json_text(&all))?;
    } else {
        let shown = outcomes.iter().filter(|o| !options.quiet || o.status() != ExitCode::Done);
        let pages: Vec<String> = shown.map(|o| render::refresh::page(o, options.all)).collect();
        if !pages.is_empty() {
            print_receipt(&pages.join("\n"))?;
        }
    }
    for outcome in &outcomes {
        for (_, failure) in &outcome.failures {
            tell(failure);
        }
        if let Some(failure) = undecided(outcome, options.conflicts_to.as_deref().filter(|_| written > 0)) {
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

/// Asks who wins each conflict, and brings the tables in if all of one were decided.
fn decide_on_terminal(
    book: &Path,
    outcome: &mut BookOutcome,
    wishes: Wishes<'_>,
    how: How<'_>,
) -> Result<()> {
    if outcome.reports.iter().all(|report| report.undecided == 0) {
        return Ok(());
    }
    let (mut input, mut output) = (std::io::stdin().lock(), anstream::stderr().lock());
    let mut asker = Asker { input: &mut input, output: &mut output };
    let decisions = ask_conflicts(&outcome.reports, &mut asker)?;
    if decisions.is_empty() {
        return Ok(());
    }
    let open = |report: &Report| report.undecided > 0;
    let names: Vec<String> = outcome.reports.iter().filter(|r| open(r)).map(|r| r.link.clone()).collect();
    let again = refresh_book(book, &names, Wishes { decisions: Some(&decisions), ..wishes }, how)?;
    outcome.reports.retain(|report| !open(report));
    outcome.reports.extend(again.reports);
    outcome.failures.extend(again.failures);
    outcome.bytes = again.bytes.or(outcome.bytes);
    Ok(())
}

/// What is said where someone must say who wins. `table`: where the conflicts were written to.
fn undecided(outcome: &BookOutcome, table: Option<&Path>) -> Option<Failure> {
    let open: Vec<&Report> = outcome.reports.iter().filter(|r| r.outcome == Outcome::Conflicts).collect();
    let count: u64 = open.iter().map(|r| r.undecided).sum();
    if count == 0 {
        return None;
    }
    let names: Vec<&str> = open.iter().map(|r| r.link.as_str()).collect();
    let quoted_names: Vec<String> = names.iter().map(|name| quoted(name)).collect();
    let refresh = format!("incola refresh {} {}", quoted(&outcome.book), quoted_names.join(" "));
    let failure = Failure::protected(format!(
        "{}: {} in {}: changed by hand and by the source",
        outcome.book,
        counted(count, "conflict", "conflicts"),
        names.join(", ")
    ))
    .leaving(if open.len() == 1 {
        "that table was not changed"
    } else {
        "those tables were not changed"
    });
    Some(match table {
        Some(path) => {
            let path = path.display().to_string();
            failure
                .help(format!(
                    "{path} lists them: write sheet or source into its column \u{201c}take\u{201d}, then"
                ))
                .help(format!("{refresh} --conflicts {}", quoted(&path)))
        }
        None => failure
            .help(format!("to let the sheet win: {refresh} --conflicts sheet"))
            .help(format!("to let the source win: {refresh} --conflicts source"))
            .help(format!("to decide each in a table: {refresh} --conflicts-to conflicts.csv")),
    })
}

/// The links of a workbook that are meant.
pub(super) fn chosen(path: &Path, links: Vec<Kept>, names: &[String]) -> Result<Vec<Kept>> {
    for name in names {
        if !links.iter().any(|kept| kept.link().is_called(name)) {
            let known: Vec<&str> = links.iter().map(|kept| kept.link().name.as_str()).collect();
            let failure = Failure::usage(format!("{}: it has no link {}", path.display(), quoted(name)))
                .leaving("nothing was written");
            return Err(if known.is_empty() {
                failure.help("import makes links; this workbook has none")
            } else {
                failure.help(format!("there are: {}", known.join(", ")))
            });
        }
    }
    let is_meant = |kept: &Kept| names.is_empty() || names.iter().any(|name| kept.link().is_called(name));
    Ok(links.into_iter().filter(is_meant).collect())
}

/// Brings the tables of a workbook up to date, those of these links, or all of them.
pub(crate) fn refresh_book(
    path: &Path,
    names: &[String],
    wishes: Wishes<'_>,
    how: How<'_>,
) -> Result<BookOutcome> {
    let mut book = read_book(path)?;
    let (all, lost) = links::find(path, &mut book)?;
    drop(book);
    let How { dry_run, .. } = how;
    let mut outcome =
        BookOutcome { book: path.display().to_string(), dry_run, lost: lost.len(), ..BookOutcome::default() };
    let mut left = Vec::new();
    for kept in chosen(path, all, names)? {
        // Another key is a reason to look, though the source be the same.
        match look(&kept, path).map(|report| report.filter(|_| how.key.is_none())) {
            Ok(None) => left.push(kept),
            Ok(Some(report)) => outcome.reports.push(report),
            Err(failure) => outcome.failures.push((kept.link().name.clone(), failure)),
        }
    }
    if left.is_empty() {
        return Ok(outcome);
    }
    // Nobody else changes it from here on.
    let _lock = if dry_run { None } else { Some(state::lock_and_clear(path)?) };
    while !left.is_empty() {
        left = round(path, left, wishes, how, &mut outcome)?;
    }
    Ok(outcome)
}

/// What is known of a link without reading its source; `None`: it is to be read.
fn look(kept: &Kept, path: &Path) -> Result<Option<Report>> {
    let link = &kept.link();
    match links::standing(kept, path)? {
        Standing::Current => Ok(Some(unchanged(kept))),
        Standing::Changed | Standing::Unasked => Ok(None),
        Standing::Missing(name) => Err(Failure::unreadable(format!("{name}: no such file or folder"))
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
            ))),
        Standing::Untrusted => Err(super::link::untrusted(kept, path)),
    }
}

/// The report on a link whose source is as it was.
fn unchanged(kept: &Kept) -> Report {
    let link = &kept.link();
    Report {
        link: link.name.clone(),
        sheet: link.table.sheet.clone(),
        table: link.table.table.clone(),
        sources: link.source.at.clone(),
        outcome: Outcome::Unchanged,
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
    wishes: Wishes<'_>,
    how: How<'_>,
    outcome: &mut BookOutcome,
) -> Result<Vec<Kept>> {
    let How { dry_run, even_signed, key, follow } = how;
    let (mut book, stood) = open_book(path)?;
    if !dry_run {
        check_changeable(path, book.obstacle().filter(|o| *o != Obstacle::Protected), even_signed)?;
    }
    // As they stand now: the round before has written the workbook, and someone else may have.
    let ids: Vec<String> = links.into_iter().map(|kept| kept.stored.link.id).collect();
    let (links, _) = links::find(path, &mut book)?;
    let links = links.into_iter().filter(|kept| ids.contains(&kept.link().id));
    let mut taken: HashSet<usize> = HashSet::new();
    let mut later = Vec::new();
    let mut ready: Vec<Ready> = Vec::new();
    let mut rekeyed: Vec<Kept> = Vec::new();
    for mut kept in links {
        let name = kept.link().name.clone();
        if let Some(key) = key {
            match key_of(&kept, key) {
                Ok(columns) => kept.stored.link.table.key = columns,
                Err(failure) => {
                    outcome.failures.push((name, failure));
                    continue;
                }
            }
            kept.stored.link.table.key_is_given = true;
        }
        let located = match refresh::locate(&mut book, kept.link()) {
            Ok(located) => located,
            Err(stop) => {
                outcome.failures.push((name, wording::stop::in_table(stop, path)));
                continue;
            }
        };
        if taken.contains(&located.sheet) {
            later.push(kept);
            continue;
        }
        match compared(&mut book, path, kept, located, wishes) {
            Ok(Found::ToDo(ready)) if dry_run || ready.compared.is_undecided() => {
                outcome.reports.push(ready.compared.report.clone());
            }
            Ok(Found::ToDo(found)) => {
                taken.insert(found.compared.sheet());
                ready.push(*found);
            }
            Ok(Found::Nothing(kept, report)) => {
                outcome.reports.push(*report);
                rekeyed.extend(kept.map(|kept| *kept).filter(|_| key.is_some() && !dry_run));
            }
            Err(failure) if failure.status == ExitCode::Interrupted => return Err(failure),
            Err(failure) => outcome.failures.push((name, failure)),
        }
    }
    if !ready.is_empty() || !rekeyed.is_empty() {
        bring_in(path, (book, stood), (ready, rekeyed), follow, outcome)?;
    }
    Ok(later)
}

/// The columns of a link that are called so, in the source or in the sheet.
fn key_of(kept: &Kept, key: &[String]) -> Result<Vec<String>> {
    let link = kept.link();
    let own = || link.columns.iter().filter_map(|c| Some((c.name.clone()?, &c.heading)));
    let is_called = |name: &str, wanted: &str| name.to_lowercase() == wanted.to_lowercase();
    let find = |wanted: &String| {
        let found = own().find(|(name, heading)| is_called(name, wanted) || is_called(heading, wanted));
        found.map(|(name, _)| name).ok_or_else(|| {
            let columns: Vec<String> = own().map(|(name, _)| name).collect();
            Failure::usage(format!(
                "--key {}: link \u{201c}{}\u{201d} has no such column",
                quoted(wanted),
                link.name
            ))
            .leaving("the table was not changed")
            .help(format!("its columns are: {}", columns.join(", ")))
        })
    };
    key.iter().map(find).collect()
}

/// A link that was compared, with its sources, still open.
struct Ready {
    kept: Kept,
    reopened: Reopened,
    compared: Compared,
    /// Records of each source.
    records: Vec<u64>,
}

/// What comparing came to.
enum Found {
    /// With the link, if it was compared.
    Nothing(Option<Box<Kept>>, Box<Report>),
    ToDo(Box<Ready>),
}

/// Writes what was compared, and puts the workbook in its place.
fn bring_in(
    path: &Path,
    (mut book, stood): (ExistingBook, Identity),
    (ready, rekeyed): (Vec<Ready>, Vec<Kept>),
    follow: bool,
    outcome: &mut BookOutcome,
) -> Result<()> {
    // What has another key and nothing to bring in.
    let mut links = Vec::new();
    for kept in rekeyed {
        let located =
            refresh::locate(&mut book, kept.link()).map_err(|stop| wording::stop::in_table(stop, path))?;
        let rows = kept.rows(&mut book)?;
        links.push((kept, rows, located.range));
    }
    let mut writer = BookWriter::over(book, Target::over(path, stood)?).map_err(|e| not_changed(path, &e))?;
    for (kept, rows, range) in &links {
        link::write(&mut writer, kept.link(), rows, *range, Some(&kept.stored))?;
    }
    let (mut done, mut written) = (Vec::new(), Vec::new());
    let mut styles = incola_workbook::Styles::new();
    for Ready { kept, reopened, compared, records } in ready {
        reopened.check_still()?;
        let mut report = compared.report.clone();
        let mut stamps = Vec::new();
        let parts = || {
            let (parts, own): (Vec<_>, Vec<_>) =
                reopened.parts(&records).map_err(outside)?.into_iter().unzip();
            stamps = own;
            Ok(parts)
        };
        let applied = refresh::apply(&mut writer, &compared, parts, &state::now())
            .map_err(|stop| wording::stop::in_table(stop, path))?;
        styles.clone_from(&applied.styles);
        report.outcome = Outcome::Refreshed;
        (report.cells_written, report.cells_exact) = applied.cells;
        done.push((kept, reopened, applied, stamps));
        written.push((compared, report));
    }
    let mut target = writer.finish(&styles, "", &state::now()).map_err(|e| wording::stop::not_written(&e))?;
    crate::interrupt::check()?;
    if follow {
        target = with_what_ended(target, &mut written)?;
    }
    let mut finished = target.read_again()?;
    for ((compared, mut report), (_, _, applied, _)) in written.into_iter().zip(&done) {
        report.rows_checked = refresh::check(&mut finished, applied, &compared)
            .map_err(|stop| wording::stop::in_table(stop, path))?;
        outcome.reports.push(report);
    }
    crate::interrupt::check()?;
    target.commit()?;
    for (kept, rows, _) in &links {
        kept.mirror.keep_link(kept.link(), rows);
    }
    for (kept, reopened, applied, stamps) in &done {
        reopened.remember((&applied.link, &applied.imported), stamps, &kept.mirror, path);
    }
    outcome.bytes = disk::metadata(path).map(|about| about.len()).ok();
    Ok(())
}

/// The finished workbook with what ended with the rows elsewhere taken along; the reports say what that was.
fn with_what_ended(target: Target, written: &mut [(Compared, Report)]) -> Result<Target> {
    let grown: Vec<Grown> = written.iter().flat_map(|(compared, _)| compared.grown()).collect();
    if grown.is_empty() {
        return Ok(target);
    }
    let (target, found) = taking_along(target, &grown)?;
    for (_, report) in written {
        report.notes.retain(|note| !matches!(note, RefreshNote::RangesFollow(_)));
        let places = in_words(&found, &report.sheet);
        if !places.is_empty() && grown.iter().any(|grown| grown.sheet == report.sheet) {
            report.notes.push(RefreshNote::RangesFollow(places));
        }
    }
    Ok(target)
}

/// Reads the source of a link and compares; a source that says nothing new gives a report alone.
fn compared(
    book: &mut ExistingBook,
    path: &Path,
    kept: Kept,
    located: Located,
    wishes: Wishes<'_>,
) -> Result<Found> {
    let Some(reopened) = Reopened::open(&kept, path)? else {
        let report = Box::new(unchanged(&kept));
        return Ok(Found::Nothing(Some(Box::new(kept)), report));
    };
    let now = reopened.read(&kept, path, book.is_1904(), wishes)?;
    let records: Vec<u64> = now.surveyed.iter().map(|s| s.reading.records).collect();
    let before = Before {
        rows: kept.rows(book)?,
        copy: &|| copy_of(&kept).map(|source| Box::new(source) as Box<dyn Feed>),
        choose: &chooser(kept.link()),
    };
    let comparison = refresh::compare(book, (&kept.stored, located), now, wishes, before);
    match comparison.map_err(|stop| wording::stop::in_table(stop, path))? {
        Comparison::Same(report) => {
            if !wishes.is_trial {
                links::standing::note_same(&kept, &reopened.parts(&records)?);
            }
            Ok(Found::Nothing(Some(Box::new(kept)), report))
        }
        Comparison::ToDo(compared) => {
            Ok(Found::ToDo(Box::new(Ready { kept, reopened, compared: *compared, records })))
        }
    }
}
