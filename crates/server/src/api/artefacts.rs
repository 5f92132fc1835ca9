//! One artefact: what it holds, what hangs on it, its counterparts, and every transfer that touched it.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use axum::extract::State;
use axum::{Extension, Json};
use chrono::{DateTime, Utc};
use hovrel_connect::Connector;
use hovrel_core::diff::{ValueDiff, diff};
use hovrel_core::model::{Artefact, Attachment, End, Ends, Kind, LinkEnd, Stamp, Value};
use hovrel_core::rules::Lane;
use hovrel_engine::Hub;
use hovrel_store::{Neighbour, Open, PairOf, System};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::losses::LossDetail;
use super::names::Names;
use crate::App;
use crate::access::Reach;
use crate::path::Path;
use crate::problem::Problem;
use crate::query::Query;

#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub struct OneQuery {
    kind: Kind,
    id: String,
}

/// An artefact as last surveyed, and what Hovrel knows of it.
#[derive(Serialize, ToSchema)]
pub struct ArtefactPage {
    kind: Kind,
    /// The system's own word for the kind.
    kind_name: String,
    key: String,
    title: String,
    path: String,
    url: Option<String>,
    system_name: String,
    modified: Option<Stamp>,
    surveyed_at: Option<DateTime<Utc>>,
    fields: Vec<HeldField>,
    attachments: Vec<Attachment>,
    links: Vec<ShownLink>,
    /// Links of others that lead here.
    linked_from: Vec<ShownLink>,
    comments: Option<ValueDiff>,
    history: Option<ValueDiff>,
    /// History of what it was made from, which Hovrel keeps since no rule carries it.
    kept_histories: Vec<KeptAnswer>,
    counterparts: Vec<Counterpart>,
    touches: Vec<TouchAnswer>,
    /// What the newest dry runs want to do with it, or ask about it, as far as nothing was transferred yet.
    open: Vec<OpenAnswer>,
    /// What could not be read of it exactly.
    not_read: Vec<LossDetail>,
    /// Before and after it in the order of its project.
    previous: Option<NeighbourAnswer>,
    next: Option<NeighbourAnswer>,
}

#[derive(Serialize, ToSchema)]
struct NeighbourAnswer {
    id: String,
    key: String,
    title: String,
}

/// A change of the newest plan of a route.
#[derive(Serialize, ToSchema)]
struct OpenAnswer {
    route: Uuid,
    route_name: String,
    seq: i32,
    outcome: String,
    included: bool,
    /// Fields in conflict that are not decided yet.
    conflicts: i64,
}

#[derive(Serialize, ToSchema)]
struct HeldField {
    field: String,
    name: String,
    value: ValueDiff,
    empty: bool,
}

#[derive(Serialize, ToSchema)]
struct ShownLink {
    /// The type of the link in words.
    word: String,
    key: String,
    title: String,
    /// What is linked to, if it is of the same project.
    item: Option<ItemId>,
    url: Option<String>,
}

#[derive(Serialize, ToSchema)]
struct ItemId {
    kind: Kind,
    id: String,
}

#[derive(Serialize, ToSchema)]
struct KeptAnswer {
    system_name: String,
    key: String,
    history: ValueDiff,
    kept_at: DateTime<Utc>,
}

/// The same thing at the other end of a route.
#[derive(Serialize, ToSchema)]
struct Counterpart {
    route: Uuid,
    lane: String,
    route_name: String,
    system: Uuid,
    system_name: String,
    container: String,
    item: ItemId,
    /// Where a person sees it there.
    url: Option<String>,
    /// Empty if it was not surveyed since it was made.
    key: String,
    title: String,
    /// The end of its route at which it is.
    end: End,
}

/// A change that a transfer applied, or tried to.
#[derive(Serialize, ToSchema)]
struct TouchAnswer {
    route: Uuid,
    route_name: String,
    plan: Uuid,
    seq: i32,
    outcome: String,
    fields: Vec<String>,
    losses: i32,
    state: String,
    at: DateTime<Utc>,
}

/// One artefact.
#[utoipa::path(get, path = "/systems/{id}/containers/{container}/artefact", operation_id = "getArtefact",
    params(("id" = Uuid, Path), ("container" = String, Path), OneQuery),
    responses((status = 200, body = ArtefactPage)))]
