//! The first pass: samples decide encoding and layout, then every record is looked at once.

use super::around::{After, carried_down, no_such_line};
use super::blocks::{BlockCutter, BlockSize, Cut};
use super::region::{DecodedSamples, Region};
use crate::feed::{Doing, Feed, RawSamples, Watch};
use crate::spool::Spool;
use crate::stop::{Result, Stop};
use crate::totals::PrintedTotals;
use incola_core::encoding::{self, Detected, Encoding, NotText, Undecodable};
use incola_core::evidence::{DecidedBy, Decision};
use incola_core::layout::fixed::{NoSuchStart, from_one};
use incola_core::layout::{self, Layout, Repeats, after_lines};
use incola_core::reading::{self, Choices, LineEnd, Reading, Scan};
use incola_core::record::Machine;
use incola_core::rows::{Carry, RecordSink, each_record};
use incola_core::settings::BadSetting;
use incola_core::settings::LineRange;
use incola_core::survey::{
    Blanks, BlockSurvey, MOST_COLUMNS, MOST_RECORD_BYTES, Survey, SurveyPlan, survey_block,
};
use std::sync::Arc;

/// A source, surveyed: its reading, and what the second pass needs to follow it.
pub struct Surveyed {
    /// Bytes of the source.
    pub bytes: u64,
    /// What was decided.
    pub reading: Reading,
    /// How it was surveyed.
    pub plan: SurveyPlan,
    /// Where the blocks of records begin.
    pub cuts: Vec<Cut>,
    /// What headings before each block say; nothing where there are no headings.
    pub carries: Vec<Carry>,
    /// What became of the totals among the records, once they were looked at.
    pub printed: Option<PrintedTotals>,
    /// The first lines, decoded.
    pub head: Vec<u8>,
    /// What was counted; for putting several sources together.
    pub survey: Survey,
    /// What is after the records, and what someone said of lines there.
    pub after: After,
    /// Whether all of it is ASCII, which says nothing about the encoding of what may come.
    pub is_ascii: bool,
    /// Whether the last line has a line end.
    pub is_ended: bool,
    /// The rows that records were rolled up into, which stand for the source.
    pub rolled_up: Option<RolledUp>,
}

/// Rows that records were rolled up into.
#[derive(Clone, Debug)]
pub struct RolledUp {
    /// The rows, as text.
    pub rows: Arc<Spool>,
    /// The records.
    pub records: u64,
}

impl Surveyed {
    /// Records of the source: those that became rows, those that were rolled up, and those that were left out.
    #[must_use]
    pub fn records_in(&self) -> u64 {
        let own = self.rolled_up.as_ref().map_or(self.reading.records, |rows| rows.records);
        own + self.survey.facts.shaped.left_out()
    }

    /// The first column (from 0) that is made of others, and is not what the source holds; `usize::MAX`: none is.
    #[must_use]
    pub fn made_from(&self) -> usize {
        match &self.rolled_up {
            Some(_) => 0,
            None => self.plan.repeats.shaping().map_or(usize::MAX, |shaping| shaping.base()),
        }
    }

    /// What would be read with other choices, from what was counted.
    ///
    /// # Errors
    /// If the choices do not fit.
    pub fn conclude(&self, choices: &Choices) -> std::result::Result<Reading, BadSetting> {
        self.concluded(&self.survey, choices)
    }

    /// Takes over what was counted in another source with the same columns: [`conclude`] finds it here then. The other one keeps what it
    /// takes to read its records, and what was noticed.
    pub fn take_over(&mut self, other: &mut Self) {
        self.survey.absorb(&other.survey);
        let (lines, facts) = (other.survey.lines, std::mem::take(&mut other.survey.facts));
        other.survey = Survey::default();
        (other.survey.lines, other.survey.facts) = (lines, facts);
        if other.reading.layout.carried_down.is_empty() {
            other.reading.columns = Vec::new();
        }
        // What it might have been instead was for those who look at it alone.
        if other.reading.layout.line_rules.is_empty() {
            other.head = Vec::new();
        }
        other.reading.layout.dialect.runner_up = None;
        other.reading.encoding.runner_up = None;
    }

