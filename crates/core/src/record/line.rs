//! Lines as a machine meets them: where they end, and those that are blank or drawn.

use super::delimited::{FieldEnd, Machine, NO_BYTE, Step};
use super::dialect::Division;
use memchr::memchr2;

impl Machine {
    /// Whether the line at `from` holds nothing but blanks; `None`: cannot be told yet. A blank that is the delimiter
    /// makes fields, unless runs of it count as one.
    pub(super) fn blank_line(&self, text: &[u8], from: usize, last: bool) -> Option<bool> {
        let mut at = from;
        loop {
            match text.get(at) {
                None => return last.then_some(true),
                Some(b'\n') => return Some(true),
                Some(b'\r') => match text.get(at + 1) {
                    None if !last => return None,
                    Some(b'\n') | None => return Some(true),
                    Some(_) if self.dialect.lone_cr_ends_line => return Some(true),
                    Some(_) => {}
                },
                Some(&b)
                    if b == self.first
                        && self.dialect.division == Division::Delimited
                        && !(self.dialect.runs_as_one && self.blank_delimited) =>
                {
                    return Some(false);
                }
                Some(b' ' | b'\t' | 0x0C | 0x1A) => {}
                Some(_) => return Some(false),
            }
            at += 1;
        }
    }

    /// Whether the line at `from` is drawn: marks three times in a row, in each field that is not blank; beside two such fields
    /// also fewer marks of the same sort, below a narrow column. `None`: cannot be told yet. Where lines are not divided, it is a
    /// value like any other.
    pub(super) fn rule_line(&self, text: &[u8], from: usize, last: bool) -> Option<bool> {
        if self.first == NO_BYTE && self.dialect.division == Division::Delimited {
            return Some(false);
        }
        let (mut run, mut before, mut longest, mut inside) = (0, 0, 0, false);
        // Fields of three marks and more, and shorter ones; the mark, and whether there is no other.
        let (mut long, mut short, mut mark, mut alike) = (0, 0, 0, true);
        let mut at = from;
        loop {
            let byte = match text.get(at) {
                None if !last => return None,
                None => b'\n',
                Some(b'\n' | b'\r') => match self.line_end_at(text, at, last) {
                    FieldEnd::Line(..) => b'\n',
                    FieldEnd::Delimiter(_) => return Some(false),
                    FieldEnd::NeedMore => return None,
                },
                Some(&b) => b,
            };
            if byte >= 0x80 && !last && text.len() - at < 3 {
                return None;
            }
            // A delimiter that is drawn too begins as the others do.
            let is_drawn = byte >= 0x80 && is_drawn(&text[at..]);
            if (byte == self.first && !is_drawn) || byte == b'\n' || byte == b' ' {
                long += usize::from(inside && longest >= 3);
                short += usize::from(inside && longest < 3);
                if byte == b'\n' {
                    return Some(long > 0 && (short == 0 || (long > 1 && alike)));
                }
                (run, longest, inside) = (0, 0, false);
            } else if is_drawn || is_rule_mark(byte) {
                run =
                    if run > 0 && (byte == before || (byte >= 0x80 && before >= 0x80)) { run + 1 } else { 1 };
                longest = longest.max(run);
                inside = true;
                alike &= byte < 0x80 && (mark == 0 || mark == byte);
                mark = byte;
            } else {
                return Some(false);
            }
            before = byte;
            at += if byte >= 0x80 { 3 } else { 1 };
        }
    }

    pub(super) fn whole_line(&mut self, text: &[u8], last: bool, step: Step) -> Step {
        let mut at = self.start;
        loop {
            match self.line_end(text, at, last) {
                FieldEnd::Line(end, next) => {
                    self.end = end;
                    self.next = next;
                    return step;
                }
                FieldEnd::Delimiter(after) => at = after,
                FieldEnd::NeedMore => return Step::NeedMore,
            }
        }
    }

    /// The next line end at or after `at`; `Delimiter` here only means: a carriage return that ends no line.
    pub(super) fn line_end(&self, text: &[u8], at: usize, last: bool) -> FieldEnd {
        match memchr2(b'\n', b'\r', &text[at..]) {
            None if last => FieldEnd::Line(text.len(), text.len()),
            None => FieldEnd::NeedMore,
            Some(found) => self.line_end_at(text, at + found, last),
        }
    }

    /// What the line feed or carriage return at `at` means.
    #[inline]
    pub(super) fn line_end_at(&self, text: &[u8], at: usize, last: bool) -> FieldEnd {
        if text[at] == b'\n' {
            return FieldEnd::Line(at, at + 1);
        }
        match text.get(at + 1) {
            Some(b'\n') => FieldEnd::Line(at, at + 2),
            None if !last => FieldEnd::NeedMore,
            None => FieldEnd::Line(at, at + 1),
            Some(_) if self.dialect.lone_cr_ends_line => FieldEnd::Line(at, at + 1),
            // A line end that was turned into CRLF twice.
            Some(b'\r') => match text.get(at + 2) {
                Some(b'\n') => FieldEnd::Line(at, at + 3),
                None if !last => FieldEnd::NeedMore,
                _ => FieldEnd::Delimiter(at + 1),
            },
            Some(_) => FieldEnd::Delimiter(at + 1),
        }
    }
}

/// A mark that lines are drawn with.
#[inline]
pub(super) fn is_rule_mark(byte: u8) -> bool {
    matches!(byte, b'-' | b'=' | b'_' | b'~' | b'*' | b'#' | b'+' | b'|')
}

/// The byte that box-drawing characters begin with in UTF-8, as some others do.
pub(super) const FIRST_OF_DRAWN: u8 = 0xE2;

/// Whether the text begins with a box-drawing character (Unicode, block 2500 to 257F).
fn is_drawn(text: &[u8]) -> bool {
    matches!(text, [FIRST_OF_DRAWN, 0x94 | 0x95, _, ..])
}
