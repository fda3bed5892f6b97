//! Takes a date or time apart, without deciding which part is the day.

use super::super::month::{self, Languages};
use super::{Case, DateOrder, DatePart, DateScan, DateShape, DateSpelling, Meridiem, Named, TimeGap, Zone};

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
pub(super) fn scan_usual(text: &[u8]) -> Option<DateScan> {
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
pub(super) fn scan_any(text: &[u8]) -> Option<DateScan> {
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