pub async fn one(
    State(app): State<App>,
    Extension(reach): Extension<Reach>,
    Path((system, container)): Path<(Uuid, String)>,
    Query(query): Query<OneQuery>,
) -> Result<Json<ArtefactPage>, Problem> {
    let store = &app.hub.store;
    let row = store.artefact(system, &container, query.kind.id(), &query.id).await?;
    let neighbours = store.neighbours(&row).await?;
    let artefact: Artefact = serde_json::from_value(row.body)?;
    let names = Names::of(&app, system, &container).await?;
    let schema = names.catalogue.kind(artefact.kind);
    let fields = schema.into_iter().flat_map(|k| &k.fields).filter(|f| !f.value_type.hangs());
    let held = |f: &hovrel_core::catalogue::FieldSchema| {
        let value = artefact.fields.get(&f.id).unwrap_or(&Value::Empty);
        let named = names.named(value, names.refers_to(artefact.kind, Some(&f.id)), &names);
        HeldField { field: f.id.clone(), name: f.name.clone(), value: diff(&named, &named), empty: value.is_blank() }
    };
    let said = |value: Value| {
        let named = names.named(&value, artefact.kind, &names);
        diff(&named, &named)
    };
    let mut linked_from: Vec<ShownLink> = names
        .linked_from(artefact.kind, &artefact.id)
        .map(|(word, kind, from)| ShownLink {
            word,
            key: from.key.clone(),
            title: from.title.clone(),
            item: Some(ItemId { kind, id: from.id.clone() }),
            url: None,
        })
        .collect();
    linked_from.sort_by(|a, b| (&a.word, &a.key).cmp(&(&b.word, &b.key)));
    let mut counterparts = counterparts(&app, system, &container, &artefact).await?;
    counterparts.retain(|c| reach.route(c.route));
    let touches = touches(&app, &counterparts, &artefact).await?;
    let kept_histories = kept(&app, &counterparts).await?;
    let mut open = open(&app, (system, &container), &counterparts, &artefact).await?;
    open.retain(|c| reach.route(c.route));
    let beside = |n: Neighbour| NeighbourAnswer { id: n.external_id, key: n.key, title: n.title };
    let [previous, next] = neighbours.map(|n| n.map(beside));
    Ok(Json(ArtefactPage {
        kind: artefact.kind,
        kind_name: schema.map_or_else(|| artefact.kind.word().to_owned(), |k| k.name.clone()),
        fields: fields.map(held).collect(),
        links: artefact.links.iter().map(|l| shown(&names, l.link_type.word(), &l.target)).collect(),
        linked_from,
        comments: (!artefact.comments.is_empty()).then(|| said(Value::Comments(artefact.comments.clone()))),
        history: (!artefact.history.is_empty()).then(|| said(Value::History(artefact.history.clone()))),
        modified: artefact.modified.as_ref().map(|m| names.stamp(m, &names)),
        system_name: store.system(system).await?.name,
        path: row.path,
        kept_histories,
        counterparts,
        touches,
        open,
        previous,
        next,
        not_read: artefact.read_losses.iter().map(LossDetail::of).collect(),
        surveyed_at: names.surveyed_at,
        key: artefact.key,
        title: artefact.title,
        url: artefact.url,
        attachments: artefact.attachments,
    }))
}

fn shown(names: &Names, word: &str, target: &LinkEnd) -> ShownLink {
    let word = word.to_owned();
    match target {
        LinkEnd::Artefact { kind, id } | LinkEnd::Pending { kind, id } => {
            let found = names.found(*kind, id);
            ShownLink {
                word,
                key: found.map_or_else(|| id.clone(), |a| a.key.clone()),
                title: found.map_or_else(String::new, |a| a.title.clone()),
                item: found.map(|_| ItemId { kind: *kind, id: id.clone() }),
                url: None,
            }
        }
        LinkEnd::Url(url) => {
            ShownLink { word, key: String::new(), title: url.clone(), item: None, url: Some(url.clone()) }
        }
    }
}

/// Connectors that are only asked where a person sees an item; no call goes out. To make one takes longer than all the rest
/// of an artefact's view, so that each is made once for a version of its system.
#[derive(Default)]
pub struct Addresses(Mutex<HashMap<Uuid, Made>>);

/// The version of the system that it was made for, and the connector.
type Made = (i32, Arc<dyn Connector>);

impl Addresses {
    fn of(&self, hub: &Hub, system: &System) -> Result<Arc<dyn Connector>, Problem> {
        let mut made = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, connector)) = made.get(&system.id).filter(|(version, _)| *version == system.version) {
            return Ok(connector.clone());
        }
        let connector = hub.connect(system)?;
        made.insert(system.id, (system.version, connector.clone()));
        Ok(connector)
    }
}

