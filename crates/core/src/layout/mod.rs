//! Layout: how lines become records, where the records begin and end, and what stands around them.
//!
//! Candidates are tried with the real record machine on samples of the source and judged on what they explain.

mod below;
mod candidates;
mod choose;
mod delimiter;
mod doubt;
mod evidence;
pub mod fixed;
mod furniture;
mod grouped;
mod lines;
mod measure;
mod multiline;
mod quoted;
mod repeats;
mod report;
mod rules;
mod sample;
mod stated_lines;
mod tally;
mod values;

pub use delimiter::{delimiter_from_word, delimiter_word};
pub use doubt::LayoutDoubt;
pub use furniture::{CountLine, Details, FirstRows, HeaderChoice, Headings, count_in, names_total};
pub use repeats::{Repeats, after_lines, whole_lines};
pub use stated_lines::{LineChoice, LineRule, LinesMeant, Pattern};
pub use values::{NamedValue, named_values};

use crate::evidence::{DecidedBy, Decision};
use crate::record::{Dialect, Division, Multiline, Unit};
use crate::rows::Role;
use crate::settings::selector::Selector;
use crate::shape::Shaping;
use candidates::{Candidate, Form};
use quoted::Quoted;
use sample::Sample;
use std::sync::Arc;

/// Decoded samples of a source. Each consists of whole lines.
#[derive(Clone, Copy, Debug, Default)]
pub struct Samples<'t> {
    /// The beginning.
    pub head: &'t [u8],
    /// Something from the middle; empty if the head is everything.
    pub middle: &'t [u8],
    /// The end; empty if the head is everything.
    pub tail: &'t [u8],
}

/// How lines become records.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum LayoutKind {
    /// A delimiter divides the fields of a line.
    Delimited,
    /// Fields stand at fixed positions.
    Fixed,
    /// Several lines make one record.
    Multiline,
    /// A printed report: lines of several sorts, which are kept whole.
    Report,
}

impl LayoutKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Delimited => "delimited",
            Self::Fixed => "fixed",
            Self::Multiline => "multiline",
            Self::Report => "report",
        }
    }
}

/// What the clerk or a docket says about the layout; everything left open is detected.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LayoutChoices {
    /// What stands between fields; empty: each line is one field.
    pub delimiter: Option<String>,
    /// Whether runs of delimiters count as one.
    pub runs_as_one: Option<bool>,
    /// The quote; `Some(None)`: quotes are characters.
    pub quote: Option<Option<u8>>,
    /// Whether a quote inside quotes is doubled; otherwise a backslash is in front of it.
    pub doubles_quotes: Option<bool>,
    /// What comment lines begin with; `Some(None)`: there are none.
    pub comment: Option<Option<String>>,
    /// Which of the layouts it is.
    pub kind: Option<LayoutKind>,
    /// Where columns start, from 0, in a fixed layout: one list, or one for each line of a record.
    pub starts: Option<Vec<Vec<usize>>>,
    /// Lines of a record.
    pub lines_per_record: Option<usize>,
    /// Single changes to the starts that are found.
    pub start_edits: Vec<fixed::StartEdit>,
    /// What starts count.
    pub unit: Unit,
    /// Where the names are.
    pub header: HeaderChoice,
    /// Who says where they are.
    pub header_by: Option<DecidedBy>,
    /// The labels of headings whose values hold for the records below them; `Some`, but none: there are no such headings.
    pub headings: Option<Vec<String>>,
    /// What lines are, by examples and patterns.
    pub lines: Vec<LineChoice>,
    /// Columns whose empty cells take the value above them; `Some`, but none: there are no such columns.
    pub carry: Option<Vec<Selector>>,
    /// Who says how lines are divided.
    pub decided_by: Option<DecidedBy>,
}

impl LayoutChoices {
    /// Whether the clerk says how lines are divided, in whole or in part.
    fn is_stated(&self) -> bool {
        self.delimiter.is_some()
            || self.starts.is_some()
            || !self.start_edits.is_empty()
            || self.kind.is_some()
            || self.lines_per_record.is_some()
    }

    /// Whether the layout is to be a fixed one.
    fn states_fixed(&self) -> bool {
        self.starts.is_some() || !self.start_edits.is_empty() || self.kind == Some(LayoutKind::Fixed)
    }
}

