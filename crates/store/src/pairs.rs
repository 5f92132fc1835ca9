//! Pairs and their bases.

use diesel::dsl::count_star;
use diesel::prelude::*;
use diesel::sql_types::{Array, BigInt, Bool, Nullable, Text, Uuid as SqlUuid};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::artefacts::escape_like;
use crate::schema::{pairs, snapshots};
use crate::{Store, StoreError};

/// A pair of a route.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = pairs)]
pub struct PairRow {
    /// Its id.
    pub id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// Id of the item at the right.
    pub right_id: String,
    /// What people call the item at the left.
    pub left_key: String,
    /// What people call the item at the right.
    pub right_key: String,
    /// Fingerprint of what the left end told when both were last in step.
    pub left_base: Vec<u8>,
    /// Fingerprint of what the right end told when both were last in step.
    pub right_base: Vec<u8>,
    /// How each field came to be in step; none of pairs from before that was kept.
    pub agreed: Option<Vec<u8>>,
    /// Whether a person decided that the two are not carried any more.
    pub let_go: bool,
    /// Under which both were in step, where systems tell versions.
    pub left_version: Option<String>,
    /// The version of the item at the right then.
    pub right_version: Option<String>,
}

/// Two that became a pair in some route.
#[derive(Debug, Clone, Queryable)]
pub struct Joined {
    /// The route.
    pub route: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// Id of the item at the right.
    pub right_id: String,
}

/// Pairs of a plan's route about which the plan has nothing to say.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quiet {
    /// Both ends hold what they held when they last agreed.
    InStep,
    /// A person let them go.
    LetGo,
}

/// A pair as a list shows it; titles are those of the last surveys, none if an item was not surveyed.
#[derive(Debug, Clone, QueryableByName)]
pub struct ListedPair {
    /// The lane, by its id.
    #[diesel(sql_type = Text)]
    pub lane: String,
    /// Id of the item at the left.
    #[diesel(sql_type = Text)]
    pub left_id: String,
    /// What people call the item at the left.
    #[diesel(sql_type = Text)]
    pub left_key: String,
    /// Title of the item at the left.
    #[diesel(sql_type = Nullable<Text>)]
    pub left_title: Option<String>,
    /// Id of the item at the right.
    #[diesel(sql_type = Text)]
    pub right_id: String,
    /// What people call the item at the right.
    #[diesel(sql_type = Text)]
    pub right_key: String,
    /// Title of the item at the right.
    #[diesel(sql_type = Nullable<Text>)]
    pub right_title: Option<String>,
}

/// The kinds that a lane pairs.
#[derive(Debug, Clone, Copy)]
pub struct LaneKinds<'l> {
    /// The lane, by its id.
    pub lane: &'l str,
    /// The kind at the left, by its id.
    pub left: &'l str,
    /// The kind at the right, by its id.
    pub right: &'l str,
}

/// Which pairs of some lanes of a route to list.
#[derive(Debug, Clone, Copy)]
pub struct PairFilter<'f> {
    /// The route.
    pub route: Uuid,
    /// The lanes, with their kinds.
    pub lanes: &'f [LaneKinds<'f>],
    /// Only those about which a plan has nothing to say; if none, all that were not let go.
    pub quiet: Option<(Uuid, Quiet)>,
    /// Part of a key or a title; empty for all.
    pub find: &'f str,
}

/// A pair that another lane of its route has from now on.
#[derive(Debug, Clone, Copy)]
pub struct PairMove<'m> {
    /// Id of the item at the left.
    pub left_id: &'m str,
    /// The lane that had it.
    pub from: &'m str,
    /// The lane that has it from now on.
    pub to: &'m str,
}

