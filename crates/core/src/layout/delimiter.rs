//! Delimiters in words.

/// Delimiters with a word of their own.
const WORDS: [(&str, &str); 7] = [
    ("tab", "\t"),
    ("space", " "),
    ("comma", ","),
    ("semicolon", ";"),
    ("pipe", "|"),
    ("caret", "^"),
    ("colon", ":"),
];

/// The words for a delimiter that a person reads.
///
/// ```
/// assert_eq!(incola_core::layout::delimiter_word(b"\t"), "tab");
/// ```
pub fn delimiter_word(delimiter: &[u8]) -> String {
    if delimiter == b"  " {
        return "two spaces".to_owned();
    }
    match WORDS.iter().find(|(_, text)| text.as_bytes() == delimiter) {
        Some((word, _)) => (*word).to_owned(),
        None => format!("\u{201c}{}\u{201d}", String::from_utf8_lossy(delimiter)),
    }
}

/// The delimiter that a word or its characters stand for: `tab`, `comma`, `|`, `||`.
pub fn delimiter_from_word(word: &str) -> String {
    WORDS.iter().find(|(w, _)| *w == word).map_or_else(|| word.to_owned(), |(_, text)| (*text).to_owned())
}
