//! The price of starts. Columns are priced once and kept, so that taking a start out costs one column.

use super::super::super::measure::START;
use super::super::super::measure::adapt::Adapt;
use super::super::super::measure::column::{Column, Words};
use super::super::super::measure::lexicon::{BLANK, Lexicon};
use super::super::aligned::ONE_BLANK_DIGITS;
use super::placed::{Class, Placed};
use rustc_hash::FxHashMap;

/// Bits of a start that most lines run across without a blank, and of each such line; more beside a mark that joins.
const TOUCH_START: f64 = 16.0;
const TOUCH_LINE: f64 = 2.0;
/// Bits of a word or number cut by a start that others leave blank.
pub(super) const CUT: f64 = 7.0;
/// The same where columns touch anyway: a start, and each word or number that it cuts.
const PACKED_START: f64 = 6.0;
const PACKED_CUT: f64 = 0.6;
/// Bits of a start beside a mark that joins: times, paths and numbers hold such marks.
const PACKED_MARK: f64 = 1.0;
/// Bits of a single blank in front of a column where columns touch: what is set off needs none.
const PACKED_BLANK: f64 = 1.0;
/// Bits of two blanks or more inside a value.
const TWO_BLANKS: f64 = 5.0;
/// Bits of a column without a name below a line of names, or with two.
const UNNAMED: f64 = 10.0;
/// How much dearer a column set off by one blank is where others are set off by more.
const LONELY_BLANK: f64 = 3.5;

/// The last column has no end.
pub(super) const OPEN: usize = usize::MAX;

/// What a column costs.
#[derive(Clone, Copy, Debug)]
struct ColumnPrice {
    bits: f64,
    /// Bits of the single blanks in front of it, if nothing else sets it off.
    single: f64,
    /// Whether those stand between words.
    is_worded: bool,
}

/// What stands above the lines and says where columns are.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Frame<'f> {
    /// The line of names.
    pub(super) names: Option<&'f Placed>,
    /// A line drawn with marks, in several parts.
    pub(super) rule: Option<&'f Placed>,
    /// Edges of dates that are run together with other digits.
    pub(super) dates: &'f [usize],
    /// Whether columns touch: no blank is needed between them.
    pub(super) is_packed: bool,
}

/// The words of a line of names as places, and which of them begin a name, by index.
type Names = (Vec<(usize, usize)>, Vec<usize>);

/// The words of a line of names, and which of them begin a name: those behind two blanks, and those behind a blank that all
/// lines share, with values on both sides of it.
fn names_of(names: &Placed, lines: &[&Placed]) -> Names {
    let words = names.runs(false);
    let few = lines.len() / 50;
    let mut begins = Vec::new();
    for (at, (from, to)) in words.iter().enumerate() {
        let Some((before, end)) = at.checked_sub(1).map(|b| words[b]) else {
            begins.push(0);
            continue;
        };
        let next = words.get(at + 1).map_or(OPEN, |w| w.0);
        let shared = || lines.iter().filter(|l| l.is_filled(end)).count() <= few;
        let filled = |from: usize, to: usize| lines.iter().any(|l| l.extent(from, to).is_some());
        if from - end > 1 || (shared() && filled(before, end) && filled(*from, next.max(*to))) {
            begins.push(at);
        }
    }
    (words, begins)
}

/// Whether each column has exactly one name of its own, or exactly one part of a rule.
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
            let (words, begins) = names_of(names, lines);
            one_each(&begins.iter().map(|b| words[*b].0).collect::<Vec<_>>())
        })
}

/// Prices lines cut at starts.
pub(super) struct Coder<'l> {
    lines: Vec<&'l Placed>,
    /// The line of names: its words, and where a new name begins (as indexes of words).
    names: Option<Names>,
    /// The parts of a rule line.
    rule: Vec<(usize, usize)>,
    /// Edges that are known from elsewhere: no touching there is a breach.
    known: Vec<usize>,
    is_packed: bool,
    columns: FxHashMap<(usize, usize), ColumnPrice>,
    edges: FxHashMap<usize, f64>,
}

impl<'l> Coder<'l> {
    pub(super) fn new(lines: Vec<&'l Placed>, frame: &Frame<'_>) -> Self {
        Self {
            names: frame.names.map(|n| names_of(n, &lines)),
            rule: frame.rule.map(|r| r.runs(false)).unwrap_or_default(),
            lines,
            known: frame.dates.to_vec(),
            is_packed: frame.is_packed,
            columns: FxHashMap::default(),
            edges: FxHashMap::default(),
        }
    }

