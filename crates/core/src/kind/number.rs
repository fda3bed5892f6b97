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

/// Most digits that a worksheet keeps (IEEE 754 doubles give back any 15 significant decimal digits).
pub const SIGNIFICANT_DIGITS: u32 = 15;

/// Most decimals that a worksheet's number format shows.
pub const MOST_DECIMALS: u8 = 30;

/// The character before the decimals.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Decimal {
    /// `.`
    Point,
    /// `,`
    Comma,
}

impl Decimal {
    /// The character itself.
    ///
    /// ```
    /// assert_eq!(incola_core::kind::Decimal::Comma.char(), ',');
    /// ```
    pub fn char(self) -> char {
        match self {
            Self::Point => '.',
            Self::Comma => ',',
        }
    }

    /// The other one.
    #[must_use]
    pub fn other(self) -> Self {
        match self {
            Self::Point => Self::Comma,
            Self::Comma => Self::Point,
        }
    }
}

/// The character between groups of three digits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Group {
    /// Digits are not grouped.
    #[default]
    None,
    /// `,`
    Comma,
    /// `.`
    Point,
    /// `'`
    Apostrophe,
    /// U+2019
    RightQuote,
    /// A plain blank.
    Space,
    /// U+00A0
    NoBreak,
    /// U+202F
    NarrowNoBreak,
    /// U+2009
    Thin,
}

impl Group {
    const ALL: [(Self, &'static str); 8] = [
        (Self::Comma, ","),
        (Self::Point, "."),
        (Self::Apostrophe, "'"),
        (Self::RightQuote, "\u{2019}"),
        (Self::Space, " "),
        (Self::NoBreak, "\u{a0}"),
        (Self::NarrowNoBreak, "\u{202f}"),
        (Self::Thin, "\u{2009}"),
    ];

    /// The character itself; empty for [`Group::None`].
    pub fn text(self) -> &'static str {
        Self::ALL.iter().find(|(g, _)| *g == self).map_or("", |(_, text)| text)
    }

    /// The group character that is spelled `text`.
    pub fn from_text(text: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, t)| *t == text).map(|(g, _)| *g)
    }

    /// The group character that `text` begins with.
    #[inline]
    fn starting(text: &[u8], decimal: Decimal) -> Option<(Self, usize)> {
        match text.first()? {
            b',' if decimal == Decimal::Point => Some((Self::Comma, 1)),
            b'.' if decimal == Decimal::Comma => Some((Self::Point, 1)),
            b'\'' => Some((Self::Apostrophe, 1)),
            b' ' => Some((Self::Space, 1)),
            0xC2 | 0xE2 => Self::ALL[3..]
                .iter()
                .find(|(_, t)| text.starts_with(t.as_bytes()))
                .map(|(g, t)| (*g, t.len())),
            _ => None,
        }
    }
}

/// The marks with which figures are spelled that are worked out of a column, such as its sum.
///
/// ```
/// use incola_core::kind::{Decimal, Group, Marks};
/// let marks = Marks { decimal: Decimal::Comma, group: Group::Point };
/// assert_eq!(marks.spell("-1234567.50"), "-1.234.567,50");
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Marks {
    /// The character before the decimals.
    pub decimal: Decimal,
    /// The character between groups of three digits.
    pub group: Group,
}

impl Default for Marks {
    fn default() -> Self {
        Self { decimal: Decimal::Point, group: Group::None }
    }
}

impl Marks {
    /// Spells a decimal number that has a full stop before its decimals and a hyphen as its sign; anything else stays as it is.
    pub fn spell(self, plain: &str) -> String {
        let (sign, digits) = plain.strip_prefix('-').map_or(("", plain), |rest| ("-", rest));
        let (whole, decimals) =
            digits.split_once('.').map_or((digits, None), |(whole, decimals)| (whole, Some(decimals)));
        if !whole.bytes().all(|b| b.is_ascii_digit()) {
            return plain.to_owned();
        }
        let mut out = sign.to_owned();
        for (n, digit) in whole.chars().enumerate() {
            if n > 0 && (whole.len() - n).is_multiple_of(3) {
                out.push_str(self.group.text());
            }
            out.push(digit);
        }
        if let Some(decimals) = decimals {
            out.push(self.decimal.char());
            out.push_str(decimals);
        }
        out
    }
}

/// Where and how a sign is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Sign {
    /// No sign.
    #[default]
    None,
    /// `-5`
    Minus,
    /// U+2212 in front.
    TrueMinus,
    /// `+5`
    Plus,
    /// `5-`
    MinusAfter,
    /// `5+`
    PlusAfter,
    /// `(5)`
    Brackets,
    /// `5 CR` or `5CR`
    Credit,
    /// `5 DR` or `5DR`
    Debit,
    /// `5 DB` or `5DB`: COBOL's spelling of a debit
    DebitDb,
}

