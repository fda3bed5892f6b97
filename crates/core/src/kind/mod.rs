//! Kinds: what a column's values are, decided on the whole file.

pub mod date;
mod day;
pub mod decide;
pub mod force;
mod month;
pub mod name;
pub mod number;
pub mod pattern;
mod rule;
pub mod shown;
pub mod statistics;

pub use date::DateOrder;
pub use day::Day;
pub use month::{Languages, month_name};
pub use number::{Decimal, Group, Marks, NumberSpelling, SpellingCode, Sum};
pub use rule::{BooleanRule, DateRule, Kind, NumberRule, Rule, Value};
pub use statistics::{ColumnStats, Count};
