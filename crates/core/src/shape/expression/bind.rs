//! An expression gets its columns and its types.

use super::bad::{BRACKETS, BadExpression, LONGEST, Result, place, place_of, unknown, unread, wrong};
use super::eval::{Arith, Tree, TrimSide, Unary};
use super::functions;
use super::literal::{interval_of, literal, type_of};
use super::spell::{field_word, identifier, quoted_hint};
use super::value::{Type, Val};
use crate::kind::Kind;
use crate::settings::nearest;
use sqlparser::ast::{
    BinaryOperator, CastKind, CeilFloorKind, DateTimeField, Expr, Ident, TrimWhereField, UnaryOperator, Value,
};
use sqlparser::dialect::AnsiDialect;
use sqlparser::parser::Parser;
use sqlparser::tokenizer::Token;
use std::cmp::Ordering;

/// How deep an expression may be nested.
const DEEPEST: usize = 200;

/// A column that an expression may name.
#[derive(Clone, Debug)]
pub(in crate::shape) struct Column {
    /// Its name.
    pub(in crate::shape) name: String,
    /// Its kind; `skip` if it is left out.
    pub(in crate::shape) kind: Kind,
}

/// Parses an expression and gives it its columns and types.
pub(in crate::shape) fn bind(text: &str, columns: &[Column]) -> Result<(Tree, Type)> {
    if text.chars().count() > LONGEST {
        return Err(BadExpression::new(format!("it has more than {LONGEST} characters"), None));
    }
    let dialect = AnsiDialect {};
    let parser = Parser::new(&dialect).with_recursion_limit(BRACKETS);
    let mut parser = parser.try_with_sql(text).map_err(|error| unread(&error.to_string()))?;
    let parsed = parser.parse_expr().map_err(|error| unread(&error.to_string()))?;
    let next = parser.peek_token();
    if next.token != Token::EOF {
        let why = format!("it goes on with \u{201c}{}\u{201d} where it could end", next.token);
        return Err(BadExpression::new(why, place(next.span.start)));
    }
    Binder { columns }.tree(&parsed, 0)
}

pub(super) fn expect(parsed: &Expr, own: Type, wanted: Type, by: &str) -> Result<()> {
    if own == wanted || own == Type::Null {
        return Ok(());
    }
    let shown: String = parsed.to_string().chars().take(60).collect();
    let mut bad = BadExpression::new(
        format!("{by} takes {}, but \u{201c}{shown}\u{201d} is {}", wanted.word(), own.word()),
        place_of(parsed),
    );
    if wanted == Type::Text {
        bad.hint = Some(format!("CAST({shown} AS VARCHAR) makes text of it"));
    } else if wanted == Type::Number && own == Type::Text {
        bad.hint = Some(format!("CAST({shown} AS DECIMAL) makes a number of it"));
    }
    Err(bad)
}

pub(super) struct Binder<'b> {
    pub(super) columns: &'b [Column],
}

