//! Lines that hold totals: told by their sums, or by their words.

use super::super::Samples;
use super::super::candidates::Candidate;
use super::super::measure::lexicon::{BLANK, Lexicon};
use super::super::measure::sort::Sort;
use super::Judged;
use super::judge::{amount, number};
use super::rows::{Place, Row};
use crate::kind::statistics::trim;
use crate::record::Machine;
use std::collections::HashMap;

/// Words that a total line begins with, in lower case, in the languages of Europe and some others.
const WORDS: &[&str] = &[
    "total",
    "totals",
    "grand total",
    "overall total",
    "sum",
    "sums",
    "subtotal",
    "subtotals",
    "sub-total",
    "sub total",
    "page total",
    "carried forward",
    "brought forward",
    "balance forward",
    "summe",
    "summen",
    "zwischensumme",
    "seitensumme",
    "gesamt",
    "gesamtsumme",
    "endsumme",
    "insgesamt",
    "übertrag",
    "saldo",
    "somme",
    "totaux",
    "sous-total",
    "à reporter",
    "report",
    "total général",
    "totale",
    "totali",
    "totale generale",
    "riporto",
    "subtotale",
    "parziale",
    "suma",
    "total general",
    "subtotal general",
    "suma y sigue",
    "soma",
    "subtotais",
    "totais",
    "a transportar",
    "totaal",
    "totalen",
    "subtotaal",
    "eindtotaal",
    "razem",
    "ogółem",
    "suma końcowa",
    "do przeniesienia",
    "celkem",
    "celkem za",
    "součet",
    "mezisoučet",
    "spolu",
    "összesen",
    "mindösszesen",
    "részösszeg",
    "i alt",
    "sum total",
    "totalt",
    "delsumma",
    "summa",
    "yhteensä",
    "välisumma",
    "toplam",
    "genel toplam",
    "ara toplam",
    "итого",
    "всего",
    "разом",
    "усього",
    "общо",
    "всичко",
    "укупно",
    "ukupno",
    "sveukupno",
    "skupaj",
    "kokku",
    "kopā",
    "iš viso",
    "samtals",
    "alls",
    "ara toplamı",
    "toplamı",
    "σύνολο",
    "μερικό σύνολο",
    "γενικό σύνολο",
    "jumlah",
    "tổng",
    "tổng cộng",
    "סה\"כ",
    "סך הכל",
    "المجموع",
    "الإجمالي",
    "कुल",
    "รวม",
    "รวมทั้งสิ้น",
];

/// Words for totals of languages without blanks between words.
const RUN_ON: [&str; 13] = [
    "合計",
    "小計",
    "総計",
    "累計",
    "合计",
    "小计",
    "总计",
    "累计",
    "總計",
    "합계",
    "소계",
    "총계",
    "총합계",
];

/// Whether a text begins with a word for totals, in one of many languages.
///
/// ```
/// use incola_core::layout::names_total;
/// assert!(names_total("Total") && names_total("Summe: Quay 2") && !names_total("Totalizer"));
/// ```
pub fn names_total(text: &str) -> bool {
    if text.len() > 120 {
        return false;
    }
    let text = text.to_lowercase();
    let text = text.trim_matches(|c: char| !c.is_alphanumeric());
    if RUN_ON.iter().any(|word| text.starts_with(word)) {
        return true;
    }
    WORDS.iter().any(|word| {
        text.strip_prefix(word).is_some_and(|rest| {
            rest.is_empty()
                || (rest.starts_with([':', '=', ' ', '(', '.', '-', '/']) && rest.chars().count() < 40)
        })
    })
}

