//! Plans: changes as found, and the decisions beside them.

use chrono::{DateTime, Utc};
use diesel::dsl::count_star;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::artefacts::holds;
use crate::pairs::{PairMove, move_pairs};
use crate::schema::{changes, dependencies, plans};
use crate::{Rows, Store, StoreError};

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = plans)]
pub struct Plan {
    pub id: Uuid,
    pub route_id: Uuid,
    pub route_version: i32,
    pub lanes: Value,
    pub summary: Value,
    pub digest: Vec<u8>,
    pub made_at: DateTime<Utc>,
}

#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = changes)]
pub struct NewChange {
    pub plan_id: Uuid,
    pub seq: i32,
    pub lane: String,
    pub kind: String,
    pub outcome: String,
    pub left_id: Option<String>,
    pub left_key: String,
    pub right_key: String,
    pub title: String,
    pub field_names: Vec<String>,
    pub losses: i32,
    pub conflicts: i32,
    /// What lists show of it.
    pub brief: Value,
    pub body: Value,
    pub decision: Value,
    pub included: bool,
    pub refusals: Value,
    /// What it costs at each end, in calls.
    pub right_calls: f64,
    pub left_calls: f64,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = changes)]
pub struct ChangeRow {
    pub seq: i32,
    pub outcome: String,
    pub body: Value,
    pub decision: Value,
    pub included: bool,
    pub refusals: Value,
}

/// A change as lists show it.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = changes)]
pub struct BriefRow {
    pub seq: i32,
    pub brief: Value,
    pub decision: Value,
    pub included: bool,
    pub refusals: Value,
}

/// How many changes of a plan are alike in outcome, kind and whether they are taken in.
#[derive(Debug, Clone, Queryable)]
pub struct ChangeCount {
    pub plan_id: Uuid,
    pub outcome: String,
    pub kind: String,
    pub included: bool,
    pub count: i64,
    pub with_losses: i64,
    pub conflicts: i64,
    /// Taken in, and the target would not take them, as the rehearsal found.
    pub refused: i64,
}

/// A change that is taken in: its place, and the places of those that it waits for.
#[derive(Debug, Clone, Queryable)]
pub struct Included {
    pub seq: i32,
    pub outcome: String,
    /// Two lists: what it needs, and what it would rather wait for.
    pub waits: Value,
    /// What it costs at each end, in calls.
    pub right_calls: f64,
    pub left_calls: f64,
}

/// Which changes of a plan to list.
#[derive(Debug, Clone, Default)]
pub struct ChangeFilter {
    pub outcome: Option<String>,
    pub kind: Option<String>,
    pub field: Option<String>,
    pub with_losses: bool,
    pub find: Option<String>,
    pub left_out: bool,
    /// Taken in, and the target would not take it.
    pub refused: bool,
}

/// Rows per statement: of needs, and of changes, whose bodies are many times as large in memory as they are kept.
const BATCH: usize = 1000;
const CHANGES: usize = 100;

/// The outcome of a change that only moves a base.
const MOVES_A_BASE: &str = "in_step";

impl ChangeFilter {
    /// Whether every change that is told of passes.
    fn takes_all(&self) -> bool {
        let ChangeFilter { outcome, kind, field, with_losses, find, left_out, refused } = self;
        let named = [outcome, kind, field, find].into_iter().any(Option::is_some);
        !named && !with_losses && !left_out && !refused
    }
}

type Matching<'a> = changes::BoxedQuery<'a, diesel::pg::Pg>;

fn matching(plan: Uuid, filter: &ChangeFilter) -> Matching<'static> {
    let mut query = changes::table.filter(changes::plan_id.eq(plan)).into_boxed();
    // Moves of a base are no changes to look at.
    query = query.filter(changes::outcome.ne(MOVES_A_BASE));
    if let Some(outcome) = &filter.outcome {
        query = query.filter(changes::outcome.eq(outcome.clone()));
    }
    if let Some(kind) = &filter.kind {
        query = query.filter(changes::kind.eq(kind.clone()));
    }
    if let Some(field) = &filter.field {
        query = query.filter(changes::field_names.contains(vec![field.clone()]));
    }
    if filter.with_losses {
        query = query.filter(changes::losses.gt(0));
    }
    if filter.refused {
        query = query.filter(changes::refusals.ne(json!([])).and(changes::included));
    }
    if filter.left_out {
        query = query.filter(changes::included.eq(false));
    }
    if let Some(find) = &filter.find {
        query = query.filter(holds(find));
    }
    query
}

/// Outcomes that are taken in with others.
const WRITABLE: [&str; 5] = ["new_right", "update_right", "adopt", "conflict", "held_right"];

/// Outcomes that are taken in only where they are meant: a pair that is made anew, or let go.
const MEANT: [&str; 4] = ["gone_right", "gone_left", "left_scope", "taken_off"];

