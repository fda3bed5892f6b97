//! Which kind a column is, from the statistics of all its values.
//!
//! What makes a column text, whatever the share: zeros in front, more than 15 digits, spellings that cannot be written
//! back, an order of day and month that cannot be told, dates that a worksheet can't hold. Values without a digit
//! (`n/a`, `-`) cost no column its kind; others do if they are more than 1 in [`MISFIT_SHARE`].

use super::date::{DateOrder, DatePart};
use super::name::{self, NameEvidence};
use super::number::{Decimal, Group, NumberSpelling};
use super::rule::{DateRule, Kind, NumberRule, Rule};
use super::statistics::{ColumnStats, Count, Dates, ORDERS};
use crate::words::{counted, grouped};

/// One value in so many may be a misfit with digits before the column becomes text.
pub const MISFIT_SHARE: u64 = 1000;

/// From how many records on, and from how many digits on, unequal values of equal length make an identifier.
pub const UNIQUE_FROM: (u64, u32) = (30, 8);

/// 1900-03-01 at midnight, as [`super::statistics::moment_key`] has it.
const FIRST_HOLDABLE: u64 = ((1900 * 16 + 3) * 32 + 1) << 27;

/// What else is known of the file when a column is judged.
#[derive(Clone, Debug, Default)]
pub struct Surroundings {
    /// The decimal character that other columns prove, with the proof.
    pub decimal: Option<(Decimal, String)>,
    /// All values of the column are different.
    pub unique: bool,
    /// A total line agrees with the sum of the column.
    pub total_agrees: bool,
    /// A value in the column is what begins a record: the lines without one continue the record above.
    pub begins_records: bool,
}

/// Why a column is text although its values look like more.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Doubt {
    /// Day and month cannot be told apart.
    DateOrder,
    /// The decimal character cannot be told from the group character.
    DecimalChar,
}

/// A kind with its reasons.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Verdict {
    /// How the fields are read.
    pub rule: Rule,
    /// What speaks for it.
    pub why: String,
    /// What cannot be told.
    pub doubt: Option<Doubt>,
    /// Misfits that are kept as text, and the line of the first one.
    pub misfits: Count,
}

impl Verdict {
    fn text(why: impl Into<String>) -> Self {
        Self { rule: Rule::Text, why: why.into(), doubt: None, misfits: Count::default() }
    }
}

/// Judges a column.
///
/// ```
/// use incola_core::kind::{ColumnStats, Kind, decide::{Surroundings, decide}};
/// let mut stats = ColumnStats::default();
/// for (i, value) in ["007", "012", "031"].iter().enumerate() {
///     stats.observe(value.as_bytes(), i as u64 + 2);
/// }
/// let verdict = decide(&stats, "Berth", &Surroundings::default());
/// assert_eq!(verdict.rule.kind(), Kind::Text);
/// assert_eq!(verdict.why, "3 values begin with 0, the first in line 2");
/// ```
pub fn decide(stats: &ColumnStats, name: &str, around: &Surroundings) -> Verdict {
    if stats.filled == 0 {
        return Verdict::text("always empty");
    }
    for (count, what) in
        [(stats.formulas, "written as =\"…\""), (stats.apostrophes, "written with an apostrophe before it")]
    {
        if count.count > 0 {
            let (are, is) = (format!("are {what} to stay text"), format!("is {what} to stay text"));
            return Verdict::text(located(count, &are, &is));
        }
    }
    if let Some(verdict) = as_date(stats) {
        return verdict;
    }
    as_number(stats, name, around).unwrap_or_else(|| Verdict::text(why_text(stats)))
}

/// `3 values begin`, `1 value begins`
fn values(count: u64, plural: &str, singular: &str) -> String {
    counted(count, &format!("value {singular}"), &format!("values {plural}"))
}

fn located(count: Count, plural: &str, singular: &str) -> String {
    let place = if count.count == 1 { "in" } else { "the first in" };
    format!("{}, {place} line {}", values(count.count, plural, singular), count.line)
}

