//! Records of several lines, found from what repeats: labels before the values, blank lines between blocks of equal size, or
//! a first line that comes back every so many lines; and lines that continue the one above.

use super::lines::lines;
use super::{LayoutChoices, LayoutKind, Samples, fixed};
use crate::record::{Dialect, Division, Fixed, LineParts, LineShape, Multiline, split_label};

/// Lines that are looked at.
const LINES: usize = 2000;

/// Most lines of a record.
const MOST_LINES: usize = 60;

/// Most columns that labels make.
const MOST_LABELS: usize = 500;

/// The dialect for records of several lines that the clerk stated, or that repeat so clearly that it is tried before others.
pub(super) fn dialect(samples: Samples<'_>, choices: &LayoutChoices, base: &Dialect) -> Option<Dialect> {
    let stated = choices.lines_per_record.is_some()
        || choices.kind == Some(LayoutKind::Multiline)
        || choices.starts.as_ref().is_some_and(|s| s.len() > 1);
    let text: Vec<&[u8]> = lines(samples.head)
        .map(<[u8]>::trim_ascii_end)
        .filter(|l| !base.comment_prefix.as_ref().is_some_and(|p| l.starts_with(p)))
        .take(LINES)
        .collect();
    let division = match stated_lines(choices) {
        Some(count) => Some(cycle(&text, count, choices)),
        None => labelled(&text).or_else(|| repeating(&text, choices)).or_else(|| blocks(&text, choices)),
    };
    let division = match division {
        None if stated => Some(Multiline::Cycle { lines: vec![whole_line(); 2], first: None }),
        division => division,
    };
    division.map(|division| Dialect {
        division: Division::Multiline(division),
        delimiter: Vec::new(),
        quote: None,
        runs_as_one: false,
        ..base.clone()
    })
}

/// How many lines the clerk says that a record has.
fn stated_lines(choices: &LayoutChoices) -> Option<usize> {
    let by_starts = choices.starts.as_ref().map(Vec::len).filter(|lines| *lines > 1);
    choices.lines_per_record.filter(|lines| *lines > 1).or(by_starts)
}

fn whole_line() -> LineParts {
    LineParts::Fixed(Fixed { starts: vec![0], ..Fixed::default() })
}

fn is_blank(line: &[u8]) -> bool {
    line.iter().all(|b| matches!(b, b' ' | b'\t' | b'\r' | 0x0C | 0x1A))
}

/// Blocks of lines between blank ones.
fn blocks_of<'t>(text: &[&'t [u8]]) -> Vec<Vec<&'t [u8]>> {
    text.split(|l| is_blank(l)).filter(|block| !block.is_empty()).map(<[&[u8]]>::to_vec).collect()
}

/// `Label: value` lines: nearly all of them, in blocks divided by blank lines that begin with the same label.
fn labelled(text: &[&[u8]]) -> Option<Multiline> {
    let blocks = blocks_of(text);
    if blocks.len() < 2 {
        return None;
    }
    let label = |line: &[u8]| -> Option<Vec<u8>> {
        let (label, _) = split_label(line);
        let worded = label.first().is_some_and(|b| b.is_ascii_alphabetic() || *b >= 0x80);
        let short = label.len() <= 40 && memchr::memchr_iter(b' ', label).count() <= 4;
        (label.len() < line.len() && worded && short).then(|| label.to_vec())
    };
    let (mut with, mut others) = (0, 0);
    let mut labels: Vec<Vec<u8>> = Vec::new();
    let mut counts: Vec<usize> = Vec::new();
    for line in blocks.iter().flatten().filter(|l| !matches!(l.first(), Some(b' ' | b'\t'))) {
        let Some(label) = label(line) else {
            others += 1;
            continue;
        };
        with += 1;
        match labels.iter().position(|l| l.eq_ignore_ascii_case(&label)) {
            Some(at) => counts[at] += 1,
            None if labels.len() < MOST_LABELS => {
                labels.push(label);
                counts.push(1);
            }
            None => others += 1,
        }
    }
    let first = labels.first()?;
    let begin = blocks.iter().filter(|b| label(b[0]).is_some_and(|l| l.eq_ignore_ascii_case(first))).count();
    // Labels come back: notes that happen to hold a colon do not.
    let shared = counts.iter().filter(|c| **c > 1).sum::<usize>();
    let clear = others * 10 <= with && begin * 10 >= blocks.len() * 8 && shared * 10 >= with * 6;
    (clear && labels.len() > 1).then_some(Multiline::Labelled { labels })
}

