//! Names and types of an expression, before it runs.
//!
//! Decides which name or operator is wrong and where. What the standard macros became is read as what it is: a loop
//! over a list. Rules of types are those of the language's definition ("Gradual Type Checking"): what comes out of
//! `dyn()` is taken for anything.

use std::collections::BTreeSet;

use cel::common::ast::{CallExpr, ComprehensionExpr, Expr, IdedExpr, LiteralValue, SourceInfo, operators};
use strsim::jaro_winkler;

use super::ExpressionFault;
use super::functions::signatures;
use super::names::{FIELDS, NOW, OWN, reach};
use super::types::{Type, type_of};
use crate::catalogue::KindSchema;

/// What was found out of an expression.
pub(super) struct Found {
    pub is: Type,
    pub fields: BTreeSet<String>,
    /// Whether it asks for what every artefact has, or for the time.
    pub asks_own: bool,
    pub asks_time: bool,
}

/// The type of an expression and what it asks for.
///
/// # Errors
/// Every name and type that is wrong.
pub(super) fn check(tree: &IdedExpr, source: &SourceInfo, kind: &KindSchema) -> Result<Found, Vec<ExpressionFault>> {
    let (bound, fields, faults) = (Vec::new(), BTreeSet::new(), Vec::new());
    let mut checker = Checker { source, kind, bound, fields, asks_own: false, asks_time: false, faults };
    let is = checker.infer(tree);
    checker.faults.sort_by_key(|f| f.from);
    checker.faults.dedup();
    match checker.faults.is_empty() {
        true => {
            let Checker { fields, asks_own, asks_time, .. } = checker;
            Ok(Found { is, fields, asks_own, asks_time })
        }
        false => Err(checker.faults),
    }
}

struct Checker<'a> {
    source: &'a SourceInfo,
    kind: &'a KindSchema,
    /// Names that macros bound, innermost last.
    bound: Vec<(String, Type)>,
    fields: BTreeSet<String>,
    asks_own: bool,
    asks_time: bool,
    faults: Vec<ExpressionFault>,
}

