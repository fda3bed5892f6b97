//! Kinds that the clerk states. They are obeyed whatever the data say; what does not fit becomes a misfit.

use super::date::{DateOrder, DatePart, DateSpelling};
use super::decide::{Surroundings, Verdict, decide};
use super::number::{Decimal, Group, NumberSpelling, Sign, SpellingCode};
use super::pattern;
use super::rule::{BooleanRule, DateRule, Kind, NumberRule, Rule};
use super::statistics::{ColumnStats, Count, Dates, ORDERS};

/// Pairs of words that say yes and no; in this order they are tried where none are stated.
const YES_NO: [(&str, &str); 14] = [
    ("yes", "no"),
    ("Yes", "No"),
    ("YES", "NO"),
    ("true", "false"),
    ("True", "False"),
    ("TRUE", "FALSE"),
    ("Y", "N"),
    ("y", "n"),
    ("ja", "nein"),
    ("J", "N"),
    ("oui", "non"),
    ("O", "N"),
    ("T", "F"),
    ("1", "0"),
];

/// The rule that a stated kind makes for a column.
///
/// # Errors
/// Why the kind cannot be obeyed without more being said, in words.
///
/// ```
/// use incola_core::kind::{ColumnStats, Kind, Rule, decide::Surroundings, force::force};
/// let verdict = force(&ColumnStats::default(), Kind::Text, None, &Surroundings::default(), None).unwrap();
/// assert_eq!(verdict.rule, Rule::Text);
/// ```
pub fn force(
    stats: &ColumnStats,
    kind: Kind,
    format: Option<&str>,
    around: &Surroundings,
    decimal: Option<Decimal>,
) -> Result<Verdict, String> {
    let rule = match kind {
        Kind::Text => Rule::Text,
        Kind::Skip => Rule::Skip,
        Kind::Number => Rule::Number(number_rule(stats, format, around, decimal)?),
        Kind::Boolean => Rule::Boolean(boolean_rule(stats, format)?),
        Kind::Date | Kind::Time | Kind::DateTime => Rule::Date(date_rule(stats, kind, format)?),
    };
    let misfits = match &rule {
        Rule::Number(rule) => {
            let padded = if rule.padded { stats.leading_zero.count } else { 0 };
            let fitting = stats.numbers(rule.decimal).count + padded;
            Count { count: stats.filled.saturating_sub(fitting), line: 0 }
        }
        Rule::Date(rule) => {
            let fitting = stats.dates.iter().find(|d| d.shape == rule.shape).map_or(0, |d| {
                let order = ORDERS.iter().position(|o| *o == rule.order).unwrap_or(0);
                if rule.kind == Kind::Time { d.count } else { d.orders[order].count }
            });
            Count { count: stats.filled.saturating_sub(fitting), line: 0 }
        }
        _ => Count::default(),
    };
    Ok(Verdict { rule, why: String::new(), doubt: None, misfits })
}

fn number_rule(
    stats: &ColumnStats,
    format: Option<&str>,
    around: &Surroundings,
    stated: Option<Decimal>,
) -> Result<NumberRule, String> {
    let sample = format.map(|f| pattern::parse_number(f, stated)).transpose()?;
    let found = match decide(stats, "", around).rule {
        Rule::Number(rule) => Some(rule.decimal),
        _ => around.decimal.as_ref().map(|(d, _)| *d),
    };
    let decimal = sample.and_then(|s| s.decimal).or(stated).or(found).unwrap_or(Decimal::Point);
    let group = sample.map_or(Group::None, |s| s.group);
    let codes = stats.numbers(decimal).spellings.sorted();
    let mut spellings: Vec<NumberSpelling> = codes.iter().map(|c| c.spelling()).collect();
    let padded = stats.leading_zero.count > 0 || sample.is_some_and(|s| s.implied_decimals.is_some());
    if padded {
        let signs: Vec<Sign> = std::iter::once(Sign::None).chain(spellings.iter().map(|s| s.sign)).collect();
        for sign in signs {
            let plain = NumberSpelling { sign, ..NumberSpelling::PLAIN };
            spellings.extend((1..=15).map(|whole_digits| NumberSpelling { whole_digits, ..plain }));
        }
    }
    let mut codes: Vec<SpellingCode> = spellings.iter().map(NumberSpelling::code).collect();
    codes.sort_unstable();
    codes.dedup();
    let group = if group == Group::None {
        spellings.iter().map(|s| s.group).find(|g| *g != Group::None).unwrap_or_default()
    } else {
        group
    };
    let implied_decimals = sample.and_then(|s| s.implied_decimals);
    let picture_digits = stats
        .digits
        .filter(|d| implied_decimals.is_some() && d.fewest == d.most)
        .and_then(|d| u8::try_from(d.most).ok());
    Ok(NumberRule { decimal, group, implied_decimals, picture_digits, padded, spellings: codes })
}

