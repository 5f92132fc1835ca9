//! The record in the database: what was written stays as it was written.

use std::time::Duration;

use diesel_async::{AsyncConnection, AsyncPgConnection, SimpleAsyncConnection};
use futures::future::join;
use hovrel_core::model::{End, Fingerprint, Value};
use hovrel_store::{Applied, JobState, NewLine, RecordFilter, StepAt};
use hovrel_testkit::Database;
use serde_json::json;

use crate::plans::{applied, both, held, plan_with_a_change, systems};
use crate::with_a_route_in;

fn line(slot: Option<&str>, after: &str) -> NewLine {
    let value = |text: &str| {
        let value = Value::text(text);
        (Fingerprint::of(&value), serde_json::to_value(value).expect("JSON"))
    };
    NewLine {
        written_end: End::Right,
        slot: slot.map(str::to_owned),
        why: "carried".into(),
        before: slot.map(|_| value("Wind")),
        after: Some(value(after)),
    }
}

#[tokio::test]
async fn lines_are_added_once_and_never_changed() {
    let database = Database::fresh().await;
    let (store, route) = with_a_route_in(&database).await;
    let plan = plan_with_a_change(&store, route).await;
    let holder = held(&store, route, plan.id).await;
    let ends = systems(&store, route).await;
    store.intend(holder, &[0]).await.expect("intended");
    let write = |lines: Vec<NewLine>| Applied { lines, ..applied(route, both(ends, "l0", "71"), 7) };
    // Noting it twice, as after a crash just before the answer, is one line.
    for (written_end, step) in [(End::Right, "update"), (End::Left, "back"), (End::Right, "file a.png")] {
        let sent = (0, json!({}));
        store.intend_steps(holder, StepAt { written_end, step }, &[sent]).await.expect("noted");
    }
    store.step_not_done(holder, 0, StepAt { written_end: End::Right, step: "file a.png" }).await.expect("noted");
    for _ in 0..2 {
        store.applied(holder, &write(vec![line(None, "made"), line(Some("title"), "Storm")])).await.expect("noted");
    }
    store.applied(holder, &write(vec![line(Some("title"), "Gale")])).await.expect("noted");
    store.end_job(holder, JobState::Done, None, None).await.expect("it ends");
    let all = async |filter: RecordFilter| store.list_record(&filter, None, 10).await.expect("a page");
    let lines = all(RecordFilter::default()).await;
    let told: Vec<_> = lines.iter().map(|l| (l.what.as_str(), l.slot.as_deref(), l.written_end.as_deref())).collect();
    let title = ("field", Some("title"), Some("right"));
    assert_eq!(told, [title, ("call", Some("back"), Some("left")), title, ("item", None, Some("right"))]);
    assert!(
        lines.iter().all(|l| (l.left_id.as_str(), l.right_id.as_str(), l.right_key.as_str()) == ("l0", "71", "TB-1"))
    );
    assert_eq!(store.list_record(&RecordFilter::default(), Some(lines[1].id), 10).await.expect("a page").len(), 2);
    assert_eq!(all(RecordFilter { written_end: Some(End::Left), ..RecordFilter::default() }).await.len(), 1);
    assert_eq!(all(RecordFilter { find: "tb-1".into(), ..RecordFilter::default() }).await.len(), 4);
    assert_eq!(all(RecordFilter { find: "b-1".into(), ..RecordFilter::default() }).await.len(), 0, "a key begins so");
    assert_eq!(all(RecordFilter { find: "TB_1".into(), ..RecordFilter::default() }).await.len(), 0);
    assert_eq!(all(RecordFilter { left_id: Some("l1".into()), ..RecordFilter::default() }).await.len(), 0);

    // The values behind the lines stay, and the lines stay when the route is gone.
    store.clear_before(chrono::Utc::now()).await.expect("cleared");
    let hashes: Vec<Vec<u8>> = lines.iter().flat_map(|l| [l.before.clone(), l.after.clone()]).flatten().collect();
    assert_eq!(store.snapshots(&hashes).await.expect("asked").len(), 4, "Wind, Storm, Gale and what was made");
    let mut connection = AsyncPgConnection::establish(&database.url).await.expect("it answers");
    for change in ["update record set why = 'made'", "delete from record", "truncate record"] {
        let refused = connection.batch_execute(change).await.expect_err(change).to_string();
        assert!(refused.contains("never changed or removed"), "{change}: {refused}");
    }
    store.remove_route(route).await.expect("removed");
    assert_eq!(all(RecordFilter::default()).await.len(), 4);
}

/// Two changes that write the same values in another order, as two workers note them at once: neither waits for what the other
/// holds.
#[tokio::test]
async fn the_same_values_are_kept_by_two_at_once() {
    let (store, route) = with_a_route_in(&Database::fresh().await).await;
    let plan = plan_with_a_change(&store, route).await;
    let holder = held(&store, route, plan.id).await;
    let ends = systems(&store, route).await;
    store.intend(holder, &[0, 1]).await.expect("intended");
    const VALUES: usize = 40;
    for round in 0..15 {
        let lines = |from: [usize; 2]| -> Vec<NewLine> {
            let place = |n: usize| if from[0] < from[1] { n } else { VALUES - n };
            (0..VALUES).map(|n| line(Some(&format!("slot{n}")), &format!("{round} {}", place(n)))).collect()
        };
        let note = async |seq: i32, left: &str, right: &str, lines: Vec<NewLine>| {
            let noted = Applied { seq, lines, ..applied(route, both(ends, left, right), 7) };
            store.applied(holder, &noted).await
        };
        let both = join(note(0, "l0", "71", lines([0, 1])), note(1, "l1", "72", lines([1, 0])));
        let (one, other) = tokio::time::timeout(Duration::from_secs(60), both).await.expect("neither waits for ever");
        one.expect("noted");
        other.expect("noted");
    }
}
