//! What people said of items that have no pair yet.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use uuid::Uuid;

use crate::schema::{people, settled_matches};
use crate::{Store, StoreError};

/// A match that a person settled.
#[derive(Debug, Clone, Queryable)]
pub struct SettledMatch {
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// None if the left item has no counterpart.
    pub right_id: Option<String>,
    /// Who settled it.
    pub settled_by: Option<String>,
    /// When it was settled.
    pub settled_at: DateTime<Utc>,
}

/// A match that a person settles.
#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = settled_matches)]
pub struct NewMatch {
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// Id of the item at the right; none if there is no counterpart.
    pub right_id: Option<String>,
    /// Who settled it.
    pub settled_by: Uuid,
}

/// Rows per statement.
const BATCH: usize = 1000;

impl Store {
    /// What was settled of a route, by lane and left item.
    pub async fn settled_matches(&self, route: Uuid) -> Result<Vec<SettledMatch>, StoreError> {
        let query = settled_matches::table
            .left_join(people::table)
            .filter(settled_matches::route_id.eq(route))
            .order((settled_matches::lane, settled_matches::left_id))
            .select((
                settled_matches::lane,
                settled_matches::left_id,
                settled_matches::right_id,
                people::name.nullable(),
                settled_matches::settled_at,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Keeps what was settled in place of what was said of these items before, and opens others again; all of it or
    /// nothing.
    pub async fn settle_matches(
        &self,
        route: Uuid,
        lane: &str,
        settled: &[NewMatch],
        opened: &[String],
    ) -> Result<(), StoreError> {
        let said = settled.iter().map(|m| &m.left_id).chain(opened).map(String::as_str);
        let of = settled_matches::table.filter(
            settled_matches::route_id
                .eq(route)
                .and(settled_matches::lane.eq(lane))
                .and(settled_matches::left_id.eq_any(said.collect::<Vec<_>>())),
        );
        self.connection()
            .await?
            .transaction(async |connection| {
                // What was said before goes first: two items may change their counterparts with one another.
                diesel::delete(of).execute(connection).await?;
                for batch in settled.chunks(BATCH) {
                    diesel::insert_into(settled_matches::table).values(batch).execute(connection).await?;
                }
                Ok(())
            })
            .await
    }
}
