//! Starts in files whose columns touch: from what changes at a place in most lines, from names, dates, signs and filling.
//!
//! No blank sets such columns off, so each hint alone is weak. All of them propose; the price of the columns decides which stay.
//! Where digits touch digits without a date, a sign, a name or a change of habit, nothing proposes: that is for people to say.

use super::between::{beside_sign, is_in_grouped, is_turn};
use super::known::{DATE, Known, is_marked_date};
use super::naming::packed_names;
use super::placed::{Class, Placed};
use super::starts::date_edges;
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

/// Starts worth a price, in order, and those of them that words behind digits, or the values themselves, prove.
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
    let known = Known::of(lines, all);
    strength.extend(known.edges.iter().map(|place| (2.0, *place)));
    let words = names.map(|n| packed_names(n).words).unwrap_or_default();
    strength.extend(words.iter().filter(|word| word.0 > 0).map(|word| (1.0, word.0)));
    // What is one value for sure is not divided, unless a name begins there.
    let is_named = |place: usize| words.iter().any(|word| word.0 == place);
    strength
        .retain(|(_, place)| is_named(*place) || !known.is_inside(*place) && !is_in_grouped(lines, *place));
    strength.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    let mut starts = vec![0];
    for (_, place) in strength {
        if !starts.contains(&place) && starts.len() < MOST {
            starts.push(place);
        }
    }
    starts.sort_unstable();
    (starts, turns.into_iter().chain(known.edges).collect())
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
