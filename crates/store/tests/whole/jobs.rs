//! Leases, what a person wants, and one transfer per route.

use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl, SimpleAsyncConnection};
use hovrel_store::{Holder, Job, JobKind, JobState, NewJob, Store, StoreError, Wanted};
use hovrel_testkit::Database;
use serde_json::json;
use uuid::Uuid;

use crate::{with_a_route, with_a_route_in};

async fn queue(store: &Store, route: Uuid, kind: JobKind) -> Result<Uuid, StoreError> {
    let new = NewJob { route_id: Some(route), ..NewJob::of(kind) };
    store.queue(&new).await.map(|()| new.id)
}

async fn lease(store: &Store, worker: Uuid, seconds: f64) -> Option<Job> {
    store.lease(worker, seconds).await.expect("the store answers")
}

#[tokio::test]
async fn a_job_of_a_route_that_is_gone_is_not_told_as_something_in_use() {
    let (store, _) = with_a_route().await;
    let refused = queue(&store, Uuid::now_v7(), JobKind::DryRun).await.expect_err("there is no such route");
    assert!(matches!(refused, StoreError::Missing(_)), "{refused}");
    assert_eq!(refused.to_string(), "what it belongs to is not there");
}

#[tokio::test]
async fn a_job_is_taken_by_one_worker_until_that_goes_silent() {
    let (store, route) = with_a_route().await;
    let job = queue(&store, route, JobKind::DryRun).await.expect("queued");
    let (first, second) = (Uuid::now_v7(), Uuid::now_v7());
    let (one, other) = (Holder { job, worker: first }, Holder { job, worker: second });
    assert_eq!(lease(&store, first, 30.0).await.map(|j| j.id), Some(job));
    assert!(lease(&store, second, 30.0).await.is_none(), "it is taken");
    assert_eq!(store.heartbeat(one, 30.0).await.expect("alive"), Some(Wanted::Run));
    assert_eq!(store.heartbeat(other, 30.0).await.expect("asked"), None, "it is not the second one's");
    // The first says that it needs no longer, and goes silent.
    store.heartbeat(one, -1.0).await.expect("alive");
    // A lease that ran out is not taken up again, though nobody else has it yet.
    assert_eq!(store.heartbeat(one, 30.0).await.expect("asked"), None);
    assert!(matches!(store.progress(one, &json!({})).await, Err(StoreError::LeaseLost)));
    assert_eq!(lease(&store, second, 30.0).await.map(|j| j.id), Some(job));
    assert_eq!(store.heartbeat(one, 30.0).await.expect("asked"), None, "the lease was lost");
    // Who lost the lease can't end the job.
    store.end_job(one, JobState::Failed, None, Some("late")).await.expect("nothing happens");
    assert_eq!(store.job(job).await.expect("it is there").state, JobState::Running);
    store.end_job(other, JobState::Done, Some(&json!({"plan": 1})), None).await.expect("it ends");
    let ended = store.job(job).await.expect("it is there");
    assert_eq!(
        (ended.state, ended.result, ended.finished_at.is_some()),
        (JobState::Done, Some(json!({"plan": 1})), true)
    );
    assert!(lease(&store, first, 30.0).await.is_none(), "nothing is left to do");
}

/// While a write of a worker is on its way, the worker can say that it is alive (one that could not would lose its job
/// for being busy), a person can tell it to stop, and nobody else gets its job, though its lease ended meanwhile.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_write_on_its_way_holds_off_other_workers_and_nothing_else() {
    let database = Database::fresh().await;
    let (store, route) = with_a_route_in(&database).await;
    let job = queue(&store, route, JobKind::DryRun).await.expect("queued");
    let holder = Holder { job, worker: Uuid::now_v7() };
    lease(&store, holder.worker, 30.0).await.expect("the job");
    store.intend(holder, &[0]).await.expect("it holds the job");
    // The next write waits in the middle of its transaction, for a row that is locked.
    let mut locking = AsyncPgConnection::establish(&database.url).await.expect("a connection");
    locking.batch_execute("begin; lock table journal in exclusive mode").await.expect("it is locked");
    let writing = tokio::spawn({
        let store = store.clone();
        async move { store.intend(holder, &[0]).await }
    });
    let waits =
        "select count(*) as n from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()";
    while diesel::sql_query(waits).get_result::<Counted>(&mut locking).await.expect("a count").n == 0 {
        tokio::time::sleep(std::time::Duration::from_millis(5)).await;
    }
    let told = async {
        assert_eq!(store.heartbeat(holder, 30.0).await.expect("alive"), Some(Wanted::Run));
        store.want(job, Wanted::Stop).await.expect("told");
        assert_eq!(store.heartbeat(holder, -1.0).await.expect("alive"), Some(Wanted::Stop));
    };
    // What is held off would wait for ever.
    tokio::time::timeout(std::time::Duration::from_secs(20), told).await.expect("nothing holds these off");
    assert!(lease(&store, Uuid::now_v7(), 30.0).await.is_none(), "something of the first is still on its way");
    assert!(!writing.is_finished(), "it waits still");
    locking.batch_execute("commit").await.expect("it is free");
    writing.await.expect("no panic").expect("it was written under its own lease");
    assert_eq!(lease(&store, Uuid::now_v7(), 30.0).await.map(|j| j.id), Some(job));
}

