//! Conflicts in the database: one that is open for a pair and a rule, its generations, what was chosen for each, and how it
//! ended.

use std::time::Duration;

use chrono::{DateTime, TimeDelta, Utc};
use futures::future::join;
use hovrel_core::model::Fingerprint;
use hovrel_store::{
    Applied, ConflictFilter, ConflictRow, FoundConflict, GenerationRow, JobState, NewChange, RecordFilter, Seen,
    SeenConflict, SettledConflict, Store,
};
use hovrel_testkit::Database;
use serde_json::json;
use uuid::Uuid;

use crate::plans::{applied, both, change, held, plan_of, systems};
use crate::with_a_route_in;

const RULE: &str = "title";

/// A route with a pair of the items `l0` and `71`, and the person of the database.
struct World {
    store: Store,
    route: Uuid,
    person: Uuid,
    _database: Database,
}

fn found(digest: u8) -> FoundConflict {
    FoundConflict {
        left_id: "l0".into(),
        lane: "cases".into(),
        rule: RULE.into(),
        slot: "title".into(),
        kind: "test_case".into(),
        reason: "both_changed".into(),
        title: "Wind above limit".into(),
        left_key: "OS-0".into(),
        right_key: "TB-1".into(),
        left_by: Some("ihavn".into()),
        right_by: None,
        digest: vec![digest],
        body: json!({"digest": digest}),
        seq: 0,
        refused: None,
    }
}

fn seen() -> Seen {
    Seen { rules: vec![("cases".into(), RULE.into())], ..Seen::default() }
}

fn seen_as(row: &ConflictRow) -> SeenConflict {
    SeenConflict { id: row.id, generation: row.generation, revision: row.revision }
}

impl World {
    async fn new() -> World {
        let database = Database::fresh().await;
        let (store, route) = with_a_route_in(&database).await;
        let person = store.person_by_login("ida").await.expect("asked").expect("a person").id;
        let world = World { store, route, person, _database: database };
        world.carried(7).await;
        world
    }

    /// A transfer that carried the item.
    async fn carried(&self, base: u8) {
        let plan = self.plan(vec![], "update_right", &seen()).await;
        let holder = held(&self.store, self.route, plan).await;
        let ends = systems(&self.store, self.route).await;
        self.store.intend(holder, &[0]).await.expect("intended");
        self.store.applied(holder, &applied(self.route, both(ends, "l0", "71"), base)).await.expect("noted");
        self.store.end_job(holder, JobState::Done, None, None).await.expect("it ends");
    }

    /// A plan with one change that found these conflicts.
    async fn plan(&self, conflicts: Vec<FoundConflict>, outcome: &str, seen: &Seen) -> Uuid {
        let plan = plan_of(self.route);
        let row = NewChange { left_id: Some("l0".into()), ..change(plan.id, 0, outcome) };
        let rows = Box::new([Ok((row, conflicts))].into_iter());
        self.store.keep_plan(&plan, rows, &[], &[], seen).await.expect("the plan is kept");
        plan.id
    }

    async fn all(&self) -> Vec<ConflictRow> {
        self.store.list_conflicts(&ConflictFilter::default(), None, 100).await.expect("a page").0
    }

    async fn only(&self) -> ConflictRow {
        let all = self.all().await;
        assert_eq!(all.len(), 1, "{all:?}");
        all.into_iter().next().expect("one")
    }

    async fn generations(&self) -> Vec<GenerationRow> {
        let id = self.only().await.id;
        let rows = self.store.conflict_generations(&[id]).await.expect("generations");
        rows.into_iter().map(|(_, row)| row).collect()
    }

    async fn settle(&self, generation: i32, take: &str) -> Vec<Uuid> {
        let SeenConflict { id, revision, .. } = seen_as(&self.only().await);
        let of = SeenConflict { id, generation, revision };
        let list = [SettledConflict { of, choice: Some(json!({"take": take})) }];
        self.store.settle_conflicts(self.person, &list).await.expect("asked")
    }
}

