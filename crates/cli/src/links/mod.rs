//! Links on this machine: where their sources are, what is remembered of them in the user's state folder, and who trusts them. Some
//! programs drop the parts of a workbook that hold links when they save; the mirror has them still.

pub(crate) mod make;
pub(crate) mod origin;
pub(crate) mod reopen;
pub(crate) mod standing;

pub(crate) use crate::state::mirror::Mirror;
pub(crate) use standing::{Standing, standing};

use crate::failure::Result;
use crate::wording;
use incola_engine::link::{self, Link, StoredLink};
use incola_workbook::ExistingBook;
use std::path::Path;

/// A link of a workbook, and what is remembered of it.
#[derive(Clone, Debug)]
pub(crate) struct Kept {
    pub(crate) stored: StoredLink,
    /// What the mirror knows.
    pub(crate) mirror: Mirror,
}

impl Kept {
    /// The link.
    pub(crate) fn link(&self) -> &Link {
        &self.stored.link
    }

    /// The fingerprints of its rows as they were imported, from the workbook, else from the mirror.
    ///
    /// # Errors
    /// If the workbook cannot be read.
    pub(crate) fn rows(&self, book: &mut ExistingBook) -> Result<Vec<u64>> {
        let known = link::read_rows(book, &self.stored)?;
        Ok(known.or_else(|| self.mirror.rows()).unwrap_or_default())
    }
}

/// The links of a workbook, and the ids of those of which nothing but the name is left.
///
/// # Errors
/// If a part cannot be read, or is of a newer version.
pub(crate) fn find(path: &Path, book: &mut ExistingBook) -> Result<(Vec<Kept>, Vec<String>)> {
    let (stored, names) = link::find(book).map_err(|stop| wording::stop::in_book(stop, path))?;
    let mut links: Vec<Kept> =
        stored.into_iter().map(|stored| Kept { mirror: Mirror::of(path, &stored.link.id), stored }).collect();
    let mut lost = Vec::new();
    for id in names {
        let mirror = Mirror::of(path, &id);
        match mirror.link().filter(Link::is_sound) {
            Some(link) => links.push(Kept { stored: StoredLink::bare(link), mirror }),
            None => lost.push(id),
        }
    }
    Ok((links, lost))
}
