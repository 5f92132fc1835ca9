//! Losses as they are told.

use serde::Serialize;
use utoipa::ToSchema;

#[derive(Serialize, ToSchema)]
pub struct LossDetail {
    field: String,
    kind: hovrel_core::loss::LossKind,
    why: String,
    before: String,
    after: String,
}

impl LossDetail {
    pub fn of(l: &hovrel_core::loss::Loss) -> LossDetail {
        LossDetail {
            field: l.field.to_string(),
            kind: l.kind,
            why: hovrel_words::loss_cause(&l.cause),
            before: l.before.clone(),
            after: l.after.clone(),
        }
    }
}
