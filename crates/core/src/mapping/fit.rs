//! A converted value as the target will hold it.
//!
//! Decides which types go into which, and what stands in the way: lengths, allowed values, states that can't be
//! reached, what is required and holds nothing.

use super::comments::{comments, history};
use super::convert::{Context, Ready};
use super::files::files;
use super::lane::{Rule, Source};
use super::links::links;
use super::steps::{checklist, steps};
use super::tables::table;
use super::{ATTACHMENTS, COMMENTS, FaultReason, HISTORY, LINKS, PARENT};
use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Artefact, Decimal, Document, Kind, Reference, Value, ValueType};
use crate::text::{self, TextFormat, TextLoss, carry};

/// Makes the value one of the target field's type, as the target will hold it.
pub(super) fn fit(
    value: Value,
    ready: &Ready<'_>,
    artefact: &Artefact,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    let rule = ready.rule;
    if rule.target == PARENT {
        return parent(value, rule, cx);
    }
    let field = ready.field.ok_or_else(|| FaultReason::NoSuchTarget { field: rule.target.clone() })?;
    if rule.target == ATTACHMENTS {
        return Ok(files(value, field, rule, artefact.url.as_deref(), losses));
    }
    if rule.target == LINKS {
        return Ok(links(value, field, rule, cx.places, losses));
    }
    if rule.target == COMMENTS {
        return Ok(comments(value, field, rule, cx, losses));
    }
    if rule.target == HISTORY {
        return Ok(history(value, cx));
    }
    if value.is_blank() {
        return if field.required { Err(FaultReason::RequiredEmpty) } else { Ok(Value::Empty) };
    }
    let mismatch = |from: &Value| FaultReason::WrongType { value: from.display(), wanted: field.value_type };
    let out = match (field.value_type, value) {
        (ValueType::Text, Value::RichText(d)) => plain_text(&d, rule, losses),
        (ValueType::Text, Value::Steps(s)) => return Err(mismatch(&Value::Steps(s))),
        (ValueType::Text, Value::Text(t)) => Value::Text(t),
        (ValueType::Text, Value::ChoiceList(path)) if rule.source == Source::FolderPath => {
            Value::Text(path.join(" / "))
        }
        (ValueType::Text, other) => Value::Text(other.display()),
        (ValueType::RichText, Value::Text(t)) => rich(&Document::from_text(&t), field, rule, losses),
        (ValueType::RichText, Value::RichText(d)) => rich(&d, field, rule, losses),
        (ValueType::RichText, Value::Steps(s)) => checklist(&s, field, rule, cx, losses),
        (ValueType::Steps, Value::Steps(s)) => Value::Steps(steps(s, field, rule, cx, losses)),
        (ValueType::Reference, Value::Reference(r)) => match place_of(&r, rule, cx) {
            Some(place) => Value::Reference(place),
            None => return Err(FaultReason::NotCarried { what: r.id().to_owned() }),
        },
        (ValueType::References, Value::References(list)) => {
            let (there, missing): (Vec<_>, Vec<_>) =
                list.iter().map(|r| (r, place_of(r, rule, cx))).partition(|(_, place)| place.is_some());
            for (reference, _) in missing {
                losses.push(Loss {
                    field: rule.target.clone(),
                    kind: LossKind::Dropped,
                    cause: LossCause::NotCarried,
                    before: reference.id().to_owned(),
                    after: String::new(),
                });
            }
            Value::References(there.into_iter().filter_map(|(_, place)| place).collect())
        }
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
        (ValueType::Table, Value::Table(rows)) => Value::Table(table(rows, field, rule, losses)).settled(),
        (_, other) => return Err(mismatch(&other)),
    };
    let out = trimmed(out, field, rule, losses);
    if let (Some(limit), Some(length)) = (field.max_length, length_in(&out, field.format))
        && length > limit as usize
    {
        return Err(FaultReason::TooLong { length: length as u32, limit });
    }
    if let Some(allowed) = &ready.allowed {
        let given: &[String] = match &out {
            Value::Choice(v) => std::slice::from_ref(v),
            Value::ChoiceList(l) => l,
            _ => &[],
        };
        if let Some(bad) = given.iter().find(|v| !allowed.contains(v.as_str())) {
            return Err(FaultReason::NotAllowed { value: bad.clone() });
        }
    }
    if let (Some(workflow), Value::Choice(state)) = (&field.workflow, &out)
        && workflow.way(&workflow.first, state).is_none()
    {
        return Err(FaultReason::NoWay { from: workflow.first.clone(), to: state.clone() });
    }
    // A text that turns out blank (only spaces or control characters, say) must not clear a required field.
    if field.required && says_nothing(&out) {
        return Err(FaultReason::RequiredEmpty);
    }
    Ok(out)
}

