//! The transfer: a plan applied, wave by wave, change by change, through the journal.

mod apply;
mod back;
mod batch;
mod checked;
mod halt;
mod hanging;
mod write;

use std::collections::HashMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::time::{Duration, Instant};

use futures::{Stream, StreamExt, TryStreamExt, stream};
use hovrel_connect::Connector;
use hovrel_core::catalogue::Catalogue;
use hovrel_core::mapping::Lane;
use hovrel_core::model::{Kind, LinkType};
use hovrel_core::plan::{Change, Decision, Outcome, waves};
use hovrel_store::{ChangeRow, Included, JournalRow, Wanted};
use serde_json::{Value, json};
use tokio::sync::RwLock;
use uuid::Uuid;

use crate::worker::{End, Running};
use crate::{EngineError, Hub};
use apply::{Phase, Stage};
use batch::Work;

/// Titles in hand that are told by name; a batch has many.
const IN_HAND_SHOWN: usize = 8;

/// Everything the changes of one transfer share.
pub(crate) struct Transfer {
    pub hub: Hub,
    pub job: Uuid,
    pub plan: Uuid,
    pub route: Uuid,
    pub left: Arc<dyn Connector>,
    pub right: Arc<dyn Connector>,
    pub left_name: String,
    pub right_name: String,
    pub left_container: String,
    pub right_container: String,
    /// How an item of a kind of the left is linked to its counterpart; kinds that can't be are not in it.
    pub links_back: HashMap<Kind, LinkType>,
    pub lanes: HashMap<String, Lane>,
    /// What the right could hold when the transfer began.
    pub there: Catalogue,
    /// Lanes that the right can no longer take, with what changed there.
    pub halted: RwLock<HashMap<String, String>>,
    /// What is at the right, by kind and id at the left, as it comes to be.
    pub places: RwLock<HashMap<(Kind, String), String>>,
    /// What people call what is at the right, by kind and id at the left, as far as that was met.
    pub names: RwLock<HashMap<(Kind, String), String>>,
    /// Titles in hand, by place in the plan.
    pub in_hand: std::sync::Mutex<HashMap<u32, String>>,
    pub written: AtomicU64,
    pub files: AtomicU64,
}