    /// Whether another one took over what was counted.
    #[must_use]
    pub fn is_taken_over(&self) -> bool {
        self.reading.columns.is_empty()
    }

    /// Gives back room that nothing stands in.
    pub fn shrink(&mut self) {
        self.head.shrink_to_fit();
        self.cuts.shrink_to_fit();
        self.reading.columns.shrink_to_fit();
        self.survey.columns.shrink_to_fit();
        self.reading.notices.shrink_to_fit();
    }

    fn concluded(&self, survey: &Survey, choices: &Choices) -> std::result::Result<Reading, BadSetting> {
        let Reading { encoding, bom_bytes, line_end, layout, .. } = &self.reading;
        if self.rolled_up.is_some() {
            // What the rows hold is said by what is taken.
            return Ok(self.reading.clone());
        }
        reading::conclude(
            encoding.clone(),
            *bom_bytes,
            *line_end,
            layout.clone(),
            survey,
            choices,
            &self.head,
        )
    }

    /// Hands the records among the first lines to a sink.
    pub fn each_in_head(&self, sink: &mut impl RecordSink) {
        self.each_by(&self.plan.repeats, sink);
    }

    /// Hands the records among the first lines to a sink, as the source has them: before any step shapes them. Of rows that were rolled
    /// up there are none.
    pub fn each_unshaped_in_head(&self, sink: &mut impl RecordSink) {
        if self.rolled_up.is_none() {
            self.each_by(&self.plan.repeats.clone().unshaped(), sink);
        }
    }

    fn each_by(&self, repeats: &Repeats, sink: &mut impl RecordSink) {
        let Some(at) = self.data_in_head() else { return };
        let mut machine = Machine::new(&self.plan.dialect);
        let line = self.cuts.first().map_or(0, |cut| cut.lines) + 1;
        let mut carry = self.carries.first().cloned().unwrap_or_default();
        each_record(&mut machine, &self.head[at..], true, repeats, (line, &mut carry), sink);
    }

    /// The spellings that are most misfits of a column (its number from 0), with their counts, as long as they are few.
    #[must_use]
    pub fn misfit_spellings(&self, column: usize) -> Option<Vec<(&[u8], u64)>> {
        let misfits = self.reading.columns.get(column)?.misfits.count;
        let few = self.survey.columns.get(column)?.words.few()?;
        let covered: u64 = few.iter().map(|(_, n)| n).sum();
        (misfits > 0 && covered * 5 >= misfits * 4).then_some(few)
    }

    /// Where the first record stands in the decoded head; `None`: further on.
    pub fn data_in_head(&self) -> Option<usize> {
        let first = self.cuts.first()?;
        after_lines(&self.head, first.lines, self.plan.dialect.lone_cr_ends_line)
    }
}

/// Surveys a source. `lines`: those that are wanted; all of them if nothing is said.
///
/// # Errors
/// If it cannot be read, is empty or no text, or if the choices do not fit it.
pub fn survey(source: &dyn Feed, choices: &Choices, lines: Option<LineRange>) -> Result<Surveyed> {
    survey_in_blocks(source, choices, lines, BlockSize::default())
}

/// Surveys a source in blocks of a size; what comes out does not depend on it, but for where the blocks begin.
///
/// # Errors
/// Those of [`survey`].
pub fn survey_in_blocks(
    source: &dyn Feed,
    choices: &Choices,
    lines: Option<LineRange>,
    size: BlockSize,
) -> Result<Surveyed> {
    if !choices.shaping.is_empty() {
        let first = survey_in_blocks(source, &choices.before_shaping(), lines, size)?;
        return super::shape::shape(source, first, choices, size);
    }
    let raw = source.samples()?;
    if raw.bytes == 0 {
        return Err(Stop::Empty { source: source.shown() });
    }
    let found = detect_encoding(source, &raw, choices)?;
    match survey_as(source, (choices, lines, size), &raw, &found)? {
        // What looked like ASCII in the samples is not further on: the bytes that were met decide.
        (surveyed, Some(high)) if choices.encoding.is_none() => {
            let samples = [&raw.head[..], &high];
            let again = encoding::detect(&samples).map_err(|why| not_text(source, why))?;
            if again.encoding.value == found.encoding.value {
                return Ok(surveyed);
            }
            survey_as(source, (choices, lines, size), &raw, &again).map(|(surveyed, _)| surveyed)
        }
        (surveyed, _) => Ok(surveyed),
    }
}

