//! Edges of columns that the values themselves prove where columns touch: dates, times, decimals, words for yes and
//! no, codes of currencies and of record types.

use super::placed::{Class, Placed};
use super::starts::{COMPACT, date_edges, dates, is_compact_date};
use crate::kind::number::is_currency_code;

/// Lines that are enough to tell a habit from chance, and that are enough where it is a rare one.
const FEWEST: usize = 4;
const ENOUGH: usize = 8;

/// Places that are looked at.
const WIDEST: usize = 400;

/// What the values prove of where columns begin and end.
#[derive(Debug)]
pub(super) struct Known {
    /// Where columns begin or end.
    pub(super) edges: Vec<usize>,
    /// Edges of dates, which hold wherever they are.
    dates: Vec<usize>,
    /// Values that are one for sure: no column begins from the first place on and before the second.
    whole: Vec<(usize, usize)>,
}

impl Known {
    /// What `lines`, the records among `all`, prove.
    pub(super) fn of(lines: &[&Placed], all: &[&Placed]) -> Self {
        let compact = date_edges(lines, true);
        // Six digits inside a date of eight are no date of their own.
        let is_inside = |place: usize| compact.iter().any(|d| place.abs_diff(*d) < COMPACT + 1);
        let mut edges: Vec<usize> = short_dates(lines).into_iter().filter(|p| !is_inside(*p)).collect();
        edges.extend(type_code(lines, all));
        let decimals = decimals(lines);
        edges.extend(decimals.iter().map(|(_, end)| *end));
        let mut whole: Vec<(usize, usize)> =
            dates(lines, |_| true).into_iter().map(|from| (from + 1, from + COMPACT)).collect();
        whole.extend(decimals);
        let mut dates = compact;
        for (from, to) in moments(lines) {
            whole.push((from + 1, to));
            dates.extend([from, to].into_iter().filter(|edge| touches(lines, *edge)));
        }
        for (from, to) in answers(lines).into_iter().chain(currencies(lines)) {
            edges.extend([from, to].into_iter().filter(|edge| touches(lines, *edge)));
        }
        edges.extend(&dates);
        edges.sort_unstable();
        edges.dedup();
        Self { edges, dates, whole }
    }

    /// Whether a place is inside a value that is one for sure.
    pub(super) fn is_inside(&self, place: usize) -> bool {
        !self.dates.contains(&place) && self.whole.iter().any(|(from, to)| (*from..*to).contains(&place))
    }
}

/// Whether characters meet at a place in a few lines at least.
fn touches(lines: &[&Placed], place: usize) -> bool {
    lines.iter().filter(|line| line.is_crossed(place)).count() * 10 >= lines.len()
}

/// Dates and times that stand in all lines that have something in their place: dates with marks, or of eight digits where some lines
/// have none, and times of two digits each.
fn moments(lines: &[&Placed]) -> Vec<(usize, usize)> {
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    let mut found: Vec<(usize, usize)> = Vec::new();
    for from in 0..width {
        if found.last().is_some_and(|(_, to)| from < *to) {
            continue;
        }
        let is_one = |length: usize, fewest: usize, is_date: fn(&str) -> bool| {
            let texts = lines.iter().map(|l| l.slice(from, from + length)).filter(|t| !t.trim().is_empty());
            let (all, those) =
                texts.fold((0, 0), |(all, those), text| (all + 1, those + usize::from(is_date(text))));
            those >= fewest && those * 20 >= all * 19 && those * 5 >= lines.len()
        };
        let is_stamp = |line: &&Placed| line.slice(from + DATE, from + DATE + 1) == "T";
        if is_one(DATE, FEWEST, is_marked_date) {
            // Hours behind a `T` belong to the date.
            if !lines.iter().any(is_stamp) {
                found.push((from, from + DATE));
            } else if let Some(length) = [TIME, MINUTES]
                .map(|time| DATE + 1 + time)
                .into_iter()
                .find(|length| is_one(*length, FEWEST, is_moment))
            {
                found.push((from, from + length));
            }
        } else if is_one(COMPACT, ENOUGH, is_compact_date) && is_varied(lines, from) {
            found.push((from, from + COMPACT));
        } else if is_one(TIME, FEWEST, is_time) {
            found.push((from, from + TIME));
        } else if is_one(MINUTES, ENOUGH, is_time) && !goes_on(lines, from, from + MINUTES) {
            found.push((from, from + MINUTES));
        }
    }
    found
}

