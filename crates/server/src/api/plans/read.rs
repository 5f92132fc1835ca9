//! A change as it is kept, with what was decided about it.

use hovrel_core::model::Ends;
use hovrel_core::plan::{Change, Decision};
use hovrel_core::rehearse::Refusal;
use hovrel_core::rules::{FirstContact, Lane};
use hovrel_store::ChangeRow;

use crate::problem::Problem;

pub(super) struct Read {
    pub change: Change,
    pub decision: Decision,
    pub included: bool,
    pub refusals: Vec<Refusal>,
    pub calls: Ends<f64>,
    pub links_back: bool,
}

pub(super) fn read(row: ChangeRow) -> Result<Read, Problem> {
    Ok(Read {
        change: serde_json::from_value(row.body)?,
        decision: serde_json::from_value(row.decision)?,
        included: row.included,
        refusals: serde_json::from_value(row.refusals)?,
        calls: Ends { left: row.left_calls, right: row.right_calls },
        links_back: row.links_back,
    })
}

pub(super) fn first_contact(lanes: &[Lane], lane: &str) -> FirstContact {
    lanes.iter().find(|l| l.id == lane).map(|l| l.policies.first_contact).unwrap_or_default()
}
