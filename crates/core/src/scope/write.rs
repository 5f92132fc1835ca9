//! A tree of conditions as one expression.

use super::row::Test;
use super::{Condition, ConditionRow};
use crate::catalogue::KindSchema;

/// Writes a condition as an expression in CEL that holds for the same artefacts.
///
/// # Errors
/// The first row that says nothing of this kind, with why.
pub fn write(condition: &Condition, kind: &KindSchema) -> Result<String, (ConditionRow, String)> {
    part(condition, kind, Around::Nothing)
}

/// What an expression stands in.
#[derive(Clone, Copy, PartialEq)]
enum Around {
    Nothing,
    All,
    Any,
}

fn part(condition: &Condition, kind: &KindSchema, around: Around) -> Result<String, (ConditionRow, String)> {
    let joined = |list: &[Condition], sign: &str, inside: Around| -> Result<String, (ConditionRow, String)> {
        let parts = list.iter().map(|c| part(c, kind, inside)).collect::<Result<Vec<_>, _>>()?;
        Ok(parts.join(sign))
    };
    Ok(match condition {
        Condition::All(list) if list.is_empty() => "true".to_owned(),
        Condition::Any(list) if list.is_empty() => "false".to_owned(),
        Condition::All(list) | Condition::Any(list) if list.len() == 1 => part(&list[0], kind, around)?,
        // && binds closer than ||; brackets say it to people as well.
        Condition::All(list) => bracketed(joined(list, " && ", Around::All)?, around != Around::Nothing),
        Condition::Any(list) => bracketed(joined(list, " || ", Around::Any)?, around != Around::Nothing),
        Condition::Row(row) => Test::of(row, kind).map_err(|why| (row.clone(), why))?.write(),
        Condition::Expression(text) => bracketed(text.clone(), around != Around::Nothing),
    })
}

fn bracketed(text: String, needed: bool) -> String {
    match needed {
        // A comment goes to the end of its line.
        true if text.contains("//") => format!("({text}\n)"),
        true => format!("({text})"),
        false => text,
    }
}