/// Characters of a time with seconds (`09:41:07`), and without.
const TIME: usize = 8;
const MINUTES: usize = 5;

/// Whether a text is hours, minutes and perhaps seconds, of two digits each.
fn is_time(text: &str) -> bool {
    let part = |part: &str, limit: u32| {
        part.len() == 2
            && part.bytes().all(|b| b.is_ascii_digit())
            && part.parse::<u32>().is_ok_and(|n| n < limit)
    };
    let mut parts = text.split(':');
    // Less of it stands where a line ends.
    matches!(text.len(), TIME | MINUTES)
        && parts.next().is_some_and(|hours| part(hours, 24))
        && parts.all(|rest| part(rest, 60))
}

/// Whether a text is a date with marks, and a time behind a `T`.
fn is_moment(text: &str) -> bool {
    text.split_once('T').is_some_and(|(date, time)| is_marked_date(date) && is_time(time))
}

/// Whether a colon stands beside what is between two places in some lines: more digits belong to it.
fn goes_on(lines: &[&Placed], from: usize, to: usize) -> bool {
    lines.iter().any(|l| l.slice(to, to + 1) == ":" || from > 0 && l.slice(from - 1, from) == ":")
}

/// Whether the eight digits at a place differ.
fn is_varied(lines: &[&Placed], from: usize) -> bool {
    let mut texts = lines.iter().map(|l| l.slice(from, from + COMPACT)).filter(|t| !t.trim().is_empty());
    let first = texts.next();
    texts.any(|text| Some(text) != first)
}

/// Words for yes and no.
const ANSWERS: [(&str, &str); 20] = [
    ("yes", "no"),
    ("true", "false"),
    ("ja", "nein"),
    ("ja", "nej"),
    ("ja", "nei"),
    ("ja", "nee"),
    ("oui", "non"),
    ("s\u{ed}", "no"),
    ("si", "no"),
    ("s\u{ec}", "no"),
    ("sim", "n\u{e3}o"),
    ("tak", "nie"),
    ("ano", "ne"),
    ("igen", "nem"),
    ("evet", "hay\u{131}r"),
    ("\u{434}\u{430}", "\u{43d}\u{435}\u{442}"),
    ("y", "n"),
    ("j", "n"),
    ("o", "n"),
    ("t", "f"),
];

/// Where nothing but a word for yes and its word for no stand, both of them several times.
fn answers(lines: &[&Placed]) -> Vec<(usize, usize)> {
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    let letter = |line: &Placed, place: usize| line.class(place) == Class::Letter;
    let mut found: Vec<(usize, usize)> = Vec::new();
    for from in 0..width {
        let begins = lines.iter().filter(|l| letter(l, from) && (from == 0 || !letter(l, from - 1))).count();
        if begins < ENOUGH || begins * 2 < lines.len() || found.last().is_some_and(|(_, to)| from < *to) {
            continue;
        }
        let pair = ANSWERS.iter().find_map(|(yes, no)| {
            let length = yes.chars().count().max(no.chars().count());
            let (mut agreed, mut refused, mut others) = (0, 0, 0);
            for line in lines {
                let text = line.slice(from, from + length).trim_end().to_lowercase();
                agreed += usize::from(text == *yes);
                refused += usize::from(text == *no);
                let is_inside = from > 0 && letter(line, from) && letter(line, from - 1);
                others += usize::from(is_inside || !text.is_empty() && text != *yes && text != *no);
            }
            (agreed > 1 && refused > 1 && agreed + refused >= ENOUGH && others == 0).then_some(length)
        });
        found.extend(pair.map(|length| (from, from + length)));
    }
    found
}