impl Binder<'_> {
    pub(super) fn tree(&self, parsed: &Expr, depth: usize) -> Result<(Tree, Type)> {
        if depth > DEEPEST {
            return wrong(parsed, "it is nested too deeply");
        }
        let depth = depth + 1;
        match parsed {
            Expr::Nested(inner) => self.tree(inner, depth),
            Expr::Identifier(name) => self.column(name),
            Expr::Value(value) => literal(parsed, &value.value),
            Expr::UnaryOp { op, expr } => self.unary(parsed, *op, expr, depth),
            Expr::BinaryOp { left, op, right } => self.binary(parsed, (left, op, right), depth),
            Expr::IsNull(_)
            | Expr::IsNotNull(_)
            | Expr::IsTrue(_)
            | Expr::IsFalse(_)
            | Expr::IsUnknown(_)
            | Expr::Between { .. }
            | Expr::InList { .. }
            | Expr::Like { .. } => self.predicate(parsed, depth),
            Expr::Case { operand, conditions, else_result, .. } => {
                self.case(parsed, operand.as_deref(), conditions, else_result.as_deref(), depth)
            }
            Expr::TypedString(_) | Expr::Interval(_) | Expr::Cast { .. } | Expr::Extract { .. } => {
                self.typed(parsed, depth)
            }
            Expr::Ceil { expr, field: CeilFloorKind::DateTimeField(DateTimeField::NoDateTime) } => {
                self.number(expr, Unary::Ceiling, depth)
            }
            Expr::Floor { expr, field: CeilFloorKind::DateTimeField(DateTimeField::NoDateTime) } => {
                self.number(expr, Unary::Floor, depth)
            }
            Expr::Position { .. } | Expr::Substring { .. } | Expr::Trim { .. } => self.text(parsed, depth),
            Expr::Function(function) => self.function(parsed, function, depth),
            _ => unknown(parsed),
        }
    }

    /// What has one operand.
    fn unary(&self, parsed: &Expr, op: UnaryOperator, expr: &Expr, depth: usize) -> Result<(Tree, Type)> {
        let (tree, own) = self.tree(expr, depth)?;
        match op {
            UnaryOperator::Not => {
                expect(expr, own, Type::Boolean, "NOT")?;
                Ok((Tree::unary(Unary::Not, tree), Type::Boolean))
            }
            UnaryOperator::Plus => {
                expect(expr, own, Type::Number, "+")?;
                Ok((tree, Type::Number))
            }
            UnaryOperator::Minus if own == Type::Days => Ok((Tree::unary(Unary::Minus, tree), Type::Days)),
            UnaryOperator::Minus => {
                expect(expr, own, Type::Number, "-")?;
                Ok((Tree::unary(Unary::Minus, tree), Type::Number))
            }
            _ => unknown(parsed),
        }
    }

    /// What is true, false or unknown.
    fn predicate(&self, parsed: &Expr, depth: usize) -> Result<(Tree, Type)> {
        let of = |parsed: &Expr| self.tree(parsed, depth);
        match parsed {
            Expr::IsNull(inner) => Ok((Tree::IsNull(Box::new(of(inner)?.0)), Type::Boolean)),
            Expr::IsNotNull(inner) => {
                Ok((Tree::unary(Unary::Not, Tree::IsNull(Box::new(of(inner)?.0))), Type::Boolean))
            }
            Expr::IsTrue(inner) | Expr::IsFalse(inner) | Expr::IsUnknown(inner) => {
                let (tree, own) = of(inner)?;
                expect(inner, own, Type::Boolean, "IS")?;
                let wanted = match parsed {
                    Expr::IsTrue(_) => Some(true),
                    Expr::IsFalse(_) => Some(false),
                    _ => None,
                };
                Ok((Tree::Is(Box::new(tree), wanted), Type::Boolean))
            }
            Expr::Between { expr, negated, low, high } => {
                let above = self.compared(parsed, (expr, low), Ordering::Less, true, depth)?;
                let below = self.compared(parsed, (expr, high), Ordering::Greater, true, depth)?;
                let both = Tree::Both(Box::new(above), Box::new(below), true);
                Ok((negate(both, *negated), Type::Boolean))
            }
            Expr::InList { expr, list, negated } => {
                let mut places = Vec::new();
                for one in list {
                    places.push(self.compared(parsed, (expr, one), Ordering::Equal, false, depth)?);
                }
                // Halved again and again, so that long lists are not deep.
                Ok((negate(any_of(places), *negated), Type::Boolean))
            }
            Expr::Like { negated, any: false, expr, pattern, escape_char } => {
                let (value, own) = of(expr)?;
                expect(expr, own, Type::Text, "LIKE")?;
                let (pattern_tree, own) = of(pattern)?;
                expect(pattern, own, Type::Text, "LIKE")?;
                let escape = match escape_char {
                    None => None,
                    Some(Value::SingleQuotedString(text)) if text.chars().count() == 1 => text.chars().next(),
                    Some(_) => return wrong(pattern, "ESCAPE is followed by one character in quotes"),
                };
                let tree = Tree::Like(Box::new(value), Box::new(pattern_tree), escape);
                Ok((negate(tree, *negated), Type::Boolean))
            }
            _ => unknown(parsed),
        }
    }

    /// What says a type itself.
    fn typed(&self, parsed: &Expr, depth: usize) -> Result<(Tree, Type)> {
        let of = |parsed: &Expr| self.tree(parsed, depth);
        match parsed {
            Expr::TypedString(typed) => {
                let text = match &typed.value.value {
                    Value::SingleQuotedString(text) => text.clone(),
                    _ => return wrong(parsed, "a date is written as DATE '2031-08-17'"),
                };
                let wanted = type_of(parsed, &typed.data_type)?.0;
                match functions::cast(&Val::Text(text.clone().into()), wanted, None) {
                    Ok(value) => Ok((Tree::literal(value), wanted)),
                    Err(_) => wrong(
                        parsed,
                        format!(
                            "\u{201c}{text}\u{201d} is not {}: DATE '2031-08-17', TIME '09:30:00', TIMESTAMP '2031-08-17 09:30:00'",
                            wanted.word()
                        ),
                    ),
                }
            }
            Expr::Interval(interval) => interval_of(parsed, interval),
            Expr::Cast { kind: CastKind::Cast, expr, data_type, format: None } => {
                let (tree, own) = of(expr)?;
                let (wanted, scale) = type_of(parsed, data_type)?;
                if !functions::can_cast(own, wanted) {
                    return wrong(expr, format!("{} cannot become {}", own.word(), wanted.word()));
                }
                let tree = if scale.is_some() { tree.rounded() } else { tree };
                Ok((Tree::Cast(Box::new(tree), wanted, scale), wanted))
            }
            Expr::Extract { field, expr, .. } => {
                let (tree, own) = of(expr)?;
                let Some(part) = functions::Part::named(&field_word(field)) else {
                    return wrong(
                        expr,
                        "EXTRACT takes YEAR, QUARTER, MONTH, WEEK, DAY, HOUR, MINUTE or SECOND",
                    );
                };
                if !part.is_in(own) {
                    let what = format!("{} has no {}", own.word(), field_word(field));
                    return wrong(expr, what);
                }
                Ok((Tree::Extract(part, Box::new(tree)), Type::Number))
            }
            _ => unknown(parsed),
        }
    }

    /// Functions of text that have words between their values.
    fn text(&self, parsed: &Expr, depth: usize) -> Result<(Tree, Type)> {
        let of = |parsed: &Expr| self.tree(parsed, depth);
        match parsed {
            Expr::Position { expr, r#in } => {
                let (what, own) = of(expr)?;
                expect(expr, own, Type::Text, "POSITION")?;
                let (within, own) = of(r#in)?;
                expect(r#in, own, Type::Text, "POSITION")?;
                Ok((Tree::Position(Box::new(what), Box::new(within)), Type::Number))
            }
            Expr::Substring { expr, substring_from, substring_for, .. } => {
                let (text, own) = of(expr)?;
                expect(expr, own, Type::Text, "SUBSTRING")?;
                let place = |part: &Option<Box<Expr>>| -> Result<Option<Box<Tree>>> {
                    let Some(part) = part else { return Ok(None) };
                    let (tree, own) = of(part)?;
                    expect(part, own, Type::Number, "SUBSTRING")?;
                    Ok(Some(Box::new(tree)))
                };
                let (from, length) = (place(substring_from)?, place(substring_for)?);
                Ok((Tree::Substring(Box::new(text), from, length), Type::Text))
            }
            Expr::Trim { expr, trim_where, trim_what, trim_characters: None } => {
                let (text, own) = of(expr)?;
                expect(expr, own, Type::Text, "TRIM")?;
                let side = match trim_where {
                    None | Some(TrimWhereField::Both) => TrimSide::Both,
                    Some(TrimWhereField::Leading) => TrimSide::Leading,
                    Some(TrimWhereField::Trailing) => TrimSide::Trailing,
                };
                let mark = match trim_what {
                    None => ' ',
                    Some(what) => match &**what {
                        Expr::Value(value) => match &value.value {
                            Value::SingleQuotedString(text) if text.chars().count() == 1 => {
                                text.chars().next().unwrap_or(' ')
                            }
                            _ => return wrong(what, "TRIM takes one character in quotes"),
                        },
                        _ => return wrong(what, "TRIM takes one character in quotes"),
                    },
                };
                Ok((Tree::Trim(Box::new(text), side, mark), Type::Text))
            }
            _ => unknown(parsed),
        }
    }

    fn column(&self, name: &Ident) -> Result<(Tree, Type)> {
        let wanted = name.value.to_lowercase();
        let found = self.columns.iter().position(|column| column.name.to_lowercase() == wanted);
        let Some(place_of) = found else {
            let names = self.columns.iter().map(|column| column.name.as_str());
            let near = nearest(&name.value, names.clone());
            let mut why = format!("no column is \u{201c}{}\u{201d}", name.value);
            if let Some(near) = near {
                why.push_str(&format!("; is {} meant?", identifier(near)));
            } else {
                let all: Vec<String> = names.take(30).map(identifier).collect();
                why.push_str(&format!("; the columns are: {}", all.join(", ")));
            }
            let mut bad = BadExpression::new(why, place(name.span.start));
            bad.hint =
                Some("text is in single quotes, a name with spaces or accents in double quotes".into());
            return Err(bad);
        };
        let column = &self.columns[place_of];
        let own = Type::of_kind(column.kind);
        Ok((Tree::Column(place_of), own))
    }

    fn binary(
        &self,
        parsed: &Expr,
        (left, op, right): (&Expr, &BinaryOperator, &Expr),
        depth: usize,
    ) -> Result<(Tree, Type)> {
        let compare = |order, negated| {
            Ok((self.compared(parsed, (left, right), order, negated, depth)?, Type::Boolean))
        };
        match op {
            BinaryOperator::Eq => return compare(Ordering::Equal, false),
            BinaryOperator::NotEq => return compare(Ordering::Equal, true),
            BinaryOperator::Lt => return compare(Ordering::Less, false),
            BinaryOperator::GtEq => return compare(Ordering::Less, true),
            BinaryOperator::Gt => return compare(Ordering::Greater, false),
            BinaryOperator::LtEq => return compare(Ordering::Greater, true),
            _ => {}
        }
        let ((a, type_a), (b, type_b)) = (self.tree(left, depth)?, self.tree(right, depth)?);
        let both = |wanted: Type, by: &str| {
            expect(left, type_a, wanted, by).and_then(|()| expect(right, type_b, wanted, by))
        };
        let arith = |op| (Tree::Arith(op, Box::new(a.clone()), Box::new(b.clone()), false), Type::Number);
        match op {
            BinaryOperator::And | BinaryOperator::Or => {
                let is_and = *op == BinaryOperator::And;
                both(Type::Boolean, if is_and { "AND" } else { "OR" })?;
                Ok((Tree::Both(Box::new(a), Box::new(b), is_and), Type::Boolean))
            }
            BinaryOperator::StringConcat => {
                both(Type::Text, "||")?;
                Ok((Tree::Concat(Box::new(a), Box::new(b)), Type::Text))
            }
            BinaryOperator::Plus | BinaryOperator::Minus => {
                let is_plus = *op == BinaryOperator::Plus;
                let is_day = |own: Type| matches!(own, Type::Date | Type::DateTime);
                match (type_a, type_b) {
                    (a_type, Type::Days) if is_day(a_type) => {
                        Ok((Tree::Shift(Box::new(a), Box::new(b), is_plus), a_type))
                    }
                    (Type::Days, b_type) if is_day(b_type) && is_plus => {
                        Ok((Tree::Shift(Box::new(b), Box::new(a), true), b_type))
                    }
                    (Type::Date, Type::Date) if !is_plus => {
                        Ok((Tree::DaysBetween(Box::new(a), Box::new(b)), Type::Number))
                    }
                    (Type::Date | Type::DateTime, Type::Number) => {
                        let mut bad =
                            BadExpression::new("days are added to a date as an interval", place_of(right));
                        bad.hint = Some(format!("{left} + INTERVAL '14' DAY"));
                        Err(bad)
                    }
                    _ => {
                        both(Type::Number, if is_plus { "+" } else { "-" })?;
                        Ok(arith(if is_plus { Arith::Add } else { Arith::Subtract }))
                    }
                }
            }
            BinaryOperator::Multiply => both(Type::Number, "*").map(|()| arith(Arith::Multiply)),
            BinaryOperator::Divide => both(Type::Number, "/").map(|()| arith(Arith::Divide)),
            BinaryOperator::Modulo => both(Type::Number, "%").map(|()| arith(Arith::Remainder)),
            _ => unknown(parsed),
        }
    }

    /// `left` is to `right` as `order` says, or not.
    fn compared(
        &self,
        parsed: &Expr,
        (left, right): (&Expr, &Expr),
        order: Ordering,
        negated: bool,
        depth: usize,
    ) -> Result<Tree> {
        let ((a, type_a), (b, type_b)) = (self.tree(left, depth)?, self.tree(right, depth)?);
        let is_day = |own: Type| matches!(own, Type::Date | Type::DateTime);
        let fits = type_a == type_b
            || type_a == Type::Null
            || type_b == Type::Null
            || (is_day(type_a) && is_day(type_b));
        if !fits {
            let what = |parsed: &Expr| parsed.to_string().chars().take(60).collect::<String>();
            let why = format!(
                "\u{201c}{}\u{201d} is {}, \u{201c}{}\u{201d} is {}: they are not compared",
                what(left),
                type_a.word(),
                what(right),
                type_b.word()
            );
            let mut bad = BadExpression::new(why, place_of(left).or(place_of(parsed)));
            bad.text_column = match (&a, &b, type_a, type_b) {
                (Tree::Column(n), _, Type::Text, Type::Number)
                | (_, Tree::Column(n), Type::Number, Type::Text) => Some(*n),
                _ => None,
            };
            bad.hint = match (type_a, type_b) {
                (Type::Text, Type::Number) => quoted_hint(left, right),
                (Type::Number, Type::Text) => quoted_hint(right, left),
                (Type::Date, Type::Text) => Some(format!("{} = DATE '2031-08-17'", what(left))),
                (Type::DateTime, Type::Text) => {
                    Some(format!("{} = TIMESTAMP '2031-08-17 09:30:00'", what(left)))
                }
                (Type::Time, Type::Text) => Some(format!("{} = TIME '09:30:00'", what(left))),
                _ => None,
            };
            return Err(bad);
        }
        Ok(Tree::Compare(Box::new(a), Box::new(b), order, negated))
    }

    fn case(
        &self,
        parsed: &Expr,
        operand: Option<&Expr>,
        conditions: &[sqlparser::ast::CaseWhen],
        otherwise: Option<&Expr>,
        depth: usize,
    ) -> Result<(Tree, Type)> {
        let mut branches = Vec::new();
        let mut all = Type::Null;
        let result = |value: &Expr, all: &mut Type| -> Result<Tree> {
            let (tree, own) = self.tree(value, depth)?;
            *all = common(value, *all, own, "CASE")?;
            Ok(tree)
        };
        for branch in conditions {
            let condition = if let Some(operand) = operand {
                self.compared(parsed, (operand, &branch.condition), Ordering::Equal, false, depth)?
            } else {
                let (tree, own) = self.tree(&branch.condition, depth)?;
                expect(&branch.condition, own, Type::Boolean, "WHEN")?;
                tree
            };
            branches.push((condition, result(&branch.result, &mut all)?));
        }
        let otherwise = otherwise.map(|value| result(value, &mut all)).transpose()?;
        Ok((Tree::Case(branches, otherwise.map(Box::new)), all))
    }

    fn number(&self, parsed: &Expr, op: Unary, depth: usize) -> Result<(Tree, Type)> {
        let (tree, own) = self.tree(parsed, depth)?;
        expect(parsed, own, Type::Number, "this function")?;
        // What is rounded afterwards need not come out even.
        Ok((Tree::unary(op, tree.rounded()), Type::Number))
    }

    fn function(
        &self,
        parsed: &Expr,
        function: &sqlparser::ast::Function,
        depth: usize,
    ) -> Result<(Tree, Type)> {
        use sqlparser::ast::{FunctionArg, FunctionArgExpr, FunctionArguments};
        let name = function.name.to_string().to_uppercase();
        let mut arguments = Vec::new();
        if let FunctionArguments::List(list) = &function.args {
            for argument in &list.args {
                match argument {
                    FunctionArg::Unnamed(FunctionArgExpr::Expr(argument)) => arguments.push(argument),
                    _ => return unknown(parsed),
                }
            }
        }
        let of = |n: usize| self.tree(arguments[n], depth);
        let takes = |counts: &[usize]| {
            if counts.contains(&arguments.len()) {
                return Ok(());
            }
            let list: Vec<String> = counts.iter().map(usize::to_string).collect();
            wrong(parsed, format!("{name} takes {} values", list.join(" or ")))
        };
        match name.as_str() {
            "UPPER" | "LOWER" | "CHAR_LENGTH" | "CHARACTER_LENGTH" => {
                takes(&[1])?;
                let (tree, own) = of(0)?;
                expect(arguments[0], own, Type::Text, &name)?;
                Ok(match name.as_str() {
                    "UPPER" => (Tree::unary(Unary::Upper, tree), Type::Text),
                    "LOWER" => (Tree::unary(Unary::Lower, tree), Type::Text),
                    _ => (Tree::unary(Unary::Length, tree), Type::Number),
                })
            }
            "ABS" => {
                takes(&[1])?;
                let (tree, own) = of(0)?;
                expect(arguments[0], own, Type::Number, "ABS")?;
                Ok((Tree::unary(Unary::Abs, tree), Type::Number))
            }
            "CEILING" | "CEIL" | "FLOOR" => {
                takes(&[1])?;
                let op = if name == "FLOOR" { Unary::Floor } else { Unary::Ceiling };
                self.number(arguments[0], op, depth)
            }
            "ROUND" => {
                takes(&[1, 2])?;
                let (tree, own) = of(0)?;
                expect(arguments[0], own, Type::Number, "ROUND")?;
                let digits = match arguments.get(1) {
                    None => 0,
                    Some(Expr::Value(value)) => match &value.value {
                        Value::Number(digits, _) => {
                            digits.parse::<u32>().ok().filter(|n| *n <= 15).unwrap_or(99)
                        }
                        _ => 99,
                    },
                    Some(_) => 99,
                };
                if digits == 99 {
                    return wrong(parsed, "ROUND takes a number of decimals from 0 to 15");
                }
                Ok((Tree::Round(Box::new(tree.rounded()), digits), Type::Number))
            }
            "MOD" => {
                takes(&[2])?;
                let ((a, type_a), (b, type_b)) = (of(0)?, of(1)?);
                expect(arguments[0], type_a, Type::Number, "MOD")?;
                expect(arguments[1], type_b, Type::Number, "MOD")?;
                Ok((Tree::Arith(Arith::Remainder, Box::new(a), Box::new(b), false), Type::Number))
            }
            "COALESCE" => {
                if arguments.len() < 2 {
                    return wrong(parsed, "COALESCE takes two values and more");
                }
                let (mut all, mut trees) = (Type::Null, Vec::new());
                for argument in &arguments {
                    let (tree, own) = self.tree(argument, depth)?;
                    all = common(argument, all, own, "COALESCE")?;
                    trees.push(tree);
                }
                Ok((Tree::Coalesce(trees), all))
            }
            "NULLIF" => {
                takes(&[2])?;
                let same =
                    self.compared(parsed, (arguments[0], arguments[1]), Ordering::Equal, false, depth)?;
                let (tree, own) = of(0)?;
                Ok((Tree::Case(vec![(same, Tree::literal(Val::Null))], Some(Box::new(tree))), own))
            }
            "COUNT" | "SUM" | "AVG" | "MIN" | "MAX" => wrong(
                parsed,
                format!("{name} is of many records: a computed column and a condition are of one"),
            ),
            _ => {
                let near = nearest(&name, functions::NAMES);
                let meant = near.map_or(String::new(), |near| format!("; is {near} meant?"));
                let why =
                    format!("there is no function {name}{meant}; there are {}", functions::NAMES.join(", "));
                wrong(parsed, why)
            }
        }
    }
}

/// The type that two values of one function have.
fn common(parsed: &Expr, all: Type, own: Type, by: &str) -> Result<Type> {
    match (all, own) {
        (Type::Null, own) => Ok(own),
        (all, Type::Null) => Ok(all),
        (all, own) if all == own => Ok(all),
        (all, own) => {
            let why = format!("{by} gives {} in one place and {} in another", all.word(), own.word());
            wrong(parsed, why)
        }
    }
}

fn negate(tree: Tree, negated: bool) -> Tree {
    if negated { Tree::unary(Unary::Not, tree) } else { tree }
}

/// Whether one of several holds.
fn any_of(mut trees: Vec<Tree>) -> Tree {
    match trees.len() {
        0 => Tree::literal(Val::Boolean(false)),
        1 => trees.remove(0),
        count => {
            let rest = trees.split_off(count / 2);
            Tree::Both(Box::new(any_of(trees)), Box::new(any_of(rest)), false)
        }
    }
}
