//! Records rolled up: one row for all records of a group.

use super::expression::{Aggregate, Column, Function, Type, Val, add, bind_list, divide, round};
use super::{Fault, Period, RowsText, Shaping, Values};
use crate::kind::{Count, Day, Kind};
use crate::rows::Record;
use crate::settings::BadSetting;
use crate::settings::selector::Selector;
use rust_decimal::Decimal;
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

/// Decimals that a mean has more than its values.
const MEAN_DECIMALS: u32 = 2;

/// What makes a group: a column, or the times that its dates are in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct GroupChoice {
    /// Which column.
    pub column: Selector,
    /// The times.
    pub period: Option<Period>,
    /// As it was typed.
    pub text: String,
}

impl GroupChoice {
    /// Reads `COLUMN` or `COLUMN/PERIOD`.
    ///
    /// ```
    /// use incola_core::shape::{GroupChoice, Period};
    /// assert_eq!(GroupChoice::read("Arrived/month").period, Some(Period::Month));
    /// assert_eq!(GroupChoice::read("In/Out").column.text(), "In/Out");
    /// ```
    pub fn read(text: &str) -> Self {
        let split = text.rsplit_once('/').and_then(|(column, word)| Some((column, Period::from_word(word)?)));
        let (column, period) = split.map_or((text, None), |(column, period)| (column, Some(period)));
        Self { column: Selector::new(column), period, text: text.to_owned() }
    }
}

/// Groups of records, and what is taken of them, bound to the columns of a source.
#[derive(Clone, Debug)]
pub struct Grouping {
    keys: Vec<(usize, Option<Period>)>,
    takes: Vec<Aggregate>,
    /// What the rows have: names, kinds, and what makes them.
    pub(super) columns: Vec<GroupColumn>,
}

/// A column of rolled-up rows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct GroupColumn {
    /// Its name.
    pub name: String,
    /// Its kind.
    pub kind: Kind,
    /// What makes it, in words.
    pub why: String,
}

/// The value of a key, in the order of the rows.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
enum Key {
    Nothing,
    Number(Decimal),
    Text(String),
    Boolean(bool),
    Date(i64),
    Time(i64),
    DateTime(i64),
}

impl Key {
    fn of(value: Val<'_>, period: Option<Period>) -> Self {
        let of_day =
            |days: i64, period: Period| Day::on(days).map_or(Self::Nothing, |d| Self::Text(period.of(d)));
        match (value, period) {
            (Val::Date(days), Some(period)) if period != Period::Day => of_day(days, period),
            (Val::DateTime(millis), Some(Period::Day)) => Self::Date(millis.div_euclid(86_400_000)),
            (Val::DateTime(millis), Some(period)) => of_day(millis.div_euclid(86_400_000), period),
            (Val::Null, _) => Self::Nothing,
            // 1.5 and 1.50 are one.
            (Val::Number(number), _) => Self::Number(number.normalize()),
            (Val::Text(text), _) => Self::Text(text.into_owned()),
            (Val::Boolean(is), _) => Self::Boolean(is),
            (Val::Date(days), _) => Self::Date(days),
            (Val::Time(millis), _) => Self::Time(millis),
            (Val::DateTime(millis), _) => Self::DateTime(millis),
            (Val::Days(days), _) => Self::Number(Decimal::from(days)),
        }
    }

    fn text_bytes(&self) -> usize {
        if let Self::Text(text) = self { text.len() } else { 0 }
    }

    fn value(&self) -> Val<'_> {
        match self {
            Self::Nothing => Val::Null,
            Self::Number(number) => Val::Number(*number),
            Self::Text(text) => Val::Text(text.as_str().into()),
            Self::Boolean(is) => Val::Boolean(*is),
            Self::Date(days) => Val::Date(*days),
            Self::Time(millis) => Val::Time(*millis),
            Self::DateTime(millis) => Val::DateTime(*millis),
        }
    }
}

