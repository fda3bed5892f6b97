//! The first pass: samples decide encoding and layout, then every record is looked at once.

use super::blocks::{BlockCutter, Cut, too_long};
use crate::failure::{Failure, Result};
use crate::interrupt;
use crate::progress::Progress;
use crate::source::{RawSamples, Source};
use incola_core::encoding::{self, Detected, Encoding, NotText, Undecodable};
use incola_core::evidence::{DecidedBy, Decision};
use incola_core::layout::fixed::{NoSuchStart, from_one};
use incola_core::layout::{self, Layout, Repeats, Samples, after_lines};
use incola_core::reading::{self, BadChoice, Choices, LineEnd, Reading, Scan};
use incola_core::survey::{
    Blanks, BlockSurvey, MOST_COLUMNS, MOST_RECORD_BYTES, Survey, SurveyPlan, survey_block,
};
use incola_workbook::pipeline;

/// A source, surveyed: its reading, and what the second pass needs to follow it.
pub(crate) struct Surveyed {
    /// Bytes of the source.
    pub(crate) bytes: u64,
    /// What was decided.
    pub(crate) reading: Reading,
    /// How it was surveyed.
    pub(crate) plan: SurveyPlan,
    /// Where the blocks of records begin.
    pub(crate) cuts: Vec<Cut>,
    /// The first lines, decoded.
    pub(crate) head: Vec<u8>,
    /// What was counted; for putting several sources together.
    pub(crate) survey: Survey,
    /// Whether all of it is ASCII, which says nothing about the encoding of what may come.
    pub(crate) is_ascii: bool,
    /// Whether the last line has a line end.
    pub(crate) is_ended: bool,
}

impl Surveyed {
    /// Where the first record stands in the decoded head; `None`: further on.
    pub(crate) fn data_in_head(&self) -> Option<usize> {
        let first = self.cuts.first()?;
        after_lines(&self.head, first.lines, self.plan.dialect.lone_cr_ends_line)
    }
}

/// Lines that the clerk wants, from 1, both included.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct LineRange {
    pub(crate) from: u64,
    pub(crate) to: u64,
}

/// Surveys a source.
pub(crate) fn survey(source: &Source, choices: &Choices, lines: Option<LineRange>) -> Result<Surveyed> {
    let raw = source.samples()?;
    if raw.bytes == 0 {
        return Err(Failure::protected(format!("{}: the file is empty", source.shown()))
            .help("nothing to import; check whether the other system has finished writing it"));
    }
    let found = detect_encoding(source, &raw, choices)?;
    match survey_as(source, choices, lines, &raw, &found)? {
        // What looked like ASCII in the samples is not further on: the bytes that were met decide.
        (surveyed, Some(high)) if choices.encoding.is_none() => {
            let samples = [&raw.head[..], &high];
            let again = encoding::detect(&samples).map_err(|why| not_text(source, why))?;
            if again.encoding.value == found.encoding.value {
                return Ok(surveyed);
            }
            survey_as(source, choices, lines, &raw, &again).map(|(surveyed, _)| surveyed)
        }
        (surveyed, _) => Ok(surveyed),
    }
}

/// The reading of several sources as one.
pub(crate) fn conclude(
    sources: &[(&Source, &Surveyed)],
    first: &Surveyed,
    choices: &reading::Choices,
) -> Result<Reading> {
    let mut survey = first.survey.clone();
    for (_, more) in &sources[1..] {
        survey.absorb(&more.survey);
    }
    reading::conclude(
        first.reading.encoding.clone(),
        first.reading.bom_bytes,
        first.reading.line_end,
        first.reading.layout.clone(),
        &survey,
        choices,
        &first.head,
    )
    .map_err(|bad| Failure::usage(format!("{}: {}", bad.option, bad.why)))
}

