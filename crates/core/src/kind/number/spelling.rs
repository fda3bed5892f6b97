//! How a number is spelled, but for its digits: signs, currencies, blanks, exponents.

use super::Group;

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

    pub(super) fn starting(text: &[u8]) -> Self {
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

/// Whether three capitals are a currency code.
pub(crate) fn is_currency_code(code: &[u8]) -> bool {
    code.iter().all(u8::is_ascii_uppercase)
        && CURRENCY_CODES.as_bytes().chunks_exact(3).any(|known| known == code)
}

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
    pub(super) fn starting(text: &[u8]) -> Option<Self> {
        let first = *text.first()?;
        match first {
            b'$' | b'%' => Some(Self::new(&text[..1])),
            b'A'..=b'Z' => {
                let code = text.get(..3)?;
                let alone = !text.get(3).is_some_and(u8::is_ascii_alphabetic);
                (alone && is_currency_code(code)).then(|| Self::new(code))
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
    pub(super) fn simple(decimals: usize, minus: bool) -> Self {
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
