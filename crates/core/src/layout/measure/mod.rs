//! The measure under which all layouts compete: the length in bits of a description of the whole sample.
//!
//! A layout pays for its dialect, for every value under an adaptive model of its column, for every breach of structure, and for
//! every line that it sets aside. The cheapest description wins; what it saves against the next one is the evidence.
//!
//! | page | what it prices |
//! |---|---|
//! | [`lexicon`] | a value of which nothing is known: its picture, its words, its digits |
//! | [`sort`] | no price: what a value is at first sight (number, moment, code, text) |
//! | [`adapt`] | small whole numbers: lengths, places, numbers of fields |
//! | [`bits`] | no price: the logarithm that prices are made of |
//! | [`column`] | the values of one column, as it gets to know them |
//! | [`grid`] | no price: the sample cut into fields by the record machine |
//! | [`structure`] | a whole table: columns, breaches, padding, lines set aside |
//!
//! Columns learn while they code. What trains a model must therefore be what the model is for: headings, totals and remarks are
//! kept out of it ([`structure`]), and a reading that divides a column further must not profit from words that the column has
//! just learnt.

pub(super) mod adapt;
mod bits;
pub(super) mod column;
pub(super) mod grid;
pub(super) mod lexicon;
pub(super) mod sort;
pub(super) mod structure;

/// Bits of a line set aside, besides its text: the first of a run, and each that follows it.
pub(super) const ASIDE: f64 = 7.0;
/// See [`ASIDE`].
pub(super) const ASIDE_NEXT: f64 = 1.5;
/// Bits of a record whose number of fields is not the usual one.
pub(super) const RAGGED: f64 = 9.0;
/// Bits of one more delimited column.
pub(super) const COLUMN: f64 = 0.5;
/// Bits of one more start in a fixed layout: its position and its column.
pub(super) const START: f64 = 7.0;