/// What is taken of a group, so far.
#[derive(Clone, Debug, Serialize, Deserialize)]
enum Taken {
    Count(u64),
    /// A sum of so many values, the most decimals of one; `None`: it has too many digits.
    Sum(Option<Decimal>, u64, u32),
    /// The smallest or largest (by the order that a later one must have), the first or the last one.
    One(Option<Val<'static>>),
}

/// Groups of the records of a text, or of a whole source.
#[derive(Clone, Debug, Default)]
pub struct Groups {
    groups: FxHashMap<Vec<Key>, Vec<Taken>>,
    /// Room for the key of a record.
    key: Vec<Key>,
    /// Bytes of memory that they take, about.
    bytes: usize,
    /// Records in them.
    pub records: u64,
    /// Values that could not be computed, by what is taken; lines are those of the source.
    pub unmade: Vec<(Count, Option<Fault>)>,
}

impl Grouping {
    /// Binds groups and what is taken of them.
    pub(super) fn bind(
        by: &[GroupChoice],
        take: Option<&str>,
        columns: &[Column],
    ) -> Result<Self, BadSetting> {
        let names: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
        let mut grouping = Self { keys: Vec::new(), takes: Vec::new(), columns: Vec::new() };
        for choice in by {
            let places = choice.column.places(&names);
            if places.is_empty() {
                return Err(BadSetting::no_such_column("by", &choice.text, &choice.column, &names));
            }
            for place in places {
                let kind = columns[place].kind;
                if choice.period.is_some() && !matches!(kind, Kind::Date | Kind::DateTime) {
                    let why = format!(
                        "\u{201c}{}\u{201d} is {}, and has no days",
                        names[place],
                        Type::of_kind(kind).word()
                    );
                    let bad = BadSetting::new("by", &choice.text, why);
                    return Err(if kind == Kind::Text {
                        bad.hint(&format!("if it holds dates: --as '{}=date:dd/MM/yyyy'", names[place]))
                    } else {
                        bad
                    });
                }
                let word = Period::WORDS.iter().find(|(_, period)| Some(*period) == choice.period);
                let (name, kind) = match word {
                    None => (names[place].clone(), kind),
                    Some(("day", _)) => (format!("{} day", names[place]), Kind::Date),
                    Some((word, _)) => (format!("{} {word}", names[place]), Kind::Text),
                };
                grouping.keys.push((place, choice.period));
                grouping.columns.push(GroupColumn { name, kind, why: "rows are of one value each".into() });
            }
        }
        let text = take.unwrap_or("COUNT(*)");
        grouping.takes = bind_list(text, columns).map_err(|bad| {
            let wrong = BadSetting::new("take", "", bad.shown(text));
            bad.hint.iter().fold(wrong, |wrong, hint| wrong.hint(hint))
        })?;
        for take in &grouping.takes {
            let of_value = take.of.as_ref().map_or(Kind::Text, |of| of.1.kind());
            let (word, kind) = match take.function {
                Function::Count => ("number", Kind::Number),
                Function::Sum => ("sum", Kind::Number),
                Function::Avg => ("mean", Kind::Number),
                Function::Min => ("smallest", of_value),
                Function::Max => ("largest", of_value),
                Function::First => ("first", of_value),
                Function::Last => ("last", of_value),
            };
            let own = if take.of.is_none() { "Records".into() } else { format!("{} {word}", take.text) };
            let name = take.name.clone().unwrap_or(own);
            let of = if take.of.is_none() { "*" } else { &take.text };
            let why = format!("computed: {}({of})", take.function.word());
            grouping.columns.push(GroupColumn { name, kind, why });
        }
        for (n, column) in grouping.columns.iter().enumerate() {
            let same = |other: &GroupColumn| other.name.to_lowercase() == column.name.to_lowercase();
            if grouping.columns[..n].iter().any(same) {
                let why = format!("two columns are called \u{201c}{}\u{201d}", column.name);
                return Err(BadSetting::new("take", text, why).hint("name one: SUM(Dues) AS Total"));
            }
        }
        Ok(grouping)
    }

    /// How many of the columns make a group: the first ones.
    pub fn keys(&self) -> usize {
        self.keys.len()
    }

