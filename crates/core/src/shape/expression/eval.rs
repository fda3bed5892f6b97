//! Expressions with their types known, and their values for a record.

use super::functions::{self, Part};
use super::like;
use super::value::{DAY, Fault, Type, Val, add, divide, multiply};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use std::borrow::Cow;
use std::cmp::Ordering;

/// Characters that a cell holds.
const LONGEST_TEXT: usize = 32_767;

/// What gives the values of columns.
pub(in crate::shape) trait Row {
    /// The value of a column, from 0.
    fn value(&self, column: usize) -> Result<Val<'_>, Fault>;
}

/// An operation on one value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::shape) enum Unary {
    Not,
    Minus,
    Abs,
    Ceiling,
    Floor,
    Upper,
    Lower,
    Length,
}

/// An operation on two numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::shape) enum Arith {
    Add,
    Subtract,
    Multiply,
    Divide,
    Remainder,
}

/// Where characters are taken from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::shape) enum TrimSide {
    Both,
    Leading,
    Trailing,
}

/// An expression.
#[derive(Clone, Debug)]
pub(in crate::shape) enum Tree {
    Column(usize),
    Literal(Val<'static>),
    One(Unary, Box<Tree>),
    /// Numbers; whether the result is rounded afterwards.
    Arith(Arith, Box<Tree>, Box<Tree>, bool),
    /// Both hold (`true`), or one of them.
    Both(Box<Tree>, Box<Tree>, bool),
    /// The first is to the second as the order says; or, negated, is not.
    Compare(Box<Tree>, Box<Tree>, Ordering, bool),
    IsNull(Box<Tree>),
    /// A condition is true, false or unknown.
    Is(Box<Tree>, Option<bool>),
    Like(Box<Tree>, Box<Tree>, Option<char>),
    Concat(Box<Tree>, Box<Tree>),
    /// A day, so many days later (`true`) or earlier.
    Shift(Box<Tree>, Box<Tree>, bool),
    DaysBetween(Box<Tree>, Box<Tree>),
    Case(Vec<(Tree, Tree)>, Option<Box<Tree>>),
    Coalesce(Vec<Tree>),
    Round(Box<Tree>, u32),
    Cast(Box<Tree>, Type, Option<u32>),
    Extract(Part, Box<Tree>),
    Position(Box<Tree>, Box<Tree>),
    Substring(Box<Tree>, Option<Box<Tree>>, Option<Box<Tree>>),
    Trim(Box<Tree>, TrimSide, char),
}

type Evaluated<'v> = Result<Val<'v>, Fault>;

/// Whether a condition holds; `None`: that is unknown.
pub(in crate::shape) fn truth(value: &Val<'_>) -> Option<bool> {
    match value {
        Val::Boolean(is) => Some(*is),
        _ => None,
    }
}

fn boolean(truth: Option<bool>) -> Val<'static> {
    truth.map_or(Val::Null, Val::Boolean)
}

impl Tree {
    pub(super) fn literal(value: Val<'static>) -> Self {
        Self::Literal(value)
    }

    pub(super) fn unary(op: Unary, tree: Self) -> Self {
        Self::One(op, Box::new(tree))
    }

    /// The same, the last division of which is rounded by what is around it.
    pub(super) fn rounded(self) -> Self {
        match self {
            Self::Arith(Arith::Divide, a, b, _) => Self::Arith(Arith::Divide, a, b, true),
            other => other,
        }
    }

    /// Its value for a record.
    pub(in crate::shape) fn value<'v>(&'v self, row: &'v impl Row) -> Evaluated<'v> {
        match self {
            Self::Column(column) => row.value(*column),
            Self::Literal(value) => Ok(value.clone()),
            Self::One(op, a) => Ok(one(*op, a.value(row)?)),
            Self::Arith(op, a, b, rounded) => arith(*op, &a.value(row)?, &b.value(row)?, *rounded),
            Self::Both(a, b, is_and) => {
                let first = truth(&a.value(row)?);
                // What decides it alone decides it.
                if first == Some(!is_and) {
                    return Ok(Val::Boolean(!is_and));
                }
                let second = truth(&b.value(row)?);
                Ok(boolean(match (first, second) {
                    (_, Some(second)) if second != *is_and => Some(!is_and),
                    (Some(_), Some(_)) => Some(*is_and),
                    _ => None,
                }))
            }
            Self::Compare(a, b, order, negated) => {
                let found = a.value(row)?.compare(&b.value(row)?);
                Ok(boolean(found.map(|found| (found == *order) != *negated)))
            }
            Self::IsNull(a) => Ok(Val::Boolean(a.value(row)?.is_null())),
            Self::Is(a, wanted) => Ok(Val::Boolean(truth(&a.value(row)?) == *wanted)),
            Self::Like(a, pattern, escape) => match (a.value(row)?, pattern.value(row)?) {
                (Val::Text(text), Val::Text(pattern)) => {
                    like::fits(&text, &pattern, *escape).map(Val::Boolean).ok_or(Fault::BadCast)
                }
                _ => Ok(Val::Null),
            },
            Self::Concat(a, b) => match (a.value(row)?, b.value(row)?) {
                (Val::Text(a), Val::Text(b)) if a.len() + b.len() > 4 * LONGEST_TEXT => {
                    drop((a, b));
                    Err(Fault::TooLong)
                }
                (Val::Text(a), Val::Text(b)) => Ok(Val::Text(a + b)),
                _ => Ok(Val::Null),
            },
            Self::Shift(a, days, is_later) => match (a.value(row)?, days.value(row)?) {
                (Val::Date(day), Val::Days(days)) => {
                    Ok(Val::Date(if *is_later { day + days } else { day - days }))
                }
                (Val::DateTime(at), Val::Days(days)) => {
                    Ok(Val::DateTime(if *is_later { at + days * DAY } else { at - days * DAY }))
                }
                _ => Ok(Val::Null),
            },
            Self::DaysBetween(a, b) => match (a.value(row)?, b.value(row)?) {
                (Val::Date(a), Val::Date(b)) => Ok(Val::Number(Decimal::from(a - b))),
                _ => Ok(Val::Null),
            },
            Self::Case(branches, otherwise) => {
                for (condition, value) in branches {
                    if truth(&condition.value(row)?) == Some(true) {
                        return value.value(row);
                    }
                }
                otherwise.as_ref().map_or(Ok(Val::Null), |otherwise| otherwise.value(row))
            }
            Self::Coalesce(all) => {
                for tree in all {
                    let value = tree.value(row)?;
                    if !value.is_null() {
                        return Ok(value);
                    }
                }
                Ok(Val::Null)
            }
            Self::Round(a, digits) => Ok(match a.value(row)? {
                Val::Number(number) => Val::Number(functions::round(number, *digits)),
                _ => Val::Null,
            }),
            Self::Cast(a, wanted, scale) => functions::cast(&a.value(row)?, *wanted, *scale),
            Self::Extract(part, a) => part.of(&a.value(row)?),
            Self::Position(what, within) => Ok(match (what.value(row)?, within.value(row)?) {
                (Val::Text(what), Val::Text(within)) => {
                    let at = within.find(what.as_ref()).map_or(0, |at| within[..at].chars().count() + 1);
                    Val::Number(Decimal::from(at))
                }
                _ => Val::Null,
            }),
            Self::Substring(text, from, length) => substring(row, text, from.as_deref(), length.as_deref()),
            Self::Trim(a, side, mark) => Ok(match a.value(row)? {
                Val::Text(text) => Val::Text(trimmed(text, *side, *mark)),
                _ => Val::Null,
            }),
        }
    }
}

