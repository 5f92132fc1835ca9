//! Plans with their decisions, and the journal that moves pair, base and ledger in one transaction.

use hovrel_store::{Applied, ChangeFilter, NewChange, NewJob, Plan, Store};
use serde_json::json;
use uuid::Uuid;

use crate::with_a_route;

fn change(plan: Uuid, seq: i32, outcome: &str) -> NewChange {
    NewChange {
        plan_id: plan,
        seq,
        lane: "cases".into(),
        kind: "test_case".into(),
        outcome: outcome.into(),
        left_id: Some(format!("l{seq}")),
        left_key: format!("OS-{seq}"),
        right_key: String::new(),
        title: format!("100 % of case_{seq}"),
        field_names: vec!["title".into()],
        losses: seq % 2,
        conflicts: 0,
        body: json!({"seq": seq}),
        decision: json!({"included": outcome != "blocked"}),
        included: outcome != "blocked",
        refusals: if seq == 4 { json!([{"field": "title", "reason": {"reason": "required"}}]) } else { json!([]) },
    }
}

/// A plan of six changes: 1 needs 0, 2 and 3 need 1, 4 stands alone, 5 is blocked.
async fn with_a_plan() -> (Store, Uuid, Uuid) {
    let (store, route) = with_a_route().await;
    let plan = Plan {
        id: Uuid::now_v7(),
        route_id: route,
        route_version: 1,
        lanes: json!([]),
        summary: json!({}),
        digest: vec![1, 2, 3],
        made_at: chrono::Utc::now(),
    };
    let rows: Vec<NewChange> =
        (0..6).map(|n| change(plan.id, n, if n == 5 { "blocked" } else { "new_right" })).collect();
    store
        .keep_plan(&plan, Box::new(rows.into_iter().map(Ok)), &[(1, 0), (2, 1), (3, 1)])
        .await
        .expect("the plan is kept");
    (store, route, plan.id)
}

async fn taken_in(store: &Store, plan: Uuid) -> Vec<i32> {
    store.included_changes(plan).await.expect("changes").into_iter().map(|c| c.seq).collect()
}

#[tokio::test]
async fn leaving_out_and_taking_in_follow_what_is_needed() {
    let (store, _, plan) = with_a_plan().await;
    assert_eq!(taken_in(&store, plan).await, [0, 1, 2, 3, 4]);
    store.decide(plan, 1, &json!({"included": false}), false, &json!([])).await.expect("decided");
    assert_eq!(taken_in(&store, plan).await, [0, 4], "what needs it goes with it");
    let follower = store.change(plan, 2).await.expect("it is there");
    assert_eq!((follower.included, follower.decision["included"].as_bool()), (false, Some(false)));
    store.decide(plan, 3, &json!({"included": true}), true, &json!([])).await.expect("decided");
    assert_eq!(taken_in(&store, plan).await, [0, 1, 3, 4], "what it needs comes with it, and no more");
    let all = ChangeFilter::default();
    assert_eq!(store.include_matching(plan, &all, false).await.expect("decided"), 4);
    assert!(taken_in(&store, plan).await.is_empty());
    let one = ChangeFilter { find: Some("OS-2".into()), ..ChangeFilter::default() };
    assert_eq!(store.include_matching(plan, &one, true).await.expect("decided"), 3);
    assert_eq!(taken_in(&store, plan).await, [0, 1, 2]);
    store.include_matching(plan, &all, true).await.expect("decided");
    assert_eq!(taken_in(&store, plan).await, [0, 1, 2, 3, 4], "what is blocked can't be taken in");
}

#[tokio::test]
async fn filters_and_pages_find_what_they_say() {
    let (store, _, plan) = with_a_plan().await;
    let seqs = async |filter: ChangeFilter, after, limit| {
        let (rows, total) = store.list_changes(plan, &filter, after, limit).await.expect("a page");
        (rows.into_iter().map(|r| r.seq).collect::<Vec<_>>(), total)
    };
    assert_eq!(seqs(ChangeFilter::default(), -1, 4).await, (vec![0, 1, 2, 3], 6));
    assert_eq!(seqs(ChangeFilter::default(), 3, 4).await, (vec![4, 5], 6));
    assert_eq!(seqs(ChangeFilter { with_losses: true, ..Default::default() }, -1, 9).await.0, [1, 3, 5]);
    assert_eq!(seqs(ChangeFilter { refused: true, ..Default::default() }, -1, 9).await.0, [4]);
    let counts = store.change_counts(&[plan]).await.expect("counts");
    assert_eq!((counts.iter().map(|c| c.count).sum::<i64>(), counts.iter().map(|c| c.refused).sum::<i64>()), (6, 1));
    assert_eq!(seqs(ChangeFilter { left_out: true, ..Default::default() }, -1, 9).await.0, [5]);
    assert_eq!(seqs(ChangeFilter { outcome: Some("blocked".into()), ..Default::default() }, -1, 9).await.0, [5]);
    assert_eq!(seqs(ChangeFilter { field: Some("priority".into()), ..Default::default() }, -1, 9).await.1, 0);
    // Signs that a pattern would take for anything are only themselves.
    for (words, expected) in [("100 %", 6), ("case_3", 1), ("e%3", 0), ("caseX3", 0), ("\\", 0)] {
        assert_eq!(
            seqs(ChangeFilter { find: Some(words.into()), ..Default::default() }, -1, 9).await.1,
            expected,
            "{words}"
        );
    }
}