/// Whether the record in the machine begins with a word for totals. In a fixed layout such words may run across starts: they
/// end at two blanks.
pub(in crate::layout) fn says_total(machine: &Machine, text: &[u8]) -> bool {
    if machine.dialect().division.fixed().is_some() {
        let line = text[machine.start()..machine.end()].trim_ascii();
        let end = memchr::memmem::find(line, b"  ").unwrap_or(line.len());
        return names_total(&String::from_utf8_lossy(&line[..end]));
    }
    let first = machine.fields(text).map(|f| trim(f).0).find(|f| !f.is_empty());
    first.is_some_and(|first| names_total(&String::from_utf8_lossy(first)))
}

/// Whether a row's own words say that it is a total: one of its texts does, and it leaves fields blank; or the first one does, and it holds
/// nothing but numbers behind.
pub(super) fn says_so(lexicon: &Lexicon, row: &Row) -> bool {
    let words = row.values.iter().any(|v| lexicon.get(*v).sort.is_words() && names_total(lexicon.text(*v)));
    // Words may run across starts: they end at two blanks.
    let phrase = lexicon.text(row.text).trim_start().split("  ").next().unwrap_or_default();
    let whole = names_total(phrase);
    let is_amount = |v: &&u32| lexicon.get(**v).sort == Sort::Number;
    let is_first = || whole || row.values.first().is_some_and(|v| names_total(lexicon.text(*v)));
    let amounts = || is_first() && row.values.iter().filter(is_amount).count() + 1 == row.values.len();
    (words || whole) && (row.values.contains(&BLANK) || row.values.len() < 2 || amounts())
}

/// Whether half of a row's numbers are the sums of the records between `first` and it.
pub(super) fn adds_up(judged: &Judged<'_>, first: usize, at: usize) -> bool {
    let row = judged.row(at);
    let worded = row.values.iter().any(|v| names_total(judged.lexicon.text(*v)));
    if row.values.len() != judged.width || !(worded || row.values.contains(&BLANK)) || !judged.rows.is_whole {
        return false;
    }
    let (mut hits, mut all) = (0, 0);
    for (column, id) in row.values.iter().enumerate() {
        if !judged.judge.numeric[column] || judged.lexicon.get(*id).sort != Sort::Number {
            continue;
        }
        let Some(stated) = number(judged.lexicon, *id).filter(|n| n.abs() > 20.0) else { continue };
        all += 1;
        let records = (first..at)
            .map(|i| judged.row(i))
            .filter(|r| r.aside.is_none() && r.values.len() == judged.width);
        let (mut sum, mut several) = (0.0, 0);
        for value in records.filter_map(|r| number(judged.lexicon, r.values[column])) {
            sum += value;
            several += 1;
        }
        hits += usize::from(several > 1 && (sum - stated).abs() <= 1e-6 * stated.abs() + 0.02);
    }
    all > 0 && hits * 2 >= all
}

/// Digits of sums that are no accident: one sum of a large number in cents, or several of small ones.
const PROOF_DIGITS: usize = 5;

/// Digits of a number, two decimals among them if it has any.
fn digits(value: f64) -> usize {
    let whole = value.abs().trunc();
    let decimals = if (value.abs() - whole) > 0.005 { 2 } else { 0 };
    whole.max(1.0).log10() as usize + 1 + decimals
}

