//! Progress on standard error: only on a terminal, and only for work that takes longer than a second.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;
use std::time::{Duration, Instant};

/// Bytes done of a known number.
pub(crate) struct Progress {
    bar: Option<ProgressBar>,
    started: Instant,
    label: String,
    total: u64,
    done: u64,
}

impl Progress {
    /// Progress of `label` through `total` bytes.
    pub(crate) fn new(label: &str, total: u64) -> Self {
        Self { bar: None, started: Instant::now(), label: label.to_owned(), total, done: 0 }
    }

    /// Counts more bytes as done.
    pub(crate) fn add(&mut self, bytes: u64) {
        self.done += bytes;
        if let Some(bar) = &self.bar {
            bar.set_position(self.done);
        } else if self.started.elapsed() > Duration::from_secs(1) && std::io::stderr().is_terminal() {
            let bar = ProgressBar::with_draw_target(Some(self.total), ProgressDrawTarget::stderr_with_hz(5));
            if let Ok(style) = ProgressStyle::with_template("{msg}  {wide_bar}  {percent}%  {eta} left") {
                bar.set_style(style);
            }
            bar.set_message(self.label.clone());
            self.bar = Some(bar);
        }
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}
