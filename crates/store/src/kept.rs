//! History that the other end does not hold: kept here, item by item.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::kept_histories;
use crate::{Store, StoreError};

/// What is kept of one left item.
#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = kept_histories)]
pub struct NewHistory {
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// What people call the item at the left.
    pub left_key: String,
    /// What the system is called.
    pub system_name: String,
    /// What was changed, by whom and when, as JSON.
    pub entries: Value,
}

/// The history of a left item that its lane does not carry.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = kept_histories)]
pub struct KeptHistory {
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// What people call the item at the left.
    pub left_key: String,
    /// What the system is called.
    pub system_name: String,
    /// What was changed, by whom and when, as JSON.
    pub entries: Value,
    /// When it was kept.
    pub kept_at: DateTime<Utc>,
}

/// Rows per statement.
const BATCH: usize = 500;

impl Store {
    /// Keeps histories in place of those before; those that did not change stay as they are.
    pub async fn keep_histories(&self, rows: &[NewHistory]) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        for batch in rows.chunks(BATCH) {
            let changed = kept_histories::entries.ne(excluded(kept_histories::entries));
            let upsert = diesel::insert_into(kept_histories::table)
                .values(batch)
                .on_conflict((kept_histories::route_id, kept_histories::lane, kept_histories::left_id))
                .do_update()
                .set((
                    kept_histories::left_key.eq(excluded(kept_histories::left_key)),
                    kept_histories::system_name.eq(excluded(kept_histories::system_name)),
                    kept_histories::entries.eq(excluded(kept_histories::entries)),
                    kept_histories::kept_at.eq(diesel::dsl::now),
                ));
            diesel::query_dsl::methods::FilterDsl::filter(upsert, changed).execute(&mut connection).await?;
        }
        Ok(())
    }

    /// What some routes keep of left items of these ids; kinds are told apart by the lanes.
    pub async fn kept_histories(&self, of: &[Uuid], left_ids: &[&str]) -> Result<Vec<KeptHistory>, StoreError> {
        let query = kept_histories::table
            .filter(kept_histories::route_id.eq_any(of).and(kept_histories::left_id.eq_any(left_ids)))
            .order((kept_histories::system_name, kept_histories::route_id, kept_histories::lane))
            .select(KeptHistory::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