/// The reading of several sources as one: that of the first, with what was counted in all of them.
///
/// # Errors
/// [`Stop::BadSetting`] if the choices do not fit.
pub fn conclude(sources: &[&Surveyed], choices: &Choices) -> Result<Reading> {
    let Some((first, more)) = sources.split_first() else {
        return Err(Stop::Empty { source: String::new() });
    };
    let mut survey = first.survey.clone();
    for more in more {
        survey.absorb(&more.survey);
    }
    first.concluded(&survey, choices).map_err(Stop::BadSetting)
}

/// The names of all columns as far as they are known before records are read: the clerk's, or those of the source and, after them, of
/// headings.
fn names(choices: &Choices, layout: &Layout) -> Vec<String> {
    let mut names = layout.names.clone();
    names.resize(layout.width, String::new());
    names.extend(layout.headings.names().map(str::to_owned));
    choices.names.clone().unwrap_or(names)
}

/// The spellings that mean empty: in all columns, and in those that the choices name.
fn blanks(choices: &Choices, names: &[String]) -> Blanks {
    let bytes = |list: &[String]| list.iter().map(|b| b.as_bytes().to_vec()).collect::<Vec<_>>();
    let mut columns = Vec::new();
    for (name, list) in &choices.blank_in {
        let same = |n: &String| n.to_lowercase() == name.to_lowercase();
        if let Some(place) = names.iter().position(same) {
            columns.resize(columns.len().max(place + 1), Vec::new());
            columns[place] = bytes(list);
        }
    }
    Blanks { all: bytes(&choices.blank), columns }
}

fn detect_encoding(source: &dyn Feed, raw: &RawSamples, choices: &Choices) -> Result<Detected> {
    if let Some(encoding) = choices.encoding {
        let by = choices.encoding_by.unwrap_or(DecidedBy::Given);
        let why = match by {
            DecidedBy::Docket => "from the docket".to_owned(),
            _ => format!("stated: {}", encoding.name()),
        };
        let decision = Decision { decided_by: by, ..Decision::given(encoding, why) };
        return Ok(Detected {
            encoding: decision,
            bom_bytes: encoding.bom_bytes(&raw.head),
            only_ascii: false,
        });
    }
    encoding::detect(&[&raw.head, &raw.middle, &raw.tail]).map_err(|why| not_text(source, why))
}

fn not_text(source: &dyn Feed, why: NotText) -> Stop {
    Stop::NotText { source: source.shown(), why }
}

