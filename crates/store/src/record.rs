//! The record: what was written outside, and what people chose, line by line.
//!
//! Lines are added and read, and nothing else: the database refuses to change or to remove one. A line names what it is about
//! and hangs on nothing. Values stand in it by their hash.

use chrono::{DateTime, Utc};
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::sql_types::{Array, Integer, Text, Uuid as SqlUuid};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use hovrel_core::model::{End, Ends, Fingerprint};
use serde_json::Value;
use uuid::Uuid;

use crate::artefacts::escape_like;
use crate::jobs::Holder;
use crate::schema::record;
use crate::{Store, StoreError};

#[diesel::declare_sql_function]
extern "SQL" {
    /// The text in small letters, as the indexes of the keys have it.
    fn lower(text: Text) -> Text;
}

/// What a transfer wrote at an end.
#[derive(Debug, Clone)]
pub struct NewLine {
    /// The end that was written.
    pub written_end: End,
    /// The slot there, as it is spelt; none for an item that was made.
    pub slot: Option<String>,
    /// Why it was written, by its code.
    pub why: String,
    /// What stood there, with its fingerprint.
    pub before: Option<(Fingerprint, Value)>,
    /// What stands there since, with its fingerprint.
    pub after: Option<(Fingerprint, Value)>,
}

impl NewLine {
    /// What it names by hash.
    pub(crate) fn values(&self) -> impl Iterator<Item = &(Fingerprint, Value)> {
        self.before.iter().chain(&self.after)
    }
}

/// A line of the record.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = record)]
pub struct RecordLine {
    /// Its place: later lines have greater ones.
    pub id: i64,
    /// When it was written.
    pub at: DateTime<Utc>,
    /// The route.
    pub route_id: Uuid,
    /// The transfer; none of what a person chose.
    pub job_id: Option<Uuid>,
    /// Who chose; none of what a transfer wrote.
    pub by: Option<String>,
    /// The lane, by its id.
    pub lane: String,
    /// Id of the item at the left.
    pub left_id: String,
    /// Id of the item at the right.
    pub right_id: String,
    /// What people call the item at the left.
    pub left_key: String,
    /// What people call the item at the right.
    pub right_key: String,
    /// The kind of the left item, by its id.
    pub kind: String,
    /// The end that was written; none of a choice.
    pub written_end: Option<String>,
    /// The slot, as it is spelt, or which call it was.
    pub slot: Option<String>,
    /// `item`, `field`, `call` or `choice`.
    pub what: String,
    /// Why, by its code.
    pub why: String,
    /// The hash of what stood there.
    pub before: Option<Vec<u8>>,
    /// The hash of what stands there since.
    pub after: Option<Vec<u8>>,
}

/// Which lines.
#[derive(Debug, Clone, Default)]
pub struct RecordFilter {
    /// Of these routes alone.
    pub routes: Option<Vec<Uuid>>,
    /// Of the item with this id at the left.
    pub left_id: Option<String>,
    /// Of what was written at this end.
    pub written_end: Option<End>,
    /// How a key begins.
    pub find: String,
}

/// Why something was written of which a person decided.
const CHOSEN: &str = "chosen";

#[derive(QueryableByName)]
struct Named {
    #[diesel(sql_type = Text)]
    name: String,
}

/// The pair of which a transfer wrote something.
pub(crate) struct OfPair<'a> {
    /// The route.
    pub route: Uuid,
    /// The lane, by its id.
    pub lane: &'a str,
    /// The place of its change in the plan.
    pub seq: i32,
    /// The kind of the left item, by its id.
    pub kind: &'a str,
    /// The ids of both items.
    pub ids: Ends<&'a str>,
    /// What people call both items.
    pub keys: Ends<&'a str>,
}

