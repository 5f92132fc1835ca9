//! The ledger of losses: of each pair and field, for as long as the loss stands.

use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Bool, Integer, Jsonb, Text, Uuid as SqlUuid};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::artefacts::escape_like;
use crate::schema::losses;
use crate::{Store, StoreError};

/// A loss of a field, with whether the plan had shown it.
#[derive(Debug, Clone)]
pub struct NewLoss {
    /// The slot, as it is spelt.
    pub field: String,
    /// Whether a plan had shown it before it happened.
    pub foreseen: bool,
    /// The loss, as JSON.
    pub body: Value,
}

/// A loss of the ledger.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = losses)]
pub struct LossRow {
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// The slot, as it is spelt.
    pub field: String,
    /// Its number among those of the pair's field.
    pub n: i32,
    /// What people call the item at the left.
    pub left_key: String,
    /// What people call the item at the right.
    pub right_key: String,
    /// Whether a plan had shown it before it happened.
    pub foreseen: bool,
    /// The loss, as JSON.
    pub body: Value,
    /// When it was recorded.
    pub at: DateTime<Utc>,
}

/// The item that losses belong to.
pub(crate) struct OfItem<'a> {
    /// The route.
    pub route: Uuid,
    /// The lane, by its id.
    pub lane: &'a str,
    /// Id of the item at the left.
    pub left_id: &'a str,
    /// What people call the item at the left.
    pub left_key: &'a str,
    /// What people call the item at the right.
    pub right_key: &'a str,
    /// The transfer.
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

    /// A page of the losses that a transfer recorded and that still stand, after a place in their order, and how many
    /// match in all.
    pub async fn losses_of_transfer(
        &self,
        job: Uuid,
        filter: &LossFilter,
        after: Option<&LossPlace>,
        limit: i64,
    ) -> Result<(Vec<LossRow>, i64), StoreError> {
        let mut connection = self.connection().await?;
        let total: i64 = of_transfer(job, filter).count().get_result(&mut connection).await?;
        let mut query = of_transfer(job, filter);
        if let Some((lane, left_key, left_id, field, n)) = after {
            let place = "(lane, left_key, left_id, field, n) > (";
            query = query.filter(
                sql::<Bool>(place)
                    .bind::<Text, _>(lane.clone())
                    .sql(", ")
                    .bind::<Text, _>(left_key.clone())
                    .sql(", ")
                    .bind::<Text, _>(left_id.clone())
                    .sql(", ")
                    .bind::<Text, _>(field.clone())
                    .sql(", ")
                    .bind::<Integer, _>(*n)
                    .sql(")"),
            );
        }
        let query = query
            .order((losses::lane, losses::left_key, losses::left_id, losses::field, losses::n))
            .limit(limit)
            .select(LossRow::as_select());
        Ok((query.load(&mut connection).await?, total))
    }

    /// The same counted by what they are: cause, kind, field, and whether a plan had shown them.
    pub async fn loss_groups(&self, job: Uuid) -> Result<Vec<LossGroup>, StoreError> {
        let query = diesel::sql_query(
            "select body -> 'cause' as cause, body ->> 'kind' as kind, field, foreseen, count(*) as count
             from losses where job_id = $1 group by 1, 2, 3, 4 order by 5 desc, 1, 2, 3, 4",
        );
        Ok(query.bind::<SqlUuid, _>(job).load(&mut self.connection().await?).await?)
    }
}

/// Which losses of a transfer to list.
#[derive(Debug, Clone, Default)]
pub struct LossFilter {
    /// Only of this slot.
    pub field: Option<String>,
    /// Only of this sort, by its code.
    pub kind: Option<String>,
    /// The whole cause, as the ledger has it.
    pub cause: Option<Value>,
    /// Only those that no plan had shown.
    pub not_foreseen: bool,
    /// Words of an item's key, or of what was there.
    pub find: Option<String>,
}

/// Where a loss stands in the order of the ledger: lane, key and id at the left, field, and its number there.
pub type LossPlace = (String, String, String, String, i32);

/// Losses of one sort.
#[derive(Debug, Clone, QueryableByName)]
pub struct LossGroup {
    /// Why, as JSON.
    #[diesel(sql_type = Jsonb)]
    pub cause: Value,
    /// The sort of loss, by its code.
    #[diesel(sql_type = Text)]
    pub kind: String,
    /// The slot, as it is spelt.
    #[diesel(sql_type = Text)]
    pub field: String,
    /// Whether a plan had shown it before it happened.
    #[diesel(sql_type = Bool)]
    pub foreseen: bool,
    /// How many there are.
    #[diesel(sql_type = BigInt)]
    pub count: i64,
}

fn of_transfer(job: Uuid, filter: &LossFilter) -> losses::BoxedQuery<'static, Pg> {
    let mut query = losses::table.filter(losses::job_id.eq(job)).into_boxed();
    if let Some(field) = &filter.field {
        query = query.filter(losses::field.eq(field.clone()));
    }
    if let Some(kind) = &filter.kind {
        query = query.filter(sql::<Bool>("body ->> 'kind' = ").bind::<Text, _>(kind.clone()));
    }
    if let Some(cause) = &filter.cause {
        query = query.filter(sql::<Bool>("body -> 'cause' = ").bind::<Jsonb, _>(cause.clone()));
    }
    if filter.not_foreseen {
        query = query.filter(losses::foreseen.eq(false));
    }
    if let Some(find) = &filter.find {
        let like = format!("%{}%", escape_like(find));
        let before = sql::<Bool>("body ->> 'before' ilike ").bind::<Text, _>(like.clone());
        query = query.filter(losses::left_key.ilike(like.clone()).or(losses::right_key.ilike(like)).or(before));
    }
    query
}
