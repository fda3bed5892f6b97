//! Number formats (ECMA-376 part 1, 18.8.31): how they are written, and what they show.

use crate::serial_date;
use std::fmt::Write as _;

/// `text` as literal characters of a format code.
///
/// ```
/// use incola_workbook::number_format::literal;
/// assert_eq!(literal("T"), "\\T");
/// assert_eq!(literal(" kg"), "\" kg\"");
/// ```
pub fn literal(text: &str) -> String {
    let mut chars = text.chars();
    match (chars.next(), chars.next()) {
        (None, _) => String::new(),
        (Some(c), None) => format!("\\{c}"),
        _ if text.contains('"') => text.chars().map(|c| format!("\\{c}")).collect(),
        _ => format!("\"{text}\""),
    }
}

/// Characters and names that a format leaves to the place where it is shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Locale {
    /// Before the decimals.
    pub decimal: String,
    /// Between groups of three digits.
    pub group: String,
    /// `AM` and `PM`.
    pub halves: [String; 2],
    /// Months cut short, then months in full.
    pub months: [[String; 12]; 2],
}

impl Default for Locale {
    fn default() -> Self {
        let full = [
            "January",
            "February",
            "March",
            "April",
            "May",
            "June",
            "July",
            "August",
            "September",
            "October",
            "November",
            "December",
        ];
        Self {
            decimal: ".".into(),
            group: ",".into(),
            halves: ["AM".into(), "PM".into()],
            months: [full.map(|m| m[..3].to_owned()), full.map(str::to_owned)],
        }
    }
}

/// A piece of a format's section.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Literal(String),
    /// Where the digits of a number go.
    Digits,
    Year(u8),
    Month(u8),
    Day(u8),
    Hour(u8),
    Minute(u8),
    Second(u8),
    /// Digits of the fraction of a second, with its decimal character.
    Fraction(u8),
    Half,
}

/// How a section writes its digits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Digits {
    /// Digits before the decimals at the least.
    whole: u8,
    /// Decimals at the least and at the most.
    decimals: (u8, u8),
    mark: bool,
    grouped: bool,
    percent: u8,
    /// Digits of the exponent at the least, whether `+` is written, and the letter.
    exponent: Option<(u8, bool, u8)>,
}

/// One of the sections between semicolons.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Section {
    pieces: Vec<Piece>,
    digits: Option<Digits>,
    is_date: bool,
    twelve_hours: bool,
}

/// A format code, ready to show values.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NumberFormat {
    code: String,
    sections: Vec<Section>,
}

impl NumberFormat {
    /// Reads a format code.
    ///
    /// ```
    /// use incola_workbook::number_format::{Locale, NumberFormat};
    /// let format = NumberFormat::new("#,##0.00");
    /// let mut shown = Vec::new();
    /// format.show(b"1234.5", &Locale::default(), &mut shown);
    /// assert_eq!(shown, b"1,234.50");
    /// ```
    pub fn new(code: &str) -> Self {
        let mut sections = vec![Section::default()];
        let mut reader = Reader { rest: code, section: Section::default() };
        while reader.next(&mut sections) {}
        let last = sections.len() - 1;
        sections[last] = reader.section;
        for section in &mut sections {
            section.settle();
        }
        Self { code: code.to_owned(), sections }
    }

    /// The code.
    pub fn code(&self) -> &str {
        &self.code
    }

    /// Whether values are shown as dates or times.
    pub fn is_date(&self) -> bool {
        self.sections[0].is_date
    }