/// The spellings that mean empty: in all columns, and in those that the choices name.
fn blanks(choices: &Choices, layout: &Layout) -> Blanks {
    let bytes = |list: &[String]| list.iter().map(|b| b.as_bytes().to_vec()).collect::<Vec<_>>();
    let names = choices.names.as_ref().unwrap_or(&layout.names);
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

fn detect_encoding(source: &Source, raw: &RawSamples, choices: &Choices) -> Result<Detected> {
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

fn not_text(source: &Source, why: NotText) -> Failure {
    let what = match why {
        NotText::Signature(what) => what.to_owned(),
        NotText::Controls(per_mille) => {
            format!(
                "binary data ({}.{} % of its bytes are control characters)",
                per_mille / 10,
                per_mille % 10
            )
        }
    };
    Failure::unreadable(format!("{}: this is {what}, not a text file", source.shown())).help(
        "export it as text from the program it comes from, or say --encoding NAME if it is text all the same",
    )
}

/// Surveys a source in a given encoding. Also gives the lines that hold bytes above 0x7F, if there are any although the
/// samples had none.
fn survey_as(
    source: &Source,
    choices: &Choices,
    lines: Option<LineRange>,
    raw: &RawSamples,
    found: &Detected,
) -> Result<(Surveyed, Option<Vec<u8>>)> {
    let encoding = found.encoding.value;
    let samples = decode_samples(raw, encoding, found.bom_bytes);
    layout::fixed::check_edits(samples.borrowed(), &choices.layout).map_err(
        |NoSuchStart { start, starts }| {
            let starts: Vec<String> = from_one(&starts).iter().map(usize::to_string).collect();
            let what = format!(
                "{}: no column starts at {}; the starts are {}",
                source.shown(),
                start + 1,
                starts.join(",")
            );
            Failure::usage(what).help("see the lines under a ruler: incola inspect --raw")
        },
    )?;
    let layout = layout::detect(samples.borrowed(), &choices.layout);
    let lone_cr = layout.dialect.value.lone_cr_ends_line;
    let all: Vec<&[u8]> = [&samples.head, &samples.middle, &samples.tail].map(|s| &s[..]).to_vec();
    let line_end = LineEnd::of(&all, lone_cr);
    let mut plan = SurveyPlan {
        dialect: layout.dialect.value.clone(),
        width: layout.width.min(MOST_COLUMNS),
        repeats: Repeats::of(&samples.head, &layout).keeping_blank(choices.keeps_blank_rows),
        line_length: layout::fixed::line_length(samples.borrowed(), &layout),
        blank: blanks(choices, &layout),
        unique: Vec::new(),
    };
    if layout.width > MOST_COLUMNS {
        return Err(too_many_columns(source, layout.width));
    }
    let mut region = Region::find(raw, &samples, found, &layout);
    let mut layout = layout;
    if let Some(lines) = lines {
        region.narrow(source, encoding, lone_cr, found.bom_bytes, lines, &mut layout)?;
    }
    let first = after_lines(&samples.head, layout.lines_before_data, lone_cr).unwrap_or(samples.head.len());
    plan.unique = incola_core::survey::unique_candidates(&plan, &samples.head[first..]);
    let (survey, cuts, high) = pass(source, encoding, &plan, &region, choices.scan, found.only_ascii)?;
    let reading = reading::conclude(
        found.encoding.clone(),
        found.bom_bytes,
        line_end,
        layout,
        &survey,
        choices,
        &samples.head,
    )
    .map_err(|BadChoice { option, why }| Failure::usage(format!("{option}: {why}")))?;
    let end = if raw.tail.is_empty() { &raw.head } else { &raw.tail };
    let surveyed = Surveyed {
        bytes: raw.bytes,
        reading,
        plan,
        cuts,
        head: samples.head,
        survey,
        is_ascii: found.only_ascii && high.is_none(),
        // Characters of two bytes have a NUL beside it; some programs write an end mark behind it.
        is_ended: end.iter().rev().take(3).any(|b| matches!(b, b'\n' | b'\r')),
    };
    Ok((surveyed, high))
}

/// Decoded samples, cut at line ends.
struct DecodedSamples {
    head: Vec<u8>,
    middle: Vec<u8>,
    tail: Vec<u8>,
    /// Bytes of the raw tail before its first whole line.
    tail_skipped: usize,
}

impl DecodedSamples {
    fn borrowed(&self) -> Samples<'_> {
        Samples { head: &self.head, middle: &self.middle, tail: &self.tail }
    }
}

fn decode_samples(raw: &RawSamples, encoding: Encoding, bom_bytes: usize) -> DecodedSamples {
    let decode = |bytes: &[u8]| {
        let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
        encoding.decode(bytes, &mut scratch, &mut bad).to_vec()
    };
    // Carriage returns alone count as line ends only where there is nothing else; samples are cut at either.
    let only_cr = encoding.after_line_end(&raw.head, 0, false).is_none();
    let whole = (raw.head.len() as u64) == raw.bytes;
    let last_line_end = |bytes: &[u8]| {
        let mut end = 0;
        while let Some(next) = encoding.after_line_end(bytes, end, only_cr) {
            end = next;
        }
        end
    };
    let head_end = match last_line_end(&raw.head) {
        end if !whole && end > bom_bytes => end,
        _ => raw.head.len(),
    };
    let lines_inside = |bytes: &[u8], last: bool| {
        // Code units of two bytes begin at even offsets of the source.
        let from = encoding.after_line_end(bytes, 0, only_cr).unwrap_or(bytes.len());
        let to = if last { bytes.len() } else { last_line_end(bytes).max(from) };
        (from, to)
    };
    let (middle_from, middle_to) = lines_inside(&raw.middle, false);
    let (tail_from, tail_to) = lines_inside(&raw.tail, true);
    DecodedSamples {
        head: decode(&raw.head[bom_bytes.min(head_end)..head_end]),
        middle: decode(&raw.middle[middle_from..middle_to]),
        tail: decode(&raw.tail[tail_from..tail_to]),
        tail_skipped: tail_from,
    }
}

/// The bytes of the source that hold records.
#[derive(Clone, Copy, Debug)]
struct Region {
    from: u64,
    to: u64,
    /// Lines before it.
    lines_before: u64,
}

impl Region {
    fn find(raw: &RawSamples, samples: &DecodedSamples, found: &Detected, layout: &Layout) -> Self {
        let encoding = found.encoding.value;
        let lone_cr = layout.dialect.value.lone_cr_ends_line;
        let skip = |bytes: &[u8], from: usize, lines: u64| {
            let mut at = from;
            for _ in 0..lines {
                at = encoding.after_line_end(bytes, at, lone_cr).unwrap_or(bytes.len());
            }
            at as u64
        };
        let from = skip(&raw.head, found.bom_bytes, layout.lines_before_data);
        let to = if layout.footer.set_aside.is_empty() {
            raw.bytes
        } else if samples.tail.is_empty() {
            skip(&raw.head, found.bom_bytes, layout.footer.lines_before)
        } else {
            raw.bytes - raw.tail.len() as u64
                + skip(&raw.tail, samples.tail_skipped, layout.footer.lines_before)
        };
        Self { from, to: to.max(from), lines_before: layout.lines_before_data }
    }

    /// Narrows the region to the lines that are wanted; a header before them is still read.
    fn narrow(
        &mut self,
        source: &Source,
        encoding: Encoding,
        lone_cr: bool,
        bom_bytes: usize,
        wanted: LineRange,
        layout: &mut Layout,
    ) -> Result<()> {
        let mut bytes = source.blocks_from(0)?;
        let mut buffer = Vec::new();
        let (mut base, mut at, mut line) = (0_u64, bom_bytes, 1_u64);
        let first = wanted.from.max(self.lines_before + 1);
        loop {
            if line == first {
                self.from = base + at as u64;
                self.lines_before = line - 1;
            }
            if line == wanted.to.saturating_add(1) {
                self.to = self.to.min(base + at as u64);
                layout.footer = layout::Footer { lines_before: line - 1, ..layout::Footer::default() };
                break;
            }
            if let Some(next) = encoding.after_line_end(&buffer, at, lone_cr) {
                at = next;
                line += 1;
            } else {
                let done = at.min(buffer.len());
                buffer.drain(..done);
                base += done as u64;
                at -= done;
                if bytes.fill(&mut buffer, 256 * 1024)? == 0 {
                    break;
                }
            }
        }
        if self.lines_before + 1 < first {
            return Err(Failure::usage(format!(
                "--lines {}..: {} has only {line} lines",
                wanted.from,
                source.shown()
            )));
        }
        self.to = self.to.max(self.from);
        Ok(())
    }
}

fn too_many_columns(source: &Source, width: usize) -> Failure {
    Failure::protected(format!("{}: {width} columns; a worksheet has {MOST_COLUMNS}", source.shown()))
        .leaving("nothing was written")
        .help("check the delimiter: incola inspect --raw shows the lines")
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

/// Looks at every record.
fn pass(
    source: &Source,
    encoding: Encoding,
    plan: &SurveyPlan,
    region: &Region,
    scan: Scan,
    only_ascii: bool,
) -> Result<(Survey, Vec<Cut>, Option<Vec<u8>>)> {
    let length = region.to - region.from;
    let bytes = source.blocks_from(region.from)?;
    let mut cutter = BlockCutter::new(bytes, length, encoding, &plan.dialect, plan.width);
    let mut state = Merging {
        source,
        encoding,
        plan,
        survey: Survey::new(plan, region.lines_before),
        cuts: Vec::new(),
        offset: region.from,
        carried: None,
        high: Vec::new(),
        limit: match scan {
            Scan::All => u64::MAX,
            Scan::None => 0,
            Scan::First(records) => records,
        },
        progress: Progress::new(&format!("reading {}", source.shown()), length),
        only_ascii,
    };
    if state.limit < u64::MAX && state.limit > 0 {
        // A limited survey needs to know how many records came before: block after block.
        while let Some((raw, last)) = cutter.next()? {
            let limit = state.limit.saturating_sub(state.survey.records);
            let work = work(encoding, plan, raw, last, limit, only_ascii);
            state.take(work)?;
        }
    } else {
        let limit = state.limit;
        pipeline::ordered(
            || cutter.next(),
            || (),
            |(), (raw, last)| work(encoding, plan, raw, last, limit, only_ascii),
            |done| state.take(done),
        )?;
    }
    if let Some(carried) = state.carried.take() {
        let done = work(encoding, plan, carried, true, state.limit, only_ascii);
        state.take(done)?;
    }
    let high = (!state.high.is_empty()).then_some(state.high);
    Ok((state.survey, state.cuts, high))
}

fn work(
    encoding: Encoding,
    plan: &SurveyPlan,
    raw: Vec<u8>,
    last: bool,
    limit: u64,
    only_ascii: bool,
) -> Work {
    let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    let checksum = xxhash_rust::xxh3::xxh3_64(&raw);
    let text = encoding.decode(&raw, &mut scratch, &mut bad);
    // Records of several lines are counted off where a block is cut: it ends with one, though only the next line would say so.
    let ends_here = last || plan.dialect.division.multiline().is_some();
    let block = survey_block(plan, text, ends_here, limit);
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
    source: &'s Source,
    encoding: Encoding,
    plan: &'s SurveyPlan,
    survey: Survey,
    cuts: Vec<Cut>,
    offset: u64,
    /// A block that does not end where a record ends: it waits for the next one.
    carried: Option<Vec<u8>>,
    high: Vec<u8>,
    limit: u64,
    progress: Progress,
    only_ascii: bool,
}

impl Merging<'_> {
    fn take(&mut self, mut done: Work) -> Result<()> {
        interrupt::check()?;
        if let Some(mut carried) = self.carried.take() {
            carried.append(&mut done.raw);
            done = work(self.encoding, self.plan, carried, done.last, self.limit, self.only_ascii);
        }
        if done.block.widest > MOST_COLUMNS {
            return Err(too_many_columns(self.source, done.block.widest));
        }
        if !done.whole && !done.last {
            if done.raw.len() > MOST_RECORD_BYTES {
                return Err(too_long(Some(self.survey.lines + done.block.lines + 1)));
            }
            self.carried = Some(done.raw);
            return Ok(());
        }
        if let Some((text, undecodable)) = &done.undecodable {
            self.survey.undecodable(text, undecodable);
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
        self.survey.merge(done.block);
        self.progress.add(bytes);
        Ok(())
    }
}
