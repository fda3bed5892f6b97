//! Lines by places: what stands where, in the unit that starts count.

use crate::record::Unit;

/// What stands at a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Class {
    Blank,
    Digit,
    Letter,
    Mark,
}

/// A line whose characters are found by their places.
#[derive(Clone, Debug)]
pub(in crate::layout) struct Placed {
    text: String,
    classes: Vec<Class>,
    /// Where the character at each place starts in the text; none if each place is one byte.
    offsets: Option<Vec<u32>>,
}

impl Placed {
    /// Lays out a line. Tabs count as one blank.
    pub(in crate::layout) fn new(line: &[u8], unit: Unit) -> Self {
        let text = String::from_utf8_lossy(line).trim_end().replace('\t', " ");
        let class = |c: char| match c {
            ' ' | '\u{3000}' | '\u{a0}' => Class::Blank,
            '0'..='9' => Class::Digit,
            c if c.is_alphabetic() => Class::Letter,
            _ => Class::Mark,
        };
        if text.is_ascii() {
            let classes = text.chars().map(class).collect();
            return Self { text, classes, offsets: None };
        }
        let (mut classes, mut offsets) = (Vec::new(), Vec::new());
        for (at, c) in text.char_indices() {
            for place in 0..unit.of(c) {
                classes.push(class(c));
                // Places inside a character belong to its end.
                offsets.push(if place == 0 { at } else { at + c.len_utf8() } as u32);
            }
        }
        Self { text, classes, offsets: Some(offsets) }
    }

    /// Places that the line takes.
    pub(in crate::layout) fn len(&self) -> usize {
        self.classes.len()
    }

    /// What stands at a place; blanks behind the end.
    pub(super) fn class(&self, place: usize) -> Class {
        self.classes.get(place).copied().unwrap_or(Class::Blank)
    }

    pub(super) fn is_filled(&self, place: usize) -> bool {
        self.class(place) != Class::Blank
    }

    /// The text between two places; `to` is left out.
    pub(in crate::layout) fn slice(&self, from: usize, to: usize) -> &str {
        let byte = |place: usize| match &self.offsets {
            None => place.min(self.text.len()),
            Some(offsets) => offsets.get(place).map_or(self.text.len(), |at| *at as usize),
        };
        &self.text[byte(from)..byte(to.max(from))]
    }

    /// The whole text.
    pub(in crate::layout) fn text(&self) -> &str {
        &self.text
    }

    /// First place with a character from `from` on and before `to`, and the place behind the last one.
    pub(super) fn extent(&self, from: usize, to: usize) -> Option<(usize, usize)> {
        let to = to.min(self.len());
        let first = (from..to).find(|p| self.is_filled(*p))?;
        let last = (from..to).rev().find(|p| self.is_filled(*p))?;
        Some((first, last + 1))
    }

    /// Whether a start would have a character on both sides.
    pub(super) fn is_crossed(&self, start: usize) -> bool {
        start > 0 && self.is_filled(start) && self.is_filled(start - 1)
    }

    /// Whether a word begins at a place without a blank before it: a capital behind a small letter.
    pub(in crate::layout) fn begins_word(&self, place: usize) -> bool {
        let at = |place: usize| self.slice(place, place + 1).chars().next();
        at(place).is_some_and(char::is_uppercase) && at(place - 1).is_some_and(char::is_lowercase)
    }

    /// Whether a start stands inside a value.
    pub(in crate::layout) fn crosses(&self, start: usize) -> bool {
        self.is_crossed(start)
    }

    /// Runs of characters with two blanks or more between them.
    pub(in crate::layout) fn phrases(&self) -> usize {
        self.runs(true).len()
    }

    /// Runs of characters between blanks, as places. `phrases`: one blank does not end a run.
    pub(super) fn runs(&self, phrases: bool) -> Vec<(usize, usize)> {
        let mut runs: Vec<(usize, usize)> = Vec::new();
        let mut from = None;
        for place in 0..=self.len() {
            match (self.is_filled(place), from) {
                (true, None) => from = Some(place),
                (false, Some(start)) => {
                    from = None;
                    match runs.last_mut().filter(|last| phrases && last.1 + 1 == start) {
                        Some(last) => last.1 = place,
                        None => runs.push((start, place)),
                    }
                }
                _ => {}
            }
        }
        runs
    }

    /// Whether the line is drawn with marks.
    pub(super) fn is_rule(&self) -> bool {
        let chars: Vec<char> = self.text.chars().collect();
        crate::layout::fixed::is_rule(&chars)
    }

    /// Whether two blanks stand inside the text between two places.
    pub(super) fn is_wide_inside(&self, from: usize, to: usize) -> bool {
        let Some((first, last)) = self.extent(from, to) else { return false };
        (first..last.saturating_sub(1)).any(|p| !self.is_filled(p) && !self.is_filled(p + 1))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_count_what_the_unit_says() {
        let line = "007 Möwe  12".as_bytes();
        let placed = Placed::new(line, Unit::Characters);
        assert_eq!((placed.len(), placed.slice(4, 8)), (12, "Möwe"));
        let placed = Placed::new(line, Unit::Bytes);
        assert_eq!((placed.len(), placed.slice(4, 9), placed.slice(11, 13)), (13, "Möwe", "12"));
        let placed = Placed::new("北埠頭 12".as_bytes(), Unit::DoubleBytes);
        assert_eq!((placed.len(), placed.slice(0, 6), placed.slice(7, 9)), (9, "北埠頭", "12"));
        assert_eq!(placed.runs(false), [(0, 6), (7, 9)]);
    }
}
