//! What an end calls what its values refer to: folders by path, people by name, items by key and title.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use chrono::{DateTime, Utc};
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{Artefact, Comment, Ends, HistoryEntry, Kind, Link, LinkEnd, Reference, Stamp, Value};
use hovrel_core::rehearse::Target;
use hovrel_store::Route;
use tokio::task::block_in_place;
use uuid::Uuid;

use crate::App;
use crate::cache::Surveyed;
use crate::problem::Problem;

/// What links to an item: the kind and the place of each artefact with such a link, and the place of the link.
type Linked = HashMap<(Kind, String), Vec<(Kind, usize, usize)>>;

#[derive(Default)]
pub struct Names {
    pub catalogue: Catalogue,
    /// None if there was no survey.
    pub surveyed_at: Option<DateTime<Utc>>,
    items: HashMap<Kind, Arc<Surveyed>>,
    linked: OnceLock<Linked>,
    target: OnceLock<Arc<Target>>,
}

type Container = (Uuid, String);

/// When a container was surveyed, and when what it can hold was read.
type As = (DateTime<Utc>, DateTime<Utc>);

/// The names of ends that were asked for last, as long as nothing new was read of them.
#[derive(Default)]
pub struct Known(Mutex<HashMap<Container, (As, Arc<Names>)>>);

/// Ends that are kept; the oldest survey goes first.
const MOST: usize = 8;

impl Names {
    /// Of both ends of a route.
    pub async fn at_both(app: &App, route: &Route) -> Result<Ends<Arc<Names>>, Problem> {
        let left = Names::of(app, route.left_system, &route.left_container).await?;
        let right = Names::of(app, route.right_system, &route.right_container).await?;
        Ok(Ends { left, right })
    }

    /// From the last survey of a container. What that takes is done once, and not for each who asks.
    pub async fn of(app: &App, system: Uuid, container: &str) -> Result<Arc<Names>, Problem> {
        let store = &app.hub.store;
        let Some(read_at) = store.read_at(system, container).await? else { return Ok(Arc::default()) };
        let key = (system, container.to_owned());
        let known = || app.names.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, names)) = known().get(&key).filter(|(at, _)| *at == read_at) {
            return Ok(names.clone());
        }
        let Some(survey) = store.survey(system, container).await? else { return Ok(Arc::default()) };
        let catalogue: Catalogue = serde_json::from_value(survey.catalogue)?;
        let mut items = HashMap::new();
        for kind in catalogue.kinds.iter().map(|k| k.kind) {
            items.insert(kind, app.cache.as_of(store, survey.at, system, container, kind).await?);
        }
        let names = Arc::new(Names { catalogue, surveyed_at: Some(survey.at), items, ..Names::default() });
        let mut known = known();
        if known.len() >= MOST && !known.contains_key(&key) {
            let oldest = known.iter().min_by_key(|(_, (at, _))| *at).map(|(k, _)| k.clone());
            oldest.map(|k| known.remove(&k));
        }
        known.insert(key, (read_at, names.clone()));
        Ok(names)
    }

    /// The end as a plan is rehearsed at it.
    pub fn target(&self) -> Arc<Target> {
        let all = self.items.values().flat_map(|kept| &kept.artefacts);
        self.target.get_or_init(|| block_in_place(|| Arc::new(Target::new(&self.catalogue, all)))).clone()
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

    pub fn found(&self, kind: Kind, id: &str) -> Option<&Artefact> {
        self.items.get(&kind)?.by_id(id)
    }

    /// Everything that links to an item: the type of the link in words, the kind, and the item.
    pub fn linked_from(&self, kind: Kind, id: &str) -> impl Iterator<Item = (String, Kind, &Artefact)> {
        let linked = self.linked.get_or_init(|| block_in_place(|| self.linked()));
        let found = linked.get(&(kind, id.to_owned())).map_or(&[][..], Vec::as_slice);
        found.iter().filter_map(|(kind, place, link)| {
            let from = self.items.get(kind)?.artefacts.get(*place)?;
            Some((from.links.get(*link)?.link_type.word().to_owned(), *kind, from))
        })
    }

    fn linked(&self) -> Linked {
        let mut out = Linked::new();
        for (from, kept) in &self.items {
            for (place, artefact) in kept.artefacts.iter().enumerate() {
                for (n, link) in artefact.links.iter().enumerate() {
                    if let LinkEnd::Artefact { kind, id } = &link.target {
                        out.entry((*kind, id.clone())).or_default().push((*from, place, n));
                    }
                }
            }
        }
        out
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
