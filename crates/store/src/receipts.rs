//! What a transfer of a plan is to do, and how far each part of it came.
//!
//! Counts; what the parts are called, and which of them belong together, is decided elsewhere.

use diesel::prelude::*;
use diesel::sql_types::{BigInt, Bool, Nullable, Text, Uuid as SqlUuid};
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::plans::ChangeRow;
use crate::schema::{changes, journal};
use crate::{Store, StoreError};

/// Included changes of a plan that have the same outcome and decision, and what became of them.
#[derive(Debug, Clone, PartialEq, Eq, QueryableByName)]
pub struct Undertaken {
    /// The kind of their items, by its id.
    #[diesel(sql_type = Text)]
    pub kind: String,
    /// What the dry run found for them, by its code.
    #[diesel(sql_type = Text)]
    pub outcome: String,
    /// The end that they write, or write first, by its code.
    #[diesel(sql_type = Text)]
    pub written: String,
    /// Whether new items are made instead.
    #[diesel(sql_type = Bool)]
    pub as_new: bool,
    /// Whether the pairs are let go.
    #[diesel(sql_type = Bool)]
    pub let_go: bool,
    /// How many there are.
    #[diesel(sql_type = BigInt)]
    pub planned: i64,
    /// Carried out.
    #[diesel(sql_type = BigInt)]
    pub done: i64,
    /// How many were refused.
    #[diesel(sql_type = BigInt)]
    pub refused: i64,
}

/// An included change of which both ends have something to say, and how far its transfer came.
#[derive(Debug, Clone, Queryable)]
pub struct IncludedConflict {
    /// Its place in the plan.
    pub seq: i32,
    /// What lists show of it, as JSON.
    pub brief: Value,
    /// What is decided about it, as JSON.
    pub decision: Value,
    /// How far its transfer came; none if it never began with it.
    pub state: Option<String>,
}

impl Store {
    /// Included changes that are conflicts, or whose written end was edited, after a place in the plan.
    pub async fn included_conflicts(
        &self,
        plan: Uuid,
        job: Option<Uuid>,
        after: i32,
        limit: i64,
    ) -> Result<Vec<IncludedConflict>, StoreError> {
        let of_job = journal::seq.eq(changes::seq).and(journal::job_id.nullable().eq(job));
        let query = changes::table
            .left_join(journal::table.on(of_job))
            .filter(changes::plan_id.eq(plan).and(changes::included).and(changes::seq.gt(after)))
            .filter(changes::outcome.eq_any(["conflict", "held_left", "held_right"]))
            .order(changes::seq)
            .limit(limit)
            .select((changes::seq, changes::brief, changes::decision, journal::state.nullable()));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Included changes with losses, moves of a base among them, after a place in the plan.
    pub async fn included_with_losses(&self, plan: Uuid, after: i32, limit: i64) -> Result<Vec<ChangeRow>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::included).and(changes::seq.gt(after)))
            .filter(changes::losses.gt(0))
            .order(changes::seq)
            .limit(limit)
            .select(ChangeRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The included changes of a plan, counted; with a transfer of it, what became of them. Moves of a base are among them.
    pub async fn undertaken(&self, plan: Uuid, job: Option<Uuid>) -> Result<Vec<Undertaken>, StoreError> {
        let query = diesel::sql_query(
            "select c.kind, c.outcome,
                coalesce(c.brief ->> 'written', 'right') as written,
                coalesce((c.decision ->> 'as_new')::boolean, false) as as_new,
                coalesce((c.decision ->> 'let_go')::boolean, false) as let_go,
                count(*) as planned,
                count(*) filter (where j.state = 'done') as done,
                count(*) filter (where j.state = 'refused') as refused
             from changes c
             left join journal j on j.job_id = $2 and j.seq = c.seq
             where c.plan_id = $1 and c.included
             group by 1, 2, 3, 4, 5
             order by 1, 2, 3, 4, 5",
        );
        let query = query.bind::<SqlUuid, _>(plan).bind::<Nullable<SqlUuid>, _>(job);
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
