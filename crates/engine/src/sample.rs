//! A change for tests, as plain as can be.

use hovrel_core::mapping::LINKS;
use hovrel_core::model::{Artefact, Kind, Link, LinkEnd, LinkType, Value};
use hovrel_core::plan::{Change, FieldChange, FieldReason, Outcome, Side};

/// Of test case `id` of the left; its key is its id.
pub fn change(seq: u32, id: &str, outcome: Outcome) -> Change {
    let side = |id: &str| Side::of(&Artefact::bare(Kind::TestCase, id), String::new());
    Change {
        seq,
        lane: "cases".into(),
        kind: Kind::TestCase,
        right_kind: Kind::TestCase,
        outcome,
        left: Some(side(id)),
        right: (outcome != Outcome::NewRight).then(|| side(id)),
        fields: vec![],
        as_new: vec![],
        left_side: Default::default(),
        right_side: Default::default(),
        depends_on: vec![],
        after: vec![],
        losses: vec![],
        evidence: None,
        faults: vec![],
    }
}

/// One that would add a link to a test case that is still to come, and nothing else.
pub fn waiting(seq: u32, id: &str, to: &str) -> Change {
    let target = LinkEnd::Pending { kind: Kind::TestCase, id: to.into() };
    let field = FieldChange {
        field: LINKS.into(),
        left: None,
        write: Value::Links(vec![Link { link_type: LinkType::RelatesTo, target }]),
        right: Some(Value::Empty),
        reason: FieldReason::WaitsForOthers,
        losses: vec![],
    };
    Change { fields: vec![field], ..change(seq, id, Outcome::UpdateRight) }
}
