//! Jobs with leases. A worker takes a job for a while, and says again and again that it is alive; when
//! it stops saying so, another worker takes the job.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Bool, Nullable, Timestamptz};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::newest::{Of, newest};
use crate::schema::{job_events, jobs, journal};
use crate::word::words;
use crate::{Store, StoreError};

/// A survey, dry run, transfer or proof, with how far it is.
#[derive(Debug, Clone, Queryable, Selectable)]
#[diesel(table_name = jobs)]
pub struct Job {
    /// Its id.
    pub id: Uuid,
    /// What it does.
    pub kind: JobKind,
    /// The route that it is about.
    pub route_id: Option<Uuid>,
    /// The system that it is about.
    pub system_id: Option<Uuid>,
    /// The project that it is about.
    pub container: Option<String>,
    /// The plan that it makes, or carries out.
    pub plan_id: Option<Uuid>,
    /// How far it is.
    pub state: JobState,
    /// What a person wants of it.
    pub wanted: Wanted,
    /// How far it is, as JSON.
    pub progress: Value,
    /// What is asked besides, as JSON.
    pub options: Value,
    /// What it came to, as JSON.
    pub result: Option<Value>,
    /// Why it failed, for people.
    pub error: Option<String>,
    /// When it was asked for.
    pub created_at: DateTime<Utc>,
    /// When a worker began with it.
    pub started_at: Option<DateTime<Utc>>,
    /// When it ended.
    pub finished_at: Option<DateTime<Utc>>,
}

words! {
    /// What a job does.
    JobKind {
        /// Reads what is in a project.
        Survey = "survey",
        /// Plans what a route would do.
        DryRun = "dry_run",
        /// Carries out a plan.
        Transfer = "transfer",
        /// Proves what is there.
        Proof = "proof",
        /// What a later version queued.
        Unknown = "unknown",
    } else Unknown
}

words! {
    /// Where a job is.
    JobState {
        /// For a worker that takes it.
        Waiting = "waiting",
        /// A worker has it.
        Running = "running",
        /// Until somebody wants it to go on.
        Paused = "paused",
        /// Ended as it should.
        Done = "done",
        /// Ended by something that went wrong.
        Failed = "failed",
        /// Ended because somebody wanted that.
        Stopped = "stopped",
    }
}

words! {
    /// What a person wants of a running job.
    Wanted {
        /// That it goes on.
        Run = "run",
        /// That it rests until somebody wants it to go on.
        Pause = "pause",
        /// That it ends.
        Stop = "stop",
    }
}

/// The states of a job that nobody works on any more.
const OVER: [JobState; 3] = [JobState::Done, JobState::Failed, JobState::Stopped];

impl JobState {
    /// Whether the job ended, well or not. A paused job did not.
    pub fn is_over(self) -> bool {
        OVER.contains(&self)
    }
}

/// A job to make.
#[derive(Debug, Clone, Insertable)]
#[diesel(table_name = jobs)]
pub struct NewJob {
    /// Its id.
    pub id: Uuid,
    /// What it does.
    pub kind: JobKind,
    /// The route that it is about.
    pub route_id: Option<Uuid>,
    /// The system that it is about.
    pub system_id: Option<Uuid>,
    /// The project that it is about.
    pub container: Option<String>,
    /// The plan that it makes, or carries out.
    pub plan_id: Option<Uuid>,
    /// What is asked besides; an empty object for nothing.
    pub options: Value,
    /// What it writes, in words that tell one thing from another: of two jobs that write the same, one waits for the other.
    pub writes: Vec<String>,
}

impl NewJob {
    /// A job of which nothing but its kind is said.
    pub fn of(kind: JobKind) -> NewJob {
        NewJob {
            id: Uuid::now_v7(),
            kind,
            route_id: None,
            system_id: None,
            container: None,
            plan_id: None,
            options: serde_json::json!({}),
            writes: Vec::new(),
        }
    }
}

/// Something that a job told.
#[derive(Debug, Clone, Queryable)]
pub struct JobEvent {
    /// Its number; later ones are greater.
    pub seq: i64,
    /// When that was.
    pub at: DateTime<Utc>,
    /// What it told, as JSON.
    pub body: Value,
}

/// A worker that holds a job. Whatever it writes to the journal is written only while its lease is its own, by the
/// database's clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Holder {
    /// The job.
    pub job: Uuid,
    /// The worker that holds it.
    pub worker: Uuid,
}