/// Blocks of one size between blank lines, addresses for example.
fn blocks(text: &[&[u8]], choices: &LayoutChoices) -> Option<Multiline> {
    let blocks = blocks_of(text);
    // The sample may end inside the last one.
    let whole = &blocks[..blocks.len().saturating_sub(1)];
    if whole.len() < 5 {
        return None;
    }
    let mut sizes: Vec<usize> = whole.iter().map(Vec::len).collect();
    sizes.sort_unstable();
    let usual = sizes[sizes.len() / 2];
    let alike = sizes.iter().filter(|s| **s == usual).count();
    let most = sizes[sizes.len() - 1];
    let near = sizes.iter().filter(|s| s.abs_diff(usual) <= 2).count();
    let steady = alike * 10 >= sizes.len() * 6 && near * 10 >= sizes.len() * 9;
    if usual < 2 || !steady || most > MOST_LINES {
        return None;
    }
    let of_usual: Vec<&Vec<&[u8]>> = whole.iter().filter(|b| b.len() == usual).collect();
    let parts = (0..most)
        .map(|at| {
            let lines: Vec<&[u8]> = of_usual.iter().filter_map(|b| b.get(at).copied()).collect();
            if most == usual { parts(&lines, choices) } else { whole_line() }
        })
        .collect();
    Some(Multiline::Cycle { lines: parts, first: None })
}

/// How a line begins.
type Mark = fn(&[u8]) -> Vec<u8>;

/// A first line that comes back every so many lines, unlike those between.
fn repeating(text: &[&[u8]], choices: &LayoutChoices) -> Option<Multiline> {
    let filled: Vec<&[u8]> = text.iter().filter(|l| !is_blank(l)).copied().collect();
    if filled.len() < 8 {
        return None;
    }
    // How a line begins: by its very characters, as record types do, or by their sort.
    let marks: [Mark; 3] = [
        |line| line.iter().take(1).copied().collect(),
        |line| line.iter().take(3).copied().collect(),
        |line| {
            let indent = line.iter().take_while(|b| **b == b' ').count();
            let sort = line.get(indent).map_or(b' ', |b| LineShape::sort(*b));
            vec![indent.min(40) as u8, sort]
        },
    ];
    marks.iter().find_map(|mark| {
        let marks: Vec<Vec<u8>> = filled.iter().map(|l| mark(l)).collect();
        let agree = |n: usize| {
            let pairs = marks.len() - n;
            let same = marks.iter().zip(&marks[n..]).filter(|(a, b)| a == b).count();
            same * 100 / pairs.max(1)
        };
        if agree(1) >= 70 {
            return None;
        }
        let most = (filled.len() / 4).min(12);
        let count = (2..=most).find(|n| agree(*n) >= 75 && agree(*n) >= agree(1) + 30)?;
        // Records of one line whose first characters change in step are rarer than those of several lines, but all their
        // lines look alike.
        let lengths: Vec<usize> = (0..count)
            .map(|at| {
                let mut lengths: Vec<usize> =
                    filled.iter().skip(at).step_by(count).map(|l| l.len()).collect();
                lengths.sort_unstable();
                lengths[lengths.len() / 2]
            })
            .collect();
        (lengths.iter().any(|l| *l != lengths[0])).then(|| cycle(text, count, choices))
    })
}

