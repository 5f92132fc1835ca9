//! Finding what a value refers to, once it is there.
//!
//! Decides what a value waits for and what it can do without: an item that is needed and is not there stops
//! the write; lists are written with those of their members that are there, and are not whole then.

use crate::model::{Kind, Link, LinkEnd, Reference, Value};

/// Kind and id at the right of what is there by now, by kind and id at the left.
pub type There<'t> = dyn Fn(Kind, &str) -> Option<(Kind, String)> + 't;

/// What a value can't do without, by kind and id at the left.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotThere {
    pub kind: Kind,
    pub id: String,
}

/// A value with everything found that it refers to, and whether all of it was there.
pub fn resolved(value: &Value, place: &There<'_>) -> Result<(Value, bool), NotThere> {
    let find = |reference: &Reference| match reference {
        Reference::Known(_) => Ok(reference.clone()),
        Reference::Pending { kind, id } => match place(*kind, id) {
            Some((_, there)) => Ok(Reference::Known(there)),
            None => Err(NotThere { kind: *kind, id: id.clone() }),
        },
    };
    let mut whole = true;
    let found = match value {
        Value::Reference(reference) => Value::Reference(find(reference)?),
        Value::Steps(steps) => {
            let mut steps = steps.clone();
            for call in steps.iter_mut().filter_map(|s| s.call.as_mut()) {
                call.target = find(&call.target)?;
            }
            Value::Steps(steps)
        }
        Value::References(list) => {
            let there: Vec<Reference> = list.iter().filter_map(|r| find(r).ok()).collect();
            whole = there.len() == list.len();
            Value::References(there)
        }
        Value::Links(list) => {
            let mut there: Vec<Link> = list.iter().filter_map(|link| found_link(link, place)).collect();
            whole = there.len() == list.len();
            there.sort();
            there.dedup();
            Value::Links(there)
        }
        other => other.clone(),
    };
    Ok((found.settled(), whole))
}

/// A link whose other end is there; none if it is not.
fn found_link(link: &Link, place: &There<'_>) -> Option<Link> {
    let target = match &link.target {
        LinkEnd::Pending { kind, id } => {
            let (kind, id) = place(*kind, id)?;
            LinkEnd::Artefact { kind, id }
        }
        there => there.clone(),
    };
    Some(Link { link_type: link.link_type.clone(), target })
}
