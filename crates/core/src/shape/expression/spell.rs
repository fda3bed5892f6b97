//! How parts of an expression are spelled.

use sqlparser::ast::{DateTimeField, Expr, Value};
/// What to type where text meets a number: the number in quotes, if it is one, as it was typed.
pub(super) fn quoted_hint(text: &Expr, number: &Expr) -> Option<String> {
    let shown: String = text.to_string().chars().take(60).collect();
    match number {
        Expr::Value(value) => match &value.value {
            Value::Number(digits, _) => Some(format!("{shown} = '{digits}'")),
            _ => None,
        },
        _ => Some(format!("CAST({shown} AS DECIMAL) makes a number of it")),
    }
}

/// A name as it is written in an expression.
pub(in crate::shape) fn identifier(name: &str) -> String {
    let plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && name.starts_with(|c: char| c.is_ascii_alphabetic());
    if plain { name.to_owned() } else { format!("\"{}\"", name.replace('"', "\"\"")) }
}

pub(super) fn field_word(field: &DateTimeField) -> String {
    field.to_string().to_uppercase()
}
