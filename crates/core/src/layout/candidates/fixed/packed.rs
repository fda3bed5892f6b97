//! Starts in files whose columns touch: from what changes at a place in most lines, from names, dates, signs and filling.
//!
//! No blank sets such columns off, so each hint alone is weak. All of them propose; the price of the columns decides which stay.
//! Where digits touch digits without a date, a sign, a name or a change of habit, nothing proposes: that is for people to say.

use super::between::{beside_sign, is_in_grouped, is_turn};
use super::naming::packed_names;
use super::placed::{Class, Placed};
use super::starts::{COMPACT, date_edges};
use crate::record::Unit;

/// Places that are looked at.
const WIDEST: usize = 400;

/// Lines that are enough to learn habits from.
const FEWEST: usize = 4;

/// Lines that are looked at for columns that touch, and letters that make a word.
const LINES: usize = 100;
const WORD: usize = 4;

/// Characters that tell values apart.
const BEGINNING: usize = 3;

/// Most proposals; the weakest are left out.
const MOST: usize = 44;

/// What stands at one place in all lines.
#[derive(Clone, Debug, Default)]
struct Habit {
    classes: [usize; 4],
    /// Digits, by value.
    digits: [usize; 10],
    /// How the class differs from that of the place before, in lines that have a character here.
    changes: usize,
}

impl Habit {
    fn filled(&self) -> usize {
        self.classes[1..].iter().sum()
    }

    /// Bits that a digit at this place carries.
    fn entropy(&self) -> f64 {
        let all: usize = self.digits.iter().sum();
        self.digits
            .iter()
            .filter(|d| **d > 0)
            .map(|d| {
                let share = *d as f64 / all as f64;
                -share * share.log2()
            })
            .sum()
    }
}

/// Whether columns may touch in these lines: at some place most of them go from one sort of character to another without a blank,
/// many run across the begin of a name that stands two blanks behind the one before, or a sign stands between two numbers.
pub(super) fn may_touch(lines: &[&Placed], names: Option<&Placed>) -> bool {
    let crossed = |place: usize| lines.iter().filter(|l| l.is_crossed(place)).count() * 10 >= lines.len() * 2;
    let named = names.map(|n| packed_names(n).words).unwrap_or_default();
    if lines.len() >= FEWEST && named.iter().any(|(from, _)| crossed(*from)) {
        return true;
    }
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    lines.len() >= FEWEST
        && (1..width).any(|place| {
            let meets = |l: &&&Placed| {
                let (left, right) = (l.class(place - 1), l.class(place));
                left != right
                    && left != Class::Blank
                    && right != Class::Blank
                    && left != Class::Mark
                    && right != Class::Mark
            };
            lines.iter().filter(meets).count() * 10 >= lines.len() * 5
        })
        || !date_edges(lines, false).is_empty()
        || (1..width).any(|place| beside_sign(lines, place).is_some() && crossed(place))
}

/// The first place, no start itself, at which most lines go from a number straight to a word, or from a word to a number: two columns
/// may touch there. Codes mix both as well, but hardly ever hold words.
pub(in crate::layout) fn glued(lines: &[&[u8]], starts: &[usize], unit: Unit) -> Option<usize> {
    let placed: Vec<Placed> = lines.iter().take(LINES).map(|l| Placed::new(l, unit)).collect();
    let width = placed.iter().map(Placed::len).max().unwrap_or(0).min(WIDEST);
    let run = |line: &Placed, mut places: std::ops::Range<usize>, class: Class| {
        places.len() <= line.len() && places.all(|p| line.class(p) == class)
    };
    // What holds of a few lines must hold of all.
    let enough = if placed.len() >= FEWEST * 2 { 6 } else { 10 };
    (2..width).filter(|p| !starts.contains(p)).find(|place| {
        let place = *place;
        let touches = |l: &&Placed| {
            let word_behind = run(l, place..place + WORD, Class::Letter);
            let word_before = place >= WORD && run(l, place - WORD..place, Class::Letter);
            (word_behind && run(l, place - 2..place, Class::Digit))
                || (word_before && run(l, place..place + 2, Class::Digit))
        };
        placed.len() >= FEWEST && placed.iter().filter(touches).count() * 10 >= placed.len() * enough
    })
}

