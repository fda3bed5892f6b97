//! When a layout could as well be another one, and what to do about it.

use super::candidates::fixed::placed::Placed;
use super::candidates::fixed::{glued, touching_date};
use super::candidates::{Candidate, Form};
use super::measure::column::Column;
use super::measure::lexicon::Lexicon;
use super::measure::sort::{Sort, sort_of};
use super::tally::Tally;
use super::{dialect_option, dialect_word, fixed};
use crate::record::{Division, Fixed, Multiline, Unit};
use crate::words::counted;

/// Why the layout should be looked at before its table is used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LayoutDoubt {
    /// Another layout explains the lines nearly as well: [`Layout::dialect`](super::Layout::dialect) holds it as the runner-up.
    RunnerUp,
    /// Most lines run across these starts (from 1) without a blank: only habits of the values show that columns touch there.
    ColumnsTouch(Vec<usize>),
    /// In most lines a number and a word touch at this place (from 1), where no column starts.
    MayTouch(usize),
    /// In nearly all lines a date touches what stands beside it at these places (from 1), where no columns start.
    DateTouches(Vec<usize>),
    /// Columns are set off by blanks that no names, and no rule, confirm.
    Unnamed,
    /// Runs of blanks divide the lines, but the values keep to no places.
    RunsOfBlanks,
    /// So many of the records looked at have the usual number of fields, and so many others have not.
    Uneven(usize, usize),
    /// Records that the same mark divides, but so many of them into so many fields, and so many others into others: there may be two tables.
    TwoWidths([usize; 2], [usize; 2]),
    /// The line before the first record (from 1) holds words that could be the names of the columns.
    NamesAbove(u64),
    /// A column starts inside a name: the name, and the place (from 1).
    NameCut(String, usize),
    /// Two names, or more, stand above this column (from 1), two blanks apart.
    SeveralNames(usize, String),
    /// Nearly all values of this column (from 1) hold several values with blanks between them, such as this one.
    SeveralValues(usize, String),
    /// Nearly all values of this column (from 1) end with this word: the name of what follows them.
    NameBehind(usize, String),
    /// The values of so many columns begin with the same words each, such as these of this column (from 1): labels that were kept.
    LabelsKept(usize, usize, String),
    /// Each line is one value, but the sorts of the values come back after this many lines.
    Cycle(usize),
    /// So few records are there that another division would explain them as well.
    FewRecords(usize),
    /// Lines begin with these record types, each of which has fields of its own: all are kept as records.
    RecordTypes(Vec<String>),
    /// The lines are those of a printed report: those that are no records are set aside.
    Report,
    /// The text is no table, but something else: each line is kept as one value.
    NoTable(&'static str),
}

/// Records below which a layout rests on too little.
const FEW: usize = 4;

/// How far, as a share of the best price, the next different layout must be for each sort of layout. The figures come from
/// generated files: below them about one reading in three is wrong, above them one in thirty.
fn distance(form: Form) -> f64 {
    match form {
        // Names over each column, and marks that values hardly ever hold, settle it.
        Form::Fixed { matched: true, .. } | Form::Delimited { rank: 5.. } => f64::NEG_INFINITY,
        Form::Delimited { .. } | Form::Whole => 0.04,
        Form::Fixed { .. } => 0.1,
        Form::Aligned { .. } => 0.15,
        Form::Multiline => 0.03,
    }
}