/// Surveys a source in a given encoding. Also gives the lines that hold bytes above 0x7F, if there are any although the
/// samples had none.
fn survey_as(
    source: &dyn Feed,
    (choices, lines, size): (&Choices, Option<LineRange>, BlockSize),
    raw: &RawSamples,
    found: &Detected,
) -> Result<(Surveyed, Option<Vec<u8>>)> {
    let encoding = found.encoding.value;
    let samples = DecodedSamples::of(raw, encoding, found.bom_bytes);
    layout::fixed::check_edits(samples.borrowed(), &choices.layout).map_err(
        |NoSuchStart { start, starts }| Stop::NoSuchStart {
            source: source.shown(),
            start: start + 1,
            starts: from_one(&starts),
        },
    )?;
    let mut layout = layout::detect(samples.borrowed(), &choices.layout);
    if layout.line_rules.len() < choices.layout.lines.len() {
        return Err(no_such_line(&choices.layout, &layout));
    }
    let names = names(choices, &layout);
    if let Some(carry) = &choices.layout.carry {
        layout.carried_down = carried_down(carry, &names, layout.width)?;
    }
    let lone_cr = layout.dialect.value.lone_cr_ends_line;
    let all: Vec<&[u8]> = [&samples.head, &samples.middle, &samples.tail].map(|s| &s[..]).to_vec();
    let line_end = LineEnd::of(&all, lone_cr);
    let mut plan = SurveyPlan {
        dialect: layout.dialect.value.clone(),
        width: layout.width.min(MOST_COLUMNS),
        repeats: Repeats::of(&samples.head, &layout).keeping_blank(choices.keeps_blank_rows),
        line_length: layout::fixed::line_length(samples.borrowed(), &layout),
        blank: blanks(choices, &names),
        unique: Vec::new(),
    };
    if layout.width > MOST_COLUMNS {
        return Err(too_many_columns(source, layout.width));
    }
    let mut region = Region::find(raw, &samples, found, &layout);
    if let Some(lines) = lines {
        region.narrow(source, encoding, lone_cr, found.bom_bytes, lines, &mut layout)?;
    }
    let first = after_lines(&samples.head, layout.lines_before_data, lone_cr).unwrap_or(samples.head.len());
    plan.unique = incola_core::survey::unique_candidates(&plan, &samples.head[first..]);
    let carry = Carry::at_first_record(plan.width, &plan.repeats, &samples.head, layout.lines_before_data);
    let Counted { survey, cuts, carries, high } =
        pass(source, (encoding, &plan, carry), &region, (choices.scan, size), found.only_ascii)?;
    let reading = reading::conclude(
        found.encoding.clone(),
        found.bom_bytes,
        line_end,
        layout,
        &survey,
        choices,
        &samples.head,
    )
    .map_err(Stop::BadSetting)?;
    let end = if raw.tail.is_empty() { &raw.head } else { &raw.tail };
    let after = After::of((&samples, raw.tail.is_empty()), &plan, &reading.layout, &survey);
    let surveyed = Surveyed {
        after,
        bytes: raw.bytes,
        reading,
        plan,
        cuts,
        carries,
        printed: None,
        head: samples.head,
        survey,
        is_ascii: found.only_ascii && high.is_none(),
        // Characters of two bytes have a NUL beside it; some programs write an end mark behind it.
        is_ended: end.iter().rev().take(3).any(|b| matches!(b, b'\n' | b'\r')),
        rolled_up: None,
    };
    Ok((surveyed, high))
}

fn too_many_columns(source: &dyn Feed, columns: usize) -> Stop {
    Stop::TooManyColumns { source: source.shown(), columns }
}

/// What a worker makes of a block.
struct Work {
    raw: Vec<u8>,
    last: bool,
    block: BlockSurvey,
    whole: bool,
    checksum: u64,
    undecodable: Option<(Vec<u8>, Undecodable)>,
    high: Vec<u8>,
}

/// What a look at every record gives.
struct Counted {
    survey: Survey,
    cuts: Vec<Cut>,
    carries: Vec<Carry>,
    /// Lines with bytes above 0x7F, where the samples had none.
    high: Option<Vec<u8>>,
}

/// Looks at every record. `carry`: what headings before the first one say.
fn pass(
    source: &dyn Feed,
    (encoding, plan, carry): (Encoding, &SurveyPlan, Carry),
    region: &Region,
    (scan, size): (Scan, BlockSize),
    only_ascii: bool,
) -> Result<Counted> {
    let length = region.to - region.from;
    let bytes = source.bytes_from(region.from)?;
    let mut cutter = BlockCutter::new(bytes, length, encoding, (&plan.dialect, plan.width), size);
    let mut state = Merging {
        source,
        encoding,
        plan,
        survey: Survey::new(plan, region.lines_before),
        cuts: Vec::new(),
        carry,
        carries: Vec::new(),
        offset: region.from,
        waiting: None,
        high: Vec::new(),
        limit: match scan {
            Scan::All => u64::MAX,
            Scan::First(records) => records,
        },
        watch: source.watch(Doing::Reading, length),
        only_ascii,
    };
    let unknown = Carry::unknown(plan.width, &plan.repeats);
    let headings = plan.repeats.headings().len();
    let is_limited = state.limit < u64::MAX && state.limit > 0;
    if is_limited || headings > 1 || (headings == 1 && unknown.len() > 1) {
        // A limited survey needs to know how many records came before, and several levels of headings, or one and what is carried below
        // it, what the outer ones said: block after block.
        while let Some((raw, last)) = cutter.next_block()? {
            let limit = if is_limited { state.limit.saturating_sub(state.survey.records) } else { u64::MAX };
            let work = work(encoding, plan, (raw, last), limit, only_ascii, state.carry.clone());
            state.take(work)?;
        }
    } else {
        let limit = state.limit;
        incola_parallel::ordered(
            || cutter.next_block(),
            || (),
            |(), block| work(encoding, plan, block, limit, only_ascii, unknown.clone()),
            |done| state.take(done),
        )?;
    }
    if let Some(waiting) = state.waiting.take() {
        let carry = state.carry.clone();
        let done = work(encoding, plan, (waiting, true), state.limit, only_ascii, carry);
        state.take(done)?;
    }
    let high = (!state.high.is_empty()).then_some(state.high);
    Ok(Counted { survey: state.survey, cuts: state.cuts, carries: state.carries, high })
}

