//! Values taken apart once, whichever layout they come from: pictures, words, digits, and what they cost unknown.
//!
//! The picture of a value has one mark for each run: `9` digits, `a` lower case, `A` upper case, `C` capitalised, `m` other
//! letters, a blank for blanks, every other character for itself. `4,271.05`, `4 271,05` and `27.05` share one picture:
//! marks that group thousands are taken out first, otherwise a blank inside a number looks like a gap between columns.

use super::adapt::length_bits;
use super::sort::{Sort, grouped, is_run_together, sort_of};
use rustc_hash::FxHashMap;

/// A value by its number in the lexicon.
pub(in crate::layout) type ValueId = u32;

/// The value without a character.
pub(in crate::layout) const BLANK: ValueId = 0;

/// Characters of a value that are taken apart; what follows costs the same for all layouts.
const LOOKED_AT: usize = 2000;

/// Bits of a letter in a word that was never seen.
const LETTER: f64 = 4.2;

/// Bits of a digit of which nothing is known.
pub(super) const DIGIT: f64 = std::f64::consts::LOG2_10;

/// What a run of characters is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Run {
    Digits,
    Word,
    Blanks,
    Mark,
}

/// One run of a value.
#[derive(Clone, Copy, Debug)]
pub(super) struct Token {
    pub(super) run: Run,
    /// Characters.
    pub(super) length: u16,
    /// A word's number; where the digits begin; the character of a mark.
    pub(super) what: u32,
}

/// A value, taken apart.
#[derive(Clone, Copy, Debug)]
pub(in crate::layout) struct Value {
    text: (u32, u32),
    tokens: (u32, u32),
    pub(super) picture: u32,
    /// What it is at first sight.
    pub(in crate::layout) sort: Sort,
    /// Whether it is one thing: a number, a moment, a code, a path.
    pub(in crate::layout) is_atomic: bool,
    /// Whether digits run into a word of four letters or more: two fields rather than a code.
    pub(super) is_run_together: bool,
    /// Bits if nothing is known of it.
    pub(in crate::layout) free: f64,
    /// Bits of what is too long to be taken apart.
    pub(super) rest: f64,
}

impl Value {
    /// The number of its picture.
    pub(in crate::layout) fn picture_number(&self) -> u32 {
        self.picture
    }
}

/// What a picture costs.
#[derive(Clone, Copy, Debug)]
pub(super) struct Picture {
    /// To be spelled, the first time.
    pub(super) spell: f64,
    /// For marks and blanks inside, each time: otherwise one column with a picture would equal several columns.
    pub(super) inner: f64,
    /// Runs.
    pub(super) runs: u32,
}

/// All values met so far.
#[derive(Debug)]
pub(in crate::layout) struct Lexicon {
    text: String,
    values: Vec<Value>,
    by_text: FxHashMap<u64, ValueId>,
    tokens: Vec<Token>,
    digits: Vec<u8>,
    pictures: Vec<Picture>,
    by_picture: FxHashMap<u64, u32>,
    /// Bits of each word, by its number.
    words: Vec<f32>,
    by_word: FxHashMap<u64, u32>,
}

impl Default for Lexicon {
    fn default() -> Self {
        let mut lexicon = Self {
            text: String::new(),
            values: Vec::new(),
            by_text: FxHashMap::default(),
            tokens: Vec::new(),
            digits: Vec::new(),
            pictures: Vec::new(),
            by_picture: FxHashMap::default(),
            words: Vec::new(),
            by_word: FxHashMap::default(),
        };
        lexicon.value("");
        lexicon
    }
}

fn digest(text: &str) -> u64 {
    xxhash_rust::xxh3::xxh3_64(text.as_bytes())
}

impl Lexicon {
    /// The number of a value, blanks around it left out.
    pub(in crate::layout) fn value(&mut self, text: &str) -> ValueId {
        let text = text.trim_matches([' ', '\u{3000}', '\r']);
        let digest = digest(text);
        if let Some(id) = self.by_text.get(&digest) {
            return *id;
        }
        let value = self.take_apart(text);
        let id = self.values.len() as ValueId;
        self.values.push(value);
        self.by_text.insert(digest, id);
        id
    }

    /// The number of a value in bytes; what is no UTF-8 is replaced.
    pub(in crate::layout) fn value_of_bytes(&mut self, bytes: &[u8]) -> ValueId {
        match std::str::from_utf8(bytes) {
            Ok(text) => self.value(text),
            Err(_) => self.value(&String::from_utf8_lossy(bytes)),
        }
    }

    /// A value by its number.
    pub(in crate::layout) fn get(&self, id: ValueId) -> &Value {
        &self.values[id as usize]
    }

