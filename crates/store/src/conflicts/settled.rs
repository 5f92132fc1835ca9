//! What is chosen for conflicts, and what becomes of that.

use diesel::prelude::*;
use diesel::sql_types::{Array, Integer, Jsonb, Text, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use super::is_latest;
use crate::jobs::Holder;
use crate::record;
use crate::schema::{conflict_generations, conflicts, pairs};
use crate::{Store, StoreError};

/// A conflict that is open, for the comparing that comes after.
#[derive(Debug, Clone, Queryable)]
pub struct StandingConflict {
    /// The lane of its pair, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// The rule, by its id.
    pub rule: String,
    /// What tells its generation from others.
    pub digest: Vec<u8>,
    /// Why a person decides, by its code.
    pub reason: String,
    /// What was chosen for it, as JSON.
    pub choice: Option<Value>,
    /// `open` or `settled`.
    pub state: String,
}

/// A conflict as somebody saw it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SeenConflict {
    /// The conflict.
    pub id: Uuid,
    /// Its generation.
    pub generation: i32,
    /// Its revision: another decided meanwhile where it differs.
    pub revision: i32,
}

/// What is chosen for a generation of a conflict.
#[derive(Debug, Clone)]
pub struct SettledConflict {
    /// Which.
    pub of: SeenConflict,
    /// What is chosen, as JSON; none opens it again.
    pub choice: Option<Value>,
}

#[derive(QueryableByName)]
struct Changed {
    #[diesel(sql_type = SqlUuid)]
    id: Uuid,
}

