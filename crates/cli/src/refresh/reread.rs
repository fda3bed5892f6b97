//! The source of a link, read again as the link says, and refused where it is broken.

use super::Wishes;
use super::standing::note_same;
use crate::bridge::ColumnWriter;
use crate::docket::{self, DocketFile};
use crate::failure::{Failure, Result};
use crate::flags::definitions::Read;
use crate::links::origin::{self, Stamp};
use crate::links::{Damage, Kept, Link, Part, SourceKind};
use crate::passes::prints::{Columns, Prints, prints};
use crate::passes::survey::{Surveyed, conclude, survey};
use crate::passes::write::Slot;
use crate::render::{command::quoted, links::local};
use crate::source::{Source, is_address};
use crate::web::Version;
use incola_core::docket::Docket;
use incola_core::kind::Kind;
use incola_core::reading::Reading;
use incola_workbook::Styles;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// A file that was written less than this long ago may still be.
const FRESH: Duration = Duration::from_millis(1500);

/// How long it is waited before such a file is looked at again.
const LOOK_AGAIN: Duration = Duration::from_millis(300);

/// A source, read again.
pub(crate) struct Reread {
    pub(crate) sources: Vec<(Source, Surveyed)>,
    /// Size and time of each before it was read.
    stamps: Vec<Option<Stamp>>,
    /// Columns of all sources together.
    pub(crate) reading: Reading,
    pub(crate) docket: Docket,
    pub(crate) writers: Vec<ColumnWriter>,
    pub(crate) styles: Styles,
    /// By column of the link: what it is made of; `None`: the source has it no more.
    pub(crate) slots: Vec<Option<Slot>>,
    /// Columns of the source that are new, from 0.
    pub(crate) added: Vec<usize>,
    /// Columns of the link that the source calls otherwise now: the place in the link, and the new name.
    pub(crate) renamed: Vec<(usize, String)>,
    /// What the link calls the sources.
    pub(crate) parts: Vec<String>,
    /// Columns of the source that are new, and stay out.
    pub(super) left_out: Vec<String>,
    /// What is broken where it was not before, and was accepted.
    pub(super) accepted: Vec<String>,
}

/// Reads the source of a link again; `None`: a server says that it is as it was.
///
/// # Errors
/// Status 3 if it cannot be read; 4 if it is empty, still being written, or of another shape than it was.
pub(crate) fn reread(kept: &Kept, book: &Path, from_1904: bool, wishes: Wishes) -> Result<Option<Reread>> {
    let link = &kept.link;
    let bad = |why: String| {
        Failure::unreadable(format!("link \u{201c}{}\u{201d}: its docket is broken: {why}", link.name))
    };
    let mut docket = Docket::read(&link.docket).map_err(|error| bad(error.why))?;
    let parts = origin::parts(&link.source, book)?;
    let mut sources = Vec::new();
    let mut stamps = Vec::new();
    for (at, name) in &parts {
        let Some((source, stamp)) = open(kept, at, name, &docket)? else { return Ok(None) };
        sources.push(source);
        stamps.push(stamp);
    }
    let mut surveyed = survey_all(&sources, &docket, link)?;
    let (mut gone, mut added) = difference(link, &docket, &surveyed[0].reading);
    let renamed = renamings(link, &surveyed[0].reading, &gone, &added);
    if !gone.is_empty() && !wishes.accepts_columns {
        return Err(reshaped(link, book, &sources[0], &surveyed[0].reading, (&gone, &added, &renamed)));
    }
    if !renamed.is_empty() {
        for (place, name) in &renamed {
            let old = link.columns[*place].name.clone().unwrap_or_default().to_lowercase();
            for column in docket.columns.iter_mut().filter(|c| c.name.to_lowercase() == old) {
                column.name.clone_from(name);
            }
        }
        surveyed = survey_all(&sources, &docket, link)?;
        gone.retain(|place| renamed.iter().all(|(own, _)| own != place));
        let names: Vec<String> = renamed.iter().map(|(_, name)| name.to_lowercase()).collect();
        added.retain(|n| !names.contains(&surveyed[0].reading.columns[*n].name.to_lowercase()));
    }
    let Some(first) = surveyed.first() else { return Err(bad("it has no source".into())) };
    let mut reading = first.reading.clone();
    if surveyed.len() > 1 {
        let (choices, _) = docket::apply::choices(&Read::default(), Some(&file_of(link, &docket)))?;
        let all: Vec<(&Source, &Surveyed)> = sources.iter().zip(&surveyed).collect();
        reading = conclude(&all, first, &choices)?;
    }
    for column in &mut reading.columns {
        let own = docket.columns.iter().find(|c| c.name.to_lowercase() == column.name.to_lowercase());
        column.zero_if_blank =
            own.is_some_and(|c| c.zero_if_blank == Some(true)) && column.rule.kind() == Kind::Number;
    }
    check(link, book, &reading, &sources, wishes)?;
    let news = damage_news(link, &reading, &surveyed);
    if !news.is_empty() && !wishes.accepts_damage {
        return Err(damaged(link, book, &sources, &news));
    }
    let mut left_out = Vec::new();
    if !wishes.accepts_columns {
        left_out.extend(added.drain(..).map(|n| reading.columns[n].name.clone()));
    }
    let name_of = |place: usize| {
        let renamed = renamed.iter().find(|(own, _)| *own == place).map(|(_, name)| name.clone());
        renamed.or_else(|| link.columns[place].name.clone())
    };
    let slots = (0..link.columns.len())
        .map(|place| match name_of(place) {
            None => Some(Slot::SourceName),
            Some(name) => position(&reading, &name).map(Slot::Field),
        })
        .collect();
    let mut styles = Styles::new();
    let writers = reading
        .columns
        .iter()
        .map(|column| ColumnWriter::new(column, &mut styles).counting_from_1904(from_1904))
        .collect();
    Ok(Some(Reread {
        sources: sources.into_iter().zip(surveyed).collect(),
        stamps,
        reading,
        docket,
        writers,
        styles,
        slots,
        added,
        renamed,
        parts: parts.into_iter().map(|(at, _)| at).collect(),
        left_out,
        accepted: news,
    }))
}

