//! `incola link`

use crate::docket::{self, DocketFile, shape};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::kept::{LinkAction, LinkDocket, LinkList, LinkNames, LinkRepoint};
use crate::flags::read::Read;
use crate::io::book_file::{check_changeable, not_changed, open_book, read_book};
use crate::io::disk;
use crate::io::identity::Identity;
use crate::io::source::{Source, is_address};
use crate::io::target::Target;
use crate::links::origin::{self, is_elsewhere, reads};
use crate::links::reopen::Reopened;
use crate::links::{self, Kept, Mirror, Standing};
use crate::output::print;
use crate::render::command::quoted;
use crate::render::{self, links::Row};
use crate::state::{self, Lock};
use crate::wording;
use incola_core::settings::docket::Docket;
use incola_engine::link::{
    self, ANCHOR, Link, LinkedColumn, LinkedSource, LinkedTable, SourceKind, StoredLink, VERSION,
};
use incola_engine::refresh::{self, Wishes};
use incola_engine::text::survey;
use incola_workbook::{BookWriter, DefinedName, ExistingBook, Obstacle, Styles};
use std::path::Path;

/// Shows and changes links.
pub(crate) fn run(action: &LinkAction) -> Result<ExitCode> {
    match action {
        LinkAction::List(options) => list(options),
        LinkAction::Repoint(options) => repoint(options),
        LinkAction::Docket(options) => docket_of(options),
        LinkAction::Cut(options) => cut(options),
        LinkAction::Trust(options) => trust(options),
    }
}

/// What is said of a link that nobody here made or trusted.
pub(super) fn untrusted(kept: &Kept, path: &Path) -> Failure {
    let link = &kept.link();
    let elsewhere = if is_elsewhere(link, path) { ", which is not in the workbook's folder" } else { "" };
    let reads = reads(link, path);
    Failure::protected(format!(
        "{}: link \u{201c}{}\u{201d} was not made by you at this place, and is not followed\n  it would read {}{elsewhere}",
        path.display(),
        link.name,
        reads.trim_end().replace('\n', "\n    ")
    ))
    .leaving("nothing was read")
    .help(format!(
        "if that is right: incola link trust {} {}",
        quoted(&path.display().to_string()),
        quoted(&link.name)
    ))
}

fn list(options: &LinkList) -> Result<ExitCode> {
    let path = &options.book;
    let mut book = read_book(path)?;
    let (all, lost) = links::find(path, &mut book)?;
    let mut rows = Vec::new();
    for kept in &all {
        let link = &kept.link();
        let located = refresh::locate(&mut book, kept.link()).ok();
        let state = match links::standing(kept, path)? {
            _ if located.is_none() => "no table",
            Standing::Current => "current",
            Standing::Changed => "changed",
            Standing::Missing(_) => "missing",
            Standing::Untrusted => "untrusted",
            Standing::Unasked => "on the web",
        };
        rows.push(Row {
            link: link.name.clone(),
            id: link.id.clone(),
            sheet: located.as_ref().map_or(&link.table.sheet, |l| &l.sheet_name).clone(),
            table: located.as_ref().map_or(&link.table.table, |l| &l.table).clone(),
            range: located.as_ref().map(|l| l.range.to_string()),
            sources: link.source.at.clone(),
            in_full: if is_elsewhere(link, path) || state == "untrusted" {
                reads(link, path).lines().map(str::to_owned).collect()
            } else {
                Vec::new()
            },
            state,
            refreshed: link.refreshed.clone(),
            rows: link.table.rows,
            key: link.table.key.clone(),
            columns: link.columns.iter().map(|c| c.heading.clone()).collect(),
            appended: appended_to(path, link, located.as_ref()),
        });
    }
    if options.json {
        print(&render::json_text(&render::links::json(&path.display().to_string(), &rows, &lost)))?;
    } else {
        print(&render::links::page(&path.display().to_string(), &rows, &lost))?;
    }
    let needs_a_look = rows.iter().any(|r| matches!(r.state, "missing" | "no table")) || !lost.is_empty();
    Ok(if needs_a_look { ExitCode::NeedsALook } else { ExitCode::Done })
}

