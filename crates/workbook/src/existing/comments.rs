//! Comments on cells.

use super::{ExistingBook, part};
use crate::error::Result;
use crate::markup::tags;
use crate::reference::CellRef;

impl ExistingBook {
    /// The cells of sheet `n` (from 0) that have comments.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if they cannot be read.
    pub fn comments(&mut self, n: usize) -> Result<Vec<CellRef>> {
        let mut cells = Vec::new();
        // Threads of comments have a twin there.
        for name in self.tied(n, "/comments")? {
            let comments = part(&mut self.zip, &name)?;
            let all = tags(&comments.name, &comments.content)?;
            let own = all.iter().filter(|t| t.opens("comment"));
            cells.extend(own.filter_map(|t| t.attribute("ref").and_then(|r| CellRef::parse(&r))));
        }
        Ok(cells)
    }
}
