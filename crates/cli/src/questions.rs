//! Questions that `import` and `refresh` ask on a terminal, one for each doubt: each shows what the answers would do, and Enter takes the
//! safe way.

use crate::failure::{Failure, Result};
use crate::render::command::quoted;
use crate::render::sanitize;
use crate::render::text::cut;
use crate::wording::misfits::times;
use incola_core::kind::date::{Case, DateOrder, scan};
use incola_core::kind::statistics::trim;
use incola_core::kind::{Decimal, decide::Doubt};
use incola_core::kind::{Languages, month_name};
use incola_core::layout::{LayoutDoubt, delimiter_from_word, delimiter_word, dialect_word};
use incola_core::reading::{Choices, ColumnReading};
use incola_core::record::{Dialect, Division, Machine};
use incola_core::rows::{Each, Flow, Record};
use incola_core::settings::list_text;
use incola_core::settings::selector::AsChoice;
use incola_engine::refresh::report::{CellChange, Change, Conflict, Report};
use incola_engine::refresh::{Decisions, Winner};
use incola_engine::text::Surveyed;
use std::io::{BufRead, IsTerminal, Write};

/// Who is asked, and how often an answer that is none is borne.
pub(crate) struct Asker<'a> {
    pub(crate) input: &'a mut dyn BufRead,
    pub(crate) output: &'a mut dyn Write,
}

/// Whether somebody is there who can answer. In tests nobody is.
pub(crate) fn can_be_asked() -> bool {
    !cfg!(test) && std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

/// How often a question is put again.
const PATIENCE: usize = 3;

impl Asker<'_> {
    /// Puts a question with numbered answers; gives the place of the one chosen (from 0). Enter, the end of the input and
    /// three answers that are none take `safe`.
    fn ask(&mut self, question: &str, answers: &[String], safe: usize) -> Result<usize> {
        let failed = |e: std::io::Error| Failure::unreadable(format!("the question cannot be asked: {e}"));
        let mut text = format!("\n{question}\n");
        for (n, answer) in answers.iter().enumerate() {
            text.push_str(&format!("  {}  {answer}\n", n + 1));
        }
        self.output.write_all(text.as_bytes()).map_err(failed)?;
        for _ in 0..PATIENCE {
            write!(self.output, "Which one? [{}] ", safe + 1)
                .and_then(|()| self.output.flush())
                .map_err(failed)?;
            let mut line = String::new();
            if self.input.read_line(&mut line).map_err(failed)? == 0 {
                break;
            }
            match line.trim() {
                "" => return Ok(safe),
                answer => {
                    if let Some(chosen) =
                        answer.parse::<usize>().ok().filter(|n| (1..=answers.len()).contains(n))
                    {
                        return Ok(chosen - 1);
                    }
                }
            }
        }
        Ok(safe)
    }
}

/// The answers as options that would give them without a question, added to the choices.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Answers {
    /// What was chosen, as it is typed.
    pub(crate) options: Vec<String>,
    /// Whether the source must be surveyed again: its layout is another one now, or what is empty in it.
    pub(crate) needs_survey: bool,
}

/// Asks which of two layouts within reach of each other it is.
pub(crate) fn ask_layout(
    surveyed: &Surveyed,
    choices: &mut Choices,
    asker: &mut Asker<'_>,
) -> Result<Answers> {
    let layout = &surveyed.reading.layout;
    let asks = matches!(
        layout.doubt,
        Some(
            LayoutDoubt::RunnerUp
                | LayoutDoubt::Unnamed
                | LayoutDoubt::RunsOfBlanks
                | LayoutDoubt::ColumnsTouch(_)
                | LayoutDoubt::MayTouch(_)
                | LayoutDoubt::DateTouches(_)
                | LayoutDoubt::FewRecords(_)
        )
    );
    let Some(rival) = layout.dialect.runner_up.as_ref().filter(|_| asks) else {
        return Ok(Answers::default());
    };
    let shown = |dialect: &Dialect| format!("{:<24}  {}", dialect_word(dialect), sample(surveyed, dialect));
    let answers = [shown(&layout.dialect.value), shown(&rival.value)];
    let question =
        "The lines can be divided in two ways; the first explains them better, but nothing proves it:";
    if asker.ask(question, &answers, 0)? == 0 {
        return Ok(Answers::default());
    }
    let mut options = Vec::new();
    match &rival.value.division {
        Division::Delimited => {
            let word = delimiter_word(&rival.value.delimiter);
            let text = String::from_utf8_lossy(&rival.value.delimiter).into_owned();
            choices.layout.runs_as_one = Some(rival.value.runs_as_one);
            options.push(format!(
                "--delimiter {}",
                quoted(if delimiter_from_word(&word) == text { &word } else { &text })
            ));
            options.push(format!("--runs-as-one {}", if rival.value.runs_as_one { "yes" } else { "no" }));
            choices.layout.delimiter = Some(text);
        }
        Division::Fixed(fixed) => {
            let starts: Vec<String> = fixed.starts.iter().map(|s| (s + 1).to_string()).collect();
            options.push(format!("--starts {}", starts.join(",")));
            choices.layout.starts = Some(vec![fixed.starts.clone()]);
        }
        Division::Multiline(_) => return Ok(Answers::default()),
    }
    Ok(Answers { options, needs_survey: true })
}

