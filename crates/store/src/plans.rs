//! Plans: changes as found. What is decided about them is in `decisions`.

use std::collections::BTreeSet;

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use hovrel_core::model::End;
use serde_json::{Value, json};
use uuid::Uuid;

use crate::artefacts::holds;
use crate::conflicts::{self, FoundConflict, Seen};
use crate::end::EndColumn;
use crate::newest::{Of, newest};
use crate::pairs::{PairMove, move_pairs};
use crate::schema::{changes, dependencies, plan_counts, plans};
use crate::{Connection, Rows, Store, StoreError, Total};

/// What a dry run found, with the rules of then.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = plans)]
pub struct Plan {
    /// Its id.
    pub id: Uuid,
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// The version of the route's rules.
    pub route_version: i32,
    /// The lanes with their rules, as JSON.
    pub lanes: Value,
    /// Its figures, as JSON.
    pub summary: Value,
    /// Fingerprint of all changes.
    pub digest: Vec<u8>,
    /// When it was made.
    pub made_at: DateTime<Utc>,
}

/// A change to keep.
#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = changes)]
pub struct NewChange {
    /// The plan that it belongs to.
    pub plan_id: Uuid,
    /// Its place in the plan.
    pub seq: i32,
    /// The lane, by its id.
    pub lane: String,
    /// Its kind, by its id.
    pub kind: String,
    /// What the dry run found for it, by its code.
    pub outcome: String,
    /// Id of the item at the left.
    pub left_id: Option<String>,
    /// What people call the item at the left.
    pub left_key: String,
    /// What people call the item at the right.
    pub right_key: String,
    /// Its title.
    pub title: String,
    /// The slots that differ, as they are spelt.
    pub field_names: Vec<String>,
    /// How many losses it has.
    pub losses: i32,
    /// How many fields are in conflict.
    pub conflicts: i32,
    /// Of these, fields that are not decided yet.
    pub open: i32,
    /// What lists show of it.
    pub brief: Value,
    /// The whole of it, as JSON.
    pub body: Value,
    /// What is decided about it, as JSON.
    pub decision: Value,
    /// Whether it is to be transferred.
    pub included: bool,
    /// What the written end would refuse of it, as JSON.
    pub refusals: Value,
    /// Calls to the right that it takes.
    pub right_calls: f64,
    /// Calls to the left that it takes.
    pub left_calls: f64,
    /// The item at the left gets a link to its counterpart if this is carried out; its calls are among those to the left.
    pub links_back: bool,
}

/// A change with all of its values.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = changes)]
pub struct ChangeRow {
    /// Its place in the plan.
    pub seq: i32,
    /// What the dry run found for it, by its code.
    pub outcome: String,
    /// The whole of it, as JSON.
    pub body: Value,
    /// What is decided about it, as JSON.
    pub decision: Value,
    /// Whether it is to be transferred.
    pub included: bool,
    /// What the written end would refuse of it, as JSON.
    pub refusals: Value,
    /// Calls to the right that it takes.
    pub right_calls: f64,
    /// Calls to the left that it takes.
    pub left_calls: f64,
    /// Whether the item at the left gets a link to its counterpart.
    pub links_back: bool,
}

/// A change as lists show it.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = changes)]
pub struct BriefRow {
    /// Its place in the plan.
    pub seq: i32,
    /// What lists show of it, as JSON.
    pub brief: Value,
    /// What is decided about it, as JSON.
    pub decision: Value,
    /// Whether it is to be transferred.
    pub included: bool,
    /// What the written end would refuse of it, as JSON.
    pub refusals: Value,
}

/// How many changes of a plan are alike in outcome, kind and whether they are taken in.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = plan_counts)]
pub struct ChangeCount {
    /// The plan that it belongs to.
    pub plan_id: Uuid,
    /// What the dry run found for it, by its code.
    pub outcome: String,
    /// Its kind, by its id.
    pub kind: String,
    /// Whether it is to be transferred.
    pub included: bool,
    /// How many there are.
    pub count: i64,
    /// How many of them have losses.
    pub with_losses: i64,
    /// How many fields are in conflict.
    pub conflicts: i64,
    /// Taken in, and the target would not take them, as the rehearsal found.
    pub refused: i64,
    /// Changes with fields in conflict that nobody has decided yet.
    pub in_conflict: i64,
    /// These fields.
    pub open: i64,
    /// Calls to the right that they take.
    pub right_calls: f64,
    /// Calls to the left that they take.
    pub left_calls: f64,
    /// Items at the left that get a link to their counterpart.
    pub links_back: i64,
}

/// A change that is taken in: its place, and the places of those that it waits for.
#[derive(Debug, Clone, Queryable)]
pub struct Included {
    /// Its place in the plan.
    pub seq: i32,
    /// What the dry run found for it, by its code.
    pub outcome: String,
    /// Two lists: what it needs, and what it would rather wait for.
    pub waits: Value,
    /// The end that is written.
    #[diesel(deserialize_as = EndColumn)]
    pub written_end: End,
    /// Calls to the right that it takes.
    pub right_calls: f64,
    /// Calls to the left that it takes.
    pub left_calls: f64,
}

