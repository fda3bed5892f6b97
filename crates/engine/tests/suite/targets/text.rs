//! Text of every layout and encoding.

use incola_core::encoding::{Undecodable, detect};
use incola_core::layout::{LayoutChoices, LayoutKind};
use incola_core::reading::{Choices, ColumnReading};
use incola_engine::feed::{Feed, InMemory};
use incola_engine::import::{NewSheet, check};
use incola_engine::stop::Stop;
use incola_engine::text::{BlockSize, Surveyed, survey::survey_in_blocks};
use incola_workbook::{BookWriter, ExistingBook, Styles};
use std::io::Cursor;

/// Bytes that are looked at: more shows nothing new, and takes long.
const MOST: usize = 4096;

fn choices(of: u8) -> Choices {
    let layout = match of % 8 {
        1 => LayoutChoices { delimiter: Some(";".into()), ..Default::default() },
        2 => LayoutChoices { kind: Some(LayoutKind::Fixed), ..Default::default() },
        3 => LayoutChoices { kind: Some(LayoutKind::Multiline), ..Default::default() },
        4 => LayoutChoices { kind: Some(LayoutKind::Report), ..Default::default() },
        5 => LayoutChoices { starts: Some(vec![vec![0, 3, 9], vec![0, 5]]), ..Default::default() },
        6 => LayoutChoices { lines_per_record: Some(3), ..Default::default() },
        _ => LayoutChoices::default(),
    };
    Choices { layout, ..Choices::default() }
}

fn surveyed(feed: &InMemory<'_>, choices: &Choices, size: BlockSize) -> Result<Surveyed, String> {
    survey_in_blocks(feed, choices, None, size).map_err(|stop| stop.to_string())
}

/// The first byte chooses what is stated, the others are a file: it reads the same whatever the size of the blocks, and what is
/// written of it is found again in the workbook.
pub fn any_layout(data: &[u8]) {
    let Some((first, text)) = data.split_first() else { return };
    let (choices, feed) = (choices(*first), InMemory::new("calls.csv", &text[..text.len().min(MOST)]));
    let whole = surveyed(&feed, &choices, BlockSize::default());
    let small = surveyed(&feed, &choices, BlockSize { bytes: 64, window: 64 });
    let (whole, small) = match (whole, small) {
        (Ok(whole), Ok(small)) => (whole, small),
        (whole, small) => {
            assert_eq!(whole.err(), small.err(), "one size of blocks reads what another refuses");
            return;
        }
    };
    for (whole, small) in told(&whole).iter().zip(told(&small)) {
        assert_eq!(*whole, small, "the size of blocks changes what is told");
    }
    for surveyed in [&whole, &small] {
        written(&feed, surveyed);
    }
}

/// What a survey tells people.
fn told(surveyed: &Surveyed) -> Vec<String> {
    let reading = &surveyed.reading;
    let column =
        |c: &ColumnReading| format!("{} {:?} {} {:?} {:?}", c.name, c.rule, c.why, c.doubt, c.misfits);
    let mut told = vec![format!("{:?}", reading.layout), format!("{:?} {}", reading.values, reading.records)];
    told.extend(reading.columns.iter().map(column));
    told.extend(reading.notices.iter().map(|notice| format!("{notice:?}")));
    told.push(format!("{:?}", reading.set_aside));
    told
}

fn written(feed: &InMemory<'_>, surveyed: &Surveyed) {
    let columns = &surveyed.reading.columns;
    let (mut book, mut styles) = (BookWriter::new(Cursor::new(Vec::new())), Styles::new());
    let sources = [(feed as &dyn Feed, surveyed)];
    let sheet = NewSheet::of("calls", columns);
    let written = match sheet.write(&sources, columns, (&mut book, &mut styles, false), |_, _| Ok(())) {
        Ok(written) => written,
        // A file of a few bytes is too wide for a sheet only if it says so.
        Err(Stop::TooManyColumns { .. }) => return,
        Err(stop) => panic!("what was surveyed cannot be written: {stop}"),
    };
    let bytes = book.finish(&styles, "calls", "2031-03-04T05:06:07Z").expect("memory takes everything");
    let mut book = ExistingBook::open(Box::new(bytes)).expect("what was written can be read");
    check(&mut book, 0, &written).expect("the cells are what was written");
}

/// Bytes that are taken for text are decoded the same whole and line by line, and what is encoded again reads the same.
pub fn encodings(data: &[u8]) {
    let data = &data[..data.len().min(MOST)];
    let Ok(detected) = detect(&[data]) else { return };
    let encoding = detected.encoding.value;
    let raw = &data[encoding.bom_bytes(data)..];
    let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    let whole = encoding.decode(raw, &mut scratch, &mut bad).to_vec();
    assert!(std::str::from_utf8(&whole).is_ok(), "{encoding:?}: what is decoded is UTF-8");
    let (mut parts, mut from) = (Vec::new(), 0);
    let (mut scratch, mut bad_in_parts) = (Vec::new(), Undecodable::default());
    while let Some(to) = encoding.after_line_end(raw, from, false) {
        assert!(to > from && to <= raw.len(), "{encoding:?}: lines go on");
        parts.extend_from_slice(encoding.decode(&raw[from..to], &mut scratch, &mut bad_in_parts));
        from = to;
    }
    parts.extend_from_slice(encoding.decode(&raw[from..], &mut scratch, &mut bad_in_parts));
    if bad.count > 0 {
        // Where characters are broken, a line end may be the rest of one.
        return;
    }
    assert!(parts == whole, "{encoding:?}: lines are decoded otherwise than the whole");
    let text = String::from_utf8(whole).expect("it is UTF-8");
    let (mut again, mut lacking) = (Vec::new(), 0);
    encoding.encode(&text, &mut again, |_| lacking += 1);
    if lacking == 0 {
        let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
        assert_eq!(encoding.decode(&again, &mut scratch, &mut bad), text.as_bytes(), "{encoding:?}");
    }
}
