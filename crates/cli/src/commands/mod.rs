//! The commands: wiring only.

pub(crate) mod demo;
pub(crate) mod divide;
pub(crate) mod docket;
pub(crate) mod export;
pub(crate) mod import;
pub(crate) mod inspect;
pub(crate) mod link;
pub(crate) mod recent;
pub(crate) mod refresh;
pub(crate) mod state;
pub(crate) mod tally;
pub(crate) mod undo;
pub(crate) mod watch;
