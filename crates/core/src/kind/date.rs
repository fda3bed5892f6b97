//! Dates and times: what a spelling says, and how it is spelled.
//!
//! A value is first taken apart without deciding which part is the day ([`scan`]); [`DateOrder`] then gives it a
//! meaning. A whole column is needed to tell whether `03/04/2031` is in March or in April. Accepted spellings, in the symbols of
//! UAX #35:
//!
//! | shape | examples |
//! |---|---|
//! | year first | `yyyy-MM-dd`, `yyyy/M/d`, `yyyy.MM.dd`, `yyyy MM dd` |
//! | year last | `dd.MM.yyyy`, `M/d/yyyy`, `dd-MM-yyyy`, `dd MM yyyy` |
//! | two-digit year | `dd.MM.yy`, `M/d/yy`, `yy-MM-dd` |
//! | run together | `yyyyMMdd`, `yyyyMMddHHmm`, `yyyyMMddHHmmss` |
//! | month by name | `d MMM yyyy`, `dd-MMM-yy`, `MMM d, yyyy`, `d. MMMM yyyy` |
//! | time | `H:mm`, `HH:mm:ss`, `HH:mm:ss.SSS`, `h:mm a`; after a date behind `T` or a blank; then `Z` or an offset |

use super::day::Day;
use super::month::{self, Languages};

/// Which part of a numeric date is which.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[expect(clippy::enum_variant_names, reason = "what comes first is what tells them apart")]
pub enum DateOrder {
    /// Day, month, year.
    DayFirst,
    /// Month, day, year.
    MonthFirst,
    /// Year, month, day.
    YearFirst,
}

/// What kind of spelling a date has; values of one column are compared by it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DateShape {
    /// The date part; `None` for a time alone.
    pub date: Option<DatePart>,
    /// How the half of the day is written; `None`: 24 hours, or no time.
    pub meridiem: Option<Meridiem>,
    /// Whether `Z` or an offset follows.
    pub zoned: bool,
}

/// How the date part of a value is built.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum DatePart {
    /// Digits only: `yyyyMMdd`, perhaps with the time behind.
    Compact,
    /// Four digits of the year, then two parts, divided by this character.
    YearFirst(u8),
    /// Two parts, then four digits of the year.
    YearLast(u8),
    /// Three parts of at most two digits.
    ShortYear(u8),
    /// The month by name.
    Named(Named),
}

/// How a date with a month name is built.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Named {
    /// Order of the parts.
    pub order: DateOrder,
    /// What stands before the month's name or behind it: a blank, `-`, `/` or `.`.
    pub divider: u8,
    /// A full stop behind the day (`4. Mai`).
    pub day_stop: bool,
    /// A full stop behind the month (`Jan.`).
    pub month_stop: bool,
    /// A comma before the year.
    pub comma: bool,
    /// How the letters of the month's name are written.
    pub case: Case,
}

/// How a word's letters are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Case {
    /// `jan`
    Lower,
    /// `JAN`
    Upper,
    /// `Jan`
    Title,
}

impl Case {
    fn of(word: &str) -> Option<Self> {
        let mut chars = word.chars();
        let first = chars.next()?;
        let rest = chars.as_str();
        if first.is_lowercase() && !rest.chars().any(char::is_uppercase) {
            Some(Self::Lower)
        } else if first.is_uppercase() && !rest.chars().any(char::is_uppercase) {
            Some(Self::Title)
        } else if !word.chars().any(char::is_lowercase) {
            Some(Self::Upper)
        } else {
            None
        }
    }

    /// `word`, which is in lower case, written this way.
    pub fn apply(self, word: &str) -> String {
        let mut chars = word.chars();
        match self {
            Self::Lower => word.to_owned(),
            Self::Upper => word.to_uppercase(),
            Self::Title => {
                chars.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default()
                    + chars.as_str()
            }
        }
    }
}