/// Why neither numbers nor dates were found.
fn why_text(stats: &ColumnStats) -> String {
    let words = stats.words.seen.count;
    if words == stats.filled {
        "no value holds a digit".into()
    } else if let Some(example) = &stats.mixed_example {
        let example = String::from_utf8_lossy(example);
        format!(
            "{} neither number nor date, such as \u{201c}{example}\u{201d} in line {}",
            values(stats.mixed.count, "are", "is"),
            stats.mixed.line
        )
    } else {
        format!("{} no digit", values(words, "hold", "holds"))
    }
}

/// Whether the words of a column may stand among `fitting` values of another kind.
fn words_may_stand(stats: &ColumnStats, fitting: u64) -> bool {
    let words = &stats.words;
    if words.seen.count == 0 || (!words.many && words.spellings.iter().all(|(w, _)| stands_for_nothing(w))) {
        return fitting > 0;
    }
    // A few spellings among many values are marks; words of all sorts are what the column is about.
    if words.many { words.seen.count < fitting } else { fitting * 10 >= stats.filled }
}

/// Spellings that stand for a missing value wherever they are used.
fn stands_for_nothing(word: &[u8]) -> bool {
    let word = word.to_ascii_lowercase();
    word.iter().all(|b| !b.is_ascii_alphanumeric() && *b < 0x80)
        || matches!(
            word.as_slice(),
            b"na"
                | b"n/a"
                | b"n.a."
                | b"nan"
                | b"nil"
                | b"null"
                | b"none"
                | b"k.a."
                | b"k. a."
                | b"s.d."
                | b"x"
                | b"nd"
                | b"n.d."
                | b"missing"
                | b"unknown"
                | b"unbekannt"
                | b"inconnu"
                | b"#n/a"
                | b"\\n"
                | b"tbd"
        )
}

fn as_date(stats: &ColumnStats) -> Option<Verdict> {
    let dates = stats.dates.iter().max_by_key(|d| (d.count, d.shape.date != Some(DatePart::Compact)))?;
    let others = stats.filled - stats.words.seen.count - dates.count;
    if others * MISFIT_SHARE > stats.filled || !words_may_stand(stats, dates.count) {
        return None;
    }
    let kind = match (dates.shape.date, dates.timed) {
        (None, _) => Kind::Time,
        (Some(_), 0) => Kind::Date,
        (Some(_), _) => Kind::DateTime,
    };
    if dates.too_fine.count > 0 {
        return Some(Verdict::text(located(
            dates.too_fine,
            "are finer than a millisecond",
            "is finer than a millisecond",
        )));
    }
    if dates.other_zone.count > 0 {
        return Some(Verdict::text(located(
            dates.other_zone,
            "have another offset than the first one",
            "has another offset than the first one",
        )));
    }
    let (order, why) = match dates.shape.date {
        None => (DateOrder::YearFirst, String::new()),
        Some(part) => match order_of(dates, part) {
            Ok(found) => found,
            Err(verdict) => return Some(*verdict),
        },
    };
    // Whatever the order, a worksheet holds no day before March 1900.
    if let Some((_, line)) = dates.earliest.filter(|(at, _)| *at < FIRST_HOLDABLE)
        && dates.shape.date.is_some()
    {
        let count = dates.too_early.count.max(1);
        let first = if dates.too_early.count > 0 { dates.too_early.line } else { line };
        return Some(Verdict::text(located(
            Count { count, line: first },
            "are before 1900-03-01, which a worksheet cannot hold",
            "is before 1900-03-01, which a worksheet cannot hold",
        )));
    }
    let rule = DateRule {
        kind,
        shape: dates.shape,
        order,
        languages: dates.languages,
        zone: dates.zone,
        spellings: dates.spellings.sorted(),
    };
    let what = match kind {
        Kind::Time => "times",
        Kind::Date => "dates",
        _ => "dates with times",
    };
    let misfits = Count { count: stats.filled - dates.count, line: first_misfit(stats) };
    let mut why = format!("{}{why}", share(dates.count, stats.filled, what));
    note_misfits(&mut why, stats, misfits.count);
    Some(Verdict { rule: Rule::Date(rule), why, doubt: None, misfits })
}

