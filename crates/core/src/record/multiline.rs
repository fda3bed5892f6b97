//! Records of several lines.
//!
//! Three sorts occur: a fixed number of lines with parts at known places ([`Multiline::Cycle`]), lines with a label before each
//! value ([`Multiline::Labelled`]), and lines that are continued below with their first columns blank
//! ([`Multiline::Continued`]). A blank line ends a record of any sort.
//!
//! A broken cycle shifts nothing, where the first line of a record can be told by its shape: a record that lacks a line ends
//! before the next first line, and a line too many, which no record starts with, is a [`Step::Stray`].

use super::Division;
use super::delimited::{Field, Machine, Step};
use super::fixed::Fixed;

/// How the lines of a record are divided.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Multiline {
    /// So many lines, each with parts of its own.
    Cycle {
        /// One for each line of a record.
        lines: Vec<LineParts>,
        /// What the first line of each record looks like, and no other one: a record starts only there. `None`: every so
        /// many lines.
        first: Option<LineShape>,
    },
    /// `Label: value` lines; a line that begins with a blank continues the value above.
    Labelled {
        /// The labels in the order of the columns.
        labels: Vec<Vec<u8>>,
        /// Whether the first of them begins a record, whatever stands before it: no blank line is needed.
        begins: bool,
    },
    /// Fixed columns; a line whose first column is blank continues the record above.
    Continued(Fixed),
}

impl Multiline {
    /// Fields of a whole record.
    pub fn width(&self) -> usize {
        match self {
            Self::Cycle { lines, .. } => lines.iter().map(LineParts::count).sum(),
            Self::Labelled { labels, .. } => labels.len(),
            Self::Continued(fixed) => fixed.starts.len(),
        }
    }
}

/// What one line of a record holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LineParts {
    /// Fields at fixed positions.
    Fixed(Fixed),
    /// So many fields between delimiters.
    Delimited {
        /// What stands between two fields.
        delimiter: Vec<u8>,
        /// How many there are.
        fields: usize,
    },
}

/// What the first line of a record looks like: the characters at its first places, or their sort.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LineShape {
    /// `9` for a digit, `A` for a letter, a blank for a blank, other characters for themselves.
    pub start: Vec<u8>,
    /// Whether these are the very characters, as in record types.
    pub is_literal: bool,
}

impl LineShape {
    /// The sort of a byte.
    pub fn sort(byte: u8) -> u8 {
        match byte {
            b'0'..=b'9' => b'9',
            b if b.is_ascii_alphabetic() || b >= 0x80 => b'A',
            b'\t' => b' ',
            b => b,
        }
    }

    /// Whether `line` begins this way.
    pub fn fits(&self, line: &[u8]) -> bool {
        if self.is_literal {
            return line.starts_with(&self.start);
        }
        line.len() >= self.start.len() && line.iter().zip(&self.start).all(|(b, s)| Self::sort(*b) == *s)
    }
}

impl LineParts {
    /// Hands the ranges of the line's fields to `each`; fewer than [`count`](Self::count) if the line ends early.
    pub(crate) fn fields(&self, line: &[u8], mut each: impl FnMut(std::ops::Range<usize>)) {
        match self {
            Self::Fixed(fixed) => fixed.fields(line, each),
            Self::Delimited { delimiter, fields } => {
                let mut from = 0;
                for _ in 1..*fields {
                    let Some(found) = memchr::memmem::find(&line[from..], delimiter) else { break };
                    each(from..from + found);
                    from += found + delimiter.len();
                }
                each(from..line.len());
            }
        }
    }

    /// How many fields the line has.
    pub fn count(&self) -> usize {
        match self {
            Self::Fixed(fixed) => fixed.starts.len(),
            Self::Delimited { fields, .. } => *fields,
        }
    }
}