    /// Bits of all lines cut at `starts`.
    pub(super) fn total(&mut self, lexicon: &mut Lexicon, starts: &[usize]) -> f64 {
        let mut bits = self.naming(starts);
        let mut singles = Vec::with_capacity(starts.len());
        for (at, start) in starts.iter().enumerate() {
            let price = self.column(lexicon, *start, starts.get(at + 1).copied().unwrap_or(OPEN));
            bits += price.bits + START + if *start > 0 { self.edge(*start) } else { 0.0 };
            if *start > 0 {
                singles.push((price.single, price.is_worded));
            }
        }
        let single = singles.iter().filter(|s| s.0 > 0.0).count();
        // A column always set off by one blank is none where others are set off by more.
        let lonely = if single * 2 > singles.len() { 1.0 } else { LONELY_BLANK };
        bits + singles.iter().map(|(bits, worded)| if *worded { lonely * bits } else { *bits }).sum::<f64>()
    }

    /// Bits of names that do not fit the columns, and of the parts of a rule that do not.
    fn naming(&self, starts: &[usize]) -> f64 {
        let lines = self.lines.len() as f64;
        let mut bits = 0.0;
        for (at, start) in starts.iter().enumerate() {
            let column = *start..starts.get(at + 1).copied().unwrap_or(OPEN);
            if let Some((words, begins)) = &self.names {
                let any = words.iter().filter(|w| column.contains(&w.0)).count();
                let names = begins.iter().filter(|b| column.contains(&words[**b].0)).count();
                if any == 0 {
                    bits += UNNAMED + 1.5 * lines;
                } else if names > 1 {
                    bits += (UNNAMED + 1.5 * lines) * (names - 1) as f64;
                }
                if at > 0 && words.iter().any(|r| r.0 < *start && *start < r.1) {
                    bits += UNNAMED * 0.4;
                }
            }
            if !self.rule.is_empty() {
                let parts = self.rule.iter().filter(|r| column.contains(&r.0)).count();
                let cut = at > 0 && self.rule.iter().any(|r| r.0 < *start && *start < r.1);
                bits += (UNNAMED + 1.5 * lines) * (parts.abs_diff(1) + usize::from(cut)) as f64;
            }
        }
        bits
    }

    fn column(&mut self, lexicon: &mut Lexicon, from: usize, to: usize) -> ColumnPrice {
        if let Some(price) = self.columns.get(&(from, to)) {
            return *price;
        }
        let (mut column, mut words) = (Column::default(), Words::default());
        let (mut left, mut right) = (Adapt::default(), Adapt::default());
        let (mut bits, mut left_bits, mut right_bits) = (0.0, 0.0, 0.0);
        let (mut single, mut singles, mut worded, mut wide) = (0.0, 0, 0, 0);
        for line in &self.lines {
            let Some((first, last)) = line.extent(from, to) else {
                bits += column.code(lexicon, &mut words, BLANK);
                continue;
            };
            let value = lexicon.value(line.slice(first, last));
            bits += column.code(lexicon, &mut words, value);
            left_bits += left.code((first - from) as i32);
            right_bits += if to == OPEN { 0.0 } else { right.code((to - last) as i32) };
            if line.is_wide_inside(first, last) {
                bits += TWO_BLANKS;
            }
            if from > 0 && first > 0 && !line.is_filled(first - 1) {
                if first > 1 && line.is_filled(first - 2) {
                    // Words have single blanks between them anyway; what else stands beside a blank hardly ever has.
                    let words = line.class(first - 2) == Class::Letter && line.class(first) == Class::Letter;
                    single += match (self.is_packed, words) {
                        (true, _) => PACKED_BLANK,
                        (false, true) => 1.0,
                        (false, false) => ONE_BLANK_DIGITS,
                    };
                    worded += usize::from(words);
                    singles += 1;
                } else if (0..first).any(|p| line.is_filled(p)) {
                    wide += 1;
                }
            }
        }
        let is_single = singles * 2 > self.lines.len() && f64::from(wide) < 0.03 * singles as f64;
        let padding = if to == OPEN { left_bits } else { left_bits.min(right_bits) };
        let price = ColumnPrice {
            bits: bits + padding,
            single: if is_single { single } else { 0.0 },
            is_worded: worded * 2 > singles,
        };
        self.columns.insert((from, to), price);
        price
    }

