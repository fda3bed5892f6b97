//! What stands around the records, and among them: titles, names, units, comments, totals, the heads of pages.
//!
//! A judge learns what records look like from those rows that agree with each other, and then says of each row whether it costs
//! less as a record or as a line set aside. The first record, the names above it, and the last record follow from that.

mod counts;
mod details;
mod first_record;
mod first_rows;
mod footer;
mod header;
mod headings;
mod judge;
mod labelled;
mod likeness;
mod names;
mod rows;
mod total;
mod types;

pub use counts::{CountLine, count_in};
pub use details::Details;
pub use first_rows::FirstRows;
pub(super) use header::Header;
pub use header::HeaderChoice;
pub use headings::Headings;
pub use total::names_total;
pub(super) use total::says_total;

use super::candidates::{Candidate, Form};
use super::measure::lexicon::{BLANK, Lexicon};
use super::{Footer, LineRule, Samples, lines};
use crate::evidence::DecidedBy;
use crate::record::{Dialect, Division, Step};
use crate::rows::{Aside, Role};
use headings::Line;
use judge::Judge;
use rows::{Place, Row, Rows};
use std::collections::{HashMap, HashSet};

/// Everything that is known of the rows of a source.
pub(super) struct Furniture {
    pub(super) header: Header,
    pub(super) footer: Footer,
    /// What tells records from the other lines, where those stand among them.
    pub(super) details: Option<Details>,
    /// Headings whose values hold for the records below them.
    pub(super) headings: Headings,
    /// Columns that only the first record of each group fills, as it seems.
    pub(super) first_rows: FirstRows,
    /// Rows looked at between the first record and the last one, and how many of them are none.
    pub(super) inside: usize,
    pub(super) strangers: usize,
    /// Columns that most records fill, where totals stand among the records; 0: none do.
    pub(super) filled_among_totals: usize,
    /// A line set aside that could hold the names, where nothing else does.
    pub(super) possible_names: Option<u64>,
    /// Record types that lines begin with, where those of one type have other fields than those of another.
    pub(super) types: Vec<String>,
}

/// The rows with a verdict on each.
pub(super) struct Judged<'l> {
    rows: Rows,
    lexicon: &'l Lexicon,
    judge: Judge,
    width: usize,
    form: Form,
    dialect: Dialect,
    /// Bits that each row saves as a record; and whether it is one.
    gain: Vec<f64>,
    is_record: Vec<bool>,
    /// Whether it looks like the heading of a group.
    is_heading: Vec<bool>,
    /// Whether its figures are the sums of records before it.
    is_total: Vec<bool>,
    /// What someone says that it is.
    stated: Vec<Option<Role>>,
}

impl Judged<'_> {
    /// Whether columns stand at places.
    fn is_fixed(&self) -> bool {
        matches!(self.form, Form::Fixed { .. })
    }

    fn is_aligned(&self) -> bool {
        matches!(self.form, Form::Aligned { .. })
    }

    fn dialect(&self) -> &Dialect {
        &self.dialect
    }

    fn row(&self, index: usize) -> &Row {
        &self.rows.rows[index]
    }

    /// Bytes of a record as a rule.
    fn usual_length(&self) -> usize {
        let records = self.rows.rows.iter().zip(&self.is_record).filter(|(_, is_record)| **is_record);
        let mut lengths: Vec<usize> = records.map(|(row, _)| row.end - row.start).collect();
        lengths.sort_unstable();
        lengths.get(lengths.len() / 2).copied().unwrap_or(0)
    }

    fn count(&self) -> usize {
        self.rows.rows.len()
    }

    /// Whether a row can be no record: a comment, a rule, a line too many, the heading of a group.
    fn is_apart(&self, index: usize) -> bool {
        self.is_heading[index] || self.row(index).aside.is_some()
    }

    /// Whether a row stands in the head.
    fn in_head(&self, index: usize) -> bool {
        self.row(index).place == Place::Head
    }
}

