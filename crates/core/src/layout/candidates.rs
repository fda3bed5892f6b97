//! Which dialects are worth a trial.

use super::{LayoutChoices, LayoutKind, Samples};
use crate::record::Dialect;
use memchr::memmem;

/// Delimiters with a word of their own.
pub(super) const WORDS: [(&str, &str); 7] = [
    ("tab", "\t"),
    ("space", " "),
    ("comma", ","),
    ("semicolon", ";"),
    ("pipe", "|"),
    ("caret", "^"),
    ("colon", ":"),
];

/// Single characters that may be delimiters without further evidence, the likelier ones first.
const COMMON: [&str; 8] = ["\t", ";", ",", "|", "^", "~", "\u{1f}", "\u{1}"];

/// Lines of the sample that are looked at for other delimiters.
const LINES: usize = 200;

/// Prefixes that make a line a comment. A semicolon counts only where it is no delimiter.
const COMMENT_PREFIXES: [&str; 6] = ["##", "#", "//", "%", "!", ";"];

/// The delimiter that a first line `sep=;` states, as several programs write and read it.
pub(super) fn stated_by_first_line(head: &[u8]) -> Option<String> {
    let line = lines(head).next()?;
    let line = std::str::from_utf8(line).ok()?.trim_matches('"');
    let delimiter = line.strip_prefix("sep=").or_else(|| line.strip_prefix("SEP="))?;
    (delimiter.chars().count() == 1).then(|| delimiter.to_owned())
}

/// The lines of a text, without their ends.
pub(super) fn lines(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    text.split(|&b| b == b'\n').map(|line| line.strip_suffix(b"\r").unwrap_or(line))
}

/// Whether carriage returns alone end lines: they do if there is no line feed, or if one line end in fifty is one.
fn lone_cr_ends_line(head: &[u8]) -> bool {
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

/// The dialects to try: all candidates, or what is left of them after the choices.
pub(super) fn dialects(samples: Samples<'_>, choices: &LayoutChoices, hint: Option<&str>) -> Vec<Dialect> {
    let lone_cr_ends_line = lone_cr_ends_line(samples.head);
    if choices.kind == Some(LayoutKind::Report) {
        return Vec::new();
    }
    if choices.kind.is_some_and(|k| k != LayoutKind::Delimited) || choices.states_fixed() {
        return super::fixed::dialects(samples, choices, &plain_dialect(samples, choices));
    }
    let delimiters: Vec<String> = match choices.delimiter.as_deref().or(hint) {
        Some(delimiter) => vec![delimiter.to_owned()],
        None => delimiters(samples),
    };
    let mut dialects = Vec::new();
    for delimiter in delimiters {
        let blank = !delimiter.is_empty() && delimiter.bytes().all(|b| b == b' ' || b == b'\t');
        let runs: &[bool] = match choices.runs_as_one {
            Some(true) => &[true],
            None if blank => &[false, true],
            Some(false) | None => &[false],
        };
        let comment = comment_prefix(samples, choices, &delimiter);
        for &runs_as_one in runs {
            for &quote in quotes(samples.head, choices) {
                dialects.push(Dialect {
                    runs_as_one,
                    quote,
                    comment_prefix: comment.clone(),
                    lone_cr_ends_line,
                    ..Dialect::new(&delimiter)
                });
            }
        }
    }
    if choices.delimiter.is_none() && hint.is_none() && choices.kind.is_none() {
        dialects.extend(super::fixed::dialects(samples, choices, &plain_dialect(samples, choices)));
    }
    dialects
}

/// The quotes to try: double quotes as a rule; none where they do not work; single ones where they stand at fields.
fn quotes<'c>(head: &[u8], choices: &'c LayoutChoices) -> &'c [Option<u8>] {
    if let Some(quote) = &choices.quote {
        return std::slice::from_ref(quote);
    }
    match (memchr::memchr(b'"', head).is_some(), memchr::memchr(b'\'', head).is_some()) {
        (true, true) => &[Some(b'"'), None, Some(b'\'')],
        (true, false) => &[Some(b'"'), None],
        (false, true) => &[Some(b'"'), Some(b'\'')],
        (false, false) => &[Some(b'"')],
    }
}

