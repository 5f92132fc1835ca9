//! Workers: take a job, keep its lease alive, run it, say how it ended.

use std::any::Any;
use std::panic::AssertUnwindSafe;
use std::sync::Arc;
use std::time::{Duration, Instant};

use futures::FutureExt;
use hovrel_store::{Holder, Job, Wanted};
use serde_json::Value;
use tokio::sync::watch;
use tokio_util::sync::CancellationToken;
use tokio_util::task::AbortOnDropHandle;
use uuid::Uuid;

use crate::lease::Lease;
use crate::{EngineError, Hub, dry_run, proof, survey, transfer};

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

/// How a job ended.
pub(crate) enum End {
    Done(Value),
    Paused,
    Stopped,
}

/// A job that is being run, for telling how far it is and asking what is wanted.
pub(crate) struct Running {
    pub holder: Holder,
    /// Until when the job is this worker's, by its own clock.
    pub lease: Arc<Lease>,
    pub wanted: watch::Receiver<Wanted>,
    hub: Hub,
    last: tokio::sync::Mutex<Option<tokio::time::Instant>>,
}

/// Progress is told this often at most.
const TELL_EVERY: Duration = Duration::from_millis(250);

impl Running {
    /// Tells progress, unless some was told a moment ago.
    pub async fn tell(&self, progress: Value) -> Result<(), EngineError> {
        let mut last = self.last.lock().await;
        if last.is_some_and(|at| at.elapsed() < TELL_EVERY) {
            return Ok(());
        }
        *last = Some(tokio::time::Instant::now());
        Ok(self.hub.store.progress(self.holder, &progress).await?)
    }

    /// Tells progress that must not be missed.
    pub async fn tell_now(&self, progress: Value) -> Result<(), EngineError> {
        Ok(self.hub.store.progress(self.holder, &progress).await?)
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
    let last = tokio::sync::Mutex::new(None);
    let running = Running { holder, lease: lease.clone(), wanted, hub: hub.clone(), last };
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
        Ok(End::Done(result)) => ("done", Some(result), None),
        Ok(End::Paused) => ("paused", None, None),
        Ok(End::Stopped) => ("stopped", None, None),
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
            ("failed", None, Some(e.to_string().replace('\0', "\u{FFFD}")))
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

async fn dispatch(hub: &Hub, running: &Running, job: &Job) -> Result<End, EngineError> {
    let mut wanted = running.wanted.clone();
    let missing = || EngineError::Corrupt("the job does not name what to work on".into());
    let work = async {
        match job.kind.as_str() {
            "survey" => {
                let (system, container) = job.system_id.zip(job.container.as_deref()).ok_or_else(missing)?;
                survey::run(hub, running, system, container).await.map(End::Done)
            }
            "dry_run" => dry_run::run(hub, running, job.route_id.ok_or_else(missing)?).await.map(End::Done),
            "proof" => proof::run(hub, running, job.route_id.ok_or_else(missing)?, &job.options).await.map(End::Done),
            "transfer" => {
                let end = transfer::run(hub, running, job.plan_id.ok_or_else(missing)?).await?;
                // What was made must be found by searching, too.
                survey::again(hub, job.route_id.ok_or_else(missing)?).await?;
                Ok(end)
            }
            other => Err(EngineError::UnknownJob(other.to_owned())),
        }
    };
    if job.kind == "transfer" {
        return work.await;
    }
    // What only reads may be dropped at any point.
    tokio::select! {
        end = work => end,
        _ = wanted.wait_for(|w| *w == Wanted::Stop) => Ok(End::Stopped),
    }
}
