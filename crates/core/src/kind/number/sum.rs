//! Numbers added up exactly.

use super::Number;

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
