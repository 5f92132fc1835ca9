//! The calls that write, one by one: before each, and with what its answer said. See docs/journal.md.

use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;

use crate::jobs::{Holder, fence};
use crate::schema::steps;
use crate::{Store, StoreError};

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = steps)]
pub struct StepRow {
    pub seq: i32,
    pub step: String,
    pub state: String,
    pub sent: Option<Value>,
    pub held: Option<Value>,
    pub right_id: Option<String>,
    pub version: Option<String>,
}

impl StepRow {
    pub fn is_done(&self) -> bool {
        self.state == "done"
    }
}

/// What the answer to a call said.
#[derive(Debug, Clone, Default)]
pub struct StepDone<'a> {
    pub held: Option<Value>,
    pub right_id: Option<&'a str>,
    pub version: Option<&'a str>,
}

impl Store {
    /// Forgets a call that surely was not done.
    pub async fn step_not_done(&self, holder: Holder, seq: i32, step: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                let intended = steps::table.find((holder.job, seq, step)).filter(steps::state.eq("intended"));
                diesel::delete(intended).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// The steps of some changes of a transfer.
    pub async fn steps(&self, job: uuid::Uuid, seqs: &[i32]) -> Result<Vec<StepRow>, StoreError> {
        let query = steps::table
            .filter(steps::job_id.eq(job).and(steps::seq.eq_any(seqs)))
            .order((steps::seq, steps::at, steps::step))
            .select(StepRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Notes that calls are about to be made, each for a change by its place, with what is sent.
    pub async fn intend_steps(&self, holder: Holder, step: &str, wanted: &[(i32, Value)]) -> Result<(), StoreError> {
        let row = |(seq, sent): &(i32, Value)| {
            (
                steps::job_id.eq(holder.job),
                steps::seq.eq(*seq),
                steps::step.eq(step.to_owned()),
                steps::state.eq("intended"),
                steps::sent.eq(sent.clone()),
            )
        };
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::insert_into(steps::table)
                    .values(wanted.iter().map(row).collect::<Vec<_>>())
                    .on_conflict((steps::job_id, steps::seq, steps::step))
                    .do_update()
                    .set((steps::sent.eq(excluded(steps::sent)), steps::state.eq("intended")))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// Notes what the answer to a call said.
    pub async fn step_done(&self, holder: Holder, seq: i32, step: &str, done: &StepDone<'_>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::insert_into(steps::table)
                    .values((
                        steps::job_id.eq(holder.job),
                        steps::seq.eq(seq),
                        steps::step.eq(step),
                        steps::state.eq("done"),
                        steps::held.eq(&done.held),
                        steps::right_id.eq(done.right_id),
                        steps::version.eq(done.version),
                    ))
                    .on_conflict((steps::job_id, steps::seq, steps::step))
                    .do_update()
                    .set((
                        steps::state.eq("done"),
                        steps::held.eq(excluded(steps::held)),
                        steps::right_id.eq(excluded(steps::right_id)),
                        steps::version.eq(excluded(steps::version)),
                        steps::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }
}
