//! Records written as text: what the machine reads, the other way round.

use super::form::{Quotes, TextForm};
use super::quoted::BACKSLASH;

/// Why a value cannot be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unwritable {
    /// It holds what divides fields or lines, and the layout has no quotes.
    Divides,
    /// It leaves a line of a record empty, and an empty line ends the record.
    EndsRecord,
    /// It is longer than the room of its field.
    TooLong {
        /// Its length.
        length: usize,
        /// The room.
        room: usize,
    },
}

/// Writes records in a form.
///
/// ```
/// use incola_core::record::{FieldForm, Quotes, RecordWriter, TextForm};
/// let field = |quotes| FieldForm { quotes, ..FieldForm::default() };
/// let form = TextForm {
///     delimiter: Some(";".into()), quote: Some('"'), line_end: "\r\n".into(),
///     fields: vec![field(Quotes::Needed), field(Quotes::Always)], ..TextForm::default()
/// };
/// let mut out = Vec::new();
/// RecordWriter::new(&form).write(&["a;b", "007"], &mut out, |_, why| panic!("{why:?}"));
/// assert_eq!(out, b"\"a;b\";\"007\"\r\n");
/// ```
#[derive(Clone, Copy, Debug)]
pub struct RecordWriter<'f> {
    form: &'f TextForm,
}

impl<'f> RecordWriter<'f> {
    /// A writer for a form.
    pub fn new(form: &'f TextForm) -> Self {
        Self { form }
    }

    /// Appends a record, in UTF-8, with its line end; one of several lines with what is between two records in front of it. `lost` is told of each value (from 0) that cannot be written as it is: blanks stand
    /// for what divides, and what is too long is cut.
    pub fn write<T: AsRef<str>>(
        &self,
        fields: &[T],
        out: &mut Vec<u8>,
        mut lost: impl FnMut(usize, Unwritable),
    ) {
        if !self.form.parts.is_empty() {
            Self::several(self.form, fields, out, &mut lost);
            return;
        }
        match &self.form.delimiter {
            Some(delimiter) => self.delimited(delimiter, fields, out, &mut lost),
            None => self.fixed(fields, out, &mut lost),
        }
        out.extend_from_slice(self.form.line_end.as_bytes());
    }

    fn delimited<T: AsRef<str>>(
        &self,
        delimiter: &str,
        fields: &[T],
        out: &mut Vec<u8>,
        lost: &mut impl FnMut(usize, Unwritable),
    ) {
        let mut count = fields.len();
        while self.form.drops_empty_ends && count > 1 && fields[count - 1].as_ref().is_empty() {
            count -= 1;
        }
        for (place, field) in fields[..count].iter().enumerate() {
            let (mut text, own) = (field.as_ref(), self.form.fields.get(place));
            if text.is_empty() {
                text = own.map_or("", |own| own.blank.as_str());
            }
            if place > 0 {
                out.extend_from_slice(delimiter.as_bytes());
            }
            let quotes = own.map(|own| own.quotes).unwrap_or_default();
            let divides = |c: char| matches!(c, '\r' | '\n');
            let has_delimiter = !delimiter.is_empty() && text.contains(delimiter);
            let Some(quote) = self.form.quote else {
                if has_delimiter || text.contains(divides) {
                    lost(place, Unwritable::Divides);
                    let text = if delimiter.is_empty() { text.into() } else { text.replace(delimiter, " ") };
                    out.extend_from_slice(text.replace(divides, " ").as_bytes());
                } else {
                    out.extend_from_slice(text.as_bytes());
                }
                continue;
            };
            let may_hold_quotes =
                own.is_some_and(|own| own.bare_quotes) && !(text.starts_with(quote) && text.ends_with(quote));
            let is_needed =
                has_delimiter || text.contains(|c| (c == quote && !may_hold_quotes) || divides(c));
            let is_quoted = match quotes {
                Quotes::Needed => is_needed,
                Quotes::Filled => is_needed || !text.is_empty(),
                Quotes::Always => true,
            };
            if !is_quoted {
                out.extend_from_slice(text.as_bytes());
                continue;
            }
            out.push(quote as u8);
            let escape = if self.form.escapes { BACKSLASH } else { quote as u8 };
            for byte in text.bytes() {
                if byte == quote as u8 || (self.form.escapes && byte == BACKSLASH) {
                    out.push(escape);
                }
                out.push(byte);
            }
            out.push(quote as u8);
        }
    }

