//! What was found in lines.

use super::LISTED;
use crate::kind::Count;
use crate::layout::SetAside;
use crate::rows::Aside;
use crate::shape::Shaped;

/// Records with an odd number of fields.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Ragged {
    /// How many, and the line of the first one.
    pub seen: Count,
    /// Fields of the first one.
    pub fields: usize,
}

/// What was found in the lines of a block.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LineFacts {
    /// Records with too few fields.
    pub short: Ragged,
    /// Records with too many fields.
    pub long: Ragged,
    /// Quotes that were never closed.
    pub unclosed_quotes: Count,
    /// Quotes inside quoted fields.
    pub stray_quotes: Count,
    /// Records that quotes stretch over several lines.
    pub wrapped: Count,
    /// Bytes that stand for no character.
    pub undecodable: Count,
    /// Lines (from 1) of the first such bytes, with the character in the line (from 1).
    pub undecodable_places: Vec<(u64, usize)>,
    /// Control characters.
    pub controls: Count,
    /// For each start of a fixed layout: lines with a character on both sides of it.
    pub crossings: Vec<Crossing>,
    /// Where records of another width begin and go on.
    pub change: Option<Change>,
    /// Lines of a fixed layout that hold tabs.
    pub tabs: Count,
    /// Lines that are longer than nearly all others, in a fixed layout.
    pub too_long: Count,
    /// Lines that are shorter.
    pub too_short: Count,
    /// For each column that is carried down: records whose empty cell takes the value above it.
    pub carried_down: Vec<Count>,
    /// For each rule that someone made for lines: the lines that it is about.
    pub stated: Vec<Count>,
    /// Lines that are no records, as far as they are listed.
    pub set_aside: Vec<SetAside>,
    /// Lines that are no records, all of them.
    pub set_aside_lines: u64,
    /// What became of records that are shaped.
    pub shaped: Shaped,
}

/// A place from which on many records in a row have the same odd number of fields.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Change {
    /// The first of them.
    pub line: u64,
    /// Their fields.
    pub fields: usize,
}

/// Lines with a character on both sides of a start.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Crossing {
    /// All of them.
    pub all: Count,
    /// Those with the same sort of character on both sides: letters, or digits.
    pub alike: Count,
}

impl LineFacts {
    pub(super) fn set_aside(&mut self, line: u64, lines: u64, why: Aside) {
        self.set_aside_lines += lines;
        let room = self.set_aside.len() < LISTED;
        match self.set_aside.last_mut() {
            Some(last) if last.why == why && last.line + last.lines == line => last.lines += lines,
            _ if room => self.set_aside.push(SetAside { line, lines, why }),
            _ => {}
        }
    }

    pub(super) fn merge(&mut self, later: Self, lines_before: u64) {
        let count = |mine: &mut Count, other: Count| {
            if mine.count == 0 && other.count > 0 {
                mine.line = other.line + lines_before;
            }
            mine.count += other.count;
        };
        for (mine, other) in [(&mut self.short, later.short), (&mut self.long, later.long)] {
            if mine.seen.count == 0 {
                mine.fields = other.fields;
            }
            count(&mut mine.seen, other.seen);
        }
        count(&mut self.unclosed_quotes, later.unclosed_quotes);
        count(&mut self.stray_quotes, later.stray_quotes);
        count(&mut self.wrapped, later.wrapped);
        count(&mut self.undecodable, later.undecodable);
        count(&mut self.controls, later.controls);
        if self.change.is_none() {
            self.change = later.change.map(|c| Change { line: c.line + lines_before, ..c });
        }
        count(&mut self.tabs, later.tabs);
        count(&mut self.too_long, later.too_long);
        count(&mut self.too_short, later.too_short);
        self.stated.resize(self.stated.len().max(later.stated.len()), Count::default());
        for (mine, other) in self.stated.iter_mut().zip(later.stated) {
            count(mine, other);
        }
        self.carried_down.resize(self.carried_down.len().max(later.carried_down.len()), Count::default());
        for (mine, other) in self.carried_down.iter_mut().zip(later.carried_down) {
            count(mine, other);
        }
        if self.crossings.len() < later.crossings.len() {
            self.crossings.resize(later.crossings.len(), Crossing::default());
        }
        for (mine, other) in self.crossings.iter_mut().zip(later.crossings) {
            count(&mut mine.all, other.all);
            count(&mut mine.alike, other.alike);
        }
        for (line, position) in later.undecodable_places {
            if self.undecodable_places.len() < LISTED {
                self.undecodable_places.push((line + lines_before, position));
            }
        }
        let listed: u64 = later.set_aside.iter().map(|s| s.lines).sum();
        for aside in later.set_aside {
            self.set_aside(aside.line + lines_before, aside.lines, aside.why);
        }
        self.set_aside_lines += later.set_aside_lines - listed;
        self.shaped.merge(later.shaped, count);
    }
}
