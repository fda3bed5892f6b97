//! Records of several lines, written again: what each line looks like, and what is between two records.

use super::form::TextForm;
use super::multiline::{LineParts, Multiline, split_label};
use super::write::{RecordWriter, Unwritable};
use super::{Dialect, Division, Machine};
use crate::encoding::text_of;
use crate::layout::{Repeats, whole_lines};
use crate::rows::{Carry, Flow, Record, RecordSink, each_record};
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

/// Records that are looked at; of others only where the last one ends.
const LOOKED_AT: usize = 2000;

/// How a line of a record of several lines is written.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineForm {
    /// Before a value with a label: the label and what sets the value off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// With a label: the line where there is no value. None: it is left out then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub empty: Option<String>,
    /// With a label: what is before each further line of a value.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub continued: String,
    /// Without one: how its fields are written.
    #[serde(default)]
    pub form: TextForm,
}

/// How often each of several texts was met.
#[derive(Default)]
struct Often(FxHashMap<String, usize>);

impl Often {
    fn add(&mut self, text: &[u8]) {
        *self.0.entry(text_of(text).into_owned()).or_default() += 1;
    }

    /// The one that was met most often; of several the shortest, then the first by its letters.
    fn most(&self) -> Option<String> {
        let key =
            |(text, count): &(&String, &usize)| (**count, std::cmp::Reverse((text.len(), (*text).clone())));
        self.0.iter().max_by_key(key).map(|(text, _)| text.clone())
    }

    fn others(&self) -> usize {
        self.0.values().sum::<usize>() - self.0.values().max().copied().unwrap_or_default()
    }
}

/// What was seen of a label.
#[derive(Default)]
struct Labelled {
    label: Often,
    empty: Often,
    continued: Often,
    without: usize,
    /// In how many records it was, and the sum of its places among their lines.
    places: (usize, usize),
}

/// What was seen of records.
struct Seen<'t> {
    /// All lines, with their ends.
    lines: Vec<&'t [u8]>,
    multiline: &'t Multiline,
    records: usize,
    /// The line behind the last record, from 0.
    next: usize,
    between: Often,
    line_ends: [usize; 3],
    /// Whether records were met that lack lines at their ends.
    are_short: bool,
    labels: Vec<Labelled>,
    /// Of a cycle: the lines that are the first, the second and so on of a record, one below the other.
    texts: Vec<Vec<u8>>,
}

/// A line without its end.
fn bare(line: &[u8]) -> &[u8] {
    let line = line.strip_suffix(b"\n").unwrap_or(line);
    line.strip_suffix(b"\r").unwrap_or(line)
}

impl RecordSink for Seen<'_> {
    fn record(&mut self, record: &Record<'_>) -> Flow {
        let from = (record.line() as usize).saturating_sub(1);
        let to = (from + record.lines() as usize).min(self.lines.len());
        let before = std::mem::replace(&mut self.next, to).min(from);
        if self.records == LOOKED_AT {
            return Flow::Continue(());
        }
        if self.records > 0 {
            self.between.add(&self.lines[before..from].concat());
        }
        self.records += 1;
        let own: Vec<&[u8]> = self.lines[from.min(to)..to].to_vec();
        for line in &own {
            let end = &line[bare(line).len()..];
            let which = usize::from(end.starts_with(b"\r")) + usize::from(end == b"\r");
            self.line_ends[which] += usize::from(!end.is_empty());
        }
        match self.multiline {
            Multiline::Cycle { lines, .. } => {
                self.are_short |= own.len() < lines.len();
                for (text, line) in self.texts.iter_mut().zip(own) {
                    text.extend_from_slice(bare(line));
                    text.push(b'\n');
                }
            }
            Multiline::Labelled { labels, .. } => self.labelled(labels, &own),
            Multiline::Continued(_) => {}
        }
        Flow::Continue(())
    }
}

