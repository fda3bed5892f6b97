//! Which line holds the names, and what stands before the data.

use super::trial::{Class, Row, Trial};
use super::{SetAside, lines};
use crate::kind;
use crate::kind::statistics::trim;
use crate::record::{Division, Machine, Multiline};

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
pub(super) struct Header {
    pub(super) line: Option<u64>,
    pub(super) why: String,
    pub(super) lines: u64,
    pub(super) units_line: Option<u64>,
    pub(super) names: Vec<String>,
    pub(super) units: Vec<String>,
    pub(super) preamble_lines: u64,
    pub(super) lines_before_data: u64,
    pub(super) set_aside: Vec<SetAside>,
}

/// Records below the header that are compared with it.
const COMPARED: usize = 100;

/// Rows of units or descriptions that may follow the names.
const UNITS_ROWS: usize = 3;

/// Finds the header in the head of the source, as the trial read it.
pub(super) fn find(head: &[u8], trial: &Trial, choice: &HeaderChoice) -> Header {
    let rows = &trial.rows;
    let mut header = Header::default();
    let mut first = first_of_table(head, trial);
    if let Division::Multiline(Multiline::Labelled { labels }) = &trial.dialect.division {
        header.names = labels.iter().map(|l| String::from_utf8_lossy(l).into_owned()).collect();
    }
    let names_at = match choice {
        HeaderChoice::None => {
            header.why = "stated: no header".into();
            None
        }
        HeaderChoice::Line(line) => {
            header.why = format!("stated: line {line}");
            let at = rows.iter().position(|r| r.line <= *line && *line < r.line + r.lines);
            first = at.map_or(first, |at| at + 1);
            at
        }
        HeaderChoice::Auto if !header.names.is_empty() => {
            header.why = "the labels are the names".into();
            None
        }
        HeaderChoice::Auto => {
            let (mut at, why) = names_row(head, trial, first);
            header.why = why;
            // Lines above records of several lines are a header if they are as many.
            if let Division::Multiline(Multiline::Cycle { lines, .. }) = &trial.dialect.division
                && at.is_some_and(|at| rows[at].lines != lines.len() as u64)
            {
                header.why = "the first block has another number of lines".into();
                at = None;
                first += 1;
            }
            // A remark that divides as records do by chance: words where they have numbers, and a blank line behind it.
            if at.is_none()
                && rows.get(first + 1).is_some_and(|r| r.gap > 0)
                && misses_types(head, trial, &rows[first])
            {
                first += 1;
                (at, header.why) = names_row(head, trial, first);
            }
            at
        }
    };
    let mut data = first;
    if let Some(at) = names_at {
        let mut row = rows[at];
        header.line = Some(row.line);
        header.names = narrow_names(head, trial, &row);
        data = at + 1;
        if *choice == HeaderChoice::Auto {
            let mut units = units_rows(head, trial, data);
            if units > 0 {
                let second = values(head, trial, &rows[data]);
                if is_second_line(&header.names, &second) {
                    header.names = joined(&header.names, &second);
                    (data, units) = (data + 1, units - 1);
                }
            }
            if units > 0 {
                header.units_line = Some(rows[data].line);
                header.units = values(head, trial, &rows[data]);
                data += units;
            }
            // Names that repeat are told apart by what stands above groups of them.
            let above = at.checked_sub(1).map(|above| &rows[above]);
            if let Some(above) = above.filter(|r| !distinct(&header.names) && row.gap == 0 && !r.is_cut)
                && above.fields == row.fields
            {
                let groups = values(head, trial, above);
                if groups.iter().all(|g| !Class::of(g.as_bytes()).is_typed()) {
                    header.names = joined(&groups, &header.names);
                    row = *above;
                    header.line = Some(row.line);
                }
            }
        }
        let next = rows.get(data - 1).map_or(row.line + row.lines, |r| r.line + r.lines);
        let rules = rows.get(data).filter(|r| r.gap == 0).map_or(0, |r| r.rules);
        header.lines = next - row.line + rules;
    }
    let first_data_line = rows.get(data).map(|r| r.line);
    let end = rows.last().map_or(1, |r| r.line + r.lines);
    header.preamble_lines = header.line.or(first_data_line).unwrap_or(1) - 1;
    header.lines_before_data = match (header.line, first_data_line) {
        (_, Some(line)) => line - 1,
        (Some(line), None) => line - 1 + header.lines,
        (None, None) => end - 1,
    };
    if header.preamble_lines > 0 {
        let why = if lines::stated_by_first_line(head).is_some() && header.preamble_lines == 1 {
            "states the delimiter"
        } else if header.line.is_some() {
            "before the header"
        } else {
            "before the first record"
        };
        header.set_aside.push(SetAside { line: 1, lines: header.preamble_lines, why });
    }
    header
}