/// What is doubtful about the best layout. `rival`: the next one that would give other columns; `lines`: the lines looked at.
pub(super) fn about(
    best: &Candidate,
    rival: Option<&Candidate>,
    lines: &[&[u8]],
    is_named: bool,
) -> Option<LayoutDoubt> {
    if let (Form::Fixed { touching: 1.., .. }, Division::Fixed(layout)) = (best.form, &best.dialect.division)
    {
        return Some(LayoutDoubt::ColumnsTouch(fixed::from_one(&layout.starts)));
    }
    let fixed = best.dialect.division.fixed();
    if matches!(best.form, Form::Fixed { .. } | Form::Whole | Form::Aligned { .. }) && best.bad_quotes == 0 {
        let (starts, unit) = fixed.map_or((&[][..], Unit::Characters), |f| (&f.starts[..], f.unit));
        if let Some(place) = glued(lines, starts, unit) {
            return Some(LayoutDoubt::MayTouch(place + 1));
        }
    }
    let is_line = best.form != Form::Multiline && !(is_named && matches!(best.form, Form::Delimited { .. }));
    if is_line && best.bad_quotes == 0 {
        let (starts, unit) = fixed.map_or((&[][..], Unit::Characters), |f| (&f.starts[..], f.unit));
        let edges = touching_date(lines, starts, unit);
        if !edges.is_empty() {
            return Some(LayoutDoubt::DateTouches(fixed::from_one(&edges)));
        }
    }
    // A colon that stands between two digits wherever it stands is part of times.
    if best.dialect.division == Division::Delimited && best.dialect.delimiter == *b":" && are_in_times(lines)
    {
        return Some(LayoutDoubt::RunnerUp);
    }
    // Names settle nothing where values run across the starts.
    let crossed = best.records.saturating_sub(best.even) * 20 > best.records;
    if matches!(best.form, Form::Fixed { matched: true, .. }) && crossed {
        return Some(LayoutDoubt::Unnamed);
    }
    if best.form == Form::Whole
        && let Some(cycle) = cycle(lines)
    {
        return Some(LayoutDoubt::Cycle(cycle));
    }
    if best.width < 2 && rival.is_none() {
        return None;
    }
    // A mark that divides most lines otherwise than the usual ones may be no delimiter at all.
    let kept = best.kept();
    if matches!(best.form, Form::Delimited { .. } | Form::Aligned { .. }) && best.even * 10 < kept * 8 {
        return Some(LayoutDoubt::Uneven(best.even, kept - best.even));
    }
    // A mark that divides the names and all records alike, where no other mark does, leaves no doubt, however few they are.
    let strong = |c: &Candidate| {
        matches!(c.form, Form::Delimited { rank: 4.. })
            && c.evenness() >= 0.98
            && c.bad_quotes == 0
            && c.even >= 1
    };
    if is_named && strong(best) && !rival.is_some_and(strong) {
        return None;
    }
    // Labels that nearly all lines have explain what else would be counted.
    let labelled =
        |c: &Candidate| matches!(c.dialect.division, Division::Multiline(Multiline::Labelled { .. }));
    if labelled(best)
        && best.even >= FEW
        && best.even * 10 >= best.records * 8
        && rival.is_some_and(|r| r.form == Form::Multiline && !labelled(r))
    {
        return None;
    }
    // Gutters that all lines keep to are no blanks between words.
    if let (Form::Fixed { touching: 0, .. }, Some(layout)) = (best.form, fixed)
        && best.width > 2
        && best.evenness() >= 1.0
        && best.records >= GUTTERED
        && are_gutters(lines, layout)
    {
        return None;
    }
    let near = rival.is_some_and(|r| r.bits - best.bits < distance(best.form) * best.bits.abs());
    let per_line = rival.map_or(f64::INFINITY, |r| (r.bits - best.bits) / lines.len().max(1) as f64);
    match best.form {
        Form::Fixed { matched: false, .. } if near => Some(LayoutDoubt::Unnamed),
        Form::Aligned { .. } if near => Some(LayoutDoubt::RunsOfBlanks),
        _ if near => Some(match rival.filter(|rival| rival.has_other_width(best)) {
            Some(rival) => LayoutDoubt::TwoWidths([best.even, best.width], [rival.even, rival.width]),
            None => LayoutDoubt::RunnerUp,
        }),
        // Few records are enough where each pays for another division by far.
        _ if labelled(best) => None,
        _ if best.even < FEW && best.width > 1 && per_line < 12.0 => Some(LayoutDoubt::FewRecords(best.even)),
        _ => None,
    }
}

