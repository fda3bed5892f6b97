//! Names of months in the languages that Incola reads.

/// Languages whose month names are known, as a small set.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Languages(u8);

/// The languages by bit, with their codes (ISO 639-1).
const CODES: [&str; 7] = ["en", "de", "fr", "es", "it", "pt", "nl"];

impl Languages {
    /// All of them.
    pub const ALL: Self = Self(0x7F);

    /// Those in both sets.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self(self.0 & other.0)
    }

    /// Whether the set is empty.
    pub fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// The code of the first language: English where the names do not tell.
    ///
    /// ```
    /// assert_eq!(incola_core::kind::Languages::ALL.code(), "en");
    /// ```
    pub fn code(self) -> &'static str {
        CODES[(self.0.trailing_zeros() as usize).min(CODES.len() - 1)]
    }

    /// The set of the language with this code.
    pub fn from_code(code: &str) -> Option<Self> {
        CODES.iter().position(|c| *c == code).map(|i| Self(1 << i))
    }
}

/// A month name: long, or cut short.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct MonthName {
    /// 1 to 12.
    pub(crate) month: u8,
    /// Languages that write it so.
    pub(crate) languages: Languages,
    /// Cut short (`Jan`).
    pub(crate) short: bool,
}

/// Short names per language and month. English `May` is long and short at once.
const SHORT: [[&str; 12]; 7] = [
    ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"],
    ["jan", "feb", "mrz", "apr", "mai", "jun", "jul", "aug", "sep", "okt", "nov", "dez"],
    ["janv", "févr", "mars", "avr", "mai", "juin", "juil", "août", "sept", "oct", "nov", "déc"],
    ["ene", "feb", "mar", "abr", "may", "jun", "jul", "ago", "sep", "oct", "nov", "dic"],
    ["gen", "feb", "mar", "apr", "mag", "giu", "lug", "ago", "set", "ott", "nov", "dic"],
    ["jan", "fev", "mar", "abr", "mai", "jun", "jul", "ago", "set", "out", "nov", "dez"],
    ["jan", "feb", "mrt", "apr", "mei", "jun", "jul", "aug", "sep", "okt", "nov", "dec"],
];

/// Long names per language and month.
const LONG: [[&str; 12]; 7] = [
    [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ],
    [
        "januar",
        "februar",
        "märz",
        "april",
        "mai",
        "juni",
        "juli",
        "august",
        "september",
        "oktober",
        "november",
        "dezember",
    ],
    [
        "janvier",
        "février",
        "mars",
        "avril",
        "mai",
        "juin",
        "juillet",
        "août",
        "septembre",
        "octobre",
        "novembre",
        "décembre",
    ],
    [
        "enero",
        "febrero",
        "marzo",
        "abril",
        "mayo",
        "junio",
        "julio",
        "agosto",
        "septiembre",
        "octubre",
        "noviembre",
        "diciembre",
    ],
    [
        "gennaio",
        "febbraio",
        "marzo",
        "aprile",
        "maggio",
        "giugno",
        "luglio",
        "agosto",
        "settembre",
        "ottobre",
        "novembre",
        "dicembre",
    ],
    [
        "janeiro",
        "fevereiro",
        "março",
        "abril",
        "maio",
        "junho",
        "julho",
        "agosto",
        "setembro",
        "outubro",
        "novembro",
        "dezembro",
    ],
    [
        "januari",
        "februari",
        "maart",
        "april",
        "mei",
        "juni",
        "juli",
        "augustus",
        "september",
        "oktober",
        "november",
        "december",
    ],
];

/// The month that `name` (in any case, UTF-8) stands for. A name that is long in one language and short in another
/// counts as long only where no language cuts it short.
pub(crate) fn find(name: &[u8]) -> Option<MonthName> {
    if !(3..=12).contains(&name.len()) {
        return None;
    }
    let name = std::str::from_utf8(name).ok()?.to_lowercase();
    let matching = |table: &[[&str; 12]; 7]| {
        let mut found: Option<(u8, u8)> = None;
        for (bit, names) in table.iter().enumerate() {
            if let Some(month) = names.iter().position(|n| *n == name) {
                let (_, bits) = found.get_or_insert((month as u8 + 1, 0));
                *bits |= 1 << bit;
            }
        }
        found
    };
    let (month, bits, short) = match (matching(&SHORT), matching(&LONG)) {
        (Some((month, bits)), None) => (month, bits, true),
        (None, Some((month, bits))) => (month, bits, false),
        // `may`, `mai`, `mars`, `mei`: the other values of the column show which it is; alone it is taken as short.
        (Some((month, bits)), Some((_, more))) => (month, bits | more, true),
        (None, None) => return None,
    };
    Some(MonthName { month, languages: Languages(bits), short })
}

/// Whether `name` is long and short at once in some language, so that it fits both spellings of a column.
pub(crate) fn is_both(name: &[u8]) -> bool {
    matches!(name.to_ascii_lowercase().as_slice(), b"may" | b"mai" | b"mars" | b"mei")
        || name.eq_ignore_ascii_case("août".as_bytes())
}

/// How `month` (1 to 12) is spelled in the first language of the set, in lower case.
pub fn month_name(languages: Languages, month: u8, short: bool) -> &'static str {
    let language = (languages.0.trailing_zeros() as usize).min(CODES.len() - 1);
    let table = if short { &SHORT } else { &LONG };
    table[language][usize::from(month.clamp(1, 12)) - 1]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_in_any_case_with_their_languages() {
        let found = find(b"MAERZ");
        assert_eq!(found, None);
        let found = find("März".as_bytes()).unwrap();
        assert_eq!((found.month, found.languages.code(), found.short), (3, "de", false));
        let found = find(b"Dez").unwrap();
        assert_eq!((found.month, found.languages.code(), found.short), (12, "de", true));
        let found = find(b"oct").unwrap();
        assert_eq!((found.month, found.languages.code(), found.short), (10, "en", true));
        assert_eq!(find(b"quay"), None);
    }
}
