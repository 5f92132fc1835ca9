//! The transfer: a plan applied, wave by wave, change by change, through the journal.

mod apply;
mod back;
mod batch;
mod checked;
mod course;
mod files;
mod gate;
mod halt;
mod item;
mod later;
mod moves;
mod pieces;
mod progress;
mod sent;

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use std::sync::atomic::AtomicU64;
use std::time::Duration;

use futures::{Stream, StreamExt, TryStreamExt, stream};
use hovrel_connect::Connector;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::model::{ATTACHMENTS, COMMENTS, HISTORY, Kind};
use hovrel_core::plan::{Change, Decision, Outcome, waves};
use hovrel_core::rules::Lane;
use hovrel_store::{ChangeRow, Holder, Included, JournalRow, PairRow, Wanted};
use serde_json::json;
use tokio::sync::RwLock;
use uuid::Uuid;

use crate::dry_run::PlanSummary;
use crate::jobs::{Ended, Lease, Running};
use crate::{EngineError, Hub};
use apply::{Phase, Refusal, Stage};
use batch::Work;
use gate::Gates;
use progress::Tally;

/// Everything the changes of one transfer share.
struct Transfer {
    pub hub: Hub,
    pub holder: Holder,
    pub lease: Arc<Lease>,
    pub plan: Uuid,
    pub route: Uuid,
    pub left_system: Uuid,
    pub right_system: Uuid,
    pub left: Arc<dyn Connector>,
    pub right: Arc<dyn Connector>,
    pub left_name: String,
    pub right_name: String,
    pub left_container: String,
    pub right_container: String,
    pub back: back::Back,
    pub lanes: HashMap<String, Lane>,
    /// Kinds at both ends of the lanes, in the order of the lanes.
    pub kinds: Vec<(Kind, Kind)>,
    /// Of kinds that several lanes carry, the lane that says where an item is at the right.
    pub owners: HashMap<(Kind, String), String>,
    /// The digests of the rules, by lane and target, as the plan was made with them.
    pub digests: BTreeMap<String, BTreeMap<String, String>>,
    /// What the right could hold when the transfer began.
    pub there: Catalogue,
    /// Lanes that stopped, with what happened.
    pub halted: RwLock<HashMap<String, Refusal>>,
    /// Of each lane the first change of an item goes alone.
    pub gates: Gates,
    /// What is at the right, by kind and id at the left, as it comes to be.
    pub places: RwLock<HashMap<(Kind, String), String>>,
    /// What people call what is at the right, by kind and id at the left, as far as that was met.
    pub names: RwLock<HashMap<(Kind, String), String>>,
    /// Titles in hand, by place in the plan.
    pub in_hand: std::sync::Mutex<HashMap<u32, String>>,
    pub written: AtomicU64,
    pub files: AtomicU64,
}

/// Whether a field is carried by calls of its own, after the item.
fn has_its_own_calls(field: &str) -> bool {
    matches!(field, ATTACHMENTS | COMMENTS | HISTORY)
}

