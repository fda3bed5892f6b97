//! What only the whole file shows to be doubtful.

use super::surveyed;
use incola_core::notice::NoticeCode;
use incola_core::reading::Choices;

#[test]
fn words_behind_the_numbers_of_the_last_column_are_told() {
    let file = |remark: &dyn Fn(usize) -> &'static str| -> String {
        let row =
            |n: usize| format!("{n:04}  2031-03-{:02}  {:>7}.5{}\n", n % 28 + 1, n * 37 % 900, remark(n));
        format!("Call  Arrived        Level\n{}", (1..420).map(row).collect::<String>())
    };
    // Behind the lines by which the layout is found.
    let seldom =
        |n: usize| if matches!(n, 330 | 360 | 390) { "  gauge cleaned, and read once more" } else { "" };
    for (text, is_told) in [(file(&seldom), true), (file(&|_| ""), false)] {
        let reading = surveyed(text.as_bytes(), &Choices::default()).unwrap().reading;
        let told = reading.notices.iter().find(|n| n.code == NoticeCode::LayoutUnsure && n.column == Some(3));
        assert_eq!(told.is_some(), is_told, "{:?}", reading.notices);
        if let Some(told) = told {
            assert_eq!(told.line, Some(331));
            assert!(
                told.message.contains("416 of 419 values are numbers or dates, and 3 lines go on"),
                "{told:?}"
            );
        }
    }
}

#[test]
fn a_delimiter_that_most_records_do_not_keep_to_is_doubted() {
    // The samples are even; records between them have fewer fields, or quotes inside.
    let file = |odd: &dyn Fn(usize) -> Option<String>| -> String {
        let row = |n: usize| {
            odd(n).unwrap_or_else(|| format!("{n:04};Saltwind;2031-03-{:02};{}\n", n % 28 + 1, n * 37))
        };
        format!("Call;Ship;Arrived;Dues\n{}", (1..900).map(row).collect::<String>())
    };
    let is_between = |n: usize| (150..300).contains(&n) || (600..750).contains(&n);
    let short = |n: usize| is_between(n).then(|| format!("{n:04};Saltwind\n"));
    let quoted = |n: usize| is_between(n).then(|| format!("{n:04};\"Salt\"wind \"East\"\";2031-03-04;{n}\n"));
    for (text, told) in [
        (file(&short), Some("only 599 of 899 lines have 4 fields")),
        (file(&quoted), Some("quotes stand where no field begins or ends")),
        (file(&|_| None), None),
    ] {
        let reading = surveyed(text.as_bytes(), &Choices::default()).unwrap().reading;
        let found = reading.notices.iter().find(|n| n.code == NoticeCode::LayoutUnsure);
        assert_eq!(found.is_some(), told.is_some(), "{:?}", reading.notices);
        assert!(found.is_none_or(|n| told.is_some_and(|told| n.message.contains(told))), "{found:?}");
    }
}