impl Sign {
    /// Whether the sign makes a number negative. A credit mark does (as in COBOL pictures, where both marks stand only
    /// on negative amounts); a debit mark does not, for where both occur they are opposites.
    pub fn is_negative(self) -> bool {
        matches!(self, Self::Minus | Self::TrueMinus | Self::MinusAfter | Self::Brackets | Self::Credit)
    }
}

/// What stands between a number and its symbol.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Gap {
    /// Nothing.
    #[default]
    None,
    /// A blank.
    Space,
    /// U+00A0
    NoBreak,
    /// U+202F
    NarrowNoBreak,
}

impl Gap {
    /// The characters themselves.
    pub fn text(self) -> &'static str {
        match self {
            Self::None => "",
            Self::Space => " ",
            Self::NoBreak => "\u{a0}",
            Self::NarrowNoBreak => "\u{202f}",
        }
    }

    fn starting(text: &[u8]) -> Self {
        [Self::Space, Self::NoBreak, Self::NarrowNoBreak]
            .into_iter()
            .find(|gap| text.starts_with(gap.text().as_bytes()))
            .unwrap_or_default()
    }
}

/// A currency sign, currency code or percent sign: at most four bytes of UTF-8, so that it can be compared as it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Symbol {
    bytes: [u8; 4],
    length: u8,
}

/// Currency codes of ISO 4217 in use, in alphabetical order.
const CURRENCY_CODES: &str = "AEDAFNALLAMDANGAOAARSAUDAWGAZNBAMBBDBDTBGNBHDBIFBMDBNDBOBBRLBSDBTNBWPBYNBZDCADCDFCHFCLPCNYCOP\
CRCCUPCVECZKDJFDKKDOPDZDEGPERNETBEURFJDFKPGBPGELGHSGIPGMDGNFGTQGYDHKDHNLHRKHTGHUFIDRILSINRIQDIRRISKJMDJODJPYKESKGSKHRKMFKPW\
KRWKWDKYDKZTLAKLBPLKRLRDLSLLYDMADMDLMGAMKDMMKMNTMOPMRUMURMVRMWKMXNMYRMZNNADNGNNIONOKNPRNZDOMRPABPENPGKPHPPKRPLNPYGQARRONRSD\
RUBRWFSARSBDSCRSDGSEKSGDSHPSLESOSSRDSSPSTNSVCSYPSZLTHBTJSTMTTNDTOPTRYTTDTWDTZSUAHUGXUSDUYUUZSVESVNDVUVWSTXAFXCDXOFXPFYERZARZMW";

impl Symbol {
    fn new(text: &[u8]) -> Self {
        let mut bytes = [0; 4];
        bytes[..text.len()].copy_from_slice(text);
        Self { bytes, length: text.len() as u8 }
    }

    /// The characters themselves.
    pub fn text(&self) -> &str {
        std::str::from_utf8(&self.bytes[..usize::from(self.length)]).unwrap_or_default()
    }

    /// Whether it is the percent sign: the number's value is a hundredth of what is written.
    pub fn is_percent(&self) -> bool {
        self.bytes[0] == b'%'
    }

    /// The symbol that `text` begins with.
    fn starting(text: &[u8]) -> Option<Self> {
        let first = *text.first()?;
        match first {
            b'$' | b'%' => Some(Self::new(&text[..1])),
            b'A'..=b'Z' => {
                let code = text.get(..3)?;
                let alone = !text.get(3).is_some_and(u8::is_ascii_alphabetic);
                let is_code = alone && code.iter().all(u8::is_ascii_uppercase);
                let known = || CURRENCY_CODES.as_bytes().chunks_exact(3).any(|known| known == code);
                (is_code && known()).then(|| Self::new(code))
            }
            0xC2 if matches!(text.get(1), Some(0xA2..=0xA5)) => Some(Self::new(&text[..2])),
            // U+20A0 to U+20CF: the currency symbols block.
            0xE2 if matches!(text.get(1..3), Some([0x82, 0xA0..=0xBF] | [0x83, 0x80..=0x8F])) => {
                Some(Self::new(&text[..3]))
            }
            _ => None,
        }
    }
}

/// A symbol and its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Affix {
    /// What stands beside the number.
    pub symbol: Symbol,
    /// Whether it stands in front.
    pub in_front: bool,
    /// What stands between.
    pub gap: Gap,
    /// Whether a sign stands between the symbol and the digits (`$-5`, `5-€`) instead of outside of both.
    pub sign_inside: bool,
}

