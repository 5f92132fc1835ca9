//! Marks of origin that are made, or about to be: one is made once at one place, whichever route asks.

use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use uuid::Uuid;

use crate::jobs::{Holder, JobState, fence};
use crate::schema::{jobs, marks};
use crate::{Store, StoreError};

/// Where a mark is made.
#[derive(Debug, Clone, Copy)]
pub struct MarkAt<'a> {
    /// The system.
    pub system: Uuid,
    /// The project, by its id at the system.
    pub container: &'a str,
    /// The kind there, by its id.
    pub kind: &'a str,
}

/// What a claim on a mark came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Claim {
    /// Nobody made it before.
    Ours,
    /// This change claimed it before: it may have been made.
    OursBefore,
    /// Another change made it.
    MadeBy {
        /// The job of that change.
        job: Uuid,
        /// The id of what it made.
        item_id: String,
    },
    /// Another change is about to make it.
    ToBeMadeBy {
        /// The job of that change.
        job: Uuid,
        /// Whether that job is over.
        over: bool,
    },
}

impl Store {
    /// Claims marks for changes, by their places in the plan; what came of each, in their order.
    pub async fn claim_marks(
        &self,
        holder: Holder,
        at: MarkAt<'_>,
        wanted: &[(i32, &str)],
    ) -> Result<Vec<Claim>, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                let row = |(seq, mark): &(i32, &str)| {
                    (
                        marks::system_id.eq(at.system),
                        marks::container.eq(at.container.to_owned()),
                        marks::kind.eq(at.kind.to_owned()),
                        marks::mark.eq((*mark).to_owned()),
                        marks::job_id.eq(holder.job),
                        marks::seq.eq(*seq),
                    )
                };
                let made: Vec<String> = diesel::insert_into(marks::table)
                    .values(wanted.iter().map(row).collect::<Vec<_>>())
                    .on_conflict_do_nothing()
                    .returning(marks::mark)
                    .get_results(connection)
                    .await?;
                let names: Vec<&str> = wanted.iter().map(|(_, mark)| *mark).collect();
                let here = marks::system_id
                    .eq(at.system)
                    .and(marks::container.eq(at.container))
                    .and(marks::kind.eq(at.kind))
                    .and(marks::mark.eq_any(names));
                let held: Vec<(String, Uuid, i32, Option<String>, JobState)> = marks::table
                    .inner_join(jobs::table.on(jobs::id.eq(marks::job_id)))
                    .filter(here)
                    .select((marks::mark, marks::job_id, marks::seq, marks::item_id, jobs::state))
                    .load(connection)
                    .await?;
                let claim =
                    |(seq, mark): &(i32, &str)| {
                        let found = held.iter().find(|(m, ..)| m == mark);
                        match found {
                            Some((_, job, s, ..)) if *job == holder.job && s == seq => {
                                if made.iter().any(|m| m == mark) { Claim::Ours } else { Claim::OursBefore }
                            }
                            Some((_, job, _, Some(id), _)) => Claim::MadeBy { job: *job, item_id: id.clone() },
                            Some((_, job, _, None, state)) => Claim::ToBeMadeBy { job: *job, over: state.is_over() },
                            // Its job was removed with its route in between.
                            None => Claim::OursBefore,
                        }
                    };
                Ok(wanted.iter().map(claim).collect())
            })
            .await
    }

    /// Takes over a mark that was looked for and is not there.
    pub async fn take_over_mark(&self, holder: Holder, at: MarkAt<'_>, seq: i32, mark: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                let here = marks::table.find((at.system, at.container, at.kind, mark));
                diesel::update(here)
                    .set((
                        marks::job_id.eq(holder.job),
                        marks::seq.eq(seq),
                        marks::item_id.eq(None::<String>),
                        marks::at.eq(diesel::dsl::now),
                    ))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }
}