fn one(op: Unary, value: Val<'_>) -> Val<'_> {
    match (op, value) {
        (Unary::Not, value) => boolean(truth(&value).map(|is| !is)),
        (Unary::Minus, Val::Number(number)) => Val::Number(-number),
        (Unary::Minus, Val::Days(days)) => Val::Days(-days),
        (Unary::Abs, Val::Number(number)) => Val::Number(number.abs()),
        (Unary::Ceiling, Val::Number(number)) => Val::Number(number.ceil()),
        (Unary::Floor, Val::Number(number)) => Val::Number(number.floor()),
        (Unary::Upper, Val::Text(text)) => Val::Text(text.to_uppercase().into()),
        (Unary::Lower, Val::Text(text)) => Val::Text(text.to_lowercase().into()),
        (Unary::Length, Val::Text(text)) => Val::Number(Decimal::from(text.chars().count())),
        _ => Val::Null,
    }
}

fn arith(op: Arith, a: &Val<'_>, b: &Val<'_>, rounded: bool) -> Result<Val<'static>, Fault> {
    let (Val::Number(a), Val::Number(b)) = (a, b) else { return Ok(Val::Null) };
    let number = match op {
        Arith::Add => add(*a, *b)?,
        Arith::Subtract => add(*a, -*b)?,
        Arith::Multiply => multiply(*a, *b)?,
        Arith::Divide => divide(*a, *b, rounded)?,
        Arith::Remainder if b.is_zero() => return Err(Fault::DivisionByZero),
        Arith::Remainder => a.checked_rem(*b).ok_or(Fault::TooManyDigits)?,
    };
    Ok(Val::Number(number))
}

fn trimmed(text: Cow<'_, str>, side: TrimSide, mark: char) -> Cow<'_, str> {
    let (front, behind) = (side != TrimSide::Trailing, side != TrimSide::Leading);
    let cut = |text: &str| -> (usize, usize) {
        let from = if front { text.len() - text.trim_start_matches(mark).len() } else { 0 };
        let to = if behind { text.trim_end_matches(mark).len() } else { text.len() };
        (from.min(to), to)
    };
    let (from, to) = cut(&text);
    match text {
        Cow::Borrowed(text) => Cow::Borrowed(&text[from..to]),
        Cow::Owned(text) => Cow::Owned(text[from..to].to_owned()),
    }
}

/// The characters from a place (from 1) on, so many of them, as far as there are any.
fn substring<'v>(
    row: &'v impl Row,
    text: &'v Tree,
    from: Option<&'v Tree>,
    length: Option<&'v Tree>,
) -> Evaluated<'v> {
    let number = |tree: Option<&'v Tree>, missing: i64| -> Result<Option<i64>, Fault> {
        Ok(match tree.map(|tree| tree.value(row)).transpose()? {
            None => Some(missing),
            Some(Val::Number(number)) => Some(number.trunc().to_i64().unwrap_or(i64::MAX / 4)),
            Some(_) => None,
        })
    };
    let (text, from, length) = (text.value(row)?, number(from, 1)?, number(length, i64::MAX / 4)?);
    let (Val::Text(text), Some(from), Some(length)) = (text, from, length) else { return Ok(Val::Null) };
    let end = from.saturating_add(length.max(0)).max(1);
    let place = |n: i64| {
        let n = usize::try_from(n.max(1) - 1).unwrap_or(usize::MAX);
        text.char_indices().nth(n).map_or(text.len(), |(at, _)| at)
    };
    let (from, to) = (place(from), place(end));
    let to = to.max(from);
    Ok(Val::Text(match text {
        Cow::Borrowed(text) => Cow::Borrowed(&text[from..to]),
        Cow::Owned(text) => Cow::Owned(text[from..to].to_owned()),
    }))
}