fn boolean_rule(stats: &ColumnStats, format: Option<&str>) -> Result<BooleanRule, String> {
    if let Some(format) = format {
        let (yes, no) = format
            .split_once('/')
            .filter(|(yes, no)| !yes.is_empty() && !no.is_empty() && yes != no)
            .ok_or("write the words for yes and no with a stroke between, such as boolean:yes/no")?;
        return Ok(BooleanRule { yes: yes.into(), no: no.into() });
    }
    let seen: Vec<&[u8]> = stats.words.spellings.iter().map(|(w, _)| &**w).collect();
    let fits = |word: &str| seen.contains(&word.as_bytes());
    let digits = seen.is_empty() && stats.digits.is_some_and(|d| d.most == 1);
    YES_NO
        .iter()
        .find(|(yes, no)| (fits(yes) && fits(no)) || (digits && *yes == "1"))
        .or_else(|| YES_NO.iter().find(|(yes, no)| seen.len() == 1 && (fits(yes) || fits(no))))
        .map(|(yes, no)| BooleanRule { yes: (*yes).into(), no: (*no).into() })
        .ok_or_else(|| "say which words mean yes and no, such as boolean:yes/no".into())
}

fn date_rule(stats: &ColumnStats, kind: Kind, format: Option<&str>) -> Result<DateRule, String> {
    if let Some(format) = format {
        return stated_date_rule(stats, kind, format);
    }
    let fits = |d: &&Dates| match kind {
        Kind::Time => d.shape.date.is_none(),
        _ => d.shape.date.is_some(),
    };
    let Some(dates) = stats.dates.iter().filter(fits).max_by_key(|d| d.count) else {
        return Err(format!(
            "no value of the column looks like a {}; state the pattern, such as {}:{}",
            kind.word(),
            kind.word(),
            match kind {
                Kind::Time => "HH:mm",
                Kind::Date => "dd.MM.yyyy",
                _ => "dd.MM.yyyy HH:mm",
            }
        ));
    };
    let possible: Vec<usize> = (0..3).filter(|i| dates.orders[*i].count == dates.count).collect();
    let best = match possible.as_slice() {
        _ if dates.shape.date.is_none() => 2,
        [only] => *only,
        [] => (0..3).max_by_key(|i| dates.orders[*i].count).unwrap_or(0),
        _ if matches!(dates.shape.date, Some(DatePart::YearLast(b'.') | DatePart::ShortYear(b'.'))) => 0,
        several => {
            let spelling = dates.spellings.sorted().last().copied().unwrap_or_default();
            let patterns: Vec<String> = several
                .iter()
                .map(|i| pattern::date_text(&dates.shape, ORDERS[*i], &spelling, dates.zone.text()))
                .collect();
            return Err(format!(
                "its values can be read in two ways; state the pattern: {}",
                patterns.iter().map(|p| format!("{}:{p}", kind.word())).collect::<Vec<_>>().join(" or ")
            ));
        }
    };
    Ok(DateRule {
        kind,
        shape: dates.shape,
        order: ORDERS[best],
        languages: dates.languages,
        zone: dates.zone,
        spellings: dates.spellings.sorted(),
    })
}

