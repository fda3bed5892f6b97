//! Lines before anything is decided: their ends, the delimiter that the first one states, comments.

use super::tally::Tally;
use super::{LayoutChoices, Samples};
use crate::record::Dialect;
use memchr::memmem;

/// Lines of the sample that are looked at for comments.
const LINES: usize = 200;

/// Prefixes that make a line a comment. A semicolon counts only where it is no delimiter.
const COMMENT_PREFIXES: [&str; 9] = ["##", "#", "//", "%", "!", ";", "*", "@", "--"];

/// The delimiter that a first line `sep=;` states, as several programs write and read it.
pub(super) fn stated_by_first_line(head: &[u8]) -> Option<String> {
    let line = lines(head).next()?;
    let line = std::str::from_utf8(line).ok()?.trim_matches('"');
    let delimiter = line.strip_prefix("sep=").or_else(|| line.strip_prefix("SEP="))?;
    (delimiter.chars().count() == 1).then(|| delimiter.to_owned())
}

/// The lines of a text, without their ends. Carriage returns alone end them where they do so in the source.
pub(super) fn lines(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    let lone = lone_cr_ends_line(text);
    let mut rest = Some(text);
    std::iter::from_fn(move || {
        let text = rest?;
        let end = if lone { memchr::memchr2(b'\n', b'\r', text) } else { memchr::memchr(b'\n', text) };
        let Some(end) = end else {
            rest = None;
            return Some(text.strip_suffix(b"\r").unwrap_or(text));
        };
        let length = if text[end..].starts_with(b"\r\n") { 2 } else { 1 };
        rest = Some(&text[end + length..]);
        Some(text[..end].strip_suffix(b"\r").unwrap_or(&text[..end]))
    })
}

/// Whether carriage returns alone end lines: they do if there is no line feed, or if one line end in fifty is one.
pub(super) fn lone_cr_ends_line(head: &[u8]) -> bool {
    let feeds = memchr::memchr_iter(b'\n', head).count();
    // A line end that was turned into CRLF twice is none of them.
    let lone = memchr::memchr_iter(b'\r', head)
        .filter(|&at| at + 1 < head.len() && head[at + 1] != b'\n' && !head[at..].starts_with(b"\r\r\n"))
        .count();
    lone > 0 && lone * 50 >= feeds
}

/// Line ends and comments of a source whose lines no delimiter divides.
pub(super) fn plain_dialect(samples: Samples<'_>, choices: &LayoutChoices) -> Dialect {
    let comment_prefix = comment_prefix(samples, choices, "");
    Dialect { lone_cr_ends_line: lone_cr_ends_line(samples.head), comment_prefix, ..Dialect::new("") }
}