/// Takes in or leaves out, with some changes, those that they need or that need them, however far. Returns
/// how many others changed.
async fn follow(
    connection: &mut AsyncPgConnection,
    plan: Uuid,
    seqs: &[i32],
    included: bool,
) -> Result<usize, diesel::result::Error> {
    use diesel::sql_types::{Array, Bool, Integer, Text, Uuid as SqlUuid};
    let (from, to) = if included { ("seq", "needs") } else { ("needs", "seq") };
    let query = format!(
        "with recursive reached(seq) as (
            select unnest($2)
            union
            select d.{to} from dependencies d join reached r on d.plan_id = $1 and d.{from} = r.seq
        )
        update changes set included = $3, decision = jsonb_set(decision, '{{included}}', to_jsonb($3))
        where plan_id = $1 and included <> $3 and outcome = any($4) and seq in (select seq from reached)"
    );
    diesel::sql_query(query)
        .bind::<SqlUuid, _>(plan)
        .bind::<Array<Integer>, _>(seqs)
        .bind::<Bool, _>(included)
        .bind::<Array<Text>, _>(WRITABLE.as_slice())
        .execute(connection)
        .await
}

impl Store {
    /// Keeps a plan and its changes together. `needs` says which change needs which, by place; `moves` which pairs it
    /// found in the scope of another lane.
    pub async fn keep_plan(
        &self,
        plan: &Plan,
        mut rows: Rows<'_, NewChange>,
        needs: &[(i32, i32)],
        moves: &[PairMove<'_>],
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                diesel::insert_into(plans::table)
                    .values((
                        plans::id.eq(plan.id),
                        plans::route_id.eq(plan.route_id),
                        plans::route_version.eq(plan.route_version),
                        plans::lanes.eq(&plan.lanes),
                        plans::summary.eq(&plan.summary),
                        plans::digest.eq(&plan.digest),
                    ))
                    .execute(connection)
                    .await?;
                let mut told = 0;
                loop {
                    let batch = rows.by_ref().take(CHANGES).collect::<Result<Vec<_>, _>>()?;
                    if batch.is_empty() {
                        break;
                    }
                    told += batch.iter().filter(|c| c.outcome != MOVES_A_BASE).count() as i32;
                    diesel::insert_into(changes::table).values(batch).execute(connection).await?;
                }
                diesel::update(plans::table.find(plan.id)).set(plans::told.eq(told)).execute(connection).await?;
                for batch in needs.chunks(BATCH) {
                    let row = |(seq, needed): &(i32, i32)| {
                        (dependencies::plan_id.eq(plan.id), dependencies::seq.eq(*seq), dependencies::needs.eq(*needed))
                    };
                    let rows: Vec<_> = batch.iter().map(row).collect();
                    diesel::insert_into(dependencies::table).values(rows).execute(connection).await?;
                }
                move_pairs(connection, plan.route_id, moves).await?;
                Ok(())
            })
            .await
    }

    pub async fn plan(&self, id: Uuid) -> Result<Plan, StoreError> {
        let found = plans::table.find(id).select(Plan::as_select()).first(&mut self.connection().await?).await;
        found.optional()?.ok_or(StoreError::Missing("the plan"))
    }

    /// The newest plan of each of some routes.
    pub async fn latest_plans(&self, routes: &[Uuid]) -> Result<Vec<Plan>, StoreError> {
        let query = plans::table
            .filter(plans::route_id.eq_any(routes))
            .distinct_on(plans::route_id)
            .order((plans::route_id, plans::made_at.desc()))
            .select(Plan::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// One page of changes after a place, and how many match in all.
    pub async fn list_changes(
        &self,
        plan: Uuid,
        filter: &ChangeFilter,
        after: i32,
        limit: i64,
    ) -> Result<(Vec<BriefRow>, i64), StoreError> {
        let mut connection = self.connection().await?;
        let total = if filter.takes_all() {
            let told = plans::table.find(plan).select(plans::told).first::<i32>(&mut connection).await.optional()?;
            told.map_or(0, i64::from)
        } else {
            matching(plan, filter).select(count_star()).first(&mut connection).await?
        };
        let rows = matching(plan, filter)
            .filter(changes::seq.gt(after))
            .order(changes::seq)
            .limit(limit)
            .select(BriefRow::as_select())
            .load(&mut connection)
            .await?;
        Ok((rows, total))
    }

    pub async fn change(&self, plan: Uuid, seq: i32) -> Result<ChangeRow, StoreError> {
        let query = changes::table.find((plan, seq)).select(ChangeRow::as_select());
        query.first(&mut self.connection().await?).await.optional()?.ok_or(StoreError::Missing("the change"))
    }

    /// What is taken in of a plan, in plan order, without what it says.
    pub async fn included_changes(&self, plan: Uuid) -> Result<Vec<Included>, StoreError> {
        use diesel::dsl::sql;
        use diesel::sql_types::Jsonb;
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::included.eq(true)))
            .order(changes::seq)
            .select((
                changes::seq,
                changes::outcome,
                sql::<Jsonb>("jsonb_build_array(body -> 'depends_on', body -> 'after')"),
                changes::right_calls,
                changes::left_calls,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The items of the left that changes of some lanes are about, with their lane; only of what is taken in.
    pub async fn items_of_changes(&self, plan: Uuid, lanes: &[&str]) -> Result<Vec<(String, String)>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::included).and(changes::lane.eq_any(lanes)))
            .filter(changes::left_id.is_not_null())
            .order(changes::seq)
            .select((changes::lane, changes::left_id.assume_not_null()));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Changes of a plan after a place, moves of a base included.
    pub async fn changes_after(&self, plan: Uuid, after: i32, limit: i64) -> Result<Vec<ChangeRow>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::seq.gt(after)))
            .order(changes::seq)
            .limit(limit)
            .select(ChangeRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The same without moves of a base, which are no changes to look at.
    pub async fn told_changes_after(&self, plan: Uuid, after: i32, limit: i64) -> Result<Vec<ChangeRow>, StoreError> {
        let query = matching(plan, &ChangeFilter::default())
            .filter(changes::seq.gt(after))
            .order(changes::seq)
            .limit(limit)
            .select(ChangeRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Some changes of a plan, by their places.
    pub async fn changes_at(&self, plan: Uuid, seqs: &[i32]) -> Result<Vec<ChangeRow>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::seq.eq_any(seqs)))
            .order(changes::seq)
            .select(ChangeRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Keeps a decision. What needs a change that is left out is left out with it; what a change that is
    /// taken in needs is taken in too.
    pub async fn decide(
        &self,
        plan: Uuid,
        seq: i32,
        decision: &Value,
        included: bool,
        refusals: &Value,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                diesel::update(changes::table.find((plan, seq)))
                    .set((
                        changes::decision.eq(decision),
                        changes::included.eq(included),
                        changes::refusals.eq(refusals),
                    ))
                    .execute(connection)
                    .await?;
                follow(connection, plan, &[seq], included).await?;
                Ok(())
            })
            .await
    }

    /// Includes or leaves out every matching change that can be written; returns how many changed.
    pub async fn include_matching(
        &self,
        plan: Uuid,
        filter: &ChangeFilter,
        included: bool,
    ) -> Result<usize, StoreError> {
        let mut connection = self.connection().await?;
        let meant = filter.outcome.as_deref().filter(|o| MEANT.contains(o));
        let outcomes: Vec<&str> = WRITABLE.into_iter().chain(meant).collect();
        let seqs: Vec<i32> = matching(plan, filter)
            .filter(changes::outcome.eq_any(outcomes))
            .filter(changes::included.ne(included))
            .select(changes::seq)
            .load(&mut connection)
            .await?;
        let flag = diesel::dsl::sql::<diesel::sql_types::Jsonb>("jsonb_set(decision, '{included}', to_jsonb(")
            .bind::<diesel::sql_types::Bool, _>(included)
            .sql("))");
        connection
            .transaction(async |connection| {
                let here = changes::table.filter(changes::plan_id.eq(plan).and(changes::seq.eq_any(&seqs)));
                let changed = diesel::update(here)
                    .set((changes::included.eq(included), changes::decision.eq(flag)))
                    .execute(connection)
                    .await?;
                Ok(changed + follow(connection, plan, &seqs, included).await?)
            })
            .await
    }

    /// Counts of plans, for the filters and for saying where a route stands.
    pub async fn change_counts(&self, of: &[Uuid]) -> Result<Vec<ChangeCount>, StoreError> {
        use diesel::dsl::sql;
        use diesel::sql_types::BigInt;
        let query = changes::table
            .filter(changes::plan_id.eq_any(of))
            .group_by((changes::plan_id, changes::outcome, changes::kind, changes::included))
            .order((changes::plan_id, changes::outcome, changes::kind, changes::included))
            .select((
                changes::plan_id,
                changes::outcome,
                changes::kind,
                changes::included,
                count_star(),
                sql::<BigInt>("count(*) filter (where losses > 0)"),
                sql::<BigInt>("coalesce(sum(conflicts), 0)::bigint"),
                sql::<BigInt>("count(*) filter (where included and refusals <> '[]'::jsonb)"),
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Names of the fields that changes of plans touch, by plan and in order.
    pub async fn changed_fields(&self, of: &[Uuid]) -> Result<Vec<(Uuid, String)>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq_any(of).and(changes::outcome.ne("in_step")))
            .select((changes::plan_id, diesel::dsl::sql::<diesel::sql_types::Text>("unnest(field_names)")))
            .distinct();
        let mut names: Vec<(Uuid, String)> = query.load(&mut self.connection().await?).await?;
        names.sort();
        Ok(names)
    }
}
