//! `incola watch`

use super::refresh::{BookOutcome, How, refresh_book};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Watch;
use crate::interrupt;
use crate::io::disk;
use crate::io::source::is_address;
use crate::io::target::folder_of;
use crate::links;
use crate::output::print;
use crate::render::sanitize::line;
use incola_engine::refresh::Wishes;
use incola_engine::refresh::report::Outcome;
use notify::{RecursiveMode, Watcher};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{self, Receiver, RecvTimeoutError};
use std::time::{Duration, Instant};

/// How long nothing more must change before a change is brought in.
const QUIET: Duration = Duration::from_millis(700);

/// How often interruptions are looked for.
const TICK: Duration = Duration::from_millis(100);

/// How long it is waited before a workbook that is open elsewhere is tried again.
const AGAIN: Duration = Duration::from_secs(5);

/// Refreshes again and again: after some time, when a file changes, or both.
pub(crate) fn run(options: &Watch) -> Result<ExitCode> {
    let every = options.every.as_deref().map(duration).transpose()?;
    let path = &options.book;
    // What cannot work is told at once.
    let mut book = crate::io::book_file::read_book(path)?;
    let (all, _) = links::find(path, &mut book)?;
    drop(book);
    let chosen = super::refresh::chosen(path, all, &options.links)?;
    if chosen.is_empty() {
        return Err(Failure::usage(format!("{}: it has no links to watch", path.display()))
            .help("import makes links; incola link list shows them"));
    }
    let is_on_web = chosen.iter().any(|kept| kept.link().source.at.iter().any(|at| is_address(at)));
    if is_on_web && every.is_none() {
        return Err(Failure::usage(format!(
            "{}: it has links to the web, which tell no changes",
            path.display()
        ))
        .help("say how often they are asked for: --every 15m"));
    }
    let mut folders = BTreeSet::new();
    for kept in &chosen {
        for at in kept.link().source.at.iter().filter(|at| !is_address(at)) {
            let name = links::origin::here(at, path);
            let place = PathBuf::from(&name);
            folders.insert(if disk::is_folder(&place) { place } else { folder_of(&place).to_owned() });
        }
    }
    let (sender, changes) = mpsc::channel();
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
        if let Ok(event) = event {
            let is_change = event.kind.is_modify() || event.kind.is_create() || event.kind.is_remove();
            if is_change {
                // Nobody listens any more when the program ends.
                let _ = sender.send(event.paths);
            }
        }
    })
    .map_err(|e| Failure::unreadable(format!("changes of files cannot be seen here: {e}")))?;
    for folder in folders.iter().filter(|folder| disk::is_folder(folder)) {
        watcher.watch(folder, RecursiveMode::NonRecursive).map_err(|e| {
            Failure::unreadable(format!("{}: changes in it cannot be seen: {e}", folder.display()))
        })?;
    }
    let how = match every {
        Some(every) => format!("every {}, and when a file changes", spelled(every)),
        None => "when a file changes".to_owned(),
    };
    let names: Vec<String> = chosen.iter().map(|kept| line(&kept.link().name)).collect();
    say(&format!("watching {} of {}, {how}", names.join(", "), line(&path.display().to_string())))?;
    let mut watching = Watching { options, told: BTreeMap::new(), code: ExitCode::Done };
    let mut rounds = 0;
    let mut wait = Some(Duration::ZERO);
    loop {
        if !pause(&changes, wait, path)? {
            say("stopped")?;
            return Ok(watching.code.min(ExitCode::Protected));
        }
        let is_held_up = watching.round()?;
        rounds += 1;
        if options.times.is_some_and(|times| rounds >= times) {
            return Ok(watching.code);
        }
        wait = match (every, is_held_up) {
            (Some(every), true) => Some(every.min(AGAIN)),
            (None, true) => Some(AGAIN),
            (every, false) => every,
        };
    }
}

/// Waits until the time is over or files have changed and are quiet again; `false`: it was interrupted. `wait`: `None` waits for
/// changes alone.
fn pause(changes: &Receiver<Vec<PathBuf>>, wait: Option<Duration>, book: &Path) -> Result<bool> {
    let until = wait.map(|wait| Instant::now() + wait);
    let mut changed: Option<Instant> = None;
    loop {
        if interrupt::check().is_err() {
            return Ok(false);
        }
        if until.is_some_and(|until| Instant::now() >= until)
            || changed.is_some_and(|at| at.elapsed() >= QUIET)
        {
            return Ok(true);
        }
        let left = until.map_or(TICK, |until| until.saturating_duration_since(Instant::now()).min(TICK));
        match changes.recv_timeout(left) {
            Ok(paths) if paths.iter().any(|path| is_source(path, book)) => changed = Some(Instant::now()),
            Ok(_) | Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => std::thread::sleep(left),
        }
    }
}