/// The prefix of comment lines: one that some lines have, the first line or those before the data among them, and
/// that does not itself look like data.
fn comment_prefix(samples: Samples<'_>, choices: &LayoutChoices, delimiter: &str) -> Option<Vec<u8>> {
    if let Some(comment) = &choices.comment {
        return comment.as_ref().map(|c| c.as_bytes().to_vec());
    }
    let filled: Vec<&[u8]> =
        lines(samples.head).filter(|l| !l.trim_ascii().is_empty()).take(2 * LINES).collect();
    let others: Vec<&[u8]> = lines(samples.middle).take(LINES).collect();
    let all = filled.len() + others.len();
    for prefix in COMMENT_PREFIXES {
        if prefix == delimiter {
            continue;
        }
        let marked = |line: &&&[u8]| line.starts_with(prefix.as_bytes());
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
        // Elsewhere than at the top, marked lines are comments only if they do not divide as data lines do.
        if !filled[0].starts_with(prefix.as_bytes()) {
            let data = filled.iter().find(|l| !l.starts_with(prefix.as_bytes())).map_or(0, |l| fields(l));
            let alike = filled.iter().filter(marked).filter(|l| fields(l) == data && data > 0).count();
            if alike * 2 > count {
                continue;
            }
        }
        return Some(prefix.as_bytes().to_vec());
    }
    None
}

/// Whether the lines with `prefix` are the first ones, all of them, before lines without it.
fn leads(filled: &[&[u8]], prefix: &str) -> bool {
    let first = filled.iter().position(|l| !l.starts_with(prefix.as_bytes()));
    first.is_some_and(|first| first > 0)
}

/// Delimiters that occur: the common ones, and any other mark or run of marks that most lines hold equally often.
fn delimiters(samples: Samples<'_>) -> Vec<String> {
    let holds =
        |d: &str| [samples.head, samples.middle].iter().any(|s| memmem::find(s, d.as_bytes()).is_some());
    let mut found: Vec<String> = COMMON
        .iter()
        .filter(|d| holds(d) && !always_doubled(samples.head, d))
        .map(|d| (*d).to_owned())
        .collect();
    let sample: Vec<&[u8]> = lines(if samples.middle.is_empty() { samples.head } else { samples.middle })
        .chain(lines(samples.head))
        .filter(|l| !l.trim_ascii().is_empty() && !l.starts_with(b"#"))
        .take(LINES)
        .collect();
    for candidate in marks(&sample) {
        let counts: Vec<usize> =
            sample.iter().map(|l| memmem::find_iter(l, candidate.as_bytes()).count()).collect();
        let with = counts.iter().filter(|c| **c > 0).count();
        if with * 5 >= sample.len() * 4 && !found.contains(&candidate) {
            found.push(candidate);
        }
    }
    if holds(" ") {
        found.push(" ".into());
    }
    if holds(":") && !found.iter().any(|f| f == ":") {
        found.push(":".into());
    }
    found
}

/// Whether a mark stands in pairs only: then the pair divides, not the mark. Commas, semicolons and tabs in pairs are
/// empty fields more often.
fn always_doubled(head: &[u8], mark: &str) -> bool {
    if matches!(mark, "," | ";" | "\t") {
        return false;
    }
    let pair = mark.repeat(2);
    2 * memmem::find_iter(head, pair.as_bytes()).count() == memmem::find_iter(head, mark.as_bytes()).count()
}

/// Marks in the first lines that might divide fields: runs of two to four punctuation characters, and single
/// characters that are neither letters nor digits nor usual inside words and numbers.
fn marks(sample: &[&[u8]]) -> Vec<String> {
    let mut marks: Vec<String> = Vec::new();
    for line in sample.iter().take(20) {
        let line = String::from_utf8_lossy(line);
        let mut run = String::new();
        for c in line.chars().chain([' ']) {
            let mark = !c.is_alphanumeric() && !c.is_whitespace() && !"\"'()[]{}".contains(c);
            if mark {
                run.push(c);
                continue;
            }
            let length = run.chars().count();
            let single = length == 1
                && !run.contains([
                    '.', '-', '_', '/', '\\', '+', '*', '%', '&', '@', '#', '$', '!', '?', '<', '>',
                ]);
            let several = (2..=4).contains(&length) && !run.chars().all(|c| ".-_/*".contains(c));
            let twins = twins(&run);
            for mark in
                [single.then(|| run.clone()), several.then(|| run.clone()), twins].into_iter().flatten()
            {
                if marks.len() < 24 && !marks.contains(&mark) {
                    marks.push(mark);
                }
            }
            run.clear();
        }
    }
    marks
}

/// The first run of one character inside a run of several: `~~` in `~~^`.
fn twins(run: &str) -> Option<String> {
    let chars: Vec<char> = run.chars().collect();
    let start = chars.windows(2).position(|w| w[0] == w[1] && !".-_/*".contains(w[0]))?;
    Some(chars[start..].iter().take_while(|c| **c == chars[start]).collect())
}
