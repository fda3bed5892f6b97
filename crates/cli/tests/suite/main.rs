//! The built program, driven on files in a temporary folder.
//!
//! | file | what it tests |
//! |---|---|
//! | `support.rs` | the builder of a test, and a reader of what was written |
//! | `inspect.rs` | readings, for people and as JSON |
//! | `import.rs` | what stands in the workbook, and the receipt |
//! | `dockets.rs` | readings written down, found again, corrected |
//! | `existing.rs` | into a workbook that is there |
//! | `clerk.rs`, `grid.rs` | a model of refreshing: what the clerk owns is as the model has it after every step |
//! | `generated.rs` | the same for workbooks of many shapes: what is outside of the rows stays |
//! | `owned.rs` | what stands beside, below and among rows: it goes along, stays, or stops what would lose it |
//! | `layouts.rs` | fixed widths, records of several lines, reports |
//! | `errors.rs` | bad input: status, message, nothing left behind |
//! | `refresh.rs` | links: what comes in, what stays, what stops a refresh |
//! | `safety.rs` | locks, versions to go back to, and who may read what is remembered |
//! | `divide.rs` | a column of a sheet divided in place |
//! | `shape.rs` | rows shaped on the way in, and refreshed by the same steps |
//! | `web.rs` | web addresses, and watching |
//! | `readme.rs` | what the README shows is what the program prints |

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
#![allow(clippy::disallowed_methods, clippy::disallowed_types, reason = "tests make their own files")]

mod grid;
mod support;
mod tally;

mod clerk;
mod conflicts;
mod demo_books;
mod divide;
mod dockets;
mod errors;
mod existing;
mod export;
mod generated;
mod import;
mod inspect;
mod layouts;
mod notices;
mod owned;
mod readme;
mod refresh;
mod remembered;
mod reports;
mod safety;
mod shape;
mod web;