/// Whether a row has words in most columns that are typed.
fn misses_types(head: &[u8], trial: &Trial, row: &Row) -> bool {
    let values = values(head, trial, row);
    let typed: Vec<usize> = trial.typed_columns.iter().enumerate().filter(|c| *c.1).map(|c| c.0).collect();
    let misses = typed.iter().filter(|i| {
        let class = values.get(**i).map_or(Class::Blank, |v| Class::of(v.as_bytes()));
        matches!(class, Class::Word | Class::Mixed)
    });
    misses.count() * 2 > typed.len()
}

fn values(head: &[u8], trial: &Trial, row: &Row) -> Vec<String> {
    let mut machine = Machine::new(&trial.dialect);
    machine.step(head, row.start, true);
    machine.fields(head).map(|f| String::from_utf8_lossy(trim(f).0).into_owned()).collect()
}

/// Whether the words below the names go on with them, and are no units: some columns have a name only there, or the words
/// are longer than units are.
fn is_second_line(names: &[String], below: &[String]) -> bool {
    let only_below =
        below.iter().enumerate().any(|(i, b)| !b.is_empty() && names.get(i).is_none_or(String::is_empty));
    let unit = |text: &String| text.is_empty() || text.chars().count() <= 6 || text.starts_with(['(', '[']);
    only_below || below.iter().filter(|b| !unit(b)).count() * 3 > below.len()
}

/// Names of two lines in one. Where the lower ones repeat, an upper one counts for the columns on its right as well, up to
/// the next: `Arrival` above `Date` and `Time`.
fn joined(upper: &[String], lower: &[String]) -> Vec<String> {
    let grouped = !distinct(lower);
    let mut group = "";
    (0..upper.len().max(lower.len()))
        .map(|i| {
            let own = upper.get(i).map_or("", String::as_str);
            let low = lower.get(i).map_or("", String::as_str);
            if !own.is_empty() || !grouped {
                group = own;
            }
            format!("{group} {low}").trim().to_owned()
        })
        .collect()
}

