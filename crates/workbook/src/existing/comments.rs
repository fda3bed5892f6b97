//! Comments on cells.

use super::ties::{ties_name, ties_of};
use super::{ExistingBook, PART_BYTES, Part, part};
use crate::error::Result;
use crate::markup::tags;
use crate::reference::CellRef;

impl ExistingBook {
    /// The cells of sheet `n` (from 0) that have comments.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if they cannot be read.
    pub fn comments(&mut self, n: usize) -> Result<Vec<CellRef>> {
        let name = self.zip.entries()[self.sheet_place(n)?].name.replace('\\', "/");
        let Some(place) = self.zip.find(&ties_name(&name)) else { return Ok(Vec::new()) };
        let ties = Part { place, content: self.zip.read(place, PART_BYTES)?, name: ties_name(&name) };
        let folder = name.rsplit_once('/').map_or("", |(folder, _)| folder).to_owned();
        let mut cells = Vec::new();
        // Threads of comments have a twin there.
        for tie in ties_of(&ties)?.iter().filter(|t| t.kind.ends_with("/comments")) {
            let comments = part(&mut self.zip, &tie.target_from(&folder))?;
            let all = tags(&comments.name, &comments.content)?;
            let own = all.iter().filter(|t| t.opens("comment"));
            cells.extend(own.filter_map(|t| t.attribute("ref").and_then(|r| CellRef::parse(&r))));
        }
        Ok(cells)
    }
}
