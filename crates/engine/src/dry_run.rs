//! The dry run: both ends read, compared, and a plan kept. Writes nothing outside (invariant 5).

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use hovrel_core::compare::{Agreement, Base, BaseSide, Comparer, End, Known, compare_lane};
use hovrel_core::identity::{Accepted, Between, Counterparts, InLane, Pair, Settled, counterparts};
use hovrel_core::mapping::{FirstContact, Lane, Place, call_order, order_is_carried};
use hovrel_core::model::{Artefact, Fingerprint, Kind, Reference};
use hovrel_core::plan::{Brief, Change, Decision, Outcome};
use hovrel_core::rehearse::Pace;
use hovrel_core::scope::{Chosen, HandedOver, choose, count_once, hand_over};
use hovrel_store::{NewChange, PairMove, Plan, SettledMatch, Store};
use serde::{Deserialize, Serialize};
use serde_json::json;
use tokio::task::block_in_place;
use uuid::Uuid;

use crate::both::{Both, read_both};
use crate::drafted::Drafted;
use crate::ends::{Mapped, in_scope, lane_checks};
use crate::rehearsed::{Rehearsed, pace, rehearse};
use crate::survey::path_of;
use crate::worker::Running;
use crate::{EngineError, Hub, kept};

/// What a dry run found, in numbers.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct PlanSummary {
    pub left_in_scope: u64,
    pub left_total: u64,
    pub right_total: u64,
    pub in_step: u64,
    /// Artefacts at the right that nothing at the left stands for.
    pub only_right: u64,
    /// What each end allows, as it was read; none in plans of before it was kept.
    #[serde(default)]
    pub paces: Option<Paces>,
    /// Pairs that a person let go, and that are not told again.
    #[serde(default)]
    pub let_go: u64,
    /// Kinds whose items stand in folders at both ends and don't keep their order there.
    #[serde(default)]
    pub order_not_kept: Vec<Kind>,
    /// How many items more than one lane covers, of the same kinds: one of them carries each.
    #[serde(default)]
    pub covered_twice: u64,
    /// The digest of each rule with what it reads besides the item, by lane and target.
    #[serde(default)]
    pub rules: BTreeMap<String, BTreeMap<String, String>>,
}

/// What both ends allow.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Paces {
    pub left: Pace,
    pub right: Pace,
}

/// A lane with what is its own at both ends.
pub(crate) struct Scoped<'a> {
    pub lane: Lane,
    pub left: Vec<&'a Artefact>,
    pub right: Vec<&'a Artefact>,
    /// What was found for those of the left that have no pair.
    pub found: Counterparts<'a>,
    /// How many more it covers that another lane carries.
    pub with_others: u64,
}

/// What is in the scope of a route.
pub(crate) struct InScope<'a> {
    pub lanes: Vec<Scoped<'a>>,
    pub mapped: Mapped,
    /// Pairs that another lane has from now on.
    pub handed_over: Vec<HandedOver>,
}

