//! Rules that stand beside the measure. Each says that some evidence is stronger than the models can express, and lifts a layout above
//! a cheaper one:
//!
//! 1. Quotes that all close where a field does are quotes, if that costs little more. A tab, bar or doubled mark that gives
//!    nearly all records the same width of three or more beats blanks and weaker marks.
//! 2. Runs of two and more blanks beat runs of one and more, if both cost nearly the same and the columns are nearly as many.
//! 3. Starts beat runs of blanks, if both cost nearly the same and two blanks stand together in many lines. Those of the parts of a rule
//!    below the names beat them, whole lines and records of several lines also if they cost more.
//! 4. Names that reach further than the records are right: empty fields at the ends are left out.
//! 5. Labels, and tabs in runs that line columns up, beat what else divides the lines, if both cost nearly the same; labels also if they
//!    cost half as much again as a cycle of lines whose values keep them.
//! 6. Columns that touch must save more than a little against blanks or marks that divide all lines evenly.
//! 7. A mark that divides nearly all records into the same four fields and more beats one that divides them into two, if both cost
//!    nearly the same.
//! 8. Commas without a blank, several times in most lines, divide records, however differently.
//! 9. Tabs around a mark, and a mark that stands alone between two others in every line, are part of the delimiter. One tab in every line,
//!    the names included, is in no value.
//! 10. A mark that divides nearly all lines alike into numbers, dates or codes beats whole lines, if both cost nearly the same.
//! 11. Starts with a name each beat those that names do not confirm, if both cost nearly the same; also if they cost a little more, where
//!     they make more columns.
//! 12. Colons that stand in times of day alone divide nothing, unless they divide the names as well.
//! 13. A last column that takes the rest of each line beats words that many lines do not have, if both cost nearly the same.
//! 14. Runs of blanks and tabs that give all records the same width beat tabs that leave runs of blanks in the values of a column.

use super::candidates::{Bench, Candidate, Form};
use super::measure::column::Column;
use super::measure::grid::Grid;
use super::measure::lexicon::Lexicon;
use crate::record::{Division, Multiline};

/// Characters of a label at most, as of the labels that are proposed.
const MOST_OF_LABEL: usize = 40;

/// Share of the price of an even layout that columns which touch may have at most.
const TOUCHING_SAVES: f64 = 0.94;

/// Lets the rules have their say on candidates in the order of their price.
pub(super) fn obey(found: &mut Vec<Candidate>, bench: &mut Bench<'_, '_>) {
    quotes(found, bench);
    names(found, bench);
    marks(found, &bench.lexicon);
    blanks_and_labels(found, &bench.lexicon);
    starts(found);
    lists_and_tabs(found, bench);
    lined_up(found, bench);
    times(found, bench);
}

fn times(found: &mut Vec<Candidate>, bench: &mut Bench<'_, '_>) {
    let by_colon = |c: &Candidate| is_marked(c) && c.dialect.delimiter == b":";
    let Some(best) = found.first().filter(|c| by_colon(c) && c.quoted == 0).cloned() else { return };
    if found.iter().all(by_colon) || !bench.sample.filled().all(has_only_times) || names_reach(bench, &best) {
        return;
    }
    found.retain(|c| !by_colon(c));
}

/// Whether each colon of a line stands in a time of day, or in a time zone: behind one or two digits and before two, which are below 60.
fn has_only_times(line: &[u8]) -> bool {
    let digit = |at: Option<usize>| at.and_then(|at| line.get(at)).is_some_and(u8::is_ascii_digit);
    memchr::memchr_iter(b':', line).all(|at| {
        let before = (1..=3).take_while(|back| digit(at.checked_sub(*back))).count();
        let behind = (1..=3).take_while(|ahead| digit(Some(at + ahead))).count();
        (1..=2).contains(&before) && behind == 2 && line[at + 1] < b'6'
    })
}

/// Puts the first candidate that fits, compared with the best one, in its place.
fn lift(found: &mut Vec<Candidate>, fits: impl Fn(&Candidate, &Candidate) -> bool) {
    let Some(best) = found.first() else { return };
    if let Some(at) = found.iter().skip(1).position(|c| fits(best, c)) {
        let candidate = found.remove(at + 1);
        found.insert(0, candidate);
    }
}

fn is_marked(candidate: &Candidate) -> bool {
    matches!(candidate.form, Form::Delimited { .. })
}

/// Whether nearly all records hold a mark equally often, which values hardly do.
fn is_steady(candidate: &Candidate, lexicon: &Lexicon) -> bool {
    !candidate.dialect.is_blank_delimited()
        && !is_of_values(candidate, lexicon)
        && candidate.even * 100 >= candidate.kept() * 95
        && candidate.even * 10 >= candidate.records * 8
}

