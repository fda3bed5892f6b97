//! Mark-up seen as bytes: where tags begin and end, and what their attributes say. Nothing is built and nothing re-emitted, so
//! that what is not changed stays as it is, byte for byte.

use crate::error::{Error, Result};
use std::borrow::Cow;

/// What a tag is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum TagKind {
    /// `<a>`
    Open,
    /// `</a>`
    Close,
    /// `<a/>`
    Empty,
}

/// A tag and its place.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Tag<'x> {
    pub(crate) kind: TagKind,
    /// With its prefix.
    name: &'x [u8],
    /// Between the name and the end.
    attributes: &'x [u8],
    /// Its first byte.
    pub(crate) start: usize,
    /// The byte behind it.
    pub(crate) end: usize,
}

impl<'x> Tag<'x> {
    /// The name with its prefix.
    pub(crate) fn name(&self) -> &'x [u8] {
        self.name
    }

    /// The name without its prefix.
    pub(crate) fn local(&self) -> &'x [u8] {
        memchr::memchr(b':', self.name).map_or(self.name, |at| &self.name[at + 1..])
    }

    /// The prefix with its colon; empty if there is none.
    pub(crate) fn prefix(&self) -> &'x str {
        let prefix = memchr::memchr(b':', self.name).map_or(&b""[..], |at| &self.name[..=at]);
        std::str::from_utf8(prefix).unwrap_or("")
    }

    /// Whether this opens (or is) an element of that local name.
    pub(crate) fn opens(&self, local: &str) -> bool {
        self.kind != TagKind::Close && self.local() == local.as_bytes()
    }

    /// Whether this closes an element of that local name.
    pub(crate) fn closes(&self, local: &str) -> bool {
        self.kind == TagKind::Close && self.local() == local.as_bytes()
    }

    /// The attributes, with their names as they stand.
    pub(crate) fn attributes(&self) -> impl Iterator<Item = (&'x str, Cow<'x, str>)> + use<'x> {
        let mut rest = self.attributes;
        std::iter::from_fn(move || {
            let equals = memchr::memchr(b'=', rest)?;
            let name = std::str::from_utf8(rest[..equals].trim_ascii()).ok()?;
            let value = rest[equals + 1..].trim_ascii_start();
            let quote = *value.first()?;
            let end = memchr::memchr(quote, &value[1..])?;
            rest = &value[end + 2..];
            Some((name, unescaped(std::str::from_utf8(&value[1..=end]).ok()?)))
        })
    }

    /// The value of an attribute; a name without prefix also finds one with a prefix.
    pub(crate) fn attribute(&self, name: &str) -> Option<Cow<'x, str>> {
        self.attributes()
            .find(|(n, _)| *n == name)
            .or_else(|| {
                self.attributes().find(|(n, _)| {
                    n.rsplit(':').next() == Some(name) && n.contains(':') && !n.starts_with("xmlns")
                })
            })
            .map(|(_, value)| value)
    }
}

/// References in attribute values, resolved.
fn unescaped(text: &str) -> Cow<'_, str> {
    if !text.contains('&') {
        return Cow::Borrowed(text);
    }
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('&') {
        out.push_str(before);
        let Some((name, behind)) = after.split_once(';') else {
            out.push('&');
            rest = after;
            continue;
        };
        let c = match name {
            "amp" => Some('&'),
            "lt" => Some('<'),
            "gt" => Some('>'),
            "quot" => Some('"'),
            "apos" => Some('\''),
            _ => name
                .strip_prefix("#x")
                .map(|hex| u32::from_str_radix(hex, 16).ok())
                .or_else(|| name.strip_prefix('#').map(|decimal| decimal.parse().ok()))
                .flatten()
                .and_then(char::from_u32),
        };
        out.extend(c);
        rest = behind;
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// What stands at the next `<` of a part.
pub(crate) enum Next<'x> {
    /// A tag.
    Tag(Tag<'x>),
    /// Nothing more.
    End,
    /// Something whose end is not there.
    Open,
    /// A document type.
    DocumentType,
}

/// The next tag at or behind byte `at`. Comments, declarations and character data are stepped over.
pub(crate) fn next_tag(xml: &[u8], mut at: usize) -> Next<'_> {
    while let Some(found) = xml.get(at..).and_then(|rest| memchr::memchr(b'<', rest)) {
        let start = at + found;
        let rest = &xml[start..];
        let past = |from: usize, end: &[u8]| {
            rest.get(from..).and_then(|r| memchr::memmem::find(r, end)).map(|i| from + i + end.len())
        };
        let stepped_over = if rest.starts_with(b"<!--") {
            past(4, b"-->")
        } else if rest.starts_with(b"<![CDATA[") {
            past(9, b"]]>")
        } else if rest.starts_with(b"<?") {
            past(2, b"?>")
        } else if rest.starts_with(b"<!") && rest.len() >= 9 {
            return Next::DocumentType;
        } else if rest.starts_with(b"<!") {
            None
        } else {
            let Some(end) = tag_end(rest) else { return Next::Open };
            let inside = &rest[1..end];
            let (kind, inside) = match (inside.strip_prefix(b"/"), inside.strip_suffix(b"/")) {
                (Some(name), _) => (TagKind::Close, name),
                (_, Some(inside)) => (TagKind::Empty, inside),
                _ => (TagKind::Open, inside),
            };
            let name_end = inside.iter().position(u8::is_ascii_whitespace).unwrap_or(inside.len());
            let (name, attributes) = inside.split_at(name_end);
            return Next::Tag(Tag { kind, name, attributes, start, end: start + end + 1 });
        };
        match stepped_over {
            Some(length) => at = start + length,
            None => return Next::Open,
        }
    }
    Next::End
}

