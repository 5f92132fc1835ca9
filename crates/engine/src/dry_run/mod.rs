//! The dry run: both ends read, compared, and a plan kept. Writes nothing outside (invariant 5).

mod conflicts;
mod draft;
mod histories;
mod rehearsal;
mod summary;

pub use summary::PlanSummary;

use std::collections::{HashMap, HashSet};

use hovrel_core::compare::{Known, compare_lane};
use hovrel_core::cover::count_once;
use hovrel_core::model::{Artefact, End, Ends, Kind};
use hovrel_core::plan::{Brief, Change, Decision, Outcome};
use hovrel_core::rules::{FirstContact, Lane, order_is_carried};
use hovrel_store::{NewChange, PairMove, Plan, Seen};
use serde_json::json;
use tokio::task::block_in_place;
use uuid::Uuid;

use crate::jobs::Running;
use crate::reading::pace;
use crate::route::{InScope, LaneMemory, LoadedRoute, Ways, lane_checks, load_route, scope_lanes};
use crate::{EngineError, Hub};
use conflicts::Conflicts;
use draft::PlanDraft;
use histories::keep_histories;
use rehearsal::{Rehearsed, rehearse};

pub(crate) async fn run(hub: &Hub, job: &Running, route: Uuid) -> Result<serde_json::Value, EngineError> {
    let LoadedRoute { route, lanes, pairs, settled, asked, both } = load_route(hub, job, route).await?;
    let faults = lane_checks(&lanes, &both.ends, &|_| Vec::new());
    if !faults.is_empty() {
        let named = faults
            .iter()
            .map(|f| format!("{}, {}: {}", f.lane, f.field, hovrel_words::fault(f.into, &f.reason)))
            .collect();
        return Err(EngineError::Faults(named));
    }
    let InScope { lanes: scoped, places, pairs, handed_over } =
        block_in_place(|| scope_lanes(&both, &lanes, pairs, (&settled, &asked)));
    keep_histories(hub, &route, &both, &scoped).await?;
    let mut summary = PlanSummary::default();
    let total = |end: End| -> u64 {
        // A kind that several lanes carry is counted once.
        let kinds: HashSet<Kind> = scoped.iter().map(|s| s.lane.kind_at(end)).collect();
        kinds.into_iter().map(|kind| both.at[end].of_kind(kind).len() as u64).sum()
    };
    (summary.left_total, summary.right_total) = (total(End::Left), total(End::Right));
    let in_scope = |end: End| {
        let reading = scoped.iter().filter(|s| s.lane.read() == end);
        count_once(reading.flat_map(|s| s.covered[end].iter().copied()))
    };
    (summary.left_in_scope, summary.right_in_scope) = (in_scope(End::Left), in_scope(End::Right));
    summary.covered_twice = scoped.iter().map(|s| s.with_others).sum();
    let mut draft = PlanDraft::new()?;
    let mut conflicts = Conflicts::of(&hub.store, route.id, &both.ends.catalogues).await?;
    let mut seen = Seen::default();
    let mut planned = Ends::<HashMap<(Kind, String), u32>>::default();
    for s in &scoped {
        let Some(ways) = Ways::of(&both, &s.lane, &places) else { continue };
        let all = s.all(&both);
        let comparer = ways.comparer(&s.lane);
        let digests = comparer.digests();
        conflicts.compared(&s.lane, &digests);
        let comparer = comparer.standing(conflicts.standing(&s.lane.id));
        let relations = block_in_place(|| comparer.walk(s.at(&both, &all), &pairs[&s.lane.id], &s.found));
        let memory = LaneMemory::of(&hub.store, &both, &s.lane, &relations).await?;
        let left_path = |a: &Artefact| both.at.left.path(a);
        let right_path = |a: &Artefact| both.at.right.path(a);
        let first_seq = draft.next_seq();
        let known = Known {
            bases: &memory.bases,
            accepted: &memory.accepted,
            paths: Ends { left: &left_path, right: &right_path },
            first_seq,
            planned: &planned,
        };
        summary.rules.insert(s.lane.id.clone(), digests);
        let mut made: Vec<(End, (Kind, String), u32)> = Vec::new();
        let mut keep = |change: Change| {
            let from = change.written.other();
            // What already has a counterpart may be referred to at once.
            if let (Outcome::New(_) | Outcome::Adopt, Some(side)) = (change.outcome, change.side(from)) {
                made.push((change.written, (change.kind_at(from), side.id.clone()), change.seq));
            }
            draft.keep(&change, conflicts.decision(&change));
        };
        let found = block_in_place(|| compare_lane(&comparer, &relations, &known, &mut keep));
        summary.in_step += found.in_step;
        match s.lane.written() {
            End::Left => summary.only_left += found.only_written,
            End::Right => summary.only_right += found.only_written,
        }
        summary.let_go += found.let_go;
        conflicts::note(&mut seen, &s.lane.id, found.gone, found.unknown);
        if order_is_carried(&s.lane) == Some(false) && !summary.order_not_kept.contains(&s.lane.left_kind) {
            summary.order_not_kept.push(s.lane.left_kind);
        }
        for (into, item, seq) in made {
            // Of several lanes of one kind the first that carries an item says where it is.
            planned[into].entry(item).or_insert(seq);
        }
    }
    let (outline, made) = draft.finish(&planned)?;
    job.tell(json!({"phase": "rehearsing"})).await?;
    let lanes: Vec<&Lane> = scoped.iter().map(|s| &s.lane).collect();
    let policies: HashMap<String, FirstContact> =
        lanes.iter().map(|l| (l.id.clone(), l.policies.first_contact)).collect();
    let mut played = block_in_place(|| rehearse(&both, &lanes, &made))?;
    summary.paces = Some(both.at.as_ref().map(|end| pace(&*end.connector)));
    let plan = Plan {
        id: Uuid::now_v7(),
        route_id: route.id,
        route_version: route.version,
        lanes: serde_json::to_value(lanes)?,
        summary: serde_json::to_value(&summary)?,
        digest: outline.fingerprint,
        made_at: hub.now(),
    };
    // What was read is no longer needed: a plan is kept in parts.
    drop((scoped, places));
    drop(both);
    let id = plan.id;
    seen.rules = conflicts.rules();
    let rows = made.read()?.map(move |read| {
        let (change, decision) = read?;
        let found = played.remove(&change.seq).unwrap_or_default();
        let row = row(id, &change, &decision, policies.get(&change.lane).copied().unwrap_or_default(), &found)?;
        Ok((row, conflicts.found(&change)?))
    });
    let moves: Vec<PairMove<'_>> =
        handed_over.iter().map(|h| PairMove { left_id: &h.left_id, from: &h.from, to: &h.to }).collect();
    hub.store.keep_plan(&plan, Box::new(rows), &outline.needs, &moves, &seen).await?;
    Ok(json!({"plan": plan.id, "changes": outline.changes}))
}

fn row(
    plan: Uuid,
    change: &Change,
    decision: &Decision,
    first_contact: FirstContact,
    found: &Rehearsed,
) -> Result<NewChange, serde_json::Error> {
    let key = |side: &Option<hovrel_core::plan::Side>| side.as_ref().map(|s| s.key.clone()).unwrap_or_default();
    let side = change.left.as_ref().or(change.right.as_ref());
    let conflicts = change.fields.iter().filter(|f| f.reason.is_conflict()).count();
    let brief = Brief::of(change);
    let open = brief.conflicts_open(decision, first_contact);
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
        field_names: change.fields.iter().map(|f| f.field.to_string()).collect(),
        losses: change.losses.len() as i32,
        conflicts: conflicts as i32,
        open: open as i32,
        brief: serde_json::to_value(&brief)?,
        body: serde_json::to_value(change)?,
        included: decision.included,
        refusals: serde_json::to_value(&found.refusals)?,
        decision: serde_json::to_value(decision)?,
        right_calls: found.calls.right,
        left_calls: found.calls.left,
        links_back: found.links_back,
    })
}
