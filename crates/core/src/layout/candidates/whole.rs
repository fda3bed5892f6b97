//! One column of whole lines; and text of which it is known that it is no table.

use super::super::measure::column::{Words, code_all};
use super::super::measure::grid::Grid;
use super::super::measure::lexicon::ValueId;
use super::super::measure::sort::Sort;
use super::super::measure::structure::nested;
use super::{Bench, Candidate, Form};
use crate::record::Dialect;

/// Bits of saying that lines are not divided.
const DIALECT: f64 = 8.0;

/// Each line is one value: always possible. A value may be in quotes.
pub(in crate::layout) fn propose(bench: &mut Bench<'_, '_>, quote: Option<u8>) -> Candidate {
    let dialect = Dialect { quote, ..bench.plain.clone() };
    let grid = Grid::read(bench.sample, &dialect, &mut bench.lexicon);
    let values: Vec<ValueId> = grid
        .rows
        .iter()
        .filter(|r| !r.is_rule)
        .map(|r| grid.cells(r).first().map_or(r.text, |cell| cell.value))
        .collect();
    let (plain, column) = code_all(&bench.lexicon, &mut Words::default(), &values);
    let sorts = |sort: fn(Sort) -> bool| {
        column
            .values()
            .filter(|(id, _)| sort(bench.lexicon.get(*id).sort))
            .map(|v| v.1 as usize)
            .sum::<usize>()
    };
    let (atoms, moments) = (sorts(|s| s != Sort::Text), sorts(|s| s == Sort::Moment));
    let mut bits = if atoms * 10 > values.len() * 9 {
        nested(&mut bench.lexicon, &values, plain, None, 5)
    } else {
        plain
    };
    bits += super::delimited::unexplained_quotes(bench, &grid);
    // A date with its time, or its parts, is one value.
    if moments * 100 > values.len() * 95 {
        bits -= values.len() as f64;
    }
    Candidate {
        dialect,
        form: Form::Whole,
        width: 1,
        bits: bits + DIALECT + if grid.quoted > 0 { 4.0 + 6.0 * grid.bad_quotes as f64 } else { 0.0 },
        records: grid.rows.len(),
        even: grid.rows.len(),
        aside: 0,
        quoted: grid.quoted,
        bad_quotes: grid.bad_quotes,
        columns: vec![column],
    }
}

/// What kind of text without a table the lines are, if it is known: structured data, markup, settings in sections.
pub(in crate::layout) fn not_a_table(lines: &[&str]) -> Option<&'static str> {
    let filled: Vec<&str> = lines.iter().map(|l| l.trim()).filter(|l| !l.is_empty()).take(400).collect();
    let count = filled.len();
    let (first, last) = (filled.first()?, lines.iter().rev().map(|l| l.trim()).find(|l| !l.is_empty())?);
    let ends = |open: char, close: char| first.starts_with(open) && last.ends_with(close);
    if (ends('{', '}') || ends('[', ']')) && is_structured(&filled) {
        return Some("nested data in brackets");
    }
    let marked = filled.iter().filter(|l| l.starts_with('<') || l.contains("</")).count();
    let closed = filled.iter().filter(|l| l.contains("</") || l.contains("/>")).count();
    if first.starts_with('<') && marked * 2 > count && closed * 10 > count {
        return Some("markup");
    }
    let is_section = |l: &str| {
        l.len() > 2 && l.starts_with('[') && l.ends_with(']') && !l[1..l.len() - 1].contains(['[', ']'])
    };
    let key = |l: &str| -> Option<String> {
        let (key, _) = l.split_once('=')?;
        let key = key.trim();
        let plain = key.chars().all(|c| c.is_alphanumeric() || "_.- ".contains(c));
        (!key.is_empty() && plain).then(|| key.to_owned())
    };
    let sections = filled.iter().filter(|l| is_section(l)).count();
    let comments = filled.iter().filter(|l| l.starts_with(['#', ';'])).count();
    let keys: Vec<String> = filled.iter().filter_map(|l| key(l)).collect();
    let mut counts: Vec<(&str, usize)> = Vec::new();
    for key in &keys {
        match counts.iter_mut().find(|c| c.0 == key) {
            Some(known) => known.1 += 1,
            None => counts.push((key, 1)),
        }
    }
    // The same keys in every section are records.
    let repeated: Vec<usize> = counts.iter().map(|c| c.1).filter(|count| count * 2 >= sections).collect();
    if sections >= 3 && repeated.len() >= 2 && repeated.iter().sum::<usize>() * 10 >= keys.len() * 7 {
        return None;
    }
    let all = (keys.len() + sections + comments) * 10 >= count * 9;
    (sections >= 1 && all && keys.len() >= 2).then_some("settings in sections")
}

/// Whether lines that stand between brackets are nested data: most of them end or begin with its marks.
fn is_structured(lines: &[&str]) -> bool {
    let marks = lines
        .iter()
        .filter(|l| l.ends_with(['{', '}', '[', ']', ',']) || l.starts_with(['{', '}', '[', ']', '"']))
        .count();
    let named = lines.iter().any(|l| l.contains("\":") || l.contains("\" :"));
    named && marks * 10 >= lines.len() * 9
}

#[cfg(test)]
mod tests {
    use super::not_a_table;

    #[test]
    fn other_forms_of_text_are_known() {
        for (text, expected) in [
            ("{\n  \"berth\": \"007\",\n  \"dues\": [12.5, 3]\n}\n", true),
            ("<quay>\n  <berth>007</berth>\n  <berth>012</berth>\n</quay>\n", true),
            ("[tide]\nstation=0041\nunit=m\n\n[wind]\nunit=kn\n", true),
            // The same keys in every section: records.
            ("[a]\nberth=007\ndues=3\n[b]\nberth=008\ndues=4\n[c]\nberth=009\ndues=5\n", false),
            ("berth,dues\n007,12.5\n", false),
            ("[1;2]\n[3;4]\n", false),
        ] {
            let lines: Vec<&str> = text.lines().collect();
            assert_eq!(not_a_table(&lines).is_some(), expected, "{text}");
        }
    }
}
