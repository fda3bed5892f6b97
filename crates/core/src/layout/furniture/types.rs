//! Record types: a code in front of each line that says what the other fields are.

use super::super::measure::lexicon::BLANK;
use super::super::tally::Tally;
use super::{Form, Judged};

/// Most different types, longest code, and fewest lines.
const MOST: usize = 8;
const LONGEST: usize = 6;
const FEWEST: usize = 6;

/// The record types of a delimited source, the commonest first: few short codes begin all lines, several lines each, and the
/// lines of one have another number of fields than those of another.
pub(super) fn find(judged: &Judged<'_>) -> Option<Vec<String>> {
    if !matches!(judged.form, Form::Delimited { .. }) || judged.width < 2 {
        return None;
    }
    let mut types: Tally<(u32, usize)> = Tally::default();
    let mut codes: Tally<u32> = Tally::default();
    let mut rows = 0;
    for row in judged.rows.rows.iter().filter(|r| r.aside.is_none() && r.text != BLANK) {
        let code = *row.values.first()?;
        let text = judged.lexicon.text(code);
        let plain = !text.is_empty() && text.len() <= LONGEST && text.chars().all(char::is_alphanumeric);
        codes.add(code);
        types.add((code, row.fields));
        rows += 1;
        if !plain || codes.different() > MOST {
            return None;
        }
    }
    let (top, often) = codes.top()?;
    // Most lines are of a type that comes again, and two types differ in their number of fields.
    let again: usize = codes.iter().filter(|c| c.1 > 1).map(|c| c.1).sum();
    let usual = |code: u32| {
        types.iter().filter(|t| t.0.0 == code).max_by_key(|t| t.1).map_or((0, 0), |t| (t.0.1, t.1))
    };
    let steady: usize = codes.iter().map(|(code, _)| usual(*code).1).sum();
    let differ = codes.iter().any(|(code, _)| usual(*code).0 != usual(*top).0);
    let several = codes.iter().filter(|c| c.1 > 1).count() >= 2;
    let holds = rows >= FEWEST
        && again * 10 >= rows * 8
        && steady * 10 >= rows * 9
        && differ
        && several
        && often < rows;
    holds.then(|| {
        let mut sorted: Vec<(u32, usize)> = codes.iter().map(|(code, count)| (*code, count)).collect();
        sorted.sort_by_key(|c| std::cmp::Reverse(c.1));
        sorted.into_iter().map(|(code, _)| judged.lexicon.text(code).to_owned()).collect()
    })
}
