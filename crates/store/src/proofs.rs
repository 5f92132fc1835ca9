//! Proofs, kept for ever.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::newest::{Of, newest};
use crate::schema::{proofs, signing_key};
use crate::{Store, StoreError};

/// A proof with everything that it says.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = proofs)]
pub struct Proof {
    /// Its id.
    pub id: Uuid,
    /// The whole of it, as JSON.
    pub body: Value,
    /// How many differences there are.
    pub differences: i32,
    /// Items that wait for a person or for the next transfer.
    pub waits: i32,
    /// Fields and items that differ without a reason that is known.
    pub unexplained: i32,
    /// When it was made.
    pub at: DateTime<Utc>,
}

/// A proof without what it says item by item.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = proofs)]
pub struct ProofHead {
    /// Its id.
    pub id: Uuid,
    /// The route that it belongs to.
    pub route_id: Uuid,
    /// How many differences there are.
    pub differences: i32,
    /// Items that wait for a person or for the next transfer.
    pub waits: i32,
    /// Fields and items that differ without a reason that is known.
    pub unexplained: i32,
    /// When it was made.
    pub at: DateTime<Utc>,
}

impl Store {
    /// The newest proof of each of some routes.
    pub async fn latest_proofs(&self, routes: &[Uuid]) -> Result<Vec<ProofHead>, StoreError> {
        let mut connection = self.connection().await?;
        let ids = newest(&mut connection, Of::Proofs, routes).await?;
        Ok(proofs::table.filter(proofs::id.eq_any(ids)).select(ProofHead::as_select()).load(&mut connection).await?)
    }

    /// Keeps a proof with its three figures: what differs in all, what of it waits, and what is unexplained.
    pub async fn keep_proof(
        &self,
        id: Uuid,
        route: Uuid,
        body: &Value,
        (differences, waits, unexplained): (i32, i32, i32),
    ) -> Result<(), StoreError> {
        diesel::insert_into(proofs::table)
            .values((
                proofs::id.eq(id),
                proofs::route_id.eq(route),
                proofs::body.eq(body),
                proofs::differences.eq(differences),
                proofs::waits.eq(waits),
                proofs::unexplained.eq(unexplained),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// The latest proof of a route.
    pub async fn latest_proof(&self, route: Uuid) -> Result<Option<Proof>, StoreError> {
        let query =
            proofs::table.filter(proofs::route_id.eq(route)).order(proofs::at.desc()).select(Proof::as_select());
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// The proofs of a route made before a time, the latest first, without what they say item by item.
    pub async fn proof_heads(
        &self,
        route: Uuid,
        before: DateTime<Utc>,
        limit: i64,
    ) -> Result<Vec<ProofHead>, StoreError> {
        let query = proofs::table
            .filter(proofs::route_id.eq(route).and(proofs::at.lt(before)))
            .order(proofs::at.desc())
            .limit(limit)
            .select(ProofHead::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// A proof of a route.
    pub async fn proof(&self, route: Uuid, id: Uuid) -> Result<Proof, StoreError> {
        let query = proofs::table.find(id).filter(proofs::route_id.eq(route)).select(Proof::as_select());
        let found = query.first(&mut self.connection().await?).await.optional()?;
        found.ok_or(StoreError::Missing("the proof"))
    }

    /// The key that signs proofs, sealed; none until there is one.
    pub async fn signing_key(&self) -> Result<Option<Vec<u8>>, StoreError> {
        let query = signing_key::table.select(signing_key::secret);
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// Keeps the key that signs proofs, unless somebody else was faster.
    pub async fn keep_signing_key(&self, secret: &[u8]) -> Result<(), StoreError> {
        diesel::insert_into(signing_key::table)
            .values(signing_key::secret.eq(secret))
            .on_conflict_do_nothing()
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }
}