/// How the half of the day is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Meridiem {
    /// `PM` instead of `pm`.
    pub upper: bool,
    /// `p.m.` instead of `pm`.
    pub stops: bool,
    /// A blank before it.
    pub blank: bool,
}

/// How one date or time of a shape is spelled: what may differ from cell to cell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DateSpelling {
    /// Digits of the three numeric parts as they stand; a month's name counts as 3 if cut short, else 4.
    pub widths: [u8; 3],
    /// What stands between date and time.
    pub gap: TimeGap,
    /// Digits of the hour; 0: no time.
    pub hour_digits: u8,
    /// Whether seconds are written.
    pub seconds: bool,
    /// Digits of the fraction of a second, 0 to 3.
    pub fraction_digits: u8,
    /// A comma before the fraction, instead of a full stop.
    pub fraction_comma: bool,
}

/// What stands between a date and its time.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum TimeGap {
    /// Nothing, or no time.
    #[default]
    None,
    /// `T` (ISO 8601)
    T,
    /// A blank.
    Blank,
    /// Two blanks.
    TwoBlanks,
    /// A comma and a blank.
    CommaBlank,
}

impl TimeGap {
    /// The characters themselves.
    pub fn text(self) -> &'static str {
        match self {
            Self::None => "",
            Self::T => "T",
            Self::Blank => " ",
            Self::TwoBlanks => "  ",
            Self::CommaBlank => ", ",
        }
    }
}

/// `Z` or an offset behind a time, as it is written; at most six bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Zone {
    bytes: [u8; 7],
    length: u8,
}

impl Zone {
    /// The characters themselves.
    pub fn text(&self) -> &str {
        std::str::from_utf8(&self.bytes[..usize::from(self.length)]).unwrap_or_default()
    }
}

/// A date or time taken apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DateScan {
    /// What kind of spelling it is.
    pub shape: DateShape,
    /// How it is spelled.
    pub spelling: DateSpelling,
    /// The three parts as they stand; a month's name as its number.
    parts: [u16; 3],
    /// Milliseconds since midnight.
    pub millis: u32,
    /// Languages of the month's name.
    pub languages: Languages,
    /// Whether the month's name is both long and short.
    pub name_is_both: bool,
    /// `Z` or the offset.
    pub zone: Zone,
    /// Whether it says more than milliseconds.
    pub too_fine: bool,
}

/// The century of two-digit years: they lie in 1950 to 2049.
const PIVOT: u16 = 50;

impl DateScan {
    /// The day under an order; `None`: there is no such day, or the shape has no such order.
    pub fn day(&self, order: DateOrder) -> Option<Day> {
        let [a, b, c] = self.parts;
        let (year, month, day) = match (self.shape.date?, order) {
            (DatePart::Compact | DatePart::YearFirst(_), DateOrder::YearFirst) => (a, b, c),
            (DatePart::YearLast(_), DateOrder::DayFirst) => (c, b, a),
            (DatePart::YearLast(_), DateOrder::MonthFirst) => (c, a, b),
            (DatePart::ShortYear(_), DateOrder::DayFirst) if self.spelling.widths[2] == 2 => (full(c), b, a),
            (DatePart::ShortYear(_), DateOrder::MonthFirst) if self.spelling.widths[2] == 2 => {
                (full(c), a, b)
            }
            (DatePart::ShortYear(_), DateOrder::YearFirst) if self.spelling.widths[0] == 2 => (full(a), b, c),
            (DatePart::Named(named), order) if named.order == order => {
                let (year, month, day, width) = match order {
                    DateOrder::DayFirst => (c, b, a, self.spelling.widths[2]),
                    DateOrder::MonthFirst => (c, a, b, self.spelling.widths[2]),
                    DateOrder::YearFirst => (a, b, c, self.spelling.widths[0]),
                };
                (if width == 2 { full(year) } else { year }, month, day)
            }
            _ => return None,
        };
        Day::new(year, u8::try_from(month).ok()?, u8::try_from(day).ok()?)
    }

