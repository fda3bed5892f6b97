//! Numbers: what a spelling says, and how it is spelled.
//!
//! A number is read under one decimal character at a time; the same characters may be a number under `.` and another
//! one under `,`. What is accepted can be spelled again from the value and the [`NumberSpelling`] alone. The grammar:
//!
//! ```text
//! value    = "(" amount ")" | [sign] amount [sign | "CR" | "DR" | "DB"]
//! amount   = [symbol [blank]] [sign] digits [[blank] symbol]
//! digits   = whole [decimal [fraction]] | decimal fraction, then [exponent]
//! whole    = 1*DIGIT | 1*3DIGIT 1*(group 3DIGIT)         ; one group character throughout
//! exponent = ("E" | "e") ["+" | "-"] 1*3DIGIT             ; one digit before the mark, as worksheets show it
//! symbol   = a currency sign, an ISO 4217 code, "%"
//! ```

mod marks;
mod spelling;
mod sum;

pub use marks::{Decimal, Group, Marks};
pub(crate) use spelling::is_currency_code;
pub use spelling::{Affix, Exponent, Gap, NumberSpelling, Sign, SpellingCode, Symbol};
pub use sum::{Sum, in_units, units_text};

/// Most digits that a worksheet keeps (IEEE 754 doubles give back any 15 significant decimal digits).
pub const SIGNIFICANT_DIGITS: u32 = 15;

/// Most decimals that a worksheet's number format shows.
pub const MOST_DECIMALS: u8 = 30;

/// A number: `digits` × 10^-`scale`, at most 15 significant digits.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Number {
    /// Significant digits, without trailing zeros after the decimal character.
    pub digits: u64,
    /// Digits of `digits` that stand after the decimal character; below 0 for large exponents.
    pub scale: i16,
    /// Whether it is below zero.
    pub negative: bool,
    /// How it is spelled.
    pub spelling: SpellingCode,
}

/// Why characters are no number that a worksheet can hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NoNumber {
    /// They are not spelled as a number.
    Other,
    /// A number, but with zeros in front.
    LeadingZero,
    /// A number of more than 15 significant digits.
    TooLong,
    /// A number whose spelling no number format shows (such as `12E-3` or `1,00,000`).
    Unspellable,
}

/// Reads `text` (no blanks around it) as a number under a decimal character.
///
/// # Errors
/// [`NoNumber`] says what it is instead.
///
/// ```
/// use incola_core::kind::{Decimal, number};
/// let dues = number::parse(b"1.234,50", Decimal::Comma).unwrap();
/// assert_eq!((dues.digits, dues.scale, dues.spelling.decimals()), (12345, 1, 2));
/// assert_eq!(number::parse(b"007", Decimal::Point), Err(number::NoNumber::LeadingZero));
/// ```
pub fn parse(text: &[u8], decimal: Decimal) -> Result<Number, NoNumber> {
    let number = parse_padded(text, decimal)?;
    if number.spelling.whole_digits() > 1 { Err(NoNumber::LeadingZero) } else { Ok(number) }
}

/// As [`parse`], but zeros in front are part of the spelling: for columns that are numbers because the clerk says so.
pub fn parse_padded(text: &[u8], decimal: Decimal) -> Result<Number, NoNumber> {
    Parser { text, at: 0, decimal, spelling: NumberSpelling::PLAIN, digits: 0, scale: 0 }.value()
}

