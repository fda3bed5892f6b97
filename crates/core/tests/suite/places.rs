//! Layouts in which positions divide: where the starts go, and what names, rules and values say about them.

use crate::layout_of;
use incola_core::layout::LayoutDoubt;

/// The starts that were found, from 1; none if positions do not divide.
fn starts(text: &str) -> Vec<usize> {
    layout_of(text)
        .dialect
        .value
        .division
        .fixed()
        .map(|f| f.starts.iter().map(|s| s + 1).collect())
        .unwrap_or_default()
}

/// Lines made by `line` from numbers that look random.
fn lines(count: u32, line: impl Fn(u32, u32) -> String) -> String {
    (0..count).map(|i| line(i, i.wrapping_mul(2_654_435_761) >> 9) + "\n").collect()
}

const SHIPS: [&str; 6] = ["Saltwind", "Grey Heron", "Marsh Lantern", "Anselm", "Old Provost", "Tern"];
const CARGO: [&str; 5] = ["herring", "roof slates", "barley, loose", "ice", "tar and rope"];

fn ship(random: u32) -> &'static str {
    SHIPS[(random % 6) as usize]
}

fn cargo(random: u32) -> &'static str {
    CARGO[(random / 7 % 5) as usize]
}

#[test]
fn names_say_where_columns_are() {
    // A column with two values in forty lines, one with none, and codes of several parts below one name.
    let text = format!(
        "Call     Ship           Cargo          Held      Dues  Remark\n{}",
        lines(40, |i, r| format!(
            "{:<8} {:<14} {:<14} {:<5}{:>9}",
            format!("TQ {:03} {}", r % 900, (b'A' + (r % 20) as u8) as char),
            ship(r),
            cargo(r),
            if i == 7 || i == 30 { "x" } else { "" },
            format!("{}.{:02}", r % 4000, r % 100)
        ))
    );
    let layout = layout_of(&text);
    assert_eq!(layout.header_line, Some(1));
    assert_eq!(layout.names, ["Call", "Ship", "Cargo", "Held", "Dues", "Remark"]);
    assert_eq!(layout.doubt, None);
}

#[test]
fn a_name_behind_numbers_that_end_before_it_is_a_name_of_its_own() {
    let rows =
        |pad: &str| lines(30, |_, r| format!("{:<15}{:>7}{pad}", ship(r), format!("{}.{}", r % 900, r % 10)));
    // The second word stands to the right of all numbers: a column without a value.
    let layout =
        layout_of(&format!("Ship              Draft Note\n{}", rows("   ")).replace("  Draft", "Draft  "));
    assert_eq!(layout.names.len(), 3, "{:?}", layout.names);
    // Above the numbers themselves it is part of their name.
    let layout = layout_of(&format!("Ship           Draft m\n{}", rows("")));
    assert_eq!(layout.names, ["Ship", "Draft m"]);
}

#[test]
fn keys_and_words_behind_one_blank_are_two_columns() {
    let text =
        lines(60, |i, r| format!("{:09} {:<14}   2031-08-{:02}", r % 900_000_000, ship(r), 1 + i % 28));
    assert_eq!(starts(&text), [1, 11, 28]);
    // A date and what stands beside it as well, however few values that has.
    let text = lines(60, |i, r| {
        format!("2031-08-{:02} {:<3}   {:>5}", 1 + r % 28, ["yes", "no"][(i % 2) as usize], r % 9999)
    });
    assert_eq!(starts(&text)[..2], [1, 12]);
    // A number and its unit, and groups of thousands, are one value.
    let text = lines(60, |_, r| {
        format!("{:<14}  {:>3} kg  {:>3} {:03},50", ship(r), r % 900, 1 + r % 900, r % 1000)
    });
    assert_eq!(layout_of(&text).width, 3, "{:?}", starts(&text));
    // A time of the day before three digits is no group of thousands.
    let text = lines(60, |_, r| {
        format!(
            "{:<14}  {}:{:02} {:03}.{:03}.{:02}",
            ship(r),
            r % 10,
            r % 60,
            r % 1000,
            r / 7 % 1000,
            r % 100
        )
    });
    assert_eq!(layout_of(&text).width, 3, "{:?}", starts(&text));
}

