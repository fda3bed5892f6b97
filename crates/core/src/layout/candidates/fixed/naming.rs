//! Lines of names: their words, which of them begin a name, and whether each column has one.

use super::coder::{Frame, OPEN};
use super::placed::Placed;
use super::starts::ends_before;

/// The words of a line of names as places, and which of them begin a name, by index.
pub(super) type Names = (Vec<(usize, usize)>, Vec<usize>);

/// The words of a line of names, and which of them begin a name: those behind two blanks, and those behind a blank that all
/// lines share, with values on both sides of it, or with numbers that all end before it. Where columns touch names do as well: a capital behind a small letter begins one,
/// and a blank may be part of one.
pub(super) fn names_of(names: &Placed, lines: &[&Placed], is_packed: bool) -> Names {
    if is_packed {
        return packed_names(names);
    }
    let words = names.runs(false);
    let few = lines.len() / 50;
    let mut begins = Vec::new();
    for (at, (from, to)) in words.iter().enumerate() {
        let Some((before, end)) = at.checked_sub(1).map(|b| words[b]) else {
            begins.push(0);
            continue;
        };
        let next = words.get(at + 1);
        let shared = || lines.iter().filter(|l| l.is_filled(end)).count() <= few;
        let filled = |from: usize, to: usize| lines.iter().any(|l| l.extent(from, to).is_some());
        // What reaches below the next name is the value of that one.
        let own = || {
            let limit = next.map_or(OPEN, |w| w.0).max(*to);
            lines.iter().any(|l| match (l.extent(*from, limit), next) {
                (Some((first, _)), Some(next)) => {
                    first < *to || !(first..=next.0).all(|p| l.is_filled(p) || l.is_filled(p + 1))
                }
                (found, _) => found.is_some(),
            })
        };
        if from - end > 1 || (shared() && filled(before, end) && own()) || ends_before(lines, (before, end)) {
            begins.push(at);
        }
    }
    (words, begins)
}

/// The names of a line: where each of them begins and ends. Words that belong together are one.
pub(super) fn phrases(names: &Placed, lines: &[&Placed]) -> Vec<(usize, usize)> {
    let (words, begins) = names_of(names, lines, false);
    let ends = begins.iter().skip(1).copied().chain([words.len()]);
    begins.iter().zip(ends).map(|(from, to)| (words[*from].0, words[to - 1].1)).collect()
}

/// Whether names touch one another.
pub(super) fn is_glued(names: &Placed) -> bool {
    packed_names(names).0.len() > names.runs(false).len()
}

/// The words of names that touch, and which of them surely begin a name.
pub(super) fn packed_names(names: &Placed) -> Names {
    let (mut words, mut begins) = (Vec::new(), Vec::new());
    for (from, to) in names.runs(false) {
        let small = |place: usize| {
            names.slice(place, place + 1).chars().all(|c| c.is_lowercase() || matches!(c, '.' | '%' | ')'))
        };
        let letters = |place: usize| names.slice(place, place + 1).chars().any(char::is_lowercase);
        let capital = |place: usize| names.slice(place, place + 1).chars().all(char::is_uppercase);
        // In front of all others the name of a record type may be one letter.
        let is_type = |place: usize| from == 0 && place == 1 && capital(0) && capital(1) && letters(2);
        let mut begin = from;
        for place in from + 1..=to {
            if place < to && !(small(place - 1) && capital(place)) && !is_type(place) {
                continue;
            }
            let behind = words.last().map_or(2, |last: &(usize, usize)| begin - last.1);
            if behind != 1 {
                begins.push(words.len());
            }
            words.push((begin, place));
            begin = place;
        }
    }
    (words, begins)
}

/// Whether each column has exactly one name of its own, or exactly one part of a rule. The first one of three and more may lack a name, as
/// the labels of rows do.
pub(super) fn is_matched(frame: &Frame<'_>, lines: &[&Placed], starts: &[usize]) -> bool {
    let one_each = |places: &[usize]| {
        places.len() == starts.len()
            && starts.iter().enumerate().all(|(at, start)| {
                let end = starts.get(at + 1).copied().unwrap_or(OPEN);
                places.iter().filter(|p| (*start..end).contains(*p)).count() == 1
            })
    };
    let ruled = frame.rule.is_some_and(|r| one_each(&r.runs(false).iter().map(|r| r.0).collect::<Vec<_>>()));
    ruled
        || frame.names.is_some_and(|names| {
            let (words, begins) = names_of(names, lines, frame.is_packed);
            let mut places: Vec<usize> = begins.iter().map(|b| words[*b].0).collect();
            let has_labels = !frame.is_packed && starts.len() >= 3 && places.first() >= starts.get(1);
            if has_labels && !places.is_empty() {
                places.insert(0, 0);
            }
            one_each(&places)
        })
}

