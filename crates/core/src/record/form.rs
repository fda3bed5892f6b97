//! How a text is written, besides its values: what is needed to write it again.

use super::several::LineForm;
use super::{Dialect, Division, Fixed, Machine, Unit};
use crate::kind::statistics::trim;
use crate::layout::Repeats;
use crate::rows::{Carry, Flow, Record, RecordSink, each_record};
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

/// Records that are looked at.
const LOOKED_AT: usize = 4000;

/// How a text is written.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct TextForm {
    /// The encoding, by its name.
    pub encoding: String,
    /// Whether it begins with a byte order mark.
    pub byte_order_mark: bool,
    /// What ends a line.
    pub line_end: String,
    /// Whether the last line has a line end as well.
    pub ends_last_line: bool,
    /// The text before the first record, with its line ends.
    pub before: String,
    /// The text after the last record, with its line ends.
    pub after: String,
    /// Lines among the records that are no records.
    pub among: u64,
    /// Those of them that are known, with the number of records before each: they are written again as long as there are as many
    /// records as there were.
    #[serde(default)]
    pub lines: Vec<(u64, String)>,
    /// Records of the source.
    #[serde(default)]
    pub records: u64,
    /// What is between fields; nothing: they are at fixed places.
    pub delimiter: Option<String>,
    /// The character around fields that hold delimiters or line ends.
    pub quote: Option<char>,
    /// Whether a backslash is in front of quotes and backslashes inside quotes, instead of a second quote.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub escapes: bool,
    /// Where fields start in a line, from 0.
    #[serde(default)]
    pub starts: Vec<usize>,
    /// What starts count.
    #[serde(default)]
    pub unit: Unit,
    /// Whether empty fields at the end of a record are left out.
    #[serde(default)]
    pub drops_empty_ends: bool,
    /// How long all lines are, filled up with blanks.
    pub line_width: Option<usize>,
    /// The fields of a record.
    #[serde(default, rename = "field")]
    pub fields: Vec<FieldForm>,
    /// The lines of a record, if it has several.
    #[serde(default, rename = "line_of_record", skip_serializing_if = "Vec::is_empty")]
    pub parts: Vec<LineForm>,
    /// With labels: in which order they stand, as places in `parts`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub order: Vec<usize>,
    /// What is between two records of several lines, with its line ends.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub between: String,
    /// How often something else was between two of those records that were looked at.
    #[serde(default, skip_serializing_if = "is_none")]
    pub others_between: u64,
}

fn is_none(count: &u64) -> bool {
    *count == 0
}

/// How the values of a field are written.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct FieldForm {
    /// When they are in quotes.
    #[serde(default)]
    pub quotes: Quotes,
    /// Whether quotes inside values are no reason to put them in quotes.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub bare_quotes: bool,
    /// Blanks that stand for an empty value.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub blank: String,
    /// At a fixed place: where they begin behind the start, if they begin at one place.
    #[serde(default)]
    pub indent: usize,
    /// At a fixed place: where they end behind the start, if they end at one place.
    pub right: Option<usize>,
}

/// When a value is in quotes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Quotes {
    /// Where it holds a delimiter, a quote or a line end.
    #[default]
    Needed,
    /// Also elsewhere, unless it is empty.
    Filled,
    /// Always.
    Always,
}

/// What was seen of a field.
#[derive(Clone, Default)]
struct Seen {
    quoted: usize,
    bare: usize,
    blank_quoted: usize,
    blank_bare: usize,
    /// How often each edge was met.
    left: FxHashMap<usize, usize>,
    right: FxHashMap<usize, usize>,
    /// What stands for an empty value, if it is always the same.
    blank: Option<Vec<u8>>,
    blanks_differ: bool,
    bare_quotes: bool,
}

impl TextForm {
    /// The form of records that begin a text: how they are quoted, and where their values are. `None`: those that runs of blanks
    /// divide, or whose lines are continued below, are not written.
    ///
    /// ```
    /// use incola_core::layout::Repeats;
    /// use incola_core::record::{Dialect, Quotes, TextForm};
    /// let form = TextForm::of_records(&Dialect::new(","), &Repeats::default(), b"007,\"Grey Heron\"\n012,\"\"\n", 2).unwrap();
    /// assert_eq!(form.fields.iter().map(|f| f.quotes).collect::<Vec<_>>(), [Quotes::Needed, Quotes::Always]);
    /// ```
    pub fn of_records(dialect: &Dialect, repeats: &Repeats, text: &[u8], width: usize) -> Option<Self> {
        let fixed = match &dialect.division {
            Division::Delimited if !dialect.runs_as_one && dialect.most_fields.is_none() => None,
            Division::Fixed(fixed) => Some(fixed),
            // Lines with labels that nobody knows are columns as well: nothing says where they belong.
            Division::Multiline(multiline) if multiline.width() != width => return None,
            Division::Multiline(multiline) => return Self::of_lines(dialect, multiline, repeats, text),
            Division::Delimited => return None,
        };
        let mut seen = Observed {
            fixed,
            quote: dialect.quote,
            width,
            fields: vec![Seen::default(); width],
            ..Observed::default()
        };
        let mut machine = Machine::new(dialect);
        each_record(&mut machine, text, true, repeats, (1, &mut Carry::default()), &mut seen);
        let line_end = seen.ends.into_iter().zip(["\n", "\r\n", "\r"]).max_by_key(|(count, _)| *count);
        let line_width =
            seen.lengths.filter(|(least, most)| fixed.is_some() && seen.ends_blank && least == most);
        Some(Self {
            line_end: line_end.filter(|(count, _)| *count > 0).map_or("\n", |(_, end)| end).to_owned(),
            delimiter: fixed.is_none().then(|| String::from_utf8_lossy(&dialect.delimiter).into_owned()),
            quote: dialect.quote.filter(|_| fixed.is_none()).map(char::from),
            escapes: fixed.is_none() && !dialect.doubles_quotes,
            starts: fixed.map(|fixed| fixed.starts.clone()).unwrap_or_default(),
            unit: fixed.map(|fixed| fixed.unit).unwrap_or_default(),
            line_width: line_width.map(|(least, _)| least),
            drops_empty_ends: seen.are_short > 0 && seen.have_empty_ends == 0,
            fields: seen.fields.iter().map(|seen| field(seen, fixed.is_some())).collect(),
            ..Self::default()
        })
    }
}

