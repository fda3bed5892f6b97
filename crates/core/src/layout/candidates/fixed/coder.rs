//! The price of starts. Columns are priced once and kept, so that taking a start out costs one column.

use super::super::super::measure::START;
use super::super::super::measure::adapt::Adapt;
use super::super::super::measure::column::{Column, Words};
use super::super::super::measure::lexicon::{BLANK, Lexicon, ValueId};
use super::super::aligned::ONE_BLANK_DIGITS;
use super::between::{beside_sign, group_at, is_in_grouped, is_number_behind, keys_beside_words};
use super::naming::{Names, names_of};
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
/// Bits saved by a start that dates, words behind digits or codes of record types show.
const KNOWN: f64 = 10.0;
/// Bits of a start beside a mark that joins: times, paths and numbers hold such marks.
const PACKED_MARK: f64 = 1.0;
/// The same for a point or colon between digits, which hardly ever stands between two values.
const PACKED_POINT: f64 = 3.0;
/// Bits of a single blank in front of a column where columns touch: what is set off needs none.
const PACKED_BLANK: f64 = 1.0;
/// Bits of two blanks or more inside a value.
const TWO_BLANKS: f64 = 5.0;
/// Bits of a column without a name below a line of names, or with two.
const UNNAMED: f64 = 10.0;
/// The same for each line below them.
const UNNAMED_LINE: f64 = 2.5;
/// The same of a column with two where all columns begin where names do.
const SURE_NAME_LINE: f64 = 8.0;
/// How much dearer a column set off by one blank is where others are set off by more.
const LONELY_BLANK: f64 = 3.5;
/// The same where the blank stands between a bracket and digits, as in telephone numbers.
const LONELY_BRACKET: f64 = 8.0;

/// Bits of a name that a start cuts, and of each line below it.
const CUT_NAME: f64 = 8.0;
const CUT_NAME_LINE: f64 = 1.0;
/// Proposals from which on a column spans at most so many.
const SPANNED_FROM: usize = 20;
const SPAN: usize = 12;
/// Bits of each line where hardly a value stands below the name of its column.
const BESIDE_LINE: f64 = 1.0;
/// Bits of a start where columns touch and no name begins, and of each line below it.
const PACKED_NAME: f64 = 4.0;
const PACKED_NAME_LINE: f64 = 0.3;
/// The last column has no end.
pub(super) const OPEN: usize = usize::MAX;

/// What a column costs.
#[derive(Clone, Copy, Debug)]
struct ColumnPrice {
    bits: f64,
    /// Bits of the single blanks in front of it, if nothing else sets it off.
    single: f64,
    /// How much dearer those are where others are set off by more.
    lonely: f64,
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
    /// The words of all lines, unless columns touch: whichever columns hold them, each is spelled once.
    words: Words,
    columns: FxHashMap<(usize, usize), ColumnPrice>,
    edges: FxHashMap<usize, f64>,
}

/// Where each column starts, and where the next one does.
fn spans(starts: &[usize]) -> impl Iterator<Item = (usize, usize)> + '_ {
    starts.iter().copied().zip(starts.iter().skip(1).copied().chain([OPEN]))
}

impl<'l> Coder<'l> {
    pub(super) fn new(lexicon: &mut Lexicon, lines: Vec<&'l Placed>, frame: &Frame<'_>) -> Self {
        // Where columns touch, the words of whole lines are not those of columns.
        let whole = if frame.is_packed { &[][..] } else { &lines[..] };
        let texts: Vec<ValueId> = whole.iter().map(|l| lexicon.value(l.text())).collect();
        Self {
            words: Words::of_all(lexicon, texts.into_iter()),
            names: frame.names.map(|n| names_of(n, &lines, frame.is_packed)),
            rule: frame.rule.map(|r| r.runs(false)).unwrap_or_default(),
            lines,
            known: frame.dates.to_vec(),
            is_packed: frame.is_packed,
            columns: FxHashMap::default(),
            edges: FxHashMap::default(),
        }
    }

    /// The names above the lines, if any.
    pub(super) fn names(&self) -> Option<&Names> {
        self.names.as_ref()
    }

    /// Bits of all lines cut at `starts`, as all layouts are priced: words that one column has met are known to the next.
    pub(super) fn total(&mut self, lexicon: &mut Lexicon, starts: &[usize]) -> f64 {
        let mut words = Words::default();
        let prices: Vec<_> =
            spans(starts).map(|(from, to)| self.column_after(lexicon, &mut words, from, to)).collect();
        self.sum(starts, &prices)
    }

