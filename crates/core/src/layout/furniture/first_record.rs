//! Whether the first record holds the names of the columns, or a comment above it does.

use super::super::Samples;
use super::super::candidates::Form;
use super::super::measure::lexicon::BLANK;
use super::super::measure::sort::Sort;
use super::header::{NAMES_GAIN, UNITS_ROWS, begins_again};
use super::likeness::{breaks_all, header_gain, is_sparse, misses_types};
use super::names::{comment_fields, name_like};
use super::{Judged, is_comment};
use crate::kind;
use crate::record::Step;

/// Names in the first record itself: reading it as names saves bits.
pub(super) fn names_in_first(judged: &Judged<'_>, first: usize) -> (Option<usize>, usize, String) {
    let row = judged.row(first);
    let width = judged.width;
    if begins_again(judged, first) && width > 1 {
        return (None, first, like_records(judged, first));
    }
    let mut gain = if row.values.len() == width { header_gain(judged, first) } else { -1.0 };
    let solid = (first..judged.count()).filter(|i| judged.is_record[*i]).count();
    if width == 1 {
        return name_of_one_column(judged, first);
    }
    let mut needed = match width {
        // Lists of labels have no names; columns whose values come again and again do.
        2 if judged.count() > 6 => {
            let filled = |c: &super::super::measure::column::Column| (c.count() - c.blank()) as usize;
            let columns = &judged.judge.columns;
            let come_again = columns.iter().all(|c| c.different() * 2 <= filled(c));
            let full = columns.iter().all(|c| filled(c) * 20 >= c.count() as usize * 19);
            let keyed = columns[0].different() * 10 >= filled(&columns[0]) * 9;
            match (judged.judge.typed.iter().any(|t| *t), come_again || !full || !keyed) {
                (_, true) => 0.0,
                (true, _) => 3.0,
                _ => 8.0,
            }
        }
        _ => NAMES_GAIN,
    };
    if solid <= 2 {
        let like: f64 = row.values.iter().map(|v| name_like(judged.lexicon.text(*v))).sum();
        (needed, gain) = (0.0, like - width as f64 + 0.5);
    }
    // A rule below it.
    if first + 1 < judged.count()
        && judged.row(first + 1).aside == Some(Step::Rule)
        && judged.row(first + 1).gap == 0
    {
        let more = (first + 2..judged.count()).filter(|i| judged.row(*i).aside == Some(Step::Rule)).count();
        // The only one, but for one at the end, is drawn below names; others are drawn between records.
        gain += if more < 2 { 30.0 } else { 10.0 };
    }
    if matches!(judged.form, Form::Delimited { .. }) && width > 2 && breaks_all(judged, first) {
        gain = gain.max(needed + 1.0);
    }
    let filled = row.filled();
    let few = filled < 2 || filled * 3 < row.values.len();
    if row.values.iter().any(|v| judged.lexicon.text(*v).len() > 255) || (few && width > 1) {
        gain = -1.0;
    }
    if gain <= needed {
        return (None, first, like_records(judged, first));
    }
    let at = first;
    let mut data = first + 1;
    while data < judged.count() && judged.is_apart(data) {
        data += 1;
    }
    // Units, or technical names, below them.
    while data + 1 < judged.count()
        && data - at <= UNITS_ROWS
        && !judged.is_apart(data)
        && (judged.gain[data] < -3.0 || misses_types(judged, data) || is_sparse(judged, data))
        && judged.row(data).values.len() == width
        && !judged
            .row(data)
            .values
            .iter()
            .zip(&judged.judge.typed)
            .any(|(id, typed)| *typed && matches!(judged.lexicon.get(*id).sort, Sort::Number | Sort::Moment))
    {
        data += 1;
    }
    (Some(at), data, unlike(judged, at))
}

/// The name above a single column: a word above numbers, moments or codes; above words only one that usually names columns.
pub(super) fn name_of_one_column(judged: &Judged<'_>, first: usize) -> (Option<usize>, usize, String) {
    let Some(id) = judged.row(first).values.first() else {
        return (None, first, like_records(judged, first));
    };
    let text = judged.lexicon.text(*id);
    let below = (first + 1..judged.count()).filter(|i| !judged.is_apart(*i));
    let (mut digits, mut all) = (0, 0);
    for row in below.map(|i| judged.row(i)) {
        all += 1;
        digits += usize::from(
            row.values
                .first()
                .is_some_and(|v| judged.lexicon.text(*v).contains(|c: char| c.is_ascii_digit())),
        );
    }
    let short = text.chars().count() <= 40 && text.split_whitespace().count() <= 4;
    let word = name_like(text) > 0.0 && !text.contains(|c: char| c.is_ascii_digit()) && short;
    let strange = !judged.judge.fits(0, judged.lexicon.get(*id).sort);
    let named = word
        && all >= 2
        && ((strange && judged.judge.typed[0])
            || digits * 100 >= all * 95
            || (kind::name::is_usual(text) && all >= 3));
    if named {
        return (Some(first), first + 1, "a word above values of another sort".into());
    }
    (None, first, like_records(judged, first))
}

/// Why a row is thought to hold names.
pub(super) fn unlike(judged: &Judged<'_>, at: usize) -> String {
    let row = judged.row(at);
    let names: Vec<&str> =
        row.values.iter().map(|v| judged.lexicon.text(*v)).filter(|t| !t.is_empty()).collect();
    let strange = row
        .values
        .iter()
        .enumerate()
        .filter(|(column, id)| {
            **id != BLANK
                && *column < judged.width
                && !judged.judge.fits(*column, judged.lexicon.get(**id).sort)
        })
        .count();
    if strange > 0 {
        return format!("{strange} of {} fields are unlike the values below them", names.len());
    }
    let usual = names.iter().filter(|n| kind::name::is_usual(n)).count();
    if usual > 0 {
        return format!("{usual} of {} fields hold words that usually name columns", names.len());
    }
    format!("none of its {} fields appears again below it", names.len())
}

pub(super) fn like_records(judged: &Judged<'_>, at: usize) -> String {
    let row = judged.row(at);
    let like = row
        .values
        .iter()
        .enumerate()
        .filter(|(column, id)| {
            **id != BLANK
                && *column < judged.width
                && judged.judge.fits(*column, judged.lexicon.get(**id).sort)
        })
        .count();
    format!("line {} is like the records below it in {like} of {} fields", row.line, row.values.len())
}

/// Names in the comment right above the first record: as many as there are columns.
pub(super) fn commented_names(samples: Samples<'_>, judged: &Judged<'_>, first: usize) -> Option<usize> {
    let at = (0..first).rev().find(|i| judged.row(*i).aside != Some(Step::Rule))?;
    let row = judged.row(at);
    if !is_comment(row) || judged.width < 3 || row.gap > 0 && judged.row(first).gap > 0 {
        return None;
    }
    if matches!(judged.form, Form::Aligned { rest: true, .. }) {
        return None;
    }
    let names = comment_fields(&samples.head[row.start..row.end], judged);
    let like = names.iter().filter(|n| name_like(n) > 0.0).count();
    (names.len() == judged.width
        && like * 10 >= names.len() * 8
        && names.iter().all(|n| n.chars().count() <= 30))
    .then_some(at)
}
