//! Records as a stream: one loop goes over the records of a text, and whatever is done with them is a [`RecordSink`].
//!
//! ```
//! use incola_core::layout::Repeats;
//! use incola_core::record::{Dialect, Machine};
//! use incola_core::rows::{Aside, Carry, Flow, Record, RecordSink, each_record};
//!
//! #[derive(Default)]
//! struct Berths(Vec<(u64, String)>);
//!
//! impl RecordSink for Berths {
//!     fn record(&mut self, record: &Record<'_>) -> Flow {
//!         self.0.push((record.line(), String::from_utf8_lossy(record.field(0)).into_owned()));
//!         Flow::Continue(())
//!     }
//!     fn aside(&mut self, why: Aside, _line: u64, _lines: u64) {
//!         assert_eq!(why, Aside::BlankLine);
//!     }
//! }
//!
//! let mut machine = Machine::new(&Dialect::new(","));
//! let mut berths = Berths::default();
//! let text = b"007,12.5\n\n012,3\n";
//! let end = each_record(&mut machine, text, true, &Repeats::default(), (1, &mut Carry::default()), &mut berths);
//! assert_eq!(berths.0, [(1, "007".to_owned()), (3, "012".to_owned())]);
//! assert_eq!((end.consumed, end.lines), (16, 3));
//! ```

mod aside;
mod carry;
mod role;

pub use aside::Aside;
pub use carry::Carry;
pub use role::{Role, Run, runs};

use crate::encoding::text_of;
use crate::kind::statistics::trim;
use crate::layout::{Repeats, count_in};
use crate::record::{Machine, Oddities, Step};
use crate::shape::{self, Derived, Shaping};

/// Whether a sink wants more.
pub type Flow = std::ops::ControlFlow<()>;

/// A record where it stands in the text. Borrowed for the call.
#[derive(Clone, Copy)]
pub struct Record<'m> {
    machine: &'m Machine,
    text: &'m [u8],
    line: u64,
    carry: &'m Carry,
    derived: &'m Derived,
}

impl<'m> Record<'m> {
    /// Its first line, counted on from the line that the loop was told.
    #[inline]
    pub fn line(&self) -> u64 {
        self.line
    }

    /// Physical lines that it stretches over.
    #[inline]
    pub fn lines(&self) -> u32 {
        self.machine.lines()
    }

    /// Its own fields.
    #[inline]
    pub fn count(&self) -> usize {
        self.machine.field_count()
    }

    /// A field, from 0; after its own come the values of headings above it. An empty one may have taken the value above it. Empty if
    /// the record has fewer.
    #[inline]
    pub fn field(&self, index: usize) -> &'m [u8] {
        if index >= self.machine.field_count() {
            return self.other_field(index);
        }
        let own = self.machine.field(self.text, index);
        if self.carry.carries_down() { self.or_above(index, own) } else { own }
    }

    /// A field behind its own: one that is made of others, or the value of a heading above it.
    fn other_field(&self, index: usize) -> &'m [u8] {
        match index.checked_sub(self.derived.base()) {
            Some(made) => self.derived.field(made),
            None => self.carry.field(index),
        }
    }

    /// The fields that are made of others.
    #[inline]
    pub fn derived(&self) -> &'m Derived {
        self.derived
    }

    /// A field of its own, or where it is empty what is carried down to it.
    fn or_above(&self, index: usize, own: &'m [u8]) -> &'m [u8] {
        let above = if trim(own).0.is_empty() { self.carry.field(index) } else { own };
        if above.is_empty() { own } else { above }
    }

    /// A field, from 0, as it stands in the record itself.
    #[inline]
    pub fn own_field(&self, index: usize) -> &'m [u8] {
        if index < self.machine.field_count() { self.machine.field(self.text, index) } else { &[] }
    }

    /// A field, from 0, with the digits and marks right before it, which a start may have cut off; and whether there are any.
    pub fn figure(&self, index: usize) -> (&'m [u8], bool) {
        figure(self.machine, self.text, index)
    }

    /// The values of headings above it.
    #[inline]
    pub fn carry(&self) -> &'m Carry {
        self.carry
    }

    /// Whether a field, from 0, is in quotes.
    #[inline]
    pub fn is_quoted(&self, index: usize) -> bool {
        self.machine.is_quoted(index)
    }

    /// What ends its last line; nothing at the end of a text.
    #[inline]
    pub fn line_end(&self) -> &'m [u8] {
        &self.text[self.machine.end()..self.machine.next_start()]
    }

    /// Its own fields in their order.
    #[inline]
    pub fn fields(&self) -> impl ExactSizeIterator<Item = &'m [u8]> + use<'m> {
        self.machine.fields(self.text)
    }

    /// Its bytes, the line end left out.
    #[inline]
    pub fn bytes(&self) -> &'m [u8] {
        &self.text[self.machine.start()..self.machine.end()]
    }

    /// What is odd about its quotes.
    #[inline]
    pub fn oddities(&self) -> Oddities {
        self.machine.oddities()
    }

    /// Whether a character stands on both sides of the start of a field (from 0), and whether both are of one sort.
    #[inline]
    pub fn crossing(&self, index: usize) -> Option<bool> {
        self.machine.crossing(self.text, index)
    }
}

