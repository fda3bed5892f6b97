//! The marks between digits.

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
    pub(super) const ALL: [(Self, &'static str); 8] = [
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
    pub(super) fn starting(text: &[u8], decimal: Decimal) -> Option<(Self, usize)> {
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
