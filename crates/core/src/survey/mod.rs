//! The survey: every record is read once, block by block, and each column's statistics are kept.
//!
//! Blocks are surveyed by several workers at once and merged in their order. A block that does not end where a record
//! ends says so ([`BlockSurvey::consumed`]); whoever feeds the survey then joins it with the next block and surveys both
//! again, so that only blocks which begin at a record are ever merged.

mod facts;
mod unique;

pub use facts::{Change, Crossing, LineFacts, Ragged};
pub use unique::unique_candidates;

use crate::encoding::Undecodable;
use crate::kind::statistics::trim;
use crate::kind::{ColumnStats, Count};
use crate::layout::Repeats;
use crate::record::{Dialect, Division, Machine};
use crate::rows::{Aside, Carry, Each, Flow, Record, RecordSink, each_record};
use crate::shape::Shaped;
use unique::{Digests, Uniqueness};

/// Most columns of a worksheet; more are refused before anything is kept of them.
pub const MOST_COLUMNS: usize = 16_384;

/// Most bytes of a record.
pub const MOST_RECORD_BYTES: usize = 16 * 1024 * 1024;

/// Lines set aside that are listed one by one; more are counted.
const LISTED: usize = 1000;

/// Different values that are remembered to tell whether a column repeats one.
const REMEMBERED: usize = 1 << 19;

/// What workers need to survey a block.
#[derive(Clone, Debug)]
pub struct SurveyPlan {
    /// How records are cut.
    pub dialect: Dialect,
    /// Fields of most records.
    pub width: usize,
    /// Lines that are no records wherever they stand.
    pub repeats: Repeats,
    /// Characters of nearly every line, in a fixed layout that fills them up.
    pub line_length: Option<usize>,
    /// Values that mean empty.
    pub blank: Blanks,
    /// Columns (from 0) of which it is asked whether any value repeats.
    pub unique: Vec<usize>,
}

impl SurveyPlan {
    /// Columns, as far as they are known: the fields of a record, the values of headings, and what is made of them.
    fn columns(&self) -> usize {
        match self.repeats.shaping() {
            Some(shaping) => shaping.base() + shaping.columns().len(),
            None => self.width + self.repeats.headings().len(),
        }
    }
}

/// Spellings that mean empty.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Blanks {
    /// In all columns.
    pub all: Vec<Vec<u8>>,
    /// By column (from 0), besides those.
    pub columns: Vec<Vec<Vec<u8>>>,
}

impl Blanks {
    /// Whether a field of a column (from 0) means empty, blanks around it left out.
    ///
    /// ```
    /// use incola_core::survey::Blanks;
    /// let blanks = Blanks { all: vec![b"-".to_vec()], columns: vec![vec![b"n/a".to_vec()]] };
    /// assert!(blanks.means_empty(0, b" n/a ") && !blanks.means_empty(1, b"n/a") && blanks.means_empty(1, b"-"));
    /// ```
    #[inline]
    pub fn means_empty(&self, column: usize, field: &[u8]) -> bool {
        if self.all.is_empty() && self.columns.is_empty() {
            return false;
        }
        let value = trim(field).0;
        let own = self.columns.get(column).into_iter().flatten();
        self.all.iter().chain(own).any(|blank| blank == value)
    }

    /// Counts a field of a column (from 0) as what it means.
    #[inline]
    fn observe(&self, stats: &mut ColumnStats, column: usize, field: &[u8], line: u64) {
        if self.means_empty(column, field) {
            stats.observe_missing(1);
        } else {
            stats.observe(field, line);
        }
    }
}

/// Records in a row with an odd number of fields that are no accident.
const CHANGE: u64 = 50;

/// A run of records with the same odd number of fields.
#[derive(Clone, Copy, Debug, Default)]
struct OddRun {
    fields: usize,
    line: u64,
    /// The last record of it, counted in its block.
    last: u64,
    length: u64,
}