/// Which changes of a plan to list.
#[derive(Debug, Clone, Default)]
pub struct ChangeFilter {
    /// Only of this outcome.
    pub outcome: Option<String>,
    /// Only of this kind.
    pub kind: Option<String>,
    /// Only those in which this slot differs.
    pub field: Option<String>,
    /// Only those with losses.
    pub with_losses: bool,
    /// With fields in conflict that nobody has decided yet.
    pub in_conflict: bool,
    /// Words in key or title.
    pub find: Option<String>,
    /// Only those that are not to be transferred.
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
        let ChangeFilter { outcome, kind, field, with_losses, in_conflict, find, left_out, refused } = self;
        let named = [outcome, kind, field, find].into_iter().any(Option::is_some);
        !named && !with_losses && !in_conflict && !left_out && !refused
    }
}

pub(crate) type Matching<'a> = changes::BoxedQuery<'a, diesel::pg::Pg>;

pub(crate) fn matching(plan: Uuid, filter: &ChangeFilter) -> Matching<'static> {
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
    if filter.in_conflict {
        query = query.filter(changes::open.gt(0));
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

/// A change that another needs and that is left out.
#[derive(Debug, Clone, Queryable)]
pub struct Lacking {
    /// Of the change that needs it.
    pub seq: i32,
    /// The place of the change that it needs.
    pub needs: i32,
    /// What people call the item of that.
    pub key: String,
    /// The title of the item of that.
    pub title: String,
}

impl Store {
    /// What some changes of a plan need, each itself, and is left out.
    pub async fn lacking(&self, plan: Uuid, seqs: &[i32]) -> Result<Vec<Lacking>, StoreError> {
        let needed = changes::plan_id.eq(dependencies::plan_id).and(changes::seq.eq(dependencies::needs));
        let query = dependencies::table
            .inner_join(changes::table.on(needed))
            .filter(
                dependencies::plan_id
                    .eq(plan)
                    .and(dependencies::seq.eq_any(seqs))
                    .and(diesel::dsl::not(changes::included)),
            )
            .order((dependencies::seq, dependencies::needs))
            .select((dependencies::seq, dependencies::needs, changes::left_key, changes::title));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Keeps a plan and its changes together. `needs` says which change needs which, by place; `moves` which pairs it
    /// found in the scope of another lane.
    pub async fn keep_plan(
        &self,
        plan: &Plan,
        mut rows: Rows<'_, (NewChange, Vec<FoundConflict>)>,
        needs: &[(i32, i32)],
        moves: &[PairMove<'_>],
        seen: &Seen,
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
                // Conflicts go by the lanes that pairs have now.
                move_pairs(connection, plan.route_id, moves).await?;
                let mut fields = BTreeSet::new();
                loop {
                    let read = rows.by_ref().take(CHANGES).collect::<Result<Vec<_>, _>>()?;
                    if read.is_empty() {
                        break;
                    }
                    let (batch, found): (Vec<_>, Vec<_>) = read.into_iter().unzip();
                    let told = batch.iter().filter(|c| c.outcome != MOVES_A_BASE);
                    fields.extend(told.flat_map(|c| c.field_names.iter().cloned()));
                    diesel::insert_into(changes::table).values(batch).execute(connection).await?;
                    conflicts::keep(connection, (plan.id, plan.route_id), &found.concat()).await?;
                }
                let fields: Vec<String> = fields.into_iter().collect();
                diesel::update(plans::table.find(plan.id)).set(plans::fields.eq(fields)).execute(connection).await?;
                for batch in needs.chunks(BATCH) {
                    let row = |(seq, needed): &(i32, i32)| {
                        (dependencies::plan_id.eq(plan.id), dependencies::seq.eq(*seq), dependencies::needs.eq(*needed))
                    };
                    let rows: Vec<_> = batch.iter().map(row).collect();
                    diesel::insert_into(dependencies::table).values(rows).execute(connection).await?;
                }
                conflicts::end_the_others(connection, (plan.id, plan.route_id), seen).await?;
                Ok(())
            })
            .await
    }

    /// A plan by its id.
    pub async fn plan(&self, id: Uuid) -> Result<Plan, StoreError> {
        let found = plans::table.find(id).select(Plan::as_select()).first(&mut self.connection().await?).await;
        found.optional()?.ok_or(StoreError::Missing("the plan"))
    }

    /// The newest plan of each of some routes.
    pub async fn latest_plans(&self, routes: &[Uuid]) -> Result<Vec<Plan>, StoreError> {
        let mut connection = self.connection().await?;
        let ids = newest(&mut connection, Of::Plans, routes).await?;
        Ok(plans::table.filter(plans::id.eq_any(ids)).select(Plan::as_select()).load(&mut connection).await?)
    }

    /// One page of changes after a place, and how many match.
    pub async fn list_changes(
        &self,
        plan: Uuid,
        filter: &ChangeFilter,
        after: i32,
        limit: i64,
    ) -> Result<(Vec<BriefRow>, Total), StoreError> {
        let mut connection = self.connection().await?;
        let places = async |connection: &mut Connection<'_>, after: i32, most: i64| {
            let query = matching(plan, filter).filter(changes::seq.gt(after)).order(changes::seq).limit(most);
            query.select(changes::seq).load::<i32>(connection).await
        };
        let (page, total) = if filter.takes_all() {
            let told = plan_counts::plan_id.eq(plan).and(plan_counts::outcome.ne(MOVES_A_BASE));
            let counts = plan_counts::table.filter(told).select(plan_counts::count);
            let counts: Vec<i64> = counts.load(&mut connection).await?;
            (places(&mut connection, after, limit).await?, Total::exactly(counts.into_iter().sum()))
        } else {
            let counted = places(&mut connection, -1, Total::LIMIT).await?;
            let total = Total::of(&counted);
            match total.page(&counted, after, limit) {
                Some(page) => (page, total),
                None => (places(&mut connection, after, limit).await?, total),
            }
        };
        let rows = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::seq.eq_any(page)))
            .order(changes::seq)
            .select(BriefRow::as_select())
            .load(&mut connection)
            .await?;
        Ok((rows, total))
    }

    /// A change by its place in its plan.
    pub async fn change(&self, plan: Uuid, seq: i32) -> Result<ChangeRow, StoreError> {
        let query = changes::table.find((plan, seq)).select(ChangeRow::as_select());
        query.first(&mut self.connection().await?).await.optional()?.ok_or(StoreError::Missing("the change"))
    }

    /// What is taken in of a plan, in plan order, without what it says.
    pub async fn included_changes(&self, plan: Uuid) -> Result<Vec<Included>, StoreError> {
        use diesel::dsl::sql;
        use diesel::sql_types::{Jsonb, Text};
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::included.eq(true)))
            .order(changes::seq)
            .select((
                changes::seq,
                changes::outcome,
                sql::<Jsonb>("jsonb_build_array(body -> 'depends_on', body -> 'after')"),
                // A plan from before lanes had a direction writes the right.
                sql::<Text>("coalesce(body ->> 'written', 'right')"),
                changes::right_calls,
                changes::left_calls,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The items of an end that changes of some lanes are about, with their lane; only of what is taken in.
    pub async fn items_of_changes(
        &self,
        plan: Uuid,
        (lanes, end): (&[&str], End),
    ) -> Result<Vec<(String, String)>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::included).and(changes::lane.eq_any(lanes)))
            .order(changes::seq)
            .select((changes::lane, changes::left_id, changes::right_id));
        let rows: Vec<(String, Option<String>, Option<String>)> = query.load(&mut self.connection().await?).await?;
        let at_end = |(lane, left, right)| Some((lane, if end == End::Left { left } else { right }?));
        Ok(rows.into_iter().filter_map(at_end).collect())
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

    /// Matching changes after a place, with all that they say; moves of a base, which are no changes to look at, match
    /// nothing.
    pub async fn matching_changes(
        &self,
        plan: Uuid,
        filter: &ChangeFilter,
        after: i32,
        limit: i64,
    ) -> Result<Vec<ChangeRow>, StoreError> {
        let query = matching(plan, filter).filter(changes::seq.gt(after)).order(changes::seq).limit(limit);
        Ok(query.select(ChangeRow::as_select()).load(&mut self.connection().await?).await?)
    }

    /// Some changes of a plan, by their places.
    pub async fn changes_at(&self, plan: Uuid, seqs: &[i32]) -> Result<Vec<ChangeRow>, StoreError> {
        let query = changes::table
            .filter(changes::plan_id.eq(plan).and(changes::seq.eq_any(seqs)))
            .order(changes::seq)
            .select(ChangeRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Counts of plans, for the filters and for saying where a route stands. The database keeps them as changes are
    /// written.
    pub async fn change_counts(&self, of: &[Uuid]) -> Result<Vec<ChangeCount>, StoreError> {
        let query = plan_counts::table
            .filter(plan_counts::plan_id.eq_any(of).and(plan_counts::count.gt(0)))
            .order((plan_counts::plan_id, plan_counts::outcome, plan_counts::kind, plan_counts::included))
            .select(ChangeCount::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Names of the fields that changes of plans touch, in order.
    pub async fn changed_fields(&self, of: &[Uuid]) -> Result<Vec<(Uuid, Vec<String>)>, StoreError> {
        let query = plans::table.filter(plans::id.eq_any(of)).select((plans::id, plans::fields));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
