//! Links that imports make.

use super::Mirror;
use super::origin::{self, Stamp};
use crate::commands::import::Options;
use crate::docket::draft::{draft, starts_text};
use crate::docket::{DocketFile, shape::Shape};
use crate::failure::{Failure, Result};
use crate::io::source::{Source, is_address};
use incola_core::kind::{Kind, Rule};
use incola_core::layout::LayoutKind;
use incola_core::reading::ColumnReading;
use incola_core::record::{Division, LineParts, Multiline, Unit};
use incola_core::settings::docket::Docket;
use incola_core::settings::selector::Selector;
use incola_core::settings::{self, list_text};
use incola_engine::export::{self, SourceForm};
use incola_engine::feed::Feed;
use incola_engine::import::candidate::Candidate;
use incola_engine::import::{Slot, Written};
use incola_engine::link::{Damage, Link, LinkedColumn, LinkedTable, Part, SourceKind, VERSION};
use incola_engine::text::Surveyed;
use incola_workbook::{CellRef, Range};
use std::path::Path;

/// A link that will stand in the workbook once it is written.
pub(crate) struct NewLink {
    pub(crate) link: Link,
    pub(crate) prints: Vec<u64>,
    pub(crate) range: Range,
    /// What the files are known by.
    pub(crate) stamps: Vec<Stamp>,
    /// The one file that it was made from.
    pub(crate) source: Option<String>,
}

/// What was read and written.
pub(crate) struct Made<'m> {
    pub(crate) book: &'m Path,
    pub(crate) options: &'m Options,

    pub(crate) docket: Option<&'m DocketFile>,
    pub(crate) sources: &'m [(&'m Source, &'m Surveyed)],
    pub(crate) columns: &'m [ColumnReading],
    pub(crate) shape: &'m Shape,
    pub(crate) slots: &'m [Slot],
    pub(crate) sheet: &'m str,
    pub(crate) table: Option<&'m str>,
    pub(crate) range: Range,
    pub(crate) written: &'m mut Written,
}

/// Whether a link is made of sources that are read so.
pub(crate) fn is_wanted(options: &Options, sources: &[(&Source, &Surveyed)]) -> bool {
    options.place.link != Some(false)
        && !options.typed.dry_run
        && sources.iter().all(|(source, _)| source.is_linkable())
}

/// Candidates for a key that is not stated, by place in the slots: the first columns that may name things and have no blanks.
pub(crate) fn key_candidates(options: &Options, columns: &[ColumnReading], slots: &[Slot]) -> Vec<usize> {
    // Among several files, a value is there more than once as a rule.
    if options.place.key.is_some() || options.is_together() {
        return Vec::new();
    }
    let may_name = |column: &ColumnReading| match &column.rule {
        Rule::Text | Rule::Date(_) => true,
        // Amounts name nothing.
        Rule::Number(rule) => rule.spellings.iter().all(|s| !s.has_mark()),
        _ => false,
    };
    let may_be = |slot: &Slot| match slot {
        Slot::Field(n) => columns[*n].stats.blank == 0 && may_name(&columns[*n]),
        _ => false,
    };
    // What names a record stands in front, as a rule.
    (0..slots.len()).filter(|place| may_be(&slots[*place])).take(3).collect()
}

/// The columns of a stated key, by name.
///
/// # Errors
/// Status 2 if one is not there.
pub(crate) fn key_columns(key: &[String], shape: &Shape, columns: &[ColumnReading]) -> Result<Vec<usize>> {
    let mut places = Vec::new();
    for text in key {
        let by_heading: Vec<String> = columns.iter().map(|c| c.name.clone()).collect();
        let mut found = Selector::new(text).places(&shape.source_names);
        if found.is_empty() {
            found = Selector::new(text).places(&by_heading);
        }
        found.retain(|n| columns.get(*n).is_some_and(ColumnReading::is_wanted));
        if found.is_empty() {
            return Err(Failure::usage(format!(
                "--key {}: there is no column \u{201c}{text}\u{201d}",
                list_text(key)
            ))
            .leaving("nothing was written")
            .help(format!("the columns are: {}", shape.source_names.join(", "))));
        }
        places.extend(found);
    }
    Ok(places)
}