impl Seen<'_> {
    fn labelled(&mut self, labels: &[Vec<u8>], lines: &[&[u8]]) {
        let mut met = vec![false; labels.len()];
        let mut last: Option<usize> = None;
        for (at, line) in lines.iter().map(|line| bare(line)).enumerate() {
            let begins_blank = matches!(line.first(), Some(b' ' | b'\t'));
            if let Some(last) = last.filter(|_| begins_blank) {
                let blanks = line.len() - line.trim_ascii_start().len();
                self.labels[last].continued.add(&line[..blanks]);
                continue;
            }
            let (label, value) = split_label(line);
            let Some(place) = labels.iter().position(|own| own.eq_ignore_ascii_case(label)) else { continue };
            (met[place], last) = (true, Some(place));
            let seen = &mut self.labels[place];
            seen.places = (seen.places.0 + 1, seen.places.1 + at);
            if value.is_empty() {
                seen.empty.add(line);
            } else {
                seen.label.add(&line[..line.trim_ascii_end().len() - value.len()]);
            }
        }
        for (seen, met) in self.labels.iter_mut().zip(met) {
            seen.without += usize::from(!met);
        }
    }
}

impl TextForm {
    /// The form of records of several lines that begin a text. `None`: those whose lines are continued below are not written.
    pub(super) fn of_lines(
        dialect: &Dialect,
        multiline: &Multiline,
        repeats: &Repeats,
        text: &[u8],
    ) -> Option<Self> {
        let (labels, cycle) = match multiline {
            Multiline::Cycle { lines, .. } => (0, lines.len()),
            Multiline::Labelled { labels, .. } => (labels.len(), 0),
            Multiline::Continued(_) => return None,
        };
        let mut seen = Seen {
            lines: whole_lines(text, dialect.lone_cr_ends_line).collect(),
            multiline,
            records: 0,
            next: 0,
            between: Often::default(),
            line_ends: [0; 3],
            are_short: false,
            labels: (0..labels).map(|_| Labelled::default()).collect(),
            texts: vec![Vec::new(); cycle],
        };
        let mut machine = Machine::new(dialect);
        each_record(&mut machine, text, true, repeats, (1, &mut Carry::default()), &mut seen);
        let ends = seen.line_ends.into_iter().zip(["\n", "\r\n", "\r"]).max_by_key(|(count, _)| *count);
        let line_end = ends.filter(|(count, _)| *count > 0).map_or("\n", |(_, end)| end).to_owned();
        let parts: Option<Vec<LineForm>> = match multiline {
            Multiline::Cycle { lines, .. } => {
                lines.iter().zip(&seen.texts).map(|(parts, text)| of_cycle(parts, text, &line_end)).collect()
            }
            Multiline::Labelled { labels, .. } => {
                Some(labels.iter().zip(&seen.labels).map(|(label, seen)| of_label(label, seen)).collect())
            }
            Multiline::Continued(_) => None,
        };
        // The mean place among the lines; labels that were not met stay where they are.
        let place = |at: &usize| {
            let (count, sum) = seen.labels[*at].places;
            (sum * 1000).checked_div(count).unwrap_or(*at * 1000)
        };
        let mut order: Vec<usize> = (0..seen.labels.len()).collect();
        order.sort_by_key(place);
        // What divides records may stand behind the last one as well.
        let behind = seen.lines.get(seen.next..).unwrap_or_default().concat();
        Some(Self {
            line_end,
            order,
            after: text_of(&behind).into_owned(),
            parts: parts?,
            between: seen.between.most().unwrap_or_default(),
            others_between: seen.between.others() as u64,
            drops_empty_ends: seen.are_short,
            ..Self::default()
        })
    }
}

/// The form of one line of a cycle, of which `text` holds all.
fn of_cycle(parts: &LineParts, text: &[u8], line_end: &str) -> Option<LineForm> {
    let dialect = match parts {
        LineParts::Fixed(fixed) => {
            Dialect { division: Division::Fixed(fixed.clone()), quote: None, ..Dialect::new("") }
        }
        LineParts::Delimited { delimiter, .. } => {
            Dialect { quote: None, ..Dialect::new(&text_of(delimiter)) }
        }
    };
    let form = TextForm::of_records(&dialect, &Repeats::default(), text, parts.count())?;
    Some(LineForm { form: TextForm { line_end: line_end.to_owned(), ..form }, ..LineForm::default() })
}

fn of_label(label: &[u8], seen: &Labelled) -> LineForm {
    // Where values are missing, either the line is, or nothing follows the label.
    let empty = seen.empty.0.values().sum::<usize>();
    let own = seen.label.most().unwrap_or_else(|| format!("{}: ", text_of(label)));
    let nothing = seen.empty.most().unwrap_or_else(|| own.trim_end().to_owned());
    LineForm {
        empty: (empty >= seen.without && (empty > 0 || seen.without == 0)).then_some(nothing),
        label: Some(own),
        continued: seen.continued.most().unwrap_or_else(|| "  ".to_owned()),
        form: TextForm::default(),
    }
}

