//! XML text as worksheets want it.

/// Appends `text` (UTF-8) as element content or as an attribute's value.
///
/// Markup characters become references. Characters that XML 1.0 does not allow, and carriage returns, which it would
/// turn into line feeds, become `_xHHHH_`; text that looks like such an escape is escaped itself (ECMA-376 part 1,
/// 22.9.2.19, `ST_Xstring`).
///
/// ```
/// let mut out = Vec::new();
/// incola_workbook::xml::escape(&mut out, b"a<b _x0041_ \r");
/// assert_eq!(out, b"a&lt;b _x005F_x0041_ _x000D_");
/// ```
pub fn escape(out: &mut Vec<u8>, text: &[u8]) {
    let mut plain_from = 0;
    for (at, &byte) in text.iter().enumerate() {
        if !PLAIN[usize::from(byte)] {
            out.extend_from_slice(&text[plain_from..at]);
            plain_from = at + push_escaped(out, &text[at..]);
        }
    }
    out.extend_from_slice(&text[plain_from..]);
}

/// As [`escape`], but quotes stay as they are: for the content of elements.
#[inline]
pub fn escape_content(out: &mut Vec<u8>, text: &[u8]) {
    let needs_care = |b: &u8| !PLAIN[usize::from(*b)] && *b != b'"';
    match text.iter().position(needs_care) {
        None => out.extend_from_slice(text),
        Some(first) => escape_content_from(out, text, first),
    }
}

#[cold]
fn escape_content_from(out: &mut Vec<u8>, text: &[u8], first: usize) {
    let mut plain_from = 0;
    for (at, &byte) in text.iter().enumerate().skip(first) {
        if at >= plain_from && !PLAIN[usize::from(byte)] && byte != b'"' {
            out.extend_from_slice(&text[plain_from..at]);
            plain_from = at + push_escaped(out, &text[at..]);
        }
    }
    out.extend_from_slice(&text[plain_from..]);
}

/// Bytes that stand for themselves wherever they are.
const PLAIN: [bool; 256] = {
    let mut plain = [true; 256];
    let mut b = 0;
    while b < 0x20 {
        plain[b] = b == b'\t' as usize || b == b'\n' as usize;
        b += 1;
    }
    plain[b'&' as usize] = false;
    plain[b'<' as usize] = false;
    plain[b'>' as usize] = false;
    plain[b'"' as usize] = false;
    plain[b'_' as usize] = false;
    plain[0xEF] = false; // U+FFFE and U+FFFF begin with it
    plain
};

/// Appends what stands for the character that `text` begins with; gives its length in bytes.
fn push_escaped(out: &mut Vec<u8>, text: &[u8]) -> usize {
    match text[0] {
        b'&' => out.extend_from_slice(b"&amp;"),
        b'<' => out.extend_from_slice(b"&lt;"),
        b'>' => out.extend_from_slice(b"&gt;"),
        b'"' => out.extend_from_slice(b"&quot;"),
        b'_' if is_escape(text) => out.extend_from_slice(b"_x005F_"),
        byte @ (b'\0'..=0x08 | 0x0B..=0x1F) => {
            out.extend_from_slice(format!("_x{byte:04X}_").as_bytes());
        }
        0xEF => match text.get(1..3) {
            Some([0xBF, low @ (0xBE | 0xBF)]) => {
                out.extend_from_slice(format!("_xFF{:02X}_", low + 0x40).as_bytes());
                return 3;
            }
            _ => out.push(0xEF),
        },
        byte => out.push(byte),
    }
    1
}

fn is_escape(text: &[u8]) -> bool {
    matches!(text, [b'_', b'x' | b'X', a, b, c, d, b'_', ..] if [a, b, c, d].iter().all(|h| h.is_ascii_hexdigit()))
}

