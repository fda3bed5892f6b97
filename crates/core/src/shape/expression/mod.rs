//! Value expressions of ISO/IEC 9075-2 (SQL), a subset: parsed, given types, evaluated exactly record by record.
//!
//! The grammar is read by a parser crate; which of it is meant here, what it means, and that nothing is rounded unsaid, is decided on
//! these pages. Types are known before a record is read: what does not fit is told with its place.

mod aggregate;
mod bad;
mod bind;
mod eval;
mod functions;
mod like;
mod literal;
mod spell;
mod value;

pub use value::{Fault, Type};

pub(super) use aggregate::{Aggregate, Function, bind_list};
pub(super) use bind::{Column, bind};
pub(super) use eval::{Row, Tree, truth};
pub(super) use functions::round;
pub(super) use value::{Val, add, divide, iso_week};