/// The field of a record in the machine, from 0, with the digits and marks right before it, and whether there are any: totals are
/// wider than what they add up.
pub fn figure<'t>(machine: &'t Machine, text: &'t [u8], index: usize) -> (&'t [u8], bool) {
    let field = machine.field(text, index);
    let Some(place) =
        machine.field_range(index).filter(|_| !field.first().is_none_or(u8::is_ascii_whitespace))
    else {
        return (field, false);
    };
    let before = text[machine.start()..place.start].iter().rev();
    let is_mark = |b: &&u8| b.is_ascii_digit() || matches!(b, b'.' | b',' | b'-' | b'\'' | b'(');
    let more = before.take_while(is_mark).count();
    (&text[place.start - more..place.end], more > 0)
}

/// Takes records as they come.
pub trait RecordSink {
    /// Takes a record.
    fn record(&mut self, record: &Record<'_>) -> Flow;

    /// Takes lines that are no record: the first one, and how many.
    fn aside(&mut self, _why: Aside, _line: u64, _lines: u64) {}

    /// Takes note that someone said what a line is: the rule (from 0) and the line, besides.
    fn stated(&mut self, _rule: usize, _line: u64) {}

    /// Takes the fields of a line of totals among the records, besides.
    fn totals(&mut self, _line: &Record<'_>) {}
}

/// A closure that takes records and leaves out what is none.
pub struct Each<F>(pub F);

impl<F: FnMut(&Record<'_>) -> Flow> RecordSink for Each<F> {
    #[inline]
    fn record(&mut self, record: &Record<'_>) -> Flow {
        self.0(record)
    }
}

/// How far a loop over records came.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Consumed {
    /// Bytes of the text that were understood: all of it, if it ends where a record ends.
    pub consumed: usize,
    /// Physical lines in them.
    pub lines: u64,
}

/// Goes over the records of a text that begins at one. `last`: nothing follows the text. `line`: the number of its first line; `carry`:
/// what headings above it say, and at the end what those in it do.
/// A record that the text does not hold to its end is left for the next text; the one that a sink breaks at counts as consumed.
#[inline]
pub fn each_record(
    machine: &mut Machine,
    text: &[u8],
    last: bool,
    repeats: &Repeats,
    (line, carry): (u64, &mut Carry),
    sink: &mut impl RecordSink,
) -> Consumed {
    let mut done = Consumed::default();
    let mut derived = Derived::default();
    loop {
        let at = line + done.lines;
        let step = machine.step(text, done.consumed, last);
        let why = match step {
            Step::Record if repeats.has_rules() => stated(machine, text, repeats, at, sink),
            Step::Record => why_no_record(machine, text, repeats),
            Step::Blank if repeats.keeps_blank => None,
            Step::Blank => Some(Aside::BlankLine),
            Step::Comment => Some(Aside::Comment),
            Step::Rule => Some(Aside::Rule),
            Step::Stray => Some(Aside::Stray),
            Step::NeedMore | Step::End => return done,
        };
        let flow = match why {
            None => {
                let is_blank = step == Step::Blank;
                if !repeats.below().is_empty() && !is_blank {
                    carry.take_record(repeats, machine, text);
                }
                // A blank row that is kept stays blank.
                let carry = if is_blank { &carry::NOTHING } else { &*carry };
                let record = Record { machine, text, line: at, carry, derived: &shape::NOTHING };
                match repeats.shaping() {
                    None => sink.record(&record),
                    Some(shaping) => shaped(shaping, &record, &mut derived, sink),
                }
            }
            Some(why) => {
                aside(machine, text, repeats, (why, at), carry, sink);
                Flow::Continue(())
            }
        };
        done.lines += u64::from(machine.lines());
        done.consumed = machine.next_start();
        if flow.is_break() {
            return done;
        }
    }
}

/// Hands on a record with what is made of it, or says why it is left out.
fn shaped(shaping: &Shaping, record: &Record<'_>, derived: &mut Derived, sink: &mut impl RecordSink) -> Flow {
    match shaping.shape(record, derived) {
        None => sink.record(&Record { derived, ..*record }),
        Some(why) => {
            sink.aside(why, record.line(), u64::from(record.lines()));
            Flow::Continue(())
        }
    }
}

/// Why the record in the machine is none; `None`: it is one.
#[inline]
fn why_no_record(machine: &Machine, text: &[u8], repeats: &Repeats) -> Option<Aside> {
    let own = &text[machine.start()..machine.end()];
    if repeats.may_be_heading(own) && repeats.headings().is_one(&text_of(own)) {
        return Some(Aside::Heading);
    }
    repeats.why(own).or_else(|| repeats.why_record(machine, text))
}

/// The same, where someone says what lines are.
#[cold]
fn stated(
    machine: &Machine,
    text: &[u8],
    repeats: &Repeats,
    line: u64,
    sink: &mut impl RecordSink,
) -> Option<Aside> {
    let own = &text[machine.start()..machine.end()];
    if let Some(rule) = repeats.rule_about(own) {
        sink.stated(rule, line);
        return match repeats.rules()[rule].role {
            Role::Detail => None,
            Role::Heading => Some(Aside::Heading),
            Role::Total => Some(Aside::PartTotal),
            Role::Page => Some(Aside::RepeatedPreamble),
            Role::Names | Role::Aside => Some(Aside::Stated),
        };
    }
    why_no_record(machine, text, repeats).or_else(|| repeats.has_example().then_some(Aside::Heading))
}

/// Hands on a line that is no record: it may be a heading, or hold totals.
#[cold]
fn aside(
    machine: &Machine,
    text: &[u8],
    repeats: &Repeats,
    (mut why, line): (Aside, u64),
    carry: &mut Carry,
    sink: &mut impl RecordSink,
) {
    let is_other = matches!(why, Aside::Heading | Aside::PartTotal | Aside::RepeatedPreamble);
    if is_other && carry.take(repeats, &text[machine.start()..machine.end()]) {
        why = Aside::Carried;
    }
    let own = || String::from_utf8_lossy(&text[machine.start()..machine.end()]);
    if why == Aside::Heading && count_in(&own()).is_some_and(|count| count.names_records) {
        why = Aside::PartTotal;
    }
    sink.aside(why, line, u64::from(machine.lines()));
    if why == Aside::PartTotal {
        sink.totals(&Record { machine, text, line, carry, derived: &shape::NOTHING });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::{LayoutChoices, Samples, detect};
    use crate::record::Dialect;

    /// Records as `line:fields`, lines set aside as `line+lines reason`.
    #[derive(Default)]
    struct Told(Vec<String>, usize);

    impl RecordSink for Told {
        fn record(&mut self, record: &Record<'_>) -> Flow {
            let fields: Vec<String> =
                record.fields().map(|f| String::from_utf8_lossy(f).into_owned()).collect();
            self.0.push(format!("{}:{}", record.line(), fields.join("|")));
            if self.0.len() == self.1 { Flow::Break(()) } else { Flow::Continue(()) }
        }
        fn aside(&mut self, why: Aside, line: u64, lines: u64) {
            self.0.push(format!("{line}+{lines} {}", why.words()));
        }
    }

    fn told(text: &str, last: bool, most: usize) -> (Vec<String>, Consumed) {
        let head = b"Berth,Dues\n007,12\n012,3\n";
        let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
        let mut machine = Machine::new(&Dialect { comment_prefix: Some(b"#".to_vec()), ..Dialect::new(",") });
        let mut sink = Told(Vec::new(), most);
        let repeats = Repeats::of(head, &layout);
        let start = (5, &mut Carry::default());
        let end = each_record(&mut machine, text.as_bytes(), last, &repeats, start, &mut sink);
        (sink.0, end)
    }

    #[test]
    fn records_and_what_stands_among_them_come_in_order() {
        let text = "007,12\n# closed\n\n\"a\nb\",1\nBerth,Dues\n012,";
        let all =
            ["5:007|12", "6+1 comment", "7+1 empty line", "8:a\nb|1", "10+1 repeats the header", "11:012|"];
        let (records, end) = told(text, true, 99);
        assert_eq!(records, all);
        assert_eq!(end, Consumed { consumed: text.len(), lines: 7 });
    }

    #[test]
    fn a_record_that_is_cut_is_left_for_the_next_text() {
        let (records, end) = told("007,12\n012,\"3", false, 99);
        assert_eq!((records.len(), end), (1, Consumed { consumed: 7, lines: 1 }));
    }

    #[test]
    fn a_sink_may_have_enough() {
        let (records, end) = told("007,12\n012,3\n013,4\n", true, 2);
        assert_eq!((records.len(), end), (2, Consumed { consumed: 13, lines: 2 }));
    }
}