pub(crate) async fn run(hub: &Hub, running: &Running, plan: Uuid) -> Result<Ended, EngineError> {
    let plan = hub.store.plan(plan).await?;
    let route = hub.store.route(plan.route_id).await?;
    let left_system = hub.store.system(route.left_system).await?;
    let right_system = hub.store.system(route.right_system).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes.clone())?;
    let summary: PlanSummary = serde_json::from_value(plan.summary.clone())?;
    let kinds: HashMap<&str, Kind> = lanes.iter().map(|l| (l.id.as_str(), l.left_kind)).collect();
    // The journal before the pairs: what is noted in between must not be settled here and have no place.
    let journal: HashMap<i32, JournalRow> =
        hub.store.journal(running.holder.job).await?.into_iter().map(|r| (r.seq, r)).collect();
    let pairs = hub.store.pairs(route.id).await?;
    let owners = owners(hub, plan.id, &lanes, &pairs).await?;
    let owns = |p: &PairRow| {
        let kind = *kinds.get(p.lane.as_str())?;
        let at = (kind, p.left_id.clone());
        owners.get(&at).is_none_or(|lane| *lane == p.lane).then_some((at, p.right_id.clone()))
    };
    let places = pairs.iter().filter_map(owns).collect();
    let right = hub.connect(&right_system)?;
    // What the catalogue and sign-in ask is asked before many changes ask it at once.
    let failed = |error| EngineError::System { system: right_system.name.clone(), error };
    let there = right.catalogue(&route.right_container).await.map_err(failed)?;
    let left = hub.connect(&left_system)?;
    let back = back::backwards(&*left, &left_system.name, &route.left_container, &lanes).await?;
    let transfer = Transfer {
        back,
        hub: hub.clone(),
        holder: running.holder,
        lease: running.lease.clone(),
        plan: plan.id,
        route: route.id,
        left_system: left_system.id,
        right_system: right_system.id,
        left,
        right,
        there,
        halted: RwLock::default(),
        gates: Gates::default(),
        left_name: left_system.name,
        right_name: right_system.name,
        left_container: route.left_container,
        right_container: route.right_container,
        kinds: lanes.iter().map(|l| (l.left_kind, l.right_kind)).collect(),
        owners,
        lanes: lanes.into_iter().map(|l| (l.id.clone(), l)).collect(),
        digests: summary.rules,
        places: RwLock::new(places),
        names: RwLock::default(),
        in_hand: Default::default(),
        written: AtomicU64::new(0),
        files: AtomicU64::new(0),
    };
    let changes = hub.store.included_changes(plan.id).await?;
    let changes = changes.into_iter().map(Listed::of).collect::<Result<Vec<_>, _>>()?;
    drive(&transfer, running, &changes, &journal).await
}

/// Of the kinds that several lanes carry, the lane that says where an item is: the first of them that carries it.
async fn owners(
    hub: &Hub,
    plan: Uuid,
    lanes: &[Lane],
    pairs: &[PairRow],
) -> Result<HashMap<(Kind, String), String>, EngineError> {
    let several = |lane: &&Lane| lanes.iter().filter(|l| l.left_kind == lane.left_kind).count() > 1;
    let shared: Vec<&Lane> = lanes.iter().filter(several).collect();
    let mut out = HashMap::new();
    if shared.is_empty() {
        return Ok(out);
    }
    let names: Vec<&str> = shared.iter().map(|l| l.id.as_str()).collect();
    let planned = hub.store.items_of_changes(plan, &names).await?;
    for lane in shared {
        let paired = pairs.iter().filter(|p| p.lane == lane.id).map(|p| &p.left_id);
        let to_come = planned.iter().filter(|(l, _)| *l == lane.id).map(|(_, id)| id);
        for id in paired.chain(to_come) {
            out.entry((lane.left_kind, id.clone())).or_insert_with(|| lane.id.clone());
        }
    }
    Ok(out)
}

/// A change without what it says, which is read when its turn comes: all of a plan would not fit in memory.
struct Listed {
    seq: u32,
    /// A move of a base is no change for a person.
    counts: bool,
    waits_for: Vec<u32>,
    /// What it costs, in calls.
    right_calls: f64,
    left_calls: f64,
}

impl Listed {
    fn of(row: Included) -> Result<Listed, EngineError> {
        let waits: Vec<Vec<u32>> = serde_json::from_value(row.waits)?;
        Ok(Listed {
            seq: row.seq as u32,
            counts: row.outcome != Outcome::InStep.id(),
            waits_for: waits.concat(),
            right_calls: row.right_calls,
            left_calls: row.left_calls,
        })
    }
}