#[tokio::test]
async fn a_conflict_is_one_through_its_generations() {
    let w = World::new().await;
    w.plan(vec![found(1)], "conflict", &seen()).await;
    let first = w.only().await;
    assert_eq!((first.generation, first.state.as_str()), (1, "open"));
    // The same values again.
    w.plan(vec![found(1)], "conflict", &seen()).await;
    let again = w.only().await;
    assert_eq!((again.id, again.generation, again.changed_at), (first.id, 1, first.changed_at));
    assert_ne!(again.last_plan, first.last_plan);
    assert_eq!(w.settle(1, "left").await, [] as [Uuid; 0]);
    assert_eq!(w.only().await.state, "settled");
    w.plan(vec![found(1)], "conflict", &seen()).await;
    assert_eq!(w.only().await.state, "settled", "the same values: what was chosen holds");
    // Others: it is open again, and what was chosen for those before stays known.
    w.plan(vec![found(2)], "conflict", &seen()).await;
    let other = w.only().await;
    assert_eq!((other.id, other.generation, other.state.as_str()), (first.id, 2, "open"));
    let of: Vec<_> =
        w.generations().await.into_iter().map(|g| (g.generation, g.body, g.choice, g.settled_by)).collect();
    let chosen = (1, json!({"digest": 1}), Some(json!({"take": "left"})), Some("Ida Brekke".to_owned()));
    assert_eq!(of, [(2, json!({"digest": 2}), None, None), chosen]);
    // Whoever saw the former values decides nothing.
    assert_eq!(w.settle(1, "right").await, [first.id]);
    assert_eq!((w.only().await.state.as_str(), w.generations().await.remove(0).choice), ("open", None));
    // What was chosen is in the record, with who chose it.
    let lines = w.store.list_record(&RecordFilter::default(), None, 10).await.expect("a page");
    let told: Vec<_> = lines.iter().map(|l| (l.what.as_str(), l.why.as_str(), l.by.as_deref())).collect();
    assert_eq!(told, [("choice", "chose_left", Some("Ida Brekke"))]);
}

#[tokio::test]
async fn of_several_that_are_settled_one_that_changed_keeps_all_open() {
    let w = World::new().await;
    let other = FoundConflict { rule: "note".into(), slot: "note".into(), ..found(1) };
    let seen = Seen { rules: vec![("cases".into(), RULE.into()), ("cases".into(), "note".into())], ..Seen::default() };
    w.plan(vec![found(1), other], "conflict", &seen).await;
    let all = w.all().await;
    let left = || Some(json!({"take": "left"}));
    let as_seen = async |choice: Option<serde_json::Value>| -> Vec<SettledConflict> {
        let rows = w.all().await;
        rows.iter().map(|row| SettledConflict { of: seen_as(row), choice: choice.clone() }).collect()
    };
    let mut stale = as_seen(left()).await;
    stale[1].of.generation = 2;
    assert_eq!(w.store.settle_conflicts(w.person, &stale).await.expect("asked"), [all[1].id]);
    assert!(w.all().await.iter().all(|c| c.state == "open"));
    // Two who settle the same at once: the one who comes second is told, and neither blocks the other.
    for _ in 0..10 {
        let (forth, mut back) = (as_seen(left()).await, as_seen(left()).await);
        back.reverse();
        let both = join(w.store.settle_conflicts(w.person, &forth), w.store.settle_conflicts(w.person, &back));
        let (a, b) = tokio::time::timeout(Duration::from_secs(60), both).await.expect("neither waits for ever");
        let (a, b) = (a.expect("asked"), b.expect("asked"));
        assert_eq!(a.len().min(b.len()), 0, "one is kept");
        assert_eq!(a.len().max(b.len()), 2, "and the other is told of all that it did not see: {a:?} {b:?}");
    }
    assert!(w.all().await.iter().all(|c| c.state == "settled"));
    let groups = w.store.conflict_groups(None).await.expect("groups");
    assert_eq!(groups.len(), 0, "none is open");
    let reopened = as_seen(None).await;
    assert_eq!(w.store.settle_conflicts(w.person, &reopened).await.expect("asked"), [] as [Uuid; 0]);
    let groups = w.store.conflict_groups(Some(&[w.route])).await.expect("groups");
    assert_eq!(groups.iter().map(|g| (g.rule.as_str(), g.count)).collect::<Vec<_>>(), [("note", 1), ("title", 1)]);
    assert_eq!(w.store.conflict_groups(Some(&[])).await.expect("groups").len(), 0);
}

