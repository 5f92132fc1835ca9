//! The transfer: a plan applied, wave by wave, change by change, through the journal.

mod apply;
mod as_taken;
mod attempt;
mod back;
mod batch;
mod checked;
mod course;
mod desk;
mod drive;
mod failure;
mod files;
mod gate;
mod halt;
mod hanging;
mod item;
mod later;
mod listed;
mod moves;
mod pieces;
mod progress;
mod recorded;
mod sent;
mod set_up;
mod shared;

use uuid::Uuid;

use crate::jobs::{Ended, Running};
use crate::{EngineError, Hub};
use drive::{Before, drive};
use listed::Listed;
use set_up::set_up;

pub(crate) async fn run(hub: &Hub, running: &Running, plan: Uuid) -> Result<Ended, EngineError> {
    let plan = hub.store.plan(plan).await?;
    // The journal before the pairs: what is noted in between must not be settled here and have no place.
    let before = Before::of(hub, running.holder.job).await?;
    let transfer = set_up(hub, running, &plan).await?;
    let changes = hub.store.included_changes(plan.id).await?;
    let changes = changes.into_iter().map(Listed::of).collect::<Result<Vec<_>, _>>()?;
    drive(&transfer, running, &changes, &before).await
}