/// How an exponent is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Exponent {
    /// Digits at the least (`E05` has 2).
    pub digits: u8,
    /// Whether `+` is written before positive exponents.
    pub plus: bool,
    /// `E` (or else `e`).
    pub upper: bool,
}

/// How one number is spelled, but for its digits and its decimal character.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct NumberSpelling {
    /// Digits before the decimal character at the least: 1 as a rule, 0 in `.5`, 3 in `007`.
    pub whole_digits: u8,
    /// Digits after the decimal character.
    pub decimals: u8,
    /// Whether the decimal character is written (it is in `5.`).
    pub mark: bool,
    /// The character between groups of digits.
    pub group: Group,
    /// The sign.
    pub sign: Sign,
    /// Whether there is a blank before `CR` or `DR`, or between a sign and the digits.
    pub sign_gap: bool,
    /// Whether it is zero with a minus sign.
    pub negative_zero: bool,
    /// Currency or percent.
    pub affix: Option<Affix>,
    /// The exponent, if one is written.
    pub exponent: Option<Exponent>,
}

/// A [`NumberSpelling`] in 64 bits, to be compared and kept millions of times.
///
/// From the lowest bit: whole digits 5, decimals 5, mark 1, group 4, sign 4, sign gap 1, negative zero 1, exponent (there,
/// digits, plus, upper) 1 + 2 + 1 + 1, affix (in front, gap, sign inside) 1 + 2 + 1, its symbol 32.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SpellingCode(u64);

impl SpellingCode {
    /// A whole number without any mark.
    pub const PLAIN: Self = Self(1);

    const SIGNS: [Sign; 10] = [
        Sign::None,
        Sign::Minus,
        Sign::TrueMinus,
        Sign::Plus,
        Sign::MinusAfter,
        Sign::PlusAfter,
        Sign::Brackets,
        Sign::Credit,
        Sign::Debit,
        Sign::DebitDb,
    ];
    const GAPS: [Gap; 4] = [Gap::None, Gap::Space, Gap::NoBreak, Gap::NarrowNoBreak];

    /// A number with decimals behind a mark and perhaps a minus in front: what [`parse_simple`] reads.
    #[inline]
    fn simple(decimals: usize, minus: bool) -> Self {
        Self(1 | (decimals as u64) << 5 | 1 << 10 | u64::from(minus) << 15)
    }

    /// Digits before the decimal character at the least.
    #[inline]
    pub fn whole_digits(self) -> u8 {
        (self.0 & 31) as u8
    }

    /// Digits after the decimal character.
    #[inline]
    pub fn decimals(self) -> u8 {
        (self.0 >> 5 & 31) as u8
    }

    /// Whether the decimal character is written.
    #[inline]
    pub fn has_mark(self) -> bool {
        self.0 >> 10 & 1 == 1
    }

    /// All of it.
    ///
    /// ```
    /// use incola_core::kind::number::NumberSpelling;
    /// let spelling = NumberSpelling { decimals: 2, mark: true, ..NumberSpelling::PLAIN };
    /// assert_eq!(spelling.code().spelling(), spelling);
    /// ```
    pub fn spelling(self) -> NumberSpelling {
        let bits = |from: u32, count: u32| self.0 >> from & ((1 << count) - 1);
        let symbol = (bits(32, 32) as u32).to_le_bytes();
        let length = symbol.iter().position(|b| *b == 0).unwrap_or(4) as u8;
        let affix = (length > 0).then(|| Affix {
            symbol: Symbol { bytes: symbol, length },
            in_front: bits(26, 1) == 1,
            gap: Self::GAPS[bits(27, 2) as usize],
            sign_inside: bits(29, 1) == 1,
        });
        let exponent = (bits(21, 1) == 1).then(|| Exponent {
            digits: bits(22, 2) as u8,
            plus: bits(24, 1) == 1,
            upper: bits(25, 1) == 1,
        });
        NumberSpelling {
            whole_digits: self.whole_digits(),
            decimals: self.decimals(),
            mark: self.has_mark(),
            group: Group::ALL.get((bits(11, 4) as usize).wrapping_sub(1)).map_or(Group::None, |(g, _)| *g),
            sign: Self::SIGNS[bits(15, 4) as usize],
            sign_gap: bits(19, 1) == 1,
            negative_zero: bits(20, 1) == 1,
            affix,
            exponent,
        }
    }
}

