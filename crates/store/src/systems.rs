//! Systems, with their credentials sealed.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::systems;
use crate::{Store, StoreError};

/// A system that is connected.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = systems)]
pub struct System {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: String,
    /// The profile by which it is spoken to.
    pub profile: String,
    /// Where it is.
    pub address: String,
    /// How to sign in, sealed.
    pub credentials: Vec<u8>,
    /// Its version; each saving counts one up.
    pub version: i32,
    /// What the last check found, as JSON.
    pub check_steps: Option<Value>,
    /// When that was.
    pub checked_at: Option<DateTime<Utc>>,
}

/// A system to connect.
#[derive(Debug, Insertable)]
#[diesel(table_name = systems)]
pub struct NewSystem<'a> {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: &'a str,
    /// The profile by which it is spoken to.
    pub profile: &'a str,
    /// Where it is.
    pub address: &'a str,
    /// How to sign in, sealed.
    pub credentials: &'a [u8],
}

impl Store {
    /// All systems, by name.
    pub async fn systems(&self) -> Result<Vec<System>, StoreError> {
        Ok(systems::table.order(systems::name).select(System::as_select()).load(&mut self.connection().await?).await?)
    }

    /// A system by its id.
    pub async fn system(&self, id: Uuid) -> Result<System, StoreError> {
        let found = systems::table.find(id).select(System::as_select()).first(&mut self.connection().await?).await;
        found.optional()?.ok_or(StoreError::Missing("the system"))
    }

    /// [`StoreError::Exists`] if the name is taken.
    pub async fn make_system(&self, new: &NewSystem<'_>) -> Result<(), StoreError> {
        diesel::insert_into(systems::table).values(new).execute(&mut self.connection().await?).await?;
        Ok(())
    }

    /// Changes a system if it still has the version that was seen. The name stays: origin marks hold it.
    pub async fn change_system(
        &self,
        id: Uuid,
        seen: i32,
        address: &str,
        credentials: &[u8],
    ) -> Result<(), StoreError> {
        let changed = diesel::update(systems::table.find(id).filter(systems::version.eq(seen)))
            .set((
                systems::address.eq(address),
                systems::credentials.eq(credentials),
                systems::version.eq(seen + 1),
                systems::check_steps.eq(None::<Value>),
                systems::checked_at.eq(None::<DateTime<Utc>>),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        if changed == 1 { Ok(()) } else { Err(StoreError::Stale { current: self.system(id).await?.version }) }
    }

    /// Keeps what a check found.
    pub async fn keep_check(&self, id: Uuid, steps: &Value) -> Result<(), StoreError> {
        diesel::update(systems::table.find(id))
            .set((systems::check_steps.eq(Some(steps)), systems::checked_at.eq(Some(Utc::now()))))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// [`StoreError::InUse`] while a route connects it.
    pub async fn remove_system(&self, id: Uuid) -> Result<(), StoreError> {
        match diesel::delete(systems::table.find(id)).execute(&mut self.connection().await?).await? {
            0 => Err(StoreError::Missing("the system")),
            _ => Ok(()),
        }
    }
}
