//! What a docket says of columns: which there are, in which order they come, and what the sheet calls them.

use super::DocketFile;
use crate::failure::{Failure, Result};
use crate::render::command::quoted;
use incola_core::evidence::DecidedBy;
use incola_core::kind::Kind;
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::{Choices, ColumnReading, Reading};
use incola_core::settings::model::{Carried, NameCase};
use incola_core::settings::selector::Selector;
use incola_engine::text::Surveyed;
use std::collections::{HashMap, HashSet};

/// The columns as the sheet has them.
#[derive(Clone, Debug, Default)]
pub(crate) struct Shape {
    /// Columns of the source (from 0) that are wanted, in the sheet's order.
    pub(crate) order: Vec<usize>,
    /// By column of the source: what is shown when its heading is selected.
    pub(crate) descriptions: Vec<Option<String>>,
    /// The docket that says so.
    pub(crate) docket: Option<String>,
    /// What the source calls its columns.
    pub(crate) source_names: Vec<String>,
}

impl Shape {
    /// All columns that are wanted: as they come, or those of headings before the others.
    fn plain(reading: &Reading, carried: Option<Carried>) -> Self {
        let all = reading.columns.len();
        let shaping = reading.layout.shaping.as_ref();
        let made = shaping.map_or(&[][..], |shaping| shaping.columns());
        let base = all - made.len().min(all);
        let headings = if carried == Some(Carried::First) { reading.layout.headings.len() } else { 0 };
        let own = base.saturating_sub(headings);
        // Parts of a column stand beside it, what is computed behind all others.
        let parts = |column: usize| {
            let places = made.iter().enumerate().filter(move |(_, part)| part.beside == Some(column));
            places.map(move |(n, _)| base + n)
        };
        let computed = made.iter().enumerate().filter(|(_, column)| column.beside.is_none());
        let wanted = (own..base)
            .chain(0..own)
            .flat_map(|n| std::iter::once(n).chain(parts(n)))
            .chain(computed.map(|(n, _)| base + n))
            .filter(|n| reading.columns[*n].is_wanted());
        Self {
            order: wanted.collect(),
            descriptions: vec![None; reading.columns.len()],
            docket: None,
            source_names: reading.columns.iter().map(|c| c.name.clone()).collect(),
        }
    }
}

/// What is wanted of the shape besides a docket.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Wishes<'w> {
    /// Other names for columns.
    pub(crate) renames: &'w [(Selector, String)],
    /// How names are spelled.
    pub(crate) case: Option<NameCase>,
    /// Where the columns of headings are.
    pub(crate) carried: Option<Carried>,
}

/// Checks that the source has the docket's columns, and gives them their names and order. What the docket does not know, or
/// describes for nothing, becomes a notice.
///
/// # Errors
/// Status 4 if a column is missing.
pub(crate) fn shape(
    reading: &mut Reading,
    docket: Option<&DocketFile>,
    wishes: Wishes<'_>,
    source: &str,
) -> Result<Shape> {
    let Wishes { renames, case, .. } = wishes;
    let shape = described(reading, docket, wishes, source)?;
    if let Some(case) = case.filter(|_| docket.is_none_or(|file| file.docket.columns.is_empty())) {
        for column in &mut reading.columns {
            column.name = in_case(&column.name, case);
        }
    }
    for (selector, name) in renames {
        let places = selector.places(&shape.source_names);
        let [place] = places[..] else {
            let count = if places.is_empty() { "no column is" } else { "several columns are" };
            return Err(Failure::usage(format!("--rename {}={name}: {count} called so", selector.text()))
                .leaving("nothing was written")
                .help(format!("the columns are: {}", shape.source_names.join(", "))));
        };
        reading.columns[place].name.clone_from(name);
    }
    if case.is_some() || !renames.is_empty() || docket.is_some() {
        let by = docket.map_or_else(|| "--rename".to_owned(), |file| file.path.display().to_string());
        unique(reading, &by)?;
    }
    Ok(shape)
}

