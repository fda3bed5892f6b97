//! The record machine for delimited text (RFC 4180 and what people really write).
//!
//! The machine works on a slice of UTF-8 text and borrows its fields from it. It is told where a record starts and
//! answers with one [`Step`]; it keeps no state between steps, so that any cutting of the text gives the same records.
//!
//! | at | seen | then |
//! |---|---|---|
//! | start of record | comment prefix | the line is a [`Step::Comment`] |
//! | start of record | nothing but blanks up to the line end | [`Step::Blank`] |
//! | start of record | nothing but lines drawn with marks up to the line end | [`Step::Rule`] |
//! | start of field | blanks, then a quote | quoted field |
//! | start of field | anything else | plain field: up to the next delimiter or line end, quotes are characters |
//! | quoted field | two quotes | one quote character |
//! | quoted field | where quotes are not doubled: a backslash before a quote or a backslash | that quote or backslash |
//! | quoted field | quote, blanks, delimiter or line end | the field ends |
//! | quoted field | quote, anything else | stray: kept as a character if a later quote of the same line closes the field, and does not stand right after a delimiter; otherwise the whole field is read again as a plain one |
//! | quoted field | [`QUOTE_REACH`] bytes or the end of the text without a closing quote | the field is read again as a plain one |
//!
//! To change what a quote means, change `quoted_field` here and `quoted` in the twin; to change line ends, change
//! `line_end` in both.

use super::dialect::{Dialect, Division};
use super::line::{FIRST_OF_DRAWN, is_rule_mark};
use memchr::memchr3;

/// How far a quote may stand open, in bytes: no worksheet cell holds more (32,767 characters of at most four bytes).
pub const QUOTE_REACH: usize = 128 * 1024;

/// What the machine found at a position.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Step {
    /// A record; its fields are in the machine.
    Record,
    /// A line of nothing but blanks.
    Blank,
    /// A line that begins with the comment prefix.
    Comment,
    /// A line drawn with marks: `-----  ----`.
    Rule,
    /// A line that no record starts with, where records have several lines.
    Stray,
    /// The text ends before the record does.
    NeedMore,
    /// Nothing is left.
    End,
}

/// Where a field's characters are.
#[derive(Clone, Copy, Debug)]
pub(super) struct Field {
    pub(super) start: u32,
    pub(super) end: u32,
    /// In the scratch buffer instead of the text: the field held doubled quotes.
    pub(super) unescaped: bool,
    pub(super) quoted: bool,
}

/// What was odd about a record.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Oddities {
    /// Quotes inside quoted fields that were kept as characters.
    pub stray_quotes: u32,
    /// Opening quotes that were never closed and are kept as characters.
    pub unclosed_quotes: u32,
}

/// Cuts records out of a text, one step at a time.
///
/// ```
/// use incola_core::record::{Dialect, Machine, Step};
/// let text = b"007,\"Quay \"\"North\"\"\"\n";
/// let mut machine = Machine::new(&Dialect::new(","));
/// assert_eq!(machine.step(text, 0, true), Step::Record);
/// let fields: Vec<&[u8]> = machine.fields(text).collect();
/// assert_eq!(fields, [&b"007"[..], b"Quay \"North\""]);
/// assert_eq!(machine.step(text, machine.next_start(), true), Step::End);
/// ```
#[derive(Debug)]
pub struct Machine {
    pub(super) dialect: Dialect,
    /// First byte of the delimiter; a byte that is never in UTF-8 if there is none.
    pub(super) first: u8,
    /// Another byte that divides: a tab, where runs of blanks count as one.
    pub(super) second: u8,
    pub(super) blank_delimited: bool,
    /// A delimiter of one byte, and runs of it are so many fields: [`Machine::plain_record`] may be tried.
    pub(super) simple: bool,
    pub(super) fields: Vec<Field>,
    pub(super) scratch: Vec<u8>,
    pub(super) start: usize,
    pub(super) end: usize,
    pub(super) next: usize,
    pub(super) lines: u32,
    pub(super) oddities: Oddities,
}

/// How a field ended.
pub(super) enum FieldEnd {
    /// At a delimiter; the next field starts at this byte.
    Delimiter(usize),
    /// At a line end (or the end of the text): the record's end and the next line's start.
    Line(usize, usize),
    /// The text does not say yet.
    NeedMore,
}