/// Reads the most common spelling quickly: digits, one mark, digits, perhaps a minus in front; and only where the mark
/// can be nothing but the decimal character. `None`: it is spelled otherwise, or no number.
#[inline]
pub fn parse_simple(text: &[u8]) -> Option<(Decimal, Number)> {
    let (minus, digits) = match text.split_first()? {
        (b'-', rest) => (true, rest),
        _ => (false, text),
    };
    if digits.len() > SIGNIFICANT_DIGITS as usize + 1 {
        return None;
    }
    let mut value = 0_u64;
    let mut mark_at = None;
    for (at, &byte) in digits.iter().enumerate() {
        let digit = byte.wrapping_sub(b'0');
        if digit < 10 {
            value = value * 10 + u64::from(digit);
        } else if mark_at.is_none() && matches!(byte, b'.' | b',') {
            mark_at = Some(at);
        } else {
            return None;
        }
    }
    let whole = mark_at?;
    let mut decimals = digits.len() - whole - 1;
    let zero_in_front = whole > 1 && digits[0] == b'0';
    let may_group = decimals == 3 && whole <= 3 && digits[0] != b'0';
    if whole == 0 || decimals == 0 || zero_in_front || may_group || value == 0 {
        return None;
    }
    let decimal = if digits[whole] == b'.' { Decimal::Point } else { Decimal::Comma };
    let spelling = SpellingCode::simple(decimals, minus);
    while value.is_multiple_of(10) && decimals > 0 {
        value /= 10;
        decimals -= 1;
    }
    Some((decimal, Number { digits: value, scale: decimals as i16, negative: minus, spelling }))
}

struct Parser<'t> {
    text: &'t [u8],
    at: usize,
    decimal: Decimal,
    spelling: NumberSpelling,
    digits: u64,
    scale: i16,
}

