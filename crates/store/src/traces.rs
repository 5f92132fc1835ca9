//! What happened to one artefact: the pairs it is in, and the transfers that touched it.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{Array, BigInt, Bool, Integer, Text, Uuid as SqlUuid};
use diesel_async::RunQueryDsl;
use hovrel_core::model::{End, Ends};
use uuid::Uuid;

use crate::schema::{changes, jobs, journal, pairs, routes};
use crate::{Store, StoreError};

/// A pair that an artefact is in, with its route.
#[derive(Debug, Clone, Queryable)]
pub struct PairOf {
    /// The route.
    pub route: Uuid,
    /// What the route is called.
    pub route_name: String,
    /// The lanes with their rules, as JSON.
    pub lanes: serde_json::Value,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// Id of the item at the right.
    pub right_id: String,
    /// The system of the left end.
    pub left_system: Uuid,
    /// The project of the left end.
    pub left_container: String,
    /// The system of the right end.
    pub right_system: Uuid,
    /// The project of the right end.
    pub right_container: String,
}

/// A change that a transfer applied, or tried to.
#[derive(Debug, Clone, Queryable)]
pub struct Touch {
    /// The route.
    pub route: Option<Uuid>,
    /// The lane, by its id.
    pub lane: String,
    /// The plan.
    pub plan: Uuid,
    /// Its place in the plan.
    pub seq: i32,
    /// What the dry run found for it, by its code.
    pub outcome: String,
    /// The slots, as they are spelt.
    pub fields: Vec<String>,
    /// How many losses it has.
    pub losses: i32,
    /// How far the transfer came with it, by its code.
    pub state: String,
    /// When that was.
    pub at: DateTime<Utc>,
}

/// An artefact at an end of a lane.
#[derive(Debug, Clone, Copy)]
pub struct Open<'a> {
    /// The route.
    pub route: Uuid,
    /// The lane, by its id.
    pub lane: &'a str,
    /// The end.
    pub end: End,
    /// Id of the item there.
    pub id: &'a str,
}

/// A change of an artefact in the newest plan of a route, which nothing has transferred yet.
#[derive(Debug, Clone, QueryableByName)]
pub struct OpenChange {
    /// The route.
    #[diesel(sql_type = SqlUuid)]
    pub route: Uuid,
    /// What the route is called.
    #[diesel(sql_type = Text)]
    pub route_name: String,
    /// Its place in the plan.
    #[diesel(sql_type = Integer)]
    pub seq: i32,
    /// What the dry run found for it, by its code.
    #[diesel(sql_type = Text)]
    pub outcome: String,
    /// Whether it is to be transferred.
    #[diesel(sql_type = Bool)]
    pub included: bool,
    /// Fields in conflict that are not decided yet.
    #[diesel(sql_type = BigInt)]
    pub open: i64,
}

impl Store {
    /// What the newest plans of routes have of artefacts, as far as they were not transferred.
    pub async fn open_changes(&self, of: &[Open<'_>]) -> Result<Vec<OpenChange>, StoreError> {
        let query = diesel::sql_query(
            "select distinct r.id as route, r.name as route_name, c.seq, c.outcome, c.included, c.open::bigint as open
             from unnest($1, $2, $3, $4) as w (route, lane, at, id)
             join routes r on r.id = w.route
             join lateral (select id from plans where route_id = w.route order by made_at desc limit 1) p on true
             join changes c on c.plan_id = p.id and c.lane = w.lane
                and ((w.at = 'left' and c.left_id = w.id) or (w.at = 'right' and c.right_id = w.id))
             where c.outcome <> 'in_step'
                and not exists (select from jobs j where j.plan_id = p.id and j.kind = 'transfer')
             order by r.name, c.seq",
        );
        let query = query
            .bind::<Array<SqlUuid>, _>(of.iter().map(|w| w.route).collect::<Vec<_>>())
            .bind::<Array<Text>, _>(of.iter().map(|w| w.lane).collect::<Vec<_>>())
            .bind::<Array<Text>, _>(of.iter().map(|w| w.end.id()).collect::<Vec<_>>())
            .bind::<Array<Text>, _>(of.iter().map(|w| w.id).collect::<Vec<_>>());
        Ok(query.load(&mut self.connection().await?).await?)
    }

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

    /// What transfers of some routes did with artefacts that have these ids at their ends, newest first.
    pub async fn touches(&self, of: &[Uuid], ids: Ends<&[&str]>) -> Result<Vec<Touch>, StoreError> {
        let of_these = changes::left_id.eq_any(ids.left).or(changes::right_id.eq_any(ids.right));
        let query = journal::table
            .inner_join(jobs::table.on(jobs::id.eq(journal::job_id)))
            .inner_join(
                changes::table.on(changes::plan_id.nullable().eq(jobs::plan_id).and(changes::seq.eq(journal::seq))),
            )
            .filter(jobs::route_id.eq_any(of).and(of_these))
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
