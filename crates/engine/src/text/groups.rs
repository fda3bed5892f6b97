//! Records rolled up in bounded memory: groups that have no more room are put aside in the order of the rows, and put together at the
//! end.

use super::each_block;
use super::survey::Surveyed;
use crate::feed::{Doing, Feed};
use crate::spool::Spool;
use crate::stop::{Result, Stop};
use incola_core::rows::{Each, Flow, Record};
use incola_core::shape::{Group, Grouping, Groups, RowsText, Shaping};
use std::cmp::Ordering;
use std::collections::BinaryHeap;
use std::io::BufReader;
use std::sync::Arc;

/// Bytes of groups that are held in memory.
pub(super) const ROOM: usize = 16 << 20;

/// Bytes of rows that are held in memory.
const ROWS_ROOM: usize = 8 << 20;

/// Bytes of each part of the groups that were put aside, read at a time.
const PIECE: usize = 16 * 1024;

/// Rows between two looks at whether the work is to end.
const ROWS_AT_A_TIME: usize = 4096;

/// What records were rolled up into.
pub(super) struct Rolled {
    /// The rows as text, the names first.
    pub(super) rows: Arc<Spool>,
    /// What was counted on the way; no group is left in it.
    pub(super) counted: Groups,
    /// How many values have too many digits.
    pub(super) faults: u64,
}

/// Rolls up the records of a source. `room`: bytes of groups that are held in memory.
pub(super) fn rolled_up(
    source: &dyn Feed,
    shaped: &Surveyed,
    (shaping, grouping): (&Shaping, &Grouping),
    room: usize,
) -> Result<Rolled> {
    let mut all = Groups::new(grouping);
    let mut aside = Aside::default();
    each_block(
        source,
        shaped,
        Doing::Reading,
        |mut block| {
            let mut groups = Groups::new(grouping);
            block.each(&mut Each(|record: &Record<'_>| {
                groups.add(shaping, grouping, record);
                Flow::Continue(())
            }));
            groups
        },
        |groups| {
            all.merge(grouping, groups);
            if all.bytes() > room { aside.put(all.take()) } else { Ok(()) }
        },
    )?;
    let mut watch = source.watch(Doing::Reading, 0);
    let mut spool = Spool::new(ROWS_ROOM);
    let mut rows = RowsText::default();
    rows.push(grouping.columns().iter().map(|column| &column.name));
    let (mut faults, mut waiting) = (0, 0);
    aside.each(all.take(), grouping, |group| {
        faults += group.push_row(grouping, &mut rows);
        waiting += 1;
        if waiting < ROWS_AT_A_TIME {
            return Ok(());
        }
        waiting = 0;
        spool.push(rows.text())?;
        rows.clear();
        watch.done(0)
    })?;
    spool.push(rows.text())?;
    Ok(Rolled { rows: Arc::new(spool), counted: all, faults })
}

/// Groups that were put aside: parts, each in the order of the rows.
struct Aside {
    spool: Spool,
    /// Where each part ends.
    ends: Vec<u64>,
}

impl Default for Aside {
    fn default() -> Self {
        Self { spool: Spool::new(PIECE), ends: Vec::new() }
    }
}

impl Aside {
    /// Puts groups aside, which are those of records further on than all before.
    fn put(&mut self, groups: impl Iterator<Item = Group>) -> Result<()> {
        for group in groups {
            let line = serde_json::to_vec(&group).map_err(not_had_back)?;
            self.spool.push(&line)?;
        }
        self.ends.push(self.spool.len());
        Ok(())
    }

