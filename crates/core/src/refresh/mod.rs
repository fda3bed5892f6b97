//! Bringing a table up to date: what the source says now, what the sheet holds, and what was imported the last time, compared.
//!
//! Nothing but 64-bit [fingerprints](fingerprint) of the last import is needed: rows find each other by them and by a key
//! ([`align`]), and where a row was changed on both sides, mixtures of its cells are tried until one has the fingerprint of the row
//! that was imported ([`settle`]).

mod align;
pub mod fingerprint;
mod settle;

pub use align::{Alignment, Fate, Gap, Prints, Unpaired, align};
pub use settle::{Cell, settle, settle_with};
