//! The journal of a transfer: what is about to be done, and what was done, change by change.
//!
//! `intended` is written before the first call, `made` once the item is there and more is to come, `done`
//! when nothing is; both in one transaction with the pair, its base and the ledger. A change that is `intended` when a
//! worker begins may have been done: the engine looks first. Everything is written only by whoever holds the lease of
//! the job. See docs/journal.md.

use std::collections::BTreeMap;

use chrono::{DateTime, Utc};
use diesel::dsl::count_star;
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use hovrel_core::model::{End, Ends, Fingerprint};
use serde_json::Value;
use uuid::Uuid;

use crate::conflicts;
use crate::end::EndColumn;
use crate::jobs::{Holder, fence};
use crate::losses::{self, NewLoss};
use crate::pieces::{self, Both, LetBe, NewPiece};
use crate::record::{self, NewLine};
use crate::schema::{changes, jobs, journal, journal_items, marks, pairs, snapshots};
use crate::{Store, StoreError};

/// How far a transfer came with a change.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = journal)]
pub struct JournalRow {
    /// Its place in the plan.
    pub seq: i32,
    /// How far it came, by its code.
    pub state: String,
    /// How often it was tried.
    pub attempts: i32,
    /// Why it failed, for people.
    pub error: Option<String>,
    /// What to do about it, for people.
    pub advice: Option<String>,
    /// When that was.
    pub at: DateTime<Utc>,
}

/// An item that a change wrote.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = journal_items)]
pub struct JournalItem {
    /// Its place in the plan.
    pub seq: i32,
    /// The end that is written.
    #[diesel(deserialize_as = EndColumn)]
    pub written_end: End,
    /// Id of the item at that end.
    pub item_id: String,
    /// After the write, where the system tells versions.
    pub version: Option<String>,
}

/// How far a change came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stage {
    /// The item is there, and more is to come.
    Made,
    /// All of it is done.
    Done,
}

/// Everything that is written when a change is done, or as far as it came.
pub struct Applied<'a> {
    /// The route.
    pub route: Uuid,
    /// Its place in the plan.
    pub seq: i32,
    /// How far it came.
    pub stage: Stage,
    /// The lane, by its id.
    pub lane: &'a str,
    /// Both items, for what is remembered of their comments.
    pub of: Both<'a>,
    /// What people call the item at the left.
    pub left_key: &'a str,
    /// What people call the item at the right.
    pub right_key: &'a str,
    /// Under which both were in step, where systems tell versions.
    pub versions: Ends<Option<&'a str>>,
    /// The ends that were written.
    pub wrote: &'a [End],
    /// What the left end told, with its fingerprint.
    pub left_base: (Fingerprint, Value),
    /// What the right end told, with its fingerprint.
    pub right_base: (Fingerprint, Value),
    /// How each rule came to be in step, with the fingerprint of that.
    pub agreed: (Fingerprint, Value),
    /// Fields whose losses are told anew.
    pub fields: Vec<String>,
    /// Losses of these fields.
    pub losses: Vec<NewLoss>,
    /// Comments and past changes that were found at both ends.
    pub found: Vec<NewPiece>,
    /// Comments and past changes that one end has no more, and that a person lets be.
    pub let_be: Vec<LetBe>,
    /// The end at which a mark of origin was made, if one was.
    pub made_mark: Option<End>,
    /// Rules whose conflicts are carried by that, with what was chosen.
    pub settled: Vec<(String, Value)>,
    /// What the record says of that.
    pub lines: Vec<NewLine>,
}

impl Applied<'_> {
    /// The values that are kept by their hashes: what both ends told, and what lines of the record name.
    fn values(&self) -> impl Iterator<Item = &(Fingerprint, Value)> {
        let bases = [&self.left_base, &self.right_base, &self.agreed];
        bases.into_iter().chain(self.lines.iter().flat_map(NewLine::values))
    }
}

/// How far a transfer is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TransferCounts {
    /// Changes that are done.
    pub done: i64,
    /// Changes that were refused.
    pub refused: i64,
    /// Changes that are on their way.
    pub intended: i64,
}

