//! Driving a transfer: which changes are under way at once, and what the run tells of itself.
//!
//! Decides the order of the waves, and that links follow when all items are there. What one change does is decided in
//! [`super::attempt`].

use std::collections::{HashMap, HashSet};
use std::time::Duration;

use futures::{Stream, StreamExt, TryStreamExt, stream};
use hovrel_core::model::{End, Ends};
use hovrel_core::plan::{Change, Decision, waves};
use hovrel_store::{ChangeRow, Wanted};
use serde_json::json;
use uuid::Uuid;

use super::apply::{Phase, apply};
use super::attempt::Begun;
use super::batch::{self, Work};
use super::listed::Listed;
use super::progress::{self, Tally};
use super::shared::{Stage, Transfer};
use crate::jobs::{Ended, Running};
use crate::{EngineError, Hub};

/// How far the changes had come when the transfer began, or went on.
pub(super) struct Before {
    settled: HashSet<u32>,
    begun: HashSet<u32>,
    /// The items that were written.
    items: HashMap<(u32, End), String>,
}

impl Before {
    pub async fn of(hub: &Hub, job: Uuid) -> Result<Before, EngineError> {
        let rows = hub.store.journal(job).await?;
        let settled = rows.iter().filter(|r| matches!(r.state.as_str(), "done" | "refused")).map(|r| r.seq as u32);
        let items = hub.store.journal_items(job).await?;
        Ok(Before {
            settled: settled.collect(),
            begun: rows.iter().map(|r| r.seq as u32).collect(),
            items: items.into_iter().map(|i| ((i.seq as u32, i.written_end), i.item_id)).collect(),
        })
    }

    fn is_settled(&self, seq: u32) -> bool {
        self.settled.contains(&seq)
    }

    fn has_begun(&self, seq: u32) -> bool {
        self.begun.contains(&seq)
    }

    /// What was done of a change before at an end.
    fn begun(&self, change: &Change, end: End) -> Begun {
        match self.items.get(&(change.seq, end)) {
            Some(id) => Begun::Made(id.clone()),
            None if self.has_begun(change.seq) => Begun::Perhaps,
            None => Begun::Nothing,
        }
    }
}

/// Applies what the journal does not call done or refused. Pausing and stopping let the changes in
/// hand finish, so that nothing is left half done.
pub(super) async fn drive(
    transfer: &Transfer,
    running: &Running,
    changes: &[Listed],
    before: &Before,
) -> Result<Ended, EngineError> {
    let settled = |seq: u32| before.is_settled(seq);
    let tally = Tally::of(changes, &settled);
    let order: Vec<(u32, Vec<u32>)> =
        changes.iter().filter(|c| !settled(c.seq)).map(|c| (c.seq, c.waits_for.clone())).collect();
    let able = Ends::of(|end| transfer.desks[end].connector.describe());
    let written = End::BOTH.into_iter().filter(|end| changes.iter().any(|c| c.written == *end));
    let at_once = written.map(|end| able[end].calls_at_once).sum::<usize>().max(1);
    let batches = able.map(|able| able.batches);
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
                    let at = |end| before.begun(change, end);
                    let begun = (at(change.written), at(change.written.other()));
                    vec![apply(transfer, change, decision, begun, phase).await?]
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
            let grouped = transfer
                .read(&wave)
                .chunks(batch::PART)
                .flat_map(|part| stream::iter(batch::grouped(part, &batches, |seq| before.has_begun(seq))));
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