    /// Gives all groups in the order of the rows, each one put together of its parts. `last`: those that were not put aside.
    fn each(
        &self,
        last: impl Iterator<Item = Group>,
        grouping: &Grouping,
        mut take: impl FnMut(&Group) -> Result<()>,
    ) -> Result<()> {
        let starts = std::iter::once(0).chain(self.ends.iter().copied());
        let mut parts: Vec<Box<dyn Iterator<Item = Result<Group>> + '_>> = Vec::new();
        for (from, to) in starts.zip(&self.ends) {
            let read = BufReader::with_capacity(PIECE, self.spool.part(from, *to));
            let groups = serde_json::Deserializer::from_reader(read).into_iter::<Group>();
            parts.push(Box::new(groups.map(|group| group.map_err(not_had_back))));
        }
        parts.push(Box::new(last.map(Ok)));
        let mut heads = BinaryHeap::with_capacity(parts.len());
        for (place, part) in parts.iter_mut().enumerate() {
            heads.extend(part.next().transpose()?.map(|group| Head { group, place }));
        }
        let mut whole: Option<Group> = None;
        while let Some(Head { group, place }) = heads.pop() {
            heads.extend(parts[place].next().transpose()?.map(|group| Head { group, place }));
            match &mut whole {
                Some(before) if before.order(&group).is_eq() => before.merge(grouping, group),
                _ => {
                    if let Some(done) = whole.replace(group) {
                        take(&done)?;
                    }
                }
            }
        }
        whole.map_or(Ok(()), |done| take(&done))
    }
}

fn not_had_back(error: serde_json::Error) -> Stop {
    Stop::NotPutAside(error.into())
}

/// The next group of a part. The greatest one is the first in the order of the rows; of equal ones that of the earliest part.
struct Head {
    group: Group,
    place: usize,
}

impl Ord for Head {
    fn cmp(&self, other: &Self) -> Ordering {
        other.group.order(&self.group).then(other.place.cmp(&self.place))
    }
}

impl PartialOrd for Head {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Head {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Head {}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::feed::InMemory;
    use crate::text::BlockSize;
    use crate::text::survey::survey_in_blocks;
    use incola_core::reading::Choices;
    use incola_core::shape::{GroupChoice, ShapingChoices};
    use proptest::prelude::*;

    /// The rows of a source that is rolled up with so much room, and how many parts were put aside.
    fn rows(text: &str, room: usize) -> String {
        let feed = InMemory::new("calls.csv", text.as_bytes());
        let by = ["Berth", "Arrived/month"].map(GroupChoice::read).to_vec();
        let take =
            "COUNT(*), SUM(Dues), AVG(Dues), MIN(Arrived), MAX(Ship), FIRST(Ship) AS A, LAST(Ship) AS Z";
        let choices = ShapingChoices { by, take: Some(take.into()), ..ShapingChoices::default() };
        let size = BlockSize { bytes: 64, window: 32 };
        let surveyed = survey_in_blocks(&feed, &Choices::default(), None, size).unwrap();
        let shaping =
            Shaping::bind(&choices, &surveyed.reading.columns, &surveyed.plan.blank, |_| Vec::new()).unwrap();
        let grouping = shaping.grouping().unwrap().clone();
        let rolled = rolled_up(&feed, &surveyed, (&shaping, &grouping), room).unwrap();
        let mut text = Vec::new();
        rolled.rows.read(0, usize::MAX >> 1, &mut text).unwrap();
        assert_eq!(rolled.counted.records, surveyed.reading.records);
        String::from_utf8(text).unwrap()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn groups_that_were_put_aside_make_the_same_rows(
            calls in prop::collection::vec((0_u32..9, 1_u32..13, 0_i64..99_999, "[A-Z][a-z\"\u{e9} ]{0,9}"), 8..90),
            room in 0_usize..4000,
        ) {
            let line = |(berth, month, cents, ship): &(u32, u32, i64, String)| {
                let ship = ship.replace('"', "\"\"");
                let dues = if cents % 7 == 0 { String::new() } else { format!("{}.{:02}", cents / 100, cents % 100) };
                format!("00{berth},2031-{month:02}-01,{dues},\"{ship}\"\n")
            };
            let body: String = calls.iter().map(line).collect();
            let first = "000,2031-01-01,1.25,Old Mole\n".repeat(3);
            let text = format!("Berth,Arrived,Dues,Ship\n{first}{body}");
            prop_assert_eq!(rows(&text, room), rows(&text, usize::MAX));
        }
    }
}
