//! Lines of totals below the records: computed again where the rows add up to something else than they did.

use super::SourceForm;
use crate::cells::CellForm;
use incola_core::kind::number::{self, Decimal, Group, Sign};
use incola_core::kind::statistics::trim;
use incola_core::kind::{Kind, Marks};
use incola_core::record::{Dialect, Division, Fixed, Machine, Step, TextForm};

/// A total that was computed again.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TotalChange {
    /// The column, as the source calls it.
    pub column: String,
    /// What the source said.
    pub from: String,
    /// What is written.
    pub to: String,
}

/// Whether the numbers of a column can be added up as they are spelled.
pub(super) fn adds_up(cell: &CellForm) -> bool {
    Kind::from_word(&cell.kind) == Some(Kind::Number)
        && cell.picture.is_none()
        && !cell.codes.iter().any(|code| code.contains('%'))
}

/// What is below the records. `sums`: by field, what its numbers added up to when they were read, and what they do now, in units of
/// 10^-15. A total is known by being the one, and changes if the other differs.
pub(super) fn again(form: &SourceForm, sums: &[Option<(i128, i128)>]) -> (String, Vec<TotalChange>) {
    let (mut after, mut changes) = (String::new(), Vec::new());
    let dialect = dialect(&form.text);
    for line in form.text.after.split_inclusive(['\n', '\r']) {
        let own = line.trim_end_matches(['\r', '\n']);
        let mut machine = Machine::new(&dialect);
        let mut edits: Vec<(usize, usize, String)> = Vec::new();
        if machine.step(own.as_bytes(), 0, true) == Step::Record {
            for (place, field) in machine.fields(own.as_bytes()).enumerate() {
                let Some((then, now)) = sums.get(place).copied().flatten() else { continue };
                let value = trim(field).0;
                let Some(to) = spelled(value, &form.cells[place], then, now) else { continue };
                // Where the field is in the line; one whose quotes were taken out is not in it as it is.
                let Some(at) = own.as_bytes().windows(value.len().max(1)).rposition(|part| part == value)
                else {
                    continue;
                };
                let from = String::from_utf8_lossy(value).into_owned();
                changes.push(TotalChange { column: form.cells[place].name.clone(), from, to: to.clone() });
                edits.push((at, at + value.len(), to));
            }
        }
        after.push_str(&edited(own, edits, form.text.delimiter.is_none()));
        after.push_str(&line[own.len()..]);
    }
    (after, changes)
}

/// How records are divided.
fn dialect(form: &TextForm) -> Dialect {
    let delimiter = form.delimiter.clone().unwrap_or_default();
    let division = match form.delimiter {
        Some(_) => Division::Delimited,
        None => Division::Fixed(Fixed { starts: form.starts.clone(), unit: form.unit }),
    };
    let quote = form.quote.and_then(|quote| u8::try_from(quote).ok());
    Dialect { division, quote, doubles_quotes: !form.escapes, ..Dialect::new(&delimiter) }
}

/// A printed total as it is now; `None`: it is none, it is the same, or it is spelled in a way that is not written here.
fn spelled(printed: &[u8], cell: &CellForm, then: i128, now: i128) -> Option<String> {
    let mark = cell.marks.first().map_or(".", String::as_str);
    let decimal = if mark == "," { Decimal::Comma } else { Decimal::Point };
    let number = number::parse(printed, decimal).ok()?;
    let spelling = number.spelling.spelling();
    let is_plain = spelling.affix.is_none()
        && spelling.exponent.is_none()
        && matches!(spelling.sign, Sign::None | Sign::Minus);
    if !is_plain || then == now || number::in_units(&number) != Some(then) {
        return None;
    }
    let groups = cell.codes.iter().any(|code| code.contains("#,##0"));
    let group = match spelling.group {
        // What is shorter than a group shows no mark.
        Group::None if groups && then.abs() < 1000 * 10_i128.pow(15) => {
            cell.marks.get(1).and_then(|text| Group::from_text(text)).unwrap_or_default()
        }
        group => group,
    };
    Some(Marks { decimal, group }.spell(&number::units_text(now, spelling.decimals)))
}

/// A line with other text in some places. `is_fixed`: what stands behind stays where it is, as far as there are blanks.
fn edited(line: &str, mut edits: Vec<(usize, usize, String)>, is_fixed: bool) -> String {
    let mut out = line.to_owned();
    edits.sort_unstable_by_key(|edit| std::cmp::Reverse(edit.0));
    for (from, to, text) in edits {
        let (old, new) = (to - from, text.len());
        let mut begin = from;
        let mut text = text;
        if is_fixed && new > old {
            let blanks = out.as_bytes()[..from].iter().rev().take_while(|b| **b == b' ').count();
            begin -= blanks.min(new - old);
        } else if is_fixed {
            text.insert_str(0, &" ".repeat(old - new));
        }
        out.replace_range(begin..to, &text);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const ONE: i128 = 10_i128.pow(15);

    fn form(delimiter: Option<&str>, after: &str, marks: [&str; 2]) -> SourceForm {
        let cell = |name: &str, kind: Kind| CellForm {
            name: name.into(),
            kind: kind.word().into(),
            codes: vec!["#,##0.00".into()],
            marks: marks.map(String::from).to_vec(),
            ..CellForm::default()
        };
        let text = TextForm {
            delimiter: delimiter.map(String::from),
            starts: vec![0, 8],
            after: after.into(),
            ..TextForm::default()
        };
        SourceForm { text, cells: vec![cell("Call", Kind::Text), cell("Dues", Kind::Number)] }
    }

    #[test]
    fn totals_are_spelled_as_they_were() {
        let point = [".", ","];
        for (delimiter, after, marks, then, now, expected) in [
            (Some(";"), "Total;1.356,81\n", [",", "."], 1_356_810, 1_400_000, "Total;1.400,00\n"),
            (Some(";"), "Total;900,00\n# end\n", [",", "."], 900_000, 1_200_500, "Total;1.200,50\n# end\n"),
            (Some(","), "Total,12.50\r\n", point, 12_500, -3_250, "Total,-3.25\r\n"),
            (Some(","), "Total,12.50\n", point, 12_500, 12_505, "Total,12.505\n"),
            // At fixed places the last digit stays where it is.
            (None, "Total       9.50\n", point, 9_500, 120_000, "Total     120.00\n"),
            (None, "Total     120.00\n", point, 120_000, 9_500, "Total       9.50\n"),
            (None, "Total   19.50\n", point, 19_500, 1_234_567_000, "Total1,234,567.00\n"),
            // What is no total of the records, or the same, stays as it is.
            (Some(","), "Total,12.51\n", point, 12_500, 9_000, "Total,12.51\n"),
            (Some(","), "Total,12.50\n", point, 12_500, 12_500, "Total,12.50\n"),
            (Some(","), "Total,EUR 12.50\n", point, 12_500, 9_000, "Total,EUR 12.50\n"),
            (Some(","), "", point, 12_500, 9_000, ""),
        ] {
            let form = form(delimiter, after, marks);
            let sums = [None, Some((then * ONE / 1000, now * ONE / 1000))];
            let (text, changes) = again(&form, &sums);
            assert_eq!(text, expected, "{after}");
            assert_eq!(changes.len(), usize::from(text != after), "{after}");
        }
    }
}
