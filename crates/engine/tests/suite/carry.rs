//! Values carried down into the empty cells below them, whatever the size of blocks.

use crate::{imported, rows, surveyed};
use incola_core::layout::LayoutChoices;
use incola_core::reading::Choices;
use incola_core::settings::selector::Selector;
use incola_engine::feed::InMemory;
use incola_engine::text::{BlockSize, survey::survey_in_blocks};
use proptest::prelude::*;

fn carrying(columns: &[&str]) -> Choices {
    let carry = Some(columns.iter().map(|column| Selector::new(column)).collect());
    Choices { layout: LayoutChoices { carry, ..LayoutChoices::default() }, ..Choices::default() }
}

/// Quay, pilot and order of each call; an empty quay or pilot is not printed again.
fn calls() -> impl Strategy<Value = Vec<[String; 3]>> {
    let cell = |prefix: &'static str, share: f64| {
        prop::option::weighted(share, 0..9_u32)
            .prop_map(move |n| n.map_or_else(String::new, |n| format!("{prefix}{n}")))
    };
    let call =
        (cell("00", 0.1), cell("P-0", 0.3), 100..999_u32).prop_map(|(q, p, n)| [q, p, format!("V{n}")]);
    prop::collection::vec(call, 1..120)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn empty_cells_take_the_value_above(calls in calls(), pad in any::<bool>()) {
        let text = |calls: &[[String; 3]]| {
            let mut text = String::from("Order,Quay,Pilot,Draught\n");
            for [quay, pilot, order] in calls {
                // A cell of blanks is empty too.
                let quay = if quay.is_empty() && pad { "  " } else { quay.as_str() };
                text.push_str(&format!("{order},{quay},{pilot},7.5\n"));
            }
            text
        };
        // The slow twin fills the list first.
        let (mut above, mut filled) = ([String::new(), String::new()], calls.clone());
        for call in &mut filled {
            for (own, above) in call.iter_mut().zip(&mut above) {
                if own.is_empty() {
                    own.clone_from(above);
                } else {
                    above.clone_from(own);
                }
            }
        }
        let (text, twin) = (text(&calls), text(&filled));
        let read = surveyed(text.as_bytes(), &carrying(&["Quay", "3"])).unwrap();
        let plain = surveyed(twin.as_bytes(), &carrying(&[])).unwrap();
        let (book, written) = imported(text.as_bytes(), &read, false);
        let (expected, expected_written) = imported(twin.as_bytes(), &plain, false);
        prop_assert_eq!(rows(&book), rows(&expected), "{}", text);
        prop_assert_eq!(written.rows, expected_written.rows);
        let kinds = |of: &incola_engine::text::Surveyed| -> Vec<_> {
            of.reading.columns.iter().map(|c| (c.rule.kind(), c.stats.filled, c.stats.blank)).collect()
        };
        prop_assert_eq!(kinds(&read), kinds(&plain));
        let cells: Vec<u64> = read.carried_down().iter().map(|c| c.cells.count).collect();
        let empty = |place: usize| calls.iter().filter(|call| call[place].is_empty()).count() as u64;
        prop_assert_eq!(cells, [empty(0), empty(1)]);
        // One block gives the same.
        let feed = InMemory::new("calls", text.as_bytes());
        let whole = survey_in_blocks(&feed, &carrying(&["Quay", "3"]), None, BlockSize::default()).unwrap();
        prop_assert_eq!(&whole.survey.columns, &read.survey.columns);
    }
}