impl Store {
    /// The conflicts of a route that are not closed.
    pub async fn standing_conflicts(&self, route: Uuid) -> Result<Vec<StandingConflict>, StoreError> {
        let query = conflicts::table
            .inner_join(pairs::table)
            .inner_join(conflict_generations::table.on(is_latest()))
            .filter(conflicts::route_id.eq(route).and(conflicts::state.ne("closed")))
            .select((
                pairs::lane,
                pairs::left_id,
                conflicts::rule,
                conflict_generations::digest,
                conflict_generations::reason,
                conflict_generations::choice,
                conflicts::state,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Keeps what a person chose, all of it or nothing. Returns the conflicts that are not as they were seen any more:
    /// other values were found, somebody else decided, or it is over. Nothing is kept then. The revision of each that is kept
    /// counts up by one.
    pub async fn settle_conflicts(&self, person: Uuid, list: &[SettledConflict]) -> Result<Vec<Uuid>, StoreError> {
        let ids: Vec<Uuid> = list.iter().map(|s| s.of.id).collect();
        let mut connection = self.connection().await?;
        let kept = connection
            .transaction(async |connection| {
                // In one order, so that two who settle the same wait for one another.
                let now: Vec<(Uuid, i32, i32, String)> = conflicts::table
                    .filter(conflicts::id.eq_any(&ids))
                    .order(conflicts::id)
                    .for_update()
                    .select((conflicts::id, conflicts::generation, conflicts::revision, conflicts::state))
                    .load(connection)
                    .await?;
                let is_now = |s: &SettledConflict| {
                    let found = now.iter().find(|(id, ..)| *id == s.of.id);
                    found.is_some_and(|(_, generation, revision, state)| {
                        (*generation, *revision) == (s.of.generation, s.of.revision) && state != "closed"
                    })
                };
                let others: Vec<Uuid> = list.iter().filter(|s| !is_now(s)).map(|s| s.of.id).collect();
                if !others.is_empty() {
                    return Ok::<_, StoreError>(others);
                }
                keep(connection, person, list).await?;
                Ok(Vec::new())
            })
            .await?;
        Ok(kept)
    }
}

async fn keep(connection: &mut AsyncPgConnection, person: Uuid, list: &[SettledConflict]) -> Result<(), StoreError> {
    let ids: Vec<Uuid> = list.iter().map(|s| s.of.id).collect();
    diesel::sql_query(
        "update conflict_generations g set choice = u.choice,
            settled_by = case when u.choice is null then null else $1 end,
            settled_at = case when u.choice is null then null else now() end
         from unnest($2, $3, $4) as u (id, generation, choice)
         where g.conflict_id = u.id and g.generation = u.generation",
    )
    .bind::<SqlUuid, _>(person)
    .bind::<Array<SqlUuid>, _>(&ids)
    .bind::<Array<Integer>, _>(list.iter().map(|s| s.of.generation).collect::<Vec<_>>())
    .bind::<Array<diesel::sql_types::Nullable<Jsonb>>, _>(list.iter().map(|s| s.choice.clone()).collect::<Vec<_>>())
    .execute(connection)
    .await?;
    diesel::sql_query(
        "update conflicts c set refused = null, revision = c.revision + 1, state = case when u.settled then 'settled' else 'open' end
         from unnest($1, $2) as u (id, settled) where c.id = u.id",
    )
    .bind::<Array<SqlUuid>, _>(&ids)
    .bind::<Array<diesel::sql_types::Bool>, _>(list.iter().map(|s| s.choice.is_some()).collect::<Vec<_>>())
    .execute(connection)
    .await?;
    record::chosen(connection, person, &ids).await
}

/// Closes the conflicts of a pair whose fields a transfer wrote, or left different, as they were decided. Of one that was
/// decided about in a plan alone, that is kept as the choice.
pub(crate) async fn carried(
    connection: &mut AsyncPgConnection,
    pair: (Uuid, &str, &str),
    rules: &[(String, Value)],
) -> Result<(), StoreError> {
    if rules.is_empty() {
        return Ok(());
    }
    let (route, lane, left_id) = pair;
    let closed: Vec<Changed> = diesel::sql_query(
        "update conflicts c set state = 'closed', ended = 'carried', ended_at = now(), refused = null, revision = c.revision + 1
         from pairs p
         where p.id = c.pair_id and p.route_id = $1 and p.lane = $2 and p.left_id = $3 and c.rule = any($4)
            and c.state <> 'closed'
         returning c.id",
    )
    .bind::<SqlUuid, _>(route)
    .bind::<Text, _>(lane)
    .bind::<Text, _>(left_id)
    .bind::<Array<Text>, _>(rules.iter().map(|(rule, _)| rule.clone()).collect::<Vec<_>>())
    .load(connection)
    .await?;
    diesel::sql_query(
        "update conflict_generations g set choice = u.choice, settled_at = now()
         from conflicts c join unnest($2, $3) as u (rule, choice) on u.rule = c.rule
         where c.id = any($1) and g.conflict_id = c.id and g.generation = c.generation and g.choice is null",
    )
    .bind::<Array<SqlUuid>, _>(closed.iter().map(|c| c.id).collect::<Vec<_>>())
    .bind::<Array<Text>, _>(rules.iter().map(|(rule, _)| rule.clone()).collect::<Vec<_>>())
    .bind::<Array<Jsonb>, _>(rules.iter().map(|(_, choice)| choice.clone()).collect::<Vec<_>>())
    .execute(connection)
    .await?;
    Ok(())
}

/// Opens the settled conflicts of a change again that could not be carried out. What was chosen stays known.
pub(crate) async fn refused(
    connection: &mut AsyncPgConnection,
    holder: Holder,
    seq: i32,
    why: &str,
) -> Result<(), StoreError> {
    diesel::sql_query(
        "update conflicts c set state = 'open', refused = $3, revision = c.revision + 1
         from pairs p, changes x, jobs j
         where j.id = $1 and x.plan_id = j.plan_id and x.seq = $2 and p.route_id = j.route_id and p.lane = x.lane
            and p.left_id = x.left_id and c.pair_id = p.id and c.state = 'settled'",
    )
    .bind::<SqlUuid, _>(holder.job)
    .bind::<Integer, _>(seq)
    .bind::<Text, _>(why)
    .execute(connection)
    .await?;
    Ok(())
}
