//! The ledger of losses: of each pair and field, for as long as the loss stands.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::losses;
use crate::{Store, StoreError};

/// A loss of a field, with whether the plan had shown it.
#[derive(Debug, Clone)]
pub struct NewLoss {
    pub field: String,
    pub foreseen: bool,
    pub body: Value,
}

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = losses)]
pub struct LossRow {
    pub lane: String,
    pub left_id: String,
    pub left_key: String,
    pub right_key: String,
    pub foreseen: bool,
    pub body: Value,
    pub at: DateTime<Utc>,
}

/// The item that losses belong to.
pub(crate) struct OfItem<'a> {
    pub route: Uuid,
    pub lane: &'a str,
    pub left_id: &'a str,
    pub left_key: &'a str,
    pub right_key: &'a str,
    pub job: Uuid,
}

/// Puts the losses of some fields in place of those that stood.
pub(crate) async fn replace(
    connection: &mut AsyncPgConnection,
    of: &OfItem<'_>,
    fields: &[String],
    list: &[NewLoss],
) -> Result<(), StoreError> {
    let of_item = losses::route_id.eq(of.route).and(losses::lane.eq(of.lane)).and(losses::left_id.eq(of.left_id));
    let old = losses::table.filter(of_item.and(losses::field.eq_any(fields)));
    diesel::delete(old).execute(connection).await?;
    let mut counts = std::collections::HashMap::new();
    let rows: Vec<_> = list
        .iter()
        .filter(|l| fields.contains(&l.field))
        .map(|l| {
            let n: &mut i32 = counts.entry(l.field.as_str()).or_insert(-1);
            *n += 1;
            (
                losses::route_id.eq(of.route),
                losses::lane.eq(of.lane),
                losses::left_id.eq(of.left_id),
                losses::field.eq(l.field.as_str()),
                losses::n.eq(*n),
                losses::left_key.eq(of.left_key),
                losses::right_key.eq(of.right_key),
                losses::foreseen.eq(l.foreseen),
                losses::body.eq(&l.body),
                losses::job_id.eq(of.job),
            )
        })
        .collect();
    diesel::insert_into(losses::table).values(rows).execute(connection).await?;
    Ok(())
}

impl Store {
    /// The losses of a route that stand.
    pub async fn losses(&self, route: Uuid) -> Result<Vec<LossRow>, StoreError> {
        let query = losses::table
            .filter(losses::route_id.eq(route))
            .order((losses::lane, losses::left_key, losses::left_id, losses::field, losses::n))
            .select(LossRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The losses that a transfer recorded, as far as they stand.
    pub async fn losses_of_transfer(&self, job: Uuid) -> Result<Vec<LossRow>, StoreError> {
        let query = losses::table
            .filter(losses::job_id.eq(job))
            .order((losses::lane, losses::left_key, losses::left_id, losses::field, losses::n))
            .select(LossRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