/// The files that were appended to the table of a link.
fn appended_to(path: &Path, link: &Link, located: Option<&refresh::Located>) -> Vec<String> {
    let sheet = located.map_or(&link.table.sheet, |l| &l.sheet_name);
    let table = located.map_or(&link.table.table, |l| &l.table);
    let files = state::appended::of_table(path, sheet, table.as_deref());
    files.into_iter().map(|file| file.source).collect()
}

/// A workbook to be changed, which nobody else changes from here on.
fn locked(path: &Path) -> Result<(ExistingBook, Held)> {
    let lock = state::lock_and_clear(path)?;
    let (book, stood) = open_book(path)?;
    Ok((book, Held { _lock: lock, stood }))
}

/// A workbook that is to be changed: nobody else changes it, and which file it was.
struct Held {
    _lock: Lock,
    stood: Identity,
}

/// Changes links in a workbook: `change` says what is written.
fn in_book(
    path: &Path,
    change: impl FnOnce(&mut BookWriter<Target>) -> Result<()>,
    (book, held): (ExistingBook, Held),
) -> Result<()> {
    check_changeable(path, book.obstacle().filter(|o| *o != Obstacle::Protected), false)?;
    let mut writer =
        BookWriter::over(book, Target::over(path, held.stood)?).map_err(|e| not_changed(path, &e))?;
    change(&mut writer)?;
    let target = writer
        .finish(&Styles::new(), "", &state::now())
        .map_err(|e| crate::wording::stop::not_written(&e))?;
    crate::interrupt::check()?;
    target.commit()
}

fn cut(options: &LinkNames) -> Result<ExitCode> {
    let path = &options.book;
    let (mut book, lock) = locked(path)?;
    let (all, lost) = links::find(path, &mut book)?;
    let (lost_names, names): (Vec<String>, Vec<String>) =
        options.links.iter().cloned().partition(|name| lost.contains(name));
    let chosen = if names.is_empty() && !options.all {
        Vec::new()
    } else {
        super::refresh::chosen(path, all, &names)?
    };
    let lost_ids: Vec<String> = if options.all { lost } else { lost_names };
    if chosen.is_empty() && lost_ids.is_empty() {
        print(&format!("{}: it has no links\n", path.display()))?;
        return Ok(ExitCode::Done);
    }
    in_book(
        path,
        |writer| {
            for kept in &chosen {
                link::remove(writer, &kept.link().id, Some(&kept.stored))?;
            }
            lost_ids.iter().try_for_each(|id| Ok(link::remove(writer, id, None)?))
        },
        (book, lock),
    )?;
    let mut out = String::new();
    for kept in &chosen {
        kept.mirror.forget();
        let link = &kept.link();
        out.push_str(&format!(
            "{}   cut from {}; its {} rows stay\n",
            render::style::strong(&render::sanitize::line(&link.name)),
            render::sanitize::line(&link.source.at.join(", ")),
            link.table.rows
        ));
    }
    for id in &lost_ids {
        out.push_str(&format!("{id}   cut; nothing else was known of it\n"));
    }
    print(&out)?;
    Ok(ExitCode::Done)
}

fn trust(options: &LinkNames) -> Result<ExitCode> {
    let path = &options.book;
    let mut book = read_book(path)?;
    let (all, _) = links::find(path, &mut book)?;
    let mut out = String::new();
    for kept in super::refresh::chosen(path, all, &options.links)? {
        let reads = reads(kept.link(), path);
        if !kept.mirror.trust(&reads) {
            return Err(Failure::unreadable(
                "trust cannot be remembered: the user's state folder cannot be written to",
            )
            .leaving("the link is not followed")
            .help("say which folder it is: XDG_STATE_HOME=FOLDER"));
        }
        out.push_str(&format!(
            "{}   trusted; it reads\n",
            render::style::strong(&render::sanitize::line(&kept.link().name))
        ));
        for line in reads.lines() {
            out.push_str(&format!("  {}\n", render::sanitize::line(line)));
        }
    }
    print(&out)?;
    Ok(ExitCode::Done)
}

