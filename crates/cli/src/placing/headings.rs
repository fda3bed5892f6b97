//! Headings of a sheet and columns of a source: which belongs to which.

use crate::failure::{Failure, Result};
use crate::passes::write::Slot;
use crate::render::command::quoted;
use crate::render::{sanitize, text};

/// How columns of the source find their columns of the sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Matching {
    /// By name.
    Name,
    /// In their order.
    Position,
}

/// What becomes of columns that the sheet has no heading for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Surplus {
    /// They stop the import.
    Stop,
    /// They get a heading behind the others.
    Add,
    /// They are left out.
    Skip,
}

/// A heading of the sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Heading {
    /// Its column, from 1.
    pub(crate) column: u32,
    pub(crate) name: String,
    /// Whether formulas stand below it.
    pub(crate) is_computed: bool,
}

/// A column of the source, or what says which source it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Offer {
    pub(crate) slot: Slot,
    pub(crate) name: String,
    /// What the first record holds there, with its line, if no line was taken for the names.
    pub(crate) first: Option<(u64, String)>,
}

impl Offer {
    pub(crate) fn new(slot: Slot, name: String) -> Self {
        Self { slot, name, first: None }
    }
}

/// What belongs to what.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Pairs {
    /// Columns of the sheet in rising order, and what goes into each.
    pub(crate) slots: Vec<(u32, Slot)>,
    /// Columns of the sheet that have formulas.
    pub(crate) computed: Vec<u32>,
    /// Headings that are put behind the others.
    pub(crate) added: Vec<(u32, String)>,
    /// Names that are alike, not the same: the sheet's and the source's.
    pub(crate) alike: Vec<(String, String)>,
}

/// The rules of pairing.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Rules {
    pub(crate) matching: Matching,
    /// Whether headings without a column stay empty; else they stop the import.
    pub(crate) missing_is_blank: bool,
    pub(crate) surplus: Surplus,
}

