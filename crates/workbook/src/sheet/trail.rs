//! What the writer of rows remembers of its own mark-up: where it stood in the row before and in the cell before. The compressor is told,
//! compares once, and need not search.

use crate::package::deflate::{Hint, Span};

/// Longer values are worth a search for what repeats inside them.
const SHORT_VALUE_BYTES: usize = 24;

/// What stands between a row's number and a value: the place of the cell's format, what the value is, and our style. Where both are the
/// same, the mark-up is the same.
pub(super) type MarkUp = (usize, usize, usize);

/// Where the parts of a cell stand in the rows; `value` 0: there was none, or its mark-up is not the usual one.
#[derive(Clone, Copy, Debug, Default)]
struct Mark {
    /// Behind the value before it.
    gap: u32,
    /// The row's number in its reference.
    digits: u32,
    behind_digits: u32,
    value: u32,
    mark_up: MarkUp,
}

/// Where mark-up stood, and what the compressor is told of it.
#[derive(Clone, Debug)]
pub(super) struct Trail {
    /// Short values, and stretches that no reference goes through.
    pub(super) spans: Vec<Span>,
    /// Where mark-up stands again.
    pub(super) hints: Vec<Hint>,
    /// By column: its last cell.
    before: Box<[Mark]>,
    /// By mark-up: the number in the last cell of this row that has it.
    alike: Vec<(MarkUp, u32)>,
    /// Where the last value ended.
    last_end: u32,
    /// Whether a cell was written in this row.
    is_inside: bool,
    /// Whether rows stand under this one: cells between ours follow no pattern.
    is_over: bool,
    /// Where the row's number stands, and where that of the row before did.
    number: (u32, u32),
    number_before: (u32, u32),
    /// Digits from the left that both have in common.
    same_digits: u32,
}

impl Trail {
    pub(super) fn new(columns: usize) -> Self {
        Self {
            spans: Vec::new(),
            hints: Vec::new(),
            before: vec![Mark::default(); columns].into_boxed_slice(),
            alike: Vec::new(),
            last_end: 0,
            is_inside: false,
            is_over: false,
            number: (0, 0),
            number_before: (0, 0),
            same_digits: 0,
        }
    }

    /// Nothing stands before what comes.
    pub(super) fn clear(&mut self) {
        self.spans.clear();
        self.hints.clear();
        self.before.fill(Mark::default());
        self.alike.clear();
        (self.last_end, self.number) = (0, (0, 0));
    }

    /// A row over one that is there: nothing is known of what stands between its cells.
    pub(super) fn begin_over(&mut self) {
        if !self.is_over {
            self.is_over = true;
            self.before.fill(Mark::default());
            self.number = (0, 0);
        }
    }

    /// A row whose number stands from byte `from` of `xml` to its end.
    #[inline]
    pub(super) fn begin_row(&mut self, xml: &[u8], from: usize) {
        self.number_before = std::mem::replace(&mut self.number, (from as u32, xml.len() as u32));
        let before = &xml[self.number_before.0 as usize..self.number_before.1 as usize];
        let now = &xml[from..];
        let is_as_long = before.len() == now.len();
        let same = || before.iter().zip(now).take_while(|(a, b)| a == b).count() as u32;
        self.same_digits = if is_as_long { same() } else { 0 };
        (self.is_inside, self.is_over) = (false, false);
        self.alike.clear();
    }

    /// Where the cell above begins and its value, if it has the same mark-up and a number of as many digits, with its opening of so many
    /// bytes in front.
    #[inline]
    pub(super) fn above(
        &self,
        place: usize,
        mark_up: MarkUp,
        (opening, digits): (usize, usize),
    ) -> Option<(usize, usize)> {
        let mark = &self.before[place];
        let is_same = mark.value > 0
            && mark.mark_up == mark_up
            && (mark.behind_digits - mark.digits) as usize == digits;
        is_same.then(|| (mark.digits as usize - opening, mark.value as usize))
    }

    /// A cell whose number stands in `digits` and whose value begins at byte `value`.
    #[inline]
    pub(super) fn cell(
        &mut self,
        place: usize,
        mark_up: MarkUp,
        (digits, behind_digits): (usize, usize),
        value: usize,
    ) {
        if self.is_over {
            return;
        }
        let (digits, behind_digits, value) = (digits as u32, behind_digits as u32, value as u32);
        let gap = self.last_end;
        let now = Mark { gap, digits, behind_digits, value, mark_up };
        let before = std::mem::replace(&mut self.before[place], now);
        let same = self.alike.iter_mut().find(|(own, _)| *own == mark_up);
        let earlier = same.as_ref().map(|(_, digits)| *digits);
        if before.value > 0 {
            let hint = |at: u32, earlier: u32, to: u32| Hint { at, earlier, most: to.saturating_sub(at) };
            let span = |start: u32, end: u32| Span { start, end };
            if !self.is_inside {
                // What closes the row before and opens this one, each up to the first digit that is another one.
                let behind_number = self.number.1;
                self.spans.extend([span(gap, behind_number), span(behind_number, behind_digits)]);
                self.hints.extend([
                    hint(gap, before.gap, self.number.0 + self.same_digits),
                    hint(behind_number, self.number_before.1, digits + self.same_digits),
                    hint(behind_digits, before.behind_digits, value),
                ]);
            } else if let Some(earlier) = earlier {
                // From above up to the number, from the left what follows it.
                self.hints.extend([hint(gap, before.gap, digits), hint(digits, earlier, value)]);
            } else {
                self.spans.push(span(gap, behind_digits));
                self.hints.extend([
                    hint(gap, before.gap, digits + self.same_digits),
                    hint(behind_digits, before.behind_digits, value),
                ]);
            }
        }
        match same {
            Some(same) => same.1 = digits,
            None => self.alike.push((mark_up, digits)),
        }
        self.is_inside = true;
    }