#[test]
fn values_that_fill_their_column_are_not_cut() {
    // One name in forty reaches up to the number behind it.
    let text = format!(
        "Ship             Call no\n{}",
        lines(40, |i, r| format!(
            "{:<16}{:04}",
            if i == 11 { "Marsh-Lantern-II" } else { ship(r) },
            r % 10_000
        ))
    );
    assert_eq!(starts(&text), [1, 17]);
}

#[test]
fn rules_bind_even_where_a_part_is_short() {
    let text = format!(
        "Ship           Cargo          No\n-------------- -------------- --\n{}",
        lines(30, |_, r| format!("{:<14} {:<14} {:>2}", ship(r), cargo(r), r % 100))
    );
    let layout = layout_of(&text);
    assert_eq!(starts(&text), [1, 16, 31]);
    assert_eq!((layout.header_lines, layout.names), (2, vec!["Ship".into(), "Cargo".into(), "No".into()]));
}

#[test]
fn names_that_touch_are_divided_at_their_capitals() {
    let text = format!(
        "ShipCallIn      DuesFlag\n{}",
        lines(60, |_, r| format!(
            "{:04}{:05}2031{:02}{:02}{:06}{}",
            r % 10_000,
            r % 100_000,
            1 + r % 12,
            1 + r % 28,
            r % 3000,
            ["NL", "DK", "NO"][(r % 3) as usize]
        ))
    );
    let layout = layout_of(&text);
    assert_eq!(layout.header_line, Some(1), "{:?}", starts(&text));
    assert!(matches!(layout.doubt, Some(LayoutDoubt::ColumnsTouch(_))), "{:?}", layout.doubt);
}

#[test]
fn numbers_with_signs_and_record_codes_are_told_where_columns_touch() {
    let text = format!(
        "H20310817TOLGARTH QUAY\n{}T0000060\n",
        lines(60, |i, r| {
            let sign = |odd: bool| if odd { '-' } else { '+' };
            let (balance, change) = (sign(i % 3 == 0), sign(r % 5 < 2));
            format!("D{:<14}{:08}{balance}{:06}{change}", ship(r), r % 90_000, r % 700)
        })
    );
    let found = starts(&text);
    assert!(found.starts_with(&[1, 2]) && found.contains(&16), "{found:?}");
    // A start stands behind the first sign, not in front of it.
    assert!(found.contains(&25) && !found.contains(&24), "{found:?}");
}

#[test]
fn a_number_that_touches_a_word_is_told() {
    let text = format!(
        "Berth   Cargo\n{}",
        lines(40, |_, r| format!(
            "{:03}     {:05}{}",
            r % 900,
            r % 100_000,
            ["herring", "slates", "barley"][(r % 3) as usize]
        ))
    );
    let layout = layout_of(&text);
    assert!(
        matches!(layout.doubt, Some(LayoutDoubt::MayTouch(14) | LayoutDoubt::ColumnsTouch(_))),
        "{:?}",
        layout.doubt
    );
}

#[test]
fn addresses_and_versions_are_not_cut_at_their_points() {
    let text = lines(60, |i, r| {
        format!(
            "sw{:02}10.40.{}.{:<3}{:<9}{:05}",
            i,
            r % 10,
            r % 250,
            ["open", "closed"][(r % 2) as usize],
            r % 90_000
        )
    });
    let found = starts(&text);
    assert!(!found.iter().any(|s| (8..=13).contains(s)), "{found:?}");
}

#[test]
fn rules_under_a_column_do_not_go_on_with_the_record_above() {
    let text = lines(12, |i, r| {
        let details = lines(1 + i % 4, |k, _| {
            format!("  {:03}  {:<14}  {:>8}.{:02}", i * 4 + k, ship(r + k), (r + k) % 900, k)
        });
        format!(
            "Purpose: {}\n{details}                         ------\n  Subtotal        {:>12}.00\n",
            cargo(i * 7),
            r % 900
        )
    });
    let layout = layout_of(&text);
    assert_eq!(layout.dialect.value.division.lines_per_record(), 1, "{:?}", layout.dialect.value);
}

#[test]
fn names_set_off_by_one_blank_are_not_cut() {
    let text = format!(
        "Call no Declaration   Ship\n{}",
        lines(30, |i, r| format!(
            "{:06}  {:011}   {}",
            117 + i,
            r % 900_000_000,
            ["Tern", "Heron"][(r % 2) as usize]
        ))
    );
    let layout = layout_of(&text);
    assert_eq!(layout.names, ["Call no", "Declaration", "Ship"]);
}