/// Until when a lease goes, counted by the database.
fn lease_end(seconds: f64) -> diesel::expression::SqlLiteral<Nullable<Timestamptz>> {
    // A number of seconds is not text from anywhere else.
    diesel::dsl::sql(&format!("now() + interval '{} milliseconds'", (seconds * 1000.0).round() as i64))
}

/// Refuses to go on for a worker that no longer holds its job. The row stays locked until the transaction ends, so that
/// the job can't go to another in between. The lock is the weakest there is: it holds off [`Store::lease`] and nothing
/// else, so that a worker with many writes in hand can still say that it is alive.
pub(crate) async fn fence(connection: &mut AsyncPgConnection, holder: Holder) -> Result<(), StoreError> {
    let lives = jobs::lease_until.gt(diesel::dsl::now.into_sql::<Timestamptz>().nullable());
    let mine = jobs::lease_owner.eq(holder.worker).and(jobs::state.eq(JobState::Running)).and(lives);
    let held: Option<Uuid> = jobs::table
        .find(holder.job)
        .filter(mine)
        .select(jobs::id)
        .for_key_share()
        .first(connection)
        .await
        .optional()?;
    held.map(|_| ()).ok_or(StoreError::LeaseLost)
}

/// Workers that went silent over one job in a row, each soon after it took it.
const MOST_TAKEOVERS: i32 = 20;

/// The lock under which a job is taken, among all locks of Hovrel's database.
const TAKING: i64 = 0x4861_7672_656c_0001;

/// Whether no other job that somebody works on writes something that this one writes too.
const NO_OTHER_WRITES: &str = "not exists (select from jobs other where other.id <> jobs.id and other.state = 'running' \
     and other.lease_until >= now() and other.writes && jobs.writes)";

enum Taken {
    None,
    Job(Box<Job>),
    /// A job that nobody here takes.
    Failed,
}

async fn take(connection: &mut AsyncPgConnection, worker: Uuid, seconds: f64) -> Result<Taken, StoreError> {
    let silent = jobs::lease_until.lt(diesel::dsl::now.into_sql::<Timestamptz>().nullable());
    let free = jobs::state.eq(JobState::Waiting).or(jobs::state.eq(JobState::Running).and(silent));
    // Two workers that look at the same moment would not see what the other takes.
    diesel::sql_query("select pg_advisory_xact_lock($1)").bind::<BigInt, _>(TAKING).execute(connection).await?;
    let no_other = diesel::dsl::sql::<Bool>(NO_OTHER_WRITES);
    let soon = diesel::dsl::sql::<Bool>("coalesce(taken_at > now() - interval '5 minutes', false)");
    let found: Option<(Uuid, JobKind, String, JobState, i32, bool)> = jobs::table
        .filter(free.and(no_other))
        .order(jobs::created_at)
        .select((jobs::id, jobs::kind, jobs::kind, jobs::state, jobs::takeovers, soon))
        .for_update()
        .skip_locked()
        .first(connection)
        .await
        .optional()?;
    let Some((id, kind, word, state, before, soon)) = found else { return Ok(Taken::None) };
    let takeovers = match state {
        JobState::Running if soon => before + 1,
        JobState::Running => 1,
        _ => 0,
    };
    let hopeless = match kind {
        JobKind::Unknown => {
            Some(format!("this version of Hovrel has no jobs of the kind “{word}”; a newer one may have queued it"))
        }
        _ => (takeovers > MOST_TAKEOVERS)
            .then(|| format!("{MOST_TAKEOVERS} workers went silent over it, one after the other. Check Hovrel's log.")),
    };
    if let Some(error) = hopeless {
        let ended = (
            jobs::state.eq(JobState::Failed),
            jobs::error.eq(&error),
            jobs::finished_at.eq(Utc::now()),
            jobs::lease_until.eq(None::<DateTime<Utc>>),
        );
        diesel::update(jobs::table.find(id)).set(ended).execute(connection).await?;
        event(connection, id, &serde_json::json!({"state": JobState::Failed, "error": error})).await?;
        return Ok(Taken::Failed);
    }
    let job = diesel::update(jobs::table.find(id))
        .set((
            jobs::state.eq(JobState::Running),
            jobs::lease_owner.eq(worker),
            jobs::lease_until.eq(lease_end(seconds)),
            jobs::started_at.eq(diesel::dsl::sql::<Nullable<Timestamptz>>("coalesce(started_at, now())")),
            jobs::takeovers.eq(takeovers),
            jobs::taken_at.eq(diesel::dsl::now),
        ))
        .returning(Job::as_returning())
        .get_result(connection)
        .await?;
    Ok(Taken::Job(Box::new(job)))
}

