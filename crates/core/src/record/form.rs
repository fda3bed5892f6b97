//! How a text is written, besides its values: what is needed to write it again.

use super::{Dialect, Division, Fixed, Machine, Step, Unit};
use crate::kind::statistics::trim;
use crate::layout::Repeats;
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
    /// The form of records that begin a text: how they are quoted, and where their values are. `None`: records of several lines, or
    /// those that runs of blanks divide, are not written.
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
            _ => return None,
        };
        let mut seen = vec![Seen::default(); width];
        let mut lengths: Option<(usize, usize)> = None;
        let mut ends_blank = false;
        // How many records a line feed ends, how many both, how many a carriage return.
        let mut ends = [0_usize; 3];
        let (mut are_short, mut have_empty_ends) = (0, 0);
        let mut machine = Machine::new(dialect);
        let (mut at, mut records) = (0, 0);
        while records < LOOKED_AT {
            match machine.step(text, at, true) {
                Step::End | Step::NeedMore => break,
                Step::Record => {
                    let line = &text[machine.start()..machine.end()];
                    let end = &text[machine.end()..machine.next_start()];
                    ends[usize::from(end.starts_with(b"\r")) + usize::from(end == b"\r")] +=
                        usize::from(!end.is_empty());
                    if repeats.why(line).is_none() && repeats.why_record(&machine, text).is_none() {
                        records += 1;
                        let count = machine.field_count();
                        are_short += usize::from(count < width);
                        let ends_empty = count > 1 && trim(machine.field(text, count - 1)).0.is_empty();
                        have_empty_ends += usize::from(ends_empty);
                        for (place, seen) in seen.iter_mut().enumerate().take(machine.field_count()) {
                            see(
                                seen,
                                machine.field(text, place),
                                (machine.is_quoted(place), dialect.quote),
                                fixed,
                            );
                        }
                        let line = line.strip_suffix(b"\r").unwrap_or(line);
                        join(&mut lengths, measure(line, fixed));
                        ends_blank |= line.ends_with(b" ");
                    }
                }
                _ => {}
            }
            at = machine.next_start();
        }
        let line_end = [(ends[0], "\n"), (ends[1], "\r\n"), (ends[2], "\r")];
        let line_end = line_end.into_iter().max_by_key(|(count, _)| *count).filter(|(count, _)| *count > 0);
        let line_width = lengths.filter(|(least, most)| fixed.is_some() && ends_blank && least == most);
        Some(Self {
            line_end: line_end.map_or("\n", |(_, end)| end).to_owned(),
            delimiter: fixed.is_none().then(|| String::from_utf8_lossy(&dialect.delimiter).into_owned()),
            quote: dialect.quote.filter(|_| fixed.is_none()).map(char::from),
            starts: fixed.map(|fixed| fixed.starts.clone()).unwrap_or_default(),
            unit: fixed.map(|fixed| fixed.unit).unwrap_or_default(),
            line_width: line_width.map(|(least, _)| least),
            drops_empty_ends: are_short > 0 && have_empty_ends == 0,
            fields: seen.iter().map(|seen| field(seen, fixed.is_some())).collect(),
            ..Self::default()
        })
    }
}

/// How long a text is in what starts count.
pub(super) fn measure(text: &[u8], fixed: Option<&Fixed>) -> usize {
    let unit = fixed.map(|fixed| fixed.unit).unwrap_or_default();
    if text.is_ascii() { text.len() } else { String::from_utf8_lossy(text).chars().map(|c| unit.of(c)).sum() }
}

fn join(range: &mut Option<(usize, usize)>, value: usize) {
    *range = Some(range.map_or((value, value), |(least, most)| (least.min(value), most.max(value))));
}

fn see(seen: &mut Seen, field: &[u8], (is_quoted, quote): (bool, Option<u8>), fixed: Option<&Fixed>) {
    let (value, front) = (trim(field).0, field.len() - field.trim_ascii_start().len());
    if value.is_empty() {
        *(if is_quoted { &mut seen.blank_quoted } else { &mut seen.blank_bare }) += 1;
        seen.blanks_differ |= seen.blank.as_ref().is_some_and(|blank| blank != field);
        seen.blank.get_or_insert_with(|| field.to_vec());
        return;
    }
    *(if is_quoted { &mut seen.quoted } else { &mut seen.bare }) += 1;
    seen.bare_quotes |= !is_quoted && quote.is_some_and(|quote| value.contains(&quote));
    if fixed.is_some() {
        *seen.left.entry(front).or_default() += 1;
        *seen.right.entry(front + measure(value, fixed)).or_default() += 1;
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
    pub fn length(self, text: &str) -> usize {
        if text.is_ascii() { text.len() } else { text.chars().map(|c| self.of(c)).sum() }
    }
}
