//! Encodings: which one a source is in, and how its bytes become UTF-8.
//!
//! Blocks are decoded one by one and always cut at line ends, so no decoder carries a state from block to block. All
//! encodings here have that property: a byte of a line end is never a part of another character.

mod code_page;
mod common;
mod detect;
mod language;

pub use detect::{Detected, NotText, detect};

use encoding_rs as rs;
use memchr::memchr;
use std::borrow::Cow;

/// An encoding that sources may be in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Encoding {
    /// UTF-8 (RFC 3629).
    Utf8,
    /// UTF-16 with the low byte first.
    Utf16Le,
    /// UTF-16 with the high byte first.
    Utf16Be,
    /// DOS code page 437.
    Cp437,
    /// DOS code page 850.
    Cp850,
    /// DOS code page 852.
    Cp852,
    /// One of the legacy encodings of the WHATWG Encoding Standard.
    Legacy(&'static rs::Encoding),
    /// UTF-8 where the bytes are well-formed, a legacy encoding of single bytes elsewhere: files put together from several.
    Utf8Or(&'static rs::Encoding),
}

/// Bytes that stand for no character: how many, and where the first ones are.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Undecodable {
    /// How many there are.
    pub count: u64,
    /// Byte offsets of the first ones in the decoded text, where U+FFFD stands in for each.
    pub offsets: Vec<usize>,
}

impl Undecodable {
    /// How many places are remembered.
    const PLACES: usize = 20;

    fn add(&mut self, offset: usize) {
        self.count += 1;
        if self.offsets.len() < Self::PLACES {
            self.offsets.push(offset);
        }
    }
}

impl Encoding {
    /// The encoding that a name stands for: a label of the WHATWG Encoding Standard, `cp437`, `cp850`, `cp852`, or
    /// `utf-8+windows-1252` (and its like), in any case.
    ///
    /// ```
    /// use incola_core::encoding::Encoding;
    /// assert_eq!(Encoding::for_label("Latin1").map(|e| e.name()), Some("windows-1252".into()));
    /// assert_eq!(Encoding::for_label("runes"), None);
    /// ```
    pub fn for_label(label: &str) -> Option<Self> {
        let label = label.trim().to_ascii_lowercase();
        match label.as_str() {
            "cp437" | "ibm437" => return Some(Self::Cp437),
            "cp850" | "ibm850" => return Some(Self::Cp850),
            "cp852" | "ibm852" => return Some(Self::Cp852),
            "latin-1" => return Some(Self::Legacy(rs::WINDOWS_1252)),
            _ => {}
        }
        if let Some(other) = label.strip_prefix("utf-8+") {
            return match Self::for_label(other)? {
                Self::Legacy(encoding) if encoding.is_single_byte() => Some(Self::Utf8Or(encoding)),
                _ => None,
            };
        }
        let found = rs::Encoding::for_label(label.as_bytes())
            .or_else(|| rs::Encoding::for_label(label.replace('_', "-").as_bytes()))?;
        Some(if found == rs::UTF_8 {
            Self::Utf8
        } else if found == rs::UTF_16LE {
            Self::Utf16Le
        } else if found == rs::UTF_16BE {
            Self::Utf16Be
        } else if found == rs::REPLACEMENT || found == rs::ISO_2022_JP || found == rs::X_USER_DEFINED {
            return None;
        } else {
            Self::Legacy(found)
        })
    }

    /// The name that people and programs read, in lower case.
    pub fn name(self) -> String {
        match self {
            Self::Utf8 => "utf-8".into(),
            Self::Utf16Le => "utf-16le".into(),
            Self::Utf16Be => "utf-16be".into(),
            Self::Cp437 => "cp437".into(),
            Self::Cp850 => "cp850".into(),
            Self::Cp852 => "cp852".into(),
            Self::Legacy(encoding) => encoding.name().to_ascii_lowercase(),
            Self::Utf8Or(encoding) => format!("utf-8+{}", encoding.name().to_ascii_lowercase()),
        }
    }

