//! What an import and a refresh do, over anything that can be read and written.
//!
//! The engine opens no path, asks no clock, prints nothing and names no option: bytes come from a [`feed::Feed`], sheets go into
//! anything that can be written and sought, and whatever stands in the way is a [`stop::Stop`] made of facts.

pub mod cells;
pub mod feed;
pub mod fingerprints;
pub mod import;
pub mod link;
pub mod place;
pub mod refresh;
pub mod stop;
pub mod text;
