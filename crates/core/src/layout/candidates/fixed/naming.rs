//! Lines of names: their words, which of them begin a name, and whether each column has one.

use super::coder::{Frame, OPEN};
use super::placed::{Class, Placed};

/// The words of a line of names.
#[derive(Clone, Debug, Default)]
pub(super) struct Names {
    /// As places.
    pub(super) words: Vec<(usize, usize)>,
    /// Which of them begin a name, by index.
    pub(super) begins: Vec<usize>,
    /// Whether all columns begin where names do, as the values of most of them show.
    pub(super) are_at_starts: bool,
    /// Which of them stand above numbers that reach further to the left, by index.
    pub(super) above_ends: Vec<usize>,
    /// Whether names begin with a capital and go on in small letters.
    pub(super) are_capitalised: bool,
}

/// The words of a line of names, and which of them begin a name: those behind two blanks, and those behind a blank that all
/// lines share, with values on both sides of it, or that stand apart for other reasons. Where columns touch names do as well: a capital
/// behind a small letter begins one, and a blank may be part of one.
pub(super) fn names_of(names: &Placed, lines: &[&Placed], is_packed: bool) -> Names {
    if is_packed {
        let mut names = packed_names(names);
        names.are_at_starts = are_at_starts(&names, lines);
        names.above_ends =
            (1..names.words.len()).filter(|at| is_above_end(&names.words, *at, lines)).collect();
        return names;
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
        if from - end > 1
            || (shared() && filled(before, end) && own())
            || stands_apart(names, &words, at, lines)
        {
            begins.push(at);
        }
    }
    Names { words, begins, ..Names::default() }
}

/// Lines that are enough to tell where values begin and end.
const FEWEST: usize = 4;

/// Whether a word of a line of names, one blank behind the word before, is no part of its name: the numbers below that one all end where
/// it does, or before, and begin at several places; the values behind it all begin where this one does; or it stands beyond all values,
/// and begins with a capital where names of several words go on in small letters.
pub(super) fn stands_apart(names: &Placed, words: &[(usize, usize)], at: usize, lines: &[&Placed]) -> bool {
    let (before, own) = (words[at - 1], words[at]);
    let next = words.get(at + 1).map_or(OPEN, |word| word.0);
    ends_before(lines, before) || begins_with(lines, before.0, own, next) || {
        let letter = |place: usize| names.slice(place, place + 1).chars().next().unwrap_or(' ');
        let goes_on = |pair: &[(usize, usize)]| {
            pair[1].0 == pair[0].1 + 1 && letter(pair[0].0).is_uppercase() && letter(pair[1].0).is_lowercase()
        };
        // Capitals alone are an abbreviation, which may belong to the word before.
        letter(own.0).is_uppercase()
            && letter(own.0 + 1).is_lowercase()
            && lines.len() >= FEWEST
            && lines.iter().all(|line| line.extent(own.0, next).is_none())
            && lines.iter().all(|line| line.extent(before.1, own.0).is_none())
            && lines.iter().any(|line| line.extent(before.0, before.1).is_some())
            && words.windows(2).any(goes_on)
    }
}

/// Whether the numbers below a name all end at one place, at its end or before it, while they begin at several, or, at its end, none at its
/// begin: what the line of names holds one blank further on is no part of that name.
fn ends_before(lines: &[&Placed], (from, to): (usize, usize)) -> bool {
    let mut begins = Vec::new();
    let mut ends = None;
    for line in lines {
        let Some((mut first, mut last)) = line.extent(from, to + 2) else { continue };
        while first > 0 && line.is_filled(first - 1) {
            first -= 1;
        }
        while line.is_filled(last) {
            last += 1;
        }
        if *ends.get_or_insert(last) != last || last > to || line.class(last - 1) == Class::Letter {
            return false;
        }
        begins.push(first);
    }
    let are_many = begins.len() >= FEWEST;
    let is_set_in = begins.iter().all(|begin| *begin > from);
    begins.sort_unstable();
    begins.dedup();
    begins.len() >= 3 || are_many && is_set_in && ends == Some(to) && (begins.len() > 1 || to - from >= LONG)
}

