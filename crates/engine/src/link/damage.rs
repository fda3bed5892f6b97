//! What is broken in a source, counted. What the last import had is known; what is new stops a refresh: a cut file, a byte that is
//! no character, or a quote out of place would otherwise blank, change or swallow rows.

use crate::text::Surveyed;
use incola_core::kind::Count;
use incola_core::reading::ColumnReading;
use incola_core::rows::Aside;
use incola_core::words::counted;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What was broken when rows were last brought in.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Damage {
    /// Places that hold no character in the encoding.
    pub undecodable: u64,
    /// Quotes that are never closed, or stand inside values.
    pub quotes: u64,
    /// Records that quotes stretch over several lines.
    pub wrapped: u64,
    /// Records with too few fields.
    pub short: u64,
    /// Lines that do not fit records of several lines.
    pub broken: u64,
    /// Files whose last line has no end.
    pub unended: u64,
    /// Totals printed among the records that these do not add up to.
    pub totals: u64,
    /// Lines that say that there are more or fewer records than were read.
    pub counts: u64,
    /// Files that end with a line which says how many records there are; no damage, but it is one if none does any more.
    pub counted: u64,
    /// Values that do not fit the kind of their column, by its name in the source.
    pub misfits: BTreeMap<String, u64>,
}

/// Damage that is this common in a source is how it is written.
const HABIT: u64 = 20;

/// A count of all sources, with the place of the first.
#[derive(Default)]
struct Tally {
    count: u64,
    line: u64,
}

impl Tally {
    fn of<'s>(sources: &[&'s Surveyed], count: impl Fn(&'s Surveyed) -> Count) -> Self {
        sources.iter().map(|s| count(s)).fold(Self::default(), |all, more| Self {
            line: if all.count == 0 { more.line } else { all.line },
            count: all.count + more.count,
        })
    }
}

fn both(a: Count, b: Count) -> Count {
    let line = [a, b].iter().filter(|c| c.count > 0).map(|c| c.line).min().unwrap_or(0);
    Count { count: a.count + b.count, line }
}

fn is_multiline(surveyed: &Surveyed) -> bool {
    surveyed.plan.dialect.division.lines_per_record() > 1
}

fn quotes(surveyed: &Surveyed) -> Count {
    both(surveyed.survey.facts.unclosed_quotes, surveyed.survey.facts.stray_quotes)
}

fn short(surveyed: &Surveyed) -> Count {
    if is_multiline(surveyed) { Count::default() } else { surveyed.survey.facts.short.seen }
}

fn broken(surveyed: &Surveyed) -> Count {
    if !is_multiline(surveyed) {
        return Count::default();
    }
    let facts = &surveyed.survey.facts;
    let mut strays = facts.set_aside.iter().filter(|s| s.why == Aside::Stray).peekable();
    let line = strays.peek().map_or(0, |s| s.line);
    both(Count { count: strays.map(|s| s.lines).sum(), line }, facts.short.seen)
}

fn totals(surveyed: &Surveyed) -> Count {
    let Some(printed) = &surveyed.printed else { return Count::default() };
    let differ = printed.differences.first().map_or(0, |difference| difference.line);
    both(
        Count { count: printed.differ, line: differ },
        Count {
            count: printed.unproved + u64::from(printed.uncovered > 0),
            line: printed.first_unproved.unwrap_or_default(),
        },
    )
}

/// Lines that count records otherwise than they are.
fn counts(surveyed: &Surveyed) -> Count {
    let Some(printed) = &surveyed.printed else { return Count::default() };
    let line = printed.counts.differences.first().map_or(0, |difference| difference.line);
    Count { count: printed.counts.differ, line }
}

impl Damage {
    /// Counts what is broken in sources. `columns`: of all of them together.
    pub fn of(sources: &[&Surveyed], columns: &[ColumnReading], names: &[String]) -> Self {
        let misfits = columns.iter().zip(names).filter(|(c, _)| c.is_wanted() && c.misfits.count > 0);
        Self {
            undecodable: Tally::of(sources, |s| s.survey.facts.undecodable).count,
            quotes: Tally::of(sources, quotes).count,
            wrapped: Tally::of(sources, |s| s.survey.facts.wrapped).count,
            short: Tally::of(sources, short).count,
            broken: Tally::of(sources, broken).count,
            unended: sources.iter().filter(|s| !s.is_ended).count() as u64,
            totals: Tally::of(sources, totals).count,
            counts: Tally::of(sources, counts).count,
            counted: sources.iter().filter_map(|s| s.printed.as_ref()).filter(|p| p.counts.is_whole).count()
                as u64,
            misfits: misfits.map(|(c, name)| (name.clone(), c.misfits.count)).collect(),
        }
    }

