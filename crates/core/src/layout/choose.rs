//! All layouts under one measure: each is priced, the cheapest wins.
//!
//! Rules ([`rules`]) stand beside the measure.

use super::LineRule;
use super::candidates::{self, Bench, Candidate, Form, Wanted};
use super::measure::column::Column;
use super::measure::lexicon::Lexicon;
use super::measure::sort::Sort;
use super::quoted::Quoted;
use super::sample::Sample;
use super::{LayoutChoices, LayoutKind, Samples, grouped, lines, multiline, rules};
use crate::record::Division;

/// Candidates in the order of their price, after the rules; the first one wins.
pub(super) struct Ranking<'s, 't> {
    pub(super) candidates: Vec<Candidate>,
    pub(super) bench: Bench<'s, 't>,
    /// What the text is, if it is known to be no table.
    pub(super) not_a_table: Option<&'static str>,
}

/// Prices everything that the choices leave open. `hint`: a delimiter that the first line states; `quoted`: a table whose quoted values
/// hold line ends, which leave nothing else.
pub(super) fn rank<'s, 't>(
    samples: Samples<'t>,
    sample: &'s Sample<'t>,
    choices: &LayoutChoices,
    (hint, quoted): (Option<&str>, Option<&Quoted>),
    rules: &[LineRule],
) -> Ranking<'s, 't> {
    let plain = lines::plain_dialect(samples, choices);
    let mut bench = Bench { sample, lexicon: Lexicon::default(), plain, rules: rules.to_vec() };
    let is_open = !choices.is_stated() && hint.is_none();
    let texts: Vec<std::borrow::Cow<'_, str>> = sample.filled().map(String::from_utf8_lossy).collect();
    let texts: Vec<&str> = texts.iter().map(AsRef::as_ref).collect();
    if is_open
        && quoted.is_none()
        && let Some(why) = candidates::not_a_table(&texts)
    {
        let whole = candidates::whole(&mut bench, None);
        return Ranking { candidates: vec![whole], bench, not_a_table: Some(why) };
    }
    let mark = quoted.map(|quoted| String::from_utf8_lossy(&quoted.dialect.delimiter).into_owned());
    let mut found = propose(&mut bench, choices, hint.or(mark.as_deref()));
    let blank = blank_lines(sample);
    for candidate in &mut found {
        // Where blank lines stand is news, unless blocks explain it.
        if candidate.form != Form::Multiline {
            candidate.bits += blank;
        }
        if matches!(candidate.form, Form::Delimited { .. })
            && candidate.quoted > 0
            && candidate.bad_quotes == 0
        {
            candidate.bits -= 4.0;
        }
    }
    found.retain(|c| c.bits.is_finite() || choices.is_stated());
    if is_open {
        let is_log = candidates::is_log(&texts);
        found.retain(|c| is_plausible(c, &bench) && !(is_log && tears_entries(c)));
    }
    found.sort_by(|a, b| a.bits.total_cmp(&b.bits));
    if is_open {
        rules::obey(&mut found, &mut bench);
    }
    for candidate in &mut found {
        refine_comment(candidate, samples, choices);
    }
    // Lines that go on with the record above belong to it.
    if let Some(best) = found.first()
        && choices.kind.is_none()
        && let Some(dialect) = multiline::continued(samples, &best.dialect)
    {
        let candidate = Candidate { dialect, form: Form::Multiline, ..best.clone() };
        found.insert(0, candidate);
    }
    Ranking { candidates: found, bench, not_a_table: None }
}

/// Whether a layout would tear the entries of a log at the blanks and marks of its prose: a mark that values hardly hold, and that
/// divides all of them evenly, does not.
fn tears_entries(candidate: &Candidate) -> bool {
    match candidate.form {
        Form::Whole => false,
        Form::Delimited { rank } => rank < 4 || candidate.evenness() < 0.9 || candidate.dialect.runs_as_one,
        Form::Aligned { .. } | Form::Fixed { .. } | Form::Multiline => true,
    }
}