/// Records from which on blanks that all share are no chance.
const GUTTERED: usize = 8;

/// Whether two blanks stand together in nearly all lines wherever a column starts: before it, or, where values stand at the right, behind.
fn are_gutters(lines: &[&[u8]], layout: &Fixed) -> bool {
    let placed: Vec<Placed> = lines.iter().map(|line| Placed::new(line, layout.unit)).collect();
    let is_gutter = |start: &usize| {
        (start.saturating_sub(2)..=*start).any(|from| {
            let is_blank = |line: &&Placed| line.slice(from, from + 2).trim().is_empty();
            placed.iter().filter(is_blank).count() * 20 >= placed.len() * 19
        })
    };
    layout.starts[1..].iter().all(is_gutter)
}

/// After how many lines the sorts of lines come back: of nearly all of them, five times and more.
fn cycle(lines: &[&[u8]]) -> Option<usize> {
    // Words and texts differ from record to record.
    let kind =
        |line: &&[u8]| Some(sort_of(String::from_utf8_lossy(line).trim())).filter(|sort| sort.is_typed());
    let kinds: Vec<Option<Sort>> = lines.iter().map(kind).collect();
    let usual = |step: usize, from: usize| -> usize {
        let tally: Tally<Option<Sort>> = kinds.iter().skip(from).step_by(step).copied().collect();
        tally.top().map_or(0, |(_, count)| count)
    };
    let whole = usual(1, 0);
    let comes_back = |step: &usize| {
        let fitting: usize = (0..*step).map(|from| usual(*step, from)).sum();
        // A value may be missing, or look like one of another sort.
        fitting * 100 >= kinds.len() * 85 && (fitting - whole) * 100 >= kinds.len() * 20
    };
    (2..=MOST_IN_CYCLE.min(lines.len() / 5)).find(comes_back)
}

/// Lines of a cycle at most.
const MOST_IN_CYCLE: usize = 12;

/// The first name that a start cuts, in the line of the names.
pub(super) fn cut_name(best: &Candidate, names: &[u8]) -> Option<LayoutDoubt> {
    let Form::Fixed { touching: 0, ruled: false, .. } = best.form else { return None };
    let layout = best.dialect.division.fixed()?;
    let line = Placed::new(names, layout.unit);
    // Names that touch begin with a capital each.
    let start = *layout.starts.iter().find(|start| line.crosses(**start) && !line.begins_word(**start))?;
    let before = line.slice(0, start).rsplit(' ').next().unwrap_or_default();
    let behind = line.slice(start, line.len()).split(' ').next().unwrap_or_default();
    let word = format!("{before}{behind}");
    Some(LayoutDoubt::NameCut(word, start + 1))
}

/// The first column with a name that has two blanks inside, where no rule says that it is one.
pub(super) fn several_names(best: &Candidate, names: &[String]) -> Option<LayoutDoubt> {
    let Form::Fixed { ruled: false, .. } = best.form else { return None };
    let at = names.iter().position(|name| name.trim().contains("  "))?;
    Some(LayoutDoubt::SeveralNames(
        at + 1,
        names[at].split_whitespace().collect::<Vec<_>>().join(" \u{2026} "),
    ))
}

/// The first column whose values are several each: parts between blanks, as many in nearly all, two of them numbers, dates or
/// codes.
pub(super) fn several_values(best: &Candidate, lexicon: &Lexicon) -> Option<LayoutDoubt> {
    if !matches!(best.form, Form::Multiline | Form::Fixed { .. }) {
        return None;
    }
    best.columns.iter().enumerate().find_map(|(at, column)| {
        let several = |id: u32| lexicon.get(id).sort == Sort::Text && are_several(lexicon.text(id));
        let mut counts: Tally<usize> = Tally::default();
        for (id, count) in column.values() {
            let parts = lexicon.text(id).split_whitespace().count();
            (0..count).for_each(|_| counts.add(parts));
        }
        let all = column.filled();
        let alike = counts.top().map_or(0, |top| top.1) * 20 >= all as usize * 19;
        let is_so = all >= 5 && alike && column.those(several) * 20 >= all * 17;
        // The first one that was met.
        let example = column.values().map(|(id, _)| id).filter(|id| several(*id)).min()?;
        is_so.then(|| LayoutDoubt::SeveralValues(at + 1, lexicon.text(example).to_owned()))
    })
}

