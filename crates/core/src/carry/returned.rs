//! What comes back of an edit that somebody might make at the other end of a rule: for showing what a way back does.
//!
//! Decides which edit is tried where nobody said one: one word more, another value, the next number. Nothing is written, and
//! nothing is remembered.

use super::context::Context;
use super::convert::Converted;
use super::ready::Ready;
use super::ways::BothWays;
use crate::catalogue::FieldSchema;
use crate::model::{Artefact, Block, Decimal, Document, Ends, Inline, Value, ValueType, read_day};
use crate::rules::{Lane, RuleId};

/// An edit that is tried, and what it comes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Returned {
    /// What the rule makes of the item, for the end that its lane writes first.
    pub held: Value,
    /// What somebody makes of that there.
    pub edited: Value,
    /// What the item holds before.
    pub before: Value,
    /// What becomes of that.
    pub back: Converted,
}

/// Why nothing is tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NotTried {
    /// The rule does not go back, or it makes nothing of this item.
    NothingGoesBack,
    /// What was typed is no value of this type.
    NoSuchValue(ValueType),
    /// No edit of a value like this is made up.
    NoEdit(ValueType),
}

/// Tries an edit of what a rule makes of an item. `lane` has its ways back spelt out ([`Lane::with_ways_back`]); `cx` is what
/// each way looks at, by the end that it leads into; `typed` is what somebody makes of the value, as text; without it an edit is
/// made up.
///
/// # Errors
/// Why there is nothing to try.
pub fn try_return(
    (lane, rule): (&Lane, &RuleId),
    item: &Artefact,
    cx: Ends<&Context<'_>>,
    typed: Option<&str>,
) -> Result<Returned, NotTried> {
    let first = lane.written();
    let rule = lane.rules.iter().find(|r| r.id == *rule).ok_or(NotTried::NothingGoesBack)?;
    let fill = |end| rule.fill(end).filter(|_| lane.carries_into(rule, end)).ok_or(NotTried::NothingGoesBack);
    let (there, back) = (Ready::new(fill(first)?, cx[first]), Ready::new(fill(first.other())?, cx[first.other()]));
    let before = back.fill.target.of(item).into_owned();
    let nothing = Artefact::bare(lane.kind_at(first), &item.id);
    let ways = BothWays {
        ready: Ends::at(first, &there, &back),
        cx,
        items: Ends::at(first, &nothing, item),
        taken_back: rule.taken_back(),
    };
    let held = ways.whole(first, &before).value.ok_or(NotTried::NothingGoesBack)?;
    let field = there.field.ok_or(NotTried::NothingGoesBack)?;
    let edited = match typed {
        Some(text) => typed_as(field.value_type, text).ok_or(NotTried::NoSuchValue(field.value_type))?,
        None => edit_of(&held, field).ok_or(NotTried::NoEdit(field.value_type))?,
    };
    let back = ways.carried(first.other(), &before, &held, &edited);
    Ok(Returned { held, edited, before, back })
}

/// Whether people can type a value of a type on a line.
pub fn can_be_typed(of: ValueType) -> bool {
    typed_as(of, "").is_some()
}

fn typed_as(of: ValueType, text: &str) -> Option<Value> {
    let text = text.trim();
    Some(match of {
        ValueType::Text | ValueType::Choice | ValueType::Integer | ValueType::Decimal | ValueType::Date
            if text.is_empty() =>
        {
            Value::Empty
        }
        ValueType::Text => Value::text(text),
        ValueType::Choice => Value::choice(text),
        ValueType::Integer => Value::Integer(text.parse().ok()?),
        ValueType::Decimal => Value::Decimal(Decimal::parse_number(text).ok()?),
        ValueType::Date => Value::Date(read_day(text)?),
        _ => return None,
    })
}

/// Another value like one.
fn edit_of(value: &Value, field: &FieldSchema) -> Option<Value> {
    const WORD: &str = "edited";
    let word = || Block::Paragraph { content: vec![Inline::text(WORD)] };
    Some(match (field.value_type, value) {
        (ValueType::Text, value) => Value::text(format!("{} {WORD}", value.display()).trim()),
        (ValueType::Choice, value) => {
            let now = value.display();
            Value::choice(field.allowed.iter().flatten().find(|allowed| **allowed != now)?)
        }
        (ValueType::Integer, Value::Integer(n)) => Value::Integer(n.checked_add(1)?),
        (ValueType::Boolean, Value::Boolean(is)) => Value::Boolean(!is),
        (ValueType::Date, Value::Date(day)) => Value::Date(day.succ_opt()?),
        (ValueType::RichText, value) => {
            let mut blocks = match value {
                Value::RichText(document) => document.blocks.clone(),
                _ => Vec::new(),
            };
            blocks.push(word());
            Value::RichText(Document { blocks })
        }
        (ValueType::Steps, Value::Steps(steps)) => {
            let mut steps = steps.clone();
            steps.iter_mut().find(|step| step.call.is_none())?.action.blocks.push(word());
            Value::Steps(steps)
        }
        _ => return None,
    })
}
