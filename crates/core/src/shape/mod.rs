//! Rows shaped on the way in: columns divided, records left out by a condition, columns computed, records that repeat left out.
//!
//! [`ShapingChoices`] are what someone says. Once it is known what the columns of a source are, they become a [`Shaping`], which is
//! obeyed wherever records are gone over ([`each_record`](crate::rows::each_record)): what it makes stands behind a record's own
//! fields, and what it leaves out is never a record.

mod divide;
mod expression;
mod group;
mod period;
mod rows_text;

pub use divide::{DivideChoice, Divider, How};
pub use expression::{Fault, Type};
pub use group::{Group, GroupChoice, GroupColumn, Grouping, Groups};
pub use period::Period;
pub use rows_text::RowsText;

use crate::kind::statistics::trim;
use crate::kind::{Count, Kind, Rule, Value};
use crate::reading::ColumnReading;
use crate::rows::{Aside, Record};
use crate::settings::BadSetting;
use crate::settings::selector::Selector;
use crate::survey::Blanks;
use expression::{Column, Row, Tree, Val, bind, truth};
use rust_decimal::Decimal;
use std::sync::Arc;

/// What someone says of shaping rows.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ShapingChoices {
    /// Columns that are divided.
    pub divide: Vec<DivideChoice>,
    /// What records must meet.
    pub condition: Option<String>,
    /// Columns that are computed: their names, and the expressions.
    pub compute: Vec<(String, String)>,
    /// Columns in which no two records may have the same values: an empty list means all of them.
    pub distinct: Option<Vec<Selector>>,
    /// Whether the last one of records that repeat stays, instead of the first one.
    pub last_stays: bool,
    /// What makes a group of records, if they are rolled up.
    pub by: Vec<GroupChoice>,
    /// What is taken of each group; nothing: how many records it has.
    pub take: Option<String>,
}

impl ShapingChoices {
    /// Whether nothing is said.
    pub fn is_empty(&self) -> bool {
        self.divide.is_empty()
            && self.condition.is_none()
            && self.compute.is_empty()
            && self.distinct.is_none()
            && self.by.is_empty()
            && self.take.is_none()
    }
}

/// Reads `NAME=EXPRESSION`.
///
/// # Errors
/// [`BadSetting`] if it is none.
///
/// ```
/// let (name, expression) = incola_core::shape::read_compute("Celsius=Kelvin - 273.15").unwrap();
/// assert_eq!((name.as_str(), expression.as_str()), ("Celsius", "Kelvin - 273.15"));
/// ```
pub fn read_compute(text: &str) -> Result<(String, String), BadSetting> {
    let pair = text.split_once('=').map(|(name, expression)| (name.trim(), expression.trim()));
    let pair = pair.filter(|(name, expression)| !name.is_empty() && !expression.is_empty());
    pair.map(|(name, expression)| (name.to_owned(), expression.to_owned())).ok_or_else(|| {
        BadSetting::new("compute", text, "it is NAME=EXPRESSION, such as 'Celsius=Kelvin - 273.15'")
    })
}

/// A column that is made of others.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DerivedColumn {
    /// Its name.
    pub name: String,
    /// Its kind, where an expression says it; a divided column's is found out.
    pub kind: Option<Kind>,
    /// What makes it, in words.
    pub why: String,
    /// The column (from 0) that it stands beside, where it is a part of one.
    pub beside: Option<usize>,
}

/// What a column is read as in expressions.
#[derive(Clone, Debug)]
struct Source {
    /// Where its field is, from 0.
    place: usize,
    rule: Rule,
}

/// A column that is divided.
#[derive(Clone, Debug)]
struct Division {
    column: usize,
    divider: Divider,
}

/// Records that repeat.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Distinct {
    /// The columns (from 0) that are compared.
    pub columns: Vec<usize>,
    /// Whether the last one stays.
    pub last_stays: bool,
}

