//! The totals that a report prints among its records, compared with the records.

mod counts;
mod levels;

pub use counts::{CountDifference, PrintedCounts};
pub use levels::{Difference, PrintedTotals};

use crate::feed::{Doing, Feed};
use crate::stop::Result;
use crate::text::{Surveyed, each_block};
use counts::Counts;
use incola_core::encoding::Undecodable;
use incola_core::kind::statistics::trim;
use incola_core::kind::{Decimal, Rule, Value, number};
use incola_core::layout::count_in;
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::{ColumnReading, Reading};
use incola_core::record::{Machine, Step};
use incola_core::rows::{Aside, Flow, Record, RecordSink, figure};
use incola_core::words::counted;
use levels::Levels;

/// Bytes after the last record in which totals are looked for.
const FOOTER_BYTES: usize = 64 * 1024;

/// Differences that become notices.
const NOTICES: usize = 20;

/// Compares the totals among the records of a surveyed source with what the records before them add up to; `None`: there are none.
///
/// # Errors
/// If the source cannot be read, or changed since it was surveyed.
pub fn check(source: &dyn Feed, surveyed: &Surveyed) -> Result<Option<PrintedTotals>> {
    let numbers: Vec<(usize, Decimal)> = (0..)
        .zip(&surveyed.reading.columns)
        .filter_map(|(place, column)| match &column.rule {
            Rule::Number(rule) => Some((place, rule.decimal)),
            _ => None,
        })
        .collect();
    let count = |why| surveyed.reading.set_aside.iter().filter(|aside| aside.why == why).count();
    // A single total of all records is the reading's matter.
    if count(Aside::PartTotal) + count(Aside::Total) / 2 == 0 {
        let mut counts = Counts::default();
        counts.records(surveyed.records_in());
        below(surveyed, &mut counts);
        let counts = counts.finish();
        return Ok((counts.all() > 0).then(|| PrintedTotals { counts, ..PrintedTotals::default() }));
    }
    let columns = &surveyed.reading.columns;
    let (mut levels, mut counts) = (Levels::new(numbers.len()), Counts::default());
    let mut before = None;
    each_block(
        source,
        surveyed,
        Doing::Reading,
        |mut block| {
            let mut gather = Gather { columns, numbers: &numbers, events: Vec::new(), headings: Vec::new() };
            block.each(&mut gather);
            gather.events
        },
        |events| {
            for event in events {
                match event {
                    Event::Group(headings) => {
                        if before.as_ref().is_some_and(|before| *before != headings) {
                            levels.group();
                            counts.group();
                        }
                        before = Some(headings);
                    }
                    Event::Records(sums, records) => {
                        levels.records(&sums, records);
                        counts.records(records);
                    }
                    Event::Count { line, number } => counts.line(line, number, false),
                    Event::Total { line, sort, figures } => levels.total(line, &sort, &figures, true),
                }
            }
            Ok(())
        },
    )?;
    after_last_record(source, surveyed, &numbers, &mut levels)?;
    below(surveyed, &mut counts);
    let mut result = levels.finish();
    // Records that a step leaves out were counted by whoever printed the lines.
    if !surveyed.plan.repeats.shaping().is_some_and(|shaping| shaping.leaves_out()) {
        result.counts = counts.finish();
        if result.counts.is_whole {
            result.uncovered = 0;
        }
    }
    if result == PrintedTotals::default() {
        return Ok(None);
    }
    for difference in &mut result.differences {
        difference.column = numbers[difference.column].0;
    }
    Ok(Some(result))
}

/// The lines after the last record that count the records.
fn below(surveyed: &Surveyed, counts: &mut Counts) {
    let is_below = |line: u64| {
        let own = surveyed.reading.set_aside.iter().find(|a| (a.line..a.line + a.lines).contains(&line));
        own.is_some_and(|aside| matches!(aside.why, Aside::AfterLastRecord | Aside::Total))
    };
    let text = String::from_utf8_lossy(&surveyed.after.text);
    let first = (surveyed.survey.lines + 1).saturating_sub(surveyed.after.blank);
    for (line, own) in (first..).zip(text.lines()) {
        if let Some(count) = count_in(own).filter(|count| count.names_records && is_below(line)) {
            counts.line(line, count.number, true);
        }
    }
}

/// The totals after the last record.
fn after_last_record(
    source: &dyn Feed,
    surveyed: &Surveyed,
    numbers: &[(usize, Decimal)],
    levels: &mut Levels,
) -> Result<()> {
    let Some(last) = surveyed.cuts.last() else { return Ok(()) };
    let mut raw = Vec::new();
    source.bytes_from(last.offset + last.bytes)?.fill(&mut raw, FOOTER_BYTES)?;
    let (mut buffer, mut bad) = (Vec::new(), Undecodable::default());
    let text = surveyed.reading.encoding.value.decode(&raw, &mut buffer, &mut bad);
    let mut machine = Machine::new(&surveyed.plan.dialect);
    let (mut at, mut line) = (0, surveyed.survey.lines + 1);
    loop {
        let step = machine.step(text, at, true);
        if matches!(step, Step::End | Step::NeedMore) {
            return Ok(());
        }
        let why = surveyed.reading.set_aside.iter().find(|a| (a.line..a.line + a.lines).contains(&line));
        if let (Step::Record, Some(why)) = (step, why.map(|aside| aside.why)) {
            let own = &text[machine.start()..machine.end()];
            let figures = figures(numbers, |place| figure(&machine, text, place));
            levels.total(line, &sort_of(own), &figures, why == Aside::Total);
        }
        line += u64::from(machine.lines());
        at = machine.next_start();
    }
}

