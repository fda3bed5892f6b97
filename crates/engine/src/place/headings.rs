//! Headings of a sheet and columns of a source: which belongs to which.

use crate::import::Slot;
use crate::stop::{Mismatch, PlaceStop, Result, Stop};
use incola_core::settings::model::{ExtraColumns, MatchBy};

/// A heading of the sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Heading {
    /// Its column, from 1.
    pub column: u32,
    /// What it says.
    pub name: String,
    /// Whether formulas stand below it.
    pub is_computed: bool,
}

/// A column of the source, or what says which source it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Offer {
    /// What goes into the sheet.
    pub slot: Slot,
    /// What it is called.
    pub name: String,
    /// What the first record holds there, with its line, if no line was taken for the names.
    pub first: Option<(u64, String)>,
}

impl Offer {
    /// An offer of which no record is known.
    pub fn new(slot: Slot, name: String) -> Self {
        Self { slot, name, first: None }
    }
}

/// What belongs to what.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Pairs {
    /// Columns of the sheet in rising order, and what goes into each.
    pub slots: Vec<(u32, Slot)>,
    /// Columns of the sheet that have formulas.
    pub computed: Vec<u32>,
    /// Headings that are put behind the others.
    pub added: Vec<(u32, String)>,
    /// Names that are alike, not the same: the sheet's and the source's.
    pub alike: Vec<(String, String)>,
}

/// The rules of pairing.
#[derive(Clone, Copy, Debug)]
pub struct Rules {
    /// How columns find their headings.
    pub matching: MatchBy,
    /// Whether headings without a column stay empty; else they stop the import.
    pub missing_is_blank: bool,
    /// What becomes of columns without a heading; `None`: they stop the import.
    pub surplus: Option<ExtraColumns>,
}

/// For each name that is wanted the one that is called so: the very same first, then those that are the same but for case and blanks
/// around them. None is taken twice.
pub(crate) fn by_name(wanted: &[&str], there: &[&str]) -> Vec<Option<usize>> {
    let mut found: Vec<Option<usize>> = vec![None; wanted.len()];
    let mut taken = vec![false; there.len()];
    let same: fn(&str, &str) -> bool = |a, b| a == b;
    let alike: fn(&str, &str) -> bool = |a, b| a.trim().to_lowercase() == b.trim().to_lowercase();
    for fits in [same, alike] {
        for (own, name) in found.iter_mut().zip(wanted).filter(|(own, _)| own.is_none()) {
            if let Some(at) = (0..there.len()).find(|at| !taken[*at] && fits(there[*at], name)) {
                (*own, taken[at]) = (Some(at), true);
            }
        }
    }
    found
}

/// A name as it is compared: without case, blanks and punctuation.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Pairs headings with what a source offers. `sheet`: its name, for messages.
pub fn pair(headings: &[Heading], offers: &[Offer], rules: Rules, sheet: &str) -> Result<Pairs> {
    let mut pairs = Pairs::default();
    let mut left: Vec<&Offer> = offers.iter().collect();
    let mut open: Vec<&Heading> = headings.iter().collect();
    if rules.matching == MatchBy::Position {
        open.retain(|h| !h.is_computed);
        let count = open.len().min(left.len());
        for (heading, offer) in open.drain(..count).zip(left.drain(..count)) {
            pairs.slots.push((heading.column, offer.slot));
        }
        pairs.computed = headings.iter().filter(|h| h.is_computed).map(|h| h.column).collect();
    } else {
        let same: fn(&str, &str) -> bool = |a, b| a == b;
        let alike: fn(&str, &str) -> bool = |a, b| !plain(a).is_empty() && plain(a) == plain(b);
        for fits in [same, alike] {
            open.retain(|heading| {
                let Some(at) = left.iter().position(|offer| fits(&offer.name, &heading.name)) else {
                    return true;
                };
                let offer = left.remove(at);
                if offer.name != heading.name {
                    pairs.alike.push((heading.name.clone(), offer.name.clone()));
                }
                pairs.slots.push((heading.column, offer.slot));
                false
            });
        }
        pairs.computed = open.iter().filter(|h| h.is_computed).map(|h| h.column).collect();
        open.retain(|h| !h.is_computed);
    }
    // What says which source it is finds a place of its own.
    let is_fine = |offer: &&Offer| is_ours(offer.slot) || rules.surplus.is_some();
    if (!open.is_empty() && !rules.missing_is_blank) || !left.iter().all(is_fine) || pairs.slots.is_empty() {
        return Err(mismatch(headings, offers, (&open, &left), rules, sheet));
    }
    pairs.slots.extend(open.iter().map(|h| (h.column, Slot::Nothing)));
    let next = headings.iter().map(|h| h.column).max().unwrap_or(0) + 1;
    let wanted = left.iter().filter(|o| is_ours(o.slot) || rules.surplus == Some(ExtraColumns::Add));
    for (offer, column) in wanted.zip(next..) {
        pairs.added.push((column, offer.name.clone()));
        pairs.slots.push((column, offer.slot));
    }
    pairs.slots.sort_unstable_by_key(|(column, _)| *column);
    Ok(pairs)
}

