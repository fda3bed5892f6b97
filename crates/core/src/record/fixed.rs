//! Records whose fields stand at fixed positions of a line.
//!
//! Positions are counted in characters or in bytes of the source. A field ends where the next one starts; blanks behind its
//! value belong to the layout, blanks in front of it are handed on, for they tell how the column is aligned. A line that
//! ends early has fewer fields.

use super::delimited::{Field, FieldEnd, Machine, Step};
use super::{Division, Multiline};

/// What positions count.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Characters.
    #[default]
    Characters,
    /// Bytes of a source in UTF-8.
    Bytes,
    /// Bytes of a source in which characters outside ASCII have two, but half-width kana one (Shift_JIS and its like).
    DoubleBytes,
}

impl Unit {
    /// How many of them a character takes.
    pub fn of(self, c: char) -> usize {
        match self {
            Self::Characters => 1,
            Self::Bytes => c.len_utf8(),
            Self::DoubleBytes => 2 - usize::from(c.is_ascii() || ('\u{ff61}'..='\u{ff9f}').contains(&c)),
        }
    }
}

/// Where the columns of a fixed layout start.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Fixed {
    /// Positions from 0, in rising order; the first column's too.
    pub starts: Vec<usize>,
    /// What they count.
    pub unit: Unit,
}

impl Fixed {
    /// Byte ranges of the fields in `line`, blanks behind them left out, handed to `each`.
    ///
    /// ```
    /// use incola_core::record::Fixed;
    /// let fixed = Fixed { starts: vec![0, 4, 9], ..Fixed::default() };
    /// let line = "007 Möwe   12.5".as_bytes();
    /// let mut fields = Vec::new();
    /// fixed.fields(line, |range| fields.push(String::from_utf8_lossy(&line[range]).into_owned()));
    /// assert_eq!(fields, ["007", "Möwe", "  12.5"]);
    /// ```
    pub fn fields(&self, line: &[u8], mut each: impl FnMut(std::ops::Range<usize>)) {
        let mut one = |from: usize, to: usize| {
            let blanks =
                line[from..to].iter().rev().take_while(|b| matches!(b, b' ' | b'\t' | b'\r')).count();
            each(from..to - blanks);
        };
        if line.is_ascii() {
            for (i, &start) in self.starts.iter().enumerate() {
                if start >= line.len() && i > 0 {
                    return;
                }
                let end = self.starts.get(i + 1).map_or(line.len(), |next| (*next).min(line.len()));
                one(start.min(line.len()), end.max(start.min(line.len())));
            }
            return;
        }
        // Walks along the characters once; a start inside a character moves behind it.
        let text = String::from_utf8_lossy(line);
        let mut position = 0;
        let mut starts = self.starts.iter().peekable();
        let mut from = None;
        for (at, c) in text.char_indices() {
            while starts.peek().is_some_and(|start| **start <= position) {
                starts.next();
                if let Some(from) = from.replace(at) {
                    one(from, at);
                }
            }
            position += self.unit.of(c);
        }
        one(from.unwrap_or(0), line.len());
    }
}

impl Machine {
    /// The line that starts at the machine's place, cut at the starts.
    pub(super) fn fixed_record(&mut self, text: &[u8], last: bool) -> Step {
        let Some((end, next)) = self.whole_line_at(text, self.start, last) else { return Step::NeedMore };
        let Division::Fixed(fixed) = &self.dialect.division else { return Step::End };
        let fields = &mut self.fields;
        fixed.fields(&text[self.start..end], |range| {
            fields.push(Field {
                start: range.start as u32,
                end: range.end as u32,
                unescaped: false,
                quoted: false,
            });
        });
        self.end = end;
        self.next = next;
        Step::Record
    }

    /// Whether field `place` (from 0) of a fixed record begins with a character right behind one of the field before it, as
    /// where a start stands inside a value: `Some(true)` if both are letters, or digits, `None` if one is blank.
    pub fn crossing(&self, text: &[u8], place: usize) -> Option<bool> {
        let (before, own) = (self.fields.get(place.checked_sub(1)?)?, self.fields.get(place)?);
        if before.end != own.start || before.start == before.end || own.start == own.end {
            return None;
        }
        let at = self.start + own.start as usize;
        let (left, right) = (*text.get(at.checked_sub(1)?)?, *text.get(at)?);
        let sort = |b: u8| if b >= 0x80 { b'A' } else { super::LineShape::sort(b) };
        (right != b' ').then(|| sort(left) == sort(right))
    }

    /// End of the line at `from` and start of the next one; `None`: the text does not say.
    pub(super) fn whole_line_at(&self, text: &[u8], from: usize, last: bool) -> Option<(usize, usize)> {
        let mut at = from;
        loop {
            match self.line_end(text, at, last) {
                FieldEnd::Line(end, next) => return Some((end, next)),
                FieldEnd::Delimiter(after) => at = after,
                FieldEnd::NeedMore => return None,
            }
        }
    }
}

impl Division {
    /// The starts, if the division is a fixed one.
    pub fn fixed(&self) -> Option<&Fixed> {
        match self {
            Self::Fixed(fixed) => Some(fixed),
            _ => None,
        }
    }

    /// Lines of a record at the most; 1, but for records of several lines. Those without a fixed number count as 1.
    pub fn lines_per_record(&self) -> u64 {
        match self {
            Self::Multiline(Multiline::Cycle { lines, .. }) => lines.len() as u64,
            _ => 1,
        }
    }

    /// The lines of a record, if it has several.
    pub fn multiline(&self) -> Option<&Multiline> {
        match self {
            Self::Multiline(multiline) => Some(multiline),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Dialect, Machine};
    use super::*;

    fn read(text: &str, starts: &[usize], unit: Unit) -> Vec<Vec<String>> {
        let dialect = Dialect {
            division: Division::Fixed(Fixed { starts: starts.to_vec(), unit }),
            ..Dialect::new("")
        };
        let mut machine = Machine::new(&dialect);
        let mut records = Vec::new();
        let mut at = 0;
        while machine.step(text.as_bytes(), at, true) != Step::End {
            if machine.field_count() > 0 {
                let fields = machine.fields(text.as_bytes());
                records.push(fields.map(|f| String::from_utf8_lossy(f).into_owned()).collect());
            }
            at = machine.next_start();
        }
        records
    }

    #[test]
    fn lines_are_cut_at_their_starts() {
        let text = "007 Saltwind   12.50\n\n008 Möwe\n009 Grey Heron  3.00  \n";
        assert_eq!(
            read(text, &[0, 4, 15], Unit::Characters),
            [vec!["007", "Saltwind", "12.50"], vec!["008", "Möwe"], vec!["009", "Grey Heron", " 3.00"]]
        );
    }

    #[test]
    fn widths_in_bytes_count_bytes_of_the_source() {
        assert_eq!(read("Möwe 12\n", &[0, 6], Unit::Bytes), [["Möwe", "12"]]);
        assert_eq!(read("北埠頭ｱ12\n", &[0, 7], Unit::DoubleBytes), [["北埠頭ｱ", "12"]]);
    }
}
