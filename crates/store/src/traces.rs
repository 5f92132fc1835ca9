//! What happened to one artefact: the pairs it is in, and the transfers that touched it.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

use crate::schema::{changes, jobs, journal, pairs, routes};
use crate::{Store, StoreError};

/// A pair that an artefact is in, with its route.
#[derive(Debug, Clone, Queryable)]
pub struct PairOf {
    pub route: Uuid,
    pub route_name: String,
    pub lanes: serde_json::Value,
    pub lane: String,
    pub left_id: String,
    pub right_id: String,
    pub left_system: Uuid,
    pub left_container: String,
    pub right_system: Uuid,
    pub right_container: String,
}

/// A change that a transfer applied, or tried to.
#[derive(Debug, Clone, Queryable)]
pub struct Touch {
    pub route: Option<Uuid>,
    pub lane: String,
    pub plan: Uuid,
    pub seq: i32,
    pub outcome: String,
    pub fields: Vec<String>,
    pub losses: i32,
    pub state: String,
    pub at: DateTime<Utc>,
}

impl Store {
    /// The pairs in which an artefact is the left or the right one; kinds are told apart by the lanes.
    pub async fn pairs_of(&self, system: Uuid, container: &str, id: &str) -> Result<Vec<PairOf>, StoreError> {
        let left = routes::left_system.eq(system).and(routes::left_container.eq(container)).and(pairs::left_id.eq(id));
        let right =
            routes::right_system.eq(system).and(routes::right_container.eq(container)).and(pairs::right_id.eq(id));
        let query =
            pairs::table.inner_join(routes::table).filter(left.or(right)).order((routes::name, pairs::lane)).select((
                routes::id,
                routes::name,
                routes::lanes,
                pairs::lane,
                pairs::left_id,
                pairs::right_id,
                routes::left_system,
                routes::left_container,
                routes::right_system,
                routes::right_container,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// What transfers of some routes did with left artefacts of these ids, newest first.
    pub async fn touches(&self, of: &[Uuid], left_ids: &[&str]) -> Result<Vec<Touch>, StoreError> {
        let query = journal::table
            .inner_join(jobs::table.on(jobs::id.eq(journal::job_id)))
            .inner_join(
                changes::table.on(changes::plan_id.nullable().eq(jobs::plan_id).and(changes::seq.eq(journal::seq))),
            )
            .filter(jobs::route_id.eq_any(of).and(changes::left_id.eq_any(left_ids)))
            .order((journal::at.desc(), journal::seq))
            .limit(200)
            .select((
                jobs::route_id,
                changes::lane,
                changes::plan_id,
                changes::seq,
                changes::outcome,
                changes::field_names,
                changes::losses,
                journal::state,
                journal::at,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