/// The edges of the first date with marks, no starts themselves, that in nearly all lines touch a letter or digit: columns may meet
/// there; none if there is no such date. What follows a `T`, or small letters in front as in names of files, is no column of its own.
pub(in crate::layout) fn touching_date(lines: &[&[u8]], starts: &[usize], unit: Unit) -> Vec<usize> {
    let placed: Vec<Placed> = lines.iter().take(LINES).map(|l| Placed::new(l, unit)).collect();
    let width = placed.iter().map(Placed::len).max().unwrap_or(0).min(WIDEST);
    let most = |edge: &dyn Fn(&Placed) -> bool| {
        placed.len() >= FEWEST && placed.iter().filter(|l| edge(l)).count() * 10 >= placed.len() * 9
    };
    let found = (0..width.saturating_sub(DATE - 1)).find_map(|from| {
        let to = from + DATE;
        if !most(&|l| is_marked_date(l.slice(from, to))) {
            return None;
        }
        let free = |place: usize| place > 0 && !starts.contains(&place);
        let before = |l: &Placed| match l.slice(from - 1, from).chars().next() {
            Some(c) => c.is_ascii_digit() || c.is_uppercase(),
            None => false,
        };
        let behind = |l: &Placed| {
            l.class(to) == Class::Digit || (l.class(to) == Class::Letter && l.slice(to, to + 1) != "T")
        };
        let mut edges = Vec::new();
        edges.extend((free(from) && most(&before)).then_some(from));
        edges.extend((free(to) && most(&behind)).then_some(to));
        (!edges.is_empty()).then_some(edges)
    });
    found.unwrap_or_default()
}

/// Characters of a date with marks: `2031-08-04`, `04.08.2031`.
const DATE: usize = 10;

