//! The sample cut into rows of fields, by the record machine that will read the file.

use super::lexicon::{BLANK, Lexicon, ValueId};
use super::sort::Sort;
use crate::layout::sample::Sample;
use crate::layout::tally::Tally;
use crate::record::{Dialect, Machine, Multiline, Step};

/// Most fields of a row that are looked at one by one.
pub(in crate::layout) const MOST_FIELDS: usize = 512;

/// Lines of a part that may be its first record.
const BEGINNINGS: usize = 4;

/// A field and where its value stands in the line.
#[derive(Clone, Copy, Debug, Default)]
pub(in crate::layout) struct Cell {
    pub(in crate::layout) value: ValueId,
    /// Places in the line at which the value begins and ends; a tab goes to the next multiple of eight.
    pub(in crate::layout) from: u32,
    pub(in crate::layout) to: u32,
    /// Blanks in front of the value, in its field.
    pub(in crate::layout) lead: u16,
}

/// A record, or what would be one.
#[derive(Clone, Copy, Debug)]
pub(in crate::layout) struct Row {
    cells: (u32, u32),
    /// Its fields, all of them.
    pub(in crate::layout) fields: u32,
    /// Its whole text.
    pub(in crate::layout) text: ValueId,
    /// Whether it is a line drawn with marks.
    pub(in crate::layout) is_rule: bool,
    /// Whether a row before it is the very same.
    pub(in crate::layout) is_repeat: bool,
}

/// Rows, cut by one dialect.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Grid {
    pub(in crate::layout) rows: Vec<Row>,
    cells: Vec<Cell>,
    /// Fields in quotes, those of them that hold the delimiter or a line end, quotes out of place.
    pub(in crate::layout) quoted: usize,
    pub(in crate::layout) quoted_delimiters: usize,
    pub(in crate::layout) bad_quotes: usize,
}

impl Grid {
    /// Cuts the sample.
    pub(in crate::layout) fn read(sample: &Sample<'_>, dialect: &Dialect, lexicon: &mut Lexicon) -> Self {
        let mut grid = Self::default();
        let mut machine = Machine::new(dialect);
        for (number, part) in sample.parts.iter().enumerate() {
            let mut at = match dialect.division.multiline() {
                _ if number == 0 => 0,
                Some(Multiline::Cycle { lines, first: None }) => {
                    grid.turn(part.text, lines.len(), &mut machine, lexicon)
                }
                _ if dialect.quote.is_some() => grid.begins(part.text, &mut machine),
                _ => 0,
            };
            loop {
                let step = machine.step(part.text, at, true);
                // A part may end inside quotes: what is left of it says nothing.
                let near_end = (part.text.len() - at) * 3 < part.text.len();
                let is_cut = number + 1 < sample.parts.len() && near_end;
                if step == Step::Record && is_cut && machine.oddities().unclosed_quotes > 0 {
                    break;
                }
                match step {
                    Step::End | Step::NeedMore => break,
                    Step::Record => grid.take(part.text, &machine, lexicon),
                    Step::Rule => grid.rule(&part.text[machine.start()..machine.end()], lexicon),
                    Step::Blank | Step::Comment | Step::Stray => {}
                }
                at = machine.next_start();
            }
        }
        let mut seen = rustc_hash::FxHashSet::default();
        for row in grid.rows.iter_mut().filter(|r| !r.is_rule) {
            row.is_repeat = !seen.insert(row.text);
        }
        grid
    }

    /// Where the first whole record of a part further on begins: the part may begin inside quotes. Of its first lines the one
    /// from which on quotes are in place and records have the usual width.
    fn begins(&self, text: &[u8], machine: &mut Machine) -> usize {
        if memchr::memchr2(b'"', b'\'', text).is_none() {
            return 0;
        }
        let widths: Tally<u32> = self.rows.iter().filter(|r| !r.is_rule).map(|r| r.fields).collect();
        let usual = widths.top().map_or(1, |top| *top.0);
        let mut best = (usize::MAX, 0);
        let mut start = 0;
        for _ in 0..BEGINNINGS {
            let (mut at, mut odd) = (start, 0);
            for _ in 0..BEGINNINGS * 3 {
                match machine.step(text, at, true) {
                    Step::End | Step::NeedMore => break,
                    Step::Record => {
                        let oddities = machine.oddities();
                        odd += (oddities.stray_quotes + oddities.unclosed_quotes) as usize;
                        odd += usize::from(machine.field_count() as u32 != usual);
                    }
                    _ => {}
                }
                at = machine.next_start();
            }
            if odd < best.0 {
                best = (odd, start);
            }
            match memchr::memchr(b'\n', &text[start..]) {
                Some(end) => start += end + 1,
                None => break,
            }
        }
        best.1
    }

