//! The command line: what was typed ([`definitions`]), and what it means ([`options`]).

pub(crate) mod definitions;
pub(crate) mod options;
