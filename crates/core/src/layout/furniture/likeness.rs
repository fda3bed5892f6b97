//! How a row is like names, or like records.

use super::super::Samples;
use super::super::candidates::Form;
use super::super::measure::lexicon::{BLANK, ValueId};
use super::super::measure::sort::{Sort, sort_of};
use super::Judged;
use super::first_record::name_of_one_column;
use super::judge::is_rising;
use super::names::{is_year, name_like};
use crate::kind;

/// Whether a row has words in all columns of numbers, moments and codes that it fills, and in at least one.
pub(super) fn misses_types(judged: &Judged<'_>, at: usize) -> bool {
    let mut cells = judged
        .row(at)
        .values
        .iter()
        .zip(&judged.judge.typed)
        .filter(|(id, typed)| **typed && **id != BLANK)
        .peekable();
    cells.peek().is_some() && cells.all(|(id, _)| judged.lexicon.get(*id).sort.is_words())
}

/// Values of a column from which on they say what belongs there.
const SEVERAL: u32 = 3;

/// Whether a row has a name for each column, all different, and in no column of numbers, moments or words that come again and again what
/// such a column holds: of numbers and moments there is one, or of the others there are two, or half of the names are usual ones.
pub(super) fn breaks_all(judged: &Judged<'_>, at: usize) -> bool {
    let row = judged.row(at);
    let mut names: Vec<String> =
        row.values.iter().map(|id| judged.lexicon.text(*id).to_lowercase()).collect();
    if row.values.len() != judged.width || names.iter().any(|name| name_like(name) <= 0.0) {
        return false;
    }
    names.sort_unstable();
    names.dedup();
    let without = u32::from(judged.judge.trained_on(at));
    let (mut counted, mut closed, mut usual) = (0, 0, 0);
    for (id, column) in row.values.iter().zip(&judged.judge.columns) {
        let filled = column.filled().saturating_sub(without);
        let is_counted = |id: ValueId| matches!(judged.lexicon.get(id).sort, Sort::Number | Sort::Moment);
        if filled >= SEVERAL && column.those(is_counted) * 10 >= filled * 9 {
            // No name is a number, or a moment.
            counted += 1;
        } else if filled >= 2 * SEVERAL && column.different().saturating_sub(1) * 3 <= filled as usize {
            if column.times(*id) > without {
                return false;
            }
            closed += 1;
        }
        usual += usize::from(column.times(*id) <= without && kind::name::is_usual(judged.lexicon.text(*id)));
    }
    names.len() == judged.width && (counted > 0 || closed > 1 || (usual > 1 && usual * 2 >= judged.width))
}

/// Whether a row has words in a column of numbers, moments or codes.
pub(super) fn strange_words(judged: &Judged<'_>, at: usize) -> bool {
    let cells = judged.row(at).values.iter().zip(&judged.judge.typed);
    cells
        .filter(|(id, typed)| **typed && **id != BLANK)
        .any(|(id, _)| judged.lexicon.get(*id).sort.is_words())
}

/// How many columns a row leaves blank that hardly any record does.
pub(super) fn lacking(judged: &Judged<'_>, at: usize) -> usize {
    let cells = judged.row(at).values.iter().zip(&judged.judge.columns);
    cells.filter(|(id, column)| **id == BLANK && column.blank() * 10 < column.count()).count()
}

/// Whether a row fills a third of its fields at most, with short words, and leaves out several that nearly all records fill.
pub(super) fn is_sparse(judged: &Judged<'_>, at: usize) -> bool {
    let row = judged.row(at);
    let short = |id: &ValueId| {
        let text = judged.lexicon.text(*id);
        text.chars().count() <= 8 && !text.contains(|c: char| c.is_ascii_digit())
    };
    lacking(judged, at) >= 2
        && row.filled() > 0
        && row.filled() * 3 <= row.values.len()
        && row.values.first() == Some(&BLANK)
        && row.values.iter().filter(|id| **id != BLANK).all(short)
}