/// Keeps values under their hashes; one that is there already is kept once. Two who keep the same values at once take them in
/// one order, so that neither waits for what the other holds.
async fn keep_snapshots(
    connection: &mut AsyncPgConnection,
    values: impl Iterator<Item = &(Fingerprint, Value)>,
) -> Result<(), StoreError> {
    let by_hash: BTreeMap<&[u8], &Value> = values.map(|(hash, body)| (hash.as_bytes().as_slice(), body)).collect();
    let row = |(hash, body)| (snapshots::hash.eq(hash), snapshots::body.eq(body));
    diesel::insert_into(snapshots::table)
        .values(by_hash.into_iter().map(row).collect::<Vec<_>>())
        .on_conflict_do_nothing()
        .execute(connection)
        .await?;
    Ok(())
}

/// The pair of a left item in a lane of a route.
pub type PairKey<'a> = (Uuid, &'a str, &'a str);

#[diesel::dsl::auto_type(no_type_alias)]
fn is_pair<'a>((route, lane, left_id): (Uuid, &'a str, &'a str)) -> _ {
    pairs::route_id.eq(route).and(pairs::lane.eq(lane)).and(pairs::left_id.eq(left_id))
}

impl Store {
    /// How far each change of a transfer came, in the order of the plan; none of those that were not begun.
    pub async fn journal(&self, job: Uuid) -> Result<Vec<JournalRow>, StoreError> {
        let query = journal::table.filter(journal::job_id.eq(job)).order(journal::seq).select(JournalRow::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// What the changes of a transfer wrote.
    pub async fn journal_items(&self, job: Uuid) -> Result<Vec<JournalItem>, StoreError> {
        let query = journal_items::table
            .filter(journal_items::job_id.eq(job))
            .order((journal_items::seq, journal_items::written_end))
            .select(JournalItem::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Notes that changes are about to be applied.
    pub async fn intend(&self, holder: Holder, seqs: &[i32]) -> Result<(), StoreError> {
        let row = |seq: &i32| {
            (
                journal::job_id.eq(holder.job),
                journal::seq.eq(*seq),
                journal::state.eq("intended"),
                journal::attempts.eq(1),
            )
        };
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
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
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// Notes that a change was not applied, and why.
    pub async fn refuse(&self, holder: Holder, seq: i32, error: &str, advice: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::update(journal::table.find((holder.job, seq)))
                    .set((
                        journal::state.eq("refused"),
                        journal::error.eq(error),
                        journal::advice.eq(advice),
                        journal::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                conflicts::refused(connection, holder, seq, error).await?;
                Ok(())
            })
            .await
    }

    /// Notes that a pair is let go: it is not carried any more, and not told again.
    pub async fn let_go(&self, holder: Holder, seq: i32, pair: PairKey<'_>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::update(pairs::table.filter(is_pair(pair)))
                    .set((pairs::let_go.eq(true), pairs::updated_at.eq(diesel::dsl::now)))
                    .execute(connection)
                    .await?;
                diesel::update(journal::table.find((holder.job, seq)))
                    .set((journal::state.eq("done"), journal::at.eq(diesel::dsl::now)))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// Notes anew how the fields of a pair came to be in step.
    pub async fn agreed(
        &self,
        holder: Holder,
        pair: PairKey<'_>,
        agreed: &(Fingerprint, Value),
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                keep_snapshots(connection, std::iter::once(agreed)).await?;
                diesel::update(pairs::table.filter(is_pair(pair)))
                    .set((pairs::agreed.eq(agreed.0.as_bytes().as_slice()), pairs::updated_at.eq(diesel::dsl::now)))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// Notes how far a change came: journal, pair, base, ledger and what is remembered of its pieces, in one
    /// transaction.
    pub async fn applied(&self, holder: Holder, applied: &Applied<'_>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let of = applied.of;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                keep_snapshots(connection, applied.values()).await?;
                diesel::insert_into(pairs::table)
                    .values((
                        pairs::route_id.eq(applied.route),
                        pairs::lane.eq(applied.lane),
                        pairs::left_id.eq(of.left_id),
                        pairs::right_id.eq(of.right_id),
                        pairs::left_key.eq(applied.left_key),
                        pairs::right_key.eq(applied.right_key),
                        pairs::left_base.eq(applied.left_base.0.as_bytes().as_slice()),
                        pairs::right_base.eq(applied.right_base.0.as_bytes().as_slice()),
                        pairs::agreed.eq(applied.agreed.0.as_bytes().as_slice()),
                        pairs::left_version.eq(applied.versions.left),
                        pairs::right_version.eq(applied.versions.right),
                    ))
                    .on_conflict((pairs::route_id, pairs::lane, pairs::left_id))
                    .do_update()
                    .set((
                        pairs::right_id.eq(excluded(pairs::right_id)),
                        pairs::left_key.eq(excluded(pairs::left_key)),
                        pairs::right_key.eq(excluded(pairs::right_key)),
                        pairs::left_base.eq(excluded(pairs::left_base)),
                        pairs::right_base.eq(excluded(pairs::right_base)),
                        pairs::agreed.eq(excluded(pairs::agreed)),
                        pairs::left_version.eq(excluded(pairs::left_version)),
                        pairs::right_version.eq(excluded(pairs::right_version)),
                        pairs::let_go.eq(false),
                        pairs::updated_at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                let state = match applied.stage {
                    Stage::Made => "made",
                    Stage::Done => "done",
                };
                diesel::update(journal::table.find((holder.job, applied.seq)))
                    .set((
                        journal::state.eq(state),
                        journal::error.eq(None::<String>),
                        journal::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                let ids = Ends { left: of.left_id, right: of.right_id };
                let wrote = applied.wrote.iter().map(|end| {
                    (
                        journal_items::job_id.eq(holder.job),
                        journal_items::seq.eq(applied.seq),
                        journal_items::written_end.eq(end.id()),
                        journal_items::item_id.eq(ids[*end]),
                        journal_items::version.eq(applied.versions[*end]),
                    )
                });
                diesel::insert_into(journal_items::table)
                    .values(wrote.collect::<Vec<_>>())
                    .on_conflict((journal_items::job_id, journal_items::seq, journal_items::written_end))
                    .do_update()
                    .set((
                        journal_items::item_id.eq(excluded(journal_items::item_id)),
                        journal_items::version.eq(excluded(journal_items::version)),
                    ))
                    .execute(connection)
                    .await?;
                if let Some(end) = applied.made_mark {
                    let mine = marks::job_id.eq(holder.job).and(marks::seq.eq(applied.seq));
                    diesel::update(marks::table.filter(mine))
                        .set(marks::item_id.eq(ids[end]))
                        .execute(connection)
                        .await?;
                }
                let item = losses::OfItem {
                    route: applied.route,
                    lane: applied.lane,
                    left_id: of.left_id,
                    left_key: applied.left_key,
                    right_key: applied.right_key,
                    job: holder.job,
                };
                losses::replace(connection, &item, &applied.fields, &applied.losses).await?;
                let pair = (applied.route, applied.lane, of.left_id);
                conflicts::carried(connection, pair, &applied.settled).await?;
                let pair = record::OfPair {
                    route: applied.route,
                    lane: applied.lane,
                    seq: applied.seq,
                    kind: of.left_kind,
                    ids,
                    keys: Ends { left: applied.left_key, right: applied.right_key },
                };
                record::written(connection, holder, &pair, &applied.lines).await?;
                if applied.stage == Stage::Done {
                    record::called(connection, holder, &pair).await?;
                }
                pieces::remember(connection, of, &applied.found, &applied.let_be).await
            })
            .await
    }

    /// How many changes a transfer carried out; moves of a base are none.
    pub async fn transfer_counts(&self, job: Uuid) -> Result<TransferCounts, StoreError> {
        let of_plan = jobs::plan_id.eq(changes::plan_id.nullable()).and(changes::seq.eq(journal::seq));
        let rows: Vec<(String, i64)> = journal::table
            .inner_join(jobs::table.on(jobs::id.eq(journal::job_id)))
            .inner_join(changes::table.on(of_plan))
            .filter(journal::job_id.eq(job).and(changes::outcome.ne("in_step")))
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
}