/// Opens a part of a source; `None`: it is of the version that is known.
fn open(kept: &Kept, at: &str, name: &str, docket: &Docket) -> Result<Option<(Source, Option<Stamp>)>> {
    if is_address(name) {
        let known = kept.link.parts.iter().find(|part| part.at == at);
        // Also what was seen to stand for the same records.
        let seen = kept
            .mirror
            .seen()
            .parts
            .into_iter()
            .find(|s| s.at == at && known.is_some_and(|known| known.digest == s.stands_for));
        let version = match (seen, known) {
            (Some(seen), _) => Version { etag: seen.etag, last_modified: seen.last_modified },
            (None, Some(part)) => {
                Version { etag: part.etag.clone(), last_modified: part.last_modified.clone() }
            }
            (None, None) => Version::default(),
        };
        let source = Source::fetch(name, &docket.request, &version, &std::env::temp_dir())?;
        return Ok(source.map(|source| (source, None)));
    }
    let path = Path::new(name);
    let before = origin::stamp(path).ok();
    let is_fresh = || path.metadata().ok()?.modified().ok()?.elapsed().ok().map(|age| age < FRESH);
    let source = Source::open(name, &std::env::temp_dir()).map_err(|failure| {
        let kept = format!("the table keeps its rows, which are of {}", local(&kept.link.refreshed));
        failure.leaving(kept).help("the file has another name now? incola link repoint says so")
    })?;
    if is_fresh().unwrap_or(false) {
        std::thread::sleep(LOOK_AGAIN);
    }
    origin::check_still(&source, before)?;
    Ok(Some((source, before)))
}

fn file_of(link: &Link, docket: &Docket) -> DocketFile {
    DocketFile {
        path: PathBuf::from(format!("the docket of link {}", link.name)),
        docket: docket.clone(),
        unread: Vec::new(),
    }
}

/// Surveys a source by itself.
pub(super) fn survey_one(source: &Source, docket: &Docket, link: &Link) -> Result<Surveyed> {
    let (choices, lines) = docket::apply::choices(&Read::default(), Some(&file_of(link, docket)))?;
    survey(source, &choices, lines)
}

