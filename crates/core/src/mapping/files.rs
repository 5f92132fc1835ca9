//! Carrying files: those that the target takes, and a link to where the others stay.
//!
//! Decides which files are refused by their size and type, and that their item gets a link to itself at the left,
//! so that whoever misses a file there finds it without asking the plan.

use super::lane::{Lane, Rule, Source};
use super::{ATTACHMENTS, LINKS};
use crate::catalogue::{FieldSchema, KindSchema};
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Artefact, Attachment, Link, LinkEnd, LinkType, Value};

fn refusal(file: &Attachment, field: &FieldSchema) -> Option<LossCause> {
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
    rule: &Rule,
    stays: Option<&str>,
    losses: &mut Vec<Loss>,
) -> Value {
    let Value::Attachments(files) = value else { return value };
    let mut kept: Vec<Attachment> = Vec::new();
    for file in files {
        match refusal(&file, field) {
            Some(cause) => losses.push(Loss {
                field: rule.target.clone(),
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

/// Gives an item of the left a link to itself if the right refuses one of its files, for a lane that carries both
/// files and links.
pub fn link_to_refused_files(item: &mut Artefact, lane: &Lane, right: &KindSchema) {
    let fed = |target, source| lane.rules.iter().any(|r| r.target == target && r.source == source);
    let (Some(field), Some(links), Some(url)) = (right.field(ATTACHMENTS), right.field(LINKS), &item.url) else {
        return;
    };
    let takes = links.link_types.as_ref().is_none_or(|types| types.contains(&LinkType::RelatesTo));
    let carried = fed(ATTACHMENTS, Source::Attachments) && fed(LINKS, Source::Links);
    if takes && carried && item.attachments.iter().any(|file| refusal(file, field).is_some()) {
        let link = Link::new(LinkType::RelatesTo, LinkEnd::Url(url.clone()));
        if !item.links.iter().any(|l| l.is_same(&link)) {
            item.links.push(link);
        }
    }
}
