//! The library from outside: what it makes of files of all sorts.
//!
//! - `yard`: made-up files of many layouts, with what is true of them
//! - `measured`: how many of them are read rightly; the table of docs/detection.md
//! - `places`: layouts in which positions divide: starts, names, rules
//! - `tables`: random tables by RFC 4180
//! - `steady`: what must not change a reading
//! - `hostile`: text that is no table, and text that tries to be none

mod hostile;
mod measured;
mod places;
mod steady;
mod tables;
mod yard;

use incola_core::layout::{Layout, LayoutChoices, Samples, detect};

/// The layout of a text, nothing stated.
fn layout_of(text: &str) -> Layout {
    detect(Samples { head: text.as_bytes(), ..Samples::default() }, &LayoutChoices::default())
}
