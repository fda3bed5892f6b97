//! What is remembered between runs, in the user's state folder, and what keeps workbooks safe: one Incola at a time, the version before
//! kept so that it can be had back, what is known of links, and which dockets were used.

pub(crate) mod appended;
mod clock;
pub(crate) mod folder;
pub(crate) mod kept;
mod lock;
pub(crate) mod mirror;
pub(crate) mod recent;
mod versions;

pub(crate) use clock::now;
pub(crate) use folder::{config_folder, last_use, name_of, note_use, state_folder};
#[cfg(test)]
pub(crate) use lock::remove_unfinished;
pub(crate) use lock::{Lock, lock_and_clear, unfinished_prefix};
pub(crate) use versions::{go_back, list, prepare, undo};
