//! Evaluating an expression for one artefact.

use std::collections::HashMap;

use cel::common::value::{CowVal, Val};
use cel::context::VariableResolver;
use cel::{Context, Value as Cel};
use chrono::{DateTime, FixedOffset, NaiveTime};

use super::functions::environment;
use super::names::{FIELDS, NOW, OWN};
use super::types::{Type, type_of};
use super::{Expression, HELD};
use crate::catalogue::KindSchema;
use crate::model::{Artefact, Comment, Decimal, Link, Reference, Span, Stamp, Value};

/// The time that `now` stands for: when the ends were read, so that one reading has one answer.
pub type Moment = DateTime<FixedOffset>;

/// What an expression looks at.
pub struct Seen<'a> {
    /// The artefact that is asked about.
    pub artefact: &'a Artefact,
    /// Titles of the folders above, outermost first.
    pub path: &'a [String],
    /// What its kind can hold.
    pub kind: &'a KindSchema,
    /// What “now” is.
    pub now: Moment,
}

impl Expression {
    /// Whether it holds for an artefact. What can't be told, since a number or time is missing, does not hold.
    pub fn holds(&self, seen: &Seen<'_>) -> bool {
        matches!(self.evaluate(seen), Ok(Cel::Bool(true)))
    }

    /// What it is for an artefact, as a value.
    ///
    /// # Errors
    /// Why there is none, in words: a text that is no number, a place that a list does not have.
    pub fn value(&self, seen: &Seen<'_>) -> Result<Value, String> {
        self.evaluate(seen).and_then(|found| to_value(&found))
    }

    fn evaluate(&self, seen: &Seen<'_>) -> Result<Cel, String> {
        let scope = Scope { expression: self, seen };
        let mut context = Context::with_env(environment().clone());
        context.set_variable_resolver(&scope);
        Cel::resolve(&self.tree, &context).map_err(|e| e.to_string())
    }
}

struct Scope<'a> {
    expression: &'a Expression,
    seen: &'a Seen<'a>,
}

impl VariableResolver for Scope<'_> {
    fn resolve<'b>(&'b self, variable: &str) -> Option<CowVal<'b, 'b>> {
        let value = match variable {
            FIELDS => self.each(from_value),
            HELD => self.each(|value, is| Cel::Bool(is_held(value, is))),
            name if name == NOW.0 => Cel::Timestamp(self.seen.now),
            name => {
                let (_, _, is) = OWN.iter().find(|(n, _, _)| *n == name)?;
                from_value(Some(&own_value(self.seen, name)), is)
            }
        };
        let value: Box<dyn Val> = value.try_into().ok()?;
        Some(CowVal::Owned(value))
    }
}

impl Scope<'_> {
    /// A map of the fields that the expression asks for, each made of its value and its type.
    fn each(&self, of: impl Fn(Option<&Value>, &Type) -> Cel) -> Cel {
        let one = |id: &String| {
            let is = self.seen.kind.field(id).map_or(Type::Text, |f| type_of(f.value_type));
            (id.clone(), of(field_value(self.seen.artefact, id).as_deref(), &is))
        };
        Cel::from(self.expression.fields.iter().map(one).collect::<HashMap<String, Cel>>())
    }
}

/// A property that every artefact has, by its name in expressions: see [`OWN`].
pub(crate) fn own_value(seen: &Seen<'_>, name: &str) -> Value {
    let a = seen.artefact;
    let at = |stamp: &Option<Stamp>| stamp.as_ref().and_then(|s| s.at).map_or(Value::Empty, Value::Instant);
    let by = |stamp: &Option<Stamp>| stamp.as_ref().and_then(|s| s.by.clone()).map_or(Value::Empty, Value::Text);
    match name {
        "folder" => Value::Text(seen.path.join(" / ")),
        "key" => Value::Text(a.key.clone()),
        "title" => Value::Text(a.title.clone()),
        "modified" => at(&a.modified),
        "modified_by" => by(&a.modified),
        "created" => at(&a.created),
        "created_by" => by(&a.created),
        _ => a.url.clone().map_or(Value::Empty, Value::Text),
    }
}