    /// Whether it has a time.
    pub fn has_time(&self) -> bool {
        self.spelling.hour_digits > 0
    }
}

/// The year that two digits stand for.
fn full(year: u16) -> u16 {
    if year < PIVOT { 2000 + year } else { 1900 + year }
}

/// Takes `text` (no blanks around it) apart; `None`: it is spelled as no date or time. That there is such a day is not
/// said yet: ask [`DateScan::day`].
///
/// ```
/// use incola_core::kind::{DateOrder, date};
/// let scan = date::scan(b"17.08.2031 09:30").unwrap();
/// assert_eq!(scan.day(DateOrder::DayFirst).unwrap().month, 8);
/// assert_eq!(scan.day(DateOrder::MonthFirst), None);
/// assert_eq!(scan.millis, 34_200_000);
/// ```
pub fn scan(text: &[u8]) -> Option<DateScan> {
    if !(4..=40).contains(&text.len()) {
        return None;
    }
    if let Some(scan) = scan_usual(text) {
        return Some(scan);
    }
    scan_any(text)
}

/// The most common spellings, all parts at fixed places: `dd.MM.yyyy`, `yyyy-MM-dd`, and those with `HH:mm:ss` behind `T` or
/// a blank. What is spelled otherwise, or has no such time, is left to [`scan_any`].
#[inline]
fn scan_usual(text: &[u8]) -> Option<DateScan> {
    let date: &[u8; 10] = text.first_chunk()?;
    let mut over = 0_u8;
    let mut two = |a: u8, b: u8| {
        let (a, b) = (a.wrapping_sub(b'0'), b.wrapping_sub(b'0'));
        over |= u8::from(a > 9) | u8::from(b > 9);
        u32::from(a) * 10 + u32::from(b)
    };
    let is_divider = |b: u8| matches!(b, b'-' | b'/' | b'.' | b' ');
    // What is no digit makes large numbers here; they are thrown away with the rest below.
    let (part, parts, widths) = if date[4] == date[7] && is_divider(date[4]) {
        let year = two(date[0], date[1]) * 100 + two(date[2], date[3]);
        (DatePart::YearFirst(date[4]), [year, two(date[5], date[6]), two(date[8], date[9])], [4, 2, 2])
    } else if date[2] == date[5] && is_divider(date[2]) {
        let year = two(date[6], date[7]) * 100 + two(date[8], date[9]);
        (DatePart::YearLast(date[2]), [two(date[0], date[1]), two(date[3], date[4]), year], [2, 2, 4])
    } else {
        return None;
    };
    let mut spelling = DateSpelling { widths, ..DateSpelling::default() };
    let mut millis = 0;
    match text.len() {
        10 => {}
        19 => {
            let time: &[u8; 9] = text.last_chunk()?;
            spelling.gap = match time[0] {
                b'T' => TimeGap::T,
                b' ' => TimeGap::Blank,
                _ => return None,
            };
            if time[3] != b':' || time[6] != b':' {
                return None;
            }
            let (hour, minute, second) =
                (two(time[1], time[2]), two(time[4], time[5]), two(time[7], time[8]));
            if hour > 23 || minute > 59 || second > 59 {
                return None;
            }
            millis = ((hour * 60 + minute) * 60 + second) * 1000;
            (spelling.hour_digits, spelling.seconds) = (2, true);
        }
        _ => return None,
    }
    (over == 0).then_some(DateScan {
        shape: DateShape { date: Some(part), meridiem: None, zoned: false },
        spelling,
        parts: parts.map(|part| part as u16),
        millis,
        languages: Languages::ALL,
        name_is_both: false,
        zone: Zone::default(),
        too_fine: false,
    })
}