/// Decides what each lane covers, and where folders are at the right. Lanes come in the order of their
/// kinds, folders first and from the top down. A pair comes to the lane that covers it now.
pub(crate) fn scope_lanes<'a>(
    both: &'a Both,
    lanes: &[Lane],
    pairs: &mut HashMap<String, Vec<Pair>>,
    settled: &HashMap<String, Settled>,
) -> InScope<'a> {
    let left_of = |kind| both.left_items.get(&kind).map_or(&[][..], Vec::as_slice);
    let right_of = |kind| both.right_items.get(&kind).map_or(&[][..], Vec::as_slice);
    let left_path = |a: &Artefact| path_of(a, &both.left_paths);
    let remembered: HashSet<(&str, &str)> =
        pairs.iter().flat_map(|(lane, of)| of.iter().map(|p| (lane.as_str(), p.left_id.as_str()))).collect();
    let end = Chosen {
        catalogue: &both.ends.left,
        items: &left_of,
        path: &left_path,
        now: both.read_at,
        carried: &|lane, id| remembered.contains(&(lane.id.as_str(), id)),
    };
    let covered = choose(lanes, &end);
    let handed_over = hand_over(lanes, &covered, pairs);
    let mut scoped: Vec<Scoped<'a>> = lanes
        .iter()
        .zip(covered)
        .map(|(lane, covered)| Scoped {
            lane: lane.clone(),
            left: as_the_lane_takes_them(both, lane, covered.all()),
            right: both.ends.right.kind(lane.right_kind).map_or_else(Vec::new, |kind| {
                in_scope(right_of(lane.right_kind), &lane.right_scope, kind, &both.right_paths, both.read_at)
            }),
            found: Counterparts::default(),
            with_others: covered.with_others,
        })
        .collect();
    find(both, &mut scoped, pairs, settled);
    let mut mapped = Mapped::default();
    for s in &mut scoped {
        match s.lane.left_kind {
            Kind::Folder => s.left.sort_by_key(|f| both.left_paths.get(&f.id).map_or(0, Vec::len)),
            Kind::SharedSteps => {
                let order = call_order(&s.left);
                let at: HashMap<&str, usize> = order.iter().enumerate().map(|(n, id)| (id.as_str(), n)).collect();
                s.left.sort_by_key(|a| at.get(a.id.as_str()).copied().unwrap_or(usize::MAX));
            }
            _ => {}
        }
        place(&mut mapped, s, both, pairs.get(&s.lane.id).map_or(&[][..], Vec::as_slice));
    }
    scoped.sort_by_key(|s| s.lane.left_kind);
    mapped.set_left(both.left.clone());
    mapped.set_keys(both.left_items.values().flatten(), both.right_items.values().flatten());
    let mut followed: Vec<_> = both.carried_elsewhere.iter().filter(|e| e.followed.is_some()).collect();
    followed.sort_by_key(|e| e.followed);
    for e in followed {
        mapped.set_elsewhere(e.kind, &e.left_id, &e.there);
    }
    InScope { lanes: scoped, mapped, handed_over }
}

/// Finds what each lane has at the right, all of them together.
fn find<'a>(
    both: &'a Both,
    scoped: &mut [Scoped<'a>],
    pairs: &HashMap<String, Vec<Pair>>,
    settled: &HashMap<String, Settled>,
) {
    let nothing = Settled::new();
    let lanes: Vec<InLane<'_, 'a>> = scoped
        .iter()
        .map(|s| InLane {
            lane: &s.lane,
            left: &s.left,
            right: &s.right,
            pairs: pairs.get(&s.lane.id).map_or(&[][..], Vec::as_slice),
            settled: settled.get(&s.lane.id).unwrap_or(&nothing),
        })
        .collect();
    let between = Between {
        left_system: &both.ends.left_system,
        left_path: &|a| path_of(a, &both.left_paths).join(" / "),
        right_path: &|a| path_of(a, &both.right_paths).join(" / "),
    };
    let found = counterparts(between, &lanes);
    drop(lanes);
    for (s, mut found) in scoped.iter_mut().zip(found) {
        s.right = std::mem::take(&mut found.own);
        s.found = found;
    }
}

/// The items of a lane as its own rules take them.
fn as_the_lane_takes_them<'a>(both: &'a Both, lane: &Lane, items: Vec<&'a Artefact>) -> Vec<&'a Artefact> {
    let Some(own) = both.of_lane.get(&lane.id) else { return items };
    let by_id: HashMap<&str, &Artefact> = own.iter().map(|a| (a.id.as_str(), a)).collect();
    items.into_iter().filter_map(|a| by_id.get(a.id.as_str()).copied()).collect()
}

/// Notes where the items of a lane are at the right: with their pair, with what surely is their
/// counterpart, or still to be made.
fn place(mapped: &mut Mapped, s: &Scoped<'_>, both: &Both, known: &[Pair]) {
    let (left_kind, right_kind) = (s.lane.left_kind, s.lane.right_kind);
    let there: HashSet<&str> = both.right_items.get(&right_kind).into_iter().flatten().map(|a| a.id.as_str()).collect();
    let mut set = |id: &str, reference| mapped.set(left_kind, id, Place { kind: right_kind, reference });
    for pair in known.iter().filter(|p| there.contains(p.right_id.as_str())) {
        set(&pair.left_id, Reference::Known(pair.right_id.clone()));
    }
    let paired: HashSet<&str> = known.iter().map(|p| p.left_id.as_str()).collect();
    for artefact in s.left.iter().filter(|a| !paired.contains(a.id.as_str())) {
        // What is only alike may still be refused: nothing refers to it yet.
        let reference = match s.found.found.get(artefact.id.as_str()).filter(|(_, how)| how.is_sure()) {
            Some((other, _)) => Reference::Known(other.id.clone()),
            None => Reference::Pending { kind: left_kind, id: artefact.id.clone() },
        };
        set(&artefact.id, reference);
    }
}