fn repoint(options: &LinkRepoint) -> Result<ExitCode> {
    let path = &options.book;
    let (mut book, lock) = locked(path)?;
    let (all, lost) = links::find(path, &mut book)?;
    let source = source_of(&options.source, path);
    if lost.contains(&options.link) {
        return make_anew(options, (book, lock), source);
    }
    let kept = super::refresh::chosen(path, all, std::slice::from_ref(&options.link))?;
    let Some(kept) = kept.into_iter().next() else {
        return Err(Failure::usage(format!("{}: it has no link {}", path.display(), options.link)));
    };
    // What a workbook from elsewhere would tell the server is not told before it is trusted.
    let asks = Docket::read_kept(&kept.link().docket).is_ok_and(|docket| !docket.request.is_empty());
    if asks && !kept.mirror.trusts(&reads(kept.link(), path)) {
        return Err(untrusted(&kept, path));
    }
    let mut link = kept.link().clone();
    let before = link.source.at.join(", ");
    link.source = source;
    let wishes = Wishes { accepts_shorter: true, accepts_damage: true, ..Wishes::default() };
    let records = read_otherwise(&kept, &mut link, path, (book, lock), wishes)?;
    print(&format!(
        "{}   reads {} now, instead of {}: {records} records, and its columns fit\n{}",
        render::style::strong(&render::sanitize::line(&link.name)),
        render::sanitize::line(&link.source.at.join(", ")),
        render::sanitize::line(&before),
        to_bring_in(path, &link),
    ))?;
    Ok(ExitCode::Done)
}

/// The commands after a link was changed.
fn to_bring_in(path: &Path, link: &Link) -> String {
    let (book, name) = (quoted(&path.display().to_string()), quoted(&link.name));
    format!(
        "\nTo see what changes, then to bring it in:\n  incola refresh {book} {name} --dry-run\n  incola refresh {book} {name}\n"
    )
}

/// Writes a link that reads something else than before, or reads it otherwise, once its source was read so; gives the records.
fn read_otherwise(
    kept: &Kept,
    link: &mut Link,
    path: &Path,
    (mut book, lock): (ExistingBook, Held),
    wishes: Wishes<'_>,
) -> Result<u64> {
    // Nothing of it is known yet.
    link.parts.clear();
    let own = Kept { stored: StoredLink::bare(link.clone()), mirror: kept.mirror.clone() };
    let unchanged = "nothing was changed: the link reads what it read before";
    let reopened = Reopened::open(&own, path).map_err(|failure| failure.help(unchanged))?;
    let Some(reopened) = reopened else {
        return Err(Failure::unreadable(format!("{}: the answer is empty", link.source.at.join(", "))));
    };
    let now = reopened.read(&own, path, book.is_1904(), wishes).map_err(|failure| failure.help(unchanged))?;
    let located =
        refresh::locate(&mut book, kept.link()).map_err(|stop| wording::stop::in_table(stop, path))?;
    let rows = kept.rows(&mut book)?;
    let write = |writer: &mut BookWriter<Target>| {
        Ok(link::write(writer, link, &rows, located.range, Some(&kept.stored))?)
    };
    in_book(path, write, (book, lock))?;
    kept.mirror.keep_link(link, &rows);
    kept.mirror.trust(&reads(link, path));
    Ok(now.reading.records)
}

/// How a source is read where nothing is typed: the docket that says so in full, and the columns.
fn written_down(name: &str, docket: Option<&DocketFile>) -> Result<(String, Vec<LinkedColumn>)> {
    let read = Read::default();
    let said = docket.map(|file| &file.docket);
    let (choices, lines) = read.choices(docket)?;
    let source = Source::open_with(name, said, &std::env::temp_dir())?;
    let mut surveyed = survey(&source, &choices, lines)?;
    let settings = read.settings(said)?;
    let wishes =
        shape::Wishes { renames: &[], case: settings.place.name_case, carried: settings.read.carried };
    let shape = shape::shape(&mut surveyed.reading, docket, wishes, name)?;
    let written = links::make::resolved_alone(&source, &surveyed, &settings.read, docket, &shape)?;
    Ok((written, links::make::columns_of(&surveyed.reading.columns, &shape)))
}

