//! The source of a link, read again as the link says, and refused where it is broken.

use super::Wishes;
use crate::cells::ColumnWriter;
use crate::export::{self, SourceForm};
use crate::feed::{Doing, Feed, Nobody, Watch};
use crate::fingerprints::{Columns, RecordFingerprints, prints};
use crate::import::Slot;
use crate::link::{Damage, Link};
use crate::stop::{KindDiffers, LinkStop, Result, Stop};
use crate::text::{Surveyed, conclude, survey};
use crate::totals;
use incola_core::kind::Kind;
use incola_core::reading::{Choices, Reading};
use incola_core::settings::LineRange;
use incola_core::settings::docket::Docket;
use incola_workbook::Styles;
use std::sync::Arc;

/// How a docket is obeyed: the choices that it makes, and the lines that it wants.
pub type Chooser<'c> = dyn Fn(&Docket) -> Result<(Choices, Option<LineRange>)> + 'c;

/// A source of a link, open.
#[derive(Clone)]
pub struct OpenSource {
    /// Its bytes.
    pub feed: Arc<dyn Feed>,
    /// What people call it.
    pub name: String,
    /// What the link calls it.
    pub at: String,
}

/// The sources of a link as they are now, surveyed by the link's docket, with what became of their columns.
pub struct SourceNow {
    /// The sources.
    pub sources: Vec<OpenSource>,
    /// Each of them, surveyed.
    pub surveyed: Vec<Surveyed>,
    /// Columns of all sources together.
    pub reading: Reading,
    /// The docket, with the names that columns have now.
    pub docket: Docket,
    pub(super) writers: Vec<ColumnWriter>,
    pub(super) styles: Styles,
    /// By column of the link: what it is made of; `None`: the source has it no more.
    pub(super) slots: Vec<Option<Slot>>,
    /// Columns of the source that are new, from 0.
    pub(super) added: Vec<usize>,
    /// Columns of the link that the source calls otherwise now: the place in the link, and the new name.
    pub(super) renamed: Vec<(usize, String)>,
    /// Columns of the source that are new, and stay out.
    pub(super) left_out: Vec<String>,
    /// What is broken where it was not before, and was accepted.
    pub(super) accepted: Vec<String>,
}

/// Columns of link and source that are not in both.
struct Difference {
    /// Places in the link.
    gone: Vec<usize>,
    /// Columns of the source, from 0.
    added: Vec<usize>,
    renamed: Vec<(usize, String)>,
}

impl SourceNow {
    /// How the source is written, where there is one.
    pub(super) fn form(&self) -> Option<SourceForm> {
        let [surveyed] = self.surveyed.as_slice() else { return None };
        let names: Vec<String> = self.reading.columns.iter().map(|column| column.name.clone()).collect();
        export::observe(surveyed, &self.reading.columns, &names)
    }