fn work(
    encoding: Encoding,
    plan: &SurveyPlan,
    (raw, last): (Vec<u8>, bool),
    limit: u64,
    only_ascii: bool,
    carry: Carry,
) -> Work {
    let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    let checksum = xxhash_rust::xxh3::xxh3_64(&raw);
    let text = encoding.decode(&raw, &mut scratch, &mut bad);
    // Records of several lines are counted off where a block is cut: it ends with one, though only the next line would say so.
    let ends_here = last || plan.dialect.division.multiline().is_some();
    let block = survey_block(plan, text, ends_here, limit, carry);
    let whole = block.consumed == text.len();
    let high = if only_ascii && !text.is_ascii() { high_lines(&raw) } else { Vec::new() };
    let undecodable = (bad.count > 0).then(|| (text.to_vec(), bad));
    Work { raw, last, block, whole, checksum, undecodable, high }
}

/// The first lines of a block that hold bytes above 0x7F.
fn high_lines(raw: &[u8]) -> Vec<u8> {
    let mut lines = Vec::new();
    for line in raw.split(|b| *b == b'\n').filter(|l| !l.is_ascii()).take(50) {
        lines.extend_from_slice(&line[..line.len().min(1000)]);
        lines.push(b'\n');
    }
    lines
}

/// Puts blocks together in their order.
struct Merging<'s> {
    source: &'s dyn Feed,
    encoding: Encoding,
    plan: &'s SurveyPlan,
    survey: Survey,
    cuts: Vec<Cut>,
    /// What headings say up to here, and before each block.
    carry: Carry,
    carries: Vec<Carry>,
    offset: u64,
    /// A block that does not end where a record ends: it waits for the next one.
    waiting: Option<Vec<u8>>,
    high: Vec<u8>,
    limit: u64,
    watch: Box<dyn Watch + 's>,
    only_ascii: bool,
}

impl Merging<'_> {
    fn take(&mut self, mut done: Work) -> Result<()> {
        if let Some(mut waiting) = self.waiting.take() {
            waiting.append(&mut done.raw);
            let carry = self.carry.clone();
            done = work(self.encoding, self.plan, (waiting, done.last), self.limit, self.only_ascii, carry);
        }
        if done.block.widest > MOST_COLUMNS {
            return Err(too_many_columns(self.source, done.block.widest));
        }
        if !done.whole && !done.last {
            if done.raw.len() > MOST_RECORD_BYTES {
                let line = Some(self.survey.lines + done.block.lines + 1);
                return Err(Stop::RecordTooLong { line });
            }
            self.waiting = Some(done.raw);
            return Ok(());
        }
        if let Some((text, undecodable)) = &done.undecodable {
            self.survey.undecodable(text, undecodable, self.plan.dialect.lone_cr_ends_line);
        }
        if self.high.len() < 64 * 1024 {
            self.high.append(&mut done.high);
        }
        let bytes = done.raw.len() as u64;
        self.cuts.push(Cut {
            offset: self.offset,
            bytes,
            records: self.survey.records,
            lines: self.survey.lines,
            checksum: done.checksum,
        });
        self.offset += bytes;
        let next = self.carry.then(&done.block.carry);
        self.survey.merge(done.block, &self.carry, &self.plan.blank);
        if !next.is_empty() {
            self.carries.push(std::mem::replace(&mut self.carry, next));
        }
        self.watch.done(bytes)
    }
}
