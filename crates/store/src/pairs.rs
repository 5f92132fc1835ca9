//! Pairs and their bases.

use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{artefacts, pairs, routes, snapshots};
use crate::{Route, Store, StoreError};

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = pairs)]
pub struct PairRow {
    pub lane: String,
    pub left_id: String,
    pub right_id: String,
    pub left_base: Vec<u8>,
    pub right_base: Vec<u8>,
}

/// Something that another route carried from the same left end.
#[derive(Debug, Clone)]
pub struct CarriedElsewhere {
    /// The lanes of that route, and the one it was carried in.
    pub lanes: Value,
    pub lane: String,
    pub left_id: String,
    /// Kind and address of the item with the id it was paired with; ids are unique within a kind.
    pub right_kind: String,
    pub url: String,
}

impl Store {
    /// What other routes carried from the left end of this one to other systems, as far as those were
    /// surveyed since.
    pub async fn carried_elsewhere(&self, route: &Route) -> Result<Vec<CarriedElsewhere>, StoreError> {
        let url = diesel::dsl::sql::<diesel::sql_types::Text>("artefacts.body->>'url'");
        let rows: Vec<(Value, String, String, String, String)> = pairs::table
            .inner_join(routes::table)
            .inner_join(
                artefacts::table.on(artefacts::system_id
                    .eq(routes::right_system)
                    .and(artefacts::container.eq(routes::right_container))
                    .and(artefacts::external_id.eq(pairs::right_id))),
            )
            .filter(routes::left_system.eq(route.left_system).and(routes::left_container.eq(&route.left_container)))
            .filter(routes::id.ne(route.id).and(routes::right_system.ne(route.right_system)))
            .filter(diesel::dsl::sql::<diesel::sql_types::Bool>("artefacts.body->>'url' is not null"))
            .order((routes::created_at, pairs::lane, pairs::left_id))
            .select((routes::lanes, pairs::lane, pairs::left_id, artefacts::kind, url))
            .load(&mut self.connection().await?)
            .await?;
        let found =
            |(lanes, lane, left_id, right_kind, url)| CarriedElsewhere { lanes, lane, left_id, right_kind, url };
        Ok(rows.into_iter().map(found).collect())
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

    /// How many pairs a route has.
    pub async fn count_pairs(&self, route: Uuid) -> Result<i64, StoreError> {
        Ok(pairs::table.filter(pairs::route_id.eq(route)).count().get_result(&mut self.connection().await?).await?)
    }

    /// The values behind hashes.
    pub async fn snapshots(&self, hashes: &[Vec<u8>]) -> Result<Vec<(Vec<u8>, Value)>, StoreError> {
        let query = snapshots::table.filter(snapshots::hash.eq_any(hashes)).select((snapshots::hash, snapshots::body));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