    /// Appends what the format shows for `value`, a number as a worksheet's XML has it.
    ///
    /// Exact: decimals are added or cut in decimal digits, never through a binary number. Digits past those that the
    /// format shows are rounded half away from zero, as worksheet programs do.
    pub fn show(&self, value: &[u8], locale: &Locale, out: &mut Vec<u8>) {
        let (negative, magnitude) = match value.strip_prefix(b"-") {
            Some(rest) => (true, rest),
            None => (false, value),
        };
        if let [only] = self.sections.as_slice()
            && !only.is_date
        {
            // The common case: one section for all numbers.
            if negative {
                out.push(b'-');
            }
            only.show_number(magnitude, locale, out);
            return;
        }
        let is_zero =
            !magnitude.iter().take_while(|b| !matches!(b, b'e' | b'E')).any(|b| (b'1'..=b'9').contains(b));
        let (section, sign) = match (self.sections.len(), negative && !is_zero) {
            (1, negative) => (&self.sections[0], negative),
            (_, true) => (&self.sections[1], false),
            (3.., false) if is_zero => (&self.sections[2], false),
            (_, false) => (&self.sections[0], false),
        };
        if section.is_date
            && let Some((days, millis)) = serial_date::read_digits(magnitude)
        {
            section.show_moment(days, millis, locale, out);
            return;
        }
        if sign {
            out.push(b'-');
        }
        section.show_number(magnitude, locale, out);
    }
}

struct Reader<'c> {
    rest: &'c str,
    section: Section,
}

impl Reader<'_> {
    /// Takes the next token; `false` at the end.
    fn next(&mut self, sections: &mut Vec<Section>) -> bool {
        let mut chars = self.rest.chars();
        let Some(c) = chars.next() else { return false };
        let after = chars.as_str();
        match c {
            ';' => {
                let done = std::mem::take(&mut self.section);
                let last = sections.len() - 1;
                sections[last] = done;
                sections.push(Section::default());
                self.rest = after;
            }
            '\\' => {
                let c = chars.next();
                self.rest = chars.as_str();
                self.text(&c.map(String::from).unwrap_or_default());
            }
            '"' => {
                let (text, rest) = after.split_once('"').unwrap_or((after, ""));
                self.rest = rest;
                self.text(text);
            }
            '[' => self.rest = after.split_once(']').map_or("", |(_, rest)| rest),
            '_' | '*' => {
                chars.next();
                self.rest = chars.as_str();
                if c == '_' {
                    self.text(" ");
                }
            }
            '0' | '#' | '?' | '.' if !self.section.is_date || c == '.' => self.digits(),
            'y' | 'Y' | 'm' | 'M' | 'd' | 'D' | 'h' | 'H' | 's' | 'S' => self.moment(c.to_ascii_lowercase()),
            'A' | 'a'
                if self.rest.len() >= 5
                    && self.rest.is_char_boundary(5)
                    && self.rest[..5].eq_ignore_ascii_case("am/pm") =>
            {
                self.section.pieces.push(Piece::Half);
                self.section.twelve_hours = true;
                self.rest = &self.rest[5..];
            }
            'G' if self.rest.starts_with("General") => {
                self.section.pieces.push(Piece::Digits);
                self.rest = &self.rest[7..];
            }
            '%' => {
                if let Some(digits) = &mut self.section.digits {
                    digits.percent += 1;
                } else {
                    self.section.digits = Some(Digits { percent: 1, ..Digits::default() });
                }
                self.text("%");
                self.rest = after;
            }
            c => {
                self.rest = after;
                self.text(c.encode_utf8(&mut [0; 4]));
            }
        }
        true
    }

    fn text(&mut self, text: &str) {
        if let Some(Piece::Literal(last)) = self.section.pieces.last_mut() {
            last.push_str(text);
        } else {
            self.section.pieces.push(Piece::Literal(text.to_owned()));
        }
    }

    /// Reads the placeholders of a number; in a date, the fraction of a second.
    fn digits(&mut self) {
        let length = self.rest.bytes().take_while(|b| b"0#?.,".contains(b)).count();
        let (token, rest) = self.rest.split_at(length);
        self.rest = rest;
        if self.section.is_date {
            let zeros = token.bytes().filter(|b| *b == b'0').count();
            if zeros > 0 {
                self.section.pieces.push(Piece::Fraction(zeros as u8));
            } else {
                self.text(token);
            }
            return;
        }
        let (whole, decimals) = token.split_once('.').unwrap_or((token, ""));
        let zeros = |t: &str| t.bytes().filter(|b| *b == b'0').count() as u8;
        let places = |t: &str| t.bytes().filter(|b| *b != b',').count() as u8;
        let percent = self.section.digits.map_or(0, |d| d.percent);
        let mut digits = Digits {
            whole: zeros(whole),
            decimals: (zeros(decimals), places(decimals)),
            mark: token.contains('.'),
            grouped: whole.contains(','),
            percent,
            exponent: None,
        };
        let mut exponent = self.rest.bytes();
        if let (Some(letter @ (b'E' | b'e')), Some(sign @ (b'+' | b'-'))) = (exponent.next(), exponent.next())
        {
            let least = self.rest[2..].bytes().take_while(|b| b"0#?".contains(b)).count();
            digits.exponent = Some((least as u8, sign == b'+', letter));
            self.rest = &self.rest[2 + least..];
        }
        self.section.digits = Some(digits);
        self.section.pieces.push(Piece::Digits);
    }

    fn moment(&mut self, letter: char) {
        let length = self.rest.chars().take_while(|c| c.to_ascii_lowercase() == letter).count();
        self.rest = &self.rest[length..];
        self.section.is_date = true;
        let width = length as u8;
        self.section.pieces.push(match letter {
            'y' => Piece::Year(width),
            'm' => Piece::Month(width),
            'd' => Piece::Day(width),
            'h' => Piece::Hour(width),
            _ => Piece::Second(width),
        });
    }
}