/// The first column whose values end with the name of the next one: `call=000117 berth=007`, divided by `=`.
pub(super) fn name_behind(best: &Candidate, lexicon: &Lexicon) -> Option<LayoutDoubt> {
    if !matches!(best.dialect.delimiter.trim_ascii(), b"=" | b":") {
        return None;
    }
    // The last one has nothing behind it.
    let mut columns = best.columns.iter().enumerate().take(best.columns.len().saturating_sub(1));
    columns.find_map(|(at, column)| {
        let parts =
            |id: u32| lexicon.text(id).rsplit_once(' ').filter(|(before, _)| !before.trim().is_empty());
        let mut words: Tally<&str> = Tally::default();
        for (id, count) in column.values() {
            if let Some((_, word)) = parts(id) {
                (0..count).for_each(|_| words.add(word));
            }
        }
        let (word, often) = words.top()?;
        let is_name = word.starts_with(char::is_alphabetic) && !word.contains(|c: char| c.is_ascii_digit());
        let others = column.values().filter(|(id, _)| parts(*id).is_some_and(|(_, w)| w == *word)).count();
        let is_so = is_name && others >= 3 && often * 20 >= column.filled() as usize * 19;
        is_so.then(|| LayoutDoubt::NameBehind(at + 1, (*word).to_owned()))
    })
}

/// Labels that the values of a record of several lines keep: in half of the columns they begin with the same words each.
pub(super) fn labels_kept(best: &Candidate, lexicon: &Lexicon) -> Option<LayoutDoubt> {
    let Division::Multiline(Multiline::Cycle { .. }) = best.dialect.division else { return None };
    let label_of = |column: &Column| -> Option<String> {
        let mut values = column.values().map(|(id, _)| lexicon.text(id)).filter(|text| !text.is_empty());
        let first = values.next()?;
        let mut end = first.len();
        let mut others = 0;
        for text in values {
            let alike = first.char_indices().zip(text.chars()).find(|((_, a), b)| a != b);
            end = end.min(alike.map_or(first.len().min(text.len()), |((at, _), _)| at));
            others += 1;
        }
        // Up to the last mark that may stand behind a label.
        let label = first[..end].rfind([':', '=', ' ']).map(|at| &first[..=at])?;
        (others >= 2 && label.contains(char::is_alphabetic)).then(|| label.trim().to_owned())
    };
    let filled = best.columns.iter().filter(|c| c.filled() > 0 && c.different() > 1).count();
    let mut labels = best.columns.iter().enumerate().filter_map(|(at, c)| Some((at + 1, label_of(c)?)));
    let (at, label) = labels.next()?;
    let count = 1 + labels.count();
    (count >= 2 && count * 2 >= filled).then_some(LayoutDoubt::LabelsKept(count, at, label))
}

/// Whether a text is several values: three parts or more between blanks, two of them values by themselves, and not the groups of
/// one number.
fn are_several(text: &str) -> bool {
    let parts: Vec<&str> = text.split_whitespace().collect();
    let of_equal_length = parts.windows(2).rev().skip(1).all(|pair| pair[0].len() == pair[1].len());
    // Digits alone, however set apart, are a telephone number.
    let has_more = |part: &&str| part.contains(|c: char| c.is_alphabetic() || matches!(c, '.' | ',' | ':'));
    let values = parts.iter().filter(|part| is_value(part));
    let is_more = values.clone().any(|part| has_more(part) || sort_of(part) == Sort::Moment);
    parts.len() > 2 && values.count() >= 2 && !of_equal_length && is_more
}

