//! What can go wrong with a workbook.

use std::io;

/// A failure, with the part of the package it happened in.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The package could not be written.
    #[error("{part}: cannot be written: {source}")]
    Write {
        /// The part's name in the package.
        part: String,
        /// What the system said.
        source: io::Error,
    },
    /// The package could not be read.
    #[error("cannot be read: {0}")]
    Read(io::Error),
    /// The package is none, or is broken.
    #[error("{0}")]
    Damaged(String),
    /// The package is sound, but must not be changed, or cannot be without damage: why.
    #[error("{0}")]
    Refused(String),
    /// A sheet has more rows than the format allows.
    #[error("{rows} rows do not fit: a worksheet has {}", crate::limits::ROWS)]
    TooManyRows {
        /// Rows wanted, the header included.
        rows: u64,
    },
}

impl Error {
    /// What it means that the part `name` could not be read to its end: it is broken, or the system did not give it.
    pub(crate) fn of_part(name: &str, error: io::Error) -> Self {
        match error.kind() {
            io::ErrorKind::InvalidData | io::ErrorKind::InvalidInput | io::ErrorKind::UnexpectedEof => {
                Self::Damaged(format!("{name}: it cannot be inflated: {error}"))
            }
            _ => Self::Read(error),
        }
    }
}

/// A result with this crate's error.
pub type Result<T> = std::result::Result<T, Error>;
