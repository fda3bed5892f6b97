//! XML text as worksheets want it.

/// Appends `text` (UTF-8) as element content or as an attribute's value.
///
/// Markup characters become references. Characters that XML 1.0 does not allow, and carriage returns, which it would
/// turn into line feeds, become `_xHHHH_`; text that looks like such an escape is escaped itself (ECMA-376 part 1,
/// 22.9.2.19, `ST_Xstring`). Bytes that are no UTF-8 become U+FFFD.
///
/// ```
/// let mut out = Vec::new();
/// incola_workbook::xml::escape(&mut out, b"a<b _x0041_ \r");
/// assert_eq!(out, b"a&lt;b _x005F_x0041_ _x000D_");
/// ```
pub fn escape(out: &mut Vec<u8>, text: &[u8]) {
    if text.iter().all(|b| PLAIN[usize::from(*b)]) {
        out.extend_from_slice(text);
    } else {
        escape_with_care(out, text);
    }
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

#[cold]
fn escape_with_care(out: &mut Vec<u8>, text: &[u8]) {
    for chunk in text.utf8_chunks() {
        let valid = chunk.valid();
        for (at, c) in valid.char_indices() {
            match c {
                '&' => out.extend_from_slice(b"&amp;"),
                '<' => out.extend_from_slice(b"&lt;"),
                '>' => out.extend_from_slice(b"&gt;"),
                '"' => out.extend_from_slice(b"&quot;"),
                '_' if is_escape(&valid.as_bytes()[at..]) => out.extend_from_slice(b"_x005F_"),
                '\t' | '\n' => out.push(c as u8),
                '\0'..='\u{1f}' | '\u{fffe}' | '\u{ffff}' => {
                    out.extend_from_slice(format!("_x{:04X}_", c as u32).as_bytes());
                }
                c => out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
            }
        }
        if !chunk.invalid().is_empty() {
            out.extend_from_slice("\u{fffd}".as_bytes());
        }
    }
}

fn is_escape(text: &[u8]) -> bool {
    matches!(text, [b'_', b'x' | b'X', a, b, c, d, b'_', ..] if [a, b, c, d].iter().all(|h| h.is_ascii_hexdigit()))
}

/// Undoes [`escape`]: appends the characters that `xml` stands for.
pub fn unescape(out: &mut Vec<u8>, xml: &[u8]) {
    let mut at = 0;
    while at < xml.len() {
        let rest = &xml[at..];
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
            prop_assert_eq!(String::from_utf8(back).unwrap(), text);
        }
    }
}
