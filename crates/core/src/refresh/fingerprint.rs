//! Fingerprints of cells and rows: what a cell means in 64 bits, however it is spelled in the sheet. They are kept in workbooks, so
//! they never change.
//!
//! | what | fingerprint |
//! |---|---|
//! | nothing, and empty text | 0 |
//! | text | XXH3 of its UTF-8, seed 1 |
//! | number | its digits without zeros at the end and the power of ten, mixed; seed 2 |
//! | date or time | milliseconds since the day 0 of serial numbers, mixed; seed 3 |
//! | true, false | mixed; seed 4 |
//! | error | XXH3 of its text, seed 5 |
//! | formula | XXH3 of its text, seed 6 |

use xxhash_rust::xxh3::xxh3_64_with_seed;

/// The fingerprint of a cell that holds nothing.
pub const BLANK: u64 = 0;

/// Most digits that a number is told apart by: a double holds no more for certain.
const DIGITS: usize = 15;

fn of_bytes(bytes: &[u8], seed: u64) -> u64 {
    xxh3_64_with_seed(bytes, seed).max(1)
}

/// Mixes bits so that near values have fingerprints that are not (the finaliser of a 64-bit linear generator).
#[inline]
fn mixed(mut bits: u64) -> u64 {
    bits = (bits ^ (bits >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    bits = (bits ^ (bits >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    bits ^ (bits >> 31)
}

#[inline]
fn of_bits(bits: u64, seed: u64) -> u64 {
    mixed(bits.wrapping_add(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15))).max(1)
}

/// Text.
///
/// ```
/// use incola_core::refresh::fingerprint;
/// assert_ne!(fingerprint::text(b"007"), fingerprint::text(b"7"));
/// assert_eq!(fingerprint::text(b""), fingerprint::BLANK);
/// ```
#[inline]
pub fn text(bytes: &[u8]) -> u64 {
    if bytes.is_empty() { BLANK } else { of_bytes(bytes, 1) }
}

/// A number: `digits` times ten to the power of minus `scale`.
#[inline]
pub fn number(negative: bool, mut digits: u64, mut scale: i32) -> u64 {
    if digits == 0 {
        return of_bits(0, 2);
    }
    while digits.is_multiple_of(10) {
        digits /= 10;
        scale -= 1;
    }
    let sign = u64::from(negative) << 63;
    of_bits(digits ^ sign ^ mixed(u64::from(scale as u32)), 2)
}

/// A number as a sheet spells it, with digits, a point and an exponent; `None`: it is none.
///
/// ```
/// use incola_core::refresh::fingerprint::number_text;
/// assert_eq!(number_text(b"12.50"), number_text(b"1.25E1"));
/// assert_eq!(number_text(b"0.1"), number_text(b"0.10000000000000001"));
/// ```
pub fn number_text(text: &[u8]) -> Option<u64> {
    let (negative, rest) = match text {
        [b'-', rest @ ..] => (true, rest),
        rest => (false, rest.strip_prefix(b"+").unwrap_or(rest)),
    };
    let (mut digits, mut scale, mut count, mut any) = (0_u64, 0_i32, 0_usize, false);
    let mut is_behind_point = false;
    for (at, byte) in rest.iter().enumerate() {
        match byte {
            b'0'..=b'9' => {
                any = true;
                count += usize::from(count > 0 || *byte != b'0');
                if count > DIGITS {
                    return rounded(text);
                }
                digits = digits * 10 + u64::from(byte - b'0');
                scale += i32::from(is_behind_point);
            }
            b'.' if !is_behind_point => is_behind_point = true,
            b'e' | b'E' if any => {
                let exponent: i32 = std::str::from_utf8(&rest[at + 1..]).ok()?.parse().ok()?;
                scale = scale.checked_sub(exponent)?;
                return Some(number(negative, digits, scale));
            }
            _ => return None,
        }
    }
    any.then(|| number(negative, digits, scale))
}

/// A number of more digits than are certain, rounded to those that are.
#[cold]
fn rounded(text: &[u8]) -> Option<u64> {
    let value: f64 = std::str::from_utf8(text).ok()?.parse().ok().filter(|v: &f64| v.is_finite())?;
    number_text(format!("{value:.*e}", DIGITS - 1).as_bytes())
}

/// A date, a time or both, as milliseconds since the day 0 of serial numbers (ECMA-376 part 1, 18.17.4.1).
#[inline]
pub fn moment(millis: i64) -> u64 {
    of_bits(millis as u64, 3)
}

/// True or false.
pub fn boolean(value: bool) -> u64 {
    of_bits(u64::from(value), 4)
}

/// An error, such as `#N/A`.
pub fn error(text: &[u8]) -> u64 {
    of_bytes(text, 5)
}

/// A formula, by its text.
pub fn formula(text: &[u8]) -> u64 {
    of_bytes(text, 6)
}

/// A row, by the fingerprints of its cells.
///
/// ```
/// use incola_core::refresh::fingerprint::row;
/// assert_ne!(row(&[1, 0]), row(&[0, 1]));
/// ```
#[inline]
pub fn row(cells: &[u64]) -> u64 {
    cells.iter().fold(0x6A09_E667_F3BC_C908, |before, cell| {
        mixed(before.rotate_left(23).wrapping_add(*cell)).wrapping_add(0x9E37_79B9_7F4A_7C15)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_the_same_however_they_are_spelled() {
        for (spellings, differs) in [
            (&["0", "-0", "0.00", "0E5"][..], "0.1"),
            (&["12.5", "12.50", "1.25E1", "+12.5", "125e-1"], "125"),
            (&["0.1", "0.10000000000000001", "1E-1"], "0.11"),
            (&["-7", "-7.0"], "7"),
            (&["1.15", "1.1499999999999999"], "1.14"),
            (&["123456789012345", "1.23456789012345E14"], "123456789012346"),
            (&["47925.354166666664", "47925.3541666667"], "47925.3541666668"),
        ] {
            let first = number_text(spellings[0].as_bytes()).unwrap();
            for spelling in spellings {
                assert_eq!(number_text(spelling.as_bytes()), Some(first), "{spelling}");
            }
            assert_ne!(number_text(differs.as_bytes()), Some(first), "{differs}");
        }
        for text in ["", "-", "x", "1.2.3", "1e", "NaN", "INF", "1E99999999999"] {
            assert_eq!(number_text(text.as_bytes()), None, "{text}");
        }
        assert_eq!(number_text(b"3.00"), Some(number(false, 300, 2)));
    }

    #[test]
    fn what_is_of_another_sort_differs() {
        let all = [
            BLANK,
            text(b"1"),
            number(false, 1, 0),
            moment(1),
            boolean(true),
            boolean(false),
            error(b"1"),
            formula(b"1"),
        ];
        for (n, one) in all.iter().enumerate() {
            assert!(all[n + 1..].iter().all(|other| other != one), "{n}");
        }
    }

    #[test]
    fn fingerprints_stay_as_they_are_for_they_are_kept() {
        assert_eq!(
            [text(b"007"), number_text(b"12.5").unwrap(), moment(0), row(&[text(b"007"), BLANK])]
                .map(|p| format!("{p:016x}")),
            ["489d89369e96611a", "4c128a4fa134e7c0", "06c45d188009454f", "9355ec8311020247"]
        );
    }
}
