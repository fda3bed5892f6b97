//! Random tables written by RFC 4180: their fields come back, whatever stands in them.

use crate::layout_of;
use crate::yard::Dice;
use incola_core::record::{Machine, Step};

const WORDS: [&str; 16] = [
    "Saltwind",
    "Grey Heron",
    "rope, coiled",
    "berth; north",
    "a|b",
    "the \"Quill\"",
    "two\nlines",
    "12.50",
    "007",
    "2031-08-17",
    "Tolgarth Quay",
    "9,5",
    "late, paid",
    "x",
    "tide: high",
    "Lund, Edda",
];

struct Table {
    text: String,
    delimiter: &'static str,
    rows: Vec<Vec<String>>,
}

fn table(seed: u64) -> Table {
    let mut dice = Dice::new(seed ^ 0x4180);
    let delimiter = dice.pick(&[",", ";", "\t", "|"]);
    let columns = dice.roll(2, 9) as usize;
    let records = dice.roll(2, 200);
    let style = dice.roll(0, 3);
    // What a column holds: one sort of value, or mostly nothing.
    let sorts: Vec<u64> = (0..columns).map(|_| dice.roll(0, 6)).collect();
    let mut rows: Vec<Vec<String>> =
        vec![(0..columns).map(|c| format!("Column {}", (b'A' + c as u8) as char)).collect()];
    for row in 0..records {
        rows.push(
            sorts
                .iter()
                .map(|sort| match sort {
                    0 => (1000 + row).to_string(),
                    1 => format!("{}.{:02}", dice.roll(1, 900), dice.roll(0, 100)),
                    2 => format!("2031-{:02}-{:02}", dice.roll(1, 13), dice.roll(1, 29)),
                    3 if dice.chance(80) => String::new(),
                    _ => dice.pick(&WORDS).to_owned(),
                })
                .collect(),
        );
    }
    let mut text = String::new();
    for row in &rows {
        let cells: Vec<String> = row
            .iter()
            .map(|value| {
                let needs = value.contains(delimiter) || value.contains(['"', '\n']);
                let is_text = value.parse::<f64>().is_err() && !value.is_empty();
                if needs || style == 1 || (style == 2 && is_text) {
                    format!("\"{}\"", value.replace('"', "\"\""))
                } else {
                    value.clone()
                }
            })
            .collect();
        text += &cells.join(delimiter);
        text.push('\n');
    }
    Table { text, delimiter, rows }
}

#[test]
fn tables_by_the_standard_come_back_field_by_field() {
    let (mut right, mut silent, mut example) = (0, 0, String::new());
    let all = 1000;
    for seed in 0..all {
        let table = table(seed);
        let layout = layout_of(&table.text);
        let dialect = &layout.dialect.value;
        let mut machine = Machine::new(dialect);
        let mut rows = Vec::new();
        let mut at = 0;
        loop {
            match machine.step(table.text.as_bytes(), at, true) {
                Step::End | Step::NeedMore => break,
                Step::Record => rows.push(
                    machine
                        .fields(table.text.as_bytes())
                        .map(|f| String::from_utf8_lossy(f).into_owned())
                        .collect::<Vec<_>>(),
                ),
                _ => {}
            }
            at = machine.next_start();
        }
        // A record of one blank field is a blank line.
        let due: Vec<&Vec<String>> =
            table.rows.iter().filter(|r| r.iter().any(|v| !v.is_empty()) || r.len() > 1).collect();
        if dialect.delimiter == table.delimiter.as_bytes()
            && rows.iter().collect::<Vec<_>>() == due
            && layout.header_line == Some(1)
        {
            right += 1;
        } else {
            silent += u64::from(layout.doubt.is_none());
            example = format!(
                "seed {seed}, {:?}, header {:?}:\n{}",
                String::from_utf8_lossy(&dialect.delimiter),
                layout.header_line,
                table.text.lines().take(6).collect::<Vec<_>>().join("\n")
            );
        }
    }
    assert!(
        right * 1000 >= all * 995 && silent * 1000 <= all * 2,
        "{right} of {all} right, {silent} silent; {example}"
    );
}

/// A value of one of many sorts.
fn value(dice: &mut Dice, sort: u64) -> String {
    let words = ["Quay", "Lock", "Tern", "Mill", "Anchor", "Fog", "Crane", "Pilot", "Heron", "Market"];
    let several =
        |dice: &mut Dice, count: u64| (0..count).map(|_| dice.pick(&words)).collect::<Vec<_>>().join(" ");
    match sort {
        0 => dice.pick(&["Y", "N"]).to_owned(),
        1 => dice.roll(0, 1000).to_string(),
        2 => format!("{}.{:02}", dice.roll(0, 1000), dice.roll(0, 100)),
        3 => format!("2031-{:02}-{:02}", dice.roll(1, 13), dice.roll(1, 29)),
        4 => format!("{}{:04}", dice.pick(&["A", "B", "C"]), dice.roll(0, 10_000)),
        5 => dice.pick(&words).to_owned(),
        6 => {
            let count = dice.roll(1, 5);
            several(dice, count)
        }
        7 => dice.pick(&["true", "false"]).to_owned(),
        8 => format!("{} %", dice.roll(0, 101)),
        9 => format!("{:02}:{:02}", dice.roll(0, 24), dice.roll(0, 60)),
        10 => {
            let count = dice.roll(5, 16);
            several(dice, count) + "."
        }
        _ => "x".to_owned(),
    }
}