/// A byte that never stands in UTF-8.
pub(super) const NO_BYTE: u8 = 0xFF;

impl Machine {
    /// A machine for `dialect`.
    pub fn new(dialect: &Dialect) -> Self {
        Self {
            first: dialect.delimiter.first().copied().unwrap_or(NO_BYTE),
            second: if dialect.runs_as_one && dialect.delimiter == b" " { b'\t' } else { NO_BYTE },
            blank_delimited: dialect.is_blank_delimited(),
            simple: dialect.delimiter.len() == 1 && !dialect.runs_as_one,
            dialect: dialect.clone(),
            fields: Vec::with_capacity(32),
            scratch: Vec::new(),
            start: 0,
            end: 0,
            next: 0,
            lines: 0,
            oddities: Oddities::default(),
        }
    }

    /// The dialect that is obeyed.
    pub fn dialect(&self) -> &Dialect {
        &self.dialect
    }

    /// Number of fields of the current record.
    pub fn field_count(&self) -> usize {
        self.fields.len()
    }

    /// The current record's field `index` (from 0), without its quotes; empty if the record is shorter.
    pub fn field<'t>(&'t self, text: &'t [u8], index: usize) -> &'t [u8] {
        match self.fields.get(index) {
            None => &[],
            Some(f) if f.unescaped => &self.scratch[f.start as usize..f.end as usize],
            Some(f) => &text[self.start + f.start as usize..self.start + f.end as usize],
        }
    }

