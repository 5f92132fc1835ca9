//! The proof: both ends read again and reconciled.

mod files;

pub use files::ReadFiles;

use std::collections::HashMap;

use hovrel_core::identity::Counterparts;
use hovrel_core::model::Ends;
use hovrel_core::plan::{Change, Decision};
use hovrel_core::reconcile::{Fate, Headline, LaneProof, Progress, ProofLoss, Proven, Weight, prove_lane};
use hovrel_core::rules::Lane;
use hovrel_store::Route;
use serde::{Deserialize, Serialize};
use serde_json::json;
use tokio::task::block_in_place;
use uuid::Uuid;

use crate::jobs::Running;
use crate::route::{InScope, LaneMemory, LoadedRoute, Ways, load_route, scope_lanes};
use crate::{EngineError, Hub};
use files::read_files;

/// The proof of a route.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct RouteProof {
    pub left_system: String,
    pub right_system: String,
    pub route_version: i32,
    pub lanes: Vec<LaneProof>,
    /// What it comes to.
    #[serde(default)]
    pub headline: Headline,
    /// Losses that stand in the ledger and that a plan had shown before they happened.
    pub losses_foreseen: u64,
    /// Losses that stand in the ledger and happened without having been shown.
    pub losses_unforeseen: u64,
    pub unforeseen: Vec<ProofLoss>,
    /// The ledger as it stood, with whether each loss had been foreseen; none in proofs of before it was kept with them.
    #[serde(default)]
    pub ledger: Option<Vec<LedgerLoss>>,
}

/// A loss that stands.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct LedgerLoss {
    #[serde(flatten)]
    pub of: ProofLoss,
    pub foreseen: bool,
}

/// What a person asks of a proof.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ProofOptions {
    #[serde(default)]
    pub files: ReadFiles,
}

/// Changes of a plan that are looked at together.
const PART: i64 = 200;

pub(crate) async fn run(
    hub: &Hub,
    job: &Running,
    route: Uuid,
    options: &serde_json::Value,
) -> Result<serde_json::Value, EngineError> {
    let options: ProofOptions = serde_json::from_value(options.clone())?;
    let id = Uuid::now_v7();
    let LoadedRoute { route, lanes, pairs, settled, asked, both } = load_route(hub, job, route).await?;
    let fates = fates(hub, &route, &lanes).await?;
    let (nothing, nothing_found) = (HashMap::new(), Counterparts::default());
    let InScope { lanes: scoped, places, pairs, .. } =
        block_in_place(|| scope_lanes(&both, &lanes, pairs, (&settled, &asked)));
    let mut proofs: Vec<LaneProof> = Vec::new();
    let mut with_files = Vec::new();
    for s in &scoped {
        let Some(ways) = Ways::of(&both, &s.lane, &places) else { continue };
        let all = s.all(&both);
        let (comparer, pairs) = (ways.comparer(&s.lane), &pairs[&s.lane.id]);
        let relations = block_in_place(|| comparer.walk(s.at(&both, &all), pairs, &nothing_found));
        let memory = LaneMemory::of(&hub.store, &both, &s.lane, &relations).await?;
        let from = Proven {
            covered: s.covered.as_ref().map(|covered| covered.len() as u64),
            relations: &relations,
            bases: &memory.bases,
            accepted: &memory.accepted,
            fates: fates.get(&s.lane.id).unwrap_or(&nothing),
        };
        proofs.push(block_in_place(|| prove_lane(&comparer, &from)));
        if options.files != ReadFiles::None {
            let live = pairs.iter().filter(|p| !p.let_go);
            let items = live.filter_map(|p| {
                Some(Ends { left: *all.left.get(&*p.ids.left)?, right: *all.right.get(&*p.ids.right)? })
            });
            with_files.push((proofs.len() - 1, s, items.collect()));
        }
    }
    read_files(job, (options.files, id), both.at.as_ref().map(|end| &*end.connector), &with_files, &mut proofs).await?;
    let ledger = hub.store.losses(route.id).await?.into_iter().map(|row| {
        let loss = serde_json::from_value(row.body)?;
        let of = ProofLoss { left_key: row.left_key, right_key: row.right_key, loss };
        Ok(LedgerLoss { of, foreseen: row.foreseen })
    });
    let ledger = ledger.collect::<Result<Vec<_>, EngineError>>()?;
    let unforeseen: Vec<ProofLoss> = ledger.iter().filter(|l| !l.foreseen).map(|l| l.of.clone()).collect();
    let headline = Headline::of(&proofs);
    let count = |weight: Weight| {
        let fields = proofs.iter().flat_map(|p| &p.differences).filter(|d| d.cause.weight() == weight).count();
        fields + proofs.iter().flat_map(|p| &p.missing).filter(|m| m.cause.weight() == weight).count()
    };
    let differences: usize = proofs.iter().map(|p| p.differences.len() + p.missing.len()).sum();
    let unexplained = count(Weight::Unexplained);
    let figures = (differences as i32, headline.waits_items as i32, unexplained as i32);
    let proof = RouteProof {
        left_system: both.at.left.system.name.clone(),
        right_system: both.at.right.system.name.clone(),
        route_version: route.version,
        lanes: proofs,
        headline,
        losses_foreseen: (ledger.len() - unforeseen.len()) as u64,
        losses_unforeseen: unforeseen.len() as u64,
        unforeseen,
        ledger: Some(ledger),
    };
    hub.store.keep_proof(id, route.id, &serde_json::to_value(&proof)?, figures).await?;
    Ok(json!({"proof": id, "differences": differences, "waits": figures.1, "unexplained": figures.2}))
}

/// What became of items in the latest plan of a route, by lane and the id of each at the end that the lane reads.
async fn fates(
    hub: &Hub,
    route: &Route,
    lanes: &[Lane],
) -> Result<HashMap<String, HashMap<String, Fate>>, EngineError> {
    let Some(plan) = hub.store.latest_plans(&[route.id]).await?.into_iter().next() else { return Ok(HashMap::new()) };
    let transfer = hub.store.transfers_of_plans(&[plan.id]).await?.into_iter().next();
    let journal: HashMap<i32, Progress> = match &transfer {
        Some(job) => hub.store.journal(job.id).await?.into_iter().map(|row| (row.seq, progress(&row.state))).collect(),
        None => HashMap::new(),
    };
    let of_id: HashMap<&str, &Lane> = lanes.iter().map(|l| (l.id.as_str(), l)).collect();
    let mut out: HashMap<String, HashMap<String, Fate>> = HashMap::new();
    let mut after = -1;
    loop {
        let rows = hub.store.changes_after(plan.id, after, PART).await?;
        let Some(last) = rows.last() else { break };
        after = last.seq;
        for row in rows {
            let change: Change = serde_json::from_value(row.body)?;
            let decision: Decision = serde_json::from_value(row.decision)?;
            let Some(lane) = of_id.get(change.lane.as_str()) else { continue };
            let Some(side) = change.side(lane.read()) else { continue };
            let first_contact = lane.policies.first_contact;
            let fields = change
                .fields
                .iter()
                .map(|f| (f.field.clone(), (f.reason, decision.field(f, first_contact, change.written))));
            let fate = Fate {
                written: change.written,
                outcome: change.outcome,
                included: row.included,
                transfer: journal.get(&row.seq).copied(),
                fields: fields.collect(),
            };
            out.entry(change.lane.clone()).or_default().insert(side.id.clone(), fate);
        }
    }
    Ok(out)
}

fn progress(state: &str) -> Progress {
    match state {
        "done" => Progress::Done,
        "refused" => Progress::Refused,
        _ => Progress::Begun,
    }
}
