//! What a cell holds, and what is shown of it.

use crate::number_format::{Locale, NumberFormat};
use crate::serial_date;
use crate::sheet::raw::CellKind;

/// What a cell holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum CellValue {
    /// A number as it is spelled in the sheet; dates are numbers too.
    Number(String),
    /// Text.
    Text(String),
    /// True or false.
    Boolean(bool),
    /// An error, such as `#N/A`.
    Error(String),
}

pub(crate) fn value(kind: CellKind, text: String) -> CellValue {
    match kind {
        CellKind::Number => CellValue::Number(text),
        CellKind::Boolean => CellValue::Boolean(text.trim() == "1" || text.trim() == "true"),
        CellKind::Error => CellValue::Error(text),
        _ => CellValue::Text(text),
    }
}

pub(crate) fn shown(value: &CellValue, format: &NumberFormat, is_1904: bool) -> String {
    let digits = match value {
        CellValue::Text(text) | CellValue::Error(text) => return text.clone(),
        CellValue::Boolean(value) => return if *value { "TRUE" } else { "FALSE" }.into(),
        CellValue::Number(digits) => digits.trim(),
    };
    if matches!(format.code(), "General" | "@" | "") || digits.is_empty() {
        return digits.to_owned();
    }
    let mut digits = digits.to_owned();
    if is_1904
        && format.is_date()
        && let Some((days, millis)) = serial_date::read_digits(digits.as_bytes())
    {
        let mut text = Vec::new();
        serial_date::write(&mut text, Some(days + serial_date::DAYS_TO_1904), millis);
        digits = String::from_utf8_lossy(&text).into_owned();
    }
    let mut out = Vec::new();
    format.show(digits.as_bytes(), &Locale::default(), &mut out);
    String::from_utf8_lossy(&out).into_owned()
}
