//! Which lines hold the names, and what stands before the data.

use super::super::candidates::{Candidate, Form};
use super::super::lines;
use super::super::measure::lexicon::{BLANK, ValueId};
use super::super::measure::sort::{Sort, sort_of};
use super::super::{Samples, SetAside};
use super::first_record::{commented_names, names_in_first, unlike};
use super::likeness::{is_headish, is_sparse, lacking, strange_words};
use super::names::{distinct, is_second_line, is_units, joined, name_like, narrow_names, without_mark};
use super::{Judged, labelled};
use crate::evidence::DecidedBy;
use crate::record::{Division, Multiline, Step};
use crate::rows::Aside;

/// What the clerk says about the header.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum HeaderChoice {
    /// Nothing: it is looked for.
    #[default]
    Auto,
    /// There is none.
    None,
    /// It is this line, from 1.
    Line(u64),
}

/// What stands before the data.
#[derive(Clone, Debug, Default)]
pub(in crate::layout) struct Header {
    pub(in crate::layout) line: Option<u64>,
    pub(in crate::layout) why: String,
    pub(in crate::layout) lines: u64,
    pub(in crate::layout) units_line: Option<u64>,
    pub(in crate::layout) names: Vec<String>,
    pub(in crate::layout) units: Vec<String>,
    pub(in crate::layout) preamble_lines: u64,
    pub(in crate::layout) lines_before_data: u64,
    pub(in crate::layout) set_aside: Vec<SetAside>,
}

/// Rows of words that may stand below the names.
pub(super) const UNITS_ROWS: usize = 3;

/// Bits that a first record must save by being read as names.
pub(super) const NAMES_GAIN: f64 = 0.0;

/// The header, and the index of the first record's row.
pub(super) fn find(
    samples: Samples<'_>,
    candidate: &Candidate,
    judged: &Judged<'_>,
    (choice, by): (&HeaderChoice, Option<DecidedBy>),
    types: Option<&[String]>,
) -> (Header, usize) {
    let mut header = Header::default();
    let mut first = first_record(judged, samples);
    if let Division::Multiline(Multiline::Labelled { labels, .. }) = &candidate.dialect.division {
        header.names = labels.iter().map(|l| String::from_utf8_lossy(l).into_owned()).collect();
    }
    // The first row of the names, if there are any.
    let at = match choice {
        HeaderChoice::None => {
            header.why = said(by, "no header");
            None
        }
        HeaderChoice::Line(line) => {
            header.why = said(by, &format!("line {line}"));
            let at = judged.rows.rows.iter().position(|r| r.line <= *line && *line < r.line + r.lines);
            first = at.map_or(first, |at| at + 1);
            while first < judged.count() && judged.is_apart(first) {
                first += 1;
            }
            at
        }
        HeaderChoice::Auto if !header.names.is_empty() => {
            header.why = "the labels are the names".into();
            if let Division::Multiline(Multiline::Labelled { labels, .. }) = &candidate.dialect.division {
                first = labelled::first_record(samples.head, judged, labels, first);
            }
            None
        }
        HeaderChoice::Auto if types.is_some() => {
            first = (0..judged.count()).find(|i| !judged.is_apart(*i)).unwrap_or(first);
            header.why = "lines begin with record types".into();
            None
        }
        HeaderChoice::Auto => {
            let (at, data, why) = look(samples, judged, candidate.names.as_deref(), first);
            (first, header.why) = (data, why);
            let statement = at.filter(|at| is_statement(samples, judged, *at));
            if let Some(at) = statement {
                header.why = format!("line {} is one phrase", judged.row(at).line);
            }
            at.filter(|_| statement.is_none()).filter(|at| {
                // Lines above records of several lines are a header if they are as many.
                match &candidate.dialect.division {
                    Division::Multiline(Multiline::Cycle { lines, .. }) => {
                        let is_label = |v: &ValueId| judged.lexicon.text(*v).contains(": ");
                        judged.row(*at).lines == lines.len() as u64
                            && !judged.row(*at).values.iter().any(is_label)
                    }
                    _ => true,
                }
            })
        }
    };
    if let Some(at) = at {
        name(samples, judged, (at, first), &mut header);
    }
    place(samples, judged, (at, first), &mut header);
    (header, first)
}

/// Whether a line above records of three fields and more is one field of several words: a statement or a title, and no names.
fn is_statement(samples: Samples<'_>, judged: &Judged<'_>, at: usize) -> bool {
    let is_delimited = matches!(judged.form, Form::Delimited { .. });
    if !is_delimited || judged.width < 3 || judged.row(at).filled() != 1 {
        return false;
    }
    let names = narrow_names(samples, judged, at);
    let mut filled = names.iter().filter(|name| !name.is_empty());
    filled.next().is_some_and(|name| name.contains(' ')) && filled.next().is_none()
}