    /// The characters of a value.
    pub(in crate::layout) fn text(&self, id: ValueId) -> &str {
        let (from, to) = self.values[id as usize].text;
        &self.text[from as usize..to as usize]
    }

    pub(super) fn tokens(&self, value: &Value) -> &[Token] {
        &self.tokens[value.tokens.0 as usize..value.tokens.1 as usize]
    }

    pub(super) fn picture(&self, id: u32) -> &Picture {
        &self.pictures[id as usize]
    }

    pub(super) fn digits(&self, token: &Token) -> &[u8] {
        &self.digits[token.what as usize..token.what as usize + usize::from(token.length)]
    }

    pub(super) fn word_bits(&self, word: u32) -> f64 {
        f64::from(self.words[word as usize])
    }

    fn take_apart(&mut self, text: &str) -> Value {
        let from = self.text.len() as u32;
        self.text.push_str(text);
        let end = text.char_indices().nth(LOOKED_AT).map_or(text.len(), |(at, _)| at);
        let (looked_at, rest) = text.split_at(end);
        let sort = sort_of(text);
        // Group marks out of the way.
        let plain = grouped(looked_at);
        let first_token = self.tokens.len() as u32;
        let mut picture = String::new();
        self.split(plain.as_deref().unwrap_or(looked_at), &mut picture);
        let tokens = (first_token, self.tokens.len() as u32);
        let digest = digest(&picture);
        let picture_id = if let Some(id) = self.by_picture.get(&digest) {
            *id
        } else {
            self.by_picture.insert(digest, self.pictures.len() as u32);
            self.pictures.push(Picture {
                spell: spell(&picture),
                inner: inner(&picture),
                runs: picture.chars().count() as u32,
            });
            self.pictures.len() as u32 - 1
        };
        let rest = LETTER * rest.chars().count() as f64;
        let free = self.free(&picture, tokens) + rest;
        Value {
            text: (from, self.text.len() as u32),
            tokens,
            picture: picture_id,
            sort,
            is_atomic: sort != Sort::Text || text.is_empty(),
            is_run_together: is_run_together(text),
            free,
            rest,
        }
    }

    /// Cuts a text into runs.
    fn split(&mut self, text: &str, picture: &mut String) {
        #[derive(PartialEq, Clone, Copy)]
        enum Class {
            Digit,
            Letter,
            Blank,
            Mark,
        }
        let class = |c: char| match c {
            '0'..='9' => Class::Digit,
            ' ' | '\u{3000}' => Class::Blank,
            'a'..='z' | 'A'..='Z' => Class::Letter,
            c if c.is_ascii() => Class::Mark,
            c if c.is_alphabetic() || is_combining(c) => Class::Letter,
            _ => Class::Mark,
        };
        let mut chars = text.char_indices().peekable();
        while let Some((at, c)) = chars.next() {
            let own = class(c);
            let mut end = at + c.len_utf8();
            let mut length = 1_usize;
            if own != Class::Mark {
                while let Some((_, next)) = chars.next_if(|(_, next)| class(*next) == own) {
                    end += next.len_utf8();
                    length += 1;
                }
            }
            let run = &text[at..end];
            let length = length.min(usize::from(u16::MAX)) as u16;
            let token = match own {
                Class::Digit => {
                    let what = self.digits.len() as u32;
                    self.digits.extend_from_slice(run.as_bytes());
                    picture.push('9');
                    Token { run: Run::Digits, length, what }
                }
                Class::Letter => {
                    picture.push(case_of(run));
                    Token { run: Run::Word, length, what: self.word(run) }
                }
                Class::Blank => {
                    picture.push(' ');
                    Token { run: Run::Blanks, length, what: 0 }
                }
                Class::Mark => {
                    picture.push(c);
                    Token { run: Run::Mark, length, what: u32::from(c) }
                }
            };
            self.tokens.push(token);
        }
    }

    fn word(&mut self, word: &str) -> u32 {
        let words = &mut self.words;
        *self.by_word.entry(digest(word)).or_insert_with(|| {
            words.push(letters(word) as f32);
            words.len() as u32 - 1
        })
    }

    /// Bits of a text of which nothing is known.
    fn free(&self, picture: &str, tokens: (u32, u32)) -> f64 {
        let mut bits = spell(picture);
        let mut last = None;
        let mut run = 0;
        for token in &self.tokens[tokens.0 as usize..tokens.1 as usize] {
            let length = usize::from(token.length);
            match token.run {
                Run::Digits => bits += 3.32 * length as f64 + length_bits(length) * 0.6,
                Run::Blanks => bits += length_bits(length) * 0.6 + if length > 1 { 2.0 } else { 0.0 },
                Run::Word => bits += self.word_bits(token.what) + 2.5,
                // A rule line: the repeated mark is nearly free.
                Run::Mark if last == Some(token.what) => {
                    run += 1;
                    if run >= 2 {
                        bits -= spell_mark(char::from_u32(token.what).unwrap_or(' ')) - 0.3;
                    }
                }
                Run::Mark => run = 0,
            }
            last = (token.run == Run::Mark).then_some(token.what);
        }
        bits
    }
}

