//! Refreshes in memory, against a plain model: rows whose records stay keep their order, what went is gone, what is new is added at
//! the end.

use super::{imported, opened, rows, surveyed};
use incola_core::reading::Choices;
use incola_core::settings::LineRange;
use incola_core::settings::docket::Docket;
use incola_core::settings::{Place, Reading, Settings, choices};
use incola_engine::feed::{Bytes, Feed, InMemory, RawSamples};
use incola_engine::import::Written;
use incola_engine::link::{self, Link, LinkedColumn, LinkedSource, LinkedTable, SourceKind, VERSION};
use incola_engine::refresh::report::{Outcome, Report};
use incola_engine::refresh::{
    Before, Comparison, OpenSource, SourceNow, Winner, Wishes, apply, check, compare, locate,
};
use incola_engine::stop::{LinkStop, Result, Stop};
use incola_workbook::package::rewrite::with_part_changed;
use incola_workbook::{BookWriter, Range, Styles};
use proptest::prelude::*;
use std::io::Cursor;
use std::sync::Arc;

/// A source that owns its bytes.
struct Owned(Vec<u8>);

impl Feed for Owned {
    fn shown(&self) -> String {
        "calls.csv".into()
    }
    fn label(&self) -> String {
        "calls.csv".into()
    }
    fn samples(&self) -> Result<RawSamples> {
        InMemory::new("calls.csv", &self.0).samples()
    }
    fn bytes_from(&self, offset: u64) -> Result<Box<dyn Bytes + '_>> {
        let from = usize::try_from(offset).unwrap().min(self.0.len());
        Ok(Box::new(&self.0[from..]))
    }
}

const DOCKET: &str = "docket = 1\n[read]\ndelimiter = \",\"\nheader = 1\n[[column]]\nname = \"Call\"\nas = \"text\"\n[[column]]\nname = \"Dues\"\nas = \"text\"\n";

fn choose(docket: &Docket) -> Result<(Choices, Option<LineRange>)> {
    let settings = Settings::new(&Reading::default(), &Place::default(), Some(docket));
    choices(&settings, &[], &[], Some(docket)).map_err(Stop::BadSetting)
}

fn text(records: &[(u8, u8)]) -> String {
    let line = |(call, dues): &(u8, u8)| format!("A-{call},{dues}\n");
    format!("Call,Dues\n{}", records.iter().map(line).collect::<String>())
}

/// A workbook with a linked table of these records.
fn linked(records: &[(u8, u8)]) -> Vec<u8> {
    let text = text(records);
    let choices = choose(&Docket::read(DOCKET).unwrap()).unwrap().0;
    let seen = surveyed(text.as_bytes(), &choices).unwrap();
    let (book, written) = imported(text.as_bytes(), &seen, true);
    with_link(&book, &written)
}

fn with_link(book: &[u8], written: &Written) -> Vec<u8> {
    let range = format!("A1:B{}", written.rows.max(1) + 1);
    let column = |name: &str| LinkedColumn {
        name: Some(name.into()),
        heading: name.into(),
        kind: "text".into(),
        ..LinkedColumn::default()
    };
    let link = Link {
        link: VERSION,
        id: "00000000deadbeef".into(),
        name: "calls".into(),
        refreshed: "2031-03-04T05:06:07Z".into(),
        docket: DOCKET.into(),
        source: LinkedSource { kind: SourceKind::File, at: vec!["calls.csv".into()] },
        table: LinkedTable {
            sheet: "calls".into(),
            table: Some("calls".into()),
            range: range.clone(),
            key: vec!["Call".into()],
            key_is_given: true,
            rows: written.rows,
        },
        form: None,
        damage: None,
        columns: vec![column("Call"), column("Dues")],
        parts: Vec::new(),
    };
    let mut writer = BookWriter::over(opened(book), Cursor::new(Vec::new())).unwrap();
    link::write(&mut writer, &link, &written.prints, Range::parse(&range).unwrap(), None).unwrap();
    writer.finish(&Styles::new(), "", "2031-03-04T05:06:07Z").unwrap().into_inner()
}

