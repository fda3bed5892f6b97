//! Conflicts that were decided one by one.

use super::Winner;
use std::collections::HashMap;
use std::hash::{Hash, Hasher};
use xxhash_rust::xxh3::Xxh3;

/// What tells one conflict from all others: the link, the record, the column and both values. When one of them changes, what was decided
/// about it holds no more.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ConflictMark(u64);

impl ConflictMark {
    /// The mark of a conflict. `label`: what the record is called; `column`: nothing where the whole row is in question, for its record
    /// went; `source`: nothing where there is none.
    pub fn new(link: &str, label: &str, column: Option<&str>, sheet: &str, source: Option<&str>) -> Self {
        let mut hasher = Xxh3::new();
        (link, label, column, sheet, source).hash(&mut hasher);
        Self(hasher.finish())
    }

    /// Reads a mark as it is displayed.
    pub fn parse(text: &str) -> Option<Self> {
        let digits = text
            .strip_prefix('m')
            .filter(|digits| digits.len() == 16 && digits.bytes().all(|b| b.is_ascii_hexdigit()))?;
        u64::from_str_radix(digits, 16).ok().map(Self)
    }
}

impl std::fmt::Display for ConflictMark {
    /// An `m` and 16 hexadecimal digits, so that no program takes it for a number.
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "m{:016x}", self.0)
    }
}

impl serde::Serialize for ConflictMark {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// Who wins in which conflict.
///
/// ```
/// use incola_engine::refresh::{ConflictMark, Decisions, Winner};
///
/// let mark = ConflictMark::new("calls", "Call A-2", Some("Dues"), "3.10", Some("3.25"));
/// let mut decisions = Decisions::default();
/// assert!(decisions.decide(mark, Winner::Sheet));
/// assert_eq!(decisions.of(mark), Some(Winner::Sheet));
/// assert!(!decisions.decide(mark, Winner::Source));
/// ```
#[derive(Clone, Debug, Default)]
pub struct Decisions {
    winners: HashMap<ConflictMark, Winner>,
}

impl Decisions {
    /// Says who wins; `false`: the other one was said before.
    pub fn decide(&mut self, mark: ConflictMark, winner: Winner) -> bool {
        *self.winners.entry(mark).or_insert(winner) == winner
    }

    /// Who wins, if it was said.
    pub fn of(&self, mark: ConflictMark) -> Option<Winner> {
        self.winners.get(&mark).copied()
    }

    /// Whether nothing was decided.
    pub fn is_empty(&self) -> bool {
        self.winners.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn another_value_is_another_conflict() {
        let mark = |column, sheet, source| ConflictMark::new("calls", "Call A-2", column, sheet, source);
        let all = [
            mark(Some("Dues"), "1", Some("2")),
            mark(Some("Dues"), "2", Some("2")),
            mark(Some("Dues"), "1", Some("3")),
            mark(Some("Dues"), "1", Some("")),
            mark(Some("Dues"), "1", None),
            mark(Some("Berth"), "1", Some("2")),
            mark(None, "1", None),
            ConflictMark::new("dues", "Call A-2", Some("Dues"), "1", Some("2")),
            ConflictMark::new("calls", "Call A-3", Some("Dues"), "1", Some("2")),
            // Nothing runs into its neighbour.
            ConflictMark::new("calls", "Call A-2D", Some("ues"), "1", Some("2")),
        ];
        for (n, mark) in all.iter().enumerate() {
            assert_eq!(ConflictMark::parse(&mark.to_string()), Some(*mark));
            assert!(!all[..n].contains(mark), "{n}");
        }
        for none in ["", "m", "m12", "0123456789abcdef0", "m0123456789abcdeg", "m+123456789abcdef"] {
            assert_eq!(ConflictMark::parse(none), None, "{none}");
        }
    }
}
