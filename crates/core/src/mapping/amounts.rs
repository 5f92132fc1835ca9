//! Conversions that look at nothing but the value: hours, numbers, texts cut to a length.

use super::FaultReason;
use super::lane::Rule;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Decimal, Value, ValueType};

/// Hours from seconds, or from text with hours, minutes and perhaps seconds; exact to the second.
pub(super) fn hours(value: Value) -> Result<Value, FaultReason> {
    let wrong = |v: &Value| FaultReason::WrongType { value: v.display(), wanted: ValueType::Duration };
    let seconds = match &value {
        v if v.is_blank() => return Ok(Value::Empty),
        Value::Duration(s) => *s,
        Value::Text(t) => {
            let parts: Vec<i64> =
                t.trim().split(':').map(str::parse).collect::<Result<_, _>>().map_err(|_| wrong(&value))?;
            match parts.as_slice() {
                [h, m] if (0..60).contains(m) && *h >= 0 => h * 3600 + m * 60,
                [h, m, s] if (0..60).contains(m) && (0..60).contains(s) && *h >= 0 => h * 3600 + m * 60 + s,
                _ => return Err(wrong(&value)),
            }
        }
        _ => return Err(wrong(&value)),
    };
    // Ten thousandths of an hour are finer than a second.
    let parts = (seconds * 10_000 + 1800) / 3600;
    let text = format!("{}.{:04}", parts / 10_000, parts % 10_000);
    Decimal::parse(&text).map(Value::Decimal).map_err(|_| wrong(&value))
}

pub(super) fn number(value: Value, comma: bool) -> Result<Value, FaultReason> {
    let Value::Text(text) = &value else { return Ok(value) };
    let text = text.trim().replace([' ', '\u{a0}', '\u{202f}'], "");
    // With a decimal comma, points divide thousands; without one, commas do.
    let text = if comma { text.replace('.', "").replace(',', ".") } else { text.replace(',', "") };
    match text.is_empty() {
        true => Ok(Value::Empty),
        false => Decimal::parse(&text)
            .map(Value::Decimal)
            .map_err(|_| FaultReason::WrongType { value: value.display(), wanted: ValueType::Decimal }),
    }
}

pub(super) fn shortened(value: Value, to: u32, rule: &Rule, losses: &mut Vec<Loss>) -> Value {
    let text = match value {
        Value::Text(t) => t,
        other => return other,
    };
    if text.chars().count() <= to as usize {
        return Value::Text(text);
    }
    // Trailing space would be trimmed by many systems and then look like a change.
    let cut: String = text.chars().take(to as usize).collect::<String>().trim_end().to_owned();
    losses.push(Loss {
        field: rule.target.clone(),
        kind: LossKind::Truncated,
        cause: LossCause::TooLong { limit: to },
        before: text,
        after: cut.clone(),
    });
    Value::Text(cut)
}
