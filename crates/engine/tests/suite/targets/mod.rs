//! What is tried with bytes that nobody wrote on purpose. A target takes any bytes and fails where something that is promised for all
//! of them does not hold: mostly that there is an answer, and no panic.
//!
//! They are called in two ways: by a fuzzer, for as long as one likes (`fuzz/`), and by the engine's tests, on a few hundred
//! mutations of the demo's files.

pub mod mutate;
mod package;
pub mod seeds;
mod settings;
mod sheet;
mod text;
mod values;

/// A target.
pub type Target = fn(&[u8]);

/// All targets by their names.
pub const TARGETS: [(&str, Target); 11] = [
    ("text", text::any_layout),
    ("encodings", text::encodings),
    ("docket", settings::docket),
    ("selectors", settings::selectors),
    ("values", values::dates_and_numbers),
    ("formulas", values::formulas),
    ("directory", package::directory),
    ("sheet", sheet::worksheet),
    ("styles", sheet::styles),
    ("workbook", sheet::workbook),
    ("custom", sheet::custom_part),
];
