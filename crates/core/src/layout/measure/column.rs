//! An adaptive code for the values of one column.
//!
//! A value is blank or not, seen before or new. A new one is coded as a picture, known or not, and what fills it: lengths by
//! place, digits by place, words by a dictionary. Constants, flags, small dictionaries, sorted keys with runs and values that
//! all differ need no type of their own: the same three questions cover them.

use super::adapt::{Adapt, length_bits};
use super::bits::log2;
use super::lexicon::{BLANK, DIGIT, Lexicon, Run, Value, ValueId};
use rustc_hash::FxHashMap;

/// Digits of one run whose places are learnt one by one.
const PLACES: usize = 12;

/// Runs of a picture whose places are learnt, if the value is no atom.
const DEEP: u32 = 24;

/// Words met in any column of one layout. Columns share them: otherwise cutting a text in two looks dear only because each
/// half learns its words anew.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Words {
    counts: FxHashMap<u32, u32>,
    all: u32,
    /// Whether they are all there, and none is learnt any more.
    are_all: bool,
}

impl Words {
    /// The words that come at least twice in all of `values`: known to any column cut out of them, in whatever order columns are priced.
    pub(in crate::layout) fn of_all(lexicon: &Lexicon, values: impl Iterator<Item = ValueId>) -> Self {
        let mut words = Self::default();
        for value in values {
            let tokens = lexicon.tokens(lexicon.get(value));
            tokens.iter().filter(|t| t.run == Run::Word).for_each(|t| words.add(t.what));
        }
        words.counts.retain(|_, count| {
            *count -= 1;
            *count > 0
        });
        Self { are_all: true, ..words }
    }

    fn add(&mut self, word: u32) {
        if self.are_all {
            return;
        }
        *self.counts.entry(word).or_default() += 1;
        self.all += 1;
    }

    fn share(&self, word: u32) -> Option<f64> {
        self.counts.get(&word).map(|count| f64::from(*count) / f64::from(self.all.max(1)))
    }
}

/// What stands at one place of a number of known length: ten counts, mixed with knowing nothing.
#[derive(Clone, Debug)]
struct DigitPlace {
    counts: [u32; 10],
    all: u32,
    /// How far the counts are to be believed.
    weight: f64,
}

impl DigitPlace {
    const NEW: Self = Self { counts: [0; 10], all: 0, weight: 0.5 };

    fn share(&self, digit: u8, without: u32) -> f64 {
        let all = self.all.saturating_sub(without);
        if all == 0 {
            return 0.1;
        }
        let own = self.counts[usize::from(digit - b'0')].saturating_sub(without);
        let counted = (f64::from(own) + 0.3) / (f64::from(all) + 3.0);
        self.weight * counted + (1.0 - self.weight) * 0.1
    }

    fn add(&mut self, digit: u8) {
        if self.all > 0 {
            let counted =
                (f64::from(self.counts[usize::from(digit - b'0')]) + 0.3) / (f64::from(self.all) + 3.0);
            let own = self.weight * counted;
            self.weight = (own / (own + (1.0 - self.weight) * 0.1)).clamp(1e-4, 1.0 - 1e-4);
        }
        self.counts[usize::from(digit - b'0')] += 1;
        self.all += 1;
    }
}

/// Letters of the words that belong to what stands beside them: units, months, `AM` and `PM`. Longer ones say something themselves.
const SHORT: u16 = 4;

/// The short words that stood at one place, as long as they are few: `AM` and `PM` behind a time, a month before a day.
#[derive(Clone, Debug)]
struct WordPlace {
    counts: Vec<(u32, u32)>,
    all: u32,
    /// How far the counts are to be believed, against those of the whole column.
    weight: f64,
}

impl Default for WordPlace {
    fn default() -> Self {
        Self { counts: Vec::new(), all: 0, weight: 0.5 }
    }
}

impl WordPlace {
    /// Different words from which on a place says nothing.
    const MOST: usize = 16;