impl Section {
    /// `m` behind hours or before seconds means minutes.
    fn settle(&mut self) {
        let moments: Vec<usize> =
            (0..self.pieces.len()).filter(|i| !matches!(self.pieces[*i], Piece::Literal(_))).collect();
        for (n, &i) in moments.iter().enumerate() {
            if let Piece::Month(width) = self.pieces[i] {
                let before = n.checked_sub(1).map(|n| &self.pieces[moments[n]]);
                let after = moments.get(n + 1).map(|i| &self.pieces[*i]);
                if matches!(before, Some(Piece::Hour(_))) || matches!(after, Some(Piece::Second(_))) {
                    self.pieces[i] = Piece::Minute(width);
                }
            }
        }
    }

    fn show_moment(&self, days: i32, millis: u32, locale: &Locale, out: &mut Vec<u8>) {
        let (year, month, day) = serial_date::civil(days);
        let hour = millis / 3_600_000;
        // Never more than two digits.
        let padded = |out: &mut Vec<u8>, number: u32, width: u8| {
            let digits = [b'0' + (number / 10 % 10) as u8, b'0' + (number % 10) as u8];
            out.extend_from_slice(if width >= 2 || number >= 10 { &digits } else { &digits[1..] });
        };
        for piece in &self.pieces {
            match piece {
                Piece::Literal(text) => match text.as_bytes() {
                    [only] => out.push(*only),
                    text => out.extend_from_slice(text),
                },
                Piece::Year(..=2) => padded(out, year.unsigned_abs() % 100, 2),
                Piece::Year(_) => {
                    let year = year.unsigned_abs();
                    let digits = [1000, 100, 10, 1].map(|p| b'0' + (year / p % 10) as u8);
                    out.extend_from_slice(&digits);
                }
                Piece::Month(width @ ..=2) => padded(out, month, *width),
                Piece::Month(width) => {
                    let name = &locale.months[usize::from(*width > 3)][month as usize - 1];
                    out.extend_from_slice(name.as_bytes());
                }
                Piece::Day(width) => padded(out, day, *width),
                Piece::Hour(width) => {
                    padded(out, if self.twelve_hours { (hour + 11) % 12 + 1 } else { hour }, *width);
                }
                Piece::Minute(width) => padded(out, millis / 60_000 % 60, *width),
                Piece::Second(width) => padded(out, millis / 1000 % 60, *width),
                Piece::Fraction(width) => {
                    out.extend_from_slice(locale.decimal.as_bytes());
                    let fraction = [100, 10, 1].map(|p| b'0' + (millis % 1000 / p % 10) as u8);
                    out.extend_from_slice(&fraction[..usize::from(*width).min(3)]);
                }
                Piece::Half => out.extend_from_slice(locale.halves[usize::from(hour >= 12)].as_bytes()),
                Piece::Digits => {}
            }
        }
    }

    fn show_number(&self, magnitude: &[u8], locale: &Locale, out: &mut Vec<u8>) {
        for piece in &self.pieces {
            match piece {
                Piece::Literal(text) => out.extend_from_slice(text.as_bytes()),
                Piece::Digits => match &self.digits {
                    Some(digits) => digits.show(magnitude, locale, out),
                    None => out.extend_from_slice(magnitude),
                },
                _ => {}
            }
        }
    }
}

