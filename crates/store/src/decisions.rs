//! Decisions about a plan, each kept as a step that can be undone.
//!
//! Decides which changes follow a decision about others (what needs a change that is left out is left out with it; what a
//! change that is included needs is included too), and that people who decide about one plan do so one after another.
//! What a decision means is decided elsewhere: here it is a value.

use diesel::prelude::*;
use diesel::sql_types::{Array, Bool, Double, Integer, Jsonb, Text, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::plans::{ChangeFilter, matching};
use crate::schema::{changes, decision_steps, plans};
use crate::{Store, StoreError};

/// Outcomes that are included with others.
const WRITABLE: [&str; 8] =
    ["new_left", "new_right", "update_left", "update_right", "adopt", "conflict", "held_left", "held_right"];

/// Outcomes that are included only where they are meant: an item that is created again, or a pair that is let go.
const MEANT: [&str; 6] =
    ["gone_left", "gone_right", "out_of_scope_left", "out_of_scope_right", "taken_off_left", "taken_off_right"];

/// So many steps of a plan can be undone.
const STEPS: i32 = 100;

/// What is decided about one change.
#[derive(Debug, Clone)]
pub struct Decided {
    /// Its place in the plan.
    pub seq: i32,
    /// What is decided about it, as JSON.
    pub decision: Value,
    /// Whether it is to be transferred.
    pub included: bool,
    /// What the written end would refuse of it, as JSON.
    pub refusals: Value,
    /// Fields in conflict that are not decided yet.
    pub open: i32,
    /// Calls to the right that it takes.
    pub right_calls: f64,
    /// Calls to the left that it takes.
    pub left_calls: f64,
}

type Asked<T> = Result<T, diesel::result::Error>;

/// The latest step of a plan. Others who decide about the same plan wait until this transaction ends: a decision takes
/// other changes with it, and two that meet would each hold what the other needs.
async fn latest(connection: &mut AsyncPgConnection, plan: Uuid) -> Asked<Option<i32>> {
    plans::table.find(plan).select(plans::id).for_no_key_update().first::<Uuid>(connection).await.optional()?;
    let of_plan = decision_steps::table.filter(decision_steps::plan_id.eq(plan));
    of_plan.select(diesel::dsl::max(decision_steps::step)).first(connection).await
}

/// Begins a step.
async fn begin(connection: &mut AsyncPgConnection, plan: Uuid) -> Asked<i32> {
    let step = latest(connection, plan).await?.unwrap_or(0) + 1;
    let of_plan = decision_steps::table.filter(decision_steps::plan_id.eq(plan));
    diesel::delete(of_plan.filter(decision_steps::step.le(step - STEPS))).execute(connection).await?;
    diesel::insert_into(decision_steps::table)
        .values((decision_steps::plan_id.eq(plan), decision_steps::step.eq(step)))
        .execute(connection)
        .await?;
    Ok(step)
}

/// Keeps some changes as they are before a step; of one that the step has changed already, what was before that.
async fn keep_before(connection: &mut AsyncPgConnection, (plan, step): (Uuid, i32), seqs: &[i32]) -> Asked<()> {
    diesel::sql_query(
        "insert into decided_before
            (plan_id, step, seq, included, decision, refusals, open, right_calls, left_calls, decided_by)
         select plan_id, $2, seq, included, decision, refusals, open, right_calls, left_calls, decided_by from changes
         where plan_id = $1 and seq = any($3)
         on conflict do nothing",
    )
    .bind::<SqlUuid, _>(plan)
    .bind::<Integer, _>(step)
    .bind::<Array<Integer>, _>(seqs)
    .execute(connection)
    .await?;
    Ok(())
}

#[derive(QueryableByName)]
struct Place {
    #[diesel(sql_type = Integer)]
    seq: i32,
}

/// Includes or leaves out, with some changes, those that they need or that need them, however far. Returns how many
/// others changed.
async fn follow(
    connection: &mut AsyncPgConnection,
    (plan, step): (Uuid, i32),
    seqs: &[i32],
    included: bool,
) -> Asked<usize> {
    let (from, to) = if included { ("seq", "needs") } else { ("needs", "seq") };
    let reached = format!(
        "with recursive reached(seq) as (
            select unnest($2)
            union
            select d.{to} from dependencies d join reached r on d.plan_id = $1 and d.{from} = r.seq
        )
        select c.seq from changes c join reached r on r.seq = c.seq
        where c.plan_id = $1 and c.included <> $3 and c.outcome = any($4)"
    );
    let reached: Vec<Place> = diesel::sql_query(reached)
        .bind::<SqlUuid, _>(plan)
        .bind::<Array<Integer>, _>(seqs)
        .bind::<Bool, _>(included)
        .bind::<Array<Text>, _>(WRITABLE.as_slice())
        .load(connection)
        .await?;
    let reached: Vec<i32> = reached.into_iter().map(|p| p.seq).collect();
    include(connection, (plan, step), &reached, included).await
}