/// Whether a line is drawn with one mark: `----------`.
pub(crate) fn is_drawn(line: &[u8]) -> bool {
    let line = line.trim_ascii();
    line.len() >= 3
        && matches!(line[0], b'-' | b'=' | b'_' | b'~' | b'*' | b'#' | b'+')
        && line.iter().all(|b| *b == line[0])
}

fn is_blank(line: &[u8]) -> bool {
    line.iter().all(|b| matches!(b, b' ' | b'\t' | b'\r' | 0x0C))
}

impl Machine {
    /// The lines of one record.
    pub(super) fn multiline_record(&mut self, text: &[u8], last: bool) -> Step {
        // Lent for the step: nothing below asks the dialect what divides it, and no record pays for a copy.
        let division = std::mem::take(&mut self.dialect.division);
        let step = match &division {
            Division::Multiline(Multiline::Cycle { lines, first }) => {
                self.cycle(text, last, lines, first.as_ref())
            }
            Division::Multiline(Multiline::Labelled { labels, begins }) => {
                self.labelled(text, last, labels, *begins)
            }
            Division::Multiline(Multiline::Continued(fixed)) => self.continued(text, last, fixed),
            _ => Step::End,
        };
        self.dialect.division = division;
        step
    }

    /// A record of a fixed number of lines.
    fn cycle(&mut self, text: &[u8], last: bool, lines: &[LineParts], first: Option<&LineShape>) -> Step {
        let starts_here = |line: &[u8]| first.is_none_or(|shape| shape.fits(line));
        let mut at = self.start;
        for (seen, parts) in lines.iter().enumerate() {
            if at >= text.len() {
                if !last {
                    return Step::NeedMore;
                }
                break;
            }
            let Some((end, next)) = self.whole_line_at(text, at, last) else { return Step::NeedMore };
            let line = &text[at..end];
            if seen == 0 && !starts_here(line) {
                self.end = end;
                self.next = next;
                return Step::Stray;
            }
            if seen > 0 && (self.divides_records(line) || (first.is_some() && starts_here(line))) {
                break;
            }
            let due = self.fields.len() + parts.count();
            let fields = &mut self.fields;
            let offset = at - self.start;
            parts.fields(line, |range| {
                fields.push(Field {
                    start: (offset + range.start) as u32,
                    end: (offset + range.end) as u32,
                    unescaped: false,
                    quoted: false,
                });
            });
            // A line that ends early has blank fields, so that those of the next one stay in their columns.
            while self.fields.len() < due {
                self.push(end, end);
            }
            self.lines = seen as u32 + 1;
            self.end = end;
            self.next = next;
            at = next;
        }
        Step::Record
    }

    /// Whether a line stands between two records: blank, drawn, or one that the dialect says.
    fn divides_records(&self, line: &[u8]) -> bool {
        is_blank(line) || is_drawn(line) || self.dialect.separators.iter().any(|s| s == line.trim_ascii())
    }

    fn labelled(&mut self, text: &[u8], last: bool, labels: &[Vec<u8>], begins: bool) -> Step {
        let mut values: Vec<Vec<u8>> = vec![Vec::new(); labels.len()];
        let mut current = None;
        let mut at = self.start;
        let mut lines = 0;
        let mut others = Vec::new();
        loop {
            if at >= text.len() {
                if !last {
                    return Step::NeedMore;
                }
                break;
            }
            let Some((end, next)) = self.whole_line_at(text, at, last) else { return Step::NeedMore };
            let line = &text[at..end];
            if lines > 0 && self.divides_records(line) {
                break;
            }
            let is_first = begins
                && labels.first().is_some_and(|first| first.eq_ignore_ascii_case(split_label(line).0))
                && split_label(line).0.len() < line.len();
            if is_first && lines > 0 {
                break;
            }
            if begins && !is_first && lines == 0 {
                self.end = end;
                self.next = next;
                return Step::Stray;
            }
            let continued = matches!(line[0], b' ' | b'\t');
            if continued && current.is_some() {
                if let Some(value) = current.map(|c: usize| &mut values[c]) {
                    value.push(b'\n');
                    value.extend_from_slice(line.trim_ascii());
                }
            } else {
                let (label, value) = split_label(line);
                current = labels.iter().position(|l| l.eq_ignore_ascii_case(label));
                // A label that the layout does not know: the line is kept whole behind the last column.
                let (place, part) = match current {
                    Some(column) => (&mut values[column], value),
                    None => (&mut others, line),
                };
                if !place.is_empty() {
                    place.push(b'\n');
                }
                place.extend_from_slice(part);
            }
            lines += 1;
            self.end = end;
            self.next = next;
            at = next;
        }
        if !others.is_empty() {
            values.push(others);
        }
        for value in values {
            self.push_scratch(&value);
        }
        self.lines = lines.max(1);
        Step::Record
    }