/// The first record that belongs to the table: titles that programs fill up with delimiters (`Port calls,,,`) do not.
fn first_of_table(head: &[u8], trial: &Trial) -> usize {
    let rows = &trial.rows;
    let stated = lines::stated_by_first_line(head).is_some();
    let mut first = trial.first.max(usize::from(stated));
    if trial.width >= 3 {
        let usual = typical_filled(&rows[first..]);
        while first + 1 < rows.len()
            && rows[first].filled <= 1
            && usual >= 3
            && rows[first + 1].fields == trial.width
        {
            first += 1;
        }
    }
    let filled_up = trial.dialect.division == Division::Delimited && !trial.dialect.is_blank_delimited();
    if first == trial.first && (filled_up || trial.dialect.delimiter == b"\t") {
        first = behind_headings(rows, first, typical_filled(&rows[first..]));
    }
    // A comment in front, set off by a blank line, may divide evenly by chance: its first fields are unlike the others.
    if first == trial.first
        && let Some(gap) = (first + 2..rows.len().min(first + 50)).rev().find(|i| rows[*i].gap > 0)
        && (rows.len() - gap) >= 2 * (gap - first)
    {
        let after = first_classes(head, trial, &rows[gap..]);
        let before = first_classes(head, trial, &rows[first..gap]);
        let common = (0..6).max_by_key(|c| after[*c]).unwrap_or(0);
        let total = |counts: &[usize]| counts[..6].iter().sum::<usize>().max(1);
        let unlike = after[common] * 10 >= total(&after) * 9 && before[common] * 10 < total(&before) * 3;
        let marked = before[6] == total(&before) && after[6] * 10 < total(&after);
        if unlike || marked {
            first = gap;
        }
    }
    // Names may be fewer than fields: `Berth,Dues` above records that end with a delimiter, or divided by blanks.
    let has_names = || names_row(head, trial, first).0.is_some();
    if first == trial.first && first > 0 && rows[first].gap == 0 && !has_names() {
        let names = narrow_names(head, trial, &rows[first - 1]);
        let typed = names.iter().any(|n| Class::of(n.as_bytes()).is_typed());
        let near = names.len() >= 2 && names.len() * 5 >= trial.width && names.len() <= rows[first].filled;
        // Several such lines are no header, but lines of another sort.
        let block = first > 1 && rows[first - 2].fields == rows[first - 1].fields && rows[first - 1].gap == 0;
        if near && !block && !typed && distinct(&names) && names.iter().filter(|n| n.is_empty()).count() < 2 {
            return first - 1;
        }
    }
    first
}

/// The first row behind headings whose values programs filled up with delimiters (`Carrier;Northern Line;;;`): rows that fill
/// few columns, up to a blank line, or up to a row that fills all.
fn behind_headings(rows: &[Row], first: usize, usual: usize) -> usize {
    let near = &rows[first..rows.len().min(first + 30)];
    let partly = near.iter().take_while(|r| r.filled < usual).count();
    let Some(next) = near.get(partly).filter(|_| partly > 0 && usual >= 3) else { return first };
    let set_off = next.gap > 0 || near[partly - 1].filled == 0;
    let few = near[..partly].iter().all(|r| r.filled <= 2) && usual >= 5;
    if set_off || few { first + partly } else { first }
}

/// How often each class stands first in a record; behind them, how often a mark does.
fn first_classes(head: &[u8], trial: &Trial, rows: &[Row]) -> [usize; 7] {
    let mut machine = Machine::new(&trial.dialect);
    let mut counts = [0; 7];
    for row in rows.iter().take(COMPARED) {
        machine.step(head, row.start, true);
        let field = trim(machine.field(head, 0)).0;
        counts[Class::of(field) as usize] += 1;
        counts[6] += usize::from(field.first().is_some_and(u8::is_ascii_punctuation));
    }
    counts
}

/// The names in a row that has fewer fields than the records: those of a single field are divided by blanks, if that
/// makes as many as there are columns.
fn narrow_names(head: &[u8], trial: &Trial, row: &Row) -> Vec<String> {
    let names = values(head, trial, row);
    let line = if row.is_cut {
        // Names that are wider than their columns: the line as a whole.
        String::from_utf8_lossy(&head[row.start..row.next]).trim().to_owned()
    } else {
        match names.as_slice() {
            [only] => only.clone(),
            _ => return names,
        }
    };
    let spread: Vec<String> = line
        .split("  ")
        .flat_map(|part| part.split('\t'))
        .map(|part| part.trim().to_owned())
        .filter(|part| !part.is_empty())
        .collect();
    let words: Vec<String> = line.split_whitespace().map(str::to_owned).collect();
    let fitting = [spread, words].into_iter().find(|w| w.len() == trial.width);
    fitting.unwrap_or_else(|| if row.is_cut { vec![line] } else { names })
}

fn typical_filled(rows: &[Row]) -> usize {
    let mut filled: Vec<usize> = rows.iter().take(COMPARED).map(|r| r.filled).collect();
    filled.sort_unstable();
    filled.get(filled.len() / 2).copied().unwrap_or(0)
}

