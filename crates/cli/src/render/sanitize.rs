//! Outside text never steers the terminal: control characters are shown, not obeyed.

use std::fmt::Write as _;

/// `text` in one line: a tab is shown as `⇥`, a line feed as `↵`, a carriage return as `⇤`; other control characters by
/// their number (`‹1b›`), and characters that turn the direction of writing as U+FFFD.
pub(crate) fn line(text: &str) -> String {
    shown(text, false)
}

/// As [`line()`], but line feeds stay.
pub(crate) fn lines(text: &str) -> String {
    shown(text, true)
}

fn shown(text: &str, line_feeds: bool) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '\n' if line_feeds => out.push(c),
            c => push_visible(&mut out, c),
        }
    }
    out
}

/// Whether a character steers a terminal or cannot be seen: controls, blanks without width, turns of the direction of writing.
pub(crate) fn is_hidden(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}')
}

/// Appends what stands for a character.
pub(crate) fn push_visible(out: &mut String, c: char) {
    match c {
        '\t' => out.push('⇥'),
        '\n' => out.push('↵'),
        '\r' => out.push('⇤'),
        '\0'..='\u{1f}' | '\u{7f}'..='\u{9f}' => {
            // Writing to a string does not fail.
            let _ = write!(out, "‹{:02x}›", c as u32);
        }
        c if is_hidden(c) => out.push('\u{fffd}'),
        c => out.push(c),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn escapes_are_shown_and_not_sent() {
        assert_eq!(line("a\u{1b}[31mb\tc\r\n\u{202e}d\u{9b}"), "a‹1b›[31mb⇥c⇤↵\u{fffd}d‹9b›");
        assert_eq!(lines("a\nb\u{7}"), "a\nb‹07›");
    }
}
