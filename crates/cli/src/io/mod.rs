//! Where bytes come from and go to: files, folders, addresses, and workbooks put in their place whole or not at all.

pub(crate) mod attended;
pub(crate) mod book_file;
pub(crate) mod conflicts;
pub(crate) mod disk;
pub(crate) mod folder;
pub(crate) mod identity;
pub(crate) mod source;
pub(crate) mod target;
pub(crate) mod web;