/// Finds out what stands around the records of the source, as `candidate` reads it.
pub(super) fn find(
    samples: Samples<'_>,
    candidate: &Candidate,
    lexicon: &mut Lexicon,
    choice: (&HeaderChoice, Option<DecidedBy>),
    rules: &[LineRule],
) -> Furniture {
    let mut rows = Rows::read(samples, &candidate.dialect, lexicon);
    let width = candidate.width.max(1);
    pad(&mut rows, width, candidate);
    let lexicon: &Lexicon = lexicon;
    let judge = Judge::new(lexicon, &rows, width);
    let is_fixed = matches!(candidate.form, Form::Fixed { .. });
    let mut gain: Vec<f64> = rows
        .rows
        .iter()
        .enumerate()
        .map(|(at, row)| if row.aside.is_some() { -99.0 } else { judge.gain(lexicon, row, at) })
        .collect();
    let is_placed = is_fixed || matches!(candidate.form, Form::Aligned { .. });
    let has_groups = is_placed && width > 2;
    let mut is_heading =
        if has_groups { repeated_labels(&rows, lexicon) } else { vec![false; rows.rows.len()] };
    let mut is_record: Vec<bool> = rows
        .rows
        .iter()
        .zip(&gain)
        .zip(&is_heading)
        .map(|((row, gain), is_heading)| {
            row.aside.is_none()
                && !is_heading
                && ((*gain >= 0.0 && row.values.len() == width) || (*gain >= 3.0 && !is_fixed))
        })
        .collect();
    let is_delimited = matches!(candidate.form, Form::Delimited { .. });
    if (width > 2 && is_delimited) || (width > 3 && is_fixed) {
        // Names that come back are known as well.
        let once = once(&rows);
        // Totals keep to the places of the records, and leave most of them blank.
        let keeps = |row: &Row| {
            is_delimited || (row.cuts == 0 && row.filled() * 3 >= width * 2 && !total::says_so(lexicon, row))
        };
        for (at, row) in rows.rows.iter().enumerate() {
            let is_own = row.aside.is_none() && !is_heading[at] && once.contains(&row.text);
            if is_own && keeps(row) && judge.knows(lexicon, row, at) {
                (is_record[at], gain[at]) = (true, gain[at].max(1.0));
            }
        }
    }
    if width == 1 {
        marks_for_nothing(&rows, lexicon, &mut is_record);
    }
    let mut is_total = vec![false; rows.rows.len()];
    if has_groups {
        is_total = total::part_totals(&rows.rows, lexicon, width, (&is_record, &is_heading));
        for (at, _) in is_heading.iter().zip(&is_total).enumerate().filter(|(_, (a, b))| **a || **b) {
            is_record[at] = false;
            gain[at] = gain[at].min(-1.0);
        }
    }
    let stated = stated(rules, &rows, lexicon);
    let has_example = rules.iter().any(|rule| rule.role == Role::Detail);
    obey(&stated, has_example, (&rows, width), &mut is_record, &mut is_heading, &mut gain);
    let dialect = candidate.dialect.clone();
    let judged = Judged {
        rows,
        lexicon,
        judge,
        width,
        form: candidate.form,
        dialect,
        gain,
        is_record,
        is_heading,
        is_total,
        stated,
    };
    let types = types::find(&judged);
    let (mut header, first) = header::find(samples, candidate, &judged, choice, types.as_deref());
    let (footer, end) = footer::find(samples, candidate, &judged, first, types.as_deref());
    let inside: Vec<usize> = (first..end).filter(|i| judged.row(*i).aside.is_none()).collect();
    // A line that fills every column and keeps to its start is a record, however odd its values are.
    let keeps = |row: &Row| judged.is_fixed() && row.filled() == width && row.cuts == 0;
    let strangers = inside.iter().filter(|i| !judged.is_record[**i] && !keeps(judged.row(**i))).count();
    let details = details::learn(&judged, &inside);
    // Records wider than the others would have no room beside the columns of headings.
    let headings = if width > 1 && (is_fixed || (is_placed && details.is_some())) {
        learn_headings(samples, &judged, &mut header, first)
    } else {
        Headings::default()
    };
    let filled_among_totals = total::filled_among(samples, candidate, &judged, &inside);
    let is_open = header.line.is_none() && choice.0 == &HeaderChoice::Auto;
    Furniture {
        header,
        footer,
        details,
        headings,
        first_rows: first_rows::find(&judged, &inside),
        inside: inside.len(),
        strangers,
        filled_among_totals,
        possible_names: if is_open { header::possible_names(&judged, first) } else { None },
        types: types.unwrap_or_default(),
    }
}

/// The texts of lines that are there once.
fn once(rows: &Rows) -> HashSet<u32> {
    let mut counts: HashMap<u32, u32> = HashMap::new();
    rows.rows.iter().for_each(|row| *counts.entry(row.text).or_default() += 1);
    counts.into_iter().filter(|(_, count)| *count == 1).map(|(text, _)| text).collect()
}

/// Characters of a mark that stands for no value, at most.
const MARK: usize = 4;

/// In a single column, a mark that stands for no value is a record wherever it stands, if it comes again.
fn marks_for_nothing(rows: &Rows, lexicon: &Lexicon, is_record: &mut [bool]) {
    let mut seen: HashMap<u32, usize> = HashMap::new();
    let short = |row: &Row| match row.values.as_slice() {
        [only] if row.aside.is_none() && (1..=MARK).contains(&lexicon.text(*only).len()) => Some(*only),
        _ => None,
    };
    rows.rows.iter().filter_map(short).for_each(|id| *seen.entry(id).or_default() += 1);
    for (row, is_record) in rows.rows.iter().zip(is_record) {
        *is_record |= short(row).is_some_and(|id| seen[&id] > 1);
    }
}

/// What someone says that each row is.
fn stated(rules: &[LineRule], rows: &Rows, lexicon: &Lexicon) -> Vec<Option<Role>> {
    let of = |row: &Row| {
        let text = lexicon.text(row.text).as_bytes();
        rules.iter().filter(|_| row.aside.is_none()).find(|rule| rule.is_about(text)).map(|rule| rule.role)
    };
    rows.rows.iter().map(of).collect()
}

