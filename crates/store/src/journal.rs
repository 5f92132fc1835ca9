//! The journal of a transfer: what is about to be done, and what was done, change by change.
//!
//! `intended` is written before the call, `made` once the item exists at the right and has files still
//! to come, `done` in one transaction with the pair, its base and the ledger. A change that is
//! `intended` when a worker begins may have been done: the engine looks first. See docs/journal.md.

use chrono::{DateTime, Utc};
use diesel::dsl::count_star;
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{changes, journal, ledger, pairs, snapshots};
use crate::{Store, StoreError};

#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = journal)]
pub struct JournalRow {
    pub seq: i32,
    pub state: String,
    pub attempts: i32,
    pub right_id: Option<String>,
    pub error: Option<String>,
    pub advice: Option<String>,
    pub at: DateTime<Utc>,
}

/// Everything that is written when a change is done.
pub struct Applied<'a> {
    pub route: Uuid,
    pub job: Uuid,
    pub seq: i32,
    pub lane: &'a str,
    pub left_id: &'a str,
    pub right_id: &'a str,
    pub left_key: &'a str,
    pub right_key: &'a str,
    pub left_base: ([u8; 32], Value),
    pub right_base: ([u8; 32], Value),
    /// Losses that happened, and whether the plan foresaw them.
    pub losses: Vec<(Value, bool)>,
}

/// How far a transfer is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TransferCounts {
    pub done: i64,
    pub refused: i64,
    pub intended: i64,
}

