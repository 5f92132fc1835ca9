//! The desk at which one end of a transfer is worked.
//!
//! Decides what a value that comes from the other end is here: where the items are that it refers to, and what people
//! call them. Both ends have a desk that is made alike; which of them is written is said by each change.

use std::collections::HashMap;
use std::sync::Arc;

use hovrel_connect::{ConnectError, Connector};
use hovrel_core::carry::{NotThere, Resolved, resolved};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Artefact, End, Kind, Value, named, pending_names};
use hovrel_store::MarkAt;
use tokio::sync::RwLock;
use uuid::Uuid;

use super::failure::{Failure, refuse};
use super::sent::Sent;

/// Of items of the other end, by kind and id there: what is known of their counterparts here.
pub(super) type ByOther = HashMap<(Kind, String), String>;

pub(super) struct Desk {
    pub end: End,
    pub system: Uuid,
    /// What people call the system.
    pub name: String,
    pub connector: Arc<dyn Connector>,
    pub container: String,
    /// What it could hold when the transfer began.
    pub catalogue: Catalogue,
    /// Kinds of the other end with theirs here, in the order of the lanes.
    kinds: Vec<(Kind, Kind)>,
    /// The ids of the items here, as they come to be.
    places: RwLock<ByOther>,
    /// What people call them here, as far as that was met.
    names: RwLock<ByOther>,
}

impl Desk {
    pub fn new(
        end: End,
        (system, name): (Uuid, String),
        (connector, container): (Arc<dyn Connector>, String),
        catalogue: Catalogue,
    ) -> Desk {
        let (places, names) = (RwLock::default(), RwLock::default());
        Desk { end, system, name, connector, container, catalogue, kinds: Vec::new(), places, names }
    }

    /// With the items that are here already, and the kinds that the lanes pair.
    pub fn knowing(self, places: ByOther, kinds: Vec<(Kind, Kind)>) -> Desk {
        Desk { places: RwLock::new(places), kinds, ..self }
    }

    /// An item as it is now.
    pub async fn read(&self, kind: Kind, id: &str) -> Result<Artefact, ConnectError> {
        self.connector.one(&self.container, kind, id).await
    }

    /// Whether a field is a state that is reached by moves.
    pub fn is_state(&self, kind: Kind, field: &str) -> bool {
        self.catalogue.kind(kind).and_then(|k| k.field(field)).is_some_and(|f| f.workflow.is_some())
    }

    /// The mark of origin that a write makes, if it makes one.
    pub fn mark_of(&self, kind: Kind, sent: &Sent) -> Option<String> {
        let field = self.catalogue.kind(kind)?.fields.iter().find(|f| f.origin_mark)?;
        sent.values.get(field.id.as_str()).map(|v| v.display()).filter(|m| !m.is_empty())
    }

    pub fn mark_at(&self, kind: Kind) -> MarkAt<'_> {
        MarkAt { system: self.system, container: &self.container, kind: kind.id() }
    }

    /// Where the counterpart of an item of the other end is.
    pub async fn place(&self, kind: Kind, other_id: &str) -> Option<String> {
        self.places.read().await.get(&(kind, other_id.to_owned())).cloned()
    }

    /// Notes where the counterpart of an item of the other end is, and what people call it.
    pub async fn keep_place(&self, other: (Kind, String), id: &str, key: &str) {
        self.names.write().await.insert(other.clone(), key.to_owned());
        self.places.write().await.insert(other, id.to_owned());
    }

    /// A value with everything found that it refers to. What can't do without is refused; of a list, what is there
    /// is kept.
    pub async fn resolved(&self, value: &Value) -> Result<Resolved, Failure> {
        let places = self.places.read().await;
        let place = |kind, id: &str| Some((self.kind_here(kind), places.get(&(kind, id.to_owned()))?.clone()));
        resolved(value, &place).or_else(|NotThere { kind, id }| {
            refuse(
                &format!("its {kind} {id} is not at the other end"),
                "Include that item's own change, or see why it was refused, and retry.",
            )
        })
    }

    /// A value with the items that its texts name called as they are called here. Items that are not here keep their
    /// keys of the other end.
    pub async fn named(&self, value: &Value) -> Result<Value, Failure> {
        for (kind, id) in pending_names(value) {
            let here = self.place(kind, &id).await;
            if let Some(here) = here
                && !self.names.read().await.contains_key(&(kind, id.clone()))
            {
                // Made before the transfer was cut: only its id was noted.
                let found = self.read(self.kind_here(kind), &here).await?;
                self.names.write().await.insert((kind, id), found.key);
            }
        }
        let names = self.names.read().await;
        Ok(named(value, &|kind, id| names.get(&(kind, id.to_owned())).cloned()).into_owned())
    }

    fn kind_here(&self, kind: Kind) -> Kind {
        self.kinds.iter().find(|(other, _)| *other == kind).map_or(kind, |(_, here)| *here)
    }
}
