//! Conversions by a table: values, and people.
//!
//! Decides what a value that no row names becomes, and who a person is at the other end.

use super::context::Context;
use super::fault::FaultReason;
use super::ready::Rows;
use super::users::recognise;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::Value;
use crate::rules::{Fallback, Fill, UserTable, ValueMap};

/// That an item says something that nobody said.
pub(super) fn filled(fill: &Fill, with: &str) -> Loss {
    Loss {
        field: fill.target.clone(),
        kind: LossKind::Substituted,
        cause: LossCause::FilledIn,
        before: String::new(),
        after: with.to_owned(),
    }
}

pub(super) fn mapped(
    map: &ValueMap,
    rows: &Rows<'_>,
    value: Value,
    fill: &Fill,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    if let Value::ChoiceList(list) = value {
        let mut out = Vec::new();
        for item in list {
            if let Value::Choice(v) = mapped(map, rows, Value::Choice(item), fill, losses)?
                && !out.contains(&v)
            {
                out.push(v);
            }
        }
        return Ok(Value::ChoiceList(out));
    }
    let shown = value.display();
    if let Some(row) = rows.get(shown.as_str()) {
        return Ok(if row.right.is_empty() { Value::Empty } else { Value::Choice(row.right.clone()) });
    }
    if value.is_blank() {
        // An empty field without a row of its own stays empty; a required target says so in the checks.
        if let Fallback::Use(v) = &map.otherwise {
            losses.push(filled(fill, v));
            return Ok(Value::Choice(v.clone()));
        }
        return Ok(Value::Empty);
    }
    let mut lose = |kind, after: &str| {
        losses.push(Loss {
            field: fill.target.clone(),
            kind,
            cause: LossCause::NotInMap,
            before: shown.clone(),
            after: after.to_owned(),
        });
    };
    match &map.otherwise {
        Fallback::Block => Err(FaultReason::ValueNotInMap { value: shown }),
        Fallback::Use(v) => {
            lose(LossKind::Substituted, v);
            Ok(Value::Choice(v.clone()))
        }
        Fallback::LeaveEmpty => {
            lose(LossKind::Dropped, "");
            Ok(Value::Empty)
        }
    }
}

pub(super) fn person(
    table: &UserTable,
    rows: &Rows<'_>,
    value: Value,
    fill: &Fill,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Value, FaultReason> {
    match value {
        Value::User(id) => Ok(match one_person(table, rows, &id, fill, cx, losses)? {
            Some(id) => Value::User(id),
            None => Value::Empty,
        }),
        Value::UserList(ids) => {
            let mut out = Vec::new();
            for id in ids {
                out.extend(one_person(table, rows, &id, fill, cx, losses)?);
            }
            Ok(Value::UserList(out))
        }
        other => Ok(other),
    }
}

fn one_person(
    table: &UserTable,
    rows: &Rows<'_>,
    id: &str,
    fill: &Fill,
    cx: &Context<'_>,
    losses: &mut Vec<Loss>,
) -> Result<Option<String>, FaultReason> {
    if let Some(row) = rows.get(id) {
        return Ok((!row.right.is_empty()).then(|| row.right.clone()));
    }
    let (name, found) = recognise(id, cx.from, cx.to_users);
    if let Some((found, _)) = found {
        return Ok(Some(found));
    }
    let mut lose = |kind, after: &str| {
        losses.push(Loss {
            field: fill.target.clone(),
            kind,
            cause: LossCause::UnknownUser,
            before: name.clone(),
            after: after.to_owned(),
        });
    };
    match &table.otherwise {
        Fallback::Block => Err(FaultReason::UnknownUser { name }),
        Fallback::Use(other) => {
            lose(LossKind::Substituted, other);
            Ok(Some(other.clone()))
        }
        Fallback::LeaveEmpty => {
            lose(LossKind::Dropped, "");
            Ok(None)
        }
    }
}