impl Store {
    pub async fn journal(&self, job: Uuid) -> Result<Vec<JournalRow>, StoreError> {
        let query = journal::table.filter(journal::job_id.eq(job)).order(journal::seq).select(JournalRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Notes that changes are about to be applied.
    pub async fn intend(&self, job: Uuid, seqs: &[i32]) -> Result<(), StoreError> {
        let row = |seq: &i32| {
            (journal::job_id.eq(job), journal::seq.eq(*seq), journal::state.eq("intended"), journal::attempts.eq(1))
        };
        diesel::insert_into(journal::table)
            .values(seqs.iter().map(row).collect::<Vec<_>>())
            .on_conflict((journal::job_id, journal::seq))
            .do_update()
            .set((
                journal::state.eq("intended"),
                journal::attempts.eq(journal::attempts + 1),
                journal::error.eq(None::<String>),
                journal::advice.eq(None::<String>),
                journal::at.eq(diesel::dsl::now),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Notes that the item is at the right, and files are still to come.
    pub async fn made(&self, job: Uuid, seq: i32, right_id: &str) -> Result<(), StoreError> {
        diesel::update(journal::table.find((job, seq)))
            .set((journal::state.eq("made"), journal::right_id.eq(right_id), journal::at.eq(diesel::dsl::now)))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Notes that a change was not applied, and why.
    pub async fn refuse(&self, job: Uuid, seq: i32, error: &str, advice: &str) -> Result<(), StoreError> {
        diesel::update(journal::table.find((job, seq)))
            .set((
                journal::state.eq("refused"),
                journal::error.eq(error),
                journal::advice.eq(advice),
                journal::at.eq(diesel::dsl::now),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Notes that a change is done: journal, pair, base and ledger in one transaction.
    pub async fn done(&self, applied: &Applied<'_>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                for (hash, body) in [&applied.left_base, &applied.right_base] {
                    diesel::insert_into(snapshots::table)
                        .values((snapshots::hash.eq(hash.as_slice()), snapshots::body.eq(body)))
                        .on_conflict_do_nothing()
                        .execute(connection)
                        .await?;
                }
                diesel::insert_into(pairs::table)
                    .values((
                        pairs::route_id.eq(applied.route),
                        pairs::lane.eq(applied.lane),
                        pairs::left_id.eq(applied.left_id),
                        pairs::right_id.eq(applied.right_id),
                        pairs::left_base.eq(applied.left_base.0.as_slice()),
                        pairs::right_base.eq(applied.right_base.0.as_slice()),
                    ))
                    .on_conflict((pairs::route_id, pairs::lane, pairs::left_id))
                    .do_update()
                    .set((
                        pairs::right_id.eq(excluded(pairs::right_id)),
                        pairs::left_base.eq(excluded(pairs::left_base)),
                        pairs::right_base.eq(excluded(pairs::right_base)),
                        pairs::updated_at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                diesel::update(journal::table.find((applied.job, applied.seq)))
                    .set((
                        journal::state.eq("done"),
                        journal::right_id.eq(applied.right_id),
                        journal::error.eq(None::<String>),
                        journal::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                // Places below 0 are those of what was noted on the way.
                let of_change = ledger::job_id.eq(applied.job).and(ledger::seq.eq(applied.seq));
                diesel::delete(ledger::table.filter(of_change.and(ledger::n.ge(0)))).execute(connection).await?;
                let rows: Vec<_> = applied
                    .losses
                    .iter()
                    .zip(0..)
                    .map(|((body, foreseen), n)| {
                        (
                            ledger::job_id.eq(applied.job),
                            ledger::seq.eq(applied.seq),
                            ledger::n.eq(n),
                            ledger::left_key.eq(applied.left_key),
                            ledger::right_key.eq(applied.right_key),
                            ledger::foreseen.eq(foreseen),
                            ledger::body.eq(body),
                        )
                    })
                    .collect();
                diesel::insert_into(ledger::table).values(rows).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// Notes what was found on the way, at once, since it is not met again when a transfer that was cut goes on.
    /// Noting the same twice is noting it once.
    pub async fn noted(&self, job: Uuid, seq: i32, keys: (&str, &str), loss: &Value) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let of_change = ledger::job_id.eq(job).and(ledger::seq.eq(seq));
                let noted = ledger::table.filter(of_change.and(ledger::n.lt(0)));
                let there: Vec<Value> = noted.select(ledger::body).load(connection).await?;
                if there.contains(loss) {
                    return Ok(());
                }
                diesel::insert_into(ledger::table)
                    .values((
                        ledger::job_id.eq(job),
                        ledger::seq.eq(seq),
                        ledger::n.eq(-1 - there.len() as i32),
                        ledger::left_key.eq(keys.0),
                        ledger::right_key.eq(keys.1),
                        ledger::foreseen.eq(false),
                        ledger::body.eq(loss),
                    ))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    pub async fn transfer_counts(&self, job: Uuid) -> Result<TransferCounts, StoreError> {
        let rows: Vec<(String, i64)> = journal::table
            .filter(journal::job_id.eq(job))
            .group_by(journal::state)
            .select((journal::state, count_star()))
            .load(&mut self.connection().await?)
            .await?;
        let of = |state: &str| rows.iter().find(|(s, _)| s == state).map_or(0, |(_, n)| *n);
        Ok(TransferCounts { done: of("done"), refused: of("refused"), intended: of("intended") + of("made") })
    }

    /// Changes that were refused, with the change itself.
    pub async fn refused(&self, job: Uuid, plan: Uuid) -> Result<Vec<(JournalRow, Value)>, StoreError> {
        let query = journal::table
            .inner_join(changes::table.on(changes::seq.eq(journal::seq).and(changes::plan_id.eq(plan))))
            .filter(journal::job_id.eq(job).and(journal::state.eq("refused")))
            .order(journal::seq)
            .select((JournalRow::as_select(), changes::body));
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// The ledger of a transfer: (left key, right key, foreseen, loss).
    pub async fn ledger(&self, job: Uuid) -> Result<Vec<(String, String, bool, Value)>, StoreError> {
        let query = ledger::table.filter(ledger::job_id.eq(job)).order((ledger::seq, ledger::n)).select((
            ledger::left_key,
            ledger::right_key,
            ledger::foreseen,
            ledger::body,
        ));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}