/// The pairs of a route by lane, each with how its fields came to be in step; what is the same for many is kept once.
pub(crate) async fn pairs_by_lane(store: &Store, route: Uuid) -> Result<HashMap<String, Vec<Pair>>, EngineError> {
    let rows = store.pairs(route).await?;
    let hashes: HashSet<Vec<u8>> = rows.iter().filter_map(|r| r.agreed.clone()).collect();
    let mut agreements: HashMap<Vec<u8>, Arc<Agreement>> = HashMap::new();
    for (hash, body) in store.snapshots(&hashes.into_iter().collect::<Vec<_>>()).await? {
        agreements.insert(hash, Arc::new(serde_json::from_value(body)?));
    }
    let mut out: HashMap<String, Vec<Pair>> = HashMap::new();
    for row in rows {
        out.entry(row.lane).or_default().push(Pair {
            left_id: row.left_id,
            right_id: row.right_id,
            left_key: row.left_key,
            right_key: row.right_key,
            left_base: Fingerprint::from_bytes(&row.left_base),
            right_base: Fingerprint::from_bytes(&row.right_base),
            agreed: row.agreed.and_then(|hash| agreements.get(&hash).cloned()),
            let_go: row.let_go,
        });
    }
    Ok(out)
}

/// What is remembered of the comments and past changes of a lane's items, by the ids of both.
pub(crate) async fn accepted_by_pair(
    store: &Store,
    both: &Both,
    lane: &Lane,
) -> Result<HashMap<(String, String), Vec<Accepted>>, EngineError> {
    let (left, right) = ((both.left_system.id, lane.left_kind.id()), (both.right_system.id, lane.right_kind.id()));
    let mut out: HashMap<(String, String), Vec<Accepted>> = HashMap::new();
    for row in store.accepted_pieces(left, right).await? {
        let before = match row.state.as_str() {
            "intended" => Some(row.before.map_or(Ok(Vec::new()), serde_json::from_value)?),
            _ => None,
        };
        out.entry((row.left_id, row.right_id)).or_default().push(Accepted {
            slot: row.slot,
            left: row.left_piece,
            right: row.right_piece,
            said: row.said,
            before,
        });
    }
    Ok(out)
}

/// What a person said of items without a pair, by lane.
pub fn settled_by_lane(rows: Vec<SettledMatch>) -> HashMap<String, Settled> {
    let mut out: HashMap<String, Settled> = HashMap::new();
    for row in rows {
        out.entry(row.lane).or_default().insert(row.left_id, row.right_id);
    }
    out
}

/// The bases of the pairs whose fingerprints no longer fit, in one query.
pub(crate) async fn changed_bases(
    store: &Store,
    scoped: &Scoped<'_>,
    both: &Both,
    mapped: &Mapped,
    pairs: &[Pair],
    right_all: &HashMap<&str, &Artefact>,
) -> Result<HashMap<String, Base>, EngineError> {
    let Some(cx) = both.ends.context(&scoped.lane, mapped) else { return Ok(HashMap::new()) };
    let comparer = Comparer::new(&scoped.lane, &cx);
    let by_left: HashMap<&str, &Artefact> = scoped.left.iter().map(|a| (a.id.as_str(), *a)).collect();
    let changed: Vec<&Pair> = pairs
        .iter()
        .filter(|p| match (by_left.get(p.left_id.as_str()), right_all.get(p.right_id.as_str())) {
            (Some(l), Some(r)) => !comparer.untouched(l, r, p),
            _ => false,
        })
        .collect();
    let hashes: Vec<Vec<u8>> =
        changed.iter().flat_map(|p| [p.left_base, p.right_base].map(|f| f.as_bytes().to_vec())).collect();
    let mut bodies: HashMap<Vec<u8>, BaseSide> = HashMap::new();
    for (hash, body) in store.snapshots(&hashes).await? {
        bodies.insert(hash, serde_json::from_value(body)?);
    }
    let side = |f: &Fingerprint| bodies.get(f.as_bytes().as_slice()).cloned().unwrap_or_default();
    Ok(changed
        .iter()
        .map(|p| {
            let agreed = p.agreed.as_ref().map(|a| (**a).clone().into()).unwrap_or_default();
            (p.left_id.clone(), Base { left: side(&p.left_base), right: side(&p.right_base), agreed })
        })
        .collect())
}

