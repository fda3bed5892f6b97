//! What stands on both sides of a place, in all lines: groups of one number, a key and words, a sign.

use super::super::super::grouped::{ACCOUNT_GROUPS, is_account, is_account_part};
use super::super::super::measure::sort::{Sort, sort_of};
use super::placed::{Class, Placed};

/// Whether the blank at a place stands between the groups of one number (`271 119,50`), or between two numbers that are none; none
/// if it does not stand between digits.
pub(super) fn group_at(line: &Placed, blank: usize) -> Option<bool> {
    let digit = |place: usize| line.class(place) == Class::Digit;
    if blank == 0 || !digit(blank - 1) || !digit(blank + 1) {
        return None;
    }
    let from = (0..blank).rev().find(|p| !line.is_filled(*p)).map_or(0, |p| p + 1);
    let to = (blank + 1..line.len()).find(|p| !line.is_filled(*p)).unwrap_or(line.len());
    let (before, behind) = (line.slice(from, blank), line.slice(blank + 1, to));
    let first = before.trim_start_matches(|c: char| !c.is_ascii_digit());
    let whole = behind.bytes().take_while(u8::is_ascii_digit).count();
    let decimals = behind.get(whole..).unwrap_or("");
    let ends = decimals.bytes().filter(u8::is_ascii_digit).count() + 1 >= decimals.len()
        && !decimals.starts_with([':', '/']);
    Some((1..=3).contains(&first.len()) && first.bytes().all(|b| b.is_ascii_digit()) && whole == 3 && ends)
}

/// Whether a number of one or two digits, with decimals or without, follows a digit two or three blanks further on, from `blank` on: it
/// ends where a group of three digits would.
pub(super) fn is_number_behind(line: &Placed, blank: usize) -> bool {
    let digit = |place: usize| line.class(place) == Class::Digit;
    let from = (blank..blank + 4).find(|p| line.is_filled(*p)).unwrap_or(blank);
    let whole = (from..blank + 4).take_while(|p| digit(*p)).count();
    blank > 0 && digit(blank - 1) && from > blank + 1 && from + whole == blank + 4
}

/// Bits saved in each line by a start between codes and words that vary: one value holds both but rarely; and between a date and
/// something else.
const KEY_AND_WORDS: f64 = 1.0;
const DATE_AND_OTHER: f64 = 2.5;

/// Bits saved by a start that stands, one blank behind, between a code and a word, or between a date and something else; 0 where that
/// is no habit, or where one of the two hardly varies: units, months and marks stand beside numbers in one value.
pub(super) fn keys_beside_words(lines: &[&Placed], start: usize) -> f64 {
    let (mut both, mut fitting) = (0, 0);
    let (mut keys, mut words) = (rustc_hash::FxHashSet::default(), rustc_hash::FxHashSet::default());
    let mut others = rustc_hash::FxHashSet::default();
    let digits = |text: &str| text.bytes().filter(u8::is_ascii_digit).count();
    for line in lines {
        if start < 2 || start >= line.len() || line.is_filled(start) == line.is_filled(start - 1) {
            continue;
        }
        let blank = if line.is_filled(start) { start - 1 } else { start };
        if !line.is_filled(blank + 1) || !line.is_filled(blank - 1) {
            continue;
        }
        both += 1;
        let from = (0..blank).rev().find(|p| !line.is_filled(*p)).map_or(0, |p| p + 1);
        let to = (blank + 1..line.len()).find(|p| !line.is_filled(*p)).unwrap_or(line.len());
        let sides = (line.slice(from, blank), line.slice(blank + 1, to));
        let is_moment = |text: &str| sort_of(text) == Sort::Moment;
        let is_year = |text: &str| text.len() == 4 && (text.starts_with("19") || text.starts_with("20"));
        let is_key = |text: &str| digits(text) >= 3 && !is_year(text);
        let is_word =
            |text: &str| digits(text) == 0 && text.chars().filter(|c| c.is_alphabetic()).count() >= 4;
        if is_moment(sides.0) != is_moment(sides.1) && !is_moment(line.slice(from, to)) {
            let (moment, other) = if is_moment(sides.0) { sides } else { (sides.1, sides.0) };
            keys.insert(moment);
            others.insert(other);
            fitting += 1;
            continue;
        }
        let (key, word) = if digits(sides.0) > 0 { sides } else { (sides.1, sides.0) };
        if is_key(key) && digits(word) == 0 {
            keys.insert(key);
            if is_word(word) {
                words.insert(word);
            }
            fitting += 1;
        }
    }
    // Dates come again and again in some files.
    let enough = 4.max(fitting / 8);
    let habit = fitting * 10 >= both * 9 && fitting * 10 >= lines.len() * 7;
    // Long numbers that are all different name what the lines are about: nothing else belongs to them.
    let are_names = keys.len() == fitting && keys.iter().all(|key| digits(key) >= LONG);
    let is_long = |word: &&str| word.chars().filter(|c| c.is_alphabetic()).count() >= LONG;
    let varied = words.len() >= if are_names { 2 } else { enough }
        || others.len() >= 2
        || others.len() == 1 && others.iter().all(is_long);
    let each = if others.is_empty() { KEY_AND_WORDS } else { DATE_AND_OTHER };
    if habit && keys.len() >= enough && varied { each * fitting as f64 } else { 0.0 }
}

