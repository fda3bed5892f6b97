//! What people type and keep: dockets, selectors, kinds, lists and patterns.

use incola_core::kind::pattern::{date_text, parse_date, parse_number};
use incola_core::settings::docket::Docket;
use incola_core::settings::selector::{AsChoice, Selector};
use incola_core::settings::{Place, Reading, Settings, choices, fits, list_text, nearest, read_list};
use std::borrow::Cow;

fn text(data: &[u8]) -> Cow<'_, str> {
    String::from_utf8_lossy(&data[..data.len().min(4096)])
}

/// A docket is read, or refused at a place that it has.
pub fn docket(data: &[u8]) {
    let text = text(data);
    match Docket::read(&text) {
        Ok(docket) => {
            let settings = Settings::new(&Reading::default(), &Place::default(), Some(&docket));
            if let Err(bad) = choices(&settings, &[], &[], Some(&docket)) {
                assert!(!bad.why.is_empty(), "{bad:?}");
            }
            let _ = docket.is_for("calls.csv");
        }
        Err(bad) => {
            let lines = text.split('\n').count();
            assert!(bad.line.is_none_or(|line| (1..=lines + 1).contains(&line)), "{bad:?} of {lines} lines");
        }
    }
}

/// Selectors find columns that are there; lists come back as they were.
pub fn selectors(data: &[u8]) {
    let text = text(data);
    let names = ["Call", "Berth", "", "Gross kg", "Call"].map(String::from);
    assert!(Selector::new(&text).places(&names).iter().all(|place| *place < names.len()));
    if let Ok(choice) = AsChoice::parse(&text) {
        assert!(!format!("{choice:?}").is_empty());
    }
    if let Some(list) = read_list(&text) {
        assert_eq!(read_list(&list_text(&list)).as_ref(), Some(&list), "{text:?}");
    }
    let list: Vec<String> = text.split('\u{1}').map(String::from).collect();
    if list.iter().all(|item| !item.is_empty()) {
        assert_eq!(read_list(&list_text(&list)), Some(list), "{text:?}");
    }
    let (pattern, name) = text.split_once('\u{2}').unwrap_or((&text, "calls.csv"));
    let _ = (fits(pattern, name), nearest(name, ["calls", pattern]));
    if let Ok(pattern) = parse_date(&text) {
        let own = date_text(&pattern.shape, pattern.order, &pattern.spelling, "");
        assert!(parse_date(&own).is_ok(), "{text:?} is told as {own:?}, which is no pattern");
    }
    let _ = parse_number(&text, None);
}
