//! Rows shaped on the way in, against a plain model that works on lists.

use super::{imported, rows, surveyed};
use incola_core::reading::Choices;
use incola_core::settings::selector::Selector;
use incola_core::shape::{DivideChoice, GroupChoice, ShapingChoices};
use proptest::prelude::*;
use std::collections::{BTreeMap, HashMap};

/// Call, berth, master ("Last, First"), dues in cents.
type Call = (u32, u8, String, Option<i64>);

fn calls() -> impl Strategy<Value = Vec<Call>> {
    let master = prop_oneof![
        Just("Quill, Ada".to_owned()),
        Just("Möwe, Eve".to_owned()),
        Just("Tern".to_owned()),
        Just("Marsh, Jon, sen.".to_owned()),
    ];
    // Few different calls, so that some repeat.
    prop::collection::vec((1_u32..30, 0_u8..4, master, prop::option::weighted(0.8, -9999_i64..99_999)), 6..60)
}

fn amount(cents: i64) -> String {
    format!("{}{}.{:02}", if cents < 0 { "-" } else { "" }, cents.abs() / 100, cents.abs() % 100)
}

fn text(calls: &[Call]) -> String {
    let mut text = "Call,Berth,Master,Dues\n".to_owned();
    for (call, berth, master, dues) in calls {
        let dues = dues.map(amount).unwrap_or_default();
        text.push_str(&format!("C{call:03},00{berth},\"{master}\",{dues}\n"));
    }
    text
}

/// What the steps make of the records: rows without their numbers' looks.
fn model(calls: &[Call], least: i64, last_stays: bool) -> Vec<[String; 6]> {
    let kept: Vec<&Call> = calls.iter().filter(|c| c.3.is_some_and(|dues| dues >= least)).collect();
    let mut last: HashMap<(u32, u8), usize> = HashMap::new();
    for (n, call) in kept.iter().enumerate() {
        let place = last.entry((call.0, call.1)).or_insert(n);
        if last_stays {
            *place = n;
        }
    }
    let stays = kept.iter().enumerate().filter(|(n, call)| last[&(call.0, call.1)] == *n);
    stays
        .map(|(_, (call, berth, master, dues))| {
            let (name, first) = master.split_once(',').unwrap_or((master, ""));
            let cents = dues.unwrap_or_default() * 3;
            let (call, berth) = (format!("C{call:03}"), format!("00{berth}"));
            let joined = format!("{berth}/{call}");
            [call, berth, name.to_owned(), first.trim().to_owned(), amount(cents), joined]
        })
        .collect()
}

/// A number as it stands in a cell, spelled with two decimals.
fn two_decimals(cell: &str) -> String {
    let number: f64 = cell.parse().unwrap();
    amount((number * 100.0).round() as i64)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn steps_do_what_a_plain_model_does(calls in calls(), least in -5000_i64..50_000, last_stays in any::<bool>()) {
        let text = text(&calls);
        let choices = Choices {
            shaping: ShapingChoices {
                divide: vec![DivideChoice::read("Master=pattern:^(?<Name>[^,]*),?(?<First>.*)$").unwrap()],
                condition: Some(format!("Dues >= {}", amount(least))),
                compute: vec![
                    ("Triple".into(), "Dues * 3".into()),
                    ("Joined".into(), "Berth || '/' || Call".into()),
                ],
                distinct: Some(vec![Selector::new("Call"), Selector::new("Berth")]),
                last_stays,
                ..ShapingChoices::default()
            },
            ..Choices::default()
        };
        let surveyed = surveyed(text.as_bytes(), &choices).unwrap();
        let expected = model(&calls, least, last_stays);
        prop_assert_eq!(surveyed.reading.records, expected.len() as u64);
        let shaped = &surveyed.survey.facts.shaped;
        prop_assert_eq!(surveyed.reading.records + shaped.left_out(), calls.len() as u64);
        let without = calls.iter().filter(|call| call.3.is_none()).count() as u64;
        prop_assert_eq!(shaped.unknown.count, without);
        let (book, written) = imported(text.as_bytes(), &surveyed, true);
        prop_assert_eq!(written.prints.len(), expected.len());
        prop_assert_eq!(written.exact, written.cells);
        let found: Vec<[String; 6]> = rows(&book)
            .into_iter()
            .skip(1)
            .take(expected.len())
            .map(|row| {
                let cell = |n: usize| row.get(n).cloned().unwrap_or_default();
                [cell(0), cell(1), cell(4), cell(5), two_decimals(&cell(6)), cell(7)]
            })
            .collect();
        prop_assert_eq!(found, expected);
    }
}