/// Refreshes the table of a workbook from new bytes; gives the workbook afterwards and the report.
fn refreshed(book: &[u8], source: &str, wishes: Wishes<'_>) -> Result<(Vec<u8>, Report)> {
    let mut existing = opened(book);
    let (links, lost) = link::find(&mut existing)?;
    assert_eq!((links.len(), lost.len()), (1, 0));
    let stored = &links[0];
    let located = locate(&mut existing, &stored.link)?;
    let open = OpenSource {
        feed: Arc::new(Owned(source.as_bytes().to_vec())),
        name: "calls.csv".into(),
        at: "calls.csv".into(),
    };
    let now = SourceNow::read(&stored.link, vec![open], &choose, false, wishes)?;
    let rows = link::read_rows(&mut existing, stored)?.unwrap_or_default();
    let before = Before { rows, copy: &|| None, choose: &choose };
    match compare(&mut existing, (stored, located), now, wishes, before)? {
        Comparison::Same(report) => Ok((book.to_vec(), *report)),
        Comparison::ToDo(compared) if compared.is_undecided() => Ok((book.to_vec(), compared.report)),
        Comparison::ToDo(compared) => {
            let mut writer = BookWriter::over(existing, Cursor::new(Vec::new())).map_err(Stop::Book)?;
            let applied = apply(&mut writer, &compared, || Ok(Vec::new()), "2031-04-04T05:06:07Z")?;
            let bytes =
                writer.finish(&applied.styles, "", "2031-04-04T05:06:07Z").map_err(Stop::NotWritten)?;
            let bytes = bytes.into_inner();
            // All of it is read again; a file in which a row says something else is not put in its place.
            let found = check(&mut opened(&bytes), &applied, &compared)?;
            let is_plain = compared.report.kept_edits + compared.report.own + compared.report.conflicts == 0;
            assert!(!is_plain || found == compared.report.rows_after, "{found} of {:?}", compared.report);
            if is_plain && found > 0 {
                let change = |xml: Vec<u8>| {
                    let xml = String::from_utf8(xml).unwrap();
                    xml.replacen("<t>A-", "<t>B-", 1).into_bytes()
                };
                let input = Box::new(Cursor::new(bytes.clone()));
                let other =
                    with_part_changed(input, "xl/worksheets/sheet1.xml", Cursor::new(Vec::new()), change);
                let found = check(&mut opened(&other.unwrap().into_inner()), &applied, &compared);
                let is_revised = compared.report.revised > 0;
                assert!(is_revised || matches!(found, Err(Stop::NotAsWritten { .. })), "{found:?}");
            }
            Ok((bytes, compared.report))
        }
    }
}

/// Records with different keys.
fn records() -> impl Strategy<Value = Vec<(u8, u8)>> {
    prop::collection::vec((0_u8..40, 0_u8..5), 2..25).prop_map(|mut list| {
        let mut seen = std::collections::HashSet::new();
        list.retain(|(call, _)| seen.insert(*call));
        list
    })
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(400) })]
    #[test]
    fn a_table_follows_its_source(before in records(), steps in prop::collection::vec(records(), 1..4)) {
        let mut book = linked(&before);
        let mut model: Vec<(u8, u8)> = before;
        let wishes = Wishes { accepts_shorter: true, ..Wishes::default() };
        for now in steps {
            let (after, report) = refreshed(&book, &text(&now), wishes).unwrap();
            let known: Vec<u8> = model.iter().map(|(call, _)| *call).collect();
            let mut next: Vec<(u8, u8)> = known.iter().filter_map(|call| now.iter().find(|n| n.0 == *call)).copied().collect();
            next.extend(now.iter().filter(|(call, _)| !known.contains(call)));
            let mut expected = vec![vec!["Call".to_owned(), "Dues".to_owned()]];
            expected.extend(next.iter().map(|(call, dues)| vec![format!("A-{call}"), dues.to_string()]));
            prop_assert_eq!(rows(&after), expected);
            prop_assert_eq!(report.rows_after, next.len() as u64);
            prop_assert_eq!(report.added, now.iter().filter(|(call, _)| !known.contains(call)).count() as u64);
            // The same once more changes nothing.
            let (again, report) = refreshed(&after, &text(&now), wishes).unwrap();
            prop_assert_eq!(report.outcome, Outcome::Same);
            prop_assert!(again == after);
            (book, model) = (after, next);
        }
    }
}

#[test]
fn broken_sources_stop_with_what_is_wrong() {
    let book = linked(&[(1, 1), (2, 2), (3, 3), (4, 4)]);
    let none = Wishes::default();
    for (source, expected) in [
        ("Call,Dues\nA-1,1\n", "Shrunk 1 of 4"),
        ("Call,Fees\nA-1,a\nA-2,b\nA-3,c\nA-4,d\n", "Reshaped [\"Dues\"] to [Some(\"Fees\")]"),
        ("Call\nA-1\nA-2\nA-3\nA-4\n", "Reshaped [\"Dues\"] to [None]"),
        ("", "Empty"),
    ] {
        let said = match refreshed(&book, source, none) {
            Ok((_, report)) => format!("{:?}", report.outcome),
            Err(Stop::Empty { .. }) => "Empty".into(),
            Err(Stop::Link { why, .. }) => match *why {
                LinkStop::Shrunk { records, before, .. } => format!("Shrunk {records} of {before}"),
                LinkStop::Reshaped { gone, .. } => {
                    let names: Vec<&String> = gone.iter().map(|(name, ..)| name).collect();
                    let now: Vec<&Option<String>> = gone.iter().map(|(.., now)| now).collect();
                    format!("Reshaped {names:?} to {now:?}")
                }
                why => format!("{why:?}"),
            },
            Err(stop) => format!("{stop}"),
        };
        assert_eq!(said, expected, "{source:?}");
    }
    let accepted = Wishes { accepts_columns: true, edits: Some(Winner::Source), ..none };
    let (after, _) = refreshed(&book, "Call,Fees\nA-1,a\nA-2,b\nA-3,c\nA-4,d\n", accepted).unwrap();
    assert_eq!(rows(&after)[2], ["A-2", "b"]);
}