async fn counterparts(
    app: &App,
    system: Uuid,
    container: &str,
    artefact: &Artefact,
) -> Result<Vec<Counterpart>, Problem> {
    let systems: HashMap<Uuid, System> = app.hub.store.systems().await?.into_iter().map(|s| (s.id, s)).collect();
    let mut out = Vec::new();
    for pair in app.hub.store.pairs_of(system, container, &artefact.id).await? {
        let lanes: Vec<Lane> = serde_json::from_value(pair.lanes.clone())?;
        let Some(lane) = lanes.iter().find(|l| l.id == pair.lane) else { continue };
        let here_is_left = pair.left_system == system && pair.left_container == container;
        let PairOf { left_id, right_id, left_system, right_system, left_container, right_container, .. } = pair;
        let (kind, other, its_kind, id) = match here_is_left {
            true => (lane.left_kind, (right_system, right_container), lane.right_kind, right_id),
            false => (lane.right_kind, (left_system, left_container), lane.left_kind, left_id),
        };
        // Ids are unique within a kind only.
        if kind != artefact.kind {
            continue;
        }
        let (its_system, its_container) = other;
        let surveyed = app.cache.get(&app.hub.store, its_system, &its_container, its_kind).await?;
        let known = surveyed.by_id(&id);
        let Some(its) = systems.get(&its_system) else { continue };
        out.push(Counterpart {
            route: pair.route,
            lane: pair.lane,
            route_name: pair.route_name,
            system: its_system,
            // Only what was not surveyed yet needs a connector to tell its address.
            url: match known {
                Some(a) => a.url.clone(),
                None => app.addresses.of(&app.hub, its)?.address(its_kind, &id),
            },
            system_name: its.name.clone(),
            container: its_container,
            key: known.map_or_else(String::new, |a| a.key.clone()),
            title: known.map_or_else(String::new, |a| a.title.clone()),
            item: ItemId { kind: its_kind, id },
            end: if here_is_left { End::Right } else { End::Left },
        });
    }
    Ok(out)
}

/// The kept histories of what an artefact was made from.
async fn kept(app: &App, counterparts: &[Counterpart]) -> Result<Vec<KeptAnswer>, Problem> {
    let (routes, ids): (Vec<Uuid>, Vec<&str>) = counterparts.iter().map(|c| (c.route, c.item.id.as_str())).unzip();
    let mut out = Vec::new();
    for found in app.hub.store.kept_histories(&routes, &ids).await? {
        let is_its = |c: &Counterpart| {
            (c.route, c.lane.as_str(), c.end, c.item.id.as_str())
                == (found.route_id, found.lane.as_str(), found.item_end, found.item_id.as_str())
        };
        if counterparts.iter().any(is_its) {
            let entries = Value::History(serde_json::from_value(found.entries)?);
            out.push(KeptAnswer {
                system_name: found.system_name,
                key: found.item_key,
                history: diff(&entries, &entries),
                kept_at: found.kept_at,
            });
        }
    }
    Ok(out)
}

/// Changes of an artefact that wait in the newest plans: its own, or through its counterparts.
async fn open(
    app: &App,
    (system, container): (Uuid, &str),
    counterparts: &[Counterpart],
    artefact: &Artefact,
) -> Result<Vec<OpenAnswer>, Problem> {
    let routes = app.hub.store.routes().await?;
    let mut here: Vec<(Uuid, End, Lane)> = Vec::new();
    for route in &routes {
        for end in End::BOTH.into_iter().filter(|end| route.end(*end) == (system, container)) {
            let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
            let of_kind = lanes.into_iter().filter(|lane| lane.kind_at(end) == artefact.kind);
            here.extend(of_kind.map(|lane| (route.id, end, lane)));
        }
    }
    let itself =
        here.iter().map(|(route, end, lane)| Open { route: *route, lane: &lane.id, end: *end, id: &artefact.id });
    let through = counterparts.iter().map(|c| Open { route: c.route, lane: &c.lane, end: c.end, id: &c.item.id });
    let of: Vec<Open<'_>> = itself.chain(through).collect();
    let found = app.hub.store.open_changes(&of).await?.into_iter().map(|c| OpenAnswer {
        route: c.route,
        route_name: c.route_name,
        seq: c.seq,
        outcome: c.outcome,
        included: c.included,
        conflicts: c.open,
    });
    Ok(found.collect())
}

async fn touches(app: &App, counterparts: &[Counterpart], artefact: &Artefact) -> Result<Vec<TouchAnswer>, Problem> {
    let routes: Vec<Uuid> = counterparts.iter().map(|c| c.route).collect();
    let ids = Ends::of(|end| {
        let id = |c: &'_ Counterpart| if c.end == end { c.item.id.clone() } else { artefact.id.clone() };
        counterparts.iter().map(id).collect::<Vec<String>>()
    });
    let ids = ids.as_ref().map(|ids| ids.iter().map(String::as_str).collect::<Vec<&str>>());
    let found = app.hub.store.touches(&routes, ids.as_ref().map(Vec::as_slice)).await?;
    let of = |t: hovrel_store::Touch| {
        let counterpart = counterparts.iter().find(|c| Some(c.route) == t.route)?;
        Some(TouchAnswer {
            route: counterpart.route,
            route_name: counterpart.route_name.clone(),
            plan: t.plan,
            seq: t.seq,
            outcome: t.outcome,
            fields: t.fields,
            losses: t.losses,
            state: t.state,
            at: t.at,
        })
    };
    Ok(found.into_iter().filter_map(of).collect())
}
