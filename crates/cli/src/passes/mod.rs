//! The two passes over a source: the survey decides, the import obeys.

mod blocks;
pub(crate) mod candidate;
pub(crate) mod prints;
pub(crate) mod survey;
pub(crate) mod write;
