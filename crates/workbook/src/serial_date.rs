//! Serial dates: days since the end of 1899, the time of day as a fraction (ECMA-376 part 1, 18.17.4).
//!
//! In the 1900 date system, serial 60 is a 29 February 1900 that never was; only days from 1900-03-01 (serial 61) on
//! are written here, so the two counts agree.

/// Serial number of 1970-01-01 in the 1900 date system.
pub const DAYS_1970: i32 = 25_569;

/// Days from the first one of the 1900 date system to that of the 1904 one.
pub const DAYS_TO_1904: i32 = 1462;

/// Milliseconds of a day.
pub const DAY_MILLIS: u32 = 86_400_000;

/// Appends the serial number of a day (in days since 1970-01-01; `None`: no day) and a time of day in milliseconds.
///
/// The fraction is written with twelve decimals, cut at its trailing zeros: enough for the double nearest to it.
///
/// ```
/// let mut text = Vec::new();
/// incola_workbook::serial_date::write(&mut text, Some(22_508), 43_200_000);
/// assert_eq!(text, b"48077.5");
/// ```
pub fn write(out: &mut Vec<u8>, days_since_1970: Option<i32>, millis: u32) {
    let days = days_since_1970.map_or(0, |d| d + DAYS_1970);
    write_whole(out, days.unsigned_abs());
    if millis > 0 {
        // millis / 86,400,000 in units of 10^-12
        let mut fraction = (u64::from(millis) * 312_500 + 13) / 27;
        let mut digits = [b'0'; 12];
        for digit in digits.iter_mut().rev() {
            *digit = b'0' + (fraction % 10) as u8;
            fraction /= 10;
        }
        let length = digits.iter().rposition(|d| *d != b'0').map_or(0, |last| last + 1);
        out.push(b'.');
        out.extend_from_slice(&digits[..length]);
    }
}

/// Appends a whole number in decimal digits.
#[inline]
pub fn write_whole(out: &mut Vec<u8>, mut number: u32) {
    let mut digits = [0; 10];
    let mut at = digits.len();
    loop {
        at -= 1;
        digits[at] = b'0' + (number % 10) as u8;
        number /= 10;
        if number == 0 {
            break;
        }
    }
    out.extend_from_slice(&digits[at..]);
}

/// Reads a serial number: days since 1970-01-01 and milliseconds since midnight, to the nearest millisecond.
///
/// `None` if it is no number of a day after 1900-03-01 or, below 1, of a time alone (which then counts from day 0).
pub fn read(serial: f64) -> Option<(i32, u32)> {
    if !(0.0..2_958_466.0).contains(&serial) {
        return None;
    }
    let millis = (serial * f64::from(DAY_MILLIS)).round() as i64;
    let day = i64::from(DAY_MILLIS);
    Some((((millis / day) as i32) - DAYS_1970, (millis % day) as u32))
}

/// Reads a serial number as a worksheet's XML has it; see [`read`].
pub fn read_digits(text: &[u8]) -> Option<(i32, u32)> {
    read_usual(text).or_else(|| read_any(text))
}

fn read_any(text: &[u8]) -> Option<(i32, u32)> {
    let mark = text.iter().position(|b| *b == b'.').unwrap_or(text.len());
    let (whole, fraction) = (&text[..mark], text.get(mark + 1..).unwrap_or_default());
    let digits =
        |t: &[u8]| t.iter().try_fold(0_u64, |n, b| b.is_ascii_digit().then(|| n * 10 + u64::from(b - b'0')));
    if !(1..=7).contains(&whole.len()) || fraction.len() > 12 {
        return read(std::str::from_utf8(text).ok()?.parse().ok()?);
    }
    let (Some(days), Some(fraction_digits)) = (digits(whole), digits(fraction)) else {
        return read(std::str::from_utf8(text).ok()?.parse().ok()?);
    };
    // In units of 10^-12, then of 10^-7 of 1/864 of a day: no rounding but the last one.
    let units = fraction_digits * 10_u64.pow(12 - fraction.len() as u32);
    let millis = (units * 864 + 5_000_000) / 10_000_000;
    let day = u64::from(DAY_MILLIS);
    let days = i32::try_from(days + millis / day).ok().filter(|d| *d < 2_958_466)?;
    Some((days - DAYS_1970, (millis % day) as u32))
}

/// Five digits of a day, and perhaps up to twelve of a fraction.
#[inline]
fn read_usual(text: &[u8]) -> Option<(i32, u32)> {
    let day: &[u8; 5] = text.first_chunk()?;
    let mut over = 0_u8;
    let mut days = 0_u32;
    for byte in day {
        let digit = byte.wrapping_sub(b'0');
        over |= u8::from(digit > 9);
        days = days * 10 + u32::from(digit);
    }
    let mut fraction = 0_u64;
    match &text[5..] {
        [] => {}
        [b'.', digits @ ..] if digits.len() <= 12 => {
            for byte in digits {
                let digit = byte.wrapping_sub(b'0');
                over |= u8::from(digit > 9);
                fraction = fraction * 10 + u64::from(digit);
            }
            fraction *= 10_u64.pow(12 - digits.len() as u32);
        }
        _ => return None,
    }
    if over != 0 {
        return None;
    }
    let millis = (fraction * 864 + 5_000_000) / 10_000_000;
    let day = u64::from(DAY_MILLIS);
    Some((days as i32 + (millis / day) as i32 - DAYS_1970, (millis % day) as u32))
}

/// Year, month and day of a count of days since 1970-01-01.
pub fn civil(days_since_1970: i32) -> (i32, u32, u32) {
    // Days since 0000-03-01, in eras of 400 years.
    let days = days_since_1970 + 719_468;
    let era = days.div_euclid(146_097);
    let day_of_era = days.rem_euclid(146_097);
    let year_of_era = (day_of_era - day_of_era / 1460 + day_of_era / 36_524 - day_of_era / 146_096) / 365;
    let day_of_year = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
    let month = (5 * day_of_year + 2) / 153;
    let day = day_of_year - (153 * month + 2) / 5 + 1;
    let month = if month < 10 { month + 3 } else { month - 9 };
    (year_of_era + era * 400 + i32::from(month <= 2), month as u32, day as u32)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn usual_serial_numbers_are_read_as_any_other(text in "[0-9]{4,6}(\\.[0-9]{0,13})?|[0-9.E+-]{1,12}") {
            if let Some(usual) = read_usual(text.as_bytes()) {
                prop_assert_eq!(read_any(text.as_bytes()), Some(usual), "{}", text);
            }
        }
    }

    #[test]
    fn every_millisecond_of_a_day_comes_back() {
        for millis in (0..DAY_MILLIS).step_by(997) {
            let mut text = Vec::new();
            write(&mut text, Some(22_508), millis);
            let serial: f64 = std::str::from_utf8(&text).unwrap().parse().unwrap();
            assert_eq!(read(serial), Some((22_508, millis)));
            assert_eq!(read_digits(&text), Some((22_508, millis)));
        }
    }

    #[test]
    fn days_come_back_as_dates() {
        for (days, date) in
            [(0, (1970, 1, 1)), (22_508, (2031, 8, 17)), (-25_508, (1900, 3, 1)), (11_016, (2000, 2, 29))]
        {
            assert_eq!(civil(days), date);
        }
        let mut text = Vec::new();
        write(&mut text, Some(-25_508), 0);
        assert_eq!(text, b"61");
    }
}
