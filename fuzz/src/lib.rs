//! Targets for fuzzing, and the seeds that they begin with: those of the engine's tests.

#[path = "../../crates/engine/tests/suite/targets/mod.rs"]
pub mod targets;