/// Makes the link of a table that was written.
///
/// # Errors
/// If a source cannot be read once more, or was changed in the meantime.
pub(crate) fn link(made: &mut Made<'_>) -> Result<NewLink> {
    let Some((first, surveyed)) = made.sources.first() else { return Err(Failure::usage("no sources")) };
    let source = origin::of_import(&made.options.typed.sources, made.book, made.options.is_together(), first);
    let key: Vec<String> = if let Some(key) = &made.options.place.key {
        let places = key_columns(key, made.shape, made.columns)?;
        places.into_iter().map(|n| made.shape.source_names[n].clone()).collect()
    } else {
        // The first one that is unique; the others are not looked at.
        let mut candidates = std::mem::take(&mut made.written.candidates).into_iter();
        let slot = candidates.find_map(Candidate::if_unique).and_then(|place| made.slots.get(place));
        let name = slot.and_then(|slot| match slot {
            Slot::Field(n) => Some(made.shape.source_names[*n].clone()),
            _ => None,
        });
        name.into_iter().collect()
    };
    let mut parts = Vec::new();
    let mut stamps = Vec::new();
    for (source, surveyed) in made.sources {
        let at = if is_address(&source.name) {
            source.name.clone()
        } else {
            origin::from_book(Path::new(&source.name), made.book)
        };
        let (part, stamp) = origin::part_of(source, &at, surveyed.reading.records)?;
        parts.push(part);
        stamps.push(stamp);
    }
    let docket = resolved(first, surveyed, made)?;
    let surveyed_all: Vec<&Surveyed> = made.sources.iter().map(|(_, surveyed)| *surveyed).collect();
    let name = made.table.unwrap_or(made.sheet).to_owned();
    let refreshed = crate::state::now();
    // What is remembered of links is kept by workbook: within one, the sheet tells them apart.
    let digests: Vec<&str> = parts.iter().map(|part: &Part| part.digest.as_str()).collect();
    let seed = format!("{}\n{}\n{}\n{refreshed}", made.sheet, made.range, digests.join("\n"));
    let link = Link {
        link: VERSION,
        id: format!("{:016x}", xxhash_rust::xxh3::xxh3_64(seed.as_bytes())),
        name,
        refreshed,
        docket,
        table: LinkedTable {
            sheet: made.sheet.to_owned(),
            table: made.table.map(str::to_owned),
            range: made.range.to_string(),
            key,
            key_is_given: made.options.place.key.is_some(),
            rows: made.written.rows,
        },
        form: form(made),
        damage: Some(Damage::of(&surveyed_all, made.columns, &made.shape.source_names)),
        columns: columns(made.slots, made.columns, made.shape, made.options, made.written),
        parts,
        source,
    };
    let only = match made.sources {
        [(one, _)] if link.source.kind == SourceKind::File => Some(one.name.clone()),
        _ => None,
    };
    Ok(NewLink {
        link,
        prints: std::mem::take(&mut made.written.prints),
        range: made.range,
        stamps,
        source: only,
    })
}

/// How the source was written, where there is one and all of it is in the table.
fn form(made: &Made<'_>) -> Option<SourceForm> {
    match made.sources {
        [(_, surveyed)] if surveyed.reading.records == made.written.rows => {
            export::observe(surveyed, made.columns, &made.shape.source_names)
        }
        _ => None,
    }
}

/// Says what decides the reading, so that no later file of the link is read in another way for what it happens to hold.
fn pin(read: &mut settings::Reading, surveyed: &Surveyed) {
    let dialect = &surveyed.plan.dialect;
    // What ASCII characters alone are encoded in nobody can tell.
    if !surveyed.is_ascii {
        read.encoding = Some(surveyed.reading.encoding.value.name());
    }
    if read.comment.is_none() {
        let prefix = dialect.comment_prefix.as_deref().map(String::from_utf8_lossy);
        read.comment = Some(prefix.map_or_else(|| "none".into(), std::borrow::Cow::into_owned));
    }
    // Whether empty cells among totals mean the value above them is not guessed anew.
    if surveyed.printed.is_some() {
        read.carry.get_or_insert_default();
    }
    // A single record is known for what it is only where its layout is said.
    if matches!(dialect.division, Division::Multiline(Multiline::Labelled { .. })) {
        read.layout = Some(LayoutKind::Multiline);
    }
    if let Division::Multiline(Multiline::Cycle { lines, .. }) = &dialect.division
        && read.starts.is_none()
    {
        read.layout = Some(LayoutKind::Multiline);
        read.lines_per_record = Some(lines.len());
        // Lines that a mark divides have no starts to state: they are divided by that mark again.
        let starts = |parts: &LineParts| match parts {
            LineParts::Fixed(fixed) if fixed.unit == Unit::Characters => Some(starts_text(fixed)),
            _ => None,
        };
        read.starts = lines.iter().map(starts).collect::<Option<Vec<_>>>().map(|lines| lines.join("/"));
    }
}

/// The docket of a source that was surveyed by itself.
pub(crate) fn resolved_alone(
    source: &Source,
    surveyed: &Surveyed,
    read: &settings::Reading,
    docket: Option<&DocketFile>,
    shape: &Shape,
) -> Result<String> {
    write_down(source, surveyed, (read, docket), shape, &surveyed.reading.columns, (None, None))
}

