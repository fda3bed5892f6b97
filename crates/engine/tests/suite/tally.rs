//! Tallies against a plain model, wherever blocks are cut.

use super::surveyed;
use incola_core::kind::number::units_text;
use incola_core::reading::Choices;
use incola_engine::feed::InMemory;
use incola_engine::tally::{By, Period, Wanted, tally};
use proptest::prelude::*;
use std::collections::{BTreeMap, HashSet};

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(300) })]
    #[test]
    fn sums_and_groups_are_those_of_a_plain_model(
        rows in prop::collection::vec((0_u8..4, 1_u8..13, -500_i64..5000, 0_u8..5), 8..80),
    ) {
        // Berth, day, dues in cents; some dues are missing.
        let mut text = "Berth,Arrived,Dues\n".to_owned();
        let (mut sum, mut empty) = (0_i64, 0_u64);
        let mut by_month: BTreeMap<String, (u64, i64)> = BTreeMap::new();
        let mut ends: Option<(i64, i64)> = None;
        for (berth, month, cents, missing) in &rows {
            let day = format!("2031-{month:02}-0{}", berth + 1);
            let group = by_month.entry(format!("2031-{month:02}")).or_default();
            group.0 += 1;
            if *missing == 0 {
                empty += 1;
                text += &format!("00{berth},{day},\n");
                continue;
            }
            group.1 += cents;
            sum += cents;
            ends = Some(ends.map_or((*cents, *cents), |(a, b)| (a.min(*cents), b.max(*cents))));
            let sign = if *cents < 0 { "-" } else { "" };
            text += &format!("00{berth},{day},{sign}{}.{:02}\n", cents.abs() / 100, cents.abs() % 100);
        }
        let choices = Choices {
            kinds: ["Berth=text", "Arrived=date:yyyy-MM-dd", "Dues=number:1.50"]
                .map(|t| incola_core::settings::selector::AsChoice::parse(t).unwrap())
                .to_vec(),
            ..Choices::default()
        };
        let seen = surveyed(text.as_bytes(), &choices).unwrap();
        let by = By { column: 1, period: Some(Period::Month) };
        let found = tally(&InMemory::new("calls.csv", text.as_bytes()), &seen, Wanted { by: Some(by), sort: None }).unwrap();
        prop_assert_eq!((found.records, found.columns[2].empty), (rows.len() as u64, empty));
        let cents = |sum: &incola_core::kind::Sum| (sum.units() / 10_i128.pow(13)) as i64;
        let figures = found.columns[2].figures.as_deref();
        prop_assert_eq!(figures.map_or(0, |f| cents(&f.sum)), sum);
        let key = |n: i128| (n / 10_i128.pow(13)) as i64;
        let both = figures.map(|f| (key(f.spread.smallest().unwrap().units), key(f.spread.largest().unwrap().units)));
        prop_assert_eq!(both, ends);
        let groups: BTreeMap<String, (u64, i64)> =
            found.groups.iter().map(|(name, g)| (name.clone(), (g.records, cents(&g.sums[2])))).collect();
        prop_assert_eq!(groups, by_month);
        let berths: HashSet<u8> = rows.iter().map(|row| row.0).collect();
        prop_assert_eq!(found.columns[0].different(), Some(berths.len() as u64));
        // The first line of the smallest.
        if let Some(smallest) = figures.and_then(|f| f.spread.smallest()) {
            let line = text.lines().position(|line| line.ends_with(&format!(",{}", units_text(smallest.units, 2)))).unwrap() + 1;
            prop_assert_eq!(smallest.line, line as u64);
        }
    }
}
