//! Interruptions: Ctrl-C and SIGTERM set a flag that long work looks at between blocks.

use crate::failure::{Failure, Result};
use std::sync::atomic::{AtomicBool, Ordering};

static INTERRUPTED: AtomicBool = AtomicBool::new(false);

/// Begins to listen. A second interruption ends the program at once. A file that would become larger than the user may make is an error
/// where it is written, and no end of the program.
pub(crate) fn listen() {
    // Without a handler an interruption ends the program the system's way: no reason to refuse work.
    let _ = ctrlc::set_handler(|| {
        if INTERRUPTED.swap(true, Ordering::Relaxed) {
            std::process::exit(130);
        }
    });
    #[cfg(unix)]
    let _ = signal_hook::flag::register(signal_hook::consts::SIGXFSZ, std::sync::Arc::default());
}

/// Whether the work was interrupted.
pub(crate) fn is_interrupted() -> bool {
    INTERRUPTED.load(Ordering::Relaxed)
}

/// Fails if the work was interrupted.
pub(crate) fn check() -> Result<()> {
    if is_interrupted() { Err(Failure::interrupted()) } else { Ok(()) }
}
