//! Links in the parts of a workbook.

use super::{ANCHOR, Link, Mirror, SourceKind, VERSION};
use crate::failure::{Failure, Result};
use crate::source::is_address;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use incola_workbook::{BookWriter, CustomPart, ExistingBook, Range, xml};
use std::io::{Seek, Write};
use std::path::Path;

/// The namespace of heads.
const HEAD: &str = "urn:incola:link:1";

/// The namespace of fingerprints.
const ROWS: &str = "urn:incola:link-rows:1";

/// A link as a workbook has it.
#[derive(Clone, Debug)]
pub(crate) struct Kept {
    pub(crate) link: Link,
    /// Its part; `None`: the part is gone, and the mirror has it.
    part: Option<CustomPart>,
    /// What the mirror knows.
    pub(crate) mirror: Mirror,
}

impl Kept {
    /// A link that stands in no part yet.
    pub(crate) fn bare(link: Link, mirror: Mirror) -> Self {
        Self { link, part: None, mirror }
    }
}

/// The links of a workbook, and the ids of those of which nothing but the name is left.
///
/// # Errors
/// If a part cannot be read, or is of a newer version.
pub(crate) fn find(path: &Path, book: &mut ExistingBook) -> Result<(Vec<Kept>, Vec<String>)> {
    let shown = path.display();
    let failed = |e: incola_workbook::Error| Failure::unreadable(format!("{shown}: {e}"));
    let mut links = Vec::new();
    for part in book.custom_parts(HEAD).map_err(failed)? {
        let text = inside(&part.content).map(xml::text).unwrap_or_default();
        match toml::from_str::<Link>(&text) {
            Ok(link) if link.link <= VERSION && link.is_sound() => {
                let mirror = Mirror::of(path, &link.id);
                links.push(Kept { link, part: Some(part), mirror });
            }
            Ok(link) if link.link > VERSION => {
                return Err(Failure::usage(format!(
                    "{shown}: link \u{201c}{}\u{201d} is of version {}; this program reads up to {VERSION}",
                    link.name, link.link
                ))
                .leaving("the workbook was left as it is")
                .help("bring the program up to date"));
            }
            // What is no link of ours is nobody's: only the name may be left.
            _ => {}
        }
    }
    let mut lost = Vec::new();
    let names = book.defined_names().iter().filter_map(|n| Some(n.name.strip_prefix(ANCHOR)?.to_owned()));
    for id in names.filter(|id| is_id(id)) {
        if links.iter().any(|kept| kept.link.id == id) {
            continue;
        }
        let mirror = Mirror::of(path, &id);
        match mirror.link().filter(Link::is_sound) {
            Some(link) => links.push(Kept { link, part: None, mirror }),
            None => lost.push(id),
        }
    }
    Ok((links, lost))
}

impl Link {
    /// Whether it says what a link must say: it may come from anywhere.
    fn is_sound(&self) -> bool {
        is_id(&self.id)
            && !self.source.at.is_empty()
            && self.source.at.iter().all(|at| !at.is_empty() && !at.contains(['\n', '\r']))
            && (self.source.kind != SourceKind::Address || self.source.at.iter().all(|at| is_address(at)))
            && !self.columns.is_empty()
            && self.columns.len() <= incola_workbook::limits::COLUMNS as usize
    }
}

fn is_id(text: &str) -> bool {
    text.len() == 16 && text.bytes().all(|b| b.is_ascii_hexdigit())
}

/// What stands inside the root element.
fn inside(content: &[u8]) -> Option<&[u8]> {
    let root = memchr::memmem::find(content, b"urn:incola:link")?;
    let from = root + memchr::memchr(b'>', &content[root..])? + 1;
    let to = memchr::memrchr(b'<', content)?;
    content.get(from..to)
}