/// A block, surveyed.
#[derive(Clone, Debug, Default)]
pub struct BlockSurvey {
    /// Bytes of the block's text that were understood: all of it, if it ends where a record ends.
    pub consumed: usize,
    /// Records.
    pub records: u64,
    /// Physical lines.
    pub lines: u64,
    /// Fields of the widest record.
    pub widest: usize,
    /// Statistics by column; lines are counted from 1 within the block.
    pub columns: Vec<ColumnStats>,
    /// What was found in its lines.
    pub facts: LineFacts,
    /// Digests of the values of the columns asked for, by column.
    pub digests: Vec<Vec<u64>>,
    /// What its headings say at its end; nothing of those that it does not have.
    pub carry: Carry,
    /// For each level of what is carried: the lines of records before the first value of the block, which take one of an earlier block.
    unheaded: Vec<Vec<u64>>,
    /// The column (from 0) of each such level.
    places: Vec<usize>,
    odd_run: OddRun,
}

impl BlockSurvey {
    /// Gives the records before the first headings the values of those before the block.
    fn head(&mut self, carry: &Carry, blank: &Blanks) {
        for (level, lines) in self.unheaded.iter_mut().enumerate().filter(|(_, lines)| !lines.is_empty()) {
            let mut column = ColumnStats::default();
            let value = carry.value(level).unwrap_or_default();
            let place = self.places[level];
            for line in std::mem::take(lines) {
                blank.observe(&mut column, place, value, line);
            }
            column.merge(&self.columns[place], 0);
            self.columns[place] = column;
        }
    }
}

/// Surveys one block of decoded text that begins at a record. `last`: nothing follows it. `limit`: records to look at;
/// those after it are only counted. `carry`: what headings before it say, as far as it is known.
///
/// ```
/// use incola_core::layout::Repeats;
/// use incola_core::record::Dialect;
/// use incola_core::rows::Carry;
/// use incola_core::survey::{SurveyPlan, survey_block};
/// let plan = SurveyPlan {
///     dialect: Dialect::new(","), width: 2, repeats: Repeats::default(), line_length: None, blank: Default::default(),
///     unique: Vec::new(),
/// };
/// let block = survey_block(&plan, b"007,12.5\n012,\n", true, u64::MAX, Carry::default());
/// assert_eq!((block.records, block.columns[1].blank), (2, 1));
/// ```
pub fn survey_block(plan: &SurveyPlan, text: &[u8], last: bool, limit: u64, carry: Carry) -> BlockSurvey {
    survey_block_at(plan, (text, 0), last, limit, carry)
}

/// The same for a text after so many lines of its source, which shaping records may need to know.
pub fn survey_block_at(
    plan: &SurveyPlan,
    (text, before): (&[u8], u64),
    last: bool,
    limit: u64,
    mut carry: Carry,
) -> BlockSurvey {
    let mut machine = Machine::new(&plan.dialect);
    let (headings, below) = (plan.repeats.headings().len(), plan.repeats.below());
    let made = plan.repeats.shaping().map_or(0, |shaping| shaping.columns().len());
    let block = BlockSurvey {
        columns: vec![ColumnStats::default(); plan.columns()],
        unheaded: vec![Vec::new(); headings + below.len()],
        places: (plan.width..plan.width + headings).chain(below.iter().copied()).collect(),
        digests: vec![Vec::new(); plan.unique.len()],
        facts: LineFacts {
            carried_down: vec![Count::default(); below.len()],
            stated: vec![Count::default(); plan.repeats.rules().len()],
            shaped: Shaped::for_columns(made),
            ..LineFacts::default()
        },
        ..BlockSurvey::default()
    };
    let is_quoted = plan.dialect.quote.is_some() && plan.dialect.division == Division::Delimited;
    let is_fixed = plan.dialect.division.fixed().is_some();
    let mut observer = Observer { plan, block, limit, is_quoted, is_fixed, before, made };
    let start = (before + 1, &mut carry);
    let end = each_record(&mut machine, text, last, &plan.repeats, start, &mut observer);
    BlockSurvey { consumed: end.consumed, lines: end.lines, carry, ..observer.block }
}

