//! Conversions that look at nothing but the value: hours, numbers, texts cut to a length.

use super::fault::FaultReason;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Decimal, Span, Value, ValueType};
use crate::rules::Fill;

/// Hours from a length of time, or from text with hours, minutes and perhaps seconds; exact to the second. What is finer
/// is told.
pub(super) fn hours(value: Value, fill: &Fill, losses: &mut Vec<Loss>) -> Result<Value, FaultReason> {
    let wrong = |v: &Value| FaultReason::WrongType { value: v.display(), wanted: ValueType::Duration };
    let span = match &value {
        v if v.is_blank() => return Ok(Value::Empty),
        Value::Duration(span) => *span,
        Value::Text(t) => {
            let parts: Vec<i64> =
                t.trim().split(':').map(str::parse).collect::<Result<_, _>>().map_err(|_| wrong(&value))?;
            let seconds = match parts.as_slice() {
                [h, m] if (0..60).contains(m) && *h >= 0 => h.checked_mul(3600).and_then(|h| h.checked_add(m * 60)),
                [h, m, s] if (0..60).contains(m) && (0..60).contains(s) && *h >= 0 => {
                    h.checked_mul(3600).and_then(|h| h.checked_add(m * 60 + s))
                }
                _ => None,
            };
            seconds.and_then(Span::of_seconds).ok_or_else(|| wrong(&value))?
        }
        _ => return Err(wrong(&value)),
    };
    // Ten thousandths of an hour are finer than a second.
    const PART: i128 = 360_000_000;
    let nanoseconds = i128::from(span.nanoseconds());
    let size = nanoseconds.abs();
    let parts = (size + PART / 2) / PART;
    let sign = if nanoseconds < 0 { "-" } else { "" };
    let text = format!("{sign}{}.{:04}", parts / 10_000, parts % 10_000);
    let hours = Decimal::parse(&text).map_err(|_| wrong(&value))?;
    if span.whole_seconds().is_none() {
        losses.push(Loss {
            field: fill.target.clone(),
            kind: LossKind::Downgraded,
            cause: LossCause::Rounded,
            before: span.display(),
            after: format!("{} h", hours.as_str()),
        });
    }
    Ok(Value::Decimal(hours))
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

pub(super) fn shortened(value: Value, to: u32, fill: &Fill, losses: &mut Vec<Loss>) -> Value {
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
        field: fill.target.clone(),
        kind: LossKind::Truncated,
        cause: LossCause::TooLong { limit: to },
        before: text,
        after: cut.clone(),
    });
    Value::Text(cut)
}
