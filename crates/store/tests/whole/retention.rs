//! What is cleared when it is old, and what never is.

use chrono::{TimeDelta, Utc};
use hovrel_store::{Cleared, Holder, JobKind, JobState, NewJob, Plan, Store};
use hovrel_testkit::Database;
use serde_json::json;
use uuid::Uuid;

use crate::plans::{plan_with_a_change, with_a_pair};

async fn count(database: &Database, of: &str) -> String {
    database.ask(&format!("select count(*)::text as told from {of}")).await.remove(0)
}

async fn route_of(database: &Database) -> Uuid {
    database.ask("select id::text as told from routes").await[0].parse().expect("an id")
}

/// A job that is over, with one thing that it told.
async fn over(store: &Store, route: Uuid, kind: JobKind) -> Uuid {
    let (job, worker) = (Uuid::now_v7(), Uuid::now_v7());
    let new = NewJob { id: job, route_id: Some(route), ..NewJob::of(kind) };
    store.queue(&new).await.expect("queued");
    assert_eq!(store.lease(worker, 30.0).await.expect("a lease").map(|j| j.id), Some(job));
    let holder = Holder { job, worker };
    store.progress(holder, &json!({"read": 1})).await.expect("told");
    store.end_job(holder, JobState::Done, None, None).await.expect("over");
    job
}

#[tokio::test]
async fn old_plans_events_and_values_go_and_what_a_pair_or_a_proof_needs_stays() {
    let database = Database::fresh().await;
    // A pair, whose plan was carried out.
    with_a_pair(&database).await;
    let store = Store::open(&database.url, 4).await.expect("it opens");
    let route = route_of(&database).await;
    let carried_out = database.ask("select plan_id::text as told from jobs where kind = 'transfer'").await.remove(0);
    database
        .change("update jobs set state = 'done', finished_at = now(), lease_owner = null, lease_until = null")
        .await;
    let mut plans: Vec<Plan> = Vec::new();
    for _ in 0..3 {
        plans.push(plan_with_a_change(&store, route).await);
    }
    let old_job = over(&store, route, JobKind::DryRun).await;
    let new_job = over(&store, route, JobKind::DryRun).await;
    // Everything but the newest dry run and one job is a year old; one value is of no pair any more.
    database
        .change(&format!(
            "update plans set made_at = now() - interval '1 year' - interval '1 day' * (select count(*) from plans n
                 where n.id > plans.id) where id <> '{}';
             update jobs set finished_at = now() - interval '1 year' where id <> '{new_job}';
             insert into snapshots values (sha256('of no pair'), '{{}}')",
            plans[2].id
        ))
        .await;
    let bases = "pairs p join snapshots l on l.hash = p.left_base join snapshots r on r.hash = p.right_base
                 join snapshots a on a.hash = p.agreed";
    assert_eq!((count(&database, "plans").await.as_str(), count(&database, "snapshots").await.as_str()), ("4", "4"));

    let cleared = store.clear_before(Utc::now() - TimeDelta::days(30)).await.expect("cleared");
    assert_eq!((cleared.plans, cleared.snapshots), (2, 1));
    assert!(cleared.events > 0);
    let left = database.ask("select id::text as told from plans order by made_at").await;
    assert_eq!(left, [carried_out, plans[2].id.to_string()], "what was carried out, and the newest");
    assert_eq!(count(&database, "changes").await, "2");
    assert_eq!(count(&database, &format!("job_events where job_id = '{old_job}'")).await, "0");
    assert_ne!(count(&database, &format!("job_events where job_id = '{new_job}'")).await, "0");
    assert_eq!(count(&database, "journal").await, "1", "what was written, and when, stays");
    assert_eq!(count(&database, bases).await, "1", "the pair has its base");
    assert_eq!(count(&database, "snapshots").await, "3");

    assert_eq!(store.clear_before(Utc::now() - TimeDelta::days(30)).await.expect("cleared"), Cleared::default());
}

/// Clearing while transfers keep values that were of no pair a moment ago takes none of them away.
#[tokio::test(flavor = "multi_thread")]
async fn clearing_and_keeping_at_once_lose_nothing() {
    let database = Database::fresh().await;
    with_a_pair(&database).await;
    let store = Store::open(&database.url, 8).await.expect("it opens");
    let clearing = async {
        for _ in 0..15 {
            // Where it can't have the table within its time it is for the next time.
            let _ = store.clear_before(Utc::now()).await;
        }
    };
    let keeping = async {
        for n in 0..30u8 {
            // Two values by turns, so that each is of no pair half of the time.
            crate::plans::apply_again(&store, &database, n % 2 * 100).await;
        }
    };
    tokio::join!(clearing, keeping);
    let lost = "pairs p where not exists (select from snapshots where hash = p.left_base)";
    assert_eq!(count(&database, lost).await, "0");
}