/// Which rows of the head hold the sums of the records above them, and leave out fields that nearly all records fill: totals of groups,
/// whatever their words. `is_record`: what was thought of each row so far.
pub(super) fn part_totals(
    rows: &[Row],
    lexicon: &Lexicon,
    width: usize,
    (is_record, is_heading): (&[bool], &[bool]),
) -> Vec<bool> {
    let own: Vec<usize> = (0..rows.len())
        .take_while(|at| rows[*at].place == Place::Head)
        .filter(|at| is_record[*at] && rows[*at].values.len() == width)
        .collect();
    let filled = |column: usize| own.iter().filter(|at| rows[**at].values[column] != BLANK).count();
    // In short reports there are nearly as many totals as records.
    let anchors: Vec<usize> = (0..width).filter(|column| filled(*column) * 5 >= own.len() * 3).collect();
    let amounts = |column: usize| {
        let all = own.iter().filter(|at| amount(lexicon.text(rows[**at].values[column])).is_some());
        all.count() * 5 >= filled(column) * 4
    };
    let numeric: Vec<bool> = (0..width).map(amounts).collect();
    let lacking = |at: usize| -> Vec<usize> {
        anchors.iter().copied().filter(|column| rows[at].values[*column] == BLANK).collect()
    };
    // What adds up, by the fields that are lacking.
    let mut proofs: HashMap<Vec<usize>, usize> = HashMap::new();
    let mut sums = vec![0.0; width];
    let mut records = 0;
    for at in 0..own.last().map_or(0, |last| last + 1) {
        if is_heading[at] {
            (sums, records) = (vec![0.0; width], 0);
        } else if is_record[at] && rows[at].values.len() == width {
            let numbers: Vec<(usize, f64)> = (0..width)
                .filter(|column| numeric[*column])
                .filter_map(|column| Some((column, amount(lexicon.text(rows[at].values[column]))?)))
                .filter(|(_, value)| value.abs() > 0.005)
                .collect();
            let same =
                |(column, value): &&(usize, f64)| (sums[*column] - value).abs() <= 1e-6 * value.abs() + 0.005;
            let lacks = lacking(at);
            if records > 1 && !lacks.is_empty() && !numbers.is_empty() && numbers.iter().all(|n| same(&n)) {
                *proofs.entry(lacks).or_default() +=
                    numbers.iter().map(|(_, value)| digits(*value)).sum::<usize>();
                (sums, records) = (vec![0.0; width], 0);
            } else {
                for (column, value) in numbers {
                    sums[column] += value;
                }
                records += 1;
            }
        }
    }
    proofs.retain(|_, digits| *digits >= PROOF_DIGITS);
    let mut found = vec![false; rows.len()];
    for (at, row) in rows.iter().enumerate() {
        found[at] = is_record[at] && row.values.len() == width && proofs.contains_key(&lacking(at));
    }
    // Totals are fewer than what they are made of.
    let count = found.iter().filter(|is| **is).count();
    if count * 2 < own.len() { found } else { vec![false; rows.len()] }
}

/// Columns that most records fill, if at least two records among the others say that they are totals and fill fewer; else 0.
pub(super) fn filled_among(
    samples: Samples<'_>,
    candidate: &Candidate,
    judged: &Judged<'_>,
    inside: &[usize],
) -> usize {
    if judged.width < 3 {
        return 0;
    }
    let mut filled: Vec<usize> = inside.iter().map(|i| judged.row(*i).filled()).collect();
    filled.sort_unstable();
    let typical = filled.get(filled.len() / 2).copied().unwrap_or(0);
    let mut machine = Machine::new(&candidate.dialect);
    let mut totals = 0;
    for at in inside.iter().filter(|i| judged.in_head(**i) && judged.row(**i).filled() < typical) {
        machine.step(samples.head, judged.row(*at).start, true);
        totals += usize::from(says_total(&machine, samples.head));
    }
    if totals >= 2 { typical } else { 0 }
}

#[cfg(test)]
mod tests {
    use super::names_total;

    #[test]
    fn totals_are_known_in_many_languages_and_names_are_not_totals() {
        for text in [
            "Total",
            "TOTAL:",
            "Summe Kai 7",
            "Razem",
            "Összesen:",
            "*** Total ***",
            "Sous-total",
            "合計",
            "总计",
            "합계:",
            "Σύνολο",
            "Ukupno:",
            "المجموع",
            "סה\"כ",
            "รวมทั้งสิ้น",
            "Total (EUR)",
        ] {
            assert!(names_total(text), "{text}");
        }
        for text in ["Totalis", "Summer Isles", "Sumatra", "Saldorf", "Skupajna", "Общоград", ""] {
            assert!(!names_total(text), "{text}");
        }
    }
}