/// Lines that are no records.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SetAside {
    /// The first line, from 1.
    pub line: u64,
    /// How many lines.
    pub lines: u64,
    /// What they are.
    pub why: crate::rows::Aside,
}

/// What is known of the lines at the end that are no records.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Footer {
    /// Lines of the last sample (the tail, or the head if it is everything) before the footer.
    pub lines_before: u64,
    /// What they are, with lines counted from the start of that sample.
    pub set_aside: Vec<SetAside>,
    /// Lines with text.
    pub filled_lines: u64,
    /// Fields of the line that looks like a total.
    pub total: Option<Total>,
}

/// A line that says it holds totals.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Total {
    /// The line, counted from the start of the sample.
    pub line: u64,
    /// Its fields.
    pub fields: Vec<Vec<u8>>,
}

/// How a delimited source is laid out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Layout {
    /// How records are cut; with the evidence for the delimiter.
    pub dialect: Decision<Dialect>,
    /// How records are shaped, if they are.
    pub shaping: Option<Arc<Shaping>>,
    /// Fields of most records.
    pub width: usize,
    /// Lines before the header, or before the first record if there is none.
    pub preamble_lines: u64,
    /// The line of the names, from 1.
    pub header_line: Option<u64>,
    /// Why the names are thought to be there, or not.
    pub header_why: String,
    /// Lines of the header: names and units.
    pub header_lines: u64,
    /// The line of the units, from 1.
    pub units_line: Option<u64>,
    /// The names, as they stand.
    pub names: Vec<String>,
    /// The units, as they stand.
    pub units: Vec<String>,
    /// Lines before the first record.
    pub lines_before_data: u64,
    /// Lines before the first record that belong to no header.
    pub set_aside: Vec<SetAside>,
    /// What stands at the end.
    pub footer: Footer,
    /// Whether the lines are those of a printed report, and are kept whole.
    pub is_report: bool,
    /// Whether each column of a fixed layout has a name of one word above it, or a part of a rule: nothing in the names says that there
    /// are more columns.
    pub is_named: bool,
    /// Columns that most records fill, where totals stand among the records; 0: none do.
    pub filled_among_totals: usize,
    /// What tells records from the lines among them, where there are such lines.
    pub details: Option<Details>,
    /// Headings whose values hold for the records below them: a column each, after those of the records.
    pub headings: Headings,
    /// Columns (from 0) whose empty cells take the value above them: it is printed in the first row of its group only.
    pub carried_down: Vec<usize>,
    /// What someone says of lines.
    pub line_rules: Vec<LineRule>,
    /// Columns that look as if it were so.
    pub first_rows: FirstRows,
    /// Why the layout should be looked at, if it should.
    pub doubt: Option<LayoutDoubt>,
}

impl Layout {
    /// Which of the layouts it is.
    pub fn kind(&self) -> LayoutKind {
        match &self.dialect.value.division {
            Division::Delimited | Division::Fixed(_) if self.is_report => LayoutKind::Report,
            Division::Delimited => LayoutKind::Delimited,
            Division::Fixed(_) => LayoutKind::Fixed,
            Division::Multiline(_) => LayoutKind::Multiline,
        }
    }
}

/// A dialect in a few words: its delimiter, or its starts.
pub fn dialect_word(dialect: &Dialect) -> String {
    match &dialect.division {
        Division::Fixed(layout) => {
            let starts: Vec<String> = fixed::from_one(&layout.starts).iter().map(usize::to_string).collect();
            format!("fixed starts {}", starts.join(","))
        }
        Division::Multiline(multiline) => multiline_word(multiline),
        Division::Delimited if dialect.delimiter.is_empty() => "whole lines".into(),
        Division::Delimited => delimiter_word(&dialect.delimiter),
    }
}

/// What makes a record of several lines, in a few words.
fn multiline_word(multiline: &Multiline) -> String {
    match multiline {
        Multiline::Cycle { lines, .. } => format!("records of {} lines", lines.len()),
        Multiline::Labelled { .. } => "records of lines with labels".into(),
        Multiline::Continued(fixed) => {
            let starts: Vec<String> = fixed::from_one(&fixed.starts).iter().map(usize::to_string).collect();
            format!("fixed starts {}, continued on further lines", starts.join(","))
        }
    }
}

