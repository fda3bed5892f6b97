//! Values that do not fit the kind of their column, in one line for each column.

use crate::render::command::quoted;
use crate::render::sanitize::line;
use crate::render::text::grouped;
use incola_core::kind::Kind;
use incola_core::settings::list_text;
use incola_core::words::counted;
use incola_engine::import::CellNote;
use std::collections::HashMap;

/// Most spellings that are listed instead of cells.
const FEW: usize = 3;

/// What is said of the misfits of a column.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Misfits {
    /// The line.
    pub(crate) text: String,
    /// Whether a few spellings are most of them, so that no cell needs to be listed.
    pub(crate) is_few_spellings: bool,
}

/// What is said of the misfits of a column called `name`. `cells`: those that are listed; `count`: all of them.
pub(crate) fn of_column((name, kind): (&str, Kind), cells: &[&CellNote], count: u64) -> Misfits {
    let sum = if kind == Kind::Number { ", not in the sum" } else { "" };
    let values = counted(count, "value is", "values are");
    let are = if count == 1 { "is" } else { "are" };
    let head = format!("{}: {values} not {} and {are} kept as text{sum}", line(name), kind.named(count));
    let mut spellings: HashMap<&str, u64> = HashMap::new();
    for cell in cells {
        *spellings.entry(&cell.text).or_default() += 1;
    }
    let listed: u64 = spellings.values().sum();
    let mut common: Vec<(&str, u64)> = spellings.into_iter().collect();
    common.sort_unstable_by_key(|(text, count)| (std::cmp::Reverse(*count), *text));
    common.truncate(FEW);
    let covered: u64 = common.iter().map(|(_, count)| count).sum();
    let is_few_spellings = listed > common.len() as u64 && covered * 5 >= listed * 4;
    if !is_few_spellings {
        let first = cells.first().map_or_else(String::new, |cell| {
            format!("; the first is \u{201c}{}\u{201d} in line {}", line(&cell.text), cell.line)
        });
        return Misfits { text: head + &first, is_few_spellings };
    }
    let list: Vec<String> =
        common.iter().map(|(text, n)| format!("\u{201c}{}\u{201d} {}", line(text), times(*n))).collect();
    let texts: Vec<String> = common.iter().map(|(text, _)| (*text).trim().to_owned()).collect();
    let them = if common.len() == 1 { "it" } else { "them" };
    let option = format!("--blank {}", quoted(&list_text(&texts)));
    Misfits {
        text: format!("{head}: {}; to treat {them} as empty: {option}", list.join(", ")),
        is_few_spellings,
    }
}

/// `once`, `12 times`
pub(crate) fn times(n: u64) -> String {
    if n == 1 { "once".to_owned() } else { format!("{} times", grouped(n)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use incola_engine::import::Note;

    #[test]
    fn few_spellings_are_said_once() {
        for (values, expected) in [
            (
                &["-", "-", "n/a", "-"][..],
                "Dues: 4 values are not numbers and are kept as text, not in the sum: \u{201c}-\u{201d} 3 times, \
                 \u{201c}n/a\u{201d} once; to treat them as empty: --blank -,n/a",
            ),
            (
                &["-", "-"],
                "Dues: 2 values are not numbers and are kept as text, not in the sum: \u{201c}-\u{201d} 2 times; to treat it as empty: \
                 --blank -",
            ),
            (
                &["12 kg", "see note"],
                "Dues: 2 values are not numbers and are kept as text, not in the sum; the first is \u{201c}12 kg\u{201d} in line 2",
            ),
            (
                &["x"],
                "Dues: 1 value is not a number and is kept as text, not in the sum; the first is \u{201c}x\u{201d} in line 2",
            ),
        ] {
            let cell = |(n, text): (usize, &&str)| CellNote {
                line: n as u64 + 2,
                row: n as u32 + 2,
                column: 1,
                text: (*text).to_owned(),
                why: Note::Misfit(Kind::Number),
            };
            let cells: Vec<CellNote> = values.iter().enumerate().map(cell).collect();
            let cells: Vec<&CellNote> = cells.iter().collect();
            let misfits = of_column(("Dues", Kind::Number), &cells, cells.len() as u64);
            assert_eq!(misfits.text, expected);
        }
    }
}