fn is_combining(c: char) -> bool {
    matches!(c, '\u{300}'..='\u{36f}' | '\u{900}'..='\u{dff}' | '\u{e30}'..='\u{e4e}' | '\u{200c}' | '\u{200d}')
}

fn case_of(word: &str) -> char {
    let mut chars = word.chars();
    let first = chars.next().unwrap_or(' ');
    let (mut lower, mut upper, mut other) = (0, 0, 0);
    for c in chars {
        if c.is_lowercase() {
            lower += 1;
        } else if c.is_uppercase() {
            upper += 1;
        } else {
            other += 1;
        }
    }
    match (first.is_lowercase(), first.is_uppercase(), lower, upper, other) {
        (true, _, _, 0, 0) => 'a',
        (_, true, 0, _, 0) => 'A',
        (_, true, _, 0, 0) => 'C',
        _ => 'm',
    }
}

/// Bits of a word's letters: about what letters of a language carry; more for accents, much more for ideographs.
fn letters(word: &str) -> f64 {
    let count = word.chars().count() as f64;
    let foreign = word.chars().filter(|c| !c.is_ascii()).count();
    match word.chars().next() {
        Some('\u{3000}'..) if foreign > 1 => 9.0 * count,
        _ => LETTER * count + 2.5 * foreign as f64,
    }
}

/// Bits of a picture that was never seen.
fn spell(picture: &str) -> f64 {
    1.0 + picture.chars().map(spell_mark).sum::<f64>()
}

fn spell_mark(mark: char) -> f64 {
    match mark {
        '9' => 2.2,
        'a' => 1.0,
        'A' => 1.8,
        'C' => 1.2,
        'm' => 3.0,
        ' ' => 0.6,
        '.' => 4.5,
        ')' => 4.0,
        ',' | '-' => 5.0,
        ':' | '/' | '(' | '\'' | '_' => 5.5,
        '"' => 6.0,
        ';' => 7.0,
        '|' => 8.5,
        '\t' => 10.0,
        _ => 7.5,
    }
}

/// Bits of the marks inside a value of a known picture.
fn inner(picture: &str) -> f64 {
    let marks: Vec<char> = picture.chars().collect();
    let at = |i: usize| marks.get(i).copied().unwrap_or('\0');
    let mut bits = 0.0;
    for (i, mark) in marks.iter().enumerate() {
        bits += match mark {
            'a' | 'A' | 'C' | 'm' | '9' => 0.0,
            ' ' => {
                let (before, after) = (if i == 0 { '\0' } else { at(i - 1) }, at(i + 1));
                if before == '9' && after == '9' {
                    2.0
                } else if matches!(before, 'a' | 'A' | 'C' | 'm' | '.' | ',' | ')')
                    && matches!(after, 'a' | 'A' | 'C' | 'm' | '(')
                {
                    0.25
                } else {
                    0.6
                }
            }
            ',' | '~' | '^' => 2.0,
            ';' => 3.0,
            '|' => 5.0,
            '\t' => 8.0,
            ':' | '=' => 1.5,
            _ => 0.7,
        };
    }
    bits
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_of_one_sort_share_a_picture() {
        let mut lexicon = Lexicon::default();
        let mut picture = |text: &str| {
            let id = lexicon.value(text);
            lexicon.get(id).picture
        };
        let number = picture("27.05");
        for text in ["4,271.05", "4271.05", "1.05"] {
            assert_eq!(picture(text), number, "{text}");
        }
        assert_eq!(picture("Grey Heron"), picture("Marsh Lantern"));
        assert_ne!(picture("Grey heron"), picture("Grey Heron"));
        assert_eq!(picture("4 271,05"), picture("1 234 567,80"));
    }

    #[test]
    fn rare_words_cost_more_than_digits_and_rules_cost_little() {
        let mut lexicon = Lexicon::default();
        let mut free = |text: &str| {
            let id = lexicon.value(text);
            lexicon.get(id).free
        };
        assert!(free("Saltwind lies at berth") > free("12.50"));
        assert!(free("----------------------------------------") < 40.0);
        assert!(free("北埠頭") > free("Kai"));
    }

    #[test]
    fn long_values_are_never_free() {
        let mut lexicon = Lexicon::default();
        let (short, long) = (lexicon.value(&"tide ".repeat(500)), lexicon.value(&"tide ".repeat(5000)));
        assert!(lexicon.get(long).free > 8.0 * lexicon.get(short).free);
    }
}