    /// What is broken now and was not before, each in a sentence. `records`: now, and before.
    pub fn news(
        before: Option<&Self>,
        sources: &[&Surveyed],
        columns: &[ColumnReading],
        records: (u64, u64),
    ) -> Vec<String> {
        let names: Vec<String> = columns.iter().map(|c| c.name.clone()).collect();
        let now = Self::of(sources, columns, &names);
        let none = Self::default();
        let old = before.unwrap_or(&none);
        let is_new = |now: u64, old: u64| now > old && old * HABIT <= records.1;
        let at = |line: u64| if line > 0 { format!(", the first in line {line}") } else { String::new() };
        let first = |tally: &Tally| at(tally.line);
        let mut news = Vec::new();
        let mut say = |is_new: bool, text: &dyn Fn() -> String| {
            if is_new {
                news.push(text());
            }
        };
        let undecodable = Tally::of(sources, |s| s.survey.facts.undecodable);
        say(is_new(now.undecodable, old.undecodable), &|| {
            let encoding = sources.first().map_or_else(String::new, |s| s.reading.encoding.value.name());
            let places = counted(now.undecodable, "place holds", "places hold");
            format!(
                "{places} no character in {encoding}{}; the sheet would show \u{fffd}",
                first(&undecodable)
            )
        });
        let strays = Tally::of(sources, quotes);
        say(is_new(now.quotes, old.quotes), &|| {
            let quotes = counted(now.quotes, "quote is", "quotes are");
            format!("{quotes} out of place{}; records may be run together", first(&strays))
        });
        let broken = Tally::of(sources, broken);
        say(is_new(now.broken, old.broken), &|| {
            let lines = counted(now.broken, "record or line does", "records or lines do");
            format!("{lines} not fit the records of several lines{}", first(&broken))
        });
        // Older links do not know about the rest.
        if before.is_some() {
            let wrapped = Tally::of(sources, |s| s.survey.facts.wrapped);
            say(is_new(now.wrapped, old.wrapped) && records.0 < records.1, &|| {
                let wrapped_now = counted(now.wrapped, "record goes", "records go");
                format!(
                    "{wrapped_now} over several lines between two quotes{}, and there are fewer",
                    first(&wrapped)
                )
            });
            let short = Tally::of(sources, short);
            say(is_new(now.short, old.short), &|| {
                let records = counted(now.short, "record has", "records have");
                format!("{records} fewer fields than the others{}: the file may be cut short", first(&short))
            });
            say(now.unended > 0 && old.unended == 0, &|| {
                "the last line has no line end, as it had before: the file may be cut short".into()
            });
            let differing = Tally::of(sources, totals);
            say(is_new(now.totals, old.totals), &|| {
                let lines = counted(now.totals, "printed total is", "printed totals are");
                format!("{lines} not what the records add up to{}: lines may be missing", first(&differing))
            });
            let miscounted = Tally::of(sources, counts);
            say(is_new(now.counts, old.counts), &|| {
                let lines = counted(now.counts, "line says", "lines say");
                format!("{lines} that there are more or fewer records than were read{}", first(&miscounted))
            });
            say(old.counted > 0 && now.counted + now.counts == 0, &|| {
                "no line at the end says any more how many records there are: the file may be cut short"
                    .into()
            });
            for column in columns.iter().filter(|c| c.is_wanted()) {
                let old = old.misfits.get(&column.name).copied().unwrap_or(0);
                let misfits = column.misfits;
                say(misfits.count > 0 && old == 0, &|| {
                    let values = counted(misfits.count, "value is", "values are");
                    let kind = column.rule.kind().word();
                    format!("{}: {values} no {kind}{}; there were none before", column.name, at(misfits.line))
                });
            }
        }
        news
    }
}
