//! What people said of items that have no pair yet.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{Integer, Text, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, RunQueryDsl};
use hovrel_core::model::End;
use uuid::Uuid;

use crate::end::EndColumn;
use crate::schema::{people, settled_matches};
use crate::{Store, StoreError};

/// A match that a person settled.
#[derive(Debug, Clone, Queryable)]
pub struct SettledMatch {
    /// The lane, by its id.
    pub lane: String,
    /// The end of the item that it is said of: the one that the lane read then.
    #[diesel(deserialize_as = EndColumn)]
    pub item_end: End,
    /// Id of the item.
    pub item_id: String,
    /// Id of its counterpart at the other end; none if it has none.
    pub other_id: Option<String>,
    /// Who settled it.
    pub settled_by: Option<String>,
    /// When it was settled.
    pub settled_at: DateTime<Utc>,
}

/// A likely match that the latest plan of a route asked about, and that nobody has settled.
#[derive(Debug, Clone, QueryableByName)]
pub struct AskedMatch {
    /// The lane, by its id.
    #[diesel(sql_type = Text)]
    pub lane: String,
    /// Id of the item at the left.
    #[diesel(sql_type = Text)]
    pub left_id: String,
    /// Id of the item at the right.
    #[diesel(sql_type = Text)]
    pub right_id: String,
    /// From which likeness on the lane asked then, in hundredths.
    #[diesel(sql_type = Integer)]
    pub similar_from: i32,
}

/// A match that a person settles.
#[derive(Debug, Clone)]
pub struct NewMatch {
    /// Id of the item.
    pub item_id: String,
    /// Id of its counterpart at the other end; none if it has none.
    pub other_id: Option<String>,
    /// Who settled it.
    pub settled_by: Uuid,
}

/// Rows per statement.
const BATCH: usize = 1000;

impl Store {
    /// The likely matches that the latest plan of a route asked about.
    pub async fn asked_matches(&self, route: Uuid) -> Result<Vec<AskedMatch>, StoreError> {
        let query = diesel::sql_query(
            "select c.lane, c.left_id, c.brief -> 'right' ->> 'id' as right_id,
                (l.lane -> 'matching' ->> 'similar_from')::integer as similar_from
             from (select id, lanes from plans where route_id = $1 order by made_at desc, id desc limit 1) p
                cross join lateral jsonb_array_elements(p.lanes) as l (lane)
                join changes c on c.plan_id = p.id and c.lane = l.lane ->> 'id'
             where c.outcome = 'adopt' and c.brief -> 'evidence' ->> 'how' = 'similar'
                and c.left_id is not null and c.brief -> 'right' ->> 'id' is not null
             order by c.seq",
        );
        Ok(query.bind::<SqlUuid, _>(route).load(&mut self.connection().await?).await?)
    }

    /// What was settled of a route, by lane and item.
    pub async fn settled_matches(&self, route: Uuid) -> Result<Vec<SettledMatch>, StoreError> {
        let query = settled_matches::table
            .left_join(people::table)
            .filter(settled_matches::route_id.eq(route))
            .order((settled_matches::lane, settled_matches::item_end, settled_matches::item_id))
            .select((
                settled_matches::lane,
                settled_matches::item_end,
                settled_matches::item_id,
                settled_matches::other_id,
                people::name.nullable(),
                settled_matches::settled_at,
            ));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Keeps what was settled of items of an end in place of what was said of these before, and opens others again; all of it
    /// or nothing.
    pub async fn settle_matches(
        &self,
        route: Uuid,
        (lane, end): (&str, End),
        settled: &[NewMatch],
        opened: &[String],
    ) -> Result<(), StoreError> {
        let said = settled.iter().map(|m| &m.item_id).chain(opened).map(String::as_str);
        let of = settled_matches::table.filter(
            settled_matches::route_id
                .eq(route)
                .and(settled_matches::lane.eq(lane))
                .and(settled_matches::item_end.eq(end.id()))
                .and(settled_matches::item_id.eq_any(said.collect::<Vec<_>>())),
        );
        let row = |m: &NewMatch| {
            (
                settled_matches::route_id.eq(route),
                settled_matches::lane.eq(lane.to_owned()),
                settled_matches::item_end.eq(end.id()),
                settled_matches::item_id.eq(m.item_id.clone()),
                settled_matches::other_id.eq(m.other_id.clone()),
                settled_matches::settled_by.eq(m.settled_by),
            )
        };
        self.connection()
            .await?
            .transaction(async |connection| {
                // What was said before goes first: two items may change their counterparts with one another.
                diesel::delete(of).execute(connection).await?;
                for batch in settled.chunks(BATCH) {
                    let rows: Vec<_> = batch.iter().map(row).collect();
                    diesel::insert_into(settled_matches::table).values(rows).execute(connection).await?;
                }
                Ok(())
            })
            .await
    }
}
