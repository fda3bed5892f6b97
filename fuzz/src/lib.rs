//! Targets for fuzzing, and the seeds that they begin with.

pub mod targets;