/// Applies what the journal does not call done or refused. Pausing and stopping let the changes in
/// hand finish, so that nothing is left half done.
async fn drive(
    transfer: &Transfer,
    running: &Running,
    changes: &[Listed],
    journal: &HashMap<i32, JournalRow>,
) -> Result<Ended, EngineError> {
    let settled = |seq: u32| journal.get(&(seq as i32)).is_some_and(|r| matches!(r.state.as_str(), "done" | "refused"));
    let tally = Tally::of(changes, &settled);
    let order: Vec<(u32, Vec<u32>)> =
        changes.iter().filter(|c| !settled(c.seq)).map(|c| (c.seq, c.waits_for.clone())).collect();
    let at_once = transfer.right.describe().calls_at_once.max(1);
    let batches = transfer.right.describe().batches;
    let step = |work: Result<Work, EngineError>, phase: Phase| {
        let wanted = running.wanted.clone();
        let tally = &tally;
        async move {
            let work = work?;
            if *wanted.borrow() != Wanted::Run {
                return Ok(Vec::new());
            }
            let stages = match &work {
                Work::One(one) => {
                    let (change, decision) = &**one;
                    let row = journal.get(&(change.seq as i32));
                    vec![apply::apply(transfer, change, decision, row, phase).await?]
                }
                Work::Many(changes) => batch::apply(transfer, changes).await?,
            };
            let staged = || work.changes().zip(&stages);
            staged().for_each(|(change, stage)| tally.came(change.seq, *stage));
            let to_come = staged().filter(|(_, s)| **s == Stage::LinksToCome).map(|(c, _)| c.seq);
            Ok::<_, EngineError>(to_come.collect::<Vec<u32>>())
        }
    };
    let work = async {
        let mut with_links = Vec::new();
        for wave in waves(&order) {
            let grouped = transfer.read(&wave).chunks(batch::PART).flat_map(|part| {
                stream::iter(batch::grouped(part, &batches, |seq| journal.contains_key(&(seq as i32))))
            });
            let mut results = grouped.map(|work| step(work, Phase::Items)).buffer_unordered(at_once);
            while let Some(result) = results.next().await {
                with_links.extend(result?);
            }
            if *running.wanted.borrow() != Wanted::Run {
                return Ok(());
            }
        }
        with_links.sort_unstable();
        let one = |found: Result<_, _>| found.map(|change| Work::One(Box::new(change)));
        let links = transfer.read(&with_links).map(|found| step(one(found), Phase::Links));
        let mut results = links.buffer_unordered(at_once);
        while let Some(result) = results.next().await {
            result?;
        }
        Ok::<(), EngineError>(())
    };
    let report = async {
        loop {
            tokio::time::sleep(Duration::from_millis(300)).await;
            if let Err(e) = running.tell_now(progress::told(transfer, &tally)).await {
                tracing::warn!("progress could not be reported: {e}");
            }
        }
    };
    tokio::select! { result = work => result?, () = report => {} }
    let counts = transfer.hub.store.transfer_counts(transfer.holder.job).await?;
    running.tell_now(progress::told(transfer, &tally)).await?;
    Ok(match *running.wanted.borrow() {
        Wanted::Pause => Ended::Paused,
        Wanted::Stop => Ended::Stopped,
        Wanted::Run => Ended::Done(json!({"done": counts.done, "refused": counts.refused})),
    })
}

impl Transfer {
    /// Changes of the plan, read some at a time as they are asked for.
    fn read<'a>(&'a self, seqs: &'a [u32]) -> impl Stream<Item = Result<(Change, Decision), EngineError>> + Unpin + 'a {
        const PART: usize = 50;
        let part = async |seqs: &'a [u32]| {
            let seqs: Vec<i32> = seqs.iter().map(|s| *s as i32).collect();
            let rows = self.hub.store.changes_at(self.plan, &seqs).await?;
            let read = |row: ChangeRow| Ok((serde_json::from_value(row.body)?, serde_json::from_value(row.decision)?));
            Ok::<_, EngineError>(stream::iter(rows).map(read))
        };
        Box::pin(stream::iter(seqs.chunks(PART)).then(part).try_flatten())
    }
}
