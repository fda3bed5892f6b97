//! Links in the parts of a workbook.

use super::{ANCHOR, Link, SourceKind, VERSION, is_address};
use crate::stop::{LinkStop, Result, Stop};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use incola_workbook::{BookWriter, CustomPart, ExistingBook, Range, xml};
use std::io::{Seek, Write};

/// The namespace of heads.
const HEAD: &str = "urn:incola:link:1";

/// The namespace of fingerprints.
const ROWS: &str = "urn:incola:link-rows:1";

/// A link as a workbook has it.
#[derive(Clone, Debug)]
pub struct StoredLink {
    /// The link.
    pub link: Link,
    /// Its part; `None`: the part is gone, and something else remembers it.
    part: Option<CustomPart>,
}

impl StoredLink {
    /// A link that stands in no part.
    pub fn bare(link: Link) -> Self {
        Self { link, part: None }
    }
}

/// The links of a workbook, and the ids of those of which it has nothing but the name.
///
/// # Errors
/// If a part cannot be read, or is of a newer version.
pub fn find(book: &mut ExistingBook) -> Result<(Vec<StoredLink>, Vec<String>)> {
    let mut links = Vec::new();
    for part in book.custom_parts(HEAD).map_err(Stop::Book)? {
        let text = inside(&part.content).map(xml::text).unwrap_or_default();
        match toml::from_str::<Link>(&text) {
            Ok(link) if link.link <= VERSION && link.is_sound() => {
                links.push(StoredLink { link, part: Some(part) });
            }
            Ok(link) if link.link > VERSION => {
                return Err(Stop::link(&link.name, LinkStop::Newer { version: link.link }));
            }
            // What is no link of ours is nobody's: only the name may be left.
            _ => {}
        }
    }
    let names = book.defined_names().iter().filter_map(|n| Some(n.name.strip_prefix(ANCHOR)?.to_owned()));
    let is_lost = |id: &String| is_id(id) && links.iter().all(|stored| stored.link.id != *id);
    let lost = names.filter(is_lost).collect();
    Ok((links, lost))
}

impl Link {
    /// Whether it says what a link must say: it may come from anywhere.
    pub fn is_sound(&self) -> bool {
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

/// The fingerprints of the rows as they were imported; `None`: the workbook does not have them.
///
/// # Errors
/// If a part cannot be read.
pub fn read_rows(book: &mut ExistingBook, stored: &StoredLink) -> Result<Option<Vec<u64>>> {
    if stored.part.is_none() {
        return Ok(None);
    }
    let part = rows_part(book, &stored.link.id).map_err(Stop::Book)?;
    let bytes = part.and_then(|part| STANDARD.decode(inside(&part.content)?.trim_ascii()).ok());
    Ok(bytes.map(|bytes| prints(&bytes)))
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
pub fn prints(bytes: &[u8]) -> Vec<u64> {
    bytes.chunks_exact(8).map(|b| b.iter().rev().fold(0, |n, b| n << 8 | u64::from(*b))).collect()
}

/// The same as bytes.
pub fn bytes_of(prints: &[u64]) -> Vec<u8> {
    prints.iter().flat_map(|print| print.to_le_bytes()).collect()
}

/// Puts a link into a workbook: its parts and its hidden name. `over`: the link as it was.
///
/// # Errors
/// If a part of the workbook cannot be read.
pub fn write<W: Write + Seek>(
    book: &mut BookWriter<W>,
    link: &Link,
    prints: &[u64],
    range: Range,
    over: Option<&StoredLink>,
) -> Result<()> {
    let failed = |e: &dyn std::fmt::Display| Stop::link(&link.name, LinkStop::NotKept { why: e.to_string() });
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
    let known = over.and_then(|stored| stored.part.as_ref());
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
///
/// # Errors
/// If a part of the workbook cannot be read.
pub fn remove<W: Write + Seek>(book: &mut BookWriter<W>, id: &str, part: Option<&StoredLink>) -> Result<()> {
    let rows = match book.existing() {
        Some(existing) => rows_part(existing, id).map_err(Stop::Book)?,
        None => None,
    };
    for part in part.and_then(|stored| stored.part.as_ref()).into_iter().chain(&rows) {
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