fn distinct(names: &[String]) -> bool {
    let mut sorted: Vec<String> = names.iter().filter(|n| !n.is_empty()).map(|n| n.to_lowercase()).collect();
    let count = sorted.len();
    sorted.sort_unstable();
    sorted.dedup();
    sorted.len() == count
}

/// Whether record `at` holds names, and why: it is unlike the columns below it.
fn names_row(head: &[u8], trial: &Trial, at: usize) -> (Option<usize>, String) {
    let Some(row) = trial.rows.get(at) else { return (None, "there is no record".into()) };
    let names = narrow_names(head, trial, row);
    if names.iter().all(String::is_empty) {
        return (None, "the first record is blank".into());
    }
    // Units between the names and the records would blur what the records are.
    let skipped = 1 + units_rows(head, trial, at + 1);
    let below: Vec<&Row> = trial.rows[at + skipped..]
        .iter()
        .filter(|r| r.fields >= 2 || trial.width < 2)
        .take(COMPARED)
        .collect();
    let has_typed_name = names.iter().any(|n| Class::of(n.as_bytes()).is_typed());
    if below.is_empty() {
        let alone =
            !has_typed_name && distinct(&names) && names.iter().all(|n| !n.is_empty()) && names.len() > 1;
        let why = if alone { "the only record holds words alone" } else { "there is only one record" };
        return (alone.then_some(at), why.into());
    }
    let columns: Vec<Below> = (0..names.len()).map(|_| Below::default()).collect();
    let columns = compare(head, trial, &below, columns);
    let (mut points, mut unlike, mut like) = (0.0, 0, 0);
    for (name, column) in names.iter().zip(&columns) {
        let speaks = column.unlike(name);
        points += speaks;
        unlike += usize::from(speaks > 0.0);
        like += usize::from(speaks < 0.0);
    }
    let filled = names.iter().filter(|n| !n.is_empty()).count();
    if filled < 2 && trial.width > 2 {
        return (None, format!("line {} fills one column only", row.line));
    }
    if row.is_cut && names.len() != trial.width {
        return (None, format!("line {} does not keep to the columns", row.line));
    }
    // No cell, and no table column, has a name of more than 255 characters.
    if names.iter().any(|n| n.len() > 255) {
        return (None, format!("line {} is too long for names", row.line));
    }
    // Names differ from each other; a record may well repeat a value.
    if filled > 1 && !distinct(&names) {
        points -= 0.5;
    }
    let usual = names.iter().filter(|n| kind::name::is_usual(n)).count();
    if usual * 2 >= filled && !has_typed_name {
        points += 0.4;
    }
    if filled * 2 < names.len() {
        points -= 0.5;
    }
    if points > 0.35 {
        let why = if unlike == 0 {
            format!("{usual} of {} fields hold words that usually name columns", names.len())
        } else {
            format!("{unlike} of {} fields are unlike the values below them", names.len())
        };
        (Some(at), why)
    } else {
        let why =
            format!("line {} is like the records below it in {like} of {} fields", row.line, names.len());
        (None, why)
    }
}

/// What the values below a field have in common.
#[derive(Clone, Debug, Default)]
struct Below {
    classes: [usize; 6],
    filled: usize,
    shortest: usize,
    longest: usize,
    capitals: usize,
}

fn compare(head: &[u8], trial: &Trial, below: &[&Row], mut columns: Vec<Below>) -> Vec<Below> {
    let mut machine = Machine::new(&trial.dialect);
    for row in below {
        machine.step(head, row.start, true);
        for (i, column) in columns.iter_mut().enumerate() {
            let (value, _) = trim(machine.field(head, i));
            let class = Class::of(value);
            column.classes[class as usize] += 1;
            if class == Class::Blank {
                continue;
            }
            let length = String::from_utf8_lossy(value).chars().count();
            column.shortest = if column.filled == 0 { length } else { column.shortest.min(length) };
            column.longest = column.longest.max(length);
            column.filled += 1;
            column.capitals += usize::from(value.iter().all(|b| !b.is_ascii_lowercase()));
        }
    }
    columns
}