/// Digits of a number that may be a name, and letters of a word that is no unit.
const LONG: usize = 5;

/// Letters of a word that stands behind digits without being their unit.
const WORD: usize = 3;

/// Whether a word begins at a place right behind a digit (`68741Desgrèves`, `120J. Tern`, `18no`), or a capital right behind a small
/// letter: one value hardly ever holds both.
pub(super) fn is_turn(line: &Placed, place: usize) -> bool {
    let letter =
        |at: usize| line.slice(at, at + 1).chars().next().filter(|_| line.class(at) == Class::Letter);
    let (left, right) = (line.class(place - 1), line.class(place));
    if right != Class::Letter {
        return false;
    }
    let is_small = |at: usize| letter(at).is_some_and(|c| !c.is_uppercase());
    let is_capital = |at: usize| letter(at).is_some_and(char::is_uppercase);
    if left != Class::Digit {
        return line.begins_word(place) && place > 1 && is_small(place - 2);
    }
    let is_initial = || is_capital(place) && line.slice(place + 1, place + 2) == "." && !is_small(place + 2);
    let is_long =
        || (place..place + WORD).all(|at| letter(at).is_some()) && (place..place + WORD).any(is_small);
    (is_capital(place) && is_small(place + 1)) || is_initial() || is_long()
}

/// Whether a start stands on the right side of the sign of a number of fixed width: behind it where lines end with signs, else in
/// front of it. None: it stands beside no sign.
pub(super) fn beside_sign(lines: &[&Placed], start: usize) -> Option<bool> {
    let trailing = lines.iter().filter(|l| l.text().ends_with(['+', '-'])).count() * 2 > lines.len();
    let is_sign = |place: usize| {
        let (mut plus, mut minus, mut zeros, mut all) = (0, 0, 0, 0);
        for line in lines.iter().filter(|l| l.is_filled(place)) {
            match line.slice(place, place + 1) {
                "+" => plus += 1,
                "-" => minus += 1,
                "0" => zeros += 1,
                _ => {}
            }
            all += 1;
        }
        // Numbers that are filled up have a sign in the place of their first zero.
        let filled_up = !trailing && plus == 0 && minus.min(zeros) >= FEW_SIGNS && minus + zeros == all;
        (plus > 0 && (plus + minus) * 20 >= all * 19 || filled_up) && all * 2 >= lines.len()
    };
    // A sign in front of a letter ends the number before it.
    let ends = |place: usize| {
        let before_letter = |l: &&&Placed| l.class(place + 1) == Class::Letter;
        trailing || lines.iter().filter(before_letter).count() * 10 >= lines.len() * 9
    };
    if is_sign(start - 1) { Some(ends(start - 1)) } else { is_sign(start).then(|| !ends(start)) }
}

/// Signs that stand in the place of a zero, and zeros, from which on they are no chance.
const FEW_SIGNS: usize = 2;

/// Whether a telephone or account number goes on across a place in nearly all lines that have something on both sides: one that begins
/// with `+`, five pairs of digits of which the first begins with 0, or groups of four behind a country and two digits.
pub(super) fn is_in_grouped(lines: &[&Placed], place: usize) -> bool {
    let is_across = |line: &&&Placed| {
        is_in_foreign(line, place) || is_in_pairs(line, place) || is_in_account(line, place)
    };
    let has_both = |line: &&&Placed| line.is_filled(place) && line.is_filled(place - 1) || is_across(line);
    let both = lines.iter().filter(has_both).count();
    let across = lines.iter().filter(is_across).count();
    across * 10 >= both * 9 && across * 3 >= lines.len()
}