/// Steps that shape records, bound to the columns of a source.
#[derive(Clone, Debug)]
pub struct Shaping {
    /// Where the columns stand that it makes: behind all others.
    base: usize,
    sources: Vec<Source>,
    blank: Blanks,
    divisions: Vec<Division>,
    condition: Option<Tree>,
    computed: Vec<Tree>,
    distinct: Option<Distinct>,
    grouping: Option<Grouping>,
    /// Lines of records that repeat others, in rising order.
    dropped: Vec<u64>,
    columns: Vec<DerivedColumn>,
    /// What was said.
    said: ShapingChoices,
}

/// Two are the same if they make the same columns of the same ones, and leave out the same records.
impl PartialEq for Shaping {
    fn eq(&self, other: &Self) -> bool {
        self.base == other.base
            && self.columns == other.columns
            && self.said == other.said
            && self.dropped == other.dropped
    }
}

impl Eq for Shaping {}

/// What became of records, counted.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Shaped {
    /// Left out: they do not meet the condition.
    pub not_met: Count,
    /// Left out: whether they meet it is unknown.
    pub unknown: Count,
    /// Left out: they repeat another one.
    pub repeated: Count,
    /// By column that is made: values that could not be, and why the first one could not.
    pub unmade: Vec<(Count, Option<Fault>)>,
}

impl Shaped {
    /// Nothing yet, for so many columns that are made.
    pub fn for_columns(count: usize) -> Self {
        Self { unmade: vec![(Count::default(), None); count], ..Self::default() }
    }

    /// Records that were left out.
    pub fn left_out(&self) -> u64 {
        self.not_met.count + self.unknown.count + self.repeated.count
    }

    /// Counts a record that is left out.
    pub(crate) fn leave_out(&mut self, why: Aside, line: u64) {
        match why {
            Aside::ConditionNotMet => self.not_met.add(line),
            Aside::ConditionUnknown => self.unknown.add(line),
            Aside::Repeated => self.repeated.add(line),
            _ => {}
        }
    }

    /// Counts the values of a record that could not be made.
    pub(crate) fn unmade_of(&mut self, record: &Record<'_>, line: u64) {
        for (n, fault) in record.derived().faults() {
            let unmade = &mut self.unmade[*n];
            unmade.0.add(line);
            unmade.1.get_or_insert(*fault);
        }
    }

    /// Adds what was counted further on; `count` adds two counts.
    pub(crate) fn merge(&mut self, later: Self, count: impl Fn(&mut Count, Count)) {
        count(&mut self.not_met, later.not_met);
        count(&mut self.unknown, later.unknown);
        count(&mut self.repeated, later.repeated);
        self.unmade.resize(self.unmade.len().max(later.unmade.len()), (Count::default(), None));
        for (mine, later) in self.unmade.iter_mut().zip(later.unmade) {
            mine.1 = mine.1.or(later.1);
            count(&mut mine.0, later.0);
        }
    }
}

/// What a shaping makes of one record: the fields behind its own.
#[derive(Clone, Debug, Default)]
pub struct Derived {
    base: usize,
    text: Vec<u8>,
    ends: Vec<usize>,
    /// Columns (from 0, among those that are made) whose value could not be made, and why.
    faults: Vec<(usize, Fault)>,
    /// Room for the value that is computed.
    spelled: Vec<u8>,
}

/// Nothing.
pub(crate) static NOTHING: Derived =
    Derived { base: usize::MAX, text: Vec::new(), ends: Vec::new(), faults: Vec::new(), spelled: Vec::new() };

impl Derived {
    /// Where the fields stand, from 0.
    #[inline]
    pub fn base(&self) -> usize {
        self.base
    }

    /// A field, from 0 among those that are made.
    pub fn field(&self, index: usize) -> &[u8] {
        let Some(end) = self.ends.get(index) else { return &[] };
        let from = index.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.text[from..*end]
    }

    /// Columns (from 0, among those that are made) whose value could not be made, and why.
    pub fn faults(&self) -> &[(usize, Fault)] {
        &self.faults
    }
}

