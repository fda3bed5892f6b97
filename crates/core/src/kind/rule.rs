//! Rules: what a column's fields are read as, once its kind is settled. A rule guesses nothing.

use super::date::{self, DateOrder, DateShape, DateSpelling, Zone};
use super::day::Day;
use super::month::Languages;
use super::number::{self, Decimal, Group, Marks, Number, SpellingCode};
use super::statistics::{trim, unwrap};

/// What a column is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Kind {
    /// Characters, kept as they are.
    Text,
    /// Numbers.
    Number,
    /// Days.
    Date,
    /// Times of the day.
    Time,
    /// Days with times.
    DateTime,
    /// Yes or no; only where the clerk says so.
    Boolean,
    /// Left out.
    Skip,
}

impl Kind {
    /// All kinds with the words for them.
    pub const WORDS: [(Self, &'static str); 7] = [
        (Self::Text, "text"),
        (Self::Number, "number"),
        (Self::Date, "date"),
        (Self::Time, "time"),
        (Self::DateTime, "datetime"),
        (Self::Boolean, "boolean"),
        (Self::Skip, "skip"),
    ];

    /// One value of it, or several, in words: "a number", "numbers".
    ///
    /// ```
    /// assert_eq!(incola_core::kind::Kind::Date.named(1), "a date");
    /// ```
    pub const fn named(self, count: u64) -> &'static str {
        match (self, count) {
            (Self::Number, 1) => "a number",
            (Self::Number, _) => "numbers",
            (Self::Date, 1) => "a date",
            (Self::Date, _) => "dates",
            (Self::Time, 1) => "a time",
            (Self::Time, _) => "times",
            (Self::DateTime, 1) => "a date with a time",
            (Self::DateTime, _) => "dates with a time",
            (Self::Boolean, _) => "yes or no",
            (Self::Text | Self::Skip, _) => "text",
        }
    }

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(kind, _)| *kind == self).map_or("", |(_, word)| word)
    }

    /// The kind that a word stands for.
    ///
    /// ```
    /// use incola_core::kind::Kind;
    /// assert_eq!(Kind::from_word("datetime"), Some(Kind::DateTime));
    /// ```
    pub fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(kind, _)| *kind)
    }
}

/// How numbers are read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NumberRule {
    /// The character before the decimals.
    pub decimal: Decimal,
    /// The character between groups of digits, if the column uses one.
    pub group: Group,
    /// Decimals that are not marked (`9v99` has two).
    pub implied_decimals: Option<u8>,
    /// Digits of every value where decimals are implied, zeros in front included; `None`: they differ.
    pub picture_digits: Option<u8>,
    /// Whether zeros in front are part of a number's spelling instead of a reason for text.
    pub padded: bool,
    /// The spellings that are accepted, in order.
    pub spellings: Vec<SpellingCode>,
}

/// How dates and times are read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DateRule {
    /// Date, time, or both.
    pub kind: Kind,
    /// What kind of spelling they have.
    pub shape: DateShape,
    /// Which part is the day.
    pub order: DateOrder,
    /// Languages of month names.
    pub languages: Languages,
    /// The `Z` or offset that all values end with.
    pub zone: Zone,
    /// The spellings that are accepted, in order.
    pub spellings: Vec<DateSpelling>,
}

/// How yes and no are spelled.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BooleanRule {
    /// True.
    pub yes: String,
    /// False.
    pub no: String,
}

/// What a column's fields are read as.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Rule {
    /// Nothing: the column is left out.
    Skip,
    /// Text.
    Text,
    /// Numbers.
    Number(NumberRule),
    /// Dates, times, or both.
    Date(DateRule),
    /// Yes or no.
    Boolean(BooleanRule),
}

