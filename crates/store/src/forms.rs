//! In which forms JSON and fingerprints stand in the database.
//!
//! Decides, when a database is opened, whether this program knows what is in it: earlier forms are brought up to this
//! program's in one transaction, and a database that a later Hovrel was at is refused before anything is touched. What
//! the JSON says is the affair of whoever reads it.

use std::collections::HashSet;

use diesel::prelude::*;
use diesel::sql_types::{Array, Bytea, Integer, Jsonb, Uuid};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl, SimpleAsyncConnection};
use diesel_migrations::MigrationHarness;
use hovrel_core::base::BaseSide;
use hovrel_core::model::{Fingerprint, NAMED_VALUES_FORM};
use hovrel_core::plan::{Brief, Change};
use serde_json::Value;

use crate::retention::IN_NO_PAIR;
use crate::schema::forms;
use crate::{MIGRATIONS, Store, StoreError};

/// What stands in a form of its own, and the form that this program reads and writes. Whoever changes what the JSON of one
/// of them says, in a way that older programs or older rows would be misread, counts it up and writes a step for it in
/// [`Store::bring_up`].
const FORMS: [(&str, i16); 6] = [
    (FINGERPRINTS, NAMED_VALUES_FORM as i16),
    // Of routes, their versions and plans.
    ("lanes", 2),
    // With what was decided of them, and the summaries of plans.
    (CHANGES, 2),
    // What both ends held when last in step.
    ("bases", 2),
    ("proofs", 1),
    // With catalogues and the artefacts that were read.
    ("surveys", 1),
];
const FINGERPRINTS: &str = "fingerprints";
const CHANGES: &str = "changes";

/// Rows that are brought up at once.
const BATCH: i64 = 500;

/// Whether a migration was applied that this program does not have.
pub(crate) fn refuse_later_schema<DB: diesel::backend::Backend>(
    harness: &mut impl MigrationHarness<DB>,
) -> Result<(), StoreError> {
    let refused = |e: Box<dyn std::error::Error + Send + Sync>| StoreError::Schema(e.to_string());
    let own = diesel::migration::MigrationSource::<DB>::migrations(&MIGRATIONS).map_err(refused)?;
    let own: HashSet<String> = own.iter().map(|m| m.name().version().to_string()).collect();
    let applied = harness.applied_migrations().map_err(refused)?;
    match applied.iter().map(ToString::to_string).find(|version| !own.contains(version)) {
        Some(version) => Err(StoreError::Later(format!("its schema has the step {version}"))),
        None => Ok(()),
    }
}

#[derive(QueryableByName)]
struct Told {
    #[diesel(sql_type = Uuid)]
    plan_id: uuid::Uuid,
    #[diesel(sql_type = Integer)]
    seq: i32,
    #[diesel(sql_type = Jsonb)]
    body: Value,
}

#[derive(QueryableByName)]
struct Kept {
    #[diesel(sql_type = Bytea)]
    hash: Vec<u8>,
    #[diesel(sql_type = Jsonb)]
    body: Value,
}

impl Store {
    /// Brings what stands in earlier forms up to this program's.
    pub(crate) async fn bring_up(&self) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                // Another program that opens it at once waits here.
                let kept: Vec<(String, i16)> = forms::table
                    .select((forms::name, forms::form))
                    .order(forms::name)
                    .for_update()
                    .load(connection)
                    .await?;
                for (name, form) in kept {
                    let ours = FORMS.iter().find(|(n, _)| *n == name).map(|(_, form)| *form);
                    let Some(ours) = ours.filter(|ours| *ours >= form) else {
                        return Err(StoreError::Later(format!("its {name} have form {form}")));
                    };
                    if ours == form {
                        continue;
                    }
                    match (name.as_str(), form) {
                        (FINGERPRINTS, _) => hash_again(connection).await?,
                        (CHANGES, ..2) => tell_in_brief(connection).await?,
                        _ => {}
                    }
                    diesel::update(forms::table.find(name)).set(forms::form.eq(ours)).execute(connection).await?;
                }
                Ok(())
            })
            .await
    }
}