/// The values of a record's columns.
struct Values<'v> {
    shaping: &'v Shaping,
    record: &'v Record<'v>,
    derived: &'v Derived,
}

impl Row for Values<'_> {
    fn value(&self, column: usize) -> Result<Val<'_>, Fault> {
        let source = &self.shaping.sources[column];
        let field = match source.place.checked_sub(self.shaping.base) {
            Some(made) => self.derived.field(made),
            None => self.record.field(source.place),
        };
        if self.shaping.blank.means_empty(source.place, field) {
            return Ok(Val::Null);
        }
        Ok(match source.rule.read(field) {
            Value::Blank => Val::Null,
            Value::Text(own) => Val::Text(String::from_utf8_lossy(trim(own).0)),
            Value::Number(number, _) => Val::Number(decimal(&number).ok_or(Fault::TooManyDigits)?),
            Value::Moment(day, millis, _) => {
                let millis = i64::from(millis);
                match (day, source.rule.kind()) {
                    (Some(day), Kind::Date) => Val::Date(i64::from(day.since_1970())),
                    (Some(day), _) => Val::DateTime(i64::from(day.since_1970()) * 86_400_000 + millis),
                    (None, _) => Val::Time(millis),
                }
            }
            Value::Boolean(is) => Val::Boolean(is),
            Value::Misfit(_) => return Err(Fault::Misfit),
        })
    }
}

/// A number of a column, exactly, with as many decimals as it is spelled with.
fn decimal(number: &crate::kind::number::Number) -> Option<Decimal> {
    let decimals = i16::from(number.spelling.decimals());
    let scale = decimals.max(number.scale).max(0);
    let factor = 10_i128.checked_pow(u32::try_from(scale - number.scale).ok()?)?;
    let digits = i128::from(number.digits).checked_mul(if number.negative { -factor } else { factor })?;
    Decimal::try_from_i128_with_scale(digits, u32::try_from(scale).ok()?).ok()
}

impl Shaping {
    /// Binds what someone says to the columns of a source. `values` gives the first values of a column, for how many parts it has;
    /// `blank`: what means empty.
    ///
    /// # Errors
    /// [`BadSetting`] if a column is not there, an expression is none, or a name is taken.
    pub fn bind(
        choices: &ShapingChoices,
        columns: &[ColumnReading],
        blank: &Blanks,
        values: impl Fn(usize) -> Vec<Vec<u8>>,
    ) -> Result<Self, BadSetting> {
        let base = columns.len();
        let names: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
        let mut shaping = Self {
            base,
            sources: columns.iter().map(|c| Source { place: c.number - 1, rule: known_rule(c) }).collect(),
            blank: blank.clone(),
            divisions: Vec::new(),
            condition: None,
            computed: Vec::new(),
            distinct: None,
            grouping: None,
            dropped: Vec::new(),
            columns: Vec::new(),
            said: choices.clone(),
        };
        let mut all: Vec<Column> =
            columns.iter().map(|c| Column { name: c.name.clone(), kind: known_rule(c).kind() }).collect();
        for choice in &choices.divide {
            let [column] = choice.column.places(&names)[..] else {
                return Err(BadSetting::no_such_column("divide", &choice.text, &choice.column, &names));
            };
            let divider = choice.how.divider(values(column).iter().map(Vec::as_slice));
            for (n, name) in divider.names().iter().enumerate() {
                let name = name.clone().unwrap_or_else(|| format!("{} {}", names[column], n + 1));
                let why = format!("part {} of {}", n + 1, names[column]);
                shaping.add(&mut all, ("divide", &choice.text), (name, None, why, Some(column)))?;
            }
            shaping.divisions.push(Division { column, divider });
        }
        if let Some(text) = &choices.condition {
            let (tree, own) = bound("where", text, text, &all, &values)?;
            if !matches!(own, Type::Boolean | Type::Null) {
                let why = format!("it is {}, not a condition\n  {}", own.word(), text.trim());
                return Err(BadSetting::new("where", "", why).hint("a condition compares: Dues > 100"));
            }
            shaping.condition = Some(tree);
        }
        for (name, text) in &choices.compute {
            let typed = format!("{name}={text}");
            let (tree, own) = bound("compute", name, text, &all, &values)?;
            shaping.add(
                &mut all,
                ("compute", &typed),
                (name.clone(), Some(own.kind()), text.clone(), None),
            )?;
            shaping.computed.push(tree);
        }
        if let Some(selectors) = &choices.distinct {
            let names: Vec<String> = all.iter().map(|column| column.name.clone()).collect();
            let mut places = Vec::new();
            for selector in selectors {
                let found = selector.places(&names);
                if found.is_empty() {
                    return Err(BadSetting::no_such_column("distinct", selector.text(), selector, &names));
                }
                places.extend(found.into_iter().filter(|place| !places.contains(place)).collect::<Vec<_>>());
            }
            if places.is_empty() {
                // What is made of a record's own fields adds nothing.
                places = (0..base).collect();
            }
            let columns = places.iter().map(|place| shaping.sources[*place].place).collect();
            shaping.distinct = Some(Distinct { columns, last_stays: choices.last_stays });
        }
        if !choices.by.is_empty() {
            shaping.grouping = Some(Grouping::bind(&choices.by, choices.take.as_deref(), &all)?);
        } else if choices.take.is_some() {
            let why = "it says what is taken of groups, but not what makes them";
            return Err(BadSetting::new("take", "", why).hint("--by Berth, or --by Arrived/month"));
        }
        Ok(shaping)
    }