/// Where nothing but codes of currencies stand.
fn currencies(lines: &[&Placed]) -> Vec<(usize, usize)> {
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    let is_all = |from: usize| {
        let letter = |line: &Placed, place: usize| line.class(place) == Class::Letter;
        let (mut codes, mut others) = (0, 0);
        for line in lines {
            let code = line.slice(from, from + CODE);
            if code.trim().is_empty() {
                continue;
            }
            let is_alone = !(letter(line, from + CODE) || from > 0 && letter(line, from - 1));
            if is_alone && is_currency_code(code.as_bytes()) {
                codes += 1;
            } else {
                others += 1;
            }
        }
        others == 0 && codes >= ENOUGH && codes * 2 >= lines.len()
    };
    (0..width).filter(|from| is_all(*from)).map(|from| (from, from + CODE)).collect()
}

/// Letters of a currency code.
const CODE: usize = 3;

/// Characters of a date with marks: `2031-08-04`, `04.08.2031`.
pub(super) const DATE: usize = 10;

/// Whether a text is a date with the same mark twice: a year of these centuries first or last, a month and a day.
pub(super) fn is_marked_date(text: &str) -> bool {
    let b = text.as_bytes();
    let part = |from: usize, to: usize| text.get(from..to).and_then(|t| t.parse::<u32>().ok());
    let marks = |one: usize, other: usize| b[one] == b[other] && matches!(b[one], b'-' | b'/' | b'.');
    if b.len() != DATE {
        return false;
    }
    let (year, pair) = if marks(4, 7) {
        (part(0, 4), [part(5, 7), part(8, 10)])
    } else if marks(2, 5) {
        (part(6, 10), [part(0, 2), part(3, 5)])
    } else {
        return false;
    };
    let within = |of: Option<u32>, most: u32| of.is_some_and(|n| (1..=most).contains(&n));
    let [one, other] = pair;
    year.is_some_and(|year| (1900..2100).contains(&year))
        && ((within(one, 12) && within(other, 31)) || (within(one, 31) && within(other, 12)))
}

/// Digits behind a decimal mark at most.
const DECIMALS: usize = 4;

/// Where numbers with decimals have their mark, and where they end: as many digits further on in all lines in which something else than
/// a digit follows them. What touches them there is another column.
fn decimals(lines: &[&Placed]) -> Vec<(usize, usize)> {
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    let digit = |l: &Placed, place: usize| l.class(place) == Class::Digit;
    let ends = |mark: usize| {
        let has_mark = |l: &&&Placed| {
            matches!(l.slice(mark, mark + 1), "." | ",") && digit(l, mark - 1) && digit(l, mark + 1)
        };
        let marked: Vec<&&Placed> = lines.iter().filter(has_mark).collect();
        let run = |l: &Placed| (mark + 1..l.len()).take_while(|place| digit(l, *place)).count();
        // Nothing, or the sign of another number, may follow; a second mark further on belongs to another number.
        let follows =
            |l: &Placed, place: usize| !l.is_filled(place) || matches!(l.slice(place, place + 1), "+" | "-");
        let mut runs: Vec<usize> =
            marked.iter().filter(|l| follows(l, mark + 1 + run(l))).map(|l| run(l)).collect();
        runs.sort_unstable();
        let shortest = *runs.first()?;
        let alone = runs.iter().filter(|run| **run == shortest).count();
        let end = mark + 1 + shortest;
        let touched = marked.iter().any(|l| l.is_filled(end) && (digit(l, end) || follows(l, end)));
        (marked.len() * 10 >= lines.len() * 6
            && shortest <= DECIMALS
            && alone >= FEWEST
            && alone * 5 >= marked.len()
            && touched)
            .then_some((mark, end))
    };
    (1..width).filter_map(ends).collect()
}

