//! All layouts under one measure: each is priced, the cheapest wins.
//!
//! Rules stand beside the measure. Each says that some evidence is stronger than the models can express:
//!
//! 1. Quotes that all close where a field does are quotes, if that costs little more. A tab, bar or doubled mark that gives
//!    nearly all records the same width of three or more beats blanks and weaker marks.
//! 2. Runs of two and more blanks beat runs of one and more, if both cost nearly the same and the columns are nearly as many.
//! 3. Starts beat runs of blanks, if both cost nearly the same and two blanks stand together in many lines.
//! 4. Names that reach further than the records are right: empty fields at the ends are left out.
//! 5. Labels, and tabs in runs that line columns up, beat what else divides the lines, if both cost nearly the same.
//! 6. Columns that touch must save more than a little against blanks or marks that divide all lines evenly.
//! 7. A mark that divides nearly all records into the same four fields and more beats one that divides them into two, if both cost
//!    nearly the same.
//! 8. Commas without a blank, several times in most lines, divide records, however differently.

use super::LineRule;
use super::candidates::{self, Bench, Candidate, Form, Wanted};
use super::measure::column::Column;
use super::measure::grid::Grid;
use super::measure::lexicon::Lexicon;
use super::sample::Sample;
use super::{LayoutChoices, LayoutKind, Samples, lines, multiline};
use crate::record::{Division, Multiline};

/// Candidates in the order of their price, after the rules; the first one wins.
pub(super) struct Ranking<'s, 't> {
    pub(super) candidates: Vec<Candidate>,
    pub(super) bench: Bench<'s, 't>,
    /// What the text is, if it is known to be no table.
    pub(super) not_a_table: Option<&'static str>,
}