/// The fields of the first record under a dialect.
fn sample(surveyed: &Surveyed, dialect: &Dialect) -> String {
    let mut machine = Machine::new(dialect);
    let at = surveyed.data_in_head().unwrap_or(0);
    machine.step(&surveyed.head, at, true);
    let fields: Vec<String> =
        machine.fields(&surveyed.head).map(|f| sanitize::line(&String::from_utf8_lossy(trim(f).0))).collect();
    cut(&fields.join(" | "), 70)
}

/// Asks what cannot be told of columns: the order of day and month, and which mark begins decimals.
pub(crate) fn ask_columns(
    surveyed: &Surveyed,
    choices: &mut Choices,
    asker: &mut Asker<'_>,
) -> Result<Answers> {
    let mut answers = Answers::default();
    for column in &surveyed.reading.columns {
        let Some(doubt) = column.doubt.filter(|_| column.is_wanted()) else { continue };
        let Some(value) = first_value(surveyed, column) else { continue };
        match doubt {
            Doubt::DateOrder => {
                let patterns = column.date_patterns();
                let mut list: Vec<String> = patterns
                    .iter()
                    .map(|(order, pattern)| format!("{}   {pattern}", day_in_words(&value, *order)))
                    .collect();
                list.push("left as text".into());
                let question = format!(
                    "\u{201c}{}\u{201d}: nothing tells day from month. {value} is",
                    sanitize::line(&column.name)
                );
                let chosen = asker.ask(&question, &list, patterns.len())?;
                if let Some((_, pattern)) = patterns.get(chosen) {
                    answers.choose(
                        choices,
                        &format!("{}=date:{pattern}", column.number),
                        column,
                        &format!("date:{pattern}"),
                    );
                }
            }
            Doubt::DecimalChar if choices.decimal.is_none() => {
                let question = format!(
                    "\u{201c}{}\u{201d}: the mark in {value} may group digits or begin the decimals. It is",
                    sanitize::line(&column.name)
                );
                let plain: String = value.chars().filter(char::is_ascii_digit).collect();
                let comma = value.contains(',');
                let list = [
                    format!("{plain}   the mark groups digits"),
                    format!("{}   the mark begins the decimals", value.replace(',', ".")),
                    "left as text".into(),
                ];
                let decimal = match asker.ask(&question, &list, 2)? {
                    0 if comma => Decimal::Point,
                    0 => Decimal::Comma,
                    1 if comma => Decimal::Comma,
                    1 => Decimal::Point,
                    _ => continue,
                };
                choices.decimal = Some(decimal);
                answers.options.push(format!("--decimal-char {}", decimal.char()));
            }
            Doubt::DecimalChar => {}
        }
    }
    Ok(answers)
}

/// Asks whether a few spellings that do not fit the kind of their column mean that there is no value.
pub(crate) fn ask_misfits(
    surveyed: &Surveyed,
    choices: &mut Choices,
    asker: &mut Asker<'_>,
) -> Result<Answers> {
    let mut answers = Answers::default();
    for (place, column) in surveyed.reading.columns.iter().enumerate().filter(|(_, c)| c.is_wanted()) {
        let Some(few) = surveyed.misfit_spellings(place) else { continue };
        let few = few.into_iter().map(|(text, n)| (String::from_utf8_lossy(text).into_owned(), n));
        let few: Vec<(String, u64)> = few.filter(|(text, _)| !choices.blank.contains(text)).collect();
        if few.is_empty() {
            continue;
        }
        let kind = column.rule.kind().named(few.iter().map(|(_, n)| n).sum());
        let shown: Vec<String> = few
            .iter()
            .map(|(text, n)| format!("\u{201c}{}\u{201d} {}", cut(&sanitize::line(text), 30), times(*n)))
            .collect();
        let question = format!(
            "\u{201c}{}\u{201d}: some values are not {kind}: {}. They are",
            sanitize::line(&column.name),
            shown.join(", ")
        );
        let list =
            ["empty, in every column where a value is spelled so".to_owned(), "kept as text".to_owned()];
        if asker.ask(&question, &list, 1)? == 0 {
            choices.blank.extend(few.into_iter().map(|(text, _)| text));
            answers.needs_survey = true;
        }
    }
    if answers.needs_survey {
        answers.options.push(format!("--blank {}", quoted(&list_text(&choices.blank))));
    }
    Ok(answers)
}

