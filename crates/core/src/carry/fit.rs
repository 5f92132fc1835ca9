//! A converted value as the target will hold it.
//!
//! Decides which types go into which, and what stands in the way: lengths, allowed values, states that can't be
//! reached, what is required and holds nothing.

use super::comments::{comments, history};
use super::context::Context;
use super::fault::FaultReason;
use super::files::files;
use super::links::links;
use super::ready::Ready;
use super::references::{parent, place_of, references};
use super::steps::{checklist, steps};
use super::tables::table;
use super::texts::{length_in, plain_text, rich, says_nothing, trimmed};
use crate::catalogue::FieldSchema;
use crate::loss::Loss;
use crate::model::{Artefact, Decimal, Document, Slot, Value, ValueType};
use crate::rules::{Fill, Source};
use crate::text::{TextFormat, carry};

/// Makes the value one of the target's slot, as the target will hold it.
pub(super) fn fit(
    value: Value,
    ready: &Ready<'_>,
    artefact: &Artefact,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    let fill = ready.fill;
    if fill.target == Slot::Folder {
        return parent(value, fill, cx);
    }
    let field = ready.field.ok_or_else(|| FaultReason::NoSuchTarget { field: fill.target.clone() })?;
    match &fill.target {
        Slot::Files => Ok(files(value, field, fill, artefact.url.as_deref(), losses)),
        Slot::Links => Ok(links(value, field, fill, cx.places, losses)),
        Slot::Comments => Ok(comments(value, field, fill, cx, losses)),
        Slot::History => Ok(history(value, cx)),
        _ if value.is_blank() && field.required => Err(FaultReason::RequiredEmpty),
        _ if value.is_blank() => Ok(Value::Empty),
        _ => {
            let out = trimmed(of_type(value, field, fill, cx, losses)?, field, fill, losses);
            refused(&out, field, ready).map_or(Ok(out), Err)
        }
    }
}

/// A value as one of the field's type.
fn of_type(
    value: Value,
    field: &FieldSchema,
    fill: &Fill,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    let mismatch = |from: &Value| FaultReason::WrongType { value: from.display(), wanted: field.value_type };
    Ok(match (field.value_type, value) {
        (ValueType::Text, Value::RichText(d)) => plain_text(&d, fill, losses),
        (ValueType::Text, Value::Steps(s)) => return Err(mismatch(&Value::Steps(s))),
        (ValueType::Text, Value::Text(t)) => Value::Text(t),
        (ValueType::Text, Value::ChoiceList(path)) if fill.source == Source::FolderPath => {
            Value::Text(path.join(" / "))
        }
        (ValueType::Text, other) => Value::Text(other.display()),
        (ValueType::RichText, Value::Text(t)) => rich(&Document::from_text(&t), field, fill, losses),
        (ValueType::RichText, Value::RichText(d)) => rich(&d, field, fill, losses),
        (ValueType::RichText, Value::Steps(s)) => checklist(&s, field, fill, cx, losses),
        (ValueType::Steps, Value::Steps(s)) => Value::Steps(steps(s, field, fill, cx, losses)),
        (ValueType::Reference, Value::Reference(r)) => match place_of(&r, fill, cx) {
            Some(place) => Value::Reference(place),
            None => return Err(FaultReason::NotCarried { what: r.id().to_owned() }),
        },
        (ValueType::References, Value::References(list)) => references(&list, fill, cx, losses),
        (ValueType::Choice, Value::Choice(v) | Value::Text(v)) => Value::Choice(v),
        (ValueType::ChoiceList, Value::ChoiceList(l)) => Value::ChoiceList(l),
        (ValueType::ChoiceList, Value::Choice(v) | Value::Text(v)) => Value::ChoiceList(vec![v]),
        (ValueType::User, Value::User(u)) => Value::User(u),
        (ValueType::UserList, Value::UserList(u)) => Value::UserList(u),
        (ValueType::UserList, Value::User(u)) => Value::UserList(vec![u]),
        (ValueType::Integer, v @ Value::Integer(_)) => v,
        (ValueType::Integer, Value::Text(t)) => match t.trim().parse() {
            Ok(i) => Value::Integer(i),
            Err(_) => return Err(mismatch(&Value::Text(t))),
        },
        (ValueType::Decimal, v @ Value::Decimal(_)) => v,
        (ValueType::Decimal, Value::Text(t)) => {
            Value::Decimal(Decimal::parse(t.trim()).map_err(|_| mismatch(&Value::Text(t)))?)
        }
        (ValueType::Decimal, Value::Integer(i)) => {
            Value::Decimal(Decimal::parse(&i.to_string()).map_err(|_| mismatch(&Value::Integer(i)))?)
        }
        (ValueType::Boolean, v @ Value::Boolean(_)) => v,
        (ValueType::Date, v @ Value::Date(_)) => v,
        (ValueType::Instant, v @ Value::Instant(_)) => v,
        (ValueType::Duration, v @ Value::Duration(_)) => v,
        (ValueType::Url, v @ Value::Url(_)) => v,
        (ValueType::Url, Value::Text(t)) if t.contains("://") => Value::Url(t),
        (ValueType::Table, Value::Table(rows)) => Value::Table(table(rows, field, fill, losses)).settled(),
        (_, other) => return Err(mismatch(&other)),
    })
}

impl Ready<'_> {
    /// Why the end does not take a value that is one of its own.
    pub(super) fn refusal(&self, value: &Value) -> Option<FaultReason> {
        refused(value, self.field?, self)
    }

    /// Whether the end keeps every formatted text of a value that is one of its own as it is.
    pub(super) fn keeps(&self, value: &Value) -> bool {
        let format = self.field.and_then(|field| field.format).unwrap_or(TextFormat::Plain);
        !value.any_document(&mut |document| carry(document, format).held != *document)
    }
}

/// Why the field does not take a value of its type.
fn refused(value: &Value, field: &FieldSchema, ready: &Ready<'_>) -> Option<FaultReason> {
    if let (Some(limit), Some(length)) = (field.max_length, length_in(value, field.format))
        && length > limit as usize
    {
        return Some(FaultReason::TooLong { length: length as u32, limit });
    }
    if let Some(allowed) = &ready.allowed {
        let given: &[String] = match value {
            Value::Choice(v) => std::slice::from_ref(v),
            Value::ChoiceList(l) => l,
            _ => &[],
        };
        if let Some(bad) = given.iter().find(|v| !allowed.contains(v.as_str())) {
            return Some(FaultReason::NotAllowed { value: bad.clone() });
        }
    }
    if let (Some(workflow), Value::Choice(state)) = (&field.workflow, value)
        && workflow.way(&workflow.first, state).is_none()
    {
        return Some(FaultReason::NoWay { from: workflow.first.clone(), to: state.clone() });
    }
    // A text that turns out blank (only spaces or control characters, say) must not clear a required field.
    if field.required && says_nothing(value) {
        return Some(FaultReason::RequiredEmpty);
    }
    None
}