/// Fills in names and units from the rows between `at` and the first record.
fn name(samples: Samples<'_>, judged: &Judged<'_>, (at, first): (usize, usize), header: &mut Header) {
    let row = judged.row(at);
    header.line = Some(row.line);
    header.names = without_mark(narrow_names(samples, judged, at), judged.width);
    let (rules, more): (Vec<usize>, Vec<usize>) =
        (at + 1..first).filter(|i| !judged.is_apart(*i)).partition(|i| is_drawn(judged, *i));
    let texts = |i: usize| -> Vec<String> {
        judged.row(i).values.iter().map(|v| judged.lexicon.text(*v).to_owned()).collect()
    };
    let mut rest = &more[..];
    // The heading of a group is neither a name nor a unit.
    let labelled = |i: usize| judged.lexicon.text(judged.row(i).text).contains(": ");
    let is_ruled_off = |i: usize| (at..i).any(|i| judged.row(i).aside == Some(Step::Rule));
    // Further lines of names, as long as they are no units.
    while let Some((next, others)) = rest.split_first() {
        let below = texts(*next);
        let is_apart = judged.row(*next).gap > 0 || is_ruled_off(*next) || labelled(*next);
        if is_apart || !is_second_line(&header.names, &below) || is_units(&below) {
            break;
        }
        header.names = joined(&header.names, &below);
        rest = others;
    }
    let units = rest.first().filter(|i| !labelled(**i));
    if let Some(units) = units {
        header.units_line = Some(judged.row(*units).line);
        header.units = texts(*units);
    }
    let others = if units.is_some() { &[][..] } else { rest };
    for row in rules.iter().chain(others).map(|i| judged.row(*i)) {
        let why = Aside::BelowNames;
        header.set_aside.push(SetAside { line: row.line, lines: row.lines, why });
    }
}

/// Whether each field of a row is drawn, as below the names of tables in plain text: `-----:`.
fn is_drawn(judged: &Judged<'_>, at: usize) -> bool {
    let texts = || judged.row(at).values.iter().map(|v| judged.lexicon.text(*v)).filter(|t| !t.is_empty());
    texts().count() > 1
        && texts().all(|text| text.contains(['-', '=']) && text.chars().all(|c| matches!(c, '-' | '=' | ':')))
}

/// What was said of the header, and by whom.
fn said(by: Option<DecidedBy>, what: &str) -> String {
    match by {
        Some(DecidedBy::Docket) => format!("from the docket: {what}"),
        Some(DecidedBy::Detected) => "the words above the numbers that end the text".into(),
        _ => format!("stated: {what}"),
    }
}

/// The line right above the first record of a source without names, if its words could be them: two or more, set apart, nearly as
/// many as there are columns.
pub(super) fn possible_names(judged: &Judged<'_>, first: usize) -> Option<u64> {
    let at = (0..first).rev().find(|i| !judged.is_apart(*i)).filter(|i| judged.in_head(*i))?;
    let text = judged.lexicon.text(judged.row(at).text);
    let parts: Vec<&str> = match judged.form {
        Form::Fixed { .. } | Form::Aligned { .. } => {
            text.split("  ").map(str::trim).filter(|part| !part.is_empty()).collect()
        }
        Form::Delimited { .. } => {
            judged.row(at).values.iter().map(|v| judged.lexicon.text(*v)).filter(|t| !t.is_empty()).collect()
        }
        Form::Whole | Form::Multiline => return None,
    };
    let named = |part: &&str| name_like(part) > 0.0 && !part.contains(": ") && !part.ends_with(':');
    let most = judged.width * 3;
    (judged.width > 2
        && parts.len() >= 3
        && parts.len() * 5 >= most
        && parts.len() <= judged.width + 1
        && parts.iter().all(named))
    .then(|| judged.row(at).line)
}

