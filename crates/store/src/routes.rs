//! Routes and their versions.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use hovrel_core::model::End;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{jobs, people, route_versions, routes, settled_matches};
use crate::{Store, StoreError};

/// A route with the rules of now.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = routes)]
pub struct Route {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: String,
    /// The system of the left end.
    pub left_system: Uuid,
    /// The project of the left end.
    pub left_container: String,
    /// The system of the right end.
    pub right_system: Uuid,
    /// The project of the right end.
    pub right_container: String,
    /// The lanes with their rules, as JSON.
    pub lanes: Value,
    /// Its version; each saving counts one up.
    pub version: i32,
    /// When it was saved last.
    pub updated_at: DateTime<Utc>,
    /// Routes to whose items links lead; none stands for one that was removed.
    pub follows: Vec<Option<Uuid>>,
}

/// A route to make.
#[derive(Debug, Insertable)]
#[diesel(table_name = routes)]
pub struct NewRoute<'a> {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: &'a str,
    /// The system of the left end.
    pub left_system: Uuid,
    /// The project of the left end.
    pub left_container: &'a str,
    /// The system of the right end.
    pub right_system: Uuid,
    /// The project of the right end.
    pub right_container: &'a str,
    /// The lanes with their rules, as JSON.
    pub lanes: Value,
    /// Other routes from the same left end to whose items links lead, the first of them that has an item first.
    pub follows: Vec<Option<Uuid>>,
}

impl Route {
    /// The system at an end, and the container in it.
    pub fn end(&self, end: End) -> (Uuid, &str) {
        match end {
            End::Left => (self.left_system, &self.left_container),
            End::Right => (self.right_system, &self.right_container),
        }
    }
}

/// A version of a route.
#[derive(Debug, Clone, Queryable)]
pub struct RouteVersion {
    /// Its number.
    pub version: i32,
    /// When it was saved.
    pub saved_at: DateTime<Utc>,
    /// The name of who saved it; none if they are no longer there.
    pub saved_by: Option<String>,
    /// The lanes with their rules, as JSON.
    pub lanes: Value,
    /// What was written about it; may be empty.
    pub note: String,
}

impl Store {
    /// All routes, by name.
    pub async fn routes(&self) -> Result<Vec<Route>, StoreError> {
        Ok(routes::table.order(routes::name).select(Route::as_select()).load(&mut self.connection().await?).await?)
    }

    /// A route by its id.
    pub async fn route(&self, id: Uuid) -> Result<Route, StoreError> {
        let found = routes::table.find(id).select(Route::as_select()).first(&mut self.connection().await?).await;
        found.optional()?.ok_or(StoreError::Missing("the route"))
    }

    /// The other routes from the same left end, the oldest first.
    pub async fn other_routes(&self, route: &Route) -> Result<Vec<Route>, StoreError> {
        let query = routes::table
            .filter(routes::left_system.eq(route.left_system).and(routes::left_container.eq(&route.left_container)))
            .filter(routes::id.ne(route.id))
            .order((routes::created_at, routes::id))
            .select(Route::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Makes a route and its first version together.
    pub async fn make_route(&self, new: &NewRoute<'_>, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                diesel::insert_into(routes::table).values(new).execute(connection).await?;
                keep_version(connection, new.id, 1, &new.lanes, by).await
            })
            .await
    }

