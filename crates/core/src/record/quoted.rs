//! Fields in quotes (RFC 4180, section 2): where they end, and what quotes inside mean. Where quotes are not doubled, a backslash
//! in front of a quote or of another backslash is left out, and what it stands before is a character.

use super::delimited::{Field, FieldEnd, Machine, QUOTE_REACH};
use memchr::{memchr2, memchr3};

/// What stands in front of a quote that is a character, where quotes are not doubled.
pub(crate) const BACKSLASH: u8 = b'\\';

/// Whether what stands behind this text is escaped by the backslash that ends it.
pub(super) fn is_escaped(before: &[u8]) -> bool {
    before.iter().rev().take_while(|b| **b == BACKSLASH).count() % 2 == 1
}

impl Machine {
    /// Reads a quoted field: `start` is where the field starts, `open` where its quote stands.
    pub(super) fn quoted_field(
        &mut self,
        text: &[u8],
        start: usize,
        open: usize,
        quote: u8,
        last: bool,
    ) -> FieldEnd {
        let reach = text.len().min(open + 1 + QUOTE_REACH);
        let bounded = reach < text.len() || last;
        let mut copied_from = open + 1; // what follows is not in the scratch buffer yet
        let scratch_start = self.scratch.len();
        let mut pairs = false;
        let mut strays = 0;
        let mut look = open + 1;
        // One that no field holds where nothing is escaped.
        let escape = if self.dialect.doubles_quotes { quote } else { BACKSLASH };
        loop {
            let Some(found) = memchr2(quote, escape, &text[look.min(reach)..reach]) else {
                if !bounded {
                    return FieldEnd::NeedMore;
                }
                self.scratch.truncate(scratch_start);
                self.oddities.unclosed_quotes += 1;
                return self.plain_field(text, start, last);
            };
            let at = look + found;
            let after = at + 1;
            if text[at] != quote {
                match text.get(after) {
                    None if !last => return FieldEnd::NeedMore,
                    Some(&b) if b == quote || b == BACKSLASH => {
                        pairs = true;
                        self.scratch.extend_from_slice(&text[copied_from..at]);
                        copied_from = after;
                        look = after + 1;
                    }
                    _ => look = after,
                }
                continue;
            }
            match text.get(after) {
                None if !last => return FieldEnd::NeedMore,
                Some(&b) if b == quote => {
                    pairs = true;
                    self.scratch.extend_from_slice(&text[copied_from..after]);
                    copied_from = after + 1;
                    look = after + 1;
                    continue;
                }
                _ => {}
            }
            match self.after_quote(text, after, last) {
                Some(FieldEnd::NeedMore) => return FieldEnd::NeedMore,
                Some(ended) => {
                    self.count_lines(&text[open..at]);
                    self.oddities.stray_quotes += strays;
                    if pairs {
                        self.scratch.extend_from_slice(&text[copied_from..at]);
                        self.fields.push(Field {
                            start: scratch_start as u32,
                            end: self.scratch.len() as u32,
                            unescaped: true,
                            quoted: true,
                        });
                    } else {
                        self.push(open + 1, at);
                        if let Some(field) = self.fields.last_mut() {
                            field.quoted = true;
                        }
                    }
                    return ended;
                }
                None => match self.stray_is_inner(text, after, quote, last) {
                    Some(true) => {
                        strays += 1;
                        look = after;
                    }
                    Some(false) => {
                        self.scratch.truncate(scratch_start);
                        self.oddities.stray_quotes += 1;
                        return self.plain_field(text, start, last);
                    }
                    None => return FieldEnd::NeedMore,
                },
            }
        }
    }

    /// What stands after a quote: the end of the field, or (`None`) something that makes the quote a stray one.
    pub(super) fn after_quote(&self, text: &[u8], after: usize, last: bool) -> Option<FieldEnd> {
        let mut at = after;
        loop {
            let Some(&byte) = text.get(at) else {
                return Some(if last { FieldEnd::Line(text.len(), text.len()) } else { FieldEnd::NeedMore });
            };
            if byte == self.second {
                return Some(FieldEnd::Delimiter(at + 1));
            }
            if byte == self.first {
                if text[at..].starts_with(&self.dialect.delimiter) {
                    return Some(FieldEnd::Delimiter(at + self.dialect.delimiter.len()));
                }
                if !last && self.dialect.delimiter.starts_with(&text[at..]) {
                    return Some(FieldEnd::NeedMore);
                }
            }
            match byte {
                b'\n' | b'\r' => match self.line_end_at(text, at, last) {
                    FieldEnd::Delimiter(_) => return None,
                    ended => return Some(ended),
                },
                b' ' | b'\t' => at += 1,
                _ => return None,
            }
        }
    }

    /// Whether the stray quote before `after` belongs inside its field: a later quote of the same line closes the field
    /// and is not itself the opening one of another field. `None`: the line's end is not in the text.
    pub(super) fn stray_is_inner(&self, text: &[u8], after: usize, quote: u8, last: bool) -> Option<bool> {
        let mut look = after;
        loop {
            let found = match memchr3(quote, b'\n', b'\r', &text[look..]) {
                None => return last.then_some(false),
                Some(found) => look + found,
            };
            if text[found] != quote {
                match self.line_end_at(text, found, last) {
                    FieldEnd::Delimiter(next) => {
                        look = next;
                        continue;
                    }
                    FieldEnd::NeedMore => return None,
                    FieldEnd::Line(..) => return Some(false),
                }
            }
            if !self.dialect.doubles_quotes && is_escaped(&text[after..found]) {
                look = found + 1;
                continue;
            }
            let divided =
                text[..found].ends_with(&self.dialect.delimiter) && !self.dialect.delimiter.is_empty();
            if divided || text[found - 1] == self.second {
                return Some(false);
            }
            match text.get(found + 1) {
                None if !last => return None,
                Some(&b) if b == quote => {
                    look = found + 2;
                    continue;
                }
                _ => {}
            }
            match self.after_quote(text, found + 1, last) {
                Some(FieldEnd::NeedMore) => return None,
                Some(_) => return Some(true),
                None => look = found + 1,
            }
        }
    }

    /// Adds the line ends inside a quoted field to the record's lines.
    pub(super) fn count_lines(&mut self, inside: &[u8]) {
        let mut look = 0;
        while let Some(found) = memchr2(b'\n', b'\r', &inside[look..]) {
            let at = look + found;
            look = at + 1;
            if inside[at] == b'\r' {
                if inside.get(look) == Some(&b'\n') {
                    look += 1;
                } else if !self.dialect.lone_cr_ends_line {
                    continue;
                }
            }
            self.lines += 1;
        }
    }
}