/// Counts what is made of the records of a block, and nothing else: where none is left out, the rest is known.
pub fn survey_made(
    plan: &SurveyPlan,
    (text, before): (&[u8], u64),
    mut carry: Carry,
) -> (Vec<ColumnStats>, Shaped) {
    let made = plan.repeats.shaping().map_or(0, |shaping| shaping.columns().len());
    let (mut columns, mut shaped) = (vec![ColumnStats::default(); made], Shaped::for_columns(made));
    let base = plan.columns() - made;
    let mut look = Each(|record: &Record<'_>| {
        let line = record.line() - before;
        for (n, column) in columns.iter_mut().enumerate() {
            plan.blank.observe(column, base + n, record.derived().field(n), line);
        }
        shaped.unmade_of(record, line);
        Flow::Continue(())
    });
    let mut machine = Machine::new(&plan.dialect);
    each_record(&mut machine, text, true, &plan.repeats, (before + 1, &mut carry), &mut look);
    (columns, shaped)
}

/// Counts what records hold.
struct Observer<'p> {
    plan: &'p SurveyPlan,
    block: BlockSurvey,
    limit: u64,
    is_quoted: bool,
    is_fixed: bool,
    /// Lines before the text.
    before: u64,
    /// Columns that are made of others.
    made: usize,
}

impl Observer<'_> {
    /// Counts what is made of a record.
    fn observe_made(&mut self, record: &Record<'_>, line: u64) {
        let derived = record.derived();
        let base = self.block.columns.len() - self.made;
        for (n, column) in self.block.columns[base..].iter_mut().enumerate() {
            let is_all = self.block.records <= self.limit;
            let field = derived.field(n);
            if is_all {
                self.plan.blank.observe(column, base + n, field, line);
            } else {
                column.observe_length(field, line);
            }
        }
        self.block.facts.shaped.unmade_of(record, line);
    }
}

impl RecordSink for Observer<'_> {
    fn aside(&mut self, why: Aside, line: u64, lines: u64) {
        let line = line - self.before;
        self.block.facts.set_aside(line, lines, why);
        self.block.facts.shaped.leave_out(why, line);
    }

    fn stated(&mut self, rule: usize, line: u64) {
        self.block.facts.stated[rule].add(line - self.before);
    }

    #[inline]
    fn record(&mut self, record: &Record<'_>) -> Flow {
        let line = record.line() - self.before;
        self.block.records += 1;
        if self.made > 0 {
            self.observe_made(record, line);
        }
        let Self { plan, block, .. } = self;
        let fields = record.count();
        if plan.repeats.keeps_blank && fields <= 1 && trim(record.field(0)).0.is_empty() {
            let own = block.columns.len() - self.made;
            for column in &mut block.columns[..own] {
                column.observe_missing(1);
            }
            return Flow::Continue(());
        }
        if fields != plan.width {
            odd_width(plan, block, fields, line);
            if fields > MOST_COLUMNS {
                return Flow::Break(());
            }
        }
        let oddities = record.oddities();
        for (count, odd) in [
            (&mut block.facts.unclosed_quotes, oddities.unclosed_quotes),
            (&mut block.facts.stray_quotes, oddities.stray_quotes),
            (&mut block.facts.wrapped, u32::from(self.is_quoted && record.lines() > 1)),
        ] {
            if odd > 0 {
                *count = Count {
                    count: count.count + u64::from(odd),
                    line: if count.count == 0 { line } else { count.line },
                };
            }
        }
        if self.is_fixed {
            observe_line(plan, record, line, &mut block.facts);
        }
        let looked_at = block.records <= self.limit;
        let observe = |column: &mut ColumnStats, place: usize, value: &[u8]| {
            if looked_at {
                plan.blank.observe(column, place, value, line);
            } else {
                column.observe_length(value, line);
            }
        };
        let carried = block.places.len();
        let below = plan.repeats.below();
        let own = if carried == below.len() { block.columns.len() - self.made } else { plan.width };
        for (place, (column, field)) in block.columns[..own].iter_mut().zip(record.fields()).enumerate() {
            if below.is_empty() || !below.contains(&place) {
                observe(column, place, field);
            }
        }
        if fields < own {
            for (place, column) in block.columns.iter_mut().enumerate().take(own).skip(fields) {
                if !below.contains(&place) {
                    column.observe_missing(1);
                }
            }
        }
        let headings = carried - below.len();
        for level in 0..carried {
            let place = block.places[level];
            let is_empty = level >= headings && trim(record.own_field(place)).0.is_empty();
            if is_empty {
                block.facts.carried_down[level - headings].add(line);
            }
            match record.carry().value(level) {
                // A value of its own is kept with what is around it.
                Some(value) => observe(&mut block.columns[place], place, value),
                None => block.unheaded[level].push(line),
            }
        }
        if looked_at {
            for (digests, column) in block.digests.iter_mut().zip(&plan.unique) {
                let value = trim(record.field(*column)).0;
                if !value.is_empty() {
                    digests.push(xxhash_rust::xxh3::xxh3_64(value));
                }
            }
        }
        Flow::Continue(())
    }
}

