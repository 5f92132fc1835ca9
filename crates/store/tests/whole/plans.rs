//! Plans with their decisions, and the journal that moves pair, base and ledger in one transaction.

use hovrel_core::model::{End, Ends, Fingerprint, Kind, Value};
use hovrel_core::plan::{Brief, Change, FieldChange, FieldReason, Outcome};
use hovrel_store::{
    Applied, Both, ChangeFilter, Claim, Decided, FoundConflict, Holder, JobKind, JobState, JournalItem, LetBe, MarkAt,
    NewChange, NewJob, NewLoss, NewPiece, PairMove, Plan, Seen, Stage, StepAt, Store, StoreError,
};
use hovrel_testkit::Database;
use serde_json::json;
use uuid::Uuid;

use crate::{with_a_route, with_a_route_in};

/// A row of a plan without conflicts.
pub fn alone(change: NewChange) -> Result<(NewChange, Vec<FoundConflict>), serde_json::Error> {
    Ok((change, Vec::new()))
}

pub fn change(plan: Uuid, seq: i32, outcome: &str) -> NewChange {
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
        open: 0,
        brief: json!({}),
        body: json!({"seq": seq}),
        decision: json!({"included": outcome != "blocked"}),
        included: outcome != "blocked",
        right_calls: 1.0,
        left_calls: f64::from(seq % 3),
        links_back: seq % 3 == 2,
        refusals: if seq == 4 { json!([{"field": "title", "reason": {"reason": "required"}}]) } else { json!([]) },
    }
}

pub fn plan_of(route: Uuid) -> Plan {
    Plan {
        id: Uuid::now_v7(),
        route_id: route,
        route_version: 1,
        lanes: json!([]),
        summary: json!({}),
        digest: vec![1, 2, 3],
        made_at: chrono::Utc::now(),
    }
}

/// A plan of six changes: 1 needs 0, 2 and 3 need 1, 4 stands alone, 5 is blocked.
async fn with_a_plan() -> (Store, Uuid, Uuid) {
    let (store, route) = with_a_route().await;
    let plan = plan_of(route);
    let rows: Vec<NewChange> =
        (0..6).map(|n| change(plan.id, n, if n == 5 { "blocked" } else { "new_right" })).collect();
    store
        .keep_plan(&plan, Box::new(rows.into_iter().map(alone)), &[(1, 0), (2, 1), (3, 1)], &[], &Seen::default())
        .await
        .expect("the plan is kept");
    (store, route, plan.id)
}

/// The person of the database.
pub async fn ida(store: &Store) -> Uuid {
    store.person_by_login("ida").await.expect("asked").expect("a person").id
}

pub fn decided(seq: i32, included: bool) -> Decided {
    let decision = json!({"included": included, "let_go": seq % 5 == 1});
    Decided { seq, decision, included, refusals: json!([]), open: seq % 2, right_calls: 0.25, left_calls: 3.0 }
}

async fn taken_in(store: &Store, plan: Uuid) -> Vec<i32> {
    store.included_changes(plan).await.expect("changes").into_iter().map(|c| c.seq).collect()
}

