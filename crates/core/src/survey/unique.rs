//! Whether a column repeats a value.

use super::SurveyPlan;
use crate::kind::statistics::trim;
use crate::record::Machine;
use crate::rows::{Carry, Each, Flow, Record, each_record};
use std::collections::HashSet;

/// A set of 64-bit digests with open addressing: at most 8 MiB for [`REMEMBERED`] of them.
#[derive(Clone, Debug, Default)]
pub(super) struct Digests {
    /// A power of two of slots; 0 is an empty one.
    slots: Vec<u64>,
    pub(super) count: usize,
}

impl Digests {
    /// Adds a digest; `false`: it was there.
    pub(super) fn insert(&mut self, digest: u64) -> bool {
        if self.count * 2 >= self.slots.len() {
            let old = std::mem::take(&mut self.slots);
            self.slots = vec![0; (old.len() * 2).max(256)];
            for digest in old.into_iter().filter(|d| *d != 0) {
                self.put(digest);
            }
        }
        let added = self.put(digest.max(1));
        self.count += usize::from(added);
        added
    }

    fn put(&mut self, digest: u64) -> bool {
        let mask = self.slots.len() - 1;
        let mut at = digest as usize & mask;
        while self.slots[at] != 0 {
            if self.slots[at] == digest {
                return false;
            }
            at = (at + 1) & mask;
        }
        self.slots[at] = digest;
        true
    }
}

/// Whether the values of a column are all different.
#[derive(Clone, Debug, Default)]
pub(super) struct Uniqueness {
    pub(super) seen: Digests,
    pub(super) repeats: bool,
}

/// Columns (from 0, at most two) whose values might be identifiers because they never repeat: digits of one length in
/// the sample, none of them twice.
pub fn unique_candidates(plan: &SurveyPlan, sample: &[u8]) -> Vec<usize> {
    let (records, length) = crate::kind::decide::UNIQUE_FROM;
    let mut machine = Machine::new(&plan.dialect);
    let mut values: Vec<HashSet<Vec<u8>>> = vec![HashSet::new(); plan.width];
    let mut alive = vec![true; plan.width];
    let mut seen = 0;
    let mut look = Each(|record: &Record<'_>| {
        seen += 1;
        for (place, alive) in alive.iter_mut().enumerate().filter(|(_, a)| **a) {
            let value = trim(record.field(place)).0;
            // Zeros in front and more than 15 digits make text in any case.
            let fits = (length as usize..=15).contains(&value.len())
                && value[0] != b'0'
                && value.iter().all(u8::is_ascii_digit);
            *alive = fits && values[place].insert(value.to_vec());
        }
        if seen < 2 * records { Flow::Continue(()) } else { Flow::Break(()) }
    });
    each_record(&mut machine, sample, true, &plan.repeats, (1, &mut Carry::default()), &mut look);
    (0..plan.width).filter(|place| alive[*place] && !values[*place].is_empty()).take(2).collect()
}