fn stated_date_rule(stats: &ColumnStats, kind: Kind, format: &str) -> Result<DateRule, String> {
    let pattern = pattern::parse_date(format)?;
    let has = (pattern.shape.date.is_some(), pattern.spelling.hour_digits > 0);
    let needs = match kind {
        Kind::Date => (true, false),
        Kind::Time => (false, true),
        _ => (true, true),
    };
    if has != needs {
        return Err(format!("the pattern {format} is not one of a {}", kind.word()));
    }
    // The pattern does not say in which case months are written, or how noon is: the data do.
    let same = |d: &&Dates| match (d.shape.date, pattern.shape.date) {
        (Some(DatePart::Named(a)), Some(DatePart::Named(b))) => {
            (a.order, a.divider, a.day_stop, a.month_stop, a.comma)
                == (b.order, b.divider, b.day_stop, b.month_stop, b.comma)
        }
        (a, b) => a == b && d.shape.meridiem.is_some() == pattern.shape.meridiem.is_some(),
    };
    let found = stats.dates.iter().filter(same).max_by_key(|d| d.count);
    let mut spellings: Vec<DateSpelling> = found.map(|d| d.spellings.sorted()).unwrap_or_default();
    spellings.push(pattern.spelling);
    spellings.sort_unstable();
    spellings.dedup();
    let stated_order = match pattern.shape.date {
        None => DateOrder::YearFirst,
        Some(_) => pattern.order,
    };
    Ok(DateRule {
        kind,
        shape: found.map_or(pattern.shape, |d| d.shape),
        order: stated_order,
        languages: found.map_or(super::month::Languages::ALL, |d| d.languages),
        zone: found.map(|d| d.zone).unwrap_or_default(),
        spellings,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::kind::Value;

    fn stats(values: &[&str]) -> ColumnStats {
        let mut stats = ColumnStats::default();
        for (i, value) in values.iter().enumerate() {
            stats.observe(value.as_bytes(), i as u64 + 2);
        }
        stats
    }

    fn forced(values: &[&str], kind: Kind, format: Option<&str>) -> Result<Rule, String> {
        force(&stats(values), kind, format, &Surroundings::default(), None).map(|v| v.rule)
    }

    #[test]
    fn what_cannot_be_told_must_be_stated() {
        let values = ["03/04/2031", "05/06/2031"];
        let error = forced(&values, Kind::Date, None).unwrap_err();
        assert_eq!(
            error,
            "its values can be read in two ways; state the pattern: date:dd/MM/yyyy or date:MM/dd/yyyy"
        );
        let rule = forced(&values, Kind::Date, Some("dd/MM/yyyy")).unwrap();
        let Value::Moment(Some(day), 0, 0) = rule.read(b"03/04/2031") else { panic!() };
        assert_eq!((day.day, day.month), (3, 4));
    }

    #[test]
    fn numbers_keep_their_zeros_in_front_and_implied_decimals() {
        let rule = forced(&["007", "12"], Kind::Number, None).unwrap();
        assert!(
            matches!(rule.read(b"007"), Value::Number(n, _) if n.digits == 7 && n.spelling.whole_digits() == 3)
        );
        let rule = forced(&["0012345"], Kind::Number, Some("9v99")).unwrap();
        assert!(matches!(rule.read(b"0012345"), Value::Number(n, _) if (n.digits, n.scale) == (12345, 2)));
        assert!(matches!(rule.read(b"12a"), Value::Misfit(b"12a")));
    }

    #[test]
    fn yes_and_no_are_found_or_stated() {
        let rule = forced(&["yes", "no", ""], Kind::Boolean, None).unwrap();
        assert_eq!(rule.read(b"yes"), Value::Boolean(true));
        assert!(forced(&["maybe", "no"], Kind::Boolean, None).is_err());
        let rule = forced(&["an", "aus"], Kind::Boolean, Some("an/aus")).unwrap();
        assert_eq!(rule.read(b"aus"), Value::Boolean(false));
    }
}