    /// Surveys the sources of a link. `from_1904`: whether the workbook counts its days from 1904.
    ///
    /// # Errors
    /// If they cannot be read, are broken where they were not, or of another shape than they were.
    pub fn read(
        link: &Link,
        sources: Vec<OpenSource>,
        choose: &Chooser<'_>,
        from_1904: bool,
        wishes: Wishes<'_>,
    ) -> Result<Self> {
        let bad = |why: String| Stop::link(&link.name, LinkStop::Broken { why });
        let mut docket = Docket::read_kept(&link.docket).map_err(|error| bad(error.why))?;
        let mut surveyed = survey_all(&sources, choose(&docket)?, link)?;
        let Some(first) = surveyed.first() else { return Err(bad("it has no source".into())) };
        let mut found = difference(link, &docket, &first.reading);
        if !found.gone.is_empty() && !wishes.accepts_columns {
            return Err(reshaped(link, &sources, &first.reading, &found));
        }
        if !found.renamed.is_empty() {
            rename(link, &mut docket, &found.renamed);
            surveyed = survey_all(&sources, choose(&docket)?, link)?;
            let Difference { gone, added, renamed } = &mut found;
            gone.retain(|place| renamed.iter().all(|(own, _)| own != place));
            let names: Vec<String> = renamed.iter().map(|(_, name)| name.to_lowercase()).collect();
            added.retain(|n| !names.contains(&surveyed[0].reading.columns[*n].name.to_lowercase()));
        }
        for (source, own) in sources.iter().zip(&mut surveyed) {
            totals::settle(source.feed.as_ref(), own)?;
        }
        let mut reading = surveyed[0].reading.clone();
        if surveyed.len() > 1 {
            reading = conclude(&surveyed.iter().collect::<Vec<_>>(), &choose(&docket)?.0)?;
        }
        for column in &mut reading.columns {
            let own = docket.columns.iter().find(|c| c.name.to_lowercase() == column.name.to_lowercase());
            column.zero_if_blank =
                own.is_some_and(|c| c.zero_if_blank == Some(true)) && column.rule.kind() == Kind::Number;
        }
        check(link, &reading, &sources, wishes)?;
        let all: Vec<&Surveyed> = surveyed.iter().collect();
        let counts = (reading.records, link.table.rows);
        let news = Damage::news(link.damage.as_ref(), &all, &reading.columns, counts);
        if !news.is_empty() && !wishes.accepts_damage {
            return Err(Stop::link(&link.name, LinkStop::Damaged { source: shown(&sources), news }));
        }
        Ok(Self::concluded(link, (sources, surveyed), (reading, docket), found, (from_1904, wishes), news))
    }

    /// Everything that was found, put together.
    fn concluded(
        link: &Link,
        (sources, surveyed): (Vec<OpenSource>, Vec<Surveyed>),
        (reading, docket): (Reading, Docket),
        Difference { mut added, renamed, .. }: Difference,
        (from_1904, wishes): (bool, Wishes<'_>),
        accepted: Vec<String>,
    ) -> Self {
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
        let writers = ColumnWriter::for_book(&reading.columns, &mut styles, from_1904);
        Self {
            sources,
            surveyed,
            reading,
            docket,
            writers,
            styles,
            slots,
            added,
            renamed,
            left_out,
            accepted,
        }
    }

    /// Whoever watches the sources.
    pub(super) fn watch(&self, doing: Doing) -> Box<dyn Watch + '_> {
        self.sources
            .first()
            .map_or_else(|| Box::new(Nobody) as Box<dyn Watch>, |source| source.feed.watch(doing, 0))
    }

