//! Printed reports: values of headings, and totals, whatever the size of blocks.

use crate::{imported, rows, surveyed};
use incola_core::layout::{HeaderChoice, LayoutChoices};
use incola_core::reading::Choices;
use incola_engine::feed::InMemory;
use incola_engine::text::{BlockSize, survey::survey_in_blocks};
use incola_engine::totals::{Difference, PrintedTotals, check};
use proptest::prelude::*;

/// Quays with pilots with amounts, in cents.
type Quays = Vec<Vec<Vec<u32>>>;

/// A report of them, with pages of some lines, and the rows that it holds.
fn report(quays: &Quays, page_lines: usize, has_quays: bool) -> (String, Vec<Vec<String>>) {
    let (mut text, mut on_page, mut pages, mut rows) = (String::new(), 0, 0, Vec::new());
    let mut put = |line: &str| {
        if on_page == 0 || on_page >= page_lines {
            pages += 1;
            on_page = 1;
            text.push_str(&format!(
                "PILOTAGE REPORT              PAGE {pages}\n\nORDER   DAY         VESSEL           DUES\n"
            ));
        }
        on_page += 1;
        text.push_str(line);
        text.push('\n');
    };
    let money = |cents: u32| format!("{}.{:02}", cents / 100, cents % 100);
    let total = |word: &str, cents: u32| format!("{word:<29}{:>12}", money(cents));
    let (mut order, mut all) = (1000, 0);
    for (q, pilots) in quays.iter().enumerate() {
        let (quay, mut of_quay) = (format!("Quay {q:03}"), 0);
        if has_quays {
            put(&format!("Station: {quay}"));
        }
        for (p, amounts) in pilots.iter().enumerate() {
            let pilot = format!("P-{q}{p}");
            put(&format!("  Pilot: {pilot}"));
            for cents in amounts {
                order += 1;
                let (day, vessel) =
                    (order % 28 + 1, ["Grey Heron", "Saltwind", "Ada Quill"][order as usize % 3]);
                put(&format!("V{order}   2031-03-{day:02}  {vessel:<11}{:>9}", money(*cents)));
                let mut row = vec![format!("V{order}"), vessel.to_owned(), pilot.clone()];
                if has_quays {
                    row.push(quay.clone());
                }
                rows.push(row);
            }
            put(&total("Subtotal", amounts.iter().sum()));
            of_quay += amounts.iter().sum::<u32>();
        }
        if has_quays {
            put(&total("Total of the quay", of_quay));
        }
        all += of_quay;
    }
    put(&total("Grand total", all));
    (text, rows)
}

fn quays() -> impl Strategy<Value = Quays> {
    let amounts = prop::collection::vec(100_u32..99_999, 3..7);
    prop::collection::vec(prop::collection::vec(amounts, 2..4), 2..5)
}

