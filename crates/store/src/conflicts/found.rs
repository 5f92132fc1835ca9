//! What a plan finds of conflicts, and what it no longer finds.

use std::collections::HashMap;

use diesel::prelude::*;
use diesel::sql_types::{Array, Integer, Nullable, Text, Uuid as SqlUuid};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use super::is_latest;
use crate::StoreError;
use crate::schema::{conflict_generations, conflicts, pairs};

/// A conflict as a plan finds it.
#[derive(Debug, Clone)]
pub struct FoundConflict {
    /// Id of the item at the left.
    pub left_id: String,
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
    /// Who changed the left item last, if its system tells.
    pub left_by: Option<String>,
    /// Who changed the right item last, if its system tells.
    pub right_by: Option<String>,
    /// What tells this generation from others.
    pub digest: Vec<u8>,
    /// What both ends hold and what would be written, as JSON.
    pub body: Value,
    /// Its change, by its place in the plan.
    pub seq: i32,
    /// Why what was chosen for it can't be done, in words; none if it can, or nothing was chosen.
    pub refused: Option<String>,
}

/// What a plan saw of a route besides the conflicts that it found.
#[derive(Debug, Clone, Default)]
pub struct Seen {
    /// The rules that there are: lane and rule.
    pub rules: Vec<(String, String)>,
    /// Pairs that are gone at both ends: lane and left item.
    pub gone: Vec<(String, String)>,
    /// Slots of which nobody knows what stands there: lane, left item and rule.
    pub unknown: Vec<(String, String, String)>,
}

/// A pair, with what is remembered of it.
#[derive(Queryable, Selectable)]
#[diesel(table_name = pairs)]
struct OfPair {
    id: Uuid,
    lane: String,
    left_id: String,
    left_base: Vec<u8>,
    right_base: Vec<u8>,
}

/// What is known of the conflict of a pair and a rule that is open.
struct Open {
    id: Uuid,
    generation: i32,
    digest: Vec<u8>,
}

/// Keeps what a part of a plan found. A conflict of items that are no pair yet is the plan's own.
pub(crate) async fn keep(
    connection: &mut AsyncPgConnection,
    (plan, route): (Uuid, Uuid),
    found: &[FoundConflict],
) -> Result<(), StoreError> {
    if found.is_empty() {
        return Ok(());
    }
    let left_ids: Vec<&str> = found.iter().map(|f| f.left_id.as_str()).collect();
    let of_pairs: Vec<OfPair> = pairs::table
        .filter(pairs::route_id.eq(route).and(pairs::left_id.eq_any(left_ids)))
        .select(OfPair::as_select())
        .load(connection)
        .await?;
    let ids: Vec<Uuid> = of_pairs.iter().map(|pair| pair.id).collect();
    let pair_of: HashMap<(&str, &str), &OfPair> =
        of_pairs.iter().map(|pair| ((pair.lane.as_str(), pair.left_id.as_str()), pair)).collect();
    let rows: Vec<(Uuid, String, Uuid, i32, Vec<u8>)> = conflicts::table
        .inner_join(conflict_generations::table.on(is_latest()))
        .filter(conflicts::pair_id.eq_any(ids).and(conflicts::state.ne("closed")))
        .for_update()
        .select((
            conflicts::pair_id,
            conflicts::rule,
            conflicts::id,
            conflicts::generation,
            conflict_generations::digest,
        ))
        .load(connection)
        .await?;
    let open: HashMap<(Uuid, String), Open> = rows
        .into_iter()
        .map(|(pair, rule, id, generation, digest)| ((pair, rule), Open { id, generation, digest }))
        .collect();
    let (mut new, mut seen, mut generations) = (Vec::new(), Vec::new(), Vec::new());
    for f in found {
        let Some(pair) = pair_of.get(&(f.lane.as_str(), f.left_id.as_str())) else { continue };
        let (id, generation) = match open.get(&(pair.id, f.rule.clone())) {
            Some(open) if open.digest == f.digest => {
                seen.push((open.id, open.generation, f));
                continue;
            }
            Some(open) => (open.id, open.generation + 1),
            None => (Uuid::now_v7(), 1),
        };
        match generation {
            1 => new.push((id, pair.id, f)),
            _ => seen.push((id, generation, f)),
        }
        generations.push((id, generation, *pair, f));
    }
    insert(connection, (plan, route), &new).await?;
    find_again(connection, plan, &seen).await?;
    keep_generations(connection, &generations).await
}

