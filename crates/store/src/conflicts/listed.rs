//! Conflicts as lists, page by page over all routes, and one with its generations.

use chrono::{DateTime, Utc};
use diesel::dsl::count_star;
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::sql_types::{Array, BigInt, Nullable, Text, Uuid as SqlUuid};
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::artefacts::escape_like;
use crate::schema::{conflict_generations, conflicts, people};
use crate::{Store, StoreError};

/// A conflict in a list.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = conflicts)]
pub struct ConflictRow {
    /// Its id.
    pub id: Uuid,
    /// The pair.
    pub pair_id: Uuid,
    /// The route.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// The rule, by its id.
    pub rule: String,
    /// The slot that the rule fills, as it is spelt.
    pub slot: String,
    /// The kind of the left item, by its id.
    pub kind: String,
    /// Why a person decides, by its code.
    pub reason: String,
    /// The title of the item.
    pub title: String,
    /// What people call the item at the left.
    pub left_key: String,
    /// What people call the item at the right.
    pub right_key: String,
    /// Its generation.
    pub generation: i32,
    /// Counted up whenever anything of it changes.
    pub revision: i32,
    /// `open`, `settled` or `closed`.
    pub state: String,
    /// How it ended.
    pub ended: Option<String>,
    /// What a system said to what was chosen.
    pub refused: Option<String>,
    /// When it was found first.
    pub opened_at: DateTime<Utc>,
    /// When its generation was found.
    pub changed_at: DateTime<Utc>,
    /// When it ended.
    pub ended_at: Option<DateTime<Utc>>,
    /// The plan that found it last.
    pub last_plan: Option<Uuid>,
    /// Its change, by its place in that plan.
    pub seq: i32,
    /// Who changed the left item last, if its system tells.
    pub left_by: Option<String>,
    /// Who changed the right item last, if its system tells.
    pub right_by: Option<String>,
}

/// A generation of a conflict.
#[derive(Debug, Clone, Queryable)]
pub struct GenerationRow {
    /// Its number, from 1.
    pub generation: i32,
    /// Why a person decides, by its code.
    pub reason: String,
    /// What both ends held and what would be written, as JSON.
    pub body: Value,
    /// The hash of what was remembered of the left then.
    pub left_base: Vec<u8>,
    /// The hash of what was remembered of the right then.
    pub right_base: Vec<u8>,
    /// When it was found.
    pub at: DateTime<Utc>,
    /// What was chosen for it, as JSON.
    pub choice: Option<Value>,
    /// Who chose; none if it was chosen in a plan.
    pub settled_by: Option<String>,
    /// When that was.
    pub settled_at: Option<DateTime<Utc>>,
}

/// Which conflicts.
#[derive(Debug, Clone, Default)]
pub struct ConflictFilter {
    /// `open`, `settled` or `closed`; any without it.
    pub state: Option<String>,
    /// Of these routes alone.
    pub routes: Option<Vec<Uuid>>,
    /// Of one lane, by its id.
    pub lane: Option<String>,
    /// Of one rule, by its id.
    pub rule: Option<String>,
    /// For one reason, by its code.
    pub reason: Option<String>,
    /// Whose edit is at either end: who changed one of the items last.
    pub by: Option<String>,
    /// Found first before this time.
    pub opened_before: Option<DateTime<Utc>>,
    /// Words of a key or a title.
    pub find: String,
}

/// A place in the order of a list: the newest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ConflictPlace {
    /// When its generation was found.
    pub changed_at: DateTime<Utc>,
    /// The conflict.
    pub id: Uuid,
}

/// How many conflicts of a rule are open for a reason.
#[derive(Debug, Clone, Queryable)]
pub struct ConflictGroup {
    /// The route.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// The rule, by its id.
    pub rule: String,
    /// The slot that the rule fills, as it is spelt.
    pub slot: String,
    /// The kind of the left items, by its id.
    pub kind: String,
    /// Why a person decides, by its code.
    pub reason: String,
    /// How many.
    pub count: i64,
}

#[derive(QueryableByName)]
struct Editor {
    #[diesel(sql_type = Text)]
    by: String,
}

impl ConflictFilter {
    fn query(&self) -> conflicts::BoxedQuery<'_, Pg> {
        let mut query = conflicts::table.into_boxed();
        if let Some(state) = &self.state {
            query = query.filter(conflicts::state.eq(state));
        }
        if let Some(routes) = &self.routes {
            query = query.filter(conflicts::route_id.eq_any(routes));
        }
        if let Some(lane) = &self.lane {
            query = query.filter(conflicts::lane.eq(lane));
        }
        if let Some(rule) = &self.rule {
            query = query.filter(conflicts::rule.eq(rule));
        }
        if let Some(reason) = &self.reason {
            query = query.filter(conflicts::reason.eq(reason));
        }
        if let Some(by) = &self.by {
            query = query.filter(conflicts::left_by.eq(by).or(conflicts::right_by.eq(by)));
        }
        if let Some(before) = self.opened_before {
            query = query.filter(conflicts::opened_at.lt(before));
        }
        if !self.find.is_empty() {
            let like = format!("%{}%", escape_like(&self.find));
            let said = conflicts::title
                .ilike(like.clone())
                .or(conflicts::left_key.ilike(like.clone()))
                .or(conflicts::right_key.ilike(like));
            query = query.filter(said);
        }
        query
    }
}