/// Prices everything that the choices leave open. `hint`: a delimiter that the first line states.
pub(super) fn rank<'s, 't>(
    samples: Samples<'t>,
    sample: &'s Sample<'t>,
    choices: &LayoutChoices,
    hint: Option<&str>,
    rules: &[LineRule],
) -> Ranking<'s, 't> {
    let plain = lines::plain_dialect(samples, choices);
    let mut bench = Bench { sample, lexicon: Lexicon::default(), plain, rules: rules.to_vec() };
    let is_open = !choices.is_stated() && hint.is_none();
    let texts: Vec<std::borrow::Cow<'_, str>> = sample.filled().map(String::from_utf8_lossy).collect();
    let texts: Vec<&str> = texts.iter().map(AsRef::as_ref).collect();
    if is_open && let Some(why) = candidates::not_a_table(&texts) {
        let whole = candidates::whole(&mut bench, None);
        return Ranking { candidates: vec![whole], bench, not_a_table: Some(why) };
    }
    let mut found = propose(&mut bench, choices, hint);
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
        obey_rules(&mut found, &mut bench);
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
    let settled = found.iter().any(|c| settles(c) && is_settled(c, &whole));
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
/// nor several lines a record could explain more: those are not priced then.
fn is_settled(candidate: &Candidate, whole: &Candidate) -> bool {
    matches!(candidate.form, Form::Delimited { rank: 4.. })
        && !candidate.dialect.runs_as_one
        && candidate.evenness() >= 0.95
        && candidate.even >= 4
        && candidate.width >= 3
        && candidate.bad_quotes == 0
        && candidate.bits < SETTLED * whole.bits
}

/// Whether a line holds at least four commas or semicolons, hardly one of them followed by a blank.
fn is_list(line: &[u8]) -> bool {
    [b',', b';'].into_iter().any(|mark| {
        let marks = memchr::memchr_iter(mark, line).count();
        marks >= 4 && memchr::memmem::find_iter(line, &[mark, b' ']).count() * 5 < marks
    })
}

/// Share of the price of an even layout that columns which touch may have at most.
const TOUCHING_SAVES: f64 = 0.94;

/// Share of the price of whole lines below which a mark has settled it.
const SETTLED: f64 = 0.75;

/// Whether a mark that words and values hold as well makes columns: most of them must hold numbers, moments, codes, single words,
/// or values that come again. Prose divided at its colons has no such columns. Where single blanks divide, one column at least
/// must be more than the marks and numbers of a list.
fn is_plausible(candidate: &Candidate, bench: &Bench<'_, '_>) -> bool {
    let filled = |column: &Column| column.count() - column.blank();
    let repeats = |column: &Column| column.different() * 2 <= filled(column) as usize;
    let those = |column: &Column, holds: &dyn Fn(u32) -> bool| -> u32 {
        column.values().filter(|(id, _)| holds(*id)).map(|(_, count)| count).sum()
    };
    let share =
        |column: &Column, holds: &dyn Fn(u32) -> bool| those(column, holds) * 10 >= filled(column) * 8;
    if matches!(candidate.form, Form::Aligned { two: false, .. }) {
        let is_item = |id: u32| {
            let text = bench.lexicon.text(id).trim_end_matches(['.', ')']);
            !text.chars().any(char::is_alphabetic) && text.len() < 4
        };
        let typed = |id: u32| bench.lexicon.get(id).sort.is_typed() && !is_item(id);
        return candidate.columns.iter().any(|c| {
            share(c, &typed) || (repeats(c) && those(c, &is_item) * 3 <= filled(c) && filled(c) > 0)
        });
    }
    let Form::Delimited { rank } = candidate.form else { return true };
    // No prose holds a mark equally often in all its lines, several times.
    let kept = candidate.records.saturating_sub(candidate.aside).max(candidate.even);
    let colon = candidate.dialect.delimiter == b":";
    let wide = (candidate.width >= 5 && candidate.even >= 2)
        || (candidate.width >= if colon { 4 } else { 3 } && candidate.even >= 5);
    if (rank >= 4 && !is_prose_mark(candidate, bench))
        || (wide && candidate.even * 20 >= kept * 19 && !candidate.dialect.is_blank_delimited())
    {
        return true;
    }
    // Each word of prose is one thing as well. Where a blank divides words alone, they are first and last names.
    let is_blank = candidate.dialect.is_blank_delimited();
    let is_typed = |id: u32| bench.lexicon.get(id).sort.is_typed();
    if candidate.dialect.delimiter == b" " && !candidate.columns.iter().any(|c| share(c, &is_typed)) {
        return false;
    }
    let holds = |id: u32| {
        let value = bench.lexicon.get(id);
        if is_blank { value.sort.is_typed() } else { value.is_atomic }
    };
    let holding =
        candidate.columns.iter().filter(|c| filled(c) == 0 || share(c, &holds) || repeats(c)).count();
    holding * 10 >= candidate.columns.len() * 6
}

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

/// Lets the rules of this page have their say.
fn obey_rules(found: &mut Vec<Candidate>, bench: &mut Bench<'_, '_>) {
    let lift = |found: &mut Vec<Candidate>, fits: &dyn Fn(&Candidate, &Candidate) -> bool| {
        let Some(best) = found.first() else { return };
        if let Some(at) = found.iter().skip(1).position(|c| fits(best, c)) {
            let candidate = found.remove(at + 1);
            found.insert(0, candidate);
        }
    };
    let is_marked = |c: &Candidate| matches!(c.form, Form::Delimited { .. });
    // Quotes that open and close where fields do, in most records, mean fields.
    let quoted = |c: &Candidate| {
        is_marked(c) && c.bad_quotes == 0 && c.quoted * 2 >= c.records && c.evenness() >= 0.9 && c.width > 1
    };
    if found.iter().any(quoted) {
        found.retain(|c| c.quoted > 0 && (is_marked(c) || c.is_aligned()));
    }
    // Names that are divided as the records below them are: `Berth,Dues` above what could as well be numbers with decimals.
    let weak = |c: &Candidate| !matches!(c.form, Form::Multiline | Form::Delimited { rank: 4.. });
    if let Some(best) = found.first().filter(|c| weak(c)).cloned() {
        let named = found.iter().position(|c| {
            matches!(c.form, Form::Delimited { rank: 4.. })
                && c.evenness() >= 0.98
                && c.even >= 3
                && c.bad_quotes * 20 <= c.records
                && c.bits < 1.5 * best.bits
                && names_reach(bench, c)
        });
        if let Some(at) = named {
            let candidate = found.remove(at);
            found.insert(0, candidate);
        }
    }
    lift(found, &|best, c| {
        is_marked(best)
            && is_marked(c)
            && best.quoted == 0
            && c.quoted > 0
            && c.bad_quotes == 0
            && c.dialect.delimiter == best.dialect.delimiter
            && c.bits < 1.03 * best.bits
    });
    // Records that go on with more fields than the names further down change their layout there; the names say how it began.
    if let Some(best) = found.first().filter(|c| is_marked(c)).cloned() {
        let as_named = found.iter().skip(1).position(|c| {
            c.dialect == best.dialect
                && c.width < best.width
                && c.even * 2 >= c.records
                && names_stop(bench, c)
        });
        if let Some(at) = as_named {
            let candidate = found.remove(at + 1);
            found.insert(0, candidate);
        }
    }
    if let Some(best) = found.first().filter(|c| is_marked(c)).cloned() {
        let further = found.iter().skip(1).position(|c| {
            c.dialect == best.dialect
                && c.width > best.width
                && c.bits < 1.02 * best.bits
                && names_reach(bench, c)
        });
        if let Some(at) = further {
            let candidate = found.remove(at + 1);
            found.insert(0, candidate);
        }
    }
    lift(found, &|best, c| {
        let rank = match best.form {
            Form::Delimited { rank } => rank,
            _ => 0,
        };
        // A blank field makes a pair of marks out of single ones.
        let is_half = c.dialect.delimiter == best.dialect.delimiter.repeat(2) && !best.has_blank_columns();
        best.form != Form::Multiline
            && !(is_half && c.even < best.even)
            && (rank < 5 || best.evenness() < 0.5)
            && matches!(c.form, Form::Delimited { rank } if rank >= 5)
            && !c.dialect.runs_as_one
            && !c.has_blank_columns()
            && if c.width >= 3 {
                c.evenness() >= 0.98
            } else {
                // Titles above a small table are no records.
                let kept = c.records.saturating_sub(c.aside).max(c.even);
                let even = c.even * 50 >= kept * 49 && c.even * 10 >= c.records * 6;
                matches!(c.form, Form::Delimited { rank: 6 }) && even && c.even >= 8
            }
    });
    // Tabs that stand around each mark are part of it.
    lift(found, &|best, c| {
        let (mark, wider) = (&best.dialect.delimiter, &c.dialect.delimiter);
        is_marked(best)
            && is_marked(c)
            && !mark.is_empty()
            && *wider == [b"\t", &mark[..], b"\t"].concat()
            && c.width == best.width
            && c.even >= best.even
            && c.bad_quotes == 0
            && c.bits < 1.05 * best.bits
    });
    // So is a mark that stands alone between two others, in every line.
    let lexicon = &bench.lexicon;
    lift(found, &|best, c| {
        let always = |column: &Column| {
            let (id, count) = column.values().next()?;
            (column.different() == 1 && count == column.count()).then(|| lexicon.text(id).as_bytes())
        };
        let mark = &best.dialect.delimiter;
        is_marked(best)
            && is_marked(c)
            && !mark.is_empty()
            && c.evenness() >= 1.0
            && best.columns.iter().filter_map(always).any(|text| {
                !text.iter().any(|b| b.is_ascii_alphanumeric() || *b >= 0x80)
                    && c.dialect.delimiter == [mark, text, mark].concat()
            })
    });
    // One tab in every line, the names included, is in no value.
    lift(found, &|best, c| {
        matches!(best.form, Form::Delimited { rank } if rank < 5)
            && c.dialect.delimiter == b"\t"
            && !c.dialect.runs_as_one
            && c.evenness() >= 1.0
            && c.even >= 5
            && best.evenness() < 1.0
            && c.bits < 1.15 * best.bits
    });
    // No chance gives nearly all records the same mark three times and more; decimal commas come once a record.
    lift(found, &|best, c| {
        let kept = c.records.saturating_sub(c.aside).max(c.even);
        is_marked(best)
            && best.width * 2 <= c.width
            && is_marked(c)
            && c.width >= 4
            && c.even >= 4
            && !c.dialect.is_blank_delimited()
            && !is_of_values(c, lexicon)
            && c.even * 100 >= kept * 95
            && c.even * 10 >= c.records * 8
            && c.bits < 1.1 * best.bits
    });
    // Nor does it divide whole lines into numbers, dates or codes, line by line, just so.
    lift(found, &|best, c| {
        let kept = c.records.saturating_sub(c.aside).max(c.even);
        (best.form == Form::Whole || best.form == Form::Aligned { two: false, rest: true })
            && is_marked(c)
            && c.width >= 3
            && c.even >= 8
            && !c.dialect.is_blank_delimited()
            && !is_of_values(c, lexicon)
            && c.even * 100 >= kept * 95
            && c.even * 10 >= c.records * 8
            && c.bits < 1.1 * best.bits
            && c.columns.iter().any(|column| is_typed(column, lexicon))
    });
    // Tabs that give all records the same width are one each, also where those behind the last value stand together.
    lift(found, &|best, c| {
        is_marked(best)
            && best.dialect.delimiter == b"\t"
            && c.dialect.delimiter == b"\t"
            && best.dialect.runs_as_one
            && !c.dialect.runs_as_one
            && c.evenness() >= 1.0
            && c.even >= 3
            && c.ends_blank(best.width)
            && c.bits < 1.1 * best.bits
    });
    lift(found, &|best, c| {
        best.form == Form::Aligned { two: false, rest: false }
            && matches!(c.form, Form::Aligned { two: true, .. })
            && c.width >= 3
            && c.width + 2 >= best.width
            && c.bits < 1.05 * best.bits
    });
    // Labels say what values are; lines of a cycle, and runs of blanks, only where they stand.
    lift(found, &|best, c| {
        let labelled =
            |c: &Candidate| matches!(c.dialect.division, Division::Multiline(Multiline::Labelled { .. }));
        let weak =
            matches!(best.form, Form::Multiline | Form::Whole | Form::Aligned { .. } | Form::Fixed { .. });
        let own = if best.form == Form::Multiline { 1.1 } else { 1.05 };
        weak && !labelled(best) && labelled(c) && c.even >= 3 && c.bits < own * best.bits
    });
    // A comma or semicolon that gives most records the same many fields is no accident, however few records there are.
    lift(found, &|best, c| {
        !is_marked(best)
            && matches!(c.form, Form::Delimited { rank: 4 })
            && c.width >= 8
            && c.even >= 3
            && c.even * 2 >= c.records
            && c.bits < 1.15 * best.bits
    });
    // A rule with a part below each name says where columns are, also where most of a column is empty.
    lift(found, &|best, c| {
        let lined_up = matches!(best.form, Form::Fixed { ruled: false, .. } | Form::Aligned { .. });
        lined_up
            && matches!(c.form, Form::Fixed { ruled: true, touching: 0, .. })
            && best.width < c.width
            && c.bits < 1.3 * best.bits
    });
    // Starts with a name each beat those that names do not confirm, if both cost nearly the same.
    lift(found, &|best, c| {
        matches!(best.form, Form::Fixed { matched: false, touching: 0, ruled: false, .. })
            && matches!(c.form, Form::Fixed { matched: true, touching: 0, .. })
            && c.evenness() >= 0.98
            && c.bits < 1.02 * best.bits
    });
    // Where columns may touch, blanks or marks that divide all lines evenly must be beaten by more than a little.
    lift(found, &|best, c| {
        let touches = |c: &Candidate| matches!(c.form, Form::Fixed { touching: 1.., .. });
        touches(best)
            && !matches!(best.form, Form::Fixed { matched: true, .. })
            && !touches(c)
            && c.width >= 3
            && c.evenness() >= 0.98
            && best.bits > TOUCHING_SAVES * c.bits
    });
    // A comma without a blank, several times in most lines, divides records of several types, however differently.
    let listed =
        bench.sample.filled().filter(|l| is_list(l)).count() * 3 >= bench.sample.filled().count() * 2;
    lift(found, &|best, c| {
        listed && best.form == Form::Whole && matches!(c.form, Form::Delimited { rank: 4.. }) && c.width >= 5
    });
    // Tabs that line columns up stand in runs: counted one by one they would give each record another width.
    lift(found, &|best, c| {
        is_marked(best)
            && best.dialect.delimiter == b"\t"
            && c.dialect.delimiter == b"\t"
            && !best.dialect.runs_as_one
            && c.dialect.runs_as_one
            && c.width > 1
            && c.bits < 1.15 * best.bits
            && ((best.evenness() < 0.5 && c.evenness() > best.evenness() + 0.2)
                || (best.evenness() < 0.9 && c.even > best.even))
    });
    let filled = bench.sample.filled().count();
    let spread =
        bench.sample.filled().filter(|l| memchr::memmem::find(l.trim_ascii(), b"  ").is_some()).count();
    if spread * 10 > filled * 3 {
        // Starts that say the same go before those that say something else.
        lift(found, &|best, c| {
            let Form::Fixed { matched, touching, .. } = c.form else { return false };
            let confirmed = matched && touching == 0 && c.evenness() >= 0.98;
            best.is_aligned() && confirmed && c.width == best.width && c.bits < 1.06 * best.bits
        });
        lift(found, &|best, c| {
            let apart = c.width.abs_diff(best.width);
            let Form::Fixed { named, matched, touching, .. } = c.form else { return false };
            let fewer = c.width < best.width;
            let confirmed = matched && touching == 0 && c.evenness() >= 0.98;
            best.is_aligned()
                && ((confirmed && c.bits < if fewer { 1.06 } else { 1.15 } * best.bits)
                    || (apart == 0 && c.bits < 1.06 * best.bits + 8.0 * best.width as f64)
                    || (named && apart < 3 && c.bits < 1.06 * best.bits)
                    || (apart < 2 && c.bits < best.bits * if fewer { 1.03 } else { 0.99 } + 10.0))
        });
    }
}

/// How many values of a column, and how many of those are such.
fn share_of(column: &Column, is_such: impl Fn(u32) -> bool) -> (u32, u32) {
    let such = column.values().filter(|(id, _)| is_such(*id)).map(|(_, count)| count).sum();
    (column.count() - column.blank(), such)
}

/// Whether nine in ten values of a column are numbers, moments or codes.
fn is_typed(column: &Column, lexicon: &Lexicon) -> bool {
    let (filled, typed) = share_of(column, |id| lexicon.get(id).sort.is_typed());
    filled > 0 && typed * 10 >= filled * 9
}

/// Whether a mark may be one of dates, times or paths: a column holds two digits in half of its values, or, with strokes, none is
/// typed.
fn is_of_values(candidate: &Candidate, lexicon: &Lexicon) -> bool {
    let is_stroke = candidate.dialect.delimiter.starts_with(b"/");
    if !is_stroke && !candidate.dialect.delimiter.starts_with(b":") {
        return false;
    }
    if is_stroke && (candidate.width < 4 || !candidate.columns.iter().any(|c| is_typed(c, lexicon))) {
        return true;
    }
    let is_pair = |text: &str| text.len() == 2 && text.bytes().all(|b| b.is_ascii_digit());
    candidate.columns.iter().any(|column| {
        let (filled, pairs) = share_of(column, |id| is_pair(lexicon.text(id)));
        pairs > 0 && pairs * 2 >= filled
    })
}

/// Whether a value is made of words, without a digit.
fn is_name(bench: &Bench<'_, '_>, value: u32) -> bool {
    let text = bench.lexicon.text(value);
    bench.lexicon.get(value).sort.is_words() && !text.bytes().any(|b| b.is_ascii_digit())
}

/// Whether the first record holds names alone, one for each field.
fn names_stop(bench: &mut Bench<'_, '_>, candidate: &Candidate) -> bool {
    let grid = Grid::read(bench.sample, &candidate.dialect, &mut bench.lexicon);
    grid.rows.first().is_some_and(|first| {
        let words = grid.cells(first).iter().all(|c| is_name(bench, c.value));
        first.fields as usize == candidate.width && words
    })
}

/// Whether the first record holds names alone, and no record is wider.
fn names_reach(bench: &mut Bench<'_, '_>, candidate: &Candidate) -> bool {
    let grid = Grid::read(bench.sample, &candidate.dialect, &mut bench.lexicon);
    let Some(first) = grid.rows.first() else { return false };
    let names = grid.cells(first).iter().all(|c| is_name(bench, c.value));
    first.fields as usize == candidate.width
        && names
        && grid.rows.iter().skip(1).all(|r| r.fields as usize <= candidate.width)
}