/// The option that states a dialect.
pub fn dialect_option(dialect: &Dialect) -> String {
    match &dialect.division {
        Division::Fixed(layout) => {
            let starts: Vec<String> = fixed::from_one(&layout.starts).iter().map(usize::to_string).collect();
            format!("--starts {}", starts.join(","))
        }
        Division::Multiline(_) => "--layout multiline".into(),
        Division::Delimited if dialect.delimiter.is_empty() => "--delimiter ''".into(),
        Division::Delimited => {
            let text = String::from_utf8_lossy(&dialect.delimiter);
            let word = delimiter_word(&dialect.delimiter);
            let word = word.trim_matches(['\u{201c}', '\u{201d}']);
            // Blanks and marks that a shell reads stand in quotes.
            let plain = word != text || text.chars().all(|c| matches!(c, ',' | ':' | '/' | '=' | '^'));
            let word = if plain { word.to_owned() } else { format!("'{text}'") };
            let runs = if dialect.runs_as_one { " --runs-as-one yes" } else { "" };
            format!("--delimiter {word}{runs}")
        }
    }
}

/// Finds the layout of a delimited source.
///
/// ```
/// use incola_core::layout::{LayoutChoices, Samples, detect};
/// let head = b"Call;Berth;Dues\n1;007;12,50\n2;012;3,00\n";
/// let layout = detect(Samples { head, ..Samples::default() }, &LayoutChoices::default());
/// assert_eq!(layout.dialect.value.delimiter, b";");
/// assert_eq!((layout.header_line, layout.width), (Some(1), 3));
/// ```
pub fn detect(samples: Samples<'_>, choices: &LayoutChoices) -> Layout {
    let hint = lines::stated_by_first_line(samples.head);
    let names_line = below::names_line(samples, choices);
    let looked_at = names_line.map_or(samples, |(line, _)| below::from_line(samples, line));
    let quoted = Quoted::find(looked_at, choices, &lines::plain_dialect(samples, choices));
    let lone_cr = lines::lone_cr_ends_line(samples.head);
    let sample = match &quoted {
        Some(quoted) => Sample::of_records(looked_at, lone_cr, quoted),
        None => Sample::of(looked_at, lone_cr),
    };
    let rules = stated_lines::rules(&choices.lines, samples.head);
    let mut ranking = choose::rank(samples, &sample, choices, (hint.as_deref(), quoted.as_ref()), &rules);
    let width = names_line.and_then(|(_, width)| width);
    if ranking.candidates.iter().any(|c| Some(c.width) == width) {
        ranking.candidates.retain(|c| Some(c.width) == width);
    }
    let mut found = ranking.candidates.into_iter();
    let best = found.next().unwrap_or_else(|| Candidate::unknown(lines::plain_dialect(samples, choices)));
    let rival = found.find(|c| c.differs_from(&best));
    let (header, by) = match (choices.header, names_line) {
        (HeaderChoice::Auto, Some((line, _))) => (HeaderChoice::Line(line), Some(DecidedBy::Detected)),
        (header, _) => (header, choices.header_by),
    };
    let furniture = furniture::find(samples, &best, &mut ranking.bench.lexicon, (&header, by), &rules);
    let header = furniture.header;
    let mut dialect = explain(&best, rival.as_ref(), choices, hint.is_some());
    let whole_lines = best.form == Form::Whole;
    let looks = choices.kind.is_none() && choices.delimiter.is_none() && report::looks_like_one(samples.head);
    let is_even = best.aside * 20 < best.records && best.evenness() >= 0.98;
    let is_torn = (furniture.details.is_some() || !furniture.headings.is_empty())
        && furniture.strangers * if is_even { 4 } else { 10 } > furniture.inside;
    let is_report = (whole_lines && looks)
        || choices.kind == Some(LayoutKind::Report)
        || (is_torn && choices.kind.is_none());
    if let Some(what) = ranking.not_a_table {
        dialect.why = format!("this looks like {what}, which is not a table: each line is one value");
    } else if whole_lines && looks && choices.kind.is_none() {
        dialect.why = report::WHY.into();
    }
    let stated = choices.is_stated() || hint.is_some();
    let doubt = if stated {
        None
    } else if let Some(what) = ranking.not_a_table {
        Some(LayoutDoubt::NoTable(what))
    } else if is_report {
        Some(LayoutDoubt::Report)
    } else if !furniture.types.is_empty() {
        Some(LayoutDoubt::RecordTypes(furniture.types))
    } else {
        let lines: Vec<&[u8]> = sample.filled().collect();
        doubt::about(&best, rival.as_ref(), &lines, header.line.is_some())
            .or(furniture.possible_names.map(LayoutDoubt::NamesAbove))
            .or_else(|| {
                let names = header.line.and_then(|line| lines::lines(samples.head).nth(line as usize - 1));
                names.and_then(|names| doubt::cut_name(&best, names))
            })
            .or_else(|| doubt::several_names(&best, &header.names))
            .or_else(|| doubt::several_values(&best, &ranking.bench.lexicon))
            .or_else(|| doubt::name_behind(&best, &ranking.bench.lexicon))
            .or_else(|| doubt::labels_kept(&best, &ranking.bench.lexicon))
    };
    // Records wider than the others would have no room beside the columns of headings.
    let carries = best.dialect.division.fixed().is_some() || furniture.details.is_some();
    let headings = if carries { headings(choices, &rules, furniture.headings) } else { Headings::default() };
    Layout {
        shaping: None,
        is_named: is_named(&best),
        filled_among_totals: furniture.filled_among_totals,
        details: furniture.details.filter(|_| choices.kind != Some(LayoutKind::Fixed)),
        headings,
        carried_down: if choices.carry.is_none() && furniture.first_rows.is_proved {
            furniture.first_rows.columns.clone()
        } else {
            Vec::new()
        },
        first_rows: furniture.first_rows,
        line_rules: rules,
        is_report,
        doubt,
        width: best.width.max(header.names.len()).max(1),
        dialect,
        preamble_lines: header.preamble_lines,
        header_line: header.line,
        header_why: header.why,
        header_lines: header.lines,
        units_line: header.units_line,
        names: header.names,
        units: header.units,
        lines_before_data: header.lines_before_data,
        set_aside: header.set_aside,
        footer: furniture.footer,
    }
}