    /// The current record's fields.
    pub fn fields<'t>(&'t self, text: &'t [u8]) -> impl ExactSizeIterator<Item = &'t [u8]> + use<'t> {
        (0..self.fields.len()).map(move |i| self.field(text, i))
    }

    /// Where field `index` (from 0) stands in the text, in bytes; `None`: its characters are not those of the text, or there is
    /// no such field.
    pub(crate) fn field_range(&self, index: usize) -> Option<std::ops::Range<usize>> {
        let field = self.fields.get(index).filter(|f| !f.unescaped)?;
        Some(self.start + field.start as usize..self.start + field.end as usize)
    }

    /// Whether field `index` (from 0) stands in quotes.
    pub fn is_quoted(&self, index: usize) -> bool {
        self.fields.get(index).is_some_and(|f| f.quoted)
    }

    /// First byte of the current step in the text.
    pub fn start(&self) -> usize {
        self.start
    }

    /// The byte after the current step, its line end left out.
    pub fn end(&self) -> usize {
        self.end
    }

    /// The byte at which the next step starts.
    pub fn next_start(&self) -> usize {
        self.next
    }

    /// Physical lines that the current step spans.
    pub fn lines(&self) -> u32 {
        self.lines
    }

    /// What was odd about the current record.
    pub fn oddities(&self) -> Oddities {
        self.oddities
    }

    /// Finds what starts at byte `from` of `text`; `last` says that nothing follows the text.
    ///
    /// Cost: each byte is looked at once, but those after an unclosed quote, at most [`QUOTE_REACH`], twice.
    pub fn step(&mut self, text: &[u8], from: usize, last: bool) -> Step {
        self.fields.clear();
        self.scratch.clear();
        self.start = from;
        self.lines = 1;
        self.oddities = Oddities::default();
        let Some(&first) = text.get(from) else {
            self.end = from;
            self.next = from;
            return if last { Step::End } else { Step::NeedMore };
        };
        if let Some(prefix) = &self.dialect.comment_prefix {
            let rest = &text[from..];
            if rest.starts_with(prefix) {
                return self.whole_line(text, last, Step::Comment);
            }
            if !last && prefix.starts_with(rest) {
                return Step::NeedMore;
            }
        }
        if first <= b' ' {
            match self.blank_line(text, from, last) {
                Some(true) => return self.whole_line(text, last, Step::Blank),
                Some(false) => {}
                None => return Step::NeedMore,
            }
        }
        if is_rule_mark(first) || matches!(first, b' ' | FIRST_OF_DRAWN) || first == self.first {
            match self.rule_line(text, from, last) {
                Some(true) => return self.whole_line(text, last, Step::Rule),
                Some(false) => {}
                None => return Step::NeedMore,
            }
        }
        if !self.dialect.separators.is_empty() {
            let Some((end, _)) = self.whole_line_at(text, from, last) else { return Step::NeedMore };
            if self.dialect.separators.iter().any(|s| s == text[from..end].trim_ascii()) {
                return self.whole_line(text, last, Step::Blank);
            }
        }
        match &self.dialect.division {
            Division::Delimited => {}
            Division::Fixed(_) => return self.fixed_record(text, last),
            Division::Multiline(_) => return self.multiline_record(text, last),
        }
        if self.simple
            && let Some(step) = self.plain_record(text, last)
        {
            return step;
        }
        self.fields.clear();
        self.record(text, last)
    }

    /// Reads a record without quoted fields in one go, eight bytes at a time; `None`: it holds a quoted field, or ends
    /// too near to the end of the text.
    #[inline]
    fn plain_record(&mut self, text: &[u8], last: bool) -> Option<Step> {
        let quote = self.dialect.quote.unwrap_or(NO_BYTE);
        let mut field = self.start;
        let mut at = self.start;
        loop {
            let eight: [u8; 8] = text.get(at..at + 8)?.try_into().ok()?;
            let word = u64::from_le_bytes(eight);
            let mut found =
                marks(word, self.first) | marks(word, b'\n') | marks(word, b'\r') | marks(word, quote);
            while found != 0 {
                let place = at + found.trailing_zeros() as usize / 8;
                found &= found - 1;
                let byte = text[place];
                if byte == self.first {
                    self.push(field, place);
                    field = place + 1;
                } else if byte == quote {
                    if text[field..place].iter().all(|b| matches!(b, b' ' | b'\t')) {
                        return None;
                    }
                } else {
                    match self.line_end_at(text, place, last) {
                        FieldEnd::Line(end, next) => {
                            self.push(field, end);
                            self.end = end;
                            self.next = next;
                            return Some(Step::Record);
                        }
                        FieldEnd::NeedMore => return Some(Step::NeedMore),
                        FieldEnd::Delimiter(_) => {}
                    }
                }
            }
            at += 8;
        }
    }

    fn record(&mut self, text: &[u8], last: bool) -> Step {
        let mut at = self.start;
        if self.dialect.runs_as_one && self.blank_delimited {
            at = self.skip_run(text, at);
        }
        let quote = self.dialect.quote;
        let most = self.dialect.most_fields.unwrap_or(usize::MAX);
        loop {
            if self.fields.len() + 1 >= most {
                return self.rest_of_line(text, at, last);
            }
            let ended = match (quote, text.get(at)) {
                (Some(q), Some(&b)) if b == q => self.quoted_field(text, at, at, q, last),
                (Some(q), Some(b' ' | b'\t')) => {
                    let open = self.skip_blanks(text, at);
                    match text.get(open) {
                        Some(&b) if b == q => self.quoted_field(text, at, open, q, last),
                        None if !last => FieldEnd::NeedMore,
                        _ => self.plain_field(text, at, last),
                    }
                }
                _ => self.plain_field(text, at, last),
            };
            match ended {
                FieldEnd::Delimiter(next) => {
                    at = next;
                    if self.dialect.runs_as_one {
                        at = self.skip_run(text, at);
                        if at >= text.len() && !last {
                            return Step::NeedMore;
                        }
                        if self.blank_delimited && matches!(text.get(at), None | Some(b'\n' | b'\r')) {
                            match self.line_end(text, at, last) {
                                FieldEnd::Line(end, next) => {
                                    self.end = end;
                                    self.next = next;
                                    return Step::Record;
                                }
                                FieldEnd::NeedMore => return Step::NeedMore,
                                FieldEnd::Delimiter(_) => {}
                            }
                        }
                    }
                }
                FieldEnd::Line(end, next) => {
                    self.end = end;
                    self.next = next;
                    return Step::Record;
                }
                FieldEnd::NeedMore => return Step::NeedMore,
            }
        }
    }

    /// Ends the record with a field that takes the rest of the line.
    fn rest_of_line(&mut self, text: &[u8], at: usize, last: bool) -> Step {
        let mut look = at;
        loop {
            match self.line_end(text, look, last) {
                FieldEnd::Line(end, next) => {
                    let blanks = text[at..end].iter().rev().take_while(|b| matches!(b, b' ' | b'\t')).count();
                    self.push(at, end - blanks);
                    self.end = end;
                    self.next = next;
                    return Step::Record;
                }
                FieldEnd::Delimiter(next) => look = next,
                FieldEnd::NeedMore => return Step::NeedMore,
            }
        }
    }

    /// The byte after the delimiters at `at`.
    fn skip_run(&self, text: &[u8], mut at: usize) -> usize {
        let delimiter = self.dialect.delimiter.as_slice();
        if delimiter.is_empty() {
            return at;
        }
        while text[at..].starts_with(delimiter) || text.get(at) == Some(&self.second) {
            at += delimiter.len();
        }
        // What is left of a run that the delimiter does not divide evenly.
        let mark = delimiter[0];
        if self.dialect.runs_as_one && delimiter.iter().all(|b| *b == mark) {
            while text.get(at) == Some(&mark) {
                at += 1;
            }
        }
        at
    }

    /// The byte after the blanks at `at`; a blank that begins the delimiter is none.
    fn skip_blanks(&self, text: &[u8], mut at: usize) -> usize {
        while let Some(&b) = text.get(at) {
            if (b == b' ' || b == b'\t') && !self.delimiter_at(text, at) {
                at += 1;
            } else {
                break;
            }
        }
        at
    }

    fn delimiter_at(&self, text: &[u8], at: usize) -> bool {
        (text[at] == self.first && text[at..].starts_with(&self.dialect.delimiter)) || text[at] == self.second
    }

    pub(super) fn push(&mut self, start: usize, end: usize) {
        self.fields.push(Field {
            start: (start - self.start) as u32,
            end: (end - self.start) as u32,
            unescaped: false,
            quoted: false,
        });
    }

    /// Reads a field whose quotes are characters, from `at`.
    pub(super) fn plain_field(&mut self, text: &[u8], at: usize, last: bool) -> FieldEnd {
        let mut look = at;
        loop {
            let Some(found) = self.find_end(text, look) else {
                if !last {
                    return FieldEnd::NeedMore;
                }
                self.push(at, text.len());
                return FieldEnd::Line(text.len(), text.len());
            };
            let byte = text[found];
            if byte == self.second {
                self.push(at, found);
                return FieldEnd::Delimiter(found + 1);
            }
            if byte == self.first {
                let length = self.dialect.delimiter.len();
                if length == 1 || text[found..].starts_with(&self.dialect.delimiter) {
                    self.push(at, found);
                    return FieldEnd::Delimiter(found + length);
                }
                if !last && self.dialect.delimiter.starts_with(&text[found..]) {
                    return FieldEnd::NeedMore;
                }
                look = found + 1;
                continue;
            }
            match self.line_end_at(text, found, last) {
                FieldEnd::Line(end, next) => {
                    self.push(at, end);
                    return FieldEnd::Line(end, next);
                }
                FieldEnd::Delimiter(next) => look = next,
                FieldEnd::NeedMore => return FieldEnd::NeedMore,
            }
        }
    }

    /// The next byte that may end a plain field. Most fields are short: the first bytes are looked at eight at a time
    /// before the wide search is set up.
    #[inline]
    fn find_end(&self, text: &[u8], at: usize) -> Option<usize> {
        let mut from = at;
        for _ in 0..4 {
            let Some(Ok(eight)) = text.get(from..from + 8).map(<[u8; 8]>::try_from) else { break };
            let word = u64::from_le_bytes(eight);
            let found =
                holds(word, self.first) | holds(word, b'\n') | holds(word, b'\r') | holds(word, self.second);
            if found != 0 {
                return Some(from + found.trailing_zeros() as usize / 8);
            }
            from += 8;
        }
        if self.second != NO_BYTE {
            let ends = [self.first, self.second, b'\n', b'\r'];
            return text[from..].iter().position(|b| ends.contains(b)).map(|found| from + found);
        }
        memchr3(self.first, b'\n', b'\r', &text[from..]).map(|found| from + found)
    }
}

