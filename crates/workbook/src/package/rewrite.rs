//! A package with one part changed and everything else as it is.

use crate::error::{Error, Result};
use crate::package::zip_reader::{Input, ZipReader};
use crate::package::zip_writer::ZipWriter;
use std::io::{Seek, Write};

/// Most bytes of the part that is changed.
const MOST_BYTES: u64 = 64 << 20;

/// Copies the package in `input` to `out` with part `name` changed.
///
/// # Errors
/// [`Error::Damaged`] if it is no package or has no such part.
pub fn with_part_changed<W: Write + Seek>(
    input: Box<dyn Input>,
    name: &str,
    out: W,
    change: impl FnOnce(Vec<u8>) -> Vec<u8>,
) -> Result<W> {
    let mut zip = ZipReader::open(input)?;
    let place = zip.find(name).ok_or_else(|| Error::Damaged(format!("{name} is missing")))?;
    let content = change(zip.read(place, MOST_BYTES)?);
    let mut writer = ZipWriter::new(out);
    for entry in 0..zip.entries().len() {
        if entry == place {
            let own = zip.entries()[entry].name.clone();
            writer.entry(&own, &content)?;
        } else {
            writer.copy(&mut zip, entry)?;
        }
    }
    writer.finish()
}