/// Where everything before the first record stands.
fn place(
    samples: Samples<'_>,
    judged: &Judged<'_>,
    (at, first): (Option<usize>, usize),
    header: &mut Header,
) {
    let rows = &judged.rows.rows;
    let data = rows.get(first).filter(|_| judged.in_head(first.min(judged.count().saturating_sub(1))));
    if let Some(at) = at {
        let last = (at..first).rfind(|i| !judged.is_apart(*i)).unwrap_or(at);
        // Rules right below belong to it.
        let ruled = (last + 1..first)
            .take_while(|i| judged.row(*i).aside == Some(Step::Rule) && judged.row(*i).gap == 0)
            .last()
            .unwrap_or(last);
        header.lines = rows[ruled].line + rows[ruled].lines - rows[at].line;
    }
    let first_data_line = data.map(|r| r.line);
    let end = rows.iter().rfind(|r| r.place == super::Place::Head).map_or(1, |r| r.line + r.lines);
    header.preamble_lines = header.line.or(first_data_line).unwrap_or(1) - 1;
    header.lines_before_data = match (header.line, first_data_line) {
        (_, Some(line)) => line - 1,
        (Some(line), None) => line - 1 + header.lines,
        (None, None) => end - 1,
    };
    if header.preamble_lines > 0 {
        let stated = lines::stated_by_first_line(samples.head).is_some();
        let why = if stated && header.preamble_lines == 1 {
            Aside::StatesDelimiter
        } else if header.line.is_some() {
            Aside::BeforeHeader
        } else {
            Aside::BeforeFirstRecord
        };
        header.set_aside.insert(0, SetAside { line: 1, lines: header.preamble_lines, why });
    }
}

/// The first row that fits and is followed by more that fit.
fn first_record(judged: &Judged<'_>, samples: Samples<'_>) -> usize {
    let count = judged.count();
    let stated = usize::from(lines::stated_by_first_line(samples.head).is_some());
    let fits = |at: usize| {
        let wide = judged.row(at).values.len();
        let ahead = |rows: usize| judged.is_record[at..count.min(at + rows)].iter().filter(|r| **r).count();
        judged.is_record[at]
            && !is_title(judged, at)
            && !is_remark(judged, at)
            && (wide == judged.width || (wide > judged.width && judged.width > 2))
            && (ahead(4) >= 3.min((count - at).div_ceil(2)) || (judged.gain[at] > 15.0 && ahead(9) >= 3))
    };
    let first = (stated..count)
        .find(|at| fits(*at))
        .or_else(|| (stated..count).find(|at| !judged.is_apart(*at)))
        .unwrap_or(0);
    with_its_type(judged, behind_remarks(judged, first))
}

/// The first record, or a row before it that begins as many others do and has as many fields: the head of its records.
fn with_its_type(judged: &Judged<'_>, mut first: usize) -> usize {
    let leads = |at: usize| {
        let row = judged.row(at);
        row.values.len() == judged.width && !judged.is_apart(at) && begins_again(judged, at)
    };
    while first > 0 && judged.width > 2 && judged.row(first).gap == 0 && leads(first - 1) {
        first -= 1;
    }
    first
}

/// Whether a row in front is one phrase with a blank line behind it, where records fill their other columns.
fn is_title(judged: &Judged<'_>, at: usize) -> bool {
    let row = judged.row(at);
    let set_off = at + 1 < judged.count() && judged.row(at + 1).gap > 0;
    let lacking = |column: usize| {
        let column = &judged.judge.columns[column];
        row.values.len() == judged.width && column.blank() * 20 < column.count()
    };
    judged.width > 1
        && row.filled() == 1
        && set_off
        && row
            .values
            .iter()
            .enumerate()
            .any(|(column, id)| *id == BLANK && column < judged.width && lacking(column))
}

/// Whether a row in front leaves out half of the columns, all of which records fill, and has words where they have none.
fn is_remark(judged: &Judged<'_>, at: usize) -> bool {
    let lacking = lacking(judged, at);
    judged.row(at).values.len() == judged.width
        && lacking >= 3
        && lacking * 2 >= judged.width
        && strange_words(judged, at)
        && matches!(judged.form, Form::Delimited { .. })
}