/// Whether the names, or a rule below them, leave no doubt about the columns.
fn is_named(best: &Candidate) -> bool {
    let names = best.names.as_deref().unwrap_or_default();
    let words = names.split_whitespace().count();
    // Names of several words count where two blanks or more set all of them apart.
    let phrases = names.split("  ").filter(|phrase| !phrase.trim().is_empty()).count();
    match best.form {
        Form::Fixed { ruled: true, .. } => true,
        Form::Fixed { matched: true, touching: 0, .. } => words == best.width || phrases == best.width,
        _ => false,
    }
}

/// The headings that are stated, by their labels, by examples or by patterns; else those that were learnt.
fn headings(choices: &LayoutChoices, rules: &[LineRule], learnt: Headings) -> Headings {
    let own = || rules.iter().filter(|rule| rule.role == Role::Heading);
    if choices.headings.is_none() && own().next().is_none() {
        return learnt;
    }
    let mut labels = choices.headings.clone().unwrap_or_default();
    for example in own().filter_map(LineRule::example) {
        labels.extend(Headings::labels_of(example));
    }
    let patterns = own().filter_map(LineRule::as_pattern);
    patterns.fold(Headings::stated(&labels), Headings::with_pattern)
}

fn explain(
    best: &Candidate,
    rival: Option<&Candidate>,
    choices: &LayoutChoices,
    hinted: bool,
) -> Decision<Dialect> {
    let mut decision = if choices.is_stated() {
        let by = choices.decided_by.unwrap_or(DecidedBy::Given);
        Decision { decided_by: by, ..Decision::given(best.dialect.clone(), evidence::of(best)) }
    } else if hinted {
        Decision::detected(best.dialect.clone(), format!("the first line says so; {}", evidence::of(best)))
    } else {
        Decision::detected(best.dialect.clone(), evidence::of(best))
    };
    if let Some(rival) = rival.filter(|rival| !rival.has_other_width(best)) {
        decision = decision.over(rival.dialect.clone(), evidence::weakness(rival, best));
    }
    decision
}

#[cfg(test)]
mod tests;
