//! Shares as bits: the binary logarithm that prices are made of, from a table.
//!
//! Prices take millions of logarithms. One from a table is several times faster than the library's, and the same on every machine,
//! so that no layout depends on where it was found.

use std::sync::LazyLock;

/// Entries of the table: the first bits of the mantissa choose one.
const ENTRIES: usize = 1 << BITS;
const BITS: u32 = 10;

/// Logarithm and reciprocal of the lower end of each part of 1 to 2.
static TABLE: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| {
    (0..ENTRIES)
        .map(|at| {
            let value = 1.0 + at as f64 / ENTRIES as f64;
            (value.log2(), 1.0 / value)
        })
        .collect()
});

/// The binary logarithm of a positive, normal number, to nine decimal places. Others give what the library gives.
pub(in crate::layout) fn log2(number: f64) -> f64 {
    let bits = number.to_bits();
    let exponent = (bits >> 52) as i64 - 1023;
    if !(-1022..=1023).contains(&exponent) {
        return number.log2();
    }
    let mantissa = bits & ((1 << 52) - 1);
    let (whole, reciprocal) = TABLE[(mantissa >> (52 - BITS)) as usize];
    // What is left of the mantissa is below a thousandth: three terms of the series are enough.
    let rest = f64::from_bits(mantissa | (1023 << 52)) * reciprocal - 1.0;
    exponent as f64 + whole + rest * (1.0 - rest * (0.5 - rest / 3.0)) * std::f64::consts::LOG2_E
}

#[cfg(test)]
mod tests {
    use super::log2;

    #[test]
    fn the_table_agrees_with_the_library() {
        for i in 1..20_000_i32 {
            for number in
                [f64::from(i), f64::from(i) / 20_000.0, 1.0 / f64::from(i * i + 1), f64::from(i).exp2()]
            {
                let number = number.clamp(1e-300, 1e300);
                assert!((log2(number) - number.log2()).abs() < 1e-9, "{number}");
            }
        }
        assert_eq!((log2(1.0), log2(8.0), log2(0.25)), (0.0, 3.0, -2.0));
        assert!(log2(0.0).is_infinite() && log2(-1.0).is_nan() && log2(f64::NAN).is_nan());
    }
}
