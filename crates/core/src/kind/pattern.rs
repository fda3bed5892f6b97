//! Formats as people write them: date patterns in the symbols of UAX #35, numbers by a sample (`1.234,50`).

use super::date::{Case, DateOrder, DatePart, DateShape, DateSpelling, Meridiem, Named, TimeGap};
use super::number::{Decimal, Group};
use super::rule::{DateRule, NumberRule};

/// A date pattern, read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DatePattern {
    /// The shape of the values.
    pub shape: DateShape,
    /// Which part is the day.
    pub order: DateOrder,
    /// The spelling that the pattern states.
    pub spelling: DateSpelling,
}

/// The pattern of a rule: the one that its first spelling follows, padded ones before unpadded ones.
///
/// ```
/// use incola_core::kind::pattern;
/// let read = pattern::parse_date("dd.MM.yyyy HH:mm").unwrap();
/// assert_eq!(pattern::date_text(&read.shape, read.order, &read.spelling, ""), "dd.MM.yyyy HH:mm");
/// ```
pub fn of_date_rule(rule: &DateRule) -> String {
    let widest = rule.spellings.iter().max().copied().unwrap_or_default();
    date_text(&rule.shape, rule.order, &widest, rule.zone.text())
}

/// A spelling as a pattern.
pub fn date_text(shape: &DateShape, order: DateOrder, spelling: &DateSpelling, zone: &str) -> String {
    let mut out = String::new();
    if let Some(part) = shape.date {
        let symbols: Vec<String> = (0..3).map(|i| symbol(part, order, spelling, i)).collect();
        match part {
            DatePart::Compact => out.push_str("yyyyMMdd"),
            DatePart::YearFirst(c) | DatePart::YearLast(c) | DatePart::ShortYear(c) => {
                out.push_str(&symbols.join(&char::from(c).to_string()));
            }
            DatePart::Named(named) => {
                let divider = char::from(named.divider);
                let stop = |on: bool| if on { "." } else { "" };
                let comma = if named.comma { "," } else { "" };
                if named.order == DateOrder::MonthFirst {
                    out = format!(
                        "{}{}{divider}{}{comma}{divider}{}",
                        symbols[0],
                        stop(named.month_stop),
                        symbols[1],
                        symbols[2]
                    );
                } else {
                    out = format!(
                        "{}{}{divider}{}{}{comma}{divider}{}",
                        symbols[0],
                        stop(named.day_stop),
                        symbols[1],
                        stop(named.month_stop),
                        symbols[2]
                    );
                }
            }
        }
    }
    if spelling.hour_digits > 0 {
        out.push_str(match spelling.gap {
            TimeGap::T => "'T'",
            gap => gap.text(),
        });
        let hour = if shape.meridiem.is_some() { "h" } else { "H" };
        out.push_str(&hour.repeat(usize::from(spelling.hour_digits)));
        let compact = shape.date == Some(DatePart::Compact) && spelling.gap == TimeGap::None;
        let colon = if compact { "" } else { ":" };
        out.push_str(colon);
        out.push_str("mm");
        if spelling.seconds {
            out.push_str(colon);
            out.push_str("ss");
        }
        if spelling.fraction_digits > 0 {
            out.push(if spelling.fraction_comma { ',' } else { '.' });
            out.push_str(&"S".repeat(usize::from(spelling.fraction_digits)));
        }
        if let Some(meridiem) = shape.meridiem {
            out.push_str(if meridiem.blank { " a" } else { "a" });
        }
    }
    if !zone.is_empty() {
        out.push_str(&format!("'{zone}'"));
    }
    out
}

/// The symbol of the part in place `i` (from 0).
fn symbol(part: DatePart, order: DateOrder, spelling: &DateSpelling, i: usize) -> String {
    let order = match part {
        DatePart::Named(named) => named.order,
        DatePart::Compact | DatePart::YearFirst(_) => DateOrder::YearFirst,
        _ => order,
    };
    let letters = match order {
        DateOrder::DayFirst => "dMy",
        DateOrder::MonthFirst => "Mdy",
        DateOrder::YearFirst => "yMd",
    };
    letters[i..=i].repeat(usize::from(spelling.widths[i]))
}