/// Gives pairs to other lanes of their route, with the losses that stand for them.
pub(crate) async fn move_pairs(
    connection: &mut AsyncPgConnection,
    route: Uuid,
    moves: &[PairMove<'_>],
) -> QueryResult<()> {
    if moves.is_empty() {
        return Ok(());
    }
    let ids: Vec<&str> = moves.iter().map(|m| m.left_id).collect();
    let from: Vec<&str> = moves.iter().map(|m| m.from).collect();
    let to: Vec<&str> = moves.iter().map(|m| m.to).collect();
    // What the other lane lost of an item that it has no pair of stands for nothing.
    let stale = "delete from losses t using unnest($2, $3, $4) as m (left_id, from_lane, to_lane) \
                 where t.route_id = $1 and t.lane = m.to_lane and t.left_id = m.left_id";
    let over = |table: &str| {
        format!(
            "update {table} t set lane = m.to_lane from unnest($2, $3, $4) as m (left_id, from_lane, to_lane) \
             where t.route_id = $1 and t.lane = m.from_lane and t.left_id = m.left_id"
        )
    };
    for query in [stale.to_owned(), over("pairs"), over("losses")] {
        diesel::sql_query(query)
            .bind::<SqlUuid, _>(route)
            .bind::<Array<Text>, _>(&ids)
            .bind::<Array<Text>, _>(&from)
            .bind::<Array<Text>, _>(&to)
            .execute(connection)
            .await?;
    }
    Ok(())
}

impl Store {
    /// The pairs of several routes.
    pub async fn joined(&self, of: &[Uuid]) -> Result<Vec<Joined>, StoreError> {
        let query = pairs::table
            .filter(pairs::route_id.eq_any(of))
            .order((pairs::route_id, pairs::lane, pairs::left_id))
            .select((pairs::route_id, pairs::lane, pairs::left_id, pairs::right_id));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The pairs of a route.
    pub async fn pairs(&self, route: Uuid) -> Result<Vec<PairRow>, StoreError> {
        let query = pairs::table
            .filter(pairs::route_id.eq(route))
            .order((pairs::lane, pairs::left_id))
            .select(PairRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// One pair, by its lane and the id of its left item.
    pub async fn pair(&self, route: Uuid, lane: &str, left_id: &str) -> Result<Option<PairRow>, StoreError> {
        let query = pairs::table
            .filter(pairs::route_id.eq(route).and(pairs::lane.eq(lane)).and(pairs::left_id.eq(left_id)))
            .select(PairRow::as_select());
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// How many pairs routes have; a route without any is not among them.
    pub async fn count_pairs(&self, routes: &[Uuid]) -> Result<Vec<(Uuid, i64)>, StoreError> {
        let query = pairs::table
            .filter(pairs::route_id.eq_any(routes))
            .group_by(pairs::route_id)
            .select((pairs::route_id, count_star()));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// A page of pairs, after a lane and a left id, and how many there are in all.
    pub async fn list_pairs(
        &self,
        filter: PairFilter<'_>,
        after: (&str, &str),
        limit: i64,
    ) -> Result<(Vec<ListedPair>, i64), StoreError> {
        let from = "from pairs p
            join routes r on r.id = p.route_id
            join unnest($2, $3, $4) as k (lane, left_kind, right_kind) on k.lane = p.lane
            left join artefacts a on a.system_id = r.left_system and a.container = r.left_container
                and a.kind = k.left_kind and a.external_id = p.left_id
            left join artefacts b on b.system_id = r.right_system and b.container = r.right_container
                and b.kind = k.right_kind and b.external_id = p.right_id
            where p.route_id = $1 and p.let_go = $5
                and ($6 is null or not exists (select from changes c where c.plan_id = $6 and c.lane = p.lane
                    and c.left_id = p.left_id and c.outcome <> 'in_step'))
                and ($7 = '%%' or concat_ws(E'\n', p.left_key, p.right_key, a.title, b.title) ilike $7)";
        let one = |of: fn(&LaneKinds<'_>) -> String| -> Vec<String> { filter.lanes.iter().map(of).collect() };
        let lanes = [one(|l| l.lane.to_owned()), one(|l| l.left.to_owned()), one(|l| l.right.to_owned())];
        let bound = |query: String| {
            let [lane, left, right] = &lanes;
            diesel::sql_query(query)
                .bind::<SqlUuid, _>(filter.route)
                .bind::<Array<Text>, _>(lane.clone())
                .bind::<Array<Text>, _>(left.clone())
                .bind::<Array<Text>, _>(right.clone())
                .bind::<Bool, _>(filter.quiet.is_some_and(|(_, which)| which == Quiet::LetGo))
                .bind::<Nullable<SqlUuid>, _>(filter.quiet.map(|(plan, _)| plan))
                .bind::<Text, _>(format!("%{}%", escape_like(filter.find)))
        };
        let connection = &mut self.connection().await?;
        let total: Total = bound(format!("select count(*) as total {from}")).get_result(connection).await?;
        let page = format!(
            "select p.lane, p.left_id, p.left_key, a.title as left_title, p.right_id, p.right_key, b.title as right_title
             {from} and (p.lane, p.left_id) > ($8, $9) order by p.lane, p.left_id limit $10"
        );
        let page = bound(page).bind::<Text, _>(after.0).bind::<Text, _>(after.1).bind::<BigInt, _>(limit);
        Ok((page.load(connection).await?, total.total))
    }

    /// The values behind hashes.
    pub async fn snapshots(&self, hashes: &[Vec<u8>]) -> Result<Vec<(Vec<u8>, Value)>, StoreError> {
        let query = snapshots::table.filter(snapshots::hash.eq_any(hashes)).select((snapshots::hash, snapshots::body));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}

#[derive(QueryableByName)]
struct Total {
    #[diesel(sql_type = BigInt)]
    total: i64,
}
