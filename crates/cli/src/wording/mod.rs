//! What the engine's facts become in words: sentences, and the commands to type.

pub(crate) mod aside;
pub(crate) mod cells;
pub(crate) mod links;
#[cfg(test)]
#[allow(clippy::disallowed_methods, reason = "it reads the sources")]
mod messages;
pub(crate) mod misfits;
pub(crate) mod next_time;
pub(crate) mod places;
pub(crate) mod settings;
pub(crate) mod stop;