#[derive(diesel::QueryableByName)]
struct Counted {
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    n: i64,
}

#[tokio::test]
async fn many_workers_never_share_a_job() {
    let (store, route) = with_a_route().await;
    let mut queued = Vec::new();
    for _ in 0..12 {
        queued.push(queue(&store, route, JobKind::Proof).await.expect("queued"));
    }
    let workers = (0..12).map(|_| {
        let store = store.clone();
        async move { lease(&store, Uuid::now_v7(), 30.0).await.map(|j| j.id) }
    });
    // A worker may find the oldest job locked by another and pass it over; asking again settles it.
    let mut taken: Vec<Uuid> = futures::future::join_all(workers).await.into_iter().flatten().collect();
    while let Some(job) = lease(&store, Uuid::now_v7(), 30.0).await {
        taken.push(job.id);
    }
    taken.sort();
    queued.sort();
    assert_eq!(taken, queued);
}

#[tokio::test]
async fn a_route_has_one_transfer_that_is_not_over() {
    let (store, route) = with_a_route().await;
    let first = queue(&store, route, JobKind::Transfer).await.expect("queued");
    let refused = queue(&store, route, JobKind::Transfer).await.expect_err("there is one already");
    assert!(matches!(refused, StoreError::Exists(ref what) if what == "one_transfer_per_route"), "{refused:?}");
    queue(&store, route, JobKind::DryRun).await.expect("other jobs are free to run");
    assert_eq!(
        store.want(first, Wanted::Stop).await.expect("told").state,
        JobState::Stopped,
        "nobody had taken it yet"
    );
    queue(&store, route, JobKind::Transfer).await.expect("the first is over");
}

#[tokio::test]
async fn what_a_person_wants_reaches_the_worker_and_the_events() {
    let (store, route) = with_a_route().await;
    let job = queue(&store, route, JobKind::Transfer).await.expect("queued");
    let worker = Uuid::now_v7();
    let holder = Holder { job, worker };
    lease(&store, worker, 30.0).await.expect("taken");
    assert_eq!(
        store.want(job, Wanted::Pause).await.expect("told").state,
        JobState::Running,
        "the changes in hand are finished"
    );
    assert_eq!(store.heartbeat(holder, 30.0).await.expect("alive"), Some(Wanted::Pause));
    store.end_job(holder, JobState::Paused, None, None).await.expect("it rests");
    assert!(lease(&store, worker, 30.0).await.is_none(), "a paused job is nobody's");
    assert_eq!(store.want(job, Wanted::Run).await.expect("told").state, JobState::Waiting);
    assert_eq!(lease(&store, worker, 30.0).await.map(|j| j.wanted), Some(Wanted::Run));
    let events = store.events(job, 0, 100).await.expect("events");
    let states: Vec<_> = events.iter().filter_map(|e| e.body["state"].as_str()).collect();
    assert_eq!(states, ["running", "paused", "waiting"]);
    // A client that saw the first goes on after it.
    let rest = store.events(job, events[0].seq, 100).await.expect("events");
    assert_eq!(rest.len(), events.len() - 1);
}

/// Of two jobs that write the same, one waits until the other has ended, or rests; and nothing else waits for it.
#[tokio::test]
async fn what_one_job_writes_no_other_writes_at_the_same_time() {
    let (store, route) = with_a_route().await;
    let new = async |writes: &[&str]| {
        let writes = writes.iter().map(|w| (*w).to_owned()).collect();
        let new = NewJob { route_id: Some(route), writes, ..NewJob::of(JobKind::DryRun) };
        store.queue(&new).await.expect("queued");
        new.id
    };
    let (first, second, other) = (new(&["a", "b"]).await, new(&["b", "c"]).await, new(&["c"]).await);
    let worker = Uuid::now_v7();
    assert_eq!(lease(&store, worker, 30.0).await.map(|j| j.id), Some(first));
    assert_eq!(lease(&store, worker, 30.0).await.map(|j| j.id), Some(other), "the second one waits");
    assert!(lease(&store, worker, 30.0).await.is_none());
    let waiting = store.job(second).await.expect("it is there");
    assert_eq!(store.waits_for(&waiting).await.expect("known"), Some(route));
    let end = async |job| store.end_job(Holder { job, worker }, JobState::Done, None, None).await.expect("it ends");
    end(first).await;
    assert!(lease(&store, worker, 30.0).await.is_none(), "the other one writes what it writes too");
    end(other).await;
    assert_eq!(store.waits_for(&waiting).await.expect("known"), None);
    // Whoever went silent holds up nobody but itself: it is taken first, since it is older.
    assert_eq!(lease(&store, worker, 0.0).await.map(|j| j.id), Some(second));
    let third = new(&["b"]).await;
    assert_eq!(lease(&store, worker, 30.0).await.map(|j| j.id), Some(second));
    end(second).await;
    assert_eq!(lease(&store, worker, 30.0).await.map(|j| j.id), Some(third));
}