/// Whether a number that begins with `+` (`+44 1632 960 001`) goes on across a place: three groups of digits and more, of which the last
/// may be cut off by what touches it.
fn is_in_foreign(line: &Placed, place: usize) -> bool {
    let Some(plus) = (place.saturating_sub(PHONE)..place).rev().find(|p| line.slice(*p, *p + 1) == "+")
    else {
        return false;
    };
    let (mut at, mut groups) = (plus + 1, 0);
    loop {
        let digits = (at..line.len()).take_while(|p| line.class(*p) == Class::Digit).count();
        groups += usize::from(digits > 0);
        if !(1..=GROUP).contains(&digits) || line.is_filled(at + digits) || !line.is_filled(at + digits + 1) {
            at += if digits > GROUP { 0 } else { digits };
            break;
        }
        at += digits + 1;
    }
    groups >= GROUPS && (plus + 1..at).contains(&place)
}

/// Digits of a group of a telephone number at most, and its groups at least.
const GROUP: usize = 4;
const GROUPS: usize = 3;

/// Whether an account number (`XX14 6376 3726 9520 3923 25`) goes on across a place; what touches its end may be cut off.
fn is_in_account(line: &Placed, place: usize) -> bool {
    const GROUP: usize = 5;
    const BEGIN: [Class; GROUP] = [Class::Letter, Class::Letter, Class::Digit, Class::Digit, Class::Blank];
    let begins = |from: &usize| {
        (0..GROUP).all(|at| line.class(from + at) == BEGIN[at])
            && is_account(line.slice(*from, from + ACCOUNT_GROUPS * GROUP - 1).as_bytes())
    };
    let Some(from) = (place.saturating_sub(ACCOUNT)..place).rev().find(begins) else { return false };
    let is_whole = |group: &usize| {
        let at = from + group * GROUP;
        !line.is_filled(at - 1) && is_account_part(line.slice(at, at + GROUP - 1).trim_end().as_bytes())
    };
    let groups = (1..ACCOUNT / GROUP).take_while(is_whole).count();
    let end = from + (groups + 1) * GROUP - 1;
    let goes_on = !line.is_filled(end) && line.class(end + 1) == Class::Digit;
    (from + 1..end + if goes_on { 2 } else { 0 }).contains(&place)
}

/// Places that an account number takes at most, its blanks included.
const ACCOUNT: usize = 42;

/// Whether a number of five pairs (`03 26 18 60 81`) goes on across a place.
fn is_in_pairs(line: &Placed, place: usize) -> bool {
    const PAIRS: usize = 14;
    // What touches it may be a word before it, or a number behind it.
    let is_pairs = |from: usize| {
        let text = line.slice(from, from + PAIRS);
        text.len() == PAIRS
            && text.starts_with('0')
            && text
                .bytes()
                .enumerate()
                .all(|(at, b)| if at % 3 == 2 { b == b' ' } else { b.is_ascii_digit() })
            && (from == 0 || line.class(from - 1) != Class::Digit)
            && (!line.is_filled(from + PAIRS) || line.is_filled(from + PAIRS + 1))
    };
    (place.saturating_sub(PAIRS - 1)..place).any(is_pairs)
}

