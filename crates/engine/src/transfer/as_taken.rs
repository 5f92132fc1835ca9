//! An item of the end that is not written first, as rules take it and as it stands there.
//!
//! Plans see it without the link that leads to its counterpart, if Hovrel wrote that, and with shared steps in place of the
//! calls that the other end can't hold. Decides that both stay as they are there when its links or its steps are written.

use std::borrow::Cow;

use hovrel_connect::Written;
use hovrel_core::carry::{with_calls, without_calls};
use hovrel_core::model::{Artefact, Expanded, LinkEnd, Slot, Value};

use super::course::Course;
use super::failure::{Failure, refuse};
use super::sent::Sent;

/// Where the link leads that the item has which is written back, if its lane asks for one there.
fn own_link(c: &Course<'_>) -> Option<LinkEnd> {
    if !c.lane.policies.link_back {
        return None;
    }
    let there = c.change.written.other();
    c.t.desks[there].connector.address(c.change.kind_at(there), c.id_at(there)).map(LinkEnd::Url)
}

/// The lists of steps in which shared steps stand in place of calls, with what the plan saw there.
fn expanded<'c>(c: &Course<'c>) -> impl Iterator<Item = (&'c Slot, &'c [Expanded], Option<&'c Value>)> {
    let fields = c.change.fields.iter().filter(|f| !f.expanded.is_empty());
    let into = c.change.written;
    fields.map(move |f| (&f.field, &f.expanded[..], f.held(into)))
}

/// An item as plans see it.
pub(super) fn as_rules_take_it<'i>(c: &Course<'_>, item: &'i Artefact) -> Cow<'i, Artefact> {
    if !c.is_back() {
        return Cow::Borrowed(item);
    }
    let mut out = Cow::Borrowed(item);
    let own = own_link(c);
    if item.links.iter().any(|link| Some(&link.target) == own.as_ref()) {
        out.to_mut().links.retain(|link| Some(&link.target) != own.as_ref());
    }
    for (slot, expanded, _) in expanded(c) {
        if let Value::Steps(steps) = &*slot.of(item) {
            out.to_mut().fields.set(slot.id(), Value::Steps(without_calls(steps, expanded)));
        }
    }
    out
}

/// What was written and what was sent for it, as plans see it.
pub(super) fn both_as_rules_take_it(c: &Course<'_>, written: Written, mut sent: Sent) -> (Written, Sent) {
    let own = own_link(c);
    if let Some(Value::Links(links)) = sent.values.get_mut(&Slot::Links) {
        links.retain(|link| Some(&link.target) != own.as_ref());
    }
    for (slot, expanded, _) in expanded(c) {
        if let Some(Value::Steps(steps)) = sent.values.get_mut(slot) {
            *steps = without_calls(steps, expanded);
        }
    }
    let artefact = as_rules_take_it(c, &written.artefact).into_owned();
    (Written { artefact, ..written }, sent)
}

/// What is sent to an item that stands there so: what Hovrel wrote there, and calls that nobody touched, stay.
pub(super) fn as_it_stands(c: &Course<'_>, mut sent: Sent, now: &Artefact) -> Result<Sent, Failure> {
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
    for (slot, expanded, there) in expanded(c) {
        if let (Some(Value::Steps(edited)), Some(Value::Steps(there))) = (sent.values.get_mut(slot), there) {
            let Some(steps) = with_calls(there, expanded, edited) else {
                return refuse("its steps stand in place of a call", "Make a new dry run.");
            };
            *edited = steps;
        }
    }
    Ok(sent)
}