/// Letters of a name that hardly ends by chance where a value of one character does.
const LONG: usize = 5;

/// Whether the values from `from` on and before `next` all begin where a word of the names does, and do not end where it ends.
fn begins_with(lines: &[&Placed], from: usize, word: (usize, usize), next: usize) -> bool {
    let extents: Vec<(usize, usize)> = lines.iter().filter_map(|line| line.extent(from, next)).collect();
    let is_left = lines.iter().any(|line| line.class(word.0) == Class::Letter)
        || extents.iter().any(|extent| extent.1 != extents[0].1);
    extents.len() >= FEWEST
        && is_left
        && extents.iter().all(|extent| extent.0 == word.0)
        && extents.iter().any(|extent| extent.1 != word.1)
        && lines.iter().all(|line| !line.is_crossed(word.0))
}

/// Whether names stand where the columns begin that the values show: hardly one inside their words, and two at least where something
/// begins or changes in most lines.
fn are_at_starts(names: &Names, lines: &[&Placed]) -> bool {
    let begins = names.words.iter().map(|word| word.0).filter(|begin| *begin > 0);
    let (mut all, mut shown, mut inside) = (0, 0, 0);
    for place in begins {
        let is_of = |of: fn(Class, Class) -> bool| {
            lines.iter().filter(|l| of(l.class(place - 1), l.class(place))).count() * 10 >= lines.len() * 6
        };
        all += 1;
        shown += usize::from(is_of(|left, right| left != right && right != Class::Blank));
        inside += usize::from(is_of(|left, right| left == right && left == Class::Letter));
    }
    shown >= 2 && shown * 4 >= all && inside * 4 <= all
}

/// Whether a name stands behind a blank, above numbers of which some begin there and some further to the left.
fn is_above_end(words: &[(usize, usize)], at: usize, lines: &[&Placed]) -> bool {
    let place = words[at].0;
    let below = || lines.iter().filter(|l| l.class(place) == Class::Digit);
    let behind = |class: Class| below().filter(|l| l.class(place - 1) == class).count();
    let (begin, go_on) = (behind(Class::Blank), behind(Class::Digit));
    words[at - 1].1 < place
        && begin * 5 >= below().count()
        && go_on > 0
        && behind(Class::Letter) * 10 <= begin
}

impl Names {
    /// Whether a column may start at a place above columns that touch: where names stand at starts, none does between two names, nor
    /// inside one with a capital.
    pub(super) fn allow(&self, place: usize) -> bool {
        let is_inside = |word: &(usize, usize)| word.0 < place && place < word.1;
        place == 0
            || !self.are_at_starts
            || self.words.iter().any(|word| word.0 == place)
            || self.above_ends.iter().any(|at| (self.words[at - 1].1..self.words[*at].0).contains(&place))
            || !self.are_capitalised && self.words.iter().any(is_inside)
    }
}

/// The names of a line: where each of them begins and ends. Words that belong together are one.
pub(super) fn phrases(names: &Placed, lines: &[&Placed]) -> Vec<(usize, usize)> {
    let Names { words, begins, .. } = names_of(names, lines, false);
    let ends = begins.iter().skip(1).copied().chain([words.len()]);
    begins.iter().zip(ends).map(|(from, to)| (words[*from].0, words[to - 1].1)).collect()
}

/// Whether names touch one another.
pub(super) fn is_glued(names: &Placed) -> bool {
    packed_names(names).words.len() > names.runs(false).len()
}

