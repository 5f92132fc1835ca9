//! Expressions: conditions and computed values in the Common Expression Language (CEL), checked before they run.
//!
//! Decides what an expression may name (an artefact's own properties and the fields of its kind), whether its
//! types go together, and what it is for one artefact. Text is parsed and evaluated by the crate `cel`; names and
//! types are checked here, with the place of each fault. A field that holds nothing is the default of its type, as
//! in the language's definition ("Field Selection"): an empty text, an empty list; numbers, times and yes/no have
//! no default that would say nothing, so they are `null`.

mod check;
mod functions;
mod names;
mod types;
mod values;

use std::collections::BTreeSet;

use cel::common::ast::{Expr, IdedExpr, SelectExpr, SourceInfo};
use serde::{Deserialize, Serialize};

pub(crate) use functions::is_under;
pub use functions::{Function, functions};
pub use names::{Name, names_field, names_now, own_names, reach};
pub(crate) use names::{OWN, quoted};
pub use types::Type;
pub(crate) use types::type_of;
pub use values::{Moment, Seen};
pub(crate) use values::{field_value, is_held, number, own_value, texts, time};

use crate::catalogue::KindSchema;

/// The longest text of an expression, in bytes.
pub const LONGEST: usize = 4_000;
/// How deep operators and calls may stand in one another: what is deeper is no expression that a person wrote, and
/// could not be evaluated on a small stack.
const DEEPEST: usize = 200;

/// One thing that is wrong with an expression, and where: characters from 0, the last one not included.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ExpressionFault {
    /// Where it begins, in characters from 0.
    pub from: u32,
    /// Where it ends, in characters from 0.
    pub to: u32,
    /// What is wrong, in words.
    pub message: String,
}

/// An expression that can be evaluated for every artefact of a kind.
#[derive(Debug)]
pub struct Expression {
    tree: IdedExpr,
    /// What it is.
    pub is: Type,
    /// Whether it asks for the time of reading.
    pub asks_time: bool,
    /// Fields of the kind that it asks for.
    fields: BTreeSet<String>,
    /// Whether it asks for what every artefact has, or for the time.
    asks_own: bool,
}

impl Expression {
    /// The field of the kind that it asks for, if that is all that it asks for: what it is follows from that alone.
    pub fn only_field(&self) -> Option<&str> {
        let mut fields = self.fields.iter();
        let only = fields.next().filter(|_| !self.asks_own);
        only.filter(|_| fields.next().is_none()).map(String::as_str)
    }
}

/// Reads and checks an expression over the artefacts of a kind.
///
/// # Errors
/// All faults with their places: what can't be read, unknown names, types that don't go together, too long, too
/// deep.
pub fn compile(text: &str, kind: &KindSchema) -> Result<Expression, Vec<ExpressionFault>> {
    with_room(|| {
        let (mut tree, source) = parse(text)?;
        let found = check::check(&tree, &source, kind)?;
        ask_presence(&mut tree);
        Ok(Expression {
            tree,
            is: found.is,
            asks_time: found.asks_time,
            fields: found.fields,
            asks_own: found.asks_own,
        })
    })
}

/// The tree of an expression, without looking at names and types.
pub(crate) fn tree_of(text: &str) -> Result<IdedExpr, Vec<ExpressionFault>> {
    with_room(|| parse(text).map(|(tree, _)| tree))
}

/// The parser takes some kilobytes of stack for each bracket, and has no more room than a thread of the server.
fn with_room<T>(work: impl FnOnce() -> T) -> T {
    stacker::grow(32 << 20, work)
}

fn parse(text: &str) -> Result<(IdedExpr, SourceInfo), Vec<ExpressionFault>> {
    let length = text.chars().count() as u32;
    let whole = |message: String| vec![ExpressionFault { from: 0, to: length, message }];
    if text.len() > LONGEST {
        return Err(whole(format!("an expression may have {LONGEST} bytes, this one has {}", text.len())));
    }
    if text.trim().is_empty() {
        return Err(whole("there is no expression yet".into()));
    }
    let parser = functions::environment().parser().enable_optional_syntax(false).enable_ident_escape_syntax(true);
    match parser.parse_with_source_info(text) {
        Ok((tree, _)) if depth(&tree) > DEEPEST => {
            Err(whole(format!("operators and brackets may stand in one another {DEEPEST} times, not more")))
        }
        Ok(found) => Ok(found),
        Err(errors) if errors.errors.iter().any(|e| e.msg.contains("Recursion limit")) => {
            Err(whole("brackets stand in one another too often".into()))
        }
        Err(errors) => Err(errors.errors.iter().map(|e| unreadable(text, e.pos, &e.msg)).collect()),
    }
}

