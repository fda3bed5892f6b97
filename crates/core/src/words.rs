//! Numbers in sentences.

/// A whole number in groups of three digits.
///
/// ```
/// assert_eq!(incola_core::words::grouped(1_000_000), "1,000,000");
/// ```
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (i, c) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(c);
    }
    out
}

/// A number with what it counts.
///
/// ```
/// use incola_core::words::counted;
/// assert_eq!(counted(1, "record", "records"), "1 record");
/// assert_eq!(counted(2_000, "record", "records"), "2,000 records");
/// ```
pub fn counted(number: u64, one: &str, many: &str) -> String {
    if number == 1 { format!("1 {one}") } else { format!("{} {many}", grouped(number)) }
}
