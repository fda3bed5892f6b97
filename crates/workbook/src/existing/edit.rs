//! Parts are changed by putting bytes in place of bytes: what is not changed stays as it is.

use crate::markup::{Tag, TagKind, ascii};

/// The edit that gives an attribute of a tag another value.
pub(crate) fn attribute_edit(content: &[u8], tag: &Tag<'_>, name: &str, value: &str) -> Option<Edit> {
    let text = &content[tag.start..tag.end];
    let at = [b' ', b'\n', b'\r', b'\t'].iter().find_map(|blank| {
        let mut wanted = vec![*blank];
        wanted.extend_from_slice(name.as_bytes());
        memchr::memmem::find_iter(text, &wanted)
            .map(|at| at + wanted.len())
            .find(|at| text[*at..].trim_ascii_start().first() == Some(&b'='))
    })?;
    let open = at + text[at..].iter().position(|b| matches!(b, b'"' | b'\''))?;
    let close = open + 1 + memchr::memchr(text[open], &text[open + 1..])?;
    Some((tag.start + open + 1..tag.start + close, value.to_owned()))
}

/// Bytes to be put in place of a range; an empty range inserts.
pub(crate) type Edit = (std::ops::Range<usize>, String);

pub(crate) fn edited(content: &[u8], mut edits: Vec<Edit>) -> Vec<u8> {
    edits.sort_by_key(|(range, _)| range.start);
    let mut out = Vec::with_capacity(content.len() + 4096);
    let mut at = 0;
    for (range, text) in edits {
        out.extend_from_slice(&content[at..range.start]);
        out.extend_from_slice(ascii(&text).as_bytes());
        at = range.end;
    }
    out.extend_from_slice(&content[at..]);
    out
}

/// The edits that put `children` at the end of an element, whether it is open or empty; `None`: there is no such element.
pub(crate) fn append(content: &[u8], all: &[Tag<'_>], element: &str, children: &str) -> Option<Vec<Edit>> {
    let first = all.iter().find(|t| t.opens(element))?;
    if first.kind == TagKind::Empty {
        let slash = first.end - 2;
        let name = String::from_utf8_lossy(&content[first.start + 1..slash]);
        let name = name.split_ascii_whitespace().next().unwrap_or(element).to_owned();
        return Some(vec![(slash..first.end, format!(">{children}</{name}>"))]);
    }
    let close = all.iter().find(|t| t.start > first.start && t.closes(element))?;
    Some(vec![(close.start..close.start, children.to_owned())])
}

/// The elements right inside an element: their tags, and the byte behind each.
pub(crate) fn children<'x>(all: &[Tag<'x>], element: &str) -> Vec<(Tag<'x>, usize)> {
    let Some(from) = all.iter().position(|t| t.opens(element)) else { return Vec::new() };
    let mut list = Vec::new();
    if all[from].kind == TagKind::Empty {
        return list;
    }
    let (mut depth, mut open) = (0, None);
    for tag in &all[from + 1..] {
        match tag.kind {
            TagKind::Empty if depth == 0 => list.push((*tag, tag.end)),
            TagKind::Empty => {}
            TagKind::Open => {
                if depth == 0 {
                    open = Some(*tag);
                }
                depth += 1;
            }
            TagKind::Close => {
                depth -= 1;
                if depth < 0 {
                    break;
                }
                if depth == 0
                    && let Some(open) = open.take()
                {
                    list.push((open, tag.end));
                }
            }
        }
    }
    list
}
