//! Work on blocks by several workers, with results taken in the order of the blocks.

use std::collections::BTreeMap;
use std::sync::mpsc;
use std::sync::{Arc, Mutex};

/// Workers: one for each processor, four at most, for what follows them is one stream.
fn workers() -> usize {
    std::thread::available_parallelism().map_or(1, std::num::NonZero::get).min(4)
}

/// Blocks that are worked on or wait for their turn at most.
const AHEAD: usize = 8;

/// Runs `work` on everything that `next` gives, on several threads, and hands the results to `take` in order.
///
/// `next` and `take` run on the calling thread. Few blocks are under way at once. The first failure of `next` or
/// `take` ends everything; work that is under way is dropped. `start` makes what each worker keeps for itself.
///
/// # Errors
/// The first failure of `next` or `take`.
pub fn ordered<I, O, W, E>(
    mut next: impl FnMut() -> Result<Option<I>, E>,
    start: impl Fn() -> W + Sync,
    work: impl Fn(&mut W, I) -> O + Sync,
    mut take: impl FnMut(O) -> Result<(), E>,
) -> Result<(), E>
where
    I: Send,
    O: Send,
{
    // What fits into one block needs no thread.
    let Some(first) = next()? else { return Ok(()) };
    let Some(second) = next()? else { return take(work(&mut start(), first)) };
    std::thread::scope(|scope| {
        let (jobs, inbox) = mpsc::sync_channel::<(usize, I)>(AHEAD);
        let (outbox, done) = mpsc::sync_channel::<(usize, O)>(AHEAD);
        let inbox = Arc::new(Mutex::new(inbox));
        let mut running = 0;
        for _ in 0..workers() {
            let (inbox, outbox, start, work) = (Arc::clone(&inbox), outbox.clone(), &start, &work);
            let spawned = std::thread::Builder::new().spawn_scoped(scope, move || {
                let mut own = start();
                loop {
                    let job = match inbox.lock() {
                        Ok(inbox) => inbox.recv(),
                        Err(_) => return,
                    };
                    let Ok((number, block)) = job else { return };
                    if outbox.send((number, work(&mut own, block))).is_err() {
                        return;
                    }
                }
            });
            running += usize::from(spawned.is_ok());
        }
        drop(outbox);
        let mut pending = [first, second].into_iter();
        if running == 0 {
            // The system has no thread to give: one after the other.
            let mut own = start();
            while let Some(block) = pending.next().map_or_else(&mut next, |block| Ok(Some(block)))? {
                take(work(&mut own, block))?;
            }
            return Ok(());
        }
        let (mut sent, mut taken) = (0, 0);
        let mut waiting = BTreeMap::new();
        let mut exhausted = false;
        loop {
            while !exhausted && sent - taken < AHEAD {
                let block = match pending.next() {
                    Some(block) => Some(block),
                    None => next()?,
                };
                match block.map(|block| jobs.send((sent, block))) {
                    Some(Ok(())) => sent += 1,
                    _ => exhausted = true,
                }
            }
            if taken == sent {
                return Ok(());
            }
            // A worker that panicked never answers: its panic surfaces when the scope ends.
            let Ok((number, result)) = done.recv() else { return Ok(()) };
            waiting.insert(number, result);
            while let Some(result) = waiting.remove(&taken) {
                taken += 1;
                take(result)?;
            }
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_come_in_order_whoever_is_faster() {
        let mut blocks = 0..200_u64;
        let mut seen = Vec::new();
        ordered(
            || Ok::<_, ()>(blocks.next()),
            || 0_u64,
            |count, block| {
                *count += 1;
                (0..(block * 7919) % 1000).fold(block, |n, i| std::hint::black_box(n ^ i ^ i))
            },
            |result| {
                seen.push(result);
                Ok(())
            },
        )
        .unwrap();
        assert_eq!(seen, (0..200).collect::<Vec<_>>());
    }

    #[test]
    fn a_failure_ends_the_work() {
        let mut blocks = 0..1000;
        let mut taken = 0;
        let result = ordered(
            || Ok(blocks.next()),
            || (),
            |(), block| block,
            |block| {
                taken += 1;
                if block == 5 { Err("enough") } else { Ok(()) }
            },
        );
        assert_eq!(result, Err("enough"));
        assert_eq!(taken, 6);
    }
}