/// What only a fixed layout asks of a line: whether its starts stand inside values, its length, tabs.
fn observe_line(plan: &SurveyPlan, record: &Record<'_>, line: u64, facts: &mut LineFacts) {
    let own = record.bytes();
    let fields = record.count();
    if facts.crossings.len() < fields {
        facts.crossings.resize(fields.max(plan.width), Crossing::default());
    }
    for place in 1..fields {
        if let Some(alike) = record.crossing(place) {
            facts.crossings[place].all.add(line);
            if alike {
                facts.crossings[place].alike.add(line);
            }
        }
    }
    if memchr::memchr(b'\t', own).is_some() {
        facts.tabs.add(line);
    }
    if let Some(length) = plan.line_length {
        let own = if own.is_ascii() { own.len() } else { String::from_utf8_lossy(own).chars().count() };
        if own > length {
            facts.too_long.add(line);
        } else if own < length {
            facts.too_short.add(line);
        }
    }
}

#[cold]
fn odd_width(plan: &SurveyPlan, block: &mut BlockSurvey, fields: usize, line: u64) {
    let ragged = if fields < plan.width { &mut block.facts.short } else { &mut block.facts.long };
    if ragged.seen.count == 0 {
        *ragged = Ragged { seen: Count { count: 0, line }, fields };
    }
    ragged.seen.count += 1;
    let run = &mut block.odd_run;
    if run.fields == fields && run.last + 1 == block.records {
        run.last += 1;
        run.length += 1;
    } else {
        *run = OddRun { fields, line, last: block.records, length: 1 };
    }
    if run.length == CHANGE && block.facts.change.is_none() {
        block.facts.change = Some(Change { line: run.line, fields });
    }
    block.widest = block.widest.max(fields);
    if fields > block.columns.len() && fields <= MOST_COLUMNS {
        // The records before had no such field.
        let missing = block.records - 1;
        let mut column = ColumnStats::default();
        column.observe_missing(missing);
        block.columns.resize(fields, column);
    }
}

/// Blocks merged so far.
#[derive(Clone, Debug, Default)]
pub struct Survey {
    /// Records.
    pub records: u64,
    /// Physical lines.
    pub lines: u64,
    /// Statistics by column; lines are those of the source.
    pub columns: Vec<ColumnStats>,
    /// What was found in the lines.
    pub facts: LineFacts,
    unique: Vec<(usize, Uniqueness)>,
    /// Fields of the widest record.
    pub widest: usize,
}

impl Survey {
    /// A survey that begins in the line after `lines_before`.
    pub fn new(plan: &SurveyPlan, lines_before: u64) -> Self {
        Self {
            lines: lines_before,
            columns: vec![ColumnStats::default(); plan.columns()],
            unique: plan.unique.iter().map(|c| (*c, Uniqueness::default())).collect(),
            ..Self::default()
        }
    }

    /// Adds the next block. `carry`: what headings before it say; `blank`: spellings that mean empty.
    pub fn merge(&mut self, mut block: BlockSurvey, carry: &Carry, blank: &Blanks) {
        block.head(carry, blank);
        let (records_before, lines_before) = (self.records, self.lines);
        while self.columns.len() < block.columns.len() {
            let mut column = ColumnStats::default();
            column.observe_missing(records_before);
            self.columns.push(column);
        }
        for (column, more) in self.columns.iter_mut().zip(&block.columns) {
            column.merge(more, lines_before);
        }
        for column in self.columns.iter_mut().skip(block.columns.len()) {
            column.observe_missing(block.records);
        }
        self.facts.merge(block.facts, lines_before);
        for ((_, unique), digests) in self.unique.iter_mut().zip(&block.digests) {
            for digest in digests {
                if unique.repeats {
                    break;
                }
                if unique.seen.count < REMEMBERED && !unique.seen.insert(*digest) {
                    *unique = Uniqueness { seen: Digests::default(), repeats: true };
                }
            }
        }
        self.records += block.records;
        self.lines += block.lines;
        self.widest = self.widest.max(block.widest);
    }