/// The columns as a docket describes them.
fn described(
    reading: &mut Reading,
    docket: Option<&DocketFile>,
    Wishes { case, carried, .. }: Wishes<'_>,
    source: &str,
) -> Result<Shape> {
    let mut shape = Shape::plain(reading, carried);
    let Some(file) = docket else { return Ok(shape) };
    let shown = file.path.display().to_string();
    shape.docket = Some(shown.clone());
    let described = &file.docket.columns;
    let shaping = reading.layout.shaping.clone();
    // What a docket that rolls nothing up describes are columns of the source.
    let is_rolled_up = shaping.as_ref().is_some_and(|shaping| shaping.grouping().is_some());
    if described.is_empty() || (is_rolled_up && file.docket.read.by.is_none()) {
        return Ok(shape);
    }
    let known: HashMap<String, usize> =
        reading.columns.iter().enumerate().map(|(n, c)| (c.name.to_lowercase(), n)).collect();
    let places: Vec<Option<usize>> =
        described.iter().map(|c| known.get(&c.name.to_lowercase()).copied()).collect();
    let taken: HashSet<usize> = places.iter().flatten().copied().collect();
    let missing: Vec<&str> =
        described.iter().zip(&places).filter(|(_, p)| p.is_none()).map(|(c, _)| c.name.as_str()).collect();
    let new: Vec<usize> = (0..reading.columns.len())
        .filter(|n| reading.columns[*n].is_wanted() && !taken.contains(n))
        .collect();
    let name = |n: &usize| reading.columns[*n].name.clone();
    if !missing.is_empty() {
        let mut what = format!("{source}: it does not have the columns that {shown} describes");
        what.push_str(&format!("\n  missing: {}", missing.join(", ")));
        if !new.is_empty() {
            what.push_str(&format!(
                "\n  not described: {}",
                new.iter().map(name).collect::<Vec<_>>().join(", ")
            ));
        }
        return Err(Failure::protected(what)
            .leaving("nothing was written")
            .help(format!(
                "correct the docket, or draft it again: incola docket draft {} --no-docket",
                quoted(source)
            ))
            .help("or read the file without it: --no-docket"));
    }
    let mut notices = Vec::new();
    if !file.unread.is_empty() {
        let text = format!("not obeyed of what {shown} says: {}", file.unread.join(", "));
        notices.push(Notice::new(NoticeCode::DocketColumns, text));
    }
    // Columns that are made were asked for.
    let made_from = shaping.filter(|_| !is_rolled_up).map_or(usize::MAX, |shaping| shaping.base());
    let unasked: Vec<usize> = new.iter().copied().filter(|n| *n < made_from).collect();
    if !unasked.is_empty() {
        let list: Vec<String> = unasked.iter().map(|n| format!("\u{201c}{}\u{201d}", name(n))).collect();
        let text = format!("{} not described in {shown}: added after the others", list.join(", "));
        notices.push(Notice::new(NoticeCode::DocketColumns, text));
    }
    let blank = places.iter().flatten().filter(|n| {
        let column = &reading.columns[**n];
        reading.records > 0 && column.is_wanted() && column.stats.filled == 0
    });
    for n in blank {
        let text = format!("\u{201c}{}\u{201d} is described in {shown}, and empty in all records", name(n));
        notices.push(Notice::new(NoticeCode::DocketColumns, text).in_column(n + 1));
    }
    let misfitting = places.iter().flatten().filter(|n| {
        let column = &reading.columns[**n];
        column.decided_by == DecidedBy::Docket && column.misfits.count * 2 > column.stats.filled
    });
    for n in misfitting {
        let column = &reading.columns[*n];
        let text = format!(
            "\u{201c}{}\u{201d} is {} in {shown}, which {} of its {} values do not fit",
            column.name,
            column.rule.kind().word(),
            column.misfits.count,
            column.stats.filled
        );
        notices.push(Notice::new(NoticeCode::DocketKind, text).in_column(n + 1));
    }
    let is_wanted = |n: &usize| reading.columns[*n].is_wanted();
    shape.order = places.iter().flatten().copied().filter(is_wanted).chain(new).collect();
    for (column, place) in described.iter().zip(&places) {
        let Some(place) = place else { continue };
        shape.descriptions[*place] = match (&column.description, &column.unit) {
            (Some(text), Some(unit)) => Some(format!("{text} In {unit}.")),
            (Some(text), None) => Some(text.clone()),
            (None, Some(unit)) => Some(format!("In {unit}.")),
            (None, None) => None,
        };
        let own = &mut reading.columns[*place];
        if let Some(called) = &column.called {
            own.name.clone_from(called);
        } else if let Some(case) = case {
            own.name = in_case(&own.name, case);
        }
        own.zero_if_blank = column.zero_if_blank == Some(true) && own.rule.kind() == Kind::Number;
        if own.zero_if_blank && own.stats.blank > 0 {
            let count = incola_core::words::counted(own.stats.blank, "blank value", "blank values");
            let text = format!("\u{201c}{}\u{201d}: {count} written as 0, as {shown} says", own.name);
            notices.push(Notice::new(NoticeCode::DocketColumns, text).in_column(place + 1));
        }
    }
    reading.notices.extend(notices);
    Ok(shape)
}