    fn push_scratch(&mut self, value: &[u8]) {
        let start = self.scratch.len() as u32;
        self.scratch.extend_from_slice(value);
        self.fields.push(Field { start, end: self.scratch.len() as u32, unescaped: true, quoted: false });
    }

    fn continued(&mut self, text: &[u8], last: bool, fixed: &Fixed) -> Step {
        let mut values: Vec<Vec<u8>> = vec![Vec::new(); fixed.starts.len()];
        let mut at = self.start;
        let mut lines = 0;
        loop {
            if at >= text.len() {
                if !last {
                    return Step::NeedMore;
                }
                break;
            }
            let Some((end, next)) = self.whole_line_at(text, at, last) else { return Step::NeedMore };
            let line = &text[at..end];
            let mut ranges = Vec::new();
            fixed.fields(line, |range| ranges.push(range));
            let filled = ranges.first().is_some_and(|r| !is_blank(&line[r.clone()]));
            if lines > 0 && (filled || is_blank(line)) {
                break;
            }
            for (value, range) in values.iter_mut().zip(ranges) {
                let part = line[range].trim_ascii();
                if !part.is_empty() {
                    if !value.is_empty() {
                        value.push(b'\n');
                    }
                    value.extend_from_slice(part);
                }
            }
            lines += 1;
            self.end = end;
            self.next = next;
            at = next;
        }
        for value in values {
            self.push_scratch(&value);
        }
        self.lines = lines.max(1);
        Step::Record
    }
}

/// Dots that lead the eye from a label to its value, at least.
const LEADER: &[u8] = b"...";