    /// Bits of what runs across a start.
    fn edge(&mut self, start: usize) -> f64 {
        if let Some(bits) = self.edges.get(&start) {
            return *bits;
        }
        let count = self.lines.len() as f64;
        let (mut touch, mut cut, mut mark, mut group, mut other, mut soft, mut joint) =
            (0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0);
        for line in &self.lines {
            if start >= line.len() {
                continue;
            }
            let (left, right) = (line.class(start - 1), line.class(start));
            if left != Class::Blank && right != Class::Blank {
                touch += 1.0;
                cut += f64::from(u8::from(left == right && left != Class::Mark));
                mark += f64::from(u8::from(left == Class::Mark || right == Class::Mark));
                let joins = |place: usize| {
                    matches!(line.slice(place, place + 1), ":" | "/" | "." | "-" | "@" | "," | "_")
                };
                joint += f64::from(u8::from(joins(start - 1) || joins(start)));
                soft += f64::from(u8::from(left == Class::Digit && right == Class::Letter));
            } else {
                // A blank that groups thousands is no gap between columns.
                let blank = if right == Class::Blank { start } else { start - 1 };
                let digit = |place: usize| line.class(place) == Class::Digit;
                if blank > 0 && digit(blank - 1) && digit(blank + 1) {
                    let three = (1..=3).all(|i| digit(blank + i)) && !digit(blank + 4);
                    if three { group += 1.0 } else { other += 1.0 }
                }
            }
        }
        let known = self.known.contains(&start);
        let mut bits = 0.0;
        if touch > 0.0 {
            let share: f64 = (touch + 0.5) / (count + 1.0);
            bits = -touch * share.log2() - (count - touch) * (1.0 - share).log2() + 2.0;
            if self.is_packed {
                bits =
                    PACKED_START + if known { -1.5 * touch } else { PACKED_CUT * cut + PACKED_MARK * joint };
            } else if share <= 0.5 {
                bits += CUT * cut;
            } else if known || soft > 0.95 * count {
                bits += TOUCH_START - if known { 1.5 * count } else { 0.0 };
            } else {
                bits += TOUCH_START + TOUCH_LINE * (touch + 2.0 * mark);
            }
        }
        if group > 0.0 && other < 0.2 * group {
            bits += CUT * group;
        }
        self.edges.insert(start, bits);
        bits
    }

    /// Takes starts out while that saves bits: the one that saves most first.
    pub(super) fn improve(&mut self, lexicon: &mut Lexicon, starts: &[usize]) -> Vec<usize> {
        let mut current = starts.to_vec();
        let mut best = self.total(lexicon, &current);
        while current.len() > 1 {
            let mut better: Option<(f64, Vec<usize>)> = None;
            for at in 1..current.len() {
                let mut fewer = current.clone();
                fewer.remove(at);
                let bits = self.total(lexicon, &fewer);
                if bits < best - 0.01 && better.as_ref().is_none_or(|b| bits < b.0) {
                    better = Some((bits, fewer));
                }
            }
            let Some((bits, fewer)) = better else { break };
            (best, current) = (bits, fewer);
        }
        current
    }

    /// Puts starts back in that were taken out too early: those of `all` that save bits beside, or instead of, one that stayed.
    pub(super) fn exchange(
        &mut self,
        lexicon: &mut Lexicon,
        starts: Vec<usize>,
        all: &[usize],
    ) -> Vec<usize> {
        let mut current = starts;
        let mut best = self.total(lexicon, &current);
        for _ in 0..3 {
            let mut better: Option<(f64, Vec<usize>)> = None;
            for start in all.iter().filter(|s| !current.contains(s)) {
                let mut more = current.clone();
                let at = more.partition_point(|s| s < start);
                more.insert(at, *start);
                let mut options = vec![more.clone()];
                for neighbour in [at.wrapping_sub(1), at + 1] {
                    if neighbour > 0 && neighbour < more.len() {
                        let mut fewer = more.clone();
                        fewer.remove(neighbour);
                        options.push(fewer);
                    }
                }
                for option in options {
                    let bits = self.total(lexicon, &option);
                    if bits < best - 0.01 && better.as_ref().is_none_or(|b| bits < b.0) {
                        better = Some((bits, option));
                    }
                }
            }
            let Some((bits, starts)) = better else { break };
            (best, current) = (bits, starts);
        }
        current
    }
}
