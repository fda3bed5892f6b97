//! An adaptive code for small whole numbers: lengths, places, numbers of fields.

use super::bits::log2;

/// Numbers seen so far, with how often each was. The next one costs little if it was seen often.
///
/// What was never seen costs as much as its size: about `2 log2 k` bits for `k`.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Adapt {
    seen: Vec<(i32, u32)>,
    all: u32,
}

impl Adapt {
    /// Bits of `number`, without learning it. `without`: so many of those seen were this very one, and count as unseen.
    pub(in crate::layout) fn bits(&self, number: i32, without: u32) -> f64 {
        let all = self.all.saturating_sub(without);
        let size = if number > 0 { number } else { 1 - 2 * number };
        let length = length_of(size.unsigned_abs() as usize);
        let unseen = 1.0 / (length * (length + 1.0));
        if all == 0 {
            return -log2(unseen);
        }
        let own = self.seen.iter().find(|s| s.0 == number).map_or(0, |s| s.1).saturating_sub(without);
        let different = (self.seen.len().max(1) as u32).min(all);
        let new = (f64::from(different) * 0.5 + 0.5) / (f64::from(all) + 1.0);
        -log2((1.0 - new) * f64::from(own) / f64::from(all) + new * unseen)
    }

    /// Learns `number`.
    pub(in crate::layout) fn add(&mut self, number: i32) {
        self.all += 1;
        match self.seen.iter_mut().find(|s| s.0 == number) {
            Some(seen) => seen.1 += 1,
            None => self.seen.push((number, 1)),
        }
    }

    /// Bits of `number`, which is then learnt.
    pub(in crate::layout) fn code(&mut self, number: i32) -> f64 {
        let bits = self.bits(number, 0);
        self.add(number);
        bits
    }
}

/// Bits of a length of which nothing is known; `length` from 1.
pub(in crate::layout) fn length_bits(length: usize) -> f64 {
    let length = length_of(length);
    log2(length * (length + 1.0))
}

fn length_of(length: usize) -> f64 {
    length.clamp(1, 4000) as f64
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_seen_often_becomes_cheap() {
        let mut lengths = Adapt::default();
        let first = lengths.code(7);
        for _ in 0..50 {
            lengths.add(7);
        }
        assert!(first > 5.0 && lengths.bits(7, 0) < 0.1, "{first}");
        assert!(lengths.bits(8, 0) > 8.0);
        // Left out, the only one of its sort is as dear as an unseen one.
        lengths.add(9);
        assert!((lengths.bits(9, 1) - lengths.bits(10, 0)).abs() < 1.0);
    }
}