/// The label of a line and its value: at the first colon or equals sign, or where dots lead from one to the other, or the whole line as
/// a label.
pub(crate) fn split_label(line: &[u8]) -> (&[u8], &[u8]) {
    let mark = memchr::memchr2(b':', b'=', line);
    let dots = memchr::memmem::find(line, LEADER).filter(|at| *at > 0 && mark.is_none_or(|mark| *at < mark));
    if let Some(from) = dots {
        let value =
            line[from..].iter().position(|b| *b != b'.').map_or(&line[line.len()..], |at| &line[from + at..]);
        let value = value.trim_ascii_start();
        let behind = value.strip_prefix(b":").or_else(|| value.strip_prefix(b"="));
        return (line[..from].trim_ascii(), behind.unwrap_or(value).trim_ascii());
    }
    match mark {
        Some(at) => (line[..at].trim_ascii(), line[at + 1..].trim_ascii()),
        None => (line.trim_ascii(), &[]),
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Dialect, Machine};
    use super::*;

    fn read(text: &str, division: Multiline) -> Vec<(Step, Vec<String>)> {
        let dialect = Dialect { division: Division::Multiline(division), ..Dialect::new("") };
        let mut machine = Machine::new(&dialect);
        let mut steps = Vec::new();
        let mut at = 0;
        loop {
            let step = machine.step(text.as_bytes(), at, true);
            if step == Step::End {
                return steps;
            }
            if step != Step::Blank {
                let fields = machine.fields(text.as_bytes());
                steps.push((step, fields.map(|f| String::from_utf8_lossy(f).into_owned()).collect()));
            }
            at = machine.next_start();
        }
    }

    fn owned<const N: usize>(steps: [(Step, Vec<&str>); N]) -> Vec<(Step, Vec<String>)> {
        steps
            .into_iter()
            .map(|(step, fields)| (step, fields.into_iter().map(String::from).collect()))
            .collect()
    }

    fn fixed(starts: &[usize]) -> LineParts {
        LineParts::Fixed(Fixed { starts: starts.to_vec(), ..Fixed::default() })
    }

    #[test]
    fn a_broken_cycle_does_not_shift_the_rest() {
        let division = Multiline::Cycle {
            lines: vec![fixed(&[0, 4]), fixed(&[0])],
            first: Some(LineShape { start: b"999".to_vec(), is_literal: false }),
        };
        let text = "007 Saltwind
fish
008 Heron
009 Quill
grain
and more
010 Finch
oil
";
        let expected = [
            (Step::Record, vec!["007", "Saltwind", "fish"]),
            (Step::Record, vec!["008", "Heron"]),
            (Step::Record, vec!["009", "Quill", "grain"]),
            (Step::Stray, vec![]),
            (Step::Record, vec!["010", "Finch", "oil"]),
        ];
        assert_eq!(read(text, division), owned(expected));
    }

    #[test]
    fn labels_end_at_a_mark_or_where_dots_lead() {
        for (line, label, value) in [
            ("Vessel: Grey Heron", "Vessel", "Grey Heron"),
            ("Dues = 12.5", "Dues", "12.5"),
            ("Vessel ......... Grey Heron", "Vessel", "Grey Heron"),
            ("Arrived........: 09:30", "Arrived", "09:30"),
            ("Due at ... 12:30", "Due at", "12:30"),
            ("Note: later ... or never", "Note", "later ... or never"),
            ("Berth ....", "Berth", ""),
            ("... and so on", "... and so on", ""),
            ("no label at all", "no label at all", ""),
        ] {
            let (own_label, own_value) = split_label(line.as_bytes());
            assert_eq!((own_label, own_value), (label.as_bytes(), value.as_bytes()), "{line}");
        }
    }

    #[test]
    fn labels_name_the_columns_and_blanks_continue_a_value() {
        let division =
            Multiline::Labelled { labels: vec![b"Vessel".to_vec(), b"Note".to_vec()], begins: false };
        let text = "Vessel: Saltwind
Note: lies
 at berth 007

Note: none
Flag: NL
";
        let expected = [
            (
                Step::Record,
                vec![
                    "Saltwind",
                    "lies
at berth 007",
                ],
            ),
            (Step::Record, vec!["", "none", "Flag: NL"]),
        ];
        assert_eq!(read(text, division), owned(expected));
    }

    #[test]
    fn the_first_label_may_begin_a_record() {
        let division =
            Multiline::Labelled { labels: vec![b"Vessel".to_vec(), b"Berth".to_vec()], begins: true };
        let text =
            "Printed: today\nVessel: Saltwind\nBerth: 007\nVessel: Heron\n-----\nVessel: Quill\nBerth: 9\n";
        let expected = [
            (Step::Stray, vec![]),
            (Step::Record, vec!["Saltwind", "007"]),
            (Step::Record, vec!["Heron", ""]),
            (Step::Rule, vec![]),
            (Step::Record, vec!["Quill", "9"]),
        ];
        assert_eq!(read(text, division), owned(expected));
    }

    #[test]
    fn lines_with_a_blank_first_column_continue_the_record_above() {
        let division = Multiline::Continued(Fixed { starts: vec![0, 4], ..Fixed::default() });
        let text = "007 fish\n    grain\n008 oil\n";
        let expected = [(Step::Record, vec!["007", "fish\ngrain"]), (Step::Record, vec!["008", "oil"])];
        assert_eq!(read(text, division), owned(expected));
    }
}