    /// The mark-up of the last cell of a column was changed: it is no pattern.
    pub(super) fn forget(&mut self, place: usize) {
        self.before[place].value = 0;
    }

    /// A value stands there.
    #[inline]
    pub(super) fn value(&mut self, start: usize, end: usize) {
        self.last_end = end as u32;
        if end - start <= SHORT_VALUE_BYTES {
            self.spans.push(Span { start: start as u32, end: end as u32 });
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::package::deflate::{Compressor, STREAM_END};
    use crate::sheet::rows::RowEncoder;
    use crate::styles::{StyleId, Styles};
    use proptest::prelude::*;
    use std::fmt::Write as _;
    use std::io::Read;

    #[derive(Clone, Debug)]
    enum Cell {
        Blank,
        Text(String, u32),
        Number(String, u32),
        Boolean(bool),
    }

    fn cells() -> impl Strategy<Value = Cell> {
        prop_oneof![
            1 => Just(Cell::Blank),
            4 => ("[a-c ]{0,4}|[0-9]{3}|[a-z]{30}", 0_u32..3).prop_map(|(text, style)| Cell::Text(text, style)),
            4 => ("[1-9][0-9]{0,3}", 0_u32..3).prop_map(|(digits, style)| Cell::Number(digits, style)),
            1 => any::<bool>().prop_map(Cell::Boolean),
        ]
    }

    /// The row in plain words.
    fn twin(out: &mut String, row: u32, cells: &[Cell]) {
        let _ = write!(out, "<row r=\"{row}\">");
        for (column, cell) in ["A", "B", "C", "D"].iter().zip(cells) {
            let _ = match cell {
                Cell::Blank => Ok(()),
                Cell::Text(text, style) => {
                    let keeps = text.starts_with(' ') || text.ends_with(' ');
                    let space = if keeps { " xml:space=\"preserve\"" } else { "" };
                    write!(
                        out,
                        "<c r=\"{column}{row}\" s=\"{style}\" t=\"inlineStr\"><is><t{space}>{text}</t></is></c>"
                    )
                }
                Cell::Number(digits, style) => {
                    write!(out, "<c r=\"{column}{row}\" s=\"{style}\"><v>{digits}</v></c>")
                }
                Cell::Boolean(is) => {
                    write!(out, "<c r=\"{column}{row}\" s=\"0\" t=\"b\"><v>{}</v></c>", u8::from(*is))
                }
            };
        }
        out.push_str("</row>");
    }

    proptest! {
        #[test]
        fn rows_are_what_plain_words_say_and_come_out_of_the_compressor(
            rows in prop::collection::vec(prop::collection::vec(cells(), 4), 1..60),
            first in prop::sample::select(vec![2_u32, 95, 995, 99_990]),
            blocks in 1_usize..4,
        ) {
            let mut encoder = RowEncoder::new(1, 4);
            let mut compressor = Compressor::new();
            for (n, block) in rows.chunks(rows.len().div_ceil(blocks)).enumerate() {
                let mut expected = String::new();
                encoder.clear();
                for (row, cells) in (first + n as u32 * 100..).zip(block) {
                    twin(&mut expected, row, cells);
                    encoder.begin_row(row);
                    for (place, cell) in cells.iter().enumerate() {
                        match cell {
                            Cell::Blank => encoder.blank(place),
                            Cell::Text(text, style) => {
                                encoder.text(place, StyleId(*style), text.as_bytes());
                            }
                            Cell::Number(digits, style) => {
                                encoder.number(place, StyleId(*style), |out| out.extend_from_slice(digits.as_bytes()));
                            }
                            Cell::Boolean(is) => encoder.boolean(place, StyleId::default(), *is),
                        }
                    }
                    encoder.end_row();
                }
                prop_assert_eq!(std::str::from_utf8(encoder.xml()).unwrap(), &expected);
                let bytes = [&encoder.compress(&mut compressor).bytes[..], &STREAM_END].concat();
                let mut text = String::new();
                flate2::read::DeflateDecoder::new(&bytes[..]).read_to_string(&mut text).unwrap();
                prop_assert_eq!(text, expected);
            }
        }
    }

    #[test]
    fn the_second_row_costs_little() {
        let mut encoder = RowEncoder::new(1, 3);
        let mut size = |rows: u32| {
            encoder.clear();
            for row in 1000..1000 + rows {
                encoder.begin_row(row);
                for place in 0..3 {
                    let value = row.wrapping_mul(2_654_435_761).wrapping_add(place as u32 * 7919) % 1_000_000;
                    encoder.text(place, Styles::TEXT, format!("{value:06}").as_bytes());
                }
                encoder.end_row();
            }
            encoder.compress(&mut Compressor::new()).bytes.len() as u32
        };
        // A row has 18 digits that nobody foresees, in 8 bytes at least, and 7 references.
        let a_row = (size(1500) - size(500)) / 1000;
        assert!((8..28).contains(&a_row), "{a_row} bytes");
    }
}