/// The high bit of each byte of `word` that is `byte`. Bytes above the first such one may be marked by mistake, for a
/// borrow runs through them; the first one is always right.
#[inline]
fn holds(word: u64, byte: u8) -> u64 {
    const ONES: u64 = 0x0101_0101_0101_0101;
    let differing = word ^ (ONES * u64::from(byte));
    differing.wrapping_sub(ONES) & !differing & (ONES << 7)
}

/// The high bit of each byte of `word` that is `byte`, and of no other.
#[inline]
fn marks(word: u64, byte: u8) -> u64 {
    const LOW: u64 = 0x7F7F_7F7F_7F7F_7F7F;
    let differing = word ^ (0x0101_0101_0101_0101 * u64::from(byte));
    !((differing & LOW).wrapping_add(LOW) | differing | LOW)
}

#[cfg(test)]
mod tests {
    use super::super::twin;
    use super::*;
    use proptest::prelude::*;

    fn read(text: &[u8], dialect: &Dialect) -> Vec<Vec<String>> {
        let mut machine = Machine::new(dialect);
        let mut at = 0;
        let mut records = Vec::new();
        loop {
            match machine.step(text, at, true) {
                Step::End => return records,
                Step::Record => records.push(
                    machine.fields(text).map(|f| String::from_utf8_lossy(f).into_owned()).collect::<Vec<_>>(),
                ),
                Step::Blank | Step::Comment | Step::Rule => {}
                Step::NeedMore | Step::Stray => unreachable!("neither occurs here"),
            }
            at = machine.next_start();
        }
    }