/// Columns and names are stated: it is headings and totals that are looked for.
fn stated() -> Choices {
    let layout = LayoutChoices {
        starts: Some(vec![vec![0, 8, 20, 31]]),
        header: HeaderChoice::Line(3),
        ..LayoutChoices::default()
    };
    Choices { layout, ..Choices::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn every_row_has_the_values_of_its_headings(quays in quays(), page in 15_usize..60, two in any::<bool>()) {
        let (text, expected) = report(&quays, page, two);
        let read = surveyed(text.as_bytes(), &stated()).unwrap();
        let names: Vec<&str> = read.reading.columns.iter().map(|c| c.name.as_str()).collect();
        prop_assert_eq!(names.contains(&"Pilot"), true, "{}", text);
        let (book, _) = imported(text.as_bytes(), &read, false);
        let place = |name: &str| names.iter().position(|n| *n == name);
        let found: Vec<Vec<String>> = rows(&book)[1..]
            .iter()
            .map(|row| {
                ["ORDER", "VESSEL", "Pilot", "Station"].iter().filter_map(|n| row.get(place(n)?).cloned()).collect()
            })
            .collect();
        prop_assert_eq!(found, expected, "{}", text);
        // One block gives the same.
        let feed = InMemory::new("r", text.as_bytes());
        let whole = survey_in_blocks(&feed, &stated(), None, BlockSize::default()).unwrap();
        prop_assert_eq!(&whole.survey.columns, &read.survey.columns);
        let printed = check(&feed, &read).unwrap().unwrap();
        let lines = text.lines().filter(|line| line.to_lowercase().contains("total")).count() as u64;
        prop_assert_eq!(&printed, &PrintedTotals { agree: lines, ..PrintedTotals::default() }, "{}", text);
        prop_assert_eq!(check(&feed, &whole).unwrap().unwrap(), printed);
    }
}

#[test]
fn a_total_that_is_wrong_by_one_is_found() {
    let (text, _) =
        report(&vec![vec![vec![1050, 2000], vec![300, 475]], vec![vec![4200, 1000, 125]]], 40, true);
    let wrong = text.replace("7.75", "7.76");
    assert_ne!(wrong, text);
    let feed = InMemory::new("r", wrong.as_bytes());
    let read = surveyed(wrong.as_bytes(), &Choices::default()).unwrap();
    let printed = check(&feed, &read).unwrap().unwrap();
    let line = 1 + wrong.lines().position(|line| line.contains("7.76")).unwrap() as u64;
    let unit = 10_i128.pow(13);
    assert_eq!(
        printed.differences,
        [Difference { line, column: 3, printed: 776 * unit, computed: 775 * unit }],
        "{printed:?}"
    );
    assert_eq!((printed.differ, printed.unproved), (1, 0));
}

#[test]
fn lines_that_count_records_are_compared_with_them() {
    let group = |first: usize, count: usize, says: usize| {
        let rows: String = (first..first + count)
            .map(|n| format!("V{n}   2031-03-{:02}  Grey Heron {:>9}\n", n % 28 + 1, n * 7))
            .collect();
        format!("Pilot: P-{first}\n{rows}Records: {says}\n")
    };
    let head = "ORDER   DAY         VESSEL          MILES\n";
    for (groups, last, agree, differences) in [
        ([(4, 4), (3, 3), (5, 5)], 12, 4, vec![]),
        ([(4, 4), (3, 4), (5, 5)], 12, 3, vec![(12, 4, 3)]),
        ([(4, 4), (3, 3), (5, 5)], 13, 3, vec![(20, 13, 12)]),
    ] {
        let mut first = 1000;
        let body: String = groups
            .iter()
            .map(|(count, says)| {
                first += count;
                group(first - count, *count, *says)
            })
            .collect();
        let text = format!("{head}{body}Total records: {last}\n");
        let read = surveyed(text.as_bytes(), &Choices::default()).unwrap();
        assert_eq!(read.reading.records, 12, "{text}");
        let counts = check(&InMemory::new("r", text.as_bytes()), &read).unwrap().unwrap().counts;
        let found: Vec<_> = counts.differences.iter().map(|d| (d.line, d.printed, d.records)).collect();
        assert_eq!((counts.agree, found, counts.is_whole), (agree, differences, last == 12), "{text}");
    }
}

#[test]
fn lines_behind_the_last_record_count_what_was_read_and_not_what_was_left_of_it() {
    let rows: String = (1..=12).map(|n| format!("A-{n},{n:03},{n}.50\n")).collect();
    for (last, where_, agree, differ) in [
        ("12 rows\n", None, 1, 0),
        ("\n(12 records read)\n", None, 1, 0),
        ("13 rows\n", None, 0, 1),
        ("12 rows\n", Some("Dues > 5"), 1, 0),
        ("12 boxes\n", None, 0, 0),
        ("", None, 0, 0),
    ] {
        let text = format!("Call,Berth,Dues\n{rows}{last}");
        let mut choices = Choices::default();
        choices.shaping.condition = where_.map(str::to_owned);
        let read = surveyed(text.as_bytes(), &choices).unwrap();
        let printed = check(&InMemory::new("r", text.as_bytes()), &read).unwrap().unwrap_or_default();
        assert_eq!((printed.counts.agree, printed.counts.differ), (agree, differ), "{text}");
    }
}