/// One field, read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Value<'f> {
    /// An empty field, or nothing but blanks.
    Blank,
    /// Text.
    Text(&'f [u8]),
    /// A number and the place of its spelling in the rule.
    Number(Number, u16),
    /// A day (if there is one), milliseconds since midnight, and the place of the spelling in the rule.
    Moment(Option<Day>, u32, u16),
    /// Yes or no.
    Boolean(bool),
    /// Characters that do not fit the rule, kept as text.
    Misfit(&'f [u8]),
}

impl Rule {
    /// The marks with which the column spells its numbers; plain ones for other kinds.
    pub fn marks(&self) -> Marks {
        match self {
            Self::Number(rule) => Marks { decimal: rule.decimal, group: rule.group },
            _ => Marks::default(),
        }
    }

    /// The kind that the rule makes.
    pub fn kind(&self) -> Kind {
        match self {
            Self::Skip => Kind::Skip,
            Self::Text => Kind::Text,
            Self::Number(_) => Kind::Number,
            Self::Date(rule) => rule.kind,
            Self::Boolean(_) => Kind::Boolean,
        }
    }

    /// Reads a field.
    #[inline]
    pub fn read<'f>(&self, field: &'f [u8]) -> Value<'f> {
        if field.is_empty() {
            return Value::Blank;
        }
        let edge = |b: u8| b == b' ' || b == b'\t';
        let (value, _) =
            if edge(field[0]) || edge(field[field.len() - 1]) { trim(field) } else { (field, 0) };
        if value.is_empty() {
            return Value::Blank;
        }
        let (field, value) = match unwrap(value) {
            Some(([], _)) => return Value::Blank,
            Some((inner, _)) => (inner, inner),
            None => (field, value),
        };
        match self {
            Self::Text => Value::Text(field),
            Self::Number(rule) => rule.read(value).unwrap_or(Value::Misfit(field)),
            Self::Date(rule) => rule.read(value).unwrap_or(Value::Misfit(field)),
            Self::Boolean(rule) => match value {
                v if v == rule.yes.as_bytes() => Value::Boolean(true),
                v if v == rule.no.as_bytes() => Value::Boolean(false),
                _ => Value::Misfit(field),
            },
            Self::Skip => Value::Blank,
        }
    }
}

impl NumberRule {
    #[inline]
    fn read<'f>(&self, value: &'f [u8]) -> Option<Value<'f>> {
        // Zeros in front and implied decimals have no mark: what has one is read quickly.
        if let Some((decimal, number)) = number::parse_simple(value)
            && decimal == self.decimal
        {
            return Some(Value::Number(number, position(&self.spellings, &number.spelling)?));
        }
        let mut number = if self.padded || self.implied_decimals.is_some() {
            number::parse_padded(value, self.decimal)
        } else {
            number::parse(value, self.decimal)
        }
        .ok()?;
        let place = position(&self.spellings, &number.spelling)?;
        if let Some(decimals) = self.implied_decimals
            && !number.spelling.has_mark()
        {
            number.scale += i16::from(decimals);
            while number.scale > 0 && number.digits.is_multiple_of(10) && number.digits > 0 {
                number.digits /= 10;
                number.scale -= 1;
            }
        }
        Some(Value::Number(number, place))
    }
}

impl DateRule {
    #[inline]
    fn read<'f>(&self, value: &'f [u8]) -> Option<Value<'f>> {
        let scan = date::scan(value)?;
        if scan.shape != self.shape || scan.zone != self.zone || scan.too_fine {
            return None;
        }
        let place = position(&self.spellings, &scan.spelling)?;
        let day = match self.kind {
            Kind::Time => None,
            _ => Some(scan.day(self.order).filter(|d| d.is_holdable())?),
        };
        if scan.languages.and(self.languages).is_empty() {
            return None;
        }
        Some(Value::Moment(day, scan.millis, place))
    }
}

/// The place of a spelling in a sorted list.
#[inline]
fn position<T: Ord>(spellings: &[T], spelling: &T) -> Option<u16> {
    match spellings {
        [only] if only == spelling => Some(0),
        _ => spellings.binary_search(spelling).ok().map(|place| place as u16),
    }
}
