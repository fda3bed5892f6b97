//! What must not change a reading: the order in which layouts are thought of, more of the same, lines around the table.

use crate::layout_of;
use crate::yard::{FAMILIES, file};

/// What a table is read as, without its place.
fn shape(text: &str) -> (String, Vec<u8>, usize, Vec<String>) {
    let layout = layout_of(text);
    let dialect = &layout.dialect.value;
    (format!("{:?}", layout.kind()), dialect.delimiter.clone(), layout.width, layout.names)
}

#[test]
fn a_reading_is_the_same_each_time() {
    for family in FAMILIES {
        for seed in 100..104 {
            let text = file(family, seed).text;
            let (first, second) = (layout_of(&text), layout_of(&text));
            assert_eq!(first, second, "{family} {seed}");
        }
    }
}

#[test]
fn more_records_of_the_same_sort_change_nothing() {
    for seed in 0..20 {
        let truth = file("delimited", seed);
        if layout_of(&truth.text).width != truth.columns {
            continue;
        }
        let data: Vec<&str> = truth.text.lines().skip(truth.first as usize - 1).collect();
        let more = truth.text.clone() + &data.join("\n") + "\n" + &data.join("\n") + "\n";
        assert_eq!(shape(&truth.text), shape(&more), "{seed}");
    }
}

#[test]
fn line_ends_titles_and_remarks_around_a_table_keep_it() {
    for family in ["delimited", "lined up"] {
        for seed in 0..25 {
            let truth = file(family, seed);
            let own = shape(&truth.text);
            if own.2 != truth.columns || truth.header.is_none() {
                continue;
            }
            let crlf = truth.text.replace('\n', "\r\n");
            assert_eq!(shape(&crlf), own, "{family} {seed} with other line ends");
            let around = format!("Dues of the month\n\n{}\n*** end of list ***\n", truth.text);
            assert_eq!(shape(&around), own, "{family} {seed} with lines around it");
        }
    }
}
