//! Links back: each item of the left that was carried leads to its counterpart.
//!
//! Decides when one is written: after the item is at the right and before that is noted, so that a transfer
//! that was cut writes it when it goes on. The link is added to those that are there; nothing else of the item
//! is touched, and what somebody changed meanwhile stays.

use std::collections::HashMap;

use hovrel_connect::{ConnectError, Connector, Outcome as CallOutcome, Write};
use hovrel_core::mapping::{LINKS, Lane};
use hovrel_core::model::{Fields, Kind, Link, LinkEnd, LinkType, Value};
use hovrel_core::plan::{Change, Outcome};

use super::Transfer;
use super::apply::{Failure, TRIES, pause, refuse};
use crate::EngineError;

/// How items of the left are linked to their counterparts, by kind, for lanes that ask for it and kinds that
/// can hold such links.
pub async fn link_types(
    left: &dyn Connector,
    system: &str,
    container: &str,
    lanes: &[Lane],
) -> Result<HashMap<Kind, LinkType>, EngineError> {
    if !lanes.iter().any(|l| l.policies.link_back) {
        return Ok(HashMap::new());
    }
    let failed = |error| EngineError::System { system: system.to_owned(), error };
    let catalogue = left.catalogue(container).await.map_err(failed)?;
    let way = |lane: &Lane| {
        let links = catalogue.kind(lane.left_kind)?.field(LINKS).filter(|f| !f.read_only)?;
        let fits = |t: &&LinkType| **t == LinkType::RelatesTo;
        let link_type = match &links.link_types {
            None => LinkType::RelatesTo,
            Some(types) => types.iter().find(fits).or(types.first())?.clone(),
        };
        Some((lane.left_kind, link_type))
    };
    Ok(lanes.iter().filter(|l| l.policies.link_back).filter_map(way).collect())
}

/// Makes sure that the left item of a change leads to its counterpart.
pub async fn link_back(t: &Transfer, change: &Change, lane: &Lane, right_id: &str) -> Result<(), Failure> {
    let (Some(left), true) = (&change.left, change.outcome != Outcome::InStep) else { return Ok(()) };
    let Some(link_type) = t.links_back.get(&change.kind).filter(|_| lane.policies.link_back) else { return Ok(()) };
    let Some(url) = t.right.address(lane.right_kind, right_id) else { return Ok(()) };
    let wanted = Link { link_type: link_type.clone(), target: LinkEnd::Url(url) };
    for tries in 1..=TRIES {
        let now = t.left.one(&t.left_container, change.kind, &left.id).await?;
        if now.links.iter().any(|l| l.target == wanted.target) {
            return Ok(());
        }
        let mut links = now.links.clone();
        links.push(wanted.clone());
        links.sort();
        let fields: Fields = [(LINKS, Value::Links(links))].into_iter().collect();
        let write = Write { kind: change.kind, id: Some(now.id), version: now.version, fields, parent: None };
        match t.left.write(&t.left_container, &write).await {
            Ok(_) => return Ok(()),
            // Somebody was faster: it is read again.
            Err(ConnectError::Changed) => {}
            Err(e) if e.outcome() == CallOutcome::Refused => {
                return refuse(
                    &format!("it was carried, and {} did not take the link to it: {e}", t.left_name),
                    "Give Hovrel the permission to write there, or have the lane link nothing back; then retry.",
                );
            }
            Err(_) => pause(tries).await,
        }
    }
    refuse(
        &format!("it was carried, and the link to it could not be written in {}", t.left_name),
        "Retry; if it goes on, look into that system's own log.",
    )
}
