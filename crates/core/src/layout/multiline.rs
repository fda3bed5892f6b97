//! Records of several lines in words, and lines that continue the one above.

use super::Samples;
use super::lines::{is_blank, lines};
use crate::record::{Dialect, Division, LineShape, Multiline};

/// Lines that are looked at.
const LINES: usize = 2000;

/// The dialect of a fixed layout with lines that continue the record above: their first column is blank, and only one other is
/// not.
pub(super) fn continued(samples: Samples<'_>, dialect: &Dialect) -> Option<Dialect> {
    let Division::Fixed(fixed) = &dialect.division else { return None };
    if fixed.starts.len() < 2 {
        return None;
    }
    let text: Vec<&[u8]> = lines(samples.head).filter(|l| !is_blank(l)).take(LINES).collect();
    let (mut continuing, mut odd) = (0, 0);
    // Lines drawn below columns stand above totals.
    let is_drawn = |line: &[u8]| !line.iter().any(u8::is_ascii_alphanumeric) && line.is_ascii();
    let mut drawn = 0;
    for line in &text {
        let mut ranges = Vec::new();
        fixed.fields(line, |range| ranges.push(range));
        let filled: Vec<bool> = ranges.iter().map(|r| !is_blank(&line[r.clone()])).collect();
        let others = filled.iter().filter(|f| **f).count();
        if filled.first() == Some(&false) {
            continuing += usize::from(others == 1);
            drawn += usize::from(others == 1 && is_drawn(line));
            odd += usize::from(others > 1);
        }
    }
    // A row now and then that lacks its first value is a row all the same.
    let clear =
        drawn * 4 <= continuing && continuing >= 3 && continuing * 8 >= text.len() && odd * 20 <= continuing;
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