    /// Where the first whole record of a part further on begins, if records have so many lines and nothing marks the first one:
    /// of its first lines the one from which on the sorts of values are those of the records before.
    fn turn(&self, text: &[u8], lines: usize, machine: &mut Machine, lexicon: &mut Lexicon) -> usize {
        let mut usual: Vec<Tally<Sort>> = Vec::new();
        for row in self.rows.iter().filter(|r| !r.is_rule) {
            usual.resize_with(usual.len().max(row.fields as usize), Tally::default);
            for (sorts, cell) in usual.iter_mut().zip(self.cells(row)) {
                sorts.add(lexicon.get(cell.value).sort);
            }
        }
        let mut best = (0, 0);
        let mut start = 0;
        for _ in 0..lines {
            let (mut at, mut alike) = (start, 0);
            for _ in 0..BEGINNINGS {
                match machine.step(text, at, true) {
                    Step::End | Step::NeedMore => break,
                    Step::Record => {
                        let fields: Vec<ValueId> =
                            machine.fields(text).map(|field| lexicon.value_of_bytes(field)).collect();
                        let own = fields.iter().map(|id| lexicon.get(*id).sort);
                        alike += own.zip(&usual).map(|(sort, sorts)| sorts.count(&sort)).sum::<usize>();
                    }
                    _ => {}
                }
                at = machine.next_start();
            }
            if alike > best.0 {
                best = (alike, start);
            }
            match memchr::memchr2(b'\n', b'\r', &text[start..]) {
                Some(end) if text[start + end..].starts_with(b"\r\n") => start += end + 2,
                Some(end) => start += end + 1,
                None => break,
            }
        }
        best.1
    }

    fn rule(&mut self, text: &[u8], lexicon: &mut Lexicon) {
        let at = self.cells.len() as u32;
        let text = lexicon.value_of_bytes(text);
        self.rows.push(Row { cells: (at, at), fields: 0, text, is_rule: true, is_repeat: false });
    }

    fn take(&mut self, text: &[u8], machine: &Machine, lexicon: &mut Lexicon) {
        let from = self.cells.len() as u32;
        let own = &text[machine.start()..machine.end()];
        let places = Places::of(own);
        let count = machine.field_count();
        for index in 0..count.min(MOST_FIELDS) {
            let field = machine.field(text, index);
            if machine.is_quoted(index) {
                self.quoted += 1;
                let delimiter = machine.dialect().delimiter.as_slice();
                let holds = memchr::memchr(b'\n', field).is_some()
                    || (!delimiter.is_empty() && memchr::memmem::find(field, delimiter).is_some());
                self.quoted_delimiters += usize::from(holds);
            }
            let lead = field.iter().take_while(|b| **b == b' ').count();
            let value = field[lead..].trim_ascii_end();
            let (begin, end) = machine.field_range(index).map_or((0, 0), |range| {
                let base = range.start + lead - machine.start();
                (places.at(base), places.at(base + value.len()))
            });
            self.cells.push(Cell {
                value: if value.is_empty() { BLANK } else { lexicon.value_of_bytes(value) },
                from: begin,
                to: end,
                lead: lead.min(usize::from(u16::MAX)) as u16,
            });
        }
        let oddities = machine.oddities();
        self.bad_quotes += oddities.stray_quotes as usize + oddities.unclosed_quotes as usize;
        self.rows.push(Row {
            cells: (from, self.cells.len() as u32),
            fields: count as u32,
            text: lexicon.value_of_bytes(own),
            is_rule: false,
            is_repeat: false,
        });
    }

    /// The cells of a row.
    pub(in crate::layout) fn cells(&self, row: &Row) -> &[Cell] {
        &self.cells[row.cells.0 as usize..row.cells.1 as usize]
    }
}

/// Turns bytes of a line into places.
struct Places(Option<Vec<u32>>);

impl Places {
    fn of(line: &[u8]) -> Self {
        if line.is_ascii() && memchr::memchr(b'\t', line).is_none() {
            return Self(None);
        }
        let text = String::from_utf8_lossy(line);
        let mut places = Vec::with_capacity(line.len() + 1);
        let mut place = 0;
        for c in text.chars() {
            for _ in 0..c.len_utf8() {
                places.push(place);
            }
            place += match c {
                '\t' => 8 - place % 8,
                c => width(c),
            };
        }
        places.push(place);
        Self(Some(places))
    }

    fn at(&self, byte: usize) -> u32 {
        match &self.0 {
            None => byte as u32,
            Some(places) => places.get(byte).or(places.last()).copied().unwrap_or(0),
        }
    }
}

/// Places that a character takes where lines are lined up: East Asian wide ones take two.
pub(in crate::layout) fn width(c: char) -> u32 {
    match c {
        '\u{1100}'..='\u{115f}'
        | '\u{2e80}'..='\u{a4cf}'
        | '\u{ac00}'..='\u{d7a3}'
        | '\u{f900}'..='\u{faff}'
        | '\u{fe30}'..='\u{fe6f}'
        | '\u{ff00}'..='\u{ff60}'
        | '\u{ffe0}'..='\u{ffe6}' => 2,
        '\u{300}'..='\u{36f}' => 0,
        _ => 1,
    }
}
