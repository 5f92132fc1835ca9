//! Links back: each item that was carried leads to its counterpart.
//!
//! Decides when one is written: after the item is at the end that is written and before that is noted, so that a transfer
//! that was cut writes it when it goes on. It is a change of the other end like any other; the link is added to those that
//! are there, each with its own word, and what somebody changed meanwhile stays.

use std::borrow::Cow;
use std::collections::HashMap;

use hovrel_core::agree::holdings;
use hovrel_core::carry::Lacking;
use hovrel_core::model::{Kind, LINKS, Link, LinkEnd, LinkType, Slot, Value};
use hovrel_core::plan::Outcome;
use hovrel_core::rules::Lane;
use hovrel_store::StepAt;

use super::course::Course;
use super::desk::Desk;
use super::failure::{Failure, TRIES, refuse};
use super::item::{Purpose, Update, update};
use super::sent::Sent;

/// What the journal calls the call that writes one.
const STEP: &str = "back";

/// How items of a kind of an end are linked to their counterparts, for lanes that ask for it and kinds that can hold such links.
pub(super) fn link_types(desk: &Desk, lanes: &[Lane]) -> HashMap<Kind, LinkType> {
    let way = |lane: &Lane| {
        let kind = lane.kind_at(desk.end);
        let links = desk.catalogue.kind(kind)?.field(LINKS).filter(|f| !f.read_only)?;
        let fits = |t: &&LinkType| **t == LinkType::RelatesTo;
        let link_type = match &links.link_types {
            None => LinkType::RelatesTo,
            Some(types) => types.iter().find(fits).or(types.first())?.clone(),
        };
        Some((kind, link_type))
    };
    lanes.iter().filter(|l| l.policies.link_back && l.read() == desk.end).filter_map(way).collect()
}

/// Makes sure that the item that a change was made from leads to its counterpart.
pub(super) async fn link_back(c: &mut Course<'_>, item_id: &str) -> Result<(), Failure> {
    // An item that was made at the other end has its counterpart at the end that links lead to anyway.
    if c.change.outcome == Outcome::InStep || c.is_back() || !c.lane.policies.link_back {
        return Ok(());
    }
    let desk = c.other_desk();
    let kind = c.change.kind_at(desk.end);
    let (Some(from), Some(link_type)) = (c.change.side(desk.end), c.t.link_types[desk.end].get(&kind)) else {
        return Ok(());
    };
    let (Some(url), Some(schema)) = (c.desk().connector.address(c.kind(), item_id), desk.catalogue.kind(kind)) else {
        return Ok(());
    };
    let wanted = Link::new(link_type.clone(), LinkEnd::Url(url));
    for _ in 1..=TRIES {
        let now = desk.read(kind, &from.id).await?;
        if now.links.iter().any(|l| l.target == wanted.target) {
            // Written before the transfer was cut, it is this change's own all the same.
            if c.step(StepAt { written_end: desk.end, step: STEP }).is_some() {
                c.other_written(now.version);
            }
            return Ok(());
        }
        let mut links = now.links.clone();
        links.push(wanted.clone());
        links.sort();
        let sent = Sent { values: [(Slot::Links, Value::Links(links))].into(), lacking: Lacking::new() };
        let asked = Update {
            step: STEP,
            purpose: Purpose::LinkBack,
            id: &from.id,
            version: now.version.clone(),
            before: Cow::Owned(holdings(&now, schema)),
            was: Some(&now),
        };
        match update(c, asked, sent).await {
            Ok((written, _)) => {
                c.other_written(written.artefact.version);
                return Ok(());
            }
            // Somebody was faster: it is read again.
            Err(Failure::Refused(r)) if r.changed => {}
            Err(Failure::Refused(r)) if r.by_system => {
                return refuse(
                    &format!("it was transferred, and {} did not accept the link to it: {}", desk.name, r.why),
                    "Give Hovrel the permission to write there, or have the lane link nothing back; then retry.",
                );
            }
            // No answer came, in all tries.
            Err(Failure::Refused(_)) if c.t.halted(desk.end, &c.change.lane).await.is_none() => break,
            Err(failure) => return Err(failure),
        }
    }
    refuse(
        &format!("it was transferred, and the link to it could not be written in {}", desk.name),
        "Retry; if it keeps failing, check that system's own log.",
    )
}