    /// Adds a column that is made.
    fn add(
        &mut self,
        all: &mut Vec<Column>,
        (key, typed): (&'static str, &str),
        (name, kind, why, beside): (String, Option<Kind>, String, Option<usize>),
    ) -> Result<(), BadSetting> {
        if all.iter().any(|column| column.name.to_lowercase() == name.to_lowercase()) {
            let why = format!("there is a column \u{201c}{name}\u{201d} already");
            return Err(BadSetting::new(key, typed, why));
        }
        let place = self.base + self.columns.len();
        let rule = kind.map_or(Rule::Text, made_rule);
        all.push(Column { name: name.clone(), kind: rule.kind() });
        self.sources.push(Source { place, rule });
        self.columns.push(DerivedColumn { name, kind, why, beside });
        Ok(())
    }

    /// The columns that it makes.
    pub fn columns(&self) -> &[DerivedColumn] {
        &self.columns
    }

    /// Where they stand, from 0: behind all others.
    pub fn base(&self) -> usize {
        self.base
    }

    /// Records that repeat others, if they are to be left out.
    pub fn distinct(&self) -> Option<&Distinct> {
        self.distinct.as_ref()
    }

    /// How records are rolled up, if they are.
    pub fn grouping(&self) -> Option<&Grouping> {
        self.grouping.as_ref()
    }

    /// Whether it may leave out records.
    pub fn leaves_out(&self) -> bool {
        self.condition.is_some() || self.distinct.is_some()
    }

    /// The same for looking for repeated records alone: what is computed is left out, where nothing of it is compared.
    #[must_use]
    pub fn for_repeats(self: &Arc<Self>) -> Arc<Self> {
        let computed_from = self.base + self.columns.len() - self.computed.len();
        let is_compared =
            self.distinct.iter().flat_map(|distinct| &distinct.columns).any(|n| *n >= computed_from);
        if is_compared {
            Arc::clone(self)
        } else {
            Arc::new(Self { computed: Vec::new(), ..Self::clone(self) })
        }
    }

    /// The same, which leaves out the records at these lines, in rising order.
    #[must_use]
    pub fn dropping(self: &Arc<Self>, dropped: Vec<u64>) -> Arc<Self> {
        Arc::new(Self { dropped, ..Self::clone(self) })
    }

    /// Makes the fields of a record; why it is left out, if it is.
    pub(crate) fn shape(&self, record: &Record<'_>, derived: &mut Derived) -> Option<Aside> {
        derived.base = self.base;
        derived.text.clear();
        derived.ends.clear();
        derived.faults.clear();
        self.divide(record, derived);
        if let Some(condition) = &self.condition {
            let row = Values { shaping: self, record, derived };
            match condition.value(&row).map(|value| truth(&value)) {
                Ok(Some(true)) => {}
                Ok(Some(false)) => return Some(Aside::ConditionNotMet),
                Ok(None) | Err(_) => return Some(Aside::ConditionUnknown),
            }
        }
        if !self.dropped.is_empty() && self.dropped.binary_search(&record.line()).is_ok() {
            return Some(Aside::Repeated);
        }
        for (n, tree) in self.computed.iter().enumerate() {
            let place = self.columns.len() - self.computed.len() + n;
            let mut spelled = std::mem::take(&mut derived.spelled);
            spelled.clear();
            let row = Values { shaping: self, record, derived };
            let made = tree.value(&row).and_then(|value| value.spell(&mut spelled));
            match made {
                Ok(()) => derived.text.extend_from_slice(&spelled),
                Err(fault) => derived.faults.push((place, fault)),
            }
            derived.spelled = spelled;
            derived.ends.push(derived.text.len());
        }
        None
    }

    fn divide(&self, record: &Record<'_>, derived: &mut Derived) {
        for division in &self.divisions {
            let first = derived.ends.len();
            let value = trim(record.field(division.column)).0;
            let fits = division.divider.divide(value, |part| {
                derived.text.extend_from_slice(part);
                derived.ends.push(derived.text.len());
            });
            if !fits {
                derived.faults.push((first, Fault::Misfit));
            }
        }
    }
}

/// The rule by which a column that is left out, too, is read in expressions.
fn known_rule(column: &ColumnReading) -> Rule {
    match &column.rule {
        Rule::Skip => Rule::Text,
        rule => rule.clone(),
    }
}

/// How values of a kind are spelled by expressions, where that is to be said.
pub const fn made_format(kind: Kind) -> Option<&'static str> {
    match kind {
        Kind::Date => Some("yyyy-MM-dd"),
        Kind::DateTime => Some("yyyy-MM-dd HH:mm:ss"),
        Kind::Time => Some("HH:mm:ss"),
        Kind::Boolean => Some("true/false"),
        Kind::Number | Kind::Text | Kind::Skip => None,
    }
}

