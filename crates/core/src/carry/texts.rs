//! Texts as the target keeps them: in its format, without the spaces that it takes off.

use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Document, Value};
use crate::rules::Fill;
use crate::text::{self, TextFormat, TextLoss, carry};

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
pub(super) fn trimmed(value: Value, field: &FieldSchema, fill: &Fill, losses: &mut Vec<Loss>) -> Value {
    let Value::Text(text) = value else { return value };
    let kept = text.trim();
    if !field.trims || kept.len() == text.len() {
        return Value::Text(text);
    }
    losses.push(Loss {
        field: fill.target.clone(),
        kind: LossKind::Downgraded,
        cause: LossCause::Trimmed,
        before: format!("“{text}”"),
        after: format!("“{kept}”"),
    });
    Value::text(kept).settled()
}

pub(super) fn plain_text(document: &Document, fill: &Fill, losses: &mut Vec<Loss>) -> Value {
    let carried = carry(document, TextFormat::Plain);
    declare(&carried.losses, &fill.target, losses);
    Value::Text(carried.text.replace('\n', " "))
}

pub(super) fn rich(document: &Document, field: &FieldSchema, fill: &Fill, losses: &mut Vec<Loss>) -> Value {
    let carried = carry(document, field.format.unwrap_or(TextFormat::Plain));
    declare(&carried.losses, &fill.target, losses);
    Value::RichText(carried.held)
}

pub(super) fn declare(found: &[TextLoss], field: &str, losses: &mut Vec<Loss>) {
    losses.extend(found.iter().map(|l| Loss {
        field: field.into(),
        kind: l.kind,
        cause: l.cause.clone(),
        before: l.about.clone(),
        after: if l.kind == LossKind::Dropped { String::new() } else { l.about.clone() },
    }));
}
