//! Tries targets on mutations for some time, with no fuzzer: `cargo run --release -- SECONDS [TARGET…]`. Prints how many were tried;
//! the first that fails is written to `failed-TARGET` and ends everything.

use incola_fuzz::targets::mutate::{Chance, mutated};
use incola_fuzz::targets::{TARGETS, seeds::seeds};
use std::time::{Duration, Instant};

fn main() {
    let mut words = std::env::args().skip(1);
    let seconds = words.next().and_then(|word| word.parse().ok()).unwrap_or(10);
    let wanted: Vec<String> = words.collect();
    let begins =
        std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |since| since.as_secs());
    std::panic::set_hook(Box::new(|_| {}));
    for (name, target) in
        TARGETS.iter().filter(|(name, _)| wanted.is_empty() || wanted.iter().any(|w| w == name))
    {
        let (seeds, started) = (seeds(name), Instant::now());
        let (mut tried, mut longest) = (0_u64, Duration::ZERO);
        while started.elapsed() < Duration::from_secs(seconds) {
            let mut chance = Chance::new(begins.wrapping_mul(1 << 24).wrapping_add(tried));
            let mut bytes = mutated(&seeds[chance.below(seeds.len())], &mut chance);
            for _ in 0..chance.below(3) {
                bytes = mutated(&bytes, &mut chance);
            }
            let before = Instant::now();
            if let Err(why) = std::panic::catch_unwind(|| target(&bytes)) {
                let why = why
                    .downcast_ref::<String>()
                    .cloned()
                    .or_else(|| why.downcast_ref::<&str>().map(|s| (*s).into()));
                let _ = std::fs::write(format!("failed-{name}"), &bytes);
                println!("{name}: {}\nthe bytes are in failed-{name}", why.unwrap_or_default());
                std::process::exit(1);
            }
            longest = longest.max(before.elapsed());
            tried += 1;
        }
        println!("{name}: {tried} tried, the longest took {} ms", longest.as_millis());
    }
}
