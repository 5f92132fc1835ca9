//! Carrying what refers to other items: the folder, and fields that name items.
//!
//! Decides what waits: an item whose folder or needed reference is not carried.

use super::context::Context;
use super::fault::FaultReason;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Kind, Reference, Value};
use crate::rules::{Fill, Source};

/// Where what a field of the left refers to is at the other end.
pub(super) fn place_of(reference: &Reference, fill: &Fill, cx: &Context<'_>) -> Option<Reference> {
    let Source::Field(source) = &fill.source else { return None };
    let kind = cx.from_kind.field(source)?.refers_to?;
    Some(cx.places.counterpart(kind, reference.id())?.reference)
}

/// What a list of references becomes; a member that is not carried is left out, as a loss.
pub(super) fn references(list: &[Reference], fill: &Fill, cx: &Context<'_>, losses: &mut Vec<Loss>) -> Value {
    let mut out = Vec::new();
    for reference in list {
        match place_of(reference, fill, cx) {
            Some(place) => out.push(place),
            None => losses.push(Loss {
                field: fill.target.clone(),
                kind: LossKind::Dropped,
                cause: LossCause::NotCarried,
                before: reference.id().to_owned(),
                after: String::new(),
            }),
        }
    }
    Value::References(out)
}

/// The folder that holds the item there.
pub(super) fn parent(value: Value, fill: &Fill, cx: &Context<'_>) -> Result<Value, FaultReason> {
    let left_id = match value {
        // One folder of the other end for all, by its id there.
        Value::Reference(_) if matches!(fill.source, Source::Constant(_)) => return Ok(value),
        Value::Reference(Reference::Known(id)) => id,
        _ if cx.to_kind.needs_folder => return Err(FaultReason::RequiredEmpty),
        _ => return Ok(Value::Empty),
    };
    match cx.places.counterpart(Kind::Folder, &left_id) {
        Some(place) => Ok(Value::Reference(place.reference)),
        None => Err(FaultReason::FolderNotCarried { folder: left_id }),
    }
}
