//! Reads delimited and fixed-width text into typed values, and says how and why.
//!
//! Bytes come in, decisions and values go out. The crate opens no file, asks no clock and prints nothing; the program
//! hands it blocks of text and places what comes back.

pub mod encoding;
pub mod evidence;
pub mod kind;
pub mod layout;
pub mod notice;
pub mod reading;
pub mod record;
pub mod refresh;
pub mod rows;
pub mod settings;
pub mod shape;
pub mod survey;
pub mod words;