/// Bits saved by reading a row as names.
pub(super) fn header_gain(judged: &Judged<'_>, at: usize) -> f64 {
    let row = judged.row(at);
    let lexicon = judged.lexicon;
    if starts_with_name(judged, &row.values)
        && is_rising(lexicon, &row.values[1..])
        && judged.judge.rising < 0.1
    {
        return 20.0;
    }
    let years: Vec<i32> = row
        .values
        .iter()
        .map(|v| lexicon.text(*v))
        .filter(|t| is_year(t))
        .filter_map(|t| t.parse().ok())
        .collect();
    let step = |w: &[i32]| w[1] - w[0];
    let run = years.len() > 2
        && years.windows(2).all(|w| step(w) == step(&years))
        && matches!(step(&years).abs(), 1 | 5 | 10);
    let texts: Vec<&str> = row.values.iter().map(|v| lexicon.text(*v)).collect();
    let is_numbered = are_numbered(&texts);
    // Names that come back among records must not speak for themselves.
    let without = if misses_types(judged, at) {
        let same = |i: &usize| judged.row(*i).text == row.text && judged.judge.trained_on(*i);
        (0..judged.count()).filter(same).count() as u32
    } else {
        u32::from(judged.judge.trained_on(at))
    };
    let mut gain = 0.0;
    let mut seen: Vec<ValueId> = Vec::new();
    for (column, id) in row.values.iter().enumerate() {
        if *id == BLANK {
            gain += judged.judge.cell(lexicon, column, BLANK, without) - 3.0;
            continue;
        }
        if run && is_year(lexicon.text(*id)) {
            gain += 2.0;
            continue;
        }
        let value = lexicon.get(*id);
        gain += (judged.judge.cell(lexicon, column, *id, without) - value.free).clamp(-12.0, 10.0);
        if seen.contains(id) {
            gain -= 4.0;
        }
        seen.push(*id);
        if matches!(value.sort, Sort::Number | Sort::Moment) {
            gain -= 6.0;
        }
        // Nor is a word without a digit where all values have some.
        if judged.judge.has_digits(lexicon, column) && !holds_digit(lexicon.text(*id)) {
            gain += 6.0;
        }
        // Nor one with a digit where none has any.
        if judged.judge.has_no_digits(lexicon, column, without) && holds_digit(lexicon.text(*id)) {
            gain += 4.0;
        }
        if is_numbered {
            gain += 4.0;
        }
        // What usually names columns hardly ever is a value.
        if kind::name::is_usual(lexicon.text(*id)) {
            gain += 2.0;
        }
    }
    gain
}

/// Whether three texts and more are words that are numbered from column to column: `Berth 1`, `Berth 2`, `depth_3`.
fn are_numbered(texts: &[&str]) -> bool {
    let number = |text: &str| -> Option<i64> {
        let word = text.trim_end_matches(|c: char| c.is_ascii_digit());
        word.contains(char::is_alphabetic).then(|| text[word.len()..].parse().ok()).flatten()
    };
    let numbers = texts.iter().enumerate().filter(|(_, text)| !text.is_empty());
    // The same distance between number and column in all of them.
    let offsets: Vec<Option<i64>> = numbers.map(|(at, text)| Some(number(text)? - at as i64)).collect();
    offsets.len() >= 3 && offsets[0].is_some() && offsets.iter().all(|offset| *offset == offsets[0])
}

/// Whether a text holds a digit.
pub(super) fn holds_digit(text: &str) -> bool {
    text.contains(|c: char| c.is_ascii_digit())
}

pub(super) fn starts_with_name(judged: &Judged<'_>, values: &[ValueId]) -> bool {
    values.first().is_some_and(|v| name_like(judged.lexicon.text(*v)) > 0.0)
}

