//! The targets, which `fuzz/` tries as well, on mutations of the demo's files and of parts of a workbook: the same ones every time.

use super::targets::mutate::{Chance, mutated};
use super::targets::{TARGETS, seeds::seeds};

/// Mutations of a target's seeds.
const MUTATIONS: u64 = 300;

#[test]
fn what_nobody_wrote_on_purpose_gets_an_answer() {
    for (name, target) in TARGETS {
        let seeds = seeds(name);
        assert!(!seeds.is_empty(), "{name}");
        for seed in &seeds {
            target(seed);
        }
        for number in 0..MUTATIONS {
            let mut chance = Chance::new(number);
            let seed = &seeds[chance.below(seeds.len())];
            let bytes = mutated(seed, &mut chance);
            let tried = std::panic::catch_unwind(|| target(&bytes));
            assert!(tried.is_ok(), "{name}, mutation {number}: {:?}", String::from_utf8_lossy(&bytes));
        }
    }
}