impl Checker<'_> {
    fn fault(&mut self, at: &IdedExpr, message: String) -> Type {
        self.fault_of(at, "", message)
    }

    /// A fault of a word. A node's place is that of the sign that makes it, a dot or a bracket: the word stands
    /// before or behind it. Where macros made the node, there is no place.
    fn fault_of(&mut self, at: &IdedExpr, word: &str, message: String) -> Type {
        let (from, last) = self.source.offset_for(at.id).unwrap_or_default();
        let text = &self.source.source;
        let characters = |bytes: u32| text.char_indices().take_while(|(n, _)| *n < bytes as usize).count() as u32;
        let (from, last) = (characters(from), characters(last));
        let length = word.chars().count() as u32;
        let is_at = |from: u32| length > 0 && text.chars().skip(from as usize).take(length as usize).eq(word.chars());
        let places = [from.checked_sub(length), Some(from), Some(from + 1), Some(from + 2)];
        let (from, to) = match places.into_iter().flatten().find(|from| is_at(*from)) {
            Some(from) => (from, from + length),
            None => (from, last + 1),
        };
        self.faults.push(ExpressionFault { from, to, message });
        Type::Any
    }

    fn infer(&mut self, at: &IdedExpr) -> Type {
        match &at.expr {
            Expr::Literal(literal) => match literal {
                LiteralValue::Boolean(_) => Type::Bool,
                LiteralValue::Bytes(_) => Type::Bytes,
                LiteralValue::Double(_) => Type::Double,
                LiteralValue::Int(_) => Type::Int,
                LiteralValue::Null => Type::Null,
                LiteralValue::String(_) => Type::Text,
                LiteralValue::UInt(_) => Type::Uint,
            },
            Expr::Ident(name) => self.named(at, name),
            Expr::Select(select) => {
                let is = match &select.operand.expr {
                    Expr::Ident(name) if name == FIELDS && !self.is_bound(FIELDS) => self.field(at, &select.field),
                    _ => match self.infer(&select.operand) {
                        Type::Any | Type::Map => Type::Any,
                        other => {
                            return self.fault_of(at, &select.field, format!("{other} has no part “{}”", select.field));
                        }
                    },
                };
                if select.test { Type::Bool } else { is }
            }
            Expr::List(list) => {
                let of = list.elements.iter().map(|e| self.infer(e)).reduce(Type::or);
                Type::list(of.unwrap_or(Type::Any))
            }
            Expr::Map(map) => {
                for entry in &map.entries {
                    if let cel::common::ast::EntryExpr::MapEntry(e) = &entry.expr {
                        self.infer(&e.key);
                        self.infer(&e.value);
                    }
                }
                Type::Map
            }
            Expr::Struct(s) => self.fault(at, format!("there is no type “{}” to make here", s.type_name)),
            Expr::Comprehension(loop_) => self.repeated(loop_),
            Expr::Call(call) => self.call(at, call),
            Expr::Unspecified => Type::Any,
        }
    }

    fn is_bound(&self, name: &str) -> bool {
        self.bound.iter().any(|(n, _)| n == name)
    }

    fn named(&mut self, at: &IdedExpr, name: &str) -> Type {
        if let Some((_, is)) = self.bound.iter().rev().find(|(n, _)| n == name) {
            return is.clone();
        }
        let own = || OWN.iter().chain([&NOW]);
        if let Some((_, _, is)) = own().find(|(n, _, _)| *n == name) {
            self.asks_own = true;
            self.asks_time |= name == NOW.0;
            return is.clone();
        }
        if name == FIELDS {
            return self.fault(at, "name one of the fields, as in fields.x".into());
        }
        if matches!(name, "bool" | "int" | "uint" | "double" | "string" | "bytes" | "list" | "map" | "type") {
            return Type::Sort;
        }
        // A field that was named without what holds it, or by what people call it.
        let meant = |f: &&crate::catalogue::FieldSchema| f.id == name || f.name.eq_ignore_ascii_case(name);
        if let Some(field) = self.kind.fields.iter().find(meant) {
            let message = format!("there is no “{name}”; the field is {}", reach(&field.id));
            return self.fault(at, message);
        }
        let near = nearest(name, own().map(|(n, _, _)| *n)).map(|n| format!("; did you mean {n}?"));
        self.fault(at, format!("there is no “{name}”{}", near.unwrap_or_default()))
    }

    fn field(&mut self, at: &IdedExpr, id: &str) -> Type {
        if let Some(field) = self.kind.field(id) {
            self.fields.insert(field.id.clone());
            return type_of(field.value_type);
        }
        let fields = &self.kind.fields;
        let called = fields.iter().find(|f| f.name.eq_ignore_ascii_case(id)).map(|f| f.id.as_str());
        let near = called.or_else(|| nearest(id, fields.iter().map(|f| f.id.as_str())));
        let near = near.map(|n| format!("; did you mean {}?", reach(n))).unwrap_or_default();
        self.fault_of(at, id, format!("{} has no field “{id}”{near}", self.kind.name))
    }

    /// What a macro became: a loop that gathers something.
    fn repeated(&mut self, loop_: &ComprehensionExpr) -> Type {
        let range = self.infer(&loop_.iter_range);
        let of = match range {
            Type::List(of) => *of,
            Type::Any | Type::Map => Type::Any,
            other => return self.fault(&loop_.iter_range, format!("{other} is no list")),
        };
        let gathered = self.infer(&loop_.accu_init);
        let before = self.bound.len();
        self.bound.push((loop_.iter_var.clone(), of.clone()));
        if let Some(second) = &loop_.iter_var2 {
            self.bound.push((second.clone(), of));
        }
        self.bound.push((loop_.accu_var.clone(), gathered.clone()));
        self.infer(&loop_.loop_cond);
        // What it becomes with the first item says what it is: an empty list says nothing of its items.
        let became = self.infer(&loop_.loop_step);
        let gathered = match (gathered, became) {
            (Type::List(of), became @ Type::List(_)) if *of == Type::Any => became,
            (gathered, _) => gathered,
        };
        self.bound.truncate(before);
        self.bound.push((loop_.accu_var.clone(), gathered));
        let result = self.infer(&loop_.result);
        self.bound.truncate(before);
        result
    }

    fn call(&mut self, at: &IdedExpr, call: &CallExpr) -> Type {
        if call.func_name == operators::INDEX
            && let [IdedExpr { expr: Expr::Ident(name), .. }, index] = call.args.as_slice()
            && name == FIELDS
            && !self.is_bound(FIELDS)
        {
            return match &index.expr {
                Expr::Literal(LiteralValue::String(id)) => self.field(index, id.inner()),
                _ => self.fault(index, "name the field itself, in quotes".into()),
            };
        }
        // A function's name may have a dot in it.
        if let Some(Expr::Ident(space)) = call.target.as_ref().map(|t| &t.expr)
            && !self.is_bound(space)
        {
            let whole = format!("{space}.{}", call.func_name);
            if signatures(&whole).next().is_some() {
                let given: Vec<Type> = call.args.iter().map(|a| self.infer(a)).collect();
                return self.function(at, &whole, None, &given);
            }
        }
        let on = call.target.as_ref().map(|t| self.infer(t));
        let given: Vec<Type> = call.args.iter().map(|a| self.infer(a)).collect();
        match (on, given.as_slice()) {
            (None, given) if operator_word(&call.func_name).is_some() => self.operator(at, &call.func_name, given),
            (on, given) => self.function(at, &call.func_name, on, given),
        }
    }

    fn operator(&mut self, at: &IdedExpr, name: &str, given: &[Type]) -> Type {
        use Type::*;
        let arithmetic = |a: &Type, b: &Type| match (a, b) {
            (Any, _) | (_, Any) => Some(Any),
            (a, b) if a == b && a.is_number() => Some(a.clone()),
            _ => Option::None,
        };
        let found = match (name, given) {
            (operators::NOT_STRICTLY_FALSE, _) => Some(Bool),
            (operators::LOGICAL_NOT, [a]) => a.fits(&Bool).then_some(Bool),
            (operators::LOGICAL_AND | operators::LOGICAL_OR, list) => {
                list.iter().all(|t| t.fits(&Bool)).then_some(Bool)
            }
            (operators::EQUALS | operators::NOT_EQUALS, [a, b]) => a.comparable(b).then_some(Bool),
            (operators::LESS | operators::LESS_EQUALS | operators::GREATER | operators::GREATER_EQUALS, [a, b]) => {
                let ordered = |t: &Type| t.is_number() || matches!(t, Any | Bool | Text | Bytes | Time | Duration);
                (ordered(a) && ordered(b) && a.comparable(b)).then_some(Bool)
            }
            (operators::IN, [item, of]) => match of {
                Any | Map => Some(Bool),
                List(of) => item.comparable(of).then_some(Bool),
                _ => Option::None,
            },
            (operators::CONDITIONAL, [condition, yes, no]) => condition.fits(&Bool).then(|| yes.clone().or(no.clone())),
            (operators::INDEX, [of, at]) => match of {
                Any | Map => Some(Any),
                List(of) => (at.is_number() || *at == Any).then(|| (**of).clone()),
                _ => Option::None,
            },
            (operators::NEGATE, [a]) => (matches!(a, Any | Duration | Int | Double)).then(|| a.clone()),
            (operators::ADD, [a, b]) => match (a, b) {
                (Text, Text) => Some(Text),
                (Bytes, Bytes) => Some(Bytes),
                (List(x), List(y)) => Some(List(Box::new(match (&**x, &**y) {
                    (Any, known) | (known, Any) => known.clone(),
                    (x, y) => x.clone().or(y.clone()),
                }))),
                (Duration, Duration) => Some(Duration),
                (Time, Duration) | (Duration, Time) => Some(Time),
                (a, b) => arithmetic(a, b),
            },
            (operators::SUBSTRACT, [a, b]) => match (a, b) {
                (Time, Time) | (Duration, Duration) => Some(Duration),
                (Time, Duration) => Some(Time),
                (a, b) => arithmetic(a, b),
            },
            (operators::MULTIPLY | operators::DIVIDE, [a, b]) => arithmetic(a, b),
            (operators::MODULO, [a, b]) => arithmetic(a, b).filter(|t| *t != Double),
            _ => Option::None,
        };
        if let Some(found) = found {
            return found;
        }
        let word = operator_word(name).unwrap_or(name);
        let met: Vec<String> = given.iter().map(ToString::to_string).collect();
        self.fault(at, format!("{word} does not go with {}", met.join(" and ")))
    }

    fn function(&mut self, at: &IdedExpr, name: &str, on: Option<Type>, given: &[Type]) -> Type {
        let fits = |s: &&super::functions::Signature| {
            s.on.is_some() == on.is_some()
                && s.takes.len() == given.len()
                && on.iter().chain(given).zip(s.on.iter().chain(&s.takes)).all(|(met, wanted)| met.fits(wanted))
        };
        if let Some(signature) = signatures(name).find(fits) {
            return signature.gives.clone();
        }
        let placed = |s: &&super::functions::Signature| s.on.is_some() == on.is_some();
        let forms: Vec<String> = signatures(name)
            .filter(placed)
            .map(|s| s.on.iter().chain(&s.takes).map(ToString::to_string).collect::<Vec<_>>().join(", "))
            .collect();
        let message = match (forms.is_empty(), signatures(name).next().is_some()) {
            (false, _) => {
                let met: Vec<String> = on.iter().chain(given).map(ToString::to_string).collect();
                let met = if met.is_empty() { "nothing".to_owned() } else { met.join(", ") };
                format!("{name} takes {}, not {met}", forms.join("; or "))
            }
            (true, true) if on.is_some() => format!("{name} stands before its brackets alone, as in {name}(x)"),
            (true, true) => format!("{name} stands behind a dot, as in x.{name}()"),
            (true, false) => {
                let all = super::functions::functions();
                let near = nearest(name, all.iter().map(|f| f.name.as_str()));
                let near = near.map(|n| format!("; did you mean {n}?")).unwrap_or_default();
                format!("there is no function “{name}”{near}")
            }
        };
        self.fault_of(at, name, message)
    }
}

/// The name that is most like another, if one is alike at all.
fn nearest<'n>(name: &str, known: impl Iterator<Item = &'n str>) -> Option<&'n str> {
    let name = name.to_lowercase();
    let scored = known.map(|k| (jaro_winkler(&name, &k.to_lowercase()), k));
    scored.filter(|(score, _)| *score > 0.8).max_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, k)| k)
}

fn operator_word(name: &str) -> Option<&'static str> {
    Some(match name {
        operators::CONDITIONAL => "? :",
        operators::LOGICAL_AND => "&&",
        operators::LOGICAL_OR => "||",
        operators::LOGICAL_NOT => "!",
        operators::SUBSTRACT | operators::NEGATE => "-",
        operators::ADD => "+",
        operators::MULTIPLY => "*",
        operators::DIVIDE => "/",
        operators::MODULO => "%",
        operators::EQUALS => "==",
        operators::NOT_EQUALS => "!=",
        operators::GREATER_EQUALS => ">=",
        operators::LESS_EQUALS => "<=",
        operators::GREATER => ">",
        operators::LESS => "<",
        operators::INDEX => "[ ]",
        operators::IN => "in",
        operators::NOT_STRICTLY_FALSE => "a condition",
        _ => return None,
    })
}
