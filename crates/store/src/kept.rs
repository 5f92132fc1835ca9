//! History that the other end does not hold: kept here, item by item.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::RunQueryDsl;
use hovrel_core::model::End;
use serde_json::Value;
use uuid::Uuid;

use crate::end::EndColumn;
use crate::schema::kept_histories;
use crate::{Store, StoreError};

/// What is kept of one item.
#[derive(Debug, Clone)]
pub struct NewHistory {
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// The end of the item: the one that its lane reads.
    pub item_end: End,
    /// Id of the item.
    pub item_id: String,
    /// What people call the item.
    pub item_key: String,
    /// What the system is called.
    pub system_name: String,
    /// What was changed, by whom and when, as JSON.
    pub entries: Value,
}

/// The history of an item that its lane does not carry.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = kept_histories)]
pub struct KeptHistory {
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// The lane, by its id.
    pub lane: String,
    /// The end of the item: the one that its lane read then.
    #[diesel(deserialize_as = EndColumn)]
    pub item_end: End,
    /// Id of the item.
    pub item_id: String,
    /// What people call the item.
    pub item_key: String,
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
        let row = |kept: &NewHistory| {
            (
                kept_histories::route_id.eq(kept.route_id),
                kept_histories::lane.eq(kept.lane.clone()),
                kept_histories::item_end.eq(kept.item_end.id()),
                kept_histories::item_id.eq(kept.item_id.clone()),
                kept_histories::item_key.eq(kept.item_key.clone()),
                kept_histories::system_name.eq(kept.system_name.clone()),
                kept_histories::entries.eq(kept.entries.clone()),
            )
        };
        let mut connection = self.connection().await?;
        for batch in rows.chunks(BATCH) {
            let changed = kept_histories::entries.ne(excluded(kept_histories::entries));
            let upsert = diesel::insert_into(kept_histories::table)
                .values(batch.iter().map(row).collect::<Vec<_>>())
                .on_conflict((
                    kept_histories::route_id,
                    kept_histories::lane,
                    kept_histories::item_end,
                    kept_histories::item_id,
                ))
                .do_update()
                .set((
                    kept_histories::item_key.eq(excluded(kept_histories::item_key)),
                    kept_histories::system_name.eq(excluded(kept_histories::system_name)),
                    kept_histories::entries.eq(excluded(kept_histories::entries)),
                    kept_histories::kept_at.eq(diesel::dsl::now),
                ));
            diesel::query_dsl::methods::FilterDsl::filter(upsert, changed).execute(&mut connection).await?;
        }
        Ok(())
    }

    /// What some routes keep of items of these ids, of either end; kinds are told apart by the lanes.
    pub async fn kept_histories(&self, of: &[Uuid], ids: &[&str]) -> Result<Vec<KeptHistory>, StoreError> {
        let query = kept_histories::table
            .filter(kept_histories::route_id.eq_any(of).and(kept_histories::item_id.eq_any(ids)))
            .order((kept_histories::system_name, kept_histories::route_id, kept_histories::lane))
            .select(KeptHistory::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