    /// Saves a new version if the route still has the version that was seen; returns the new one. `follows` says to which
    /// routes' items links lead from now on; none leaves that as it is.
    pub async fn save_route(
        &self,
        id: Uuid,
        seen: i32,
        name: &str,
        (lanes, follows): (&Value, Option<Vec<Option<Uuid>>>),
        by: Uuid,
    ) -> Result<i32, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let changed = diesel::update(routes::table.find(id).filter(routes::version.eq(seen)))
                    .set((
                        routes::name.eq(name),
                        routes::lanes.eq(lanes),
                        routes::version.eq(seen + 1),
                        routes::updated_at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                if changed == 0 {
                    let current: Option<i32> =
                        routes::table.find(id).select(routes::version).first(connection).await.optional()?;
                    return Err(
                        current.map_or(StoreError::Missing("the route"), |current| StoreError::Stale { current })
                    );
                }
                if let Some(follows) = follows {
                    let route = routes::table.find(id);
                    diesel::update(route).set(routes::follows.eq(follows)).execute(connection).await?;
                }
                keep_version(connection, id, seen + 1, lanes, by).await?;
                Ok(seen + 1)
            })
            .await
    }

    /// At most `limit` versions of a route up to one of them, the latest first.
    pub async fn route_versions(&self, id: Uuid, upto: i32, limit: i64) -> Result<Vec<RouteVersion>, StoreError> {
        let query = route_versions::table
            .left_join(people::table)
            .filter(route_versions::route_id.eq(id).and(route_versions::version.le(upto)))
            .order(route_versions::version.desc())
            .limit(limit)
            .select((
                route_versions::version,
                route_versions::saved_at,
                people::name.nullable(),
                route_versions::lanes,
                route_versions::note,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Gives a route another name, without a new version of it.
    pub async fn rename_route(&self, id: Uuid, name: &str) -> Result<(), StoreError> {
        let renamed = diesel::update(routes::table.find(id)).set(routes::name.eq(name));
        match renamed.execute(&mut self.connection().await?).await? {
            0 => Err(StoreError::Missing("the route")),
            _ => Ok(()),
        }
    }

    /// Writes something about a version, in place of what was written before.
    pub async fn note_version(&self, id: Uuid, version: i32, note: &str) -> Result<(), StoreError> {
        let changed = diesel::update(route_versions::table.find((id, version)))
            .set(route_versions::note.eq(note))
            .execute(&mut self.connection().await?)
            .await?;
        if changed == 0 { Err(StoreError::Missing("the version")) } else { Ok(()) }
    }

    /// Changes the ends of a route of which nothing has run, as a new version, if it still has the version that was seen.
    /// False if something has run.
    pub async fn change_ends(
        &self,
        id: Uuid,
        seen: i32,
        (left, right): ((Uuid, &str), (Uuid, &str)),
        lanes: &Value,
        by: Uuid,
    ) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let current: Option<i32> =
                    routes::table.find(id).select(routes::version).for_update().first(connection).await.optional()?;
                match current {
                    None => return Err(StoreError::Missing("the route")),
                    Some(current) if current != seen => return Err(StoreError::Stale { current }),
                    Some(_) => {}
                }
                let of_route = jobs::table.filter(jobs::route_id.eq(id));
                if diesel::select(diesel::dsl::exists(of_route)).get_result(connection).await? {
                    return Ok(false);
                }
                let said = settled_matches::table.filter(settled_matches::route_id.eq(id));
                diesel::delete(said).execute(connection).await?;
                // Links of others don't lead to a route from another end.
                diesel::sql_query("update routes set follows = array_remove(follows, $1) where $1 = any(follows)")
                    .bind::<diesel::sql_types::Uuid, _>(id)
                    .execute(connection)
                    .await?;
                diesel::update(routes::table.find(id))
                    .set((
                        routes::left_system.eq(left.0),
                        routes::left_container.eq(left.1),
                        routes::right_system.eq(right.0),
                        routes::right_container.eq(right.1),
                        routes::lanes.eq(lanes),
                        routes::follows.eq(Vec::<Option<Uuid>>::new()),
                        routes::version.eq(seen + 1),
                        routes::updated_at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                keep_version(connection, id, seen + 1, lanes, by).await?;
                Ok(true)
            })
            .await
    }

    /// Removes a route with its plans, pairs and proofs. The systems are not touched.
    pub async fn remove_route(&self, id: Uuid) -> Result<(), StoreError> {
        match diesel::delete(routes::table.find(id)).execute(&mut self.connection().await?).await? {
            0 => Err(StoreError::Missing("the route")),
            _ => Ok(()),
        }
    }
}

async fn keep_version(
    connection: &mut diesel_async::AsyncPgConnection,
    route: Uuid,
    version: i32,
    lanes: &Value,
    by: Uuid,
) -> Result<(), StoreError> {
    diesel::insert_into(route_versions::table)
        .values((
            route_versions::route_id.eq(route),
            route_versions::version.eq(version),
            route_versions::lanes.eq(lanes),
            route_versions::saved_by.eq(by),
        ))
        .execute(connection)
        .await?;
    Ok(())
}