/// Asks who wins each conflict of tables that were compared. A table that is left as it is has conflicts that nobody decided.
pub(crate) fn ask_conflicts(reports: &[Report], asker: &mut Asker<'_>) -> Result<Decisions> {
    let mut decisions = Decisions::default();
    for report in reports.iter().filter(|report| report.undecided > 0) {
        let mut all: Option<Winner> = None;
        let mut number = 0;
        'table: for change in &report.changes {
            let cells = change.cells.iter().map(|cell| (Some(cell), cell.conflict));
            for (cell, conflict) in std::iter::once((None, change.conflict)).chain(cells) {
                let Some(Conflict { mark, winner: None }) = conflict else { continue };
                number += 1;
                if let Some(winner) = all {
                    decisions.decide(mark, winner);
                    continue;
                }
                let (question, mut answers) = question_of(report, change, cell, number);
                if number < report.undecided {
                    answers.push("sheet, here and in all that follow".into());
                    answers.push("source, here and in all that follow".into());
                }
                answers.push("leave the table as it is".into());
                let safe = answers.len() - 1;
                let chosen = asker.ask(&question, &answers, safe)?;
                if chosen == safe {
                    break 'table;
                }
                let winner = if chosen % 2 == 0 { Winner::Sheet } else { Winner::Source };
                all = (chosen >= 2).then_some(winner);
                decisions.decide(mark, winner);
            }
        }
    }
    Ok(decisions)
}

/// The question about a conflict, and what either side would make of it.
fn question_of(
    report: &Report,
    change: &Change,
    cell: Option<&CellChange>,
    number: u64,
) -> (String, Vec<String>) {
    let text = |text: &str| match text {
        "" => "(empty)".to_owned(),
        text => cut(&sanitize::line(text), 60),
    };
    let (what, sheet, source) = if let Some(cell) = cell {
        let before = cell.imported.as_deref().map_or_else(String::new, |t| format!("; it was {}", text(t)));
        let what = format!(", {}{before}", sanitize::line(&cell.column));
        (what, text(&cell.sheet), text(cell.source.as_deref().unwrap_or_default()))
    } else {
        let why = change.why.as_deref().map_or_else(String::new, |why| format!(": {}", sanitize::line(why)));
        (why, "the row stays".to_owned(), "the row goes".to_owned())
    };
    let question = format!(
        "Conflict {number} of {} in {}: row {}, {}{what}. Which is kept?",
        report.undecided,
        sanitize::line(&report.link),
        change.row,
        sanitize::line(&change.label),
    );
    (question, vec![format!("sheet   {sheet}"), format!("source  {source}")])
}

impl Answers {
    fn choose(&mut self, choices: &mut Choices, choice: &str, column: &ColumnReading, kind: &str) {
        if let Ok(choice) = AsChoice::parse(choice) {
            choices.kinds.push(choice);
            self.options.push(format!("--as {}", quoted(&format!("{}={kind}", column.name))));
        }
    }
}

/// The first value of a column among the first lines.
fn first_value(surveyed: &Surveyed, column: &ColumnReading) -> Option<String> {
    let mut found = None;
    surveyed.each_in_head(&mut Each(|record: &Record<'_>| {
        let value = trim(record.field(column.number - 1)).0;
        if value.iter().any(u8::is_ascii_digit) && column.doubt != Some(Doubt::DecimalChar)
            || value.iter().any(|b| matches!(b, b'.' | b','))
        {
            found = Some(sanitize::line(&String::from_utf8_lossy(value)));
            return Flow::Break(());
        }
        Flow::Continue(())
    }));
    found
}

