//! What ends a survey, as facts.

use super::{SMALL, surveyed};
use incola_core::layout::LayoutChoices;
use incola_core::layout::fixed::StartEdit;
use incola_core::reading::Choices;
use incola_core::settings::LineRange;
use incola_core::settings::selector::{AsChoice, Selector};
use incola_engine::feed::InMemory;
use incola_engine::stop::{Scope, Stop};
use incola_engine::text::survey::survey_in_blocks;

#[test]
fn sources_that_cannot_be_read_say_why() {
    let none = Choices::default();
    let stated = |text: &str| Choices { kinds: vec![AsChoice::parse(text).unwrap()], ..Choices::default() };
    let names = Choices { names: Some(vec!["A".into()]), ..Choices::default() };
    let only = Choices { only: vec![Selector::new("Wharf")], ..Choices::default() };
    let edits = LayoutChoices { start_edits: vec![StartEdit::Drop(4)], ..LayoutChoices::default() };
    let edits = Choices { layout: edits, ..Choices::default() };
    let wide = format!("{}\n", ",".repeat(20_000)).repeat(3);
    let long = format!("Call,Remark\nA,\"{}", "x\n".repeat(9 << 20));
    let binary = "\u{0}\u{1}\u{0}\u{2}\u{3}".repeat(200);
    for (text, choices, expected) in [
        ("", &none, "Empty"),
        ("PK\u{3}\u{4}rest of an archive", &none, "NotText"),
        (binary.as_str(), &none, "NotText"),
        (wide.as_str(), &none, "TooManyColumns"),
        (long.as_str(), &none, "none"),
        ("Call,Dues\nA,1\nB,2\n", &stated("Wharf=text"), "as"),
        ("Call,Dues\nA,1\nB,2\n", &stated("Dues=date:dd"), "as"),
        ("Call,Dues\nA,1\nB,2\n", &names, "names"),
        ("Call,Dues\nA,1\nB,2\n", &only, "only"),
        ("Call Dues\nA    1\nB    2\n", &edits, "NoSuchStart"),
    ] {
        let found = match surveyed(text.as_bytes(), choices) {
            Ok(_) => "none".to_owned(),
            Err(Stop::Empty { source }) if source == "calls.csv" => "Empty".into(),
            Err(Stop::NotText { .. }) => "NotText".into(),
            Err(Stop::TooManyColumns { columns: 20_001, .. }) => "TooManyColumns".into(),
            Err(Stop::BadSetting(bad)) => bad.key.into(),
            Err(Stop::NoSuchStart { start: 5, starts, .. }) if starts.len() > 1 => "NoSuchStart".into(),
            Err(stop) => format!("{stop}"),
        };
        assert_eq!(found, expected, "{:?}", &text[..text.len().min(40)]);
    }
}

#[test]
fn lines_that_are_not_there_are_told() {
    let feed = InMemory::new("calls.csv", b"Call,Dues\nA,1\nB,2\n");
    let lines = |from, to| survey_in_blocks(&feed, &Choices::default(), Some(LineRange { from, to }), SMALL);
    assert_eq!(lines(3, 3).unwrap().reading.records, 1);
    let stop = lines(9, 20).err();
    assert!(matches!(stop, Some(Stop::FewLines { from: 9, .. })), "{stop:?}");
}

#[test]
fn a_stop_says_what_it_ends() {
    assert_eq!(Stop::Interrupted.scope(), Scope::Everything);
    assert_eq!(Stop::RowsLost.scope(), Scope::Book);
    assert_eq!(Stop::Empty { source: String::new() }.scope(), Scope::Source);
}