impl Store {
    /// Queues a job. [`StoreError::Exists`] if the route already has a transfer that is not over.
    pub async fn queue(&self, new: &NewJob) -> Result<(), StoreError> {
        diesel::insert_into(jobs::table).values(new).execute(&mut self.connection().await?).await?;
        Ok(())
    }

    /// Takes the oldest job that waits or whose worker went silent. Locked rows are passed over, so
    /// workers never wait for each other. A job whose workers went silent again and
    /// again has failed, and so has one of a kind that this version does not know.
    pub async fn lease(&self, worker: Uuid, seconds: f64) -> Result<Option<Job>, StoreError> {
        let mut connection = self.connection().await?;
        loop {
            match connection.transaction(async |c| take(c, worker, seconds).await).await? {
                Taken::None => return Ok(None),
                Taken::Job(job) => return Ok(Some(*job)),
                Taken::Failed => {}
            }
        }
    }

    /// Says that the worker is alive; what is wanted of the job, or none if the job is no longer its. A lease that has
    /// expired is not taken up again, though no other worker may have it yet. On a connection that nothing else uses.
    pub async fn heartbeat(&self, holder: Holder, seconds: f64) -> Result<Option<Wanted>, StoreError> {
        let lives = jobs::lease_until.gt(diesel::dsl::now.into_sql::<Timestamptz>().nullable());
        let mine = jobs::lease_owner.eq(holder.worker).and(jobs::state.eq(JobState::Running)).and(lives);
        let wanted = diesel::update(jobs::table.find(holder.job).filter(mine))
            .set(jobs::lease_until.eq(lease_end(seconds)))
            .returning(jobs::wanted)
            .get_result(&mut self.vital_connection().await?)
            .await
            .optional()?;
        Ok(wanted)
    }