impl RecordWriter<'_> {
    /// Appends the lines of a record, and in front of them what is between two records.
    pub(super) fn several<T: AsRef<str>>(
        form: &TextForm,
        fields: &[T],
        out: &mut Vec<u8>,
        lost: &mut dyn FnMut(usize, Unwritable),
    ) {
        out.extend_from_slice(form.between.as_bytes());
        let (mut at, mut kept) = (0, out.len());
        // A line without anything would end the record, if others follow.
        let mut blank = None;
        for n in 0..form.parts.len() {
            let place = form.order.get(n).copied().unwrap_or(n);
            let Some(part) = form.parts.get(place) else { continue };
            let Some(label) = &part.label else {
                let count = part.form.fields.len();
                let own = &fields[at.min(fields.len())..(at + count).min(fields.len())];
                RecordWriter::new(&part.form).write(own, out, |place, why| lost(at + place, why));
                if own.iter().all(|field| field.as_ref().is_empty()) && part.form.delimiter.is_none() {
                    blank = blank.or(Some(at));
                } else {
                    kept = out.len();
                    if let Some(place) = blank.take() {
                        lost(place, Unwritable::EndsRecord);
                    }
                }
                at += count;
                continue;
            };
            let value = fields.get(place).map_or("", AsRef::as_ref);
            let mut lines = value.split('\n').map(|line| line.trim_end_matches('\r'));
            match (lines.next().filter(|_| !value.is_empty()), &part.empty) {
                (Some(first), _) => {
                    for text in [label, first, &form.line_end] {
                        out.extend_from_slice(text.as_bytes());
                    }
                    for line in lines {
                        if line.trim().is_empty() {
                            lost(place, Unwritable::EndsRecord);
                        }
                        for text in [&part.continued, line, &form.line_end] {
                            out.extend_from_slice(text.as_bytes());
                        }
                    }
                }
                (None, Some(empty)) => {
                    out.extend_from_slice(empty.as_bytes());
                    out.extend_from_slice(form.line_end.as_bytes());
                }
                (None, None) => {}
            }
            kept = out.len();
        }
        // Lines at the end that hold nothing are left out where some records have fewer.
        if form.drops_empty_ends {
            out.truncate(kept);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::{Fixed, Step};
    use proptest::prelude::*;

    fn read(dialect: &Dialect, text: &[u8]) -> Vec<Vec<String>> {
        let mut machine = Machine::new(dialect);
        let (mut at, mut records) = (0, Vec::new());
        loop {
            match machine.step(text, at, true) {
                Step::Record => {
                    let value = |f: &[u8]| text_of(f).trim().to_owned();
                    records.push(machine.fields(text).map(value).collect());
                }
                Step::End | Step::NeedMore => return records,
                _ => {}
            }
            at = machine.next_start();
        }
    }

    fn written(dialect: &Dialect, text: &str) -> String {
        let records = read(dialect, text.as_bytes());
        let width = records.first().map_or(0, Vec::len);
        let form = TextForm::of_records(dialect, &Repeats::default(), text.as_bytes(), width).unwrap();
        let mut out = Vec::new();
        for record in &records {
            RecordWriter::new(&form).write(record, &mut out, |_, why| panic!("{why:?}"));
        }
        // What is between two records is in front of each.
        let own = String::from_utf8(out).unwrap();
        own[form.between.len()..].to_owned() + &form.after
    }

    fn labelled(labels: &[&str]) -> Dialect {
        let labels = labels.iter().map(|label| label.as_bytes().to_vec()).collect();
        let division = Division::Multiline(Multiline::Labelled { labels, begins: true });
        Dialect { division, quote: None, ..Dialect::new("") }
    }

    proptest! {
        #[test]
        fn labels_are_written_as_they_were(
            records in prop::collection::vec(("[0-9]{3}", prop::option::of("[a-z]{1,6}( [a-z]{1,6})?"), 0_u32..9_999), 2..20),
            set_off in prop::sample::select(vec![": ", " : ", ":\t", "=", " = "]),
            between in prop::sample::select(vec!["", "\n", "----\n", "\n\n"]),
            shows_empty in any::<bool>(),
            dues_first in any::<bool>(),
        ) {
            let text: Vec<String> = records
                .iter()
                .map(|(berth, vessel, dues)| {
                    let vessel = match vessel {
                        Some(vessel) => format!("Vessel{set_off}{vessel}\n"),
                        None if shows_empty => format!("Vessel{}\n", set_off.trim_end()),
                        None => String::new(),
                    };
                    let dues = format!("Dues{set_off}{dues}.50\n");
                    let (one, other) = if dues_first { (dues, vessel) } else { (vessel, dues) };
                    format!("Berth{set_off}{berth}\n{one}{other}")
                })
                .collect();
            let text = text.join(between) + between;
            prop_assert_eq!(written(&labelled(&["Berth", "Vessel", "Dues"]), &text), text);
        }

        #[test]
        fn cycles_are_written_as_they_were(
            records in prop::collection::vec(("[0-9]{3}", "[a-z]{1,7}", 0_u32..99_999, "[a-z]{1,9}"), 2..20),
            crlf in any::<bool>(),
        ) {
            let end = if crlf { "\r\n" } else { "\n" };
            let text: String = records
                .iter()
                .map(|(berth, vessel, dues, remark)| format!("{berth} {vessel:<8}{end}   {dues:>7};{remark}{end}"))
                .collect();
            let fixed = LineParts::Fixed(Fixed { starts: vec![0, 4], ..Fixed::default() });
            let lines = vec![fixed, LineParts::Delimited { delimiter: b";".to_vec(), fields: 2 }];
            let division = Division::Multiline(Multiline::Cycle { lines, first: None });
            let dialect = Dialect { division, quote: None, ..Dialect::new("") };
            // Values between delimiters lose the blanks around them here; the columns know of those.
            let bare = |text: &str| text.lines().map(|l| l.trim().to_owned()).collect::<Vec<_>>();
            let own = written(&dialect, &text);
            prop_assert_eq!(own.ends_with("\r\n"), crlf);
            prop_assert_eq!(bare(&own), bare(&text));
        }
    }

    #[test]
    fn values_that_go_on_below_are_set_in_as_they_were() {
        let text =
            "Berth: 007\nRemark: late\n    see gate\n    twice\nDues: 7\n\nBerth: 012\nRemark:\nDues: 9\n";
        assert_eq!(written(&labelled(&["Berth", "Remark", "Dues"]), text), text);
    }

    #[test]
    fn what_would_end_a_record_is_told() {
        let labels = labelled(&["Berth", "Remark"]);
        let form =
            TextForm::of_records(&labels, &Repeats::default(), b"Berth: 007\nRemark: late\n", 2).unwrap();
        let lines =
            ["7", "whole", "whole"].map(|_| LineParts::Fixed(Fixed { starts: vec![0], ..Fixed::default() }));
        let division = Division::Multiline(Multiline::Cycle { lines: lines.to_vec(), first: None });
        let cycle = Dialect { division, quote: None, ..Dialect::new("") };
        let cycle = TextForm::of_records(&cycle, &Repeats::default(), b"007\nTern\nlate\n", 3).unwrap();
        for (form, fields, expected) in [
            (&form, &["007", "late\nsee gate"][..], &[][..]),
            (&form, &["007", "late\n\nsee gate"], &[1]),
            (&form, &["", ""], &[]),
            (&cycle, &["007", "Tern", ""], &[]),
            (&cycle, &["007", "", "late"], &[1]),
            (&cycle, &["", "", "late"], &[0]),
            (&cycle, &["007", "Tern\nHeron", "late"], &[1]),
        ] {
            let mut told = Vec::new();
            RecordWriter::new(form).write(fields, &mut Vec::new(), |place, _| told.push(place));
            assert_eq!(told, expected, "{fields:?}");
        }
        // A line with a label that is no column's.
        let other = TextForm::of_records(&labels, &Repeats::default(), b"Berth: 007\nFlag: red\n", 3);
        assert!(other.is_none());
    }

    #[test]
    fn lines_that_are_continued_are_not_written() {
        let division =
            Division::Multiline(Multiline::Continued(Fixed { starts: vec![0, 4], ..Fixed::default() }));
        let dialect = Dialect { division, quote: None, ..Dialect::new("") };
        assert!(TextForm::of_records(&dialect, &Repeats::default(), b"007 Tern\n    Heron\n", 2).is_none());
    }
}