    /// The columns of the rows.
    pub fn columns(&self) -> &[GroupColumn] {
        &self.columns
    }

    fn nothing(&self) -> Vec<Taken> {
        let of = |take: &Aggregate| match take.function {
            Function::Count => Taken::Count(0),
            Function::Sum | Function::Avg => Taken::Sum(Some(Decimal::ZERO), 0, 0),
            Function::Min | Function::Max | Function::First | Function::Last => Taken::One(None),
        };
        self.takes.iter().map(of).collect()
    }
}

impl Groups {
    /// No groups yet.
    pub fn new(grouping: &Grouping) -> Self {
        Self { unmade: vec![(Count::default(), None); grouping.takes.len()], ..Self::default() }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.groups.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.groups.is_empty()
    }

    /// Takes a record.
    pub fn add(&mut self, shaping: &Shaping, grouping: &Grouping, record: &Record<'_>) {
        use super::expression::Row;
        let row = Values { shaping, record, derived: record.derived() };
        self.key.clear();
        self.key.extend(grouping.keys.iter().map(|(column, period)| {
            // What does not fit the kind of its column is in the group without a value.
            row.value(*column).map_or(Key::Nothing, |value| Key::of(value, *period))
        }));
        self.records += 1;
        if !self.groups.contains_key(&self.key) {
            self.insert(self.key.clone(), grouping.nothing());
        }
        let Some(taken) = self.groups.get_mut(&self.key) else { return };
        for (n, (take, taken)) in grouping.takes.iter().zip(taken).enumerate() {
            let value = match &take.of {
                None => Ok(Val::Boolean(true)),
                Some((tree, _)) => tree.value(&row),
            };
            match value {
                Ok(value) if value.is_null() => {}
                Ok(value) => self.bytes += taken.add(take.function, value),
                Err(fault) => {
                    self.unmade[n].0.add(record.line());
                    self.unmade[n].1.get_or_insert(fault);
                }
            }
        }
    }

    fn insert(&mut self, key: Vec<Key>, taken: Vec<Taken>) {
        let texts = key.iter().map(Key::text_bytes).sum::<usize>();
        let texts = texts + taken.iter().map(Taken::text_bytes).sum::<usize>();
        // Both lists, and their place among the others.
        let own = size_of_val(&key[..]) + size_of_val(&taken[..]) + 80;
        self.bytes += own + texts;
        self.groups.insert(key, taken);
    }

    /// Adds the groups of records further on.
    pub fn merge(&mut self, grouping: &Grouping, later: Self) {
        self.records += later.records;
        for (mine, later) in self.unmade.iter_mut().zip(later.unmade) {
            if mine.0.count == 0 {
                *mine = later;
            } else {
                mine.0.count += later.0.count;
            }
        }
        for (key, later) in later.groups {
            match self.groups.get_mut(&key) {
                Some(mine) => {
                    for ((mine, later), take) in mine.iter_mut().zip(later).zip(&grouping.takes) {
                        self.bytes += mine.merge(take.function, later);
                    }
                }
                None => self.insert(key, later),
            }
        }
    }

    /// Bytes of memory that they take, about; texts that were replaced by others count until they are [taken](Self::take).
    pub fn bytes(&self) -> usize {
        self.bytes
    }

    /// Takes all of them out, in the order of the rows; what was counted stays.
    pub fn take(&mut self) -> impl Iterator<Item = Group> + use<> {
        self.bytes = 0;
        let groups = self.groups.drain().map(|(key, taken)| Group { key, taken });
        let mut groups: Vec<Group> = groups.collect();
        groups.sort_unstable_by(Group::order);
        groups.into_iter()
    }
}

/// One group, and what was taken of it so far: it can be put aside, and had back.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Group {
    key: Vec<Key>,
    taken: Vec<Taken>,
}

impl Group {
    /// Its place in the order of the rows, compared with another one's.
    pub fn order(&self, other: &Self) -> std::cmp::Ordering {
        self.key.cmp(&other.key)
    }