/// A remark in front, set off by a blank line, may divide as records do by chance: its first fields are unlike the others.
fn behind_remarks(judged: &Judged<'_>, first: usize) -> usize {
    let count = judged.count();
    let end = count.min(first + 50);
    // Headings whose values programs filled up with delimiters, up to a blank line.
    if matches!(judged.form, Form::Delimited { .. }) && judged.width >= 3 {
        let mut filled: Vec<usize> = (first..count).map(|i| judged.row(i).filled()).collect();
        filled.sort_unstable();
        let usual = filled.get(filled.len() / 2).copied().unwrap_or(0);
        let partly = (first..end.min(first + 30)).take_while(|i| judged.row(*i).filled() < usual).count();
        if partly > 0 && usual >= 3 && first + partly < count && judged.row(first + partly).gap > 0 {
            return first + partly;
        }
    }
    let Some(gap) = (first + 1..end).rev().find(|i| judged.row(*i).gap > 0 && judged.in_head(*i)) else {
        return first;
    };
    if count - gap < 2 * (gap - first) || judged.is_fixed() {
        return first;
    }
    let looks = |from: usize, to: usize| {
        let (mut sorts, mut marked, mut all) = ([0_usize; 6], 0_usize, 0_usize);
        for row in (from..to).filter(|i| !judged.is_apart(*i)).map(|i| judged.row(i)).take(100) {
            let Some(id) = row.values.first() else { continue };
            let text = judged.lexicon.text(*id);
            sorts[judged.lexicon.get(*id).sort as usize] += 1;
            marked += usize::from(text.starts_with(|c: char| c.is_ascii_punctuation()));
            all += 1;
        }
        (sorts, marked, all)
    };
    let (before, before_marked, before_all) = looks(first, gap);
    let (after, after_marked, after_all) = looks(gap, count);
    let common = (0..6).max_by_key(|s| after[*s]).unwrap_or(0);
    let unlike = after[common] * 10 >= after_all * 9 && before[common] * 10 < before_all * 3;
    let marked = before_marked == before_all && after_marked * 10 < after_all;
    if before_all > 0 && after_all > 0 && (unlike || marked) { gap } else { first }
}

/// Looks for names around the first record: the row of the names, that of the first record, and why.
fn look(
    samples: Samples<'_>,
    judged: &Judged<'_>,
    names: Option<&str>,
    mut first: usize,
) -> (Option<usize>, usize, String) {
    let count = judged.count();
    if count == 0 || first >= count || !judged.in_head(first) {
        return (None, first, "there is no record".into());
    }
    let near = if judged.is_fixed() { 7 } else { 3 };
    let mut steps = 0;
    let mut above = None;
    for at in (0..first).rev() {
        steps += usize::from(!judged.is_apart(at));
        if steps > near {
            break;
        }
        if !judged.is_record[at] && !judged.is_apart(at) && is_headish(samples, judged, at, false) {
            above = Some(at);
            break;
        }
    }
    let above = above.filter(|at| !begins_again(judged, *at));
    // The line by which the starts were chosen, wherever the first record seems to be.
    let chosen =
        names.and_then(|names| chosen_names(judged, names)).filter(|at| above.is_none_or(|a| a < *at));
    if let Some(at) = chosen {
        first = (at + 1..count).find(|i| judged.is_record[*i]).unwrap_or(first.max(at + 1));
    }
    let above = chosen.or(above);
    if let Some(mut at) = above {
        // Several lines of names, one right above the other.
        while at > 0
            && !judged.is_record[at - 1]
            && !judged.is_apart(at - 1)
            && judged.row(at).gap == 0
            && is_headish(samples, judged, at - 1, true)
            && goes_on_above(samples, judged, at)
        {
            at -= 1;
        }
        at = names_above_units(judged, at);
        if !judged.is_fixed() {
            first = words_below(judged, at, first);
        }
        let why = unlike(judged, at);
        return (Some(at), first, why);
    }
    if let Some(at) = commented_names(samples, judged, first) {
        return (
            Some(at),
            first,
            format!("line {}, a comment, holds as many names as there are columns", judged.row(at).line),
        );
    }
    names_in_first(judged, first)
}

/// The row of the line by which the starts were chosen, if records begin within a few rows below it.
fn chosen_names(judged: &Judged<'_>, names: &str) -> Option<usize> {
    let count = judged.count();
    let same = |i: &usize| {
        let text = judged.lexicon.text(judged.row(*i).text);
        judged.in_head(*i) && !judged.is_apart(*i) && text.trim() == names.trim()
    };
    let at = (0..count).find(same)?;
    (at + 1..count.min(at + 6)).any(|i| judged.is_record[i]).then_some(at)
}

/// The names above units and technical names: a row right above that is as wide and fuller than half, within three rows.
fn names_above_units(judged: &Judged<'_>, at: usize) -> usize {
    let names = |i: usize| {
        let row = judged.row(i);
        let typed =
            row.values.iter().any(|v| matches!(judged.lexicon.get(*v).sort, Sort::Number | Sort::Moment));
        row.values.len() == judged.width && row.filled() * 2 > judged.width && !typed && !judged.is_record[i]
    };
    let joined = |i: usize| {
        judged.row(i + 1).gap == 0
            && !judged.is_apart(i)
            && judged.row(i).values.len() == judged.width
            && judged.row(i).filled() > 2
    };
    if judged.is_fixed() || judged.is_aligned() || judged.width < 4 {
        return at;
    }
    (at.saturating_sub(2)..at).find(|i| names(*i) && (*i..at).all(joined)).unwrap_or(at)
}