/// `3 April 2031`
fn day_in_words(value: &str, order: DateOrder) -> String {
    scan(value.as_bytes()).and_then(|scan| scan.day(order)).map_or_else(
        || value.to_owned(),
        |day| {
            let english = Languages::from_code("en").unwrap_or(Languages::ALL);
            format!("{} {} {}", day.day, Case::Title.apply(month_name(english, day.month, false)), day.year)
        },
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn asked(typed: &str) -> (usize, String) {
        let mut output = Vec::new();
        let mut input = typed.as_bytes();
        let mut asker = Asker { input: &mut input, output: &mut output };
        let answers = ["3 April 2031".to_owned(), "4 March 2031".to_owned(), "left as text".to_owned()];
        let chosen = asker.ask("03/04/2031 is", &answers, 2).unwrap();
        (chosen, String::from_utf8(output).unwrap())
    }

    #[test]
    fn answers_are_numbers_and_enter_is_safe() {
        assert_eq!(asked("1\n").0, 0);
        assert_eq!(asked("\n").0, 2);
        assert_eq!(asked("").0, 2);
        assert_eq!(asked("yes\n9\n2\n").0, 1);
        assert_eq!(asked("a\nb\nc\n1\n").0, 2);
        assert_eq!(
            asked("1\n").1,
            "\n03/04/2031 is\n  1  3 April 2031\n  2  4 March 2031\n  3  left as text\nWhich one? [3] "
        );
    }

    /// A report with three conflicts, and what is decided by what is typed.
    fn decided(typed: &str) -> (String, String) {
        let conflict = |n: &str| {
            let mark = incola_engine::refresh::ConflictMark::new("calls", n, None, "", None);
            Some(Conflict { mark, winner: None })
        };
        let cell = |n: &str| CellChange {
            column: "Dues".into(),
            sheet: "3.10".into(),
            source: Some(String::new()),
            imported: (n == "a").then(|| "3.00".into()),
            conflict: conflict(n),
        };
        let change = |cells, why: Option<&str>| Change {
            what: incola_engine::refresh::report::What::Conflict,
            label: "Call A-2".into(),
            row: 3,
            cells,
            why: why.map(str::to_owned),
            conflict: why.and_then(|_| conflict("c")),
        };
        let changes = vec![change(vec![cell("a"), cell("b")], None), change(vec![], Some("changed by hand"))];
        let report = Report { link: "calls".into(), undecided: 3, changes, ..Report::default() };
        let (mut input, mut output) = (typed.as_bytes(), Vec::new());
        let asked = ask_conflicts(&[report], &mut Asker { input: &mut input, output: &mut output }).unwrap();
        let won = ["a", "b", "c"].map(|n| match conflict(n).and_then(|c| asked.of(c.mark)) {
            Some(Winner::Sheet) => 's',
            Some(Winner::Source) => 'q',
            None => '-',
        });
        (won.iter().collect(), String::from_utf8(output).unwrap())
    }

    #[test]
    fn conflicts_are_decided_one_by_one_or_all_at_once() {
        for (typed, expected) in [
            ("1\n2\n1\n", "sqs"),
            ("2\n1\n2\n", "qsq"),
            ("3\n", "sss"),
            ("1\n4\n", "sqq"),
            ("", "---"),
            ("1\n\n", "s--"),
            ("2\n5\n", "q--"),
            // The last one has nothing that follows.
            ("1\n1\n3\n", "ss-"),
        ] {
            assert_eq!(decided(typed).0, expected, "{typed:?}");
        }
        insta::assert_snapshot!(decided("1\n1\n1\n").1);
    }

    /// What is asked about the misfits of a file of forty amounts, some of which are `odd`, and the option that the answer makes.
    fn empties(odd: &[&str], typed: &str) -> (String, Vec<String>) {
        let mut text = "Call,Dues\n".to_owned();
        for n in 0..40 {
            let amount = odd.get(n).map_or_else(|| format!("{n}.50"), |odd| (*odd).to_owned());
            text.push_str(&format!("A-{n},{amount}\n"));
        }
        let feed = incola_engine::feed::InMemory::new("f", text.as_bytes());
        let mut choices = Choices { blank: vec!["void".into()], ..Choices::default() };
        let surveyed = incola_engine::text::survey(&feed, &choices, None).unwrap();
        let (mut input, mut output) = (typed.as_bytes(), Vec::new());
        let mut asker = Asker { input: &mut input, output: &mut output };
        let answers = ask_misfits(&surveyed, &mut choices, &mut asker).unwrap();
        assert_eq!(answers.needs_survey, !answers.options.is_empty());
        (String::from_utf8(output).unwrap(), answers.options)
    }

    #[test]
    fn a_few_spellings_that_do_not_fit_may_be_empty() {
        let (asked, options) = empties(&["-", "n/a", "-", "void"], "1\n");
        assert_eq!(
            asked,
            "\n\u{201c}Dues\u{201d}: some values are not numbers: \u{201c}-\u{201d} 2 times, \u{201c}n/a\u{201d} once. They are\n  \
             1  empty, in every column where a value is spelled so\n  2  kept as text\nWhich one? [2] "
        );
        assert_eq!(options, ["--blank void,-,n/a"]);
        for typed in ["", "2\n", "\n"] {
            assert_eq!(empties(&["-", "-"], typed).1, [""; 0], "{typed:?}");
        }
        // One of a kind is no pattern, and nothing is asked where all values fit.
        for odd in [&["-"][..], &["void", "void"], &[]] {
            assert_eq!(empties(odd, "1\n").0, "", "{odd:?}");
        }
    }

    #[test]
    fn days_are_said_in_words() {
        assert_eq!(day_in_words("03/04/2031", DateOrder::DayFirst), "3 April 2031");
        assert_eq!(day_in_words("03/04/2031", DateOrder::MonthFirst), "4 March 2031");
    }
}