impl Parser<'_> {
    fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    fn rest(&self) -> &[u8] {
        &self.text[self.at..]
    }

    fn value(mut self) -> Result<Number, NoNumber> {
        if !self.peek().is_some_and(|b| b.is_ascii_digit()) {
            self.before_digits()?;
        }
        self.digits()?;
        if self.at < self.text.len() {
            self.after_digits()?;
        }
        let negative = self.spelling.sign.is_negative();
        self.spelling.negative_zero = negative && self.digits == 0;
        Ok(Number {
            digits: self.digits,
            scale: if self.digits == 0 { 0 } else { self.scale },
            negative: negative && self.digits != 0,
            spelling: if self.spelling == NumberSpelling::PLAIN {
                SpellingCode::PLAIN
            } else {
                self.spelling.code()
            },
        })
    }

    fn before_digits(&mut self) -> Result<(), NoNumber> {
        if self.peek() == Some(b'(') {
            if self.text.last() != Some(&b')') {
                return Err(NoNumber::Other);
            }
            self.spelling.sign = Sign::Brackets;
            self.at += 1;
        } else {
            self.sign_in_front();
        }
        if let Some(symbol) = Symbol::starting(self.rest()) {
            self.at += symbol.text().len();
            let gap = Gap::starting(self.rest());
            self.at += gap.text().len();
            let had_sign = self.spelling.sign != Sign::None;
            if !had_sign {
                self.sign_in_front();
            }
            let sign_inside = !had_sign && self.spelling.sign != Sign::None;
            self.spelling.affix = Some(Affix { symbol, in_front: true, gap, sign_inside });
        }
        Ok(())
    }

    fn sign_in_front(&mut self) {
        let (sign, length) = match self.peek() {
            Some(b'-') => (Sign::Minus, 1),
            Some(b'+') => (Sign::Plus, 1),
            Some(0xE2) if self.rest().starts_with("\u{2212}".as_bytes()) => (Sign::TrueMinus, 3),
            _ => return,
        };
        self.at += length;
        self.spelling.sign = sign;
        if self.peek() == Some(b' ') {
            self.spelling.sign_gap = true;
            self.at += 1;
        }
    }

    fn digits(&mut self) -> Result<(), NoNumber> {
        let mut significant = 0_u32;
        let whole_from = self.at;
        self.whole_run(&mut significant);
        let first_run = self.at - whole_from;
        let mut whole = first_run;
        if (1..=3).contains(&first_run)
            && let Some((group, length)) = Group::starting(self.rest(), self.decimal)
            && self.three_digits_follow(length)
        {
            if self.text[whole_from] == b'0' {
                return Err(NoNumber::Other);
            }
            self.spelling.group = group;
            while self.rest().starts_with(group.text().as_bytes()) && self.three_digits_follow(length) {
                self.at += length;
                self.whole_run(&mut significant);
                whole += 3;
            }
        }
        let zeros_in_front = whole > 1 && self.text[whole_from] == b'0';
        self.spelling.whole_digits = match whole {
            0 => 0,
            _ if zeros_in_front => {
                u8::try_from(whole).ok().filter(|w| *w < 32).ok_or(NoNumber::LeadingZero)?
            }
            _ => 1,
        };
        if self.peek() == Some(self.decimal.char() as u8) {
            self.at += 1;
            self.spelling.mark = true;
            self.fraction(&mut significant)?;
        }
        if whole == 0 && self.spelling.decimals == 0 {
            return Err(NoNumber::Other);
        }
        if matches!(self.peek(), Some(b'e' | b'E')) {
            self.exponent(whole)?;
        }
        if significant > SIGNIFICANT_DIGITS {
            // What follows must still be part of a number for this to be a long one.
            let clean = self.at == self.text.len() || self.after_digits().is_ok();
            return Err(match (clean, zeros_in_front) {
                (false, _) => NoNumber::Other,
                (true, true) => NoNumber::LeadingZero,
                (true, false) => NoNumber::TooLong,
            });
        }
        Ok(())
    }

    /// Reads the digits at hand as part of the whole number; digits past the sixteenth only count.
    fn whole_run(&mut self, significant: &mut u32) {
        while let Some(digit) = self.peek().map(|b| b.wrapping_sub(b'0')).filter(|d| *d < 10) {
            if *significant > 0 || digit > 0 {
                *significant += 1;
            }
            if *significant <= SIGNIFICANT_DIGITS + 1 {
                self.digits = self.digits * 10 + u64::from(digit);
            }
            self.at += 1;
        }
    }

    fn three_digits_follow(&self, skip: usize) -> bool {
        let after = &self.rest()[skip..];
        after.len() >= 3
            && after[..3].iter().all(u8::is_ascii_digit)
            && !after.get(3).is_some_and(u8::is_ascii_digit)
    }

    fn fraction(&mut self, significant: &mut u32) -> Result<(), NoNumber> {
        let from = self.at;
        let mut zeros = 0_u32;
        while let Some(digit) = self.peek().map(|b| b.wrapping_sub(b'0')).filter(|d| *d < 10) {
            self.at += 1;
            if digit == 0 {
                zeros += 1;
                continue;
            }
            let step = zeros + 1;
            if *significant > 0 {
                *significant += step;
            } else {
                *significant = 1;
            }
            if *significant <= SIGNIFICANT_DIGITS + 1 {
                self.digits = self.digits * 10_u64.pow(if self.digits == 0 { 0 } else { step });
                self.digits += u64::from(digit);
            }
            self.scale = i16::try_from(self.at - from).unwrap_or(i16::MAX);
            zeros = 0;
        }
        let decimals = self.at - from;
        self.spelling.decimals = u8::try_from(decimals).unwrap_or(u8::MAX);
        if self.spelling.decimals > MOST_DECIMALS && *significant <= SIGNIFICANT_DIGITS {
            return Err(NoNumber::Unspellable);
        }
        Ok(())
    }

    fn exponent(&mut self, whole: usize) -> Result<(), NoNumber> {
        let upper = self.peek() == Some(b'E');
        self.at += 1;
        let sign = self.peek().filter(|b| matches!(b, b'+' | b'-'));
        self.at += usize::from(sign.is_some());
        let from = self.at;
        let mut exponent = 0_i16;
        while let Some(digit) = self.peek().map(|b| b.wrapping_sub(b'0')).filter(|d| *d < 10) {
            if self.at - from == 3 {
                return Err(NoNumber::Other);
            }
            exponent = exponent * 10 + i16::from(digit);
            self.at += 1;
        }
        let digits = self.at - from;
        // `1E5` without mark or sign is a code more often than a number.
        if digits == 0 || (sign.is_none() && !self.spelling.mark) {
            return Err(NoNumber::Other);
        }
        let in_front = if self.spelling.group == Group::None { whole } else { 2 };
        let normal = in_front == 1 && (self.digits == 0 || self.first_digit_is_not_zero());
        if !normal || exponent > 290 || (self.digits == 0 && exponent != 0) {
            return Err(NoNumber::Unspellable);
        }
        self.scale -= if sign == Some(b'-') { -exponent } else { exponent };
        let padded = digits > 1 && self.text[from] == b'0';
        self.spelling.exponent =
            Some(Exponent { digits: if padded { digits as u8 } else { 1 }, plus: sign.is_some(), upper });
        Ok(())
    }

    fn first_digit_is_not_zero(&self) -> bool {
        self.text.iter().find(|b| b.is_ascii_digit()).is_some_and(|b| *b != b'0')
    }

    fn after_digits(&mut self) -> Result<(), NoNumber> {
        let gap = Gap::starting(self.rest());
        let after_gap = self.at + gap.text().len();
        let sign_after = |b: Option<&u8>| match b {
            Some(b'-') => Some(Sign::MinusAfter),
            Some(b'+') => Some(Sign::PlusAfter),
            _ => None,
        };
        // A sign right after the digits, then perhaps a symbol.
        let mut sign_first = false;
        if self.spelling.sign == Sign::None
            && let Some(sign) = sign_after(self.text.get(self.at))
        {
            self.spelling.sign = sign;
            self.at += 1;
            sign_first = true;
        }
        if self.spelling.affix.is_none() {
            let at = if sign_first { self.at + Gap::starting(self.rest()).text().len() } else { after_gap };
            if let Some(symbol) = Symbol::starting(&self.text[at..]) {
                let gap = Gap::starting(self.rest());
                self.at = at + symbol.text().len();
                self.spelling.affix = Some(Affix { symbol, in_front: false, gap, sign_inside: sign_first });
            }
        }
        if self.spelling.sign == Sign::None {
            if let Some(sign) = sign_after(self.text.get(self.at)) {
                self.spelling.sign = sign;
                self.at += 1;
            } else {
                self.credit_or_debit();
            }
        }
        if self.spelling.sign == Sign::Brackets && self.peek() == Some(b')') {
            self.at += 1;
        } else if self.spelling.sign == Sign::Brackets {
            return Err(NoNumber::Other);
        }
        if self.at == self.text.len() {
            return Ok(());
        }
        Err(if self.spelling.affix.is_none() && self.is_oddly_grouped() {
            NoNumber::Unspellable
        } else {
            NoNumber::Other
        })
    }

    fn credit_or_debit(&mut self) {
        let blank = usize::from(self.peek() == Some(b' '));
        self.spelling.sign = match self.rest().get(blank..) {
            Some(b"CR") => Sign::Credit,
            Some(b"DR") => Sign::Debit,
            Some(b"DB") => Sign::DebitDb,
            _ => return,
        };
        self.spelling.sign_gap = blank > 0;
        self.at = self.text.len();
    }

    /// Whether digits are grouped otherwise than by threes (as `1,00,000.00`): nothing but digits and one kind of mark
    /// before the decimals, the last group of three digits.
    fn is_oddly_grouped(&self) -> bool {
        let mark = if self.decimal == Decimal::Point { b',' } else { b'.' };
        let whole = self.text.split(|&b| b == self.decimal.char() as u8).next().unwrap_or_default();
        let mut groups = whole.split(|&b| b == mark);
        let last = groups.next_back().is_some_and(|g| g.len() == 3);
        last && self.text.iter().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b','))
            && whole.split(|&b| b == mark).rev().skip(1).all(|g| g.len() == 2 || g.len() == 1)
            && whole.split(|&b| b == mark).count() > 2
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn point(text: &str) -> Result<Number, NoNumber> {
        parse(text.as_bytes(), Decimal::Point)
    }

    #[test]
    fn figures_are_spelled_with_the_marks_of_their_column() {
        let marks = |decimal, group| Marks { decimal, group };
        for (marks, plain, expected) in [
            (Marks::default(), "1234567.50", "1234567.50"),
            (marks(Decimal::Point, Group::Comma), "1234567.50", "1,234,567.50"),
            (marks(Decimal::Point, Group::Comma), "-123456", "-123,456"),
            (marks(Decimal::Comma, Group::NarrowNoBreak), "1000.5", "1\u{202f}000,5"),
            (marks(Decimal::Comma, Group::Point), "999", "999"),
            (marks(Decimal::Comma, Group::Apostrophe), "0.00", "0,00"),
            (marks(Decimal::Comma, Group::Point), "", ""),
            (marks(Decimal::Comma, Group::Point), "not exact", "not exact"),
        ] {
            assert_eq!(marks.spell(plain), expected);
        }
    }

    #[test]
    fn a_spelled_figure_is_read_as_what_it_was() {
        for plain in ["0.00", "7", "-12.5", "999.99", "1000", "-1234567.25", "98765432109.5"] {
            let units = in_units(&point(plain).unwrap()).unwrap();
            for decimal in [Decimal::Point, Decimal::Comma] {
                let other = if decimal == Decimal::Point { Group::Comma } else { Group::Point };
                for group in [Group::None, other, Group::Apostrophe, Group::NarrowNoBreak] {
                    let text = Marks { decimal, group }.spell(plain);
                    let back = parse(text.as_bytes(), decimal).unwrap();
                    assert_eq!(in_units(&back), Some(units), "{plain}: {text}");
                }
            }
        }
    }

    #[test]
    fn values_are_read_under_both_decimal_characters() {
        for (text, decimal, digits, scale) in [
            ("0", Decimal::Point, 0, 0),
            ("12", Decimal::Point, 12, 0),
            ("1200", Decimal::Comma, 1200, 0),
            ("12.50", Decimal::Point, 125, 1),
            ("12,50", Decimal::Comma, 125, 1),
            ("0.0625", Decimal::Point, 625, 4),
            (".5", Decimal::Point, 5, 1),
            ("5.", Decimal::Point, 5, 0),
            ("1,234.50", Decimal::Point, 12345, 1),
            ("1.234.567", Decimal::Comma, 1_234_567, 0),
            ("1'234.5", Decimal::Point, 12345, 1),
            ("1 234,5", Decimal::Comma, 12345, 1),
            ("1\u{202f}234,5", Decimal::Comma, 12345, 1),
            ("1.000000000000000", Decimal::Point, 1, 0),
            ("999999999999999", Decimal::Point, 999_999_999_999_999, 0),
            ("0.000000000000000123", Decimal::Point, 123, 18),
            ("4.7309E-23", Decimal::Point, 47309, 27),
            ("1.5e+3", Decimal::Point, 15, -2),
            ("€ 12.50", Decimal::Point, 125, 1),
            ("12,50 €", Decimal::Comma, 125, 1),
            ("USD 7", Decimal::Point, 7, 0),
            ("12.5%", Decimal::Point, 125, 1),
        ] {
            let number = parse(text.as_bytes(), decimal).unwrap_or_else(|e| panic!("{text}: {e:?}"));
            assert_eq!((number.digits, number.scale, number.negative), (digits, scale, false), "{text}");
        }
    }

    #[test]
    fn signs_are_read_in_front_behind_and_as_brackets() {
        for (text, sign, negative) in [
            ("-5", Sign::Minus, true),
            ("\u{2212}5", Sign::TrueMinus, true),
            ("+5", Sign::Plus, false),
            ("5-", Sign::MinusAfter, true),
            ("5+", Sign::PlusAfter, false),
            ("(5)", Sign::Brackets, true),
            ("($5.00)", Sign::Brackets, true),
            ("5.00 CR", Sign::Credit, true),
            ("5.00DR", Sign::Debit, false),
            ("-$5", Sign::Minus, true),
            ("$-5", Sign::Minus, true),
            ("5.00- €", Sign::MinusAfter, true),
            ("5.00 €-", Sign::MinusAfter, true),
        ] {
            let number = point(text).unwrap_or_else(|e| panic!("{text}: {e:?}"));
            assert_eq!((number.spelling.spelling().sign, number.negative), (sign, negative), "{text}");
        }
        assert!(point("$-5").unwrap().spelling.spelling().affix.unwrap().sign_inside);
        let zero = point("-0.00").unwrap();
        assert!(zero.spelling.spelling().negative_zero && !zero.negative);
    }

    #[test]
    fn what_is_no_number_says_why() {
        for (text, why) in [
            ("", NoNumber::Other),
            ("-", NoNumber::Other),
            (".", NoNumber::Other),
            ("12a", NoNumber::Other),
            ("1-2", NoNumber::Other),
            ("1.2.3", NoNumber::Other),
            ("12,34", NoNumber::Other),
            ("1,2345", NoNumber::Other),
            ("0,123", NoNumber::Other),
            ("1E5", NoNumber::Other),
            ("=5", NoNumber::Other),
            ("(5", NoNumber::Other),
            ("5)", NoNumber::Other),
            ("ABC 5", NoNumber::Other),
            ("007", NoNumber::LeadingZero),
            ("-01", NoNumber::LeadingZero),
            ("00.5", NoNumber::LeadingZero),
            ("00000000000000000001", NoNumber::LeadingZero),
            ("12345678901234567890", NoNumber::TooLong),
            ("0.1234567890123456", NoNumber::TooLong),
            ("12.5E3", NoNumber::Unspellable),
            ("1,00,000.00", NoNumber::Unspellable),
        ] {
            assert_eq!(point(text).unwrap_err(), why, "{text:?}");
        }
    }

    #[test]
    fn the_quick_reading_agrees_with_the_careful_one() {
        for text in ["12.5", "-3.00", "0.50", "1234.567", "12,5", "0,125", "999999999999.125", "10.10"] {
            let (decimal, number) = parse_simple(text.as_bytes()).unwrap_or_else(|| panic!("{text}"));
            assert_eq!(parse(text.as_bytes(), decimal), Ok(number), "{text}");
            assert!(parse(text.as_bytes(), decimal.other()).is_err(), "{text}");
        }
        for text in ["1.234", "00.5", ".5", "5.", "-0.00", "1.2.3", "12", "", "-", "1234567890123456.5"] {
            assert_eq!(parse_simple(text.as_bytes()), None, "{text}");
        }
    }

    #[test]
    fn zeros_in_front_are_a_spelling_where_the_clerk_wants_numbers() {
        let number = parse_padded(b"007", Decimal::Point).unwrap();
        assert_eq!((number.digits, number.spelling.whole_digits()), (7, 3));
    }

    #[test]
    fn spellings_come_back_from_their_codes() {
        for text in [
            "5",
            "-5.00",
            "(5.5)",
            "1,234.50",
            "$-5",
            "5.00 €-",
            "USD 7",
            "12.5 %",
            "4.73E-23",
            "1.5e+03",
            "5.00 CR",
            ".5",
            "5.",
            "-0.0",
            "1'234",
            "1\u{202f}234",
            "\u{2212}5",
            "- 5",
        ] {
            let code = point(text).unwrap_or_else(|e| panic!("{text}: {e:?}")).spelling;
            assert_eq!(code.spelling().code(), code, "{text}");
        }
    }

    #[test]
    fn sums_are_exact() {
        let mut sum = Sum::default();
        for _ in 0..1_000 {
            sum.add(&point("0.1").unwrap());
        }
        assert_eq!(sum.text(0), "100");
        sum.add(&point("-100").unwrap());
        sum.add(&point("-0.000000000000001").unwrap());
        assert_eq!(sum.text(2), "-0.000000000000001");
        assert!(sum.is_exact());
        sum.add(&point("1.0E-20").unwrap());
        assert!(!sum.is_exact());
    }
}