/// Whether a file that changed may be a source: not a workbook, and not what this program writes.
fn is_source(path: &Path, book: &Path) -> bool {
    let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let ending = path.extension().map(|ending| ending.to_string_lossy().to_lowercase());
    !name.starts_with(".incola-")
        && !matches!(ending.as_deref(), Some("xlsx" | "xlsm"))
        && Some(path.as_os_str()) != Some(book.as_os_str())
}

/// What is watched, and what was said of it last.
struct Watching<'w> {
    options: &'w Watch,
    /// By link: the trouble that was told, so that it is told once.
    told: BTreeMap<String, String>,
    code: ExitCode,
}

impl Watching<'_> {
    /// Refreshes once; says whether something held it up that may pass.
    fn round(&mut self) -> Result<bool> {
        let options = self.options;
        match refresh_book(&options.book, &options.links, Wishes::default(), How::default()) {
            Ok(outcome) => {
                let trouble = outcome.status();
                self.tell_outcome(&outcome)?;
                if options.times.is_some() {
                    self.code = self.code.max(trouble);
                }
                self.told.remove("");
                Ok(false)
            }
            Err(failure) if failure.status == ExitCode::Interrupted => Ok(false),
            Err(failure) => {
                if options.times.is_some() {
                    self.code = self.code.max(failure.status);
                }
                let held_up = failure.what.clone();
                self.trouble("", &format!("{held_up}; it is tried again"))?;
                Ok(true)
            }
        }
    }

    fn tell_outcome(&mut self, outcome: &BookOutcome) -> Result<()> {
        for report in &outcome.reports {
            let name = line(&report.link);
            match report.outcome {
                Outcome::Refreshed => {
                    self.told.remove(&report.link);
                    say(&format!(
                        "{name}: {} added, {} gone, {} revised; {} rows",
                        report.added, report.gone, report.revised, report.rows_after
                    ))?;
                }
                Outcome::Conflicts => {
                    let text = format!(
                        "{}: changed by hand and by the source; incola refresh shows it",
                        report.conflicts
                    );
                    self.trouble(&report.link, &format!("conflicts {text}"))?;
                }
                _ => {
                    if self.told.remove(&report.link).is_some() {
                        say(&format!("{name}: all is well again"))?;
                    }
                }
            }
        }
        for (link, failure) in &outcome.failures {
            self.trouble(link, failure.what.lines().next().unwrap_or_default())?;
        }
        Ok(())
    }

    /// Tells a trouble, unless it was told last.
    fn trouble(&mut self, link: &str, text: &str) -> Result<()> {
        if self.told.get(link).map(String::as_str) == Some(text) {
            return Ok(());
        }
        self.told.insert(link.to_owned(), text.to_owned());
        let name = if link.is_empty() { String::new() } else { format!("{}: ", line(link)) };
        say(&format!("{name}{}", line(text)))
    }
}

/// A line with the time.
fn say(text: &str) -> Result<()> {
    let now = jiff::Timestamp::now().to_zoned(jiff::tz::TimeZone::system());
    print(&format!("{}  {text}\n", now.strftime("%Y-%m-%d %H:%M:%S")))
}

/// A time such as `90s`, `15m`, `2h`.
fn duration(text: &str) -> Result<Duration> {
    let wrong = || {
        Failure::usage(format!("--every {text}: it is a number followed by s, m or h")).help("--every 15m")
    };
    let at = text.find(|c: char| !c.is_ascii_digit()).ok_or_else(wrong)?;
    let number: u64 = text[..at].parse().map_err(|_| wrong())?;
    let seconds = match &text[at..] {
        "s" => Some(number),
        "m" => number.checked_mul(60),
        "h" => number.checked_mul(3600),
        _ => None,
    };
    let seconds = seconds.filter(|s| (1..=366 * 86_400).contains(s)).ok_or_else(wrong)?;
    Ok(Duration::from_secs(seconds))
}

fn spelled(every: Duration) -> String {
    match every.as_secs() {
        s if s % 3600 == 0 => format!("{} h", s / 3600),
        s if s % 60 == 0 => format!("{} min", s / 60),
        s => format!("{s} s"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_numbers_with_a_unit() {
        for (text, seconds) in [
            ("90s", Some(90)),
            ("15m", Some(900)),
            ("2h", Some(7200)),
            ("0s", None),
            ("15", None),
            ("m", None),
            ("1d", None),
            ("99999999999999999999h", None),
        ] {
            assert_eq!(duration(text).ok().map(|d| d.as_secs()), seconds, "{text}");
        }
        assert_eq!([90, 900, 7200].map(|s| spelled(Duration::from_secs(s))), ["90 s", "15 min", "2 h"]);
    }

    #[test]
    fn workbooks_are_no_sources() {
        let book = Path::new("march.xlsx");
        for (name, expected) in
            [("calls.csv", true), ("march.xlsx", false), (".incola-1.tmp", false), ("~$march.xlsx", false)]
        {
            assert_eq!(is_source(Path::new(name), book), expected, "{name}");
        }
    }
}