    /// The same with the words of all lines known: what ways to divide them are compared by.
    fn known(&mut self, lexicon: &mut Lexicon, starts: &[usize]) -> f64 {
        let prices: Vec<_> = spans(starts).map(|(from, to)| self.column(lexicon, from, to)).collect();
        self.sum(starts, &prices)
    }

    fn sum(&mut self, starts: &[usize], prices: &[ColumnPrice]) -> f64 {
        let mut bits = self.naming(starts);
        let mut singles = Vec::with_capacity(starts.len());
        for (start, price) in starts.iter().zip(prices) {
            bits += price.bits + START + if *start > 0 { self.edge(*start) } else { 0.0 };
            if *start > 0 {
                singles.push((price.single, price.lonely));
            }
        }
        let single = singles.iter().filter(|s| s.0 > 0.0).count();
        // A column always set off by one blank is none where others are set off by more.
        let are_usual = single * 2 > singles.len();
        bits + singles.iter().map(|(bits, lonely)| if are_usual { *bits } else { lonely * bits }).sum::<f64>()
    }

    /// Bits of names that do not fit the columns, and of the parts of a rule that do not.
    fn naming(&self, starts: &[usize]) -> f64 {
        spans(starts).map(|(from, to)| self.name_of(from, to)).sum()
    }

    /// The same of one column.
    fn name_of(&self, from: usize, to: usize) -> f64 {
        let lines = self.lines.len() as f64;
        let mut bits = 0.0;
        let cuts = |words: &[(usize, usize)]| from > 0 && words.iter().any(|w| w.0 < from && from < w.1);
        if let Some(own @ Names { words, begins, .. }) = &self.names {
            let any = words.iter().any(|w| (from..to).contains(&w.0));
            let names = begins.iter().filter(|b| (from..to).contains(&words[**b].0)).count();
            let cut = cuts(words);
            if !(any || self.is_packed && cut) {
                bits += UNNAMED + UNNAMED_LINE * lines;
            } else if names > 1 {
                let line = if own.are_at_starts { SURE_NAME_LINE } else { UNNAMED_LINE };
                bits += (UNNAMED + line * lines) * (names - 1) as f64;
            }
            if !self.is_packed && self.is_beside(words, from, to) {
                bits += UNNAMED + BESIDE_LINE * lines;
            }
            if self.is_packed {
                let begun = from == 0 || words.iter().any(|w| w.0 == from);
                bits += if begun { 0.0 } else { PACKED_NAME + PACKED_NAME_LINE * lines };
            } else if cut {
                bits += CUT_NAME + CUT_NAME_LINE * lines;
            }
        }
        if !self.rule.is_empty() {
            let parts = self.rule.iter().filter(|r| (from..to).contains(&r.0)).count();
            let misfits = parts.abs_diff(1) + usize::from(cuts(&self.rule));
            bits += (UNNAMED + UNNAMED_LINE * lines) * misfits as f64;
        }
        bits
    }

    /// Whether hardly a value of a column stands below its name, or most of them in front of it.
    fn is_beside(&self, words: &[(usize, usize)], from: usize, to: usize) -> bool {
        let own = || words.iter().filter(|w| (from..to).contains(&w.0));
        let Some((begin, end)) = own().next().zip(own().next_back()).map(|(a, b)| (a.0, b.1)) else {
            return false;
        };
        let (mut filled, mut below, mut before) = (0, 0, 0);
        for (first, last) in self.lines.iter().filter_map(|l| l.extent(from, to)) {
            filled += 1;
            below += usize::from(first < end && begin < last);
            before += usize::from(last <= begin);
        }
        filled > 0 && (below * 10 < filled || before * 2 > filled)
    }

    fn column(&mut self, lexicon: &mut Lexicon, from: usize, to: usize) -> ColumnPrice {
        if let Some(price) = self.columns.get(&(from, to)) {
            return *price;
        }
        let mut words = std::mem::take(&mut self.words);
        let price = self.column_after(lexicon, &mut words, from, to);
        self.words = words;
        self.columns.insert((from, to), price);
        price
    }