/// What a transfer wrote of a change.
pub(crate) async fn written(
    connection: &mut AsyncPgConnection,
    holder: Holder,
    of: &OfPair<'_>,
    lines: &[NewLine],
) -> Result<(), StoreError> {
    let hash = |value: &Option<(Fingerprint, Value)>| value.as_ref().map(|(hash, _)| hash.as_bytes().to_vec());
    // Who decided in the plan; what was decided of a conflict besides has a line of its own.
    let by: Option<String> = match lines.iter().any(|line| line.why == CHOSEN) {
        false => None,
        true => diesel::sql_query(
            "select p.name from jobs j join changes c on c.plan_id = j.plan_id join people p on p.id = c.decided_by
             where j.id = $1 and c.seq = $2",
        )
        .bind::<SqlUuid, _>(holder.job)
        .bind::<Integer, _>(of.seq)
        .get_result::<Named>(connection)
        .await
        .optional()?
        .map(|person| person.name),
    };
    let row = |line: &NewLine| {
        (
            (
                record::route_id.eq(of.route),
                record::by.eq(by.as_ref().filter(|_| line.why == CHOSEN)),
                record::job_id.eq(holder.job),
                record::seq.eq(of.seq),
                record::lane.eq(of.lane.to_owned()),
                record::left_id.eq(of.ids.left.to_owned()),
                record::right_id.eq(of.ids.right.to_owned()),
                record::left_key.eq(of.keys.left.to_owned()),
                record::right_key.eq(of.keys.right.to_owned()),
            ),
            (
                record::kind.eq(of.kind.to_owned()),
                record::written_end.eq(line.written_end.id()),
                record::slot.eq(line.slot.clone()),
                record::what.eq(if line.slot.is_some() { "field" } else { "item" }),
                record::why.eq(line.why.clone()),
                record::before.eq(hash(&line.before)),
                record::after.eq(hash(&line.after)),
            ),
        )
    };
    let rows: Vec<_> = lines.iter().map(row).collect();
    diesel::insert_into(record::table).values(rows).on_conflict_do_nothing().execute(connection).await?;
    Ok(())
}

/// The calls of a change that is done besides the writing of the item's own fields: files, comments, links back, moves.
pub(crate) async fn called(
    connection: &mut AsyncPgConnection,
    holder: Holder,
    of: &OfPair<'_>,
) -> Result<(), StoreError> {
    diesel::sql_query(
        "insert into record (route_id, job_id, seq, lane, left_id, right_id, left_key, right_key, kind, written_end, slot,
            what, why)
         select $3, s.job_id, s.seq, $4, $5, $6, $7, $8, $9, s.written_end, s.step, 'call', 'carried'
         from steps s
         where s.job_id = $1 and s.seq = $2 and split_part(s.step, ' ', 1) <> all ('{create,update,later}')
         order by s.at, s.written_end, s.step
         on conflict do nothing",
    )
    .bind::<SqlUuid, _>(holder.job)
    .bind::<Integer, _>(of.seq)
    .bind::<SqlUuid, _>(of.route)
    .bind::<Text, _>(of.lane)
    .bind::<Text, _>(of.ids.left)
    .bind::<Text, _>(of.ids.right)
    .bind::<Text, _>(of.keys.left)
    .bind::<Text, _>(of.keys.right)
    .bind::<Text, _>(of.kind)
    .execute(connection)
    .await?;
    Ok(())
}

/// What a person chose for conflicts, as it is kept now.
pub(crate) async fn chosen(
    connection: &mut AsyncPgConnection,
    person: Uuid,
    conflicts: &[Uuid],
) -> Result<(), StoreError> {
    diesel::sql_query(
        "insert into record (route_id, by, lane, left_id, right_id, left_key, right_key, kind, slot, what, why)
         select c.route_id, (select name from people where id = $1), p.lane, p.left_id, p.right_id, c.left_key, c.right_key,
            c.kind, c.slot, 'choice', coalesce('chose_' || (g.choice ->> 'take'), 'reopened')
         from conflicts c join pairs p on p.id = c.pair_id
            join conflict_generations g on g.conflict_id = c.id and g.generation = c.generation
         where c.id = any($2) order by c.id",
    )
    .bind::<SqlUuid, _>(person)
    .bind::<Array<SqlUuid>, _>(conflicts)
    .execute(connection)
    .await?;
    Ok(())
}

impl RecordFilter {
    fn query(&self) -> record::BoxedQuery<'_, Pg> {
        let mut query = record::table.into_boxed();
        if let Some(routes) = &self.routes {
            query = query.filter(record::route_id.eq_any(routes));
        }
        if let Some(left_id) = &self.left_id {
            query = query.filter(record::left_id.eq(left_id));
        }
        if let Some(end) = self.written_end {
            query = query.filter(record::written_end.eq(end.id()));
        }
        if !self.find.is_empty() {
            let begins = format!("{}%", escape_like(&self.find.to_lowercase()));
            query =
                query.filter(lower(record::left_key).like(begins.clone()).or(lower(record::right_key).like(begins)));
        }
        query
    }
}

impl Store {
    /// A page of the record before a line, the latest first.
    pub async fn list_record(
        &self,
        filter: &RecordFilter,
        before: Option<i64>,
        limit: i64,
    ) -> Result<Vec<RecordLine>, StoreError> {
        let mut query = filter.query();
        if let Some(before) = before {
            query = query.filter(record::id.lt(before));
        }
        let query = query.order(record::id.desc()).limit(limit).select(RecordLine::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
