//! Finding what a value refers to, once it is there.
//!
//! Decides what a value waits for and what it can do without: an item that is needed and is not there stops
//! the write; lists are written with those of their members that are there, and what they lack is told, so that
//! their base is what they were written from.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::model::{Kind, Link, LinkEnd, Reference, Slot, Value};

/// Maps (kind, id) of an item to (kind, id) of its counterpart, for counterparts that exist.
pub type There<'t> = dyn Fn(Kind, &str) -> Option<(Kind, String)> + 't;

/// What is not there, by kind and id at the left.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NotThere {
    /// The kind of the item that is referred to.
    pub kind: Kind,
    /// Its id at the end that it comes from.
    pub id: String,
}

/// A value with everything found that it refers to, and the members that a list is without.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Resolved {
    /// The value with what is there by now.
    pub value: Value,
    /// What was referred to and is not there.
    pub lacking: Vec<NotThere>,
}

/// What the lists of an item were written without, by target field.
pub type Lacking = BTreeMap<Slot, Vec<NotThere>>;

/// Finds what a value refers to. An error names what it can't do without.
pub fn resolved(value: &Value, place: &There<'_>) -> Result<Resolved, NotThere> {
    let find = |reference: &Reference| match reference {
        Reference::Known(_) => Ok(reference.clone()),
        Reference::Pending { kind, id } => match place(*kind, id) {
            Some((_, there)) => Ok(Reference::Known(there)),
            None => Err(NotThere { kind: *kind, id: id.clone() }),
        },
    };
    let mut lacking = Vec::new();
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
            Value::References(list.iter().filter_map(|r| find(r).map_err(|e| lacking.push(e)).ok()).collect())
        }
        Value::Links(list) => {
            let found = |link| found_link(link, place).map_err(|e| lacking.push(e)).ok();
            let mut there: Vec<Link> = list.iter().filter_map(found).collect();
            there.sort();
            there.dedup();
            Value::Links(there)
        }
        other => other.clone(),
    };
    Ok(Resolved { value: found.settled(), lacking })
}

fn found_link(link: &Link, place: &There<'_>) -> Result<Link, NotThere> {
    let target = match &link.target {
        LinkEnd::Pending { kind, id } => match place(*kind, id) {
            Some((kind, id)) => LinkEnd::Artefact { kind, id },
            None => return Err(NotThere { kind: *kind, id: id.clone() }),
        },
        there => there.clone(),
    };
    Ok(Link { target, ..link.clone() })
}

/// A list of the left without the members that were lacking: what was really written from. None if they can't be
/// told apart in it.
pub fn written_from(list: &Value, lacking: &[NotThere]) -> Option<Value> {
    let there = match list {
        Value::References(list) => {
            let lacks = |r: &&Reference| lacking.iter().any(|n| n.id == r.id());
            Value::References(list.iter().filter(|r| !lacks(r)).cloned().collect())
        }
        Value::Links(list) => {
            let lacks = |l: &&Link| match &l.target {
                LinkEnd::Artefact { kind, id } => lacking.iter().any(|n| (n.kind, &n.id) == (*kind, id)),
                _ => false,
            };
            Value::Links(list.iter().filter(|l| !lacks(l)).cloned().collect())
        }
        _ => return None,
    };
    let there = there.settled();
    (there != *list).then_some(there)
}