/// The fingerprints of the rows as they were imported, from the workbook, else from the mirror.
pub(crate) fn read_rows(book: &mut ExistingBook, kept: &Kept) -> Result<Option<Vec<u64>>> {
    let failed = |e: incola_workbook::Error| Failure::unreadable(e.to_string());
    if kept.part.is_none() {
        return Ok(kept.mirror.rows());
    }
    let part = rows_part(book, &kept.link.id).map_err(failed)?;
    let bytes = part.and_then(|part| STANDARD.decode(inside(&part.content)?.trim_ascii()).ok());
    Ok(bytes.map(|bytes| prints(&bytes)).or_else(|| kept.mirror.rows()))
}

fn rows_part(book: &mut ExistingBook, id: &str) -> incola_workbook::Result<Option<CustomPart>> {
    let wanted = format!("link=\"{id}\"");
    let is_own = |part: &CustomPart| {
        let head = &part.content[..part.content.len().min(512)];
        memchr::memmem::find(head, wanted.as_bytes()).is_some()
    };
    Ok(book.custom_parts(ROWS)?.into_iter().find(is_own))
}

/// Fingerprints from bytes, eight each, the lowest first.
pub(super) fn prints(bytes: &[u8]) -> Vec<u64> {
    bytes.chunks_exact(8).map(|b| b.iter().rev().fold(0, |n, b| n << 8 | u64::from(*b))).collect()
}

/// The same as bytes.
pub(super) fn bytes_of(prints: &[u64]) -> Vec<u8> {
    prints.iter().flat_map(|print| print.to_le_bytes()).collect()
}

/// Puts a link into a workbook: its parts and its hidden name. `over`: the link as it was.
pub(crate) fn write<W: Write + Seek>(
    book: &mut BookWriter<W>,
    link: &Link,
    prints: &[u64],
    range: Range,
    over: Option<&Kept>,
) -> Result<()> {
    let failed = |e: &dyn std::fmt::Display| Failure::unreadable(format!("the link cannot be kept: {e}"));
    let text = toml::to_string(link).map_err(|e| failed(&e))?;
    let declaration = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n";
    let mut escaped = Vec::new();
    xml::escape_content(&mut escaped, text.as_bytes());
    let head = format!(
        "{declaration}<link xmlns=\"{HEAD}\" id=\"{}\">\n{}</link>",
        link.id,
        String::from_utf8_lossy(&escaped)
    );
    let mut rows = String::with_capacity(prints.len() * 11 + 256);
    rows.push_str(&format!(
        "{declaration}<rows xmlns=\"{ROWS}\" link=\"{}\" count=\"{}\">",
        link.id,
        prints.len()
    ));
    // Three fingerprints at a time end where a group of base64 ends.
    for part in prints.chunks(3 * 1024) {
        STANDARD.encode_string(bytes_of(part), &mut rows);
    }
    rows.push_str("</rows>");
    let known = over.and_then(|kept| kept.part.as_ref());
    let known_rows = match (known, book.existing()) {
        (Some(_), Some(existing)) => rows_part(existing, &link.id).map_err(|e| failed(&e))?,
        _ => None,
    };
    book.put_custom(known, HEAD, head.into_bytes());
    book.put_custom(known_rows.as_ref(), ROWS, rows.into_bytes());
    book.put_hidden_name(&link.anchor(), Some((&link.table.sheet, range)));
    Ok(())
}

/// Takes a link out of a workbook.
pub(crate) fn remove<W: Write + Seek>(book: &mut BookWriter<W>, id: &str, part: Option<&Kept>) -> Result<()> {
    let failed = |e: incola_workbook::Error| Failure::unreadable(e.to_string());
    let rows = match book.existing() {
        Some(existing) => rows_part(existing, id).map_err(failed)?,
        None => None,
    };
    for part in part.and_then(|kept| kept.part.as_ref()).into_iter().chain(&rows) {
        book.remove_custom(part);
    }
    book.put_hidden_name(&format!("{ANCHOR}{id}"), None);
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fingerprints_come_back_from_their_bytes() {
        let list = [0, 1, u64::MAX, 0x0102_0304_0506_0708];
        assert_eq!(prints(&bytes_of(&list)), list);
    }
}