/// The value of a field; files, links, comments and history have fields of their own names.
pub(crate) fn field_value<'a>(artefact: &'a Artefact, id: &str) -> Option<std::borrow::Cow<'a, Value>> {
    use std::borrow::Cow;
    Some(match id {
        crate::model::ATTACHMENTS => Cow::Owned(Value::Attachments(artefact.attachments.clone())),
        crate::model::LINKS => Cow::Owned(Value::Links(artefact.links.clone())),
        crate::model::COMMENTS => Cow::Owned(Value::Comments(artefact.comments.clone())),
        crate::model::HISTORY => Cow::Owned(Value::History(artefact.history.clone())),
        id => Cow::Borrowed(artefact.fields.get(id)?),
    })
}

/// The texts of a value that is a list; none if it is not one.
pub(crate) fn texts(value: &Value) -> Option<Vec<String>> {
    Some(match value {
        Value::ChoiceList(l) | Value::UserList(l) => l.clone(),
        Value::References(list) => list.iter().map(|r| Reference::id(r).to_owned()).collect(),
        Value::Links(list) => list.iter().map(Link::display).collect(),
        Value::Attachments(list) => list.iter().map(|f| f.name.clone()).collect(),
        Value::Comments(list) => list.iter().map(Comment::display).collect(),
        Value::History(list) => list.iter().map(crate::model::HistoryEntry::display).collect(),
        _ => return None,
    })
}

/// The time that a value says, if it is one.
pub(crate) fn time(value: &Value) -> Option<Moment> {
    match value {
        Value::Instant(at) => Some(*at),
        // A day without a place begins at midnight in Greenwich.
        Value::Date(day) => Some(day.and_time(NaiveTime::MIN).and_utc().fixed_offset()),
        _ => None,
    }
}

/// The number that a value says, if it is one.
pub(crate) fn number(value: &Value) -> Option<f64> {
    match value {
        Value::Integer(n) => Some(*n as f64),
        Value::Decimal(d) => d.as_str().parse().ok(),
        _ => None,
    }
}

/// Whether a field of a type holds something: anything but the default that stands for nothing.
pub(crate) fn is_held(value: Option<&Value>, is: &Type) -> bool {
    match from_value(value, is) {
        Cel::Null => false,
        Cel::String(s) => !s.is_empty(),
        Cel::List(l) => !l.is_empty(),
        _ => true,
    }
}

fn from_value(value: Option<&Value>, is: &Type) -> Cel {
    let value = value.unwrap_or(&Value::Empty);
    match is {
        Type::Int | Type::Double => match value {
            Value::Integer(n) => Cel::Int(*n),
            other => number(other).map_or(Cel::Null, Cel::Float),
        },
        Type::Bool => match value {
            Value::Boolean(b) => Cel::Bool(*b),
            _ => Cel::Null,
        },
        Type::Time => time(value).map_or(Cel::Null, Cel::Timestamp),
        Type::Duration => match value {
            Value::Duration(span) => Cel::Duration(chrono::TimeDelta::nanoseconds(span.nanoseconds())),
            _ => Cel::Null,
        },
        Type::List(_) => Cel::from(texts(value).unwrap_or_default()),
        _ => Cel::from(value.display()),
    }
}

fn to_value(found: &Cel) -> Result<Value, String> {
    Ok(match found {
        Cel::Null => Value::Empty,
        Cel::Bool(b) => Value::Boolean(*b),
        Cel::Int(n) => Value::Integer(*n),
        Cel::UInt(n) => i64::try_from(*n).map(Value::Integer).map_err(|_| format!("{n} is too large"))?,
        Cel::Float(n) if n.is_finite() => Value::Decimal(Decimal::parse(&n.to_string()).map_err(|e| e.to_string())?),
        Cel::Float(_) => return Err("the result is no number".into()),
        Cel::String(s) => Value::Text(s.to_string()).settled(),
        Cel::Timestamp(at) => Value::Instant(*at),
        Cel::Duration(d) => match d.num_nanoseconds() {
            Some(n) => Value::Duration(Span::of_nanoseconds(n)),
            None => return Err("the result is longer than can be kept".into()),
        },
        Cel::List(list) => {
            let texts = list.iter().map(|item| match to_value(item)? {
                Value::Empty => Ok(String::new()),
                other => Ok(other.display()),
            });
            let texts = texts.collect::<Result<Vec<_>, String>>()?;
            Value::ChoiceList(texts.into_iter().filter(|t| !t.is_empty()).collect()).settled()
        }
        _ => return Err("the result is nothing that a field can hold".into()),
    })
}