/// Characters of a telephone number.
const PHONE: usize = 18;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Unit;

    #[test]
    fn blanks_inside_numbers_are_told_from_blanks_between_them() {
        for (text, blank, grouped) in [
            ("271 119,50", 3, Some(true)),
            ("-1 000", 2, Some(true)),
            ("12 1197", 2, Some(false)),
            ("5:27 959.443", 4, Some(false)),
            ("66,68 796.083.73", 5, Some(false)),
            ("1234 567", 4, Some(false)),
            ("7 Tern", 1, None),
        ] {
            let line = Placed::new(text.as_bytes(), Unit::Characters);
            assert_eq!(group_at(&line, blank), grouped, "{text}");
        }
    }

    #[test]
    fn words_behind_digits_are_told_from_codes_and_units() {
        for (text, place, turns) in [
            ("68741Desgrave", 5, true),
            ("120J. Tern", 3, true),
            ("18no", 2, false),
            ("2031-07-18not yet", 10, true),
            ("TernHeron", 4, true),
            ("TERNHERON", 4, false),
            ("50kWh", 3, false),
            ("ternheron", 4, false),
            ("7B41", 1, false),
            ("21ABC", 2, false),
            ("12m2", 2, false),
            ("3J.x", 1, false),
            ("Quay7", 4, false),
            ("12 Tern", 3, false),
        ] {
            assert_eq!(is_turn(&Placed::new(text.as_bytes(), Unit::Characters), place), turns, "{text}");
        }
    }

    fn placed(texts: &[&str]) -> Vec<Placed> {
        texts.iter().map(|text| Placed::new(text.as_bytes(), Unit::Characters)).collect()
    }

    #[test]
    fn numbers_too_short_for_a_group_stand_alone() {
        for (text, blank, is_one) in [
            ("5  10.6", 1, true),
            ("5   9.1", 1, true),
            ("12    7", 2, false),
            ("5 261.7", 1, false),
            ("x  10.6", 1, false),
        ] {
            let line = Placed::new(text.as_bytes(), Unit::Characters);
            assert_eq!(is_number_behind(&line, blank), is_one, "{text}");
        }
    }

    #[test]
    fn telephone_numbers_are_whole() {
        for (texts, inside) in [
            // Of a country, and five pairs: the blanks and digits inside are no ends of values.
            (
                ["T1 +47 22 410 37 A", "T2 +45 31 906 12 B", "T3 +46 84 117 50 C"],
                &[4, 5, 6, 7, 9, 11, 13][..],
            ),
            (
                ["T1 XX14 6376 3726 9520 39 A", "T2 XX86 4010 5627 3797 12 B", "T3 XX81 3672 5861 9950 35 C"],
                &[4, 7, 8, 12, 17, 22],
            ),
            (["T1 03 26 18 60 81 A", "T2 08 70 57 70 11 B", "T3 07 71 03 37 45 C"], &[4, 5, 6, 9, 12, 16]),
            // Marks of four trials are no telephone number.
            (["T1 03 26 18 60 A", "T2 08 70 57 70 B", "T3 07 71 03 37 C"], &[]),
        ] {
            let lines = placed(&texts);
            let lines: Vec<&Placed> = lines.iter().collect();
            for place in inside {
                assert!(is_in_grouped(&lines, *place), "{texts:?} {place}");
            }
            let outside = [2, 3].into_iter().chain(if inside.is_empty() { 4..14 } else { 4..4 });
            for place in outside {
                assert!(!is_in_grouped(&lines, place), "{texts:?} {place}");
            }
        }
    }

    #[test]
    fn signs_begin_or_end_numbers_of_fixed_width() {
        for (texts, start, expected) in [
            (["7+0012", "7-0150", "7+0001", "7-2201"], 1, Some(true)),
            (["7+0012", "7-0150", "7+0001", "7-2201"], 2, Some(false)),
            (["70012+", "70150-", "70001+", "72201+"], 6, Some(true)),
            // Minus signs stand where other numbers have a zero.
            (["7-0012", "7-0150", "700001", "702201"], 1, Some(true)),
            // Dates and codes have them in all lines.
            (["7-0012", "7-0150", "7-0001", "7-2201"], 1, None),
            (["7-0012", "7-0150", "7A0001", "702201"], 1, None),
            // Letters behind them are another column.
            (["70012+N7", "70150-N1", "70001+E4", "72201+N2"], 6, Some(true)),
            (["70012+N7", "70150-N1", "70001+E4", "72201+N2"], 5, Some(false)),
        ] {
            let lines = placed(&texts);
            let lines: Vec<&Placed> = lines.iter().collect();
            assert_eq!(beside_sign(&lines, start), expected, "{texts:?} {start}");
        }
    }

    #[test]
    fn keys_and_dates_beside_words_are_columns_and_units_are_none() {
        let lines = |row: &dyn Fn(usize) -> String| -> Vec<Placed> {
            (1..13).map(|at| Placed::new(row(at).as_bytes(), Unit::Characters)).collect()
        };
        let ships = ["Tern", "Heron", "Saltwind", "Marsh Lantern"];
        for (what, row, start, saves) in [
            (
                "a key and names",
                &(|at: usize| format!("{:05} {}", at * 731, ships[at % 4])) as &dyn Fn(usize) -> String,
                6,
                true,
            ),
            (
                "long keys and two words",
                &|at| format!("{:06} {}", at * 9731, ["berth", "quay"][at % 2]),
                7,
                true,
            ),
            (
                "short keys and two words",
                &|at| format!("{:03} {}", at * 71, ["berth", "quay"][at % 2]),
                4,
                false,
            ),
            ("years and names", &|at| format!("{} {}", 2000 + at, ships[at % 4]), 5, false),
            ("numbers and a unit", &|at| format!("{:05} kg", at * 731), 6, false),
            ("dates and a place", &|at| format!("2031-08-{at:02} Tolgarth"), 11, true),
            ("dates and a zone", &|at| format!("2031-08-{at:02} UTC"), 11, false),
            ("dates and states", &|at| format!("2031-08-{at:02} {}", ["in", "out"][at % 2]), 11, true),
            ("a moment", &|at| format!("2031-08-{at:02} 07:{at:02}"), 11, false),
        ] {
            let lines = lines(row);
            let lines: Vec<&Placed> = lines.iter().collect();
            assert_eq!(keys_beside_words(&lines, start) > 0.0, saves, "{what}: {}", lines[0].text());
        }
    }
}