/// Whether a column is not the source's, but was asked for: it gets a heading if there is none.
fn is_ours(slot: Slot) -> bool {
    matches!(slot, Slot::SourceName | Slot::RecordNumber)
}

/// Both lists, with what has no counterpart marked.
fn mismatch(
    headings: &[Heading],
    offers: &[Offer],
    (open, left): (&[&Heading], &[&Offer]),
    rules: Rules,
    sheet: &str,
) -> Stop {
    // A line of names that was taken for a record: by position it would go in as one.
    let is_in = |h: &&&Heading| {
        let first = |o: &Offer| o.first.as_ref().is_some_and(|(_, value)| plain(value) == plain(&h.name));
        offers.iter().any(first)
    };
    let line = offers.iter().find_map(|o| o.first.as_ref()).map(|(line, _)| *line);
    let why = Mismatch {
        headings: headings.iter().map(|h| (h.name.clone(), open.contains(&h))).collect(),
        columns: offers.iter().map(|o| (o.name.clone(), left.contains(&o))).collect(),
        names_line: line.filter(|_| !open.is_empty() && open.iter().all(|h| is_in(&h))),
        is_by_name: rules.matching == MatchBy::Name,
        lacks_columns: !open.is_empty() && !rules.missing_is_blank,
        surplus: left.first().filter(|_| rules.surplus.is_none()).map(|o| o.name.clone()),
    };
    Stop::place(sheet, PlaceStop::Mismatch(why))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn headings(names: &str) -> Vec<Heading> {
        let names = names.split(',').zip(2..);
        names
            .map(|(name, column)| Heading {
                column,
                name: name.trim_start_matches('=').into(),
                is_computed: name.starts_with('='),
            })
            .collect()
    }

    fn offers(names: &str) -> Vec<Offer> {
        let slot = |n: usize, name: &str| if name == "Source" { Slot::SourceName } else { Slot::Field(n) };
        names.split(',').enumerate().map(|(n, name)| Offer::new(slot(n, name), name.into())).collect()
    }

    fn shown(pairs: &Pairs) -> String {
        let slot = |slot: &Slot| match slot {
            Slot::Field(n) => n.to_string(),
            Slot::SourceName => "source".into(),
            Slot::RecordNumber => "number".into(),
            Slot::Nothing => "-".into(),
        };
        let slots: Vec<String> = pairs.slots.iter().map(|(c, s)| format!("{c}:{}", slot(s))).collect();
        format!("{} computed {:?} added {:?}", slots.join(" "), pairs.computed, pairs.added)
    }

    #[test]
    fn columns_find_their_headings() {
        use MatchBy::{Name, Position};
        const STOP: Option<ExtraColumns> = None;
        let (add, skip) = (Some(ExtraColumns::Add), Some(ExtraColumns::Skip));
        for (sheet, source, matching, missing_is_blank, surplus, expected) in [
            ("Call,Berth", "Call,Berth", Name, false, STOP, Some("2:0 3:1 computed [] added []")),
            ("Call,Berth", "Berth,Call", Name, false, STOP, Some("2:1 3:0 computed [] added []")),
            ("Call,Berth code", "berth_code,CALL", Name, false, STOP, Some("2:1 3:0 computed [] added []")),
            // The same name comes before one that is alike.
            ("call,Call", "Call,call", Name, false, STOP, Some("2:1 3:0 computed [] added []")),
            ("Call,=Tax,Dues", "Call,Dues", Name, false, STOP, Some("2:0 4:1 computed [3] added []")),
            ("Call,=Tax,Dues", "A,B", Position, false, STOP, Some("2:0 4:1 computed [3] added []")),
            ("Call,Berth,Dues", "Call,Dues", Name, false, STOP, None),
            ("Call,Berth,Dues", "Call,Dues", Name, true, STOP, Some("2:0 3:- 4:1 computed [] added []")),
            ("Call,Berth", "Call,Cargo,Berth", Name, false, STOP, None),
            ("Call,Berth", "Call,Cargo,Berth", Name, false, skip, Some("2:0 3:2 computed [] added []")),
            (
                "Call,Berth",
                "Call,Cargo,Berth",
                Name,
                false,
                add,
                Some("2:0 3:2 4:1 computed [] added [(4, \"Cargo\")]"),
            ),
            (
                "Call",
                "Call,Source",
                Name,
                false,
                STOP,
                Some("2:0 3:source computed [] added [(3, \"Source\")]"),
            ),
            ("Call,Source", "Call,Source", Name, false, STOP, Some("2:0 3:source computed [] added []")),
            ("A,B", "Call,Berth", Position, false, STOP, Some("2:0 3:1 computed [] added []")),
            ("A,B", "Call,Berth,Dues", Position, false, STOP, None),
            ("A,B", "Call,Berth,Dues", Position, false, skip, Some("2:0 3:1 computed [] added []")),
            ("A,B", "Call", Position, true, STOP, Some("2:0 3:- computed [] added []")),
            ("A,B", "Call,Berth", Name, true, skip, None),
        ] {
            let rules = Rules { matching, missing_is_blank, surplus };
            let found = pair(&headings(sheet), &offers(source), rules, "calls").ok();
            assert_eq!(found.as_ref().map(shown).as_deref(), expected, "{sheet} / {source}");
        }
    }
}