/// Whether a part of a value is one by itself: a number with decimals, a date, a code of letters and digits.
fn is_value(part: &str) -> bool {
    let digits = part.bytes().filter(u8::is_ascii_digit).count();
    let letters = part.chars().any(char::is_alphabetic);
    match sort_of(part) {
        Sort::Moment => true,
        Sort::Number => digits > 0 && !letters,
        Sort::Code => digits > 0,
        _ => false,
    }
}

/// Whether nearly every colon stands between two digits.
fn are_in_times(lines: &[&[u8]]) -> bool {
    let (mut inside, mut all) = (0, 0);
    for line in lines {
        for at in memchr::memchr_iter(b':', line) {
            let digit = |at: Option<usize>| at.and_then(|at| line.get(at)).is_some_and(u8::is_ascii_digit);
            inside += usize::from(digit(at.checked_sub(1)) && digit(Some(at + 1)));
            all += 1;
        }
    }
    inside * 10 >= all * 9
}

impl LayoutDoubt {
    /// What it is and what to type, in one sentence.
    pub(crate) fn message(&self, layout: &super::Layout) -> String {
        let rival = layout.dialect.runner_up.as_ref();
        let other = rival.map_or_else(String::new, |r| {
            format!("; {} would be {}", dialect_word(&r.value), dialect_option(&r.value))
        });
        match self {
            Self::RunnerUp => match rival {
                Some(rival) => format!(
                    "{} would explain the lines nearly as well; if the preview looks wrong, say {}",
                    dialect_word(&rival.value),
                    dialect_option(&rival.value)
                ),
                None => "the lines could be divided in another way; look at the preview".into(),
            },
            Self::ColumnsTouch(starts) => {
                let unit = match layout.dialect.value.division.fixed().map(|f| f.unit) {
                    Some(Unit::Characters) | None => "",
                    Some(_) => " (in bytes)",
                };
                let list: Vec<String> = starts.iter().map(usize::to_string).collect();
                format!(
                    "the columns touch: no space divides them at some of the starts {}{unit}, which are derived from the values alone; compare them with incola inspect --raw, then use --add-start, --drop-start or --move-start",
                    list.join(",")
                )
            }
            Self::MayTouch(place) => {
                let option = if layout.dialect.value.division.fixed().is_some() { "--add-start" } else { "--starts 1," };
                let gap = if option.ends_with(',') { "" } else { " " };
                format!(
                    "in most lines a number and a word touch at position {place}: two columns may meet there; if so, say {option}{gap}{place}"
                )
            }
            Self::DateTouches(places) => {
                let list: Vec<String> = places.iter().map(usize::to_string).collect();
                let option = if layout.dialect.value.division.fixed().is_some() {
                    format!("--add-start {}", list.join(" --add-start "))
                } else {
                    format!("--starts 1,{}", list.join(","))
                };
                format!(
                    "in nearly all lines a date touches what stands beside it at position {}: columns may meet there; if so, say {option}",
                    list.join(" and ")
                )
            }
            Self::Unnamed => format!(
                "neither names nor a rule line confirm the columns, and the spaces between them could be elsewhere; look at the preview, then use --add-start, --drop-start or --starts{other}"
            ),
            Self::RunsOfBlanks => format!(
                "the values have no fixed positions, so runs of spaces divide them: a value with spaces inside is cut in two; look at the preview, or use --layout fixed{other}"
            ),
            Self::Uneven(even, others) => format!(
                "only {even} of {} lines have {} fields, the others more or fewer: look at the preview; --delimiter '' keeps each line whole{other}",
                even + others,
                layout.width
            ),
            Self::TwoWidths([even, width], [others, fields]) => format!(
                "{even} of the lines looked at have {}, {others} others have {fields}: look at them with incola inspect --raw; if these are two tables, read each by itself with --lines FROM..TO",
                counted(*width as u64, "field", "fields")
            ),
            Self::NamesAbove(line) => format!(
                "line {line} is set aside, but could hold the names of the columns; if it does, say --header {line}"
            ),
            Self::NameCut(name, place) => format!(
                "a column starts at position {place}, inside the name \u{201c}{name}\u{201d}: look at the preview; if the name is that of one column, say --drop-start {place} or --move-start"
            ),
            Self::SeveralNames(column, names) => format!(
                "\u{201c}{names}\u{201d} above column {column} may be several names: look at the preview; --add-start divides a column"
            ),
            Self::SeveralValues(column, example) => {
                let how = match &layout.dialect.value.division {
                    Division::Multiline(_) => "--starts, with a list for each line of a record",
                    _ => "--add-start",
                };
                format!(
                    "column {column} holds several values with spaces between them, such as \u{201c}{example}\u{201d}: to divide it, say {how}"
                )
            }
            Self::NameBehind(column, name) => format!(
                "the values of column {column} end with \u{201c}{name}\u{201d}, which names what follows: names and values take turns in the lines; --delimiter space keeps each name with its value"
            ),
            Self::LabelsKept(count, column, label) => format!(
                "the values of {count} columns begin with the same words each, such as \u{201c}{label}\u{201d} in column {column}: they may be names that are kept in the values; look at the preview, then use --rename and --divide"
            ),
            Self::Cycle(lines) => format!(
                "each line is read as one value, but their sorts come back after {lines} lines: if a record has {lines}, say --lines-per-record {lines}"
            ),
            Self::FewRecords(records) => format!(
                "only {} to tell the layout by; look at the preview{other}",
                crate::words::counted(*records as u64, "record is there", "records are there")
            ),
            Self::RecordTypes(types) => format!(
                "lines begin with the record types {}, each with fields of its own: all are kept as records, under columns that mean something else for each; --comment {} leaves out the lines of one type",
                types.join(", "),
                types.last().map_or("", String::as_str)
            ),
            Self::Report => "the lines are those of a printed report: detail lines are the records, all others are set aside and listed; compare the number of records with the report's own, or say --layout fixed to keep every line".into(),
            Self::NoTable(what) => format!("this looks like {what}, which is not a table: each line is kept as one value"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Dialect;

    #[test]
    fn names_that_a_start_cuts_are_told() {
        let names = "No     Gross  Netto  Qty\u{e4} PriceUnit";
        for (start, expected) in
            [(7, None), (14, None), (17, Some("Netto")), (31, None), (24, Some("Qty\u{e4}"))]
        {
            let division = Division::Fixed(Fixed { starts: vec![0, start], ..Fixed::default() });
            let dialect = Dialect { division, ..Dialect::new("") };
            let form = Form::Fixed { named: true, matched: false, touching: 0, ruled: false };
            let best = Candidate { form, ..Candidate::unknown(dialect) };
            let found = cut_name(&best, names.as_bytes());
            assert_eq!(found, expected.map(|name| LayoutDoubt::NameCut(name.into(), start + 1)), "{start}");
        }
    }

    #[test]
    fn several_names_above_one_column_are_told() {
        let fixed = |ruled: bool| {
            let division = Division::Fixed(Fixed { starts: vec![0, 12], ..Fixed::default() });
            let form = Form::Fixed { named: true, matched: false, touching: 0, ruled };
            Candidate { form, ..Candidate::unknown(Dialect { division, ..Dialect::new("") }) }
        };
        let told = |best: &Candidate, names: [&str; 2]| several_names(best, &names.map(str::to_owned));
        let several = LayoutDoubt::SeveralNames(2, "S \u{2026} Net".into());
        assert_eq!(told(&fixed(false), ["Call no", "S   Net"]), Some(several));
        assert_eq!(told(&fixed(false), ["Call no", " Net  "]), None);
        assert_eq!(told(&fixed(true), ["Call no", "S   Net"]), None, "a rule says that it is one");
        let delimited = Candidate::unknown(Dialect::new(";"));
        assert_eq!(told(&delimited, ["Call no", "S   Net"]), None);
    }
}
