//! The link that leads from an item to its counterpart, where Hovrel wrote one: people and plans don't see it.
//!
//! Decides that it stays when the links of an item are written at the end to which links lead back.

use std::borrow::Cow;

use hovrel_connect::Written;
use hovrel_core::model::{Artefact, LinkEnd, Slot, Value};

use super::course::Course;
use super::sent::Sent;

/// Where the link leads that the item has which is written, if its lane asks for one there.
fn own_link(c: &Course<'_>) -> Option<LinkEnd> {
    if !c.is_back() || !c.lane.policies.link_back {
        return None;
    }
    let there = c.change.written.other();
    c.t.desks[there].connector.address(c.change.kind_at(there), c.id_at(there)).map(LinkEnd::Url)
}

/// An item without its link to its counterpart: that is Hovrel's own, and plans don't see it.
pub(super) fn as_plans_see_it<'i>(c: &Course<'_>, item: &'i Artefact) -> Cow<'i, Artefact> {
    let own = own_link(c);
    match item.links.iter().any(|link| Some(&link.target) == own.as_ref()) {
        true => {
            let mut item = item.clone();
            item.links.retain(|link| Some(&link.target) != own.as_ref());
            Cow::Owned(item)
        }
        false => Cow::Borrowed(item),
    }
}

/// What was written and what was sent for it, without that link.
pub(super) fn without_own_link(c: &Course<'_>, written: Written, mut sent: Sent) -> (Written, Sent) {
    let own = own_link(c);
    if let Some(Value::Links(links)) = sent.values.get_mut(&Slot::Links) {
        links.retain(|link| Some(&link.target) != own.as_ref());
    }
    let artefact = as_plans_see_it(c, &written.artefact).into_owned();
    (Written { artefact, ..written }, sent)
}

/// What is sent, with the link to its counterpart that an item has: what Hovrel wrote there stays.
pub(super) fn with_own_link(c: &Course<'_>, mut sent: Sent, now: &Artefact) -> Sent {
    let own = own_link(c);
    let held = now.links.iter().find(|link| Some(&link.target) == own.as_ref());
    if let (Some(value), Some(own)) = (sent.values.get_mut(&Slot::Links), held) {
        let mut links = match value {
            Value::Links(links) => links.clone(),
            _ => Vec::new(),
        };
        links.push(own.clone());
        links.sort();
        *value = Value::Links(links);
    }
    sent
}