/// Most tags of a part that is looked at as a whole: ten times what the largest real ones have.
pub(crate) const MOST_TAGS: usize = 500_000;

/// Most bytes of one tag: lists of areas are the longest attributes that real ones have, and reach a tenth of this.
const LONGEST_TAG: usize = 1 << 20;

/// The tags of a part, in their order. Comments, declarations and character data are stepped over.
///
/// # Errors
/// [`Error::Damaged`] at a document type, which packages must not have, and where the mark-up breaks off. [`Error::Refused`] if
/// there are more tags, or longer ones, than any workbook needs.
pub(crate) fn tags<'x>(part: &str, xml: &'x [u8]) -> Result<Vec<Tag<'x>>> {
    let mut tags = Vec::new();
    let mut at = 0;
    loop {
        match next_tag(xml, at) {
            Next::Tag(_) if tags.len() == MOST_TAGS => {
                return Err(Error::Refused(format!("{part}: it has more than {MOST_TAGS} tags")));
            }
            Next::Tag(tag) if tag.end - tag.start > LONGEST_TAG => {
                return Err(Error::Refused(format!("{part}: it has a tag of more than {LONGEST_TAG} bytes")));
            }
            Next::Tag(tag) => {
                at = tag.end;
                tags.push(tag);
            }
            Next::End => return Ok(tags),
            Next::Open => return Err(Error::Damaged(format!("{part}: its mark-up is broken"))),
            Next::DocumentType => {
                return Err(Error::Damaged(format!(
                    "{part}: it has a document type, which no workbook may have"
                )));
            }
        }
    }
}

/// Where the tag that `rest` begins with has its `>`.
pub(crate) fn tag_end(rest: &[u8]) -> Option<usize> {
    let mut at = 1;
    loop {
        let found = at + memchr::memchr3(b'>', b'"', b'\'', &rest[at..])?;
        if rest[found] == b'>' {
            return Some(found);
        }
        at = found + 1 + memchr::memchr(rest[found], &rest[found + 1..])? + 1;
    }
}

