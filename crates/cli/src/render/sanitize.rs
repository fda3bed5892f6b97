//! Outside text never steers the terminal: control characters are shown, not obeyed.

/// `text` in one line: control characters become their pictures, and characters that turn the direction of writing
/// become U+FFFD.
///
/// A tab is shown as `⇥`, a line end as `⏎`.
pub(crate) fn line(text: &str) -> String {
    text.chars().map(visible).collect()
}

/// As [`line`], but line feeds stay.
pub(crate) fn lines(text: &str) -> String {
    text.chars().map(|c| if c == '\n' { c } else { visible(c) }).collect()
}

/// What stands for a character.
pub(crate) fn visible(c: char) -> char {
    match c {
        '\t' => '⇥',
        '\n' => '⏎',
        '\r' => '␍',
        '\0'..='\u{1f}' => char::from_u32(0x2400 + c as u32).unwrap_or('\u{fffd}'),
        '\u{7f}' => '␡',
        '\u{80}'..='\u{9f}' => '\u{fffd}',
        '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}' => {
            '\u{fffd}'
        }
        c => c,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn escapes_are_shown_and_not_sent() {
        assert_eq!(line("a\u{1b}[31mb\tc\r\n\u{202e}d"), "a␛[31mb⇥c␍⏎\u{fffd}d");
        assert_eq!(lines("a\nb\u{7}"), "a\nb␇");
    }
}