/// Where the code of the record type in front of all lines ends: a capital or two, or digits, that `lines` share, while a record of
/// another type stands before or behind them with as many other capitals or digits, and digits further on, or while a word or code
/// of its own follows in all of them.
fn type_code(lines: &[&Placed], all: &[&Placed]) -> Option<usize> {
    let class = |c: char| (c.is_ascii_uppercase(), c.is_ascii_digit());
    let first: Vec<char> = lines.first()?.text().chars().take(3).collect();
    let shared = (1..=first.len().min(2)).rev().find(|k| {
        let code: String = first[..*k].iter().collect();
        let own = class(first[0]);
        own != (false, false)
            && first[..*k].iter().all(|c| class(*c) == own)
            && lines.iter().filter(|l| l.text().starts_with(&code)).count() * 50 >= lines.len() * 49
    })?;
    let code: String = first[..shared].iter().collect();
    let is_other = |line: &&&Placed| {
        let begin: Vec<char> = line.text().chars().take(shared).collect();
        begin.len() == shared
            && begin.iter().all(|c| class(*c) == class(first[0]))
            && line.text().chars().skip(shared).any(|c| c.is_ascii_digit())
    };
    let others: Vec<&&Placed> = all.iter().filter(|l| !l.text().starts_with(&code) && !l.is_rule()).collect();
    let ends = [all.first()?, all.last()?];
    let stands = |end: &&Placed| others.iter().any(|other| is_other(other) && std::ptr::eq(*end, **other));
    // One in front and one behind are enough for a few records.
    let few = if ends.iter().all(|end| stands(end)) {
        others.len() <= lines.len()
    } else {
        others.len() * 4 < lines.len()
    };
    let among_others = ends.iter().any(|end| stands(end)) && others.len() <= 4 && few;
    // A code, and not the first letter of numbers or words: what follows it begins with a capital as well.
    let is_capital = |l: &&&Placed| l.text().chars().nth(shared).is_some_and(char::is_uppercase);
    let before_capitals =
        class(first[0]).0 && lines.iter().filter(is_capital).count() * 10 >= lines.len() * 9;
    (among_others || before_capitals).then_some(shared)
}

