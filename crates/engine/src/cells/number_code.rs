//! Numbers: the format code that shows one as it was spelled, and the digits that are written.

use super::date_code::date_code;
use incola_core::kind::number::{Exponent, Number, Sign};
use incola_core::kind::shown::Look;
use incola_core::kind::{NumberRule, NumberSpelling};
use incola_workbook::number_format::{Locale, literal};

/// The format code that shows a number as it is spelled.
pub(super) fn number_code(spelling: &NumberSpelling, rule: &NumberRule) -> String {
    let grouped = !spelling.group.text().is_empty();
    let mut digits = match spelling.whole_digits {
        _ if grouped => "#,##0".to_owned(),
        0 => "#".to_owned(),
        // A picture says how many digits there are; without one the format has to.
        _ if rule.picture_digits.is_some() => "0".to_owned(),
        n => "0".repeat(usize::from(n.saturating_sub(rule.implied_decimals.unwrap_or(0)).max(1))),
    };
    let decimals = match rule.implied_decimals {
        Some(implied) if !spelling.mark => implied,
        _ => spelling.decimals,
    };
    if decimals > 0 || spelling.mark {
        digits.push('.');
        digits.push_str(&"0".repeat(usize::from(decimals)));
    }
    if let Some(Exponent { digits: least, plus, upper }) = spelling.exponent {
        digits.push(if upper { 'E' } else { 'e' });
        digits.push(if plus { '+' } else { '-' });
        digits.push_str(&"0".repeat(usize::from(least)));
    }
    let body = |inner: &str| match spelling.affix {
        None => inner.to_owned(),
        Some(affix) => {
            let symbol =
                if affix.symbol.is_percent() { "%".to_owned() } else { literal(affix.symbol.text()) };
            let gap = literal(affix.gap.text());
            if affix.in_front { format!("{symbol}{gap}{inner}") } else { format!("{inner}{gap}{symbol}") }
        }
    };
    // Where the sign stands: beside the digits, or outside of the symbol.
    let signed = |before: &str, after: &str| {
        let inside = spelling.affix.is_some_and(|a| a.sign_inside);
        if inside {
            body(&format!("{before}{digits}{after}"))
        } else {
            format!("{before}{}{after}", body(&digits))
        }
    };
    let plain = body(&digits);
    let blank = if spelling.sign_gap { "\\ " } else { "" };
    let negative = match spelling.sign {
        Sign::None | Sign::Minus | Sign::Plus => signed(&format!("\\-{blank}"), ""),
        Sign::TrueMinus => signed(&format!("\\\u{2212}{blank}"), ""),
        Sign::MinusAfter | Sign::PlusAfter => signed("", "\\-"),
        Sign::Brackets => signed("\\(", "\\)"),
        Sign::Credit => signed("", &literal(if spelling.sign_gap { " CR" } else { "CR" })),
        Sign::Debit | Sign::DebitDb => signed("\\-", ""),
    };
    if spelling.negative_zero {
        return negative;
    }
    match spelling.sign {
        Sign::None => plain,
        Sign::Minus if blank.is_empty() && !spelling.affix.is_some_and(|a| a.sign_inside) => plain,
        Sign::Minus | Sign::TrueMinus | Sign::MinusAfter | Sign::Brackets | Sign::Credit => {
            format!("{plain};{negative}")
        }
        Sign::Plus => format!("{};{negative}", signed(&format!("\\+{blank}"), "")),
        Sign::PlusAfter => format!("{};{negative}", signed("", "\\+")),
        Sign::Debit => {
            format!("{};{negative}", signed("", &literal(if spelling.sign_gap { " DR" } else { "DR" })))
        }
        Sign::DebitDb => {
            format!("{};{negative}", signed("", &literal(if spelling.sign_gap { " DB" } else { "DB" })))
        }
    }
}

/// The format code of what is made of others, as it is to look.
pub(super) fn look_code(look: &Look) -> String {
    match look {
        Look::Number { before, is_grouped, decimals, after } => {
            let mut digits = if *is_grouped { "#,##0" } else { "0" }.to_owned();
            if *decimals > 0 {
                digits.push('.');
                digits.push_str(&"0".repeat(usize::from(*decimals)));
            }
            // A percent sign in a code multiplies; in quotes it would not.
            let sign = |text: &str| match text.split_once('%') {
                Some((gap, more)) => format!("{}%{}", literal(gap), literal(more)),
                None => literal(text),
            };
            format!("{}{digits}{}", sign(before), sign(after))
        }
        Look::Moment(rule) => rule.spellings.first().map_or_else(String::new, |s| date_code(s, rule)),
    }
}

/// What stands for decimals and groups in a column.
pub(super) fn number_locale(rule: &NumberRule) -> Locale {
    Locale { decimal: rule.decimal.char().into(), group: rule.group.text().into(), ..Locale::default() }
}

/// Takes the decimal character out of a number whose decimals are implied and fills it up with zeros.
pub(super) fn unmark(shown: &mut Vec<u8>, digits: usize) {
    shown.retain(|b| !matches!(b, b'.' | b','));
    let start = usize::from(shown.first() == Some(&b'-'));
    let missing = digits.saturating_sub(shown.len() - start);
    shown.splice(start..start, std::iter::repeat_n(b'0', missing));
}

/// Appends a number in plain decimal digits, or with an exponent if those would be many.
pub(super) fn write_number(out: &mut Vec<u8>, number: &Number, percent: bool) {
    let scale = i32::from(number.scale) + if percent && number.digits != 0 { 2 } else { 0 };
    if number.negative {
        out.push(b'-');
    }
    let start = out.len();
    write_digits(out, number.digits);
    let length = (out.len() - start) as i32;
    if scale <= 0 {
        if scale < -6 {
            out.extend_from_slice(format!("E{}", -scale).as_bytes());
        } else {
            out.resize(out.len() + scale.unsigned_abs() as usize, b'0');
        }
    } else if scale < length {
        out.insert(start + (length - scale) as usize, b'.');
    } else if scale - length < 12 {
        let zeros = (scale - length) as usize;
        out.splice(start..start, b"0.".iter().copied().chain(std::iter::repeat_n(b'0', zeros)));
    } else {
        out.extend_from_slice(format!("E-{scale}").as_bytes());
    }
}

fn write_digits(out: &mut Vec<u8>, mut number: u64) {
    let mut digits = [0; 20];
    let mut at = digits.len();
    loop {
        at -= 1;
        digits[at] = b'0' + (number % 10) as u8;
        number /= 10;
        if number == 0 {
            break;
        }
    }
    out.extend_from_slice(&digits[at..]);
}
