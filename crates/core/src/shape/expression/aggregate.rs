//! What is taken of the records of a group.

use super::bad::{BRACKETS, BadExpression, LONGEST, Result, place, unread, wrong};
use super::bind::{Binder, Column, expect};
use super::eval::Tree;
use super::value::Type;
use sqlparser::ast::Expr;
use sqlparser::dialect::AnsiDialect;
use sqlparser::parser::Parser;
use sqlparser::tokenizer::Token;

/// What is taken of the values of a group.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::shape) enum Function {
    Count,
    Sum,
    Avg,
    Min,
    Max,
    First,
    Last,
}

impl Function {
    const ALL: [Self; 7] = [Self::Count, Self::Sum, Self::Avg, Self::Min, Self::Max, Self::First, Self::Last];

    /// The word for it in expressions.
    pub(in crate::shape) const fn word(self) -> &'static str {
        match self {
            Self::Count => "COUNT",
            Self::Sum => "SUM",
            Self::Avg => "AVG",
            Self::Min => "MIN",
            Self::Max => "MAX",
            Self::First => "FIRST",
            Self::Last => "LAST",
        }
    }
}

/// A function of the records of a group.
#[derive(Clone, Debug)]
pub(in crate::shape) struct Aggregate {
    pub(in crate::shape) function: Function,
    /// What it is of; `None`: of all records (`COUNT(*)`).
    pub(in crate::shape) of: Option<(Tree, Type)>,
    /// What it is of, as it was written.
    pub(in crate::shape) text: String,
    /// The name that it was given.
    pub(in crate::shape) name: Option<String>,
}

/// Parses a list of functions of groups, and gives them their columns and types.
pub(in crate::shape) fn bind_list(text: &str, columns: &[Column]) -> Result<Vec<Aggregate>> {
    use sqlparser::ast::{FunctionArg, FunctionArgExpr, FunctionArguments, SelectItem};
    if text.chars().count() > LONGEST {
        return Err(BadExpression::new(format!("it has more than {LONGEST} characters"), None));
    }
    let dialect = AnsiDialect {};
    let parser = Parser::new(&dialect).with_recursion_limit(BRACKETS);
    let mut parser = parser.try_with_sql(text).map_err(|error| unread(&error.to_string()))?;
    let items = parser
        .parse_comma_separated(Parser::parse_select_item)
        .map_err(|error| unread(&error.to_string()))?;
    let next = parser.peek_token();
    if next.token != Token::EOF {
        let why = format!("it goes on with \u{201c}{}\u{201d} where it could end", next.token);
        return Err(BadExpression::new(why, place(next.span.start)));
    }
    let binder = Binder { columns };
    let mut found = Vec::new();
    for item in &items {
        let (parsed, name) = match item {
            SelectItem::UnnamedExpr(parsed) => (parsed, None),
            SelectItem::ExprWithAlias { expr, alias } => (expr, Some(alias.value.clone())),
            _ => return Err(BadExpression::new("each part is a function, such as SUM(Dues) AS Dues", None)),
        };
        let wanted =
            "each part is COUNT, SUM, AVG, MIN, MAX, FIRST or LAST of something, such as SUM(Dues) AS Dues";
        let Expr::Function(function) = parsed else { return wrong(parsed, wanted) };
        let word = function.name.to_string().to_uppercase();
        let Some(function_of) = Function::ALL.into_iter().find(|function| function.word() == word) else {
            return wrong(parsed, wanted);
        };
        let FunctionArguments::List(list) = &function.args else { return wrong(parsed, wanted) };
        let of = match list.args.as_slice() {
            [FunctionArg::Unnamed(FunctionArgExpr::Wildcard)] if function_of == Function::Count => None,
            [FunctionArg::Unnamed(FunctionArgExpr::Expr(inner))] => {
                let (tree, own) = binder.tree(inner, 0)?;
                if matches!(function_of, Function::Sum | Function::Avg) {
                    expect(inner, own, Type::Number, &word)?;
                }
                Some((tree, own, inner.to_string()))
            }
            _ => return wrong(parsed, wanted),
        };
        let text = of.as_ref().map_or_else(String::new, |of| of.2.trim_matches('"').to_owned());
        let of = of.map(|(tree, own, _)| (tree, own));
        found.push(Aggregate { function: function_of, of, text, name });
    }
    Ok(found)
}