/// A number in decimal digits: `digits`, of which the first `point` stand before the decimals.
struct Decimals {
    digits: [u8; 400],
    length: usize,
    point: i32,
}

impl Decimals {
    /// Takes `12.5` or `1.25E-3` apart, without leading or trailing zeros.
    fn new(text: &[u8]) -> Option<Self> {
        let mut number = Self { digits: [0; 400], length: 0, point: 0 };
        let mut seen_mark = false;
        let mut exponent = 0;
        for (at, &byte) in text.iter().enumerate() {
            match byte {
                b'0'..=b'9' => {
                    if number.length == 0 && byte == b'0' {
                        number.point -= i32::from(seen_mark);
                        continue;
                    }
                    if number.length == number.digits.len() {
                        return None;
                    }
                    number.digits[number.length] = byte - b'0';
                    number.length += 1;
                    number.point += i32::from(!seen_mark);
                }
                b'.' => seen_mark = true,
                b'e' | b'E' => {
                    exponent = std::str::from_utf8(&text[at + 1..]).ok()?.parse().ok()?;
                    break;
                }
                _ => return None,
            }
        }
        while number.length > 0 && number.digits[number.length - 1] == 0 {
            number.length -= 1;
        }
        number.point = if number.length == 0 { 0 } else { number.point.checked_add(exponent)? };
        (number.point.abs() < 400).then_some(number)
    }

    /// Rounds to `decimals` places, half away from zero.
    fn round(&mut self, decimals: i32) {
        let keep = self.point + decimals;
        if keep >= self.length as i32 {
            return;
        }
        let up = keep >= 0 && self.digits[keep as usize] >= 5;
        self.length = keep.max(0) as usize;
        if up {
            let mut at = self.length;
            loop {
                if at == 0 {
                    self.digits.copy_within(0..self.length, 1);
                    self.digits[0] = 1;
                    self.length += 1;
                    self.point += 1;
                    break;
                }
                at -= 1;
                if self.digits[at] < 9 {
                    self.digits[at] += 1;
                    break;
                }
                self.digits[at] = 0;
            }
        }
        while self.length > 0 && self.digits[self.length - 1] == 0 {
            self.length -= 1;
        }
        if self.length == 0 {
            self.point = 0;
        }
    }

    /// The digit `place` places before the decimals (from 0), or behind them (from -1).
    fn digit(&self, place: i32) -> u8 {
        let at = self.point - 1 - place;
        if at >= 0 && (at as usize) < self.length { self.digits[at as usize] } else { 0 }
    }
}

impl Digits {
    fn show(&self, magnitude: &[u8], locale: &Locale, out: &mut Vec<u8>) {
        if self.is_plain() && self.show_plain(magnitude, locale, out) {
            return;
        }
        let Some(mut number) = Decimals::new(magnitude) else {
            out.extend_from_slice(magnitude);
            return;
        };
        number.point += if number.length == 0 { 0 } else { 2 * i32::from(self.percent) };
        let mut exponent = 0;
        if self.exponent.is_some() && number.length > 0 {
            exponent = number.point - 1;
            number.point = 1;
        }
        number.round(i32::from(self.decimals.1));
        if self.exponent.is_some() && number.point > 1 {
            exponent += 1;
            number.point = 1;
        }
        let whole = number.point.max(i32::from(self.whole));
        for place in (0..whole).rev() {
            out.push(b'0' + number.digit(place));
            if self.grouped && place > 0 && place % 3 == 0 {
                out.extend_from_slice(locale.group.as_bytes());
            }
        }
        let behind = number.length as i32 - number.point;
        let decimals = behind.clamp(i32::from(self.decimals.0), i32::from(self.decimals.1).max(0));
        if self.mark {
            out.extend_from_slice(locale.decimal.as_bytes());
        }
        for place in 1..=decimals {
            out.push(b'0' + number.digit(-place));
        }
        if let Some((least, plus, letter)) = self.exponent {
            out.push(letter);
            if exponent < 0 {
                out.push(b'-');
            } else if plus {
                out.push(b'+');
            }
            let mut text = String::new();
            let _ = write!(text, "{:0width$}", exponent.abs(), width = usize::from(least));
            out.extend_from_slice(text.as_bytes());
        }
    }