impl Below {
    /// How far `name` differs from the values below it: above 0 it looks like a name.
    fn unlike(&self, name: &str) -> f64 {
        let class = Class::of(name.as_bytes());
        if self.filled == 0 || class == Class::Blank {
            return 0.0;
        }
        let typed = self.classes[Class::Number as usize]
            + self.classes[Class::Digits as usize]
            + self.classes[Class::Moment as usize];
        let mostly_typed = typed * 10 >= self.filled * 8;
        let length = name.chars().count();
        if mostly_typed {
            return match class {
                Class::Word => 1.0,
                Class::Mixed => 0.8,
                // Years stand above columns of amounts.
                Class::Number if is_year(name) && self.shortest != 4 => 0.2,
                _ => -1.0,
            };
        }
        if class.is_typed() {
            return -0.5;
        }
        // Text above text: values of one length, or in capitals throughout, differ from names that are not.
        let codes = self.filled >= 2 && self.shortest == self.longest;
        let digits_below = self.classes[Class::Mixed as usize] * 10 >= self.filled * 8;
        let lower = name.chars().any(char::is_lowercase);
        if codes {
            return if length != self.longest {
                0.6
            } else if digits_below && class == Class::Word {
                0.5
            } else {
                -0.5
            };
        }
        if digits_below {
            return if class == Class::Word { 0.5 } else { -0.4 };
        }
        if self.capitals == self.filled && lower && self.filled >= 3 {
            return 0.4;
        }
        if length * 4 < self.shortest || (self.longest > 40 && length * 3 < self.longest && length < 40) {
            return 0.2;
        }
        if length > 2 * self.longest + 10 { -0.2 } else { 0.0 }
    }
}

fn is_year(name: &str) -> bool {
    name.len() == 4 && name.parse().is_ok_and(|y: u16| (1800..=2200).contains(&y))
}

/// How many rows below the names hold units or descriptions: no value like those of the columns, at least one word.
fn units_rows(head: &[u8], trial: &Trial, from: usize) -> usize {
    let rows = &trial.rows;
    let sample: Vec<&Row> = rows.iter().skip(from + UNITS_ROWS).take(COMPARED).collect();
    if sample.len() < 3 && rows.len() < from + 3 {
        return 0;
    }
    let start = from + UNITS_ROWS.min(rows.len().saturating_sub(from + 2));
    let sample: Vec<&Row> =
        if sample.len() < 3 { rows.iter().skip(start.max(from + 1)).collect() } else { sample };
    let columns = compare(head, trial, &sample, vec![Below::default(); trial.width]);
    let typed: Vec<usize> = (0..trial.width)
        .filter(|i| {
            let c = &columns[*i];
            c.filled > 0
                && (c.classes[Class::Number as usize] + c.classes[Class::Moment as usize]) * 10
                    >= c.filled * 9
        })
        .collect();
    if typed.is_empty() {
        return 0;
    }
    let mut machine = Machine::new(&trial.dialect);
    rows[from..]
        .iter()
        .take(UNITS_ROWS)
        .take_while(|row| {
            machine.step(head, row.start, true);
            let classes: Vec<Class> = typed.iter().map(|i| Class::of(machine.field(head, *i))).collect();
            let words = classes.iter().filter(|c| matches!(c, Class::Word | Class::Mixed)).count();
            // Words for missing values are no units.
            let missing = typed.iter().filter(|i| is_missing(machine.field(head, **i))).count();
            words > missing && !classes.iter().any(|c| c.is_typed())
        })
        .count()
}

fn is_missing(field: &[u8]) -> bool {
    let value = trim(field).0.to_ascii_lowercase();
    matches!(
        value.as_slice(),
        b"na" | b"n/a" | b"nan" | b"null" | b"none" | b"-" | b"--" | b"." | b"?" | b"nil" | b"*"
    )
}