/// As [`scan`], for any spelling.
fn scan_any(text: &[u8]) -> Option<DateScan> {
    let mut scanner = Scanner {
        text,
        at: 0,
        scan: DateScan {
            shape: DateShape { date: None, meridiem: None, zoned: false },
            spelling: DateSpelling::default(),
            parts: [0; 3],
            millis: 0,
            languages: Languages::ALL,
            name_is_both: false,
            zone: Zone::default(),
            too_fine: false,
        },
    };
    scanner.whole()?;
    Some(scanner.scan)
}

struct Scanner<'t> {
    text: &'t [u8],
    at: usize,
    scan: DateScan,
}

impl Scanner<'_> {
    fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    fn eat(&mut self, byte: u8) -> bool {
        let found = self.peek() == Some(byte);
        self.at += usize::from(found);
        found
    }

    /// Reads a run of at most nine digits: its value and length.
    #[inline]
    fn number(&mut self) -> Option<(u32, u8)> {
        let from = self.at;
        let mut value = 0_u32;
        while let Some(digit) = self.peek().map(|b| b.wrapping_sub(b'0')).filter(|d| *d < 10) {
            if self.at - from == 9 {
                return None;
            }
            value = value * 10 + u32::from(digit);
            self.at += 1;
        }
        (self.at > from).then_some((value, (self.at - from) as u8))
    }

    fn whole(&mut self) -> Option<()> {
        if self.text[0].is_ascii_digit() {
            let digits = self.text.iter().take_while(|b| b.is_ascii_digit()).count();
            match digits {
                8 => self.compact(8)?,
                12 | 14 if digits == self.text.len() => self.compact(digits)?,
                1 | 2 if self.text.get(digits) == Some(&b':') => return self.time_then_end(),
                1 | 2 | 4 => self.parts(digits)?,
                _ => return None,
            }
        } else {
            self.month_first()?;
        }
        if self.at < self.text.len() {
            self.gap()?;
            self.time_then_end()?;
        }
        Some(())
    }

    fn time_then_end(&mut self) -> Option<()> {
        self.time()?;
        (self.at == self.text.len()).then_some(())
    }

    fn compact(&mut self, digits: usize) -> Option<()> {
        let part = |from: usize, to: usize| {
            self.text[from..to].iter().fold(0_u32, |n, b| n * 10 + u32::from(b - b'0'))
        };
        let (year, month, day) = (part(0, 4), part(4, 6), part(6, 8));
        // Any eight digits could be meant: only years of living memory are taken for years.
        if !(1900..=2100).contains(&year) {
            return None;
        }
        self.scan.parts = [year as u16, month as u16, day as u16];
        self.scan.spelling.widths = [4, 2, 2];
        self.scan.shape.date = Some(DatePart::Compact);
        self.at = 8;
        if digits > 8 {
            let (hour, minute) = (part(8, 10), part(10, 12));
            let second = if digits == 14 { part(12, 14) } else { 0 };
            self.at = digits;
            self.scan.spelling.hour_digits = 2;
            self.scan.spelling.seconds = digits == 14;
            self.set_time(hour, minute, second, 0)?;
        }
        Some(())
    }

    /// Three parts that begin with digits: numeric, or with the month's name in the middle.
    fn parts(&mut self, first_digits: usize) -> Option<()> {
        let (a, width_a) = self.number()?;
        let mut divider = self.peek()?;
        let mut day_stop = false;
        if divider == b'.' && self.text.get(self.at + 1) == Some(&b' ') {
            day_stop = true;
            self.at += 1;
            divider = b' ';
        }
        if !matches!(divider, b'-' | b'/' | b'.' | b' ') {
            return None;
        }
        self.at += 1;
        if !self.peek()?.is_ascii_digit() {
            let order = if first_digits == 4 { DateOrder::YearFirst } else { DateOrder::DayFirst };
            return self.name_in_the_middle(order, a, width_a, divider, day_stop);
        }
        let (b, width_b) = self.number()?;
        if width_b > 2 || day_stop || !self.eat(divider) {
            return None;
        }
        let (c, width_c) = self.number()?;
        let date = match (width_a, width_c) {
            (4, 1 | 2) => DatePart::YearFirst(divider),
            (1 | 2, 4) => DatePart::YearLast(divider),
            // Both ends could be the year; one of them must have two digits.
            (1 | 2, 1 | 2) if divider != b' ' && (width_a == 2 || width_c == 2) => {
                DatePart::ShortYear(divider)
            }
            _ => return None,
        };
        self.scan.parts = [a as u16, b as u16, c as u16];
        self.scan.spelling.widths = [width_a, width_b, width_c];
        self.scan.shape.date = Some(date);
        Some(())
    }

    /// Reads a word of letters (and of bytes above 0x7F) as a month.
    fn month(&mut self) -> Option<(u16, u8, Case)> {
        let from = self.at;
        while self.peek().is_some_and(|b| b.is_ascii_alphabetic() || b >= 0x80) {
            self.at += 1;
        }
        let word = &self.text[from..self.at];
        let found = month::find(word)?;
        self.scan.languages = found.languages;
        self.scan.name_is_both = month::is_both(word);
        let case = Case::of(std::str::from_utf8(word).ok()?)?;
        Some((u16::from(found.month), if found.short { 3 } else { 4 }, case))
    }

    fn name_in_the_middle(
        &mut self,
        order: DateOrder,
        a: u32,
        width_a: u8,
        divider: u8,
        day_stop: bool,
    ) -> Option<()> {
        let (month, width, case) = self.month()?;
        let month_stop = divider != b'.' && self.eat(b'.');
        let comma = divider == b' ' && self.eat(b',');
        if !self.eat(divider) {
            return None;
        }
        let (c, width_c) = self.number()?;
        let fits = match order {
            DateOrder::YearFirst => width_c <= 2,
            _ => width_c == 4 || width_c == 2,
        };
        if !fits {
            return None;
        }
        self.scan.parts = [a as u16, month, c as u16];
        self.scan.spelling.widths = [width_a, width, width_c];
        self.scan.shape.date =
            Some(DatePart::Named(Named { order, divider, day_stop, month_stop, comma, case }));
        Some(())
    }

    /// `Jan 5, 2031`
    fn month_first(&mut self) -> Option<()> {
        let (month, width, case) = self.month()?;
        let month_stop = self.eat(b'.');
        let divider = self.peek().filter(|b| matches!(b, b' ' | b'-'))?;
        self.at += 1;
        let (day, width_b) = self.number()?;
        let comma = self.eat(b',');
        if width_b > 2 || !self.eat(divider) {
            return None;
        }
        let (year, width_c) = self.number()?;
        if width_c != 4 && width_c != 2 {
            return None;
        }
        self.scan.parts = [month, day as u16, year as u16];
        self.scan.spelling.widths = [width, width_b, width_c];
        self.scan.shape.date = Some(DatePart::Named(Named {
            order: DateOrder::MonthFirst,
            divider,
            day_stop: false,
            month_stop,
            comma,
            case,
        }));
        Some(())
    }

    fn gap(&mut self) -> Option<()> {
        let rest = &self.text[self.at..];
        let gap = [TimeGap::T, TimeGap::TwoBlanks, TimeGap::CommaBlank, TimeGap::Blank]
            .into_iter()
            .find(|gap| rest.starts_with(gap.text().as_bytes()))?;
        self.at += gap.text().len();
        self.scan.spelling.gap = gap;
        Some(())
    }

    fn time(&mut self) -> Option<()> {
        let (hour, hour_digits) = self.number()?;
        if hour_digits > 2 || !self.eat(b':') {
            return None;
        }
        let (minute, 2) = self.number()? else { return None };
        let mut second = 0;
        let mut millis = 0;
        if self.eat(b':') {
            let (value, 2) = self.number()? else { return None };
            second = value;
            self.scan.spelling.seconds = true;
            if matches!(self.peek(), Some(b'.' | b',')) {
                self.scan.spelling.fraction_comma = self.peek() == Some(b',');
                self.at += 1;
                let (value, digits) = self.number()?;
                self.scan.too_fine = digits > 3;
                millis = match digits {
                    1 => value * 100,
                    2 => value * 10,
                    3 => value,
                    _ => value / 10_u32.pow(u32::from(digits) - 3),
                };
                self.scan.spelling.fraction_digits = digits.min(3);
            }
        }
        self.scan.spelling.hour_digits = hour_digits;
        let mut hour = hour;
        if let Some(afternoon) = self.meridiem() {
            if !(1..=12).contains(&hour) {
                return None;
            }
            hour = hour % 12 + if afternoon { 12 } else { 0 };
        }
        self.zone()?;
        self.set_time(hour, minute, second, millis)
    }

    fn set_time(&mut self, hour: u32, minute: u32, second: u32, millis: u32) -> Option<()> {
        if hour > 23 || minute > 59 || second > 59 {
            return None;
        }
        self.scan.millis = ((hour * 60 + minute) * 60 + second) * 1000 + millis;
        Some(())
    }

    /// Reads `am`, `PM`, `p.m.`: whether it is the afternoon.
    fn meridiem(&mut self) -> Option<bool> {
        let blank = self.peek() == Some(b' ');
        let rest = &self.text[self.at + usize::from(blank)..];
        let (afternoon, upper, stops) = [
            ("am", false, false, false),
            ("pm", true, false, false),
            ("AM", false, true, false),
            ("PM", true, true, false),
            ("a.m.", false, false, true),
            ("p.m.", true, false, true),
        ]
        .into_iter()
        .find(|(text, ..)| rest == text.as_bytes())
        .map(|(_, afternoon, upper, stops)| (afternoon, upper, stops))?;
        self.at = self.text.len();
        self.scan.shape.meridiem = Some(Meridiem { upper, stops, blank });
        Some(afternoon)
    }

    /// Reads what is left as `Z` or an offset, if anything is left.
    fn zone(&mut self) -> Option<()> {
        let rest = &self.text[self.at..];
        let offset = rest.strip_prefix(b" ").unwrap_or(rest);
        let fits = match offset {
            [] => return Some(()),
            [b'Z'] => true,
            [b'+' | b'-', hour @ .., b':', a, b] if hour.len() == 2 => {
                hour.iter().chain([a, b]).all(u8::is_ascii_digit)
            }
            [b'+' | b'-', digits @ ..] => {
                matches!(digits.len(), 2 | 4) && digits.iter().all(u8::is_ascii_digit)
            }
            _ => false,
        };
        if !fits {
            return None;
        }
        self.scan.zone.bytes[..rest.len()].copy_from_slice(rest);
        self.scan.zone.length = rest.len() as u8;
        self.scan.shape.zoned = true;
        self.at = self.text.len();
        Some(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig { cases: 4000, ..ProptestConfig::default() })]
        #[test]
        fn the_usual_spellings_are_read_as_any_other(
            text in "[0-9]{2}([0-9]{2})?[-/. :][0-9]{2}[-/. ][0-9]{2}([0-9]{2})?([T ][0-9]{2}[:.][0-6][0-9][:.][0-6][0-9])?|[0-9T:./ -]{10}|[0-9T:./ -]{19}",
        ) {
            if let Some(usual) = scan_usual(text.as_bytes()) {
                prop_assert_eq!(scan_any(text.as_bytes()), Some(usual), "{}", text);
            }
        }
    }

    #[test]
    fn the_usual_spellings_are_found() {
        for text in ["17.08.2031", "2031-08-17", "2031/08/17 06:05:59", "2031-08-17T23:59:59", "08/17/2031"] {
            assert_eq!(scan_usual(text.as_bytes()), scan_any(text.as_bytes()), "{text}");
            assert!(scan_usual(text.as_bytes()).is_some(), "{text}");
        }
    }

    #[test]
    fn days_are_found_in_each_shape() {
        use DateOrder::{DayFirst, MonthFirst, YearFirst};
        for (text, order, year, month, day) in [
            ("2031-08-17", YearFirst, 2031, 8, 17),
            ("2031/8/7", YearFirst, 2031, 8, 7),
            ("20310817", YearFirst, 2031, 8, 17),
            ("17.08.2031", DayFirst, 2031, 8, 17),
            ("8/17/2031", MonthFirst, 2031, 8, 17),
            ("17-08-31", DayFirst, 2031, 8, 17),
            ("93-08-17", YearFirst, 1993, 8, 17),
            ("17 08 2031", DayFirst, 2031, 8, 17),
            ("17 Aug 2031", DayFirst, 2031, 8, 17),
            ("17-AUG-31", DayFirst, 2031, 8, 17),
            ("4. März 2031", DayFirst, 2031, 3, 4),
            ("Aug 17, 2031", MonthFirst, 2031, 8, 17),
            ("2031-Aug-17", YearFirst, 2031, 8, 17),
            ("29.02.2028", DayFirst, 2028, 2, 29),
        ] {
            let found = scan(text.as_bytes()).unwrap_or_else(|| panic!("{text}"));
            assert_eq!(found.day(order), Day::new(year, month, day), "{text}");
            assert!(found.day(order).is_some());
        }
    }

    #[test]
    fn impossible_days_and_orders_are_none() {
        use DateOrder::{DayFirst, MonthFirst};
        for (text, order) in [
            ("31.02.2031", DayFirst),
            ("29.02.2031", DayFirst),
            ("13/31/2031", MonthFirst),
            ("17/08/2031", MonthFirst),
            ("00.00.0000", DayFirst),
        ] {
            assert_eq!(scan(text.as_bytes()).unwrap().day(order), None, "{text}");
        }
    }

    #[test]
    fn times_are_read_to_the_millisecond() {
        for (text, millis) in [
            ("0:00", 0),
            ("9:05", 32_700_000),
            ("23:59:59.999", 86_399_999),
            ("12:00 am", 0),
            ("12:30PM", 45_000_000),
            ("1:00 p.m.", 46_800_000),
            ("2031-08-17T09:30:00Z", 34_200_000),
            ("2031-08-17 09:30:00 +02:00", 34_200_000),
            ("20310817093000", 34_200_000),
            ("17.08.2031, 09:30", 34_200_000),
        ] {
            assert_eq!(scan(text.as_bytes()).map(|s| s.millis), Some(millis), "{text}");
        }
        assert!(scan(b"10:00:00.123456").unwrap().too_fine);
    }

    #[test]
    fn other_texts_are_none() {
        for text in [
            "",
            "2031",
            "1.2",
            "24:00",
            "10:60",
            "10:5",
            "2031-08",
            "1.2.3",
            "2031-08/17",
            "17.08.2031x",
            "12345678",
            "192.168.1.10",
            "17 quay 2031",
            "12-34",
            "Jan",
            "2031-08-17T",
            "99999999",
            "1-2-3",
            "2031-08-17 9",
        ] {
            assert_eq!(scan(text.as_bytes()), None, "{text}");
        }
    }

    #[test]
    fn days_are_counted_from_1970() {
        for (year, month, day, days) in [
            (1970, 1, 1, 0),
            (1970, 3, 1, 59),
            (2000, 2, 29, 11_016),
            (1900, 3, 1, -25_508),
            (9999, 12, 31, 2_932_896),
        ] {
            assert_eq!(Day::new(year, month, day).unwrap().since_1970(), days);
        }
    }
}
