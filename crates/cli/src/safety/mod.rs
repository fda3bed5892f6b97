//! What keeps an existing workbook safe: one Incola at a time, nobody else's open workbook, nobody else's save overwritten, and the
//! version before kept so that it can be had back.

pub(crate) mod identity;
mod lock;
pub(crate) mod state;
mod versions;

#[cfg(test)]
pub(crate) use lock::remove_unfinished;
pub(crate) use lock::{Lock, lock_and_clear, unfinished_prefix};
pub(crate) use state::{last_use, name_of, note_use, state_folder};
pub(crate) use versions::{prepare, undo};

/// The time to write into workbooks: now, or what `SOURCE_DATE_EPOCH` says, for builds that must repeat themselves.
pub(crate) fn now() -> String {
    let stated = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|s| s.parse().ok());
    let now = stated
        .and_then(|seconds| jiff::Timestamp::from_second(seconds).ok())
        .unwrap_or_else(jiff::Timestamp::now);
    now.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}
