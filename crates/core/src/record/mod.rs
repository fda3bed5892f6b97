//! Records and fields: how text is cut into them.
//!
//! [`Machine`] is what every command runs: `delimited.rs` holds it, with records whose fields a delimiter divides; `quoted.rs` and
//! `line.rs` know where fields in quotes and lines end, `fixed.rs` and `multiline.rs` teach it the other divisions. `twin.rs` is its slow, readable double for delimited text, which the
//! tests hold against it.

mod delimited;
mod dialect;
mod fixed;
mod form;
mod line;
mod multiline;
mod quoted;
mod several;
#[cfg(test)]
mod twin;
mod write;

pub use delimited::{Machine, Oddities, QUOTE_REACH, Step};
pub use dialect::{Dialect, Division};
pub use fixed::{Fixed, Unit};
pub use form::{FieldForm, Quotes, TextForm};
pub use multiline::{LineParts, LineShape, Multiline};
pub(crate) use multiline::{is_drawn, split_label};
pub use several::LineForm;
pub use write::{RecordWriter, Unwritable};
