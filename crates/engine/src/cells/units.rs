//! Numbers of the sheet, as they are added up.

use incola_core::kind::number::{self, Decimal};

/// A number of the sheet in units of 10^-15.
pub(crate) fn units(digits: &[u8]) -> Option<i128> {
    plain_units(digits).or_else(|| number::in_units(&number::parse_padded(digits, Decimal::Point).ok()?))
}

/// The same for what nearly all numbers look like: digits, and perhaps a point among them and a minus in front.
fn plain_units(digits: &[u8]) -> Option<i128> {
    let (negative, digits) = match digits.split_first()? {
        (b'-', rest) => (true, rest),
        _ => (false, digits),
    };
    if digits.is_empty() || digits.len() > 17 {
        return None;
    }
    let (mut value, mut decimals) = (0_u64, None);
    for byte in digits {
        match byte {
            b'0'..=b'9' => value = value * 10 + u64::from(byte - b'0'),
            b'.' if decimals.is_none() => {}
            _ => return None,
        }
        decimals = match byte {
            b'.' => Some(0_u32),
            _ => decimals.map(|decimals| decimals + 1),
        };
    }
    let units = i128::from(value) * i128::from(10_u64.pow(15_u32.checked_sub(decimals.unwrap_or(0))?));
    Some(if negative { -units } else { units })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_of_the_sheet_are_read_alike_by_both_ways() {
        for digits in
            ["0", "7", "-7", "12.50", "-0.001", "123456789012345", "0.000000000000001", "-12345.678901234"]
        {
            let general = number::in_units(&number::parse_padded(digits.as_bytes(), Decimal::Point).unwrap());
            assert_eq!(plain_units(digits.as_bytes()), general, "{digits}");
        }
        for digits in ["", "-", "1E5", "1.2.3", "x", "1,5", "0.0000000000000001"] {
            assert_eq!(plain_units(digits.as_bytes()), None, "{digits}");
        }
        assert_eq!(units(b"1.5E3"), units(b"1500"));
    }
}