/// The place and the reason of what the parser could not read.
fn unreadable(text: &str, (line, column): (isize, isize), said: &str) -> ExpressionFault {
    let length = text.chars().count();
    let before = text.split_inclusive('\n').take(line.max(1) as usize - 1).map(|l| l.chars().count()).sum::<usize>();
    let from = (before + column.max(1) as usize - 1).min(length);
    let said = said.strip_prefix("Syntax error: ").unwrap_or(said);
    let message = match said {
        _ if from == length && length > 0 => "it ends too soon: something is still to come here".to_owned(),
        _ if said.starts_with("token recognition error") => {
            let rest = text.chars().skip(from).collect::<String>();
            match rest.chars().next() {
                Some('\'' | '"') => "this text has no closing quote".to_owned(),
                Some('=') => "to compare, write == (two signs)".to_owned(),
                Some(c) => format!("“{c}” has no meaning here"),
                None => "it ends too soon".to_owned(),
            }
        }
        _ if said.starts_with("extraneous input") || said.starts_with("mismatched input") => {
            "this is not expected here; is an operator or a bracket missing before it?".to_owned()
        }
        said => said.to_owned(),
    };
    ExpressionFault { from: from as u32, to: (from + 1).min(length).max(from) as u32, message }
}

/// Levels of a tree; comprehensions that macros became count as one.
fn depth(tree: &IdedExpr) -> usize {
    let mut deepest = 0;
    let mut open: Vec<(&IdedExpr, usize)> = vec![(tree, 1)];
    while let Some((at, level)) = open.pop() {
        deepest = deepest.max(level);
        children(&at.expr).into_iter().for_each(|child| open.push((child, level + 1)));
    }
    deepest
}

fn children(expr: &Expr) -> Vec<&IdedExpr> {
    match expr {
        Expr::Call(call) => call.target.iter().map(|t| &**t).chain(&call.args).collect(),
        Expr::List(list) => list.elements.iter().collect(),
        Expr::Select(select) => vec![&select.operand],
        Expr::Comprehension(c) => vec![&c.iter_range, &c.accu_init, &c.loop_cond, &c.loop_step, &c.result],
        Expr::Map(map) => map
            .entries
            .iter()
            .flat_map(|e| match &e.expr {
                cel::common::ast::EntryExpr::MapEntry(e) => vec![&e.key, &e.value],
                cel::common::ast::EntryExpr::StructField(f) => vec![&f.value],
            })
            .collect(),
        Expr::Struct(_) | Expr::Ident(_) | Expr::Literal(_) | Expr::Unspecified => Vec::new(),
    }
}

/// The variable that says which fields hold something; no expression can name it.
const HELD: &str = "@held";

/// Makes `has(fields.x)` ask whether the field holds something: a field is always there, with a default.
fn ask_presence(tree: &mut IdedExpr) {
    if let Expr::Select(select) = &mut tree.expr
        && select.test
        && matches!(&select.operand.expr, Expr::Ident(name) if name == names::FIELDS)
    {
        let operand = Box::new(IdedExpr { id: select.operand.id, expr: Expr::Ident(HELD.to_owned()) });
        tree.expr = Expr::Select(SelectExpr { operand, field: std::mem::take(&mut select.field), test: false });
        return;
    }
    match &mut tree.expr {
        Expr::Call(call) => {
            call.target.iter_mut().for_each(|t| ask_presence(t));
            call.args.iter_mut().for_each(ask_presence);
        }
        Expr::List(list) => list.elements.iter_mut().for_each(ask_presence),
        Expr::Select(select) => ask_presence(&mut select.operand),
        Expr::Comprehension(c) => {
            [&mut c.iter_range, &mut c.accu_init, &mut c.loop_cond, &mut c.loop_step, &mut c.result]
                .into_iter()
                .for_each(ask_presence);
        }
        Expr::Map(map) => {
            for entry in &mut map.entries {
                if let cel::common::ast::EntryExpr::MapEntry(e) = &mut entry.expr {
                    ask_presence(&mut e.key);
                    ask_presence(&mut e.value);
                }
            }
        }
        Expr::Struct(_) | Expr::Ident(_) | Expr::Literal(_) | Expr::Unspecified => {}
    }
}
