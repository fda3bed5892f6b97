//! The rows by which it is decided what is a record: some from the head, the middle and the tail of a source.

use super::super::Samples;
use super::super::candidates::fixed::placed::Placed;
use super::super::measure::lexicon::{BLANK, Lexicon, ValueId};
use crate::record::{Dialect, Division, Machine, Multiline, Step};

/// Rows of the head, of the middle and of the tail that are looked at.
const ROWS: [usize; 3] = [400, 60, 200];

/// Fields of a row that are looked at.
const FIELDS: usize = 512;

/// Which sample a row is from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::layout) enum Place {
    Head,
    Middle,
    Tail,
}

/// What stands between two line ends, or between the ends of a record that spans several lines.
#[derive(Clone, Debug)]
pub(in crate::layout) struct Row {
    pub(super) place: Place,
    /// Its first line in its sample, from 1.
    pub(super) line: u64,
    /// Lines it spans.
    pub(super) lines: u64,
    /// Where it starts and ends in its sample.
    pub(super) start: usize,
    pub(super) end: usize,
    /// Blank lines right before it.
    pub(super) gap: u64,
    /// Values, as many as there are fields.
    pub(super) values: Vec<ValueId>,
    /// Fields, before empty ones are added.
    pub(super) fields: usize,
    /// Its whole text.
    pub(super) text: ValueId,
    /// Whether it is a comment or a line drawn with marks, and which.
    pub(super) aside: Option<Step>,
    /// Starts of a fixed layout that stand inside a value.
    pub(super) cuts: usize,
    /// Runs of characters between two blanks or more.
    pub(super) phrases: usize,
}

impl Row {
    /// Fields that are not blank.
    pub(super) fn filled(&self) -> usize {
        self.values.iter().filter(|v| **v != BLANK).count()
    }
}

/// Rows in their order, as one dialect cuts them.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Rows {
    pub(in crate::layout) rows: Vec<Row>,
    /// Lines of the last sample with anything in it, and whether it is the head.
    pub(super) last_lines: u64,
    pub(super) is_whole: bool,
}

impl Rows {
    /// Reads the rows that matter: the first ones, some from the middle, the last ones.
    pub(in crate::layout) fn read(samples: Samples<'_>, dialect: &Dialect, lexicon: &mut Lexicon) -> Self {
        let is_whole = samples.tail.is_empty();
        let mut rows = Self { is_whole, ..Self::default() };
        if is_whole {
            let total = rows.scan(samples.head, dialect, lexicon, Place::Head, &|_| true, true);
            if total <= ROWS[0] + ROWS[2] {
                return rows;
            }
            // A long head is its own middle and tail.
            rows.rows.clear();
            rows.scan(
                samples.head,
                dialect,
                lexicon,
                Place::Head,
                &|at| at < ROWS[0] || at + ROWS[2] >= total,
                false,
            );
            return rows;
        }
        rows.scan(samples.head, dialect, lexicon, Place::Head, &|at| at < ROWS[0], false);
        rows.scan(samples.middle, dialect, lexicon, Place::Middle, &|at| at < ROWS[1], false);
        let total = rows.scan(samples.tail, dialect, lexicon, Place::Tail, &|_| false, true);
        rows.scan(samples.tail, dialect, lexicon, Place::Tail, &|at| at + ROWS[2] >= total, false);
        rows
    }

    /// Goes over a sample and keeps the rows that `wanted` says, by number; how many there are. `probe`: stops taking values
    /// after some, and only counts.
    fn scan(
        &mut self,
        text: &[u8],
        dialect: &Dialect,
        lexicon: &mut Lexicon,
        place: Place,
        wanted: &dyn Fn(usize) -> bool,
        probe: bool,
    ) -> usize {
        let mut machine = Machine::new(dialect);
        let (mut at, mut line, mut gap, mut count) = (0, 1, 0, 0);
        loop {
            let step = machine.step(text, at, true);
            match step {
                Step::End | Step::NeedMore => break,
                Step::Blank => gap += 1,
                Step::Record | Step::Comment | Step::Rule | Step::Stray => {
                    if wanted(count) && !(probe && count > ROWS[0] + ROWS[2]) {
                        self.rows.push(row(text, &machine, lexicon, (place, line, gap), step));
                    }
                    count += 1;
                    gap = 0;
                }
            }
            line += u64::from(machine.lines());
            at = machine.next_start();
        }
        self.last_lines = line - 1;
        count
    }
}

fn row(
    text: &[u8],
    machine: &Machine,
    lexicon: &mut Lexicon,
    (place, line, gap): (Place, u64, u64),
    step: Step,
) -> Row {
    let own = &text[machine.start()..machine.end()];
    let values = match step {
        Step::Record => (0..machine.field_count().min(FIELDS))
            .map(|i| {
                let value = machine.field(text, i).trim_ascii();
                if value.is_empty() { BLANK } else { lexicon.value_of_bytes(value) }
            })
            .collect(),
        _ => Vec::new(),
    };
    let (mut cuts, mut phrases) = (0, 0);
    match &machine.dialect().division {
        Division::Fixed(fixed) | Division::Multiline(Multiline::Continued(fixed)) => {
            let line = Placed::new(own, fixed.unit);
            cuts = fixed.starts.iter().filter(|s| line.crosses(**s)).count();
            phrases = line.phrases();
        }
        _ => {}
    }
    Row {
        place,
        line,
        lines: u64::from(machine.lines()),
        start: machine.start(),
        end: machine.end(),
        gap,
        fields: values.len(),
        values,
        text: lexicon.value_of_bytes(own),
        aside: (step != Step::Record).then_some(step),
        cuts,
        phrases,
    }
}