fn applied(route: Uuid, job: Uuid, right_id: &str, base: u8) -> Applied<'_> {
    Applied {
        route,
        job,
        seq: 0,
        lane: "cases",
        left_id: "l0",
        right_id,
        left_key: "OS-0",
        right_key: "TB-1",
        left_base: ([base; 32], json!({"title": base})),
        right_base: ([base + 1; 32], json!({"title": base + 1})),
        losses: vec![(json!({"field": "title"}), true), (json!({"field": "note"}), false)],
    }
}

#[tokio::test]
async fn done_moves_journal_pair_base_and_ledger_together() {
    let (store, route, plan) = with_a_plan().await;
    let job = Uuid::now_v7();
    let new =
        NewJob { id: job, kind: "transfer".into(), route_id: Some(route), plan_id: Some(plan), ..NewJob::default() };
    store.queue(&new).await.expect("queued");
    store.intend(job, &[0]).await.expect("intended");
    store.made(job, 0, "71").await.expect("made");
    let row = store.journal(job).await.expect("a journal").remove(0);
    assert_eq!((row.state.as_str(), row.right_id.as_deref(), row.attempts), ("made", Some("71"), 1));
    // What is met on the way is kept at once, each once, and stays when the change is done.
    let (odd, other) = (json!({"field": "files"}), json!({"field": "links"}));
    for met in [&odd, &odd, &other] {
        store.noted(job, 0, ("OS-0", "TB-1"), met).await.expect("noted");
    }
    for _ in 0..2 {
        // Noting it twice, as after a crash just before the answer, is noting it once.
        store.done(&applied(route, job, "71", 7)).await.expect("noted");
    }
    let pair = store.pair(route, "cases", "l0").await.expect("asked").expect("a pair");
    assert_eq!((pair.right_id.as_str(), pair.left_base.as_slice()), ("71", [7; 32].as_slice()));
    assert_eq!(store.snapshots(&[vec![7; 32], vec![8; 32]]).await.expect("bases").len(), 2);
    let ledger = store.ledger(job).await.expect("a ledger");
    assert_eq!(ledger.iter().map(|(.., foreseen, _)| *foreseen).collect::<Vec<_>>(), [false, false, true, false]);
    let mut met: Vec<&serde_json::Value> = ledger[..2].iter().map(|(.., body)| body).collect();
    met.sort_by_key(|body| body.to_string());
    assert_eq!(met, [&odd, &other]);
    let counts = store.transfer_counts(job).await.expect("counts");
    assert_eq!((counts.done, counts.refused, counts.intended), (1, 0, 0));

    // A counterpart belongs to one pair: a second claim moves nothing at all.
    let mut second = applied(route, job, "71", 20);
    (second.seq, second.left_id) = (1, "l1");
    store.intend(job, &[1]).await.expect("intended");
    store.done(&second).await.expect_err("71 is taken");
    assert!(store.pair(route, "cases", "l1").await.expect("asked").is_none());
    assert_eq!(store.snapshots(&[vec![20; 32]]).await.expect("bases"), [], "not even its base is kept");
    store.refuse(job, 1, "71 is taken", "Look.").await.expect("refused");
    let refused = store.refused(job, plan).await.expect("asked");
    assert_eq!((refused[0].0.error.as_deref(), &refused[0].1), (Some("71 is taken"), &json!({"seq": 1})));
}

#[tokio::test]
async fn a_route_goes_with_all_that_hangs_on_it() {
    let (store, route, plan) = with_a_plan().await;
    store.remove_route(route).await.expect("removed");
    assert!(store.plan(plan).await.is_err());
    assert_eq!(store.included_changes(plan).await.expect("asked").len(), 0);
}