/// A cycle of `count` lines: where it starts, what its first line looks like, and how each line is divided.
fn cycle(text: &[&[u8]], count: usize, choices: &LayoutChoices) -> Multiline {
    let filled: Vec<&[u8]> = text.iter().filter(|l| !is_blank(l)).copied().collect();
    let first = first_shape(text, count);
    let mut by_place: Vec<Vec<&[u8]>> = vec![Vec::new(); count];
    let mut place = 0;
    for line in &filled {
        if let Some(shape) = &first {
            if shape.fits(line) {
                place = 0;
            } else if place == 0 {
                continue;
            }
        }
        by_place[place].push(line);
        place = (place + 1) % count;
    }
    let lines = (0..count)
        .map(|at| match choices.starts.as_ref().and_then(|s| s.get(at)) {
            Some(starts) => LineParts::Fixed(Fixed { starts: starts.clone(), unit: choices.unit }),
            None => parts(&by_place[at], choices),
        })
        .collect();
    Multiline::Cycle { lines, first }
}

/// The beginning that the first line of each record has and no other one: found where it comes back every `count` lines. Of
/// several, the one that blank lines stand before, that is not indented as others are, that the file begins with, or that it
/// ends with a whole record of.
fn first_shape(text: &[&[u8]], count: usize) -> Option<LineShape> {
    let filled: Vec<(&[u8], bool)> = text
        .iter()
        .enumerate()
        .filter(|(_, l)| !is_blank(l))
        .map(|(at, l)| (*l, at > 0 && is_blank(text[at - 1])))
        .collect();
    let mut best: Option<(usize, LineShape)> = None;
    for (candidate, _) in filled.iter().take(MOST_LINES) {
        for (literal, length) in
            [(false, 1), (false, 2), (false, 3), (false, 6), (true, 1), (true, 3), (true, 2)]
        {
            let start = candidate.iter().take(length);
            let start: Vec<u8> =
                if literal { start.copied().collect() } else { start.map(|b| LineShape::sort(*b)).collect() };
            let shape = LineShape { start, is_literal: literal };
            let places: Vec<usize> = (0..filled.len()).filter(|i| shape.fits(filled[*i].0)).collect();
            let Some(last) = places.last().filter(|_| places.len() > 2) else { continue };
            let steady = places.windows(2).filter(|w| w[1] - w[0] == count).count();
            if steady * 4 < (places.len() - 1) * 3 || places.len() * count * 10 < filled.len() * 8 {
                continue;
            }
            let set_off = places.iter().filter(|at| filled[**at].1).count() * 10 >= places.len() * 8;
            let whole_end = filled.len() - last == count;
            let digit = shape.start.iter().any(u8::is_ascii_digit);
            // Further lines of a record are indented, its first one is not.
            let indented = filled.iter().any(|(line, _)| line.starts_with(b" "));
            let flush = indented && shape.start.first() != Some(&b' ');
            let leads = places[0] == 0;
            let points = 4 * usize::from(set_off)
                + 3 * usize::from(flush)
                + 2 * usize::from(whole_end)
                + 2 * usize::from(leads)
                + usize::from(digit);
            if best.as_ref().is_none_or(|(most, _)| points > *most) {
                best = Some((points, shape));
            }
        }
    }
    best.map(|(_, shape)| shape)
}

/// How the lines at one place of their records are divided: by a mark that all hold equally often, at common blanks, or not.
fn parts(lines: &[&[u8]], choices: &LayoutChoices) -> LineParts {
    for delimiter in [&b"\t"[..], b"|", b";", b"^"] {
        let mut counts = lines.iter().map(|l| memchr::memmem::find_iter(l, delimiter).count());
        if let Some(count) = counts.next()
            && count > 0
            && counts.all(|c| c == count)
        {
            return LineParts::Delimited { delimiter: delimiter.to_vec(), fields: count + 1 };
        }
    }
    let text: Vec<Vec<char>> =
        lines.iter().map(|l| String::from_utf8_lossy(l).trim_end().chars().take(4000).collect()).collect();
    match fixed::shared_starts(&text) {
        Some(starts) => LineParts::Fixed(Fixed { starts, unit: choices.unit }),
        None => whole_line(),
    }
}