async fn insert(
    connection: &mut AsyncPgConnection,
    (plan, route): (Uuid, Uuid),
    new: &[(Uuid, Uuid, &FoundConflict)],
) -> Result<(), StoreError> {
    let row = |(id, pair, f): &(Uuid, Uuid, &FoundConflict)| {
        (
            (
                conflicts::id.eq(*id),
                conflicts::pair_id.eq(*pair),
                conflicts::route_id.eq(route),
                conflicts::lane.eq(f.lane.clone()),
                conflicts::rule.eq(f.rule.clone()),
                conflicts::slot.eq(f.slot.clone()),
                conflicts::kind.eq(f.kind.clone()),
                conflicts::reason.eq(f.reason.clone()),
            ),
            (
                conflicts::title.eq(f.title.clone()),
                conflicts::left_key.eq(f.left_key.clone()),
                conflicts::right_key.eq(f.right_key.clone()),
                conflicts::left_by.eq(f.left_by.clone()),
                conflicts::right_by.eq(f.right_by.clone()),
                conflicts::generation.eq(1),
                conflicts::state.eq("open"),
                conflicts::last_plan.eq(plan),
                conflicts::seq.eq(f.seq),
            ),
        )
    };
    let rows: Vec<_> = new.iter().map(row).collect();
    diesel::insert_into(conflicts::table).values(rows).execute(connection).await?;
    Ok(())
}

