//! Records and fields: how text is cut into them.
//!
//! [`delimited`] is the fast machine that every command runs; `twin` is its slow, readable double that the tests hold
//! against it.

pub mod delimited;
#[cfg(test)]
mod twin;

pub use delimited::{Dialect, Machine, Oddities, Step};
