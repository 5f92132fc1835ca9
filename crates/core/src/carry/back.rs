//! The way back through a rule's conversions: what stands at the end that they start from after an edit behind them.
//!
//! Decides that what an edit does not touch stays as it is, and what can't be taken back: a value that no row of a map leads
//! to, an edit of the word at which a text was cut.

use super::context::Context;
use super::convert::step;
use super::fault::FaultReason;
use super::ready::{Ready, Rows};
use super::users::recognise;
use crate::agree::same;
use crate::model::{Link, Value};
use crate::rules::{Conversion, LinkTypes, UserTable, ValueMap, row_back};

impl Ready<'_> {
    /// Puts an edit behind the conversions onto what stands before them. `cx` is the way of the conversions, `back` the way
    /// that this goes.
    pub(super) fn taken_back(
        &self,
        there: &Value,
        edited: Value,
        cx: &Context<'_>,
        back: &Context<'_>,
    ) -> Result<Value, FaultReason> {
        let mut before = vec![there.clone()];
        for (conversion, rows) in self.fill.conversions.iter().zip(&self.rows) {
            let last = before.last().cloned().unwrap_or(Value::Empty);
            before.push(step(conversion, rows, last, self.fill, cx, &mut Vec::new()).unwrap_or(Value::Empty));
        }
        let conversions = self.fill.conversions.iter().zip(&self.rows).enumerate();
        conversions.rev().try_fold(edited, |edited, (n, (conversion, rows))| match same(&before[n + 1], &edited) {
            true => Ok(before[n].clone()),
            false => step_back(conversion, rows, &before[n], edited, back),
        })
    }
}

fn step_back(
    conversion: &Conversion,
    rows: &Rows<'_>,
    there: &Value,
    edited: Value,
    back: &Context<'_>,
) -> Result<Value, FaultReason> {
    match conversion {
        Conversion::ValueMap(map) => mapped_back(map, rows, there, edited),
        Conversion::Users(table) => people_back(table, there, edited, back),
        Conversion::Shorten { to } => lengthened(there, edited, *to),
        Conversion::LinkTypes(map) => retyped_back(map, edited),
        Conversion::IfEmpty { .. } | Conversion::RichText => Ok(edited),
        Conversion::Hours | Conversion::Number { .. } | Conversion::PathLevel { .. } => Err(FaultReason::NotInvertible),
    }
}

fn mapped_back(map: &ValueMap, rows: &Rows<'_>, there: &Value, edited: Value) -> Result<Value, FaultReason> {
    let one = |value: &str| match row_back(&map.rows, value) {
        Some(row) => Ok(row.left.clone()),
        None => Err(FaultReason::NoWayBack { value: value.to_owned() }),
    };
    let list = match edited {
        Value::ChoiceList(list) => list,
        blank if blank.is_blank() && row_back(&map.rows, "").is_none() => return Ok(Value::Empty),
        edited => return Ok(Value::text(one(&edited.display())?).settled()),
    };
    // What is there and leads to what is kept stays; only what is new is looked up.
    let held: &[String] = if let Value::ChoiceList(held) = there { held } else { &[] };
    let leads_to = |item: &String| rows.get(item.as_str()).map(|row| row.right.as_str());
    let mut out: Vec<String> = Vec::new();
    for value in &list {
        let kept: Vec<&String> = held.iter().filter(|item| leads_to(item) == Some(value)).collect();
        match kept.is_empty() {
            true => out.push(one(value)?),
            false => out.extend(kept.into_iter().cloned()),
        }
    }
    Ok(Value::ChoiceList(out).settled())
}

/// Links with the types that the map leads from. A type that no row leads to goes back as it is, unless it would come as
/// another.
fn retyped_back(map: &LinkTypes, edited: Value) -> Result<Value, FaultReason> {
    let Value::Links(links) = edited else { return Ok(edited) };
    let one = |link: Link| {
        let row = map.rows.iter().find(|row| row.right.as_ref() == Some(&link.link_type));
        match row {
            Some(row) => Ok(Link::new(row.left.clone(), link.target)),
            None if map.rows.iter().any(|row| row.left == link.link_type) => {
                Err(FaultReason::NoWayBack { value: link.link_type.word().to_owned() })
            }
            None => Ok(Link::new(link.link_type, link.target)),
        }
    };
    Ok(Value::Links(links.into_iter().map(one).collect::<Result<_, _>>()?))
}

fn people_back(table: &UserTable, there: &Value, edited: Value, back: &Context<'_>) -> Result<Value, FaultReason> {
    let one = |id: &str| match row_back(&table.rows, id) {
        Some(row) => Ok(row.left.clone()),
        None => match recognise(id, back.from, back.to_users) {
            (_, Some((found, _))) => Ok(found),
            (name, None) => Err(FaultReason::UnknownUser { name }),
        },
    };
    Ok(match edited {
        Value::User(id) => Value::User(one(&id)?),
        Value::UserList(ids) => {
            let held: &[String] = if let Value::UserList(held) = there { held } else { &[] };
            let found = ids.iter().map(|id| one(id)).collect::<Result<Vec<_>, _>>()?;
            // In the order in which they stood, the new ones behind.
            let (mut kept, new): (Vec<_>, Vec<_>) = found.into_iter().partition(|id| held.contains(id));
            kept.sort_by_key(|id| held.iter().position(|other| other == id));
            Value::UserList([kept, new].concat()).settled()
        }
        other => other,
    })
}

/// An edit of a text that was cut, in the text as a whole: what was cut off stays behind it. An edit that touches the last
/// word before the cut can't be told from one that goes on behind it.
fn lengthened(there: &Value, edited: Value, to: u32) -> Result<Value, FaultReason> {
    let (Value::Text(whole), Value::Text(edited)) = (there, &edited) else { return Ok(edited) };
    if whole.chars().count() <= to as usize {
        return Ok(Value::text(edited));
    }
    let cut_at = whole.char_indices().nth(to as usize).map_or(whole.len(), |(at, _)| at);
    let kept = whole[..cut_at].trim_end();
    let last_word =
        kept.rfind(char::is_whitespace).map_or(0, |at| at + kept[at..].chars().next().map_or(0, char::len_utf8));
    let stays = &kept[last_word..];
    let before = edited.strip_suffix(stays).filter(|before| before.is_empty() || before.ends_with(char::is_whitespace));
    match before {
        Some(_) if !stays.is_empty() && last_word > 0 => Ok(Value::Text(format!("{edited}{}", &whole[kept.len()..]))),
        _ => Err(FaultReason::CutThere),
    }
}
