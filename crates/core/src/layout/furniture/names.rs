//! Names as rows hold them: what may be one, and what several lines of them come to.

use super::super::Samples;
use super::super::candidates::Form;
use super::super::measure::sort::{Sort, sort_of};
use super::{Judged, is_comment};
use crate::kind::statistics::trim;
use crate::record::{Dialect, Machine};

/// Years that stand above columns of amounts.
pub(super) fn is_year(text: &str) -> bool {
    text.len() == 4 && text.parse().is_ok_and(|year: u16| (1900..2100).contains(&year))
}

/// Whether a text may be a name: 1, or -1; 0 if there is none.
pub(super) fn name_like(text: &str) -> f64 {
    if text.is_empty() {
        return 0.0;
    }
    let letters = text.chars().any(char::is_alphabetic);
    let fits = letters
        && text.chars().count() <= 80
        && matches!(sort_of(text), Sort::Word | Sort::Text | Sort::Code);
    if fits { 1.0 } else { -1.0 }
}

/// The fields of a comment line, its mark left out.
pub(super) fn comment_fields(line: &[u8], judged: &Judged<'_>) -> Vec<String> {
    let text = String::from_utf8_lossy(line);
    let text = text.trim_start_matches(|c: char| !c.is_alphanumeric() && c != '"' && c != '_' && c != '(');
    match judged.form {
        Form::Fixed { .. } | Form::Aligned { .. } => text.split_whitespace().map(str::to_owned).collect(),
        _ => {
            let dialect = Dialect { comment_prefix: None, ..judged.dialect().clone() };
            let mut machine = Machine::new(&dialect);
            machine.step(text.as_bytes(), 0, true);
            let fields = machine.fields(text.as_bytes());
            let names: Vec<String> =
                fields.map(|f| String::from_utf8_lossy(trim(f).0).into_owned()).collect();
            // Marks that only set the names apart for the eye.
            let filled = || names.iter().filter(|name| !name.is_empty());
            if names.len() > judged.width && filled().count() == judged.width {
                filled().cloned().collect()
            } else {
                names
            }
        }
    }
}

/// The names of a row. Where it has fewer fields than the records, or its names are wider than their columns, the line is
/// divided by blanks if that makes as many as there are columns.
pub(super) fn narrow_names(samples: Samples<'_>, judged: &Judged<'_>, at: usize) -> Vec<String> {
    let row = judged.row(at);
    let line = String::from_utf8_lossy(&samples.head[row.start..row.end]);
    if is_comment(row) {
        return comment_fields(line.as_bytes(), judged);
    }
    let names: Vec<String> = row.values.iter().map(|v| judged.lexicon.text(*v).to_owned()).collect();
    let filled = names.iter().filter(|n| !n.is_empty()).count();
    if judged.width == 1 || (row.cuts == 0 && filled != 1) {
        return names;
    }
    let line = line.trim();
    let spread: Vec<String> = line
        .split("  ")
        .flat_map(|part| part.split('\t'))
        .map(|part| part.trim().to_owned())
        .filter(|part| !part.is_empty())
        .collect();
    let words: Vec<String> = line.split_whitespace().map(str::to_owned).collect();
    [spread, words]
        .into_iter()
        .find(|w| w.len() == judged.width && w.iter().all(|word| is_whole(word)))
        .unwrap_or(names)
}

/// Names without the word in front that marks their line (`~A`, `%`), where there is one more than there are columns.
pub(super) fn without_mark(mut names: Vec<String>, width: usize) -> Vec<String> {
    let is_mark = |name: &String| {
        name.chars().count() < 3
            && name.starts_with(|c: char| !c.is_alphanumeric() && !matches!(c, '"' | '_' | '('))
    };
    if width > 1 && names.len() == width + 1 && names.first().is_some_and(is_mark) {
        names.remove(0);
    }
    names
}

/// Whether a word could be a name by itself, and is no piece of a sentence or statement: its brackets close, and nothing ends behind it.
fn is_whole(word: &str) -> bool {
    let count = |mark: char| word.matches(mark).count();
    count('(') == count(')') && count('[') == count(']') && !word.ends_with([';', ',', '.', '{'])
}

/// Whether the words below the names go on with them, and are no units: some columns have a name only there, or the words are
/// longer than units are.
pub(super) fn is_second_line(names: &[String], below: &[String]) -> bool {
    let only_below =
        below.iter().enumerate().any(|(i, b)| !b.is_empty() && names.get(i).is_none_or(String::is_empty));
    let unit = |text: &String| text.is_empty() || text.chars().count() <= 6 || text.starts_with(['(', '[']);
    only_below || below.iter().filter(|b| !unit(b)).count() * 3 > below.len()
}

/// Whether all words of a row stand in brackets, or are short marks of measure.
pub(super) fn is_units(below: &[String]) -> bool {
    below.iter().filter(|b| !b.is_empty()).all(|b| b.starts_with(['(', '[', '<']))
}

/// Names of two lines in one. Where the lower ones repeat, an upper one counts for the columns on its right as well, up to the
/// next: `Arrival` above `Date` and `Time`.
pub(super) fn joined(upper: &[String], lower: &[String]) -> Vec<String> {
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

pub(super) fn distinct(names: &[String]) -> bool {
    let mut sorted: Vec<String> = names.iter().filter(|n| !n.is_empty()).map(|n| n.to_lowercase()).collect();
    let count = sorted.len();
    sorted.sort_unstable();
    sorted.dedup();
    sorted.len() == count
}
