//! The command line: what was typed ([`definitions`], [`read`]), and what it means ([`settings`]).

pub(crate) mod defaults;
pub(crate) mod definitions;
pub(crate) mod kept;
pub(crate) mod meant;
pub(crate) mod read;
pub(crate) mod settings;
