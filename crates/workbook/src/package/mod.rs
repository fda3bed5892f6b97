//! The package: a zip archive of parts (ECMA-376 part 2).

pub(crate) mod blocks;
pub mod deflate;
pub mod rewrite;
pub mod zip_reader;
pub mod zip_writer;
