//! Columns whose values may be a key, because none of them is there twice.

use incola_core::refresh::fingerprint;

/// A column that may be a key.
#[derive(Clone, Debug, Default)]
pub struct Candidate {
    /// Its place in the slots.
    pub place: usize,
    /// Fingerprints of its values; none once one came back.
    prints: Vec<u64>,
    repeats: bool,
    /// The first and the last value, while each comes behind the one before, as numbers of records do: then none is there twice, and
    /// nothing need be sorted. `None` with fingerprints: one did not.
    rising: Option<(Vec<u8>, Vec<u8>)>,
}

/// Whether a value of the same length that is spelled otherwise means something else.
fn is_plain(value: &[u8]) -> bool {
    value.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'-')
}

/// Whether a value comes behind another one, and so means something else: of the same length, or a longer number.
fn is_behind(value: &[u8], before: &[u8]) -> bool {
    let is_number =
        |value: &[u8]| value.first().is_some_and(|b| *b != b'0') && value.iter().all(u8::is_ascii_digit);
    match value.len().cmp(&before.len()) {
        std::cmp::Ordering::Less => false,
        std::cmp::Ordering::Equal => value > before && is_plain(value),
        std::cmp::Ordering::Greater => is_number(value) && is_number(before),
    }
}

impl Candidate {
    /// A column at that place in the slots, of which nothing is known yet.
    pub fn at(place: usize) -> Self {
        Self { place, ..Self::default() }
    }

    /// Adds a value and its fingerprint.
    #[inline]
    pub fn add(&mut self, value: &[u8], print: u64) {
        if self.prints.is_empty() {
            let can_rise = !value.is_empty() && is_plain(value);
            self.rising = can_rise.then(|| (value.to_vec(), value.to_vec()));
        } else if let Some((_, last)) = &mut self.rising {
            if is_behind(value, last) {
                last.clear();
                last.extend_from_slice(value);
            } else {
                self.rising = None;
            }
        }
        self.prints.push(print);
    }

    /// Its place, if no value is there twice and none is missing.
    pub fn if_unique(mut self) -> Option<usize> {
        (!self.repeats && (self.rising.is_some() || !repeats(&mut self.prints))).then_some(self.place)
    }

    /// Puts the values of later rows behind.
    pub fn merge(&mut self, mut later: Self) {
        if self.prints.is_empty() && !self.repeats {
            *self = Self { place: self.place, ..later };
            return;
        }
        self.rising = match (self.rising.take(), later.rising) {
            (Some((first, last)), Some((next, end))) if is_behind(&next, &last) => Some((first, end)),
            _ => None,
        };
        // Within a block, most that repeat are found at once.
        self.repeats = self.repeats || later.repeats || (self.rising.is_none() && repeats(&mut later.prints));
        if self.repeats {
            self.prints = Vec::new();
        } else {
            self.prints.append(&mut later.prints);
        }
    }
}

fn repeats(prints: &mut [u64]) -> bool {
    prints.sort_unstable();
    prints.first() == Some(&fingerprint::BLANK) || prints.windows(2).any(|pair| pair[0] == pair[1])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::HashSet;

    /// A fingerprint that does not see blanks, nor zeros in front and behind a point: as those of numbers and texts.
    fn print(value: &str) -> u64 {
        if value.trim().is_empty() {
            return fingerprint::BLANK;
        }
        let value = value.trim().trim_start_matches('0');
        let value =
            if value.contains('.') { value.trim_end_matches('0').trim_end_matches('.') } else { value };
        fingerprint::text(format!("={value}").as_bytes())
    }

    proptest! {
        #[test]
        fn a_key_is_what_a_set_says(
            blocks in prop::collection::vec(
                prop::collection::vec("[0-3]{1,2}|[0-2]\\.[0-2]{0,2}| [ab]|[ab]{1,2}|", 0..8), 0..5),
            sorted: bool,
        ) {
            let mut all: Vec<String> = blocks.concat();
            if sorted {
                all.sort_by_key(|value| (value.len(), value.clone()));
            }
            let (mut whole, mut at) = (Candidate::at(3), 0);
            for block in &blocks {
                let mut own = Candidate::at(3);
                for value in &all[at..at + block.len()] {
                    own.add(value.as_bytes(), print(value));
                }
                at += block.len();
                whole.merge(own);
            }
            let set: HashSet<u64> = all.iter().map(|value| print(value)).collect();
            let is_unique = set.len() == all.len() && !set.contains(&fingerprint::BLANK);
            prop_assert_eq!(whole.if_unique(), is_unique.then_some(3), "{:?}", all);
        }
    }
}
