//! What an end calls what its values refer to: folders by path, people by name, items by key and title.

use std::collections::HashMap;
use std::sync::Arc;

use chrono::{DateTime, Utc};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Artefact, Comment, HistoryEntry, Kind, Link, LinkEnd, Reference, Stamp, Value};
use uuid::Uuid;

use crate::App;
use crate::cache::Surveyed;
use crate::problem::Problem;

pub struct Names {
    pub catalogue: Catalogue,
    /// None if there was no survey.
    pub surveyed_at: Option<DateTime<Utc>>,
    items: HashMap<Kind, Arc<Surveyed>>,
}

impl Names {
    /// From the last survey of a container.
    pub async fn of(app: &App, system: Uuid, container: &str) -> Result<Names, Problem> {
        let survey = app.hub.store.survey(system, container).await?;
        let surveyed_at = survey.as_ref().map(|s| s.at);
        let catalogue: Catalogue = survey.map(|s| serde_json::from_value(s.catalogue)).transpose()?.unwrap_or_default();
        let mut items = HashMap::new();
        for kind in catalogue.kinds.iter().map(|k| k.kind) {
            items.insert(kind, app.cache.get(&app.hub.store, system, container, kind).await?);
        }
        Ok(Names { catalogue, surveyed_at, items })
    }

    /// The kind that a field refers to; folders for what is no field.
    pub fn refers_to(&self, kind: Kind, field: Option<&str>) -> Kind {
        let schema = field.and_then(|f| self.catalogue.kind(kind)?.field(f));
        schema.and_then(|f| f.refers_to).unwrap_or(Kind::Folder)
    }

    fn item(&self, kind: Kind, id: &str) -> String {
        let Some(kept) = self.items.get(&kind) else { return id.to_owned() };
        if kind == Kind::Folder {
            return kept.paths.get(id).map_or_else(|| id.to_owned(), |p| p.join(" / "));
        }
        kept.by_id(id).map_or_else(|| id.to_owned(), |a| format!("{} {}", a.key, a.title))
    }

    /// Everything that was surveyed.
    pub fn all(&self) -> impl Iterator<Item = &Artefact> + Clone {
        self.items.values().flat_map(|kept| &kept.artefacts)
    }

    pub fn found(&self, kind: Kind, id: &str) -> Option<&Artefact> {
        self.items.get(&kind)?.by_id(id)
    }

    /// Everything that links to an item: the type of the link in words, the kind, and the item.
    pub fn linked_from(&self, kind: Kind, id: &str) -> impl Iterator<Item = (String, Kind, &Artefact)> {
        let target = LinkEnd::Artefact { kind, id: id.to_owned() };
        self.items.iter().flat_map(move |(kind, kept)| {
            let target = target.clone();
            let links = kept.artefacts.iter().flat_map(|a| a.links.iter().map(move |l| (a, l)));
            links.filter(move |(_, l)| l.target == target).map(|(a, l)| (l.link_type.word().to_owned(), *kind, a))
        })
    }

    fn person(&self, id: &str) -> String {
        self.catalogue.user(id).map_or_else(|| id.to_owned(), |u| u.name.clone())
    }

    /// A value with what stands for something else by its name. `kind` is what a reference in it leads to;
    /// what is still to be made is known by its id at the `left`.
    pub fn named(&self, value: &Value, kind: Kind, left: &Names) -> Value {
        let reference = |r: &Reference| match r {
            Reference::Known(id) => self.item(kind, id),
            Reference::Pending { kind, id } => left.item(*kind, id),
        };
        match value {
            Value::Reference(r) => Value::Text(reference(r)),
            Value::References(list) => Value::Text(list.iter().map(reference).collect::<Vec<_>>().join("\n")),
            Value::Links(list) => Value::Text(list.iter().map(|l| self.link(l, left)).collect::<Vec<_>>().join("\n")),
            Value::Comments(list) => Value::Comments(
                list.iter().map(|c| Comment { stamp: self.stamp(&c.stamp, left), ..c.clone() }).collect(),
            ),
            Value::History(list) => Value::History(
                list.iter().map(|e| HistoryEntry { stamp: self.stamp(&e.stamp, left), ..e.clone() }).collect(),
            ),
            Value::User(id) => Value::Text(self.person(id)),
            Value::UserList(ids) => Value::Text(ids.iter().map(|id| self.person(id)).collect::<Vec<_>>().join(", ")),
            Value::Steps(steps) => {
                let mut steps = steps.clone();
                for call in steps.iter_mut().filter_map(|s| s.call.as_mut()) {
                    let name = match &call.target {
                        Reference::Known(id) => self.item(Kind::SharedSteps, id),
                        Reference::Pending { kind, id } => left.item(*kind, id),
                    };
                    call.target = Reference::Known(name);
                }
                Value::Steps(steps)
            }
            other => other.clone(),
        }
    }

    pub fn stamp(&self, stamp: &Stamp, left: &Names) -> Stamp {
        let name = |id: &String| match self.catalogue.user(id) {
            Some(user) => user.name.clone(),
            None => left.person(id),
        };
        Stamp { at: stamp.at, by: stamp.by.as_ref().map(name) }
    }

    fn link(&self, link: &Link, left: &Names) -> String {
        let end = match &link.target {
            LinkEnd::Artefact { kind, id } => self.item(*kind, id),
            LinkEnd::Pending { kind, id } => left.item(*kind, id),
            LinkEnd::Url(url) => url.clone(),
        };
        format!("{} {end}", link.link_type.word())
    }
}