/// Has a link read as another docket says.
fn docket_of(options: &LinkDocket) -> Result<ExitCode> {
    let path = &options.book;
    let file = DocketFile::read(&options.docket)?;
    let (mut book, lock) = locked(path)?;
    let (all, _) = links::find(path, &mut book)?;
    let kept = super::refresh::chosen(path, all, std::slice::from_ref(&options.link))?;
    let Some(kept) = kept.into_iter().next() else {
        return Err(Failure::usage(format!("{}: it has no link {}", path.display(), options.link)));
    };
    if !kept.mirror.trusts(&reads(kept.link(), path)) {
        return Err(untrusted(&kept, path));
    }
    let mut link = kept.link().clone();
    let parts = origin::parts(&link.source, path)?;
    let Some((_, first)) = parts.first() else {
        return Err(Failure::unreadable(format!("{}: there is nothing to read", link.source.at.join(", "))));
    };
    (link.docket, _) = written_down(first, Some(&file))?;
    let wishes =
        Wishes { accepts_shorter: true, accepts_damage: true, accepts_columns: true, ..Wishes::default() };
    let records = read_otherwise(&kept, &mut link, path, (book, lock), wishes)?;
    print(&format!(
        "{}   is read as {} says now: {records} records\n{}",
        render::style::strong(&render::sanitize::line(&link.name)),
        render::sanitize::line(&options.docket.display().to_string()),
        to_bring_in(path, &link),
    ))?;
    Ok(ExitCode::Done)
}

/// A source as a link has it.
fn source_of(name: &str, book: &Path) -> LinkedSource {
    if is_address(name) {
        return LinkedSource { kind: SourceKind::Address, at: vec![name.to_owned()] };
    }
    let is_folder = disk::is_folder(Path::new(name)) || crate::io::folder::is_pattern(name);
    let kind = if is_folder { SourceKind::Folder } else { SourceKind::File };
    LinkedSource { kind, at: vec![origin::from_book(Path::new(name), book)] }
}

/// Makes a link of which nothing but the name is left, from the headings of its table and the source. What was imported is not
/// known: where sheet and source differ, someone must say who wins.
fn make_anew(
    options: &LinkRepoint,
    (mut book, lock): (ExistingBook, Held),
    source: LinkedSource,
) -> Result<ExitCode> {
    let path = &options.book;
    let id = &options.link;
    let name = format!("{ANCHOR}{id}");
    let anchor = book.defined_names().iter().find(|n| n.name == name).and_then(DefinedName::range);
    let Some((sheet, range)) = anchor else {
        return Err(Failure::protected(format!("{}: the cells of link {id} are gone", path.display()))
            .leaving("the workbook was not changed")
            .help(format!("to end it: incola link cut {} {id}", quoted(&path.display().to_string()))));
    };
    let mut link = Link {
        link: VERSION,
        id: id.clone(),
        name: sheet.clone(),
        refreshed: state::now(),
        docket: String::new(),
        table: LinkedTable {
            sheet,
            table: None,
            range: range.to_string(),
            key: Vec::new(),
            key_is_given: false,
            rows: 0,
        },
        damage: None,
        form: None,
        columns: Vec::new(),
        parts: Vec::new(),
        source,
    };
    let mirror = Mirror::of(path, id);
    let located = refresh::locate(&mut book, &link).map_err(|stop| wording::stop::in_table(stop, path))?;
    let parts = origin::parts(&link.source, path)?;
    let Some((_, first)) = parts.first() else {
        return Err(Failure::unreadable(format!("{}: there is nothing to read", options.source)));
    };
    let known = docket::find(&Read::default(), first, Some(path))?;
    (link.docket, link.columns) = written_down(first, known.as_ref())?;
    let headings: Vec<&String> = located.headings.iter().map(|(_, heading)| heading).collect();
    let missing: Vec<String> =
        link.columns.iter().filter(|c| !headings.contains(&&c.heading)).map(|c| c.heading.clone()).collect();
    if !missing.is_empty() {
        return Err(Failure::protected(format!(
            "{first}: it has columns that the table does not have: {}",
            missing.join(", ")
        ))
        .leaving("the workbook was not changed")
        .help("leave them out in a docket beside the file, with as = \"skip\""));
    }
    link.table.table.clone_from(&located.table);
    link.name = located.table.clone().unwrap_or_else(|| located.sheet_name.clone());
    in_book(path, |writer| Ok(link::write(writer, &link, &[], located.range, None)?), (book, lock))?;
    mirror.keep_link(&link, &[]);
    mirror.trust(&reads(&link, path));
    print(&format!(
        "{}   made again: it reads {}\n\nWhat was imported is no longer known: where sheet and source differ, say who wins:\n  incola refresh {} {} --dry-run\n",
        render::style::strong(&render::sanitize::line(&link.name)),
        render::sanitize::line(&link.source.at.join(", ")),
        quoted(&path.display().to_string()),
        quoted(&link.name)
    ))?;
    Ok(ExitCode::Done)
}
