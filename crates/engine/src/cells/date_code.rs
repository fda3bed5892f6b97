//! Dates and times: the format code that shows one as it was spelled.

use incola_core::kind::date::{DatePart, DateShape, DateSpelling, TimeGap};
use incola_core::kind::{DateOrder, DateRule, month_name};
use incola_workbook::number_format::{Locale, literal};

/// The format code that shows a date or time as it is spelled. Separators are escaped, for some of them mean "as is
/// usual in the viewer's country", and the language of month names is pinned.
pub(super) fn date_code(spelling: &DateSpelling, rule: &DateRule) -> String {
    let mut code = String::new();
    let DateShape { date, meridiem, .. } = rule.shape;
    if let Some(part) = date {
        let named = matches!(part, DatePart::Named(_));
        if named {
            code.push_str(language_tag(rule.languages.code()));
        }
        let order = match part {
            DatePart::Named(named) => named.order,
            DatePart::Compact | DatePart::YearFirst(_) => DateOrder::YearFirst,
            _ => rule.order,
        };
        let letters = match order {
            DateOrder::DayFirst => ["d", "m", "y"],
            DateOrder::MonthFirst => ["m", "d", "y"],
            DateOrder::YearFirst => ["y", "m", "d"],
        };
        let symbols: Vec<String> =
            letters.iter().zip(spelling.widths).map(|(l, w)| l.repeat(usize::from(w))).collect();
        match part {
            DatePart::Compact => code.push_str(&symbols.concat()),
            DatePart::YearFirst(c) | DatePart::YearLast(c) | DatePart::ShortYear(c) => {
                code.push_str(&symbols.join(&literal(&char::from(c).to_string())));
            }
            DatePart::Named(named) => {
                let divider = char::from(named.divider).to_string();
                let stop = |on: bool| if on { "." } else { "" };
                let (first, second) = if named.order == DateOrder::MonthFirst {
                    (
                        format!("{}{divider}", stop(named.month_stop)),
                        if named.comma { ", ".into() } else { divider },
                    )
                } else {
                    let comma = if named.comma { "," } else { "" };
                    (
                        format!("{}{divider}", stop(named.day_stop)),
                        format!("{}{comma}{divider}", stop(named.month_stop)),
                    )
                };
                code.push_str(&format!(
                    "{}{}{}{}{}",
                    symbols[0],
                    literal(&first),
                    symbols[1],
                    literal(&second),
                    symbols[2]
                ));
            }
        }
    }
    if spelling.hour_digits > 0 {
        code.push_str(&literal(spelling.gap.text()));
        let compact = date == Some(DatePart::Compact) && spelling.gap == TimeGap::None;
        let colon = if compact { "" } else { "\\:" };
        code.push_str(&"h".repeat(usize::from(spelling.hour_digits)));
        code.push_str(colon);
        code.push_str("mm");
        if spelling.seconds {
            code.push_str(colon);
            code.push_str("ss");
        }
        if spelling.fraction_digits > 0 {
            code.push('.');
            code.push_str(&"0".repeat(usize::from(spelling.fraction_digits)));
        }
        if let Some(meridiem) = meridiem {
            code.push_str(if meridiem.blank { "\\ AM/PM" } else { "AM/PM" });
        }
        code.push_str(&literal(rule.zone.text()));
    }
    code
}

/// The tag that pins the language of month names in a format code.
fn language_tag(code: &str) -> &'static str {
    match code {
        "de" => "[$-407]",
        "fr" => "[$-40C]",
        "es" => "[$-40A]",
        "it" => "[$-410]",
        "pt" => "[$-416]",
        "nl" => "[$-413]",
        _ => "[$-409]",
    }
}

/// The names of months and halves of the day in a column.
pub(super) fn date_locale(rule: &DateRule) -> Locale {
    let case = match rule.shape.date {
        Some(DatePart::Named(named)) => named.case,
        _ => incola_core::kind::date::Case::Title,
    };
    let names =
        |short: bool| std::array::from_fn(|i| case.apply(month_name(rule.languages, i as u8 + 1, short)));
    let half = |letter: &str| match rule.shape.meridiem {
        Some(m) => {
            let text = if m.stops { format!("{letter}.m.") } else { format!("{letter}m") };
            if m.upper { text.to_uppercase() } else { text }
        }
        None => String::new(),
    };
    let comma = rule.spellings.iter().any(|s| s.fraction_comma);
    Locale {
        decimal: if comma { ",".into() } else { ".".into() },
        group: String::new(),
        halves: [half("a"), half("p")],
        months: [names(true), names(false)],
    }
}