/// The rule that reads what an expression spells.
fn made_rule(kind: Kind) -> Rule {
    use crate::kind::decide::Surroundings;
    let stats = crate::kind::ColumnStats::default();
    let point = Some(crate::kind::Decimal::Point);
    crate::kind::force::force(&stats, kind, made_format(kind), &Surroundings::default(), point)
        .map_or(Rule::Text, |verdict| verdict.rule)
}

/// An expression with its columns and types; `name`: what it is called in messages; `values`: the first ones of a column.
fn bound(
    key: &'static str,
    name: &str,
    text: &str,
    columns: &[Column],
    values: &impl Fn(usize) -> Vec<Vec<u8>>,
) -> Result<(Tree, Type), BadSetting> {
    bind(text, columns).map_err(|bad| {
        let value = if key == "compute" { name } else { "" };
        let wrong = BadSetting::new(key, value, bad.shown(text));
        let Some(hint) = &bad.hint else { return wrong };
        let values = bad.text_column.map(values).unwrap_or_default();
        match values.iter().find(|value| !value.is_empty() && value.len() <= 30) {
            Some(value) => {
                let like = String::from_utf8_lossy(value).replace('\'', "''");
                wrong.hint(&format!("{hint}; its values are spelled like '{like}'"))
            }
            None => wrong.hint(hint),
        }
    })
}

#[cfg(test)]
mod tests;