/// Which part is the day, and why; or the verdict that it cannot be told.
fn order_of(dates: &Dates, part: DatePart) -> Result<(DateOrder, String), Box<Verdict>> {
    let fitting: Vec<usize> =
        (0..3).filter(|i| (dates.count - dates.orders[*i].count) * MISFIT_SHARE <= dates.count).collect();
    let stated = matches!(part, DatePart::Compact | DatePart::YearFirst(_) | DatePart::Named(_));
    match fitting.as_slice() {
        [only] => {
            let proof = dates.decisive[*only];
            let why = if stated || proof.count == 0 {
                String::new()
            } else {
                let what = match ORDERS[*only] {
                    DateOrder::DayFirst => "day first",
                    DateOrder::MonthFirst => "month first",
                    DateOrder::YearFirst => "year first",
                };
                format!("; {what}, as {} (line {})", values(proof.count, "prove", "proves"), proof.line)
            };
            Ok((ORDERS[*only], why))
        }
        [] => {
            let [day, month, year] = dates.decisive;
            let why = format!(
                "dates, but both orders occur: day first in line {}, {} first in line {}",
                day.line,
                if month.count > 0 { "month" } else { "year" },
                month.line.max(year.line)
            );
            Err(Box::new(Verdict { doubt: Some(Doubt::DateOrder), ..Verdict::text(why) }))
        }
        several => {
            // With full stops the day leads in every country that writes them, or else the year.
            let stops = matches!(part, DatePart::YearLast(b'.') | DatePart::ShortYear(b'.'));
            if stops && several.contains(&0) {
                return Ok((DateOrder::DayFirst, "; day first, as is written with full stops".into()));
            }
            let why = format!(
                "dates, but nothing shows whether the day or the month is first ({} alike both ways)",
                values(dates.count, "read", "reads")
            );
            Err(Box::new(Verdict { doubt: Some(Doubt::DateOrder), ..Verdict::text(why) }))
        }
    }
}

/// `all 58 values are dates`
fn share(count: u64, filled: u64, what: &str) -> String {
    if count == filled {
        let all = if filled == 1 {
            "the only value is".into()
        } else {
            format!("all {} values are", grouped(filled))
        };
        let what = if filled == 1 {
            what.replacen("dates", "a date", 1)
                .replacen("numbers", "a number", 1)
                .replacen("times", "a time", 1)
        } else {
            what.into()
        };
        format!("{all} {what}")
    } else {
        format!("{} of {} values are {what}", grouped(count), grouped(filled))
    }
}

fn first_misfit(stats: &ColumnStats) -> u64 {
    [stats.words.seen, stats.mixed, stats.leading_zero, stats.too_long, stats.unspellable]
        .iter()
        .filter(|c| c.count > 0)
        .map(|c| c.line)
        .min()
        .unwrap_or(0)
}

fn note_misfits(why: &mut String, stats: &ColumnStats, misfits: u64) {
    if misfits == 0 {
        return;
    }
    let words = &stats.words;
    let examples: Vec<String> = words
        .spellings
        .iter()
        .map(|(w, _)| &**w)
        .chain(stats.mixed_example.as_deref())
        .take(3)
        .map(|w| format!("\u{201c}{}\u{201d}", String::from_utf8_lossy(&w[..w.len().min(20)])))
        .collect();
    if !examples.is_empty() {
        why.push_str(&format!("; the others: {}", examples.join(", ")));
    }
}

