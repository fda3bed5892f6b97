//! Custom XML parts (ECMA-376 part 1, sections 15.2.5 and 15.2.6): data of a program's own that travels with a workbook. Each has a
//! part beside it that gives it an id and names its namespace.

use crate::error::{Error, Result};
use crate::existing::ExistingBook;
use crate::family::Family;
use crate::markup::{Next, next_tag};
use crate::parts::DECLARATION;
use crate::xml;
use std::io::ErrorKind::{InvalidData, InvalidInput, UnexpectedEof};
use std::io::Read;

/// Bytes in which the root element of a part is looked for.
const HEAD_BYTES: u64 = 4096;

/// Most bytes of a part that is read.
const MOST_BYTES: u64 = 64 << 20;

/// A custom XML part of a workbook that is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CustomPart {
    /// Its content.
    pub content: Vec<u8>,
    /// Its place in the archive.
    pub(crate) place: usize,
}

/// A custom XML part to be written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct NewCustomPart {
    /// The namespace of its root element.
    pub(crate) namespace: String,
    pub(crate) content: Vec<u8>,
}

impl ExistingBook {
    /// The custom XML parts whose root element is in `namespace`. Of others, only their beginning is read.
    ///
    /// # Errors
    /// [`Error::Damaged`](crate::Error::Damaged) if one cannot be read.
    pub fn custom_parts(&mut self, namespace: &str) -> Result<Vec<CustomPart>> {
        let mut parts = Vec::new();
        for place in self.custom_places() {
            let mut head = Vec::new();
            let zip = self.zip();
            let read = zip.stream(place)?.take(HEAD_BYTES).read_to_end(&mut head);
            match read {
                Ok(_) if is_in(&head, namespace) => {
                    parts.push(CustomPart { content: zip.read(place, MOST_BYTES)?, place });
                }
                Ok(_) => {}
                // What is broken is nothing of ours; what the disk does not give may be.
                Err(error) if matches!(error.kind(), InvalidInput | InvalidData | UnexpectedEof) => {}
                Err(error) => return Err(Error::Read(error)),
            }
        }
        Ok(parts)
    }
}

/// Whether the root element of a part is in a namespace, bound to its prefix.
fn is_in(head: &[u8], namespace: &str) -> bool {
    let Next::Tag(tag) = next_tag(head, 0) else { return false };
    let prefix = tag.prefix().trim_end_matches(':');
    let bound = if prefix.is_empty() { "xmlns".to_owned() } else { format!("xmlns:{prefix}") };
    tag.attributes().any(|(name, value)| name == bound && value == namespace)
}

/// The part that gives a custom XML part an id.
pub(crate) fn properties(part: &NewCustomPart, family: Family) -> String {
    let space = match family {
        Family::Transitional => "http://schemas.openxmlformats.org/officeDocument/2006/customXml",
        Family::Strict => "http://purl.oclc.org/ooxml/officeDocument/customXml",
    };
    // Made of what the part says, so that the same input gives the same bytes.
    let mut crc = [0_u32; 4];
    for (n, crc) in crc.iter_mut().enumerate() {
        let mut hasher = crc32fast::Hasher::new_with_initial(n as u32 + 1);
        hasher.update(part.namespace.as_bytes());
        hasher.update(&part.content[..part.content.len().min(512)]);
        *crc = hasher.finalize();
    }
    let [a, b, c, d] = crc;
    format!(
        "{DECLARATION}<ds:datastoreItem ds:itemID=\"{{{a:08X}-{:04X}-{:04X}-{:04X}-{:04X}{d:08X}}}\" xmlns:ds=\"{space}\">\
         <ds:schemaRefs><ds:schemaRef ds:uri=\"{}\"/></ds:schemaRefs></ds:datastoreItem>",
        b >> 16,
        b & 0xFFFF,
        c >> 16,
        c & 0xFFFF,
        xml::escaped(&part.namespace)
    )
}

/// What the type of a custom XML part is.
pub(crate) const CUSTOM: &str = "application/xml";

/// What the type of the part beside it is.
pub(crate) const PROPERTIES: &str = "application/vnd.openxmlformats-officedocument.customXmlProperties+xml";