#[test]
fn wide_and_sparse_tables_keep_their_names_and_lose_no_record() {
    let (mut right, mut silent, mut example) = (0, 0, String::new());
    let all = 400;
    for seed in 0..all {
        let mut dice = Dice::new(seed ^ 0x51d3);
        let delimiter = dice.pick(&[",", ";", "\t", "|"]);
        let columns = dice.roll(3, 46) as usize;
        let records = [4, 8, 15, 30, 60][dice.roll(0, 5) as usize];
        let sorts: Vec<(u64, u64)> = (0..columns).map(|_| (dice.roll(0, 12), dice.roll(0, 9) * 10)).collect();
        let names: Vec<String> = (1..=columns)
            .map(|n| {
                format!(
                    "{}{}{n}",
                    dice.pick(&["Berth", "Dues", "State", "date", "num"]),
                    dice.pick(&[" ", "_"])
                )
            })
            .collect();
        let mut text = names.join(delimiter) + "\n";
        for _ in 0..records {
            let mut row: Vec<String> = sorts
                .iter()
                .map(
                    |(sort, blank)| if dice.chance(*blank) { String::new() } else { value(&mut dice, *sort) },
                )
                .collect();
            if row.iter().all(String::is_empty) {
                row[0] = "x".into();
            }
            text += &(row.join(delimiter) + "\n");
        }
        let layout = layout_of(&text);
        let found = (layout.header_line, layout.lines_before_data, layout.footer.filled_lines, layout.width);
        if found == (Some(1), 1, 0, columns) {
            right += 1;
        } else {
            silent += u64::from(layout.doubt.is_none());
            example = format!("seed {seed}, {columns} columns, {records} records, {found:?}\n{text}");
        }
    }
    assert!(
        right * 100 >= all * 99 && silent * 100 <= all,
        "{right} of {all} right, {silent} silent; {}",
        example.chars().take(1500).collect::<String>()
    );
}

#[test]
fn times_of_day_are_not_divided_at_their_colons() {
    let line = |i: usize| {
        format!("2031-03-{:02}T{:02}:00:00Z {}.{:02}\n", i % 28 + 1, i % 24, i * 7 % 6, i * 37 % 100)
    };
    let text: String = (0..40).map(line).collect();
    assert_ne!(layout_of(&text).dialect.value.delimiter, b":");
}

#[test]
fn plain_files_are_read_as_they_look() {
    for (text, delimiter, width) in [
        (
            "Name,Amount\n".to_owned()
                + &"\"Smith, John\",186\n\"Rowe, Ada\",12\n\"Lund, Edda\",7\n".repeat(10),
            ",",
            2,
        ),
        (
            "Day\tAgent\n".to_owned()
                + &"2031-10-20\tRowe, Ada\n2031-10-21\tLund, Edda\n2031-10-22\tTarn, Mo\n".repeat(4),
            "\t",
            2,
        ),
        (
            "Berth|Cargo\n007|rope, coiled, new\n012|salt, bulk\n031|oil, crude, barrels\n009|post\n".into(),
            "|",
            2,
        ),
        ("Cargo\n\"rope\"\nsalt\n\"oil, crude\"\npost\n\"timber\"\nrope\n".into(), "", 1),
    ] {
        let layout = layout_of(&text);
        let dialect = &layout.dialect.value;
        assert_eq!(
            (dialect.delimiter.as_slice(), layout.width, dialect.quote),
            (delimiter.as_bytes(), width, Some(b'"')),
            "{text}"
        );
    }
}

#[test]
fn long_quoted_texts_are_values_wherever_the_samples_begin() {
    let ships = ["Saltwind", "Grey Heron", "Marsh Lantern", "Tern"];
    let cargo = ["grain", "timber", "\"\"spares\"\"", "salt, bulk"];
    let (mut right, mut silent, mut example) = (0, 0, String::new());
    let all = 120;
    for seed in 0..all {
        let mut dice = Dice::new(seed ^ 0x7a11);
        let delimiter = dice.pick(&[",", ";", "\t", "|"]);
        let (most, records) = (dice.roll(2, 30), dice.roll(60, 700));
        let is_last = dice.chance(30);
        let mut text = ["Call no", "Remarks", if is_last { "State" } else { "Dues" }].join(delimiter) + "\n";
        for n in 0..records {
            let lines: Vec<String> = (0..dice.roll(1, most + 1))
                .map(|_| {
                    format!(
                        "{} lies at berth {:03}, with {}",
                        dice.pick(&ships),
                        dice.roll(0, 40),
                        dice.pick(&cargo)
                    )
                })
                .collect();
            let remarks = format!("\"{}\n\"", lines.join("\n"));
            let dues = if is_last {
                "open".to_owned()
            } else {
                format!("{}.{:02}", dice.roll(1, 9999), dice.roll(0, 99))
            };
            text += &([format!("{n:06}"), remarks, dues].join(delimiter) + "\n");
        }
        let layout = layout_of(&text);
        if (layout.header_line, layout.width) == (Some(1), 3)
            && layout.dialect.value.delimiter == delimiter.as_bytes()
        {
            right += 1;
        } else {
            silent += usize::from(layout.doubt.is_none());
            example = format!("seed {seed}, {most} lines, {records} records, {:?}\n{text}", layout.dialect);
        }
    }
    assert!(
        right * 100 >= all as usize * 99 && silent == 0,
        "{right} of {all} right, {silent} silent; {}",
        example.chars().take(900).collect::<String>()
    );
}