/// The prefix of comment lines: one that some lines have, the first line or those before the data among them, and
/// that does not itself look like data.
pub(super) fn comment_prefix(
    samples: Samples<'_>,
    choices: &LayoutChoices,
    delimiter: &str,
) -> Option<Vec<u8>> {
    if let Some(comment) = &choices.comment {
        return comment.as_ref().map(|c| c.as_bytes().to_vec());
    }
    let filled: Vec<&[u8]> =
        lines(samples.head).filter(|l| !l.trim_ascii().is_empty()).take(2 * LINES).collect();
    let others: Vec<&[u8]> = lines(samples.middle).take(LINES).collect();
    let all = filled.len() + others.len();
    // Lines drawn with a mark are rules, whatever the mark.
    let drawn = |line: &[u8]| {
        !line.iter().any(|b| b.is_ascii_alphanumeric() || *b >= 0x80) && (line.len() > 2 || line == b"--")
    };
    for prefix in COMMENT_PREFIXES {
        if prefix == delimiter {
            continue;
        }
        let marked = |line: &&&[u8]| {
            line.starts_with(prefix.as_bytes()) && (!drawn(line) || matches!(prefix, "#" | "##"))
        };
        let count = filled.iter().filter(marked).count();
        let everywhere = count + others.iter().filter(marked).count();
        if count == 0 || everywhere * 2 > all && count > filled.len() / 2 && !leads(&filled, prefix) {
            continue;
        }
        // A single marked line in front may be the header (`#Berth,Dues`): it is, if it divides as the others do.
        let fields = |line: &[u8]| memmem::find_iter(line, delimiter.as_bytes()).count();
        if count == 1 && !delimiter.is_empty() && filled.len() > 1 && filled[0].starts_with(prefix.as_bytes())
        {
            let own = fields(filled[0]);
            if own > 0 && filled[1..].iter().take(5).all(|l| fields(l) == own) {
                continue;
            }
        }
        // A mark that is a whole field is a flag.
        let is_flag = |line: &&&[u8]| line[prefix.len()..].starts_with(delimiter.as_bytes());
        let divides = !delimiter.trim().is_empty() || delimiter == "\t";
        if divides && filled.iter().filter(marked).filter(is_flag).count() * 2 > count {
            continue;
        }
        // Elsewhere than at the top, marked lines are comments only if they do not divide as data lines do.
        if !filled[0].starts_with(prefix.as_bytes()) {
            let data: Tally<usize> =
                filled.iter().filter(|l| !l.starts_with(prefix.as_bytes())).map(|l| fields(l)).collect();
            let data = data.top().map_or(0, |top| *top.0);
            let alike = filled.iter().filter(marked).filter(|l| fields(l) == data && data > 0).count();
            if alike * 2 > count {
                continue;
            }
        }
        // Nor are they where they hold words and then figures: those are totals (`* Subtotal      1,356.81`).
        let mut summing =
            filled.iter().filter(marked).filter(|line| has_words_then_figures(&line[prefix.len()..]));
        if !prefix.starts_with('#') && summing.by_ref().count() * 2 > count {
            continue;
        }
        return Some(prefix.as_bytes().to_vec());
    }
    let marked = format!("{delimiter} ");
    let is_marked = COMMENT_PREFIXES.contains(&delimiter) && is_unlike_records(&filled, &marked);
    is_marked.then(|| marked.into_bytes())
}

/// Whether the lines with `prefix`, a delimiter and a blank, are in front, and divide otherwise than the lines below them.
fn is_unlike_records(filled: &[&[u8]], prefix: &str) -> bool {
    let fields = |line: &[u8]| memmem::find_iter(line, &prefix.as_bytes()[..prefix.len() - 1]).count();
    let (remarks, records): (Vec<&[u8]>, Vec<&[u8]>) =
        filled.iter().copied().partition(|line| line.starts_with(prefix.as_bytes()));
    let widths: Tally<usize> = records.iter().map(|line| fields(line)).collect();
    let usual = widths.top().map_or(0, |top| *top.0);
    filled.first().is_some_and(|line| line.starts_with(prefix.as_bytes()))
        && usual > 1
        && remarks.iter().all(|line| fields(line) != usual)
}

/// Whether a line holds totals behind a mark, such as `** Total      1,356.81`.
pub(super) fn is_marked_total(line: &[u8]) -> bool {
    let line = line.trim_ascii();
    line.starts_with(b"*") && has_words_then_figures(line)
}

/// Whether a line is some words, a gap of three blanks or more, and nothing but figures behind it.
fn has_words_then_figures(line: &[u8]) -> bool {
    let line = line.trim_ascii();
    let Some(gap) = memmem::find(line, b"   ") else { return false };
    let has_letter = |part: &[u8]| part.iter().any(|b| b.is_ascii_alphabetic() || *b >= 0x80);
    let figures = line[gap..].trim_ascii();
    let is_figure = |word: &[u8]| word.iter().any(u8::is_ascii_digit) && !has_letter(word);
    has_letter(&line[..gap]) && figures.split(|b| *b == b' ').filter(|word| !word.is_empty()).all(is_figure)
}

/// Whether the lines with `prefix` are the first ones, all of them, before lines without it.
fn leads(filled: &[&[u8]], prefix: &str) -> bool {
    let first = filled.iter().position(|l| !l.starts_with(prefix.as_bytes()));
    first.is_some_and(|first| first > 0)
}

/// Whether a line holds nothing but blanks, a form feed, or the mark that once ended files.
pub(super) fn is_blank(line: &[u8]) -> bool {
    line.iter().all(|b| matches!(b, b' ' | b'\t' | b'\r' | 0x0C | 0x1A))
}
