//! One target, driven by a fuzzer that looks at which code is reached: `INCOLA_TARGET` names it, see the README.
#![no_main]

use incola_fuzz::targets::{TARGETS, Target, seeds::seeds};
use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;

static TARGET: LazyLock<Target> = LazyLock::new(|| {
    let wanted = std::env::var("INCOLA_TARGET").unwrap_or_default();
    let found = TARGETS.iter().find(|(name, _)| *name == wanted);
    let Some((name, target)) = found else { panic!("INCOLA_TARGET is none of the targets: {wanted:?}") };
    // What it begins with lies where its findings go.
    if let Some(folder) = std::env::args().skip(1).find(|word| !word.starts_with('-')) {
        for (n, seed) in seeds(name).iter().enumerate() {
            let _ = std::fs::write(format!("{folder}/seed-{n}"), seed);
        }
    }
    *target
});

fuzz_target!(|data: &[u8]| TARGET(data));