/// Edges of six-digit dates (year, month, day in either order) that touch other characters in all lines.
fn short_dates(lines: &[&Placed]) -> Vec<usize> {
    let count = lines.len();
    let width = lines.iter().map(|l| l.len()).min().unwrap_or(0);
    let mut edges = Vec::new();
    if count < 12 {
        return edges;
    }
    let two = |text: &str, at: usize| text.get(at..at + 2).and_then(|t| t.parse::<u32>().ok());
    let is_date = |text: &str, order: [usize; 3]| {
        text.len() == 6
            && text.bytes().all(|b| b.is_ascii_digit())
            && two(text, order[1]).is_some_and(|m| (1..=12).contains(&m))
            && two(text, order[2]).is_some_and(|d| (1..=31).contains(&d))
            && two(text, order[0]).is_some()
    };
    for place in 0..width.saturating_sub(6) {
        let texts: Vec<&str> = lines.iter().map(|l| l.slice(place, place + 6)).collect();
        for order in [[0, 2, 4], [4, 2, 0]] {
            let mut years: Vec<u32> = texts.iter().filter_map(|t| two(t, order[0])).collect();
            years.sort_unstable();
            years.dedup();
            let all = texts.iter().all(|t| is_date(t, order));
            // Years lie close together; days and months do not.
            let mut days: Vec<u32> = texts.iter().filter_map(|t| two(t, order[2])).collect();
            days.sort_unstable();
            days.dedup();
            // A counter that is filled up with zeros stays in one month.
            let months: rustc_hash::FxHashSet<u32> = texts.iter().filter_map(|t| two(t, order[1])).collect();
            if all
                && months.len() > 1
                && years.len() <= 4
                && days.len() >= 6
                && years.last().zip(years.first()).is_some_and(|(a, b)| a - b <= 4)
            {
                edges.extend([place, place + 6].into_iter().filter(|p| *p > 0));
            }
        }
    }
    edges
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Unit;

    #[test]
    fn decimals_end_where_something_else_follows_them_in_some_lines() {
        let found = |row: &dyn Fn(usize) -> String| {
            let placed: Vec<Placed> =
                (1..21).map(|at| Placed::new(row(at).as_bytes(), Unit::Characters)).collect();
            decimals(&placed.iter().collect::<Vec<_>>())
        };
        // A number of fixed width, and one at the right behind it that touches it where it is long.
        assert_eq!(found(&|at| format!("TQ{:>6}.5{:>4}", at * 37, at * at * 9)), [(8, 10)]);
        assert_eq!(
            found(&|at| format!("{:>5}.{:02}{:>6}.{}", at, at * 7 % 100, at * at * 731, at % 10)),
            [(5, 8)]
        );
        // All of them touch, or none.
        assert_eq!(found(&|at| format!("{:>4}.5{:04}", at * 37, at * at)), []);
        assert_eq!(found(&|at| format!("{:>4}.5 {:>4}", at * 37, at * at)), []);
        // A mark that stands behind all of them divides by itself.
        assert_eq!(found(&|at| format!("{:02}.08.2031#{}", at, at * at * 9)), []);
    }

    fn placed(texts: &[String]) -> Vec<Placed> {
        texts.iter().map(|text| Placed::new(text.as_bytes(), Unit::Characters)).collect()
    }

    fn edges(row: impl Fn(usize) -> String) -> Vec<usize> {
        let rows = placed(&(1..=20).map(row).collect::<Vec<_>>());
        let lines: Vec<&Placed> = rows.iter().collect();
        Known::of(&lines, &lines).edges
    }

    #[test]
    fn values_prove_their_edges() {
        let day = |at: usize| format!("2031-08-{:02}", at + 3);
        let flag = |at: usize, words: [&'static str; 2]| words[at % 3 / 2];
        // Dates with marks, in some lines none.
        let some = |at: usize| if at.is_multiple_of(4) { " ".repeat(10) } else { day(at) };
        assert_eq!(edges(|at| format!("{:04}{}tern", at * 37, some(at))), [4, 14]);
        // Dates of eight digits, in some lines none.
        let some = |at: usize| if at.is_multiple_of(4) { " ".repeat(8) } else { day(at).replace('-', "") };
        assert_eq!(edges(|at| format!("TQ{}{:04}", some(at), at * 37)), [2, 10]);
        // A date with its hours is one value.
        assert_eq!(edges(|at| format!("TQ{}T09:41{:04}", day(at), at * 37)), [2, 18]);
        // Times, with and without seconds; more behind another colon belongs to them.
        assert_eq!(edges(|at| format!("{:04}09:{:02}:07{:02}", at * 37, at + 9, at)), [4, 12]);
        assert_eq!(edges(|at| format!("{:04}{:02}:10{:03}", at * 37, at, at * 11)), [4, 9]);
        assert_eq!(edges(|at| format!("{:04}{:02}:10:{:03}", at * 37, at, at * 47)), []);
        assert_eq!(edges(|at| format!("{:04}{:02}:10{:03}", at * 37, at * 3, at * 11)), [], "60:10");
        // Words for yes and no, whichever is longer.
        assert_eq!(edges(|at| format!("{:04}{:<4}{}/4", at * 37, flag(at, ["ja", "nein"]), at % 7)), [4, 8]);
        assert_eq!(edges(|at| format!("{:04}{}{}/4", at * 37, flag(at, ["Y", "N"]), at % 7)), [4, 5]);
        assert_eq!(edges(|at| format!("{:04}{}{}/4", at * 37, flag(at, ["Y", "Q"]), at % 7)), []);
        assert_eq!(edges(|at| format!("{:04}{}{}/4", at * 37, "Y", at % 7)), [], "only one of them");
        // Codes of currencies, and other capitals.
        assert_eq!(edges(|at| format!("{:>5}{}{:03}", at * 37, flag(at, ["EUR", "SEK"]), at)), [5, 8]);
        assert_eq!(edges(|at| format!("{:>5}{}{:03}", at * 37, flag(at, ["QUA", "YTG"]), at)), []);
    }
}
