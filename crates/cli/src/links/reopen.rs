//! The sources of a link, opened again where they are now.

use super::origin::{self, Stamp};
use super::{Kept, Mirror};
use crate::docket::DocketFile;
use crate::failure::Result;
use crate::flags::read::Read;
use crate::io::disk;
use crate::io::source::{Source, is_address};
use crate::io::web::Version;
use crate::render::links::local;
use crate::state::mirror::{Seen, SeenPart};
use crate::wording;
use incola_core::reading::Choices;
use incola_core::settings::LineRange;
use incola_core::settings::docket::Docket;
use incola_engine::feed::{Feed, outside};
use incola_engine::link::{Link, Part, SourceKind};
use incola_engine::refresh::{OpenSource, SourceNow, Wishes};
use incola_engine::stop::LinkStop;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// A file that was written less than this long ago may still be.
const FRESH: Duration = Duration::from_millis(1500);

/// How long it is waited before such a file is looked at again.
const LOOK_AGAIN: Duration = Duration::from_millis(300);

/// The sources of a link, open.
pub(crate) struct Reopened {
    /// Each as the link calls it, with its size and time before it was read.
    sources: Vec<(String, Arc<Source>, Option<Stamp>)>,
}

impl Reopened {
    /// Opens the sources of a link; `None`: a server says that its own is as it was.
    ///
    /// # Errors
    /// Status 3 if one cannot be read; 4 if one is still being written.
    pub(crate) fn open(kept: &Kept, book: &Path) -> Result<Option<Self>> {
        let link = kept.link();
        let docket = Docket::read_kept(&link.docket).map_err(|error| {
            wording::links::link(&link.name, &LinkStop::Broken { why: error.why }, Some(book))
        })?;
        let mut sources = Vec::new();
        for (at, name) in origin::parts(&link.source, book)? {
            let Some((source, stamp)) = open(kept, &at, &name, &docket)? else { return Ok(None) };
            sources.push((at, Arc::new(source), stamp));
        }
        Ok(Some(Self { sources }))
    }

    /// Surveys them as the link says.
    ///
    /// # Errors
    /// If they are broken where they were not, or of another shape than they were.
    pub(crate) fn read(
        &self,
        kept: &Kept,
        book: &Path,
        from_1904: bool,
        wishes: Wishes<'_>,
    ) -> Result<SourceNow> {
        let open = self.sources.iter().map(|(at, source, _)| OpenSource {
            feed: Arc::clone(source) as Arc<dyn Feed>,
            name: source.name.clone(),
            at: at.clone(),
        });
        SourceNow::read(kept.link(), open.collect(), &chooser(kept.link()), from_1904, wishes)
            .map_err(|stop| wording::stop::in_table(stop, book))
    }

    /// Fails if a file was changed since it was opened.
    pub(crate) fn check_still(&self) -> Result<()> {
        self.sources.iter().try_for_each(|(_, source, stamp)| origin::check_still(source, *stamp))
    }

    /// What the link will know of the sources, and when they were changed. `now`: what was read of them.
    pub(crate) fn parts(&self, records: &[u64]) -> Result<Vec<(Part, Stamp)>> {
        let sources = self.sources.iter().zip(records);
        sources.map(|((at, source, _), records)| origin::part_of(source, at, *records)).collect()
    }

    /// Remembers of sources that were read and a table that was written.
    pub(crate) fn remember(
        &self,
        (link, rows): (&Link, &[u64]),
        stamps: &[Stamp],
        mirror: &Mirror,
        book: &Path,
    ) {
        mirror.keep_link(link, rows);
        let parts = link.parts.iter().zip(stamps).map(|(part, stamp)| SeenPart::now(part, *stamp)).collect();
        mirror.keep_seen(&Seen { parts });
        mirror.trust(&origin::reads(link, book));
        if let [(_, source, _)] = self.sources.as_slice()
            && link.source.kind == SourceKind::File
        {
            mirror.keep_source(source);
        }
    }
}

/// Opens a part of a source; `None`: it is of the version that is known.
fn open(kept: &Kept, at: &str, name: &str, docket: &Docket) -> Result<Option<(Source, Option<Stamp>)>> {
    if is_address(name) {
        let known = kept.link().parts.iter().find(|part| part.at == at);
        // Also what was seen to stand for the same records.
        let seen = kept
            .mirror
            .seen()
            .parts
            .into_iter()
            .find(|s| s.at == at && known.is_some_and(|known| known.digest == s.stands_for));
        let version = match (seen, known) {
            (Some(seen), _) => Version { etag: seen.etag, last_modified: seen.last_modified },
            (None, Some(part)) => {
                Version { etag: part.etag.clone(), last_modified: part.last_modified.clone() }
            }
            (None, None) => Version::default(),
        };
        let source = Source::fetch(name, &docket.request, &version, &std::env::temp_dir())?;
        return Ok(source.map(|source| (source, None)));
    }
    let path = Path::new(name);
    let before = origin::stamp(path).ok();
    let is_fresh = || disk::metadata(path).ok()?.modified().ok()?.elapsed().ok().map(|age| age < FRESH);
    let source = Source::open(name, &std::env::temp_dir()).map_err(|failure| {
        let kept = format!("the table keeps its rows, which are of {}", local(&kept.link().refreshed));
        failure.leaving(kept).help("the file has another name now? incola link repoint says so")
    })?;
    if is_fresh().unwrap_or(false) {
        std::thread::sleep(LOOK_AGAIN);
    }
    origin::check_still(&source, before)?;
    Ok(Some((source, before)))
}

/// How the docket of a link is obeyed.
pub(crate) fn chooser(
    link: &Link,
) -> impl Fn(&Docket) -> incola_engine::stop::Result<(Choices, Option<LineRange>)> + use<> {
    let path = PathBuf::from(format!("the docket of link {}", link.name));
    move |docket| {
        let file = DocketFile { path: path.clone(), docket: docket.clone(), unread: Vec::new() };
        Read::default().choices(Some(&file)).map_err(outside)
    }
}

/// The copy of the source as it was imported, if it is of the last import.
pub(crate) fn copy_of(kept: &Kept) -> Option<Source> {
    let link = kept.link();
    let path = kept.mirror.source()?;
    let known = kept.mirror.link()?;
    // One of another import would tell lies.
    if known.refreshed != link.refreshed || known.parts != link.parts {
        return None;
    }
    Source::open(&path.display().to_string(), &std::env::temp_dir()).ok()
}