fn as_number(stats: &ColumnStats, name: &str, around: &Surroundings) -> Option<Verdict> {
    let none = || (0, Count::default());
    let (points, point) = stats.point.as_ref().map_or_else(none, |n| (n.count, n.decisive));
    let (commas, comma) = stats.comma.as_ref().map_or_else(none, |n| (n.count, n.decisive));
    let misspelt = stats.leading_zero.count + stats.too_long.count + stats.unspellable.count;
    let found = stats.neutral.count + points.max(commas);
    let others = stats.filled - stats.words.seen.count - found.min(stats.filled);
    if found + misspelt == 0
        || (others - misspelt.min(others)) * MISFIT_SHARE > stats.filled
        || !words_may_stand(stats, found + misspelt)
    {
        return None;
    }
    if stats.leading_zero.count > 0 {
        return Some(Verdict::text(located(stats.leading_zero, "begin with 0", "begins with 0")));
    }
    if stats.too_long.count > 0 {
        let have = ("have more than 15 significant digits", "has more than 15 significant digits");
        return Some(Verdict::text(located(stats.too_long, have.0, have.1)));
    }
    if stats.unspellable.count > 0 {
        let cannot = "spelled as no number format can show";
        return Some(Verdict::text(located(
            stats.unspellable,
            &format!("are {cannot}"),
            &format!("is {cannot}"),
        )));
    }
    let (decimal, proof) = match decimal_of(stats, (points, point), (commas, comma), around) {
        Ok(found) => found,
        Err(verdict) => return Some(*verdict),
    };
    let numbers = stats.numbers(decimal);
    let strange = stats.filled - stats.words.seen.count - numbers.count.min(stats.filled);
    if strange * MISFIT_SHARE > stats.filled {
        let why = format!(
            "numbers, but {} marks of both kinds (lines {} and {})",
            values(strange, "have", "has"),
            point.line,
            comma.line
        );
        return Some(Verdict { doubt: Some(Doubt::DecimalChar), ..Verdict::text(why) });
    }
    if let Some(why) = identifier(stats, name, around) {
        return Some(Verdict::text(why));
    }
    let codes = numbers.spellings.sorted();
    let spellings: Vec<NumberSpelling> = codes.iter().map(|c| c.spelling()).collect();
    let group = spellings.iter().map(|s| s.group).find(|g| *g != Group::None).unwrap_or_default();
    let whole = spellings.iter().all(|s| !s.mark && s.exponent.is_none());
    let mut why = share(numbers.count, stats.filled, if whole { "whole numbers" } else { "numbers" });
    why.push_str(&proof);
    if around.total_agrees {
        why.push_str("; the total line agrees with their sum");
    }
    let misfits = Count { count: stats.filled - numbers.count, line: first_misfit(stats) };
    note_misfits(&mut why, stats, misfits.count);
    let rule = NumberRule {
        decimal,
        group,
        implied_decimals: None,
        picture_digits: None,
        padded: false,
        spellings: codes,
    };
    Some(Verdict { rule: Rule::Number(rule), why, doubt: None, misfits })
}

/// The decimal character of a column of numbers, and the proof in words.
fn decimal_of(
    stats: &ColumnStats,
    (points, point): (u64, Count),
    (commas, comma): (u64, Count),
    around: &Surroundings,
) -> Result<(Decimal, String), Box<Verdict>> {
    let file = around.decimal.as_ref();
    if points + commas == 0 {
        return Ok((file.map_or(Decimal::Point, |(d, _)| *d), String::new()));
    }
    if point.count + comma.count > 0 {
        let decimal = if points >= commas { Decimal::Point } else { Decimal::Comma };
        let proof = if decimal == Decimal::Point { point } else { comma };
        return Ok((decimal, format!("; decimal character {} (line {})", named(decimal), proof.line)));
    }
    // Every mark stands before exactly three digits. Whole numbers below 1000 without a mark beside them, and none
    // above, are what grouping looks like; decimals would show one or two digits now and then.
    let plain = stats.neutral.count;
    if points.max(commas) >= 3 && plain >= 3 && stats.ungrouped_thousands == 0 {
        let marks = marks_used(stats);
        if let [only] = marks.as_slice() {
            let why = format!(
                "; {} groups digits: it is always before three digits, and the {plain} values without it are below 1000",
                named(*only)
            );
            return Ok((only.other(), why));
        }
    }
    if let Some((decimal, proof)) = file {
        return Ok((*decimal, format!("; decimal character {}, as {proof}", named(*decimal))));
    }
    let why = "numbers, but every mark is before three digits: it may group them or begin the decimals";
    Err(Box::new(Verdict { doubt: Some(Doubt::DecimalChar), ..Verdict::text(why) }))
}