/// A name as the sheet spells it.
fn in_case(name: &str, case: NameCase) -> String {
    match case {
        NameCase::Lower => name.to_lowercase(),
        NameCase::Upper => name.to_uppercase(),
        NameCase::First => {
            let mut chars = name.chars();
            let first = chars.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
            first + &chars.as_str().to_lowercase()
        }
    }
}

/// What a docket changes against plain detection, as a notice. `typed`: the choices without the docket.
pub(crate) fn changes(surveyed: &Surveyed, typed: &Choices, docket: &DocketFile) -> Option<Notice> {
    let with = &surveyed.reading;
    let plain = surveyed.conclude(typed).ok()?;
    let shown = |column: &ColumnReading| match column.format() {
        _ if !column.is_wanted() => "left out".to_owned(),
        Some(format) => format!("{} {format}", column.rule.kind().word()),
        None => column.rule.kind().word().to_owned(),
    };
    let mut changes = Vec::new();
    for (mine, other) in with.columns.iter().zip(&plain.columns) {
        if mine.rule.kind() != other.rule.kind() || mine.format() != other.format() {
            changes.push(format!(
                "\u{201c}{}\u{201d} is {} instead of {}",
                other.name,
                shown(mine),
                shown(other)
            ));
        }
    }
    let renamed = docket.docket.columns.iter().filter_map(|c| Some((c.name.as_str(), c.called.as_deref()?)));
    changes.extend(
        renamed.map(|(name, called)| format!("\u{201c}{name}\u{201d} is called \u{201c}{called}\u{201d}")),
    );
    if changes.is_empty() {
        return None;
    }
    let more = if changes.len() > 8 { format!("; and {} more", changes.len() - 8) } else { String::new() };
    changes.truncate(8);
    let text = format!("the docket changes what would be found without it: {}{more}", changes.join("; "));
    Some(Notice::new(NoticeCode::DocketChanges, text))
}

/// Fails if two columns are called the same.
fn unique(reading: &Reading, docket: &str) -> Result<()> {
    let mut taken = HashSet::new();
    for column in reading.columns.iter().filter(|c| c.is_wanted()) {
        if !taken.insert(column.name.to_lowercase()) {
            return Err(Failure::usage(format!(
                "{docket}: two columns are called \u{201c}{}\u{201d}",
                column.name
            ))
            .leaving("nothing was written"));
        }
    }
    Ok(())
}
