//! Counts of a few different things, in the order in which they come first.

/// Things with how often each was seen. Made for few different ones: each look-up goes through all.
#[derive(Clone, Debug)]
pub(super) struct Tally<T> {
    seen: Vec<(T, usize)>,
}

impl<T> Default for Tally<T> {
    fn default() -> Self {
        Self { seen: Vec::new() }
    }
}

impl<T: PartialEq> Tally<T> {
    /// Counts a thing.
    pub(super) fn add(&mut self, thing: T) {
        match self.seen.iter_mut().find(|s| s.0 == thing) {
            Some(known) => known.1 += 1,
            None => self.seen.push((thing, 1)),
        }
    }

    /// The thing seen most often, the first one of equals, with its count.
    pub(super) fn top(&self) -> Option<(&T, usize)> {
        self.seen.iter().rev().max_by_key(|s| s.1).map(|s| (&s.0, s.1))
    }

    /// How often a thing was seen.
    pub(super) fn count(&self, thing: &T) -> usize {
        self.seen.iter().find(|s| s.0 == *thing).map_or(0, |s| s.1)
    }
}

impl<T> Tally<T> {
    /// How many different things were seen.
    pub(super) fn different(&self) -> usize {
        self.seen.len()
    }

    /// All of them with their counts.
    pub(super) fn iter(&self) -> impl DoubleEndedIterator<Item = (&T, usize)> {
        self.seen.iter().map(|s| (&s.0, s.1))
    }
}

impl<T: PartialEq> FromIterator<T> for Tally<T> {
    fn from_iter<I: IntoIterator<Item = T>>(things: I) -> Self {
        let mut tally = Self::default();
        things.into_iter().for_each(|thing| tally.add(thing));
        tally
    }
}

#[cfg(test)]
mod tests {
    use super::Tally;

    #[test]
    fn the_first_of_equals_is_on_top() {
        let tally: Tally<char> = "abcbca".chars().collect();
        assert_eq!((tally.top(), tally.count(&'c'), tally.different()), (Some((&'a', 2)), 2, 3));
    }
}