    fn fixed<T: AsRef<str>>(
        &self,
        fields: &[T],
        out: &mut Vec<u8>,
        lost: &mut impl FnMut(usize, Unwritable),
    ) {
        let (form, unit) = (self.form, self.form.unit);
        let begin = out.len();
        let mut at = 0;
        let fill =
            |out: &mut Vec<u8>, from: usize, to: usize| out.resize(out.len() + to.saturating_sub(from), b' ');
        for (place, field) in fields.iter().enumerate() {
            let mut text = field.as_ref();
            let Some(start) = form.starts.get(place).copied() else { break };
            let room = form
                .starts
                .get(place + 1)
                .map(|next| next - start)
                .or(form.line_width.map(|w| w.saturating_sub(start)));
            if text.is_empty() {
                continue;
            }
            if text.contains(['\r', '\n']) {
                lost(place, Unwritable::Divides);
            }
            let mut length = unit.length(text.as_bytes());
            if let Some(room) = room.filter(|room| length > *room) {
                lost(place, Unwritable::TooLong { length, room });
                let mut end = 0;
                length = 0;
                for (index, c) in text.char_indices() {
                    if length + unit.of(c) > room {
                        break;
                    }
                    length += unit.of(c);
                    end = index + c.len_utf8();
                }
                text = &text[..end];
            }
            let (indent, right) = form.fields.get(place).map_or((0, None), |own| (own.indent, own.right));
            let most = room.unwrap_or(usize::MAX) - length.min(room.unwrap_or(usize::MAX));
            // A value that begins with blanks says itself where it stands.
            let own = if text.starts_with(' ') {
                0
            } else {
                right.map_or(indent, |right| right.saturating_sub(length))
            };
            let offset = own.min(most);
            fill(out, at, start + offset);
            out.extend(text.bytes().map(|b| if matches!(b, b'\r' | b'\n') { b' ' } else { b }));
            at = start + offset + length;
        }
        if let Some(width) = form.line_width {
            fill(out, at, width);
        } else {
            let blanks = out[begin..].iter().rev().take_while(|b| **b == b' ').count();
            out.truncate(out.len() - blanks);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::FieldForm;
    use super::super::{Dialect, Division, Fixed, Machine, Step};
    use super::*;
    use crate::layout::Repeats;
    use proptest::prelude::*;

    fn read(dialect: &Dialect, text: &[u8]) -> Vec<Vec<String>> {
        let mut machine = Machine::new(dialect);
        let (mut at, mut records) = (0, Vec::new());
        while machine.step(text, at, true) == Step::Record {
            records.push(machine.fields(text).map(|f| String::from_utf8_lossy(f).into_owned()).collect());
            at = machine.next_start();
        }
        records
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(
            records in prop::collection::vec(prop::collection::vec("[a-c;,\"\\\\ \n\u{e4}]{0,6}", 3), 1..12),
            escapes in any::<bool>(),
            quotes in prop::sample::select(vec![Quotes::Needed, Quotes::Filled, Quotes::Always]),
            crlf in any::<bool>(),
        ) {
            let dialect = Dialect { doubles_quotes: !escapes, ..Dialect::new(";") };
            let form = TextForm {
                escapes,
                delimiter: Some(";".into()),
                quote: Some('"'),
                line_end: if crlf { "\r\n".into() } else { "\n".into() },
                fields: vec![FieldForm { quotes, ..FieldForm::default() }; 3],
                ..TextForm::default()
            };
            let mut out = Vec::new();
            for record in &records {
                RecordWriter::new(&form).write(record, &mut out, |_, why| panic!("{why:?}"));
            }
            prop_assert_eq!(read(&dialect, &out), records);
        }

        #[test]
        fn a_text_is_written_as_it_was(
            records in prop::collection::vec(("[0-9]{3}", "[a-z\u{e4}]{1,7}", 0_u32..99_999), 2..30),
            filled in any::<bool>(),
        ) {
            let starts = vec![0, 4, 13];
            let line = |(berth, vessel, dues): &(String, String, u32)| {
                let line = format!("{berth} {vessel:<8} {dues:>7}");
                if filled { format!("{line:<24}\n") } else { format!("{line}\n") }
            };
            let text: String = records.iter().map(line).collect();
            let fixed = Fixed { starts, ..Fixed::default() };
            let dialect = Dialect { division: Division::Fixed(fixed), ..Dialect::new("") };
            let form = TextForm::of_records(&dialect, &Repeats::default(), text.as_bytes(), 3).unwrap();
            let form = TextForm { line_end: "\n".into(), ..form };
            let mut out = Vec::new();
            for record in read(&dialect, text.as_bytes()) {
                let fields: Vec<&str> = record.iter().map(|field| field.trim()).collect();
                RecordWriter::new(&form).write(&fields, &mut out, |_, why| panic!("{why:?}"));
            }
            prop_assert_eq!(String::from_utf8(out).unwrap(), text);
        }
    }

    #[test]
    fn what_cannot_be_written_is_told() {
        let bare = TextForm { delimiter: Some("|".into()), ..TextForm::default() };
        let fixed = TextForm { starts: vec![0, 4], line_width: Some(8), ..TextForm::default() };
        for (form, fields, expected, told) in [
            (&bare, ["a|b", "c\nd"], "a b|c d", vec![(0, Unwritable::Divides), (1, Unwritable::Divides)]),
            (&fixed, ["00712", "ab"], "0071ab  ", vec![(0, Unwritable::TooLong { length: 5, room: 4 })]),
            (
                &fixed,
                ["7", "m\u{f6}wen"],
                "7   m\u{f6}we",
                vec![(1, Unwritable::TooLong { length: 5, room: 4 })],
            ),
            (&fixed, ["", "a"], "    a   ", vec![]),
        ] {
            let (mut out, mut lost) = (Vec::new(), Vec::new());
            RecordWriter::new(form).write(&fields, &mut out, |place, why| lost.push((place, why)));
            assert_eq!((String::from_utf8(out).unwrap().as_str(), lost), (expected, told));
        }
    }
}