pub(crate) async fn run(hub: &Hub, job: &Running, route: Uuid) -> Result<serde_json::Value, EngineError> {
    let route = hub.store.route(route).await?;
    let lanes: Vec<Lane> = serde_json::from_value(route.lanes.clone())?;
    let mut pairs = pairs_by_lane(&hub.store, route.id).await?;
    let settled = settled_by_lane(hub.store.settled_matches(route.id).await?);
    let both = read_both(hub, job, &route, &lanes, &pairs).await?;
    job.tell(json!({"phase": "comparing"})).await?;
    let faults = lane_checks(&lanes, &both.ends, &|_| Vec::new());
    if !faults.is_empty() {
        let named = faults.iter().map(|f| format!("{}, {}: {}", f.lane, f.field, f.message)).collect();
        return Err(EngineError::Faults(named));
    }
    let InScope { lanes: scoped, mapped, handed_over } =
        block_in_place(|| scope_lanes(&both, &lanes, &mut pairs, &settled));
    kept::keep_histories(hub, &route, &both, &scoped).await?;
    let mut summary = PlanSummary::default();
    let (left_kinds, right_kinds): (HashSet<Kind>, HashSet<Kind>) =
        scoped.iter().map(|s| (s.lane.left_kind, s.lane.right_kind)).unzip();
    // A kind that several lanes carry is counted once.
    let of_kinds = |items: &HashMap<Kind, Vec<Artefact>>, kinds: &HashSet<Kind>| -> u64 {
        kinds.iter().filter_map(|kind| items.get(kind)).map(|list| list.len() as u64).sum()
    };
    summary.left_total = of_kinds(&both.left_items, &left_kinds);
    summary.right_total = of_kinds(&both.right_items, &right_kinds);
    summary.left_in_scope = count_once(scoped.iter().flat_map(|s| s.left.iter().copied()));
    summary.covered_twice = scoped.iter().map(|s| s.with_others).sum();
    let mut drafted = Drafted::new()?;
    let mut planned: HashMap<(Kind, String), u32> = HashMap::new();
    for s in &scoped {
        let Some(cx) = both.ends.context(&s.lane, &mapped) else { continue };
        let right_all: HashMap<&str, &Artefact> =
            both.right_items.get(&s.lane.right_kind).into_iter().flatten().map(|a| (a.id.as_str(), a)).collect();
        let known = pairs.get(&s.lane.id).map_or(&[][..], Vec::as_slice);
        let bases = changed_bases(&hub.store, s, &both, &mapped, known, &right_all).await?;
        let accepted = accepted_by_pair(&hub.store, &both, &s.lane).await?;
        let left_all: HashMap<&str, &Artefact> =
            both.left_items.get(&s.lane.left_kind).into_iter().flatten().map(|a| (a.id.as_str(), a)).collect();
        let left_path = |a: &Artefact| path_of(a, &both.left_paths).join(" / ");
        let right_path = |a: &Artefact| path_of(a, &both.right_paths).join(" / ");
        let (left, right) =
            (End { artefacts: &s.left, path: &left_path }, End { artefacts: &s.right, path: &right_path });
        let first_seq = drafted.next_seq();
        let none = HashMap::new();
        let kept = Known {
            pairs: known,
            counterparts: &s.found,
            bases: &bases,
            accepted: &accepted,
            left_all: &left_all,
            right_all: &right_all,
            absent_left: both.absent_left.get(&s.lane.left_kind).unwrap_or(&none),
            absent_right: both.absent_right.get(&s.lane.right_kind).unwrap_or(&none),
            first_seq,
            planned: &planned,
        };
        summary.rules.insert(s.lane.id.clone(), Comparer::new(&s.lane, &cx).digests());
        let mut made: Vec<((Kind, String), u32)> = Vec::new();
        let mut keep = |change: Change| {
            // What already is at the right may be referred to at once.
            if let (Outcome::NewRight | Outcome::Adopt, Some(left)) = (change.outcome, &change.left) {
                made.push(((change.kind, left.id.clone()), change.seq));
            }
            drafted.keep(&change);
        };
        let found = block_in_place(|| compare_lane(&s.lane, &cx, &left, &right, &kept, &mut keep));
        summary.in_step += found.in_step;
        summary.only_right += found.only_right;
        summary.let_go += found.let_go;
        if order_is_carried(&s.lane) == Some(false) && !summary.order_not_kept.contains(&s.lane.left_kind) {
            summary.order_not_kept.push(s.lane.left_kind);
        }
        for (item, seq) in made {
            // Of several lanes of one kind the first that carries an item says where it is.
            planned.entry(item).or_insert(seq);
        }
    }
    let (outline, made) = drafted.finish(&planned)?;
    job.tell(json!({"phase": "rehearsing"})).await?;
    let lanes: Vec<&Lane> = scoped.iter().map(|s| &s.lane).collect();
    let policies: HashMap<String, FirstContact> =
        lanes.iter().map(|l| (l.id.clone(), l.policies.first_contact)).collect();
    let mut played = block_in_place(|| rehearse(&both, &lanes, &made))?;
    summary.paces = Some(Paces { left: pace(&*both.left), right: pace(&*both.right) });
    let plan = Plan {
        id: Uuid::now_v7(),
        route_id: route.id,
        route_version: route.version,
        lanes: serde_json::to_value(lanes)?,
        summary: serde_json::to_value(&summary)?,
        digest: outline.fingerprint,
        made_at: chrono::Utc::now(),
    };
    // What was read is no longer needed: a plan is kept in parts.
    drop((scoped, mapped));
    drop(both);
    let id = plan.id;
    let rows = made.read()?.map(move |read| {
        let (change, taken) = read?;
        let found = played.remove(&change.seq).unwrap_or_default();
        row(id, &change, taken, policies.get(&change.lane).copied().unwrap_or_default(), &found)
    });
    let moves: Vec<PairMove<'_>> =
        handed_over.iter().map(|h| PairMove { left_id: &h.left_id, from: &h.from, to: &h.to }).collect();
    hub.store.keep_plan(&plan, Box::new(rows), &outline.needs, &moves).await?;
    Ok(json!({"plan": plan.id, "changes": outline.changes}))
}

