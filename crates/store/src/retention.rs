//! What is old and of use to nobody any more.
//!
//! Decides what may be cleared: plans that were never carried out and that another followed, what jobs told while they ran,
//! and values that no pair has as its base, nor had when a conflict was found, and that no line of the record names. A plan that was carried out is the history of its items, and the newest of each
//! route is what people and proofs look at; both stay, and so does everything that belongs to a pair.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{Array, Bytea, Timestamptz, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, RunQueryDsl, SimpleAsyncConnection};
use uuid::Uuid;

use crate::{Store, StoreError};

/// What was cleared.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Cleared {
    /// Plans.
    pub plans: usize,
    /// What jobs told.
    pub events: usize,
    /// Values that nothing refers to any more.
    pub snapshots: usize,
}

/// Jobs whose events, and snapshots, are cleared in one transaction.
const BATCH: usize = 1000;

#[derive(QueryableByName)]
struct Plan {
    #[diesel(sql_type = SqlUuid)]
    id: Uuid,
}

#[derive(QueryableByName)]
struct Snapshot {
    #[diesel(sql_type = Bytea)]
    hash: Vec<u8>,
}

const OLD_PLANS: &str = "select p.id from plans p where p.made_at < $1
    and not exists (select from jobs j where j.plan_id = p.id)
    and exists (select from plans n where n.route_id = p.route_id and n.made_at > p.made_at)";

const OLD_EVENTS: &str = "delete from job_events where job_id in (
    select j.id from jobs j where j.finished_at < $1 and exists (select from job_events e where e.job_id = j.id) limit $2)";

/// That nothing stands on a snapshot.
pub(crate) const IN_NO_PAIR: &str = "not exists (select from pairs where left_base = s.hash)
    and not exists (select from pairs where right_base = s.hash)
    and not exists (select from pairs where agreed = s.hash)
    and not exists (select from conflict_generations where left_base = s.hash)
    and not exists (select from conflict_generations where right_base = s.hash)
    and not exists (select from record where before = s.hash)
    and not exists (select from record where after = s.hash)";

impl Store {
    /// Clears what is from before a day, a part at a time: whoever works meanwhile waits for none of it for long.
    pub async fn clear_before(&self, day: DateTime<Utc>) -> Result<Cleared, StoreError> {
        let mut cleared = Cleared::default();
        let mut connection = self.connection().await?;
        let plans: Vec<Plan> = diesel::sql_query(OLD_PLANS).bind::<Timestamptz, _>(day).load(&mut connection).await?;
        for plan in plans {
            // Somebody may be about to carry it out.
            cleared.plans += diesel::sql_query(
                "delete from plans p where p.id = $1 and not exists (select from jobs j where j.plan_id = p.id)",
            )
            .bind::<SqlUuid, _>(plan.id)
            .execute(&mut connection)
            .await?;
        }
        loop {
            let events = diesel::sql_query(OLD_EVENTS)
                .bind::<Timestamptz, _>(day)
                .bind::<diesel::sql_types::BigInt, _>(BATCH as i64)
                .execute(&mut connection)
                .await?;
            cleared.events += events;
            if events == 0 {
                break;
            }
        }
        loop {
            let unused: Vec<Snapshot> =
                diesel::sql_query(format!("select s.hash from snapshots s where {IN_NO_PAIR} limit {BATCH}"))
                    .load(&mut connection)
                    .await?;
            let unused: Vec<Vec<u8>> = unused.into_iter().map(|s| s.hash).collect();
            let gone = connection
                .transaction(async |connection| {
                    // A transfer that takes up one of them again, a moment before it belongs to a pair, is waited for, and
                    // the next waits for this. Where others hold the table for long it is left to the next time.
                    connection
                        .batch_execute("set local lock_timeout = '2s'; lock table snapshots in exclusive mode")
                        .await?;
                    let delete = format!("delete from snapshots s where s.hash = any($1) and {IN_NO_PAIR}");
                    diesel::sql_query(delete).bind::<Array<Bytea>, _>(&unused).execute(connection).await
                })
                .await?;
            cleared.snapshots += gone;
            if gone == 0 {
                return Ok(cleared);
            }
        }
    }
}
