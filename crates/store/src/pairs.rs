//! Pairs and their bases.

use diesel::dsl::count_star;
use diesel::prelude::*;
use diesel::sql_types::{Array, Text, Uuid as SqlUuid};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{pairs, snapshots};
use crate::{Store, StoreError};

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = pairs)]
pub struct PairRow {
    pub lane: String,
    pub left_id: String,
    pub right_id: String,
    pub left_key: String,
    pub right_key: String,
    pub left_base: Vec<u8>,
    pub right_base: Vec<u8>,
    /// How each field came to be in step; none of pairs from before that was kept.
    pub agreed: Option<Vec<u8>>,
    pub let_go: bool,
}

/// Two that became a pair in some route.
#[derive(Debug, Clone, Queryable)]
pub struct Joined {
    pub route: Uuid,
    pub lane: String,
    pub left_id: String,
    pub right_id: String,
}

/// A pair that another lane of its route has from now on.
#[derive(Debug, Clone, Copy)]
pub struct PairMove<'m> {
    pub left_id: &'m str,
    pub from: &'m str,
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

    pub async fn pairs(&self, route: Uuid) -> Result<Vec<PairRow>, StoreError> {
        let query = pairs::table
            .filter(pairs::route_id.eq(route))
            .order((pairs::lane, pairs::left_id))
            .select(PairRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    pub async fn pair(&self, route: Uuid, lane: &str, left_id: &str) -> Result<Option<PairRow>, StoreError> {
        let query = pairs::table.find((route, lane, left_id)).select(PairRow::as_select());
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

    /// The values behind hashes.
    pub async fn snapshots(&self, hashes: &[Vec<u8>]) -> Result<Vec<(Vec<u8>, Value)>, StoreError> {
        let query = snapshots::table.filter(snapshots::hash.eq_any(hashes)).select((snapshots::hash, snapshots::body));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