/// The columns of a link that was not made by an import.
pub(crate) fn columns_of(columns: &[ColumnReading], shape: &Shape) -> Vec<LinkedColumn> {
    let of = |n: &usize| LinkedColumn {
        name: Some(shape.source_names[*n].clone()),
        heading: columns[*n].name.clone(),
        kind: columns[*n].rule.kind().word().to_owned(),
        ..LinkedColumn::default()
    };
    shape.order.iter().map(of).collect()
}

/// The columns of a link.
fn columns(
    slots: &[Slot],
    columns: &[ColumnReading],
    shape: &Shape,
    options: &Options,
    written: &Written,
) -> Vec<LinkedColumn> {
    let of_slot = |slot: &Slot| match slot {
        Slot::Field(n) => {
            let column = &columns[*n];
            let name = &shape.source_names[*n];
            Some(LinkedColumn::of(name, &column.name, column.rule.kind(), &written.columns[*n]))
        }
        Slot::SourceName => Some(LinkedColumn {
            heading: options.place.source_column.clone().unwrap_or_default(),
            kind: Kind::Text.word().to_owned(),
            ..LinkedColumn::default()
        }),
        Slot::RecordNumber | Slot::Nothing => None,
    };
    slots.iter().filter_map(of_slot).collect()
}

/// The docket that reads a source as it was read: found values and typed ones written down.
fn resolved(source: &Source, surveyed: &Surveyed, made: &Made<'_>) -> Result<String> {
    let names = (made.options.place.source_column.clone(), made.options.place.number_column.clone());
    write_down(source, surveyed, (&made.options.read, made.docket), made.shape, made.columns, names)
}

/// The same, from what is known.
fn write_down(
    source: &Source,
    surveyed: &Surveyed,
    (read, file): (&settings::Reading, Option<&DocketFile>),
    shape: &Shape,
    columns: &[ColumnReading],
    (source_column, number_rows): (Option<String>, Option<String>),
) -> Result<String> {
    let failed = |why: String| Failure::unreadable(format!("the reading cannot be written down: {why}"));
    let mut plain = surveyed.reading.clone();
    for (column, name) in plain.columns.iter_mut().zip(&shape.source_names) {
        column.name.clone_from(name);
    }
    let mut docket = Docket::read(&draft(&source.label(), &plain, read)).map_err(|bad| failed(bad.why))?;
    let said = file.map(|file| &file.docket);
    pin(&mut docket.read, surveyed);
    docket.request = said.map(|d| d.request.clone()).unwrap_or_default();
    docket.place.source_column = source_column;
    docket.place.number_column = number_rows;
    for column in &mut docket.columns {
        let own =
            said.and_then(|d| d.columns.iter().find(|c| c.name.to_lowercase() == column.name.to_lowercase()));
        if let Some(own) = own {
            column.blank.clone_from(&own.blank);
            column.zero_if_blank = own.zero_if_blank;
        }
        let place = shape.source_names.iter().position(|name| *name == column.name);
        let heading = place.and_then(|n| columns.get(n)).map(|c| &c.name);
        column.called = heading.filter(|heading| **heading != column.name).cloned();
    }
    // In the order of the sheet; what is left out comes last.
    let order = |name: &str| {
        let place = shape.source_names.iter().position(|n| n == name);
        place.and_then(|n| shape.order.iter().position(|o| *o == n)).unwrap_or(usize::MAX)
    };
    docket.columns.sort_by_key(|column| order(&column.name));
    toml::to_string(&docket).map_err(|e| failed(e.to_string()))
}

/// Remembers a link of a workbook that stands in its place now. Whoever made it trusts it.
pub(crate) fn remember(new: &NewLink, book: &Path) {
    let mirror = Mirror::of(book, &new.link.id);
    mirror.keep_link(&new.link, &new.prints);
    let parts = new.link.parts.iter().zip(&new.stamps);
    let parts = parts.map(|(part, stamp)| crate::state::mirror::SeenPart::now(part, *stamp)).collect();
    mirror.keep_seen(&crate::state::mirror::Seen { parts });
    mirror.trust(&origin::reads(&new.link, book));
    if let Some(source) = &new.source {
        // What is there now must be what was read.
        let is_same = |stamp: Stamp| new.stamps.first() == Some(&stamp);
        if origin::stamp(Path::new(source)).is_ok_and(is_same)
            && let Ok(source) = Source::open(source, &std::env::temp_dir())
        {
            mirror.keep_source(&source);
        }
    }
}

/// The cells of a new sheet's table, headings included.
pub(crate) fn range_of(columns: usize, first_row: u32, rows: u64) -> Range {
    let heading = first_row - 1;
    Range {
        from: CellRef { row: heading, column: 1 },
        to: CellRef { row: heading + (rows as u32).max(1), column: columns as u32 },
    }
}