fn row(
    plan: Uuid,
    change: &Change,
    included: bool,
    first_contact: FirstContact,
    found: &Rehearsed,
) -> Result<NewChange, serde_json::Error> {
    let decision = Decision { included, ..Decision::default_for(change) };
    let key = |side: &Option<hovrel_core::plan::Side>| side.as_ref().map(|s| s.key.clone()).unwrap_or_default();
    let side = change.left.as_ref().or(change.right.as_ref());
    let conflicts = change.fields.iter().filter(|f| f.reason.is_conflict()).count();
    let brief = Brief::of(change);
    let open = brief.conflicts_open(&decision, first_contact);
    Ok(NewChange {
        plan_id: plan,
        seq: change.seq as i32,
        lane: change.lane.clone(),
        kind: change.kind.id().to_owned(),
        outcome: change.outcome.id().to_owned(),
        left_id: change.left.as_ref().map(|s| s.id.clone()),
        left_key: key(&change.left),
        right_key: key(&change.right),
        title: side.map(|s| s.title.clone()).unwrap_or_default(),
        field_names: change.fields.iter().map(|f| f.field.clone()).collect(),
        losses: change.losses.len() as i32,
        conflicts: conflicts as i32,
        open: open as i32,
        brief: serde_json::to_value(&brief)?,
        body: serde_json::to_value(change)?,
        included: decision.included,
        refusals: serde_json::to_value(&found.refusals)?,
        decision: serde_json::to_value(&decision)?,
        right_calls: found.right_calls,
        left_calls: found.left_calls,
        links_back: found.links_back,
    })
}