/// Which of `.` and `,` occur in the column's numbers.
fn marks_used(stats: &ColumnStats) -> Vec<Decimal> {
    let uses = |decimal: Decimal| {
        let (own, other) = match decimal {
            Decimal::Point => (&stats.point, &stats.comma),
            Decimal::Comma => (&stats.comma, &stats.point),
        };
        let mark = if decimal == Decimal::Point { Group::Point } else { Group::Comma };
        own.as_ref().is_some_and(|n| n.spellings.sorted().iter().any(|s| s.has_mark()))
            || other.as_ref().is_some_and(|n| n.spellings.sorted().iter().any(|s| s.spelling().group == mark))
    };
    [Decimal::Point, Decimal::Comma].into_iter().filter(|d| uses(*d)).collect()
}

/// `comma` or `full stop`
pub fn named(decimal: Decimal) -> &'static str {
    match decimal {
        Decimal::Point => "\u{201c}.\u{201d}",
        Decimal::Comma => "\u{201c},\u{201d}",
    }
}

/// Whether all numbers are digits with one point at most, as levels are written.
fn is_levelled(stats: &ColumnStats) -> bool {
    stats.comma.is_none()
        && stats.point.as_ref().is_some_and(|numbers| {
            numbers.spellings.sorted().iter().all(|code| {
                let spelling = code.spelling();
                let plain = NumberSpelling {
                    decimals: spelling.decimals,
                    mark: spelling.mark,
                    ..NumberSpelling::PLAIN
                };
                spelling == plain
            })
        })
}