    /// Adds columns that are made of others, and what became of records, of a block after so many lines.
    pub fn add_made(&mut self, (columns, shaped): (Vec<ColumnStats>, Shaped), base: usize, lines: u64) {
        self.columns.resize(self.columns.len().max(base + columns.len()), ColumnStats::default());
        for (mine, more) in self.columns[base..].iter_mut().zip(&columns) {
            mine.merge(more, lines);
        }
        self.facts.shaped.merge(shaped, |mine, other| {
            if mine.count == 0 && other.count > 0 {
                mine.line = other.line + lines;
            }
            mine.count += other.count;
        });
    }

    /// Adds what was counted in another source with the same columns. Lines of the two are not told apart.
    pub fn absorb(&mut self, other: &Self) {
        let before = self.records;
        while self.columns.len() < other.columns.len() {
            let mut column = ColumnStats::default();
            column.observe_missing(before);
            self.columns.push(column);
        }
        for (column, more) in self.columns.iter_mut().zip(&other.columns) {
            column.merge(more, 0);
        }
        for column in self.columns.iter_mut().skip(other.columns.len()) {
            column.observe_missing(other.records);
        }
        // Whether a value repeats in another source is not known.
        self.unique.clear();
        self.records += other.records;
        self.widest = self.widest.max(other.widest);
    }

    /// Notes bytes that stand for no character in the next block, before it is merged. `lone_cr`: whether a carriage return alone
    /// ends a line.
    pub fn undecodable(&mut self, text: &[u8], undecodable: &Undecodable, lone_cr: bool) {
        if undecodable.count == 0 {
            return;
        }
        let mut facts = LineFacts::default();
        for offset in &undecodable.offsets {
            let before = &text[..*offset];
            let (line, start) = last_line(before, lone_cr);
            let position = String::from_utf8_lossy(&before[start..]).chars().count() + 1;
            facts.undecodable_places.push((line, position));
        }
        let line = facts.undecodable_places.first().map_or(1, |(line, _)| *line);
        facts.undecodable = Count { count: undecodable.count, line };
        self.facts.merge(facts, self.lines);
    }

    /// Whether the values of column `place` (from 0) were asked for and no two are the same.
    pub fn is_unique(&self, place: usize) -> bool {
        self.unique
            .iter()
            .any(|(column, unique)| *column == place && !unique.repeats && unique.seen.count > 0)
    }
}

