//! What stands around values: blanks, and marks by which other programs keep digits.

/// The value without spaces and tabs around it, and how many stood in front.
pub fn trim(field: &[u8]) -> (&[u8], usize) {
    let blank = |b: &u8| *b == b' ' || *b == b'\t';
    let front = field.iter().take_while(|b| blank(b)).count();
    let behind = field[front..].iter().rev().take_while(|b| blank(b)).count();
    (&field[front..field.len() - behind], front)
}

/// A value whose writer wrapped it to keep it text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Wrap {
    /// `="007"`
    Formula,
    /// `'007`
    Apostrophe,
}

impl Wrap {
    /// The value as it was wrapped, appended to `out`.
    pub fn restore(self, value: &[u8], out: &mut Vec<u8>) {
        out.extend_from_slice(if self == Self::Formula { b"=\"" } else { b"'" });
        out.extend_from_slice(value);
        out.extend_from_slice(if self == Self::Formula { b"\"" } else { b"" });
    }
}

/// What a value holds that is written as a formula of nothing but text, or with an apostrophe in front of digits, so that a
/// spreadsheet leaves it alone.
///
/// ```
/// use incola_core::kind::statistics::{Wrap, unwrap};
/// assert_eq!(unwrap(b"=\"007\""), Some((&b"007"[..], Wrap::Formula)));
/// assert_eq!(unwrap(b"'007"), Some((&b"007"[..], Wrap::Apostrophe)));
/// assert_eq!(unwrap(b"'t Hoen"), None);
/// ```
#[inline]
pub fn unwrap(value: &[u8]) -> Option<(&[u8], Wrap)> {
    match value {
        [b'=', b'"', inner @ .., b'"'] => (!inner.contains(&b'"')).then_some((inner, Wrap::Formula)),
        [b'\'', inner @ ..] => {
            let digits = !inner.is_empty() && inner.iter().all(u8::is_ascii_digit);
            digits.then_some((inner, Wrap::Apostrophe))
        }
        _ => None,
    }
}