/// Where the columns begin if all names but a few line up with theirs, at the first or the last character, and those few begin where a
/// word of all their values does: there their columns begin. What stands before goes to the column in front, if it follows it behind
/// one blank, or is a column without a name. `None`: there are no such names.
pub(super) fn lined_up(starts: &[usize], lines: &[&Placed], names: &Placed) -> Option<Vec<usize>> {
    let names = phrases(names, lines);
    let (mut aligned, mut moved) = (0, 0);
    let mut settled = Vec::with_capacity(starts.len() + 1);
    for (at, start) in starts.iter().copied().enumerate() {
        let end = starts.get(at + 1).copied().unwrap_or(OPEN);
        let mut own = names.iter().filter(|name| (start..end).contains(&name.0));
        let (name, None) = (own.next(), own.next()) else { return None };
        let filled: Vec<&&Placed> = lines.iter().filter(|l| l.extent(start, end).is_some()).collect();
        let extents = || filled.iter().filter_map(|l| l.extent(start, end));
        let (first, last) = (extents().map(|e| e.0).min(), extents().map(|e| e.1).max());
        let (Some((begin, stop)), Some(first), Some(last)) = (name.copied(), first, last) else {
            settled.push(start);
            continue;
        };
        if begin <= first || stop >= last {
            aligned += 1;
            settled.push(start);
            continue;
        }
        let few = filled.len() / 20;
        let is_divided = filled.iter().filter(|l| l.is_filled(begin - 1)).count() <= few
            && filled.iter().filter(|l| l.extent(start, begin).is_none()).count() <= few
            && filled.iter().filter(|l| l.is_filled(begin)).count() * 2 >= filled.len();
        if !is_divided {
            return None;
        }
        moved += 1;
        let goes_on = |l: &&&&Placed| start > 1 && l.is_filled(start) && l.is_filled(start - 2);
        if filled.iter().filter(goes_on).count() * 5 < filled.len() * 4 {
            settled.push(start);
        }
        settled.push(begin);
    }
    (moved > 0 && aligned >= 2 && moved * 3 <= aligned).then_some(settled)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Unit;

    #[test]
    fn labels_of_rows_need_no_name() {
        let matched = |names: &str, starts: &[usize]| {
            let values = ["Old Mole   7.25    12", "North Pier 12.5     3"];
            let placed: Vec<Placed> =
                values.iter().map(|t| Placed::new(t.as_bytes(), Unit::Characters)).collect();
            let names = Placed::new(names.as_bytes(), Unit::Characters);
            let frame = Frame { names: Some(&names), rule: None, dates: &[], is_packed: false };
            is_matched(&frame, &placed.iter().collect::<Vec<_>>(), starts)
        };
        assert!(matched("           Dues  Crew", &[0, 11, 16]));
        assert!(matched("Pier       Dues  Crew", &[0, 11, 16]));
        assert!(!matched("           Dues      ", &[0, 11, 16]), "one other column lacks its name");
        assert!(!matched("           Dues  Crew", &[0, 6, 11, 16]), "two do");
        assert!(!matched("           Dues      ", &[0, 11]), "a line of one word is a title");
    }

    #[test]
    fn a_name_that_begins_where_a_word_of_all_values_does_says_where_its_column_begins() {
        let placed = |text: &&str| Placed::new(text.as_bytes(), Unit::Characters);
        let lined_up = |names: &str, values: &[&str], starts: &[usize]| {
            let lines: Vec<Placed> = values.iter().map(placed).collect();
            super::lined_up(starts, &lines.iter().collect::<Vec<_>>(), &placed(&names))
        };
        let seen = [
            "ap-a09   YZ-059  Dec 09 2004 05:1 overdue",
            "srv-d23  VY-933  Dec 14 2004 11:5",
            "rt-b40   HV-062  Dec 14 2004 00:2 new",
        ];
        let starts = [0, 9, 17, 29];
        let wanted = Some(vec![0, 9, 17, 34]);
        assert_eq!(lined_up("HOST     MODEL   LAST SEEN        STATUS", &seen, &starts), wanted);
        assert_eq!(lined_up("HOST     MODEL   LAST SEEN   STATUS", &seen, &starts), None, "all line up");
        assert_eq!(lined_up("HOST       MODEL   LAST SEEN     STATUS", &seen, &starts), None, "most do not");
        let rest = ["Heron        29/01/2031 141125  7 N", "Old Mole     18/03/2031 201300  9 Y"];
        let (starts, wanted) = ([0, 13, 32, 34], Some(vec![0, 13, 24, 32, 34]));
        for (names, wanted) in [
            ("Ship                    At      N Y", wanted.clone()),
            ("Ship                    Time    N Y", wanted),
            ("Ship                  Time      N Y", None),
            ("Ship                    141125  N Y", None),
        ] {
            assert_eq!(lined_up(names, &rest, &starts), wanted, "{names}");
        }
    }

    #[test]
    fn words_of_a_line_of_names_begin_names_where_values_say_so() {
        let lines = |texts: &[&str]| -> Vec<Placed> {
            texts.iter().map(|t| Placed::new(t.as_bytes(), Unit::Characters)).collect()
        };
        for (names, values, begins) in [
            // Two words above one value, and above two.
            ("Call no  Ship", &["TQ1      Tern", "TQ22     Heron"][..], &[0, 2][..]),
            ("Call no  Ship", &["TQ1  7   Tern", "TQ22 8   Heron"], &[0, 1, 2]),
            // The value behind belongs to the name that it stands below.
            ("Call no      Net", &["TQ1       12.50", "TQ22    1012.50"], &[0, 2]),
        ] {
            let placed = lines(values);
            let all: Vec<&Placed> = placed.iter().collect();
            let names = Placed::new(names.as_bytes(), Unit::Characters);
            assert_eq!(names_of(&names, &all, false).1, begins, "{}", names.text());
        }
        let glued = Placed::new(b"ShipCallArrived Dues  Flag", Unit::Characters);
        let (words, begins) = packed_names(&glued);
        assert_eq!(words, [(0, 4), (4, 8), (8, 15), (16, 20), (22, 26)]);
        assert_eq!(begins, [0, 1, 2, 4]);
        let typed = |text: &str| packed_names(&Placed::new(text.as_bytes(), Unit::Characters)).0;
        assert_eq!(typed("TShipCall"), [(0, 1), (1, 5), (5, 9)], "the name of a record type");
        assert_eq!(typed("ShipTBerth")[1], (4, 10), "and of nothing further on");
        assert_eq!(typed("TQShip")[0], (0, 6));
        assert!(is_glued(&glued) && !is_glued(&Placed::new(b"Ship Call", Unit::Characters)));
    }
}
