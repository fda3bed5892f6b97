//! What is wrong with an expression, and where.

use sqlparser::ast::Expr;

/// Characters of the longest expression.
pub(super) const LONGEST: usize = 10_000;

/// How deep the parser follows brackets.
pub(super) const BRACKETS: usize = 60;

/// What is wrong with an expression, and where.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(in crate::shape) struct BadExpression {
    /// In words.
    pub(in crate::shape) why: String,
    /// The character (from 1).
    pub(in crate::shape) at: Option<usize>,
    /// What to type instead.
    pub(in crate::shape) hint: Option<String>,
    /// The column of text (from 0) that is taken for one of numbers.
    pub(in crate::shape) text_column: Option<usize>,
}

impl BadExpression {
    pub(super) fn new(why: impl Into<String>, at: Option<usize>) -> Self {
        Self { why: why.into(), at, hint: None, text_column: None }
    }

    /// The expression with a caret below the place.
    pub(in crate::shape) fn shown(&self, text: &str) -> String {
        let line: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
        let count = line.chars().count();
        let at = self.at.filter(|at| *at <= count + 1).map(|at| at - 1);
        // Of a long one, what is around the place.
        let from = at.unwrap_or(0).saturating_sub(50);
        let part: String = line.chars().skip(from).take(90).collect();
        let cut = |is_cut: bool| if is_cut { "\u{2026}" } else { "" };
        let shown = format!("{}{part}{}", cut(from > 0), cut(from + 90 < count));
        match at {
            Some(at) => {
                let blanks = " ".repeat(at - from + usize::from(from > 0));
                format!("{}\n  {shown}\n  {blanks}^", self.why)
            }
            None => format!("{}\n  {shown}", self.why),
        }
    }
}

pub(super) type Result<T> = std::result::Result<T, BadExpression>;

/// What the parser did not understand, with the place that it names.
pub(super) fn unread(error: &str) -> BadExpression {
    if error.contains("recursion") {
        return BadExpression::new("it is nested too deeply", None);
    }
    let what = error.split_once("parser error: ").map_or(error, |(_, what)| what);
    let (what, at) = match what.rsplit_once(" at Line: ") {
        Some((what, at)) => (what, at.rsplit_once("Column: ").and_then(|(_, n)| n.trim().parse().ok())),
        None => (what, None),
    };
    let what = what.replace("found: EOF", "found: its end");
    BadExpression::new(format!("it is not understood: {}", what.trim().to_lowercase()), at)
}

pub(super) fn place(at: sqlparser::tokenizer::Location) -> Option<usize> {
    usize::try_from(at.column).ok().filter(|at| *at > 0)
}

/// The place of the first thing in an expression that has one.
pub(super) fn place_of(parsed: &Expr) -> Option<usize> {
    use sqlparser::ast::Spanned;
    place(parsed.span().start)
}

pub(super) fn wrong<T>(parsed: &Expr, why: impl Into<String>) -> Result<T> {
    Err(BadExpression::new(why, place_of(parsed)))
}

pub(super) fn unknown<T>(parsed: &Expr) -> Result<T> {
    let shown: String = parsed.to_string().chars().take(60).collect();
    wrong(
        parsed,
        format!("\u{201c}{shown}\u{201d} is not among what conditions and computed columns may hold"),
    )
}