/// Why a column of whole numbers is made of identifiers, if it is.
fn identifier(stats: &ColumnStats, name: &str, around: &Surroundings) -> Option<String> {
    if around.total_agrees {
        return None;
    }
    if let Some(word) = name::levelled(name).filter(|_| is_levelled(stats)) {
        return Some(format!(
            "the name says \u{201c}{word}\u{201d}: points divide levels there, and 1.10 is not 1.1"
        ));
    }
    let digits = stats.digits?;
    // What is neither a number nor a date speaks for identifiers too; a sign or decimals speak against them.
    if digits.count + stats.words.seen.count + stats.mixed.count != stats.filled {
        return None;
    }
    if around.begins_records {
        return Some(
            "digits that begin each record, whose other lines have none: nobody adds these up".into(),
        );
    }
    match name::evidence(name) {
        NameEvidence::Quantity(_) => None,
        NameEvidence::Identifier(word) => {
            Some(format!("digits, and the name says \u{201c}{word}\u{201d}: nobody adds these up"))
        }
        NameEvidence::Year(word) => {
            let range =
                |e: Option<super::statistics::Extreme>| e.map_or(0, |e| e.units / 1_000_000_000_000_000);
            let (from, to) = (range(stats.neutral.smallest), range(stats.neutral.largest));
            let years = from >= 1000 && to <= 2999;
            let periods = from >= 100_001 && to <= 299_912;
            (years || periods).then(|| {
                format!("{from} to {to}, and the name says \u{201c}{word}\u{201d}: nobody adds these up")
            })
        }
        NameEvidence::None => {
            let (records, length) = UNIQUE_FROM;
            let equal = digits.fewest == digits.most && digits.fewest >= length;
            (around.unique && equal && digits.count >= records).then(|| {
                format!("{} values of {} digits each, all different: identifiers", digits.count, digits.most)
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn judged(name: &str, values: &[&str], around: &Surroundings) -> Verdict {
        let mut stats = ColumnStats::default();
        for (i, value) in values.iter().enumerate() {
            stats.observe(value.as_bytes(), i as u64 + 2);
        }
        decide(&stats, name, around)
    }

    fn kind(name: &str, values: &[&str]) -> (Kind, String) {
        let verdict = judged(name, values, &Surroundings::default());
        (verdict.rule.kind(), verdict.why)
    }

    #[test]
    fn identifiers_stay_text_whatever_a_few_of_them_hold() {
        let mut values: Vec<String> = (100..1600).map(|n| n.to_string()).collect();
        for (odd, name, expected) in [
            ("12A", "Call no", Kind::Text),
            ("none", "Call no", Kind::Text),
            ("12-3", "Call no", Kind::Text),
            ("12A", "Boxes", Kind::Number),
            // Decimals and signs are no digits.
            ("12.5", "Call no", Kind::Number),
            ("-5", "Call no", Kind::Number),
        ] {
            values[700] = odd.to_owned();
            let list: Vec<&str> = values.iter().map(String::as_str).collect();
            let (kind, why) = kind(name, &list);
            assert_eq!(kind, expected, "{name}: {odd}: {why}");
        }
    }

    #[test]
    fn kinds_follow_from_the_values() {
        use Kind::{Date, DateTime, Number, Text, Time};
        let cases: &[(&str, &[&str], Kind, &str)] = &[
            ("Berth", &["007", "12"], Text, "1 value begins with 0, in line 2"),
            (
                "Declaration",
                &["12345678901234567890"],
                Text,
                "1 value has more than 15 significant digits, in line 2",
            ),
            ("Dues", &["12.50", "3.00"], Number, "all 2 values are numbers; decimal character “.” (line 2)"),
            ("Dues", &["1.234,50", "3"], Number, "all 2 values are numbers; decimal character “,” (line 2)"),
            (
                "Calls",
                &["1", "22", "n/a", "-"],
                Number,
                "2 of 4 values are whole numbers; the others: “n/a”, “-”",
            ),
            (
                "Gross",
                &["1.234", "5.678"],
                Text,
                "numbers, but every mark is before three digits: it may group them or begin the decimals",
            ),
            (
                "Gross",
                &["1.234", "567", "12.345", "3", "8.001", "999"],
                Number,
                "all 6 values are whole numbers; “.” groups digits: it is always before three digits, and the 3 values without it are below 1000",
            ),
            (
                "Arrived",
                &["03/04/2031", "05/06/2031"],
                Text,
                "dates, but nothing shows whether the day or the month is first (2 values read alike both ways)",
            ),
            (
                "Arrived",
                &["03/04/2031", "17/06/2031"],
                Date,
                "all 2 values are dates; day first, as 1 value proves (line 3)",
            ),
            (
                "Arrived",
                &["03/04/2031", "06/17/2031"],
                Date,
                "all 2 values are dates; month first, as 1 value proves (line 3)",
            ),
            (
                "Arrived",
                &["13/04/2031", "06/17/2031"],
                Text,
                "dates, but both orders occur: day first in line 2, month first in line 3",
            ),
            (
                "Arrived",
                &["03.04.2031"],
                Date,
                "the only value is a date; day first, as is written with full stops",
            ),
            (
                "Arrived",
                &["2031-04-03", "1899-12-31"],
                Text,
                "1 value is before 1900-03-01, which a worksheet cannot hold, in line 3",
            ),
            (
                "Arrived",
                &["2031-04-03T10:00:00Z", "2031-04-03T11:00:00Z"],
                DateTime,
                "all 2 values are dates with times",
            ),
            (
                "Arrived",
                &["2031-04-03T10:00:00Z", "2031-04-03T11:00:00+02:00"],
                Text,
                "1 value has another offset than the first one, in line 3",
            ),
            (
                "Arrived",
                &["2031-04-03T10:00:00.1234567"],
                Text,
                "1 value is finer than a millisecond, in line 2",
            ),
            ("Arrived", &["20310403", "20310517"], Date, "all 2 values are dates"),
            ("Arrived", &["3 May 2031", "17 June 2031"], Date, "all 2 values are dates"),
            ("At", &["9:30", "17:05"], Time, "all 2 values are times"),
            ("Reise-Nr", &["12", "13"], Text, "digits, and the name says “Nr”: nobody adds these up"),
            ("No of calls", &["12", "13"], Number, "all 2 values are whole numbers"),
            ("Year", &["2030", "2031"], Text, "2030 to 2031, and the name says “Year”: nobody adds these up"),
            ("Year", &["1", "31"], Number, "all 2 values are whole numbers"),
            ("Vessel", &["Saltwind", "Grey Heron"], Text, "no value holds a digit"),
            ("Pier", &["K0C4", "12"], Text, "1 value is neither number nor date, such as “K0C4” in line 2"),
            ("Empty", &["", ""], Text, "always empty"),
            (
                "Spectrum",
                &["4.7309E-23", "1.2E-21"],
                Number,
                "all 2 values are numbers; decimal character “.” (line 2)",
            ),
            (
                "Flight",
                &["1E5", "2E7"],
                Text,
                "2 values are neither number nor date, such as “1E5” in line 2",
            ),
            ("Paid", &["yes", "no"], Text, "no value holds a digit"),
        ];
        for (name, values, expected, why) in cases {
            assert_eq!(kind(name, values), (*expected, (*why).to_owned()), "{name} {values:?}");
        }
    }

    #[test]
    fn misfits_with_digits_are_borne_up_to_one_in_a_thousand() {
        let mut values = vec!["12"; 1999];
        values.push("12 kg");
        assert_eq!(kind("Gross", &values).0, Kind::Number);
        values.truncate(1998);
        values.extend(["12 kg", "13 kg", "14 kg"]);
        assert_eq!(kind("Gross", &values).0, Kind::Text);
        // One zero in front is enough, whatever the share.
        let mut values = vec!["12"; 5000];
        values.push("007");
        assert_eq!(kind("Berth", &values).0, Kind::Text);
    }

    #[test]
    fn the_rest_of_the_file_settles_what_a_column_leaves_open() {
        let around = Surroundings {
            decimal: Some((Decimal::Comma, "column 4 shows in line 2".into())),
            ..Surroundings::default()
        };
        let verdict = judged("Gross", &["1.234", "5.678"], &around);
        assert!(matches!(verdict.rule, Rule::Number(NumberRule { decimal: Decimal::Comma, .. })));
    }

    #[test]
    fn a_total_proves_a_quantity_and_uniqueness_an_identifier() {
        let values: Vec<String> = (0..40).map(|i| format!("{}", 211_000_000 + i * 37)).collect();
        let values: Vec<&str> = values.iter().map(String::as_str).collect();
        let unique = Surroundings { unique: true, ..Surroundings::default() };
        assert_eq!(judged("Station", &values, &unique).rule.kind(), Kind::Text);
        assert_eq!(judged("Station", &values[..20], &unique).rule.kind(), Kind::Number);
        let total = Surroundings { total_agrees: true, unique: true, ..Surroundings::default() };
        assert_eq!(judged("Station no", &values, &total).rule.kind(), Kind::Number);
    }

    #[test]
    fn points_divide_levels_where_the_name_says_so() {
        let values = ["1.9", "1.10", "2.0", "1.10", "2.1"];
        for (name, kind) in [
            ("Version", Kind::Text),
            ("Room", Kind::Text),
            ("Abschnitt", Kind::Text),
            ("Draught", Kind::Number),
            ("Room price", Kind::Number),
            ("Price by section", Kind::Number),
        ] {
            assert_eq!(judged(name, &values, &Surroundings::default()).rule.kind(), kind, "{name}");
        }
        // A sign, a currency or groups are no levels.
        let amounts = ["1.90", "-1.10", "2.00", "3.50"];
        assert_eq!(judged("Room", &amounts, &Surroundings::default()).rule.kind(), Kind::Number);
    }
}