/// What a roll-up by berth and month of the record's number gives: berth, month, records, sum and mean of dues, largest call.
fn groups(calls: &[Call]) -> Vec<[String; 6]> {
    let mut all: BTreeMap<(String, String), Vec<&Call>> = BTreeMap::new();
    for call in calls {
        let month = format!("2031-{:02}", call.0 % 12 + 1);
        all.entry((format!("00{}", call.1), month)).or_default().push(call);
    }
    all.into_iter()
        .map(|((berth, month), calls)| {
            let dues: Vec<i64> = calls.iter().filter_map(|call| call.3).collect();
            let sum: i64 = dues.iter().sum();
            // Rounded half away from zero to four decimals.
            let mean = |count: i64| {
                let (whole, rest) = (sum.abs() * 100 / count, sum.abs() * 100 % count);
                (whole + i64::from(rest * 2 >= count)) * sum.signum()
            };
            let mean = if dues.is_empty() { None } else { Some(mean(dues.len() as i64)) };
            let largest = calls.iter().map(|call| format!("C{:03}", call.0)).max().unwrap_or_default();
            let first = calls[0].2.clone();
            [
                berth,
                month,
                calls.len().to_string(),
                mean.map_or(String::new(), |_| sum.to_string()),
                mean.map_or(String::new(), |mean| mean.to_string()),
                format!("{largest} {first}"),
            ]
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 100, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn groups_are_those_of_a_plain_model(calls in calls()) {
        let mut text = "Call,Berth,Master,Dues,Day\n".to_owned();
        for (call, berth, master, dues) in &calls {
            let dues = dues.map(amount).unwrap_or_default();
            let (month, day) = (call % 12 + 1, call % 28 + 1);
            text.push_str(&format!("C{call:03},00{berth},\"{master}\",{dues},2031-{month:02}-{day:02}\n"));
        }
        let choices = Choices {
            shaping: ShapingChoices {
                by: vec![GroupChoice::read("Berth"), GroupChoice::read("Day/month")],
                take: Some("COUNT(*), SUM(Dues), AVG(Dues), MAX(Call) AS Largest, FIRST(Master)".into()),
                ..ShapingChoices::default()
            },
            ..Choices::default()
        };
        let surveyed = surveyed(text.as_bytes(), &choices).unwrap();
        let expected = groups(&calls);
        prop_assert_eq!(surveyed.reading.records, expected.len() as u64);
        let (book, written) = imported(text.as_bytes(), &surveyed, true);
        prop_assert_eq!((written.exact, written.cells), (0, 0));
        let units = |cell: &str, factor: f64| {
            cell.parse::<f64>().map_or(String::new(), |n| ((n * factor).round() as i64).to_string())
        };
        let found: Vec<[String; 6]> = rows(&book)
            .into_iter()
            .skip(1)
            .take(expected.len())
            .map(|row| {
                let cell = |n: usize| row.get(n).cloned().unwrap_or_default();
                let last = format!("{} {}", cell(5), cell(6));
                [cell(0), cell(1), cell(2), units(&cell(3), 100.0), units(&cell(4), 10_000.0), last]
            })
            .collect();
        prop_assert_eq!(found, expected);
    }
}

#[test]
fn headings_and_carried_values_are_there_for_conditions() {
    let mut text = "Quay  Order   Dues\n".to_owned();
    for n in 0..40 {
        let quay = if n % 5 == 0 { format!("{:03}", n / 5) } else { "   ".into() };
        text.push_str(&format!("{quay}   P7{n:03} {:>6}\n", format!("{n}.25")));
    }
    let mut choices = Choices {
        shaping: ShapingChoices { condition: Some("Quay = '003'".into()), ..ShapingChoices::default() },
        ..Choices::default()
    };
    choices.layout.carry = Some(vec![Selector::new("Quay")]);
    let surveyed = surveyed(text.as_bytes(), &choices).unwrap();
    assert_eq!(surveyed.reading.records, 5);
    let (book, _) = imported(text.as_bytes(), &surveyed, false);
    let orders: Vec<String> = rows(&book).into_iter().skip(1).map(|row| row[..2].join(" ")).collect();
    assert_eq!(orders, ["003 P7015", "003 P7016", "003 P7017", "003 P7018", "003 P7019"]);
}
