//! Where rows go in a sheet that exists, and what stops them: facts, with no sentence in them.

use super::{imported, opened, surveyed};
use incola_core::reading::Choices;
use incola_core::settings::model::{ExtraColumns, MatchBy, Mode};
use incola_engine::import::Slot;
use incola_engine::place::headings::{Offer, Rules};
use incola_engine::place::spot::{self, Spot};
use incola_engine::place::{self, Wish};
use incola_engine::stop::{PlaceStop, SpotStop, Stop};

const CALLS: &str = "Call,Berth,Dues\nA-1,007,12.5\nA-2,012,3.25\n";

fn wish(mode: Mode, at: Option<&str>, surplus: Option<ExtraColumns>) -> Wish {
    Wish {
        spot: Spot { sheet: Some(0), cell: at.and_then(incola_workbook::CellRef::parse), ..Spot::default() },
        mode,
        rules: Rules { matching: MatchBy::Name, missing_is_blank: false, surplus },
        new_table: None,
        takes_rows_below: false,
        even_protected: false,
        known_last: None,
        last_is_said: false,
    }
}

#[test]
fn rows_find_their_place_or_say_what_is_in_the_way() {
    let (book, _) =
        imported(CALLS.as_bytes(), &surveyed(CALLS.as_bytes(), &Choices::default()).unwrap(), false);
    let add = Some(ExtraColumns::Add);
    for (mode, at, surplus, names, records, expected) in [
        (Mode::Append, None, None, "Call,Berth,Dues", 2, "A4:C5"),
        (Mode::Append, None, None, "Dues,Call,Berth", 1, "A4:C4"),
        (Mode::Replace, None, None, "Call,Berth,Dues", 5, "A2:C6"),
        (Mode::Append, None, add, "Call,Berth,Dues,Cargo", 1, "A4:D4"),
        (Mode::Fresh, Some("A9"), None, "Call,Berth", 1, "A9:B10"),
        (Mode::Fresh, None, None, "Call,Berth,Dues", 1, "occupied 2 to 3, replace true, append true"),
        (Mode::Append, None, None, "Call,Wharf,Dues", 1, "lacks true, surplus Some(\"Wharf\")"),
        (Mode::Append, None, None, "Call,Berth,Dues,Cargo", 1, "lacks false, surplus Some(\"Cargo\")"),
        (Mode::Append, None, None, "Call,Berth,Dues", 2_000_000, "too many below 4"),
        (Mode::Fresh, Some("XFC9"), None, "Call,Berth,Dues", 1, "too far: 16385"),
        (Mode::Append, Some("G9"), None, "Call,Berth", 1, "no headings at G9"),
    ] {
        let mut book = opened(&book);
        let offers: Vec<Offer> =
            names.split(',').enumerate().map(|(n, name)| Offer::new(Slot::Field(n), name.into())).collect();
        let found = place::find(&mut book, (0, "calls"), &wish(mode, at, surplus), &offers, records);
        let said = match found {
            Ok(place) => place.range().to_string(),
            Err(Stop::Place { why, .. }) => match *why {
                PlaceStop::Occupied(o) => format!(
                    "occupied {} to {}, replace {}, append {}",
                    o.filled.0, o.filled.1, o.can_replace, o.can_append
                ),
                PlaceStop::Mismatch(m) => format!("lacks {}, surplus {:?}", m.lacks_columns, m.surplus),
                PlaceStop::TooManyRows { first_row, .. } => format!("too many below {first_row}"),
                PlaceStop::TooFarRight { column } => format!("too far: {column}"),
                PlaceStop::NoHeadings { at } => format!("no headings at {at}"),
                why => format!("{why:?}"),
            },
            Err(stop) => format!("{stop}"),
        };
        assert_eq!(said, expected, "{mode:?} {at:?} {names} {records}");
    }
}

#[test]
fn names_are_places_or_say_why_not() {
    let text = "Call,Call no,Berth\nA-1,1,007\n";
    let (book, _) =
        imported(text.as_bytes(), &surveyed(text.as_bytes(), &Choices::default()).unwrap(), false);
    let mut book = opened(&book);
    assert_eq!(spot::find(&mut book, "calls", None).unwrap().table.as_deref(), Some("calls"));
    assert_eq!(spot::find(&mut book, "berth", Some(0)).unwrap().cell.unwrap().to_string(), "C1");
    let stop = spot::find(&mut book, "wharf", Some(0)).unwrap_err();
    assert!(matches!(stop, Stop::Spot(SpotStop::Nowhere { knows_sheet: true, .. })), "{stop}");
}