/// Reads a date pattern: `y`, `M`, `d`, `H` or `h`, `m`, `s`, `S` and `a`, with the characters between them; letters
/// stand in apostrophes.
///
/// # Errors
/// What is wrong with the pattern, in words.
pub fn parse_date(pattern: &str) -> Result<DatePattern, String> {
    let tokens = tokens(pattern)?;
    let time_at = tokens.iter().position(|t| matches!(t, Token::Symbol('H' | 'h', _)));
    let (date, time) = tokens.split_at(time_at.unwrap_or(tokens.len()));
    let mut spelling = DateSpelling::default();
    let mut shape = DateShape { date: None, meridiem: None, zoned: false };
    let mut order = DateOrder::YearFirst;
    let mut date = date.to_vec();
    if !date.is_empty() {
        if !time.is_empty()
            && let Some(Token::Text(gap)) = date.last().cloned()
        {
            date.pop();
            spelling.gap = match gap.as_str() {
                "T" => TimeGap::T,
                " " => TimeGap::Blank,
                "  " => TimeGap::TwoBlanks,
                ", " => TimeGap::CommaBlank,
                other => return Err(format!("\u{201c}{other}\u{201d} cannot be between date and time")),
            };
        }
        (order, shape.date) = date_part(&date, &mut spelling)?;
    }
    time_part(time, &mut shape, &mut spelling)?;
    if shape.date.is_none() && spelling.hour_digits == 0 {
        return Err("it holds neither a date nor a time".into());
    }
    Ok(DatePattern { shape, order, spelling })
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Token {
    /// A letter and how often it stands.
    Symbol(char, u8),
    /// Other characters.
    Text(String),
}

fn tokens(pattern: &str) -> Result<Vec<Token>, String> {
    let mut tokens: Vec<Token> = Vec::new();
    let mut chars = pattern.chars();
    let text = |tokens: &mut Vec<Token>, c: char| match tokens.last_mut() {
        Some(Token::Text(text)) => text.push(c),
        _ => tokens.push(Token::Text(c.into())),
    };
    while let Some(c) = chars.next() {
        match c {
            '\'' => {
                for c in chars.by_ref().take_while(|c| *c != '\'') {
                    text(&mut tokens, c);
                }
            }
            'y' | 'M' | 'L' | 'd' | 'H' | 'h' | 'm' | 's' | 'S' | 'a' | 'u' => {
                let c = match c {
                    'L' => 'M',
                    'u' => 'y',
                    c => c,
                };
                match tokens.last_mut() {
                    Some(Token::Symbol(last, n)) if *last == c => *n = n.saturating_add(1),
                    _ => tokens.push(Token::Symbol(c, 1)),
                }
            }
            c if c.is_alphabetic() && c != 'T' && c != 'Z' => {
                return Err(format!(
                    "\u{201c}{c}\u{201d} is not a symbol; letters that mean themselves are between apostrophes"
                ));
            }
            c => text(&mut tokens, c),
        }
    }
    Ok(tokens)
}

fn date_part(tokens: &[Token], spelling: &mut DateSpelling) -> Result<(DateOrder, Option<DatePart>), String> {
    let symbols: Vec<(char, u8)> = tokens
        .iter()
        .filter_map(|t| if let Token::Symbol(c, n) = t { Some((*c, *n)) } else { None })
        .collect();
    let texts: Vec<&str> = tokens
        .iter()
        .filter_map(|t| if let Token::Text(text) = t { Some(text.as_str()) } else { None })
        .collect();
    let order = match symbols.iter().map(|(c, _)| *c).collect::<String>().as_str() {
        "dMy" => DateOrder::DayFirst,
        "Mdy" => DateOrder::MonthFirst,
        "yMd" => DateOrder::YearFirst,
        _ => {
            return Err(
                "a date needs day, month and year: d, M and y, the month not in front of the year alone"
                    .into(),
            );
        }
    };
    for (width, (c, n)) in spelling.widths.iter_mut().zip(&symbols) {
        *width = match (c, n) {
            ('y', 2 | 4) | ('d', 1 | 2) | ('M', 1..=4) => *n,
            _ => {
                return Err(format!(
                    "\u{201c}{}\u{201d} is not known",
                    c.to_string().repeat(usize::from(*n))
                ));
            }
        };
    }
    let year = symbols.iter().find(|(c, _)| *c == 'y').map_or(4, |(_, n)| *n);
    let named = symbols.iter().any(|(c, n)| *c == 'M' && *n > 2);
    if named {
        let (first, second) = match (tokens, texts.as_slice()) {
            (
                [Token::Symbol(..), Token::Text(_), Token::Symbol(..), Token::Text(_), Token::Symbol(..)],
                [a, b],
            ) => (*a, *b),
            _ => {
                return Err("day, month and year need something between them, and nothing around them".into());
            }
        };
        let (Some(divider), Some(other)) = (divider_of(first), divider_of(second)) else {
            return Err(
                "between day, month and year is one character, behind a full stop or a comma if need be"
                    .into(),
            );
        };
        if divider != other {
            return Err("between the parts is the same character".into());
        }
        let comma = second.starts_with(',') || second.starts_with(".,");
        let stop_first = first.starts_with('.') && first.len() > 1;
        let stop_second = second.starts_with('.') && second.len() > 1;
        let month_first = order == DateOrder::MonthFirst;
        let part = Named {
            order,
            divider,
            day_stop: stop_first && !month_first,
            month_stop: if month_first { stop_first } else { stop_second },
            comma,
            case: Case::Title,
        };
        return Ok((order, Some(DatePart::Named(part))));
    }
    if !matches!((tokens.first(), tokens.last()), (Some(Token::Symbol(..)), Some(Token::Symbol(..)))) {
        return Err("nothing stands before and behind day, month and year".into());
    }
    let part = match texts.as_slice() {
        [] if spelling.widths == [4, 2, 2] && order == DateOrder::YearFirst => DatePart::Compact,
        [a, b] if a == b && a.len() == 1 && "-/. ".contains(a) => {
            let divider = a.as_bytes()[0];
            match (order, year) {
                (DateOrder::YearFirst, 4) => DatePart::YearFirst(divider),
                (_, 4) => DatePart::YearLast(divider),
                _ => DatePart::ShortYear(divider),
            }
        }
        _ => return Err("between the parts is the same one of - / . and a space".into()),
    };
    Ok((order, Some(part)))
}

/// The character between two parts of a date whose month has a name, behind a full stop or a comma.
fn divider_of(text: &str) -> Option<u8> {
    match *text.as_bytes() {
        [divider] | [b'.' | b',', divider] | [b'.', b',', divider] => Some(divider),
        _ => None,
    }
    .filter(|divider| divider.is_ascii() && !divider.is_ascii_alphanumeric())
}

fn time_part(tokens: &[Token], shape: &mut DateShape, spelling: &mut DateSpelling) -> Result<(), String> {
    let mut after = String::new();
    for token in tokens {
        match token {
            Token::Symbol(c @ ('H' | 'h'), n @ 1..=2) => {
                spelling.hour_digits = *n;
                if *c == 'h' {
                    shape.meridiem = Some(Meridiem { upper: true, stops: false, blank: false });
                }
            }
            Token::Symbol('m', 2) => {}
            Token::Symbol('s', 2) => spelling.seconds = true,
            Token::Symbol('S', n @ 1..=3) => {
                spelling.fraction_digits = *n;
                spelling.fraction_comma = after == ",";
            }
            Token::Symbol('a', 1) => {
                shape.meridiem = Some(Meridiem { upper: true, stops: false, blank: after == " " });
            }
            Token::Symbol(c, n) => {
                return Err(format!(
                    "\u{201c}{}\u{201d} is not known in a time",
                    c.to_string().repeat(usize::from(*n))
                ));
            }
            Token::Text(text) => {
                after.clone_from(text);
                if text.contains(['Z', '+']) {
                    shape.zoned = true;
                }
                continue;
            }
        }
        after.clear();
    }
    Ok(())
}

/// What a sample of a number says: decimal and group character, and decimals that are not marked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NumberSample {
    /// The decimal character, if the sample shows it.
    pub decimal: Option<Decimal>,
    /// The group character, if the sample shows it.
    pub group: Group,
    /// Decimals behind `v`, as in a COBOL picture.
    pub implied_decimals: Option<u8>,
}