    /// What is broken in the source, as the link will know it.
    pub(super) fn damage(&self) -> Damage {
        let all: Vec<&Surveyed> = self.surveyed.iter().collect();
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
    pub(super) fn prints_by(&self, slots: &[Slot], key: &[usize]) -> Result<RecordFingerprints> {
        let mut all = RecordFingerprints::default();
        for (source, surveyed) in self.sources.iter().zip(&self.surveyed) {
            let source = source.feed.as_ref();
            let label = source.label();
            let columns = &self.reading.columns;
            let of = Columns { columns, writers: &self.writers, slots, key, label: &label };
            prints(source, surveyed, of, &mut all)?;
        }
        Ok(all)
    }
}

/// Gives the columns of a docket the names that they have now.
fn rename(link: &Link, docket: &mut Docket, renamed: &[(usize, String)]) {
    for (place, name) in renamed {
        let old = link.columns[*place].name.clone().unwrap_or_default().to_lowercase();
        for column in docket.columns.iter_mut().filter(|c| c.name.to_lowercase() == old) {
            column.name.clone_from(name);
        }
    }
}

/// What messages call the sources.
fn shown(sources: &[OpenSource]) -> String {
    match sources {
        [one] => one.feed.shown(),
        many => format!("{} files", many.len()),
    }
}

fn survey_all(
    sources: &[OpenSource],
    (choices, lines): (Choices, Option<LineRange>),
    link: &Link,
) -> Result<Vec<Surveyed>> {
    let surveyed = sources.iter().map(|source| survey(source.feed.as_ref(), &choices, lines));
    let surveyed: Vec<Surveyed> = surveyed.collect::<Result<_>>()?;
    let names = |s: &Surveyed| s.reading.columns.iter().map(|c| c.name.to_lowercase()).collect::<Vec<_>>();
    for (source, other) in sources.iter().zip(&surveyed).skip(1) {
        if names(other) != names(&surveyed[0]) {
            let why = LinkStop::SourcesDiffer { first: sources[0].feed.shown(), other: source.feed.shown() };
            return Err(Stop::link(&link.name, why));
        }
    }
    Ok(surveyed)
}

fn position(reading: &Reading, name: &str) -> Option<usize> {
    let name = name.to_lowercase();
    reading.columns.iter().position(|c| c.name.to_lowercase() == name)
}

/// Columns of the link that the source has no more, and columns of the source that the link does not know.
fn difference(link: &Link, docket: &Docket, reading: &Reading) -> Difference {
    let gone = (0..link.columns.len())
        .filter(|n| link.columns[*n].name.as_ref().is_some_and(|name| position(reading, name).is_none()));
    let is_known = |name: &str| {
        let name = name.to_lowercase();
        docket.columns.iter().any(|c| c.name.to_lowercase() == name)
    };
    let added = (0..reading.columns.len())
        .filter(|n| reading.columns[*n].is_wanted() && !is_known(&reading.columns[*n].name));
    let (gone, added): (Vec<usize>, Vec<usize>) = (gone.collect(), added.collect());
    let renamed = renamings(link, reading, &gone, &added);
    Difference { gone, added, renamed }
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

/// What is said where columns went.
fn reshaped(link: &Link, sources: &[OpenSource], reading: &Reading, found: &Difference) -> Stop {
    let gone = found.gone.iter().map(|place| {
        let column = &link.columns[*place];
        let new = found.renamed.iter().find(|(own, _)| own == place).map(|(_, new)| new.clone());
        (column.name.clone().unwrap_or_default(), column.kind.clone(), new)
    });
    let is_new = |name: &str| found.renamed.iter().all(|(_, new)| new != name);
    let added = found.added.iter().map(|n| &reading.columns[*n]).filter(|c| is_new(&c.name));
    let why = LinkStop::Reshaped {
        source: sources.first().map(|source| source.feed.shown()).unwrap_or_default(),
        gone: gone.collect(),
        added: added.map(|c| (c.name.clone(), c.rule.kind().word().to_owned())).collect(),
    };
    Stop::link(&link.name, why)
}

/// Fails if the source holds far less than before, or other kinds of values.
fn check(link: &Link, reading: &Reading, sources: &[OpenSource], wishes: Wishes<'_>) -> Result<()> {
    let (records, before) = (reading.records, link.table.rows);
    if records * 2 < before && !wishes.accepts_shorter {
        let why = LinkStop::Shrunk { source: shown(sources), records, before };
        return Err(Stop::link(&link.name, why));
    }
    let misfits = |c: &&incola_core::reading::ColumnReading| {
        c.is_wanted() && c.rule.kind() != Kind::Text && c.misfits.count * 2 > c.stats.filled
    };
    let differing = reading.columns.iter().filter(misfits).map(|column| KindDiffers {
        name: column.name.clone(),
        kind: column.rule.kind().word(),
        misfits: column.misfits.count,
        filled: column.stats.filled,
        line: column.misfits.line,
    });
    let columns: Vec<KindDiffers> = differing.collect();
    if !columns.is_empty() && !wishes.accepts_columns {
        let why = LinkStop::KindsDiffer { source: shown(sources), columns };
        return Err(Stop::link(&link.name, why));
    }
    Ok(())
}