fn propose(bench: &mut Bench<'_, '_>, choices: &LayoutChoices, hint: Option<&str>) -> Vec<Candidate> {
    let stated_lines = choices.kind == Some(LayoutKind::Multiline)
        || choices.lines_per_record.is_some_and(|lines| lines > 1)
        || choices.starts.as_ref().is_some_and(|lines| lines.len() > 1);
    if stated_lines {
        return candidates::stacked(bench, choices);
    }
    if choices.kind == Some(LayoutKind::Report) && choices.starts.is_none() {
        return candidates::fixed(bench, None, None);
    }
    if choices.states_fixed() {
        let stated = choices.starts.as_ref().and_then(|s| s.first()).map(Vec::as_slice);
        let mut found = candidates::fixed(bench, Some(choices.unit), stated);
        for candidate in &mut found {
            if let Division::Fixed(fixed) = &mut candidate.dialect.division {
                for edit in &choices.start_edits {
                    edit.apply(&mut fixed.starts);
                }
                candidate.width = fixed.starts.len();
            }
        }
        return found;
    }
    let delimiter = choices.delimiter.as_deref().or(hint);
    if delimiter == Some("") {
        return vec![candidates::whole(bench, choices.quote.unwrap_or(None))];
    }
    let wanted = Wanted {
        delimiter,
        runs_as_one: choices.runs_as_one,
        quote: choices.quote,
        doubles_quotes: choices.doubles_quotes,
    };
    let mut found = candidates::delimited(bench, &wanted);
    if delimiter.is_some() {
        return found;
    }
    let whole = candidates::whole(bench, choices.quote.unwrap_or(Some(b'"')));
    // Commas stand inside numbers too: where blanks line something up, they settle nothing.
    let lined_up =
        bench.sample.filled().filter(|l| memchr::memmem::find(l.trim_ascii(), b"  ").is_some()).count();
    let lined_up = lined_up * 5 > bench.sample.filled().count();
    let settles = |c: &Candidate| !(lined_up && c.dialect.delimiter == b",");
    let settled = found.iter().any(|c| settles(c) && is_settled(c, &whole, bench.sample));
    found.push(whole);
    if settled {
        return found;
    }
    found.extend(candidates::aligned(bench, choices.quote.unwrap_or(None)));
    if choices.quote.is_none() && bench.sample.filled().any(|l| l.contains(&b'"')) {
        found.extend(candidates::aligned(bench, Some(b'"')).into_iter().filter(|c| c.quoted > 0));
    }
    if choices.kind != Some(LayoutKind::Delimited) {
        found.extend(candidates::fixed(bench, None, None));
        found.extend(candidates::stacked(bench, choices));
    }
    found
}

/// Whether a mark that values hardly hold divides nearly all records evenly, and explains so much that neither blanks, nor places,
/// nor several lines a record could explain more: those are not priced then. It may explain less where it divides all of them into
/// many fields, and is no decimal mark.
fn is_settled(candidate: &Candidate, whole: &Candidate, sample: &Sample<'_>) -> bool {
    let is_even = matches!(candidate.form, Form::Delimited { rank: 4.. })
        && !candidate.dialect.runs_as_one
        && candidate.evenness() >= 0.95
        && candidate.even >= 4
        && candidate.width >= 3
        && candidate.bad_quotes == 0;
    let all = || {
        candidate.evenness() >= 1.0
            && candidate.even >= 6
            && candidate.width >= 4
            && (candidate.dialect.delimiter != b"," || sample.filled().all(divides_more_than_digits))
    };
    is_even
        && (candidate.bits < SETTLED * whole.bits || (candidate.bits < SETTLED_BY_ALL * whole.bits && all()))
}

/// Shares of the price of whole lines below which a mark has settled it, and below which it has where it divides everything.
const SETTLED: f64 = 0.75;
const SETTLED_BY_ALL: f64 = 0.95;

/// Whether one comma of a line at least does not stand between digits.
fn divides_more_than_digits(line: &[u8]) -> bool {
    memchr::memchr_iter(b',', line).any(|at| {
        let is_digit = |at: usize| line.get(at).is_some_and(u8::is_ascii_digit);
        at == 0 || !is_digit(at - 1) || !is_digit(at + 1)
    })
}