impl NumberSpelling {
    /// The spelling in 64 bits.
    pub fn code(&self) -> SpellingCode {
        let place = |at: Option<usize>| at.unwrap_or(0) as u64;
        let group = Group::ALL.iter().position(|(g, _)| *g == self.group).map_or(0, |p| p as u64 + 1);
        let sign = place(SpellingCode::SIGNS.iter().position(|s| *s == self.sign));
        let exponent = self.exponent.map_or(0, |e| {
            1 | u64::from(e.digits.min(3)) << 1 | u64::from(e.plus) << 3 | u64::from(e.upper) << 4
        });
        let affix = self.affix.map_or(0, |a| {
            let gap = place(SpellingCode::GAPS.iter().position(|g| *g == a.gap));
            let symbol = u64::from(u32::from_le_bytes(a.symbol.bytes));
            u64::from(a.in_front) | gap << 1 | u64::from(a.sign_inside) << 3 | symbol << 6
        });
        SpellingCode(
            u64::from(self.whole_digits.min(31))
                | u64::from(self.decimals.min(31)) << 5
                | u64::from(self.mark) << 10
                | group << 11
                | sign << 15
                | u64::from(self.sign_gap) << 19
                | u64::from(self.negative_zero) << 20
                | exponent << 21
                | affix << 26,
        )
    }

    /// A whole number without any mark.
    pub const PLAIN: Self = Self {
        whole_digits: 1,
        decimals: 0,
        mark: false,
        group: Group::None,
        sign: Sign::None,
        sign_gap: false,
        negative_zero: false,
        affix: None,
        exponent: None,
    };
}

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

/// An exact sum of numbers, in units of 10^-15.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sum {
    total: i128,
    inexact: bool,
}

/// 10^0 to 10^15.
const POWERS: [u64; 16] = {
    let mut powers = [1; 16];
    let mut i = 1;
    while i < 16 {
        powers[i] = powers[i - 1] * 10;
        i += 1;
    }
    powers
};

impl Sum {
    /// Adds a number. Numbers with more than 15 decimals, or 10^15 and above, make the sum [inexact](Sum::is_exact).
    #[inline]
    pub fn add(&mut self, number: &Number) {
        match in_units(number) {
            Some(units) => match self.total.checked_add(units) {
                Some(total) => self.total = total,
                None => self.inexact = true,
            },
            None => self.inexact = true,
        }
    }

    /// Adds another sum.
    pub fn merge(&mut self, other: &Self) {
        match self.total.checked_add(other.total) {
            Some(total) => self.total = total,
            None => self.inexact = true,
        }
        self.inexact |= other.inexact;
    }

    /// Whether nothing was left out.
    pub fn is_exact(&self) -> bool {
        !self.inexact
    }

    /// The sum in units of 10^-15; compares sums and totals without rounding.
    pub fn units(&self) -> i128 {
        self.total
    }

    /// The sum as a decimal number with at least `decimals` decimals and no rounding.
    ///
    /// ```
    /// use incola_core::kind::{Decimal, Sum, number};
    /// let mut sum = Sum::default();
    /// for text in ["0.10", "0.20", "-1.00"] {
    ///     sum.add(&number::parse(text.as_bytes(), Decimal::Point).unwrap());
    /// }
    /// assert_eq!(sum.text(2), "-0.70");
    /// ```
    pub fn text(&self, decimals: u8) -> String {
        units_text(self.total, decimals)
    }
}

/// `units` of 10^-15 as a decimal number with at least `decimals` decimals.
pub fn units_text(units: i128, decimals: u8) -> String {
    let magnitude = units.unsigned_abs();
    let one = u128::from(POWERS[15]);
    let (whole, fraction) = (magnitude / one, magnitude % one);
    let fraction = format!("{fraction:015}");
    let needed = fraction.trim_end_matches('0').len().max(usize::from(decimals.min(15)));
    let sign = if units < 0 { "-" } else { "" };
    if needed == 0 { format!("{sign}{whole}") } else { format!("{sign}{whole}.{}", &fraction[..needed]) }
}

/// The number in units of 10^-15; `None` if it has more decimals or is out of range.
#[inline]
pub fn in_units(number: &Number) -> Option<i128> {
    let power = POWERS.get(usize::try_from(15 - number.scale).ok()?);
    let units = match power {
        Some(power) => u128::from(number.digits) * u128::from(*power),
        // Whole numbers written with an exponent.
        None if number.scale < 0 && number.scale >= -15 => {
            u128::from(number.digits) * u128::from(POWERS[15]) * u128::from(POWERS[-number.scale as usize])
        }
        None => return None,
    };
    let units = i128::try_from(units).ok()?;
    Some(if number.negative { -units } else { units })
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