/// A name as it is compared: without case, blanks and punctuation.
fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Pairs headings with what a source offers. `sheet`: its name, for messages.
pub(crate) fn pair(headings: &[Heading], offers: &[Offer], rules: Rules, sheet: &str) -> Result<Pairs> {
    let mut pairs = Pairs::default();
    let mut left: Vec<&Offer> = offers.iter().collect();
    let mut open: Vec<&Heading> = headings.iter().collect();
    if rules.matching == Matching::Position {
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
    let is_fine = |offer: &&Offer| is_ours(offer.slot) || rules.surplus != Surplus::Stop;
    if (!open.is_empty() && !rules.missing_is_blank) || !left.iter().all(is_fine) || pairs.slots.is_empty() {
        return Err(mismatch(headings, offers, &open, &left, rules, sheet));
    }
    pairs.slots.extend(open.iter().map(|h| (h.column, Slot::Nothing)));
    let next = headings.iter().map(|h| h.column).max().unwrap_or(0) + 1;
    let wanted = left.iter().filter(|o| is_ours(o.slot) || rules.surplus == Surplus::Add);
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

/// Both lists, side by side, with what has no counterpart marked.
fn mismatch(
    headings: &[Heading],
    offers: &[Offer],
    open: &[&Heading],
    left: &[&Offer],
    rules: Rules,
    sheet: &str,
) -> Failure {
    let lone = |is_lone: bool, name: &str| {
        let mark = if is_lone { "  \u{2260} " } else { "    " };
        format!("{mark}{}", sanitize::line(name))
    };
    let rows = headings.len().max(offers.len());
    let lefts: Vec<String> = headings.iter().map(|h| lone(open.contains(&h), &h.name)).collect();
    let rights: Vec<String> = offers.iter().map(|o| lone(left.contains(&o), &o.name)).collect();
    let width = lefts.iter().map(|t| text::width(t)).max().unwrap_or(0).max(24);
    let mut list = format!("\n    {}  source", text::left("sheet", width - 2));
    let cell = |texts: &[String], n: usize| texts.get(n).cloned().unwrap_or_default();
    for n in 0..rows {
        let line = format!("{}{}", text::left(&cell(&lefts, n), width), cell(&rights, n));
        list.push_str(&format!("\n{}", line.trim_end()));
    }
    let mut failure = Failure::protected(format!(
        "sheet \u{201c}{sheet}\u{201d}: its headings are not the columns of the source{list}"
    ))
    .leaving("the workbook was left as it is");
    // A line of names that was taken for a record: by position it would go in as one.
    let is_in = |h: &&&Heading| {
        let first = |o: &Offer| o.first.as_ref().is_some_and(|(_, value)| plain(value) == plain(&h.name));
        offers.iter().any(first)
    };
    let named = offers.iter().find_map(|o| o.first.as_ref()).map(|(line, _)| *line);
    match named.filter(|_| !open.is_empty() && open.iter().all(|h| is_in(&h))) {
        Some(line) => failure = failure.help(format!("line {line} holds these names: --header {line}")),
        None if rules.matching == Matching::Name => {
            failure = failure.help("columns in the same order: --match position");
        }
        None => {}
    }
    if !open.is_empty() && !rules.missing_is_blank {
        failure = failure.help("headings without a column stay empty: --missing blank");
    }
    if let Some(first) = left.first().filter(|_| rules.surplus == Surplus::Stop) {
        failure = failure
            .help("columns without a heading get one, or are left out: --extra add, --extra skip")
            .help(format!("leave one of them out: --as {}", quoted(&format!("{}=skip", first.name))));
    }
    failure.help("give columns the sheet's names: --names")
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
        use Matching::{Name, Position};
        use Surplus::{Add, Skip, Stop};
        for (sheet, source, matching, missing_is_blank, surplus, expected) in [
            ("Call,Berth", "Call,Berth", Name, false, Stop, Some("2:0 3:1 computed [] added []")),
            ("Call,Berth", "Berth,Call", Name, false, Stop, Some("2:1 3:0 computed [] added []")),
            ("Call,Berth code", "berth_code,CALL", Name, false, Stop, Some("2:1 3:0 computed [] added []")),
            // The same name comes before one that is alike.
            ("call,Call", "Call,call", Name, false, Stop, Some("2:1 3:0 computed [] added []")),
            ("Call,=Tax,Dues", "Call,Dues", Name, false, Stop, Some("2:0 4:1 computed [3] added []")),
            ("Call,=Tax,Dues", "A,B", Position, false, Stop, Some("2:0 4:1 computed [3] added []")),
            ("Call,Berth,Dues", "Call,Dues", Name, false, Stop, None),
            ("Call,Berth,Dues", "Call,Dues", Name, true, Stop, Some("2:0 3:- 4:1 computed [] added []")),
            ("Call,Berth", "Call,Cargo,Berth", Name, false, Stop, None),
            ("Call,Berth", "Call,Cargo,Berth", Name, false, Skip, Some("2:0 3:2 computed [] added []")),
            (
                "Call,Berth",
                "Call,Cargo,Berth",
                Name,
                false,
                Add,
                Some("2:0 3:2 4:1 computed [] added [(4, \"Cargo\")]"),
            ),
            (
                "Call",
                "Call,Source",
                Name,
                false,
                Stop,
                Some("2:0 3:source computed [] added [(3, \"Source\")]"),
            ),
            ("Call,Source", "Call,Source", Name, false, Stop, Some("2:0 3:source computed [] added []")),
            ("A,B", "Call,Berth", Position, false, Stop, Some("2:0 3:1 computed [] added []")),
            ("A,B", "Call,Berth,Dues", Position, false, Stop, None),
            ("A,B", "Call,Berth,Dues", Position, false, Skip, Some("2:0 3:1 computed [] added []")),
            ("A,B", "Call", Position, true, Stop, Some("2:0 3:- computed [] added []")),
            ("A,B", "Call,Berth", Name, true, Skip, None),
        ] {
            let rules = Rules { matching, missing_is_blank, surplus };
            let found = pair(&headings(sheet), &offers(source), rules, "calls").ok();
            assert_eq!(found.as_ref().map(shown).as_deref(), expected, "{sheet} / {source}");
        }
    }
}