/// Whether a mark that words and values hold as well makes columns: most of them must hold numbers, moments, codes, single words,
/// or values that come again. Prose divided at its colons has no such columns. Where single blanks divide, one column at least
/// must be more than the marks and numbers of a list.
fn is_plausible(candidate: &Candidate, bench: &Bench<'_, '_>) -> bool {
    // Telephone and account numbers are no columns.
    if candidate.dialect.is_blank_delimited() && grouped::are_divided(&candidate.columns, &bench.lexicon) {
        return false;
    }
    let repeats = |column: &Column| column.different() * 2 <= column.filled() as usize;
    let share =
        |column: &Column, holds: &dyn Fn(u32) -> bool| column.those(holds) * 10 >= column.filled() * 8;
    if matches!(candidate.form, Form::Aligned { two: false, .. }) {
        let is_item = |id: u32| {
            let text = bench.lexicon.text(id).trim_end_matches(['.', ')']);
            !text.chars().any(char::is_alphabetic) && text.len() < 4
        };
        let typed = |id: u32| bench.lexicon.get(id).sort.is_typed() && !is_item(id);
        return candidate.columns.iter().any(|c| {
            share(c, &typed) || (repeats(c) && c.those(is_item) * 3 <= c.filled() && c.filled() > 0)
        });
    }
    // What all values begin or end with is no column: paths in one folder.
    if matches!(candidate.form, Form::Fixed { named: false, matched: false, ruled: false, touching: 1.. })
        && candidate.columns.len() == 2
        && candidate.columns.iter().any(|c| c.different() <= 1)
    {
        return false;
    }
    let Form::Delimited { rank } = candidate.form else { return true };
    // No prose holds a mark equally often in all its lines, several times.
    let colon = candidate.dialect.delimiter == b":";
    let wide = (candidate.width >= 5 && candidate.even >= 2)
        || (candidate.width >= if colon { 4 } else { 3 } && candidate.even >= 5);
    if (rank >= 4 && !is_prose_mark(candidate, bench))
        || (wide && candidate.even * 20 >= candidate.kept() * 19 && !candidate.dialect.is_blank_delimited())
    {
        return true;
    }
    // A mark between two blanks that stands in all lines alike is none of a sentence.
    let delimiter = String::from_utf8_lossy(&candidate.dialect.delimiter);
    let inner = delimiter.trim_matches(' ');
    let is_spaced = !inner.is_empty() && delimiter.len() == inner.len() + 2;
    if is_spaced && candidate.even >= 5 && candidate.evenness() >= 0.95 {
        return true;
    }
    // Each word of prose is one thing as well. Where a blank divides words alone, they are first and last names.
    let is_blank = candidate.dialect.is_blank_delimited();
    let is_typed = |id: u32| bench.lexicon.get(id).sort.is_typed();
    if candidate.dialect.delimiter == b" " && !candidate.columns.iter().any(|c| share(c, &is_typed)) {
        return false;
    }
    // A name and a number behind one blank in each of many lines: where most names begin with a small letter, they are keys, and no
    // streets with the numbers of houses.
    if is_blank && candidate.width == 2 && candidate.even >= KEYS && candidate.evenness() >= 0.98 {
        let is_number = |id: u32| bench.lexicon.get(id).sort == Sort::Number;
        let is_key = |id: u32| {
            let text = bench.lexicon.text(id);
            text.contains('_') || text.starts_with(char::is_lowercase)
        };
        let has = |column: usize, holds: &dyn Fn(u32) -> bool| {
            candidate.columns.get(column).is_some_and(|c| share(c, holds))
        };
        if has(1, &is_number) && has(0, &is_key) {
            return true;
        }
    }
    let holds = |id: u32| {
        let value = bench.lexicon.get(id);
        if is_blank { value.sort.is_typed() } else { value.is_atomic }
    };
    let holding =
        candidate.columns.iter().filter(|c| c.filled() == 0 || share(c, &holds) || repeats(c)).count();
    holding * 10 >= candidate.columns.len() * 6
}

/// Lines with a name and a number from which on each of them has both.
const KEYS: usize = 8;

/// Whether a comma divides lines as in prose: into two or three parts, nearly always with a blank behind it.
fn is_prose_mark(candidate: &Candidate, bench: &Bench<'_, '_>) -> bool {
    if candidate.dialect.delimiter != b"," || candidate.width > 3 || candidate.quoted > 0 {
        return false;
    }
    let (mut marks, mut blank) = (0, 0);
    for line in bench.sample.filled() {
        let line = line.trim_ascii_end();
        marks += memchr::memchr_iter(b',', line).filter(|at| at + 1 < line.len()).count();
        blank += memchr::memmem::find_iter(line, b", ").count();
    }
    blank * 10 >= marks * 9
}

/// Bits of where blank lines stand.
fn blank_lines(sample: &Sample<'_>) -> f64 {
    let all = sample.lines.len() as f64;
    let share = sample.lines.iter().filter(|l| l.is_blank).count() as f64 / all.max(1.0);
    if share <= 0.0 || share >= 1.0 {
        return 0.0;
    }
    -all * (share * share.log2() + (1.0 - share) * (1.0 - share).log2())
}

/// The comment mark that goes with the delimiter.
fn refine_comment(candidate: &mut Candidate, samples: Samples<'_>, choices: &LayoutChoices) {
    if candidate.dialect.division == Division::Delimited {
        let delimiter = String::from_utf8_lossy(&candidate.dialect.delimiter).into_owned();
        candidate.dialect.comment_prefix = lines::comment_prefix(samples, choices, &delimiter);
    }
}