fn survey_all(sources: &[Source], docket: &Docket, link: &Link) -> Result<Vec<Surveyed>> {
    let (choices, lines) = docket::apply::choices(&Read::default(), Some(&file_of(link, docket)))?;
    let surveyed: Vec<Surveyed> = sources
        .iter()
        .map(|source| survey(source, &choices, lines))
        .collect::<Result<_>>()
        .map_err(|failure| failure.leaving("the table was left as it is"))?;
    let names = |s: &Surveyed| s.reading.columns.iter().map(|c| c.name.to_lowercase()).collect::<Vec<_>>();
    for (source, other) in sources.iter().zip(&surveyed).skip(1) {
        if names(other) != names(&surveyed[0]) {
            return Err(Failure::protected(format!(
                "{} has other columns than {}",
                source.shown(),
                sources[0].shown()
            ))
            .leaving("the table was left as it is")
            .help("mend or move that file, then refresh again"));
        }
    }
    Ok(surveyed)
}

fn position(reading: &Reading, name: &str) -> Option<usize> {
    let name = name.to_lowercase();
    reading.columns.iter().position(|c| c.name.to_lowercase() == name)
}

/// Columns of the link that the source has no more, and columns of the source that the link does not know.
fn difference(link: &Link, docket: &Docket, reading: &Reading) -> (Vec<usize>, Vec<usize>) {
    let gone = (0..link.columns.len())
        .filter(|n| link.columns[*n].name.as_ref().is_some_and(|name| position(reading, name).is_none()));
    let is_known = |name: &str| {
        let name = name.to_lowercase();
        docket.columns.iter().any(|c| c.name.to_lowercase() == name)
    };
    let added = (0..reading.columns.len())
        .filter(|n| reading.columns[*n].is_wanted() && !is_known(&reading.columns[*n].name));
    (gone.collect(), added.collect())
}

/// Columns that went and columns that came, as many and of the same kinds in their order: the same under other names.
fn renamings(link: &Link, reading: &Reading, gone: &[usize], added: &[usize]) -> Vec<(usize, String)> {
    let is_alike = |(gone, added): (&usize, &usize)| {
        let kind = reading.columns[*added].rule.kind().word();
        link.columns[*gone].kind == kind
    };
    if gone.len() != added.len() || !gone.iter().zip(added).all(is_alike) {
        return Vec::new();
    }
    gone.iter().zip(added).map(|(gone, added)| (*gone, reading.columns[*added].name.clone())).collect()
}

fn reshaped(
    link: &Link,
    book: &Path,
    source: &Source,
    reading: &Reading,
    (gone, added, renamed): (&[usize], &[usize], &[(usize, String)]),
) -> Failure {
    let mut what = format!("{}: its columns are not those of the table any more", source.shown());
    for place in gone {
        let column = &link.columns[*place];
        let name = column.name.as_deref().unwrap_or_default();
        match renamed.iter().find(|(own, _)| own == place) {
            Some((_, new)) => {
                what.push_str(&format!(
                    "\n  gone     {name} ({}); {new}, which is new, may be the same",
                    column.kind
                ));
            }
            None => what.push_str(&format!("\n  gone     {name} ({})", column.kind)),
        }
    }
    for n in added {
        let column = &reading.columns[*n];
        if renamed.iter().all(|(_, name)| *name != column.name) {
            what.push_str(&format!("\n  new      {} ({})", column.name, column.rule.kind().word()));
        }
    }
    let refresh = refresh_command(link, book);
    Failure::protected(what)
        .leaving("the table was left as it is")
        .help(format!("to go on with the columns that there are: {refresh} --accept columns"))
        .help("what is gone keeps its values in the sheet, and is the clerk's own from then on; what is new comes behind the others")
}

fn refresh_command(link: &Link, book: &Path) -> String {
    format!("incola refresh {} {}", quoted(&book.display().to_string()), quoted(&link.name))
}

