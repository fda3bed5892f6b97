//! Words and widths.

pub(crate) use incola_core::words::{counted, grouped};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// Columns of the terminal, or 100 where there is none. `COLUMNS` overrides.
pub(crate) fn terminal_columns() -> usize {
    if let Some(columns) = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok()).filter(|c| *c >= 20) {
        return columns;
    }
    terminal_size::terminal_size().map_or(100, |(width, _)| usize::from(width.0).max(40))
}

/// Columns that a text takes on a terminal.
pub(crate) fn width(text: &str) -> usize {
    UnicodeWidthStr::width(text)
}

/// The beginning of `text` that fits into so many columns; `…` says that something is missing.
pub(crate) fn cut(text: &str, columns: usize) -> String {
    if width(text) <= columns {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut used = 1;
    for c in text.chars() {
        used += c.width().unwrap_or(0);
        if used > columns {
            break;
        }
        out.push(c);
    }
    out.push('…');
    out
}

/// `text` filled with blanks behind.
pub(crate) fn left(text: &str, columns: usize) -> String {
    format!("{text}{}", " ".repeat(columns.saturating_sub(width(text))))
}

/// `text` filled with blanks in front.
pub(crate) fn right(text: &str, columns: usize) -> String {
    format!("{}{text}", " ".repeat(columns.saturating_sub(width(text))))
}

/// `line 4`, `lines 4-9`
pub(crate) fn line_range(line: u64, lines: u64) -> String {
    if lines <= 1 { format!("line {line}") } else { format!("lines {line}-{}", line + lines - 1) }
}

/// Breaks `text` into lines of at most so many columns, at blanks.
pub(crate) fn wrap(text: &str, columns: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let last = lines.len() - 1;
        if !lines[last].is_empty() && width(&lines[last]) + 1 + width(word) > columns {
            lines.push(word.to_owned());
        } else {
            if !lines[last].is_empty() {
                lines[last].push(' ');
            }
            lines[last].push_str(word);
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_grouped_and_texts_cut_to_columns() {
        assert_eq!(cut("Grey Heron", 6), "Grey …");
        assert_eq!(width(&cut("埠頭埠頭", 5)), 5);
        assert_eq!(wrap("a bb ccc dddd", 5), ["a bb", "ccc", "dddd"]);
    }
}
