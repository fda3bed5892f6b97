//! Days and serial numbers against a calendar that is not ours.

use incola_workbook::serial_date::{DAYS_1970, DAYS_TO_1904, civil, read_digits, write};
use jiff::civil::Date;
use proptest::prelude::*;

/// Days since 1970-01-01, as the other calendar counts them.
fn since_1970(date: Date) -> i32 {
    let epoch = Date::new(1970, 1, 1).unwrap();
    (date - epoch).get_days()
}

#[test]
fn every_day_of_four_centuries_is_the_same_day() {
    let mut date = Date::new(1800, 1, 1).unwrap();
    while date.year() < 2201 {
        let (year, month, day) = civil(since_1970(date));
        assert_eq!(
            (year, month, day),
            (i32::from(date.year()), date.month() as u32, date.day() as u32),
            "{date}"
        );
        date = date.tomorrow().unwrap();
    }
}

#[test]
fn both_systems_count_from_the_days_that_the_format_says() {
    // ECMA-376, part 1, section 18.17.4.1: day 1 of the 1900 system is 1900-01-01, and 1900-02-29 is counted though it never was.
    let first_of_march = since_1970(Date::new(1900, 3, 1).unwrap());
    assert_eq!(first_of_march + DAYS_1970, 61);
    let first_of_1904 = since_1970(Date::new(1904, 1, 1).unwrap());
    assert_eq!(first_of_1904 + DAYS_1970, DAYS_TO_1904);
    let mut serial = Vec::new();
    write(&mut serial, Some(since_1970(Date::new(2031, 3, 4).unwrap())), 43_200_000);
    assert_eq!(String::from_utf8(serial).unwrap(), "47911.5");
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(4000) })]
    #[test]
    fn a_moment_comes_back_from_its_digits(days in -25_508_i32..2_932_896, millis in 0_u32..86_400_000) {
        let mut serial = Vec::new();
        write(&mut serial, Some(days), millis);
        prop_assert_eq!(read_digits(&serial), Some((days, millis)), "{}", String::from_utf8_lossy(&serial));
        // Also as a binary number, which is what other programs make of it.
        let number: f64 = String::from_utf8_lossy(&serial).parse().unwrap();
        prop_assert_eq!(incola_workbook::serial_date::read(number), Some((days, millis)));
    }
}