    /// How likely a word is here, if it is `elsewhere` so likely in the column.
    fn share(&self, word: u32, elsewhere: f64, without: u32) -> f64 {
        let all = self.all.saturating_sub(without);
        if all == 0 || self.counts.len() > Self::MOST {
            return elsewhere;
        }
        self.weight * self.own(word, elsewhere, without) + (1.0 - self.weight) * elsewhere
    }

    fn own(&self, word: u32, elsewhere: f64, without: u32) -> f64 {
        let all = f64::from(self.all.saturating_sub(without));
        let own = self.counts.iter().find(|c| c.0 == word).map_or(0, |c| c.1).saturating_sub(without);
        let new = ((self.counts.len() as f64 * 0.5 + 0.5) / (all + 1.0)).min(0.9);
        (1.0 - new) * f64::from(own) / all.max(1.0) + new * elsewhere
    }

    fn add(&mut self, word: u32, elsewhere: f64) {
        if self.counts.len() > Self::MOST {
            return;
        }
        if self.all > 0 {
            let own = self.weight * self.own(word, elsewhere, 0);
            self.weight = (own / (own + (1.0 - self.weight) * elsewhere)).clamp(1e-4, 1.0 - 1e-4);
        }
        match self.counts.iter_mut().find(|c| c.0 == word) {
            Some(count) => count.1 += 1,
            None => self.counts.push((word, 1)),
        }
        self.all += 1;
    }
}

/// One run of a picture.
#[derive(Clone, Debug, Default)]
struct Place {
    length: Adapt,
    words: WordPlace,
    /// By the number of digits.
    digits: Vec<(u16, Vec<DigitPlace>)>,
}

#[derive(Clone, Debug, Default)]
struct Shape {
    count: u32,
    /// Empty if they are not learnt.
    places: Vec<Place>,
}

/// The values of a column met so far, and what the next one costs.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Column {
    values: FxHashMap<ValueId, u32>,
    /// Values, blank ones included.
    all: u32,
    blank: u32,
    shapes: FxHashMap<u32, Shape>,
    /// Different values.
    shaped: u32,
    any_digits: Adapt,
    blanks: Adapt,
    words: FxHashMap<u32, u32>,
    words_seen: u32,
}

impl Column {
    /// Values met, blank ones included.
    pub(in crate::layout) fn count(&self) -> u32 {
        self.all
    }

    /// Blank values met.
    pub(in crate::layout) fn blank(&self) -> u32 {
        self.blank
    }