    /// Keeps progress and tells it as an event, together.
    pub async fn progress(&self, holder: Holder, progress: &Value) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let job = holder.job;
        connection
            .transaction(async |connection| {
                fence(connection, holder).await?;
                diesel::update(jobs::table.find(job)).set(jobs::progress.eq(progress)).execute(connection).await?;
                event(connection, job, &serde_json::json!({"progress": progress})).await
            })
            .await
    }

    /// Ends a job of this worker, or lets it rest as paused.
    pub async fn end_job(
        &self,
        Holder { job, worker }: Holder,
        state: JobState,
        result: Option<&Value>,
        error: Option<&str>,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let finished = (state != JobState::Paused).then(Utc::now);
                let mine = jobs::lease_owner.eq(worker).and(jobs::state.eq(JobState::Running));
                let ended = diesel::update(jobs::table.find(job).filter(mine))
                    .set((
                        jobs::state.eq(state),
                        jobs::result.eq(result),
                        jobs::error.eq(error),
                        jobs::finished_at.eq(finished),
                        jobs::lease_until.eq(None::<DateTime<Utc>>),
                    ))
                    .execute(connection)
                    .await?;
                if ended == 1 {
                    event(connection, job, &serde_json::json!({"state": state, "error": error})).await?;
                }
                Ok(())
            })
            .await
    }

    /// Tells a job what is wanted. A paused job that is to run waits for a worker again; one that no
    /// worker holds stops at once.
    pub async fn want(&self, job: Uuid, wanted: Wanted) -> Result<Job, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let current: Job = jobs::table
                    .find(job)
                    .select(Job::as_select())
                    .for_no_key_update()
                    .first(connection)
                    .await
                    .optional()?
                    .ok_or(StoreError::Missing("the job"))?;
                let state = match (current.state, wanted) {
                    (JobState::Paused, Wanted::Run) => JobState::Waiting,
                    (JobState::Paused | JobState::Waiting, Wanted::Stop) => JobState::Stopped,
                    (JobState::Waiting, Wanted::Pause) => JobState::Paused,
                    (same, _) => same,
                };
                let finished = if state == JobState::Stopped { Some(Utc::now()) } else { current.finished_at };
                let job = diesel::update(jobs::table.find(job))
                    .set((jobs::wanted.eq(wanted), jobs::state.eq(state), jobs::finished_at.eq(finished)))
                    .returning(Job::as_returning())
                    .get_result(connection)
                    .await?;
                event(connection, job.id, &serde_json::json!({"state": state, "wanted": wanted})).await?;
                Ok(job)
            })
            .await
    }

    /// Opens a transfer that ended with refused changes again: what was refused is looked at anew, what
    /// was done stays done. Returns how many changes are tried again.
    pub async fn retry_refused(&self, job: Uuid) -> Result<usize, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let refused = journal::table.filter(journal::job_id.eq(job).and(journal::state.eq("refused")));
                let again = diesel::update(refused).set(journal::state.eq("intended")).execute(connection).await?;
                diesel::update(jobs::table.find(job).filter(jobs::state.eq_any(OVER)))
                    .set((
                        jobs::state.eq(JobState::Waiting),
                        jobs::wanted.eq(Wanted::Run),
                        jobs::error.eq(None::<String>),
                        jobs::finished_at.eq(None::<DateTime<Utc>>),
                    ))
                    .execute(connection)
                    .await?;
                event(connection, job, &serde_json::json!({"state": JobState::Waiting})).await?;
                Ok(again)
            })
            .await
    }

    /// The transfers of plans; a plan that was not carried out has none.
    pub async fn transfers_of_plans(&self, plans: &[Uuid]) -> Result<Vec<Job>, StoreError> {
        let mut connection = self.connection().await?;
        let ids = newest(&mut connection, Of::Transfers, plans).await?;
        Ok(jobs::table.filter(jobs::id.eq_any(ids)).select(Job::as_select()).load(&mut connection).await?)
    }

    /// A job by its id.
    pub async fn job(&self, id: Uuid) -> Result<Job, StoreError> {
        let found = jobs::table.find(id).select(Job::as_select()).first(&mut self.connection().await?).await;
        found.optional()?.ok_or(StoreError::Missing("the job"))
    }

    /// The route of the job that one waits for, since both write the same; none if it waits for no other.
    pub async fn waits_for(&self, job: &Job) -> Result<Option<Uuid>, StoreError> {
        if job.state != JobState::Waiting {
            return Ok(None);
        }
        let connection = &mut self.connection().await?;
        let writes: Vec<String> = jobs::table.find(job.id).select(jobs::writes).first(connection).await?;
        let other = jobs::state.eq(JobState::Running).and(jobs::writes.overlaps_with(writes));
        let found: Option<Option<Uuid>> = jobs::table
            .filter(other)
            .order(jobs::created_at)
            .select(jobs::route_id)
            .first(connection)
            .await
            .optional()?;
        Ok(found.flatten())
    }

    /// The newest job of a kind of a route.
    pub async fn latest_job(&self, route: Uuid, kind: JobKind) -> Result<Option<Job>, StoreError> {
        let query = jobs::table
            .filter(jobs::route_id.eq(route).and(jobs::kind.eq(kind)))
            .order(jobs::created_at.desc())
            .select(Job::as_select());
        Ok(query.first(&mut self.connection().await?).await.optional()?)
    }

    /// The newest job of each kind of each of some routes.
    pub async fn latest_jobs(&self, routes: &[Uuid]) -> Result<Vec<Job>, StoreError> {
        let mut connection = self.connection().await?;
        let ids = newest(&mut connection, Of::Jobs, routes).await?;
        Ok(jobs::table.filter(jobs::id.eq_any(ids)).select(Job::as_select()).load(&mut connection).await?)
    }

    /// The newest jobs; for the overview.
    pub async fn recent_jobs(&self, limit: i64) -> Result<Vec<Job>, StoreError> {
        let query = jobs::table.order(jobs::created_at.desc()).limit(limit).select(Job::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Jobs of a system that are not over.
    pub async fn open_jobs_of_system(&self, system: Uuid) -> Result<Vec<Job>, StoreError> {
        let open = jobs::state.eq_any([JobState::Waiting, JobState::Running]);
        let query =
            jobs::table.filter(jobs::system_id.eq(system).and(open)).order(jobs::created_at).select(Job::as_select());
        Ok(query.load(&mut self.connection().await?).await?)
    }

    /// Events after a place, in order.
    pub async fn events(&self, job: Uuid, after: i64, limit: i64) -> Result<Vec<JobEvent>, StoreError> {
        let query = job_events::table
            .filter(job_events::job_id.eq(job).and(job_events::seq.gt(after)))
            .order(job_events::seq)
            .limit(limit)
            .select((job_events::seq, job_events::at, job_events::body));
        Ok(query.load(&mut self.connection().await?).await?)
    }
}

pub(crate) async fn event(connection: &mut AsyncPgConnection, job: Uuid, body: &Value) -> Result<(), StoreError> {
    diesel::insert_into(job_events::table)
        .values((job_events::job_id.eq(job), job_events::body.eq(body)))
        .execute(connection)
        .await?;
    Ok(())
}