fn quotes(found: &mut Vec<Candidate>, bench: &mut Bench<'_, '_>) {
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
    lift(found, |best, c| {
        is_marked(best)
            && is_marked(c)
            && best.quoted == 0
            && c.quoted > 0
            && c.bad_quotes == 0
            && c.dialect.delimiter == best.dialect.delimiter
            && c.bits < 1.03 * best.bits
    });
}

fn names(found: &mut Vec<Candidate>, bench: &mut Bench<'_, '_>) {
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
}

fn marks(found: &mut Vec<Candidate>, lexicon: &Lexicon) {
    lift(found, |best, c| {
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
                let even = c.even * 50 >= c.kept() * 49 && c.even * 10 >= c.records * 6;
                matches!(c.form, Form::Delimited { rank: 6 }) && even && c.even >= 8
            }
    });
    // Tabs that stand around each mark are part of it.
    lift(found, |best, c| {
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
    lift(found, |best, c| {
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
    lift(found, |best, c| {
        matches!(best.form, Form::Delimited { rank } if rank < 5)
            && c.dialect.delimiter == b"\t"
            && !c.dialect.runs_as_one
            && c.evenness() >= 1.0
            && c.even >= 5
            && best.evenness() < 1.0
            && c.bits < 1.4 * best.bits
    });
    // No chance gives nearly all records the same mark three times and more; decimal commas come once a record.
    lift(found, |best, c| {
        is_marked(best)
            && best.width * 2 <= c.width
            && is_marked(c)
            && c.width >= 4
            && c.even >= 4
            && is_steady(c, lexicon)
            && c.bits < 1.1 * best.bits
    });
    // Nor does it divide whole lines into numbers, dates or codes, line by line, just so.
    lift(found, |best, c| {
        (best.form == Form::Whole || best.form == Form::Aligned { two: false, rest: true })
            && is_marked(c)
            && c.width >= 3
            && c.even >= 8
            && is_steady(c, lexicon)
            && c.bits < 1.1 * best.bits
            && c.columns.iter().any(|column| is_typed(column, lexicon))
    });
    // Tabs that give all records the same width are one each, also where those behind the last value stand together.
    lift(found, |best, c| {
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
}

fn blanks_and_labels(found: &mut Vec<Candidate>, lexicon: &Lexicon) {
    lift(found, |best, c| {
        best.form == Form::Aligned { two: false, rest: false }
            && matches!(c.form, Form::Aligned { two: true, .. })
            && c.width >= 3
            && c.width + 2 >= best.width
            && c.bits < 1.05 * best.bits
    });
    // Labels say what values are; lines of a cycle, and runs of blanks, only where they stand.
    lift(found, |best, c| {
        let labelled =
            |c: &Candidate| matches!(c.dialect.division, Division::Multiline(Multiline::Labelled { .. }));
        let weak =
            matches!(best.form, Form::Multiline | Form::Whole | Form::Aligned { .. } | Form::Fixed { .. });
        let own = match best.form {
            Form::Multiline if c.evenness() >= 0.9 && leaves_labels(best, lexicon) => 1.5,
            Form::Multiline => 1.1,
            _ => 1.05,
        };
        weak && !labelled(best) && labelled(c) && c.even >= 3 && c.bits < own * best.bits
    });
    // A comma or semicolon that gives most records the same many fields is no accident, however few records there are.
    lift(found, |best, c| {
        !is_marked(best)
            && matches!(c.form, Form::Delimited { rank: 4 })
            && c.width >= 8
            && c.even >= 3
            && c.even * 2 >= c.records
            && c.bits < 1.15 * best.bits
    });
}

fn starts(found: &mut Vec<Candidate>) {
    // A rule with a part below each name says where columns are, also where most of a column is empty.
    lift(found, |best, c| {
        let lined_up = matches!(best.form, Form::Fixed { ruled: false, .. } | Form::Aligned { .. });
        lined_up
            && matches!(c.form, Form::Fixed { ruled: true, touching: 0, .. })
            && best.width < c.width
            && c.bits < 1.3 * best.bits
    });
    // Nor does anyone draw a rule with parts below the words of a list.
    lift(found, |best, c| {
        matches!(best.form, Form::Whole | Form::Multiline)
            && matches!(c.form, Form::Fixed { ruled: true, touching: 0, .. })
            && c.evenness() >= 0.9
            && c.bits < 2.0 * best.bits
    });
    // Starts with a name each beat those that names do not confirm, if both cost nearly the same.
    lift(found, |best, c| {
        matches!(best.form, Form::Fixed { matched: false, touching: 0, ruled: false, .. })
            && matches!(c.form, Form::Fixed { matched: true, touching: 0, .. })
            && c.evenness() >= 0.98
            && c.bits < 1.02 * best.bits
    });
    // Where columns may touch, blanks or marks that divide all lines evenly must be beaten by more than a little.
    lift(found, |best, c| {
        let touches = |c: &Candidate| matches!(c.form, Form::Fixed { touching: 1.., .. });
        touches(best)
            && !matches!(best.form, Form::Fixed { matched: true, .. })
            && !touches(c)
            && c.width >= 3
            && c.evenness() >= 0.98
            && best.bits > TOUCHING_SAVES * c.bits
    });
}

fn lists_and_tabs(found: &mut Vec<Candidate>, bench: &Bench<'_, '_>) {
    // A comma without a blank, several times in most lines, divides records of several types, however differently.
    let listed =
        bench.sample.filled().filter(|l| is_list(l)).count() * 3 >= bench.sample.filled().count() * 2;
    lift(found, |best, c| {
        listed && best.form == Form::Whole && matches!(c.form, Form::Delimited { rank: 4.. }) && c.width >= 5
    });
    // Tabs that line columns up stand in runs: counted one by one they would give each record another width.
    lift(found, |best, c| {
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
    // What is left of a line is a text, rather than columns of single words that many lines do not have.
    lift(found, |best, c| {
        matches!(best.form, Form::Aligned { two: false, rest: false })
            && best.evenness() < 0.85
            && matches!(c.form, Form::Aligned { rest: true, .. })
            && c.evenness() >= 0.98
            && c.width > 2
            && c.bits < 1.03 * best.bits
    });
    // Several blanks inside most values of a column are where someone divided by hand, once with tabs, once with blanks.
    let holds_runs = |c: &Candidate| {
        let has_run = |id: u32| bench.lexicon.text(id).contains("  ");
        c.columns.iter().any(|column| column.filled() > 2 && column.those(has_run) * 2 > column.filled())
    };
    lift(found, |best, c| {
        is_marked(best)
            && best.dialect.delimiter == b"\t"
            && matches!(c.form, Form::Aligned { two: false, rest: false })
            && c.evenness() >= 1.0
            && c.width > best.width
            && c.bits < 1.3 * best.bits
            && holds_runs(best)
    });
}

fn lined_up(found: &mut Vec<Candidate>, bench: &Bench<'_, '_>) {
    let filled = bench.sample.filled().count();
    let spread =
        bench.sample.filled().filter(|l| memchr::memmem::find(l.trim_ascii(), b"  ").is_some()).count();
    if spread * 10 > filled * 3 {
        // A column more that has its name is one, though it saves nothing.
        lift(found, |best, c| {
            let Form::Fixed { matched: false, ruled: false, .. } = best.form else { return false };
            let Form::Fixed { matched: true, touching: 0, .. } = c.form else { return false };
            c.evenness() >= 0.98 && c.width > best.width && c.bits < 1.15 * best.bits
        });
        // Starts that say the same go before those that say something else.
        lift(found, |best, c| {
            let Form::Fixed { matched, touching, .. } = c.form else { return false };
            let confirmed = matched && touching == 0 && c.evenness() >= 0.98;
            best.is_aligned() && confirmed && c.width == best.width && c.bits < 1.06 * best.bits
        });
        lift(found, |best, c| {
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

/// Whether the values of most columns begin with a label each, always the same one: `Berth: 007` in all of them.
fn leaves_labels(candidate: &Candidate, lexicon: &Lexicon) -> bool {
    let label_of = |id: u32| {
        let (label, _) = lexicon.text(id).split_once([':', '='])?;
        Some(label).filter(|label| !label.is_empty() && label.chars().count() <= MOST_OF_LABEL)
    };
    let labelled = candidate.columns.iter().filter(|column| {
        let label = column.values().find_map(|(id, _)| label_of(id));
        let alike = || column.those(|id| label_of(id) == label) == column.filled();
        label.is_some() && column.different() >= 3 && alike()
    });
    // Or each label is a column of its own, which always says the same.
    let is_word = |id: u32| lexicon.get(id).sort.is_words();
    let said = candidate.columns.iter().filter(|c| c.different() == 1 && c.those(is_word) == c.count());
    labelled.count() * 2 > candidate.columns.len() || said.count() * 2 >= candidate.columns.len()
}

/// Whether a line holds at least four commas or semicolons, hardly one of them followed by a blank.
fn is_list(line: &[u8]) -> bool {
    [b',', b';'].into_iter().any(|mark| {
        let marks = memchr::memchr_iter(mark, line).count();
        marks >= 4 && memchr::memmem::find_iter(line, &[mark, b' ']).count() * 5 < marks
    })
}

/// Whether nine in ten values of a column are numbers, moments or codes.
fn is_typed(column: &Column, lexicon: &Lexicon) -> bool {
    let typed = column.those(|id| lexicon.get(id).sort.is_typed());
    column.filled() > 0 && typed * 10 >= column.filled() * 9
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
        let pairs = column.those(|id| is_pair(lexicon.text(id)));
        pairs > 0 && pairs * 2 >= column.filled()
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