    /// The different values that are not blank, with how often each was met, in no order that means anything.
    pub(in crate::layout) fn values(&self) -> impl Iterator<Item = (ValueId, u32)> + '_ {
        self.values.iter().map(|(id, count)| (*id, *count))
    }

    /// Values met that are not blank.
    pub(in crate::layout) fn filled(&self) -> u32 {
        self.all - self.blank
    }

    /// How many of those are such.
    pub(in crate::layout) fn those(&self, is_such: impl Fn(ValueId) -> bool) -> u32 {
        self.values().filter(|(id, _)| is_such(*id)).map(|(_, count)| count).sum()
    }

    /// How often a value was there.
    pub(in crate::layout) fn times(&self, id: ValueId) -> u32 {
        self.values.get(&id).copied().unwrap_or(0)
    }

    /// How many different values were met.
    pub(in crate::layout) fn different(&self) -> usize {
        self.values.len()
    }

    /// Bits of a value, without learning it. `without`: so many of those learnt were this very one, and count as unlearnt.
    pub(in crate::layout) fn bits(&self, lexicon: &Lexicon, words: &Words, id: ValueId, without: u32) -> f64 {
        let all = self.all.saturating_sub(without);
        if id == BLANK {
            let blank = self.blank.saturating_sub(without);
            return if all > 0 { -log2((f64::from(blank) + 0.4) / (f64::from(all) + 0.8)) } else { 1.5 };
        }
        let filled = f64::from(all.saturating_sub(self.blank));
        let flag = if all > 0 { -log2((filled + 0.4) / (f64::from(all) + 0.8)) } else { 0.4 };
        if filled <= 0.0 {
            return flag + self.new_value(lexicon, words, lexicon.get(id), without);
        }
        let count = self.values.get(&id).copied().unwrap_or(0).saturating_sub(without);
        let different = (self.values.len() as f64).min(filled);
        let new = ((different - 0.3) / (filled + 0.4)).max(0.3 / (filled + 0.4));
        let bits = self.new_value(lexicon, words, lexicon.get(id), if count == 0 { without } else { 0 });
        if count == 0 {
            return flag + bits - log2(new);
        }
        let repeated = (1.0 - new) * f64::from(count) / filled;
        flag - log2(new * (-bits.min(900.0)).exp2() + repeated)
    }

    /// Bits of a value that was not met before.
    fn new_value(&self, lexicon: &Lexicon, words: &Words, value: &Value, without: u32) -> f64 {
        let picture = lexicon.picture(value.picture);
        let shape = self.shapes.get(&value.picture);
        let count = shape.map_or(0, |s| s.count).saturating_sub(without);
        let all = self.shaped.saturating_sub(without);
        let new_shape = if all > 0 {
            ((self.shapes.len() as f64).min(f64::from(all)) * 0.7 + 0.5) / (f64::from(all) + 1.0)
        } else {
            1.0
        };
        let spelled = picture.spell - log2(new_shape);
        let known = shape.filter(|_| count > 0);
        let mut bits = match known {
            Some(_) => {
                let known = -log2(((1.0 - new_shape) * f64::from(count) / f64::from(all)).max(1e-9));
                if value.is_atomic { known } else { (known + picture.inner).min(spelled) }
            }
            None => spelled,
        };
        let is_known = known.is_some();
        let places = known.map_or(&[][..], |s| &s.places[..]);
        // Shares are multiplied, and turned into bits now and then.
        let mut share = 1.0_f64;
        for (at, token) in lexicon.tokens(value).iter().enumerate() {
            let place = places.get(at);
            let length = i32::from(token.length);
            match token.run {
                Run::Digits => {
                    bits += match (is_known, place) {
                        (true, Some(place)) => place.length.bits(length, without),
                        (false, _) if self.shaped > 0 => self.any_digits.bits(length, without),
                        _ => unknown_length(length),
                    };
                    let learnt = place.and_then(|p| p.digits.iter().find(|d| d.0 == token.length));
                    match learnt {
                        None => bits += DIGIT * f64::from(length),
                        Some((_, digits)) => {
                            for (digit, place) in lexicon.digits(token).iter().zip(digits) {
                                share *= place.share(*digit, without);
                            }
                            bits += DIGIT * f64::from(length - digits.len() as i32);
                        }
                    }
                }
                Run::Word => {
                    let length = match place {
                        Some(place) => place.length.bits(length, without),
                        None => 2.5,
                    };
                    let column = self.word(lexicon, words, token.what, length, without);
                    share *= match place {
                        Some(place) if token.length <= SHORT => {
                            place.words.share(token.what, column, without)
                        }
                        _ => column,
                    };
                }
                Run::Blanks => {
                    if token.length > 1 {
                        bits += 4.0;
                    }
                    bits += if self.shaped > 0 {
                        self.blanks.bits(length, without)
                    } else {
                        length_bits(length as usize)
                    };
                }
                Run::Mark => {}
            }
            if share < 1e-150 {
                bits -= log2(share);
                share = 1.0;
            }
        }
        bits -= log2(share);
        let odd = if is_known { 0.0 } else { -log2(new_shape) * if value.is_atomic { 0.5 } else { 1.0 } };
        let run_together = if value.is_run_together { 3.0 } else { 0.0 };
        (bits + value.rest).min(value.free + 1.0 + odd) + run_together
    }

    /// How likely a word is, wherever it stands. `length`: bits of its length.
    fn word(&self, lexicon: &Lexicon, words: &Words, word: u32, length: f64, without: u32) -> f64 {
        let seen = self.words_seen.saturating_sub(without);
        let own = self.words.get(&word).copied().unwrap_or(0);
        let new = ((self.words.len() as f64).min(f64::from(seen)) * 0.8 + 1.0) / (f64::from(seen) + 1.5);
        let mut unseen = (-(lexicon.word_bits(word) + length).min(500.0)).exp2();
        if own == 0
            && let Some(elsewhere) = words.share(word)
        {
            unseen = 0.6 * unseen + 0.4 * elsewhere;
        }
        let own = f64::from(own.saturating_sub(without)) / f64::from(seen.max(1));
        (1.0 - new) * own + new * unseen
    }

    /// Learns a value.
    pub(in crate::layout) fn add(&mut self, lexicon: &Lexicon, words: &mut Words, id: ValueId) {
        self.all += 1;
        if id == BLANK {
            self.blank += 1;
            return;
        }
        let count = self.values.entry(id).or_default();
        *count += 1;
        if *count > 1 {
            return;
        }
        let value = lexicon.get(id);
        self.shaped += 1;
        let shape = self.shapes.entry(value.picture).or_default();
        shape.count += 1;
        let runs = lexicon.picture(value.picture).runs;
        let deep = value.is_atomic || runs <= DEEP;
        if deep && shape.places.is_empty() {
            shape.places.resize_with(runs as usize, Place::default);
        }
        for (at, token) in lexicon.tokens(value).iter().enumerate() {
            let place = shape.places.get_mut(at);
            match token.run {
                Run::Digits => {
                    self.any_digits.add(i32::from(token.length));
                    let Some(place) = place else { continue };
                    place.length.add(i32::from(token.length));
                    let digits = if let Some(at) = place.digits.iter().position(|d| d.0 == token.length) {
                        &mut place.digits[at].1
                    } else {
                        let places = usize::from(token.length).min(PLACES);
                        place.digits.push((token.length, vec![DigitPlace::NEW; places]));
                        let last = place.digits.len() - 1;
                        &mut place.digits[last].1
                    };
                    for (place, digit) in digits.iter_mut().zip(lexicon.digits(token)) {
                        place.add(*digit);
                    }
                }
                Run::Word => {
                    if let Some(place) = place {
                        if token.length <= SHORT {
                            let seen = self.words.get(&token.what).copied().unwrap_or(0);
                            let column = (f64::from(seen) + 0.1) / (f64::from(self.words_seen) + 1.0);
                            place.words.add(token.what, column);
                        }
                        place.length.add(i32::from(token.length));
                    }
                    *self.words.entry(token.what).or_default() += 1;
                    self.words_seen += 1;
                    words.add(token.what);
                }
                Run::Blanks => self.blanks.add(i32::from(token.length)),
                Run::Mark => {}
            }
        }
    }

    /// Bits of a value, which is then learnt.
    pub(in crate::layout) fn code(&mut self, lexicon: &Lexicon, words: &mut Words, id: ValueId) -> f64 {
        let bits = self.bits(lexicon, words, id, 0);
        self.add(lexicon, words, id);
        bits
    }
}