    /// Reads with the text growing by the given pieces, as a file that arrives in chunks does.
    fn read_in_pieces(text: &[u8], dialect: &Dialect, pieces: &[usize]) -> (Vec<Vec<String>>, Vec<u32>) {
        let mut machine = Machine::new(dialect);
        let (mut at, mut have) = (0, 0);
        let mut records = Vec::new();
        let mut lines = Vec::new();
        let mut sizes = pieces.iter().copied().cycle();
        loop {
            let last = have == text.len();
            match machine.step(&text[..have], at, last) {
                Step::End => return (records, lines),
                Step::NeedMore => {
                    assert!(!last);
                    have = (have + sizes.next().unwrap_or(1).max(1)).min(text.len());
                    continue;
                }
                Step::Record => {
                    records.push(
                        machine
                            .fields(text)
                            .map(|f| String::from_utf8_lossy(f).into_owned())
                            .collect::<Vec<_>>(),
                    );
                    lines.push(machine.lines());
                }
                Step::Blank | Step::Comment | Step::Rule | Step::Stray => {}
            }
            at = machine.next_start();
        }
    }

    #[test]
    fn records_are_cut_as_the_table_of_cases_says() {
        let comma = Dialect::new(",");
        let runs = Dialect { runs_as_one: true, ..Dialect::new(" ") };
        let long = Dialect::new("::");
        let bare = Dialect { quote: None, ..Dialect::new(",") };
        let cases: &[(&Dialect, &str, &[&[&str]])] = &[
            (&comma, "a,b\nc,d\n", &[&["a", "b"], &["c", "d"]]),
            (&comma, "a,b\r\nc,d", &[&["a", "b"], &["c", "d"]]),
            (&comma, "a,\n,b\n,", &[&["a", ""], &["", "b"], &["", ""]]),
            (&comma, "\"a,1\",b", &[&["a,1", "b"]]),
            (&comma, "\"a\nb\",c", &[&["a\nb", "c"]]),
            (&comma, "\"say \"\"hi\"\"\",c", &[&["say \"hi\"", "c"]]),
            (&comma, "  \"a\"  ,c", &[&["a", "c"]]),
            (&comma, "a\"b,c\"d", &[&["a\"b", "c\"d"]]),
            (&comma, "\"a \"inner\" b\",c", &[&["a \"inner\" b", "c"]]),
            (&comma, "\"abc\"def,x\n\"q\",z", &[&["\"abc\"def", "x"], &["q", "z"]]),
            (&comma, "\"5\" pipe,\"x\"\n", &[&["\"5\" pipe", "x"]]),
            (&comma, "a,\"open\nb,c\n", &[&["a", "\"open"], &["b", "c"]]),
            (&comma, "a\n\n  \nb\n", &[&["a"], &["b"]]),
            (&comma, "a\rb,c\n", &[&["a\rb", "c"]]),
            (&runs, "  a  b c  \n", &[&["a", "b", "c"]]),
            (&runs, "a \"b c\"  d\n", &[&["a", "b c", "d"]]),
            (&long, "a::b:c::d\n", &[&["a", "b:c", "d"]]),
            (&bare, "\"a,b\"\n", &[&["\"a", "b\""]]),
            (&comma, "\"\",\"\"\"\"\n", &[&["", "\""]]),
        ];
        for (dialect, text, expected) in cases {
            assert_eq!(read(text.as_bytes(), dialect), *expected, "{text:?}");
        }
    }