/// The words of names that touch, and which of them surely begin a name.
pub(super) fn packed_names(names: &Placed) -> Names {
    let runs = names.runs(false);
    let letter = |place: usize| names.slice(place, place + 1).chars().next();
    let is_small = |place: usize| letter(place).is_some_and(char::is_lowercase);
    let is_capital = |place: usize| letter(place).is_some_and(char::is_uppercase);
    let capitalised = runs.iter().filter(|run| is_capital(run.0) && is_small(run.0 + 1)).count();
    let are_capitalised = capitalised >= CAPITALISED && capitalised * 2 >= runs.len();
    let (mut words, mut begins) = (Vec::new(), Vec::new());
    for (from, to) in runs {
        let ends = |place: usize| {
            names.slice(place, place + 1).chars().all(|c| c.is_lowercase() || matches!(c, '.' | '%' | ')'))
        };
        // In front of all others the name of a record type may be one letter; others of one letter only where all begin with capitals.
        let is_short = |place: usize| {
            is_capital(place - 1)
                && is_capital(place)
                && is_small(place + 1)
                && (are_capitalised || from == 0 && place == 1)
        };
        let mut begin = from;
        for place in from + 1..=to {
            if place < to && !(ends(place - 1) && is_capital(place)) && !is_short(place) {
                continue;
            }
            let before = words.last().copied().unwrap_or((0, 0));
            // Columns have different names: a word that comes twice is part of one.
            let comes_twice = || comes_twice(names, before) || comes_twice(names, (begin, place));
            if words.is_empty()
                || begin != before.1 + 1
                || are_capitalised && is_capital(begin) && !comes_twice()
            {
                begins.push(words.len());
            }
            words.push((begin, place));
            begin = place;
        }
    }
    Names { words, begins, are_capitalised, ..Names::default() }
}

/// Whether a word stands more than once in a line of names.
fn comes_twice(names: &Placed, (from, to): (usize, usize)) -> bool {
    to > from + 1 && names.text().matches(names.slice(from, to)).count() > 1
}

