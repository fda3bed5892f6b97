//! How a link stands: whether its source is as it was, found out without reading it where that can be.

use crate::failure::Result;
use crate::io::disk;
use crate::io::source::Source;
use crate::links::Kept;
use crate::links::origin::{self, Stamp};
use crate::state::mirror::{Seen, SeenPart};
use incola_engine::link::{Part, SourceKind};
use std::path::Path;

/// How a link stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Standing {
    /// The source is as it was.
    Current,
    /// It may have changed: it is to be read.
    Changed,
    /// A file is missing: the name that it has from here.
    Missing(String),
    /// Nobody here said that it may be read.
    Untrusted,
    /// An address: only its server knows.
    Unasked,
}

/// Looks at the source of a link; files whose time changed are read to find out.
///
/// # Errors
/// If a folder cannot be read.
pub(crate) fn standing(kept: &Kept, book: &Path) -> Result<Standing> {
    let link = &kept.link();
    if !kept.mirror.trusts(&origin::reads(link, book)) {
        return Ok(Standing::Untrusted);
    }
    if link.source.kind == SourceKind::Address {
        return Ok(Standing::Unasked);
    }
    let Ok(parts) = origin::parts(&link.source, book) else {
        return Ok(Standing::Missing(origin::here(&link.source.at[0], book)));
    };
    if let Some((_, name)) = parts.iter().find(|(_, name)| !disk::exists(Path::new(name))) {
        return Ok(Standing::Missing(name.clone()));
    }
    if parts.len() != link.parts.len() {
        return Ok(Standing::Changed);
    }
    let mut seen = kept.mirror.seen();
    let mut is_news = false;
    for (at, name) in &parts {
        let Some(known) = link.parts.iter().find(|part| part.at == *at) else { return Ok(Standing::Changed) };
        let Ok(stamp) = origin::stamp(Path::new(name)) else {
            return Ok(Standing::Changed);
        };
        let last = seen.parts.iter().find(|s| s.at == *at && s.stands_for == known.digest);
        if last.is_some_and(|last| last.is(stamp)) {
            continue;
        }
        // Of another size, it has other content; unless that was seen to stand for the same records.
        let candidates: Vec<(u64, &str)> = std::iter::once((known.bytes, known.digest.as_str()))
            .chain(last.map(|last| (last.bytes, last.digest.as_str())))
            .filter(|(size, _)| *size == stamp.bytes)
            .collect();
        if candidates.is_empty() {
            return Ok(Standing::Changed);
        }
        let source = Source::open(name, &std::env::temp_dir())?;
        let digest = format!("{:016x}", source.digest()?.1);
        if !candidates.iter().any(|(_, known)| **known == digest) {
            return Ok(Standing::Changed);
        }
        let own = SeenPart { bytes: stamp.bytes, digest, ..SeenPart::now(known, stamp) };
        seen.parts.retain(|s| s.at != *at);
        seen.parts.push(own);
        is_news = true;
    }
    if is_news {
        kept.mirror.keep_seen(&seen);
    }
    Ok(Standing::Current)
}

/// Remembers that a source, though its bytes are others, holds the records that the table has.
pub(crate) fn note_same(kept: &Kept, now: &[(Part, Stamp)]) {
    let known =
        |at: &str| kept.link().parts.iter().find(|part| part.at == at).map(|part| part.digest.clone());
    let parts = now
        .iter()
        .filter_map(|(part, stamp)| {
            Some(SeenPart { stands_for: known(&part.at)?, ..SeenPart::now(part, *stamp) })
        })
        .collect();
    kept.mirror.keep_seen(&Seen { parts });
}