    #[test]
    fn a_lone_carriage_return_ends_a_line_only_where_told() {
        let cr = Dialect { lone_cr_ends_line: true, ..Dialect::new(",") };
        assert_eq!(read(b"a,b\rc,d\r\ne,f\n", &cr), [["a", "b"], ["c", "d"], ["e", "f"]]);
    }

    #[test]
    fn an_unclosed_quote_swallows_no_file() {
        let mut text = b"a,\"open\n".to_vec();
        for _ in 0..40_000 {
            text.extend_from_slice(b"007,quay\n");
        }
        let records = read(&text, &Dialect::new(","));
        assert_eq!(records.len(), 40_001);
        assert_eq!(records[0], ["a", "\"open"]);
        let mut machine = Machine::new(&Dialect::new(","));
        machine.step(&text, 0, false);
        assert_eq!(machine.oddities().unclosed_quotes, 1);
    }

    fn dialects() -> impl Strategy<Value = Dialect> {
        (
            prop::sample::select(vec![",", ";", "\t", " ", "::", "||", "│", ""]),
            any::<bool>(),
            prop::sample::select(vec![None, None, Some(1_usize), Some(3)]),
            prop::sample::select(vec![Some(b'"'), Some(b'\''), None]),
            prop::sample::select(vec![None, Some("#"), Some("//")]),
            any::<bool>(),
            any::<bool>(),
        )
            .prop_map(
                |(delimiter, runs_as_one, most_fields, quote, comment, lone_cr_ends_line, doubles_quotes)| {
                    Dialect {
                        runs_as_one,
                        most_fields: most_fields.filter(|_| runs_as_one && delimiter == " "),
                        quote,
                        comment_prefix: comment.map(|c| c.as_bytes().to_vec()),
                        lone_cr_ends_line,
                        doubles_quotes,
                        ..Dialect::new(delimiter)
                    }
                },
            )
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(3000))]
        #[test]
        fn machine_and_twin_agree_under_every_cutting(
            dialect in dialects(),
            text in "([a0\",;:|' \t#/\u{e9}\u{2500}\u{2502}-]|\\\\|\\\\\"|\n|\r\n|\r|\"\"|\",\"|::|\\|\\|){0,48}",
            pieces in prop::collection::vec(1_usize..9, 1..6),
        ) {
            let expected = twin::records(&text, &dialect);
            let whole = read(text.as_bytes(), &dialect);
            prop_assert_eq!(&whole, &expected.iter().map(|r| r.fields.clone()).collect::<Vec<_>>());
            let (pieced, lines) = read_in_pieces(text.as_bytes(), &dialect, &pieces);
            prop_assert_eq!(&pieced, &whole);
            prop_assert_eq!(lines, expected.iter().map(|r| r.lines).collect::<Vec<_>>());
        }

        #[test]
        fn well_formed_text_reads_as_a_general_reader_reads_it(
            records in prop::collection::vec(prop::collection::vec("[a-c,\"\n ]{0,6}", 2..5), 1..6)
        ) {
            let mut writer = csv::WriterBuilder::new()
                .quote_style(csv::QuoteStyle::Always).flexible(true).from_writer(Vec::new());
            for record in &records {
                writer.write_record(record).unwrap();
            }
            let text = writer.into_inner().unwrap();
            prop_assert_eq!(read(&text, &Dialect::new(",")), records);
        }
    }
}