    /// Bytes of one code unit: 2 in UTF-16, else 1.
    pub fn unit_bytes(self) -> usize {
        match self {
            Self::Utf16Le | Self::Utf16Be => 2,
            _ => 1,
        }
    }

    /// Whether characters outside ASCII mostly take two bytes.
    pub fn has_double_bytes(self) -> bool {
        let double = [rs::SHIFT_JIS, rs::GBK, rs::GB18030, rs::BIG5, rs::EUC_JP, rs::EUC_KR];
        matches!(self, Self::Legacy(encoding) if double.contains(&encoding))
    }

    /// Length in bytes of the byte order mark that `raw` begins with, in this encoding; 0 if it has none.
    pub fn bom_bytes(self, raw: &[u8]) -> usize {
        let mark: &[u8] = match self {
            Self::Utf8 | Self::Utf8Or(_) => b"\xEF\xBB\xBF",
            Self::Utf16Le => b"\xFF\xFE",
            Self::Utf16Be => b"\xFE\xFF",
            _ => return 0,
        };
        if raw.starts_with(mark) { mark.len() } else { 0 }
    }

    /// The byte after the first line end at or after byte `from`. `lone_cr`: a carriage return alone ends a line too.
    /// `None`: there is none; a carriage return at the very end is none, for a line feed may follow.
    pub fn after_line_end(self, raw: &[u8], from: usize, lone_cr: bool) -> Option<usize> {
        let unit = self.unit_bytes();
        let is = |at: usize, byte: u8| match self {
            Self::Utf16Le => raw[at] == byte && raw[at + 1] == 0,
            Self::Utf16Be => raw[at] == 0 && raw[at + 1] == byte,
            _ => raw[at] == byte,
        };
        if unit == 1 {
            if !lone_cr {
                return memchr(b'\n', &raw[from..]).map(|found| from + found + 1);
            }
            let at = from + memchr::memchr2(b'\n', b'\r', &raw[from..])?;
            return if raw[at] == b'\n' {
                Some(at + 1)
            } else {
                Some(at + if *raw.get(at + 1)? == b'\n' { 2 } else { 1 })
            };
        }
        let mut at = from + from % 2;
        while at + 2 <= raw.len() {
            if is(at, b'\n') {
                return Some(at + 2);
            }
            if lone_cr && is(at, b'\r') {
                if at + 4 > raw.len() {
                    return None;
                }
                return Some(at + if is(at + 2, b'\n') { 4 } else { 2 });
            }
            at += 2;
        }
        None
    }

    /// Decodes `raw` into UTF-8: borrowed where the bytes are UTF-8 already, else in `scratch`. Bytes that stand for no
    /// character become U+FFFD and are noted in `undecodable`. A byte order mark is a character here: cut it off first.
    ///
    /// ```
    /// use incola_core::encoding::{Encoding, Undecodable};
    /// let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    /// let latin = Encoding::for_label("windows-1252").unwrap();
    /// assert_eq!(latin.decode(b"F\xE4hre", &mut scratch, &mut bad), "Fähre".as_bytes());
    /// assert_eq!(bad.count, 0);
    /// ```
    pub fn decode<'a>(
        self,
        raw: &'a [u8],
        scratch: &'a mut Vec<u8>,
        undecodable: &mut Undecodable,
    ) -> &'a [u8] {
        scratch.clear();
        match self {
            Self::Utf8 => {
                if std::str::from_utf8(raw).is_ok() {
                    return raw;
                }
                for chunk in raw.utf8_chunks() {
                    scratch.extend_from_slice(chunk.valid().as_bytes());
                    if !chunk.invalid().is_empty() {
                        undecodable.add(scratch.len());
                        scratch.extend_from_slice("\u{fffd}".as_bytes());
                    }
                }
            }
            Self::Cp437 => code_page::decode(code_page::CP437, raw, scratch),
            Self::Cp850 => code_page::decode(code_page::CP850, raw, scratch),
            Self::Cp852 => code_page::decode(code_page::CP852, raw, scratch),
            Self::Utf16Le => decode_legacy(rs::UTF_16LE, raw, scratch, undecodable),
            Self::Utf16Be => decode_legacy(rs::UTF_16BE, raw, scratch, undecodable),
            Self::Legacy(encoding) => decode_legacy(encoding, raw, scratch, undecodable),
            Self::Utf8Or(encoding) => {
                for chunk in raw.utf8_chunks() {
                    scratch.extend_from_slice(chunk.valid().as_bytes());
                    decode_legacy(encoding, chunk.invalid(), scratch, undecodable);
                }
            }
        }
        scratch
    }
}