/// Whether the row above row `at` may hold the upper half of its names: it has as many fields, and the names below leave
/// something open, or stand under it one by one.
fn goes_on_above(samples: Samples<'_>, judged: &Judged<'_>, at: usize) -> bool {
    let texts = |i: usize| -> Vec<String> {
        judged.row(i).values.iter().map(|v| judged.lexicon.text(*v).to_owned()).collect()
    };
    let (upper, lower) = (texts(at - 1), texts(at));
    // Labels, and the words of a sentence.
    let is_said = upper.iter().any(|t| t.ends_with([':', '=', ',']) || t.contains(": "));
    if is_said || upper.iter().any(|t| matches!(sort_of(t), Sort::Number | Sort::Moment)) {
        return false;
    }
    let fills = upper.iter().zip(&lower).any(|(upper, lower)| lower.is_empty() && !upper.is_empty());
    let open = fills || !distinct(&lower);
    // A title with the number of its page.
    let numbered: Vec<&String> = upper.iter().filter(|t| t.contains(|c: char| c.is_ascii_digit())).collect();
    let is_paged =
        matches!(numbered[..], [one] if one.rsplit(' ').next().is_some_and(|n| n.parse::<u32>().is_ok()));
    if is_paged && !open {
        return false;
    }
    if judged.is_fixed() || judged.is_aligned() {
        let filled = upper.iter().filter(|t| !t.is_empty()).count();
        let line = |i: usize| {
            String::from_utf8_lossy(&samples.head[judged.row(i).start..judged.row(i).end]).into_owned()
        };
        if filled > 1 && is_phrase(&line(at - 1)) && !is_under(&line(at - 1), &line(at)) {
            return false;
        }
        return judged.row(at - 1).cuts <= judged.row(at).cuts.max(1) && (open || filled * 2 >= judged.width);
    }
    let filled = upper.iter().filter(|t| !t.is_empty()).count();
    upper.len() == lower.len() && (open || filled * 2 > upper.len())
}

/// Whether a line is one phrase: several words, and one blank between any two.
pub(super) fn is_phrase(line: &str) -> bool {
    let line = line.trim();
    line.contains(' ') && !line.contains("  ") && !line.contains('\t')
}

/// Whether each word of the upper line begins or ends where a word of the lower one does.
fn is_under(upper: &str, lower: &str) -> bool {
    let edges = |line: &str| {
        let chars: Vec<char> = line.chars().collect();
        let filled = |at: usize| chars.get(at).is_some_and(|c| !c.is_whitespace());
        let begins: Vec<usize> =
            (0..chars.len()).filter(|at| filled(*at) && (*at == 0 || !filled(at - 1))).collect();
        let ends: Vec<usize> = (0..chars.len()).filter(|at| filled(*at) && !filled(at + 1)).collect();
        (begins, ends)
    };
    let ((begins, ends), (own, own_ends)) = (edges(upper), edges(lower));
    begins.iter().zip(&ends).all(|(begin, end)| own.contains(begin) || own_ends.contains(end))
}

/// Whether the first value of a row, a word or a code, comes again and again at that place: a record type, and no name.
pub(super) fn begins_again(judged: &Judged<'_>, at: usize) -> bool {
    if judged.is_fixed() || judged.is_aligned() {
        return false;
    }
    let first = |row: &super::Row| row.values.first().copied().filter(|v| *v != BLANK);
    let own = first(judged.row(at));
    let again = judged.rows.rows.iter().filter(|r| own.is_some() && first(r) == own).count();
    again > 2 && judged.rows.rows.iter().filter(|r| r.text == judged.row(at).text).count() < again
}

/// Odd rows between the names and the first record are records too, unless they are words.
pub(super) fn words_below(judged: &Judged<'_>, at: usize, mut first: usize) -> usize {
    while first - 1 > at && !judged.is_apart(first - 1) {
        let row = judged.row(first - 1);
        let fits = row.values.len() == judged.width
            && !is_sparse(judged, first - 1)
            && row.values.iter().enumerate().all(|(column, id)| {
                let sort = judged.lexicon.get(*id).sort;
                *id == BLANK
                    || judged.judge.fits(column, sort)
                    || (sort == Sort::Number && judged.judge.numeric[column])
            });
        if !fits {
            break;
        }
        first -= 1;
    }
    first
}