/// Where what a field of the left refers to is at the right.
fn place_of(reference: &Reference, rule: &Rule, cx: &Context<'_>) -> Option<Reference> {
    let Source::Field(source) = &rule.source else { return None };
    let kind = cx.left_kind.field(source)?.refers_to?;
    Some(cx.places.counterpart(kind, reference.id())?.reference)
}

fn parent(value: Value, rule: &Rule, cx: &Context<'_>) -> Result<Value, FaultReason> {
    let left_id = match value {
        // One folder of the right for all, by its id there.
        Value::Reference(_) if matches!(rule.source, Source::Constant(_)) => return Ok(value),
        Value::Reference(Reference::Known(id)) => id,
        _ if cx.right_kind.needs_folder => return Err(FaultReason::RequiredEmpty),
        _ => return Ok(Value::Empty),
    };
    match cx.places.counterpart(Kind::Folder, &left_id) {
        Some(place) => Ok(Value::Reference(place.reference)),
        None => Err(FaultReason::FolderNotCarried { folder: left_id }),
    }
}

/// How long a value is as it is written there; none for what is no text.
pub(crate) fn length_in(value: &Value, format: Option<TextFormat>) -> Option<usize> {
    match value {
        Value::RichText(document) => Some(text::write(document, format.unwrap_or(TextFormat::Plain)).chars().count()),
        other => other.char_length(),
    }
}

/// Whether a value leaves a required field as good as empty.
pub(crate) fn says_nothing(value: &Value) -> bool {
    match value {
        Value::Text(text) => text.trim().is_empty(),
        other => other.is_blank(),
    }
}

/// A text as the target keeps it, if it takes off spaces at the ends.
fn trimmed(value: Value, field: &FieldSchema, rule: &Rule, losses: &mut Vec<Loss>) -> Value {
    let Value::Text(text) = value else { return value };
    let kept = text.trim();
    if !field.trims || kept.len() == text.len() {
        return Value::Text(text);
    }
    losses.push(Loss {
        field: rule.target.clone(),
        kind: LossKind::Downgraded,
        cause: LossCause::Trimmed,
        before: format!("“{text}”"),
        after: format!("“{kept}”"),
    });
    Value::text(kept).settled()
}

fn plain_text(document: &Document, rule: &Rule, losses: &mut Vec<Loss>) -> Value {
    let carried = carry(document, TextFormat::Plain);
    declare(&carried.losses, &rule.target, losses);
    Value::Text(carried.text.replace('\n', " "))
}

pub(super) fn rich(document: &Document, field: &FieldSchema, rule: &Rule, losses: &mut Vec<Loss>) -> Value {
    let carried = carry(document, field.format.unwrap_or(TextFormat::Plain));
    declare(&carried.losses, &rule.target, losses);
    Value::RichText(carried.held)
}

pub(super) fn declare(found: &[TextLoss], field: &str, losses: &mut Vec<Loss>) {
    losses.extend(found.iter().map(|l| Loss {
        field: field.to_owned(),
        kind: l.kind,
        cause: l.cause.clone(),
        before: l.about.clone(),
        after: if l.kind == LossKind::Dropped { String::new() } else { l.about.clone() },
    }));
}