/// Gives each snapshot the fingerprint of this form, and the pairs with it. What is kept of an end and how both agreed
/// have forms of their own, and one snapshot may have stood for both.
async fn hash_again(connection: &mut AsyncPgConnection) -> Result<(), StoreError> {
    connection
        .batch_execute(
            "create temp table hashed (former bytea primary key, side bytea not null, agreed bytea not null)
             on commit drop",
        )
        .await?;
    let mut last = Vec::new();
    let mut many = 0;
    loop {
        let next = format!("select hash, body from snapshots where hash > $1 order by hash limit {BATCH}");
        let rows: Vec<Kept> = diesel::sql_query(next).bind::<Bytea, _>(&last).load(connection).await?;
        let Some(end) = rows.last() else { break };
        last = end.hash.clone();
        many += rows.len();
        let (mut former, mut side, mut agreed) = (Vec::new(), Vec::new(), Vec::new());
        for row in rows {
            let json = Fingerprint::of(&row.body);
            // What is no end's values is how both agreed.
            let values = serde_json::from_value::<BaseSide>(row.body).map_or(json, |values| values.fingerprint());
            former.push(row.hash);
            side.push(values.as_bytes().to_vec());
            agreed.push(json.as_bytes().to_vec());
        }
        diesel::sql_query("insert into hashed select * from unnest($1, $2, $3)")
            .bind::<Array<Bytea>, _>(former)
            .bind::<Array<Bytea>, _>(side)
            .bind::<Array<Bytea>, _>(agreed)
            .execute(connection)
            .await?;
    }
    connection
        .batch_execute(
            "analyze hashed;
             insert into snapshots (hash, body)
                 select h.side, s.body from hashed h join snapshots s on s.hash = h.former on conflict do nothing;
             insert into snapshots (hash, body)
                 select h.agreed, s.body from hashed h join snapshots s on s.hash = h.former on conflict do nothing;
             update pairs p set
                 left_base = coalesce((select side from hashed where former = p.left_base), p.left_base),
                 right_base = coalesce((select side from hashed where former = p.right_base), p.right_base),
                 agreed = coalesce((select agreed from hashed where former = p.agreed), p.agreed)",
        )
        .await?;
    connection.batch_execute(&format!("delete from snapshots s where {IN_NO_PAIR}")).await?;
    tracing::info!("hashed {many} values again");
    Ok(())
}

/// Keeps beside each change what lists show of it, which came with form 2.
async fn tell_in_brief(connection: &mut AsyncPgConnection) -> Result<(), StoreError> {
    let (mut plan, mut seq) = (uuid::Uuid::nil(), -1);
    loop {
        let next = format!(
            "select plan_id, seq, body from changes where (plan_id, seq) > ($1, $2) order by plan_id, seq limit {BATCH}"
        );
        let rows: Vec<Told> =
            diesel::sql_query(next).bind::<Uuid, _>(plan).bind::<Integer, _>(seq).load(connection).await?;
        let Some(last) = rows.last() else { return Ok(()) };
        (plan, seq) = (last.plan_id, last.seq);
        let (mut plans, mut seqs, mut briefs) = (Vec::new(), Vec::new(), Vec::new());
        for row in rows {
            let change: Change = serde_json::from_value(row.body)?;
            plans.push(row.plan_id);
            seqs.push(row.seq);
            briefs.push(serde_json::to_value(Brief::of(&change))?);
        }
        let keep = "update changes c set brief = b.brief from unnest($1, $2, $3) as b (plan_id, seq, brief) \
                    where c.plan_id = b.plan_id and c.seq = b.seq";
        diesel::sql_query(keep)
            .bind::<Array<Uuid>, _>(plans)
            .bind::<Array<Integer>, _>(seqs)
            .bind::<Array<Jsonb>, _>(briefs)
            .execute(connection)
            .await?;
    }
}