pub(crate) async fn run(hub: &Hub, running: &Running, plan: Uuid) -> Result<End, EngineError> {
    let plan = hub.store.plan(plan).await?;
    let route = hub.store.route(plan.route_id).await?;
    let left_system = hub.store.system(route.left_system).await?;
    let right_system = hub.store.system(route.right_system).await?;
    let lanes: Vec<Lane> = serde_json::from_value(plan.lanes.clone())?;
    let kinds: HashMap<&str, Kind> = lanes.iter().map(|l| (l.id.as_str(), l.left_kind)).collect();
    // The journal before the pairs: a worker that lost its lease may still finish what it has in hand, and what it
    // finishes in between must not be settled here and have no place.
    let journal: HashMap<i32, JournalRow> =
        hub.store.journal(running.id).await?.into_iter().map(|r| (r.seq, r)).collect();
    let pairs = hub.store.pairs(route.id).await?;
    let places = pairs.into_iter().filter_map(|p| Some(((*kinds.get(p.lane.as_str())?, p.left_id), p.right_id)));
    let places = places.collect();
    let right = hub.connect(&right_system)?;
    // What the catalogue and sign-in ask is asked before many changes ask it at once.
    let failed = |error| EngineError::System { system: right_system.name.clone(), error };
    let there = right.catalogue(&route.right_container).await.map_err(failed)?;
    let left = hub.connect(&left_system)?;
    let links_back = back::link_types(&*left, &left_system.name, &route.left_container, &lanes).await?;
    let transfer = Transfer {
        links_back,
        hub: hub.clone(),
        job: running.id,
        plan: plan.id,
        route: route.id,
        left,
        right,
        there,
        halted: RwLock::default(),
        left_name: left_system.name,
        right_name: right_system.name,
        left_container: route.left_container,
        right_container: route.right_container,
        lanes: lanes.into_iter().map(|l| (l.id.clone(), l)).collect(),
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

/// A change without what it says, which is read when its turn comes: all of a plan would not fit in memory.
struct Listed {
    seq: u32,
    /// A move of a base is no change for a person.
    counts: bool,
    waits_for: Vec<u32>,
}

impl Listed {
    fn of(row: Included) -> Result<Listed, EngineError> {
        let waits: Vec<Vec<u32>> = serde_json::from_value(row.waits)?;
        Ok(Listed { seq: row.seq as u32, counts: row.outcome != Outcome::InStep.id(), waits_for: waits.concat() })
    }
}

/// Applies what the journal does not call done or refused. Pausing and stopping let the changes in
/// hand finish, so that nothing is left half done.
async fn drive(
    transfer: &Transfer,
    running: &Running,
    changes: &[Listed],
    journal: &HashMap<i32, JournalRow>,
) -> Result<End, EngineError> {
    let started = Instant::now();
    let total = changes.iter().filter(|c| c.counts).count() as u64;
    let settled = |seq: u32| journal.get(&(seq as i32)).is_some_and(|r| matches!(r.state.as_str(), "done" | "refused"));
    let before = changes.iter().filter(|c| settled(c.seq) && c.counts).count() as u64;
    let order: Vec<(u32, Vec<u32>)> =
        changes.iter().filter(|c| !settled(c.seq)).map(|c| (c.seq, c.waits_for.clone())).collect();
    let done_now = AtomicU64::new(0);
    let at_once = transfer.right.describe().calls_at_once.max(1);
    let batches = transfer.right.describe().batches;
    let step = |work: Result<Work, EngineError>, phase: Phase| {
        let wanted = running.wanted.clone();
        let done_now = &done_now;
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
            let settled = staged().filter(|(c, s)| c.outcome != Outcome::InStep && **s == Stage::Settled).count();
            done_now.fetch_add(settled as u64, Relaxed);
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
        let mut pace = Pace::default();
        loop {
            tokio::time::sleep(Duration::from_millis(300)).await;
            let now = done_now.load(Relaxed);
            pace.see(started.elapsed(), now);
            let told = running.tell_now(progress(transfer, total, before, now, started, Some(&pace))).await;
            if let Err(e) = told {
                tracing::warn!("progress could not be told: {e}");
            }
        }
    };
    tokio::select! { result = work => result?, () = report => {} }
    let counts = transfer.hub.store.transfer_counts(transfer.job).await?;
    running.tell_now(progress(transfer, total, before, done_now.load(Relaxed), started, None)).await?;
    Ok(match *running.wanted.borrow() {
        Wanted::Pause => End::Paused,
        Wanted::Stop => End::Stopped,
        Wanted::Run => End::Done(json!({"done": counts.done, "refused": counts.refused})),
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

/// How fast it goes. What was done in the last while says more than the whole: a system lets the first
/// calls through at once, and holds back the rest.
#[derive(Default)]
struct Pace(std::collections::VecDeque<(Duration, u64)>);

impl Pace {
    const WHILE: Duration = Duration::from_secs(15);

    fn see(&mut self, at: Duration, done: u64) {
        self.0.push_back((at, done));
        // One sample older than the while is kept, so that the while is always covered.
        while self.0.len() > 2 && self.0[1].0 + Self::WHILE < at {
            self.0.pop_front();
        }
    }

    /// Changes a second; none until a few changes have been timed.
    fn per_second(&self) -> Option<f64> {
        let ((from, before), (to, now)) = (self.0.front()?, self.0.back()?);
        let seconds = (*to - *from).as_secs_f64();
        (now - before >= 5 && seconds > 2.0).then(|| (now - before) as f64 / seconds)
    }
}

fn progress(transfer: &Transfer, total: u64, before: u64, now: u64, started: Instant, pace: Option<&Pace>) -> Value {
    let elapsed = started.elapsed().as_secs_f64();
    let rate = pace.and_then(Pace::per_second);
    let left_over = total.saturating_sub(before + now);
    let remaining = rate.map(|r| (left_over as f64 / r).ceil() as u64);
    let per_minute = rate.unwrap_or(if elapsed > 0.0 { now as f64 / elapsed } else { 0.0 }) * 60.0;
    let mut in_hand: Vec<String> = transfer.in_hand.lock().map(|m| m.values().cloned().collect()).unwrap_or_default();
    in_hand.sort();
    let in_hand_count = in_hand.len();
    in_hand.truncate(IN_HAND_SHOWN);
    json!({
        "phase": "writing",
        "total": total,
        "settled": before + now,
        "written": transfer.written.load(Relaxed),
        "files": transfer.files.load(Relaxed),
        "per_minute": per_minute.round() as u64,
        "remaining_seconds": remaining,
        "elapsed_seconds": elapsed.round() as u64,
        "in_hand": in_hand,
        "in_hand_count": in_hand_count,
        "left": {"name": transfer.left_name, "meter": transfer.left.meter()},
        "right": {"name": transfer.right_name, "meter": transfer.right.meter(), "limit_per_minute": transfer.right.describe().calls_per_minute},
    })
}

#[cfg(test)]
mod tests {
    use super::Pace;
    use std::time::Duration;

    #[test]
    fn a_burst_at_the_beginning_is_forgotten() {
        let mut pace = Pace::default();
        pace.see(Duration::ZERO, 0);
        assert_eq!(pace.per_second(), None);
        for second in 1..=40u64 {
            // Sixty at once, then four a second.
            pace.see(Duration::from_secs(second), 60 + 4 * second);
        }
        assert_eq!(pace.per_second(), Some(4.0));
    }
}
