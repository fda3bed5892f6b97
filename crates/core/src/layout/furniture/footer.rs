//! What stands behind the last record: totals, counts of records, closing remarks.

use super::super::candidates::{Candidate, Form};
use super::super::measure::lexicon::BLANK;
use super::super::{Footer, Samples, SetAside, Total};
use super::counts::count_in;
use super::header::is_phrase;
use super::headings::only_label;
use super::likeness::{lacking, strange_words};
use super::rows::{Place, Row};
use super::{Judged, labelled, total};
use crate::record::{Division, Machine, Multiline};
use crate::rows::{Aside, Role};

/// Rows that are looked at, from the end.
const LOOKED_AT: usize = 60;

/// The footer, and the index behind the last record's row.
pub(super) fn find(
    samples: Samples<'_>,
    candidate: &Candidate,
    judged: &Judged<'_>,
    first: usize,
    types: Option<&[String]>,
) -> (Footer, usize) {
    let count = judged.count();
    let mut end = count;
    if types.is_some() {
        return (Footer { lines_before: judged.rows.last_lines, ..Footer::default() }, count);
    }
    if judged.width >= 2 && candidate.dialect.division.multiline().is_none() {
        while end > first + 1 && count - end < LOOKED_AT && is_strange(judged, first, end - 1) {
            end -= 1;
        }
    }
    while end > first + 1 && count - end < LOOKED_AT && is_total(judged, first, end - 1) {
        end -= 1;
    }
    // What is drawn or commented at the end belongs to the remarks only if something else does.
    if (end..count).all(|i| judged.is_apart(i)) {
        end = count;
    }
    let last = if judged.rows.is_whole { Place::Head } else { Place::Tail };
    let own = |row: &&Row| row.place == last;
    let mut footer = Footer { lines_before: judged.rows.last_lines, ..Footer::default() };
    let sample = if judged.rows.is_whole { samples.head } else { samples.tail };
    let mut machine = Machine::new(&candidate.dialect);
    for at in end..count {
        let row = judged.row(at);
        if !own(&row) || judged.is_apart(at) {
            continue;
        }
        let is_stated = judged.stated[at] == Some(Role::Total);
        let why = if is_stated || total::says_so(judged.lexicon, row) || total::adds_up(judged, first, at) {
            Aside::Total
        } else if row.filled() == 0 {
            Aside::EmptyRecord
        } else {
            Aside::AfterLastRecord
        };
        // Where totals stand among the records, the last one is that of its part.
        let is_total = |i: usize| {
            judged.is_total[i]
                || judged.stated[i] == Some(Role::Total)
                || total::says_so(judged.lexicon, judged.row(i))
        };
        let partial = (first..end).any(|i| !judged.is_apart(i) && is_total(i));
        if why == Aside::Total && footer.total.is_none() && !partial {
            machine.step(sample, row.start, true);
            footer.total =
                Some(Total { line: row.line, fields: machine.fields(sample).map(<[u8]>::to_vec).collect() });
        }
        footer.filled_lines += if row.filled() > 0 { row.lines } else { 0 };
        match footer.set_aside.last_mut() {
            Some(last) if last.why == why && last.line + last.lines == row.line => last.lines += row.lines,
            _ => footer.set_aside.push(SetAside { line: row.line, lines: row.lines, why }),
        }
    }
    if let Division::Multiline(Multiline::Labelled { labels, .. }) = &candidate.dialect.division {
        labelled::remarks(sample, judged, labels, &mut footer);
    }
    if let Some(row) = judged.rows.rows.get(end).filter(|r| r.place == last) {
        footer.lines_before = row.line - 1;
    }
    (footer, end)
}