impl Store {
    /// A page of conflicts after a place, the newest first, and how many match.
    pub async fn list_conflicts(
        &self,
        filter: &ConflictFilter,
        after: Option<ConflictPlace>,
        limit: i64,
    ) -> Result<(Vec<ConflictRow>, i64), StoreError> {
        let connection = &mut self.connection().await?;
        let total = filter.query().select(count_star()).first(connection).await?;
        let mut page = filter.query();
        if let Some(ConflictPlace { changed_at, id }) = after {
            let behind =
                conflicts::changed_at.lt(changed_at).or(conflicts::changed_at.eq(changed_at).and(conflicts::id.gt(id)));
            page = page.filter(behind);
        }
        let page = page
            .order((conflicts::changed_at.desc(), conflicts::id))
            .limit(limit)
            .select(ConflictRow::as_select())
            .load(connection)
            .await?;
        Ok((page, total))
    }

    /// How many conflicts are open, by what they are of, the most first.
    pub async fn conflict_groups(&self, routes: Option<&[Uuid]>) -> Result<Vec<ConflictGroup>, StoreError> {
        let mut query = conflicts::table
            .group_by((
                conflicts::route_id,
                conflicts::lane,
                conflicts::rule,
                conflicts::slot,
                conflicts::kind,
                conflicts::reason,
            ))
            .select((
                conflicts::route_id,
                conflicts::lane,
                conflicts::rule,
                conflicts::slot,
                conflicts::kind,
                conflicts::reason,
                count_star(),
            ))
            .filter(conflicts::state.eq("open"))
            .order((count_star().desc(), conflicts::route_id, conflicts::lane, conflicts::rule, conflicts::reason))
            .into_boxed();
        if let Some(routes) = routes {
            query = query.filter(conflicts::route_id.eq_any(routes));
        }
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Whose edits are in open conflict: who changed one of the items last, in the order of their names, at most so many.
    pub async fn conflict_editors(&self, routes: Option<&[Uuid]>, limit: i64) -> Result<Vec<String>, StoreError> {
        let found: Vec<Editor> = diesel::sql_query(
            "select distinct by collate \"C\" as by from conflicts, lateral (values (left_by), (right_by)) as both_of_it (by)
             where state = 'open' and by is not null and ($1 is null or route_id = any($1)) order by 1 limit $2",
        )
        .bind::<Nullable<Array<SqlUuid>>, _>(routes)
        .bind::<BigInt, _>(limit)
        .load(&mut self.connection().await?)
        .await?;
        Ok(found.into_iter().map(|editor| editor.by).collect())
    }

    /// How many conflicts of routes stand, by their state; closed ones are not among them.
    pub async fn count_conflicts(&self, routes: &[Uuid]) -> Result<Vec<(Uuid, String, i64)>, StoreError> {
        let query = conflicts::table
            .filter(conflicts::route_id.eq_any(routes).and(conflicts::state.ne("closed")))
            .group_by((conflicts::route_id, conflicts::state))
            .select((conflicts::route_id, conflicts::state, count_star()));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// A conflict.
    pub async fn conflict(&self, id: Uuid) -> Result<ConflictRow, StoreError> {
        let found =
            conflicts::table.find(id).select(ConflictRow::as_select()).first(&mut self.connection().await?).await;
        found.optional()?.ok_or(StoreError::Missing("the conflict"))
    }

    /// Conflicts by their ids.
    pub async fn conflicts(&self, ids: &[Uuid]) -> Result<Vec<ConflictRow>, StoreError> {
        let query = conflicts::table.filter(conflicts::id.eq_any(ids)).select(ConflictRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The generations of some conflicts, the latest of each first.
    pub async fn conflict_generations(&self, of: &[Uuid]) -> Result<Vec<(Uuid, GenerationRow)>, StoreError> {
        let query = conflict_generations::table
            .left_join(people::table)
            .filter(conflict_generations::conflict_id.eq_any(of))
            .order((conflict_generations::conflict_id, conflict_generations::generation.desc()))
            .select((
                conflict_generations::conflict_id,
                (
                    conflict_generations::generation,
                    conflict_generations::reason,
                    conflict_generations::body,
                    conflict_generations::left_base,
                    conflict_generations::right_base,
                    conflict_generations::at,
                    conflict_generations::choice,
                    people::name.nullable(),
                    conflict_generations::settled_at,
                ),
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