/// Judges rows as someone says. Where it is said what records are, nothing else is one.
fn obey(
    stated: &[Option<Role>],
    has_example: bool,
    (rows, width): (&Rows, usize),
    is_record: &mut [bool],
    is_heading: &mut [bool],
    gain: &mut [f64],
) {
    for (at, row) in rows.rows.iter().enumerate().filter(|(_, row)| row.aside.is_none()) {
        let role = stated[at];
        if role == Some(Role::Detail) {
            (is_record[at], is_heading[at]) = (row.values.len() == width, false);
            gain[at] = gain[at].max(99.0);
        } else if role.is_some() || has_example {
            is_record[at] = false;
            is_heading[at] |= role == Some(Role::Heading);
            gain[at] = gain[at].min(-9.0);
        }
    }
}

/// Which rows are headings of groups: nothing but `Label: value`, or a phrase, with a label or a first word that comes again after
/// other rows.
fn repeated_labels(rows: &Rows, lexicon: &Lexicon) -> Vec<bool> {
    let begins: Vec<Option<(bool, &str)>> = rows
        .rows
        .iter()
        .map(|row| {
            let text = lexicon.text(row.text);
            let label = || headings::only_label(text).map(|label| (true, label));
            let word = || headings::first_word(text).map(|word| (false, word));
            if row.aside.is_none() { label().or_else(word) } else { None }
        })
        .collect();
    let comes_again = |at: usize| {
        let others = begins.iter().enumerate().filter(|(other, _)| at.abs_diff(*other) > 1);
        begins[at].is_some() && others.into_iter().any(|(_, own)| *own == begins[at])
    };
    let found: Vec<bool> = (0..begins.len()).map(comes_again).collect();
    // Where most lines are so, they are the records.
    let count = found.iter().filter(|is| **is).count();
    if count * 2 < found.len() { found } else { vec![false; found.len()] }
}

/// Learns the headings of groups, and takes the first one out of the header if it was thought to hold units.
fn learn_headings(samples: Samples<'_>, judged: &Judged<'_>, header: &mut Header, first: usize) -> Headings {
    let head: Vec<String> = lines::lines(samples.head)
        .take(usize::try_from(header.lines_before_data).unwrap_or(usize::MAX))
        .map(|line| String::from_utf8_lossy(line).into_owned())
        .collect();
    let names = header.line.map_or(0, |line| usize::try_from(line).unwrap_or(usize::MAX));
    let place = |line: usize| match header.line {
        None => headings::Place::BeforeRecords,
        Some(_) if line < names => headings::Place::AboveNames,
        Some(_) => headings::Place::BelowNames,
    };
    let before = (1..).zip(&head).filter(|(line, _)| *line != names);
    let before = before.map(|(line, text)| Line { text, place: place(line), records: 0 });
    let mut records = 0;
    let mut all: Vec<Line<'_>> = before.filter(|line| !line.text.trim().is_empty()).collect();
    for (at, row) in judged.rows.rows.iter().enumerate().skip(first) {
        if judged.is_record[at] {
            records += 1;
        } else if row.aside.is_none() {
            let text = judged.lexicon.text(row.text);
            all.push(Line { text, place: headings::Place::Among, records });
        }
    }
    let headings = Headings::learn(&all);
    let is_heading =
        |line: u64| head.get(line as usize - 1).is_some_and(|text| !headings.values(text).is_empty());
    if let Some(line) = header.units_line.filter(|line| is_heading(*line)) {
        header.units_line = None;
        header.units.clear();
        header.set_aside.push(super::SetAside { line, lines: 1, why: Aside::BelowNames });
    }
    for line in names as u64 + 1..=header.lines_before_data {
        if !is_heading(line) {
            continue;
        }
        match header.set_aside.iter_mut().find(|aside| (aside.line..aside.line + aside.lines).contains(&line))
        {
            Some(aside) if aside.lines == 1 => aside.why = Aside::Carried,
            Some(_) => {}
            None => header.set_aside.push(super::SetAside { line, lines: 1, why: Aside::Carried }),
        }
    }
    header.set_aside.sort_by_key(|aside| aside.line);
    headings
}

/// Records that leave out empty fields at their ends get them, where many do.
fn pad(rows: &mut Rows, width: usize, candidate: &Candidate) {
    let cuts_early = matches!(candidate.dialect.division, Division::Fixed(_) | Division::Multiline(_));
    let short = |r: &Row| r.aside.is_none() && r.values.len() > 1 && r.values.len() < width;
    let many = width > 2 && rows.rows.iter().filter(|r| short(r)).count() * 4 > rows.rows.len();
    for row in &mut rows.rows {
        if row.aside.is_none() && row.values.len() < width && (cuts_early || (many && row.values.len() > 1)) {
            row.values.resize(width, BLANK);
        }
    }
}

/// Whether a row was left out by the record machine as a comment.
fn is_comment(row: &Row) -> bool {
    row.aside == Some(Step::Comment)
}
