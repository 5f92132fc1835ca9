//! Links back: each item of the left that was carried leads to its counterpart.
//!
//! Decides when one is written: after the item is at the right and before that is noted, so that a transfer
//! that was cut writes it when it goes on. The link is added to those that are there, each with its own word; nothing
//! else of the item is touched, and what somebody changed meanwhile stays.

use std::collections::HashMap;

use hovrel_connect::{ConnectError, Connector, Outcome as CallOutcome, Write};
use hovrel_core::agree::{changed_besides, holdings};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Fields, Kind, LINKS, Link, LinkEnd, LinkType, Value};
use hovrel_core::plan::Outcome;
use hovrel_core::rules::Lane;
use serde_json::json;

use super::apply::{Failure, Refusal, TRIES, pause, refuse};
use super::course::Course;
use crate::EngineError;
use crate::points::point;

/// What the left takes for links back.
#[derive(Default)]
pub(crate) struct Back {
    here: Catalogue,
    /// How items of a kind are linked to their counterparts, for lanes that ask for it and kinds that can hold such links.
    types: HashMap<Kind, LinkType>,
}

pub async fn backwards(
    left: &dyn Connector,
    system: &str,
    container: &str,
    lanes: &[Lane],
) -> Result<Back, EngineError> {
    if !lanes.iter().any(|l| l.policies.link_back) {
        return Ok(Back::default());
    }
    let failed = |error| EngineError::System { system: system.to_owned(), error };
    let here = left.catalogue(container).await.map_err(failed)?;
    let way = |lane: &Lane| {
        let links = here.kind(lane.left_kind)?.field(LINKS).filter(|f| !f.read_only)?;
        let fits = |t: &&LinkType| **t == LinkType::RelatesTo;
        let link_type = match &links.link_types {
            None => LinkType::RelatesTo,
            Some(types) => types.iter().find(fits).or(types.first())?.clone(),
        };
        Some((lane.left_kind, link_type))
    };
    let types = lanes.iter().filter(|l| l.policies.link_back).filter_map(way).collect();
    Ok(Back { here, types })
}

/// Makes sure that the left item of a change leads to its counterpart.
pub(super) async fn link_back(c: &Course<'_>, right_id: &str) -> Result<(), Failure> {
    let (t, change, lane) = (c.t, c.change, c.lane);
    if change.outcome == Outcome::InStep || !lane.policies.link_back {
        return Ok(());
    }
    let (Some(left), Some(link_type)) = (&change.left, t.back.types.get(&change.kind)) else { return Ok(()) };
    let (Some(url), Some(schema)) = (t.right.address(change.right_kind, right_id), t.back.here.kind(change.kind))
    else {
        return Ok(());
    };
    let wanted = Link::new(link_type.clone(), LinkEnd::Url(url));
    // What a left does to an item that is changed is found out by one of them, too.
    let of = format!("back {}", change.lane);
    let through = t.gates.enter(&of).await;
    if let Some(halt) = t.halted(&of).await {
        return Err(Failure::Refused(halt));
    }
    for tries in 1..=TRIES {
        let now = t.left.one(&t.left_container, change.kind, &left.id).await?;
        if now.links.iter().any(|l| l.target == wanted.target) {
            return Ok(());
        }
        let before = holdings(&now, schema);
        let mut links = now.links.clone();
        links.push(wanted.clone());
        links.sort();
        let fields: Fields = [(LINKS, Value::Links(links))].into_iter().collect();
        c.about_to("back", &json!({"to": right_id})).await?;
        let write = Write { kind: change.kind, id: Some(now.id), version: now.version, fields, parent: None };
        let answer = t.left.write(&t.left_container, &write).await;
        point("back called");
        match answer {
            Ok(written) => {
                let is_sent = |field: &str| field == LINKS;
                let odd = changed_besides(&before, &written.artefact, &is_sent);
                if !odd.is_empty() {
                    // An answer may show only a part of the item.
                    let now = t.left.one(&t.left_container, change.kind, &left.id).await?;
                    let still = changed_besides(&before, &now, &is_sent);
                    let names: Vec<&str> = odd
                        .iter()
                        .filter(|f| still.contains(f))
                        .map(|f| schema.field(f).map_or(&**f, |f| &f.name))
                        .collect();
                    if !names.is_empty() {
                        return stopped(c, &of, &names).await;
                    }
                }
                through.went_well();
                return Ok(());
            }
            // Somebody was faster: it is read again.
            Err(ConnectError::Changed) => {}
            Err(e) if e.outcome() == CallOutcome::Refused => {
                return refuse(
                    &format!("it was transferred, and {} did not accept the link to it: {e}", t.left_name),
                    "Give Hovrel the permission to write there, or have the lane link nothing back; then retry.",
                );
            }
            Err(_) => pause(tries).await,
        }
    }
    refuse(
        &format!("it was transferred, and the link to it could not be written in {}", t.left_name),
        "Retry; if it keeps failing, check that system's own log.",
    )
}

async fn stopped(c: &Course<'_>, of: &str, names: &[&str]) -> Result<(), Failure> {
    let (t, key) = (c.t, c.left_key());
    let why = format!(
        "it was transferred, but when the link to it was written in {}, {} of {key} changed, though it was not sent",
        t.left_name,
        names.join(", ")
    );
    let advice = "Put it back there. If the system empties what is not sent, set `updates: whole` in its profile; or have \
                  the lane link nothing back. Then retry. No other item was changed there.";
    t.halt(of, &t.left_name, &why).await;
    Err(Failure::Refused(Refusal { why, advice: advice.to_owned(), of_value: false, changed: false }))
}
