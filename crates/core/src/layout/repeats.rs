//! Lines that come back among the records: headers in files that were joined, and what stands at the head of every page.

use super::furniture::{Details, Headings, says_total};
use super::{Layout, LineRule, lines};
use crate::kind::statistics::trim;
use crate::record::Machine;
use crate::rows::{Aside, Role};
use crate::shape::Shaping;
use std::sync::Arc;

/// Lines above the header that are remembered.
const REMEMBERED: usize = 40;

/// Fewest letters of a line above the header that is known again.
const LETTERS: usize = 4;

/// The lines that are no records wherever they stand: the header, its units, and those above it. Page numbers and dates may
/// differ, so digits above the header count as alike.
///
/// ```
/// use incola_core::layout::{LayoutChoices, Repeats, Samples, detect};
/// use incola_core::rows::Aside;
/// let head = b"Berth list  page 1\nBerth;Dues\n007;12,50\n012;3,00\n";
/// let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
/// let repeats = Repeats::of(head, &layout);
/// assert_eq!(repeats.why(b"Berth;Dues"), Some(Aside::RepeatedHeader));
/// assert_eq!(repeats.why(b"Berth list  page 2"), Some(Aside::RepeatedPreamble));
/// assert_eq!(repeats.why(b"007;12,50"), None);
/// ```
#[derive(Clone, Debug, Default)]
pub struct Repeats {
    header: Vec<u8>,
    /// Columns that most records fill, where totals stand among the records; 0: none do.
    filled: usize,
    /// With digits as zeros.
    others: Vec<(Vec<u8>, Aside)>,
    /// Which bytes such lines begin with, digits as zeros.
    begins: Vec<bool>,
    /// Whether blank lines are records all the same.
    pub(crate) keeps_blank: bool,
    details: Option<Details>,
    headings: Headings,
    /// Columns (from 0) whose empty cells take the value above them.
    below: Vec<usize>,
    /// What someone says of lines; and whether some of it says what records are.
    rules: Vec<LineRule>,
    has_example: bool,
    /// What becomes of records.
    shaping: Option<Arc<Shaping>>,
}

/// A line with its digits as zeros, without blanks and form feeds at its ends.
pub(super) fn alike_line(line: &[u8]) -> Vec<u8> {
    let line = line.strip_prefix(b"\x0c").unwrap_or(line).trim_ascii_end();
    line.iter().map(|b| alike(*b)).collect()
}

fn alike(byte: u8) -> u8 {
    if byte.is_ascii_digit() { b'0' } else { byte }
}

impl Repeats {
    /// Nothing comes back, but these headings give their values to the records below them, and so do these columns (from 0) to the
    /// empty cells below theirs.
    pub fn carrying(headings: Headings, below: Vec<usize>) -> Self {
        Self { headings, below, ..Self::default() }
    }

    /// The same, for which blank lines are records.
    #[must_use]
    pub fn keeping_blank(self, keeps_blank: bool) -> Self {
        Self { keeps_blank, ..self }
    }

    /// The same, for records that are shaped.
    #[must_use]
    pub fn shaping_by(self, shaping: Option<Arc<Shaping>>) -> Self {
        Self { shaping, ..self }
    }

    /// The same, for records as the source has them: nothing is carried into empty cells, and no step is obeyed.
    #[must_use]
    pub fn unshaped(self) -> Self {
        Self { shaping: None, below: Vec::new(), ..self }
    }

    /// How records are shaped, if they are.
    #[inline]
    pub fn shaping(&self) -> Option<&Arc<Shaping>> {
        self.shaping.as_ref()
    }

    /// What may come back in a source whose first lines are `head`.
    pub fn of(head: &[u8], layout: &Layout) -> Self {
        let mut repeats = Self {
            begins: vec![false; 256],
            filled: layout.filled_among_totals,
            details: layout.details.clone(),
            headings: layout.headings.clone(),
            below: layout.carried_down.clone(),
            has_example: layout.line_rules.iter().any(|rule| rule.role == Role::Detail),
            rules: layout.line_rules.clone(),
            shaping: layout.shaping.clone(),
            ..Self::default()
        };
        let mut machine = Machine::new(&layout.dialect.value);
        let lines: Vec<&[u8]> = lines::lines(head).take(layout.lines_before_data as usize).collect();
        if let Some(line) = layout.header_line {
            // A header may span several lines, inside quotes for example.
            let lone_cr = layout.dialect.value.lone_cr_ends_line;
            if let Some(start) = after_lines(head, line - 1, lone_cr) {
                machine.step(head, start, true);
                repeats.header = head[start..machine.end()].to_vec();
            }
        }
        if layout.width >= 2 {
            let above = lines.iter().take((layout.preamble_lines as usize).min(REMEMBERED));
            for line in above {
                repeats.remember(line, Aside::RepeatedPreamble);
            }
            if let Some(units) = layout.units_line.and_then(|line| lines.get(line as usize - 1)) {
                repeats.remember(units, Aside::RepeatedUnits);
            }
        }
        if let Some(first) = repeats.header.first() {
            repeats.begins[usize::from(alike(*first))] = true;
        }
        repeats
    }

