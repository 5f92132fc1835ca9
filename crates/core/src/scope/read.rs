//! An expression as a tree of conditions.
//!
//! Decides what of it a row can say: the text is taken apart at `&&` and `||`, and a part becomes a row if writing
//! that row gives the same expression. What no row says stays an expression, word for word.

use cel::common::ast::{CallExpr, Expr, IdedExpr, LiteralValue, operators};

use super::row::{Test, clock, day_or_time, places};
use super::{Condition, ConditionRow, Operator, compiled};
use crate::catalogue::KindSchema;
use crate::expression::{ExpressionFault, reach, tree_of};

/// Reads an expression as conditions. Always a group at the outside, so that rows can be added to it.
///
/// # Errors
/// What is wrong with the expression, and where.
pub fn read(text: &str, kind: &KindSchema) -> Result<Condition, Vec<ExpressionFault>> {
    if text.trim().is_empty() {
        return Ok(Condition::default());
    }
    compiled(text, kind)?;
    Ok(match part(text, kind).plain() {
        group @ (Condition::All(_) | Condition::Any(_)) => group,
        other => Condition::All(vec![other]),
    })
}

fn part(text: &str, kind: &KindSchema) -> Condition {
    let text = without_brackets(text.trim());
    let each = |sign| match split(text, sign) {
        Some(parts) if parts.len() > 1 => Some(parts.into_iter().map(|p| part(p, kind)).collect::<Vec<_>>()),
        _ => None,
    };
    if let Some(list) = each("||") {
        return Condition::Any(list);
    }
    if let Some(list) = each("&&") {
        return Condition::All(list);
    }
    match text {
        "true" => Condition::All(Vec::new()),
        "false" => Condition::Any(Vec::new()),
        _ => row(text, kind).map_or_else(|| Condition::Expression(text.to_owned()), Condition::Row),
    }
}

/// The row that says what an expression says.
fn row(text: &str, kind: &KindSchema) -> Option<ConditionRow> {
    let tree = tree_of(text).ok()?;
    let found = guess(&tree, kind)?;
    let again = tree_of(&Test::of(&found, kind).ok()?.write()).ok()?;
    (again == tree).then_some(found)
}

/// A row that may say what a tree says; [`row`] makes sure.
fn guess(tree: &IdedExpr, kind: &KindSchema) -> Option<ConditionRow> {
    use Operator::*;
    let Expr::Call(call) = &tree.expr else {
        return match &tree.expr {
            Expr::Select(select) if select.test => {
                let operand = &select.operand.expr;
                matches!(operand, Expr::Ident(name) if name == "fields")
                    .then(|| made(select.field.clone(), IsNotEmpty, Given::default()))
            }
            Expr::Comprehension(c) => {
                let field = place(&c.iter_range, kind)?;
                // `exists` gathers by “or”.
                let Expr::Call(step) = &c.loop_step.expr else { return None };
                let [_, asked] = step.args.as_slice() else { return None };
                let Expr::Call(asked) = &asked.expr else { return None };
                let (op, given) = match asked.func_name.as_str() {
                    operators::IN => (OneOf, given(asked.args.get(1)?)?),
                    _ => folded(asked)?,
                };
                Some(made(field, op, given))
            }
            _ => None,
        };
    };
    if call.func_name == operators::LOGICAL_NOT {
        let inner = guess(call.args.first()?, kind)?;
        let op = match inner.op {
            Is => IsNot,
            OneOf => NoneOf,
            Contains => ContainsNot,
            Under => NotUnder,
            IsNotEmpty => IsEmpty,
            _ => return None,
        };
        return Some(ConditionRow { op, ..inner });
    }
    if let Some((op, given)) = folded(call) {
        return Some(made(place(folded_of(call)?, kind)?, op, given));
    }
    let [left, right] = call.args.as_slice() else { return None };
    let name = call.func_name.as_str();
    if name == "under" {
        return Some(made(place(left, kind)?, Under, given(right)?));
    }
    if name == operators::IN {
        return Some(match place(left, kind) {
            Some(field) => made(field, OneOf, given(right)?),
            None => made(place(right, kind)?, Is, given(left)?),
        });
    }
    let equal = match name {
        operators::EQUALS => Some(true),
        operators::NOT_EQUALS => Some(false),
        _ => None,
    };
    if let Some(equal) = equal {
        let empty = if equal { IsEmpty } else { IsNotEmpty };
        if let Expr::Call(size) = &left.expr
            && size.func_name == "size"
        {
            return Some(made(place(size.args.first()?, kind)?, empty, Given::default()));
        }
        let field = place(left, kind)?;
        let own = field.starts_with('@') || reach(&field).ends_with(']');
        return Some(match &right.expr {
            Expr::Literal(LiteralValue::Null) => made(field, empty, Given::default()),
            Expr::Literal(LiteralValue::String(s)) if s.inner().is_empty() && own => {
                made(field, empty, Given::default())
            }
            _ => made(field, if equal { Is } else { IsNot }, given(right)?),
        });
    }
    let field = place(left, kind)?;
    let ago = matches!(&right.expr, Expr::Call(c) if c.func_name == operators::SUBSTRACT);
    let op = match name {
        operators::GREATER_EQUALS if ago => WithinDays,
        operators::LESS if ago => OlderThanDays,
        operators::GREATER_EQUALS => AtLeast,
        operators::LESS_EQUALS => AtMost,
        operators::LESS => Before,
        _ => return None,
    };
    Some(made(field, op, given(right)?))
}

/// The value or values of a row.
#[derive(Default)]
struct Given {
    value: String,
    values: Vec<String>,
}

