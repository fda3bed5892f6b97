//! The different values of a column, while they are few.

use super::Count;

/// Values without a digit, by spelling, as long as there are few.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Words {
    /// How many values.
    pub seen: Count,
    /// The spellings with their counts; complete unless `many`.
    pub spellings: Vec<(Box<[u8]>, u64)>,
    /// There are more spellings than are kept.
    pub many: bool,
}

impl Words {
    /// Spellings kept.
    const MOST: usize = 6;

    /// The spellings with their counts, the most frequent first, if all values have one of these few and one of them repeats.
    ///
    /// # Example
    /// ```
    /// use incola_core::kind::statistics::Words;
    /// assert_eq!(Words::default().few(), None);
    /// ```
    #[must_use]
    pub fn few(&self) -> Option<Vec<(&[u8], u64)>> {
        let mut all: Vec<(&[u8], u64)> = self.spellings.iter().map(|(word, n)| (&**word, *n)).collect();
        all.sort_unstable_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(b.0)));
        (!self.many && all.len() <= 3 && all.first().is_some_and(|(_, n)| *n > 1)).then_some(all)
    }

    #[inline]
    pub(super) fn add(&mut self, word: &[u8], line: u64) {
        self.seen.add(line);
        if !self.many {
            self.note(word, 1);
        }
    }

    pub(super) fn note(&mut self, word: &[u8], count: u64) {
        if let Some((_, n)) = self.spellings.iter_mut().find(|(w, _)| **w == *word) {
            *n += count;
        } else if self.spellings.len() < Self::MOST {
            self.spellings.push((word.into(), count));
        } else {
            self.many = true;
        }
    }

    pub(super) fn merge(&mut self, later: &Self, lines_before: u64) {
        self.seen.merge(later.seen, lines_before);
        for (word, count) in &later.spellings {
            self.note(word, *count);
        }
        self.many |= later.many;
    }
}