    /// What a column costs, its words known from those priced before it.
    fn column_after(&self, lexicon: &mut Lexicon, words: &mut Words, from: usize, to: usize) -> ColumnPrice {
        let mut column = Column::default();
        let (mut left, mut right) = (Adapt::default(), Adapt::default());
        let (mut bits, mut left_bits, mut right_bits) = (0.0, 0.0, 0.0);
        let (mut single, mut singles, mut worded, mut bracketed, mut wide) = (0.0, 0, 0, 0, 0);
        for line in &self.lines {
            let Some((first, last)) = line.extent(from, to) else {
                bits += column.code(lexicon, words, BLANK);
                continue;
            };
            let value = lexicon.value(line.slice(first, last));
            bits += column.code(lexicon, words, value);
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
                    let digit = |place: usize| line.class(place) == Class::Digit;
                    let closes = line.slice(first - 2, first - 1) == ")" && digit(first);
                    let opens = line.slice(first, first + 1) == "(" && digit(first - 2) && digit(first + 1);
                    bracketed += usize::from(closes || opens);
                    singles += 1;
                } else if (0..first).any(|p| line.is_filled(p)) {
                    wide += 1;
                }
            }
        }
        let is_single = singles * 2 > self.lines.len() && f64::from(wide) < 0.03 * singles as f64;
        let padding = if to == OPEN { left_bits } else { left_bits.min(right_bits) };
        ColumnPrice {
            bits: bits + padding,
            single: if is_single { single } else { 0.0 },
            lonely: match (worded * 2 > singles, bracketed * 10 > singles * 9) {
                (true, _) => LONELY_BLANK,
                (_, true) => LONELY_BRACKET,
                _ => 1.0,
            },
        }
    }

    /// Bits of what runs across a start.
    fn edge(&mut self, start: usize) -> f64 {
        if let Some(bits) = self.edges.get(&start) {
            return *bits;
        }
        let count = self.lines.len() as f64;
        let (mut touch, mut cut, mut mark, mut group, mut other, mut soft, mut joint) =
            (0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0);
        let (mut zero, mut zero_before, mut inside) = (0.0, 0.0, 0.0);
        // In front of what is known to begin behind it, a sign ends the number before.
        let sign = if self.is_packed { beside_sign(&self.lines, start) } else { None };
        let sign = sign.map(|is_right| is_right && !self.known.contains(&(start + 1)));
        for line in &self.lines {
            if start >= line.len() {
                continue;
            }
            let (left, right) = (line.class(start - 1), line.class(start));
            if left != Class::Blank && right != Class::Blank {
                touch += 1.0;
                cut += f64::from(u8::from(left == right && left != Class::Mark && !line.begins_word(start)));
                zero += f64::from(u8::from(line.slice(start, start + 1) == "0"));
                zero_before += f64::from(u8::from(line.slice(start - 1, start) == "0"));
                mark += f64::from(u8::from(left == Class::Mark || right == Class::Mark));
                let joins = |place: usize| {
                    matches!(line.slice(place, place + 1), ":" | "/" | "." | "-" | "@" | "," | "_")
                };
                joint += f64::from(u8::from(
                    sign == Some(false) || (sign.is_none() && (joins(start - 1) || joins(start))),
                ));
                // Inside a decimal number, a time, a version or an address.
                let digit = |place: usize| line.class(place) == Class::Digit;
                let point = |place: usize| matches!(line.slice(place, place + 1), "." | ":");
                inside += f64::from(u8::from(
                    (start > 1 && digit(start - 2) && point(start - 1) && digit(start))
                        || (digit(start - 1) && point(start) && digit(start + 1)),
                ));
                soft += f64::from(u8::from(left == Class::Digit && right == Class::Letter));
            } else {
                // A blank that groups thousands is no gap between columns.
                let blank = if right == Class::Blank { start } else { start - 1 };
                match group_at(line, blank) {
                    Some(true) => group += 1.0,
                    Some(false) => other += 1.0,
                    // A group has three digits: fewer behind more blanks are a number of their own.
                    None if is_number_behind(line, blank) => other += 3.0,
                    None => {}
                }
            }
        }
        let known = self.known.contains(&start);
        let mut bits = 0.0;
        if touch > 0.0 {
            let share: f64 = (touch + 0.5) / (count + 1.0);
            bits = -touch * share.log2() - (count - touch) * (1.0 - share).log2() + 2.0;
            // Numbers filled up with zeros begin where zeros do.
            if zero > 0.5 * touch && zero_before < 0.3 * touch {
                cut = 0.0;
            }
            if self.is_packed {
                bits = PACKED_START
                    + if known {
                        -1.5 * touch - KNOWN
                    } else {
                        PACKED_CUT * cut + PACKED_MARK * joint + PACKED_POINT * inside
                    };
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
        if !self.is_packed && touch == 0.0 {
            bits -= keys_beside_words(&self.lines, start);
            bits += if is_in_grouped(&self.lines, start) { CUT * count } else { 0.0 };
        }
        self.edges.insert(start, bits);
        bits
    }

    /// The cheapest of all choices among `proposals`, which begin with 0 and rise.
    pub(super) fn best(&mut self, lexicon: &mut Lexicon, proposals: &[usize]) -> Vec<usize> {
        // Whether columns set off by one blank are dear depends on how many there are: both answers are tried.
        let usual = self.cheapest(lexicon, proposals, true);
        let lonely = self.cheapest(lexicon, proposals, false);
        if lonely == usual || self.known(lexicon, &usual) <= self.known(lexicon, &lonely) {
            usual
        } else {
            lonely
        }
    }

    /// The cheapest choice, if columns set off by one blank are usual, or are dearer: the best way to each proposal goes through
    /// the best way to one before it.
    fn cheapest(&mut self, lexicon: &mut Lexicon, proposals: &[usize], are_usual: bool) -> Vec<usize> {
        let count = proposals.len();
        let span = if count > SPANNED_FROM { SPAN } else { count };
        // Bits of everything in front of each proposal, and the start of the column that ends there.
        let mut ways = vec![(f64::INFINITY, 0); count + 1];
        ways[0].0 = 0.0;
        for end in 1..=count {
            let to = proposals.get(end).copied().unwrap_or(OPEN);
            for begin in end.saturating_sub(span)..end {
                let from = proposals[begin];
                let price = self.column(lexicon, from, to);
                let single = if from == 0 { 0.0 } else { price.single };
                let own = price.bits
                    + START
                    + single * if are_usual { 1.0 } else { price.lonely }
                    + if from > 0 { self.edge(from) } else { 0.0 }
                    + self.name_of(from, to);
                let bits = ways[begin].0 + own;
                if bits < ways[end].0 {
                    ways[end] = (bits, begin);
                }
            }
        }
        let mut starts = Vec::new();
        let mut at = count;
        while at > 0 {
            at = ways[at].1;
            starts.push(proposals[at]);
        }
        starts.reverse();
        starts
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Unit;

    /// The slow twin: all subsets of the proposals.
    fn cheapest_of_all(coder: &mut Coder<'_>, lexicon: &mut Lexicon, proposals: &[usize]) -> f64 {
        (0..1_u32 << (proposals.len() - 1))
            .map(|chosen| {
                let of = |at: &usize| at.checked_sub(1).is_none_or(|bit| chosen & (1 << bit) != 0);
                let starts: Vec<usize> = (0..proposals.len()).filter(of).map(|at| proposals[at]).collect();
                coder.known(lexicon, &starts)
            })
            .fold(f64::INFINITY, f64::min)
    }

    #[test]
    fn the_best_starts_are_the_cheapest_of_all() {
        let names = "Berth  Ship           Arrived     Dues";
        let texts: Vec<String> = (0..24_u32)
            .map(|i| {
                let ship = ["Saltwind", "Grey Heron", "Anselm", "Tern"]
                    [(i.wrapping_mul(2_654_435_761) >> 20) as usize % 4];
                format!(
                    "{:03}    {ship:<14} 2031-08-{:02} {:>6}",
                    i * 37 % 900,
                    1 + i % 28,
                    i * i * 13 % 7000
                )
            })
            .collect();
        let placed: Vec<Placed> = texts.iter().map(|t| Placed::new(t.as_bytes(), Unit::Characters)).collect();
        let names = Placed::new(names.as_bytes(), Unit::Characters);
        let lines: Vec<&Placed> = placed.iter().collect();
        let proposals = [0, 3, 7, 12, 21, 26, 29, 32, 38];
        for (names, is_packed) in [(None, false), (Some(&names), false), (None, true), (Some(&names), true)] {
            let frame = Frame { names, is_packed, ..Frame::default() };
            let mut lexicon = Lexicon::default();
            let mut coder = Coder::new(&mut lexicon, lines.clone(), &frame);
            let best = coder.best(&mut lexicon, &proposals);
            let own = coder.known(&mut lexicon, &best);
            let all = cheapest_of_all(&mut coder, &mut lexicon, &proposals);
            assert!((own - all).abs() < 1e-6, "{best:?}: {own} {all}");
        }
    }
}