/// Undoes [`escape`]: appends the characters that `xml` stands for.
pub fn unescape(out: &mut Vec<u8>, xml: &[u8]) {
    let mut at = 0;
    while at < xml.len() {
        let plain = memchr::memchr2(b'&', b'_', &xml[at..]).unwrap_or(xml.len() - at);
        out.extend_from_slice(&xml[at..at + plain]);
        at += plain;
        let rest = &xml[at..];
        if rest.is_empty() {
            return;
        }
        if is_escape(rest)
            && let Some(c) = std::str::from_utf8(&rest[2..6])
                .ok()
                .and_then(|hex| u32::from_str_radix(hex, 16).ok())
                .and_then(char::from_u32)
        {
            out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
            at += 7;
            continue;
        }
        if rest.starts_with(b"&#")
            && let Some(end) = rest.iter().take(12).position(|b| *b == b';')
            && let Some(c) = std::str::from_utf8(&rest[2..end])
                .ok()
                .and_then(|n| match n.strip_prefix(['x', 'X']) {
                    Some(hex) => u32::from_str_radix(hex, 16).ok(),
                    None => n.parse().ok(),
                })
                .and_then(char::from_u32)
        {
            out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
            at += end + 1;
            continue;
        }
        let reference =
            [(&b"&amp;"[..], b'&'), (b"&lt;", b'<'), (b"&gt;", b'>'), (b"&quot;", b'"'), (b"&apos;", b'\'')]
                .into_iter()
                .find(|(name, _)| rest.starts_with(name));
        if let Some((name, byte)) = reference {
            out.push(byte);
            at += name.len();
        } else {
            out.push(rest[0]);
            at += 1;
        }
    }
}

/// What XML stands for, as text: references and escapes are undone, character data is taken as it is.
pub fn text(xml: &[u8]) -> String {
    let mut out = Vec::new();
    let mut rest = xml;
    while let Some(open) = memchr::memmem::find(rest, b"<![CDATA[") {
        unescape(&mut out, &rest[..open]);
        let inside = &rest[open + 9..];
        let end = memchr::memmem::find(inside, b"]]>").unwrap_or(inside.len());
        out.extend_from_slice(&inside[..end]);
        rest = inside.get(end + 3..).unwrap_or_default();
    }
    unescape(&mut out, rest);
    String::from_utf8_lossy(&out).into_owned()
}

/// What a look at the bytes of a text says: some may not stand as they are in an element's content.
pub(crate) const CARE: u8 = 1;
/// There are blanks at all.
pub(crate) const BLANK: u8 = 2;
/// There are tabs or line ends.
pub(crate) const BREAK: u8 = 4;

const LOOK: [u8; 256] = {
    let mut look = [0; 256];
    let mut b = 0;
    while b < 256 {
        if !PLAIN[b] && b != b'"' as usize {
            look[b] |= CARE;
        }
        if b <= b' ' as usize {
            look[b] |= BLANK;
        }
        if b == b'\t' as usize || b == b'\n' as usize {
            look[b] |= BREAK;
        }
        b += 1;
    }
    look
};

/// Looks at all bytes of a text once.
#[inline]
pub(crate) fn look(text: &[u8]) -> u8 {
    let mut fours = text.chunks_exact(4);
    let mut seen = 0;
    for four in &mut fours {
        let [a, b, c, d] = [four[0], four[1], four[2], four[3]].map(|byte| LOOK[usize::from(byte)]);
        seen |= a | b | c | d;
    }
    fours.remainder().iter().fold(seen, |seen, byte| seen | LOOK[usize::from(*byte)])
}

/// Whether readers would drop blanks or line ends of `text` without `xml:space="preserve"`.
#[inline]
pub fn needs_space_preserved(text: &[u8]) -> bool {
    match text {
        [] => false,
        [first, .., last] => *first <= b' ' || *last <= b' ' || memchr::memchr2(b'\n', b'\t', text).is_some(),
        [only] => *only <= b' ',
    }
}

/// `text` escaped.
pub fn escaped(text: &str) -> String {
    let mut out = Vec::with_capacity(text.len());
    escape(&mut out, text.as_bytes());
    String::from_utf8_lossy(&out).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_escaped_comes_back(text in "([a-z&<>\"_x0-9A-F \t\n\r\u{0}\u{1}\u{fffe}é]|_x[0-9A-F]{4}_|&amp;){0,20}") {
            let (mut xml, mut back) = (Vec::new(), Vec::new());
            escape(&mut xml, text.as_bytes());
            unescape(&mut back, &xml);
            prop_assert_eq!(std::str::from_utf8(&back).unwrap(), &text);
            let content = String::from_utf8(xml).unwrap().replace("&quot;", "\"");
            let mut xml = Vec::new();
            escape_content(&mut xml, text.as_bytes());
            prop_assert_eq!(String::from_utf8(xml).unwrap(), content);
        }
    }
}
