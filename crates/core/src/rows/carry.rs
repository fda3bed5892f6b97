//! Values that records take from above: from the headings of their group, and from the record before.

use crate::kind::statistics::trim;
use crate::layout::Repeats;
use crate::record::Machine;

/// The value of each heading where a record is, the outermost first, and of each column whose empty cells take the value above them.
/// Nothing is known where a text begins in the middle of a source; whoever goes over the texts in their order fills it in with
/// [`Carry::then`].
///
/// ```
/// use incola_core::layout::{Headings, Repeats};
/// use incola_core::rows::Carry;
/// let repeats = Repeats::carrying(Headings::stated(&["Quay".to_owned(), "Pilot".to_owned()]), Vec::new());
/// let mut carry = Carry::unknown(3, &repeats);
/// assert!(carry.take(&repeats, b"Quay: North") && !carry.take(&repeats, b"007  12.50"));
/// assert_eq!((carry.value(0), carry.value(1)), (Some(&b"North"[..]), Some(&b""[..])));
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Carry {
    /// Fields of a record, without those of headings.
    width: usize,
    /// How many of the values are those of headings; the others are those of `below`.
    headings: usize,
    /// Columns (from 0) whose empty cells take the value above them.
    below: Vec<usize>,
    values: Vec<Option<Vec<u8>>>,
}

/// Nothing at all.
pub(super) static NOTHING: Carry = Carry { width: 0, headings: 0, below: Vec::new(), values: Vec::new() };

impl Carry {
    /// Nothing is known yet of what is above records of `width` fields.
    pub fn unknown(width: usize, repeats: &Repeats) -> Self {
        let (headings, below) = (repeats.headings().len(), repeats.below().to_vec());
        Self { width, headings, values: vec![None; headings + below.len()], below }
    }

    /// What holds for the first record of a source, whose first lines are `head`, so many of them before it. Where it is further on,
    /// nothing does.
    pub fn at_first_record(width: usize, repeats: &Repeats, head: &[u8], lines_before: u64) -> Self {
        let mut nothing = Self::unknown(width, repeats);
        nothing.values.fill(Some(Vec::new()));
        if repeats.headings().is_empty() {
            return nothing;
        }
        let mut carry = nothing.clone();
        let mut lines = head.split(|b| *b == b'\n');
        for _ in 0..lines_before {
            let Some(line) = lines.next() else { return nothing };
            carry.take(repeats, line);
        }
        carry
    }

    /// Takes the values of a line; whether it is a heading. Another value of an outer heading ends what inner ones said, and what
    /// records below it did.
    pub fn take(&mut self, repeats: &Repeats, line: &[u8]) -> bool {
        if repeats.headings().is_empty() {
            return false;
        }
        self.fit(repeats);
        let line = String::from_utf8_lossy(line);
        let values = repeats.headings().values(&line);
        for (level, value) in &values {
            if self.values[*level].as_deref() != Some(value.as_bytes()) {
                self.values[*level] = Some(value.as_bytes().into());
                for inner in &mut self.values[level + 1..] {
                    *inner = Some(Vec::new());
                }
            }
        }
        !values.is_empty()
    }

    /// Takes the values that the record in the machine has in columns whose empty cells take the value above them.
    pub(super) fn take_record(&mut self, repeats: &Repeats, machine: &Machine, text: &[u8]) {
        self.fit(repeats);
        for (place, kept) in self.below.iter().zip(&mut self.values[self.headings..]) {
            if *place >= machine.field_count() {
                continue;
            }
            let field = machine.field(text, *place);
            if !trim(field).0.is_empty() {
                let kept = kept.get_or_insert_default();
                kept.clear();
                kept.extend_from_slice(field);
            }
        }
    }

    /// Makes room for what is carried, where nothing was known of it.
    fn fit(&mut self, repeats: &Repeats) {
        if self.values.len() != repeats.headings().len() + repeats.below().len() {
            *self = Self::unknown(self.width, repeats);
        }
    }

