//! A change for tests, as plain as can be.

use hovrel_core::model::{Artefact, End, Kind, LINKS, Link, LinkEnd, LinkType, Value};
use hovrel_core::plan::{Change, FieldChange, FieldReason, Outcome, Side};

/// Of test case `id` of the left; its key is its id.
pub fn change(seq: u32, id: &str, outcome: Outcome) -> Change {
    let side = |id: &str| Side::of(&Artefact::bare(Kind::TestCase, id), String::new());
    Change {
        left: Some(side(id)),
        right: (outcome != Outcome::New(End::Right)).then(|| side(id)),
        ..Change::new(seq, "cases", (Kind::TestCase, Kind::TestCase), End::Right, outcome)
    }
}

/// One that would add a link to a test case that is still to come, and nothing else.
pub fn waiting(seq: u32, id: &str, to: &str) -> Change {
    let target = LinkEnd::Pending { kind: Kind::TestCase, id: to.into() };
    let field = FieldChange {
        left: None,
        write: Value::Links(vec![Link::new(LinkType::RelatesTo, target)]),
        right: Some(Value::Empty),
        reason: FieldReason::WaitsForOthers,
        ..FieldChange::of(LINKS.into())
    };
    Change { fields: vec![field], ..change(seq, id, Outcome::Update(End::Right)) }
}