/// Reads a sample such as `1.234,50`, `1234.5`, `1 234` or `9v99`.
///
/// # Errors
/// What is wrong with it, in words. A sample whose only mark stands before exactly three digits is ambiguous unless
/// `decimal` says what the mark is.
pub fn parse_number(sample: &str, decimal: Option<Decimal>) -> Result<NumberSample, String> {
    if let Some((whole, implied)) = sample.split_once(['v', 'V']) {
        let nines = |t: &str| t.bytes().all(|b| matches!(b, b'9' | b'(' | b')' | b'0'..=b'8'));
        if !nines(whole) || !nines(implied) {
            return Err("a picture holds 9s, and v where the decimals begin".into());
        }
        let places = match implied.strip_prefix("9(").and_then(|t| t.strip_suffix(')')) {
            Some(count) => count.parse().map_err(|_| "a count is between brackets")?,
            None => implied.len(),
        };
        let places = u8::try_from(places).ok().filter(|p| *p <= 15).ok_or("at most 15 decimals")?;
        return Ok(NumberSample { decimal, group: Group::None, implied_decimals: Some(places) });
    }
    let marks: Vec<(usize, char)> = sample.char_indices().filter(|(_, c)| !c.is_ascii_digit()).collect();
    if sample.is_empty() || !sample.starts_with(|c: char| c.is_ascii_digit()) {
        return Err("a sample is a number such as 1.234,50".into());
    }
    let group_of = |c: char| {
        Group::from_text(c.encode_utf8(&mut [0; 4]))
            .ok_or(format!("\u{201c}{c}\u{201d} is not a mark in a number"))
    };
    let as_decimal = |c: char| match c {
        '.' => Some(Decimal::Point),
        ',' => Some(Decimal::Comma),
        _ => None,
    };
    let Some(&(last_at, last)) = marks.last() else {
        return Ok(NumberSample { decimal, group: Group::None, implied_decimals: None });
    };
    let behind = sample.len() - last_at - last.len_utf8();
    let alike = marks.iter().filter(|(_, c)| *c == last).count() > 1;
    let first = marks[0].1;
    if marks.len() > 1 && first != last {
        let decimal = as_decimal(last).ok_or(format!("\u{201c}{last}\u{201d} is not a decimal character"))?;
        return Ok(NumberSample { decimal: Some(decimal), group: group_of(first)?, implied_decimals: None });
    }
    match as_decimal(last) {
        None => Ok(NumberSample { decimal, group: group_of(last)?, implied_decimals: None }),
        Some(mark) if alike => {
            Ok(NumberSample { decimal: Some(mark.other()), group: group_of(last)?, implied_decimals: None })
        }
        Some(mark) if behind == 3 => match decimal {
            Some(stated) if stated == mark => {
                Ok(NumberSample { decimal, group: Group::None, implied_decimals: None })
            }
            Some(_) => Ok(NumberSample { decimal, group: group_of(last)?, implied_decimals: None }),
            None => Err(format!(
                "{sample} can be read in two ways: say --decimal-char {} if its mark begins the decimals, or --decimal-char {} if it groups digits",
                mark.char(),
                mark.other().char()
            )),
        },
        Some(mark) => Ok(NumberSample { decimal: Some(mark), group: Group::None, implied_decimals: None }),
    }
}