    /// Adds what was taken of the same group further on.
    pub fn merge(&mut self, grouping: &Grouping, later: Self) {
        for ((mine, later), take) in self.taken.iter_mut().zip(later.taken).zip(&grouping.takes) {
            mine.merge(take.function, later);
        }
    }

    /// Adds its row; gives how many values have too many digits, and stay empty.
    pub fn push_row(&self, grouping: &Grouping, rows: &mut RowsText) -> u64 {
        let mut faults = 0;
        let taken = grouping.takes.iter().zip(&self.taken).map(|(take, taken)| taken.value(take));
        let values = self.key.iter().map(|key| Ok(key.value())).chain(taken);
        rows.push(values.map(|value| {
            let mut field = Vec::new();
            if value.and_then(|value| value.spell(&mut field)).is_err() {
                faults += 1;
                field.clear();
            }
            field
        }));
        faults
    }
}

impl Taken {
    fn text_bytes(&self) -> usize {
        if let Self::One(Some(Val::Text(text))) = self { text.len() } else { 0 }
    }

    /// Takes a value; gives the bytes of text that it keeps of it.
    fn add(&mut self, function: Function, value: Val<'_>) -> usize {
        match self {
            Self::Count(count) => *count += 1,
            Self::Sum(sum, count, decimals) => {
                if let Val::Number(number) = value {
                    *sum = sum.and_then(|sum| add(sum, number).ok());
                    *count += 1;
                    *decimals = (*decimals).max(number.scale());
                }
            }
            Self::One(one) => {
                if Self::is_wanted(function, one.as_ref(), &value) {
                    *one = Some(owned(value));
                    return self.text_bytes();
                }
            }
        }
        0
    }

    /// Whether a later value takes the place of the one that there is.
    fn is_wanted(function: Function, one: Option<&Val<'_>>, value: &Val<'_>) -> bool {
        use std::cmp::Ordering;
        let Some(one) = one else { return true };
        match function {
            Function::Min => value.compare(one) == Some(Ordering::Less),
            Function::Max => value.compare(one) == Some(Ordering::Greater),
            Function::Last => true,
            Function::First | Function::Count | Function::Sum | Function::Avg => false,
        }
    }

    /// Adds what was taken further on; gives the bytes of text that it keeps of it.
    fn merge(&mut self, function: Function, later: Self) -> usize {
        let bytes = later.text_bytes();
        match (self, later) {
            (Self::Count(mine), Self::Count(later)) => *mine += later,
            (Self::Sum(sum, count, decimals), Self::Sum(later, more, theirs)) => {
                *sum = sum.zip(later).and_then(|(a, b)| add(a, b).ok());
                *count += more;
                *decimals = (*decimals).max(theirs);
            }
            (Self::One(mine), Self::One(Some(later))) if Self::is_wanted(function, mine.as_ref(), &later) => {
                *mine = Some(later);
                return bytes;
            }
            _ => {}
        }
        0
    }

    fn value(&self, take: &Aggregate) -> Result<Val<'_>, Fault> {
        Ok(match self {
            Self::Count(count) => Val::Number(Decimal::from(*count)),
            Self::Sum(_, 0, _) => Val::Null,
            Self::Sum(sum, count, decimals) => {
                let sum = sum.ok_or(Fault::TooManyDigits)?;
                if take.function == Function::Avg {
                    let mean = divide(sum, Decimal::from(*count), true)?;
                    Val::Number(round(mean, (decimals + MEAN_DECIMALS).min(15)))
                } else {
                    Val::Number(sum)
                }
            }
            Self::One(one) => one.clone().unwrap_or(Val::Null),
        })
    }
}

fn owned(value: Val<'_>) -> Val<'static> {
    match value {
        Val::Null => Val::Null,
        Val::Number(number) => Val::Number(number),
        Val::Text(text) => Val::Text(text.into_owned().into()),
        Val::Boolean(is) => Val::Boolean(is),
        Val::Date(days) => Val::Date(days),
        Val::Time(millis) => Val::Time(millis),
        Val::DateTime(millis) => Val::DateTime(millis),
        Val::Days(days) => Val::Days(days),
    }
}