/// The numbers in the fields of a line. A number that a start cuts is that of the column to its right.
fn figures<'f>(numbers: &[(usize, Decimal)], field: impl Fn(usize) -> (&'f [u8], bool)) -> Vec<Option<i128>> {
    let figure = |(place, decimal): &(usize, Decimal)| {
        if field(place + 1).1 {
            return None;
        }
        number::in_units(&number::parse(trim(field(*place).0).0, *decimal).ok()?)
    };
    numbers.iter().map(figure).collect()
}

/// The word that a line begins with.
fn sort_of(line: &[u8]) -> String {
    let text = String::from_utf8_lossy(line).to_lowercase();
    text.split(|c: char| !c.is_alphabetic()).find(|word| !word.is_empty()).unwrap_or_default().to_owned()
}

/// Compares them, and puts what came of it into the reading: what differs needs a look. A report does not whose totals, if there are
/// any, all agree, whose headings are all in columns, and whose columns have a name each.
///
/// # Errors
/// Those of [`check`].
pub fn settle(source: &dyn Feed, surveyed: &mut Surveyed) -> Result<()> {
    if surveyed.rolled_up.is_some() {
        return Ok(());
    }
    surveyed.printed = check(source, surveyed)?;
    let Reading { columns, notices, layout, set_aside, .. } = &mut surveyed.reading;
    let is_clear = layout.is_named && !set_aside.iter().any(|aside| aside.why == Aside::Heading);
    let Some(printed) = &surveyed.printed else {
        if is_clear {
            notices.retain(|notice| notice.code != NoticeCode::Report);
        }
        return Ok(());
    };
    for difference in printed.counts.differences.iter().take(NOTICES) {
        let printed = counted(difference.printed, "record", "records");
        let read = counted(difference.records, "was", "were");
        let message = if difference.is_of_all {
            format!("the file says that it has {printed}, but {read} read")
        } else {
            format!("the group above is said to have {printed}, but {read} read")
        };
        notices.push(Notice::new(NoticeCode::CountDiffers, message).at_line(difference.line));
    }
    for difference in printed.differences.iter().take(NOTICES) {
        let column = &columns[difference.column];
        let decimals = match &column.rule {
            Rule::Number(rule) => rule.spellings.iter().map(|s| s.decimals()).max().unwrap_or_default(),
            _ => 0,
        };
        let text = |units: i128| number::units_text(units, decimals);
        let message = format!(
            "\u{201c}{}\u{201d}: the printed total is {}, but the records before it add up to {}: {} apart",
            column.name,
            text(difference.printed),
            text(difference.computed),
            text((difference.printed - difference.computed).abs())
        );
        let notice = Notice::new(NoticeCode::TotalDiffers, message);
        notices.push(notice.at_line(difference.line).in_column(column.number));
    }
    if printed.unproved > 0 {
        let lines = counted(
            printed.unproved,
            "line among the records holds figures",
            "lines among the records hold figures",
        );
        let message = format!("{lines} that no records add up to, and may be no totals");
        let line = printed.first_unproved.unwrap_or_default();
        notices.push(Notice::new(NoticeCode::TotalsUnproved, message).at_line(line));
    }
    if printed.uncovered > 0 {
        let records = counted(printed.uncovered, "record is", "records are");
        let message =
            format!("the last {records} before no total, as the others are: the report may be cut short");
        notices.push(Notice::new(NoticeCode::TotalsUnproved, message));
    }
    let proved = printed.differ + printed.unproved + printed.uncovered + printed.counts.differ == 0
        && printed.agree + printed.counts.agree > 0;
    if proved && is_clear {
        notices.retain(|notice| notice.code != NoticeCode::Report);
    }
    notices.sort_by_key(|notice| !notice.code.needs_a_look());
    Ok(())
}

/// What a block says, in its order.
enum Event {
    /// Records below these headings follow.
    Group(Vec<Option<Vec<u8>>>),
    /// The sums of some records in a row, in units of 10^-15, and how many they are.
    Records(Vec<i128>, u64),
    /// A line that counts records.
    Count { line: u64, number: u64 },
    /// A line of totals.
    Total { line: u64, sort: String, figures: Vec<Option<i128>> },
}

struct Gather<'c> {
    columns: &'c [ColumnReading],
    numbers: &'c [(usize, Decimal)],
    events: Vec<Event>,
    headings: Vec<Option<Vec<u8>>>,
}

impl RecordSink for Gather<'_> {
    fn record(&mut self, record: &Record<'_>) -> Flow {
        let headings = record.carry().of_headings();
        if self.headings != headings && !headings.is_empty() {
            self.headings = headings.to_vec();
            self.events.push(Event::Group(self.headings.clone()));
        }
        if !matches!(self.events.last(), Some(Event::Records(..))) {
            self.events.push(Event::Records(vec![0; self.numbers.len()], 0));
        }
        if let Some(Event::Records(sums, records)) = self.events.last_mut() {
            *records += 1;
            for (sum, (place, _)) in sums.iter_mut().zip(self.numbers) {
                if let Value::Number(number, _) = self.columns[*place].read(record.own_field(*place)) {
                    *sum = sum.wrapping_add(number::in_units(&number).unwrap_or_default());
                }
            }
        }
        Flow::Continue(())
    }

    fn totals(&mut self, line: &Record<'_>) {
        let text = String::from_utf8_lossy(line.bytes());
        if let Some(count) = count_in(&text).filter(|count| count.names_records) {
            self.events.push(Event::Count { line: line.line(), number: count.number });
            return;
        }
        let figures = figures(self.numbers, |place| line.figure(place));
        let sort = sort_of(line.bytes());
        self.events.push(Event::Total { line: line.line(), sort, figures });
    }
}
