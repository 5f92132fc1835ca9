//! Carrying files: those that the target takes.
//!
//! Decides which files are refused, by their size and type.

use crate::catalogue::FieldSchema;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Attachment, Value};
use crate::rules::Fill;

pub(crate) fn refusal(file: &Attachment, field: &FieldSchema) -> Option<LossCause> {
    if let Some(limit) = field.max_bytes.filter(|l| file.bytes.is_some_and(|n| n > *l)) {
        return Some(LossCause::FileTooBig { limit });
    }
    let refused = field.media_types.as_ref().is_some_and(|t| !t.contains(&file.media_type));
    refused.then_some(LossCause::FileTypeRefused)
}

/// The files that the target takes. The others are lost there, and `stays` is where a person finds them.
pub(super) fn files(
    value: Value,
    field: &FieldSchema,
    fill: &Fill,
    stays: Option<&str>,
    losses: &mut Vec<Loss>,
) -> Value {
    let Value::Attachments(files) = value else { return value };
    let mut kept: Vec<Attachment> = Vec::new();
    for file in files {
        match refusal(&file, field) {
            Some(cause) => losses.push(Loss {
                field: fill.target.clone(),
                kind: LossKind::Dropped,
                cause,
                before: format!("{} ({})", file.name, file.size()),
                after: stays.unwrap_or_default().to_owned(),
            }),
            None => kept.push(file),
        }
    }
    kept.sort_by(|a, b| a.name.cmp(&b.name));
    Value::Attachments(kept)
}