/// Bits of a run's length where no digits were met yet.
fn unknown_length(digits: i32) -> f64 {
    match digits {
        1 | 2 => 2.0,
        3 => 2.3,
        4 => 2.6,
        5 => 3.3,
        6 | 8 => 4.0,
        7 => 4.6,
        9 | 10 => 5.5,
        more => 5.0 + 0.35 * f64::from(more),
    }
}

/// Bits of values in a column of their own.
pub(in crate::layout) fn code_all(lexicon: &Lexicon, words: &mut Words, values: &[ValueId]) -> (f64, Column) {
    let mut column = Column::default();
    let bits = values.iter().map(|id| column.code(lexicon, words, *id)).sum();
    (bits, column)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bits(values: &[String]) -> f64 {
        let mut lexicon = Lexicon::default();
        let ids: Vec<ValueId> = values.iter().map(|v| lexicon.value(v)).collect();
        code_all(&lexicon, &mut Words::default(), &ids).0 / values.len() as f64
    }

    /// Digits that look random, the same each time.
    fn scrambled(i: u32) -> u32 {
        i.wrapping_mul(2_654_435_761) >> 7
    }

    #[test]
    fn columns_learn_what_their_values_have_in_common() {
        let all = |value: &dyn Fn(u32) -> String| bits(&(0..100).map(value).collect::<Vec<_>>());
        let constant = all(&|_| "Saltwind".into());
        let flag = all(&|i| ["yes", "no"][(scrambled(i) % 2) as usize].into());
        let date = all(&|i| format!("2031-08-{:02}", 1 + scrambled(i) % 28));
        let amount = all(&|i| format!("{}.{:02}", scrambled(i) % 9000, scrambled(i + 7) % 100));
        let words = all(&|i| format!("{:b} tide", scrambled(i)).replace('1', "ka").replace('0', "lo"));
        assert!(constant < 1.0 && flag < 3.0 && date < 9.0, "{constant} {flag} {date}");
        assert!(constant < flag && flag < date && date < amount && amount < words, "{amount} {words}");
        // Fixed digits at one place cost little.
        let prefixed = all(&|i| format!("9907{:04}", scrambled(i) % 10_000));
        assert!(prefixed < all(&|i| format!("{:08}", scrambled(i) % 100_000_000)) - 8.0);
    }

    #[test]
    fn a_blank_costs_where_there_never_was_one() {
        let mut lexicon = Lexicon::default();
        let (mut full, mut sparse, mut words) = (Column::default(), Column::default(), Words::default());
        for i in 0..60 {
            let id = lexicon.value(&i.to_string());
            full.add(&lexicon, &mut words, id);
            sparse.add(&lexicon, &mut words, if i % 3 == 0 { id } else { BLANK });
        }
        assert!(full.bits(&lexicon, &words, BLANK, 0) > 6.0);
        assert!(sparse.bits(&lexicon, &words, BLANK, 0) < 1.0);
    }

    #[test]
    fn short_words_are_cheap_where_they_always_stand() {
        let mut lexicon = Lexicon::default();
        let mut price = |row: &dyn Fn(u32) -> String| {
            let ids: Vec<ValueId> = (0..60).map(|at| lexicon.value(&row(at))).collect();
            code_all(&lexicon, &mut Words::default(), &ids).0
        };
        let number = |at: u32| format!("{:04}", at * 2731 % 9000);
        let half = |at: u32| ["in", "out"][at as usize * 7 / 3 % 2];
        // One of two words costs more than a bit where it stands; others beside it, always the same, make it no dearer.
        let alone = price(&|at| format!("{} {}", number(at), half(at)));
        let beside = price(&|at| format!("{} {} TQ", number(at), half(at)));
        let long = price(&|at| format!("{} {} Tolgarth", number(at), half(at)));
        assert!(beside - alone < 60.0, "{alone} {beside}");
        assert!(long > beside + 20.0, "words that are long are data: {beside} {long}");
    }

    #[test]
    fn words_of_all_lines_are_known_to_each_column() {
        let mut lexicon = Lexicon::default();
        let lines: Vec<ValueId> =
            ["hawser bollard", "bollard hawser", "fender quay"].iter().map(|t| lexicon.value(t)).collect();
        let mut words = Words::of_all(&lexicon, lines.iter().copied());
        let mut price = |text: &str| {
            let id = lexicon.value(text);
            Column::default().code(&lexicon, &mut words, id)
        };
        let (known, once, never) = (price("hawser"), price("fender"), price("capstan"));
        assert!(known + 10.0 < once, "a word that comes once is spelled: {known} {once}");
        assert!(never > known + 10.0);
        assert!((price("capstan") - never).abs() < 1e-9, "nothing is learnt any more");
    }
}
