//! Control totals: what the columns of a source or a sheet hold, counted and added up exactly, as a whole and in groups.

mod against;
mod column;
mod days;
mod order;
mod sheet;
mod spread;

pub use against::{CellDifference, Comparison, MOST_LOOKED_AT, against};
pub use column::{ColumnTally, Figures, Moments, Place};
pub use days::{Days, Gaps};
pub use incola_core::shape::Period;
pub use order::{Ends, Ranked};
pub use sheet::{SheetRows, tally_sheet};
pub use spread::{FarOut, NumberAt, Spread};

use crate::feed::{Doing, Feed};
use crate::stop::{Result, Stop};
use crate::text::{Surveyed, each_block};
use incola_core::kind::statistics::trim;
use incola_core::kind::{Kind, Marks, Sum, Value};
use incola_core::reading::ColumnReading;
use incola_core::rows::{Each, Flow, Record};
use incola_core::survey::Blanks;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};

/// Most groups.
pub const MOST_GROUPS: usize = 100_000;

/// A column of which a tally is taken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Column {
    /// Its number in the source or the sheet, from 1.
    pub number: usize,
    /// What it is called.
    pub name: String,
    /// What most of its values are.
    pub kind: Kind,
    /// How it spells numbers.
    pub marks: Marks,
    /// Whether anybody wants to see it.
    pub is_wanted: bool,
}

impl Column {
    /// Columns of a source.
    pub fn of(columns: &[ColumnReading]) -> Vec<Self> {
        let own = |column: &ColumnReading| Self {
            number: column.number,
            name: column.name.clone(),
            kind: column.rule.kind(),
            marks: column.rule.marks(),
            is_wanted: column.is_wanted(),
        };
        columns.iter().map(own).collect()
    }

    /// Whether it has a sum.
    pub fn adds_up(&self) -> bool {
        self.is_wanted && self.kind == Kind::Number
    }
}

/// What a tally is divided by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct By {
    /// A column of the source, from 0.
    pub column: usize,
    /// For dates: the time that makes a group.
    pub period: Option<Period>,
}

/// What is wanted besides what the columns hold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Wanted {
    /// Groups.
    pub by: Option<By>,
    /// The first and the last records in the order of this column, from 0.
    pub sort: Option<usize>,
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
    /// The first and the last records, if an order is wanted.
    pub ends: Option<Ends>,
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
        if let Some(more) = later.ends {
            self.ends.get_or_insert_default().merge(more);
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

    /// Begins a record.
    fn record(&mut self, wanted: Wanted) -> Adding<'_> {
        self.records += 1;
        let sums = wanted.by.map(|_| vec![Sum::default(); self.columns.len()]);
        Adding { tally: self, by: wanted.by, name: None, sums }
    }

    /// Adds a record of a source.
    fn add(&mut self, record: &Record<'_>, columns: &[ColumnReading], blank: &Blanks, wanted: Wanted) {
        let mut adding = self.record(wanted);
        for (n, column) in columns.iter().enumerate().filter(|(_, column)| column.is_wanted()) {
            let field = record.field(n);
            let value = if blank.means_empty(n, field) { Value::Blank } else { column.read(field) };
            adding.field(n, field, &value, record.line());
        }
        adding.end();
        if let Some(n) = wanted.sort {
            let field = record.field(n);
            let value = if blank.means_empty(n, field) { Value::Blank } else { columns[n].read(field) };
            let spelled = |n: usize| String::from_utf8_lossy(trim(record.field(n)).0).into_owned();
            let fields = || (0..columns.len()).map(spelled).collect();
            self.ends.get_or_insert_default().offer((field, &value), record.line(), fields);
        }
    }
}

/// A record that is being added.
struct Adding<'t> {
    tally: &'t mut Tally,
    by: Option<By>,
    /// Its group.
    name: Option<String>,
    sums: Option<Vec<Sum>>,
}

impl Adding<'_> {
    fn field(&mut self, place: usize, field: &[u8], value: &Value<'_>, line: u64) {
        self.tally.columns[place].add(field, value, line);
        if let (Some(sums), Value::Number(number, _)) = (&mut self.sums, value) {
            sums[place].add(number);
        }
        if let Some(by) = self.by.filter(|by| by.column == place) {
            self.name = Some(group_name(field, value, by.period));
        }
    }

    fn end(self) {
        let (Some(name), Some(sums)) = (self.name, self.sums) else { return };
        let group = self.tally.groups.entry(name).or_default();
        group.records += 1;
        group.sums.resize(sums.len(), Sum::default());
        for (mine, more) in group.sums.iter_mut().zip(&sums) {
            mine.merge(more);
        }
    }
}

/// What the records of a group have in common.
fn group_name(field: &[u8], value: &Value<'_>, period: Option<Period>) -> String {
    match (value, period) {
        (Value::Moment(Some(day), ..), Some(period)) => period.of(*day),
        (Value::Blank, _) => String::new(),
        _ => String::from_utf8_lossy(trim(field).0).into_owned(),
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
/// let by = Some(tally::By { column: 0, period: None });
/// let tally = tally::tally(&dues, &surveyed, tally::Wanted { by, sort: None }).unwrap();
/// assert_eq!(tally.columns[1].figures.as_ref().unwrap().sum.text(2), "15.75");
/// assert_eq!((tally.columns[1].empty, tally.groups["007"].records), (1, 2));
/// ```
pub fn tally(source: &dyn Feed, surveyed: &Surveyed, wanted: Wanted) -> Result<Tally> {
    let columns = &surveyed.reading.columns;
    let mut all = Tally::of(columns.len());
    // Where there are more different values than are counted, nobody has to count on.
    let has_many: Vec<AtomicBool> = columns.iter().map(|_| AtomicBool::new(false)).collect();
    each_block(
        source,
        surveyed,
        Doing::Reading,
        |mut block| {
            let mut own = Tally::of(columns.len());
            for (column, many) in own.columns.iter_mut().zip(&has_many) {
                column.has_more = many.load(Ordering::Relaxed);
            }
            block.each(&mut Each(|record: &Record<'_>| {
                own.add(record, columns, &surveyed.plan.blank, wanted);
                Flow::Continue(())
            }));
            own
        },
        |own| {
            all.merge(own);
            for (column, many) in all.columns.iter().zip(&has_many) {
                many.store(column.has_more, Ordering::Relaxed);
            }
            if all.groups.len() > MOST_GROUPS {
                let column = wanted.by.and_then(|by| columns.get(by.column)).map(|c| c.name.clone());
                return Err(Stop::TooManyGroups { column: column.unwrap_or_default(), most: MOST_GROUPS });
            }
            Ok(())
        },
    )?;
    Ok(all)
}