    /// Whether digits are shown as they come: neither grouped nor shifted.
    #[inline]
    fn is_plain(&self) -> bool {
        !self.grouped
            && self.percent == 0
            && self.exponent.is_none()
            && self.whole == 1
            && self.decimals.0 == self.decimals.1
    }

    /// The common case: `12.5` under `0.00`. `false`: it is not that simple.
    #[inline]
    fn show_plain(&self, magnitude: &[u8], locale: &Locale, out: &mut Vec<u8>) -> bool {
        let whole = magnitude.iter().position(|b| !b.is_ascii_digit()).unwrap_or(magnitude.len());
        let decimals = match &magnitude[whole..] {
            [] => &[][..],
            [b'.', decimals @ ..] if decimals.iter().all(u8::is_ascii_digit) => decimals,
            _ => return false,
        };
        let wanted = usize::from(self.decimals.0);
        if decimals.len() > wanted || whole == 0 || (whole > 1 && magnitude[0] == b'0') {
            return false;
        }
        out.extend_from_slice(&magnitude[..whole]);
        if self.mark {
            out.extend_from_slice(locale.decimal.as_bytes());
            out.extend_from_slice(decimals);
            out.extend_from_slice(&b"000000000000000000000000000000"[..(wanted - decimals.len()).min(30)]);
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(code: &str, value: &str) -> String {
        let mut out = Vec::new();
        NumberFormat::new(code).show(value.as_bytes(), &Locale::default(), &mut out);
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn numbers_are_shown_as_their_format_says() {
        for (code, value, text) in [
            ("0", "12", "12"),
            ("0.00", "12.5", "12.50"),
            ("0.00", "-3", "-3.00"),
            ("0.0", "12.25", "12.3"),
            ("0", "9.5", "10"),
            ("#,##0.00", "1234567.5", "1,234,567.50"),
            ("#,##0", "999", "999"),
            ("#.0", "0.5", ".5"),
            ("0.", "5", "5."),
            ("000", "7", "007"),
            ("0%", "0.12", "12%"),
            ("0.0\\ %", "0.125", "12.5 %"),
            ("0.00E+00", "4.7309E-23", "4.73E-23"),
            ("0.0000E+00", "4.7309E-23", "4.7309E-23"),
            ("0.0e+0", "1500", "1.5e+3"),
            ("0.00;\\(0.00\\)", "-5", "(5.00)"),
            ("0.00;0.00\\-", "-5", "5.00-"),
            ("\\-0.00", "0", "-0.00"),
            ("\\$0.00", "5", "$5.00"),
            ("0.00\" EUR\"", "-5", "-5.00 EUR"),
            ("General", "1.5", "1.5"),
            ("0.00", "0.000000000001", "0.00"),
            ("0.000000000001", "0", "0.000000000001"),
        ] {
            assert_eq!(shown(code, value), text, "{code} {value}");
        }
    }

    #[test]
    fn moments_are_shown_as_their_format_says() {
        for (code, value, text) in [
            ("yyyy\\-mm\\-dd", "48077", "2031-08-17"),
            ("d/m/yy", "48077", "17/8/31"),
            ("dd\\.mm\\.yyyy hh:mm:ss", "48077.395833333333", "17.08.2031 09:30:00"),
            ("yyyymmdd", "48077", "20310817"),
            ("yyyymmddhhmm", "48077.395833333333", "203108170930"),
            ("[$-409]d mmm yyyy", "48077", "17 Aug 2031"),
            ("h:mm AM/PM", "0.5625", "1:30 PM"),
            ("hh:mm:ss.000", "0.395833344907", "09:30:00.001"),
            ("yyyy\\-mm\\-dd\\Thh:mm:ss\\Z", "48077.395833333333", "2031-08-17T09:30:00Z"),
        ] {
            assert_eq!(shown(code, value), text, "{code}");
        }
        assert!(NumberFormat::new("mm:ss").is_date());
        assert!(!NumberFormat::new("0.00\" days\"").is_date());
    }
}
