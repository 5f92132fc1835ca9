//! What is counted as it is written says the same as counting it when asked.

use futures::future::join_all;
use hovrel_store::{ChangeFilter, Decided, JobKind, NewChange, NewJob, Plan, Seen, Store};
use hovrel_testkit::Database;
use serde_json::json;
use uuid::Uuid;

use crate::plans::{alone, change, decided, ida, plan_of};
use crate::with_a_route_in;

/// What a plan says of itself, and what counting its changes finds.
async fn numbers(store: &Store, database: &Database, plan: Uuid) -> (Vec<String>, Vec<String>) {
    let counts = store.change_counts(&[plan]).await.expect("counts").into_iter();
    let said = counts.map(|c| {
        let (outcome, kind) = (c.outcome, c.kind);
        let numbers = [c.count, c.with_losses, c.conflicts, c.refused, c.in_conflict, c.open, c.links_back];
        let numbers = numbers.map(|n| n.to_string()).join(" ");
        format!("{outcome} {kind} {} {numbers} {} {}", c.included, c.right_calls, c.left_calls)
    });
    let query = format!(
        "select concat_ws(' ', outcome, kind, included::text, count(*), count(*) filter (where losses > 0), sum(conflicts),
            count(*) filter (where included and refusals <> '[]'::jsonb), count(*) filter (where open > 0), sum(open),
            count(*) filter (where links_back and (decision ->> 'let_go') is distinct from 'true'),
            sum(right_calls), sum(left_calls)) as told
        from changes where plan_id = '{plan}' group by outcome, kind, included order by outcome, kind, included"
    );
    (said.collect(), database.ask(&query).await)
}

/// Nothing that writes changes can forget to count them: neither what takes others with it nor two at once.
#[tokio::test]
async fn a_plan_counts_itself_whatever_is_decided() {
    let database = Database::fresh().await;
    let (store, route) = with_a_route_in(&database).await;
    let plan = plan_of(route);
    let outcomes = ["new_right", "update_right", "conflict", "blocked", "in_step"];
    let rows: Vec<NewChange> = (0..230)
        .map(|n| NewChange {
            kind: if n % 7 == 0 { "folder" } else { "test_case" }.into(),
            conflicts: n % 3,
            open: n % 3,
            field_names: vec![format!("field {}", n % 5)],
            ..change(plan.id, n, outcomes[n as usize % outcomes.len()])
        })
        .collect();
    let needs: Vec<(i32, i32)> = (1..230).filter(|n| n % 4 == 0).map(|n| (n, n - 1)).collect();
    store
        .keep_plan(&plan, Box::new(rows.into_iter().map(alone)), &needs, &[], &Seen::default())
        .await
        .expect("the plan is kept");
    let same = async |when: &str| {
        let (said, counted) = numbers(&store, &database, plan.id).await;
        assert_eq!(said, counted, "{when}");
        said
    };
    let first = same("made").await;
    let (_, total) = store.list_changes(plan.id, &ChangeFilter::default(), -1, 10).await.expect("a page");
    assert_eq!((total.counted, total.more), (184, false), "moves of a base are none");
    let fields = store.changed_fields(&[plan.id]).await.expect("fields");
    assert_eq!(fields, [(plan.id, (0..4).map(|n| format!("field {n}")).collect())], "of what is told");

    let refused = json!([{"field": "title", "reason": {"reason": "required"}}]);
    for (seq, included, refusals) in
        [(0, false, json!([])), (0, true, refused), (4, false, json!([])), (5, true, json!([]))]
    {
        store
            .decide(plan.id, ida(&store).await, &[Decided { refusals, ..decided(seq, included) }])
            .await
            .expect("decided");
        same(&format!("{seq} decided")).await;
    }
    let of_folders = ChangeFilter { kind: Some("folder".into()), ..ChangeFilter::default() };
    store.include_matching(plan.id, &of_folders, false).await.expect("decided");
    assert_ne!(same("folders left out").await, first);
    let all = ChangeFilter::default();
    let many = (0..230).filter(|n| n % 5 < 3).map(|n| {
        let (store, all) = (&store, &all);
        async move {
            let (id, included) = (plan.id, n % 2 == 0);
            match n % 9 {
                0 => drop(store.include_matching(id, all, included).await.expect("decided")),
                _ => drop(store.decide(id, ida(store).await, &[decided(n, included)]).await.expect("decided")),
            }
        }
    });
    join_all(many).await;
    same("many at once").await;
    while store.undo_decision(plan.id).await.expect("undone").is_some() {
        same("a step undone").await;
    }
}

/// Of years of jobs, plans and proofs the newest of each.
#[tokio::test]
async fn the_newest_of_each_is_found_among_many() {
    let database = Database::fresh().await;
    let (store, route) = with_a_route_in(&database).await;
    let other = Uuid::now_v7();
    database
        .change(&format!(
            "insert into routes select '{other}', 'Another', left_system, left_container, right_system, right_container, lanes
                from routes;
            insert into plans (id, route_id, route_version, lanes, summary, digest, made_at)
                select gen_random_uuid(), '{route}', n, '[]', '{{}}', '', now() - n * interval '1 hour'
                from generate_series(1, 50) n;
            insert into proofs (id, route_id, body, differences, at)
                select gen_random_uuid(), '{route}', '{{}}', n, now() - n * interval '1 hour' from generate_series(1, 50) n;
            insert into jobs (id, kind, route_id, plan_id, state, created_at)
                select gen_random_uuid(), 'transfer', '{route}', p.id, 'done', p.made_at + n * interval '1 second'
                from plans p, generate_series(1, 3) n",
        ))
        .await;
    let routes = [other, route];
    let plans: Vec<Plan> = store.latest_plans(&routes).await.expect("plans");
    assert_eq!(plans.iter().map(|p| (p.route_id, p.route_version)).collect::<Vec<_>>(), [(route, 1)]);
    let proofs = store.latest_proofs(&routes).await.expect("proofs");
    assert_eq!(proofs.iter().map(|p| (p.route_id, p.differences)).collect::<Vec<_>>(), [(route, 1)]);
    let transfers = store.transfers_of_plans(&[plans[0].id]).await.expect("jobs");
    assert_eq!(transfers.len(), 1);
    let dry_run = NewJob { route_id: Some(other), ..NewJob::of(JobKind::DryRun) };
    store.queue(&dry_run).await.expect("queued");
    let mut jobs = store.latest_jobs(&routes).await.expect("jobs");
    jobs.sort_by(|a, b| a.kind.id().cmp(b.kind.id()));
    let jobs: Vec<(Uuid, Option<Uuid>)> = jobs.into_iter().map(|j| (j.id, j.route_id)).collect();
    assert_eq!(jobs, [(dry_run.id, Some(other)), (transfers[0].id, Some(route))]);
    assert_eq!(store.recent_jobs(2).await.expect("jobs")[0].id, dry_run.id);
    assert!(store.latest_plans(&[]).await.expect("plans").is_empty());
}