/// Fails if the source holds far less than before, or other kinds of values.
fn check(link: &Link, book: &Path, reading: &Reading, sources: &[Source], wishes: Wishes) -> Result<()> {
    let shown = match sources {
        [one] => one.shown(),
        many => format!("{} files", many.len()),
    };
    let refresh = refresh_command(link, book);
    let (records, before) = (reading.records, link.table.rows);
    if records * 2 < before && !wishes.accepts_shorter {
        let what = if records == 0 {
            format!("{shown}: it has no records; the table has {before} from it")
        } else {
            format!("{shown}: it has {records} records, less than half of the {before} before")
        };
        return Err(Failure::protected(what)
            .leaving("the table was left as it is")
            .help("look whether the other system has finished writing it")
            .help(format!("if it is right: {refresh} --accept shorter")));
    }
    let misfitting: Vec<_> = reading
        .columns
        .iter()
        .filter(|c| c.is_wanted() && c.rule.kind() != Kind::Text && c.misfits.count * 2 > c.stats.filled)
        .collect();
    if !misfitting.is_empty() && !wishes.accepts_columns {
        let mut what = format!("{shown}: columns are of another kind than in the table");
        for column in misfitting {
            let (misfits, filled) = (column.misfits.count, column.stats.filled);
            what.push_str(&format!(
                "\n  {} is {}, and {misfits} of its {filled} values are none; the first in line {}",
                column.name,
                column.rule.kind().word(),
                column.misfits.line
            ));
        }
        return Err(Failure::protected(what)
            .leaving("the table was left as it is")
            .help(format!("to take such values in as text: {refresh} --accept columns")));
    }
    Ok(())
}

/// What is broken in the source where it was not when rows were last brought in.
fn damage_news(link: &Link, reading: &Reading, surveyed: &[Surveyed]) -> Vec<String> {
    let all: Vec<&Surveyed> = surveyed.iter().collect();
    Damage::news(link.damage.as_ref(), &all, &reading.columns, (reading.records, link.table.rows))
}

fn damaged(link: &Link, book: &Path, sources: &[Source], news: &[String]) -> Failure {
    let shown = match sources {
        [one] => one.shown(),
        many => format!("{} files", many.len()),
    };
    let what = format!("{shown}: it is damaged where it was not before\n  {}", news.join("\n  "));
    Failure::protected(what)
        .leaving("the table was left as it is")
        .help("look whether the other system has finished writing it")
        .help(format!("to take it in all the same: {} --accept damage", refresh_command(link, book)))
}

impl Reread {
    /// What is broken in the source, as the link will know it.
    pub(super) fn damage(&self) -> Damage {
        let all: Vec<&Surveyed> = self.sources.iter().map(|(_, surveyed)| surveyed).collect();
        let names: Vec<String> = self.reading.columns.iter().map(|c| c.name.clone()).collect();
        Damage::of(&all, &self.reading.columns, &names)
    }

    /// The columns of the link that the source has: their places in the link, and what they are made of.
    pub(super) fn common(&self) -> Vec<(usize, Slot)> {
        self.slots.iter().enumerate().filter_map(|(place, slot)| Some((place, (*slot)?))).collect()
    }

    /// What the rows are made of from now on: the columns in common, and those that are new.
    pub(super) fn slots_now(&self, common: &[(usize, Slot)]) -> Vec<Slot> {
        let added = self.added.iter().map(|n| Slot::Field(*n));
        common.iter().map(|(_, slot)| *slot).chain(added).collect()
    }

    /// Fingerprints of all records by these columns; `key`: places among them.
    pub(super) fn prints_by(&self, slots: &[Slot], key: &[usize]) -> Result<Prints> {
        let mut all = Prints::default();
        for (source, surveyed) in &self.sources {
            let label = source.label();
            let columns = &self.reading.columns;
            let of = Columns { columns, writers: &self.writers, slots, key, label: &label };
            prints(source, surveyed, of, &mut all)?;
        }
        Ok(all)
    }

    /// Fails if a file was changed since it was opened.
    pub(super) fn check_still(&self) -> Result<()> {
        self.sources
            .iter()
            .zip(&self.stamps)
            .try_for_each(|((source, _), stamp)| origin::check_still(source, *stamp))
    }

    /// What the link will know of the files, and when they were changed.
    pub(super) fn parts_now(&self) -> Result<Vec<(Part, Stamp)>> {
        self.sources
            .iter()
            .zip(&self.parts)
            .map(|((source, surveyed), at)| origin::part_of(source, at, surveyed.reading.records))
            .collect()
    }

    /// Remembers that there is nothing to bring in, though the files were changed.
    pub(super) fn note_same(&self, kept: &Kept) -> Result<()> {
        note_same(kept, &self.parts_now()?);
        Ok(())
    }

    /// Whether it is one file, whose copy may be kept.
    pub(super) fn only_file(&self, link: &Link) -> Option<&Source> {
        match self.sources.as_slice() {
            [(one, _)] if link.source.kind == SourceKind::File => Some(one),
            _ => None,
        }
    }
}
