//! Keys for pipelines: scoped, hashed, revocable.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

use crate::people::Person;
use crate::schema::{keys, people};
use crate::{Store, StoreError};

/// A key, without the key itself.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = keys)]
pub struct Key {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: String,
    /// What it may do, by codes.
    pub may: Vec<Option<String>>,
    /// None if it may touch any route.
    pub route_ids: Option<Vec<Option<Uuid>>>,
    /// When it was made.
    pub made_at: DateTime<Utc>,
    /// When it ends; none if it does not.
    pub expires_at: Option<DateTime<Utc>>,
    /// When it was used last.
    pub used_at: Option<DateTime<Utc>>,
    /// When it was revoked.
    pub revoked_at: Option<DateTime<Utc>>,
}

/// A key to make.
#[derive(Debug, Insertable)]
#[diesel(table_name = keys)]
pub struct NewKey<'a> {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: &'a str,
    /// SHA-256 of the key.
    pub hash: &'a [u8],
    /// What it may do, by codes.
    pub may: Vec<&'a str>,
    /// The routes that it may touch; none for all.
    pub route_ids: Option<&'a [Uuid]>,
    /// Who made it.
    pub made_by: Uuid,
    /// When it ends; none if it does not.
    pub expires_at: Option<DateTime<Utc>>,
}

impl Store {
    /// Makes a key.
    pub async fn make_key(&self, new: &NewKey<'_>) -> Result<(), StoreError> {
        diesel::insert_into(keys::table).values(new).execute(&mut self.connection().await?).await?;
        Ok(())
    }

    /// Every key with the name of who made it, the latest first.
    pub async fn keys(&self) -> Result<Vec<(Key, String)>, StoreError> {
        let query = keys::table
            .inner_join(people::table)
            .order((keys::made_at.desc(), keys::id))
            .select((Key::as_select(), people::name));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The key of a hash with who made it, revoked and expired ones too; notes that it was used.
    pub async fn key_by_hash(&self, hash: &[u8]) -> Result<Option<(Key, Person)>, StoreError> {
        let mut connection = self.connection().await?;
        let query = keys::table
            .inner_join(people::table)
            .filter(keys::hash.eq(hash))
            .select((Key::as_select(), Person::as_select()));
        let found: Option<(Key, Person)> = query.first(&mut connection).await.optional()?;
        // A pipeline asks often: its last use is noted to the minute.
        let stale = |key: &Key| key.used_at.is_none_or(|at| Utc::now() - at > chrono::TimeDelta::minutes(1));
        if let Some((key, _)) = found.as_ref().filter(|(key, _)| stale(key)) {
            diesel::update(keys::table.find(key.id))
                .set(keys::used_at.eq(Some(Utc::now())))
                .execute(&mut connection)
                .await?;
        }
        Ok(found)
    }

    /// Ends a key for good; [`StoreError::Missing`] if there is none. Revoking twice is revoking once.
    pub async fn revoke_key(&self, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let open = keys::table.find(id).filter(keys::revoked_at.is_null());
        diesel::update(open).set(keys::revoked_at.eq(Some(Utc::now()))).execute(&mut connection).await?;
        match keys::table.find(id).count().get_result::<i64>(&mut connection).await? {
            0 => Err(StoreError::Missing("the key")),
            _ => Ok(()),
        }
    }
}