    fn remember(&mut self, line: &[u8], why: Aside) {
        let line = alike_line(line);
        if line.iter().filter(|b| b.is_ascii_alphabetic() || **b >= 0x80).count() >= LETTERS {
            self.begins[usize::from(line[0])] = true;
            self.others.push((line, why));
        }
    }

    /// Why the record in the machine is none: a total among the records, or another line of a report.
    #[inline]
    pub fn why_record(&self, machine: &Machine, text: &[u8]) -> Option<Aside> {
        if self.filled == 0 && self.details.is_none() {
            return None;
        }
        match &self.details {
            Some(details) => details.why(machine, text),
            None => self.total(machine, text),
        }
    }

    fn total(&self, machine: &Machine, text: &[u8]) -> Option<Aside> {
        let filled = machine.fields(text).filter(|f| !trim(f).0.is_empty()).count();
        (filled < self.filled && says_total(machine, text)).then_some(Aside::PartTotal)
    }

    /// Whether a line may be a heading among the records, by its first character.
    #[inline]
    pub fn may_be_heading(&self, line: &[u8]) -> bool {
        !self.headings.is_empty() && self.headings.may_begin(line)
    }

    /// The columns (from 0) whose empty cells take the value above them.
    #[inline]
    pub fn below(&self) -> &[usize] {
        &self.below
    }

    /// Whether someone says anything of lines.
    #[inline]
    pub fn has_rules(&self) -> bool {
        !self.rules.is_empty()
    }

    /// What someone says of lines.
    pub fn rules(&self) -> &[LineRule] {
        &self.rules
    }

    /// Whether only those lines are records of which someone says so.
    pub fn has_example(&self) -> bool {
        self.has_example
    }

    /// The first rule about a line, its end left out.
    pub fn rule_about(&self, line: &[u8]) -> Option<usize> {
        self.rules.iter().position(|rule| rule.is_about(line))
    }

    /// The headings among the records.
    pub fn headings(&self) -> &Headings {
        &self.headings
    }

    /// Why a line, its end left out, is no record; `None`: it may be one.
    #[inline]
    pub fn why(&self, line: &[u8]) -> Option<Aside> {
        let line = line.strip_prefix(b"\x0c").unwrap_or(line);
        let begins = line.first().is_some_and(|b| self.begins.get(usize::from(alike(*b))) == Some(&true));
        if begins { self.compare(line) } else { None }
    }

    fn compare(&self, line: &[u8]) -> Option<Aside> {
        if !self.header.is_empty() && line == self.header {
            return Some(Aside::RepeatedHeader);
        }
        let line = line.trim_ascii_end();
        let same = |other: &[u8]| {
            line.len() == other.len() && line.iter().zip(other).all(|(byte, known)| alike(*byte) == *known)
        };
        self.others.iter().find(|(other, _)| same(other)).map(|(_, why)| *why)
    }
}

/// The lines of decoded text, with their ends.
pub fn whole_lines(text: &[u8], lone_cr: bool) -> impl Iterator<Item = &[u8]> {
    let mut rest = text;
    std::iter::from_fn(move || {
        let (line, behind) = rest.split_at(after_lines(rest, 1, lone_cr).unwrap_or(rest.len()));
        rest = behind;
        (!line.is_empty()).then_some(line)
    })
}

/// The byte after `lines` lines of decoded text.
pub fn after_lines(text: &[u8], lines: u64, lone_cr: bool) -> Option<usize> {
    let mut at = 0;
    for _ in 0..lines {
        at = crate::encoding::Encoding::Utf8.after_line_end(text, at, lone_cr)?;
    }
    Some(at)
}