/// The dialect of a fixed layout with lines that continue the record above: their first column is blank, and only one other is
/// not.
pub(super) fn continued(samples: Samples<'_>, dialect: &Dialect) -> Option<Dialect> {
    let Division::Fixed(fixed) = &dialect.division else { return None };
    if fixed.starts.len() < 2 {
        return None;
    }
    let text: Vec<&[u8]> = lines(samples.head).filter(|l| !is_blank(l)).take(LINES).collect();
    let (mut continuing, mut odd) = (0, 0);
    for line in &text {
        let mut ranges = Vec::new();
        fixed.fields(line, |range| ranges.push(range));
        let filled: Vec<bool> = ranges.iter().map(|r| !is_blank(&line[r.clone()])).collect();
        let others = filled.iter().filter(|f| **f).count();
        if filled.first() == Some(&false) {
            continuing += usize::from(others == 1);
            odd += usize::from(others > 1);
        }
    }
    // A row now and then that lacks its first value is a row all the same.
    let clear = continuing >= 3 && continuing * 8 >= text.len() && odd * 20 <= continuing;
    clear.then(|| Dialect {
        division: Division::Multiline(Multiline::Continued(fixed.clone())),
        ..dialect.clone()
    })
}

/// What the first line of a record looks like, in words.
pub(super) fn shape_word(shape: &LineShape) -> String {
    if shape.is_literal {
        return format!("\u{201c}{}\u{201d}", String::from_utf8_lossy(&shape.start));
    }
    match shape.start.first() {
        Some(b'9') => "a digit".to_owned(),
        Some(b'A') => "a letter".to_owned(),
        Some(b' ') => "a blank".to_owned(),
        Some(b) => format!("\u{201c}{}\u{201d}", char::from(*b)),
        None => "something else".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Option<Multiline> {
        let samples = Samples { head: text.as_bytes(), ..Samples::default() };
        dialect(samples, &LayoutChoices::default(), &Dialect::new(""))
            .and_then(|d| d.division.multiline().cloned())
    }

    #[test]
    fn cycles_are_found_by_what_comes_back() {
        let mut typed = String::new();
        let mut shaped = String::from("MANIFEST OF TOLGARTH QUAY\n");
        for i in 0..12 {
            typed += &format!("1{i:06} Saltwind\n2 03028990 herring {i}\n3 Hull\n");
            shaped += &format!("{i:07} Saltwind  NL\nFrozen herring\nMaster A. Quill, Hull\n\n");
        }
        let typed = (typed, "1000007 Heron", "2 03028990 oil");
        let shaped = (shaped, "1234567 Heron  DK", "Frozen oil");
        for (text, begins, goes_on) in [typed, shaped] {
            let Some(Multiline::Cycle { lines, first: Some(first) }) = found(&text) else {
                panic!("no cycle in {text}");
            };
            assert_eq!(lines.len(), 3, "{text}");
            assert!(first.fits(begins.as_bytes()) && !first.fits(goes_on.as_bytes()), "{text}");
        }
    }

    #[test]
    fn labels_and_blocks_are_found_and_prose_is_left_alone() {
        let labels = "Vessel: Saltwind\nBerth: 007\n\nVessel: Heron\nBerth: 012\nNote: waits\n";
        let expected = ["Vessel", "Berth", "Note"].map(|l| l.as_bytes().to_vec()).to_vec();
        assert_eq!(found(labels), Some(Multiline::Labelled { labels: expected }));
        let names = ["Ada Quill", "Jon Marsh", "Bea Finch", "Cy Rowe", "Edda Lund", "Mo Tarn", "Ada Fenn"];
        let block: String = names.iter().map(|n| format!("{n}\nRope Walk 7\nTolgarth Quay\n\n")).collect();
        assert!(matches!(found(&block), Some(Multiline::Cycle { lines, first: None }) if lines.len() == 3));
        let prose = "The tide is high.\nThe gate stays shut.\n\nNobody passes.\n\nLater it opens:\nthe boats leave,\nall of them.\n\nSo it was.\n\nEnd.\n\nNote: none.\n";
        assert_eq!(found(prose), None);
    }
}