/// Notes where conflicts that were open stand now. One of a new generation is open again, whatever was chosen for the one
/// before.
async fn find_again(
    connection: &mut AsyncPgConnection,
    plan: Uuid,
    seen: &[(Uuid, i32, &FoundConflict)],
) -> Result<(), StoreError> {
    if seen.is_empty() {
        return Ok(());
    }
    let texts =
        |of: fn(&FoundConflict) -> &str| -> Vec<String> { seen.iter().map(|(.., f)| of(f).to_owned()).collect() };
    diesel::sql_query(
        "update conflicts c set last_plan = $1, seq = u.seq, lane = u.lane, slot = u.slot, title = u.title,
            left_key = u.left_key, right_key = u.right_key, left_by = u.left_by, right_by = u.right_by,
            reason = u.reason, generation = u.generation,
            state = case when u.generation = c.generation and u.refused is null then c.state else 'open' end,
            revision = c.revision + (u.generation <> c.generation or u.refused is not null)::int,
            refused = case when u.generation = c.generation then coalesce(u.refused, c.refused) end,
            changed_at = case when u.generation = c.generation then c.changed_at else now() end
         from unnest($2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
            as u (id, generation, seq, lane, slot, title, left_key, right_key, reason, refused, left_by, right_by)
         where c.id = u.id",
    )
    .bind::<SqlUuid, _>(plan)
    .bind::<Array<SqlUuid>, _>(seen.iter().map(|(id, ..)| *id).collect::<Vec<_>>())
    .bind::<Array<Integer>, _>(seen.iter().map(|(_, generation, _)| *generation).collect::<Vec<_>>())
    .bind::<Array<Integer>, _>(seen.iter().map(|(.., f)| f.seq).collect::<Vec<_>>())
    .bind::<Array<Text>, _>(texts(|f| &f.lane))
    .bind::<Array<Text>, _>(texts(|f| &f.slot))
    .bind::<Array<Text>, _>(texts(|f| &f.title))
    .bind::<Array<Text>, _>(texts(|f| &f.left_key))
    .bind::<Array<Text>, _>(texts(|f| &f.right_key))
    .bind::<Array<Text>, _>(texts(|f| &f.reason))
    .bind::<Array<Nullable<Text>>, _>(seen.iter().map(|(.., f)| f.refused.clone()).collect::<Vec<_>>())
    .bind::<Array<Nullable<Text>>, _>(seen.iter().map(|(.., f)| f.left_by.clone()).collect::<Vec<_>>())
    .bind::<Array<Nullable<Text>>, _>(seen.iter().map(|(.., f)| f.right_by.clone()).collect::<Vec<_>>())
    .execute(connection)
    .await?;
    Ok(())
}

async fn keep_generations(
    connection: &mut AsyncPgConnection,
    generations: &[(Uuid, i32, &OfPair, &FoundConflict)],
) -> Result<(), StoreError> {
    let row = |(id, generation, pair, f): &(Uuid, i32, &OfPair, &FoundConflict)| {
        (
            conflict_generations::conflict_id.eq(*id),
            conflict_generations::generation.eq(*generation),
            conflict_generations::digest.eq(f.digest.clone()),
            conflict_generations::reason.eq(f.reason.clone()),
            conflict_generations::body.eq(f.body.clone()),
            conflict_generations::left_base.eq(pair.left_base.clone()),
            conflict_generations::right_base.eq(pair.right_base.clone()),
        )
    };
    let rows: Vec<_> = generations.iter().map(row).collect();
    diesel::insert_into(conflict_generations::table).values(rows).execute(connection).await?;
    Ok(())
}

/// Ends the conflicts of a route that a plan did not find, and says how each ended. Those of items that are not there to be
/// compared, or of which nobody knows what stands there, stay.
pub(crate) async fn end_the_others(
    connection: &mut AsyncPgConnection,
    (plan, route): (Uuid, Uuid),
    seen: &Seen,
) -> Result<(), StoreError> {
    let first = |of: &[(String, String)]| -> Vec<String> { of.iter().map(|(a, _)| a.clone()).collect() };
    let second = |of: &[(String, String)]| -> Vec<String> { of.iter().map(|(_, b)| b.clone()).collect() };
    let unknown = |n: usize| -> Vec<String> {
        seen.unknown.iter().map(|(lane, item, rule)| [lane, item, rule][n].clone()).collect()
    };
    diesel::sql_query(
        "update conflicts c set state = 'closed', ended_at = now(), revision = c.revision + 1, ended = case
            when p.let_go
                or not exists (select from unnest($3, $4) as r (lane, rule) where r.lane = p.lane and r.rule = c.rule)
                or exists (select from unnest($5, $6) as g (lane, item) where g.lane = p.lane and g.item = p.left_id)
                then 'moot'
            when exists (select from changes x where x.plan_id = $2 and x.lane = p.lane and x.left_id = p.left_id
                and (x.brief -> 'fields' @> jsonb_build_array(jsonb_build_array(c.slot, 'left_prevails'))
                    or x.brief -> 'fields' @> jsonb_build_array(jsonb_build_array(c.slot, 'right_prevails'))))
                then 'policy'
            when exists (select from changes x where x.plan_id = $2 and x.lane = p.lane and x.left_id = p.left_id
                and c.slot = any(x.field_names)) then 'withdrawn'
            else 'agreed' end
         from pairs p
         where c.route_id = $1 and c.state <> 'closed' and c.last_plan is distinct from $2 and p.id = c.pair_id
            and not exists (select from unnest($7, $8, $9) as u (lane, item, rule)
                where u.lane = p.lane and u.item = p.left_id and u.rule = c.rule)
            and not exists (select from changes x where x.plan_id = $2 and x.lane = p.lane and x.left_id = p.left_id
                and x.outcome in ('gone_left', 'gone_right', 'out_of_scope_left', 'out_of_scope_right', 'unreadable',
                    'blocked'))",
    )
    .bind::<SqlUuid, _>(route)
    .bind::<SqlUuid, _>(plan)
    .bind::<Array<Text>, _>(first(&seen.rules))
    .bind::<Array<Text>, _>(second(&seen.rules))
    .bind::<Array<Text>, _>(first(&seen.gone))
    .bind::<Array<Text>, _>(second(&seen.gone))
    .bind::<Array<Text>, _>(unknown(0))
    .bind::<Array<Text>, _>(unknown(1))
    .bind::<Array<Text>, _>(unknown(2))
    .execute(connection)
    .await?;
    Ok(())
}