async fn include(
    connection: &mut AsyncPgConnection,
    (plan, step): (Uuid, i32),
    seqs: &[i32],
    included: bool,
) -> Asked<usize> {
    if seqs.is_empty() {
        return Ok(0);
    }
    keep_before(connection, (plan, step), seqs).await?;
    diesel::sql_query(
        "update changes set included = $3, decision = jsonb_set(decision, '{included}', to_jsonb($3))
         where plan_id = $1 and seq = any($2)",
    )
    .bind::<SqlUuid, _>(plan)
    .bind::<Array<Integer>, _>(seqs)
    .bind::<Bool, _>(included)
    .execute(connection)
    .await
}

impl Store {
    /// Keeps decisions of a person as one step. What needs a change that is left out is left out with it; what a change that is
    /// included needs is included too. Returns how many changes they touched, with those that followed.
    pub async fn decide(&self, plan: Uuid, person: Uuid, all: &[Decided]) -> Result<usize, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let step = begin(connection, plan).await?;
                let seqs: Vec<i32> = all.iter().map(|d| d.seq).collect();
                keep_before(connection, (plan, step), &seqs).await?;
                diesel::sql_query(
                    "update changes c set included = d.included, decision = d.decision, refusals = d.refusals,
                        open = d.open, right_calls = d.right_calls, left_calls = d.left_calls, decided_by = $9
                     from unnest($2, $3, $4, $5, $6, $7, $8)
                        as d(seq, included, decision, refusals, open, right_calls, left_calls)
                     where c.plan_id = $1 and c.seq = d.seq",
                )
                .bind::<SqlUuid, _>(plan)
                .bind::<Array<Integer>, _>(&seqs)
                .bind::<Array<Bool>, _>(all.iter().map(|d| d.included).collect::<Vec<_>>())
                .bind::<Array<Jsonb>, _>(all.iter().map(|d| &d.decision).collect::<Vec<_>>())
                .bind::<Array<Jsonb>, _>(all.iter().map(|d| &d.refusals).collect::<Vec<_>>())
                .bind::<Array<Integer>, _>(all.iter().map(|d| d.open).collect::<Vec<_>>())
                .bind::<Array<Double>, _>(all.iter().map(|d| d.right_calls).collect::<Vec<_>>())
                .bind::<Array<Double>, _>(all.iter().map(|d| d.left_calls).collect::<Vec<_>>())
                .bind::<SqlUuid, _>(person)
                .execute(connection)
                .await?;
                let mut changed = seqs.len();
                for included in [true, false] {
                    let seqs: Vec<i32> = all.iter().filter(|d| d.included == included).map(|d| d.seq).collect();
                    if !seqs.is_empty() {
                        changed += follow(connection, (plan, step), &seqs, included).await?;
                    }
                }
                Ok(changed)
            })
            .await
    }

    /// Includes or leaves out every matching change that can be written, as one step; returns how many changed.
    pub async fn include_matching(
        &self,
        plan: Uuid,
        filter: &ChangeFilter,
        included: bool,
    ) -> Result<usize, StoreError> {
        let mut connection = self.connection().await?;
        let meant = filter.outcome.as_deref().filter(|o| MEANT.contains(o));
        let outcomes: Vec<&str> = WRITABLE.into_iter().chain(meant).collect();
        connection
            .transaction(async |connection| {
                let step = begin(connection, plan).await?;
                let seqs: Vec<i32> = matching(plan, filter)
                    .filter(changes::outcome.eq_any(outcomes))
                    .filter(changes::included.ne(included))
                    .select(changes::seq)
                    .load(connection)
                    .await?;
                if seqs.is_empty() {
                    // Nothing to undo.
                    let none = decision_steps::table.find((plan, step));
                    diesel::delete(none).execute(connection).await?;
                    return Ok(0);
                }
                let changed = include(connection, (plan, step), &seqs, included).await?;
                Ok(changed + follow(connection, (plan, step), &seqs, included).await?)
            })
            .await
    }

    /// Takes the latest step back; returns how many changes are as they were before. None if there is no step.
    pub async fn undo_decision(&self, plan: Uuid) -> Result<Option<usize>, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let Some(step) = latest(connection, plan).await? else { return Ok(None) };
                let changed = diesel::sql_query(
                    "update changes c set included = b.included, decision = b.decision, refusals = b.refusals,
                        open = b.open, right_calls = b.right_calls, left_calls = b.left_calls,
                        decided_by = b.decided_by
                     from decided_before b
                     where b.plan_id = $1 and b.step = $2 and c.plan_id = $1 and c.seq = b.seq",
                )
                .bind::<SqlUuid, _>(plan)
                .bind::<Integer, _>(step)
                .execute(connection)
                .await?;
                diesel::delete(decision_steps::table.find((plan, step))).execute(connection).await?;
                Ok(Some(changed))
            })
            .await
    }

    /// How many steps of plans can be undone.
    pub async fn decision_steps(&self, of: &[Uuid]) -> Result<Vec<(Uuid, i64)>, StoreError> {
        let query = decision_steps::table
            .filter(decision_steps::plan_id.eq_any(of))
            .group_by(decision_steps::plan_id)
            .select((decision_steps::plan_id, diesel::dsl::count_star()));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