/// Whether a row that is no record may hold names. `low`: one above others that do.
pub(super) fn is_headish(samples: Samples<'_>, judged: &Judged<'_>, at: usize, low: bool) -> bool {
    let row = judged.row(at);
    if !judged.in_head(at) {
        return false;
    }
    let width = judged.width;
    let texts: Vec<&str> = row.values.iter().map(|v| judged.lexicon.text(*v)).collect();
    let filled = texts.iter().filter(|t| !t.is_empty()).count();
    let typed = |t: &&&str| matches!(sort_of(t), Sort::Number | Sort::Moment) && !is_year(t);
    let typed = texts.iter().filter(typed).count();
    let half = 2.max(width / 2);
    if judged.is_fixed() {
        let labelled = texts.iter().any(|t| t.ends_with(':') || t.contains(": "));
        // Codes and dates in front are no names.
        let digits = texts.iter().any(|t| !is_year(t) && t.bytes().filter(u8::is_ascii_digit).count() >= 4);
        // Where columns touch their names do as well, over the whole width.
        let touching = match judged.form {
            Form::Fixed { touching, .. } => touching,
            _ => 0,
        };
        let touches = touching > 0 && (row.end - row.start) * 10 >= judged.usual_length() * 6;
        let allowed = if touches { touching } else { 0 };
        return !labelled
            && !digits
            && filled >= half
            && (row.phrases + allowed >= half || row.cuts == 0)
            && row.cuts.saturating_sub(allowed) * 100 <= width * 35
            && typed * 10 <= filled * 4;
    }
    if judged.is_aligned() {
        if texts.iter().any(|t| t.ends_with(':') || t.contains(": ")) {
            return false;
        }
        let names = texts.iter().filter(|t| name_like(t) > 0.0).count();
        let empty = texts.iter().any(|t| !t.is_empty() && !t.chars().any(char::is_alphanumeric));
        if names * 10 < filled * 7 || empty || texts.len() > width + 1 || !stands_over(samples, judged, at) {
            return false;
        }
    }
    if texts.len() == width
        && width > 4
        && starts_with_name(judged, &row.values)
        && is_rising(judged.lexicon, &row.values[1..])
        && judged.judge.rising < 0.1
    {
        return true;
    }
    if width == 1 && !low {
        return name_of_one_column(judged, at).0.is_some();
    }
    if width < 2 || typed * 2 > filled || texts.iter().filter(|t| !t.is_empty()).all(|t| is_year(t)) {
        return false;
    }
    let next = (at + 1..judged.count()).find(|i| !judged.is_apart(*i));
    if texts.len() == width {
        // A heading filled up with delimiters is set off from the names below it.
        let set_off =
            next.is_some_and(|next| judged.row(next).gap > 0) && filled < width && !judged.is_aligned();
        return !set_off && (filled >= if low { 2 } else { half } || (width == 2 && filled == 2));
    }
    // Names in another form than the records': only right above them.
    if low || next.is_none_or(|next| !judged.is_record[next] || judged.row(next).gap > 0) {
        return false;
    }
    if texts.iter().any(|t| t.contains(": ")) || texts.first().is_some_and(|t| t.ends_with([':', '\u{ff1a}']))
    {
        return false;
    }
    if texts.len() == 1 && width > 1 && !judged.is_aligned() {
        let names: Vec<&str> = texts[0].split_whitespace().collect();
        return names.len() == width && names.iter().all(|n| name_like(n) > 0.0);
    }
    let texts = if texts.last() == Some(&"") { &texts[..texts.len() - 1] } else { &texts[..] };
    // A label and its value in front are no names.
    let few = matches!(judged.form, Form::Delimited { rank: 4.. }) && texts.len() == 2 && width > 3;
    !few && filled >= half.min(3.max(width / 5))
        && filled == texts.len()
        && texts.len() < width + 3
        && texts.iter().all(|t| t.chars().count() <= 40)
        && (texts.len() + 1 >= width || !judged.is_aligned())
}

/// Whether most of a row's words stand over the columns of the records below, where runs of blanks divide.
pub(super) fn stands_over(samples: Samples<'_>, judged: &Judged<'_>, at: usize) -> bool {
    let row = judged.row(at);
    if row.values.len() != judged.width {
        return true;
    }
    let Form::Aligned { two, .. } = judged.form else { return true };
    // Where tabs stand, places say nothing.
    if samples.head[row.start..row.end].contains(&b'\t') {
        return true;
    }
    let runs = |index: usize| -> Vec<(usize, usize)> {
        let row = judged.row(index);
        let line = String::from_utf8_lossy(&samples.head[row.start..row.end]).into_owned();
        blank_runs(&line, two)
    };
    let mut hull: Vec<(usize, usize)> = Vec::new();
    for index in (at + 1..judged.count()).filter(|i| judged.is_record[*i] && judged.in_head(*i)).take(200) {
        let own = runs(index);
        if own.len() != judged.width {
            continue;
        }
        if hull.is_empty() {
            hull = own;
        } else {
            for (all, own) in hull.iter_mut().zip(own) {
                *all = (all.0.min(own.0), all.1.max(own.1));
            }
        }
    }
    let own = runs(at);
    if hull.is_empty() || own.len() != judged.width {
        return true;
    }
    let over = own.iter().zip(&hull).filter(|(a, b)| a.0 < b.1 + 1 && a.1 + 1 > b.0).count();
    over * 10 >= judged.width * 7
}

/// Where runs of characters stand in a line; two blanks or more end one if `two`.
pub(super) fn blank_runs(line: &str, two: bool) -> Vec<(usize, usize)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    let mut from = None;
    for (place, c) in line.chars().chain([' ']).enumerate() {
        match (c == ' ' || c == '\t', from) {
            (false, None) => from = Some(place),
            (true, Some(start)) => {
                from = None;
                match runs.last_mut().filter(|last| two && last.1 + 1 == start) {
                    Some(last) => last.1 = place,
                    None => runs.push((start, place)),
                }
            }
            _ => {}
        }
    }
    runs
}