impl Encoding {
    /// Encodes a text; appends to `out`. What the encoding lacks is a question mark there, and is told to `lacking`.
    ///
    /// ```
    /// use incola_core::encoding::Encoding;
    /// let (mut out, mut lacking) = (Vec::new(), Vec::new());
    /// let latin = Encoding::for_label("windows-1252").unwrap();
    /// latin.encode("Fähre 魚", &mut out, |c| lacking.push(c));
    /// assert_eq!((out.as_slice(), lacking), (&b"F\xE4hre ?"[..], vec!['魚']));
    /// ```
    pub fn encode(self, text: &str, out: &mut Vec<u8>, mut lacking: impl FnMut(char)) {
        match self {
            Self::Utf8 | Self::Utf8Or(_) => out.extend_from_slice(text.as_bytes()),
            Self::Utf16Le => out.extend(text.encode_utf16().flat_map(u16::to_le_bytes)),
            Self::Utf16Be => out.extend(text.encode_utf16().flat_map(u16::to_be_bytes)),
            Self::Cp437 => code_page::encode(code_page::CP437, text, out, &mut lacking),
            Self::Cp850 => code_page::encode(code_page::CP850, text, out, &mut lacking),
            Self::Cp852 => code_page::encode(code_page::CP852, text, out, &mut lacking),
            Self::Legacy(_) if text.is_ascii() => out.extend_from_slice(text.as_bytes()),
            Self::Legacy(encoding) => encode_legacy(encoding, text, out, &mut lacking),
        }
    }

    /// The byte order mark of the encoding; nothing where it has none.
    pub const fn byte_order_mark(self) -> &'static [u8] {
        match self {
            Self::Utf8 | Self::Utf8Or(_) => b"\xEF\xBB\xBF",
            Self::Utf16Le => b"\xFF\xFE",
            Self::Utf16Be => b"\xFE\xFF",
            _ => b"",
        }
    }
}

fn encode_legacy(
    encoding: &'static rs::Encoding,
    text: &str,
    out: &mut Vec<u8>,
    lacking: &mut impl FnMut(char),
) {
    let mut encoder = encoding.new_encoder();
    let mut at = 0;
    loop {
        let room =
            encoder.max_buffer_length_from_utf8_without_replacement(text.len() - at).unwrap_or(16).max(16);
        let filled = out.len();
        out.resize(filled + room, 0);
        let (result, read, written) =
            encoder.encode_from_utf8_without_replacement(&text[at..], &mut out[filled..], true);
        at += read;
        out.truncate(filled + written);
        match result {
            rs::EncoderResult::InputEmpty => return,
            rs::EncoderResult::OutputFull => {}
            rs::EncoderResult::Unmappable(c) => {
                lacking(c);
                out.push(b'?');
            }
        }
    }
}

fn decode_legacy(
    encoding: &'static rs::Encoding,
    raw: &[u8],
    text: &mut Vec<u8>,
    undecodable: &mut Undecodable,
) {
    let mut decoder = encoding.new_decoder_without_bom_handling();
    let mut at = 0;
    loop {
        let room = decoder.max_utf8_buffer_length_without_replacement(raw.len() - at).unwrap_or(16).max(16);
        let filled = text.len();
        text.resize(filled + room, 0);
        let (result, read, written) =
            decoder.decode_to_utf8_without_replacement(&raw[at..], &mut text[filled..], true);
        at += read;
        text.truncate(filled + written);
        match result {
            rs::DecoderResult::InputEmpty => return,
            rs::DecoderResult::OutputFull => {}
            rs::DecoderResult::Malformed(..) => {
                undecodable.add(text.len());
                text.extend_from_slice("\u{fffd}".as_bytes());
            }
        }
    }
}

