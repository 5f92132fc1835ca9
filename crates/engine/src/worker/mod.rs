//! Workers: take a job, keep its lease alive, run it, say how it ended.

mod dispatch;

use std::any::Any;
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::time::{Duration, Instant};

use futures::FutureExt;
use hovrel_store::{Holder, Job, JobState, Wanted};
use tokio::sync::watch;
use tokio_util::sync::CancellationToken;
use tokio_util::task::AbortOnDropHandle;
use uuid::Uuid;

use crate::jobs::{Ended, Lease, Running};
use crate::{EngineError, Hub};
use dispatch::dispatch;

#[derive(Debug, Clone, Copy)]
pub struct WorkerOptions {
    /// How long a job stays with a worker that says nothing.
    pub lease: Duration,
    /// Jobs run side by side.
    pub at_once: usize,
}

impl Default for WorkerOptions {
    fn default() -> Self {
        WorkerOptions { lease: Duration::from_secs(6), at_once: 4 }
    }
}

/// Runs jobs until told to end. Jobs in hand when that happens are left to their leases: another worker,
/// or the next start, takes them up where the journal says.
pub async fn run_worker(hub: Hub, options: WorkerOptions, end: CancellationToken) {
    let mut tasks = Vec::new();
    for _ in 0..options.at_once {
        let (hub, end) = (hub.clone(), end.clone());
        tasks.push(tokio::spawn(async move {
            tokio::select! { _ = end.cancelled() => {}, _ = take_jobs_whatever_happens(&hub, options) => {} }
        }));
    }
    for task in tasks {
        if let Err(e) = task.await {
            tracing::error!("a worker ended: {e}");
        }
    }
}

/// Takes jobs, and goes on doing so after a panic outside of any job.
async fn take_jobs_whatever_happens(hub: &Hub, options: WorkerOptions) {
    loop {
        let taking = AssertUnwindSafe(take_jobs(hub, options)).catch_unwind();
        if let Err(panic) = taking.await {
            tracing::error!("a worker panicked and begins again: {}", said_by(&*panic));
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
    }
}

/// What a panic says.
pub fn said_by(panic: &(dyn Any + Send)) -> String {
    let text = panic.downcast_ref::<&str>().map(|s| (*s).to_owned());
    text.or_else(|| panic.downcast_ref::<String>().cloned()).unwrap_or_else(|| "without a word".to_owned())
}

async fn take_jobs(hub: &Hub, options: WorkerOptions) {
    let worker = Uuid::now_v7();
    loop {
        // Counted from before the question, so that it never seems to go on for longer than it does.
        let asked = Instant::now();
        match hub.store.lease(worker, options.lease.as_secs_f64()).await {
            Ok(Some(job)) => run_job(hub, worker, job, Lease::new(asked, options.lease), options).await,
            Ok(None) => {
                let rest = tokio::time::sleep(Duration::from_millis(500));
                tokio::select! { _ = hub.wake.notified() => {}, _ = rest => {} }
            }
            Err(e) => {
                tracing::warn!("no job could be taken: {e}");
                tokio::time::sleep(Duration::from_secs(2)).await;
            }
        }
    }
}

async fn run_job(hub: &Hub, worker: Uuid, job: Job, lease: Lease, options: WorkerOptions) {
    let (holder, lease) = (Holder { job: job.id, worker }, Arc::new(lease));
    let (tell_wanted, wanted) = watch::channel(Wanted::Run);
    let running = Running::new(hub.clone(), holder, lease.clone(), wanted);
    // A task of its own: a long comparison must not cost the lease.
    let alive = AbortOnDropHandle::new(tokio::spawn(keep_lease(hub.clone(), holder, lease, options, tell_wanted)));
    let outcome = tokio::select! {
        // A panic is the failure of this job and of nothing else.
        outcome = AssertUnwindSafe(dispatch(hub, &running, &job)).catch_unwind() => {
            outcome.unwrap_or_else(|panic| Err(EngineError::Panicked(said_by(&*panic))))
        }
        // Invariant 4.
        _ = alive => Err(EngineError::LeaseLost),
    };
    let (state, result, error) = match outcome {
        Ok(Ended::Done(result)) => (JobState::Done, Some(result), None),
        Ok(Ended::Paused) => (JobState::Paused, None, None),
        Ok(Ended::Stopped) => (JobState::Stopped, None, None),
        Err(EngineError::LeaseLost) => {
            tracing::warn!(job = %job.id, "the lease was lost; another worker continues");
            return;
        }
        Err(e) if e.is_away() => {
            tracing::warn!(job = %job.id, "the database went away; the job continues when it is back: {e}");
            return;
        }
        Err(e) => {
            tracing::warn!(job = %job.id, "a job failed: {e}");
            (JobState::Failed, None, Some(e.to_string().replace('\0', "\u{FFFD}")))
        }
    };
    if let Err(e) = hub.store.end_job(holder, state, result.as_ref(), error.as_deref()).await {
        tracing::error!(job = %job.id, "a job's end could not be kept, so that it is taken up again: {e}");
    }
}

/// Renews a job's lease, and tells what is wanted of the job, until the lease is somebody else's or has run out by this
/// worker's own clock.
async fn keep_lease(
    hub: Hub,
    holder: Holder,
    lease: Arc<Lease>,
    options: WorkerOptions,
    tell_wanted: watch::Sender<Wanted>,
) {
    while let Some(left) = lease.left() {
        let asked = Instant::now();
        match tokio::time::timeout(left, hub.store.heartbeat(holder, options.lease.as_secs_f64())).await {
            Ok(Ok(Some(wanted))) => {
                lease.renew(asked);
                tell_wanted.send_if_modified(|w| std::mem::replace(w, wanted) != wanted);
            }
            Ok(Ok(None)) => return,
            // The lease outlives a short trouble of the database.
            Ok(Err(e)) => tracing::warn!("no heartbeat: {e}"),
            Err(_) => return,
        }
        tokio::time::sleep(options.lease.min(Duration::from_millis(1800)) / 6).await;
    }
}