/// Whether a row at the end does not fit, and is too short or nearly blank.
fn is_strange(judged: &Judged<'_>, first: usize, at: usize) -> bool {
    let (row, count) = (judged.row(at), judged.count());
    if judged.is_apart(at) {
        return true;
    }
    let (width, filled) = (judged.width, row.filled());
    if judged.stated[at] == Some(Role::Detail) {
        return false;
    }
    if filled == 0 {
        return true;
    }
    // A line that nothing divides, behind the last record and a blank line, is none whatever it says.
    let set_off = (at..count).any(|i| judged.row(i).gap > 0);
    if row.values.len() == 1 && width >= 3 && set_off && matches!(judged.form, Form::Delimited { .. }) {
        return true;
    }
    // Behind a blank line at the end: words where numbers and dates stand, and blanks in columns that hardly ever are.
    let own = row.values.len();
    let gaps = lacking(judged, at);
    if own == width && set_off && gaps >= 2.max(width / 4) && strange_words(judged, at) {
        return true;
    }
    let is_placed = judged.is_fixed() || judged.is_aligned();
    // A label with what it says, where numbers and dates stand and no record has one.
    let text = |i: usize| judged.lexicon.text(judged.row(i).text);
    if is_placed && own == width && gaps >= 2.max(width / 4) && strange_words(judged, at) {
        let others = || (first..at).filter(|i| judged.is_record[*i]);
        if only_label(text(at)).is_some() && others().all(|i| only_label(text(i)).is_none()) {
            return true;
        }
    }
    if own == width && tells_count(judged, first, at) {
        return true;
    }
    // One phrase there that runs over several columns, where records have more than a blank between theirs.
    let phrase = |i: usize| is_phrase(judged.lexicon.text(judged.row(i).text));
    let others = || (0..at).filter(|i| judged.is_record[*i]);
    if is_placed && width >= 3 && filled > 1 && phrase(at) {
        let phrases = others().filter(|i| phrase(*i)).count();
        // Right behind the last record one of three words and more, where no record is one.
        let words = judged.lexicon.text(row.text).split_whitespace().count();
        let is_alone = phrases == 0 && others().count() >= 4 && filled < width && words >= 3;
        if is_alone || (set_off && phrases * 4 < others().count()) {
            return true;
        }
    }
    if judged.is_record[at] {
        return false;
    }
    if judged.is_fixed() {
        return true;
    }
    let near_end = count - at <= LOOKED_AT;
    if own < width && (width - own) * 5 > 5.max(2 * width) && near_end {
        return true;
    }
    if own == width
        && width >= 4
        && filled == 1
        && judged.judge.columns.iter().filter(|c| c.blank() * 2 < c.count()).count() >= 4
    {
        return true;
    }
    if own == width
        && judged.gain[at] < -8.0
        && (filled <= 1.max(width * 15 / 100) || (count - at <= 3 && gaps >= 2.max(width / 4)))
    {
        return true;
    }
    own < width && (own * 10 < 20.max(width * 7) || row.gap > 0)
}

/// Whether a row at the end says how many records there are before it: words that no record has, one number, and nothing in a column that
/// all of them fill.
fn tells_count(judged: &Judged<'_>, first: usize, at: usize) -> bool {
    let text = judged.lexicon.text(judged.row(at).text);
    let Some(count) = count_in(text) else { return false };
    let records = (first..at).filter(|i| !judged.is_apart(*i) && judged.row(*i).filled() > 0);
    let records: Vec<&Row> = records.map(|i| judged.row(i)).collect();
    let has_word = |row: &&Row, word: &str| judged.lexicon.text(row.text).contains(word);
    let fills = |row: &&Row, column: usize| row.values.get(column).is_some_and(|id| *id != BLANK);
    let mut lacks = (0..judged.width).filter(|column| !fills(&judged.row(at), *column));
    let mut words = text.split(|c: char| !c.is_alphabetic()).filter(|word| !word.is_empty());
    // Further down it is seen whether they are as many.
    let says_so = count.names_records || (judged.rows.is_whole && count.number == records.len() as u64);
    says_so
        && words.all(|word| !records.iter().any(|record| has_word(record, word)))
        && lacks.any(|column| records.iter().all(|record| fills(record, column)))
}

/// Whether a row at the end is a total: by its sums, or by its words.
fn is_total(judged: &Judged<'_>, first: usize, at: usize) -> bool {
    let row = judged.row(at);
    if judged.is_apart(at) || judged.width < 2 || judged.stated[at] == Some(Role::Detail) {
        return false;
    }
    // Some programs fill up the total alone, with marks for fields that all records leave out.
    (row.values.len() >= judged.width && total::says_so(judged.lexicon, row))
        || (row.values.len() == judged.width && total::adds_up(judged, first, at))
}
