//! What a file says is in the sheet, wherever blocks are cut.

use super::{imported, rows, surveyed};
use incola_core::kind::Kind;
use incola_core::reading::Choices;
use incola_core::record::Dialect;
use incola_engine::feed::InMemory;
use incola_engine::text::survey;
use proptest::prelude::*;

/// A field: plain text, codes, numbers, and what must be quoted.
fn field() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => "[a-z]{1,6}",
        2 => "0[0-9]{2}",
        3 => "[1-9][0-9]{0,4}(\\.[0-9]{1,2})?",
        1 => Just(String::new()),
        1 => "[a-z]{0,3}[,\"\n;'][a-z]{1,3}",
        1 => "(Möwe|Größe|20-digit 85460336068819949348|=A1|<&>)",
    ]
}

fn csv(table: &[Vec<String>]) -> String {
    let quoted = |field: &String| {
        let needs = field.contains([',', '"', '\n', ';', '\'']);
        if needs { format!("\"{}\"", field.replace('"', "\"\"")) } else { field.clone() }
    };
    table.iter().map(|row| row.iter().map(quoted).collect::<Vec<_>>().join(",") + "\n").collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]
    #[test]
    fn every_cell_shows_its_field(table in prop::collection::vec(prop::collection::vec(field(), 3), 4..60)) {
        let mut table = table;
        for (n, row) in table.iter_mut().enumerate() {
            // A first column that is filled keeps records apart from empty lines.
            row[0] = format!("A-{n}");
        }
        table.insert(0, ["Call", "Berth", "Dues"].map(String::from).to_vec());
        let text = csv(&table);
        let choices = Choices {
            layout: incola_core::layout::LayoutChoices {
                delimiter: Some(",".into()),
                quote: Some(Dialect::new(",").quote),
                header: incola_core::layout::HeaderChoice::Line(1),
                ..Default::default()
            },
            encoding: Some(incola_core::encoding::Encoding::Utf8),
            ..Choices::default()
        };
        let small = surveyed(text.as_bytes(), &choices).unwrap();
        let (book, written) = imported(text.as_bytes(), &small, false);
        let whole = survey(&InMemory::new("calls.csv", text.as_bytes()), &choices, None).unwrap();
        let (at_once, _) = imported(text.as_bytes(), &whole, false);
        prop_assert_eq!((written.lost, written.cells), (0, written.exact), "{}", text);
        let shown = rows(&book);
        prop_assert_eq!(&shown, &rows(&at_once));
        let kinds: Vec<Kind> = small.reading.columns.iter().map(|c| c.rule.kind()).collect();
        let totals = small.reading.layout.footer.set_aside.len() + small.reading.set_aside.len();
        if totals == 0 {
            for (n, row) in table.iter().enumerate() {
                for (place, field) in row.iter().enumerate().filter(|(place, _)| n == 0 || kinds[*place] == Kind::Text) {
                    let own = shown.get(n).and_then(|row| row.get(place)).cloned().unwrap_or_default();
                    prop_assert_eq!(&own, field, "row {} of {}", n, text);
                }
            }
        }
    }
}

#[test]
fn a_source_that_changes_between_the_passes_is_not_written() {
    let (before, after) = ("Call,Dues\nA,1\nB,2\nC,3\n", "Call,Dues\nA,1\nB,9\nC,3\n");
    let seen = surveyed(before.as_bytes(), &Choices::default()).unwrap();
    let feed = InMemory::new("calls.csv", after.as_bytes());
    let columns = &seen.reading.columns;
    let (mut book, mut styles) =
        (incola_workbook::BookWriter::new(std::io::Cursor::new(Vec::new())), incola_workbook::Styles::new());
    let sheet = incola_engine::import::NewSheet::of("calls", columns);
    let sources = [(&feed as &dyn incola_engine::feed::Feed, &seen)];
    let stop = sheet.write(&sources, columns, (&mut book, &mut styles, false), |_, _| Ok(())).unwrap_err();
    assert!(matches!(stop, incola_engine::stop::Stop::SourceChanged { .. }), "{stop}");
}
