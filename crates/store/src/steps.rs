//! The calls that write, one by one: before each, and with what its answer said. See docs/journal.md.

use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, RunQueryDsl};
use hovrel_core::model::End;
use serde_json::Value;

use crate::end::EndColumn;
use crate::jobs::{Holder, fence};
use crate::schema::steps;
use crate::{Store, StoreError};

/// A call of a transfer that writes, as it is remembered from before the call.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = steps)]
pub struct StepRow {
    /// The place of its change in the plan.
    pub seq: i32,
    /// The end at which it is made.
    #[diesel(deserialize_as = EndColumn)]
    pub written_end: End,
    /// Which call it is: its sort, and what it is about.
    pub step: String,
    /// How far it came, by its code.
    pub state: String,
    /// What it sends, as JSON.
    pub sent: Option<Value>,
    /// What was held after it, as JSON.
    pub held: Option<Value>,
}

impl StepRow {
    /// Whether it is known to be done.
    pub fn is_done(&self) -> bool {
        self.state == "done"
    }
}

/// Which calls: those of one sort, made at one end.
#[derive(Debug, Clone, Copy)]
pub struct StepAt<'a> {
    /// The end that is written.
    pub written_end: End,
    /// The sort.
    pub step: &'a str,
}

impl Store {
    /// Forgets a call that surely was not done.
    pub async fn step_not_done(&self, holder: Holder, seq: i32, at: StepAt<'_>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                let intended = steps::table
                    .find((holder.job, seq, at.written_end.id(), at.step))
                    .filter(steps::state.eq("intended"));
                diesel::delete(intended).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// The steps of some changes of a transfer.
    pub async fn steps(&self, job: uuid::Uuid, seqs: &[i32]) -> Result<Vec<StepRow>, StoreError> {
        let query = steps::table
            .filter(steps::job_id.eq(job).and(steps::seq.eq_any(seqs)))
            .order((steps::seq, steps::at, steps::written_end, steps::step))
            .select(StepRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Notes that calls are about to be made, each for a change by its place, with what is sent.
    pub async fn intend_steps(
        &self,
        holder: Holder,
        at: StepAt<'_>,
        wanted: &[(i32, Value)],
    ) -> Result<(), StoreError> {
        let row = |(seq, sent): &(i32, Value)| {
            (
                steps::job_id.eq(holder.job),
                steps::seq.eq(*seq),
                steps::written_end.eq(at.written_end.id()),
                steps::step.eq(at.step.to_owned()),
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
                    .on_conflict((steps::job_id, steps::seq, steps::written_end, steps::step))
                    .do_update()
                    .set((steps::sent.eq(excluded(steps::sent)), steps::state.eq("intended")))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// Notes what the answer to a call said.
    pub async fn step_done(
        &self,
        holder: Holder,
        seq: i32,
        at: StepAt<'_>,
        held: Option<&Value>,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::insert_into(steps::table)
                    .values((
                        steps::job_id.eq(holder.job),
                        steps::seq.eq(seq),
                        steps::written_end.eq(at.written_end.id()),
                        steps::step.eq(at.step),
                        steps::state.eq("done"),
                        steps::held.eq(held),
                    ))
                    .on_conflict((steps::job_id, steps::seq, steps::written_end, steps::step))
                    .do_update()
                    .set((
                        steps::state.eq("done"),
                        steps::held.eq(excluded(steps::held)),
                        steps::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }
}