#[tokio::test]
async fn leaving_out_and_taking_in_follow_what_is_needed() {
    let (store, _, plan) = with_a_plan().await;
    assert_eq!(taken_in(&store, plan).await, [0, 1, 2, 3, 4]);
    store.decide(plan, ida(&store).await, &[decided(1, false)]).await.expect("decided");
    assert_eq!(taken_in(&store, plan).await, [0, 4], "what needs it goes with it");
    let follower = store.change(plan, 2).await.expect("it is there");
    assert_eq!((follower.included, follower.decision["included"].as_bool()), (false, Some(false)));
    store.decide(plan, ida(&store).await, &[decided(3, true)]).await.expect("decided");
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

/// Whatever was decided: undone step by step, the plan is what it was before each step.
#[tokio::test]
async fn every_decision_can_be_undone_with_all_that_followed_it() {
    let (store, _, plan) = with_a_plan().await;
    let all = async || {
        let rows = store.changes_after(plan, -1, 100).await.expect("changes");
        rows.into_iter().map(|c| (c.seq, c.included, c.decision, c.refusals)).collect::<Vec<_>>()
    };
    assert_eq!(store.undo_decision(plan).await.expect("asked"), None, "nothing was decided");
    let mut before = Vec::new();
    let one = ChangeFilter { find: Some("OS-2".into()), ..ChangeFilter::default() };
    for step in 0..5 {
        before.push(all().await);
        match step {
            0 => drop(store.decide(plan, ida(&store).await, &[decided(1, false)]).await.expect("decided")),
            1 => drop(store.include_matching(plan, &one, true).await.expect("decided")),
            2 => drop(
                store.decide(plan, ida(&store).await, &[decided(0, false), decided(4, false)]).await.expect("decided"),
            ),
            3 => drop(store.include_matching(plan, &ChangeFilter::default(), true).await.expect("decided")),
            _ => {
                let refused = Decided { refusals: json!([{"field": "title"}]), ..decided(2, true) };
                store.decide(plan, ida(&store).await, &[refused]).await.expect("decided");
            }
        }
        assert_ne!(all().await, before[step], "step {step} changes something");
    }
    assert_eq!(store.include_matching(plan, &ChangeFilter::default(), true).await.expect("decided"), 0);
    let steps = store.decision_steps(&[plan]).await.expect("steps");
    assert_eq!(steps, [(plan, 5)], "what changed nothing is no step");
    for (step, was) in before.iter().enumerate().rev() {
        assert!(store.undo_decision(plan).await.expect("undone").is_some_and(|n| n > 0), "step {step}");
        assert_eq!(all().await, *was, "before step {step}");
    }
    assert_eq!(store.undo_decision(plan).await.expect("asked"), None);
    for _ in 0..120 {
        store.decide(plan, ida(&store).await, &[decided(4, false)]).await.expect("decided");
    }
    assert_eq!(store.decision_steps(&[plan]).await.expect("steps"), [(plan, 100)], "a hundred are kept");
}

#[tokio::test]
async fn filters_and_pages_find_what_they_say() {
    let (store, _, plan) = with_a_plan().await;
    let seqs = async |filter: ChangeFilter, after, limit| {
        let (rows, total) = store.list_changes(plan, &filter, after, limit).await.expect("a page");
        assert!(!total.more, "{total:?}");
        (rows.into_iter().map(|r| r.seq).collect::<Vec<_>>(), total.counted)
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

/// As for artefacts: counted is what tells somebody something.
#[tokio::test]
async fn a_filter_of_changes_counts_to_five_hundred_and_says_when_there_are_more() {
    let (store, route) = with_a_route().await;
    let plan = plan_of(route);
    let rows = (0..1_002).map(|n| alone(change(plan.id, n, "new_right")));
    store.keep_plan(&plan, Box::new(rows), &[], &[], &Seen::default()).await.expect("the plan is kept");
    let total = async |filter: ChangeFilter, after| {
        let (_, total) = store.list_changes(plan.id, &filter, after, 10).await.expect("a page");
        (total.counted, total.more)
    };
    let with_losses = || ChangeFilter { with_losses: true, ..Default::default() };
    assert_eq!(total(ChangeFilter::default(), -1).await, (1_002, false));
    assert_eq!(total(with_losses(), -1).await, (500, true));
    assert_eq!(total(with_losses(), 990).await, (500, true), "of a later page too");
    assert_eq!(total(ChangeFilter { find: Some("case_2".into()), ..Default::default() }, -1).await, (111, false));
    assert_eq!(total(ChangeFilter { outcome: Some("blocked".into()), ..Default::default() }, -1).await, (0, false));

    // Pages lead over what was counted and go on behind it.
    for limit in [90, 500, 501] {
        let (mut seen, mut after) = (Vec::new(), -1);
        loop {
            let (rows, _) = store.list_changes(plan.id, &with_losses(), after, limit).await.expect("a page");
            seen.extend(rows.iter().map(|r| r.seq));
            let Some(last) = rows.last().filter(|_| rows.len() as i64 == limit) else { break };
            after = last.seq;
        }
        assert_eq!(seen, (0..1_002).filter(|n| n % 2 == 1).collect::<Vec<i32>>(), "by {limit}");
    }
}

fn loss(field: &str, foreseen: bool) -> NewLoss {
    NewLoss { field: field.into(), foreseen, body: json!({"field": field}) }
}

pub fn both<'a>(systems: (Uuid, Uuid), left_id: &'a str, right_id: &'a str) -> Both<'a> {
    Both {
        left_system: systems.0,
        left_kind: "test_case",
        left_id,
        right_system: systems.1,
        right_kind: "test_case",
        right_id,
    }
}

fn print(n: u8) -> Fingerprint {
    Fingerprint::of(&n)
}

const CREATE: StepAt<'static> = StepAt { written_end: End::Right, step: "create" };

pub fn applied<'a>(route: Uuid, of: Both<'a>, base: u8) -> Applied<'a> {
    Applied {
        route,
        seq: 0,
        stage: Stage::Done,
        lane: "cases",
        of,
        left_key: "OS-0",
        right_key: "TB-1",
        versions: Ends { left: Some("4"), right: None },
        wrote: &[End::Right],
        left_base: (print(base), json!({"title": base})),
        right_base: (print(base + 1), json!({"title": base + 1})),
        agreed: (print(base + 2), json!({"title": {"rule": "1", "why": "carried"}})),
        fields: vec!["title".into(), "note".into()],
        losses: vec![loss("title", true), loss("note", false)],
        found: vec![],
        let_be: vec![],
        made_mark: None,
        settled: Vec::new(),
        lines: Vec::new(),
    }
}

/// A transfer of the plan, held by a worker.
pub async fn held(store: &Store, route: Uuid, plan: Uuid) -> Holder {
    let (job, worker) = (Uuid::now_v7(), Uuid::now_v7());
    let new = NewJob { id: job, route_id: Some(route), plan_id: Some(plan), ..NewJob::of(JobKind::Transfer) };
    store.queue(&new).await.expect("queued");
    assert_eq!(store.lease(worker, 30.0).await.expect("a lease").map(|j| j.id), Some(job));
    Holder { job, worker }
}

pub async fn systems(store: &Store, route: Uuid) -> (Uuid, Uuid) {
    let route = store.route(route).await.expect("the route");
    (route.left_system, route.right_system)
}

/// A database with one pair, and with each half of its base.
pub async fn with_a_pair(database: &Database) {
    let (store, route) = with_a_route_in(database).await;
    let plan = plan_with_a_change(&store, route).await;
    let holder = held(&store, route, plan.id).await;
    store.intend(holder, &[0]).await.expect("intended");
    let ends = systems(&store, route).await;
    store.applied(holder, &applied(route, both(ends, "l0", "71"), 7)).await.expect("noted");
}

/// One more plan of a route.
pub async fn plan_with_a_change(store: &Store, route: Uuid) -> Plan {
    let plan = plan_of(route);
    store
        .keep_plan(&plan, Box::new([alone(change(plan.id, 0, "new_right"))].into_iter()), &[], &[], &Seen::default())
        .await
        .expect("kept");
    plan
}

/// What the transfer of [`with_a_pair`] does once more, with other values.
pub async fn apply_again(store: &Store, database: &Database, base: u8) {
    let told = database.ask("select id::text || ' ' || lease_owner || ' ' || route_id as told from jobs").await;
    let ids: Vec<Uuid> = told[0].split(' ').map(|id| id.parse().expect("an id")).collect();
    let [job, worker, route] = ids[..] else { panic!("{told:?}") };
    let ends = systems(store, route).await;
    store.applied(Holder { job, worker }, &applied(route, both(ends, "l0", "71"), base)).await.expect("noted");
}

/// A database with one change as a dry run keeps it; the plan.
pub async fn with_a_whole_change(database: &Database) -> Uuid {
    let (store, route) = with_a_route_in(database).await;
    let plan = plan_of(route);
    let mut whole = Change::new(0, "cases", (Kind::TestCase, Kind::TestCase), End::Right, Outcome::New(End::Right));
    whole.fields = vec![FieldChange {
        left: Some(Value::text("Wind above limit")),
        write: Value::text("Wind above limit"),
        right: None,
        reason: FieldReason::New,
        ..FieldChange::of("title".into())
    }];
    let row = NewChange {
        body: serde_json::to_value(&whole).expect("JSON"),
        brief: serde_json::to_value(Brief::of(&whole)).expect("JSON"),
        ..change(plan.id, 0, "new_right")
    };
    store.keep_plan(&plan, Box::new([alone(row)].into_iter()), &[], &[], &Seen::default()).await.expect("kept");
    plan.id
}

#[tokio::test]
async fn done_moves_journal_pair_base_and_ledger_together() {
    let (store, route, plan) = with_a_plan().await;
    let holder = held(&store, route, plan).await;
    let ends = systems(&store, route).await;
    store.intend(holder, &[0]).await.expect("intended");
    let made = Applied {
        stage: Stage::Made,
        fields: vec!["note".into()],
        losses: vec![loss("note", false)],
        ..applied(route, both(ends, "l0", "71"), 4)
    };
    store.applied(holder, &made).await.expect("noted");
    let row = store.journal(holder.job).await.expect("a journal").remove(0);
    assert_eq!((row.state.as_str(), row.attempts), ("made", 1));
    let item = |written_end, id: &str, version: Option<&str>| JournalItem {
        seq: 0,
        written_end,
        item_id: id.to_owned(),
        version: version.map(str::to_owned),
    };
    let wrote = async || store.journal_items(holder.job).await.expect("what was written");
    assert_eq!(wrote().await, [item(End::Right, "71", None)]);
    for _ in 0..2 {
        // Noting it twice, as after a crash just before the answer, is noting it once.
        let versions = Ends { left: Some("5"), right: Some("2") };
        let done = Applied { versions, wrote: &End::BOTH, ..applied(route, both(ends, "l0", "71"), 7) };
        store.applied(holder, &done).await.expect("noted");
    }
    // Either end that was written, each with its own version after.
    assert_eq!(wrote().await, [item(End::Left, "l0", Some("5")), item(End::Right, "71", Some("2"))]);
    let pair = store.pair(route, "cases", "l0").await.expect("asked").expect("a pair");
    assert_eq!((pair.right_id.as_str(), pair.left_base.as_slice()), ("71", print(7).as_bytes().as_slice()));
    assert_eq!((pair.left_version.as_deref(), pair.right_version.as_deref()), (Some("5"), Some("2")));
    assert_eq!((pair.left_key.as_str(), pair.agreed.as_deref()), ("OS-0", Some(print(9).as_bytes().as_slice())));
    assert_eq!(store.snapshots(&[7, 8, 9].map(|n| print(n).as_bytes().to_vec())).await.expect("bases").len(), 3);
    let told = async || -> Vec<(String, bool)> {
        let rows = store.losses(route).await.expect("a ledger").into_iter();
        rows.map(|l| (l.body["field"].as_str().unwrap_or_default().to_owned(), l.foreseen)).collect()
    };
    assert_eq!(told().await, [("note".into(), false), ("title".into(), true)]);
    let counts = store.transfer_counts(holder.job).await.expect("counts");
    assert_eq!((counts.done, counts.refused, counts.intended), (1, 0, 0));

    // A loss stands until its field is told anew, whichever transfer does it.
    let again = Applied { fields: vec!["title".into()], losses: vec![], ..applied(route, both(ends, "l0", "71"), 11) };
    store.applied(holder, &again).await.expect("noted");
    assert_eq!(told().await, [("note".into(), false)]);

    // A counterpart belongs to one pair: a second claim moves nothing at all.
    let second = Applied { seq: 1, ..applied(route, both(ends, "l1", "71"), 20) };
    store.intend(holder, &[1]).await.expect("intended");
    store.applied(holder, &second).await.expect_err("71 is taken");
    assert!(store.pair(route, "cases", "l1").await.expect("asked").is_none());
    assert_eq!(
        store.snapshots(&[print(20).as_bytes().to_vec()]).await.expect("bases"),
        [],
        "not even its base is kept"
    );
    store.refuse(holder, 1, "71 is taken", "Look.").await.expect("refused");
    let refused = store.refused(holder.job, plan).await.expect("asked");
    assert_eq!((refused[0].0.error.as_deref(), &refused[0].1), (Some("71 is taken"), &json!({"seq": 1})));
}

/// A plan that finds the item of a pair in the scope of another lane gives that lane the pair, with its base and what it
/// lost; one that is not kept gives nothing.
#[tokio::test]
async fn a_plan_hands_pairs_over_and_only_when_it_is_kept() {
    let (store, route, plan) = with_a_plan().await;
    let holder = held(&store, route, plan).await;
    let ends = systems(&store, route).await;
    for (seq, left, right, base) in [(0, "l0", "71", 4), (1, "l1", "72", 14)] {
        store.intend(holder, &[seq]).await.expect("intended");
        let made = Applied { seq, ..applied(route, both(ends, left, right), base) };
        store.applied(holder, &made).await.expect("noted");
    }
    let lanes = async || {
        let pairs = store.pairs(route).await.expect("pairs").into_iter();
        let losses = store.losses(route).await.expect("a ledger").into_iter();
        let mut losses: Vec<(String, String)> = losses.map(|l| (l.left_id, l.lane)).collect();
        losses.sort();
        let pairs: Vec<(String, String, Fingerprint)> =
            pairs.map(|p| (p.left_id, p.lane, Fingerprint::from_bytes(&p.left_base))).collect();
        (pairs, losses)
    };
    let own = |left: &str, lane: &str| (left.to_owned(), lane.to_owned());
    let before = lanes().await;
    let moves = [PairMove { left_id: "l0", from: "cases", to: "others" }];

    let broken = serde_json::from_str::<u32>("{}").expect_err("no number");
    let rows = vec![alone(change(Uuid::now_v7(), 0, "new_right")), Err(broken)];
    store
        .keep_plan(&plan_of(route), Box::new(rows.into_iter()), &[], &moves, &Seen::default())
        .await
        .expect_err("it can't be kept");
    assert_eq!(lanes().await, before, "a plan that is not kept moves nothing");

    store.keep_plan(&plan_of(route), Box::new(std::iter::empty()), &[], &moves, &Seen::default()).await.expect("kept");
    let (pairs, losses) = lanes().await;
    assert_eq!(pairs, [("l1".into(), "cases".into(), print(14)), ("l0".into(), "others".into(), print(4))]);
    let wanted = [own("l0", "others"), own("l0", "others"), own("l1", "cases"), own("l1", "cases")];
    assert_eq!(losses, wanted, "what it lost goes with it, and nothing else");
    // What is not where the plan says stays where it is.
    let elsewhere = [PairMove { left_id: "l1", from: "no lane", to: "others" }];
    store
        .keep_plan(&plan_of(route), Box::new(std::iter::empty()), &[], &elsewhere, &Seen::default())
        .await
        .expect("kept");
    assert_eq!(lanes().await, (pairs, losses));
}

/// A worker whose lease went to another writes nothing more: neither the journal, nor pair, base, ledger, steps, marks
/// or what is remembered of comments.
#[tokio::test]
async fn whoever_lost_the_lease_writes_nothing() {
    let (store, route, plan) = with_a_plan().await;
    let late = held(&store, route, plan).await;
    let ends = systems(&store, route).await;
    let of = both(ends, "l0", "71");
    let piece = NewPiece {
        slot: "@comments".into(),
        written_end: End::Right,
        piece: "c1".into(),
        became: Some("r1".into()),
        said: "x".into(),
        became_said: None,
    };
    let mark = MarkAt { system: ends.1, container: "there", kind: "test_case" };
    store.intend(late, &[0]).await.expect("it holds the job");
    store.heartbeat(late, -1.0).await.expect("its lease ends");
    let other = Uuid::now_v7();
    let job = store.lease(other, 30.0).await.expect("a lease").expect("the job");
    let now = Holder { job: job.id, worker: other };

    let steps = [(0, json!({}))];
    let refused = [
        store.intend(late, &[1]).await.err(),
        store.refuse(late, 0, "no", "no").await.err(),
        store.applied(late, &applied(route, of, 7)).await.err(),
        store.intend_steps(late, CREATE, &steps).await.err(),
        store.step_done(late, 0, CREATE, None).await.err(),
        store.claim_marks(late, mark, &[(0, "Oldstone:OS-0")]).await.err(),
        store.take_over_mark(late, mark, 0, "Oldstone:OS-0").await.err(),
        store.intend_piece(late, of, &piece, &json!([])).await.err(),
        store.piece_accepted(late, of, &piece).await.err(),
        store.piece_not_sent(late, of, &piece).await.err(),
        store.let_go(late, 0, (route, "cases", "l0")).await.err(),
        store.progress(late, &json!({})).await.err(),
    ];
    for (n, error) in refused.iter().enumerate() {
        assert!(matches!(error, Some(StoreError::LeaseLost)), "{n}: {error:?}");
    }
    assert_eq!(store.journal(late.job).await.expect("a journal").len(), 1);
    assert!(
        store.pairs(route).await.expect("pairs").is_empty() && store.losses(route).await.expect("losses").is_empty()
    );
    assert!(store.steps(late.job, &[0]).await.expect("steps").is_empty());
    assert!(store.pieces_of(of).await.expect("pieces").is_empty());

    // The one that has it goes on.
    store.applied(now, &applied(route, of, 7)).await.expect("noted");
    assert_eq!(store.claim_marks(now, mark, &[(0, "Oldstone:OS-0")]).await.expect("claimed"), [Claim::Ours]);
}

/// One mark is made once at one place, whoever asks.
#[tokio::test]
async fn a_mark_is_claimed_once() {
    let (store, route, plan) = with_a_plan().await;
    let first = held(&store, route, plan).await;
    let ends = systems(&store, route).await;
    let at = MarkAt { system: ends.1, container: "there", kind: "test_case" };
    let claim =
        async |holder, seq| store.claim_marks(holder, at, &[(seq, "Oldstone:OS-0")]).await.expect("claimed").remove(0);
    assert_eq!(claim(first, 0).await, Claim::Ours);
    assert_eq!(claim(first, 0).await, Claim::OursBefore, "it may have been made");
    assert!(matches!(claim(first, 1).await, Claim::ToBeMadeBy { over: false, .. }), "another change of the same plan");
    let elsewhere = MarkAt { container: "elsewhere", ..at };
    let found = store.claim_marks(first, elsewhere, &[(1, "Oldstone:OS-0")]).await.expect("claimed");
    assert_eq!(found, [Claim::Ours], "another place is another matter");
    let made = Applied { made_mark: Some(End::Right), ..applied(route, both(ends, "l0", "71"), 7) };
    store.intend(first, &[0]).await.expect("intended");
    store.applied(first, &made).await.expect("noted");
    store.end_job(first, JobState::Done, None, None).await.expect("it ends");
    let second = held(&store, route, plan).await;
    assert_eq!(claim(second, 0).await, Claim::MadeBy { job: first.job, item_id: "71".into() });
    store.take_over_mark(second, at, 0, "Oldstone:OS-0").await.expect("it was not there any more");
    assert_eq!(claim(second, 0).await, Claim::OursBefore);
}

/// Which comment became which is kept for the two items, and found again by whichever route.
#[tokio::test]
async fn an_accepted_comment_stays_accepted() {
    let (store, route, plan) = with_a_plan().await;
    let holder = held(&store, route, plan).await;
    let ends = systems(&store, route).await;
    let of = both(ends, "l0", "71");
    let piece = |became: Option<&str>| NewPiece {
        slot: "@comments".into(),
        written_end: End::Right,
        piece: "c1".into(),
        became: became.map(Into::into),
        said: "x".into(),
        became_said: None,
    };
    store.intend_piece(holder, of, &piece(None), &json!(["a"])).await.expect("intended");
    store.intend_piece(holder, of, &piece(None), &json!(["a", "b"])).await.expect("intended again");
    let row = store.pieces_of(of).await.expect("pieces").remove(0);
    assert_eq!((row.state.as_str(), row.before), ("intended", Some(json!(["a", "b"]))));
    store.piece_accepted(holder, of, &piece(Some("r1"))).await.expect("accepted");
    store.intend_piece(holder, of, &piece(None), &json!([])).await.expect("nothing happens");
    store.piece_not_sent(holder, of, &piece(None)).await.expect("nothing happens");
    let rows = store.accepted_pieces((ends.0, "test_case"), (ends.1, "test_case")).await.expect("pieces");
    assert_eq!(rows.len(), 1);
    assert_eq!((rows[0].state.as_str(), rows[0].became.as_deref()), ("accepted", Some("r1")));
    // What a later look finds counts.
    store.intend(holder, &[0]).await.expect("intended");
    let looked = NewPiece { became_said: Some("y".into()), ..piece(Some("r2")) };
    let noted = Applied { found: vec![looked], ..applied(route, of, 7) };
    store.applied(holder, &noted).await.expect("noted");
    let rows = store.pieces_of(of).await.expect("pieces");
    assert_eq!((rows[0].became.as_deref(), rows[0].became_said.as_deref()), (Some("r2"), Some("y")));

    // One of the same id that comes from the right is another.
    let back = NewPiece { written_end: End::Left, ..piece(None) };
    store.intend_piece(holder, of, &back, &json!([])).await.expect("intended");
    store.piece_accepted(holder, of, &NewPiece { became: Some("l9".into()), ..back }).await.expect("accepted");
    assert_eq!(store.pieces_of(of).await.expect("pieces").len(), 2);

    // What one end has no more stays known, whichever end has it; no other is touched.
    let let_be = |end, id: &str| LetBe { slot: "@comments".into(), end, id: id.into() };
    for (gone, known) in [
        (let_be(End::Right, "r2"), vec![(End::Right, true), (End::Left, false)]),
        (let_be(End::Right, "c1"), vec![(End::Right, true), (End::Left, true)]),
    ] {
        let noted = Applied { let_be: vec![gone], ..applied(route, of, 7) };
        store.applied(holder, &noted).await.expect("noted");
        let mut rows = store.pieces_of(of).await.expect("pieces");
        rows.sort_by_key(|row| row.written_end == End::Left);
        assert_eq!(rows.iter().map(|row| (row.written_end, row.let_be)).collect::<Vec<_>>(), known);
    }
}

#[tokio::test]
async fn a_route_goes_with_all_that_hangs_on_it() {
    let (store, route, plan) = with_a_plan().await;
    store.remove_route(route).await.expect("removed");
    assert!(store.plan(plan).await.is_err());
    assert_eq!(store.included_changes(plan).await.expect("asked").len(), 0);
}