/// How a conflict ended is known; it never ends because nobody could look.
#[tokio::test]
async fn a_conflict_ends_for_a_reason_or_stays() {
    let unknown = Seen { unknown: vec![("cases".into(), "l0".into(), RULE.into())], ..seen() };
    let gone = Seen { gone: vec![("cases".into(), "l0".into())], ..seen() };
    let other_field = Seen { unknown: vec![("cases".into(), "l0".into(), "note".into())], ..seen() };
    let cases = [
        // The title is in the change, and is no conflict: one end is as it was.
        ("update_right", seen(), Some("withdrawn")),
        ("blocked", seen(), None),
        ("unreadable", seen(), None),
        ("gone_left", seen(), None),
        ("out_of_scope_right", seen(), None),
        ("update_right", unknown, None),
        ("update_right", other_field, Some("withdrawn")),
        ("update_right", gone, Some("moot")),
        ("update_right", Seen::default(), Some("moot")),
    ];
    for (outcome, seen_then, ended) in cases {
        let w = World::new().await;
        w.plan(vec![found(1)], "conflict", &seen()).await;
        w.plan(vec![], outcome, &seen_then).await;
        let now = w.only().await;
        assert_eq!(now.ended.as_deref(), ended, "{outcome} {seen_then:?}");
        assert_eq!((now.state == "closed", now.ended_at.is_some()), (ended.is_some(), ended.is_some()));
    }
    let w = World::new().await;
    w.plan(vec![found(1)], "conflict", &seen()).await;
    let plan = plan_of(w.route);
    w.store.keep_plan(&plan, Box::new(std::iter::empty()), &[], &[], &seen()).await.expect("kept");
    assert_eq!(w.only().await.ended.as_deref(), Some("agreed"), "the item is in step");
    // What begins afterwards is another conflict.
    w.plan(vec![found(1)], "conflict", &seen()).await;
    let states: Vec<_> = w.all().await.into_iter().map(|c| c.state).collect();
    assert_eq!(states, ["open", "closed"]);
}

#[tokio::test]
async fn what_a_transfer_carries_ends_it_and_what_is_refused_opens_it_again() {
    let w = World::new().await;
    w.plan(vec![found(1)], "conflict", &seen()).await;
    w.settle(1, "left").await;
    let plan = w.plan(vec![found(1)], "conflict", &seen()).await;
    let holder = held(&w.store, w.route, plan).await;
    w.store.intend(holder, &[0]).await.expect("intended");
    w.store.refuse(holder, 0, "the title is too long", "Shorten it.").await.expect("noted");
    let open = w.only().await;
    assert_eq!((open.state.as_str(), open.refused.as_deref()), ("open", Some("the title is too long")));
    assert!(w.generations().await[0].choice.is_some(), "what was chosen stays known");
    // A later dry run finds that what was chosen can't be done.
    w.settle(1, "left").await;
    w.plan(vec![FoundConflict { refused: Some("the left can't hold it".into()), ..found(1) }], "conflict", &seen())
        .await;
    let open = w.only().await;
    assert_eq!((open.state.as_str(), open.refused.as_deref()), ("open", Some("the left can't hold it")));
    let ends = systems(&w.store, w.route).await;
    let choice = json!({"take": "right"});
    let done = Applied { settled: vec![(RULE.into(), choice.clone())], ..applied(w.route, both(ends, "l0", "71"), 20) };
    w.store.applied(holder, &done).await.expect("noted");
    let over = w.only().await;
    assert_eq!((over.state.as_str(), over.ended.as_deref(), over.refused), ("closed", Some("carried"), None));
    assert_eq!(
        w.generations().await[0].choice,
        Some(json!({"take": "left"})),
        "what a person chose is not written over"
    );
}

/// What stood there when a conflict was found is kept as long as the conflict is.
#[tokio::test]
async fn what_was_remembered_then_is_kept() {
    let w = World::new().await;
    w.plan(vec![found(1)], "conflict", &seen()).await;
    let then = w.generations().await[0].left_base.clone();
    assert_eq!(then, Fingerprint::of(&7u8).as_bytes());
    w.carried(30).await;
    w.store.clear_before(chrono::Utc::now()).await.expect("cleared");
    assert_eq!(w.store.snapshots(&[then]).await.expect("asked").len(), 1);
}

#[tokio::test]
async fn conflicts_are_found_by_who_changed_the_items_and_by_age() {
    let w = World::new().await;
    w.plan(vec![found(1)], "conflict", &seen()).await;
    let count = async |filter: ConflictFilter| w.store.list_conflicts(&filter, None, 100).await.expect("a page").1;
    let by = |by: &str| ConflictFilter { by: Some(by.into()), ..ConflictFilter::default() };
    let before = |opened: DateTime<Utc>| ConflictFilter { opened_before: Some(opened), ..ConflictFilter::default() };
    assert_eq!((count(by("ihavn")).await, count(by("bdahl")).await), (1, 0));
    let opened = w.only().await.opened_at;
    assert_eq!((count(before(opened)).await, count(before(opened + TimeDelta::seconds(1))).await), (0, 1));
    // Somebody changed the right one since.
    let changed = FoundConflict { right_by: Some("bdahl".into()), ..found(1) };
    w.plan(vec![changed], "conflict", &seen()).await;
    assert_eq!((count(by("ihavn")).await, count(by("bdahl")).await), (1, 1));
    let editors = async |routes: Option<&[Uuid]>| w.store.conflict_editors(routes, 10).await.expect("known");
    assert_eq!(editors(None).await, ["bdahl", "ihavn"]);
    assert!(editors(Some(&[])).await.is_empty(), "of no route");
}
