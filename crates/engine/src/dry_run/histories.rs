//! History that a lane does not carry: kept by Hovrel, with the names of its authors.
//!
//! Decides that nothing of an item's past is lost with the system that held it. Every dry run keeps what it
//! read of the items in scope; nothing is written outside.

use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Artefact, HistoryEntry, Stamp};
use hovrel_store::{NewHistory, Route};

use crate::route::{BothEnds, Scoped};
use crate::{EngineError, Hub};

/// Keeps the histories of the items in scope of lanes that carry none.
pub(crate) async fn keep_histories(
    hub: &Hub,
    route: &Route,
    both: &BothEnds,
    scoped: &[Scoped<'_>],
) -> Result<(), EngineError> {
    for s in scoped.iter().filter(|s| s.lane.keeps_history()) {
        let kept = |item: &&&Artefact| !item.history.is_empty();
        let item_end = s.lane.read();
        let row = |item: &&Artefact| {
            let entries = named(&item.history, &both.ends.catalogues[item_end]);
            Ok(NewHistory {
                route_id: route.id,
                lane: s.lane.id.clone(),
                item_end,
                item_id: item.id.clone(),
                item_key: item.key.clone(),
                system_name: both.at[item_end].system.name.clone(),
                entries: serde_json::to_value(entries)?,
            })
        };
        let rows = s.covered[item_end].iter().filter(kept).map(row).collect::<Result<Vec<_>, EngineError>>()?;
        hub.store.keep_histories(&rows).await?;
    }
    Ok(())
}

/// The entries with people by their names: their ids say nothing without their system.
fn named(entries: &[HistoryEntry], catalogue: &Catalogue) -> Vec<HistoryEntry> {
    let name = |by: &String| catalogue.user(by).map_or_else(|| by.clone(), |u| u.name.clone());
    let one = |e: &HistoryEntry| HistoryEntry {
        stamp: Stamp { at: e.stamp.at, by: e.stamp.by.as_ref().map(name) },
        ..e.clone()
    };
    entries.iter().map(one).collect()
}