    /// The value of a level (from 0), the columns that are carried down after those of headings; `None`: it is not known, or there is
    /// no such level.
    pub fn value(&self, level: usize) -> Option<&[u8]> {
        self.values.get(level)?.as_deref()
    }

    /// The values of the headings alone.
    pub fn of_headings(&self) -> &[Option<Vec<u8>>] {
        &self.values[..self.headings]
    }

    /// How many levels there are.
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// What holds after a text at whose beginning this held, and at whose end `later`.
    #[must_use]
    pub fn then(&self, later: &Self) -> Self {
        let values =
            later.values.iter().zip(&self.values).map(|(later, own)| later.clone().or_else(|| own.clone()));
        Self { values: values.collect(), ..self.clone() }
    }

    /// The field of a record at `index` (from 0), which is not one of its own, or an empty one.
    pub(super) fn field(&self, index: usize) -> &[u8] {
        if !self.below.is_empty()
            && let Some(slot) = self.below.iter().position(|place| *place == index)
        {
            return self.value(self.headings + slot).unwrap_or_default();
        }
        let level = index.checked_sub(self.width).filter(|level| *level < self.headings);
        level.and_then(|level| self.value(level)).unwrap_or_default()
    }

    /// Whether empty cells of some columns take the value above them.
    #[inline]
    pub(super) fn carries_down(&self) -> bool {
        !self.below.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::Headings;

    fn levels(labels: &[&str]) -> Repeats {
        let labels: Vec<String> = labels.iter().map(|label| (*label).to_owned()).collect();
        Repeats::carrying(Headings::stated(&labels), Vec::new())
    }

    fn carry(texts: &[&str], from: &Carry, headings: &Repeats) -> Carry {
        let mut carry = from.clone();
        for text in texts {
            carry.take(headings, text.as_bytes());
        }
        carry
    }

    #[test]
    fn an_inner_heading_ends_with_the_outer_one() {
        let headings = levels(&["Quay", "Pilot"]);
        let start = Carry::at_first_record(2, &headings, b"Quay: North\nPilot: P-01\n007 12", 2);
        for (lines, expected) in [
            (&[][..], ["North", "P-01"]),
            (&["Pilot: P-02"], ["North", "P-02"]),
            (&["Quay: South"], ["South", ""]),
            // Printed again at the head of a page.
            (&["Quay: North"], ["North", "P-01"]),
            (&["Quay: South", "Pilot: P-03"], ["South", "P-03"]),
        ] {
            let end = carry(lines, &start, &headings);
            assert_eq!(
                [0, 1].map(|n| String::from_utf8_lossy(end.field(n + 2)).into_owned()),
                expected,
                "{lines:?}"
            );
        }
    }

    #[test]
    fn what_is_beyond_the_first_lines_is_not_guessed() {
        let headings = levels(&["Pilot"]);
        for (lines_before, expected) in [(0, ""), (1, "P-01"), (2, "P-02"), (3, "P-02"), (9, "")] {
            let carry =
                Carry::at_first_record(2, &headings, b"Pilot: P-01\nPilot: P-02\n007 12", lines_before);
            assert_eq!(carry.value(0), Some(expected.as_bytes()), "{lines_before}");
        }
    }

    #[test]
    fn texts_are_looked_at_apart_where_there_is_one_level() {
        let headings = levels(&["Pilot"]);
        let (lines, unknown) = (["Pilot: P-02", "007 12", "Pilot: P-03"], Carry::unknown(2, &headings));
        let start = Carry::at_first_record(2, &headings, b"Pilot: P-01", 1);
        for cut in 0..=lines.len() {
            let parts = [&lines[..cut], &lines[cut..]].map(|part| carry(part, &unknown, &headings));
            let whole = carry(&lines, &start, &headings);
            assert_eq!(start.then(&parts[0]).then(&parts[1]).values, whole.values, "cut at {cut}");
        }
    }
}
