//! Questions that `import` asks on a terminal, one for each doubt: each shows what the answers would do, and Enter takes the
//! safe way.

use crate::failure::{Failure, Result};
use crate::render::command::quoted;
use crate::render::sanitize;
use crate::render::text::cut;
use incola_core::kind::date::{Case, DateOrder, scan};
use incola_core::kind::statistics::trim;
use incola_core::kind::{Decimal, decide::Doubt};
use incola_core::kind::{Languages, month_name};
use incola_core::layout::{LayoutDoubt, delimiter_from_word, delimiter_word, dialect_word};
use incola_core::reading::{Choices, ColumnReading};
use incola_core::record::{Dialect, Division, Machine};
use incola_core::rows::{Each, Flow, Record};
use incola_core::settings::selector::AsChoice;
use incola_engine::text::Surveyed;
use std::io::{BufRead, Write};

/// Who is asked, and how often an answer that is none is borne.
pub(crate) struct Asker<'a> {
    pub(crate) input: &'a mut dyn BufRead,
    pub(crate) output: &'a mut dyn Write,
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
    /// Whether the layout is another one now, so that the source must be surveyed again.
    pub(crate) other_layout: bool,
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
    Ok(Answers { options, other_layout: true })
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

    #[test]
    fn days_are_said_in_words() {
        assert_eq!(day_in_words("03/04/2031", DateOrder::DayFirst), "3 April 2031");
        assert_eq!(day_in_words("03/04/2031", DateOrder::MonthFirst), "4 March 2031");
    }
}
