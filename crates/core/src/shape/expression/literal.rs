//! Values and types that an expression writes out.

use super::bad::{Result, unknown, wrong};
use super::eval::Tree;
use super::value::{Type, Val};
use rust_decimal::Decimal;
use sqlparser::ast::{DataType, DateTimeField, ExactNumberInfo, Expr, Value};

pub(super) fn literal(parsed: &Expr, value: &Value) -> Result<(Tree, Type)> {
    let (value, own) = match value {
        Value::Number(text, _) => match Decimal::from_str_exact(text) {
            Ok(number) => (Val::Number(number), Type::Number),
            Err(_) => return wrong(parsed, "a number has at most 28 digits"),
        },
        Value::SingleQuotedString(text) => (Val::Text(text.clone().into()), Type::Text),
        Value::Boolean(is) => (Val::Boolean(*is), Type::Boolean),
        Value::Null => (Val::Null, Type::Null),
        _ => return unknown(parsed),
    };
    Ok((Tree::literal(value), own))
}

pub(super) fn interval_of(parsed: &Expr, interval: &sqlparser::ast::Interval) -> Result<(Tree, Type)> {
    let days = match &*interval.value {
        Expr::Value(value) => match &value.value {
            Value::SingleQuotedString(text) => text.trim().parse::<i64>().ok(),
            _ => None,
        },
        _ => None,
    };
    let factor = match &interval.leading_field {
        Some(DateTimeField::Day) => Some(1),
        Some(DateTimeField::Week(None)) => Some(7),
        _ => None,
    };
    match (days, factor) {
        (Some(days), Some(factor)) if days.abs() < 10_000_000 => {
            Ok((Tree::literal(Val::Days(days * factor)), Type::Days))
        }
        _ => wrong(parsed, "an interval is so many days: INTERVAL '14' DAY"),
    }
}

/// The type that a cast makes, and to how many decimals it rounds.
pub(super) fn type_of(parsed: &Expr, wanted: &DataType) -> Result<(Type, Option<u32>)> {
    Ok(match wanted {
        DataType::Varchar(_) | DataType::CharVarying(_) | DataType::CharacterVarying(_) | DataType::Text => {
            (Type::Text, None)
        }
        DataType::Decimal(info) | DataType::Numeric(info) | DataType::Dec(info) => {
            let scale = match info {
                ExactNumberInfo::PrecisionAndScale(_, scale) => u32::try_from(*scale).ok(),
                ExactNumberInfo::Precision(_) => Some(0),
                ExactNumberInfo::None => None,
            };
            (Type::Number, scale.map(|scale| scale.min(28)))
        }
        DataType::Int(_) | DataType::Integer(_) | DataType::BigInt(_) | DataType::SmallInt(_) => {
            (Type::Number, Some(0))
        }
        DataType::Date => (Type::Date, None),
        DataType::Time(..) => (Type::Time, None),
        DataType::Timestamp(..) => (Type::DateTime, None),
        other => {
            let why = format!(
                "there is no type {other} here; there are VARCHAR, DECIMAL, INTEGER, DATE, TIME, TIMESTAMP"
            );
            return wrong(parsed, why);
        }
    })
}
