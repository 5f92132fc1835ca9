//! Proofs, kept for ever.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::proofs;
use crate::{Store, StoreError};

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = proofs)]
pub struct Proof {
    pub id: Uuid,
    pub body: Value,
    pub differences: i32,
    pub at: DateTime<Utc>,
}

impl Store {
    pub async fn keep_proof(&self, id: Uuid, route: Uuid, body: &Value, differences: i32) -> Result<(), StoreError> {
        diesel::insert_into(proofs::table)
            .values((
                proofs::id.eq(id),
                proofs::route_id.eq(route),
                proofs::body.eq(body),
                proofs::differences.eq(differences),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    pub async fn latest_proof(&self, route: Uuid) -> Result<Option<Proof>, StoreError> {
        let query =
            proofs::table.filter(proofs::route_id.eq(route)).order(proofs::at.desc()).select(Proof::as_select());
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }
}
