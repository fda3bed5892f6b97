//! What the user's state folder knows of a link: the link itself, its rows, the source as it was imported, when it was last seen,
//! and whether it is trusted. Everything but trust can be lost without harm.

use super::{name_of, state_folder};
use crate::io::disk::{self, Temporary};
use crate::io::source::Source;
use crate::links::origin::Stamp;
use incola_engine::link::{Link, Part, bytes_of, prints};
use serde::{Deserialize, Serialize};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Bytes of a source that is kept to tell what was imported.
const MOST_KEPT: u64 = 16 << 20;

/// What is remembered of a link of a workbook at its place.
#[derive(Clone, Debug)]
pub(crate) struct Mirror {
    /// The names of its files, without ending; `None`: there is no state folder.
    stem: Option<PathBuf>,
}

/// A file that was seen to have the content that a link knows.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Seen {
    #[serde(default, rename = "part")]
    pub(crate) parts: Vec<SeenPart>,
}

/// One file.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct SeenPart {
    pub(crate) at: String,
    pub(crate) bytes: u64,
    /// When it was changed last, in nanoseconds since 1970.
    pub(crate) modified: i64,
    /// Which file it is on its disk.
    #[serde(default)]
    pub(crate) inode: u64,
    pub(crate) digest: String,
    pub(crate) etag: Option<String>,
    pub(crate) last_modified: Option<String>,
    /// The digest of what the table holds: the same records, though bytes around them may differ.
    pub(crate) stands_for: String,
}

impl Mirror {
    /// That of the link `id` in the workbook at `book`.
    pub(crate) fn of(book: &Path, id: &str) -> Self {
        Self { stem: state_folder().map(|f| f.join("links").join(name_of(book)).join(id)) }
    }

    fn file(&self, ending: &str) -> Option<PathBuf> {
        self.stem.as_ref().map(|stem| stem.with_extension(ending))
    }

    fn read(&self, ending: &str) -> Option<Vec<u8>> {
        disk::read(self.file(ending)?).ok()
    }

    /// Writes a file whole or not at all. What cannot be kept is not missed until the workbook has lost it too.
    fn keep(&self, ending: &str, bytes: &[u8]) -> bool {
        let Some(path) = self.file(ending) else { return false };
        let Some(folder) = path.parent() else { return false };
        disk::make_private_folder(folder)
            .and_then(|()| Temporary::new_in(folder))
            .and_then(|mut file| file.write_all(bytes).map(|()| file))
            .and_then(|file| file.persist(&path))
            .is_ok()
    }

    /// The link.
    pub(crate) fn link(&self) -> Option<Link> {
        toml::from_str(&String::from_utf8(self.read("link")?).ok()?).ok()
    }

    /// The fingerprints of its rows.
    pub(crate) fn rows(&self) -> Option<Vec<u64>> {
        self.read("rows").map(|bytes| prints(&bytes))
    }

    /// Remembers a link and its rows.
    pub(crate) fn keep_link(&self, link: &Link, rows: &[u64]) {
        if let Ok(text) = toml::to_string(link) {
            self.keep("link", text.as_bytes());
            self.keep("rows", &bytes_of(rows));
        }
    }

    /// When the files were seen last.
    pub(crate) fn seen(&self) -> Seen {
        let text = self.read("seen").and_then(|bytes| String::from_utf8(bytes).ok());
        text.and_then(|text| toml::from_str(&text).ok()).unwrap_or_default()
    }

    pub(crate) fn keep_seen(&self, seen: &Seen) {
        if let Ok(text) = toml::to_string(seen) {
            self.keep("seen", text.as_bytes());
        }
    }

    /// Keeps the source as it was imported, if it has not too many bytes: as they came, so that the system may share them.
    pub(crate) fn keep_source(&self, source: &Source) {
        let Some(path) = self.file("source") else { return };
        let _ = disk::remove_file(&path);
        let Some(folder) = path.parent() else { return };
        let copy = || -> io::Result<()> {
            if source.about()?.len() > MOST_KEPT {
                return Ok(());
            }
            let file = Temporary::new_in(folder)?;
            source.copy_to(file.file())?;
            file.persist(&path)
        };
        // It only shows what conflicts were about.
        let _ = copy();
    }

    /// The source as it was imported, if it was kept.
    pub(crate) fn source(&self) -> Option<PathBuf> {
        self.file("source").filter(|path| disk::is_file(path))
    }

    /// Whether a link that reads this was trusted.
    pub(crate) fn trusts(&self, reads: &str) -> bool {
        self.read("trust").is_some_and(|bytes| bytes == reads.as_bytes())
    }

    /// Trusts a link that reads this; `false`: it cannot be remembered, so it is not trusted.
    pub(crate) fn trust(&self, reads: &str) -> bool {
        self.keep("trust", reads.as_bytes())
    }

    /// Forgets everything.
    pub(crate) fn forget(&self) {
        for ending in ["link", "rows", "seen", "source", "trust"] {
            if let Some(path) = self.file(ending) {
                let _ = disk::remove_file(path);
            }
        }
    }
}

impl SeenPart {
    /// Whether a file is the one that was seen, as far as can be told without reading it.
    pub(crate) fn is(&self, stamp: Stamp) -> bool {
        (self.bytes, self.modified, self.inode) == (stamp.bytes, stamp.modified, stamp.inode)
    }

    /// What a link that was just made or refreshed knows of a part.
    pub(crate) fn now(part: &Part, stamp: Stamp) -> Self {
        Self {
            at: part.at.clone(),
            bytes: part.bytes,
            modified: stamp.modified,
            inode: stamp.inode,
            digest: part.digest.clone(),
            etag: part.etag.clone(),
            last_modified: part.last_modified.clone(),
            stands_for: part.digest.clone(),
        }
    }
}
