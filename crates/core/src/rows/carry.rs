//! Values that headings give to the records below them.

use crate::layout::Headings;

/// The value of each heading where a record is: the outermost first. Nothing is known where a text begins in the middle of a
/// report; whoever goes over the texts in their order fills it in with [`Carry::then`].
///
/// ```
/// use incola_core::layout::Headings;
/// use incola_core::rows::Carry;
/// let headings = Headings::stated(&["Quay".to_owned(), "Pilot".to_owned()]);
/// let mut carry = Carry::unknown(3, &headings);
/// assert!(carry.take(&headings, b"Quay: North") && !carry.take(&headings, b"007  12.50"));
/// assert_eq!((carry.value(0), carry.value(1)), (Some(&b"North"[..]), Some(&b""[..])));
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Carry {
    /// Fields of a record, without these.
    width: usize,
    values: Vec<Option<Box<[u8]>>>,
}

impl Carry {
    /// Nothing is known yet of headings over records of `width` fields.
    pub fn unknown(width: usize, headings: &Headings) -> Self {
        Self { width, values: vec![None; headings.len()] }
    }

    /// What holds for the first record of a source, whose first lines are `head`, so many of them before it. Where it is further on,
    /// nothing does.
    pub fn at_first_record(width: usize, headings: &Headings, head: &[u8], lines_before: u64) -> Self {
        let nothing = Self { width, values: vec![Some(Box::default()); headings.len()] };
        if headings.is_empty() {
            return nothing;
        }
        let mut carry = nothing.clone();
        let mut lines = head.split(|b| *b == b'\n');
        for _ in 0..lines_before {
            let Some(line) = lines.next() else { return nothing };
            carry.take(headings, line);
        }
        carry
    }

    /// Takes the values of a line; whether it is a heading. Another value of an outer heading ends what inner ones said.
    pub fn take(&mut self, headings: &Headings, line: &[u8]) -> bool {
        if headings.is_empty() {
            return false;
        }
        self.values.resize(headings.len(), None);
        let line = String::from_utf8_lossy(line);
        let values = headings.values(&line);
        for (level, value) in &values {
            if self.values[*level].as_deref() != Some(value.as_bytes()) {
                self.values[*level] = Some(value.as_bytes().into());
                for inner in &mut self.values[level + 1..] {
                    *inner = Some(Box::default());
                }
            }
        }
        !values.is_empty()
    }

    /// The value of a level (from 0); `None`: it is not known, or there is no such level.
    pub fn value(&self, level: usize) -> Option<&[u8]> {
        self.values.get(level)?.as_deref()
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
        Self { width: self.width, values: values.collect() }
    }

    /// The field of a record at `index` (from 0), which is not one of its own.
    pub(super) fn field(&self, index: usize) -> &[u8] {
        index.checked_sub(self.width).and_then(|level| self.value(level)).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn carry(texts: &[&str], from: &Carry, headings: &Headings) -> Carry {
        let mut carry = from.clone();
        for text in texts {
            carry.take(headings, text.as_bytes());
        }
        carry
    }

    #[test]
    fn an_inner_heading_ends_with_the_outer_one() {
        let headings = Headings::stated(&["Quay".into(), "Pilot".into()]);
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
        let headings = Headings::stated(&["Pilot".into()]);
        for (lines_before, expected) in [(0, ""), (1, "P-01"), (2, "P-02"), (3, "P-02"), (9, "")] {
            let carry =
                Carry::at_first_record(2, &headings, b"Pilot: P-01\nPilot: P-02\n007 12", lines_before);
            assert_eq!(carry.value(0), Some(expected.as_bytes()), "{lines_before}");
        }
    }

    #[test]
    fn texts_are_looked_at_apart_where_there_is_one_level() {
        let headings = Headings::stated(&["Pilot".into()]);
        let (lines, unknown) = (["Pilot: P-02", "007 12", "Pilot: P-03"], Carry::unknown(2, &headings));
        let start = Carry::at_first_record(2, &headings, b"Pilot: P-01", 1);
        for cut in 0..=lines.len() {
            let parts = [&lines[..cut], &lines[cut..]].map(|part| carry(part, &unknown, &headings));
            let whole = carry(&lines, &start, &headings);
            assert_eq!(start.then(&parts[0]).then(&parts[1]).values, whole.values, "cut at {cut}");
        }
    }
}
