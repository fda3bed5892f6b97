//! Control totals: what the columns of a source hold, counted and added up exactly, as a whole and in groups.

mod column;

pub use column::{ColumnTally, Figures, Moments, Place};
pub use incola_core::shape::Period;

use crate::feed::{Doing, Feed};
use crate::stop::{Result, Stop};
use crate::text::{Surveyed, each_block};
use incola_core::kind::{Kind, Sum, Value};
use incola_core::reading::ColumnReading;
use incola_core::rows::{Each, Flow, Record};
use incola_core::survey::Blanks;
use std::collections::BTreeMap;

/// Most groups.
pub const MOST_GROUPS: usize = 100_000;

/// What a tally is divided by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct By {
    /// A column of the source, from 0.
    pub column: usize,
    /// For dates: the time that makes a group.
    pub period: Option<Period>,
}

/// The records of a group.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Group {
    /// Records.
    pub records: u64,
    /// By column of the source: the sum of its numbers.
    pub sums: Vec<Sum>,
}

/// Control totals of a source.
#[derive(Clone, Debug, Default)]
pub struct Tally {
    /// Records.
    pub records: u64,
    /// By column of the source.
    pub columns: Vec<ColumnTally>,
    /// Groups by what they have in common, in rising order.
    pub groups: BTreeMap<String, Group>,
}

impl Tally {
    fn of(columns: usize) -> Self {
        Self { columns: vec![ColumnTally::default(); columns], ..Self::default() }
    }

    fn merge(&mut self, later: Self) {
        self.records += later.records;
        for (mine, more) in self.columns.iter_mut().zip(later.columns) {
            mine.merge(more);
        }
        for (name, more) in later.groups {
            let mine = self.groups.entry(name).or_default();
            mine.records += more.records;
            mine.sums.resize(mine.sums.len().max(more.sums.len()), Sum::default());
            for (sum, more) in mine.sums.iter_mut().zip(&more.sums) {
                sum.merge(more);
            }
        }
    }

    /// Adds a record.
    fn add(&mut self, record: &Record<'_>, columns: &[ColumnReading], blank: &Blanks, by: Option<By>) {
        self.records += 1;
        let mut name = None;
        let mut sums = by.map(|_| vec![Sum::default(); columns.len()]);
        for (n, (column, tally)) in columns.iter().zip(&mut self.columns).enumerate() {
            if !column.is_wanted() {
                continue;
            }
            let field = record.field(n);
            let value = if blank.means_empty(n, field) { Value::Blank } else { column.read(field) };
            tally.add(field, &value, record.line());
            if let (Some(sums), Value::Number(number, _)) = (&mut sums, &value) {
                sums[n].add(number);
            }
            if by.is_some_and(|by| by.column == n) {
                name = Some(group_name(field, &value, by.and_then(|by| by.period)));
            }
        }
        if let (Some(name), Some(sums)) = (name, sums) {
            let group = self.groups.entry(name).or_default();
            group.records += 1;
            group.sums.resize(columns.len(), Sum::default());
            for (mine, more) in group.sums.iter_mut().zip(&sums) {
                mine.merge(more);
            }
        }
    }
}

/// What the records of a group have in common.
fn group_name(field: &[u8], value: &Value<'_>, period: Option<Period>) -> String {
    match (value, period) {
        (Value::Moment(Some(day), ..), Some(period)) => period.of(*day),
        (Value::Blank, _) => String::new(),
        _ => String::from_utf8_lossy(incola_core::kind::statistics::trim(field).0).into_owned(),
    }
}

/// Goes over all records of a surveyed source.
///
/// # Errors
/// If it cannot be read, was changed since the survey, or has more than [`MOST_GROUPS`] groups.
///
/// ```
/// use incola_core::reading::Choices;
/// use incola_engine::feed::InMemory;
/// use incola_engine::{tally, text::survey};
/// let dues = InMemory::new("dues.csv", b"Berth,Dues\n007,12.50\n012,3.25\n007,\n");
/// let surveyed = survey(&dues, &Choices::default(), None).unwrap();
/// let tally = tally::tally(&dues, &surveyed, Some(tally::By { column: 0, period: None })).unwrap();
/// assert_eq!(tally.columns[1].figures.as_ref().unwrap().sum.text(2), "15.75");
/// assert_eq!((tally.columns[1].empty, tally.groups["007"].records), (1, 2));
/// ```
pub fn tally(source: &dyn Feed, surveyed: &Surveyed, by: Option<By>) -> Result<Tally> {
    let columns = &surveyed.reading.columns;
    let mut all = Tally::of(columns.len());
    each_block(
        source,
        surveyed,
        Doing::Reading,
        |mut block| {
            let mut own = Tally::of(columns.len());
            block.each(&mut Each(|record: &Record<'_>| {
                own.add(record, columns, &surveyed.plan.blank, by);
                Flow::Continue(())
            }));
            own
        },
        |own| {
            all.merge(own);
            if all.groups.len() > MOST_GROUPS {
                let column = by.and_then(|by| columns.get(by.column)).map(|c| c.name.clone());
                return Err(Stop::TooManyGroups { column: column.unwrap_or_default(), most: MOST_GROUPS });
            }
            Ok(())
        },
    )?;
    Ok(all)
}

/// Whether a column has a sum.
pub fn adds_up(column: &ColumnReading) -> bool {
    column.is_wanted() && column.rule.kind() == Kind::Number
}
