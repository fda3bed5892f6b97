//! The library held against others: readers of workbooks, of XML, of archives, and a calendar.
#![allow(clippy::unwrap_used, reason = "a test ends where something is not as it must be")]

mod archives;
mod books;
mod calendar;
mod references;
