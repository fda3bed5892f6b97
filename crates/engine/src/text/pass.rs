//! A pass over a source that was surveyed: along its cuts, on several threads, with results in the order of the blocks.

use super::{Cut, Surveyed};
use crate::feed::{Doing, Feed};
use crate::stop::{Result, Stop};
use incola_core::encoding::{Encoding, Undecodable};
use incola_core::kind::ColumnStats;
use incola_core::record::Machine;
use incola_core::rows::{Carry, RecordSink, each_record};
use incola_core::shape::Shaped;
use incola_core::survey::{BlockSurvey, SurveyPlan, survey_block_at, survey_made};

/// A block, decoded.
pub struct BlockText<'b> {
    machine: &'b mut Machine,
    plan: &'b SurveyPlan,
    text: &'b [u8],
    /// Where it begins, and what stands before it.
    pub cut: Cut,
    carry: Carry,
    /// Whether some of its bytes stand for no character.
    pub has_undecodable: bool,
}

impl BlockText<'_> {
    /// What headings before it say.
    pub fn carry(&self) -> &Carry {
        &self.carry
    }

    /// Counts what is made of its records, where none of them is left out.
    pub fn survey_made(&self) -> (Vec<ColumnStats>, Shaped) {
        survey_made(self.plan, (self.text, self.cut.lines), self.carry.clone())
    }

    /// Counts what its records hold.
    pub fn survey(&self) -> BlockSurvey {
        survey_block_at(self.plan, (self.text, self.cut.lines), true, u64::MAX, self.carry.clone())
    }

    /// Hands its records to a sink; their lines are those of the source.
    #[inline]
    pub fn each(&mut self, sink: &mut impl RecordSink) {
        let start = (self.cut.lines + 1, &mut self.carry.clone());
        each_record(self.machine, self.text, true, &self.plan.repeats, start, sink);
    }
}

/// Goes over all blocks. `beside` gives what a block needs besides its text, in order; its second argument is the number of records
/// up to the block's end. `start` makes what a worker keeps. `work` is done on several threads, `take` gets the results in order.
///
/// # Errors
/// [`Stop::SourceChanged`] if bytes are not those of the survey; whatever the feed, `beside` and `take` fail with.
pub fn over_blocks<W, A: Send, T: Send>(
    source: &dyn Feed,
    surveyed: &Surveyed,
    doing: Doing,
    mut beside: impl FnMut(&Cut, u64) -> Result<A>,
    start: impl Fn() -> W + Sync,
    work: impl Fn(&mut W, BlockText<'_>, A) -> T + Sync,
    mut take: impl FnMut(T) -> Result<()>,
) -> Result<()> {
    let (read, encoding) = match &surveyed.rolled_up {
        Some(rolled) => (&*rolled.rows as &dyn Feed, Encoding::Utf8),
        None => (source, surveyed.reading.encoding.value),
    };
    let plan = &surveyed.plan;
    let mut bytes = read.bytes_from(surveyed.cuts.first().map_or(0, |c| c.offset))?;
    let mut cuts = surveyed.cuts.iter();
    let mut carries = surveyed.carries.iter();
    let mut watch = source.watch(doing, surveyed.cuts.iter().map(|c| c.bytes).sum());
    incola_parallel::ordered(
        || {
            let Some(cut) = cuts.next() else { return Ok(None) };
            let mut raw = Vec::new();
            bytes.fill(&mut raw, cut.bytes as usize)?;
            let behind = cuts.clone().next().map_or(surveyed.reading.records, |next| next.records);
            let carry = carries.next().cloned().unwrap_or_default();
            Ok(Some((*cut, carry, raw, beside(cut, behind)?)))
        },
        || (Machine::new(&plan.dialect), Vec::new(), start()),
        |(machine, buffer, worker), (cut, carry, raw, beside)| {
            if xxhash_rust::xxh3::xxh3_64(&raw) != cut.checksum {
                return None;
            }
            let mut bad = Undecodable::default();
            let text = encoding.decode(&raw, buffer, &mut bad);
            let block = BlockText { machine, plan, text, cut, carry, has_undecodable: bad.count > 0 };
            Some((work(worker, block, beside), raw.len() as u64))
        },
        |done| {
            let (result, bytes) = done.ok_or_else(|| Stop::SourceChanged { source: source.shown() })?;
            take(result)?;
            watch.done(bytes)
        },
    )
}

/// Goes over all blocks that need nothing besides their text. `work` is done on several threads, `take` gets the results in order.
///
/// # Errors
/// Those of [`over_blocks`].
pub fn each_block<T: Send>(
    source: &dyn Feed,
    surveyed: &Surveyed,
    doing: Doing,
    work: impl Fn(BlockText<'_>) -> T + Sync,
    take: impl FnMut(T) -> Result<()>,
) -> Result<()> {
    over_blocks(source, surveyed, doing, |_, _| Ok(()), || (), |(), block, ()| work(block), take)
}
