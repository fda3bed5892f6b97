//! Fields and formulas.

use incola_core::kind::date::{DateOrder, scan};
use incola_core::kind::number::{Decimal, parse, parse_padded, parse_simple};
use incola_core::kind::statistics::ColumnStats;
use incola_workbook::{CellRef, Formula, Grown, Range, column_letters, number_format, serial_date, xml};

/// Any field is a date, a number, both or neither, and the quick way says what the thorough one does.
pub fn dates_and_numbers(data: &[u8]) {
    let mut stats = ColumnStats::default();
    for (line, field) in (1..).zip(data.split(|byte| *byte == b'\n').take(200)) {
        let field = &field[..field.len().min(200)];
        stats.observe(field, line);
        if let Some(found) = scan(field) {
            for order in [DateOrder::YearFirst, DateOrder::DayFirst, DateOrder::MonthFirst] {
                if let Some(day) = found.day(order) {
                    let _ = (day.since_1970(), day.is_holdable());
                }
            }
        }
        for decimal in [Decimal::Point, Decimal::Comma] {
            let thorough = parse(field, decimal);
            let _ = parse_padded(field, decimal);
            if let Some((simple, number)) = parse_simple(field)
                && simple == decimal
            {
                assert_eq!(thorough.as_ref().ok(), Some(&number), "{}", String::from_utf8_lossy(field));
            }
        }
    }
    let _ = (stats.numbers(Decimal::Point), stats.numbers(Decimal::Comma), stats.wrap());
}

/// A formula that stays where it is is written as it was read; cells, ranges and mark-up come back as they went.
pub fn formulas(data: &[u8]) {
    let text = String::from_utf8_lossy(&data[..data.len().min(2048)]);
    let formula = Formula::parse(&text, 5);
    let (mut written, mut escaped) = (Vec::new(), Vec::new());
    formula.write(&mut written, 5);
    xml::escape_content(&mut escaped, text.as_bytes());
    assert_eq!(levelled(&written), levelled(&escaped), "a formula that stays is another one");
    let mut moved = Vec::new();
    formula.write_moved(&mut moved, |row, _| row);
    let grown = Grown { sheet: "calls".into(), columns: vec![1, 2, 3], first: 2, last: (9, 12) };
    let _ = (formula.looks_up(2), formula.range_ends(), formula.grown("calls", &grown, false));
    formula.write(&mut moved, 1_048_576);
    if let Some(cell) = CellRef::parse(&text) {
        assert_eq!(CellRef::parse(&cell.to_string()), Some(cell));
        assert!(!column_letters(cell.column).is_empty());
    }
    if let Some(range) = Range::parse(&text) {
        assert_eq!(Range::parse(&range.to_string()), Some(range));
    }
    let mut back = Vec::new();
    xml::unescape(&mut back, &escaped);
    let lost = text.chars().any(|c| c.is_control() || ('\u{fffe}'..='\u{ffff}').contains(&c));
    assert!(lost || back == text.as_bytes(), "{text:?} is escaped as another text");
    let format = number_format::NumberFormat::new(&text);
    let mut shown = Vec::new();
    for value in ["0", "-1.5", "46000.25", "1e300", "x"] {
        format.show(value.as_bytes(), &number_format::Locale::default(), &mut shown);
    }
    if let Some((days, millis)) = serial_date::read_digits(text.as_bytes()) {
        let mut own = Vec::new();
        serial_date::write(&mut own, Some(days), millis);
        assert_eq!(serial_date::read_digits(&own), Some((days, millis)), "{text:?}");
    }
}

/// The same for formulas that say the same: capital letters, and no zeros in front of numbers.
fn levelled(formula: &[u8]) -> String {
    let mut level = String::new();
    for c in String::from_utf8_lossy(formula).to_uppercase().chars() {
        if c != '0' || level.ends_with(|last: char| last.is_ascii_digit() || last == '.') {
            level.push(c);
        }
    }
    level
}