/// Whether a text is a date with the same mark twice: a year of these centuries first or last, a month and a day.
fn is_marked_date(text: &str) -> bool {
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

/// Starts worth a price, in order, and those of them that dates, words behind digits, or a record type in front prove.
pub(super) fn propose(
    lines: &[&Placed],
    all: &[&Placed],
    names: Option<&Placed>,
) -> (Vec<usize>, Vec<usize>) {
    let count = lines.len();
    let width = lines.iter().map(|l| l.len()).max().unwrap_or(0).min(WIDEST);
    let habits: Vec<Habit> = (0..width).map(|place| habit(lines, place)).collect();
    // Strength of each proposal, by place.
    let mut strength: Vec<(f64, usize)> = Vec::new();
    let share = |n: usize| n as f64 / count as f64;
    let turns: Vec<usize> = (1..width).filter(|place| is_turn_of(lines, *place)).collect();
    for place in 1..width {
        let (before, here) = (&habits[place - 1], &habits[place]);
        let mut own: f64 = 0.0;
        // What stands here differs in sort from what stands before, in most lines that have something here.
        if here.filled() * 10 >= count && here.changes * 10 >= here.filled() * 7 {
            own = own.max(share(here.changes));
        }
        // Values end here, or begin.
        let (fill, fill_before) = (share(here.filled()), share(before.filled()));
        own = own.max(((fill - fill_before).abs() - 0.15) * 1.2);
        // Digits that carry little follow digits that carry much: a filled-up number behind another one.
        let digits = |h: &Habit| h.classes[Class::Digit as usize] * 10 >= count * 9;
        if digits(before) && digits(here) && count >= 8 && before.entropy() - here.entropy() > 1.2 {
            own = own.max(0.3 + 0.15 * (before.entropy() - here.entropy()));
        }
        // Few values begin here, many different ones a place further left.
        if count >= 8 && fill_before > 0.3 {
            let distinct = |place: usize| {
                let begins: rustc_hash::FxHashSet<&str> =
                    lines.iter().map(|l| l.slice(place, place + BEGINNING)).collect();
                begins.len()
            };
            let (left, own_values) = (distinct(place - 1), distinct(place));
            if own_values * 2 <= left {
                own = own.max(0.3 + 0.3 * share(left - own_values));
            }
        }
        if turns.contains(&place) {
            own = own.max(1.5);
        }
        // A sign ends the number before it, or begins the one behind it.
        if beside_sign(lines, place) == Some(true) {
            own = own.max(1.5);
        }
        if own > 0.25 {
            strength.push((own, place));
        }
    }
    let code = type_code(lines, all);
    let mut dates = date_edges(lines, true);
    // Six digits inside a date of eight are no date of their own.
    let inside = |place: usize| dates.iter().any(|d| place.abs_diff(*d) < 9);
    let short: Vec<usize> = short_dates(lines).into_iter().filter(|p| !inside(*p)).collect();
    strength.extend(code.map(|place| (2.0, place)));
    strength.extend(dates.iter().chain(&short).map(|place| (2.0, *place)));
    let words = names.map(|n| packed_names(n).words).unwrap_or_default();
    strength.extend(words.iter().filter(|word| word.0 > 0).map(|word| (1.0, word.0)));
    // What is one value for sure is not divided, unless a name begins there.
    let whole = super::starts::dates(lines, |_| true);
    let is_inside = |place: usize| whole.iter().any(|from| (from + 1..from + COMPACT).contains(&place));
    let is_shown = |place: usize| dates.contains(&place) || words.iter().any(|word| word.0 == place);
    let decimals = decimals(lines);
    strength.extend(decimals.iter().map(|(_, end)| (2.0, *end)));
    let in_decimals = |place: usize| decimals.iter().any(|(mark, end)| (*mark..*end).contains(&place));
    strength.retain(|(_, place)| {
        is_shown(*place) || !is_inside(*place) && !in_decimals(*place) && !is_in_grouped(lines, *place)
    });
    strength.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut starts = vec![0];
    for (_, place) in strength {
        if !starts.contains(&place) && starts.len() < MOST {
            starts.push(place);
        }
    }
    starts.sort_unstable();
    dates.extend(code);
    dates.extend(short);
    dates.extend(turns);
    dates.extend(decimals.iter().map(|(_, end)| *end));
    (starts, dates)
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

/// Whether the same letters stand in nearly all lines behind numbers that are filled up with zeros.
fn has_unit(lines: &[&Placed], place: usize) -> bool {
    let is_filled_up = |line: &&&Placed| {
        let from = (0..place).rev().take_while(|p| line.class(*p) == Class::Digit).last().unwrap_or(place);
        place - from >= FILLED_UP && line.slice(from, from + 1) == "0"
    };
    let unit = |line: &Placed| {
        let to = (place..line.len()).find(|p| line.class(*p) == Class::Blank).unwrap_or(line.len());
        if line.class(place) == Class::Letter {
            line.slice(place, to.min(place + 2)).to_owned()
        } else {
            String::new()
        }
    };
    let Some(first) = lines.first().map(|l| unit(l)).filter(|u| !u.is_empty()) else { return false };
    lines.iter().filter(is_filled_up).count() * 2 > lines.len()
        && lines.iter().filter(|l| unit(l) == first).count() * 10 >= lines.len() * 9
}

/// Digits of a number that is filled up with zeros.
const FILLED_UP: usize = 5;

/// Whether words begin at a place in nearly all lines that have something there and right before it, and in enough of all.
fn is_turn_of(lines: &[&Placed], place: usize) -> bool {
    let turns =
        if has_unit(lines, place) { lines.len() } else { lines.iter().filter(|l| is_turn(l, place)).count() };
    let touching = lines.iter().filter(|l| l.is_crossed(place)).count();
    turns >= FEWEST && turns * 10 >= touching * 9 && turns * 10 >= lines.len() * 3
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

fn habit(lines: &[&Placed], place: usize) -> Habit {
    let mut habit = Habit::default();
    for line in lines {
        let class = line.class(place);
        habit.classes[class as usize] += 1;
        if class == Class::Blank {
            continue;
        }
        habit.changes += usize::from(place > 0 && line.class(place - 1) != class);
        if class == Class::Digit
            && let Some(digit) = line.slice(place, place + 1).bytes().next()
        {
            habit.digits[usize::from(digit.wrapping_sub(b'0')).min(9)] += 1;
        }
    }
    habit
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
}