/// A sample of the numbers that a rule reads.
pub fn of_number_rule(rule: &NumberRule) -> String {
    if let Some(decimals) = rule.implied_decimals {
        let whole = rule.picture_digits.map(|d| d.saturating_sub(decimals)).filter(|d| *d > 1);
        let whole = whole.map_or_else(|| "9".into(), |d| format!("9({d})"));
        return format!("{whole}v{}", "9".repeat(usize::from(decimals)));
    }
    let decimals = rule.spellings.iter().map(|s| s.decimals()).max().unwrap_or(0);
    let fraction: String = "5000000000000000000000000000000".chars().take(usize::from(decimals)).collect();
    let mark = if decimals > 0 { rule.decimal.char().to_string() } else { String::new() };
    format!("1{}234{mark}{fraction}", rule.group.text())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_are_written_as_they_are_read() {
        for pattern in [
            "dd.MM.yyyy",
            "M/d/yyyy",
            "yyyy-MM-dd",
            "yyyyMMdd",
            "dd.MM.yy",
            "d MMM yyyy",
            "MMM d, yyyy",
            "d. MMMM yyyy",
            "yyyy-MM-dd'T'HH:mm:ss",
            "dd/MM/yyyy H:mm",
            "HH:mm:ss.SSS",
            "h:mm a",
            "dd-MMM-yy",
            "HH:mm:ss,SS",
        ] {
            let read = parse_date(pattern).unwrap_or_else(|e| panic!("{pattern}: {e}"));
            assert_eq!(date_text(&read.shape, read.order, &read.spelling, ""), pattern);
        }
    }

    #[test]
    fn broken_patterns_say_what_is_wrong() {
        for (pattern, word) in [
            ("dd.MM", "needs"),
            ("", "neither"),
            ("dd.XX.yyyy", "symbol"),
            ("yyy-MM-dd", "not known"),
            ("dd.MM/yyyy", "same"),
            ("dd.MMM-yyyy", "same"),
            ("d 'of' MMMM yyyy", "one character"),
            ("d. MMMMyyyy'y31.12'", "nothing around"),
            ("'on 'dd.MM.yyyy", "nothing stands before"),
        ] {
            let error = parse_date(pattern).unwrap_err();
            assert!(error.contains(word), "{pattern}: {error}");
        }
    }

    #[test]
    fn samples_show_their_marks() {
        let read = |s: &str| parse_number(s, None).map(|n| (n.decimal, n.group, n.implied_decimals));
        assert_eq!(read("1.234,50"), Ok((Some(Decimal::Comma), Group::Point, None)));
        assert_eq!(read("1,234,567"), Ok((Some(Decimal::Point), Group::Comma, None)));
        assert_eq!(read("1234.5"), Ok((Some(Decimal::Point), Group::None, None)));
        assert_eq!(read("1 234"), Ok((None, Group::Space, None)));
        assert_eq!(read("9v99"), Ok((None, Group::None, Some(2))));
        assert!(read("1,234").unwrap_err().contains("--decimal-char"));
        assert!(parse_number("1,234", Some(Decimal::Point)).is_ok_and(|n| n.group == Group::Comma));
    }
}
