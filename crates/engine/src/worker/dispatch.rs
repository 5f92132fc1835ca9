//! Which job does what.
//!
//! Decides that a transfer stops by itself, at a point of its own, while a job that only reads may be dropped anywhere.

use hovrel_store::{Job, JobKind, Wanted};

use crate::jobs::{Ended, Running};
use crate::{EngineError, Hub, dry_run, proof, survey, transfer};

pub(super) async fn dispatch(hub: &Hub, running: &Running, job: &Job) -> Result<Ended, EngineError> {
    let mut wanted = running.wanted.clone();
    let missing = || EngineError::Corrupt("the job does not name what to work on".into());
    let work = async {
        match job.kind {
            JobKind::Survey => {
                let (system, container) = job.system_id.zip(job.container.as_deref()).ok_or_else(missing)?;
                survey::run(hub, running, system, container).await.map(Ended::Done)
            }
            JobKind::DryRun => dry_run::run(hub, running, job.route_id.ok_or_else(missing)?).await.map(Ended::Done),
            JobKind::Proof => {
                proof::run(hub, running, job.route_id.ok_or_else(missing)?, &job.options).await.map(Ended::Done)
            }
            JobKind::Unknown => Err(missing()),
            JobKind::Transfer => {
                let end = transfer::run(hub, running, job.plan_id.ok_or_else(missing)?).await?;
                // What was made must be found by searching, too.
                survey::again(hub, job.route_id.ok_or_else(missing)?).await?;
                Ok(end)
            }
        }
    };
    if job.kind == JobKind::Transfer {
        return work.await;
    }
    // What only reads may be dropped at any point, by somebody who says so. A lease that is lost says nothing: nobody can
    // tell this worker what is wanted then, and the job is another's.
    tokio::select! {
        end = work => end,
        Ok(_) = wanted.wait_for(|w| *w == Wanted::Stop) => Ok(Ended::Stopped),
    }
}