/// What was seen of records.
#[derive(Default)]
struct Observed<'d> {
    fixed: Option<&'d Fixed>,
    quote: Option<u8>,
    width: usize,
    fields: Vec<Seen>,
    records: usize,
    /// Fewest and most characters of a line.
    lengths: Option<(usize, usize)>,
    ends_blank: bool,
    /// How many records a line feed ends, how many both, how many a carriage return.
    ends: [usize; 3],
    are_short: usize,
    have_empty_ends: usize,
}

impl RecordSink for Observed<'_> {
    fn record(&mut self, record: &Record<'_>) -> Flow {
        let unit = self.fixed.map(|fixed| fixed.unit).unwrap_or_default();
        let (line, end, count) = (record.bytes(), record.line_end(), record.count());
        let which = usize::from(end.starts_with(b"\r")) + usize::from(end == b"\r");
        self.ends[which] += usize::from(!end.is_empty());
        self.are_short += usize::from(count < self.width);
        self.have_empty_ends += usize::from(count > 1 && trim(record.own_field(count - 1)).0.is_empty());
        for (place, seen) in self.fields.iter_mut().enumerate().take(count) {
            let is_quoted = record.is_quoted(place);
            seen.see(record.own_field(place), (is_quoted, self.quote), self.fixed.is_some().then_some(unit));
        }
        join(&mut self.lengths, unit.length(line));
        self.ends_blank |= line.ends_with(b" ");
        self.records += 1;
        if self.records < LOOKED_AT { Flow::Continue(()) } else { Flow::Break(()) }
    }
}

fn join(range: &mut Option<(usize, usize)>, value: usize) {
    *range = Some(range.map_or((value, value), |(least, most)| (least.min(value), most.max(value))));
}

impl Seen {
    /// Takes a value. `unit`: what its edges are counted in, at a fixed place.
    fn see(&mut self, field: &[u8], (is_quoted, quote): (bool, Option<u8>), unit: Option<Unit>) {
        let (value, front) = (trim(field).0, field.len() - field.trim_ascii_start().len());
        if value.is_empty() {
            *(if is_quoted { &mut self.blank_quoted } else { &mut self.blank_bare }) += 1;
            self.blanks_differ |= self.blank.as_ref().is_some_and(|blank| blank != field);
            self.blank.get_or_insert_with(|| field.to_vec());
            return;
        }
        *(if is_quoted { &mut self.quoted } else { &mut self.bare }) += 1;
        self.bare_quotes |= !is_quoted && quote.is_some_and(|quote| value.contains(&quote));
        if let Some(unit) = unit {
            *self.left.entry(front).or_default() += 1;
            *self.right.entry(front + unit.length(value)).or_default() += 1;
        }
    }
}

/// The edge at which most values are, and how many.
fn most(edges: &FxHashMap<usize, usize>) -> (usize, usize) {
    edges
        .iter()
        .map(|(edge, count)| (*edge, *count))
        .max_by_key(|(edge, count)| (*count, *edge))
        .unwrap_or_default()
}

fn field(seen: &Seen, is_fixed: bool) -> FieldForm {
    let quotes = match seen {
        _ if is_fixed || seen.quoted + seen.blank_quoted == 0 => Quotes::Needed,
        Seen { bare: 0, blank_bare: 0, .. } => Quotes::Always,
        Seen { bare: 0, blank_quoted: 0, .. } if seen.quoted > 0 => Quotes::Filled,
        _ => Quotes::Needed,
    };
    let blank = seen.blank.as_ref().filter(|_| !seen.blanks_differ && !is_fixed);
    // Where as many begin at one place as end at one, they begin there.
    let ((left, lefts), (right, rights)) = (most(&seen.left), most(&seen.right));
    FieldForm {
        quotes,
        bare_quotes: seen.bare_quotes,
        blank: blank.map(|blank| String::from_utf8_lossy(blank).into_owned()).unwrap_or_default(),
        indent: if lefts >= rights { left } else { 0 },
        right: (rights > lefts).then_some(right),
    }
}

impl Unit {
    /// How long a text is, counted in them.
    pub fn length(self, text: &[u8]) -> usize {
        if text.is_ascii() {
            text.len()
        } else {
            String::from_utf8_lossy(text).chars().map(|c| self.of(c)).sum()
        }
    }
}
