//! How many made-up files are read rightly, and how many wrongly without a word.
//!
//! `cargo test -p incola-core --test suite measured -- --nocapture` prints the table of docs/detection.md.

use crate::layout_of;
use crate::yard::{FAMILIES, File, file};
use incola_core::layout::{Layout, LayoutKind};
use std::fmt::Write;

/// Files of each family.
const FILES: u64 = 60;

/// What must be reached, in percent: right, and wrong without a word.
fn due(family: &str) -> (u64, u64) {
    match family {
        "delimited" | "one column" => (97, 2),
        "no table" => (90, 3),
        "packed" => (55, 5),
        "one blank between" | "report" => (90, 6),
        _ => (95, 3),
    }
}

/// What differs from the truth.
fn wrong(truth: &File, layout: &Layout) -> Option<String> {
    let kind = match layout.kind() {
        // Columns that are lined up may be divided by runs of blanks as well; a report is a fixed layout.
        LayoutKind::Report if truth.kind != LayoutKind::Report && truth.columns > 1 => LayoutKind::Fixed,
        kind => kind,
    };
    let dialect = &layout.dialect.value;
    let blanks = truth.kind == LayoutKind::Fixed && dialect.runs_as_one && kind == LayoutKind::Delimited;
    let report = truth.kind == LayoutKind::Report && kind == LayoutKind::Fixed;
    if truth.columns > 1 && kind != truth.kind && !blanks && !report {
        return Some(format!("kind {kind:?}"));
    }
    if layout.width != truth.columns {
        return Some(format!("{} columns instead of {}", layout.width, truth.columns));
    }
    if let Some(delimiter) = truth.delimiter.filter(|d| dialect.delimiter != d.as_bytes()) {
        return Some(format!("delimiter instead of {delimiter}"));
    }
    if truth.columns > 1 && layout.header_line != truth.header {
        return Some(format!("header {:?} instead of {:?}", layout.header_line, truth.header));
    }
    (truth.first > 0 && layout.lines_before_data + 1 != truth.first)
        .then(|| format!("first record in line {}", layout.lines_before_data + 1))
}

#[test]
#[allow(clippy::disallowed_macros, reason = "the table of docs/detection.md")]
fn files_of_the_yard_are_read_rightly_or_said_to_be_doubtful() {
    let mut table = String::from("| layout of the file | right | wrong without a word |\n|---|---:|---:|\n");
    let mut short = Vec::new();
    for family in FAMILIES {
        let (mut right, mut silent, mut first) = (0, 0, None);
        for seed in 0..FILES {
            let truth = file(family, seed);
            let layout = layout_of(&truth.text);
            match wrong(&truth, &layout) {
                None => right += 1,
                Some(why) => {
                    silent += u64::from(layout.doubt.is_none());
                    first.get_or_insert(format!(
                        "seed {seed}: {why}\n{}",
                        truth.text.lines().take(8).collect::<Vec<_>>().join("\n")
                    ));
                }
            }
        }
        let percent = |n: u64| n * 100 / FILES;
        let _ = writeln!(table, "| {family} | {} % | {} % |", percent(right), percent(silent));
        let (most, least) = due(family);
        if percent(right) < most || percent(silent) > least {
            short.push(format!(
                "{family}: {} % right, {} % silent; {}",
                percent(right),
                percent(silent),
                first.unwrap_or_default()
            ));
        }
    }
    println!("{table}");
    assert!(short.is_empty(), "{}", short.join("\n\n"));
}