fn made(field: String, op: Operator, given: Given) -> ConditionRow {
    ConditionRow { field, op, value: given.value, values: given.values }
}

/// `fold(x).contains(fold("…"))` and the like.
fn folded(call: &CallExpr) -> Option<(Operator, Given)> {
    let op = match call.func_name.as_str() {
        "contains" => Operator::Contains,
        "startsWith" => Operator::StartsWith,
        _ => return None,
    };
    let Expr::Call(wanted) = &call.args.first()?.expr else { return None };
    Some((op, given(wanted.args.first()?)?))
}

fn folded_of(call: &CallExpr) -> Option<&IdedExpr> {
    let Expr::Call(fold) = &call.target.as_ref()?.expr else { return None };
    fold.args.first()
}

/// The field of a row that a part of an expression names.
fn place(at: &IdedExpr, kind: &KindSchema) -> Option<String> {
    match &at.expr {
        Expr::Ident(name) => {
            let own = format!("@{name}");
            places(kind).into_iter().find(|p| p.field == own).map(|p| p.field)
        }
        Expr::Select(select) if !select.test => {
            matches!(&select.operand.expr, Expr::Ident(name) if name == "fields").then(|| select.field.clone())
        }
        Expr::Call(call) if call.func_name == operators::INDEX => match &call.args.get(1)?.expr {
            Expr::Literal(LiteralValue::String(id)) => Some(id.inner().to_owned()),
            _ => None,
        },
        _ => None,
    }
}

/// What a row would be given to compare with.
fn given(at: &IdedExpr) -> Option<Given> {
    let one = |value: String| Some(Given { value, values: Vec::new() });
    match &at.expr {
        Expr::List(list) => {
            let values = list.elements.iter().map(literal).collect::<Option<Vec<_>>>()?;
            Some(Given { value: String::new(), values })
        }
        Expr::Call(call) if call.func_name == "timestamp" => one(day_or_time(&literal(call.args.first()?)?).to_owned()),
        Expr::Call(call) if call.func_name == "duration" => {
            let text = literal(call.args.first()?)?;
            one(clock(text.strip_suffix('s')?.parse().ok()?))
        }
        Expr::Call(call) if call.func_name == operators::SUBSTRACT => {
            let Expr::Call(duration) = &call.args.get(1)?.expr else { return None };
            let hours: u64 = literal(duration.args.first()?)?.strip_suffix('h')?.parse().ok()?;
            one((hours / 24).to_string())
        }
        _ => one(literal(at)?),
    }
}

fn literal(at: &IdedExpr) -> Option<String> {
    match &at.expr {
        Expr::Literal(LiteralValue::String(s)) => Some(s.inner().to_owned()),
        Expr::Literal(LiteralValue::Int(n)) => Some(n.inner().to_string()),
        Expr::Literal(LiteralValue::Double(n)) => Some(n.inner().to_string()),
        Expr::Literal(LiteralValue::Boolean(b)) => Some(if *b.inner() { "yes" } else { "no" }.to_owned()),
        Expr::Call(call) if call.func_name == operators::NEGATE => literal(call.args.first()?).map(|n| format!("-{n}")),
        _ => None,
    }
}

/// The text without brackets around all of it.
fn without_brackets(text: &str) -> &str {
    let Some(inner) = text.strip_prefix('(').and_then(|t| t.strip_suffix(')')) else { return text };
    // The first bracket must be closed by the last one, and not before.
    let mut open = 0i32;
    let closed_early = signs(inner).any(|(_, c)| {
        open += i32::from(c == '(') - i32::from(c == ')');
        open < 0
    });
    if closed_early { text } else { without_brackets(inner.trim()) }
}

/// The parts between signs that stand in no bracket; none where a choice (`? :`) binds weaker than they do.
fn split<'t>(text: &'t str, sign: &str) -> Option<Vec<&'t str>> {
    let (mut parts, mut from, mut open) = (Vec::new(), 0, 0i32);
    let mut skip_to = 0;
    for (n, c) in signs(text) {
        match c {
            '(' | '[' | '{' => open += 1,
            ')' | ']' | '}' => open -= 1,
            '?' if open == 0 => return None,
            _ if open == 0 && n >= skip_to && text[n..].starts_with(sign) => {
                parts.push(&text[from..n]);
                from = n + sign.len();
                skip_to = from;
            }
            _ => {}
        }
    }
    parts.push(&text[from..]);
    Some(parts)
}

/// The characters of an expression that are in no text, no escaped name and no comment.
fn signs(text: &str) -> impl Iterator<Item = (usize, char)> {
    let mut rest = text.char_indices().peekable();
    std::iter::from_fn(move || {
        loop {
            let (n, c) = rest.next()?;
            match c {
                '"' | '\'' => {
                    // A text with r before it knows no escapes (“Syntax”: raw strings).
                    let raw = text[..n].ends_with(['r', 'R']);
                    let three = text[n..].starts_with(&c.to_string().repeat(3));
                    let quote: String = c.to_string().repeat(if three { 3 } else { 1 });
                    let mut at = n + quote.len();
                    while at < text.len() && !text[at..].starts_with(&quote) {
                        let step = |at: usize| text[at..].chars().next().map_or(1, char::len_utf8);
                        if !raw && text[at..].starts_with('\\') {
                            at += 1;
                        }
                        at += step(at.min(text.len()));
                    }
                    while rest.next_if(|(m, _)| *m < at + quote.len()).is_some() {}
                }
                '`' => while rest.next().is_some_and(|(_, c)| c != '`') {},
                '/' if text[n..].starts_with("//") => while rest.next().is_some_and(|(_, c)| c != '\n') {},
                c => return Some((n, c)),
            }
        }
    })
}