/// The number (from 1) of the last line of a text, and where it begins (from 0).
fn last_line(text: &[u8], lone_cr: bool) -> (u64, usize) {
    let (mut line, mut start) = (1, 0);
    for at in memchr::memchr2_iter(b'\n', b'\r', text) {
        let ends = text[at] == b'\n' || (lone_cr && text.get(at + 1) != Some(&b'\n'));
        if ends {
            (line, start) = (line + 1, at + 1);
        }
    }
    (line, start)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_told_by_the_line_ends_of_the_file() {
        for (text, lone_cr, expected) in [
            ("", false, (1, 0)),
            ("a\nbc", false, (2, 2)),
            ("a\r\nbc", true, (2, 3)),
            ("a\rb\nc\r", true, (4, 6)),
            ("a\rb\nc\r", false, (2, 4)),
        ] {
            assert_eq!(last_line(text.as_bytes(), lone_cr), expected, "{text:?}");
        }
    }
    use proptest::prelude::*;

    fn plan() -> SurveyPlan {
        let head = b"call,berth,dues\n1,007,12\n";
        let samples = crate::layout::Samples { head, ..Default::default() };
        let layout = crate::layout::detect(samples, &crate::layout::LayoutChoices::default());
        SurveyPlan {
            dialect: Dialect::new(","),
            width: 3,
            repeats: Repeats::of(head, &layout),
            line_length: None,
            blank: Blanks { all: vec![b"n/a".to_vec()], columns: Vec::new() },
            unique: vec![0],
        }
    }

    fn whole(text: &str) -> Survey {
        let mut survey = Survey::new(&plan(), 1);
        survey.merge(
            survey_block(&plan(), text.as_bytes(), true, u64::MAX, Carry::default()),
            &Carry::default(),
            &Blanks::default(),
        );
        survey
    }

    #[test]
    fn odd_records_are_counted_and_located() {
        let survey = whole("1,007,12\n2,008\n\n3,009,1,2,3\ncall,berth,dues\n4,n/a,\"x\n");
        assert_eq!((survey.records, survey.lines, survey.columns.len()), (4, 7, 5));
        assert_eq!((survey.facts.short.seen.line, survey.facts.short.fields), (3, 2));
        assert_eq!((survey.facts.long.seen.line, survey.facts.long.fields), (5, 5));
        assert_eq!(survey.facts.unclosed_quotes, Count { count: 1, line: 7 });
        let why: Vec<_> = survey.facts.set_aside.iter().map(|s| (s.line, s.why.words())).collect();
        assert_eq!(why, [(4, "empty line"), (6, "repeats the header")]);
        for column in &survey.columns {
            assert_eq!(column.filled + column.blank, 4);
        }
        assert!(survey.is_unique(0));
    }

    #[test]
    fn starts_inside_values_are_counted_over_all_lines() {
        let fixed = crate::record::Fixed { starts: vec![0, 4, 10], ..Default::default() };
        let dialect = Dialect { division: crate::record::Division::Fixed(fixed), ..Dialect::new("") };
        let plan = SurveyPlan { dialect, line_length: Some(16), repeats: Repeats::default(), ..plan() };
        // A digit meets a letter in line 4, two digits meet in line 3.
        let text =
            "007 Quill  12.50\n007 Grey  112.50\n008 Heron91 3.25\n0099Heron  10.00 x\n010\tSole   1.00\n";
        let block = survey_block(&plan, text.as_bytes(), true, u64::MAX, Carry::default());
        let at = |place: usize| (block.facts.crossings[place].all, block.facts.crossings[place].alike.count);
        assert_eq!(at(1), (Count { count: 1, line: 4 }, 0));
        assert_eq!(at(2), (Count { count: 1, line: 3 }, 1));
        assert_eq!(block.facts.tabs, Count { count: 1, line: 5 });
        assert_eq!((block.facts.too_long.line, block.facts.too_short.line), (4, 5));
    }

    #[test]
    fn a_block_that_ends_inside_a_record_says_so() {
        let block = survey_block(&plan(), b"1,2,3\n4,\"5\n", false, u64::MAX, Carry::default());
        assert_eq!((block.records, block.consumed), (1, 6));
    }

    proptest! {
        #[test]
        fn blocks_merge_to_what_one_block_gives(
            lines in prop::collection::vec("([0-9]{1,3},[a-c]{0,2},[0-9]\\.[0-9]|call,berth,dues||1,2|1,2,3,4|n/a,\"a\nb\",1)", 1..20),
            cut in 0_usize..20,
        ) {
            let cut = cut.min(lines.len());
            let text = |lines: &[String]| lines.iter().map(|l| format!("{l}\n")).collect::<String>();
            let mut merged = Survey::new(&plan(), 1);
            for part in [&lines[..cut], &lines[cut..]] {
                merged.merge(survey_block(&plan(), text(part).as_bytes(), true, u64::MAX, Carry::default()), &Carry::default(), &Blanks::default());
            }
            let whole = whole(&text(&lines));
            prop_assert_eq!((merged.records, merged.lines), (whole.records, whole.lines));
            prop_assert_eq!(&merged.facts, &whole.facts);
            prop_assert_eq!(merged.is_unique(0), whole.is_unique(0));
            for (a, b) in merged.columns.iter().zip(&whole.columns) {
                prop_assert_eq!((a.filled, a.blank, a.longest, a.longest_line), (b.filled, b.blank, b.longest, b.longest_line));
                prop_assert_eq!(a.filled + a.blank, whole.records);
            }
        }
    }
}