/// Names with a capital in front from which on all are taken to have one.
const CAPITALISED: usize = 3;

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
            let Names { words, begins, .. } = names_of(names, lines, frame.is_packed);
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
        let few = filled.len() / 20;
        let is_divided = begin > first
            && filled.iter().filter(|l| l.is_filled(begin - 1)).count() <= few
            && filled.iter().filter(|l| l.extent(start, begin).is_none()).count() <= few
            && filled.iter().filter(|l| l.is_filled(begin)).count() * 2 >= filled.len();
        // Values that all end where the name does stand at the right, whatever they hold.
        let is_right = stop >= last && (!is_divided || extents().all(|extent| extent.1 == last));
        if begin <= first || is_right {
            aligned += 1;
            settled.push(start);
            continue;
        }
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
            assert_eq!(names_of(&names, &all, false).begins, begins, "{}", names.text());
        }
        let glued = Placed::new(b"ShipCallArrived Dues  Flag", Unit::Characters);
        let Names { words, begins, .. } = packed_names(&glued);
        assert_eq!(words, [(0, 4), (4, 8), (8, 15), (16, 20), (22, 26)]);
        assert_eq!(begins, [0, 1, 2, 3, 4], "names have a capital in front");
        let glued = Placed::new(b"CallNumber of callsFlag Dues Agent", Unit::Characters);
        assert_eq!(packed_names(&glued).begins, [0, 1, 4, 5, 6], "and go on in small letters");
        let twice = Placed::new(b"Km FirstKm LastShip Dues", Unit::Characters);
        assert_eq!(packed_names(&twice).begins, [0, 2, 4, 5], "a word that comes twice is part of names");
        assert_eq!(packed_names(&Placed::new(b"shipCall arrived dues", Unit::Characters)).begins, [0, 1]);
        let typed = |text: &str| packed_names(&Placed::new(text.as_bytes(), Unit::Characters)).words;
        assert_eq!(typed("TShipCall"), [(0, 1), (1, 5), (5, 9)], "the name of a record type");
        assert_eq!(typed("ShipTBerth")[1], (4, 10), "and of nothing further on");
        assert_eq!(typed("TQShip")[0], (0, 6));
        assert!(is_glued(&glued) && !is_glued(&Placed::new(b"Ship Call", Unit::Characters)));
    }

    #[test]
    fn names_one_blank_apart_are_told_from_names_of_two_words() {
        let rows = |row: &dyn Fn(usize) -> String| -> Vec<Placed> {
            (1..9).map(|at| Placed::new(row(at).as_bytes(), Unit::Characters)).collect()
        };
        for (what, names, at, row, expected) in [
            // `Dues` ends where its numbers do; so does the first part of a name over one flag, but that is short.
            (
                "ends before",
                "Dues Flag",
                1,
                &(|at| format!("{:>4}", at * at)) as &dyn Fn(usize) -> String,
                true,
            ),
            ("a digit at the end", "Berths Rem.", 1, &|at| format!("     {}", at % 4), true),
            ("a flag in the middle", "In use", 1, &|at| format!(" {}", at % 4), false),
            // `Code` begins where its values do, and nothing stands below `S`.
            ("begins behind", "S Code", 1, &|at| format!("  TQ-{:03}", at * 71), true),
            ("at the end", "Net code", 1, &|at| format!("    TQ{:02}", at * 7), false),
            ("values under both", "S Code", 1, &|at| format!("{} TQ-{:03}", at % 3, at * 71), false),
            // Names go on in small letters, so that a capital begins one.
            (
                "a capital",
                "Call no   Zone Remark",
                3,
                &|at| format!("TQ{at}       {}-{}", at % 3, at % 3 + 1),
                true,
            ),
            (
                "an abbreviation",
                "Call no   Zone VAT",
                3,
                &|at| format!("TQ{at}       {}-{}", at % 3, at % 3 + 1),
                false,
            ),
            (
                "no small letter",
                "Call No   Zone Remark",
                3,
                &|at| format!("TQ{at}       {}-{}", at % 3, at % 3 + 1),
                false,
            ),
        ] {
            let placed = rows(row);
            let lines: Vec<&Placed> = placed.iter().collect();
            let names = Placed::new(names.as_bytes(), Unit::Characters);
            let words = names.runs(false);
            assert_eq!(stands_apart(&names, &words, at, &lines), expected, "{what}: {}", lines[0].text());
        }
    }

    #[test]
    fn names_above_columns_that_touch_say_where_those_begin() {
        let row = |at: usize| {
            let (ship, flag) = (["Tern", "Saltwind"][at % 2], ["open", "paid"][at * 5 / 3 % 2]);
            format!("{:04}{ship:<8}2031080{}{flag:<5}{:>6}", at * 731 % 9000, at % 9 + 1, at * at * 31)
        };
        let placed: Vec<Placed> =
            (7..27).map(|at| Placed::new(row(at).as_bytes(), Unit::Characters)).collect();
        let lines: Vec<&Placed> = placed.iter().collect();
        let found = |names: &str| names_of(&Placed::new(names.as_bytes(), Unit::Characters), &lines, true);
        let allowed = |names: &Names| (0..31).filter(|place| names.allow(*place)).collect::<Vec<_>>();
        let names = found("CallShip    Arrived Flag Dues");
        assert!(names.are_at_starts && names.are_capitalised && names.above_ends.is_empty());
        assert_eq!(allowed(&names), [0, 4, 12, 20, 25]);
        // The last name stands at the end of its numbers: they begin further to the left.
        let names = found("CallShip    Arrived Flag   Dues");
        assert_eq!((names.are_at_starts, &names.above_ends[..]), (true, &[4][..]));
        assert_eq!(allowed(&names), [0, 4, 12, 20, 24, 25, 26, 27]);
        // Small letters do not tell where glued names begin; blanks still do.
        let names = found("callship    arrived flag dues");
        assert!(names.are_at_starts && !names.are_capitalised);
        let gaps = [8..12, 19..20, 24..25, 29..31];
        assert!((0..31).all(|place| names.allow(place) != gaps.iter().any(|gap| gap.contains(&place))));
        // Names in the middle of words are above other columns.
        let names = found("No   Call   At   Dues");
        assert!(!names.are_at_starts && allowed(&names).len() == 31, "{names:?}");
    }
}
