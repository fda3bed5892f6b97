//! Lines that say how many records there are: `Records: 12`, `(12 rows)`, `12 Datensätze gelesen`.

/// What records are called in such lines, in lower case.
const NOUNS: &[&str] = &[
    "records",
    "rows",
    "lines",
    "items",
    "entries",
    "datensätze",
    "sätze",
    "zeilen",
    "einträge",
    "posten",
    "positionen",
    "enregistrements",
    "lignes",
    "entrées",
    "registros",
    "filas",
    "líneas",
    "entradas",
    "registos",
    "linhas",
    "righe",
    "registrazioni",
    "voci",
    "regels",
    "rijen",
    "rader",
    "poster",
    "rækker",
    "linjer",
    "riviä",
    "rivejä",
    "tietuetta",
    "tietueita",
    "rekordów",
    "wierszy",
    "pozycji",
    "záznamů",
    "řádků",
    "položek",
    "sor",
    "rekord",
    "tétel",
    "satır",
    "kayıt",
    "записей",
    "строк",
    "записів",
    "рядків",
    "εγγραφές",
    "γραμμές",
    "件",
    "行",
    "条",
    "筆",
    "건",
    "행",
    "レコード",
    "记录",
    "레코드",
];

/// The same for one of them.
const ONE: &[&str] = &[
    "record",
    "row",
    "line",
    "item",
    "entry",
    "datensatz",
    "satz",
    "zeile",
    "eintrag",
    "enregistrement",
    "ligne",
    "registro",
    "fila",
    "línea",
    "registo",
    "linha",
    "riga",
    "regel",
    "rij",
    "rad",
    "post",
    "række",
    "linje",
    "rivi",
    "tietue",
    "wiersz",
    "záznam",
    "řádek",
    "запись",
    "строка",
    "εγγραφή",
    "γραμμή",
];

/// What else may stand in such a line.
const OTHERS: &[&str] = &[
    "total",
    "count",
    "number",
    "no",
    "of",
    "the",
    "in",
    "all",
    "set",
    "file",
    "found",
    "read",
    "written",
    "printed",
    "selected",
    "exported",
    "returned",
    "affected",
    "anzahl",
    "der",
    "gesamt",
    "gelesen",
    "insgesamt",
    "nombre",
    "d",
    "de",
    "des",
    "número",
    "totale",
    "numero",
    "di",
    "aantal",
    "totaal",
    "antal",
    "antall",
    "yhteensä",
    "liczba",
    "razem",
    "počet",
    "celkem",
    "összesen",
    "toplam",
    "количество",
    "всего",
    "всього",
    "σύνολο",
    "計",
    "共",
    "총",
];

/// How many records a line says there are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CountLine {
    /// The number.
    pub number: u64,
    /// Whether its words say that it counts records, and nothing else; otherwise it is any line of words and one number.
    pub names_records: bool,
}

/// What a line says of how many records there are; `None`: it does not hold words and one whole number.
///
/// ```
/// use incola_core::layout::{CountLine, count_in};
/// assert_eq!(count_in("Records: 1,204"), Some(CountLine { number: 1204, names_records: true }));
/// assert_eq!(count_in("Berth 7"), Some(CountLine { number: 7, names_records: false }));
/// assert_eq!(count_in("12 of 20 records"), None);
/// ```
pub fn count_in(line: &str) -> Option<CountLine> {
    let mut number = None;
    let (mut words, mut nouns, mut singles, mut others) = (0, 0, 0, 0);
    let is_mark = |c: char| matches!(c, '.' | ',' | '\'' | '\u{2019}');
    let parts =
        line.split(|c: char| !c.is_alphanumeric() && !is_mark(c)).map(|part| part.trim_matches(is_mark));
    for part in parts.filter(|part| !part.is_empty()) {
        let digits_end = part.find(|c: char| !c.is_ascii_digit() && !is_mark(c)).unwrap_or(part.len());
        let (digits, word) = part.split_at(digits_end);
        if !digits.is_empty() && number.replace(whole(digits)?).is_some() {
            return None;
        }
        if word.contains(|c: char| c.is_ascii_digit()) {
            return None;
        }
        if !word.is_empty() {
            let word = word.to_lowercase();
            words += 1;
            let is_in = |list: &[&str]| usize::from(list.contains(&word.as_str()));
            nouns += is_in(NOUNS);
            singles += is_in(ONE);
            others += is_in(OTHERS);
        }
    }
    let number = number?;
    let has_noun = if singles > 0 { number == 1 } else { nouns > 0 };
    (words > 0).then_some(CountLine { number, names_records: has_noun && nouns + singles + others == words })
}

/// A whole number, its groups of three set apart or not.
fn whole(digits: &str) -> Option<u64> {
    let mut groups = digits.split(|c: char| !c.is_ascii_digit());
    let first = groups.next()?;
    let mut is_grouped = false;
    let is_whole = groups.all(|group| {
        is_grouped = true;
        group.len() == 3
    });
    let fits = is_whole && (!is_grouped || (1..=3).contains(&first.len()));
    if fits { digits.chars().filter(char::is_ascii_digit).collect::<String>().parse().ok() } else { None }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_that_count_records_are_told_from_other_words_and_numbers() {
        for (line, expected) in [
            ("Records: 22", Some((22, true))),
            ("(12 rows)", Some((12, true))),
            ("(1 row)", Some((1, true))),
            ("   Total number of records   1.204 ", Some((1204, true))),
            ("Anzahl Datensätze: 7", Some((7, true))),
            ("Nombre d'enregistrements : 1 204", None),
            ("共12件", None),
            ("12件", Some((12, true))),
            ("строк: 5", Some((5, true))),
            ("Berth 7", Some((7, false))),
            ("Row 7", Some((7, false))),
            ("Records: 12.50", None),
            ("Records 3 to 9", None),
            ("Records: twelve", None),
            ("A7 records", None),
            ("22", None),
            ("Lines of the harbour 5", Some((5, false))),
            ("", None),
        ] {
            let found = count_in(line).map(|count| (count.number, count.names_records));
            assert_eq!(found, expected, "{line}");
        }
    }
}