/// Decoded bytes as text. What is not UTF-8 after all, where a place cuts a character for example, is U+FFFD.
///
/// ```
/// use incola_core::encoding::text_of;
/// assert_eq!((&*text_of("Möwe".as_bytes()), &*text_of(b"M\xc3")), ("Möwe", "M\u{fffd}"));
/// ```
#[inline]
pub fn text_of(decoded: &[u8]) -> Cow<'_, str> {
    std::str::from_utf8(decoded).map_or_else(|_| String::from_utf8_lossy(decoded), Cow::Borrowed)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn decoded(encoding: Encoding, raw: &[u8]) -> (String, u64) {
        let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
        let text = String::from_utf8(encoding.decode(raw, &mut scratch, &mut bad).to_vec()).unwrap();
        (text, bad.count)
    }

    #[test]
    fn undecodable_bytes_are_counted_and_never_dropped() {
        assert_eq!(decoded(Encoding::Utf8, b"a\xFFb\xC3"), ("a\u{fffd}b\u{fffd}".into(), 2));
        assert_eq!(decoded(Encoding::Utf16Le, b"a\0\x00\xD8b\0c"), ("a\u{fffd}b\u{fffd}".into(), 2));
        let mixed = Encoding::for_label("utf-8+windows-1252").unwrap();
        assert_eq!(decoded(mixed, b"F\xE4hre M\xC3\xB6we"), ("F\u{e4}hre M\u{f6}we".into(), 0));
        let sjis = Encoding::for_label("shift_jis").unwrap();
        assert_eq!(decoded(sjis, b"\x8B\x9B\xFF"), ("魚\u{fffd}".into(), 1));
    }

    #[test]
    fn what_is_encoded_is_decoded_again() {
        let text = "Fähre 12,50 € ½";
        for name in [
            "utf-8",
            "utf-16le",
            "utf-16be",
            "windows-1252",
            "iso-8859-15",
            "cp850",
            "cp437",
            "cp852",
            "shift_jis",
            "macintosh",
        ] {
            let encoding = Encoding::for_label(name).unwrap();
            let (mut raw, mut lacking) = (Vec::new(), Vec::new());
            encoding.encode(text, &mut raw, |c| lacking.push(c));
            let expected: String = text.chars().map(|c| if lacking.contains(&c) { '?' } else { c }).collect();
            assert_eq!(decoded(encoding, &raw), (expected, 0), "{name}");
            let known = "Fähre 12,50";
            assert!(
                lacking.iter().all(|c| !known.contains(*c) || name == "shift_jis"),
                "{name}: {lacking:?}"
            );
            let mark = encoding.byte_order_mark();
            assert_eq!(encoding.bom_bytes(mark), mark.len());
        }
    }

    #[test]
    fn line_ends_are_found_in_code_units() {
        let le = Encoding::Utf16Le;
        // U+0A0D holds the bytes of a line end without being one.
        assert_eq!(le.after_line_end(b"\x0D\x0A\x0A\0", 0, true), Some(4));
        assert_eq!(le.after_line_end(b"a\0\r\0\n\0", 0, true), Some(6));
        assert_eq!(Encoding::Utf8.after_line_end(b"a\rb\n", 0, true), Some(2));
        assert_eq!(Encoding::Utf8.after_line_end(b"a\rb\n", 0, false), Some(4));
        assert_eq!(Encoding::Utf8.after_line_end(b"a\r", 0, true), None);
    }

    #[test]
    fn names_and_labels_agree() {
        for (label, name) in [
            ("UTF8", "utf-8"),
            ("iso-8859-1", "windows-1252"),
            ("shift_jis", "shift_jis"),
            ("cp437", "cp437"),
            ("macintosh", "macintosh"),
            ("gbk", "gbk"),
            ("utf-16", "utf-16le"),
        ] {
            assert_eq!(Encoding::for_label(label).unwrap().name(), name);
        }
    }
}