/// Text for a part whose encoding may be another than UTF-8: characters outside ASCII become references.
pub(crate) fn ascii(text: &str) -> String {
    if text.is_ascii() {
        return text.to_owned();
    }
    text.chars().map(|c| if c.is_ascii() { c.to_string() } else { format!("&#{};", u32::from(c)) }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn tags_are_found_among_everything_else() {
        let xml = b"<?xml version=\"1.0\"?><!-- <no/> --><x:a b='1 > 0' r:id=\"q&amp;&#x41;\"><![CDATA[<no>]]><c/></x:a>";
        let tags = tags("a.xml", xml).unwrap();
        let seen: Vec<(TagKind, &[u8])> = tags.iter().map(|t| (t.kind, t.local())).collect();
        assert_eq!(seen, [(TagKind::Open, &b"a"[..]), (TagKind::Empty, b"c"), (TagKind::Close, b"a")]);
        assert_eq!(tags[0].prefix(), "x:");
        assert_eq!(tags[0].attribute("b").as_deref(), Some("1 > 0"));
        assert_eq!(tags[0].attribute("id").as_deref(), Some("q&A"));
        assert_eq!(tags[0].attribute("nothing"), None);
    }

    #[test]
    fn broken_mark_up_and_document_types_are_errors() {
        for xml in [&b"<a b='1"[..], b"<a", b"<!-- ", b"<!DOCTYPE a><a/>"] {
            assert!(tags("a.xml", xml).is_err());
        }
    }

    #[test]
    fn more_tags_and_longer_ones_than_any_workbook_needs_are_refused() {
        let many = "<c/>".repeat(MOST_TAGS + 1);
        let long = format!("<a{}/>", " b='1'".repeat(LONGEST_TAG / 6 + 1));
        for (xml, says) in [(&many, "500000 tags"), (&long, "a tag of more than 1048576 bytes")] {
            let refused = tags("a.xml", xml.as_bytes()).map(|_| ()).unwrap_err().to_string();
            assert!(refused.contains("a.xml") && refused.contains(says), "{refused}");
        }
        assert_eq!(tags("a.xml", &many.as_bytes()[4..]).unwrap().len(), MOST_TAGS);
        assert_eq!(tags("a.xml", &long.replacen(" b='1'", "", 2).into_bytes()).unwrap().len(), 1);
    }

    /// A part's text, made of pieces that may stand in one.
    fn part() -> impl Strategy<Value = String> {
        let name = "(x14:)?[a-z][a-zA-Z]{0,4}";
        let value = "([ -!#-%'-;=?-~\u{e4}]|&amp;|&lt;|&#228;){0,6}";
        let attribute = (name, value).prop_map(|(name, value)| format!(" {name}1=\"{value}\""));
        let attributes = prop::collection::vec(attribute, 0..2).prop_map(|list| list.concat());
        let leaf = prop_oneof![
            "([ -%'-;=?-~\u{e4}]|&amp;|&gt;){0,8}",
            (name, attributes.clone()).prop_map(|(name, attributes)| format!("<{name}{attributes}/>")),
            "[a-z <>=]{0,8}".prop_map(|text| format!("<!--{text}-->")),
            "[a-z <>=/]{0,8}".prop_map(|text| format!("<![CDATA[{text}]]>")),
        ];
        let tree = leaf.prop_recursive(4, 24, 4, move |inner| {
            (name, attributes.clone(), prop::collection::vec(inner, 0..4)).prop_map(
                |(name, attributes, inner)| format!("<{name}{attributes}>{}</{name}>", inner.concat()),
            )
        });
        tree.prop_map(|inside| format!("<?xml version=\"1.0\"?>\n<root>{inside}</root>"))
    }

    /// A tag: kind, name and attributes.
    type Told = (TagKind, String, Vec<(String, String)>);

    /// The tags that another reader finds.
    fn tags_of_another_reader(xml: &str) -> Vec<Told> {
        use quick_xml::events::{BytesStart, Event};
        let mut reader = quick_xml::Reader::from_str(xml);
        reader.config_mut().check_comments = false;
        let element = |kind: TagKind, tag: &BytesStart<'_>| {
            let attributes = tag.attributes().map(|a| {
                let a = a.unwrap();
                let value = quick_xml::escape::unescape(&a.value).unwrap().into_owned();
                (a.key.as_ref().to_owned(), value)
            });
            (kind, tag.name().as_ref().to_owned(), attributes.collect())
        };
        let mut tags = Vec::new();
        loop {
            match reader.read_event().unwrap() {
                Event::Start(tag) => tags.push(element(TagKind::Open, &tag)),
                Event::Empty(tag) => tags.push(element(TagKind::Empty, &tag)),
                Event::End(tag) => {
                    let name = tag.name().as_ref().to_owned();
                    tags.push((TagKind::Close, name, Vec::new()));
                }
                Event::Eof => return tags,
                _ => {}
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(1000) })]
        #[test]
        fn another_reader_finds_the_same_tags(xml in part()) {
            let own: Vec<_> = tags("part", xml.as_bytes())
                .unwrap()
                .iter()
                .map(|tag| {
                    let attributes = tag.attributes().map(|(name, value)| (name.to_owned(), value.into_owned()));
                    (tag.kind, String::from_utf8(tag.name().to_vec()).unwrap(), attributes.collect::<Vec<_>>())
                })
                .collect();
            prop_assert_eq!(own, tags_of_another_reader(&xml), "{}", xml);
            // Each is where it says.
            for tag in tags("part", xml.as_bytes()).unwrap() {
                prop_assert!(xml[tag.start..tag.end].starts_with('<') && xml[tag.start..tag.end].ends_with('>'));
            }
        }

        #[test]
        fn mark_up_that_is_cut_never_panics(xml in part(), at in any::<prop::sample::Index>()) {
            let _ = tags("part", &xml.as_bytes()[..at.index(xml.len())]);
        }
    }
}
